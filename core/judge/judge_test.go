package judge

import (
	"math"
	"reflect"
	"strings"
	"testing"

	"neokinema/core/measure"
	"neokinema/core/playbook"
)

func between(low, high float64) playbook.Band { return playbook.Band{Low: &low, High: &high} }
func atLeast(low float64) playbook.Band       { return playbook.Band{Low: &low} }
func atMost(high float64) playbook.Band       { return playbook.Band{High: &high} }

// The order of conventions: out, in, can't tell, near, all on value ± 2u.
func TestVerdictOrder(t *testing.T) {
	for _, c := range []struct {
		name     string
		value, u float64
		band     playbook.Band
		resolve  float64
		step     float64
		want     Verdict
	}{
		{"far above", 116, 3, between(88, 105), 0, 0, Out},
		{"far below", 70, 3, between(88, 105), 0, 0, Out},
		{"whole whisker inside", 96, 3, between(88, 105), 0, 0, In},
		{"straddles the top", 104, 2, between(88, 105), 0, 0, Near},
		{"straddles the bottom", 89, 2, between(88, 105), 0, 0, Near},
		{"whisker wider than the band", 96, 5, between(88, 105), 0, 0, CantTell},
		{"out though the whisker is wide", 140, 5, between(88, 105), 0, 0, Out},
		{"touches the edge from outside", 111, 3, between(88, 105), 0, 0, Near},
		{"one-sided and clear", 170, 3, atLeast(160), 10, 0, In},
		{"one-sided and short", 147, 3, atLeast(160), 10, 0, Out},
		{"one-sided straddle, sharp enough", 158, 4, atLeast(160), 10, 0, Near},
		{"one-sided straddle, too blunt", 158, 6, atLeast(160), 10, 0, CantTell},
		{"one-sided without a limit of bluntness", 158, 6, atLeast(160), 0, 0, Near},
		{"below an upper limit", 0.012, 0.002, atMost(0.03), 0.02, 0.004, In},
		{"within one picture of the edge", 0.032, 0.002, atMost(0.03), 0.02, 0.004, CantTell},
		{"a picture and more from the edge", 0.036, 0.004, atMost(0.03), 0.02, 0.004, Near},
		{"exact", 95, 0, between(88, 105), 0, 0, In},
		{"exactly on the edge", 105, 0, between(88, 105), 0, 0, In},
	} {
		if got := Of(c.value, c.u, c.band, c.resolve, c.step); got != c.want {
			t.Errorf("%s: %v, want %v", c.name, got, c.want)
		}
	}
}

// A verdict never gets surer as the ± grows.
func TestBluntnessNeverSharpens(t *testing.T) {
	rank := map[Verdict]int{In: 2, Out: 2, Near: 1, CantTell: 0}
	for value := 80.0; value < 120; value += 1.5 {
		before := 3
		for u := 0.0; u < 10; u += 0.25 {
			r := rank[Of(value, u, between(88, 105), 0, 0)]
			if r == 2 && before < 2 {
				t.Errorf("%v ± %v is sure again", value, u)
			}
			before = r
		}
	}
}

func TestSettlesNamesWhatWouldDo(t *testing.T) {
	for _, c := range []struct {
		u, step float64
		unit    string
		band    playbook.Band
		resolve float64
		says    string
	}{
		{0.008, 1.0 / 30, "s", between(0.15, 0.17), 0, "capture rate of 48 "},
		{0.001, 1.0 / 240, "s", atMost(0.03), 0.02, "one picture of the edge"},
		{5, 0, "deg", between(88, 105), 0, "± 8.5° or less"},
		{6, 0, "deg", atLeast(160), 10, "± 10.0° or less"},
		{1, 0, "deg", atLeast(160), 0, "sharper picture"},
	} {
		if got := Settles(c.u, c.step, c.unit, c.band, c.resolve); !strings.Contains(got, c.says) {
			t.Errorf("%q does not say %q", got, c.says)
		}
	}
}

func TestBandsInWords(t *testing.T) {
	for want, got := range map[string]string{
		"88–105°": Text(between(88, 105), "deg"), "160° or more": Text(atLeast(160), "deg"), "0.03 s or less": Text(atMost(0.03), "s"),
		"−0.20 to 0.00 m": Text(between(-0.2, 0), "m"), "10–40 %": Text(between(10, 40), "%"), "": Text(playbook.Band{}, "deg"),
	} {
		if got != want {
			t.Errorf("%q, want %q", got, want)
		}
	}
}

