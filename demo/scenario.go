// Package demo is the club that ships for trying things out: invented people,
// and clips that the simulated athlete and camera made.
package demo

import (
	"embed"
	"fmt"
	"hash/fnv"

	"neokinema/core/body"
	"neokinema/core/sim"
	"neokinema/server/render"
)

//go:embed all:clips
var clips embed.FS

// Scenario is one clip of the simulated athlete and camera.
type Scenario struct {
	Name string
	render.Scene
}

// rods is for how many pictures the rods of two films stand.
const rods = 4

// Scenarios are the clips that ship: a clean and a faulty one of each event,
// both hands, two views of one throw, a panning camera, a turned file and one
// of uneven rate.
func Scenarios() []Scenario {
	r, l := body.Right, body.Left
	man := func(h float64, side body.Side) sim.Athlete {
		return sim.Athlete{HeightM: h, Sex: body.Man, Side: side}
	}
	woman := func(h float64, side body.Side) sim.Athlete {
		return sim.Athlete{HeightM: h, Sex: body.Woman, Side: side}
	}
	faults := func(id string, strength float64) map[string]float64 { return map[string]float64{id: strength} }
	two := func(a string, x float64, b string, y float64) map[string]float64 {
		return map[string]float64{a: x, b: y}
	}
	n, dress := 0, map[uint64]int{}
	clip := func(name, event, variant string, who sim.Athlete, seed uint64, f map[string]float64, view string, rate float64, with func(c *sim.Camera)) Scenario {
		c := sim.Usual(event, view)
		c.Capture, c.Seed = rate, seed
		if event != "sprint-start" && event != "pole-vault" { // small files
			c.Width, c.Tall = 1024, 576
		}
		if with != nil {
			with(&c)
		}
		n++
		if dress[seed] == 0 || seed == 0 { // a second view shows the same athlete
			dress[seed] = n
		}
		return Scenario{name, render.Scene{Movement: sim.Request{Event: event, Variant: variant, Athlete: who, Seed: seed, Faults: f}, Camera: c, Outfit: render.OutfitFor(dress[seed], event, who.Sex), Quality: 29}}
	}
	window := func(from, to float64) func(c *sim.Camera) {
		return func(c *sim.Camera) { c.From, c.To = from, to }
	}
	start := func(c *sim.Camera) { c.From, c.To, c.Span, c.Distance, c.Height = -0.4, 1.25, 5.7, 16, 1.0 }
	list := []Scenario{
		clip("start-clean", "sprint-start", "", woman(1.72, l), 0, nil, "side-open", 240, start),
		clip("start-open-knee-late-arm", "sprint-start", "", man(1.80, r), 0, two("front-knee-open", 0.7, "late-lead-arm", 0.7), "side-open", 240, start),
		clip("running-easy", "running", "easy", woman(1.68, r), 21, nil, "side-open", 120, nil),
		clip("running-over-stride", "running", "easy", man(1.79, l), 22, faults("over-stride", 0.8), "side-open", 120, window(-0.1, 0.85)),
		clip("hammer-clean-back", "hammer", "four-heel", man(1.86, r), 31, nil, "back", 120, window(0, 2.95)),
		clip("hammer-clean-side", "hammer", "four-heel", man(1.86, r), 31, nil, "side-open", 60, func(c *sim.Camera) { c.From, c.To, c.Delay = 0, 2.95, 0.013 }),
		clip("hammer-late-catch", "hammer", "three-heel", woman(1.74, l), 32, faults("late-catch", 0.8), "back", 120, window(0.2, 2.3)),
		clip("weight-shoulder-lead", "weight", "", man(1.88, l), 34, faults("shoulder-lead", 0.7), "back", 120, window(-0.65, 2.75)),
		clip("weight-clean", "weight", "", woman(1.76, r), 35, nil, "back", 120, window(0.1, 2.45)),
		clip("discus-clean-back", "discus", "full", woman(1.80, r), 41, nil, "back", 120, func(c *sim.Camera) { c.From, c.To, c.Rods = -0.25, 1.0, rods }),
		clip("discus-clean-side", "discus", "full", woman(1.80, r), 41, nil, "side-open", 120, func(c *sim.Camera) { c.From, c.To, c.Delay, c.Rods = -0.25, 1.0, 0.021, rods }),
		clip("discus-over-rotated", "discus", "full", man(1.90, l), 42, two("over-rotated-pivot", 0.6, "late-pivot-foot", 0.2), "back", 120, window(-0.25, 1.05)),
		clip("glide-clean", "shot-glide", "reverse", man(1.89, r), 51, nil, "side-open", 120, window(-0.5, 0.75)),
		clip("glide-early-open", "shot-glide", "fixed", woman(1.77, l), 52, faults("early-open", 0.8), "side-open", 120, window(-0.5, 0.75)),
		clip("rotational-clean", "shot-rotational", "", man(1.91, l), 54, nil, "back", 120, window(-0.25, 1.05)),
		clip("rotational-jump-up", "shot-rotational", "", woman(1.79, r), 55, faults("jump-up", 0.8), "back", 120, window(-0.25, 1.05)),
		clip("javelin-clean", "javelin", "forward", woman(1.73, r), 61, nil, "side-open", 120, func(c *sim.Camera) { c.Pan, c.Shake, c.Span = true, 0.10, 6.1 }),
		clip("javelin-soft-block", "javelin", "across", man(1.85, l), 62, faults("soft-block", 0.5), "side-open", 120, func(c *sim.Camera) { c.From, c.To, c.Span = -0.6, 0.45, 8.2 }),
		clip("long-jump-hitch", "long-jump", "hitch-1", man(1.84, r), 71, nil, "side-open", 120, func(c *sim.Camera) { c.From, c.To, c.Pan, c.Span, c.Shake = -0.45, 1.1, true, 5.2, 0.08 }),
		clip("long-jump-early-drop", "long-jump", "hang", woman(1.70, l), 72, faults("early-drop", 0.8), "side-open", 120, func(c *sim.Camera) { c.From, c.To, c.Pan, c.Span = -0.45, 1.1, true, 5.6 }),
		clip("high-jump-clean", "high-jump", "speed", woman(1.78, l), 81, nil, "side-open", 120, func(c *sim.Camera) { c.From, c.To, c.Span = -0.32, 1.0, 7.3 }),
		clip("high-jump-straightened", "high-jump", "power", man(1.92, r), 82, faults("straightened-before-plant", 0.8), "back", 120, func(c *sim.Camera) { c.From, c.To, c.Distance, c.Span = -0.62, 1.0, 26, 7.6 }),
		clip("vault-clean", "pole-vault", "firm", man(1.83, r), 91, nil, "side-open", 120, window(-0.25, 1.05)),
		clip("vault-under", "pole-vault", "elastic", woman(1.71, l), 92, faults("under", 0.6), "side-open", 120, window(-0.35, 1.1)),
		clip("hammer-three-turns", "hammer", "three-heel", man(1.86, r), 36, nil, "back", 120, window(-1.3, 2.3)),
	}
	for i := range list {
		switch list[i].Name {
		case "running-easy": // a phone held upright, its file on its side
			list[i].Camera.Portrait, list[i].Rotated = true, true
			list[i].Camera.From, list[i].Camera.To, list[i].Camera.Pan, list[i].Camera.Playback, list[i].Camera.Span = -0.1, 1.3, true, 120, 3.6
		case "long-jump-early-drop": // real stamps that come unevenly
			list[i].Camera.Variable, list[i].Camera.Playback = true, 120
		case "high-jump-straightened":
			list[i].Camera.K1, list[i].Camera.Tilt, list[i].Grain = -0.06, 1.5, 5
		case "vault-under":
			list[i].Camera.OffSquare = 8
		}
	}
	return list
}

// Find is a scenario by its name.
func Find(name string) (Scenario, error) {
	for _, s := range Scenarios() {
		if s.Name == name {
			return s, nil
		}
	}
	return Scenario{}, fmt.Errorf("there is no clip %q", name)
}

// Clip is a shipped clip's file.
func Clip(name string) ([]byte, error) { return clips.ReadFile("clips/" + name + ".mp4") }

// Truth is what is known of a shipped clip: the movement is worked out again,
// which gives the same to the last digit.
func Truth(name string) (sim.Truth, error) {
	s, err := Find(name)
	if err != nil {
		return sim.Truth{}, err
	}
	return s.Simulate()
}

// Mark tells one truth from another: a clip ships with the mark of the truth
// that it was drawn from.
func Mark(t sim.Truth) string {
	h := fnv.New64a()
	for i := 0; i < len(t.Film); i += 7 {
		f := t.Film[i]
		for _, l := range []body.Landmark{"toe.L", "toe.R", "knuckle.L", "knuckle.R", "vertex", "implement"} {
			p := f.InView[l]
			fmt.Fprintf(h, "%.0f %.0f ", p[0], p[1])
		}
	}
	return fmt.Sprintf("%d pictures, %016x", len(t.Film), h.Sum64())
}
