package assemble

import (
	"gonum.org/v1/gonum/spatial/r2"
	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/clock"
	"neokinema/core/measure"
	"neokinema/core/optics"
	"neokinema/core/playbook"
	"neokinema/server/store"
)

// SecondFilm is the other film of an attempt, with its pictures' time stamps.
type SecondFilm struct {
	Bench store.Bench
	PTS   []int64
}

// CameraPose is where a film's camera stood, found from points of known places.
type CameraPose struct {
	Points int     `json:"points"`
	Miss   float64 `json:"miss"`          // px of the original, root mean square
	U      float64 `json:"u"`             // standard uncertainty of its distance, as a share
	Why    string  `json:"why,omitempty"` // it is not known, or not good enough for what is in the air
}

// Space is what two films say together, and one with known points alone.
type Space struct {
	Stand   *CameraPose `json:"stand,omitempty"`
	Joined  bool        `json:"joined"`
	Offset  float64     `json:"offset"`        // s, by which the other film's time runs after this one's
	OffsetU float64     `json:"offsetU"`       // standard uncertainty
	Points  int         `json:"points"`        // marks that both films show in space
	Lost    int         `json:"lost"`          // marks that they show at different places
	Why     string      `json:"why,omitempty"` // they are not joined
	Fit     *FittedBody `json:"fit,omitempty"` // of one film with points of known places
}

// cameraPose finds where a film's camera stood; nil without a word when no point of a
// known place is marked.
func cameraPose(b store.Bench) (*optics.View, *CameraPose) {
	p := b.Calibration.ControlPoints
	if len(p) == 0 {
		return nil, nil
	}
	out := &CameraPose{Points: len(p)}
	space, px := controlPoints(b)
	v, err := optics.Resect(space, px, middle(b), MarkU(b))
	if err != nil {
		out.Why = err.Error()
		return nil, out
	}
	out.Miss, out.U = v.RMS, v.FocalU
	return &v, out
}

// controlPoints are the marked points of known places, m, and where the camera's first
// picture shows them.
func controlPoints(b store.Bench) (space []r3.Vec, px []r2.Vec) {
	first := onFirstPicture(b)
	for _, q := range b.Calibration.ControlPoints {
		space = append(space, r3.Vec{X: q.At[0], Y: q.At[1], Z: q.At[2]})
		px = append(px, first(&q.Frame, q.Px))
	}
	return space, px
}

// joinFilms finds what the sheet's film shows in space, alone and with the other one.
func joinFilms(s *measure.Recording, e playbook.Event, b store.Bench, other *SecondFilm) Space {
	view, own := cameraPose(b)
	out := Space{Stand: own}
	s.Paired = other != nil
	if view == nil {
		if other != nil {
			out.Why = "mark points of known places on this film"
		} else {
			out.Fit = useFit(s, e, b)
		}
		return out
	}
	if other == nil || other.Bench.Clip == nil || other.Bench.Clip.Status != "ready" || other.Bench.Clip.CaptureRate == 0 {
		if other != nil {
			out.Why = "the other film is not ready, or its capture rate is not known"
		}
		_, _ = s.JoinFilms(view, nil)
		if other == nil {
			out.Fit = useFit(s, e, b)
		}
		return out
	}
	theirs, _ := cameraPose(other.Bench)
	if theirs == nil {
		out.Why = "mark points of known places on the other film as well"
		_, _ = s.JoinFilms(view, nil)
		return out
	}
	there, err := Sheet(e, other.Bench, other.PTS)
	if err == nil {
		var both clock.TimeMap
		if both, err = s.JoinFilms(view, there.SecondView(*theirs)); err == nil {
			out.Joined, out.Offset, out.OffsetU = true, both.Offset, both.OffsetU
			out.Points, out.Lost = s.ReconstructedPoints()
			return out
		}
	}
	out.Why = err.Error()
	return out
}
