package store

import (
	"context"
	"encoding/json"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
)

// AddFilming puts the filming of a simulated attempt in line; its clip gets the
// task's id. The same request twice is the same filming.
func (s *Store) AddFilming(ctx context.Context, viewer, id, attempt uuid.UUID, scene []byte, enqueue Enqueue) error {
	return s.within(ctx, func(tx *sqlx.Tx) error {
		if err := ownAttempt(ctx, tx, viewer, attempt); err != nil {
			return err
		}
		return once(ctx, tx, "filming", id, viewer, filmingOf{attempt, scene}, func() error { return addFilming(ctx, tx, viewer, id, attempt, scene, enqueue) })
	})
}

type filmingOf struct {
	Attempt uuid.UUID
	Wish    json.RawMessage
}

func addFilming(ctx context.Context, tx *sqlx.Tx, viewer, id, attempt uuid.UUID, scene []byte, enqueue Enqueue) error {
	busy, err := underWay(ctx, tx, TaskFilm, attempt)
	if err != nil {
		return err
	}
	var filmed bool
	if err := tx.GetContext(ctx, &filmed, `select exists (select from clip where attempt_id = $1)`, attempt); err != nil {
		return err
	}
	if filmed || busy {
		return invalid("this attempt already has a clip: log another attempt for another film")
	}
	return addTask(ctx, tx, Task{ID: id, Kind: TaskFilm, Subject: &attempt, AccountID: &viewer, Input: scene}, enqueue)
}

// Practice is one attempt that a coach judges by eye.
type Practice struct {
	ID       uuid.UUID
	Event    string
	Variant  string
	Faults   map[string]float64 // injected, with strength
	Athlete  []byte             // who moves, JSON
	Seed     int64
	Said     *string
	SaidAt   *float64
	Begins   *float64
	Answered *time.Time
}

// AddPractice notes what is shown; the same request twice is the same.
func (s *Store) AddPractice(ctx context.Context, viewer uuid.UUID, p Practice) error {
	faults, err := json.Marshal(p.Faults)
	if err != nil {
		return err
	}
	return s.within(ctx, func(tx *sqlx.Tx) error {
		return once(ctx, tx, "practice", p.ID, viewer, []any{p.Event, p.Variant, p.Seed}, func() error {
			_, err := tx.ExecContext(ctx, `insert into practice (id, account_id, event, variant, faults, athlete, seed) values ($1, $2, $3, $4, $5, $6, $7)`,
				p.ID, viewer, p.Event, p.Variant, faults, p.Athlete, p.Seed)
			return err
		})
	})
}

// Practice is what was shown to an account.
func (s *Store) Practice(ctx context.Context, viewer, id uuid.UUID) (Practice, error) {
	var row struct {
		Event, Variant string
		Faults         []byte
		Athlete        []byte
		Seed           int64
		Said           *string
		SaidAt         *float64   `db:"said_at"`
		Begins         *float64   `db:"begins"`
		Answered       *time.Time `db:"answered"`
	}
	err := s.DB.GetContext(ctx, &row, `select event, variant, faults, athlete, seed, said, said_at, begins, answered from practice where id = $1 and account_id = $2`, id, viewer)
	if err != nil {
		return Practice{}, notFound(err)
	}
	p := Practice{ID: id, Event: row.Event, Variant: row.Variant, Athlete: row.Athlete, Seed: row.Seed, Said: row.Said, SaidAt: row.SaidAt, Begins: row.Begins, Answered: row.Answered}
	return p, json.Unmarshal(row.Faults, &p.Faults)
}

// AnswerPractice keeps what a coach said; only the first answer counts.
func (s *Store) AnswerPractice(ctx context.Context, viewer, id uuid.UUID, said string, at, begins *float64) error {
	_, err := s.DB.ExecContext(ctx, `update practice set said = $3, said_at = $4, begins = $5, answered = now() where id = $1 and account_id = $2 and answered is null`, id, viewer, said, at, begins)
	return err
}

// Score is how often a fault of an event was shown and seen.
type Score struct {
	Event  string  `db:"event" json:"event"`
	Fault  string  `db:"fault" json:"fault"` // empty: a clean attempt
	Shown  int     `db:"shown" json:"shown"`
	Seen   int     `db:"seen" json:"seen"`
	Off    float64 `db:"off" json:"off"` // s, mean distance of the instant that was said
	OffOf  int     `db:"off_of" json:"offOf"`
	Latest string  `db:"latest" json:"latest"`
}

// Scores are an account's, by event and fault.
func (s *Store) Scores(ctx context.Context, viewer uuid.UUID) ([]Score, error) {
	out := []Score{}
	err := s.DB.SelectContext(ctx, &out, `select event, fault, count(*) as shown, count(*) filter (where said = fault) as seen,
			coalesce(avg(abs(said_at - begins)) filter (where said = fault), 0) as off, count(said_at) filter (where said = fault and begins is not null) as off_of,
			to_char(max(answered), 'YYYY-MM-DD') as latest
		from (select p.*, coalesce((select key from jsonb_each(faults) limit 1), '') as fault from practice p where account_id = $1 and answered is not null) p
		group by event, fault order by event, fault`, viewer)
	return out, err
}
