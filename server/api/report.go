package api

import (
	"bytes"
	"context"
	"fmt"
	"math"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"
	types "github.com/oapi-codegen/runtime/types"

	"neokinema/core/breakdown"
	"neokinema/core/coach"
	"neokinema/core/judge"
	"neokinema/core/playbook"
	"neokinema/core/result"
	"neokinema/core/series"
	"neokinema/server/assemble"
	"neokinema/server/report"
	"neokinema/server/store"
)

// Most of what a sheet of one attempt shows.
const (
	mostGauges = 16
	mostPoses  = 10
)

type parts []report.Block

func (b *parts) add(kind, text string) { *b = append(*b, report.Block{Kind: kind, Text: text}) }

func (b *parts) pair(under, text string) {
	if text != "" {
		*b = append(*b, report.Block{Kind: "pair", Under: under, Text: text})
	}
}

// foot is what stands under every page.
func (s *Server) foot(who store.Account) string {
	return strings.Trim(who.Club+" · "+who.Name, " ·") + " · " + day(s.Now()) + " · ± is two standard uncertainties. Targets guide a conversation; they are no medical advice."
}

// poseSrc is where a key position's picture is.
func poseSrc(id uuid.UUID, keyID string) string {
	return fmt.Sprintf("/api/attempts/%s/pose.png?keyId=%s", id, strings.ReplaceAll(keyID, "#", "%23"))
}

// gauge is a judged value on its lane, with whatever stands beside it.
func gauge(e playbook.Event, v judge.Judged, beside ...float64) report.Gauge {
	var low, high *float64
	if v.Band != nil {
		low, high = v.Band.Low, v.Band.High
	}
	g := report.Lane(v.Value.Value, v.U, low, high, beside...)
	k, _ := e.Key(v.KeyID)
	g.Name, g.Value, g.Within = v.Name+", "+strings.ToLower(k.Name), coach.Number(v.Value.Value, v.Unit), "± "+coach.Number(2*v.U, v.Unit)
	g.Verdict, g.Aim = string(v.Verdict), v.Aim
	return g
}

// attemptSheet is the report of one attempt.
func (s *Server) attemptSheet(ctx context.Context, who store.Account, id uuid.UUID) (report.Sheet, error) {
	var out report.Sheet
	b, err := s.Store.Bench(ctx, who.ID, id)
	if err != nil {
		return out, err
	}
	r, e, err := s.readAs(ctx, who.ID, b)
	if err != nil {
		return out, err
	}
	worth := ""
	if m := resultOf(e, b.Attempt); m != nil {
		worth = " · " + strings.TrimSpace(m.Text+" "+m.Foul)
	}
	out.Title, out.Under, out.Foot = b.Athlete.Name, fmt.Sprintf("%s %d · %s · %s%s", e.Name, b.Attempt.Number, day(b.Attempt.Day), b.Attempt.Place, worth), s.foot(who)
	if b.Clip.Filmless {
		out.Under += " · simulated, no film"
	}
	var list parts
	if good := praise(b, r); len(good) > 0 {
		list.add("head", "What is good")
		for _, p := range good {
			list = append(list, report.Block{Kind: "bullet", Text: p, Tone: "in"})
		}
	}
	if len(r.Beats) > 0 {
		list.add("head", "Key positions")
		list = append(list, report.Block{Kind: "pictures", Pictures: poses(e, id, r)})
		if len(r.Notes) > 0 {
			list.add("head", "Footfall")
			list = append(list, footfall(r))
		}
	}
	list = append(list, measures(e, r)...)
	list = append(list, ladder(r)...)
	work, err := s.work(ctx, e, b, r)
	if err != nil {
		return out, err
	}
	out.Blocks = append(list, work...)
	return out, nil
}

