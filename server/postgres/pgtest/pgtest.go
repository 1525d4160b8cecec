// Package pgtest gives tests a real PostgreSQL: one server for a package's
// tests, one fresh database for each test that asks.
package pgtest

import (
	"context"
	"fmt"
	"os"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/jackc/pgx/v5"
	"github.com/jmoiron/sqlx"

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

// Long leaves a test out of make test-short.
func Long(t testing.TB) {
	t.Helper()
	if testing.Short() {
		t.Skip("left out of the short tests")
	}
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

// original is the name of the database that copies are made of.
const original = "original"

var prepared struct {
	sync.Once
	err error
}

// Copy is a new database as prepare leaves one: it is prepared once for a package's
// tests and then copied.
func Copy(t testing.TB, prepare func(ctx context.Context, url string) error) string {
	t.Helper()
	prepared.Do(func() {
		ctx := context.Background()
		if prepared.err = server.Create(ctx, original); prepared.err == nil {
			prepared.err = prepare(ctx, server.URL(original))
		}
	})
	if prepared.err != nil {
		t.Fatal(prepared.err)
	}
	name := fmt.Sprintf("test_%d", count.Add(1))
	c, err := pgx.Connect(t.Context(), server.URL("postgres"))
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close(t.Context())
	if _, err := c.Exec(t.Context(), "create database "+name+" template "+original); err != nil {
		t.Fatal(err)
	}
	return server.URL(name)
}

// FilmRows counts the rows of all films' tables of a kind: original or picture.
func FilmRows(t testing.TB, db *sqlx.DB, kind string) int {
	t.Helper()
	var n int
	if err := db.GetContext(t.Context(), &n, `select coalesce(sum((xpath('/row/n/text()', query_to_xml(format('select count(*) as n from film.%I', c.relname), false, true, '')))[1]::text::int), 0)
		from pg_class c join pg_namespace s on s.oid = c.relnamespace where s.nspname = 'film' and c.relkind = 'r' and c.relname like $1 || '\_%'`, kind); err != nil {
		t.Fatal(err)
	}
	return n
}
