package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"path/filepath"

	"neokinema/server/postgres"
)

// errElsewhere is returned for a database that the program does not run itself.
var errElsewhere = errors.New("a database of your own is backed up and restored with its own pg_dump and pg_restore")

// oneFile reads the flags of a command that works on the private database and
// takes one file.
func oneFile(name string, args []string) (folder, file string, err error) {
	f := flag.NewFlagSet(name, flag.ContinueOnError)
	data := f.String("data", env("NEOKINEMA_DATA", "data"), "folder of the private database")
	if err := f.Parse(args); err != nil {
		return "", "", err
	}
	if env("NEOKINEMA_DATABASE", "") != "" {
		return "", "", errElsewhere
	}
	if f.NArg() != 1 {
		return "", "", fmt.Errorf("say which file: neokinema %s FILE", name)
	}
	file, err = filepath.Abs(f.Arg(0))
	return *data, file, err
}

// onPrivate runs work on the private database and a file.
func onPrivate(ctx context.Context, name string, args []string, work func(pg *postgres.Server, file string) error) error {
	folder, file, err := oneFile(name, args)
	if err != nil {
		return err
	}
	pg, stop, err := private(ctx, folder, false)
	if err != nil {
		return err
	}
	defer stop()
	return work(pg, file)
}

// backup saves everything into one file. The program may go on serving.
func backup(ctx context.Context, args []string) error {
	return onPrivate(ctx, "backup", args, func(pg *postgres.Server, file string) error {
		if err := pg.Dump(ctx, database, file); err != nil {
			return err
		}
		fmt.Printf("Everything is in %s.\n", file)
		return nil
	})
}

// restore puts a backup in the place of what is there.
func restore(ctx context.Context, args []string) error {
	return onPrivate(ctx, "restore", args, func(pg *postgres.Server, file string) error {
		before, err := pg.Restore(ctx, database, file)
		if err != nil {
			return err
		}
		fmt.Println("Everything is as it was when it was backed up.")
		if before != "" {
			fmt.Printf("What was here before is kept in the database %s.\n", before)
		}
		return nil
	})
}
