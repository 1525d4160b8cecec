package api

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"neokinema/core/bounds"
	"neokinema/core/breakdown"
	"neokinema/core/clock"
	"neokinema/core/coach"
	"neokinema/core/judge"
	"neokinema/core/measure"
	"neokinema/core/playbook"
	"neokinema/server/assemble"
	"neokinema/server/coaching"
	"neokinema/server/detect"
	"neokinema/server/store"
)

func sortedEvents(m map[string]playbook.Event) []string { return slices.Sorted(maps.Keys(m)) }

// LogAttempt notes an attempt.
func (s *Server) LogAttempt(c *echo.Context) error {
	var in NewAttempt
	if err := read(c, &in); err != nil {
		return err
	}
	e, ok := s.Playbooks[in.Event]
	if !ok {
		return store.Invalid(fmt.Sprintf("there is no playbook for %q", in.Event))
	}
	a := store.Attempt{ID: in.Id, AthleteID: in.AthleteId, Event: in.Event, Day: in.Day.Time, Place: strings.TrimSpace(in.Place)}
	if len(e.Schools) > 0 {
		a.School = e.Schools[0].ID
	}
	if in.School == nil {
		who, err := s.Store.AthleteOf(c.Request().Context(), me(c).ID, in.AthleteId)
		if err != nil {
			return err
		}
		if usual := who.School(in.Event); usual != "" {
			a.School = usual
		}
	} else {
		if a.School = *in.School; !slices.ContainsFunc(e.Schools, func(s playbook.School) bool { return s.ID == a.School }) {
			return store.Invalid(fmt.Sprintf("%s has no school %q", e.Name, a.School))
		}
	}
	if in.Variant != nil {
		a.Variant = *in.Variant
	}
	if _, ok := e.Variant(a.Variant); !ok {
		return store.Invalid(fmt.Sprintf("%s has no variant %q", e.Name, a.Variant))
	}
	if a.Day.After(s.Now().AddDate(0, 0, 2)) {
		return store.Invalid(fmt.Sprintf("%s has not come yet: an attempt is logged when it was made, a plan stands in the calendar", coaching.Day(a.Day)))
	}
	w := breakdown.ResultEntry{Text: strings.TrimSpace(in.Mark), Foul: in.Foul}
	worth, err := w.Read(e)
	if err != nil {
		return err
	}
	a.Number, a.Mark, a.Foul = in.Number, worth.Mark, worth.Foul
	entry := store.LogEntry{Attempt: a}
	if in.Details != nil {
		entry.Details = *in.Details
	}
	if err := s.Store.SaveLogEntry(c.Request().Context(), me(c).ID, entry); err != nil {
		return err
	}
	return s.GetBench(c, in.Id)
}

// GetBench sends all that was put in on an attempt.
func (s *Server) GetBench(c *echo.Context, id uuid.UUID) error {
	b, err := s.Store.Bench(c.Request().Context(), me(c).ID, id)
	if err != nil {
		return err
	}
	out, err := s.bench(c, b)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, out)
}

func (s *Server) bench(c *echo.Context, b store.Bench) (Bench, error) {
	a, e := b.Attempt, s.Playbooks[b.Attempt.Event]
	out := Bench{
		Id: a.ID, Version: a.Version, Event: a.Event, Variant: a.Variant, Side: BenchSide(assemble.Working(e, b)), Feet: e.Feet, FirstLine: assemble.FirstLine(e, b), School: a.School, Number: a.Number, Day: a.Day.Format(time.DateOnly), Place: a.Place,
		Athlete: s.athlete(b.Athlete), Details: b.Details, Stamps: b.Stamps, StampU: &b.StampU, Landmarks: b.Landmarks, Calibration: b.Calibration, Looks: b.Looks, Overruled: b.Overruled, Notes: b.Notes,
		Focuses: b.Focuses, FollowUps: b.FollowUps, Assignments: []Assignment{}, Undo: b.Undo, Redo: b.Redo, Mark: coaching.ResultOf(e, a), Refilm: coach.Refilm(a.Day, s.Now()).Format(time.DateOnly),
	}
	for _, g := range b.Assignments {
		one := Assignment{Fault: g.Fault, Cue: g.Cue, Words: g.Words, Drill: g.Drill, Dose: g.Dose, Refilm: g.Refilm.Format(time.DateOnly)}
		if g.Closed != nil {
			one.Closed = new(g.Closed.Format(time.DateOnly))
		}
		out.Assignments = append(out.Assignments, one)
	}
	held, err := s.coaching().OpenPain(c.Request().Context(), a.AthleteID)
	if err != nil {
		return out, err
	}
	if held != "" {
		out.Held = &held
	}
	if b.Other != nil {
		other, err := s.Store.Bench(c.Request().Context(), me(c).ID, *b.Other)
		if err == nil {
			out.Other = &OtherFilm{Id: *b.Other, Version: other.Attempt.Version, Second: a.OtherOf != nil}
			if other.Clip != nil {
				out.Other.View = &other.Clip.View
			}
		} else if !errors.Is(err, store.ErrNotFound) {
			return out, err
		}
	}
	if b.Clip != nil {
		clip, err := s.clip(c, *b.Clip, b.Calibration.Ramp)
		if err != nil {
			return out, err
		}
		out.Clip = &clip
	}
	return out, nil
}

