package optics

import (
	"math"
	"testing"

	"gonum.org/v1/gonum/spatial/r2"
	"gonum.org/v1/gonum/spatial/r3"
)

func known(v ...float64) bool {
	for _, x := range v {
		if math.IsNaN(x) || math.IsInf(x, 0) {
			return false
		}
	}
	return true
}

// Whatever four points are marked, there is a ground with numbers, or a reason.
func FuzzGround(f *testing.F) {
	f.Add(640.0, 500.0, 700.0, 505.0, 690.0, 560.0, 600.0, 550.0, 650.0, 530.0)
	f.Add(0.0, 0.0, 1.0, 0.0, 2.0, 0.0, 3.0, 0.0, 1.0, 1.0)
	f.Add(5.0, 5.0, 5.0, 5.0, 5.0, 5.0, 5.0, 5.0, 5.0, 5.0)
	f.Add(1e300, 0.0, math.Inf(1), 0.0, 0.0, math.NaN(), 1e-300, 0.0, 1.0, 1.0)
	f.Fuzz(func(t *testing.T, ax, ay, bx, by, cx, cy, dx, dy, x, y float64) {
		g, err := NewGroundPlane([]r2.Vec{{X: -1, Y: -1}, {X: 1, Y: -1}, {X: 1, Y: 1}, {X: -1, Y: 1}}, []r2.Vec{{X: ax, Y: ay}, {X: bx, Y: by}, {X: cx, Y: cy}, {X: dx, Y: dy}}, 1)
		if err != nil {
			return
		}
		if p, u, err := g.World(r2.Vec{X: x, Y: y}); err == nil && !known(p.X, p.Y, u.X, u.Y) {
			t.Errorf("a place of %v ± %v", p, u)
		}
		if d, u, err := g.Direction(r2.Vec{X: x, Y: y}, r2.Vec{X: x + 10, Y: y + 3}); err == nil && !known(d, u) {
			t.Errorf("a direction of %v ± %v", d, u)
		}
	})
}

// Whatever two cameras are said to see, there is a point with numbers, or a
// reason.
func FuzzTriangulate(f *testing.F) {
	f.Add(640.0, 360.0, 600.0, 350.0)
	f.Add(math.NaN(), 0.0, 1e308, math.Inf(-1))
	views := []View{{at: [12]float64{1400, 640, 0, 7680, 0, 360, -1400, 4320, 0, 1, 0, 12}}, {at: [12]float64{-640, 1400, 0, 7680, -360, 0, -1400, 4320, -1, 0, 0, 12}}}
	f.Fuzz(func(t *testing.T, ax, ay, bx, by float64) {
		p, err := Triangulate(Ray{views[0], r2.Vec{X: ax, Y: ay}, 1}, Ray{views[1], r2.Vec{X: bx, Y: by}, 1})
		if u := p.U(); err == nil && !known(p.At.X, p.At.Y, p.At.Z, u.X, u.Y, u.Z, p.RMS) {
			t.Errorf("a point of %v", p)
		}
		if p, err = (Ray{views[0], r2.Vec{X: ax, Y: ay}, 1}).OnPlane(bx, by); err == nil && !known(p.At.X, p.At.Y, p.At.Z, p.U().X) {
			t.Errorf("on the ground at %v", p)
		}
		v, err := NewView([]r3.Vec{{X: ax}, {Y: ay}, {Z: bx}, {X: by, Y: 1}, {Y: 2, Z: ax}, {X: 1, Y: bx, Z: 3}}, []r2.Vec{{X: ax, Y: ay}, {X: bx}, {Y: by}, {X: 1, Y: 1}, {X: 9, Y: 4}, {X: 3, Y: 8}}, 1)
		if err == nil && !known(v.at[:]...) {
			t.Errorf("a camera of %v", v)
		}
		v, err = Resect([]r3.Vec{{X: ax}, {Y: ay}, {X: by, Y: 1}, {X: 2, Y: bx}}, []r2.Vec{{X: ax, Y: ay}, {X: bx}, {Y: by}, {X: 640, Y: 1}}, r2.Vec{X: 640, Y: 360}, 1)
		if err == nil && !known(v.at[:]...) {
			t.Errorf("a camera of %v", v)
		}
	})
}

// Whatever is said of the picture, it is levelled and scaled, or there is a
// reason.
func FuzzPlane(f *testing.F) {
	f.Add(100.0, 400.0, 500.0, 410.0, 2.0, 300.0, 200.0)
	f.Add(0.0, 0.0, 0.0, 0.0, -1.0, 0.0, 0.0)
	f.Add(math.NaN(), math.Inf(1), 1e308, -1e308, 1e-300, 0.0, 1.0)
	f.Fuzz(func(t *testing.T, ax, ay, bx, by, metres, x, y float64) {
		line := Line{A: r2.Vec{X: ax, Y: ay}, B: r2.Vec{X: bx, Y: by}}
		p, err := Calibration{Scale: &Scale{Line: line, Metres: metres}, Level: &Level{Line: line}, MarkU: 2}.Plane()
		if err == nil && !known(p.Tilt, p.TiltU, p.PxPerM, p.ScaleU) {
			t.Errorf("a plane of %+v", p)
		}
	})
}
