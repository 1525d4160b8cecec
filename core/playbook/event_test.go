package playbook

import (
	"strings"
	"testing"
)

func num(x float64) *float64 { return &x }

func TestTheMostParticularBandWins(t *testing.T) {
	m := Measure{Bands: []Band{
		{Low: num(1)}, {At: "td2", Low: num(2)}, {Sex: "woman", Low: num(3)}, {At: "td2", Sex: "woman", Low: num(4)}, {Level: "developing", Low: num(5)}, {School: "bunched", Low: num(6)},
	}}
	for _, c := range []struct {
		place string
		who   Who
		want  float64
	}{
		{"td1", Who{}, 1}, {"td2", Who{}, 2}, {"td1", Who{Sex: "woman"}, 3}, {"td2", Who{Sex: "woman"}, 4}, {"td1", Who{Level: "developing", Sex: "man"}, 5}, {"td1", Who{School: "bunched", Sex: "man"}, 6},
		{"td1", Who{Level: "elite", Sex: "man", School: "medium"}, 1},
	} {
		if b, ok := m.BandAt(c.place, c.who); !ok || *b.Low != c.want {
			t.Errorf("%s for %+v: %v, want %v", c.place, c.who, *b.Low, c.want)
		}
	}
	if _, ok := (Measure{Bands: []Band{{At: "td2"}}}).BandAt("td1", Who{}); ok {
		t.Error("a band for another place counts here")
	}
	if _, ok := (Measure{}).BandAt("td1", Who{}); ok {
		t.Error("a measure without bands has one")
	}
}

// ladder is a partial order: c after a and b, d after c; x stands by itself.
var ladder = Event{Keys: []Key{{ID: "a", Name: "A"}, {ID: "b", Name: "B"}, {ID: "c", Name: "C", After: []string{"a", "b"}}, {ID: "d", Name: "D", After: []string{"c"}}, {ID: "x", Name: "X"}}}

func TestOrderErrorsAreExplained(t *testing.T) {
	for _, c := range []struct {
		name   string
		stamps map[string]int
		want   []string
	}{
		{"in order", map[string]int{"a": 1, "b": 2, "c": 3, "d": 4, "x": 0}, nil},
		{"a and b may change places", map[string]int{"a": 2, "b": 1, "c": 3}, nil},
		{"on one picture", map[string]int{"a": 3, "c": 3}, nil},
		{"c too early", map[string]int{"a": 5, "c": 3}, []string{"A (picture 5) comes after C (picture 3): move one of them"}},
		{"through a missing rung", map[string]int{"b": 9, "d": 4}, []string{"B (picture 9) comes after D (picture 4): move one of them"}},
		{"two at once", map[string]int{"a": 8, "b": 9, "c": 4}, []string{"A (picture 8)", "B (picture 9)"}},
	} {
		t.Run(c.name, func(t *testing.T) {
			got := ladder.OutOfOrder(c.stamps)
			if len(got) != len(c.want) {
				t.Fatalf("got %q, want %q", got, c.want)
			}
			for i := range got {
				if !strings.Contains(got[i], c.want[i]) {
					t.Errorf("got %q, want %q", got[i], c.want[i])
				}
			}
		})
	}
}

// good is the smallest event that is valid.
func good() Event {
	return Event{
		ID: "hop", Name: "Hop", Watch: make([]Pass, 4), Side: SideTakeOff, Works: "front", Feet: []string{"front foot", "other foot"}, Views: []string{"side-open"}, Roles: []Role{{"front", "front leg", "own"}},
		Keys:     []Key{{ID: "off", Name: "off", Letter: "o", Sees: "first picture in the air", Nature: "contact", Lifts: "front"}, {ID: "down", Name: "down", Letter: "d", Sees: "first picture on the ground", Nature: "contact", Lands: "front", After: []string{"off"}}},
		Phases:   []Phase{{"air", "air", "off", "down"}},
		Measures: []Measure{{ID: "air-time", Name: "Air time", Kind: "duration", At: []string{"down"}, Stamps: []string{"off", "down"}, Unit: "s", Bands: []Band{{Low: num(0.2), High: num(0.4), Class: Common}}}},
		Looks:    []Look{{"eyes", "off", "eyes up", "eyes down"}},
		Faults:   []Fault{{ID: "short", Name: "Short", Says: "the hop is short", At: "down", Evidence: []Evidence{{Measure: "air-time@down", Side: "low", Limit: 0.2, Full: 0.1}, {Look: "eyes"}}}},
		Cues:     []Cue{{ID: "spring", Fault: "short", Kind: "picture", Text: "Be a spring."}},
		Drills:   []Drill{{ID: "hops", Faults: []string{"short"}, Text: "hops", Dose: "3 × 5", Growth: "3 × 6"}},
	}
}

