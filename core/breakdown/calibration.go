package breakdown

import (
	"math"
	"slices"

	"neokinema/core/body"
	"neokinema/core/bounds"
)

func init() {
	register[SetScale]()
	register[SetLevel]()
	register[SetOrigin]()
	register[SetKnownInterval]()
	register[SetRamp]()
	register[SetSubject]()
	register[SetRepeats]()
	register[SetControlPoints]()
	register[SetDistance]()
	register[UseFollowing]()
}

const (
	// leastLine is how long a line must be to say a length or a direction, px.
	leastLine = 20
	// steepest is how far a level line may lean from what it is said to be, degrees.
	steepest = 30
	// leastSubject is how wide and high the frame round an athlete must be, px.
	leastSubject = 8
	// LeastRepeats is how often a joint is placed to tell a hand's repeatability.
	LeastRepeats = 5
	// MostRepeats is how often it may be placed.
	MostRepeats = 50
	// MostControlPoints an attempt's film may have marked.
	MostControlPoints = 60
)

// SetScale says a known length; without one it is cleared.
type SetScale struct {
	anytime
	Scale *ScaleLine `json:"scale,omitempty"`
}

func (*SetScale) Kind() string { return "scale" }

func (c *SetScale) Validate(b Breakdown, _ Facts) error {
	l := c.Scale
	if l == nil {
		return nil
	}
	if err := bounds.Length.Check(l.Metres); err != nil {
		return Invalid(err.Error())
	}
	if !(l.U >= 0 && l.U <= l.Metres/2) {
		return invalid("a length of %.3g m cannot be known to ± %.3g m", l.Metres, 2*l.U)
	}
	if err := onPicture(b, "the known length", l.A, l.B); err != nil {
		return err
	}
	if d := distance(l.A, l.B); d < leastLine {
		return invalid("the line of the known length is %.0f px long: use a longer one", d)
	}
	return drawnOn(b, "the known length", l.Frame)
}

func (c *SetScale) Apply(b *Breakdown, _ Facts) { b.Calibration.Scale = c.Scale }
func (c *SetScale) Inverse(b Breakdown) Command { return &SetScale{Scale: b.Calibration.Scale} }

// SetLevel says a line that is horizontal or vertical; without one it is cleared.
type SetLevel struct {
	anytime
	Level *LevelLine `json:"level,omitempty"`
}

func (*SetLevel) Kind() string { return "level" }

func (c *SetLevel) Validate(b Breakdown, _ Facts) error {
	l := c.Level
	if l == nil {
		return nil
	}
	if err := onPicture(b, "the level line", l.A, l.B); err != nil {
		return err
	}
	if d := distance(l.A, l.B); d < leastLine {
		return invalid("the level line is %.0f px long: lay it along something longer", d)
	}
	if lean := l.lean(); lean > steepest {
		return invalid("the level line stands %.0f° off: say whether it is horizontal or vertical", lean)
	}
	return drawnOn(b, "the level line", l.Frame)
}

func (c *SetLevel) Apply(b *Breakdown, _ Facts) { b.Calibration.Level = c.Level }
func (c *SetLevel) Inverse(b Breakdown) Command { return &SetLevel{Level: b.Calibration.Level} }

// lean is how far the line stands off what it is said to be, degrees.
func (l LevelLine) lean() float64 {
	dx, dy := math.Abs(l.A.X-l.B.X), math.Abs(l.A.Y-l.B.Y)
	if l.Vertical {
		dx, dy = dy, dx
	}
	return math.Atan2(dy, dx) * 180 / math.Pi
}

// SetOrigin marks the start, take-off or throwing line; without one it is
// cleared.
type SetOrigin struct {
	anytime
	Origin *Origin `json:"origin,omitempty"`
}

func (*SetOrigin) Kind() string { return "origin" }

func (c *SetOrigin) Validate(b Breakdown, _ Facts) error {
	if c.Origin == nil {
		return nil
	}
	if err := onPicture(b, "the line", c.Origin.At); err != nil {
		return err
	}
	return drawnOn(b, "the line", c.Origin.Frame)
}

