package sim

import (
	"math"
	"strings"

	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
	"neokinema/core/flight"
)

// hammer is the hammer throw: two winds, three or four turns. The zero is the
// ball's last pass of the back before the first turn; the origin of the ground
// is the middle of the circle.
func hammer() discipline {
	return discipline{id: "hammer", variants: []string{"three-heel", "four-heel", "four-toe", "two-heel", "one-heel"}, knobs: hammerKnobs, faults: hammerFaults(true), lay: layHammer, measure: measureHammer}
}

// weight is the indoor weight throw: a sling and three turns or four.
func weight() discipline {
	return discipline{id: "weight", variants: []string{"three-heel", "three-toe", "four-heel"}, knobs: hammerKnobs, faults: hammerFaults(false), lay: layHammer, measure: measureHammer}
}

// turnsOf is how many turns a variant has.
func turnsOf(variant string) int {
	count, _, _ := strings.Cut(variant, "-")
	return map[string]int{"one": 1, "two": 2, "three": 3, "four": 4}[count]
}

// ballSpeeds are the ball's speed at the end of the winds and at the release by
// level, m/s. Elite hammers leave at 26 to 29 m/s and enter the first turn with
// about half of it (Dapena 1984, J. Biomech. 17, from memory); the others follow
// from the distances of their level by the projectile's formula. The weight's
// are common practice.
func ballSpeeds(w Request) (entry, release float64) {
	if w.Event == "weight" {
		release = levelled(w.Level, 10.5, 13, 14.5)
		return 0.50 * release, release
	}
	release = levelled(w.Level, 20.5, 25, 28)
	entry = 0.52 * release
	switch turnsOf(w.Variant) { // fewer turns, less time to speed the ball up
	case 1:
		release *= 0.74
	case 2:
		release *= 0.88
	}
	return entry, release
}

func hammerKnobs(w Request) []knob {
	n := turnsOf(w.Variant)
	short := w.Event == "weight"
	flattest, steepest := 30.0, 45.0
	catch := []float64{244, 234, 230, 228}
	low := 4.0
	if short {
		flattest, steepest, catch = 27, 39, []float64{256, 248, 244, 242}
	}
	if n == 2 { // the plane does not rise faster because the turns are fewer
		flattest = steepest - 10
	}
	entry, release := ballSpeeds(w)
	k := []knob{
		free("entry-speed", entry, 0.02*entry, 2, 20), free("speed", release, 0.012*release, 6, 31),
		held("release-azimuth@release", 90, 2, 40, 140, 1.5), free("legs", 124, 1.5, 95, 172), free("push-knee-collapse", 0, 1.5, -10, 75),
		free("counter", 0.08, 0.006, -0.1, 0.2), free("hang", 0, 0.01, -0.2, 0.35), free("trunk-bend", 6, 1, -10, 50), free("recovery-side", 0, 0.04, -1, 1), free("width", math.Min(0.56, 0.335*w.Athlete.HeightM), 0.01, 0.35, 0.8),
		free("lift", []float64{6, 13, 20, 20}[n-1], 1, 0, 40), free("entry-lead", 0, 1.5, -20, 60),
	}
	if !short {
		k = append(k, free("wind-low", 343, 4, 230, 390), free("wind-slope", 24, 1, 10, 60), free("hand-reach", 100, 1, 60, 104), free("wind-facing", 340, 4, 290, 420), free("wind-time", 12.6/entry, 0.02, 0.6, 1.8))
	}
	for i := 1; i <= n; i++ {
		sep := 34.0
		drag := -4.0
		if i == 1 {
			sep = 32
			if short {
				drag = -12
			}
		}
		k = append(k,
			held(at("off-azimuth@off", i), 66, 2, 5, 130, 1.5), held(at("catch-azimuth@down", i), catch[i-1], 2, 190, 340, 1.5),
			free(at("slope", i), steepest-(steepest-flattest)*float64(n-i)/math.Max(1, float64(n-1)), 0.8, 10, 66), free(at("low", i), []float64{-14, low, low + 3, low + 5}[i-1], 2, -70, 80),
			free(at("drag", i), drag, 0.6, -30, 60), free(at("separation", i), sep, 1.5, -25, 75), free(at("radius", i), 1, 0.004, 0.75, 1),
			free(at("pivot-knee", i), 0, 0.8, -20, 50), free(at("turned", i), 0, 1.5, -80, 40), free(at("foot-facing", i), 272, 4, 200, 400),
			free(at("pivot-foot", i), 84, 3, 30, 150), free(at("tilt", i), 0, 0.5, -20, 30), free(at("sway", i), 0.03, 0.006, -0.3, 0.3),
		)
	}
	return k
}