// readAs is an attempt's reading with the playbook that it was read by.
func (s *Server) readAs(ctx context.Context, viewer uuid.UUID, b store.Bench) (assemble.Reading, playbook.Event, error) {
	e, _, err := s.analysis().Playbook(ctx, viewer, b)
	if err != nil {
		return assemble.Reading{}, e, err
	}
	r, err := s.analysis().Reading(ctx, viewer, b)
	return r, e, err
}

func poses(e playbook.Event, id uuid.UUID, r assemble.Reading) []report.Picture {
	beats := slices.Clone(r.Beats)
	slices.SortStableFunc(beats, func(a, b assemble.KeyTime) int { return a.Frame - b.Frame })
	var out []report.Picture
	n := min(mostPoses, len(beats))
	for i := range n {
		at := 0
		if n > 1 {
			at = i * (len(beats) - 1) / (n - 1)
		}
		k, _ := e.Key(beats[at].KeyID)
		out = append(out, report.Picture{Src: poseSrc(id, beats[at].KeyID), Caption: fmt.Sprintf("%s, %s ± %.3f", k.Name, coach.Number(beats[at].T, "s"), 2*beats[at].U)})
	}
	return out
}

func footfall(r assemble.Reading) report.Block {
	out := report.Block{Kind: "score"}
	first, last := math.Inf(1), math.Inf(-1)
	// An open end is drawn as a stub: what is beyond it nobody stamped.
	const stub = 0.06
	list := slices.Clone(r.Notes)
	for i, n := range list {
		if n.OpenStart {
			list[i].Start = max(n.Start, n.End-stub)
		}
		if n.OpenEnd {
			list[i].End = min(n.End, list[i].Start+stub)
		}
	}
	for _, n := range list {
		first, last = min(first, n.Start), max(last, n.End)
	}
	span := max(last-first, 1e-9)
	for _, n := range list {
		one := report.Note{From: (n.Start - first) / span, To: (n.End - first) / span}
		if n.Foot == "rear" {
			one.Line = 1
		}
		if n.Value != nil && n.U != nil {
			one.Says = fmt.Sprintf("%.0f ± %.0f ms", 1000**n.Value, 2000**n.U)
		}
		out.Notes = append(out.Notes, one)
	}
	out.Ends = []string{coach.Number(first, "s"), coach.Number(last, "s")}
	return out
}

// measures are the judged values: all that are out, near, then in, as far as
// there is room, in the order of the movement.
func measures(e playbook.Event, r assemble.Reading) parts {
	var shown []judge.Judged
	unsure := 0
	for _, want := range []judge.Verdict{judge.Out, judge.Near, judge.In} {
		for _, v := range r.Values {
			if v.Known() && v.Verdict == want && len(shown) < mostGauges {
				shown = append(shown, v)
			}
		}
	}
	for _, v := range r.Values {
		if v.Known() && v.Verdict == judge.CantTell {
			unsure++
		}
	}
	if len(shown) == 0 && unsure == 0 {
		return nil
	}
	var out parts
	out.add("head", "Measures")
	place := func(v judge.Judged) int {
		return slices.IndexFunc(r.Values, func(w judge.Judged) bool { return w.Key == v.Key })
	}
	slices.SortFunc(shown, func(a, b judge.Judged) int { return place(a) - place(b) })
	for _, v := range shown {
		out = append(out, report.Block{Kind: "gauge", Gauge: new(gauge(e, v))})
	}
	if unsure > 0 {
		out.add("soft", fmt.Sprintf("%d more can't be told: their ± is too wide for their bands.", unsure))
	}
	return out
}

// ladder is the cause ladder: later faults hang from the one that explains them.
func ladder(r assemble.Reading) parts {
	if len(r.Roots) == 0 {
		return nil
	}
	var out parts
	out.add("head", "Where it comes from")
	out.add("text", r.Sentence)
	for _, root := range r.Roots {
		out = append(out, report.Block{Kind: "rung", Text: root.Name, Under: fmt.Sprintf("explains %.0f %% of all that shows", 100*root.Share)})
		depth := map[string]int{root.Fault: 0}
		for _, f := range root.Effects {
			depth[f.Fault] = min(4, depth[f.Via]+1)
			out = append(out, report.Block{Kind: "rung", Text: f.Name, Depth: depth[f.Fault]})
		}
	}
	return out
}

