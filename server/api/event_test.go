package api_test

import (
	"encoding/json"
	"os"
	"slices"
	"strings"
	"testing"

	"neokinema/core/judge"
	"neokinema/core/measure"
	"neokinema/playbook"
	"neokinema/server/api"
	"neokinema/server/assemble"
	"neokinema/server/store"
)

// An event is a file: a triple jump that nothing in the program knows, and that no
// simulated athlete does, is split, measured, judged, assigned and printed.
func TestAnEventIsAFile(t *testing.T) {
	h := open(t, false)
	data, err := os.ReadFile("testdata/triple-jump.yaml")
	if err != nil {
		t.Fatal(err)
	}
	e, err := playbook.Decode("triple-jump.yaml", data)
	if err != nil {
		t.Fatal(err)
	}
	if problems := e.Validate(measure.Signatures()); len(problems) > 0 {
		t.Fatal(problems)
	}
	h.server.Playbooks[e.ID] = e
	h.enter("tove", "coach", store.NewID())
	h.attempt() // which brings an athlete
	var today api.Today
	h.want(200, "GET", "/api/today", nil, &today)
	i := slices.IndexFunc(today.Events, func(n api.EventName) bool { return n.Id == e.ID })
	if i < 0 || today.Events[i].SchoolName != "rhythm" || !slices.Equal(today.Events[i].Log, []string{"wind", "board"}) {
		t.Fatalf("it is listed as %+v", today.Events)
	}
	attempt := store.NewID().String()
	h.want(200, "POST", "/api/attempts", map[string]any{"id": attempt, "athleteId": today.Athletes[0].Id, "event": e.ID, "variant": "double", "day": "2026-11-24", "place": "oval", "mark": "14.20"}, nil)
	h.refused(422, "lies above 0 and up to 20", "POST", "/api/attempts", map[string]any{"id": store.NewID(), "athleteId": today.Athletes[0].Id, "event": e.ID, "variant": "double", "day": "2026-11-24", "place": "oval", "mark": "21.00"})
	h.film(attempt, brief(t, 200), "jump.mp4")
	do := h.coach(attempt)

	// Split. 240 pictures a second: 48 pictures are 0.2 s.
	do(map[string]any{"kind": "rate", "rate": 240})
	b := do(map[string]any{"kind": "stamps", "stamps": map[string]int{"hop-td": 100, "hop-to": 148, "step-td": 190}})
	if b.Side != "L" || !slices.Equal(b.Feet, e.Feet) || !slices.Equal(b.FirstLine, []string{"takeoff"}) {
		t.Errorf("the athlete's take-off leg is the left: side %s, feet %v, first line %v", b.Side, b.Feet, b.FirstLine)
	}
	h.refused(422, "not in the playbook of the triple jump", "POST", "/api/attempts/"+attempt+"/commands", map[string]any{"id": store.NewID(), "version": b.Version, "kind": "stamp", "keyId": "board-td", "frame": 90})
	var proposals assemble.Proposals
	h.want(200, "GET", "/api/attempts/"+attempt+"/proposals", nil, &proposals)

	// Measure: a knee of 90 degrees, a trunk that stands.
	do(map[string]any{"kind": "view", "view": "side-open", "rightward": true})
	for l, at := range map[string][2]float64{"hip.L": {600, 300}, "knee.L": {600, 400}, "ankle.L": {500, 400}, "shoulder.L": {600, 150}, "hip.R": {600, 300}, "shoulder.R": {600, 150}} {
		do(map[string]any{"kind": "landmark", "frame": 100, "landmark": l, "at": map[string]float64{"x": at[0], "y": at[1]}})
	}
	var r assemble.Reading
	h.want(200, "GET", "/api/attempts/"+attempt+"/reading", nil, &r)
	for key, want := range map[string]float64{"contact@hop-to": 0.2, "knee@hop-td": 90, "trunk@hop-td": 0} {
		v := value(r, key)
		if d := v.Value.Value - want; !v.Known() || d > 0.01 || d < -0.01 {
			t.Errorf("%s is %v ± %v, want %v: %v", key, v.Value.Value, 2*v.U, want, v.Missing)
		}
	}
	if len(r.Phases) != 2 || len(r.Contacts) != 2 || len(r.Flights) != 1 {
		t.Errorf("the score has %d phases, %d contacts, %d flights", len(r.Phases), len(r.Contacts), len(r.Flights))
	}

	// Judge: the knee is the root of the long contact.
	if v := value(r, "contact@hop-to"); v.Verdict != judge.Out {
		t.Errorf("a contact of 0.2 s is %s", v.Verdict)
	}
	if len(r.Roots) == 0 || r.Roots[0].Fault != "soft-knee" {
		t.Errorf("the roots are %+v", r.Roots)
	}
	do(map[string]any{"kind": "focus", "fault": "soft-knee", "why": "it comes first"})
	do(map[string]any{"kind": "assign", "fault": "soft-knee", "assignment": map[string]any{"cue": "pole", "words": "Your leg is a lamp post.", "drill": "hops", "dose": "4 × 6", "refilm": "2026-12-01"}})

	// A report, and the pages of the event.
	sheet := h.text("/api/attempts/" + attempt + "/report")
	for _, says := range []string{"Triple jump", "14.20 m", "Soft knee", "lamp post"} {
		if !strings.Contains(sheet, says) {
			t.Errorf("the report does not say %q", says)
		}
	}
	for _, path := range []string{"/api/attempts/" + attempt + "/card.pdf", "/api/playbook/triple-jump/filming.pdf", "/api/playbook/triple-jump", "/api/playbook/triple-jump/poses?view=side-open", "/api/attempts/" + attempt + "/strip.png", "/api/sim", "/api/athletes/" + today.Athletes[0].Id.String()} {
		if got := h.ask("GET", path, nil, nil); got != 200 {
			t.Errorf("%s answers %d", path, got)
		}
	}
	if data, err := json.Marshal(proposals); err != nil || len(data) == 0 {
		t.Error(err)
	}
}

// value is a reading's value by its key.
func value(r assemble.Reading, key string) (v judge.Judged) {
	if i := slices.IndexFunc(r.Values, func(v judge.Judged) bool { return v.Key == key }); i >= 0 {
		v = r.Values[i]
	}
	return v
}
