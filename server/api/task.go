package api

import (
	"net/http"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"neokinema/server/store"
)

func taskOf(t store.Task) Task {
	return Task{Id: t.ID, Kind: TaskKind(t.Kind), Subject: t.Subject, State: TaskState(t.State), Done: t.Done, Total: t.Total, Message: t.Message,
		Made: t.Made, Started: t.Started, Heartbeat: t.Heartbeat}
}

// GetTask tells how far work in the background has come.
func (s *Server) GetTask(c *echo.Context, id uuid.UUID) error {
	t, err := s.Store.Task(c.Request().Context(), me(c).ID, id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, taskOf(t))
}

// CancelTask stops it.
func (s *Server) CancelTask(c *echo.Context, id uuid.UUID) error {
	t, err := s.Store.CancelTask(c.Request().Context(), me(c).ID, id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, taskOf(t))
}
