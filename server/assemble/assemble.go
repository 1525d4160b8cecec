// Package assemble puts what is stored of an attempt before the core: the sheet
// it measures, the values it judges, the cues it orders.
package assemble

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/blocks"
	"neokinema/core/body"
	"neokinema/core/breakdown"
	"neokinema/core/clock"
	"neokinema/core/coach"
	"neokinema/core/footfall"
	"neokinema/core/judge"
	"neokinema/core/measure"
	"neokinema/core/optics"
	"neokinema/core/orbit"
	"neokinema/core/playbook"
	"neokinema/core/segment"
	"neokinema/server/store"
)

// Rules names the rules by which a run was computed; it changes with them.
const Rules = "2026-11-t"

// Phase is a phase with its duration.
type Phase struct {
	ID    string  `json:"id"`
	Name  string  `json:"name"`
	From  float64 `json:"from"` // seconds from the score's zero
	To    float64 `json:"to"`
	Value float64 `json:"value"`
	U     float64 `json:"u"`
}

// ContactSpan is a contact on the score, with seconds from its zero. A contact that
// began before the first stamp, or goes on after the last, has an open end.
type ContactSpan struct {
	Foot      string   `json:"foot"` // front: the working leg's; rear: the other's
	FromKey   string   `json:"from,omitempty"`
	ToKey     string   `json:"to,omitempty"`
	Start     float64  `json:"start"`
	End       float64  `json:"end"`
	OpenStart bool     `json:"openStart"`
	OpenEnd   bool     `json:"openEnd"`
	Value     *float64 `json:"value,omitempty"` // its length, when both ends are stamped
	U         *float64 `json:"u,omitempty"`
}

// Span is a flight on the score.
type Span struct {
	Start float64 `json:"start"`
	End   float64 `json:"end"`
}

// KeyTime is a stamp in time.
type KeyTime struct {
	KeyID string  `json:"keyId"`
	Frame int     `json:"frame"`
	T     float64 `json:"t"` // seconds from the score's zero
	U     float64 `json:"u"` // with the zero's own
}

// Scale is what the known length says of the picture.
type Scale struct {
	PxPerM float64 `json:"pxPerM"`
	U      float64 `json:"u"`
}

// Option is what can be assigned for a present fault.
type Option struct {
	Fault  string           `json:"fault"`
	Name   string           `json:"name"`
	Cues   []coach.Offer    `json:"cues"`
	Drills []playbook.Drill `json:"drills"`
	Aim    *coach.Aim       `json:"aim,omitempty"`
}

// Reading is everything computed from one version of an attempt.
type Reading struct {
	judge.Reading
	Version        int                     `json:"version"`
	Zero           string                  `json:"zero"` // key position at which the score begins
	ZeroT          float64                 `json:"zeroT"`
	TimesU         []float64               `json:"timesU"` // of every kept picture's time from the zero
	Scale          *Scale                  `json:"scale,omitempty"`
	KeyTimes       []KeyTime               `json:"keyTimes"`
	Phases         []Phase                 `json:"phases"`
	Contacts       []ContactSpan           `json:"contacts"`
	Flights        []Span                  `json:"flights"`
	DoubleSupports []Span                  `json:"doubleSupports"` // both feet on the ground
	Order          []string                `json:"order"`          // stamps that cannot stand as they are
	Needs          map[string][]string     `json:"needs"`          // key position → landmarks, in placing order
	Extras         []measure.ExtraLandmark `json:"extras"`
	Follows        []measure.Followed      `json:"follows"`
	MarkU          float64                 `json:"markU"`             // placing error, px of the original
	Scatter        string                  `json:"scatter,omitempty"` // that the points miss by more, in a sentence
	Space          Space                   `json:"space"`
	Rounds         []segment.Row           `json:"rounds"` // measures and durations over turns or strides
	Wheel          *segment.Wheel          `json:"wheel,omitempty"`
	Ground         *measure.FootprintMap   `json:"ground,omitempty"`
	Dials          map[string]Dial         `json:"dials"` // azimuths on clock faces, by value
	Options        []Option                `json:"options"`
	FollowUps      []FollowUp              `json:"followUps"` // of earlier assignments
	ScaleOffer     *breakdown.ScaleLine    `json:"scaleOffer,omitempty"`
	Deciding       []DecidingPoint         `json:"deciding"` // found points that decide most
}

