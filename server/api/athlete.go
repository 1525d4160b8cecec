package api

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"
	types "github.com/oapi-codegen/runtime/types"

	"neokinema/core/bounds"
	"neokinema/core/coach"
	"neokinema/core/judge"
	"neokinema/core/playbook"
	"neokinema/core/result"
	"neokinema/core/series"
	"neokinema/server/assemble"
	"neokinema/server/store"
)

// GetAthlete sends an athlete's page: what is worked on, the marks, what cues did.
func (s *Server) GetAthlete(c *echo.Context, id uuid.UUID) error {
	ctx, viewer := c.Request().Context(), me(c).ID
	a, err := s.Store.AthleteOf(ctx, viewer, id)
	if err != nil {
		return err
	}
	out := AthletePage{Athlete: s.athlete(a), Focuses: []assemble.OpenFocus{}, Marks: []ResultPoint{}, Pains: []PainNote{}, Regions: coach.Regions(), Goals: []Goal{}, Measures: []MeasureName{}, Strips: []LogRow{}, Load: []coach.Week{}}
	books := map[string]playbook.Event{}
	book := func(event string) (playbook.Event, error) {
		if e, ok := books[event]; ok {
			return e, nil
		}
		e, err := s.clubPlaybook(ctx, viewer, event)
		books[event] = e
		return e, err
	}
	asked, err := s.Store.StandingAssignments(ctx, id)
	if err != nil {
		return err
	}
	since, err := s.Store.LaterAttempts(ctx, id, asked)
	if err != nil {
		return err
	}
	for i, g := range asked {
		e, err := book(g.Event)
		if err != nil {
			return err
		}
		out.Focuses = append(out.Focuses, assemble.OpenOf(e, g, since[i], s.Now()))
	}
	marks, err := s.Store.ResultRows(ctx, id)
	if err != nil {
		return err
	}
	// The best is of a discipline and its implement: both shots count together.
	kind := func(m store.ResultRow) string {
		grams := 0
		if m.Grams != nil {
			grams = *m.Grams
		}
		return fmt.Sprint(s.Playbooks[m.Event].Joined(), grams)
	}
	best := map[string]int{} // where it stands
	for i, m := range marks {
		if m.Mark == nil || m.Foul != "" {
			continue
		}
		was, has := best[kind(m)]
		if !has || series.Better(s.Playbooks[m.Event].Mark.Kind, result.Result(*m.Mark), result.Result(*marks[was].Mark)) {
			best[kind(m)] = i
		}
	}
	for i, m := range marks {
		e := s.Playbooks[m.Event]
		out.Marks = append(out.Marks, ResultPoint{Attempt: m.ID, Event: m.Event, Variant: m.Variant, Day: m.Day.Format(time.DateOnly), Number: m.Number, Value: m.Mark, Grams: m.Grams, Discipline: e.Joined(), Said: *resultOf(e, store.Attempt{Mark: m.Mark, Foul: m.Foul}), Best: m.Mark != nil && m.Foul == "" && best[kind(m)] == i})
	}
	tried, err := s.cueOutcomes(ctx, viewer, id)
	if err != nil {
		return err
	}
	out.Record = CueRecord{
		Cues: coach.Tally(tried, func(t coach.CueOutcome) string { return t.Cue }), Kinds: coach.Tally(tried, func(t coach.CueOutcome) string { return t.Kind }),
		Faults: coach.Tally(tried, func(t coach.CueOutcome) string { return t.Fault }),
	}
	if err := s.athleteDetails(ctx, viewer, a, marks, &out); err != nil {
		return err
	}
	return c.JSON(http.StatusOK, out)
}

// cueOutcomes is an athlete's cue record in words.
func (s *Server) cueOutcomes(ctx context.Context, viewer, athlete uuid.UUID) ([]coach.CueOutcome, error) {
	record, err := s.Store.FullCueRecord(ctx, athlete)
	if err != nil {
		return nil, err
	}
	var out []coach.CueOutcome
	books := map[string]playbook.Event{}
	for _, t := range record {
		e, known := books[t.Event]
		if !known {
			if e, err = s.clubPlaybook(ctx, viewer, t.Event); err != nil {
				return nil, err
			}
			books[t.Event] = e
		}
		i := slices.IndexFunc(e.Cues, func(q playbook.Cue) bool { return q.ID == t.Cue })
		line := coach.CueOutcome{Cue: "a cue of one's own", Kind: "own words", Fault: t.Fault, Outcome: t.Outcome}
		if i >= 0 {
			line.Cue, line.Kind = e.Cues[i].Text, e.Cues[i].Kind
		}
		if f, ok := e.Fault(t.Fault); ok {
			line.Fault = f.Name
		}
		out = append(out, line)
	}
	return out, nil
}

