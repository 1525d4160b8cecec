package store

import (
	"bytes"
	"context"
	"testing"

	"github.com/google/uuid"

	"neokinema/server/postgres/pgtest"
)

// A database from before films had tables of their own comes over whole, and goes
// back whole.
func TestAnOlderDatabaseComesOver(t *testing.T) {
	url := pgtest.URL(t)
	const before = 11
	if err := Migrate(t.Context(), url, before); err != nil {
		t.Fatal(err)
	}
	s := connect(t, url)
	club, coach, athlete, session, attempt, clip := NewID(), NewID(), NewID(), NewID(), NewID(), NewID()
	long := bytes.Repeat([]byte{0, 1, 0xff}, 1<<18)
	rules := "2026-11-m with a cue record" + string(bytes.Repeat([]byte(" of many lines"), 100))
	for _, one := range []struct {
		sql  string
		args []any
	}{
		{`insert into club (id, name) values ($1, 'Saltmere')`, []any{club}},
		{`insert into account (id, club_id, login, name, role, password_hash) values ($1, $2, 'tove', 'Tove', 'owner', 'x')`, []any{coach, club}},
		{`insert into athlete (id, club_id, coach_id, name, sex, birth_year, height_m, front_leg, level) values ($1, $2, $3, 'Ilse', 'woman', 2003, 1.72, 'L', 'trained')`, []any{athlete, club, coach}},
		{`insert into session (id, club_id, day, place) values ($1, $2, '2026-11-20', 'oval')`, []any{session, club}},
		{`insert into attempt (id, athlete_id, session_id, event, number) values ($1, $2, $3, 'sprint-start', 1)`, []any{attempt, athlete, session}},
		{`insert into clip (id, attempt_id, name, bytes, received, status, frames, pts) values ($1, $2, 'a.mp4', $3, $3, 'ready', 2, '{7,9}')`, []any{clip, attempt, len(long) + 3}},
		{`insert into clip_part (clip_id, number, data) values ($1, 0, $2), ($1, 1, 'end')`, []any{clip, long}},
		{`insert into frame (clip_id, number, pts, jpeg) values ($1, 0, 7, 'one'), ($1, 1, 9, 'two')`, []any{clip}},
		{`insert into run (attempt_id, version, rules, reading) values ($1, 3, $2, '{}')`, []any{attempt, rules}},
		{`insert into token (id, account_id, name, token_hash) values ($1, $2, 'script', 'hash')`, []any{NewID(), coach}},
	} {
		if _, err := s.DB.ExecContext(t.Context(), one.sql, one.args...); err != nil {
			t.Fatal(one.sql, err)
		}
	}
	s.Close()

	s, err := Open(t.Context(), url)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	whole := append(bytes.Clone(long), "end"...)
	var film bytes.Buffer
	if err := s.Original(t.Context(), clip, &film); err != nil || !bytes.Equal(film.Bytes(), whole) {
		t.Errorf("%d of %d bytes of the film came over, %v", film.Len(), len(whole), err)
	}
	if jpeg, err := s.Picture(t.Context(), coach, clip, 1); err != nil || string(jpeg) != "two" {
		t.Errorf("a picture is %q, %v", jpeg, err)
	}
	if kept, err := s.SavedReading(t.Context(), attempt, 3, rules); err != nil || string(kept) != "{}" {
		t.Errorf("a reading is %q, %v", kept, err)
	}
	if list, err := s.Tokens(t.Context(), coach); err != nil || len(list) != 1 || list[0].Expires.IsZero() || list[0].ReadsOnly {
		t.Errorf("tokens are %+v, %v", list, err)
	}

	p, err := provider(s.DB.DB)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := p.DownTo(t.Context(), before); err != nil {
		t.Fatal(err)
	}
	var parts, frames int
	if err := s.DB.QueryRowxContext(t.Context(), `select (select count(*) from clip_part where clip_id = $1), (select count(*) from frame where clip_id = $1 and jpeg in ('one', 'two'))`, clip).Scan(&parts, &frames); err != nil || parts != 2 || frames != 2 {
		t.Errorf("back are %d parts and %d pictures, %v", parts, frames, err)
	}
	if _, err := p.Up(t.Context()); err != nil {
		t.Fatal(err)
	}
	film.Reset()
	if err := s.Original(t.Context(), clip, &film); err != nil || !bytes.Equal(film.Bytes(), whole) {
		t.Errorf("over again, %d of %d bytes of the film are there, %v", film.Len(), len(whole), err)
	}
}

// connect opens a database as it is.
func connect(t *testing.T, url string) *Store {
	t.Helper()
	s, err := dial(context.Background(), url)
	if err != nil {
		t.Fatal(err)
	}
	return s
}

func TestTablesOfFilmsAreNamedByTheirClip(t *testing.T) {
	id := uuid.MustParse("01a22806-43b2-7b46-bb1c-f9a9d1bd743f")
	if got := table(pictures, id); got != "film.picture_01a2280643b27b46bb1cf9a9d1bd743f" {
		t.Errorf("it is %s", got)
	}
}
