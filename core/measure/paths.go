package measure

import (
	"fmt"
	"math"
	"slices"
	"strconv"

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
	"dip":            {formula: "least height of the point up to the next key position, below the lower of its greatest ones on either side", on: 1, compute: dip},
	"sunk-most":      {formula: "height of the point at the key position before − its least height since", back: 1, compute: sunkMost},
	"held":           {formula: "time for which the first→second point's inclination stays within 15° of what it is", on: 1, compute: held},
	"opens-before":   {formula: "instant of the contact − instant at which the joint has opened to 160°", back: 1, compute: opensBefore},
	"height-speed":   {formula: "upward speed of the point as it arrives: of the line through the last pictures", back: 1, compute: heightSpeed},
	"foot-backspeed": {formula: "speed of the second point − speed of the first along the direction of travel, over the last pictures before", back: 1, compute: footBackspeed},
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

// pathKey names a path: the pictures from which to which, of which points.
type pathKey struct {
	from, to int
	marks    string
}

// moment is one picture of a path: its time, and the points on it.
type moment struct {
	t      float64
	frame  int
	points []r2.Vec
}

// path is where points are on the pictures between two key positions.
func (p *evaluation) path(from, to string, names ...string) []moment {
	a, okA := p.frame(from)
	b, okB := p.frame(to)
	if !okA || !okB {
		return nil
	}
	return p.pathOf(a, b, p.key(p.keyID).roles, names...)
}

// pathOf is where points are on the pictures from one to another.
func (p *evaluation) pathOf(a, b int, roles body.Roles, names ...string) []moment {
	marks := make([][]body.Landmark, len(names))
	for i, name := range names {
		if part, mid := cutMid(name); mid {
			marks[i] = []body.Landmark{body.Landmark(part + "." + string(p.sheet.Roles["near"])), body.Landmark(part + "." + string(p.sheet.Roles["far"]))}
			continue
		}
		l, err := roles.Landmark(name)
		if err != nil {
			p.require("landmark", name, "%v", err)
			return nil
		}
		marks[i] = []body.Landmark{l}
	}
	key := pathKey{a, b, fmt.Sprint(marks)}
	if before, ok := p.found.paths[key]; ok && p.shift != nil && p.shift.what == following {
		return p.sharpened(before, marks)
	}
	var out []moment
	gap := 0
	for f := a; f <= b; f++ {
		m := p.see(f, marks)
		if len(m.points) == len(names) {
			out, gap = append(out, m), 0
		} else if gap++; gap > mostGap {
			for _, l := range slices.Concat(marks...) {
				p.toFollow = append(p.toFollow, Followed{l, a, b, p.measure.Name})
			}
			p.require("path", p.keyID, "follow the %s round %s", spokenAll(marks), p.key(p.keyID).Name)
			return nil
		}
	}
	if len(out) < leastPath {
		p.require("rate", p.keyID, "round %s there are %d pictures, this needs %d: film at a higher rate", p.key(p.keyID).Name, len(out), leastPath)
		return nil
	}
	if p.shift == nil && p.draw == nil {
		p.found.paths[key] = slices.Clone(out)
	}
	return out
}

// following is what a followed point's own error on a picture is called.
const following = "following the {of}"

// see is where points are on a picture; some may be unseen.
func (p *evaluation) see(frame int, marks [][]body.Landmark) moment {
	m := moment{t: p.real(p.sheet.Timeline.At(frame)), frame: frame}
	for _, pair := range marks {
		at, n := r2.Vec{}, 0.0
		for _, l := range pair {
			if v, ok := p.landmarkOn(frame, l, source{what: following, of: l, at: strconv.Itoa(frame)}); ok {
				at, n = r2.Add(at, v), n+1
			}
		}
		if n > 0 {
			m.points = append(m.points, r2.Scale(1/n, at))
		}
	}
	return m
}

// sharpened is a path of the first run with the one point moved that this run
// moves.
func (p *evaluation) sharpened(path []moment, marks [][]body.Landmark) []moment {
	path = slices.Clone(path)
	if slices.ContainsFunc(marks, func(pair []body.Landmark) bool { return slices.Contains(pair, p.shift.of) }) {
		for i, m := range path {
			if strconv.Itoa(m.frame) == p.shift.at {
				path[i] = p.see(m.frame, marks)
			}
		}
	}
	return path
}

func spokenAll(marks [][]body.Landmark) string {
	out := ""
	for i, pair := range marks {
		if i > 0 {
			out += ", "
		}
		out += LandmarkName(pair[0])
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
	v := make([]float64, len(path))
	for i, m := range path {
		v[i] = of(m.points)
	}
	return greatestOf(path, v)
}

// greatestOf is greatest of values that are known already.
func greatestOf(path []moment, v []float64) (top float64, at moment) {
	best := 0
	for i := range v {
		if v[i] > v[best] {
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
func (p *evaluation) arcOn(m moment) {
	if p.shift == nil && len(m.points) == 3 {
		p.arcAt(m.frame, m.points[1], m.points[0], m.points[2])
	}
}

func leastIncluded(p *evaluation) float64 {
	v, at := least(p.path(p.stamp(-1), p.keyID, p.measure.Points...), angle)
	p.arcOn(at)
	return p.input(jointCentres, v, JointAngleU)
}

func give(p *evaluation) float64 {
	path := p.path(p.stamp(-1), p.keyID, p.measure.Points...)
	v, at := least(path, angle)
	p.arcOn(at)
	if len(path) == 0 {
		return 0
	}
	return p.input(plain("joint centres, at two moments"), angle(path[0].points)-v, JointAngleU)
}

func riseMost(p *evaluation) float64 {
	path := p.path(p.stamp(-1), p.keyID, p.measure.Points...)
	if len(path) == 0 {
		return 0
	}
	top, _ := greatest(path, height)
	return p.metres(p.mid(p.keyID, top-height(path[0].points)))
}

func bounce(p *evaluation) float64 {
	top, _ := greatest(p.path(p.stamp(-1), p.keyID, p.measure.Points...), height)
	low, _ := least(p.path(p.keyID, p.stamp(1), p.measure.Points...), height)
	return p.metres(p.mid(p.keyID, top-low))
}

func loop(p *evaluation) float64 {
	path := p.path(p.stamp(-1), p.keyID, p.measure.Points...)
	if len(path) == 0 {
		return 0
	}
	a, b := path[0].points[0], path[len(path)-1].points[0]
	u := r2.Unit(r2.Sub(b, a))
	off, _ := greatest(path, func(pts []r2.Vec) float64 { return -r2.Cross(u, r2.Sub(pts[0], a)) })
	return 0.5 * p.metres(off)
}

func dip(p *evaluation) float64 {
	path := p.path(p.keyID, p.stamp(1), p.measure.Points...)
	if len(path) < 3 {
		return 0
	}
	low, at := least(path, height)
	cut := 0
	for i, m := range path {
		if m.frame == at.frame {
			cut = i
		}
	}
	before, _ := greatest(path[:cut+1], height)
	after, _ := greatest(path[cut:], height)
	return p.metres(p.mid(p.keyID, math.Min(before, after)-low))
}

func sunkMost(p *evaluation) float64 {
	path := p.path(p.stamp(-1), p.keyID, p.measure.Points...)
	if len(path) == 0 {
		return 0
	}
	low, _ := least(path, height)
	const lowestU = 0.012 // m: the lowest of noisy pictures is too low
	return p.metres(height(path[0].points)-low) + p.input(plain("lowest of the pictures"), 0, lowestU)
}

// incline is the inclination of a path's first point to its second.
func incline(pts []r2.Vec) float64 {
	return math.Atan2(pts[1].Y-pts[0].Y, pts[1].X-pts[0].X) * 180 / math.Pi
}

// heldWithin is how far a held limb may turn, degrees.
const heldWithin = 15

// heldU is how well the instant of a limb's turning is read off a noisy path, s.
const heldU = 0.018

func held(p *evaluation) float64 {
	path := p.path(p.keyID, p.stamp(1), p.measure.Points...)
	if len(path) == 0 {
		return 0
	}
	from := incline(path[0].points)
	off := func(m moment) float64 { return math.Abs(math.Remainder(incline(m.points)-from, 360)) }
	for i := 1; i < len(path); i++ {
		if a, b := off(path[i-1]), off(path[i]); b >= heldWithin {
			t := path[i-1].t + (heldWithin-a)/(b-a)*(path[i].t-path[i-1].t) - path[0].t
			return t + p.input(plain("turn of the limb, read off"), 0, math.Hypot(heldU, 0.7*(path[i].t-path[i-1].t)))
		}
	}
	return path[len(path)-1].t - path[0].t
}

// openJoint is an arm that counts as straight, degrees.
const openJoint = 160

func opensBefore(p *evaluation) float64 {
	a, okA := p.frame(p.stamp(-1))
	b, okB := p.frame(p.keyID)
	if !okA || !okB {
		return 0
	}
	const earlier, later = 0.3, 0.1
	for a > 0 && p.sheet.Timeline.At(b)-p.sheet.Timeline.At(a) < earlier {
		a--
	}
	for b < p.sheet.Timeline.Len()-1 && p.sheet.Timeline.At(b)-p.instant(p.keyID) < later {
		b++
	}
	path := p.pathOf(a, b, p.key(p.keyID).roles, p.measure.Points...)
	open := smoothed(path, angle)
	for i := 1; i < len(path); i++ {
		if u, v := open[i-1], open[i]; u < openJoint && v >= openJoint {
			t := path[i-1].t + (openJoint-u)/(v-u)*(path[i].t-path[i-1].t)
			// An elbow that points at the camera looks straight before it is.
			const turnedU = 0.045 // s
			return p.real(p.instant(p.keyID)) - t + p.input(plain("elbow turned toward the camera"), 0, turnedU)
		}
	}
	if len(path) > 0 {
		p.require("path", p.keyID, "the arm does not become straight on these pictures")
	}
	return 0
}

// smoothed is the mean of a quantity over the pictures within reach of each.
func smoothed(path []moment, of func([]r2.Vec) float64) []float64 {
	out := make([]float64, len(path))
	for i, m := range path {
		n := 0.0
		for _, other := range path {
			if math.Abs(other.t-m.t) <= reach {
				out[i] += of(other.points)
				n++
			}
		}
		out[i] /= n
	}
	return out
}

// slopeOver is by how much a quantity grows per second: of the line through it.
func (p *evaluation) slopeOver(path []moment, of func([]r2.Vec) float64) float64 {
	a, b := mat.NewDense(len(path), 2, nil), mat.NewVecDense(len(path), nil)
	for i, m := range path {
		a.SetRow(i, []float64{1, m.t - path[0].t})
		b.SetVec(i, of(m.points))
	}
	var c mat.VecDense
	if len(path) < 2 || c.SolveVec(a, b) != nil {
		return 0
	}
	return c.AtVec(1)
}

// arriving is for how long before a contact a speed is read, s.
const arriving = 0.035

// courseBefore are the pictures of some seconds before a place, without its own.
func (p *evaluation) courseBefore(seconds float64, names ...string) []moment {
	f, ok := p.frame(p.keyID)
	if !ok {
		return nil
	}
	from := f - 1
	for from > 0 && (p.sheet.Timeline.At(f-1)-p.sheet.Timeline.At(from) < seconds || f-from < leastPath) {
		from--
	}
	return p.pathOf(from, f-1, p.key(p.keyID).roles, names...)
}

func heightSpeed(p *evaluation) float64 {
	path := p.courseBefore(arriving, p.measure.Points...)
	if len(path) == 0 {
		return 0
	}
	return p.metres(p.slopeOver(path, height))
}

func footBackspeed(p *evaluation) float64 {
	path := p.courseBefore(arriving, p.measure.Points...)
	if len(path) == 0 {
		return 0
	}
	if f, _ := p.frame(p.keyID); 1/p.sheet.Timeline.Interval(f) < 0.99*footRate {
		p.require("rate", p.keyID, "this needs %.0f pictures a second or more, the clip has %.0f", footRate, 1/p.sheet.Timeline.Interval(f))
	}
	const slowsU = 0.6 // m/s: the foot slows down while it arrives
	return p.metres(p.slopeOver(path, func(v []r2.Vec) float64 { return v[1].X - v[0].X })) + p.input(plain("the foot slows down"), 0, slowsU)
}
