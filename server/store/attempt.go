package store

import (
	"context"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
)

// Attempt is one start, throw, jump or run.
type Attempt struct {
	ID        uuid.UUID `db:"id"`
	AthleteID uuid.UUID `db:"athlete_id"`
	Event     string    `db:"event"`
	School    string    `db:"school"`
	Variant   string    `db:"variant"` // how the event is done; empty: its first
	Number    int       `db:"number"`  // within its session, for the athlete; 0 when it is logged: the next
	Version   int       `db:"version"`
	Day       time.Time `db:"day"`
	Place     string    `db:"place"`

	Mark *int   `db:"mark"` // in hundredths of a metre or second
	Foul string `db:"foul"` // how it was lost; empty: it was not

	OtherOf *uuid.UUID `db:"other_of"` // the attempt of which this is the other film
}

const attemptColumns = `p.id, p.athlete_id, p.event, p.school, p.variant, p.number, p.version, p.mark, p.foul, p.other_of, e.day, e.place`

// Log notes an attempt in the session of that day and place, which it makes
// when there is none. The same request twice is the same attempt.
func (s *Store) Log(ctx context.Context, viewer uuid.UUID, a Attempt) error {
	return s.SaveLogEntry(ctx, viewer, LogEntry{Attempt: a})
}

// logAttempt adds an attempt. One without a number gets the next of its athlete's
// in the session.
func logAttempt(ctx context.Context, tx *sqlx.Tx, viewer uuid.UUID, a Attempt) error {
	if a.Place == "" {
		return invalid("say where it was: a track or a hall")
	}
	var who struct {
		Club uuid.UUID `db:"club_id"`
		Born int       `db:"birth_year"`
	}
	// Attempts of one athlete are numbered one after the other.
	if err := tx.GetContext(ctx, &who, `select t.club_id, t.birth_year from athlete t where t.id = $2 and `+visibleTo+` for update`, viewer, a.AthleteID); err != nil {
		return notFound(err)
	}
	if a.Day.Year() < who.Born {
		return invalid("%s lies before the athlete was born: look at the day again", a.Day.Format("2 January 2006"))
	}
	var session uuid.UUID
	err := tx.GetContext(ctx, &session, `insert into session (id, club_id, day, place) values ($1, $2, $3, $4)
		on conflict (club_id, day, place) do update set place = excluded.place returning id`, NewID(), who.Club, a.Day, a.Place)
	if err != nil {
		return err
	}
	if a.Number > 0 {
		var there bool
		if err := tx.GetContext(ctx, &there, `select exists (select from attempt where athlete_id = $1 and session_id = $2 and number = $3 and other_of is null)`, a.AthleteID, session, a.Number); err != nil {
			return err
		}
		if there {
			return invalid("attempt %d of that day is there already: give this one another number, or none", a.Number)
		}
	}
	_, err = tx.ExecContext(ctx, `insert into attempt (id, athlete_id, session_id, event, school, variant, number)
		select $1, $2, $3, $4, $5, $6, case when $7 > 0 then $7 else 1 + coalesce(max(number), 0) end from attempt where athlete_id = $2 and session_id = $3 and other_of is null`,
		a.ID, a.AthleteID, session, a.Event, a.School, a.Variant, a.Number)
	return err
}

// LogOther notes that an attempt has another film, from another side: an attempt
// of its own, with its own stamps and points, that is listed nowhere.
func (s *Store) LogOther(ctx context.Context, viewer, id, of uuid.UUID) error {
	return s.within(ctx, func(tx *sqlx.Tx) error {
		if err := ownAttempt(ctx, tx, viewer, of); err != nil {
			return err
		}
		return once(ctx, tx, "second film", id, viewer, of, func() error { return logOther(ctx, tx, id, of) })
	})
}

func logOther(ctx context.Context, tx *sqlx.Tx, id, of uuid.UUID) error {
	var is, has bool
	if err := tx.QueryRowxContext(ctx, `select exists (select from attempt where id = $1 and other_of is not null), exists (select from attempt where other_of = $1 and id <> $2)`, of, id).Scan(&is, &has); err != nil {
		return err
	}
	if is || has {
		return invalid("this attempt has its second film: take that one off first")
	}
	_, err := tx.ExecContext(ctx, `insert into attempt (id, athlete_id, session_id, event, school, variant, number, other_of)
			select $1, athlete_id, session_id, event, school, variant, number, id from attempt where id = $2`, id, of)
	return err
}

