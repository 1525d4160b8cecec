package signal

import (
	"errors"
	"fmt"
	"math"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/spatial/r2"
)

// Onset is an instant at which a path begins to leave its course, with its
// standard uncertainty.
type Onset struct{ T, U float64 }

const (
	// leastCourse is how many points of a path must lie on its course, leastOff
	// how many beyond the onset.
	leastCourse, leastOff = 3, 2
	// fine is into how many parts the time between two points is divided.
	fine = 8
)

// Departs is where a path leaves its course: a polynomial of a degree in time
// (0 for rest, 1 for an even way, 2 for free flight) up to the onset, and from
// there on a departure besides, that grows either evenly or with the square of
// the time, whichever fits better. Times must rise; u is the points' standard
// uncertainty. It is regression in two phases, joined at the onset (Hinkley
// 1971, J. Am. Stat. Assoc. 66:736–743): the onset with the least squares is
// found by trying, its uncertainty from how fast they grow about it.
func Departs(t []float64, p []r2.Vec, u float64, degree int) (Onset, error) {
	if err := rising(t, make([]float64, len(p))); err != nil {
		return Onset{}, err
	}
	course := leastCourse + degree
	n := len(t)
	if n < course+leastOff {
		return Onset{}, fmt.Errorf("an onset needs %d points or more, there are %d", course+leastOff, n)
	}
	y := mat.NewDense(n, 2, nil)
	for i, q := range p {
		if math.IsNaN(q.X + q.Y) {
			return Onset{}, fmt.Errorf("point %d is lost", i)
		}
		y.SetRow(i, []float64{q.X, q.Y})
	}
	step := (t[n-1] - t[0]) / float64(n-1) / fine
	var at, miss []float64
	best := 0
	for when := t[course-1]; when <= t[n-leastOff]; when += step {
		m := math.Inf(1)
		for power := 1; power <= 2; power++ {
			m = math.Min(m, missed(t, y, when, degree, power))
		}
		at, miss = append(at, when), append(miss, m)
		if m < miss[best] {
			best = len(miss) - 1
		}
	}
	if len(at) == 0 || best == 0 && len(at) > 1 || best == len(at)-1 {
		return Onset{}, errors.New("the path leaves its course before or after the points given")
	}
	variance := math.Max(u*u, miss[best]/float64(max(1, 2*(n-degree-2)-1)))
	low, high := best, best
	for low > 0 && miss[low] < miss[best]+variance {
		low--
	}
	for high < len(at)-1 && miss[high] < miss[best]+variance {
		high++
	}
	return Onset{at[best], math.Max((at[high]-at[low])/2, step)}, nil
}

// missed is the sum of squares left by a course with a departure from an
// instant on.
func missed(t []float64, y *mat.Dense, when float64, degree, power int) float64 {
	n := len(t)
	m := mat.NewDense(n, degree+2, nil)
	for i, x := range t {
		s := x - when
		for k := 0; k <= degree; k++ {
			m.Set(i, k, math.Pow(s, float64(k)))
		}
		if s > 0 {
			m.Set(i, degree+1, math.Pow(s, float64(power)))
		}
	}
	var c, fit mat.Dense
	if c.Solve(m, y) != nil {
		return math.Inf(1)
	}
	fit.Mul(m, &c)
	fit.Sub(y, &fit)
	norm := mat.Norm(&fit, 2)
	return norm * norm
}
