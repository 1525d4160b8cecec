package sim

import (
	"math"

	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
	"neokinema/core/flight"
)

// discus is the discus throw, with the full turn or from a stand. The zero is
// the push foot's leaving, from a stand the power position; the origin of the
// ground is the middle of the circle.
func discus() discipline {
	return discipline{
		id: "discus", variants: []string{"full", "stand"},
		knobs: func(w Request) []knob {
			k := append(spinKnobs(w, spinTimes{0.40, 0.07, 0.175, 0.208}), free("orbit-height", 15, 1, -40, 40), free("arm-lag", 18, 1.5, -10, 45), free("arm", 166, 1, 110, 176),
				free("edge", -6, 2, -30, 50), held("attack@release", -5, 1.5, -30, 30, 1), free("wobble", 2.5, 0.6, 0, 30))
			return append(k, held("release-angle@release", 36.5, 0.7, 15, 55, 0.8), held("release-azimuth@release", 90, 1.5, 50, 130, 1.5), free("up", 0, 1, -6, 40))
		},
		faults: withSpinFaults(map[string]change{
			"low-orbit": {"orbit-height": -44, "wobble": 2}, "straddle": {"squeeze": 52, "lag-foot": 6}, "no-flight": {"flight": -0.053, "squeeze": -8},
			"long-flight": {"flight": 0.115, "transition": 0.02}, "upper-body-ahead": {"separation": -70, "arm-lag": -10, "finish-lean": 20}, "early-disc": {"arm-lag": -34},
			"early-leg-extension": {"push-knee-power": 48, "feet-line": 0.06}, "left-ground-early": {"contact-lead": 0.115}, "fall-off": {"finish-tilt": 30},
			"edge-up": {"edge": 45}, "wobble": {"wobble": 24}, "short-sweep": {"sweep": -44},
		}),
		lay: laySpin, measure: measureSpin,
	}
}

// shotRotational is the rotational shot put.
func shotRotational() discipline {
	return discipline{
		id: "shot-rotational", variants: []string{"full"},
		knobs: func(w Request) []knob {
			k := append(spinKnobs(w, spinTimes{0.42, 0.055, 0.165, 0.245}), free("wind-facing", 300, 4, 240, 360), free("wind-dip", 0.03, 0.008, 0, 0.35), free("free-elbow", 158, 3, 60, 176),
				free("free-arm-open", 0, 4, -60, 160), free("wrap-bend", 0, 1, -10, 60), free("elbow-drop", 0, 1.5, -10, 70), free("backing", 0, 0.008, -0.1, 0.3))
			return append(k, held("release-angle@release", 35, 0.8, 15, 55, 1.5), free("aim", 180, 3, 140, 220), free("up", 0, 1, -6, 40))
		},
		faults: withSpinFaults(map[string]change{
			"up-down": {"wind-dip": 0.16, "free-elbow": -12}, "late-free-arm": {"free-elbow": -74}, "short-flat-sweep": {"sweep": -44}, "backing-in": {"backing": 0.14},
			"early-open": {"free-arm-open": 130, "separation": -12}, "re-wrap-bent": {"wrap-bend": 56}, "elbow-drop": {"elbow-drop": 58},
			"straddle": {"squeeze": 86, "lag-foot": 6}, "left-ground-early": {"contact-lead": 0.145}, "fall-off": {"finish-tilt": 30},
		}),
		lay: laySpin, measure: measureSpin,
	}
}

type spinTimes struct{ entry, flight, transition, delivery float64 }

// spinKnobs steer what both turning throws from the circle's back share.
func spinKnobs(w Request, t spinTimes) []knob {
	slow := levelled(w.Level, 1.2, 1, 0.95)
	shot := w.Event == "shot-rotational"
	landing, power := 286.0, 362.0
	if shot {
		landing, power = 302, 366
	}
	return []knob{
		free("entry-ss", t.entry*slow, 0.01, 0.2, 0.8), free("flight", t.flight, 0.004, 0.008, 0.3), free("transition", t.transition*slow, 0.006, 0.06, 0.45), free("delivery", t.delivery*levelled(w.Level, 1.14, 1, 0.93), 0.005, 0.1, 0.4),
		free("pivot-azimuth", 168, 4, 90, 260), free("push-azimuth-down", landing, 4, 220, 350), free("push-azimuth-power", power, 4, 290, 420),
		free("sweep", 50, 1.5, 4, 65), free("squeeze", 0, 2, -12, 90), free("under", 0.02, 0.01, -0.2, 0.3), free("lag-foot", 0, 1.5, -10, 45),
		free("separation", 52, 2, -20, 90), free("push-knee-down", 128, 1.5, 100, 170), free("push-knee-power", 124, 1.5, 95, 172), free("block-knee", 168, 1, 110, 176),
		free("trunk-lean", -15, 1, -45, 30), free("finish-lean", -3, 1, -30, 30), free("entry-tilt", 0, 1.5, -30, 40), free("finish-tilt", 0, 1.5, -20, 45),
		free("hips-back", 0, 0.006, -0.1, 0.25), free("feet-line", 0.07, 0.012, -0.3, 0.35), free("contact-lead", -0.025, 0.003, -0.1, 0.16), free("off-line", 0, 0.02, -0.5, 0.5), free("hip-stop", 0, 1.5, -10, 70),
	}
}

