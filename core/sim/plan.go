package sim

import (
	"math"

	"gonum.org/v1/gonum/interp"
	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
	"neokinema/core/flight"
)

// track is a scalar over time, smooth and without overshoot between its
// knots, held before the first and after the last.
type track struct {
	f        interp.FritschButland
	from, to float64
}

func newTrack(knots ...[2]float64) track {
	xs, ys := make([]float64, len(knots)), make([]float64, len(knots))
	for i, k := range knots {
		xs[i], ys[i] = k[0], k[1]
	}
	t := track{from: xs[0], to: xs[len(xs)-1]}
	if err := t.f.Fit(xs, ys); err != nil {
		panic("sim: knots out of order: " + err.Error())
	}
	return t
}

func (t track) at(x float64) float64 {
	return t.f.Predict(math.Max(t.from, math.Min(t.to, x)))
}

// leg is one stretch of the centre of mass: flight, or a push with given
// places and speeds at both ends (a cubic).
type leg struct {
	from, to float64
	p, v     r3.Vec
	q, w     r3.Vec
	air      bool
}

type path []leg

// at gives place and speed.
func (c path) at(t float64) (p, v r3.Vec) {
	i := 0
	for i+1 < len(c) && t > c[i].to {
		i++
	}
	l := c[i]
	if t <= l.from {
		return l.p, r3.Vec{}
	}
	d := t - l.from
	if l.air {
		p = r3.Add(l.p, r3.Scale(d, l.v))
		p.Z = flight.Rise(l.p.Z, l.v.Z, d)
		return p, r3.Vec{X: l.v.X, Y: l.v.Y, Z: l.v.Z - flight.G*d}
	}
	n := l.to - l.from
	s := d / n
	h := func(a, b, c2, d2 float64) r3.Vec {
		return r3.Add(r3.Add(r3.Scale(a, l.p), r3.Scale(b*n, l.v)), r3.Add(r3.Scale(c2, l.q), r3.Scale(d2*n, l.w)))
	}
	p = h(2*s*s*s-3*s*s+1, s*s*s-2*s*s+s, -2*s*s*s+3*s*s, s*s*s-s*s)
	v = r3.Scale(1/n, h(6*s*s-6*s, 3*s*s-4*s+1, -6*s*s+6*s, 3*s*s-2*s))
	return p, v
}

// planBlocks puts the feet on their pedals and lays out trunk, yaw and head.
func (m *Motion) planBlocks(set posture, front, rear body.Side, move, exit float64) {
	s := m.Start
	for _, side := range []body.Side{front, rear} {
		f := set.foot[side]
		off := m.Stamps["rear-off"]
		lift := 66.0
		if side == front {
			off, lift = exit, 74
		}
		m.Contacts = append(m.Contacts, Contact{
			Foot: side, From: math.Inf(-1), To: off, Toe: r3.Add(f.ankle, m.pr.toe(f.pitch)),
			pitch: newTrack([2]float64{move, f.pitch}, [2]float64{move + 0.3*(off-move), f.pitch - 3}, [2]float64{off, lift}),
		})
	}
	exitTrunk := s.ExitLine - 5
	knots := [][2]float64{{move, set.trunk}, {move + 0.45*s.BlockTime, set.trunk + 0.42*(exitTrunk-set.trunk)}, {exit, exitTrunk}}
	sign := 1.0
	if front == body.Right {
		sign = -1
	}
	yaw := [][2]float64{{move, 0}, {m.Stamps["rear-off"], 2 * sign}}
	yaw = append(yaw, [2]float64{exit, 7 * sign})
	t := exit
	for i, step := range s.Steps {
		t += step.Flight
		knots = append(knots, [2]float64{t, step.Trunk})
		t += step.Contact
		swing := -7 * sign
		if i%2 == 1 {
			swing = 7 * sign
		}
		yaw = append(yaw, [2]float64{t, swing})
	}
	m.end = t
	m.trunk, m.yaw = newTrack(knots...), newTrack(yaw...)
	m.head = newTrack([2]float64{move, set.head}, [2]float64{exit, 2}, [2]float64{t, 8})
}

