package segment

import (
	"math"
	"strings"
	"testing"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/body"
	"neokinema/core/footfall"
	"neokinema/core/measure"
	"neokinema/core/optics"
	"neokinema/core/playbook"
)

// Each way in which a playbook says that a key position is found is held against an
// instant that is worked out by hand. The film runs at 100 pictures a second over
// two seconds, seen from the side, with 100 px a metre.
type wayExample struct {
	way    string
	names  []string                                 // what the way is of
	want   float64                                  // s
	within float64                                  // s
	course func(t float64) map[body.Landmark]r2.Vec // m, x ahead and y up
	view   string                                   // empty: the open side
}

func up(name body.Landmark, y float64) map[body.Landmark]r2.Vec {
	return map[body.Landmark]r2.Vec{name: {Y: y}}
}

// foot is a left foot that comes down with 2 m/s, stands from 0.5 to 1.0 s, and goes
// up with 2 m/s.
func foot(t float64) map[body.Landmark]r2.Vec {
	y := 2 * math.Max(0, math.Max(0.5-t, t-1.0))
	return map[body.Landmark]r2.Vec{"toe.L": {Y: y}, "heel.L": {X: -0.2, Y: y}}
}

var ways = []wayExample{
	// a parabola, y = 2 − 3(t − 0.8)², turns at 0.8 s
	{way: apex, names: []string{"mid.hip"}, want: 0.8, within: 1e-6, course: func(t float64) map[body.Landmark]r2.Vec { return up("hip.L", 2-3*math.Pow(t-0.8, 2)) }},
	{way: highest, names: []string{"neck"}, want: 0.8, within: 1e-6, course: func(t float64) map[body.Landmark]r2.Vec { return up("neck", 2-3*math.Pow(t-0.8, 2)) }},
	{way: lowest, names: []string{"neck"}, want: 0.8, within: 1e-6, course: func(t float64) map[body.Landmark]r2.Vec { return up("neck", 1+3*math.Pow(t-0.8, 2)) }},
	// one knee goes by the other with 4 m/s, level with it at 0.9 s
	{way: passes, names: []string{"free.knee", "takeoff.knee"}, want: 0.9, within: 1e-6, course: func(t float64) map[body.Landmark]r2.Vec {
		return map[body.Landmark]r2.Vec{"knee.L": {X: 4 * (t - 0.9), Y: 0.5}, "knee.R": {Y: 0.5}}
	}},
	{way: rises, names: []string{"free.knee", "takeoff.knee"}, want: 0.9, within: 1e-6, course: func(t float64) map[body.Landmark]r2.Vec {
		return map[body.Landmark]r2.Vec{"knee.L": {Y: 0.5 + 2*(t-0.9)}, "knee.R": {Y: 0.5}}
	}},
	// ankle and hip are nearest to each other at 0.7 s
	{way: shortest, names: []string{"free.hip", "free.ankle"}, want: 0.7, within: 1e-6, course: func(t float64) map[body.Landmark]r2.Vec {
		return map[body.Landmark]r2.Vec{"hip.L": {Y: 1}, "ankle.L": {Y: 0.6 - 2*math.Pow(t-0.7, 2)}}
	}},
	// it rests, and goes off with 20 m/s² at 0.6 s
	{way: sets, names: []string{"neck"}, want: 0.6, within: 0.012, course: func(t float64) map[body.Landmark]r2.Vec {
		return map[body.Landmark]r2.Vec{"neck": {X: 10 * math.Pow(math.Max(0, t-0.6), 2), Y: 1}}
	}},
	// seen from behind, an implement goes round once a second; it is left of the hips
	// and passes them toward the right at 1 s
	{way: back, names: []string{"implement"}, want: 1, within: 1e-3, view: "back", course: func(t float64) map[body.Landmark]r2.Vec {
		return map[body.Landmark]r2.Vec{"implement": {X: 1.5 * math.Sin(2*math.Pi*t), Y: 1}, "hip.L": {X: -0.1, Y: 0.9}, "hip.R": {X: 0.1, Y: 0.9}}
	}},
	// from the side it is farthest behind at 1 s
	{way: back, names: []string{"implement"}, want: 1, within: 1e-3, course: func(t float64) map[body.Landmark]r2.Vec {
		return map[body.Landmark]r2.Vec{"implement": {X: -1.5 * math.Cos(2*math.Pi*t), Y: 1}, "hip.L": {Y: 0.9}}
	}},
	// the networks below call a foot standing up to 2 % of a leg, at 2 m/s, and an
	// implement flying from 10 % of a leg ahead of the hand, at 10 m/s
	{way: lands, names: []string{"free"}, want: 0.5 - 0.02*legMetres/2, within: 1e-4, course: foot},
	{way: touches, want: 0.5 - 0.02*legMetres/2, within: 1e-4, course: foot},
	{way: leaves, names: []string{"implement"}, want: 1.2 + 0.1*legMetres/10, within: 1e-4, course: func(t float64) map[body.Landmark]r2.Vec {
		return map[body.Landmark]r2.Vec{"knuckle.R": {X: t, Y: 1.8}, "implement": {X: t + 10*math.Max(0, t-1.2), Y: 1.8}}
	}},
}

