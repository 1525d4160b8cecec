package truth

import (
	"math/rand/v2"
	"testing"

	"neokinema/core/body"
	"neokinema/core/measure"
	"neokinema/core/sim"
)

// A hand that misses by more than it says is found out by what it placed: every ±
// grows, and the truth stays inside. One that misses as it says keeps its ±.
func TestScatterIsSeen(t *testing.T) {
	for _, c := range []struct {
		event string
		pair  bool
	}{{"hammer", true}, {"running", false}, {"pole-vault", false}, {"sprint-start", false}} {
		for _, px := range []float64{2, 8} {
			h := hand{r: rand.New(rand.NewPCG(4, uint64(px))), px: px, centres: true}
			inside, known, factor := 0, 0, 0.0
			for seed := range uint64(3) {
				w := sim.Request{Event: c.event, Athlete: sim.Athlete{HeightM: 1.8, Sex: body.Man, Side: body.Right}, Seed: 90 + seed}
				if v := shipped(t)[c.event].Variants; len(v) > 0 {
					w.Variant = v[0].ID
				}
				k := shoot(t, w, "back", 120, 0)
				var s *measure.Recording
				if c.pair {
					s = pair{k, shoot(t, w, "side-open", 120, 0)}.lay(t, h)
				} else {
					k = shoot(t, w, "side-open", 120, 0)
					s = h.lay(t, k)
				}
				for _, v := range measure.Evaluate(s) {
					want, has := k.truth.Measures[v.Key]
					if !has || !v.Known() {
						continue
					}
					known++
					if covers(v, want) {
						inside++
					}
				}
				factor += s.Scatter().Factor / 3
			}
			t.Logf("%s, %v px told as 2: ± times %.2f, %d of %d inside", c.event, px, factor, inside, known)
			if px == 2 && factor > 1.35 || px == 8 && factor < 1.8 || factor > 0.75*px {
				t.Errorf("%s, %v px told as 2: every ± is multiplied by %.2f", c.event, px, factor)
			}
			if inside*100 < map[float64]int{2: 93, 8: 84}[px]*known { // the least and greatest of very noisy pictures stay too far out
				t.Errorf("%s, %v px told as 2: %d of %d inside ± 2u", c.event, px, inside, known)
			}
		}
	}
}
