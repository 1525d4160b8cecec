package truth

import (
	"math/rand/v2"
	"testing"

	"neokinema/core/judge"
	"neokinema/core/measure"
	core "neokinema/core/playbook"
	"neokinema/core/sim"
)

// An eye that is right as often as a usual one ticks every look of a clean
// attempt, filmed once and measured: its wrong ticks invent hardly a focus.
func TestWrongTicksInventNoFocus(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 85))
	false_, all := 0, 0
	for _, event := range sim.Events() {
		for _, p := range patients(t, event, 3, true) {
			k := p.film(t, p.book.Views[0])
			values := measure.Evaluate(hand{r: r, px: 2, centres: true}.lay(t, k))
			for range 4 {
				looks := judge.Looks{}
				for _, l := range p.book.Looks {
					looks[l.ID] = "good"
					if r.Float64() > judge.LookReliability {
						looks[l.ID] = "off"
					}
				}
				all++
				who := core.Who{Level: "trained", Sex: string(p.want.Athlete.Sex), Variant: p.want.Variant}
				if got := judge.Read(p.book, judge.Evidence{Who: who, Values: values, Looks: looks}); len(got.Focuses) > 0 {
					false_++
					t.Logf("%s, seed %d: %s", event, p.want.Seed, got.Focuses[0].Fault)
				}
			}
		}
	}
	t.Logf("%d of %d clean attempts get a focus", false_, all)
	if false_*100 > 10*all {
		t.Errorf("%d of %d clean attempts get a focus by wrong ticks", false_, all)
	}
}
