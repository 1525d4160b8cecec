package orbit

import (
	"math"
	"math/rand/v2"
	"testing"

	"gonum.org/v1/gonum/spatial/r2"
)

func near(t *testing.T, what string, got, want, within float64) {
	t.Helper()
	if math.IsNaN(got) || math.Abs(got-want) > within {
		t.Errorf("%s is %v, want %v", what, got, want)
	}
}

// A right-hander turns to the left seen from above, and meets 90 on the right
// of a camera behind the circle.
func TestAzimuthGrowsWithTheTurn(t *testing.T) {
	back, sector, left, right := r2.Vec{X: -1}, r2.Vec{X: 1}, r2.Vec{Y: 1}, r2.Vec{Y: -1}
	for _, c := range []struct {
		p           r2.Vec
		right, left Degrees
	}{{back, 0, 0}, {right, 90, 270}, {sector, 180, 180}, {left, 270, 90}} {
		near(t, "a right-hander's", Azimuth(c.p, r2.Vec{}, true), c.right, 1e-9)
		near(t, "a left-hander's", Azimuth(c.p, r2.Vec{}, false), c.left, 1e-9)
	}
}

// The two habits of the clock face: conventions of the trade.
func TestClockFaces(t *testing.T) {
	for _, c := range []struct {
		az          Degrees
		clock       Clock
		rightHanded bool
		want        float64
	}{
		{0, ClockA, true, 12}, {90, ClockA, true, 9}, {180, ClockA, true, 6}, {270, ClockA, true, 3}, {90, ClockA, false, 3}, {30, ClockA, false, 1},
		{180, ClockB, true, 12}, {0, ClockB, true, 6}, {90, ClockB, true, 3}, {90, ClockB, false, 9}, {240, ClockB, true, 10}, {540, ClockB, true, 12},
	} {
		near(t, "the hour", Hour(c.az, c.clock, c.rightHanded), c.want, 1e-9)
	}
}

func TestWrappedTurns(t *testing.T) {
	near(t, "from 350 to 20", Wrap(20-350), 30, 1e-9)
	near(t, "hips at 0, shoulders at 300", Wrap(0-300), 60, 1e-9)
}

func TestCircleThroughRoughPoints(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 2))
	var pts []r2.Vec
	for a := 0.3; a < 4.2; a += 0.1 {
		pts = append(pts, r2.Vec{X: 0.4 + 1.75*math.Cos(a) + 0.01*r.NormFloat64(), Y: -0.2 + 1.75*math.Sin(a) + 0.01*r.NormFloat64()})
	}
	c, radius, err := Circle(pts)
	if err != nil {
		t.Fatal(err)
	}
	near(t, "x", c.X, 0.4, 0.01)
	near(t, "y", c.Y, -0.2, 0.01)
	near(t, "the radius", radius, 1.75, 0.01)
	if _, _, err := Circle(pts[:2]); err == nil {
		t.Error("two points make a circle")
	}
	if _, _, err := Circle([]r2.Vec{{X: 0}, {X: 1}, {X: 2}}); err == nil {
		t.Error("a straight line makes a circle")
	}
}