// work is what was chosen to be worked on, with the cautions.
func (s *Server) work(ctx context.Context, e playbook.Event, b store.Bench, r assemble.Reading) (parts, error) {
	var out parts
	held, err := s.openPain(ctx, b.Attempt.AthleteID)
	if err != nil {
		return nil, err
	}
	for _, f := range b.Focuses {
		fault, _ := e.Fault(f.Fault)
		out.add("head", "Work on: "+fault.Name)
		if f.Why != "" {
			out.add("text", f.Why)
		}
		for _, g := range b.Assignments {
			if g.Fault != f.Fault {
				continue
			}
			it := assigned(e, r, g)
			out.add("cue", it.Words)
			out.pair("Drill", strings.TrimSuffix(it.Drill+", "+it.Dose, ", "))
			out.pair("Then", it.Growth)
			out.pair("Next clip shows", it.Show)
			out.pair("Film again on", it.Refilm)
		}
	}
	out.add("head", "Take care")
	if held != "" {
		out.add("care", held+".")
	}
	for _, c := range e.Care {
		out.add("care", c)
	}
	return out, nil
}

// changeSheet is the report of what became of a cue from one attempt to another.
func (s *Server) changeSheet(ctx context.Context, who store.Account, id, of uuid.UUID, fault string) (report.Sheet, error) {
	var out report.Sheet
	after, err := s.Store.Bench(ctx, who.ID, id)
	if err != nil {
		return out, err
	}
	before, err := s.Store.Bench(ctx, who.ID, of)
	if err != nil {
		return out, err
	}
	if before.Attempt.AthleteID != after.Attempt.AthleteID || before.Attempt.Event != after.Attempt.Event {
		return out, store.Invalid("two attempts of one athlete at one event can be compared")
	}
	r, e, err := s.readAs(ctx, who.ID, after)
	if err != nil {
		return out, err
	}
	i := slices.IndexFunc(r.FollowUps, func(f assemble.FollowUp) bool { return f.Of == of && (fault == "" || f.Fault == fault) })
	if i < 0 {
		return out, store.Invalid("the earlier attempt has no assignment that this one follows")
	}
	f := r.FollowUps[i]
	out.Title, out.Under, out.Foot = after.Athlete.Name, fmt.Sprintf("%s: %s and %s", e.Name, day(before.Attempt.Day), day(after.Attempt.Day)), s.foot(who)
	var list parts
	list.add("head", "What was asked")
	list.add("cue", f.Words)
	list.pair("For", f.Name)
	list.add("head", "What the next clip shows")
	tone := map[coach.Outcome]string{coach.Changed: "in", coach.NoChange: "near", coach.Misread: "out", coach.Worse: "out"}[f.Outcome]
	list = append(list, report.Block{Kind: "bullet", Text: f.Says + ".", Tone: tone})
	if f.Holds {
		list = append(list, report.Block{Kind: "bullet", Text: "The limit is kept.", Tone: "in"})
	}
	if f.Aim != nil {
		_, keyID, _ := strings.Cut(f.Aim.Key, "@")
		if _, both := before.Stamps[keyID]; both {
			if _, too := after.Stamps[keyID]; too {
				list = append(list, report.Block{Kind: "pictures", Pictures: []report.Picture{
					{Src: poseSrc(of, keyID), Caption: "Before, " + day(before.Attempt.Day)}, {Src: poseSrc(id, keyID), Caption: "After, " + day(after.Attempt.Day)}}})
			}
		}
		for _, shift := range []*coach.Shift{f.Aim, f.Watched} {
			if shift == nil {
				continue
			}
			list = append(list, beforeAndAfter(e, r, *shift, s.limit(ctx, before, f, shift))...)
		}
	}
	if kept := slices.IndexFunc(after.FollowUps, func(k breakdown.FollowUp) bool { return k.Of == of.String() && k.Fault == f.Fault }); kept >= 0 {
		list.pair("Kept as", after.FollowUps[kept].Outcome)
	}
	if o := slices.IndexFunc(r.Options, func(o assemble.Option) bool { return o.Fault == f.Fault }); o >= 0 && f.Outcome != coach.Changed && len(r.Options[o].Cues) > 0 {
		list.add("head", "Next cue")
		list.add("cue", r.Options[o].Cues[0].Text)
		list.add("soft", r.Options[o].Cues[0].Why)
	}
	list.add("head", "Take care")
	for _, c := range e.Care {
		list.add("care", c)
	}
	out.Blocks = list
	return out, nil
}

