package postgres

import (
	"context"
	"errors"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
)

func folder(t *testing.T) string {
	t.Helper()
	dir, err := os.MkdirTemp("", "neokinema-pg-test-")
	if err != nil {
		t.Fatal(err)
	}
	if err := os.Chmod(dir, 0o755); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(dir) })
	return dir
}

func start(t *testing.T, dir string) *Server {
	t.Helper()
	s, err := Start(t.Context(), Options{Folder: dir})
	if err != nil {
		t.Fatal(err)
	}
	return s
}

func query(t *testing.T, s *Server, db, sql string) string {
	t.Helper()
	c, err := pgx.Connect(t.Context(), s.URL(db))
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close(t.Context())
	var out string
	if err := c.QueryRow(t.Context(), sql).Scan(&out); err != nil {
		t.Fatal(err)
	}
	return out
}

// What was committed is there after a stop, and after the server was killed.
func TestDataOutlivesAStopAndAKill(t *testing.T) {
	dir := folder(t)
	s := start(t, dir)
	if err := s.Create(t.Context(), "club"); err != nil {
		t.Fatal(err)
	}
	if err := s.Create(t.Context(), "club"); err != nil {
		t.Errorf("creating it twice: %v", err)
	}
	table(t, s)
	if err := s.Stop(); err != nil {
		t.Fatal(err)
	}
	s = start(t, dir)
	if got := query(t, s, "club", `select m from mark`); got != "6.41" {
		t.Errorf("after a stop the mark is %q", got)
	}
	query(t, s, "club", `update mark set m = '6.42' returning m`)
	kill(t, s)
	s = start(t, dir)
	defer s.Stop()
	if got := query(t, s, "club", `select m from mark`); got != "6.42" {
		t.Errorf("after a kill the mark is %q", got)
	}
}

func table(t *testing.T, s *Server) {
	t.Helper()
	c, err := pgx.Connect(t.Context(), s.URL("club"))
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close(t.Context())
	if _, err := c.Exec(t.Context(), `create table mark as select '6.41'::text as m`); err != nil {
		t.Fatal(err)
	}
}

func kill(t *testing.T, s *Server) {
	t.Helper()
	data, err := os.ReadFile(filepath.Join(s.data(), "postmaster.pid"))
	if err != nil {
		t.Fatal(err)
	}
	pid := 0
	for _, c := range strings.SplitN(string(data), "\n", 2)[0] {
		pid = 10*pid + int(c-'0')
	}
	if err := syscall.Kill(pid, syscall.SIGKILL); err != nil {
		t.Fatal(err)
	}
	for s.alive(t.Context()) {
	}
}

func TestSettingsAreDurableAndClosedToOthers(t *testing.T) {
	s := start(t, folder(t))
	defer s.Stop()
	for setting, want := range map[string]string{"fsync": "on", "synchronous_commit": "on", "full_page_writes": "on", "listen_addresses": "127.0.0.1", "unix_socket_directories": "", "server_encoding": "UTF8", "password_encryption": "scram-sha-256"} {
		if got := query(t, s, "postgres", `select current_setting('`+setting+`')`); got != want {
			t.Errorf("%s is %q, want %q", setting, got, want)
		}
	}
	open := strings.Replace(s.URL("postgres"), s.secret, "guess", 1)
	if c, err := pgx.Connect(t.Context(), open); err == nil {
		c.Close(t.Context())
		t.Error("a guessed password opens the database")
	}
}

// A program that was killed leaves its server running: the next one finds it.
func TestStartFindsARunningServer(t *testing.T) {
	dir := folder(t)
	first := start(t, dir)
	second := start(t, dir)
	defer second.Stop()
	if first.port != second.port {
		t.Errorf("a second server on port %d beside %d", second.port, first.port)
	}
}

func TestNoFolderIsSaidSo(t *testing.T) {
	file := filepath.Join(folder(t), "file")
	if err := os.WriteFile(file, nil, 0o644); err != nil {
		t.Fatal(err)
	}
	if _, err := Start(t.Context(), Options{Folder: filepath.Join(file, "data")}); err == nil || !strings.Contains(err.Error(), "needs the folder") {
		t.Errorf("a folder inside a file: %v", err)
	}
}

