package measure

import (
	"fmt"
	"strings"

	"gonum.org/v1/gonum/spatial/r2"
	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
	"neokinema/core/clock"
	"neokinema/core/optics"
	"neokinema/core/playbook"
)

// Model errors that no pixel shows, all standard uncertainties.
const (
	JointAngleU  = 2.0   // degrees, an included angle: joint centres are not visible points
	DirectionU   = 1.0   // degrees, a segment's or line's inclination
	JointApartU  = 0.006 // of standing height, the distance between two joint centres
	MassU        = 0.01  // of standing height, the centre of mass
	MassNoArmsU  = 0.01  // of standing height more, with the arms not placed
	HiddenShare  = 0.05  // of the trunk's length, a far hip or shoulder read off the near one
	minTrunkPx   = 20.0
	unknownMarkU = optics.MarkU
)

// probe gives a measure's formula its inputs, one of them shifted, and notes
// which were asked for and what was missing.
type probe struct {
	sheet    *Sheet
	plane    optics.Plane
	measure  playbook.Measure
	place    string
	shift    string
	by       float64
	seen     map[string]float64
	order    []string
	missing  []Missing
	drawings []Drawing
}

// input is the gate: a quantity with its standard uncertainty. The part of the
// name before " · " is how the derivation lists it.
func (p *probe) input(name string, value, u float64) float64 {
	if _, ok := p.seen[name]; !ok && u > 0 {
		p.seen[name] = u
		p.order = append(p.order, name)
	}
	if name == p.shift {
		return value + p.by
	}
	return value
}

func title(name string) string {
	t, _, _ := strings.Cut(name, " · ")
	return t
}

func (p *probe) miss(kind, id, format string, args ...any) {
	for _, m := range p.missing {
		if m.Kind == kind && m.ID == id {
			return
		}
	}
	p.missing = append(p.missing, Missing{kind, fmt.Sprintf(format, args...), id})
}

// frame is the frame of a key position.
func (p *probe) frame(place string) (int, bool) {
	f, ok := p.sheet.Stamps[place]
	if !ok {
		k, _ := p.sheet.Event.Key(place)
		p.miss("stamp", place, "stamp %s", k.Name)
	}
	return f, ok
}

// instant is the real time of a key position, in seconds.
func (p *probe) instant(place string) float64 {
	f, ok := p.frame(place)
	if !ok {
		return 0
	}
	k, _ := p.sheet.Event.Key(place)
	at, err := p.sheet.Film.Instant(f, clock.Nature(k.Nature))
	if err != nil {
		p.miss("stamp", place, "%s: %v", k.Name, err)
		return 0
	}
	return p.input("stamp of "+k.Name, at.T, at.U)
}

// real turns a duration of the film into real seconds, as well as the capture
// rate is known.
func (p *probe) real(t float64) float64 { return t * p.input("capture rate", 1, p.sheet.Film.RelU()) }

// before is the place in the measure's list of stamps ahead of place.
func (p *probe) before(place string) (string, bool) {
	for i, s := range p.measure.Stamps {
		if s == place && i > 0 {
			return p.measure.Stamps[i-1], true
		}
	}
	return "", false
}

// at resolves a role name at a place: "front.knee", "mid.hip", "stance.toe".
func (p *probe) at(place, name string) r2.Vec {
	if part, ok := cutMid(name); ok {
		return p.middle(place, part)
	}
	l, err := p.landmark(place, name)
	if err != nil {
		p.miss("landmark", name, "%v", err)
		return r2.Vec{}
	}
	if v, ok := p.placed(place, l); ok {
		return v
	}
	part := strings.Split(string(l), ".")[0]
	far := p.sheet.Roles["far"]
	if (part == "hip" || part == "shoulder") && l == body.Landmark(part+"."+string(far)) {
		return p.hidden(place, part)
	}
	return p.lacks(place, l)
}

