package coaching

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"

	"neokinema/core/coach"
	"neokinema/core/result"
	"neokinema/core/series"
	"neokinema/server/store"
)

// freshDays is for how long a record is news.
const freshDays = 14

// Waits are what a coach should look at, in the order of the work.
func (s Service) Waits(ctx context.Context, who store.Account) ([]WaitingItem, error) {
	out := []WaitingItem{}
	today := s.Now()
	pains, err := s.Store.PainNotes(ctx, who.ID, uuid.Nil, true)
	if err != nil {
		return nil, err
	}
	for _, n := range pains {
		out = append(out, WaitingItem{Kind: "pain", Says: fmt.Sprintf("%s: %s since %s", n.Athlete, coach.Where(n.Region, n.Side), n.Noted.Format("2 January")), Under: n.Words, To: "/athletes/" + n.AthleteID.String()})
	}
	if who.Role == "owner" {
		aside, err := s.Store.BrokenChanges(ctx, who.ClubID)
		if err != nil {
			return nil, err
		}
		for _, p := range aside {
			out = append(out, WaitingItem{Kind: "playbook", Says: fmt.Sprintf("A change of the %s no longer fits and is set aside", strings.ToLower(s.Playbooks[p.Event].Name)), Under: p.Problem, To: "/playbook/" + p.Event})
		}
	}
	keep, err := s.retentionWaits(ctx, who, today)
	if err != nil {
		return nil, err
	}
	out = append(out, keep...)
	due, err := s.Store.Due(ctx, who.ID, today)
	if err != nil {
		return nil, err
	}
	for _, d := range due {
		out = append(out, WaitingItem{Kind: "refilm", Says: fmt.Sprintf("%s: “%s”", d.Athlete, d.Words), Under: fmt.Sprintf("%s, due %s", s.Playbooks[d.Event].Name, d.Refilm.Format("2 January 2006")), To: "/attempts/" + d.ID.String() + "/assign", Attempt: &d.ID})
	}
	marks, err := s.Store.ValidMarks(ctx, who.ID, today.AddDate(0, 0, -freshDays))
	if err != nil {
		return nil, err
	}
	out = append(out, s.records(marks, today)...)
	items, err := s.Store.Plan(ctx, who.ID, uuid.Nil, today.Truncate(24*time.Hour), today.Truncate(24*time.Hour))
	if err != nil {
		return nil, err
	}
	for _, i := range items {
		if i.State == "planned" {
			out = append(out, WaitingItem{Kind: "plan", Says: i.Athlete + ": " + i.Words, Under: i.Dose, To: "/calendar"})
		}
	}
	return out, nil
}

// records are the own bests of the last days that beat one before, the best of
// each athlete's discipline and implement only.
func (s Service) records(marks []store.Best, today time.Time) []WaitingItem {
	type what struct {
		athlete    uuid.UUID
		discipline string
		grams      int
	}
	best, beats := map[what]store.Best{}, map[what]store.Best{}
	var order []what
	for _, m := range marks {
		w := what{m.Athlete, s.Playbooks[m.Event].Joined(), 0}
		if m.Grams != nil {
			w.grams = *m.Grams
		}
		was, has := best[w]
		if has && !series.Better(s.Playbooks[m.Event].Mark.Kind, result.Result(m.Mark), result.Result(was.Mark)) {
			continue
		}
		if has {
			if _, news := beats[w]; !news || was.Day.Before(today.AddDate(0, 0, -freshDays)) {
				beats[w] = was
			}
		}
		if !has {
			order = append(order, w)
		}
		best[w] = m
	}
	out := []WaitingItem{}
	for _, w := range order {
		m := best[w]
		was, beaten := beats[w]
		if !beaten || m.Day.Before(today.AddDate(0, 0, -freshDays)) {
			continue
		}
		kind := s.Playbooks[m.Event].Mark.Kind
		under := fmt.Sprintf("%s on %s, before %s", s.Playbooks[m.Event].Name, m.Day.Format("2 January"), result.Result(was.Mark).Format(kind))
		out = append(out, WaitingItem{Kind: "record", Says: fmt.Sprintf("%s: own best, %s", m.Name, result.Result(m.Mark).Format(kind)), Under: under, To: "/attempts/" + m.ID.String() + "/watch", Attempt: &m.ID})
	}
	return out
}

// retentionWaits are the people whose films somebody should think about.
func (s Service) retentionWaits(ctx context.Context, who store.Account, today time.Time) ([]WaitingItem, error) {
	var out []WaitingItem
	open, err := s.Store.FilmsWithoutConsent(ctx, who.ID, today)
	if err != nil {
		return nil, err
	}
	for _, k := range open {
		out = append(out, WaitingItem{Kind: "keep", Says: fmt.Sprintf("%s is under age, and nobody's consent to be filmed is noted", k.Name), Under: filmsText(k), To: "/athletes/" + k.Athlete.String()})
	}
	months, err := s.Store.Retention(ctx, who.ClubID)
	if err != nil || months == 0 {
		return out, err
	}
	old, err := s.Store.FilmsPastRetention(ctx, who.ID, today.AddDate(0, -months, 0))
	if err != nil {
		return nil, err
	}
	for _, k := range old {
		out = append(out, WaitingItem{Kind: "keep", Says: fmt.Sprintf("%s: films older than the club's %d months", k.Name, months), Under: filmsText(k) + ": erase what is no longer needed", To: "/athletes/" + k.Athlete.String()})
	}
	return out, nil
}

func filmsText(k store.KeptFilms) string {
	if k.Films == 1 {
		return "one film, of " + Day(k.Oldest)
	}
	return fmt.Sprintf("%d films, the oldest of %s", k.Films, Day(k.Oldest))
}

// WaitingItem is something that a coach should look at.
type WaitingItem struct {
	Kind    string     `json:"kind"` // refilm, pain, plan, record, playbook or keep
	Says    string     `json:"says"`
	Under   string     `json:"under,omitempty"`
	To      string     `json:"to"` // the page where it is done
	Attempt *uuid.UUID `json:"attempt,omitempty"`
}
