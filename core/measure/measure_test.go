package measure

import (
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/body"
	"neokinema/core/clock"
	"neokinema/core/optics"
	"neokinema/core/playbook"
)

func near(t *testing.T, what string, got, want, within float64) {
	t.Helper()
	if math.IsNaN(got) || math.Abs(got-want) > within {
		t.Errorf("%s is %v, want %v ± %v", what, got, want, within)
	}
}

// small is an event of one still position, one leaving and one landing.
func small(measures ...playbook.Measure) playbook.Event {
	return playbook.Event{
		Aligned: true, Line: "start line",
		Keys: []playbook.Key{
			{ID: "set", Name: "set", Nature: "still"},
			{ID: "off", Name: "off", Nature: "contact", Lifts: "front"},
			{ID: "td", Name: "contact", Nature: "contact", Lands: "rear"},
		},
		Measures: measures,
	}
}

const pictures = 240

// sheet lays out landmarks given in metres, x ahead and y up, as a camera with
// 200 px a metre sees them, running to the right or to the left.
func sheet(t testing.TB, e playbook.Event, rightward bool, at map[string]map[body.Landmark]r2.Vec) *Recording {
	t.Helper()
	pts := make([]int64, 200)
	for i := range pts {
		pts[i] = int64(i)
	}
	film, err := clock.NewTimeline(pts, clock.TimeBase{Num: 1, Den: pictures}, clock.Rate{Capture: pictures, Playback: pictures}, nil)
	if err != nil {
		t.Fatal(err)
	}
	s := &Recording{Event: e, Timeline: film, Stamps: map[string]int{"set": 10, "off": 60, "td": 84}, Observations: map[int]map[body.Landmark]Observation{}, View: "side-open",
		Roles: body.Start(body.Left).Near(body.Left), Sex: body.Man, HeightM: 1.80}
	px := func(v r2.Vec) r2.Vec {
		if rightward {
			return r2.Vec{X: 300 + 200*v.X, Y: 600 - 200*v.Y}
		}
		return r2.Vec{X: 980 - 200*v.X, Y: 600 - 200*v.Y}
	}
	for keyID, marks := range at {
		f := s.Stamps[keyID]
		s.Observations[f] = map[body.Landmark]Observation{}
		for l, v := range marks {
			s.Observations[f][l] = Observation{At: px(v), U: 2, Source: "placed"}
		}
	}
	a, b := px(r2.Vec{X: 1}), px(r2.Vec{X: 3})
	origin := px(r2.Vec{})
	s.Calibration = optics.Calibration{Rightward: rightward, MarkU: 2, Scale: &optics.Scale{Line: optics.Line{A: a, B: b}, Metres: 2},
		Level: &optics.Level{Line: optics.Line{A: px(r2.Vec{X: -1}), B: px(r2.Vec{X: 4})}}, Origin: &origin}
	return s
}

func polar(o r2.Vec, d, angle float64) r2.Vec {
	s, c := math.Sincos(angle * math.Pi / 180)
	return r2.Vec{X: o.X + d*c, Y: o.Y + d*s}
}

// leg is a front leg with a knee angle, its thigh at an inclination.
func leg(knee float64) map[body.Landmark]r2.Vec {
	k := r2.Vec{X: -0.1, Y: 0.5}
	return map[body.Landmark]r2.Vec{"knee.L": k, "hip.L": polar(k, 0.43, 100), "ankle.L": polar(k, 0.42, 100+knee)}
}

var kneeMeasure = playbook.Measure{ID: "knee", Name: "Knee", Kind: "included", At: []string{"set"}, Points: []string{"front.hip", "front.knee", "front.ankle"}, Unit: "deg"}

func one(t *testing.T, s *Recording, i int) Value {
	t.Helper()
	m := s.Event.Measures[i]
	v := EvaluateOne(s, m, m.At[len(m.At)-1])
	if !v.Known() {
		t.Fatalf("%s lacks %v", v.Key, v.Missing)
	}
	return v
}

