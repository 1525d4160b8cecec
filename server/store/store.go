// Package store keeps everything in PostgreSQL: one file an aggregate, with
// its SQL beside it.
package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"neokinema/core/breakdown"
	"net"
	"syscall"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/jmoiron/sqlx"
	"github.com/pressly/goose/v3"
)

//go:embed migrations/*.sql
var migrations embed.FS

// ErrNotFound is returned for something that is not there, or is not this
// account's to see.
var ErrNotFound = errors.New("there is nothing here under that address, or it is not yours to see")

// Invalid is a change that cannot be made, in a sentence for the coach.
type Invalid = breakdown.Invalid

// Forbidden is something that an account may not do, in a sentence.
type Forbidden string

func (e Forbidden) Error() string { return string(e) }

func invalid(format string, args ...any) error { return Invalid(fmt.Sprintf(format, args...)) }

// Store is the database.
type Store struct {
	Pool  *pgxpool.Pool
	DB    *sqlx.DB
	finds finds
	fits  fits

	// Room is asked before films and pictures are stored; nil: nobody watches.
	Room func(need int64) error
}

// roomFor reports whether so many bytes may be stored.
func (s *Store) roomFor(need int) error {
	if s.Room == nil {
		return nil
	}
	return s.Room(int64(need))
}

// mostConnections is how many connections one program holds.
const mostConnections = 20

// Open connects and brings the schema up to date.
func Open(ctx context.Context, url string) (*Store, error) {
	s, err := dial(ctx, url)
	if err != nil {
		return nil, err
	}
	if err := s.migrate(ctx); err != nil {
		s.Close()
		return nil, err
	}
	return s, nil
}

// dial connects to a database as it is.
func dial(ctx context.Context, url string) (*Store, error) {
	config, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, err
	}
	config.MaxConns = mostConnections
	pool, err := pgxpool.NewWithConfig(ctx, config)
	if err != nil {
		return nil, err
	}
	return &Store{Pool: pool, DB: sqlx.NewDb(stdlib.OpenDBFromPool(pool), "pgx")}, nil
}

// provider runs the migrations on a database.
func provider(db *sql.DB) (*goose.Provider, error) {
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return nil, err
	}
	return goose.NewProvider(goose.DialectPostgres, db, files)
}

// migrate brings the tables up to date. Those of a newer program are left alone.
func (s *Store) migrate(ctx context.Context) error {
	p, err := provider(s.DB.DB)
	if err != nil {
		return err
	}
	there, err := p.GetDBVersion(ctx)
	if err != nil {
		return err
	}
	if newest := newest(p); there > newest {
		return fmt.Errorf("a newer version of the program made this database (its tables are of version %d, this program knows %d): start that one; nothing was changed", there, newest)
	}
	_, err = p.Up(ctx)
	return err
}

func newest(p *goose.Provider) int64 {
	all := p.ListSources()
	return all[len(all)-1].Version
}

// NewestSchema is the version of the tables that this program makes.
func NewestSchema() (int64, error) {
	db, err := sql.Open("pgx", "")
	if err != nil {
		return 0, err
	}
	defer db.Close()
	p, err := provider(db)
	if err != nil {
		return 0, err
	}
	return newest(p), nil
}

// Migrate makes the tables of a version in a database.
func Migrate(ctx context.Context, url string, version int64) error {
	db, err := sql.Open("pgx", url)
	if err != nil {
		return err
	}
	defer db.Close()
	p, err := provider(db)
	if err != nil {
		return err
	}
	_, err = p.UpTo(ctx, version)
	return err
}

// Analyze lets the database count what it holds, after much was loaded at once.
func (s *Store) Analyze(ctx context.Context) error {
	_, err := s.DB.ExecContext(ctx, `analyze`)
	return err
}

// Close gives the connections back.
func (s *Store) Close() {
	s.DB.Close()
	s.Pool.Close()
}

// within runs f in a transaction.
func (s *Store) within(ctx context.Context, f func(*sqlx.Tx) error) error {
	tx, err := s.DB.BeginTxx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	if err := f(tx); err != nil {
		return err
	}
	return tx.Commit()
}

// notFound turns "no rows" into ErrNotFound.
func notFound(err error) error {
	if errors.Is(err, sql.ErrNoRows) || errors.Is(err, pgx.ErrNoRows) {
		return ErrNotFound
	}
	return err
}

// ErrFull is returned when the disk has no more room.
var ErrFull = errors.New("the disk is full: nothing more can be kept until clips are erased or room is made; what was acknowledged is safe")

// isDiskFull reports whether an error, of the database or of a file, means that the
// disk has no room.
func isDiskFull(err error) bool {
	var pg *pgconn.PgError
	const diskFull, outOfMemory = "53100", "53200"
	return errors.As(err, &pg) && (pg.Code == diskFull || pg.Code == outOfMemory) || errors.Is(err, syscall.ENOSPC)
}

// Plain is an error in words for the coach.
func Plain(err error) string {
	if isDiskFull(err) {
		return ErrFull.Error()
	}
	return err.Error()
}

// IsFull reports whether an error means that the disk has no room.
func IsFull(err error) bool { return isDiskFull(err) || errors.Is(err, ErrFull) }

// IsAway reports whether an error means that the database cannot be reached now.
func IsAway(err error) bool {
	var connecting *pgconn.ConnectError
	var network *net.OpError
	var pg *pgconn.PgError
	const shutdown, crashed, starting = "57P01", "57P02", "57P03"
	return errors.As(err, &connecting) || errors.As(err, &network) || errors.Is(err, io.ErrUnexpectedEOF) ||
		errors.As(err, &pg) && (pg.Code == shutdown || pg.Code == crashed || pg.Code == starting)
}

// isUniqueViolation reports whether something has that id or name already.
func isUniqueViolation(err error) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && pg.Code == "23505"
}

// NewID makes an id for what the server itself creates.
func NewID() uuid.UUID { return uuid.Must(uuid.NewV7()) }
