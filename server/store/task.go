package store

import (
	"context"
	"database/sql"
	"errors"
	"neokinema/core/breakdown"
	"neokinema/core/playbook"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
)

// Kinds of background work.
const (
	TaskProbe   = "probe"   // find out what a clip's file is; the subject is the clip
	TaskDecode  = "decode"  // take a clip apart into pictures; the subject is the clip
	TaskFilm    = "film"    // film a simulated attempt; the subject is the attempt
	TaskFollow  = "follow"  // follow an attempt's points; the subject is the attempt
	TaskFit     = "fit"     // fit a body in space to an attempt's film; the subject is the attempt
	TaskRejudge = "rejudge" // read an event's attempts anew; the subject is the playbook change
	TaskScrub   = "scrub"   // take the bytes of what was erased off the disk
)

// States of a task. The last three are final.
const (
	TaskWaiting   = "waiting"
	TaskRunning   = "running"
	TaskDone      = "done"
	TaskFailed    = "failed"
	TaskCancelled = "cancelled"
)

// Task is a piece of background work. One worker at a time runs it, and shows by
// its heartbeat that it is alive.
type Task struct {
	ID        uuid.UUID  `db:"id"`
	Kind      string     `db:"kind"`
	Subject   *uuid.UUID `db:"subject"`
	AccountID *uuid.UUID `db:"account_id"`
	State     string     `db:"state"`
	Done      int        `db:"done"`
	Total     int        `db:"total"` // 0: not known yet
	Message   string     `db:"message"`
	Input     []byte     `db:"input"`  // what was asked for, JSON
	Cursor    string     `db:"cursor"` // where it goes on
	Epoch     int        `db:"epoch"`  // how often it was put in line
	Made      time.Time  `db:"made"`
	Started   *time.Time `db:"started"`
	Heartbeat *time.Time `db:"heartbeat"`
}

// Enqueue puts a task in line, as part of a transaction. Only its latest epoch is
// worked on.
type Enqueue func(ctx context.Context, tx *sqlx.Tx, task uuid.UUID, epoch int) error

const taskColumns = `id, kind, subject, account_id, state, done, total, message, input, cursor, epoch, made, started, heartbeat`

// addTask notes a task and puts it in line.
func addTask(ctx context.Context, tx *sqlx.Tx, t Task, enqueue Enqueue) error {
	if t.ID == uuid.Nil {
		t.ID = NewID()
	}
	_, err := tx.NamedExecContext(ctx, `insert into task (id, kind, subject, account_id, total, input) values (:id, :kind, :subject, :account_id, :total, :input)`, t)
	if err != nil {
		return err
	}
	return enqueue(ctx, tx, t.ID, 0)
}

// addClipTask notes that a clip is to be probed or decoded.
func addClipTask(ctx context.Context, tx *sqlx.Tx, kind string, clip uuid.UUID, enqueue Enqueue) error {
	return addTask(ctx, tx, Task{Kind: kind, Subject: &clip}, enqueue)
}

// underWay reports whether a task of a kind on a subject waits or runs.
func underWay(ctx context.Context, tx *sqlx.Tx, kind string, subject uuid.UUID) (busy bool, err error) {
	return busy, tx.GetContext(ctx, &busy, `select exists (select from task where kind = $1 and subject = $2 and state in ('waiting', 'running'))`, kind, subject)
}

// Task is one that an account began, or one of an attempt that it may see.
func (s *Store) Task(ctx context.Context, viewer, id uuid.UUID) (Task, error) {
	var t Task
	return t, notFound(s.DB.GetContext(ctx, &t, `select `+taskColumns+` from task where id = $2 and (account_id = $1
		or exists (select from attempt p join athlete t on t.id = p.athlete_id where p.id = task.subject and `+visibleTo+`))`, viewer, id))
}

// TaskForWorker is a task, whoever began it.
func (s *Store) TaskForWorker(ctx context.Context, id uuid.UUID) (Task, error) {
	var t Task
	return t, notFound(s.DB.GetContext(ctx, &t, `select `+taskColumns+` from task where id = $1`, id))
}

// LatestTask is the last task of a kind on a subject; ErrNotFound without any.
func (s *Store) LatestTask(ctx context.Context, kind string, subject uuid.UUID) (Task, error) {
	var t Task
	return t, notFound(s.DB.GetContext(ctx, &t, `select `+taskColumns+` from task where kind = $1 and subject = $2 order by made desc, id desc limit 1`, kind, subject))
}

// ClaimTask gives a waiting task to a worker. It reports false when the task is
// over, runs already, or was put in line again since.
func (s *Store) ClaimTask(ctx context.Context, id uuid.UUID, epoch int, worker uuid.UUID) (bool, error) {
	r, err := s.DB.ExecContext(ctx, `update task set state = 'running', worker = $3, started = coalesce(started, now()), heartbeat = now() where id = $1 and epoch = $2 and state = 'waiting'`, id, epoch, worker)
	return changedOne(r, err)
}

