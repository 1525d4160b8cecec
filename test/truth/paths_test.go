package truth

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"gonum.org/v1/gonum/spatial/r2"
	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
	"neokinema/core/footfall"
	"neokinema/core/orbit"
	"neokinema/core/sim"
)

// followed is a clean attempt as a camera films it.
func followed(t testing.TB, event, variant, view string, rate float64, side body.Side) sim.Truth {
	t.Helper()
	m, err := sim.Move(sim.Want{Event: event, Variant: variant, Athlete: sim.Athlete{HeightM: 1.82, Sex: body.Man, Side: side}, Seed: 3})
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

// Contacts that are read off the paths of toe and heel lie within a few
// pictures of the simulated runner's own.
func TestContactsFromPaths(t *testing.T) {
	for _, variant := range []string{"easy", "fast"} {
		f := followed(t, "running", variant, "side-open", 240, body.Right)
		for _, side := range []string{"L", "R"} {
			var at, toe, heel []float64
			var down []bool
			for _, frame := range f.Film {
				at = append(at, frame.T)
				toe = append(toe, frame.World[body.Landmark("toe."+side)][2])
				heel = append(heel, frame.World[body.Landmark("heel."+side)][2])
				down = append(down, strings.Contains(frame.Supports, side))
			}
			touches, err := footfall.FromPaths(at, toe, heel)
			if err != nil {
				t.Fatal(err)
			}
			found := 0
			for i := 1; i < len(down); i++ {
				if !down[i] || down[i-1] {
					continue
				}
				end := i
				for end < len(down) && down[end] {
					end++
				}
				if end == len(down) {
					continue
				}
				best := math.Inf(1)
				for _, touch := range touches {
					if touch.Down >= 0 && touch.Off >= 0 {
						best = math.Min(best, math.Max(math.Abs(at[touch.Down]-at[i]), math.Abs(at[touch.Off]-at[end])))
					}
				}
				if found++; best > 0.025 {
					t.Errorf("%s, %s: the contact from picture %d to %d is found %.3f s off: %v", variant, side, i, end, best, touches)
				}
			}
			if found == 0 {
				t.Errorf("%s, %s: no contact in the film", variant, side)
			}
		}
	}
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
