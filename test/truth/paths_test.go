package truth

import (
	"fmt"
	"math"
	"testing"

	"gonum.org/v1/gonum/spatial/r2"
	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
	"neokinema/core/orbit"
	"neokinema/core/sim"
)

// followed is a clean attempt as a camera films it.
func followed(t testing.TB, event, variant, view string, rate float64, side body.Side) sim.Truth {
	t.Helper()
	m, err := sim.Simulate(sim.Request{Event: event, Variant: variant, Athlete: sim.Athlete{HeightM: 1.82, Sex: body.Man, Side: side}, Seed: 3})
	if err != nil {
		t.Fatal(err)
	}
	camera := sim.Usual(event, view)
	camera.Capture = rate
	f, err := camera.Film(m)
	if err != nil {
		t.Fatal(err)
	}
	return f
}

// A simulated hammer's orbits are found from its path in space, and from behind
// as far as one flat view can.
func TestOrbitsOfAHammer(t *testing.T) {
	for _, hand := range []body.Side{body.Right, body.Left} {
		f := followed(t, "hammer", "", "back", 240, hand)
		right := hand == body.Right
		for k := 1; k <= 2; k++ {
			from, to := f.Frames[fmt.Sprintf("zero#%d", k)], f.Frames[fmt.Sprintf("zero#%d", k+1)]
			if to <= from {
				t.Fatalf("turn %d runs from picture %d to %d", k, from, to)
			}
			var path []r3.Vec
			var seen []r2.Vec
			c := f.Film[from].Camera
			for _, frame := range f.Film[from:to] {
				p := frame.World["implement"]
				path = append(path, r3.Vec{X: p[0], Y: p[1], Z: p[2]})
				px := frame.InView["implement"]
				scale := -c.At[0] / c.Focal
				seen = append(seen, r2.Vec{X: scale * (px[0] - float64(f.Width)/2), Y: scale * (float64(f.Height)/2 - px[1])})
			}
			space, err := orbit.InSpace(path)
			if err != nil {
				t.Fatal(err)
			}
			back, err := orbit.FromBehind(seen)
			if err != nil {
				t.Fatal(err)
			}
			// The truth of a turn is its plane at the low points of both ends.
			slope := (f.Measures[fmt.Sprintf("plane-slope@low#%d", k)] + f.Measures[fmt.Sprintf("plane-slope@low#%d", k+1)]) / 2
			low := (f.Measures[fmt.Sprintf("low-azimuth@low#%d", k)] + f.Measures[fmt.Sprintf("low-azimuth@low#%d", k+1)]) / 2
			for name, o := range map[string]orbit.Orbit{"in space": space, "from behind": back} {
				within, around := 4.0, 12.0
				if name == "from behind" {
					within, around = 6, 20
				}
				if d := o.Slope() - slope; math.Abs(d) > within {
					t.Errorf("%s hand, turn %d %s: a slope of %.1f°, the truth is %.1f°", hand, k, name, o.Slope(), slope)
				}
				if d := orbit.Wrap(o.Low(right) - low); math.Abs(d) > around {
					t.Errorf("%s hand, turn %d %s: low at %.0f°, the truth is %.0f°", hand, k, name, o.Low(right), low)
				}
			}
		}
	}
}
