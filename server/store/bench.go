package store

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/jmoiron/sqlx"
)

// Bench is all that a coach has put in on one attempt.
type Bench struct {
	Attempt     Attempt
	Details     Details
	Athlete     Athlete
	Clip        *Clip
	Stamps      map[string]int
	Landmarks   []Landmark
	Calibration Calibration
	Looks       map[string]string
	Overruled   map[string]Overrule // the coach's word, by fault
	Notes       map[string]string
	Focuses     []Focus
	Assignments []Assignment
	FollowUps   []FollowUp
	Other       *uuid.UUID     // the attempt that holds the other film of the same one
	Followed    *FollowedPaths // where followed points are; filled in by Store.Bench
	Undo, Redo  string         // the kind of command that would be taken back or done again
}

// Landmark is a point placed on a frame, in pixels of the original picture.
type Landmark struct {
	Frame  int     `json:"frame"`
	Name   string  `json:"name"`
	X      float64 `json:"x"`
	Y      float64 `json:"y"`
	Source string  `json:"source"`
}

// Calibration holds what was said of the picture, each part nil until set.
type Calibration struct {
	Scale  *ScaleLine `json:"scale,omitempty"`
	Level  *LevelLine `json:"level,omitempty"`
	Origin *Spot      `json:"origin,omitempty"`

	KnownInterval *KnownInterval `json:"known,omitempty"`
	Ramp          *Ramp          `json:"ramp,omitempty"`
	Subject       *Subject       `json:"subject,omitempty"`
	Repeats       *Repeats       `json:"repeats,omitempty"`

	ControlPoints *ControlPoints `json:"places,omitempty"`

	Distance *float64 `json:"distance,omitempty"` // m from the camera to the line of travel

	Rejected []string `json:"rejected,omitempty"` // key positions whose proposals are not wanted

	OriginFrame *int       `json:"originFrame,omitempty"` // the picture on which the origin was marked
	Followed    *uuid.UUID `json:"followed,omitempty"`    // the following that is measured with
}

// ControlPoints are points of the world whose places are known, as a film shows them.
type ControlPoints struct {
	Points []ControlPoint `json:"points"`
}

// ControlPoint is one of them: metres along the throw or run, to its left, and up from
// the ground; and its pixel on a picture.
type ControlPoint struct {
	Name  string     `json:"name"`
	At    [3]float64 `json:"at"`
	Px    Spot       `json:"px"`
	Frame int        `json:"frame"`
}

// KnownInterval is an interval of the film whose real length is known: two pictures on
// which a change is first seen, and the seconds between them.
type KnownInterval struct {
	From    int     `json:"from"`
	To      int     `json:"to"`
	Seconds float64 `json:"seconds"`
	U       float64 `json:"u"` // standard uncertainty of the seconds
}

// Ramp says between which pictures a film is slowed, when it is not slowed all
// along.
type Ramp struct {
	From int `json:"from"`
	To   int `json:"to"`
}

// Subject is where the athlete is on a picture that shows several people.
type Subject struct {
	Frame int  `json:"frame"`
	A     Spot `json:"a"`
	B     Spot `json:"b"`
}

// Repeats are the places of one joint on one picture, put there again and
// again by the same hand.
type Repeats struct {
	Frame    int    `json:"frame"`
	Landmark string `json:"landmark"`
	Points   []Spot `json:"points"`
}

// Spot is a point of the original picture.
type Spot struct {
	X float64 `json:"x"`
	Y float64 `json:"y"`
}

// ScaleLine is a known length.
type ScaleLine struct {
	A      Spot    `json:"a"`
	B      Spot    `json:"b"`
	Metres float64 `json:"metres"`
	What   string  `json:"what"`
	Frame  *int    `json:"frame,omitempty"` // the picture that it was drawn on; none: the first
}

// LevelLine is a horizontal or vertical line.
type LevelLine struct {
	A        Spot `json:"a"`
	B        Spot `json:"b"`
	Vertical bool `json:"vertical"`
	Frame    *int `json:"frame,omitempty"`
}

// Focus is a fault chosen to be worked on.
type Focus struct {
	Fault string `json:"fault"`
	Why   string `json:"why"`
}

// Overrule is the coach's word on a fault: present or absent, and why.
type Overrule struct {
	State string `json:"state"`
	Why   string `json:"why"`
}

