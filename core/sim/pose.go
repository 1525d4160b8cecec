package sim

import (
	"math"

	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
)

// Pose is every landmark at t seconds from the gun.
func (m *Motion) Pose(t float64) Pose { return m.pr.build(m.postureAt(t, true)) }

// Centre is the centre of mass at t.
func (m *Motion) Centre(t float64) r3.Vec { return m.mass(m.Pose(t)) }

// postureAt moves the pelvis until the whole body's centre of mass is where
// the path wants it. Before the arms are planned they stay on the ground.
func (m *Motion) postureAt(t float64, arms bool) posture {
	set, _ := m.setPose()
	want, _ := m.com.at(t)
	yaw := m.yaw.at(t)
	p := posture{trunk: m.trunk.at(t), head: m.head.at(t), pelvisYaw: yaw, shoulderYaw: -yaw, foot: map[body.Side]foot{}, arm: map[body.Side]arm{}}
	for _, side := range []body.Side{body.Left, body.Right} {
		p.foot[side] = m.footAt(side, t)
		p.arm[side] = set.arm[side]
		if h := m.hands[side]; arms && t > h.lifts {
			p.arm[side] = arm{swing: h.swing.at(t), elbow: h.elbow.at(t), from: h.from, eased: smooth((t - h.lifts) / 0.12)}
		}
	}
	p.pelvis = r3.Vec{X: want.X - 0.15, Z: want.Z - 0.05}
	for range settle {
		c := m.mass(m.pr.build(p))
		p.pelvis = r3.Add(p.pelvis, r3.Vec{X: want.X - c.X, Z: want.Z - c.Z})
	}
	return p
}

// letGo is how long a foot takes from the ground's hold into a free swing, s.
const letGo = 0.08

func (m *Motion) footAt(side body.Side, t float64) foot {
	for _, c := range m.Contacts {
		if c.Foot == side && t >= c.From && t <= c.To {
			return m.standing(c, t)
		}
	}
	for _, w := range m.swings {
		if w.foot == side && t >= w.from && t <= w.to {
			com, _ := m.com.at(t)
			y := m.lateral[side]
			f := foot{ankle: r3.Vec{X: com.X + w.x.Predict(t), Y: y, Z: com.Z + w.z.Predict(t)}, pitch: w.pitch.at(t),
				free: smooth((t-w.from)/letGo) * smooth((w.to-t)/letGo)}
			if low := f.ankle.Z + m.pr.toe(f.pitch).Z; low < 0.012 && t > w.from+0.01 && t < w.to-0.01 {
				f.ankle.Z += 0.012 - low
			}
			return f
		}
	}
	return foot{}
}

func (m *Motion) mass(p Pose) r3.Vec {
	c, err := body.CentreOfMass(m.Athlete.Sex, p)
	if err != nil {
		panic("sim: a pose lacks a landmark: " + err.Error())
	}
	return c
}

// onGround reports whether a foot stands at t.
func (m *Motion) onGround(side body.Side, t float64) bool {
	for _, c := range m.Contacts {
		if c.Foot == side && t >= c.From && t < c.To {
			return true
		}
	}
	return false
}

// highest is the instant between two instants at which f is greatest.
func highest(from, to float64, f func(t float64) float64) float64 {
	best, at := math.Inf(-1), from
	for t := from; t <= to; t += 0.0005 {
		if v := f(t); v > best {
			best, at = v, t
		}
	}
	return at
}

// smooth rises from 0 to 1 without a jump in speed.
func smooth(s float64) float64 {
	s = math.Max(0, math.Min(1, s))
	return s * s * (3 - 2*s)
}
