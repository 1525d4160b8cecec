package tasks

import (
	"context"
	"errors"

	"neokinema/server/analysis"
	"neokinema/server/assemble"
	"neokinema/server/store"
)

// fitter fits a body in space to an attempt's film.
type fitter struct{ analysis.Service }

func (w fitter) fit(ctx context.Context, r *run) error {
	err := quietly(func() error { return w.fitBody(ctx, r) })
	var bad store.Invalid
	switch {
	case err == nil || ctx.Err() != nil || errors.Is(err, errNotOurs) || errors.Is(err, store.ErrNotFound):
		return err
	case errors.As(err, &bad):
		return failed(bad.Error())
	}
	return failed("no body could be fitted: " + err.Error())
}

func (w fitter) fitBody(ctx context.Context, r *run) error {
	b, err := w.Store.Bench(ctx, *r.AccountID, *r.Subject)
	if err != nil {
		return err
	}
	e, _, err := w.Playbook(ctx, *r.AccountID, b)
	if err != nil {
		return err
	}
	if b.Clip == nil {
		return store.Invalid("the clip is not ready yet")
	}
	pts, err := w.Store.PTS(ctx, b.Clip.ID)
	if err != nil {
		return err
	}
	fitting, stop := context.WithCancelCause(ctx)
	defer stop(nil)
	m, input, err := assemble.Fit(fitting, e, b, pts, func(done, of int) {
		if err := r.progress(fitting, done, of); err != nil {
			stop(err)
		}
	})
	if cause := context.Cause(fitting); err != nil && cause != nil {
		return cause
	}
	if err != nil {
		return err
	}
	return w.Store.FinishFit(ctx, r.Task, r.worker, input, m)
}