// legMetres is the leg of an athlete of 1.80 m.
const legMetres = 1.8 * body.LegShare

// rules are networks of one row each: of the toe's height over the ground, and of
// how far the hand is behind the implement.
func rules() footfall.Models {
	row := func() footfall.Layer { return footfall.Layer{make([]float32, footfall.FeatureCount()+1)} }
	stands, flies := row(), row()
	n := footfall.FeatureCount()
	stands[0][n-2], stands[0][n] = -500, 500*0.02
	now := len(footfall.FeatureOffsets) / 2
	flies[0][4*now+2], flies[0][n] = -500, -500*0.1
	return footfall.Models{Stands: footfall.MLP{stands}, Flies: footfall.MLP{flies}}
}

func TestEachWayOfFindingAKeyPosition(t *testing.T) {
	tried := map[string]bool{}
	for _, x := range ways {
		tried[x.way] = true
		s := filmed(t, x.course)
		if x.view != "" {
			s.View = x.view
		}
		s.Event.Keys = []playbook.Key{{ID: "key", Name: "key", Nature: "still", Found: append([]string{x.way}, x.names...)}}
		found, err := Propose(s, rules())
		if err != nil || len(found) != 1 {
			t.Errorf("%s finds %v, %v", x.way, found, err)
			continue
		}
		p := found[0]
		if math.Abs(p.T-x.want) > x.within || p.Frame != int(math.Round(100*p.T)) {
			t.Errorf("%s is found at %.4f s, picture %d; by hand it is %.4f s", x.way, p.T, p.Frame, x.want)
		}
		if !(p.U > 0) || !(p.Confidence > 0 && p.Confidence <= 1) || p.From == "" {
			t.Errorf("%s has u %v, confidence %v, read off %q", x.way, p.U, p.Confidence, p.From)
		}
	}
	for way := range Ways {
		if !tried[way] && way != halfway && way != rests {
			t.Errorf("%s has no example", way)
		}
	}
}

// Half-way in time between a stamp and a contact that is found; the contact's two
// ends come from one foot.
func TestHalfwayBetweenAStampAndAContact(t *testing.T) {
	s := filmed(t, foot)
	s.Event.Keys = []playbook.Key{{ID: "first", Name: "first", Nature: "still"}, {ID: "mid", Name: "mid", Nature: "still", Found: []string{halfway, "first", "down"}},
		{ID: "down", Name: "down", Nature: "contact", Lands: "free"}, {ID: "off", Name: "off", Nature: "contact", Lifts: "free"}}
	s.Stamps["first"] = 20
	found, err := Propose(s, rules())
	if err != nil || len(found) != 3 {
		t.Fatalf("%v, %v", found, err)
	}
	down, off := 0.5-0.02*legMetres/2, 1.0+0.02*legMetres/2
	for i, want := range []float64{(0.2 + down) / 2, down, off} {
		if math.Abs(found[i].T-want) > 1e-4 {
			t.Errorf("%s is found at %.4f s, by hand it is %.4f s", found[i].KeyID, found[i].T, want)
		}
	}
}

// The last still picture lies a little before the first movement.
func TestTheBodyRestsBeforeItSetsOff(t *testing.T) {
	s := filmed(t, func(t float64) map[body.Landmark]r2.Vec {
		return map[body.Landmark]r2.Vec{"neck": {X: 10 * math.Pow(math.Max(0, t-0.6), 2), Y: 1}}
	})
	s.Event.Keys = []playbook.Key{{ID: "set", Name: "set", Nature: "still", Found: []string{rests, "move"}},
		{ID: "move", Name: "move", Nature: "still", Found: []string{sets, "neck"}}}
	found, err := Propose(s, rules())
	if err != nil || len(found) != 2 {
		t.Fatalf("%v, %v", found, err)
	}
	if set, move := found[0], found[1]; set.T > 0.6 || set.T < move.T-0.1 || set.Confidence < 0.5 {
		t.Errorf("set is found at %.3f s, sure to %.2f, the first movement at %.3f s; it begins at 0.6 s", set.T, set.Confidence, move.T)
	}
}

