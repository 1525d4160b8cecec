// Package postgres runs a private PostgreSQL server on loopback from Debian's
// binaries, so that nobody has to set up a database.
package postgres

import (
	"bytes"
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/url"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"slices"
	"sort"
	"strconv"
	"strings"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"

	"neokinema/server/disk"
)

// Fallback is where the data goes when PostgreSQL's user cannot enter the
// project's own folder.
const Fallback = "/var/lib/neokinema"

const superuser = "neokinema"

// dying is how long a killed server may take to let go of its data.
const dying = 10 * time.Second

// Options say how to run the server.
type Options struct {
	Folder    string // for data, log, port and password
	Temporary bool   // for tests: faster, and not safe against a power cut
}

// Server is a running PostgreSQL.
type Server struct {
	Folder    string
	Found     bool // it was running already
	bin       string
	port      int
	secret    string
	temporary bool
	stopping  atomic.Bool
}

// Start starts the server, or finds it running since a program that was
// killed. The folder is made when it does not exist.
func Start(ctx context.Context, o Options) (*Server, error) {
	bin, err := binaries()
	if err != nil {
		return nil, err
	}
	folder, err := Home(o.Folder)
	if err != nil {
		return nil, err
	}
	s := &Server{Folder: folder, bin: bin, temporary: o.Temporary}
	if err := s.init(ctx); err != nil {
		return nil, err
	}
	if s.alive(ctx) {
		s.Found = true
		return s, nil
	}
	s.port = 0
	return s, s.start(ctx)
}

// binaries is the newest installed version's folder of programs.
func binaries() (string, error) {
	found, _ := filepath.Glob("/usr/lib/postgresql/*/bin/pg_ctl")
	if len(found) == 0 {
		return "", errors.New("the PostgreSQL server is not installed: apt-get install postgresql")
	}
	sort.Slice(found, func(i, j int) bool { return version(found[i]) > version(found[j]) })
	return filepath.Dir(found[0]), nil
}

func version(path string) int {
	v, _ := strconv.Atoi(strings.Split(path, "/")[4])
	return v
}

// Home makes the folder, or takes the fallback when root's PostgreSQL user
// cannot enter it.
func Home(folder string) (string, error) {
	abs, err := filepath.Abs(folder)
	if err != nil {
		return "", err
	}
	for _, dir := range []string{abs, filepath.Join(Fallback, strings.ReplaceAll(strings.Trim(abs, "/"), "/", "-"))} {
		if err := os.MkdirAll(dir, 0o755); err != nil {
			return "", fmt.Errorf("the database needs the folder %s: %w", dir, err)
		}
		if os.Geteuid() != 0 {
			return dir, nil
		}
		if err := command(context.Background(), "/usr/bin/test", "-x", dir).Run(); err == nil {
			return dir, nil
		}
	}
	return "", fmt.Errorf("the user postgres can enter neither %s nor %s", abs, Fallback)
}

// command runs a program as the user that PostgreSQL accepts: root becomes
// postgres, anybody else stays.
func command(ctx context.Context, name string, args ...string) *exec.Cmd {
	if os.Geteuid() == 0 {
		args = append([]string{"--reuid=postgres", "--regid=postgres", "--init-groups", name}, args...)
		name = "setpriv"
	}
	cmd := exec.CommandContext(ctx, name, args...)
	cmd.Dir = "/"
	cmd.Env = append(os.Environ(), "HOME=/", "LC_ALL=C.UTF-8")
	return cmd
}

func (s *Server) data() string { return filepath.Join(s.Folder, "pg") }

// init makes the data folder once: a first start cut short begins again.
func (s *Server) init(ctx context.Context) error {
	secret := filepath.Join(s.Folder, "secret")
	if kept, err := os.ReadFile(secret); err == nil {
		s.secret = string(kept)
		return nil
	}
	if err := os.RemoveAll(s.data()); err != nil {
		return err
	}
	if err := os.MkdirAll(s.data(), 0o700); err != nil {
		return err
	}
	s.secret = rand.Text()
	pw, err := os.CreateTemp("", "neokinema-pw-")
	if err != nil {
		return err
	}
	defer os.Remove(pw.Name())
	fmt.Fprintln(pw, s.secret)
	pw.Close()
	if os.Geteuid() == 0 {
		if err := give(s.data(), pw.Name()); err != nil {
			return err
		}
	}
	cmd := command(ctx, filepath.Join(s.bin, "initdb"), "-D", s.data(), "-U", superuser, "--pwfile="+pw.Name(),
		"-A", "scram-sha-256", "-E", "UTF8", "--locale=C.UTF-8")
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("initdb: %w\n%s", err, out)
	}
	return os.WriteFile(secret, []byte(s.secret), 0o600)
}

