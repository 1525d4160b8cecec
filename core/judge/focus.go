package judge

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"neokinema/core/playbook"
)

// MostFocuses is how many faults an athlete can hold.
const MostFocuses = 2

// Focus is a root that is proposed to be worked on.
type Focus struct {
	Fault string `json:"fault"`
	Name  string `json:"name"`
	Why   string `json:"why"` // in a coach's sentence
	Care  string `json:"care,omitempty"`
}

// leastStrength and leastShare are below what nothing is proposed: a sign at the
// edge of its ± is shown, and not worked on.
const (
	leastStrength = 0.1
	leastShare    = 0.1
)

// propose picks the roots to work on, two at most, those that explain most
// first.
func propose(e playbook.Event, reading Reading) []Focus {
	out := []Focus{}
	for _, r := range reading.Roots {
		i := slices.IndexFunc(reading.Findings, func(f Finding) bool { return f.Fault == r.Fault })
		f := reading.Findings[i]
		if len(out) == MostFocuses || f.Strength < leastStrength || r.Share < leastShare || byFoundTimes(reading, f) {
			continue
		}
		def, _ := e.Fault(r.Fault)
		out = append(out, Focus{Fault: r.Fault, Name: r.Name, Why: why(r, f, ofWhat(reading)), Care: def.Care})
	}
	return out
}

// byFoundTimes reports whether nothing shows a fault but times from key positions that
// were found and that nobody has looked at: one wrong contact is no ground to work on.
func byFoundTimes(reading Reading, f Finding) bool {
	shown, otherwise := false, false
	for _, s := range f.Signs {
		if s.State != Present {
			continue
		}
		i := slices.IndexFunc(reading.Values, func(v Judged) bool { return v.Key == s.Key })
		if i >= 0 && reading.Values[i].FoundTime {
			shown = true
		} else {
			otherwise = true
		}
	}
	return shown && !otherwise
}

// ofWhat says of how much a share is: of what is wrong, as far as it is measured.
func ofWhat(r Reading) string {
	if r.Known < len(r.Values) {
		return fmt.Sprintf("what is seen to be wrong (%d of %d measures are known)", r.Known, len(r.Values))
	}
	return "what is wrong"
}

func why(r Root, f Finding, of string) string {
	s := cmp.Or(f.Says, f.Name)
	s = strings.ToUpper(s[:1]) + s[1:]
	if f.Repeat != "" {
		s += ", " + f.Repeat
	}
	s += "."
	switch n := len(r.Effects); {
	case n > 1:
		s += fmt.Sprintf(" It explains %.0f %% of %s, %s and %d more among it.", 100*r.Share, of, strings.ToLower(r.Effects[0].Name), n-1)
	case n == 1:
		s += fmt.Sprintf(" It explains %.0f %% of %s, %s among it.", 100*r.Share, of, strings.ToLower(r.Effects[0].Name))
	default:
		s += fmt.Sprintf(" It is %.0f %% of %s.", 100*r.Share, of)
	}
	if len(r.Behind) > 0 {
		s += " Usually behind it: " + strings.Join(r.Behind, "; ") + "."
	}
	if f.Overruled != nil {
		s += " The coach says so: " + f.Overruled.Why + "."
	}
	return s
}
