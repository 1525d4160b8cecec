package judge

import (
	"math"
	"strings"
	"testing"

	"neokinema/core/measure"
	"neokinema/core/playbook"
)

// throw is three turns of off, down and zero: the shoulders lead at zero, from
// which a late catch follows in the next turn, which makes them lead again.
func throw(t *testing.T) playbook.Event {
	t.Helper()
	high := func(m string) playbook.Evidence {
		return playbook.Evidence{Measure: m, Side: "high", Limit: 10, Full: 20}
	}
	e := playbook.Event{
		Variants: []playbook.Variant{{ID: "three", Repeats: map[string]int{"turn": 3}}},
		Keys:     []playbook.Key{{ID: "entry", Name: "entry"}, {ID: "off", Name: "off", Repeats: "turn"}, {ID: "down", Name: "down", Repeats: "turn"}, {ID: "zero", Name: "zero", Repeats: "turn"}, {ID: "release", Name: "release"}},
		Measures: []playbook.Measure{{ID: "open", At: []string{"entry"}}, {ID: "lead", At: []string{"zero"}}, {ID: "catch", At: []string{"down"}}, {ID: "drag", At: []string{"release"}}, {ID: "knee", At: []string{"off"}}},
		Faults: []playbook.Fault{
			{ID: "opened", Name: "Opened", Says: "it opens", At: "entry", Evidence: []playbook.Evidence{high("open@entry")}},
			{ID: "leads", Name: "Leads", Says: "it leads", At: "zero", Evidence: []playbook.Evidence{high("lead@zero")}, From: map[string]float64{"opened": 0.6, "late": 0.6}},
			{ID: "late", Name: "Late", Says: "it is late", At: "down", Evidence: []playbook.Evidence{high("catch@down")}, From: map[string]float64{"leads": 0.7}},
			{ID: "drags", Name: "Drags", Says: "it drags", At: "release", Evidence: []playbook.Evidence{high("drag@release")}, From: map[string]float64{"leads": 0.8}},
			{ID: "stiff", Name: "Stiff", Says: "it is stiff", At: "off", Evidence: []playbook.Evidence{high("knee@off#1")}},
		},
	}
	out, err := e.As("three")
	if err != nil {
		t.Fatal(err)
	}
	return out
}

func values(v map[string]float64) []measure.Value {
	var out []measure.Value
	for _, k := range []string{"open@entry", "knee@off#1", "catch@down#1", "lead@zero#1", "catch@down#2", "lead@zero#2", "catch@down#3", "lead@zero#3", "drag@release"} {
		x, ok := v[k]
		if !ok {
			x = 2
		}
		out = append(out, value(k, x, 0.5))
	}
	return out
}

func TestAFaultInEveryTurnIsOneFinding(t *testing.T) {
	for _, c := range []struct {
		name     string
		at       [3]float64
		repeat   string
		strength float64
		where    string
	}{
		{"in all, growing", [3]float64{13, 15, 18}, "in 3 turns of 3, growing", 8.0 / 15, "zero#3"},
		{"in all alike", [3]float64{15, 15, 15}, "in 3 turns of 3", 0.5, "zero#1"},
		{"in two, fading", [3]float64{18, 13, 2}, "in 2 turns of 3, fading", 0.55, "zero#1"},
		{"in one", [3]float64{2, 16, 2}, "in turn 2 of 3", 0.6, "zero#2"},
	} {
		r := Read(throw(t), Evidence{Values: values(map[string]float64{"lead@zero#1": c.at[0], "lead@zero#2": c.at[1], "lead@zero#3": c.at[2]})})
		f := finding(t, r, "leads")
		if f.State != Present || f.Repeat != c.repeat || math.Abs(f.Strength-c.strength) > 1e-9 || f.At != c.where || len(f.Rounds) != 3 {
			t.Errorf("%s: %s, %q, %v at %s", c.name, f.State, f.Repeat, f.Strength, f.At)
		}
	}
	// What is pinned to a turn is looked for there alone.
	f := finding(t, Read(throw(t), Evidence{Values: values(map[string]float64{"knee@off#1": 18})}), "stiff")
	if f.State != Present || f.At != "off#1" || len(f.Rounds) != 1 || f.Repeat != "" {
		t.Errorf("%+v", f)
	}
}

// Turns make apparent circles: the lead makes the next catch late, the late catch
// the next lead. Run forward in time, they all hang from what came first.
func TestCausesAreLookedForBeforeTheFirstTurn(t *testing.T) {
	all := map[string]float64{"open@entry": 20, "lead@zero#1": 20, "catch@down#2": 20, "lead@zero#2": 20, "catch@down#3": 20, "lead@zero#3": 20, "drag@release": 20}
	r := Read(throw(t), Evidence{Values: values(all)})
	if len(r.Roots) == 0 || r.Roots[0].Fault != "opened" {
		t.Fatalf("roots %+v", r.Roots)
	}
	// By hand, each fault counting 1 in all: the opening itself; of the leads 0.6,
	// then 0.9 of it in each later turn; of the catches 0.7 of the lead before; of
	// the drag 0.8 of the best lead.
	want := (1 + (0.6+0.9*0.6+0.81*0.6)/3 + (0.7*0.6+0.7*0.9*0.6)/2 + 0.8*0.6) / 4
	if got := r.Roots[0].Share; math.Abs(got-want) > 1e-9 {
		t.Errorf("it explains %v, want %v", got, want)
	}
	if len(r.Focuses) == 0 || r.Focuses[0].Fault != "opened" || !strings.Contains(r.Focuses[0].Why, "leads and 2 more") {
		t.Errorf("focuses %+v", r.Focuses)
	}
	delete(all, "open@entry")
	if r = Read(throw(t), Evidence{Values: values(all)}); r.Roots[0].Fault != "leads" || r.Roots[0].At != "zero#1" {
		t.Errorf("without it, roots %+v", r.Roots)
	}
	// A late catch in the first turn comes before the lead.
	all["catch@down#1"] = 20
	if r = Read(throw(t), Evidence{Values: values(all)}); r.Roots[0].Fault != "late" || r.Roots[0].At != "down#1" {
		t.Errorf("with an early late catch, roots %+v", r.Roots)
	}
}

