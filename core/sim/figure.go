package sim

import (
	"math"

	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
)

// side is a side of the figure as it is planned: the right hand throws, the
// right leg works.
type side int

const (
	right side = iota
	left
)

func (s side) other() side { return 1 - s }

// sign is +1 on the left, where y grows.
func (s side) sign() float64 {
	if s == left {
		return 1
	}
	return -1
}

// channel is one number of a posture that changes over time, in degrees
// unless said otherwise.
type channel int

const (
	hipYaw   channel = iota // math yaw: 0 = along x, growing to the left
	hipPitch                // forward
	hipRoll                 // left side up
	chestYaw
	chestPitch
	chestRoll
	headYaw // against the chest
	headPitch
	headRoll
	shrug     // shoulders raised, share of the trunk
	armFlexR  // upper arm forward of hanging
	armOutR   // and out to the side
	armTurnR  // forearm turned inward about the upper arm
	elbowR    // included
	handBendR // hand bent back against the forearm
	armFlexL
	armOutL
	armTurnL
	elbowL
	handBendL
	channels
)

// of is a channel of the right arm on a side.
func (s side) of(c channel) channel { return c + channel(s)*(armFlexL-armFlexR) }

// footing is a foot's place and attitude: heel lifted by pitch, the toes bent
// as far as the ground holds them (bend, 0 to 1).
type footing struct {
	ankle r3.Vec
	basis frame
	yaw   float64
	pitch float64
	bend  float64
	on    part   // what it stands on
	spot  r3.Vec // and where
}

// stance is a leg's posture: standing on the ground, or swinging.
type stance struct {
	ground bool
	foot   footing
	kneeIn float64 // degrees that a standing leg's knee falls in
	leg    swingState
	high   float64 // ground under a swinging foot, m
	clear  float64 // by which it passes over it, m
}

// swingState is a leg by its joints: thigh forward of hanging and out to the
// side in the pelvis, the shank's turn about the thigh, the knee (included),
// and the foot's turn out of the shank's frame as an axis times degrees.
type swingState struct {
	flex, out, turn, knee float64
	foot                  r3.Vec
}

// posture is all that a figure is built from but the place of its pelvis.
type posture struct {
	v    [channels]float64
	feet [2]stance
}

// limbs are the landmarks and bases of one side.
type limbs struct {
	ear, shoulder, elbow, wrist, knuckle r3.Vec
	hip, knee, ankle, heel, ball, toe    r3.Vec
	shank                                frame
	foot                                 frame
	kneeTo                               r3.Vec // the way the knee points
}

// figure is the whole body at one instant.
type figure struct {
	pelvis, chest, skull        frame
	midHip, midShoulder         r3.Vec
	vertex, chin, neck, sternum r3.Vec
	limb                        [2]limbs
	things                      []thing
}

// thing is a named point of an implement.
type thing struct {
	name string
	at   r3.Vec
}

// reacher puts a figure's hands where an implement wants them.
type reacher func(f *figure)

// waist is the share of the trunk that turns with the pelvis.
const waist = 0.4

// build places every landmark from a posture and the middle of the hips.
func (pr *Proportions) build(p *posture, midHip r3.Vec, hands reacher) figure {
	v := &p.v
	f := figure{midHip: midHip, pelvis: turned(v[hipYaw], v[hipPitch], v[hipRoll]), chest: turned(v[chestYaw], v[chestPitch], v[chestRoll])}
	f.skull = f.chest.then(turned(v[headYaw], v[headPitch], v[headRoll]))
	f.midShoulder = r3.Add(midHip, r3.Add(r3.Scale(waist*pr.Trunk, f.pelvis.z), r3.Scale((1-waist)*pr.Trunk, f.chest.z)))
	neckTo := r3.Unit(r3.Add(f.chest.z, f.skull.z))
	f.neck = r3.Add(f.midShoulder, r3.Scale(pr.Neck, neckTo))
	f.vertex = r3.Add(f.neck, r3.Scale(pr.Head, f.skull.z))
	f.chin = r3.Add(f.neck, r3.Add(r3.Scale(0.15*pr.Head, f.skull.z), r3.Scale(0.42*pr.Head, f.skull.x)))
	f.sternum = r3.Add(f.midShoulder, r3.Add(r3.Scale(-0.38*pr.Trunk, f.chest.z), r3.Scale(0.2*pr.Trunk, f.chest.x)))
	for s := right; s <= left; s++ {
		l := &f.limb[s]
		l.ear = r3.Add(f.neck, f.skull.out(r3.Vec{Y: s.sign() * 0.45 * pr.Head, Z: 0.5 * pr.Head}))
		l.shoulder = r3.Add(f.midShoulder, f.chest.out(r3.Vec{Y: s.sign() * pr.ShoulderHalf, Z: v[shrug] * pr.Trunk}))
		l.hip = r3.Add(midHip, f.pelvis.out(r3.Vec{Y: s.sign() * pr.HipHalf}))
		pr.leg3(&f, s, p.feet[s])
		pr.arm3(&f, s, v)
	}
	if hands != nil {
		hands(&f)
	}
	return f
}

