package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
)

// Command is one change on the Bench. Kind says which of the other fields
// count; a nil value clears what the command would set.
type Command struct {
	ID      uuid.UUID `json:"id"`
	Version int       `json:"version"` // of the attempt that it was made on
	Kind    string    `json:"kind"`

	KeyID         string          `json:"place,omitempty"`      // stamp
	Stamps        map[string]*int `json:"stamps,omitempty"`     // stamps: several at once; null takes one off
	Rejected      []string        `json:"rejected,omitempty"`   // rejected: proposals that are not wanted
	Frame         *int            `json:"frame,omitempty"`      // stamp, landmark, origin
	Landmark      string          `json:"landmark,omitempty"`   // landmark
	At            *Spot           `json:"at,omitempty"`         // landmark, origin
	Source        string          `json:"source,omitempty"`     // landmark
	Points        []Point         `json:"points,omitempty"`     // landmarks: several at once
	Scale         *ScaleLine      `json:"scale,omitempty"`      // scale
	Level         *LevelLine      `json:"level,omitempty"`      // level
	KnownInterval *KnownInterval  `json:"known,omitempty"`      // known
	Ramp          *Ramp           `json:"ramp,omitempty"`       // ramp
	Subject       *Subject        `json:"subject,omitempty"`    // subject
	Repeats       *Repeats        `json:"repeats,omitempty"`    // repeats
	Followed      *uuid.UUID      `json:"followed,omitempty"`   // followed
	ControlPoints *ControlPoints  `json:"places,omitempty"`     // places
	Look          string          `json:"look,omitempty"`       // look
	Verdict       *string         `json:"verdict,omitempty"`    // look
	Note          string          `json:"note,omitempty"`       // note
	Words         *string         `json:"words,omitempty"`      // note
	Fault         string          `json:"fault,omitempty"`      // focus, assign, overrule, follow
	Why           *string         `json:"why,omitempty"`        // focus
	Assignment    *AssignmentWish `json:"assignment,omitempty"` // assign
	Overrule      *Overrule       `json:"overrule,omitempty"`   // overrule
	Of            *uuid.UUID      `json:"of,omitempty"`         // follow: the attempt that had the assignment
	Outcome       *string         `json:"outcome,omitempty"`    // follow
	Distance      *float64        `json:"distance,omitempty"`   // distance
	Result        *ResultEntry    `json:"worth,omitempty"`      // mark
	Details       *Details        `json:"details,omitempty"`    // details
	Closed        *string         `json:"closed,omitempty"`     // close: the day, as in 2026-05-21; null opens it again
	Rate          *float64        `json:"rate,omitempty"`       // rate
	RateSource    string          `json:"rateSource,omitempty"` // rate
	RateU         float64         `json:"rateU,omitempty"`      // rate
	View          string          `json:"view,omitempty"`       // view
	Rightward     *bool           `json:"rightward,omitempty"`  // view
}

// ResultEntry is what an attempt was worth: as it is written, in hundredths of a metre
// or second, which the server reads, and how it was lost.
type ResultEntry struct {
	Text  string `json:"text,omitempty"`
	Value *int   `json:"value,omitempty"`
	Foul  string `json:"foul,omitempty"`
}

// Point is a landmark among several; without a place it is taken off.
type Point struct {
	Frame  int    `json:"frame"`
	Name   string `json:"name"`
	At     *Spot  `json:"at,omitempty"`
	Source string `json:"source,omitempty"`
}

// AssignmentWish is an assignment as it is sent.
type AssignmentWish struct {
	Cue    string `json:"cue"`
	Words  string `json:"words"`
	Drill  string `json:"drill"`
	Dose   string `json:"dose"`
	Refilm string `json:"refilm"` // as in 2026-05-21
}

// Conflict says that an attempt was changed by somebody else meanwhile.
type Conflict struct{ Theirs Bench }

func (Conflict) Error() string {
	return "this attempt was changed elsewhere in the meantime: look at the newer state, then decide whether to make your change again"
}

const setStamp = `insert into stamp (attempt_id, place, frame) values ($1, $2, $3)
	on conflict (attempt_id, place) do update set frame = excluded.frame`

// MostFocuses an attempt may carry.
const MostFocuses = 2

