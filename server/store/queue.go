package store

import "context"

// Queue is how much background work waits.
type Queue struct {
	Waiting int     `db:"waiting"`
	Oldest  float64 `db:"oldest"` // s that the oldest has been due
}

// Queue counts the jobs that are due. It also tells whether the database answers.
func (s *Store) Queue(ctx context.Context) (Queue, error) {
	var q Queue
	return q, s.DB.GetContext(ctx, &q, `select count(*) as waiting, coalesce(extract(epoch from now() - min(scheduled_at)), 0) as oldest from river_job where state = 'available' and scheduled_at <= now()`)
}
