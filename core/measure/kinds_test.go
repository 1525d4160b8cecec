package measure

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"testing"

	"gonum.org/v1/gonum/spatial/r2"
	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
	"neokinema/core/clock"
	"neokinema/core/flight"
	"neokinema/core/optics"
	"neokinema/core/playbook"
)

// Every kind is held against values worked out by hand. The film runs at 240
// pictures a second; its key positions lie on these pictures, all of them still:
// a–b 0.1 s, b–c 0.15 s, c–d 0.1 s, d–e 0.1 s, e–f 0.2 s. At b and d the left foot
// stands, at c and e the right one.
var on = map[string]int{"a": 20, "b": 44, "c": 80, "d": 104, "e": 128, "f": 176, "entry-0": 20, "zero#1": 140, "release": 60}

func handEvent() playbook.Event {
	return playbook.Event{Aligned: true, Line: "line", Masses: map[string]float64{"man": 7.26}, Keys: []playbook.Key{
		{ID: "a", Name: "a", Nature: "still"}, {ID: "b", Name: "b", Nature: "still", Lands: "front"}, {ID: "c", Name: "c", Nature: "still", Lands: "rear"},
		{ID: "d", Name: "d", Nature: "still", Lands: "front"}, {ID: "e", Name: "e", Nature: "still", Lands: "rear"}, {ID: "f", Name: "f", Nature: "still"},
		{ID: "entry-0", Name: "entry", Nature: "still"}, {ID: "zero#1", Name: "zero 1", Nature: "still"}, {ID: "release", Name: "release", Nature: "still"},
	}}
}

// spots are landmarks with their places, as in "hip.L 0 0.9; knee.L 0.1 0.5": x
// ahead and y up in the plane, or x toward the throw, y left and z up in space, m.
type spots string

func (s spots) each(t *testing.T, then func(l body.Landmark, at []float64)) {
	t.Helper()
	for _, one := range strings.Split(string(s), ";") {
		words := strings.Fields(one)
		if len(words) == 0 {
			continue
		}
		var at []float64
		for _, w := range words[1:] {
			v, err := strconv.ParseFloat(w, 64)
			if err != nil || !body.Landmark(words[0]).Valid() {
				t.Fatalf("%q is no landmark with its place", one)
			}
			at = append(at, v)
		}
		then(body.Landmark(words[0]), at)
	}
}

// at writes spots whose numbers are computed.
func at(format string, numbers ...any) spots { return spots(fmt.Sprintf(format, numbers...)) }

// example is a measure with what it must come to.
type example struct {
	kind   string
	points string // roles, separated by spaces
	stamps string // key positions, the measured one marked by *
	want   float64
	within float64 // 0: to the last digits

	by     map[string]spots          // by key position
	course func(frame int) spots     // else, or also, on every picture
	view   string                    // empty: the open side
	change func(m *playbook.Measure) // what else the measure says
}

func (x example) measure() (m playbook.Measure, keyID string) {
	m = playbook.Measure{ID: x.kind, Name: x.kind, Kind: x.kind, Unit: "m", Points: strings.Fields(x.points)}
	if units := signatures[x.kind].units; !slices.Contains(units, "m") && !slices.Contains(units, "%") {
		m.Unit = units[0]
	}
	for _, s := range strings.Fields(x.stamps) {
		name, here := strings.CutSuffix(s, "*")
		if here {
			keyID = name
		}
		m.Stamps = append(m.Stamps, name)
	}
	m.At = []string{keyID}
	if x.change != nil {
		x.change(&m)
	}
	return m, keyID
}

func (x example) recording(t *testing.T, space bool) *Recording {
	pts := make([]int64, 200)
	for i := range pts {
		pts[i] = int64(i)
	}
	film, err := clock.NewTimeline(pts, clock.TimeBase{Num: 1, Den: pictures}, clock.Rate{Capture: pictures, Playback: pictures}, nil)
	if err != nil {
		t.Fatal(err)
	}
	roles := body.Roles{"free": body.Left, "takeoff": body.Right, "throwing": body.Right, "left": body.Left, "right": body.Right}
	for role, side := range body.Start(body.Left).Near(body.Left) {
		roles[role] = side
	}
	s := &Recording{Event: handEvent(), Timeline: film, Stamps: map[string]int{}, Observations: map[int]map[body.Landmark]Observation{}, Roles: roles, View: x.view, Sex: body.Man, HeightM: 1.80}
	for keyID, frame := range on {
		s.Stamps[keyID] = frame
	}
	if s.View == "" {
		s.View = "side-open"
	}
	origin := r2.Vec{X: 300, Y: 600}
	s.Calibration = optics.Calibration{Rightward: true, MarkU: 2, Origin: &origin,
		Scale: &optics.Scale{Line: optics.Line{A: r2.Vec{X: 300, Y: 600}, B: r2.Vec{X: 700, Y: 600}}, Metres: 2}}
	if space {
		s.Paired, s.reconstructed = true, map[int]map[body.Landmark]optics.Point3D{}
	}
	put := func(frame int, some spots) {
		some.each(t, func(l body.Landmark, at []float64) {
			if space {
				if s.reconstructed[frame] == nil {
					s.reconstructed[frame] = map[body.Landmark]optics.Point3D{}
				}
				s.reconstructed[frame][l] = optics.Point3D{At: r3.Vec{X: at[0], Y: at[1], Z: at[2]}, Spread: [3]r3.Vec{{X: 0.01}, {Y: 0.01}, {Z: 0.01}}}
				return
			}
			if s.Observations[frame] == nil {
				s.Observations[frame] = map[body.Landmark]Observation{}
			}
			s.Observations[frame][l] = Observation{At: r2.Vec{X: 300 + 200*at[0], Y: 600 - 200*at[1]}, U: 2, Source: "placed"}
		})
	}
	if x.course != nil {
		for frame := range pts {
			put(frame, x.course(frame))
		}
	}
	for keyID, some := range x.by {
		put(on[keyID], some)
	}
	return s
}

// after is the time since a key position, s.
func after(frame int, keyID string) float64 { return float64(frame-on[keyID]) / pictures }

func share(m *playbook.Measure)   { m.Unit = "%" }
func degrees(m *playbook.Measure) { m.Unit = "deg" }
func seconds(m *playbook.Measure) { m.Unit = "s" }
func newtons(m *playbook.Measure) { m.Unit = "N" }

