package measure

import (
	"math"
	"slices"
	"strings"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/spatial/r2"
	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
	"neokinema/core/flight"
	"neokinema/core/runup"
)

// spaced are the kinds in space: of two films from different sides, and of feet
// on the ground in one. Directions are azimuths: 0° = back of the circle, 180° =
// the throw or the run, growing as the athlete turns.
var spaced = map[string]kind{
	"included":        {space: includedSpace},
	"tilt":            {space: func(p *probe) float64 { return steep(p.space2()) }},
	"steep":           {formula: "inclination of first→second point, 0° = level, in space", space: func(p *probe) float64 { a, b := p.space2(); return steep(b, a) }},
	"lean":            {space: func(p *probe) float64 { a, b := p.space2(); return leanAlong(a, b, r3.Vec{X: 1}) }},
	"apart":           {space: func(p *probe) float64 { a, b := p.space2(); return p.lengthSpace(r3.Norm(r3.Sub(a, b))) }},
	"apart-level":     {formula: "distance between the two points on the ground", space: func(p *probe) float64 { a, b := p.floor2(); return p.lengthSpace(r3.Norm(r3.Sub(a, b))) }},
	"ahead":           {space: func(p *probe) float64 { a, b := p.space2(); return p.lengthSpace(a.X - b.X) }},
	"above":           {space: func(p *probe) float64 { a, b := p.space2(); return p.lengthSpace(a.Z - b.Z) }},
	"ahead-of-middle": {formula: "how far the first point is ahead of the middle of the ball of one foot and the other ankle", compute: aheadOfMiddle, space: aheadOfMiddleSpace},
	"behind-middle":   {formula: "how far the first point is behind the middle of the other two", compute: behindMiddle, space: behindMiddleSpace},
	"foot-travel":     {formula: "way of the ball of the foot toward the throw since the key position before", everyStamp: true, back: 1, space: footTravel},
	"before-line":     {space: func(p *probe) float64 { return -p.flat(p.place, p.measure.Points[0]).X }},
	"needed-lean":     {formula: "tan of the lean = v² ÷ (g(r − h·sin lean)), the radius r from the circle through the footprints, v along them, h = 0.55 of height", everyStamp: true, back: 1, on: 2, space: neededLean},
	"outside-curve":   {formula: "how far the ball of the foot is outside the arc from the footprint before to the next", everyStamp: true, back: 1, on: 1, space: outsideCurve},
	"foot-to-path":    {formula: "direction of the path − direction of the foot, toes away from the curve's inside positive", everyStamp: true, back: 1, space: footToPath},
	"off-bar":         {formula: "direction of the thigh on the ground plan, from along the bar, away from it positive", space: offBar},
	"aside":           {formula: "how far the point is to the free side of the line through the middle along the throw", space: func(p *probe) float64 { return p.lengthSpace(p.foot(p.place, p.measure.Points).Y) }},
	"aside-of":        {formula: "how far the first point is to the free side of the second, square to the throw", compute: asideOf, space: func(p *probe) float64 { a, b := p.floor2(); return p.lengthSpace(a.Y - b.Y) }},
	"aside-apart":     {formula: "distance of the points square to the throw", compute: func(p *probe) float64 { return math.Abs(asideOf(p)) }, space: func(p *probe) float64 { a, b := p.floor2(); return p.lengthSpace(math.Abs(a.Y - b.Y)) }},
	"aside-since":     {formula: "how far the first point now is to the free side of where the second was at the key position before", everyStamp: true, back: 1, compute: asideSince, space: func(p *probe) float64 { now, then := p.since2(); return p.lengthSpace(now.Y - then.Y) }},
	"ahead-since":     {formula: "how far the first point now is ahead of where the second was at the key position before", everyStamp: true, back: 1, compute: aheadSince, space: func(p *probe) float64 { now, then := p.since2(); return p.lengthSpace(now.X - then.X) }},
	"behind-since":    {formula: "how far the first point now is behind where the second was at the key position before", everyStamp: true, back: 1, compute: func(p *probe) float64 { return -aheadSince(p) }, space: func(p *probe) float64 { now, then := p.since2(); return p.lengthSpace(then.X - now.X) }},
	"direction":       {formula: "azimuth from the first point to the second", space: direction},
	"direction-gap":   {formula: "azimuth from the first point to the second − from the third to the fourth", space: directionGap},
	"facing":          {formula: "azimuth of the normal, out of the athlete's front, of the line through the points", space: func(p *probe) float64 { a, b := p.space2(); return p.about(facing(a, b)) }},
	"separation":      {formula: "facing of the hips − facing of the shoulders: positive when the hips are ahead in the direction of turning", space: separation},
	"turned":          {formula: "360° + change of the facing since the key position before", everyStamp: true, back: 1, space: func(p *probe) float64 { return 360 + p.turnSince() }},
	"turn-after":      {formula: "change of the facing up to the next key position, either way", everyStamp: true, on: 1, space: turnAfter},
	"twist-range":     {formula: "range of the line's direction, seen from above, since the key position before", back: 1, compute: twistRangeSeen, space: twistRange},
	"arm-trunk":       {formula: "angle between the upper arm and the trunk's line from shoulders to hips", space: armTrunk},
	"included-strike": {formula: "smallest angle at the joint over the last 0.12 s before", space: includedStrike},
	"elbow-over-line": {formula: "smallest angle of the upper arm over the shoulder line extended, from 0.6 of the time since the key position before", everyStamp: true, back: 1, space: elbowOverLine},
	"opens-after":     {formula: "instant at which the elbow has opened by 15° − instant at which the hips face 150°", everyStamp: true, back: 1, space: opensAfter},
	"bend-forward":    {formula: "lean of first→second point toward where the line of the other two faces", space: bendForward},
	"sweep":           {formula: "greatest distance on the ground of the first point from the foot of the other two, from a third to two thirds of the time since the key position before", back: 1, space: sweep},
	"shift-mean":      {formula: "difference, square to the throw, of the point's mean place since the key position before and its mean a turn earlier", back: 1, compute: sway, space: swaySpace},
	"behind-ball":     {formula: "facing of the shoulders − azimuth of the implement about the turn's centre", space: behindBall},
	"lead-ball":       {formula: "how far the shoulders turned − how far the implement went round, from its passing 270°", back: 1, space: leadBall},
	"counter":         {formula: "lean of the line from the middle of the first two points to the third, away from the implement", space: counter},
	"bend-to-ball":    {formula: "lean of second→third point − lean of the feet's middle→second, toward the implement", space: bendToBall},
	"direction-ball":  {formula: "azimuth of the implement about the first point", space: func(p *probe) float64 { a, b := p.space2(); return p.about(azimuth(r3.Sub(b, a))) }},
	"orbit-azimuth":   {space: orbitAzimuthSpace},
	"orbit-low":       {space: func(p *probe) float64 { return p.orbitEnd(-1) }},
	"orbit-high":      {space: func(p *probe) float64 { return p.orbitEnd(1) }},
	"orbit-slope":     {space: orbitSlopeSpace},
	"orbit-speed":     {space: func(p *probe) float64 { v, _ := p.along(reach); return r3.Norm(v) }},
	"orbit-pull":      {space: orbitPullSpace},
	"release-speed":   {space: func(p *probe) float64 { return r3.Norm(p.released().v) }},
	"release-angle":   {space: func(p *probe) float64 { return p.released().elevation() }},
	"release-height":  {space: func(p *probe) float64 { return p.released().at.Z }},
	"attack":          {space: attackSpace},
	"yaw":             {formula: "direction of the implement's axis − direction of its path, seen from above", space: yaw},
	"edge":            {formula: "inclination of the disc's outside edge about the direction of its flight", space: edge},
	"wobble":          {formula: "half the range of the attitude over the first 0.15 s of flight", space: wobble},
	"land-azimuth":    {formula: "azimuth, about the circle's middle, of where the parabola comes down", space: landAzimuth},
}

