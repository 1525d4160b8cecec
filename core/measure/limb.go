package measure

import (
	"errors"
	"fmt"
	"math"

	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
	"neokinema/core/bodyfit"
)

// FittedSpreads is how well a fit to one film knows the points of the body on a picture:
// standard uncertainties, m.
func FittedSpreads(m bodyfit.Movements, t float64, camera r3.Vec) map[body.Landmark]bodyfit.Spread {
	out := m.Spreads(t, camera)
	for l, s := range out {
		out[l] = bodyfit.Spread{Across: s.Across * usualFitFactor, Along: s.Along * usualFitFactor, Shared: s.Shared * usualFitFactor}
	}
	return out
}

// FittedDraw is one of the movements that a fit allows, as far from the best one as the
// fit's values are found to be.
func FittedDraw(best, draw r3.Vec) r3.Vec {
	return r3.Add(best, r3.Scale(usualFitFactor, r3.Sub(draw, best)))
}

// FittedLimb is how well a fit to one film knows a limb on a picture.
type FittedLimb struct {
	Across float64 `json:"across"` // standard uncertainty of its worse end across the line of sight, m
	Along  float64 `json:"along"`  // and along it
	// Sharper is what would make it sharper, the cheapest first.
	Sharper []Sharper `json:"sharper"`
}

// Sharper is something to do, on a picture where there is one.
type Sharper struct {
	Says     string        `json:"says"`
	Landmark body.Landmark `json:"landmark,omitempty"` // to look at or to place
	Frame    *int          `json:"frame,omitempty"`
}

// What makes a limb's place: most of its depth comes from the camera from this share of
// it on; and it is worth a second film where its depth is so many times as open as the
// rest.
const (
	mostlyShared = 0.7
	worthASecond = 2.0
)

// FittedLimb tells how well a fit knows the limb between two points on a picture, and what
// would make it sharper.
func (s *Recording) FittedLimb(m bodyfit.Movements, camera r3.Vec, frame int, ends [2]body.Landmark) (FittedLimb, error) {
	out := FittedLimb{Sharper: []Sharper{}}
	spreads := FittedSpreads(m, s.Timeline.At(frame), camera)
	var shared float64
	for _, l := range ends {
		of, ok := spreads[l]
		if !ok {
			return out, errors.New("the fit has no such limb on this picture")
		}
		out.Across, out.Along, shared = math.Max(out.Across, of.Across), math.Max(out.Along, of.Along), math.Max(shared, of.Shared)
		name := LandmarkName(l)
		switch o, seen := s.Observations[frame][l]; {
		case !seen:
			out.Sharper = append(out.Sharper, Sharper{fmt.Sprintf("place the %s: this picture has none", name), l, &frame})
		case o.Source == Detected:
			out.Sharper = append(out.Sharper, Sharper{fmt.Sprintf("look at the %s: it was found and nobody has confirmed it", name), l, &frame})
		}
	}
	if shared > mostlyShared*out.Along {
		out.Sharper = append(out.Sharper, Sharper{Says: "mark more points of known places: where the camera stood leaves most of it open"})
	}
	if out.Along > worthASecond*out.Across {
		out.Sharper = append(out.Sharper, Sharper{Says: "a second film from the side: one camera shows little of what lies along its line of sight"})
	}
	return out, nil
}
