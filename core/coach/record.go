package coach

import (
	"cmp"
	"fmt"
	"math"
	"slices"
)

// CueTally is how often cues of one sort changed what they were meant to change.
type CueTally struct {
	Of      string  `json:"of"` // a cue, a kind of cue or a fault
	Tried   int     `json:"tried"`
	Changed int     `json:"changed"`
	Misread int     `json:"misread"`
	Worse   int     `json:"worse"`
	Low     float64 `json:"low"` // 95 % interval of the share that changed
	High    float64 `json:"high"`
	Says    string  `json:"says"`
}

// enoughTried is how often a cue must have been tried before anything is made of
// its share.
const enoughTried = 5

// Tally counts a cue record by what of gives of a line; what works most often, as
// far as is known, comes first.
func Tally(record []CueOutcome, of func(CueOutcome) string) []CueTally {
	out := []CueTally{}
	for _, t := range record {
		if t.Outcome == "" {
			continue
		}
		i := slices.IndexFunc(out, func(w CueTally) bool { return w.Of == of(t) })
		if i < 0 {
			i, out = len(out), append(out, CueTally{Of: of(t)})
		}
		w := &out[i]
		w.Tried++
		switch Outcome(t.Outcome) {
		case Changed:
			w.Changed++
		case Misread:
			w.Misread++
		case Worse:
			w.Worse++
		}
	}
	for i := range out {
		w := &out[i]
		w.Low, w.High = wilson(w.Changed, w.Tried)
		w.Says = fmt.Sprintf("changed %d of %d as meant", w.Changed, w.Tried)
		if w.Misread > 0 {
			w.Says += fmt.Sprintf(", misread %d×", w.Misread)
		}
		if w.Worse > 0 {
			w.Says += fmt.Sprintf(", worse %d×", w.Worse)
		}
		if w.Tried < enoughTried {
			w.Says += "; so few prove little"
		} else {
			w.Says += fmt.Sprintf("; that is between %.0f and %.0f in 100", 100*w.Low, 100*w.High)
		}
	}
	slices.SortStableFunc(out, func(a, b CueTally) int { return cmp.Or(cmp.Compare(b.Low, a.Low), cmp.Compare(a.Of, b.Of)) })
	return out
}

// wilson is the 95 % score interval of a share, k of n (Wilson 1927, J. Am. Stat.
// Assoc. 22).
func wilson(k, n int) (low, high float64) {
	const z = 1.959964
	p, m := float64(k)/float64(n), float64(n)
	middle, reach := p+z*z/(2*m), z*math.Sqrt(p*(1-p)/m+z*z/(4*m*m))
	return math.Max(0, (middle-reach)/(1+z*z/m)), math.Min(1, (middle+reach)/(1+z*z/m))
}
