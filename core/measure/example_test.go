package measure_test

import (
	"fmt"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/body"
	"neokinema/core/clock"
	"neokinema/core/measure"
	"neokinema/core/optics"
	"neokinema/core/playbook"
)

// A front knee at set, of three placed points that are each known to 2 px. What is
// not placed is named.
func ExampleEvaluateOne() {
	pts := []int64{0, 1, 2, 3}
	film, err := clock.NewTimeline(pts, clock.TimeBase{Num: 1, Den: 120}, clock.Rate{Capture: 120, Playback: 120}, nil)
	if err != nil {
		fmt.Println(err)
		return
	}
	knee := playbook.Measure{ID: "front-knee", Name: "Front knee", Kind: "included", At: []string{"set"}, Points: []string{"front.hip", "front.knee", "front.ankle"}, Unit: "deg"}
	s := &measure.Recording{
		Event:    playbook.Event{Keys: []playbook.Key{{ID: "set", Name: "set", Nature: "still"}}, Measures: []playbook.Measure{knee}},
		Timeline: film, Stamps: map[string]int{"set": 2}, View: "side-open", Roles: body.Start(body.Left).Near(body.Left), HeightM: 1.8,
		Calibration: optics.Calibration{Rightward: true, MarkU: 2},
		Observations: map[int]map[body.Landmark]measure.Observation{2: {
			"hip.L": {At: r2.Vec{X: 400, Y: 300}, U: 2}, "knee.L": {At: r2.Vec{X: 400, Y: 400}, U: 2}, "ankle.L": {At: r2.Vec{X: 500, Y: 400}, U: 2},
		}},
	}
	v := measure.EvaluateOne(s, knee, "set")
	fmt.Printf("%s: %.0f° ± %.0f\n", v.Key, v.Value, 2*v.U)
	delete(s.Observations[2], "knee.L")
	fmt.Println(measure.EvaluateOne(s, knee, "set").Missing[0].What)
	// Output:
	// front-knee@set: 90° ± 6
	// place the left knee at set
}
