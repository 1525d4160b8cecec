package measure

import (
	"fmt"
	"math"

	"gonum.org/v1/gonum/spatial/r2"
)

// travelKinds are the kinds that compare places of the same points at two or
// more key positions.
var travelKinds = map[string]kind{
	"line-rise":   {formula: "inclination of the line now − at the toe-off before", everyStamp: true, back: 1, compute: lineRise},
	"step":        {formula: "toe − toe of the step before (the first: − start line), along the direction of travel", everyStamp: true, compute: step},
	"step-on":     {formula: "toe − toe of the step before, along the direction of travel", everyStamp: true, back: 1, compute: step},
	"step-growth": {formula: "length of this step ÷ length of the step before", everyStamp: true, back: 2, compute: func(p *evaluation) float64 { now, before := twoSteps(p); return now / before }},
	"step-share":  {formula: "length of the step before ÷ length of this step", everyStamp: true, back: 2, compute: stepShare},
	"step-unlike": {formula: "difference of this step and the one before ÷ their mean", everyStamp: true, back: 2, compute: func(p *evaluation) float64 {
		now, before := twoSteps(p)
		return 200 * math.Abs(now-before) / (now + before)
	}},
	"speed":         {formula: "way of the point along the direction of travel since the key position before ÷ the time", everyStamp: true, back: 1, compute: func(p *evaluation) float64 { return p.speed(p.stamp(-1), p.keyID) }},
	"contact-share": {formula: "contact ÷ 0.55 s · v^−0.7 · √(height ÷ 1.75 m), v the speed of its step", everyStamp: true, back: 1, compute: contactShare},
	"speed-kept":    {formula: "speed since the key position before ÷ the highest between the earlier ones", everyStamp: true, back: 2, compute: speedKept},
	"speed-share": {formula: "speed since the key position before ÷ speed between the first two", everyStamp: true, back: 3, compute: func(p *evaluation) float64 {
		return 100 * p.speed(p.stamp(-1), p.keyID) / p.speed(p.stamp(-3), p.stamp(-2))
	}},
	"sunk-between":   {formula: "height of the point half-way through the contact before − half-way through this one", everyStamp: true, back: 2, compute: sunkBetween},
	"sunk":           {formula: "height of the point at the key position before − its height now", everyStamp: true, back: 1, compute: sunk},
	"lean-rate":      {formula: "change of the lean since the key position before ÷ the time", everyStamp: true, back: 1, compute: leanRate},
	"incline-change": {formula: "inclination of first→second point now − at the key position before", everyStamp: true, back: 1, compute: inclineChange},
	"apart-share":    {formula: "distance of the points now ÷ at the key position before", everyStamp: true, back: 1, compute: apartShare},
	"foot-speed":     {formula: "way of the toe along the direction of travel over the last 3 pictures before contact ÷ their time, forward positive", compute: footSpeed},
}

func lineRise(p *evaluation) float64 {
	then := line(p, p.stamp(-1))
	p.drawings = nil
	return line(p, p.keyID) - then
}

func step(p *evaluation) float64 {
	toe := p.point(p.keyID, p.measure.Points[0])
	if p.index() == 0 {
		from := p.origin()
		p.segment(p.keyID, r2.Vec{X: from, Y: toe.Y}, toe)
		return p.metres(toe.X - from)
	}
	from := p.point(p.stamp(-1), p.measure.Points[0])
	p.segment(p.keyID, from, toe)
	return p.metres(p.shoe(p.keyID, p.shoe(p.stamp(-1), toe.X-from.X)))
}

// shoe carries how well the tip of the foot is known within its shoe.
func (p *evaluation) shoe(keyID string, px float64) float64 {
	return px + p.input(source{what: "tip of the foot in its shoe at {at}", at: p.key(keyID).Name}, 0, ShoeTipU*p.sheet.HeightM)*p.plane.PxPerM
}

// twoSteps are the lengths, in pixels, of the step to here and the one before.
func twoSteps(p *evaluation) (now, before float64) {
	toe := func(keyID string) r2.Vec {
		v := p.point(keyID, p.measure.Points[0])
		v.X = p.shoe(keyID, v.X)
		return v
	}
	a, b, c := toe(p.stamp(-2)), toe(p.stamp(-1)), toe(p.keyID)
	p.segment(p.stamp(-1), a, b)
	p.segment(p.keyID, b, c)
	return c.X - b.X, b.X - a.X
}

// besideU is how much a ratio of two steps is open, as a share: feet land beside the line
// of travel, one nearer to the camera than the other (on the simulated javelin thrower).
const besideU = 0.025

func stepShare(p *evaluation) float64 {
	now, before := twoSteps(p)
	return before / now * (1 + p.input(plain("feet land beside the line of travel"), 0, besideU))
}

// speed is the mean speed of the first point along the direction of travel.
func (p *evaluation) speed(from, to string) float64 {
	a, b := p.point(from, p.measure.Points[0]), p.point(to, p.measure.Points[0])
	p.segment(to, a, b)
	return p.metres(p.mid(to, p.mid(from, b.X-a.X))) / p.since(from, to)
}

// mid carries how well the middle of the hips is known at a place, for the
// differences that are small against it.
func (p *evaluation) mid(keyID string, px float64) float64 {
	return px + p.input(source{what: "joint centres at {at}", at: p.key(keyID).Name}, 0, JointApartU*p.sheet.HeightM)*p.plane.PxPerM
}

