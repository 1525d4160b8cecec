package sim

import (
	"fmt"
	"math"

	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
)

// poleVault is the last six steps, plant, take-off and swing of a pole vault,
// to the straight pole. The zero is the take-off foot on the ground; x is 0 at
// the back of the box. With the right hand on top the left leg takes off.
func poleVault() discipline {
	return discipline{
		id: "pole-vault", variants: []string{"firm", "elastic"},
		knobs: func(w Request) []knob {
			v, grip := 8.4, 4.35
			if w.Athlete.Sex == body.Woman {
				v, grip = 7.3, 3.90
			}
			switch w.Level {
			case "developing", "youth":
				v, grip = v-1.4, grip-0.55
			case "elite":
				v, grip = v+0.95, grip+0.35
			}
			return []knob{
				free("approach-speed", v, 0.08, 4, 10), free("speed-kept", 98.5, 0.5, 60, 106), free("last-flight", 0.088, 0.003, 0.03, 0.2), free("grip", grip, 0.03, 2.8, 5.1), held("hand@pen-td", 0.86, 0.06, -1.8, 1.6, 0.06), free("plant-delay", 0, 0.004, -0.03, 0.16),
				free("arm-drop", 0, 0.006, 0, 0.16), held("take-off-foot@take-off", 0.04, 0.02, -0.5, 0.8, 0.03), free("early", 0, 0.008, -0.1, 0.45), free("knee-delay", 0, 0.003, -0.03, 0.1), held("take-off-angle@take-off", 17.5, 0.5, 4, 30, 1), free("contact", 0.118, 0.002, 0.09, 0.2),
				held("trunk@take-off", -1, 0.8, -35, 20, 1), free("extension", 171, 0.8, 130, 176), free("free-thigh", 82, 2, 20, 105), free("swing", 1, 0.012, 0.5, 1.1), free("tuck", 0, 1, -5, 80), free("row", 0, 0.006, 0, 0.40),
			}
		},
		faults: map[string]change{
			"late-plant": {"hand@pen-td": -1.35, "plant-delay": 0.055, "arm-drop": 0.02}, "low-arm": {"arm-drop": 0.13}, "under": {"take-off-foot@take-off": 0.36, "early": 0.12},
			"early-bend": {"early": 0.34, "knee-delay": 0.05}, "lean-back": {"trunk@take-off": -22}, "speed-drop": {"speed-kept": -16.5, "last-flight": 0.03},
			"passive-swing": {"swing": -0.58}, "early-tuck": {"tuck": 66}, "rowing": {"row": 0.30},
		},
		lay: layVault, measure: measureVault,
	}
}

// boxDepth is how deep the tip stands below the runway, m: World Athletics
// Technical Rules, from memory.
const boxDepth = 0.20

// pole is the pole's motion: where the top hand is and how the pole bends.
type pole struct {
	tip      r3.Vec
	grip     float64  // tip to top hand along the pole
	over     float64  // beyond the top hand
	leaves   float64  // when the foot has left and the pole carries
	hand     [3]track // before: top hand from the middle of the shoulders
	raise    track    // before: elevation of the pole from the hands to the tip
	angle    track    // after: of the chord from the horizontal
	chord    track    // after: its share of the grip length
	settle   r3.Vec   // what the hand lacks of the pole's path as the foot leaves
	settleV  r3.Vec
	straight float64
}

// carried is the top hand on the carrying pole.
func (o *pole) carried(t float64) r3.Vec {
	a, c := o.angle.at(t), o.chord.at(t)*o.grip
	h := r3.Add(o.tip, r3.Vec{X: -c * cos(a), Z: c * sin(a)})
	d := t - o.leaves
	const fade = 0.16
	w := 1 - smooth(d/fade)
	return r3.Add(h, r3.Add(r3.Scale(w, o.settle), r3.Scale(w*d, o.settleV)))
}

// bow is the half angle of the arc into which a length bends whose chord is c
// of it.
func bow(c float64) float64 {
	if c >= 1 {
		return 0
	}
	low, high := 0.0, math.Pi
	for range 40 {
		mid := (low + high) / 2
		if math.Sin(mid)/mid > c {
			low = mid
		} else {
			high = mid
		}
	}
	return high
}

