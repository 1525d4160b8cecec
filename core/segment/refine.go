package segment

import (
	"errors"
	"fmt"
	"math"
	"strings"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/body"
	"neokinema/core/measure"
)

// Leave is how far a point lies from where it was pinned, on a later picture.
type Leave struct {
	Frame int     `json:"frame"`
	T     float64 `json:"t"`     // s since the pin
	Along float64 `json:"along"` // in the direction of travel
	Up    float64 `json:"up"`
	Away  float64 `json:"away"`  // the whole distance
	U     float64 `json:"u"`     // its standard uncertainty
	Where string  `json:"where"` // higher or lower, ahead or behind, as far as the ± tells
}

// Refined is a point's way from a spot of the world.
type Refined struct {
	Landmark body.Landmark `json:"landmark"`
	Frame    int           `json:"frame"`
	Unit     string        `json:"unit"` // m, or % of leg without a scale
	Leaves   []Leave       `json:"leaves"`
}

// Refine fixes a landmark to the world where it is on a picture and tells how far it
// leaves that spot on the pictures up to another, in the picture's plane: metres
// where there is a scale, else per cent of the leg.
func Refine(s *measure.Recording, l body.Landmark, from, to int) (Refined, error) {
	out := Refined{Landmark: l, Frame: from, Leaves: []Leave{}}
	plane, err := s.Calibration.Plane()
	if err != nil {
		return out, err
	}
	at := func(i int) (r2.Vec, float64, bool) {
		m, ok := s.Observations[i][l]
		moved, cu := s.Camera.At(i)
		return plane.Map(moved.Inverse().Map(m.At)), math.Hypot(m.U, cu), ok
	}
	start, u0, ok := at(from)
	if !ok {
		return out, fmt.Errorf("place or follow the %s on this picture first: it is pinned where it is", measure.LandmarkName(l))
	}
	size, rel := plane.PxPerM, 0.0
	out.Unit = "m"
	if size == 0 {
		sc, err := newPaths(s)
		if err != nil {
			return out, err
		}
		if sc.leg == 0 {
			return out, errors.New("there is no scale: set one, or follow hip, knee and ankle, to say how far a point goes")
		}
		out.Unit, size, rel = "%", sc.leg/100, 0.05
	} else {
		rel = plane.ScaleU / size
	}
	for i := from + 1; i <= to && i < s.Timeline.Len(); i++ {
		p, u, ok := at(i)
		if !ok {
			continue
		}
		d := r2.Scale(1/size, r2.Sub(p, start))
		away := r2.Norm(d)
		l := Leave{Frame: i, T: s.Timeline.At(i) - s.Timeline.At(from), Along: d.X, Up: d.Y, Away: away, U: math.Hypot(math.Hypot(u, u0)/size, rel*away)}
		l.Where = strings.Join(append(course(d.Y, l.U, "higher", "lower"), course(d.X, l.U, "ahead", "behind")...), ", ")
		out.Leaves = append(out.Leaves, l)
	}
	if len(out.Leaves) == 0 {
		return out, fmt.Errorf("the %s is on no later picture: follow it", measure.LandmarkName(l))
	}
	return out, nil
}

// course names a difference's side, where it is more than its 2u.
func course(d, u float64, more, less string) []string {
	switch {
	case d > 2*u:
		return []string{more}
	case d < -2*u:
		return []string{less}
	}
	return nil
}
