package store_test

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jmoiron/sqlx"

	"neokinema/core/breakdown"
	"neokinema/core/playbook"
	"neokinema/core/result"
	"neokinema/server/postgres/pgtest"
	"neokinema/server/store"
	"neokinema/server/store/storetest"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

// desk is a fresh database with a coach, an athlete and an attempt whose clip
// is ready.
type club struct {
	*store.Store
	coach, athlete, attempt, clip uuid.UUID
	club                          uuid.UUID
}

func fresh(t *testing.T) *club {
	t.Helper()
	s := storetest.Open(t)
	d := &club{Store: s, club: store.NewID()}
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
func (d *club) person(t *testing.T, club uuid.UUID, name, role string) uuid.UUID {
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

func (d *club) runner(t *testing.T, coach, club uuid.UUID) uuid.UUID {
	t.Helper()
	a := store.Athlete{ID: store.NewID(), ClubID: club, CoachID: coach, Name: "Ilse Marrowby", Sex: "woman", BirthYear: 2003, HeightM: 1.72, FrontLeg: "L", Level: "trained"}
	must(t, d.AddAthlete(t.Context(), a))
	return a.ID
}

func (d *club) log(t *testing.T, coach, athlete uuid.UUID) uuid.UUID {
	t.Helper()
	id := store.NewID()
	must(t, d.Log(t.Context(), coach, store.Attempt{ID: id, AthleteID: athlete, Event: "sprint-start", School: "medium", Day: time.Date(2026, 11, 17, 0, 0, 0, 0, time.UTC), Place: "Saltmere oval"}))
	return id
}

func fine() error                                        { return nil }
func no(context.Context, *sqlx.Tx, uuid.UUID, int) error { return nil }
func ptr[T any](v T) *T                                  { return &v }
func (d *club) do(c breakdown.Command) error             { return d.send(c.Kind(), c) }
func (d *club) undo() error                              { return d.send(breakdown.Undo, nil) }
func (d *club) redo() error                              { return d.send(breakdown.Redo, nil) }
func (d *club) read(t *testing.T) store.Bench            { t.Helper(); return d.see(t, d.coach) }

func (d *club) see(t *testing.T, viewer uuid.UUID) store.Bench {
	t.Helper()
	b, err := d.Bench(t.Context(), viewer, d.attempt)
	must(t, err)
	return b
}

// send sends a command on the newest version.
func (d *club) send(kind string, c breakdown.Command) error {
	ctx := context.Background()
	b, err := d.Bench(ctx, d.coach, d.attempt)
	if err != nil {
		return err
	}
	_, err = d.Execute(ctx, d.coach, d.attempt, book, store.Command{ID: store.NewID(), Version: b.Attempt.Version, Kind: kind, Content: c})
	return err
}

// book has what these tests name.
var book = playbook.Event{
	ID: "sprint-start", Name: "Sprint start", Views: []string{"side-open", "side-closed"},
	Keys:   []playbook.Key{{ID: "set"}, {ID: "gun"}},
	Looks:  []playbook.Look{{ID: "head-still"}, {ID: "x"}},
	Faults: []playbook.Fault{{ID: "late-lead-arm"}, {ID: "head-up"}, {ID: "a"}, {ID: "b"}, {ID: "c"}, {ID: "lean-back"}, {ID: "chopping"}},
	Mark:   playbook.ResultRule{Kind: result.Distance, Most: 100, Fouls: []string{"outside", "outside the sector"}},
}

func (d *club) film(t *testing.T, attempt uuid.UUID) uuid.UUID {
	t.Helper()
	c := store.Clip{ID: store.NewID(), AttemptID: attempt, Name: "start.mp4", Bytes: 4}
	must(t, d.AddClip(t.Context(), d.coach, c))
	must(t, d.Receive(t.Context(), d.coach, c.ID, 0, strings.NewReader("film"), no))
	c.Width, c.Height, c.Pictures, c.Seconds, c.BaseNum, c.BaseDen, c.PlaybackRate, c.CutTo = 1280, 720, 300, 10, 1, 15360, 30, 10
	must(t, d.SaveProbe(t.Context(), c, []byte(`{}`), []store.Preview{{At: 0, JPEG: []byte("small")}}, no))
	must(t, d.ClearFrames(t.Context(), c.ID))
	must(t, d.AddFrames(t.Context(), c.ID, []store.Frame{{0, 0, []byte("one")}, {1, 512, []byte("two")}}))
	must(t, d.AddFrames(t.Context(), c.ID, []store.Frame{{2, 1024, []byte("three")}}))
	pts := make([]int64, 300)
	for i := range pts {
		pts[i] = int64(512 * i)
	}
	c.Frames, c.CaptureRate, c.RateSource = 300, 240, "tag"
	must(t, d.FinishDecoding(t.Context(), c, pts))
	return c.ID
}

func stamp(keyID string, frame int) *breakdown.Stamp {
	return &breakdown.Stamp{KeyID: keyID, Frame: &frame}
}

func mark(name string, frame int, x, y float64) *breakdown.PlaceLandmark {
	return &breakdown.PlaceLandmark{Landmark: name, Frame: frame, At: &breakdown.Spot{X: x, Y: y}}
}

func TestEveryKindOfCommandIsKept(t *testing.T) {
	d := fresh(t)
	for _, c := range []breakdown.Command{
		stamp("set", 139), stamp("gun", 144), mark("knee.L", 139, 700.25, 410.5),
		&breakdown.SetScale{Scale: &breakdown.ScaleLine{A: breakdown.Spot{X: 1, Y: 2}, B: breakdown.Spot{X: 201, Y: 2}, Metres: 1, What: "lane marks"}},
		&breakdown.SetLevel{Level: &breakdown.LevelLine{A: breakdown.Spot{X: 5, Y: 5}, B: breakdown.Spot{X: 5, Y: 400}, Vertical: true}},
		&breakdown.SetOrigin{Origin: &breakdown.Origin{At: breakdown.Spot{X: 640, Y: 580}}}, &breakdown.SetLook{Look: "head-still", Verdict: ptr("good")}, &breakdown.SetNote{Note: "good", Words: ptr("quiet head")},
		&breakdown.SetFocus{Fault: "late-lead-arm", Why: ptr("newest part")},
		&breakdown.Assign{Fault: "late-lead-arm", Assignment: &breakdown.AssignmentRequest{Cue: "c", Words: "Hand first.", Drill: "wall", Dose: "2 × 4", Refilm: "2026-11-24"}},
		&breakdown.SetResult{Result: &breakdown.ResultEntry{Mark: ptr(6125), Foul: "outside the sector"}},
		&breakdown.SetRate{Rate: ptr(120.0)}, &breakdown.SetView{View: "side-closed", Rightward: ptr(true)},
	} {
		must(t, d.do(c))
	}
	b := d.read(t)
	if b.Attempt.Version != 13 || *b.Attempt.Mark != 6125 || b.Attempt.Foul != "outside the sector" || !maps.Equal(b.Stamps, map[string]int{"set": 139, "gun": 144}) || len(b.Landmarks) != 1 || b.Landmarks[0] != (breakdown.Landmark{Frame: 139, Name: "knee.L", X: 700.25, Y: 410.5, Source: "placed", Confidence: 1}) {
		t.Errorf("version %d, stamps %v, landmarks %v", b.Attempt.Version, b.Stamps, b.Landmarks)
	}
	if b.Calibration.Scale.Metres != 1 || !b.Calibration.Level.Vertical || b.Calibration.Origin.At.X != 640 || b.Looks["head-still"] != "good" || b.Notes["good"] != "quiet head" {
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
	list := []breakdown.Command{stamp("set", 10), stamp("set", 20), mark("knee.L", 20, 1, 2), mark("knee.L", 20, 3, 4), &breakdown.SetNote{Note: "first", Words: ptr("quick")}, &breakdown.SetRate{Rate: ptr(480.0)},
		&breakdown.SetFocus{Fault: "head-up", Why: ptr("why")}, &breakdown.SetLook{Look: "x", Verdict: ptr("off")}, &breakdown.SetOrigin{Origin: &breakdown.Origin{At: breakdown.Spot{X: 1, Y: 1}}}, &breakdown.Stamp{KeyID: "set"}}
	states := []string{picture(d.read(t))}
	for _, c := range list {
		must(t, d.do(c))
		states = append(states, picture(d.read(t)))
	}
	for i := len(list) - 1; i >= 0; i-- {
		must(t, d.undo())
		if got := picture(d.read(t)); got != states[i] {
			t.Fatalf("after taking %d back:\n%s\nwant\n%s", len(list)-i, got, states[i])
		}
	}
	if err := d.undo(); err == nil || !strings.Contains(err.Error(), "nothing to undo") {
		t.Errorf("one undo too many: %v", err)
	}
	for i := range list {
		must(t, d.redo())
		if got := picture(d.read(t)); got != states[i+1] {
			t.Fatalf("after doing %d again:\n%s\nwant\n%s", i+1, got, states[i+1])
		}
	}
	must(t, d.undo())
	if b := d.read(t); b.Redo != "stamp" {
		t.Errorf("redo would do %q", b.Redo)
	}
	must(t, d.do(stamp("gun", 30)))
	if err := d.redo(); err == nil || !strings.Contains(err.Error(), "nothing to do again") {
		t.Errorf("redo after a new change: %v", err)
	}
}

// picture is a Bench in words, without its version and undo state.
func picture(b store.Bench) string {
	return fmt.Sprint(b.Stamps, b.Landmarks, b.Looks, b.Notes, b.Focuses, b.Calibration.Origin != nil, b.Clip.CaptureRate, b.Clip.RateSource)
}

func TestACommandCountsOnce(t *testing.T) {
	d := fresh(t)
	c := store.NewCommand(0, stamp("set", 10))
	first, err := d.Execute(t.Context(), d.coach, d.attempt, book, c)
	must(t, err)
	must(t, d.do(stamp("gun", 12)))
	again, err := d.Execute(t.Context(), d.coach, d.attempt, book, c)
	must(t, err)
	if first.Attempt.Version != 1 || again.Attempt.Version != 2 || again.Stamps["set"] != 10 {
		t.Errorf("versions %d and %d, stamps %v", first.Attempt.Version, again.Attempt.Version, again.Stamps)
	}
}

func TestTwoAtOnceIsAConflict(t *testing.T) {
	d := fresh(t)
	mine, theirs := store.NewCommand(0, stamp("set", 10)), store.NewCommand(0, stamp("set", 99))
	_, err := d.Execute(t.Context(), d.coach, d.attempt, book, theirs)
	must(t, err)
	_, err = d.Execute(t.Context(), d.coach, d.attempt, book, mine)
	var clash store.Conflict
	if !errors.As(err, &clash) || clash.Theirs.Stamps["set"] != 99 || clash.Theirs.Attempt.Version != 1 {
		t.Fatalf("got %v", err)
	}
	if got := d.read(t).Stamps["set"]; got != 99 {
		t.Errorf("the stamp is overwritten with %d", got)
	}
	mine.Version = clash.Theirs.Attempt.Version
	_, err = d.Execute(t.Context(), d.coach, d.attempt, book, mine)
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
				c := store.NewCommand(0, mark("knee.L", h*each+i, 5, 5))
				for {
					_, err := d.Execute(context.Background(), d.coach, d.attempt, book, c)
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
	must(t, d.do(&breakdown.SetFocus{Fault: "a", Why: ptr("")}))
	must(t, d.do(&breakdown.SetFocus{Fault: "b", Why: ptr("")}))
	before := picture(d.read(t))
	for says, c := range map[string]breakdown.Command{
		"no picture 300: this clip has 0 to 299": stamp("set", 300), "no picture -1": stamp("set", -1), "outside the picture": mark("knee.L", 3, 1281, 5),
		"a known length lies between 0.01 and 1000 m": &breakdown.SetScale{Scale: &breakdown.ScaleLine{}}, "good, off or can't see": &breakdown.SetLook{Look: "x", Verdict: ptr("fine")}, "no note": &breakdown.SetNote{Note: "last", Words: ptr("x")},
		"two things at most": &breakdown.SetFocus{Fault: "c", Why: ptr("")}, "is not a day": &breakdown.Assign{Fault: "a", Assignment: &breakdown.AssignmentRequest{Words: "w", Refilm: "tomorrow"}},
		"athlete's words": &breakdown.Assign{Fault: "a", Assignment: &breakdown.AssignmentRequest{Refilm: "2026-11-24"}}, "a capture rate lies between 1 and 10000": &breakdown.SetRate{Rate: ptr(0.0)},
		"view and the direction": &breakdown.SetView{},
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
	must(t, d.do(&breakdown.SetRate{Rate: ptr(240.0)}))
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
		_, err = d.Execute(ctx, viewer, d.attempt, book, store.NewCommand(d.read(t).Attempt.Version, stamp("set", 1)))
		check("a command", err)
		_, err = d.Clip(ctx, viewer, d.clip)
		check("the clip", err)
		_, err = d.Picture(ctx, viewer, d.clip, 1)
		check("a picture", err)
		err = d.Log(ctx, viewer, store.Attempt{ID: store.NewID(), AthleteID: d.athlete, Event: "sprint-start", Day: time.Now(), Place: "x"})
		check("logging", err)
		err = d.AddClip(ctx, viewer, store.Clip{ID: store.NewID(), AttemptID: d.attempt, Name: "x", Bytes: 1})
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
	film := bytes.Repeat([]byte("0123456789abcdef"), 400_000) // more than six parts
	c := store.Clip{ID: store.NewID(), AttemptID: attempt, Name: "long.mov", Bytes: int64(len(film))}
	must(t, d.AddClip(t.Context(), d.coach, c))
	must(t, d.Receive(t.Context(), d.coach, c.ID, 0, bytes.NewReader(film), no))
	var back bytes.Buffer
	must(t, d.Original(t.Context(), c.ID, &back))
	if !bytes.Equal(back.Bytes(), film) {
		t.Errorf("%d bytes came back of %d", back.Len(), len(film))
	}
	kept, err := d.Clip(t.Context(), d.coach, c.ID)
	must(t, err)
	if kept.Received != int64(len(film)) || kept.Status != "looking" {
		t.Errorf("kept %+v", kept)
	}
}

type broken struct{}

func (broken) Read([]byte) (int, error) { return 0, errors.New("line cut") }

// An upload goes on where the line dropped, as often as it drops; nothing that
// was acknowledged is sent again, and nothing is stored twice.
func TestUploadsResume(t *testing.T) {
	d := fresh(t)
	film := make([]byte, 9<<20+12345)
	for i := range film {
		film[i] = byte(i * 7 >> 3)
	}
	c := store.Clip{ID: store.NewID(), AttemptID: d.log(t, d.coach, d.athlete), Name: "long.mov", Bytes: int64(len(film))}
	must(t, d.AddClip(t.Context(), d.coach, c))
	must(t, d.AddClip(t.Context(), d.coach, c)) // sent twice
	looks := 0
	look := func(context.Context, *sqlx.Tx, uuid.UUID, int) error { looks++; return nil }
	acknowledged := int64(0)
	for i := 0; looks == 0; i++ {
		now, err := d.Clip(t.Context(), d.coach, c.ID)
		must(t, err)
		if now.Received < acknowledged || now.Received%(1<<20) != 0 {
			t.Fatalf("%d bytes are here, acknowledged were %d", now.Received, acknowledged)
		}
		acknowledged = now.Received
		rest := film[now.Received:]
		drop := io.MultiReader(bytes.NewReader(rest[:min(len(rest), 3<<19)]), broken{})
		if len(rest) < 2<<20 {
			drop = bytes.NewReader(rest)
		}
		_ = d.Receive(t.Context(), d.coach, c.ID, now.Received, drop, look)
		if i > 20 {
			t.Fatalf("it does not get beyond %d bytes", acknowledged)
		}
	}
	var back bytes.Buffer
	must(t, d.Original(t.Context(), c.ID, &back))
	if !bytes.Equal(back.Bytes(), film) {
		t.Errorf("%d bytes came back of %d", back.Len(), len(film))
	}
}

// Bytes at the wrong place, too many of them, and a queue that fails are
// refused, and what was there stays as it was.
func TestWrongBytesAreRefused(t *testing.T) {
	d := fresh(t)
	attempt := d.log(t, d.coach, d.athlete)
	bad := errors.New("no queue")
	if err := d.AddClip(t.Context(), d.coach, store.Clip{ID: store.NewID(), AttemptID: attempt, Name: "empty.mp4"}); err == nil || !strings.Contains(err.Error(), "empty") {
		t.Errorf("an empty file: %v", err)
	}
	c := store.Clip{ID: store.NewID(), AttemptID: attempt, Name: "a.mp4", Bytes: 3 << 20}
	must(t, d.AddClip(t.Context(), d.coach, c))
	before := pgtest.FilmRows(t, d.DB, "original")
	must(t, d.Receive(t.Context(), d.coach, c.ID, 0, bytes.NewReader(make([]byte, 1<<20)), no))
	for name, try := range map[string]func() error{
		"a gap": func() error {
			return d.Receive(t.Context(), d.coach, c.ID, 2<<20, bytes.NewReader(make([]byte, 1<<20)), no)
		},
		"once again": func() error {
			return d.Receive(t.Context(), d.coach, c.ID, 0, bytes.NewReader(make([]byte, 1<<20)), no)
		},
		"too much": func() error {
			return d.Receive(t.Context(), d.coach, c.ID, 1<<20, bytes.NewReader(make([]byte, 4<<20)), no)
		},
		"no queue": func() error {
			return d.Receive(t.Context(), d.coach, c.ID, 1<<20, bytes.NewReader(make([]byte, 2<<20)), func(context.Context, *sqlx.Tx, uuid.UUID, int) error { return bad })
		},
		"a stranger's": func() error {
			return d.Receive(t.Context(), store.NewID(), c.ID, 1<<20, bytes.NewReader(make([]byte, 2<<20)), no)
		},
	} {
		if err := try(); err == nil {
			t.Errorf("%s: taken", name)
		}
		now, err := d.Clip(t.Context(), d.coach, c.ID)
		must(t, err)
		parts := pgtest.FilmRows(t, d.DB, "original") - before
		if now.Received != 1<<20 || parts != 1 || now.Status != "uploading" {
			t.Errorf("%s: %d bytes in %d parts, %s", name, now.Received, parts, now.Status)
		}
	}
}

// A clip goes to another attempt with all that was put on its pictures.
func TestAClipMovesWithItsWork(t *testing.T) {
	d := fresh(t)
	must(t, d.do(stamp("set", 1)))
	must(t, d.do(mark("knee.L", 1, 5, 5)))
	must(t, d.do(&breakdown.SetScale{Scale: &breakdown.ScaleLine{B: breakdown.Spot{X: 200}, Metres: 1}}))
	to := d.log(t, d.coach, d.athlete)
	if err := d.MoveClip(t.Context(), store.NewID(), d.clip, to); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a stranger moves it: %v", err)
	}
	must(t, d.MoveClip(t.Context(), d.coach, d.clip, to))
	old := d.read(t)
	now, err := d.Bench(t.Context(), d.coach, to)
	must(t, err)
	if old.Clip != nil || len(old.Stamps)+len(old.Landmarks) != 0 || old.Undo != "" {
		t.Errorf("left behind: %+v", old)
	}
	if now.Clip == nil || now.Stamps["set"] != 1 || len(now.Landmarks) != 1 || now.Calibration.Scale == nil || now.Attempt.Version == 0 {
		t.Errorf("arrived: %+v", now)
	}
	other := d.log(t, d.coach, d.athlete)
	d.film(t, other)
	if err := d.MoveClip(t.Context(), d.coach, d.clip, other); err == nil || !strings.Contains(err.Error(), "clip of its own") {
		t.Errorf("onto another clip: %v", err)
	}
	second := d.runner(t, d.coach, d.club)
	must(t, d.MoveAttempt(t.Context(), d.coach, to, second))
	now, err = d.Bench(t.Context(), d.coach, to)
	must(t, err)
	if now.Athlete.ID != second || now.Attempt.Number != 1 {
		t.Errorf("the attempt is %d of %s", now.Attempt.Number, now.Athlete.Name)
	}
}

// What hangs on something is counted beforehand and gone afterwards.
func TestErasingTakesEverything(t *testing.T) {
	d := fresh(t)
	must(t, d.do(stamp("set", 1)))
	owner := store.Account{ID: d.person(t, d.club, "Olga Owner", "owner"), ClubID: d.club}
	h, err := d.AthleteHoldings(t.Context(), d.coach, d.athlete)
	must(t, err)
	if h.Athletes != 1 || h.Attempts != 1 || h.Clips != 1 || h.Bytes < 8192 {
		t.Errorf("on the athlete hang %+v", h)
	}
	if h, err = d.AccountHoldings(t.Context(), owner, d.coach); err != nil || h.Athletes != 1 || h.Clips != 1 {
		t.Errorf("on the account hang %+v, %v", h, err)
	}
	for _, err := range []error{
		d.EraseAthlete(t.Context(), store.NewID(), d.athlete, nil), d.EraseAttempt(t.Context(), store.NewID(), d.attempt),
		d.EraseAccount(t.Context(), store.Account{ID: store.NewID(), ClubID: store.NewID()}, d.coach, nil),
	} {
		if !errors.Is(err, store.ErrNotFound) {
			t.Errorf("a stranger erases: %v", err)
		}
	}
	if err := d.EraseAccount(t.Context(), owner, owner.ID, nil); err == nil {
		t.Error("the owner erases their own account")
	}
	second := d.log(t, d.coach, d.athlete)
	must(t, d.EraseAttempt(t.Context(), d.coach, second))
	must(t, d.EraseAccount(t.Context(), owner, d.coach, nil))
	for _, table := range []string{"athlete", "attempt", "clip", "stamp", "command", "clip_preview"} {
		var n int
		must(t, d.DB.Get(&n, `select count(*) from `+table))
		if n != 0 {
			t.Errorf("%d rows of %s stay behind", n, table)
		}
	}
}

func TestAFullDiskIsSaidSo(t *testing.T) {
	for _, err := range []error{&pgconn.PgError{Code: "53100"}, fmt.Errorf("spool: %w", syscall.ENOSPC), store.ErrFull} {
		if !store.IsFull(err) || err != store.ErrFull && !strings.Contains(store.Plain(err), "the disk is full") {
			t.Errorf("%v is not taken for a full disk", err)
		}
	}
	if store.IsFull(errors.New("something else")) || store.Plain(errors.New("something else")) != "something else" {
		t.Error("any error is taken for a full disk")
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
	rows := pgtest.FilmRows(t, d.DB, "original") + pgtest.FilmRows(t, d.DB, "picture")
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
	inside, err := d.WithClipLock(t.Context(), d.clip, func() error {
		got, err := d.WithClipLock(t.Context(), d.clip, func() error { t.Error("two at once"); return nil })
		if got || err != nil {
			t.Errorf("the second got in: %v, %v", got, err)
		}
		other, err := d.WithClipLock(t.Context(), uuid.New(), fine)
		if !other || err != nil {
			t.Errorf("another clip waits: %v, %v", other, err)
		}
		return nil
	})
	if !inside || err != nil {
		t.Errorf("the first did not get in: %v, %v", inside, err)
	}
	if again, err := d.WithClipLock(t.Context(), d.clip, fine); !again || err != nil {
		t.Errorf("the lock stays: %v, %v", again, err)
	}
}

func TestRunsNeverChange(t *testing.T) {
	d := fresh(t)
	must(t, d.SaveReading(t.Context(), d.attempt, 1, "rules", []byte(`{"a": 1}`), nil))
	must(t, d.SaveReading(t.Context(), d.attempt, 1, "rules", []byte(`{"a": 2}`), nil))
	got, err := d.SavedReading(t.Context(), d.attempt, 1, "rules")
	must(t, err)
	if string(got) != `{"a": 1}` {
		t.Errorf("the run is now %s", got)
	}
	if _, err := d.SavedReading(t.Context(), d.attempt, 1, "other rules"); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a run by other rules: %v", err)
	}
}

// The attempt before one and the best ones are the same athlete's at the same
// event, measured, not lost; the best three by their marks.
// What a cue did is kept on the attempt that showed it, counts in the athlete's
// record, and can be taken back; nobody else's cue can be followed up.
func TestFollowUps(t *testing.T) {
	d := fresh(t)
	ctx := t.Context()
	next := func(athlete uuid.UUID, day int) uuid.UUID {
		id := store.NewID()
		must(t, d.Log(ctx, d.coach, store.Attempt{ID: id, AthleteID: athlete, Event: "long-jump", Variant: "hang", Day: time.Date(2026, 5, day, 0, 0, 0, 0, time.UTC), Place: "oval"}))
		return id
	}
	assign := func(id uuid.UUID, cue string) {
		_, err := d.Execute(ctx, d.coach, id, book, store.NewCommand(0, &breakdown.Assign{Fault: "lean-back", Assignment: &breakdown.AssignmentRequest{Cue: cue, Words: "Run tall.", Refilm: "2026-05-08"}}))
		must(t, err)
		must(t, d.SaveReading(ctx, id, 1, "r", []byte(`{"values": []}`), nil))
	}
	old, first, second := next(d.athlete, 1), next(d.athlete, 2), next(d.athlete, 9)
	others := next(d.runner(t, d.coach, d.club), 3)
	assign(others, "theirs")
	assign(old, "older")
	assign(first, "tall")
	b, err := d.Bench(ctx, d.coach, second)
	must(t, err)
	given, err := d.EarlierAssignments(ctx, b.Attempt)
	must(t, err)
	if len(given) != 1 || given[0].ID != first || given[0].Cue != "tall" || given[0].Words != "Run tall." {
		t.Fatalf("given: %+v", given)
	}
	version := 0
	follow := func(of, fault string, outcome *string) error {
		_, err := d.Execute(ctx, d.coach, second, book, store.NewCommand(version, &breakdown.SetFollowUp{Of: of, Fault: fault, Outcome: outcome}))
		if err == nil {
			version++
		}
		return err
	}
	for says, err := range map[string]error{
		"which attempt":          follow("", "lean-back", ptr("changed")),
		"no cue for that fault":  follow(first.String(), "chopping", ptr("changed")),
		"athlete has no cue":     follow(others.String(), "lean-back", ptr("changed")),
		"changed nothing, was m": follow(first.String(), "lean-back", ptr("wonderful")),
	} {
		if err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%v does not say %q", err, says)
		}
	}
	must(t, follow(first.String(), "lean-back", ptr("misread")))
	must(t, follow(first.String(), "lean-back", ptr("changed")))
	record := func() []store.CueOutcome {
		list, err := d.CueRecord(ctx, b.Attempt)
		must(t, err)
		return list
	}
	if got := record(); len(got) != 1 || got[0] != (store.CueOutcome{Event: "long-jump", Fault: "lean-back", Cue: "tall", Outcome: "changed"}) {
		t.Errorf("record %+v", got)
	}
	for range 2 {
		_, err := d.Execute(ctx, d.coach, second, book, store.Command{ID: store.NewID(), Version: version, Kind: breakdown.Undo})
		must(t, err)
		version++
	}
	if got := record(); len(got) != 0 {
		t.Errorf("after undoing both: %+v", got)
	}
}

func TestPastAttempts(t *testing.T) {
	d := fresh(t)
	ctx := t.Context()
	athlete := d.athlete
	var ids []uuid.UUID
	for i, c := range []struct {
		mark int
		foul string
		kept bool
	}{{500, "", true}, {610, "", true}, {700, "outside", true}, {650, "", true}, {680, "", false}, {640, "", true}, {630, "", true}} {
		id := store.NewID()
		must(t, d.Log(ctx, d.coach, store.Attempt{ID: id, AthleteID: athlete, Event: "long-jump", Variant: "hang", Day: time.Date(2026, 5, 1+i, 0, 0, 0, 0, time.UTC), Place: "oval"}))
		_, err := d.Execute(ctx, d.coach, id, book, store.NewCommand(0, &breakdown.SetResult{Result: &breakdown.ResultEntry{Mark: ptr(c.mark), Foul: c.foul}}))
		must(t, err)
		if c.kept {
			must(t, d.SaveReading(ctx, id, 1, "r", []byte(`{"values": []}`), nil))
		}
		ids = append(ids, id)
	}
	b, err := d.Bench(ctx, d.coach, ids[6])
	must(t, err)
	before, err := d.LastReading(ctx, b.Attempt)
	must(t, err)
	if before == nil || before.ID != ids[5] {
		t.Errorf("before it: %+v", before)
	}
	best, err := d.BestReadings(ctx, b.Attempt)
	must(t, err)
	var got []uuid.UUID
	for _, p := range best {
		got = append(got, p.ID)
	}
	if !slices.Equal(got, []uuid.UUID{ids[3], ids[5], ids[1]}) {
		t.Errorf("the best are %v of %v", got, ids)
	}
	marked, err := d.ResultReadings(ctx, d.coach, b.Attempt)
	must(t, err)
	if len(marked) != 5 || marked[0].ID != ids[6] || marked[0].Mark != 630 {
		t.Errorf("marked: %d", len(marked))
	}
	first, err := d.Bench(ctx, d.coach, ids[0])
	must(t, err)
	if before, err = d.LastReading(ctx, first.Attempt); err != nil || before != nil {
		t.Errorf("before the first: %v, %v", before, err)
	}
}