func hammerFaults(winds bool) map[string]change {
	f := map[string]change{
		"early-shoulders":     {"entry-lead": 42},
		"loose-entry":         {"separation#1": -40, "radius#1": -0.17, "drag#1": 8},
		"stiff-legs":          {"legs": 46},
		"knee-collapse-entry": {"push-knee-collapse": 60, "hang": 0.04},
		"early-off":           {"off-azimuth@off#1": -44, "catch-azimuth@down#1": 10},
		"hang-back":           {"hang": 0.22},
		"steep-first-turn":    {"slope#1": 19},
		"shoulder-lead":       {"drag": 36, "separation": -16, "radius": -0.05},
		"lifting":             {"tilt": 20},
		"sway":                {"sway": -0.13},
		"late-catch":          {"catch-azimuth@down": 58},
		"cut-off-turn":        {"turned": -74},
		"pre-turned-foot":     {"foot-facing": 90},
		"straight-pivot-leg":  {"pivot-knee": 50},
		"early-release":       {"release-azimuth@release": -32},
		"late-release":        {"release-azimuth@release": 32},
		"drag-release":        {"trunk-bend": 44, "drag#3": 8, "drag#4": 8},
		"fall-off":            {"recovery-side": 1.1},
	}
	if winds {
		f["short-winds"] = change{"hand-reach": -20}
		f["wind-low-behind"] = change{"wind-low": -100}
		f["steep-winds"] = change{"wind-slope": 30}
		f["opened-winds"] = change{"wind-facing": 56}
	}
	return f
}

// hammerOf is an implement's mass, kg, and how far its middle is from the
// hands, m. The rule's length runs from inside the grip to the far side of the
// head (World Athletics Technical Rules, from memory): half a head less.
func (a Athlete) hammerOf(event string) (mass, cord float64) {
	switch {
	case event == "weight" && a.Sex == body.Woman:
		return 9.08, 0.33
	case event == "weight":
		return 15.88, 0.33
	case a.Sex == body.Woman:
		return 4.0, 1.145
	}
	return 7.26, 1.155
}

