package api

import (
	"net/http"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"neokinema/server/coaching"
	"neokinema/server/store"
)

const sessionsAtOnce = 40

// lastDay is after every session.
var lastDay = time.Date(9999, 1, 1, 0, 0, 0, 0, time.UTC)

// ListSessions sends a page of sessions.
func (s *Server) ListSessions(c *echo.Context, params ListSessionsParams) error {
	before := lastDay
	if params.Before != nil {
		before = params.Before.Time
	}
	list, err := s.Store.Sessions(c.Request().Context(), me(c).ID, before, sessionsAtOnce)
	if err != nil {
		return err
	}
	out := []Session{}
	for _, e := range list {
		out = append(out, coaching.SessionOf(e))
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
	return c.JSON(http.StatusOK, coaching.SessionOf(e))
}

// GetSession sends a session, series by series.
func (s *Server) GetSession(c *echo.Context, id uuid.UUID) error {
	out, err := s.coaching().SessionPage(c.Request().Context(), me(c).ID, id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, out)
}

// Search finds words in all that one may see.
func (s *Server) Search(c *echo.Context, params SearchParams) error {
	hits, err := s.Store.Search(c.Request().Context(), me(c).ID, params.Q)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, hits)
}
