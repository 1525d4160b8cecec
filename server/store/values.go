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

// ValuesOverTime is one measure over an athlete's attempts at an event, the oldest
// first.
func (s *Store) ValuesOverTime(ctx context.Context, viewer, athlete uuid.UUID, event, key string) ([]ValuePoint, error) {
	out := []ValuePoint{}
	return out, s.DB.SelectContext(ctx, &out, `select v.key, v.value, v.u, p.id, e.day, p.number, p.variant from attempt p join athlete t on t.id = p.athlete_id
		join session e on e.id = p.session_id join value v on v.attempt_id = p.id and v.key = $4
		where p.athlete_id = $2 and p.event = $3 and p.other_of is null and `+visibleTo+` order by e.day, p.number, p.id`, viewer, athlete, event, key)
}

// LatestReading is the last reading that was kept of an attempt.
func (s *Store) LatestReading(ctx context.Context, attempt uuid.UUID) ([]byte, error) {
	var out []byte
	return out, notFound(s.DB.GetContext(ctx, &out, `select reading from run where attempt_id = $1 order by version desc, made desc limit 1`, attempt))
}
