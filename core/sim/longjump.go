package sim

import (
	"math"

	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
	"neokinema/core/flight"
)

// longJump is the last five steps, take-off, flight and landing of a long
// jump. The zero is the take-off foot on the board; x is 0 at the line.
func longJump() discipline {
	return discipline{
		id: "long-jump", variants: []string{"sail", "hang", "hitch-1", "hitch-2"},
		knobs: func(w Request) []knob {
			v := 8.9
			if w.Athlete.Sex == body.Woman {
				v = 8.0
			}
			v *= levelled(w.Level, 0.84, 1, 1.15)
			contact := levelled(w.Level, 0.145, 0.126, 0.118)
			return []knob{
				free("approach-speed", v, 0.08, 4.5, 10.8), free("pen-ratio", 1.07, 0.012, 0.8, 1.3), free("last-ratio", 0.93, 0.012, 0.6, 1.25), free("pen-knee", 148, 1.5, 115, 176), free("pen-foot", -2, 1.5, -20, 25),
				free("board-td-distance", 48, 1, 15, 80), free("board-knee", 166, 1, 140, 177), free("contact", contact, 0.002, 0.09, 0.22), held("speed-loss@board-to", 12.5, 0.5, 2, 35, 0.6), held("take-off-angle@board-to", 20.5, 0.5, 8, 32, 0.4),
				free("free-thigh", 86, 2, 20, 105), free("thigh-hold", 0.11, 0.006, 0, 0.25), free("trunk", 1, 1, -30, 25), free("extension", 172, 0.8, 140, 177), free("shoulder-tilt", 0, 1, -30, 30), free("arms-together", 0, 2, 0, 160),
				free("rotation", 0, 1.5, -20, 90), free("heel-reach", 80, 1.5, 25, 92), free("trunk-heels", 20, 2, -20, 90), free("board-gap", -0.05, 0.02, -0.4, 0.3), free("hands", 0, 2, -120, 20),
			}
		},
		faults: map[string]change{
			"no-setup": {"pen-knee": 28, "board-td-distance": -20, "board-knee": 6, "take-off-angle@board-to": -3}, "reaching-board": {"board-td-distance": 27, "board-knee": 5, "speed-loss@board-to": 6, "last-ratio": 0.03},
			"stretching": {"last-ratio": 0.2}, "chopping": {"last-ratio": -0.2, "take-off-angle@board-to": -2}, "lean-back": {"trunk": -24}, "early-drop": {"thigh-hold": -0.13, "free-thigh": -8, "rotation": 8},
			"arms-together": {"arms-together": 120, "thigh-hold": -0.02}, "shoulder-drop": {"shoulder-tilt": -18}, "forward-rotation": {"rotation": 75, "heel-reach": -10}, "short-landing": {"heel-reach": -42, "hands": -70}, "over-stepping": {"board-gap": 0.24},
		},
		lay: layLongJump, measure: measureLongJump,
	}
}

