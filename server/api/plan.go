package api

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"
	types "github.com/oapi-codegen/runtime/types"

	"neokinema/core/coach"
	"neokinema/core/result"
	"neokinema/core/series"
	"neokinema/server/report"
	"neokinema/server/store"
)

func planItem(i store.PlanItem) PlanItem {
	return PlanItem{Id: i.ID, AthleteId: i.AthleteID, Athlete: i.Athlete, Attempt: i.AttemptID, Fault: i.Fault, Day: types.Date{Time: i.Day}, Kind: PlanItemKind(i.Kind), Words: i.Words, Dose: i.Dose, Intensity: PlanItemIntensity(i.Intensity), State: PlanItemState(i.State), Version: i.Version}
}

func planItemInput(in PlanItem) (store.PlanItem, error) {
	if in.State == "" {
		in.State = PlanItemStatePlanned
	}
	if !in.Kind.Valid() || !in.Intensity.Valid() || !in.State.Valid() {
		return store.PlanItem{}, store.Invalid("take the kind, the intensity and the state from their lists")
	}
	return store.PlanItem{ID: in.Id, AthleteID: in.AthleteId, AttemptID: in.Attempt, Fault: in.Fault, Day: in.Day.Time, Kind: string(in.Kind), Words: in.Words, Dose: in.Dose, Intensity: string(in.Intensity), State: string(in.State), Version: in.Version}, nil
}

// longestLook is how much of a plan is looked at once.
const longestLook = 400 * 24 * time.Hour

// GetPlan sends a part of the plan with what speaks against it.
func (s *Server) GetPlan(c *echo.Context, params GetPlanParams) error {
	ctx, who := c.Request().Context(), me(c)
	from, to := params.From.Time, params.To.Time
	if to.Before(from) || to.Sub(from) > longestLook {
		return store.Invalid("look at a year of the plan at most, from an earlier day to a later one")
	}
	athlete := uuid.Nil
	if params.Athlete != nil {
		athlete = *params.Athlete
		if _, err := s.Store.AthleteOf(ctx, who.ID, athlete); err != nil {
			return err
		}
	}
	// A day is judged by those around it.
	list, err := s.Store.Plan(ctx, who.ID, athlete, from.AddDate(0, 0, -coach.FreshDays), to.AddDate(0, 0, coach.FreshDays))
	if err != nil {
		return err
	}
	phases, err := s.Store.Phases(ctx, who.ClubID)
	if err != nil {
		return err
	}
	out := Plan{Items: []PlanItem{}, Phases: []SeasonPhase{}}
	for _, p := range phases {
		out.Phases = append(out.Phases, SeasonPhase{Id: p.ID, Name: p.Name, Kind: SeasonPhaseKind(p.Kind), From: types.Date{Time: p.From}, To: types.Date{Time: p.To}})
	}
	if out.Cautions, err = s.cautions(ctx, who, athlete, list, phases); err != nil {
		return err
	}
	shown := map[string]bool{}
	for _, i := range list {
		if !i.Day.Before(from) && !i.Day.After(to) {
			out.Items = append(out.Items, planItem(i))
			shown[i.ID.String()] = true
		}
	}
	out.Cautions = slices.DeleteFunc(out.Cautions, func(a coach.Caution) bool { return !shown[a.Item] })
	return c.JSON(http.StatusOK, out)
}

