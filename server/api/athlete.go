package api

import (
	"net/http"
	"slices"
	"time"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"neokinema/core/coach"
	"neokinema/core/mark"
	"neokinema/core/playbook"
	"neokinema/server/reading"
	"neokinema/server/store"
)

// GetAthlete sends an athlete's page: what is worked on, the marks, what cues did.
func (s *Server) GetAthlete(c *echo.Context, id uuid.UUID) error {
	ctx, viewer := c.Request().Context(), me(c).ID
	a, err := s.Store.AthleteOf(ctx, viewer, id)
	if err != nil {
		return err
	}
	out := AthletePage{Athlete: athlete(a), Focuses: []reading.OpenFocus{}, Marks: []MarkPoint{}}
	books := map[string]playbook.Event{}
	book := func(event string) (playbook.Event, error) {
		if e, ok := books[event]; ok {
			return e, nil
		}
		e, err := s.clubs(ctx, viewer, event)
		books[event] = e
		return e, err
	}
	asked, err := s.Store.Standing(ctx, id)
	if err != nil {
		return err
	}
	for _, g := range asked {
		since, err := s.Store.Since(ctx, g, id)
		if err != nil {
			return err
		}
		e, err := book(g.Event)
		if err != nil {
			return err
		}
		out.Focuses = append(out.Focuses, reading.OpenOf(e, g, since, s.Now()))
	}
	marks, err := s.Store.Marks(ctx, id)
	if err != nil {
		return err
	}
	best := map[string]int{} // by event, where it stands
	for i, m := range marks {
		if m.Mark == nil || m.Foul != "" {
			continue
		}
		was, has := best[m.Event]
		if lower := s.Playbooks[m.Event].Mark.Kind == mark.Time; !has || lower && *m.Mark < *marks[was].Mark || !lower && *m.Mark > *marks[was].Mark {
			best[m.Event] = i
		}
	}
	for i, m := range marks {
		e := s.Playbooks[m.Event]
		out.Marks = append(out.Marks, MarkPoint{Attempt: m.ID, Event: m.Event, Variant: m.Variant, Day: m.Day.Format(time.DateOnly), Number: m.Number, Value: m.Mark, Said: *marked(e, store.Attempt{Mark: m.Mark, Foul: m.Foul}), Best: m.Mark != nil && m.Foul == "" && best[m.Event] == i})
	}
	record, err := s.Store.Record(ctx, id)
	if err != nil {
		return err
	}
	var tried []coach.Tried
	for _, t := range record {
		e, err := book(t.Event)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(e.Cues, func(q playbook.Cue) bool { return q.ID == t.Cue })
		line := coach.Tried{Cue: "a cue of one's own", Kind: "own words", Fault: t.Fault, Outcome: t.Outcome}
		if i >= 0 {
			line.Cue, line.Kind = e.Cues[i].Text, e.Cues[i].Kind
		}
		if f, ok := e.Fault(t.Fault); ok {
			line.Fault = f.Name
		}
		tried = append(tried, line)
	}
	out.Record = CueRecord{
		Cues: coach.Tally(tried, func(t coach.Tried) string { return t.Cue }), Kinds: coach.Tally(tried, func(t coach.Tried) string { return t.Kind }),
		Faults: coach.Tally(tried, func(t coach.Tried) string { return t.Fault }),
	}
	return c.JSON(http.StatusOK, out)
}
