package optics

import (
	"errors"
	"math"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/spatial/r2"
)

// Lens is a lens's radial distortion about the picture's middle, in Brown's two
// terms: a point at r (px ÷ Focal) from the middle is seen at r(1 + K1·r² + K2·r⁴).
type Lens struct {
	Centre r2.Vec
	Focal  float64
	K1, K2 float64
}

// Bend is where a lens shows a point that a straight one would show at p.
func (l Lens) Bend(p r2.Vec) r2.Vec {
	d := r2.Scale(1/l.Focal, r2.Sub(p, l.Centre))
	r := r2.Norm2(d)
	return r2.Add(l.Centre, r2.Scale(l.Focal*(1+l.K1*r+l.K2*r*r), d))
}

// Straighten undoes Bend, by turns.
func (l Lens) Straighten(p r2.Vec) r2.Vec {
	seen := r2.Scale(1/l.Focal, r2.Sub(p, l.Centre))
	d := seen
	for range 40 {
		r := r2.Norm2(d)
		next := r2.Scale(1/(1+l.K1*r+l.K2*r*r), seen)
		if r2.Norm(r2.Sub(next, d)) < 1e-12 {
			break
		}
		d = next
	}
	return r2.Add(l.Centre, r2.Scale(l.Focal, d))
}

// mostK1 is the strongest distortion that is looked for, at Focal.
const mostK1 = 0.6

// StraightLines finds a lens's first term from points along lines that are
// straight in truth, three or more on each (the plumb-line method, Brown 1971),
// and by how many pixels (root mean square) they miss straight lines with it.
func StraightLines(lines [][]r2.Vec, centre r2.Vec, focal float64) (lens Lens, rms float64, err error) {
	n := 0
	for _, l := range lines {
		if len(l) >= 3 {
			n += len(l) - 2
		}
	}
	if n == 0 || !(focal > 0) {
		return Lens{}, 0, errors.New("a lens's bend needs three points or more along a line that is straight in truth")
	}
	miss := func(k1 float64) float64 {
		l := Lens{Centre: centre, Focal: focal, K1: k1}
		sum := 0.0
		for _, line := range lines {
			if len(line) >= 3 {
				sum += offLine(l, line)
			}
		}
		return sum
	}
	a, b := -mostK1, mostK1
	g := (math.Sqrt(5) - 1) / 2
	for b-a > 1e-5 {
		if x, y := b-g*(b-a), a+g*(b-a); miss(x) < miss(y) {
			b = y
		} else {
			a = x
		}
	}
	k := (a + b) / 2
	if math.Abs(k) > 0.98*mostK1 {
		return Lens{}, 0, errors.New("these lines are bent more than a lens bends: are they straight in truth?")
	}
	return Lens{Centre: centre, Focal: focal, K1: k}, math.Sqrt(miss(k) / float64(n)), nil
}

// offLine is the sum of squared distances of a line's straightened points from
// the best straight line, px².
func offLine(l Lens, pts []r2.Vec) float64 {
	var c r2.Vec
	out := make([]r2.Vec, len(pts))
	for i, p := range pts {
		out[i] = l.Straighten(p)
		c = r2.Add(c, r2.Scale(1/float64(len(pts)), out[i]))
	}
	s := mat.NewSymDense(2, nil)
	for _, p := range out {
		d := r2.Sub(p, c)
		s.SetSym(0, 0, s.At(0, 0)+d.X*d.X)
		s.SetSym(0, 1, s.At(0, 1)+d.X*d.Y)
		s.SetSym(1, 1, s.At(1, 1)+d.Y*d.Y)
	}
	half, mean := math.Hypot((s.At(0, 0)-s.At(1, 1))/2, s.At(0, 1)), (s.At(0, 0)+s.At(1, 1))/2
	return math.Max(0, mean-half)
}
