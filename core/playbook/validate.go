package playbook

import (
	"fmt"
	"regexp"
	"slices"
	"sort"
	"strings"

	"neokinema/core/result"
)

// Problem is something wrong with a playbook. Path leads to it, as in
// "faults[2].evidence[0].measure"; Remedy says what to do.
type Problem struct{ Path, What, Remedy string }

func (p Problem) Error() string { return fmt.Sprintf("%s: %s: %s", p.Path, p.What, p.Remedy) }

var kebab = regexp.MustCompile(`^[a-z][a-z0-9]*(-[a-z0-9]+)*$`)

// Takes is what a kind of measure reads: points, stamps before and after the place
// at which it is taken, and the units in which its value may be given.
type Takes struct {
	LeastPoints, MostPoints int
	Back, On                int
	Units                   []string
}

// Validate finds everything wrong with an event. Kinds are the measure kinds
// that core/measure knows, and what each of them takes.
func (e Event) Validate(kinds map[string]Takes) []Problem {
	v := validator{keys: set(e.Keys, func(k Key) string { return k.ID })}
	v.ids(e)
	if e.Mark.Kind != "" {
		v.one("mark.kind", string(e.Mark.Kind), string(result.Distance), string(result.Height), string(result.Time))
		if e.Mark.Most <= 0 {
			v.add("mark.most", "is missing", "say the most that is believed, in m or s")
		}
	}
	for sex, groups := range e.Implements {
		v.one("implements", sex, "man", "woman")
		for group, kg := range groups {
			v.one("implements."+sex, group, AgeGroups()...)
			if !(kg > 0 && kg < 30) {
				v.add("implements."+sex, fmt.Sprintf("says %g kg for %s", kg, group), "give the mass in kg, above 0 and below 30")
			}
		}
	}
	if s := e.Shaft; s != nil {
		for _, sex := range []string{"man", "woman"} {
			if s.Ahead[sex] <= 0 || s.Behind[sex] <= 0 || s.Fastest <= 0 {
				v.add("shaft", "is not whole", "give ahead and behind for man and woman, in m, and fastest, in m/s")
				break
			}
		}
	}
	if b := e.Ball; b != nil {
		for _, q := range []struct {
			name      string
			is, below float64
		}{{"radius", b.Radius, 0.5}, {"reach", b.Reach, 3}, {"pull", b.Pull, 5000}, {"fastest", b.Fastest, 200}} {
			if !(q.is > 0 && q.is < q.below) {
				v.add("ball."+q.name, fmt.Sprintf("is %g", q.is), fmt.Sprintf("give it in metres and seconds, above 0 and below %g", q.below))
			}
		}
	}
	v.sides(e)
	for i, k := range e.Keys {
		at := fmt.Sprintf("keys[%d]", i)
		v.one(at+".nature", k.Nature, "still", "change", "contact", "onset")
		for j, a := range k.After {
			v.known(fmt.Sprintf("%s.after[%d]", at, j), a, v.keys, "a key position")
		}
		for _, r := range []string{k.Lands, k.Lifts, k.Stance} {
			if r != "" {
				v.known(at, r, set(e.Roles, func(r Role) string { return r.ID }), "a role")
			}
		}
		v.repeats(at, e, k)
	}
	v.acyclic("keys", after(e.Keys))
	for i, p := range e.Phases {
		v.known(fmt.Sprintf("phases[%d].from", i), p.From, v.keys, "a key position")
		v.known(fmt.Sprintf("phases[%d].to", i), p.To, v.keys, "a key position")
	}
	measured := map[string]bool{}
	for i, m := range e.Measures {
		at := fmt.Sprintf("measures[%d]", i)
		v.one(at+".kind", m.Kind, sorted(kinds)...)
		if takes, ok := kinds[m.Kind]; ok {
			v.takes(at, e, m, takes)
		}
		if len(m.At) == 0 {
			v.add(at+".at", "is empty", "name the key positions at which it is taken")
		}
		for j, p := range m.At {
			v.known(fmt.Sprintf("%s.at[%d]", at, j), p, v.keys, "a key position")
			for _, keyID := range e.expandedIDs(p) {
				measured[m.ID+"@"+keyID] = true
			}
		}
		for j, p := range m.Seen {
			v.known(fmt.Sprintf("%s.seen[%d]", at, j), p, set(m.At, func(p string) string { return p }), "one of the measure's places")
		}
		for j, s := range m.Stamps {
			first, second, between := Between(s)
			v.known(fmt.Sprintf("%s.stamps[%d]", at, j), first, v.keys, "a key position")
			if between {
				v.known(fmt.Sprintf("%s.stamps[%d]", at, j), second, v.keys, "a key position")
			}
		}
		if m.Base != "" {
			v.one(at+".base", m.Base, "trunk", "leg", "height", "thigh", "shank", "hips", "shoulders", "arm", "arm-implement")
		}
		for _, id := range m.Variants {
			v.known(at+".variants", id, set(e.Variants, func(v Variant) string { return v.ID }), "a variant")
		}
		if len(m.Views) > 0 && !slices.ContainsFunc(m.Views, func(view string) bool { return view == "pair" || view == "known" || slices.Contains(e.Views, view) }) {
			v.add(at+".views", "are none of the event's: no film can carry it", "add one of "+strings.Join(e.Views, ", ")+", or pair for two films")
		}
		for j, b := range m.Bands {
			v.band(fmt.Sprintf("%s.bands[%d]", at, j), b, m, e)
		}
	}
	for i, l := range e.Looks {
		v.known(fmt.Sprintf("looks[%d].at", i), l.At, v.keys, "a key position")
		if l.Text == "" || l.Off == "" {
			v.add(fmt.Sprintf("looks[%d]", i), "does not say what is seen", "give text for good and off for not")
		}
	}
	if len(e.Watch) != passes {
		v.add("watch", fmt.Sprintf("has %d passes", len(e.Watch)), "say what to look for at real speed, slow, step by step and slow again")
	}
	v.chain(e, measured)
	return v.problems
}