// planCentre lays the path of the centre of mass through set, block exit and
// every step, and puts the feet down where the steps want them.
func (m *Motion) planCentre(set posture, last correction, move, exit float64) error {
	s := m.Start
	c0 := m.mass(m.pr.build(set))
	c1 := m.exitCentre(last)
	landing := func(i int) float64 { return s.Steps[i].Rise * m.Athlete.HeightM }
	up, err := flight.TakeOffSpeed(c1.Z, landing(0), s.Steps[0].Flight)
	if err != nil {
		return err
	}
	v := r3.Vec{X: s.ExitVelocity, Z: up}
	push := leg{from: move, to: exit, p: c0, q: c1, w: v}
	rise := (c1.Z - c0.Z) / (exit - move)
	half := m.Stamps["rear-off"]
	mid, vm := path{push}.at(half)
	mid.Z, vm.Z = c0.Z+0.52*(c1.Z-c0.Z), 1.2*rise
	m.com = path{{from: move, to: half, p: c0, q: mid, w: vm}, {from: half, to: exit, p: mid, v: vm, q: c1, w: v}}
	foot, t, at := m.Athlete.Front.Other(), exit, c1
	for i, step := range s.Steps {
		air := leg{from: t, to: t + step.Flight, p: at, v: v, air: true}
		td, vt := path{air}.at(air.to)
		t = air.to
		m.Stamps[key("td", i)] = t
		off := r3.Vec{X: td.X + (vt.X+step.Speed)/2*step.Contact, Z: step.Off * m.Athlete.HeightM}
		next := r3.Vec{X: step.Speed}
		if i+1 < len(s.Steps) {
			next.Z, err = flight.TakeOffSpeed(off.Z, landing(i+1), s.Steps[i+1].Flight)
			if err != nil {
				return err
			}
		}
		m.com = append(m.com, air, leg{from: t, to: t + step.Contact, p: td, v: vt, q: off, w: next})
		m.Contacts = append(m.Contacts, Contact{
			Foot: foot, From: t, To: t + step.Contact, Toe: r3.Vec{X: td.X + step.ToeAhead, Y: m.lateral[foot] * 0.9},
			pitch: newTrack([2]float64{t, 17}, [2]float64{t + 0.35*step.Contact, 9}, [2]float64{t + 0.7*step.Contact, 36}, [2]float64{t + step.Contact, 76}),
		})
		t += step.Contact
		m.Stamps[key("to", i)] = t
		foot, at, v = foot.Other(), off, next
	}
	return nil
}

// exitCentre is the centre of mass at block exit: the hip stands at the end of
// the extended front leg, so that the line toe–hip–shoulder has its inclination.
func (m *Motion) exitCentre(last correction) r3.Vec {
	s, pr := m.Start, m.pr
	c := m.Contacts[0]
	ankle := r3.Sub(c.Toe, pr.toe(c.pitch.at(c.To)))
	n := pr.leg(s.FrontLegExtension) + last.reach
	trunk := m.trunk.at(c.To)
	low, high := 10.0, 80.0
	var hip r3.Vec
	for range 40 {
		mid := (low + high) / 2
		hip = r3.Add(ankle, r3.Scale(n, inPlane(mid)))
		shoulder := r3.Add(hip, r3.Scale(pr.Trunk, inPlane(trunk)))
		if fitted(c.Toe, hip, shoulder) < s.ExitLine+last.line {
			low = mid
		} else {
			high = mid
		}
	}
	rear := m.Athlete.Front.Other()
	p := posture{
		pelvis: r3.Vec{X: hip.X, Z: hip.Z}, trunk: trunk,
		foot: map[body.Side]foot{
			m.Athlete.Front: {ankle: ankle, pitch: c.pitch.at(c.To)},
			rear:            {ankle: r3.Add(hip, r3.Vec{X: 0.12, Y: m.lateral[rear], Z: -0.48}), pitch: 40},
		},
		arm: map[body.Side]arm{body.Left: {swing: 20, elbow: 95, eased: 1}, body.Right: {swing: 20, elbow: 95, eased: 1}},
	}
	if was := last.exit; was != nil {
		moved := r3.Sub(p.pelvis, was.pelvis)
		swing := was.foot[rear]
		swing.ankle = r3.Add(swing.ankle, moved)
		p.foot[rear], p.arm, p.pelvisYaw, p.shoulderYaw, p.head = swing, was.arm, was.pelvisYaw, was.shoulderYaw, was.head
	}
	out := m.mass(pr.build(p))
	out.Y = 0
	return out
}