// LeastRepeats is how often a joint is placed to tell a hand's repeatability.
const LeastRepeats = 5

// Execute applies a command and returns the Bench after it. A command that was
// applied before changes nothing; one made on an older version is a Conflict;
// another one under the same id is Taken.
func (s *Store) Execute(ctx context.Context, viewer, attempt uuid.UUID, c Command) (Bench, error) {
	var out Bench
	err := s.within(ctx, func(tx *sqlx.Tx) error {
		var version int
		if err := tx.GetContext(ctx, &version, `select version from attempt where id = $1 for update`, attempt); err != nil {
			return notFound(err)
		}
		before, err := readBench(ctx, tx, viewer, attempt)
		if err != nil {
			return err
		}
		var was []struct {
			Attempt uuid.UUID `db:"attempt_id"`
			Body    []byte    `db:"body"`
		}
		if err := tx.SelectContext(ctx, &was, `select attempt_id, body from command where id = $1`, c.ID); err != nil {
			return err
		}
		if len(was) > 0 {
			out = before
			return c.again(attempt, was[0].Attempt, was[0].Body)
		}
		if c.Version != version {
			return Conflict{before}
		}
		if err := c.check(before); err != nil {
			return err
		}
		if err := s.apply(ctx, tx, viewer, attempt, before, c); err != nil {
			return err
		}
		out, err = readBench(ctx, tx, viewer, attempt)
		return err
	})
	return out, err
}

func (s *Store) apply(ctx context.Context, tx *sqlx.Tx, viewer, attempt uuid.UUID, before Bench, c Command) error {
	inverse := Command{Kind: c.Kind}
	var err error
	switch c.Kind {
	case "undo":
		err = stepHistory(ctx, tx, attempt, before, "done", "undone", "inverse", "version desc", "there is nothing to undo")
	case "redo":
		err = stepHistory(ctx, tx, attempt, before, "undone", "done", "body", "version", "there is nothing to do again")
	default:
		if inverse, err = change(ctx, tx, attempt, before, c); err == nil {
			_, err = tx.ExecContext(ctx, `update command set state = 'gone' where attempt_id = $1 and state = 'undone'`, attempt)
		}
	}
	if err != nil {
		return err
	}
	body, err := json.Marshal(c)
	if err != nil {
		return err
	}
	back, err := json.Marshal(inverse)
	if err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, `update attempt set version = version + 1 where id = $1`, attempt); err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, `insert into command (id, attempt_id, version, account_id, kind, body, inverse) values ($1, $2, $3, $4, $5, $6, $7)`,
		c.ID, attempt, before.Attempt.Version+1, viewer, c.Kind, body, back)
	return err
}

// stepHistory takes the next command of one state over into another, by applying its
// inverse or its body.
func stepHistory(ctx context.Context, tx *sqlx.Tx, attempt uuid.UUID, before Bench, from, to, column, order, nothing string) error {
	var row struct {
		ID   uuid.UUID
		What []byte
	}
	err := tx.GetContext(ctx, &row, fmt.Sprintf(`select id, %s as what from command where attempt_id = $1 and state = $2
		and kind not in ('undo', 'redo') order by %s limit 1`, column, order), attempt, from)
	if errors.Is(notFound(err), ErrNotFound) {
		return Invalid(nothing)
	}
	if err != nil {
		return err
	}
	var c Command
	if err := json.Unmarshal(row.What, &c); err != nil {
		return err
	}
	if _, err := change(ctx, tx, attempt, before, c); err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, `update command set state = $2 where id = $1`, row.ID, to)
	return err
}

