package demo

import (
	"context"
	"errors"
	"fmt"
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
	"neokinema/server/analysis"
	"neokinema/server/assemble"
	"neokinema/server/store"
)

// story is how an athlete works on one fault, visit after visit. The attempts are
// the simulated athlete's, stamped and placed from the truth by a hand that
// misses; nobody filmed them. What became of a cue is what the core makes of them.
type story struct {
	who, event, variant, view string
	fault                     string
	visits                    []visit
}

// visit is a day: how strong the fault is then, what else the athlete does
// otherwise, and how many more attempts are only logged.
type visit struct {
	day      string
	strength float64
	set      map[string]float64 // knobs of the simulated athlete: how a cue is misread
	more     int
}

func v(day string, strength float64, more int) visit { return visit{day, strength, nil, more} }

func stories() []story {
	misread := func(day, knob string, to, strength float64, more int) visit {
		return visit{day, strength, map[string]float64{knob: to}, more}
	}
	return []story{
		{"Ilse Marrowby", "sprint-start", "", "side-open", "early-upright", []visit{v("2025-04-12", 0.9, 3), v("2025-04-26", 0.9, 3), v("2025-05-10", 0.3, 3), v("2025-05-24", 0, 3), v("2025-06-07", 0, 2), v("2026-04-18", 0, 3)}},
		{"Anselm Tarrant-Vey", "sprint-start", "", "side-open", "weak-exit", []visit{v("2026-04-11", 0.8, 3), v("2026-04-25", 0.8, 3), v("2026-05-09", 1, 3), v("2026-06-06", 0.2, 2)}},
		{"Petra Lindoake", "running", "easy", "side-open", "over-stride", []visit{v("2025-05-03", 0.75, 0), misread("2025-05-31", "speed", 2.4, 1, 0), v("2025-06-28", 0.1, 0), v("2025-08-02", 0, 0), v("2026-05-02", 0, 0), v("2026-06-06", 0, 0)}},
		{"Corvin Hask", "hammer", "four-heel", "side-open", "hang-back", []visit{v("2025-05-04", 0.9, 3), v("2025-05-25", 0.9, 3), v("2025-06-22", 0.4, 3), v("2025-07-20", 0, 3), v("2026-05-03", 0, 3), v("2026-06-14", 0, 3)}},
		{"Runa Selwick", "hammer", "three-heel", "back", "knee-collapse-entry", []visit{v("2026-04-19", 1, 3), v("2026-05-10", 1, 3), v("2026-06-07", 0.3, 3), v("2026-07-05", 1, 3)}},
		{"Bastian Orlo", "weight", "", "back", "fall-off", []visit{v("2025-01-18", 0.9, 3), v("2025-02-15", 0.5, 3), v("2026-01-17", 0.9, 3), v("2026-02-14", 0.2, 3), v("2026-11-14", 0.9, 3)}},
		{"Dagny Ferrowe", "weight", "", "side-open", "hang-back", []visit{v("2025-01-19", 0.9, 3), v("2025-02-16", 0.9, 3), v("2026-01-18", 0.2, 3), v("2026-02-15", 0, 3), v("2026-03-01", 0, 3), v("2026-10-24", 0, 3), v("2026-11-07", 0, 3), v("2026-11-21", 0, 16)}},
		{"Maelle Ostrand", "discus", "full", "back", "late-pivot-foot", []visit{v("2025-05-11", 0.8, 0), v("2025-06-08", 0.8, 0), v("2025-07-13", 0.2, 0), v("2026-05-10", 0, 0), v("2026-06-21", 0, 0)}},
		{"Casimir Wrenn", "shot-glide", "reverse", "side-open", "slow-feet", []visit{v("2025-05-18", 0.9, 3), v("2025-06-15", 0.9, 3), v("2025-07-06", 0.4, 3), v("2025-08-10", 0.1, 3), v("2026-05-17", 0, 3), v("2026-11-18", 0.8, 3)}},
		{"Casimir Wrenn", "shot-rotational", "", "back", "late-pivot-foot", []visit{v("2026-06-06", 0.9, 0), v("2026-06-27", 0.9, 0), v("2026-07-18", 0.4, 0)}},
		{"Ysolde Penhart", "high-jump", "speed", "back", "waist-bend", []visit{v("2026-05-16", 0.9, 3), v("2026-05-30", 0.6, 3), v("2026-06-20", 0.1, 3), v("2026-07-18", 0, 3), v("2026-08-15", 0, 3)}},
		{"Liv Aldersby", "javelin", "forward", "side-open", "short-draw", []visit{v("2025-05-17", 0.8, 3), v("2025-06-14", 0.8, 3), v("2025-07-12", 0.3, 3), v("2026-05-16", 0, 3), v("2026-06-27", 0, 3)}},
		{"Ruben Stell", "javelin", "across", "side-open", "late-front-foot", []visit{v("2025-06-21", 0.9, 3), v("2025-08-16", 0.9, 3), v("2026-05-23", 0.9, 3), v("2026-07-11", 0.5, 3)}},
		{"Caspian Thornekel", "long-jump", "hang", "side-open", "stretching", []visit{v("2025-05-10", 0.8, 3), v("2025-06-14", 0.8, 3), v("2025-07-19", 0.2, 3), v("2026-05-09", 0, 3), v("2026-06-13", 0, 3), v("2026-08-01", 0, 3)}},
		{"Caspian Thornekel", "pole-vault", "firm", "side-open", "late-plant", []visit{v("2025-06-07", 0.8, 0), misread("2025-07-05", "speed-kept", 80, 0.8, 0), v("2026-06-06", 0.3, 0), v("2026-07-04", 0, 0)}},
	}
}