// arm3 places an arm by its angles in the chest.
func (pr *Proportions) arm3(f *figure, s side, v *[channels]float64) {
	l := &f.limb[s]
	flex, out, turn := v[s.of(armFlexR)], v[s.of(armOutR)], v[s.of(armTurnR)]
	upper := f.chest.out(hanging(s, flex, out))
	ahead := about(square(f.chest.out(r3.Vec{X: cos(flex), Z: sin(flex)}), upper), upper, s.sign()*turn)
	open := 180 - v[s.of(elbowR)]
	fore := r3.Add(r3.Scale(cos(open), upper), r3.Scale(sin(open), ahead))
	back := open - v[s.of(handBendR)]
	hand := r3.Add(r3.Scale(cos(back), upper), r3.Scale(sin(back), ahead))
	l.elbow = r3.Add(l.shoulder, r3.Scale(pr.UpperArm, upper))
	l.wrist = r3.Add(l.elbow, r3.Scale(pr.Forearm, fore))
	l.knuckle = r3.Add(l.wrist, r3.Scale(pr.Hand, hand))
}

// grasp brings a wrist to a place as far as weight says, the elbow toward a
// direction and the hand along another.
func (pr *Proportions) grasp(f *figure, s side, wrist, elbowTo, hand r3.Vec, weight float64) {
	if weight <= 0 {
		return
	}
	l := &f.limb[s]
	own := r3.Sub(l.elbow, middle(l.shoulder, l.wrist))
	if n := r3.Norm(own); n > 1e-6 {
		own = r3.Scale(1/n, own)
	}
	ownHand := r3.Unit(r3.Sub(l.knuckle, l.wrist))
	l.wrist = pr.handReach(l.shoulder, mix(l.wrist, wrist, weight))
	l.elbow = bend(l.shoulder, l.wrist, pr.UpperArm, pr.Forearm, mix(own, r3.Unit(elbowTo), weight))
	to := mix(ownHand, r3.Unit(hand), weight)
	if r3.Norm(to) < 1e-3 {
		to = hand
	}
	l.knuckle = r3.Add(l.wrist, r3.Scale(pr.Hand, r3.Unit(to)))
}

// handReach is where a wrist that wants to be at to is: no farther than the arm
// is long, and no nearer to the shoulder than an elbow folds.
func (pr *Proportions) handReach(shoulder, to r3.Vec) r3.Vec {
	const folded = 26
	d := r3.Sub(to, shoulder)
	const eases, most = 0.978, 0.9995
	if far := r3.Norm(d) / pr.armLength(); far > eases { // and it slows down toward straight
		far = most - (most-eases)*math.Exp(-(far-eases)/(most-eases))
		d = r3.Scale(far*pr.armLength()/r3.Norm(d), d)
		to = r3.Add(shoulder, d)
	}
	n, least := r3.Norm(d), pr.leg2arm(folded)
	if n >= least+0.06 || n < 1e-9 {
		return to
	}
	// eased, so that the hand slows down toward the fold
	eased := least + 0.06*math.Exp((n-least-0.06)/0.06)
	return r3.Add(shoulder, r3.Scale(eased/n, d))
}

// hanging is the direction of a limb that hangs down, swung forward and out.
func hanging(s side, flex, out float64) r3.Vec {
	return r3.Vec{X: sin(flex) * cos(out), Y: s.sign() * sin(out), Z: -cos(flex) * cos(out)}
}

