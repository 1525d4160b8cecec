package store

import (
	"context"
	"time"

	"github.com/google/uuid"
)

// ResultRow is a mark, or a lost attempt, on an athlete's page.
type ResultRow struct {
	ID      uuid.UUID `db:"id"`
	Event   string    `db:"event"`
	Variant string    `db:"variant"`
	Day     time.Time `db:"day"`
	Number  int       `db:"number"`
	Mark    *int      `db:"mark"`
	Foul    string    `db:"foul"`
	Grams   *int      `db:"implement_g"`
}

// AthleteOf is an athlete whom an account may see.
func (s *Store) AthleteOf(ctx context.Context, viewer, id uuid.UUID) (Athlete, error) {
	var a Athlete
	return a, notFound(s.DB.GetContext(ctx, &a, `select `+athleteColumns+` from athlete t where t.id = $2 and `+visibleTo, viewer, id))
}

// ResultRows are all of an athlete's marks and lost attempts, the oldest first.
func (s *Store) ResultRows(ctx context.Context, athlete uuid.UUID) ([]ResultRow, error) {
	out := []ResultRow{}
	return out, s.DB.SelectContext(ctx, &out, `select q.id, q.event, q.variant, d.day, q.number, q.mark, q.foul, q.implement_g from attempt q join session d on d.id = q.session_id
		where q.athlete_id = $1 and q.other_of is null and (q.mark is not null or q.foul <> '') order by d.day, q.number`, athlete)
}

// StandingAssignment is an assignment that stands: the latest of its fault.
type StandingAssignment struct {
	EarlierAssignment
	Event   string     `db:"event"`
	Variant string     `db:"variant"`
	Number  int        `db:"number"`
	Refilm  time.Time  `db:"refilm"`
	Closed  *time.Time `db:"closed"`
}

// OpenCue is what an athlete works on at an event, in the athlete's words.
type OpenCue struct {
	AthleteID uuid.UUID `db:"athlete_id"`
	Event     string    `db:"event"`
	Words     string    `db:"words"`
}

// OpenCues are what athletes work on: their assignments that stand and are not
// closed, in one query.
func (s *Store) OpenCues(ctx context.Context, athletes []uuid.UUID) ([]OpenCue, error) {
	out := []OpenCue{}
	return out, s.DB.SelectContext(ctx, &out, `select athlete_id, event, words from (select distinct on (q.athlete_id, q.event, q.variant, g.fault) q.athlete_id, q.event, g.fault, g.words, g.closed, d.day
			from assignment g join attempt q on q.id = g.attempt_id join session d on d.id = q.session_id
			where q.athlete_id = any($1) order by q.athlete_id, q.event, q.variant, g.fault, d.day desc, q.number desc) g
		where closed is null order by day desc, event, fault`, athletes)
}

// StandingAssignments are an athlete's assignments that stand, one a fault of an event and
// its variant.
func (s *Store) StandingAssignments(ctx context.Context, athlete uuid.UUID) ([]StandingAssignment, error) {
	out := []StandingAssignment{}
	return out, s.DB.SelectContext(ctx, &out, `select g.*, coalesce(r.reading, '{}') as reading from (select distinct on (q.event, q.variant, g.fault) q.id, q.version, d.day, q.event, q.variant, q.number, g.fault, g.cue, g.words, g.refilm, g.closed
			from assignment g join attempt q on q.id = g.attempt_id join session d on d.id = q.session_id
			where q.athlete_id = $1 order by q.event, q.variant, g.fault, d.day desc, q.number desc) g
		left join lateral (select reading from run where attempt_id = g.id order by version desc, made desc limit 1) r on true
		order by g.day desc, g.event, g.fault`, athlete)
}

// LaterAttempt is a measured attempt after an assignment.
type LaterAttempt struct {
	EarlierReading
	Session uuid.UUID `db:"session_id"`
}

// mostSince is how many attempts after an assignment are looked at.
const mostSince = 6