// takes reports a measure that does not give its kind what it reads.
func (v *validator) takes(at string, e Event, m Measure, t Takes) {
	if n := len(m.Points); n < t.LeastPoints || n > t.MostPoints {
		want := fmt.Sprint(t.LeastPoints)
		if t.MostPoints > t.LeastPoints {
			want += fmt.Sprintf(" to %d", t.MostPoints)
		}
		v.add(at+".points", fmt.Sprintf("has %d points", n), fmt.Sprintf("%q takes %s", m.Kind, want))
	}
	if !slices.Contains(t.Units, m.Unit) {
		v.add(at+".unit", fmt.Sprintf("%q is not a unit of %q", m.Unit, m.Kind), fmt.Sprintf("use one of %q", t.Units))
	}
	if t.Back+t.On == 0 {
		return
	}
	repeated := slices.ContainsFunc(m.Stamps, func(id string) bool { k, _ := e.Key(id); return k.Repeats != "" }) // written out, it has more
	if n := t.Back + 1 + t.On; len(m.Stamps) < n && !repeated {
		v.add(at+".stamps", fmt.Sprintf("has %d key positions", len(m.Stamps)), fmt.Sprintf("%q reaches over %d or more, its own among them", m.Kind, n))
		return
	}
	for j, p := range m.At {
		if !slices.Contains(m.Stamps, p) {
			v.add(fmt.Sprintf("%s.at[%d]", at, j), fmt.Sprintf("%q is not among the measure's stamps", p), "add it to stamps, in its order")
		}
	}
}

// passes is how often a film is watched: real, slow, step by step, slow again.
const passes = 4

type validator struct {
	problems []Problem
	keys     map[string]bool
}