func withSpinFaults(own map[string]change) map[string]change {
	for id, c := range map[string]change{
		"dive":                {"entry-tilt": 28, "trunk-lean": 8},
		"hips-drop-back":      {"hips-back": 0.17, "off-line": 0.05},
		"over-rotated-pivot":  {"pivot-azimuth": 68, "off-line": -0.08},
		"under-rotated-pivot": {"pivot-azimuth": -62, "off-line": 0.06},
		"blocked-hips":        {"feet-line": -0.22, "hip-stop": 40},
		"stopped-foot":        {"push-azimuth-power": -62},
		"jump-up":             {"push-knee-power": 44, "push-knee-down": 8, "up": 40, "feet-line": 0.09},
		"late-pivot-foot":     {"transition": 0.12, "lag-foot": 36, "separation": -14},
	} {
		if _, ok := own[id]; !ok {
			own[id] = c
		}
	}
	return own
}

// leaning tips the trunk at an instant so that it leans along x and y, whatever
// way it faces; tip raises the left shoulder besides.
func (p *plan) leaning(t, hipFacing, chestFacing, x, y, tip float64) {
	part := func(facing float64) (pitch, roll float64) {
		w := facing + 180
		return x*cos(w) + y*sin(w), x*sin(w) - y*cos(w)
	}
	hp, hr := part(hipFacing)
	cp, cr := part(chestFacing)
	p.at(t, values{hipYaw: hipFacing + 180, hipPitch: 0.8 * hp, hipRoll: 0.8 * hr, chestYaw: chestFacing + 180, chestPitch: cp, chestRoll: cr + tip})
}

