package sim

import (
	"fmt"
	"math"

	"gonum.org/v1/gonum/spatial/r3"
)

// sprintStart is the block start to the sixth step. The zero is the gun; x is
// 0 at the start line.
func sprintStart() discipline {
	return discipline{
		id: "sprint-start", variants: []string{"medium"},
		knobs: func(w Request) []knob {
			k := math.Sqrt(w.Athlete.HeightM / usual)
			slow := map[string]float64{"developing": 0.45, "youth": 0.45, "elite": -0.25}[w.Level]
			h := w.Athlete.HeightM
			return []knob{
				held("front-knee@set", 94, 1.5, 70, 140, 0.3), held("rear-knee@set", 126, 1.5, 90, 165, 0.3), free("hip-over-shoulder@set", 26, 1, -5, 60), free("hand-load@set", 0.02, 0.006, -0.12, 0.25),
				free("head", -2, 1, -30, 60), free("reaction", 0.152, 0.010, 0.10, 0.4), free("rear-push", 0.178, 0.005, 0.05, 0.3), free("block-time", 0.365+0.12*slow, 0.006, 0.25, 0.6), free("lead-arm-lag", 0.012, 0.003, 0, 0.15),
				held("exit-line@block-exit", 44, 0.6, 25, 60, 0.5), held("front-leg-extension@block-exit", 168, 1, 110, 176, 1), held("exit-velocity@td1", (3.30-slow)*k, 0.04, 1.8, 4.3, 0.03),
				held("toe-ahead@td1", -0.055*h/usual, 0.010, -0.6, 0.5, 0.006), held("toe-ahead@td2", 0.025*h/usual, 0.010, -0.5, 0.5, 0.006), held("toe-ahead@td3", 0.085*h/usual, 0.010, -0.4, 0.5, 0.006),
				free("contact#1", 0.178, 0.003, 0.1, 0.3), free("contact#2", 0.160, 0.003, 0.1, 0.3), free("contact#3", 0.146, 0.003, 0.1, 0.3),
				free("flight#1", 0.066, 0.003, 0.02, 0.2), free("flight#2", 0.058, 0.003, 0.02, 0.2), free("flight#3", 0.070, 0.003, 0.02, 0.2),
				free("line-rise", 4.5, 0.3, -12, 24), free("first-line", 0, 0.3, -14, 24), free("recovery", 0, 1.5, -8, 55), free("paw", 0, 0.5, -10, 12), free("knee-td1", 112, 1, 90, 165),
			}
		},
		faults: map[string]change{
			"front-knee-open":     {"front-knee@set": 26, "rear-knee@set": 5, "hip-over-shoulder@set": 2, "front-leg-extension@block-exit": -18, "exit-velocity@td1": -0.35},
			"front-knee-closed":   {"front-knee@set": -18, "hip-over-shoulder@set": -17, "block-time": 0.03, "exit-velocity@td1": -0.35},
			"set-too-far-forward": {"hand-load@set": 0.20, "rear-push": -0.02},
			"head-up":             {"head": 66, "first-line": 2},
			"late-lead-arm":       {"lead-arm-lag": 0.070, "exit-velocity@td1": -0.15},
			"rear-block-unloaded": {"rear-push": -0.09, "rear-knee@set": 26, "exit-velocity@td1": -0.25},
			"weak-exit":           {"front-leg-extension@block-exit": -28, "exit-velocity@td1": -0.9},
			"early-upright":       {"first-line": 14, "line-rise": 1},
			"high-heel-recovery":  {"recovery": 40},
			"overreach-early":     {"toe-ahead@td1": 0.28, "toe-ahead@td2": 0.26, "knee-td1": 30, "paw": 12, "contact#1": 0.07, "contact#2": 0.05, "first-line": -4},
			"stumble":             {"exit-line@block-exit": -13, "toe-ahead@td1": -0.19, "toe-ahead@td2": -0.08, "first-line": -9, "line-rise": -1, "recovery": -6},
		},
		lay: layStart, measure: measureStart, sampled: sampledStart,
	}
}