// Angles and directions of points in space, degrees.

// steep is the inclination of b→a.
func steep(a, b r3.Vec) float64 {
	d := r3.Sub(a, b)
	return math.Atan2(d.Z, math.Hypot(d.X, d.Y)) * 180 / math.Pi
}

// azimuth is the direction of d on the ground.
func azimuth(d r3.Vec) float64 { return math.Atan2(-d.Y, -d.X) * 180 / math.Pi }

// toward is the direction of an azimuth.
func toward(az float64) r3.Vec {
	s, c := math.Sincos(az * math.Pi / 180)
	return r3.Vec{X: -c, Y: -s}
}

// facing is where a line from the working side (a right-hander's right) to the
// other one faces.
func facing(a, b r3.Vec) float64 {
	d := r3.Sub(b, a)
	return azimuth(r3.Vec{X: d.Y, Y: -d.X})
}

func leanAlong(a, b, u r3.Vec) float64 {
	d := r3.Sub(b, a)
	return math.Atan2(r3.Dot(d, u), d.Z) * 180 / math.Pi
}

func wrap(deg float64) float64 { return math.Remainder(deg, 360) }

// about brings a direction to the side of the middle of the measure's band.
func (p *probe) about(deg float64) float64 {
	m := p.measure
	if m.Around != 0 {
		return m.Around + wrap(deg-m.Around)
	}
	return wrap(deg)
}

// points of the measure in space.

func (p *probe) space2() (a, b r3.Vec) {
	return p.space(p.place, p.measure.Points[0]), p.space(p.place, p.measure.Points[1])
}

// floor2 are two points seen from above; where feet stand alone, one film is
// enough.
func (p *probe) floor2() (a, b r3.Vec) {
	return p.flat(p.place, p.measure.Points[0]), p.flat(p.place, p.measure.Points[1])
}

// flat is a point of the ground plan.
func (p *probe) flat(place, name string) r3.Vec {
	if p.sheet.spots != nil && p.hasMid(name) {
		v := p.space(place, name)
		v.Z = 0
		return v
	}
	v := p.floor(place, name)
	return r3.Vec{X: v.X, Y: v.Y}
}

func (p *probe) hasMid(name string) bool { _, mid := cutMid(name); return mid }

func (p *probe) since2() (now, then r3.Vec) {
	return p.flat(p.place, p.measure.Points[0]), p.flat(p.stamp(-1), p.measure.Points[1])
}

// foot is the ball of a foot: between its toe and its heel.
func (p *probe) foot(place string, toeHeel []string) r3.Vec {
	toe, heel := p.flat(place, toeHeel[0]), p.flat(place, toeHeel[1])
	return r3.Add(toe, r3.Scale(ballShare, r3.Sub(heel, toe)))
}

// ballShare is where the ball of the foot lies, from the toe's tip to the heel.
const ballShare = 0.28

