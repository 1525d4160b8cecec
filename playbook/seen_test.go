package playbook

import (
	"slices"
	"strings"
	"testing"

	core "neokinema/core/playbook"
)

// A coach with one usual film has a sign of every fault: a number that this view
// gives, or a look. Every look is a sign of a fault, and every fault has a cue
// and a drill.
func TestEveryFaultShowsInOneUsualFilm(t *testing.T) {
	events, err := Load()
	if err != nil {
		t.Fatal(err)
	}
	for id, e := range events {
		looks := map[string]bool{}
		for _, f := range e.Faults {
			seen := false
			for _, v := range f.Evidence {
				looks[v.Look] = true
				seen = seen || v.Look != "" || givenBy(e, v.Measure)
			}
			if !seen {
				t.Errorf("%s: one film from %s shows no sign of %s", id, e.Views[0], f.ID)
			}
			if len(e.CuesFor(f.ID)) == 0 {
				t.Errorf("%s: %s has no cue", id, f.ID)
			}
			if !slices.ContainsFunc(e.Drills, func(d core.Drill) bool { return slices.Contains(d.Faults, f.ID) }) {
				t.Errorf("%s: %s has no drill", id, f.ID)
			}
		}
		for _, l := range e.Looks {
			if !looks[l.ID] {
				t.Errorf("%s: the look %s is a sign of nothing", id, l.ID)
			}
		}
	}
}

// givenBy reports whether the event's usual view gives a measure.
func givenBy(e core.Event, measure string) bool {
	id, _, _ := strings.Cut(measure, "@")
	m, ok := e.Measure(id)
	return ok && (len(m.Views) == 0 || slices.Contains(m.Views, e.Views[0]))
}