// usual is the standing height that speeds are given for, m: equal movements
// of bodies of different size have speeds in the ratio of √height (Froude).
const usual = 1.75

// startSteps are planned beyond the last that is filmed.
const startSteps = 7

const (
	pedalToe   = 0.025 // height of the toe tip on its pedal, m
	pedalPitch = 48.0
)

func layStart(p *plan) {
	pr := &p.pr
	front, rear := right, left
	move := p.get("reaction")
	rearOff, exit := move+p.get("rear-push"), move+p.get("block-time")
	if rearOff > exit-0.04 {
		p.fail("sprint-start: a rear push of %.3f s does not end before a block time of %.3f s", p.get("rear-push"), p.get("block-time"))
		return
	}
	p.begin = -0.6
	stamps := p.stamps
	stamps["gun"], stamps["first-move"], stamps["lead-arm"], stamps["rear-off"], stamps["block-exit"], stamps["set"] = 0, move, move+p.get("lead-arm-lag"), rearOff, exit, -0.02

	// set: shoulders over the hands, hips above the shoulders
	hand := r3.Vec{X: -0.03, Z: 0.8*pr.Hand + 0.01}
	load, share := p.get("hand-load@set"), p.get("hip-over-shoulder@set")/100
	dy := pr.ShoulderHalf * 0.25
	shoulder := r3.Vec{X: hand.X + load, Z: hand.Z + math.Sqrt(sq(0.992*pr.armLength())-sq(load)-sq(dy))}
	incl := -math.Asin(share) * 180 / math.Pi
	hip := r3.Add(shoulder, r3.Scale(-pr.Trunk, r3.Vec{X: cos(incl), Z: sin(incl)}))
	lateral := map[side]float64{front: -0.085, rear: 0.085}
	for s, knee := range map[side]float64{front: p.get("front-knee@set"), rear: p.get("rear-knee@set")} {
		h := hold{foot: s, from: math.Inf(-1), to: exit, yaw: steady(0), rigid: true, pins: []pin{{0, toe}}}
		off, lift := exit, 82.0
		if s == rear {
			h.to, off, lift = rearOff, rearOff, 72
		}
		h.pitch = newTrack(knot{move, pedalPitch}, knot{move + 0.3*(off-move), pedalPitch - 3}, knot{off - 0.06, pedalPitch}, knot{off, lift})
		var l limbs
		pr.shoe(&l, footing{basis: turned(0, pedalPitch, 0), pitch: pedalPitch})
		ankleZ := pedalToe - l.toe.Z
		d := sq(pr.leg(knee)) - sq(hip.Z-ankleZ) - sq(lateral[s]-s.sign()*pr.HipHalf)
		if d <= 0 {
			p.fail("sprint-start: a knee of %.0f° does not reach its pedal from a hip %.2f m high", knee, hip.Z)
			return
		}
		toeX := hip.X - math.Sqrt(d) + l.toe.X
		h.at = r3.Vec{X: toeX - pr.ToeAhead, Y: lateral[s], Z: pedalToe}
		hh := p.stand(h)
		hh.settle(pr)
		name := "pedal.front"
		if s == rear {
			name = "pedal.rear"
		}
		if p.marks == nil {
			p.marks = map[string]r3.Vec{"line": {}, "mark-0": {X: 0.5}, "mark-1": {X: 1.5}, "mark-2": {X: 2.5}, "mark-3": {X: 3.5}}
		}
		p.marks[name] = r3.Vec{X: toeX, Y: lateral[s], Z: pedalToe}
	}
	still := &r3.Vec{}
	p.ways = append(p.ways, way{t: p.begin, place: hip, speed: still}, way{t: move, place: hip, speed: still})

	// the trunk rises
	exitTrunk := p.get("exit-line@block-exit") - 5
	trunk := func(t, inclination float64) {
		p.at(t, values{hipPitch: 90 - inclination, chestPitch: 90 - inclination})
	}
	trunk(move, incl)
	trunk(move+0.45*(exit-move), incl+0.42*(exitTrunk-incl))
	trunk(exit, exitTrunk)
	head := p.get("head")
	p.at(move, values{headPitch: 4 - head})
	p.at(exit, values{headPitch: -2 - 0.6*head})

	// block exit: the hip at the end of the front leg on the line that is asked for
	frontHold := p.holds[0]
	if frontHold.foot != front {
		frontHold = p.holds[1]
	}
	foot := frontHold.footing(pr, exit)
	n := pr.leg(p.get("front-leg-extension@block-exit"))
	toeAt := frontHold.spots[0]
	low, high := 10.0, 80.0
	var off r3.Vec
	for range 40 {
		mid := (low + high) / 2
		off = r3.Add(foot.ankle, r3.Scale(n, r3.Vec{X: cos(mid), Z: sin(mid)}))
		top := r3.Add(off, r3.Scale(pr.Trunk, r3.Vec{X: cos(exitTrunk), Z: sin(exitTrunk)}))
		if fitted(toeAt, off, top) < p.get("exit-line@block-exit") {
			low = mid
		} else {
			high = mid
		}
	}
	mid := r3.Vec{X: between(hip.X, off.X, 0.30), Z: between(hip.Z, off.Z, 0.52)}
	p.ways = append(p.ways, way{t: rearOff, place: mid}, way{t: exit, over: front, dx: off.X - foot.ankle.X, dy: -foot.ankle.Y, knee: p.get("front-leg-extension@block-exit")})
	p.at(move, values{hipYaw: 0, chestYaw: 0})
	p.at(rearOff, values{hipYaw: -2, chestYaw: 3})
	p.at(exit, values{hipYaw: -7, chestYaw: 9})

	// steps
	v := p.get("exit-velocity@td1")
	longer := math.Pow(3.3*math.Sqrt(p.who.HeightM/usual)/v, 0.5) // the slower, the longer on the ground
	at := off
	t := exit
	incl = exitTrunk
	gains := []float64{0.94, 0.74, 0.58, 0.50, 0.42, 0.36, 0.3}
	contacts := []float64{0, 0, 0, 0.135, 0.128, 0.122, 0.118}
	flights := []float64{0, 0, 0, 0.076, 0.082, 0.087, 0.091}
	kneeTd := []float64{p.get("knee-td1"), p.get("knee-td1") + 10, p.get("knee-td1") + 18, 138, 144, 149, 153}
	toes := []float64{0, 0, 0, 0.12, 0.14, 0.16, 0.18}
	kneeTo := []float64{158, 161, 163, 164, 165, 165, 165}
	feet := []stride{{foot: rear, to: rearOff}, {foot: front, to: exit}}
	for i := range startSteps {
		tc, tf, toeAhead := contacts[i], flights[i], toes[i]*p.who.HeightM/usual
		if i < 3 {
			tc, tf, toeAhead = longer*p.nth("contact", i+1), p.nth("flight", i+1), p.get(fmt.Sprintf("toe-ahead@td%d", i+1))
		}
		rise := p.get("line-rise")
		if i == 0 {
			rise += p.get("first-line")
		}
		t += tf
		at = r3.Add(at, r3.Vec{X: v * tf})
		at.Z = 0
		comAhead := 0.20 * pr.Trunk * cos(incl) / cos(45) * 2.1
		ahead := toeAhead - 0.85*pr.ToeAhead + comAhead
		after := v + gains[i]*math.Sqrt(p.who.HeightM/usual)
		s := rear
		if i%2 == 1 {
			s = front
		}
		st := stride{foot: s, td: t, to: t + tc, ahead: ahead, off: (v+after)/2*tc - ahead, kneeTd: kneeTd[i], kneeTo: kneeTo[i], strike: 17, lift: 78, wide: 0.075, toeOut: 4, flatBy: 0.35}
		if i == 0 { // standing up early leaves the hips behind
			st.off -= 0.014 * math.Max(0, p.get("first-line"))
		}
		if i == 0 && st.kneeTd > 150 {
			st.strike = 8
		}
		trunk(t, incl+0.65*rise)
		incl += rise
		trunk(t+tc, incl)
		g := s.sign()
		p.at(t+tc, values{hipYaw: g * 7, chestYaw: -g * 10, headPitch: -6 - 0.3*head*math.Exp(-float64(i))})
		_, at = p.ground(st, at)
		p.fly(t-tf, t)
		if i < 3 {
			stamps[fmt.Sprintf("td%d", i+1)], stamps[fmt.Sprintf("to%d", i+1)] = t, t+tc
		}
		feet = append(feet, st)
		t += tc
		v = after
	}
	for i := 0; i+2 < len(feet); i++ {
		from, to := feet[i].to, feet[i+2].td
		d := to - from
		lean := 90 - (exitTrunk + 4.5*float64(max(0, i-1)))
		up := p.get("recovery")
		if i > 1 {
			up *= 0.6
		}
		fold := between(86, 62, clamp(float64(i-1)/5, 0, 1)) - 0.75*up
		k := func(u, thigh, knee, point float64) legKnot {
			return legKnot{from + u*d, lean + thigh, 2, 0, knee, point}
		}
		if i == 0 { // from the rear pedal
			p.step(feet[i].foot, from, to, k(0.32, 18, 92-0.5*up, 30), k(0.66, 57+p.get("paw"), 84-up, 12))
			continue
		}
		p.step(feet[i].foot, from, to, k(0.22, -20, between(150, fold, 0.45), 36), k(0.48, 16, fold, 24), k(0.66, 47+p.get("paw"), fold+14, 10))
	}
	p.end = feet[len(feet)-2].to
	p.startArms(front, feet)
}

