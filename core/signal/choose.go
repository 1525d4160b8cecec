package signal

import (
	"fmt"
	"math"
	"slices"

	"gonum.org/v1/gonum/interp"
	"gonum.org/v1/gonum/stat"
)

// Residual is what smoothing with a cut-off takes away, as a root mean square.
type Residual struct{ Cutoff, RMS float64 }

const (
	firstCutoff = 1.0
	stepCutoff  = 0.5
	// noisy is from which share of the highest tried cut-off on what smoothing
	// takes away is noise alone.
	noisy = 0.6
	// leastSamples are too few to tell movement from noise.
	leastSamples = 30
)

// Cutoff chooses a cut-off by residual analysis (Winter, Biomechanics and Motor
// Control of Human Movement): the straight line through the residuals of high
// cut-offs, where only noise is taken away, meets cut-off 0 at the noise's own
// size; the cut-off is the one whose residual is that. The noise is returned,
// and all residuals, to be drawn.
func Cutoff(x []float64, rate float64) (cutoff, noise float64, of []Residual, err error) {
	if len(x) < leastSamples {
		return 0, 0, nil, fmt.Errorf("%d samples do not tell movement from noise, %d do", len(x), leastSamples)
	}
	most := math.Min(rate/4, 40)
	for c := firstCutoff; c <= most; c += stepCutoff {
		y, err := Smooth(x, c, rate)
		if err != nil {
			return 0, 0, nil, err
		}
		sum := 0.0
		for i := range x {
			sum += (x[i] - y[i]) * (x[i] - y[i])
		}
		of = append(of, Residual{c, math.Sqrt(sum / float64(len(x)))})
	}
	var cs, rs []float64
	for _, r := range of {
		if r.Cutoff >= noisy*most {
			cs, rs = append(cs, r.Cutoff), append(rs, r.RMS)
		}
	}
	if len(cs) < 3 {
		return 0, 0, of, fmt.Errorf("a rate of %g Hz leaves no room to choose a cut-off in", rate)
	}
	noise, _ = stat.LinearRegression(cs, rs, nil, false)
	for i, r := range of {
		if r.RMS > noise {
			continue
		}
		if i == 0 {
			return r.Cutoff, noise, of, nil
		}
		before := of[i-1]
		share := (before.RMS - noise) / (before.RMS - r.RMS)
		return before.Cutoff + share*(r.Cutoff-before.Cutoff), noise, of, nil
	}
	return most, noise, of, nil
}

// Edge is for how many samples at each end a smoothed curve rests on what was
// made up beyond it: half a period of the cut-off.
func Edge(cutoff, rate float64) int { return int(math.Ceil(rate / cutoff / 2)) }

// gain is what both passes leave of a frequency, both in cycles per sample.
func gain(f, cutoff float64) float64 {
	w := math.Tan(math.Pi*f) / (math.Tan(math.Pi*cutoff) / passes)
	return 1 / (1 + w*w*w*w)
}

// left is the share of white noise's variance that smoothing and then weigh, by
// frequency, leaves.
func left(cutoff float64, weigh func(f float64) float64) float64 {
	const n = 2000
	sum := 0.0
	for i := range n {
		f := (float64(i) + 0.5) / n / 2
		g := gain(f, cutoff) * weigh(f)
		sum += g * g / n
	}
	return sum
}

// SmoothU is the standard uncertainty of a smoothed sample whose samples each
// have u, independently.
func SmoothU(u, cutoff, rate float64) float64 {
	return u * math.Sqrt(left(cutoff/rate, func(float64) float64 { return 1 }))
}

// RateU is that of its rate of change by central differences, per second.
func RateU(u, cutoff, rate float64) float64 {
	return u * math.Sqrt(left(cutoff/rate, func(f float64) float64 { return rate * math.Sin(2*math.Pi*f) }))
}

// SmoothAt smooths samples at times (s) that need not lie evenly: they are read
// off a curve through them (Akima's) at the mean interval, smoothed, and read
// off again at their own times.
func SmoothAt(t, x []float64, cutoff float64) ([]float64, error) {
	if err := rising(t, x); err != nil {
		return nil, err
	}
	n := len(t)
	step := (t[n-1] - t[0]) / float64(n-1)
	even, err := at(t, x, func(i int) float64 { return t[0] + float64(i)*step })
	if err != nil {
		return nil, err
	}
	smooth, err := Smooth(even, cutoff, 1/step)
	if err != nil {
		return nil, err
	}
	grid := make([]float64, n)
	for i := range grid {
		grid[i] = t[0] + float64(i)*step
	}
	return at(grid, smooth, func(i int) float64 { return t[i] })
}

// RateAt is the rate of change at times that need not lie evenly, by the
// parabola through each sample and its neighbours.
func RateAt(t, x []float64) ([]float64, error) {
	if err := rising(t, x); err != nil {
		return nil, err
	}
	v, last := make([]float64, len(t)), len(t)-1
	slope := func(i int) float64 { return (x[i+1] - x[i]) / (t[i+1] - t[i]) }
	v[0], v[last] = slope(0), slope(last-1)
	for i := 1; i < last; i++ {
		a, b := t[i]-t[i-1], t[i+1]-t[i]
		v[i] = (slope(i-1)*b + slope(i)*a) / (a + b)
	}
	return v, nil
}

func at(t, x []float64, where func(i int) float64) ([]float64, error) {
	var c interp.AkimaSpline
	if err := c.Fit(t, x); err != nil {
		return nil, err
	}
	out := make([]float64, len(t))
	for i := range out {
		out[i] = c.Predict(math.Min(math.Max(where(i), t[0]), t[len(t)-1]))
	}
	return out, nil
}

func rising(t, x []float64) error {
	if len(t) != len(x) || len(t) < 3 {
		return fmt.Errorf("%d samples at %d times: at least three of each are needed", len(x), len(t))
	}
	for i := range t {
		if math.IsNaN(x[i]) || math.IsInf(x[i], 0) {
			return fmt.Errorf("sample %d is no number: close the gaps first", i)
		}
		if i > 0 && !(t[i] > t[i-1]) {
			return fmt.Errorf("time %d, %g s, does not come after the one before, %g s", i, t[i], t[i-1])
		}
	}
	return nil
}

const (
	pairs        = 3   // of neighbours, one on each side
	outlierTimes = 6.0 // standard deviations
)

// Outliers are the samples that lie off their neighbours by more than least and
// by more than six robust standard deviations of how all samples do: off the
// middles of most of the three nearest pairs around them.
func Outliers(x []float64, least float64) []int {
	off := make([]float64, len(x))
	var known []float64
	for i := range x {
		var misses []float64
		for j := 1; j <= pairs && i >= j && i+j < len(x); j++ {
			if m := (x[i-j] + x[i+j]) / 2; !math.IsNaN(m) {
				misses = append(misses, math.Abs(x[i]-m))
			}
		}
		if len(misses) >= 2 && !math.IsNaN(x[i]) {
			slices.Sort(misses)
			off[i] = misses[(len(misses)-1)/2]
			known = append(known, off[i])
		}
	}
	if len(known) == 0 {
		return nil
	}
	limit := math.Max(least, outlierTimes*1.4826*median(known))
	var out []int
	for i, o := range off {
		if o > limit {
			out = append(out, i)
		}
	}
	return out
}

func median(x []float64) float64 {
	x = slices.Sorted(slices.Values(x))
	return (x[(len(x)-1)/2] + x[len(x)/2]) / 2
}
