package truth

import (
	"math"
	"math/rand/v2"
	"testing"

	"neokinema/core/body"
	"neokinema/core/measure"
	"neokinema/core/sim"
)

// Two films give the same from afar as from near, each within its ±: how well the
// known points tell the cameras is part of it, and refuses nothing.
func TestFarFilmsAgreeWithNearOnes(t *testing.T) {
	for _, event := range []string{"hammer", "discus"} {
		var near map[string]measure.Value
		for _, metres := range []float64{16, 45} {
			h := hand{r: rand.New(rand.NewPCG(8, uint64(metres))), px: 2, centres: true}
			known, all, inside, agree, both := 0, 0, 0, 0, 0
			w := sim.Request{Event: event, Variant: shipped(t)[event].Variants[0].ID, Athlete: sim.Athlete{HeightM: 1.82, Sex: body.Man, Side: body.Right}, Seed: 71}
			film := func(view string) take {
				return shootWith(t, w, view, func(c *sim.Camera, _ *sim.Motion) {
					c.Capture, c.Playback, c.Width, c.Tall, c.Distance = 120, 120, 1280, 720, metres
				})
			}
			now := map[string]measure.Value{}
			k := pair{film("back"), film("side-open")}
			for _, v := range measure.Evaluate(k.lay(t, h)) {
				want, has := k.first.truth.Measures[v.Key]
				if !has || v.Method != "two films" && v.Known() {
					continue
				}
				all++
				if !v.Known() {
					t.Logf("%s at %.0f m: %s lacks %v", event, metres, v.Key, v.Missing[0].What)
					continue
				}
				known++
				if covers(v, want) {
					inside++
				}
				if was, has := near[v.Key]; has {
					both++
					if off(v, was.Value) <= 2*math.Hypot(v.U, was.U) {
						agree++
					}
				}
				now[v.Key] = v
			}
			t.Logf("%s at %.0f m: %d of %d known, %d inside; %d of %d agree with the near films", event, metres, known, all, inside, agree, both)
			if known*100 < 95*all || inside*100 < 93*known || agree*100 < 93*both {
				t.Errorf("%s at %.0f m: %d of %d known, %d inside their ± 2u, %d of %d agree with the near films", event, metres, known, all, inside, agree, both)
			}
			near = now
		}
	}
}