// kinds are two kinds of measure, with what they take.
var kinds = map[string]Takes{"duration": {Back: 1, Units: []string{"s"}}, "included": {LeastPoints: 3, MostPoints: 3, Units: []string{"deg"}}}

func TestValidationFindsEachMistake(t *testing.T) {
	if p := good().Validate(kinds); len(p) != 0 {
		t.Fatalf("the good event has problems: %v", p)
	}
	for _, c := range []struct {
		name  string
		spoil func(*Event)
		path  string
		says  string
	}{
		{"unknown nature", func(e *Event) { e.Keys[0].Nature = "soft" }, "keys[0].nature", "soft"},
		{"unknown after", func(e *Event) { e.Keys[1].After = []string{"up"} }, "keys[1].after[0]", "up"},
		{"unknown role", func(e *Event) { e.Keys[0].Lifts = "left" }, "keys[0]", "left"},
		{"a circle of keys", func(e *Event) { e.Keys[0].After = []string{"down"} }, "keys", "circle"},
		{"a phase to nowhere", func(e *Event) { e.Phases[0].To = "moon" }, "phases[0].to", "moon"},
		{"unknown kind", func(e *Event) { e.Measures[0].Kind = "guess" }, "measures[0].kind", "guess"},
		{"an angle of two points", func(e *Event) {
			e.Measures[0].Kind, e.Measures[0].Unit, e.Measures[0].Points = "included", "deg", []string{"front.hip", "front.knee"}
		}, "measures[0].points", "2 points"},
		{"a time in degrees", func(e *Event) { e.Measures[0].Unit = "deg" }, "measures[0].unit", "deg"},
		{"a duration of one stamp", func(e *Event) { e.Measures[0].Stamps = []string{"down"} }, "measures[0].stamps", "1 key position"},
		{"a duration that ends elsewhere", func(e *Event) { e.Measures[0].Stamps = []string{"off", "off"} }, "measures[0].at[0]", "stamps"},
		{"a measure nowhere", func(e *Event) { e.Measures[0].At = nil }, "measures[0].at", "empty"},
		{"a band upside down", func(e *Event) { e.Measures[0].Bands[0].Low = num(0.5) }, "measures[0].bands[0]", "not below"},
		{"a look nowhere", func(e *Event) { e.Looks[0].At = "moon" }, "looks[0]", "moon"},
		{"a fault nowhere", func(e *Event) { e.Faults[0].At = "moon" }, "faults[0]", "moon"},
		{"evidence of nothing", func(e *Event) { e.Faults[0].Evidence[0].Measure = "air-time@off" }, "faults[0].evidence[0]", "air-time@off"},
		{"a side that is none", func(e *Event) { e.Faults[0].Evidence[0].Side = "left" }, "faults[0].evidence[0]", "left"},
		{"a solver that is none", func(e *Event) { e.Faults[0].Solver = "magic" }, "faults[0].solver", "magic"},
		{"a fault without a sign", func(e *Event) { e.Faults[0].Evidence = nil }, "faults[0]", "evidence"},
		{"a fault without a cue", func(e *Event) { e.Cues = nil }, "faults[0]", "no cue"},
		{"a cue for nothing", func(e *Event) { e.Cues[0].Fault = "long" }, "cues[0]", "long"},
		{"a drill for nothing", func(e *Event) { e.Drills[0].Faults = []string{"long"} }, "drills[0]", "long"},
		{"an id that is no word", func(e *Event) { e.Keys[0].ID = "Off Foot" }, "keys[0]", "Off Foot"},
		{"three passes", func(e *Event) { e.Watch = e.Watch[:3] }, "watch", "3 passes"},
		{"a mark of no kind", func(e *Event) { e.Mark.Kind = "weight" }, "mark.kind", "weight"},
		{"a band of no school", func(e *Event) { e.Measures[0].Bands[0].School = "old" }, "measures[0].bands[0].school", "old"},
		{"a band of no variant", func(e *Event) { e.Measures[0].Bands[0].Variant = "old" }, "measures[0].bands[0].variant", "old"},
		{"a measure no film carries", func(e *Event) { e.Views = []string{"back"}; e.Measures[0].Views = []string{"front"} }, "measures[0].views", "no film"},
		{"a fault that says nothing", func(e *Event) { e.Faults[0].Says = "" }, "faults[0].says", "empty"},
		{"a fault out of reach", func(e *Event) {
			e.Variants = []Variant{{ID: "one"}}
			e.Keys[0].Variants = []string{"none"}
			e.Faults[0].Evidence = e.Faults[0].Evidence[:1]
		}, "faults[0].evidence", "no variant"},
		{"a drill of no kind", func(e *Event) { e.Drills[0].Kind = "magic" }, "drills[0].kind", "magic"},
		{"a drill without a dose", func(e *Event) { e.Drills[0].Dose = "" }, "drills[0]", "dose"},
		{"a look that says nothing", func(e *Event) { e.Looks[0].Off = "" }, "looks[0]", "seen"},
		{"an id twice", func(e *Event) { e.Keys[1].ID = "off"; e.Keys[1].After = nil }, "keys[1]", "off"},
	} {
		t.Run(c.name, func(t *testing.T) {
			e := good()
			c.spoil(&e)
			for _, p := range e.Validate(kinds) {
				if strings.HasPrefix(p.Path, c.path) && strings.Contains(p.Error(), c.says) {
					if p.Remedy == "" {
						t.Error("no remedy")
					}
					return
				}
			}
			t.Errorf("not found: %v", e.Validate(kinds))
		})
	}
}

