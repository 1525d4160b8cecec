package breakdown_test

import (
	"encoding/json"
	"errors"
	"maps"
	"math"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"neokinema/core/breakdown"
	"neokinema/core/playbook"
	"neokinema/core/result"
)

// long is an event with one of each thing that commands name.
var long = playbook.Event{
	ID: "long", Name: "Long jump", Views: []string{"side"},
	Keys:   []playbook.Key{{ID: "set", Name: "Set"}, {ID: "off", Name: "Take-off"}},
	Looks:  []playbook.Look{{ID: "eyes"}},
	Faults: []playbook.Fault{{ID: "low"}, {ID: "late"}, {ID: "short"}},
	Watch:  []playbook.Pass{{Name: "Real"}, {Name: "Slow"}},
	Mark:   playbook.ResultRule{Kind: result.Distance, Most: 10, Fouls: []string{"over the line"}},
}

func start() (breakdown.Breakdown, breakdown.Facts) {
	b := breakdown.Breakdown{
		Film:   &breakdown.Film{Ready: true, Width: 1280, Height: 720, First: 100, Frames: 50, CaptureRate: 240, RateSource: "chosen", View: "side"},
		Stamps: map[string]int{"set": 110}, Looks: map[string]string{"eyes": "good"}, Notes: map[string]string{"first": "quick"},
		Landmarks:   []breakdown.Landmark{{Frame: 110, Name: "hip.L", X: 500, Y: 300, Source: breakdown.Placed, Confidence: 1}},
		Assignments: []breakdown.Assignment{{Fault: "late", Cue: "wait", Words: "wait for it", Refilm: time.Date(2026, 5, 21, 0, 0, 0, 0, time.UTC)}},
		Focuses:     []breakdown.Focus{{Fault: "late", Why: "first"}}, Overruled: map[string]breakdown.Overrule{}, FollowUps: []breakdown.FollowUp{},
	}
	return b, breakdown.Facts{
		Event: long, Day: time.Date(2026, 5, 1, 0, 0, 0, 0, time.UTC), Followings: []string{"run"},
		Given: []breakdown.Given{{Of: "before", Fault: "low", Cue: "tall"}},
	}
}

var (
	on, off = 120, 130
	why     = "it comes first"
	verdict = "off"
	words   = "long last step"
	outcome = "changed"
	day     = "2026-05-20"
	run     = "run"
	effort  = 90
	metres  = 12.0
	rate    = 480.0
	right   = true
	at      = breakdown.Spot{X: 400, Y: 200}
	far     = breakdown.Spot{X: 700, Y: 210}
)

// good is a command of each kind that can be done on start.
var good = []breakdown.Command{
	&breakdown.Stamp{KeyID: "off", Frame: &on},
	&breakdown.Stamp{KeyID: "set"},
	&breakdown.Stamps{Stamps: map[string]*int{"set": nil, "off": &off}},
	&breakdown.RejectedProposals{KeyIDs: []string{"off"}},
	&breakdown.PlaceLandmark{Frame: 110, Landmark: "hip.L", At: &at},
	&breakdown.PlaceLandmark{Frame: 110, Landmark: "hip.L"},
	&breakdown.PlaceLandmarks{Points: []breakdown.Point{{Frame: 111, Name: "knee.R", At: &far}, {Frame: 110, Name: "hip.L"}}},
	&breakdown.SetScale{Scale: &breakdown.ScaleLine{A: at, B: far, Metres: 3, What: "rods"}},
	&breakdown.SetLevel{Level: &breakdown.LevelLine{A: at, B: far}},
	&breakdown.SetOrigin{Origin: &breakdown.Origin{At: at, Frame: &on}},
	&breakdown.SetKnownInterval{KnownInterval: &breakdown.KnownInterval{From: 110, To: 120, Seconds: 0.5, U: 0.01}},
	&breakdown.SetRamp{Ramp: &breakdown.Ramp{From: 110, To: 120}},
	&breakdown.SetSubject{Subject: &breakdown.Subject{Frame: 110, A: at, B: breakdown.Spot{X: 500, Y: 400}}},
	&breakdown.SetRepeats{Repeats: &breakdown.Repeats{Frame: 110, Landmark: "knee.L", Points: []breakdown.Spot{at, at, at, far, far}}},
	&breakdown.SetControlPoints{ControlPoints: []breakdown.ControlPoint{{Name: "corner", At: [3]float64{1, 2, 0}, Px: at, Frame: 110}}},
	&breakdown.SetDistance{Distance: &metres},
	&breakdown.UseFollowing{Following: &run},
	&breakdown.SetRate{Rate: &rate, RateSource: "chosen"},
	&breakdown.SetView{View: "side", Rightward: &right},
	&breakdown.SetLook{Look: "eyes", Verdict: &verdict},
	&breakdown.SetLook{Look: "eyes"},
	&breakdown.SetNote{Note: "good", Words: &words},
	&breakdown.SetFocus{Fault: "low", Why: &why},
	&breakdown.SetFocus{Fault: "late"},
	&breakdown.SetOverrule{Fault: "low", Overrule: &breakdown.Overrule{State: "present", Why: "seen from the front"}},
	&breakdown.Assign{Fault: "low", Assignment: &breakdown.AssignmentRequest{Cue: "tall", Words: "run tall", Refilm: "2026-05-28"}},
	&breakdown.Assign{Fault: "late"},
	&breakdown.CloseFocus{Fault: "late", Closed: &day},
	&breakdown.SetFollowUp{Of: "before", Fault: "low", Outcome: &outcome},
	&breakdown.SetResult{Result: &breakdown.ResultEntry{Text: "6.12"}},
	&breakdown.SetDetails{Details: breakdown.Details{Effort: &effort}},
	&breakdown.NotInFilm{KeyIDs: []string{"off"}},
	&breakdown.Watched{Passes: []string{"Real"}},
}

