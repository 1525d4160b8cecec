package api_test

import (
	"strings"
	"testing"

	"neokinema/server/api"
	"neokinema/server/store"
)

// An athlete's page shows what is worked on, the marks and what cues did; to
// their coach alone.
func TestAnAthletesPage(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	first, second := h.log("long-jump", "hang"), h.log("long-jump", "hang")
	h.command(first, 0, map[string]any{"kind": "mark", "worth": map[string]any{"text": "6.12"}}, nil)
	h.command(first, 1, map[string]any{"kind": "assign", "fault": "lean-back", "assignment": map[string]any{"cue": "lean-tall", "words": "Run tall.", "drill": "", "dose": "", "refilm": "2026-01-02"}}, nil)
	h.command(second, 0, map[string]any{"kind": "mark", "worth": map[string]any{"foul": "over the line"}}, nil)
	if got := h.command(second, 1, map[string]any{"kind": "follow", "fault": "lean-back", "of": first, "outcome": "misread"}, nil); got != 200 {
		t.Fatalf("keeping a follow-up answers %d", got)
	}
	if got := h.command(second, 2, map[string]any{"kind": "follow", "fault": "no-such", "of": first, "outcome": "misread"}, nil); got != 422 {
		t.Errorf("a fault that is not in the playbook answers %d", got)
	}
	var bench api.Bench
	h.want(200, "GET", "/api/attempts/"+second, nil, &bench)
	if len(bench.FollowUps) != 1 || bench.FollowUps[0].Outcome != "misread" || bench.FollowUps[0].Cue != "lean-tall" {
		t.Errorf("on the Bench: %+v", bench.FollowUps)
	}
	var page api.AthletePage
	at := "/api/athletes/" + bench.Athlete.Id.String()
	h.want(200, "GET", at, nil, &page)
	if len(page.Marks) != 2 || page.Marks[0].Said.Text != "6.12 m" || page.Marks[1].Said.Foul != "over the line" || !page.Marks[0].Best || page.Marks[1].Best {
		t.Errorf("marks %+v", page.Marks)
	}
	if len(page.Focuses) != 1 || page.Focuses[0].Words != "Run tall." || !page.Focuses[0].Due || page.Focuses[0].Closed {
		t.Errorf("focuses %+v", page.Focuses)
	}
	if r := page.Record; len(r.Cues) != 1 || r.Kinds[0].Tried != 1 || r.Kinds[0].Misread != 1 || !strings.Contains(r.Faults[0].Says, "prove little") {
		t.Errorf("record %+v", r)
	}
	h.enter("nils", "coach", store.NewID())
	h.refused(404, "", "GET", at, nil)
}
