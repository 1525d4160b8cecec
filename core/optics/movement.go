package optics

import (
	"fmt"
	"math"
	"math/cmplx"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/spatial/r2"
)

// Movement is how the still world moves on the picture between two pictures: a
// shift with a turn and a zoom, and, where the camera pans, the leaning of the
// picture's plane that goes with it: a homography.
type Movement struct{ h homography }

// Rest is a camera that does not move.
var Rest = Similarity(1, 0)

// Similarity is the movement p → turn·p + shift, in complex numbers.
func Similarity(turn, shift complex128) Movement {
	return Movement{homography{real(turn), -imag(turn), real(shift), imag(turn), real(turn), imag(shift), 0, 0, 1}}
}

// Elements are a movement's numbers: four of a similarity (turn and shift, real
// and imaginary), the first eight of a homography's nine otherwise.
func (m Movement) Elements() []float64 {
	if m.h[6] == 0 && m.h[7] == 0 && m.h[0] == m.h[4] && m.h[1] == -m.h[3] {
		return []float64{m.h[0], m.h[3], m.h[2], m.h[5]}
	}
	return append([]float64(nil), m.h[:8]...)
}

// Matrix is the movement as a homography of the picture's plane, by rows.
func (m Movement) Matrix() [9]float64 { return m.h }

// MovementOf is the movement of such numbers; of others it is Rest.
func MovementOf(elements []float64) Movement {
	switch len(elements) {
	case 4:
		return Similarity(complex(elements[0], elements[1]), complex(elements[2], elements[3]))
	case 8:
		m := Movement{homography{8: 1}}
		copy(m.h[:8], elements)
		return m
	}
	return Rest
}

// Scaled is the movement on a picture that is so many times as large.
func (m Movement) Scaled(by float64) Movement {
	m.h[2], m.h[5] = m.h[2]*by, m.h[5]*by
	m.h[6], m.h[7] = m.h[6]/by, m.h[7]/by
	return m
}

func point(p r2.Vec) complex128 { return complex(p.X, p.Y) }

// Map takes a still point from the first picture to the second.
func (m Movement) Map(p r2.Vec) r2.Vec { return m.h.apply(p) }

// Then is m followed by n.
func (m Movement) Then(n Movement) Movement {
	var out homography
	for i := range 3 {
		for j := range 3 {
			for k := range 3 {
				out[3*i+j] += n.h[3*i+k] * m.h[3*k+j]
			}
		}
	}
	return Movement{out.scaled()}
}

// Inverse is the movement from the second picture to the first.
func (m Movement) Inverse() Movement {
	h := m.h
	return Movement{homography{
		h[4]*h[8] - h[5]*h[7], h[2]*h[7] - h[1]*h[8], h[1]*h[5] - h[2]*h[4],
		h[5]*h[6] - h[3]*h[8], h[0]*h[8] - h[2]*h[6], h[2]*h[3] - h[0]*h[5],
		h[3]*h[7] - h[4]*h[6], h[1]*h[6] - h[0]*h[7], h[0]*h[4] - h[1]*h[3],
	}.scaled()}
}

// scaled makes the last element 1.
func (h homography) scaled() homography {
	for i := range h {
		h[i] /= h[8]
	}
	h[8] = 1
	return h
}

// shift is how far the picture's origin moves, px.
func (m Movement) shift() float64 { return math.Hypot(m.h[2], m.h[5]) }

// Zoom is the factor by which things grow, Degrees how far they turn clockwise
// on the picture, at its origin.
func (m Movement) Zoom() float64    { return math.Hypot(m.h[0], m.h[3]) }
func (m Movement) Degrees() float64 { return math.Atan2(m.h[3], m.h[0]) * 180 / math.Pi }

// CameraMotion is how a camera moved: Moved tells how the still world moved on the
// picture from the picture First to it and each one after. The zero Camera
// stands still.
type CameraMotion struct {
	First int
	Moved []Movement
}

const (
	// stepU is how well one step of the camera is known, px, panU which share of
	// a pan's shift the turn of the picture's plane leaves open.
	stepU = 0.05
	panU  = 0.003
)

// At is how the still world moved up to a picture, and its standard
// uncertainty, px, at the picture's middle. Beyond the pictures on which the
// camera was followed it is taken to stand.
func (c CameraMotion) At(picture int) (m Movement, u float64) {
	if len(c.Moved) == 0 {
		return Rest, 0
	}
	i := min(max(picture-c.First, 0), len(c.Moved)-1)
	m = c.Moved[i]
	return m, math.Hypot(stepU*math.Sqrt(float64(i)), panU*m.shift())
}

// Steady is the camera without movements that no point of a picture so large
// shows by more than limit px: then it stood.
func (c CameraMotion) Steady(w, h, limit float64) CameraMotion {
	for _, m := range c.Moved {
		for _, p := range []r2.Vec{{}, {X: w}, {Y: h}, {X: w, Y: h}} {
			if r2.Norm(r2.Sub(m.Map(p), p)) > limit {
				return c
			}
		}
	}
	return CameraMotion{}
}

// similar is a movement p → turn·p + shift.
type similar struct{ turn, shift complex128 }

