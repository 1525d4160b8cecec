package optics

import (
	"errors"
	"fmt"
	"math"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/spatial/r2"
)

// farthest is beyond any pixel or place that is meant, px or m.
const farthest = 1e7

// anyNonZero reports whether coordinates are numbers of a place.
func anyNonZero(v ...float64) bool {
	for _, x := range v {
		if !(math.Abs(x) < farthest) {
			return false
		}
	}
	return true
}

// homography maps one plane to another; its last element is 1.
type homography [9]float64

func (h homography) apply(p r2.Vec) r2.Vec {
	w := h[6]*p.X + h[7]*p.Y + h[8]
	return r2.Vec{X: (h[0]*p.X + h[1]*p.Y + h[2]) / w, Y: (h[3]*p.X + h[4]*p.Y + h[5]) / w}
}

func (h homography) matrix() *mat.Dense { return mat.NewDense(3, 3, append([]float64(nil), h[:]...)) }

func fromMatrix(m mat.Matrix) (h homography, ok bool) {
	w := m.At(2, 2)
	if math.Abs(w) < 1e-12 {
		return h, false
	}
	for i := range h {
		h[i] = m.At(i/3, i%3) / w
	}
	return h, true
}

func (h homography) inverse() (homography, error) {
	var inv mat.Dense
	if err := inv.Inverse(h.matrix()); err != nil {
		return h, errors.New("these points do not make a plane: spread them over the ground")
	}
	out, ok := fromMatrix(&inv)
	if !ok {
		return h, errors.New("these points do not make a plane: spread them over the ground")
	}
	return out, nil
}

// normal shifts and scales points to the middle and to √2 on average (Hartley).
func normal(pts []r2.Vec) (to *mat.Dense, out []r2.Vec) {
	var c r2.Vec
	for _, p := range pts {
		c = r2.Add(c, r2.Scale(1/float64(len(pts)), p))
	}
	d := 0.0
	for _, p := range pts {
		d += r2.Norm(r2.Sub(p, c)) / float64(len(pts))
	}
	s := math.Sqrt2 / math.Max(d, 1e-12)
	for _, p := range pts {
		out = append(out, r2.Scale(s, r2.Sub(p, c)))
	}
	return mat.NewDense(3, 3, []float64{s, 0, -s * c.X, 0, s, -s * c.Y, 0, 0, 1}), out
}

// null is the direction that a matrix makes nothing of, by its singular values.
func null(a *mat.Dense) ([]float64, bool) {
	var svd mat.SVD
	if !svd.Factorize(a, mat.SVDFull) {
		return nil, false
	}
	var v mat.Dense
	svd.VTo(&v)
	values := svd.Values(nil)
	_, n := v.Dims()
	if len(values) < n-1 || values[n-2] < 1e-9*values[0] {
		return nil, false // more than one such direction
	}
	out := make([]float64, n)
	for i := range out {
		out[i] = v.At(i, n-1)
	}
	return out, true
}

// GroundPlane is where the ground is seen: from metres on it to pixels. It holds for
// what touches the ground and for nothing in the air.
type GroundPlane struct {
	toPx, toGround homography
	cov            *mat.SymDense // of toPx's first eight elements
	markU          float64
	side           float64 // the sign that what the camera sees has
	RMS            float64 // px, by which the marked points miss
}