// change sets one thing of the Bench and returns the command that sets it back.
func change(ctx context.Context, tx *sqlx.Tx, attempt uuid.UUID, before Bench, c Command) (Command, error) {
	back := Command{Kind: c.Kind, KeyID: c.KeyID, Landmark: c.Landmark, Look: c.Look, Note: c.Note, Fault: c.Fault}
	exec := func(sql string, args ...any) error {
		_, err := tx.ExecContext(ctx, sql, append([]any{attempt}, args...)...)
		return err
	}
	switch c.Kind {
	case "stamp":
		if old, ok := before.Stamps[c.KeyID]; ok {
			back.Frame = &old
		}
		if c.Frame == nil {
			return back, exec(`delete from stamp where attempt_id = $1 and place = $2`, c.KeyID)
		}
		if err := checkStampable(before, *c.Frame); err != nil {
			return back, err
		}
		return back, exec(setStamp, c.KeyID, *c.Frame)

	case "stamps":
		back.Stamps = map[string]*int{}
		for keyID, frame := range c.Stamps {
			back.Stamps[keyID] = nil
			if old, ok := before.Stamps[keyID]; ok {
				back.Stamps[keyID] = &old
			}
			if frame == nil {
				if err := exec(`delete from stamp where attempt_id = $1 and place = $2`, keyID); err != nil {
					return back, err
				}
				continue
			}
			if err := checkStampable(before, *frame); err != nil {
				return back, err
			}
			if err := exec(setStamp, keyID, *frame); err != nil {
				return back, err
			}
		}
		return back, nil

	case "rejected":
		back.Rejected = before.Calibration.Rejected
		return back, setCalibration(exec, "rejected", &c.Rejected)

	case "landmark":
		return setLandmark(before, c, back, exec)
	case "landmarks":
		for _, p := range c.Points {
			was, err := setLandmark(before, Command{Frame: &p.Frame, Landmark: p.Name, At: p.At, Source: p.Source}, Command{Landmark: p.Name}, exec)
			if err != nil {
				return back, err
			}
			back.Points = append(back.Points, Point{*was.Frame, p.Name, was.At, was.Source})
		}
		return back, nil

	case "scale":
		back.Scale = before.Calibration.Scale
		return back, setCalibration(exec, "scale", c.Scale)
	case "level":
		back.Level = before.Calibration.Level
		return back, setCalibration(exec, "level", c.Level)
	case "origin":
		back.At, back.Frame = before.Calibration.Origin, before.Calibration.OriginFrame
		if err := setCalibration(exec, "origin_frame", c.Frame); err != nil {
			return back, err
		}
		return back, setCalibration(exec, "origin", c.At)
	case "followed":
		back.Followed = before.Calibration.Followed
		if c.Followed != nil {
			var ours bool
			if err := tx.GetContext(ctx, &ours, `select exists (select from following where id = $1 and attempt_id = $2 and state = 'done')`, *c.Followed, attempt); err != nil {
				return back, err
			}
			if !ours {
				return back, invalid("these points were not followed on this attempt, or not to the end")
			}
		}
		return back, setCalibration(exec, "followed", c.Followed)

	case "known":
		back.KnownInterval = before.Calibration.KnownInterval
		if k := c.KnownInterval; k != nil {
			if err := checkFrames(before, k.From, k.To); err != nil {
				return back, err
			}
		}
		return back, setCalibration(exec, "known", c.KnownInterval)
	case "ramp":
		back.Ramp = before.Calibration.Ramp
		if r := c.Ramp; r != nil {
			if err := checkFrames(before, r.From, r.To); err != nil {
				return back, err
			}
		}
		return back, setCalibration(exec, "ramp", c.Ramp)
	case "subject":
		back.Subject = before.Calibration.Subject
		if b := c.Subject; b != nil {
			if err := checkFrame(before, b.Frame); err != nil {
				return back, err
			}
			if math.Abs(b.A.X-b.B.X) < 8 || math.Abs(b.A.Y-b.B.Y) < 8 {
				return back, invalid("draw the frame round the whole athlete")
			}
		}
		return back, setCalibration(exec, "subject", c.Subject)
	case "repeats":
		back.Repeats = before.Calibration.Repeats
		if r := c.Repeats; r != nil {
			if err := checkFrame(before, r.Frame); err != nil {
				return back, err
			}
			if len(r.Points) < LeastRepeats || len(r.Points) > 50 {
				return back, invalid("place the same joint %d times", LeastRepeats)
			}
		}
		return back, setCalibration(exec, "repeats", c.Repeats)

	case "places":
		back.ControlPoints = before.Calibration.ControlPoints
		if p := c.ControlPoints; p != nil {
			if err := checkControlPoints(before, p.Points); err != nil {
				return back, err
			}
		}
		return back, setCalibration(exec, "places", c.ControlPoints)

	case "look":
		if old, ok := before.Looks[c.Look]; ok {
			back.Verdict = &old
		}
		if c.Verdict == nil {
			return back, exec(`delete from look where attempt_id = $1 and look = $2`, c.Look)
		}
		if v := *c.Verdict; v != "good" && v != "off" && v != "can't see" {
			return back, invalid("a look-for is good, off or can't see, not %q", v)
		}
		return back, exec(`insert into look (attempt_id, look, verdict) values ($1, $2, $3)
			on conflict (attempt_id, look) do update set verdict = excluded.verdict`, c.Look, *c.Verdict)

	case "note":
		if old, ok := before.Notes[c.Note]; ok {
			back.Words = &old
		}
		if c.Note != "first" && c.Note != "good" {
			return back, invalid("there is no note %q", c.Note)
		}
		if c.Words == nil || *c.Words == "" {
			return back, exec(`delete from note where attempt_id = $1 and kind = $2`, c.Note)
		}
		return back, exec(`insert into note (attempt_id, kind, words) values ($1, $2, $3)
			on conflict (attempt_id, kind) do update set words = excluded.words`, c.Note, *c.Words)

	case "focus":
		return setFocus(before, c, back, exec)
	case "assign":
		if c.Assignment != nil {
			var held []PainNote
			if err := tx.SelectContext(ctx, &held, `select `+painColumns+` from pain_note n join athlete t on t.id = n.athlete_id where n.athlete_id = $1 and n.cleared is null order by n.noted limit 1`, before.Attempt.AthleteID); err != nil {
				return back, err
			}
			if len(held) > 0 {
				return back, invalid("%s has an open pain note, %s since %s: no work is assigned until it is cleared", held[0].Athlete, held[0].Region, held[0].Noted.Format("2 January"))
			}
		}
		return setAssignment(before, c, back, exec)
	case "close":
		return closeAssignment(before, c, back, exec)

	case "overrule":
		if was, ok := before.Overruled[c.Fault]; ok {
			back.Overrule = &was
		}
		if c.Overrule == nil {
			return back, exec(`delete from overrule where attempt_id = $1 and fault = $2`, c.Fault)
		}
		if o := *c.Overrule; o.State != "present" && o.State != "absent" || strings.TrimSpace(o.Why) == "" {
			return back, invalid("say whether the fault is there, and why you say so")
		}
		return back, exec(`insert into overrule (attempt_id, fault, state, why) values ($1, $2, $3, $4)
			on conflict (attempt_id, fault) do update set state = excluded.state, why = excluded.why`, c.Fault, c.Overrule.State, strings.TrimSpace(c.Overrule.Why))

	case "follow":
		if c.Of == nil {
			return back, invalid("say which attempt had the assignment")
		}
		var given bool
		if err := tx.GetContext(ctx, &given, `select exists (select from assignment g join attempt q on q.id = g.attempt_id where q.id = $1 and g.fault = $2 and q.athlete_id = $3 and q.event = $4 and q.id <> $5)`,
			*c.Of, c.Fault, before.Attempt.AthleteID, before.Attempt.Event, attempt); err != nil {
			return back, err
		}
		if c.Outcome != nil && !given {
			return back, invalid("this athlete has no cue for that fault from that attempt")
		}
		return setFollowUp(before, c, back, exec)

	case "distance":
		back.Distance = before.Calibration.Distance
		return back, setCalibration(exec, "distance", c.Distance)

	case "mark":
		back.Result = &ResultEntry{Value: before.Attempt.Mark, Foul: before.Attempt.Foul}
		if c.Result == nil {
			return back, invalid("say the mark, or how it was lost")
		}
		return back, exec(`update attempt set mark = $2, foul = $3 where id = $1`, c.Result.Value, c.Result.Foul)

	case "details":
		was := before.Details
		back.Details = &was
		if c.Details == nil {
			c.Details = &Details{}
		}
		if err := c.Details.check(); err != nil {
			return back, err
		}
		return back, setDetails(ctx, tx, attempt, *c.Details, before.Attempt.Mark, before.Attempt.Foul)

	case "rate":
		if before.Clip == nil {
			return back, invalid("add a clip first")
		}
		rate := before.Clip.CaptureRate
		back.Rate, back.RateSource, back.RateU = &rate, before.Clip.RateSource, before.Clip.RateU
		if c.Rate == nil {
			return back, invalid("say at how many pictures a second the clip was filmed")
		}
		if c.RateSource == "" {
			c.RateSource = "chosen"
		}
		return back, exec(`update clip set capture_rate = $2, rate_source = $3, rate_u = $4 where attempt_id = $1`, *c.Rate, c.RateSource, c.RateU)

	case "view":
		if before.Clip == nil {
			return back, invalid("add a clip first")
		}
		right := before.Clip.Rightward
		back.View, back.Rightward = before.Clip.View, &right
		if c.View == "" || c.Rightward == nil {
			return back, invalid("say the view and the direction of travel")
		}
		return back, exec(`update clip set view = $2, rightward = $3 where attempt_id = $1`, c.View, *c.Rightward)
	}
	return back, invalid("there is no command %q", c.Kind)
}

