package truth

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"neokinema/core/body"
	"neokinema/core/coach"
	"neokinema/core/judge"
	"neokinema/core/measure"
	core "neokinema/core/playbook"
	"neokinema/core/sim"
)

// relay is an attempt with a fault, the cue that was given, and what the next
// attempt does with it.
type relay struct {
	event, variant, fault string
	strength, then        float64 // before and after
	cue                   string
	set                   map[string]float64 // knobs of the next attempt: how the cue is misread
	want                  coach.Outcome
}

// What a later clip says of a cue is what the simulated athlete did with it: took
// it, ignored it, misread it or got worse.
func TestFollowUpsTellWhatTheAthleteDid(t *testing.T) {
	var relays []relay
	for _, f := range []struct{ event, variant, fault string }{
		{"sprint-start", "", "front-knee-open"}, {"sprint-start", "", "high-heel-recovery"}, {"running", "easy", "over-stride"}, {"long-jump", "hang", "lean-back"}, {"long-jump", "sail", "short-landing"},
		{"high-jump", "speed", "foot-under"}, {"pole-vault", "firm", "under"}, {"javelin", "forward", "short-draw"}, {"shot-glide", "reverse", "slow-feet"}, {"discus", "full", "hips-drop-back"},
	} {
		relays = append(relays,
			relay{event: f.event, variant: f.variant, fault: f.fault, strength: 0.8, want: coach.Changed},
			relay{event: f.event, variant: f.variant, fault: f.fault, strength: 0.8, then: 0.8, want: coach.NoChange},
			relay{event: f.event, variant: f.variant, fault: f.fault, strength: 0.6, then: 1, want: coach.Worse})
	}
	relays = append(relays,
		relay{event: "sprint-start", fault: "front-knee-open", strength: 0.8, then: 0.8, cue: "front-knee-open-spring", set: map[string]float64{"hand-load@set": -0.1}, want: coach.Misread},
		relay{event: "long-jump", variant: "hang", fault: "lean-back", strength: 0.8, then: 0.8, cue: "lean-tall", set: map[string]float64{"pen-knee": 174}, want: coach.Misread},
		relay{event: "pole-vault", variant: "firm", fault: "late-plant", strength: 0.8, then: 0.8, cue: "plant-push", set: map[string]float64{"speed-kept": 82}, want: coach.Misread},
		relay{event: "javelin", variant: "forward", fault: "short-draw", strength: 0.8, then: 0.8, cue: "draw-long", set: map[string]float64{"attack@release": 16}, want: coach.Misread})
	n, wrong, clear := 0, 0, 0
	for i, x := range relays {
		for seed := range uint64(1) {
			outcome, moved, ok := x.run(t, seed, uint64(i))
			n++
			if !ok || x.want != coach.NoChange && moved < 4 || x.want == coach.NoChange && moved > 1 {
				continue // the ± hides it, or no two attempts are quite the same
			}
			clear++
			if outcome != x.want {
				wrong++
				t.Logf("%s %s %.1f then %.1f, seed %d: %s, want %s", x.event, x.fault, x.strength, x.then, seed, outcome, x.want)
			}
		}
	}
	t.Logf("%d of %d outcomes wrong, of %d pairs", wrong, clear, n)
	if clear < 18 || 20*wrong > clear {
		t.Errorf("%d of %d outcomes wrong", wrong, clear)
	}
}

// run films both attempts and follows the second up. Moved is by how many standard
// uncertainties the truth of the measure that decides changed; not ok: the fault
// could not be told in the first.
func (x relay) run(t *testing.T, seed, row uint64) (outcome coach.Outcome, moved float64, ok bool) {
	t.Helper()
	e, err := shipped(t)[x.event].As(x.variant)
	if err != nil {
		t.Fatal(err)
	}
	side := body.Right
	if seed%2 == 1 && x.event != "running" {
		side = body.Left
	}
	want := sim.Request{Event: x.event, Variant: x.variant, Athlete: sim.Athlete{HeightM: 1.70 + 0.05*float64(seed), Sex: body.Man, Side: side}, Seed: 7100 + 10*row + seed, Faults: map[string]float64{x.fault: x.strength}}
	h := hand{r: rand.New(rand.NewPCG(seed, row)), px: 1.5, centres: true}
	before := patient{want, e}
	values := before.values(t, h)
	reading := judge.Read(e, judge.Evidence{Who: core.Who{Level: "trained", Sex: "man", Variant: x.variant}, Values: values})
	i := slices.IndexFunc(reading.Findings, func(f judge.Finding) bool { return f.Fault == x.fault })
	aim, ok := coach.MustShow(e, reading.Findings[i], reading.Values)
	if !ok {
		return "", 0, false
	}
	next := want
	next.Seed, next.Faults, next.Set = want.Seed+5000, map[string]float64{}, x.set
	if x.then > 0 {
		next.Faults[x.fault] = x.then
	}
	after := patient{next, e}
	var cue core.Cue
	for _, c := range e.CuesFor(x.fault) {
		if c.ID == x.cue {
			cue = c
		}
	}
	got := coach.Follow(aim, cue, byKey(values), byKey(after.values(t, h)))
	then, err := simulated(want)
	if err != nil {
		t.Fatal(err)
	}
	now, err := simulated(next)
	if err != nil {
		t.Fatal(err)
	}
	key := aim.Key
	shift := got.Aim
	if x.want == coach.Misread {
		key, shift = cue.Misread.Measure, got.Watched
	}
	if shift == nil {
		return got.Outcome, 0, false
	}
	return got.Outcome, math.Abs(now.Measures[key]-then.Measures[key]) / shift.U, true
}

func byKey(values []measure.Value) map[string]measure.Value {
	out := map[string]measure.Value{}
	for _, v := range values {
		out[v.Key] = v
	}
	return out
}
