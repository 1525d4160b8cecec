package runup

import (
	"math"
	"testing"
)

// tanθ = v²/(r·g), by hand: 7 m/s round 9 m is 49/88.26, 29.0°.
func TestCurveLean(t *testing.T) {
	for _, c := range [][3]float64{{7, 9, 29.038}, {6, 12, 17.009}, {0, 8, 0}} {
		got, err := CurveLean(c[0], c[1])
		if err != nil || math.Abs(got-c[2]) > 0.005 {
			t.Errorf("%v m/s round %v m leans %.3f° (%v), want %v", c[0], c[1], got, err, c[2])
		}
	}
	if _, err := CurveLean(7, 0); err == nil {
		t.Error("a curve without a radius leans")
	}
}

func TestSpeedsAndMarks(t *testing.T) {
	steps := []Step{{1.9, 0.24}, {2.1, 0.23}, {2.3, 0.235}, {2.2, 0.21}}
	v, err := Speeds(steps)
	if err != nil {
		t.Fatal(err)
	}
	for i, s := range steps {
		if math.Abs(v[i]*s.Time-s.Length) > 1e-12 {
			t.Errorf("step %d is %v m/s", i, v[i])
		}
	}
	for i, want := range []float64{8.5, 6.6, 4.5, 2.2} {
		if got := CheckMarks(steps)[i]; math.Abs(got-want) > 1e-9 {
			t.Errorf("mark %d is at %v m, want %v", i, got, want)
		}
	}
	if _, err := Speeds([]Step{{2, 0}}); err == nil {
		t.Error("a step of no time has a speed")
	}
	if len(CheckMarks(nil)) != 0 {
		t.Error("no steps have marks")
	}
}