// limit is the edge that a focus was to reach, where the measure has no band of
// its own.
func (s *Server) limit(ctx context.Context, before store.Bench, f assemble.FollowUp, shift *coach.Shift) *playbook.Band {
	if shift != f.Aim {
		return nil
	}
	data, err := s.Store.LatestReading(ctx, before.Attempt.ID)
	if err != nil {
		return nil
	}
	aim, ok := assemble.AimOf(data, f.Fault)
	if !ok || aim.Key != shift.Key {
		return nil
	}
	if aim.Direction == "lower" {
		return &playbook.Band{High: &aim.Target}
	}
	return &playbook.Band{Low: &aim.Target}
}

// beforeAndAfter are a measure's values before and after on one scale, held against its
// band, else against the limit of the focus.
func beforeAndAfter(e playbook.Event, r assemble.Reading, shift coach.Shift, limit *playbook.Band) parts {
	v := judge.Judged{Verdict: judge.NoBand}
	if at := slices.IndexFunc(r.Values, func(v judge.Judged) bool { return v.Key == shift.Key }); at >= 0 {
		v = r.Values[at]
	}
	if v.Band == nil && limit != nil {
		v.Band, v.Aim = limit, judge.Text(*limit, v.Unit)
	}
	m, _ := e.Measure(v.Measure)
	var out parts
	for _, side := range []struct {
		name     string
		value, u float64
	}{{"before", shift.Before, shift.UBefore}, {"after", shift.After, shift.UAfter}} {
		v.Value.Value, v.U, v.Name = side.value, side.u, shift.Name+" "+side.name
		if v.Band != nil {
			v.Verdict = judge.Of(side.value, side.u, *v.Band, m.Resolve, 0)
		}
		g := gauge(e, v, shift.Before-2*shift.UBefore, shift.Before+2*shift.UBefore, shift.After-2*shift.UAfter, shift.After+2*shift.UAfter)
		out = append(out, report.Block{Kind: "gauge", Gauge: &g})
	}
	return out
}

