package demo

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"math"
	"math/rand/v2"
	"slices"
	"time"

	"github.com/google/uuid"
	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
	"neokinema/core/breakdown"
	"neokinema/core/coach"
	"neokinema/core/measure"
	"neokinema/core/playbook"
	"neokinema/core/sim"
	"neokinema/server/auth"
	"neokinema/server/media"
	"neokinema/server/store"
)

// Login is the demo coach's sign-in name.
const Login = "demo"

// id is a fixed id, so that loading that was cut short goes on where it was.
func id(name string) uuid.UUID {
	return uuid.NewSHA1(uuid.NameSpaceURL, []byte("neokinema demo: "+name))
}

// clipStory is a clip of the demo club, and whose it is.
type clipStory struct {
	scenario string
	athlete  store.Athlete
	day      time.Time
	ready    bool // stamped, measured, judged and assigned
}

// clipStories are the shipped clips as attempts of the club, those of an event apart.
func clipStories(coach store.Account, starts bool) []clipStory {
	var out []clipStory
	for _, s := range Scenarios() {
		if (s.Movement.Event == "sprint-start") != starts {
			continue
		}
		r := roster[s.Name]
		out = append(out, clipStory{s.Name, person(coach, r.name), time.Date(2026, 11, r.day, 0, 0, 0, 0, time.UTC), s.Name == "start-clean"})
	}
	return out
}

// Load makes the demo club once. Say hears what is being done.
func Load(ctx context.Context, s *store.Store, enqueue store.Enqueue, books map[string]playbook.Event, say func(string)) error {
	const name = "demo club 1"
	if done, err := s.Loaded(ctx, name); err != nil || done {
		return err
	}
	account, err := s.AccountByLogin(ctx, Login)
	if errors.Is(err, store.ErrNotFound) {
		hash, herr := auth.Hash(ctx, uuid.NewString())
		if herr != nil {
			return herr
		}
		account = store.Account{ID: id("coach"), ClubID: id("club"), Club: "Saltmere Track Club", Login: Login, Name: "Tove Harrand", Role: "owner", PasswordHash: hash}
		err = s.AddClub(ctx, account)
	}
	if err != nil {
		return err
	}
	for _, st := range clipStories(account, true) {
		say("demo: " + st.athlete.Name + ", block start")
		if err := load(ctx, s, enqueue, account, st, books["sprint-start"]); err != nil {
			return fmt.Errorf("demo clip %s: %w", st.scenario, err)
		}
	}
	return s.SetLoaded(ctx, name)
}

// LoadSeasons brings in the clips of the other events, one after the other, while the
// club is at work already. Cut short, it goes on where it was.
func LoadSeasons(ctx context.Context, s *store.Store, enqueue store.Enqueue, books map[string]playbook.Event) error {
	const name = "demo events 1"
	if done, err := s.Loaded(ctx, name); err != nil || done {
		return err
	}
	account, err := s.AccountByLogin(ctx, Login)
	if err != nil {
		return err
	}
	for _, st := range clipStories(account, false) {
		sc, err := Find(st.scenario)
		if err != nil {
			return err
		}
		err = load(ctx, s, enqueue, account, st, books[sc.Movement.Event])
		if errors.Is(err, fs.ErrNotExist) { // not rendered in this build
			continue
		}
		if err != nil {
			return fmt.Errorf("demo clip %s: %w", st.scenario, err)
		}
	}
	return s.SetLoaded(ctx, name)
}

