package store

import (
	"context"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
)

// Rejudging is how far the judging anew is that a change of a playbook began.
type Rejudging struct {
	ChangeID  uuid.UUID  `db:"change_id"`
	ClubID    uuid.UUID  `db:"club_id"`
	AccountID uuid.UUID  `db:"account_id"`
	Event     string     `db:"event"`
	State     string     `db:"state"` // running, done or superseded
	Done      int        `db:"done"`
	Total     int        `db:"total"`
	Last      *uuid.UUID `db:"last"`
}

const selectRejudging = `select change_id, club_id, account_id, event, state, done, total, last from rejudging`

// measured are the attempts of a club at an event that there is something to read of.
const measured = `from attempt p join athlete t on t.id = p.athlete_id join clip c on c.attempt_id = p.id
	where t.club_id = $1 and p.event = $2 and c.status = 'ready' and exists (select from stamp where attempt_id = p.id)`

// Rejudging reads how far one is.
func (s *Store) Rejudging(ctx context.Context, change uuid.UUID) (Rejudging, error) {
	var out Rejudging
	return out, notFound(s.DB.GetContext(ctx, &out, selectRejudging+` where change_id = $1`, change))
}

// LastRejudging is an event's latest one of a viewer's club, or nil.
func (s *Store) LastRejudging(ctx context.Context, viewer uuid.UUID, event string) (*Rejudging, error) {
	var out []Rejudging
	err := s.DB.SelectContext(ctx, &out, selectRejudging+` where club_id = (select club_id from account where id = $1) and event = $2 order by made desc limit 1`, viewer, event)
	if err != nil || len(out) == 0 {
		return nil, err
	}
	return &out[0], nil
}

// beginRejudging notes that an event's attempts are to be read anew; what was
// under way for it ends.
func beginRejudging(ctx context.Context, tx *sqlx.Tx, club, viewer uuid.UUID, c PlaybookChange) error {
	if _, err := tx.ExecContext(ctx, `update rejudging set state = 'superseded' where club_id = $1 and event = $2 and state = 'running'`, club, c.Event); err != nil {
		return err
	}
	_, err := tx.ExecContext(ctx, `insert into rejudging (change_id, club_id, account_id, event, total) select $3, $1, $4, $2, count(*) `+measured, club, c.Event, c.ID, viewer)
	return err
}

// RejudgeNext are the next attempts to read.
func (s *Store) RejudgeNext(ctx context.Context, j Rejudging, most int) ([]uuid.UUID, error) {
	out := []uuid.UUID{}
	return out, s.DB.SelectContext(ctx, &out, `select p.id `+measured+` and ($3::uuid is null or p.id > $3) order by p.id limit $4`, j.ClubID, j.Event, j.Last, most)
}

// RejudgeProgress notes that attempts were read; without any it is done.
func (s *Store) RejudgeProgress(ctx context.Context, j Rejudging, ids []uuid.UUID) error {
	if len(ids) == 0 {
		_, err := s.DB.ExecContext(ctx, `update rejudging set state = 'done', done = total where change_id = $1 and state = 'running'`, j.ChangeID)
		return err
	}
	_, err := s.DB.ExecContext(ctx, `update rejudging set done = least(total, done + $2), last = $3 where change_id = $1`, j.ChangeID, len(ids), ids[len(ids)-1])
	return err
}
