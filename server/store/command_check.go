package store

import (
	"encoding/json"
	"math"
	"reflect"

	"github.com/google/uuid"

	"neokinema/core/bounds"
)

// leastLine is how long a line must be to say a length or a direction, px.
const leastLine = 20

// steepest is how far a level line may lean from what it is said to be, degrees.
const steepest = 30

// check refuses numbers with which nothing of an attempt could be computed: every
// number is finite and in the range of the physical thing, every point on the
// picture or beside it. Undoing and doing again are not checked: what was stored
// once can always be taken back.
func (c Command) check(b Bench) error {
	if l := c.Scale; l != nil {
		if err := bounds.Length.Check(l.Metres); err != nil {
			return invalid("%v", err)
		}
		if err := onPicture(b, "the known length", l.A, l.B); err != nil {
			return err
		}
		if length(l.A, l.B) < leastLine {
			return invalid("the line of the known length is %.0f px long: use a longer one", length(l.A, l.B))
		}
	}
	if l := c.Level; l != nil {
		if err := onPicture(b, "the level line", l.A, l.B); err != nil {
			return err
		}
		if length(l.A, l.B) < leastLine {
			return invalid("the level line is %.0f px long: lay it along something longer", length(l.A, l.B))
		}
		if lean := l.lean(); lean > steepest {
			return invalid("the level line stands %.0f° off: say whether it is horizontal or vertical", lean)
		}
	}
	for _, at := range []struct {
		what  string
		frame *int
	}{{"the known length", frameOf(c.Scale)}, {"the level line", levelFrame(c.Level)}, {"the line", originFrame(c)}} {
		if at.frame != nil && b.Clip != nil && (*at.frame < 0 || *at.frame > b.Clip.First+b.Clip.Frames) {
			return invalid("%s was drawn on picture %d, which this clip does not have", at.what, *at.frame)
		}
	}
	if c.Kind == "origin" && c.At != nil {
		if err := onPicture(b, "the line", *c.At); err != nil {
			return err
		}
	}
	if k := c.KnownInterval; k != nil {
		if err := bounds.Interval.Check(k.Seconds); err != nil {
			return invalid("%v", err)
		}
		if err := bounds.IntervalU.Check(k.U); err != nil {
			return invalid("%v", err)
		}
	}
	if s := c.Subject; s != nil {
		if err := onPicture(b, "the frame round the athlete", s.A, s.B); err != nil {
			return err
		}
	}
	if r := c.Repeats; r != nil {
		if err := onPicture(b, "a repeated point", r.Points...); err != nil {
			return err
		}
	}
	if p := c.ControlPoints; p != nil {
		for _, one := range p.Points {
			for _, v := range one.At {
				if err := bounds.Coordinate.Check(v); err != nil {
					return invalid("%s: %v", one.Name, err)
				}
			}
		}
	}
	if d := c.Distance; d != nil {
		if err := bounds.Distance.Check(*d); err != nil {
			return invalid("%v", err)
		}
	}
	if r := c.Rate; r != nil && !(*r == 0 && c.RateSource == "unknown") {
		if err := bounds.CaptureRate.Check(*r); err != nil {
			return invalid("%v", err)
		}
	}
	return nil
}

func frameOf(l *ScaleLine) *int {
	if l == nil {
		return nil
	}
	return l.Frame
}

func levelFrame(l *LevelLine) *int {
	if l == nil {
		return nil
	}
	return l.Frame
}

func originFrame(c Command) *int {
	if c.Kind != "origin" {
		return nil
	}
	return c.Frame
}

// onPicture refuses points that lie farther beside the picture than it is wide or
// high: a panning camera's line may begin outside of it.
func onPicture(b Bench, what string, points ...Spot) error {
	if b.Clip == nil {
		return invalid("add a clip first")
	}
	w, h := float64(b.Clip.Width), float64(b.Clip.Height)
	for _, p := range points {
		if !(p.X >= -w && p.X <= 2*w && p.Y >= -h && p.Y <= 2*h) {
			return invalid("%s lies at %.4g, %.4g, far outside of the picture of %.0f × %.0f", what, p.X, p.Y, w, h)
		}
	}
	return nil
}

func length(a, b Spot) float64 { return math.Hypot(a.X-b.X, a.Y-b.Y) }

// lean is how far the line stands off what it is said to be, degrees.
func (l LevelLine) lean() float64 {
	dx, dy := math.Abs(l.A.X-l.B.X), math.Abs(l.A.Y-l.B.Y)
	if l.Vertical {
		dx, dy = dy, dx
	}
	return math.Atan2(dy, dx) * 180 / math.Pi
}

// again tells a command that was applied before from another one under its id.
func (c Command) again(attempt, of uuid.UUID, body []byte) error {
	var was Command
	if err := json.Unmarshal(body, &was); err != nil {
		return err
	}
	if attempt != of || !reflect.DeepEqual(was.asked(), c.asked()) {
		return AlreadyExists{"change"}
	}
	return nil
}

// asked is a command without what the server adds to it, and without the version
// that it was made on: sent again, it may name a newer one.
func (c Command) asked() Command {
	c.Version = 0
	if c.Kind == "rate" && c.RateSource != "chosen" {
		c.Rate, c.RateU = nil, 0
	}
	if c.Result != nil {
		c.Result = &ResultEntry{Text: c.Result.Text, Foul: c.Result.Foul}
	}
	return c
}
