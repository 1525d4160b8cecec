package measure

import (
	"math"
	"slices"
	"sort"
	"strings"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/body"
	"neokinema/core/playbook"
)

// kind is one way of measuring. Compute reads its inputs through the probe; a
// result with anything missing is thrown away.
type kind struct {
	formula    string
	everyStamp bool                      // needs its points at each of its stamps, not only at its place
	back, on   int                       // how many of its stamps it needs before and after its place
	compute    func(*evaluation) float64 // in the picture's plane
	space      func(*evaluation) float64 // in the world, of measures whose views have pair or known
	inSpace    string                    // the formula there, where it is another
}

// KeysOf are those of a measure's places at which one camera shows it and its
// kind has the stamps that it needs: the first contact of a film has no step
// before it.
func KeysOf(m playbook.Measure) []string {
	k := kinds[m.Kind]
	var out []string
	for _, keyID := range m.At {
		if len(m.Seen) > 0 && !slices.Contains(m.Seen, keyID) {
			continue
		}
		i := slices.Index(m.Stamps, keyID)
		if i >= k.back && i+k.on < len(m.Stamps) || k.back+k.on == 0 {
			out = append(out, keyID)
		}
	}
	return out
}

// Kinds are the names that a playbook may use, sorted.
func Kinds() []string {
	out := make([]string, 0, len(kinds))
	for k := range kinds {
		out = append(out, k)
	}
	sort.Strings(out)
	return out
}

var kinds = map[string]kind{}

func init() {
	for _, some := range []map[string]kind{landmarkAt, timed, travelKinds, followed, thrown, massed, orbits} {
		for name, k := range some {
			kinds[name] = k
		}
	}
	for name, in := range spatialKinds {
		k, both := kinds[name]
		if !both {
			k = in
		}
		if both {
			k.inSpace = in.formula
		}
		k.space = in.space
		kinds[name] = k
	}
}

// landmarkAt are the kinds that read one key position's landmarks.
var landmarkAt = map[string]kind{
	"included":     {formula: "angle between the two segments that meet at the joint, 180° = straight", compute: included},
	"line":         {formula: "inclination of the line fitted through the points, 90° = upright", compute: func(p *evaluation) float64 { return line(p, p.keyID) }},
	"lean":         {formula: "lean of first→second point from the vertical, forward positive; from behind and before: toward the free side", compute: func(p *evaluation) float64 { return leaning(p, 1) }},
	"lean-in":      {formula: "lean of first→second point from the vertical, toward the take-off leg's side, where the curve's centre is", compute: func(p *evaluation) float64 { return p.leanTo(p.keyID, p.sideways(p.sheet.Roles["takeoff"])) }},
	"break-in":     {formula: "lean of second→third point − lean of first→second, toward the take-off leg's side", compute: breakIn},
	"recline":      {formula: "lean of first→second point from the vertical, backward positive", compute: func(p *evaluation) float64 { return leaning(p, -1) }},
	"incline":      {formula: "inclination of first→second point, 0° = level, upward positive", compute: func(p *evaluation) float64 { return inclined(p, 1) }},
	"incline-back": {formula: "inclination of first→second point from the ground behind, 90° = upright", compute: func(p *evaluation) float64 { return inclined(p, -1) }},
	"flexion":      {formula: "180° − angle at the joint, negative beyond straight: the knee bends backward", compute: flexion},
	"tilt-gap":     {formula: "rise of the first point over the second − of the third over the fourth, from the horizontal", compute: tiltGap},
	"tilt":         {formula: "rise of the first point over the second, from the horizontal", compute: tilt},
	"split":        {formula: "lean of the upper part of the trunk − lean of the lower − what both have at rest", compute: split},
	"off-line":     {formula: "distance of the first point behind the line second→third", compute: offLine},
	"apart":        {formula: "distance between the two points", compute: apart},
	"level":        {formula: "height of the first point between the second (0) and the third (1)", compute: level},
	"bend":         {formula: "turn from hip→shoulder to shoulder→ear, positive = head lifted", compute: bend},
	"shin":         {formula: "knee→ankle from the vertical, positive = ankle ahead", compute: shin},
	"ahead":        {formula: "distance along the direction of travel, first point ahead = positive", compute: ahead},
	"above":        {formula: "height of the first point above the second", compute: above},
	"below-lowest": {formula: "height of the last point above the lowest of the others", compute: belowLowest},
	"highest":      {formula: "height of the highest of the points above the last", compute: highestAbove},
	"farthest":     {formula: "how far the foremost of the points is ahead of the last", compute: farthest},
	"nearest":      {formula: "how far the hindmost of the points is ahead of the last", compute: nearest},
	"beside":       {formula: "how far the first point is to the stance leg's side of the second, seen from behind or before", compute: beside},
	"past-midline": {formula: "how far the first point, from behind or before, is past the line second→third at its height, away from the stance leg's side", compute: pastMidline},
	"past-line":    {formula: "how far the point is past the line", compute: func(p *evaluation) float64 { return pastLine(p, 1) }},
	"before-line":  {formula: "how far the point is from reaching the line", compute: func(p *evaluation) float64 { return pastLine(p, -1) }},
}