func (s *Server) cautions(ctx context.Context, who store.Account, athlete uuid.UUID, list []store.PlanItem, phases []store.SeasonPhase) ([]coach.Caution, error) {
	var items []coach.Item
	for _, i := range list {
		items = append(items, coach.Item{ID: i.ID.String(), Athlete: i.AthleteID.String(), Day: i.Day, Kind: i.Kind, Words: i.Words, Dose: i.Dose, Intensity: coach.Intensity(i.Intensity), State: i.State, Fault: i.Fault})
	}
	notes, err := s.Store.PainNotes(ctx, who.ID, athlete, true)
	if err != nil {
		return nil, err
	}
	pains := map[string][]coach.Pain{}
	for _, n := range notes {
		id := n.AthleteID.String()
		pains[id] = append(pains[id], openPains([]store.PainNote{n})...)
	}
	var season []coach.SeasonPhase
	for _, p := range phases {
		season = append(season, coach.SeasonPhase{Name: p.Name, Kind: p.Kind, From: p.From, To: p.To})
	}
	given, err := s.Store.GivenFocuses(ctx, who.ID, athlete)
	if err != nil {
		return nil, err
	}
	var focuses []coach.GivenFocus
	for _, g := range given {
		focuses = append(focuses, coach.GivenFocus{Athlete: g.Athlete.String(), Fault: g.Fault, Day: g.Day})
	}
	return coach.Cautions(items, pains, season, focuses), nil
}

// AddPlan adds lines.
func (s *Server) AddPlan(c *echo.Context) error {
	var in []PlanItem
	if err := read(c, &in); err != nil {
		return err
	}
	if len(in) == 0 || len(in) > 500 {
		return store.Invalid("add between 1 and 500 lines at once")
	}
	var items []store.PlanItem
	for _, one := range in {
		i, err := planItemInput(one)
		if err != nil {
			return err
		}
		items = append(items, i)
	}
	return done(c, s.Store.AddPlan(c.Request().Context(), me(c).ID, items))
}

// ChangePlan changes a line. What an open pain note holds is not done.
func (s *Server) ChangePlan(c *echo.Context, id uuid.UUID) error {
	var in PlanItem
	if err := read(c, &in); err != nil {
		return err
	}
	in.Id = id
	i, err := planItemInput(in)
	if err != nil {
		return err
	}
	ctx, who := c.Request().Context(), me(c)
	if i.State == "done" && i.Kind != "refilm" && i.Kind != "meet" {
		if _, err := s.Store.AthleteOf(ctx, who.ID, i.AthleteID); err != nil {
			return err
		}
		pains, err := s.Store.OpenPains(ctx, i.AthleteID)
		if err != nil {
			return err
		}
		if says := coach.HeldBy(openPains(pains), i.Day); says != "" {
			return store.Invalid(says)
		}
	}
	now, err := s.Store.ChangePlan(ctx, who.ID, i)
	var clash store.PlanClash
	if errors.As(err, &clash) {
		return c.JSON(http.StatusConflict, PlanConflict{Message: clash.Error(), Theirs: planItem(clash.Theirs)})
	}
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, planItem(now))
}

// ErasePlan takes a line off.
func (s *Server) ErasePlan(c *echo.Context, id uuid.UUID) error {
	return done(c, s.Store.ErasePlan(c.Request().Context(), me(c).ID, id))
}

// LayOut spreads the work of an attempt's assignments over the days of training.
func (s *Server) LayOut(c *echo.Context, id uuid.UUID) error {
	ctx, who := c.Request().Context(), me(c)
	b, err := s.Store.Bench(ctx, who.ID, id)
	if err != nil {
		return err
	}
	var in ScheduleRequest
	if err := read(c, &in); err != nil {
		return err
	}
	if len(b.Assignments) == 0 {
		return store.Invalid("nothing is assigned yet: choose a focus and a cue first")
	}
	if says, err := s.openPain(ctx, b.Attempt.AthleteID); err != nil || says != "" {
		if err == nil {
			err = store.Invalid(says)
		}
		return err
	}
	e, err := s.playbookOf(c, b)
	if err != nil {
		return err
	}
	var days []time.Weekday
	for _, d := range in.Days {
		days = append(days, time.Weekday(d))
	}
	var items []store.PlanItem
	out := []PlanItem{}
	for _, g := range b.Assignments {
		work := []coach.Work{{Words: g.Drill, Dose: g.Dose}}
		if g.Drill == "" {
			work = []coach.Work{{Words: "“" + g.Words + "”", Dose: g.Dose}}
		}
		for _, d := range e.DrillsFor(g.Fault) {
			if d.Kind == "strength" && d.Text != g.Drill {
				work = append(work, coach.Work{Words: d.Text, Dose: d.Dose, Strength: true})
				break
			}
		}
		list, err := coach.Spread(g.Fault, work, b.Attempt.Day, g.Refilm, days)
		if err != nil {
			return store.Invalid(err.Error())
		}
		for n, it := range list {
			// The same line of the same plan has the same id: laid out twice, it is there once.
			one := store.PlanItem{ID: uuid.NewSHA1(id, fmt.Appendf(nil, "%s %s %d %s", g.Fault, it.Day.Format(time.DateOnly), n, it.Words)), AthleteID: b.Attempt.AthleteID, Athlete: b.Athlete.Name, AttemptID: &id, Fault: g.Fault,
				Day: it.Day, Kind: it.Kind, Words: it.Words, Dose: it.Dose, Intensity: string(it.Intensity), State: it.State}
			items, out = append(items, one), append(out, planItem(one))
		}
	}
	if err := s.Store.AddPlan(ctx, who.ID, items); err != nil {
		return err
	}
	return c.JSON(http.StatusOK, out)
}

