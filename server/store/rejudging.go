package store

import (
	"context"
	"errors"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
)

// Rejudging is the reading anew of an event's attempts that a change of its
// playbook began.
type Rejudging struct {
	Task
	ClubID uuid.UUID `db:"club_id"`
	Event  string    `db:"event"`
}

// measured are the attempts of a club at an event that there is something to read of.
const measured = `from attempt p join athlete t on t.id = p.athlete_id join clip c on c.attempt_id = p.id
	where t.club_id = $1 and p.event = $2 and c.status = 'ready' and exists (select from stamp where attempt_id = p.id)`

// Rejudging is the one of a task.
func (s *Store) Rejudging(ctx context.Context, t Task) (Rejudging, error) {
	out := Rejudging{Task: t}
	return out, notFound(s.DB.QueryRowxContext(ctx, `select club_id, event from playbook_change where id = $1`, t.Subject).Scan(&out.ClubID, &out.Event))
}

// LastRejudging is the task of an event's latest one of a viewer's club, or nil.
func (s *Store) LastRejudging(ctx context.Context, viewer uuid.UUID, event string) (*Task, error) {
	var change uuid.UUID
	err := s.DB.GetContext(ctx, &change, `select c.id from playbook_change c join task t on t.subject = c.id and t.kind = 'rejudge'
		where c.club_id = (select club_id from account where id = $1) and c.event = $2 order by t.made desc limit 1`, viewer, event)
	if errors.Is(notFound(err), ErrNotFound) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	t, err := s.LatestTask(ctx, TaskRejudge, change)
	return &t, err
}

// addRejudging puts the reading anew of an event's attempts in line; what was
// under way for it ends.
func addRejudging(ctx context.Context, tx *sqlx.Tx, club, viewer uuid.UUID, c PlaybookChange, enqueue Enqueue) error {
	_, err := tx.ExecContext(ctx, `update task set state = 'cancelled', message = 'a newer change is read for', worker = null, ended = now() where kind = 'rejudge' and state in ('waiting', 'running')
		and subject in (select id from playbook_change where club_id = $1 and event = $2)`, club, c.Event)
	if err != nil {
		return err
	}
	t := Task{Kind: TaskRejudge, Subject: &c.ID, AccountID: &viewer}
	if err := tx.GetContext(ctx, &t.Total, `select count(*) `+measured, club, c.Event); err != nil {
		return err
	}
	return addTask(ctx, tx, t, enqueue)
}

// RejudgeNext are the next attempts to read.
func (s *Store) RejudgeNext(ctx context.Context, j Rejudging, most int) ([]uuid.UUID, error) {
	out := []uuid.UUID{}
	return out, s.DB.SelectContext(ctx, &out, `select p.id `+measured+` and ($3 = '' or p.id > nullif($3, '')::uuid) order by p.id limit $4`, j.ClubID, j.Event, j.Cursor, most)
}

// RejudgeProgress notes that a worker read attempts, the last of them where it goes
// on. It reports false when the task is not its own any more.
func (s *Store) RejudgeProgress(ctx context.Context, j *Rejudging, worker uuid.UUID, ids []uuid.UUID) (bool, error) {
	j.Cursor, j.Done = ids[len(ids)-1].String(), min(j.Total, j.Done+len(ids))
	return changedOne(s.DB.ExecContext(ctx, `update task set heartbeat = now(), done = $3, cursor = $4 where id = $1 and worker = $2 and state = 'running'`, j.ID, worker, j.Done, j.Cursor))
}