// along is the point of the bent pole at a share of the way from tip to hand.
func (o *pole) along(hand r3.Vec, share float64) r3.Vec {
	d := r3.Sub(hand, o.tip)
	n := r3.Norm(d)
	u := r3.Scale(1/n, d)
	a := bow(n / o.grip)
	if a < 1e-3 {
		return r3.Add(o.tip, r3.Scale(share*o.grip, u))
	}
	normal := square(r3.Vec{X: 1, Z: 0.2}, u)
	r := o.grip / (2 * a)
	th := -a + 2*a*share
	return r3.Add(r3.Add(o.tip, r3.Scale(n/2+r*math.Sin(th), u)), r3.Scale(r*(math.Cos(th)-math.Cos(a)), normal))
}

func layVault(p *plan) {
	pr := &p.pr
	h := pr.Height
	leg := pr.legLength()
	v := p.get("approach-speed")
	kept := p.get("speed-kept") / 100
	k := 8.4 / v
	tc, tf := 0.104*k*leg/0.894, 0.118
	contact := p.get("contact")
	lastFlight := p.get("last-flight")
	ahead := 0.22 * leg
	toAhead := 0.40 * leg
	angle := p.get("take-off-angle@take-off")
	vOut := v * kept * 0.87

	// the take-off foot under the top hand on a straight pole to the box
	grip := p.get("grip")
	reach := 0.397*h - 0.5*p.get("arm-drop")*h
	handZ := 0.53*h*0.965 + pr.Trunk + reach
	handX := -math.Sqrt(math.Max(1, sq(grip)-sq(handZ+boxDepth))) + p.get("early")
	toeX := handX + p.get("take-off-foot@take-off")
	foot := r3.Vec{X: toeX - pr.ToeAhead}
	past := p.get("take-off-foot@take-off") - 0.04
	toAhead += 0.35 * past // a foot that is under reaches out
	off := (v*kept+vOut)/2*contact - toAhead - 0.4*past
	type c struct {
		foot       side
		td, to     float64
		hip        float64
		ahead, off float64
		v          float64
		kTd, kTo   float64
		strike     float64
	}
	list := []c{{left, 0, contact, foot.X - toAhead, toAhead, off, 0, 167, p.get("extension"), -12}}
	slow := v * (1 + kept) / 2
	td := -lastFlight - tc
	hip := list[0].hip - v*kept*lastFlight - slow*tc
	list = append([]c{{right, td, td + tc, hip, 0.24 * leg, slow*tc - 0.24*leg, slow, 156, 164, 2}}, list...)
	for _, s := range []side{left, right, left, right, left} {
		td -= tf + tc
		hip -= v * (tf + tc)
		list = append([]c{{s, td, td + tc, hip, ahead, v*tc - ahead, v, 164, 170, 4}}, list...)
	}
	var feet []stride
	for i, q := range list {
		st := stride{foot: q.foot, td: q.td, to: q.to, ahead: q.ahead, off: q.off, kneeTd: q.kTd, kneeTo: q.kTo, strike: q.strike, lift: 76, wide: 0.05, toeOut: 4}
		p.ground(st, r3.Vec{X: q.hip})
		feet = append(feet, st)
		if i+1 < len(list) {
			p.fly(q.to, list[i+1].td)
		}
	}
	p.ways[len(p.ways)-1].speed = &r3.Vec{X: vOut, Z: vOut * math.Tan(angle*math.Pi/180)}
	n := len(feet)
	style := swingStyle{back: -24, fold: 48, thigh: 74, reach: 148}
	for i := 0; i+2 < n; i++ {
		p.through(feet[i].foot, feet[i].to, feet[i+2].td, style)
	}
	swing := p.get("swing")
	total := 0.96
	straight := contact + total
	p.begin, p.end = feet[n-6].td, straight+0.05
	at := func(u float64) float64 { return contact + u } // seconds after the take-off
	eff := func(u float64) float64 { return at(u / (0.3 + 0.7*swing)) }

	// the pole
	o := &pole{tip: r3.Vec{Z: -boxDepth}, grip: grip, over: 0.14, leaves: contact, straight: straight}
	delay := p.get("plant-delay")
	drop := p.get("arm-drop")
	pen := feet[n-2].td
	back := clamp(-0.155-0.25*past/h, -0.33, 0.2)
	type key struct{ t, x, y, z float64 }
	keys := []key{
		{-1.2, -0.17, -0.15, -0.205}, {pen - 0.42, -0.16, -0.15, -0.205}, {pen - 0.27, -0.02, -0.15, -0.15}, {pen - 0.12, 0.105, -0.135, -0.03},
		{pen, 0.115, -0.11, 0.066 + 0.116*p.get("hand@pen-td")}, {math.Min(-0.055+delay, contact-0.075), 0.075 + 0.5*drop, -0.07, 0.368 - 1.2*drop}, {math.Min(0.012+delay, contact-0.03), 0.03 + 0.5*drop, -0.05, 0.392 - 0.9*drop}, {contact, back, -0.05, math.Sqrt(math.Max(0.05, sq(0.394)-sq(back))) - 0.5*drop},
	}
	var xs, ys, zs []knot
	for _, q := range keys {
		xs, ys, zs = append(xs, knot{q.t, q.x * h}), append(ys, knot{q.t, q.y * h}), append(zs, knot{q.t, q.z * h})
	}
	o.hand = [3]track{newTrack(xs...), newTrack(ys...), newTrack(zs...)}
	o.raise = newTrack(knot{pen - 0.9, 22}, knot{pen - 0.45, 12}, knot{pen - 0.1, -8}, knot{pen + 0.06, -18})
	start := atan2(handZ+boxDepth+0.03, -handX)
	c0 := math.Min(1, math.Hypot(handX, handZ+boxDepth+0.03)/grip)
	o.angle = newTrack(knot{contact, start}, knot{at(0.10), start + 5.5}, knot{at(0.42), 60}, knot{at(0.70), 77}, knot{straight, 89}, knot{straight + 0.2, 95})
	o.chord = newTrack(knot{contact, c0}, knot{at(0.03), c0 - 0.008}, knot{at(0.12), math.Min(c0-0.03, 0.945)}, knot{at(0.42), 0.735}, knot{at(0.58), 0.80}, knot{at(0.80), 0.955}, knot{straight, 1}, knot{straight + 0.2, 1})

	// hanging, swinging and turning over below the hands
	row := p.get("row")
	tuck := p.get("tuck")
	type hang struct{ u, x, z float64 }
	hangs := []hang{{0.12, 0.41, -0.590}, {0.27, 0.42, -0.550}, {0.42, 0.42, -0.420}, {0.58, 0.335, -0.170}, {0.76, 0.21, 0.04}, {total, 0.15, 0.21}, {total + 0.10, 0.16, 0.26}}
	for _, q := range hangs {
		short := 1 - row*smooth(q.u/0.3)
		if q.u > 0.5 {
			short = 1
		}
		t := at(q.u)
		p.ways = append(p.ways, way{t: t, solve: func(m *Motion) r3.Vec {
			hand := o.carried(t)
			x, z := swung(hangs[:], q.u*(0.3+0.7*swing), func(i int) (float64, float64, float64) { return hangs[i].u, hangs[i].x, hangs[i].z })
			return r3.Add(hand, r3.Vec{X: x * h * short, Y: -hand.Y, Z: z * h * short})
		}, place: r3.Add(o.carried(t), r3.Vec{X: q.x * h, Z: q.z * h})})
	}
	knot7 := func(u, flex, out, knee, point float64) legKnot { return legKnot{eff(u), flex, out, 0, knee, point} }
	late := p.get("knee-delay")
	d := contact - feet[n-2].to
	p.step(right, feet[n-2].to, p.end+0.3,
		legKnot{feet[n-2].to + 0.24*d + 0.6*late, -22, 2, 0, 102, 34}, legKnot{feet[n-2].to + 0.58*d + late, 18, 2, 0, 50, 20}, legKnot{contact + late, p.get("free-thigh"), 2, 0, 78, 8},
		knot7(0.12, 78, 3, 84, 12), knot7(0.27, 66, 3, 84, 14), knot7(0.42, 84, 4, 98, 20), knot7(0.58, 96, 4, 124, 26), knot7(0.76, 78, 3, 152, 34), knot7(total, 22, 2, 172, 40), knot7(total+0.3, 14, 2, 174, 40))
	p.step(left, contact, p.end+0.3,
		knot7(0.12, -30, 3, 164-0.2*tuck, 40), knot7(0.27, -8+0.5*tuck, 3, 170-0.8*tuck, 34), knot7(0.42, 46+0.75*tuck, 3, 172-1.05*tuck, 34), knot7(0.58, 90+0.2*tuck, 3, 168-0.6*tuck, 36), knot7(0.76, 72, 3, 170, 38), knot7(total, 16, 2, 174, 40), knot7(total+0.3, 10, 2, 174, 40))

	pitch := p.get("trunk@take-off")
	trunk := func(t, a float64) { p.at(t, values{hipPitch: a, chestPitch: a}) }
	for _, st := range feet[:n-2] {
		g := st.foot.sign()
		trunk(st.td, 4)
		p.at(st.td, values{hipYaw: -g * 6, chestYaw: -8 + g*5})
	}
	trunk(feet[n-2].td, 1)
	trunk(0, -4+0.3*pitch)
	trunk(contact, pitch)
	p.at(0, values{hipYaw: 4, chestYaw: -12})
	p.at(contact, values{hipYaw: 8, chestYaw: -6})
	for _, q := range [][3]float64{{0.12, -9, -4}, {0.27, -30, -22}, {0.42, -82, -70}, {0.58, -122, -112}, {0.76, -152, -148}, {total, -176, -176}, {total + 0.2, -180, -180}} {
		p.at(eff(q[0]), values{hipPitch: q[1], chestPitch: q[2], hipYaw: 2, chestYaw: 0})
	}
	p.at(contact, values{headPitch: -12})
	p.at(eff(0.42), values{headPitch: 14})
	p.at(eff(total), values{headPitch: 6})

	s := p.stamps
	s["td-4"], s["td-3"] = feet[n-4].td, feet[n-3].td
	s["pole-drop"], s["pen-td"], s["to-td"], s["take-off"], s["max-bend"], s["pole-straight"] = pen-0.45, pen, 0, contact, at(0.42), straight
	o.grips(p)
	p.marks = map[string]r3.Vec{"box": {}, "box.front": {X: -1.0}, "standard.near": {X: 0.60, Y: -2.2}, "standard.far": {X: 0.60, Y: 2.2}}
	for i := 2; i <= 12; i++ {
		p.marks[fmt.Sprintf("mark#%d", i)] = r3.Vec{X: -float64(i), Y: 0.61}
	}
}