// NewGroundPlane fits the ground to four or more points whose places on it are
// known, m, and which were marked to markU px: least squares on the picture.
func NewGroundPlane(metres, px []r2.Vec, markU float64) (GroundPlane, error) {
	if len(metres) != len(px) || len(px) < 4 {
		return GroundPlane{}, fmt.Errorf("the ground needs four points or more whose places are known, there are %d", min(len(px), len(metres)))
	}
	if markU <= 0 {
		markU = MarkU
	}
	for i := range px {
		if !anyNonZero(px[i].X, px[i].Y, metres[i].X, metres[i].Y) {
			return GroundPlane{}, fmt.Errorf("point %d lies nowhere", i+1)
		}
	}
	tm, m := normal(metres)
	tp, p := normal(px)
	a := mat.NewDense(2*len(px), 9, nil)
	for i := range px {
		x, y, u, v := m[i].X, m[i].Y, p[i].X, p[i].Y
		a.SetRow(2*i, []float64{x, y, 1, 0, 0, 0, -u * x, -u * y, -u})
		a.SetRow(2*i+1, []float64{0, 0, 0, x, y, 1, -v * x, -v * y, -v})
	}
	flat := errors.New("three of the points, or more, lie on one line: take points that span an area")
	v, ok := null(a)
	if !ok {
		return GroundPlane{}, flat
	}
	var inv, h mat.Dense
	if inv.Inverse(tp) != nil {
		return GroundPlane{}, flat
	}
	h.Mul(&inv, mat.NewDense(3, 3, v))
	h.Mul(mat.DenseCopyOf(&h), tm)
	start, ok := fromMatrix(&h)
	if !ok {
		return GroundPlane{}, flat
	}
	return refine(start, metres, px, markU)
}

// refine makes the misses on the picture smallest, by Gauss–Newton.
func refine(h homography, metres, px []r2.Vec, markU float64) (GroundPlane, error) {
	n := len(px)
	g := GroundPlane{toPx: h, markU: markU}
	for range 20 {
		j, r := mat.NewDense(2*n, 8, nil), mat.NewVecDense(2*n, nil)
		for i := range px {
			p := g.toPx.apply(metres[i])
			x, y := metres[i].X, metres[i].Y
			w := g.toPx[6]*x + g.toPx[7]*y + 1
			j.SetRow(2*i, []float64{x / w, y / w, 1 / w, 0, 0, 0, -p.X * x / w, -p.X * y / w})
			j.SetRow(2*i+1, []float64{0, 0, 0, x / w, y / w, 1 / w, -p.Y * x / w, -p.Y * y / w})
			r.SetVec(2*i, px[i].X-p.X)
			r.SetVec(2*i+1, px[i].Y-p.Y)
		}
		var step mat.VecDense
		if err := step.SolveVec(j, r); err != nil {
			return g, errors.New("three of the points, or more, lie on one line: take points that span an area")
		}
		for k := range 8 {
			g.toPx[k] += step.AtVec(k)
		}
		g.RMS = mat.Norm(r, 2) / math.Sqrt(float64(2*n))
		if mat.Norm(&step, 2) < 1e-10*(1+mat.Norm(mat.NewVecDense(9, append([]float64(nil), g.toPx[:]...)), 2)) {
			var jj mat.SymDense
			jj.SymOuterK(1, j.T())
			var chol mat.Cholesky
			if chol.Factorize(&jj) {
				g.cov = mat.NewSymDense(8, nil)
				if chol.InverseTo(g.cov) == nil {
					s := markU
					if free := 2*n - 8; free > 0 { // what the points themselves say, where that is worse
						s = math.Max(s, g.RMS*math.Sqrt(float64(2*n)/float64(free)))
					}
					g.cov.ScaleSym(s*s, g.cov)
				}
			}
			break
		}
	}
	if g.cov == nil {
		return g, errors.New("three of the points, or more, lie on one line: take points that span an area")
	}
	for i, m := range metres {
		w := g.toPx[6]*m.X + g.toPx[7]*m.Y + 1
		if i > 0 && w*g.side <= 0 {
			return g, errors.New("some of these points would lie behind the camera: look at their places again")
		}
		g.side = w
	}
	var err error
	g.toGround, err = g.toPx.inverse()
	return g, err
}

// Px is where a place on the ground is seen.
func (g GroundPlane) Px(metres r2.Vec) r2.Vec { return g.toPx.apply(metres) }

// planeFix is a place on the ground with what moves it: a shift of its pixel by the
// marking uncertainty on each axis, and each element of the fit by one.
type planeFix struct {
	at    r2.Vec
	marks [2]r2.Vec
	fit   [8]r2.Vec
}

