package sim

import (
	"math"

	"gonum.org/v1/gonum/spatial/r3"
)

// running is the running stride, over the ground or on a treadmill.
func running() discipline {
	return discipline{
		id: "running", variants: []string{"easy", "fast", "treadmill"},
		knobs: func(w Request) []knob {
			v := map[string]float64{"speed": 3.2, "contact": 0.235, "flight": 0.11, "touchdown-distance": 23, "knee": 164, "trunk-lean": 5, "fold": 84, "lift": 46}
			if w.Variant == "fast" {
				v = map[string]float64{"speed": 7.0, "contact": 0.132, "flight": 0.112, "touchdown-distance": 24, "knee": 163, "trunk-lean": 6, "fold": 46, "lift": 70}
			}
			k := math.Sqrt(w.Athlete.HeightM / 1.75)
			return []knob{
				free("speed", v["speed"]*k, 0.05, 2, 10.5), free("contact", v["contact"]*k, 0.003, 0.08, 0.34), free("flight", v["flight"]*k, 0.003, 0.01, 0.24),
				free("touchdown-distance", v["touchdown-distance"], 0.8, 5, 50), free("knee", v["knee"], 1, 140, 178), free("trunk-lean", v["trunk-lean"], 0.6, -10, 25),
				free("fold", v["fold"], 2, 30, 130), free("lift", v["lift"], 2, 20, 90), free("strike", -6, 2, -25, 15),
				free("lean-from-ankle", 0, 0, -6, 12), free("hip-behind", 0, 0, -8, 22), free("upper-back", 0, 0.5, -32, 28), free("shrug", 0, 0.2, 0, 12),
				free("hands", 0, 1, -10, 50), free("cross", 0, 1, -10, 80), free("twist", 10, 0.8, 2, 40), free("pelvic-drop", 4, 0.4, 0, 20), free("asymmetry", 0, 0.4, 0, 40), free("wide", 0.045, 0.004, -0.06, 0.15),
			}
		},
		faults: map[string]change{
			"over-stride": {"touchdown-distance": 20, "knee": 9, "contact": 0.012, "strike": -10},
			"bounce":      {"flight": 0.11},
			"seated":      {"hip-behind": 20, "trunk-lean": 8, "upper-back": 24, "touchdown-distance": 3},
			"chest-lift":  {"upper-back": -22},
			"torso-twist": {"twist": 18, "cross": 62},
			"high-arms":   {"shrug": 8, "hands": 40},
			"pelvic-drop": {"pelvic-drop": 14},
			"asymmetry":   {"asymmetry": 24},
		},
		lay: layRunning, measure: measureRunning,
	}
}

// runFrom is the number of the first contact that is planned: two before the
// first that is stamped, so that the run is in its rhythm.
const (
	runBefore = 2
	runStamps = 4
	runAfter  = 3
)

func layRunning(p *plan) {
	tc, tf, v := p.get("contact"), p.get("flight"), p.get("speed")
	leg := p.pr.legLength()
	style := swingStyle{back: -16, fold: p.get("fold"), thigh: p.get("lift"), reach: 150}
	lift := 62.0
	if p.variant == "fast" {
		style.back, lift = -24, 80
	}
	hip := r3.Vec{X: -float64(runBefore) * v * (tc + tf)}
	if p.variant == "treadmill" {
		hip.X = 0
	}
	t := -float64(runBefore) * (tc + tf)
	var feet []stride
	for i := -runBefore; i < runStamps+runAfter; i++ {
		s := left
		if (i+runBefore)%2 == 1 {
			s = right
		}
		long := tc
		if s == right {
			long *= 1 + p.get("asymmetry")/100
		}
		ahead := p.get("touchdown-distance")/100*leg + p.jitter("ahead", i, 0.006)
		st := stride{
			foot: s, td: t, to: t + long, ahead: ahead, off: v*long - ahead, kneeTd: p.get("knee") + p.jitter("knee", i, 0.8), kneeTo: 168,
			strike: p.get("strike") + p.jitter("strike", i, 1), lift: lift, wide: p.get("wide"), toeOut: 6,
		}
		_, hip = p.ground(st, hip)
		feet = append(feet, st)
		p.fly(st.to, st.to+tf)
		hip = r3.Add(hip, r3.Vec{X: v * tf})
		t = st.to + tf
	}
	for i := range feet[:len(feet)-2] {
		p.through(feet[i].foot, feet[i].to, feet[i+2].td, style)
	}
	p.swayAndPump(feet)
	p.begin, p.end = feet[runBefore].td-0.35*tc-tf, feet[runBefore+runStamps].to
	names := []string{"td-left", "td-right"}
	offs := []string{"to-left", "to-right"}
	mids := []string{"mid-left", "mid-right"}
	for i := range runStamps {
		st, n := feet[runBefore+i], i/2+1
		p.stamps[at(names[i%2], n)] = st.td
		p.stamps[at(offs[i%2], n)] = st.to
		p.stamps[at(mids[i%2], n)] = (st.td + st.to) / 2
	}
	p.marks = laneMarks()
}

