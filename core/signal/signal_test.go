package signal

import (
	"math"
	"math/rand/v2"
	"testing"
)

func near(t *testing.T, what string, got, want, within float64) {
	t.Helper()
	if math.IsNaN(got) || math.Abs(got-want) > within {
		t.Errorf("%s is %v, want %v", what, got, want)
	}
}

// Coefficients for cut-off ÷ rate = 0.1: SciPy's signal.butter(2, 0.2), from memory.
func TestButterworthCoefficients(t *testing.T) {
	f, err := Butterworth(0.1, 1)
	if err != nil {
		t.Fatal(err)
	}
	for i, want := range []float64{0.0674553, 0.1349105, 0.0674553} {
		near(t, "b", f.B[i], want, 5e-8)
	}
	for i, want := range []float64{1, -1.1429805, 0.4128016} {
		near(t, "a", f.A[i], want, 5e-8)
	}
	for _, bad := range []float64{0, -1, 0.5, 3} {
		if _, err := Butterworth(bad, 1); err == nil {
			t.Errorf("a cut-off of %v of the rate is taken", bad)
		}
	}
}

// wave is a sine of a frequency at a rate.
func wave(n int, frequency, rate float64) []float64 {
	x := make([]float64, n)
	for i := range x {
		x[i] = math.Sin(2 * math.Pi * frequency * float64(i) / rate)
	}
	return x
}

// gain is how much of a wave's height is left in the middle of it.
func gain(y []float64) float64 {
	top := 0.0
	for _, v := range y[len(y)/3 : 2*len(y)/3] {
		top = math.Max(top, math.Abs(v))
	}
	return top
}

// Both passes together let through 1/√2 at the cut-off, nearly all far below
// it, nearly nothing far above.
func TestTwoPassesHaveTheirCutOffWhereItIsSaid(t *testing.T) {
	for frequency, want := range map[float64]float64{10: math.Sqrt2 / 2, 1: 1, 80: 0} {
		y, err := Smooth(wave(4000, frequency, 240), 10, 240)
		if err != nil {
			t.Fatal(err)
		}
		near(t, "the gain", gain(y), want, 0.01)
	}
}

func TestSmoothingMovesNothingInTime(t *testing.T) {
	x := make([]float64, 201)
	for i := range x {
		x[i] = math.Exp(-math.Pow(float64(i-100)/15, 2))
	}
	y, err := Smooth(x, 8, 240)
	if err != nil {
		t.Fatal(err)
	}
	best := 0
	for i := range y {
		if y[i] > y[best] {
			best = i
		}
		near(t, "its mirror image", y[i], y[200-i], 1e-6)
	}
	if best != 100 {
		t.Errorf("the top moves from 100 to %d", best)
	}
}

func TestLinesAndEndsStay(t *testing.T) {
	x := make([]float64, 60)
	for i := range x {
		x[i] = 3 + 0.25*float64(i)
	}
	y, err := Smooth(x, 6, 240)
	if err != nil {
		t.Fatal(err)
	}
	for i := range x {
		near(t, "a point of a straight line", y[i], x[i], 0.02)
	}
}

func TestSmoothingTakesNoiseOff(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 9))
	clean := wave(600, 2, 240)
	rough := make([]float64, len(clean))
	for i := range rough {
		rough[i] = clean[i] + 0.1*r.NormFloat64()
	}
	y, err := Smooth(rough, 8, 240)
	if err != nil {
		t.Fatal(err)
	}
	var before, after float64
	for i := range clean {
		before += math.Pow(rough[i]-clean[i], 2)
		after += math.Pow(y[i]-clean[i], 2)
	}
	if after > before/8 {
		t.Errorf("of the noise's power %v, %v is left", before, after)
	}
	if _, err := Smooth([]float64{1}, 8, 240); err == nil {
		t.Error("one sample is smoothed")
	}
	if _, err := Smooth(clean, 120, 240); err == nil {
		t.Error("a cut-off at half the rate is taken")
	}
}

func TestRateOfChange(t *testing.T) {
	x := make([]float64, 40)
	for i := range x {
		at := float64(i) * 0.01
		x[i] = 2 + 3*at + 4*at*at
	}
	v, err := Rate(x, 0.01)
	if err != nil {
		t.Fatal(err)
	}
	for i := 1; i < 39; i++ {
		near(t, "the speed on a parabola", v[i], 3+8*float64(i)*0.01, 1e-9)
	}
	if _, err := Rate(x, 0); err == nil {
		t.Error("no time between samples is taken")
	}
}

func TestShortGapsAreFilledAndNamed(t *testing.T) {
	gap := math.NaN()
	y, made := Fill([]float64{gap, 1, gap, gap, 4, gap, gap, gap, 8, gap}, 2)
	for i, want := range []float64{gap, 1, 2, 3, 4, gap, gap, gap, 8, gap} {
		if math.IsNaN(want) != math.IsNaN(y[i]) || !math.IsNaN(want) && math.Abs(y[i]-want) > 1e-12 {
			t.Errorf("sample %d is %v, want %v", i, y[i], want)
		}
		if made[i] != (i == 2 || i == 3) {
			t.Errorf("sample %d said to be made: %v", i, made[i])
		}
	}
}