func load(ctx context.Context, s *store.Store, enqueue store.Enqueue, account store.Account, st clipStory, book playbook.Event) error {
	file, err := Clip(st.scenario)
	if err != nil {
		return err
	}
	if err := s.AddAthlete(ctx, st.athlete); err != nil {
		return err
	}
	attempt, clip := id("attempt "+st.scenario), id("clip "+st.scenario)
	sc, err := Find(st.scenario)
	if err != nil {
		return err
	}
	school := ""
	if book.SchoolName != "" { // its schools are settings that are always said
		school = book.Schools[0].ID
	}
	variant := ""
	if v, ok := book.Variant(sc.Movement.Variant); ok {
		variant = v.ID
	}
	if first, second := others[st.scenario]; second {
		err = s.LogOther(ctx, account.ID, attempt, id("attempt "+first))
	} else {
		err = s.Log(ctx, account.ID, store.Attempt{ID: attempt, AthleteID: st.athlete.ID, Event: book.ID, School: school, Variant: variant, Day: st.day, Place: "Saltmere oval"})
	}
	if err != nil {
		return err
	}
	if err := s.AddClip(ctx, account.ID, store.Clip{ID: clip, AttemptID: attempt, Name: st.scenario + ".mp4", Bytes: int64(len(file))}); err != nil {
		return err
	}
	c, err := s.Clip(ctx, account.ID, clip)
	if err != nil {
		return err
	}
	if c.Status == "uploading" {
		if err := s.ChooseTrim(ctx, account.ID, clip, 0, math.MaxInt32, media.ShownWidth, enqueue); err != nil {
			return err
		}
		if err := s.Receive(ctx, account.ID, clip, c.Received, bytes.NewReader(file[c.Received:]), enqueue); err != nil {
			return err
		}
	}
	if err := decoded(ctx, s, clip); err != nil {
		return err
	}
	truth, err := sc.Simulate()
	if err != nil {
		return err
	}
	h := &hand{ctx: ctx, s: s, account: account.ID, attempt: attempt, name: st.scenario, book: book}
	h.do(&breakdown.SetView{View: truth.View, Rightward: new(truth.Rightward())})
	low, high := known(book.ID, st.athlete.Sex)
	if m, err := book.Mark.Of(resultText(book, truth)); err == nil && int(m) >= low*9/10 && int(m) <= high*11/10 {
		h.do(&breakdown.SetResult{Result: &breakdown.ResultEntry{Mark: new(int(m))}})
	}
	if kg, ok := book.Implement(st.athlete.Sex, playbook.AgeGroup(st.athlete.BirthYear, st.day.Year())); ok {
		h.do(&breakdown.SetDetails{Details: breakdown.Details{ImplementG: new(int(math.Round(1000 * kg)))}})
	}
	if st.ready {
		h.work(book, truth, st)
	}
	m, ok := measured[st.scenario]
	switch {
	case ok:
		h.measure(book, sc, truth, m)
	case st.scenario == pencilled:
		h.mark(truth)
	default:
		return h.err
	}
	if h.err == nil {
		h.err = s.AddFollowing(ctx, account.ID, id("following "+st.scenario), attempt, enqueue)
	}
	return h.err
}

// measurePlan is what a coach says of a picture, by the names of the scene's marks.
type measurePlan struct {
	from, to       string // of a known length
	metres         float64
	what           string
	levelA, levelB string
	line           string // where the event has one
}

// others are second films, of the attempts of first ones.
var others = map[string]string{"discus-clean-side": "discus-clean-back"}

// measured are the clips of other events that are stamped, placed and followed.
var measured = map[string]measurePlan{
	"discus-clean-back":   {"rim.left", "rim.right", 2.5, "circle across", "half-line.left", "half-line.right", ""},
	"discus-clean-side":   {"rim.back", "rim.front", 2.5, "circle across", "rim.back", "rim.front", ""},
	"hammer-clean-back":   {"rim.left", "rim.right", 2.135, "circle across", "half-line.left", "half-line.right", ""},
	"long-jump-hitch":     {"board.back", "sand", 1.2, "back of the board to the sand", "mark#-4", "mark#2", "line"},
	"running-over-stride": {"mark#2", "mark#6", 4, "marks 1 m apart", "mark#0", "mark#9", ""},
}

// pencilled is the clip that is followed and not stamped yet: its key positions
// wait, pencilled in, for the coach.
const pencilled = "hammer-three-turns"

// everySo is after how many pictures its points are placed again.
const everySo = 8

// mark places what contacts, passes and the release are found on, every so many
// pictures, where it is in sight.
func (h *hand) mark(truth sim.Truth) {
	r := rand.New(rand.NewPCG(9, 4))
	spot := func(name string) breakdown.Spot { p := truth.Spot(name); return breakdown.Spot{X: p[0], Y: p[1]} }
	h.do(&breakdown.SetScale{Scale: &breakdown.ScaleLine{A: spot("rim.left"), B: spot("rim.right"), Metres: 2.135, What: "circle across"}})
	h.do(&breakdown.SetLevel{Level: &breakdown.LevelLine{A: spot("half-line.left"), B: spot("half-line.right")}})
	names := []body.Landmark{"implement", "neck", "hip.L", "hip.R", "toe.L", "toe.R", "heel.L", "heel.R", body.Landmark("knuckle." + string(truth.Athlete.Side))}
	for frame := 0; frame < len(truth.Film); frame += everySo {
		for _, l := range names {
			if p := truth.Film[frame].InView[l]; p[2] == 1 {
				h.do(&breakdown.PlaceLandmark{Frame: frame, Landmark: string(l), At: &breakdown.Spot{X: p[0] + placing*r.NormFloat64(), Y: p[1] + placing*r.NormFloat64()}})
			}
		}
	}
}

