package store

import (
	"context"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
)

// PlanItem is one thing to do on a day.
type PlanItem struct {
	ID        uuid.UUID  `db:"id"`
	AthleteID uuid.UUID  `db:"athlete_id"`
	Athlete   string     `db:"athlete"`
	AttemptID *uuid.UUID `db:"attempt_id"` // that had the assignment
	Fault     string     `db:"fault"`
	Day       time.Time  `db:"day"`
	Kind      string     `db:"kind"`
	Words     string     `db:"words"`
	Dose      string     `db:"dose"`
	Intensity string     `db:"intensity"`
	State     string     `db:"state"`
	Version   int        `db:"version"`
}

const planColumns = `i.id, i.athlete_id, t.name as athlete, i.attempt_id, i.fault, i.day, i.kind, i.words, i.dose, i.intensity, i.state, i.version`

// Plan are the items from one day to another, both included, of an athlete, or
// with uuid.Nil of all whom an account may see.
func (s *Store) Plan(ctx context.Context, viewer, athlete uuid.UUID, from, to time.Time) ([]PlanItem, error) {
	out := []PlanItem{}
	return out, s.DB.SelectContext(ctx, &out, `select `+planColumns+` from plan_item i join athlete t on t.id = i.athlete_id
		where ($2 = '00000000-0000-0000-0000-000000000000'::uuid or t.id = $2) and i.day between $3 and $4 and `+visibleTo+` order by i.day, t.name, i.kind, i.id limit 5000`, viewer, athlete, from, to)
}

func (i PlanItem) check() error {
	switch {
	case strings.TrimSpace(i.Words) == "":
		return invalid("say what is to be done")
	case len(i.Words) > 500 || len(i.Dose) > 200:
		return invalid("that is too long for a day's line")
	case i.Day.Year() < 2000 || i.Day.Year() > 2100:
		return invalid("%s is no day of a plan", i.Day.Format("2 January 2006"))
	}
	return nil
}

// AddPlan adds items, all or none; the same item twice is added once.
func (s *Store) AddPlan(ctx context.Context, viewer uuid.UUID, items []PlanItem) error {
	return s.within(ctx, func(tx *sqlx.Tx) error {
		for _, i := range items {
			if err := i.check(); err != nil {
				return err
			}
			err := once(ctx, tx, "line of the plan", i.ID, viewer, i, func() error {
				r, err := tx.ExecContext(ctx, `insert into plan_item (id, athlete_id, attempt_id, fault, day, kind, words, dose, intensity, state)
				select $2, t.id, (select p.id from attempt p where p.id = $4 and p.athlete_id = t.id), $5, $6, $7, $8, $9, $10, $11 from athlete t where t.id = $3 and `+visibleTo,
					viewer, i.ID, i.AthleteID, i.AttemptID, i.Fault, i.Day, i.Kind, i.Words, i.Dose, i.Intensity, i.State)
				return found(r, err)
			})
			if err != nil {
				return err
			}
		}
		return nil
	})
}

// PlanClash says that an item of a plan was changed by somebody else meanwhile.
type PlanClash struct{ Theirs PlanItem }

func (c PlanClash) Error() string {
	return "this line of the plan was changed elsewhere in the meantime: it now stands on " + c.Theirs.Day.Format("2 January") + ", " + c.Theirs.State + "; look at it, then make your change again"
}

// ChangePlan changes one item that stands at i.Version.
func (s *Store) ChangePlan(ctx context.Context, viewer uuid.UUID, i PlanItem) (PlanItem, error) {
	var out PlanItem
	if err := i.check(); err != nil {
		return out, err
	}
	return out, s.within(ctx, func(tx *sqlx.Tx) error {
		if err := tx.GetContext(ctx, &out, `select `+planColumns+` from plan_item i join athlete t on t.id = i.athlete_id where i.id = $2 and `+visibleTo+` for update of i`, viewer, i.ID); err != nil {
			return notFound(err)
		}
		if out.Version != i.Version {
			return PlanClash{out}
		}
		out.Day, out.Kind, out.Words, out.Dose, out.Intensity, out.State = i.Day, i.Kind, i.Words, i.Dose, i.Intensity, i.State
		out.Version++
		_, err := tx.NamedExecContext(ctx, `update plan_item set day = :day, kind = :kind, words = :words, dose = :dose, intensity = :intensity, state = :state, version = :version where id = :id`, out)
		return err
	})
}