// loadWeeks are shown of an athlete's load, and mostStrips of their key strips.
const (
	loadWeeks  = 26
	mostStrips = 8
)

// athleteDetails fills in pain notes, goals, load, what can be followed over time.
func (s *Server) athleteDetails(ctx context.Context, viewer uuid.UUID, a store.Athlete, marks []store.ResultRow, out *AthletePage) error {
	pains, err := s.Store.PainNotes(ctx, viewer, a.ID, false)
	if err != nil {
		return err
	}
	for _, n := range pains {
		out.Pains = append(out.Pains, pain(n))
	}
	goals, err := s.Store.Goals(ctx, a.ID)
	if err != nil {
		return err
	}
	over, err := s.measuresOver(ctx, viewer, a.ID, goalKeys(goals))
	if err != nil {
		return err
	}
	for _, g := range goals {
		one, err := s.goal(over, marks, g)
		if err != nil {
			return err
		}
		out.Goals = append(out.Goals, one)
	}
	done, err := s.Store.LoadSince(ctx, a.ID, s.Now().AddDate(0, 0, -7*(loadWeeks+4)))
	if err != nil {
		return err
	}
	var list []coach.Done
	for _, d := range done {
		list = append(list, coach.Done{Day: d.Day, Event: d.Event, Implement: d.Grams, Effort: d.Effort})
	}
	if len(list) > 0 {
		out.Load = coach.Load(list, loadWeeks, s.Now())
	}
	keys, err := s.Store.ValueKeys(ctx, a.ID)
	if err != nil {
		return err
	}
	named := map[string]playbook.Event{}
	for _, k := range keys {
		e, ok := named[k.Event]
		if !ok {
			if e, err = s.Playbooks[k.Event].As(k.Variant); err != nil {
				return err
			}
			named[k.Event] = e
		}
		if name, keyID, unit, ok := measureOf(e, k.Key); ok {
			out.Measures = append(out.Measures, MeasureName{Event: k.Event, Key: k.Key, Name: name, KeyId: keyID, Unit: unit, N: k.N})
		}
	}
	stamped, err := s.Store.StampedAttempts(ctx, viewer, a.ID, mostStrips)
	if err != nil {
		return err
	}
	for _, l := range stamped {
		out.Strips = append(out.Strips, s.logged(l))
	}
	out.Attempts, err = s.Store.CountOfAthlete(ctx, a.ID)
	return err
}

// measureOf says what a value's key means in an event written out in its variant.
func measureOf(e playbook.Event, key string) (name, keyID, unit string, ok bool) {
	id, at, _ := strings.Cut(key, "@")
	m, ok := e.Measure(id)
	if !ok {
		return "", "", "", false
	}
	k, ok := e.Key(at)
	return m.Name, k.Name, m.Unit, ok
}

