package measure

import (
	"math"

	"gonum.org/v1/gonum/spatial/r2"
	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
	"neokinema/core/flight"
)

// massed are the kinds of the centre of mass (segments of de Leva 1996).
var massed = map[string]kind{
	"toe-ahead":    {formula: "toe − centre of mass (segments of de Leva 1996), along the direction of travel", compute: func(p *evaluation) float64 { return -massAhead(p) }},
	"mass-ahead":   {formula: "centre of mass − the point, along the direction of travel", compute: massAhead},
	"mass-above":   {formula: "height of the centre of mass above the point", compute: massAbove},
	"mass-reach":   {formula: "the hindmost of the points − centre of mass, along the direction of travel", compute: massReach},
	"mass-way":     {formula: "way of the centre of mass since the key position before", everyStamp: true, back: 1, compute: func(p *evaluation) float64 { return p.metres(p.mass(p.keyID).X - p.mass(p.stamp(-1)).X) }},
	"flight-speed": {formula: "way of the centre of mass while in the air ÷ time in the air", everyStamp: true, back: 1, compute: flightSpeed},
	"fly-speed":    {formula: "speed with which the centre of mass begins its flight: way ÷ time, and rise ÷ time + g·time/2", everyStamp: true, on: 1, compute: func(p *evaluation) float64 { return r2.Norm(p.flyOff(p.keyID, p.stamp(1))) }},
	"fly-angle": {formula: "direction in which the centre of mass begins its flight, from the horizontal", everyStamp: true, on: 1, compute: func(p *evaluation) float64 {
		v := p.flyOff(p.keyID, p.stamp(1))
		return math.Atan2(v.Y, v.X) * 180 / math.Pi
	}},
	"fly-up":      {formula: "upward speed with which the centre of mass begins its flight: rise ÷ time + g·time/2", everyStamp: true, on: 1, compute: func(p *evaluation) float64 { return p.flyOff(p.keyID, p.stamp(1)).Y }},
	"fly-rise":    {formula: "upward speed at take-off squared ÷ 2g", everyStamp: true, back: 1, on: 1, compute: flyRise},
	"path-angle":  {formula: "direction of the centre of mass's path, from the horizontal: of the line through the pictures around", compute: pathAngle},
	"path-slower": {formula: "1 − speed of the centre of mass along the direction of travel around here ÷ mean speed of the hips in the last step", everyStamp: true, back: 2, compute: pathSlower},
	"speed-loss":  {formula: "1 − speed of the flight ÷ speed of the last step of the run", everyStamp: true, back: 2, on: 1, compute: speedLoss},
}

func massAhead(p *evaluation) float64 {
	a, com := p.point(p.keyID, p.measure.Points[0]), p.mass(p.keyID)
	p.segment(p.keyID, com, r2.Vec{X: com.X, Y: a.Y})
	return p.metres(com.X - a.X)
}

func massAbove(p *evaluation) float64 {
	a, com := p.point(p.keyID, p.measure.Points[0]), p.mass(p.keyID)
	p.segment(p.keyID, com, r2.Vec{X: com.X, Y: a.Y})
	return p.metres(com.Y - a.Y)
}

func massReach(p *evaluation) float64 {
	a, b, com := p.point(p.keyID, p.measure.Points[0]), p.point(p.keyID, p.measure.Points[1]), p.mass(p.keyID)
	p.segment(p.keyID, com, r2.Vec{X: math.Min(a.X, b.X), Y: com.Y})
	return p.metres(math.Min(a.X, b.X) - com.X)
}

func flightSpeed(p *evaluation) float64 {
	before := p.stamp(-1)
	t := p.real(p.instant(p.keyID) - p.instant(before))
	if len(p.missing) == 0 && t <= 0 {
		p.require("stamp", p.keyID, "the contact must come after the foot has left")
	}
	way := p.metres(p.mass(p.keyID).X - p.mass(before).X)
	return way / t
}

// flyOff is the velocity, m/s, of the centre of mass as a flight begins.
func (p *evaluation) flyOff(off, end string) r2.Vec {
	t := p.since(off, end)
	way := r2.Sub(p.mass(end), p.mass(off))
	return r2.Vec{X: p.metres(way.X) / t, Y: p.metres(way.Y)/t + flight.G*t/2}
}

func flyRise(p *evaluation) float64 {
	v := p.flyOff(p.stamp(-1), p.stamp(1)).Y
	return v * v / (2 * flight.G)
}

func speedLoss(p *evaluation) float64 {
	return 100 * (1 - p.flyOff(p.keyID, p.stamp(1)).X/p.speed(p.stamp(-2), p.stamp(-1)))
}

// seenAs finds a landmark on a picture, level pixels.
type seenAs func(l body.Landmark) (r2.Vec, bool)

