// Package series sums up the attempts of one athlete at one event: a day's, or a
// season's.
package series

import (
	"fmt"
	"math"

	"neokinema/core/result"
)

// Attempt is one attempt: its mark, or none, and how it was lost, or not.
type Attempt struct {
	Mark *result.Result
	Foul string
}

// Summary is what a series comes to. Marks are in hundredths; Mean is of the valid
// ones, rounded as the sport rounds a mark; Spread is their sample standard
// deviation.
type Summary struct {
	Tries  int            `json:"tries"`
	Valid  int            `json:"valid"`
	Fouls  int            `json:"fouls"`
	Best   *result.Result `json:"best,omitempty"`
	Mean   *result.Result `json:"mean,omitempty"`
	Spread *float64       `json:"spread,omitempty"` // of two and more
	Says   string         `json:"says"`
}

// Better tells whether one mark is better than another.
func Better(kind result.Kind, a, b result.Result) bool {
	if kind == result.Time {
		return a < b
	}
	return a > b
}

// Summarize sums up a series.
func Summarize(kind result.Kind, list []Attempt) Summary {
	s := Summary{Tries: len(list)}
	sum, square := 0.0, 0.0
	for _, t := range list {
		if t.Foul != "" {
			s.Fouls++
			continue
		}
		if t.Mark == nil {
			continue
		}
		m := *t.Mark
		s.Valid++
		sum, square = sum+float64(m), square+float64(m)*float64(m)
		if s.Best == nil || Better(kind, m, *s.Best) {
			s.Best = &m
		}
	}
	if n := float64(s.Valid); n > 0 {
		mean := result.Result(math.Floor(sum/n + 1e-9))
		if kind == result.Time {
			mean = result.Result(math.Ceil(sum/n - 1e-9))
		}
		s.Mean = &mean
		if n > 1 {
			spread := math.Sqrt(math.Max(0, square-sum*sum/n) / (n - 1))
			s.Spread = &spread
		}
	}
	s.Says = s.says(kind)
	return s
}

func (s Summary) says(kind result.Kind) string {
	out := fmt.Sprintf("%d attempt", s.Tries)
	if s.Tries != 1 {
		out += "s"
	}
	if s.Best != nil {
		out += ", best " + s.Best.Format(kind)
	}
	if s.Spread != nil {
		out += fmt.Sprintf(", mean %s, spread %.2f %s", s.Mean.Format(kind), *s.Spread/100, unit(kind))
	}
	if s.Fouls > 0 {
		out += fmt.Sprintf(", %d of %d lost", s.Fouls, s.Tries)
	}
	return out
}

func unit(kind result.Kind) string {
	if kind == result.Time {
		return "s"
	}
	return "m"
}

// Against compares two series in a sentence: what the difference of the means is
// worth beside their spread.
func Against(kind result.Kind, now, before Summary) string {
	if now.Spread == nil || before.Spread == nil {
		return ""
	}
	by := float64(*now.Mean-*before.Mean) / 100
	u := math.Sqrt(*now.Spread**now.Spread/float64(now.Valid)+*before.Spread**before.Spread/float64(before.Valid)) / 100
	word := "no real change of the mean"
	if math.Abs(by) > 2*u {
		word = "the mean is better"
		if (by > 0) == (kind == result.Time) {
			word = "the mean is worse"
		}
	}
	return fmt.Sprintf("%s: by %+.2f %s ± %.2f", word, by, unit(kind), 2*u)
}
