package measure

import (
	"fmt"
	"math"
	"slices"

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
	"opens-before":   {formula: "instant of the contact − instant at which the joint has opened to 160° in space, on the picture to about 172°", back: 1, compute: opensBefore, space: opensBeforeSpace},
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

// path is where points are on the pictures between two key positions.
func (p *evaluation) path(from, to string, names ...string) path {
	a, okA := p.frame(from)
	b, okB := p.frame(to)
	if !okA || !okB {
		return path{}
	}
	return p.pathOf(a, b, p.key(p.keyID).roles, names...)
}

// pathOf is where points are on the pictures from one to another. What single
// pictures' errors do, an estimate carries; so they do not pass the gate here.
func (p *evaluation) pathOf(a, b int, roles body.Roles, names ...string) path {
	marks := make([][]body.Landmark, len(names))
	for i, name := range names {
		if part, mid := cutMid(name); mid {
			marks[i] = []body.Landmark{body.Landmark(part + "." + string(p.sheet.Roles["near"])), body.Landmark(part + "." + string(p.sheet.Roles["far"]))}
			continue
		}
		l, err := roles.Landmark(name)
		if err != nil {
			p.require("landmark", name, "%v", err)
			return path{}
		}
		marks[i] = []body.Landmark{l}
	}
	key := pathKey{a, b, fmt.Sprint(marks)}
	if before, ok := p.found.paths[key]; ok && p.shift != nil && !p.movesPaths() {
		return before
	}
	out := path{marks: marks}
	gap := 0
	for f := a; f <= b; f++ {
		m := p.see(f, marks)
		if len(m.points) == len(names) {
			out.at, gap = append(out.at, m), 0
		} else if gap++; gap > mostGap {
			for _, l := range slices.Concat(marks...) {
				p.toFollow = append(p.toFollow, Followed{l, a, b, p.measure.Name})
			}
			p.require("path", p.keyID, "follow the %s round %s", spokenAll(marks), p.key(p.keyID).Name)
			return path{}
		}
	}
	if len(out.at) < leastPath {
		p.require("rate", p.keyID, "round %s there are %d pictures, this needs %d: film at a higher rate", p.key(p.keyID).Name, len(out.at), leastPath)
		return path{}
	}
	if p.shift == nil {
		p.found.paths[key] = out
	}
	return out
}

// following is what a followed point's own error is called.
const following = "following the {of} round {at}"

// see is where points are on a picture; some may be unseen.
func (p *evaluation) see(frame int, marks [][]body.Landmark) moment {
	m := moment{t: p.real(p.sheet.Timeline.At(frame)), frame: frame}
	for _, pair := range marks {
		var at, u r2.Vec
		n := 0.0
		for _, l := range pair {
			if px, pu, ok := p.pixel(frame, l); ok {
				at, u, n = r2.Add(at, p.inPlane(px)), r2.Vec{X: math.Hypot(u.X, pu.X), Y: math.Hypot(u.Y, pu.Y)}, n+1
			}
		}
		if n > 0 {
			m.points, m.u = append(m.points, r2.Scale(1/n, at)), append(m.u, r2.Scale(1/n, u))
		}
	}
	return m
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

func angle(pts []r2.Vec) float64  { return body.Included(pts[0], pts[1], pts[2]) }
func height(pts []r2.Vec) float64 { return pts[0].Y }

// arcOn draws an angle on a picture of a path.
func (p *evaluation) arcOn(m moment) {
	if p.shift == nil && len(m.points) == 3 {
		p.arcAt(m.frame, m.points[1], m.points[0], m.points[2])
	}
}

func leastIncluded(p *evaluation) float64 {
	c := p.path(p.stamp(-1), p.keyID, p.measure.Points...)
	if len(c.at) == 0 {
		return 0
	}
	low, at := least(c.times(), c.along(angle), reach)
	p.arcOn(c.at[at])
	return p.input(jointCentres, p.through(c, angle, low, 0), JointAngleU)
}

func give(p *evaluation) float64 {
	c := p.path(p.stamp(-1), p.keyID, p.measure.Points...)
	if len(c.at) == 0 {
		return 0
	}
	v := c.along(angle)
	low, at := least(c.times(), v, reach)
	p.arcOn(c.at[at])
	first := atStart(c.times(), v, p.real(p.instant(p.stamp(-1))))
	return p.input(plain("joint centres, at two moments"), p.through(c, angle, first.plus(-1, low), 0), JointAngleU*math.Sqrt2)
}

func riseMost(p *evaluation) float64 {
	c := p.path(p.stamp(-1), p.keyID, p.measure.Points...)
	if len(c.at) == 0 {
		return 0
	}
	v := c.along(height)
	top, _ := greatest(c.times(), v, reachSlow)
	return p.metres(p.mid(p.keyID, p.through(c, height, top.plus(-1, reading(v, 0)), 0)))
}

func bounce(p *evaluation) float64 {
	before, after := p.path(p.stamp(-1), p.keyID, p.measure.Points...), p.path(p.keyID, p.stamp(1), p.measure.Points...)
	if len(before.at) == 0 || len(after.at) == 0 {
		return 0
	}
	top, _ := greatest(before.times(), before.along(height), reachSlow)
	low, _ := least(after.times(), after.along(height), reachSlow)
	return p.metres(p.mid(p.keyID, p.through(before, height, top, 'a')-p.through(after, height, low, 'b')))
}

func loop(p *evaluation) float64 {
	c := p.path(p.stamp(-1), p.keyID, p.measure.Points...)
	if len(c.at) < 2 {
		return 0
	}
	last := len(c.at) - 1
	a, b := c.at[0].points[0], c.at[last].points[0]
	u := r2.Unit(r2.Sub(b, a))
	off := func(pts []r2.Vec) float64 { return -r2.Cross(u, r2.Sub(pts[0], a)) }
	v := c.along(off)
	top, at := greatest(c.times(), v, reachSlow)
	// The line's ends are followed points as well; its last one is passed somewhere
	// in the picture before, and turns the line with it.
	ends := reading(v, 0).plus(1, reading(v, last))
	along := r2.Norm(r2.Sub(c.at[at].points[0], a)) / math.Max(r2.Norm(r2.Sub(b, a)), 1e-9)
	turned := math.Abs(v[last-1]) * along / math.Sqrt(3)
	return 0.5 * p.metres(p.through(c, off, top.plus(-0.5, ends), 0)+p.input(plain("instant at which the path ends"), 0, turned))
}

func dip(p *evaluation) float64 {
	c := p.path(p.keyID, p.stamp(1), p.measure.Points...)
	if len(c.at) < 3 {
		return 0
	}
	times, v := c.times(), c.along(height)
	low, cut := least(times, v, reachSlow)
	before, _ := greatest(times[:cut+1], v[:cut+1], reachSlow)
	after, _ := greatest(times[cut:], v[cut:], reachSlow)
	lower := before
	if after.value < before.value {
		lower = estimate{value: after.value}
		for _, a := range after.weights {
			lower.weights = append(lower.weights, weight{a.at + cut, a.w})
		}
	}
	return p.metres(p.mid(p.keyID, p.through(c, height, lower.plus(-1, low), 0)))
}

func sunkMost(p *evaluation) float64 {
	c := p.path(p.stamp(-1), p.keyID, p.measure.Points...)
	if len(c.at) == 0 {
		return 0
	}
	v := c.along(height)
	low, _ := least(c.times(), v, reachSlow)
	const lowestU = 0.012 // m: the lowest of noisy pictures is too low
	return p.metres(p.through(c, height, reading(v, 0).plus(-1, low), 0)) + p.input(plain("lowest of the pictures"), 0, lowestU)
}

// incline is the inclination of a path's first point to its second.
func incline(pts []r2.Vec) float64 {
	return math.Atan2(pts[1].Y-pts[0].Y, pts[1].X-pts[0].X) * 180 / math.Pi
}

// heldWithin is how far a held limb may turn, degrees, and heldU how well the
// angle is known that two joints' hidden centres make at two moments.
const (
	heldWithin = 15.0
	heldU      = 1.0 // degrees
)

func held(p *evaluation) float64 {
	c := p.path(p.keyID, p.stamp(1), p.measure.Points...)
	if len(c.at) == 0 {
		return 0
	}
	times, v := c.times(), c.along(incline)
	for i := 1; i < len(v); i++ { // through a full turn
		v[i] = v[i-1] + math.Remainder(v[i]-v[i-1], 360)
	}
	smooth, miss := smoothed(times, v)
	begin := p.real(p.instant(p.keyID))
	first := atStart(times, v, begin)
	off := make([]estimate, len(smooth))
	for i, s := range smooth {
		off[i] = s.plus(-1, first)
		if off[i].value < 0 {
			off[i] = estimate{}.plus(-1, off[i])
		}
	}
	u := math.Hypot(heldU, miss*math.Sqrt(2*first.share()))
	t := times[len(times)-1]
	if at, ok := passing(times, off, heldWithin); ok {
		t = at.value
	}
	tu := math.Hypot(passingU(times, off, heldWithin, u), p.sheet.Timeline.Interval(c.at[0].frame)/math.Sqrt(12))
	return t - begin + p.input(plain("turn of the limb, read off"), 0, tu)
}

// An arm counts as straight from 160° on. The elbow of a hand that goes up over
// the head points more to the side than ahead: its last 20° of bend are seen as
// some 8°, as 1° when it points at the camera and as 15° when it points ahead.
const (
	openAngle = 160.0
	seenOpen  = 180 - 8.0
	openU     = 7.0 // degrees
)

// openingFrames are the pictures on which an arm is looked for that becomes
// straight.
func (p *evaluation) openingFrames() (a, b int, ok bool) {
	a, b, ok = p.stretch(p.stamp(-1), p.keyID)
	if !ok {
		return 0, 0, false
	}
	const earlier, later = 0.3, 0.1
	for a > 0 && p.sheet.Timeline.At(b)-p.sheet.Timeline.At(a) < earlier {
		a--
	}
	for b < p.sheet.Timeline.Len()-1 && p.sheet.Timeline.At(b)-p.instant(p.keyID) < later {
		b++
	}
	return a, b, true
}

func opensBefore(p *evaluation) float64 {
	a, b, ok := p.openingFrames()
	if !ok {
		return 0
	}
	c := p.pathOf(a, b, p.key(p.keyID).roles, p.measure.Points...)
	if len(c.at) == 0 {
		return 0
	}
	times := c.times()
	open, _ := smoothed(times, c.along(angle))
	t, ok := passing(times, open, seenOpen)
	if !ok {
		p.require("path", p.keyID, "the arm does not become straight on these pictures")
		return 0
	}
	return p.real(p.instant(p.keyID)) - p.through(c, angle, t, 0) + p.input(plain("elbow turned toward the camera"), 0, passingU(times, open, seenOpen, openU))
}

func opensBeforeSpace(p *evaluation) float64 {
	a, b, ok := p.openingFrames()
	if !ok {
		return 0
	}
	way := p.course(a, b, p.measure.Points...)
	if len(way) == 0 {
		return 0
	}
	times, v := make([]float64, len(way)), make([]float64, len(way))
	for i, m := range way {
		times[i], v[i] = m.t, body.IncludedSpace(m.points[0], m.points[1], m.points[2])
	}
	open, miss := smoothed(times, v)
	t, ok := passing(times, open, openAngle)
	if !ok {
		p.require("path", p.keyID, "the arm does not become straight on these pictures")
		return 0
	}
	u := passingU(times, open, openAngle, math.Hypot(JointAngleU, miss))
	return p.real(p.instant(p.keyID) - t.value + p.input(plain("joint centres, as the arm opens"), 0, u))
}

// arriving is for how long before a contact a speed is read, s.
const arriving = 0.035

// courseBefore are the pictures of some seconds before a place, without its own.
func (p *evaluation) courseBefore(seconds float64, names ...string) path {
	f, ok := p.frame(p.keyID)
	if !ok {
		return path{}
	}
	from := f - 1
	for from > 0 && (p.sheet.Timeline.At(f-1)-p.sheet.Timeline.At(from) < seconds || f-from < leastPath) {
		from--
	}
	return p.pathOf(from, f-1, p.key(p.keyID).roles, names...)
}

func heightSpeed(p *evaluation) float64 {
	c := p.courseBefore(arriving, p.measure.Points...)
	if len(c.at) == 0 {
		return 0
	}
	return p.metres(p.through(c, height, slope(c.times(), c.along(height)), 0))
}

func footBackspeed(p *evaluation) float64 {
	c := p.courseBefore(arriving, p.measure.Points...)
	if len(c.at) == 0 {
		return 0
	}
	if f, _ := p.frame(p.keyID); 1/p.sheet.Timeline.Interval(f) < 0.99*footRate {
		p.require("rate", p.keyID, "this needs %.0f pictures a second or more, the clip has %.0f", footRate, 1/p.sheet.Timeline.Interval(f))
	}
	const slowsU = 0.6 // m/s: the foot slows down while it arrives
	ahead := func(v []r2.Vec) float64 { return v[1].X - v[0].X }
	return p.metres(p.through(c, ahead, slope(c.times(), c.along(ahead)), 0)) + p.input(plain("the foot slows down"), 0, slowsU)
}