// measure stamps, calibrates and places from the truth with a placing error.
func (h *hand) measure(book playbook.Event, sc Scenario, truth sim.Truth, m measurePlan) {
	book, err := book.As(sc.Movement.Variant)
	if err != nil {
		h.err = err
		return
	}
	h.book = book
	r := rand.New(rand.NewPCG(5, 4))
	miss := func(x, y float64) breakdown.Spot {
		return breakdown.Spot{X: x + placing*r.NormFloat64(), Y: y + placing*r.NormFloat64()}
	}
	spot := func(name string) breakdown.Spot { p := truth.Spot(name); return miss(p[0], p[1]) }
	h.do(&breakdown.SetScale{Scale: &breakdown.ScaleLine{A: spot(m.from), B: spot(m.to), Metres: m.metres, What: m.what}})
	h.do(&breakdown.SetLevel{Level: &breakdown.LevelLine{A: spot(m.levelA), B: spot(m.levelB)}})
	if m.line != "" {
		h.do(&breakdown.SetOrigin{Origin: &breakdown.Origin{At: spot(m.line)}})
	}
	_, second := others[sc.Name]
	paired := second || slices.Contains(slices.Collect(maps.Values(others)), sc.Name)
	if paired {
		h.places(book, truth, miss)
		h.flies(truth, miss)
	}
	near := sc.Movement.Athlete.Side
	if truth.View == "side-closed" {
		near = near.Other()
	}
	sheet := measure.Recording{Event: book, View: truth.View, Roles: book.RolesFor(sc.Movement.Athlete.Side).Near(near), Paired: paired}
	for _, k := range book.Keys {
		frame, ok := truth.Frames[k.ID]
		if !ok || frame < 1 || frame >= len(truth.Film)-1 {
			continue
		}
		h.do(&breakdown.Stamp{KeyID: k.ID, Frame: new(frame)})
		for _, l := range sheet.RequiredLandmarks(k.ID) {
			// With another film a joint is placed where it must be, though it is hidden.
			if p, known := truth.Film[frame].InView[l]; known && (p[2] == 1 || paired) {
				h.do(&breakdown.PlaceLandmark{Frame: frame, Landmark: string(l), At: new(miss(p[0], p[1]))})
			}
		}
	}
}

// flies places what was thrown on the first pictures of its flight.
func (h *hand) flies(truth sim.Truth, miss func(x, y float64) breakdown.Spot) {
	for frame := truth.Frames["release"]; frame < min(truth.Frames["release"]+12, len(truth.Film)-1); frame++ {
		for _, l := range []body.Landmark{"implement", "implement.front", "implement.back"} {
			p, known := truth.Film[frame].InView[l]
			if known && p[0] > 0 && p[1] > 0 && p[0] < float64(truth.Width) && p[1] < float64(truth.Height) {
				h.do(&breakdown.PlaceLandmark{Frame: frame, Landmark: string(l), At: new(miss(p[0], p[1]))})
			}
		}
	}
}

// places marks the circle and the tops of the rods that stand on its rim in the
// first pictures.
func (h *hand) places(book playbook.Event, truth sim.Truth, miss func(x, y float64) breakdown.Spot) {
	var all []breakdown.ControlPoint
	for _, p := range book.ControlPoints {
		at := truth.Shot(0).Project(r3.Vec{X: p.At[0], Y: p.At[1], Z: p.At[2]})
		all = append(all, breakdown.ControlPoint{Name: p.Name, At: p.At, Px: miss(at.X, at.Y)})
	}
	h.do(&breakdown.SetControlPoints{ControlPoints: all})
	h.do(&breakdown.SetNote{Note: "first", Words: new("The first pictures show rods of 2 m on the rim, filmed before the throw from the same two places.")})
}

// decoded waits for a clip.
func decoded(ctx context.Context, s *store.Store, clip uuid.UUID) error {
	for {
		c, err := s.ClipForJob(ctx, clip)
		switch {
		case err != nil:
			return err
		case c.Status == "ready":
			return nil
		case c.Status == "failed":
			return errors.New(c.Message)
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(100 * time.Millisecond):
		}
	}
}