// Dial is a direction as it is said: in degrees within one turn, and on both
// clock faces with its 2u.
type Dial struct {
	Degrees float64 `json:"degrees"`
	A       string  `json:"a"`
	B       string  `json:"b"`
	Within  string  `json:"within"` // ± 2u on a clock face, h:mm
}

// Read computes a reading.
func Read(e playbook.Event, b store.Bench, pts []int64, other *SecondFilm, past History) (Reading, error) {
	out := Reading{
		Version: b.Attempt.Version, Order: []string{}, KeyTimes: []KeyTime{}, Phases: []Phase{}, Contacts: []ContactSpan{}, Flights: []Span{}, DoubleSupports: []Span{}, Options: []Option{}, FollowUps: []FollowUp{}, TimesU: []float64{}, Extras: []measure.ExtraLandmark{}, Follows: []measure.Followed{},
		Dials: map[string]Dial{}, Needs: map[string][]string{}, MarkU: MarkU(b),
	}
	sheet, err := Sheet(e, b, pts)
	if err != nil {
		return out, err
	}
	out.Space = joinFilms(sheet, e, b, other)
	if o := e.OutOfOrder(b.Stamps); o != nil {
		out.Order = o
	}
	values := measure.Evaluate(sheet)
	out.Reading = judge.Read(e, judge.Evidence{Who: sheet.For, Values: values, Looks: b.Looks, Overruled: overruled(b), Own: past.own(), Last: past.last(), Unseen: b.Calibration.NotInFilm})
	out.Scatter = sheet.Scatter().Says()
	out.Rounds, out.Ground = segment.Rounds(sheet, values), measure.FootprintMapOf(sheet)
	out.Wheel = segment.WheelOf(sheet, values, func(key string) string {
		i := slices.IndexFunc(out.Values, func(v judge.Judged) bool { return v.Key == key })
		return string(out.Values[i].Verdict)
	})
	right := sheet.Roles["throwing"] == body.Right
	for _, v := range values {
		if m, _ := e.Measure(v.Measure); v.Known() && measure.IsAzimuth(m.Kind) {
			within := v.Value
			if math.Abs(within) > 360 {
				within = math.Mod(within, 360)
			}
			out.Dials[v.Key] = Dial{within, orbit.Face(v.Value, orbit.ClockA, right), orbit.Face(v.Value, orbit.ClockB, right), orbit.Span(2 * v.U)}
		}
	}
	for _, k := range e.Keys {
		list := []string{}
		for _, l := range sheet.RequiredLandmarks(k.ID) {
			list = append(list, string(l))
		}
		out.Needs[k.ID] = list
	}
	out.Extras, out.Follows = measure.ExtraLandmarks(sheet), measure.Follows(sheet)
	if err := out.score(e, sheet, b.Clip.First, Working(e, b)); err != nil {
		return out, err
	}
	if plane, err := sheet.Calibration.Plane(); err == nil && plane.PxPerM > 0 {
		out.Scale = &Scale{plane.PxPerM, plane.ScaleU}
	}
	out.FollowUps = past.followUps(e, values)
	out.Deciding, out.ScaleOffer = deciding(e, sheet, out.Values), scaleByHeight(sheet)
	record := past.record(e)
	for _, f := range out.Findings {
		o := Option{Fault: f.Fault, Name: f.Name, Cues: coach.Order(e.CuesFor(f.Fault), record), Drills: e.DrillsFor(f.Fault)}
		if o.Drills == nil {
			o.Drills = []playbook.Drill{}
		}
		if a, ok := coach.MustShow(e, f, out.Values); ok {
			o.Aim = &a
		}
		out.Options = append(out.Options, o)
	}
	return out, nil
}