// swung interpolates a course of hanging places by the swing's own time.
func swung[T any](list []T, u float64, of func(i int) (u, x, z float64)) (x, z float64) {
	var xs, zs []knot
	xs, zs = append(xs, knot{0, 0.25}), append(zs, knot{0, -0.53})
	for i := range list {
		t, x, z := of(i)
		xs, zs = append(xs, knot{t, x}), append(zs, knot{t, z})
	}
	fx, fz := newTrack(xs...), newTrack(zs...)
	return fx.at(u), fz.at(u)
}

// top is the top hand at an instant, as far as the body lets it be.
func (o *pole) top(m *Motion, t float64, f *figure) r3.Vec {
	if t <= o.leaves {
		return r3.Add(f.midShoulder, r3.Vec{X: o.hand[0].at(t), Y: o.hand[1].at(t), Z: o.hand[2].at(t)})
	}
	return o.carried(t)
}

// lies is the pole before the take-off: from the top hand toward the tip.
func (o *pole) lies(t float64, hand r3.Vec) (tip, u r3.Vec) {
	toBox := r3.Sub(o.tip, hand)
	el := o.raise.at(t)
	free := r3.Vec{X: cos(el), Y: 0.10, Z: sin(el)}
	s := smooth((t + 0.20) / 0.16)
	u = r3.Unit(mix(r3.Unit(free), r3.Unit(toBox), s))
	tip = r3.Add(hand, r3.Scale(o.grip, u))
	if s >= 1 && r3.Norm(toBox) < o.grip {
		tip = o.tip
	}
	return tip, u
}

