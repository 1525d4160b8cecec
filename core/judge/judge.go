package judge

import (
	"fmt"
	"math"
	"sort"

	"neokinema/core/measure"
	"neokinema/core/playbook"
)

// Looks are the coach's eye judgements: look-for id → good, off or can't see.
type Looks map[string]string

// Evidence is what is judged: an attempt's values, what the coach saw and said, and
// what is known of the athlete.
type Evidence struct {
	Who       playbook.Who
	Values    []measure.Value
	Looks     Looks
	Overruled map[string]Overrule      // by fault
	Own       map[string]OwnRange      // the athlete's own best attempts, by value
	Last      map[string]measure.Value // the attempt before, by value
	Unseen    []string                 // key positions that are not in this film
}

// OwnRange is what an athlete's own best attempts show of a value: their mean, its
// standard uncertainty with their spread, and how many there are.
type OwnRange struct {
	Value float64 `json:"value"`
	U     float64 `json:"u"`
	N     int     `json:"n"`
}

// Judged is a value with its verdict and the band it was held against.
type Judged struct {
	measure.Value
	Verdict Verdict        `json:"verdict"`
	Band    *playbook.Band `json:"band,omitempty"`
	Aim     string         `json:"aim,omitempty"`     // the band in words
	Why     string         `json:"why,omitempty"`     // what would settle it
	Own     *OwnRange      `json:"own,omitempty"`     // the athlete's own best
	Beside  string         `json:"beside,omitempty"`  // against the own best, in words
	OwnBand *playbook.Band `json:"ownBand,omitempty"` // what the own best would make of the band
	Lane    *Lane          `json:"lane,omitempty"`    // of a known value that has a band
}

// Reading is all that the app makes of an attempt before the coach decides.
type Reading struct {
	Values   []Judged  `json:"values"`
	Findings []Finding `json:"findings"`
	Roots    []Root    `json:"roots"`
	Focuses  []Focus   `json:"focuses"` // proposed, two at most
	Praise   []string  `json:"praise"`
	Sentence string    `json:"sentence"`

	Known     int      `json:"known"`     // measures that have a number
	Lacking   []Remedy `json:"lacking"`   // what the others wait for on this film
	Elsewhere []Remedy `json:"elsewhere"` // and what it never shows
}

// Read judges an attempt by its playbook, written out in the attempt's variant.
func Read(e playbook.Event, c Evidence) Reading {
	r := Reading{Values: make([]Judged, len(c.Values)), Findings: make([]Finding, 0, len(e.Faults))}
	byKey := map[string]Judged{}
	for i, v := range c.Values {
		r.Values[i] = c.verdict(e, v)
		byKey[v.Key] = r.Values[i]
	}
	for _, f := range e.Faults {
		r.Findings = append(r.Findings, find(e, f, c, byKey))
	}
	r.Lacking, r.Elsewhere = Lacking(r.Values, c.Unseen)
	for _, v := range r.Values {
		if v.Known() {
			r.Known++
		}
	}
	r.Roots = Explain(e, r.Findings)
	r.Focuses = propose(e, r)
	r.Praise = c.praise(e, r.Values)
	r.Sentence = sentence(r)
	return r
}

func (c Evidence) verdict(e playbook.Event, v measure.Value) Judged {
	j := Judged{Value: v, Verdict: NoBand}
	m, _ := e.Measure(v.Measure)
	b, ok := m.BandAt(v.KeyID, c.Who)
	if ok {
		j.Band, j.Aim = &b, Text(b, v.Unit)
	}
	switch {
	case !v.Known():
		j.Verdict = Missing
	case ok:
		lane := LaneOf(v.Value, v.U, &b)
		j.Lane, j.Verdict = &lane, Of(v.Value, v.U, b, m.Resolve, v.Step)
		if j.Verdict == CantTell {
			j.Why = Settles(v.U, v.Step, v.Unit, b, m.Resolve)
		}
	}
	if own, has := c.Own[v.Key]; has && v.Known() {
		j.Own, j.Beside = &own, own.beside(v)
		if ok && own.N >= leastOwn {
			r := own.Range(b)
			j.OwnBand = &r
		}
	}
	return j
}