func layLongJump(p *plan) {
	pr := &p.pr
	leg := pr.legLength()
	v := p.get("approach-speed")
	k := 8.9 / v
	tc, tf := 0.100*k*leg/0.894, 0.122
	ahead := 0.23 * leg
	long := v * (tc + tf)
	off := v*tc - ahead
	boardAhead := p.get("board-td-distance") / 100 * leg
	penTc := tc * 1.06
	penAhead := 0.27 * leg
	penOff := v*penTc - penAhead
	penFlight := (p.get("pen-ratio")*long - off - penAhead) / v
	lastFlight := (p.get("last-ratio")*p.get("pen-ratio")*long - penOff - boardAhead) / (0.985 * v)
	if penFlight < 0.03 || lastFlight < 0.015 {
		p.fail("long-jump: step ratios of %.2f and %.2f leave no time in the air", p.get("pen-ratio"), p.get("last-ratio"))
		return
	}
	contact := p.get("contact")
	loss := p.get("speed-loss@board-to") / 100
	angle := p.get("take-off-angle@board-to")
	vx := v * (1 - loss)
	vz := vx * math.Tan(angle*math.Pi/180)

	// backward from the board
	board := r3.Vec{X: p.get("board-gap") - pr.ToeAhead}
	type contactAt struct {
		foot     side
		td, to   float64
		hip      float64 // at td
		ahead    float64
		off      float64
		kTd, kTo float64
		strike   float64
		lift     float64
	}
	boardOff := (v+vx)/2*contact*1.0 - boardAhead
	steps := []contactAt{{right, 0, contact, board.X - boardAhead, boardAhead, boardOff, p.get("board-knee"), p.get("extension"), -16, 72}}
	penTd := -lastFlight - penTc
	penHip := steps[0].hip - 0.985*v*lastFlight - v*penTc
	pk := p.get("pen-knee")
	steps = append([]contactAt{{left, penTd, penTd + penTc, penHip, penAhead, penOff, pk + 2, math.Min(172, pk+6), p.get("pen-foot"), 70}}, steps...)
	t3 := penTd - penFlight - tc
	h3 := penHip - v*penFlight - v*tc
	steps = append([]contactAt{{right, t3, t3 + tc, h3, ahead, off, 166, 171, 2, 80}}, steps...)
	for _, s := range []side{left, right, left} {
		first := steps[0]
		td := first.td - tf - tc
		steps = append([]contactAt{{s, td, td + tc, first.hip - v*(tc+tf), ahead, off, 166, 171, 2, 80}}, steps...)
	}
	var feet []stride
	for i, c := range steps {
		st := stride{foot: c.foot, td: c.td, to: c.to, ahead: c.ahead, off: c.off, kneeTd: c.kTd, kneeTo: c.kTo, strike: c.strike, lift: c.lift, wide: 0.05, toeOut: 4}
		if c.foot == right && c.td == 0 {
			st.flatBy = 0.28
		}
		p.ground(st, r3.Vec{X: c.hip})
		feet = append(feet, st)
		if i+1 < len(steps) {
			p.fly(c.to, steps[i+1].td)
		}
	}
	style := swingStyle{back: -24, fold: 44, thigh: 72, reach: 150}
	for i := 0; i+2 < len(feet)-1; i++ {
		p.through(feet[i].foot, feet[i].to, feet[i+2].td, style)
	}
	n := len(feet)
	p.through(right, feet[n-3].to, 0, swingStyle{back: -24, fold: 46, thigh: 66, reach: 152})

	// flight and landing
	takeOff := contact
	z0, z1 := 0.60*pr.Height, 0.345*pr.Height
	T := (vz + math.Sqrt(vz*vz+2*flight.G*(z0-z1))) / flight.G
	heels := takeOff + T
	reach := p.get("heel-reach") / 100 * leg
	hipAt := steps[n-1].hip + boardAhead + boardOff + vx*T + 0.05
	p.fly(takeOff, heels)
	for s := right; s <= left; s++ {
		p.stand(hold{foot: s, from: heels, to: math.Inf(1), at: r3.Vec{X: hipAt + reach + pr.HeelBehind, Y: 0.11 * s.sign()}, pins: []pin{{heels, heel}},
			yaw: steady(s.sign() * 6), pitch: newTrack(knot{heels, -34}, knot{heels + 0.16, -18}, knot{heels + 0.3, 0})})
	}
	p.ways = append(p.ways,
		way{t: 0.45 * contact, over: right, dx: 0.48*v*contact - boardAhead, dy: 0.05, knee: 149 + 0.3*(p.get("board-knee")-166)},
		way{t: heels, over: right, dx: -reach - 0.01, dy: 0.11, knee: math.Max(120, 158-0.35*math.Max(0, 80-p.get("heel-reach")))},
		way{t: heels + 0.15, place: r3.Vec{X: hipAt + reach - 0.10, Z: 0.30}},
		way{t: heels + 0.45, place: r3.Vec{X: hipAt + reach + 0.22, Z: 0.46}, speed: &r3.Vec{X: 0.6, Z: 0.4}})
	p.begin, p.end = feet[n-5].td, heels+0.40

	p.airLegs(feet[n-2].to, takeOff, heels)
	rot := p.get("rotation")
	trunk := func(t, pitch float64) { p.at(t, values{hipPitch: pitch, chestPitch: pitch}) }
	for _, st := range feet[:n-2] {
		g := st.foot.sign()
		trunk(st.td, 6)
		p.at(st.td, values{hipYaw: -g * 6, chestYaw: g * 9, hipRoll: 0, chestRoll: 0})
	}
	trunk(feet[n-2].td, 3)
	trunk(0, -5+0.4*p.get("trunk"))
	trunk(takeOff, p.get("trunk"))
	p.at(0, values{hipYaw: 6, chestYaw: -8, hipRoll: 0, chestRoll: 0.3 * p.get("shoulder-tilt")})
	p.at(takeOff, values{hipYaw: -8, chestYaw: 8, hipRoll: 4, chestRoll: p.get("shoulder-tilt")})
	mid, late := 8.0, 34.0
	if p.variant == "hang" {
		mid, late = -12, 38
	}
	trunk(takeOff+0.38*T, mid+0.35*rot)
	trunk(takeOff+0.78*T, late+0.8*rot)
	trunk(heels, p.get("trunk-heels")+rot)
	trunk(heels+0.2, 30+0.4*rot)
	p.at(takeOff+0.5*T, values{hipYaw: 0, chestYaw: 0, hipRoll: 0, chestRoll: 0.6 * p.get("shoulder-tilt"), headPitch: -4})
	p.at(heels, values{chestRoll: 0.2 * p.get("shoulder-tilt"), headPitch: -14})
	p.jumpArms(feet, takeOff, heels)

	s := p.stamps
	s["td-4"] = feet[n-4].td
	s["td-3"], s["to-3"], s["pen-td"], s["pen-to"], s["board-td"], s["board-to"], s["heels"], s["deepest"] = feet[n-3].td, feet[n-3].to, feet[n-2].td, feet[n-2].to, 0, takeOff, heels, heels+0.15
	p.marks = map[string]r3.Vec{"line": {}, "board.back": {X: -0.20}, "sand": {X: 1.0}}
	for i := -7; i <= 8; i++ {
		p.marks[at("mark", i)] = r3.Vec{X: float64(i), Y: 1.4}
	}
}

