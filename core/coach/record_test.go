package coach

import (
	"math"
	"strings"
	"testing"
)

// Newcombe 1998 (Stat. Med. 17, table I), Wilson's score interval, from memory.
func TestWilsonAgainstPublishedIntervals(t *testing.T) {
	for _, c := range []struct {
		k, n      int
		low, high float64
	}{{81, 263, 0.2553, 0.3662}, {15, 148, 0.0624, 0.1605}, {0, 20, 0, 0.1611}, {1, 29, 0.0061, 0.1718}} {
		if low, high := wilson(c.k, c.n); math.Abs(low-c.low) > 5e-5 || math.Abs(high-c.high) > 5e-5 {
			t.Errorf("%d of %d: %.4f to %.4f, published %.4f to %.4f", c.k, c.n, low, high, c.low, c.high)
		}
	}
}

func TestTheCueRecordIsHonestAboutSmallNumbers(t *testing.T) {
	var record []CueOutcome
	for _, o := range []string{"changed", "changed", "changed", "changed", "misread", "changed"} {
		record = append(record, CueOutcome{Cue: "coil", Kind: "picture", Fault: "knee", Outcome: o})
	}
	record = append(record, CueOutcome{Cue: "push", Kind: "external", Fault: "knee", Outcome: "changed"}, CueOutcome{Cue: "open", Kind: "internal", Fault: "knee"})
	got := Tally(record, func(t CueOutcome) string { return t.Kind })
	if len(got) != 2 || got[0].Of != "picture" || got[0].Tried != 6 || got[0].Changed != 5 || got[0].Misread != 1 {
		t.Fatalf("%+v", got)
	}
	if !strings.Contains(got[0].Says, "between 44 and 97 in 100") || !strings.Contains(got[1].Says, "prove little") {
		t.Errorf("%q, %q", got[0].Says, got[1].Says)
	}
	if all := Tally(record, func(t CueOutcome) string { return t.Fault }); len(all) != 1 || all[0].Tried != 7 {
		t.Errorf("by fault: %+v", all)
	}
}
