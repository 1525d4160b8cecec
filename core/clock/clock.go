// Package clock turns pictures into real time: true time stamps, slowed
// files, and the instants and durations that a coach's stamps stand for, each
// with its standard uncertainty.
package clock

import (
	"errors"
	"fmt"
	"math"
	"slices"
)

// Seconds is real time, as the athlete lived it.
type Seconds = float64

// TimeBase is the length of one pts tick, in seconds of the file's own time.
type TimeBase struct{ Num, Den int64 }

// Rate says how fast a clip was filmed and what its file claims, both in
// pictures per second. CaptureU is the capture rate's standard uncertainty.
type Rate struct {
	Capture  float64
	Playback float64
	CaptureU float64
}

// Ramp says that a file is slowed between two of its pictures only, and plays
// at real speed before and after.
type Ramp struct {
	From int `json:"from"`
	To   int `json:"to"`
}

// Nature is what a stamp marks, which decides how sharply it can be placed.
type Nature string

const (
	Still   Nature = "still"   // a held moment: no change happens on the frame
	Change  Nature = "change"  // the first frame of a new state, plain to see
	Contact Nature = "contact" // first or last touch, hard to see to the frame
	Onset   Nature = "onset"   // a movement begins: seen a picture or two late
)

// ErrNoRate is returned for a clip whose capture rate nobody has stated.
var ErrNoRate = errors.New("the capture rate is not known: choose it, or film with a phone that writes it into the file")

// Timeline is one clip's frames in real time. The zero Film has no frames.
type Timeline struct {
	t    []Seconds
	relU float64
}

// NewTimeline places frames in real time from their presentation time stamps.
// A slowed file (playback below capture) is sped up by capture ÷ playback; of a
// ramped one, only the part that its ramp names. Without a ramp it is nil.
func NewTimeline(pts []int64, base TimeBase, rate Rate, ramp *Ramp) (Timeline, error) {
	if rate.Capture <= 0 {
		return Timeline{}, ErrNoRate
	}
	if rate.Playback <= 0 || base.Num <= 0 || base.Den <= 0 {
		return Timeline{}, fmt.Errorf("the file's playback rate %g and time base %d/%d must be positive", rate.Playback, base.Num, base.Den)
	}
	if !plausible(rate.Capture) || !plausible(rate.Playback) {
		return Timeline{}, fmt.Errorf("no camera films at %g pictures a second for a film that plays at %g: say the rate again", rate.Capture, rate.Playback)
	}
	if len(pts) < 2 {
		return Timeline{}, fmt.Errorf("a film needs two pictures or more, this one has %d", len(pts))
	}
	if ramp != nil && (ramp.From < 0 || ramp.From >= ramp.To) {
		return Timeline{}, fmt.Errorf("a ramp goes from one picture to a later one, not from %d to %d", ramp.From, ramp.To)
	}
	tick := float64(base.Num) / float64(base.Den)
	// Pictures that a phone dropped make a mean rate too low; what the file plays at
	// is told by the usual interval. Stamps of a file at real speed are real times.
	slow := tick
	usual := UsualRate(pts, base)
	atSpeed := math.Abs(rate.Playback/rate.Capture-1) < real || math.Abs(usual/rate.Capture-1) < real
	switch {
	case ramp == nil && atSpeed:
	case math.Abs(rate.Playback/usual-1) > holed:
		slow *= usual / rate.Capture
	default:
		slow *= rate.Playback / rate.Capture
	}
	t := make([]Seconds, len(pts))
	for i, p := range pts {
		if i == 0 {
			continue
		}
		if p <= pts[i-1] {
			return Timeline{}, fmt.Errorf("picture %d is not later than picture %d", i, i-1)
		}
		if ramp == nil {
			t[i] = float64(p-pts[0]) * slow
			continue
		}
		per := tick
		if i > ramp.From && i <= ramp.To {
			per = slow
		}
		t[i] = t[i-1] + float64(p-pts[i-1])*per
	}
	relU := rate.CaptureU / rate.Capture
	if relU == 0 {
		relU = phoneU
	}
	return Timeline{t, relU}, nil
}

const (
	// real is how near to the capture rate a file plays that has real times.
	real = 0.03
	// holed is by how much a mean rate may lie below the usual one for pictures
	// that come unevenly.
	holed = 0.01
	// phoneU is how well a phone keeps the rate that it says, as a share: common
	// practice.
	phoneU = 0.001
)

