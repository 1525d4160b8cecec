package signal

import (
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"gonum.org/v1/gonum/spatial/r2"
)

// leaving is a path at 240 Hz that rests until an instant and then sets off, with
// an even speed (px/s) or a growing one (px/s²).
func leaving(when, speed, growth float64, degree int, noise float64, r *rand.Rand) (t []float64, p []r2.Vec) {
	for i := range 30 {
		at := float64(i) / 240
		q := r2.Vec{X: 40, Y: 25}
		if degree > 0 {
			q.X += 900 * at
		}
		if s := at - when; s > 0 {
			q.Y += speed*s + growth*s*s/2
		}
		t, p = append(t, at), append(p, r2.Add(q, r2.Vec{X: noise * r.NormFloat64(), Y: noise * r.NormFloat64()}))
	}
	return t, p
}

func TestDepartureFromRestAndFromAnEvenWay(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	for _, degree := range []int{0, 1} {
		for _, c := range []struct{ speed, growth float64 }{{400, 0}, {0, 30000}} {
			inside, n := 0, 400
			for range n {
				when := (10 + 8*r.Float64()) / 240
				at, path := leaving(when, c.speed, c.growth, degree, 0.8, r)
				o, err := Departs(at, path, 0.8, degree)
				if err != nil {
					t.Fatal(err)
				}
				if math.Abs(o.T-when) <= 2*o.U {
					inside++
				}
			}
			if inside < n*88/100 {
				t.Errorf("degree %d, %+v: %d of %d onsets lie inside ± 2u", degree, c, inside, n)
			}
		}
	}
}

func TestDepartureThatIsNotThere(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 5))
	at, path := leaving(1, 0, 0, 0, 0, r)
	if o, err := Departs(at, path, 0.5, 0); err == nil && o.U < 0.02 {
		t.Errorf("a point at rest sets off at %v", o)
	}
	for _, c := range []struct {
		t    []float64
		p    []r2.Vec
		says string
	}{
		{at[:4], path[:4], "5 points or more"},
		{[]float64{0, 1, 1, 2, 3, 4}, path[:6], "does not come after"},
		{at[:6], append(append([]r2.Vec{}, path[:5]...), r2.Vec{X: math.NaN()}), "point 5 is lost"},
	} {
		if _, err := Departs(c.t, c.p, 0.5, 0); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("got %v, want something with %q", err, c.says)
		}
	}
}
