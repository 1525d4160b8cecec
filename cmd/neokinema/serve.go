package main

import (
	"bufio"
	"context"
	"crypto/sha256"
	"crypto/tls"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"golang.org/x/net/netutil"

	"neokinema/core/playbook"
	"neokinema/demo"
	shipped "neokinema/playbook"
	"neokinema/server/api"
	"neokinema/server/auth"
	"neokinema/server/cert"
	"neokinema/server/detect"
	"neokinema/server/disk"
	"neokinema/server/store"
	"neokinema/server/tasks"
	"neokinema/web"
)

const (
	// goodbye is how long a stop may take for what is in hand, and farewell how long
	// uploads may go on before they are cut: what arrived of them stays.
	goodbye  = 20 * time.Second
	farewell = 4 * time.Second
	// mostConnections one address to serve on takes at once.
	mostConnections = 1000
	// mostPictures is how many bytes of pictures are held where the kernel sends them.
	mostPictures = 4 << 30
	// tidying is how often they are looked through.
	tidying = 5 * time.Minute
)

// settings are what a start is told.
type settings struct {
	folder, url, addr, listen string
	quick, demo               bool
	reserve                   int64
	proxies                   api.Proxies
}

func readSettings(args []string, asDemo bool) (settings, error) {
	f, folder, url := dataFlags("serve")
	addr := f.String("addr", env("NEOKINEMA_ADDR", "127.0.0.1:8080"), "address to serve on")
	listen := f.String("listen", os.Getenv("NEOKINEMA_LISTEN"), "address for other devices on the local network, with a certificate of its own, as in :8443")
	quick := f.Bool("quick", os.Getenv("NEOKINEMA_QUICK") != "", "demo: the block starts only")
	reserve := f.String("reserve", env("NEOKINEMA_RESERVE", "1"), "GB that films leave free on the disk")
	proxy := f.String("proxy", os.Getenv("NEOKINEMA_PROXY"), "addresses of proxies that are believed about where a request comes from, as in 10.0.0.2 or 10.0.0.0/24")
	if err := f.Parse(args); err != nil {
		return settings{}, err
	}
	gb, err := strconv.ParseFloat(*reserve, 64)
	if err != nil || !(gb >= 0.25 && gb <= 1e6) { // less than the database needs to come back from a crash
		return settings{}, fmt.Errorf("-reserve %s: say how many GB stay free, 0.25 or more", *reserve)
	}
	proxies, err := api.ParseProxies(*proxy)
	return settings{*folder, *url, *addr, *listen, *quick, asDemo, int64(gb * 1e9), proxies}, err
}

// logger writes what happens to standard error: warnings and errors, or more with
// NEOKINEMA_LOG=info or debug; as JSON with NEOKINEMA_LOG_JSON.
func logger() (*slog.Logger, error) {
	level := slog.LevelWarn
	if name := os.Getenv("NEOKINEMA_LOG"); name != "" {
		if err := level.UnmarshalText([]byte(name)); err != nil {
			return nil, fmt.Errorf("NEOKINEMA_LOG=%s: use debug, info, warn or error", name)
		}
	}
	options := &slog.HandlerOptions{Level: level}
	if os.Getenv("NEOKINEMA_LOG_JSON") != "" {
		return slog.New(slog.NewJSONHandler(os.Stderr, options)), nil
	}
	return slog.New(slog.NewTextHandler(os.Stderr, options)), nil
}

func serve(ctx context.Context, args []string, asDemo bool) error {
	set, err := readSettings(args, asDemo)
	if err != nil {
		return err
	}
	log, err := logger()
	if err != nil {
		return err
	}
	books, err := shipped.Load()
	if err != nil {
		return err
	}
	listener, err := net.Listen("tcp", set.addr)
	if err != nil {
		return fmt.Errorf("cannot serve on %s: %w: end what runs there, or choose another with -addr or NEOKINEMA_ADDR", set.addr, err)
	}
	defer listener.Close()
	o, err := open(ctx, set.folder, set.url, true)
	if err != nil {
		return err
	}
	defer o.close()
	room := disk.Of(set.reserve, os.TempDir(), o.home)
	o.store.Room = room.Check
	ctx, fail := context.WithCancelCause(ctx)
	defer fail(nil)
	if o.pg != nil {
		watching, stop := context.WithCancel(context.WithoutCancel(ctx))
		defer stop()
		go o.pg.Supervise(watching, log, o.store.Pool.Reset, fail) // connections to the one that ended are dead
	}
	models := detect.Folder()
	if lacking := detect.Missing(models); lacking != "" {
		log.Warn("bodies are not found on films: a model is missing; make models fetches it", "file", lacking)
	}
	queue, err := tasks.Start(context.WithoutCancel(ctx), o.store, books, models, log)
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
	frames, err := api.NewFrames(filepath.Join(o.home, "pictures"), mostPictures, room)
	if err != nil {
		return err
	}
	srv := &api.Server{Store: o.store, Tasks: queue, Playbooks: books, Log: log, Now: time.Now, Room: room, Frames: frames, Proxies: set.proxies, Listens: set.listen != "", Models: models}
	go every(ctx, tidying, srv.TidyFrames)
	if set.demo {
		srv.DemoLogin = demo.Login
		if err := loadDemo(ctx, o.store, queue, books, log, set.quick); err != nil {
			return err
		}
	}
	if err := answer(ctx, srv, o, set, listener); err != nil {
		return err
	}
	if cause := context.Cause(ctx); !errors.Is(cause, context.Canceled) {
		return cause
	}
	return nil
}

