package segment

import (
	"fmt"
	"math"
	"slices"
	"testing"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/body"
	"neokinema/core/clock"
	"neokinema/core/measure"
	"neokinema/core/optics"
	"neokinema/core/playbook"
)

// turns is a made-up throw of two turns: entry, off, down and pass twice, release.
func turns(t *testing.T) *measure.Recording {
	t.Helper()
	pts := make([]int64, 200)
	for i := range pts {
		pts[i] = int64(i)
	}
	film, err := clock.NewTimeline(pts, clock.TimeBase{Num: 1, Den: 100}, clock.Rate{Capture: 100, Playback: 100}, nil)
	if err != nil {
		t.Fatal(err)
	}
	e := playbook.Event{
		Roles: []playbook.Role{{ID: "pivot"}, {ID: "push"}, {ID: "throwing"}, {ID: "free"}},
		Keys: []playbook.Key{
			{ID: "entry", Name: "entry", Nature: "change", Found: []string{back, "implement"}},
			{ID: "off#1", Name: "foot off 1", Nature: "contact", Lifts: "push", After: []string{"entry"}},
			{ID: "down#1", Name: "catch 1", Nature: "contact", Lands: "push", After: []string{"off#1"}},
			{ID: "zero#1", Name: "back 1", Nature: "change", Found: []string{back, "implement"}, After: []string{"down#1"}},
			{ID: "low#1", Name: "low 1", Nature: "still", Optional: true, Stance: "pivot", Found: []string{lowest, "implement"}, After: []string{"down#1"}},
			{ID: "off#2", Name: "foot off 2", Nature: "contact", Lifts: "push", After: []string{"zero#1"}},
			{ID: "down#2", Name: "catch 2", Nature: "contact", Lands: "push", After: []string{"off#2"}},
			{ID: "zero#2", Name: "back 2", Nature: "change", Found: []string{back, "implement"}, After: []string{"down#2"}},
			{ID: "release", Name: "release", Nature: "change", Found: []string{leaves, "implement"}, After: []string{"down#2"}},
		},
		Phases:   []playbook.Phase{{ID: "single#1", Name: "single support 1", From: "off#1", To: "down#1"}, {ID: "single#2", Name: "single support 2", From: "off#2", To: "down#2"}},
		Measures: []playbook.Measure{{ID: "off-azimuth", Name: "Ball at foot off", Kind: "orbit-azimuth", At: []string{"off#1", "off#2"}}, {ID: "catch-azimuth", Name: "Ball at the catch", Kind: "orbit-azimuth", At: []string{"down#1", "down#2"}}, {ID: "release-azimuth", Name: "Ball at release", Kind: "orbit-azimuth", At: []string{"release"}}},
	}
	return &measure.Recording{Event: e, Timeline: film, Stamps: map[string]int{}, Observations: map[int]map[body.Landmark]measure.Observation{}, Roles: throwers(body.Right), View: "back", Calibration: optics.Calibration{Rightward: true, MarkU: 1}, HeightM: 1.8}
}

// heard is what a film of those two turns would tell, a wind's pass before it.
func heard() []candidate {
	out := []candidate{{"back", 0.10, 0.005}, {"off L", 0.15, 0.004}}
	for i, what := range []string{"back", "off R", "down R", "back", "off R", "down R", "back", leaves} {
		out = append(out, candidate{what, 0.5 + 0.15*float64(i), 0.005})
	}
	return append(out, candidate{"down R", 1.75, 0.004})
}

func TestHappeningsAreWrittenOnTheLadder(t *testing.T) {
	s := turns(t)
	at := match(s, heard())
	for i, keyID := range []string{"entry", "off#1", "down#1", "zero#1", "off#2", "down#2", "zero#2", "release"} {
		if got := at[keyID].t; math.Abs(got-(0.5+0.15*float64(i))) > 1e-9 {
			t.Errorf("%s is put at %.2f s", keyID, got)
		}
	}
}