func (c *SetOrigin) Apply(b *Breakdown, _ Facts) { b.Calibration.Origin = c.Origin }
func (c *SetOrigin) Inverse(b Breakdown) Command { return &SetOrigin{Origin: b.Calibration.Origin} }

// SetKnownInterval says the real time between two pictures.
type SetKnownInterval struct {
	KnownInterval *KnownInterval `json:"knownInterval,omitempty"`
}

func (*SetKnownInterval) Kind() string { return "knownInterval" }

func (c *SetKnownInterval) Validate(Breakdown, Facts) error {
	if c.KnownInterval == nil {
		return nil
	}
	if err := bounds.Interval.Check(c.KnownInterval.Seconds); err != nil {
		return Invalid(err.Error())
	}
	if err := bounds.IntervalU.Check(c.KnownInterval.U); err != nil {
		return Invalid(err.Error())
	}
	return nil
}

func (c *SetKnownInterval) Allowed(b Breakdown, _ Facts) error {
	if c.KnownInterval == nil {
		return nil
	}
	return inOrder(b, c.KnownInterval.From, c.KnownInterval.To)
}

func (c *SetKnownInterval) Apply(b *Breakdown, _ Facts) {
	b.Calibration.KnownInterval = c.KnownInterval
}

func (c *SetKnownInterval) Inverse(b Breakdown) Command {
	return &SetKnownInterval{b.Calibration.KnownInterval}
}

// SetRamp says between which pictures the film is slowed.
type SetRamp struct {
	Ramp *Ramp `json:"ramp,omitempty"`
}

func (*SetRamp) Kind() string { return "ramp" }

func (*SetRamp) Validate(Breakdown, Facts) error { return nil }

func (c *SetRamp) Allowed(b Breakdown, _ Facts) error {
	if c.Ramp == nil {
		return nil
	}
	return inOrder(b, c.Ramp.From, c.Ramp.To)
}

func (c *SetRamp) Apply(b *Breakdown, _ Facts) { b.Calibration.Ramp = c.Ramp }
func (c *SetRamp) Inverse(b Breakdown) Command { return &SetRamp{b.Calibration.Ramp} }

// SetSubject draws a frame round the athlete on a picture with several people.
type SetSubject struct {
	Subject *Subject `json:"subject,omitempty"`
}

func (*SetSubject) Kind() string { return "subject" }

func (c *SetSubject) Validate(b Breakdown, _ Facts) error {
	s := c.Subject
	if s == nil {
		return nil
	}
	if err := onPicture(b, "the frame round the athlete", s.A, s.B); err != nil {
		return err
	}
	if math.Abs(s.A.X-s.B.X) < leastSubject || math.Abs(s.A.Y-s.B.Y) < leastSubject {
		return invalid("draw the frame round the whole athlete")
	}
	return nil
}

func (c *SetSubject) Allowed(b Breakdown, _ Facts) error {
	if c.Subject == nil {
		return nil
	}
	return shown(b, c.Subject.Frame)
}

func (c *SetSubject) Apply(b *Breakdown, _ Facts) { b.Calibration.Subject = c.Subject }
func (c *SetSubject) Inverse(b Breakdown) Command { return &SetSubject{b.Calibration.Subject} }

// SetRepeats keeps how a hand placed one joint several times.
type SetRepeats struct {
	Repeats *Repeats `json:"repeats,omitempty"`
}

func (*SetRepeats) Kind() string { return "repeats" }

func (c *SetRepeats) Validate(b Breakdown, f Facts) error {
	r := c.Repeats
	if r == nil {
		return nil
	}
	if !body.Landmark(r.Landmark).Valid() {
		return unknown(f.Event, r.Landmark)
	}
	if len(r.Points) < LeastRepeats || len(r.Points) > MostRepeats {
		return invalid("place the same joint %d times", LeastRepeats)
	}
	return onPicture(b, "a repeated point", r.Points...)
}

func (c *SetRepeats) Allowed(b Breakdown, _ Facts) error {
	if c.Repeats == nil {
		return nil
	}
	return shown(b, c.Repeats.Frame)
}

func (c *SetRepeats) Apply(b *Breakdown, _ Facts) { b.Calibration.Repeats = c.Repeats }
func (c *SetRepeats) Inverse(b Breakdown) Command { return &SetRepeats{b.Calibration.Repeats} }

