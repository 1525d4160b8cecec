package postgres

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"time"

	"github.com/jackc/pgx/v5"
)

// Dump writes a whole database into a file, in one consistent view; the
// server may go on working meanwhile. The file appears when it is complete.
func (s *Server) Dump(ctx context.Context, database, path string) error {
	part := path + ".part"
	defer os.Remove(part)
	if err := s.client(ctx, "pg_dump", database, "--format=custom", "--compress=3", "--file="+part); err != nil {
		return fmt.Errorf("back up: %w", err)
	}
	return os.Rename(part, path)
}

// Restore puts a dumped database in the place of one that may be there. It is
// restored beside it first, and takes its place only when it is complete; what
// was there is kept under the name that Restore returns, if there was anything.
func (s *Server) Restore(ctx context.Context, database, path string) (before string, err error) {
	if _, err := os.Stat(path); err != nil {
		return "", fmt.Errorf("restore: %w", err)
	}
	stamp := time.Now().UTC().Format("20060102150405")
	fresh := database + "_restored_" + stamp
	if err := s.Create(ctx, fresh); err != nil {
		return "", err
	}
	if err := s.client(ctx, "pg_restore", fresh, "--exit-on-error", "--no-owner", "--single-transaction", path); err != nil {
		return "", errors.Join(fmt.Errorf("restore: %w", err), s.drop(ctx, fresh))
	}
	c, err := pgx.Connect(ctx, s.URL("postgres"))
	if err != nil {
		return "", err
	}
	defer c.Close(ctx)
	var there bool
	if err := c.QueryRow(ctx, "select exists (select from pg_database where datname = $1)", database).Scan(&there); err != nil {
		return "", err
	}
	if there {
		before = database + "_before_" + stamp
		if _, err := c.Exec(ctx, fmt.Sprintf("alter database %s rename to %s", quoted(database), quoted(before))); err != nil {
			return "", errors.Join(fmt.Errorf("restore: end the program that uses this data first: %w", err), s.drop(ctx, fresh))
		}
	}
	_, err = c.Exec(ctx, fmt.Sprintf("alter database %s rename to %s", quoted(fresh), quoted(database)))
	return before, err
}

func quoted(name string) string { return pgx.Identifier{name}.Sanitize() }

func (s *Server) drop(ctx context.Context, database string) error {
	c, err := pgx.Connect(ctx, s.URL("postgres"))
	if err != nil {
		return err
	}
	defer c.Close(ctx)
	_, err = c.Exec(ctx, "drop database "+quoted(database))
	return err
}

// client runs one of PostgreSQL's programs on a database; the password goes by
// the environment, which others cannot see.
func (s *Server) client(ctx context.Context, program, database string, args ...string) error {
	at, err := url.Parse(s.URL(database))
	if err != nil {
		return err
	}
	at.User = url.User(superuser)
	cmd := exec.CommandContext(ctx, filepath.Join(s.bin, program), append([]string{"--dbname=" + at.String()}, args...)...)
	cmd.Env = append(os.Environ(), "PGPASSWORD="+s.secret, "LC_ALL=C.UTF-8")
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("%w\n%s", err, out)
	}
	return nil
}
