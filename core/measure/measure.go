// Package measure turns a playbook, a coach's stamps and landmarks, and a
// calibration into values with their standard uncertainty.
//
// Every quantity that a value rests on (a pixel, a stamp, the scale, how well
// a joint's centre can be seen) passes through one gate that knows its
// uncertainty. A value's u is the quadrature sum of what each of them alone
// does to it, so it can always be opened to its parts.
package measure

import (
	"fmt"
	"math"
	"runtime"
	"slices"
	"sort"
	"sync"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/body"
	"neokinema/core/clock"
	"neokinema/core/optics"
	"neokinema/core/playbook"
)

// Observation is a landmark on one frame, in pixels of the original picture.
type Observation struct {
	At         r2.Vec
	U          float64 // standard uncertainty along each axis, px
	Source     string  // placed, followed, detected, fitted or filled
	Confidence float64 // 0 to 1 that it is this landmark at all
}

// Detected is the source of an observation that a body model made.
const Detected = "detected"

// Recording is all that is known of one attempt's clip.
type Recording struct {
	Event        playbook.Event
	Timeline     clock.Timeline
	Stamps       map[string]int     // key position → frame
	StampU       map[string]float64 // key position → s that its stamp is off beside its picture's own
	Observations map[int]map[body.Landmark]Observation
	Calibration  optics.Calibration
	Camera       optics.CameraMotion // how it moved; what Optics says holds on its first picture
	Roles        body.Roles          // with near and far
	View         string
	For          playbook.Who
	Sex          body.Sex
	HeightM      float64
	Paired       bool // there is another film of the attempt, from another side

	view          *optics.View                             // where the camera stood, once joined
	reconstructed map[int]map[body.Landmark]optics.Point3D // what two films show in space
	fit           *FittedBody                              // what was fitted to this film alone
	drawn         *drawn                                   // reconstructed are places of this movement
	lost          map[int]map[body.Landmark]error          // and what they do not, though it is marked on both
	scatter       *Scatter                                 // once it is looked for
}

// Missing is something a measure still needs.
type Missing struct {
	Kind string `json:"kind"` // stamp, landmark, scale, origin, view or rate
	What string `json:"what"` // in words
	ID   string `json:"id"`   // the key position or landmark
}

// Part is what one input does to a value: its share of the standard
// uncertainty, in the value's unit.
type Part struct {
	Name string  `json:"name"`
	U    float64 `json:"u"`
	// Landmark and KeyID tell which point it is, where the input is a point's place.
	Landmark body.Landmark `json:"landmark,omitempty"`
	KeyID    string        `json:"keyId,omitempty"`
}

// Overlay is what to draw on a frame so that the picture shows the number:
// points of the original picture. An arc runs at Vertex from the direction of
// From to that of To; a segment from From to To.
type Overlay struct {
	Kind   string  `json:"kind"` // arc or segment
	Frame  int     `json:"frame"`
	Vertex *r2.Vec `json:"vertex,omitempty"`
	From   r2.Vec  `json:"from"`
	To     r2.Vec  `json:"to"`
}

// Value is one measure at one place. With anything missing it has no number.
type Value struct {
	Key     string    `json:"key"` // "front-knee@set"
	Measure string    `json:"measure"`
	KeyID   string    `json:"keyId"`
	Name    string    `json:"name"`
	Unit    string    `json:"unit"`
	Value   float64   `json:"value"`
	U       float64   `json:"u"`                // standard uncertainty
	Record  bool      `json:"record,omitempty"` // kept for the log: no fault hangs on it
	Step    float64   `json:"step,omitempty"`   // what one frame alone changes, for durations
	Missing []Missing `json:"missing"`
	Formula string    `json:"formula"`
	Method  string    `json:"seen,omitempty"` // what it was read off: the view, two films, or points of known places
	Parts   []Part    `json:"parts"`

	Unconfirmed bool      `json:"unconfirmed,omitempty"` // it rests on points or key positions that were found and nobody has looked at
	FoundTime   bool      `json:"foundTime,omitempty"`   // it is a time from such a key position
	Overlays    []Overlay `json:"drawings"`
}