// One contact that was not found leaves its own rung open and no other.
func TestAMissingContactLeavesItsRungOpen(t *testing.T) {
	s := turns(t)
	for drop := 2; drop < 9; drop++ {
		found := slices.Delete(heard(), drop, drop+1)
		at := match(s, found)
		wrong := 0
		for i, keyID := range []string{"entry", "off#1", "down#1", "zero#1", "off#2", "down#2", "zero#2", "release"} {
			if h, ok := at[keyID]; ok && math.Abs(h.t-(0.5+0.15*float64(i))) > 1e-9 {
				wrong++
			}
		}
		if limit := map[bool]int{true: 1, false: 0}[drop == 2]; wrong > limit { // the wind's pass may stand for the entry
			t.Errorf("without happening %d, %d rungs are wrong: %v", drop, wrong, at)
		}
	}
}

// What the coach has stamped holds: the rest is matched round it.
func TestStampsHold(t *testing.T) {
	s := turns(t)
	s.Stamps["down#1"] = 126 // the second catch, stamped as the first
	at := match(s, heard())
	if h, ok := at["down#2"]; ok && h.t < 1.3 {
		t.Errorf("the second catch is put at %.2f s, before the first", h.t)
	}
}

func TestRoundsTellWhatGrows(t *testing.T) {
	s := turns(t)
	for keyID, frame := range map[string]int{"off#1": 20, "down#1": 50, "off#2": 80, "down#2": 100} {
		s.Stamps[keyID] = frame
	}
	values := []measure.Value{
		{Key: "catch-azimuth@down#1", Measure: "catch-azimuth", KeyID: "down#1", Name: "Ball at the catch", Unit: "deg", Value: 230, U: 4},
		{Key: "catch-azimuth@down#2", Measure: "catch-azimuth", KeyID: "down#2", Name: "Ball at the catch", Unit: "deg", Value: 236, U: 4},
	}
	rows := Rounds(s, values)
	if len(rows) != 2 {
		t.Fatalf("%d rows: %+v", len(rows), rows)
	}
	single, ball := rows[0], rows[1]
	if single.Name != "single support" || single.Trend != "falls" || !single.Cells[1].Tells || math.Abs(*single.Cells[1].Change+0.1) > 1e-9 {
		t.Errorf("single support: %+v", single)
	}
	if ball.Trend != "" || ball.Cells[1].Tells || *ball.Cells[1].Change != 6 {
		t.Errorf("six degrees with ± 8 each are told apart: %+v", ball)
	}
	if got := Rounds(turns(t), nil); got == nil || len(got) != 0 {
		t.Errorf("no stamps make rows: %v", got)
	}
}

func TestWheelOfTwoTurns(t *testing.T) {
	for _, hand := range []body.Side{body.Right, body.Left} {
		s := turns(t)
		s.Roles = throwers(hand)
		var values []measure.Value
		for i, p := range []struct {
			measure, place string
			az             float64
		}{{"off-azimuth", "off#1", 85}, {"catch-azimuth", "down#1", 235}, {"off-azimuth", "off#2", 80}, {"catch-azimuth", "down#2", 240}, {"release-azimuth", "release", 92}} {
			s.Stamps[p.place] = 20 * (i + 1)
			values = append(values, measure.Value{Key: measure.Key(p.measure, p.place), Measure: p.measure, KeyID: p.place, Value: p.az, U: 5})
		}
		w := WheelOf(s, values, func(string) string { return "" })
		if w == nil || len(w.Rings) != 2 || w.RightHanded != (hand == body.Right) {
			t.Fatalf("%s: %+v", hand, w)
		}
		want := [][]Arc{{{85, 235, 1}, {235, 440, 2}}, {{440, 600, 1}, {600, 812, 2}}}
		for i, ring := range w.Rings {
			if fmt.Sprint(ring.Arcs) != fmt.Sprint(want[i]) {
				t.Errorf("%s, turn %d: %v, want %v", hand, i+1, ring.Arcs, want[i])
			}
		}
		if p := w.Rings[0].Spokes[1]; hand == body.Right && (p.ClockA != "4:10" || p.ClockB != "10:10") || hand == body.Left && (p.ClockA != "7:50" || p.ClockB != "1:50") {
			t.Errorf("%s: a catch at 235° is said %s and %s", hand, p.ClockA, p.ClockB)
		}
	}
}