// bowl is 0.1 m, or so many degrees, over its lowest at the ends of a stretch and 0
// in its middle: a parabola.
func bowl(frame int, from, to string, depth float64) float64 {
	a, b := float64(on[from]), float64(on[to])
	x := (2*float64(frame) - a - b) / (b - a)
	return depth * x * x
}

// One body, all of it at one point: so its centre of mass is there.
func together(x, y float64) spots {
	return at("hip.L %[1]g %[2]g; hip.R %[1]g %[2]g; shoulder.L %[1]g %[2]g; shoulder.R %[1]g %[2]g; elbow.L %[1]g %[2]g; elbow.R %[1]g %[2]g; wrist.L %[1]g %[2]g; wrist.R %[1]g %[2]g; knee.L %[1]g %[2]g; knee.R %[1]g %[2]g; ankle.L %[1]g %[2]g; ankle.R %[1]g %[2]g", x, y)
}

const massPoints = "mid.hip mid.shoulder front.knee front.ankle rear.knee rear.ankle"

// thrown is an implement at b that flies off with 15 m/s ahead and 10 m/s up.
func thrownOff(frame int) spots {
	t := after(frame, "b")
	if t < 0 {
		return ""
	}
	return at("implement %g %g", 1.5+15*t, 2+10*t-flight.G*t*t/2)
}

// turning is a ball on a circle of 1.5 m that passes the back at a and goes round
// twice a second, its plane inclined by 30°, lowest at the back, seen from behind.
func turning(frame int) spots {
	az := 4 * math.Pi * after(frame, "a")
	return at("implement %g %g", 1.5*math.Sin(az), 1.2-1.5*math.Cos(az)*math.Sin(math.Pi/6))
}

