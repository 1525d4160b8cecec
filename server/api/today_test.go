package api_test

import (
	"testing"
	"time"

	"neokinema/server/api"
	"neokinema/server/store"
)

// Today lists the attempts that wait. What a season's log holds is in the log, and
// makes Today no slower: it rests on no statistics of the database.
func TestTodayAfterALongLog(t *testing.T) {
	h := open(t, false)
	tove := h.enter("tove", "owner", store.NewID())
	athletes := []string{h.athlete("Corvin Hask"), h.athlete("Ilse Marn"), h.athlete("Ruben Stell")}
	for i, a := range athletes {
		if _, err := h.store.DB.ExecContext(t.Context(), `with days as (insert into session (id, club_id, day, place) select gen_random_uuid(), $1, date '2025-01-01' + n, 'oval ' || $3::int from generate_series(1, 100) n returning id)
			insert into attempt (id, athlete_id, session_id, event, number, mark) select gen_random_uuid(), $2, d.id, 'hammer', n, 5000 + n from days d, generate_series(1, 20) n`, tove.ClubID, a, i); err != nil {
			t.Fatal(err)
		}
	}
	begin := time.Now()
	var today api.Today
	h.want(200, "GET", "/api/today", nil, &today)
	took := time.Since(begin)
	t.Logf("Today beside 6000 logged attempts takes %v", took)
	if today.Waiting != 0 || len(today.Attempts) != 0 {
		t.Errorf("%d attempts of the log wait", today.Waiting)
	}
	if took > 10*time.Second {
		t.Errorf("Today takes %v", took)
	}
}

// An attempt leaves Today when its focus is chosen, and comes back when that is
// taken back.
func TestWhatIsDoneLeavesToday(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	a := h.attempt()
	waits := func() int {
		var today api.Today
		h.want(200, "GET", "/api/today", nil, &today)
		if len(today.Attempts) != today.Waiting {
			t.Fatalf("%d of %d are listed", len(today.Attempts), today.Waiting)
		}
		return today.Waiting
	}
	if n := waits(); n != 1 {
		t.Fatalf("%d attempts wait", n)
	}
	var b api.Bench
	if code := h.command(a, 0, map[string]any{"kind": "focus", "fault": "front-knee-open", "why": "seen"}, &b); code != 200 {
		t.Fatal(code)
	}
	if n := waits(); n != 0 {
		t.Errorf("with a focus chosen %d attempts wait", n)
	}
	if code := h.command(a, b.Version, map[string]any{"kind": "undo"}, &b); code != 200 {
		t.Fatal(code)
	}
	if n := waits(); n != 1 {
		t.Errorf("with the focus taken back %d attempts wait", n)
	}
}
