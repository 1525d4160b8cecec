package truth

import (
	"math"
	"testing"

	"neokinema/core/body"
	core "neokinema/core/playbook"
	"neokinema/core/sim"
)

// A clean athlete of any height and either sex is within the limits of every
// fault, by the truth alone: nothing of the sheets rests on how tall somebody is.
func TestNoHeightIsAFault(t *testing.T) {
	for _, event := range sim.Events() {
		variants := shipped(t)[event].Variants
		if len(variants) == 0 {
			variants = []core.Variant{{}}
		}
		for i, height := range []float64{1.45, 1.60, 1.80, 1.95} {
			a := sim.Athlete{HeightM: height, Sex: []body.Sex{body.Woman, body.Man}[i%2], Side: body.Right}
			variant := variants[i%len(variants)].ID
			m, err := simulated(sim.Request{Event: event, Variant: variant, Athlete: a, Seed: uint64(5 + i)})
			if err != nil {
				t.Errorf("%s, %.2f m: %v", event, height, err)
				continue
			}
			e, err := shipped(t)[event].As(variant)
			if err != nil {
				t.Fatal(err)
			}
			for _, f := range e.Faults {
				for _, ev := range f.Evidence {
					v, known := m.Measures[ev.Measure]
					limit, full := e.Limits(ev, core.Who{Level: "trained", Sex: string(a.Sex), Variant: variant})
					beyond := v - limit
					if ev.Side == "low" {
						beyond = -beyond
					}
					if known && beyond > 0.1*math.Abs(full-limit) {
						t.Errorf("%s, a %s of %.2f m: %s by %s, %.3g against %.3g", event, a.Sex, height, f.ID, ev.Measure, v, limit)
					}
				}
			}
		}
	}
}
