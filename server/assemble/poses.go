package assemble

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"sync"

	"neokinema/core/body"
	"neokinema/core/sim"
)

// Pose is a figure at a key position as a camera sees it: points in a square from
// 0 to 1, y down, by the landmark's role-less name for a right-hander.
type Pose map[string][2]float64

var poses = struct {
	sync.Mutex
	kept map[string]map[string]Pose
}{kept: map[string]map[string]Pose{}}

// Poses are the simulated athlete's figures at the key positions of an event, by
// place, seen from a view; from the side they travel to the right.
func Poses(event, variant, view string) (map[string]Pose, error) {
	poses.Lock()
	defer poses.Unlock()
	key := fmt.Sprint(event, " ", variant, " ", view)
	if kept, ok := poses.kept[key]; ok {
		return kept, nil
	}
	if !slices.Contains(sim.Events(), event) {
		return map[string]Pose{}, nil // nobody moves it yet
	}
	m, err := sim.Simulate(sim.Request{Event: event, Variant: variant, Athlete: sim.Athlete{HeightM: 1.82, Sex: body.Man, Side: body.Right}})
	if err != nil {
		return nil, err
	}
	camera := sim.Usual(event, view)
	camera.Capture = poseRate
	f, err := camera.Film(m)
	if err != nil {
		return nil, err
	}
	out := map[string]Pose{}
	for keyID, frame := range f.Frames {
		out[keyID] = inUnitSquare(f.Film[frame].InView, strings.HasPrefix(view, "side") && !f.Rightward())
	}
	poses.kept[key] = out
	return out, nil
}

// poseRate is how many pictures a second are enough for figures.
const poseRate = 60

// inUnitSquare fits what is seen of a figure into a square, turned round or not.
func inUnitSquare(in map[body.Landmark]sim.Pixel, turn bool) Pose {
	low, high := [2]float64{math.Inf(1), math.Inf(1)}, [2]float64{math.Inf(-1), math.Inf(-1)}
	for l, p := range in {
		if !l.OfBody() {
			continue
		}
		for k := range 2 {
			low[k], high[k] = math.Min(low[k], p[k]), math.Max(high[k], p[k])
		}
	}
	side := math.Max(high[0]-low[0], high[1]-low[1]) * 1.04
	out := Pose{}
	for l, p := range in {
		var q [2]float64
		for k := range 2 {
			q[k] = math.Round(1000*((p[k]-(low[k]+high[k])/2)/side+0.5)) / 1000
		}
		if turn {
			q[0] = 1 - q[0]
		}
		out[string(l)] = q
	}
	return out
}
