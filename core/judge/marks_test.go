package judge

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"neokinema/core/measure"
)

// The ten pairs of hours and test results that handbooks work Spearman's
// coefficient on: ρ = −29/165 = −0.1758 (a textbook example, from memory).
func TestRankCorrelationOfATextbook(t *testing.T) {
	iq := []float64{106, 100, 86, 101, 99, 103, 97, 113, 112, 110}
	hours := []float64{7, 27, 2, 50, 28, 29, 20, 12, 6, 17}
	if rho, ok := correlation(ranks(iq), ranks(hours)); !ok || math.Abs(rho+29.0/165) > 1e-12 {
		t.Errorf("ρ = %v, %v", rho, ok)
	}
	if got := ranks([]float64{3, 1, 3, 2}); !slices.Equal(got, []float64{3.5, 1, 3.5, 2}) {
		t.Errorf("ties share their ranks: %v", got)
	}
	if _, ok := correlation(ranks([]float64{1, 1, 1}), ranks([]float64{1, 2, 3})); ok {
		t.Error("what does not vary goes with nothing")
	}
}

func marked(n int, value func(i int) float64) []RatedAttempt {
	var out []RatedAttempt
	for i := range n {
		out = append(out, RatedAttempt{Name: fmt.Sprint("no. ", i+1), Mark: 40 + float64(i), Values: []measure.Value{{Key: "turn@down", Name: "Turn", Value: value(i)}}})
	}
	return out
}

func TestWhatGoesWithFartherMarks(t *testing.T) {
	if l := Correlations(marked(7, func(i int) float64 { return float64(i) })); len(l) != 0 {
		t.Errorf("seven attempts say %+v", l)
	}
	l := Correlations(marked(12, func(i int) float64 { return -float64(i) }))
	if len(l) != 1 || l[0].Rho != -1 || l[0].High >= 0 || l[0].Says != "the smaller the turn, the farther the marks, in 12 attempts" {
		t.Errorf("%+v", l)
	}
	// One attempt goes the other way and is named.
	l = Correlations(marked(14, func(i int) float64 {
		if i == 13 {
			return -1
		}
		return float64(i)
	}))
	if len(l) != 1 || l[0].Low <= 0 || !slices.Equal(l[0].Outliers, []string{"no. 14"}) {
		t.Errorf("%+v", l)
	}
	// What is not there is seldom found: the interval leaves zero out by chance in
	// about one of twenty.
	r := rand.New(rand.NewPCG(4, 2))
	sure := 0
	for range 1000 {
		if l := Correlations(marked(10, func(int) float64 { return r.NormFloat64() })); l[0].Sure {
			sure++
		}
	}
	if sure > 75 {
		t.Errorf("chance is taken for a link in %d of 1000", sure)
	}
}
