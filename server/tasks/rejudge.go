package tasks

import (
	"context"
	"errors"

	"neokinema/server/analysis"
	"neokinema/server/store"
)

// rejudger reads an event's attempts anew after its playbook was changed.
type rejudger struct{ analysis analysis.Service }

// atOnce is how many attempts are read before the progress is written down.
const atOnce = 25

func (w rejudger) rejudge(ctx context.Context, r *run) error {
	s := w.analysis.Store
	j, err := s.Rejudging(ctx, r.Task)
	if err != nil {
		return err
	}
	for {
		ids, err := s.RejudgeNext(ctx, j, atOnce)
		if err != nil || len(ids) == 0 {
			return err
		}
		for _, id := range ids {
			b, err := s.Bench(ctx, *r.AccountID, id)
			if err == nil {
				_, err = w.analysis.ReadingJSON(ctx, *r.AccountID, b)
			}
			var bad store.Invalid
			if err != nil && !errors.Is(err, store.ErrNotFound) && !errors.As(err, &bad) {
				return err
			}
		}
		ours, err := s.RejudgeProgress(ctx, &j, r.worker, ids)
		if err != nil {
			return err
		}
		if !ours {
			return errNotOurs
		}
	}
}