// airLegs carries both legs from the take-off to the landing in the style.
func (p *plan) airLegs(penTo, takeOff, heels float64) {
	T := heels - takeOff
	lead := p.get("free-thigh")
	until := p.get("thigh-hold")
	u := func(x float64) float64 { return takeOff + x*T }
	k := func(t, flex, knee, point float64) legKnot { return legKnot{t, flex, 3, 0, knee, point} }
	// the free leg is driven up, held, then carried on
	d := takeOff - penTo
	free := []legKnot{k(penTo+0.20*d, -22, 104, 36), k(penTo+0.52*d, 22, 52, 20), k(takeOff, lead, 74, 8)}
	if until > 0.02 {
		free = append(free, k(takeOff+until, lead-4, 80, 10))
	}
	if drop := clamp((0.06-until)/0.06, 0, 1); drop > 0 {
		free = append(free, k(takeOff+0.10, lead-4-55*drop, 92, 20))
	}
	rest := math.Max(until+0.05, between(0.20, 0.30, clamp(until/0.10, 0, 1))*T)
	at := func(x float64) float64 { return takeOff + rest + (T-rest)*x }
	var work []legKnot
	switch p.variant {
	case "hang":
		free = append(free, k(at(0.10), 20, 96, 24), k(at(0.38), -8, 92, 30), k(at(0.76), 84, 112, 4))
		work = []legKnot{k(u(0.10), -24, 128, 40), k(u(0.40), -12, 96, 34), k(u(0.58), -8, 92, 30), k(u(0.84), 80, 110, 4)}
	case "hitch-1":
		free = append(free, k(at(0.16), -22, 150, 30), k(at(0.48), 30, 74, 20), k(at(0.80), 84, 128, 4))
		work = []legKnot{k(u(0.10), -24, 120, 40), k(u(0.26), 22, 60, 20), k(u(0.46), 78, 84, 8), k(u(0.84), 86, 140, 2)}
	case "hitch-2":
		free = append(free, k(at(0.06), -24, 150, 30), k(at(0.28), 34, 62, 20), k(at(0.46), 74, 90, 8), k(at(0.80), 86, 136, 2))
		work = []legKnot{k(u(0.07), -22, 120, 40), k(u(0.20), 30, 58, 20), k(u(0.32), 72, 84, 8), k(u(0.52), -18, 146, 30), k(u(0.70), 44, 66, 18), k(u(0.86), 84, 128, 4)}
	default:
		free = append(free, k(at(0.40), 78, 84, 8), k(at(0.78), 92, 132, 2))
		work = []legKnot{k(u(0.10), -24, 124, 40), k(u(0.32), 24, 82, 22), k(u(0.58), 72, 92, 8), k(u(0.84), 92, 134, 2)}
	}
	p.step(left, penTo, heels, free...)
	p.step(right, takeOff, heels, work...)
}