// Assignment is what an athlete takes home for one focus.
type Assignment struct {
	Fault, Cue, Words, Drill, Dose string
	Refilm                         time.Time
	Closed                         *time.Time // the coach closed the focus
}

// FollowUp is what an attempt was kept to show of an earlier one's assignment.
type FollowUp struct {
	Of      uuid.UUID `json:"of"`
	Fault   string    `json:"fault"`
	Cue     string    `json:"cue"`
	Outcome string    `json:"outcome"`
}

// Bench reads an attempt that an account may see, in one consistent view.
func (s *Store) Bench(ctx context.Context, viewer, id uuid.UUID) (Bench, error) {
	var b Bench
	err := s.within(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `set transaction isolation level repeatable read, read only`); err != nil {
			return err
		}
		var err error
		b, err = readBench(ctx, tx, viewer, id)
		return err
	})
	if err == nil && b.Calibration.Followed != nil {
		b.Followed, err = s.followedPoints(ctx, *b.Calibration.Followed)
	}
	return b, err
}

func readBench(ctx context.Context, tx *sqlx.Tx, viewer, id uuid.UUID) (Bench, error) {
	var b Bench
	if err := tx.GetContext(ctx, &b.Attempt, `select `+attemptColumns+` from attempt p join session e on e.id = p.session_id
		join athlete t on t.id = p.athlete_id where p.id = $2 and `+visibleTo, viewer, id); err != nil {
		return b, notFound(err)
	}
	if err := tx.GetContext(ctx, &b.Athlete, `select `+athleteColumns+` from athlete t where t.id = $1`, b.Attempt.AthleteID); err != nil {
		return b, err
	}
	if err := tx.GetContext(ctx, &b.Details, `select implement_g, wind, effort, rpe, landed_deg, board_cm from attempt where id = $1`, id); err != nil {
		return b, err
	}
	var clips []Clip
	if err := tx.SelectContext(ctx, &clips, selectClip+` where attempt_id = $1`, id); err != nil {
		return b, err
	}
	if len(clips) > 0 {
		b.Clip = &clips[0]
	}
	var other []uuid.UUID
	if err := tx.SelectContext(ctx, &other, `select other_of from attempt where id = $1 and other_of is not null union all select id from attempt where other_of = $1`, id); err != nil {
		return b, err
	}
	if len(other) > 0 {
		b.Other = &other[0]
	}
	return b, b.input(ctx, tx, id)
}

// selectInput is all that was put in on an attempt's clip, in one row of JSON.
const selectInput = `select
	coalesce((select json_object_agg(place, frame) from stamp where attempt_id = $1), '{}') as stamps,
	coalesce((select json_agg(json_build_object('frame', frame, 'name', name, 'x', x, 'y', y, 'source', source) order by frame, name) from landmark where attempt_id = $1), '[]') as landmarks,
	coalesce((select json_build_object('scale', scale, 'level', level, 'origin', origin, 'known', known, 'ramp', ramp, 'subject', subject, 'repeats', repeats, 'places', places, 'rejected', rejected, 'originFrame', origin_frame, 'followed', followed, 'distance', distance)
		from calibration where attempt_id = $1), '{}') as calibration,
	coalesce((select json_object_agg(look, verdict) from look where attempt_id = $1), '{}') as looks,
	coalesce((select json_object_agg(fault, json_build_object('state', state, 'why', why)) from overrule where attempt_id = $1), '{}') as overruled,
	coalesce((select json_object_agg(kind, words) from note where attempt_id = $1), '{}') as notes,
	coalesce((select json_agg(json_build_object('fault', fault, 'why', why) order by chosen) from focus where attempt_id = $1), '[]') as focuses,
	coalesce((select json_agg(json_build_object('fault', fault, 'cue', cue, 'words', words, 'drill', drill, 'dose', dose, 'refilm', to_char(refilm, 'YYYY-MM-DD"T00:00:00Z"'), 'closed', to_char(closed, 'YYYY-MM-DD"T00:00:00Z"')) order by fault)
		from assignment where attempt_id = $1), '[]') as assignments,
	coalesce((select json_agg(json_build_object('of', of_attempt, 'fault', fault, 'cue', cue, 'outcome', outcome) order by made) from follow_up where attempt_id = $1), '[]') as followups,
	coalesce((select kind from command where attempt_id = $1 and state = 'done' and kind not in ('undo', 'redo') order by version desc limit 1), '') as undo,
	coalesce((select kind from command where attempt_id = $1 and state = 'undone' order by version limit 1), '') as redo`

