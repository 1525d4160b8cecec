package store

import (
	"context"
	"time"

	"github.com/google/uuid"
)

// Past is an earlier attempt of an athlete, with the last reading that was kept
// of it.
type Past struct {
	ID      uuid.UUID `db:"id"`
	Version int       `db:"version"`
	Reading []byte    `db:"reading"`
}

// mostBest is how many attempts an athlete's own best is made of.
const mostBest = 3

const pasts = `from attempt q join session d on d.id = q.session_id
	join lateral (select reading from run where attempt_id = q.id order by version desc, made desc limit 1) r on true
	where q.athlete_id = $1 and q.event = $2 and q.variant = $3 and q.id <> $4 and q.other_of is null`

// Before is the attempt before one, of the same athlete, event and variant, that
// was measured; nil when there is none.
func (s *Store) Before(ctx context.Context, a Attempt) (*Past, error) {
	var out []Past
	err := s.DB.SelectContext(ctx, &out, `select q.id, q.version, r.reading `+pasts+` and (d.day, q.number) < ($5, $6) order by d.day desc, q.number desc limit 1`,
		a.AthleteID, a.Event, a.Variant, a.ID, a.Day, a.Number)
	if err != nil || len(out) == 0 {
		return nil, err
	}
	return &out[0], nil
}

// Best are the athlete's measured attempts of the farthest or highest marks at an
// event and variant, another one than a.
func (s *Store) Best(ctx context.Context, a Attempt) ([]Past, error) {
	out := []Past{}
	err := s.DB.SelectContext(ctx, &out, `select q.id, q.version, r.reading `+pasts+` and q.mark is not null and q.foul = '' order by q.mark desc, q.id limit $5`,
		a.AthleteID, a.Event, a.Variant, a.ID, mostBest)
	return out, err
}

// Marked is a measured attempt of a known mark, not lost.
type Marked struct {
	Past
	Day    time.Time `db:"day"`
	Number int       `db:"number"`
	Mark   int       `db:"mark"`
}

// Marked are the attempts of an athlete at an attempt's event and variant that
// have a mark and were measured, the latest first.
func (s *Store) Marked(ctx context.Context, viewer uuid.UUID, a Attempt) ([]Marked, error) {
	out := []Marked{}
	return out, s.DB.SelectContext(ctx, &out, `select q.id, q.version, r.reading, d.day, q.number, q.mark
		from attempt q join session d on d.id = q.session_id join athlete t on t.id = q.athlete_id
		join lateral (select reading from run where attempt_id = q.id order by version desc, made desc limit 1) r on true
		where q.athlete_id = $2 and q.event = $3 and q.variant = $4 and q.other_of is null and q.mark is not null and q.foul = '' and `+mine+`
		order by d.day desc, q.number desc limit 400`, viewer, a.AthleteID, a.Event, a.Variant)
}