// give hands files to the user postgres.
func give(paths ...string) error {
	u, err := user.Lookup("postgres")
	if err != nil {
		return fmt.Errorf("as root, PostgreSQL runs under the user postgres: %w", err)
	}
	uid, _ := strconv.Atoi(u.Uid)
	gid, _ := strconv.Atoi(u.Gid)
	for _, p := range paths {
		if err := os.Chown(p, uid, gid); err != nil {
			return err
		}
	}
	return nil
}

// alive finds a server that still runs on the port of the last start. The server of
// another folder, from which this one was copied, is another server.
func (s *Server) alive(ctx context.Context) bool {
	kept, err := os.ReadFile(filepath.Join(s.Folder, "port"))
	if err != nil {
		return false
	}
	s.port, err = strconv.Atoi(strings.TrimSpace(string(kept)))
	return err == nil && s.ping(ctx) == nil
}

// ping reports whether the server answers and has this folder's data.
func (s *Server) ping(ctx context.Context) error {
	ctx, stop := context.WithTimeout(ctx, 3*time.Second)
	defer stop()
	c, err := pgx.Connect(ctx, s.URL("postgres"))
	if err != nil {
		return err
	}
	defer c.Close(ctx)
	var data string
	if err := c.QueryRow(ctx, "select current_setting('data_directory')").Scan(&data); err != nil {
		return err
	}
	if !sameFolder(data, s.data()) {
		return fmt.Errorf("the server on port %d has its data in %s", s.port, data)
	}
	return nil
}

// sameFolder reports whether two paths lead to one folder.
func sameFolder(a, b string) bool {
	x, errX := os.Stat(a)
	y, errY := os.Stat(b)
	return errX == nil && errY == nil && os.SameFile(x, y)
}

// postmaster is the process of this folder's running server; 0: none runs. Foreign
// tells of a process that the folder names and that works elsewhere: the folder was
// copied while its original's server ran.
func (s *Server) postmaster() (pid int, foreign bool) {
	text, err := os.ReadFile(filepath.Join(s.data(), "postmaster.pid"))
	if err != nil {
		return 0, false
	}
	line, _, _ := strings.Cut(string(text), "\n")
	pid, err = strconv.Atoi(strings.TrimSpace(line))
	if err != nil || pid <= 0 || syscall.Kill(pid, 0) != nil {
		return 0, false
	}
	if sameFolder(fmt.Sprintf("/proc/%d/cwd", pid), s.data()) { // a server works in its data folder
		return pid, false
	}
	return 0, true
}

func (s *Server) start(ctx context.Context) error {
	if _, err := disk.BallastIn(s.Folder).Trim(); err != nil {
		return fmt.Errorf("make room for the database: %w", err)
	}
	if _, foreign := s.postmaster(); foreign {
		if err := os.Remove(filepath.Join(s.data(), "postmaster.pid")); err != nil {
			return err
		}
	}
	if s.port == 0 {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		if err != nil {
			return err
		}
		s.port = l.Addr().(*net.TCPAddr).Port
		l.Close()
	}
	settings := fmt.Sprintf("-c listen_addresses=127.0.0.1 -c port=%d -c unix_socket_directories='' -c max_connections=60 -c shared_buffers=256MB -c max_locks_per_transaction=1024 -c wal_recycle=off -c max_wal_size=256MB", s.port)
	if s.temporary {
		settings += " -c fsync=off -c full_page_writes=off -c synchronous_commit=off"
	}
	log := filepath.Join(s.data(), "server.log")
	null, err := os.OpenFile(os.DevNull, os.O_RDWR, 0)
	if err != nil {
		return err
	}
	defer null.Close()
	for end := time.Now().Add(dying); ; time.Sleep(dying / 20) {
		cmd := command(ctx, filepath.Join(s.bin, "pg_ctl"), "-D", s.data(), "-w", "-t", "60", "-l", log, "-o", settings, "start")
		cmd.Stdin, cmd.Stdout, cmd.Stderr = null, null, null // a pipe would stay open in the server
		err := cmd.Run()
		if err == nil {
			break
		}
		text, _ := os.ReadFile(log)
		text = text[max(0, len(text)-2000):]
		last := lastLines(text)
		if !bytes.Contains(last, []byte("lock file")) && !bytes.Contains(last, []byte("shared memory block")) || time.Now().After(end) {
			return fmt.Errorf("PostgreSQL did not start: %w\n%s", err, text)
		}
	}
	if _, err := disk.BallastIn(s.Folder).Trim(); err != nil && !errors.Is(err, syscall.ENOSPC) && !errors.Is(err, syscall.EOPNOTSUPP) {
		return err
	}
	if err := os.WriteFile(filepath.Join(s.Folder, "port"), fmt.Appendln(nil, s.port), 0o644); err != nil {
		return err
	}
	return s.ping(ctx)
}

