package store

import (
	"context"
	"encoding/json"
	"fmt"
	"reflect"
	"slices"
	"strings"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5/pgtype"
	"github.com/jmoiron/sqlx"

	"neokinema/core/breakdown"
)

// selectBreakdown is all that was put in on an attempt, in one row of JSON: the
// parts of breakdown.Breakdown, and what would be undone and done again.
const selectBreakdown = `select json_build_object(
	'stamps', coalesce((select json_object_agg(key_id, frame) from stamp where attempt_id = $1), '{}'),
	'stampU', coalesce((select json_object_agg(key_id, u) from stamp where attempt_id = $1 and u > 0), '{}'),
	'landmarks', coalesce((select json_agg(json_strip_nulls(json_build_object('frame', frame, 'name', name, 'x', x, 'y', y, 'u', u, 'source', source, 'confidence', confidence, 'run', run_id)) order by frame, name) from landmark where attempt_id = $1), '[]'),
	'calibration', json_strip_nulls(coalesce((select json_build_object(
		'scale', (select json_build_object('a', spot(scale_a), 'b', spot(scale_b), 'metres', scale_m, 'what', scale_what, 'frame', scale_frame, 'u', nullif(scale_u, 0)) where scale_a is not null),
		'level', (select json_build_object('a', spot(level_a), 'b', spot(level_b), 'vertical', level_vertical, 'frame', level_frame) where level_a is not null),
		'origin', (select json_build_object('at', spot(origin), 'frame', origin_frame) where origin is not null),
		'knownInterval', (select json_build_object('from', interval_from, 'to', interval_to, 'seconds', interval_s, 'u', interval_u) where interval_from is not null),
		'ramp', (select json_build_object('from', ramp_from, 'to', ramp_to) where ramp_from is not null),
		'subject', (select json_build_object('frame', subject_frame, 'a', spot(subject_a), 'b', spot(subject_b)) where subject_a is not null),
		'repeats', (select json_build_object('frame', repeats_frame, 'landmark', repeats_landmark, 'points', (select json_agg(spot(p) order by n) from unnest(repeats_points) with ordinality as points(p, n))) where repeats_points is not null),
		'distance', distance_m, 'following', following_id,
		'controlPoints', (select json_agg(json_build_object('name', name, 'at', json_build_array(x, y, z), 'px', spot(px), 'frame', frame) order by number) from control_point where attempt_id = $1),
		'rejectedProposals', (select json_agg(key_id order by number) from rejected_proposal where attempt_id = $1),
		'notInFilm', (select json_agg(key_id order by number) from not_in_film where attempt_id = $1),
		'watched', (select json_agg(pass order by number) from watched_pass where attempt_id = $1))
		from (select 1) one left join calibration on attempt_id = $1), '{}')),
	'looks', coalesce((select json_object_agg(look, verdict) from look where attempt_id = $1), '{}'),
	'overruled', coalesce((select json_object_agg(fault, json_build_object('state', state, 'why', why)) from overrule where attempt_id = $1), '{}'),
	'notes', coalesce((select json_object_agg(kind, words) from note where attempt_id = $1), '{}'),
	'focuses', coalesce((select json_agg(json_build_object('fault', fault, 'why', why) order by chosen, fault) from focus where attempt_id = $1), '[]'),
	'assignments', coalesce((select json_agg(json_build_object('fault', fault, 'cue', cue, 'words', words, 'drill', drill, 'dose', dose, 'refilm', to_char(refilm, 'YYYY-MM-DD"T00:00:00Z"'), 'closed', to_char(closed, 'YYYY-MM-DD"T00:00:00Z"')) order by fault)
		from assignment where attempt_id = $1), '[]'),
	'followUps', coalesce((select json_agg(json_build_object('of', of_attempt, 'fault', fault, 'cue', cue, 'outcome', outcome) order by made) from follow_up where attempt_id = $1), '[]'),
	'result', (select json_build_object('mark', mark, 'foul', foul) from attempt where id = $1),
	'details', (select json_strip_nulls(json_build_object('implementG', implement_g, 'wind', wind, 'effort', effort, 'rpe', rpe, 'landedDeg', landed_deg, 'boardCm', board_cm)) from attempt where id = $1)) as breakdown,
	coalesce((select kind from command where attempt_id = $1 and state = 'done' and kind not in ('undo', 'redo') and not background order by version desc limit 1), '') as undo,
	coalesce((select kind from command where attempt_id = $1 and state = 'undone' order by version limit 1), '') as redo`

