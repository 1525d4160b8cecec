package optics

import (
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"gonum.org/v1/gonum/spatial/r2"
)

func near(t *testing.T, what string, got, want, within float64) {
	t.Helper()
	if math.IsNaN(got) || math.Abs(got-want) > within {
		t.Errorf("%s is %v, want %v", what, got, want)
	}
}

func plane(t *testing.T, c Calibration) Plane {
	t.Helper()
	p, err := c.Plane()
	if err != nil {
		t.Fatal(err)
	}
	return p
}

func TestDirectionOfTravelMirrorsOnce(t *testing.T) {
	right := plane(t, Calibration{Rightward: true, MarkU: 2})
	left := plane(t, Calibration{MarkU: 2})
	a := r2.Vec{X: 300, Y: 200}
	near(t, "ahead when running right", right.Map(r2.Vec{X: 310, Y: 200}).X-right.Map(a).X, 10, 1e-9)
	near(t, "ahead when running left", left.Map(r2.Vec{X: 290, Y: 200}).X-left.Map(a).X, 10, 1e-9)
	near(t, "up", right.Map(r2.Vec{X: 300, Y: 190}).Y-right.Map(a).Y, 10, 1e-9)
}

func TestUnmapUndoesMap(t *testing.T) {
	for _, rightward := range []bool{true, false} {
		for _, tilt := range []float64{-7, 0, 3.5} {
			s, c := math.Sincos(tilt * math.Pi / 180)
			p := plane(t, Calibration{Rightward: rightward, MarkU: 2, Level: &Level{Line: Line{r2.Vec{X: 100, Y: 500}, r2.Vec{X: 100 + 800*c, Y: 500 - 800*s}}}})
			for _, px := range []r2.Vec{{X: 0, Y: 0}, {X: 640.5, Y: 360.25}, {X: 1280, Y: 12}} {
				back := p.Unmap(p.Map(px))
				near(t, "x", back.X, px.X, 1e-9)
				near(t, "y", back.Y, px.Y, 1e-9)
			}
		}
	}
}

// A camera held askew by an angle shows a level line at that angle: once it is
// marked, level points have equal height again.
func TestLevelTakesTheTiltOut(t *testing.T) {
	for _, tilt := range []float64{-12, -1, 0.4, 9} {
		s, c := math.Sincos(tilt * math.Pi / 180)
		a := r2.Vec{X: 200, Y: 500}
		b := r2.Vec{X: a.X + 600*c, Y: a.Y - 600*s}
		top := r2.Vec{X: a.X - 300*s, Y: a.Y - 300*c}
		for name, level := range map[string]*Level{"horizontal": {Line: Line{a, b}}, "drawn backwards": {Line: Line{b, a}}, "vertical": {Line: Line{a, top}, Vertical: true}} {
			p := plane(t, Calibration{Rightward: true, MarkU: 2, Level: level})
			near(t, name+": height of a level point", p.Map(b).Y-p.Map(a).Y, 0, 1e-9)
			near(t, name+": distance", p.Map(b).X-p.Map(a).X, 600, 1e-9)
		}
	}
}

func TestUncertaintyOfLevelAndScale(t *testing.T) {
	long := Line{r2.Vec{X: 100, Y: 500}, r2.Vec{X: 900, Y: 500}}
	p := plane(t, Calibration{MarkU: 2, Level: &Level{Line: long}, Scale: &Scale{Line: long, Metres: 4}})
	near(t, "u of the tilt", p.TiltU, math.Sqrt2*2/800*180/math.Pi, 1e-9)
	doubtful := plane(t, Calibration{MarkU: 2, Scale: &Scale{Line: long, Metres: 4, U: 0.12}})
	near(t, "u of a scale by a length that is known to 3 %", doubtful.ScaleU, math.Hypot(p.ScaleU, 0.03*p.PxPerM), 1e-9)
	near(t, "pixels per metre", p.PxPerM, 200, 1e-9)
	near(t, "u of the scale", p.ScaleU, 200*math.Hypot(math.Sqrt2*2/800, DepthU), 1e-9)
	near(t, "an assumed level", plane(t, Calibration{MarkU: 2}).TiltU, AssumedLevelU, 0)
	near(t, "10° off square", OffSquareU(10), 1-math.Cos(math.Pi/18), 1e-12)
	near(t, "square", OffSquareU(0), 0, 0)
}

func TestSenselessMarksAreRefused(t *testing.T) {
	short := Line{r2.Vec{X: 10, Y: 10}, r2.Vec{X: 20, Y: 10}}
	long := Line{r2.Vec{X: 100, Y: 500}, r2.Vec{X: 900, Y: 500}}
	for _, c := range []struct {
		name string
		with Calibration
		says string
	}{
		{"a short level", Calibration{Level: &Level{Line: short}}, "longer"},
		{"a horizontal called vertical", Calibration{Level: &Level{Line: long, Vertical: true}}, "horizontal or vertical"},
		{"a short scale", Calibration{Scale: &Scale{Line: short, Metres: 1}}, "longer"},
		{"a scale of nothing", Calibration{Scale: &Scale{Line: long}}, "more than 0 m"},
	} {
		if _, err := c.with.Plane(); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v", c.name, err)
		}
	}
}

// Five placings with a known spread; and over many hands the truth lies inside
// ± 2u as often as it should, though five tell little.
func TestRepeatability(t *testing.T) {
	r := rand.New(rand.NewPCG(6, 6))
	if _, err := Repeatability(make([]r2.Vec, 4)); err == nil {
		t.Error("four placings are enough")
	}
	const sigma = 1.4
	inside, n := 0, 4000
	var mean float64
	for range n {
		points := make([]r2.Vec, 5)
		for i := range points {
			points[i] = r2.Vec{X: 500 + sigma*r.NormFloat64(), Y: 300 + sigma*r.NormFloat64()}
		}
		u, err := Repeatability(points)
		if err != nil {
			t.Fatal(err)
		}
		mean += u / float64(n)
		if math.Abs(sigma*r.NormFloat64()) <= 2*u {
			inside++
		}
	}
	if share := float64(inside) / float64(n); share < 0.93 || share > 0.98 || mean < sigma {
		t.Errorf("%.1f %% lie inside ± 2u, mean u %.2f of %.2f", 100*share, mean, sigma)
	}
}