// Seasons brings in two seasons of work. Cut short, it goes on where it was.
func Seasons(ctx context.Context, s *store.Store, books map[string]playbook.Event) error {
	const name = "demo seasons 1"
	if done, err := s.Loaded(ctx, name); err != nil || done {
		return err
	}
	account, err := s.AccountByLogin(ctx, Login)
	if err != nil {
		return err
	}
	if err := loadClub(ctx, s, account); err != nil {
		return err
	}
	for _, st := range stories() {
		t := storyteller{ctx, s, analysis.Service{Store: s, Playbooks: books}, account, st, person(account, st.who), books[st.event]}
		for n := range st.visits {
			if err := t.visit(n); err != nil {
				return fmt.Errorf("demo season of %s, %s on %s: %w", st.who, st.event, st.visits[n].day, err)
			}
		}
	}
	if err := finish(ctx, s, account); err != nil {
		return err
	}
	if err := s.Analyze(ctx); err != nil {
		return err
	}
	return s.SetLoaded(ctx, name)
}

// loadClub is what stands before the first session: people, phases, pain notes that
// were cleared.
func loadClub(ctx context.Context, s *store.Store, account store.Account) error {
	for _, p := range people {
		if err := s.AddAthlete(ctx, person(account, p.name)); err != nil {
			return err
		}
	}
	for _, p := range phases {
		if err := s.KeepPhase(ctx, account.ClubID, store.SeasonPhase{ID: id(p.name), Name: p.name, Kind: p.kind, From: date(p.from), To: date(p.to)}); err != nil {
			return err
		}
	}
	cleared := date("2025-09-02")
	return s.KeepPain(ctx, account.ID, store.PainNote{ID: id("pain 1"), AthleteID: id("Corvin Hask"), Region: "groin", Side: "right", Words: "After heavy implements", Noted: date("2025-07-28"), Cleared: &cleared, ClearedBy: "the club's physiotherapist"})
}