func laySpin(p *plan) {
	pr := &p.pr
	shot := p.event == "shot-rotational"
	stand := p.variant == "stand"
	k := pr.Height / 1.82
	pivotOff := p.get("entry-ss")
	pushDown := pivotOff + p.get("flight")
	pivotDown := pushDown + p.get("transition")
	if stand {
		pivotDown = 0
	}
	release := pivotDown + p.get("delivery")
	pivotUp := release - p.get("contact-lead")
	pushUp := math.Min(release-0.01, pivotUp-0.008)
	reverse := math.Max(pivotUp, release) + 0.17
	wind, start := -1.0, -0.58
	if stand {
		wind = -0.55
	}
	p.begin, p.end = wind-0.35, reverse+0.30
	if stand {
		p.end = release + 0.5
	}
	s := p.stamps
	s["wind"], s["pivot-down"], s["release"] = wind, pivotDown, release
	if !stand {
		s["start-ds"], s["push-off"], s["pivot-off"], s["push-down"], s["push-up"], s["pivot-up"], s["reverse-down"] = start, 0, pivotOff, pushDown, pushUp, pivotUp, reverse
	}

	// the ground
	backX, half, front := -0.93*k, 0.27*k, 0.44*k
	if shot {
		backX, half, front = -0.78*k, 0.26*k, 0.45*k
		delete(s, "push-up")
	}
	ballAt := r3.Vec{X: -0.30 * k, Y: 0.03 + p.get("off-line")}
	if shot {
		ballAt.X = -0.20 * k
	}
	front -= 0.12 * clamp((p.get("push-knee-power")-126)/46, 0, 1)
	if stand {
		front -= 0.05
	}
	frontAt := r3.Vec{X: front}
	yaw := func(knots ...knot) track {
		for i := range knots {
			knots[i].v += 180
		}
		return newTrack(knots...)
	}
	pushYawDown, pushYawPower := p.get("push-azimuth-down"), p.get("push-azimuth-power")
	middle := r3.Sub(ballAt, r3.Scale(pr.BallAhead, toward(pushYawDown)))
	heelAt := r3.Sub(ballAt, r3.Scale(pr.BallAhead+pr.HeelBehind, toward(pushYawPower)))
	frontAt.Y = heelAt.Y + p.get("feet-line")
	var inf = math.Inf(1)
	pushHold := hold{foot: right, from: pushDown, to: pushUp, at: middle, pins: []pin{{pushDown, ball}},
		yaw:   yaw(knot{pushDown, pushYawDown}, knot{pivotDown, pushYawPower}, knot{pivotDown + 0.6*(release-pivotDown), pushYawPower + 75}, knot{release, pushYawPower + 128}),
		pitch: newTrack(knot{pushDown, 20}, knot{pivotDown, 22 + p.get("up")}, knot{between(pivotDown, release, 0.6), 34}, knot{pushUp, 60})}
	pivotHold := hold{foot: left, from: pivotDown, to: pivotUp, at: frontAt, pins: []pin{{pivotDown, ball}},
		yaw:   yaw(knot{pivotDown, 462}, knot{between(pivotDown, release, 0.5), 472}, knot{release, 506}, knot{pivotUp + 0.02, 512}),
		pitch: newTrack(knot{pivotDown, 16}, knot{pivotDown + 0.05, 0}, knot{between(pivotDown, release, 0.7), 0}, knot{pivotUp, 46})}
	if stand {
		pushHold.at = r3.Sub(ballAt, r3.Scale(pr.BallAhead, toward(pushYawPower)))
		pushHold.from, pushHold.to, pivotHold.to = math.Inf(-1), inf, inf
		pushHold.pins[0].t = 0
		pushHold.yaw = yaw(knot{wind, pushYawPower - 6}, knot{pivotDown, pushYawPower}, knot{release, pushYawPower + 128}, knot{release + 0.3, pushYawPower + 150})
		pushHold.pitch = newTrack(knot{wind, 8}, knot{pivotDown, 18}, knot{release, 52}, knot{p.end, 60})
		pivotHold.pitch = newTrack(knot{pivotDown, 8}, knot{pivotDown + 0.05, 0}, knot{release, 2}, knot{p.end, 4})
		was := pivotHold
		was.from, was.to, was.at = math.Inf(-1), -0.42, r3.Add(frontAt, r3.Vec{X: -0.05})
		was.pins = []pin{{-1, toe}}
		was.yaw, was.pitch = yaw(knot{wind, 455}), newTrack(knot{wind, 0}, knot{-0.42, 20})
		p.stand(was)
		p.step(left, -0.42, 0, legKnot{-0.24, 22, 22, 0, 140, 8})
	} else {
		p.stand(hold{foot: left, from: math.Inf(-1), to: pivotOff, at: r3.Vec{X: backX, Y: -half}, pins: []pin{{0, ball}},
			yaw:   yaw(knot{wind, 4}, knot{start, 8}, knot{0, 76}, knot{pivotOff, p.get("pivot-azimuth")}),
			pitch: newTrack(knot{wind, 2}, knot{start, 6}, knot{0, 16}, knot{0.6 * pivotOff, 20}, knot{pivotOff, 56})})
		p.stand(hold{foot: right, from: math.Inf(-1), to: 0, at: r3.Vec{X: backX, Y: half}, pins: []pin{{0, ball}},
			yaw:   yaw(knot{wind, -14}, knot{start, 0}, knot{0, 44}),
			pitch: newTrack(knot{wind, 0}, knot{start, 10}, knot{0, 52})})
		p.stand(hold{foot: right, from: reverse, to: inf, at: r3.Vec{X: front + 0.04, Y: frontAt.Y - 0.06}, pins: []pin{{reverse, ball}},
			yaw: yaw(knot{reverse, 566}, knot{p.end, 600}), pitch: newTrack(knot{reverse, 22}, knot{reverse + 0.15, 8})})
		sw, sq := p.get("sweep"), p.get("squeeze")
		p.step(right, 0, pushDown,
			legKnot{0.22 * pushDown, 4, 0.78 * sw, 0, 138 - 2*math.Max(0, 44-sw), 26}, legKnot{0.50 * pushDown, 30, sw, 0, 138 - 2*math.Max(0, 44-sw), 14}, legKnot{0.76 * pushDown, 48, 0.22*sw + 0.5*sq, 0, 104, 16})
		lag, tucked := p.get("lag-foot"), 10.0
		if shot {
			tucked = 52
		}
		d := pivotDown - pivotOff
		p.step(left, pivotOff, pivotDown,
			legKnot{pivotOff + 0.30*d, tucked - 0.5*lag, -1 + sq, 0, 84 - 0.8*lag, 34}, legKnot{pivotOff + 0.66*d, 22 - lag, 14 + 0.6*sq, 0, 106 - 0.6*lag, 12})
		p.step(right, pushUp, reverse, legKnot{between(pushUp, reverse, 0.45), 6, 14, 0, 128, 34})
		p.step(left, pivotUp, p.end+0.4, legKnot{between(pivotUp, p.end, 0.35), -16, 12, 0, 120, 34}, legKnot{p.end + 0.4, -34, 20, 0, 140, 30})
		p.fly(pivotOff, pushDown)
		p.fly(pivotUp, reverse)
	}

	p.stand(pushHold)
	p.stand(pivotHold)

	// hips and shoulders
	sep := p.get("separation")
	finishRoll := -p.get("finish-tilt")
	lean := p.get("trunk-lean")
	end := p.get("finish-lean")
	turnEnd := 540.0
	if !shot {
		turnEnd = 450 + p.get("release-azimuth@release")
	}
	windFacing := -96.0
	if shot {
		windFacing = p.get("wind-facing") - 360
	}
	if stand {
		p.leaning(wind-0.3, 345, 330, -12, 0, 0)
		p.leaning(wind, 335, 335-sep, -18, 0, 0)
	} else {
		p.leaning(wind-0.35, -4, windFacing*0.55, 2, 2, 0)
		p.leaning(wind, -28, windFacing, -2, 4, 0)
		p.leaning(start, -6, windFacing*0.62, -2, -1, 0)
		p.leaning(0, 80, 48, 1, -3, -p.get("entry-tilt"))
		p.leaning(0.55*pivotOff, 146, 112, 3, -1, -0.6*p.get("entry-tilt"))
		over := 0.45 * (p.get("pivot-azimuth") - 168)
		p.leaning(pivotOff, 212+over, 174+over, 2, 0, 0)
		wrap := 0.0
		if shot {
			wrap = p.get("wrap-bend")
		}
		air := math.Min(100, 66*p.get("flight")/0.07) // the hips turn in the air as long as it lasts
		w := 232 + 180.0
		p.leaning(pushDown, 212+air, 174+0.88*air, lean+wrap*cos(w), wrap*sin(w), 0)
	}
	if !stand {
		p.leaning(pivotDown, 378, 378-sep, lean, 0, 0)
	} else {
		p.leaning(pivotDown, 372, 372-sep, lean, 0, 0)
	}
	halfway := 424.0
	if !shot {
		halfway = 447
	}
	p.leaning(between(pivotDown, release, 0.48), 456, halfway-0.3*(sep-52)*0.5, 0.6*lean, 0, 0.3*finishRoll)
	p.leaning(release, turnEnd-10-p.get("hip-stop"), turnEnd, end, 0, finishRoll)
	if stand {
		p.leaning(release+0.30*p.get("delivery"), turnEnd+14, turnEnd+52, end+8, 4, finishRoll*0.8)
		p.leaning(p.end, turnEnd+18, turnEnd+60, end+10, 6, 0)
	} else {
		p.leaning(release+0.32*p.get("delivery"), turnEnd+22, turnEnd+44, end+2, 2, finishRoll)
		p.leaning(reverse+0.05, turnEnd+95, turnEnd+130, end+8, 4, finishRoll*0.5)
		p.leaning(p.end, turnEnd+150, turnEnd+175, end+4, 4, 0)
	}
	p.at(wind, values{headYaw: 34, headPitch: 0})
	p.at(0, values{headYaw: 12})
	p.at(pivotDown, values{headYaw: -6, headPitch: 4})
	p.at(release, values{headYaw: 10, headPitch: -14})
	p.at(p.end, values{headYaw: 0, headPitch: 0})

	// where the hips are
	if !stand {
		dip := 0.0
		if shot {
			dip = p.get("wind-dip")
		}
		lower := func(knee, by float64) float64 { return knee - 130*by }
		back := p.get("hips-back")
		p.ways = append(p.ways,
			way{t: p.begin, over: right, dx: 0, dy: -half, knee: 160, speed: &r3.Vec{}},
			way{t: wind, over: right, dx: 0.02, dy: -half + 0.06, knee: 152},
			way{t: between(wind, start, 0.5), over: right, dx: 0, dy: -half, knee: lower(148, dip*1.9)},
			way{t: start, over: left, dx: 0.00, dy: half - 0.05, knee: 142},
			way{t: 0, over: left, dx: 0.06 - back, dy: 0.085, knee: 128},
			way{t: 0.55 * pivotOff, over: left, dx: 0.12 - 0.6*back, dy: 0.08, knee: 126},
			way{t: pivotOff, over: left, dx: 0.50*k - 2.2*(p.get("flight")-0.065), dy: 0.10 * k, knee: 156})
		if shot {
			b := p.get("backing")
			n := len(p.ways)
			p.ways[n-3].dy += b
			p.ways[n-2].dy += b * 0.8
		}
		p.ways = append(p.ways, way{t: pushDown, over: right, dx: -p.get("under") * pr.legLength(), dy: 0, knee: p.get("push-knee-down")})
	} else {
		p.ways = append(p.ways, way{t: p.begin, over: right, dx: 0.22, dy: 0.02, knee: 150, speed: &r3.Vec{}}, way{t: wind, over: right, dx: 0.08, dy: 0.02, knee: 132})
	}
	atRelease := 0.26
	if stand {
		atRelease = 0.30
	}
	p.ways = append(p.ways,
		way{t: pivotDown, over: right, dx: 0.20 * k, dy: 0.05, knee: p.get("push-knee-power")},
		way{t: math.Min(between(pivotDown, release, 0.55), pushUp-0.02), over: right, dx: 0.33 * k, dy: 0.05, knee: math.Max(136, p.get("push-knee-power"))},
		way{t: release, over: left, dx: -atRelease * k, dy: -0.02, knee: p.get("block-knee")})
	if stand {
		p.ways = append(p.ways, way{t: release + 0.2, over: left, dx: -0.12, dy: 0, knee: 168}, way{t: p.end, over: left, dx: -0.12, dy: 0, knee: 166, speed: &r3.Vec{}})
	} else {
		if pivotUp > release+1e-6 {
			p.ways = append(p.ways, way{t: pivotUp, over: left, dx: -0.15 * k, dy: -0.02, knee: 172})
		} else {
			p.ways = p.ways[:len(p.ways)-1]
			p.ways = append(p.ways, way{t: pivotUp, over: left, dx: -0.20 * k, dy: -0.02, knee: p.get("block-knee")})
		}
		p.ways = append(p.ways,
			way{t: reverse, over: right, dx: -0.06, dy: 0.02, knee: 152},
			way{t: p.end, over: right, dx: 0.0, dy: 0.02, knee: 138, speed: &r3.Vec{}})
	}
	p.freeArm(wind, start, pivotOff, pushDown, pivotDown, release)
	if shot {
		p.putShot(pivotDown, release, p.get("release-angle@release"), p.get("aim"), 0.42, p.get("elbow-drop"))
		p.marks = circleMarks(2.135)
		p.marks["board.left"], p.marks["board.right"] = r3.Vec{X: 1.0675 * cos(33), Y: 0.605, Z: 0.1}, r3.Vec{X: 1.0675 * cos(33), Y: -0.605, Z: 0.1}
		return
	}
	p.slingDisc(wind, start, pivotOff, pushDown, pivotDown, release)
	p.marks = circleMarks(2.50)
}

