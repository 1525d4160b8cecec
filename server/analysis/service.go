// Package analysis reads attempts: it gathers from the store what an attempt's
// reading rests on, computes it, and keeps it.
package analysis

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/google/uuid"

	"neokinema/core/breakdown"
	"neokinema/core/clock"
	"neokinema/core/filmcheck"
	core "neokinema/core/playbook"
	"neokinema/playbook"
	"neokinema/server/assemble"
	"neokinema/server/store"
)

// Service is where attempts are read.
type Service struct {
	Store     *store.Store
	Playbooks map[string]core.Event // as shipped
}

// Playbook is the playbook that an attempt is read by, written out in its variant,
// with what the viewer's club changed for it, and the name of that state. A change
// that no longer fits is set aside with its reason: it stops no reading.
func (d Service) Playbook(ctx context.Context, viewer uuid.UUID, b store.Bench) (core.Event, string, error) {
	e, ok := d.Playbooks[b.Attempt.Event]
	if !ok {
		return e, "", store.ErrNotFound
	}
	changes, err := d.Store.PlaybookChanges(ctx, viewer, b.Attempt.Event)
	if err != nil {
		return e, "", err
	}
	state := ""
	for _, change := range changes {
		if !appliesTo(change, b) {
			continue
		}
		changed, err := withChange(e, change)
		if err := d.Store.NoteProblem(ctx, change, err); err != nil {
			return e, "", err
		}
		if err != nil { // a newer shipped file, or another change, may leave no room for it
			state += " without " + change.ID.String()
			continue
		}
		e = changed
		state += " book " + change.ID.String()
	}
	if e, err = e.As(b.Attempt.Variant); err != nil {
		return e, "", store.Invalid(err.Error())
	}
	return e, state, nil
}

// withChange is an event's playbook as a change has it.
func withChange(e core.Event, change store.PlaybookChange) (core.Event, error) {
	p, err := playbook.DecodePatch(e, []byte(change.Patch))
	if err != nil {
		return e, err
	}
	return e.With(p)
}

// ClubPlaybook is an event's playbook with what is changed for the whole club. A change
// that no longer fits is set aside.
func (d Service) ClubPlaybook(ctx context.Context, viewer uuid.UUID, event string) (core.Event, error) {
	e, ok := d.Playbooks[event]
	if !ok {
		return e, store.ErrNotFound
	}
	all, err := d.Store.PlaybookChanges(ctx, viewer, event)
	if err != nil {
		return e, err
	}
	for _, change := range all {
		if change.Scope != "club" {
			continue
		}
		changed, err := withChange(e, change)
		if err := d.Store.NoteProblem(ctx, change, err); err != nil {
			return e, err
		}
		if err == nil {
			e = changed
		}
	}
	return e, nil
}

// appliesTo tells whether a change counts for an attempt. Without an athlete only
// what is for the whole club does.
func appliesTo(change store.PlaybookChange, b store.Bench) bool {
	switch change.Scope {
	case "club":
		return true
	case "school":
		return change.Value == b.Attempt.School
	case "level":
		return change.Value == b.Athlete.Level
	case "group":
		return b.Athlete.BirthYear > 0 && change.Value == core.AgeGroup(b.Athlete.BirthYear, b.Attempt.Day.Year())
	case "athlete":
		return change.Value == b.Athlete.ID.String()
	}
	return false
}

