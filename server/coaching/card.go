package coaching

import (
	"context"
	"fmt"
	"slices"

	"github.com/google/uuid"

	"neokinema/core/breakdown"
	"neokinema/core/playbook"
	"neokinema/server/assemble"
	"neokinema/server/report"
	"neokinema/server/store"
)

var nothingAssigned = store.Invalid("nothing is assigned yet: choose a focus and a cue first")

// Card is what an athlete takes home of an attempt.
func (s Service) Card(ctx context.Context, who store.Account, id uuid.UUID) (report.Card, error) {
	var out report.Card
	b, err := s.Store.Bench(ctx, who.ID, id)
	if err != nil {
		return out, err
	}
	if len(b.Assignments) == 0 && b.Clip == nil {
		return out, nothingAssigned
	}
	r, e, err := s.readAs(ctx, who.ID, b)
	if err != nil {
		return out, err
	}
	// An attempt without a fault has a card too: what is good, and to keep it.
	clean := len(b.Assignments) == 0 && r.Known > 0 && len(r.Roots) == 0
	if len(b.Assignments) == 0 && !clean {
		return out, nothingAssigned
	}
	out = report.Card{
		Athlete: b.Athlete.Name, Event: fmt.Sprintf("%s %d", e.Name, b.Attempt.Number), Day: Day(b.Attempt.Day), Place: b.Attempt.Place,
		Coach: who.Name, Club: who.Club, Care: e.Care, Praise: praise(b, r), Keep: clean,
	}
	held, err := s.OpenPain(ctx, b.Attempt.AthleteID)
	if err != nil {
		return out, err
	}
	if held != "" {
		out.Care = append([]string{held + "."}, out.Care...)
	}
	for _, g := range b.Assignments {
		it, err := s.item(ctx, who.ID, e, b, r, g)
		if err != nil {
			return out, err
		}
		out.Items = append(out.Items, it)
	}
	return out, nil
}

// item is an assignment on a card, with the picture that shows its fault.
func (s Service) item(ctx context.Context, viewer uuid.UUID, e playbook.Event, b store.Bench, r assemble.Reading, g breakdown.Assignment) (report.Item, error) {
	f, _ := e.Fault(g.Fault)
	it := assigned(e, r, g)
	frame, ok := b.Stamps[f.At]
	if !ok || b.Clip == nil || b.Clip.Filmless {
		return it, nil
	}
	k, _ := e.Key(f.At)
	picture, err := s.Store.Picture(ctx, viewer, b.Clip.ID, frame)
	if err != nil {
		return it, err
	}
	it.Caption = fmt.Sprintf("%s, picture %d", k.Name, frame)
	it.Picture, err = report.Crop(picture, around(b, frame))
	return it, err
}

// praise is what is good: in the coach's words first, nothing twice.
func praise(b store.Bench, r assemble.Reading) []string {
	out := []string{}
	if words := b.Notes["good"]; words != "" {
		out = append(out, words)
	}
	for _, p := range r.Praise {
		if !slices.Contains(out, p) {
			out = append(out, p)
		}
	}
	return out
}

// assigned is an assignment in words.
func assigned(e playbook.Event, r assemble.Reading, g breakdown.Assignment) report.Item {
	f, _ := e.Fault(g.Fault)
	it := report.Item{Focus: f.Name, Words: g.Words, Drill: g.Drill, Dose: g.Dose, Refilm: Day(g.Refilm)}
	for _, d := range e.Drills {
		if d.Text == g.Drill {
			it.Growth = d.Growth
		}
	}
	for _, o := range r.Options {
		if o.Fault == g.Fault && o.Aim != nil {
			it.Show = o.Aim.Says
		}
	}
	return it
}