// ErasePlan takes an item off.
func (s *Store) ErasePlan(ctx context.Context, viewer, id uuid.UUID) error {
	return s.one(ctx, `delete from plan_item i using athlete t where i.id = $2 and t.id = i.athlete_id and `+visibleTo, viewer, id)
}

// SeasonPhase is a part of the club's season.
type SeasonPhase struct {
	ID   uuid.UUID `db:"id"`
	Name string    `db:"name"`
	Kind string    `db:"kind"`
	From time.Time `db:"from_day"`
	To   time.Time `db:"to_day"`
}

// Phases are the club's, the earliest first.
func (s *Store) Phases(ctx context.Context, club uuid.UUID) ([]SeasonPhase, error) {
	out := []SeasonPhase{}
	return out, s.DB.SelectContext(ctx, &out, `select id, name, kind, from_day, to_day from season_phase where club_id = $1 order by from_day limit 500`, club)
}

// KeepPhase adds a phase or changes it. Phases do not overlap.
func (s *Store) KeepPhase(ctx context.Context, club uuid.UUID, p SeasonPhase) error {
	switch {
	case strings.TrimSpace(p.Name) == "":
		return invalid("give the phase a name")
	case p.To.Before(p.From):
		return invalid("a phase ends after it begins")
	}
	return s.within(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `select from club where id = $1 for update`, club); err != nil {
			return err
		}
		var over []string
		if err := tx.SelectContext(ctx, &over, `select name from season_phase where club_id = $1 and id <> $2 and from_day <= $4 and to_day >= $3`, club, p.ID, p.From, p.To); err != nil {
			return err
		}
		if len(over) > 0 {
			return invalid("these days belong to %s already: phases follow one another", over[0])
		}
		r, err := tx.ExecContext(ctx, `insert into season_phase as o (id, club_id, name, kind, from_day, to_day) values ($1, $2, $3, $4, $5, $6)
			on conflict (id) do update set name = excluded.name, kind = excluded.kind, from_day = excluded.from_day, to_day = excluded.to_day where o.club_id = excluded.club_id`, p.ID, club, p.Name, p.Kind, p.From, p.To)
		return changed(r, err, "there is no such phase")
	})
}

// ErasePhase takes a phase off.
func (s *Store) ErasePhase(ctx context.Context, club, id uuid.UUID) error {
	return s.one(ctx, `delete from season_phase where club_id = $1 and id = $2`, club, id)
}

// GivenFocus says when a focus of an athlete was first assigned.
type GivenFocus struct {
	Athlete uuid.UUID `db:"athlete_id"`
	Fault   string    `db:"fault"`
	Day     time.Time `db:"day"`
}

// GivenFocuses are those of an athlete, or with uuid.Nil of all whom an account
// may see.
func (s *Store) GivenFocuses(ctx context.Context, viewer, athlete uuid.UUID) ([]GivenFocus, error) {
	out := []GivenFocus{}
	return out, s.DB.SelectContext(ctx, &out, `select t.id as athlete_id, g.fault, min(e.day) as day from assignment g join attempt p on p.id = g.attempt_id join athlete t on t.id = p.athlete_id join session e on e.id = p.session_id
		where ($2 = '00000000-0000-0000-0000-000000000000'::uuid or t.id = $2) and `+visibleTo+` group by t.id, g.fault`, viewer, athlete)
}