// filmed lays a course out as followed points.
func filmed(t *testing.T, course func(t float64) map[body.Landmark]r2.Vec) *measure.Recording {
	s := turns(t)
	s.View, s.Event.Phases, s.Event.Measures = "side-open", nil, nil
	s.Roles = body.Roles{"free": body.Left, "takeoff": body.Right, "throwing": body.Right, "near": body.Left, "far": body.Right}
	s.Calibration.Scale = &optics.Scale{Line: optics.Line{A: r2.Vec{X: 600, Y: 500}, B: r2.Vec{X: 800, Y: 500}}, Metres: 2}
	for frame := range s.Timeline.Len() {
		s.Observations[frame] = map[body.Landmark]measure.Observation{}
		for l, v := range course(s.Timeline.At(frame)) {
			s.Observations[frame][l] = measure.Observation{At: r2.Vec{X: 600 + 100*v.X, Y: 500 - 100*v.Y}, U: 0.1, Source: "followed"}
		}
	}
	return s
}

// What cannot be is not proposed: the surer one of two that contradict each other
// stands, and what is stamped stands before both.
func TestProposalsStandInOrder(t *testing.T) {
	e := playbook.Event{Keys: []playbook.Key{
		{ID: "low", Name: "low", Nature: "still"}, {ID: "entry", Name: "entry", Nature: "change", After: []string{"low"}}, {ID: "catch", Name: "catch", Nature: "contact", After: []string{"entry"}},
	}}
	proposals := []Proposal{{KeyID: "low", Frame: 90, Confidence: 1}, {KeyID: "entry", Frame: 40, Confidence: 0.8}, {KeyID: "catch", Frame: 60, Confidence: 0.7}}
	for _, c := range []struct {
		stamps map[string]int
		want   string
	}{
		{nil, "low"}, {map[string]int{"entry": 41}, "entry catch"}, {map[string]int{"catch": 95}, "low catch"},
	} {
		var got []string
		for _, p := range InOrder(e, c.stamps, proposals) {
			got = append(got, p.KeyID)
		}
		if strings.Join(got, " ") != c.want {
			t.Errorf("with %v stamped: %v, want %s", c.stamps, got, c.want)
		}
	}
}

// A ball is at one place: two key positions that are read off it are not on one picture.
func TestOnePictureShowsABallOnce(t *testing.T) {
	e := playbook.Event{Keys: []playbook.Key{
		{ID: "wind", Found: []string{"back", "implement"}}, {ID: "entry", Found: []string{"back", "implement"}}, {ID: "off", Found: []string{"rises", "toe.L"}},
	}}
	proposals := []Proposal{{KeyID: "wind", Frame: 30, Confidence: 0.6}, {KeyID: "entry", Frame: 30, Confidence: 0.9}, {KeyID: "off", Frame: 30, Confidence: 0.5}}
	var got []string
	for _, p := range InOrder(e, nil, proposals) {
		got = append(got, p.KeyID)
	}
	if strings.Join(got, " ") != "entry off" {
		t.Errorf("proposed: %v", got)
	}
}

// A release that is not seen as a flight: a javelin that slips out of the hand just
// before it is out of the picture, and a shot, by the hand that slows on its way up.
func TestReleasesWithoutAFlight(t *testing.T) {
	// It slips out with 10 m/s at 1.2 s and is in sight for 0.03 s more; less than 10 %
	// of a leg from the hand the networks call it held.
	slips := filmed(t, func(at float64) map[body.Landmark]r2.Vec {
		on := map[body.Landmark]r2.Vec{"knuckle.R": {X: at, Y: 1.8}}
		if at < 1.235 {
			on["implement"] = r2.Vec{X: at + 10*math.Max(0, at-1.2), Y: 1.8}
		}
		return on
	})
	// The hand rises by 3 m in half a wave from 0.4 to 0.8 s: its speed is a sine, and
	// seven tenths of the fastest at 0.8 − 0.4·asin(0.7)/π.
	put := filmed(t, func(at float64) map[body.Landmark]r2.Vec {
		share := math.Max(0, math.Min(1, (at-0.4)/0.4))
		y := 1.5 * (1 - math.Cos(math.Pi*share))
		return map[body.Landmark]r2.Vec{"knuckle.R": {Y: y}, "implement": {Y: y}}
	})
	put.Event.Ball = &playbook.Ball{Held: true, Pushed: true}
	for name, x := range map[string]struct {
		film   *measure.Recording
		want   float64
		within float64
	}{"slips": {slips, 1.2, 0.002}, "put": {put, 0.8 - 0.4*math.Asin(0.7)/math.Pi, 0.002}} {
		x.film.Event.Keys = []playbook.Key{{ID: "release", Name: "release", Nature: "change", Found: []string{leaves, "implement"}}}
		nets := rules()
		if name == "slips" {
			nets.Flies = nets.Stands // tells of feet alone
		}
		found, err := Propose(x.film, nets)
		if err != nil || len(found) != 1 || math.Abs(found[0].T-x.want) > x.within || found[0].U < 0.004 {
			t.Errorf("%s: %+v, %v; by hand it is %.4f s", name, found, err, x.want)
		}
	}
}
