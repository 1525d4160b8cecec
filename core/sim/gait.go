package sim

import (
	"math"

	"gonum.org/v1/gonum/spatial/r3"
)

// stride is one contact of a run: when, in which direction, how far the ankle
// lands ahead of the hips and how far the hips have passed it when it leaves.
type stride struct {
	foot           side
	td, to         float64
	yaw            float64 // direction of travel, degrees
	ahead, off     float64 // m along the travel, from the ankle as it landed
	kneeTd, kneeTo float64
	strike, lift   float64 // heel lifted at contact (toes up negative) and as it leaves
	wide           float64 // foot beside the line of travel, m
	toeOut         float64
	lean           float64 // hips beside the foot, m to the left, as in a bend
	flatBy         float64 // share of the contact by which the sole lies flat; 0: a third
	leave          *r3.Vec // where the hips are as the foot leaves, over the ground; nil: straight on
}

// swingStyle is how a leg comes through between two contacts.
type swingStyle struct {
	back   float64 // thigh behind, soon after the foot has left
	fold   float64 // smallest knee
	thigh  float64 // highest thigh
	reach  float64 // knee as the thigh comes down again
	across float64 // thigh out of the sagittal plane
}

// armStyle is how an arm swings.
type armStyle struct{ front, back, elbowFront, elbowBack, out, in float64 }

// ground puts a stride's foot down: at is the middle of the hips over the
// ground as the foot lands.
func (p *plan) ground(s stride, at r3.Vec) (*hold, r3.Vec) {
	u := flat(s.yaw)
	beside := r3.Vec{X: -u.Y, Y: u.X}
	place := r3.Add(at, r3.Add(r3.Scale(s.ahead, u), r3.Scale(s.foot.sign()*s.wide-s.lean, beside)))
	place.Z = 0
	flatBy := s.flatBy
	if flatBy == 0 {
		flatBy = 0.3
	}
	tc := s.to - s.td
	knots := []knot{{s.td, s.strike}, {s.td + flatBy*tc, math.Max(0, math.Min(s.strike, 6))}, {s.td + 0.62*tc, 10}, {s.to, s.lift}}
	h := p.stand(hold{
		foot: s.foot, from: s.td, to: s.to, at: place, yaw: steady(s.yaw - s.foot.sign()*-s.toeOut), pitch: newTrack(knots...),
		pins: []pin{{s.td, toe}},
	})
	if s.strike < 0 {
		h.pins = []pin{{s.td, heel}, {s.td + flatBy*tc, toe}}
	}
	h.settle(&p.pr)
	p.ways = append(p.ways, way{t: s.td, over: s.foot, dx: at.X - h.footing(&p.pr, s.td).ankle.X, dy: at.Y - h.footing(&p.pr, s.td).ankle.Y, knee: s.kneeTd})
	leave := r3.Add(place, r3.Add(r3.Scale(s.off, u), r3.Scale(-s.foot.sign()*s.wide+s.lean, beside)))
	if s.leave != nil {
		leave = *s.leave
	}
	ankle := h.footing(&p.pr, s.to).ankle
	p.ways = append(p.ways, way{t: s.to, over: s.foot, dx: leave.X - ankle.X, dy: leave.Y - ankle.Y, knee: s.kneeTo})
	return h, leave
}

// through swings a leg from one contact to the next of the same foot.
func (p *plan) through(s side, from, to float64, st swingStyle) {
	d := to - from
	k := func(u, flex, knee, point float64) legKnot {
		return legKnot{from + u*d, flex, 2 + st.across, 0, knee, point}
	}
	p.step(s, from, to,
		k(0.14, st.back, between(160, st.fold, 0.35), 38),
		k(0.36, between(st.back, st.thigh, 0.45), st.fold, 26),
		k(0.60, between(st.back, st.thigh, 0.90), between(st.fold, 95, 0.55), 8),
		k(0.78, st.thigh, between(st.fold, st.reach, 0.55), 2),
	)
}

// pump swings an arm: forward at some contacts of the other foot, back at those
// of its own.
func (p *plan) pump(s side, t float64, forward bool, a armStyle) {
	if forward {
		p.at(t, values{s.of(armFlexR): a.front, s.of(elbowR): a.elbowFront, s.of(armOutR): a.out, s.of(armTurnR): a.in})
		return
	}
	p.at(t, values{s.of(armFlexR): a.back, s.of(elbowR): a.elbowBack, s.of(armOutR): a.out + 8, s.of(armTurnR): a.in / 3})
}