// Line is an attempt in a list.
type Line struct {
	Attempt
	Athlete  string     `db:"athlete"`
	Clip     *uuid.UUID `db:"clip"`
	Status   *string    `db:"status"`
	First    *int       `db:"first"`
	Rate     *float64   `db:"capture_rate"`
	Filmless bool       `db:"filmless"` // simulated: there are no pictures
	Stamps   int        `db:"stamps"`
	Marks    int        `db:"marks"`
	Found    *string    `db:"found"` // what its film shows by what was found on it
	Focus    *string    `db:"focus"`
	Refilm   *time.Time `db:"refilm"`
	CueWords *string    `db:"words"`
}

// Attempts are the latest that an account may see.
func (s *Store) Attempts(ctx context.Context, viewer uuid.UUID, limit int) ([]Line, error) {
	out := []Line{}
	return out, s.DB.SelectContext(ctx, &out, linesWhere(`true`)+` limit $2`, viewer, limit)
}

// WaitingAttempts are those on which a coach's next step is open, the latest
// first, and how many there are: with a film on which no focus is chosen yet, or
// added since a moment to get one. An attempt that is measured and has a note or
// an answered look is done without a focus.
func (s *Store) WaitingAttempts(ctx context.Context, viewer uuid.UUID, bare time.Time, limit int) ([]Line, int, error) {
	const waits = `not exists (select from focus where attempt_id = p.id) and not exists (select from follow_up where attempt_id = p.id)
		and case when c.id is null then p.made >= $2 and p.mark is null and p.foul = '' and p.effort is null
			else not exists (select from landmark where attempt_id = p.id)
				or not exists (select from look where attempt_id = p.id) and not exists (select from note where attempt_id = p.id) end`
	out := []Line{}
	if err := s.DB.SelectContext(ctx, &out, linesWhere(waits)+` limit $3`, viewer, bare, limit); err != nil {
		return nil, 0, err
	}
	var all int
	err := s.DB.GetContext(ctx, &all, `select count(*) from attempt p join athlete t on t.id = p.athlete_id left join clip c on c.attempt_id = p.id
		where p.other_of is null and `+visibleTo+` and `+waits, viewer, bare)
	return out, all, err
}

// linesWhere reads attempts into lines, the latest first.
func linesWhere(condition string) string {
	return `select ` + attemptColumns + `, t.name as athlete, c.id as clip, c.status, c.first, c.capture_rate, coalesce(c.filmless, false) as filmless,
			(select count(*) from stamp where attempt_id = p.id) as stamps,
			(select count(*) from landmark where attempt_id = p.id) as marks,
			(select nullif(r.says, '') from calibration k join landmark_run r on r.id = k.following_id where k.attempt_id = p.id) as found,
			g.fault as focus, g.refilm, g.words
		from attempt p join athlete t on t.id = p.athlete_id join session e on e.id = p.session_id
		left join clip c on c.attempt_id = p.id
		left join lateral (select fault, refilm, words from assignment where attempt_id = p.id order by refilm, fault limit 1) g on true
		where p.other_of is null and ` + visibleTo + ` and ` + condition + ` order by e.day desc, p.made desc`
}

// Candidate is an attempt among those beside which it is chosen.
type Candidate struct {
	Line
	Picked *string `db:"picked"` // why it was picked
}

// Beside are the attempts of the same athlete at the same event, of an attempt's
// session or of all sessions, the latest session first; those that were only
// logged are left out.
func (s *Store) Beside(ctx context.Context, viewer, id uuid.UUID, all bool) ([]Candidate, error) {
	out := []Candidate{}
	err := s.DB.SelectContext(ctx, &out, `select `+attemptColumns+`, t.name as athlete, c.id as clip, c.status, c.first, c.capture_rate, coalesce(c.filmless, false) as filmless, p.picked,
			(select count(*) from stamp where attempt_id = p.id) as stamps,
			(select count(*) from landmark where attempt_id = p.id) as marks
		from attempt p join athlete t on t.id = p.athlete_id join session e on e.id = p.session_id
		join attempt q on q.athlete_id = p.athlete_id and q.event = p.event and (q.session_id = p.session_id or $3)
		left join clip c on c.attempt_id = p.id
		where q.id = $2 and p.other_of is null and (c.id is not null or p.mark is null and p.foul = '' and p.effort is null or p.id = q.id) and `+visibleTo+` order by e.day desc, p.number limit 60`, viewer, id, all)
	if err == nil && len(out) == 0 {
		return nil, ErrNotFound
	}
	return out, err
}

// Pick says that an attempt is the one of its athlete's at that event and
// session to be worked on, and why; no other one is any more.
func (s *Store) Pick(ctx context.Context, viewer, id uuid.UUID, why string) error {
	return s.within(ctx, func(tx *sqlx.Tx) error {
		if err := ownAttempt(ctx, tx, viewer, id); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `update attempt p set picked = case when p.id = $1 then $2 end from attempt q
			where q.id = $1 and q.athlete_id = p.athlete_id and q.event = p.event and q.session_id = p.session_id`, id, why)
		return err
	})
}