func TestIncludedAngleBothDirections(t *testing.T) {
	for _, rightward := range []bool{true, false} {
		for _, want := range []float64{78, 93.5, 116, 147, 175} {
			v := one(t, sheet(t, small(kneeMeasure), rightward, map[string]map[body.Landmark]r2.Vec{"set": leg(want)}), 0)
			near(t, "the knee", v.Value, want, 1e-6)
		}
	}
}

// The ± of a knee is held against a draw of its own: 2 px on each coordinate
// of each point, and 2° for joint centres that cannot be seen.
func TestKneeUncertaintyAgainstADraw(t *testing.T) {
	s := sheet(t, small(kneeMeasure), true, map[string]map[body.Landmark]r2.Vec{"set": leg(95)})
	v := one(t, s, 0)
	r := rand.New(rand.NewPCG(3, 5))
	var sum, squares float64
	const n = 20000
	for range n {
		at := func(l body.Landmark) r2.Vec {
			p := s.Observations[10][l].At
			return r2.Vec{X: p.X + 2*r.NormFloat64(), Y: p.Y + 2*r.NormFloat64()}
		}
		x := body.Included(at("hip.L"), at("knee.L"), at("ankle.L")) + 2*r.NormFloat64()
		sum += x
		squares += x * x
	}
	drawn := math.Sqrt(squares/n - math.Pow(sum/n, 2))
	near(t, "u", v.U, drawn, 0.06*drawn)
}

func TestPartsAddUpToU(t *testing.T) {
	s := sheet(t, small(kneeMeasure), true, map[string]map[body.Landmark]r2.Vec{"set": leg(95)})
	v := one(t, s, 0)
	var squares float64
	for i, p := range v.Parts {
		squares += p.U * p.U
		if i > 0 && p.U > v.Parts[i-1].U {
			t.Errorf("the parts are not in order: %v", v.Parts)
		}
	}
	near(t, "the parts in quadrature", math.Sqrt(squares), v.U, 1e-9)
	for _, want := range []string{"placing the left knee at set", "joint centres"} {
		if !slices.ContainsFunc(v.Parts, func(p Part) bool { return p.Name == want }) {
			t.Errorf("no part %q in %v", want, v.Parts)
		}
	}
}

// What is drawn on the picture shows the number: the arc's two directions,
// read off the original pixels, enclose the measured angle.
func TestArcsAgreeWithNumbers(t *testing.T) {
	angle := func(d Overlay) float64 { return body.Included(d.From, *d.Vertex, d.To) }
	shin := playbook.Measure{ID: "shin", Name: "Shin", Kind: "shin", At: []string{"td"}, Points: []string{"stance.knee", "stance.ankle"}, Unit: "deg"}
	line := playbook.Measure{ID: "line", Name: "Line", Kind: "line", At: []string{"off"}, Points: []string{"stance.toe", "mid.hip", "mid.shoulder"}, Unit: "deg"}
	head := playbook.Measure{ID: "head", Name: "Head", Kind: "bend", At: []string{"set"}, Points: []string{"mid.hip", "mid.shoulder", "near.ear"}, Unit: "deg"}
	shoulder := r2.Vec{X: 0.5, Y: 0.8}
	at := map[string]map[body.Landmark]r2.Vec{
		"set": {"hip.L": {X: 0, Y: 0.9}, "hip.R": {X: 0, Y: 0.9}, "shoulder.L": shoulder, "shoulder.R": shoulder, "ear.L": polar(shoulder, 0.2, 11)},
		"off": {"toe.L": {X: 0, Y: 0}, "hip.L": polar(r2.Vec{}, 1, 44), "hip.R": polar(r2.Vec{}, 1, 44), "shoulder.L": polar(r2.Vec{}, 1.5, 44), "shoulder.R": polar(r2.Vec{}, 1.5, 44)},
		"td":  {"knee.R": {X: 0.2, Y: 0.5}, "ankle.R": polar(r2.Vec{X: 0.2, Y: 0.5}, 0.42, -90-33)},
	}
	for _, rightward := range []bool{true, false} {
		s := sheet(t, small(shin, line, head), rightward, at)
		for i, want := range []float64{-33, 44, 11 + math.Atan2(0.1, 0.5)*180/math.Pi} {
			v := one(t, s, i)
			near(t, v.Name, v.Value, want, 1e-6)
			arcs := 0
			for _, d := range v.Overlays {
				if d.Kind == "arc" {
					arcs++
					near(t, v.Name+" as drawn", angle(d), math.Abs(v.Value), 1e-6)
				}
			}
			if arcs != 1 {
				t.Errorf("%s has %d arcs", v.Name, arcs)
			}
		}
	}
}

