package truth

import (
	"math/rand/v2"
	"strings"
	"testing"

	"neokinema/core/body"
	"neokinema/core/measure"
	"neokinema/core/sim"
)

// An orbit is found at every rate: what single pictures miss by does not add up
// to a turn. Of a weight thrower's orbits from behind, nearly all are known at 240
// pictures a second as at 60, and hold within their ±.
func TestOrbitsAreKnownAtEveryRate(t *testing.T) {
	for _, event := range []string{"weight", "hammer"} {
		for _, rate := range []float64{60, 120, 240} {
			known, inside, all := 0, 0, 0
			for seed := range uint64(4) {
				w := sim.Request{Event: event, Variant: shipped(t)[event].Variants[0].ID, Athlete: sim.Athlete{HeightM: 1.8, Sex: body.Man, Side: body.Right}, Seed: 60 + seed}
				h := hand{r: rand.New(rand.NewPCG(60, seed)), px: 2, centres: true}
				k := shoot(t, w, "back", rate, 0)
				for _, v := range measure.Evaluate(h.lay(t, k)) {
					m, _ := k.event.Measure(v.Measure)
					want, has := k.truth.Measures[v.Key]
					if !strings.HasPrefix(m.Kind, "orbit-") || !has {
						continue
					}
					all++
					if !v.Known() {
						continue
					}
					known++
					if covers(v, want) {
						inside++
					}
				}
			}
			t.Logf("%s at %.0f: %d of %d known, %d inside ± 2u", event, rate, known, all, inside)
			if known*100 < all*85 {
				t.Errorf("%s at %.0f pictures a second: %d of %d orbits are known", event, rate, known, all)
			}
			if inside*100 < known*90 {
				t.Errorf("%s at %.0f pictures a second: %d of %d lie inside their ± 2u", event, rate, inside, known)
			}
		}
	}
}
