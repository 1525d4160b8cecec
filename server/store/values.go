package store

import (
	"context"
	"time"

	"github.com/google/uuid"
)

// ValueRow is a known value of an attempt's last reading.
type ValueRow struct {
	Key   string  `db:"key"`
	Value float64 `db:"value"`
	U     float64 `db:"u"`
}

// ValueKey is a measure that some of an athlete's attempts have.
type ValueKey struct {
	Event   string `db:"event"`
	Variant string `db:"variant"`
	Key     string `db:"key"`
	N       int    `db:"n"`
}

// ValueKeys are the measures of an athlete's attempts, and how many have them.
func (s *Store) ValueKeys(ctx context.Context, athlete uuid.UUID) ([]ValueKey, error) {
	out := []ValueKey{}
	return out, s.DB.SelectContext(ctx, &out, `select p.event, min(p.variant) as variant, v.key, count(*) as n from attempt p join value v on v.attempt_id = p.id
		where p.athlete_id = $1 and p.other_of is null group by p.event, v.key order by p.event, v.key`, athlete)
}

// ValuePoint is a measure of one attempt.
type ValuePoint struct {
	ValueRow
	Attempt uuid.UUID `db:"id"`
	Day     time.Time `db:"day"`
	Number  int       `db:"number"`
	Variant string    `db:"variant"`
}

// EventKey names a measure of an event.
type EventKey struct{ Event, Key string }

// ValuesOverTime are measures over an athlete's attempts, each the oldest first, in
// one query.
func (s *Store) ValuesOverTime(ctx context.Context, viewer, athlete uuid.UUID, of []EventKey) (map[EventKey][]ValuePoint, error) {
	events, keys := make([]string, len(of)), make([]string, len(of))
	for i, k := range of {
		events[i], keys[i] = k.Event, k.Key
	}
	var rows []struct {
		ValuePoint
		Event string `db:"event"`
	}
	err := s.DB.SelectContext(ctx, &rows, `select p.event, v.key, v.value, v.u, p.id, e.day, p.number, p.variant from attempt p join athlete t on t.id = p.athlete_id
		join session e on e.id = p.session_id join value v on v.attempt_id = p.id
		join (select distinct * from unnest($3::text[], $4::text[])) as wanted(event, key) on wanted.event = p.event and wanted.key = v.key
		where p.athlete_id = $2 and p.other_of is null and `+visibleTo+` order by e.day, p.number, p.id`, viewer, athlete, events, keys)
	out := map[EventKey][]ValuePoint{}
	for _, r := range rows {
		k := EventKey{r.Event, r.Key}
		out[k] = append(out[k], r.ValuePoint)
	}
	return out, err
}

// LatestReadings are the last readings that were kept of attempts, with the version
// that each is of, in one query. An attempt without one is left out.
func (s *Store) LatestReadings(ctx context.Context, attempts []uuid.UUID) (map[uuid.UUID]EarlierReading, error) {
	var rows []EarlierReading
	err := s.DB.SelectContext(ctx, &rows, `select distinct on (attempt_id) attempt_id as id, version, reading from run where attempt_id = any($1) order by attempt_id, version desc, made desc`, attempts)
	out := make(map[uuid.UUID]EarlierReading, len(rows))
	for _, r := range rows {
		out[r.ID] = r
	}
	return out, err
}

// LatestReading is the last reading that was kept of an attempt.
func (s *Store) LatestReading(ctx context.Context, attempt uuid.UUID) ([]byte, error) {
	var out []byte
	return out, notFound(s.DB.GetContext(ctx, &out, `select reading from run where attempt_id = $1 order by version desc, made desc limit 1`, attempt))
}