// readBreakdown reads what was put in on an attempt whose clip is read already.
func (b *Bench) readBreakdown(ctx context.Context, tx *sqlx.Tx) error {
	var row struct {
		Breakdown  []byte
		Undo, Redo string
	}
	if err := tx.GetContext(ctx, &row, selectBreakdown, b.Attempt.ID); err != nil {
		return err
	}
	b.Undo, b.Redo = row.Undo, row.Redo
	if err := json.Unmarshal(row.Breakdown, &b.Breakdown); err != nil {
		return fmt.Errorf("the breakdown of attempt %s: %w", b.Attempt.ID, err)
	}
	if c := b.Clip; c != nil {
		b.Film = &breakdown.Film{
			Ready: c.Status == "ready", Width: c.Width, Height: c.Height, First: c.First, Frames: c.Frames,
			CaptureRate: c.CaptureRate, RateSource: c.RateSource, RateU: c.RateU, View: c.View, Rightward: c.Rightward,
		}
	}
	return nil
}

// saver writes what differs between two breakdowns of one attempt.
type saver struct {
	ctx     context.Context
	tx      *sqlx.Tx
	attempt uuid.UUID
	err     error
}

// exec runs a statement whose $1 is the attempt, unless one before it failed.
func (s *saver) exec(sql string, args ...any) {
	if s.err == nil {
		_, s.err = s.tx.ExecContext(s.ctx, sql, append([]any{s.attempt}, args...)...)
	}
}

// stamp is the picture of a key position, and by how much, s, it is off beside it.
type stamp struct {
	frame int
	u     float64
}

func stampsOf(b breakdown.Breakdown) map[string]stamp {
	out := map[string]stamp{}
	for keyID, frame := range b.Stamps {
		out[keyID] = stamp{frame, b.StampU[keyID]}
	}
	return out
}

// saveBreakdown writes what a command changed.
func saveBreakdown(ctx context.Context, tx *sqlx.Tx, attempt uuid.UUID, was, is breakdown.Breakdown) error {
	s := &saver{ctx: ctx, tx: tx, attempt: attempt}
	entries(stampsOf(was), stampsOf(is),
		func(keyID string, a stamp) {
			s.exec(`insert into stamp (attempt_id, key_id, frame, u) values ($1, $2, $3, $4) on conflict (attempt_id, key_id) do update set frame = excluded.frame, u = excluded.u`, keyID, a.frame, a.u)
		},
		func(keyID string) { s.exec(`delete from stamp where attempt_id = $1 and key_id = $2`, keyID) })
	entries(byName(was.Landmarks), byName(is.Landmarks),
		func(at framed, l breakdown.Landmark) {
			s.exec(`insert into landmark (attempt_id, frame, name, x, y, u, source, confidence, run_id) values ($1, $2, $3, $4, $5, $6, $7, $8, $9)
				on conflict (attempt_id, frame, name) do update set x = excluded.x, y = excluded.y, u = excluded.u, source = excluded.source, confidence = excluded.confidence, run_id = excluded.run_id`,
				l.Frame, l.Name, l.X, l.Y, l.U, l.Source, l.Confidence, l.Run)
		},
		func(at framed) {
			s.exec(`delete from landmark where attempt_id = $1 and frame = $2 and name = $3`, at.frame, at.name)
		})
	entries(was.Looks, is.Looks,
		func(look, verdict string) {
			s.exec(`insert into look (attempt_id, look, verdict) values ($1, $2, $3) on conflict (attempt_id, look) do update set verdict = excluded.verdict`, look, verdict)
		},
		func(look string) { s.exec(`delete from look where attempt_id = $1 and look = $2`, look) })
	entries(was.Overruled, is.Overruled,
		func(fault string, o breakdown.Overrule) {
			s.exec(`insert into overrule (attempt_id, fault, state, why) values ($1, $2, $3, $4) on conflict (attempt_id, fault) do update set state = excluded.state, why = excluded.why`, fault, o.State, o.Why)
		},
		func(fault string) { s.exec(`delete from overrule where attempt_id = $1 and fault = $2`, fault) })
	entries(was.Notes, is.Notes,
		func(kind, words string) {
			s.exec(`insert into note (attempt_id, kind, words) values ($1, $2, $3) on conflict (attempt_id, kind) do update set words = excluded.words`, kind, words)
		},
		func(kind string) { s.exec(`delete from note where attempt_id = $1 and kind = $2`, kind) })
	entries(byKey(was.Focuses, faultOfFocus), byKey(is.Focuses, faultOfFocus),
		func(fault string, f breakdown.Focus) {
			s.exec(`insert into focus (attempt_id, fault, why) values ($1, $2, $3) on conflict (attempt_id, fault) do update set why = excluded.why`, fault, f.Why)
		},
		func(fault string) { s.exec(`delete from focus where attempt_id = $1 and fault = $2`, fault) })
	entries(byKey(was.Assignments, faultOfAssignment), byKey(is.Assignments, faultOfAssignment),
		func(fault string, a breakdown.Assignment) {
			s.exec(`insert into assignment (attempt_id, fault, cue, words, drill, dose, refilm, closed) values ($1, $2, $3, $4, $5, $6, $7, $8)
				on conflict (attempt_id, fault) do update set cue = excluded.cue, words = excluded.words, drill = excluded.drill, dose = excluded.dose, refilm = excluded.refilm, closed = excluded.closed`,
				fault, a.Cue, a.Words, a.Drill, a.Dose, a.Refilm, a.Closed)
		},
		func(fault string) { s.exec(`delete from assignment where attempt_id = $1 and fault = $2`, fault) })
	entries(byKey(was.FollowUps, sourceOf), byKey(is.FollowUps, sourceOf),
		func(_ [2]string, f breakdown.FollowUp) {
			s.exec(`insert into follow_up (attempt_id, of_attempt, fault, cue, outcome) values ($1, $2, $3, $4, $5)
				on conflict (attempt_id, of_attempt, fault) do update set outcome = excluded.outcome, cue = excluded.cue`, f.Of, f.Fault, f.Cue, f.Outcome)
		},
		func(of [2]string) {
			s.exec(`delete from follow_up where attempt_id = $1 and of_attempt = $2 and fault = $3`, of[0], of[1])
		})
	if !reflect.DeepEqual(was.Result, is.Result) {
		s.exec(`update attempt set mark = $2, foul = $3 where id = $1`, is.Result.Mark, is.Result.Foul)
	}
	if d := is.Details; !reflect.DeepEqual(was.Details, d) {
		s.exec(`update attempt set implement_g = $2, wind = $3, effort = $4, rpe = $5, landed_deg = $6, board_cm = $7 where id = $1`, d.ImplementG, d.Wind, d.Effort, d.RPE, d.LandedDeg, d.BoardCm)
	}
	if f := is.Film; f != nil && !reflect.DeepEqual(was.Film, f) {
		s.exec(`update clip set capture_rate = $2, rate_source = $3, rate_u = $4, view = $5, rightward = $6 where attempt_id = $1`, f.CaptureRate, f.RateSource, f.RateU, f.View, f.Rightward)
	}
	if !reflect.DeepEqual(was.Calibration, is.Calibration) {
		s.calibration(was.Calibration, is.Calibration)
	}
	return s.err
}

