package store_test

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"maps"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"

	"neokinema/server/postgres/pgtest"
	"neokinema/server/store"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

// desk is a fresh database with a coach, an athlete and an attempt whose clip
// is ready.
type desk struct {
	*store.Store
	coach, athlete, attempt, clip uuid.UUID
	club                          uuid.UUID
}

func fresh(t *testing.T) *desk {
	t.Helper()
	s, err := store.Open(t.Context(), pgtest.URL(t))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	d := &desk{Store: s, club: store.NewID()}
	d.coach = d.person(t, d.club, "Tove Harrand", "coach")
	d.athlete = d.runner(t, d.coach, d.club)
	d.attempt = d.log(t, d.coach, d.athlete)
	d.clip = d.film(t, d.attempt)
	return d
}

func must(t *testing.T, err error) {
	t.Helper()
	if err != nil {
		t.Fatal(err)
	}
}

// person makes an account in its own club, or one more in the given club.
func (d *desk) person(t *testing.T, club uuid.UUID, name, role string) uuid.UUID {
	t.Helper()
	a := store.Account{ID: store.NewID(), ClubID: club, Club: "Saltmere", Login: strings.ToLower(strings.Fields(name)[0]), Name: name, Role: role, PasswordHash: "x"}
	if d.coach == uuid.Nil || club != d.club {
		must(t, d.AddClub(t.Context(), a))
		return a.ID
	}
	_, err := d.DB.ExecContext(t.Context(), `insert into account (id, club_id, login, name, role, password_hash) values ($1, $2, $3, $4, $5, 'x')`, a.ID, club, a.Login, name, role)
	must(t, err)
	return a.ID
}

func (d *desk) runner(t *testing.T, coach, club uuid.UUID) uuid.UUID {
	t.Helper()
	a := store.Athlete{ID: store.NewID(), ClubID: club, CoachID: coach, Name: "Ilse Marrowby", Sex: "woman", BirthYear: 2003, HeightM: 1.72, FrontLeg: "L", Level: "trained"}
	must(t, d.AddAthlete(t.Context(), a))
	return a.ID
}

func (d *desk) log(t *testing.T, coach, athlete uuid.UUID) uuid.UUID {
	t.Helper()
	id := store.NewID()
	must(t, d.Log(t.Context(), coach, store.Attempt{ID: id, AthleteID: athlete, Event: "sprint-start", School: "medium", Day: time.Date(2026, 11, 17, 0, 0, 0, 0, time.UTC), Place: "Saltmere oval"}))
	return id
}

func fine() error                             { return nil }
func no(context.Context, *sqlx.Tx) error      { return nil }
func ptr[T any](v T) *T                       { return &v }
func (d *desk) do(c store.Command) error      { _, err := d.try(c); return err }
func (d *desk) read(t *testing.T) store.Bench { t.Helper(); return d.see(t, d.coach) }

func (d *desk) see(t *testing.T, viewer uuid.UUID) store.Bench {
	t.Helper()
	b, err := d.Bench(t.Context(), viewer, d.attempt)
	must(t, err)
	return b
}

// try sends a command on the newest version.
func (d *desk) try(c store.Command) (store.Bench, error) {
	ctx := context.Background()
	b, err := d.Bench(ctx, d.coach, d.attempt)
	if err != nil {
		return b, err
	}
	c.ID, c.Version = store.NewID(), b.Attempt.Version
	return d.Do(ctx, d.coach, d.attempt, c)
}

func (d *desk) film(t *testing.T, attempt uuid.UUID) uuid.UUID {
	t.Helper()
	c := store.Clip{ID: store.NewID(), AttemptID: attempt, Name: "start.mp4"}
	must(t, d.AddClip(t.Context(), d.coach, c, strings.NewReader("film"), fine, no))
	must(t, d.AddFrames(t.Context(), c.ID, 0, []store.Frame{{PTS: 0, JPEG: []byte("one")}, {PTS: 512, JPEG: []byte("two")}}))
	must(t, d.AddFrames(t.Context(), c.ID, 2, []store.Frame{{PTS: 1024, JPEG: []byte("three")}}))
	c.Width, c.Height, c.Frames, c.BaseNum, c.BaseDen, c.PlaybackRate, c.CaptureRate, c.RateSource = 1280, 720, 300, 1, 15360, 30, 240, "tag"
	must(t, d.Ready(t.Context(), c))
	return c.ID
}

func stamp(place string, frame int) store.Command {
	return store.Command{Kind: "stamp", Place: place, Frame: &frame}
}

