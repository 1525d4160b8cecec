package sim

import (
	"math"

	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
	"neokinema/core/flight"
)

// highJump is the curve, take-off and flop of a high jump. The zero is the
// plant of the take-off foot; x is 0 at the bar and grows across it, the origin
// lies under its middle. The jumper whose right leg works comes from the left.
func highJump() discipline {
	return discipline{
		id: "high-jump", variants: []string{"speed", "power"},
		knobs: func(w Request) []knob {
			v, up, r := 7.1, 4.15, 10.0
			if w.Athlete.Sex == body.Woman {
				v, up, r = 6.4, 3.65, 9.0
			}
			contact, least := 0.152, 6.0
			if w.Variant == "power" {
				contact, least, v = 0.186, 10, v-0.4
			}
			switch w.Level {
			case "developing", "youth":
				v, up, r = v-1.0, up-0.75, r-1.6
			case "elite":
				v, up = v+0.3, up+0.3
			}
			return []knob{
				free("approach-speed", v, 0.08, 4, 8.4), free("radius", r, 0.15, 5, 14), free("angle-to-bar", 38, 1, 20, 60), free("lean-kept", 1, 0.02, 0, 1.3), free("waist", 0, 0.6, -6, 50), free("pen-offset", 0.01, 0.02, -0.2, 0.5),
				free("pen-knee", 153, 1.5, 76, 170), free("plant-ahead", 48, 1, 10, 75), free("trunk-back", 11, 1, -15, 30), free("plant-knee", 170, 1, 145, 176), free("give", least, 1, 0, 54), free("contact", contact, 0.002, 0.11, 0.26),
				held("foot-direction@plant", 8, 2, -20, 60, 2), free("strike", -16, 2, -30, 30), free("toe-to-bar", 0.92, 0.02, 0.5, 1.4), held("rise@take-off", up, 0.04, 1.8, 5, 0.05), held("peak-past-bar@peak", 0.03, 0.02, -0.6, 0.9, 0.05),
				free("free-thigh", 88, 2, 30, 110), free("knee-from-bar", -10, 2, -40, 60), free("arch", 1, 0.03, -0.6, 1.4), free("speed-out", 3.5, 0.06, 1.5, 5.5),
			}
		},
		faults: map[string]change{
			"straightened-before-plant": {"lean-kept": -0.95, "peak-past-bar@peak": 0.12}, "foot-under": {"plant-ahead": -30, "trunk-back": -8, "rise@take-off": -0.35, "peak-past-bar@peak": 0.10, "speed-out": 0.7},
			"squat-penultimate": {"pen-knee": -72, "rise@take-off": -0.25}, "flat-plant": {"strike": 36, "rise@take-off": -0.12}, "parallel-foot": {"foot-direction@plant": 44},
			"waist-bend": {"waist": 41}, "knee-collapse": {"give": 43, "contact": 0.02, "rise@take-off": -0.3}, "knee-into-bar": {"knee-from-bar": 44},
			"early-look": {"arch": -1.5}, "jump-into-bar": {"peak-past-bar@peak": 0.46},
		},
		lay: layHighJump, measure: measureHighJump,
	}
}

// neededLean is the lean, degrees, that a run of speed v on a circle of radius
// r asks of a body whose centre of mass is h above its foot: circular motion,
// tan θ = v²/(g(r − h sin θ)), iterated.
func neededLean(v, r, h float64) float64 {
	t := 0.0
	for range 30 {
		t = math.Atan(v * v / (flight.G * (r - h*math.Sin(t))))
	}
	return t * 180 / math.Pi
}

// curve is the run-up's line on the ground: straight, then a bend to the right.
type curve struct {
	centre r3.Vec
	r      float64
	end    float64 // heading where s is 0, degrees
}

func rightOf(yaw float64) r3.Vec { return r3.Vec{X: sin(yaw), Y: -cos(yaw)} }

// at gives place and heading at s metres past the end.
func (c curve) at(s float64) (r3.Vec, float64) {
	yaw := c.end - s/c.r*180/math.Pi
	if yaw <= 0 {
		return r3.Sub(c.centre, r3.Scale(c.r, rightOf(yaw))), yaw
	}
	enter := r3.Sub(c.centre, r3.Scale(c.r, rightOf(0)))
	return r3.Add(enter, r3.Vec{X: s - c.r*c.end*math.Pi/180}), 0
}