var inThePicture = []example{
	// a right angle; an L of hip, knee and ankle
	{kind: "included", points: "front.hip front.knee front.ankle", stamps: "a*", want: 90, change: degrees, by: map[string]spots{"a": "hip.L 0 0.9; knee.L 0 0.5; ankle.L 0.4 0.5"}},
	{kind: "line", points: "front.toe mid.hip mid.shoulder", stamps: "a*", want: 45, change: degrees, by: map[string]spots{"a": "toe.L 0 0; hip.L 0.5 0.5; hip.R 0.5 0.5; shoulder.L 1 1; shoulder.R 1 1"}},
	// leans of 30°: half of the length goes aside, sin 30° = 1/2
	{kind: "lean", points: "front.hip front.shoulder", stamps: "a*", want: 30, change: degrees, by: map[string]spots{"a": at("hip.L 0 0; shoulder.L 0.5 %g", math.Sqrt(0.75))}},
	{kind: "lean", points: "front.hip front.shoulder", stamps: "a*", want: 30, change: degrees, view: "back", by: map[string]spots{"a": at("hip.L 0 0; shoulder.L -0.5 %g", math.Sqrt(0.75))}},
	{kind: "lean-in", points: "front.hip front.shoulder", stamps: "a*", want: 30, change: degrees, view: "back", by: map[string]spots{"a": at("hip.L 0 0; shoulder.L 0.5 %g", math.Sqrt(0.75))}},
	{kind: "break-in", points: "front.ankle front.hip front.shoulder", stamps: "a*", want: 30, change: degrees, view: "back", by: map[string]spots{"a": at("ankle.L 0 0; hip.L 0 0.9; shoulder.L 0.25 %g", 0.9+0.5*math.Sqrt(0.75))}},
	{kind: "recline", points: "front.hip front.shoulder", stamps: "a*", want: 30, change: degrees, by: map[string]spots{"a": at("hip.L 0 0; shoulder.L -0.5 %g", math.Sqrt(0.75))}},
	{kind: "incline", points: "front.hip front.knee", stamps: "a*", want: 30, change: degrees, by: map[string]spots{"a": at("hip.L 0 0; knee.L %g 0.5", math.Sqrt(0.75))}},
	{kind: "incline-back", points: "front.hip front.knee", stamps: "a*", want: 30, change: degrees, by: map[string]spots{"a": at("hip.L 0 0; knee.L %g 0.5", -math.Sqrt(0.75))}},
	{kind: "tilt", points: "front.hip rear.hip", stamps: "a*", want: 45, change: degrees, by: map[string]spots{"a": "hip.L 0.2 1.1; hip.R 0 0.9"}},
	{kind: "tilt-gap", points: "front.shoulder rear.shoulder front.hip rear.hip", stamps: "a*", want: 45, change: degrees, by: map[string]spots{"a": "shoulder.L 0.2 1.6; shoulder.R 0 1.4; hip.L 0.2 0.9; hip.R 0 0.9"}},
	{kind: "flexion", points: "front.hip front.knee front.ankle", stamps: "a*", want: 90, change: degrees, by: map[string]spots{"a": "hip.L 0 0.9; knee.L 0.4 0.5; ankle.L 0 0.1"}},
	// pushed through by 2·atan(0.02 ÷ 0.4)
	{kind: "flexion", points: "front.hip front.knee front.ankle", stamps: "a*", want: -2 * math.Atan(0.05) * 180 / math.Pi, change: degrees, by: map[string]spots{"a": "hip.L 0 0.9; knee.L -0.02 0.5; ankle.L 0 0.1"}},
	// the upper trunk leans 30° ahead over an upright lower one; an ear 30° behind it
	{kind: "split", points: "mid.hip sternum neck", stamps: "a*", want: 30, change: degrees, by: map[string]spots{"a": at("hip.L 0 0.9; hip.R 0 0.9; sternum 0 1.2; neck 0.1 %g", 1.2+0.2*math.Sqrt(0.75))}},
	{kind: "bend", points: "front.hip front.shoulder front.ear", stamps: "a*", want: 30, change: degrees, by: map[string]spots{"a": at("hip.L 0 0.9; shoulder.L 0 1.4; ear.L -0.1 %g", 1.4+0.2*math.Sqrt(0.75))}},
	{kind: "shin", points: "front.knee front.ankle", stamps: "a*", want: 30, change: degrees, by: map[string]spots{"a": at("knee.L 0 0.5; ankle.L 0.2 %g", 0.5-0.4*math.Sqrt(0.75))}},
	{kind: "off-line", points: "front.shoulder front.hip front.ankle", stamps: "a*", want: -0.1, by: map[string]spots{"a": "shoulder.L 0.1 0.5; hip.L 0 0; ankle.L 0 1"}},
	// 3, 4, 5
	{kind: "apart", points: "front.ankle rear.ankle", stamps: "a*", want: 0.5, by: map[string]spots{"a": "ankle.L 0 0; ankle.R 0.3 0.4"}},
	{kind: "level", points: "front.wrist front.hip front.shoulder", stamps: "a*", want: 0.5, by: map[string]spots{"a": "wrist.L 0.4 1.2; hip.L 0 1.0; shoulder.L 0 1.4"}},
	{kind: "ahead", points: "front.knee rear.knee", stamps: "a*", want: 0.4, by: map[string]spots{"a": "knee.L 0.6 0.5; knee.R 0.2 0.4"}},
	{kind: "above", points: "front.knee rear.knee", stamps: "a*", want: 0.25, by: map[string]spots{"a": "knee.L 0.6 0.75; knee.R 0.2 0.5"}},
	{kind: "below-lowest", points: "front.toe rear.toe front.hip", stamps: "a*", want: 0.7, by: map[string]spots{"a": "toe.L 0 0.3; toe.R 0.2 0.2; hip.L 0 0.9"}},
	{kind: "highest", points: "front.wrist rear.wrist front.hip", stamps: "a*", want: 0.6, by: map[string]spots{"a": "wrist.L 0 1.5; wrist.R 0 1.2; hip.L 0 0.9"}},
	{kind: "farthest", points: "front.toe rear.toe front.hip", stamps: "a*", want: 0.4, by: map[string]spots{"a": "toe.L 0.5 0; toe.R 0.3 0; hip.L 0.1 0.9"}},
	{kind: "nearest", points: "front.toe rear.toe front.hip", stamps: "a*", want: 0.2, by: map[string]spots{"a": "toe.L 0.5 0; toe.R 0.3 0; hip.L 0.1 0.9"}},
	// seen from behind, the left leg stands: its side is the picture's left
	{kind: "beside", points: "mid.hip stance.ankle", stamps: "b*", want: 0.1, view: "back", by: map[string]spots{"b": "hip.L -0.1 0.9; hip.R -0.1 0.9; ankle.L 0 0.1"}},
	// 5 cm past a midline of half a metre: shoulders are 0.206 of height wide, trunk and neck 0.288 · 1.12
	{kind: "past-midline", points: "swing.wrist neck mid.hip", stamps: "b*", want: 100 * 0.05 / (0.206 / (0.288 * 1.12) * 0.5), change: share, view: "back", by: map[string]spots{"b": "wrist.R 0.05 1.2; neck 0 1.4; hip.L 0 0.9; hip.R 0 0.9"}},
	{kind: "past-line", points: "front.toe", stamps: "a*", want: 0.3, by: map[string]spots{"a": "toe.L 0.3 0"}},
	{kind: "before-line", points: "front.toe", stamps: "a*", want: 0.2, by: map[string]spots{"a": "toe.L -0.2 0"}},
	// a share of the trunk: 0.3 over 0.5 m; of the leg 0.3 over 0.4 + 0.4; of height
	{kind: "above", points: "mid.hip mid.shoulder", stamps: "a*", want: 60, change: func(m *playbook.Measure) { m.Unit, m.Base = "%", "trunk" }, by: map[string]spots{"a": "hip.L 0 0.9; hip.R 0 0.9; shoulder.L 0.4 0.6; shoulder.R 0.4 0.6"}},
	{kind: "apart", points: "front.ankle rear.ankle", stamps: "a*", want: 100 * 0.5 / 1.8, change: func(m *playbook.Measure) { m.Unit, m.Base = "%", "height" }, by: map[string]spots{"a": "ankle.L 0 0; ankle.R 0.3 0.4"}},
	{kind: "included", points: "front.hip front.knee front.ankle", stamps: "a*", want: 80, change: func(m *playbook.Measure) { m.Unit, m.Rest = "deg", 10 }, by: map[string]spots{"a": "hip.L 0 0.9; knee.L 0 0.5; ankle.L 0.4 0.5"}},

	// stamps alone
	{kind: "duration", stamps: "a b*", want: 0.1, change: seconds},
	{kind: "duration-on", stamps: "b* c", want: 0.15, change: seconds},
	{kind: "share-on", stamps: "a b* c", want: 60, change: share},
	{kind: "cadence", stamps: "a b*", want: 600},
	{kind: "duty-factor", stamps: "a b* c d e", want: 100 * 0.1 / 0.45, change: share},
	{kind: "duty-factor", stamps: "a b c d e f*", want: 100 * 0.2 / 0.45, change: share},
	{kind: "time-growth", stamps: "a b c*", want: 1.5},
	{kind: "contact-unlike", stamps: "b c d e*", want: 40, change: share},
	{kind: "peak-force", stamps: "a b* c", want: math.Pi / 2 * 2.5},
	{kind: "contact-share", points: "neck", stamps: "a b* c", want: 100 * 0.1 / (0.55 * math.Pow(8, -0.7) * math.Sqrt(1.80/1.75)), change: share, by: map[string]spots{"a": "neck 0 1.4", "c": "neck 2 1.4"}},

	// the same points at two or more key positions
	{kind: "line-rise", points: "front.toe mid.hip", stamps: "a b*", want: 15, change: degrees, by: map[string]spots{"a": at("toe.L 0 0; hip.L %[1]g 0.5; hip.R %[1]g 0.5", math.Sqrt(0.75)), "b": "toe.L 0 0; hip.L 0.5 0.5; hip.R 0.5 0.5"}},
	{kind: "step", points: "stance.toe", stamps: "b*", want: 0.52, by: map[string]spots{"b": "toe.L 0.52 0"}},
	{kind: "step", points: "stance.toe", stamps: "b c*", want: 0.9, by: map[string]spots{"b": "toe.L 0.6 0", "c": "toe.R 1.5 0"}},
	{kind: "step-on", points: "stance.toe", stamps: "b c*", want: 0.9, by: map[string]spots{"b": "toe.L 0.6 0", "c": "toe.R 1.5 0"}},
	{kind: "step-growth", points: "stance.toe", stamps: "b c d*", want: 1.25, by: map[string]spots{"b": "toe.L 0 0", "c": "toe.R 0.8 0", "d": "toe.L 1.8 0"}},
	{kind: "step-share", points: "stance.toe", stamps: "b c d*", want: 0.8, by: map[string]spots{"b": "toe.L 0 0", "c": "toe.R 0.8 0", "d": "toe.L 1.8 0"}},
	{kind: "step-unlike", points: "stance.toe", stamps: "b c d*", want: 200 * 0.2 / 1.8, change: share, by: map[string]spots{"b": "toe.L 0 0", "c": "toe.R 0.8 0", "d": "toe.L 1.8 0"}},
	{kind: "speed", points: "neck", stamps: "a b*", want: 8, by: map[string]spots{"a": "neck 0 1.4", "b": "neck 0.8 1.4"}},
	{kind: "speed-kept", points: "neck", stamps: "a b c*", want: 75, change: share, by: map[string]spots{"a": "neck 0 1.4", "b": "neck 0.8 1.4", "c": "neck 1.7 1.4"}},
	{kind: "speed-share", points: "neck", stamps: "a b c d*", want: 75, change: share, by: map[string]spots{"a": "neck 0 1.4", "b": "neck 0.8 1.4", "c": "neck 1.7 1.4", "d": "neck 2.3 1.4"}},
	{kind: "sunk", points: "neck", stamps: "a b*", want: 0.05, by: map[string]spots{"a": "neck 0 1.4", "b": "neck 0.8 1.35"}},
	{kind: "sunk-between", points: "neck", stamps: "a b c*", want: 0.05, by: map[string]spots{"a": "neck 0 1.4", "b": "neck 0.8 1.35"}},
	{kind: "lean-rate", points: "front.hip front.shoulder", stamps: "a b*", want: 300, change: degrees, by: map[string]spots{"a": "hip.L 0 0; shoulder.L 0 1", "b": at("hip.L 0 0; shoulder.L 0.5 %g", math.Sqrt(0.75))}},
	{kind: "incline-change", points: "front.hip front.knee", stamps: "a b*", want: 15, change: degrees, by: map[string]spots{"a": at("hip.L 0 0; knee.L %g 0.5", math.Sqrt(0.75)), "b": "hip.L 0 0; knee.L 0.5 0.5"}},
	{kind: "apart-share", points: "front.ankle front.hip", stamps: "a b*", want: 80, change: share, by: map[string]spots{"a": "ankle.L 0 0; hip.L 0.3 0.4", "b": "ankle.L 0 0; hip.L 0 0.4"}},
	{kind: "foot-speed", points: "stance.toe", stamps: "b*", want: -1.5, course: func(f int) spots { return at("toe.L %g 0.1", 1-1.5*after(f, "b")) }},
	{kind: "aside-of", points: "front.toe rear.toe", stamps: "a*", want: 0.3, view: "back", by: map[string]spots{"a": "toe.L -0.3 0; toe.R 0 0"}},
	{kind: "aside-apart", points: "front.toe rear.toe", stamps: "a*", want: 0.3, view: "back", by: map[string]spots{"a": "toe.L 0.3 0; toe.R 0 0"}},
	{kind: "aside-since", points: "front.toe rear.toe", stamps: "a b*", want: 0.2, view: "back", by: map[string]spots{"a": "toe.R 0 0", "b": "toe.L -0.2 0"}},
	{kind: "ahead-since", points: "front.toe rear.toe", stamps: "a b*", want: 0.4, by: map[string]spots{"a": "toe.R 0.1 0", "b": "toe.L 0.5 0"}},
	{kind: "behind-since", points: "front.toe rear.toe", stamps: "a b*", want: -0.4, by: map[string]spots{"a": "toe.R 0.1 0", "b": "toe.L 0.5 0"}},
	// the ball of the foot lies 0.28 of the way from toe to heel
	{kind: "ahead-of-middle", points: "neck front.toe front.heel rear.ankle", stamps: "a*", want: 0.1, by: map[string]spots{"a": "neck 0.63 1.4; toe.L 1 0; heel.L 0.75 0; ankle.R 0.13 0.1"}},
	{kind: "behind-middle", points: "neck front.ankle rear.ankle", stamps: "a*", want: 0.1, by: map[string]spots{"a": "neck 0.5 1.4; ankle.L 1 0.1; ankle.R 0.2 0.1"}},

	// the centre of mass, of a body that is at one point
	{kind: "toe-ahead", points: "front.heel " + massPoints, stamps: "a*", want: 0.3, by: map[string]spots{"a": together(0, 1) + "; heel.L 0.3 0"}},
	{kind: "mass-ahead", points: "rear.heel " + massPoints, stamps: "a*", want: 0.2, by: map[string]spots{"a": together(0, 1) + "; heel.R -0.2 0"}},
	{kind: "mass-above", points: "rear.heel " + massPoints, stamps: "a*", want: 0.6, by: map[string]spots{"a": together(0, 1) + "; heel.R -0.2 0.4"}},
	{kind: "mass-reach", points: "front.heel rear.heel " + massPoints, stamps: "a*", want: 0.3, by: map[string]spots{"a": together(0, 1) + "; heel.L 0.5 0.4; heel.R 0.3 0.4"}},
	{kind: "mass-way", points: massPoints, stamps: "a b*", want: 0.8, by: map[string]spots{"a": together(0, 1), "b": together(0.8, 0.9)}},
	{kind: "flight-speed", points: massPoints, stamps: "a b*", want: 8, by: map[string]spots{"a": together(0, 1), "b": together(0.8, 0.9)}},
	// it falls by 2 cm in 0.1 s: it left with −0.2 + g · 0.05 m/s upward
	{kind: "fly-up", points: massPoints, stamps: "a* b", want: -0.2 + flight.G*0.05, by: map[string]spots{"a": together(0, 1), "b": together(0.8, 0.98)}},
	{kind: "fly-speed", points: massPoints, stamps: "a* b", want: math.Hypot(8, -0.2+flight.G*0.05), by: map[string]spots{"a": together(0, 1), "b": together(0.8, 0.98)}},
	{kind: "fly-angle", points: massPoints, stamps: "a* b", want: math.Atan2(-0.2+flight.G*0.05, 8) * 180 / math.Pi, change: degrees, by: map[string]spots{"a": together(0, 1), "b": together(0.8, 0.98)}},
	// up 0.1 m in 0.25 s: 0.4 + g/8 m/s, and v²/2g
	{kind: "fly-rise", points: massPoints, stamps: "a b* c", want: math.Pow(0.4+flight.G/8, 2) / (2 * flight.G), by: map[string]spots{"a": together(0, 1), "b": together(1, 1), "c": together(2, 1.1)}},
	{kind: "speed-loss", points: "neck " + massPoints, stamps: "a b c* d", want: 25, change: share, by: map[string]spots{"a": "neck 0 1.4", "b": "neck 0.8 1.4", "c": together(2, 1), "d": together(2.6, 1)}},
	// the body goes 8 m/s ahead and 8 m/s up; the last step was run with 10 m/s
	{kind: "path-angle", points: massPoints, stamps: "c*", want: 45, change: degrees, course: func(f int) spots { return together(8*after(f, "c"), 1+8*after(f, "c")) }},
	{kind: "path-slower", points: "mid.hip " + massPoints[len("mid.hip "):], stamps: "a b c*", want: 20, change: share, by: map[string]spots{"a": "hip.L 0 1; hip.R 0 1", "b": "hip.L 1 1; hip.R 1 1"},
		course: func(f int) spots {
			if f < on["c"]-20 {
				return ""
			}
			return together(8*after(f, "c"), 1)
		}},

	// a throw of 15 m/s ahead and 10 m/s up, the lowest foot 0.1 m high; the axis at 45°
	{kind: "release-speed", stamps: "b*", want: math.Sqrt(325), within: 1e-5, course: thrownOff},
	{kind: "release-angle", stamps: "b*", want: math.Atan2(10, 15) * 180 / math.Pi, within: 1e-4, change: degrees, course: thrownOff},
	{kind: "release-height", points: "front.toe rear.toe", stamps: "b*", want: 1.9, within: 1e-5, course: thrownOff, by: map[string]spots{"b": "toe.L 0 0.1; toe.R 0 0.3; implement 1.5 2"}},
	{kind: "attack", points: "implement.back implement.front", stamps: "b*", want: 45 - math.Atan2(10, 15)*180/math.Pi, within: 1e-4, change: degrees, course: thrownOff, by: map[string]spots{"b": "implement.back 1 1; implement.front 2 2; implement 1.5 2"}},

	// followed over many pictures: parabolas, 0.1 m or 25° deep
	{kind: "included-least", points: "front.hip front.knee front.ankle", stamps: "a b*", want: 120, within: 1e-3, change: degrees, course: knee(func(f int) float64 { return 120 + bowl(f, "a", "b", 25) })},
	{kind: "give", points: "front.hip front.knee front.ankle", stamps: "a b*", want: 25, within: 1e-3, change: degrees, course: knee(func(f int) float64 { return 120 + bowl(f, "a", "b", 25) })},
	{kind: "rise-most", points: "neck", stamps: "a b*", want: 0.1, course: func(f int) spots { return at("neck 0 %g", 1.4-bowl(f, "a", "b", 0.1)) }},
	{kind: "sunk-most", points: "neck", stamps: "a b*", want: 0.1, course: func(f int) spots { return at("neck 0 %g", 1.4+bowl(f, "a", "b", 0.1)) }},
	{kind: "dip", points: "neck", stamps: "a* b", want: 0.1, course: func(f int) spots { return at("neck 0 %g", 1.4+bowl(f, "a", "b", 0.1)) }},
	{kind: "bounce", points: "neck", stamps: "a b* c", want: 0.2, course: func(f int) spots {
		if f <= on["b"] {
			return at("neck 0 %g", 1.5-bowl(f, "a", "b", 0.1))
		}
		return at("neck 0 %g", 1.3+bowl(f, "b", "c", 0.1))
	}},
	{kind: "loop", points: "neck", stamps: "a b*", want: 0.05, course: func(f int) spots { return at("neck %g %g", after(f, "a"), 1.4+bowl(f, "a", "b", 0.1)) }},
	// it turns by 150° a second: past 15° after 0.1 s
	{kind: "held", points: "front.hip front.knee", stamps: "b* c", want: 0.1, change: seconds, course: func(f int) spots {
		s, c := math.Sincos(150 * math.Pi / 180 * after(f, "b"))
		return at("hip.L 0 1; knee.L %g %g", 0.4*c, 1+0.4*s)
	}},
	// it opens by 100° a second and is seen at 172°, half a tenth before
	{kind: "opens-before", points: "front.hip front.knee front.ankle", stamps: "a b*", want: 0.05, within: 1e-4, change: seconds, course: knee(func(f int) float64 { return 172 + 100*(after(f, "b")+0.05) })},
	{kind: "height-speed", points: "neck", stamps: "a b*", want: 2, course: func(f int) spots { return at("neck 0 %g", 1.4+2*after(f, "b")) }},
	{kind: "foot-backspeed", points: "stance.toe mid.hip", stamps: "a b*", want: 6, course: func(f int) spots {
		return at("toe.L %g 0; hip.L %[2]g 1; hip.R %[2]g 1", after(f, "b"), 7*after(f, "b"))
	}},
	{kind: "twist-range", points: "front.shoulder rear.shoulder", stamps: "a b*", want: 25, within: 1e-3, change: degrees, course: func(f int) spots {
		s, c := math.Sincos(bowl(f, "a", "b", 25) * math.Pi / 180)
		return at("shoulder.L 0 1; shoulder.R %g %g", 0.4*c, 1+0.4*s)
	}},
	// in a turn the hips' middle is 0.3 m aside of where it was in the turn before
	{kind: "shift-mean", points: "neck", stamps: "a b c d*", want: 0.3, view: "back", course: func(f int) spots {
		if f < on["c"] {
			return "neck 0 1.4"
		}
		return "neck 0.3 1.4"
	}},

	// one turn and more of a ball on an inclined circle, from behind
	// 252° round on the circle; its plane's slope brings that nearer to the back on the ground
	{kind: "orbit-azimuth", points: "implement", stamps: "d*", want: 180 + math.Atan2(math.Sin(72*math.Pi/180), math.Cos(72*math.Pi/180)*math.Cos(math.Pi/6))*180/math.Pi, within: 0.1, change: degrees, view: "back", course: turning},
	{kind: "orbit-low", points: "implement", stamps: "d*", want: 0, within: 1.5, change: degrees, view: "back", course: turning},
	{kind: "orbit-high", points: "implement", stamps: "d*", want: 180, within: 1.5, change: degrees, view: "back", course: turning},
	{kind: "orbit-slope", points: "implement", stamps: "d*", want: 30, within: 0.5, change: degrees, view: "back", course: turning},
	{kind: "orbit-speed", points: "implement", stamps: "d*", want: 1.5 * 4 * math.Pi, within: 0.4, view: "back", course: turning},
	{kind: "orbit-pull", points: "implement", stamps: "d*", want: 7.26 * 1.5 * 16 * math.Pi * math.Pi, within: 60, change: newtons, view: "back", course: turning},
}

