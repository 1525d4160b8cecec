package store

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"time"

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
	MassKg    *float64  `db:"mass_kg"`
	Para      string    `db:"para"` // class; empty: none
	Aids      string    `db:"aids"`
	Events    Events    `db:"events"`  // in the coach's order
	Schools   Schools   `db:"schools"` // the usual one, by event
	Version   int       `db:"version"`

	ConsentBy  string     `db:"consent_by"`  // who allowed that they are filmed; empty: nothing is noted
	ConsentDay *time.Time `db:"consent_day"` // and when
}

// Events are ids of events, in order.
type Events []string

// Scan reads them from a JSON list.
func (e *Events) Scan(src any) error { return scanJSON(src, e) }

// Schools are ids of schools, by event.
type Schools map[string]string

// Scan reads them from a JSON object.
func (s *Schools) Scan(src any) error { return scanJSON(src, s) }

func scanJSON(src, into any) error {
	switch v := src.(type) {
	case string:
		return json.Unmarshal([]byte(v), into)
	case []byte:
		return json.Unmarshal(v, into)
	}
	return fmt.Errorf("%T is no JSON", src)
}

// visibleTo limits athletes (t) to those an account ($1) may see: its own, or the
// whole club's for an owner.
const visibleTo = `exists (select from account v where v.id = $1 and v.club_id = t.club_id and (v.role = 'owner' or t.coach_id = v.id))`

const athleteColumns = `t.id, t.club_id, t.coach_id, t.name, t.sex, t.birth_year, t.height_m, t.front_leg, t.hand, t.takeoff_leg, t.level, t.notes, t.mass_kg, t.para, t.aids, t.version,
	(select coalesce(json_agg(event order by number), '[]') from athlete_event where athlete_id = t.id and does) as events,
	(select coalesce(json_object_agg(event, school), '{}') from athlete_event where athlete_id = t.id and school <> '') as schools, t.consent_by, t.consent_day`

// Athletes are those an account may see, by name.
func (s *Store) Athletes(ctx context.Context, viewer uuid.UUID) ([]Athlete, error) {
	out := []Athlete{}
	err := s.DB.SelectContext(ctx, &out, `select `+athleteColumns+` from athlete t where `+visibleTo+` order by t.name, t.id`, viewer)
	return out, err
}

// AddAthlete adds one to its coach's own; the same request twice adds it once.
func (s *Store) AddAthlete(ctx context.Context, a Athlete) error {
	if err := a.check(); err != nil {
		return err
	}
	a = a.sided()
	return s.within(ctx, func(tx *sqlx.Tx) error {
		return once(ctx, tx, "athlete", a.ID, a.CoachID, a, func() error {
			_, err := tx.NamedExecContext(ctx, `insert into athlete (id, club_id, coach_id, name, sex, birth_year, height_m, front_leg, hand, takeoff_leg, level, notes, mass_kg, para, aids, consent_by, consent_day)
		values (:id, :club_id, :coach_id, :name, :sex, :birth_year, :height_m, :front_leg, :hand, :takeoff_leg, :level, :notes, :mass_kg, :para, :aids, :consent_by, :consent_day)`, a)
			if err != nil {
				return err
			}
			return saveEvents(ctx, tx, a)
		})
	})
}

// saveEvents writes what an athlete does, and the usual school of each event.
func saveEvents(ctx context.Context, tx *sqlx.Tx, a Athlete) error {
	if _, err := tx.ExecContext(ctx, `delete from athlete_event where athlete_id = $1`, a.ID); err != nil {
		return err
	}
	events := slices.Clone(a.Events)
	for _, event := range slices.Sorted(maps.Keys(a.Schools)) {
		if !slices.Contains(events, event) {
			events = append(events, event)
		}
	}
	for i, event := range events {
		if _, err := tx.ExecContext(ctx, `insert into athlete_event (athlete_id, event, number, does, school) values ($1, $2, $3, $4, $5) on conflict do nothing`,
			a.ID, event, i+1, i < len(a.Events), a.Schools[event]); err != nil {
			return err
		}
	}
	return nil
}

// School is the athlete's usual school at an event; empty: none is said.
func (a Athlete) School(event string) string { return a.Schools[event] }

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
	switch {
	case a.MassKg != nil && !(*a.MassKg >= 15 && *a.MassKg <= 250):
		return invalid("a mass of %.1f kg is not believable: give it in kilograms, as in 72.5", *a.MassKg)
	case len(a.Name) > 200 || len(a.Notes) > 10000 || len(a.Para) > 40 || len(a.Aids) > 400:
		return invalid("these words are too long to be kept")
	case (a.ConsentBy == "") != (a.ConsentDay == nil):
		return invalid("say both who gave consent to be filmed, and when")
	}
	return nil
}

// ChangeAthlete changes what is known of an athlete; what was computed of their
// attempts is computed anew. One that was changed elsewhere since a.Version is
// left as it is.
func (s *Store) ChangeAthlete(ctx context.Context, viewer uuid.UUID, a Athlete) error {
	if err := a.check(); err != nil {
		return err
	}
	a = a.sided()
	return s.within(ctx, func(tx *sqlx.Tx) error {
		var version int
		if err := tx.GetContext(ctx, &version, `select t.version from athlete t where t.id = $2 and `+visibleTo+` for update`, viewer, a.ID); err != nil {
			return notFound(err)
		}
		if version != a.Version {
			return invalid("%s was changed elsewhere in the meantime: look at the newer state, then make your change again", a.Name)
		}
		_, err := tx.NamedExecContext(ctx, `update athlete set name = :name, sex = :sex, birth_year = :birth_year, height_m = :height_m, front_leg = :front_leg, level = :level, hand = :hand, takeoff_leg = :takeoff_leg,
			notes = :notes, mass_kg = :mass_kg, para = :para, aids = :aids, consent_by = :consent_by, consent_day = :consent_day, version = version + 1 where id = :id`, a)
		if err != nil {
			return err
		}
		if err := saveEvents(ctx, tx, a); err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, `with did as (select id from attempt where athlete_id = $1), gone as (delete from run where attempt_id in (select id from did)) delete from value where attempt_id in (select id from did)`, a.ID)
		return err
	})
}
