package api_test

import (
	"math"
	"testing"

	"neokinema/server/api"
	"neokinema/server/store"
)

func TestTheSimulatedAthleteIsShown(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	var menu api.SimMenu
	h.want(200, "GET", "/api/sim", nil, &menu)
	if len(menu.Events) != 11 {
		t.Fatalf("%d events", len(menu.Events))
	}
	for _, e := range menu.Events {
		if len(e.Faults) < 7 || len(e.Views) < 6 {
			t.Errorf("%s has %d faults and %d views", e.Id, len(e.Faults), len(e.Views))
		}
	}
	wish := map[string]any{"event": "javelin", "side": "L", "sex": "woman", "heightM": 1.7, "view": "side-open", "faults": map[string]float64{"soft-block": 0.9}}
	var m api.Motion
	h.want(200, "POST", "/api/sim/motion", wish, &m)
	if m.Event != "javelin" || len(m.Frames) < 100 || m.Stamps["release"] <= 0 || len(m.Frames[0].World) < 28 {
		t.Errorf("%s with %d pictures, released at %v, %d points", m.Event, len(m.Frames), m.Stamps["release"], len(m.Frames[0].World))
	}
	for says, change := range map[string]any{"has no fault": map[string]any{"faults": map[string]float64{"late-catch": 1}}, "not between 0 and 1": map[string]any{"faults": map[string]float64{"soft-block": 2}},
		"outside 1.30 to 2.15": map[string]any{"heightM": 3}, "is not filmed from": map[string]any{"view": "below"}, "no event": map[string]any{"event": "golf"}} {
		bad := map[string]any{}
		for k, v := range wish {
			bad[k] = v
		}
		for k, v := range change.(map[string]any) {
			bad[k] = v
		}
		h.refused(422, says, "POST", "/api/sim/motion", bad)
	}
}

func TestTheEyeIsPractised(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	seen := 0
	for range 6 {
		id := store.NewID()
		var first, again api.Motion
		h.want(200, "POST", "/api/practice", map[string]any{"id": id, "event": "long-jump"}, &first)
		h.want(200, "POST", "/api/practice", map[string]any{"id": id, "event": "long-jump"}, &again)
		if first.Frames[20].World["toe.L"] != again.Frames[20].World["toe.L"] {
			t.Error("the same id shows something else")
		}
		var shown api.PracticeAnswer
		h.want(200, "POST", "/api/practice/"+id.String(), map[string]any{"fault": "lean-back", "at": 0.05}, &shown)
		if shown.Right != (shown.Fault == "lean-back") || len(shown.Clean.Frames) == 0 {
			t.Errorf("said lean-back, it was %q: right %v", shown.Fault, shown.Right)
		}
		if shown.Fault != "" {
			seen++
			if shown.Begins == nil || *shown.Begins < first.Frames[0].T-0.02 || *shown.Begins > first.Frames[len(first.Frames)-1].T+0.02 || math.Abs(shown.Strength) < 0.6 {
				t.Errorf("%+v does not begin in the film, %v to %v", shown, first.Frames[0].T, first.Frames[len(first.Frames)-1].T)
			}
		}
		var second api.PracticeAnswer // the first answer stands
		h.want(200, "POST", "/api/practice/"+id.String(), map[string]any{"fault": shown.Fault}, &second)
		if second.Said != "lean-back" || second.Right != shown.Right {
			t.Errorf("an answer was changed to %q", second.Said)
		}
	}
	var scores []store.Score
	h.want(200, "GET", "/api/practice", nil, &scores)
	shown := 0
	for _, s := range scores {
		shown += s.Shown
	}
	if shown != 6 || seen == 0 {
		t.Errorf("%d attempts are in the score %+v, %d had a fault", shown, scores, seen)
	}
}
