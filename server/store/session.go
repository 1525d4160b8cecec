package store

import (
	"context"
	"database/sql"
	"neokinema/core/breakdown"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
)

// Session is a day at a place.
type Session struct {
	ID       uuid.UUID `db:"id"`
	Day      time.Time `db:"day"`
	Place    string    `db:"place"`
	Kind     string    `db:"kind"` // training or meet
	Surface  string    `db:"surface"`
	Weather  string    `db:"weather"`
	Wind     *float64  `db:"wind"` // m/s, from behind positive
	Version  int       `db:"version"`
	Attempts int       `db:"attempts"`
	Athletes int       `db:"athletes"`
}

// seen limits sessions (e) to those that an account ($1) may see and change: the
// whole club's for an owner, else those in which it may see an attempt, and those
// that it noted, or nobody did, and in which nobody else has one.
const seen = `exists (select from account v where v.id = $1 and v.club_id = e.club_id and (v.role = 'owner'
	or exists (select from attempt p join athlete t on t.id = p.athlete_id where p.session_id = e.id and t.coach_id = v.id)
	or not exists (select from attempt p where p.session_id = e.id) and coalesce(e.account_id, v.id) = v.id))`

const sessionColumns = `e.id, e.day, e.place, e.kind, e.surface, e.weather, e.wind, e.version,
	(select count(*) from attempt p join athlete t on t.id = p.athlete_id where p.session_id = e.id and p.other_of is null and ` + visibleTo + `) as attempts,
	(select count(distinct p.athlete_id) from attempt p join athlete t on t.id = p.athlete_id where p.session_id = e.id and ` + visibleTo + `) as athletes`

// Sessions are the latest before a day, the latest first. One that lost its last
// attempt stays, but is listed only when something is noted of it.
func (s *Store) Sessions(ctx context.Context, viewer uuid.UUID, before time.Time, limit int) ([]Session, error) {
	out := []Session{}
	return out, s.DB.SelectContext(ctx, &out, `select `+sessionColumns+` from session e where `+seen+` and e.day < $2 and (e.version > 0 or e.account_id is not null or exists (select from attempt p where p.session_id = e.id)) order by e.day desc, e.place limit $3`, viewer, before, limit)
}

// Session is one of the club's.
func (s *Store) Session(ctx context.Context, viewer, id uuid.UUID) (Session, error) {
	var e Session
	return e, notFound(s.DB.GetContext(ctx, &e, `select `+sessionColumns+` from session e where `+seen+` and e.id = $2`, viewer, id))
}

// KeepSession adds the session of a day and place, or changes what is known of
// it when it stands at e.Version; it tells its id. Another coach's session is
// Forbidden.
func (s *Store) KeepSession(ctx context.Context, viewer Account, e Session) (uuid.UUID, error) {
	if e.Place = strings.TrimSpace(e.Place); e.Place == "" {
		return uuid.Nil, invalid("say where it was: a track or a hall")
	}
	if err := breakdown.CheckWind(e.Wind); err != nil {
		return uuid.Nil, err
	}
	var id uuid.UUID
	return id, s.within(ctx, func(tx *sqlx.Tx) error {
		var theirs bool
		if err := tx.GetContext(ctx, &theirs, `select exists (select from session e where e.club_id = $2 and e.day = $3 and e.place = $4 and not (`+seen+`))`, viewer.ID, viewer.ClubID, e.Day, e.Place); err != nil {
			return err
		}
		if theirs {
			return Forbidden("that session is another coach's: log an attempt of your own athlete in it first, or ask the club's owner")
		}
		var err error
		id, err = keepSession(ctx, tx, viewer, e)
		return err
	})
}

func keepSession(ctx context.Context, tx *sqlx.Tx, viewer Account, e Session) (id uuid.UUID, err error) {
	err = tx.GetContext(ctx, &id, `insert into session as o (id, club_id, day, place, kind, surface, weather, wind, account_id) values ($1, $2, $3, $4, $5, $6, $7, $8, $10)
		on conflict (club_id, day, place) do update set kind = excluded.kind, surface = excluded.surface, weather = excluded.weather, wind = excluded.wind, version = o.version + ((o.kind, o.surface, o.weather, o.wind) is distinct from (excluded.kind, excluded.surface, excluded.weather, excluded.wind))::int
		where o.version = $9 or (o.kind, o.surface, o.weather, o.wind) is not distinct from (excluded.kind, excluded.surface, excluded.weather, excluded.wind)
		returning id`, NewID(), viewer.ClubID, e.Day, e.Place, e.Kind, e.Surface, e.Weather, e.Wind, e.Version, viewer.ID)
	if notFound(err) == ErrNotFound {
		return uuid.Nil, invalid("what is noted of this session was changed elsewhere in the meantime: look at the newer state, then make your change again")
	}
	return id, err
}

// LogEntry is an attempt as it is logged, with what it was worth.
type LogEntry struct {
	Attempt
	breakdown.Details
}