type execer func(sql string, args ...any) error

func setLandmark(before Bench, c, back Command, exec execer) (Command, error) {
	if c.Frame == nil {
		return back, invalid("a landmark stands on a picture: say which")
	}
	if err := checkFrame(before, *c.Frame); err != nil {
		return back, err
	}
	back.Frame = c.Frame
	for _, l := range before.Landmarks {
		if l.Frame == *c.Frame && l.Name == c.Landmark {
			back.At, back.Source = &Spot{l.X, l.Y}, l.Source
		}
	}
	if c.At == nil {
		return back, exec(`delete from landmark where attempt_id = $1 and frame = $2 and name = $3`, *c.Frame, c.Landmark)
	}
	if c.Source == "" {
		c.Source = "placed"
	}
	if clip := before.Clip; !(c.At.X >= 0 && c.At.Y >= 0 && c.At.X <= float64(clip.Width) && c.At.Y <= float64(clip.Height)) {
		return back, invalid("the point %.0f, %.0f lies outside the picture", c.At.X, c.At.Y)
	}
	return back, exec(`insert into landmark (attempt_id, frame, name, x, y, source) values ($1, $2, $3, $4, $5, $6)
		on conflict (attempt_id, frame, name) do update set x = excluded.x, y = excluded.y, source = excluded.source`,
		*c.Frame, c.Landmark, c.At.X, c.At.Y, c.Source)
}