// DoCommand changes one thing.
func (s *Server) DoCommand(c *echo.Context, id uuid.UUID) error {
	var in store.Command
	if err := read(c, &in); err != nil {
		return err
	}
	b, err := s.analysis().Execute(c.Request().Context(), me(c).ID, id, in)
	var conflict store.Conflict
	if errors.As(err, &conflict) {
		theirs, err := s.bench(c, conflict.Theirs)
		if err != nil {
			return err
		}
		return c.JSON(http.StatusConflict, Conflict{Message: conflict.Error(), Theirs: &theirs})
	}
	if err != nil {
		return err
	}
	if readAnew[in.Kind] && b.Clip != nil && b.Clip.Status == "ready" && detect.Missing(s.Models) == "" {
		if err := s.Store.ReadFilm(c.Request().Context(), b.Clip.ID, s.Tasks.Enqueue); err != nil {
			return err
		}
	}
	out, err := s.bench(c, b)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, out)
}

// readAnew are the commands after which what was found without being asked for is
// found anew: it rests on them.
var readAnew = map[string]bool{"view": true, "rate": true, "ramp": true, "subject": true}

// GetRates sends all that tells at which rate a clip was filmed.
func (s *Server) GetRates(c *echo.Context, id uuid.UUID, params GetRatesParams) error {
	b, pts, err := s.benchWithStamps(c, id)
	if err != nil {
		return err
	}
	gravity := clock.Gravity
	if params.Gravity != nil {
		gravity = *params.Gravity
		if err := bounds.Gravity.Check(gravity); err != nil {
			return store.Invalid(err.Error())
		}
	}
	rates, err := assemble.RatesOf(b, pts, gravity)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, rates)
}

// benchWithBook is an attempt with the playbook that it is read by.
func (s *Server) benchWithBook(c *echo.Context, id uuid.UUID) (store.Bench, playbook.Event, error) {
	b, err := s.Store.Bench(c.Request().Context(), me(c).ID, id)
	if err != nil {
		return b, playbook.Event{}, err
	}
	e, err := s.playbookOf(c, b)
	return b, e, err
}

// GetCircle sends the throwing circle as it is found on a film.
func (s *Server) GetCircle(c *echo.Context, id uuid.UUID) error {
	b, e, err := s.benchWithBook(c, id)
	if err != nil {
		return err
	}
	found, err := s.analysis().Circle(c.Request().Context(), e, b)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, found)
}

// GetChecks sends what a film is good for.
func (s *Server) GetChecks(c *echo.Context, id uuid.UUID) error {
	b, e, err := s.benchWithBook(c, id)
	if err != nil {
		return err
	}
	checks, err := s.analysis().Checks(c.Request().Context(), e, b)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, checks)
}

// EraseAttempt erases an attempt with all that hangs on it.
func (s *Server) EraseAttempt(c *echo.Context, id uuid.UUID) error {
	return done(c, s.Store.EraseAttempt(c.Request().Context(), me(c).ID, id))
}

// MoveAttempt says whose attempt it was.
func (s *Server) MoveAttempt(c *echo.Context, id uuid.UUID) error {
	var in WhoseAttempt
	if err := read(c, &in); err != nil {
		return err
	}
	return done(c, s.Store.MoveAttempt(c.Request().Context(), me(c).ID, id, in.Athlete))
}