func layHammer(p *plan) {
	n := turnsOf(p.variant)
	pr := &p.pr
	short := p.event == "weight"
	_, cord := p.who.hammerOf(p.event)

	// the ball, and from its speed when it is where
	turn := func(k int) float64 { return 360 * float64(k-1) }
	ballOff := func(k int) float64 { return turn(k) + p.get(at("off-azimuth@off", k)) }
	ballDown := func(k int) float64 { return turn(k) + p.get(at("catch-azimuth@down", k)) }
	last := turn(n+1) + p.get("release-azimuth@release")
	floor := 36.0
	if short {
		floor = 46
	}
	var slope, low, reach []knot
	for k := 1; k <= n; k++ {
		slope = append(slope, knot{turn(k + 1), p.nth("slope", k)})
		low = append(low, knot{turn(k + 1), p.nth("low", k)})
		reach = append(reach, knot{between(ballDown(k), turn(k+1), 0.5), p.nth("radius", k)})
	}
	if !short {
		slope = append(slope, knot{-110, p.get("wind-slope")})
		low = append(low, knot{-18, wrap(p.get("wind-low"))})
		reach = append(reach, knot{0, 0.5 + 0.5*p.nth("radius", 1)})
	}
	o := &orbit{cord: cord, slope: newTrack(slope...), low: newTrack(low...), reach: newTrack(reach...),
		floor: newTrack(knot{turn(n), floor}, knot{turn(n+1) - 110, floor}, knot{last, floor - p.get("lift")})}
	p.swung = o
	az := []knot{{0, 0}}
	if short {
		p.begin = -1.15
		az = append(az, knot{-1.15, -28}, knot{-0.62, -96}, knot{-0.56, -97})
	} else {
		w := p.get("wind-time")
		p.begin = -w - 0.45
		az = append(az, knot{-1.12 * w, -430}, knot{-w, -360}, knot{-0.78 * w, -262}, knot{-0.42 * w, -150}, knot{-1.12*w - 0.4, -570}, knot{-1.12*w - 0.6, -630})
	}
	single := make([][2]float64, n)
	for k := 1; k <= n; k++ {
		single[k-1] = [2]float64{ballOff(k), ballDown(k)}
	}
	az = append(az, p.passages(o, last, single)...)
	o.azimuth = newTrack(az...)
	reaches := func(azimuth float64) float64 {
		return crossing(0, az[len(az)-1].t, func(t float64) float64 { return o.azimuth.at(t) - azimuth })
	}
	off, down, zero := make([]float64, n+1), make([]float64, n+1), make([]float64, n+1)
	for k := 1; k <= n; k++ {
		off[k], down[k], zero[k] = reaches(ballOff(k)), reaches(ballDown(k)), reaches(turn(k+1))
	}
	release := reaches(last)
	p.end = release + 0.62

	// the feet: the pivot foot turns on its heel and then on its ball
	back := -0.80
	wide := p.get("width")
	var yaw, lift []knot
	yaw = append(yaw, knot{-0.3, 2}, knot{0, 6})
	lift = append(lift, knot{-0.3, 0}, knot{0, 0})
	for k := 1; k <= n; k++ {
		yaw = append(yaw, knot{off[k], turn(k) + p.nth("pivot-foot", k)}, knot{down[k], turn(k) + 292}, knot{zero[k], turn(k) + 346})
	}
	yaw = append(yaw, knot{release, turn(n+1) + 62}, knot{release + 0.45, turn(n+1) + 118})
	foot := newTrack(yaw...)
	pins := []pin{{-9, heel}}
	toeFirst := strings.HasSuffix(p.variant, "-toe")
	if toeFirst {
		pins[0].on = ball
	}
	for k := 1; k <= n; k++ {
		over := crossing(zero[max(k-1, 0)], down[k], func(t float64) float64 { return foot.at(t) - turn(k) - 180 })
		if k > 1 || !toeFirst {
			pins = append(pins, pin{over, ball})
		}
		lift = append(lift, knot{off[k], -5}, knot{over, 0}, knot{down[k] - 0.02, 12}, knot{zero[k], 0})
		if k == 1 && toeFirst {
			lift[len(lift)-4].v = 10
			lift[len(lift)-3].v = 12
		}
		pins = append(pins, pin{zero[k], heel})
	}
	lift = append(lift, knot{release, 0}, knot{p.end, 0})
	world := func(knots []knot) track {
		out := make([]knot, len(knots))
		for i, k := range knots {
			out[i] = knot{k.t, k.v + 180}
		}
		return newTrack(out...)
	}
	pivot := p.stand(hold{foot: left, from: math.Inf(-1), to: math.Inf(1), at: r3.Vec{X: back, Y: -wide / 2}, yaw: world(yaw), pitch: newTrack(lift...), pins: pins})
	pivot.settle(pr)
	under := func(t float64) r3.Vec { return pivot.footing(pr, t).ankle }

	// and the push foot steps round it
	pushAt := r3.Vec{X: back, Y: wide / 2}
	from := math.Inf(-1)
	facingThen := 0.0
	var lands []r3.Vec
	for k := 1; k <= n+1; k++ {
		to := math.Inf(1)
		h := hold{foot: right, from: from, at: pushAt, pins: []pin{{from, ball}}}
		if k <= n {
			to = off[k]
			round := 0.0
			if k > 1 {
				round = 58
			}
			h.yaw = world([]knot{{math.Max(from, -0.3), facingThen}, {between(math.Max(from, 0), to, 0.5), facingThen + 12 + 0.3*round}, {to, facingThen + 46 + round}})
			if in := p.get("push-knee-collapse"); k == 1 {
				h.knee = newTrack(knot{-0.35, 0}, knot{0, in}, knot{to, 0.8 * in})
			}
			h.pitch = newTrack(knot{math.Max(from, -0.3), 8 * math.Min(1, float64(k-1))}, knot{between(math.Max(from, 0), to, 0.55), 4}, knot{to, 42})
		} else {
			h.yaw = world([]knot{{from, facingThen}, {release, facingThen + 70}, {p.end, facingThen + 118}})
			h.pitch = newTrack(knot{from, 8}, knot{between(from, release, 0.5), 10}, knot{release, 34}, knot{p.end, 40})
		}
		h.to = to
		p.stand(h)
		if k > n {
			break
		}
		from = down[k]
		facingThen = turn(k) + p.nth("foot-facing", k)
		side := toward(334 + 90) // to the left of a body that faces 334
		pushAt = r3.Add(under(down[k]), r3.Scale(-wide*(0.94-0.011*math.Max(0, p.get("legs")-124+0.8*p.nth("pivot-knee", k))), side))
		for j := 1; j <= k; j++ {
			pushAt.Y += 0.7 * (p.nth("sway", j) - 0.03)
		}
		pushAt.Z = 0
		lands = append(lands, pushAt)
		d := down[k] - off[k]
		p.step(right, off[k], down[k],
			legKnot{off[k] + 0.30*d, -4, 20, 0, 98, 30}, legKnot{off[k] + 0.62*d, 14, 16, 0, 88, 14})
	}

	// hips and shoulders
	sep := func(k int) float64 { return p.nth("separation", k) }
	face := func(t, shoulders, hips float64) {
		p.at(t, values{chestYaw: shoulders + 180, hipYaw: hips + 180})
	}
	if short {
		face(-1.15, -14, -6)
		face(-0.60, -46, -24)
	} else {
		w := p.get("wind-time")
		open := p.get("wind-facing") - 360
		face(-1.2*w, open-44, -10)
		face(-w, open, -6)
		face(-0.6*w, 16, 2)
		face(-0.30*w, -42, -14)
	}
	entry := 0.0
	if !short {
		entry = (p.get("wind-facing") - 360 + 20) * 0.6
	}
	lead := p.get("entry-lead")
	face(0, -4+entry+0.4*p.nth("drag", 1)+0.5*lead, 2+0.5*entry)
	cut := func(k int) float64 { return p.nth("turned", k) }
	gone := 0.0
	for k := 1; k <= n; k++ {
		drag := p.nth("drag", k)
		before := -4.0
		if k > 1 {
			before = p.nth("drag", k-1)
		}
		ahead := 0.0
		if k == 1 {
			ahead = lead
		}
		face(off[k], ballOff(k)+3+0.6*before+ahead, ballOff(k)+10+0.6*before+0.6*ahead)
		face(between(off[k], down[k], 0.55), between(ballOff(k), ballDown(k), 0.52)-1+0.2*before+0.4*ahead, between(ballOff(k), ballDown(k), 0.56)+0.75*sep(k))
		s := ballDown(k) + 1 + 0.15*drag
		face(down[k], s, s+sep(k))
		gone += cut(k)
		face(zero[k], turn(k+1)+drag, turn(k+1)+math.Max(drag, 0)+5+cut(k))
	}
	face(release, last-10+0.3*p.nth("drag", n), last+8)
	face(release+0.45, last+34, last+40)
	for k := 1; k <= n; k++ {
		for _, t := range []float64{off[k], between(off[k], down[k], 0.5), down[k], zero[k]} {
			s := o.azimuth.at(t)
			roll := -0.30 * p.nth("slope", k) * cos(s-90-p.nth("low", k)-180)
			extra := 0.0
			if t == down[k] {
				extra = -p.nth("tilt", k)
			}
			p.at(t, values{chestRoll: roll + extra, hipRoll: 0.5 * roll})
		}
	}
	bendAt := p.get("trunk-bend")
	p.at(p.begin, values{hipPitch: 16, chestPitch: 20, headPitch: -10, chestRoll: 0, hipRoll: 0})
	p.at(0, values{hipPitch: 10, chestPitch: 14, chestRoll: 0, hipRoll: 0})
	for k := 1; k <= n; k++ {
		p.at(off[k], values{hipPitch: 2, chestPitch: 4, headPitch: -4})
		p.at(down[k], values{hipPitch: 8, chestPitch: 10, headPitch: -6})
		p.at(zero[k], values{hipPitch: 8, chestPitch: 10 + 0.5*(bendAt-6)*float64(k)/float64(n)})
	}
	p.at(release, values{hipPitch: -8, chestPitch: -8 + bendAt*0.9, headPitch: -16, chestRoll: -10, hipRoll: -4})
	p.at(release+0.45, values{hipPitch: 4, chestPitch: 2, headPitch: -8, chestRoll: 0, hipRoll: 0})

	// where the hips are: between the feet, or over the pivot foot, against the ball
	leg := p.get("legs")
	over := func(t, knee, share float64, push r3.Vec, single bool) {
		a := under(t)
		ballTo := toward(o.azimuth.at(t))
		c := p.get("counter")
		hip := r3.Add(a, r3.Scale(share, r3.Sub(push, a)))
		if single {
			hip = r3.Add(a, r3.Scale(-share*pr.HipHalf*1.3, toward(o.azimuth.at(t)+10+90)))
			if push != (r3.Vec{}) { // still held back by the foot that leaves
				hip = r3.Add(hip, r3.Scale(0.20, r3.Sub(push, a)))
			}
		}
		hip = r3.Add(hip, r3.Scale(-c, ballTo))
		y := 0.0
		for k := 1; k <= n; k++ {
			y += p.nth("sway", k) * smooth((t-down[k]+0.15)/0.3)
		}
		hang := p.get("hang") * smooth(t/0.3)
		p.ways = append(p.ways, way{t: t, over: left, dx: hip.X - a.X - hang, dy: hip.Y - a.Y + y, knee: math.Min(knee, 172)})
	}
	start := r3.Vec{X: back, Y: wide / 2}
	over(p.begin, leg+14, 0.5, start, false)
	if short {
		over(-0.6, leg+6, 0.55, start, false)
	} else {
		over(-0.5*p.get("wind-time"), leg+16, 0.44, start, false)
	}
	over(0, leg+6, 0.5, start, false)
	for k := 1; k <= n; k++ {
		leaving := start
		if k > 1 {
			leaving = lands[k-2]
		}
		over(off[k], leg+4, 1, leaving, true)
		over(between(off[k], down[k], 0.5), leg-2+0.4*p.nth("pivot-knee", k), 1, r3.Vec{}, true)
		over(down[k], leg-4+0.8*p.nth("pivot-knee", k), 0.42, lands[k-1], false)
		over(zero[k], leg-4+p.nth("pivot-knee", k), 0.48, lands[k-1], false)
	}
	over(release, math.Max(160, leg), 0.40, lands[n-1], false)
	aside := p.get("recovery-side")
	rest := r3.Add(under(release+0.45), r3.Vec{X: 0.08, Y: 0.26 + aside, Z: 0.435*pr.Height - 0.14*math.Abs(aside)})
	p.ways = append(p.ways, way{t: release + 0.45, place: rest}, way{t: p.end, place: r3.Add(rest, r3.Vec{Y: 0.08 * aside})})

	// stamps
	s := p.stamps
	s["entry-0"], s["release"], s["recover"] = 0, release, release+0.45
	for k := 1; k <= n; k++ {
		s[at("off", k)], s[at("down", k)], s[at("zero", k)] = off[k], down[k], zero[k]
	}
	if short {
		s["sling"] = -0.59
	} else {
		s[at("wind-0", 1)], s[at("wind-0", 2)] = -p.get("wind-time"), 0
	}

	// arms after the release, and the grip before
	for _, q := range []side{right, left} {
		p.at(release, values{q.of(armFlexR): 105, q.of(armOutR): 12, q.of(elbowR): 172, q.of(armTurnR): 10})
		p.at(release+0.22, values{q.of(armFlexR): 128, q.of(armOutR): 30, q.of(elbowR): 160})
		p.at(p.end, values{q.of(armFlexR): 40, q.of(armOutR): 25, q.of(elbowR): 140})
	}
	p.hands = func(m *Motion, t float64, f *figure) {
		w := 1 - smooth((t-release)/0.12)
		if w <= 0 {
			return
		}
		grip, d := o.grip(p, f, math.Min(t, release+0.12))
		for _, q := range []side{right, left} {
			wrist := r3.Sub(grip, r3.Scale(pr.Hand, d))
			wrist = r3.Add(wrist, r3.Scale(q.sign()*0.015, f.chest.y))
			pole := r3.Add(r3.Scale(q.sign(), f.chest.y), r3.Scale(-0.7, f.chest.z))
			p.pr.grasp(f, q, wrist, pole, d, w)
		}
	}
	p.carry = func(m *Motion, t float64, f *figure) {
		if t <= release {
			grip, d := o.grip(p, f, t)
			f.things = append(f.things, thing{"grip", grip}, thing{"implement", r3.Add(grip, r3.Scale(cord, d))})
			return
		}
		at, v := m.released(release)
		grip, gv := m.releasedGrip(release)
		d := t - release
		ballNow := r3.Add(at, r3.Scale(d, v))
		ballNow.Z = flight.Rise(at.Z, v.Z, d)
		tail := r3.Add(grip, r3.Scale(d, mix(gv, v, clamp(d/0.15, 0, 1))))
		tail = r3.Add(ballNow, r3.Scale(cord, r3.Unit(r3.Sub(tail, ballNow))))
		f.things = append(f.things, thing{"grip", tail}, thing{"implement", ballNow})
	}
	p.marks = circleMarks(2.135)
}