func mark(name string, frame int, x, y float64) store.Command {
	return store.Command{Kind: "landmark", Landmark: name, Frame: &frame, At: &store.Spot{X: x, Y: y}}
}

func TestEveryKindOfCommandIsKept(t *testing.T) {
	d := fresh(t)
	for _, c := range []store.Command{
		stamp("set", 139), stamp("gun", 144), mark("knee.L", 139, 700.25, 410.5),
		{Kind: "scale", Scale: &store.ScaleLine{A: store.Spot{X: 1, Y: 2}, B: store.Spot{X: 201, Y: 2}, Metres: 1, What: "lane marks"}},
		{Kind: "level", Level: &store.LevelLine{A: store.Spot{X: 5, Y: 5}, B: store.Spot{X: 5, Y: 400}, Vertical: true}},
		{Kind: "origin", At: &store.Spot{X: 640, Y: 580}}, {Kind: "look", Look: "head-still", Verdict: ptr("good")}, {Kind: "note", Note: "good", Words: ptr("quiet head")},
		{Kind: "focus", Fault: "late-lead-arm", Why: ptr("newest part")},
		{Kind: "assign", Fault: "late-lead-arm", Assignment: &store.AssignmentWish{Cue: "c", Words: "Hand first.", Drill: "wall", Dose: "2 × 4", Refilm: "2026-11-24"}},
		{Kind: "rate", Rate: ptr(120.0)}, {Kind: "view", View: "side-closed", Rightward: ptr(true)},
	} {
		must(t, d.do(c))
	}
	b := d.read(t)
	if b.Attempt.Version != 12 || !maps.Equal(b.Stamps, map[string]int{"set": 139, "gun": 144}) || len(b.Landmarks) != 1 || b.Landmarks[0] != (store.Landmark{Frame: 139, Name: "knee.L", X: 700.25, Y: 410.5, Source: "placed"}) {
		t.Errorf("version %d, stamps %v, landmarks %v", b.Attempt.Version, b.Stamps, b.Landmarks)
	}
	if b.Calibration.Scale.Metres != 1 || !b.Calibration.Level.Vertical || b.Calibration.Origin.X != 640 || b.Looks["head-still"] != "good" || b.Notes["good"] != "quiet head" {
		t.Errorf("calibration %+v, looks %v, notes %v", b.Calibration, b.Looks, b.Notes)
	}
	if b.Focuses[0].Why != "newest part" || b.Assignments[0].Words != "Hand first." || b.Clip.CaptureRate != 120 || b.Clip.RateSource != "chosen" || b.Clip.View != "side-closed" || !b.Clip.Rightward {
		t.Errorf("focuses %v, assignments %v, clip %+v", b.Focuses, b.Assignments, b.Clip)
	}
}

// Undo goes back through everything to the empty Bench, redo forward to where
// it was; a new change after an undo forgets what was undone.
func TestUndoAndRedo(t *testing.T) {
	d := fresh(t)
	list := []store.Command{stamp("set", 10), stamp("set", 20), mark("knee.L", 20, 1, 2), mark("knee.L", 20, 3, 4), {Kind: "note", Note: "first", Words: ptr("quick")}, {Kind: "rate", Rate: ptr(480.0)},
		{Kind: "focus", Fault: "head-up", Why: ptr("why")}, {Kind: "look", Look: "x", Verdict: ptr("off")}, {Kind: "origin", At: &store.Spot{X: 1, Y: 1}}, {Kind: "stamp", Place: "set"}}
	states := []string{picture(d.read(t))}
	for _, c := range list {
		must(t, d.do(c))
		states = append(states, picture(d.read(t)))
	}
	for i := len(list) - 1; i >= 0; i-- {
		must(t, d.do(store.Command{Kind: "undo"}))
		if got := picture(d.read(t)); got != states[i] {
			t.Fatalf("after taking %d back:\n%s\nwant\n%s", len(list)-i, got, states[i])
		}
	}
	if err := d.do(store.Command{Kind: "undo"}); err == nil || !strings.Contains(err.Error(), "nothing to undo") {
		t.Errorf("one undo too many: %v", err)
	}
	for i := range list {
		must(t, d.do(store.Command{Kind: "redo"}))
		if got := picture(d.read(t)); got != states[i+1] {
			t.Fatalf("after doing %d again:\n%s\nwant\n%s", i+1, got, states[i+1])
		}
	}
	must(t, d.do(store.Command{Kind: "undo"}))
	if b := d.read(t); b.Redo != "stamp" {
		t.Errorf("redo would do %q", b.Redo)
	}
	must(t, d.do(stamp("gun", 30)))
	if err := d.do(store.Command{Kind: "redo"}); err == nil || !strings.Contains(err.Error(), "nothing to do again") {
		t.Errorf("redo after a new change: %v", err)
	}
}