// finish is what stands after the last session: what is open now, and what comes.
func finish(ctx context.Context, s *store.Store, account store.Account) error {
	if err := s.KeepPain(ctx, account.ID, store.PainNote{ID: id("pain 2"), AthleteID: id("Ruben Stell"), Region: "elbow", Side: "left", Words: "On the inside, after throws at full effort", Noted: date("2026-11-16")}); err != nil {
		return err
	}
	for _, g := range []store.Goal{
		{ID: id("goal 1"), AthleteID: id("Corvin Hask"), Event: "hammer", Target: 7800, By: date("2027-06-20")},
		{ID: id("goal 2"), AthleteID: id("Caspian Thornekel"), Event: "long-jump", Target: 750, By: date("2027-07-04")},
		{ID: id("goal 3"), AthleteID: id("Ysolde Penhart"), Event: "high-jump", Target: 190, By: date("2027-06-12")},
		{ID: id("goal 4"), AthleteID: id("Casimir Wrenn"), Event: "shot-glide", Target: 1700, By: date("2027-07-18")},
	} {
		if err := s.AddGoal(ctx, account.ID, g); err != nil {
			return err
		}
	}
	if err := planAhead(ctx, s, account); err != nil {
		return err
	}
	items := []store.PlanItem{{ID: id("meet 1"), AthleteID: id("Bastian Orlo"), Day: date("2026-12-12"), Kind: "meet", Words: "Indoor throws day, Corriegate hall", State: "planned"}, {ID: id("meet 2"), AthleteID: id("Dagny Ferrowe"), Day: date("2026-12-12"), Kind: "meet", Words: "Indoor throws day, Corriegate hall", State: "planned"}}
	return s.AddPlan(ctx, account.ID, items)
}

// planAhead lays out what was assigned this autumn; what lies before the last
// attempt's days is done, or was skipped.
func planAhead(ctx context.Context, s *store.Store, account store.Account) error {
	for _, p := range people {
		asked, err := s.StandingAssignments(ctx, id(p.name))
		if err != nil {
			return err
		}
		for _, a := range asked {
			if a.Day.Before(date("2026-11-01")) || !a.Refilm.After(a.Day) {
				continue
			}
			b, err := s.Bench(ctx, account.ID, a.ID)
			if err != nil {
				return err
			}
			i := slices.IndexFunc(b.Assignments, func(g breakdown.Assignment) bool { return g.Fault == a.Fault })
			g := b.Assignments[i]
			list, err := coach.Spread(a.Fault, []coach.Work{{Words: g.Drill, Dose: g.Dose}}, a.Day, a.Refilm, []time.Weekday{time.Monday, time.Wednesday, time.Friday})
			if err != nil {
				return err
			}
			var items []store.PlanItem
			for n, it := range list {
				state := "planned"
				if it.Day.Before(date("2026-11-24")) {
					state = []string{"done", "done", "skipped"}[n%3]
				}
				items = append(items, store.PlanItem{ID: id(fmt.Sprint("plan ", a.ID, a.Fault, n)), AthleteID: id(p.name), AttemptID: &a.ID, Fault: a.Fault, Day: it.Day, Kind: it.Kind, Words: it.Words, Dose: it.Dose, Intensity: string(it.Intensity), State: state})
			}
			if err := s.AddPlan(ctx, account.ID, items); err != nil {
				return err
			}
		}
	}
	return nil
}

// storyteller tells one story.
type storyteller struct {
	ctx     context.Context
	s       *store.Store
	desk    analysis.Service
	account store.Account
	story
	athlete store.Athlete
	book    playbook.Event
}

// take moves the simulated athlete.
func (t storyteller) take(seed uint64, strength float64, set map[string]float64, rate float64) (sim.Truth, error) {
	side := t.book.Own(playbook.Sides{Hand: body.Side(t.athlete.Hand), TakeOff: body.Side(t.athlete.JumpLeg), FrontBlock: body.Side(t.athlete.FrontLeg)})
	w := sim.Request{Event: t.event, Variant: t.variant, Athlete: sim.Athlete{HeightM: t.athlete.HeightM, Sex: body.Sex(t.athlete.Sex), Side: side}, Seed: seed, Set: set, Faults: map[string]float64{}}
	if strength > 0 {
		w.Faults[t.fault] = strength
	}
	m, err := sim.Simulate(w)
	if err != nil {
		return sim.Truth{}, err
	}
	c := sim.Usual(t.event, t.view)
	c.Capture, c.Playback, c.Seed = rate, rate, seed
	c.Distance = 30
	if at, thrown := m.Stamps["release"]; rate == loggedRate && thrown { // no more than its mark is needed
		c.From, c.To = at-0.1, at+0.1
	}
	return c.Film(m)
}