func (v *validator) add(path, what, remedy string) {
	v.problems = append(v.problems, Problem{path, what, remedy})
}

func (v *validator) known(path, id string, ids map[string]bool, kind string) {
	if !ids[id] {
		v.add(path, fmt.Sprintf("%q is not %s", id, kind), "use an id of this file or add it")
	}
}

func (v *validator) one(path, got string, of ...string) {
	if !slices.Contains(of, got) {
		v.add(path, fmt.Sprintf("%q is unknown", got), "use one of "+strings.Join(of, ", "))
	}
}

func (v *validator) ids(e Event) {
	check := func(list string, ids []string) {
		seen := map[string]bool{}
		for i, id := range ids {
			at := fmt.Sprintf("%s[%d].id", list, i)
			if !kebab.MatchString(id) {
				v.add(at, fmt.Sprintf("%q is not an id", id), "use lower case words joined by hyphens")
			}
			if seen[id] {
				v.add(at, fmt.Sprintf("%q stands twice", id), "give each its own id")
			}
			seen[id] = true
		}
	}
	check("keys", ids(e.Keys, func(k Key) string { return k.ID }))
	check("phases", ids(e.Phases, func(p Phase) string { return p.ID }))
	check("measures", ids(e.Measures, func(m Measure) string { return m.ID }))
	check("looks", ids(e.Looks, func(l Look) string { return l.ID }))
	check("cues", ids(e.Cues, func(c Cue) string { return c.ID }))
	check("drills", ids(e.Drills, func(d Drill) string { return d.ID }))
	nodes := ids(e.Faults, func(f Fault) string { return f.ID })
	check("faults", append(nodes, ids(e.Nodes, func(n Cause) string { return n.ID })...))
}

func (v *validator) band(path string, b Band, m Measure, e Event) {
	v.one(path+".class", string(b.Class), string(Published), string(Common))
	if b.Class == Published && b.Source == "" {
		v.add(path+".source", "is missing", "a published target names its source")
	}
	if b.Low == nil && b.High == nil {
		v.add(path, "has neither low nor high", "give one or both")
	}
	if b.Low != nil && b.High != nil && *b.Low >= *b.High {
		v.add(path, "low is not below high", "swap or widen them")
	}
	if b.School != "" {
		v.known(path+".school", b.School, set(e.Schools, func(s School) string { return s.ID }), "a school")
	}
	if b.Variant != "" {
		v.known(path+".variant", b.Variant, set(e.Variants, func(v Variant) string { return v.ID }), "a variant")
	}
	if base, _, _ := strings.Cut(b.At, "#"); b.At != "" && !slices.Contains(m.At, base) {
		v.add(path+".at", fmt.Sprintf("%s is not measured at %q", m.ID, b.At), "use one of its places")
	}
	if (b.Low == nil) != (b.High == nil) && m.Resolve == 0 {
		v.add(path, "is one-sided without resolve", "say on the measure which ± the question needs")
	}
}

