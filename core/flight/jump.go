package flight

import (
	"fmt"
	"math"
)

// Height is how high (m) a centre of mass rises over where it left the ground,
// when it comes down as high as it left after t seconds (Bosco's jump test),
// with the standard uncertainty that u seconds give it.
func Height(t, u float64) (h, hu float64) { return G * t * t / 8, G * t / 4 * u }

// Reach is how far (m) a centre of mass gets that leaves at speed v (m/s) and
// angle a (degrees) and comes down drop metres lower (negative: higher). It is
// Range, for landings above the take-off too.
func Reach(v, a, drop float64) (float64, error) {
	s, c := math.Sincos(a * rad)
	under := s*s + 2*G*drop/(v*v)
	if !(v > 0) || math.IsNaN(under) || under < 0 {
		return 0, fmt.Errorf("a body that leaves at %g m/s and %g° does not come to %g m over its take-off", v, a, -drop)
	}
	return v * v / G * c * (s + math.Sqrt(under)), nil
}

// Jump is where a long jumper's centre of mass, toe, heels and mark are along
// the runway, m from the line, growing toward the sand.
type Jump struct {
	Toe     float64 // at board-to; beyond the line positive
	MassOff float64 // of the centre of mass at board-to
	MassIn  float64 // at the heels' landing
	Mark    float64 // the break in the sand nearest to the line
}

// Partition are the parts of a long jump (Hay 1986, from memory): how far the
// body leans over the toe, flies, and reaches with the heels; Gap is the toe's
// distance over the line. The official mark is their sum.
type Partition struct{ TakeOff, Flight, Landing, Gap, Official float64 }

// Parts of a jump.
func (j Jump) Parts() Partition {
	return Partition{j.MassOff - j.Toe, j.MassIn - j.MassOff, j.Mark - j.MassIn, j.Toe, j.Mark}
}

// LandingLoss is how far before the parabola's own landing in the sand the mark
// lies, m; v and a are the centre of mass's speed and angle at board-to, and
// height its height over the sand there. It is negative for feet that reach
// beyond.
func (j Jump) LandingLoss(v, a, height float64) (float64, error) {
	r, err := Reach(v, a, height)
	return j.MassOff + r - j.Mark, err
}

// Spin is a body's rotation in flight: degrees turned over t seconds, as a rate
// with the standard uncertainty of an attitude known to u degrees at both ends.
func Spin(turned, t, u float64) (rate, rateU float64, err error) {
	if !(t > 0) {
		return 0, 0, fmt.Errorf("a rotation takes longer than %g s", t)
	}
	return turned / t, math.Sqrt2 * u / t, nil
}
