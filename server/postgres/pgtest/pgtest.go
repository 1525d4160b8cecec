// Package pgtest gives tests a real PostgreSQL: one server for a package's
// tests, one fresh database for each test that asks.
package pgtest

import (
	"context"
	"fmt"
	"os"
	"sync/atomic"
	"testing"

	"neokinema/server/postgres"
)

var (
	server *postgres.Server
	count  atomic.Int64
)

// Main runs a package's tests beside a server of their own. Call it from
// TestMain.
func Main(m *testing.M) {
	os.Exit(run(m))
}

func run(m *testing.M) int {
	folder, err := os.MkdirTemp("", "neokinema-pg-")
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	defer os.RemoveAll(folder)
	if err := os.Chmod(folder, 0o755); err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	server, err = postgres.Start(context.Background(), postgres.Options{Folder: folder, Temporary: true})
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	defer server.Stop()
	return m.Run()
}

// URL is a new, empty database.
func URL(t testing.TB) string {
	t.Helper()
	name := fmt.Sprintf("test_%d", count.Add(1))
	if err := server.Create(t.Context(), name); err != nil {
		t.Fatal(err)
	}
	return server.URL(name)
}
