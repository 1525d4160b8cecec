package sim

import (
	"math"

	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
	"neokinema/core/flight"
)

// javelin is the last five contacts of a javelin throw and the recovery. The
// zero is the plant of the block foot; x is 0 at the arc.
func javelin() discipline {
	return discipline{
		id: "javelin", variants: []string{"forward", "across"},
		knobs: func(w Request) []knob {
			k := math.Sqrt(w.Athlete.HeightM / 1.82)
			v := 5.6 * levelled(w.Level, 0.82, 1, 1.14)
			foot := 136.0
			if w.Variant == "across" {
				foot = 96
			}
			return []knob{
				free("approach-speed", v*k, 0.08, 3, 7), free("speed-kept", 95, 0.8, 60, 104), free("touchdown-distance", 12, 1.2, -5, 55), free("impulse", 0.205, 0.005, 0.08, 0.32), free("two-foot-gap", 0.165, 0.005, 0.08, 0.36), free("delivery", levelled(w.Level, 0.160, 0.138, 0.122), 0.003, 0.08, 0.25),
				free("push-foot", foot, 4, 60, 180), free("front-lead", 0, 1.2, -45, 15), free("drive", 0, 1.5, -10, 52), free("trunk-push", -17, 1, -40, 15), free("trunk-block", -12, 1, -35, 20), free("block-knee", 170, 1, 130, 177), free("block-give", 2, 1, -4, 60),
				free("hip-lead", 34, 2, -10, 65), free("arm", 158, 2, 80, 174), free("hand-height", 0.10, 0.015, -0.4, 0.4), free("pull", 2, 0.7, -20, 40), free("yaw", 0, 1, -20, 20), free("elbow-low", 0, 2, -10, 95), free("side-lean", 9, 1, -10, 50), free("falls", 0, 0.03, -0.4, 0.9),
				held("release-angle@release", 34, 0.7, 15, 60, 0.8), held("attack@release", 2, 0.8, -15, 30, 1), free("line-distance", 1.9, 0.08, 0.3, 4), free("cross-brake", 0, 0.008, -0.05, 0.35), free("push-off-knee", 168, 1, 120, 176),
			}
		},
		faults: map[string]change{
			"casting-foot": {"touchdown-distance": 24, "speed-kept": -3}, "slow-down": {"speed-kept": -20}, "cross-braking": {"cross-brake": 0.17}, "weak-push": {"push-off-knee": -36}, "late-front-foot": {"front-lead": -30, "two-foot-gap": 0.11, "speed-kept": -3},
			"driving-on": {"drive": 47}, "soft-block": {"block-give": 50, "block-knee": -6}, "pulled-down": {"pull": 17, "attack@release": 4}, "short-draw": {"arm": -62, "hand-height": -0.03},
			"falls-off": {"side-lean": 38, "falls": 0.9}, "low-elbow": {"elbow-low": 60},
		},
		lay: layJavelin, measure: measureJavelin,
	}
}

// alongRun is a leg knot given in the world: the thigh forward of hanging along
// the run, with the pelvis turned by psi from it.
func alongRun(s side, t, thigh, knee, point, psi float64) legKnot {
	d := r3.Vec{X: sin(thigh) * cos(psi), Y: -sin(thigh) * sin(psi), Z: -cos(thigh)}
	return legKnot{t: t, flex: atan2(d.X, -d.Z), out: math.Asin(clamp(s.sign()*d.Y, -1, 1)) * 180 / math.Pi, turn: -0.75 * s.sign() * psi, knee: knee, point: point}
}

