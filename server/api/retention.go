package api

import (
	"net/http"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"
)

// GetRetention sends for how long films are kept.
func (s *Server) GetRetention(c *echo.Context) error {
	months, err := s.Store.Retention(c.Request().Context(), me(c).ClubID)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, Retention{Months: months})
}

// SetRetention says for how long films are kept. Nothing is erased by itself: Today
// names whose films have outlived the rule, and a coach decides.
func (s *Server) SetRetention(c *echo.Context) error {
	who, err := owner(c)
	if err != nil {
		return err
	}
	var in Retention
	if err := read(c, &in); err != nil {
		return err
	}
	return done(c, s.Store.SetRetention(c.Request().Context(), who.ClubID, in.Months))
}

// ExportAthlete sends all that is held of a person. The answer begins only when the
// person is found and may be seen.
func (s *Server) ExportAthlete(c *echo.Context, id uuid.UUID) error {
	held, err := s.coaching().Held(c.Request().Context(), me(c).ID, id)
	if err != nil {
		return err
	}
	h := c.Response().Header()
	h.Set("Content-Type", "application/zip")
	h.Set("Content-Disposition", `attachment; filename="held.zip"`)
	h.Set("Cache-Control", "no-store")
	return held.Write(c.Request().Context(), c.Response())
}
