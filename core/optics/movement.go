package optics

import (
	"fmt"
	"math"
	"math/cmplx"

	"gonum.org/v1/gonum/spatial/r2"
)

// Movement is how the still world moves on the picture between two pictures, a
// shift with a turn and a zoom: p → Turn·p + Shift, in complex numbers.
type Movement struct {
	Turn, Shift complex128
}

// Rest is a camera that does not move.
var Rest = Movement{Turn: 1}

func point(p r2.Vec) complex128 { return complex(p.X, p.Y) }

func pixel(c complex128) r2.Vec { return r2.Vec{X: real(c), Y: imag(c)} }

// Map takes a still point from the first picture to the second.
func (m Movement) Map(p r2.Vec) r2.Vec { return pixel(m.Turn*point(p) + m.Shift) }

// Then is m followed by n.
func (m Movement) Then(n Movement) Movement {
	return Movement{n.Turn * m.Turn, n.Turn*m.Shift + n.Shift}
}

// Back is the movement from the second picture to the first.
func (m Movement) Back() Movement { return Movement{1 / m.Turn, -m.Shift / m.Turn} }

// Zoom is the factor by which things grow, Degrees how far they turn clockwise
// on the picture.
func (m Movement) Zoom() float64    { return cmplx.Abs(m.Turn) }
func (m Movement) Degrees() float64 { return cmplx.Phase(m.Turn) * 180 / math.Pi }

// Camera is how a camera moved: Moved tells how the still world moved on the
// picture from the picture First to it and each one after. The zero Camera
// stands still.
type Camera struct {
	First int
	Moved []Movement
}

const (
	// stepU is how well one step of the camera is known, px, panU which share of
	// a pan's shift the turn of the picture's plane leaves open.
	stepU = 0.05
	panU  = 0.01
)

// At is how the still world moved up to a picture, and its standard
// uncertainty, px, at the picture's middle. Beyond the pictures on which the
// camera was followed it is taken to stand.
func (c Camera) At(picture int) (m Movement, u float64) {
	if len(c.Moved) == 0 {
		return Rest, 0
	}
	i := min(max(picture-c.First, 0), len(c.Moved)-1)
	m = c.Moved[i]
	return m, math.Hypot(stepU*math.Sqrt(float64(i)), panU*cmplx.Abs(m.Shift))
}

// Steady is the camera without movements that no point of a picture so large
// shows by more than limit px: then it stood.
func (c Camera) Steady(w, h, limit float64) Camera {
	for _, m := range c.Moved {
		for _, p := range []r2.Vec{{}, {X: w}, {Y: h}, {X: w, Y: h}} {
			if r2.Norm(r2.Sub(m.Map(p), p)) > limit {
				return c
			}
		}
	}
	return Camera{}
}

// fitMovement is the least-squares movement of the points in use.
func fitMovement(from, to []r2.Vec, use []bool) (Movement, bool) {
	var a, b complex128
	n := 0.0
	for i := range from {
		if use[i] {
			a, b, n = a+point(from[i]), b+point(to[i]), n+1
		}
	}
	if n < 2 {
		return Rest, false
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
	if spread < 1e-9 {
		return Rest, false
	}
	turn := cross / complex(spread, 0)
	if turn == 0 {
		return Rest, false
	}
	return Movement{turn, b - turn*a}, true
}

// FitMovement finds the movement that most of the followed points agree on
// within tolerance px, and reports which of them do. Every pair of points is
// asked, so the answer is the same each time.
func FitMovement(from, to []r2.Vec, tolerance float64) (m Movement, agree []bool, err error) {
	n := len(from)
	if n != len(to) || n < 3 {
		return Rest, nil, fmt.Errorf("the camera's movement needs three still points on both pictures, there are %d", min(n, len(to)))
	}
	most := 0
	use := make([]bool, n)
	for i := range n {
		for j := range i {
			clear(use)
			use[i], use[j] = true, true
			try, ok := fitMovement(from, to, use)
			if !ok {
				continue
			}
			if k := vote(try, from, to, tolerance, use); k > most {
				most, m, agree = k, try, append(agree[:0], use...)
			}
		}
	}
	if most < 3 || 2*most < n {
		return Rest, nil, fmt.Errorf("of %d points no more than %d agree on how the camera moved: place others on things that stand still", n, most)
	}
	for range 3 {
		if better, ok := fitMovement(from, to, agree); ok {
			m = better
			vote(m, from, to, tolerance, agree)
		}
	}
	return m, agree, nil
}

func vote(m Movement, from, to []r2.Vec, tolerance float64, agree []bool) (n int) {
	for i := range from {
		agree[i] = r2.Norm2(r2.Sub(m.Map(from[i]), to[i])) <= tolerance*tolerance
		if agree[i] {
			n++
		}
	}
	return n
}