// Heartbeat says that a worker is alive. It reports false when the task is not
// its own any more: somebody cancelled it, or it was taken for dead.
func (s *Store) Heartbeat(ctx context.Context, id, worker uuid.UUID) (bool, error) {
	r, err := s.DB.ExecContext(ctx, `update task set heartbeat = now() where id = $1 and worker = $2 and state = 'running'`, id, worker)
	return changedOne(r, err)
}

// TaskProgress notes how far a worker has come; it reports false as Heartbeat does.
func (s *Store) TaskProgress(ctx context.Context, id, worker uuid.UUID, done, total int) (bool, error) {
	r, err := s.DB.ExecContext(ctx, `update task set heartbeat = now(), done = $3, total = $4 where id = $1 and worker = $2 and state = 'running'`, id, worker, done, total)
	return changedOne(r, err)
}

// EndTask closes a task of a worker.
func (s *Store) EndTask(ctx context.Context, id, worker uuid.UUID, state, message string) error {
	_, err := s.DB.ExecContext(ctx, `update task set state = $3, message = $4, worker = null, ended = now(), done = case when $3 = 'done' then total else done end where id = $1 and worker = $2 and state = 'running'`, id, worker, state, message)
	return err
}

// ReleaseTask gives a task back: it waits again. With an enqueue it is put in
// line anew, for any copy of the program.
func (s *Store) ReleaseTask(ctx context.Context, id, worker uuid.UUID, enqueue Enqueue) error {
	return s.within(ctx, func(tx *sqlx.Tx) error {
		var epoch []int
		err := tx.SelectContext(ctx, &epoch, `update task set state = 'waiting', worker = null, epoch = epoch + case when $3 then 1 else 0 end where id = $1 and worker = $2 and state = 'running' returning epoch`, id, worker, enqueue != nil)
		if err != nil || len(epoch) == 0 || enqueue == nil {
			return err
		}
		return enqueue(ctx, tx, id, epoch[0])
	})
}

// ReviveTasks puts tasks in line again whose worker has not been heard of for a
// while: its program was killed.
func (s *Store) ReviveTasks(ctx context.Context, silence time.Duration, enqueue Enqueue) (revived []uuid.UUID, err error) {
	err = s.within(ctx, func(tx *sqlx.Tx) error {
		var stale []struct {
			ID    uuid.UUID
			Epoch int
		}
		err := tx.SelectContext(ctx, &stale, `update task set state = 'waiting', worker = null, epoch = epoch + 1
			where id in (select id from task where state = 'running' and heartbeat < now() - make_interval(secs => $1) for update skip locked) returning id, epoch`, silence.Seconds())
		for _, t := range stale {
			if err == nil {
				err = enqueue(ctx, tx, t.ID, t.Epoch)
			}
			revived = append(revived, t.ID)
		}
		return err
	})
	return revived, err
}

// CancelTask stops a task that is not over yet.
func (s *Store) CancelTask(ctx context.Context, viewer, id uuid.UUID) (Task, error) {
	if _, err := s.Task(ctx, viewer, id); err != nil {
		return Task{}, err
	}
	if _, err := s.DB.ExecContext(ctx, `update task set state = 'cancelled', worker = null, ended = now() where id = $1 and state in ('waiting', 'running')`, id); err != nil {
		return Task{}, err
	}
	return s.Task(ctx, viewer, id)
}

// Queue is how much background work waits.
type Queue struct {
	Waiting int     `db:"waiting"`
	Oldest  float64 `db:"oldest"` // s that the oldest has waited
}

// Queue counts the tasks that wait. It also tells whether the database answers.
func (s *Store) Queue(ctx context.Context) (Queue, error) {
	var q Queue
	return q, s.DB.GetContext(ctx, &q, `select count(*) as waiting, coalesce(extract(epoch from now() - min(made)), 0) as oldest from task where state = 'waiting'`)
}

// changedOne reports whether a statement found its row.
func changedOne(r sql.Result, err error) (bool, error) {
	if err != nil {
		return false, err
	}
	n, err := r.RowsAffected()
	return n > 0, err
}

// Sweep drops what nobody needs any more: uploads that nobody goes on with, films
// that were erased, requests that nobody will send again, tasks that ended before a
// day.
func (s *Store) Sweep(ctx context.Context, now, before time.Time) error {
	_, err := s.DB.ExecContext(ctx, `delete from task where ended < $1`, before)
	return errors.Join(s.DropAbandoned(ctx, now), s.ForgetCreations(ctx, now), err)
}

// SetView says from which side a simulated attempt was filmed.
func (s *Store) SetView(ctx context.Context, viewer, attempt uuid.UUID, v breakdown.SetView) error {
	b, err := s.Bench(ctx, viewer, attempt)
	if err != nil {
		return err
	}
	_, err = s.Execute(ctx, viewer, attempt, playbook.Event{Views: []string{v.View}}, NewCommand(b.Attempt.Version, &v))
	return err
}
