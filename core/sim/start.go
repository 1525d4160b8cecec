package sim

import (
	"fmt"
	"math"

	"gonum.org/v1/gonum/interp"
	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
)

// Start is a sprint start, steered by the measures that it is to show. Angles
// in degrees, times in seconds from the gun, lengths in metres.
type Start struct {
	FrontKnee, RearKnee float64 // included, at set
	HipOverShoulder     float64 // share of the trunk, at set
	HandLoad            float64 // shoulder ahead of the hand, at set
	Reaction, RearPush  float64
	BlockTime           float64
	LeadArmLag          float64
	ExitLine            float64 // trunk and leg at block exit
	FrontLegExtension   float64
	ExitVelocity        float64
	Steps               []Step
}

// Step is one contact after the blocks and the flight before it.
type Step struct {
	Flight, Contact float64
	ToeAhead        float64 // of the centre of mass at touchdown
	Rise            float64 // height of the centre of mass at touchdown, share of standing height
	Off             float64 // and at toe-off
	Speed           float64 // forward speed at toe-off, m/s
	Trunk           float64 // inclination at touchdown
}

// CleanStart lies inside the bands of the sheet for a trained adult.
func CleanStart() Start {
	return Start{
		FrontKnee: 94, RearKnee: 126, HipOverShoulder: 0.28, HandLoad: 0.02,
		Reaction: 0.152, RearPush: 0.178, BlockTime: 0.365, LeadArmLag: 0.012,
		ExitLine: 44, FrontLegExtension: 168, ExitVelocity: 3.25,
		Steps: []Step{
			{Flight: 0.066, Contact: 0.178, ToeAhead: -0.055, Rise: 0.482, Off: 0.493, Speed: 4.10, Trunk: 40},
			{Flight: 0.052, Contact: 0.160, ToeAhead: 0.025, Rise: 0.508, Off: 0.520, Speed: 4.80, Trunk: 45},
			{Flight: 0.061, Contact: 0.146, ToeAhead: 0.085, Rise: 0.531, Off: 0.541, Speed: 5.40, Trunk: 50},
			{Flight: 0.068, Contact: 0.135, ToeAhead: 0.120, Rise: 0.548, Off: 0.556, Speed: 5.95, Trunk: 55},
		},
	}
}

// OpenKnee injects a front knee too open, and LateArm a late lead arm, with
// what usually follows from both: a leg that leaves the block bent, and slowly.
func (s Start) OpenKnee() Start {
	s.FrontKnee, s.RearKnee, s.HipOverShoulder = 116, 131, 0.30
	s.BlockTime, s.FrontLegExtension = 0.372, 147
	return s.slower(0.35)
}

// LateArm delays the lead arm by 0.07 s after the first move.
func (s Start) LateArm() Start {
	s.LeadArmLag = 0.070
	return s.slower(0.15)
}

func (s Start) slower(by float64) Start {
	s.ExitVelocity -= by
	s.Steps = append([]Step(nil), s.Steps...)
	for i := range s.Steps {
		s.Steps[i].Speed -= by
		s.Steps[i].Contact += 0.025 * by
	}
	return s
}

// usual is the standing height that the steps' speeds are for, m.
const usual = 1.75

// sized fits the steps' speeds to a body: equal movements of bodies of different
// size have speeds in the ratio of √height (Froude's number).
func (s Start) sized(height float64) Start {
	s.Steps = append([]Step(nil), s.Steps...)
	for i := range s.Steps {
		s.Steps[i].Speed *= math.Sqrt(height / usual)
	}
	return s
}

// Contact is one foot on the ground, exact to the instant.
type Contact struct {
	Foot     body.Side
	From, To float64 // −Inf for a foot that was there from the start
	Toe      r3.Vec
	pitch    track
}

// Motion is an athlete's whole movement.
type Motion struct {
	Athlete  Athlete
	Start    Start
	Stamps   map[string]float64 // key position → instant
	Contacts []Contact

	pr      Proportions
	com     path
	trunk   track
	yaw     track
	head    track
	hands   map[body.Side]hand
	swings  []swing
	lateral map[body.Side]float64
	begin   float64
	end     float64
}

// hand is a hand on the ground until it lifts, then an arm that swings.
type hand struct {
	at    r3.Vec
	lifts float64
	swing track
	elbow track
	from  [3]r3.Vec
}

// swing is a foot in the air, by its ankle from the centre of mass.
type swing struct {
	foot     body.Side
	from, to float64
	x, z     interp.PiecewiseCubic
	pitch    track
}

// Begin and End bound the motion, seconds from the gun.
func (m *Motion) Begin() float64 { return m.begin }
func (m *Motion) End() float64   { return m.end }

const (
	settle = 12 // rounds in which the pelvis finds its place under the centre of mass
	steer  = 6  // rounds in which block exit finds its measures
)

