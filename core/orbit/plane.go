package orbit

import (
	"encoding/binary"
	"errors"
	"fmt"
	"hash/fnv"
	"math"
	"math/cmplx"
	"math/rand/v2"
	"sort"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/spatial/r2"
	"gonum.org/v1/gonum/spatial/r3"
)

// Orbit is the circle that an implement runs on during a turn: its centre, the
// normal of its plane (upward) and its radius, in the frame of the circle on the
// ground: x toward the sector, y to the left, z up; m.
type Orbit struct {
	Centre, Normal r3.Vec
	Radius         float64
	RMS            float64 // by which the points miss it, m
}

// leastPath is how many pictures of a turn tell its orbit.
const leastPath = 8

// InSpace fits an orbit to a path that two views have put into space.
func InSpace(path []r3.Vec) (Orbit, error) {
	if len(path) < leastPath {
		return Orbit{}, fmt.Errorf("an orbit needs the implement on %d pictures of a turn, there are %d", leastPath, len(path))
	}
	var c r3.Vec
	for _, p := range path {
		c = r3.Add(c, r3.Scale(1/float64(len(path)), p))
	}
	s := mat.NewSymDense(3, nil)
	for _, p := range path {
		d := r3.Sub(p, c)
		v := [3]float64{d.X, d.Y, d.Z}
		for i := range 3 {
			for j := i; j < 3; j++ {
				s.SetSym(i, j, s.At(i, j)+v[i]*v[j])
			}
		}
	}
	var eigen mat.EigenSym
	if math.IsNaN(c.X+c.Y+c.Z) || !eigen.Factorize(s, true) {
		return Orbit{}, errors.New("some of these points lie nowhere")
	}
	var axes mat.Dense
	eigen.VectorsTo(&axes)
	axis := func(k int) r3.Vec { return r3.Vec{X: axes.At(0, k), Y: axes.At(1, k), Z: axes.At(2, k)} }
	n, e1, e2 := axis(0), axis(1), axis(2)
	if values := eigen.Values(nil); values[1] < 1e-6*values[2] {
		return Orbit{}, errors.New("the implement moves along a line here: an orbit needs a good part of a turn")
	}
	if n.Z < 0 {
		n = r3.Scale(-1, n)
	}
	flat := make([]r2.Vec, len(path))
	for i, p := range path {
		d := r3.Sub(p, c)
		flat[i] = r2.Vec{X: r3.Dot(d, e1), Y: r3.Dot(d, e2)}
	}
	m, r, err := Circle(flat)
	if err != nil {
		return Orbit{}, err
	}
	out := Orbit{Centre: r3.Add(c, r3.Add(r3.Scale(m.X, e1), r3.Scale(m.Y, e2))), Normal: n, Radius: r}
	for i, p := range path {
		off := r3.Dot(r3.Sub(p, c), n)
		in := r2.Norm(r2.Sub(flat[i], m)) - r
		out.RMS += (off*off + in*in) / float64(len(path))
	}
	out.RMS = math.Sqrt(out.RMS)
	return out, nil
}

// FromBehind fits an orbit to a path seen by a level camera at the back of the
// circle: m, x to the picture's right, y up. A circle is seen as an ellipse; of
// its two possible tilts the one that is low on the camera's side is taken, as a
// hammer's is. A perspective view makes it a few degrees uncertain: the camera
// should stand 12 m away or more.
func FromBehind(seen []r2.Vec) (Orbit, error) {
	e, err := fitEllipse(seen)
	if err != nil {
		return Orbit{}, err
	}
	// The normal, right-up-to the camera: along the short axis, as far as the
	// ellipse is flat.
	share := e.short / e.long
	lean := math.Sqrt(1 - share*share)
	short := r2.Vec{X: -math.Sin(e.turn), Y: math.Cos(e.turn)}
	if short.Y < 0 {
		short = r2.Scale(-1, short)
	}
	n := r3.Vec{X: lean * short.X, Y: lean * short.Y, Z: share}
	out := Orbit{Centre: toGround(r3.Vec{X: e.centre.X, Y: e.centre.Y}), Normal: toGround(n), Radius: e.long}
	for _, p := range seen {
		in := math.Abs(r3.Norm(r3.Sub(out.Behind(p), out.Centre)) - out.Radius)
		out.RMS += in * in / float64(len(seen))
	}
	out.RMS = math.Sqrt(out.RMS)
	return out, nil
}

