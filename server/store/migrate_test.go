package store

import (
	"bytes"
	"context"
	"strings"
	"testing"

	"github.com/google/uuid"

	"neokinema/core/breakdown"
	"neokinema/core/playbook"
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

// What was put in before calibrations had columns and landmarks their own
// uncertainty comes over whole, history and all, and goes back whole.
func TestAnOlderBreakdownComesOver(t *testing.T) {
	url := pgtest.URL(t)
	const before = 15
	if err := Migrate(t.Context(), url, before); err != nil {
		t.Fatal(err)
	}
	s := connect(t, url)
	club, coach, athlete, session, attempt, clip, run, change := NewID(), NewID(), NewID(), NewID(), NewID(), NewID(), NewID(), NewID()
	exec := func(sql string, args ...any) {
		t.Helper()
		if _, err := s.DB.ExecContext(t.Context(), sql, args...); err != nil {
			t.Fatal(sql, err)
		}
	}
	exec(`insert into club (id, name) values ($1, 'Saltmere')`, club)
	exec(`insert into account (id, club_id, login, name, role, password_hash) values ($1, $2, 'tove', 'Tove', 'owner', 'x')`, coach, club)
	exec(`insert into athlete (id, club_id, coach_id, name, sex, birth_year, height_m, front_leg, level) values ($1, $2, $3, 'Ilse', 'woman', 2003, 1.72, 'L', 'trained')`, athlete, club, coach)
	exec(`insert into session (id, club_id, day, place) values ($1, $2, '2026-11-20', 'oval')`, session, club)
	exec(`insert into attempt (id, athlete_id, session_id, event, number, version) values ($1, $2, $3, 'sprint-start', 1, 4)`, attempt, athlete, session)
	exec(`insert into clip (id, attempt_id, name, bytes, received, status, frames, pts, width, height, capture_rate, rate_source, filmless) values ($1, $2, 'a.mp4', 3, 3, 'ready', 20, '{7,9}', 1280, 720, 240, 'chosen', true)`, clip, attempt)
	exec(`insert into stamp (attempt_id, place, frame) values ($1, 'set', 4)`, attempt)
	exec(`insert into landmark (attempt_id, frame, name, x, y, source) values ($1, 4, 'hip.L', 10.5, 20.25, 'placed')`, attempt)
	exec(`insert into following (id, attempt_id, account_id, state, done, pictures, found) values ($1, $2, $3, 'done', 2, 2, '{"first": 4, "camera": [], "paths": [{"name": "hip.L", "input": "one", "x": [10.5, 11], "y": [20, 21], "u": [2, 0], "lost": [{"from": 5, "to": 5, "why": "hidden"}]}]}')`, run, attempt, coach)
	exec(`insert into calibration (attempt_id, scale, level, origin, origin_frame, known, ramp, subject, repeats, followed, places, rejected, distance) values ($1,
		'{"a": {"x": 1, "y": 2}, "b": {"x": 201.5, "y": 2}, "metres": 2, "what": "rods", "frame": 3}', 'null', '{"x": 5, "y": 6}', '7', '{"from": 1, "to": 9, "seconds": 0.5, "u": 0.01}', '{"from": 2, "to": 8}',
		'{"frame": 4, "a": {"x": 1, "y": 1}, "b": {"x": 99, "y": 99}}', '{"frame": 4, "landmark": "hip.L", "points": [{"x": 1, "y": 2}, {"x": 3, "y": 4}]}', to_jsonb($2::text),
		'{"points": [{"name": "corner", "at": [1, 2, 0.5], "px": {"x": 8, "y": 9}, "frame": 4}]}', '["gun"]', '12.5')`, attempt, run)
	for i, c := range [][3]string{
		{"stamp", `{"kind": "stamp", "place": "set", "frame": 4}`, `{"kind": "stamp", "place": "set"}`},
		{"origin", `{"kind": "origin", "at": {"x": 5, "y": 6}, "frame": 7}`, `{"kind": "origin"}`},
		{"mark", `{"kind": "mark", "worth": {"text": "6.12", "value": 612}}`, `{"kind": "mark", "worth": {}}`},
		{"followed", `{"kind": "followed", "followed": "` + run.String() + `"}`, `{"kind": "followed"}`},
	} {
		exec(`insert into command (id, attempt_id, version, account_id, kind, body, inverse) values ($1, $2, $3, $4, $5, $6, $7)`, NewID(), attempt, i+1, coach, c[0], c[1], c[2])
	}
	exec(`insert into run (attempt_id, version, rules, reading) values ($1, 4, $2, convert_to('{"values": [{"key": "a@set", "place": "set"}]}', 'UTF8'))`, attempt, digest("r"))
	exec(`insert into playbook_change (id, club_id, event, scope, patch, account_id) values ($1, $2, 'sprint-start', 'club', '', $3)`, change, club, coach)
	exec(`insert into rejudging (change_id, club_id, account_id, event, total) values ($1, $2, $3, 'sprint-start', 1)`, change, club, coach)
	state := func() (out string) {
		t.Helper()
		for _, table := range []string{"stamp", "landmark", "calibration", "command", "run", "following", "rejudging"} {
			var rows []string
			if err := s.DB.SelectContext(t.Context(), &rows, `select to_jsonb(x)::text from `+table+` x order by 1`); err != nil {
				t.Fatal(err)
			}
			out += table + " " + strings.Join(rows, "\n") + "\n"
		}
		return out
	}
	was := state()
	s.Close()

	s, err := Open(t.Context(), url)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	b, err := s.Bench(t.Context(), coach, attempt)
	if err != nil {
		t.Fatal(err)
	}
	c := b.Calibration
	switch {
	case b.Stamps["set"] != 4 || len(b.Landmarks) != 1 || b.Landmarks[0] != (breakdown.Landmark{Frame: 4, Name: "hip.L", X: 10.5, Y: 20.25, Source: breakdown.Placed, Confidence: 1}):
		t.Errorf("stamps %v, landmarks %+v", b.Stamps, b.Landmarks)
	case c.Scale == nil || c.Scale.B.X != 201.5 || c.Scale.Metres != 2 || *c.Scale.Frame != 3 || c.Level != nil || c.Origin.At.Y != 6 || *c.Origin.Frame != 7 || c.KnownInterval.Seconds != 0.5 || c.Ramp.To != 8:
		t.Errorf("calibration %+v", c)
	case c.Subject.B.X != 99 || len(c.Repeats.Points) != 2 || c.Repeats.Points[1].Y != 4 || *c.Following != run.String() || len(c.ControlPoints) != 1 || c.ControlPoints[0].At[2] != 0.5 || c.ControlPoints[0].Px.X != 8 || c.RejectedProposals[0] != "gun" || *c.Distance != 12.5:
		t.Errorf("calibration %+v", c)
	}
	if p, ok := b.Followed.Path("hip.L"); !ok || b.Followed.First != 4 || p.X[1] != 11 || p.U[0] != 2 || p.Confidence[0] != 1 || p.Confidence[1] != 0 || p.Lost[0].Why != "hidden" || p.Source != breakdown.Followed {
		t.Errorf("the followed path is %+v", b.Followed)
	}
	if j, err := s.LastRejudging(t.Context(), coach, "sprint-start"); err != nil || j == nil || j.State != TaskRunning || j.Total != 1 {
		t.Errorf("the rejudging is %+v, %v", j, err)
	}
	if reading, err := s.SavedReading(t.Context(), attempt, 4, "r"); err != nil || !strings.Contains(string(reading), `"keyId": "set"`) {
		t.Errorf("the reading is %s, %v", reading, err)
	}

	p, err := provider(s.DB.DB)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := p.DownTo(t.Context(), before); err != nil {
		t.Fatal(err)
	}
	if is := state(); is != was {
		t.Errorf("back again it is\n%s\nnot\n%s", is, was)
	}
	if _, err := p.Up(t.Context()); err != nil {
		t.Fatal(err)
	}
	for range 4 { // the history is undone by the types of today
		b, err := s.Bench(t.Context(), coach, attempt)
		if err == nil {
			_, err = s.Execute(t.Context(), coach, attempt, playbook.Event{}, Command{ID: NewID(), Version: b.Attempt.Version, Kind: breakdown.Undo})
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	if b, err = s.Bench(t.Context(), coach, attempt); err != nil || len(b.Stamps) != 0 || b.Calibration.Origin != nil || b.Calibration.Following != nil || b.Result.Mark != nil {
		t.Errorf("undone it is %+v, %v", b.Breakdown, err)
	}
}

// Whoever erases a row must not have to read a whole table: an index begins with the
// columns of each foreign key.
func TestEveryForeignKeyHasAnIndex(t *testing.T) {
	s, err := Open(t.Context(), pgtest.URL(t))
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	var bare []string
	err = s.DB.SelectContext(t.Context(), &bare, `select c.conrelid::regclass || ' ' || c.conname from pg_constraint c where c.contype = 'f' and c.connamespace = 'public'::regnamespace
		and not exists (select from pg_index i where i.indrelid = c.conrelid and (i.indkey::int2[])[0:cardinality(c.conkey) - 1] @> c.conkey and i.indpred is null) order by 1`)
	if err != nil || len(bare) > 0 {
		t.Errorf("without an index: %v, %v", bare, err)
	}
}

// The schema goes down to nothing, step by step, and up again.
func TestTheSchemaGoesDownAndUp(t *testing.T) {
	s, err := Open(t.Context(), pgtest.URL(t))
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	p, err := provider(s.DB.DB)
	if err != nil {
		t.Fatal(err)
	}
	for range 2 {
		if _, err := p.DownTo(t.Context(), 0); err != nil {
			t.Fatal(err)
		}
		if _, err := p.Up(t.Context()); err != nil {
			t.Fatal(err)
		}
	}
}
