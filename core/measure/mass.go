package measure

import (
	"math"
	"slices"

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

// mass is the centre of mass at a place, in level pixels.
func (p *evaluation) mass(keyID string) r2.Vec {
	const centre = "centre of mass"
	if at, ok := p.found.places[placeKey{keyID, centre}]; ok && p.elsewhere(keyID, "") {
		return at.Vec
	}
	at, known := p.weighted(keyID)
	if known && p.shift == nil && p.draw == nil {
		p.found.places[placeKey{keyID, centre}] = place{at, true}
	}
	return at
}

// weighted is the sum of the points by the masses that they stand for.
func (p *evaluation) weighted(keyID string) (at r2.Vec, known bool) {
	shares, counted := p.found.masses[keyID]
	if !counted {
		for _, on := range sided {
			for _, part := range []string{"knee", "ankle"} {
				if _, ok := p.landmarkAt(keyID, on[part]); !ok {
					p.requireLandmark(keyID, on[part])
				}
			}
		}
		var err error
		if shares, err = p.massShares(func(l body.Landmark) bool { _, ok := p.landmarkAt(keyID, l); return ok }); err != nil {
			p.require("landmark", "mass@"+keyID, "%v", err)
		}
	}
	hip, shoulder := p.point(keyID, "mid.hip"), p.point(keyID, "mid.shoulder")
	if len(p.missing) > 0 {
		return r2.Vec{}, false
	}
	p.found.masses[keyID] = shares
	c := r2.Add(r2.Scale(shares.hip, hip), r2.Scale(shares.shoulder, shoulder))
	for _, one := range shares.of {
		v, _ := p.landmarkAt(keyID, one.landmark)
		c = r2.Add(c, r2.Scale(one.share, v))
	}
	u := MassU
	from := source{what: "centre of mass at {at}", at: p.key(keyID).Name}
	if !shares.arms {
		u += MassNoArmsU
		from.what = "centre of mass at {at}, arms not placed"
	}
	u *= p.sheet.HeightM * p.plane.PxPerM
	return r2.Add(c, p.uncertainPoint(from, r2.Vec{}, u, u)), true
}

// massShares are the weights by which the centre of mass is the sum of points.
type massShares struct {
	hip, shoulder float64 // of their middles
	of            []massShare
	arms          bool // both are seen
}

type massShare struct {
	landmark body.Landmark
	share    float64
}

// massShares reads the weights off the segments of de Leva 1996. Arms that are
// not seen hang at the shoulder; the head follows the trunk unless the ear is
// seen; a foot that is not seen is at its ankle.
func (p *evaluation) massShares(seen func(body.Landmark) bool) (massShares, error) {
	out := massShares{arms: true}
	// Each point in turn is put at 1 and all others at 0: the sum is linear.
	with := func(hip, shoulder float64, one body.Landmark) (float64, error) {
		at := make(map[body.Landmark]r3.Vec, 32)
		x := func(l body.Landmark, v float64) float64 { at[l] = r3.Vec{X: v}; return v }
		own := func(l body.Landmark) float64 {
			if l == one {
				return 1
			}
			return 0
		}
		neck := x("neck", shoulder+neckShare*(shoulder-hip))
		x("vertex", neck+0.55*(shoulder-hip))
		for _, on := range sided {
			x(on["hip"], hip)
			from := x(on["shoulder"], shoulder)
			for _, part := range []string{"elbow", "wrist", "knuckle"} {
				if l := on[part]; seen(l) {
					from = own(l)
				}
				x(on[part], from)
			}
			x(on["knee"], own(on["knee"]))
			ankle := x(on["ankle"], own(on["ankle"]))
			x(on["heel"], ankle)
			x(on["toe"], ankle)
			if l := on["toe"]; seen(l) {
				x(l, own(l))
			}
		}
		if ear := body.Landmark("ear." + string(p.sheet.Roles["near"])); seen(ear) {
			x("vertex", neck+1.7*(own(ear)-neck))
		}
		v, err := body.CentreOfMass(p.sheet.Sex, at)
		return v.X, err
	}
	var err error
	if out.hip, err = with(1, 0, ""); err != nil {
		return out, err
	}
	out.shoulder, _ = with(0, 1, "")
	for _, on := range sided {
		for _, part := range []string{"elbow", "wrist", "knuckle", "knee", "ankle", "toe"} {
			l := on[part]
			if !seen(l) {
				out.arms = out.arms && part != "elbow" && part != "wrist"
				continue
			}
			v, _ := with(0, 0, l)
			out.of = append(out.of, massShare{l, v})
		}
	}
	if ear := body.Landmark("ear." + string(p.sheet.Roles["near"])); seen(ear) {
		v, _ := with(0, 0, ear)
		out.of = append(out.of, massShare{ear, v})
	}
	return out, nil
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
	c := p.pathOf(max(0, f-n), min(p.sheet.Timeline.Len()-1, f+n), p.key(p.keyID).roles, p.measure.Points...)
	if len(c.at) == 0 {
		return v, false
	}
	shares, known := p.found.masses[p.keyID]
	names := p.measure.Points
	marks := make([]body.Landmark, len(names))
	for k, name := range names {
		if _, mid := cutMid(name); !mid {
			marks[k], _ = p.landmark(p.keyID, name)
		}
	}
	if !known {
		var err error
		if shares, err = p.massShares(func(l body.Landmark) bool { return slices.Contains(marks, l) }); err != nil {
			p.require("landmark", "mass@"+p.keyID, "%v", err)
			return v, false
		}
		p.found.masses[p.keyID] = shares
	}
	share := make([]float64, len(names))
	for k, name := range names {
		switch name {
		case "mid.hip":
			share[k] = shares.hip
		case "mid.shoulder":
			share[k] = shares.shoulder
		default:
			if i := slices.IndexFunc(shares.of, func(m massShare) bool { return m.landmark == marks[k] }); i >= 0 {
				share[k] = shares.of[i].share
			}
		}
	}
	sumOf := func(pts []r2.Vec) (m r2.Vec) {
		for k, v := range pts {
			m = r2.Add(m, r2.Scale(share[k], v))
		}
		return m
	}
	ahead, up := func(pts []r2.Vec) float64 { return sumOf(pts).X }, func(pts []r2.Vec) float64 { return sumOf(pts).Y }
	times := c.times()
	u := pathMassU * p.sheet.HeightM * p.plane.PxPerM / around
	v = r2.Vec{X: p.through(c, ahead, slope(times, c.along(ahead)), 'x'), Y: p.through(c, up, slope(times, c.along(up)), 'y')}
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
