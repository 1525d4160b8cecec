package api_test

import (
	"testing"
	"time"

	"neokinema/server/api"
	"neokinema/server/store"
)

// A season's log, just loaded, makes Today no slower: it rests on no statistics of
// the database.
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
	t.Logf("Today of %d attempts takes %v", today.Total, took)
	if today.Total != 6000 {
		t.Errorf("there are %d attempts", today.Total)
	}
	if took > 10*time.Second {
		t.Errorf("Today takes %v", took)
	}
}
