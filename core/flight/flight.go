// Package flight is the free flight of bodies and implements.
package flight

import (
	"errors"
	"math"
)

// G is standard gravity in m/s².
const G = 9.80665

// Rise is the height of a centre of mass after t seconds in the air, from
// height h (m) with upward speed v (m/s).
func Rise(h, v, t float64) float64 { return h + v*t - G*t*t/2 }

// TakeOffSpeed is the upward speed (m/s) that carries a body from height h0 to
// height h1 (m) in t seconds.
func TakeOffSpeed(h0, h1, t float64) (float64, error) {
	if t <= 0 {
		return 0, errors.New("a flight lasts longer than 0 s")
	}
	return (h1-h0)/t + G*t/2, nil
}

// Range is the distance (m) of a projectile without air, released at speed v
// (m/s), angle a (degrees) and height h (m) above where it lands: Lichtenberg
// & Wills 1978, Am. J. Phys. 46 (from memory).
func Range(v, a, h float64) float64 {
	s, c := math.Sincos(a * math.Pi / 180)
	return v * v / G * c * (s + math.Sqrt(s*s+2*G*h/(v*v)))
}