// Preview computes the values at the key positions of one frame as if the
// given landmarks stood there.
func Preview(e playbook.Event, b store.Bench, pts []int64, other *SecondFilm, frame int, marks []breakdown.Landmark) ([]judge.Judged, error) {
	kept := b.Landmarks
	b.Landmarks = nil
	moved := map[string]bool{}
	for _, m := range marks {
		moved[m.Name] = true
		b.Landmarks = append(b.Landmarks, breakdown.Landmark{Frame: frame, Name: m.Name, X: m.X, Y: m.Y, Source: breakdown.Placed, Confidence: 1})
	}
	for _, l := range kept {
		if l.Frame != frame || !moved[l.Name] {
			b.Landmarks = append(b.Landmarks, l)
		}
	}
	sheet, err := Sheet(e, b, pts)
	if err != nil {
		return nil, err
	}
	joinFilms(sheet, e, b, other)
	var values []measure.Value
	for _, m := range e.Measures {
		for _, keyID := range measure.KeysOf(m) {
			if f, ok := b.Stamps[keyID]; ok && f == frame {
				values = append(values, measure.EvaluateOne(sheet, m, keyID))
			}
		}
	}
	return judge.Read(e, judge.Evidence{Who: sheet.For, Values: values, Looks: b.Looks}).Values, nil
}

// Pedal says how far to move the front pedal for the front knee to have target
// degrees at set; pitch is the spacing of the rail's holes, m.
func Pedal(e playbook.Event, b store.Bench, pts []int64, target, pitch float64) (blocks.Move, error) {
	sheet, err := Sheet(e, b, pts)
	if err != nil {
		return blocks.Move{}, err
	}
	m, _ := e.Measure("front-knee")
	knee := measure.EvaluateOne(sheet, m, "set")
	if !knee.Known() {
		return blocks.Move{}, store.Invalid("the pedal follows from the front knee: first " + knee.Missing[0].What)
	}
	plane, err := sheet.Calibration.Plane()
	if err != nil {
		return blocks.Move{}, store.Invalid(err.Error())
	}
	if plane.PxPerM == 0 {
		return blocks.Move{}, store.Invalid("the pedal moves by a length: set the scale first")
	}
	marks := sheet.Observations[b.Stamps["set"]]
	at := func(part string) (r2.Vec, bool) {
		mark, ok := marks[body.Landmark(part+"."+string(Working(e, b)))]
		return r2.Scale(1/plane.PxPerM, plane.Map(mark.At)), ok
	}
	hip, seen := at("hip")
	if !seen {
		return blocks.Move{}, store.Invalid("the front hip is hidden from this side: film the set position from the front-block leg's side")
	}
	k, _ := at("knee")
	ankle, _ := at("ankle")
	leg := blocks.Leg{Thigh: r2.Norm(r2.Sub(k, hip)), Shank: r2.Norm(r2.Sub(ankle, k)), Behind: hip.X - ankle.X, Below: hip.Y - ankle.Y}
	move, err := leg.Set(target, knee.U, pitch)
	if err != nil {
		return move, store.Invalid(err.Error())
	}
	return move, nil
}

// Sheet lays an attempt out for measuring.
func Sheet(e playbook.Event, b store.Bench, pts []int64) (*measure.Recording, error) {
	s, err := Placed(e, b, pts)
	if err == nil {
		follow(s, b.Followed)
	}
	return s, err
}