// freeArm leads long, wraps and then stops the free side.
func (p *plan) freeArm(wind, start, pivotOff, pushDown, pivotDown, release float64) {
	long, open := 160.0, 0.0
	if p.event == "shot-rotational" {
		long, open = p.get("free-elbow"), p.get("free-arm-open")
	}
	set := func(t, flex, out, elbow, turn float64) {
		p.at(t, values{armFlexL: flex, armOutL: out, elbowL: elbow, armTurnL: turn})
	}
	across, wrapped := 26.0, -6.0
	if p.event == "shot-rotational" {
		across, wrapped = -14, -56
	}
	set(wind-0.2, 74, 10, 130, 30)
	set(wind, 84, -8, 110, 40)
	if p.variant != "stand" {
		set(start, 84, 16, between(130, long, 0.5), 20)
		set(0, 84, 42, long, 8)
		set(pivotOff, 78, across+0.5*open, between(long, 156, 0.5), 10)
		set(pushDown, 74, wrapped+0.9*open, 118, 40)
	}
	set(pivotDown, 76, 34, 138, 20)
	set(between(pivotDown, release, 0.5), 66, 66, 128, 6)
	set(release, 24, 46, 74, 0)
	set(release+0.3, 34, 52, 100, 0)
}

// slingDisc swings the disc on a long arm behind the shoulders.
func (p *plan) slingDisc(wind, start, pivotOff, pushDown, pivotDown, release float64) {
	pr := &p.pr
	lag := p.get("arm-lag")
	height := p.get("orbit-height")
	angle := p.get("release-angle@release")
	behind := newTrack(knot{wind - 0.3, 5}, knot{wind, 28}, knot{start, 24}, knot{0, 14}, knot{pivotOff, 12}, knot{pushDown, 12}, knot{pivotDown, lag}, knot{between(pivotDown, release, 0.5), lag + 2}, knot{release, 5}, knot{release + 0.1, -12})
	plane := newTrack(knot{wind, 6}, knot{0, 6}, knot{pushDown, height}, knot{pivotDown, height}, knot{between(pivotDown, release, 0.45), between(math.Max(height, 4), angle, 0.45)}, knot{release, angle * 0.92})
	bent := pr.leg2arm(p.get("arm"))
	at := func(t float64, f *figure) (wrist, dir r3.Vec) {
		az := azimuthOf(f.chest.out(r3.Vec{Y: -1})) - behind.at(t)
		h := plane.at(t)
		el := -h*cos(az) - 2
		u := toward(az)
		dir = r3.Vec{X: u.X * cos(el), Y: u.Y * cos(el), Z: sin(el)}
		return r3.Add(f.limb[right].shoulder, r3.Scale(bent, dir)), dir
	}
	p.at(release, values{armFlexR: 60, armOutR: 60, elbowR: 160, armTurnR: 20})
	p.at(release+0.14, values{armFlexR: 96, armOutR: 2, elbowR: 146, armTurnR: 30})
	p.at(release+0.5, values{armFlexR: 50, armOutR: 18, elbowR: 110, armTurnR: 30})
	p.hands = func(m *Motion, t float64, f *figure) {
		w := 1 - smooth((t-release)/0.14)
		if w <= 0 {
			return
		}
		wrist, dir := at(t, f)
		pr.grasp(f, right, wrist, r3.Vec{Z: -1}, dir, w)
	}
	radius := 0.1095
	if p.who.Sex == body.Woman {
		radius = 0.0905
	}
	p.carry = func(m *Motion, t float64, f *figure) {
		if t <= release {
			l := &f.limb[right]
			dir := r3.Unit(r3.Sub(l.knuckle, l.wrist))
			ahead := square(r3.Cross(r3.Vec{Z: 1}, dir), dir)
			centre := r3.Add(l.knuckle, r3.Scale(0.45*radius, dir))
			tip := p.get("edge") * smooth((t-pivotDown)/(release-pivotDown))
			out := about(dir, ahead, -tip)
			f.things = append(f.things, disc(centre, ahead, out, radius)...)
			return
		}
		place, v := m.released(release)
		d := t - release
		place = r3.Add(place, r3.Scale(d, v))
		place.Z -= flight.G * d * d / 2
		path := atan2(v.Z, math.Hypot(v.X, v.Y))
		u := r3.Unit(r3.Vec{X: v.X, Y: v.Y})
		att := path + p.get("attack@release")
		phase := 360 * 6 * d
		sway := p.get("wobble")
		att += sway * cos(phase)
		edge := p.get("edge") + sway*sin(phase)
		ahead := r3.Vec{X: u.X * cos(att), Y: u.Y * cos(att), Z: sin(att)}
		side := r3.Vec{X: u.Y, Y: -u.X}
		out := r3.Add(r3.Scale(cos(edge), side), r3.Scale(sin(edge), square(r3.Vec{Z: 1}, ahead)))
		f.things = append(f.things, disc(place, ahead, out, radius)...)
	}
}

