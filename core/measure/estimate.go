package measure

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/body"
)

// estimate is a number that is read off a path: about the sum of a quantity on
// the path's pictures, each by its weight. The weights carry the pictures' errors.
type estimate struct {
	value   float64
	weights []weight
}

// weight is that of a picture, by its place on the path.
type weight struct {
	at int
	w  float64
}

// reading is the quantity on one picture of a path.
func reading(v []float64, i int) estimate { return estimate{v[i], []weight{{i, 1}}} }

// plus adds another estimate of the same path, times a factor.
func (e estimate) plus(k float64, other estimate) estimate {
	out := estimate{e.value + k*other.value, append(make([]weight, 0, len(e.weights)+len(other.weights)), e.weights...)}
	for _, b := range other.weights {
		if i := slices.IndexFunc(out.weights, func(a weight) bool { return a.at == b.at }); i >= 0 {
			out.weights[i].w += k * b.w
		} else {
			out.weights = append(out.weights, weight{b.at, k * b.w})
		}
	}
	return out
}

// share is the part of a single picture's variance that the sum keeps.
func (e estimate) share() float64 {
	out := 0.0
	for _, a := range e.weights {
		out += sq(a.w)
	}
	return out
}

// quantity is what is read off the points of one picture of a path.
type quantity func(points []r2.Vec) float64

// along is the quantity on every picture.
func (c path) along(of quantity) []float64 {
	v := make([]float64, len(c.at))
	for i, m := range c.at {
		v[i] = of(m.points)
	}
	return v
}

// times are those of the pictures, s.
func (c path) times() []float64 {
	t := make([]float64, len(c.at))
	for i, m := range c.at {
		t[i] = m.t
	}
	return t
}

// through passes an estimate through the gate: it carries what the placing of
// each followed point does to it. Estimates of one value whose errors are
// independent are told apart by part.
func (p *evaluation) through(c path, of quantity, e estimate, part byte) float64 {
	value := e.value
	for k, group := range c.marks {
		from := source{what: following, of: group[0], at: p.key(p.keyID).Name, axis: part}
		if p.shift != nil && p.draw == nil {
			value += p.input(from, 0, 0)
			continue
		}
		square := 0.0
		var pts []r2.Vec
		for _, a := range e.weights {
			m := c.at[a.at]
			slope := func(by r2.Vec) float64 {
				pts = append(pts[:0], m.points...)
				pts[k] = r2.Add(m.points[k], by)
				up := of(pts)
				pts[k] = r2.Sub(m.points[k], by)
				return math.Remainder(up-of(pts), 360) / 2
			}
			square += sq(a.w) * (sq(slope(r2.Vec{X: m.u[k].X})) + sq(slope(r2.Vec{Y: m.u[k].Y})))
		}
		value += p.input(from, 0, math.Sqrt(square))
	}
	return value
}

// How long on each side of an extremum a parabola is fitted, s: of a joint's angle
// that bends and stretches within a contact, of a part's height, of a trunk that
// turns with the stride.
const (
	reach     = 0.02
	reachSlow = 0.03
	reachTurn = 0.06
)

// within are the pictures within reach of one, and its neighbours.
func within(times []float64, i int, reach float64) []int {
	var rows []int
	for k, t := range times {
		if math.Abs(t-times[i]) <= reach || k >= i-1 && k <= i+1 {
			rows = append(rows, k)
		}
	}
	return rows
}

// polynomial is how the value at a time of the least-squares polynomial through
// some pictures, of degree 1 or 2, depends on each of them, and so its slope per
// second.
func polynomial(times []float64, rows []int, degree int, when float64) (value, slope []weight, ok bool) {
	span := math.Max(reach, math.Abs(times[rows[len(rows)-1]]-times[rows[0]]))
	var normal [3][3]float64
	for _, i := range rows {
		x := (times[i] - when) / span
		powers := [3]float64{1, x, x * x}
		for r := range degree + 1 {
			for c := range degree + 1 {
				normal[r][c] += powers[r] * powers[c]
			}
		}
	}
	if degree == 1 {
		normal[2][2] = 1
	}
	first, okV := solve3(normal, [3]float64{1, 0, 0})
	second, okS := solve3(normal, [3]float64{0, 1, 0})
	for _, i := range rows {
		x := (times[i] - when) / span
		value = append(value, weight{i, first[0] + first[1]*x + first[2]*x*x})
		slope = append(slope, weight{i, (second[0] + second[1]*x + second[2]*x*x) / span})
	}
	return value, slope, okV && okS
}

// solve3 solves a symmetric system by Cramer's rule; ok is false when it is
// singular.
func solve3(m [3][3]float64, b [3]float64) (x [3]float64, ok bool) {
	det := func(m [3][3]float64) float64 {
		return m[0][0]*(m[1][1]*m[2][2]-m[1][2]*m[2][1]) - m[0][1]*(m[1][0]*m[2][2]-m[1][2]*m[2][0]) + m[0][2]*(m[1][0]*m[2][1]-m[1][1]*m[2][0])
	}
	all := det(m)
	for k := range x {
		n := m
		for r := range b {
			n[r][k] = b[r]
		}
		x[k] = det(n) / all
	}
	return x, math.Abs(all) > 1e-12
}

