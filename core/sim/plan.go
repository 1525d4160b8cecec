package sim

import (
	"fmt"
	"hash/fnv"
	"math"
	"math/rand/v2"
	"sort"

	"gonum.org/v1/gonum/spatial/r3"
)

// part is a point of the sole.
type part int

const (
	heel part = iota
	ball
	toe
)

// pin is the point on which a standing foot turns from an instant on.
type pin struct {
	t  float64
	on part
}

// hold is a foot on the ground.
type hold struct {
	foot       side
	from, to   float64
	at         r3.Vec // under the ankle, when the foot lies flat at first
	yaw, pitch track  // degrees; heel lifted is positive, toes up negative
	knee       track  // degrees that the knee falls in from over the foot
	pins       []pin
	rigid      bool // on a pedal the toes do not bend
	spots      []r3.Vec
}

// along is how far a point of the sole lies ahead of the ankle.
func (pr *Proportions) along(p part) float64 {
	switch p {
	case heel:
		return -pr.HeelBehind
	case ball:
		return pr.BallAhead
	}
	return pr.ToeAhead
}

// settle works out where each pin of a hold stands.
func (h *hold) settle(pr *Proportions) {
	if len(h.pins) == 0 {
		h.pins = []pin{{h.from, toe}}
	}
	h.spots = h.spots[:0]
	for i, p := range h.pins {
		t := h.from
		if i > 0 || math.IsInf(t, -1) {
			t = p.t
		}
		u := flat(h.yaw.at(t))
		if i == 0 {
			h.spots = append(h.spots, r3.Add(h.at, r3.Scale(pr.along(p.on), u)))
			continue
		}
		h.spots = append(h.spots, r3.Add(h.spots[i-1], r3.Scale(pr.along(p.on)-pr.along(h.pins[i-1].on), u)))
	}
}

// footing is the foot at an instant: it touches the ground with its lowest
// point and stays over its pin.
func (h *hold) footing(pr *Proportions, t float64) footing {
	on, spot := h.standsOn(t)
	f := footing{yaw: h.yaw.at(t), pitch: h.pitch.at(t), bend: 1, on: on, spot: spot}
	if h.rigid {
		f.bend = 0
	}
	pr.set(&f)
	return f
}

// set puts a foot's sole on its spot at its pitch.
func (pr *Proportions) set(f *footing) {
	f.basis = turned(f.yaw, f.pitch, 0)
	f.ankle = r3.Vec{}
	var l limbs
	pr.shoe(&l, *f)
	on := [...]r3.Vec{l.heel, l.ball, l.toe}[f.on]
	low := math.Min(l.heel.Z, math.Min(l.ball.Z, l.toe.Z))
	f.ankle = r3.Vec{X: f.spot.X - on.X, Y: f.spot.Y - on.Y, Z: f.spot.Z - low}
}

// mid is the middle of a hold in time.
func (h *hold) mid() float64 { return (h.from + h.to) / 2 }

// standsOn is the pin's place at an instant, which does not move.
func (h *hold) standsOn(t float64) (part, r3.Vec) {
	i := 0
	for i+1 < len(h.pins) && t >= h.pins[i+1].t {
		i++
	}
	return h.pins[i].on, h.spots[i]
}

// legKnot is a swinging leg at an instant: thigh forward of hanging, out and
// turned in the pelvis, knee included, toes pointed down from square.
type legKnot struct{ t, flex, out, turn, knee, point float64 }

// swing is a leg in the air between two holds.
type swing struct {
	foot     side
	from, to float64
	knots    []legKnot
	high     float64
	first    *swingState // at its ends, where a hold ends or begins
	last     *swingState
	v0, v1   [7]float64
	s        [7]spline
}

func (w swingState) list() [7]float64 {
	return [7]float64{w.flex, w.out, w.turn, stiffKnee(w.knee), w.foot.X, w.foot.Y, w.foot.Z}
}

// meets is the share of the standing leg's speed that a swinging leg has as its
// foot comes down; the rest is stopped by the ground.
const meets = 0.9

