package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"os"
	"path/filepath"

	"neokinema/server/postgres"
	"neokinema/server/store"
)

// database is the name of the program's own in the private server.
const database = "neokinema"

// errElsewhere is returned for a database that the program does not run itself.
var errElsewhere = errors.New("a database of your own is backed up and restored with its own pg_dump and pg_restore")

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

// private is the program's own server with the lock of its folder.
type private struct {
	*postgres.Server
	lock *postgres.Lock // nil: another program has it, and runs the server
}

// openPrivate starts or finds the private server. Alone wants the folder for this
// program; otherwise the server of a program that serves is used beside it.
func openPrivate(ctx context.Context, folder string, alone bool) (private, error) {
	home, err := postgres.Home(folder)
	if err != nil {
		return private{}, err
	}
	if want, _ := filepath.Abs(folder); want != home {
		fmt.Printf("The database lies in %s, since PostgreSQL's user cannot enter %s.\n", home, folder)
	}
	lock, err := postgres.LockFolder(ctx, home, func(by string) {
		fmt.Printf("Process %s is stopping; waiting for it.\n", by)
	})
	var served postgres.Served
	if errors.As(err, &served) && !alone {
		lock, err = nil, nil
	}
	if err != nil {
		return private{}, err
	}
	pg, err := postgres.Start(ctx, postgres.Options{Folder: folder})
	if err != nil {
		if lock != nil {
			err = errors.Join(err, lock.Release())
		}
		return private{}, err
	}
	return private{pg, lock}, nil
}

// close stops the server, if the folder is this program's, and gives the folder back.
func (p private) close() {
	if p.lock == nil {
		return
	}
	if err := errors.Join(p.lock.Stopping(), p.Stop(), p.lock.Release()); err != nil {
		fmt.Fprintln(os.Stderr, err)
	}
}

// opened is the database with what it needs to go on.
type opened struct {
	store *store.Store
	home  string   // the folder where the program keeps what belongs to it
	pg    *private // nil: the database is somebody else's
}

// open starts or finds the database and brings it up to date.
func open(ctx context.Context, folder, url string, alone bool) (o opened, err error) {
	o.home = folder
	if url == "" {
		pg, err := openPrivate(ctx, folder, alone)
		if err != nil {
			return o, err
		}
		o.pg, o.home = &pg, pg.Folder
		if err := pg.Create(ctx, database); err != nil {
			pg.close()
			return o, err
		}
		url = pg.URL(database)
	} else if err := os.MkdirAll(folder, 0o755); err != nil {
		return o, err
	}
	if o.store, err = store.Open(ctx, url); err != nil {
		if o.pg != nil {
			o.pg.close()
		}
		return o, err
	}
	return o, nil
}

func (o opened) close() {
	o.store.Close()
	if o.pg != nil {
		o.pg.close()
	}
}