// chainBook is three faults in a row, a fourth on its own, and a habit behind.
func chainBook() playbook.Event {
	ev := func(m string) []playbook.Evidence {
		return []playbook.Evidence{{Measure: m, Side: "high", Limit: 10, Full: 20}}
	}
	return playbook.Event{
		Keys:     []playbook.Key{{ID: "one", Name: "one"}, {ID: "two", Name: "two"}, {ID: "three", Name: "three"}},
		Measures: []playbook.Measure{{ID: "m", Name: "M", At: []string{"one", "two", "three"}, Unit: "deg", Bands: []playbook.Band{atMost(10)}}, {ID: "n", Name: "N", At: []string{"one"}, Unit: "deg"}},
		Looks:    []playbook.Look{{ID: "eye", At: "one", Text: "quiet eyes", Off: "wild eyes"}},
		Faults: []playbook.Fault{
			{ID: "late", Name: "Late", At: "three", Evidence: ev("m@three"), From: map[string]float64{"middle": 0.5}},
			{ID: "middle", Name: "Middle", At: "two", Evidence: ev("m@two"), From: map[string]float64{"early": 0.8}},
			{ID: "early", Name: "Early", At: "one", Evidence: ev("m@one"), From: map[string]float64{"habit": 1}},
			{ID: "alone", Name: "Alone", At: "one", Evidence: []playbook.Evidence{{Measure: "n@one", Side: "low", Limit: 5, Full: 1}, {Look: "eye"}}},
		},
		Nodes: []playbook.Cause{{ID: "habit", Kind: "habit", Name: "an old habit"}, {ID: "fall", Kind: "outcome", Name: "a fall", From: map[string]float64{"late": 1}}},
	}
}

func value(key string, v, u float64) measure.Value {
	m, keyID, _ := strings.Cut(key, "@")
	return measure.Value{Key: key, Measure: m, KeyID: keyID, Name: strings.ToUpper(m), Unit: "deg", Value: v, U: u, Missing: []measure.Missing{}}
}

func finding(t *testing.T, r Reading, fault string) Finding {
	t.Helper()
	for _, f := range r.Findings {
		if f.Fault == fault {
			return f
		}
	}
	t.Fatalf("no finding %s", fault)
	return Finding{}
}

func TestStrengthOfEvidence(t *testing.T) {
	for _, c := range []struct {
		value, u, strength float64
		state              State
	}{
		{15, 1, 0.5, Present}, {19, 1, 0.9, Present}, {40, 1, 1, Present}, {11, 1, 0, Unsure}, {9, 1, 0, Unsure}, {7, 1, 0, Absent}, {12.5, 1, 0.25, Present},
	} {
		f := finding(t, Read(chainBook(), Evidence{Values: []measure.Value{value("m@one", c.value, c.u)}}), "early")
		if f.State != c.state || math.Abs(f.Strength-c.strength) > 1e-9 {
			t.Errorf("%v ± %v: %s with %v, want %s with %v", c.value, c.u, f.State, f.Strength, c.state, c.strength)
		}
	}
}

func TestLookForsAreEvidence(t *testing.T) {
	for _, c := range []struct {
		name      string
		values    []measure.Value
		looks     Looks
		state     State
		strength  float64
		certainty float64
	}{
		{"one look alone is not believed", nil, Looks{"eye": "off"}, Unsure, 0, 0},
		{"nor against a number", []measure.Value{value("n@one", 9, 0.2)}, Looks{"eye": "off"}, Unsure, 0, 0.5},
		{"but with one that leaves it open", []measure.Value{value("n@one", 5, 2)}, Looks{"eye": "off"}, Present, LookReliability, 0.5},
		{"good by eye, not measured", nil, Looks{"eye": "good"}, Absent, 0, 0.5},
		{"can't see", nil, Looks{"eye": "can't see"}, Unsure, 0, 0},
		{"eye and measure agree", []measure.Value{value("n@one", 3, 0.2)}, Looks{"eye": "off"}, Present, (0.5 + LookReliability) / 2, 1},
		{"measured, eye says good", []measure.Value{value("n@one", 3, 0.2)}, Looks{"eye": "good"}, Present, 0.25, 1},
		{"both good", []measure.Value{value("n@one", 9, 0.2)}, Looks{"eye": "good"}, Absent, 0, 1},
	} {
		f := finding(t, Read(chainBook(), Evidence{Values: c.values, Looks: c.looks}), "alone")
		if f.State != c.state || math.Abs(f.Strength-c.strength) > 1e-9 || math.Abs(f.Certainty-c.certainty) > 1e-9 {
			t.Errorf("%s: %s %v (certainty %v), want %s %v (%v)", c.name, f.State, f.Strength, f.Certainty, c.state, c.strength, c.certainty)
		}
	}
}

// Two looks that agree are believed without a number.
func TestTwoLooksAgree(t *testing.T) {
	e := chainBook()
	e.Looks = append(e.Looks, playbook.Look{ID: "ear", At: "one", Text: "quiet ears", Off: "wild ears"})
	f := &e.Faults[3]
	f.Evidence = append(f.Evidence, playbook.Evidence{Look: "ear"})
	for _, c := range []struct {
		looks Looks
		state State
	}{
		{Looks{"eye": "off", "ear": "off"}, Present}, {Looks{"eye": "off", "ear": "good"}, Unsure}, {Looks{"eye": "good", "ear": "good"}, Absent},
	} {
		if got := finding(t, Read(e, Evidence{Looks: c.looks}), "alone"); got.State != c.state {
			t.Errorf("%v: %s, want %s", c.looks, got.State, c.state)
		}
	}
}