// leastOwn is how many best attempts make a range.
const leastOwn = 2

// Range is a band drawn round the athlete's own best attempts: their mean within
// twice their spread, on the sides on which the band has an edge. It is for the
// same place, level, sex, school and variant.
func (o OwnRange) Range(b playbook.Band) playbook.Band {
	reach := 2 * o.U * math.Sqrt(float64(o.N))
	edge := func(was *float64, v float64) *float64 {
		if was == nil {
			return nil
		}
		return &v
	}
	b.Low, b.High = edge(b.Low, o.Value-reach), edge(b.High, o.Value+reach)
	b.Aim, b.Class, b.Source = nil, "C", fmt.Sprintf("own best of %d attempts", o.N)
	return b
}

// beside says how a value stands to the athlete's own best.
func (o OwnRange) beside(v measure.Value) string {
	d, u := v.Value-o.Value, math.Sqrt(v.U*v.U+o.U*o.U-2*SameFilm*v.U*o.U)
	best := fmt.Sprintf("own best of %d, %s ± %s", o.N, format(o.Value, v.Unit), format(2*o.U, v.Unit))
	switch {
	case d > 2*u:
		return "higher than the " + best
	case d < -2*u:
		return "lower than the " + best
	}
	return "as in the " + best
}

// SameFilm is the correlation of the joint-centre error between two clips of one
// athlete.
const SameFilm = 0.5

// praise is what came into its band since the attempt before, then the verdicts
// deepest inside their bands, two together, then what the coach saw as good.
func (c Evidence) praise(e playbook.Event, values []Judged) []string {
	type good struct {
		gained bool
		depth  float64
		says   string
	}
	var found []good
	for _, v := range values {
		if v.Verdict != In || v.Unconfirmed {
			continue
		}
		k, _ := e.Key(v.KeyID)
		g := good{depth: depth(v), says: fmt.Sprintf("%s at %s: %s ± %s, inside %s", v.Name, k.Name,
			format(v.Value.Value, v.Unit), format(2*v.U, v.Unit), v.Aim)}
		if last, ok := c.Last[v.Key]; ok && last.Known() {
			m, _ := e.Measure(v.Measure)
			u := math.Sqrt(v.U*v.U + last.U*last.U - 2*SameFilm*v.U*last.U)
			if Of(last.Value, last.U, *v.Band, m.Resolve, last.Step) == Out && math.Abs(v.Value.Value-last.Value) > 2*u {
				g.gained = true
				g.says = fmt.Sprintf("%s at %s came into its band: from %s ± %s to %s ± %s", v.Name, k.Name, format(last.Value, v.Unit), format(2*last.U, v.Unit), format(v.Value.Value, v.Unit), format(2*v.U, v.Unit))
			}
		}
		found = append(found, g)
	}
	sort.SliceStable(found, func(i, j int) bool {
		if found[i].gained != found[j].gained {
			return found[i].gained
		}
		return found[i].depth > found[j].depth
	})
	out := []string{}
	for _, g := range found[:min(2, len(found))] {
		out = append(out, g.says)
	}
	for _, l := range e.Looks {
		if c.Looks[l.ID] == "good" && len(out) < 3 {
			out = append(out, l.Text)
		}
	}
	return out
}

// depth is how far inside its band a value lies, in units of its ±.
func depth(v Judged) float64 {
	d := math.Inf(1)
	if v.Band.Low != nil {
		d = math.Min(d, v.Value.Value-*v.Band.Low)
	}
	if v.Band.High != nil {
		d = math.Min(d, *v.Band.High-v.Value.Value)
	}
	return d / math.Max(v.U, 1e-9)
}