// jumpArms pumps the arms to the take-off and carries them through the air.
func (p *plan) jumpArms(feet []stride, takeOff, heels float64) {
	style := armStyle{front: 62, back: -64, elbowFront: 70, elbowBack: 98, out: 8, in: 18}
	for _, st := range feet[:len(feet)-1] {
		p.pump(st.foot, st.td, false, style)
		p.pump(st.foot.other(), st.td, true, style)
	}
	T := heels - takeOff
	set := func(s side, u, flex, out, elbow float64) {
		p.at(takeOff+u*T, values{s.of(armFlexR): flex, s.of(armOutR): out, s.of(elbowR): elbow, s.of(armTurnR): 10})
	}
	set(right, -0.17, -40, 12, 100)
	set(left, -0.17, 40, 8, 84)
	both := p.get("arms-together")
	set(right, 0, 118, 8, 92)
	set(left, 0, -48+1.4*both, 14, 96+0.2*both)
	hands := p.get("hands")
	switch p.variant {
	case "sail":
		set(right, 0.3, 100, 20, 140)
		set(left, 0.3, 50, 30, 140)
		for _, s := range []side{right, left} {
			set(s, 0.65, 92, 16, 150)
		}
	case "hang":
		set(right, 0.25, 150, 30, 150)
		set(left, 0.2, -70, 40, 150)
		set(left, 0.42, 150, 30, 150)
		set(right, 0.5, 170, 24, 160)
		set(left, 0.55, 168, 24, 160)
		for _, s := range []side{right, left} {
			set(s, 0.8, 100, 14, 160)
		}
	default: // the arms wheel
		set(right, 0.2, 170, 30, 150)
		set(left, 0.22, 60, 40, 150)
		set(left, 0.42, 160, 26, 156)
		set(right, 0.5, 150, 30, 150)
		for _, s := range []side{right, left} {
			set(s, 0.75, 110, 16, 156)
		}
	}
	for _, s := range []side{right, left} {
		set(s, 1, 62+hands, 14, 160)
		set(s, 1.3, 30+0.3*hands, 18, 150)
	}
}

