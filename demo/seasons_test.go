package demo

import (
	"testing"

	"neokinema/playbook"
	"neokinema/server/postgres/pgtest"
	"neokinema/server/store"
	"neokinema/server/store/storetest"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

// Two seasons of the club: everybody is somebody's, every event is worked on,
// cues did what they did by what the core makes of the attempts, and what is
// loaded twice is there once.
func TestTheSeasonsAreWholeAndTrue(t *testing.T) {
	s := storetest.Open(t)
	books, err := playbook.Load()
	if err != nil {
		t.Fatal(err)
	}
	account := store.Account{ID: id("coach"), ClubID: id("club"), Club: "Saltmere Track Club", Login: Login, Name: "Tove Harrand", Role: "owner", PasswordHash: "none"}
	if err := s.AddClub(t.Context(), account); err != nil {
		t.Fatal(err)
	}
	if err := Seasons(t.Context(), s, books); err != nil {
		t.Fatal(err)
	}
	if err := Seasons(t.Context(), s, books); err != nil {
		t.Fatal(err)
	}
	count := func(query string, args ...any) (n int) {
		t.Helper()
		if err := s.DB.GetContext(t.Context(), &n, query, args...); err != nil {
			t.Fatal(err)
		}
		return n
	}
	if n := count(`select count(*) from clip where filmless`); n < 60 {
		t.Errorf("%d attempts are measured without a film, want 60", n)
	}
	if n := count(`select count(*) from clip c where filmless and (select count(*) from value v where v.attempt_id = c.attempt_id) < 5`); n > 0 {
		t.Errorf("%d measured attempts have hardly a value", n)
	}
	for _, outcome := range []string{"changed", "no change", "misread", "worse"} {
		if count(`select count(*) from follow_up where outcome = $1`, outcome) == 0 {
			t.Errorf("no cue was %q", outcome)
		}
	}
	if n := count(`select count(*) from assignment where closed is not null`); n < 1 {
		t.Errorf("%d focuses were closed", n)
	}
	if n := count(`select count(distinct t.hand) from athlete t join attempt p on p.athlete_id = t.id join clip c on c.attempt_id = p.id`); n != 2 {
		t.Error("not both hands are there")
	}
	if n := count(`select count(distinct event) from attempt`); n < len(books)-1 {
		t.Errorf("%d events are worked on", n)
	}
	if n := count(`select count(*) from plan_item where state = 'planned' and kind = 'drill'`); n < 4 {
		t.Errorf("%d drills are planned", n)
	}
	if n := count(`select count(*) from attempt where foul = '' and mark is not null`); n < 120 {
		t.Errorf("%d marks", n)
	}
	if n := count(`select count(*) from attempt where foul <> ''`); n < 3 {
		t.Errorf("%d attempts were lost", n)
	}
}
