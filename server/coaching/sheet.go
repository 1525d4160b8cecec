package coaching

import (
	"context"
	"fmt"
	"math"
	"net/url"
	"slices"
	"strings"

	"github.com/google/uuid"

	"neokinema/core/breakdown"
	"neokinema/core/coach"
	"neokinema/core/judge"
	"neokinema/core/playbook"
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
func (s Service) foot(who store.Account) string {
	return strings.Trim(who.Club+" · "+who.Name, " ·") + " · " + Day(s.Now()) + " · ± is two standard uncertainties. Targets guide a conversation; they are no medical advice."
}

// posePicture is an attempt's picture at a key position.
func posePicture(id uuid.UUID, keyID, caption string) report.Picture {
	return report.Picture{Src: fmt.Sprintf("/api/attempts/%s/pose.png?keyId=%s", id, url.QueryEscape(keyID)), Caption: caption, Attempt: id, KeyID: keyID}
}

// Illustrate gives a sheet's pictures their data, for print.
func (s Service) Illustrate(ctx context.Context, viewer uuid.UUID, sheet report.Sheet) error {
	for i := range sheet.Blocks {
		for j := range sheet.Blocks[i].Pictures {
			p := &sheet.Blocks[i].Pictures[j]
			var err error
			if p.Data, err = s.Pose(ctx, viewer, p.Attempt, p.KeyID); err != nil {
				return err
			}
		}
	}
	return nil
}

// gauge is a judged value on its lane, with whatever stands beside it.
func gauge(e playbook.Event, v judge.Judged, beside ...float64) report.Gauge {
	g := report.Gauge{Lane: judge.LaneOf(v.Value.Value, v.U, v.Band, beside...)}
	k, _ := e.Key(v.KeyID)
	g.Name, g.Value, g.Within = v.Name+", "+strings.ToLower(k.Name), coach.Number(v.Value.Value, v.Unit), "± "+coach.Number(2*v.U, v.Unit)
	g.Verdict, g.Aim = string(v.Verdict), v.Aim
	return g
}

// AttemptSheet is the report of one attempt.
func (s Service) AttemptSheet(ctx context.Context, who store.Account, id uuid.UUID) (report.Sheet, error) {
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
	if m := ResultOf(e, b.Attempt); m != nil {
		worth = " · " + strings.TrimSpace(m.Text+" "+m.Foul)
	}
	out.Title, out.Under, out.Foot = b.Athlete.Name, fmt.Sprintf("%s %d · %s · %s%s", e.Name, b.Attempt.Number, Day(b.Attempt.Day), b.Attempt.Place, worth), s.foot(who)
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
	if len(r.KeyTimes) > 0 {
		list.add("head", "Key positions")
		list = append(list, report.Block{Kind: "pictures", Pictures: poses(e, b, r)})
		if len(r.Contacts) > 0 {
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
func (s Service) readAs(ctx context.Context, viewer uuid.UUID, b store.Bench) (assemble.Reading, playbook.Event, error) {
	e, _, err := s.Analysis.Playbook(ctx, viewer, b)
	if err != nil {
		return assemble.Reading{}, e, err
	}
	r, err := s.Analysis.Reading(ctx, viewer, b)
	return r, e, err
}

// poses are pictures of the key positions: first those at which a focus shows,
// then the movement in order.
func poses(e playbook.Event, b store.Bench, r assemble.Reading) []report.Picture {
	beats := slices.Clone(r.KeyTimes)
	slices.SortStableFunc(beats, func(a, b assemble.KeyTime) int { return a.Frame - b.Frame })
	var chosen, rest []assemble.KeyTime
	for _, beat := range beats {
		if slices.ContainsFunc(b.Focuses, func(f breakdown.Focus) bool { return showsAt(r, f.Fault, beat.KeyID) }) {
			chosen = append(chosen, beat)
		} else {
			rest = append(rest, beat)
		}
	}
	chosen = chosen[:min(mostPoses, len(chosen))]
	n := min(mostPoses-len(chosen), len(rest))
	for i := range n {
		at := 0
		if n > 1 {
			at = i * (len(rest) - 1) / (n - 1)
		}
		chosen = append(chosen, rest[at])
	}
	var out []report.Picture
	for _, beat := range chosen {
		k, _ := e.Key(beat.KeyID)
		out = append(out, posePicture(b.Attempt.ID, beat.KeyID, fmt.Sprintf("%s, %s ± %.3f", k.Name, coach.Number(beat.T, "s"), 2*beat.U)))
	}
	return out
}

// showsAt reports whether a fault was found at a key position.
func showsAt(r assemble.Reading, fault, keyID string) bool {
	return slices.ContainsFunc(r.Findings, func(f judge.Finding) bool { return f.Fault == fault && f.At == keyID })
}

func footfall(r assemble.Reading) report.Block {
	out := report.Block{Kind: "score"}
	first, last := math.Inf(1), math.Inf(-1)
	// An open end is drawn as a stub: what is beyond it nobody stamped.
	const stub = 0.06
	list := slices.Clone(r.Contacts)
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
		one := report.ContactBar{From: (n.Start - first) / span, To: (n.End - first) / span}
		if n.Foot == "rear" {
			one.Line = 1
		}
		if n.Value != nil && n.U != nil {
			one.Says = fmt.Sprintf("%.0f ± %.0f ms", 1000**n.Value, 2000**n.U)
		}
		out.Contacts = append(out.Contacts, one)
	}
	out.Ends = []string{coach.Number(first, "s"), coach.Number(last, "s")}
	return out
}

// measures are the judged values: all that are out, near, then in, as far as
// there is room, in the order of the movement.
func measures(e playbook.Event, r assemble.Reading) parts {
	var shown []judge.Judged
	unsure, unconfirmed := 0, 0
	for _, want := range []judge.Verdict{judge.Out, judge.Near, judge.In} {
		for _, v := range r.Values {
			if v.Known() && !v.Unconfirmed && v.Verdict == want && len(shown) < mostGauges {
				shown = append(shown, v)
			}
		}
	}
	for _, v := range r.Values {
		switch {
		case v.Known() && v.Unconfirmed:
			unconfirmed++
		case v.Known() && v.Verdict == judge.CantTell:
			unsure++
		}
	}
	if len(shown) == 0 && unsure == 0 && unconfirmed == 0 {
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
	if unconfirmed > 0 {
		out.add("soft", fmt.Sprintf("%d more rest on points that the server found and nobody has confirmed.", unconfirmed))
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
func (s Service) work(ctx context.Context, e playbook.Event, b store.Bench, r assemble.Reading) (parts, error) {
	var out parts
	held, err := s.OpenPain(ctx, b.Attempt.AthleteID)
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

// ChangeSheet is the report of what became of a cue from one attempt to another.
func (s Service) ChangeSheet(ctx context.Context, who store.Account, id, of uuid.UUID, fault string) (report.Sheet, error) {
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
	out.Title, out.Under, out.Foot = after.Athlete.Name, fmt.Sprintf("%s: %s and %s", e.Name, Day(before.Attempt.Day), Day(after.Attempt.Day)), s.foot(who)
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
					posePicture(of, keyID, "Before, "+Day(before.Attempt.Day)), posePicture(id, keyID, "After, "+Day(after.Attempt.Day))}})
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
func (s Service) limit(ctx context.Context, before store.Bench, f assemble.FollowUp, shift *coach.Shift) *playbook.Band {
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