// bodyShares are lengths of the body as shares of standing height (Winter, from
// memory; widths of hips and shoulders common practice).
var bodyShares = map[string]float64{
	"trunk": body.TrunkShare, "leg": body.LegShare, "height": 1, "thigh": 0.245, "shank": 0.246, "hips": 0.105, "shoulders": 0.206, "arm": 0.186 + 0.146 + 0.065,
}

// baseM is the length that percentages are of, m.
func (p *probe) baseM() float64 {
	if p.measure.Base == "arm-implement" {
		wire := p.sheet.Event.Wires[string(p.sheet.Sex)]
		return p.input(plain("lengths of the body from standing height"), bodyShares["arm"]*p.sheet.HeightM, WiltU*bodyShares["arm"]*p.sheet.HeightM) + wire
	}
	v := bodyShares[p.measure.Base] * p.sheet.HeightM
	u := WiltU
	if p.measure.Base == "height" {
		u = 0
	}
	return p.input(plain("lengths of the body from standing height"), v, u*v)
}

// lengthSpace gives a length, m, in the measure's unit.
func (p *probe) lengthSpace(m float64) float64 {
	if p.measure.Base == "" {
		return m
	}
	return 100 * m / p.baseM()
}

func includedSpace(p *probe) float64 {
	m := p.measure.Points
	a, b, c := p.space(p.place, m[0]), p.space(p.place, m[1]), p.space(p.place, m[2])
	p.arcSpace(m[1], m[0], m[2])
	return body.IncludedSpace(a, b, c)
}

// arcSpace draws an angle in space where the film shows it.
func (p *probe) arcSpace(vertex, from, to string) {
	if p.shift != nil {
		return
	}
	f, _ := p.frame(p.place)
	at := func(name string) (Mark, bool) {
		l, err := p.landmark(p.place, name)
		if err != nil {
			return Mark{}, false
		}
		m, ok := p.sheet.Marks[f][l]
		return m, ok
	}
	v, okV := at(vertex)
	a, okA := at(from)
	b, okB := at(to)
	if okV && okA && okB {
		p.drawings = append(p.drawings, Drawing{Kind: "arc", Frame: f, Vertex: &v.At, From: a.At, To: b.At})
	}
}

func aheadOfMiddle(p *probe) float64 {
	m := p.measure.Points
	a, toe, heel, other := p.at(p.place, m[0]), p.at(p.place, m[1]), p.at(p.place, m[2]), p.at(p.place, m[3])
	middle := (toe.X + ballShare*(heel.X-toe.X) + other.X) / 2
	p.segment(p.place, r2.Vec{X: middle, Y: a.Y}, a)
	return p.length(a.X - middle)
}

func aheadOfMiddleSpace(p *probe) float64 {
	m := p.measure.Points
	a, ball, other := p.space(p.place, m[0]), p.foot(p.place, m[1:3]), p.space(p.place, m[3])
	return p.lengthSpace(a.X - (ball.X+other.X)/2)
}

func behindMiddle(p *probe) float64 {
	m := p.measure.Points
	a, b, c := p.at(p.place, m[0]), p.at(p.place, m[1]), p.at(p.place, m[2])
	p.segment(p.place, r2.Vec{X: (b.X + c.X) / 2, Y: a.Y}, a)
	return p.length((b.X+c.X)/2 - a.X)
}

func behindMiddleSpace(p *probe) float64 {
	m := p.measure.Points
	a, b, c := p.space(p.place, m[0]), p.space(p.place, m[1]), p.space(p.place, m[2])
	return p.lengthSpace((b.X+c.X)/2 - a.X)
}

func footTravel(p *probe) float64 {
	return p.lengthSpace(p.foot(p.place, p.measure.Points).X - p.foot(p.stamp(-1), p.measure.Points).X)
}

// A curve's radius is not told by three footprints of a step or two: this is
// what jumpers run, m, common practice.
const (
	usualRadius  = 9.5
	usualRadiusU = 1.5
)

// bulge is how far an arc of the usual radius stands out over its chord, m.
func (p *probe) bulge(chord float64) float64 {
	r := p.input(plain("radius of the curve, by what is usual"), usualRadius, usualRadiusU)
	return chord * chord / (8 * r)
}

// neededLean is for the curve through four footprints.
func neededLean(p *probe) float64 {
	toe := func(by int) r3.Vec { return p.flat(p.stamp(by), p.measure.Points[0]) }
	a, b, c, d := toe(-1), toe(0), toe(1), toe(2)
	chord := r3.Norm(r3.Sub(d, a))
	way := r3.Norm(r3.Sub(b, a)) + r3.Norm(r3.Sub(c, b)) + r3.Norm(r3.Sub(d, c))
	if len(p.missing) > 0 || chord == 0 {
		return 0
	}
	// The footprints alternate beside the path: the middles of the steps lie on it.
	m1, m2, m3 := r3.Scale(0.5, r3.Add(a, b)), r3.Scale(0.5, r3.Add(b, c)), r3.Scale(0.5, r3.Add(c, d))
	u := r3.Unit(r3.Sub(m3, m1))
	out := r3.Norm(r3.Sub(r3.Sub(m2, m1), r3.Scale(r3.Dot(r3.Sub(m2, m1), u), u)))
	span := r3.Norm(r3.Sub(m3, m1))
	const bulgeU = 0.03 // m: feet beside the path
	out += p.input(plain("feet beside the path"), 0, bulgeU)
	seen := span * span / (8 * math.Max(out, 0.01))
	// What the footprints tell of the radius and what is usual, each by its weight.
	seenU := seen * bulgeU / math.Max(out, 0.01)
	w := 1 / (1 + sq(seenU/usualRadiusU))
	r := w*seen + (1-w)*p.input(plain("radius of the curve, by what is usual"), usualRadius, usualRadiusU)
	v := way / p.since(p.stamp(-1), p.stamp(2))
	lean, err := runup.BodyLean(v, r, 0.55*p.sheet.HeightM)
	if err != nil {
		p.miss("path", p.place, "%v", err)
	}
	return lean
}