// done answers that something was done, when it was.
func done(c *echo.Context, err error) error {
	if err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

// reading is what an attempt's present version says.
func (s *Server) reading(c *echo.Context, b store.Bench) (assemble.Reading, error) {
	return s.analysis().Reading(c.Request().Context(), me(c).ID, b)
}

// run computes a reading, or finds it kept, as JSON.
func (s *Server) run(c *echo.Context, b store.Bench) ([]byte, error) {
	return s.analysis().ReadingJSON(c.Request().Context(), me(c).ID, b)
}

// AddOther notes another film of an attempt, from another side.
func (s *Server) AddOther(c *echo.Context, id uuid.UUID) error {
	var in NewOther
	if err := read(c, &in); err != nil {
		return err
	}
	if err := s.Store.LogOther(c.Request().Context(), me(c).ID, in.Id, id); err != nil {
		return err
	}
	return s.GetBench(c, in.Id)
}

// GetReading sends values, verdicts, faults and causes.
func (s *Server) GetReading(c *echo.Context, id uuid.UUID) error {
	b, err := s.Store.Bench(c.Request().Context(), me(c).ID, id)
	if err != nil {
		return err
	}
	data, err := s.run(c, b)
	if err != nil {
		return err
	}
	return c.JSONBlob(http.StatusOK, data)
}

// GetMoved sends what the present reading says otherwise than the one before.
func (s *Server) GetMoved(c *echo.Context, id uuid.UUID) error {
	ctx := c.Request().Context()
	b, err := s.Store.Bench(ctx, me(c).ID, id)
	if err != nil {
		return err
	}
	now, err := s.reading(c, b)
	if err != nil {
		return err
	}
	ground, err := s.analysis().Inputs(ctx, me(c).ID, b)
	if err != nil {
		return err
	}
	out := ReadingChange{Changes: []measure.Change{}}
	since, data, err := s.Store.ReadingBefore(ctx, id, b.Attempt.Version, ground.Rules)
	if errors.Is(err, store.ErrNotFound) {
		return c.JSON(http.StatusOK, out)
	}
	if err != nil {
		return err
	}
	var then assemble.Reading
	if err := json.Unmarshal(data, &then); err != nil {
		return err
	}
	out.Since = &since
	out.Changes = measure.Compare(valuesOf(then.Values), valuesOf(now.Values))
	return c.JSON(http.StatusOK, out)
}

// valuesOf are the values of judged ones.
func valuesOf(values []judge.Judged) []measure.Value {
	out := make([]measure.Value, len(values))
	for i, v := range values {
		out[i] = v.Value
	}
	return out
}

// benchWithStamps is an attempt with its pictures' time stamps.
func (s *Server) benchWithStamps(c *echo.Context, id uuid.UUID) (store.Bench, []int64, error) {
	ctx := c.Request().Context()
	b, err := s.Store.Bench(ctx, me(c).ID, id)
	if err != nil {
		return b, nil, err
	}
	if b.Clip == nil {
		return b, nil, store.Invalid("add a clip first")
	}
	pts, err := s.Store.PTS(ctx, b.Clip.ID)
	return b, pts, err
}

// openedClip is an attempt laid open: its playbook, its pictures' time stamps and its
// other film, if it has one.
type openedClip struct {
	event playbook.Event
	bench store.Bench
	pts   []int64
	other *assemble.SecondFilm
}

func (s *Server) open(c *echo.Context, id uuid.UUID) (f openedClip, err error) {
	if f.bench, f.pts, err = s.benchWithStamps(c, id); err != nil {
		return f, err
	}
	if f.event, err = s.playbookOf(c, f.bench); err != nil {
		return f, err
	}
	f.other, err = s.analysis().SecondFilm(c.Request().Context(), me(c).ID, f.bench)
	return f, err
}

// Preview computes a frame's values for landmarks that are still moving.
func (s *Server) Preview(c *echo.Context, id uuid.UUID) error {
	var in PreviewRequest
	if err := read(c, &in); err != nil {
		return err
	}
	f, err := s.open(c, id)
	if err != nil {
		return err
	}
	values, err := assemble.Preview(f.event, f.bench, f.pts, f.other, in.Frame, in.Landmarks)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, values)
}

// GetPedal solves the front pedal's place.
func (s *Server) GetPedal(c *echo.Context, id uuid.UUID, params GetPedalParams) error {
	if err := errors.Join(bounds.Angle.Check(params.Target), bounds.HoleSpacing.Check(params.Pitch)); err != nil {
		return store.Invalid(err.Error())
	}
	f, err := s.open(c, id)
	if err != nil {
		return err
	}
	move, err := assemble.Pedal(f.event, f.bench, f.pts, params.Target, params.Pitch)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, move)
}

// GetCard prints the athlete's card.
func (s *Server) GetCard(c *echo.Context, id uuid.UUID) error {
	card, err := s.coaching().Card(c.Request().Context(), me(c), id)
	if err != nil {
		return err
	}
	var pdf bytes.Buffer
	if err := card.Write(&pdf); err != nil {
		return err
	}
	c.Response().Header().Set("Content-Disposition", `inline; filename="card.pdf"`)
	return c.Blob(http.StatusOK, "application/pdf", pdf.Bytes())
}