// circleMarks are the middle of a circle, four points of its inner rim and the
// ends of the painted half-lines.
func circleMarks(diameter float64) map[string]r3.Vec {
	r := diameter / 2
	return map[string]r3.Vec{
		"centre": {}, "rim.back": {X: -r}, "rim.front": {X: r}, "rim.left": {Y: r}, "rim.right": {Y: -r},
		"half-line.left": {Y: r + 0.75}, "half-line.right": {Y: -r - 0.75},
	}
}

// implement is where a named thing of the implement is at t.
func (m *Motion) implement(t float64, name string) r3.Vec {
	f := m.figure(t)
	for _, x := range f.things {
		if x.name == name {
			return x.at
		}
	}
	return r3.Vec{}
}

// released is place and velocity of the implement as it leaves the hand.
func (m *Motion) released(t float64) (r3.Vec, r3.Vec) { return m.leaving(t, "implement") }

func (m *Motion) releasedGrip(t float64) (r3.Vec, r3.Vec) { return m.leaving(t, "grip") }

func (m *Motion) leaving(t float64, name string) (r3.Vec, r3.Vec) {
	if got, ok := m.left[name]; ok {
		return got[0], got[1]
	}
	const h = 1e-3
	a, b := m.implement(t-h, name), m.implement(t, name)
	c := m.implement(t-2*h, name)
	v := r3.Scale(1/(2*h), r3.Add(r3.Sub(r3.Scale(3, b), r3.Scale(4, a)), c))
	if m.left == nil {
		m.left = map[string][2]r3.Vec{}
	}
	m.left[name] = [2]r3.Vec{b, v}
	return b, v
}

