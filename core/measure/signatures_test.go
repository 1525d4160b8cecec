package measure

import (
	"maps"
	"slices"
	"testing"

	"neokinema/core/body"
	"neokinema/core/clock"
	"neokinema/core/playbook"
)

func TestEveryKindDeclaresWhatItTakes(t *testing.T) {
	declared := slices.Sorted(maps.Keys(signatures))
	if known := Kinds(); !slices.Equal(declared, known) {
		t.Errorf("declared are %v, known are %v", declared, known)
	}
	for name, k := range signatures {
		if k.least > k.most || len(k.units) == 0 {
			t.Errorf("%s takes %d to %d points in %v", name, k.least, k.most, k.units)
		}
	}
}

// bare is a sheet with four stamps and nothing placed.
func bare(t *testing.T) *Recording {
	t.Helper()
	film, err := clock.NewTimeline([]int64{0, 1, 2, 3, 4, 5, 6, 7, 8, 9}, clock.TimeBase{Num: 1, Den: 240}, clock.Rate{Capture: 240, Playback: 240}, nil)
	if err != nil {
		t.Fatal(err)
	}
	e := playbook.Event{ID: "hop", Name: "Hop", Views: []string{"side-open", "back"}, Roles: []playbook.Role{{ID: "front", Name: "front leg"}, {ID: "rear", Name: "rear leg"}}}
	stamps := map[string]int{}
	for i, id := range []string{"a", "b", "c", "d", "e", "f"} {
		e.Keys = append(e.Keys, playbook.Key{ID: id, Name: id, Nature: "contact"})
		stamps[id] = i
	}
	return &Recording{Event: e, Timeline: film, Stamps: stamps, Roles: body.Roles{"front": body.Left, "rear": body.Right, "near": body.Left, "far": body.Right, "throwing": body.Right, "free": body.Left, "takeoff": body.Left}, View: "side-open", HeightM: 1.8}
}

// Whatever a playbook gives a kind, within what it declares and without, neither a
// value nor the program fails on it.
func TestNoPlaybookEndsAComputation(t *testing.T) {
	s := bare(t)
	points := []string{"front.hip", "front.knee", "front.ankle", "rear.hip", "mid.hip", "mid.shoulder", "implement", "front.toe", "no.such", ""}
	for name := range kinds {
		for n := range 5 {
			for _, stamps := range [][]string{nil, {"c"}, {"a", "b", "c", "d", "e", "f"}} {
				for _, views := range [][]string{nil, {Pair}, {Known}} {
					m := playbook.Measure{ID: "m", Name: "M", Kind: name, At: []string{"c"}, Points: points[n : n+n], Stamps: stamps, Unit: "deg", Views: views}
					s.Event.Measures = []playbook.Measure{m}
					if v := EvaluateOne(s, m, "c"); v.Known() && !(finite(v.Value) && finite(v.U)) {
						t.Errorf("%s of %v gives %v ± %v", name, m.Points, v.Value, v.U)
					}
					Evaluate(s)
					needs := s.RequiredLandmarks("c")
					_, _, _ = needs, ExtraLandmarks(s), Follows(s)
				}
			}
		}
	}
}

func TestAFormulaThatFailsIsMissing(t *testing.T) {
	s := bare(t)
	v := EvaluateOne(s, playbook.Measure{ID: "knee", Name: "Knee", Kind: "included", At: []string{"c"}, Points: []string{"front.hip", "front.knee"}, Unit: "deg"}, "c")
	if v.Known() || v.Missing[0].Kind != "playbook" || v.Key != "knee@c" {
		t.Errorf("an angle of two points gives %+v", v)
	}
}