func layHighJump(p *plan) {
	pr := &p.pr
	leg := pr.legLength()
	v := p.get("approach-speed")
	contact := p.get("contact")
	r := p.get("radius")
	end := -(90 - p.get("angle-to-bar"))
	need := neededLean(v, r, 0.55*pr.Height)
	lean := need * (0.25 + 0.75*clamp(p.get("lean-kept"), 0, 1))
	keep := clamp(p.get("lean-kept"), 0, 1.3)

	tip := r3.Vec{X: -p.get("toe-to-bar"), Y: 1.05}
	footYaw := end + 10 - p.get("foot-direction@plant")
	ankle := r3.Sub(tip, r3.Scale(pr.ToeAhead, flat(footYaw)))
	hipHeight := 0.50 * pr.Height
	beside := func(deg float64) float64 { return hipHeight * sin(deg) }
	inPlant := 0.80 * need * keep
	// the hips run inside the feet by their lean
	centre := r3.Add(ankle, r3.Scale(r-beside(need)+beside(inPlant), rightOf(end)))
	path := curve{centre, r - beside(need), end}

	tc := 0.138 * 7 / v * leg / 0.894
	step := func(l float64) float64 { return l/v - tc }
	ahead := 0.21 * leg
	plantAhead := p.get("plant-ahead") / 100 * leg
	type c struct {
		foot         side
		td, to       float64
		s            float64 // of the hips at td
		ahead        float64
		kTd, kTo     float64
		strike, lift float64
		lean         float64
		offset       float64
	}
	lastFlight := step(1.70 * v / 7)
	penTc := tc * 1.05
	penTd := -lastFlight - penTc
	sPen := -plantAhead - v*(lastFlight+penTc)
	pk := p.get("pen-knee")
	list := []c{{left, penTd, penTd + penTc, sPen, 0.26 * leg, pk + 2, clamp(pk+10, 150, 170), -2, 70, between(0.3, 0.95, keep) * need * keep, p.get("pen-offset")}}
	foot, td, s := right, penTd, sPen
	for i, l := range []float64{1.95, 1.85, 1.80, 1.80, 1.80, 1.80} {
		tf := step(l * v / 7)
		td -= tf + tc
		s -= v * (tf + tc)
		share := []float64{1, 1, 0.85, 0.2, 0, 0}[i]
		if i == 0 {
			share *= between(0.75, 1, keep)
		}
		list = append([]c{{foot, td, td + tc, s, ahead, 160, 167, 4, 72, share * lean, 0}}, list...)
		foot = foot.other()
	}
	var feet []stride
	for i, q := range list {
		roll := q.lean
		waist := p.get("waist")
		if i < len(list)-2 {
			waist *= smooth(roll / 10)
		}
		q.lean -= 0.27 * waist // the legs stay upright under a trunk that bends
		at, yaw := path.at(q.s)
		leave, after := path.at(q.s + v*(q.to-q.td))
		mid := (yaw + after) / 2
		st := stride{foot: q.foot, td: q.td, to: q.to, yaw: mid, ahead: q.ahead, off: v*(q.to-q.td) - q.ahead, kneeTd: q.kTd, kneeTo: q.kTo, strike: q.strike, lift: q.lift, wide: 0.03, toeOut: 4, lean: -beside(q.lean) - q.offset, leave: &leave}
		p.ground(st, at)
		feet = append(feet, st)
		next := 0.0
		if i+1 < len(list) {
			next = list[i+1].td
		}
		p.fly(q.to, next)
		g := q.foot.sign()
		p.at(q.td, values{hipYaw: yaw - g*5, chestYaw: yaw + g*8, hipRoll: roll - 0.4*waist, chestRoll: roll + waist, hipPitch: 5, chestPitch: 5, headYaw: -10, headRoll: -0.5 * roll})
		p.at(q.to, values{hipYaw: after, chestYaw: after})
	}
	// plant and take-off
	out := end - 14
	h := p.stand(hold{foot: right, from: 0, to: contact, at: ankle, yaw: steady(footYaw), pins: []pin{{0, heel}, {0.22 * contact, toe}},
		pitch: newTrack(knot{0, p.get("strike")}, knot{0.22 * contact, math.Max(0, p.get("strike"))}, knot{0.6 * contact, 8}, knot{contact, 66})})
	if p.get("strike") > 0 {
		h.pins = []pin{{0, toe}}
	}
	h.settle(pr)
	hip := r3.Add(ankle, r3.Add(r3.Scale(-plantAhead, flat(end-2)), r3.Scale(beside(inPlant), rightOf(end))))
	here := h.footing(pr, 0).ankle
	p.ways = append(p.ways, way{t: 0, over: right, dx: hip.X - here.X, dy: hip.Y - here.Y, knee: p.get("plant-knee")})
	midT := 0.48 * contact
	midHip := r3.Add(ankle, r3.Add(r3.Scale(0.46*v*contact*0.93-plantAhead, flat(end-5)), r3.Scale(0.45*beside(inPlant), rightOf(end))))
	mh := h.footing(pr, midT).ankle
	knee := p.get("plant-knee") - 12 - p.get("give")
	p.ways = append(p.ways, way{t: midT, over: right, dx: midHip.X - mh.X, dy: midHip.Y - mh.Y, knee: knee})
	leave := r3.Add(ankle, r3.Add(r3.Scale(0.36, flat(out)), r3.Scale(0.01, rightOf(end))))
	lh := h.footing(pr, contact).ankle
	p.ways = append(p.ways, way{t: contact, over: right, dx: leave.X - lh.X, dy: leave.Y - lh.Y, knee: 172})

	// flight over the bar and landing on the mat
	vz := p.get("rise@take-off")
	const mat = 0.70
	z0, z1 := 0.715*pr.Height, mat+0.34
	T := (vz + math.Sqrt(vz*vz+2*flight.G*(z0-z1))) / flight.G
	land := contact + T
	com := r3.Add(leave, r3.Scale(0.05, flat(out)))
	vx := (p.get("peak-past-bar@peak") - com.X) / (vz / flight.G)
	vy := -math.Sqrt(math.Max(0.5, sq(p.get("speed-out"))-vx*vx))
	arch := p.get("arch")
	place := r3.Vec{X: com.X + vx*T + 0.02, Y: com.Y + vy*T, Z: mat + 0.42}
	p.ways = append(p.ways, way{t: land, place: place}, way{t: land + 0.16, place: r3.Add(place, r3.Vec{X: 0.26, Y: -0.14, Z: -0.26})}, way{t: land + 0.5, place: r3.Add(place, r3.Vec{X: 0.36, Y: -0.2, Z: -0.24}), speed: &r3.Vec{}})
	p.fly(contact, land)
	n := len(feet)
	p.begin, p.end = feet[n-5].td-0.06, land+0.45

	style := swingStyle{back: -22, fold: 60, thigh: 60, reach: 150}
	for i := 0; i+2 < n; i++ {
		p.through(feet[i].foot, feet[i].to, feet[i+2].td, style)
	}
	p.through(right, feet[n-2].to, 0, swingStyle{back: -20, fold: 66, thigh: 56, reach: 154})
	u := func(x float64) float64 { return contact + x*T }
	kb := p.get("knee-from-bar")
	bar := func(t, flex, out, knee, point float64) legKnot { return legKnot{t, flex, out, 0, knee, point} }
	d := contact - feet[n-1].to
	sag := clamp(1-arch, 0, 2)
	p.step(left, feet[n-1].to, land+0.6, bar(feet[n-1].to+0.22*d, -20, 2, 106, 34), bar(feet[n-1].to+0.58*d, 26, 0.5*kb, 62, 18), bar(contact, p.get("free-thigh"), kb, 72, 6), bar(u(0.12), 74, 0.5*kb, 78, 12),
		bar(u(0.30), 10+20*sag, 8, 96, 24), bar(u(0.46), -26+54*sag, 12, 86, 34), bar(u(0.60), -22+48*sag, 12, 84, 34), bar(u(0.78), 52, 10, 132, 20), bar(u(0.95), 88, 9, 162, 10), bar(land+0.2, 92, 10, 150, 16), bar(land+0.6, 80, 12, 120, 20))
	p.step(right, contact, land+0.6, bar(u(0.10), -20, 4, 140, 40), bar(u(0.28), -12+14*sag, 8, 110, 34), bar(u(0.46), -28+54*sag, 12, 88, 34), bar(u(0.60), -22+48*sag, 12, 84, 34), bar(u(0.78), 50, 10, 132, 20), bar(u(0.95), 86, 9, 162, 10), bar(land+0.2, 90, 10, 150, 16), bar(land+0.6, 78, 12, 120, 20))

	// the trunk turns its back to the bar and lies over it
	p.at(0, values{hipYaw: end - 4, chestYaw: end + 10, hipPitch: -p.get("trunk-back") * 0.9, chestPitch: -p.get("trunk-back"), hipRoll: inPlant - 0.3*p.get("waist"), chestRoll: inPlant})
	p.at(contact, values{hipYaw: end - 30, chestYaw: end - 22, hipPitch: 0, chestPitch: 1, hipRoll: 2, chestRoll: 0, headYaw: 20})
	p.at(contact+0.12*T, values{hipYaw: end - 66, chestYaw: end - 60, hipPitch: -16, chestPitch: -16})
	p.at(contact+0.30*T, values{hipYaw: -164, chestYaw: -160, hipPitch: -58, chestPitch: -60, hipRoll: 0, chestRoll: 0, headYaw: 24})
	p.at(contact+0.46*T, values{hipYaw: -176, chestYaw: -174, hipPitch: -84 + 16*sag, chestPitch: -102 + 34*sag, headYaw: 10, headPitch: -20 + 40*sag})
	p.at(contact+0.62*T, values{hipYaw: -179, chestYaw: -178, hipPitch: -104 + 14*sag, chestPitch: -116 + 28*sag, headPitch: 10})
	p.at(contact+0.80*T, values{hipPitch: -124, chestPitch: -116, headPitch: 34})
	p.at(land, values{hipYaw: -180, chestYaw: -180, hipPitch: -138, chestPitch: -122, headPitch: 46, headYaw: 0})
	p.at(land+0.2, values{hipPitch: -128, chestPitch: -106, headPitch: 50})
	p.at(p.end, values{hipPitch: -110, chestPitch: -98, headPitch: 30})

	arms := armStyle{front: 50, back: -52, elbowFront: 78, elbowBack: 98, out: 10, in: 16}
	for _, st := range feet[:n-1] {
		p.pump(st.foot, st.td, false, arms)
		p.pump(st.foot.other(), st.td, true, arms)
	}
	set := func(t, r, l, out, elbow float64) {
		p.at(t, values{armFlexR: r, armFlexL: l, armOutR: out, armOutL: out, elbowR: elbow, elbowL: elbow})
	}
	set(-0.05, -56, -30, 14, 108)
	set(contact, 118, 132, 14, 100)
	set(contact+0.18*T, 128, 150, 20, 130)
	set(contact+0.46*T, 20, 60, 40, 150)
	set(contact+0.70*T, 8, 20, 36, 156)
	set(land, 20, 20, 52, 150)
	set(p.end, 30, 30, 66, 140)

	st := p.stamps
	st["curve-start"], st["c3"], st["c2"], st["pen-td"], st["pen-to"], st["plant"], st["take-off"], st["land"] = feet[n-4].td, feet[n-3].td, feet[n-2].td, feet[n-1].td, feet[n-1].to, 0, contact, land
	st["c2-to"] = feet[n-2].to
	height := math.Round(100*(0.715*pr.Height+vz*vz/2/flight.G-0.055)) / 100
	p.marks = map[string]r3.Vec{"bar.near": {Y: 2, Z: height}, "bar.far": {Y: -2, Z: height}, "standard.near": {Y: 2.02}, "standard.far": {Y: -2.02}, "mat.near": {X: 0.1, Y: 2.5}, "mat.far": {X: 0.1, Y: -2.5}, "curve": centre}
	for i := -4; i <= 2; i++ {
		p.marks[at("mark", i)] = r3.Vec{X: -4, Y: float64(2 * i)}
	}
}

