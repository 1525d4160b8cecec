package signal

import (
	"encoding/json"
	"math"
	"math/rand/v2"
	"os"
	"slices"
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

// height is how much of a wave's height is left in the middle of it.
func height(y []float64) float64 {
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
		near(t, "the gain", height(y), want, 0.01)
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

// SciPy's butter and filtfilt with odd padding: testdata/golden.py.
func TestSmoothAgreesWithSciPy(t *testing.T) {
	raw, err := os.ReadFile("testdata/filtfilt.json")
	if err != nil {
		t.Fatal(err)
	}
	var golden struct {
		Rate  float64
		X     []float64
		Cases []struct {
			Cutoff  float64
			B, A, Y []float64
		}
	}
	if err := json.Unmarshal(raw, &golden); err != nil {
		t.Fatal(err)
	}
	for _, c := range golden.Cases {
		y, err := Smooth(golden.X, c.Cutoff, golden.Rate)
		if err != nil {
			t.Fatal(err)
		}
		for i := range y {
			near(t, "a smoothed sample", y[i], c.Y[i], 1e-7)
		}
	}
}

// A made-up path with noise: the cut-off that residuals choose leaves less error
// than cut-offs of a half and the double, and the noise is told.
func TestResidualsChooseACutOff(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 2))
	for _, noise := range []float64{0.01, 0.04} {
		clean, x := make([]float64, 480), make([]float64, 480)
		for i := range x {
			at := float64(i) / 240
			clean[i] = math.Sin(2*math.Pi*1.5*at) + 0.2*math.Sin(2*math.Pi*4*at+1)
			x[i] = clean[i] + noise*r.NormFloat64()
		}
		c, told, of, err := Cutoff(x, 240)
		if err != nil {
			t.Fatal(err)
		}
		near(t, "the noise", told, noise, 0.15*noise)
		miss := func(cutoff float64) (sum float64) {
			y, err := Smooth(x, cutoff, 240)
			if err != nil {
				t.Fatal(err)
			}
			for i := range y {
				sum += math.Pow(y[i]-clean[i], 2)
			}
			return sum
		}
		if len(of) < 20 || miss(c) > miss(c/2) || miss(c) > miss(4*c) {
			t.Errorf("noise %v: a cut-off of %.1f Hz misses by %v, half of it %v, four times %v", noise, c, miss(c), miss(c/2), miss(4*c))
		}
	}
	if _, _, _, err := Cutoff(make([]float64, 10), 240); err == nil {
		t.Error("ten samples choose a cut-off")
	}
}

// The uncertainty of smoothed noise and of its rate of change is the spread that
// noise has.
func TestSmoothedUncertaintyIsTheSpread(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	const rate, u = 240.0, 0.5
	for _, cutoff := range []float64{6, 12, 25} {
		x := make([]float64, 60000)
		for i := range x {
			x[i] = u * r.NormFloat64()
		}
		y, err := Smooth(x, cutoff, rate)
		if err != nil {
			t.Fatal(err)
		}
		v, err := Rate(y, 1/rate)
		if err != nil {
			t.Fatal(err)
		}
		var yy, vv float64
		for i := range y {
			yy, vv = yy+y[i]*y[i], vv+v[i]*v[i]
		}
		n := float64(len(y))
		near(t, "u of a smoothed sample", SmoothU(u, cutoff, rate)/math.Sqrt(yy/n), 1, 0.04)
		near(t, "u of a rate", RateU(u, cutoff, rate)/math.Sqrt(vv/n), 1, 0.04)
	}
}

// A film of variable rate is smoothed as one of an even rate is.
func TestUnevenTimes(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 1))
	at, x := make([]float64, 300), make([]float64, 300)
	now := 0.0
	for i := range at {
		at[i], x[i] = now, math.Sin(2*math.Pi*2*now)
		now += (0.8 + 0.4*r.Float64()) / 120
	}
	y, err := SmoothAt(at, x, 15)
	if err != nil {
		t.Fatal(err)
	}
	v, err := RateAt(at, y)
	if err != nil {
		t.Fatal(err)
	}
	edge := Edge(15, 120)
	for i := edge; i < len(at)-edge; i++ {
		near(t, "a smoothed sample", y[i], x[i], 0.01)
		near(t, "its rate", v[i], 4*math.Pi*math.Cos(2*math.Pi*2*at[i]), 0.15)
	}
	for i := range at { // a parabola's rate is exact whatever the times
		x[i] = 1 + 2*at[i] + 3*at[i]*at[i]
	}
	if v, err = RateAt(at, x); err != nil {
		t.Fatal(err)
	}
	near(t, "the rate on a parabola", v[150], 2+6*at[150], 1e-9)
	for name, bad := range map[string][2][]float64{
		"times that fall": {{0, 1, 0.5}, {0, 0, 0}}, "NaN": {{0, 1, 2}, {0, math.NaN(), 0}}, "two": {{0, 1}, {0, 1}}, "unlike": {{0, 1, 2}, {0, 1}},
	} {
		if _, err := SmoothAt(bad[0], bad[1], 5); err == nil {
			t.Errorf("%s are smoothed", name)
		}
	}
}

func TestOutliersAreNamed(t *testing.T) {
	x := wave(120, 1.5, 120)
	x[40] += 0.8
	x[41] = math.NaN()
	x[90] -= 0.5
	if got := Outliers(x, 0.1); !slices.Equal(got, []int{40, 90}) {
		t.Errorf("the outliers are %v", got)
	}
	if got := Outliers(wave(120, 1.5, 120), 0.1); len(got) > 0 {
		t.Errorf("a clean wave has outliers %v", got)
	}
}

func benchmarkSmooth(b *testing.B, n int) {
	x := wave(n, 2, 240)
	for b.Loop() {
		if _, err := Smooth(x, 8, 240); err != nil {
			b.Fatal(err)
		}
	}
	b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/float64(n), "ns/sample")
}

func BenchmarkSmooth600(b *testing.B)   { benchmarkSmooth(b, 600) }
func BenchmarkSmooth6000(b *testing.B)  { benchmarkSmooth(b, 6000) }
func BenchmarkSmooth60000(b *testing.B) { benchmarkSmooth(b, 60000) }