// every does something again and again until the context ends.
func every(ctx context.Context, interval time.Duration, what func(context.Context)) {
	tick := time.NewTicker(interval)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			what(ctx)
		}
	}
}

// loadDemo loads the demo club: the block starts at once, the rest while it serves.
func loadDemo(ctx context.Context, s *store.Store, queue *tasks.Queue, books map[string]playbook.Event, log *slog.Logger, quick bool) error {
	if err := demo.Load(ctx, s, queue.Enqueue, books, func(what string) { fmt.Println(what) }); err != nil || quick {
		return err
	}
	go func() {
		defer func() {
			if failed := recover(); failed != nil {
				log.Error("the demo's other events", "panic", failed)
			}
		}()
		err := demo.Seasons(ctx, s, books)
		if err == nil {
			err = demo.LoadSeasons(ctx, s, queue.Enqueue, books)
		}
		if err != nil && ctx.Err() == nil {
			log.Error("the demo's other events", "error", err)
		}
	}()
	return nil
}

// answer serves until the context ends, then lets go of what is in hand.
func answer(ctx context.Context, srv *api.Server, o opened, set settings, listener net.Listener) error {
	server := &http.Server{ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute, MaxHeaderBytes: 32 << 10, BaseContext: func(net.Listener) context.Context { return ctx }, ErrorLog: slog.NewLogLogger(srv.Log.Handler(), slog.LevelDebug)}
	failed := make(chan error, 2)
	var abroad net.Listener
	if set.listen != "" {
		l, own, err := listenAbroad(set.listen, o.home)
		if err != nil {
			return err
		}
		defer l.Close()
		abroad, srv.Authority = l, own.Authority
		server.TLSConfig = &tls.Config{Certificates: []tls.Certificate{own.Leaf}, MinVersion: tls.VersionTLS12}
	}
	server.Handler = srv.Handler(web.Dist())
	if abroad != nil {
		go func() { failed <- server.ServeTLS(netutil.LimitListener(abroad, mostConnections), "", "") }()
	}
	if err := greet(ctx, o.store, listener.Addr().String()); err != nil {
		return err
	}
	go func() { failed <- server.Serve(netutil.LimitListener(listener, mostConnections)) }()
	select {
	case err := <-failed:
		return err
	case <-ctx.Done():
	}
	fmt.Println("Stopping.")
	if o.pg != nil {
		if err := o.pg.lock.Stopping(); err != nil {
			srv.Log.Error("tell that the program is stopping", "error", err)
		}
	}
	end, stop := context.WithTimeout(context.Background(), farewell)
	defer stop()
	if err := server.Shutdown(end); errors.Is(err, context.DeadlineExceeded) {
		return server.Close() // an upload that goes on: what arrived of it is kept
	} else if err != nil {
		return err
	}
	return nil
}

// listenAbroad listens for other devices on the network, and says where they find
// the program and its certificate.
func listenAbroad(addr, home string) (net.Listener, cert.Own, error) {
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
	if own.Anew {
		fmt.Println("The certificate is a new one: the old one had ended, or said too much. Devices must trust it once more.")
	}
	fmt.Printf("Once on each device, open /certificate.crt there and trust it. Its SHA-256 begins with % X.\n", fingerprint[:8])
	return l, own, nil
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
	hash, err := auth.Hash(ctx, strings.TrimRight(line, "\r\n"), f.Arg(0))
	if err != nil {
		return err
	}
	o, err := open(ctx, *folder, *url, false)
	if err != nil {
		return err
	}
	defer o.close()
	return o.store.SetPassword(ctx, f.Arg(0), hash)
}
