package coaching

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"neokinema/core/coach"
	"neokinema/server/store"
)

// Cautions are what speaks against lines of a plan: open pain, the phase of the
// season, too much that is new.
func (s Service) Cautions(ctx context.Context, who store.Account, athlete uuid.UUID, list []store.PlanItem, phases []store.SeasonPhase) ([]coach.Caution, error) {
	var items []coach.Item
	for _, i := range list {
		items = append(items, coach.Item{ID: i.ID.String(), Athlete: i.AthleteID.String(), Day: i.Day, Kind: i.Kind, Words: i.Words, Dose: i.Dose, Intensity: coach.Intensity(i.Intensity), State: i.State, Fault: i.Fault})
	}
	notes, err := s.Store.PainNotes(ctx, who.ID, athlete, true)
	if err != nil {
		return nil, err
	}
	pains := map[string][]coach.Pain{}
	for _, n := range notes {
		id := n.AthleteID.String()
		pains[id] = append(pains[id], OpenPains([]store.PainNote{n})...)
	}
	var season []coach.SeasonPhase
	for _, p := range phases {
		season = append(season, coach.SeasonPhase{Name: p.Name, Kind: p.Kind, From: p.From, To: p.To})
	}
	given, err := s.Store.GivenFocuses(ctx, who.ID, athlete)
	if err != nil {
		return nil, err
	}
	var focuses []coach.GivenFocus
	for _, g := range given {
		focuses = append(focuses, coach.GivenFocus{Athlete: g.Athlete.String(), Fault: g.Fault, Day: g.Day})
	}
	return coach.Cautions(items, pains, season, focuses), nil
}

// LayOut spreads the work of an attempt's assignments over the days of training,
// low intensity first, until it is filmed again. An open pain note holds it.
func (s Service) LayOut(ctx context.Context, viewer uuid.UUID, b store.Bench, weekdays []int) ([]store.PlanItem, error) {
	if len(b.Assignments) == 0 {
		return nil, store.Invalid("nothing is assigned yet: choose a focus and a cue first")
	}
	if says, err := s.OpenPain(ctx, b.Attempt.AthleteID); err != nil || says != "" {
		if err == nil {
			err = store.Invalid(says)
		}
		return nil, err
	}
	e, _, err := s.Analysis.Playbook(ctx, viewer, b)
	if err != nil {
		return nil, err
	}
	var days []time.Weekday
	for _, d := range weekdays {
		days = append(days, time.Weekday(d))
	}
	var items []store.PlanItem
	for _, g := range b.Assignments {
		work := []coach.Work{{Words: g.Drill, Dose: g.Dose}}
		if g.Drill == "" {
			work = []coach.Work{{Words: "“" + g.Words + "”", Dose: g.Dose}}
		}
		for _, d := range e.DrillsFor(g.Fault) {
			if d.Kind == "strength" && d.Text != g.Drill {
				work = append(work, coach.Work{Words: d.Text, Dose: d.Dose, Strength: true})
				break
			}
		}
		list, err := coach.Spread(g.Fault, work, b.Attempt.Day, g.Refilm, days)
		if err != nil {
			return nil, store.Invalid(err.Error())
		}
		for n, it := range list {
			// The same line of the same plan has the same id: laid out twice, it is there once.
			one := store.PlanItem{ID: uuid.NewSHA1(b.Attempt.ID, fmt.Appendf(nil, "%s %s %d %s", g.Fault, it.Day.Format(time.DateOnly), n, it.Words)), AthleteID: b.Attempt.AthleteID, Athlete: b.Athlete.Name, AttemptID: &b.Attempt.ID, Fault: g.Fault,
				Day: it.Day, Kind: it.Kind, Words: it.Words, Dose: it.Dose, Intensity: string(it.Intensity), State: it.State}
			items = append(items, one)
		}
	}
	return items, s.Store.AddPlan(ctx, viewer, items)
}
