package store

import (
	"context"
	"time"

	"github.com/google/uuid"
)

// EarlierReading is an earlier attempt of an athlete, with the last reading that was kept
// of it.
type EarlierReading struct {
	ID      uuid.UUID `db:"id"`
	Version int       `db:"version"`
	Reading []byte    `db:"reading"`
}

// mostBest is how many attempts an athlete's own best is made of.
const mostBest = 3

const earlierReadings = `from attempt q join session d on d.id = q.session_id
	join lateral (select reading from run where attempt_id = q.id order by version desc, made desc limit 1) r on true
	where q.athlete_id = $1 and q.event = $2 and q.variant = $3 and q.id <> $4 and q.other_of is null`

// LastReading is the attempt before one, of the same athlete, event and variant, that
// was measured; nil when there is none.
func (s *Store) LastReading(ctx context.Context, a Attempt) (*EarlierReading, error) {
	var out []EarlierReading
	err := s.DB.SelectContext(ctx, &out, `select q.id, q.version, r.reading `+earlierReadings+` and (d.day, q.number) < ($5, $6) order by d.day desc, q.number desc limit 1`,
		a.AthleteID, a.Event, a.Variant, a.ID, a.Day, a.Number)
	if err != nil || len(out) == 0 {
		return nil, err
	}
	return &out[0], nil
}

// BestReadings are the athlete's measured attempts of the farthest or highest marks at an
// event and variant, another one than a.
func (s *Store) BestReadings(ctx context.Context, a Attempt) ([]EarlierReading, error) {
	out := []EarlierReading{}
	err := s.DB.SelectContext(ctx, &out, `select q.id, q.version, r.reading `+earlierReadings+` and q.mark is not null and q.foul = '' order by q.mark desc, q.id limit $5`,
		a.AthleteID, a.Event, a.Variant, a.ID, mostBest)
	return out, err
}

// EarlierAssignment is an assignment of an earlier attempt that may be followed up, with the
// last reading that was kept of that attempt.
type EarlierAssignment struct {
	EarlierReading
	Day   time.Time `db:"day"`
	Fault string    `db:"fault"`
	Cue   string    `db:"cue"`
	Words string    `db:"words"`
}

// EarlierAssignments are the latest assignments, one a fault, that an athlete had at an event
// and variant before an attempt.
func (s *Store) EarlierAssignments(ctx context.Context, a Attempt) ([]EarlierAssignment, error) {
	out := []EarlierAssignment{}
	err := s.DB.SelectContext(ctx, &out, `select distinct on (g.fault) q.id, q.version, q.reading, q.day, g.fault, g.cue, g.words
		from assignment g join lateral (select q.id, q.version, q.number, d.day, r.reading `+earlierReadings+` and q.id = g.attempt_id) q on true
		where (q.day, q.number) < ($5, $6) order by g.fault, q.day desc, q.number desc`, a.AthleteID, a.Event, a.Variant, a.ID, a.Day, a.Number)
	return out, err
}

// CueOutcome is one line of an athlete's cue record.
type CueOutcome struct {
	Event   string `db:"event"`
	Fault   string `db:"fault"`
	Cue     string `db:"cue"`
	Outcome string `db:"outcome"`
}

// CueRecord is what cues did for an attempt's athlete at its event, the oldest
// first.
func (s *Store) CueRecord(ctx context.Context, a Attempt) ([]CueOutcome, error) {
	out := []CueOutcome{}
	return out, s.DB.SelectContext(ctx, &out, `select q.event, f.fault, f.cue, f.outcome from follow_up f join attempt q on q.id = f.attempt_id
		where q.athlete_id = $1 and q.event = $2 order by f.made, f.fault`, a.AthleteID, a.Event)
}

// ResultReading is a measured attempt of a known mark, not lost.
type ResultReading struct {
	EarlierReading
	Day    time.Time `db:"day"`
	Number int       `db:"number"`
	Mark   int       `db:"mark"`
}

// ResultReadings are the attempts of an athlete at an attempt's event and variant that
// have a mark and were measured, the latest first.
func (s *Store) ResultReadings(ctx context.Context, viewer uuid.UUID, a Attempt) ([]ResultReading, error) {
	out := []ResultReading{}
	return out, s.DB.SelectContext(ctx, &out, `select q.id, q.version, r.reading, d.day, q.number, q.mark
		from attempt q join session d on d.id = q.session_id join athlete t on t.id = q.athlete_id
		join lateral (select reading from run where attempt_id = q.id order by version desc, made desc limit 1) r on true
		where q.athlete_id = $2 and q.event = $3 and q.variant = $4 and q.other_of is null and q.mark is not null and q.foul = '' and `+visibleTo+`
		order by d.day desc, q.number desc limit 400`, viewer, a.AthleteID, a.Event, a.Variant)
}
