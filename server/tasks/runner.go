package tasks

import (
	"context"
	"errors"
	"time"

	"github.com/google/uuid"
	"github.com/riverqueue/river"

	"neokinema/server/store"
)

type taskArgs struct {
	Task  uuid.UUID `json:"task"`
	Epoch int       `json:"epoch"`
}

func (taskArgs) Kind() string { return "task" }

// work does a task. A failed says, in a sentence, why it never will be done; any
// other error is tried again.
type work func(ctx context.Context, r *run) error

// failed is why a task ends for good.
type failed string

func (f failed) Error() string { return string(f) }

// errNotOurs ends the work on a task that was cancelled or taken over.
var errNotOurs = errors.New("this task is not ours any more")

// errBusy puts off a task whose subject somebody else is at work on.
var errBusy = errors.New("somebody else is at work on this")

// run is one worker's run of a task.
type run struct {
	store.Task
	worker  uuid.UUID
	attempt int // the first is 1
	store   *store.Store
}

// last reports whether an error now ends the task.
func (r *run) last() bool { return r.attempt >= patience }

// progress notes how far the run has come.
func (r *run) progress(ctx context.Context, done, total int) error {
	ours, err := r.store.TaskProgress(ctx, r.ID, r.worker, done, total)
	if err == nil && !ours {
		err = errNotOurs
	}
	return err
}

// runner runs tasks of all kinds.
type runner struct {
	river.WorkerDefaults[taskArgs]
	store   *store.Store
	enqueue store.Enqueue
	work    map[string]work
}

func (*runner) Timeout(*river.Job[taskArgs]) time.Duration { return limit }

// Work claims a task, does it while its heart beats, and closes it.
func (w *runner) Work(ctx context.Context, job *river.Job[taskArgs]) error {
	t, err := w.store.TaskForWorker(ctx, job.Args.Task)
	if errors.Is(err, store.ErrNotFound) {
		return river.JobCancel(err)
	}
	if err != nil {
		return err
	}
	r := &run{Task: t, worker: uuid.New(), attempt: job.Attempt, store: w.store}
	ours, err := w.store.ClaimTask(ctx, t.ID, job.Args.Epoch, r.worker)
	if err != nil || !ours {
		return err
	}
	working, stop := context.WithCancelCause(ctx)
	beating := make(chan struct{})
	go func() {
		defer close(beating)
		w.beat(working, r, stop)
	}()
	err = w.work[t.Kind](working, r)
	if cause := context.Cause(working); errors.Is(cause, errNotOurs) {
		err = cause
	}
	stop(nil)
	<-beating
	return w.close(context.WithoutCancel(ctx), ctx.Err(), r, err)
}

// beat shows that a run is alive until ctx ends, and stops it when it is not wanted
// any more.
func (w *runner) beat(ctx context.Context, r *run, stop context.CancelCauseFunc) {
	tick := time.NewTicker(beat)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		if ours, err := w.store.Heartbeat(ctx, r.ID, r.worker); err == nil && !ours {
			stop(errNotOurs)
			return
		}
	}
}

// close ends a run: done, failed, given back to go on at the next start, or to be
// tried again.
func (w *runner) close(ctx context.Context, stopped error, r *run, err error) error {
	var message failed
	switch {
	case err == nil:
		return w.store.EndTask(ctx, r.ID, r.worker, store.TaskDone, "")
	case errors.Is(err, errNotOurs):
		return nil
	case errors.Is(err, store.ErrNotFound): // what it was about was taken off
		return w.store.EndTask(ctx, r.ID, r.worker, store.TaskCancelled, "")
	case errors.Is(err, errBusy):
		if err := w.store.ReleaseTask(ctx, r.ID, r.worker, nil); err != nil {
			return err
		}
		return river.JobSnooze(beat)
	case errors.As(err, &message):
		return w.store.EndTask(ctx, r.ID, r.worker, store.TaskFailed, message.Error())
	case stopped != nil: // the program stops: whichever copy is there next goes on
		return errors.Join(w.store.ReleaseTask(ctx, r.ID, r.worker, w.enqueue), river.JobCancel(stopped))
	case r.last():
		return errors.Join(err, w.store.EndTask(ctx, r.ID, r.worker, store.TaskFailed, store.Plain(err)))
	}
	return errors.Join(err, w.store.ReleaseTask(ctx, r.ID, r.worker, nil))
}
