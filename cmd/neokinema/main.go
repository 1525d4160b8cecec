// Neokinema breaks throws, jumps, sprint starts and running strides into key
// positions, measures them, and helps a coach to judge and assign.
package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"os"
	"os/signal"
	"sort"
	"strings"
	"syscall"
)

type command struct {
	about string
	run   func(ctx context.Context, args []string) error
}

var commands = map[string]command{
	"serve":    {"serve the app", func(ctx context.Context, args []string) error { return serve(ctx, args, false) }},
	"demo":     {"serve the app with the demo club", func(ctx context.Context, args []string) error { return serve(ctx, args, true) }},
	"password": {"set an account's password: password NAME, the new one on standard input", password},
	"backup":   {"save everything into one file: backup FILE", saveBackup},
	"restore":  {"put a backup in the place of what is there: restore [-foreign] [-drop] FILE", restore},
	"forget":   {"list what restores kept, or drop it: forget [NAME...]", forget},
	"render":   {"film the simulated athlete: render -event EVENT [-fault ID=STRENGTH] [-o CLIP.mp4], or the demo clips: render [-folder FOLDER] [NAME...]", renderClip},
	"read":     {"read a film without the app, as JSON: read FILM -event EVENT -height METRES -hand R|L [-view VIEW] [-o READING.json]", read},
	"compare":  {"hold found points against placed ones: compare FOLDER [-near L|R] [-o TABLE.md]; beside each FILM a FILM.csv (picture,landmark,x,y) or FILM.json (an attempt of the API)", compare},
	"truth":    {"write what is known of a simulated attempt, without pictures: truth -event EVENT [-n N] [-o TRUTH.json]", truth},
	"playbook": {"check playbook files: playbook check FILE...", checkPlaybook},
}

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := run(ctx, os.Args[1:]); err != nil {
		fmt.Fprintln(os.Stderr, "neokinema:", err)
		if errors.Is(err, flag.ErrHelp) {
			os.Exit(2)
		}
		os.Exit(1)
	}
}

func run(ctx context.Context, args []string) error {
	if len(args) > 0 {
		if c, ok := commands[args[0]]; ok {
			return c.run(ctx, args[1:])
		}
	}
	names := make([]string, 0, len(commands))
	for n := range commands {
		names = append(names, n)
	}
	sort.Strings(names)
	var help strings.Builder
	for _, n := range names {
		fmt.Fprintf(&help, "\n  %-9s %s", n, commands[n].about)
	}
	return fmt.Errorf("say what to do:%s", help.String())
}
