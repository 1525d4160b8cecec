package main

import (
	"context"
	"crypto/ed25519"
	"errors"
	"flag"
	"fmt"
	"path/filepath"
	"strings"

	"neokinema/server/backup"
)

// keyFile holds the club's key for backups, in the data folder.
const keyFile = "backup.key"

// onFile reads the flags of a command that works on the private database and one
// file, and runs it.
func onFile(ctx context.Context, name string, args []string, alone bool, more func(*flag.FlagSet), work func(pg private, key ed25519.PrivateKey, file string) error) error {
	f := flag.NewFlagSet(name, flag.ContinueOnError)
	folder := f.String("data", env("NEOKINEMA_DATA", "data"), "folder of the private database")
	if more != nil {
		more(f)
	}
	if err := f.Parse(args); err != nil {
		return err
	}
	if env("NEOKINEMA_DATABASE", "") != "" {
		return errElsewhere
	}
	if f.NArg() != 1 {
		return fmt.Errorf("say which file: neokinema %s FILE", name)
	}
	file, err := filepath.Abs(f.Arg(0))
	if err != nil {
		return err
	}
	pg, err := openPrivate(ctx, *folder, alone)
	if err != nil {
		return err
	}
	defer pg.close()
	key, err := backup.Key(filepath.Join(pg.Folder, keyFile))
	if err != nil {
		return err
	}
	return work(pg, key, file)
}

// saveBackup saves everything into one file. The program may go on serving.
func saveBackup(ctx context.Context, args []string) error {
	return onFile(ctx, "backup", args, false, nil, func(pg private, key ed25519.PrivateKey, file string) error {
		if err := backup.Write(ctx, pg.URL(database), file, key); err != nil {
			return err
		}
		fmt.Printf("Everything is in %s. It is signed with the key %X, which lies in %s: keep a copy of that file too.\n", file, []byte(key.Public().(ed25519.PublicKey))[:6], filepath.Join(pg.Folder, keyFile))
		return nil
	})
}

// restore puts a backup in the place of what is there.
func restore(ctx context.Context, args []string) error {
	var foreign, drop *bool
	flags := func(f *flag.FlagSet) {
		foreign = f.Bool("foreign", false, "take a backup that was signed with another key, or with none")
		drop = f.Bool("drop", false, "drop what was here before, instead of keeping it")
	}
	return onFile(ctx, "restore", args, true, flags, func(pg private, key ed25519.PrivateKey, file string) error {
		before, err := backup.Restore(ctx, pg.Server, database, file, key.Public().(ed25519.PublicKey), *foreign)
		if err != nil {
			return err
		}
		fmt.Println("Everything is as it was when it was backed up.")
		switch {
		case before == "":
		case *drop:
			if err := pg.DropBefore(ctx, database, before); err != nil {
				return err
			}
			fmt.Println("What was here before is gone.")
		default:
			fmt.Printf("What was here before is kept, and takes room, until you say: neokinema forget %s\n", before)
		}
		return nil
	})
}

// forget drops databases that restores kept.
func forget(ctx context.Context, args []string) error {
	f := flag.NewFlagSet("forget", flag.ContinueOnError)
	folder := f.String("data", env("NEOKINEMA_DATA", "data"), "folder of the private database")
	if err := f.Parse(args); err != nil {
		return err
	}
	if env("NEOKINEMA_DATABASE", "") != "" {
		return errElsewhere
	}
	pg, err := openPrivate(ctx, *folder, false)
	if err != nil {
		return err
	}
	defer pg.close()
	if f.NArg() == 0 {
		all, err := pg.Befores(ctx, database)
		if err != nil {
			return err
		}
		if len(all) == 0 {
			fmt.Println("No restore kept anything.")
			return nil
		}
		fmt.Println("Restores kept these; name the ones to drop:\n  " + strings.Join(all, "\n  "))
		return nil
	}
	for _, name := range f.Args() {
		err = errors.Join(err, pg.DropBefore(ctx, database, name))
	}
	return err
}