// jointCentres are not visible points.
var jointCentres = plain("joint centres")

func included(p *evaluation) float64 {
	a, b, c := p.point(p.keyID, p.measure.Points[0]), p.point(p.keyID, p.measure.Points[1]), p.point(p.keyID, p.measure.Points[2])
	p.arc(p.keyID, b, a, c)
	return p.rested(p.input(jointCentres, body.Included(a, b, c), JointAngleU))
}

// flexion tells a joint that is bent from one that is pushed through: its middle
// lies ahead of the line of the other two, or behind it.
func flexion(p *evaluation) float64 {
	a, b, c := p.point(p.keyID, p.measure.Points[0]), p.point(p.keyID, p.measure.Points[1]), p.point(p.keyID, p.measure.Points[2])
	p.arc(p.keyID, b, a, c)
	bend := 180 - body.Included(a, b, c)
	if r2.Cross(r2.Sub(a, b), r2.Sub(c, b)) < 0 {
		bend = -bend
	}
	return p.input(jointCentres, bend, JointAngleU)
}

func tiltGap(p *evaluation) float64 {
	m := p.measure.Points
	rise := func(i int) float64 {
		a, b := p.point(p.keyID, m[i]), p.point(p.keyID, m[i+1])
		p.segment(p.keyID, b, a)
		return math.Atan2(a.Y-b.Y, math.Abs(a.X-b.X)) * 180 / math.Pi
	}
	return p.input(jointCentres, rise(0)-rise(2), JointAngleU)
}

// rested takes off what the same points give in an athlete at rest.
func (p *evaluation) rested(v float64) float64 {
	if p.measure.Rest == 0 {
		return v
	}
	u := RestAngleU
	if p.measure.Unit != "deg" {
		u = RestShareU
	}
	return v - p.input(plain("shape at rest"), p.measure.Rest, u)
}

func line(p *evaluation, keyID string) float64 {
	pts := make([]r2.Vec, len(p.measure.Points))
	for i, name := range p.measure.Points {
		pts[i] = p.point(keyID, name)
	}
	angle := body.FittedInclination(pts...)
	from := pts[0]
	n := r2.Norm(r2.Sub(pts[len(pts)-1], from))
	s, c := math.Sincos(angle * math.Pi / 180)
	end := r2.Add(from, r2.Vec{X: n * c, Y: n * s})
	p.segment(keyID, from, end)
	p.arc(keyID, from, r2.Add(from, r2.Vec{X: n}), end)
	return p.input(source{what: "joint centres at {at}", at: p.key(keyID).Name}, angle, DirectionU)
}

func bend(p *evaluation) float64 {
	hip, shoulder, ear := p.point(p.keyID, p.measure.Points[0]), p.point(p.keyID, p.measure.Points[1]), p.point(p.keyID, p.measure.Points[2])
	ahead := r2.Add(shoulder, r2.Sub(shoulder, hip))
	p.segment(p.keyID, hip, shoulder)
	p.arc(p.keyID, shoulder, ahead, ear)
	return p.input(jointCentres, body.Turn(hip, shoulder, ear), JointAngleU)
}

