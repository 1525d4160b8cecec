package sim

import (
	"math"

	"gonum.org/v1/gonum/spatial/r3"
)

// shotGlide is the glide shot put. The zero is the push foot's leaving; the
// origin of the ground is the middle of the circle.
func shotGlide() discipline {
	return discipline{
		id: "shot-glide", variants: []string{"reverse", "fixed"},
		knobs: func(w Request) []knob {
			return []knob{
				free("drive", 0.30, 0.008, 0.15, 0.6), free("glide-time", 0.125, 0.004, 0.05, 0.35), free("land-gap", 0.095, 0.005, 0.02, 0.35), free("delivery", levelled(w.Level, 0.255, 0.220, 0.195), 0.006, 0.12, 0.45),
				free("hop", 0, 0.004, -0.03, 0.25), free("push-azimuth", 48, 4, -40, 110), free("push-knee-down", 110, 1.5, 90, 168), free("push-knee-power", 110, 1.5, 90, 168), free("low-knee", 104, 1.5, 80, 150),
				free("facing", 2, 3, -40, 110), free("separation", 46, 2, -20, 80), free("trunk-down", -42, 1.5, -70, 20), free("trunk-power", -27, 1.5, -60, 30), free("trunk-release", 3, 1, -25, 50),
				held("front-knee@free-down", 152, 1.5, 110, 176, 3), free("front-knee", 168, 1, 95, 177), free("feet-offset", 0.06, 0.01, -0.2, 0.3), free("arm-early", 0, 0.004, -0.05, 0.16),
				free("reverse-turn", 34, 4, 0, 240), free("behind", 0, 0.008, -0.05, 0.40), held("release-angle@release", 36, 0.8, 12, 55, 0.8), free("aim", 180, 3, 140, 220),
			}
		},
		faults: map[string]change{
			"hop-up": {"hop": 0.15, "glide-time": 0.14, "push-knee-down": 18, "land-gap": 0.02}, "slow-feet": {"land-gap": 0.11, "facing": 14}, "early-open": {"facing": 72, "separation": -24},
			"foot-not-under": {"push-azimuth": -76}, "straight-landing": {"push-knee-down": 52, "push-knee-power": 14, "front-knee@free-down": 12}, "soft-front": {"front-knee": -52, "front-knee@free-down": -8},
			"bent-over": {"trunk-release": 39}, "throwing-arm-early": {"arm-early": 0.18}, "pirouette-reverse": {"reverse-turn": 130}, "fall-back": {"behind": 0.24},
		},
		lay: layGlide, measure: measureGlide,
	}
}

