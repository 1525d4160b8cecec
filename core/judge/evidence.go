package judge

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"neokinema/core/playbook"
)

// State of a fault.
type State string

const (
	Present State = "present"
	Absent  State = "absent"
	Unsure  State = "can't tell"
)

// Sign is one piece of a fault's evidence as it was found.
type Sign struct {
	Key      string  `json:"key,omitempty"` // a value's key
	Look     string  `json:"look,omitempty"`
	Side     string  `json:"side,omitempty"`
	Limit    float64 `json:"limit"` // for this athlete
	State    State   `json:"state"`
	Strength float64 `json:"strength"`
	Says     string  `json:"says"`

	known bool // it has a number
}

// Round is a fault in one turn or stride, or at its one moment.
type Round struct {
	N         int     `json:"n"`  // from 1; 0 for what happens once
	At        string  `json:"at"` // its key position
	State     State   `json:"state"`
	Strength  float64 `json:"strength"`
	Certainty float64 `json:"certainty"`
	Signs     []Sign  `json:"signs"`
}

// Finding is a fault with its evidence weighed: over all turns or strides in
// which it may show.
type Finding struct {
	Fault     string    `json:"fault"`
	Name      string    `json:"name"`
	Says      string    `json:"says"`
	At        string    `json:"at"` // where it is strongest
	State     State     `json:"state"`
	Strength  float64   `json:"strength"`  // 0 to 1: the mean of the rounds in which it is present
	Certainty float64   `json:"certainty"` // evidence seen ÷ evidence wanted
	Signs     []Sign    `json:"signs"`     // of the round where it is strongest
	Rounds    []Round   `json:"rounds"`
	Repeat    string    `json:"repeat,omitempty"` // in 3 turns of 3, growing
	Overruled *Overrule `json:"overruled,omitempty"`
}

// Overrule is the coach's word on a fault; it wins over what was found.
type Overrule struct {
	State State  `json:"state"` // present or absent
	Why   string `json:"why"`
}

// saidSo is the least strength of a fault that the coach says is there.
const saidSo = 0.5

// LookReliability is how often one look by eye is right (common practice: trained
// observers of fast movements agree with a measurement about so often).
const LookReliability = 0.85

// backed reports whether looks that are off may be believed: two agree, or a
// number of the same fault is known and none denies it. One wrong tick invents
// no fault.
func backed(pieces map[string]Sign) bool {
	looks, numbers, denied := 0, 0, false
	for _, s := range pieces {
		switch {
		case s.Look != "" && s.State == Present:
			looks++
		case s.Key != "" && s.State == Absent:
			denied = true
		case s.Key != "" && s.known:
			numbers++
		}
	}
	return looks > 1 || numbers > 0 && !denied
}

// find weighs a fault's evidence, round by round. One measure at several places
// is one piece of it: the strongest of them counts.
func find(e playbook.Event, f playbook.Fault, c Evidence, values map[string]Judged) Finding {
	out := Finding{Fault: f.ID, Name: f.Name, Says: f.Says, State: Unsure}
	for _, r := range rounds(e, f) {
		one := Round{N: r.n, At: r.at, State: Unsure, Signs: []Sign{}}
		pieces := map[string]Sign{}
		for _, ev := range r.evidence {
			s := weigh(e, ev, c, values)
			one.Signs = append(one.Signs, s)
			id, _, _ := strings.Cut(s.Key, "@")
			was, had := pieces[id+s.Look]
			if !had || was.State == Unsure || s.State == Present && s.Strength > was.Strength {
				pieces[id+s.Look] = s
			}
		}
		seen, present := 0, 0
		believed, doubted := backed(pieces), false
		for _, id := range slices.Sorted(maps.Keys(pieces)) {
			s := pieces[id]
			if s.State == Unsure {
				continue
			}
			if s.Look != "" && s.State == Present && !believed {
				doubted = true
				continue
			}
			seen++
			one.Strength += s.Strength
			if s.State == Present {
				present++
			}
		}
		if seen > 0 {
			one.Strength /= float64(seen)
		}
		one.Certainty = float64(seen) / float64(len(pieces))
		switch {
		case present > 0:
			one.State = Present
		case seen > 0 && one.Certainty >= 0.5 && !doubted:
			one.State = Absent
		}
		if doubted {
			for i := range one.Signs {
				if s := &one.Signs[i]; s.Look != "" && s.State == Present {
					s.Says += "; one look alone is not enough: look at a second sign, or measure"
				}
			}
		}
		if one.State != Present {
			one.Strength = 0
		}
		out.Rounds = append(out.Rounds, one)
	}
	if o, ok := c.Overruled[f.ID]; ok {
		out.Overruled = &o
		for i := range out.Rounds {
			r := &out.Rounds[i]
			r.State = o.State
			if o.State == Absent {
				r.Strength = 0
			} else {
				r.Strength = math.Max(r.Strength, saidSo)
			}
		}
	}
	out.merge(e)
	return out
}