// NewStart plans a sprint start whose true measures are those of s.
func NewStart(a Athlete, s Start) (*Motion, error) {
	if len(s.Steps) < 3 {
		return nil, fmt.Errorf("a start is planned to the third step or beyond, got %d steps", len(s.Steps))
	}
	s = s.sized(a.HeightM)
	var last correction
	for range steer {
		m, err := plan(a, s, last)
		if err != nil {
			return nil, err
		}
		exit := m.postureAt(m.Stamps["block-exit"], true)
		got := m.pr.build(exit)
		last.exit = &exit
		last.reach += m.pr.leg(s.FrontLegExtension) - m.pr.leg(knee(got, a.Front))
		last.line += s.ExitLine - bodyLine(got, a.Front)
	}
	return plan(a, s, last)
}

// correction is what one round of planning taught about block exit: the
// posture that came of it, and what the leg's length and the body line lacked.
type correction struct {
	exit        *posture
	reach, line float64
}

// leg is the distance from hip to ankle at a knee angle.
func (pr Proportions) leg(knee float64) float64 {
	return math.Sqrt(sq(pr.Thigh) + sq(pr.Shank) - 2*pr.Thigh*pr.Shank*math.Cos(knee*math.Pi/180))
}

// plan lays out the whole start.
func plan(a Athlete, s Start, last correction) (*Motion, error) {
	m := &Motion{Athlete: a, Start: s, pr: a.Proportions(), begin: -0.6, lateral: map[body.Side]float64{body.Left: 0.085, body.Right: -0.085}}
	move := s.Reaction
	leave := move + s.BlockTime
	m.Stamps = map[string]float64{"gun": 0, "first-move": move, "lead-arm": move + s.LeadArmLag, "rear-off": move + s.RearPush, "block-exit": leave}
	set, err := m.setPose()
	if err != nil {
		return nil, err
	}
	m.hands = map[body.Side]hand{}
	m.planBlocks(set, a.Front, a.Front.Other(), move, leave)
	if err := m.planCentre(set, last, move, leave); err != nil {
		return nil, err
	}
	m.planSwings()
	m.planArms(a.Front, move, leave)
	return m, nil
}

func knee(p Pose, s body.Side) float64 {
	on := func(part string) r3.Vec { return p[body.Landmark(part+"."+string(s))] }
	return angle3(on("hip"), on("knee"), on("ankle"))
}

// bodyLine is the inclination of the line toe → mid-hip → mid-shoulder in the
// plane of travel.
func bodyLine(p Pose, s body.Side) float64 {
	return fitted(p[body.Landmark("toe."+string(s))], middle(p["hip.L"], p["hip.R"]), middle(p["shoulder.L"], p["shoulder.R"]))
}

// blockToe is how high the toe tip presses its pedal, blockPitch how steeply.
const (
	blockToe   = 0.025
	blockPitch = 48.0
)

// setPose solves the set position from its measures: shoulders over the
// hands, hips above the shoulders, feet where the knees have their angles.
func (m *Motion) setPose() (posture, error) {
	pr, s := m.pr, m.Start
	handX := -0.03
	wristZ := 0.8*pr.Hand + 0.01
	shoulder := r3.Vec{X: handX + s.HandLoad}
	dy := pr.ShoulderHalf * 0.25
	straight := 0.992 * (pr.UpperArm + pr.Forearm)
	shoulder.Z = wristZ + math.Sqrt(straight*straight-s.HandLoad*s.HandLoad-dy*dy)
	lift := s.HipOverShoulder * pr.Trunk
	trunk := -math.Asin(s.HipOverShoulder) * 180 / math.Pi
	hip := r3.Vec{X: shoulder.X - math.Sqrt(pr.Trunk*pr.Trunk-lift*lift), Z: shoulder.Z + lift}
	p := posture{pelvis: hip, trunk: trunk, head: -4, foot: map[body.Side]foot{}, arm: map[body.Side]arm{}}
	for side, knee := range map[body.Side]float64{m.Athlete.Front: s.FrontKnee, m.Athlete.Front.Other(): s.RearKnee} {
		toe := pr.toe(blockPitch)
		ankleZ := blockToe - toe.Z
		y := m.lateral[side]
		sideways := y - math.Copysign(pr.HipHalf, y)
		d2 := sq(pr.leg(knee)) - sq(hip.Z-ankleZ) - sideways*sideways
		if d2 <= 0 {
			return p, fmt.Errorf("a knee of %.0f° cannot reach the pedal from a hip %.2f m high", knee, hip.Z)
		}
		p.foot[side] = foot{ankle: r3.Vec{X: hip.X - math.Sqrt(d2), Y: y, Z: ankleZ}, pitch: blockPitch}
	}
	for side, sign := range map[body.Side]float64{body.Left: 1, body.Right: -1} {
		at := r3.Vec{X: handX, Y: sign * pr.ShoulderHalf * 1.25, Z: wristZ}
		p.arm[side] = arm{ground: &at}
	}
	return p, nil
}
