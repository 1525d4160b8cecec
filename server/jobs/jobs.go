// Package jobs is the work that goes on in the background, kept in PostgreSQL
// so that it survives a restart: decoding clips.
package jobs

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverdatabasesql"
	"github.com/riverqueue/river/rivermigrate"

	"database/sql"

	"neokinema/server/media"
	"neokinema/server/store"
)

// Queue runs jobs beside the server.
type Queue struct {
	client *river.Client[*sql.Tx]
}

// Start brings the queue's tables up to date and begins working.
func Start(ctx context.Context, s *store.Store, log *slog.Logger) (*Queue, error) {
	driver := riverdatabasesql.NewWithPgxListener(s.DB.DB, s.Pool)
	m, err := rivermigrate.New(driver, &rivermigrate.Config{Logger: log})
	if err != nil {
		return nil, err
	}
	if _, err := m.Migrate(ctx, rivermigrate.DirectionUp, nil); err != nil {
		return nil, err
	}
	workers := river.NewWorkers()
	river.AddWorker(workers, &decoder{store: s})
	c, err := river.NewClient(driver, &river.Config{
		Queues:               map[string]river.QueueConfig{river.QueueDefault: {MaxWorkers: 2}},
		Workers:              workers,
		Logger:               log,
		RescueStuckJobsAfter: 40 * time.Minute,
		JobTimeout:           decodeLimit,
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
	return &Queue{c}, nil
}

// Stop cancels what runs, which begins again at the next start, and waits.
func (q *Queue) Stop(ctx context.Context) error { return q.client.StopAndCancel(ctx) }

// Decode puts a clip in line, as part of the caller's transaction.
func (q *Queue) Decode(ctx context.Context, tx *sqlx.Tx, clip uuid.UUID) error {
	_, err := q.client.InsertTx(ctx, tx.Tx, decodeArgs{clip}, nil)
	return err
}

// resume puts clips in line again that a killed program left half done. A clip
// that another copy of the program is at work on is only waited for: its lock
// tells.
func resume(ctx context.Context, s *store.Store) error {
	_, err := s.DB.ExecContext(ctx, `update river_job set state = 'available', scheduled_at = now(), attempted_by = null
		where kind = $1 and state in ('running', 'retryable')`, decodeArgs{}.Kind())
	return err
}

const (
	decodeLimit = 30 * time.Minute
	busyAgain   = 5 * time.Second // until a clip is looked at that another copy decodes
)

type decodeArgs struct {
	Clip uuid.UUID `json:"clip"`
}

func (decodeArgs) Kind() string { return "decode" }

type decoder struct {
	river.WorkerDefaults[decodeArgs]
	store *store.Store
}

func (decoder) Timeout(*river.Job[decodeArgs]) time.Duration { return decodeLimit }

// Work spools the original into a temporary file, probes and decodes it. A
// file that cannot be used fails for good, with a sentence; anything else is
// tried again.
func (d *decoder) Work(ctx context.Context, job *river.Job[decodeArgs]) error {
	clip, err := d.store.ClipForJob(ctx, job.Args.Clip)
	if errors.Is(err, store.ErrNotFound) {
		return river.JobCancel(err)
	}
	if err != nil {
		return err
	}
	if clip.Status == "ready" || clip.Status == "failed" {
		return nil
	}
	alone, err := d.store.Alone(ctx, clip.ID, func() error { return d.decode(ctx, clip) })
	if err == nil && !alone {
		return river.JobSnooze(busyAgain)
	}
	var bad media.NotAFilm
	if errors.As(err, &bad) {
		if err := d.store.Fail(ctx, clip.ID, bad.Error()); err != nil {
			return err
		}
		return river.JobCancel(bad)
	}
	if err != nil && ctx.Err() == nil && job.Attempt >= 3 {
		if err := d.store.Fail(ctx, clip.ID, "the clip could not be decoded: "+err.Error()); err != nil {
			return err
		}
		return river.JobCancel(err)
	}
	return err
}

func (d *decoder) decode(ctx context.Context, clip store.Clip) error {
	spool, err := os.CreateTemp("", "neokinema-clip-")
	if err != nil {
		return err
	}
	defer os.Remove(spool.Name())
	defer spool.Close()
	if err := d.store.Original(ctx, clip.ID, spool); err != nil {
		return err
	}
	if err := d.store.Progress(ctx, clip.ID, 0.02); err != nil {
		return err
	}
	film, err := media.Read(ctx, spool.Name())
	if err != nil {
		return err
	}
	if err := d.store.ClearFrames(ctx, clip.ID); err != nil {
		return err
	}
	const batch = 60
	var held []store.Frame
	var w, h, stored int
	flush := func() error {
		if err := d.store.AddFrames(ctx, clip.ID, stored, held); err != nil {
			return err
		}
		stored += len(held)
		held = held[:0]
		return d.store.Progress(ctx, clip.ID, 0.1+0.9*float64(stored)/float64(len(film.PTS)))
	}
	err = media.Decode(ctx, spool.Name(), len(film.PTS), func(n int, jpeg []byte) error {
		if n == 0 {
			if w, h, err = media.Size(jpeg); err != nil {
				return err
			}
		}
		if n >= len(film.PTS) {
			return media.NotAFilm("this film holds more pictures than it names: copy it from the phone again")
		}
		held = append(held, store.Frame{PTS: film.PTS[n], JPEG: jpeg})
		if len(held) == batch {
			return flush()
		}
		return nil
	})
	if err != nil {
		return err
	}
	if err := flush(); err != nil {
		return err
	}
	if clip.Width, clip.Height, err = media.OriginalSize(ctx, spool.Name(), w, h); err != nil {
		return err
	}
	clip.Frames, clip.BaseNum, clip.BaseDen = len(film.PTS), film.BaseNum, film.BaseDen
	clip.PlaybackRate, clip.TagRate = film.Playback, film.Tag
	clip.CaptureRate, clip.RateSource = film.Capture()
	if err := d.store.Ready(ctx, clip); err != nil {
		return fmt.Errorf("open the clip: %w", err)
	}
	return nil
}
