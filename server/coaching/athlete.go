package coaching

import (
	"context"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"neokinema/core/coach"
	"neokinema/core/playbook"
	"neokinema/core/result"
	"neokinema/core/series"
	"neokinema/server/assemble"
	"neokinema/server/store"
)

// cueOutcomes is an athlete's cue record in words.
func (s Service) cueOutcomes(ctx context.Context, viewer, athlete uuid.UUID) ([]coach.CueOutcome, error) {
	record, err := s.Store.FullCueRecord(ctx, athlete)
	if err != nil {
		return nil, err
	}
	var out []coach.CueOutcome
	of := s.clubPlaybooks(ctx, viewer)
	for _, t := range record {
		e, err := of(t.Event)
		if err != nil {
			return nil, err
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

// OpenPain says which open pain note holds an athlete's work; empty: none.
func (s Service) OpenPain(ctx context.Context, athlete uuid.UUID) (string, error) {
	pains, err := s.Store.OpenPains(ctx, athlete)
	if err != nil {
		return "", err
	}
	return coach.HeldBy(OpenPains(pains), s.Now()), nil
}

// OpenPains are the notes as the rules read them.
func OpenPains(list []store.PainNote) []coach.Pain {
	var out []coach.Pain
	for _, n := range list {
		out = append(out, coach.Pain{Region: n.Region, Side: n.Side, Noted: n.Noted, Cleared: n.Cleared})
	}
	return out
}

// ResultPoint is a mark of an athlete's, the best of its discipline and implement
// among them.
type ResultPoint struct {
	Attempt    uuid.UUID `json:"attempt"`
	Event      string    `json:"event"`
	Discipline string    `json:"discipline"` // what the mark counts among
	Variant    string    `json:"variant"`
	Day        string    `json:"day"`
	Number     int       `json:"number"`
	Value      *int      `json:"value,omitempty"` // hundredths of a metre or second
	Grams      *int      `json:"grams,omitempty"` // of the implement
	Said       Result    `json:"said"`
	Best       bool      `json:"best"`
}

// CueRecord is what cues, kinds of cues and work on faults came to.
type CueRecord struct {
	Cues   []coach.CueTally `json:"cues"`
	Kinds  []coach.CueTally `json:"kinds"`
	Faults []coach.CueTally `json:"faults"`
}

// MeasureName is a measure that can be followed over time, N times measured.
type MeasureName struct {
	Event string `json:"event"`
	Key   string `json:"key"`
	Name  string `json:"name"`
	KeyID string `json:"keyId"`
	Unit  string `json:"unit"`
	N     int    `json:"n"`
}

// AthletePage is what an athlete's page shows beside the athlete.
type AthletePage struct {
	Focuses  []assemble.OpenFocus
	Marks    []ResultPoint // the oldest first
	Record   CueRecord
	Pains    []store.PainNote
	Goals    []Goal
	Load     []coach.Week
	Measures []MeasureName
	Attempts int
	Strips   []LogRow // the latest stamped attempts
}

// Athlete gathers an athlete's page.
func (s Service) Athlete(ctx context.Context, viewer, athlete uuid.UUID) (AthletePage, error) {
	out := AthletePage{Goals: []Goal{}, Measures: []MeasureName{}, Strips: []LogRow{}, Load: []coach.Week{}}
	marks, err := s.Store.ResultRows(ctx, athlete)
	if err != nil {
		return out, err
	}
	out.Marks = s.resultPoints(marks)
	if out.Focuses, err = s.openFocuses(ctx, viewer, athlete); err != nil {
		return out, err
	}
	tried, err := s.cueOutcomes(ctx, viewer, athlete)
	if err != nil {
		return out, err
	}
	out.Record = CueRecord{
		Cues:   coach.Tally(tried, func(t coach.CueOutcome) string { return t.Cue }),
		Kinds:  coach.Tally(tried, func(t coach.CueOutcome) string { return t.Kind }),
		Faults: coach.Tally(tried, func(t coach.CueOutcome) string { return t.Fault }),
	}
	if out.Pains, err = s.Store.PainNotes(ctx, viewer, athlete, false); err != nil {
		return out, err
	}
	goals, err := s.Store.Goals(ctx, athlete)
	if err != nil {
		return out, err
	}
	over, err := s.measuresOver(ctx, viewer, athlete, goalKeys(goals))
	if err != nil {
		return out, err
	}
	for _, g := range goals {
		one, err := s.goal(over, marks, g)
		if err != nil {
			return out, err
		}
		out.Goals = append(out.Goals, one)
	}
	if out.Load, err = s.load(ctx, athlete); err != nil {
		return out, err
	}
	if out.Measures, err = s.measureNames(ctx, athlete); err != nil {
		return out, err
	}
	stamped, err := s.Store.StampedAttempts(ctx, viewer, athlete, mostStrips)
	if err != nil {
		return out, err
	}
	for _, l := range stamped {
		out.Strips = append(out.Strips, s.Logged(l))
	}
	out.Attempts, err = s.Store.CountOfAthlete(ctx, athlete)
	return out, err
}

// resultPoints are the marks with the best of each discipline and implement: both
// ways of the shot count together.
func (s Service) resultPoints(marks []store.ResultRow) []ResultPoint {
	out := []ResultPoint{}
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
		out = append(out, ResultPoint{Attempt: m.ID, Event: m.Event, Variant: m.Variant, Day: m.Day.Format(time.DateOnly), Number: m.Number, Value: m.Mark, Grams: m.Grams, Discipline: e.Joined(),
			Said: *ResultOf(e, store.Attempt{Mark: m.Mark, Foul: m.Foul}), Best: m.Mark != nil && m.Foul == "" && best[kind(m)] == i})
	}
	return out
}

// openFocuses are the assignments that stand, with how far their focuses hold.
func (s Service) openFocuses(ctx context.Context, viewer, athlete uuid.UUID) ([]assemble.OpenFocus, error) {
	out := []assemble.OpenFocus{}
	standing, err := s.Store.StandingAssignments(ctx, athlete)
	if err != nil {
		return nil, err
	}
	later, err := s.Store.LaterAttempts(ctx, athlete, standing)
	if err != nil {
		return nil, err
	}
	of := s.clubPlaybooks(ctx, viewer)
	for i, g := range standing {
		e, err := of(g.Event)
		if err != nil {
			return nil, err
		}
		out = append(out, assemble.OpenOf(e, g, later[i], s.Now()))
	}
	return out, nil
}

// load is the athlete's load, week by week.
func (s Service) load(ctx context.Context, athlete uuid.UUID) ([]coach.Week, error) {
	done, err := s.Store.LoadSince(ctx, athlete, s.Now().AddDate(0, 0, -7*(loadWeeks+4)))
	if err != nil || len(done) == 0 {
		return []coach.Week{}, err
	}
	var list []coach.Done
	for _, d := range done {
		list = append(list, coach.Done{Day: d.Day, Event: d.Event, Implement: d.Grams, Effort: d.Effort})
	}
	return coach.Load(list, loadWeeks, s.Now()), nil
}

// measureNames are the measures that can be followed over time.
func (s Service) measureNames(ctx context.Context, athlete uuid.UUID) ([]MeasureName, error) {
	out := []MeasureName{}
	keys, err := s.Store.ValueKeys(ctx, athlete)
	if err != nil {
		return nil, err
	}
	named := map[string]playbook.Event{}
	for _, k := range keys {
		e, ok := named[k.Event]
		if !ok {
			if e, err = s.Playbooks[k.Event].As(k.Variant); err != nil {
				return nil, err
			}
			named[k.Event] = e
		}
		if name, keyID, unit, ok := measureOf(e, k.Key); ok {
			out = append(out, MeasureName{Event: k.Event, Key: k.Key, Name: name, KeyID: keyID, Unit: unit, N: k.N})
		}
	}
	return out, nil
}
