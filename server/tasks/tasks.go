// Package tasks is the background work: probing and decoding clips, following
// points on them, filming the simulated athlete, reading attempts anew.
//
// A task lies in the store. River, a queue on PostgreSQL, says which copy of the
// program runs it and when; its jobs carry nothing but the task's id. While a
// worker runs a task it shows a heartbeat. When its program is killed the
// heartbeat falls silent, and any copy of the program puts the task in line again.
package tasks

import (
	"context"
	"database/sql"
	"log/slog"
	"runtime"
	"sync"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverdatabasesql"
	"github.com/riverqueue/river/rivermigrate"
	"github.com/riverqueue/river/rivertype"

	"neokinema/core/playbook"
	"neokinema/server/analysis"
	"neokinema/server/detect"
	"neokinema/server/store"
)

// Queue runs tasks beside the server.
type Queue struct {
	client  *river.Client[*sql.Tx]
	metrics *metrics
	stop    context.CancelFunc
	revived sync.WaitGroup
}

const (
	limit = 30 * time.Minute // a task may take
	beat  = 2 * time.Second  // between two heartbeats
	// silence is how long a worker is waited for before it is taken for dead.
	silence = 8 * time.Second
	// kept is how long tasks that are over are remembered.
	kept = 90 * 24 * time.Hour
	// patience is how often something unforeseen is tried.
	patience = 3
	// slow holds what must keep nobody else waiting: one task after the other.
	slow = "slow"
	// reading holds the finding and following of points, and the fitting of bodies: as many at a time as there
	// are processors, less the one that serves.
	reading = "reading"
)

// Start brings the queue's tables up to date and begins working. models is the
// folder of the body models.
func Start(ctx context.Context, s *store.Store, books map[string]playbook.Event, models string, log *slog.Logger) (*Queue, error) {
	driver := riverdatabasesql.NewWithPgxListener(s.DB.DB, s.Pool)
	m, err := rivermigrate.New(driver, &rivermigrate.Config{Logger: log})
	if err != nil {
		return nil, err
	}
	if _, err := m.Migrate(ctx, rivermigrate.DirectionUp, nil); err != nil {
		return nil, err
	}
	q := &Queue{metrics: newMetrics()}
	clips := clips{store: s, metrics: q.metrics, enqueue: q.Enqueue, reads: detect.Missing(models) == ""}
	r := &runner{store: s, enqueue: q.Enqueue, work: map[string]work{
		store.TaskProbe:   clips.probe,
		store.TaskDecode:  clips.decode,
		store.TaskFilm:    filmer{store: s, enqueue: q.Enqueue}.film,
		store.TaskFollow:  follower{analysis.Service{Store: s, Playbooks: books}, models}.follow,
		store.TaskFit:     fitter{analysis.Service{Store: s, Playbooks: books}}.fit,
		store.TaskRejudge: rejudger{analysis.Service{Store: s, Playbooks: books}}.rejudge,
		store.TaskScrub:   func(ctx context.Context, _ *run) error { return s.Scrub(ctx) },
	}}
	workers := river.NewWorkers()
	river.AddWorker(workers, r)
	river.AddWorker(workers, &sweeper{store: s})
	q.client, err = river.NewClient(driver, &river.Config{
		Queues:               map[string]river.QueueConfig{river.QueueDefault: {MaxWorkers: 2}, slow: {MaxWorkers: 1}, reading: {MaxWorkers: max(1, runtime.NumCPU()-1)}},
		Workers:              workers,
		Logger:               log,
		Middleware:           []rivertype.Middleware{q.metrics.watch(log)},
		RescueStuckJobsAfter: limit + 10*time.Minute,
		JobTimeout:           limit,
		PeriodicJobs: []*river.PeriodicJob{river.NewPeriodicJob(river.PeriodicInterval(time.Hour),
			func() (river.JobArgs, *river.InsertOpts) { return sweepArgs{}, nil }, &river.PeriodicJobOpts{RunOnStart: true})},
	})
	if err != nil {
		return nil, err
	}
	if err := q.client.Start(ctx); err != nil {
		return nil, err
	}
	reviving, stop := context.WithCancel(context.WithoutCancel(ctx))
	q.stop = stop
	q.revived.Go(func() { q.revive(reviving, s, log) })
	return q, nil
}

// Migrate makes the queue's tables in a database.
func Migrate(ctx context.Context, url string) error {
	db, err := sql.Open("pgx", url)
	if err != nil {
		return err
	}
	defer db.Close()
	m, err := rivermigrate.New(riverdatabasesql.New(db), nil)
	if err != nil {
		return err
	}
	_, err = m.Migrate(ctx, rivermigrate.DirectionUp, nil)
	return err
}

// Stop cancels what runs, which goes on at the next start, and waits.
func (q *Queue) Stop(ctx context.Context) error {
	q.stop()
	q.revived.Wait()
	return q.client.StopAndCancel(ctx)
}

// later is the priority of what nobody asked for; River takes 1 first.
const later = 3

// Enqueue puts a task of the store in line, as part of the caller's transaction.
func (q *Queue) Enqueue(ctx context.Context, tx *sqlx.Tx, task uuid.UUID, epoch int) error {
	var t struct {
		Kind    string `db:"kind"`
		Unasked bool   `db:"unasked"` // a reading of a film that came in
	}
	if err := tx.GetContext(ctx, &t, `select kind, (input->>'unasked') is not null as unasked from task where id = $1`, task); err != nil {
		return err
	}
	opts := &river.InsertOpts{MaxAttempts: patience}
	if t.Unasked { // what a coach waits for comes first
		opts.Priority = later
	}
	switch t.Kind {
	case store.TaskFilm, store.TaskScrub:
		opts.Queue = slow
	case store.TaskFollow, store.TaskFit:
		opts.Queue = reading
	}
	_, err := q.client.InsertTx(ctx, tx.Tx, taskArgs{task, epoch}, opts)
	return err
}

// revive looks, as long as the program runs, for tasks whose worker is gone.
func (q *Queue) revive(ctx context.Context, s *store.Store, log *slog.Logger) {
	tick := time.NewTicker(beat)
	defer tick.Stop()
	for {
		revived, err := s.ReviveTasks(ctx, silence, q.Enqueue)
		if err != nil && ctx.Err() == nil {
			log.Warn("tasks cannot be looked after", "error", err)
		}
		for _, id := range revived {
			log.Info("a task goes on", "task", id)
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

type sweepArgs struct{}

func (sweepArgs) Kind() string { return "sweep" }

// sweeper drops what nobody needs any more: uploads that nobody goes on with, films
// that were erased, requests that nobody will send again, tasks of long ago.
type sweeper struct {
	river.WorkerDefaults[sweepArgs]
	store *store.Store
}

func (w *sweeper) Work(ctx context.Context, _ *river.Job[sweepArgs]) error {
	return w.store.Sweep(ctx, time.Now(), time.Now().Add(-kept))
}