// picture is a Bench in words, without its version and undo state.
func picture(b store.Bench) string {
	return fmt.Sprint(b.Stamps, b.Landmarks, b.Looks, b.Notes, b.Focuses, b.Calibration.Origin != nil, b.Clip.CaptureRate, b.Clip.RateSource)
}

func TestACommandCountsOnce(t *testing.T) {
	d := fresh(t)
	c := stamp("set", 10)
	c.ID = store.NewID()
	first, err := d.Do(t.Context(), d.coach, d.attempt, c)
	must(t, err)
	must(t, d.do(stamp("gun", 12)))
	again, err := d.Do(t.Context(), d.coach, d.attempt, c)
	must(t, err)
	if first.Attempt.Version != 1 || again.Attempt.Version != 2 || again.Stamps["set"] != 10 {
		t.Errorf("versions %d and %d, stamps %v", first.Attempt.Version, again.Attempt.Version, again.Stamps)
	}
}

func TestTwoAtOnceIsAConflict(t *testing.T) {
	d := fresh(t)
	mine, theirs := stamp("set", 10), stamp("set", 99)
	mine.ID, theirs.ID = store.NewID(), store.NewID()
	_, err := d.Do(t.Context(), d.coach, d.attempt, theirs)
	must(t, err)
	_, err = d.Do(t.Context(), d.coach, d.attempt, mine)
	var clash store.Conflict
	if !errors.As(err, &clash) || clash.Theirs.Stamps["set"] != 99 || clash.Theirs.Attempt.Version != 1 {
		t.Fatalf("got %v", err)
	}
	if got := d.read(t).Stamps["set"]; got != 99 {
		t.Errorf("the stamp is overwritten with %d", got)
	}
	mine.Version = clash.Theirs.Attempt.Version
	_, err = d.Do(t.Context(), d.coach, d.attempt, mine)
	must(t, err)
}

// Many hands at once: each change is refused or counted, none is lost, and the
// version says how many were.
func TestManyHandsLoseNothing(t *testing.T) {
	d := fresh(t)
	const hands, each = 8, 12
	var wg sync.WaitGroup
	errs := make(chan error, hands)
	for h := range hands {
		wg.Go(func() {
			for i := range each {
				c := mark("knee.L", h*each+i, 5, 5)
				c.ID = store.NewID()
				for {
					_, err := d.Do(context.Background(), d.coach, d.attempt, c)
					var clash store.Conflict
					if errors.As(err, &clash) {
						c.Version = clash.Theirs.Attempt.Version
						continue
					}
					if err != nil {
						errs <- err
						return
					}
					break
				}
			}
		})
	}
	wg.Wait()
	close(errs)
	for err := range errs {
		t.Error(err)
	}
	if b := d.read(t); b.Attempt.Version != hands*each || len(b.Landmarks) != hands*each {
		t.Errorf("version %d with %d landmarks, want %d", b.Attempt.Version, len(b.Landmarks), hands*each)
	}
}

func TestSenselessCommandsChangeNothing(t *testing.T) {
	d := fresh(t)
	must(t, d.do(store.Command{Kind: "focus", Fault: "a", Why: ptr("")}))
	must(t, d.do(store.Command{Kind: "focus", Fault: "b", Why: ptr("")}))
	before := picture(d.read(t))
	for says, c := range map[string]store.Command{
		"no picture 300 in a clip of 300": stamp("set", 300), "no picture -1": stamp("set", -1), "outside the picture": mark("knee.L", 3, 1281, 5), "say which": {Kind: "landmark", Landmark: "knee.L"},
		"more than 0 m": {Kind: "scale", Scale: &store.ScaleLine{}}, "good, off or can't see": {Kind: "look", Look: "x", Verdict: ptr("fine")}, "no note": {Kind: "note", Note: "last", Words: ptr("x")},
		"two things at most": {Kind: "focus", Fault: "c", Why: ptr("")}, "is not a day": {Kind: "assign", Fault: "a", Assignment: &store.AssignmentWish{Words: "w", Refilm: "tomorrow"}},
		"athlete's words": {Kind: "assign", Fault: "a", Assignment: &store.AssignmentWish{Refilm: "2026-11-24"}}, "capture rate lies above 0": {Kind: "rate", Rate: ptr(0.0)},
		"view and the direction": {Kind: "view"}, "no command": {Kind: "dance"},
	} {
		err := d.do(c)
		var bad store.Invalid
		if !errors.As(err, &bad) || !strings.Contains(err.Error(), says) {
			t.Errorf("%+v: %v, want %q", c, err, says)
		}
	}
	if after := d.read(t); picture(after) != before || after.Attempt.Version != 2 {
		t.Errorf("something changed: version %d, %s", after.Attempt.Version, picture(after))
	}
}