// Placed lays an attempt out with the points that were placed alone.
func Placed(e playbook.Event, b store.Bench, pts []int64) (*measure.Recording, error) {
	if b.Clip == nil || b.Clip.Status != "ready" {
		return nil, store.Invalid("the clip is not ready yet")
	}
	c := b.Clip
	film, err := Film(b, pts)
	if err != nil {
		return nil, store.Invalid(err.Error())
	}
	near := cmp.Or(Near(e, b), Working(e, b))
	hand := MarkU(b)
	s := &measure.Recording{
		Event: e, Timeline: film, Stamps: b.Stamps, StampU: b.StampU, Observations: map[int]map[body.Landmark]measure.Observation{},
		Calibration: calibration(b), Camera: camera(b.Followed), Roles: Roles(e, b).Near(near), View: c.View,
		For: playbook.Who{Level: b.Athlete.Level, Sex: b.Athlete.Sex, School: school(e, b.Attempt.School), Variant: b.Attempt.Variant}, Sex: body.Sex(b.Athlete.Sex), HeightM: b.Athlete.HeightM,
	}
	for _, l := range b.Landmarks {
		if s.Observations[l.Frame] == nil {
			s.Observations[l.Frame] = map[body.Landmark]measure.Observation{}
		}
		u := l.U
		if u == 0 {
			u = hand
		}
		s.Observations[l.Frame][body.Landmark(l.Name)] = measure.Observation{At: r2.Vec{X: l.X, Y: l.Y}, U: u, Source: l.Source, Confidence: l.Confidence}
	}
	return s, nil
}

// school is the one by which an attempt is read: its own, or the event's default.
func school(e playbook.Event, id string) string {
	if slices.ContainsFunc(e.Schools, func(s playbook.School) bool { return s.ID == id }) || len(e.Schools) == 0 {
		return id
	}
	return e.Schools[0].ID
}

func overruled(b store.Bench) map[string]judge.Overrule {
	out := map[string]judge.Overrule{}
	for fault, o := range b.Overruled {
		out[fault] = judge.Overrule{State: judge.State(o.State), Why: o.Why}
	}
	return out
}

// own is the athlete's side that an event's roles turn on.
func own(e playbook.Event, b store.Bench) body.Side {
	return e.Own(playbook.Sides{Hand: body.Side(b.Athlete.Hand), TakeOff: body.Side(b.Athlete.JumpLeg), FrontBlock: body.Side(b.Athlete.FrontLeg)})
}

// Roles are who is who on an attempt.
func Roles(e playbook.Event, b store.Bench) body.Roles { return e.RolesFor(own(e, b)) }

// Working is the side of the foot that works.
func Working(e playbook.Event, b store.Bench) body.Side { return e.Working(own(e, b)) }

// FirstLine are the roles whose foot the score writes on its first line.
func FirstLine(e playbook.Event, b store.Bench) []string { return e.FirstLine(own(e, b)) }

// Film places a clip's pictures in real time.
func Film(b store.Bench, pts []int64) (clock.Timeline, error) {
	c := b.Clip
	var ramp *clock.Ramp
	if r := b.Calibration.Ramp; r != nil {
		ramp = &clock.Ramp{From: r.From, To: r.To}
	}
	return clock.NewTimeline(pts, clock.TimeBase{Num: c.BaseNum, Den: c.BaseDen},
		clock.Rate{Capture: c.CaptureRate, Playback: c.PlaybackRate, CaptureU: c.RateU}, ramp)
}

// MarkU is the placing error in pixels of the original: what the coach's own
// repeats tell, else 2 px of the shown picture, converted.
func MarkU(b store.Bench) float64 {
	if r := b.Calibration.Repeats; r != nil {
		points := make([]r2.Vec, len(r.Points))
		for i, p := range r.Points {
			points[i] = r2.Vec{X: p.X, Y: p.Y}
		}
		if u, err := optics.Repeatability(points); err == nil {
			return u
		}
	}
	if b.Clip == nil || b.Clip.ShownWidth() == 0 {
		return optics.MarkU
	}
	return optics.MarkU * float64(b.Clip.Width) / float64(b.Clip.ShownWidth())
}

