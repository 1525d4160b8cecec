package coaching

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"neokinema/core/coach"
	"neokinema/core/playbook"
	"neokinema/core/result"
	"neokinema/core/series"
	"neokinema/server/assemble"
	"neokinema/server/report"
	"neokinema/server/store"
)

// SeasonSheet is the report of an athlete's season.
func (s Service) SeasonSheet(ctx context.Context, who store.Account, id uuid.UUID, from, to time.Time) (report.Sheet, error) {
	var out report.Sheet
	a, err := s.Store.AthleteOf(ctx, who.ID, id)
	if err != nil {
		return out, err
	}
	if to.Before(from) {
		return out, store.Invalid("a season ends after it begins")
	}
	out.Title, out.Foot = a.Name, s.foot(who)
	out.Under = fmt.Sprintf("Season from %s to %s · %s, %s", Day(from), Day(to), playbook.AgeGroup(a.BirthYear, s.Now().Year()), a.Level)
	marks, err := s.Store.ResultRows(ctx, id)
	if err != nil {
		return out, err
	}
	marks = slices.DeleteFunc(marks, func(m store.ResultRow) bool { return m.Day.Before(from) || m.Day.After(to) })
	var list parts
	list = append(list, s.markCharts(marks, from, to)...)
	asked, err := s.Store.StandingAssignments(ctx, id)
	if err != nil {
		return out, err
	}
	asked = slices.DeleteFunc(asked, func(g store.StandingAssignment) bool { return g.Day.Before(from) || g.Day.After(to) })
	if len(asked) > 0 {
		list.add("head", "Worked on")
	}
	since, err := s.Store.LaterAttempts(ctx, id, asked)
	if err != nil {
		return out, err
	}
	goals, err := s.Store.Goals(ctx, id)
	if err != nil {
		return out, err
	}
	wanted := goalKeys(goals)
	for _, g := range asked {
		for _, key := range aimsOf(g) {
			wanted = append(wanted, store.EventKey{Event: g.Event, Key: key})
		}
	}
	over, err := s.measuresOver(ctx, who.ID, id, wanted)
	if err != nil {
		return out, err
	}
	of := s.clubPlaybooks(ctx, who.ID)
	for i, g := range asked {
		e, err := of(g.Event)
		if err != nil {
			return out, err
		}
		f := assemble.OpenOf(e, g, since[i], s.Now())
		list.add("cue", f.Words)
		list.pair("For", fmt.Sprintf("%s, %s, since %s", f.Name, strings.ToLower(e.Name), Day(g.Day)))
		switch {
		case f.ClosedOn != "":
			list.pair("Closed", f.ClosedOn)
		case f.Latest != nil:
			list.pair("Since then", f.Latest.Says)
		}
		if f.AttemptCount > 0 {
			list.pair("Held", fmt.Sprintf("in %d of the last %d clips", f.HeldCount, f.AttemptCount))
		}
		for _, o := range aimsOf(g) {
			chart, err := overChart(over, g.Event, o, from, to)
			if err != nil {
				return out, err
			}
			list = append(list, chart...)
		}
	}
	record, err := s.cueOutcomes(ctx, who.ID, id)
	if err != nil {
		return out, err
	}
	if kinds := coach.Tally(record, func(t coach.CueOutcome) string { return t.Kind }); len(kinds) > 0 {
		list.add("head", "Which cues work here")
		for _, k := range kinds {
			list.pair(k.Of, k.Says)
		}
	}
	all, err := s.Store.ResultRows(ctx, id)
	if err != nil {
		return out, err
	}
	if len(goals) > 0 {
		list.add("head", "Goals")
	}
	for _, g := range goals {
		one, err := s.goal(over, all, g)
		if err != nil {
			return out, err
		}
		list.pair(one.Target, fmt.Sprintf("%s by %s: %s", one.Name, Day(g.By), one.Trend.Says))
	}
	pains, err := s.Store.PainNotes(ctx, who.ID, id, false)
	if err != nil {
		return out, err
	}
	pains = slices.DeleteFunc(pains, func(n store.PainNote) bool { return n.Noted.Before(from) || n.Noted.After(to) })
	if len(pains) > 0 {
		list.add("head", "Pain")
	}
	for _, n := range pains {
		says := fmt.Sprintf("%s, noted %s", coach.Where(n.Region, n.Side), Day(n.Noted))
		if n.Cleared != nil {
			says += fmt.Sprintf(", cleared %s by %s", Day(*n.Cleared), n.ClearedBy)
		} else {
			says += ", not cleared"
		}
		list.add("care", says)
	}
	if len(list) == 0 {
		list.add("text", "Nothing was noted in this time.")
	}
	out.Blocks = list
	return out, nil
}

// aimsOf are the keys of the measures that an assignment was to move.
func aimsOf(g store.StandingAssignment) []string {
	if aim, ok := assemble.AimOf(g.Reading, g.Fault); ok {
		return []string{aim.Key}
	}
	return nil
}