// disc names the points of a disc: its middle, two edges along its path and
// the outside edge.
func disc(centre, ahead, out r3.Vec, radius float64) []thing {
	return []thing{{"implement", centre}, {"implement.front", r3.Add(centre, r3.Scale(radius, ahead))}, {"implement.back", r3.Sub(centre, r3.Scale(radius, ahead))}, {"implement.edge", r3.Add(centre, r3.Scale(radius, out))}}
}

// leg2arm is the distance from shoulder to wrist at an elbow angle.
func (pr *Proportions) leg2arm(elbow float64) float64 {
	return math.Sqrt(sq(pr.UpperArm) + sq(pr.Forearm) - 2*pr.UpperArm*pr.Forearm*cos(elbow))
}

// putShot keeps the shot at the neck and drives it out between an instant of
// the delivery and the release, at an elevation toward an azimuth.
func (p *plan) putShot(from, release, elevation, aim, share, drop float64) {
	pr := &p.pr
	begin := between(from, release, share)
	const radius = 0.0605
	p.at(release, values{armFlexR: 140, armOutR: 10, elbowR: 174, armTurnR: 30})
	p.at(release+0.2, values{armFlexR: 70, armOutR: 4, elbowR: 130, armTurnR: 40})
	p.at(release+0.5, values{armFlexR: 40, armOutR: 14, elbowR: 110, armTurnR: 30})
	home := func(f *figure) r3.Vec {
		return r3.Add(f.neck, f.chest.out(r3.Vec{X: 0.105, Y: -0.10, Z: 0.045}))
	}
	u := toward(aim)
	d := r3.Vec{X: u.X * cos(elevation), Y: u.Y * cos(elevation), Z: sin(elevation)}
	p.hands = func(m *Motion, t float64, f *figure) {
		w := 1 - smooth((t-release)/0.16)
		if w <= 0 {
			return
		}
		s := clamp((t-begin)/(release-begin), 0, 1)
		s = math.Pow(s, 2.7)
		if t > release {
			s = 1
		}
		shoulder := f.limb[right].shoulder
		hand := r3.Unit(mix(f.chest.out(r3.Unit(r3.Vec{X: -0.35, Y: 0.5, Z: 0.8})), d, smooth(s*1.4)))
		held := r3.Sub(home(f), r3.Scale(pr.Hand+0.4*radius, hand))
		far := r3.Add(shoulder, r3.Scale(0.995*pr.armLength(), d))
		wrist := mix(held, far, s)
		pole := f.chest.out(r3.Vec{X: 0.25 - 0.25*s, Y: -1, Z: -0.25 - drop/11})
		pr.grasp(f, right, wrist, pole, hand, w)
	}
	p.carry = func(m *Motion, t float64, f *figure) {
		if t <= release {
			l := &f.limb[right]
			f.things = append(f.things, thing{"implement", r3.Add(l.knuckle, r3.Scale(0.4*radius, r3.Unit(r3.Sub(l.knuckle, l.wrist))))})
			return
		}
		place, v := m.released(release)
		d := t - release
		place = r3.Add(place, r3.Scale(d, v))
		place.Z -= flight.G * d * d / 2
		f.things = append(f.things, thing{"implement", place})
	}
}