// SecondFilm is the other film of an attempt, or nil.
func (d Service) SecondFilm(ctx context.Context, viewer uuid.UUID, b store.Bench) (*assemble.SecondFilm, error) {
	if b.Other == nil {
		return nil, nil
	}
	there, err := d.Store.Bench(ctx, viewer, *b.Other)
	if errors.Is(err, store.ErrNotFound) { // taken off this moment
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	out := &assemble.SecondFilm{Bench: there}
	if there.Clip != nil {
		out.PTS, err = d.Store.PTS(ctx, there.Clip.ID)
	}
	return out, err
}

// Inputs is what a reading rests on besides the attempt: the playbook as it
// counts for it, its other film, and the athlete's other attempts. Rules names
// it all: a change of any makes a new run.
type Inputs struct {
	Event      core.Event
	SecondFilm *assemble.SecondFilm
	History    assemble.History
	Rules      string
}

// Inputs gathers what an attempt's reading rests on.
func (d Service) Inputs(ctx context.Context, viewer uuid.UUID, b store.Bench) (g Inputs, err error) {
	var state string
	if g.Event, state, err = d.Playbook(ctx, viewer, b); err != nil {
		return g, err
	}
	if g.SecondFilm, err = d.SecondFilm(ctx, viewer, b); err != nil {
		return g, err
	}
	if g.History.Last, err = d.Store.LastReading(ctx, b.Attempt); err != nil {
		return g, err
	}
	if g.History.Best, err = d.Store.BestReadings(ctx, b.Attempt); err != nil {
		return g, err
	}
	if g.History.Given, err = d.Store.EarlierAssignments(ctx, b.Attempt); err != nil {
		return g, err
	}
	if g.History.Record, err = d.Store.CueRecord(ctx, b.Attempt); err != nil {
		return g, err
	}
	g.Rules = assemble.Rules
	if g.SecondFilm != nil {
		there := g.SecondFilm.Bench.Attempt
		g.Rules += fmt.Sprintf(" with %s at %d", there.ID, there.Version)
	}
	if b.Fit != nil {
		g.Rules += " fitted " + b.Fit.Made.UTC().Format(time.RFC3339Nano)
	}
	g.Rules += g.History.Version() + state
	return g, nil
}

// ReadingJSON computes an attempt's reading, or finds it kept, as JSON.
func (d Service) ReadingJSON(ctx context.Context, viewer uuid.UUID, b store.Bench) ([]byte, error) {
	g, err := d.Inputs(ctx, viewer, b)
	if err != nil {
		return nil, err
	}
	kept, err := d.Store.SavedReading(ctx, b.Attempt.ID, b.Attempt.Version, g.Rules)
	if !errors.Is(err, store.ErrNotFound) {
		return kept, err
	}
	if b.Clip == nil {
		return nil, store.Invalid("add a clip first")
	}
	pts, err := d.Store.PTS(ctx, b.Clip.ID)
	if err != nil {
		return nil, err
	}
	r, err := assemble.Read(g.Event, b, pts, g.SecondFilm, g.History)
	if err != nil {
		return nil, err
	}
	data, err := json.Marshal(r)
	if err != nil {
		return nil, err
	}
	var known []store.ValueRow
	for _, v := range r.Values {
		if v.Known() && !v.Unconfirmed {
			known = append(known, store.ValueRow{Key: v.Key, Value: v.Value.Value, U: v.U})
		}
	}
	return data, d.Store.SaveReading(ctx, b.Attempt.ID, b.Attempt.Version, g.Rules, data, known)
}

// Reading is an attempt's reading.
func (d Service) Reading(ctx context.Context, viewer uuid.UUID, b store.Bench) (assemble.Reading, error) {
	var out assemble.Reading
	data, err := d.ReadingJSON(ctx, viewer, b)
	if err != nil {
		return out, err
	}
	return out, json.Unmarshal(data, &out)
}

// Execute applies a command to an attempt by the playbook that counts for it. A
// capture rate that is measured is computed here.
func (d Service) Execute(ctx context.Context, viewer, attempt uuid.UUID, c store.Command) (store.Bench, error) {
	b, err := d.Store.Bench(ctx, viewer, attempt)
	if err != nil {
		return b, err
	}
	e, _, err := d.Playbook(ctx, viewer, b)
	if err != nil {
		return b, err
	}
	if rate, ok := c.Content.(*breakdown.SetRate); ok {
		if c.Content, err = d.measuredRate(ctx, b, *rate); err != nil {
			return b, err
		}
	}
	return d.Store.Execute(ctx, viewer, attempt, e, c)
}

// Checks say what an attempt's clip is good for.
func (d Service) Checks(ctx context.Context, e core.Event, b store.Bench) ([]filmcheck.Check, error) {
	var pts []int64
	if b.Clip != nil && b.Clip.Status == "ready" {
		var err error
		if pts, err = d.Store.PTS(ctx, b.Clip.ID); err != nil {
			return nil, err
		}
	}
	return assemble.Checks(e, b, pts)
}

// measuredRate fills in a rate that the coach did not choose, with the usual
// gravity.
func (d Service) measuredRate(ctx context.Context, b store.Bench, c breakdown.SetRate) (*breakdown.SetRate, error) {
	c.RateU = 0 // not the sender's to say
	if c.RateSource == "" || c.RateSource == "chosen" {
		return &c, nil
	}
	if b.Clip == nil {
		return nil, store.Invalid("add a clip first")
	}
	pts, err := d.Store.PTS(ctx, b.Clip.ID)
	if err != nil {
		return nil, err
	}
	rates, err := assemble.RatesOf(b, pts, clock.Gravity)
	if err != nil {
		return nil, err
	}
	way, err := rates.Way(c.RateSource)
	if err != nil {
		return nil, err
	}
	c.Rate = &way.Rate
	if c.RateSource != "tag" && c.RateSource != "file" {
		c.RateU = way.U
	}
	return &c, nil
}
