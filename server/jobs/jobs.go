// Package jobs is the work that goes on in the background, kept in PostgreSQL
// so that it survives a restart: looking at clips, decoding them, following
// points on them, and filming the simulated athlete.
package jobs

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"slices"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverdatabasesql"
	"github.com/riverqueue/river/rivermigrate"
	"github.com/riverqueue/river/rivertype"

	"database/sql"

	"neokinema/core/filmcheck"
	"neokinema/core/playbook"
	"neokinema/server/analysis"
	"neokinema/server/disk"
	"neokinema/server/media"
	"neokinema/server/store"
)

// Queue runs jobs beside the server.
type Queue struct {
	client  *river.Client[*sql.Tx]
	metrics *metrics
}

// Start brings the queue's tables up to date and begins working.
func Start(ctx context.Context, s *store.Store, books map[string]playbook.Event, log *slog.Logger) (*Queue, error) {
	driver := riverdatabasesql.NewWithPgxListener(s.DB.DB, s.Pool)
	m, err := rivermigrate.New(driver, &rivermigrate.Config{Logger: log})
	if err != nil {
		return nil, err
	}
	if _, err := m.Migrate(ctx, rivermigrate.DirectionUp, nil); err != nil {
		return nil, err
	}
	metrics := newMetrics()
	workers := river.NewWorkers()
	river.AddWorker(workers, &prober{store: s, decode: insert(func(id uuid.UUID) river.JobArgs { return decodeArgs{id} })})
	river.AddWorker(workers, &filmer{store: s})
	river.AddWorker(workers, &decoder{store: s, metrics: metrics})
	river.AddWorker(workers, &follower{store: s})
	river.AddWorker(workers, &sweeper{store: s})
	river.AddWorker(workers, &scrubber{store: s})
	river.AddWorker(workers, &rejudger{desk: analysis.Service{Store: s, Playbooks: books}})
	c, err := river.NewClient(driver, &river.Config{
		Queues:               map[string]river.QueueConfig{river.QueueDefault: {MaxWorkers: 2}, filmQueue: {MaxWorkers: 1}},
		Workers:              workers,
		Logger:               log,
		Middleware:           []rivertype.Middleware{metrics.watch(log)},
		RescueStuckJobsAfter: 40 * time.Minute,
		JobTimeout:           decodeLimit,
		PeriodicJobs: []*river.PeriodicJob{river.NewPeriodicJob(river.PeriodicInterval(time.Hour),
			func() (river.JobArgs, *river.InsertOpts) { return sweepArgs{}, nil }, &river.PeriodicJobOpts{RunOnStart: true})},
	})
	if err != nil {
		return nil, err
	}
	if err := resume(ctx, s); err != nil {
		return nil, err
	}
	if err := c.Start(ctx); err != nil {
		return nil, err
	}
	return &Queue{c, metrics}, nil
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

// Stop cancels what runs, which begins again at the next start, and waits.
func (q *Queue) Stop(ctx context.Context) error { return q.client.StopAndCancel(ctx) }

// Probe puts a clip in line to be looked at, as part of the caller's
// transaction.
func (q *Queue) Probe(ctx context.Context, tx *sqlx.Tx, clip uuid.UUID) error {
	_, err := q.client.InsertTx(ctx, tx.Tx, probeArgs{clip}, nil)
	return err
}

// Decode puts a clip in line to be decoded, as part of the caller's
// transaction.
func (q *Queue) Decode(ctx context.Context, tx *sqlx.Tx, clip uuid.UUID) error {
	_, err := q.client.InsertTx(ctx, tx.Tx, decodeArgs{clip}, nil)
	return err
}

// resume puts clips in line again that a killed program left half done. A clip
// that another copy of the program is at work on is only waited for: its lock
// tells.
func resume(ctx context.Context, s *store.Store) error {
	_, err := s.DB.ExecContext(ctx, `update river_job set state = 'available', scheduled_at = now(), attempted_by = null
		where kind in ($1, $2, $3, $4, $5, $6) and state in ('running', 'retryable')`, decodeArgs{}.Kind(), probeArgs{}.Kind(), filmArgs{}.Kind(), followArgs{}.Kind(), rejudgeArgs{}.Kind(), scrubArgs{}.Kind())
	return err
}

const (
	decodeLimit = 30 * time.Minute
	busyAgain   = 5 * time.Second // until a clip is looked at that another copy decodes
	patience    = 3               // how often something unforeseen is tried
)

type probeArgs struct {
	Clip uuid.UUID `json:"clip"`
}

func (probeArgs) Kind() string { return "look" }

type decodeArgs struct {
	Clip uuid.UUID `json:"clip"`
}

func (decodeArgs) Kind() string { return "decode" }

type rejudgeArgs struct {
	Change uuid.UUID `json:"change"`
}

func (rejudgeArgs) Kind() string { return "rejudge" }

// rejudger reads an event's attempts anew after its playbook was changed.
type rejudger struct {
	river.WorkerDefaults[rejudgeArgs]
	desk analysis.Service
}

func (*rejudger) Timeout(*river.Job[rejudgeArgs]) time.Duration { return decodeLimit }

func (r *rejudger) Work(ctx context.Context, job *river.Job[rejudgeArgs]) error {
	return r.desk.RejudgeAll(ctx, job.Args.Change)
}

// Rejudge puts the reading anew after a change of a playbook in line.
func (q *Queue) Rejudge(ctx context.Context, tx *sqlx.Tx, change uuid.UUID) error {
	_, err := q.client.InsertTx(ctx, tx.Tx, rejudgeArgs{change}, nil)
	return err
}

type scrubArgs struct{}

func (scrubArgs) Kind() string { return "scrub" }

// scrubber takes the bytes of erased people off the disk.
type scrubber struct {
	river.WorkerDefaults[scrubArgs]
	store *store.Store
}

func (*scrubber) Timeout(*river.Job[scrubArgs]) time.Duration { return decodeLimit }

func (w *scrubber) Work(ctx context.Context, _ *river.Job[scrubArgs]) error {
	return w.store.Scrub(ctx)
}

// Scrub puts it in line, as part of the caller's transaction.
func (q *Queue) Scrub(ctx context.Context, tx *sqlx.Tx) error {
	_, err := q.client.InsertTx(ctx, tx.Tx, scrubArgs{}, &river.InsertOpts{Queue: filmQueue})
	return err
}

type sweepArgs struct{}

func (sweepArgs) Kind() string { return "sweep" }

// sweeper drops what nobody needs any more: uploads that nobody goes on with, films
// that were erased, requests that nobody will send again.
type sweeper struct {
	river.WorkerDefaults[sweepArgs]
	store *store.Store
}

func (w *sweeper) Work(ctx context.Context, _ *river.Job[sweepArgs]) error {
	now := time.Now()
	return errors.Join(w.store.DropAbandoned(ctx, now), w.store.ForgetCreations(ctx, now))
}

// prober finds out what a file is.
type prober struct {
	river.WorkerDefaults[probeArgs]
	store  *store.Store
	decode store.Enqueue
}

func (*prober) Timeout(*river.Job[probeArgs]) time.Duration { return decodeLimit }

func (w *prober) Work(ctx context.Context, job *river.Job[probeArgs]) error {
	return runJob(ctx, w.store, job.Args.Clip, job.Attempt, []string{"looking"}, w.probe)
}

// decoder takes a film apart.
type decoder struct {
	river.WorkerDefaults[decodeArgs]
	store   *store.Store
	metrics *metrics
}

func (*decoder) Timeout(*river.Job[decodeArgs]) time.Duration { return decodeLimit }

func (d *decoder) Work(ctx context.Context, job *river.Job[decodeArgs]) error {
	return runJob(ctx, d.store, job.Args.Clip, job.Attempt, []string{"waiting", "decoding"}, d.decode)
}

// runJob works on a clip's file, spooled into a temporary one, while nobody
// else does. A file that cannot be used fails for good, with a sentence;
// anything else is tried again.
func runJob(ctx context.Context, s *store.Store, id uuid.UUID, attempt int, states []string, work func(context.Context, store.Clip, string) error) error {
	clip, err := s.ClipForJob(ctx, id)
	if errors.Is(err, store.ErrNotFound) {
		return river.JobCancel(err)
	}
	if err != nil {
		return err
	}
	if !slices.Contains(states, clip.Status) {
		return nil
	}
	alone, err := s.WithClipLock(ctx, clip.ID, func() error {
		path, drop, err := spool(ctx, s, clip)
		if err != nil {
			return err
		}
		defer drop()
		return work(ctx, clip, path)
	})
	if err == nil && !alone {
		return river.JobSnooze(busyAgain)
	}
	if _, gone := s.ClipForJob(ctx, id); errors.Is(gone, store.ErrNotFound) {
		return river.JobCancel(gone) // taken off while it was worked on
	}
	if err == nil || ctx.Err() != nil {
		return err
	}
	var low disk.Low
	if errors.As(err, &low) || store.IsFull(err) { // a person makes room, and says to go on
		if err := s.HoldClip(ctx, clip.ID, store.Plain(err)); err != nil {
			return err
		}
		return river.JobCancel(err)
	}
	var bad media.NotAFilm
	message := "the clip could not be decoded: " + err.Error()
	switch {
	case errors.As(err, &bad):
		message = bad.Error()
	case attempt < patience:
		return err
	case clip.Pictures == 0: // never looked at: what was sent stays, and is tried on
		return errors.Join(err, s.SetMessage(ctx, clip.ID, message))
	}
	// A file that was good once, or failed for no fault of its own, stays: the
	// coach chooses again.
	keep := clip.Frames > 0 || bad == ""
	if keep {
		err = s.RevertTrim(ctx, clip.ID, message)
	} else {
		err = s.FailClip(ctx, clip.ID, message)
	}
	if err != nil {
		return err
	}
	return river.JobCancel(errors.New(message))
}

// spool writes a clip's file to a temporary one that has no name: whatever ends
// the program, nothing of it stays. Its path leads children to the open file.
func spool(ctx context.Context, s *store.Store, clip store.Clip) (path string, drop func(), err error) {
	if s.Room != nil { // the file is spooled beside what is decoded of it
		if err := s.Room(clip.Bytes); err != nil {
			return "", nil, err
		}
	}
	f, err := os.CreateTemp("", "neokinema-clip-")
	if err != nil {
		return "", nil, err
	}
	if err := errors.Join(os.Remove(f.Name()), f.Chmod(0o444)); err != nil { // without a name, only who is given it reads it
		f.Close()
		return "", nil, err
	}
	write := s.Original
	if clip.Status == "looking" {
		write = s.Spool
	}
	if err := write(ctx, clip.ID, f); err != nil {
		f.Close()
		return "", nil, err
	}
	return fmt.Sprintf("/proc/%d/fd/%d", os.Getpid(), f.Fd()), func() { f.Close() }, nil
}

func (w *prober) probe(ctx context.Context, clip store.Clip, path string) error {
	film, err := media.ProbeFile(ctx, path)
	if err != nil {
		return err
	}
	var previews []store.Preview
	err = media.Preview(ctx, path, film, func(t float64, jpeg []byte) error {
		previews = append(previews, store.Preview{At: t, JPEG: jpeg})
		return w.store.SetProgress(ctx, clip.ID, t/film.Seconds())
	})
	if err != nil {
		return err
	}
	if clip, err = w.store.ClipForJob(ctx, clip.ID); err != nil { // the part to keep may be said meanwhile
		return err
	}
	clip.Codec, clip.Pictures, clip.Seconds, clip.Width, clip.Height = film.Codec, len(film.PTS), film.Seconds(), film.Width, film.Height
	clip.BaseNum, clip.BaseDen, clip.PlaybackRate, clip.TagRate = film.BaseNum, film.BaseDen, film.Playback, film.Tag
	if clip.CutTo > film.Seconds() {
		clip.CutTo = film.Seconds()
	}
	if film.Between(clip.CutFrom, clip.CutTo) > media.MostPictures {
		clip.CutTo = 0 // the coach is asked for less
	}
	seen, err := json.Marshal(film)
	if err != nil {
		return err
	}
	return w.store.SaveProbe(ctx, clip, seen, previews, w.decode)
}

const (
	// inBatch is how many pictures are stored at once.
	inBatch = 60
	// samples is how many pictures tell how bright and sharp a film is.
	samples = 6
)

// film is what the look at a clip found, or finds now.
func (d *decoder) film(ctx context.Context, clip store.Clip, path string) (f media.Probe, err error) {
	seen, err := d.store.Film(ctx, clip.ID)
	if err != nil {
		return f, err
	}
	if seen == nil {
		return media.ProbeFile(ctx, path)
	}
	return f, json.Unmarshal(seen, &f)
}

func (d *decoder) decode(ctx context.Context, clip store.Clip, path string) error {
	f, err := d.film(ctx, clip, path)
	if err != nil {
		return err
	}
	if err := d.store.ClearFrames(ctx, clip.ID); err != nil {
		return err
	}
	begin := time.Now()
	cut := media.Trim{From: clip.CutFrom, To: clip.CutTo, Width: clip.KeptWidth}
	expected := f.Between(cut.From, cut.To)
	look := filmcheck.NewImageStats(expected / samples)
	clip.Frames = 0
	// One batch is stored while the next is decoded.
	storing, stop := context.WithCancelCause(ctx)
	defer stop(nil)
	batches, stored := make(chan []store.Frame, 1), make(chan struct{})
	go func() {
		defer close(stored)
		n := 0
		for batch := range batches {
			if err := d.store.AddFrames(storing, clip.ID, batch); err != nil {
				stop(err)
				return
			}
			n += len(batch)
			if err := d.store.SetProgress(storing, clip.ID, min(1, float64(n)/float64(expected))); err != nil {
				stop(err)
				return
			}
		}
	}()
	var held []store.Frame
	flush := func() error {
		select {
		case batches <- held:
			held = nil
			return nil
		case <-storing.Done():
			return context.Cause(storing)
		}
	}
	pts, state, err := media.Decode(ctx, path, f, cut, func(p media.Frame) error {
		if clip.Frames == 0 {
			clip.First = p.Number
		}
		if look.Samples(clip.Frames) {
			w, h, grey, err := media.Grey(p.JPEG)
			if err != nil {
				return err
			}
			look.Add(w, h, grey)
		}
		clip.Frames++
		held = append(held, store.Frame{Number: p.Number, PTS: p.PTS, JPEG: p.JPEG})
		if len(held) == inBatch {
			return flush()
		}
		return nil
	})
	if err == nil {
		err = flush()
	}
	close(batches)
	<-stored
	if err == nil {
		err = context.Cause(storing)
	}
	if err != nil {
		return err
	}
	if f.Sound {
		sound, err := media.Sound(ctx, path, f, cut)
		if errors.As(err, new(media.Unfinished)) {
			return err
		}
		if err == nil && len(sound) > 0 { // a film without its sound is a film still
			if err := d.store.KeepSound(ctx, clip.ID, media.SoundRate, sound); err != nil {
				return err
			}
		}
	}
	d.metrics.pictures.Add(float64(clip.Frames))
	d.metrics.decoding.Add(time.Since(begin).Seconds())
	clip.CaptureRate, clip.RateSource = f.Capture()
	clip.Brightness, clip.Blur = look.Brightness(), look.Blur()
	if clip.Condition, err = json.Marshal(state); err != nil {
		return err
	}
	if err := d.store.FinishDecoding(ctx, clip, pts); err != nil {
		return fmt.Errorf("open the clip: %w", err)
	}
	return nil
}