// startArms lifts the hands and swings the arms against the legs. The lead arm
// is that of the front-block side.
func (p *plan) startArms(front side, feet []stride) {
	move, exit := p.stamps["first-move"], p.stamps["block-exit"]
	lifts := map[side]float64{front: p.stamps["lead-arm"], front.other(): move + 0.020}
	for s, lift := range lifts {
		p.at(lift, values{s.of(armFlexR): 74, s.of(elbowR): 170, s.of(armOutR): 4, s.of(armTurnR): 0})
		if s == front {
			peak := math.Max(exit-0.02, lift+0.2)
			p.at(between(lift, peak, 0.45), values{s.of(elbowR): 112})
			p.at(peak, values{s.of(armFlexR): 122, s.of(elbowR): 96, s.of(armOutR): 4, s.of(armTurnR): 14})
		} else {
			p.at(lift+0.09, values{s.of(elbowR): 128})
			p.at(exit-0.03, values{s.of(armFlexR): -60, s.of(elbowR): 118, s.of(armOutR): 8})
		}
	}
	forward := front
	for i, st := range feet[2:] {
		forward = forward.other()
		t := st.to
		p.at(t, values{forward.of(armFlexR): 82 - 4*float64(i), forward.of(elbowR): 84, forward.of(armTurnR): 16, forward.other().of(armFlexR): -60, forward.other().of(elbowR): 98})
		p.at(t-0.5*(st.to-st.td), values{forward.of(elbowR): 104, forward.other().of(elbowR): 106})
	}
	pressed := r3.Unit(r3.Vec{X: 0.35, Z: -0.8})
	p.hands = func(m *Motion, t float64, f *figure) {
		for s, lift := range lifts {
			w := 1 - smooth((t-lift)/0.14)
			wrist := r3.Vec{X: -0.03, Y: s.sign() * p.pr.ShoulderHalf * 1.25, Z: 0.8*p.pr.Hand + 0.01}
			p.pr.grasp(f, s, wrist, r3.Vec{X: -1, Y: 0.6 * s.sign()}, pressed, w)
		}
	}
}