func outsideCurve(p *probe) float64 {
	foot := func(by int) r3.Vec { return p.foot(p.stamp(by), p.measure.Points) }
	a, b, c := foot(-1), foot(0), foot(1)
	chord := r3.Sub(c, a)
	n := r3.Norm(chord)
	if n == 0 {
		return 0
	}
	// Outside is on the left of the way as a jumper has it whose take-off foot is
	// the right.
	out := r3.Vec{X: -chord.Y / n, Y: chord.X / n}
	return r3.Dot(r3.Sub(b, a), out) - p.bulge(n)
}

func footToPath(p *probe) float64 {
	heel, toe := p.space(p.place, p.measure.Points[0]), p.space(p.place, p.measure.Points[1])
	now, then := p.space(p.place, p.measure.Points[2]), p.space(p.stamp(-1), p.measure.Points[2])
	path, foot := r3.Sub(now, then), r3.Sub(toe, heel)
	// At its end the path has turned on by half of what the step turns.
	step := r3.Norm(path)
	r := p.input(plain("radius of the curve, by what is usual"), usualRadius, usualRadiusU)
	heading := math.Atan2(path.Y, path.X) - step/(2*r)
	return wrap((heading - math.Atan2(foot.Y, foot.X)) * 180 / math.Pi)
}

func offBar(p *probe) float64 {
	a, b := p.space2()
	d := r3.Sub(b, a)
	return math.Atan2(-d.X, -d.Y) * 180 / math.Pi
}

func edge(p *probe) float64 {
	m := p.measure.Points
	at := func(i int) r3.Vec { return p.space(p.place, m[i]) }
	out, ahead := r3.Sub(at(1), at(0)), r3.Unit(r3.Sub(at(3), at(2)))
	side := r3.Unit(r3.Vec{X: ahead.Y, Y: -ahead.X})
	const spinU = 5.0 // degrees: the disc spins between the two films' pictures
	return math.Atan2(r3.Dot(out, r3.Cross(side, ahead)), r3.Dot(out, side))*180/math.Pi + p.input(plain("the disc spins between the two films' pictures"), 0, spinU)
}

func twistRangeSeen(p *probe) float64 {
	path := p.path(p.stamp(-1), p.place, p.measure.Points...)
	if len(path) == 0 {
		return 0
	}
	from := incline(path[0].points)
	turn := func(v []r2.Vec) float64 { return wrap(incline(v) - from) }
	most, _ := greatest(path, turn)
	fewest, _ := least(path, turn)
	return most - fewest
}

func directionGap(p *probe) float64 {
	m := p.measure.Points
	at := func(i int) r3.Vec { return p.space(p.place, m[i]) }
	return wrap(azimuth(r3.Sub(at(1), at(0))) - azimuth(r3.Sub(at(3), at(2))))
}

func separation(p *probe) float64 {
	m := p.measure.Points
	at := func(i int) r3.Vec { return p.space(p.place, m[i]) }
	return wrap(facing(at(0), at(1)) - facing(at(2), at(3)))
}

// facingAt is where the measure's first two points face at a place.
func (p *probe) facingAt(place string) float64 {
	return facing(p.space(place, p.measure.Points[0]), p.space(place, p.measure.Points[1]))
}

func (p *probe) turnSince() float64 { return wrap(p.facingAt(p.place) - p.facingAt(p.stamp(-1))) }

func turnAfter(p *probe) float64 {
	return math.Abs(wrap(p.facingAt(p.stamp(1)) - p.facingAt(p.place)))
}

func armTrunk(p *probe) float64 {
	m := p.measure.Points
	elbow, shoulder := p.space(p.place, m[0]), p.space(p.place, m[1])
	down := r3.Sub(p.space(p.place, "mid.hip"), p.space(p.place, "mid.shoulder"))
	return body.IncludedSpace(elbow, shoulder, r3.Add(shoulder, down))
}

func bendForward(p *probe) float64 {
	m := p.measure.Points
	hip, shoulder := p.space(p.place, m[0]), p.space(p.place, m[1])
	return leanAlong(hip, shoulder, toward(facing(p.space(p.place, m[2]), p.space(p.place, m[3]))))
}

// extreme is the least (sign −1) or greatest (1) of a quantity over a way: of the
// parabola through the pictures around it, with what the errors of the picture
// there do to it.
func (p *probe) extreme(way []instance, names []string, sign float64, of func([]r3.Vec) float64) float64 {
	if len(way) == 0 {
		return 0
	}
	plane := make([]moment, len(way))
	for i, m := range way {
		plane[i] = moment{t: m.t, frame: i}
	}
	value := make([]float64, len(way))
	for i, m := range way {
		value[i] = sign * of(m.points)
	}
	top, at := greatestOf(plane, value)
	there := way[at.frame]
	return sign*top + of(p.exact(there.frame, names...)) - of(there.points)
}