// score writes stamps, phases and contacts in seconds from the event's zero.
func (r *Reading) score(e playbook.Event, s *measure.Recording, first int, working body.Side) error {
	at := map[string]clock.Instant{}
	for _, k := range e.Keys {
		f, ok := s.Stamps[k.ID]
		if !ok {
			continue
		}
		t, err := s.Instant(k, f)
		if err != nil {
			return fmt.Errorf("%s: %w", k.Name, err)
		}
		at[k.ID] = t
	}
	var zero clock.Instant
	for _, z := range e.Zero {
		if t, ok := at[z]; ok {
			r.Zero, r.ZeroT, zero = z, t.T, t
			break
		}
	}
	for _, k := range e.Keys {
		t, ok := at[k.ID]
		switch {
		case k.ID == r.Zero:
			r.KeyTimes = append(r.KeyTimes, KeyTime{KeyID: k.ID, Frame: s.Stamps[k.ID]})
		case ok:
			d, u := s.Timeline.Between(zero, t)
			r.KeyTimes = append(r.KeyTimes, KeyTime{k.ID, s.Stamps[k.ID], d, u})
		}
	}
	for i := first; i < s.Timeline.Len(); i++ {
		t, err := s.Timeline.Instant(i, clock.Still)
		if err != nil {
			return err
		}
		_, u := s.Timeline.Between(zero, t)
		r.TimesU = append(r.TimesU, u)
	}
	for _, p := range e.Phases {
		from, okF := at[p.From]
		to, okT := at[p.To]
		if okF && okT && to.T > from.T {
			d, u := s.Timeline.Between(from, to)
			r.Phases = append(r.Phases, Phase{p.ID, p.Name, from.T - r.ZeroT, to.T - r.ZeroT, d, u})
		}
	}
	r.contacts(e, s, at, s.Timeline.At(first), working)
	return nil
}

func (r *Reading) contacts(e playbook.Event, s *measure.Recording, at map[string]clock.Instant, first float64, working body.Side) {
	var events []footfall.FootEvent
	moves := map[string]bool{} // the feet that this event lifts at all
	for _, k := range e.Keys {
		moves[k.Lands+k.Lifts] = true
		if t, ok := at[k.ID]; ok && k.Lands+k.Lifts != "" {
			events = append(events, footfall.FootEvent{KeyID: k.ID, Foot: k.Lands + k.Lifts, Lands: k.Lands != "", At: t})
		}
	}
	contacts := footfall.Contacts(events)
	begin, end := first-r.ZeroT, s.Timeline.At(s.Timeline.Len()-1)-r.ZeroT
	for _, n := range contacts {
		foot := "rear"
		if s.Roles[n.Foot] == working {
			foot = "front"
		}
		out := ContactSpan{Foot: foot, FromKey: n.FromKey, ToKey: n.ToKey, Start: n.Start.T - r.ZeroT, End: n.End.T - r.ZeroT, OpenStart: n.FromKey == "", OpenEnd: n.ToKey == ""}
		if out.OpenStart {
			out.Start = begin
		}
		if out.OpenEnd {
			out.End = end
		}
		if d, u, ok := n.Duration(s.Timeline); ok {
			out.Value, out.U = &d, &u
		}
		r.Contacts = append(r.Contacts, out)
	}
	for _, c := range footfall.DoubleSupports(contacts) {
		both := Span{c.Start.T - r.ZeroT, c.End.T - r.ZeroT}
		if c.OpenStart {
			both.Start = begin
		}
		if c.OpenEnd {
			both.End = end
		}
		r.DoubleSupports = append(r.DoubleSupports, both)
	}
	for role, side := range s.Roles { // a foot that never leaves the ground
		if role == "pivot" && !moves[role] && len(contacts) > 0 {
			foot := "rear"
			if side == working {
				foot = "front"
			}
			for _, n := range r.Contacts { // it is down together with every contact of the other
				r.DoubleSupports = append(r.DoubleSupports, Span{n.Start, n.End})
			}
			r.Contacts = append(r.Contacts, ContactSpan{Foot: foot, Start: begin, End: end, OpenStart: true, OpenEnd: true})
			return
		}
	}
	for _, flight := range footfall.Flights(contacts) {
		r.Flights = append(r.Flights, Span{flight.Start.T - r.ZeroT, flight.End.T - r.ZeroT})
	}
}
