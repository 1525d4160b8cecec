package sim

import (
	"neokinema/core/body"

	"fmt"
	"maps"
	"math"
	"math/rand/v2"
	"slices"
	"strings"

	"gonum.org/v1/gonum/spatial/r3"
)

// discipline is how one event is moved. Every number that steers it is a knob,
// named after the measure that it sets.
type discipline struct {
	id       string
	variants []string
	knobs    func(w Request) []knob
	faults   map[string]change
	lay      func(p *plan)
	measure  func(m *Motion) map[string]float64
	sampled  func(m *Motion, before func(stamp string) float64, interval float64) map[string]float64 // measures that are taken over pictures
}

// knob is a number that steers a movement: its usual value, how much it varies
// by itself (standard deviation), and what a body allows.
type knob struct {
	key       string
	v, vary   float64
	low, high float64
	held      bool // the movement is laid out again until its measure has this value
	tolerance float64
}

// change is what a fault of strength 1 does to knobs; a key without # stands
// for every turn or stride.
type change map[string]float64

// Request is what a movement is to show.
type Request struct {
	Event   string
	Variant string // empty: the event's first
	Level   string // developing, youth, trained or elite; empty: trained
	Athlete Athlete
	Seed    uint64             // 0: as planned, without natural variation
	Faults  map[string]float64 // fault → strength, 0 to 1
	Set     map[string]float64 // knob → value
}

// disciplines are all events, one file each.
func disciplines() []discipline {
	return []discipline{sprintStart(), running(), hammer(), weight(), discus(), shotGlide(), shotRotational(), javelin(), longJump(), highJump(), poleVault()}
}

// Events are the ids of all events that the athlete can do.
func Events() []string {
	var out []string
	for _, d := range disciplines() {
		out = append(out, d.id)
	}
	return out
}

func find(event string) (discipline, error) {
	for _, d := range disciplines() {
		if d.id == event {
			return d, nil
		}
	}
	return discipline{}, fmt.Errorf("there is no event %q: use one of %s", event, strings.Join(Events(), ", "))
}

// Variants are the ways in which an event can be done.
func Variants(event string) ([]string, error) {
	d, err := find(event)
	return d.variants, err
}

// Faults are the ids of the faults that an event can be given, sorted.
func Faults(event string) ([]string, error) {
	d, err := find(event)
	return slices.Sorted(maps.Keys(d.faults)), err
}

// Levels are the levels of an athlete.
var Levels = []string{"developing", "youth", "trained", "elite"}

// levelled is a number that depends on the level: of those who still grow or
// learn, of trained athletes, of the elite.
func levelled(level string, developing, trained, elite float64) float64 {
	switch level {
	case "developing", "youth":
		return developing
	case "elite":
		return elite
	}
	return trained
}

// rounds in which the knobs that stand for measures are set until the measures
// have their values.
const steering = 9

// settling is the rounds in which a swung ball finds its times.
const settling = 2

// Simulate moves an athlete as asked.
func Simulate(w Request) (*Motion, error) {
	d, err := find(w.Event)
	if err != nil {
		return nil, err
	}
	if err := w.Athlete.Check(); err != nil {
		return nil, err
	}
	if d.id == "running" { // both sides work alike: the first contact is the left foot's
		w.Athlete.Side = body.Right
	}
	if w.Variant == "" {
		w.Variant = d.variants[0]
	}
	if !slices.Contains(d.variants, w.Variant) {
		return nil, fmt.Errorf("%s has no variant %q: use one of %s", d.id, w.Variant, strings.Join(d.variants, ", "))
	}
	if w.Level == "" {
		w.Level = "trained"
	}
	if !slices.Contains(Levels, w.Level) {
		return nil, fmt.Errorf("there is no level %q: use one of %s", w.Level, strings.Join(Levels, ", "))
	}
	knobs := d.knobs(w)
	goal, err := d.goal(w, knobs)
	if err != nil {
		return nil, err
	}
	return d.steer(w, knobs, goal)
}

