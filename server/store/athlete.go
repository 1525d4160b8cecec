package store

import (
	"context"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
)

// Athlete is somebody who is coached.
type Athlete struct {
	ID        uuid.UUID `db:"id"`
	ClubID    uuid.UUID `db:"club_id"`
	CoachID   uuid.UUID `db:"coach_id"`
	Name      string    `db:"name"`
	Sex       string    `db:"sex"`
	BirthYear int       `db:"birth_year"`
	HeightM   float64   `db:"height_m"`
	FrontLeg  string    `db:"front_leg"`
	Hand      string    `db:"hand"`        // that throws, or holds the pole on top; empty: R
	JumpLeg   string    `db:"takeoff_leg"` // empty: L
	Level     string    `db:"level"`
	Notes     string    `db:"notes"`
}

// mine limits athletes (t) to those an account ($1) may see: its own, or the
// whole club's for an owner.
const mine = `exists (select from account v where v.id = $1 and v.club_id = t.club_id and (v.role = 'owner' or t.coach_id = v.id))`

const athleteColumns = `t.id, t.club_id, t.coach_id, t.name, t.sex, t.birth_year, t.height_m, t.front_leg, t.hand, t.takeoff_leg, t.level, t.notes`

// Athletes are those an account may see, by name.
func (s *Store) Athletes(ctx context.Context, viewer uuid.UUID) ([]Athlete, error) {
	out := []Athlete{}
	err := s.DB.SelectContext(ctx, &out, `select `+athleteColumns+` from athlete t where `+mine+` order by t.name, t.id`, viewer)
	return out, err
}

// AddAthlete adds one; the same id twice is the same athlete.
func (s *Store) AddAthlete(ctx context.Context, a Athlete) error {
	if err := a.check(); err != nil {
		return err
	}
	a = a.sided()
	_, err := s.DB.NamedExecContext(ctx, `insert into athlete (id, club_id, coach_id, name, sex, birth_year, height_m, front_leg, hand, takeoff_leg, level, notes)
		values (:id, :club_id, :coach_id, :name, :sex, :birth_year, :height_m, :front_leg, :hand, :takeoff_leg, :level, :notes) on conflict (id) do nothing`, a)
	return err
}

// sided fills in the usual sides.
func (a Athlete) sided() Athlete {
	if a.Hand == "" {
		a.Hand = "R"
	}
	if a.JumpLeg == "" {
		a.JumpLeg = "L"
	}
	return a
}

func (a Athlete) check() error {
	switch {
	case a.Name == "":
		return invalid("an athlete needs a name")
	case a.HeightM < 0.8 || a.HeightM > 2.6:
		return invalid("a height of %.2f m is not believable: give it in metres, as in 1.74", a.HeightM)
	case a.BirthYear < 1900 || a.BirthYear > 2100:
		return invalid("%d is not a year of birth", a.BirthYear)
	}
	return nil
}

// ChangeAthlete changes what is known of an athlete; what was computed of their
// attempts is computed anew.
func (s *Store) ChangeAthlete(ctx context.Context, viewer uuid.UUID, a Athlete) error {
	if err := a.check(); err != nil {
		return err
	}
	a = a.sided()
	return s.within(ctx, func(tx *sqlx.Tx) error {
		var id uuid.UUID
		err := tx.GetContext(ctx, &id, `update athlete t set name = $3, sex = $4, birth_year = $5, height_m = $6, front_leg = $7, level = $8, hand = $9, takeoff_leg = $10
			where t.id = $2 and `+mine+` returning t.id`, viewer, a.ID, a.Name, a.Sex, a.BirthYear, a.HeightM, a.FrontLeg, a.Level, a.Hand, a.JumpLeg)
		if err != nil {
			return missing(err)
		}
		_, err = tx.ExecContext(ctx, `delete from run where attempt_id in (select id from attempt where athlete_id = $1)`, a.ID)
		return err
	})
}
