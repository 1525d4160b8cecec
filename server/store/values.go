package store

import (
	"context"
	"time"

	"github.com/google/uuid"
)

// Kept is a known value of an attempt's last reading.
type Kept struct {
	Key   string  `db:"key"`
	Value float64 `db:"value"`
	U     float64 `db:"u"`
}

// KeptKey is a measure that some of an athlete's attempts have.
type KeptKey struct {
	Event   string `db:"event"`
	Variant string `db:"variant"`
	Key     string `db:"key"`
	N       int    `db:"n"`
}

// KeptKeys are the measures of an athlete's attempts, and how many have them.
func (s *Store) KeptKeys(ctx context.Context, athlete uuid.UUID) ([]KeptKey, error) {
	out := []KeptKey{}
	return out, s.DB.SelectContext(ctx, &out, `select p.event, min(p.variant) as variant, v.key, count(*) as n from attempt p join value v on v.attempt_id = p.id
		where p.athlete_id = $1 and p.other_of is null group by p.event, v.key order by p.event, v.key`, athlete)
}

// KeptPoint is a measure of one attempt.
type KeptPoint struct {
	Kept
	Attempt uuid.UUID `db:"id"`
	Day     time.Time `db:"day"`
	Number  int       `db:"number"`
	Variant string    `db:"variant"`
}

// KeptOver is one measure over an athlete's attempts at an event, the oldest
// first.
func (s *Store) KeptOver(ctx context.Context, viewer, athlete uuid.UUID, event, key string) ([]KeptPoint, error) {
	out := []KeptPoint{}
	return out, s.DB.SelectContext(ctx, &out, `select v.key, v.value, v.u, p.id, e.day, p.number, p.variant from attempt p join athlete t on t.id = p.athlete_id
		join session e on e.id = p.session_id join value v on v.attempt_id = p.id and v.key = $4
		where p.athlete_id = $2 and p.event = $3 and p.other_of is null and `+mine+` order by e.day, p.number, p.id`, viewer, athlete, event, key)
}

// LatestRun is the last reading that was kept of an attempt.
func (s *Store) LatestRun(ctx context.Context, attempt uuid.UUID) ([]byte, error) {
	var out []byte
	return out, missing(s.DB.GetContext(ctx, &out, `select reading from run where attempt_id = $1 order by version desc, made desc limit 1`, attempt))
}