func layGlide(p *plan) {
	pr := &p.pr
	k := pr.Height / 1.85
	pushDown := p.get("glide-time")
	freeDown := pushDown + p.get("land-gap")
	release := freeDown + p.get("delivery")
	low := -p.get("drive")
	start := low - 0.55
	fixed := p.variant == "fixed"
	off := release + 0.03
	reverse := release + 0.24
	p.begin, p.end = start-0.25, release+0.85
	s := p.stamps
	s["finish"] = p.end - 0.05
	s["start"], s["low"], s["drive-off"], s["push-down"], s["free-down"], s["release"] = start, low, 0, pushDown, freeDown, release
	inf := math.Inf(1)
	yaw := func(knots ...knot) track {
		for i := range knots {
			knots[i].v += 180
		}
		return newTrack(knots...)
	}

	// the ground: the push foot leaves over its heel and lands turned under
	back := -0.84 * k
	p.stand(hold{foot: right, from: math.Inf(-1), to: 0, at: r3.Vec{X: back}, pins: []pin{{0, toe}, {-0.09, heel}},
		yaw: yaw(knot{start, 4}), pitch: newTrack(knot{start, 0}, knot{low, 2}, knot{-0.09, 0}, knot{0, -26})})
	azimuth := p.get("push-azimuth")
	ballAt := r3.Vec{X: -0.16 * k, Y: -0.20}
	finish := 176.0
	push := hold{foot: right, from: pushDown, to: inf, at: r3.Sub(ballAt, r3.Scale(pr.BallAhead, toward(azimuth))), pins: []pin{{pushDown, ball}},
		yaw:   yaw(knot{pushDown, azimuth}, knot{freeDown, azimuth + 24}, knot{between(freeDown, release, 0.6), math.Max(azimuth+70, 110)}, knot{release, math.Max(azimuth+112, 158)}),
		pitch: newTrack(knot{pushDown, 40}, knot{freeDown, 20}, knot{between(freeDown, release, 0.6), 34}, knot{release, 62}, knot{off, 70})}
	heelAt := r3.Sub(ballAt, r3.Scale(pr.BallAhead+pr.HeelBehind, toward(azimuth+24)))
	frontYaw := 138.0
	frontBall := r3.Vec{X: 0.56*k + 0.0045*(p.get("front-knee@free-down")-152), Y: heelAt.Y + p.get("feet-offset")}
	front := hold{foot: left, from: freeDown, to: inf, at: r3.Sub(frontBall, r3.Scale(pr.ToeAhead, toward(frontYaw))), pins: []pin{{freeDown, ball}},
		yaw: yaw(knot{freeDown, frontYaw}, knot{between(freeDown, release, 0.5), frontYaw + 10}, knot{release, frontYaw + 38}), pitch: newTrack(knot{freeDown, 8}, knot{freeDown + 0.05, 0}, knot{release, 2})}
	turn := p.get("reverse-turn")
	if !fixed {
		push.to, front.to = release-0.004, off
		front.pitch = newTrack(knot{freeDown, 8}, knot{freeDown + 0.05, 0}, knot{between(freeDown, release, 0.7), 0}, knot{off, 44})
		p.fly(off, reverse)
		p.stand(hold{foot: right, from: reverse, to: inf, at: r3.Vec{X: 0.70 * k, Y: -0.02}, pins: []pin{{reverse, ball}},
			yaw: yaw(knot{reverse, 180 + 0.6*turn}, knot{p.end, 180 + turn}), pitch: newTrack(knot{reverse, 24}, knot{reverse + 0.12, 6}, knot{p.end, 2})})
		p.step(right, push.to, reverse, legKnot{between(push.to, reverse, 0.45), 10, 8, 0, 120, 30})
		p.step(left, off, p.end+0.4, legKnot{between(off, p.end, 0.35), -14, 10, 0, 122, 34}, legKnot{p.end + 0.4, -32, 20, 0, 140, 30})
		s["reverse-down"] = reverse
	} else {
		front.yaw = yaw(knot{freeDown, frontYaw}, knot{between(freeDown, release, 0.5), frontYaw + 10}, knot{release, frontYaw + 38}, knot{p.end, frontYaw + 38 + 0.5*turn})
	}
	p.stand(push)
	p.stand(front)
	p.fly(0, pushDown)
	p.step(right, 0, pushDown, legKnot{0.38 * pushDown, 76, 3, 0, 142, 0}, legKnot{0.70 * pushDown, 66, 2, 0, 116, 6})
	// the free leg: up behind at the start, drawn in, then driven low to the board
	p.step(left, start-1, freeDown,
		legKnot{start, 6, 6, 0, 140, 30}, legKnot{between(start, low, 0.45), 18, 4, 0, 120, 30}, legKnot{low - 0.02, 60, 4, 0, 74, 20},
		legKnot{0.4 * low, 34, 4, 0, 124, 12}, legKnot{0.0, 10, 6, 0, 160, 8}, legKnot{pushDown, 8, 9, 0, 164, 6})

	// trunk: low and closed, then up and round
	face := p.get("facing")
	sep := p.get("separation")
	p.leaning(start-0.25, 0, 0, -32, 0, 0)
	p.leaning(start, 0, -2, -36, 0, 0)
	p.leaning(low, 2, -4, -74, 0, 0)
	p.leaning(0, 14, -2+0.2*face, -52, 0, 0)
	p.leaning(pushDown, 34, 0+0.55*face, p.get("trunk-down"), 0, 0)
	p.leaning(freeDown, face+sep, face, p.get("trunk-power"), 0, 0)
	p.leaning(between(freeDown, release, 0.5), math.Max(face+sep, 118), 70+0.35*face, between(p.get("trunk-power"), p.get("trunk-release"), 0.55), 0, 4)
	p.leaning(release, finish-4, finish+6, p.get("trunk-release"), 0, 8)
	p.leaning(release+0.1, finish+0.3*turn, finish+16+0.3*turn, p.get("trunk-release")+4, 4, 4)
	p.leaning(p.end, finish+turn, finish+8+turn, 4, 4, 0)
	p.at(start, values{headPitch: -10})
	p.at(freeDown, values{headPitch: -8, headYaw: -6})
	p.at(release, values{headPitch: -18, headYaw: 8})

	// hips
	hop := p.get("hop")
	behind := p.get("behind")
	p.ways = append(p.ways,
		way{t: p.begin, over: right, dx: 0.06, dy: -0.02, knee: 158, speed: &r3.Vec{}},
		way{t: start, over: right, dx: 0.07, dy: -0.02, knee: 154},
		way{t: low, over: right, dx: 0.16 * k, dy: -0.01, knee: p.get("low-knee"), speed: &r3.Vec{X: 0.9}},
		way{t: 0, over: right, dx: 0.50 * k, dy: 0, knee: 160 + 40*hop},
		way{t: pushDown, over: right, dx: 0.02, dy: 0.02, knee: p.get("push-knee-down")},
		way{t: freeDown, over: right, dx: 0.25*k - 0.5*behind, dy: 0.10, knee: p.get("push-knee-power")},
		way{t: between(freeDown, release, 0.55), over: right, dx: 0.36*k - 0.7*behind, dy: 0.12, knee: math.Max(138, p.get("push-knee-power"))},
		way{t: release, over: left, dx: -0.22*k - behind, dy: -0.02, knee: p.get("front-knee")})
	if fixed {
		p.ways = append(p.ways, way{t: release + 0.25, over: left, dx: -0.16 * k, dy: 0, knee: 166}, way{t: p.end, over: left, dx: -0.16 * k, dy: 0, knee: 164, speed: &r3.Vec{}})
	} else {
		p.ways = append(p.ways, way{t: off, over: left, dx: -0.19*k - 0.8*behind, dy: -0.02, knee: math.Min(172, p.get("front-knee")+4)},
			way{t: reverse, over: right, dx: -0.08, dy: 0.02, knee: 150}, way{t: p.end, over: right, dx: -0.02, dy: 0.02, knee: 140, speed: &r3.Vec{}})
	}

	// the free arm is long to the back, then opens and stops
	arm := func(t, flex, out, elbow float64) { p.at(t, values{armFlexL: flex, armOutL: out, elbowL: elbow}) }
	arm(start, 60, 10, 150)
	arm(low, 84, 4, 158)
	arm(freeDown, 80, 14+0.4*face, 150)
	arm(between(freeDown, release, 0.5), 74, 62, 126)
	arm(release, 30, 46, 74)
	arm(p.end, 30, 50, 100)
	early := p.get("arm-early")
	p.putShot(freeDown, release, p.get("release-angle@release"), p.get("aim"), 0.46-early/p.get("delivery")*1.15, 0)
	p.marks = circleMarks(2.135)
	p.marks["board.left"], p.marks["board.right"] = r3.Vec{X: 1.0675 * cos(33), Y: 0.605, Z: 0.1}, r3.Vec{X: 1.0675 * cos(33), Y: -0.605, Z: 0.1}
}