var inSpace = []example{
	{kind: "included", points: "front.hip front.knee front.ankle", stamps: "a*", want: 90, change: degrees, by: map[string]spots{"a": "hip.L 0 0 0.9; knee.L 0 0 0.5; ankle.L 0.2 0.3 0.5"}},
	{kind: "tilt", points: "front.hip rear.hip", stamps: "a*", want: 45, change: degrees, by: map[string]spots{"a": "hip.L 0 0.2 1.1; hip.R 0 0 0.9"}},
	{kind: "tilt-gap", points: "front.shoulder rear.shoulder front.hip rear.hip", stamps: "a*", want: 45, change: degrees, by: map[string]spots{"a": "shoulder.L 0 0.2 1.6; shoulder.R 0 0 1.4; hip.L 0 0.2 0.9; hip.R 0 0 0.9"}},
	{kind: "steep", points: "rear.hip front.hip", stamps: "a*", want: 45, change: degrees, by: map[string]spots{"a": "hip.L 0 0.2 1.1; hip.R 0 0 0.9"}},
	{kind: "lean", points: "front.hip front.shoulder", stamps: "a*", want: 30, change: degrees, by: map[string]spots{"a": at("hip.L 0 0 0; shoulder.L 0.5 0.3 %g", math.Sqrt(0.75))}},
	{kind: "apart", points: "front.ankle rear.ankle", stamps: "a*", want: 0.7, by: map[string]spots{"a": "ankle.L 0 0 0; ankle.R 0.2 0.3 0.6"}},
	{kind: "apart-level", points: "front.ankle rear.ankle", stamps: "a*", want: 0.5, by: map[string]spots{"a": "ankle.L 0 0 0; ankle.R 0.3 0.4 0.6"}},
	{kind: "ahead", points: "front.knee rear.knee", stamps: "a*", want: 0.4, by: map[string]spots{"a": "knee.L 0.6 0 0.5; knee.R 0.2 0.3 0.4"}},
	{kind: "above", points: "front.knee rear.knee", stamps: "a*", want: 0.1, by: map[string]spots{"a": "knee.L 0.6 0 0.5; knee.R 0.2 0.3 0.4"}},
	{kind: "ahead-of-middle", points: "neck front.toe front.heel rear.ankle", stamps: "a*", want: 0.1, by: map[string]spots{"a": "neck 0.63 0 1.4; toe.L 1 0 0; heel.L 0.75 0 0; ankle.R 0.13 0 0.1"}},
	{kind: "behind-middle", points: "neck front.ankle rear.ankle", stamps: "a*", want: 0.1, by: map[string]spots{"a": "neck 0.5 0 1.4; ankle.L 1 0 0.1; ankle.R 0.2 0 0.1"}},
	{kind: "foot-travel", points: "front.toe front.heel", stamps: "a b*", want: 0.9, by: map[string]spots{"a": "toe.L 0.2 0 0; heel.L 0 0 0", "b": "toe.L 1.1 0.3 0; heel.L 0.9 0.3 0"}},
	{kind: "before-line", points: "front.toe", stamps: "a*", want: 0.3, by: map[string]spots{"a": "toe.L -0.3 0 0"}},
	{kind: "aside", points: "front.toe front.heel", stamps: "a*", want: 0.2, by: map[string]spots{"a": "toe.L 0.1 0.2 0; heel.L -0.1 0.2 0"}},
	{kind: "aside-of", points: "front.toe rear.toe", stamps: "a*", want: 0.3, by: map[string]spots{"a": "toe.L 0 0.4 0; toe.R 0.5 0.1 0"}},
	{kind: "aside-apart", points: "rear.toe front.toe", stamps: "a*", want: 0.3, by: map[string]spots{"a": "toe.L 0 0.4 0; toe.R 0.5 0.1 0"}},
	{kind: "aside-since", points: "front.toe rear.toe", stamps: "a b*", want: 0.3, by: map[string]spots{"a": "toe.R 0.5 0.1 0", "b": "toe.L 0 0.4 0"}},
	{kind: "ahead-since", points: "front.toe rear.toe", stamps: "a b*", want: 0.4, by: map[string]spots{"a": "toe.R 0.5 0.1 0", "b": "toe.L 0.9 0.4 0"}},
	{kind: "behind-since", points: "front.toe rear.toe", stamps: "a b*", want: -0.4, by: map[string]spots{"a": "toe.R 0.5 0.1 0", "b": "toe.L 0.9 0.4 0"}},

	// azimuths: the throw is 180°, the right-hander's right 90°
	{kind: "direction", points: "front.heel front.toe", stamps: "a*", want: 180, change: around180, by: map[string]spots{"a": "heel.L 0 0 0; toe.L 0.25 0 0"}},
	{kind: "direction-gap", points: "front.heel front.toe rear.heel rear.toe", stamps: "a*", want: 90, change: degrees, by: map[string]spots{"a": "heel.L 0 0 0; toe.L 0.25 0 0; heel.R 0 0 0; toe.R 0 -0.25 0"}},
	{kind: "facing", points: "right.shoulder left.shoulder", stamps: "a*", want: 180, change: around180, by: map[string]spots{"a": shoulders(180)}},
	{kind: "separation", points: "right.hip left.hip right.shoulder left.shoulder", stamps: "a*", want: 30, change: degrees, by: map[string]spots{"a": shoulders(150) + "; hip.R 0 -0.1 0.9; hip.L 0 0.1 0.9"}},
	{kind: "turned", points: "right.shoulder left.shoulder", stamps: "a b*", want: 330, change: degrees, by: map[string]spots{"a": shoulders(180), "b": shoulders(150)}},
	{kind: "turn-after", points: "right.shoulder left.shoulder", stamps: "a* b", want: 30, change: degrees, by: map[string]spots{"a": shoulders(180), "b": shoulders(150)}},
	{kind: "twist-range", points: "right.shoulder left.shoulder", stamps: "a b*", want: 25, within: 1e-3, change: degrees, course: func(f int) spots { return shoulders(150 + bowl(f, "a", "b", 25)) }},
	{kind: "bend-forward", points: "right.hip right.shoulder right.hip left.hip", stamps: "a*", want: 30, change: degrees, by: map[string]spots{"a": at("hip.R 0 -0.1 0.9; hip.L 0 0.1 0.9; shoulder.R 0.25 -0.1 %g", 0.9+0.5*math.Sqrt(0.75))}},
	{kind: "arm-trunk", points: "right.elbow right.shoulder", stamps: "a*", want: 90, change: degrees, by: map[string]spots{"a": "hip.R 0 0 0.9; hip.L 0 0 0.9; shoulder.R 0 0 1.4; shoulder.L 0 0 1.4; elbow.R 0.1 -0.3 1.4"}},
	{kind: "included-strike", points: "right.shoulder right.elbow right.wrist", stamps: "b*", want: 60, within: 1e-3, change: degrees, course: func(f int) spots { return arm(60 + bowl(f, "a", "b", 40)) }},
	// the arm opens by 100° a second and is at 160° half a tenth before
	{kind: "opens-before", points: "right.shoulder right.elbow right.wrist", stamps: "a b*", want: 0.05, within: 1e-4, change: seconds, course: func(f int) spots { return arm(160 + 100*(after(f, "b")+0.05)) }},
	{kind: "elbow-over-line", points: "right.shoulder left.shoulder right.elbow", stamps: "a b*", want: 30, within: 1e-3, change: degrees, course: func(f int) spots {
		s, c := math.Sincos((30 + math.Abs(bowl(f, "c", "b", 1)-1)) * math.Pi / 180)
		return at("shoulder.R 0 -0.2 1.4; shoulder.L 0 0.2 1.4; elbow.R 0 %g %g", -0.2-0.3*c, 1.4+0.3*s)
	}},
	// the hips face 150° at a + 0.05 s, the elbow has opened by 15° at a + 0.075 s
	{kind: "opens-after", points: "right.hip left.hip right.shoulder right.elbow right.wrist", stamps: "a b*", want: 0.025, within: 1e-4, change: seconds, course: func(f int) spots {
		t := after(f, "a")
		s, c := math.Sincos((100 + 1000*t - 180) * math.Pi / 180) // facing 100° + 1000° a second
		return arm(100+200*t) + at("; hip.R %g %g 0.9; hip.L %g %g 0.9", -0.1*-s, -0.1*c, 0.1*-s, 0.1*c)
	}},
	{kind: "sweep", points: "right.ankle left.toe left.heel", stamps: "a b*", want: 0.6, within: 1e-3, course: func(f int) spots {
		return at("toe.L 0.28 0 0; heel.L -0.72 0 0; ankle.R 0 %g 0.1", 0.6-bowl(f, "a", "b", 0.5))
	}},
	{kind: "shift-mean", points: "neck", stamps: "a b c d*", want: 0.3, course: func(f int) spots {
		if f < on["c"] {
			return "neck 0 0.1 1.4"
		}
		return "neck 0 0.4 1.4"
	}},

	// high jump: a curve of 9.5 m, run with 8 m/s: tan θ = 64 (9.5 − 0.99 sin θ) ÷ (9.5² g)
	{kind: "needed-lean", points: "stance.toe", stamps: "b c* d e", want: 32.94, within: 0.3, change: degrees, by: curveSteps(9.5, 2.8)},
	{kind: "outside-curve", points: "stance.toe stance.heel", stamps: "b c* d", want: 0.2 - 4.0/(8*9.5), by: map[string]spots{"b": "toe.L 0 0 0; heel.L 0 0 0", "c": "toe.R 1 0.2 0; heel.R 1 0.2 0", "d": "toe.L 2 0 0; heel.L 2 0 0"}},
	// the foot points 10° aside; the path has turned by half of a step of 1 m on 9.5 m
	{kind: "foot-to-path", points: "stance.heel stance.toe neck", stamps: "a b*", want: 10 - 1/19.0*180/math.Pi, change: degrees, by: map[string]spots{"a": "neck 0 0 1.4", "b": at("neck 1 0 1.4; heel.L 0 0 0; toe.L %g %g 0", 0.25*math.Cos(math.Pi/18), -0.25*math.Sin(math.Pi/18))}},
	{kind: "off-bar", points: "front.hip front.knee", stamps: "a*", want: 30, change: degrees, by: map[string]spots{"a": at("hip.L 0 0 1; knee.L -0.2 %g 1", -0.4*math.Sqrt(0.75))}},

	// a ball that goes round twice a second on a level circle: it is toward the throw at c
	{kind: "orbit-azimuth", points: "implement", stamps: "c*", want: 180, within: 0.1, change: degrees, course: levelTurn},
	{kind: "behind-ball", points: "right.shoulder left.shoulder implement", stamps: "c*", want: -30, within: 0.1, change: degrees, by: map[string]spots{"c": shoulders(150)}, course: levelTurn},
	// from where the ball passes 270° it goes on by 54°, the shoulders by 40°
	{kind: "lead-ball", points: "right.shoulder left.shoulder implement", stamps: "c e*", want: -14, within: 0.1, change: degrees, course: func(f int) spots {
		return levelTurn(f) + "; " + shoulders(200+float64(f-110)*40/18)
	}},
	// on a level circle at 1 m the ball is 0.1 m over a shoulder at 0.9 m, wherever it passes
	{kind: "above-sector", points: "implement right.shoulder", stamps: "a e*", want: 0.1, within: 0.001, course: func(f int) spots {
		return levelTurn(f) + "; shoulder.R 0 -0.2 0.9; hip.L 0 0.1 0.9; hip.R 0 -0.1 0.9"
	}},
	{kind: "counter", points: "left.ankle right.ankle neck implement", stamps: "c*", want: 30, within: 0.1, change: degrees, by: map[string]spots{"c": at("ankle.L 0 0.1 0; ankle.R 0 -0.1 0; neck -0.5 0 %g", math.Sqrt(0.75))}, course: levelTurn},
	{kind: "bend-to-ball", points: "left.ankle right.ankle mid.hip neck implement", stamps: "c*", want: 30, within: 0.1, change: degrees, by: map[string]spots{"c": at("ankle.L 0 0.1 0; ankle.R 0 -0.1 0; hip.L 0 0.1 0.9; hip.R 0 -0.1 0.9; neck 0.25 0 %g", 0.9+0.5*math.Sqrt(0.75))}, course: levelTurn},
	{kind: "orbit-low", points: "implement", stamps: "e*", want: -36, within: 0.1, change: degrees, course: levelTurn},
	{kind: "orbit-high", points: "implement", stamps: "e*", want: 324, within: 0.1, change: degrees, course: levelTurn},
	{kind: "orbit-speed", points: "implement", stamps: "c*", want: 1.5 * 4 * math.Pi, within: 0.2, course: levelTurn},
	// the cord pulls inward m v²/r and holds the weight
	{kind: "orbit-pull", points: "implement", stamps: "c*", want: 7.26 * math.Hypot(1.5*16*math.Pi*math.Pi, flight.G), within: 60, change: newtons, course: levelTurn},
	// 1 m from the lowest to the highest, 3 m apart
	{kind: "orbit-slope", points: "implement", stamps: "zero#1*", want: math.Atan2(1, 3) * 180 / math.Pi, within: 0.1, change: degrees, course: func(f int) spots {
		s, c := math.Sincos(4 * math.Pi * after(f, "a"))
		return at("implement %g %g %g", -1.5*c, -1.5*s, 1.2-0.5*c)
	}},

	// a throw of 20 m/s ahead, 2 to the left, 15 up, let go at 1.8 m over the circle's middle
	{kind: "release-speed", points: "implement", stamps: "release*", want: math.Sqrt(400 + 4 + 225), course: letGo},
	{kind: "release-angle", points: "implement", stamps: "release*", want: math.Atan2(15, math.Sqrt(404)) * 180 / math.Pi, change: degrees, course: letGo},
	{kind: "release-height", points: "implement", stamps: "release*", want: 1.8, course: letGo},
	{kind: "land-azimuth", points: "implement", stamps: "release*", want: 180 + math.Atan2(2, 20)*180/math.Pi, change: around180, course: letGo},
	{kind: "attack", points: "implement.back implement.front", stamps: "release*", want: 45 - math.Atan2(15, math.Sqrt(404))*180/math.Pi, change: degrees, course: letGo, by: map[string]spots{"release": "implement 0 0 1.8; implement.back -1 0 1; implement.front 1 0 3"}},
	{kind: "yaw", points: "implement.back implement.front", stamps: "release*", want: -math.Atan2(2, 20) * 180 / math.Pi, change: degrees, course: letGo, by: map[string]spots{"release": "implement 0 0 1.8; implement.back -1 0 1; implement.front 1 0 3"}},
	// the outside edge, at the right of a flight ahead, is half as high as it is out
	{kind: "edge", points: "implement implement.edge implement.back implement.front", stamps: "release*", want: math.Atan2(0.05, 0.1) * 180 / math.Pi, change: degrees, by: map[string]spots{"release": "implement 0 0 1.8; implement.edge 0 -0.1 1.85; implement.back -0.1 0 1.8; implement.front 0.1 0 1.8"}},
	{kind: "wobble", points: "implement.back implement.front", stamps: "release*", want: 5, within: 0.1, change: degrees, course: func(f int) spots {
		s, c := math.Sincos((10 + 5*math.Sin(2*math.Pi*after(f, "release")/0.12)) * math.Pi / 180)
		return at("implement.back 0 0 2; implement.front %g 0 %g", 2*c, 2+2*s)
	}},
}