// planSwings carries each foot through the air between its contacts.
func (m *Motion) planSwings() {
	for i, c := range m.Contacts {
		next := -1
		for j := i + 1; j < len(m.Contacts) && next < 0; j++ {
			if m.Contacts[j].Foot == c.Foot {
				next = j
			}
		}
		start, v0 := m.relative(c, c.To, -1)
		to := m.end + 0.12
		end, v1 := r3.Vec{X: 0.05, Z: -0.45 * m.Athlete.HeightM * 0.8}, r3.Vec{X: 1}
		landPitch := 30.0
		if next >= 0 {
			land := m.Contacts[next]
			to = land.From
			end, v1 = m.relative(land, to, 1)
			_, com := m.com.at(to)
			v1 = r3.Vec{X: -com.X + 0.9, Z: -com.Z - 0.9}
			landPitch = land.pitch.at(to)
		}
		half := (c.To + to) / 2
		low := -0.295 * m.Athlete.HeightM
		if i < 2 {
			low = -0.285 * m.Athlete.HeightM
		}
		mid := r3.Vec{X: -0.06 * m.Athlete.HeightM, Z: low}
		speed := r3.Scale(1.1/(to-c.To), r3.Sub(end, start))
		speed.Z = (end.Z - start.Z) / (to - c.To)
		w := swing{foot: c.Foot, from: c.To, to: to}
		w.x.FitWithDerivatives([]float64{c.To, half, to}, []float64{start.X, mid.X, end.X}, []float64{v0.X, speed.X, v1.X})
		w.z.FitWithDerivatives([]float64{c.To, half, to}, []float64{start.Z, mid.Z, end.Z}, []float64{v0.Z, speed.Z, v1.Z})
		lift := c.pitch.at(c.To)
		w.pitch = newTrack([2]float64{c.To, lift}, [2]float64{c.To + 0.3*(to-c.To), 78}, [2]float64{c.To + 0.75*(to-c.To), 28}, [2]float64{to, landPitch})
		m.swings = append(m.swings, w)
	}
}

// relative is the ankle's place from the centre of mass at the end of a
// contact, and its speed there; before or after the instant by the sign.
func (m *Motion) relative(c Contact, t float64, sign float64) (r3.Vec, r3.Vec) {
	at := func(t float64) r3.Vec {
		p, _ := m.com.at(t)
		return r3.Sub(m.standing(c, t).ankle, p)
	}
	const h = 1e-4
	d := r3.Scale(sign/h, r3.Sub(at(t+sign*h), at(t)))
	return at(t), d
}

// standing is the foot of a contact: the toe tip stays, the heel turns.
func (m *Motion) standing(c Contact, t float64) foot {
	pitch := c.pitch.at(t)
	return foot{ankle: r3.Sub(c.Toe, m.pr.toe(pitch)), pitch: pitch}
}

// planArms lifts the hands and swings the arms against the legs. The lead arm
// is the one of the front-block side.
func (m *Motion) planArms(lead body.Side, move, exit float64) {
	lifts := map[body.Side]float64{lead: m.Stamps["lead-arm"], lead.Other(): move + 0.020}
	for side, lift := range lifts {
		p := m.postureAt(lift, false)
		pose := m.pr.build(p)
		on := func(part string) r3.Vec { return pose[body.Landmark(part+"."+string(side))] }
		up := r3.Sub(on("elbow"), on("shoulder"))
		swing0 := math.Remainder(math.Atan2(up.Z, up.X)*180/math.Pi-p.trunk+180, 360)
		elbow0 := angle3(on("shoulder"), on("elbow"), on("wrist"))
		forward := side == lead
		swing := [][2]float64{{lift, swing0}}
		elbow := [][2]float64{{lift, elbow0}}
		if forward {
			peak := math.Max(exit-0.02, lift+0.2)
			swing = append(swing, [2]float64{peak, 118})
			elbow = append(elbow, [2]float64{lift + 0.45*(peak-lift), 112}, [2]float64{peak, 96})
		} else {
			swing = append(swing, [2]float64{exit - 0.03, -62})
			elbow = append(elbow, [2]float64{lift + 0.09, 128}, [2]float64{exit - 0.03, 118})
		}
		t := exit
		for _, step := range m.Start.Steps {
			t += step.Flight + step.Contact
			forward = !forward
			if forward {
				swing = append(swing, [2]float64{t, 78})
				elbow = append(elbow, [2]float64{t - 0.5*step.Contact, 104}, [2]float64{t, 84})
			} else {
				swing = append(swing, [2]float64{t, -60})
				elbow = append(elbow, [2]float64{t - 0.5*step.Contact, 106}, [2]float64{t, 98})
			}
		}
		m.hands[side] = hand{lifts: lift, swing: newTrack(swing...), elbow: newTrack(elbow...),
			from: [3]r3.Vec{r3.Unit(up), r3.Unit(r3.Sub(on("wrist"), on("elbow"))), pressed}}
	}
}

func key(name string, i int) string { return name + string(rune('1'+i)) }

// fitted is the inclination of the line fitted through three points of the
// x–z plane, least squares of the perpendicular distances, degrees.
func fitted(a, b, c r3.Vec) float64 {
	mx, mz := (a.X+b.X+c.X)/3, (a.Z+b.Z+c.Z)/3
	var xx, zz, xz float64
	for _, p := range []r3.Vec{a, b, c} {
		xx, zz, xz = xx+sq(p.X-mx), zz+sq(p.Z-mz), xz+(p.X-mx)*(p.Z-mz)
	}
	t := math.Atan2(2*xz, xx-zz) / 2 * 180 / math.Pi
	return math.Mod(t+180, 180)
}

func sq(x float64) float64 { return x * x }
