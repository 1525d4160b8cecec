package truth

import (
	"math"
	"math/rand/v2"
	"testing"

	"gonum.org/v1/gonum/spatial/r2"
	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/optics"
	"neokinema/core/sim"
)

// A camera that pans with the run: still points of the background, each followed
// to a twentieth of a pixel, tell where a spot of the first picture is on every
// later one, within what the camera says of itself.
func TestAPanIsTakenOut(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 1))
	for _, event := range []string{"javelin", "long-jump"} {
		m, err := sim.Simulate(sim.Request{Event: event, Athlete: sim.Athlete{HeightM: 1.8, Sex: "man", Side: "R"}, Seed: 5})
		if err != nil {
			t.Fatal(err)
		}
		c := sim.Usual(event, "side-open")
		c.Capture, c.Playback, c.Pan, c.Shake, c.Span = 120, 120, true, 0.05, 6
		f, err := c.Film(m)
		if err != nil {
			t.Fatal(err)
		}
		var still []r3.Vec // a fence and trees
		for i := -30; i < 30; i++ {
			still = append(still, r3.Vec{X: float64(i), Y: 24 + 6*r.Float64(), Z: 3 * r.Float64()})
		}
		camera := backgroundOf(t, f, still, r)
		first := f.Shot(0)
		inside, n, far, worst := 0, 0, 0.0, 0.0
		for i := range f.Film {
			// A spot of the first picture: anything on its line of sight.
			for _, q := range still {
				p, now := first.Project(q), f.Shot(i).Project(q)
				if p.X < 0 || p.X > 1280 || now.X < 0 || now.X > 1280 || now.Y < 0 || now.Y > 720 {
					continue
				}
				got, u := camera.At(i)
				miss := r2.Norm(r2.Sub(got.Map(p), now))
				far, worst = math.Max(far, r2.Norm(r2.Sub(p, now))), math.Max(worst, miss)
				if n++; miss <= 2*u+0.1 {
					inside++
				}
			}
		}
		t.Logf("%s: up to %.0f px, missed by %.1f at worst; %.1f %% inside ± 2u", event, far, worst, 100*float64(inside)/float64(n))
		if share := float64(inside) / float64(n); share < 0.93 {
			t.Errorf("%s: %.1f %% inside ± 2u, by %.1f px at worst over %.0f", event, 100*share, worst, far)
		}
	}
}

// backgroundOf is how a camera moves by what is still behind the athlete, each spot of which
// is found to a twentieth of a pixel from picture to picture.
func backgroundOf(t testing.TB, f sim.Truth, still []r3.Vec, r *rand.Rand) optics.CameraMotion {
	t.Helper()
	moved := []optics.Movement{optics.Rest}
	miss := func(v r2.Vec) r2.Vec {
		return r2.Add(v, r2.Vec{X: 0.05 * r.NormFloat64(), Y: 0.05 * r.NormFloat64()})
	}
	for i := 1; i < len(f.Film); i++ {
		var a, b []r2.Vec
		for _, q := range still {
			p, n := f.Shot(i-1).Project(q), f.Shot(i).Project(q)
			if p.X > 0 && p.X < float64(f.Width) && p.Y > 0 && p.Y < float64(f.Height) {
				a, b = append(a, miss(p)), append(b, miss(n))
			}
		}
		step, _, err := optics.FitMovement(a, b, 0.6)
		if err != nil {
			t.Fatalf("picture %d: %v", i, err)
		}
		moved = append(moved, moved[i-1].Then(step))
	}
	return optics.CameraMotion{Moved: moved}
}