func shin(p *evaluation) float64 {
	knee, ankle := p.point(p.keyID, p.measure.Points[0]), p.point(p.keyID, p.measure.Points[1])
	down := r2.Vec{X: knee.X, Y: knee.Y - r2.Norm(r2.Sub(ankle, knee))}
	p.segment(p.keyID, knee, ankle)
	p.arc(p.keyID, knee, down, ankle)
	return p.input(jointCentres, body.ShinAngle(knee, ankle), DirectionU)
}

// base is the length that percentages are of, in pixels.
func (p *evaluation) base() float64 {
	switch p.measure.Base {
	case "trunk":
		return r2.Norm(r2.Sub(p.point(p.keyID, "mid.shoulder"), p.point(p.keyID, "mid.hip")))
	case "height":
		if p.plane.PxPerM == 0 {
			p.require("scale", "scale", "set the scale: a known length in the lane")
		}
		return p.sheet.HeightM * p.input(plain("scale"), p.plane.PxPerM, p.plane.ScaleU)
	}
	if share, ok := bodyShares[p.measure.Base]; ok && p.measure.Base != "leg" {
		if p.plane.PxPerM == 0 {
			p.require("scale", "scale", "set the scale: a known length in the lane")
		}
		share = p.input(plain("lengths of the body from standing height"), share, WiltU*share)
		return share * p.sheet.HeightM * p.input(plain("scale"), p.plane.PxPerM, p.plane.ScaleU)
	}
	role, _, _ := strings.Cut(p.measure.Points[1], ".")
	if role == "mid" {
		role, _, _ = strings.Cut(p.measure.Points[0], ".")
	}
	hip, knee, ankle := p.point(p.keyID, role+".hip"), p.point(p.keyID, role+".knee"), p.point(p.keyID, role+".ankle")
	return r2.Norm(r2.Sub(hip, knee)) + r2.Norm(r2.Sub(knee, ankle))
}

// length gives a distance between two joint centres in the measure's unit.
func (p *evaluation) length(px float64) float64 {
	switch p.measure.Base {
	case "":
		return p.input(jointCentres, p.metres(px), JointApartU*p.sheet.HeightM)
	case "trunk":
		return p.rested(p.input(jointCentres, 100*px/p.base(), 100*JointApartU/body.TrunkShare))
	case "height":
		return p.rested(p.input(jointCentres, 100*px/p.base(), 100*JointApartU))
	}
	return p.rested(p.input(jointCentres, 100*px/p.base(), 100*JointApartU/bodyShares[p.measure.Base]))
}

func ahead(p *evaluation) float64 {
	a, b := p.point(p.keyID, p.measure.Points[0]), p.point(p.keyID, p.measure.Points[1])
	p.segment(p.keyID, b, r2.Vec{X: a.X, Y: b.Y})
	return p.length(a.X - b.X)
}

func above(p *evaluation) float64 {
	a, b := p.point(p.keyID, p.measure.Points[0]), p.point(p.keyID, p.measure.Points[1])
	p.segment(p.keyID, b, r2.Vec{X: b.X, Y: a.Y})
	return p.length(a.Y - b.Y)
}

// leaning is the lean of a line from the vertical, times sign.
func leaning(p *evaluation, sign float64) float64 {
	return p.leanTo(p.keyID, sign*p.sideways(p.sheet.Roles["free"]))
}