func TestSupportIsTheLegOnTheGround(t *testing.T) {
	for want, k := range map[string]Key{"front": {Lands: "front"}, "rear": {Lifts: "rear"}, "stance": {Stance: "stance"}, "": {}} {
		if got := k.Support(); got != want {
			t.Errorf("%+v stands on %q", k, got)
		}
	}
}

// Bands widen for the young where the file gives none for them, and evidence
// moves with its band's edge.
func TestBandsAndEvidenceFollowTheAthlete(t *testing.T) {
	m := Measure{ID: "knee", At: []string{"down"}, Young: &Young{Low: -10, High: 5, Share: 20}, Bands: []Band{{Low: num(100), High: num(130)}, {At: "down#1", Low: num(110), High: num(130)}, {School: "deep", Low: num(80), High: num(130)}, {Level: "youth", Sex: "woman", Low: num(70), High: num(170)}, {Variant: "power", Low: num(95), High: num(130)}}}
	e := Event{Measures: []Measure{m}}
	for _, c := range []struct {
		place     string
		who       Who
		low, high float64
	}{
		{"down#2", Who{Level: "trained"}, 100, 130}, {"down#1", Who{}, 110, 130}, {"down", Who{}, 100, 130}, {"down#2", Who{School: "deep"}, 80, 130}, {"down#2", Who{Variant: "power"}, 95, 130},
		{"down#2", Who{Level: "developing"}, 90, 161}, {"down#2", Who{Level: "youth", Sex: "woman"}, 70, 170},
	} {
		b, ok := m.BandAt(c.place, c.who)
		if !ok || *b.Low != c.low || *b.High != c.high {
			t.Errorf("%s of %+v: %v to %v, want %v to %v", c.place, c.who, *b.Low, *b.High, c.low, c.high)
		}
	}
	low := Evidence{Measure: "knee@down#2", Side: "low", Limit: 96, Full: 80}
	for _, c := range []struct {
		who         Who
		limit, full float64
	}{{Who{}, 96, 80}, {Who{School: "deep"}, 76, 60}, {Who{Level: "developing"}, 86, 70}} {
		if limit, full := e.Limits(low, c.who); limit != c.limit || full != c.full {
			t.Errorf("%+v: %v to %v, want %v to %v", c.who, limit, full, c.limit, c.full)
		}
	}
	if limit, full := e.Limits(Evidence{Measure: "gone@down", Side: "high", Limit: 1, Full: 2}, Who{}); limit != 1 || full != 2 {
		t.Errorf("of an unknown measure: %v to %v", limit, full)
	}
}

func TestWorthIsBelievable(t *testing.T) {
	w := ResultRule{Kind: "distance", Most: 95}
	if m, err := w.Of("61.259"); err != nil || m != 6125 {
		t.Errorf("%d, %v", m, err)
	}
	for _, bad := range []string{"0", "95.01", "far"} {
		if m, err := w.Of(bad); err == nil {
			t.Errorf("%q is read as %d", bad, m)
		}
	}
	if _, err := (ResultRule{}).Of("3.00"); err == nil {
		t.Error("an event without marks has one")
	}
}
