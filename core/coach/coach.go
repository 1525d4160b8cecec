// Package coach turns a focus into an assignment: which cue to try first, what
// the next clip must show, and when to film again.
package coach

import (
	"fmt"
	"math"
	"sort"
	"time"

	"neokinema/core/judge"
	"neokinema/core/playbook"
)

// RefilmDays is the usual time from an assignment to the next clip.
const RefilmDays = 7

// CueOutcome is one line of an athlete's cue record.
type CueOutcome struct {
	Cue     string
	Kind    string
	Fault   string
	Outcome string // changed, no change, misread, worse, or "" while open
}

// Offer is a cue with the reason for its place in the order.
type Offer struct {
	playbook.Cue
	Why string `json:"why"`
}

// Order ranks the cues of a fault for an athlete: those that worked before,
// then kinds that worked, then kinds not tried, then the rest; a cue that was
// misread or did nothing twice, or made it worse, goes last.
func Order(cues []playbook.Cue, record []CueOutcome) []Offer {
	rank := func(c playbook.Cue) (int, string) {
		worked, failed, worse, kindWorked, kindTried := 0, 0, 0, 0, 0
		for _, t := range record {
			same := t.Cue == c.ID
			switch t.Outcome {
			case "changed":
				if same {
					worked++
				}
				if t.Kind == c.Kind {
					kindWorked++
				}
			case "misread", "no change":
				if same {
					failed++
				}
			case "worse": // once is enough
				if same {
					failed, worse = failed+2, worse+1
				}
			}
			if t.Kind == c.Kind {
				kindTried++
			}
		}
		switch {
		case worse > 0:
			return 4, "made it worse for this athlete"
		case failed >= 2:
			return 4, fmt.Sprintf("misread or without effect %d times", failed)
		case worked > 0:
			return 0, fmt.Sprintf("worked for this athlete %d×", worked)
		case kindWorked > 0:
			return 1, c.Kind + " cues have worked for this athlete"
		case kindTried == 0:
			return 2, c.Kind + " cues are not tried yet"
		}
		return 3, "tried without a clear result"
	}
	type ranked struct {
		Offer
		rank int
	}
	list := make([]ranked, len(cues))
	for i, c := range cues {
		r, why := rank(c)
		list[i] = ranked{Offer{c, why}, r}
	}
	sort.SliceStable(list, func(i, j int) bool { return list[i].rank < list[j].rank })
	out := make([]Offer, len(list))
	for i, l := range list {
		out[i] = l.Offer
	}
	return out
}

// Aim is what the next clip must show: a measure that moves at least so far.
type Aim struct {
	Key       string  `json:"key"`
	Name      string  `json:"name"`
	Unit      string  `json:"unit"`
	Direction string  `json:"direction"` // lower or higher
	Now       float64 `json:"now"`
	U         float64 `json:"u"`
	Target    float64 `json:"target"`
	By        float64 `json:"by"` // the least change that would be seen as real
	Says      string  `json:"says"`
}

// MustShow says what the next clip has to show for a finding, from its
// strongest measured sign. It reports false when the fault was seen by eye
// alone.
func MustShow(e playbook.Event, f judge.Finding, values []judge.Judged) (Aim, bool) {
	best, found := Aim{}, false
	strongest := -1.0
	for _, s := range f.Signs {
		if s.State != judge.Present || s.Key == "" || s.Strength <= strongest {
			continue
		}
		for _, v := range values {
			if v.Key != s.Key {
				continue
			}
			k, _ := e.Key(v.KeyID)
			a := Aim{Key: v.Key, Name: v.Name, Unit: v.Unit, Direction: "lower", Now: v.Value.Value, U: v.U, Target: s.Limit}
			word := "or less"
			if s.Side == "low" {
				a.Direction, word = "higher", "or more"
			}
			a.By = math.Max(math.Abs(a.Now-a.Target), 2*v.U*math.Sqrt(2*(1-judge.SameFilm)))
			a.Says = fmt.Sprintf("%s at %s: from %s ± %s to %s %s", v.Name, k.Name,
				Number(a.Now, v.Unit), Number(2*v.U, v.Unit), Number(a.Target, v.Unit), word)
			best, found, strongest = a, true, s.Strength
		}
	}
	return best, found
}

// Refilm is the usual day to film again after an attempt; for one whose day has
// passed by today, it is counted from today.
func Refilm(attempt, today time.Time) time.Time {
	if day := attempt.AddDate(0, 0, RefilmDays); day.After(today) {
		return day
	}
	return today.AddDate(0, 0, RefilmDays)
}

// Number writes a value in its unit, as in 12°.
func Number(v float64, unit string) string {
	if math.Signbit(v) {
		return "−" + Number(-v, unit)
	}
	switch unit {
	case "deg":
		return fmt.Sprintf("%.0f°", v)
	case "s":
		return fmt.Sprintf("%.3f s", v)
	case "%":
		return fmt.Sprintf("%.0f %%", v)
	}
	return fmt.Sprintf("%.2f %s", v, unit)
}
