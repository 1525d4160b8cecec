package measure

import "math"

// timed are the kinds that need stamps alone.
var timed = map[string]kind{
	"duration":       {formula: "instant of the later stamp − instant of the earlier one", back: 1, compute: duration},
	"duration-on":    {formula: "instant of the next stamp − instant of this one", on: 1, compute: func(p *evaluation) float64 { return p.since(p.keyID, p.stamp(1)) }},
	"share-on":       {formula: "time to the next stamp ÷ time from the stamp before to the next", back: 1, on: 1, compute: shareOn},
	"cadence":        {formula: "60 s ÷ time since the contact before", back: 1, compute: func(p *evaluation) float64 { return 60 / p.since(p.stamp(-1), p.keyID) }},
	"duty-factor":    {formula: "contact ÷ time from this contact's begin to the same foot's next or last one", back: 1, compute: dutyFactor},
	"time-growth":    {formula: "time since the stamp before ÷ the time before that", back: 2, compute: timeGrowth},
	"contact-unlike": {formula: "difference of this contact and the other foot's before ÷ their mean", back: 3, compute: contactUnlike},
	"peak-force":     {formula: "π/2 · (flight ÷ contact + 1), a half sine of force: Morin et al. 2005, from memory", back: 1, on: 1, compute: peakForce},
}

// index is the number of the place among the measure's stamps.
func (p *evaluation) index() int {
	for i, s := range p.measure.Stamps {
		if s == p.keyID {
			return i
		}
	}
	return -1
}

// stamp is the place so many of the measure's stamps on from here.
func (p *evaluation) stamp(by int) string { return p.measure.Stamps[p.index()+by] }

// since is the real time between two key positions. Stamps that do not follow
// each other are missing.
func (p *evaluation) since(from, to string) float64 {
	t := p.real(p.instant(to) - p.instant(from))
	if len(p.missing) == 0 && p.shift == nil && t <= 0 {
		p.require("stamp", to, "%s must come after %s", p.key(to).Name, p.key(from).Name)
	}
	return t
}

func duration(p *evaluation) float64 { return p.real(p.instant(p.keyID) - p.instant(p.stamp(-1))) }

func shareOn(p *evaluation) float64 {
	return 100 * p.since(p.keyID, p.stamp(1)) / p.since(p.stamp(-1), p.stamp(1))
}

func dutyFactor(p *evaluation) float64 {
	contact := p.since(p.stamp(-1), p.keyID)
	if p.index()+3 < len(p.measure.Stamps) {
		return 100 * contact / p.since(p.stamp(-1), p.stamp(3))
	}
	if p.index() < 5 {
		p.require("stamp", p.keyID, "this needs the next or the last contact of the same foot")
		return 0
	}
	return 100 * contact / p.since(p.stamp(-5), p.stamp(-1))
}

func timeGrowth(p *evaluation) float64 {
	return p.since(p.stamp(-1), p.keyID) / p.since(p.stamp(-2), p.stamp(-1))
}

func contactUnlike(p *evaluation) float64 {
	a, b := p.since(p.stamp(-1), p.keyID), p.since(p.stamp(-3), p.stamp(-2))
	return 200 * math.Abs(a-b) / (a + b)
}

func peakForce(p *evaluation) float64 {
	return math.Pi / 2 * (p.since(p.keyID, p.stamp(1))/p.since(p.stamp(-1), p.keyID) + 1)
}

// contactShare is a contact against the usual one at the speed of its step, and
// of a body of its height: 0.55 s · v^−0.7 · √(h ÷ 1.75 m), through the contacts of
// Cavanagh and LaFortune 1980 and Weyand and others 2000, from memory.
func contactShare(p *evaluation) float64 {
	contact := p.since(p.stamp(-1), p.keyID)
	v := 0.0
	switch {
	case p.index()+1 < len(p.measure.Stamps):
		v = p.speed(p.stamp(-1), p.stamp(1))
	case p.index() >= 3:
		v = p.speed(p.stamp(-3), p.stamp(-1))
	default:
		p.require("stamp", p.keyID, "this needs the next contact or the last one")
		return 0
	}
	usual := 0.55 * math.Pow(math.Max(v, 0.5), -0.7) * math.Sqrt(p.sheet.HeightM/1.75)
	return 100 * contact / usual
}