const (
	seasonRate = 240 // pictures a second of what is measured
	loggedRate = 60  // and of what is only logged
)

// known are the marks, in hundredths, that an athlete of the club is known for.
func known(event, sex string) (low, high int) {
	man := sex == "man"
	switch event {
	case "hammer":
		if man {
			return 6400, 7150
		}
		return 4600, 5600
	case "weight":
		return 1400, 2050
	case "shot-glide":
		return 1380, 1690
	case "javelin":
		if man {
			return 5500, 7200
		}
		return 4300, 5400
	case "long-jump":
		if man {
			return 640, 745
		}
		return 530, 620
	case "high-jump":
		if man {
			return 180, 205
		}
		return 160, 185
	}
	return 0, math.MaxInt
}

// mostTries is how many attempts are looked at for one whose mark the athlete is
// known for.
const mostTries = 5

// likely is the first such attempt; ok is false when there is none.
func (t storyteller) likely(seed uint64, strength float64, set map[string]float64, rate float64) (truth sim.Truth, ok bool, err error) {
	low, high := known(t.event, t.athlete.Sex)
	for i := range uint64(mostTries) {
		if truth, err = t.take(seed+50*i, strength, set, rate); err != nil {
			return truth, false, err
		}
		m, none := t.book.Mark.Of(resultText(t.book, truth))
		if none != nil || int(m) >= low && int(m) <= high {
			return truth, true, nil
		}
	}
	return truth, false, nil
}

// visit logs a day's attempts, measures the first of them, follows up what was
// asked before, and asks for what comes next.
func (t storyteller) visit(n int) error {
	day := t.visits[n].day
	seed := 31 + uint64(len(t.who)*1000+len(t.event)*100+n*7)
	r := rand.New(rand.NewPCG(seed, 11))
	name := fmt.Sprint("season ", t.who, " ", t.event, " ", day)
	place, surface, weather := "Saltmere oval", "synthetic", []string{"dry, mild", "dry, warm", "light rain", "overcast"}[r.IntN(4)]
	if t.event == "weight" {
		place, surface, weather = "Saltmere hall", "concrete circle", ""
	}
	wind := math.Round(20*r.NormFloat64()*0.6) / 20
	var blows *float64
	if slices.Contains(t.book.Log, "wind") {
		blows = &wind
	}
	kind := "training"
	if n%3 == 2 {
		kind = "meet"
	}
	var noted store.Invalid // what was noted of the day for another athlete stays
	if _, err := t.s.KeepSession(t.ctx, t.account, store.Session{Day: date(day), Place: place, Kind: kind, Surface: surface, Weather: weather}); err != nil && !errors.As(err, &noted) {
		return err
	}
	for i := range t.visits[n].more + 1 {
		strength, set, rate := t.visits[n].strength, t.visits[n].set, float64(loggedRate)
		if i == 0 {
			rate = seasonRate
		}
		truth, ok, err := t.likely(seed+uint64(1000*i), strength, set, rate)
		if err != nil {
			return err
		}
		if !ok && i > 0 {
			continue
		}
		entry := t.entry(r, truth, id(fmt.Sprint(name, " ", i)), date(day), place, blows)
		if !ok { // measured, and nobody measured the mark
			entry.Mark = nil
		}
		if err := t.s.SaveLogEntry(t.ctx, t.account.ID, entry); err != nil {
			return err
		}
		if i == 0 {
			if err := t.measured(n, name, entry.ID, truth, r); err != nil {
				return err
			}
		}
	}
	return nil
}