func layJavelin(p *plan) {
	pr := &p.pr
	leg := pr.legLength()
	v := p.get("approach-speed")
	slow := v * p.get("speed-kept") / 100
	gap, del := p.get("two-foot-gap"), p.get("delivery")
	release := del
	pushDown := -gap
	c2To := pushDown - p.get("impulse")
	tc, tf := 0.148, 0.115
	ahead, push := 0.17*leg, p.get("touchdown-distance")/100*leg
	blockAhead := 0.47 * leg
	// backward from the arc: the block ankle, the push ankle, the run
	block := r3.Vec{X: -p.get("line-distance") - pr.ToeAhead, Y: 0.05}
	hipBlock := block.X - blockAhead
	hipPush := hipBlock - slow*gap
	hipC2 := hipPush - v*p.get("impulse")
	type contact struct {
		foot   side
		td, to float64
		hip    float64 // at to
		az     float64
		v      float64 // m/s
	}
	runs := []contact{{left, c2To - tc, c2To, hipC2, 156, v}}
	for i, s := range []side{right, left, right, left} {
		last := runs[0]
		to := last.td - tf
		quicker := v * (1 + p.get("cross-brake")*math.Min(1, float64(i+1)/2))
		runs = append([]contact{{s, to - tc, to, last.hip - last.v*tc - quicker*tf, []float64{138, 158, 140, 160}[i], quicker}}, runs...)
	}
	for _, c := range runs {
		st := stride{foot: c.foot, td: c.td, to: c.to, ahead: ahead, off: c.v*tc - ahead, kneeTd: 158, kneeTo: 164, strike: 6, lift: 58, wide: 0.07, toeOut: c.foot.sign() * (c.az - 180)}
		if c.to == c2To {
			st.kneeTo = p.get("push-off-knee")
		}
		p.ground(st, r3.Vec{X: c.hip - c.v*tc})
		if c.to < c2To-1e-9 {
			p.fly(c.to, c.to+tf)
		}
	}
	p.fly(c2To, pushDown)
	foot := p.get("push-foot")
	yaw := func(knots ...knot) track {
		for i := range knots {
			knots[i].v += 180
		}
		return newTrack(knots...)
	}
	pushAnkle := r3.Vec{X: hipPush + push, Y: -0.07}
	const pushTc = 0.120
	leaves := pushDown + math.Min(pushTc, gap-0.03)
	p.stand(hold{foot: right, from: pushDown, to: leaves, at: pushAnkle, pins: []pin{{pushDown, ball}, {pushDown + 0.5*pushTc, toe}},
		yaw: yaw(knot{pushDown, foot}, knot{pushDown + 0.5*pushTc, foot + 6}, knot{leaves, math.Max(foot+16, 150)}), pitch: newTrack(knot{pushDown, 8}, knot{pushDown + 0.3*pushTc, 4}, knot{pushDown + 0.6*pushTc, 18}, knot{leaves, 62})})
	blockOff := release + 0.26
	recover := blockOff + 0.12
	falls := p.get("falls")
	p.stand(hold{foot: left, from: 0, to: blockOff, at: block, pins: []pin{{0, heel}, {0.05, toe}}, yaw: yaw(knot{0, 173}), pitch: newTrack(knot{0, -14}, knot{0.05, 0}, knot{release, 0}, knot{between(release, blockOff, 0.5), 22}, knot{blockOff, 62})})
	recAnkle := r3.Vec{X: block.X + 0.92, Y: -0.10 + falls}
	p.stand(hold{foot: right, from: recover, to: math.Inf(1), at: recAnkle, pins: []pin{{recover, ball}}, yaw: yaw(knot{recover, 196}), pitch: newTrack(knot{recover, 10}, knot{recover + 0.06, 0})})
	p.fly(leaves, 0)
	p.fly(blockOff, recover)
	p.begin, p.end = runs[1].td+0.02, recover+0.34

	// the legs
	psi := -52.0
	for i := 0; i+2 < len(runs); i++ {
		a, b := runs[i].to, runs[i+2].td
		d := b - a
		s := runs[i].foot
		p.step(s, a, b, alongRun(s, a+0.16*d, -24, 128, 34, psi), alongRun(s, a+0.42*d, 8, 82, 22, psi), alongRun(s, a+0.72*d, 42, 96, 6, psi))
	}
	p4 := runs[len(runs)-2]
	d := pushDown - p4.to
	p.step(right, p4.to, pushDown, alongRun(right, p4.to+0.14*d, -20, 124, 34, psi), alongRun(right, p4.to+0.40*d, 22, 84, 18, psi), alongRun(right, p4.to+0.74*d, 40, 108, 4, psi))
	lead := p.get("front-lead")
	d = 0 - c2To
	p.step(left, c2To, 0, alongRun(left, c2To+0.20*d, -14+0.5*lead, 118, 30, psi), alongRun(left, c2To+0.54*d, 34+lead, 128, 6, psi), alongRun(left, c2To+0.80*d, 52+0.3*lead, 150, 0, psi))
	p.step(right, leaves, recover, alongRun(right, 0, -24-0.62*p.get("drive"), 134+p.get("drive"), 44, -30), alongRun(right, between(leaves, release, 0.75), -34, 112, 40, -20), alongRun(right, between(release, recover, 0.35), 14, 84, 24, 0), alongRun(right, between(release, recover, 0.75), 48, 104, 6, 10))
	p.step(left, blockOff, p.end+0.3, alongRun(left, blockOff+0.18, -26, 116, 34, 10), alongRun(left, p.end+0.3, -10, 104, 30, 10))

	// trunk
	hips, sh := 128.0, 100.0
	for _, c := range runs[:len(runs)-1] {
		g := c.foot.sign()
		p.leaning(c.td, hips-4*g, sh, -4, 0, 0)
	}
	back := p.get("trunk-push")
	p.leaning(c2To, hips-4, sh-4, 0.5*back, 0, 0)
	p.leaning(pushDown, hips-8, sh-8, back, 0, 0)
	hl := p.get("hip-lead")
	p.leaning(0, 104+hl, 104, p.get("trunk-block"), 1, 0)
	p.leaning(0.55*del, 160, 132, 0.2*p.get("trunk-block"), 0.5*p.get("side-lean"), 0)
	p.leaning(release, 182, 192, 10, p.get("side-lean"), 4)
	p.leaning(release+0.1, 194, 222, 26, 1.1*p.get("side-lean"), 6)
	p.leaning(recover, 200, 226, 34, 0.6*p.get("side-lean"), 4)
	p.leaning(p.end, 188, 196, 12, 0, 0)
	p.at(p.begin, values{headYaw: 66})
	p.at(0, values{headYaw: 62, headPitch: -6})
	p.at(release, values{headYaw: -8, headPitch: -6})
	p.at(p.end, values{headYaw: 0, headPitch: -16})

	// hips
	p.ways = append(p.ways,
		way{t: pushDown, over: right, dx: -push, dy: 0.06, knee: 152},
		way{t: pushDown + 0.5*pushTc, over: right, dx: 0.5*slow*pushTc - push - p.rise(right, pushDown+0.5*pushTc).X + pushAnkle.X, dy: 0.06, knee: 142 + 0.4*p.get("drive")},
		way{t: leaves, over: right, dx: slow*(leaves-pushDown) - push - p.rise(right, leaves).X + pushAnkle.X, dy: 0.06, knee: 143},
		way{t: 0, over: left, dx: hipBlock - p.blockAnkle(block, -14), dy: -0.05, knee: p.get("block-knee")},
		way{t: 0.22 * release, over: left, dx: 0.77 * (hipBlock - block.X), dy: -0.05, knee: p.get("block-knee") - 0.45*p.get("block-give")},
		way{t: 0.5 * release, over: left, dx: 0.47 * (hipBlock - block.X), dy: -0.05, knee: p.get("block-knee") - 0.85*p.get("block-give")},
		way{t: release, over: left, dx: -0.03, dy: -0.04 + 0.1*falls, knee: p.get("block-knee") - p.get("block-give")},
		way{t: blockOff, over: left, dx: 0.40, dy: -0.03 + 0.45*falls, knee: 150},
		way{t: recover, over: right, dx: -0.22, dy: 0.05, knee: 140},
		way{t: p.end, over: right, dx: 0.04, dy: 0.04, knee: 132, speed: &r3.Vec{X: 0.3}})

	s := p.stamps
	for i, name := range []string{"c4", "c3", "c2"} {
		c := runs[len(runs)-3+i]
		s[name+"-td"], s[name+"-to"] = c.td, c.to
	}
	s["push-down"], s["block-down"], s["release"], s["recover"], s["withdrawn"] = pushDown, 0, release, recover, runs[2].td

	p.throwJavelin(pushDown, release)
	p.marks = map[string]r3.Vec{"arc": {}, "runway.left": {Y: 2}, "runway.right": {Y: -2}}
	for i := 1; i <= 10; i++ {
		p.marks[at("mark", i)] = r3.Vec{X: -float64(i), Y: 2}
	}
}