// leanTo is the lean from the first point to the second, positive toward the
// plane's x times side.
func (p *evaluation) leanTo(keyID string, side float64) float64 {
	a, b := p.point(keyID, p.measure.Points[0]), p.point(keyID, p.measure.Points[1])
	p.segment(keyID, a, b)
	p.arc(keyID, a, r2.Vec{X: a.X, Y: a.Y + r2.Norm(r2.Sub(b, a))}, b)
	v := math.Atan2(side*(b.X-a.X), b.Y-a.Y) * 180 / math.Pi
	if p.across() {
		const forward = 15 // degrees that a body leans forward or back, about
		v += p.input(plain("lean forward, seen off the line"), 0, openSide) * forward * math.Sin(p.sheet.offBy()*math.Pi/180)
	}
	return p.rested(p.input(source{what: "joint centres at {at}", at: p.key(keyID).Name}, v, DirectionU))
}

// breakIn is by how much the upper line leans more than the lower one.
func breakIn(p *evaluation) float64 {
	side := p.sideways(p.sheet.Roles["takeoff"])
	a, b, c := p.point(p.keyID, p.measure.Points[0]), p.point(p.keyID, p.measure.Points[1]), p.point(p.keyID, p.measure.Points[2])
	p.segment(p.keyID, a, b)
	p.segment(p.keyID, b, c)
	lean := func(a, b r2.Vec) float64 { return math.Atan2(side*(b.X-a.X), b.Y-a.Y) * 180 / math.Pi }
	return p.input(jointCentres, lean(b, c)-lean(a, b), JointAngleU)
}

// across reports whether the camera looks along the direction of travel.
func (p *evaluation) across() bool { return p.sheet.View == "back" || p.sheet.View == "front" }

// sideways is 1 where the plane's x grows forward, or, seen from behind or
// before, toward the side; −1 where it falls.
func (p *evaluation) sideways(side body.Side) float64 {
	if !p.across() {
		return 1
	}
	if (side == body.Right) == (p.sheet.View == "back") == p.plane.Rightward() {
		return 1
	}
	return -1
}

func inclined(p *evaluation, forward float64) float64 {
	a, b := p.point(p.keyID, p.measure.Points[0]), p.point(p.keyID, p.measure.Points[1])
	p.segment(p.keyID, a, b)
	p.arc(p.keyID, a, r2.Vec{X: a.X + forward*r2.Norm(r2.Sub(b, a)), Y: a.Y}, b)
	return p.rested(p.input(jointCentres, math.Atan2(b.Y-a.Y, forward*(b.X-a.X))*180/math.Pi, DirectionU))
}

func tilt(p *evaluation) float64 {
	a, b := p.point(p.keyID, p.measure.Points[0]), p.point(p.keyID, p.measure.Points[1])
	p.segment(p.keyID, b, a)
	u := 1.5 * JointAngleU
	if p.plane.PxPerM > 0 { // the hips are near each other
		u = body.AngleU(JointApartU*p.sheet.HeightM*p.plane.PxPerM/math.Sqrt2, r2.Norm(r2.Sub(a, b)))
	}
	return p.rested(p.input(jointCentres, math.Atan2(a.Y-b.Y, math.Abs(a.X-b.X))*180/math.Pi, u))
}

func split(p *evaluation) float64 {
	hip, breast, neck := p.point(p.keyID, p.measure.Points[0]), p.point(p.keyID, p.measure.Points[1]), p.point(p.keyID, p.measure.Points[2])
	p.segment(p.keyID, hip, breast)
	p.segment(p.keyID, breast, neck)
	return p.rested(p.input(jointCentres, -body.Turn(hip, breast, neck), JointAngleU))
}

func offLine(p *evaluation) float64 {
	a, b, c := p.point(p.keyID, p.measure.Points[0]), p.point(p.keyID, p.measure.Points[1]), p.point(p.keyID, p.measure.Points[2])
	p.segment(p.keyID, b, c)
	u := r2.Unit(r2.Sub(c, b))
	return p.length(r2.Cross(u, r2.Sub(a, b)))
}

func apart(p *evaluation) float64 {
	a, b := p.point(p.keyID, p.measure.Points[0]), p.point(p.keyID, p.measure.Points[1])
	p.segment(p.keyID, a, b)
	return p.length(r2.Norm(r2.Sub(a, b)))
}