func TestTheCoachsWordWins(t *testing.T) {
	v := values(map[string]float64{"lead@zero#1": 20, "lead@zero#2": 20, "lead@zero#3": 20})
	r := Read(throw(t), Evidence{Values: v, Overruled: map[string]Overrule{"leads": {Absent, "she is left-eyed"}, "late": {Present, "heard it"}}})
	leads, late := finding(t, r, "leads"), finding(t, r, "late")
	if leads.State != Absent || leads.Strength != 0 || leads.Overruled.Why != "she is left-eyed" {
		t.Errorf("%+v", leads)
	}
	if late.State != Present || late.Strength != saidSo || len(r.Focuses) != 1 || r.Focuses[0].Fault != "late" || !strings.Contains(r.Focuses[0].Why, "heard it") {
		t.Errorf("%+v, focuses %+v", late, r.Focuses)
	}
}

// A measure at several places is one piece of evidence: the strongest counts.
func TestTheSameMeasureTwiceIsOnePiece(t *testing.T) {
	e := chainBook()
	e.Faults[2].Evidence = []playbook.Evidence{{Measure: "m@one", Side: "high", Limit: 10, Full: 20}, {Measure: "m@two", Side: "high", Limit: 10, Full: 20}, {Measure: "n@one", Side: "high", Limit: 10, Full: 20}}
	f := finding(t, Read(e, Evidence{Values: []measure.Value{value("m@one", 2, 0.5), value("m@two", 18, 0.5), value("n@one", 14, 0.5)}}), "early")
	if f.State != Present || math.Abs(f.Strength-0.6) > 1e-9 || f.Certainty != 1 {
		t.Errorf("%+v", f)
	}
	f = finding(t, Read(e, Evidence{Values: []measure.Value{value("m@one", 2, 0.5), value("m@two", 18, 0.5)}}), "early")
	if math.Abs(f.Strength-0.8) > 1e-9 || f.Certainty != 0.5 {
		t.Errorf("without the second measure: %+v", f)
	}
}

// A worse value never lowers a fault's strength, and one more known value never
// makes a known state unknown.
func TestWorseIsNeverWeaker(t *testing.T) {
	for _, keyID := range []string{"lead@zero#2", "open@entry", "drag@release", "knee@off#1"} {
		was := -1.0
		for x := 0.0; x < 30; x += 0.5 {
			r := Read(throw(t), Evidence{Values: values(map[string]float64{keyID: x, "lead@zero#1": 14})})
			id := map[string]string{"lead@zero#2": "leads", "open@entry": "opened", "drag@release": "drags", "knee@off#1": "stiff"}[keyID]
			f := finding(t, r, id)
			sum := 0.0
			for _, one := range f.Rounds {
				sum += one.Strength
			}
			if sum < was {
				t.Fatalf("%s at %v: %v after %v", keyID, x, sum, was)
			}
			was = sum
		}
	}
	all := values(map[string]float64{"lead@zero#1": 14, "lead@zero#3": 18})
	for skip := range all {
		less := append(append([]measure.Value{}, all[:skip]...), all[skip+1:]...)
		for _, f := range Read(throw(t), Evidence{Values: less}).Findings {
			if now := finding(t, Read(throw(t), Evidence{Values: all}), f.Fault); f.State != Unsure && now.State == Unsure {
				t.Errorf("%s was %s without %s and is unknown with it", f.Fault, f.State, all[skip].Key)
			}
		}
	}
}

func TestBesideTheOwnBestAndTheLastTime(t *testing.T) {
	now := []measure.Value{value("m@one", 6, 0.5), value("m@two", 9, 0.2)}
	own := map[string]OwnRange{"m@one": {Value: 9, U: 0.5, N: 3}, "m@two": {Value: 9.1, U: 0.3, N: 3}}
	last := map[string]measure.Value{"m@one": value("m@one", 14, 0.5), "m@two": value("m@two", 8, 0.2)}
	r := Read(chainBook(), Evidence{Values: now, Own: own, Last: last})
	if !strings.HasPrefix(r.Values[0].Beside, "lower than the own best of 3") || !strings.HasPrefix(r.Values[1].Beside, "as in the own best") {
		t.Errorf("%q, %q", r.Values[0].Beside, r.Values[1].Beside)
	}
	if !strings.Contains(r.Praise[0], "came into its band: from 14.0° ± 1.0° to 6.0° ± 1.0°") {
		t.Errorf("praise %q", r.Praise)
	}
}

func BenchmarkRead(b *testing.B) {
	e := chainBook()
	for range 12 {
		e.Faults = append(e.Faults, e.Faults...)
		if len(e.Faults) > 30 {
			break
		}
	}
	for b.Loop() {
		Read(e, Evidence{Values: all(14, 17, 19)})
	}
}