func includedStrike(p *probe) float64 {
	const last = 0.12
	from, to := p.window(p.place, last)
	names := p.measure.Points
	return p.extreme(p.way(from, to, names...), names, -1, func(v []r3.Vec) float64 { return body.IncludedSpace(v[0], v[1], v[2]) })
}

func elbowOverLine(p *probe) float64 {
	a, b, ok := p.stretch(p.stamp(-1), p.place)
	if !ok {
		return 0
	}
	from := a + int(math.Ceil(0.6*float64(b-a)))
	names := p.measure.Points // shoulder, other shoulder, elbow
	return p.extreme(p.way(from, b, names...), names, -1, func(v []r3.Vec) float64 {
		line, arm := r3.Unit(r3.Sub(v[0], v[1])), r3.Unit(r3.Sub(v[2], v[0]))
		up := r3.Unit(r3.Sub(r3.Vec{Z: 1}, r3.Scale(line.Z, line)))
		return math.Asin(math.Max(-1, math.Min(1, r3.Dot(arm, up)))) * 180 / math.Pi
	})
}

func twistRange(p *probe) float64 {
	a, b, ok := p.stretch(p.stamp(-1), p.place)
	if !ok {
		return 0
	}
	names := p.measure.Points
	way := p.way(a, b, names...)
	if len(way) == 0 {
		return 0
	}
	about := facing(way[0].points[0], way[0].points[1])
	face := func(v []r3.Vec) float64 { return wrap(facing(v[0], v[1]) - about) }
	return p.extreme(way, names, 1, face) - p.extreme(way, names, -1, face)
}

func sweep(p *probe) float64 {
	a, b, ok := p.stretch(p.stamp(-1), p.place)
	if !ok {
		return 0
	}
	n := float64(b - a)
	names := p.measure.Points // push ankle, pivot toe, pivot heel
	return p.lengthSpace(p.extreme(p.way(a+int(0.35*n), a+int(math.Ceil(0.7*n)), names...), names, 1, func(v []r3.Vec) float64 {
		ball := r3.Add(v[1], r3.Scale(ballShare, r3.Sub(v[2], v[1])))
		return math.Hypot(v[0].X-ball.X, v[0].Y-ball.Y)
	}))
}

// passes is the time, s of the film, at which a quantity that grows first passes
// a value on a way, with the way's frame before.
func passes(way []instance, value float64, of func([]r3.Vec) float64) (float64, bool) {
	for i := 1; i < len(way); i++ {
		a, b := of(way[i-1].points), of(way[i].points)
		if a < value && b >= value {
			return way[i-1].t + (value-a)/(b-a)*(way[i].t-way[i-1].t), true
		}
	}
	return 0, false
}

// PassU is how well a passing is known that is read off noisy directions, s.
const PassU = 0.012

func opensAfter(p *probe) float64 {
	a, b, ok := p.stretch(p.stamp(-1), p.place)
	if !ok {
		return 0
	}
	way := p.way(a, min(b+int(0.1/p.sheet.Film.Interval(b)), p.sheet.Film.Len()-1), p.measure.Points...) // hips; shoulder, elbow, wrist
	if len(way) == 0 {
		return 0
	}
	elbow := func(v []r3.Vec) float64 { return body.IncludedSpace(v[2], v[3], v[4]) }
	shut := elbow(way[0].points)
	round, okR := passes(way, 150, func(v []r3.Vec) float64 { return 120 + wrap(facing(v[0], v[1])-120) })
	open, okO := passes(way, shut+15, elbow)
	if !okR || !okO {
		p.miss("path", p.place, "the hips do not come round, or the elbow does not open, before %s", p.key(p.place).Name)
		return 0
	}
	return p.real(open - round + p.input(plain("directions of hips and arm"), 0, PassU))
}

// orbitCentre is the middle of an orbit on the ground plan, and how well it is
// known, m.
type orbitCentre struct {
	at r3.Vec
	u  float64
	ok bool
}

// The box about some dozens of noisy points, and one moved on with hips that are
// known on a few pictures, m.
const (
	boxU   = 0.03
	movedU = 0.07
)

// turnCentre is the middle of the implement's orbit in the turn of a frame: of
// the box about its path between two passes of the back. The release's is the
// last turn's, moved on with the hips.
func (p *probe) turnCentre(frame int) (r3.Vec, bool) {
	c, known := p.found.centres[frame]
	if !known {
		c = p.findCentre(frame)
		p.found.centres[frame] = c
	}
	if !c.ok {
		return r3.Vec{}, false
	}
	return p.blur(c.at, source{what: "centre of the orbit"}, c.u), true
}

