package judge_test

import (
	"testing"

	"neokinema/core/body"
	"neokinema/core/judge"
	"neokinema/core/measure"
	"neokinema/core/playbook"
)

// Of two values that rest on found points the open one decides; of its points, the one
// that makes most of its ±. What a coach placed is not asked for.
func TestOpenVerdictsDecideWhatIsLookedAt(t *testing.T) {
	low, high := 160.0, 175.0
	band := &playbook.Band{Low: &low, High: &high}
	value := func(id string, v float64, parts ...measure.Part) judge.Judged {
		return judge.Judged{Value: measure.Value{Key: id + "@td", Measure: id, KeyID: "td", Value: v, U: 5, Unconfirmed: true, Parts: parts}, Band: band}
	}
	part := func(l body.Landmark, u float64) measure.Part {
		return measure.Part{Name: string(l), Landmark: l, KeyID: "td", U: u}
	}
	e := playbook.Event{Faults: []playbook.Fault{{ID: "soft", Evidence: []playbook.Evidence{{Measure: "knee@td"}}}}}
	values := []judge.Judged{
		value("knee", 160, part("knee.L", 4), part("hip.L", 2), part("ankle.L", 2.2)), // as likely in as out
		value("trunk", 130, part("neck", 5)),                                          // out beyond doubt
	}
	all := func(string, body.Landmark) bool { return true }
	got := judge.Deciding(e, values, all)
	if len(got) == 0 || got[0].Landmark != "knee.L" || got[0].KeyID != "td" || got[0].Worth < 0.4 {
		t.Fatalf("the first to look at is %+v", got)
	}
	for _, p := range got {
		if p.Landmark == "neck" {
			t.Errorf("the trunk is out beyond doubt, and its neck decides: %+v", got)
		}
	}
	got = judge.Deciding(e, values, func(_ string, l body.Landmark) bool { return l != "knee.L" })
	if len(got) == 0 || got[0].Landmark == "knee.L" {
		t.Errorf("the knee is placed, and asked for: %+v", got)
	}
	values[0].Unconfirmed, values[1].Unconfirmed = false, false
	if got := judge.Deciding(e, values, all); len(got) != 0 {
		t.Errorf("all is confirmed: %+v", got)
	}
}

// A value that is read off a whole path hangs on no single point: the path is looked at
// where the value is read.
func TestAPathIsLookedAtWhereItsValueIsRead(t *testing.T) {
	e := playbook.Event{Measures: []playbook.Measure{{ID: "catch", Points: []string{"implement"}}}}
	v := judge.Judged{Value: measure.Value{Key: "catch@down#1", Measure: "catch", KeyID: "down#1", Value: 280, U: 8, Unconfirmed: true, Parts: []measure.Part{{Name: "one flat view", U: 8}}}}
	got := judge.Deciding(e, []judge.Judged{v}, func(string, body.Landmark) bool { return true })
	if len(got) != 1 || got[0].Landmark != "implement" || got[0].KeyID != "down#1" {
		t.Errorf("to be looked at: %+v", got)
	}
}

func TestOnlyAFewPointsDecide(t *testing.T) {
	var parts []measure.Part
	for _, l := range body.Paired {
		for _, side := range []string{".L", ".R"} {
			parts = append(parts, measure.Part{Landmark: body.Landmark(l + side), KeyID: "td", U: 1})
		}
	}
	v := judge.Judged{Value: measure.Value{Key: "a@td", Value: 1, U: 4, Unconfirmed: true, Parts: parts}}
	if got := judge.Deciding(playbook.Event{}, []judge.Judged{v}, func(string, body.Landmark) bool { return true }); len(got) != 8 {
		t.Errorf("%d points are to be looked at", len(got))
	}
}

// One contact that was found, and that nobody has looked at, is shown; it is no ground to
// work on a fault.
func TestFoundTimesAloneProposeNoFocus(t *testing.T) {
	limit, full := 0.14, 0.08
	e := playbook.Event{
		Keys:     []playbook.Key{{ID: "off", Name: "rear foot off"}},
		Measures: []playbook.Measure{{ID: "push", Name: "Rear push", Kind: "duration", At: []string{"off"}, Unit: "s", Bands: []playbook.Band{{Low: &limit}}}},
		Faults:   []playbook.Fault{{ID: "unloaded", Name: "Rear pedal not used", At: "off", Evidence: []playbook.Evidence{{Measure: "push@off", Side: "low", Limit: limit, Full: full}}}},
	}
	for _, found := range []bool{false, true} {
		v := measure.Value{Key: "push@off", Measure: "push", KeyID: "off", Unit: "s", Value: 0.06, U: 0.005, FoundTime: found, Unconfirmed: found}
		got := judge.Read(e, judge.Evidence{Values: []measure.Value{v}})
		if proposed := len(got.Focuses) > 0; proposed == found || got.Findings[0].State != judge.Present {
			t.Errorf("found %v: focuses %v, finding %s", found, got.Focuses, got.Findings[0].State)
		}
	}
}
