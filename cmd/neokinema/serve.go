package main

import (
	"bufio"
	"context"
	"crypto/sha256"
	"crypto/tls"
	"errors"
	"flag"
	"fmt"
	"log/slog"
	"math"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"

	"neokinema/demo"
	"neokinema/playbook"
	"neokinema/server/api"
	"neokinema/server/auth"
	"neokinema/server/cert"
	"neokinema/server/jobs"
	"neokinema/server/postgres"
	"neokinema/server/store"
	"neokinema/web"
)

// goodbye is how long a stop may take for what is in hand.
const goodbye = 20 * time.Second

func env(name, otherwise string) string {
	if v := os.Getenv(name); v != "" {
		return v
	}
	return otherwise
}

// dataFlags are the flags of every command that needs the database.
func dataFlags(name string) (*flag.FlagSet, *string, *string) {
	f := flag.NewFlagSet(name, flag.ContinueOnError)
	folder := f.String("data", env("NEOKINEMA_DATA", "data"), "folder of the private database")
	url := f.String("database", os.Getenv("NEOKINEMA_DATABASE"), "URL of another PostgreSQL, instead of the private one")
	return f, folder, url
}

// database is the name of the program's own in the private server.
const database = "neokinema"

// private starts or finds the private server. Stopping ends it when it was
// started here, or when this is the program that serves.
func private(ctx context.Context, folder string, serving bool) (pg *postgres.Server, stop func(), err error) {
	pg, err = postgres.Start(ctx, postgres.Options{Folder: folder})
	if err != nil {
		return nil, nil, err
	}
	if want, _ := filepath.Abs(folder); want != pg.Folder {
		fmt.Printf("The database lies in %s, since PostgreSQL's user cannot enter %s.\n", pg.Folder, folder)
	}
	return pg, func() {
		if pg.Found && !serving {
			return
		}
		if err := pg.Stop(); err != nil {
			fmt.Fprintln(os.Stderr, err)
		}
	}, nil
}

// open starts or finds the database and brings it up to date. Home is the
// folder where the program keeps what belongs to it.
func open(ctx context.Context, folder, url string, serving bool) (s *store.Store, home string, closing func(), err error) {
	stop := func() {}
	home = folder
	if url == "" {
		var pg *postgres.Server
		if pg, stop, err = private(ctx, folder, serving); err != nil {
			return nil, "", nil, err
		}
		if err := pg.Create(ctx, database); err != nil {
			stop()
			return nil, "", nil, err
		}
		url, home = pg.URL(database), pg.Folder
	}
	if s, err = store.Open(ctx, url); err != nil {
		stop()
		return nil, "", nil, err
	}
	return s, home, func() { s.Close(); stop() }, nil
}

func serve(ctx context.Context, args []string, asDemo bool) error {
	f, folder, url := dataFlags("serve")
	addr := f.String("addr", env("NEOKINEMA_ADDR", "127.0.0.1:8080"), "address to serve on")
	listen := f.String("listen", os.Getenv("NEOKINEMA_LISTEN"), "address for other devices on the local network, with a certificate of its own, as in :8443")
	quick := f.Bool("quick", os.Getenv("NEOKINEMA_QUICK") != "", "demo: the block starts only")
	if err := f.Parse(args); err != nil {
		return err
	}
	log := slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelWarn}))
	books, err := playbook.Shipped()
	if err != nil {
		return err
	}
	listener, err := net.Listen("tcp", *addr)
	if err != nil {
		return fmt.Errorf("cannot serve on %s: %w: end what runs there, or choose another with -addr or NEOKINEMA_ADDR", *addr, err)
	}
	defer listener.Close()
	s, home, closing, err := open(ctx, *folder, *url, true)
	if err != nil {
		return err
	}
	defer closing()
	queue, err := jobs.Start(context.WithoutCancel(ctx), s, books, log)
	if err != nil {
		return err
	}
	defer func() {
		ctx, stop := context.WithTimeout(context.Background(), goodbye)
		defer stop()
		if err := queue.Stop(ctx); err != nil {
			log.Error("jobs did not stop in time", "error", err)
		}
	}()
	srv := &api.Server{Store: s, Jobs: queue, Playbooks: books, Log: log, Now: time.Now, Free: func() (int64, error) { return free(os.TempDir(), home) }}
	if asDemo {
		srv.DemoLogin = demo.Login
		if err := demo.Load(ctx, s, queue, books, func(what string) { fmt.Println(what) }); err != nil {
			return err
		}
		if !*quick {
			go func() {
				err := demo.Seasons(ctx, s, books)
				if err == nil {
					err = demo.Rest(ctx, s, queue, books)
				}
				if err != nil && ctx.Err() == nil {
					log.Error("the demo's other events", "error", err)
				}
			}()
		}
	}
	server := &http.Server{ReadHeaderTimeout: 10 * time.Second, BaseContext: func(net.Listener) context.Context { return ctx }}
	failed, begin := make(chan error, 2), make(chan struct{})
	if *listen != "" {
		abroad, own, err := abroad(*listen, home)
		if err != nil {
			return err
		}
		srv.Authority = own.Authority
		server.TLSConfig = &tls.Config{Certificates: []tls.Certificate{own.Leaf}}
		defer abroad.Close()
		go func() { <-begin; failed <- server.ServeTLS(abroad, "", "") }()
	}
	server.Handler = srv.Handler(web.Dist())
	close(begin)
	if err := greet(ctx, s, listener.Addr().String()); err != nil {
		return err
	}
	go func() { failed <- server.Serve(listener) }()
	select {
	case err := <-failed:
		return err
	case <-ctx.Done():
	}
	fmt.Println("Stopping.")
	end, stop := context.WithTimeout(context.Background(), goodbye)
	defer stop()
	return server.Shutdown(end)
}

