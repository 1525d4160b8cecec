package bodyfit

import (
	"math"

	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
)

// Spread is how far the movements that a film allows lie about the best one at a point:
// standard deviations, m. Shared is the part of Along by which the whole body lies
// nearer or farther at once: it comes from the camera, not from the point.
type Spread struct {
	Across float64 // the line of sight, along one axis of the picture
	Along  float64 // the line of sight
	Shared float64
}

// Spreads are those of all points at a time, as a camera sees them that stands at a place;
// none before or after the movements.
func (m Movements) Spreads(t float64, camera r3.Vec) map[body.Landmark]Spread {
	best := m.Pose(m.Best, t)
	if best == nil || len(m.Draws) == 0 {
		return nil
	}
	out := make(map[body.Landmark]Spread, len(best))
	n := float64(len(m.Draws))
	for _, draw := range m.Draws {
		pose := m.Pose(draw, t)
		whole := 0.0
		along := make(map[body.Landmark]float64, len(best))
		for l, at := range best {
			off := r3.Sub(pose[l], at)
			a := r3.Dot(off, r3.Unit(r3.Sub(at, camera)))
			along[l] = a
			whole += a / float64(len(best))
			s := out[l]
			s.Along += a * a / n
			s.Across += (r3.Norm2(off) - a*a) / 2 / n
			out[l] = s
		}
		for l := range along {
			s := out[l]
			s.Shared += whole * whole / n
			out[l] = s
		}
	}
	for l, s := range out {
		out[l] = Spread{math.Sqrt(math.Max(0, s.Across)), math.Sqrt(s.Along), math.Sqrt(s.Shared)}
	}
	return out
}
