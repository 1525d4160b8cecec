package playbook

import (
	"strings"
	"testing"
)

func TestShippedFilesAreValid(t *testing.T) {
	events, err := Shipped()
	if err != nil {
		t.Fatal(err)
	}
	if _, ok := events["sprint-start"]; !ok {
		t.Error("the sprint start is missing")
	}
}

func TestProblemsNameFileLineAndRemedy(t *testing.T) {
	good, err := shipped.ReadFile("sprint-start.yaml")
	if err != nil {
		t.Fatal(err)
	}
	tests := []struct{ name, old, new, want string }{
		{"unknown field", "zero: [gun, first-move]", "zeros: [gun]", "field zeros not found"},
		{"unknown kind", "kind: bend", "kind: bent", `"bent" is unknown: use one of`},
		{"dangling cause", "from: {set-too-far-forward: 0.7}", "from: {too-far: 0.7}", `"too-far" is not a fault or node`},
		{"circle", "from: {pedals-too-far-back: 1}", "from: {weak-exit: 1}", "goes in a circle"},
		{"upside-down band", "low: 88, high: 105", "low: 105, high: 88", "low is not below high"},
		{"fault without cue", "fault: head-up, kind", "fault: stumble, kind", `"head-up" has no cue`},
		{"full inside limit", "limit: 105, full: 122", "limit: 105, full: 100", "full does not lie beyond limit"},
		{"published without source", "class: P, source: \"reviews of the start, from memory\"}", "class: P}", "names its source"},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			if !strings.Contains(string(good), tt.old) {
				t.Fatalf("the file no longer holds %q", tt.old)
			}
			_, err := Decode("mine.yaml", []byte(strings.Replace(string(good), tt.old, tt.new, 1)))
			if err == nil || !strings.Contains(err.Error(), tt.want) {
				t.Fatalf("got %v, want %q", err, tt.want)
			}
			if !strings.Contains(err.Error(), "mine.yaml") || !strings.ContainsAny(err.Error(), "123456789") {
				t.Errorf("no file and line in %v", err)
			}
		})
	}
}

// Whatever a file or a change holds, reading it ends in a playbook or an error.
func FuzzDecode(f *testing.F) {
	for _, name := range []string{"sprint-start.yaml", "hammer.yaml"} {
		data, err := shipped.ReadFile(name)
		if err != nil {
			f.Fatal(err)
		}
		f.Add(string(data))
	}
	f.Add("bands: [{measure: trunk, band: {low: 1}}]")
	f.Add("without: [a, a]")
	books, err := Shipped()
	if err != nil {
		f.Fatal(err)
	}
	f.Fuzz(func(t *testing.T, text string) {
		if e, err := Decode("x.yaml", []byte(text)); err == nil {
			for _, v := range e.Variants {
				if _, err := e.As(v.ID); err != nil {
					t.Errorf("a sound playbook cannot be written out: %v", err)
				}
			}
		}
		if p, err := DecodePatch(books["long-jump"], []byte(text)); err == nil {
			if _, err := books["long-jump"].With(p); err != nil {
				t.Errorf("a sound change cannot be made: %v", err)
			}
		}
	})
}
