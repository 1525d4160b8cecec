package playbook

import (
	"slices"
	"strings"
	"testing"

	"neokinema/core/judge"
	"neokinema/core/measure"
	"neokinema/core/playbook"
)

// What brings about what, as coaches of each event teach it (common practice):
// the first fault of each row, when all of the row is there, explains the rest.
var taught = map[string][]string{
	"sprint-start":    {"set-too-far-forward rear-block-unloaded weak-exit early-upright overreach-early", "front-knee-closed weak-exit", "late-lead-arm weak-exit", "head-up early-upright", "high-heel-recovery overreach-early", "set-too-far-forward stumble"},
	"running":         {"seated over-stride bounce", "high-arms torso-twist"},
	"hammer":          {"early-shoulders shoulder-lead", "wind-low-behind opened-winds loose-entry shoulder-lead drag-release", "short-winds loose-entry", "early-off late-catch shoulder-lead", "steep-first-turn lifting", "knee-collapse-entry hang-back sway fall-off", "straight-pivot-leg late-catch"},
	"weight":          {"loose-entry shoulder-lead drag-release", "early-off late-catch", "knee-collapse-entry hang-back sway"},
	"discus":          {"over-rotated-pivot straddle no-flight late-pivot-foot upper-body-ahead", "jump-up early-leg-extension left-ground-early", "dive over-rotated-pivot", "long-flight late-pivot-foot", "late-pivot-foot blocked-hips fall-off edge-up"},
	"shot-glide":      {"hop-up slow-feet early-open", "hop-up slow-feet fall-back", "straight-landing soft-front bent-over"},
	"shot-rotational": {"up-down late-free-arm short-flat-sweep over-rotated-pivot", "late-free-arm re-wrap-bent", "short-flat-sweep late-pivot-foot blocked-hips", "early-open elbow-drop"},
	"javelin":         {"casting-foot slow-down soft-block", "late-front-foot falls-off"},
	"long-jump":       {"early-drop forward-rotation short-landing", "no-setup early-drop", "reaching-board lean-back", "arms-together forward-rotation short-landing"},
	"high-jump":       {"straightened-before-plant jump-into-bar", "waist-bend straightened-before-plant", "foot-under jump-into-bar"},
	"pole-vault":      {"late-plant under early-bend", "late-plant low-arm", "early-bend passive-swing"},
}

// later are chains whose effect shows in the turn after its cause's: one turn alone
// cannot show them.
var later = []string{"steep-first-turn lifting", "straight-pivot-leg late-catch"}

func TestChainsAreAsTaught(t *testing.T) {
	events, err := Load()
	if err != nil {
		t.Fatal(err)
	}
	for id, e := range events {
		if len(taught[id]) == 0 {
			t.Errorf("%s: nothing is taught of it here", id)
		}
		shown := map[string]bool{}
		for _, v := range variants(e) {
			e, err := e.As(v)
			if err != nil {
				t.Fatal(err)
			}
		rows:
			for _, row := range taught[id] {
				if v == "one-heel" && slices.Contains(later, row) {
					continue
				}
				faults := strings.Fields(row)
				var findings []judge.Finding
				for _, f := range faults {
					def, ok := e.Fault(f)
					if !ok {
						t.Fatalf("%s has no fault %q", id, f)
					}
					rounds := moments(e, def)
					if len(rounds) == 0 { // it cannot show in this variant
						continue rows
					}
					findings = append(findings, judge.Finding{Fault: f, Name: def.Name, State: judge.Present, Strength: 0.7, Certainty: 1, Rounds: rounds})
				}
				shown[row] = true
				roots := judge.Explain(e, findings)
				if len(roots) == 0 || roots[0].Fault != faults[0] {
					t.Errorf("%s %s: %s: the root is %+v", id, v, row, roots)
					continue
				}
				for _, f := range faults[1:] {
					if !slices.ContainsFunc(roots[0].Effects, func(x judge.Effect) bool { return x.Fault == f }) {
						t.Errorf("%s %s: %s: %s does not follow", id, v, row, f)
					}
				}
			}
		}
		for _, row := range taught[id] {
			if !shown[row] {
				t.Errorf("%s: no variant shows all of %s", id, row)
			}
		}
	}
}

// moments are all turns or strides of a fault, each as strong.
func moments(e playbook.Event, f playbook.Fault) []judge.Round {
	if _, once := e.Key(f.At); once {
		return []judge.Round{{At: f.At, State: judge.Present, Strength: 0.7, Certainty: 1}}
	}
	var out []judge.Round
	for n := 1; ; n++ {
		at := playbook.Nth(f.At, n)
		if _, ok := e.Key(at); !ok {
			return out
		}
		out = append(out, judge.Round{N: n, At: at, State: judge.Present, Strength: 0.7, Certainty: 1})
	}
}

func variants(e playbook.Event) []string {
	out := []string{""}
	for _, v := range e.Variants {
		out = append(out, v.ID)
	}
	return out[min(1, len(e.Variants)):]
}

// For every school, level and sex: what lies inside its band shows no fault, and
// what lies at a fault's full value shows it wholly.
func TestEveryFaultShowsForEverybody(t *testing.T) {
	events, err := Load()
	if err != nil {
		t.Fatal(err)
	}
	checked := 0
	for id, whole := range events {
		schools := []string{""}
		for _, s := range whole.Schools {
			schools = append(schools, s.ID)
		}
		for _, v := range variants(whole) {
			e, err := whole.As(v)
			if err != nil {
				t.Fatal(err)
			}
			for _, school := range schools {
				for _, level := range []string{"developing", "youth", "trained", "elite"} {
					for _, sex := range []string{"woman", "man"} {
						who := playbook.Who{Level: level, Sex: sex, School: school, Variant: v}
						for _, f := range e.Faults {
							for _, ev := range f.Evidence {
								if ev.Measure == "" || e.RoundsOf(ev.Measure) > 0 {
									continue
								}
								measureID, place, _ := strings.Cut(ev.Measure, "@")
								m, ok := e.Measure(measureID)
								if b, has := m.BandAt(place, who); ok && has && slices.Contains(m.At, place) {
									checked++
									limit, full := e.Limits(ev, who)
									if edge := b.High; ev.Side == "high" && edge != nil && limit < *edge-1e-9 {
										t.Errorf("%s for %+v: %s counts from %v, inside the band that ends at %v", id, who, ev.Measure, limit, *edge)
									}
									if edge := b.Low; ev.Side == "low" && edge != nil && limit > *edge+1e-9 {
										t.Errorf("%s for %+v: %s counts from %v, inside the band that begins at %v", id, who, ev.Measure, limit, *edge)
									}
									r := judge.Read(e, judge.Evidence{Who: who, Values: []measure.Value{{Key: ev.Measure, Measure: measureID, KeyID: place, Unit: m.Unit, Value: full}}})
									i := slices.IndexFunc(r.Findings, func(x judge.Finding) bool { return x.Fault == f.ID })
									if got := r.Findings[i]; got.State != judge.Present || got.Strength < 0.999 {
										t.Errorf("%s for %+v: %s at its full value %v: %s is %s %.2f", id, who, ev.Measure, full, f.ID, got.State, got.Strength)
									}
								}
							}
						}
					}
				}
			}
		}
	}
	if checked < 1000 {
		t.Errorf("only %d pieces of evidence were checked", checked)
	}
}