func TestLengthsAndShares(t *testing.T) {
	reach := playbook.Measure{ID: "reach", Name: "Reach", Kind: "ahead", At: []string{"set"}, Points: []string{"mid.shoulder", "near.wrist"}, Unit: "m"}
	lift := playbook.Measure{ID: "lift", Name: "Lift", Kind: "above", At: []string{"set"}, Points: []string{"mid.hip", "mid.shoulder"}, Base: "trunk", Unit: "%"}
	sit := playbook.Measure{ID: "sit", Name: "Sit", Kind: "ahead", At: []string{"set"}, Points: []string{"front.hip", "front.ankle"}, Base: "leg", Unit: "%"}
	first := playbook.Measure{ID: "step", Name: "Step", Kind: "step", At: []string{"td"}, Stamps: []string{"td"}, Points: []string{"stance.toe"}, Unit: "m"}
	for _, rightward := range []bool{true, false} {
		s := sheet(t, small(reach, lift, sit, first), rightward, map[string]map[body.Landmark]r2.Vec{
			"set": {"hip.L": {X: -0.3, Y: 0.9}, "hip.R": {X: -0.3, Y: 0.9}, "shoulder.L": {X: 0.1, Y: 0.6}, "shoulder.R": {X: 0.1, Y: 0.6}, "wrist.L": {X: 0.06, Y: 0.1},
				"knee.L": {X: -0.3, Y: 0.5}, "ankle.L": {X: -0.6, Y: 0.1}},
			"td": {"toe.R": {X: 0.52, Y: 0}},
		})
		near(t, "shoulder ahead of the hand", one(t, s, 0).Value, 0.04, 1e-9)
		near(t, "hip above shoulder, of the trunk", one(t, s, 1).Value, 60, 1e-6)
		near(t, "hip ahead of the foot, of the leg", one(t, s, 2).Value, 100*0.3/0.9, 1e-6)
		near(t, "the first step, from the line", one(t, s, 3).Value, 0.52, 1e-9)
		if u := one(t, s, 3).U; u < 0.01 || u > 0.05 {
			t.Errorf("a step's u of %.3f m is not of the size that 2 px at 200 px a metre give", u)
		}
	}
}

func TestDurationsCarryTheFrames(t *testing.T) {
	m := playbook.Measure{ID: "flight", Name: "Flight", Kind: "duration", At: []string{"td"}, Stamps: []string{"off", "td"}, Unit: "s"}
	v := one(t, sheet(t, small(m), true, nil), 0)
	d := 1.0 / pictures
	near(t, "24 pictures", v.Value, 24*d, 1e-9)
	near(t, "u of two contacts, and of a phone's rate", v.U, math.Hypot(math.Sqrt(2*(d*d/12+d*d/12)), 0.001*24*d), 1e-9)
	near(t, "what one picture changes", v.Step, d, 1e-9)
}