// rise is where the ankle of a standing foot has come to.
func (p *plan) rise(s side, t float64) r3.Vec {
	for _, h := range p.holds {
		if h.foot == s && t >= h.from && t <= h.to {
			h.settle(&p.pr)
			return h.footing(&p.pr, t).ankle
		}
	}
	return r3.Vec{}
}

// blockAnkle is where the ankle of the block foot is as its heel lands.
func (p *plan) blockAnkle(at r3.Vec, pitch float64) float64 {
	h := hold{foot: left, to: 1, at: at, pins: []pin{{0, heel}}, yaw: steady(353), pitch: steady(pitch)}
	h.settle(&p.pr)
	return h.footing(&p.pr, 0).ankle.X
}

// throwJavelin draws the javelin along its shaft and throws it over the shoulder.
func (p *plan) throwJavelin(pushDown, release float64) {
	pr := &p.pr
	length := 2.65
	if p.who.Sex == body.Woman {
		length = 2.25
	}
	arm := pr.armLength()
	long := pr.leg2arm(p.get("arm")) / arm
	angle := p.get("release-angle@release")
	height := p.get("hand-height")
	low := p.get("elbow-low") / 100
	// the wrist from the shoulder along the throw, to the left and up, in arm lengths
	rise := 0.56 * math.Tan(angle*math.Pi/180)
	t0, t1, t2 := 0.60*release, 0.85*release, release
	end := r3.Vec{X: 0.42, Y: -0.14, Z: 0.875 - 0.62*low}
	before := r3.Vec{X: end.X - 0.56, Y: -0.20, Z: end.Z - rise}
	after := r3.Add(end, r3.Sub(end, before))
	key := func(pick func(v r3.Vec) float64) track {
		return newTrack(knot{pushDown - 0.6, pick(r3.Vec{X: -0.95, Y: -0.02, Z: height})}, knot{pushDown, pick(r3.Vec{X: -0.97 * long, Y: -0.04, Z: height})}, knot{0, pick(r3.Vec{X: -0.98 * long, Y: -0.02, Z: height + 0.02})},
			knot{t0, pick(r3.Vec{X: -0.70, Y: -0.16, Z: 0.25*(height+0.1) + 0.4*before.Z})}, knot{t1, pick(before)}, knot{t2, pick(end)}, knot{t2 + (t2 - t1), pick(after)})
	}
	xs, ys, zs := key(func(v r3.Vec) float64 { return v.X }), key(func(v r3.Vec) float64 { return v.Y }), key(func(v r3.Vec) float64 { return v.Z })
	attitude := angle + p.get("attack@release")
	att := newTrack(knot{pushDown - 0.5, attitude - p.get("pull") - 5}, knot{0, attitude - p.get("pull")}, knot{release, attitude})
	p.at(release, values{armFlexR: 140, armOutR: 14, elbowR: 160, armTurnR: -60})
	p.at(release+0.2, values{armFlexR: 50, armOutR: -14, elbowR: 150, armTurnR: -20})
	p.at(release+0.5, values{armFlexR: 24, armOutR: 0, elbowR: 120, armTurnR: 30})
	for _, k := range []struct{ t, flex, out, elbow float64 }{{pushDown - 0.5, 66, 20, 120}, {pushDown, 78, 34, 150}, {0, 76, 54, 150}, {0.6 * release, 60, 60, 110}, {release, 10, 46, 70}, {release + 0.5, 14, 26, 96}} {
		p.at(k.t, values{armFlexL: k.flex, armOutL: k.out, elbowL: k.elbow})
	}
	shaft := func(t float64) r3.Vec {
		a, y := att.at(t), p.get("yaw")*smooth((t+0.1)/0.2)
		return r3.Vec{X: cos(a) * cos(y), Y: cos(a) * sin(y), Z: sin(a)}
	}
	p.hands = func(m *Motion, t float64, f *figure) {
		w := 1 - smooth((t-release)/0.2)
		if w <= 0 {
			return
		}
		l := &f.limb[right]
		wrist := r3.Add(l.shoulder, r3.Scale(arm, r3.Vec{X: xs.at(t), Y: ys.at(t), Z: zs.at(t)}))
		s := smooth((t - 0.2*release) / (0.5 * release))
		pole := mix(r3.Vec{X: 0.2, Y: -0.5, Z: -1}, r3.Vec{X: 1, Y: -1.1, Z: 0.9 - 2.6*low}, s)
		pole = mix(pole, r3.Vec{X: -0.1, Y: -1, Z: -0.2 - low}, smooth((t-0.75*release)/(0.25*release)))
		hand := mix(r3.Vec{X: -0.6, Z: 0.5}, r3.Vec{X: 0.5, Z: 0.8}, smooth((t-0.4*release)/(0.6*release)))
		pr.grasp(f, right, wrist, pole, hand, w)
	}
	things := func(grip, u r3.Vec) []thing {
		return []thing{{"grip", grip}, {"implement", grip}, {"implement.front", r3.Add(grip, r3.Scale(0.40*length, u))}, {"implement.back", r3.Sub(grip, r3.Scale(0.60*length, u))}}
	}
	p.carry = func(m *Motion, t float64, f *figure) {
		if t <= release {
			f.things = append(f.things, things(f.limb[right].knuckle, shaft(t))...)
			return
		}
		place, v := m.released(release)
		d := t - release
		place = r3.Add(place, r3.Scale(d, v))
		place.Z -= flight.G * d * d / 2
		f.things = append(f.things, things(place, shaft(release))...)
	}
}

