package api

import (
	"errors"
	"net/http"
	"slices"
	"time"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"
	types "github.com/oapi-codegen/runtime/types"

	"neokinema/core/coach"
	"neokinema/server/coaching"
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
	if out.Cautions, err = s.coaching().Cautions(ctx, who, athlete, list, phases); err != nil {
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
		if says := coach.HeldBy(coaching.OpenPains(pains), i.Day); says != "" {
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
	items, err := s.coaching().LayOut(ctx, who.ID, b, in.Days)
	if err != nil {
		return err
	}
	out := []PlanItem{}
	for _, i := range items {
		out = append(out, planItem(i))
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