// merge tells one finding from its rounds.
func (f *Finding) merge(e playbook.Event) {
	n := map[State]int{}
	best, first, last := 0, -1, -1
	for i, r := range f.Rounds {
		n[r.State]++
		f.Certainty += r.Certainty / float64(len(f.Rounds))
		if r.State == Present {
			f.Strength += r.Strength
			if first < 0 {
				first = i
			}
			last = i
		}
		if b := f.Rounds[best]; r.Strength > b.Strength || b.State != Present && r.Certainty > b.Certainty {
			best = i
		}
	}
	f.At, f.Signs = f.Rounds[best].At, f.Rounds[best].Signs
	switch {
	case n[Present] > 0:
		f.State = Present
		f.Strength /= float64(n[Present])
	case 2*n[Absent] >= len(f.Rounds):
		f.State = Absent
	}
	if f.State != Present || len(f.Rounds) < 2 {
		return
	}
	kind := "round"
	if k, ok := e.Key(f.At); ok && k.Repeats != "" {
		kind = k.Repeats
	}
	f.Repeat = fmt.Sprintf("in %d %ss of %d", n[Present], kind, len(f.Rounds))
	if n[Present] == 1 {
		f.Repeat = fmt.Sprintf("in %s %d of %d", kind, f.Rounds[first].N, len(f.Rounds))
	}
	switch grown := f.Rounds[last].Strength - f.Rounds[first].Strength; {
	case grown > growing:
		f.Repeat += ", growing"
	case grown < -growing:
		f.Repeat += ", fading"
	}
}

// growing is by how much a fault's strength must change from its first round to
// its last to be said to grow.
const growing = 0.15

// round is a fault's evidence in one turn or stride.
type round struct {
	n        int
	at       string
	evidence []playbook.Evidence
}

// rounds writes a fault's evidence out over the turns or strides of an event
// that is written out in a variant. What is not repeated counts in the first
// one, or in the one that it names.
func rounds(e playbook.Event, f playbook.Fault) []round {
	most := 0
	for _, ev := range f.Evidence {
		if ev.Measure != "" {
			most = max(most, e.RoundsOf(ev.Measure))
		}
	}
	if most == 0 {
		at := f.At
		if _, once := e.Key(at); !once {
			at = playbook.Nth(at, 1)
			for _, ev := range f.Evidence {
				if _, n, pinned := strings.Cut(ev.Measure, "#"); pinned {
					at = f.At + "#" + n
				}
			}
		}
		return []round{{at: at, evidence: f.Evidence}}
	}
	out := make([]round, most)
	for i := range out {
		r := round{n: i + 1, at: f.At}
		if _, once := e.Key(f.At); !once {
			r.at = playbook.Nth(f.At, r.n)
		}
		for _, ev := range f.Evidence {
			switch n := e.RoundsOf(ev.Measure); {
			case ev.Look == "" && n >= r.n:
				r.evidence = append(r.evidence, e.InRound(ev, r.n))
			case ev.Look == "" && n > 0:
			case ev.Look != "" && i == 0, ev.Look == "" && (i == 0 && !strings.Contains(ev.Measure, "#") || strings.HasSuffix(ev.Measure, fmt.Sprint("#", r.n))):
				r.evidence = append(r.evidence, ev)
			}
		}
		out[i] = r
	}
	return out
}

func weigh(e playbook.Event, ev playbook.Evidence, c Evidence, values map[string]Judged) Sign {
	if ev.Look != "" {
		l, _ := e.Look(ev.Look)
		s := Sign{Look: ev.Look, State: Unsure, Says: "by eye: not judged yet"}
		switch c.Looks[ev.Look] {
		case "off":
			s.State, s.Strength, s.Says = Present, LookReliability, "by eye: "+l.Off
		case "good":
			s.State, s.Says = Absent, "by eye: "+l.Text
		}
		return s
	}
	limit, full := e.Limits(ev, c.Who)
	v, ok := values[ev.Measure]
	s := Sign{Key: ev.Measure, Side: ev.Side, Limit: limit, State: Unsure}
	if !ok || !v.Known() {
		s.Says = "not measured yet"
		return s
	}
	s.known = true
	beyond := v.Value.Value - limit
	if ev.Side == "low" {
		beyond = -beyond
	}
	s.Says = fmt.Sprintf("%s %s ± %s, limit %s", strings.ToLower(v.Name), format(v.Value.Value, v.Unit), format(2*v.U, v.Unit), format(limit, v.Unit))
	switch {
	case beyond-2*v.U > 0:
		s.State = Present
		s.Strength = math.Min(1, beyond/math.Abs(full-limit))
	case beyond+2*v.U <= 0:
		s.State = Absent
	}
	return s
}
