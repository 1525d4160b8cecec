package api_test

import (
	"io"
	"strings"
	"testing"
	"time"

	core "neokinema/core/playbook"
	"neokinema/playbook"
	"neokinema/server/api"
	"neokinema/server/store"
)

// What a club changes lies over the shipped playbook, for whom it is meant, with
// its history; an empty change takes it off; nonsense changes nothing.
func TestAClubChangesItsPlaybook(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	const at = "/api/playbook/long-jump/changes"
	event := func() (e core.Event) {
		h.want(200, "GET", "/api/playbook/long-jump", nil, &e)
		return e
	}
	change := func(scope, value, yaml string, on any) map[string]any {
		w := map[string]any{"id": store.NewID().String(), "scope": scope, "value": value, "yaml": yaml}
		if on != nil {
			w["on"] = on
		}
		return w
	}
	for says, bad := range map[string]map[string]any{
		"cannot be read":      change("club", "", "bands: 7", nil),
		"is not a measure":    change("club", "", "bands: [{measure: ghost, band: {low: 1, class: C}}]", nil),
		"not below":           change("club", "", "bands: [{measure: trunk, band: {low: 9, high: 2, class: C}}]", nil),
		"has no cue":          change("club", "", "without: [lean-tall]", nil),
		"not a level":         change("level", "world", "", nil),
		"is not a key":        change("club", "", "faults: [{id: odd, name: Odd, says: it is odd, at: moon, evidence: [{look: eyes-up}]}]\ncues: [{id: odd-cue, fault: odd, kind: picture, text: x}]", nil),
		"field jokes not":     change("club", "", "jokes: [x]", nil),
		"not a athlete":       change("athlete", "somebody", "", nil),
		"newer state, then m": change("club", "", "", store.NewID().String()),
	} {
		h.refused(422, says, "POST", at, bad)
	}
	usual := event()
	var got api.PlaybookChanges
	first := change("club", "", "bands: [{measure: trunk, band: {low: -4, high: 10, class: C, source: our own}}]\ncues: [{id: run-tall, fault: lean-back, kind: picture, text: Run like a flagpole.}]", nil)
	h.want(200, "POST", at, first, &got)
	h.want(200, "POST", at, first, &got) // sent twice
	if len(got.Now) != 1 || len(got.History) != 1 || got.Now[0].Patch.Bands[0].Measure != "trunk" || got.Now[0].By == "" {
		t.Fatalf("%+v", got)
	}
	e := event()
	m, _ := e.Measure("trunk")
	if b, _ := m.BandAt("board-to", core.Who{}); *b.Low != -4 || *b.High != 10 || len(e.Cues) != len(usual.Cues)+1 {
		t.Errorf("the band is %v, %d cues", b, len(e.Cues))
	}
	// For a level: only its athletes are read so.
	h.want(200, "POST", at, change("level", "youth", "bands: [{measure: trunk, band: {low: -20, high: 30, class: C}}]", nil), &got)
	attempt := h.log("long-jump", "hang")
	h.want(200, "GET", "/api/playbook/long-jump?attempt="+attempt, nil, &e)
	m, _ = e.Measure("trunk")
	if b, _ := m.BandAt("board-to", core.Who{}); *b.Low != -4 {
		t.Errorf("a trained athlete is read by the band of the youth: %v", *b.Low)
	}
	h.refused(404, "", "GET", "/api/playbook/hammer?attempt="+attempt, nil)
	// The file can be kept, sent and read again.
	answer, err := h.http.Get(h.base + "/api/playbook/long-jump/file.yaml")
	if err != nil {
		t.Fatal(err)
	}
	defer answer.Body.Close()
	file, err := io.ReadAll(answer.Body)
	if err != nil || answer.StatusCode != 200 {
		t.Fatalf("the file answers %d, %v", answer.StatusCode, err)
	}
	again, err := playbook.Decode("long-jump.yaml", file)
	if err != nil || again.ID != "long-jump" || !strings.Contains(string(file), "flagpole") {
		t.Errorf("%v", err)
	}
	// Back to the shipped, made on the present state; on an older one it is refused.
	h.refused(422, "meantime", "POST", at, change("club", "", "", nil))
	h.want(200, "POST", at, change("club", "", "", first["id"]), &got)
	if e = event(); len(e.Cues) != len(usual.Cues) || len(got.History) != 3 {
		t.Errorf("%d cues, history of %d", len(e.Cues), len(got.History))
	}
}