func (p *probe) findCentre(frame int) orbitCentre {
	zeros := p.passes()
	if len(zeros) < 2 {
		p.miss("stamp", "zero", "stamp two passes of the back: the turn's centre lies between them")
		return orbitCentre{}
	}
	i := 1
	for i < len(zeros)-1 && frame > zeros[i] {
		i++
	}
	way := p.way(zeros[i-1], zeros[i], p.implement())
	if len(way) == 0 {
		return orbitCentre{}
	}
	low, high := way[0].points[0], way[0].points[0]
	for _, m := range way {
		q := m.points[0]
		low, high = r3.Vec{X: math.Min(low.X, q.X), Y: math.Min(low.Y, q.Y)}, r3.Vec{X: math.Max(high.X, q.X), Y: math.Max(high.Y, q.Y)}
	}
	out := orbitCentre{at: r3.Scale(0.5, r3.Add(low, high)), u: boxU, ok: true}
	if frame > zeros[len(zeros)-1] {
		now, okN := p.sheet.hips(frame)
		var mean r3.Vec
		n := 0.0
		for f := zeros[i-1]; f <= zeros[i]; f++ {
			if v, ok := p.sheet.hips(f); ok {
				mean, n = r3.Add(mean, v), n+1
			}
		}
		if okN && n > 0 {
			out.at = r3.Add(out.at, p.world(r3.Sub(now, r3.Scale(1/n, mean))))
		}
		out.u = movedU
	}
	out.at.Z = 0
	return out
}

// passes are the frames at which the implement passes the back, from the entry
// on.
func (p *probe) passes() []int {
	var zeros []int
	for _, k := range p.sheet.Event.Keys {
		if base, _, _ := strings.Cut(k.ID, "#"); base == "entry-0" || base == "zero" {
			if f, ok := p.sheet.Stamps[k.ID]; ok {
				zeros = append(zeros, f)
			}
		}
	}
	slices.Sort(zeros)
	return zeros
}

// hips is the middle of the hips in space on a picture.
func (s *Sheet) hips(frame int) (r3.Vec, bool) {
	a, okA := s.spots[frame]["hip.L"]
	b, okB := s.spots[frame]["hip.R"]
	return r3.Scale(0.5, r3.Add(a.At, b.At)), okA && okB
}

// implement is the measure's point that is no part of the body.
func (p *probe) implement() string {
	for _, name := range p.measure.Points {
		if strings.HasPrefix(name, "implement") {
			return name
		}
	}
	return "implement"
}

// ballAzimuth is the implement's azimuth about the turn's centre at a place.
func (p *probe) ballAzimuth(place string) float64 {
	f, ok := p.frame(place)
	if !ok {
		return 0
	}
	centre, ok := p.turnCentre(f)
	if !ok {
		return 0
	}
	return azimuth(r3.Sub(p.ballNow(place), centre))
}

// ballNow is the implement at the instant of a place: half a picture before the
// one that first shows a change.
func (p *probe) ballNow(place string) r3.Vec {
	f, ok := p.frame(place)
	if !ok {
		return r3.Vec{}
	}
	ball := p.implement()
	v := p.spaceAt(place, f, ball, false)
	was, ok := p.sheet.spots[f-1][body.Landmark(ball)]
	if !ok || len(p.missing) > 0 {
		return v
	}
	back := p.instant(place) - p.sheet.Film.At(f)
	step := r3.Sub(v, p.world(was.At))
	return r3.Add(v, r3.Scale(back/p.sheet.Film.Interval(f), step))
}

func orbitAzimuthSpace(p *probe) float64 {
	return p.round(p.ballAzimuth(p.place))
}

func behindBall(p *probe) float64 {
	m := p.measure.Points
	return wrap(facing(p.space(p.place, m[0]), p.space(p.place, m[1])) - p.ballAzimuth(p.place))
}

func leadBall(p *probe) float64 {
	a, b, ok := p.stretch(p.stamp(-1), p.place)
	if !ok {
		return 0
	}
	centre, ok := p.turnCentre(b)
	names := p.measure.Points // shoulders, implement
	way := p.way(max(0, a-int(0.1/p.sheet.Film.Interval(a))), b, names...)
	if !ok || len(way) == 0 {
		return 0
	}
	ball := func(v []r3.Vec) float64 { return 270 + wrap(azimuth(r3.Sub(v[2], centre))-270) }
	at := -1
	for i := 1; i < len(way); i++ {
		if ball(way[i-1].points) < 270 && ball(way[i].points) >= 270 {
			at = i
			if 270-ball(way[i-1].points) < ball(way[i].points)-270 {
				at = i - 1
			}
			break
		}
	}
	if at < 0 {
		p.miss("path", p.place, "the implement does not pass 270° before %s", p.key(p.place).Name)
		return 0
	}
	then, now := p.exact(way[at].frame, names...), p.exact(b, names...)
	turned := wrap(facing(now[0], now[1]) - facing(then[0], then[1]))
	round := wrap(azimuth(r3.Sub(now[2], centre)) - azimuth(r3.Sub(then[2], centre)))
	return turned - round
}

func counter(p *probe) float64 {
	m := p.measure.Points // feet, neck, implement
	feet := r3.Scale(0.5, r3.Add(p.space(p.place, m[0]), p.space(p.place, m[1])))
	return leanAlong(feet, p.space(p.place, m[2]), r3.Scale(-1, toward(p.ballAzimuth(p.place))))
}

func bendToBall(p *probe) float64 {
	m := p.measure.Points // feet, hips, neck, implement
	feet := r3.Scale(0.5, r3.Add(p.space(p.place, m[0]), p.space(p.place, m[1])))
	hip, neck := p.space(p.place, m[2]), p.space(p.place, m[3])
	ball := toward(p.ballAzimuth(p.place))
	return leanAlong(hip, neck, ball) - leanAlong(feet, hip, ball)
}

