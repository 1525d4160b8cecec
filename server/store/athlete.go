package store

import (
	"context"

	"github.com/google/uuid"
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
	Level     string    `db:"level"`
	Notes     string    `db:"notes"`
}

// mine limits athletes (t) to those an account ($1) may see: its own, or the
// whole club's for an owner.
const mine = `exists (select from account v where v.id = $1 and v.club_id = t.club_id and (v.role = 'owner' or t.coach_id = v.id))`

const athleteColumns = `t.id, t.club_id, t.coach_id, t.name, t.sex, t.birth_year, t.height_m, t.front_leg, t.level, t.notes`

// Athletes are those an account may see, by name.
func (s *Store) Athletes(ctx context.Context, viewer uuid.UUID) ([]Athlete, error) {
	out := []Athlete{}
	err := s.DB.SelectContext(ctx, &out, `select `+athleteColumns+` from athlete t where `+mine+` order by t.name, t.id`, viewer)
	return out, err
}

// AddAthlete adds one; the same id twice is the same athlete.
func (s *Store) AddAthlete(ctx context.Context, a Athlete) error {
	if a.Name == "" {
		return invalid("an athlete needs a name")
	}
	if a.HeightM < 0.8 || a.HeightM > 2.6 {
		return invalid("a height of %.2f m is not believable: give it in metres, as in 1.74", a.HeightM)
	}
	if a.BirthYear < 1900 || a.BirthYear > 2100 {
		return invalid("%d is not a year of birth", a.BirthYear)
	}
	_, err := s.DB.NamedExecContext(ctx, `insert into athlete (id, club_id, coach_id, name, sex, birth_year, height_m, front_leg, level, notes)
		values (:id, :club_id, :coach_id, :name, :sex, :birth_year, :height_m, :front_leg, :level, :notes) on conflict (id) do nothing`, a)
	return err
}
