// Package storetest gives tests a store on a database of their own.
package storetest

import (
	"context"
	"testing"

	"neokinema/server/postgres/pgtest"
	"neokinema/server/store"
)

// Open opens a store on a fresh database and closes it with the test. The database
// is a copy of one that was migrated once.
func Open(t testing.TB) *store.Store {
	t.Helper()
	s, err := store.Open(t.Context(), pgtest.Copy(t, migrate))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	return s
}

func migrate(ctx context.Context, url string) error {
	s, err := store.Open(ctx, url)
	if err == nil {
		s.Close()
	}
	return err
}
