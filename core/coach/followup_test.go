package coach

import (
	"strings"
	"testing"

	"neokinema/core/measure"
	"neokinema/core/playbook"
)

func values(knee, hips float64) map[string]measure.Value {
	return map[string]measure.Value{
		"knee": {Key: "knee", Name: "Front knee", Unit: "deg", Value: knee, U: 2},
		"hips": {Key: "hips", Name: "Hip height", Unit: "%", Value: hips, U: 1},
	}
}

// A change counts when it is more than both ± together: here u = 2°, since the
// two clips share half of their error.
func TestWhatBecameOfACue(t *testing.T) {
	aim := Aim{Key: "knee", Name: "Front knee", Unit: "deg", Direction: "lower", Target: 105}
	cue := playbook.Cue{ID: "coil", Misread: &playbook.Misread{Text: "athlete sits back", Measure: "hips", Side: "low"}}
	for _, c := range []struct {
		name       string
		knee, hips float64 // after; before 116 and 30
		want       Outcome
		holds      bool
		says       string
	}{
		{"taken", 98, 30, Changed, true, "by −18° ± 4°"},
		{"taken, not far enough", 108, 30, Changed, false, "Changed as meant"},
		{"inside the ±", 113, 30, NoChange, false, "No real change"},
		{"just inside", 112, 30, NoChange, false, "No real change"},
		{"worse", 121, 30, Worse, false, "Worse"},
		{"misread", 116, 26, Misread, false, "the athlete sits back"},
		{"misread and worse", 122, 26, Misread, false, "Misread"},
		{"taken, and the side-effect too", 98, 26, Changed, true, "but watch: the athlete sits back"},
		{"side-effect the other way", 116, 34, NoChange, false, "No real change"},
	} {
		got := Follow(aim, cue, values(116, 30), values(c.knee, c.hips))
		if got.Outcome != c.want || got.Holds != c.holds || !strings.Contains(got.Says, c.says) {
			t.Errorf("%s: %+v", c.name, got)
		}
	}
	cue.Misread.Measure = "turn"
	before, after := values(116, 30), values(116, 30)
	for i, turn := range []string{"turn#1", "turn#2"} {
		before[turn] = measure.Value{Key: turn, Unit: "%", Value: 30, U: 1}
		after[turn] = measure.Value{Key: turn, Unit: "%", Value: 30 - 6*float64(i), U: 1}
	}
	if got := Follow(aim, cue, before, after); got.Outcome != Misread || got.Watched.Key != "turn#2" {
		t.Errorf("misread in the second turn: %+v", got)
	}
	if got := Follow(aim, cue, values(116, 30), nil); got.Outcome != Unseen {
		t.Errorf("not measured: %+v", got)
	}
}

func TestAFocusClosesWhenItHeld(t *testing.T) {
	for _, c := range []struct {
		says   string
		closes bool
		list   []FocusState
	}{
		{"three in two sessions", true, []FocusState{{"a", true}, {"b", true}, {"b", true}}},
		{"three in one session", false, []FocusState{{"a", true}, {"a", true}, {"a", true}}},
		{"two", false, []FocusState{{"a", true}, {"b", true}}},
		{"lost in between", false, []FocusState{{"a", true}, {"b", false}, {"b", true}}},
		{"lost long ago", true, []FocusState{{"a", false}, {"a", true}, {"b", true}, {"c", true}}},
	} {
		if got := Closes(c.list); got != c.closes {
			t.Errorf("%s: %v", c.says, got)
		}
	}
}