func (v *validator) chain(e Event, measured map[string]bool) {
	nodes := set(e.Faults, func(f Fault) string { return f.ID })
	for _, n := range e.Nodes {
		nodes[n.ID] = true
	}
	looks := set(e.Looks, func(l Look) string { return l.ID })
	edges := map[string][]string{}
	cued := set(e.Cues, func(c Cue) string { return c.Fault })
	for i, f := range e.Faults {
		at := fmt.Sprintf("faults[%d]", i)
		v.known(at+".at", f.At, v.keys, "a key position")
		if f.Solver != "" {
			v.one(at+".solver", f.Solver, "pedal")
		}
		if len(f.Evidence) == 0 {
			v.add(at+".evidence", "is empty", "a fault that nothing shows can never be found")
		}
		for j, ev := range f.Evidence {
			path := fmt.Sprintf("%s.evidence[%d]", at, j)
			if ev.Look != "" {
				v.known(path+".look", ev.Look, looks, "a look-for")
				continue
			}
			v.known(path+".measure", ev.Measure, measured, "a measure at a place")
			v.one(path+".side", ev.Side, "high", "low")
			if ev.Side == "high" && ev.Full <= ev.Limit || ev.Side == "low" && ev.Full >= ev.Limit {
				v.add(path, "full does not lie beyond limit", "limit is where the fault begins, full where it counts as 1")
			}
		}
		if f.Says == "" {
			v.add(at+".says", "is empty", "say the fault as a coach would")
		}
		if len(f.Evidence) > 0 && !v.reachable(e, f) {
			v.add(at+".evidence", fmt.Sprintf("of %q can be had in no variant", f.ID), "name a measure whose key positions the variant has, or a look-for")
		}
		v.edges(at, f.ID, f.From, nodes, edges)
		if !cued[f.ID] {
			v.add(at, fmt.Sprintf("%q has no cue", f.ID), "add one to cues")
		}
	}
	for i, n := range e.Nodes {
		at := fmt.Sprintf("nodes[%d]", i)
		v.one(at+".kind", n.Kind, "habit", "setting", "outcome")
		v.edges(at, n.ID, n.From, nodes, edges)
		for _, t := range n.To {
			v.known(at+".to", t, nodes, "a fault or node")
			edges[t] = append(edges[t], n.ID)
		}
	}
	v.acyclic("faults", v.sameRound(e, edges))
	for i, c := range e.Cues {
		v.known(fmt.Sprintf("cues[%d].fault", i), c.Fault, nodes, "a fault")
		v.one(fmt.Sprintf("cues[%d].kind", i), c.Kind, "external", "internal", "picture", "rhythm")
		if c.Misread != nil {
			v.known(fmt.Sprintf("cues[%d].misread.measure", i), c.Misread.Measure, measured, "a measure at a place")
		}
	}
	for i, d := range e.Drills {
		v.one(fmt.Sprintf("drills[%d].kind", i), d.Kind, "", "strength", "coordination")
		if d.Dose == "" || d.Growth == "" {
			v.add(fmt.Sprintf("drills[%d]", i), "lacks its dose or growth", "say how much, and how it grows")
		}
		for _, f := range d.Faults {
			v.known(fmt.Sprintf("drills[%d].faults", i), f, nodes, "a fault")
		}
	}
}

func (v *validator) edges(at, id string, from map[string]float64, nodes map[string]bool, edges map[string][]string) {
	for f, w := range from {
		v.known(at+".from", f, nodes, "a fault or node")
		if w <= 0 || w > 1 {
			v.add(at+".from", fmt.Sprintf("the weight %g of %q is not a share", w, f), "use more than 0, at most 1")
		}
		edges[id] = append(edges[id], f)
	}
}

// reachable tells whether some variant can show a fault.
func (v *validator) reachable(e Event, f Fault) bool {
	variants := e.Variants
	if len(variants) == 0 {
		variants = []Variant{{}}
	}
	for _, variant := range variants {
		one, err := e.As(variant.ID)
		if err != nil {
			return true // told elsewhere
		}
		for _, ev := range f.Evidence {
			id, keyID, _ := strings.Cut(ev.Measure, "@")
			m, measured := one.Measure(id)
			if ev.Look != "" || measured && slices.ContainsFunc(m.At, func(at string) bool { return at == keyID || strings.HasPrefix(at, keyID+"#") }) {
				return true
			}
		}
	}
	return false
}