// grips puts both hands on the pole and the pole into the world.
func (o *pole) grips(p *plan) {
	pr := &p.pr
	const apart = 0.56
	below := func(m *Motion, t float64, hand r3.Vec) (low, dir r3.Vec) {
		if t <= o.leaves {
			tip, u := o.lies(t, hand)
			if tip == o.tip && r3.Norm(r3.Sub(hand, o.tip)) < o.grip {
				low = o.along(hand, 1-apart/o.grip)
				return low, r3.Unit(r3.Sub(hand, low))
			}
			return r3.Add(hand, r3.Scale(apart, u)), r3.Scale(-1, u)
		}
		low = o.along(hand, 1-apart/o.grip)
		return low, r3.Unit(r3.Sub(hand, low))
	}
	p.hands = func(m *Motion, t float64, f *figure) {
		hand := o.top(m, t, f)
		low, dir := below(m, t, hand)
		up := mix(r3.Vec{X: 0.3, Z: 0.95}, dir, smooth((t+0.3)/0.3))
		wrist := r3.Sub(hand, r3.Scale(pr.Hand, r3.Unit(up)))
		elbow := mix(r3.Vec{X: -0.1, Y: -1, Z: -0.5}, r3.Vec{X: 0.85, Y: -0.5, Z: -0.3}, smooth((t+0.08)/0.08)) // ahead, once the pole is planted
		pr.grasp(f, right, wrist, f.chest.out(elbow), r3.Sub(hand, wrist), 1)
		l := &f.limb[left]
		to := r3.Unit(r3.Sub(low, l.shoulder))
		wrist = r3.Sub(low, r3.Scale(pr.Hand, to))
		pr.grasp(f, left, wrist, f.chest.out(r3.Vec{X: -0.1, Y: 1, Z: -0.9}), to, 1)
	}
	p.carry = func(m *Motion, t float64, f *figure) {
		hand := f.limb[right].knuckle
		tip := o.tip
		bent := true
		var u r3.Vec
		if t <= o.leaves {
			tip, u = o.lies(t, hand)
			bent = tip == o.tip
			if !bent {
				u = r3.Scale(-1, u)
			}
		}
		point := func(share float64) r3.Vec {
			if !bent {
				return r3.Add(tip, r3.Scale(share*o.grip, u))
			}
			return o.along(hand, share)
		}
		const pieces = 12
		f.things = append(f.things, thing{"grip", hand}, thing{"pole.bottom", tip}, thing{"pole.mid", point(0.5)})
		for i := 1; i < pieces; i++ {
			f.things = append(f.things, thing{fmt.Sprintf("pole.%d", i), point(float64(i) / pieces)})
		}
		end := r3.Unit(r3.Sub(hand, point(1-0.5/pieces)))
		f.things = append(f.things, thing{"pole.top", r3.Add(hand, r3.Scale(o.over, end))})
	}
	// the pole's path takes over from the body's without a jump
	p.joinPole = func(m *Motion) {
		o.settle, o.settleV = r3.Vec{}, r3.Vec{}
		const e = 1e-3
		a, b := m.figure(o.leaves-e), m.figure(o.leaves)
		ha, hb := o.top(m, o.leaves-e, &a), o.top(m, o.leaves, &b)
		q0, q1 := o.carried(o.leaves+1e-6), o.carried(o.leaves+e)
		o.settle = r3.Sub(hb, q0)
		o.settleV = r3.Sub(r3.Scale(1/e, r3.Sub(hb, ha)), r3.Scale(1/e, r3.Sub(q1, q0)))
	}
}

