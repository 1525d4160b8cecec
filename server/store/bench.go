package store

import (
	"context"
	"crypto/sha256"
	"slices"
	"strings"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/jmoiron/sqlx"

	"neokinema/core/breakdown"
)

// Bench is all that a coach has put in on one attempt.
type Bench struct {
	breakdown.Breakdown
	Attempt    Attempt
	Athlete    Athlete
	Clip       *Clip
	Other      *uuid.UUID     // the attempt that holds the other film of the same one
	Fit        *BodyFit       // what was fitted to its film; filled in by Store.Bench
	Followed   *FollowedPaths // where followed points are; filled in by Store.Bench
	Undo, Redo string         // the kind of command that would be taken back or done again
}

// Bench reads an attempt that an account may see, in one consistent view.
func (s *Store) Bench(ctx context.Context, viewer, id uuid.UUID) (Bench, error) {
	var b Bench
	err := s.within(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `set transaction isolation level repeatable read, read only`); err != nil {
			return err
		}
		var err error
		b, err = readBench(ctx, tx, viewer, id)
		return err
	})
	if f := b.Calibration.Following; err == nil && f != nil {
		var run uuid.UUID
		if run, err = uuid.Parse(*f); err == nil {
			b.Followed, err = s.followedPoints(ctx, run)
		}
	}
	if err == nil {
		b.Fit, err = s.bodyFit(ctx, id)
	}
	return b, err
}

func readBench(ctx context.Context, tx *sqlx.Tx, viewer, id uuid.UUID) (Bench, error) {
	var b Bench
	if err := tx.GetContext(ctx, &b.Attempt, `select `+attemptColumns+` from attempt p join session e on e.id = p.session_id
		join athlete t on t.id = p.athlete_id where p.id = $2 and `+visibleTo, viewer, id); err != nil {
		return b, notFound(err)
	}
	if err := tx.GetContext(ctx, &b.Athlete, `select `+athleteColumns+` from athlete t where t.id = $1`, b.Attempt.AthleteID); err != nil {
		return b, err
	}
	var clips []Clip
	if err := tx.SelectContext(ctx, &clips, selectClip+` where attempt_id = $1`, id); err != nil {
		return b, err
	}
	if len(clips) > 0 {
		b.Clip = &clips[0]
	}
	var other []uuid.UUID
	if err := tx.SelectContext(ctx, &other, `select other_of from attempt where id = $1 and other_of is not null union all select id from attempt where other_of = $1`, id); err != nil {
		return b, err
	}
	if len(other) > 0 {
		b.Other = &other[0]
	}
	return b, b.readBreakdown(ctx, tx)
}

// digest stands for a set of rules in a key: a cue record of many lines makes their
// names longer than an index takes.
func digest(rules string) []byte {
	d := sha256.Sum256([]byte(rules))
	return d[:]
}

// SavedReading is a stored reading of an attempt's version by a set of rules.
func (s *Store) SavedReading(ctx context.Context, attempt uuid.UUID, version int, rules string) ([]byte, error) {
	var out []byte
	err := s.DB.GetContext(ctx, &out, `select reading from run where attempt_id = $1 and version = $2 and rules = $3`, attempt, version, digest(rules))
	return out, notFound(err)
}

// ReadingBefore is the last reading that was kept of an attempt before another, in the
// order in which they were made, with the version that it is of.
func (s *Store) ReadingBefore(ctx context.Context, attempt uuid.UUID, version int, rules string) (int, []byte, error) {
	var out struct {
		Version int
		Reading []byte
	}
	err := s.DB.GetContext(ctx, &out, `select version, reading from run where attempt_id = $1
		and made < (select made from run where attempt_id = $1 and version = $2 and rules = $3) order by made desc, version desc limit 1`, attempt, version, digest(rules))
	return out.Version, out.Reading, notFound(err)
}

// mostRuns is how many readings of an attempt are kept; older ones are computed
// again when somebody goes back to them.
const mostRuns = 12

// SaveReading stores a reading, and its known values, by key, in the place of those
// of the reading before. Runs never change. A run that a power cut takes is
// computed again, so nobody waits for the disk.
func (s *Store) SaveReading(ctx context.Context, attempt uuid.UUID, version int, rules string, reading []byte, known []ValueRow) error {
	slices.SortFunc(known, func(a, b ValueRow) int { return strings.Compare(a.Key, b.Key) })
	keys, values, us := make([]string, len(known)), make([]float64, len(known)), make([]float64, len(known))
	for i, k := range known {
		keys[i], values[i], us[i] = k.Key, k.Value, k.U
	}
	var b pgx.Batch
	b.Queue(`select set_config('synchronous_commit', 'off', true)`)
	b.Queue(`insert into run (attempt_id, version, rules, reading) values ($1, $2, $3, $4) on conflict do nothing`, attempt, version, digest(rules), reading)
	b.Queue(`delete from run where attempt_id = $1 and made < (select made from run where attempt_id = $1 order by made desc offset $2 limit 1)`, attempt, mostRuns)
	b.Queue(`delete from value where attempt_id = $1 and key <> all($2)`, attempt, keys)
	b.Queue(`insert into value as o (attempt_id, key, value, u) select $1, * from unnest($2::text[], $3::double precision[], $4::double precision[])
		on conflict (attempt_id, key) do update set value = excluded.value, u = excluded.u where (o.value, o.u) is distinct from (excluded.value, excluded.u)`, attempt, keys, values, us)
	return s.Pool.SendBatch(ctx, &b).Close()
}