func speedKept(p *evaluation) float64 {
	best := math.Inf(-1)
	for i := -p.index(); i < -1; i++ {
		best = math.Max(best, p.speed(p.stamp(i), p.stamp(i+1)))
	}
	return 100 * p.speed(p.stamp(-1), p.keyID) / best
}

func sunk(p *evaluation) float64 {
	a, b := p.point(p.stamp(-1), p.measure.Points[0]), p.point(p.keyID, p.measure.Points[0])
	p.segment(p.keyID, r2.Vec{X: b.X, Y: a.Y}, b)
	return p.length(a.Y - b.Y)
}

func sunkBetween(p *evaluation) float64 {
	a, b := p.point(p.stamp(-2), p.measure.Points[0]), p.point(p.stamp(-1), p.measure.Points[0])
	p.segment(p.stamp(-1), r2.Vec{X: b.X, Y: a.Y}, b)
	return p.length(a.Y - b.Y)
}

func leanRate(p *evaluation) float64 {
	then := p.leanTo(p.stamp(-1), 1)
	return (p.leanTo(p.keyID, 1) - then) / p.since(p.stamp(-1), p.keyID)
}

func inclineChange(p *evaluation) float64 {
	at := func(keyID string) float64 {
		a, b := p.point(keyID, p.measure.Points[0]), p.point(keyID, p.measure.Points[1])
		p.segment(keyID, a, b)
		return math.Atan2(b.Y-a.Y, b.X-a.X) * 180 / math.Pi
	}
	return at(p.keyID) - at(p.stamp(-1))
}

func apartShare(p *evaluation) float64 {
	at := func(keyID string) float64 {
		a, b := p.point(keyID, p.measure.Points[0]), p.point(keyID, p.measure.Points[1])
		p.segment(keyID, a, b)
		return r2.Norm(r2.Sub(b, a))
	}
	return p.input(plain("bend that was there before"), 100*at(p.keyID)/at(p.stamp(-1)), BendU)
}

// Foot speed before touchdown is the mean over this many pictures, filmed at
// this rate or more.
const (
	footPictures = 3
	footRate     = 200.0
)

func footSpeed(p *evaluation) float64 {
	f, ok := p.frame(p.keyID)
	if !ok {
		return 0
	}
	from, to := f-1-footPictures, f-1
	if from < 0 {
		p.require("stamp", p.keyID, "the film must begin %d pictures or more before the contact", footPictures+1)
		return 0
	}
	t := p.sheet.Timeline.At(to) - p.sheet.Timeline.At(from)
	if rate := footPictures / t; rate < 0.99*footRate {
		p.require("rate", p.keyID, "this needs %.0f pictures a second or more, the clip has %.0f", footRate, rate)
		return 0
	}
	l, err := p.landmark(p.keyID, p.measure.Points[0])
	if err != nil {
		p.require("landmark", p.measure.Points[0], "%v", err)
		return 0
	}
	at := func(frame int, when string) r2.Vec {
		p.request(p.keyID, frame, l)
		v, ok := p.landmarkOn(frame, l, source{what: "placing the {of} {at} contact", of: l, at: when})
		if !ok {
			p.require("landmark", fmt.Sprintf("%s@%d", l, frame), "place the %s on picture %d, %s contact", LandmarkName(l), frame, when)
		}
		return v
	}
	a, b := at(from, "4 pictures before"), at(to, "1 picture before")
	if p.shift == nil {
		p.segmentAt(to, a, b)
	}
	return p.metres(b.X-a.X) / p.real(t)
}

// asideOf is how far the first point lies to the free side of the second, as a
// camera behind the athlete or before sees it.
func asideOf(p *evaluation) float64 {
	a, b := p.point(p.keyID, p.measure.Points[0]), p.point(p.keyID, p.measure.Points[1])
	p.segment(p.keyID, b, r2.Vec{X: a.X, Y: b.Y})
	return p.length(p.sideways(p.sheet.Roles["free"]) * (a.X - b.X))
}

func asideSince(p *evaluation) float64 {
	now, then := p.point(p.keyID, p.measure.Points[0]), p.point(p.stamp(-1), p.measure.Points[1])
	p.segment(p.keyID, then, r2.Vec{X: now.X, Y: then.Y})
	const way, wayU = 0.5, 0.5 // m that a body goes on toward the throw: from none to the circle's half
	return p.length(p.sideways(p.sheet.Roles["free"]) * (now.X - then.X - p.alongThrow(way, wayU)))
}

func aheadSince(p *evaluation) float64 {
	now, then := p.point(p.keyID, p.measure.Points[0]), p.point(p.stamp(-1), p.measure.Points[1])
	p.segment(p.keyID, then, r2.Vec{X: now.X, Y: then.Y})
	return p.length(now.X - then.X)
}

// sway compares the mean side of a point, from the stamp before to here, with
// that of the turn before.
func sway(p *evaluation) float64 {
	from, to, before, ok := p.turnsBack()
	if !ok {
		return 0
	}
	ahead := func(pts []r2.Vec) float64 { return pts[0].X }
	place := func(from, to string, part byte) float64 {
		c := p.path(from, to, p.measure.Points[0])
		if len(c.at) == 0 {
			return 0
		}
		return p.mid(to, p.through(c, ahead, mean(c.along(ahead)), part))
	}
	const way, wayU = 0.5, 0.15 // m from turn to turn toward the throw, about
	return p.length(math.Abs(place(from, to, 'a') - place(before[0], before[1], 'b') - p.alongThrow(way, wayU)))
}
