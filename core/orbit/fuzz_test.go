package orbit

import (
	"math"
	"testing"

	"gonum.org/v1/gonum/spatial/r3"
)

// Whatever path is followed, it is an orbit with numbers, or there is a reason.
func FuzzOrbit(f *testing.F) {
	f.Add(1.7, 30.0, 0.1, 1.0, 0.0)
	f.Add(0.0, 0.0, 0.0, 0.0, 0.0)
	f.Add(1e300, math.NaN(), math.Inf(1), 1e-300, -1.0)
	f.Fuzz(func(t *testing.T, r, a, b, c, d float64) {
		var path []r3.Vec
		for i := range 14 {
			s, co := math.Sincos(float64(i) / 2)
			path = append(path, r3.Vec{X: r*s + a*co*d, Y: r*co + b, Z: c * s * float64(i%3)})
		}
		for _, fit := range []func() (Orbit, error){func() (Orbit, error) { return InSpace(path) }, func() (Orbit, error) { return FromBehind(behind(path)) }} {
			o, err := fit()
			if err != nil {
				continue
			}
			for _, v := range []float64{o.Radius, o.Slope(), o.Low(true), o.High(false), o.RMS, o.Normal.X, o.Centre.Z} {
				if math.IsNaN(v) || math.IsInf(v, 0) {
					t.Errorf("an orbit of %+v", o)
				}
			}
		}
	})
}