// After a change every attempt of the event is read anew, in the background; a
// newer change ends what is under way.
func TestAttemptsAreJudgedAnew(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	attempt := h.attempt()
	h.film(attempt, brief(t, 90), "a.mp4")
	do := h.coach(attempt)
	do(map[string]any{"kind": "rate", "rate": 240})
	do(map[string]any{"kind": "stamp", "keyId": "td1", "frame": 20})
	do(map[string]any{"kind": "stamp", "keyId": "to1", "frame": 61})
	band := func() (low float64) {
		var r struct {
			Values []struct {
				Key  string
				Band struct{ Low float64 }
			}
		}
		h.want(200, "GET", "/api/attempts/"+attempt+"/reading", nil, &r)
		for _, v := range r.Values {
			if v.Key == "contact@to1" {
				return v.Band.Low
			}
		}
		return 0
	}
	if low := band(); low != 0.15 {
		t.Fatalf("the shipped band begins at %v", low)
	}
	const at = "/api/playbook/sprint-start/changes"
	first, second := store.NewID().String(), store.NewID().String()
	yaml := func(low string) string {
		return "bands: [{measure: contact, band: {at: to1, low: " + low + ", high: 0.3, class: C}}]"
	}
	h.want(200, "POST", at, map[string]any{"id": first, "scope": "club", "value": "", "yaml": yaml("0.11")}, nil)
	h.want(200, "POST", at, map[string]any{"id": second, "on": first, "scope": "club", "value": "", "yaml": yaml("0.12")}, nil)
	var got api.PlaybookChanges
	for end := time.Now().Add(30 * time.Second); ; time.Sleep(50 * time.Millisecond) {
		h.want(200, "GET", at, nil, &got)
		if got.Judging != nil && got.Judging.State == "done" {
			break
		}
		if time.Now().After(end) {
			t.Fatalf("it does not end: %+v", got.Judging)
		}
	}
	if got.Judging.Total != 1 || got.Judging.Done != 1 {
		t.Errorf("%+v", got.Judging)
	}
	var kept int
	if err := h.store.DB.GetContext(t.Context(), &kept, `select count(distinct rules) from run where attempt_id = $1`, attempt); err != nil || kept < 2 {
		t.Errorf("%d runs by the new bands are kept, %v", kept, err)
	}
	if low := band(); low != 0.12 {
		t.Errorf("the band begins at %v", low)
	}
}

// The coach's word on a fault is kept with its reason, and undone.
func TestACoachOverrules(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	attempt := h.log("javelin", "forward")
	var b api.Bench
	for _, bad := range []map[string]any{{"state": "present", "why": " "}, {"state": "perhaps", "why": "x"}} {
		if got := h.command(attempt, 0, map[string]any{"kind": "overrule", "fault": "low-elbow", "overrule": bad}, &b); got != 422 {
			t.Errorf("%v is answered with %d", bad, got)
		}
	}
	if got := h.command(attempt, 0, map[string]any{"kind": "overrule", "fault": "ghost", "overrule": map[string]any{"state": "present", "why": "x"}}, &b); got != 422 {
		t.Errorf("an unknown fault is answered with %d", got)
	}
	if got := h.command(attempt, 0, map[string]any{"kind": "distance", "distance": 900}, &b); got != 422 {
		t.Errorf("a camera far away is answered with %d", got)
	}
	do := h.coach(attempt)
	if b = do(map[string]any{"kind": "overrule", "fault": "low-elbow", "overrule": map[string]any{"state": "absent", "why": "seen from behind"}}); b.Overruled["low-elbow"].Why != "seen from behind" {
		t.Errorf("%+v", b.Overruled)
	}
	do(map[string]any{"kind": "overrule", "fault": "low-elbow", "overrule": map[string]any{"state": "present", "why": "slow motion"}})
	if b = do(map[string]any{"kind": "undo"}); b.Overruled["low-elbow"].State != "absent" {
		t.Errorf("taken back: %+v", b.Overruled)
	}
	if b = do(map[string]any{"kind": "overrule", "fault": "low-elbow"}); len(b.Overruled) != 0 {
		t.Errorf("taken off: %+v", b.Overruled)
	}
	if b = do(map[string]any{"kind": "distance", "distance": 42.5}); b.Calibration.Distance == nil || *b.Calibration.Distance != 42.5 {
		t.Errorf("%+v", b.Calibration)
	}
}
