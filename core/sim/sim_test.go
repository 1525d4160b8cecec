package sim

import (
	"fmt"
	"math"
	"testing"

	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
	"neokinema/core/flight"
)

const dt = 1.0 / 240

func near(t *testing.T, what string, got, want, within float64) {
	t.Helper()
	if math.IsNaN(got) || math.Abs(got-want) > within {
		t.Errorf("%s is %.5f, want %.5f ± %g", what, got, want, within)
	}
}

// moved are movements that tests have asked for: several ask for the same ones.
var moved = map[string]*Motion{}

func move(t *testing.T, w Request) *Motion {
	t.Helper()
	key := fmt.Sprintf("%+v", w)
	if moved[key] == nil {
		m, err := Simulate(w)
		if err != nil {
			t.Fatal(err)
		}
		moved[key] = m
	}
	return moved[key]
}

var bodies = []Athlete{{HeightM: 1.84, Sex: body.Man, Side: body.Right}, {HeightM: 1.66, Sex: body.Woman, Side: body.Left}, {HeightM: 1.55, Sex: body.Woman, Side: body.Right, Youth: true}}

// everything runs a check over every event in every variant: men, women and
// youth, both sides, other seeds and levels, and each fault at full strength.
func everything(t *testing.T, check func(t *testing.T, m *Motion)) {
	t.Helper()
	for _, event := range Events() {
		variants, _ := Variants(event)
		for i, variant := range variants {
			for j, a := range bodies {
				w := Request{Event: event, Variant: variant, Athlete: a, Seed: uint64(1 + i + 3*j), Level: []string{"trained", "elite", "youth"}[j]}
				t.Run(fmt.Sprintf("%s %s %s %.2f", event, variant, a.Sex, a.HeightM), func(t *testing.T) { check(t, move(t, w)) })
			}
		}
		faults, _ := Faults(event)
		for i, f := range faults {
			w := Request{Event: event, Athlete: bodies[i%2], Faults: map[string]float64{f: 1}}
			t.Run(event+" "+f, func(t *testing.T) { check(t, move(t, w)) })
		}
	}
}

// times are instants a picture apart from begin to end.
func times(m *Motion) []float64 {
	var out []float64
	for at := m.Begin(); at <= m.End(); at += dt {
		out = append(out, at)
	}
	return out
}

// Bones keep their length; feet on the ground stay where they are, to 5 mm;
// nothing of the feet goes under it; joints stay in human ranges; nothing
// snaps from one picture to the next.
func TestBodiesAreBodies(t *testing.T) {
	if testing.Short() {
		t.Skip("left out of the short tests")
	}
	everything(t, func(t *testing.T, m *Motion) {
		first := m.figure(m.Begin())
		lengths := func(f *figure) []float64 {
			var out []float64
			for s := right; s <= left; s++ {
				l := &f.limb[s]
				for _, b := range [][2]r3.Vec{{l.hip, l.knee}, {l.knee, l.ankle}, {l.ankle, l.heel}, {l.ankle, l.ball}, {l.ball, l.toe}, {l.shoulder, l.elbow}, {l.elbow, l.wrist}, {l.wrist, l.knuckle}} {
					out = append(out, r3.Norm(r3.Sub(b[0], b[1])))
				}
			}
			return out
		}
		want := lengths(&first)
		seen := map[string]bool{}
		fail := func(kind, format string, args ...any) {
			if !seen[kind] {
				seen[kind] = true
				t.Errorf(format, args...)
			}
		}
		ts := times(m)
		var last, before figure
		for i, at := range ts {
			f := m.figure(at)
			for k, n := range lengths(&f) {
				if math.Abs(n-want[k]) > 0.003 {
					fail("bone", "bone %d is %.4f m at %.3f s, %.4f m at first", k, n, at, want[k])
				}
			}
			for s := right; s <= left; s++ {
				l := &f.limb[s]
				if h := m.holdAt(s, at); h != nil && at < h.to-1e-6 {
					on, spot := h.standsOn(at)
					p := []r3.Vec{l.heel, l.ball, l.toe}[on]
					if d := math.Hypot(p.X-spot.X, p.Y-spot.Y); d > 0.005 {
						fail("slide", "side %d slides by %.1f mm at %.3f s", s, 1000*d, at)
					}
				}
				for _, p := range []r3.Vec{l.heel, l.ball, l.toe, l.knee} {
					if p.Z < -0.006 {
						fail("under", "side %d is %.1f mm under the ground at %.3f s", s, -1000*p.Z, at)
					}
				}
				if k := f.knee(s); k < 18 || k > 180 {
					fail("knee", "knee %d is %.0f° at %.3f s", s, k, at)
				}
				if e := f.elbow(s); e < 15 {
					fail("elbow", "elbow %d is %.0f° at %.3f s", s, e, at)
				}
			}
			if d := r3.Norm(r3.Sub(f.midShoulder, f.midHip)); d < 0.85*m.plan.pr.Trunk {
				fail("trunk", "the trunk is folded to %.2f m at %.3f s", d, at)
			}
			if i >= 2 {
				for k, p := range points(&f) {
					a, b := points(&before)[k], points(&last)[k]
					if v := r3.Norm(r3.Sub(p, b)) / dt; v > 50 {
						fail("speed", "point %d moves at %.0f m/s at %.3f s", k, v, at)
					}
					most := 0.1
					if len(m.Faults) > 0 || arms[k] {
						most = 0.14
					}
					if j := r3.Norm(r3.Sub(r3.Sub(p, b), r3.Sub(b, a))); j > most {
						fail("jerk", "point %d jerks by %.0f mm at %.3f s", k, 1000*j, at)
					}
				}
			}
			before, last = last, f
		}
	})
}

// arms are the points that a throw whips round: elbows, wrists and knuckles.
var arms = map[int]bool{6: true, 7: true, 8: true, 15: true, 16: true, 17: true}

// In the air the centre of mass is a projectile, and it enters and leaves the
// air without a jump of place or speed.
func TestFlightIsFree(t *testing.T) {
	if testing.Short() {
		t.Skip("left out of the short tests")
	}
	everything(t, func(t *testing.T, m *Motion) {
		for _, a := range m.plan.air {
			if a.to > m.End() {
				continue
			}
			h := (a.to - a.from) / 4
			mid := (a.from + a.to) / 2
			p, q, r := m.Centre(mid-h), m.Centre(mid), m.Centre(mid+h)
			solved := 4e-5 / (h * h) // the pelvis is solved to a hundredth of a millimetre
			near(t, fmt.Sprintf("vertical acceleration at %.3f s", mid), (p.Z-2*q.Z+r.Z)/(h*h), -flight.G, math.Max(0.02*flight.G, solved))
			near(t, "sideways acceleration", math.Hypot(p.X-2*q.X+r.X, p.Y-2*q.Y+r.Y)/h, 0, 0.03)
			for _, edge := range []float64{a.from, a.to} {
				const e = 2e-5
				before, v0 := m.com.at(edge - e)
				after, v1 := m.com.at(edge + e)
				near(t, "jump of place", r3.Norm(r3.Sub(after, before)), 0, 2*e*r3.Norm(v0)+1e-3)
				near(t, "jump of speed", r3.Norm(r3.Sub(v1, v0)), 0, 0.05)
			}
		}
	})
}