// leg3 places a leg: by inverse kinematics on the ground, by its joints in the
// air, where it is kept from going under the ground.
func (pr *Proportions) leg3(f *figure, s side, st stance) {
	l := &f.limb[s]
	if st.ground {
		foot := pr.stretched(l.hip, st.foot)
		ahead := r3.Add(square(foot.basis.x, r3.Vec{Z: 1}), r3.Scale(0.6, f.pelvis.x))
		if st.kneeIn != 0 {
			ahead = about(ahead, r3.Vec{Z: 1}, -s.sign()*st.kneeIn)
		}
		pr.standOn(l, foot, ahead)
		return
	}
	w := st.leg
	thigh := f.pelvis.out(hanging(s, w.flex, w.out))
	back := about(square(f.pelvis.out(r3.Vec{X: -cos(w.flex), Z: -sin(w.flex)}), thigh), thigh, -s.sign()*w.turn)
	open := 180 - w.knee
	shank := r3.Add(r3.Scale(cos(open), thigh), r3.Scale(sin(open), back))
	l.knee = r3.Add(l.hip, r3.Scale(pr.Thigh, thigh))
	l.ankle = r3.Add(l.knee, r3.Scale(pr.Shank, shank))
	l.kneeTo = r3.Scale(-1, back)
	across := r3.Cross(thigh, back)
	l.shank = frame{x: r3.Cross(across, r3.Scale(-1, shank)), y: across, z: r3.Scale(-1, shank)}
	pr.shoe(l, footing{ankle: l.ankle, basis: l.shank.then(rotated(w.foot)), bend: st.foot.bend, pitch: st.foot.pitch})
	if low := st.high + st.clear - math.Min(l.heel.Z, math.Min(l.ball.Z, l.toe.Z)); low > 0 {
		foot := footing{ankle: r3.Add(l.ankle, r3.Vec{Z: low}), basis: l.foot, bend: st.foot.bend, pitch: st.foot.pitch}
		if near := pr.leg(folded); r3.Norm(r3.Sub(foot.ankle, l.hip)) < near { // folded so far, the leg drags its foot
			foot.ankle.Z -= math.Min(st.clear, near-r3.Norm(r3.Sub(foot.ankle, l.hip)))
		}
		pr.standOn(l, foot, l.kneeTo)
	}
}

// folded is how far a swinging knee is bent to clear the ground, degrees.
const folded = 24

// standOn bends the leg between its hip and a foot.
func (pr *Proportions) standOn(l *limbs, foot footing, ahead r3.Vec) {
	foot.ankle = reach(l.hip, foot.ankle, pr.legLength())
	l.ankle = foot.ankle
	l.knee = bend(l.hip, l.ankle, pr.Thigh, pr.Shank, ahead)
	along := r3.Unit(r3.Sub(l.ankle, l.hip))
	l.kneeTo = square(ahead, along)
	up := r3.Unit(r3.Sub(l.knee, l.ankle))
	across := r3.Unit(r3.Cross(l.kneeTo, along))
	l.shank = frame{x: r3.Cross(across, up), y: across, z: up}
	pr.shoe(l, foot)
}

// shoe places heel, ball and toe about an ankle.
func (pr *Proportions) shoe(l *limbs, foot footing) {
	l.foot = foot.basis
	l.heel = r3.Add(foot.ankle, foot.basis.out(r3.Vec{X: -pr.HeelBehind, Z: -pr.AnkleHeight}))
	l.ball = r3.Add(foot.ankle, foot.basis.out(r3.Vec{X: pr.BallAhead, Z: -pr.AnkleHeight}))
	bent := foot.bend * toeBend(foot.pitch)
	toes := r3.Add(r3.Scale(cos(bent), foot.basis.x), r3.Scale(sin(bent), foot.basis.z))
	l.toe = r3.Add(l.ball, r3.Scale(pr.ToeAhead-pr.BallAhead, toes))
}

// toeBend is how far the toes bend against the foot when the heel is lifted
// by pitch degrees and the ground holds the toes.
func toeBend(pitch float64) float64 {
	if pitch <= 0 {
		return 0
	}
	return 50 * math.Tanh(pitch/50)
}

// stretched lifts the heel of a standing foot whose leg is too short, as feet
// do.
func (pr *Proportions) stretched(hip r3.Vec, foot footing) footing {
	most := straightest * pr.legLength()
	if r3.Norm(r3.Sub(foot.ankle, hip)) <= most || foot.pitch >= 78 {
		return foot
	}
	low, high := foot.pitch, 78.0
	lifted := foot
	for range 16 {
		lifted.pitch = (low + high) / 2
		pr.set(&lifted)
		if r3.Norm(r3.Sub(lifted.ankle, hip)) > most {
			low = lifted.pitch
		} else {
			high = lifted.pitch
		}
	}
	lifted.pitch = high
	pr.set(&lifted)
	return lifted
}

// shortfall is how far the hips have to move for the standing legs to reach
// their feet.
func (pr *Proportions) shortfall(f *figure, p *posture) r3.Vec {
	var sum r3.Vec
	for s := right; s <= left; s++ {
		if !p.feet[s].ground {
			continue
		}
		foot := pr.stretched(f.limb[s].hip, p.feet[s].foot)
		d := r3.Sub(foot.ankle, f.limb[s].hip)
		if over := r3.Norm(d) - straightest*pr.legLength(); over > 0 {
			sum = r3.Add(sum, r3.Scale(over/r3.Norm(d), d))
		}
	}
	return sum
}