func measureSpin(m *Motion) map[string]float64 {
	p := m.plan
	pr := &p.pr
	s := m.Stamps
	out := map[string]float64{}
	shot := m.Event == "shot-rotational"
	leg := pr.legLength()
	x, y := r3.Vec{X: 1}, r3.Vec{Y: 1}
	push, pivot := right, left
	near := func(a, about float64) float64 { return about + wrap(a-about) }
	pivotDown, release := s["pivot-down"], s["release"]
	pf, rf := m.figure(pivotDown), m.figure(release)
	out["push-azimuth@pivot-down"], out["push-knee@pivot-down"] = near(pf.footAzimuth(push), 360), pf.knee(push)
	if m.Variant != "stand" {
		pivotOff, pushDown := s["pivot-off"], s["push-down"]
		of, lf, df := m.figure(0), m.figure(pivotOff), m.figure(pushDown)
		out["entry-ss@pivot-off"], out["flight@push-down"], out["transition@pivot-down"] = pivotOff, pushDown-pivotOff, pivotDown-pushDown
		out["pivot-azimuth@pivot-off"] = near(lf.footAzimuth(pivot), 170)
		out["sweep-radius@pivot-off"] = 100 / leg * greatest(0.35*pivotOff, 0.7*pivotOff, func(t float64) float64 {
			f := m.figure(t)
			d := r3.Sub(f.limb[push].ankle, f.limb[pivot].ball)
			return math.Hypot(d.X, d.Y)
		})
		out["knee-gap@push-down"] = 100 * r3.Norm(r3.Sub(df.limb[left].knee, df.limb[right].knee)) / pr.Thigh
		out["push-azimuth@push-down"] = near(df.footAzimuth(push), 290)
		out["foot-under-hip@push-down"] = 100 * ahead(df.midHip, df.limb[push].ankle, x) / leg
		out["pivot-lag@push-down"] = 100 * ahead(df.limb[push].ankle, df.limb[pivot].ankle, x) / leg
		out["push-knee@push-down"] = df.knee(push)
		out["hip-rise@pivot-down"] = greatest(pushDown, pivotDown, func(t float64) float64 { f := m.figure(t); return f.midHip.Z }) - df.midHip.Z
		out["trunk-lean@push-down"] = df.trunkLean(x)
		out["com-path@push-down"] = df.limb[push].ball.Y
		out["shoulder-tilt@push-off"] = tilt(of.limb[right].shoulder, of.limb[left].shoulder)
		before := m.figure(-0.58)
		out["hips-back@push-off"] = before.midHip.X - of.midHip.X
		shank := r3.Sub(df.limb[pivot].ankle, df.limb[pivot].knee)
		out["shank@push-down"] = atan2(shank.Z, math.Hypot(shank.X, shank.Y))
		if shot {
			wf := m.figure(s["wind"])
			out["wind-facing@wind"] = near(wf.shoulderFacing(), 300)
			hip := func(t float64) float64 { f := m.figure(t); return f.midHip.Z }
			from, to := s["wind"], -0.5
			low := lowest(from, to, hip)
			out["wind-dip@wind"] = math.Min(greatest(from, low, hip), greatest(low, to, hip)) - hip(low)
			out["weight-over-pivot@push-off"] = 100 * math.Abs(of.midHip.Y-of.limb[pivot].ankle.Y) / (2 * pr.HipHalf)
			out["free-arm@push-off"] = of.elbow(left)
			out["free-arm-azimuth@push-down"] = near(azimuthOf(r3.Sub(df.limb[left].wrist, df.limb[left].shoulder)), 200)
			out["trunk-bend@push-down"] = atan2(r3.Dot(df.chest.x, r3.Vec{Z: -1}), df.chest.z.Z)
			drop := func(t float64) float64 { return m.implement(t, "implement").Z }
			out["shot-drop@pivot-down"] = drop(pushDown) - least(pushDown, pivotDown+0.05, drop)
			out["facing@pivot-down"] = near(pf.shoulderFacing(), 340)
			feet := r3.Sub(pf.limb[left].ankle, pf.limb[right].ankle)
			out["stance@pivot-down"] = 100 * math.Hypot(feet.X, feet.Y) / pr.Height
		} else {
			disc := m.implement(pushDown, "implement")
			out["disc-height@push-down"] = 100 * (disc.Z - df.limb[right].shoulder.Z) / pr.Trunk
			knee := azimuthOf(r3.Sub(of.limb[pivot].knee, of.limb[pivot].hip))
			out["free-arm@push-off"] = wrap(azimuthOf(r3.Sub(of.limb[left].wrist, of.limb[left].shoulder)) - knee)
		}
	}
	for _, key := range []string{"push-off", "pivot-off", "push-down", "pivot-down"} {
		if t, ok := s[key]; ok {
			az := azimuthOf(r3.Sub(m.implement(t, "implement"), m.figure(t).midHip))
			if shot {
				out["shot-azimuth@"+key] = near(az, 180)
			} else {
				out["disc-azimuth@"+key] = near(az, 180)
			}
		}
	}
	out["delivery@release"] = release - pivotDown
	out["hips-facing@release"] = near(rf.hipFacing(), 180)
	out["shoulder-tilt@release"] = tilt(rf.limb[right].shoulder, rf.limb[left].shoulder)
	out["separation@pivot-down"] = pf.separation()
	out["push-knee@release"], out["block-knee@release"] = rf.knee(push), rf.knee(pivot)
	out["trunk-lean@release"] = rf.trunkLean(x)
	lead := release - p.stampOr("pivot-up", release-p.get("contact-lead"))
	if m.Variant == "stand" {
		lead = 0 // both feet stay down
	}
	out["contact-lead@release"] = lead
	heelX := pf.limb[push].heel
	out["feet-line@pivot-down"] = ahead(heelX, pf.limb[pivot].ankle, y)
	place, v := m.released(release)
	out["release-speed@release"] = r3.Norm(v)
	out["release-angle@release"] = atan2(v.Z, math.Hypot(v.X, v.Y))
	out["release-height@release"] = place.Z
	out["land-azimuth@release"] = landAzimuth(place, v)
	if shot {
		out["shot-azimuth@release"] = near(azimuthOf(r3.Sub(place, rf.midHip)), 180)
		out["elbow@release"] = least(release-0.12, release, func(t float64) float64 {
			f := m.figure(t)
			return angle3(f.limb[right].elbow, f.limb[right].shoulder, f.limb[right].hip)
		})
		return out
	}
	above := func(t float64) float64 {
		f := m.figure(t)
		return 100 * (m.implement(t, "implement").Z - f.limb[right].shoulder.Z) / pr.Trunk
	}
	if m.Variant == "stand" {
		out["disc-standing@pivot-down"] = above(pivotDown)
	} else {
		out["disc-passing@pivot-down"] = above(crossing(s["push-down"], pivotDown, func(t float64) float64 {
			f := m.figure(t)
			return wrap(azimuthOf(r3.Sub(m.implement(t, "implement"), f.midHip)) - 180)
		}))
	}
	out["arm-lag@pivot-down"] = wrap(azimuthOf(r3.Sub(pf.limb[right].shoulder, pf.shoulders())) - azimuthOf(r3.Sub(pf.limb[right].knuckle, pf.limb[right].shoulder)))
	out["arm-angle@pivot-down"] = angle3(pf.limb[right].elbow, pf.limb[right].shoulder, r3.Add(pf.limb[right].shoulder, r3.Sub(pf.midHip, pf.shoulders())))
	out["release-azimuth@release"] = near(azimuthOf(r3.Sub(place, rf.midHip)), 90)
	out["attack@release"] = p.get("attack@release")
	out["edge@release"] = p.get("edge")
	out["wobble@release"] = p.get("wobble")
	return out
}

// stampOr is a stamp, or a value where the variant has none.
func (p *plan) stampOr(key string, or float64) float64 {
	if t, ok := p.stamps[key]; ok {
		return t
	}
	return or
}