func TestStampsWaitForTheCaptureRate(t *testing.T) {
	d := fresh(t)
	_, err := d.DB.ExecContext(t.Context(), `update clip set capture_rate = 0, rate_source = 'unknown' where id = $1`, d.clip)
	must(t, err)
	if err := d.do(stamp("set", 3)); err == nil || !strings.Contains(err.Error(), "at which rate") {
		t.Errorf("stamped without a rate: %v", err)
	}
	must(t, d.do(store.Command{Kind: "rate", Rate: ptr(240.0)}))
	must(t, d.do(stamp("set", 3)))
}

// A coach sees the own athletes, an owner the club's, nobody another club's.
func TestWhoSeesWhat(t *testing.T) {
	d := fresh(t)
	owner := d.person(t, d.club, "Olaf Owner", "owner")
	other := d.person(t, d.club, "Ada Assistant", "coach")
	stranger := d.person(t, store.NewID(), "Stig Stranger", "owner")
	for viewer, may := range map[uuid.UUID]bool{d.coach: true, owner: true, other: false, stranger: false} {
		check := func(what string, err error) {
			if may && err != nil || !may && !errors.Is(err, store.ErrNotFound) {
				t.Errorf("%s: may %v, got %v", what, may, err)
			}
		}
		ctx := t.Context()
		_, err := d.Bench(ctx, viewer, d.attempt)
		check("the bench", err)
		c := stamp("set", 1)
		c.ID = store.NewID()
		c.Version = d.read(t).Attempt.Version
		_, err = d.Do(ctx, viewer, d.attempt, c)
		check("a command", err)
		_, err = d.Clip(ctx, viewer, d.clip)
		check("the clip", err)
		_, err = d.Picture(ctx, viewer, d.clip, 1)
		check("a picture", err)
		err = d.Log(ctx, viewer, store.Attempt{ID: store.NewID(), AthleteID: d.athlete, Event: "sprint-start", Day: time.Now(), Place: "x"})
		check("logging", err)
		err = d.AddClip(ctx, viewer, store.Clip{ID: store.NewID(), AttemptID: d.attempt, Name: "x"}, strings.NewReader("x"), fine, no)
		if may {
			var bad store.Invalid
			if !errors.As(err, &bad) { // it has a clip already
				t.Errorf("a second clip: %v", err)
			}
		} else {
			check("adding a clip", err)
		}
		lines, err := d.Attempts(ctx, viewer, 10)
		must(t, err)
		people, err := d.Athletes(ctx, viewer)
		must(t, err)
		if may != (len(lines) > 0) || may != (len(people) > 0) {
			t.Errorf("may %v, but sees %d attempts and %d athletes", may, len(lines), len(people))
		}
	}
	if err := d.RemoveClip(t.Context(), stranger, d.clip); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a stranger takes the clip off: %v", err)
	}
}

func TestOriginalComesBackAsItCame(t *testing.T) {
	d := fresh(t)
	attempt := d.log(t, d.coach, d.athlete)
	film := bytes.Repeat([]byte("0123456789abcdef"), 200_000) // more than three parts
	c := store.Clip{ID: store.NewID(), AttemptID: attempt, Name: "long.mov"}
	must(t, d.AddClip(t.Context(), d.coach, c, bytes.NewReader(film), fine, no))
	var back bytes.Buffer
	must(t, d.Original(t.Context(), c.ID, &back))
	if !bytes.Equal(back.Bytes(), film) {
		t.Errorf("%d bytes came back of %d", back.Len(), len(film))
	}
	kept, err := d.Clip(t.Context(), d.coach, c.ID)
	must(t, err)
	if kept.Bytes != int64(len(film)) || len(kept.SHA256) != 32 || kept.Status != "waiting" {
		t.Errorf("kept %+v", kept)
	}
}

type broken struct{}

func (broken) Read([]byte) (int, error) { return 0, errors.New("line cut") }

