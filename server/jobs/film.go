package jobs

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"os"
	"path/filepath"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
	"github.com/riverqueue/river"

	"neokinema/server/browser"
	"neokinema/server/disk"
	"neokinema/server/media"
	"neokinema/server/render"
	"neokinema/server/store"
)

type filmArgs struct {
	Filming uuid.UUID `json:"filming"`
}

func (filmArgs) Kind() string { return "film" }

// filmQueue films one attempt after the other, and keeps nobody else waiting.
const filmQueue = "film"

func (filmArgs) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: filmQueue} }

// Film puts a filming in line, as part of the caller's transaction.
func (q *Queue) Film(ctx context.Context, tx *sqlx.Tx, filming uuid.UUID) error {
	_, err := q.client.InsertTx(ctx, tx.Tx, filmArgs{filming}, nil)
	return err
}

// filmer lets the simulated camera film, and brings the clip in like one from a
// phone.
type filmer struct {
	river.WorkerDefaults[filmArgs]
	store *store.Store
}

func (w *filmer) Work(ctx context.Context, job *river.Job[filmArgs]) error {
	f, err := w.store.FilmingForJob(ctx, job.Args.Filming)
	if errors.Is(err, store.ErrNotFound) {
		return river.JobCancel(err)
	}
	if err != nil || f.State != "waiting" && f.State != "filming" {
		return err
	}
	if err := w.film(ctx, f); err != nil {
		if ctx.Err() != nil {
			return err // again at the next start
		}
		var bad store.Invalid
		message := "the simulated camera stopped: " + err.Error()
		var low disk.Low
		if errors.As(err, &bad) || errors.As(err, &low) || errors.Is(err, browser.ErrNone) {
			message = err.Error()
		}
		return w.store.EndFilming(ctx, f.ID, "failed", message)
	}
	return nil
}

// mostFilming is how much room filming one attempt may take, bytes.
const mostFilming = 200 << 20

// errUnwanted ends the drawing of a film that was cancelled.
var errUnwanted = errors.New("cancelled")

func (w *filmer) film(ctx context.Context, f store.Filming) error {
	var order render.Scene
	if err := json.Unmarshal(f.Wish, &order); err != nil {
		return err
	}
	truth, err := order.Simulate()
	if err != nil {
		return err
	}
	if w.store.Room != nil {
		if err := w.store.Room(mostFilming); err != nil {
			return err
		}
	}
	s, err := render.Open()
	if err != nil {
		return err
	}
	defer s.Close()
	folder, err := os.MkdirTemp("", "neokinema-film-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	file := filepath.Join(folder, "film.mp4")
	drawing, stop := context.WithCancelCause(ctx)
	defer stop(nil)
	err = s.RenderFilm(drawing, order, truth, file, func(done, of int) {
		if done%8 != 0 && done != of {
			return
		}
		if wanted, err := w.store.FilmingProgress(ctx, f.ID, done, of); err != nil || !wanted {
			stop(errUnwanted)
		}
	})
	if context.Cause(drawing) == errUnwanted {
		return nil
	}
	if err != nil {
		return err
	}
	info, err := os.Stat(file)
	if err != nil {
		return err
	}
	clip := store.Clip{ID: f.ID, AttemptID: f.AttemptID, Name: "simulated-" + order.Movement.Event + ".mp4", Bytes: info.Size()}
	if err := w.store.AddClip(ctx, f.AccountID, clip); err != nil {
		return err
	}
	if err := w.store.ChooseTrim(ctx, f.AccountID, f.ID, 0, math.MaxInt32, media.ShownWidth, insert(func(id uuid.UUID) river.JobArgs { return decodeArgs{id} })); err != nil {
		return err
	}
	in, err := os.Open(file)
	if err != nil {
		return err
	}
	defer in.Close()
	if err := w.store.Receive(ctx, f.AccountID, f.ID, 0, in, insert(func(id uuid.UUID) river.JobArgs { return probeArgs{id} })); err != nil {
		return err
	}
	b, err := w.store.Bench(ctx, f.AccountID, f.AttemptID)
	if err != nil {
		return err
	}
	_, err = w.store.Execute(ctx, f.AccountID, f.AttemptID, store.Command{ID: store.NewID(), Version: b.Attempt.Version, Kind: "view", View: truth.View, Rightward: new(truth.Rightward())})
	if err != nil {
		return fmt.Errorf("say the view: %w", err)
	}
	return w.store.EndFilming(ctx, f.ID, "done", "")
}

// insert puts another job in line from within a job.
func insert(args func(id uuid.UUID) river.JobArgs) store.Enqueue {
	return func(ctx context.Context, tx *sqlx.Tx, id uuid.UUID) error {
		_, err := river.ClientFromContext[*sql.Tx](ctx).InsertTx(ctx, tx.Tx, args(id), nil)
		return err
	}
}