// sameRound leaves out the edges that lead from a turn or stride into the next
// one: what repeats may come before what repeats earlier in the round.
func (v *validator) sameRound(e Event, edges map[string][]string) map[string][]string {
	order := map[string]int{}
	repeats := map[string]bool{}
	for i, k := range e.Keys {
		order[k.ID], repeats[k.ID] = i, k.Repeats != ""
	}
	at := map[string]string{}
	for _, f := range e.Faults {
		at[f.ID] = f.At
	}
	out := map[string][]string{}
	for effect, causes := range edges {
		for _, c := range causes {
			if repeats[at[effect]] && repeats[at[c]] && order[at[c]] > order[at[effect]] {
				continue
			}
			out[effect] = append(out[effect], c)
		}
	}
	return out
}

// repeats checks that every variant in which a repeated key position occurs
// says how often.
func (v *validator) repeats(at string, e Event, k Key) {
	variants := set(e.Variants, func(v Variant) string { return v.ID })
	for _, id := range k.Variants {
		v.known(at+".variants", id, variants, "a variant")
	}
	for j, p := range k.Prior {
		path := fmt.Sprintf("%s.prior[%d]", at, j)
		v.known(path, p, v.keys, "a key position")
		if before, ok := e.Key(p); ok && before.Repeats != k.Repeats || k.Repeats == "" {
			v.add(path, fmt.Sprintf("%q does not repeat with %q", p, k.ID), "prior joins key positions of one kind of repeat")
		}
	}
	if k.Repeats == "" {
		return
	}
	for i, variant := range e.Variants {
		if k.In(variant.ID) && variant.Repeats[k.Repeats] < 1 {
			v.add(fmt.Sprintf("variants[%d].repeats", i), fmt.Sprintf("does not say how often %q repeats", k.Repeats), "add its number, 1 or more")
		}
	}
	if len(e.Variants) == 0 {
		v.add(at+".repeats", "repeats in no variant", "add a variant that says how often")
	}
}

// acyclic reports a circle in a graph of what comes before what.
func (v *validator) acyclic(path string, before map[string][]string) {
	state := map[string]int{}
	var visit func(id string, trail []string) bool
	visit = func(id string, trail []string) bool {
		switch state[id] {
		case 1:
			v.add(path, "goes in a circle: "+strings.Join(append(trail, id), " after "), "break it: an effect comes after its cause")
			return true
		case 2:
			return false
		}
		state[id] = 1
		for _, b := range before[id] {
			if visit(b, append(trail, id)) {
				return true
			}
		}
		state[id] = 2
		return false
	}
	for _, id := range sorted(before) {
		if visit(id, nil) {
			return
		}
	}
}

func after(keys []Key) map[string][]string {
	out := map[string][]string{}
	for _, k := range keys {
		out[k.ID] = k.After
	}
	return out
}

func ids[T any](list []T, id func(T) string) []string {
	out := make([]string, len(list))
	for i, v := range list {
		out[i] = id(v)
	}
	return out
}

func set[T any](list []T, id func(T) string) map[string]bool {
	out := map[string]bool{}
	for _, s := range ids(list, id) {
		out[s] = true
	}
	return out
}

func sorted[V any](m map[string]V) []string {
	out := make([]string, 0, len(m))
	for k := range m {
		out = append(out, k)
	}
	sort.Strings(out)
	return out
}

// sides checks whose side the roles turn on, and what the score and the log call
// things.
func (v *validator) sides(e Event) {
	v.one("side", e.Side, "", SideHand, SideTakeOff, SideFrontBlock)
	for i, r := range e.Roles {
		v.one(fmt.Sprintf("roles[%d].side", i), r.Side, "own", "other", "left", "right")
	}
	v.known("works", e.Works, set(e.Roles, func(r Role) string { return r.ID }), "a role")
	if len(e.Feet) != 2 {
		v.add("feet", fmt.Sprintf("names %d feet", len(e.Feet)), "name the foot that works, then the other one")
	}
	for i, d := range e.Log {
		v.one(fmt.Sprintf("log[%d]", i), d, "implement", "wind", "landed", "board")
	}
	if len(e.Views) == 0 {
		v.add("views", "are missing", "say from where the event is filmed, the usual view first")
	}
}