func measureGlide(m *Motion) map[string]float64 {
	s := m.Stamps
	out := map[string]float64{}
	x, y := r3.Vec{X: 1}, r3.Vec{Y: 1}
	push, free := right, left
	near := func(a, about float64) float64 { return about + wrap(a-about) }
	pushDown, freeDown, release := s["push-down"], s["free-down"], s["release"]
	of, df, ff, rf := m.figure(0), m.figure(pushDown), m.figure(freeDown), m.figure(release)
	out["low-free-foot@drive-off"] = of.limb[free].ankle.Z - of.limb[free].knee.Z
	out["glide-time@push-down"], out["land-gap@free-down"], out["delivery@release"] = pushDown, freeDown-pushDown, release-freeDown
	hip := func(t float64) float64 { f := m.figure(t); return f.midHip.Z }
	out["hip-rise@push-down"] = greatest(0, pushDown, hip) - of.midHip.Z
	out["push-ankle@push-down"] = df.ankleAngle(push)
	out["push-azimuth@push-down"] = near(df.footAzimuth(push), 45)
	out["push-knee@push-down"], out["push-knee@free-down"] = df.knee(push), ff.knee(push)
	out["facing@free-down"] = near(ff.shoulderFacing(), 0)
	out["separation@free-down"] = ff.separation()
	out["trunk-lean@push-down"], out["trunk-lean@free-down"], out["trunk-lean@release"] = df.trunkLean(x), ff.trunkLean(x), rf.trunkLean(x)
	out["front-knee@free-down"], out["front-knee@release"] = ff.knee(free), rf.knee(free)
	out["feet-offset@free-down"] = ahead(ff.limb[push].heel, ff.limb[free].toe, y)
	shot := func(t float64) r3.Vec { return m.implement(t, "implement") }
	// the loop: how far the path falls off the straight line from the lowest
	// point to the release, seen from the side
	low := s["low"]
	a, b := shot(low), shot(release)
	u := r3.Unit(r3.Vec{X: b.X - a.X, Z: b.Z - a.Z})
	out["shot-loop@release"] = greatest(low, release, func(t float64) float64 {
		d := r3.Sub(shot(t), a)
		return d.X*u.Z - d.Z*u.X
	}) * 0.5
	last := m.figure(s["finish"])
	out["reverse-turn@release"] = math.Abs(wrap(last.hipFacing() - rf.hipFacing()))
	round := crossing(freeDown, release+0.1, func(t float64) float64 { f := m.figure(t); return near(f.hipFacing(), 120) - 150 })
	shut := ff.elbow(push)
	opens := crossing(freeDown, release, func(t float64) float64 { f := m.figure(t); return f.elbow(push) - shut - 15 })
	out["elbow-lead@release"] = opens - round
	feet := r3.Sub(ff.limb[free].ankle, ff.limb[push].ankle)
	out["stance@free-down"] = 100 * math.Hypot(feet.X, feet.Y) / m.plan.pr.Height
	out["hip-over-feet@release"] = rf.midHip.X - middle(rf.limb[push].ball, rf.limb[free].ankle).X
	place, v := m.released(release)
	out["release-speed@release"] = r3.Norm(v)
	out["release-angle@release"] = atan2(v.Z, math.Hypot(v.X, v.Y))
	out["release-height@release"] = place.Z
	return out
}