// goal is a goal with the way that the athlete's values run.
func (s *Server) goal(measures measuresOver, marks []store.ResultRow, g store.Goal) (Goal, error) {
	e := s.Playbooks[g.Event]
	out := Goal{Id: g.ID, Event: g.Event, Measure: g.Measure, By: g.By.Format(time.DateOnly)}
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
		out.Name, out.Target = over.Name+" at "+over.KeyId, say(g.Target)
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

// measuresOver are measures over an athlete's attempts, gathered in two queries.
type measuresOver struct {
	playbooks map[string]playbook.Event
	points    map[store.EventKey][]store.ValuePoint
	latest    map[uuid.UUID]store.EarlierReading // of the last attempt of each
}

// measuresOver gathers them.
func (s *Server) measuresOver(ctx context.Context, viewer, athlete uuid.UUID, of []store.EventKey) (measuresOver, error) {
	out := measuresOver{playbooks: s.Playbooks}
	if len(of) == 0 {
		return out, nil
	}
	var err error
	if out.points, err = s.Store.ValuesOverTime(ctx, viewer, athlete, of); err != nil {
		return out, err
	}
	var last []uuid.UUID
	for _, points := range out.points {
		last = append(last, points[len(points)-1].Attempt)
	}
	out.latest, err = s.Store.LatestReadings(ctx, last)
	return out, err
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

// of is one measure over the athlete's attempts at an event.
func (m measuresOver) of(event, key string) (ValuesOverTime, error) {
	out := ValuesOverTime{Event: event, Key: key, Points: []ValuePoint{}}
	e, ok := m.playbooks[event]
	if !ok {
		return out, store.ErrNotFound
	}
	points := m.points[store.EventKey{Event: event, Key: key}]
	if len(points) == 0 {
		return out, nil
	}
	e, err := e.As(points[len(points)-1].Variant)
	if err != nil {
		return out, err
	}
	out.Name, out.KeyId, out.Unit, ok = measureOf(e, key)
	if !ok {
		return out, nil
	}
	for _, p := range points {
		out.Points = append(out.Points, ValuePoint{Attempt: p.Attempt, Day: p.Day.Format(time.DateOnly), Number: p.Number, Value: p.Value, U: p.U})
	}
	first, last := points[0], points[len(points)-1]
	if v, err := judgedAs(m.latest[last.Attempt].Reading, key); err != nil {
		return out, err
	} else if v != nil && v.Band != nil {
		out.Low, out.High, out.Aim = v.Band.Low, v.Band.High, &v.Aim
	}
	if len(points) > 1 {
		out.Says = coach.Between(coach.Shift{Key: key, Name: out.Name, Unit: out.Unit, Before: first.Value, UBefore: first.U, After: last.Value, UAfter: last.U})
	}
	return out, nil
}

// judgedAs is a value as a kept reading judged it; nil where it has none.
func judgedAs(reading []byte, key string) (*judge.Judged, error) {
	if len(reading) == 0 {
		return nil, nil
	}
	var kept struct{ Values []judge.Judged }
	if err := json.Unmarshal(reading, &kept); err != nil {
		return nil, err
	}
	for _, v := range kept.Values {
		if v.Key == key {
			return &v, nil
		}
	}
	return nil, nil
}

// GetAthleteMeasure sends a measure over time.
func (s *Server) GetAthleteMeasure(c *echo.Context, id uuid.UUID, params GetAthleteMeasureParams) error {
	ctx, viewer := c.Request().Context(), me(c).ID
	if _, err := s.Store.AthleteOf(ctx, viewer, id); err != nil {
		return err
	}
	over, err := s.measuresOver(ctx, viewer, id, []store.EventKey{{Event: params.Event, Key: params.Key}})
	if err != nil {
		return err
	}
	out, err := over.of(params.Event, params.Key)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, out)
}

const page = 60

// GetAthleteAttempts sends a page of an athlete's attempts.
func (s *Server) GetAthleteAttempts(c *echo.Context, id uuid.UUID, params GetAthleteAttemptsParams) error {
	ctx, viewer := c.Request().Context(), me(c).ID
	if _, err := s.Store.AthleteOf(ctx, viewer, id); err != nil {
		return err
	}
	event := ""
	if params.Event != nil {
		event = *params.Event
	}
	var after *store.Cursor
	if params.After != nil {
		var err error
		if after, err = cursor(*params.After); err != nil {
			return err
		}
	}
	list, err := s.Store.AttemptsOfAthlete(ctx, viewer, id, event, after, page)
	if err != nil {
		return err
	}
	out := LogPage{Items: []LogRow{}}
	for _, l := range list {
		out.Items = append(out.Items, s.logged(l))
	}
	if len(list) == page {
		last := list[page-1]
		out.Next = new(fmt.Sprintf("%s.%d.%s", last.Day.Format(time.DateOnly), last.Number, last.ID))
	}
	return c.JSON(http.StatusOK, out)
}

func cursor(s string) (*store.Cursor, error) {
	parts := strings.Split(s, ".")
	if len(parts) == 3 {
		day, err1 := time.Parse(time.DateOnly, parts[0])
		n, err2 := strconv.Atoi(parts[1])
		id, err3 := uuid.Parse(parts[2])
		if err1 == nil && err2 == nil && err3 == nil {
			return &store.Cursor{Day: day, Number: n, ID: id}, nil
		}
	}
	return nil, store.Invalid("this is no place where a list goes on")
}

func pain(n store.PainNote) PainNote {
	out := PainNote{Id: n.ID, AthleteId: n.AthleteID, Athlete: n.Athlete, Region: n.Region, Side: PainNoteSide(n.Side), Words: n.Words, Noted: types.Date{Time: n.Noted}, ClearedBy: n.ClearedBy, Version: n.Version}
	if n.Cleared != nil {
		out.Cleared = &types.Date{Time: *n.Cleared}
	}
	return out
}

// KeepPain adds or changes a pain note.
func (s *Server) KeepPain(c *echo.Context) error {
	var in PainNote
	if err := read(c, &in); err != nil {
		return err
	}
	if !slices.Contains(coach.Regions(), in.Region) || !in.Side.Valid() {
		return store.Invalid("say where it hurts, from the lists of regions and sides")
	}
	n := store.PainNote{ID: in.Id, AthleteID: in.AthleteId, Region: in.Region, Side: string(in.Side), Words: in.Words, Noted: in.Noted.Time, ClearedBy: in.ClearedBy, Version: in.Version}
	if in.Cleared != nil {
		n.Cleared = &in.Cleared.Time
	}
	return done(c, s.Store.KeepPain(c.Request().Context(), me(c).ID, n))
}

// ErasePain erases a pain note.
func (s *Server) ErasePain(c *echo.Context, id uuid.UUID) error {
	return done(c, s.Store.ErasePain(c.Request().Context(), me(c).ID, id))
}

// openPain says which open pain note holds an athlete's work; empty: none.
func (s *Server) openPain(ctx context.Context, athlete uuid.UUID) (string, error) {
	pains, err := s.Store.OpenPains(ctx, athlete)
	if err != nil {
		return "", err
	}
	return coach.HeldBy(openPains(pains), s.Now()), nil
}

func openPains(list []store.PainNote) []coach.Pain {
	var out []coach.Pain
	for _, n := range list {
		out = append(out, coach.Pain{Region: n.Region, Side: n.Side, Noted: n.Noted, Cleared: n.Cleared})
	}
	return out
}

// AddGoal sets a goal.
func (s *Server) AddGoal(c *echo.Context) error {
	var in NewGoal
	if err := read(c, &in); err != nil {
		return err
	}
	e, ok := s.Playbooks[in.Event]
	if !ok {
		return store.Invalid(fmt.Sprintf("there is no playbook for %q", in.Event))
	}
	g := store.Goal{ID: in.Id, AthleteID: in.AthleteId, Event: in.Event, Measure: in.Measure, By: in.By.Time}
	if g.By.Before(s.Now().AddDate(0, 0, -1)) || g.By.After(s.Now().AddDate(5, 0, 0)) {
		return store.Invalid(fmt.Sprintf("a goal is for a day within the next five years, not for %s", day(g.By)))
	}
	if in.Measure == "" {
		m, err := e.Mark.Of(in.Target)
		if err != nil {
			return store.Invalid(err.Error())
		}
		g.Target = float64(m)
		return done(c, s.Store.AddGoal(c.Request().Context(), me(c).ID, g))
	}
	id, _, _ := strings.Cut(in.Measure, "@")
	if _, ok := e.Measure(id); !ok {
		return store.Invalid(fmt.Sprintf("%s has no measure %q", e.Name, in.Measure))
	}
	v, err := strconv.ParseFloat(strings.Replace(strings.Replace(in.Target, ",", ".", 1), "−", "-", 1), 64)
	if err != nil {
		return store.Invalid(fmt.Sprintf("%q is not a number", in.Target))
	}
	if err := bounds.Goal.Check(v); err != nil {
		return store.Invalid(err.Error())
	}
	g.Target = v
	return done(c, s.Store.AddGoal(c.Request().Context(), me(c).ID, g))
}

// EraseGoal takes a goal off.
func (s *Server) EraseGoal(c *echo.Context, id uuid.UUID) error {
	return done(c, s.Store.EraseGoal(c.Request().Context(), me(c).ID, id))
}