// A disc goes round once and four tenths from the push foot's leaving to the
// release: a turn, and the rest of the next.
func TestWheelOfAThrowWithFlight(t *testing.T) {
	s := turns(t)
	s.Event.Keys = []playbook.Key{{ID: "push-off", Lifts: "push"}, {ID: "pivot-off", Lifts: "pivot"}, {ID: "push-down", Lands: "push"}, {ID: "pivot-down", Lands: "pivot"}, {ID: "release", Found: []string{leaves, "implement"}}}
	s.Event.Measures = []playbook.Measure{{ID: "disc-azimuth", Kind: "direction", Points: []string{"mid.hip", "implement"}}}
	var values []measure.Value
	for i, az := range []float64{307, 75, 124, 229, 90} {
		keyID := s.Event.Keys[i].ID
		s.Stamps[keyID] = 20 * (i + 1)
		values = append(values, measure.Value{Key: measure.Key("disc-azimuth", keyID), Measure: "disc-azimuth", KeyID: keyID, Value: az, U: 5})
	}
	w := WheelOf(s, values, func(string) string { return "" })
	want := [][]Arc{{{307, 435, 1}, {435, 484, 0}, {484, 589, 1}, {589, 667, 2}}, {{667, 810, 2}}}
	if w == nil || len(w.Rings) != len(want) {
		t.Fatalf("%+v", w)
	}
	for i, ring := range w.Rings {
		if fmt.Sprint(ring.Arcs) != fmt.Sprint(want[i]) {
			t.Errorf("turn %d: %v, want %v", i+1, ring.Arcs, want[i])
		}
	}
	if last := w.Rings[1].Spokes; len(last) != 1 || last[0].What != "release" {
		t.Errorf("the release stands on %+v", last)
	}
	s.Event.Measures[0].Points = []string{"push.heel", "push.toe"}
	if w := WheelOf(s, values, func(string) string { return "" }); w != nil {
		t.Errorf("a foot's direction makes a wheel: %+v", w)
	}
}

// A knee that goes 12 px up and 5 px ahead of where it was pinned, at 100 px a
// metre, and back.
func TestPin(t *testing.T) {
	s := turns(t)
	s.Calibration.Scale = &optics.Scale{Line: optics.Line{A: r2.Vec{X: 0, Y: 300}, B: r2.Vec{X: 200, Y: 300}}, Metres: 2}
	for i, up := range []float64{0, 6, 12, 0} {
		s.Observations[i] = map[body.Landmark]measure.Observation{"knee.L": {At: r2.Vec{X: 100 + up*5/12, Y: 200 - up}, U: 1}}
	}
	p, err := Refine(s, "knee.L", 0, 50)
	if err != nil {
		t.Fatal(err)
	}
	if l := p.Leaves[1]; p.Unit != "m" || len(p.Leaves) != 3 || math.Abs(l.Up-0.12) > 1e-9 || math.Abs(l.Along-0.05) > 1e-9 || math.Abs(l.Away-0.13) > 1e-9 || l.Where != "higher, ahead" || l.U < 0.014 || l.U > 0.016 {
		t.Errorf("%+v", p)
	}
	if l := p.Leaves[2]; l.Away > 2*l.U {
		t.Errorf("a knee that is back is %.3f ± %.3f m away", l.Away, 2*l.U)
	}
	if _, err := Refine(s, "hip.L", 0, 50); err == nil {
		t.Error("a hip that was never placed is pinned")
	}
}

// throwers are who is who in a turning throw.
func throwers(hand body.Side) body.Roles {
	return body.Roles{"throwing": hand, "push": hand, "free": hand.Other(), "pivot": hand.Other()}
}
