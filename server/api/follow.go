package api

import (
	"errors"
	"net/http"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"neokinema/core/pose"
	"neokinema/server/assemble"
	"neokinema/server/detect"
	"neokinema/server/store"
)

// Follow puts an attempt's points in line to be followed; those of the body are found
// where the models are there.
func (s *Server) Follow(c *echo.Context, id uuid.UUID) error {
	var in NewFollowing
	if err := read(c, &in); err != nil {
		return err
	}
	b, err := s.Store.Bench(c.Request().Context(), me(c).ID, id)
	if err != nil {
		return err
	}
	if b.Clip != nil && !assemble.HasPlaced(b) && detect.Missing(s.Models) != "" {
		return store.Invalid("place the points on one picture first: they are followed from there")
	}
	if err := s.Store.AddFollowing(c.Request().Context(), me(c).ID, in.Id, id, s.Tasks.Enqueue); err != nil {
		return err
	}
	return s.GetTask(c, in.Id)
}

// GetLatestFollowing tells how the last following of an attempt went.
func (s *Server) GetLatestFollowing(c *echo.Context, id uuid.UUID) error {
	return s.latest(c, store.TaskFollow, id)
}

// latest sends the last task of a kind on an attempt, if there is one.
func (s *Server) latest(c *echo.Context, kind string, id uuid.UUID) error {
	ctx := c.Request().Context()
	if _, err := s.Store.Bench(ctx, me(c).ID, id); err != nil {
		return err
	}
	t, err := s.Store.LatestTask(ctx, kind, id)
	if errors.Is(err, store.ErrNotFound) {
		return c.JSON(http.StatusOK, []Task{})
	}
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, []Task{taskOf(t)})
}

// GetPaths sends where followed points are, which never changes.
func (s *Server) GetPaths(c *echo.Context, id uuid.UUID) error {
	found, err := s.Store.FollowedPoints(c.Request().Context(), me(c).ID, id)
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "private, max-age=31536000, immutable")
	return c.JSON(http.StatusOK, assemble.Carried(*found))
}

// GetMendedPaths sends an attempt's found and followed points as they lie with what
// the coach has placed since; while its film is looked at, what was found so far.
func (s *Server) GetMendedPaths(c *echo.Context, id uuid.UUID) error {
	f, err := s.open(c, id)
	if err != nil {
		return err
	}
	paths, err := s.analysis().Paths(c.Request().Context(), f.event, f.bench, f.pts)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, assemble.Carried(paths))
}

// GetPointChecks sends how far found points were off where the club's coaches looked.
func (s *Server) GetPointChecks(c *echo.Context) error {
	list, err := s.Store.AllCheckedPoints(c.Request().Context(), me(c).ClubID)
	if err != nil {
		return err
	}
	out := []PointChecks{}
	for _, l := range list {
		out = append(out, PointChecks{Event: l.Event, Name: s.Playbooks[l.Event].Name, View: l.View, Points: l.Points, Inside: l.Inside, Moved: l.Moved, Widened: pose.Widened(l.Points, l.Off)})
	}
	return c.JSON(http.StatusOK, out)
}