// swaySpace compares the mean side of a point, from foot off to here, with that
// of the turn before.
func swaySpace(p *probe) float64 {
	mean := func(from, to string) float64 {
		a, b, ok := p.stretch(from, to)
		if !ok {
			return 0
		}
		way := p.way(a, b, p.measure.Points[0])
		sum := 0.0
		for _, m := range way {
			sum += m.points[0].Y / float64(len(way))
		}
		return sum + p.input(source{what: "mean place at {at}", at: to}, 0, 0.01)
	}
	from, to, before, ok := p.turnsBack()
	if !ok {
		return 0
	}
	return p.lengthSpace(math.Abs(mean(from, to) - mean(before[0], before[1])))
}

// turnsBack are the stretch from the stamp before to here, and the same one a
// turn earlier.
func (p *probe) turnsBack() (from, to string, before [2]string, ok bool) {
	if p.index() < 3 {
		p.miss("stamp", p.place, "the first turn has none before it")
		return "", "", before, false
	}
	return p.stamp(-1), p.place, [2]string{p.stamp(-3), p.stamp(-2)}, true
}

// seenNear reports whether a landmark is known in space on a picture.
func (p *probe) seenNear(frame int, l body.Landmark) bool {
	_, ok := p.sheet.spots[frame][l]
	return ok
}

// orbitEnd is the azimuth of the implement's lowest or highest point round a
// place: of the parabola through its heights there.
func (p *probe) orbitEnd(sign float64) float64 {
	f, ok := p.frame(p.place)
	if !ok {
		return 0
	}
	centre, ok := p.endCentre(f)
	if !ok {
		return 0
	}
	at := azimuth(r3.Sub(p.spaceAt(p.place, f, p.implement(), false), centre))
	// At its end the implement's height hardly changes: a picture or two earlier
	// or later look alike.
	const flatU = 5.0
	return p.round(at + p.input(plain("height hardly changes there"), 0, flatU))
}

// endCentre is the centre of the orbit at a low or high point: that of the turn
// it belongs to, or, in the winds, the middle of the hips.
func (p *probe) endCentre(f int) (r3.Vec, bool) {
	if entry, ok := p.sheet.Stamps["entry-0"]; ok && f < entry {
		return p.space(p.place, "mid.hip"), true
	}
	// The lowest point begins a turn, though it may come before the back.
	zeros := p.passes()
	if len(zeros) == 0 {
		return p.turnCentre(f)
	}
	on := f + int(0.15/p.sheet.Film.Interval(f))
	return p.turnCentre(max(f, min(on, zeros[len(zeros)-1])))
}

func orbitSlopeSpace(p *probe) float64 {
	f, ok := p.frame(p.place)
	if !ok {
		return 0
	}
	ball := p.implement()
	way := p.way(max(0, f-int(turnTime/p.sheet.Film.Interval(f))), f, ball)
	if len(way) == 0 {
		return 0
	}
	high := way[len(way)-1]
	for i := len(way) - 1; i >= 0; i-- { // back to the top of this turn
		if z := way[i].points[0].Z; z > high.points[0].Z {
			high = way[i]
		} else if z < high.points[0].Z-0.3 && high.frame < f {
			break
		}
	}
	a, b := p.exact(f, ball)[0], p.exact(high.frame, ball)[0]
	const noiseU = 0.8 // degrees: the highest of noisy pictures is too high
	return steep(b, a) + p.input(plain("top of the path"), 0, noiseU)
}

// along are velocity and acceleration of the implement at a place, m/s and m/s²:
// of the parabola through the pictures within a time about it.
func (p *probe) along(within float64) (v, a r3.Vec) {
	f, ok := p.frame(p.place)
	when := p.instant(p.place)
	if !ok {
		return v, a
	}
	n := max(2, int(math.Round(within/p.sheet.Film.Interval(f))))
	way := p.way(max(0, f-n), min(p.sheet.Film.Len()-1, f+n-1), p.implement())
	if len(way) == 0 {
		return v, a
	}
	fit := fitted(way, when)
	// Each picture's error moves the slope as its distance from the middle.
	sum := 0.0
	for _, m := range way {
		sum += sq(m.t - when)
	}
	l := body.Landmark(p.implement())
	u := r3.Norm(p.sheet.spots[f][l].U()) / math.Sqrt(3)
	scale := p.real(1)
	v = r3.Scale(1/scale, p.blur(fit[1], source{what: "placing the {of}", of: l}, u/math.Sqrt(sum)))
	return v, r3.Scale(1/(scale*scale), fit[2])
}

func orbitPullSpace(p *probe) float64 {
	mass := p.sheet.Event.Masses[string(p.sheet.Sex)]
	if mass == 0 {
		p.miss("mass", "mass", "say how heavy the implement is")
		return 0
	}
	_, a := p.along(bendReach)
	const bendU = 0.12 // of the acceleration
	pull := mass * r3.Norm(r3.Add(a, r3.Vec{Z: flight.G}))
	return pull * (1 + p.input(plain("bend of the path"), 0, bendU))
}

// loose is place and velocity of an implement as it is let go, m and m/s.
type loose struct{ at, v r3.Vec }

func (l loose) elevation() float64 {
	return math.Atan2(l.v.Z, math.Hypot(l.v.X, l.v.Y)) * 180 / math.Pi
}