func measureLongJump(m *Motion) map[string]float64 {
	p := m.plan
	pr := &p.pr
	s := m.Stamps
	out := map[string]float64{}
	x := r3.Vec{X: 1}
	leg := pr.legLength()
	to, heels := s["board-to"], s["heels"]
	hips := func(t float64) float64 { f := m.figure(t); return f.midHip.Z }
	s["peak"] = highest(to, heels, hips)
	var before *hold // the contact before the third last
	for _, h := range p.holds {
		if h.to < s["td-3"]-1e-6 {
			before = h
		}
	}
	toeOf := func(q side, t float64) r3.Vec { f := m.figure(t); return f.limb[q].toe }
	l0 := ahead(toeOf(before.foot, before.from), toeOf(right, s["td-3"]), x)
	l1 := ahead(toeOf(right, s["td-3"]), toeOf(left, s["pen-td"]), x)
	l2 := ahead(toeOf(left, s["pen-td"]), toeOf(right, 0), x)
	out["step-length@pen-td"], out["step-length@board-td"] = l1, l2
	out["pen-ratio@pen-td"], out["last-ratio@board-td"] = l1/l0, l2/l1
	out["approach-speed@pen-td"], out["approach-speed@board-td"] = m.meanSpeed(s["td-3"], s["pen-td"], x), m.meanSpeed(s["pen-td"], 0, x)
	_, v := m.com.at(to + 1e-4)
	out["take-off-speed@board-to"] = r3.Norm(v)
	out["take-off-angle@board-to"] = atan2(v.Z, v.X)
	out["speed-loss@board-to"] = 100 * (1 - v.X/out["approach-speed@board-td"])
	pf, bf, tf, hf := m.figure(s["pen-td"]), m.figure(0), m.figure(to), m.figure(heels)
	out["pen-foot@pen-td"] = pf.sole(left)
	out["hip-drop@board-td"] = 100 * (hips((s["td-3"]+s["to-3"])/2) - bf.midHip.Z) / leg
	out["hip-speed@board-td"] = m.velocity(-0.004, func(f *figure) r3.Vec { return f.midHip }).Z
	out["board-td-distance@board-td"] = 100 * ahead(bf.midHip, bf.limb[right].ankle, x) / leg
	out["board-knee@board-td"] = bf.knee(right)
	out["board-knee-min@board-to"] = least(0, to, func(t float64) float64 { f := m.figure(t); return f.knee(right) })
	out["shin@board-td"] = bf.shin(right, x)
	out["contact@board-to"] = to
	thigh := tf.thigh(left, x)
	out["free-thigh@board-to"] = thigh
	out["thigh-hold@board-to"] = crossing(to, heels, func(t float64) float64 {
		f := m.figure(t)
		return math.Abs(f.thigh(left, x)-thigh) - 15
	}) - to
	out["trunk@board-to"] = tf.trunkLean(x)
	out["extension@board-to"] = tf.knee(right)
	out["shoulder-tilt@board-to"] = tilt(tf.limb[left].shoulder, tf.limb[right].shoulder)
	low := math.Min(tf.limb[left].knuckle.Z, tf.limb[right].knuckle.Z)
	out["hands-together@board-to"] = 100 * (tf.shoulders().Z - low) / pr.Trunk
	out["trunk-rotation@heels"] = (hf.trunkLean(x) - out["trunk@board-to"]) / (heels - to)
	out["trunk-heels@heels"] = hf.trunkLean(x)
	heelX := math.Max(hf.limb[left].heel.X, hf.limb[right].heel.X)
	out["heel-reach@heels"] = 100 * (heelX - hf.midHip.X) / leg
	hands := math.Min(hf.limb[left].wrist.X, hf.limb[right].wrist.X)
	out["hands-heels@heels"] = hands - hf.midHip.X
	c0, c1 := m.body.of(&tf), m.body.of(&hf)
	out["l1@board-to"] = c0.X - tf.limb[right].toe.X
	out["l2@heels"] = c1.X - c0.X
	out["l3@heels"] = math.Min(hf.limb[left].heel.X, hf.limb[right].heel.X) - c1.X
	out["board-gap@board-to"] = greatest(0.4*to, to, func(t float64) float64 { f := m.figure(t); return f.limb[right].toe.X })
	cross := crossing(to, heels, func(t float64) float64 { f := m.figure(t); return f.thigh(right, x) - f.thigh(left, x) })
	if cross < heels-1e-6 {
		s["legs-crossed"] = cross
		cf := m.figure(cross)
		out["reach-up@legs-crossed"] = 100 * (math.Max(cf.limb[left].knuckle.Z, cf.limb[right].knuckle.Z) - cf.vertex.Z) / pr.Height
	}
	under := crossing(to, heels, func(t float64) float64 { f := m.figure(t); return -75 - f.thigh(left, x) })
	if under < heels-1e-6 {
		s["free-leg-under"] = under
	}
	return out
}
