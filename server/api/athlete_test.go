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
	h.command(first, 0, map[string]any{"kind": "result", "result": map[string]any{"text": "6.12"}}, nil)
	h.command(first, 1, map[string]any{"kind": "assign", "fault": "lean-back", "assignment": map[string]any{"cue": "lean-tall", "words": "Run tall.", "drill": "", "dose": "", "refilm": "2026-01-02"}}, nil)
	h.command(second, 0, map[string]any{"kind": "result", "result": map[string]any{"foul": "over the line"}}, nil)
	if got := h.command(second, 1, map[string]any{"kind": "followUp", "fault": "lean-back", "of": first, "outcome": "misread"}, nil); got != 200 {
		t.Fatalf("keeping a follow-up answers %d", got)
	}
	if got := h.command(second, 2, map[string]any{"kind": "followUp", "fault": "no-such", "of": first, "outcome": "misread"}, nil); got != 422 {
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

// BenchmarkAthletePage opens the page of an athlete with 2,000 attempts and
// 50,000 values, and follows one measure over all of them.
func BenchmarkAthletePage(b *testing.B) {
	h := open(b, false)
	h.enter("tove", "coach", store.NewID())
	who := h.athlete("Corvin Hask")
	for _, sql := range []string{
		`insert into session (id, club_id, day, place) select gen_random_uuid(), t.club_id, date '2024-01-01' + n * 5, 'oval' from athlete t, generate_series(0, 199) n where t.id = $1`,
		`insert into attempt (id, athlete_id, session_id, event, number, mark, implement_g, effort) select gen_random_uuid(), $1, e.id, 'hammer', n, 6000 + (random() * 800)::int, 7260, 90 from session e, generate_series(1, 10) n`,
		`insert into value (attempt_id, key, value, u) select p.id, m.key, random(), 0.01 from attempt p, unnest(array(select distinct 'm' || n || '@release' from generate_series(1, 24) n) || array['delivery@release']) m (key) where p.athlete_id = $1`,
		`insert into run (attempt_id, version, rules, reading) select id, 0, sha256('r'), '{"values": []}' from attempt where athlete_id = $1`,
		`insert into assignment (attempt_id, fault, cue, words, drill, dose, refilm) select id, 'late-catch', 'catch-before', 'w', '', '', '2026-01-01' from attempt where athlete_id = $1 limit 1`,
		`analyze`,
	} {
		args := []any{}
		if strings.Contains(sql, "$1") {
			args = append(args, who)
		}
		if _, err := h.store.DB.ExecContext(b.Context(), sql, args...); err != nil {
			b.Fatal(err)
		}
	}
	b.Run("page", func(b *testing.B) {
		for b.Loop() {
			h.text("/api/athletes/" + who)
		}
	})
	b.Run("measure", func(b *testing.B) {
		for b.Loop() {
			h.text("/api/athletes/" + who + "/measure?event=hammer&key=delivery@release")
		}
	})
	b.Run("attempts", func(b *testing.B) {
		for b.Loop() {
			h.text("/api/athletes/" + who + "/attempts")
		}
	})
}
