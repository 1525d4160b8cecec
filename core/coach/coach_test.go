package coach

import (
	"math"
	"strings"
	"testing"
	"time"

	"neokinema/core/judge"
	"neokinema/core/measure"
	"neokinema/core/playbook"
)

var cues = []playbook.Cue{{ID: "a", Kind: "external", Text: "A"}, {ID: "b", Kind: "picture", Text: "B"}, {ID: "c", Kind: "rhythm", Text: "C"}, {ID: "d", Kind: "external", Text: "D"}}

func order(offers []Offer) string {
	var s []string
	for _, o := range offers {
		s = append(s, o.ID)
	}
	return strings.Join(s, "")
}

func TestCuesInTheOrderToTry(t *testing.T) {
	for _, c := range []struct {
		name   string
		record []CueOutcome
		want   string
		why    string // of the first
	}{
		{"nothing tried", nil, "abcd", "external cues are not tried yet"},
		{"one worked", []CueOutcome{{Cue: "c", Kind: "rhythm", Outcome: "changed"}}, "cabd", "worked for this athlete 1×"},
		{"a kind worked", []CueOutcome{{Cue: "x", Kind: "external", Outcome: "changed"}}, "adbc", "external cues have worked for this athlete"},
		{"tried without a result", []CueOutcome{{Cue: "a", Kind: "external", Outcome: ""}}, "bcad", "picture cues are not tried yet"},
		{"misread twice", []CueOutcome{{Cue: "a", Kind: "external", Outcome: "misread"}, {Cue: "a", Kind: "external", Outcome: "no change"}}, "bcda", "picture"},
	} {
		got := Order(cues, c.record)
		if order(got) != c.want || !strings.Contains(got[0].Why, c.why) {
			t.Errorf("%s: %s because %q, want %s because %q", c.name, order(got), got[0].Why, c.want, c.why)
		}
	}
}

func attempt(v, u float64) (playbook.Event, judge.Reading) {
	limit := 105.0
	e := playbook.Event{
		Keys:     []playbook.Key{{ID: "set", Name: "set"}},
		Measures: []playbook.Measure{{ID: "knee", Name: "Knee", At: []string{"set"}, Unit: "deg", Bands: []playbook.Band{{High: &limit}}}},
		Looks:    []playbook.Look{{ID: "gap", At: "set", Text: "pressed", Off: "a gap"}},
		Faults: []playbook.Fault{
			{ID: "open", Name: "Open", At: "set", Evidence: []playbook.Evidence{{Measure: "knee@set", Side: "high", Limit: 105, Full: 117}, {Look: "gap"}}},
			{ID: "seen", Name: "Seen", At: "set", Evidence: []playbook.Evidence{{Look: "gap"}}},
		},
	}
	values := []measure.Value{{Key: "knee@set", Measure: "knee", KeyID: "set", Name: "Knee", Unit: "deg", Value: v, U: u, Missing: []measure.Missing{}}}
	return e, judge.Read(e, judge.Evidence{Values: values, Looks: judge.Looks{"gap": "off"}})
}

func TestWhatTheNextClipMustShow(t *testing.T) {
	e, r := attempt(116, 3)
	aim, ok := MustShow(e, r.Findings[0], r.Values)
	if !ok || aim.Key != "knee@set" || aim.Direction != "lower" || aim.Target != 105 {
		t.Fatalf("got %+v (%v)", aim, ok)
	}
	if math.Abs(aim.By-11) > 1e-9 {
		t.Errorf("it must move by %v, want the 11° to the limit", aim.By)
	}
	if want := "Knee at set: from 116° ± 6° to 105° or less"; aim.Says != want {
		t.Errorf("it says %q, want %q", aim.Says, want)
	}
	// Nearer to the limit than two clips can tell apart: with correlation 0.5
	// the difference of two values has u·√(2·(1 − 0.5)) = u.
	e, r = attempt(112, 3.4)
	if aim, _ := MustShow(e, r.Findings[0], r.Values); math.Abs(aim.By-7) > 1e-9 {
		t.Errorf("it must move by %v, want 7", aim.By)
	}
	e, r = attempt(113, 3.9)
	if aim, _ := MustShow(e, r.Findings[0], r.Values); math.Abs(aim.By-8) > 1e-9 {
		t.Errorf("it must move by %v, want 8", aim.By)
	}
}

func TestAFaultSeenByEyeHasNoNumberToAimAt(t *testing.T) {
	e, r := attempt(90, 1)
	for _, f := range r.Findings {
		if aim, ok := MustShow(e, f, r.Values); ok {
			t.Errorf("%s aims at %v", f.Fault, aim)
		}
	}
}

func TestRefilmIsAWeekOn(t *testing.T) {
	day := func(month time.Month, d int) time.Time { return time.Date(2026, month, d, 0, 0, 0, 0, time.UTC) }
	for _, c := range []struct {
		attempt, today time.Time
		want           string
	}{
		{day(12, 28), day(12, 28), "2027-01-04"}, {day(12, 21), day(12, 24), "2026-12-28"}, {day(6, 1), day(12, 28), "2027-01-04"},
	} {
		if got := Refilm(c.attempt, c.today).Format(time.DateOnly); got != c.want {
			t.Errorf("an attempt of %s is filmed again on %s, want %s", c.attempt.Format(time.DateOnly), got, c.want)
		}
	}
}
