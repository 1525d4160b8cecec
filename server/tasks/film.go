package tasks

import (
	"context"
	"encoding/json"
	"errors"
	"math"
	"os"
	"path/filepath"

	"neokinema/core/breakdown"
	"neokinema/server/browser"
	"neokinema/server/disk"
	"neokinema/server/media"
	"neokinema/server/render"
	"neokinema/server/store"
)

// filmer lets the simulated camera film, and brings the clip in like one from a
// phone.
type filmer struct {
	store   *store.Store
	enqueue store.Enqueue
}

// mostFilming is how much room filming one attempt may take, bytes.
const mostFilming = 200 << 20

func (w filmer) film(ctx context.Context, r *run) error {
	err := w.filmScene(ctx, r)
	var bad store.Invalid
	var low disk.Low
	switch {
	case err == nil || ctx.Err() != nil || errors.Is(err, errNotOurs):
		return err
	case errors.As(err, &bad) || errors.As(err, &low) || errors.Is(err, browser.ErrNone):
		return failed(err.Error())
	}
	return failed("the simulated camera stopped: " + err.Error())
}

func (w filmer) filmScene(ctx context.Context, r *run) error {
	var scene render.Scene
	if err := json.Unmarshal(r.Input, &scene); err != nil {
		return err
	}
	truth, err := scene.Simulate()
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
	err = s.RenderFilm(drawing, scene, truth, file, func(done, of int) {
		if done%8 != 0 && done != of {
			return
		}
		if err := r.progress(ctx, done, of); err != nil {
			stop(err)
		}
	})
	if cause := context.Cause(drawing); cause != nil && ctx.Err() == nil {
		return cause
	}
	if err != nil {
		return err
	}
	info, err := os.Stat(file)
	if err != nil {
		return err
	}
	clip := store.Clip{ID: r.ID, AttemptID: *r.Subject, Name: "simulated-" + scene.Movement.Event + ".mp4", Bytes: info.Size()}
	if err := w.store.AddClip(ctx, *r.AccountID, clip); err != nil {
		return err
	}
	if err := w.store.ChooseTrim(ctx, *r.AccountID, r.ID, 0, math.MaxInt32, media.ShownWidth, w.enqueue); err != nil {
		return err
	}
	in, err := os.Open(file)
	if err != nil {
		return err
	}
	defer in.Close()
	if err := w.store.Receive(ctx, *r.AccountID, r.ID, 0, in, w.enqueue); err != nil {
		return err
	}
	return w.store.SetView(ctx, *r.AccountID, *r.Subject, breakdown.SetView{View: truth.View, Rightward: new(truth.Rightward())})
}