func TestCentreOfMassSpeedInFlight(t *testing.T) {
	m := playbook.Measure{ID: "speed", Name: "Speed", Kind: "flight-speed", At: []string{"td"}, Stamps: []string{"off", "td"}, Unit: "m/s",
		Points: []string{"mid.hip", "mid.shoulder", "front.knee", "front.ankle", "rear.knee", "rear.ankle"}}
	pose := func(x float64) map[body.Landmark]r2.Vec {
		out := map[body.Landmark]r2.Vec{}
		for l, v := range map[body.Landmark]r2.Vec{"hip.L": {Y: 0.95}, "shoulder.L": {X: 0.4, Y: 1.3}, "knee.L": {X: -0.2, Y: 0.5}, "ankle.L": {X: -0.5, Y: 0.2}, "knee.R": {X: 0.3, Y: 0.6}, "ankle.R": {X: 0.2, Y: 0.2}} {
			out[l] = r2.Vec{X: v.X + x, Y: v.Y}
		}
		return out
	}
	v := one(t, sheet(t, small(m), true, map[string]map[body.Landmark]r2.Vec{"off": pose(0), "td": pose(0.31)}), 0)
	near(t, "0.31 m in 0.1 s", v.Value, 3.1, 1e-6)
	if !slices.ContainsFunc(v.Parts, func(p Part) bool { return strings.Contains(p.Name, "arms not placed") }) {
		t.Error("the missing arms cost nothing")
	}
}

func TestWhatIsMissingIsNamed(t *testing.T) {
	step := playbook.Measure{ID: "step", Name: "Step", Kind: "step", At: []string{"td"}, Stamps: []string{"td"}, Points: []string{"stance.toe"}, Unit: "m"}
	away := playbook.Measure{ID: "wide", Name: "Wide", Kind: "included", At: []string{"set"}, Points: kneeMeasure.Points, Unit: "deg", Views: []string{"front"}}
	full := func() *Recording {
		return sheet(t, small(kneeMeasure, step, away), true, map[string]map[body.Landmark]r2.Vec{"set": leg(95), "td": {"toe.R": {X: 0.5}}})
	}
	for _, c := range []struct {
		name, kind, says string
		measure          int
		spoil            func(*Recording)
	}{
		{"no stamp", "stamp", "stamp set", 0, func(s *Recording) { delete(s.Stamps, "set") }},
		{"no knee", "landmark", "place the left knee at set", 0, func(s *Recording) { delete(s.Observations[10], "knee.L") }},
		{"no scale", "scale", "set the scale", 1, func(s *Recording) { s.Calibration.Scale = nil }},
		{"no line", "origin", "mark the start line", 1, func(s *Recording) { s.Calibration.Origin = nil }},
		{"a scale too short", "scale", "longer", 0, func(s *Recording) { s.Calibration.Scale.B = s.Calibration.Scale.A }},
		{"another view", "view", "seen from the front", 2, func(s *Recording) {}},
		{"a stamp past the end", "stamp", "no picture 900", 1, func(s *Recording) {
			s.Event.Measures[1].Kind, s.Event.Measures[1].Stamps = "duration", []string{"off", "td"}
			s.Stamps["td"] = 900
		}},
	} {
		t.Run(c.name, func(t *testing.T) {
			s := full()
			c.spoil(s)
			m := s.Event.Measures[c.measure]
			v := EvaluateOne(s, m, m.At[0])
			if v.Known() || v.Missing[0].Kind != c.kind || !strings.Contains(v.Missing[0].What, c.says) {
				t.Errorf("got %v", v.Missing)
			}
			if v.Value != 0 || v.U != 0 {
				t.Errorf("a number all the same: %v ± %v", v.Value, v.U)
			}
		})
	}
}

// A far hip hides behind the near one: it is read off it, at a cost.
func TestHiddenHipCostsUncertainty(t *testing.T) {
	rear := playbook.Measure{ID: "knee", Name: "Knee", Kind: "included", At: []string{"set"}, Points: []string{"rear.hip", "rear.knee", "rear.ankle"}, Unit: "deg"}
	k := r2.Vec{X: -0.2, Y: 0.5}
	marks := map[body.Landmark]r2.Vec{"shoulder.L": {X: 0.4, Y: 0.8}, "hip.L": polar(k, 0.43, 100), "knee.R": k, "ankle.R": polar(k, 0.42, 226)}
	hidden := one(t, sheet(t, small(rear), true, map[string]map[body.Landmark]r2.Vec{"set": marks}), 0)
	marks["hip.R"] = marks["hip.L"]
	seen := one(t, sheet(t, small(rear), true, map[string]map[body.Landmark]r2.Vec{"set": marks}), 0)
	near(t, "the same knee", hidden.Value, seen.Value, 1e-9)
	if hidden.U < 1.1*seen.U {
		t.Errorf("u is %.2f with the hip hidden, %.2f with it seen", hidden.U, seen.U)
	}
}

