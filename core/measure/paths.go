package measure

import (
	"fmt"
	"math"
	"slices"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/body"
)

// followed are the kinds that want landmarks on every picture between key
// positions, as following from picture to picture gives them.
var followed = map[string]kind{
	"included-least": {formula: "smallest angle at the joint since the key position before, read off a parabola through the pictures around it", back: 1, compute: leastIncluded},
	"give":           {formula: "angle at the joint at the key position before − its smallest since", back: 1, compute: give},
	"rise-most":      {formula: "greatest height of the point since the key position before − its height there", back: 1, compute: riseMost},
	"bounce":         {formula: "greatest height of the point since the key position before − its least height up to the next", back: 1, on: 1, compute: bounce},
	"loop":           {formula: "half the greatest distance of the path from the straight line between its ends", back: 1, compute: loop},
}

// Followed is a landmark that a measure wants on every picture from one to
// another.
type Followed struct {
	Landmark body.Landmark `json:"landmark"`
	From     int           `json:"from"`
	To       int           `json:"to"`
	For      string        `json:"for"` // the measure's name
}

// leastPath is how many pictures a path must have, mostGap how many in a row
// may lack the landmark.
const (
	leastPath = 5
	mostGap   = 1
)

// moment is one picture of a path: its time, and the points on it.
type moment struct {
	t      float64
	frame  int
	points []r2.Vec
}

// path is where points are on the pictures between two key positions.
func (p *probe) path(from, to string, names ...string) []moment {
	a, okA := p.frame(from)
	b, okB := p.frame(to)
	if !okA || !okB {
		return nil
	}
	roles := p.key(p.place).roles
	marks := make([][]body.Landmark, len(names))
	for i, name := range names {
		if part, mid := cutMid(name); mid {
			marks[i] = []body.Landmark{body.Landmark(part + "." + string(p.sheet.Roles["near"])), body.Landmark(part + "." + string(p.sheet.Roles["far"]))}
			continue
		}
		l, err := roles.Landmark(name)
		if err != nil {
			p.miss("landmark", name, "%v", err)
			return nil
		}
		marks[i] = []body.Landmark{l}
	}
	var out []moment
	gap := 0
	for f := a; f <= b; f++ {
		m := moment{t: p.real(p.sheet.Film.At(f)), frame: f}
		for _, pair := range marks {
			at, n := r2.Vec{}, 0.0
			for _, l := range pair {
				if v, ok := p.on(f, l, source{what: "following the {of}", of: l, at: fmt.Sprint(f)}); ok {
					at, n = r2.Add(at, v), n+1
				}
			}
			if n > 0 {
				m.points = append(m.points, r2.Scale(1/n, at))
			}
		}
		if len(m.points) == len(names) {
			out, gap = append(out, m), 0
		} else if gap++; gap > mostGap {
			for _, l := range slices.Concat(marks...) {
				p.wanted = append(p.wanted, Followed{l, a, b, p.measure.Name})
			}
			p.miss("path", p.place, "follow the %s from %s to %s", spokenAll(marks), p.key(from).Name, p.key(to).Name)
			return nil
		}
	}
	if len(out) < leastPath {
		p.miss("rate", p.place, "between %s and %s there are %d pictures, this needs %d: film at a higher rate", p.key(from).Name, p.key(to).Name, len(out), leastPath)
		return nil
	}
	return out
}

func spokenAll(marks [][]body.Landmark) string {
	out := ""
	for i, pair := range marks {
		if i > 0 {
			out += ", "
		}
		out += Spoken(pair[0])
	}
	return out
}

// reach is how long on each side of an extremum the parabola is fitted, s.
const reach = 0.025

// greatest is the top of a quantity over a path: of the parabola through the
// pictures around the highest.
func greatest(path []moment, of func([]r2.Vec) float64) (top float64, at moment) {
	if len(path) == 0 {
		return 0, moment{}
	}
	best, v := 0, make([]float64, len(path))
	for i, m := range path {
		if v[i] = of(m.points); v[i] > v[best] {
			best = i
		}
	}
	t0 := path[best].t
	var rows []int
	for i, m := range path {
		if math.Abs(m.t-t0) <= reach || i >= best-2 && i <= best+2 {
			rows = append(rows, i)
		}
	}
	a, b := mat.NewDense(len(rows), 3, nil), mat.NewVecDense(len(rows), nil)
	for r, i := range rows {
		t := (path[i].t - t0) / reach
		a.SetRow(r, []float64{1, t, t * t})
		b.SetVec(r, v[i])
	}
	var c mat.VecDense
	if len(rows) < 4 || c.SolveVec(a, b) != nil {
		return v[best], path[best]
	}
	first, last := (path[rows[0]].t-t0)/reach, (path[rows[len(rows)-1]].t-t0)/reach
	at0 := func(t float64) float64 { return c.AtVec(0) + t*c.AtVec(1) + t*t*c.AtVec(2) }
	if x := -c.AtVec(1) / (2 * c.AtVec(2)); c.AtVec(2) < 0 && x > first && x < last {
		return at0(x), path[best]
	}
	return at0((path[best].t - t0) / reach), path[best]
}

func least(path []moment, of func([]r2.Vec) float64) (float64, moment) {
	v, at := greatest(path, func(pts []r2.Vec) float64 { return -of(pts) })
	return -v, at
}

func angle(pts []r2.Vec) float64  { return body.Included(pts[0], pts[1], pts[2]) }
func height(pts []r2.Vec) float64 { return pts[0].Y }

// arcOn draws an angle on a picture of a path.
func (p *probe) arcOn(m moment) {
	if p.shift == nil && len(m.points) == 3 {
		p.arcAt(m.frame, m.points[1], m.points[0], m.points[2])
	}
}

func leastIncluded(p *probe) float64 {
	v, at := least(p.path(p.stamp(-1), p.place, p.measure.Points...), angle)
	p.arcOn(at)
	return p.input(jointCentres, v, JointAngleU)
}

func give(p *probe) float64 {
	path := p.path(p.stamp(-1), p.place, p.measure.Points...)
	v, at := least(path, angle)
	p.arcOn(at)
	if len(path) == 0 {
		return 0
	}
	return p.input(plain("joint centres, at two moments"), angle(path[0].points)-v, JointAngleU)
}

func riseMost(p *probe) float64 {
	path := p.path(p.stamp(-1), p.place, p.measure.Points...)
	if len(path) == 0 {
		return 0
	}
	top, _ := greatest(path, height)
	return p.metres(p.mid(p.place, top-height(path[0].points)))
}

func bounce(p *probe) float64 {
	top, _ := greatest(p.path(p.stamp(-1), p.place, p.measure.Points...), height)
	low, _ := least(p.path(p.place, p.stamp(1), p.measure.Points...), height)
	return p.metres(p.mid(p.place, top-low))
}

func loop(p *probe) float64 {
	path := p.path(p.stamp(-1), p.place, p.measure.Points...)
	if len(path) == 0 {
		return 0
	}
	a, b := path[0].points[0], path[len(path)-1].points[0]
	u := r2.Unit(r2.Sub(b, a))
	off, _ := greatest(path, func(pts []r2.Vec) float64 { return -r2.Cross(u, r2.Sub(pts[0], a)) })
	return 0.5 * p.metres(off)
}