// SaveLogEntry notes an attempt with all that is known of it; the same request twice
// notes it once. An entry without a number gets the next of its athlete and event.
func (s *Store) SaveLogEntry(ctx context.Context, viewer uuid.UUID, e LogEntry) error {
	if err := e.Details.Check(); err != nil {
		return err
	}
	return s.within(ctx, func(tx *sqlx.Tx) error {
		asked := e
		asked.School = "" // the usual one may have changed between two sendings
		return once(ctx, tx, "attempt", e.ID, viewer, asked, func() error {
			if err := logAttempt(ctx, tx, viewer, e.Attempt); err != nil {
				return err
			}
			return setDetails(ctx, tx, e.ID, e.Details, e.Mark, e.Foul)
		})
	})
}

func setDetails(ctx context.Context, tx *sqlx.Tx, id uuid.UUID, d breakdown.Details, mark *int, foul string) error {
	_, err := tx.ExecContext(ctx, `update attempt set implement_g = $2, wind = $3, effort = $4, rpe = $5, landed_deg = $6, board_cm = $7, mark = $8, foul = $9 where id = $1`,
		id, d.ImplementG, d.Wind, d.Effort, d.RPE, d.LandedDeg, d.BoardCm, mark, foul)
	return err
}

// LogRow is an attempt in a session's or an athlete's list.
type LogRow struct {
	Attempt
	breakdown.Details
	Athlete   string    `db:"athlete"`
	SessionID uuid.UUID `db:"session_id"`
	HasClip   bool      `db:"has_clip"`
}

const loggedColumns = attemptColumns + `, p.implement_g, p.wind, p.effort, p.rpe, p.landed_deg, p.board_cm, t.name as athlete, p.session_id, exists (select from clip c where c.attempt_id = p.id) as has_clip`

// AttemptsOfSession are a session's attempts that an account may see, by athlete, event
// and number.
func (s *Store) AttemptsOfSession(ctx context.Context, viewer, session uuid.UUID) ([]LogRow, error) {
	out := []LogRow{}
	return out, s.DB.SelectContext(ctx, &out, `select `+loggedColumns+` from attempt p join athlete t on t.id = p.athlete_id join session e on e.id = p.session_id
		where p.session_id = $2 and p.other_of is null and `+visibleTo+` order by t.name, t.id, p.event, p.number, p.made limit 2000`, viewer, session)
}

// SessionsBefore are, for each athlete and event of a session, the attempts of the
// last session before it, in one query.
func (s *Store) SessionsBefore(ctx context.Context, session uuid.UUID) ([]LogRow, error) {
	out := []LogRow{}
	return out, s.DB.SelectContext(ctx, &out, `select `+loggedColumns+` from (select distinct q.athlete_id, q.event, d.day from attempt q join session d on d.id = q.session_id where q.session_id = $1 and q.other_of is null) now,
		lateral (select q.session_id from attempt q join session d on d.id = q.session_id
			where q.athlete_id = now.athlete_id and q.event = now.event and q.other_of is null and d.day < now.day order by d.day desc limit 1) before
		join attempt p on p.session_id = before.session_id join athlete t on t.id = p.athlete_id join session e on e.id = p.session_id
		where p.athlete_id = now.athlete_id and p.event = now.event and p.other_of is null order by p.athlete_id, p.event, p.number`, session)
}

// Cursor is where a list goes on: after an attempt of a day and number.
type Cursor struct {
	Day    time.Time
	Number int
	ID     uuid.UUID
}

// AttemptsOfAthlete are an athlete's attempts, the latest first, after a cursor; with an
// event only those of it.
func (s *Store) AttemptsOfAthlete(ctx context.Context, viewer, athlete uuid.UUID, event string, after *Cursor, limit int) ([]LogRow, error) {
	out := []LogRow{}
	if after == nil {
		after = &Cursor{Day: time.Date(9999, 1, 1, 0, 0, 0, 0, time.UTC)}
	}
	return out, s.DB.SelectContext(ctx, &out, `select `+loggedColumns+` from attempt p join athlete t on t.id = p.athlete_id join session e on e.id = p.session_id
		where p.athlete_id = $2 and ($3 = '' or p.event = $3) and p.other_of is null and (e.day, p.number, p.id) < ($4, $5, $6) and `+visibleTo+`
		order by e.day desc, p.number desc, p.id desc limit $7`, viewer, athlete, event, after.Day, after.Number, after.ID, limit)
}

// changed tells a change that found no row of its version from one that did.
func changed(r sql.Result, err error, otherwise string) error {
	if err != nil {
		return err
	}
	if n, err := r.RowsAffected(); err != nil || n == 0 {
		return Invalid(otherwise)
	}
	return nil
}

// one runs a statement that must find its row.
func (s *Store) one(ctx context.Context, sql string, args ...any) error {
	return found(s.DB.ExecContext(ctx, sql, args...))
}

// found turns a statement that found no row into ErrNotFound.
func found(r sql.Result, err error) error {
	if err != nil {
		return err
	}
	if n, err := r.RowsAffected(); err != nil || n == 0 {
		return ErrNotFound
	}
	return nil
}
