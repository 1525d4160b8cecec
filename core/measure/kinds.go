package measure

import (
	"fmt"
	"math"
	"slices"
	"sort"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/body"
)

// kind is one way of measuring. Compute reads its inputs through the probe; a
// result with anything missing is thrown away.
type kind struct {
	formula    string
	everyStamp bool // needs its points at each of its stamps, not only at its place
	compute    func(*probe) float64
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

var kinds = map[string]kind{
	"included": {formula: "angle between the two segments that meet at the joint, 180° = straight", compute: included},
	"line":     {formula: "inclination of the line fitted through the points, 90° = upright", compute: func(p *probe) float64 { return line(p, p.place) }},
	"line-rise": {formula: "inclination of the line now − at the toe-off before", everyStamp: true,
		compute: lineRise},
	"bend":       {formula: "turn from hip→shoulder to shoulder→ear, positive = head lifted", compute: bend},
	"shin":       {formula: "knee→ankle from the vertical, positive = ankle ahead", compute: shin},
	"ahead":      {formula: "distance along the direction of travel, first point ahead = positive", compute: ahead},
	"above":      {formula: "height of the first point above the second", compute: above},
	"toe-ahead":  {formula: "toe − centre of mass (segments of de Leva 1996), along the direction of travel", compute: toeAhead},
	"step":       {formula: "toe − toe of the step before (the first: − start line), along the direction of travel", everyStamp: true, compute: step},
	"duration":   {formula: "instant of the later stamp − instant of the earlier one", compute: duration},
	"foot-speed": {formula: "way of the toe along the direction of travel over the last 3 pictures before contact ÷ their time, forward positive", compute: footSpeed},
	"flight-speed": {formula: "way of the centre of mass while in the air ÷ time in the air", everyStamp: true,
		compute: flightSpeed},
}

// jointCentres are not visible points.
var jointCentres = plain("joint centres")

func included(p *probe) float64 {
	a, b, c := p.at(p.place, p.measure.Points[0]), p.at(p.place, p.measure.Points[1]), p.at(p.place, p.measure.Points[2])
	p.arc(p.place, b, a, c)
	return p.input(jointCentres, body.Included(a, b, c), JointAngleU)
}

func line(p *probe, place string) float64 {
	pts := make([]r2.Vec, len(p.measure.Points))
	for i, name := range p.measure.Points {
		pts[i] = p.at(place, name)
	}
	angle := body.FittedInclination(pts...)
	from := pts[0]
	n := r2.Norm(r2.Sub(pts[len(pts)-1], from))
	s, c := math.Sincos(angle * math.Pi / 180)
	end := r2.Add(from, r2.Vec{X: n * c, Y: n * s})
	p.segment(place, from, end)
	p.arc(place, from, r2.Add(from, r2.Vec{X: n}), end)
	return p.input(source{what: "joint centres at {at}", at: p.key(place).Name}, angle, DirectionU)
}

func lineRise(p *probe) float64 {
	before, ok := p.before(p.place)
	if !ok {
		p.miss("stamp", p.place, "there is no toe-off before this one")
		return 0
	}
	then := line(p, before)
	p.drawings = nil
	return line(p, p.place) - then
}

func bend(p *probe) float64 {
	hip, shoulder, ear := p.at(p.place, p.measure.Points[0]), p.at(p.place, p.measure.Points[1]), p.at(p.place, p.measure.Points[2])
	ahead := r2.Add(shoulder, r2.Sub(shoulder, hip))
	p.segment(p.place, hip, shoulder)
	p.arc(p.place, shoulder, ahead, ear)
	return p.input(jointCentres, body.Turn(hip, shoulder, ear), JointAngleU)
}

func shin(p *probe) float64 {
	knee, ankle := p.at(p.place, p.measure.Points[0]), p.at(p.place, p.measure.Points[1])
	down := r2.Vec{X: knee.X, Y: knee.Y - r2.Norm(r2.Sub(ankle, knee))}
	p.segment(p.place, knee, ankle)
	p.arc(p.place, knee, down, ankle)
	return p.input(jointCentres, body.ShinAngle(knee, ankle), DirectionU)
}

// base is the length that percentages are of, in pixels.
func (p *probe) base() float64 {
	if p.measure.Base == "trunk" {
		return r2.Norm(r2.Sub(p.at(p.place, "mid.shoulder"), p.at(p.place, "mid.hip")))
	}
	var role string
	for i, c := range p.measure.Points[1] {
		if c == '.' {
			role = p.measure.Points[1][:i]
		}
	}
	hip, knee, ankle := p.at(p.place, role+".hip"), p.at(p.place, role+".knee"), p.at(p.place, role+".ankle")
	return r2.Norm(r2.Sub(hip, knee)) + r2.Norm(r2.Sub(knee, ankle))
}

// length gives a distance between two joint centres in the measure's unit.
func (p *probe) length(px float64) float64 {
	switch p.measure.Base {
	case "":
		return p.input(jointCentres, p.metres(px), JointApartU*p.sheet.HeightM)
	case "trunk":
		return p.input(jointCentres, 100*px/p.base(), 100*JointApartU/body.TrunkShare)
	}
	return p.input(jointCentres, 100*px/p.base(), 100*JointApartU/body.LegShare)
}

func ahead(p *probe) float64 {
	a, b := p.at(p.place, p.measure.Points[0]), p.at(p.place, p.measure.Points[1])
	p.segment(p.place, b, r2.Vec{X: a.X, Y: b.Y})
	return p.length(a.X - b.X)
}

func above(p *probe) float64 {
	a, b := p.at(p.place, p.measure.Points[0]), p.at(p.place, p.measure.Points[1])
	p.segment(p.place, b, r2.Vec{X: b.X, Y: a.Y})
	return p.length(a.Y - b.Y)
}

func toeAhead(p *probe) float64 {
	toe, com := p.at(p.place, p.measure.Points[0]), p.mass(p.place)
	p.segment(p.place, com, r2.Vec{X: com.X, Y: toe.Y})
	return p.metres(toe.X - com.X)
}

func step(p *probe) float64 {
	toe := p.at(p.place, p.measure.Points[0])
	before, ok := p.before(p.place)
	if !ok {
		from := p.origin()
		p.segment(p.place, r2.Vec{X: from, Y: toe.Y}, toe)
		return p.metres(toe.X - from)
	}
	from := p.at(before, p.measure.Points[0])
	p.segment(p.place, from, toe)
	return p.metres(toe.X - from.X)
}

func duration(p *probe) float64 {
	before, ok := p.before(p.place)
	if !ok {
		p.miss("stamp", p.place, "the playbook names no stamp before this one")
		return 0
	}
	return p.real(p.instant(p.place) - p.instant(before))
}

func flightSpeed(p *probe) float64 {
	before, _ := p.before(p.place)
	t := p.real(p.instant(p.place) - p.instant(before))
	if len(p.missing) == 0 && t <= 0 {
		p.miss("stamp", p.place, "the contact must come after the foot has left")
	}
	way := p.metres(p.mass(p.place).X - p.mass(before).X)
	return way / t
}

// Foot speed before touchdown is the mean over this many pictures, filmed at
// this rate or more.
const (
	footPictures = 3
	footRate     = 200.0
)

func footSpeed(p *probe) float64 {
	f, ok := p.frame(p.place)
	if !ok {
		return 0
	}
	from, to := f-1-footPictures, f-1
	if from < 0 {
		p.miss("stamp", p.place, "the film must begin %d pictures or more before the contact", footPictures+1)
		return 0
	}
	t := p.sheet.Film.At(to) - p.sheet.Film.At(from)
	if rate := footPictures / t; rate < 0.99*footRate {
		p.miss("rate", p.place, "this needs %.0f pictures a second or more, the clip has %.0f", footRate, rate)
		return 0
	}
	l, err := p.landmark(p.place, p.measure.Points[0])
	if err != nil {
		p.miss("landmark", p.measure.Points[0], "%v", err)
		return 0
	}
	at := func(frame int, when string) r2.Vec {
		v, ok := p.on(frame, l, source{what: "placing the {of} {at} contact", of: l, at: when})
		if !ok {
			p.miss("landmark", fmt.Sprintf("%s@%d", l, frame), "place the %s on picture %d, %s contact", Spoken(l), frame, when)
		}
		return v
	}
	a, b := at(from, "4 pictures before"), at(to, "1 picture before")
	if p.shift == nil {
		p.drawings = append(p.drawings, Drawing{Kind: "segment", Frame: to, From: p.plane.Unmap(a), To: p.plane.Unmap(b)})
	}
	return p.metres(b.X-a.X) / p.real(t)
}

// Extra is a landmark that a measure wants on a frame that is no key position.
type Extra struct {
	Place    string        `json:"place"` // the key position that it belongs to
	Frame    int           `json:"frame"`
	Landmark body.Landmark `json:"landmark"`
	For      string        `json:"for"` // the measure's name
}

// Extras lists them, for the stamps that are there.
func Extras(s *Sheet) []Extra {
	out := []Extra{}
	for _, m := range s.Event.Measures {
		if m.Kind != "foot-speed" || len(m.Views) > 0 && !slices.Contains(m.Views, s.View) {
			continue
		}
		for _, place := range m.At {
			f, ok := s.Stamps[place]
			k, _ := s.Event.Key(place)
			l, err := withSupport(s.Roles, k).Landmark(m.Points[0])
			first := f - 1 - footPictures
			if !ok || err != nil || first < 0 || footPictures/(s.Film.At(f-1)-s.Film.At(first)) < 0.99*footRate {
				continue
			}
			out = append(out, Extra{place, first, l, m.Name}, Extra{place, f - 1, l, m.Name})
		}
	}
	return out
}