// calibration writes a calibration.
func (s *saver) calibration(was, is breakdown.Calibration) {
	columns := []string{}
	args := []any{}
	set := func(column string, value any) {
		columns, args = append(columns, column), append(args, value)
	}
	scale := value(is.Scale)
	set("scale_a", point(is.Scale != nil, scale.A))
	set("scale_b", point(is.Scale != nil, scale.B))
	set("scale_m", only(is.Scale != nil, scale.Metres))
	set("scale_what", only(is.Scale != nil, scale.What))
	set("scale_frame", scale.Frame)
	set("scale_u", scale.U)
	level := value(is.Level)
	set("level_a", point(is.Level != nil, level.A))
	set("level_b", point(is.Level != nil, level.B))
	set("level_vertical", only(is.Level != nil, level.Vertical))
	set("level_frame", level.Frame)
	origin := value(is.Origin)
	set("origin", point(is.Origin != nil, origin.At))
	set("origin_frame", origin.Frame)
	interval := value(is.KnownInterval)
	set("interval_from", only(is.KnownInterval != nil, interval.From))
	set("interval_to", only(is.KnownInterval != nil, interval.To))
	set("interval_s", only(is.KnownInterval != nil, interval.Seconds))
	set("interval_u", only(is.KnownInterval != nil, interval.U))
	ramp := value(is.Ramp)
	set("ramp_from", only(is.Ramp != nil, ramp.From))
	set("ramp_to", only(is.Ramp != nil, ramp.To))
	subject := value(is.Subject)
	set("subject_frame", only(is.Subject != nil, subject.Frame))
	set("subject_a", point(is.Subject != nil, subject.A))
	set("subject_b", point(is.Subject != nil, subject.B))
	repeats := value(is.Repeats)
	set("repeats_frame", only(is.Repeats != nil, repeats.Frame))
	set("repeats_landmark", only(is.Repeats != nil, repeats.Landmark))
	set("repeats_points", points(is.Repeats != nil, repeats.Points))
	set("distance_m", is.Distance)
	set("following_id", is.Following)
	holders, updates := make([]string, len(columns)), make([]string, len(columns))
	for i, c := range columns {
		holders[i], updates[i] = fmt.Sprintf("$%d", i+2), c+" = excluded."+c
	}
	s.exec(`insert into calibration (attempt_id, `+strings.Join(columns, ", ")+`) values ($1, `+strings.Join(holders, ", ")+`)
		on conflict (attempt_id) do update set `+strings.Join(updates, ", "), args...)

	if !reflect.DeepEqual(was.ControlPoints, is.ControlPoints) {
		s.exec(`delete from control_point where attempt_id = $1`)
		for i, p := range is.ControlPoints {
			s.exec(`insert into control_point (attempt_id, name, number, x, y, z, px, frame) values ($1, $2, $3, $4, $5, $6, $7, $8)`, p.Name, i+1, p.At[0], p.At[1], p.At[2], point(true, p.Px), p.Frame)
		}
	}
	if !slices.Equal(was.RejectedProposals, is.RejectedProposals) {
		s.exec(`delete from rejected_proposal where attempt_id = $1`)
		for i, keyID := range is.RejectedProposals {
			s.exec(`insert into rejected_proposal (attempt_id, key_id, number) values ($1, $2, $3) on conflict do nothing`, keyID, i+1)
		}
	}
	if !slices.Equal(was.NotInFilm, is.NotInFilm) {
		s.exec(`delete from not_in_film where attempt_id = $1`)
		for i, keyID := range is.NotInFilm {
			s.exec(`insert into not_in_film (attempt_id, key_id, number) values ($1, $2, $3) on conflict do nothing`, keyID, i+1)
		}
	}
	if !slices.Equal(was.Watched, is.Watched) {
		s.exec(`delete from watched_pass where attempt_id = $1`)
		for i, pass := range is.Watched {
			s.exec(`insert into watched_pass (attempt_id, pass, number) values ($1, $2, $3) on conflict do nothing`, pass, i+1)
		}
	}
}