// sum is an estimate by its weights.
func sum(v []float64, weights []weight) estimate {
	out := estimate{weights: weights}
	for _, a := range weights {
		out.value += a.w * v[a.at]
	}
	return out
}

// greatest is the top of a quantity, and the place of the highest picture: of the
// parabola through the pictures around it.
func greatest(times, v []float64, reach float64) (top estimate, at int) {
	for i := range v {
		if v[i] > v[at] {
			at = i
		}
	}
	rows := within(times, at, reach)
	if len(rows) < 3 {
		return reading(v, at), at
	}
	here, rise, ok := polynomial(times, rows, 2, times[at])
	if !ok {
		return reading(v, at), at
	}
	// The parabola's vertex lies where its slope is 0.
	const step = 1e-3
	_, later, _ := polynomial(times, rows, 2, times[at]+step)
	up := sum(v, rise).value
	curve := (sum(v, later).value - up) / step
	if when := times[at] - up/curve; curve < 0 && when > times[rows[0]] && when < times[rows[len(rows)-1]] {
		here, _, _ = polynomial(times, rows, 2, when)
	}
	return sum(v, here), at
}

// least is the bottom of a quantity.
func least(times, v []float64, reach float64) (bottom estimate, at int) {
	down := make([]float64, len(v))
	for i := range v {
		down[i] = -v[i]
	}
	top, at := greatest(times, down, reach)
	top.value = -top.value
	return top, at
}

// atStart is the quantity at an instant at or just before a path's first picture,
// which shows a change late: of the curve through the first pictures.
func atStart(times, v []float64, instant float64) estimate {
	rows := within(times, 0, reachSlow)
	for k := len(rows); k < min(4, len(v)); k++ {
		rows = append(rows, k)
	}
	degree := 2
	if len(rows) < 5 {
		degree = 1
	}
	weights, _, ok := polynomial(times, rows, degree, instant)
	if len(rows) < 3 || !ok {
		return reading(v, 0)
	}
	return sum(v, weights)
}

// mean is the quantity's mean over all pictures.
func mean(v []float64) estimate {
	weights := make([]weight, len(v))
	for i := range v {
		weights[i] = weight{i, 1 / float64(len(v))}
	}
	return sum(v, weights)
}

// slope is by how much a quantity grows per second: of the line through all of
// its pictures.
func slope(times, v []float64) estimate {
	rows := make([]int, len(v))
	for i := range rows {
		rows[i] = i
	}
	if len(v) < 2 {
		return estimate{}
	}
	_, rise, ok := polynomial(times, rows, 1, times[0])
	if !ok {
		return estimate{}
	}
	return sum(v, rise)
}

// smoothed are the values of the parabolas, or lines, through the pictures within
// reach of each, and by how much the pictures miss them, root mean square.
func smoothed(times, v []float64) (smooth []estimate, miss float64) {
	smooth = make([]estimate, len(v))
	for i := range v {
		rows := within(times, i, reach)
		degree := 2
		if len(rows) < 4 {
			degree = 1
		}
		weights, _, ok := polynomial(times, rows, degree, times[i])
		if !ok {
			smooth[i] = reading(v, i)
			continue
		}
		smooth[i] = sum(v, weights)
		own := weights[slices.Index(rows, i)].w
		miss += sq(v[i]-smooth[i].value) / math.Max(1e-9, 1-own) / float64(len(v))
	}
	return smooth, math.Sqrt(miss)
}

// passing is when a quantity that grows first passes a limit, s; its weights are
// of the time. ok is false where it does not.
func passing(times []float64, smooth []estimate, limit float64) (when estimate, ok bool) {
	for i := 1; i < len(smooth); i++ {
		a, b := smooth[i-1], smooth[i]
		if a.value >= limit || b.value < limit {
			continue
		}
		share, step := (limit-a.value)/(b.value-a.value), times[i]-times[i-1]
		at := a.plus(share, b.plus(-1, a))
		return estimate{value: times[i-1] + share*step}.plus(-step/(b.value-a.value), estimate{weights: at.weights}), true
	}
	return estimate{}, false
}

// passingU is how well an instant of passing is known where the quantity is known
// to u: what hardly grows may pass its limit much earlier or later, so the limit
// is tried as much lower and higher. What is not passed is at the path's end.
func passingU(times []float64, smooth []estimate, limit, u float64) float64 {
	when := func(limit float64) float64 {
		if at, ok := passing(times, smooth, limit); ok {
			return at.value
		}
		if len(smooth) > 0 && smooth[0].value >= limit {
			return times[0]
		}
		return times[len(times)-1]
	}
	return math.Max(when(limit)-when(limit-u), when(limit+u)-when(limit))
}

// path is where points are on the pictures of a stretch.
type path struct {
	marks [][]body.Landmark // a point's landmark, or the two whose middle it is
	at    []moment
}

// moment is one picture of a path: its time, s, the points on it, level px, and
// their standard uncertainties along each axis, px.
type moment struct {
	t      float64
	frame  int
	points []r2.Vec
	u      []r2.Vec
}
