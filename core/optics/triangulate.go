package optics

import (
	"errors"
	"fmt"
	"math"

	"gonum.org/v1/gonum/spatial/r2"
	"gonum.org/v1/gonum/spatial/r3"
)

// Ray is a point as one view sees it: its pixel, and that one's standard
// uncertainty along each axis.
type Ray struct {
	View View
	Px   r2.Vec
	U    float64
}

// Point3D is a point in space, m. Its errors are those along Spread, each one
// standard uncertainty long and independent of the others.
type Point3D struct {
	At     r3.Vec
	Spread [3]r3.Vec
	RMS    float64 // px, by which the views miss it
	Expect float64 // px, the standard uncertainty of a pixel: as it was told, and as the cameras are known
}

// U is the standard uncertainty along each axis, m.
func (f Point3D) U() r3.Vec {
	var v r3.Vec
	for _, s := range f.Spread {
		v = r3.Add(v, r3.Vec{X: s.X * s.X, Y: s.Y * s.Y, Z: s.Z * s.Z})
	}
	return r3.Vec{X: math.Sqrt(v.X), Y: math.Sqrt(v.Y), Z: math.Sqrt(v.Z)}
}

var errAlongOneLine = errors.New("the cameras look along one line: move one of them aside")

// Triangulate finds the point that two or more views see, by weighted least
// squares on the pictures. What each view's control points leave open counts as
// an error of its pixel.
func Triangulate(sights ...Ray) (Point3D, error) {
	if len(sights) < 2 {
		return Point3D{}, fmt.Errorf("a point in space needs two views, there are %d", len(sights))
	}
	var n normal3
	for _, s := range sights {
		if !anyNonZero(s.Px.X, s.Px.Y) || !(s.U > 0) {
			return Point3D{}, errors.New("the point lies nowhere on one of the pictures")
		}
		m := &s.View.at
		for axis, at := range []float64{s.Px.X, s.Px.Y} {
			a := r3.Vec{X: m[4*axis] - at*m[8], Y: m[4*axis+1] - at*m[9], Z: m[4*axis+2] - at*m[10]}
			n.add(a, at*m[11]-m[4*axis+3], 1)
		}
	}
	p, ok := n.solve()
	if !ok {
		return Point3D{}, errAlongOneLine
	}
	out := Point3D{}
	var chol [6]float64
	for range 8 {
		n = normal3{}
		sum, expect := 0.0, 0.0
		for _, s := range sights {
			at := s.View.Px(p)
			j := s.View.at.slope(p, at)
			miss := r2.Sub(s.Px, at)
			sum += r2.Norm2(miss)
			// What is whitened by the pixel's covariance has unit errors.
			xx, xy, yy := s.View.open(p, at)
			xx, yy = xx+s.U*s.U, yy+s.U*s.U
			expect += xx + yy
			l0 := math.Sqrt(xx)
			l1 := xy / l0
			l2 := math.Sqrt(yy - l1*l1)
			a, ra := r3.Scale(1/l0, j[0]), miss.X/l0
			b, rb := r3.Scale(1/l2, r3.Sub(j[1], r3.Scale(l1, a))), (miss.Y-l1*ra)/l2
			n.add(a, ra, 1)
			n.add(b, rb, 1)
		}
		step, ok := n.solve()
		if !ok {
			return Point3D{}, errAlongOneLine
		}
		p = r3.Add(p, step)
		out.RMS, out.Expect = math.Sqrt(sum/float64(2*len(sights))), math.Sqrt(expect/float64(2*len(sights)))
		if r3.Norm(step) < 1e-9 {
			break
		}
	}
	if chol, ok = n.cholesky(); !ok || !anyNonZero(p.X, p.Y, p.Z) {
		return Point3D{}, errAlongOneLine
	}
	out.At, out.Spread = p, inverseRoot(chol)
	for _, s := range out.Spread {
		if !anyNonZero(s.X, s.Y, s.Z) {
			return Point3D{}, errAlongOneLine
		}
	}
	for _, s := range sights {
		if s.View.at.row(2, p) <= 0 {
			return Point3D{}, errors.New("by these pixels the point lies behind a camera: look at them again")
		}
	}
	return out, nil
}

