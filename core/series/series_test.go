package series

import (
	"math"
	"testing"

	"neokinema/core/result"
)

func tries(marks ...result.Result) []Attempt {
	var out []Attempt
	for _, m := range marks {
		if m == 0 {
			out = append(out, Attempt{Foul: "outside the sector"})
			continue
		}
		out = append(out, Attempt{Mark: &m})
	}
	return out
}

// The spread is NIST's definition of the sample standard deviation: of 2, 4, 4,
// 4, 5, 5, 7, 9 it is √(32/7).
func TestASeriesIsSummedUp(t *testing.T) {
	s := Summarize(result.Distance, tries(6120, 0, 6055, 6231, 0))
	if s.Tries != 5 || s.Valid != 3 || s.Fouls != 2 || *s.Best != 6231 || *s.Mean != 6135 {
		t.Errorf("%+v", s)
	}
	if got := *Summarize(result.Distance, tries(200, 400, 400, 400, 500, 500, 700, 900)).Spread; math.Abs(got-100*math.Sqrt(32.0/7)) > 1e-9 {
		t.Errorf("spread %.4f", got)
	}
	if want := "5 attempts, best 62.31 m, mean 61.35 m, spread 0.89 m, 2 of 5 lost"; s.Says != want {
		t.Errorf("%q, want %q", s.Says, want)
	}
	// The mean of lengths rounds down, of times up, as marks do.
	if got := *Summarize(result.Time, tries(1142, 1143, 1143)).Mean; got != 1143 {
		t.Errorf("mean time %d", got)
	}
	if s := Summarize(result.Time, tries(1150, 1142)); *s.Best != 1142 {
		t.Errorf("the best time is %d", *s.Best)
	}
	if s := Summarize(result.Distance, tries(0)); s.Best != nil || s.Mean != nil || s.Says != "1 attempt, 1 of 1 lost" {
		t.Errorf("%+v", s)
	}
}

func TestTwoDaysAreComparedBesideTheirSpread(t *testing.T) {
	low, high := Summarize(result.Distance, tries(5000, 5010, 4990, 5005)), Summarize(result.Distance, tries(5200, 5210, 5190, 5205))
	for _, c := range []struct {
		kind        result.Kind
		now, before Summary
		want        string
	}{
		{result.Distance, high, low, "the mean is better: by +2.00 m ± 0.12"},
		{result.Distance, low, high, "the mean is worse: by -2.00 m ± 0.12"},
		{result.Time, low, high, "the mean is better: by -2.00 s ± 0.12"},
		{result.Distance, low, low, "no real change of the mean: by +0.00 m ± 0.12"},
		{result.Distance, Summarize(result.Distance, tries(5000)), low, ""},
	} {
		if c.kind == result.Time {
			c.now, c.before = Summarize(result.Time, tries(5000, 5010, 4990, 5005)), Summarize(result.Time, tries(5200, 5210, 5190, 5205))
		}
		if got := Against(c.kind, c.now, c.before); got != c.want {
			t.Errorf("%q, want %q", got, c.want)
		}
	}
}
