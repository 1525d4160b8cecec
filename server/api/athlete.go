package api

import (
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"
	types "github.com/oapi-codegen/runtime/types"

	"neokinema/core/coach"
	"neokinema/server/store"
)

// GetAthlete sends an athlete's page: what is worked on, the marks, what cues did.
func (s *Server) GetAthlete(c *echo.Context, id uuid.UUID) error {
	ctx, viewer := c.Request().Context(), me(c).ID
	a, err := s.Store.AthleteOf(ctx, viewer, id)
	if err != nil {
		return err
	}
	p, err := s.coaching().Athlete(ctx, viewer, id)
	if err != nil {
		return err
	}
	out := AthletePage{Athlete: s.athlete(a), Focuses: p.Focuses, Marks: p.Marks, Record: p.Record, Pains: []PainNote{}, Regions: coach.Regions(), Goals: p.Goals, Load: p.Load, Measures: p.Measures, Attempts: p.Attempts, Strips: p.Strips}
	for _, n := range p.Pains {
		out.Pains = append(out.Pains, pain(n))
	}
	return c.JSON(http.StatusOK, out)
}

// GetAthleteMeasure sends a measure over time.
func (s *Server) GetAthleteMeasure(c *echo.Context, id uuid.UUID, params GetAthleteMeasureParams) error {
	ctx, viewer := c.Request().Context(), me(c).ID
	out, err := s.coaching().ValuesOverTime(ctx, viewer, id, params.Event, params.Key)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, out)
}

const page = 60

// GetAthleteAttempts sends a page of an athlete's attempts.
func (s *Server) GetAthleteAttempts(c *echo.Context, id uuid.UUID, params GetAthleteAttemptsParams) error {
	ctx, viewer := c.Request().Context(), me(c).ID
	if _, err := s.Store.AthleteOf(ctx, viewer, id); err != nil {
		return err
	}
	event := ""
	if params.Event != nil {
		event = *params.Event
	}
	var after *store.Cursor
	if params.After != nil {
		var err error
		if after, err = cursor(*params.After); err != nil {
			return err
		}
	}
	list, err := s.Store.AttemptsOfAthlete(ctx, viewer, id, event, after, page)
	if err != nil {
		return err
	}
	out := LogPage{Items: []LogRow{}}
	for _, l := range list {
		out.Items = append(out.Items, s.coaching().Logged(l))
	}
	if len(list) == page {
		last := list[page-1]
		out.Next = new(fmt.Sprintf("%s.%d.%s", last.Day.Format(time.DateOnly), last.Number, last.ID))
	}
	return c.JSON(http.StatusOK, out)
}

func cursor(s string) (*store.Cursor, error) {
	parts := strings.Split(s, ".")
	if len(parts) == 3 {
		day, err1 := time.Parse(time.DateOnly, parts[0])
		n, err2 := strconv.Atoi(parts[1])
		id, err3 := uuid.Parse(parts[2])
		if err1 == nil && err2 == nil && err3 == nil {
			return &store.Cursor{Day: day, Number: n, ID: id}, nil
		}
	}
	return nil, store.Invalid("this is no place where a list goes on")
}

func pain(n store.PainNote) PainNote {
	out := PainNote{Id: n.ID, AthleteId: n.AthleteID, Athlete: n.Athlete, Region: n.Region, Side: PainNoteSide(n.Side), Words: n.Words, Noted: types.Date{Time: n.Noted}, ClearedBy: n.ClearedBy, Version: n.Version}
	if n.Cleared != nil {
		out.Cleared = &types.Date{Time: *n.Cleared}
	}
	return out
}

// KeepPain adds or changes a pain note.
func (s *Server) KeepPain(c *echo.Context) error {
	var in PainNote
	if err := read(c, &in); err != nil {
		return err
	}
	if !slices.Contains(coach.Regions(), in.Region) || !in.Side.Valid() {
		return store.Invalid("say where it hurts, from the lists of regions and sides")
	}
	n := store.PainNote{ID: in.Id, AthleteID: in.AthleteId, Region: in.Region, Side: string(in.Side), Words: in.Words, Noted: in.Noted.Time, ClearedBy: in.ClearedBy, Version: in.Version}
	if in.Cleared != nil {
		n.Cleared = &in.Cleared.Time
	}
	return done(c, s.Store.KeepPain(c.Request().Context(), me(c).ID, n))
}

// ErasePain erases a pain note.
func (s *Server) ErasePain(c *echo.Context, id uuid.UUID) error {
	return done(c, s.Store.ErasePain(c.Request().Context(), me(c).ID, id))
}

// AddGoal sets a goal.
func (s *Server) AddGoal(c *echo.Context) error {
	var in NewGoal
	if err := read(c, &in); err != nil {
		return err
	}
	g := store.Goal{ID: in.Id, AthleteID: in.AthleteId, Event: in.Event, Measure: in.Measure, By: in.By.Time}
	return done(c, s.coaching().SetGoal(c.Request().Context(), me(c).ID, g, in.Target))
}

// EraseGoal takes a goal off.
func (s *Server) EraseGoal(c *echo.Context, id uuid.UUID) error {
	return done(c, s.Store.EraseGoal(c.Request().Context(), me(c).ID, id))
}
