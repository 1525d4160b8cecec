package tasks_test

import (
	"bytes"
	"context"
	"errors"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/google/uuid"

	"neokinema/core/breakdown"
	"neokinema/core/playbook"
	"neokinema/demo"
	shipped "neokinema/playbook"
	"neokinema/server/detect"
	"neokinema/server/disk"
	"neokinema/server/postgres/pgtest"
	"neokinema/server/store"
	"neokinema/server/store/storetest"
	"neokinema/server/tasks"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

func quiet(t *testing.T) *slog.Logger {
	return slog.New(slog.NewTextHandler(t.Output(), &slog.HandlerOptions{Level: slog.LevelError + 1}))
}

func queue(t *testing.T, s *store.Store) *tasks.Queue {
	t.Helper()
	books, err := shipped.Load()
	if err != nil {
		t.Fatal(err)
	}
	q, err := tasks.Start(context.Background(), s, books, detect.Folder(), quiet(t))
	if err != nil {
		t.Fatal(err)
	}
	return q
}

// waiting is a database with one attempt, and its clip to be put in line.
func waiting(t *testing.T) (s *store.Store, add func(q *tasks.Queue, film []byte) uuid.UUID) {
	t.Helper()
	pgtest.Long(t)
	s = storetest.Open(t)
	coach := store.Account{ID: store.NewID(), ClubID: store.NewID(), Club: "Saltmere", Login: "tove", Name: "Tove", Role: "coach"}
	athlete := store.Athlete{ID: store.NewID(), ClubID: coach.ClubID, CoachID: coach.ID, Name: "Ilse", Sex: "woman", BirthYear: 2003, HeightM: 1.72, FrontLeg: "L", Level: "trained"}
	if err := s.AddClub(t.Context(), coach); err != nil {
		t.Fatal(err)
	}
	if err := s.AddAthlete(t.Context(), athlete); err != nil {
		t.Fatal(err)
	}
	return s, func(q *tasks.Queue, film []byte) uuid.UUID {
		t.Helper()
		attempt := store.Attempt{ID: store.NewID(), AthleteID: athlete.ID, Event: "sprint-start", School: "medium", Day: time.Now(), Place: "oval"}
		if err := s.Log(t.Context(), coach.ID, attempt); err != nil {
			t.Fatal(err)
		}
		c := store.Clip{ID: store.NewID(), AttemptID: attempt.ID, Name: "a.mp4", Bytes: int64(len(film))}
		for _, err := range []error{
			s.AddClip(t.Context(), coach.ID, c),
			s.ChooseTrim(t.Context(), coach.ID, c.ID, 0, 1e6, 1280, q.Enqueue),
			s.Receive(t.Context(), coach.ID, c.ID, 0, bytes.NewReader(film), q.Enqueue),
		} {
			if err != nil {
				t.Fatal(err)
			}
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
	var n int
	if err := s.DB.GetContext(t.Context(), &n, `select count(*) from film.picture_`+strings.ReplaceAll(c.ID.String(), "-", "")); err != nil {
		t.Fatal(err)
	}
	if c.Status != "ready" || len(pts) != c.Frames || c.Frames != 397 || n != 397 {
		t.Errorf("the clip is %s with %d pictures stored and %d stamps of %d: %s", c.Status, n, len(pts), c.Frames, c.Message)
	}
	if c.Width != 1280 || c.Height != 720 || c.Codec != "h264" || c.Pictures != 397 || c.Brightness < 0.1 || c.Blur <= 0 || c.Blur >= 1 || c.Previews < 8 {
		t.Errorf("the look found %+v", c)
	}
}

// stored counts the pictures of all clips.
func stored(t *testing.T, s *store.Store) int {
	t.Helper()
	return pgtest.FilmRows(t, s.DB, "picture")
}

func TestDecodingReportsProgress(t *testing.T) {
	s, add := waiting(t)
	q := queue(t, s)
	defer q.Stop(context.Background())
	clip := add(q, film(t))
	state, last := "", 0.0
	done := until(t, s, clip, func(c store.Clip) bool {
		if c.Status == state && c.Progress < last {
			t.Errorf("progress falls from %v to %v while %s", last, c.Progress, c.Status)
		}
		state, last = c.Status, c.Progress
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
	// As a kill leaves it: running, and its worker silent.
	if _, err := s.DB.ExecContext(t.Context(), `update task set state = 'running', worker = id, heartbeat = now() - interval '1 minute' where kind = 'decode'`); err != nil {
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
	t.Setenv("TMPDIR", t.TempDir())
	s, add := waiting(t)
	q := queue(t, s)
	defer q.Stop(context.Background())
	data := film(t)
	c := until(t, s, add(q, data[:len(data)/2]), ready)
	if c.Status != "failed" || c.Message == "" {
		t.Errorf("half a film is %s: %q", c.Status, c.Message)
	}
	parts := pgtest.FilmRows(t, s.DB, "original")
	if n := stored(t, s); n != 0 || parts != 0 {
		t.Errorf("%d pictures and %d parts of it stay behind", n, parts)
	}
	if left, _ := filepath.Glob(filepath.Join(os.TempDir(), "neokinema-clip-*")); len(left) != 0 {
		t.Errorf("spooled files stay behind: %v", left)
	}
}

// choose says which part of a clip is kept, as its coach.
func choose(t *testing.T, s *store.Store, q *tasks.Queue, clip uuid.UUID, from, to float64, width int) {
	t.Helper()
	var coach uuid.UUID
	if err := s.DB.GetContext(t.Context(), &coach, `select id from account`); err != nil {
		t.Fatal(err)
	}
	if err := s.ChooseTrim(t.Context(), coach, clip, from, to, width, q.Enqueue); err != nil {
		t.Fatal(err)
	}
}

// A part of a clip is decoded again, wider: its pictures keep their numbers.
func TestAPartIsDecodedAgain(t *testing.T) {
	s, add := waiting(t)
	q := queue(t, s)
	defer q.Stop(context.Background())
	c := until(t, s, add(q, film(t)), ready)
	choose(t, s, q, c.ID, 5, 8, 640)
	part := until(t, s, c.ID, ready)
	if part.First != 150 || part.Frames != 91 || part.ShownWidth() != 640 || stored(t, s) != 91 {
		t.Errorf("from 5 to 8 s of a file at 30 are pictures %d and %d more, %d wide, stored %d", part.First, part.Frames, part.ShownWidth(), stored(t, s))
	}
	choose(t, s, q, c.ID, 0, 1e6, 1280)
	pictures(t, s, until(t, s, c.ID, ready))
}

// A film that was good once is not thrown away when decoding it again fails.
func TestAGoodFilmStays(t *testing.T) {
	s, add := waiting(t)
	q := queue(t, s)
	defer q.Stop(context.Background())
	c := until(t, s, add(q, film(t)), ready)
	var coach uuid.UUID
	if err := s.DB.GetContext(t.Context(), &coach, `select id from account`); err != nil {
		t.Fatal(err)
	}
	if _, err := s.DB.ExecContext(t.Context(), `update film.original_`+strings.ReplaceAll(c.ID.String(), "-", "")+` set data = '\xdeadbeef'`); err != nil {
		t.Fatal(err)
	}
	if err := s.ChooseTrim(t.Context(), coach, c.ID, 5, 8, 640, q.Enqueue); err != nil {
		t.Fatal(err)
	}
	c = until(t, s, c.ID, func(c store.Clip) bool { return c.Status == "choosing" })
	parts := pgtest.FilmRows(t, s.DB, "original")
	if c.Message == "" || parts == 0 || stored(t, s) != 0 {
		t.Errorf("it says %q, %d parts and %d pictures stay", c.Message, parts, stored(t, s))
	}
}

// An upload that nobody goes on with is forgotten.
func TestAbandonedUploadsAreDropped(t *testing.T) {
	s, add := waiting(t)
	q := queue(t, s)
	defer q.Stop(context.Background())
	clip := add(q, film(t))
	until(t, s, clip, ready)
	if _, err := s.DB.ExecContext(t.Context(), `update clip set status = 'uploading'`); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct{ hours, kept int }{{1, 1}, {72, 0}} {
		if err := s.DropAbandoned(t.Context(), time.Now().Add(time.Duration(c.hours)*time.Hour)); err != nil {
			t.Fatal(err)
		}
		var n int
		if err := s.DB.GetContext(t.Context(), &n, `select count(*) from clip`); err != nil {
			t.Fatal(err)
		}
		if n != c.kept {
			t.Errorf("after %d hours %d uploads are kept, want %d", c.hours, n, c.kept)
		}
	}
}

// A program that stops amid a following goes on with it at the next start.
func TestFollowingGoesOnAfterAStop(t *testing.T) {
	s, add := waiting(t)
	q := queue(t, s)
	c := until(t, s, add(q, film(t)), ready)
	var coach uuid.UUID
	if err := s.DB.GetContext(t.Context(), &coach, `select id from account`); err != nil {
		t.Fatal(err)
	}
	for i, frame := range []int{c.First + 5, c.First + c.Frames - 5} {
		_, err := s.Execute(t.Context(), coach, c.AttemptID, playbook.Event{}, store.NewCommand(i, &breakdown.PlaceLandmark{Frame: frame, Landmark: "hip.L", At: &breakdown.Spot{X: 400, Y: 400}}))
		if err != nil {
			t.Fatal(err)
		}
	}
	id := store.NewID()
	if err := s.AddFollowing(t.Context(), coach, id, c.AttemptID, q.Enqueue); err != nil {
		t.Fatal(err)
	}
	state := func(want ...string) store.Task {
		t.Helper()
		for end := time.Now().Add(60 * time.Second); ; time.Sleep(10 * time.Millisecond) {
			f, err := s.TaskForWorker(t.Context(), id)
			if err != nil {
				t.Fatal(err)
			}
			if slices.Contains(want, f.State) {
				return f
			}
			if time.Now().After(end) {
				t.Fatalf("the following stays %+v", f)
			}
		}
	}
	state("running")
	if err := q.Stop(context.Background()); err != nil {
		t.Fatal(err)
	}
	if f := state("waiting", "running"); f.Total == 0 {
		t.Errorf("it stopped as %+v", f)
	}
	q = queue(t, s)
	defer q.Stop(context.Background())
	if f := state("done", "failed"); f.State != "done" {
		t.Errorf("it ended as %+v", f)
	}
	if _, err := s.FollowedPoints(t.Context(), coach, id); err != nil {
		t.Error(err)
	}
}

// Room is watched while a film is taken apart: when the disk gets low, the film is
// held, its pictures go, and nothing goes on until somebody says so.
func TestALowDiskHoldsAFilm(t *testing.T) {
	s, add := waiting(t)
	var stored atomic.Int64
	const most = 1 << 20
	s.Room = func(need int64) error {
		if stored.Add(need) > most {
			return disk.Low{Free: 1, Need: need}
		}
		return nil
	}
	q := queue(t, s)
	defer q.Stop(context.Background())
	data := film(t)
	stored.Store(-int64(2 * len(data))) // the upload and its spooling have room
	c := until(t, s, add(q, data), func(c store.Clip) bool { return ready(c) || c.Status == "held" })
	if c.Status != "held" || !strings.Contains(c.Message, "erase clips") || pgtest.FilmRows(t, s.DB, "picture") != 0 || pgtest.FilmRows(t, s.DB, "original") == 0 {
		t.Fatalf("the film is %s: %q, %d pictures", c.Status, c.Message, pgtest.FilmRows(t, s.DB, "picture"))
	}
	q.Stop(context.Background())
	q = queue(t, s) // a restart
	defer q.Stop(context.Background())
	time.Sleep(time.Second)
	if c, err := s.ClipForJob(t.Context(), c.ID); err != nil || c.Status != "held" {
		t.Fatalf("after a restart it is %s, %v", c.Status, err)
	}
	var coach uuid.UUID
	if err := s.DB.GetContext(t.Context(), &coach, `select id from account`); err != nil {
		t.Fatal(err)
	}
	if err := s.ResumeClip(t.Context(), coach, c.ID, q.Enqueue); !errors.As(err, new(disk.Low)) {
		t.Errorf("going on without room: %v", err)
	}
	stored.Store(-1 << 30)
	if err := s.ResumeClip(t.Context(), coach, c.ID, q.Enqueue); err != nil {
		t.Fatal(err)
	}
	pictures(t, s, until(t, s, c.ID, ready))
}

// An ffmpeg that is killed in the middle costs nothing: the film stays, and is taken
// apart again.
func TestAKilledFfmpegCostsNoFilm(t *testing.T) {
	s, add := waiting(t)
	q := queue(t, s)
	defer q.Stop(context.Background())
	clip := add(q, film(t))
	killed := 0
	for end := time.Now().Add(30 * time.Second); killed < 2 && time.Now().Before(end); time.Sleep(20 * time.Millisecond) {
		if exec.Command("pkill", "-KILL", "-P", strconv.Itoa(os.Getpid()), "-f", "proc/self/fd/3").Run() == nil {
			killed++
			time.Sleep(300 * time.Millisecond)
		}
	}
	c := until(t, s, clip, ready)
	if killed == 0 || c.Status != "ready" {
		t.Fatalf("after %d kills the film is %s: %s", killed, c.Status, c.Message)
	}
	pictures(t, s, c)
}

// Erasing a film gives its room back at once.
func TestErasingAFilmGivesItsRoomBack(t *testing.T) {
	s, add := waiting(t)
	q := queue(t, s)
	defer q.Stop(context.Background())
	c := until(t, s, add(q, film(t)), ready)
	used := func() store.DiskUse {
		u, err := s.DiskUse(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		return u
	}
	before := used()
	if before.Films < c.Bytes || before.Pictures < int64(c.Frames)*1000 {
		t.Errorf("the film takes %+v", before)
	}
	var coach uuid.UUID
	if err := s.DB.GetContext(t.Context(), &coach, `select id from account`); err != nil {
		t.Fatal(err)
	}
	h, err := s.AthleteHoldings(t.Context(), coach, athleteOf(t, s, c))
	if err != nil || h.Bytes < before.Films+before.Pictures {
		t.Errorf("on the athlete hang %+v, %v", h, err)
	}
	if err := s.EraseAttempt(t.Context(), coach, c.AttemptID); err != nil {
		t.Fatal(err)
	}
	after := used()
	if after.Films+after.Pictures+after.Reclaimable != 0 || before.Database-after.Database < before.Films+before.Pictures {
		t.Errorf("before %+v, after %+v", before, after)
	}
	// What is being read meanwhile is left for the next time, and waits for nobody.
	c = until(t, s, add(q, film(t)), ready)
	reader, err := s.Pool.Begin(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	defer reader.Rollback(context.Background())
	if _, err := reader.Exec(t.Context(), `lock table film.picture_`+strings.ReplaceAll(c.ID.String(), "-", "")+` in access share mode`); err != nil {
		t.Fatal(err)
	}
	if err := s.EraseAttempt(t.Context(), coach, c.AttemptID); err != nil {
		t.Fatal(err)
	}
	if left := used(); left.Reclaimable == 0 {
		t.Errorf("while it is read: %+v", left)
	}
	if err := reader.Rollback(t.Context()); err != nil {
		t.Fatal(err)
	}
	if err := s.DropOrphans(t.Context()); err != nil || used().Reclaimable != 0 {
		t.Errorf("after it: %+v, %v", used(), err)
	}
}

func athleteOf(t *testing.T, s *store.Store, c store.Clip) (id uuid.UUID) {
	t.Helper()
	if err := s.DB.GetContext(t.Context(), &id, `select athlete_id from attempt where id = $1`, c.AttemptID); err != nil {
		t.Fatal(err)
	}
	return id
}

// closed waits for the latest decoding of a clip to be closed: its clip is ready a
// moment before.
func closed(t *testing.T, s *store.Store, clip uuid.UUID) store.Task {
	t.Helper()
	for end := time.Now().Add(30 * time.Second); ; time.Sleep(20 * time.Millisecond) {
		task, err := s.LatestTask(t.Context(), store.TaskDecode, clip)
		if err != nil {
			t.Fatal(err)
		}
		if task.State != store.TaskRunning && task.State != store.TaskWaiting || time.Now().After(end) {
			return task
		}
	}
}

// A copy of the program that starts while another one works leaves its work alone,
// and takes it up when that one falls silent.
func TestASecondCopyStealsNothing(t *testing.T) {
	s, add := waiting(t)
	one := queue(t, s)
	clip := add(one, film(t))
	until(t, s, clip, func(c store.Clip) bool { return c.Status == "decoding" && c.Progress > 0 })
	before, err := s.LatestTask(t.Context(), store.TaskDecode, clip)
	if err != nil {
		t.Fatal(err)
	}
	two := queue(t, s)
	defer two.Stop(context.Background())
	pictures(t, s, until(t, s, clip, ready))
	after := closed(t, s, clip)
	if after.ID != before.ID || after.Epoch != 0 || after.State != store.TaskDone || !after.Started.Equal(*before.Started) {
		t.Errorf("before the second copy %+v, after it %+v", before, after)
	}
	if err := one.Stop(context.Background()); err != nil {
		t.Fatal(err)
	}

	// The first copy is gone: it was killed in the middle of decoding the film again.
	choose(t, s, one, clip, 5, 8, 640)
	if _, err := s.DB.ExecContext(t.Context(), `update task set state = 'running', worker = id, started = now(), heartbeat = now(), epoch = 1, ended = null where kind = 'decode' and state <> 'done'`); err != nil {
		t.Fatal(err)
	}
	if c := until(t, s, clip, ready); c.Frames != 91 {
		t.Errorf("it is %s with %d pictures", c.Status, c.Frames)
	}
	again := closed(t, s, clip)
	if again.Epoch != 2 || again.State != store.TaskDone {
		t.Errorf("taken up as %+v", again)
	}
}

// A task that is cancelled while it runs stops, and is not tried again.
func TestACancelledTaskStops(t *testing.T) {
	s, add := waiting(t)
	q := queue(t, s)
	defer q.Stop(context.Background())
	c := until(t, s, add(q, film(t)), ready)
	var coach uuid.UUID
	if err := s.DB.GetContext(t.Context(), &coach, `select id from account`); err != nil {
		t.Fatal(err)
	}
	for i, frame := range []int{c.First + 5, c.First + c.Frames - 5} {
		if _, err := s.Execute(t.Context(), coach, c.AttemptID, playbook.Event{}, store.NewCommand(i, &breakdown.PlaceLandmark{Frame: frame, Landmark: "hip.L", At: &breakdown.Spot{X: 400, Y: 400}})); err != nil {
			t.Fatal(err)
		}
	}
	id := store.NewID()
	if err := s.AddFollowing(t.Context(), coach, id, c.AttemptID, q.Enqueue); err != nil {
		t.Fatal(err)
	}
	for end := time.Now().Add(time.Minute); ; time.Sleep(5 * time.Millisecond) {
		f, err := s.TaskForWorker(t.Context(), id)
		if err != nil || time.Now().After(end) {
			t.Fatal(f, err)
		}
		if f.State == store.TaskRunning && f.Done > 0 {
			break
		}
	}
	if f, err := s.CancelTask(t.Context(), coach, id); err != nil || f.State != store.TaskCancelled {
		t.Fatalf("cancelled it is %+v, %v", f, err)
	}
	time.Sleep(3 * time.Second)
	if f, err := s.TaskForWorker(t.Context(), id); err != nil || f.State != store.TaskCancelled || f.Epoch != 0 {
		t.Errorf("later it is %+v, %v", f, err)
	}
	if _, err := s.FollowedPoints(t.Context(), coach, id); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("it has points all the same: %v", err)
	}
}

// A reading of a film that came in waits for what a coach asks for and looks at.
func TestWhatACoachAskedForComesFirst(t *testing.T) {
	s, _ := waiting(t)
	q := queue(t, s)
	defer q.Stop(context.Background())
	of := map[string]int{}
	for input, name := range map[string]string{`{}`: "asked", `{"unasked": true}`: "came in"} {
		id := store.NewID()
		tx := s.DB.MustBeginTx(t.Context(), nil)
		tx.MustExec(`insert into task (id, kind, input, state) values ($1, 'follow', $2, 'cancelled')`, id, input)
		if err := q.Enqueue(t.Context(), tx, id, 0); err != nil {
			t.Fatal(err)
		}
		var priority int
		if err := tx.Get(&priority, `select priority from river_job where args->>'task' = $1`, id); err != nil {
			t.Fatal(err)
		}
		of[name] = priority
		if err := tx.Rollback(); err != nil {
			t.Fatal(err)
		}
	}
	if of["asked"] >= of["came in"] {
		t.Errorf("priorities, 1 first: %v", of)
	}
}
