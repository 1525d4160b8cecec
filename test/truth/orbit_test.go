package truth

import (
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"neokinema/core/body"
	"neokinema/core/judge"
	"neokinema/core/measure"
	core "neokinema/core/playbook"
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

// Where the circle is marked, a camera that stands beside the throwing line turns no
// azimuth and moves nobody: what is read from behind holds the truth, and no clean throw
// gets a focus.
func TestACircleTellsACameraOffTheThrowingLine(t *testing.T) {
	for _, event := range []string{"hammer", "weight"} {
		for _, off := range []float64{20, -20} {
			inside := tally{}
			for i, p := range patients(t, event, 4, true) {
				h := hand{r: rand.New(rand.NewPCG(61, uint64(i))), px: 2, centres: true, sees: true, halves: true}
				k := shootWith(t, p.want, "back", func(c *sim.Camera, _ *sim.Motion) {
					c.Capture, c.Playback, c.Width, c.Tall, c.OffSquare = 120, 120, 1280, 720, off
				})
				s := h.lay(t, k)
				h.standOnCircle(t, k, s)
				values := measure.Evaluate(s)
				for _, v := range values {
					m, _ := k.event.Measure(v.Measure)
					want, has := k.truth.Measures[v.Key]
					if has && v.Known() && slices.Contains([]string{"orbit-azimuth", "orbit-low", "orbit-high", "shift-mean", "aside-since"}, m.Kind) {
						inside.add(m.Kind, covers(v, want))
					}
				}
				who := core.Who{Level: "trained", Sex: string(p.want.Athlete.Sex), Variant: p.want.Variant}
				if f := judge.Read(p.book, judge.Evidence{Who: who, Values: values}).Focuses; len(f) > 0 {
					t.Errorf("%s, camera %.0f° off: a clean throw gets %s", event, off, f[0].Fault)
				}
			}
			for kind, c := range inside {
				if c[0]*100 < 85*c[1] {
					t.Errorf("%s, camera %.0f° off: of %d values of %s %d hold the truth", event, off, c[1], kind, c[0])
				}
			}
		}
	}
}
