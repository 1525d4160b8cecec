package measure

import (
	"math"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/flight"
)

// massed are the kinds of the centre of mass (segments of de Leva 1996).
var massed = map[string]kind{
	"toe-ahead":    {formula: "toe − centre of mass (segments of de Leva 1996), along the direction of travel", compute: func(p *probe) float64 { return -massAhead(p) }},
	"mass-ahead":   {formula: "centre of mass − the point, along the direction of travel", compute: massAhead},
	"mass-above":   {formula: "height of the centre of mass above the point", compute: massAbove},
	"mass-reach":   {formula: "the hindmost of the points − centre of mass, along the direction of travel", compute: massReach},
	"mass-way":     {formula: "way of the centre of mass since the key position before", everyStamp: true, back: 1, compute: func(p *probe) float64 { return p.metres(p.mass(p.place).X - p.mass(p.stamp(-1)).X) }},
	"flight-speed": {formula: "way of the centre of mass while in the air ÷ time in the air", everyStamp: true, back: 1, compute: flightSpeed},
	"fly-speed":    {formula: "speed with which the centre of mass begins its flight: way ÷ time, and rise ÷ time + g·time/2", everyStamp: true, on: 1, compute: func(p *probe) float64 { return r2.Norm(p.flyOff(p.place, p.stamp(1))) }},
	"fly-angle": {formula: "direction in which the centre of mass begins its flight, from the horizontal", everyStamp: true, on: 1, compute: func(p *probe) float64 {
		v := p.flyOff(p.place, p.stamp(1))
		return math.Atan2(v.Y, v.X) * 180 / math.Pi
	}},
	"fly-up":     {formula: "upward speed with which the centre of mass begins its flight: rise ÷ time + g·time/2", everyStamp: true, on: 1, compute: func(p *probe) float64 { return p.flyOff(p.place, p.stamp(1)).Y }},
	"fly-rise":   {formula: "upward speed at take-off squared ÷ 2g", everyStamp: true, back: 1, on: 1, compute: flyRise},
	"speed-loss": {formula: "1 − speed of the flight ÷ speed of the last step of the run", everyStamp: true, back: 2, on: 1, compute: speedLoss},
}

func massAhead(p *probe) float64 {
	a, com := p.at(p.place, p.measure.Points[0]), p.mass(p.place)
	p.segment(p.place, com, r2.Vec{X: com.X, Y: a.Y})
	return p.metres(com.X - a.X)
}

func massAbove(p *probe) float64 {
	a, com := p.at(p.place, p.measure.Points[0]), p.mass(p.place)
	p.segment(p.place, com, r2.Vec{X: com.X, Y: a.Y})
	return p.metres(com.Y - a.Y)
}

func massReach(p *probe) float64 {
	a, b, com := p.at(p.place, p.measure.Points[0]), p.at(p.place, p.measure.Points[1]), p.mass(p.place)
	p.segment(p.place, com, r2.Vec{X: math.Min(a.X, b.X), Y: com.Y})
	return p.metres(math.Min(a.X, b.X) - com.X)
}

func flightSpeed(p *probe) float64 {
	before := p.stamp(-1)
	t := p.real(p.instant(p.place) - p.instant(before))
	if len(p.missing) == 0 && t <= 0 {
		p.miss("stamp", p.place, "the contact must come after the foot has left")
	}
	way := p.metres(p.mass(p.place).X - p.mass(before).X)
	return way / t
}

// flyOff is the velocity, m/s, of the centre of mass as a flight begins.
func (p *probe) flyOff(off, end string) r2.Vec {
	t := p.since(off, end)
	way := r2.Sub(p.mass(end), p.mass(off))
	return r2.Vec{X: p.metres(way.X) / t, Y: p.metres(way.Y)/t + flight.G*t/2}
}

func flyRise(p *probe) float64 {
	v := p.flyOff(p.stamp(-1), p.stamp(1)).Y
	return v * v / (2 * flight.G)
}

func speedLoss(p *probe) float64 {
	return 100 * (1 - p.flyOff(p.place, p.stamp(1)).X/p.speed(p.stamp(-2), p.stamp(-1)))
}