// LaterAttempts are, for each of an athlete's assignments, the latest measured
// attempts after it at the same event and variant, the oldest of them first, in one
// query.
func (s *Store) LaterAttempts(ctx context.Context, athlete uuid.UUID, of []StandingAssignment) ([][]LaterAttempt, error) {
	n := len(of)
	events, variants, ids, days, numbers := make([]string, n), make([]string, n), make([]uuid.UUID, n), make([]time.Time, n), make([]int, n)
	for i, a := range of {
		events[i], variants[i], ids[i], days[i], numbers[i] = a.Event, a.Variant, a.ID, a.Day, a.Number
	}
	var rows []struct {
		LaterAttempt
		Of int `db:"of"`
	}
	err := s.DB.SelectContext(ctx, &rows, `select a.n as of, l.id, l.version, l.reading, l.session_id
		from unnest($2::text[], $3::text[], $4::uuid[], $5::date[], $6::int[]) with ordinality as a(event, variant, id, day, number, n),
		lateral (select q.id, q.version, r.reading, q.session_id, d.day, q.number from attempt q join session d on d.id = q.session_id
			join lateral (select reading from run where attempt_id = q.id order by version desc, made desc limit 1) r on true
			where q.athlete_id = $1 and q.event = a.event and q.variant = a.variant and q.id <> a.id and q.other_of is null and (d.day, q.number) > (a.day, a.number)
			order by d.day desc, q.number desc limit $7) l
		order by a.n, l.day, l.number`, athlete, events, variants, ids, days, numbers, mostSince)
	out := make([][]LaterAttempt, n)
	for _, r := range rows {
		out[r.Of-1] = append(out[r.Of-1], r.LaterAttempt)
	}
	return out, err
}

// FullCueRecord is an athlete's whole cue record, the oldest first.
func (s *Store) FullCueRecord(ctx context.Context, athlete uuid.UUID) ([]CueOutcome, error) {
	out := []CueOutcome{}
	return out, s.DB.SelectContext(ctx, &out, `select q.event, f.fault, f.cue, f.outcome from follow_up f join attempt q on q.id = f.attempt_id where q.athlete_id = $1 order by f.made, f.fault`, athlete)
}

// LoadEntry is an attempt as it counts for load.
type LoadEntry struct {
	Day    time.Time `db:"day"`
	Event  string    `db:"event"`
	Grams  int       `db:"grams"`
	Effort int       `db:"effort"`
}

// LoadSince are an athlete's attempts since a day.
func (s *Store) LoadSince(ctx context.Context, athlete uuid.UUID, since time.Time) ([]LoadEntry, error) {
	out := []LoadEntry{}
	return out, s.DB.SelectContext(ctx, &out, `select d.day, q.event, coalesce(q.implement_g, 0) as grams, coalesce(q.effort, 0) as effort from attempt q join session d on d.id = q.session_id
		where q.athlete_id = $1 and q.other_of is null and d.day >= $2 order by d.day`, athlete, since)
}

// CountOfAthlete is how many attempts an athlete has.
func (s *Store) CountOfAthlete(ctx context.Context, athlete uuid.UUID) (int, error) {
	var n int
	return n, s.DB.GetContext(ctx, &n, `select count(*) from attempt where athlete_id = $1 and other_of is null`, athlete)
}

// StampedAttempts are an athlete's latest attempts that have stamps.
func (s *Store) StampedAttempts(ctx context.Context, viewer, athlete uuid.UUID, limit int) ([]LogRow, error) {
	out := []LogRow{}
	return out, s.DB.SelectContext(ctx, &out, `select `+loggedColumns+` from attempt p join athlete t on t.id = p.athlete_id join session e on e.id = p.session_id
		where p.athlete_id = $2 and p.other_of is null and `+visibleTo+` and exists (select from stamp where attempt_id = p.id) order by e.day desc, p.number desc limit $3`, viewer, athlete, limit)
}