// entry is an attempt as a coach logs it.
func (t storyteller) entry(r *rand.Rand, truth sim.Truth, attempt uuid.UUID, day time.Time, place string, wind *float64) store.LogEntry {
	e := store.LogEntry{Attempt: store.Attempt{ID: attempt, AthleteID: t.athlete.ID, Event: t.event, Day: day, Place: place}}
	if len(t.book.Schools) > 0 {
		e.School = t.book.Schools[0].ID
	}
	if v, ok := t.book.Variant(t.variant); ok {
		e.Variant = v.ID
	}
	e.Wind = wind
	e.Effort, e.RPE = new(80+5*r.IntN(5)), new(5+r.IntN(4))
	if kg, ok := t.book.Implement(t.athlete.Sex, playbook.AgeGroup(t.athlete.BirthYear, day.Year())); ok {
		e.ImplementG = new(int(math.Round(1000 * kg)))
		e.LandedDeg = new(math.Round(70*r.NormFloat64()) / 10)
	}
	if m, err := t.book.Mark.Of(resultText(t.book, truth)); err == nil {
		e.Mark = new(int(m))
	}
	lose := func(how string) {
		if slices.Contains(t.book.Mark.Fouls, how) {
			e.Foul, e.Mark = how, nil
		}
	}
	if gap, ok := truth.Measures["board-gap@board-to"]; ok {
		e.BoardCm = new(math.Round(1000*gap) / 10)
		if gap < 0 {
			lose("over the line")
		}
	}
	if e.LandedDeg != nil && math.Abs(*e.LandedDeg) > 17.46 { // half of the sector's 34.92°
		lose("outside the sector")
	}
	if margin, ok := truth.Measures["bar-margin@peak"]; ok && margin < 0 {
		lose("bar off")
	}
	return e
}

// measured stamps, calibrates and places an attempt from its truth, then judges
// it as the club's coach does.
func (t storyteller) measured(n int, name string, attempt uuid.UUID, truth sim.Truth, r *rand.Rand) error {
	book, err := t.book.As(t.variant)
	if err != nil {
		return err
	}
	pts := make([]int64, len(truth.Film))
	for i := range pts {
		pts[i] = int64(i)
	}
	clip := store.Clip{ID: id("clip " + name), AttemptID: attempt, Name: "simulated, no film", Width: truth.Width, Height: truth.Height, BaseNum: 1, BaseDen: seasonRate, CaptureRate: seasonRate, View: truth.View, Rightward: truth.Rightward()}
	if err := t.s.AddFilmless(t.ctx, t.account.ID, clip, pts); err != nil {
		return err
	}
	h := &hand{ctx: t.ctx, s: t.s, account: t.account.ID, attempt: attempt, name: name, book: book}
	t.mark(h, book, truth, r)
	if h.err != nil {
		return h.err
	}
	b, err := t.s.Bench(t.ctx, t.account.ID, attempt)
	if err != nil {
		return err
	}
	found, err := t.desk.Reading(t.ctx, t.account.ID, b)
	if err != nil {
		return err
	}
	h.do(&breakdown.SetNote{Note: "first", Words: new("A simulated attempt, stamped and placed from its truth with an error of the hand; nobody filmed it.")})
	for _, f := range found.FollowUps {
		if f.Outcome != coach.Unseen {
			h.do(&breakdown.SetFollowUp{Of: f.Of.String(), Fault: f.Fault, Outcome: new(string(f.Outcome))})
		}
	}
	if b, err = t.s.Bench(t.ctx, t.account.ID, attempt); err != nil {
		return err
	}
	if found, err = t.desk.Reading(t.ctx, t.account.ID, b); err != nil {
		return err
	}
	refilm := b.Attempt.Day.AddDate(0, 0, 4*coach.RefilmDays)
	if n+1 < len(t.visits) {
		refilm = date(t.visits[n+1].day)
	}
	t.assign(h, found, refilm)
	if h.err != nil {
		return h.err
	}
	return t.close(b.Attempt.Day)
}

// figure is what the coach places besides, so that the strips show a whole athlete.
var figure = []body.Landmark{"vertex", "neck", "shoulder.L", "shoulder.R", "elbow.L", "elbow.R", "wrist.L", "wrist.R", "hip.L", "hip.R", "knee.L", "knee.R", "ankle.L", "ankle.R", "heel.L", "heel.R", "toe.L", "toe.R"}