func text(t *testing.T, v any) string {
	t.Helper()
	data, err := json.Marshal(v)
	if err != nil {
		t.Fatal(err)
	}
	return string(data)
}

// Every kind of command changes the breakdown, and its inverse sets all of it
// back; the breakdown that it was made on stays as it was.
func TestEveryCommandIsTakenBackWhole(t *testing.T) {
	done := map[string]bool{}
	for _, c := range good {
		done[c.Kind()] = true
		b, f := start()
		before := text(t, b)
		after, inverse, err := breakdown.Do(b, f, c)
		if err != nil {
			t.Fatalf("%s: %v", c.Kind(), err)
		}
		if text(t, b) != before {
			t.Errorf("%s changed the breakdown that it was made on", c.Kind())
		}
		if text(t, after) == before {
			t.Errorf("%s changed nothing: %s", c.Kind(), text(t, c))
		}
		stored, err := breakdown.Decode(inverse.Kind(), []byte(text(t, inverse)))
		if err != nil {
			t.Fatal(err)
		}
		back, again, err := breakdown.Repeat(after, f, stored)
		if err != nil {
			t.Fatalf("taking %s back: %v", c.Kind(), err)
		}
		if got := text(t, back); got != before {
			t.Errorf("%s taken back is\n%s, not\n%s", c.Kind(), got, before)
		}
		if redone, _, err := breakdown.Repeat(back, f, again); err != nil || text(t, redone) != text(t, after) {
			t.Errorf("%s done again is %s, %v", c.Kind(), text(t, redone), err)
		}
	}
	for _, kind := range breakdown.Kinds() {
		if !done[kind] {
			t.Errorf("no command of the kind %q was tried", kind)
		}
	}
}

