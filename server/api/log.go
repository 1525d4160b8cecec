package api

import (
	"context"
	"net/http"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"neokinema/core/result"
	"neokinema/core/series"
	"neokinema/server/store"
)

func (s *Server) logged(l store.LogRow) LogRow {
	return LogRow{Id: l.ID, Version: l.Version, Session: l.SessionID, AthleteId: l.AthleteID, Athlete: l.Athlete, Event: l.Event, Variant: l.Variant, Number: l.Number, Day: l.Day.Format(time.DateOnly), Place: l.Place,
		Mark: resultOf(s.Playbooks[l.Event], l.Attempt), Value: l.Mark, Details: l.Details, Film: l.HasClip}
}

func session(e store.Session) Session {
	return Session{Id: e.ID, Day: e.Day.Format(time.DateOnly), Place: e.Place, Kind: SessionKind(e.Kind), Surface: e.Surface, Weather: e.Weather, Wind: e.Wind, Version: e.Version, Attempts: e.Attempts, Athletes: e.Athletes}
}

const sessionsAtOnce = 40

// ListSessions sends a page of sessions.
func (s *Server) ListSessions(c *echo.Context, params ListSessionsParams) error {
	before := time.Date(9999, 1, 1, 0, 0, 0, 0, time.UTC)
	if params.Before != nil {
		before = params.Before.Time
	}
	list, err := s.Store.Sessions(c.Request().Context(), me(c).ID, before, sessionsAtOnce)
	if err != nil {
		return err
	}
	out := []Session{}
	for _, e := range list {
		out = append(out, session(e))
	}
	return c.JSON(http.StatusOK, out)
}

// KeepSession notes what is known of a session.
func (s *Server) KeepSession(c *echo.Context) error {
	var in SessionNote
	if err := read(c, &in); err != nil {
		return err
	}
	if !in.Kind.Valid() {
		return store.Invalid("a session is a training or a meet")
	}
	ctx, who := c.Request().Context(), me(c)
	id, err := s.Store.KeepSession(ctx, who, store.Session{Day: in.Day.Time, Place: in.Place, Kind: string(in.Kind), Surface: strings.TrimSpace(in.Surface), Weather: strings.TrimSpace(in.Weather), Wind: in.Wind, Version: in.Version})
	if err != nil {
		return err
	}
	e, err := s.Store.Session(ctx, who.ID, id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, session(e))
}

// GetSession sends a session, series by series.
func (s *Server) GetSession(c *echo.Context, id uuid.UUID) error {
	out, err := s.sessionPage(c.Request().Context(), me(c).ID, id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, out)
}

func (s *Server) sessionPage(ctx context.Context, viewer, id uuid.UUID) (SessionPage, error) {
	out := SessionPage{Series: []Series{}}
	e, err := s.Store.Session(ctx, viewer, id)
	if err != nil {
		return out, err
	}
	out.Session = session(e)
	list, err := s.Store.AttemptsOfSession(ctx, viewer, id)
	if err != nil {
		return out, err
	}
	earlier, err := s.Store.SessionsBefore(ctx, id)
	if err != nil {
		return out, err
	}
	for len(list) > 0 {
		n := 1
		for n < len(list) && list[n].AthleteID == list[0].AthleteID && list[n].Event == list[0].Event {
			n++
		}
		one := Series{AthleteId: list[0].AthleteID, Athlete: list[0].Athlete, Event: list[0].Event, Attempts: []LogRow{}}
		for _, l := range list[:n] {
			one.Attempts = append(one.Attempts, s.logged(l))
		}
		kind := s.Playbooks[one.Event].Mark.Kind
		one.Sum = series.Summarize(kind, resultsOf(list[:n]))
		var before []store.LogRow
		for _, l := range earlier {
			if l.AthleteID == one.AthleteId && l.Event == one.Event {
				before = append(before, l)
			}
		}
		if len(before) > 0 {
			sum := series.Summarize(kind, resultsOf(before))
			one.Before, one.BeforeSum = new(before[0].Day.Format(time.DateOnly)), &sum
			one.Against = series.Against(kind, one.Sum, sum)
		}
		out.Series, list = append(out.Series, one), list[n:]
	}
	return out, nil
}

func resultsOf(list []store.LogRow) []series.Attempt {
	out := make([]series.Attempt, len(list))
	for i, l := range list {
		out[i].Foul = l.Foul
		if l.Mark != nil {
			out[i].Mark = new(result.Result(*l.Mark))
		}
	}
	return out
}

// Search finds words in all that one may see.
func (s *Server) Search(c *echo.Context, params SearchParams) error {
	hits, err := s.Store.Search(c.Request().Context(), me(c).ID, params.Q)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, hits)
}