// A copy of a data folder, made while the original serves, is another database: it
// neither serves the original's data nor stops its server.
func TestACopiedFolderIsItsOwn(t *testing.T) {
	dir := folder(t)
	s := start(t, dir)
	defer s.Stop()
	if err := s.Create(t.Context(), "club"); err != nil {
		t.Fatal(err)
	}
	table(t, s)
	query(t, s, "postgres", `select pg_switch_wal()::text`)
	copied := folder(t)
	if out, err := exec.Command("cp", "-a", dir+"/.", copied).CombinedOutput(); err != nil {
		t.Fatalf("%v %s", err, out)
	}
	other := start(t, copied)
	if other.Found || other.port == s.port {
		t.Fatalf("the copy serves the original's database on port %d", other.port)
	}
	if got := query(t, other, "postgres", "select current_setting('data_directory')"); !sameFolder(got, other.data()) {
		t.Errorf("the copy's data lie in %s", got)
	}
	query(t, other, "club", `update mark set m = 'the copy''s' returning m`)
	if got := query(t, s, "club", `select m from mark`); got != "6.41" {
		t.Errorf("the original's mark is %q", got)
	}
	if err := other.Stop(); err != nil {
		t.Fatal(err)
	}
	if s.ping(t.Context()) != nil {
		t.Error("stopping the copy's server stopped the original's")
	}
	// Without a start of its own, a copy stops nothing either.
	idle := folder(t)
	if out, err := exec.Command("cp", "-a", dir+"/.", idle).CombinedOutput(); err != nil {
		t.Fatalf("%v %s", err, out)
	}
	if err := (&Server{Folder: idle, bin: s.bin}).Stop(); err != nil || s.ping(t.Context()) != nil {
		t.Errorf("a copy that was never started stopped the original's server: %v", err)
	}
}

// A server that is killed is started again on its port; one that cannot be is told of.
func TestAKilledServerIsStartedAgain(t *testing.T) {
	if testing.Short() {
		t.Skip("left out of the short tests")
	}
	s := start(t, folder(t))
	defer s.Stop()
	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	failed := make(chan error, 1)
	go s.Supervise(ctx, slog.New(slog.NewTextHandler(t.Output(), nil)), func() {}, func(err error) { t.Log(err); failed <- err })
	port := s.port
	for range 2 {
		pid, _ := s.postmaster()
		if err := syscall.Kill(pid, syscall.SIGKILL); err != nil {
			t.Fatal(err)
		}
		for end := time.Now().Add(60 * time.Second); ; time.Sleep(100 * time.Millisecond) {
			if now, _ := s.postmaster(); now != pid && s.ping(t.Context()) == nil {
				break
			}
			if time.Now().After(end) {
				t.Fatal("the server does not come back")
			}
		}
	}
	if s.port != port {
		t.Errorf("it moved from port %d to %d", port, s.port)
	}
	if err := os.Rename(filepath.Join(s.data(), "global"), filepath.Join(s.data(), "elsewhere")); err != nil {
		t.Fatal(err)
	}
	pid, _ := s.postmaster()
	if err := syscall.Kill(pid, syscall.SIGKILL); err != nil {
		t.Fatal(err)
	}
	select {
	case err := <-failed:
		if !strings.Contains(err.Error(), "cannot be kept running") {
			t.Errorf("it says %v", err)
		}
	case <-time.After(time.Minute):
		t.Error("nobody is told of a server that does not start any more")
	}
}

func TestOneProgramAFolder(t *testing.T) {
	dir := folder(t)
	first, err := LockFolder(t.Context(), dir, nil)
	if err != nil {
		t.Fatal(err)
	}
	var served Served
	if _, err := LockFolder(t.Context(), dir, nil); !errors.As(err, &served) || served.By != strconv.Itoa(os.Getpid()) {
		t.Errorf("a second program: %v", err)
	}
	if err := first.Stopping(); err != nil {
		t.Fatal(err)
	}
	waits := ""
	time.AfterFunc(500*time.Millisecond, func() { first.Release() })
	second, err := LockFolder(t.Context(), dir, func(by string) { waits = by })
	if err != nil || waits == "" {
		t.Fatalf("while the first one stops: %v, waiting for %q", err, waits)
	}
	if err := second.Release(); err != nil {
		t.Error(err)
	}
}