func measureHammer(m *Motion) map[string]float64 {
	p := m.plan
	n := turnsOf(m.Variant)
	pr := &p.pr
	s := m.Stamps
	out := map[string]float64{}
	mass, cord := m.Athlete.hammerOf(m.Event)
	ballAt := func(t float64) r3.Vec { return m.implement(t, "implement") }
	leg := pr.legLength()
	// the centre of each turn's orbit: the mean over equal parts of its time
	centre := make([]r3.Vec, n+2)
	for k := 1; k <= n+1; k++ {
		from, to := s["entry-0"], s["release"]
		if k > 1 {
			from = s[at("zero", k-1)]
		}
		if k <= n {
			to = s[at("zero", k)]
		}
		if k == n+1 { // the last orbit, moved on with the hips
			var mean r3.Vec
			for i := range 16 {
				f := m.figure(s[at("zero", n-1)] + (s[at("zero", n)]-s[at("zero", n-1)])*float64(i)/16)
				mean = r3.Add(mean, r3.Scale(1.0/16, f.midHip))
			}
			f := m.figure(s["release"])
			centre[k] = r3.Add(centre[n], r3.Sub(f.midHip, mean))
			continue
		}
		var low, high r3.Vec
		low, high = r3.Vec{X: 1e9, Y: 1e9}, r3.Vec{X: -1e9, Y: -1e9}
		for i := range 48 {
			b := ballAt(from + (to-from)*float64(i)/48)
			low.X, low.Y = math.Min(low.X, b.X), math.Min(low.Y, b.Y)
			high.X, high.Y = math.Max(high.X, b.X), math.Max(high.Y, b.Y)
		}
		centre[k] = middle(low, high)
	}
	azimuth := func(t float64, k int) float64 { return azimuthOf(r3.Sub(ballAt(t), centre[k])) }
	near := func(a, about float64) float64 { return about + wrap(a-about) }
	z := func(t float64) float64 { return ballAt(t).Z }
	push, pivot := right, left
	mids := make([]float64, n+1)
	for k := 1; k <= n; k++ {
		on := func(id, place string) string { return id + "@" + at(place, k) }
		offT, downT, zeroT := s[at("off", k)], s[at("down", k)], s[at("zero", k)]
		next := s["release"]
		if k < n {
			next = s[at("off", k+1)]
		}
		last := 0.0
		if k > 1 {
			last = s[at("down", k-1)]
		}
		out[on("turn-time", "down")] = downT - last
		out[on("ss", "down")] = downT - offT
		out[on("ds", "down")] = next - downT
		out[on("ds-share", "down")] = 100 * (next - downT) / (next - offT)
		out[on("off-azimuth", "off")] = near(azimuth(offT, k), 75)
		out[on("catch-azimuth", "down")] = near(azimuth(downT, k), 240)
		s[at("high", k)] = highest(offT-0.05, downT+0.1, z)
		s[at("low", k)] = lowest(downT, math.Min(next+0.05, s["release"]), z)
		hi, lo := ballAt(s[at("high", k)]), ballAt(s[at("low", k)])
		out[on("high-azimuth", "high")] = near(azimuth(s[at("high", k)], k), 190)
		out[on("low-azimuth", "low")] = near(azimuth(s[at("low", k)], min(k+1, n)), 0)
		out[on("plane-slope", "low")] = atan2(hi.Z-lo.Z, math.Hypot(hi.X-lo.X, hi.Y-lo.Y))
		lf := m.figure(s[at("low", k)])
		out[on("radius", "low")] = 100 * r3.Norm(r3.Sub(lo, lf.shoulders())) / (pr.armLength() + pr.Hand + cord)
		zf, df, of := m.figure(zeroT), m.figure(downT), m.figure(offT)
		mids[k] = 0
		for i := range 8 {
			f := m.figure(offT + (zeroT-offT)*float64(i)/8)
			mids[k] += f.midHip.Y / 8
		}
		out[on("drag", "zero")] = wrap(zf.shoulderFacing() - azimuth(zeroT, k))
		out[on("separation", "down")] = df.separation()
		out[on("push-arm", "zero")] = zf.elbow(push)
		q := bisect(downT-0.1, zeroT, func(t float64) float64 { return near(azimuth(t, k), 270) - 270 })
		qf := m.figure(q)
		out[on("shoulder-lead", "zero")] = wrap(zf.shoulderFacing()-qf.shoulderFacing()) - wrap(azimuth(zeroT, k)-azimuth(q, k))
		out[on("pivot-knee", "down")], out[on("pivot-knee", "zero")] = df.knee(pivot), zf.knee(pivot)
		out[on("shoulder-tilt", "down")] = tilt(df.limb[right].shoulder, df.limb[left].shoulder)
		out[on("tilt-gap", "down")] = tilt(df.limb[right].shoulder, df.limb[left].shoulder) - tilt(df.limb[right].hip, df.limb[left].hip)
		out[on("hip-tilt", "down")] = tilt(df.limb[right].hip, df.limb[left].hip)
		before := m.figure(0)
		if k > 1 {
			before = m.figure(s[at("zero", k-1)])
		}
		out[on("turned", "zero")] = 360 + wrap(zf.hipFacing()-before.hipFacing())
		out[on("foot-facing", "down")] = near(df.footAzimuth(push), 290)
		out[on("drag", "off")] = wrap(of.shoulderFacing() - azimuth(offT, k))
		out[on("pivot-foot", "off")] = near(of.footAzimuth(pivot), 90)
		was := m.figure(last)
		out[on("travel", "down")] = df.limb[pivot].ball.X - was.limb[pivot].ball.X
		out[on("hang-back", "down")] = 100 * (middle(df.limb[pivot].ankle, df.limb[push].ankle).X - df.midHip.X) / leg
		v := r3.Scale(500, r3.Sub(ballAt(zeroT+1e-3), ballAt(zeroT-1e-3)))
		out[on("ball-speed", "zero")] = r3.Norm(v)
		out[on("pull", "zero")] = m.pull(zeroT, mass)
		if k > 1 {
			out[on("hip-sway", "zero")] = 100 * math.Abs(mids[k]-mids[k-1]) / (2 * pr.HipHalf)
		}
	}
	rel := s["release"]
	rf := m.figure(rel)
	out["delivery-time@release"] = rel - s[at("down", n)]
	out["release-azimuth@release"] = near(azimuth(rel, n+1), 90)
	ball, v := m.released(rel)
	out["release-speed@release"] = r3.Norm(v)
	out["release-angle@release"] = atan2(v.Z, math.Hypot(v.X, v.Y))
	out["release-height@release"] = ball.Z
	out["land-azimuth@release"] = landAzimuth(ball, v)
	feet := middle(rf.limb[left].ankle, rf.limb[right].ankle)
	away := r3.Scale(-1, toward(azimuth(rel, n+1)))
	out["counter@release"] = lean(feet, rf.neck, away)
	out["trunk-bend@release"] = lean(rf.midHip, rf.neck, r3.Scale(-1, away)) - lean(feet, rf.midHip, r3.Scale(-1, away))
	rec := m.figure(s["recover"])
	out["recovery-side@recover"] = rec.midHip.Y - rf.midHip.Y
	e := m.figure(0)
	out["push-knee-collapse@entry-0"] = 100 * (e.limb[push].toe.Y - e.limb[push].knee.Y) / pr.Shank
	if m.Event == "hammer" {
		w := p.get("wind-time")
		for i, zt := range []float64{-w, 0} {
			s[at("wind-low", i+1)] = lowest(math.Max(m.Begin(), zt-0.25*w), zt+0.15*w, z)
			lf := m.figure(s[at("wind-low", i+1)])
			if top := highest(math.Max(m.Begin(), zt-0.75*w), zt-0.1*w, z); top > m.Begin()+0.02 {
				up, down := ballAt(top), ballAt(s[at("wind-low", i+1)])
				out["wind-slope@"+at("wind-low", i+1)] = atan2(up.Z-down.Z, math.Hypot(up.X-down.X, up.Y-down.Y))
			}
			out["wind-low-azimuth@"+at("wind-low", i+1)] = near(azimuthOf(r3.Sub(ballAt(s[at("wind-low", i+1)]), lf.midHip)), 340)
			f := m.figure(zt)
			grip := m.implement(zt, "grip")
			out["hand-reach@"+at("wind-0", i+1)] = 100 * r3.Norm(r3.Sub(grip, f.shoulders())) / (pr.armLength() + pr.Hand)
			out["wind-facing@"+at("wind-0", i+1)] = near(f.shoulderFacing(), 340)
		}
	}
	return out
}

// pull is the force on the cord: mass times the acceleration that the ball's
// path shows toward the hands, with its weight, N.
func (m *Motion) pull(t, mass float64) float64 {
	const h = 4e-3
	a, b, c := m.implement(t-h, "implement"), m.implement(t, "implement"), m.implement(t+h, "implement")
	acc := r3.Scale(1/(h*h), r3.Add(r3.Sub(a, r3.Scale(2, b)), c))
	return mass * r3.Norm(r3.Add(acc, r3.Vec{Z: flight.G}))
}

// landAzimuth is the direction from the origin to where a projectile comes down.
func landAzimuth(at, v r3.Vec) float64 {
	t := (v.Z + math.Sqrt(v.Z*v.Z+2*flight.G*at.Z)) / flight.G
	return azimuthOf(r3.Vec{X: at.X + v.X*t, Y: at.Y + v.Y*t})
}
