package optics

import (
	"errors"
	"fmt"
	"math"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/spatial/r2"
	"gonum.org/v1/gonum/spatial/r3"
	"gonum.org/v1/gonum/stat"
)

// View is a camera by the direct linear transformation: eleven numbers that take
// a point of space to a pixel (Abdel-Aziz & Karara 1971).
type View struct {
	at  [12]float64 // 3 × 4, by rows
	RMS float64     // px, by which its control points miss
}

// leastControl are the fewest points that tell a camera.
const leastControl = 6

// NewView finds a camera from six or more points of space (m) that do not lie in
// one plane, and their pixels.
func NewView(space []r3.Vec, px []r2.Vec) (View, error) {
	if len(space) != len(px) || len(px) < leastControl {
		return View{}, fmt.Errorf("a camera needs %d points whose places are known, there are %d", leastControl, min(len(px), len(space)))
	}
	for i, p := range space {
		if !somewhere(p.X, p.Y, p.Z, px[i].X, px[i].Y) {
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
	var inv, m mat.Dense
	if inv.Inverse(tp) != nil {
		return View{}, flat
	}
	m.Product(&inv, mat.NewDense(3, 4, v), mat.NewDense(4, 4, []float64{s, 0, 0, -s * c.X, 0, s, 0, -s * c.Y, 0, 0, s, -s * c.Z, 0, 0, 0, 1}))
	w := 0.0
	for i := range 3 {
		w += m.At(2, i) * m.At(2, i)
	}
	if w == 0 {
		return View{}, flat
	}
	sign := 1 / math.Sqrt(w)
	if m.At(2, 0)*c.X+m.At(2, 1)*c.Y+m.At(2, 2)*c.Z+m.At(2, 3) < 0 {
		sign = -sign // what is seen lies in front
	}
	var out View
	for i := range out.at {
		out.at[i] = sign * m.At(i/4, i%4)
	}
	sum := 0.0
	for i := range space {
		sum += r2.Norm2(r2.Sub(out.Px(space[i]), px[i]))
	}
	out.RMS = math.Sqrt(sum / float64(2*len(px)))
	return out, nil
}

// Px is where a point of space is seen.
func (v View) Px(p r3.Vec) r2.Vec {
	row := func(i int) float64 { return v.at[4*i]*p.X + v.at[4*i+1]*p.Y + v.at[4*i+2]*p.Z + v.at[4*i+3] }
	w := row(2)
	return r2.Vec{X: row(0) / w, Y: row(1) / w}
}

// Triangulate finds the point of space that two or more cameras see at px, by
// least squares on the pictures, with its standard uncertainty on each axis when
// each pixel is marked to u, and by how many pixels (root mean square) the views
// miss it.
func Triangulate(views []View, px []r2.Vec, u float64) (p, pu r3.Vec, rms float64, err error) {
	if len(views) != len(px) || len(views) < 2 {
		return p, pu, 0, fmt.Errorf("a point in space needs two views, there are %d", min(len(views), len(px)))
	}
	for _, at := range px {
		if !somewhere(at.X, at.Y) {
			return p, pu, 0, errors.New("the point lies nowhere on one of the pictures")
		}
	}
	a, b := mat.NewDense(2*len(views), 3, nil), mat.NewVecDense(2*len(views), nil)
	for i, v := range views {
		for axis, at := range []float64{px[i].X, px[i].Y} {
			row := 2*i + axis
			for k := range 3 {
				a.Set(row, k, v.at[4*axis+k]-at*v.at[8+k])
			}
			b.SetVec(row, at*v.at[11]-v.at[4*axis+3])
		}
	}
	var x mat.VecDense
	if x.SolveVec(a, b) != nil {
		return p, pu, 0, errors.New("the cameras look along one line: move one of them aside")
	}
	p = r3.Vec{X: x.AtVec(0), Y: x.AtVec(1), Z: x.AtVec(2)}
	var cov mat.SymDense
	for range 8 {
		j, r := mat.NewDense(2*len(views), 3, nil), mat.NewVecDense(2*len(views), nil)
		for i, v := range views {
			at := v.Px(p)
			w := v.at[8]*p.X + v.at[9]*p.Y + v.at[10]*p.Z + v.at[11]
			for k := range 3 {
				j.Set(2*i, k, (v.at[k]-at.X*v.at[8+k])/w)
				j.Set(2*i+1, k, (v.at[4+k]-at.Y*v.at[8+k])/w)
			}
			r.SetVec(2*i, px[i].X-at.X)
			r.SetVec(2*i+1, px[i].Y-at.Y)
		}
		var step mat.VecDense
		if step.SolveVec(j, r) != nil {
			return p, pu, 0, errors.New("the cameras look along one line: move one of them aside")
		}
		p = r3.Add(p, r3.Vec{X: step.AtVec(0), Y: step.AtVec(1), Z: step.AtVec(2)})
		rms = mat.Norm(r, 2) / math.Sqrt(float64(2*len(views)))
		cov.SymOuterK(1, j.T())
		if mat.Norm(&step, 2) < 1e-9 {
			break
		}
	}
	var chol mat.Cholesky
	var inv mat.SymDense
	if !chol.Factorize(&cov) || chol.InverseTo(&inv) != nil || !somewhere(p.X, p.Y, p.Z) {
		return p, pu, 0, errors.New("the cameras look along one line: move one of them aside")
	}
	return p, r3.Vec{X: u * math.Sqrt(inv.At(0, 0)), Y: u * math.Sqrt(inv.At(1, 1)), Z: u * math.Sqrt(inv.At(2, 2))}, rms, nil
}

// Joined puts the second of two films on the first one's time: second = Offset +
// Rate·first, with standard uncertainties.
type Joined struct{ Offset, OffsetU, Rate, RateU float64 }

// Join finds it from shared stamps, s, each known to u: two or more tell the
// rate, one alone is taken to run at the same rate.
func Join(first, second []float64, u float64) (Joined, error) {
	n := len(first)
	if n != len(second) || n == 0 {
		return Joined{}, errors.New("stamp the same key position on both films: one joins them, two or more check their rates")
	}
	both := math.Sqrt2 * u
	if n == 1 {
		return Joined{Offset: second[0] - first[0], OffsetU: both, Rate: 1}, nil
	}
	m := stat.Mean(first, nil)
	spread := 0.0
	for _, t := range first {
		spread += (t - m) * (t - m)
	}
	if spread < 1e-9 {
		return Joined{}, errors.New("the shared stamps lie at one instant: take some that lie apart")
	}
	offset, rate := stat.LinearRegression(first, second, nil, false)
	if !(rate > 0.02 && rate < 50) {
		return Joined{}, fmt.Errorf("by these stamps one film runs %.2f times as fast as the other: look at them again", rate)
	}
	if n > 2 { // what the stamps themselves say, where that is worse
		sum := 0.0
		for i := range first {
			sum += math.Pow(second[i]-offset-rate*first[i], 2)
		}
		both = math.Max(both, math.Sqrt(sum/float64(n-2)))
	}
	rateU := both / math.Sqrt(spread)
	return Joined{offset, math.Hypot(both/math.Sqrt(float64(n)), m*rateU), rate, rateU}, nil
}

// At is an instant of the first film on the second's time, with its standard
// uncertainty, given the mean of the instants that joined them.
func (j Joined) At(t float64) float64 { return j.Offset + j.Rate*t }

// Depth is by how much a part of a known length (m) points toward the camera or
// away from it when it is seen px long at a scale: foreshortening in scaled
// orthographic projection (Taylor 2000, CVIU 80). Which of the two, the coach
// says. u is the standard uncertainty of the seen length, lengthU of the known.
func Depth(px, u, pxPerM, length, lengthU float64) (depth, depthU float64, err error) {
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