// UsualRate is one over the middle interval between pictures, pictures a second of
// the file's own time; 0 for fewer than two pictures.
func UsualRate(pts []int64, base TimeBase) float64 {
	if len(pts) < 2 {
		return 0
	}
	steps := make([]int64, len(pts)-1)
	for i := range steps {
		steps[i] = pts[i+1] - pts[i]
	}
	slices.Sort(steps)
	middle := steps[len(steps)/2]
	if middle <= 0 {
		return 0
	}
	return float64(base.Den) / (float64(base.Num) * float64(middle))
}

// Hole is where pictures are missing: after a picture, for so many seconds until
// the next one.
type Hole struct {
	After int
	Lasts Seconds
}

// Holes are the intervals of twice the usual one and more.
func (f Timeline) Holes() []Hole {
	var out []Hole
	if f.Len() < 3 {
		return nil
	}
	steps := make([]Seconds, f.Len()-1)
	for i := range steps {
		steps[i] = f.t[i+1] - f.t[i]
	}
	usual := slices.Sorted(slices.Values(steps))[len(steps)/2]
	for i, d := range steps {
		if d > 1.9*usual {
			out = append(out, Hole{i, d})
		}
	}
	return out
}

// plausible reports whether a rate is one of cameras, the slowest time lapse and the
// fastest laboratory among them.
func plausible(rate float64) bool { return rate > 1e-3 && rate < 1e6 }

// RelU is the relative standard uncertainty of every duration that comes from
// the capture rate's own.
func (f Timeline) RelU() float64 { return f.relU }

// Len is the number of frames.
func (f Timeline) Len() int { return len(f.t) }

// At is the real time of frame i after frame 0.
func (f Timeline) At(i int) Seconds { return f.t[i] }

// Interval is the time between frame i and the one before it; frame 0 takes
// the interval after it.
func (f Timeline) Interval(i int) Seconds {
	if i == 0 {
		i = 1
	}
	return f.t[i] - f.t[i-1]
}

// Nearest is the frame whose time lies closest to t.
func (f Timeline) Nearest(t Seconds) int {
	best := 0
	for i := range f.t {
		if math.Abs(f.t[i]-t) < math.Abs(f.t[best]-t) {
			best = i
		}
	}
	return best
}

// FirstAfter is the first frame at or after t: the frame on which a change at
// t is first seen. It is Len when the film ends before.
func (f Timeline) FirstAfter(t Seconds) int {
	for i, at := range f.t {
		if at >= t {
			return i
		}
	}
	return len(f.t)
}

// slowOnset is how well the eye tells when a movement begins at any rate, s.
const slowOnset = 0.008

// Instant is a moment in real time with its standard uncertainty.
type Instant struct{ T, U Seconds }

// Instant reads a stamp on frame i. A change happened between the frame before
// and frame i, so the estimate is the middle of that interval Δ with u = Δ/√12;
// a contact is uncertain by half a frame more, u² = Δ²/12 + (Δ/2)²/3, an onset by
// a whole one and 8 ms, since what begins to move hardly moves yet (common
// practice); a still moment is the frame's own time.
func (f Timeline) Instant(i int, n Nature) (Instant, error) {
	if i < 0 || i >= len(f.t) {
		return Instant{}, fmt.Errorf("there is no picture %d in a film of %d", i, len(f.t))
	}
	d := f.Interval(i)
	switch n {
	case Still:
		return Instant{f.t[i], d / math.Sqrt(12)}, nil
	case Change:
		return Instant{f.t[i] - d/2, d / math.Sqrt(12)}, nil
	case Contact:
		return Instant{f.t[i] - d/2, math.Sqrt(d*d/12 + d*d/12)}, nil
	case Onset:
		return Instant{f.t[i] - d/2, math.Sqrt(d*d/12 + d*d/3 + slowOnset*slowOnset)}, nil
	}
	return Instant{}, fmt.Errorf("unknown nature of stamp %q", n)
}

// Between is the duration from a to b. The two stamps are independent, so
// their uncertainties add in quadrature, with the share of the duration that
// the capture rate leaves open.
func (f Timeline) Between(a, b Instant) (d, u Seconds) {
	d = b.T - a.T
	return d, math.Hypot(math.Hypot(a.U, b.U), d*f.relU)
}

// RateFor is the capture rate at which a duration between two contact stamps
// would carry no more than the standard uncertainty u.
func RateFor(u Seconds) float64 { return 1 / (u * math.Sqrt(3)) }
