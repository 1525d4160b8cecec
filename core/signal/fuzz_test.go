package signal

import (
	"math"
	"testing"
)

// Whatever is filtered, there are numbers, or a reason.
func FuzzSmooth(f *testing.F) {
	f.Add(1.0, 2.0, 8.0, 240.0, 0.01)
	f.Add(math.NaN(), 0.0, -1.0, 0.0, 0.0)
	f.Add(1e300, -1e300, 1e-9, 1e9, math.Inf(1))
	f.Fuzz(func(t *testing.T, a, b, cutoff, rate, step float64) {
		var x, at []float64
		for i := range 40 {
			x, at = append(x, a*math.Sin(float64(i))+b), append(at, float64(i)*step+math.Abs(step)/3*math.Sin(float64(i)))
		}
		good := true
		for _, v := range x {
			good = good && math.Abs(v) < 1e200
		}
		check := func(what string, y []float64, err error) {
			if err != nil || !good {
				return
			}
			for _, v := range y {
				if math.IsNaN(v) || math.IsInf(v, 0) {
					t.Fatalf("%s gives %v", what, v)
				}
			}
		}
		y, err := Smooth(x, cutoff, rate)
		check("Smooth", y, err)
		y, err = SmoothAt(at, x, cutoff)
		check("SmoothAt", y, err)
		y, err = RateAt(at, x)
		check("RateAt", y, err)
		if c, noise, _, err := Cutoff(x, rate); err == nil && good && (math.IsNaN(c) || math.IsNaN(noise)) {
			t.Fatalf("Cutoff gives %v and %v", c, noise)
		}
	})
}
