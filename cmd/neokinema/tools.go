package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"os"
	"slices"

	"neokinema/demo"
	"neokinema/demo/studio"
	"neokinema/playbook"
)

func render(ctx context.Context, args []string) error {
	f := flag.NewFlagSet("render", flag.ContinueOnError)
	to := f.String("to", "demo/clips", "folder for the clips and their truth")
	if err := f.Parse(args); err != nil {
		return err
	}
	s, err := studio.Open()
	if err != nil {
		return err
	}
	defer s.Close()
	for _, sc := range demo.Scenarios() {
		if f.NArg() > 0 && !slices.Contains(f.Args(), sc.Name) {
			continue
		}
		err := s.Render(ctx, sc, *to, func(done, of int) {
			if done%40 == 0 || done == of {
				fmt.Printf("%s: picture %d of %d\n", sc.Name, done, of)
			}
		})
		if err != nil {
			return fmt.Errorf("%s: %w", sc.Name, err)
		}
	}
	return nil
}

func checkPlaybook(_ context.Context, args []string) error {
	if len(args) < 2 || args[0] != "check" {
		return errors.New("say which files: neokinema playbook check FILE...")
	}
	bad := 0
	for _, name := range args[1:] {
		data, err := os.ReadFile(name)
		if err == nil {
			_, err = playbook.Decode(name, data)
		}
		if err != nil {
			bad++
			fmt.Fprintln(os.Stderr, err)
		}
	}
	if bad > 0 {
		return fmt.Errorf("%d of %d files need mending", bad, len(args)-1)
	}
	fmt.Println("All is well.")
	return nil
}