// GetPlanCalendar sends the plan as iCalendar.
func (s *Server) GetPlanCalendar(c *echo.Context, params GetPlanCalendarParams) error {
	ctx, who := c.Request().Context(), me(c)
	athlete, name := uuid.Nil, who.Club
	if params.Athlete != nil {
		a, err := s.Store.AthleteOf(ctx, who.ID, *params.Athlete)
		if err != nil {
			return err
		}
		athlete, name = a.ID, a.Name
	}
	list, err := s.Store.Plan(ctx, who.ID, athlete, s.Now().AddDate(0, 0, -28), s.Now().AddDate(0, 0, 84))
	if err != nil {
		return err
	}
	var days []report.Day
	for _, i := range list {
		if i.State == "skipped" {
			continue
		}
		says := i.Words
		if athlete == uuid.Nil {
			says = i.Athlete + ": " + says
		}
		days = append(days, report.Day{ID: i.ID.String(), On: i.Day, Says: says, More: i.Dose, Done: i.State == "done"})
	}
	c.Response().Header().Set("Content-Disposition", `attachment; filename="plan.ics"`)
	return c.Blob(http.StatusOK, "text/calendar; charset=utf-8", []byte(report.Calendar(name, days, s.Now())))
}

// KeepPhase adds a phase of the season or changes it. Phases are the whole club's:
// its owner sets them.
func (s *Server) KeepPhase(c *echo.Context) error {
	if _, err := owner(c); err != nil {
		return err
	}
	var in SeasonPhase
	if err := read(c, &in); err != nil {
		return err
	}
	if !in.Kind.Valid() {
		return store.Invalid("a phase is for preparation, special work, competition or rest")
	}
	return done(c, s.Store.KeepPhase(c.Request().Context(), me(c).ClubID, store.SeasonPhase{ID: in.Id, Name: in.Name, Kind: string(in.Kind), From: in.From.Time, To: in.To.Time}))
}

// ErasePhase takes a phase off.
func (s *Server) ErasePhase(c *echo.Context, id uuid.UUID) error {
	if _, err := owner(c); err != nil {
		return err
	}
	return done(c, s.Store.ErasePhase(c.Request().Context(), me(c).ClubID, id))
}

// freshDays is for how long a record is news.
const freshDays = 14