// Known reports whether the value has a number.
func (v Value) Known() bool { return len(v.Missing) == 0 }

// Key joins a measure and a place: "front-knee@set".
func Key(measure, keyID string) string { return measure + "@" + keyID }

// Evaluate computes every measure of the event at every place, in the playbook's
// order.
func Evaluate(s *Recording) []Value {
	type job struct {
		measure playbook.Measure
		keyID   string
	}
	var jobs []job
	for _, m := range s.Event.Measures {
		for _, keyID := range KeysOf(m) {
			jobs = append(jobs, job{m, keyID})
		}
	}
	s.Scatter()
	out := make([]Value, len(jobs))
	workers := runtime.GOMAXPROCS(0)
	var wait sync.WaitGroup
	for w := range workers {
		wait.Go(func() {
			for i := w; i < len(jobs); i += workers {
				out[i] = EvaluateOne(s, jobs[i].measure, jobs[i].keyID)
			}
		})
	}
	wait.Wait()
	return out
}

// EvaluateOne computes one measure at one place. A formula that fails on what it is given
// leaves the value missing: it ends neither the reading nor the program.
func EvaluateOne(s *Recording, m playbook.Measure, keyID string) (v Value) {
	k := kinds[m.Kind]
	v = Value{
		Key: Key(m.ID, keyID), Measure: m.ID, KeyID: keyID, Name: m.Name, Record: m.Record, Unit: m.Unit, Formula: k.formula,
		Missing: []Missing{}, Parts: []Part{}, Overlays: []Overlay{},
	}
	empty := v
	defer func() {
		if failed := recover(); failed != nil {
			v = empty
			v.Missing = []Missing{{"playbook", fmt.Sprintf("%q cannot be computed as the playbook gives it: check its points, stamps and unit", m.Kind), m.ID}}
		} else if v.Known() && !(finite(v.Value) && finite(v.U)) {
			v = empty
			v.Missing = []Missing{{"landmark", "these points and stamps give no number: look at them again", m.ID}}
		} else if why := nonsense(v, m.Kind); v.Known() && why != "" {
			v = empty
			v.Missing = []Missing{{"landmark", why, m.ID}}
		}
	}()
	space, picture, missing := s.allowed(m)
	if !space && !picture {
		v.Missing = append(v.Missing, missing)
		return s.orFitted(v, empty, m)
	}
	if space {
		in := v
		in.Method = "points of known places"
		if s.reconstructed != nil {
			in.Method = "two films"
		}
		if k.inSpace != "" {
			in.Formula = k.inSpace
		}
		if s.evaluate(&in, m, keyID, k.space, optics.Plane{}); in.Known() || !picture {
			return s.orFitted(in, empty, m)
		}
	}
	plane, err := s.calibration().Plane()
	if err != nil {
		v.Missing = append(v.Missing, Missing{"scale", err.Error(), "calibration"})
		return v
	}
	if len(m.Points) > 0 {
		v.Method = spokenViews([]string{s.View})[0]
	}
	s.evaluate(&v, m, keyID, k.compute, plane)
	return s.orFitted(v, empty, m)
}

// orFitted is a value, or what the fitted body shows where it has none.
func (s *Recording) orFitted(v, empty Value, m playbook.Measure) Value {
	k := kinds[m.Kind]
	if v.Known() || s.fit == nil || k.space == nil || m.TwoFilms || !slices.Contains(m.Views, Pair) {
		return v
	}
	fitted := empty
	if k.inSpace != "" {
		fitted.Formula = k.inSpace
	}
	if s.evaluateFit(&fitted, m, v.KeyID); fitted.Known() {
		return fitted
	}
	return v
}