func (w *swing) fit() {
	var xs []float64
	var ys [7][]float64
	put := func(t float64, v [7]float64) {
		if n := len(xs); n > 0 && t-xs[n-1] < 0.004 {
			return
		}
		xs = append(xs, t)
		for i := range ys {
			ys[i] = append(ys[i], v[i])
		}
	}
	// the leg leaves the ground with the ground's own speed and meets it with
	// nearly that, and has a moment to give it up or to take it on
	first, last := w.to, w.from
	if n := len(w.knots); n > 0 {
		first, last = w.knots[0].t, w.knots[n-1].t
	}
	most := [7]float64{6, 4, 8, 4, 7, 7, 7}
	coast := func(at [7]float64, v [7]float64, d, share, room float64) [7]float64 {
		for i := range at {
			at[i] += room * most[i] * math.Tanh(share*v[i]*d/most[i]/room)
		}
		return at
	}
	given := func(v [7]float64, d float64) [7]float64 {
		for i := range v {
			v[i] = clamp(v[i], -3*most[i]/d, 3*most[i]/d)
		}
		return v
	}
	after, before := math.Min(0.030, 0.5*(first-w.from)), math.Min(0.020, 0.5*(w.to-last))
	if w.first != nil {
		put(w.from, w.first.list())
		put(w.from+after, coast(w.first.list(), w.v0, after, 0.3, 1))
	}
	for _, k := range w.knots {
		if w.last == nil || k.t < w.to-0.004 {
			put(k.t, [7]float64{k.flex, k.out, k.turn, k.knee, 0, k.point, 0})
		}
	}
	if w.last != nil {
		put(w.to-before, coast(w.last.list(), w.v1, -before, 0.8, 2.8))
		put(w.to, w.last.list())
	}
	if len(xs) == 0 {
		put(w.from, [7]float64{10, 3, 0, 150, 0, 20, 0})
	}
	v0, v1 := given(w.v0, math.Max(after, 0.01)), given(w.v1, math.Max(before, 0.01))
	for i := range v1 {
		v1[i] *= meets
	}
	for i := range ys {
		w.s[i] = newSpline(xs, ys[i], v0[i], v1[i])
	}
}

func (w *swing) at(t float64) swingState {
	var v [7]float64
	for i := range v {
		v[i] = w.s[i].at(t)
	}
	return swingState{flex: v[0], out: v[1], turn: v[2], knee: softKnee(v[3]), foot: r3.Vec{X: v[4], Y: v[5], Z: v[6]}}
}

// stiffKnee is the angle that softKnee turns into k.
func stiffKnee(k float64) float64 {
	const from, most = 160.0, 178.0
	if k <= from {
		return k
	}
	return from - (most-from)*math.Log((most-math.Min(k, most-0.3))/(most-from))
}

// softKnee slows a knee's angle down toward straight, and toward fully bent.
func softKnee(k float64) float64 {
	const from, most = 160.0, 178.0
	switch {
	case k > from:
		return most - (most-from)*math.Exp(-(k-from)/(most-from))
	case k < 40:
		return 28 + 12*math.Exp((k-40)/12)
	}
	return k
}

// way is a place of the pelvis at an instant: over a standing foot at a knee
// angle, or where it is said to be.
type way struct {
	t      float64
	over   side
	dx, dy float64 // middle of the hips from the ankle, m
	knee   float64 // 0: the place is absolute
	place  r3.Vec
	solve  func(m *Motion) r3.Vec // a place that follows from the rest
	speed  *r3.Vec                // of the centre of mass, where it does not follow from the places
}

// span is a stretch of time.
type span struct{ from, to float64 }

// plan is a movement as it is laid out.
type plan struct {
	who      Athlete
	pr       Proportions
	event    string
	variant  string
	value    map[string]float64
	seed     uint64
	keys     [channels][]knot
	holds    []*hold
	swings   []*swing
	ways     []way
	air      []span
	stamps   map[string]float64
	begin    float64
	end      float64
	hands    func(m *Motion, t float64, f *figure) // brings the hands to the implement
	carry    func(m *Motion, t float64, f *figure) // places the implement
	joinPole func(m *Motion)                       // hands the body over to the pole
	marks    map[string]r3.Vec                     // still things whose places are known
	swung    *orbit                                // a hammer's ball
	before   *Motion                               // the movement as it was laid out the round before
	err      error
}

// get is a knob's value.
func (p *plan) get(key string) float64 {
	v, ok := p.value[key]
	if !ok {
		panic("sim: " + p.event + " has no knob " + key)
	}
	return v
}

// nth is a knob of a turn or stride.
func (p *plan) nth(key string, n int) float64 { return p.get(fmt.Sprintf("%s#%d", key, n)) }

// values are numbers of a posture.
type values map[channel]float64

// at sets channels at an instant.
func (p *plan) at(t float64, v values) {
	for c, x := range v {
		p.keys[c] = append(p.keys[c], knot{t, x})
	}
}

// stand puts a foot on the ground.
func (p *plan) stand(h hold) *hold {
	p.holds = append(p.holds, &h)
	return &h
}

// step swings a leg through the air.
func (p *plan) step(s side, from, to float64, knots ...legKnot) *swing {
	w := &swing{foot: s, from: from, to: to, knots: knots}
	p.swings = append(p.swings, w)
	return w
}

// fly says that both feet are off the ground.
func (p *plan) fly(from, to float64) { p.air = append(p.air, span{from, to}) }

// fail keeps the first error of a plan.
func (p *plan) fail(format string, args ...any) {
	if p.err == nil {
		p.err = fmt.Errorf(format, args...)
	}
}

// steady is a track of one value.
func steady(v float64) track { return newTrack(knot{0, v}) }

// rounds in which pelvis, swings and path find one another.
const rounds = 5

