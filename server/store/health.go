package store

import (
	"context"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
)

// PainNote says where it hurt, and when it was cleared, and by whom.
type PainNote struct {
	ID        uuid.UUID  `db:"id"`
	AthleteID uuid.UUID  `db:"athlete_id"`
	Athlete   string     `db:"athlete"`
	Region    string     `db:"region"`
	Side      string     `db:"side"`
	Words     string     `db:"words"`
	Noted     time.Time  `db:"noted"`
	Cleared   *time.Time `db:"cleared"`
	ClearedBy string     `db:"cleared_by"`
	Version   int        `db:"version"`
}

const painColumns = `n.id, n.athlete_id, t.name as athlete, n.region, n.side, n.words, n.noted, n.cleared, n.cleared_by, n.version`

// PainNotes are those of an athlete, or with uuid.Nil of all whom an account may
// see, the open ones first; open leaves the cleared ones out.
func (s *Store) PainNotes(ctx context.Context, viewer, athlete uuid.UUID, open bool) ([]PainNote, error) {
	out := []PainNote{}
	return out, s.DB.SelectContext(ctx, &out, `select `+painColumns+` from pain_note n join athlete t on t.id = n.athlete_id
		where ($2 = '00000000-0000-0000-0000-000000000000'::uuid or t.id = $2) and (n.cleared is null or not $3) and `+visibleTo+` order by n.cleared is not null, n.noted desc, n.id limit 500`, viewer, athlete, open)
}

// KeepPain adds a pain note, or changes it when it stands at n.Version.
func (s *Store) KeepPain(ctx context.Context, viewer uuid.UUID, n PainNote) error {
	n.ClearedBy, n.Words = strings.TrimSpace(n.ClearedBy), strings.TrimSpace(n.Words)
	switch {
	case n.Cleared != nil && n.ClearedBy == "":
		return invalid("say who cleared it: a physician or a physiotherapist")
	case n.Cleared != nil && n.Cleared.Before(n.Noted):
		return invalid("it cannot be cleared before it was noted")
	case n.Cleared == nil:
		n.ClearedBy = ""
	}
	if err := s.ownAthlete(ctx, viewer, n.AthleteID); err != nil {
		return err
	}
	done, err := s.DB.ExecContext(ctx, `insert into pain_note as o (id, athlete_id, region, side, words, noted, cleared, cleared_by) values ($1, $2, $3, $4, $5, $6, $7, $8)
		on conflict (id) do update set region = excluded.region, side = excluded.side, words = excluded.words, noted = excluded.noted, cleared = excluded.cleared, cleared_by = excluded.cleared_by,
			version = o.version + ((o.region, o.side, o.words, o.noted, o.cleared, o.cleared_by) is distinct from (excluded.region, excluded.side, excluded.words, excluded.noted, excluded.cleared, excluded.cleared_by))::int
		where o.athlete_id = excluded.athlete_id and (o.version = $9 or (o.region, o.side, o.words, o.noted, o.cleared, o.cleared_by) is not distinct from (excluded.region, excluded.side, excluded.words, excluded.noted, excluded.cleared, excluded.cleared_by))`, n.ID, n.AthleteID, n.Region, n.Side, n.Words, n.Noted, n.Cleared, n.ClearedBy, n.Version)
	return changed(done, err, "this pain note was changed elsewhere in the meantime: look at the newer state, then make your change again")
}

// ErasePain erases a note that was made by mistake.
func (s *Store) ErasePain(ctx context.Context, viewer, id uuid.UUID) error {
	return s.one(ctx, `delete from pain_note n using athlete t where n.id = $2 and t.id = n.athlete_id and `+visibleTo, viewer, id)
}

// Goal is a mark or a measure's value that is to be reached by a day.
type Goal struct {
	ID        uuid.UUID `db:"id"`
	AthleteID uuid.UUID `db:"athlete_id"`
	Event     string    `db:"event"`
	Measure   string    `db:"measure"` // its key; empty: the mark
	Target    float64   `db:"target"`  // a mark's in hundredths
	By        time.Time `db:"by_day"`
}

// Goals are an athlete's, the nearest first.
func (s *Store) Goals(ctx context.Context, athlete uuid.UUID) ([]Goal, error) {
	out := []Goal{}
	return out, s.DB.SelectContext(ctx, &out, `select id, athlete_id, event, measure, target, by_day from goal where athlete_id = $1 order by by_day, made limit 50`, athlete)
}

// AddGoal sets one; the same request twice sets it once.
func (s *Store) AddGoal(ctx context.Context, viewer uuid.UUID, g Goal) error {
	if err := s.ownAthlete(ctx, viewer, g.AthleteID); err != nil {
		return err
	}
	return s.within(ctx, func(tx *sqlx.Tx) error {
		return once(ctx, tx, "goal", g.ID, viewer, g, func() error {
			_, err := tx.NamedExecContext(ctx, `insert into goal (id, athlete_id, event, measure, target, by_day) values (:id, :athlete_id, :event, :measure, :target, :by_day)`, g)
			return err
		})
	})
}

// EraseGoal takes one off.
func (s *Store) EraseGoal(ctx context.Context, viewer, id uuid.UUID) error {
	return s.one(ctx, `delete from goal g using athlete t where g.id = $2 and t.id = g.athlete_id and `+visibleTo, viewer, id)
}

// OpenPains are an athlete's notes that are not cleared.
func (s *Store) OpenPains(ctx context.Context, athlete uuid.UUID) ([]PainNote, error) {
	out := []PainNote{}
	return out, s.DB.SelectContext(ctx, &out, `select `+painColumns+` from pain_note n join athlete t on t.id = n.athlete_id where n.athlete_id = $1 and n.cleared is null order by n.noted`, athlete)
}