// toGround turns right, up and toward a camera at the back into the frame of the
// circle.
func toGround(v r3.Vec) r3.Vec { return r3.Vec{X: -v.Z, Y: -v.X, Z: v.Y} }

// Behind is where a point that is seen from behind lies on the orbit's plane.
func (o Orbit) Behind(seen r2.Vec) r3.Vec {
	p := r3.Vec{Y: -seen.X, Z: seen.Y}
	d := r3.Sub(p, o.Centre)
	if math.Abs(o.Normal.X) < 1e-9 {
		return r3.Vec{X: o.Centre.X, Y: p.Y, Z: p.Z}
	}
	p.X = o.Centre.X - (o.Normal.Y*d.Y+o.Normal.Z*d.Z)/o.Normal.X
	return p
}

// Slope is the plane's inclination against the ground.
func (o Orbit) Slope() Degrees { return math.Acos(math.Min(1, math.Abs(o.Normal.Z))) * 180 / math.Pi }

// Low is the azimuth of the orbit's lowest point; High lies opposite.
func (o Orbit) Low(rightHanded bool) Degrees {
	return Azimuth(r2.Vec{X: o.Normal.X, Y: o.Normal.Y}, r2.Vec{}, rightHanded)
}

// High is the azimuth of the orbit's highest point.
func (o Orbit) High(rightHanded bool) Degrees { return math.Mod(o.Low(rightHanded)+180, 360) }

// Azimuth of a point about the orbit's centre.
func (o Orbit) Azimuth(p r3.Vec, rightHanded bool) Degrees {
	return Azimuth(r2.Vec{X: p.X, Y: p.Y}, r2.Vec{X: o.Centre.X, Y: o.Centre.Y}, rightHanded)
}

// U are the standard uncertainties of an orbit's numbers.
type U struct{ Radius, Slope, Low float64 }

// draws is how often a path is drawn again with its own misses to tell them.
const draws = 60

// U of an orbit from a path each of whose coordinates is known to u: the spread
// of orbits through paths drawn round it. The same path gives the same draws.
func (o Orbit) U(path []r3.Vec, u float64, fit func([]r3.Vec) (Orbit, error)) (U, error) {
	h := fnv.New64a()
	for _, p := range path {
		_ = binary.Write(h, binary.LittleEndian, []float64{p.X, p.Y, p.Z})
	}
	r := rand.New(rand.NewPCG(h.Sum64(), 1))
	var radius, slope, low float64
	for range draws {
		drawn := make([]r3.Vec, len(path))
		for i, p := range path {
			drawn[i] = r3.Add(p, r3.Vec{X: u * r.NormFloat64(), Y: u * r.NormFloat64(), Z: u * r.NormFloat64()})
		}
		d, err := fit(drawn)
		if err != nil {
			return U{}, err
		}
		radius += math.Pow(d.Radius-o.Radius, 2) / draws
		slope += math.Pow(d.Slope()-o.Slope(), 2) / draws
		low += math.Pow(Wrap(d.Low(true)-o.Low(true)), 2) / draws
	}
	return U{math.Sqrt(radius), math.Sqrt(slope), math.Sqrt(low)}, nil
}

// PassTimes are the times at which unwrapped azimuths pass az, az + 360, …, between
// pictures by straight lines.
func PassTimes(t []float64, unwrapped []Degrees, az Degrees) []float64 {
	var out []float64
	for i := 1; i < len(unwrapped); i++ {
		a, b := unwrapped[i-1], unwrapped[i]
		for next := az + 360*math.Ceil((a-az)/360); next <= b; next += 360 {
			if next > a || i == 1 {
				out = append(out, t[i-1]+(t[i]-t[i-1])*(next-a)/(b-a))
			}
		}
	}
	return out
}

// AzimuthAt is the unwrapped azimuth at an instant, between pictures by straight lines.
func AzimuthAt(t []float64, unwrapped []Degrees, when float64) (Degrees, error) {
	i := sort.SearchFloat64s(t, when)
	switch {
	case len(t) == 0 || len(t) != len(unwrapped) || i == len(t) || i == 0 && when < t[0]:
		return 0, fmt.Errorf("the implement was not followed at %.3f s", when)
	case i == 0:
		return unwrapped[0], nil
	}
	return unwrapped[i-1] + (unwrapped[i]-unwrapped[i-1])*(when-t[i-1])/(t[i]-t[i-1]), nil
}

