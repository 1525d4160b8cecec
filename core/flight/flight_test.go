package flight

import (
	"math"
	"testing"
)

func near(t *testing.T, what string, got, want, within float64) {
	t.Helper()
	if math.IsNaN(got) || math.Abs(got-want) > within {
		t.Errorf("%s is %v, want %v", what, got, want)
	}
}

func TestRiseIsAParabola(t *testing.T) {
	near(t, "the top of a 3 m/s jump", Rise(1, 3, 3/G), 1+9/(2*G), 1e-12)
	near(t, "back at take-off height", Rise(1, 3, 6/G), 1, 1e-12)
	// h = g·t²/8 for a flight of t between equal heights (Bosco jump test).
	const flight = 0.5
	near(t, "height from flight time", Rise(0, G*flight/2, flight/2), G*flight*flight/8, 1e-12)
}

func TestTakeOffSpeedUndoesRise(t *testing.T) {
	for _, v := range []float64{-0.4, 0, 0.7, 3.2} {
		for _, d := range []float64{0.05, 0.3, 0.9} {
			got, err := TakeOffSpeed(0.95, Rise(0.95, v, d), d)
			if err != nil {
				t.Fatal(err)
			}
			near(t, "the speed", got, v, 1e-9)
		}
	}
	if _, err := TakeOffSpeed(1, 1, 0); err == nil {
		t.Error("a flight of no time has a take-off speed")
	}
}

// R = v²/g · cosθ (sinθ + √(sin²θ + 2gh/v²)): Linthorne 2001, J. Sports Sci. 19,
// from memory. On level ground it is v²/g · sin 2θ; and it is held against a
// step-by-step flight.
func TestRange(t *testing.T) {
	near(t, "45° on level ground", Range(10, 45, 0), 100/G, 1e-9)
	near(t, "30° on level ground", Range(10, 30, 0), 100/G*math.Sin(math.Pi/3), 1e-9)
	for _, c := range []struct{ v, a, h float64 }{{13.5, 37, 2.1}, {9, 41, 1.8}, {5, 10, 1}, {12, 0, 2}} {
		s, cos := math.Sincos(c.a * math.Pi / 180)
		x, y, vy := 0.0, c.h, c.v*s
		const dt = 1e-5
		for y > 0 {
			x += c.v * cos * dt
			y += vy*dt - G*dt*dt/2
			vy -= G * dt
		}
		near(t, "the range", Range(c.v, c.a, c.h), x, 2e-3)
	}
	// tanθ* = v/√(v² + 2gh): Lichtenberg & Wills 1978, Am. J. Phys. 46, from memory.
	best, at := 0.0, 0.0
	for a := 30.0; a < 50; a += 0.01 {
		if r := Range(13, a, 2.2); r > best {
			best, at = r, a
		}
	}
	near(t, "the best angle", at, math.Atan(13/math.Sqrt(169+2*G*2.2))*180/math.Pi, 0.02)
}
