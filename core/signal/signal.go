// Package signal smooths what was followed from picture to picture without
// moving it in time, and differentiates it.
package signal

import (
	"fmt"
	"math"
)

// Filter is a second-order low-pass: b over a, in powers of one sample's delay.
type Filter struct{ B, A [3]float64 }

// Butterworth is the second-order low-pass with its −3 dB point at cutoff of
// rate, both in Hz (or both per picture).
func Butterworth(cutoff, rate float64) (Filter, error) {
	if !(cutoff > 0 && cutoff < rate/2) || math.IsInf(rate, 0) {
		return Filter{}, fmt.Errorf("a cut-off of %g Hz does not lie between 0 and half the rate of %g Hz", cutoff, rate)
	}
	w := math.Tan(math.Pi * cutoff / rate)
	n := 1 / (1 + math.Sqrt2*w + w*w)
	b := w * w * n
	return Filter{B: [3]float64{b, 2 * b, b}, A: [3]float64{1, 2 * (w*w - 1) * n, (1 - math.Sqrt2*w + w*w) * n}}, nil
}

// run filters once, starting as if x had always been at its first sample.
func (f Filter) run(x []float64) []float64 {
	y := make([]float64, len(x))
	x1, x2, y1, y2 := x[0], x[0], x[0], x[0]
	for i, v := range x {
		y[i] = f.B[0]*v + f.B[1]*x1 + f.B[2]*x2 - f.A[1]*y1 - f.A[2]*y2
		x2, x1, y2, y1 = x1, v, y1, y[i]
	}
	return y
}

// passes is what two passes do to a cut-off: the single filter's must lie
// higher, by (√2 − 1)^¼ in the warped domain.
var passes = math.Pow(math.Sqrt2-1, 0.25)

// continued is for how many periods of the cut-off the ends are continued.
const continued = 2

// Smooth filters forward and backward, so that nothing moves in time; cutoff
// is that of both passes together. The ends are continued by their mirror
// image through the end point.
func Smooth(x []float64, cutoff, rate float64) ([]float64, error) {
	if len(x) < 2 {
		return nil, fmt.Errorf("%d samples cannot be smoothed", len(x))
	}
	if !(cutoff > 0 && cutoff < rate/2) || math.IsInf(rate, 0) {
		return nil, fmt.Errorf("a cut-off of %g Hz does not lie between 0 and half the rate of %g Hz", cutoff, rate)
	}
	f, err := Butterworth(rate/math.Pi*math.Atan(math.Tan(math.Pi*cutoff/rate)/passes), rate)
	if err != nil {
		return nil, err
	}
	n := int(min(continued*rate/cutoff, float64(len(x)-1)))
	long := make([]float64, 0, len(x)+2*n)
	for i := n; i > 0; i-- {
		long = append(long, 2*x[0]-x[i])
	}
	long = append(long, x...)
	last := len(x) - 1
	for i := 1; i <= n; i++ {
		long = append(long, 2*x[last]-x[last-i])
	}
	y := reverse(f.run(reverse(f.run(long))))
	return y[n : n+len(x)], nil
}

func reverse(x []float64) []float64 {
	y := make([]float64, len(x))
	for i, v := range x {
		y[len(x)-1-i] = v
	}
	return y
}

// Rate of change by central differences, one-sided at the ends; step is the
// time between samples.
func Rate(x []float64, step float64) ([]float64, error) {
	if len(x) < 2 || step <= 0 {
		return nil, fmt.Errorf("a rate of change needs two samples and a time between them, got %d and %g", len(x), step)
	}
	v := make([]float64, len(x))
	last := len(x) - 1
	v[0], v[last] = (x[1]-x[0])/step, (x[last]-x[last-1])/step
	for i := 1; i < last; i++ {
		v[i] = (x[i+1] - x[i-1]) / (2 * step)
	}
	return v, nil
}

// Fill closes gaps (NaN) of at most most samples by straight lines, and says
// which samples it made. Longer gaps and gaps at the ends stay.
func Fill(x []float64, most int) (filled []float64, made []bool) {
	filled, made = append([]float64(nil), x...), make([]bool, len(x))
	for i := 0; i < len(x); i++ {
		if !math.IsNaN(x[i]) {
			continue
		}
		end := i
		for end < len(x) && math.IsNaN(x[end]) {
			end++
		}
		if i > 0 && end < len(x) && end-i <= most {
			for j := i; j < end; j++ {
				filled[j] = x[i-1] + (x[end]-x[i-1])*float64(j-i+1)/float64(end-i+1)
				made[j] = true
			}
		}
		i = end
	}
	return filled, made
}