// input reads what was put in.
func (b *Bench) input(ctx context.Context, tx *sqlx.Tx, id uuid.UUID) error {
	var row struct {
		Stamps, Landmarks, Calibration, Looks, Overruled, Notes, Focuses, Assignments, FollowUps []byte
		Undo, Redo                                                                               string
	}
	if err := tx.GetContext(ctx, &row, selectInput, id); err != nil {
		return err
	}
	b.Undo, b.Redo = row.Undo, row.Redo
	for _, part := range []struct {
		data []byte
		into any
	}{
		{row.Stamps, &b.Stamps}, {row.Landmarks, &b.Landmarks}, {row.Calibration, &b.Calibration}, {row.Looks, &b.Looks}, {row.Overruled, &b.Overruled}, {row.Notes, &b.Notes},
		{row.Focuses, &b.Focuses}, {row.Assignments, &b.Assignments}, {row.FollowUps, &b.FollowUps},
	} {
		if err := json.Unmarshal(part.data, part.into); err != nil {
			return err
		}
	}
	return nil
}

// digest stands for a set of rules in a key: a cue record of many lines makes their
// names longer than an index takes.
func digest(rules string) []byte {
	d := sha256.Sum256([]byte(rules))
	return d[:]
}

// SavedReading is a stored reading of an attempt's version by a set of rules.
func (s *Store) SavedReading(ctx context.Context, attempt uuid.UUID, version int, rules string) ([]byte, error) {
	var out []byte
	err := s.DB.GetContext(ctx, &out, `select reading from run where attempt_id = $1 and version = $2 and rules = $3`, attempt, version, digest(rules))
	return out, notFound(err)
}

// ReadingBefore is the last reading that was kept of an attempt before another, in the
// order in which they were made, with the version that it is of.
func (s *Store) ReadingBefore(ctx context.Context, attempt uuid.UUID, version int, rules string) (int, []byte, error) {
	var out struct {
		Version int
		Reading []byte
	}
	err := s.DB.GetContext(ctx, &out, `select version, reading from run where attempt_id = $1
		and made < (select made from run where attempt_id = $1 and version = $2 and rules = $3) order by made desc, version desc limit 1`, attempt, version, digest(rules))
	return out.Version, out.Reading, notFound(err)
}

// mostRuns is how many readings of an attempt are kept; older ones are computed
// again when somebody goes back to them.
const mostRuns = 12

// SaveReading stores a reading, and its known values, by key, in the place of those
// of the reading before. Runs never change. A run that a power cut takes is
// computed again, so nobody waits for the disk.
func (s *Store) SaveReading(ctx context.Context, attempt uuid.UUID, version int, rules string, reading []byte, known []ValueRow) error {
	slices.SortFunc(known, func(a, b ValueRow) int { return strings.Compare(a.Key, b.Key) })
	keys, values, us := make([]string, len(known)), make([]float64, len(known)), make([]float64, len(known))
	for i, k := range known {
		keys[i], values[i], us[i] = k.Key, k.Value, k.U
	}
	var b pgx.Batch
	b.Queue(`select set_config('synchronous_commit', 'off', true)`)
	b.Queue(`insert into run (attempt_id, version, rules, reading) values ($1, $2, $3, $4) on conflict do nothing`, attempt, version, digest(rules), reading)
	b.Queue(`delete from run where attempt_id = $1 and made < (select made from run where attempt_id = $1 order by made desc offset $2 limit 1)`, attempt, mostRuns)
	b.Queue(`delete from value where attempt_id = $1 and key <> all($2)`, attempt, keys)
	b.Queue(`insert into value as o (attempt_id, key, value, u) select $1, * from unnest($2::text[], $3::double precision[], $4::double precision[])
		on conflict (attempt_id, key) do update set value = excluded.value, u = excluded.u where (o.value, o.u) is distinct from (excluded.value, excluded.u)`, attempt, keys, values, us)
	return s.Pool.SendBatch(ctx, &b).Close()
}
