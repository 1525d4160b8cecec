package truth

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"neokinema/core/body"
	"neokinema/core/measure"
	"neokinema/core/sim"
)

// BenchmarkMeasuring measures an attempt of each event from its usual view, with
// every point that is asked for placed and followed.
func BenchmarkMeasuring(b *testing.B) {
	books := shipped(b)
	for _, event := range sim.Events() {
		for _, rate := range []float64{120, 240} {
			b.Run(fmt.Sprintf("%s/%.0f", event, rate), func(b *testing.B) {
				variant := ""
				if len(books[event].Variants) > 0 {
					variant = books[event].Variants[0].ID
				}
				w := sim.Request{Event: event, Variant: variant, Athlete: sim.Athlete{HeightM: 1.8, Sex: body.Man, Side: body.Right}, Seed: 3}
				h := hand{r: rand.New(rand.NewPCG(3, 3)), px: 2, centres: true}
				s := h.lay(b, shoot(b, w, books[event].Views[0], rate, 0))
				for b.Loop() {
					measure.Evaluate(s)
				}
			})
		}
	}
}