func level(p *evaluation) float64 {
	a, b, c := p.point(p.keyID, p.measure.Points[0]), p.point(p.keyID, p.measure.Points[1]), p.point(p.keyID, p.measure.Points[2])
	p.segment(p.keyID, b, c)
	return (a.Y - b.Y) / (c.Y - b.Y)
}

// extremeOf picks among all points but the last the one for which of is
// greatest, and gives the last as well.
func (p *evaluation) extremeOf(of func(r2.Vec) float64) (extreme, last r2.Vec) {
	n := len(p.measure.Points) - 1
	best := math.Inf(-1)
	for _, name := range p.measure.Points[:n] {
		if v := p.point(p.keyID, name); of(v) > best {
			best, extreme = of(v), v
		}
	}
	return extreme, p.point(p.keyID, p.measure.Points[n])
}

func belowLowest(p *evaluation) float64 {
	lowest, from := p.extremeOf(func(v r2.Vec) float64 { return -v.Y })
	p.segment(p.keyID, from, r2.Vec{X: from.X, Y: lowest.Y})
	return p.length(from.Y - lowest.Y)
}

func highestAbove(p *evaluation) float64 {
	top, from := p.extremeOf(func(v r2.Vec) float64 { return v.Y })
	p.segment(p.keyID, from, r2.Vec{X: from.X, Y: top.Y})
	return p.length(top.Y - from.Y)
}

func farthest(p *evaluation) float64 {
	front, from := p.extremeOf(func(v r2.Vec) float64 { return v.X })
	p.segment(p.keyID, from, r2.Vec{X: front.X, Y: from.Y})
	return p.length(front.X - from.X)
}

func nearest(p *evaluation) float64 {
	back, from := p.extremeOf(func(v r2.Vec) float64 { return -v.X })
	p.segment(p.keyID, from, r2.Vec{X: back.X, Y: from.Y})
	return p.length(back.X - from.X)
}

func beside(p *evaluation) float64 {
	a, b := p.point(p.keyID, p.measure.Points[0]), p.point(p.keyID, p.measure.Points[1])
	p.segment(p.keyID, b, r2.Vec{X: a.X, Y: b.Y})
	return p.length(p.sideways(p.key(p.keyID).roles["stance"]) * (a.X - b.X))
}

// pastMidline tells whether a hand crosses the body's middle.
func pastMidline(p *evaluation) float64 {
	a, b, c := p.point(p.keyID, p.measure.Points[0]), p.point(p.keyID, p.measure.Points[1]), p.point(p.keyID, p.measure.Points[2])
	p.segment(p.keyID, b, c)
	w := math.Max(0, math.Min(1, (a.Y-c.Y)/(b.Y-c.Y)))
	line := r2.Add(c, r2.Scale(w, r2.Sub(b, c)))
	past := p.sideways(p.key(p.keyID).roles["stance"]) * (line.X - a.X)
	// A runner comes nearer: the trunk on the same picture is the measure of its
	// shoulders' width.
	wide := bodyShares["shoulders"] / (bodyShares["trunk"] * (1 + neckShare)) * r2.Norm(r2.Sub(b, c))
	return p.input(jointCentres, 100*past/wide*(1+p.input(plain("width of the shoulders by the trunk"), 0, WiltU)), 100*JointApartU/bodyShares["shoulders"])
}

// neckShare is how far the neck lies above the middle of the shoulders, as a
// share of the trunk.
const neckShare = 0.12

func pastLine(p *evaluation, sign float64) float64 {
	a := p.point(p.keyID, p.measure.Points[0])
	from := p.origin()
	p.segment(p.keyID, r2.Vec{X: from, Y: a.Y}, a)
	return p.metres(sign * (a.X - from))
}

// Formula says in words what a kind computes.
func Formula(kind string) string {
	k := kinds[kind]
	if k.inSpace == "" {
		return k.formula
	}
	return k.formula + "; with two films: " + k.inSpace
}

// NeedsPath reports whether a kind reads points on all pictures of a stretch.
func NeedsPath(kind string) bool {
	_, path := followed[kind]
	_, orbit := orbits[kind]
	return path || orbit
}
