// Package athlete holds the simulated athlete against the playbook: its clean
// movements lie in the bands, its faults show in their evidence.
package athlete

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"neokinema/core/body"
	core "neokinema/core/playbook"
	"neokinema/core/sim"
	"neokinema/playbook"
)

func books(t testing.TB) map[string]core.Event {
	t.Helper()
	b, err := playbook.Load()
	if err != nil {
		t.Fatal(err)
	}
	return b
}

func man(side body.Side) sim.Athlete { return sim.Athlete{HeightM: 1.82, Sex: body.Man, Side: side} }

func woman(side body.Side) sim.Athlete {
	return sim.Athlete{HeightM: 1.70, Sex: body.Woman, Side: side}
}

func move(t *testing.T, w sim.Request) *sim.Motion {
	t.Helper()
	m, err := sim.Simulate(w)
	if err != nil {
		t.Fatal(err)
	}
	return m
}

// valuesOf are the values of an evidence's measure: at its place, or at every
// turn or stride of it.
func valuesOf(m *sim.Motion, key string) []float64 {
	if v, ok := m.Measures[key]; ok {
		return []float64{v}
	}
	var out []float64
	for k, v := range m.Measures {
		if base, _, repeated := strings.Cut(k, "#"); repeated && base == key {
			out = append(out, v)
		}
	}
	return out
}

// worst is the value of the evidence farthest out.
func worst(m *sim.Motion, ev core.Evidence) (float64, bool) {
	v := valuesOf(m, ev.Measure)
	if len(v) == 0 {
		return 0, false
	}
	if ev.Side == "high" {
		return slices.Max(v), true
	}
	return slices.Min(v), true
}

func TestCleanMovementsLieInTheBands(t *testing.T) {
	for id, e := range books(t) {
		variants, err := sim.Variants(id)
		if err != nil {
			t.Error(err)
			continue
		}
		for _, variant := range variants {
			for _, who := range []sim.Athlete{man(body.Right), woman(body.Left)} {
				t.Run(fmt.Sprintf("%s %s %s", id, variant, who.Sex), func(t *testing.T) {
					m := move(t, sim.Request{Event: id, Variant: variant, Athlete: who})
					as, err := e.As(variant)
					if err != nil {
						as, err = e.As("")
						if err != nil {
							t.Fatal(err)
						}
					}
					for _, measure := range as.Measures {
						for _, keyID := range measure.At {
							v, ok := m.Measures[measure.ID+"@"+keyID]
							if !ok {
								if k, _ := as.Key(keyID); !noFirst[measure.ID] && !k.Optional {
									t.Errorf("the truth knows nothing of %s@%s", measure.ID, keyID)
								}
								continue
							}
							base, _, _ := strings.Cut(keyID, "#")
							b, ok := measure.BandAt(keyID, core.Who{Level: "trained", Sex: string(who.Sex), Variant: variant})
							if !ok {
								b, ok = measure.BandAt(base, core.Who{Level: "trained", Sex: string(who.Sex), Variant: variant})
							}
							if ok && (b.Low != nil && v < *b.Low-1e-6 || b.High != nil && v > *b.High+1e-6) {
								low, high := math.Inf(-1), math.Inf(1)
								if b.Low != nil {
									low = *b.Low
								}
								if b.High != nil {
									high = *b.High
								}
								t.Errorf("%s@%s is %.3g, outside %g to %g", measure.ID, keyID, v, low, high)
							}
						}
					}
					for _, k := range as.Keys {
						if _, ok := m.Stamps[k.ID]; !ok && !k.Optional {
							t.Errorf("the truth has no stamp %s", k.ID)
						}
					}
				})
			}
		}
	}
}

// noFirst are measures of a change from turn to turn, which the first turn
// does not have.
var noFirst = map[string]bool{"hip-sway": true}

// elsewhere reports whether a later variant of the event shows an evidence.
func elsewhere(t *testing.T, event string, ev core.Evidence) bool {
	t.Helper()
	variants, err := sim.Variants(event)
	if err != nil {
		t.Fatal(err)
	}
	return slices.ContainsFunc(variants[1:], func(v string) bool {
		_, ok := worst(move(t, sim.Request{Event: event, Variant: v, Athlete: man(body.Right)}), ev)
		return ok
	})
}

// Every fault of every playbook can be injected: at half strength its evidence
// has moved the right way, at full strength it lies beyond the limit.
func TestFaultsShow(t *testing.T) {
	for id, e := range books(t) {
		known, err := sim.Faults(id)
		if err != nil {
			t.Error(err)
			continue
		}
		clean := move(t, sim.Request{Event: id, Athlete: man(body.Right)})
		for _, f := range e.Faults {
			t.Run(id+" "+f.ID, func(t *testing.T) {
				if byEye := slices.ContainsFunc(f.Evidence, func(ev core.Evidence) bool { return ev.Look != "" }); byEye && !slices.Contains(known, f.ID) {
					t.Skip("it is seen by eye")
				}
				if !slices.Contains(known, f.ID) {
					t.Fatal("the simulated athlete does not know this fault")
				}
				half := move(t, sim.Request{Event: id, Athlete: man(body.Right), Faults: map[string]float64{f.ID: 0.5}})
				full := move(t, sim.Request{Event: id, Athlete: man(body.Right), Faults: map[string]float64{f.ID: 1}})
				shown := false
				for _, ev := range f.Evidence {
					if ev.Measure == "" {
						continue
					}
					v0, ok := worst(clean, ev)
					if !ok && elsewhere(t, id, ev) {
						continue
					}
					if !ok {
						t.Errorf("the truth knows nothing of %s", ev.Measure)
						continue
					}
					v1, _ := worst(half, ev)
					v2, _ := worst(full, ev)
					sign := 1.0
					if ev.Side == "low" {
						sign = -1
					}
					if sign*(v1-v0) > 0 && sign*(v2-v1) > 0 && sign*(v2-ev.Limit) > 0 && sign*(v0-ev.Limit) <= 0 {
						shown = true
						continue
					}
					t.Logf("%s: %.3f, %.3f, %.3f; %s beyond %g", ev.Measure, v0, v1, v2, ev.Side, ev.Limit)
				}
				if !shown {
					t.Error("no evidence shows it")
				}
			})
		}
	}
}