func TestRefusalsSayWhatIsWrong(t *testing.T) {
	outside := breakdown.Spot{X: 1400, Y: 10}
	steep := breakdown.Spot{X: 400, Y: 500}
	zero, lost := 0.0, "lost"
	for says, c := range map[string]breakdown.Command{
		"this clip has 100 to 149":       &breakdown.Stamp{KeyID: "set", Frame: new(150)},
		"not in the playbook of the":     &breakdown.Stamp{KeyID: "moon", Frame: &on},
		"outside the picture":            &breakdown.PlaceLandmark{Frame: 110, Landmark: "hip.L", At: &outside},
		"\"wing.L\" is not":              &breakdown.PlaceLandmark{Frame: 110, Landmark: "wing.L", At: &at},
		"use a longer one":               &breakdown.SetScale{Scale: &breakdown.ScaleLine{A: at, B: at, Metres: 3}},
		"a known length lies between":    &breakdown.SetScale{Scale: &breakdown.ScaleLine{A: at, B: far}},
		"stands 90° off":                 &breakdown.SetLevel{Level: &breakdown.LevelLine{A: at, B: steep}},
		"far outside":                    &breakdown.SetOrigin{Origin: &breakdown.Origin{At: breakdown.Spot{X: 9000}}},
		"must come after":                &breakdown.SetRamp{Ramp: &breakdown.Ramp{From: 120, To: 110}},
		"round the whole athlete":        &breakdown.SetSubject{Subject: &breakdown.Subject{Frame: 110, A: at, B: at}},
		"the same joint 5 times":         &breakdown.SetRepeats{Repeats: &breakdown.Repeats{Frame: 110, Landmark: "knee.L", Points: []breakdown.Spot{at}}},
		"a name of its own":              &breakdown.SetControlPoints{ControlPoints: []breakdown.ControlPoint{{Name: "a", Px: at, Frame: 110}, {Name: "a", Px: at, Frame: 110}}},
		"camera's distance":              &breakdown.SetDistance{Distance: &zero},
		"were not followed":              &breakdown.UseFollowing{Following: &lost},
		"how many pictures a second":     &breakdown.SetRate{},
		"direction of travel":            &breakdown.SetView{View: "side"},
		"good, off or can't see":         &breakdown.SetLook{Look: "eyes", Verdict: &words},
		"no note \"third\"":              &breakdown.SetNote{Note: "third"},
		"why you say so":                 &breakdown.SetOverrule{Fault: "low", Overrule: &breakdown.Overrule{State: "present"}},
		"in the athlete's words":         &breakdown.Assign{Fault: "low", Assignment: &breakdown.AssignmentRequest{Refilm: "2026-05-28"}},
		"is not a day":                   &breakdown.Assign{Fault: "low", Assignment: &breakdown.AssignmentRequest{Words: "x", Refilm: "soon"}},
		"no assignment for that fault":   &breakdown.CloseFocus{Fault: "low", Closed: &day},
		"no cue for that fault":          &breakdown.SetFollowUp{Of: "never", Fault: "low", Outcome: &outcome},
		"among the ways in which":        &breakdown.SetResult{Result: &breakdown.ResultEntry{Foul: "rain"}},
		"the mark, or how it was lost":   &breakdown.SetResult{},
		"between 1 and 1000 hundredths":  &breakdown.SetResult{Result: &breakdown.ResultEntry{Mark: new(1001)}},
		"a share of the full one":        &breakdown.SetDetails{Details: breakdown.Details{Effort: new(200)}},
		"a wind of 99.0 m/s is not beli": &breakdown.SetDetails{Details: breakdown.Details{Wind: new(99.0)}},
	} {
		b, f := start()
		_, _, err := breakdown.Do(b, f, c)
		var refused breakdown.Invalid
		if !errors.As(err, &refused) || !strings.Contains(err.Error(), says) {
			t.Errorf("%s %s says %v, not %q", c.Kind(), text(t, c), err, says)
		}
	}
}

// What was allowed when it was stored may be stored again, though the rules for
// new content grew stricter; what the moment forbids stays forbidden.
func TestHistoryIsAskedOnlyWhetherTheMomentAllowsIt(t *testing.T) {
	b, f := start()
	if _, _, err := breakdown.Repeat(b, f, &breakdown.SetScale{Scale: &breakdown.ScaleLine{A: at, B: at, Metres: -1}}); err != nil {
		t.Errorf("an old length is refused: %v", err)
	}
	f.Pain = "Ilse has an open pain note"
	if _, _, err := breakdown.Repeat(b, f, good[25]); err == nil || !strings.Contains(err.Error(), "no work is assigned") {
		t.Errorf("work over an open pain note: %v", err)
	}
	b.Focuses = []breakdown.Focus{{Fault: "late"}, {Fault: "short"}}
	if _, _, err := breakdown.Repeat(b, f, &breakdown.SetFocus{Fault: "low", Why: &why}); err == nil || !strings.Contains(err.Error(), "two things at most") {
		t.Errorf("a third focus: %v", err)
	}
	b.Film.RateSource = "unknown"
	if _, _, err := breakdown.Repeat(b, f, good[0]); err == nil || !strings.Contains(err.Error(), "at which rate") {
		t.Errorf("a stamp without a rate: %v", err)
	}
	if _, err := breakdown.Decode("dance", nil); err == nil || !strings.Contains(err.Error(), `no command "dance"`) {
		t.Errorf("an unknown kind: %v", err)
	}
}

// The effects that the interface foresees are what the commands do.
func TestEffectsSayWhatCommandsDo(t *testing.T) {
	effects := breakdown.Effects()
	for _, c := range good {
		e, ok := effects[c.Kind()]
		if !ok {
			continue
		}
		b, f := start()
		after, _, err := breakdown.Do(b, f, c)
		if err != nil {
			t.Fatal(err)
		}
		foreseen := foresee(t, tree(t, b), tree(t, c), e)
		want := tree(t, after)
		for _, m := range []map[string]any{foreseen, want} {
			clean(m)
		}
		if !reflect.DeepEqual(foreseen, want) {
			t.Errorf("%s %s is foreseen as\n%s, and is\n%s", c.Kind(), text(t, c), text(t, foreseen), text(t, want))
		}
	}
}

func tree(t *testing.T, v any) (out map[string]any) {
	if err := json.Unmarshal([]byte(text(t, v)), &out); err != nil {
		t.Fatal(err)
	}
	return out
}

// clean takes off what is nil: the interface does not tell it from what is absent.
func clean(m map[string]any) {
	for k, v := range m {
		if v == nil {
			delete(m, k)
		}
		if inner, ok := v.(map[string]any); ok {
			clean(inner)
		}
	}
}

