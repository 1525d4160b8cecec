package clock

import (
	"errors"
	"fmt"
	"math"

	"gonum.org/v1/gonum/mat"
)

// Gravity is the usual acceleration of free fall, m/s².
const Gravity = 9.80665

// Measured is a capture rate with its standard uncertainty, pictures a second.
type Measured struct {
	Rate float64 `json:"rate"`
	U    float64 `json:"u"`
}

// Agree reports whether two rates may be the same: within their combined 2 u.
func (m Measured) Agree(o Measured) bool {
	return math.Abs(m.Rate-o.Rate) <= 2*math.Hypot(m.U, o.U)
}

// RateFromInterval measures the capture rate from a known interval: two changes seen
// on pictures that stand fileTime seconds apart in a file of that playback rate,
// and the real seconds between them with their standard uncertainty. A change
// is seen to within a picture: u = δ/√6 for both ends.
func RateFromInterval(fileTime, playback, real, realU Seconds) (Measured, error) {
	if fileTime <= 0 || playback <= 0 {
		return Measured{}, errors.New("the second picture must come after the first")
	}
	if real <= 0 || realU < 0 {
		return Measured{}, errors.New("say how many seconds passed between the two pictures")
	}
	rate := playback * fileTime / real
	seen := 1 / playback / math.Sqrt(6)
	return Measured{rate, rate * math.Hypot(seen/fileTime, realU/real)}, nil
}

// FreeFall is a thing in free flight: where it was on some pictures.
type FreeFall struct {
	FileTime []Seconds // of the file, not real
	Up       []float64 // height, px of the picture
	PxPerM   float64
	ScaleU   float64 // standard uncertainty of PxPerM
	MarkU    float64 // px, of one placed point
	Gravity  float64 // m/s²
}

// leastFall is how many points a parabola is fitted to at least.
const leastFall = 5

// RateFromFall measures the capture rate from free fall. A parabola is fitted to the
// whole flight by least squares; its second derivative is g·k² with k the real
// seconds in one second of the file. Air resistance is not allowed for: use
// something heavy.
func RateFromFall(f FreeFall, playback float64) (Measured, error) {
	n := len(f.FileTime)
	switch {
	case n < leastFall || len(f.Up) != n:
		return Measured{}, fmt.Errorf("place the falling thing on %d pictures or more: %d so far", leastFall, n)
	case f.PxPerM <= 0:
		return Measured{}, errors.New("a fall is measured in metres: set the scale first")
	}
	mid, half := (f.FileTime[0]+f.FileTime[n-1])/2, (f.FileTime[n-1]-f.FileTime[0])/2
	if half <= 0 {
		return Measured{}, errors.New("the pictures of the fall must follow each other")
	}
	a, y := mat.NewDense(n, 3, nil), mat.NewVecDense(n, f.Up)
	for i, t := range f.FileTime {
		x := (t - mid) / half
		a.SetRow(i, []float64{1, x, x * x})
	}
	var normal, inverse mat.Dense
	normal.Mul(a.T(), a)
	if err := inverse.Inverse(&normal); err != nil {
		return Measured{}, errors.New("the pictures of the fall must be at different times")
	}
	var right, fit, rest mat.VecDense
	right.MulVec(a.T(), y)
	fit.MulVec(&inverse, &right)
	rest.MulVec(a, &fit)
	rest.SubVec(y, &rest)
	spread := math.Max(f.MarkU, math.Sqrt(mat.Dot(&rest, &rest)/float64(n-3)))
	bend, bendU := -2*fit.AtVec(2)/(half*half), 2*spread*math.Sqrt(inverse.At(2, 2))/(half*half) // px per file second²
	if bend <= 2*bendU {
		return Measured{}, errors.New("these points do not bend as a fall does: take something that flies freely, for longer, and place it on more pictures")
	}
	k := math.Sqrt(bend / (f.Gravity * f.PxPerM))
	rate := playback / k
	return Measured{rate, rate / 2 * math.Hypot(bendU/bend, f.ScaleU/f.PxPerM)}, nil
}
