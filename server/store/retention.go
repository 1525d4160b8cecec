package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jmoiron/sqlx"
)

// Retention is for how many months the club means to keep films; 0: nothing is said.
func (s *Store) Retention(ctx context.Context, club uuid.UUID) (int, error) {
	var months int
	return months, s.DB.GetContext(ctx, &months, `select coalesce(retention_months, 0) from club where id = $1`, club)
}

// SetRetention says it; 0 takes the rule back.
func (s *Store) SetRetention(ctx context.Context, club uuid.UUID, months int) error {
	if months < 0 || months > 240 {
		return invalid("films are kept between 1 and 240 months, or without a rule: 0")
	}
	return s.one(ctx, `update club set retention_months = nullif($2, 0) where id = $1`, club, months)
}

// KeptFilms is an athlete with films that somebody should think about.
type KeptFilms struct {
	Athlete uuid.UUID `db:"id"`
	Name    string    `db:"name"`
	Films   int       `db:"films"`
	Oldest  time.Time `db:"oldest"`
}

// FilmsPastRetention are the athletes whom an account may see with films from before a day.
func (s *Store) FilmsPastRetention(ctx context.Context, viewer uuid.UUID, before time.Time) ([]KeptFilms, error) {
	return s.keptFilms(ctx, `e.day < $2`, viewer, before)
}

// FilmsWithoutConsent are those who are under age on a day, with films and nobody's consent
// noted.
func (s *Store) FilmsWithoutConsent(ctx context.Context, viewer uuid.UUID, today time.Time) ([]KeptFilms, error) {
	return s.keptFilms(ctx, fmt.Sprintf(`t.consent_by = '' and extract(year from $2::date) - t.birth_year < %d`, ofAge), viewer, today)
}

// ofAge is the age from which on a person decides alone, by the years of birth and
// of the day; local law wins.
const ofAge = 18

func (s *Store) keptFilms(ctx context.Context, which string, viewer uuid.UUID, day time.Time) ([]KeptFilms, error) {
	out := []KeptFilms{}
	return out, s.DB.SelectContext(ctx, &out, `select t.id, t.name, count(*) as films, min(e.day) as oldest from clip c join attempt p on p.id = c.attempt_id join session e on e.id = p.session_id join athlete t on t.id = p.athlete_id
		where not c.filmless and `+which+` and `+visibleTo+` group by t.id, t.name order by min(e.day), t.name limit $3`, viewer, day, mostWaiting)
}

// HeldTable is one part of what is held of a person.
type HeldTable struct {
	Name string          // as in attempts
	Rows json.RawMessage // a list
}

// held are the parts, each with the SQL that finds it; $1 is the athlete.
var held = []struct{ name, rows string }{
	{"athlete", `select * from athlete where id = $1`},
	{"attempts", `select p.*, e.day, e.place from attempt p join session e on e.id = p.session_id where p.athlete_id = $1 order by e.day, p.number`},
	{"clips", `select id, attempt_id, name, bytes, status, codec, pictures, seconds, width, height, capture_rate, rate_source, view from clip where attempt_id in (select id from attempt where athlete_id = $1)`},
	{"stamps", `select * from stamp where attempt_id in (select id from attempt where athlete_id = $1)`},
	{"landmarks", `select * from landmark where attempt_id in (select id from attempt where athlete_id = $1)`},
	{"calibrations", `select * from calibration where attempt_id in (select id from attempt where athlete_id = $1)`},
	{"look_fors", `select * from look where attempt_id in (select id from attempt where athlete_id = $1)`},
	{"notes", `select * from note where attempt_id in (select id from attempt where athlete_id = $1)`},
	{"overruled", `select * from overrule where attempt_id in (select id from attempt where athlete_id = $1)`},
	{"focuses", `select * from focus where attempt_id in (select id from attempt where athlete_id = $1)`},
	{"assignments", `select * from assignment where attempt_id in (select id from attempt where athlete_id = $1)`},
	{"follow_ups", `select * from follow_up where attempt_id in (select id from attempt where athlete_id = $1)`},
	{"values", `select * from value where attempt_id in (select id from attempt where athlete_id = $1) order by attempt_id, key`},
	{"changes", `select id, attempt_id, version, kind, body, state, made from command where attempt_id in (select id from attempt where athlete_id = $1) order by attempt_id, version`},
	{"pain_notes", `select * from pain_note where athlete_id = $1 order by noted`},
	{"goals", `select * from goal where athlete_id = $1`},
	{"plan", `select * from plan_item where athlete_id = $1 order by day`},
	{"playbook_changes", `select id, event, patch, made from playbook_change where scope = 'athlete' and value = $1::text`},
}