// hand does a coach's work on the Bench, command by command.
type hand struct {
	ctx              context.Context
	s                *store.Store
	account, attempt uuid.UUID
	name             string
	book             playbook.Event // that counts for the attempt
	n                int
	err              error
}

func (h *hand) do(c breakdown.Command) {
	if h.err != nil {
		return
	}
	b, err := h.s.Bench(h.ctx, h.account, h.attempt)
	if err != nil {
		h.err = err
		return
	}
	h.n++
	command := store.NewCommand(b.Attempt.Version, c)
	command.ID = id(fmt.Sprint(h.name, " command ", h.n))
	_, h.err = h.s.Execute(h.ctx, h.account, h.attempt, h.book, command)
}

// placing is how far the demo coach's hand misses a point, px.
const placing = 1.2

// work stamps, calibrates and measures from the truth with a placing error,
// judges by eye and assigns.
func (h *hand) work(book playbook.Event, truth sim.Truth, st clipStory) {
	r := rand.New(rand.NewPCG(17, 4))
	miss := func(x, y float64) breakdown.Spot {
		return breakdown.Spot{X: x + placing*r.NormFloat64(), Y: y + placing*r.NormFloat64()}
	}
	h.do(&breakdown.SetNote{Note: "first", Words: new("Quick off the line and climbs evenly. The first foot lands under her.")})
	h.do(&breakdown.SetNote{Note: "good", Words: new("Rear foot presses its pedal to the end.")})
	spot := func(name string) breakdown.Spot { p := truth.Spot(name); return miss(p[0], p[1]) }
	h.do(&breakdown.SetScale{Scale: &breakdown.ScaleLine{A: spot("mark-1"), B: spot("mark-2"), Metres: 1, What: "lane marks 1 m apart"}})
	h.do(&breakdown.SetLevel{Level: &breakdown.LevelLine{A: spot("mark-0"), B: spot("mark-3")}})
	line := spot("line")
	h.do(&breakdown.SetOrigin{Origin: &breakdown.Origin{At: line}})
	for _, k := range book.Keys {
		h.do(&breakdown.Stamp{KeyID: k.ID, Frame: new(truth.Frames[k.ID])})
	}
	front := body.Side(st.athlete.FrontLeg)
	sheet := measure.Recording{Event: book, View: truth.View, Roles: body.Start(front).Near(front)}
	for _, k := range book.Keys {
		for _, l := range sheet.RequiredLandmarks(k.ID) {
			p := truth.Film[truth.Frames[k.ID]].InView[l]
			at := miss(p[0], p[1])
			h.do(&breakdown.PlaceLandmark{Frame: truth.Frames[k.ID], Landmark: string(l), At: &at})
		}
	}
	for i := range 3 { // the toe before each contact
		place := fmt.Sprint("td", i+1)
		foot := front.Other()
		if i == 1 {
			foot = front
		}
		for _, before := range []int{4, 1} {
			n := truth.Frames[place] - before
			l := body.Landmark("toe." + string(foot))
			p := truth.Film[n].InView[l]
			at := miss(p[0], p[1])
			h.do(&breakdown.PlaceLandmark{Frame: n, Landmark: string(l), At: &at})
		}
	}
	for _, look := range []string{"rear-foot-pressed", "weight-both", "rear-push-out", "arms-drift", "head-still", "third-foot", "false-step"} {
		h.do(&breakdown.SetLook{Look: look, Verdict: new("good")})
	}
	h.do(&breakdown.SetLook{Look: "feet-wide", Verdict: new("can't see")})
	h.assign(book, st)
}

// assign keeps a clean start clean: the coach's own choice of focus.
func (h *hand) assign(book playbook.Event, st clipStory) {
	const fault = "late-lead-arm"
	h.do(&breakdown.SetFocus{Fault: fault, Why: new("Nothing is out. The lead arm is the newest part of her start: keep it while the load grows.")})
	cue, drill := book.CuesFor(fault)[0], book.DrillsFor(fault)[0]
	h.do(&breakdown.Assign{Fault: fault, Assignment: &breakdown.AssignmentRequest{
		Cue: cue.ID, Words: cue.Text, Drill: drill.Text, Dose: drill.Dose, Refilm: coach.Refilm(st.day, st.day).Format(time.DateOnly),
	}})
}
