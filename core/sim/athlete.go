// Package sim is the simulated athlete and camera: the product's stand-in for
// an athlete and a phone. It moves a body of published proportions through an
// event, steered by the measures that it is to show, films it, and knows the
// truth of every joint, contact, implement and measure.
//
// The world has x along the direction of travel or of the throw, y to the left
// and z up, in metres. Everything is planned for a right-hander, or for a jumper
// or starter whose working leg is the right one, and mirrored for the left.
package sim

import (
	"fmt"
	"math"

	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
)

// Athlete is who moves.
type Athlete struct {
	HeightM float64
	Sex     body.Sex
	Side    body.Side // throwing hand, top hand, take-off leg or front-block leg
	Youth   bool      // a child's proportions: longer head, shorter legs
}

// Check reports a body that the proportions do not hold for.
func (a Athlete) Check() error {
	if a.HeightM < 1.30 || a.HeightM > 2.15 {
		return fmt.Errorf("a height of %.2f m is outside 1.30 to 2.15 m", a.HeightM)
	}
	if a.Side != body.Left && a.Side != body.Right {
		return fmt.Errorf("%q is not a side: use L or R", a.Side)
	}
	return nil
}

// Proportions are the athlete's segment lengths in metres: Winter's shares of
// height for the limbs and trunk, common practice for the widths, and for
// youth a head 10 % longer and legs 2 % shorter (common practice).
type Proportions struct {
	Height                                       float64
	Trunk, Thigh, Shank, UpperArm, Forearm, Hand float64
	HipHalf, ShoulderHalf                        float64
	Neck, Head                                   float64 // mid-shoulder→C7, C7→vertex
	ToeAhead, BallAhead, HeelBehind, AnkleHeight float64 // from the ankle, foot flat
}

// Proportions derives segment lengths from height.
func (a Athlete) Proportions() Proportions {
	h, l := a.HeightM, body.Lengths
	p := Proportions{
		Height: h,
		Trunk:  (l.ShoulderHeight - l.HipHeight) * h,
		Thigh:  (l.HipHeight - l.KneeHeight) * h,
		Shank:  (l.KneeHeight - l.AnkleHeight) * h, UpperArm: l.UpperArm * h, Forearm: l.Forearm * h, Hand: 0.6 * l.Hand * h,
		HipHalf: 0.052 * h, ShoulderHalf: 0.105 * h,
		Neck: 0.045 * h, Head: 0.137 * h,
		ToeAhead: 0.112 * h, BallAhead: 0.068 * h, HeelBehind: 0.040 * h, AnkleHeight: l.AnkleHeight * h,
	}
	if a.Sex == body.Woman {
		p.ShoulderHalf, p.HipHalf = 0.099*h, 0.054*h
	}
	if a.Youth {
		p.Head *= 1.10
		p.Thigh *= 0.98
		p.Shank *= 0.98
		p.ShoulderHalf *= 0.95
	}
	return p
}

// leg is the distance from hip to ankle at a knee angle.
func (pr Proportions) leg(knee float64) float64 {
	return math.Sqrt(sq(pr.Thigh) + sq(pr.Shank) - 2*pr.Thigh*pr.Shank*cos(knee))
}

// legLength is hip to ankle through the knee.
func (pr Proportions) legLength() float64 { return pr.Thigh + pr.Shank }

// arm is shoulder to wrist through the elbow.
func (pr Proportions) armLength() float64 { return pr.UpperArm + pr.Forearm }

// Pose is every landmark at one instant.
type Pose map[body.Landmark]r3.Vec
