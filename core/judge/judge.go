package judge

import (
	"fmt"
	"math"
	"sort"
	"strings"

	"neokinema/core/measure"
	"neokinema/core/playbook"
)

// State of a fault.
type State string

const (
	Present State = "present"
	Absent  State = "absent"
	Unsure  State = "can't tell"
)

// Looks are the coach's eye judgements: look-for id → good, off or can't see.
type Looks map[string]string

// Judged is a value with its verdict and the band it was held against.
type Judged struct {
	measure.Value
	Verdict Verdict        `json:"verdict"`
	Band    *playbook.Band `json:"band,omitempty"`
	Aim     string         `json:"aim,omitempty"` // the band in words
	Why     string         `json:"why,omitempty"` // what would settle it
}

// Sign is one piece of a fault's evidence as it was found.
type Sign struct {
	Key      string  `json:"key,omitempty"` // a value's key
	Look     string  `json:"look,omitempty"`
	State    State   `json:"state"`
	Strength float64 `json:"strength"`
	Says     string  `json:"says"`
}

// Finding is a fault with its evidence weighed.
type Finding struct {
	Fault     string  `json:"fault"`
	Name      string  `json:"name"`
	Says      string  `json:"says"`
	At        string  `json:"at"`
	State     State   `json:"state"`
	Strength  float64 `json:"strength"`  // 0 to 1
	Certainty float64 `json:"certainty"` // evidence seen ÷ evidence wanted
	Signs     []Sign  `json:"signs"`
}

// Reading is all that the app makes of an attempt before the coach decides.
type Reading struct {
	Values   []Judged  `json:"values"`
	Findings []Finding `json:"findings"`
	Roots    []Root    `json:"roots"`
	Praise   []string  `json:"praise"`
	Sentence string    `json:"sentence"`
}

// Read judges an attempt's values and look-fors by its playbook.
func Read(e playbook.Event, who playbook.Who, values []measure.Value, looks Looks) Reading {
	r := Reading{Values: make([]Judged, len(values)), Findings: make([]Finding, 0, len(e.Faults))}
	byKey := map[string]Judged{}
	for i, v := range values {
		r.Values[i] = verdict(e, who, v)
		byKey[v.Key] = r.Values[i]
	}
	for _, f := range e.Faults {
		r.Findings = append(r.Findings, find(e, f, byKey, looks))
	}
	r.Roots = Explain(e, r.Findings)
	r.Praise = praise(e, r.Values, looks)
	r.Sentence = sentence(r)
	return r
}

func verdict(e playbook.Event, who playbook.Who, v measure.Value) Judged {
	j := Judged{Value: v, Verdict: NoBand}
	m, _ := e.Measure(v.Measure)
	b, ok := m.BandAt(v.Place, who)
	if ok {
		j.Band, j.Aim = &b, Text(b, v.Unit)
	}
	switch {
	case !v.Known():
		j.Verdict = Missing
	case ok:
		j.Verdict = Of(v.Value, v.U, b, m.Resolve, v.Step)
		if j.Verdict == CantTell {
			j.Why = Settles(v.U, v.Step, v.Unit, b, m.Resolve)
		}
	}
	return j
}

func find(e playbook.Event, f playbook.Fault, values map[string]Judged, looks Looks) Finding {
	out := Finding{Fault: f.ID, Name: f.Name, Says: f.Says, At: f.At, State: Unsure}
	seen, present := 0, 0
	for _, ev := range f.Evidence {
		s := weigh(e, ev, values, looks)
		out.Signs = append(out.Signs, s)
		if s.State == Unsure {
			continue
		}
		seen++
		out.Strength += s.Strength
		if s.State == Present {
			present++
		}
	}
	if seen > 0 {
		out.Strength /= float64(seen)
	}
	out.Certainty = float64(seen) / float64(len(f.Evidence))
	switch {
	case present > 0:
		out.State = Present
	case seen == len(f.Evidence), seen > 0 && out.Certainty >= 0.5:
		out.State = Absent
	}
	if out.State != Present {
		out.Strength = 0
	}
	return out
}

func weigh(e playbook.Event, ev playbook.Evidence, values map[string]Judged, looks Looks) Sign {
	if ev.Look != "" {
		l, _ := e.Look(ev.Look)
		s := Sign{Look: ev.Look, State: Unsure, Says: "by eye: not judged yet"}
		switch looks[ev.Look] {
		case "off":
			s.State, s.Strength, s.Says = Present, 1, "by eye: "+l.Off
		case "good":
			s.State, s.Says = Absent, "by eye: "+l.Text
		}
		return s
	}
	v, ok := values[ev.Measure]
	s := Sign{Key: ev.Measure, State: Unsure}
	if !ok || !v.Known() {
		s.Says = "not measured yet"
		return s
	}
	beyond := v.Value.Value - ev.Limit
	if ev.Side == "low" {
		beyond = -beyond
	}
	s.Says = fmt.Sprintf("%s %s ± %s, limit %s", strings.ToLower(v.Name), format(v.Value.Value, v.Unit), format(2*v.U, v.Unit), format(ev.Limit, v.Unit))
	switch {
	case beyond-2*v.U > 0:
		s.State = Present
		s.Strength = math.Min(1, beyond/math.Abs(ev.Full-ev.Limit))
	case beyond+2*v.U <= 0:
		s.State = Absent
	}
	return s
}

// praise is the two verdicts deepest inside their bands, then what the coach
// saw as good.
func praise(e playbook.Event, values []Judged, looks Looks) []string {
	type good struct {
		depth float64
		says  string
	}
	var found []good
	for _, v := range values {
		if v.Verdict != In {
			continue
		}
		d := depth(v)
		k, _ := e.Key(v.Place)
		found = append(found, good{d, fmt.Sprintf("%s at %s: %s ± %s, inside %s", v.Name, k.Name,
			format(v.Value.Value, v.Unit), format(2*v.U, v.Unit), v.Aim)})
	}
	sort.SliceStable(found, func(i, j int) bool { return found[i].depth > found[j].depth })
	out := []string{}
	for _, g := range found[:min(2, len(found))] {
		out = append(out, g.says)
	}
	for _, l := range e.Looks {
		if looks[l.ID] == "good" && len(out) < 3 {
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
