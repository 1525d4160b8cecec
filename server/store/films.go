package store

import (
	"context"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"strings"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jmoiron/sqlx"
)

// A film's bytes and its pictures lie in two tables of its own, in the schema film:
// original_ID and picture_ID. Erasing a film drops them, and its room is free at
// once; deleted rows of a common table would keep it.

const (
	originals = "film.original_"
	pictures  = "film.picture_"
)

// table is one of a clip's own tables. An id in hexadecimal needs no quoting.
func table(kind string, clip uuid.UUID) string { return kind + hex.EncodeToString(clip[:]) }

// makeTable makes one of a clip's tables, empty.
func makeTable(ctx context.Context, tx *sqlx.Tx, kind string, clip uuid.UUID) error {
	_, err := tx.ExecContext(ctx, tableOf(kind, clip))
	return err
}

// tableOf is the SQL that makes one.
func tableOf(kind string, clip uuid.UUID) string {
	columns, bytes := "number int primary key, data bytea not null", "data"
	if kind == pictures {
		columns, bytes = "number int primary key, pts bigint not null, jpeg bytea not null", "jpeg"
	}
	name := table(kind, clip)
	// Films and JPEGs do not shrink: they are kept as they are.
	return fmt.Sprintf("drop table if exists %[1]s; create table %[1]s (%[2]s); alter table %[1]s alter column %[3]s set storage external", name, columns, bytes)
}

// MakeFilmTable makes a film's table in a transaction of a restore, by its name.
func MakeFilmTable(ctx context.Context, tx pgx.Tx, name string) error {
	kind := originals
	if strings.HasPrefix(name, pictures) {
		kind = pictures
	}
	id, err := hex.DecodeString(strings.TrimPrefix(name, kind))
	if err != nil || len(id) != len(uuid.UUID{}) {
		return fmt.Errorf("%q is no film's table", name)
	}
	_, err = tx.Exec(ctx, tableOf(kind, uuid.UUID(id)))
	return err
}

func dropTable(ctx context.Context, tx *sqlx.Tx, kind string, clip uuid.UUID) error {
	_, err := tx.ExecContext(ctx, "drop table if exists "+table(kind, clip))
	return err
}

// noTable reports whether a film's table is gone, or was never made.
func noTable(err error) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && pg.Code == "42P01"
}

// Original writes a clip's file as it came.
func (s *Store) Original(ctx context.Context, id uuid.UUID, w io.Writer) error {
	query := "select data from " + table(originals, id) + " where number = $1"
	for n := 0; ; n++ {
		var data []byte
		err := s.Pool.QueryRow(ctx, query, n).Scan(&data)
		if errors.Is(notFound(err), ErrNotFound) || noTable(err) {
			return nil
		}
		if err != nil {
			return err
		}
		if _, err := w.Write(data); err != nil {
			return err
		}
	}
}

// Frame is one decoded picture, by its number in the whole film.
type Frame struct {
	Number int
	PTS    int64
	JPEG   []byte
}

// ClearFrames makes room before a clip is decoded (again).
func (s *Store) ClearFrames(ctx context.Context, id uuid.UUID) error {
	return s.within(ctx, func(tx *sqlx.Tx) error {
		var there bool
		if err := tx.GetContext(ctx, &there, `select true from clip where id = $1 for share`, id); err != nil {
			return notFound(err)
		}
		if _, err := tx.ExecContext(ctx, `delete from body_look where clip_id = $1`, id); err != nil {
			return err
		}
		return makeTable(ctx, tx, pictures, id)
	})
}

// AddFrames stores pictures. They need not reach the disk at once: Ready, which
// opens the clip, waits until all before it has.
func (s *Store) AddFrames(ctx context.Context, id uuid.UUID, frames []Frame) error {
	need := 0
	for _, f := range frames {
		need += len(f.JPEG)
	}
	if err := s.roomFor(need); err != nil {
		return err
	}
	tx, err := s.Pool.Begin(ctx)
	if err != nil {
		return err
	}
	defer tx.Rollback(ctx)
	if _, err := tx.Exec(ctx, `set local synchronous_commit = off`); err != nil {
		return err
	}
	_, err = tx.CopyFrom(ctx, pgx.Identifier{"film", table(pictures, id)[len("film."):]}, []string{"number", "pts", "jpeg"},
		pgx.CopyFromSlice(len(frames), func(i int) ([]any, error) {
			return []any{frames[i].Number, frames[i].PTS, frames[i].JPEG}, nil
		}))
	if err != nil {
		return err
	}
	return tx.Commit(ctx)
}

// Picture is one frame's JPEG.
func (s *Store) Picture(ctx context.Context, viewer, clip uuid.UUID, number int) ([]byte, error) {
	if _, err := s.Clip(ctx, viewer, clip); err != nil {
		return nil, err
	}
	return s.PictureOf(ctx, clip, number)
}

// PictureOf is one frame's JPEG, for those who may see the clip already.
func (s *Store) PictureOf(ctx context.Context, clip uuid.UUID, number int) ([]byte, error) {
	var jpeg []byte
	err := s.Pool.QueryRow(ctx, "select jpeg from "+table(pictures, clip)+" where number = $1", number).Scan(&jpeg)
	if noTable(err) {
		return nil, ErrNotFound
	}
	return jpeg, notFound(err)
}

// freeing runs a deletion of films and then gives their room back. What cannot be
// given back at once is the sweeper's to do.
func (s *Store) freeing(ctx context.Context, f func(*sqlx.Tx) error) error {
	if err := s.within(ctx, f); err != nil {
		return err
	}
	_ = s.DropOrphans(context.WithoutCancel(ctx))
	return nil
}

// ClipIDs are those of all clips.
func (s *Store) ClipIDs(ctx context.Context) (map[uuid.UUID]bool, error) {
	var ids []uuid.UUID
	if err := s.DB.SelectContext(ctx, &ids, `select id from clip`); err != nil {
		return nil, err
	}
	out := make(map[uuid.UUID]bool, len(ids))
	for _, id := range ids {
		out[id] = true
	}
	return out, nil
}

// orphans are tables of films that are no more.
const orphans = `from pg_class c join pg_namespace n on n.oid = c.relnamespace
	where n.nspname = 'film' and c.relkind = 'r' and not exists (select from clip where replace(id::text, '-', '') = right(c.relname, 32))`

// dropAtOnce is how long dropping a film's tables may wait for who reads them.
const dropAtOnce = "2s"

// DropOrphans gives the room of erased films back. A table that is being read (by a
// backup, say) is left for the next time.
func (s *Store) DropOrphans(ctx context.Context) error {
	var names []string
	if err := s.DB.SelectContext(ctx, &names, `select c.relname::text `+orphans); err != nil {
		return err
	}
	for _, name := range names {
		err := s.within(ctx, func(tx *sqlx.Tx) error {
			if _, err := tx.ExecContext(ctx, `set local lock_timeout = '`+dropAtOnce+`'`); err != nil {
				return err
			}
			_, err := tx.ExecContext(ctx, "drop table if exists film."+pgx.Identifier{name}.Sanitize())
			return err
		})
		var pg *pgconn.PgError
		if busy := errors.As(err, &pg) && pg.Code == "55P03"; err != nil && !busy {
			return err
		}
	}
	return nil
}