// released fits free fall to the implement's first pictures of flight.
func (p *probe) released() loose {
	f, ok := p.frame("release")
	at := p.instant("release")
	if !ok {
		return loose{v: r3.Vec{X: 1}}
	}
	var way []instance
	l := body.Landmark("implement")
	for i := f; i < p.sheet.Film.Len() && len(way) < mostFlight; i++ {
		if len(way) >= leastFlight && p.sheet.Film.At(i)-p.sheet.Film.At(f) > longFlight {
			break
		}
		if len(way) < leastFlight {
			p.ask("release", i, l)
		}
		fix, ok := p.sheet.spots[i][l]
		if !ok {
			break
		}
		v := p.world(fix.At)
		t := p.real(p.sheet.Film.At(i) - at)
		v.Z += flight.G * t * t / 2
		way = append(way, instance{t: t, frame: i, points: []r3.Vec{v}})
	}
	if len(way) < leastFlight {
		p.miss("landmark", "implement@release", "place the implement on %d pictures in a row from the release on, on both films", leastFlight)
		return loose{v: r3.Vec{X: 1}}
	}
	line := straight(way)
	mean, spread := 0.0, 0.0
	for _, m := range way {
		mean += m.t / float64(len(way))
	}
	var u r3.Vec
	for _, m := range way {
		spread += sq(m.t - mean)
		u = r3.Add(u, r3.Scale(1/float64(len(way)), p.sheet.spots[m.frame][l].U()))
	}
	n := math.Sqrt(float64(len(way)))
	gate := func(s string, v, u r3.Vec) r3.Vec { return r3.Add(v, p.shift3(source{what: s}, u)) }
	// The line's middle and its slope are known independently of each other.
	middle := gate("placing the implement in flight", r3.Add(line[0], r3.Scale(mean, line[1])), r3.Scale(1/n, u))
	v := gate("way of the implement in flight", line[1], r3.Scale(1/math.Sqrt(spread), u))
	// Where the cameras stood moves all of its places alike, and stretches the way.
	v = r3.Scale(1+p.input(plain("known points"), 0, worldU), v)
	return loose{r3.Sub(middle, r3.Scale(mean, v)), v}
}

// worldU is how well the known points tell lengths, as a share.
const worldU = 0.01

func attackSpace(p *probe) float64 {
	m := p.measure.Points // back, front
	return steep(p.space(p.place, m[1]), p.space(p.place, m[0])) - p.released().elevation()
}

func yaw(p *probe) float64 {
	m := p.measure.Points
	shaft := r3.Sub(p.space(p.place, m[1]), p.space(p.place, m[0]))
	v := p.released().v
	return wrap(math.Atan2(shaft.Y, shaft.X)*180/math.Pi - math.Atan2(v.Y, v.X)*180/math.Pi)
}

// A wobble is read over so many seconds of flight; half a swing takes about the
// least.
const (
	longWobble  = 0.15
	leastWobble = 0.08
)

func wobble(p *probe) float64 {
	f, ok := p.frame(p.place)
	if !ok {
		return 0
	}
	names := p.measure.Points // back, front
	to, end := f, f
	for end < p.sheet.Film.Len()-1 && p.sheet.Film.At(end)-p.sheet.Film.At(f) < longWobble {
		end++
	}
	for to < end && p.seenNear(to+1, body.Landmark(names[0])) && p.seenNear(to+1, body.Landmark(names[1])) {
		to++
	}
	if p.sheet.Film.At(to)-p.sheet.Film.At(f) < leastWobble {
		for _, name := range names {
			p.wanted = append(p.wanted, Followed{body.Landmark(name), f, end, p.measure.Name})
		}
		p.miss("path", p.place, "follow both edges for %.2f s or more of flight, on both films", leastWobble)
		return 0
	}
	way := p.way(f, to, names...)
	if len(way) == 0 {
		return 0
	}
	high, low := p.extreme(way, names, 1, tip), p.extreme(way, names, -1, tip)
	return (high - low) / 2
}

func tip(v []r3.Vec) float64 { return steep(v[1], v[0]) }

func landAzimuth(p *probe) float64 {
	out := p.released()
	t := (out.v.Z + math.Sqrt(math.Max(0, out.v.Z*out.v.Z+2*flight.G*out.at.Z))) / flight.G
	return p.about(azimuth(r3.Add(out.at, r3.Scale(t, out.v))))
}

// fitted is place, velocity and acceleration of the first point of a way at an
// instant: of the parabola through all its pictures.
func fitted(way []instance, when float64) [3]r3.Vec {
	a, b := mat.NewDense(len(way), 3, nil), mat.NewDense(len(way), 3, nil)
	for i, m := range way {
		d := m.t - when
		q := m.points[0]
		a.SetRow(i, []float64{1, d, d * d / 2})
		b.SetRow(i, []float64{q.X, q.Y, q.Z})
	}
	return solved(a, b)
}

// straight is place at the instant 0 and velocity of the line through a way.
func straight(way []instance) [3]r3.Vec {
	a, b := mat.NewDense(len(way), 2, nil), mat.NewDense(len(way), 3, nil)
	for i, m := range way {
		q := m.points[0]
		a.SetRow(i, []float64{1, m.t})
		b.SetRow(i, []float64{q.X, q.Y, q.Z})
	}
	return solved(a, b)
}

func solved(a, b *mat.Dense) (out [3]r3.Vec) {
	var c mat.Dense
	if c.Solve(a, b) != nil {
		return out
	}
	rows, _ := c.Dims()
	for i := range rows {
		out[i] = r3.Vec{X: c.At(i, 0), Y: c.At(i, 1), Z: c.At(i, 2)}
	}
	return out
}