// motion works a plan out.
func (p *plan) motion() (*Motion, error) {
	if p.err != nil {
		return nil, p.err
	}
	m := &Motion{plan: p, body: newMass(p.who.Sex), Stamps: p.stamps, Event: p.event, Athlete: p.who}
	for c := range p.keys {
		m.tracks[c] = newTrack(p.keys[c]...)
	}
	sort.SliceStable(p.holds, func(i, j int) bool { return p.holds[i].from < p.holds[j].from })
	for _, h := range p.holds {
		h.settle(&p.pr)
	}
	sort.SliceStable(p.ways, func(i, j int) bool { return p.ways[i].t < p.ways[j].t })
	sort.SliceStable(p.swings, func(i, j int) bool { return p.swings[i].from < p.swings[j].from })
	for _, w := range p.swings {
		w.fit()
	}
	for range rounds {
		if err := m.layPath(); err != nil {
			return nil, err
		}
		for _, w := range p.swings {
			m.join(w)
		}
		if p.joinPole != nil {
			p.joinPole(m)
		}
	}
	return m, m.layPath()
}

// layPath lays the path of the centre of mass through the plan's ways.
func (m *Motion) layPath() error {
	var ts []float64
	var ps []r3.Vec
	var vs []*r3.Vec
	for _, w := range m.plan.ways {
		hip, err := m.place(w)
		if err != nil {
			return err
		}
		p := m.posture(w.t)
		f := m.figureAt(w.t, &p, hip)
		ts, ps, vs = append(ts, w.t), append(ps, m.body.of(&f)), append(vs, w.speed)
	}
	inAir := func(i int) bool {
		for _, a := range m.plan.air {
			if math.Abs(ts[i]-a.from) < 1e-6 && math.Abs(ts[i+1]-a.to) < 1e-6 {
				return true
			}
		}
		return false
	}
	var err error
	m.com, err = newPath(ts, ps, vs, inAir)
	return err
}

// place is the middle of the hips that a way asks for.
func (m *Motion) place(w way) (r3.Vec, error) {
	if w.solve != nil && m.com != nil {
		return w.solve(m), nil
	}
	if w.knee == 0 {
		return w.place, nil
	}
	h := m.holdAt(w.over, w.t)
	if h == nil {
		return r3.Vec{}, fmt.Errorf("%s: at %.3f s the foot to stand on is in the air", m.Event, w.t)
	}
	foot := h.footing(&m.plan.pr, w.t)
	p := m.posture(w.t)
	joint := turned(p.v[hipYaw], p.v[hipPitch], p.v[hipRoll]).out(r3.Vec{Y: w.over.sign() * m.plan.pr.HipHalf})
	flatX, flatY := w.dx+joint.X, w.dy+joint.Y
	up := sq(m.plan.pr.leg(w.knee)) - sq(flatX) - sq(flatY)
	if up <= 0 {
		return r3.Vec{}, fmt.Errorf("%s: at %.3f s a knee of %.0f° does not reach the ground: the foot is %.2f m away", m.Event, w.t, w.knee, math.Hypot(flatX, flatY))
	}
	return r3.Vec{X: foot.ankle.X + w.dx, Y: foot.ankle.Y + w.dy, Z: foot.ankle.Z + math.Sqrt(up) - joint.Z}, nil
}

// join makes a swing leave and meet the ground as the standing leg does.
func (m *Motion) join(w *swing) {
	const h = 2e-3
	end := func(t, dir float64) (*swingState, [7]float64) {
		if m.holdAt(w.foot, t) == nil {
			return nil, [7]float64{}
		}
		here, there := m.standing(w.foot, t), m.standing(w.foot, t+dir*h)
		var v [7]float64
		a, b := here.list(), there.list()
		for i := range v {
			v[i] = dir * (b[i] - a[i]) / h
		}
		return &here, v
	}
	w.first, w.v0 = end(w.from, -1)
	w.last, w.v1 = end(w.to, 1)
	w.fit()
}

func (m *Motion) standing(s side, t float64) swingState {
	f := m.figure(t)
	return m.plan.pr.swingOf(&f, s)
}

// holdAt is the hold of a foot at an instant, its ends included.
func (m *Motion) holdAt(s side, t float64) *hold {
	const edge = 1e-9
	for _, h := range m.plan.holds {
		if h.foot == s && t >= h.from-edge && t <= h.to+edge {
			return h
		}
	}
	return nil
}

// jitter is a natural variation of one stride, turn or attempt, drawn from the
// seed and a name, so that the same attempt always varies the same way.
func (p *plan) jitter(key string, n int, sd float64) float64 {
	if p.seed == 0 {
		return 0
	}
	h := fnv.New64a()
	fmt.Fprint(h, key, n)
	return sd * clamp(rand.New(rand.NewPCG(p.seed, h.Sum64())).NormFloat64(), -2, 2)
}