func measureStart(m *Motion) map[string]float64 {
	front, rear := right, left
	at := m.Stamps
	x := r3.Vec{X: 1}
	ankle := func(s side) func(t float64) float64 {
		return func(t float64) float64 { f := m.figure(t); return f.limb[s].ankle.Z }
	}
	at["recover-1"], at["recover-2"] = highest(at["rear-off"], at["td1"], ankle(rear)), highest(at["block-exit"], at["td2"], ankle(front))
	out := map[string]float64{}
	set := m.figure(at["set"])
	leg := m.plan.pr.legLength()
	out["front-knee@set"], out["rear-knee@set"] = set.knee(front), set.knee(rear)
	out["front-hip@set"], out["rear-hip@set"] = set.hipAngle(front), set.hipAngle(rear)
	out["hand-load@set"] = ahead(set.limb[front].wrist, set.shoulders(), x)
	out["hip-over-shoulder@set"] = 100 * (set.midHip.Z - set.shoulders().Z) / m.plan.pr.Trunk
	out["hip-over-front-foot@set"] = 100 * ahead(set.limb[front].ankle, set.limb[front].hip, x) / leg
	trunk := r3.Sub(set.shoulders(), set.midHip)
	neck := r3.Sub(middle(set.limb[left].ear, set.limb[right].ear), set.shoulders())
	out["head-line@set"] = atan2(neck.Z, neck.X) - atan2(trunk.Z, trunk.X)
	for key, s := range map[string][2]string{
		"reaction@first-move": {"gun", "first-move"}, "rear-push@rear-off": {"first-move", "rear-off"},
		"single-push@block-exit": {"rear-off", "block-exit"}, "block-time@block-exit": {"first-move", "block-exit"},
		"lead-arm-lag@lead-arm": {"first-move", "lead-arm"}, "flight@td1": {"block-exit", "td1"},
		"contact@to1": {"td1", "to1"}, "flight@td2": {"to1", "td2"}, "contact@to2": {"td2", "to2"},
		"flight@td3": {"to2", "td3"}, "contact@to3": {"td3", "to3"},
	} {
		out[key] = at[s[1]] - at[s[0]]
	}
	line := func(f *figure, s side) float64 { return fitted(f.limb[s].toe, f.midHip, f.shoulders()) }
	exit := m.figure(at["block-exit"])
	out["exit-line@block-exit"] = line(&exit, front)
	out["front-leg-extension@block-exit"] = exit.knee(front)
	_, v := m.com.at((at["block-exit"] + at["td1"]) / 2)
	out["exit-velocity@td1"] = v.X
	last, from := out["exit-line@block-exit"], 0.0
	for i, s := range []side{rear, front, rear} {
		on := func(id, place string) string { return fmt.Sprintf("%s@%s%d", id, place, i+1) }
		tdAt := at[fmt.Sprintf("td%d", i+1)]
		td, to := m.figure(tdAt), m.figure(at[fmt.Sprintf("to%d", i+1)])
		out[on("toe-ahead", "td")] = td.limb[s].toe.X - m.body.of(&td).X
		out[on("shin", "td")] = td.shin(s, x)
		out[on("step-length", "td")] = td.limb[s].toe.X - from
		out[on("foot-speed", "td")] = m.toeSpeed(s, tdAt-0.002, 0.0125, x)
		from = td.limb[s].toe.X
		l := line(&to, s)
		out[on("line", "to")], out[on("line-rise", "to")] = l, l-last
		last = l
	}
	for i, s := range []side{rear, front} {
		f := m.figure(at[fmt.Sprintf("recover-%d", i+1)])
		out[fmt.Sprintf("heel-recovery@recover-%d", i+1)] = 100 * (f.limb[s].ankle.Z - f.limb[s.other()].knee.Z) / leg
	}
	return out
}

// sampledStart is the foot's speed as pictures show it: over the last three
// intervals before the first picture on the ground.
func sampledStart(m *Motion, before func(stamp string) float64, interval float64) map[string]float64 {
	out := map[string]float64{}
	for i, s := range []side{left, right, left} {
		place := fmt.Sprintf("td%d", i+1)
		out["foot-speed@"+place] = m.toeSpeed(s, before(place), 3*interval, r3.Vec{X: 1})
	}
	return out
}
