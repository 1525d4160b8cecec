package optics

import (
	"errors"
	"fmt"
	"math"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/spatial/r2"
	"gonum.org/v1/gonum/spatial/r3"
)

// View is a camera by the direct linear transformation: eleven numbers that take
// a point of space to a pixel (Abdel-Aziz & Karara 1971).
type View struct {
	at  projection
	off []projection // the same camera one standard uncertainty off, in directions that are independent of each other
	RMS float64      // px, by which its control points miss

	scale float64 // px a metre, about its control points

	FocalU float64 // standard uncertainty of a resected camera's focal length, as a share of it
}

// projection takes a point of space to a pixel: 3 × 4, by rows.
type projection [12]float64

func (m *projection) row(i int, p r3.Vec) float64 {
	return m[4*i]*p.X + m[4*i+1]*p.Y + m[4*i+2]*p.Z + m[4*i+3]
}

func (m *projection) px(p r3.Vec) r2.Vec {
	w := m.row(2, p)
	return r2.Vec{X: m.row(0, p) / w, Y: m.row(1, p) / w}
}

// leastControl are the fewest points that tell a camera.
const leastControl = 6

// NewView finds a camera from six or more points of space (m) that do not lie in
// one plane, and their pixels, marked to markU. It assumes nothing of the lens;
// where the picture's middle is known, Resect needs fewer points and holds
// farther from them.
func NewView(space []r3.Vec, px []r2.Vec, markU float64) (View, error) {
	if len(space) != len(px) || len(px) < leastControl {
		return View{}, fmt.Errorf("a camera needs %d points whose places are known, there are %d", leastControl, min(len(px), len(space)))
	}
	for i, p := range space {
		if !anyNonZero(p.X, p.Y, p.Z, px[i].X, px[i].Y) {
			return View{}, fmt.Errorf("point %d lies nowhere", i+1)
		}
	}
	var c r3.Vec
	d := 0.0
	for _, p := range space {
		c = r3.Add(c, r3.Scale(1/float64(len(space)), p))
	}
	for _, p := range space {
		d += r3.Norm(r3.Sub(p, c)) / float64(len(space))
	}
	s := math.Sqrt(3) / math.Max(d, 1e-12)
	tp, p := normal(px)
	a := mat.NewDense(2*len(px), 12, nil)
	for i, q := range space {
		q = r3.Scale(s, r3.Sub(q, c))
		u, v := p[i].X, p[i].Y
		a.SetRow(2*i, []float64{q.X, q.Y, q.Z, 1, 0, 0, 0, 0, -u * q.X, -u * q.Y, -u * q.Z, -u})
		a.SetRow(2*i+1, []float64{0, 0, 0, 0, q.X, q.Y, q.Z, 1, -v * q.X, -v * q.Y, -v * q.Z, -v})
	}
	flat := errors.New("these points lie in one plane, or too near to it: add some at another height")
	v, ok := null(a)
	if !ok {
		return View{}, flat
	}
	var back mat.Dense
	if back.Inverse(tp) != nil {
		return View{}, flat
	}
	to := mat.NewDense(4, 4, []float64{s, 0, 0, -s * c.X, 0, s, 0, -s * c.Y, 0, 0, s, -s * c.Z, 0, 0, 0, 1})
	out := View{}
	if out.at, ok = unscaled(v, &back, to, c); !ok {
		return View{}, flat
	}
	sum := 0.0
	for i := range space {
		sum += r2.Norm2(r2.Sub(out.Px(space[i]), px[i]))
	}
	out.RMS = math.Sqrt(sum / float64(2*len(px)))
	u := math.Max(markU, 1e-9)
	if free := 2*len(px) - 11; free > 0 { // what the points themselves say, where that is worse
		u = math.Max(u, math.Sqrt(sum/float64(free)))
	}
	// The equations' errors are those of pixels, nearly: depth hardly varies.
	var svd mat.SVD
	if !svd.Factorize(a, mat.SVDFull) {
		return View{}, flat
	}
	var right mat.Dense
	svd.VTo(&right)
	depth := 0.0
	for _, q := range space {
		q = r3.Scale(s, r3.Sub(q, c))
		depth += math.Abs(v[8]*q.X+v[9]*q.Y+v[10]*q.Z+v[11]) / float64(len(space))
	}
	for k, value := range svd.Values(nil)[:11] {
		off := append([]float64(nil), v...)
		for i := range off {
			off[i] += u * tp.At(0, 0) * depth / value * right.At(i, k)
		}
		if m, ok := unscaled(off, &back, to, c); ok {
			out.off = append(out.off, m)
		}
	}
	out.scale = out.at.scale(space)
	return out, nil
}