// fitSimilar is the least-squares one of the points in use.
func fitSimilar(from, to []r2.Vec, use []bool) (similar, bool) {
	var a, b complex128
	n := 0.0
	for i := range from {
		if use[i] {
			a, b, n = a+point(from[i]), b+point(to[i]), n+1
		}
	}
	if n < 2 {
		return similar{}, false
	}
	a, b = a/complex(n, 0), b/complex(n, 0)
	var cross complex128
	var spread float64
	for i := range from {
		if use[i] {
			p, q := point(from[i])-a, point(to[i])-b
			cross += cmplx.Conj(p) * q
			spread += real(p)*real(p) + imag(p)*imag(p)
		}
	}
	turn := cross / complex(spread, 0)
	return similar{turn, b - turn*a}, spread > 1e-9 && turn != 0
}

const (
	// panned is how many still points tell that a camera pans, leastPan how far,
	// px, their middle must move, and surely by how many times more than chance
	// (an F ratio) the misses must become smaller.
	panned   = 8
	leastPan = 0.4
	surely   = 8
)

// fitPan is the least-squares movement of the points in use with the leaning of
// the picture's plane, where they tell it surely; else m.
func fitPan(m Movement, from, to []r2.Vec, use []bool) Movement {
	var a, b []r2.Vec
	for i := range from {
		if use[i] {
			a, b = append(a, from[i]), append(b, to[i])
		}
	}
	if len(a) < panned {
		return m
	}
	ta, u := normal(a)
	tb, v := normal(b)
	if middle := (r2.Vec{X: -ta.At(0, 2) / ta.At(0, 0), Y: -ta.At(1, 2) / ta.At(0, 0)}); r2.Norm(r2.Sub(m.Map(middle), middle)) < leastPan {
		return m
	}
	n := len(u)
	rows, want := mat.NewDense(2*n, 6, nil), mat.NewVecDense(2*n, nil)
	for i := range u {
		x, y, px, py := u[i].X, u[i].Y, v[i].X, v[i].Y
		rows.SetRow(2*i, []float64{x, -y, 1, 0, -x * px, -y * px})
		rows.SetRow(2*i+1, []float64{y, x, 0, 1, -x * py, -y * py})
		want.SetVec(2*i, px)
		want.SetVec(2*i+1, py)
	}
	var s mat.VecDense
	if s.SolveVec(rows, want) != nil {
		return m
	}
	p := mat.NewDense(3, 3, []float64{s.AtVec(0), -s.AtVec(1), s.AtVec(2), s.AtVec(1), s.AtVec(0), s.AtVec(3), s.AtVec(4), s.AtVec(5), 1})
	var back, h mat.Dense
	if back.Inverse(tb) != nil {
		return m
	}
	h.Product(&back, p, ta)
	lean, ok := fromMatrix(&h)
	if !ok {
		return m
	}
	misses := func(m Movement) (sum float64) {
		for i := range a {
			sum += r2.Norm2(r2.Sub(m.Map(a[i]), b[i]))
		}
		return sum
	}
	pan := Movement{lean}
	if less := misses(pan); misses(m)-less > 2*surely*less/float64(2*n-6) {
		return pan
	}
	return m
}

// FitMovement finds the movement that most of the followed points agree on
// within tolerance px, and reports which of them do. Pairs of points are asked in
// order, so the answer is the same each time.
func FitMovement(from, to []r2.Vec, tolerance float64) (m Movement, agree []bool, err error) {
	n := len(from)
	if n != len(to) || n < 3 {
		return Rest, nil, fmt.Errorf("the camera's movement needs three still points on both pictures, there are %d", min(n, len(to)))
	}
	most := 0
	pair, use := make([]bool, n), make([]bool, n)
search:
	for i := range n {
		for j := range i {
			pair[i], pair[j] = true, true
			try, ok := fitSimilar(from, to, pair)
			pair[i], pair[j] = false, false
			if !ok {
				continue
			}
			if k := vote(func(p r2.Vec) r2.Vec { q := try.turn*point(p) + try.shift; return r2.Vec{X: real(q), Y: imag(q)} }, from, to, tolerance, use); k > most {
				most, agree = k, append(agree[:0], use...)
				if most >= n-n/10 { // nearly all
					break search
				}
			}
		}
	}
	if most < 3 || 2*most < n {
		return Rest, nil, fmt.Errorf("of %d points no more than %d agree on how the camera moved: place others on things that stand still", n, most)
	}
	for range 3 {
		if better, ok := fitSimilar(from, to, agree); ok {
			m = fitPan(Similarity(better.turn, better.shift), from, to, agree)
			vote(m.Map, from, to, tolerance, agree)
		}
	}
	return m, agree, nil
}

// vote asks which points a movement takes to where they are.
func vote(moved func(r2.Vec) r2.Vec, from, to []r2.Vec, tolerance float64, agree []bool) (n int) {
	for i := range from {
		agree[i] = r2.Norm2(r2.Sub(moved(from[i]), to[i])) <= tolerance*tolerance
		if agree[i] {
			n++
		}
	}
	return n
}