func measureJavelin(m *Motion) map[string]float64 {
	p := m.plan
	pr := &p.pr
	s := m.Stamps
	out := map[string]float64{}
	x := r3.Vec{X: 1}
	leg := pr.legLength()
	pushDown, release := s["push-down"], s["release"]
	pf, bf, rf, cf := m.figure(pushDown), m.figure(0), m.figure(release), m.figure(s["c2-to"])
	speeds := map[string]float64{
		"c3-td": m.meanSpeed(s["c4-td"], s["c3-td"], x), "c2-td": m.meanSpeed(s["c3-td"], s["c2-td"], x),
		"push-down": m.meanSpeed(s["c2-td"], pushDown, x), "block-down": m.meanSpeed(pushDown, 0, x),
	}
	best := 0.0
	for place, v := range speeds {
		out["approach-speed@"+place] = v
		if place != "block-down" {
			best = math.Max(best, v)
		}
	}
	out["speed-kept@block-down"] = 100 * speeds["block-down"] / best
	out["touchdown-distance@push-down"] = 100 * ahead(pf.midHip, pf.limb[right].ankle, x) / leg
	out["cross-speed@push-down"] = 100 * out["approach-speed@push-down"] / math.Max(out["approach-speed@c3-td"], out["approach-speed@c2-td"])
	out["push-knee@c2-to"] = cf.knee(left)
	hip := m.velocity(pushDown-0.012, func(f *figure) r3.Vec { return f.midHip })
	ankle := m.velocity(pushDown-0.012, func(f *figure) r3.Vec { return f.limb[right].ankle })
	out["foot-backspeed@push-down"] = hip.X - ankle.X
	impulse := ahead(cf.limb[left].toe, pf.limb[right].toe, x)
	delivery := ahead(pf.limb[right].toe, bf.limb[left].toe, x)
	out["stride-ratio@block-down"] = impulse / delivery
	out["push-foot@push-down"] = pf.footAzimuth(right)
	out["front-lead@push-down"] = 100 * ahead(pf.limb[right].ankle, pf.limb[left].ankle, x) / leg
	out["two-foot-gap@block-down"], out["delivery@release"] = -pushDown, release
	out["trunk-lean@push-down"], out["trunk-lean@block-down"] = pf.trunkLean(x), bf.trunkLean(x)
	out["knee-drop@block-down"] = bf.knee(right)
	out["block-knee@block-down"], out["block-knee@release"] = bf.knee(left), rf.knee(left)
	out["block-give@release"] = bf.knee(left) - least(0, release, func(t float64) float64 { f := m.figure(t); return f.knee(left) })
	out["draw@block-down"] = 100 * r3.Norm(r3.Sub(bf.limb[right].knuckle, bf.limb[left].ankle)) / pr.Height
	out["hip-lead@block-down"] = bf.separation()
	out["arm@block-down"] = bf.elbow(right)
	out["hand-height@push-down"] = 100 * (pf.limb[right].knuckle.Z - pf.limb[right].shoulder.Z) / pr.Height
	place, v := m.released(release)
	u := r3.Unit(r3.Sub(m.implement(release, "implement.front"), place))
	was := r3.Unit(r3.Sub(m.implement(0, "implement.front"), m.implement(0, "implement")))
	path := atan2(v.Z, math.Hypot(v.X, v.Y))
	attitude := atan2(u.Z, math.Hypot(u.X, u.Y))
	out["yaw@release"] = wrap(atan2(u.Y, u.X) - atan2(v.Y, v.X))
	out["pull-line@release"] = attitude - atan2(was.Z, math.Hypot(was.X, was.Y))
	// the lowest the elbow passes against the shoulder line extended, while the arm strikes
	out["elbow-line@release"] = least(0.6*release, release, func(t float64) float64 {
		f := m.figure(t)
		line := r3.Unit(r3.Sub(f.limb[right].shoulder, f.limb[left].shoulder))
		arm := r3.Unit(r3.Sub(f.limb[right].elbow, f.limb[right].shoulder))
		up := square(r3.Vec{Z: 1}, line)
		return atan2(r3.Dot(arm, up), r3.Norm(r3.Sub(arm, r3.Scale(r3.Dot(arm, up), up))))
	})
	out["side-lean@release"] = lean(rf.midHip, rf.shoulders(), r3.Vec{Y: 1})
	rec := m.figure(s["recover"])
	out["recover-line@recover"] = rec.limb[right].ankle.Y - rf.limb[left].ankle.Y
	out["release-speed@release"], out["release-angle@release"] = r3.Norm(v), path
	out["attack@release"], out["release-height@release"] = attitude-path, place.Z
	out["line-distance@release"] = -rf.limb[left].toe.X
	return out
}
