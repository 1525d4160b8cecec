package playbook

import (
	"slices"
	"strings"
	"testing"
)

// turns is an event whose turn repeats: off and down, turn by turn, then the
// release.
func turns() Event {
	e := good()
	e.Variants = []Variant{{ID: "two", Name: "two turns", Repeats: map[string]int{"turn": 2}}, {ID: "three", Name: "three turns", Repeats: map[string]int{"turn": 3}}}
	e.Keys = []Key{
		{ID: "entry", Name: "entry", Nature: "change"},
		{ID: "off", Name: "off", Nature: "contact", Repeats: "turn", After: []string{"entry"}, Prior: []string{"down"}, Lifts: "front"},
		{ID: "down", Name: "down", Nature: "contact", Repeats: "turn", After: []string{"off"}, Lands: "front"},
		{ID: "extra", Name: "extra", Nature: "still", Variants: []string{"three"}, After: []string{"entry"}},
		{ID: "release", Name: "release", Nature: "change", After: []string{"down"}},
	}
	e.Zero = []string{"down"}
	e.Phases = []Phase{{"air", "air", "off", "down"}, {"delivery", "delivery", "down", "release"}}
	e.Measures = []Measure{{ID: "air-time", Name: "Air time", Kind: "duration", At: []string{"down"}, Stamps: []string{"off", "down"}, Unit: "s"}, {ID: "late", Name: "Late", Kind: "duration", At: []string{"extra"}, Stamps: []string{"entry", "extra"}, Unit: "s"}}
	e.Looks, e.Faults, e.Cues, e.Drills = nil, nil, nil, nil
	return e
}

func TestAnEventIsWrittenOutTurnByTurn(t *testing.T) {
	e := turns()
	if p := e.Validate(kinds); len(p) != 0 {
		t.Fatalf("it has problems: %v", p)
	}
	two, err := e.As("two")
	if err != nil {
		t.Fatal(err)
	}
	var ids, phases []string
	for _, k := range two.Keys {
		ids = append(ids, k.ID)
	}
	for _, p := range two.Phases {
		phases = append(phases, p.ID+":"+p.From+">"+p.To)
	}
	if got := strings.Join(ids, " "); got != "entry off#1 down#1 off#2 down#2 release" {
		t.Errorf("the ladder is %s", got)
	}
	if got := strings.Join(phases, " "); got != "air#1:off#1>down#1 air#2:off#2>down#2 delivery:down#2>release" {
		t.Errorf("the phases are %s", got)
	}
	if k, _ := two.Key("off#2"); !slices.Contains(k.After, "down#1") || k.Name != "off 2" {
		t.Errorf("the second turn follows %v", k.After)
	}
	if k, _ := two.Key("release"); !slices.Equal(k.After, []string{"down#2"}) {
		t.Errorf("the release follows %v", k.After)
	}
	if len(two.Measures) != 1 || !slices.Equal(two.Measures[0].At, []string{"down#1", "down#2"}) || two.Zero[0] != "down#1" {
		t.Errorf("measured: %+v, zero %v", two.Measures, two.Zero)
	}
	if bad := two.OutOfOrder(map[string]int{"off#2": 5, "down#1": 9}); len(bad) != 1 {
		t.Errorf("a second turn before the first is %v", bad)
	}
	three, err := e.As("three")
	if err != nil || len(three.Keys) != 9 || len(three.Measures) != 2 {
		t.Errorf("three turns have %d rungs, %d measures, %v", len(three.Keys), len(three.Measures), err)
	}
	if _, err := e.As("four"); err == nil {
		t.Error("four turns are written out")
	}
	if first, err := e.As(""); err != nil || len(first.Keys) != 6 {
		t.Error("without a variant it is not the first")
	}
}

func TestRepeatsThatNobodyCountsAreProblems(t *testing.T) {
	for says, spoil := range map[string]func(e *Event){
		"how often":       func(e *Event) { e.Variants[1].Repeats = nil },
		"in no variant":   func(e *Event) { e.Variants = nil },
		"does not repeat": func(e *Event) { e.Keys[1].Prior = []string{"entry"} },
		"not a variant":   func(e *Event) { e.Keys[3].Variants = []string{"nine"} },
	} {
		e := turns()
		spoil(&e)
		found := false
		for _, p := range e.Validate(kinds) {
			found = found || strings.Contains(p.Error(), says)
		}
		if !found {
			t.Errorf("%q is not found: %v", says, e.Validate(kinds))
		}
	}
}