// Newtons in a pound of force.
const pound = 4.4482216152605

// Pull is the force (N, and lbf) of the cord that keeps a mass (kg) at a speed
// (m/s) on a path of a radius of curvature (m), its weight left out: m·v²/r.
func Pull(mass, speed, radius float64) (newtons, pounds float64, err error) {
	if !(mass > 0) || !(radius > 0) || math.IsNaN(speed) {
		return 0, 0, fmt.Errorf("%g kg at %g m/s on a radius of %g m pull nothing", mass, speed, radius)
	}
	f := mass * speed * speed / radius
	return f, f / pound, nil
}

// ellipse has its long axis turned from x by turn, rad.
type ellipse struct {
	centre      r2.Vec
	long, short float64
	turn        float64
}

// fitEllipse fits an ellipse, and nothing but an ellipse, by least squares
// (Fitzgibbon, Pilu & Fisher 1999, in the numerically stable form of Halíř &
// Flusser 1998).
func fitEllipse(pts []r2.Vec) (ellipse, error) {
	no := errors.New("the path is no ellipse: follow the implement over a good part of a turn")
	n := len(pts)
	if n < leastPath {
		return ellipse{}, fmt.Errorf("an orbit needs the implement on %d pictures of a turn, there are %d", leastPath, n)
	}
	var m r2.Vec
	scale := 0.0
	for _, p := range pts {
		m = r2.Add(m, r2.Scale(1/float64(n), p))
	}
	for _, p := range pts {
		scale = math.Max(scale, r2.Norm(r2.Sub(p, m)))
	}
	if !(scale > 0) || math.IsInf(scale, 0) {
		return ellipse{}, no
	}
	d1, d2 := mat.NewDense(n, 3, nil), mat.NewDense(n, 3, nil)
	for i, p := range pts {
		q := r2.Scale(1/scale, r2.Sub(p, m))
		d1.SetRow(i, []float64{q.X * q.X, q.X * q.Y, q.Y * q.Y})
		d2.SetRow(i, []float64{q.X, q.Y, 1})
	}
	var s1, s2, s3, inv, t, rest, c mat.Dense
	s1.Mul(d1.T(), d1)
	s2.Mul(d1.T(), d2)
	s3.Mul(d2.T(), d2)
	if inv.Inverse(&s3) != nil {
		return ellipse{}, no
	}
	t.Mul(&inv, s2.T())
	t.Scale(-1, &t)
	rest.Mul(&s2, &t)
	rest.Add(&s1, &rest)
	c.Mul(mat.NewDense(3, 3, []float64{0, 0, 0.5, 0, -1, 0, 0.5, 0, 0}), &rest)
	var eigen mat.Eigen
	if !eigen.Factorize(&c, mat.EigenRight) {
		return ellipse{}, no
	}
	var vectors mat.CDense
	eigen.VectorsTo(&vectors)
	for k, value := range eigen.Values(nil) {
		if math.Abs(imag(value)) > 1e-9*(1+cmplx.Abs(value)) {
			continue
		}
		a, b, cc := real(vectors.At(0, k)), real(vectors.At(1, k)), real(vectors.At(2, k))
		if 4*a*cc-b*b <= 0 {
			continue
		}
		var lin mat.VecDense
		lin.MulVec(&t, mat.NewVecDense(3, []float64{a, b, cc}))
		d, e, f := lin.AtVec(0), lin.AtVec(1), lin.AtVec(2)
		det := 4*a*cc - b*b
		x, y := (b*e-2*cc*d)/det, (b*d-2*a*e)/det
		k := -(a*x*x + b*x*y + cc*y*y + d*x + e*y + f)
		var axes mat.EigenSym
		if !axes.Factorize(mat.NewSymDense(2, []float64{a / k, b / 2 / k, b / 2 / k, cc / k}), true) {
			return ellipse{}, no
		}
		v := axes.Values(nil)
		if !(v[0] > 0) {
			return ellipse{}, no
		}
		var dir mat.Dense
		axes.VectorsTo(&dir)
		return ellipse{r2.Add(m, r2.Scale(scale, r2.Vec{X: x, Y: y})), scale / math.Sqrt(v[0]), scale / math.Sqrt(v[1]), math.Atan2(dir.At(1, 0), dir.At(0, 0))}, nil
	}
	return ellipse{}, no
}