func (p *probe) landmark(place, name string) (body.Landmark, error) {
	k, _ := p.sheet.Event.Key(place)
	return withSupport(p.sheet.Roles, k).Landmark(name)
}

func withSupport(r body.Roles, k playbook.Key) body.Roles {
	out := body.Roles{}
	for role, side := range r {
		out[role] = side
	}
	if side, ok := r[k.Support()]; ok {
		out["stance"], out["swing"] = side, side.Other()
	}
	return out
}

func cutMid(name string) (part string, ok bool) { return strings.CutPrefix(name, "mid.") }

func (p *probe) lacks(place string, l body.Landmark) r2.Vec {
	k, _ := p.sheet.Event.Key(place)
	if _, ok := p.frame(place); ok {
		p.miss("landmark", string(l)+"@"+place, "place the %s at %s", Spoken(l), k.Name)
	}
	return r2.Vec{}
}

// Spoken is a landmark in words: "left knee".
func Spoken(l body.Landmark) string {
	part, side, paired := strings.Cut(string(l), ".")
	if !paired {
		return part
	}
	return body.Side(side).Word() + " " + part
}

// placed is a landmark's place in the plane, in level pixels.
func (p *probe) placed(place string, l body.Landmark) (r2.Vec, bool) {
	f, ok := p.sheet.Stamps[place]
	if !ok {
		p.frame(place)
		return r2.Vec{}, false
	}
	k, _ := p.sheet.Event.Key(place)
	return p.on(f, l, "at "+k.Name)
}

// on is a landmark's place on a frame, in level pixels.
func (p *probe) on(frame int, l body.Landmark, when string) (r2.Vec, bool) {
	m, ok := p.sheet.Marks[frame][l]
	if !ok {
		return r2.Vec{}, false
	}
	u := m.U
	if u == 0 {
		u = unknownMarkU
	}
	name := fmt.Sprintf("placing the %s %s", Spoken(l), when)
	px := r2.Vec{X: p.input(name+" · x", m.At.X, u), Y: p.input(name+" · y", m.At.Y, u)}
	plane := p.plane
	plane.Tilt = p.input("level", plane.Tilt, plane.TiltU)
	v := plane.Map(px)
	v.X *= p.input(fmt.Sprintf("camera off square, up to %.0f°", optics.OffSquare), 1, optics.StretchU(optics.OffSquare))
	return v, true
}

// hidden reads a far hip or shoulder off the near one.
func (p *probe) hidden(place, part string) r2.Vec {
	near := body.Landmark(part + "." + string(p.sheet.Roles["near"]))
	v, ok := p.placed(place, near)
	if !ok {
		return p.lacks(place, near)
	}
	k, _ := p.sheet.Event.Key(place)
	name := fmt.Sprintf("far %s read off the near one at %s", part, k.Name)
	u := HiddenShare * p.trunkPx(place)
	return r2.Add(v, r2.Vec{X: p.input(name+" · x", 0, u), Y: p.input(name+" · y", 0, u/2)})
}

// middle is the mean of a pair, or the near one when the far one is hidden.
func (p *probe) middle(place, part string) r2.Vec {
	near, okN := p.placed(place, body.Landmark(part+"."+string(p.sheet.Roles["near"])))
	far, okF := p.placed(place, body.Landmark(part+"."+string(p.sheet.Roles["far"])))
	switch {
	case okN && okF:
		return r2.Scale(0.5, r2.Add(near, far))
	case okF:
		return far
	}
	return p.hidden(place, part)
}

// trunkPx is the length of the trunk as placed, without its uncertainty.
func (p *probe) trunkPx(place string) float64 {
	f := p.sheet.Stamps[place]
	near := p.sheet.Roles["near"]
	s, okS := p.sheet.Marks[f][body.Landmark("shoulder."+string(near))]
	h, okH := p.sheet.Marks[f][body.Landmark("hip."+string(near))]
	if !okS || !okH {
		return minTrunkPx
	}
	return max(minTrunkPx, r2.Norm(r2.Sub(s.At, h.At)))
}

