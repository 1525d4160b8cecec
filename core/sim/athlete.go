// Package sim is the simulated athlete and camera: the product's stand-in for
// an athlete and a phone. It moves a body of published proportions through an
// event, steered by the measures that it is to show, films it, and knows the
// truth of every joint, contact and measure.
//
// The world has x along the direction of travel, y to the athlete's left and z
// up, in metres from the start line.
package sim

import (
	"math"

	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
)

// Athlete is who moves.
type Athlete struct {
	HeightM float64
	Sex     body.Sex
	Front   body.Side // the front-block leg
}

// Proportions are the athlete's segment lengths in metres: Winter's shares of
// height for the limbs and trunk, common practice for the widths.
type Proportions struct {
	Trunk, Thigh, Shank, UpperArm, Forearm, Hand float64
	HipHalf, ShoulderHalf                        float64
	Neck, Head                                   float64 // mid-shoulder→C7, C7→vertex
	ToeAhead, HeelBehind, AnkleHeight            float64 // from the ankle, foot flat
}

// Proportions derives segment lengths from height.
func (a Athlete) Proportions() Proportions {
	h, l := a.HeightM, body.Lengths
	return Proportions{
		Trunk:    (l.ShoulderHeight - l.HipHeight) * h,
		Thigh:    (l.HipHeight - l.KneeHeight) * h,
		Shank:    (l.KneeHeight - l.AnkleHeight) * h,
		UpperArm: l.UpperArm * h, Forearm: l.Forearm * h, Hand: 0.6 * l.Hand * h,
		HipHalf: 0.052 * h, ShoulderHalf: 0.105 * h,
		Neck: 0.045 * h, Head: 0.137 * h,
		ToeAhead: 0.112 * h, HeelBehind: 0.040 * h, AnkleHeight: l.AnkleHeight * h,
	}
}

// Pose is every landmark at one instant, with the centre of mass.
type Pose map[body.Landmark]r3.Vec

// posture is what a pose is built from.
type posture struct {
	pelvis      r3.Vec
	trunk       float64 // inclination, degrees above the horizontal
	pelvisYaw   float64 // degrees, left side ahead = negative
	shoulderYaw float64
	head        float64 // degrees that the head is lifted out of the trunk's line
	foot        map[body.Side]foot
	arm         map[body.Side]arm
}

// foot is an ankle's place and how far the heel is lifted, degrees. Free says
// how far the foot is out of the ground's hold, 0 to 1.
type foot struct {
	ankle r3.Vec
	pitch float64
	free  float64
}

// arm is either on the ground (hand) or free, by the upper arm's swing ahead
// of the trunk's downward direction and the elbow's included angle, degrees.
type arm struct {
	ground *r3.Vec
	swing  float64
	elbow  float64
	from   [3]r3.Vec // directions of upper arm, forearm and hand as the hand lifted
	eased  float64   // how far the arm has gone from there to its swing, 0 to 1
}

// build places every landmark.
func (pr Proportions) build(p posture) Pose {
	out := Pose{}
	up := inPlane(p.trunk)
	shoulder := r3.Add(p.pelvis, r3.Scale(pr.Trunk, up))
	neck := r3.Add(shoulder, r3.Scale(pr.Neck, inPlane(p.trunk+p.head/2)))
	headUp := inPlane(p.trunk + p.head)
	face := inPlane(p.trunk + p.head - 90)
	out["neck"] = neck
	out["vertex"] = r3.Add(neck, r3.Scale(pr.Head, headUp))
	out["chin"] = r3.Add(neck, r3.Add(r3.Scale(0.15*pr.Head, headUp), r3.Scale(0.42*pr.Head, face)))
	out["sternum"] = r3.Add(p.pelvis, r3.Add(r3.Scale(0.62*pr.Trunk, up), r3.Scale(0.2*pr.Trunk, inPlane(p.trunk-90))))
	for side, sign := range map[body.Side]float64{body.Left: 1, body.Right: -1} {
		on := func(part string) body.Landmark { return body.Landmark(part + "." + string(side)) }
		out[on("ear")] = r3.Add(r3.Add(neck, r3.Scale(0.5*pr.Head, headUp)), r3.Vec{Y: sign * 0.45 * pr.Head})
		hip := r3.Add(p.pelvis, across(sign*pr.HipHalf, p.pelvisYaw))
		out[on("hip")] = hip
		f := p.foot[side]
		f.ankle = pr.legReach(hip, f)
		out[on("knee")] = bend(hip, f.ankle, pr.Thigh, pr.Shank, r3.Vec{X: 1})
		out[on("ankle")] = f.ankle
		out[on("toe")] = r3.Add(f.ankle, pr.toe(f.pitch))
		out[on("heel")] = r3.Add(f.ankle, rotate(r3.Vec{X: -pr.HeelBehind, Z: -pr.AnkleHeight}, -f.pitch))
		sh := r3.Add(shoulder, across(sign*pr.ShoulderHalf, p.shoulderYaw))
		out[on("shoulder")] = sh
		a := p.arm[side]
		if a.ground != nil {
			wrist := reach(sh, *a.ground, pr.UpperArm+pr.Forearm)
			out[on("elbow")] = bend(sh, wrist, pr.UpperArm, pr.Forearm, r3.Vec{X: -1, Y: 0.6 * sign})
			out[on("wrist")] = wrist
			out[on("knuckle")] = r3.Add(wrist, r3.Scale(pr.Hand, pressed))
			continue
		}
		upper := p.trunk - 180 + a.swing
		in := -sign * 0.25 * math.Max(0, math.Sin(a.swing*math.Pi/180))
		upperDir := r3.Add(inPlane(upper), r3.Vec{Y: 0.08 * sign})
		foreDir := r3.Add(inPlane(upper+180-a.elbow), r3.Vec{Y: in})
		upperDir = r3.Unit(r3.Add(r3.Scale(1-a.eased, a.from[0]), r3.Scale(a.eased, r3.Unit(upperDir))))
		foreDir = r3.Unit(r3.Add(r3.Scale(1-a.eased, a.from[1]), r3.Scale(a.eased, r3.Unit(foreDir))))
		out[on("elbow")] = r3.Add(sh, r3.Scale(pr.UpperArm, upperDir))
		out[on("wrist")] = r3.Add(out[on("elbow")], r3.Scale(pr.Forearm, foreDir))
		handDir := r3.Unit(r3.Add(r3.Scale(1-a.eased, a.from[2]), r3.Scale(a.eased, foreDir)))
		out[on("knuckle")] = r3.Add(out[on("wrist")], r3.Scale(pr.Hand, handDir))
	}
	return out
}

