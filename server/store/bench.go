package store

import (
	"context"
	"encoding/json"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
)

// Bench is all that a coach has put in on one attempt.
type Bench struct {
	Attempt     Attempt
	Athlete     Athlete
	Clip        *Clip
	Stamps      map[string]int
	Landmarks   []Landmark
	Calibration Calibration
	Looks       map[string]string
	Notes       map[string]string
	Focuses     []Focus
	Assignments []Assignment
	Undo, Redo  string // the kind of command that would be taken back or done again
}

// Landmark is a point placed on a frame, in pixels of the original picture.
type Landmark struct {
	Frame  int     `db:"frame" json:"frame"`
	Name   string  `db:"name" json:"name"`
	X      float64 `db:"x" json:"x"`
	Y      float64 `db:"y" json:"y"`
	Source string  `db:"source" json:"source"`
}

// Calibration holds what was said of the picture, each part nil until set.
type Calibration struct {
	Scale  *ScaleLine `json:"scale,omitempty"`
	Level  *LevelLine `json:"level,omitempty"`
	Origin *Spot      `json:"origin,omitempty"`

	Known   *Known   `json:"known,omitempty"`
	Ramp    *Ramp    `json:"ramp,omitempty"`
	Subject *Subject `json:"subject,omitempty"`
	Repeats *Repeats `json:"repeats,omitempty"`
}

// Known is an interval of the film whose real length is known: two pictures on
// which a change is first seen, and the seconds between them.
type Known struct {
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
}

// LevelLine is a horizontal or vertical line.
type LevelLine struct {
	A        Spot `json:"a"`
	B        Spot `json:"b"`
	Vertical bool `json:"vertical"`
}

// Focus is a fault chosen to be worked on.
type Focus struct {
	Fault string `db:"fault" json:"fault"`
	Why   string `db:"why" json:"why"`
}

// Assignment is what an athlete takes home for one focus.
type Assignment struct {
	Fault  string    `db:"fault"`
	Cue    string    `db:"cue"`
	Words  string    `db:"words"`
	Drill  string    `db:"drill"`
	Dose   string    `db:"dose"`
	Refilm time.Time `db:"refilm"`
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
	return b, err
}

func readBench(ctx context.Context, tx *sqlx.Tx, viewer, id uuid.UUID) (Bench, error) {
	b := Bench{Stamps: map[string]int{}, Landmarks: []Landmark{}, Looks: map[string]string{}, Notes: map[string]string{}, Focuses: []Focus{}, Assignments: []Assignment{}}
	if err := tx.GetContext(ctx, &b.Attempt, `select `+attemptColumns+` from attempt p join session e on e.id = p.session_id
		join athlete t on t.id = p.athlete_id where p.id = $2 and `+mine, viewer, id); err != nil {
		return b, missing(err)
	}
	if err := tx.GetContext(ctx, &b.Athlete, `select `+athleteColumns+` from athlete t where t.id = $1`, b.Attempt.AthleteID); err != nil {
		return b, err
	}
	var clips []Clip
	if err := tx.SelectContext(ctx, &clips, selectClip+` where attempt_id = $1`, id); err != nil {
		return b, err
	}
	if len(clips) > 0 {
		b.Clip = &clips[0]
	}
	var stamps []struct {
		Place string
		Frame int
	}
	if err := tx.SelectContext(ctx, &stamps, `select place, frame from stamp where attempt_id = $1`, id); err != nil {
		return b, err
	}
	for _, s := range stamps {
		b.Stamps[s.Place] = s.Frame
	}
	if err := tx.SelectContext(ctx, &b.Landmarks, `select frame, name, x, y, source from landmark where attempt_id = $1 order by frame, name`, id); err != nil {
		return b, err
	}
	var err error
	if b.Calibration, err = readCalibration(ctx, tx, id); err != nil {
		return b, err
	}
	if err := pairs(ctx, tx, b.Looks, `select look, verdict from look where attempt_id = $1`, id); err != nil {
		return b, err
	}
	if err := pairs(ctx, tx, b.Notes, `select kind, words from note where attempt_id = $1`, id); err != nil {
		return b, err
	}
	if err := tx.SelectContext(ctx, &b.Focuses, `select fault, why from focus where attempt_id = $1 order by chosen`, id); err != nil {
		return b, err
	}
	if err := tx.SelectContext(ctx, &b.Assignments, `select fault, cue, words, drill, dose, refilm from assignment where attempt_id = $1 order by fault`, id); err != nil {
		return b, err
	}
	if err := tx.GetContext(ctx, &b.Undo, `select coalesce((select kind from command where attempt_id = $1 and state = 'done' and kind not in ('undo', 'redo') order by version desc limit 1), '')`, id); err != nil {
		return b, err
	}
	err = tx.GetContext(ctx, &b.Redo, `select coalesce((select kind from command where attempt_id = $1 and state = 'undone' order by version limit 1), '')`, id)
	return b, err
}

func readCalibration(ctx context.Context, tx *sqlx.Tx, id uuid.UUID) (Calibration, error) {
	var c Calibration
	var row []struct{ Scale, Level, Origin, Known, Ramp, Subject, Repeats []byte }
	if err := tx.SelectContext(ctx, &row, `select scale, level, origin, known, ramp, subject, repeats from calibration where attempt_id = $1`, id); err != nil || len(row) == 0 {
		return c, err
	}
	for _, part := range []struct {
		data []byte
		into any
	}{{row[0].Scale, &c.Scale}, {row[0].Level, &c.Level}, {row[0].Origin, &c.Origin}, {row[0].Known, &c.Known}, {row[0].Ramp, &c.Ramp}, {row[0].Subject, &c.Subject}, {row[0].Repeats, &c.Repeats}} {
		if part.data == nil {
			continue
		}
		if err := json.Unmarshal(part.data, part.into); err != nil {
			return c, err
		}
	}
	return c, nil
}

func pairs(ctx context.Context, tx *sqlx.Tx, into map[string]string, sql string, id uuid.UUID) error {
	rows, err := tx.QueryContext(ctx, sql, id)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var k, v string
		if err := rows.Scan(&k, &v); err != nil {
			return err
		}
		into[k] = v
	}
	return rows.Err()
}

// KeptRun is a stored reading of an attempt's version by a set of rules.
func (s *Store) KeptRun(ctx context.Context, attempt uuid.UUID, version int, rules string) ([]byte, error) {
	var out []byte
	err := s.DB.GetContext(ctx, &out, `select reading from run where attempt_id = $1 and version = $2 and rules = $3`, attempt, version, rules)
	return out, missing(err)
}

// KeepRun stores a reading. Runs never change.
func (s *Store) KeepRun(ctx context.Context, attempt uuid.UUID, version int, rules string, reading []byte) error {
	_, err := s.DB.ExecContext(ctx, `insert into run (attempt_id, version, rules, reading) values ($1, $2, $3, $4) on conflict do nothing`, attempt, version, rules, reading)
	return err
}