func TestNeedsAskOnlyForWhatIsUsed(t *testing.T) {
	trunk := playbook.Measure{ID: "lift", Kind: "above", At: []string{"set"}, Points: []string{"mid.hip", "mid.shoulder"}}
	rear := playbook.Measure{ID: "knee", Kind: "included", At: []string{"set"}, Points: []string{"rear.hip", "rear.knee", "rear.ankle"}}
	rise := playbook.Measure{ID: "rise", Kind: "line-rise", At: []string{"td"}, Stamps: []string{"off", "td"}, Points: []string{"stance.toe", "mid.hip"}}
	e := small(trunk, rear, rise)
	roles := body.Start(body.Left).Near(body.Left)
	for keyID, want := range map[string][]body.Landmark{
		"set": {"shoulder.L", "hip.L", "knee.R", "ankle.R"},
		"off": {"hip.L", "toe.L"},
		"td":  {"hip.L", "toe.R"},
		"nil": nil,
	} {
		if got := (&Recording{Event: e, Roles: roles}).RequiredLandmarks(keyID); !slices.Equal(got, want) {
			t.Errorf("%s needs %v, want %v", keyID, got, want)
		}
	}
}

func BenchmarkOneKnee(b *testing.B) {
	s := sheet(b, small(kneeMeasure), true, map[string]map[body.Landmark]r2.Vec{"set": leg(95)})
	for b.Loop() {
		EvaluateOne(s, kneeMeasure, "set")
	}
}

// The toe moves back against the lane at 1.5 m/s in the last three pictures
// before contact; its ± is two placings over that time.
func TestFootSpeedBeforeContact(t *testing.T) {
	e := playbook.Event{
		Keys:     []playbook.Key{{ID: "td", Name: "contact", Nature: "contact", Lands: "front"}},
		Measures: []playbook.Measure{{ID: "foot-speed", Name: "Foot speed", Kind: "foot-speed", At: []string{"td"}, Points: []string{"stance.toe"}, Unit: "m/s"}},
	}
	s := sheet(t, e, true, nil)
	s.Calibration = optics.Calibration{Rightward: true, MarkU: 2, Scale: &optics.Scale{Line: optics.Line{A: r2.Vec{X: 100, Y: 600}, B: r2.Vec{X: 300, Y: 600}}, Metres: 1}}
	v := EvaluateOne(s, e.Measures[0], "td")
	if len(v.Missing) != 2 || v.Missing[0].What != "place the left toe on picture 80, 4 pictures before contact" {
		t.Fatalf("with nothing placed it lacks %+v", v.Missing)
	}
	extras := ExtraLandmarks(s)
	if len(extras) != 2 || extras[0].Frame != 80 || extras[1].Frame != 83 || extras[0].Landmark != "toe.L" {
		t.Fatalf("it wants %+v", extras)
	}
	for _, x := range extras {
		s.Observations[x.Frame] = map[body.Landmark]Observation{x.Landmark: {At: r2.Vec{X: 400 - 200*1.5*float64(x.Frame-80)/pictures, Y: 590}, U: 2}}
	}
	v = EvaluateOne(s, e.Measures[0], "td")
	if !v.Known() || math.Abs(v.Value+1.5) > 1e-9 {
		t.Errorf("it is %v, %+v", v.Value, v.Missing)
	}
	if want := math.Sqrt2 * 2 / 200 * pictures / 3; math.Abs(v.U-want) > 0.02*want {
		t.Errorf("u is %.3f m/s, two placings give %.3f", v.U, want)
	}
	delete(s.Stamps, "td")
	s.Stamps["td"] = 3
	if v := EvaluateOne(s, e.Measures[0], "td"); v.Known() || len(ExtraLandmarks(s)) != 0 {
		t.Error("a contact at the film's beginning has a foot speed")
	}
}