// mark puts in what measuring needs.
func (t storyteller) mark(h *hand, book playbook.Event, truth sim.Truth, r *rand.Rand) {
	miss := func(x, y float64) breakdown.Spot {
		return breakdown.Spot{X: x + placing*r.NormFloat64(), Y: y + placing*r.NormFloat64()}
	}
	shot := truth.Shot(0)
	spot := func(p r3.Vec) breakdown.Spot { q := shot.Project(p); return miss(q.X, q.Y) }
	middle := truth.Film[len(truth.Film)/2].World
	base := r3.Vec{X: (middle["hip.L"][0] + middle["hip.R"][0]) / 2, Y: (middle["hip.L"][1] + middle["hip.R"][1]) / 2}
	along := r3.Vec{X: 1}
	if t.view == "back" {
		along = r3.Vec{Y: 1}
	}
	from, to, what := r3.Sub(base, along), r3.Add(base, along), "cones 2 m apart"
	if t.event == "high-jump" { // the ground line runs off the picture plane there
		from, to, what = base, r3.Add(base, r3.Vec{Z: 2}), "rod of 2 m at the take-off"
	}
	a, b := spot(from), spot(to)
	h.do(&breakdown.SetScale{Scale: &breakdown.ScaleLine{A: a, B: b, Metres: 2, What: what}})
	h.do(&breakdown.SetLevel{Level: &breakdown.LevelLine{A: a, B: b, Vertical: t.event == "high-jump"}})
	if book.Line != "" {
		h.do(&breakdown.SetOrigin{Origin: &breakdown.Origin{At: spot(r3.Vec{Y: base.Y})}})
	}
	side := truth.Athlete.Side
	near := side
	if truth.View == "side-closed" {
		near = near.Other()
	}
	sheet := measure.Recording{Event: book, View: truth.View, Roles: book.RolesFor(side).Near(near)}
	stamps, points := map[string]*int{}, []breakdown.Point{}
	for _, k := range book.Keys {
		frame, ok := truth.Frames[k.ID]
		if !ok || frame < 1 || frame >= len(truth.Film)-1 {
			continue
		}
		stamps[k.ID] = &frame
		for _, l := range append(sheet.RequiredLandmarks(k.ID), figure...) {
			p, known := truth.Film[frame].InView[l]
			if known && p[2] == 1 && !slices.ContainsFunc(points, func(q breakdown.Point) bool { return q.Frame == frame && q.Name == string(l) }) {
				points = append(points, breakdown.Point{Frame: frame, Name: string(l), At: new(miss(p[0], p[1]))})
			}
		}
	}
	h.do(&breakdown.Stamps{Stamps: stamps})
	h.do(&breakdown.PlaceLandmarks{Points: points})
}

// assign takes the story's fault, where it shows, for the focus, with the cue that
// stands first.
func (t storyteller) assign(h *hand, found assemble.Reading, refilm time.Time) {
	for _, o := range found.Options {
		if o.Fault != t.fault || len(o.Cues) == 0 || o.Aim == nil {
			continue
		}
		wish := breakdown.AssignmentRequest{Cue: o.Cues[0].ID, Words: o.Cues[0].Text, Refilm: refilm.Format(time.DateOnly)}
		if len(o.Drills) > 0 {
			wish.Drill, wish.Dose = o.Drills[0].Text, o.Drills[0].Dose
		}
		h.do(&breakdown.SetFocus{Fault: o.Fault, Why: new("")})
		h.do(&breakdown.Assign{Fault: o.Fault, Assignment: &wish})
	}
}

// close closes a focus that held long enough.
func (t storyteller) close(day time.Time) error {
	asked, err := t.s.StandingAssignments(t.ctx, t.athlete.ID)
	if err != nil {
		return err
	}
	since, err := t.s.LaterAttempts(t.ctx, t.athlete.ID, asked)
	if err != nil {
		return err
	}
	for i, a := range asked {
		if a.Event != t.event || a.Closed != nil {
			continue
		}
		if !assemble.OpenOf(t.book, a, since[i], day).Closed {
			continue
		}
		h := &hand{ctx: t.ctx, s: t.s, account: t.account.ID, attempt: a.ID, name: fmt.Sprint("close ", a.ID, a.Fault), book: t.book}
		if h.do(&breakdown.CloseFocus{Fault: a.Fault, Closed: new(day.Format(time.DateOnly))}); h.err != nil {
			return h.err
		}
	}
	return nil
}
