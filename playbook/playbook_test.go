package playbook

import (
	"fmt"
	"strings"
	"testing"
)

func TestShippedFilesAreValid(t *testing.T) {
	events, err := Load()
	if err != nil {
		t.Fatal(err)
	}
	if _, ok := events["sprint-start"]; !ok {
		t.Error("the sprint start is missing")
	}
}

// A measure is evidence of a fault, or says that it is kept for the record.
func TestMeasuresAreOfUse(t *testing.T) {
	events, err := Load()
	if err != nil {
		t.Fatal(err)
	}
	for _, e := range events {
		evidence := map[string]bool{}
		for _, f := range e.Faults {
			for _, v := range f.Evidence {
				measure, _, _ := strings.Cut(v.Measure, "@")
				evidence[measure] = true
			}
		}
		for _, m := range e.Measures {
			if evidence[m.ID] == m.Record {
				t.Errorf("%s, %s: evidence %t, for the record %t", e.ID, m.ID, evidence[m.ID], m.Record)
			}
		}
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
	books, err := Load()
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

// A short text whose aliases stand for gigabytes is refused before it is written
// out, in a moment.
func TestAliasesThatExpandAreRefused(t *testing.T) {
	books, err := Load()
	if err != nil {
		t.Fatal(err)
	}
	var bomb strings.Builder
	bomb.WriteString("care: [&a0 \"" + strings.Repeat("x", 1000) + "\"")
	for i := 1; i < 12; i++ {
		fmt.Fprintf(&bomb, ", &a%d [%s]", i, strings.TrimSuffix(strings.Repeat(fmt.Sprintf("*a%d, ", i-1), 10), ", "))
	}
	bomb.WriteString("]\n")
	// The expansion that a decoder with a rule of its own lets pass: long texts,
	// few aliases.
	long := "faults: [&f {id: a, says: \"" + strings.Repeat("y", 100_000) + "\"}" + strings.Repeat(", *f", 20_000) + "]"
	deep := "care: " + strings.Repeat("[", 60) + strings.Repeat("]", 60)
	for name, text := range map[string]string{"ten to the twelfth": bomb.String(), "one long text": long, "nested": deep, "half a megabyte": "# " + strings.Repeat("z", MostBytes)} {
		if _, err := DecodePatch(books["hammer"], []byte(text)); err == nil {
			t.Errorf("%s passes", name)
		}
		if _, err := Decode("x.yaml", []byte(text)); err == nil {
			t.Errorf("%s passes as a file", name)
		}
	}
	if _, err := ReadPatch([]byte("bands: [{measure: trunk, band: &b {low: 1, class: C}}, {measure: other, band: *b}]")); err != nil {
		t.Errorf("an honest alias: %v", err)
	}
}

func TestNumbersThatAreNoneAreRefused(t *testing.T) {
	books, err := Load()
	if err != nil {
		t.Fatal(err)
	}
	for _, text := range []string{
		"bands: [{measure: front-knee, band: {low: .nan, high: 100, class: C}}]", "bands: [{measure: front-knee, band: {low: 80, high: .inf, class: C}}]",
		"bands: [{measure: front-knee, band: {low: 80, high: 1e300, class: C}}]", "bands: [{measure: front-knee, band: {low: 80, high: 100, aim: [.nan], class: C}}]",
		"care: [\"a\\0b\"]", "without: [a]\n---\nwithout: [b]",
	} {
		if _, err := DecodePatch(books["sprint-start"], []byte(text)); err == nil {
			t.Errorf("%s passes", text)
		}
	}
}