// OnPlane is where a point that is known to be so high above the ground lies, m, seen
// by one view: on the ground and just over it, not in the air.
func (s Ray) OnPlane(height, heightU float64) (Point3D, error) {
	if !anyNonZero(s.Px.X, s.Px.Y, height, heightU) || !(s.U > 0) {
		return Point3D{}, errors.New("the point lies nowhere on the picture")
	}
	m := &s.View.at
	var n normal3
	for axis, at := range []float64{s.Px.X, s.Px.Y} {
		a := r3.Vec{X: m[4*axis] - at*m[8], Y: m[4*axis+1] - at*m[9], Z: m[4*axis+2] - at*m[10]}
		n.add(a, at*m[11]-m[4*axis+3], 1)
	}
	n.add(r3.Vec{Z: 1e3 * math.Sqrt(n.xx+n.yy+n.zz)}, 1e3*math.Sqrt(n.xx+n.yy+n.zz)*height, 1)
	p, ok := n.solve()
	horizon := errors.New("that point of the picture lies over the horizon: mark something on the ground")
	if !ok || m.row(2, p) <= 0 || !anyNonZero(p.X, p.Y, p.Z) {
		return Point3D{}, horizon
	}
	p.Z = height
	at := s.View.Px(p)
	j := s.View.at.slope(p, at)
	det := j[0].X*j[1].Y - j[0].Y*j[1].X
	if math.Abs(det) < 1e-12 {
		return Point3D{}, horizon
	}
	back := func(d r2.Vec) r3.Vec {
		return r3.Vec{X: (j[1].Y*d.X - j[0].Y*d.Y) / det, Y: (-j[1].X*d.X + j[0].X*d.Y) / det}
	}
	p = r3.Add(p, back(r2.Sub(s.Px, at)))
	xx, xy, yy := s.View.open(p, at)
	xx, yy = xx+s.U*s.U, yy+s.U*s.U
	l0 := math.Sqrt(xx)
	l1 := xy / l0
	lift := back(r2.Vec{X: -j[0].Z * heightU, Y: -j[1].Z * heightU})
	lift.Z = heightU
	return Point3D{At: p, Spread: [3]r3.Vec{back(r2.Vec{X: l0, Y: l1}), back(r2.Vec{Y: math.Sqrt(yy - l1*l1)}), lift}}, nil
}

// slope is how a point's pixel, at, moves with the point: of x and of y.
func (m *projection) slope(p r3.Vec, at r2.Vec) [2]r3.Vec {
	w := m.row(2, p)
	return [2]r3.Vec{
		{X: (m[0] - at.X*m[8]) / w, Y: (m[1] - at.X*m[9]) / w, Z: (m[2] - at.X*m[10]) / w},
		{X: (m[4] - at.Y*m[8]) / w, Y: (m[5] - at.Y*m[9]) / w, Z: (m[6] - at.Y*m[10]) / w},
	}
}

// open is the covariance, px², that the control points leave to the pixel of a
// point of space.
func (v View) open(p r3.Vec, at r2.Vec) (xx, xy, yy float64) {
	for i := range v.off {
		d := r2.Sub(v.off[i].px(p), at)
		xx, xy, yy = xx+d.X*d.X, xy+d.X*d.Y, yy+d.Y*d.Y
	}
	return xx, xy, yy
}

// normal3 are the normal equations of a least squares fit of three numbers.
type normal3 struct {
	xx, xy, xz, yy, yz, zz float64
	b                      r3.Vec
}

func (n *normal3) add(a r3.Vec, b, w float64) {
	n.xx, n.xy, n.xz = n.xx+w*a.X*a.X, n.xy+w*a.X*a.Y, n.xz+w*a.X*a.Z
	n.yy, n.yz, n.zz = n.yy+w*a.Y*a.Y, n.yz+w*a.Y*a.Z, n.zz+w*a.Z*a.Z
	n.b = r3.Add(n.b, r3.Scale(w*b, a))
}

// cholesky is the lower factor, by rows; false when a direction is left open.
func (n *normal3) cholesky() (l [6]float64, ok bool) {
	most := n.xx + n.yy + n.zz
	const open = 1e-14
	l[0] = math.Sqrt(n.xx)
	l[1], l[3] = n.xy/l[0], n.xz/l[0]
	l[2] = math.Sqrt(n.yy - l[1]*l[1])
	l[4] = (n.yz - l[1]*l[3]) / l[2]
	rest := n.zz - l[3]*l[3] - l[4]*l[4]
	l[5] = math.Sqrt(rest)
	return l, n.xx > open*most && n.yy-l[1]*l[1] > open*most && rest > open*most
}

func (n *normal3) solve() (r3.Vec, bool) {
	l, ok := n.cholesky()
	if !ok {
		return r3.Vec{}, false
	}
	y0 := n.b.X / l[0]
	y1 := (n.b.Y - l[1]*y0) / l[2]
	y2 := (n.b.Z - l[3]*y0 - l[4]*y1) / l[5]
	z := y2 / l[5]
	y := (y1 - l[4]*z) / l[2]
	return r3.Vec{X: (y0 - l[1]*y - l[3]*z) / l[0], Y: y, Z: z}, true
}

// inverseRoot are the columns of a root of (L·Lᵀ)⁻¹: of L⁻ᵀ.
func inverseRoot(l [6]float64) [3]r3.Vec {
	a, b, c := 1/l[0], 1/l[2], 1/l[5]
	ba := -l[1] * a * b
	cb := -l[4] * b * c
	ca := -(l[3]*a + l[4]*ba) * c
	return [3]r3.Vec{{X: a}, {X: ba, Y: b}, {X: ca, Y: cb, Z: c}}
}

// PxPerM is about how many pixels a metre has where its control points lie; 0
// when that is not known.
func (v View) PxPerM() float64 { return v.scale }
