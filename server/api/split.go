package api

import (
	"bytes"
	"fmt"
	"net/http"
	"strings"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"neokinema/core/body"
	"neokinema/core/filmcheck"
	"neokinema/core/judge"
	"neokinema/server/assemble"
	"neokinema/server/coaching"
	"neokinema/server/report"
	"neokinema/server/store"
)

// GetProposals sends key positions that paths, or the other film, show.
func (s *Server) GetProposals(c *echo.Context, id uuid.UUID) error {
	f, err := s.open(c, id)
	if err != nil {
		return err
	}
	if f.bench.Followed == nil { // the film is still looked at: a part is done
		if f.bench.Followed, err = s.analysis().FoundSoFar(c.Request().Context(), f.event, f.bench); err != nil {
			return err
		}
	}
	out, err := assemble.Propose(f.event, f.bench, f.pts, f.other)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, out)
}

// GetClocks sends how the clocks of an attempt's two films lie to each other.
func (s *Server) GetClocks(c *echo.Context, id uuid.UUID) error {
	f, err := s.open(c, id)
	if err != nil {
		return err
	}
	out, err := assemble.Together(f.event, f.bench, f.pts, f.other)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, out)
}

// GetPin sends how far a landmark leaves the spot where it is on a picture.
func (s *Server) GetPin(c *echo.Context, id uuid.UUID, params GetPinParams) error {
	if !landmarkOf(params.Landmark) {
		return store.Invalid(fmt.Sprintf("%q is not a landmark", params.Landmark))
	}
	f, err := s.open(c, id)
	if err != nil {
		return err
	}
	out, err := assemble.Pin(f.event, f.bench, f.pts, body.Landmark(params.Landmark), params.Frame, params.To)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, out)
}

// GetPoses sends the simulated athlete's figure at each key position.
func (s *Server) GetPoses(c *echo.Context, event string, params GetPosesParams) error {
	e, ok := s.Playbooks[event]
	if !ok {
		return store.ErrNotFound
	}
	variant, view := "", e.UsualView()
	if params.Variant != nil {
		variant = *params.Variant
	}
	if params.View != nil {
		view = *params.View
	}
	out, err := assemble.Poses(event, variant, view)
	if err != nil {
		return store.Invalid(err.Error())
	}
	return c.JSON(http.StatusOK, out)
}

// GetFilmingCard prints how an event is filmed.
func (s *Server) GetFilmingCard(c *echo.Context, event string) error {
	e, ok := s.Playbooks[event]
	if !ok {
		return store.ErrNotFound
	}
	_, thrown := e.Key("release")
	card := report.Filming{Event: e.Name, Club: me(c).Club, Rate: e.Rate, Shows: e.Filming}
	for _, v := range e.Views {
		at := filmcheck.CameraPositionFor(v)
		card.Stands = append(card.Stands, report.CameraAdvice{Says: fmt.Sprintf("%s: %s; %s.", at.Name, at.Where, at.Height), Care: at.Caution(thrown)})
	}
	for _, l := range e.Lengths {
		card.Lengths = append(card.Lengths, fmt.Sprintf("%s: %.3g m", l.Name, l.Metres))
	}
	var pdf bytes.Buffer
	if err := card.Write(&pdf); err != nil {
		return err
	}
	c.Response().Header().Set("Content-Disposition", `inline; filename="filming-`+e.ID+`.pdf"`)
	return c.Blob(http.StatusOK, "application/pdf", pdf.Bytes())
}

// SetDial keeps how an account reads directions.
func (s *Server) SetDial(c *echo.Context) error {
	var in DialRequest
	if err := read(c, &in); err != nil {
		return err
	}
	return done(c, s.Store.SetDial(c.Request().Context(), me(c).ID, string(in.Dial)))
}

// GetSheet sends the attempts beside which an attempt is chosen: the same
// athlete's at the same event, of its session or of all.
func (s *Server) GetSheet(c *echo.Context, id uuid.UUID, params GetSheetParams) error {
	ctx := c.Request().Context()
	list, err := s.Store.Beside(ctx, me(c).ID, id, params.All != nil && *params.All)
	if err != nil {
		return err
	}
	out := []Candidate{}
	for _, l := range list {
		row := Candidate{Id: l.ID, Number: l.Number, Day: coaching.Day(l.Day), Place: l.Place, Clip: l.Clip, First: l.First, Picked: l.Picked, Mark: coaching.ResultOf(s.Playbooks[l.Event], l.Attempt), Stamps: map[string]int{}, Checks: []filmcheck.Check{}, Marks: l.Marks, Filmless: l.Filmless}
		b, err := s.Store.Bench(ctx, me(c).ID, l.ID)
		if err != nil {
			return err
		}
		row.Stamps = b.Stamps
		if e, err := s.playbookOf(c, b); err == nil && b.Clip != nil && b.Clip.Status == "ready" {
			if row.Checks, err = s.analysis().Checks(ctx, e, b); err != nil {
				return err
			}
			version := decoded(*b.Clip)
			row.Version = &version
		}
		out = append(out, row)
	}
	return c.JSON(http.StatusOK, out)
}

// GetMarkLinks sends which measures go with farther marks over the athlete's
// attempts of that event.
func (s *Server) GetMarkLinks(c *echo.Context, id uuid.UUID) error {
	ctx := c.Request().Context()
	b, err := s.Store.Bench(ctx, me(c).ID, id)
	if err != nil {
		return err
	}
	list, err := s.Store.ResultReadings(ctx, me(c).ID, b.Attempt)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, ResultCorrelations{Attempts: len(list), Wanted: judge.LeastMarks, Links: assemble.Links(list)})
}

// decoded tells one decoding of a clip from the next, as the interface does.
func decoded(c store.Clip) string {
	return fmt.Sprintf("%.2f-%.2f-%d", c.CutFrom, c.CutTo, c.KeptWidth)
}

// PickAttempt says that an attempt is the one to work on, and why.
func (s *Server) PickAttempt(c *echo.Context, id uuid.UUID) error {
	var in PickRequest
	if err := read(c, &in); err != nil {
		return err
	}
	why := strings.TrimSpace(in.Why)
	if why == "" {
		return store.Invalid("say why this one: the others stay for comparison")
	}
	return done(c, s.Store.Pick(c.Request().Context(), me(c).ID, id, why))
}