// What cannot be, and what says nothing, is no number: it is said why.
func TestNonsenseIsNoNumber(t *testing.T) {
	for _, c := range []struct {
		v    Value
		kind string
		says string
	}{
		{Value{Unit: "%", Value: 621, U: 116247}, "apart-share", "its ± would be 2.32e+05 %"},
		{Value{Unit: "deg", Value: 90, U: 80}, "included", "its ± would be 160°"},
		{Value{Unit: "deg", Value: 240, U: 3}, "included", "which cannot be"},
		{Value{Unit: "m/s", Value: 95, U: 2}, "release-speed", "which cannot be"},
		{Value{Unit: "deg", Value: 240, U: 3}, "facing", ""},
		{Value{Unit: "deg", Value: 178, U: 9}, "included", ""},
		{Value{Unit: "", Value: 1.04, U: 0.03}, "step-growth", ""},
	} {
		if got := nonsense(c.v, c.kind); c.says == "" && got != "" || !strings.Contains(got, c.says) {
			t.Errorf("%v %s ± %v: %q, want %q", c.v.Value, c.v.Unit, 2*c.v.U, got, c.says)
		}
	}
}

// A point that is followed badly beside one that was placed takes nothing from it.
func TestFollowingTakesNothingFromPlacedPoints(t *testing.T) {
	film, err := clock.NewTimeline([]int64{0, 1, 2, 3, 4, 5}, clock.TimeBase{Num: 1, Den: 120}, clock.Rate{Capture: 120, Playback: 120}, nil)
	if err != nil {
		t.Fatal(err)
	}
	other := SecondView{Timeline: film, Observations: map[int]map[body.Landmark]Observation{3: {"hip.L": {At: r2.Vec{X: 500, Y: 300}, U: 2, Source: "placed"}}}}
	alone, ok := other.at("hip.L", 0.0249, 0.001, &stamped{frame: 3})
	if !ok {
		t.Fatal("a placed point is not seen")
	}
	other.Observations[2] = map[body.Landmark]Observation{"hip.L": {At: r2.Vec{X: 540, Y: 300}, U: 30, Source: "followed"}}
	beside, ok := other.at("hip.L", 0.0249, 0.001, &stamped{frame: 3})
	if !ok || beside.U > alone.U || beside.Px != alone.Px {
		t.Errorf("with a point followed to ± 30 px beside it: %v ± %.1f px, alone %v ± %.1f px", beside.Px, beside.U, alone.Px, alone.U)
	}
}

// Key positions that the server found on another film are off by more than their
// pictures: the clocks are joined as much worse.
func TestFoundKeyPositionsOfAnotherFilmWidenTheJoinedClock(t *testing.T) {
	film, err := clock.NewTimeline([]int64{0, 1, 2, 3, 4, 5, 6, 7, 8, 9}, clock.TimeBase{Num: 1, Den: 120}, clock.Rate{Capture: 120, Playback: 120}, nil)
	if err != nil {
		t.Fatal(err)
	}
	e := playbook.Event{Keys: []playbook.Key{{ID: "off", Nature: "contact"}, {ID: "down", Nature: "contact"}}}
	stamps := map[string]int{"off": 2, "down": 8}
	here, there := Recording{Event: e, Timeline: film, Stamps: stamps}, Recording{Timeline: film, Stamps: stamps}
	placed, shared, err := here.AlignClocks(there.SecondView(optics.View{}))
	if err != nil || len(shared) != 2 {
		t.Fatalf("%v are shared: %v", shared, err)
	}
	there.StampU = map[string]float64{"off": 0.02, "down": 0.02}
	found, _, err := here.AlignClocks(there.SecondView(optics.View{}))
	if err != nil {
		t.Fatal(err)
	}
	// Two stamps of ± 0.02 s: their mean is known to 0.02/√2.
	if want := 0.02 / math.Sqrt2; math.Abs(found.OffsetU-want) > 0.003 || found.OffsetU < 2*placed.OffsetU {
		t.Errorf("joined to ± %.4f s, by stamps of the coach to ± %.4f s; want %.4f", found.OffsetU, placed.OffsetU, want)
	}
}
