package postgres

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"net"
	"net/url"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
)

// Stage is a new, empty database that belongs to a role of its own, which may do
// nothing outside of it. It takes the place of another database, or is dropped.
type Stage struct {
	URL    string // as that role
	server *Server
	name   string
	role   string
	in     string // whose place it takes
	taken  bool
}

// Stage makes one.
func (s *Server) Stage(ctx context.Context, in string) (*Stage, error) {
	id := strings.ToLower(rand.Text()[:12])
	g := &Stage{server: s, name: in + "_stage_" + id, role: "stage_" + id, in: in}
	secret := rand.Text()
	err := s.admin(ctx, "postgres", func(c *pgx.Conn) error {
		if _, err := c.Exec(ctx, fmt.Sprintf("create role %s login nosuperuser nocreatedb nocreaterole noreplication password '%s'", quoted(g.role), secret)); err != nil {
			return err
		}
		if _, err := c.Exec(ctx, fmt.Sprintf("create database %s owner %s", quoted(g.name), quoted(g.role))); err != nil {
			return err
		}
		_, err := c.Exec(ctx, fmt.Sprintf("revoke all on database %s from public", quoted(g.name)))
		return err
	})
	if err != nil {
		return nil, errors.Join(err, g.Drop(context.WithoutCancel(ctx)))
	}
	u := url.URL{Scheme: "postgres", User: url.UserPassword(g.role, secret), Host: net.JoinHostPort("127.0.0.1", strconv.Itoa(s.port)), Path: g.name}
	g.URL = u.String()
	return g, nil
}

// Take puts the staged database in the place of the other one. What was there is
// kept under the name that Take returns, if there was anything.
func (g *Stage) Take(ctx context.Context) (before string, err error) {
	s := g.server
	if err := s.admin(ctx, g.name, func(c *pgx.Conn) error {
		_, err := c.Exec(ctx, fmt.Sprintf("reassign owned by %s to %s", quoted(g.role), quoted(superuser)))
		return err
	}); err != nil {
		return "", err
	}
	err = s.admin(ctx, "postgres", func(c *pgx.Conn) error {
		if _, err := c.Exec(ctx, fmt.Sprintf("alter database %s owner to %s", quoted(g.name), quoted(superuser))); err != nil {
			return err
		}
		var there bool
		if err := c.QueryRow(ctx, "select exists (select from pg_database where datname = $1)", g.in).Scan(&there); err != nil {
			return err
		}
		if there {
			before = g.in + "_before_" + time.Now().UTC().Format("20060102150405")
			if _, err := c.Exec(ctx, fmt.Sprintf("alter database %s rename to %s", quoted(g.in), quoted(before))); err != nil {
				return fmt.Errorf("end the program that uses this data first: %w", err)
			}
		}
		_, err := c.Exec(ctx, fmt.Sprintf("alter database %s rename to %s", quoted(g.name), quoted(g.in)))
		if err != nil && before != "" {
			_, back := c.Exec(ctx, fmt.Sprintf("alter database %s rename to %s", quoted(before), quoted(g.in)))
			err = errors.Join(err, back)
		}
		g.taken = err == nil
		return err
	})
	return before, err
}

// Drop takes the role away, and the database unless it was taken.
func (g *Stage) Drop(ctx context.Context) error {
	return g.server.admin(ctx, "postgres", func(c *pgx.Conn) error {
		if !g.taken {
			if _, err := c.Exec(ctx, "drop database if exists "+quoted(g.name)+" with (force)"); err != nil {
				return err
			}
		}
		_, err := c.Exec(ctx, "drop role if exists "+quoted(g.role))
		return err
	})
}

// Befores are the databases that restores kept, the oldest first.
func (s *Server) Befores(ctx context.Context, database string) ([]string, error) {
	var out []string
	err := s.admin(ctx, "postgres", func(c *pgx.Conn) error {
		rows, err := c.Query(ctx, `select datname::text from pg_database where datname like $1 || '\_before\_%' order by datname`, database)
		if err != nil {
			return err
		}
		out, err = pgx.CollectRows(rows, pgx.RowTo[string])
		return err
	})
	return out, err
}

// DropBefore drops a database that a restore kept.
func (s *Server) DropBefore(ctx context.Context, database, name string) error {
	all, err := s.Befores(ctx, database)
	if err != nil {
		return err
	}
	for _, b := range all {
		if b == name {
			return s.admin(ctx, "postgres", func(c *pgx.Conn) error {
				_, err := c.Exec(ctx, "drop database "+quoted(name))
				return err
			})
		}
	}
	return fmt.Errorf("no restore kept a database %q: there are %s", name, strings.Join(all, ", "))
}

// Program is the path of one of PostgreSQL's programs.
func (s *Server) Program(name string) string { return filepath.Join(s.bin, name) }

// admin works on a database as the server's own role.
func (s *Server) admin(ctx context.Context, database string, work func(*pgx.Conn) error) error {
	c, err := pgx.Connect(ctx, s.URL(database))
	if err != nil {
		return err
	}
	defer c.Close(context.WithoutCancel(ctx))
	return work(c)
}

func quoted(name string) string { return pgx.Identifier{name}.Sanitize() }
