package api

import (
	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"neokinema/server/assemble"
	"neokinema/server/store"
)

// Fit puts the fitting of a body to an attempt's film in line.
func (s *Server) Fit(c *echo.Context, id uuid.UUID) error {
	var in NewFit
	if err := read(c, &in); err != nil {
		return err
	}
	ctx := c.Request().Context()
	b, e, err := s.benchWithBook(c, id)
	if err != nil {
		return err
	}
	if b.Clip == nil {
		return store.Invalid("the clip is not ready yet")
	}
	if b.Other != nil {
		return store.Invalid("this attempt has two films: what is in space is read off both")
	}
	pts, err := s.Store.PTS(ctx, b.Clip.ID)
	if err != nil {
		return err
	}
	if err := assemble.CanFit(e, b, pts); err != nil {
		return err
	}
	if err := s.Store.AddFit(ctx, me(c).ID, in.Id, id, s.Tasks.Enqueue); err != nil {
		return err
	}
	return s.GetTask(c, in.Id)
}

// GetLatestFit tells how the last fitting of a body to an attempt's film went.
func (s *Server) GetLatestFit(c *echo.Context, id uuid.UUID) error {
	return s.latest(c, store.TaskFit, id)
}