// lastLines are what a server said of its last start.
func lastLines(text []byte) []byte {
	if i := bytes.LastIndex(text, []byte("starting PostgreSQL")); i >= 0 {
		return text[i:]
	}
	return text[max(0, len(text)-600):]
}

// Supervise starts the server again whenever it ends by itself, on the same port, so
// that whoever holds its URL goes on; again is called each time. When it does not
// start any more, or ends again and again, failed is told. It returns when the
// context ends or the server is stopped.
func (s *Server) Supervise(ctx context.Context, log *slog.Logger, again func(), failed func(error)) {
	const (
		every  = 300 * time.Millisecond
		most   = 5 // ends within window
		window = 2 * time.Minute
		tries  = 3
	)
	var ends []time.Time
	for tick := time.NewTicker(every); ; {
		select {
		case <-ctx.Done():
			tick.Stop()
			return
		case <-tick.C:
		}
		if pid, _ := s.postmaster(); pid != 0 || s.stopping.Load() {
			continue
		}
		now := time.Now()
		ends = slices.DeleteFunc(append(ends, now), func(t time.Time) bool { return now.Sub(t) > window })
		log.Error("PostgreSQL ended by itself; it is started again", "times", len(ends))
		var err error
		for range tries { // processes of the one that ended may hold its memory for a moment
			if err = s.start(ctx); err == nil || s.stopping.Load() || ctx.Err() != nil {
				break
			}
			time.Sleep(time.Second)
		}
		if s.stopping.Load() || ctx.Err() != nil {
			return
		}
		if err == nil && len(ends) > most {
			err = fmt.Errorf("it ended %d times within %s", len(ends), window)
		}
		if err != nil {
			failed(fmt.Errorf("PostgreSQL cannot be kept running: %w: its log is %s", err, filepath.Join(s.data(), "server.log")))
			return
		}
		log.Info("PostgreSQL runs again")
		again()
	}
}

// URL connects to a database of the server.
func (s *Server) URL(database string) string {
	u := url.URL{Scheme: "postgres", User: url.UserPassword(superuser, s.secret), Host: net.JoinHostPort("127.0.0.1", strconv.Itoa(s.port)), Path: database}
	return u.String()
}

// Create makes a database unless it is there.
func (s *Server) Create(ctx context.Context, database string) error {
	c, err := pgx.Connect(ctx, s.URL("postgres"))
	if err != nil {
		return err
	}
	defer c.Close(ctx)
	var there bool
	if err := c.QueryRow(ctx, "select exists (select from pg_database where datname = $1)", database).Scan(&there); err != nil || there {
		return err
	}
	_, err = c.Exec(ctx, "create database "+pgx.Identifier{database}.Sanitize())
	return err
}

// Stop ends the server after finishing what it has in hand. The server of another
// folder is left alone.
func (s *Server) Stop() error {
	s.stopping.Store(true)
	if pid, _ := s.postmaster(); pid == 0 {
		return nil
	}
	cmd := command(context.Background(), filepath.Join(s.bin, "pg_ctl"), "-D", s.data(), "-m", "fast", "-w", "-t", "60", "stop")
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("stop PostgreSQL: %w\n%s", err, out)
	}
	return nil
}
