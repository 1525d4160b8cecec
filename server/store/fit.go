package store

import (
	"bytes"
	"context"
	"encoding/gob"
	"errors"
	"sync"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"

	"neokinema/core/bodyfit"
)

// BodyFit is the latest body that was fitted to an attempt's film.
type BodyFit struct {
	Input     string // tells what it was made from
	Made      time.Time
	Movements *bodyfit.Movements
}

// fits remembers bodies that were fitted, by attempt.
type fits struct {
	mu sync.Mutex
	of map[uuid.UUID]*BodyFit
}

const mostFits = 24

// AddFit puts the fitting of a body in line; the same request twice is the same one.
// Whether the attempt can be fitted is for the caller to see.
func (s *Store) AddFit(ctx context.Context, viewer, id, attempt uuid.UUID, enqueue Enqueue) error {
	return s.within(ctx, func(tx *sqlx.Tx) error {
		return once(ctx, tx, "fit", id, viewer, attempt, func() error {
			if _, err := readBench(ctx, tx, viewer, attempt); err != nil {
				return err
			}
			busy, err := underWay(ctx, tx, TaskFit, attempt)
			if err != nil {
				return err
			}
			if busy {
				return invalid("a body is being fitted to this film already")
			}
			return addTask(ctx, tx, Task{ID: id, Kind: TaskFit, Subject: &attempt, AccountID: &viewer}, enqueue)
		})
	})
}

// FinishFit keeps what a worker fitted in the place of what was there.
func (s *Store) FinishFit(ctx context.Context, t Task, worker uuid.UUID, input string, m bodyfit.Movements) error {
	var packed bytes.Buffer
	if err := gob.NewEncoder(&packed).Encode(m); err != nil {
		return err
	}
	return s.within(ctx, func(tx *sqlx.Tx) error {
		mine, err := changedOne(tx.ExecContext(ctx, `update task set state = 'done', worker = null, ended = now(), done = total where id = $1 and worker = $2 and state = 'running'`, t.ID, worker))
		if err != nil || !mine {
			return err // cancelled meanwhile
		}
		_, err = tx.ExecContext(ctx, `insert into body_fit (attempt_id, input, movements) values ($1, $2, $3)
			on conflict (attempt_id) do update set input = excluded.input, movements = excluded.movements, made = clock_timestamp()`, t.Subject, input, packed.Bytes())
		return err
	})
}

// bodyFit is the fit of an attempt, nil without one.
func (s *Store) bodyFit(ctx context.Context, attempt uuid.UUID) (*BodyFit, error) {
	var f BodyFit
	err := notFound(s.DB.GetContext(ctx, &f, `select input, made from body_fit where attempt_id = $1`, attempt))
	if errors.Is(err, ErrNotFound) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	s.fits.mu.Lock()
	defer s.fits.mu.Unlock()
	if kept, ok := s.fits.of[attempt]; ok && kept.Input == f.Input && kept.Made.Equal(f.Made) {
		return kept, nil
	}
	var packed []byte
	if err := s.DB.GetContext(ctx, &packed, `select movements from body_fit where attempt_id = $1 and made = $2`, attempt, f.Made); err != nil {
		if err = notFound(err); errors.Is(err, ErrNotFound) { // another one has taken its place
			return nil, nil
		}
		return nil, err
	}
	if err := gob.NewDecoder(bytes.NewReader(packed)).Decode(&f.Movements); err != nil {
		return nil, err
	}
	if s.fits.of == nil || len(s.fits.of) >= mostFits {
		s.fits.of = map[uuid.UUID]*BodyFit{}
	}
	s.fits.of[attempt] = &f
	return &f, nil
}