// metres turns a length of the plane into metres.
func (p *probe) metres(px float64) float64 {
	if p.plane.PxPerM == 0 {
		p.miss("scale", "scale", "set the scale: a known length in the lane")
		return 0
	}
	return px / p.input("scale", p.plane.PxPerM, p.plane.ScaleU)
}

// origin is the start line's place along the direction of travel, in pixels.
func (p *probe) origin() float64 {
	o := p.sheet.Optics.Origin
	if o == nil {
		p.miss("origin", "origin", "mark the start line")
		return 0
	}
	u := p.sheet.Optics.MarkU
	px := r2.Vec{X: p.input("marking the start line · x", o.X, u), Y: o.Y}
	return p.plane.Map(px).X
}

// mass is the centre of mass at a place, in level pixels, from the segments of
// de Leva 1996. Arms that are not placed hang at the shoulder; the head follows
// the trunk unless the ear is placed; both at a cost in uncertainty.
func (p *probe) mass(place string) r2.Vec {
	hip, shoulder := p.at(place, "mid.hip"), p.at(place, "mid.shoulder")
	at := map[body.Landmark]r3.Vec{}
	set := func(l body.Landmark, v r2.Vec) { at[l] = r3.Vec{X: v.X, Y: v.Y} }
	trunk := r2.Sub(shoulder, hip)
	neck := r2.Add(shoulder, r2.Scale(0.12, trunk))
	set("neck", neck)
	set("vertex", r2.Add(neck, r2.Scale(0.55, trunk)))
	arms := true
	for _, side := range []body.Side{body.Left, body.Right} {
		on := func(part string) body.Landmark { return body.Landmark(part + "." + string(side)) }
		set(on("hip"), hip)
		set(on("shoulder"), shoulder)
		from := shoulder
		for _, part := range []string{"elbow", "wrist", "knuckle"} {
			if v, ok := p.placed(place, on(part)); ok {
				from = v
			} else if part != "knuckle" {
				arms = false
			}
			set(on(part), from)
		}
		for _, part := range []string{"knee", "ankle"} {
			v, ok := p.placed(place, on(part))
			if !ok {
				v = p.lacks(place, on(part))
			}
			set(on(part), v)
		}
		ankle := at[on("ankle")]
		at[on("heel")], at[on("toe")] = ankle, ankle
		if v, ok := p.placed(place, on("toe")); ok {
			set(on("toe"), v)
		}
	}
	if ear, ok := p.placed(place, body.Landmark("ear."+string(p.sheet.Roles["near"]))); ok {
		set("vertex", r2.Add(neck, r2.Scale(1.7, r2.Sub(ear, neck))))
	}
	c, err := body.CentreOfMass(p.sheet.Sex, at)
	if err != nil {
		p.miss("landmark", "mass@"+place, "%v", err)
		return r2.Vec{}
	}
	k, _ := p.sheet.Event.Key(place)
	u := MassU
	name := "centre of mass at " + k.Name
	if !arms {
		u += MassNoArmsU
		name += ", arms not placed"
	}
	pxPerM := p.plane.PxPerM
	return r2.Vec{X: c.X + p.input(name, 0, u*p.sheet.HeightM)*pxPerM, Y: c.Y}
}

func (p *probe) arc(place string, vertex, from, to r2.Vec) {
	f := p.sheet.Stamps[place]
	v := p.plane.Unmap(vertex)
	p.drawings = append(p.drawings,
		Drawing{Kind: "arc", Frame: f, Vertex: &v, From: p.plane.Unmap(from), To: p.plane.Unmap(to)})
}

func (p *probe) segment(place string, from, to r2.Vec) {
	p.drawings = append(p.drawings,
		Drawing{Kind: "segment", Frame: p.sheet.Stamps[place], From: p.plane.Unmap(from), To: p.plane.Unmap(to)})
}