func property(from map[string]any, path string) any {
	var v any = from
	for part := range strings.SplitSeq(path, ".") {
		m, _ := v.(map[string]any)
		v = m[part]
	}
	return v
}

// foresee is web/src/bench/foresee.ts, word for word.
func foresee(t *testing.T, b, c map[string]any, e breakdown.Effect) map[string]any {
	put := func(m map[string]any, key string, v any) {
		if v == nil {
			delete(m, key)
		} else {
			m[key] = v
		}
	}
	switch {
	case e.Field != "":
		outer, inner, nested := strings.Cut(e.Field, ".")
		if !nested {
			put(b, outer, property(c, e.Value))
		} else {
			put(b[outer].(map[string]any), inner, property(c, e.Value))
		}
	case e.Map != "" && e.Merge:
		for k, v := range property(c, e.Value).(map[string]any) {
			put(b[e.Map].(map[string]any), k, v)
		}
	case e.Map != "":
		put(b[e.Map].(map[string]any), property(c, e.Key).(string), property(c, e.Value))
	case e.List != "":
		things := []any{c}
		if e.Each != "" {
			things = property(c, e.Each).([]any)
		}
		list := b[e.List].([]any)
		for _, one := range things {
			thing := one.(map[string]any)
			entry := tree(t, e.With)
			if entry == nil {
				entry = map[string]any{}
			}
			for field, from := range e.Entry {
				entry[field] = property(thing, from)
			}
			list = slices.DeleteFunc(list, func(old any) bool {
				return !slices.ContainsFunc(e.Match, func(m string) bool { return !reflect.DeepEqual(old.(map[string]any)[m], entry[m]) })
			})
			if property(thing, e.Value) != nil {
				list = append(list, entry)
			}
		}
		b[e.List] = list
	}
	return maps.Clone(b)
}

// A found point that is confirmed as it stands keeps its own ±, through a move and its
// undoing.
func TestAConfirmedPointKeepsItsUncertainty(t *testing.T) {
	b, facts := start()
	confirm := &breakdown.PlaceLandmarks{Points: []breakdown.Point{{Frame: 120, Name: "knee.R", At: &at, U: 6.5}}}
	if err := confirm.Validate(b, facts); err != nil {
		t.Fatal(err)
	}
	confirm.Apply(&b, facts)
	knee := func() breakdown.Landmark { return b.Landmarks[len(b.Landmarks)-1] }
	if l := knee(); l.U != 6.5 || l.Source != breakdown.Placed {
		t.Errorf("it stands as %+v", l)
	}
	move := &breakdown.PlaceLandmark{Frame: 120, Landmark: "knee.R", At: &far}
	back := move.Inverse(b)
	move.Apply(&b, facts)
	if l := knee(); l.U != 0 {
		t.Errorf("moved by hand it has ± %g px of its own", l.U)
	}
	back.Apply(&b, facts)
	if l := knee(); l.U != 6.5 || l.X != at.X {
		t.Errorf("taken back it stands as %+v", l)
	}
	for _, u := range []float64{-1, 1e6} {
		confirm.Points[0].U = u
		if err := confirm.Validate(b, facts); err == nil {
			t.Errorf("± %g px is taken", u)
		}
	}
}

// What a taken proposal was off by stays with its stamp, until the coach stamps it; taking
// that back brings it back. (The interface foresees the stamp alone.)
func TestAFoundKeyPositionKeepsItsDoubt(t *testing.T) {
	b, f := start()
	take := &breakdown.Stamps{Stamps: map[string]*int{"off": &off}, U: map[string]float64{"off": 0.012}}
	taken, _, err := breakdown.Do(b, f, take)
	if err != nil || taken.StampU["off"] != 0.012 {
		t.Fatalf("taken as %v: %v", taken.StampU, err)
	}
	for _, c := range []breakdown.Command{&breakdown.Stamp{KeyID: "off", Frame: &off}, &breakdown.Stamps{Stamps: map[string]*int{"off": nil}}} {
		after, inverse, err := breakdown.Do(taken, f, c)
		if err != nil || len(after.StampU) > 0 {
			t.Errorf("%s leaves %v: %v", c.Kind(), after.StampU, err)
		}
		back, _, err := breakdown.Repeat(after, f, inverse)
		if err != nil || text(t, back) != text(t, taken) {
			t.Errorf("%s taken back is %s: %v", c.Kind(), text(t, back), err)
		}
	}
	for _, u := range []map[string]float64{{"off": -1}, {"off": math.NaN()}, {"set": 0.01}} {
		if _, _, err := breakdown.Do(b, f, &breakdown.Stamps{Stamps: map[string]*int{"off": &off}, U: u}); err == nil {
			t.Errorf("%v is taken", u)
		}
	}
}