func (g GroundPlane) locate(px r2.Vec) (planeFix, error) {
	out := planeFix{at: g.toGround.apply(px)}
	if !anyNonZero(px.X, px.Y, out.at.X, out.at.Y) {
		return out, errors.New("that point lies nowhere on the ground")
	}
	front := g.toPx[6]*out.at.X + g.toPx[7]*out.at.Y + 1
	if !(front*g.side > 0) || math.IsInf(out.at.X, 0) {
		return out, errors.New("that point of the picture lies over the horizon: mark something on the ground")
	}
	j := g.slope(out.at)
	det := j[0]*j[3] - j[1]*j[2]
	back := func(d r2.Vec) r2.Vec {
		return r2.Vec{X: (j[3]*d.X - j[1]*d.Y) / det, Y: (-j[2]*d.X + j[0]*d.Y) / det}
	}
	out.marks = [2]r2.Vec{back(r2.Vec{X: g.markU}), back(r2.Vec{Y: g.markU})}
	x, y := out.at.X, out.at.Y
	for k, d := range [8]r2.Vec{{X: x}, {X: y}, {X: 1}, {Y: x}, {Y: y}, {Y: 1}, {X: -px.X * x, Y: -px.Y * x}, {X: -px.X * y, Y: -px.Y * y}} {
		out.fit[k] = back(r2.Scale(1/front, d))
	}
	return out, nil
}

// spread is the variance, along a direction, of what the fit's elements do.
func (g GroundPlane) spread(moves [8]r2.Vec, along r2.Vec) (square float64) {
	for k := range moves {
		for l := range moves {
			square += g.cov.At(k, l) * r2.Dot(moves[k], along) * r2.Dot(moves[l], along)
		}
	}
	return square
}

// World is the place on the ground of what is seen at px and marked as well as the
// ground's own points, with the standard uncertainty of both coordinates, m.
func (g GroundPlane) World(px r2.Vec) (metres, u r2.Vec, err error) {
	p, err := g.locate(px)
	if err != nil {
		return p.at, u, err
	}
	of := func(along r2.Vec) float64 {
		square := g.spread(p.fit, along)
		for _, m := range p.marks {
			square += math.Pow(r2.Dot(m, along), 2)
		}
		return math.Sqrt(square)
	}
	return p.at, r2.Vec{X: of(r2.Vec{X: 1}), Y: of(r2.Vec{Y: 1})}, nil
}

// slope is how the pixel moves with the place: dx/dX, dx/dY, dy/dX, dy/dY.
func (g GroundPlane) slope(m r2.Vec) [4]float64 {
	w := g.toPx[6]*m.X + g.toPx[7]*m.Y + 1
	p := g.toPx.apply(m)
	return [4]float64{(g.toPx[0] - p.X*g.toPx[6]) / w, (g.toPx[1] - p.X*g.toPx[7]) / w, (g.toPx[3] - p.Y*g.toPx[6]) / w, (g.toPx[4] - p.Y*g.toPx[7]) / w}
}

// Direction is the way from a heel to a toe on the ground, degrees from x toward
// y, with its standard uncertainty.
func (g GroundPlane) Direction(heel, toe r2.Vec) (degrees, u float64, err error) {
	a, err := g.locate(heel)
	if err != nil {
		return 0, 0, err
	}
	b, err := g.locate(toe)
	if err != nil {
		return 0, 0, err
	}
	d := r2.Sub(b.at, a.at)
	n := r2.Norm(d)
	if n < 1e-6 {
		return 0, 0, errors.New("heel and toe lie on one spot")
	}
	across := r2.Vec{X: -d.Y / n, Y: d.X / n}
	var fit [8]r2.Vec // the ground's own error moves both ends nearly alike
	for k := range fit {
		fit[k] = r2.Sub(b.fit[k], a.fit[k])
	}
	square := g.spread(fit, across)
	for _, m := range append(a.marks[:], b.marks[:]...) {
		square += math.Pow(r2.Dot(m, across), 2)
	}
	return math.Atan2(d.Y, d.X) * 180 / math.Pi, math.Sqrt(square) / n * 180 / math.Pi, nil
}
