package api

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"net/http"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"
)

// table answers with the CSV that a use case writes for who asks.
func table(c *echo.Context, name string, write func(ctx context.Context, viewer uuid.UUID, to io.Writer) error) error {
	var out bytes.Buffer
	if err := write(c.Request().Context(), me(c).ID, &out); err != nil {
		return err
	}
	c.Response().Header().Set("Content-Disposition", fmt.Sprintf(`attachment; filename="%s.csv"`, name))
	return c.Blob(http.StatusOK, "text/csv; charset=utf-8", out.Bytes())
}

// ExportAttempts sends all attempts as CSV.
func (s *Server) ExportAttempts(c *echo.Context) error {
	return table(c, "attempts", s.coaching().WriteAttempts)
}

// ExportMeasures sends all measures with a number as CSV.
func (s *Server) ExportMeasures(c *echo.Context) error {
	return table(c, "measures", s.coaching().WriteMeasures)
}

// GetStrip draws the key strip.
func (s *Server) GetStrip(c *echo.Context, id uuid.UUID) error {
	strip, err := s.coaching().Strip(c.Request().Context(), me(c).ID, id)
	if err != nil {
		return err
	}
	var png bytes.Buffer
	if err := strip.Write(&png); err != nil {
		return err
	}
	c.Response().Header().Set("Content-Disposition", `inline; filename="key-strip.png"`)
	return c.Blob(http.StatusOK, "image/png", png.Bytes())
}