// waits are what a coach should look at, in the order of the work.
func (s *Server) waits(ctx context.Context, who store.Account) ([]WaitingItem, error) {
	out := []WaitingItem{}
	today := s.Now()
	pains, err := s.Store.PainNotes(ctx, who.ID, uuid.Nil, true)
	if err != nil {
		return nil, err
	}
	for _, n := range pains {
		out = append(out, WaitingItem{Kind: WaitingItemKindPain, Says: fmt.Sprintf("%s: %s since %s", n.Athlete, coach.Where(n.Region, n.Side), n.Noted.Format("2 January")), Under: n.Words, To: "/athletes/" + n.AthleteID.String()})
	}
	if who.Role == "owner" {
		aside, err := s.Store.BrokenChanges(ctx, who.ClubID)
		if err != nil {
			return nil, err
		}
		for _, p := range aside {
			out = append(out, WaitingItem{Kind: WaitingItemKindPlaybook, Says: fmt.Sprintf("A change of the %s no longer fits and is set aside", strings.ToLower(s.Playbooks[p.Event].Name)), Under: p.Problem, To: "/playbook/" + p.Event})
		}
	}
	keep, err := s.retentionWaits(ctx, who, today)
	if err != nil {
		return nil, err
	}
	out = append(out, keep...)
	due, err := s.Store.Due(ctx, who.ID, today)
	if err != nil {
		return nil, err
	}
	for _, d := range due {
		out = append(out, WaitingItem{Kind: WaitingItemKindRefilm, Says: fmt.Sprintf("%s: “%s”", d.Athlete, d.Words), Under: fmt.Sprintf("%s, due %s", s.Playbooks[d.Event].Name, d.Refilm.Format("2 January 2006")), To: "/attempts/" + d.ID.String() + "/assign", Attempt: &d.ID})
	}
	waiting, err := s.Store.Waiting(ctx, who.ID)
	if err != nil {
		return nil, err
	}
	for _, w := range waiting {
		one := WaitingItem{Kind: WaitingItemKind(w.Kind), Says: fmt.Sprintf("%s, %s %d", w.Athlete, s.Playbooks[w.Event].Name, w.Number), Under: day(w.Day), To: "/attempts/" + w.ID.String() + "/split", Attempt: &w.ID}
		if w.Kind == "confirm" {
			one.To = "/attempts/" + w.ID.String() + "/judge"
		}
		out = append(out, one)
	}
	marks, err := s.Store.ValidMarks(ctx, who.ID, today.AddDate(0, 0, -freshDays))
	if err != nil {
		return nil, err
	}
	out = append(out, s.records(marks, today)...)
	items, err := s.Store.Plan(ctx, who.ID, uuid.Nil, today.Truncate(24*time.Hour), today.Truncate(24*time.Hour))
	if err != nil {
		return nil, err
	}
	for _, i := range items {
		if i.State == "planned" {
			out = append(out, WaitingItem{Kind: WaitingItemKindPlan, Says: i.Athlete + ": " + i.Words, Under: i.Dose, To: "/calendar"})
		}
	}
	return out, nil
}

// records are the own bests of the last days that beat one before, the best of
// each athlete's discipline and implement only.
func (s *Server) records(marks []store.Best, today time.Time) []WaitingItem {
	type what struct {
		athlete    uuid.UUID
		discipline string
		grams      int
	}
	best, beats := map[what]store.Best{}, map[what]store.Best{}
	var order []what
	for _, m := range marks {
		w := what{m.Athlete, s.Playbooks[m.Event].Joined(), 0}
		if m.Grams != nil {
			w.grams = *m.Grams
		}
		was, has := best[w]
		if has && !series.Better(s.Playbooks[m.Event].Mark.Kind, result.Result(m.Mark), result.Result(was.Mark)) {
			continue
		}
		if has {
			if _, news := beats[w]; !news || was.Day.Before(today.AddDate(0, 0, -freshDays)) {
				beats[w] = was
			}
		}
		if !has {
			order = append(order, w)
		}
		best[w] = m
	}
	out := []WaitingItem{}
	for _, w := range order {
		m := best[w]
		was, beaten := beats[w]
		if !beaten || m.Day.Before(today.AddDate(0, 0, -freshDays)) {
			continue
		}
		kind := s.Playbooks[m.Event].Mark.Kind
		under := fmt.Sprintf("%s on %s, before %s", s.Playbooks[m.Event].Name, m.Day.Format("2 January"), result.Result(was.Mark).Format(kind))
		out = append(out, WaitingItem{Kind: WaitingItemKindRecord, Says: fmt.Sprintf("%s: own best, %s", m.Name, result.Result(m.Mark).Format(kind)), Under: under, To: "/attempts/" + m.ID.String() + "/watch", Attempt: &m.ID})
	}
	return out
}
