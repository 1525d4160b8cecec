package sim

import (
	"fmt"
	"sort"

	"gonum.org/v1/gonum/interp"
	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/flight"
)

// knot is a value at an instant.
type knot struct{ t, v float64 }

// track is a scalar over time, smooth and without overshoot between its
// knots, held before the first and after the last.
type track struct {
	f        interp.FritschButland
	from, to float64
	only     float64 // the value of a track of one knot or none
	many     bool
}

func newTrack(knots ...knot) track {
	if len(knots) == 0 {
		return track{}
	}
	sort.SliceStable(knots, func(i, j int) bool { return knots[i].t < knots[j].t })
	var xs, ys []float64
	for _, k := range knots {
		if n := len(xs); n > 0 && k.t-xs[n-1] < 1e-6 {
			ys[n-1] = k.v
			continue
		}
		xs, ys = append(xs, k.t), append(ys, k.v)
	}
	if len(xs) == 1 {
		return track{only: ys[0]}
	}
	t := track{from: xs[0], to: xs[len(xs)-1], many: true}
	if err := t.f.Fit(xs, ys); err != nil {
		panic("sim: a track does not fit its knots: " + err.Error())
	}
	return t
}

func (t *track) at(x float64) float64 {
	if !t.many {
		return t.only
	}
	return t.f.Predict(clamp(x, t.from, t.to))
}

// spline is a cubic through knots with given slopes at both ends and a
// continuous second derivative between.
type spline struct{ x, y, d []float64 }

// newSpline fits a spline with the slopes d0 and d1 at its ends.
func newSpline(x, y []float64, d0, d1 float64) spline {
	n := len(x)
	s := spline{x: x, y: y, d: make([]float64, n)}
	if n == 1 {
		return s
	}
	s.d[0], s.d[n-1] = d0, d1
	// h[i]·d[i−1] + 2(h[i−1]+h[i])·d[i] + h[i−1]·d[i+1] = 3(h[i]·Δ[i−1] + h[i−1]·Δ[i])
	c, r := make([]float64, n), make([]float64, n)
	r[0] = s.d[0]
	for i := 1; i < n-1; i++ {
		h0, h1 := x[i]-x[i-1], x[i+1]-x[i]
		m := 2*(h0+h1) - h1*c[i-1]
		c[i] = h0 / m
		r[i] = (3*(h1*(y[i]-y[i-1])/h0+h0*(y[i+1]-y[i])/h1) - h1*r[i-1]) / m
	}
	for i := n - 2; i > 0; i-- {
		s.d[i] = r[i] - c[i]*s.d[i+1]
	}
	return s
}

func (s *spline) at(t float64) float64 {
	n := len(s.x)
	if n == 1 || t <= s.x[0] {
		return s.y[0]
	}
	if t >= s.x[n-1] {
		return s.y[n-1]
	}
	i := sort.SearchFloat64s(s.x, t) - 1
	h := s.x[i+1] - s.x[i]
	u := (t - s.x[i]) / h
	return s.y[i]*(2*u*u*u-3*u*u+1) + h*s.d[i]*(u*u*u-2*u*u+u) + s.y[i+1]*(3*u*u-2*u*u*u) + h*s.d[i+1]*(u*u*u-u*u)
}

// leg is one stretch of the path of the centre of mass: free flight, or a
// cubic between given places and speeds.
type leg struct {
	from, to float64
	p, v     r3.Vec
	q, w     r3.Vec
	air      bool
}

type path []leg

// at gives place and speed.
func (c path) at(t float64) (p, v r3.Vec) {
	i := 0
	for i+1 < len(c) && t > c[i].to {
		i++
	}
	l := c[i]
	switch {
	case t <= l.from:
		return r3.Add(l.p, r3.Scale(t-l.from, l.v)), l.v
	case t >= l.to && i == len(c)-1:
		return r3.Add(l.q, r3.Scale(t-l.to, l.w)), l.w
	}
	d := t - l.from
	if l.air {
		p = r3.Add(l.p, r3.Scale(d, l.v))
		p.Z = flight.Rise(l.p.Z, l.v.Z, d)
		return p, r3.Vec{X: l.v.X, Y: l.v.Y, Z: l.v.Z - flight.G*d}
	}
	n := l.to - l.from
	s := d / n
	h := func(a, b, c2, d2 float64) r3.Vec {
		return r3.Add(r3.Add(r3.Scale(a, l.p), r3.Scale(b*n, l.v)), r3.Add(r3.Scale(c2, l.q), r3.Scale(d2*n, l.w)))
	}
	p = h(2*s*s*s-3*s*s+1, s*s*s-2*s*s+s, -2*s*s*s+3*s*s, s*s*s-s*s)
	v = r3.Scale(1/n, h(6*s*s-6*s, 3*s*s-4*s+1, -6*s*s+6*s, 3*s*s-2*s))
	return p, v
}

// newPath lays a path through places at rising instants. Where the feet are
// off the ground it is a projectile's; the speeds where it leaves and lands are
// those of the flight; elsewhere the speed at each place is as given, or follows
// its neighbours.
func newPath(ts []float64, ps []r3.Vec, vs []*r3.Vec, inAir func(i int) bool) (path, error) {
	n := len(ts)
	if n < 2 {
		return nil, fmt.Errorf("a path has two places or more, got %d", n)
	}
	v := make([]r3.Vec, n)
	fixed := make([]bool, n)
	for i := 0; i+1 < n; i++ {
		if !inAir(i) {
			continue
		}
		d := ts[i+1] - ts[i]
		up, err := flight.TakeOffSpeed(ps[i].Z, ps[i+1].Z, d)
		if err != nil {
			return nil, err
		}
		u := r3.Scale(1/d, r3.Sub(ps[i+1], ps[i]))
		v[i] = r3.Vec{X: u.X, Y: u.Y, Z: up}
		v[i+1] = r3.Vec{X: u.X, Y: u.Y, Z: up - flight.G*d}
		fixed[i], fixed[i+1] = true, true
	}
	for i := range v {
		switch {
		case fixed[i]:
		case vs[i] != nil:
			v[i] = *vs[i]
		case i == 0:
			v[i] = r3.Scale(1/(ts[1]-ts[0]), r3.Sub(ps[1], ps[0]))
		case i == n-1:
			v[i] = r3.Scale(1/(ts[i]-ts[i-1]), r3.Sub(ps[i], ps[i-1]))
		default: // the parabola through three places
			h0, h1 := ts[i]-ts[i-1], ts[i+1]-ts[i]
			a, b := r3.Scale(1/h0, r3.Sub(ps[i], ps[i-1])), r3.Scale(1/h1, r3.Sub(ps[i+1], ps[i]))
			v[i] = r3.Scale(1/(h0+h1), r3.Add(r3.Scale(h1, a), r3.Scale(h0, b)))
		}
	}
	var out path
	for i := 0; i+1 < n; i++ {
		out = append(out, leg{from: ts[i], to: ts[i+1], p: ps[i], v: v[i], q: ps[i+1], w: v[i+1], air: inAir(i)})
	}
	return out, nil
}
