package pose

import (
	"math"
	"testing"

	"gonum.org/v1/gonum/spatial/r2"
)

// A point that is placed moves its neighbours in time, and leaves those far away.
func TestNeighboursFollowAPlacedPoint(t *testing.T) {
	const u, off = 6.0, 9.0
	path := make([]Mark, 61)
	for i := range path {
		path[i] = Mark{At: r2.Vec{X: float64(i), Y: 50}, U: u}
	}
	path[40].U = 0 // nobody is found there
	at := func(i int) float64 { return float64(i) / 120 }
	got := Mend(path, at, map[int]Mark{20: {At: r2.Vec{X: 20, Y: 50 + off}, U: 1}})
	if got[20].At.Y != 50+off || got[20].U != 1 {
		t.Errorf("the placed point is at %+v", got[20])
	}
	for i, m := range got {
		far := math.Abs(at(i)-at(20)) / Lasts
		// By hand: the share of the way off that goes along, for one placed point.
		want := off * lastingShare * u * u / (u*u + 1) * math.Exp(-far*far/2)
		if i != 20 && path[i].U > 0 && math.Abs(m.At.Y-50-want) > 1e-9 {
			t.Errorf("picture %d moves by %.3f px, not %.3f", i, m.At.Y-50, want)
		}
		if m.At.X != float64(i) || m.U > u {
			t.Errorf("picture %d: %+v", i, m)
		}
	}
	if got[22].U >= 0.8*u || got[60].U < 0.99*u || got[40].U != 0 {
		t.Errorf("beside it ± is %.2f, far away %.2f, where nobody is %.2f px", got[22].U, got[60].U, got[40].U)
	}
	if path[20].At.Y != 50 {
		t.Error("it changed what it was given")
	}
}

func TestNothingPlacedChangesNothing(t *testing.T) {
	path := []Mark{{At: r2.Vec{X: 1}, U: 2}, {At: r2.Vec{X: 2}, U: 2}}
	for _, placed := range []map[int]Mark{nil, {7: {U: 1}}, {-1: {U: 1}}} {
		for i, m := range Mend(path, func(i int) float64 { return float64(i) }, placed) {
			if m != path[i] {
				t.Errorf("%v: picture %d is %+v", placed, i, m)
			}
		}
	}
}

// Points that are off as much as is told leave their ± at one and a half times, then at
// one; worse ones widen it.
func TestCautionFollowsTheCoach(t *testing.T) {
	if got := Widened(0, 0); got != Caution {
		t.Errorf("nobody has looked: %g", got)
	}
	c := NewCheck(3, -4, 2.5, 1)
	if math.Abs(c.Off-2) > 1e-12 || !c.Inside || !c.Moved {
		t.Errorf("3 and 4 px off at ± 5: %+v", c)
	}
	if c := NewCheck(0, 0, 2, 1.5); c.Moved || c.Off != 0 || !c.Inside {
		t.Errorf("left where it was: %+v", c)
	}
	if c := NewCheck(3, 0, 3, 1.5); math.Abs(c.Off-0.5*1.5*1.5) > 1e-12 {
		t.Errorf("the uncertainty before widening counts: %+v", c)
	}
	if few, many := Widened(50, 50), Widened(5000, 5000); !(few < Caution && few > many && many < 1.02) {
		t.Errorf("as good as told: %g after 50, %g after 5000", few, many)
	}
	if got := Widened(1000, 9000); got < 2.5 || got > 3 {
		t.Errorf("three times as far off as told: %g", got)
	}
	if got := Widened(1000, 10); got != 1 {
		t.Errorf("it never says less than the model was found to miss by: %g", got)
	}
}
