package postgres

import (
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

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
