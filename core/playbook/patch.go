package playbook

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"
)

// Patch is what a club changes in an event's playbook: bands set, cues, drills
// and faults added or replaced by their id, others left out. The file itself
// stays as it is.
type Patch struct {
	Bands   []BandChange `json:"bands,omitempty"`
	Faults  []Fault      `json:"faults,omitempty"`
	Cues    []Cue        `json:"cues,omitempty"`
	Drills  []Drill      `json:"drills,omitempty"`
	Care    []string     `json:"care,omitempty"`    // cautions to add
	Without []string     `json:"without,omitempty"` // ids of faults, cues and drills to leave out
}

// BandChange sets a measure's band: the one of the same place, level, sex,
// school and variant, or a new one.
type BandChange struct {
	Measure string `json:"measure"`
	Band    Band   `json:"band"`
}

// Empty tells whether a patch changes nothing.
func (p Patch) Empty() bool {
	return len(p.Bands)+len(p.Faults)+len(p.Cues)+len(p.Drills)+len(p.Care)+len(p.Without) == 0
}

// With is the event as a patch changes it. It says what the patch names that the
// event does not have; whether the whole is sound is Validate's to say.
func (e Event) With(p Patch) (Event, error) {
	shipped := e
	e.Measures = slices.Clone(e.Measures)
	for _, c := range p.Bands {
		i := slices.IndexFunc(e.Measures, func(m Measure) bool { return m.ID == c.Measure })
		if i < 0 {
			return e, fmt.Errorf("%q is not a measure of %s", c.Measure, e.Name)
		}
		m := &e.Measures[i]
		m.Bands = slices.Clone(m.Bands)
		same := func(b Band) bool {
			return b.At == c.Band.At && b.Level == c.Band.Level && b.Sex == c.Band.Sex && b.School == c.Band.School && b.Variant == c.Band.Variant
		}
		if j := slices.IndexFunc(m.Bands, same); j >= 0 {
			m.Bands[j] = c.Band
		} else {
			m.Bands = append(m.Bands, c.Band)
		}
	}
	e.Faults = slices.Clone(e.Faults)
	for i, f := range e.Faults {
		e.Faults[i].Evidence = slices.Clone(f.Evidence)
		for j, ev := range f.Evidence {
			e.Faults[i].Evidence[j].Limit, e.Faults[i].Evidence[j].Full = moved(shipped, e, ev)
		}
	}
	e.Faults = merged(e.Faults, p.Faults, p.Without, func(f Fault) string { return f.ID })
	e.Cues = merged(e.Cues, p.Cues, p.Without, func(c Cue) string { return c.ID })
	e.Drills = merged(e.Drills, p.Drills, p.Without, func(d Drill) string { return d.ID })
	gone := func(id string) bool { return slices.Contains(p.Without, id) }
	less := func(from map[string]float64) map[string]float64 {
		out := maps.Clone(from)
		maps.DeleteFunc(out, func(id string, _ float64) bool { return gone(id) })
		return out
	}
	e.Cues = slices.DeleteFunc(e.Cues, func(c Cue) bool { return gone(c.Fault) })
	for i := range e.Faults {
		e.Faults[i].From = less(e.Faults[i].From)
	}
	e.Nodes = slices.Clone(e.Nodes)
	for i, n := range e.Nodes {
		e.Nodes[i].From, e.Nodes[i].To = less(n.From), slices.DeleteFunc(slices.Clone(n.To), gone)
	}
	for i, d := range e.Drills {
		e.Drills[i].Faults = slices.DeleteFunc(slices.Clone(d.Faults), gone)
	}
	e.Care = append(slices.Clone(e.Care), p.Care...)
	return e, nil
}

// moved are a piece of evidence's limit and full after the usual band of its
// measure was changed: its edge on that side takes them along.
func moved(before, after Event, ev Evidence) (limit, full float64) {
	id, keyID, _ := strings.Cut(ev.Measure, "@")
	was, _ := before.Measure(id)
	now, _ := after.Measure(id)
	a, _ := was.BandAt(keyID, Who{})
	b, _ := now.BandAt(keyID, Who{})
	by := ev.shift(a, b)
	return ev.Limit + by, ev.Full + by
}

// merged replaces what has the same id, adds what is new, and leaves others out.
func merged[T any](list, more []T, without []string, id func(T) string) []T {
	out := make([]T, 0, len(list)+len(more))
	for _, v := range list {
		if i := slices.IndexFunc(more, func(m T) bool { return id(m) == id(v) }); i >= 0 {
			v = more[i]
		}
		if !slices.Contains(without, id(v)) {
			out = append(out, v)
		}
	}
	for _, v := range more {
		if !slices.ContainsFunc(list, func(l T) bool { return id(l) == id(v) }) && !slices.Contains(without, id(v)) {
			out = append(out, v)
		}
	}
	return out
}

var ageGroups = []struct {
	most int // years, by the years of birth and of the day
	name string
}{{13, "U14"}, {15, "U16"}, {17, "U18"}, {19, "U20"}, {34, "senior"}, {math.MaxInt, "masters"}}

// AgeGroup is the class of an athlete by the years of birth and of the day, as
// federations have it: U14, U16, U18, U20, senior, masters from 35 (common
// practice; local rules win).
func AgeGroup(born, year int) string {
	for _, g := range ageGroups {
		if year-born <= g.most {
			return g.name
		}
	}
	return ""
}

// AgeGroups are the names of all, the youngest first.
func AgeGroups() []string {
	out := make([]string, len(ageGroups))
	for i, g := range ageGroups {
		out[i] = g.name
	}
	return out
}