// abroad listens for other devices on the network, and says where they find
// the program and its certificate.
func abroad(addr, home string) (net.Listener, cert.Own, error) {
	names, addresses, err := cert.Here()
	if err != nil {
		return nil, cert.Own{}, err
	}
	own, err := cert.For(filepath.Join(home, "certificate"), time.Now(), names, addresses)
	if err != nil {
		return nil, own, err
	}
	l, err := net.Listen("tcp", addr)
	if err != nil {
		return nil, own, fmt.Errorf("cannot serve other devices on %s: %w", addr, err)
	}
	port := l.Addr().(*net.TCPAddr).Port
	fmt.Println("Phones and tablets on this network, here:")
	for _, a := range addresses {
		if !a.IsLoopback() && a.To4() != nil {
			fmt.Printf("  https://%s\n", net.JoinHostPort(a.String(), strconv.Itoa(port)))
		}
	}
	fingerprint := sha256.Sum256(own.Authority)
	fmt.Printf("Once on each device, open /certificate.crt there and trust it. Its SHA-256 begins with % X.\n", fingerprint[:8])
	return l, own, nil
}

// free is the room that is left where there is least of it, bytes.
func free(folders ...string) (int64, error) {
	least := int64(math.MaxInt64)
	for _, f := range folders {
		var s syscall.Statfs_t
		if err := syscall.Statfs(f, &s); errors.Is(err, syscall.ENOENT) {
			continue // a database elsewhere
		} else if err != nil {
			return 0, err
		}
		least = min(least, int64(s.Bavail)*s.Bsize)
	}
	return least, nil
}

// greet prints the address; on a first start outside the demo, with the
// one-time link for the owner's account.
func greet(ctx context.Context, s *store.Store, addr string) error {
	has, err := s.HasAccounts(ctx)
	if err != nil {
		return err
	}
	if has {
		fmt.Printf("Neokinema is ready: http://%s\n", addr)
		return nil
	}
	secret, hash := auth.Token()
	if err := s.OfferOwner(ctx, hash); err != nil {
		return err
	}
	fmt.Printf("Neokinema is ready. Make the owner's account here, once: http://%s/welcome#%s\n", addr, secret)
	return nil
}

func password(ctx context.Context, args []string) error {
	f, folder, url := dataFlags("password")
	if err := f.Parse(args); err != nil {
		return err
	}
	if f.NArg() != 1 {
		return errors.New("say whose password: neokinema password NAME")
	}
	line, err := bufio.NewReader(os.Stdin).ReadString('\n')
	if err != nil && line == "" {
		return errors.New("give the new password on standard input")
	}
	hash, err := auth.Hash(strings.TrimRight(line, "\r\n"))
	if err != nil {
		return err
	}
	s, _, closing, err := open(ctx, *folder, *url, false)
	if err != nil {
		return err
	}
	defer closing()
	return s.SetPassword(ctx, f.Arg(0), hash)
}
