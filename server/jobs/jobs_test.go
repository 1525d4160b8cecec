package jobs_test

import (
	"bytes"
	"context"
	"log/slog"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"

	"neokinema/demo"
	"neokinema/server/jobs"
	"neokinema/server/postgres/pgtest"
	"neokinema/server/store"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

func quiet(t *testing.T) *slog.Logger {
	return slog.New(slog.NewTextHandler(t.Output(), &slog.HandlerOptions{Level: slog.LevelError + 1}))
}

func queue(t *testing.T, s *store.Store) *jobs.Queue {
	t.Helper()
	q, err := jobs.Start(context.Background(), s, quiet(t))
	if err != nil {
		t.Fatal(err)
	}
	return q
}

// waiting is a database with one attempt, and its clip to be put in line.
func waiting(t *testing.T) (s *store.Store, add func(q *jobs.Queue, film []byte) uuid.UUID) {
	t.Helper()
	s, err := store.Open(t.Context(), pgtest.URL(t))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	coach := store.Account{ID: store.NewID(), ClubID: store.NewID(), Club: "Saltmere", Login: "tove", Name: "Tove", Role: "coach"}
	athlete := store.Athlete{ID: store.NewID(), ClubID: coach.ClubID, CoachID: coach.ID, Name: "Ilse", Sex: "woman", BirthYear: 2003, HeightM: 1.72, FrontLeg: "L", Level: "trained"}
	if err := s.AddClub(t.Context(), coach); err != nil {
		t.Fatal(err)
	}
	if err := s.AddAthlete(t.Context(), athlete); err != nil {
		t.Fatal(err)
	}
	return s, func(q *jobs.Queue, film []byte) uuid.UUID {
		t.Helper()
		attempt := store.Attempt{ID: store.NewID(), AthleteID: athlete.ID, Event: "sprint-start", School: "medium", Day: time.Now(), Place: "oval"}
		if err := s.Log(t.Context(), coach.ID, attempt); err != nil {
			t.Fatal(err)
		}
		c := store.Clip{ID: store.NewID(), AttemptID: attempt.ID, Name: "a.mp4"}
		err := s.AddClip(t.Context(), coach.ID, c, bytes.NewReader(film), func() error { return nil }, func(ctx context.Context, tx *sqlx.Tx) error { return q.Decode(ctx, tx, c.ID) })
		if err != nil {
			t.Fatal(err)
		}
		return c.ID
	}
}

// until waits for a clip to be as wanted.
func until(t *testing.T, s *store.Store, clip uuid.UUID, is func(store.Clip) bool) store.Clip {
	t.Helper()
	for end := time.Now().Add(90 * time.Second); ; time.Sleep(20 * time.Millisecond) {
		c, err := s.ClipForJob(t.Context(), clip)
		if err != nil {
			t.Fatal(err)
		}
		if is(c) {
			return c
		}
		if time.Now().After(end) {
			t.Fatalf("the clip stays %s at %.2f: %s", c.Status, c.Progress, c.Message)
		}
	}
}

func ready(c store.Clip) bool { return c.Status == "ready" || c.Status == "failed" }

func film(t *testing.T) []byte {
	t.Helper()
	data, err := demo.Clip("start-clean")
	if err != nil {
		t.Fatal(err)
	}
	return data
}

// pictures checks that every picture of a ready clip is there once.
func pictures(t *testing.T, s *store.Store, c store.Clip) {
	t.Helper()
	pts, err := s.PTS(t.Context(), c.ID)
	if err != nil {
		t.Fatal(err)
	}
	if c.Status != "ready" || len(pts) != c.Frames || c.Frames != 476 {
		t.Errorf("the clip is %s with %d pictures stored of %d: %s", c.Status, len(pts), c.Frames, c.Message)
	}
}

func TestDecodingReportsProgress(t *testing.T) {
	s, add := waiting(t)
	q := queue(t, s)
	defer q.Stop(context.Background())
	clip := add(q, film(t))
	last := 0.0
	done := until(t, s, clip, func(c store.Clip) bool {
		if c.Progress < last {
			t.Errorf("progress falls from %v to %v", last, c.Progress)
		}
		last = c.Progress
		return ready(c)
	})
	pictures(t, s, done)
}

// A program that is stopped in the middle of a decoding goes on at its next
// start, and one that was killed does too.
func TestDecodingSurvivesARestart(t *testing.T) {
	s, add := waiting(t)
	q := queue(t, s)
	clip := add(q, film(t))
	until(t, s, clip, func(c store.Clip) bool { return c.Status == "decoding" && c.Progress > 0.1 })
	if err := q.Stop(context.Background()); err != nil {
		t.Fatal(err)
	}
	if c, _ := s.ClipForJob(t.Context(), clip); ready(c) {
		t.Skipf("the decoding was faster than the stop: %s", c.Status)
	}
	// As a kill leaves it: marked as running, by nobody.
	if _, err := s.DB.ExecContext(t.Context(), `update river_job set state = 'running', attempted_by = array['gone']`); err != nil {
		t.Fatal(err)
	}
	q = queue(t, s)
	defer q.Stop(context.Background())
	pictures(t, s, until(t, s, clip, ready))
}

// Two copies of the program share the work on one database.
func TestTwoCopiesDecodeEachClipOnce(t *testing.T) {
	s, add := waiting(t)
	one, two := queue(t, s), queue(t, s)
	defer one.Stop(context.Background())
	defer two.Stop(context.Background())
	clips := []uuid.UUID{add(one, film(t)), add(two, film(t))}
	for _, c := range clips {
		pictures(t, s, until(t, s, c, ready))
	}
}

func TestABrokenFilmFailsForGood(t *testing.T) {
	s, add := waiting(t)
	q := queue(t, s)
	defer q.Stop(context.Background())
	data := film(t)
	c := until(t, s, add(q, data[:len(data)/2]), ready)
	if c.Status != "failed" || c.Message == "" {
		t.Errorf("half a film is %s: %q", c.Status, c.Message)
	}
	if pts, _ := s.PTS(t.Context(), c.ID); len(pts) != 0 {
		t.Errorf("%d pictures of it stay behind", len(pts))
	}
}