// seasonSheet is the report of an athlete's season.
func (s *Server) seasonSheet(ctx context.Context, who store.Account, id uuid.UUID, from, to time.Time) (report.Sheet, error) {
	var out report.Sheet
	a, err := s.Store.AthleteOf(ctx, who.ID, id)
	if err != nil {
		return out, err
	}
	if to.Before(from) {
		return out, store.Invalid("a season ends after it begins")
	}
	out.Title, out.Foot = a.Name, s.foot(who)
	out.Under = fmt.Sprintf("Season from %s to %s · %s, %s", day(from), day(to), s.athlete(a).Group, a.Level)
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
	books := map[string]playbook.Event{}
	for i, g := range asked {
		e, kept := books[g.Event]
		if !kept {
			if e, err = s.clubPlaybook(ctx, who.ID, g.Event); err != nil {
				return out, err
			}
			books[g.Event] = e
		}
		f := assemble.OpenOf(e, g, since[i], s.Now())
		list.add("cue", f.Words)
		list.pair("For", fmt.Sprintf("%s, %s, since %s", f.Name, strings.ToLower(e.Name), day(g.Day)))
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
		list.pair(one.Target, fmt.Sprintf("%s by %s: %s", one.Name, day(g.By), one.Trend.Says))
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
		says := fmt.Sprintf("%s, noted %s", coach.Where(n.Region, n.Side), day(n.Noted))
		if n.Cleared != nil {
			says += fmt.Sprintf(", cleared %s by %s", day(*n.Cleared), n.ClearedBy)
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
func (s *Server) markCharts(marks []store.ResultRow, from, to time.Time) parts {
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
	out := report.Block{Kind: "chart", Text: title, Ends: []string{day(from), day(to), say(bottom), say(top)}}
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
	return parts{chart(over.Name+" at "+strings.ToLower(over.KeyId), list, from, to, over.Low, over.High, func(v float64) string { return coach.Number(v, over.Unit) })}, nil
}

// sessionSheet is the summary of a session.
func (s *Server) sessionSheet(ctx context.Context, who store.Account, id uuid.UUID) (report.Sheet, error) {
	var out report.Sheet
	p, err := s.sessionPage(ctx, who.ID, id)
	if err != nil {
		return out, err
	}
	e, err := s.Store.Session(ctx, who.ID, id)
	if err != nil {
		return out, err
	}
	out.Title, out.Foot = e.Place+", "+day(e.Day), s.foot(who)
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
		athletes = append(athletes, one.AthleteId)
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
			if g.AthleteID == one.AthleteId && g.Event == one.Event {
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

// print sends a sheet as PDF, with its pictures.
func (s *Server) print(c *echo.Context, sheet report.Sheet, err error, paper string, name string) error {
	if err != nil {
		return err
	}
	for i := range sheet.Blocks {
		for j := range sheet.Blocks[i].Pictures {
			p := &sheet.Blocks[i].Pictures[j]
			id, keyID, ok := strings.Cut(strings.TrimPrefix(p.Src, "/api/attempts/"), "/pose.png?keyId=")
			if !ok {
				continue
			}
			if p.Data, err = s.pose(c.Request().Context(), me(c).ID, uuid.MustParse(id), strings.ReplaceAll(keyID, "%23", "#")); err != nil {
				return err
			}
		}
	}
	size := report.A4
	if paper == "letter" {
		size = report.Letter
	}
	var pdf bytes.Buffer
	if err := sheet.Print(&pdf, size); err != nil {
		return err
	}
	c.Response().Header().Set("Content-Disposition", fmt.Sprintf(`inline; filename="%s.pdf"`, name))
	return c.Blob(http.StatusOK, "application/pdf", pdf.Bytes())
}

func deref[T ~string](p *T) string {
	if p == nil {
		return ""
	}
	return string(*p)
}

func (s *Server) show(c *echo.Context, sheet report.Sheet, err error) error {
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, sheet)
}

func (s *Server) ofAttempt(c *echo.Context, id uuid.UUID, of *uuid.UUID, fault *string) (report.Sheet, error) {
	if of != nil {
		return s.changeSheet(c.Request().Context(), me(c), id, *of, deref(fault))
	}
	return s.attemptSheet(c.Request().Context(), me(c), id)
}

// GetReport sends the report of an attempt, or of a change.
func (s *Server) GetReport(c *echo.Context, id uuid.UUID, params GetReportParams) error {
	sheet, err := s.ofAttempt(c, id, params.Of, params.Fault)
	return s.show(c, sheet, err)
}

// GetReportPdf prints it.
func (s *Server) GetReportPdf(c *echo.Context, id uuid.UUID, params GetReportPdfParams) error {
	sheet, err := s.ofAttempt(c, id, params.Of, params.Fault)
	return s.print(c, sheet, err, deref(params.Paper), "report")
}

// seasonOf is a year back from a day, unless it is said otherwise.
func (s *Server) seasonOf(from, to *types.Date) (time.Time, time.Time) {
	last := s.Now().UTC().Truncate(24 * time.Hour)
	if to != nil {
		last = to.Time
	}
	first := last.AddDate(-1, 0, 0)
	if from != nil {
		first = from.Time
	}
	return first, last
}

// GetSeason sends the report of a season.
func (s *Server) GetSeason(c *echo.Context, id uuid.UUID, params GetSeasonParams) error {
	from, to := s.seasonOf(params.From, params.To)
	sheet, err := s.seasonSheet(c.Request().Context(), me(c), id, from, to)
	return s.show(c, sheet, err)
}

// GetSeasonPdf prints it.
func (s *Server) GetSeasonPdf(c *echo.Context, id uuid.UUID, params GetSeasonPdfParams) error {
	from, to := s.seasonOf(params.From, params.To)
	sheet, err := s.seasonSheet(c.Request().Context(), me(c), id, from, to)
	return s.print(c, sheet, err, deref(params.Paper), "season")
}

// GetSessionReport sends the summary of a session.
func (s *Server) GetSessionReport(c *echo.Context, id uuid.UUID) error {
	sheet, err := s.sessionSheet(c.Request().Context(), me(c), id)
	return s.show(c, sheet, err)
}

// GetSessionReportPdf prints it.
func (s *Server) GetSessionReportPdf(c *echo.Context, id uuid.UUID, params GetSessionReportPdfParams) error {
	sheet, err := s.sessionSheet(c.Request().Context(), me(c), id)
	return s.print(c, sheet, err, deref(params.Paper), "session")
}

// pose is the athlete at a key position with the placed figure. The part of the
// picture is as high as the figure says, so that two attempts stand at one size.
func (s *Server) pose(ctx context.Context, viewer, id uuid.UUID, keyID string) ([]byte, error) {
	b, err := s.Store.Bench(ctx, viewer, id)
	if err != nil {
		return nil, err
	}
	if b.Clip == nil {
		return nil, store.Invalid("add a clip first")
	}
	r, err := s.analysis().Reading(ctx, viewer, b)
	if err != nil {
		return nil, err
	}
	i := slices.IndexFunc(r.Beats, func(x assemble.KeyTime) bool { return x.KeyID == keyID })
	if i < 0 {
		return nil, store.Invalid("this key position is not stamped")
	}
	half := around(b, r.Beats[i].Frame).Dy() / 2
	if px := assemble.PxHeight(b, r); px > 0 {
		half = int(0.75 * px * float64(b.Clip.ShownWidth()) / float64(b.Clip.Width))
	}
	cell, err := s.cell(ctx, viewer, b, r, r.Beats[i], half)
	if err != nil {
		return nil, err
	}
	var png bytes.Buffer
	err = cell.WritePNG(&png)
	return png.Bytes(), err
}

// GetPose sends it.
func (s *Server) GetPose(c *echo.Context, id uuid.UUID, params GetPoseParams) error {
	png, err := s.pose(c.Request().Context(), me(c).ID, id, params.KeyId)
	if err != nil {
		return err
	}
	return c.Blob(http.StatusOK, "image/png", png)
}

// GetFigure sends the placed figure at a key position.
func (s *Server) GetFigure(c *echo.Context, id uuid.UUID, params GetFigureParams) error {
	b, err := s.Store.Bench(c.Request().Context(), me(c).ID, id)
	if err != nil {
		return err
	}
	if b.Clip == nil {
		return store.Invalid("add a clip first")
	}
	r, err := s.reading(c, b)
	if err != nil {
		return err
	}
	scale := 0.0
	if r.Scale != nil {
		scale = r.Scale.PxPerM
	}
	f, err := assemble.FigureAt(s.Playbooks[b.Attempt.Event], b, params.KeyId, scale)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, f)
}