// An upload that breaks off, a file that is refused and a queue that fails
// each leave nothing behind.
func TestHalfAClipIsNoClip(t *testing.T) {
	d := fresh(t)
	attempt := d.log(t, d.coach, d.athlete)
	bad := errors.New("not a film")
	for name, try := range map[string]func(c store.Clip) error{
		"cut off": func(c store.Clip) error {
			return d.AddClip(t.Context(), d.coach, c, io.MultiReader(strings.NewReader("half"), broken{}), fine, no)
		},
		"refused": func(c store.Clip) error {
			return d.AddClip(t.Context(), d.coach, c, strings.NewReader("text"), func() error { return bad }, no)
		},
		"no queue": func(c store.Clip) error {
			return d.AddClip(t.Context(), d.coach, c, strings.NewReader("film"), fine, func(context.Context, *sqlx.Tx) error { return bad })
		},
	} {
		c := store.Clip{ID: store.NewID(), AttemptID: attempt, Name: name}
		if err := try(c); err == nil {
			t.Errorf("%s: taken", name)
		}
		var rows int
		must(t, d.DB.Get(&rows, `select (select count(*) from clip where id = $1) + (select count(*) from clip_part where clip_id = $1)`, c.ID))
		if rows != 0 {
			t.Errorf("%s: %d rows stay behind", name, rows)
		}
	}
}

func TestTakingAClipOffTakesItsStampsToo(t *testing.T) {
	d := fresh(t)
	must(t, d.do(stamp("set", 1)))
	must(t, d.do(mark("knee.L", 1, 5, 5)))
	must(t, d.RemoveClip(t.Context(), d.coach, d.clip))
	b := d.read(t)
	if b.Clip != nil || len(b.Stamps)+len(b.Landmarks) != 0 || b.Undo != "" || b.Attempt.Version <= 2 {
		t.Errorf("left: %+v", b)
	}
	var rows int
	must(t, d.DB.Get(&rows, `select (select count(*) from frame) + (select count(*) from clip_part)`))
	if rows != 0 {
		t.Errorf("%d rows of the film stay behind", rows)
	}
}

func TestAttemptsAreNumberedWithinASession(t *testing.T) {
	d := fresh(t)
	second := d.log(t, d.coach, d.athlete)
	b, err := d.Bench(t.Context(), d.coach, second)
	must(t, err)
	if b.Attempt.Number != 2 {
		t.Errorf("the second attempt is number %d", b.Attempt.Number)
	}
	must(t, d.Log(t.Context(), d.coach, store.Attempt{ID: second, AthleteID: d.athlete, Event: "sprint-start", Day: b.Attempt.Day, Place: b.Attempt.Place}))
	lines, err := d.Attempts(t.Context(), d.coach, 10)
	must(t, err)
	if len(lines) != 2 {
		t.Errorf("logging the same attempt twice makes %d", len(lines))
	}
}

func TestAthletesMustBeBelievable(t *testing.T) {
	d := fresh(t)
	for says, spoil := range map[string]func(*store.Athlete){"needs a name": func(a *store.Athlete) { a.Name = "" }, "in metres": func(a *store.Athlete) { a.HeightM = 174 }, "year of birth": func(a *store.Athlete) { a.BirthYear = 3 }} {
		a := store.Athlete{ID: store.NewID(), ClubID: d.club, CoachID: d.coach, Name: "N", Sex: "man", BirthYear: 2000, HeightM: 1.8, FrontLeg: "L", Level: "youth"}
		spoil(&a)
		if err := d.AddAthlete(t.Context(), a); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%v, want %q", err, says)
		}
	}
}

func TestOneAtATime(t *testing.T) {
	d := fresh(t)
	inside, err := d.Alone(t.Context(), d.clip, func() error {
		got, err := d.Alone(t.Context(), d.clip, func() error { t.Error("two at once"); return nil })
		if got || err != nil {
			t.Errorf("the second got in: %v, %v", got, err)
		}
		other, err := d.Alone(t.Context(), uuid.New(), fine)
		if !other || err != nil {
			t.Errorf("another clip waits: %v, %v", other, err)
		}
		return nil
	})
	if !inside || err != nil {
		t.Errorf("the first did not get in: %v, %v", inside, err)
	}
	if again, err := d.Alone(t.Context(), d.clip, fine); !again || err != nil {
		t.Errorf("the lock stays: %v, %v", again, err)
	}
}

func TestRunsNeverChange(t *testing.T) {
	d := fresh(t)
	must(t, d.KeepRun(t.Context(), d.attempt, 1, "rules", []byte(`{"a": 1}`)))
	must(t, d.KeepRun(t.Context(), d.attempt, 1, "rules", []byte(`{"a": 2}`)))
	got, err := d.KeptRun(t.Context(), d.attempt, 1, "rules")
	must(t, err)
	if string(got) != `{"a": 1}` {
		t.Errorf("the run is now %s", got)
	}
	if _, err := d.KeptRun(t.Context(), d.attempt, 1, "other rules"); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a run by other rules: %v", err)
	}
}