// swayAndPump turns hips and chest and swings the arms with the strides.
func (p *plan) swayAndPump(feet []stride) {
	pitch := p.get("trunk-lean")
	up := p.get("upper-back")
	arms := armStyle{front: 38, back: -48, elbowFront: 74, elbowBack: 92, out: 8, in: 22}
	if p.variant == "fast" {
		arms = armStyle{front: 58, back: -62, elbowFront: 68, elbowBack: 98, out: 8, in: 18}
	}
	arms.front += p.get("hands") * 0.5
	arms.elbowFront -= p.get("hands") * 0.55
	arms.elbowBack -= p.get("hands") * 0.7
	arms.in += p.get("cross")
	arms.out -= 0.25 * p.get("cross")
	for _, s := range feet {
		g := s.foot.sign()
		twist := p.get("twist")
		p.at(s.td, values{hipYaw: -g * 5, chestYaw: g * twist, hipPitch: pitch, headYaw: -g * twist})
		mid := (s.td + s.to) / 2
		p.at(mid, values{hipRoll: g * p.get("pelvic-drop"), hipYaw: 0, chestPitch: pitch + up, headPitch: -0.6 * (pitch + up)})
		p.at(s.td, values{hipRoll: 0, chestRoll: 0, shrug: p.get("shrug") / 100})
		p.pump(s.foot, s.td, false, arms)
		p.pump(s.foot.other(), s.td, true, arms)
	}
}

// laneMarks are marks a metre apart along a lane.
func laneMarks() map[string]r3.Vec {
	out := map[string]r3.Vec{}
	for i := -6; i <= 16; i++ {
		out[at("mark", i)] = r3.Vec{X: float64(i), Y: 0.61}
	}
	return out
}