// goal is the value that each knob is to have: usual, varied by the seed,
// changed by the faults, set by hand.
func (d discipline) goal(w Request, knobs []knob) (map[string]float64, error) {
	goal := map[string]float64{}
	known := map[string]knob{}
	r := rand.New(rand.NewPCG(w.Seed, 0x5eed))
	for _, k := range knobs {
		goal[k.key], known[k.key] = k.v, k
		if w.Seed != 0 {
			goal[k.key] += clamp(r.NormFloat64(), -2, 2) * k.vary
		}
	}
	for _, id := range slices.Sorted(maps.Keys(w.Faults)) {
		strength := w.Faults[id]
		effect, ok := d.faults[id]
		if !ok {
			names, _ := Faults(d.id)
			return nil, fmt.Errorf("%s has no fault %q: use one of %s", d.id, id, strings.Join(names, ", "))
		}
		if strength < 0 || strength > 1 || math.IsNaN(strength) {
			return nil, fmt.Errorf("%s: a strength of %g is not between 0 and 1", id, strength)
		}
		for key, by := range effect {
			hit := false
			for _, k := range knobs {
				if base, _, _ := strings.Cut(k.key, "#"); k.key == key || base == key {
					goal[k.key] += shown(strength) * by
					hit = true
				}
			}
			if base, _, numbered := strings.Cut(key, "#"); numbered && !hit {
				_, hit = known[base+"#1"] // a turn that this variant does not have
			}
			if !hit {
				return nil, fmt.Errorf("%s: the fault %s changes %s, which nothing steers", d.id, id, key)
			}
		}
	}
	for _, k := range knobs {
		goal[k.key] = clamp(goal[k.key], k.low, k.high)
	}
	for _, key := range slices.Sorted(maps.Keys(w.Set)) {
		k, ok := known[key]
		if !ok {
			return nil, fmt.Errorf("%s is not steered by %q: use one of %s", d.id, key, strings.Join(slices.Sorted(maps.Keys(known)), ", "))
		}
		if v := w.Set[key]; v < k.low || v > k.high || math.IsNaN(v) {
			return nil, fmt.Errorf("%s cannot be %g: a body allows %g to %g", key, v, k.low, k.high)
		}
		goal[key] = w.Set[key]
	}
	return goal, nil
}

// shown is how much of a fault's whole effect an athlete shows at a strength:
// half of it is where the fault begins to be one, all of it where it counts as 1.
func shown(strength float64) float64 {
	if strength == 0 {
		return 0
	}
	return 0.5 + 0.5*strength
}

// steer lays the movement out again and again, each time correcting the knobs
// by what their measures lacked.
func (d discipline) steer(w Request, knobs []knob, goal map[string]float64) (*Motion, error) {
	value := maps.Clone(goal)
	var m *Motion
	for round := range steering {
		p := &plan{who: w.Athlete, pr: w.Athlete.Proportions(), event: d.id, variant: w.Variant, value: value, seed: w.Seed, stamps: map[string]float64{}, before: m}
		d.lay(p)
		var err error
		if m, err = p.motion(); err != nil {
			return nil, err
		}
		m.sampled = d.sampled
		m.Variant, m.Faults = w.Variant, map[string]float64{}
		for id, s := range w.Faults {
			if s > 0 {
				m.Faults[id] = s
			}
		}
		m.built = &figures{at: map[float64]*figure{}}
		m.Measures = d.measure(m)
		off := p.swung != nil && round < settling
		for _, k := range knobs {
			if !k.held {
				continue
			}
			got, ok := m.Measures[k.key]
			if !ok {
				panic("sim: " + d.id + " does not measure its knob " + k.key)
			}
			miss := goal[k.key] - got
			if math.Abs(miss) > k.tolerance/4 {
				off = true
				value[k.key] += miss
			}
		}
		if !off || round == steering-1 {
			break
		}
	}
	for _, k := range knobs {
		if got := m.Measures[k.key]; k.held && math.Abs(goal[k.key]-got) > k.tolerance {
			return nil, fmt.Errorf("%s: %s cannot be %.4g together with the rest: it comes to %.4g", d.id, k.key, goal[k.key], got)
		}
	}
	return m, nil
}

// free is a knob that is taken as it is.
func free(key string, v, vary, low, high float64) knob {
	return knob{key: key, v: v, vary: vary, low: low, high: high}
}

// held is a knob whose measure is brought to its value, within a tolerance.
func held(key string, v, vary, low, high, tolerance float64) knob {
	return knob{key: key, v: v, vary: vary, low: low, high: high, held: true, tolerance: tolerance}
}

// parts is how far, m, a landmark has to be from where the clean movement has
// it for a fault to have begun.
const parts = 0.05

// FaultOnset is the instant at which a faulty movement parts from the clean one of
// the same athlete and seed, seconds from the event's zero: the first at which
// a landmark, seen from the hips, is 5 cm away.
func FaultOnset(w Request) (float64, error) {
	faulty, err := Simulate(w)
	if err != nil {
		return 0, err
	}
	w.Faults = nil
	clean, err := Simulate(w)
	if err != nil {
		return 0, err
	}
	for t := faulty.Begin(); t < faulty.End(); t += 1.0 / 120 {
		a, b := faulty.figure(t), clean.figure(t)
		for i, p := range points(&a) {
			q := points(&b)[i]
			if d := r3.Sub(r3.Sub(p, a.midHip), r3.Sub(q, b.midHip)); r3.Norm(d) > parts {
				return t, nil
			}
		}
		if math.Abs(a.midHip.Z-b.midHip.Z) > parts {
			return t, nil
		}
	}
	return faulty.End(), nil
}

// points are the landmarks of a figure in a fixed order.
func points(f *figure) []r3.Vec {
	out := []r3.Vec{f.vertex, f.chin, f.neck, f.sternum, f.midHip}
	for s := right; s <= left; s++ {
		l := &f.limb[s]
		out = append(out, l.shoulder, l.elbow, l.wrist, l.knuckle, l.hip, l.knee, l.ankle, l.heel, l.toe)
	}
	return out
}
