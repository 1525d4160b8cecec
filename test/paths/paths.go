// Package paths films simulated attempts of all kinds and gives the paths of
// their landmarks as following would: missing by some pixels, drifting, lost
// where they are hidden.
package paths

import (
	"fmt"
	"math"
	"math/rand/v2"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/body"
	"neokinema/core/footfall"
	"neokinema/core/sim"
)

// Views are those of an event from which feet are followed.
func Views(event string) []string {
	switch event {
	case "hammer", "weight", "discus", "shot-rotational":
		return []string{"back", "side-open", "side-closed"}
	case "high-jump":
		return []string{"side-open", "side-closed", "back"}
	case "sprint-start", "long-jump", "pole-vault":
		return []string{"side-open", "side-closed"}
	}
	return []string{"side-open", "side-closed", "back"}
}

// Random films an attempt by anybody, from anywhere, clean or with a fault; leg
// is the length of the leg in pixels.
func Random(r *rand.Rand, event string, seed uint64) (f sim.Truth, leg float64, err error) {
	variants, err := sim.Variants(event)
	if err != nil {
		return f, 0, err
	}
	w := sim.Request{Event: event, Seed: seed, Variant: variants[r.IntN(len(variants))], Level: sim.Levels[r.IntN(len(sim.Levels))]}
	w.Athlete = sim.Athlete{HeightM: 1.6 + 0.35*r.Float64(), Sex: body.Man, Side: body.Right}
	if r.IntN(2) == 0 {
		w.Athlete.Sex = body.Woman
	}
	if r.IntN(2) == 0 {
		w.Athlete.Side = body.Left
	}
	if faults, _ := sim.Faults(event); r.IntN(2) == 0 {
		w.Faults = map[string]float64{faults[r.IntN(len(faults))]: r.Float64()}
	}
	views := Views(event)
	c := sim.Usual(event, views[r.IntN(len(views))])
	c.Capture = []float64{60, 120, 240, 240}[r.IntN(4)]
	c.OffSquare = 5 * math.Max(-2, math.Min(2, r.NormFloat64()))
	c.Distance *= 0.8 + 0.5*r.Float64()
	c.Height *= 0.8 + 0.5*r.Float64()
	m, err := sim.Simulate(w)
	if err != nil {
		return f, 0, err
	}
	if f, err = c.Film(m); err != nil {
		return f, 0, err
	}
	if len(f.Film) < 10 {
		return f, 0, fmt.Errorf("a film of %d pictures", len(f.Film))
	}
	return f, f.Film[0].Camera.Focal / c.Distance * body.LegShare * w.Athlete.HeightM, nil
}

// Way is a landmark's path with misses of a standard deviation of miss, px, half
// of them new on each picture, half drifting.
func Way(r *rand.Rand, f sim.Truth, l body.Landmark, miss float64) []footfall.Point {
	out := make([]footfall.Point, len(f.Film))
	var drift r2.Vec
	keep := math.Exp(-1 / (0.08 * f.Capture))
	own := miss / math.Sqrt2
	for i := range f.Film {
		drift = r2.Add(r2.Scale(keep, drift), r2.Scale(own*math.Sqrt(1-keep*keep), r2.Vec{X: r.NormFloat64(), Y: r.NormFloat64()}))
		p := f.Film[i].InView[l]
		if p[2] == 1 {
			out[i] = footfall.Point{At: r2.Vec{X: p[0] + drift.X + own*r.NormFloat64(), Y: -p[1] + drift.Y + own*r.NormFloat64()}, U: math.Max(miss, 0.1)}
		}
	}
	return out
}