func around180(m *playbook.Measure) { m.Unit, m.Around = "deg", 180 }

// shoulders face an azimuth.
func shoulders(az float64) spots {
	s, c := math.Sincos((az - 180) * math.Pi / 180) // of the way that they face, from ahead to the left
	return at("shoulder.R %g %g 1.4; shoulder.L %g %g 1.4", 0.2*s, -0.2*c, -0.2*s, 0.2*c)
}

// arm is a right arm, level, whose elbow has an angle.
func arm(degrees float64) spots {
	s, c := math.Sincos((180 - degrees) * math.Pi / 180)
	return at("shoulder.R 0 0 1.4; elbow.R 0.3 0 1.4; wrist.R %g %g 1.4", 0.3+0.25*c, 0.25*s)
}

// levelTurn is a ball on a level circle of 1.5 m about (0.1, −0.2) that passes the back
// at a and goes round twice a second.
func levelTurn(frame int) spots {
	s, c := math.Sincos(4 * math.Pi * after(frame, "a"))
	return at("implement %g %g 1", 0.1-1.5*c, -0.2-1.5*s)
}

// letGo is an implement that flies off at the release.
func letGo(frame int) spots {
	t := after(frame, "release")
	if t < 0 {
		return ""
	}
	return at("implement %g %g %g", 20*t, 2*t, 1.8+15*t-flight.G*t*t/2)
}