// ranges are what a value of a unit can be at all, and the widest ± that still
// says something of it (common practice).
var ranges = map[string]struct{ low, high, most float64 }{
	"deg": {-1080, 1080, 120}, "%": {-400, 400, 120}, "m": {-30, 30, 2.5}, "m/s": {-60, 60, 12}, "s": {-20, 20, 1}, "N": {0, 6000, 2000},
	"deg/s": {-3000, 3000, 900}, "/min": {0, 600, 120}, "body weights": {0, 15, 4}, "": {-20, 20, 2},
}

// nonsense says why a value is no answer: it cannot be, or its ± is wider than
// what it can be; empty when it is one.
func nonsense(v Value, kind string) string {
	r, known := ranges[v.Unit]
	if jointAngles[kind] {
		r.low, r.high = 0, 181
	}
	unit := " " + v.Unit
	if v.Unit == "deg" {
		unit = "°"
	}
	switch {
	case !known:
		return ""
	case 2*v.U > r.most:
		return fmt.Sprintf("its ± would be %.3g%s: these points lie too near to each other, or too little is known of the camera, to tell it", 2*v.U, unit)
	case v.Value+2*v.U < r.low || v.Value-2*v.U > r.high:
		return fmt.Sprintf("by these points and stamps it would be %.3g%s, which cannot be: look at them again", v.Value, unit)
	}
	return ""
}

// Instant is when a key position that is stamped on a frame came: as its picture tells,
// and as far off besides as a found one is.
func (s *Recording) Instant(k playbook.Key, frame int) (clock.Instant, error) {
	t, err := s.Timeline.Instant(frame, clock.Nature(k.Nature))
	t.U = math.Hypot(t.U, s.StampU[k.ID])
	return t, err
}

// jointAngles are the kinds of angles at a joint.
var jointAngles = map[string]bool{"included": true, "included-least": true, "included-strike": true, "arm-trunk": true}

// evaluate computes a value by a formula, and what each of its inputs does to it.
func (s *Recording) evaluate(v *Value, m playbook.Measure, keyID string, compute func(*evaluation) float64, plane optics.Plane) {
	p := s.newEvaluation(m, keyID, plane)
	value := compute(p)
	if len(p.missing) > 0 {
		v.Missing = p.missing
		return
	}
	v.Value, v.Overlays, v.Unconfirmed = value, append(v.Overlays, p.drawings...), p.unconfirmed
	v.FoundTime = p.foundStamp && m.Unit == "s"
	var total float64
	parts := map[string]*Part{}
	shifted := *p
	for i, from := range p.order {
		run := func(by float64) float64 {
			shifted.shift, shifted.by = &p.order[i], by
			return difference(compute(&shifted), value, m.Unit)
		}
		u := p.seen[from]
		square := (sq(run(u)) + sq(run(-u))) / 2
		part := parts[from.title()]
		if part == nil {
			part = &Part{Name: from.title()}
			part.Landmark, part.KeyID = s.placeOf(from)
			parts[from.title()] = part
		}
		part.U = math.Hypot(part.U, math.Sqrt(square))
		total += square
	}
	v.U = math.Sqrt(total)
	if m.Unit == "s" {
		v.Step = s.Timeline.Interval(s.Stamps[keyID])
	}
	for _, part := range parts {
		v.Parts = append(v.Parts, *part)
	}
	sort.Slice(v.Parts, func(i, j int) bool {
		a, b := v.Parts[i], v.Parts[j]
		return a.U > b.U || a.U == b.U && a.Name < b.Name
	})
}

// placeOf is the landmark, and the key position, whose place a source is; empty where
// it is something else.
func (s *Recording) placeOf(from source) (body.Landmark, string) {
	if from.what != placing && from.what != following {
		return "", ""
	}
	i := slices.IndexFunc(s.Event.Keys, func(k playbook.Key) bool { return k.Name == from.at })
	if i < 0 {
		return "", ""
	}
	return from.of, s.Event.Keys[i].ID
}