// toe is the toe tip from the ankle with the heel lifted by pitch degrees.
func (pr Proportions) toe(pitch float64) r3.Vec {
	return rotate(r3.Vec{X: pr.ToeAhead, Z: -pr.AnkleHeight}, -pitch)
}

// inPlane is the unit vector of the x–z plane at an inclination in degrees.
func inPlane(incl float64) r3.Vec {
	s, c := math.Sincos(incl * math.Pi / 180)
	return r3.Vec{X: c, Z: s}
}

// across is a half-width to the left, turned about the vertical.
func across(half, yaw float64) r3.Vec {
	s, c := math.Sincos(yaw * math.Pi / 180)
	return r3.Vec{X: -half * s, Y: half * c}
}

// rotate turns v in the x–z plane by degrees, from x toward z.
func rotate(v r3.Vec, by float64) r3.Vec {
	s, c := math.Sincos(by * math.Pi / 180)
	return r3.Vec{X: v.X*c - v.Z*s, Y: v.Y, Z: v.X*s + v.Z*c}
}

// straightest is how far a limb stretches, as a share of its length.
const straightest = 0.998

// pressed is the direction of a hand on its fingers.
var pressed = r3.Unit(r3.Vec{X: 0.35, Z: -0.8})

// Knee angles between which a leg in the air slows down toward straight, so
// that it never snaps.
const (
	kneeEases    = 150.0
	kneeStraight = 173.0
)

// legReach pulls an ankle back to where the leg reaches: hard on the ground,
// where the toe must stay, softly in the air.
func (pr Proportions) legReach(hip r3.Vec, f foot) r3.Vec {
	hard := reach(hip, f.ankle, pr.Thigh+pr.Shank)
	far := r3.Norm(r3.Sub(f.ankle, hip))
	from, most := pr.leg(kneeEases), pr.leg(kneeStraight)
	if f.free == 0 || far <= from {
		return hard
	}
	soft := most - (most-from)*math.Exp(-(far-from)/(most-from))
	eased := r3.Add(hip, r3.Scale(soft/far, r3.Sub(f.ankle, hip)))
	return r3.Add(hard, r3.Scale(f.free, r3.Sub(eased, hard)))
}

// reach pulls target back to where a limb of length n reaches from from.
func reach(from, target r3.Vec, n float64) r3.Vec {
	d := r3.Sub(target, from)
	if far := r3.Norm(d); far > straightest*n {
		return r3.Add(from, r3.Scale(straightest*n/far, d))
	}
	return target
}

// bend places the joint between two segments of lengths l1 and l2 that span
// from a to b, bending toward the given direction.
func bend(a, b r3.Vec, l1, l2 float64, toward r3.Vec) r3.Vec {
	d := r3.Sub(b, a)
	n := math.Min(r3.Norm(d), l1+l2)
	u := r3.Unit(d)
	along := (l1*l1 - l2*l2 + n*n) / (2 * n)
	height := math.Sqrt(math.Max(0, l1*l1-along*along))
	side := r3.Unit(r3.Sub(toward, r3.Scale(r3.Dot(toward, u), u)))
	return r3.Add(a, r3.Add(r3.Scale(along, u), r3.Scale(height, side)))
}

// angle3 is the included angle at b in three dimensions, degrees.
func angle3(a, b, c r3.Vec) float64 {
	u, v := r3.Sub(a, b), r3.Sub(c, b)
	return math.Atan2(r3.Norm(r3.Cross(u, v)), r3.Dot(u, v)) * 180 / math.Pi
}

func middle(a, b r3.Vec) r3.Vec { return r3.Scale(0.5, r3.Add(a, b)) }