func measureHighJump(m *Motion) map[string]float64 {
	p := m.plan
	pr := &p.pr
	s := m.Stamps
	out := map[string]float64{}
	leg := pr.legLength()
	to, land := s["take-off"], s["land"]
	heading := func(t float64) r3.Vec {
		_, v := m.com.at(t)
		return r3.Unit(r3.Vec{X: v.X, Y: v.Y})
	}
	inside := func(t float64) r3.Vec { u := heading(t); return r3.Vec{X: u.Y, Y: -u.X} }
	out["step-time@c2"], out["step-time@pen-td"], out["step-time@plant"] = s["c2"]-s["c3"], s["pen-td"]-s["c2"], -s["pen-td"]
	feet := map[string]side{"c3": left, "c2": right, "pen-td": left}
	for place, q := range feet {
		t := s[place]
		f := m.figure(t)
		in := inside(t)
		out["lean@"+place] = lean(f.limb[q].ankle, f.shoulders(), in)
		if place != "c3" {
			out["hip-break@"+place] = lean(f.midHip, f.shoulders(), in) - lean(f.limb[q].ankle, f.midHip, in)
		}
	}
	speed := func(from, to float64) float64 {
		a, b := m.figure(from), m.figure(to)
		d := r3.Sub(b.midHip, a.midHip)
		return math.Hypot(d.X, d.Y) / (to - from)
	}
	out["needed-lean@c2"] = neededLean(speed(s["c3"], s["pen-td"]), p.get("radius"), 0.55*pr.Height)
	centre := p.marks["curve"]
	away := func(place string, q side) float64 {
		f := m.figure(s[place] + 0.05)
		d := r3.Sub(f.limb[q].ball, centre)
		return math.Hypot(d.X, d.Y)
	}
	out["pen-offset@pen-td"] = away("pen-td", left) - (away("c2", right)+away("plant", right))/2
	hips := func(t float64) float64 { f := m.figure(t); return f.midHip.Z }
	out["hip-drop@pen-to"] = 100 * (hips(m.holdAt(right, s["c2"]).mid()) - hips((s["pen-td"]+s["pen-to"])/2)) / leg
	pf, tf := m.figure(0), m.figure(to)
	u := heading(-1e-3)
	out["plant-ahead@plant"] = 100 * ahead(pf.midHip, pf.limb[right].ankle, u) / leg
	up := r3.Sub(pf.limb[right].hip, pf.limb[right].ankle)
	out["block-leg@plant"] = atan2(up.Z, -r3.Dot(up, u))
	out["trunk-back@plant"] = -pf.trunkLean(u)
	out["plant-knee@plant"] = pf.knee(right)
	out["plant-flexion@plant"] = 180 - pf.knee(right) // no knee here is pushed through
	out["plant-knee-min@take-off"] = least(0, to, func(t float64) float64 { f := m.figure(t); return f.knee(right) })
	out["approach-speed@plant"] = speed(s["pen-td"], 0)
	out["inward-lean@plant"] = lean(pf.limb[right].ankle, pf.shoulders(), inside(-1e-3))
	out["inward-lean@take-off"] = lean(tf.limb[right].ankle, tf.shoulders(), r3.Vec{X: u.Y, Y: -u.X})
	foot := r3.Sub(pf.limb[right].ball, pf.limb[right].heel)
	out["foot-direction@plant"] = wrap(atan2(u.Y, u.X) - atan2(foot.Y, foot.X))
	out["toe-to-bar@plant"] = -m.figureToe(0.4*to, right).X
	out["contact@take-off"] = to
	out["strike@plant"] = -pf.sole(right)
	thigh := r3.Sub(tf.limb[left].knee, tf.limb[left].hip)
	out["free-thigh@take-off"] = atan2(thigh.Z, math.Hypot(thigh.X, thigh.Y))
	out["knee-from-bar@take-off"] = atan2(-thigh.X, -thigh.Y)
	_, v := m.com.at(to + 1e-4)
	c := m.body.of(&tf)
	out["rise@take-off"], out["h1@take-off"] = v.Z, c.Z
	peak := to + v.Z/flight.G
	s["peak"] = peak
	kf := m.figure(peak)
	top := m.body.of(&kf)
	bar := p.marks["bar.near"].Z
	out["h2@peak"], out["bar-margin@peak"] = top.Z-c.Z, top.Z-bar
	out["peak-past-bar@peak"] = top.X
	out["hips-over-bar@peak"] = kf.midHip.Z - bar
	s["bar-clear"] = crossing(peak, land, func(t float64) float64 {
		f := m.figure(t)
		return math.Min(f.limb[left].heel.X, f.limb[right].heel.X)
	})
	return out
}

// figureToe is a toe tip at an instant.
func (m *Motion) figureToe(t float64, s side) r3.Vec {
	f := m.figure(t)
	return f.limb[s].toe
}