func measureVault(m *Motion) map[string]float64 {
	p := m.plan
	s := m.Stamps
	out := map[string]float64{}
	x := r3.Vec{X: 1}
	to, pen := s["take-off"], s["pen-td"]
	work, free := left, right
	tip := r3.Vec{Z: -boxDepth}
	pf, tf := m.figure(pen), m.figure(to)
	out["hand@pen-td"] = (pf.limb[right].knuckle.Z - pf.chin.Z) / (pf.vertex.Z - pf.chin.Z)
	s["pen-mid"] = crossing(pen, pen+0.1, func(t float64) float64 { f := m.figure(t); return f.midHip.X - f.limb[free].ankle.X })
	wf := m.figure(s["pen-mid"])
	out["hand@pen-mid"] = (wf.limb[right].knuckle.Z - wf.chin.Z) / (wf.vertex.Z - wf.chin.Z)
	over := crossing(0, to, func(t float64) float64 { f := m.figure(t); return f.midHip.X - f.limb[work].ankle.X })
	s["over-foot"] = over
	of := m.figure(over)
	out["top-arm@over-foot"] = of.elbow(right)
	out["arm-vertical@over-foot"] = lean(of.limb[right].shoulder, of.limb[right].wrist, x)
	pass := crossing(0, to+0.1, func(t float64) float64 { f := m.figure(t); return f.limb[free].knee.X - f.limb[work].knee.X })
	s["free-knee-pass"] = pass
	bent := func(t float64) float64 {
		f := m.figure(t)
		var mid, bottom r3.Vec
		for _, q := range f.things {
			switch q.name {
			case "pole.mid":
				mid = q.at
			case "pole.bottom":
				bottom = q.at
			}
		}
		hand := f.limb[right].knuckle
		n := r3.Norm(r3.Sub(hand, bottom))
		return r3.Norm(r3.Sub(mid, middle(hand, bottom)))/n - 0.02
	}
	s["bend-start"] = crossing(0, to+0.3, bent)
	out["knee-before-bend@bend-start"] = s["bend-start"] - pass
	out["take-off-foot@take-off"] = tf.limb[work].toe.X - tf.limb[right].knuckle.X
	holds := p.holds
	n := len(holds)
	speed := func(from, until float64) float64 { return m.meanSpeed(from, until, x) }
	run := speed(holds[n-4].from, holds[n-3].from)
	out["approach-speed@to-td"] = speed(pen, 0)
	out["speed-kept@to-td"] = 100 * speed(pen, 0) / run
	out["last-step@to-td"] = -pen
	out["step-quickening@to-td"] = -pen / (pen - holds[n-3].from)
	_, v := m.com.at(to)
	out["take-off-angle@take-off"] = atan2(v.Z, v.X)
	out["speed-loss@take-off"] = 100 * (1 - v.X/speed(pen, 0))
	up := crossing(pen-0.3, to, func(t float64) float64 { f := m.figure(t); return f.elbow(right) - 160 })
	out["plant-time@to-td"] = -up
	out["extension@take-off"], out["trunk@take-off"] = tf.knee(work), tf.trunkLean(x)
	out["bottom-arm@take-off"], out["free-thigh@take-off"] = tf.elbow(left), tf.thigh(free, x)
	chord := func(t float64) float64 { f := m.figure(t); return r3.Norm(r3.Sub(f.limb[right].knuckle, tip)) }
	s["max-bend"] = lowest(to, s["pole-straight"], chord)
	mf := m.figure(s["max-bend"])
	out["chord@max-bend"] = 100 * chord(s["max-bend"]) / p.get("grip")
	out["trail-leg@max-bend"], out["swing-tuck@max-bend"] = mf.knee(work), mf.hipAngle(work)
	// the arm is pulled on the way to the bend
	out["arm-pull@max-bend"] = least(to+0.12, s["max-bend"], func(t float64) float64 { f := m.figure(t); return f.elbow(right) })
	sf := m.figure(s["pole-straight"])
	out["inversion@pole-straight"] = sf.midHip.Z - sf.limb[right].knuckle.Z
	out["pole-speed@pole-straight"] = s["pole-straight"] - to
	s["inverted"] = crossing(to, m.End(), func(t float64) float64 { f := m.figure(t); return f.midHip.Z - f.limb[right].knuckle.Z })
	return out
}