func setCalibration[T any](exec execer, column string, part *T) error {
	var data []byte
	if part != nil {
		var err error
		if data, err = json.Marshal(part); err != nil {
			return err
		}
	}
	return exec(fmt.Sprintf(`insert into calibration (attempt_id, %[1]s) values ($1, $2)
		on conflict (attempt_id) do update set %[1]s = excluded.%[1]s`, column), data)
}

func setFocus(before Bench, c, back Command, exec execer) (Command, error) {
	has := false
	for _, f := range before.Focuses {
		if f.Fault == c.Fault {
			has, back.Why = true, &f.Why
		}
	}
	if c.Why == nil {
		return back, exec(`delete from focus where attempt_id = $1 and fault = $2`, c.Fault)
	}
	if !has && len(before.Focuses) >= MostFocuses {
		return back, invalid("an athlete can hold two things at most: take one focus off first")
	}
	return back, exec(`insert into focus (attempt_id, fault, why) values ($1, $2, $3)
		on conflict (attempt_id, fault) do update set why = excluded.why`, c.Fault, *c.Why)
}

func setAssignment(before Bench, c, back Command, exec execer) (Command, error) {
	for _, a := range before.Assignments {
		if a.Fault == c.Fault {
			back.Assignment = &AssignmentWish{a.Cue, a.Words, a.Drill, a.Dose, a.Refilm.Format(time.DateOnly)}
		}
	}
	if c.Assignment == nil {
		return back, exec(`delete from assignment where attempt_id = $1 and fault = $2`, c.Fault)
	}
	w := c.Assignment
	day, err := time.Parse(time.DateOnly, w.Refilm)
	if err != nil {
		return back, invalid("%q is not a day: write it as in 2026-05-21", w.Refilm)
	}
	if w.Words == "" {
		return back, invalid("say the cue in the athlete's words")
	}
	return back, exec(`insert into assignment (attempt_id, fault, cue, words, drill, dose, refilm) values ($1, $2, $3, $4, $5, $6, $7)
		on conflict (attempt_id, fault) do update set cue = excluded.cue, words = excluded.words, drill = excluded.drill,
		dose = excluded.dose, refilm = excluded.refilm`, c.Fault, w.Cue, w.Words, w.Drill, w.Dose, day)
}

