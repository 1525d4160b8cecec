package api

import (
	"errors"
	"net/http"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"neokinema/server/store"
)

func following(f store.Following) Following {
	out := Following{Id: f.ID, Attempt: f.AttemptID, State: FollowingState(f.State), Done: f.Done, Pictures: f.Pictures}
	if f.Message != "" {
		out.Message = &f.Message
	}
	return out
}

// Follow puts an attempt's points in line to be followed.
func (s *Server) Follow(c *echo.Context, id uuid.UUID) error {
	var in NewFollowing
	if err := read(c, &in); err != nil {
		return err
	}
	if err := s.Store.AddFollowing(c.Request().Context(), me(c).ID, in.Id, id, s.Jobs.Follow); err != nil {
		return err
	}
	return s.GetFollowing(c, in.Id)
}

// GetLatestFollowing tells how the last following of an attempt went.
func (s *Server) GetLatestFollowing(c *echo.Context, id uuid.UUID) error {
	ctx, who := c.Request().Context(), me(c).ID
	if _, err := s.Store.Bench(ctx, who, id); err != nil {
		return err
	}
	f, err := s.Store.LatestFollowing(ctx, who, id)
	if errors.Is(err, store.ErrNotFound) {
		return c.JSON(http.StatusOK, []Following{})
	}
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, []Following{following(f)})
}

// GetFollowing tells how far a following has come.
func (s *Server) GetFollowing(c *echo.Context, id uuid.UUID) error {
	f, err := s.Store.Following(c.Request().Context(), me(c).ID, id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, following(f))
}

// CancelFollowing stops one.
func (s *Server) CancelFollowing(c *echo.Context, id uuid.UUID) error {
	if err := s.Store.CancelFollowing(c.Request().Context(), me(c).ID, id); err != nil {
		return err
	}
	return s.GetFollowing(c, id)
}

// GetPaths sends where followed points are, which never changes.
func (s *Server) GetPaths(c *echo.Context, id uuid.UUID) error {
	found, err := s.Store.FollowedPoints(c.Request().Context(), me(c).ID, id)
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "private, max-age=31536000, immutable")
	return c.JSON(http.StatusOK, found)
}
