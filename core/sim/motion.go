package sim

import (
	"math"
	"sync"

	"gonum.org/v1/gonum/spatial/r3"
)

// Motion is an athlete's whole movement.
type Motion struct {
	Event    string
	Variant  string
	Athlete  Athlete
	Stamps   map[string]float64 // place → instant, s
	Measures map[string]float64 // measure@place → true value
	Faults   map[string]float64 // injected, with strength
	plan     *plan
	sampled  func(m *Motion, before func(stamp string) float64, interval float64) map[string]float64
	body     mass
	tracks   [channels]track
	com      path
	left     map[string][2]r3.Vec // place and velocity of what has left the hand
	built    *figures             // nil while the movement is being laid out
}

// figures are bodies that were built, by instant: films from several sides and measures
// ask for the same ones.
type figures struct {
	sync.Mutex
	at map[float64]*figure
}

// Begin and End bound the motion, seconds from the event's zero.
func (m *Motion) Begin() float64 { return m.plan.begin }
func (m *Motion) End() float64   { return m.plan.end }

// Pose is every landmark at t seconds from the zero.
func (m *Motion) Pose(t float64) Pose {
	f := m.figure(t)
	return f.pose(m.mirrored())
}

// Centre is the centre of the body's mass at t.
func (m *Motion) Centre(t float64) r3.Vec {
	f := m.figure(t)
	c := m.body.of(&f)
	if m.mirrored() {
		c.Y = -c.Y
	}
	return c
}

const (
	// clearance is how high over the ground a foot that swings low passes, m.
	clearance = 0.03
	// clearing is how long it takes to rise so far, and to come down from there, s.
	clearing = 0.05
)

// clear is how high over the ground a swinging foot has to be at t: it leaves
// and meets the ground from above, and does not drag along it.
func (w *swing) clear(t float64) float64 {
	free := 1.0
	if w.first != nil {
		free = math.Min(free, (t-w.from)/clearing)
	}
	if w.last != nil {
		free = math.Min(free, (w.to-t)/clearing)
	}
	free = clamp(free, 0, 1)
	return clearance * free * (2 - free)
}

// ease is how long the toes take from the ground's hold into the air, s.
const ease = 0.05

// posture is the posture at t without the place of the pelvis.
func (m *Motion) posture(t float64) posture {
	var p posture
	for c := range p.v {
		p.v[c] = m.tracks[c].at(t)
	}
	for s := right; s <= left; s++ {
		if h := m.holdAt(s, t); h != nil {
			p.feet[s] = stance{ground: true, foot: h.footing(&m.plan.pr, t), kneeIn: h.knee.at(t)}
			continue
		}
		st := &p.feet[s]
		if w := m.swingAt(s, t); w != nil {
			st.leg, st.high, st.clear = w.at(t), w.high, w.clear(t)
			free := math.Min((t-w.from)/ease, (w.to-t)/ease)
			st.foot.bend = 1 - smooth(free)
			st.foot.pitch = 0
			if st.foot.bend > 0 {
				edge := w.from
				if t-w.from > w.to-t {
					edge = w.to
				}
				if h := m.holdAt(s, edge); h != nil && !h.rigid {
					st.foot.pitch = h.pitch.at(edge)
				}
			}
		}
	}
	return p
}

func (m *Motion) swingAt(s side, t float64) *swing {
	var last *swing
	for _, w := range m.plan.swings {
		if w.foot == s && (last == nil || t >= w.from) {
			last = w
		}
	}
	return last
}

// figureAt builds the body over a given pelvis, implement in hand.
func (m *Motion) figureAt(t float64, p *posture, midHip r3.Vec) figure {
	var hands reacher
	if m.plan.hands != nil {
		hands = func(f *figure) { m.plan.hands(m, t, f) }
	}
	return m.plan.pr.build(p, midHip, hands)
}

// figure is the whole body at t. It is safe for use by several at a time.
func (m *Motion) figure(t float64) figure {
	if m.built == nil {
		return m.build(t)
	}
	m.built.Lock()
	f, ok := m.built.at[t]
	m.built.Unlock()
	if ok {
		return *f
	}
	now := m.build(t)
	m.built.Lock()
	m.built.at[t] = &now
	m.built.Unlock()
	return now
}

// build moves the pelvis until the centre of mass is where the path wants it.
func (m *Motion) build(t float64) figure {
	p := m.posture(t)
	want, _ := m.com.at(t)
	hip := r3.Add(want, r3.Vec{Z: -0.03})
	var f figure
	for range 14 {
		f = m.figureAt(t, &p, hip)
		d := r3.Sub(want, m.body.of(&f))
		hip = r3.Add(hip, d)
		if r3.Norm2(d) < 1e-10 {
			break
		}
	}
	for range 8 { // a standing leg that is too short draws the hips to its foot
		pull := m.plan.pr.shortfall(&f, &p)
		if r3.Norm2(pull) < 1e-9 {
			break
		}
		hip = r3.Add(hip, pull)
		f = m.figureAt(t, &p, hip)
	}
	if m.plan.carry != nil {
		m.plan.carry(m, t, &f)
	}
	return f
}

func (m *Motion) mirrored() bool { return m.Athlete.Side == "L" }

// supports reports which feet stand at t.
func (m *Motion) supports(t float64) (r, l bool) {
	on := func(s side) bool {
		for _, h := range m.plan.holds {
			if h.foot == s && t >= h.from && t < h.to {
				return true
			}
		}
		return false
	}
	return on(right), on(left)
}

// highest is the instant between two instants at which f is greatest: the best
// of some even steps, refined by golden sections.
func highest(from, to float64, f func(t float64) float64) float64 {
	const n = 24
	step := (to - from) / n
	at, best := from, math.Inf(-1)
	for i := range n + 1 {
		t := from + float64(i)*step
		if v := f(t); v > best {
			best, at = v, t
		}
	}
	const golden = 0.6180339887498949
	low, high := math.Max(from, at-step), math.Min(to, at+step)
	x, y := high-golden*(high-low), low+golden*(high-low)
	fx, fy := f(x), f(y)
	for range 10 {
		if fx > fy {
			high, y, fy = y, x, fx
			x = high - golden*(high-low)
			fx = f(x)
		} else {
			low, x, fx = x, y, fy
			y = low + golden*(high-low)
			fy = f(y)
		}
	}
	if m := (low + high) / 2; f(m) > best {
		return m
	}
	return at
}

// lowest is the instant at which f is least.
func lowest(from, to float64, f func(t float64) float64) float64 {
	return highest(from, to, func(t float64) float64 { return -f(t) })
}

// crossing is the first instant at which f, which rises through zero, reaches
// it; to when it never does.
func crossing(from, to float64, f func(t float64) float64) float64 {
	const n = 200
	last := from
	for i := 1; i <= n; i++ {
		t := from + (to-from)*float64(i)/n
		if f(t) < 0 {
			last = t
			continue
		}
		return bisect(last, t, f)
	}
	return to
}

// bisect is the instant at which f, which rises from below zero to zero or
// above between two instants, reaches it.
func bisect(low, high float64, f func(t float64) float64) float64 {
	for range 30 {
		if mid := (low + high) / 2; f(mid) < 0 {
			low = mid
		} else {
			high = mid
		}
	}
	return high
}

// Supports reports which feet of the athlete stand at t.
func (m *Motion) Supports(t float64) (l, r bool) {
	r, l = m.supports(t)
	if m.mirrored() {
		return r, l
	}
	return l, r
}