// closeAssignment closes the focus of an assignment, or opens it again.
func closeAssignment(before Bench, c, back Command, exec execer) (Command, error) {
	i := slices.IndexFunc(before.Assignments, func(a Assignment) bool { return a.Fault == c.Fault })
	if i < 0 {
		return back, invalid("this attempt has no assignment for that fault")
	}
	if was := before.Assignments[i].Closed; was != nil {
		day := was.Format(time.DateOnly)
		back.Closed = &day
	}
	if c.Closed == nil {
		return back, exec(`update assignment set closed = null where attempt_id = $1 and fault = $2`, c.Fault)
	}
	day, err := time.Parse(time.DateOnly, *c.Closed)
	if err != nil || day.Before(before.Attempt.Day) {
		return back, invalid("a focus is closed on a day after it was assigned, as in 2026-05-21")
	}
	return back, exec(`update assignment set closed = $3 where attempt_id = $1 and fault = $2`, c.Fault, day)
}

// setFollowUp keeps what an attempt shows of an earlier one's assignment, with the cue
// that was given then.
func setFollowUp(before Bench, c, back Command, exec execer) (Command, error) {
	back.Of = c.Of
	for _, f := range before.FollowUps {
		if f.Of == *c.Of && f.Fault == c.Fault {
			back.Outcome = &f.Outcome
		}
	}
	if c.Outcome == nil {
		return back, exec(`delete from follow_up where attempt_id = $1 and of_attempt = $2 and fault = $3`, c.Of, c.Fault)
	}
	if !slices.Contains([]string{"changed", "no change", "misread", "worse"}, *c.Outcome) {
		return back, invalid("a cue changed it, changed nothing, was misread or made it worse, not %q", *c.Outcome)
	}
	err := exec(`insert into follow_up (attempt_id, of_attempt, fault, cue, outcome)
		select $1, attempt_id, fault, cue, $4 from assignment where attempt_id = $2 and fault = $3
		on conflict (attempt_id, of_attempt, fault) do update set outcome = excluded.outcome, cue = excluded.cue`, c.Of, c.Fault, *c.Outcome)
	return back, err
}

// MostPlaces an attempt's film may have marked.
const MostPlaces = 60

func checkControlPoints(before Bench, points []ControlPoint) error {
	if len(points) == 0 || len(points) > MostPlaces {
		return invalid("mark between 1 and %d points of known places", MostPlaces)
	}
	names := map[string]bool{}
	for _, p := range points {
		if err := checkFrame(before, p.Frame); err != nil {
			return err
		}
		if p.Name == "" || names[p.Name] {
			return invalid("give each known point a name of its own")
		}
		names[p.Name] = true
		if c := before.Clip; !(p.Px.X >= 0 && p.Px.Y >= 0 && p.Px.X <= float64(c.Width) && p.Px.Y <= float64(c.Height)) {
			return invalid("%s lies outside the picture", p.Name)
		}
	}
	return nil
}

// checkStampable checks that a frame may be stamped.
func checkStampable(b Bench, frame int) error {
	if err := checkFrame(b, frame); err != nil {
		return err
	}
	if b.Clip.RateSource == "unknown" {
		return invalid("say at which rate the clip was filmed before stamping it")
	}
	return nil
}

// checkFrame checks that a frame was kept.
func checkFrame(b Bench, frame int) error {
	switch {
	case b.Clip == nil || b.Clip.Status != "ready":
		return invalid("the clip is not ready yet")
	case !b.Clip.Has(frame):
		return invalid("there is no picture %d: this clip has %d to %d", frame, b.Clip.First, b.Clip.First+b.Clip.Frames-1)
	}
	return nil
}

func checkFrames(b Bench, from, to int) error {
	if err := checkFrame(b, from); err != nil {
		return err
	}
	if err := checkFrame(b, to); err != nil {
		return err
	}
	if from >= to {
		return invalid("the second picture must come after the first")
	}
	return nil
}
