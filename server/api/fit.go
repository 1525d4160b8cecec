package api

import (
	"net/http"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"neokinema/core/body"
	"neokinema/core/playbook"
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
	b, e, pts, err := s.fittedBench(c, id)
	if err != nil {
		return err
	}
	if b.Other != nil {
		return store.Invalid("this attempt has two films: what is in space is read off both")
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

// GetFittedBody sends the body that was fitted to an attempt's film, to be drawn.
func (s *Server) GetFittedBody(c *echo.Context, id uuid.UUID) error {
	b, e, pts, err := s.fittedBench(c, id)
	if err != nil {
		return err
	}
	out, err := assemble.FittedBodyOf(e, b, pts)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, out)
}

// GetFittedLimb sends how well one of its limbs is known on a picture.
func (s *Server) GetFittedLimb(c *echo.Context, id uuid.UUID, params GetFittedLimbParams) error {
	b, e, pts, err := s.fittedBench(c, id)
	if err != nil {
		return err
	}
	out, err := assemble.FittedLimbOf(e, b, pts, params.Frame, [2]body.Landmark{body.Landmark(params.From), body.Landmark(params.To)})
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, out)
}

// fittedBench is an attempt with its film's times and playbook.
func (s *Server) fittedBench(c *echo.Context, id uuid.UUID) (b store.Bench, e playbook.Event, pts []int64, err error) {
	if b, e, err = s.benchWithBook(c, id); err != nil {
		return
	}
	if b.Clip == nil {
		return b, e, nil, store.Invalid("the clip is not ready yet")
	}
	pts, err = s.Store.PTS(c.Request().Context(), b.Clip.ID)
	return
}