func all(one, two, three float64) []measure.Value {
	return []measure.Value{value("m@one", one, 0.5), value("m@two", two, 0.5), value("m@three", three, 0.5)}
}

func TestLaterFaultsHangFromTheEarlierOne(t *testing.T) {
	r := Read(chainBook(), Evidence{Values: all(20, 20, 20)})
	if len(r.Roots) != 1 || r.Roots[0].Fault != "early" {
		t.Fatalf("roots %v", r.Roots)
	}
	root := r.Roots[0]
	// 1 for itself, 0.8 of the middle, 0.8 · 0.5 of the late one, of 3 in all.
	if math.Abs(root.Share-(1+0.8+0.4)/3) > 1e-9 {
		t.Errorf("it explains %v", root.Share)
	}
	if len(root.Effects) != 2 || root.Effects[0].Fault != "middle" || root.Effects[1].Fault != "late" || root.Effects[1].Via != "middle" {
		t.Errorf("effects %v", root.Effects)
	}
	if !reflect.DeepEqual(root.Behind, []string{"an old habit"}) || !reflect.DeepEqual(root.Leads, []string{"a fall"}) {
		t.Errorf("behind %v, leads to %v", root.Behind, root.Leads)
	}
	if !strings.Contains(r.Sentence, "Early: from it follows middle, late (explains 73 %)") {
		t.Errorf("the sentence: %s", r.Sentence)
	}
}

func TestALateFaultWithoutItsCauseStandsAlone(t *testing.T) {
	r := Read(chainBook(), Evidence{Values: all(2, 2, 20)})
	if len(r.Roots) != 1 || r.Roots[0].Fault != "late" || r.Roots[0].Share != 1 || len(r.Roots[0].Effects) != 0 {
		t.Errorf("roots %v", r.Roots)
	}
}

func TestTwoSeparateFaultsAreTwoRoots(t *testing.T) {
	r := Read(chainBook(), Evidence{Values: append(all(20, 20, 2), value("n@one", 1, 0.1)), Looks: Looks{"eye": "off"}})
	if len(r.Roots) != 2 || r.Roots[0].Fault != "early" || r.Roots[1].Fault != "alone" {
		t.Errorf("roots %v", r.Roots)
	}
}

func TestReadingIsDeterministic(t *testing.T) {
	first := Read(chainBook(), Evidence{Values: all(14, 17, 19), Looks: Looks{"eye": "off"}})
	for range 30 {
		if again := Read(chainBook(), Evidence{Values: all(14, 17, 19), Looks: Looks{"eye": "off"}}); !reflect.DeepEqual(first, again) {
			t.Fatalf("another reading of the same: %v, %v", first, again)
		}
	}
}

func TestPraiseIsTheDeepestInside(t *testing.T) {
	r := Read(chainBook(), Evidence{Values: []measure.Value{value("m@one", 9, 0.1), value("m@two", 2, 0.5), value("m@three", 4, 0.5)}, Looks: Looks{"eye": "good"}})
	if len(r.Praise) != 3 || !strings.Contains(r.Praise[0], "at two: 2.0° ± 1.0°") || !strings.Contains(r.Praise[1], "at three") || r.Praise[2] != "quiet eyes" {
		t.Errorf("praise %q", r.Praise)
	}
}

func TestNothingMeasuredSaysSo(t *testing.T) {
	open := value("m@one", 0, 0)
	open.Missing = []measure.Missing{{Kind: "stamp", What: "stamp one", ID: "one"}}
	r := Read(chainBook(), Evidence{Values: []measure.Value{open}})
	if r.Values[0].Verdict != Missing || !strings.Contains(r.Sentence, "Nothing is measured yet") || len(r.Roots) != 0 || len(r.Praise) != 0 {
		t.Errorf("got %+v", r)
	}
	r = Read(chainBook(), Evidence{Values: []measure.Value{open, value("m@two", 2, 0.1)}})
	if !strings.Contains(r.Sentence, "1 measure still lacks something") {
		t.Errorf("the sentence: %s", r.Sentence)
	}
}

// The own best's range stands for the band: as many edges, about the mean, as
// wide as the attempts spread.
func TestTheOwnBestMakesABand(t *testing.T) {
	o := OwnRange{Value: 97, U: 1, N: 4} // the four spread by 2
	if b := o.Range(between(88, 105)); *b.Low != 93 || *b.High != 101 || b.Source != "own best of 4 attempts" {
		t.Errorf("of two sides: %v to %v, %s", *b.Low, *b.High, b.Source)
	}
	if b := o.Range(atLeast(160)); *b.Low != 93 || b.High != nil {
		t.Errorf("of one side: %+v", b)
	}
}