// markCharts are the marks of each discipline over time, with what they come to.
func (s Service) markCharts(marks []store.ResultRow, from, to time.Time) parts {
	var out parts
	var done []string
	for _, m := range marks {
		name := s.Playbooks[m.Event].Joined()
		if slices.Contains(done, name) {
			continue
		}
		done = append(done, name)
		kind := s.Playbooks[m.Event].Mark.Kind
		var of []store.ResultRow
		var list []series.Attempt
		for _, o := range marks {
			if s.Playbooks[o.Event].Joined() == name {
				of = append(of, o)
				t := series.Attempt{Foul: o.Foul}
				if o.Mark != nil {
					t.Mark = new(result.Result(*o.Mark))
				}
				list = append(list, t)
			}
		}
		if len(done) == 1 {
			out.add("head", "Marks")
		}
		sum := series.Summarize(kind, list)
		title := s.Playbooks[m.Event].Name
		if name != m.Event {
			title = strings.ToUpper(name[:1]) + strings.ReplaceAll(name[1:], "-", " ")
		}
		var points []timed
		for _, o := range of {
			if o.Mark != nil && o.Foul == "" {
				points = append(points, timed{o.Day, float64(*o.Mark), 0, result.Result(*o.Mark).Format(kind)})
			}
		}
		if len(points) > 1 {
			out = append(out, chart(title+": "+sum.Says, points, from, to, nil, nil, func(v float64) string { return result.Result(math.Round(v)).Format(kind) }))
		} else {
			out.add("text", title+": "+sum.Says)
		}
	}
	return out
}

type timed struct {
	day  time.Time
	v, u float64
	says string
}

// chart lays values out between two days, with the edges of a band.
func chart(title string, list []timed, from, to time.Time, low, high *float64, say func(float64) string) report.Block {
	bottom, top := math.Inf(1), math.Inf(-1)
	for _, p := range list {
		bottom, top = min(bottom, p.v-2*p.u), max(top, p.v+2*p.u)
	}
	room := 0.12 * (top - bottom)
	if room == 0 {
		room = 1
	}
	bottom, top = bottom-room, top+room
	on := func(v float64) float64 { return (v - bottom) / (top - bottom) }
	out := report.Block{Kind: "chart", Text: title, Ends: []string{Day(from), Day(to), say(bottom), say(top)}}
	span := max(1, to.Sub(from).Hours())
	for _, p := range list {
		out.Points = append(out.Points, report.Point{X: p.day.Sub(from).Hours() / span, Y: on(p.v), U: 2 * p.u / (top - bottom), Says: p.says})
	}
	if low != nil && *low < top {
		out.Low = new(max(0, on(*low)))
	}
	if high != nil && *high > bottom {
		out.High = new(min(1, on(*high)))
	}
	return out
}

func overChart(measures measuresOver, event, key string, from, to time.Time) (parts, error) {
	over, err := measures.of(event, key)
	if err != nil {
		return nil, err
	}
	var list []timed
	for _, p := range over.Points {
		on, err := time.Parse(time.DateOnly, p.Day)
		if err != nil {
			return nil, err
		}
		if !on.Before(from) && !on.After(to) {
			list = append(list, timed{on, p.Value, p.U, coach.Number(p.Value, over.Unit) + " ± " + coach.Number(2*p.U, over.Unit)})
		}
	}
	if len(list) < 2 {
		return nil, nil
	}
	return parts{chart(over.Name+" at "+strings.ToLower(over.KeyID), list, from, to, over.Low, over.High, func(v float64) string { return coach.Number(v, over.Unit) })}, nil
}

// SessionSheet is the summary of a session.
func (s Service) SessionSheet(ctx context.Context, who store.Account, id uuid.UUID) (report.Sheet, error) {
	var out report.Sheet
	p, err := s.SessionPage(ctx, who.ID, id)
	if err != nil {
		return out, err
	}
	e, err := s.Store.Session(ctx, who.ID, id)
	if err != nil {
		return out, err
	}
	out.Title, out.Foot = e.Place+", "+Day(e.Day), s.foot(who)
	told := []string{strings.ToUpper(e.Kind[:1]) + e.Kind[1:]}
	for _, w := range []string{e.Surface, e.Weather} {
		if w != "" {
			told = append(told, w)
		}
	}
	if e.Wind != nil {
		told = append(told, fmt.Sprintf("wind %+.1f m/s", *e.Wind))
	}
	out.Under = strings.Join(append(told, count(e.Attempts, "attempt")+" of "+count(e.Athletes, "athlete")), " · ")
	var athletes []uuid.UUID
	for _, one := range p.Series {
		athletes = append(athletes, one.AthleteID)
	}
	cues, err := s.Store.OpenCues(ctx, athletes)
	if err != nil {
		return out, err
	}
	var list parts
	for _, one := range p.Series {
		list.add("head", one.Athlete+", "+strings.ToLower(s.Playbooks[one.Event].Name))
		row := []string{}
		head := []string{}
		for _, a := range one.Attempts {
			head = append(head, fmt.Sprint(a.Number))
			row = append(row, markText(a.Mark))
		}
		for len(head) > 0 {
			n := min(8, len(head))
			list = append(list, report.Block{Kind: "table", Rows: [][]string{head[:n], row[:n]}})
			head, row = head[n:], row[n:]
		}
		list.add("text", one.Sum.Says+".")
		if one.Before != nil {
			says := "Last session, " + *one.Before + ": " + one.BeforeSum.Says
			if one.Against != "" {
				says += "; " + one.Against
			}
			list.add("soft", says+".")
		}
		for _, g := range cues {
			if g.AthleteID == one.AthleteID && g.Event == one.Event {
				list.pair("Works on", "“"+g.Words+"”")
			}
		}
	}
	out.Blocks = list
	return out, nil
}

func count(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}

func markText(m *Result) string {
	switch {
	case m == nil:
		return "–"
	case m.Foul != "":
		return "✕ " + m.Foul
	}
	return m.Text
}