// mass is the centre of mass at a place, in level pixels.
func (p *evaluation) mass(keyID string) r2.Vec {
	hip, shoulder := p.point(keyID, "mid.hip"), p.point(keyID, "mid.shoulder")
	placed := func(l body.Landmark) (r2.Vec, bool) { return p.landmarkAt(keyID, l) }
	for _, on := range sided {
		for _, part := range []string{"knee", "ankle"} {
			if _, ok := placed(on[part]); !ok {
				p.requireLandmark(keyID, on[part])
			}
		}
	}
	if len(p.missing) > 0 {
		return r2.Vec{}
	}
	c, arms, err := p.centre(hip, shoulder, placed)
	if err != nil {
		p.require("landmark", "mass@"+keyID, "%v", err)
		return r2.Vec{}
	}
	u := MassU
	from := source{what: "centre of mass at {at}", at: p.key(keyID).Name}
	if !arms {
		u += MassNoArmsU
		from.what = "centre of mass at {at}, arms not placed"
	}
	u *= p.sheet.HeightM * p.plane.PxPerM
	return r2.Add(c, p.uncertainPoint(from, r2.Vec{}, u, u))
}

// centre is the centre of mass from the segments of de Leva 1996. Arms that are
// not seen hang at the shoulder; the head follows the trunk unless the ear is
// seen; a foot that is not seen is at its ankle.
func (p *evaluation) centre(hip, shoulder r2.Vec, seen seenAs) (c r2.Vec, arms bool, err error) {
	at := make(map[body.Landmark]r3.Vec, 32)
	set := func(l body.Landmark, v r2.Vec) { at[l] = r3.Vec{X: v.X, Y: v.Y} }
	trunk := r2.Sub(shoulder, hip)
	neck := r2.Add(shoulder, r2.Scale(neckShare, trunk))
	set("neck", neck)
	set("vertex", r2.Add(neck, r2.Scale(0.55, trunk)))
	arms = true
	for _, on := range sided {
		set(on["hip"], hip)
		set(on["shoulder"], shoulder)
		from := shoulder
		for _, part := range []string{"elbow", "wrist", "knuckle"} {
			if v, ok := seen(on[part]); ok {
				from = v
			} else if part != "knuckle" {
				arms = false
			}
			set(on[part], from)
		}
		for _, part := range []string{"knee", "ankle"} {
			v, _ := seen(on[part])
			set(on[part], v)
		}
		ankle := at[on["ankle"]]
		at[on["heel"]], at[on["toe"]] = ankle, ankle
		if v, ok := seen(on["toe"]); ok {
			set(on["toe"], v)
		}
	}
	if ear, ok := seen(body.Landmark("ear." + string(p.sheet.Roles["near"]))); ok {
		set("vertex", r2.Add(neck, r2.Scale(1.7, r2.Sub(ear, neck))))
	}
	v, err := body.CentreOfMass(p.sheet.Sex, at)
	return r2.Vec{X: v.X, Y: v.Y}, arms, err
}

// around is for how long before a take-off and after it the centre of mass is
// followed, s, and pathMassU how much of the way that it goes is open, as a share
// of standing height.
const (
	around    = 0.03
	pathMassU = 0.004
	brakedU   = 0.05 // of the speed
)

// leaving is the velocity of the centre of mass at a place, level pixels per
// second: of the line through the pictures around it.
func (p *evaluation) leaving() (v r2.Vec, ok bool) {
	f, ok := p.frame(p.keyID)
	if !ok {
		return v, false
	}
	n := max(2, int(math.Round(around/p.sheet.Timeline.Interval(f))))
	path := p.pathOf(max(0, f-n), min(p.sheet.Timeline.Len()-1, f+n), p.key(p.keyID).roles, p.measure.Points...)
	if len(path) == 0 {
		return v, false
	}
	for i, m := range path {
		on := map[body.Landmark]r2.Vec{}
		var hip, shoulder r2.Vec
		for k, name := range p.measure.Points {
			switch name {
			case "mid.hip":
				hip = m.points[k]
			case "mid.shoulder":
				shoulder = m.points[k]
			default:
				if l, err := p.landmark(p.keyID, name); err == nil {
					on[l] = m.points[k]
				}
			}
		}
		c, _, err := p.centre(hip, shoulder, func(l body.Landmark) (r2.Vec, bool) { v, ok := on[l]; return v, ok })
		if err != nil {
			p.require("landmark", "mass@"+p.keyID, "%v", err)
			return v, false
		}
		path[i].points = []r2.Vec{c}
	}
	u := pathMassU * p.sheet.HeightM * p.plane.PxPerM / around
	v = r2.Vec{X: p.slopeOver(path, func(v []r2.Vec) float64 { return v[0].X }), Y: p.slopeOver(path, height)}
	// It is braked while it is followed.
	v.X *= 1 + p.input(plain("speed changes around the take-off"), 0, brakedU)
	return r2.Add(v, p.uncertainPoint(plain("way of the centre of mass"), r2.Vec{}, u, u)), true
}

func pathAngle(p *evaluation) float64 {
	v, ok := p.leaving()
	if !ok {
		return 0
	}
	return math.Atan2(v.Y, v.X) * 180 / math.Pi
}

func pathSlower(p *evaluation) float64 {
	v, ok := p.leaving()
	if !ok {
		return 0
	}
	return 100 * (1 - p.metres(v.X)/p.speed(p.stamp(-2), p.stamp(-1)))
}