func measureRunning(m *Motion) map[string]float64 {
	out := map[string]float64{}
	x := r3.Vec{X: 1}
	leg, trunk := m.plan.pr.legLength(), m.plan.pr.Trunk
	drift := 0.0
	if m.Variant == "treadmill" {
		drift = m.plan.get("speed")
	}
	type contact struct {
		foot   side
		td, to float64
	}
	var all []contact
	for _, h := range m.plan.holds {
		all = append(all, contact{h.foot, h.from, h.to})
	}
	name := map[side]string{left: "left", right: "right"}
	for i := range runStamps {
		c, before, after := all[runBefore+i], all[runBefore+i-1], all[runBefore+i+1]
		on := func(id, place string) string { return id + "@" + at(place+"-"+name[c.foot], i/2+1) }
		td, mid, to := m.figure(c.td), m.figure((c.td+c.to)/2), m.figure(c.to)
		out[on("contact", "to")] = c.to - c.td
		v := m.meanSpeed(c.td, after.td, x) + drift
		out[on("contact-share", "to")] = 100 * (c.to - c.td) / (0.55 * math.Pow(v, -0.7) * math.Sqrt(m.Athlete.HeightM/1.75))
		out[on("flight", "td")] = c.td - before.to
		out[on("step-time", "td")] = c.td - before.td
		out[on("cadence", "td")] = 60 / (c.td - before.td)
		out[on("duty-factor", "to")] = 100 * (c.to - c.td) / (all[runBefore+i+2].td - c.td)
		last := m.figure(before.td)
		out[on("step-length", "td")] = ahead(last.limb[before.foot].toe, td.limb[c.foot].toe, x) + drift*(c.td-before.td)
		out[on("speed", "td")] = m.meanSpeed(before.td, c.td, x) + drift
		hip := func(t float64) float64 { f := m.figure(t); return f.midHip.Z }
		out[on("bounce", "td")] = greatest(c.td-0.6*(c.td-before.td), c.td+0.1, hip) - least(c.td, c.to, hip)
		out[on("touchdown-distance", "td")] = 100 * ahead(td.midHip, td.limb[c.foot].ankle, x) / leg
		out[on("shin", "td")] = td.shin(c.foot, x)
		out[on("knee", "td")] = td.knee(c.foot)
		out[on("knee-min", "to")] = least(c.td, c.to, func(t float64) float64 { f := m.figure(t); return f.knee(c.foot) })
		out[on("strike", "td")] = td.sole(c.foot)
		out[on("trunk-lean", "mid")] = mid.trunkLean(x)
		ankle := mid.limb[c.foot].ankle
		out[on("body-lean", "mid")] = lean(ankle, mid.shoulders(), x)
		line := r3.Unit(r3.Sub(mid.shoulders(), ankle))
		hipOff := r3.Sub(mid.midHip, ankle)
		out[on("seat", "mid")] = -100 * (hipOff.X*line.Z - hipOff.Z*line.X) / leg
		upper, lower := lean(mid.sternum, mid.neck, x), lean(mid.midHip, mid.sternum, x)
		stand := m.plan.pr.standing()
		out[on("chest-split", "mid")] = (upper - lower) - (lean(stand.sternum, stand.neck, x) - lean(stand.midHip, stand.sternum, x))
		out[on("upper-trunk", "mid")] = -(upper - lean(stand.sternum, stand.neck, x))
		gap := func(f *figure) float64 { return f.limb[c.foot].ear.Z - f.limb[c.foot].shoulder.Z }
		out[on("shoulder-gap", "mid")] = 100 * (gap(&mid) - gap(&stand)) / trunk
		other := c.foot.other()
		out[on("pelvic-drop", "mid")] = tilt(mid.limb[c.foot].hip, mid.limb[other].hip)
		out[on("free-thigh", "to")] = to.thigh(other, x)
		out[on("foot-line", "mid")] = c.foot.sign() * (ankle.Y - mid.midHip.Y)
		out[on("peak-force", "to")] = math.Pi / 2 * ((after.td-c.to)/(c.to-c.td) + 1)
		// the arm of the standing side is forward as the other knee is high
		swing := at("swing-"+name[other], i/2+1)
		m.Stamps[swing] = highest(c.td, after.td, func(t float64) float64 { f := m.figure(t); return f.limb[other].knee.Z })
		f := m.figure(m.Stamps[swing])
		wrist := f.limb[c.foot].wrist
		along := clamp(r3.Dot(r3.Sub(wrist, f.midHip), f.chest.z)/trunk, 0, 1)
		centre := r3.Add(f.midHip, r3.Scale(along, r3.Sub(f.neck, f.midHip)))
		out["arm-carry@"+swing] = 100 * (wrist.Z - f.midHip.Z) / trunk
		out["arm-cross@"+swing] = 100 * c.foot.sign() * (centre.Y - wrist.Y) / (2 * m.plan.pr.ShoulderHalf)
	}
	for n := 1; n <= runStamps/2; n++ {
		l, r := m.Stamps[at("to-left", n)]-m.Stamps[at("td-left", n)], m.Stamps[at("to-right", n)]-m.Stamps[at("td-right", n)]
		out["contact-symmetry@"+at("to-right", n)] = 200 * math.Abs(l-r) / (l + r)
		a, b := out["step-length@"+at("td-left", n)], out["step-length@"+at("td-right", n)]
		out["step-symmetry@"+at("td-right", n)] = 200 * math.Abs(a-b) / (a + b)
		turn := func(t float64) float64 { f := m.figure(t); return wrap(f.shoulderFacing() - 180) }
		from, to := m.Stamps[at("td-left", n)], m.Stamps[at("td-right", n)]
		out["torso-twist@"+at("td-right", n)] = greatest(from-0.05, to+0.05, turn) - least(from-0.05, to+0.05, turn)
	}
	return out
}

// standing is the athlete at rest, upright.
func (pr *Proportions) standing() figure {
	var p posture
	p.v[elbowR], p.v[elbowL] = 170, 170
	for s := range p.feet {
		p.feet[s].leg = swingState{knee: 178}
		p.feet[s].high = math.Inf(-1)
	}
	return pr.build(&p, r3.Vec{Z: pr.legLength() + pr.AnkleHeight}, nil)
}