// SetControlPoints marks points of known places; an empty list clears them.
type SetControlPoints struct {
	ControlPoints []ControlPoint `json:"controlPoints"`
}

func (*SetControlPoints) Kind() string { return "controlPoints" }

func (c *SetControlPoints) Validate(b Breakdown, _ Facts) error {
	if len(c.ControlPoints) > MostControlPoints {
		return invalid("mark at most %d points of known places", MostControlPoints)
	}
	names := map[string]bool{}
	for _, p := range c.ControlPoints {
		if p.Name == "" || names[p.Name] {
			return invalid("give each known point a name of its own")
		}
		names[p.Name] = true
		if err := shown(b, p.Frame); err != nil {
			return err
		}
		if !inside(b.Film, p.Px) {
			return invalid("%s lies outside the picture", p.Name)
		}
		for _, v := range p.At {
			if err := bounds.Coordinate.Check(v); err != nil {
				return invalid("%s: %v", p.Name, err)
			}
		}
	}
	return nil
}

func (c *SetControlPoints) Allowed(b Breakdown, _ Facts) error {
	for _, p := range c.ControlPoints {
		if err := shown(b, p.Frame); err != nil {
			return err
		}
	}
	return nil
}

func (c *SetControlPoints) Apply(b *Breakdown, _ Facts) {
	b.Calibration.ControlPoints = c.ControlPoints
}

func (c *SetControlPoints) Inverse(b Breakdown) Command {
	return &SetControlPoints{b.Calibration.ControlPoints}
}

// SetDistance says how far the camera stood from the line of travel, m.
type SetDistance struct {
	anytime
	Distance *float64 `json:"distance,omitempty"`
}

func (*SetDistance) Kind() string { return "distance" }

func (c *SetDistance) Validate(Breakdown, Facts) error {
	if c.Distance == nil {
		return nil
	}
	if err := bounds.Distance.Check(*c.Distance); err != nil {
		return Invalid(err.Error())
	}
	return nil
}

func (c *SetDistance) Apply(b *Breakdown, _ Facts) { b.Calibration.Distance = c.Distance }

func (c *SetDistance) Inverse(b Breakdown) Command {
	return &SetDistance{Distance: b.Calibration.Distance}
}

// UseFollowing chooses the following that the attempt is measured with; without
// one it is measured with placed points alone.
type UseFollowing struct {
	Following *string `json:"following,omitempty"`
}

func (*UseFollowing) Kind() string { return "following" }

func (*UseFollowing) Validate(Breakdown, Facts) error { return nil }

func (c *UseFollowing) Allowed(_ Breakdown, f Facts) error {
	if c.Following != nil && !slices.Contains(f.Followings, *c.Following) {
		return invalid("these points were not followed on this attempt, or not to the end")
	}
	return nil
}

func (c *UseFollowing) Apply(b *Breakdown, _ Facts) { b.Calibration.Following = c.Following }
func (c *UseFollowing) Inverse(b Breakdown) Command { return &UseFollowing{b.Calibration.Following} }

// onPicture refuses points that lie farther beside the picture than it is wide or
// high: a panning camera's line may begin outside of it.
func onPicture(b Breakdown, what string, points ...Spot) error {
	if b.Film == nil {
		return invalid("add a clip first")
	}
	w, h := float64(b.Film.Width), float64(b.Film.Height)
	for _, p := range points {
		if !(p.X >= -w && p.X <= 2*w && p.Y >= -h && p.Y <= 2*h) {
			return invalid("%s lies at %.4g, %.4g, far outside of the picture of %.0f × %.0f", what, p.X, p.Y, w, h)
		}
	}
	return nil
}

// drawnOn refuses a picture that the film never had.
func drawnOn(b Breakdown, what string, frame *int) error {
	if frame != nil && b.Film != nil && (*frame < 0 || *frame > b.Film.First+b.Film.Frames) {
		return invalid("%s was drawn on picture %d, which this clip does not have", what, *frame)
	}
	return nil
}

func distance(a, b Spot) float64 { return math.Hypot(a.X-b.X, a.Y-b.Y) }
