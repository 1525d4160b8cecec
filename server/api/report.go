package api

import (
	"bytes"
	"fmt"
	"net/http"
	"time"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"
	types "github.com/oapi-codegen/runtime/types"

	"neokinema/server/report"
)

// print sends a sheet as PDF, with its pictures.
func (s *Server) print(c *echo.Context, sheet report.Sheet, err error, paper string, name string) error {
	if err != nil {
		return err
	}
	if err := s.coaching().Illustrate(c.Request().Context(), me(c).ID, sheet); err != nil {
		return err
	}
	size := report.A4
	if paper == "letter" {
		size = report.Letter
	}
	var pdf bytes.Buffer
	if err := sheet.Print(&pdf, size); err != nil {
		return err
	}
	c.Response().Header().Set("Content-Disposition", fmt.Sprintf(`inline; filename="%s.pdf"`, name))
	return c.Blob(http.StatusOK, "application/pdf", pdf.Bytes())
}

func deref[T ~string](p *T) string {
	if p == nil {
		return ""
	}
	return string(*p)
}

func (s *Server) show(c *echo.Context, sheet report.Sheet, err error) error {
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, sheet)
}

func (s *Server) ofAttempt(c *echo.Context, id uuid.UUID, of *uuid.UUID, fault *string) (report.Sheet, error) {
	if of != nil {
		return s.coaching().ChangeSheet(c.Request().Context(), me(c), id, *of, deref(fault))
	}
	return s.coaching().AttemptSheet(c.Request().Context(), me(c), id)
}

// GetReport sends the report of an attempt, or of a change.
func (s *Server) GetReport(c *echo.Context, id uuid.UUID, params GetReportParams) error {
	sheet, err := s.ofAttempt(c, id, params.Of, params.Fault)
	return s.show(c, sheet, err)
}

// GetReportPdf prints it.
func (s *Server) GetReportPdf(c *echo.Context, id uuid.UUID, params GetReportPdfParams) error {
	sheet, err := s.ofAttempt(c, id, params.Of, params.Fault)
	return s.print(c, sheet, err, deref(params.Paper), "report")
}

// seasonOf is a year back from a day, unless it is said otherwise.
func (s *Server) seasonOf(from, to *types.Date) (time.Time, time.Time) {
	last := s.Now().UTC().Truncate(24 * time.Hour)
	if to != nil {
		last = to.Time
	}
	first := last.AddDate(-1, 0, 0)
	if from != nil {
		first = from.Time
	}
	return first, last
}

// GetSeason sends the report of a season.
func (s *Server) GetSeason(c *echo.Context, id uuid.UUID, params GetSeasonParams) error {
	from, to := s.seasonOf(params.From, params.To)
	sheet, err := s.coaching().SeasonSheet(c.Request().Context(), me(c), id, from, to)
	return s.show(c, sheet, err)
}

// GetSeasonPdf prints it.
func (s *Server) GetSeasonPdf(c *echo.Context, id uuid.UUID, params GetSeasonPdfParams) error {
	from, to := s.seasonOf(params.From, params.To)
	sheet, err := s.coaching().SeasonSheet(c.Request().Context(), me(c), id, from, to)
	return s.print(c, sheet, err, deref(params.Paper), "season")
}

// GetSessionReport sends the summary of a session.
func (s *Server) GetSessionReport(c *echo.Context, id uuid.UUID) error {
	sheet, err := s.coaching().SessionSheet(c.Request().Context(), me(c), id)
	return s.show(c, sheet, err)
}

// GetSessionReportPdf prints it.
func (s *Server) GetSessionReportPdf(c *echo.Context, id uuid.UUID, params GetSessionReportPdfParams) error {
	sheet, err := s.coaching().SessionSheet(c.Request().Context(), me(c), id)
	return s.print(c, sheet, err, deref(params.Paper), "session")
}

// GetPose sends the athlete at a key position with the placed figure.
func (s *Server) GetPose(c *echo.Context, id uuid.UUID, params GetPoseParams) error {
	png, err := s.coaching().Pose(c.Request().Context(), me(c).ID, id, deref(params.KeyId))
	if err != nil {
		return err
	}
	return c.Blob(http.StatusOK, "image/png", png)
}

// GetFigure sends the placed figure at a key position.
func (s *Server) GetFigure(c *echo.Context, id uuid.UUID, params GetFigureParams) error {
	f, err := s.coaching().Figure(c.Request().Context(), me(c).ID, id, params.KeyId)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, f)
}
