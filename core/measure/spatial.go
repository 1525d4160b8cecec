package measure

import (
	"math"

	"gonum.org/v1/gonum/spatial/r2"
	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
)

// spatialKinds are the kinds in space: of two films from different sides, and of feet
// on the ground in one. Directions are azimuths: 0° = back of the circle, 180° =
// the throw or the run, growing as the athlete turns.
var spatialKinds = map[string]kind{
	"included":        {space: includedSpace},
	"tilt":            {formula: "rise of the first point over the second, from the horizontal, in space", space: func(p *evaluation) float64 { return steep(p.space2()) }},
	"tilt-gap":        {formula: "rise of the first point over the second − of the third over the fourth, from the horizontal, in space", space: tiltGapSpace},
	"steep":           {formula: "inclination of first→second point, 0° = level, in space", space: func(p *evaluation) float64 { a, b := p.space2(); return steep(b, a) }},
	"lean":            {formula: "lean of first→second point from the vertical, toward the throw", space: func(p *evaluation) float64 { a, b := p.space2(); return leanAlong(a, b, r3.Vec{X: 1}) }},
	"apart":           {space: func(p *evaluation) float64 { a, b := p.space2(); return p.lengthSpace(r3.Norm(r3.Sub(a, b))) }},
	"apart-level":     {formula: "distance between the two points on the ground", space: func(p *evaluation) float64 { a, b := p.floor2(); return p.lengthSpace(r3.Norm(r3.Sub(a, b))) }},
	"ahead":           {formula: "how far the first point is ahead of the second toward the throw", space: func(p *evaluation) float64 { a, b := p.space2(); return p.lengthSpace(a.X - b.X) }},
	"above":           {space: func(p *evaluation) float64 { a, b := p.space2(); return p.lengthSpace(a.Z - b.Z) }},
	"ahead-of-middle": {formula: "how far the first point is ahead of the middle of the ball of one foot and the other ankle", compute: aheadOfMiddle, space: aheadOfMiddleSpace},
	"behind-middle":   {formula: "how far the first point is behind the middle of the other two", compute: behindMiddle, space: behindMiddleSpace},
	"foot-travel":     {formula: "way of the ball of the foot toward the throw since the key position before", everyStamp: true, back: 1, space: footTravel},
	"before-line":     {space: func(p *evaluation) float64 { return -p.flat(p.keyID, p.measure.Points[0]).X }},
	"needed-lean":     {formula: "tan of the lean = v²(r − h·sin lean) ÷ (g·r²), the radius r from the circle through the footprints, v along them, h = 0.55 of height", everyStamp: true, back: 1, on: 2, space: neededLean},
	"outside-curve":   {formula: "how far the ball of the foot is outside the arc from the footprint before to the next", everyStamp: true, back: 1, on: 1, space: outsideCurve},
	"foot-to-path":    {formula: "direction of the path − direction of the foot, toes away from the curve's inside positive", everyStamp: true, back: 1, space: footToPath},
	"off-bar":         {formula: "direction of the thigh on the ground plan, from along the bar, away from it positive", space: offBar},
	"aside":           {formula: "how far the point is to the free side of the line through the middle along the throw", space: func(p *evaluation) float64 { return p.lengthSpace(p.foot(p.keyID, p.measure.Points).Y) }},
	"aside-of":        {formula: "how far the first point is to the free side of the second, square to the throw", compute: asideOf, space: func(p *evaluation) float64 { a, b := p.floor2(); return p.lengthSpace(a.Y - b.Y) }},
	"aside-apart":     {formula: "distance of the points square to the throw", compute: func(p *evaluation) float64 { return math.Abs(asideOf(p)) }, space: func(p *evaluation) float64 { a, b := p.floor2(); return p.lengthSpace(math.Abs(a.Y - b.Y)) }},
	"aside-since":     {formula: "how far the first point now is to the free side of where the second was at the key position before", everyStamp: true, back: 1, compute: asideSince, space: func(p *evaluation) float64 { now, then := p.since2(); return p.lengthSpace(now.Y - then.Y) }},
	"ahead-since":     {formula: "how far the first point now is ahead of where the second was at the key position before", everyStamp: true, back: 1, compute: aheadSince, space: func(p *evaluation) float64 { now, then := p.since2(); return p.lengthSpace(now.X - then.X) }},
	"behind-since":    {formula: "how far the first point now is behind where the second was at the key position before", everyStamp: true, back: 1, compute: func(p *evaluation) float64 { return -aheadSince(p) }, space: func(p *evaluation) float64 { now, then := p.since2(); return p.lengthSpace(then.X - now.X) }},
	"direction":       {formula: "azimuth from the first point to the second", space: direction},
	"direction-gap":   {formula: "azimuth from the first point to the second − from the third to the fourth", space: directionGap},
	"facing":          {formula: "azimuth of the normal, out of the athlete's front, of the line through the points", space: func(p *evaluation) float64 { a, b := p.space2(); return p.about(facing(a, b)) }},
	"separation":      {formula: "facing of the hips − facing of the shoulders: positive when the hips are ahead in the direction of turning", space: separation},
	"turned":          {formula: "360° + change of the facing since the key position before", everyStamp: true, back: 1, space: func(p *evaluation) float64 { return 360 + p.turnSince() }},
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
	"above-sector":    {formula: "height of the first point above the second, as the first passes 180° round the middle of the hips", back: 1, space: aboveSector},
	"lead-ball":       {formula: "how far the shoulders turned − how far the implement went round, from its passing 270°", back: 1, space: leadBall},
	"counter":         {formula: "lean of the line from the middle of the first two points to the third, away from the implement", space: counter},
	"bend-to-ball":    {formula: "lean of second→third point − lean of the feet's middle→second, toward the implement", space: bendToBall},
	"orbit-azimuth":   {formula: "azimuth of the implement about the middle of its orbit over the turn", space: orbitAzimuthSpace},
	"orbit-low":       {formula: "azimuth of the implement at its lowest, about the middle of its orbit", space: func(p *evaluation) float64 { return p.orbitEnd(-1) }},
	"orbit-high":      {formula: "azimuth of the implement at its highest, about the middle of its orbit", space: func(p *evaluation) float64 { return p.orbitEnd(1) }},
	"orbit-slope":     {formula: "inclination of the line from the lowest point of the path to the highest before it", space: orbitSlopeSpace},
	"orbit-speed":     {formula: "speed along the parabola through the places in space around", space: func(p *evaluation) float64 { v, _ := p.along(reach); return r3.Norm(v) }},
	"orbit-pull":      {formula: "mass · (acceleration along the path in space, with gravity)", space: orbitPullSpace},
	"release-speed":   {space: func(p *evaluation) float64 { return r3.Norm(p.released().v) }},
	"release-angle":   {space: func(p *evaluation) float64 { return p.released().elevation() }},
	"release-height":  {formula: "height of the line through the first pictures of flight, gravity taken off, over the ground", space: func(p *evaluation) float64 { return p.released().at.Z }},
	"attack":          {formula: "inclination of the axis in space − elevation of the path", space: attackSpace},
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
func (p *evaluation) about(deg float64) float64 {
	m := p.measure
	if m.Around != 0 {
		return m.Around + wrap(deg-m.Around)
	}
	return wrap(deg)
}

// points of the measure in space.

func (p *evaluation) space2() (a, b r3.Vec) {
	return p.space(p.keyID, p.measure.Points[0]), p.space(p.keyID, p.measure.Points[1])
}

// floor2 are two points seen from above; where feet stand alone, one film is
// enough.
func (p *evaluation) floor2() (a, b r3.Vec) {
	return p.flat(p.keyID, p.measure.Points[0]), p.flat(p.keyID, p.measure.Points[1])
}

// flat is a point of the ground plan.
func (p *evaluation) flat(keyID, name string) r3.Vec {
	if p.sheet.reconstructed != nil && p.hasMid(name) {
		v := p.space(keyID, name)
		v.Z = 0
		return v
	}
	v := p.floor(keyID, name)
	return r3.Vec{X: v.X, Y: v.Y}
}

func (p *evaluation) hasMid(name string) bool { _, mid := cutMid(name); return mid }

func (p *evaluation) since2() (now, then r3.Vec) {
	return p.flat(p.keyID, p.measure.Points[0]), p.flat(p.stamp(-1), p.measure.Points[1])
}

// foot is the ball of a foot: between its toe and its heel.
func (p *evaluation) foot(keyID string, toeHeel []string) r3.Vec {
	toe, heel := p.flat(keyID, toeHeel[0]), p.flat(keyID, toeHeel[1])
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
func (p *evaluation) baseM() float64 {
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
func (p *evaluation) lengthSpace(m float64) float64 {
	if p.measure.Base == "" {
		return m
	}
	return 100 * m / p.baseM()
}

func includedSpace(p *evaluation) float64 {
	m := p.measure.Points
	a, b, c := p.space(p.keyID, m[0]), p.space(p.keyID, m[1]), p.space(p.keyID, m[2])
	p.arcSpace(m[1], m[0], m[2])
	return body.IncludedSpace(a, b, c)
}

// arcSpace draws an angle in space where the film shows it.
func (p *evaluation) arcSpace(vertex, from, to string) {
	if p.shift != nil {
		return
	}
	f, _ := p.frame(p.keyID)
	at := func(name string) (Observation, bool) {
		l, err := p.landmark(p.keyID, name)
		if err != nil {
			return Observation{}, false
		}
		m, ok := p.sheet.Observations[f][l]
		return m, ok
	}
	v, okV := at(vertex)
	a, okA := at(from)
	b, okB := at(to)
	if okV && okA && okB {
		p.drawings = append(p.drawings, Overlay{Kind: "arc", Frame: f, Vertex: &v.At, From: a.At, To: b.At})
	}
}

func aheadOfMiddle(p *evaluation) float64 {
	m := p.measure.Points
	a, toe, heel, other := p.point(p.keyID, m[0]), p.point(p.keyID, m[1]), p.point(p.keyID, m[2]), p.point(p.keyID, m[3])
	middle := (toe.X + ballShare*(heel.X-toe.X) + other.X) / 2
	p.segment(p.keyID, r2.Vec{X: middle, Y: a.Y}, a)
	return p.length(a.X - middle)
}

func aheadOfMiddleSpace(p *evaluation) float64 {
	m := p.measure.Points
	a, ball, other := p.space(p.keyID, m[0]), p.foot(p.keyID, m[1:3]), p.space(p.keyID, m[3])
	return p.lengthSpace(a.X - (ball.X+other.X)/2)
}

func behindMiddle(p *evaluation) float64 {
	m := p.measure.Points
	a, b, c := p.point(p.keyID, m[0]), p.point(p.keyID, m[1]), p.point(p.keyID, m[2])
	p.segment(p.keyID, r2.Vec{X: (b.X + c.X) / 2, Y: a.Y}, a)
	return p.length((b.X+c.X)/2 - a.X)
}

func behindMiddleSpace(p *evaluation) float64 {
	m := p.measure.Points
	a, b, c := p.space(p.keyID, m[0]), p.space(p.keyID, m[1]), p.space(p.keyID, m[2])
	return p.lengthSpace((b.X+c.X)/2 - a.X)
}

func footTravel(p *evaluation) float64 {
	return p.lengthSpace(p.foot(p.keyID, p.measure.Points).X - p.foot(p.stamp(-1), p.measure.Points).X)
}

func twistRangeSeen(p *evaluation) float64 {
	c := p.path(p.stamp(-1), p.keyID, p.measure.Points...)
	if len(c.at) == 0 {
		return 0
	}
	from := incline(c.at[0].points)
	turn := func(v []r2.Vec) float64 { return wrap(incline(v) - from) }
	times, v := c.times(), c.along(turn)
	most, _ := greatest(times, v, reachTurn)
	fewest, _ := least(times, v, reachTurn)
	const widestU = 1.5 // degrees: the widest of noisy pictures is too wide
	return p.through(c, turn, most.plus(-1, fewest), 0) + p.input(plain("widest of the pictures"), 0, widestU)
}

func directionGap(p *evaluation) float64 {
	m := p.measure.Points
	at := func(i int) r3.Vec { return p.space(p.keyID, m[i]) }
	return wrap(azimuth(r3.Sub(at(1), at(0))) - azimuth(r3.Sub(at(3), at(2))))
}

func tiltGapSpace(p *evaluation) float64 {
	m := p.measure.Points
	at := func(i int) r3.Vec { return p.space(p.keyID, m[i]) }
	return steep(at(0), at(1)) - steep(at(2), at(3))
}

func separation(p *evaluation) float64 {
	m := p.measure.Points
	at := func(i int) r3.Vec { return p.space(p.keyID, m[i]) }
	return wrap(facing(at(0), at(1)) - facing(at(2), at(3)))
}

// facingAt is where the measure's first two points face at a place.
func (p *evaluation) facingAt(keyID string) float64 {
	return facing(p.space(keyID, p.measure.Points[0]), p.space(keyID, p.measure.Points[1]))
}

func (p *evaluation) turnSince() float64 { return wrap(p.facingAt(p.keyID) - p.facingAt(p.stamp(-1))) }

func turnAfter(p *evaluation) float64 {
	return math.Abs(wrap(p.facingAt(p.stamp(1)) - p.facingAt(p.keyID)))
}

func armTrunk(p *evaluation) float64 {
	m := p.measure.Points
	elbow, shoulder := p.space(p.keyID, m[0]), p.space(p.keyID, m[1])
	down := r3.Sub(p.space(p.keyID, "mid.hip"), p.space(p.keyID, "mid.shoulder"))
	return body.IncludedSpace(elbow, shoulder, r3.Add(shoulder, down))
}

func bendForward(p *evaluation) float64 {
	m := p.measure.Points
	hip, shoulder := p.space(p.keyID, m[0]), p.space(p.keyID, m[1])
	return leanAlong(hip, shoulder, toward(facing(p.space(p.keyID, m[2]), p.space(p.keyID, m[3]))))
}

// extreme is the least (sign −1) or greatest (1) of a quantity over a way: of the
// parabola through the pictures around it, with what the errors of the picture
// there do to it.
func (p *evaluation) extreme(way []bodyAt, names []string, sign float64, of func([]r3.Vec) float64) float64 {
	if len(way) == 0 {
		return 0
	}
	times, value := make([]float64, len(way)), make([]float64, len(way))
	for i, m := range way {
		times[i], value[i] = m.t, sign*of(m.points)
	}
	top, at := greatest(times, value, reach)
	return sign*top.value + p.slip(way[at], names, of)
}

// slip is what the errors of one picture of a way do to a quantity.
func (p *evaluation) slip(m bodyAt, names []string, of func([]r3.Vec) float64) float64 {
	return of(p.exact(m.frame, names...)) - of(m.points)
}

func includedStrike(p *evaluation) float64 {
	const last = 0.12
	from, to := p.window(p.keyID, last)
	names := p.measure.Points
	return p.extreme(p.course(from, to, names...), names, -1, func(v []r3.Vec) float64 { return body.IncludedSpace(v[0], v[1], v[2]) })
}

func elbowOverLine(p *evaluation) float64 {
	a, b, ok := p.stretch(p.stamp(-1), p.keyID)
	if !ok {
		return 0
	}
	begin := p.instant(p.stamp(-1)) + 0.6*p.since(p.stamp(-1), p.keyID)
	from := a
	for from+1 < b && p.sheet.Timeline.At(from+1) <= begin {
		from++
	}
	names := p.measure.Points // shoulder, other shoulder, elbow
	over := func(v []r3.Vec) float64 {
		line, arm := r3.Unit(r3.Sub(v[0], v[1])), r3.Unit(r3.Sub(v[2], v[0]))
		up := r3.Unit(r3.Sub(r3.Vec{Z: 1}, r3.Scale(line.Z, line)))
		return math.Asin(math.Max(-1, math.Min(1, r3.Dot(arm, up)))) * 180 / math.Pi
	}
	way := p.course(from, b, names...)
	if len(way) < 2 {
		return 0
	}
	// At its ends the angle may change fast: there it is read at the instant, not
	// on the picture after it.
	low := p.extreme(way[1:], names, -1, over)
	first, second := over(way[0].points), over(way[1].points)
	slope := (second - first) / (way[1].t - way[0].t)
	edge := first + slope*(begin-way[0].t)
	off := p.input(plain("instants between which the elbow is looked at"), 0, lateU*p.sheet.Timeline.Interval(b)*math.Abs(slope))
	if edge < low {
		return edge + p.slip(way[0], names, over) + off
	}
	return low + off
}

func twistRange(p *evaluation) float64 {
	a, b, ok := p.stretch(p.stamp(-1), p.keyID)
	if !ok {
		return 0
	}
	names := p.measure.Points
	way := p.course(a, b, names...)
	if len(way) == 0 {
		return 0
	}
	about := facing(way[0].points[0], way[0].points[1])
	face := func(v []r3.Vec) float64 { return wrap(facing(v[0], v[1]) - about) }
	return p.extreme(way, names, 1, face) - p.extreme(way, names, -1, face)
}

func sweep(p *evaluation) float64 {
	a, b, ok := p.stretch(p.stamp(-1), p.keyID)
	if !ok {
		return 0
	}
	n := float64(b - a)
	names := p.measure.Points // push ankle, pivot toe, pivot heel
	return p.lengthSpace(p.extreme(p.course(a+int(0.35*n), a+int(math.Ceil(0.7*n)), names...), names, 1, func(v []r3.Vec) float64 {
		ball := r3.Add(v[1], r3.Scale(ballShare, r3.Sub(v[2], v[1])))
		return math.Hypot(v[0].X-ball.X, v[0].Y-ball.Y)
	}))
}

// passes is the time, s of the film, at which a quantity that grows first passes
// a value on a way, with the way's frame before.
func passes(way []bodyAt, value float64, of func([]r3.Vec) float64) (float64, bool) {
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

func opensAfter(p *evaluation) float64 {
	a, b, ok := p.stretch(p.stamp(-1), p.keyID)
	if !ok {
		return 0
	}
	way := p.course(a, min(b+int(0.1/p.sheet.Timeline.Interval(b)), p.sheet.Timeline.Len()-1), p.measure.Points...) // hips; shoulder, elbow, wrist
	if len(way) == 0 {
		return 0
	}
	elbow := func(v []r3.Vec) float64 { return body.IncludedSpace(v[2], v[3], v[4]) }
	shut := elbow(way[0].points)
	round, okR := passes(way, 150, func(v []r3.Vec) float64 { return 120 + wrap(facing(v[0], v[1])-120) })
	open, okO := passes(way, shut+15, elbow)
	if !okR || !okO {
		p.require("path", p.keyID, "the hips do not come round, or the elbow does not open, before %s", p.key(p.keyID).Name)
		return 0
	}
	return p.real(open - round + p.input(plain("directions of hips and arm"), 0, PassU))
}