// unscaled takes a projection of shifted and scaled points back to metres and
// pixels; what is seen at about c lies in front.
func unscaled(v []float64, back, to *mat.Dense, c r3.Vec) (out projection, ok bool) {
	var m mat.Dense
	m.Product(back, mat.NewDense(3, 4, append([]float64(nil), v...)), to)
	w := math.Sqrt(m.At(2, 0)*m.At(2, 0) + m.At(2, 1)*m.At(2, 1) + m.At(2, 2)*m.At(2, 2))
	if w == 0 {
		return out, false
	}
	if m.At(2, 0)*c.X+m.At(2, 1)*c.Y+m.At(2, 2)*c.Z+m.At(2, 3) < 0 {
		w = -w
	}
	for i := range out {
		out[i] = m.At(i/4, i%4) / w
	}
	return out, true
}

// scale is about how many pixels a metre has where points lie.
func (m *projection) scale(space []r3.Vec) float64 {
	var c r3.Vec
	for _, p := range space {
		c = r3.Add(c, r3.Scale(1/float64(len(space)), p))
	}
	j := m.slope(c, m.px(c))
	return math.Sqrt((r3.Norm2(j[0]) + r3.Norm2(j[1])) / 2)
}

// Px is where a point of space is seen.
func (v View) Px(p r3.Vec) r2.Vec { return v.at.px(p) }

// DepthFromLength is by how much a part of a known length (m) points toward the camera or
// away from it when it is seen px long at a scale: foreshortening in scaled
// orthographic projection (Taylor 2000, CVIU 80). Which of the two, the coach
// says. u is the standard uncertainty of the seen length, lengthU of the known.
func DepthFromLength(px, u, pxPerM, length, lengthU float64) (depth, depthU float64, err error) {
	if !(length > 0) || !(pxPerM > 0) || !(px >= 0) {
		return 0, 0, fmt.Errorf("a part of %g m that is seen %g px long at %g px a metre has no depth", length, px, pxPerM)
	}
	seen, seenU := px/pxPerM, u/pxPerM
	square := length*length - seen*seen
	around := math.Hypot(length*lengthU, seen*seenU) // u of half the square's
	if square < -4*around {
		return 0, 0, fmt.Errorf("the part is seen %.2f m long, but is %.2f m: the scale, the length or a point is wrong", seen, length)
	}
	depth = math.Sqrt(math.Max(0, square))
	// Near the picture's plane the root is steep: there the bound is the root of
	// what the square may be.
	return depth, math.Min(around/math.Max(depth, 1e-9), math.Sqrt(2*around)), nil
}

// Slopes is the pixel of a point of space, and how its x and its y move with the
// point, px a metre.
func (v View) Slopes(p r3.Vec) (px r2.Vec, x, y r3.Vec) {
	px = v.at.px(p)
	j := v.at.slope(p, px)
	return px, j[0], j[1]
}

// Doubts is in how many directions, independent of each other, the camera's numbers
// are open.
func (v View) Doubts() int { return len(v.off) }

// Doubt is by how much the pixel of a point of space is off, px, where the camera is
// one standard uncertainty off in one of these directions.
func (v View) Doubt(k int, p r3.Vec) r2.Vec { return r2.Sub(v.off[k].px(p), v.at.px(p)) }

// Matrix is the projection of a picture to which the camera has moved, by rows: three
// sums of the columns x, y, z (m) and 1; the first two over the third are the pixel. The
// third is how far a point is in front of the camera, m.
func (v View) Matrix(moved Movement) [12]float64 {
	var out [12]float64
	for i := range 3 {
		for j := range 4 {
			for k := range 3 {
				out[4*i+j] += moved.h[3*i+k] * v.at[4*k+j]
			}
		}
	}
	size := math.Sqrt(out[8]*out[8] + out[9]*out[9] + out[10]*out[10])
	turn := mat.NewDense(3, 3, []float64{out[0], out[1], out[2], out[4], out[5], out[6], out[8], out[9], out[10]})
	if mat.Det(turn) < 0 { // a picture is not a mirror
		size = -size
	}
	for i := range out {
		out[i] /= size
	}
	return out
}

// Centre is where the camera stands, m.
func (v View) Centre() r3.Vec { return v.at.centre() }

// Heading is the direction over the ground, radians from x toward y, in which the camera
// lies from a point of space, and its standard uncertainty.
func (v View) Heading(from r3.Vec) (angle, u float64) {
	to := func(m *projection) float64 {
		d := r3.Sub(m.centre(), from)
		return math.Atan2(d.Y, d.X)
	}
	angle = to(&v.at)
	for i := range v.off {
		u = math.Hypot(u, math.Remainder(to(&v.off[i])-angle, 2*math.Pi))
	}
	return angle, u
}

func (m *projection) centre() r3.Vec {
	turn := mat.NewDense(3, 3, []float64{m[0], m[1], m[2], m[4], m[5], m[6], m[8], m[9], m[10]})
	var c mat.VecDense
	if c.SolveVec(turn, mat.NewVecDense(3, []float64{-m[3], -m[7], -m[11]})) != nil {
		return r3.Vec{}
	}
	return r3.Vec{X: c.AtVec(0), Y: c.AtVec(1), Z: c.AtVec(2)}
}
