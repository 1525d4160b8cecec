// Package runup plans and reads approaches: steps, their speed, and the curve
// of a high jump.
package runup

import (
	"fmt"
	"math"

	"neokinema/core/flight"
)

// CurveLean is the lean toward the centre, degrees from the vertical, that a
// curve of radius r (m) asks for at speed v (m/s): tanθ = v²/(r·g).
func CurveLean(v, r float64) (float64, error) {
	if r <= 0 {
		return 0, fmt.Errorf("a curve's radius is more than 0 m, not %g", r)
	}
	return math.Atan(v*v/(r*flight.G)) * 180 / math.Pi, nil
}

// Step is one step of an approach.
type Step struct {
	Length float64 // m, toe to toe
	Time   float64 // s, touchdown to touchdown
}

// Speeds are the mean speeds of steps, m/s.
func Speeds(steps []Step) ([]float64, error) {
	out := make([]float64, len(steps))
	for i, s := range steps {
		if s.Time <= 0 {
			return nil, fmt.Errorf("step %d lasts %g s: look at its stamps", i+1, s.Time)
		}
		out[i] = s.Length / s.Time
	}
	return out, nil
}

// CheckMarks are the distances (m) back from the take-off toe at which each step
// begins, the farthest first: where to lay a tape for a run of these steps.
func CheckMarks(steps []Step) []float64 {
	out := make([]float64, len(steps))
	sum := 0.0
	for i := len(steps) - 1; i >= 0; i-- {
		sum += steps[i].Length
		out[i] = sum
	}
	return out
}
