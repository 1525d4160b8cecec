package blocks

import (
	"errors"
	"math"
	"strings"
	"testing"
)

func near(t *testing.T, what string, got, want, within float64) {
	t.Helper()
	if math.IsNaN(got) || math.Abs(got-want) > within {
		t.Errorf("%s is %v, want %v", what, got, want)
	}
}

// The worked examples of the sheet, by geometry.
func TestWorkedExamples(t *testing.T) {
	for _, c := range []struct{ behind, below, knee, target, move float64 }{{0.30, 0.55, 93.5, 90, 0.0406}, {0.20, 0.62, 98.5, 95, 0.0672}} {
		l := Leg{0.43, 0.43, c.behind, c.below}
		near(t, "the knee now", l.Knee(), c.knee, 0.05)
		m, err := l.Set(c.target, 3, 0.025)
		if err != nil {
			t.Fatal(err)
		}
		near(t, "the move", m.Metres, c.move, 5e-5)
		l.Behind -= m.Metres
		near(t, "the knee afterwards", l.Knee(), c.target, 1e-9)
	}
}

func TestWholeHoles(t *testing.T) {
	l := Leg{0.43, 0.43, 0.30, 0.55}
	m, err := l.Set(90, 3.2, 0.025)
	if err != nil {
		t.Fatal(err)
	}
	if m.Holes != 2 {
		t.Errorf("%d holes, want 2 of 2.5 cm for 4.06 cm", m.Holes)
	}
	l.Behind -= 0.05
	near(t, "what two holes leave", m.Leaves, l.Knee(), 1e-9)
	back, err := Leg{0.43, 0.43, 0.30, 0.55}.Set(100, 3.2, 0.025)
	if err != nil || back.Metres >= 0 || back.Holes >= 0 {
		t.Errorf("to open the knee the pedal goes %v m, %d holes (%v)", back.Metres, back.Holes, err)
	}
}

// u of the move is the knee's through the slope, checked by moving the pedal.
func TestUncertaintyFollowsTheSlope(t *testing.T) {
	l := Leg{0.44, 0.42, 0.28, 0.58}
	const h = 1e-6
	slope := (l.knee(l.Behind+h) - l.knee(l.Behind-h)) / (2 * h)
	m, err := l.Set(l.Knee()-4, 3, 0.02)
	if err != nil {
		t.Fatal(err)
	}
	near(t, "u", m.U, 3/slope, 1e-6)
}

// An ankle ahead of the hip closes the knee the other way round.
func TestAnkleAheadOfTheHip(t *testing.T) {
	l := Leg{0.43, 0.43, -0.25, 0.58}
	m, err := l.Set(l.Knee()-3, 2, 0.02)
	if err != nil || m.Metres >= 0 {
		t.Fatalf("moved by %v (%v)", m.Metres, err)
	}
	want := l.Knee() - 3
	l.Behind -= m.Metres
	near(t, "the knee afterwards", l.Knee(), want, 1e-9)
}

func TestWhatCannotBeIsSaid(t *testing.T) {
	_, err := Leg{0.43, 0.43, 0.20, 0.62}.Set(90, 3, 0.025)
	var far OutOfReach
	if !errors.As(err, &far) || !strings.Contains(err.Error(), "lower the hips") {
		t.Fatalf("got %v", err)
	}
	near(t, "the smallest knee", far.Smallest, 92.3, 0.05)
	if _, err := (Leg{0.43, 0.43, 0.04, 0.62}).Set(95, 3, 0.025); !errors.Is(err, ErrUnderHip) {
		t.Errorf("a foot under the hip: %v", err)
	}
	for _, bad := range []Leg{{0, 0.4, 0.3, 0.5}, {0.4, -1, 0.3, 0.5}} {
		if _, err := bad.Set(95, 3, 0.025); err == nil {
			t.Errorf("%+v is solved", bad)
		}
	}
	if _, err := (Leg{0.43, 0.43, 0.3, 0.55}).Set(90, 3, 0); err == nil {
		t.Error("no hole spacing is solved")
	}
}