// curveSteps are four footprints on a circle, so far apart along it in all.
func curveSteps(radius, way float64) map[string]spots {
	out := map[string]spots{}
	for i, keyID := range []string{"b", "c", "d", "e"} {
		s, c := math.Sincos(way / 3 * float64(i) / radius)
		out[keyID] = at("toe.L %[1]g %[2]g 0; toe.R %[1]g %[2]g 0", radius*s, radius*(1-c))
	}
	return out
}

// knee is a leg whose joint has an angle on each picture, its thigh upright.
func knee(degrees func(frame int) float64) func(int) spots {
	return func(f int) spots {
		s, c := math.Sincos((90 + degrees(f)) * math.Pi / 180)
		return at("hip.L 0 0.9; knee.L 0 0.5; ankle.L %g %g", 0.4*c, 0.5+0.4*s)
	}
}

func TestEachKindInThePicture(t *testing.T) {
	known := map[string]bool{}
	for i, x := range inThePicture {
		m, keyID := x.measure()
		known[m.Kind] = true
		check(t, i, x, EvaluateOne(x.recording(t, false), m, keyID))
	}
	for name, k := range kinds {
		if k.compute != nil && !known[name] {
			t.Errorf("%s has no example", name)
		}
	}
}

func TestEachKindInSpace(t *testing.T) {
	known := map[string]bool{}
	for i, x := range inSpace {
		m, keyID := x.measure()
		m.Views = []string{Pair}
		known[m.Kind] = true
		check(t, i, x, EvaluateOne(x.recording(t, true), m, keyID))
	}
	for name := range spatialKinds {
		if !known[name] {
			t.Errorf("%s has no example in space", name)
		}
	}
}

// check holds a value against an example: the number, a ± that is one, and parts
// that make it up.
func check(t *testing.T, i int, x example, v Value) {
	t.Helper()
	within := x.within
	if within == 0 {
		within = 1e-6 * math.Max(1, math.Abs(x.want))
	}
	switch {
	case !v.Known():
		t.Errorf("%d %s lacks %v", i, x.kind, v.Missing)
	case math.Abs(v.Value-x.want) > within:
		t.Errorf("%d %s is %v, by hand it is %v ± %v", i, x.kind, v.Value, x.want, within)
	case !(v.U > 0):
		t.Errorf("%d %s has no ±", i, x.kind)
	}
}