// entries calls put for each entry that is new or another one, and drop for each
// that is gone.
func entries[K comparable, V any](was, is map[K]V, put func(K, V), drop func(K)) {
	for k, v := range is {
		if old, ok := was[k]; !ok || !reflect.DeepEqual(old, v) {
			put(k, v)
		}
	}
	for k := range was {
		if _, ok := is[k]; !ok {
			drop(k)
		}
	}
}

// framed names a landmark of an attempt.
type framed struct {
	frame int
	name  string
}

func byName(list []breakdown.Landmark) map[framed]breakdown.Landmark {
	return byKey(list, func(l breakdown.Landmark) framed { return framed{l.Frame, l.Name} })
}

func faultOfFocus(f breakdown.Focus) string           { return f.Fault }
func faultOfAssignment(a breakdown.Assignment) string { return a.Fault }
func sourceOf(f breakdown.FollowUp) [2]string         { return [2]string{f.Of, f.Fault} }

func byKey[K comparable, V any](list []V, key func(V) K) map[K]V {
	out := make(map[K]V, len(list))
	for _, v := range list {
		out[key(v)] = v
	}
	return out
}

// value is what a pointer leads to, or the zero value.
func value[V any](p *V) (v V) {
	if p != nil {
		v = *p
	}
	return v
}

// only is v, or null.
func only[V any](there bool, v V) any {
	if !there {
		return nil
	}
	return v
}

func point(there bool, p breakdown.Spot) pgtype.Point {
	return pgtype.Point{P: pgtype.Vec2{X: p.X, Y: p.Y}, Valid: there}
}

func points(there bool, list []breakdown.Spot) any {
	if !there {
		return nil
	}
	out := make([]pgtype.Point, len(list))
	for i, p := range list {
		out[i] = point(true, p)
	}
	return out
}

// facts are what a command on an attempt is checked against besides what is put
// in on it.
func facts(ctx context.Context, tx *sqlx.Tx, b Bench, f breakdown.Facts) (breakdown.Facts, error) {
	f.Day = b.Attempt.Day
	var held []PainNote
	if err := tx.SelectContext(ctx, &held, `select `+painColumns+` from pain_note n join athlete t on t.id = n.athlete_id where n.athlete_id = $1 and n.cleared is null order by n.noted limit 1`, b.Attempt.AthleteID); err != nil {
		return f, err
	}
	if len(held) > 0 {
		f.Pain = fmt.Sprintf("%s has an open pain note, %s since %s", held[0].Athlete, held[0].Region, held[0].Noted.Format("2 January"))
	}
	if err := tx.SelectContext(ctx, &f.Followings, `select id::text from landmark_run where attempt_id = $1 and kind = 'following' and finished`, b.Attempt.ID); err != nil {
		return f, err
	}
	return f, tx.SelectContext(ctx, &f.Given, `select g.attempt_id::text as of, g.fault, g.cue from assignment g join attempt q on q.id = g.attempt_id where q.athlete_id = $1 and q.event = $2 and q.id <> $3`,
		b.Attempt.AthleteID, b.Attempt.Event, b.Attempt.ID)
}