// swingOf is a leg's posture by its joints, as far as a figure shows it.
func (pr *Proportions) swingOf(f *figure, s side) swingState {
	l := &f.limb[s]
	thigh := f.pelvis.in(r3.Unit(r3.Sub(l.knee, l.hip)))
	out := math.Asin(clamp(s.sign()*thigh.Y, -1, 1)) * 180 / math.Pi
	flex := atan2(thigh.X, -thigh.Z)
	world := f.pelvis.out(thigh)
	zero := square(f.pelvis.out(r3.Vec{X: -cos(flex), Z: -sin(flex)}), world)
	back := square(r3.Scale(-1, l.kneeTo), world)
	turn := atan2(r3.Dot(r3.Cross(zero, back), world), r3.Dot(zero, back))
	return swingState{flex: flex, out: out, turn: -s.sign() * turn, knee: angle3(l.hip, l.knee, l.ankle), foot: l.shank.from(l.foot).rotation()}
}

// segment is a part of the body with its share of the mass.
type segment struct {
	from, to     func(f *figure) r3.Vec
	mass, centre float64
}

// mass is the centre of the body's mass: the segments of de Leva, as the body's
// own tables give them, summed here once more and not by the measuring core.
type mass []segment

func newMass(sex body.Sex) mass {
	point := func(name string, s side) func(f *figure) r3.Vec {
		on := func(pick func(l *limbs) r3.Vec) func(f *figure) r3.Vec {
			return func(f *figure) r3.Vec { return pick(&f.limb[s]) }
		}
		switch name {
		case "vertex":
			return func(f *figure) r3.Vec { return f.vertex }
		case "neck":
			return func(f *figure) r3.Vec { return f.neck }
		case "shoulder":
			return on(func(l *limbs) r3.Vec { return l.shoulder })
		case "elbow":
			return on(func(l *limbs) r3.Vec { return l.elbow })
		case "wrist":
			return on(func(l *limbs) r3.Vec { return l.wrist })
		case "knuckle":
			return on(func(l *limbs) r3.Vec { return l.knuckle })
		case "hip":
			return on(func(l *limbs) r3.Vec { return l.hip })
		case "knee":
			return on(func(l *limbs) r3.Vec { return l.knee })
		case "ankle":
			return on(func(l *limbs) r3.Vec { return l.ankle })
		case "heel":
			return on(func(l *limbs) r3.Vec { return l.heel })
		case "toe":
			return on(func(l *limbs) r3.Vec { return l.toe })
		}
		panic("sim: no landmark " + name)
	}
	var out mass
	for _, g := range body.Segments(sex) {
		if g.Name == "trunk" {
			out = append(out, segment{
				func(f *figure) r3.Vec { return middle(f.limb[right].shoulder, f.limb[left].shoulder) },
				func(f *figure) r3.Vec { return f.midHip }, g.Mass, g.Centre})
			continue
		}
		for s := right; s <= left; s++ {
			out = append(out, segment{point(g.From, s), point(g.To, s), g.Mass, g.Centre})
			if !g.Paired {
				break
			}
		}
	}
	return out
}

func (m mass) of(f *figure) r3.Vec {
	var sum r3.Vec
	var all float64
	for i := range m {
		g := &m[i]
		from := g.from(f)
		c := r3.Add(from, r3.Scale(g.centre, r3.Sub(g.to(f), from)))
		sum, all = r3.Add(sum, r3.Scale(g.mass, c)), all+g.mass
	}
	return r3.Scale(1/all, sum)
}

// pose names every landmark, mirrored for a left-hander.
func (f *figure) pose(mirrored bool) Pose {
	out := make(Pose, 32)
	flip := func(v r3.Vec) r3.Vec {
		if mirrored {
			v.Y = -v.Y
		}
		return v
	}
	out["vertex"], out["chin"], out["neck"], out["sternum"] = flip(f.vertex), flip(f.chin), flip(f.neck), flip(f.sternum)
	for s := right; s <= left; s++ {
		name := body.Right
		if (s == left) != mirrored {
			name = body.Left
		}
		l := &f.limb[s]
		for part, at := range map[string]r3.Vec{
			"ear": l.ear, "shoulder": l.shoulder, "elbow": l.elbow, "wrist": l.wrist, "knuckle": l.knuckle,
			"hip": l.hip, "knee": l.knee, "ankle": l.ankle, "heel": l.heel, "ball": l.ball, "toe": l.toe,
		} {
			out[body.Landmark(part+"."+string(name))] = flip(at)
		}
	}
	for _, t := range f.things {
		out[body.Landmark(t.name)] = flip(t.at)
	}
	return out
}