// HeldOf is all that is held of an athlete but the films' bytes, in one consistent
// view.
func (s *Store) HeldOf(ctx context.Context, viewer, athlete uuid.UUID) ([]HeldTable, error) {
	if err := s.ownAthlete(ctx, viewer, athlete); err != nil {
		return nil, err
	}
	var out []HeldTable
	return out, s.within(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `set transaction isolation level repeatable read, read only`); err != nil {
			return err
		}
		for _, h := range held {
			part := HeldTable{Name: h.name}
			var rows []byte
			if err := tx.GetContext(ctx, &rows, `select coalesce(json_agg(r), '[]') from (`+h.rows+`) r`, athlete); err != nil {
				return fmt.Errorf("%s: %w", h.name, err)
			}
			part.Rows = rows
			out = append(out, part)
		}
		return nil
	})
}

// Scrub takes the bytes of erased rows off the disk: tables are written anew without
// them, and the log of changes that still holds them is let go. A table that is in
// use is left for the next time, and said.
func (s *Store) Scrub(ctx context.Context) error {
	if err := s.DropOrphans(ctx); err != nil {
		return err
	}
	var names []string
	if err := s.DB.SelectContext(ctx, &names, `select c.relname::text from pg_class c join pg_namespace n on n.oid = c.relnamespace where n.nspname = 'public' and c.relkind = 'r' and c.relname not like 'river\_%' and c.relname <> 'goose_db_version' order by 1`); err != nil {
		return err
	}
	conn, err := s.Pool.Acquire(ctx)
	if err != nil {
		return err
	}
	defer conn.Release()
	if _, err := conn.Exec(ctx, `set lock_timeout = '5s'`); err != nil {
		return err
	}
	defer conn.Exec(context.WithoutCancel(ctx), `reset lock_timeout`)
	var busy []error
	for _, name := range names {
		var bytes int
		if err := conn.QueryRow(ctx, `select pg_total_relation_size($1::regclass)`, name).Scan(&bytes); err != nil {
			return err
		}
		if err := s.roomFor(bytes); err != nil {
			return err
		}
		_, err := conn.Exec(ctx, "vacuum (full, analyze) "+pgx.Identifier{name}.Sanitize())
		var pg *pgconn.PgError
		if errors.As(err, &pg) && pg.Code == "55P03" {
			busy = append(busy, fmt.Errorf("%s is in use", name))
		} else if err != nil {
			return err
		}
	}
	if err := s.checkpoint(ctx); err != nil {
		return err
	}
	if _, err := conn.Exec(ctx, `select pg_switch_wal()`); err != nil && !notAllowed(err) {
		return err
	}
	return errors.Join(append(busy, s.checkpoint(ctx))...)
}

// checkpoint lets the database write all that it holds, and forget how it came about.
func (s *Store) checkpoint(ctx context.Context) error {
	if _, err := s.DB.ExecContext(ctx, `checkpoint`); err != nil && !notAllowed(err) {
		return err
	}
	return nil
}

// notAllowed reports whether a database of somebody else's keeps that to itself.
func notAllowed(err error) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && pg.Code == "42501"
}
