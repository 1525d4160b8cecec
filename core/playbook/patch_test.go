package playbook

import (
	"math"
	"reflect"
	"slices"
	"testing"
)

func TestAPatchChangesWhatItNames(t *testing.T) {
	e := good()
	p := Patch{
		Bands:  []BandChange{{"air-time", Band{Low: num(0.3), High: num(0.5), Class: Common}}, {"air-time", Band{Level: "youth", Low: num(0.1), High: num(0.5), Class: Common}}},
		Cues:   []Cue{{ID: "spring", Fault: "short", Kind: "picture", Text: "Be a flea."}, {ID: "push", Fault: "low", Kind: "external", Text: "Push the ground."}},
		Faults: []Fault{{ID: "low", Name: "Low", Says: "the hop is low", At: "down", Evidence: []Evidence{{Look: "eyes"}}}},
		Drills: []Drill{{ID: "skips", Faults: []string{"low"}, Text: "skips", Dose: "3 × 5", Growth: "3 × 6"}},
		Care:   []string{"Soft ground."},
	}
	got, err := e.With(p)
	if err != nil {
		t.Fatal(err)
	}
	if problems := got.Validate(kinds); len(problems) != 0 {
		t.Fatalf("problems: %v", problems)
	}
	b, _ := got.Measures[0].BandAt("down", Who{})
	young, _ := got.Measures[0].BandAt("down", Who{Level: "youth"})
	if *b.Low != 0.3 || *young.Low != 0.1 || len(got.Cues) != 2 || got.Cues[0].Text != "Be a flea." || len(got.Faults) != 2 || len(got.Drills) != 2 || !slices.Contains(got.Care, "Soft ground.") {
		t.Errorf("%+v", got)
	}
	// The lower edge went up by 0.1, and the evidence of a short hop with it.
	if ev := got.Faults[0].Evidence[0]; math.Abs(ev.Limit-0.3) > 1e-12 || math.Abs(ev.Full-0.2) > 1e-12 {
		t.Errorf("a short hop begins at %v", ev)
	}
	if !reflect.DeepEqual(e, good()) {
		t.Error("the shipped event has changed")
	}
	without, err := got.With(Patch{Without: []string{"low"}})
	if err != nil || len(without.Faults) != 1 || len(without.Cues) != 1 || len(without.Validate(kinds)) != 0 {
		t.Errorf("%v: faults %v, cues %v, problems %v", err, without.Faults, without.Cues, without.Validate(kinds))
	}
	if _, err := e.With(Patch{Bands: []BandChange{{Measure: "ghost"}}}); err == nil {
		t.Error("a band of no measure is taken")
	}
	if same, err := e.With(Patch{}); err != nil || !(Patch{}).Empty() || p.Empty() || len(same.Faults) != len(e.Faults) {
		t.Error("an empty patch changes something")
	}
}

func TestAgeGroups(t *testing.T) {
	for want, born := range map[string]int{"U14": 2014, "U16": 2011, "U18": 2009, "U20": 2007, "senior": 2000, "masters": 1990} {
		if got := AgeGroup(born, 2026); got != want {
			t.Errorf("born %d: %s, want %s", born, got, want)
		}
	}
}
