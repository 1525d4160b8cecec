package pose

import "math"

// Caution widens the uncertainty of found points, which was learnt on rendered
// people, until a club's own film has calibrated it.
const Caution = 1.5

// Check is how far a found point was off where a coach looked at it.
type Check struct {
	Off    float64 // mean square along the axes, in squares of its uncertainty before any widening
	Inside bool    // along both axes within two of its uncertainties, as it was shown
	Moved  bool    // the coach did not leave it where it was
}

// NewCheck is that of a point that is x, y px off, whose uncertainty u, px, had been
// widened by a factor.
func NewCheck(x, y, u, widened float64) Check {
	const same = 0.05 // px
	off := (x*x + y*y) / 2 * sq(widened/u)
	return Check{Off: off, Inside: math.Abs(x) <= 2*u && math.Abs(y) <= 2*u, Moved: math.Hypot(x, y) > same}
}

// Widened is by how much the uncertainty of found points is to be widened, after a
// number of points that coaches looked at, which were off by a sum of Check.Off. The
// usual caution counts like prior points.
func Widened(points int, off float64) float64 {
	const prior, least = 100.0, 1.0
	return math.Max(least, math.Sqrt((prior*sq(Caution)+off)/(prior+float64(points))))
}