// RequiredLandmarks lists the landmarks that the measures which this film can show want at a
// key position, in the order in which a coach places them: head to foot, near
// side first.
func (s *Recording) RequiredLandmarks(keyID string) []body.Landmark {
	e, roles := s.Event, s.Roles
	key, ok := e.Key(keyID)
	if !ok {
		return nil
	}
	r := withSupport(roles, key)
	want := map[body.Landmark]bool{}
	inSpace := false
	for _, m := range e.Measures {
		space, picture, _ := s.allowed(m)
		if !space && !picture {
			continue
		}
		if !slices.Contains(m.At, keyID) && !(kinds[m.Kind].everyStamp && slices.Contains(m.Stamps, keyID)) {
			continue
		}
		for _, name := range m.Points {
			names := []string{name}
			if part, mid := cutMid(name); mid && part == "bar" {
				names = []string{"bar.near", "bar.far"}
			} else if mid {
				names = []string{"near." + part, "far." + part}
			}
			for _, name := range names {
				if l, err := r.Landmark(name); err == nil {
					want[l] = true
				}
			}
			inSpace = inSpace || space
		}
	}
	for _, part := range []string{"hip", "shoulder"} { // far ones hide behind near ones
		far := body.Landmark(part + "." + string(roles["far"]))
		if want[far] && e.Aligned && !inSpace {
			delete(want, far)
			want[body.Landmark(part+"."+string(roles["near"]))] = true
		}
	}
	var out []body.Landmark
	for _, part := range body.Single {
		if want[body.Landmark(part)] {
			out = append(out, body.Landmark(part))
		}
	}
	for _, side := range []string{"near", "far"} {
		for _, part := range body.Paired {
			l := body.Landmark(part + "." + string(roles[side]))
			if want[l] {
				out = append(out, l)
			}
		}
	}
	return out
}

// ExtraLandmark is a landmark that a measure wants on a picture that is no key
// position.
type ExtraLandmark struct {
	KeyID    string        `json:"keyId"` // the key position that it belongs to
	Frame    int           `json:"frame"`
	Landmark body.Landmark `json:"landmark"`
	For      string        `json:"for"` // the measure's name
}

// ExtraLandmarks lists them, for the stamps that are there.
func ExtraLandmarks(s *Recording) []ExtraLandmark {
	out := []ExtraLandmark{}
	each(s, func(p *evaluation) {
		for _, x := range p.requested {
			same := func(o ExtraLandmark) bool {
				return o.KeyID == x.KeyID && o.Frame == x.Frame && o.Landmark == x.Landmark
			}
			if !slices.ContainsFunc(out, same) {
				out = append(out, x)
			}
		}
	})
	return out
}

// Follows lists what measures want followed over many pictures, for the stamps
// that are there.
func Follows(s *Recording) []Followed {
	out := []Followed{}
	each(s, func(p *evaluation) {
		for _, x := range p.toFollow {
			if !slices.Contains(out, x) {
				out = append(out, x)
			}
		}
	})
	return out
}

// each tries every measure that the view allows.
func each(s *Recording, then func(*evaluation)) {
	plane, err := s.calibration().Plane()
	for _, m := range s.Event.Measures {
		space, picture, _ := s.allowed(m)
		for _, keyID := range KeysOf(m) {
			try := func(compute func(*evaluation) float64, plane optics.Plane) {
				defer func() { _ = recover() }() // One tells of it
				p := s.newEvaluation(m, keyID, plane)
				compute(p)
				then(p)
			}
			if space {
				try(kinds[m.Kind].space, optics.Plane{})
			}
			if picture && err == nil {
				try(kinds[m.Kind].compute, plane)
			}
		}
	}
}

// difference compares two values of one unit; degrees wrap at a full turn.
func difference(a, b float64, unit string) float64 {
	if unit == "deg" {
		return math.Remainder(a-b, 360)
	}
	return a - b
}

func sq(x float64) float64 { return x * x }

func finite(x float64) bool { return !math.IsNaN(x) && !math.IsInf(x, 0) }
