package coaching

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"

	"neokinema/core/bounds"
	"neokinema/core/coach"
	"neokinema/core/result"
	"neokinema/server/store"
)

// goal is a goal with the way that the athlete's values run.
func (s Service) goal(measures measuresOver, marks []store.ResultRow, g store.Goal) (Goal, error) {
	e := s.Playbooks[g.Event]
	out := Goal{ID: g.ID, Event: g.Event, Measure: g.Measure, By: g.By.Format(time.DateOnly)}
	var points []coach.Point
	say := func(v float64) string { return result.Result(math.Round(v)).Format(e.Mark.Kind) }
	lower := e.Mark.Kind == result.Time
	if g.Measure == "" {
		out.Name, out.Target = "Mark", say(g.Target)
		for _, m := range marks {
			if s.Playbooks[m.Event].Joined() == e.Joined() && m.Mark != nil && m.Foul == "" {
				points = append(points, coach.Point{Day: m.Day, Value: float64(*m.Mark)})
			}
		}
	} else {
		over, err := measures.of(g.Event, g.Measure)
		if err != nil {
			return out, err
		}
		say = func(v float64) string { return coach.Number(v, over.Unit) }
		out.Name, out.Target = over.Name+" at "+over.KeyID, say(g.Target)
		for _, p := range over.Points {
			day, err := time.Parse(time.DateOnly, p.Day)
			if err != nil {
				return out, err
			}
			points = append(points, coach.Point{Day: day, Value: p.Value})
		}
		lower = len(points) > 0 && points[0].Value > g.Target
	}
	// The trend is of the year before the last value: a season and the one before.
	if n := len(points); n > 0 {
		from := points[n-1].Day.AddDate(-1, 0, 0)
		points = slices.DeleteFunc(points, func(p coach.Point) bool { return p.Day.Before(from) })
	}
	out.Trend = coach.Toward(points, g.Target, lower, g.By, say)
	return out, nil
}

// goalKeys are the measures that goals are of.
func goalKeys(goals []store.Goal) (out []store.EventKey) {
	for _, g := range goals {
		if g.Measure != "" {
			out = append(out, store.EventKey{Event: g.Event, Key: g.Measure})
		}
	}
	return out
}

// Goal is a goal with the way that the athlete's values run.
type Goal struct {
	ID      uuid.UUID   `json:"id"`
	Event   string      `json:"event"`
	Measure string      `json:"measure"` // empty: the mark
	Name    string      `json:"name"`
	Target  string      `json:"target"`
	By      string      `json:"by"`
	Trend   coach.Trend `json:"trend"`
}

// farthestGoal is for how many years ahead a goal is set.
const farthestGoal = 5

// SetGoal sets a goal: a mark, or a measure's value, as it is written.
func (s Service) SetGoal(ctx context.Context, viewer uuid.UUID, g store.Goal, target string) error {
	e, ok := s.Playbooks[g.Event]
	if !ok {
		return store.Invalid(fmt.Sprintf("there is no playbook for %q", g.Event))
	}
	if g.By.Before(s.Now().AddDate(0, 0, -1)) || g.By.After(s.Now().AddDate(farthestGoal, 0, 0)) {
		return store.Invalid(fmt.Sprintf("a goal is for a day within the next five years, not for %s", Day(g.By)))
	}
	if g.Measure == "" {
		m, err := e.Mark.Of(target)
		if err != nil {
			return store.Invalid(err.Error())
		}
		g.Target = float64(m)
		return s.Store.AddGoal(ctx, viewer, g)
	}
	id, _, _ := strings.Cut(g.Measure, "@")
	if _, ok := e.Measure(id); !ok {
		return store.Invalid(fmt.Sprintf("%s has no measure %q", e.Name, g.Measure))
	}
	v, err := strconv.ParseFloat(strings.NewReplacer(",", ".", "−", "-").Replace(target), 64)
	if err != nil {
		return store.Invalid(fmt.Sprintf("%q is not a number", target))
	}
	if err := bounds.Goal.Check(v); err != nil {
		return store.Invalid(err.Error())
	}
	g.Target = v
	return s.Store.AddGoal(ctx, viewer, g)
}
