package judge

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"neokinema/core/playbook"
)

const (
	// enough is the share of all strength at which an explanation is complete.
	enough = 0.9
	// again is how much of a fault in one turn the same fault in the turn before
	// explains: it comes back in every later one.
	again = 0.9
	// accounts is the share of a fault's strength that a cause must bring about,
	// or the fault may be a root itself.
	accounts = 0.5
)

// Root is an early fault that explains later ones.
type Root struct {
	Fault   string   `json:"fault"`
	Name    string   `json:"name"`
	At      string   `json:"at"`
	Share   float64  `json:"share"` // of the total strength, what it explains by itself
	Effects []Effect `json:"effects"`
	Behind  []string `json:"behind"` // settings and habits that usually cause it
	Leads   []string `json:"leads"`  // outcomes that usually follow
}

// Effect is a later fault that hangs from an earlier one.
type Effect struct {
	Fault string  `json:"fault"`
	Name  string  `json:"name"`
	Via   string  `json:"via"`   // the fault it hangs from directly
	Share float64 `json:"share"` // of its own strength, what the root explains
}

// node is a present fault in one turn or stride. Its strength is its part of the
// finding's, so that a fault of every turn weighs no more than one of a moment;
// what rests on half of its evidence weighs three quarters.
type node struct {
	fault    string
	n, when  int // the round, and the place of its key position on the ladder
	strength float64
	causes   []edge
}

type edge struct {
	from   int // of the nodes
	weight float64
}

type chain struct {
	event playbook.Event
	nodes []node // in the order of their key positions
	names map[string]string
	whole map[string]float64 // strength of each fault over its nodes
	total float64
}

// Explain chooses the smallest set of root faults that accounts for most of
// the strength of all present faults: a greedy weighted cover over the
// playbook's graph, of roots: faults whose first showing no earlier fault
// accounts for. A root covers an effect by the product of the weights on the
// strongest way there. A node of the graph is a fault in a turn or stride, its
// edges run forward in time; the turns are put together after explaining. Ties
// go to the earliest key position.
func Explain(e playbook.Event, findings []Finding) []Root {
	g := lay(e, findings)
	var faults []string
	seen := map[string]bool{}
	for _, n := range g.nodes {
		if !seen[n.fault] && g.root(n) {
			faults = append(faults, n.fault)
		}
		seen[n.fault] = true
	}
	covers := map[string][]float64{}
	for _, f := range faults {
		covers[f] = g.cover(f)
	}
	covered := make([]float64, len(g.nodes))
	out := []Root{}
	for sum := 0.0; sum < enough*g.total; {
		best, gain := "", 0.0
		for _, f := range faults {
			var got float64
			for i, n := range g.nodes {
				got += n.strength * max(0, covers[f][i]-covered[i])
			}
			if got > gain+1e-12 {
				best, gain = f, got
			}
		}
		if best == "" {
			break
		}
		sum += gain
		for i, c := range covers[best] {
			covered[i] = max(covered[i], c)
		}
		out = append(out, g.describe(best, covers[best]))
	}
	return out
}

// lay draws the graph of the present faults.
func lay(e playbook.Event, findings []Finding) chain {
	when := map[string]int{}
	for i, k := range e.Keys {
		when[k.ID] = i
	}
	g := chain{event: e, names: map[string]string{}, whole: map[string]float64{}}
	for _, f := range findings {
		if f.State != Present {
			continue
		}
		g.names[f.Fault] = f.Name
		def, _ := e.Fault(f.Fault)
		present := 0
		for _, r := range f.Rounds {
			if r.State == Present {
				present++
			}
		}
		weight := cmp.Or(def.Weight, 1) * (1 + f.Certainty) / 2 / float64(max(1, present))
		for _, r := range f.Rounds {
			if r.State == Present {
				g.nodes = append(g.nodes, node{fault: f.Fault, n: r.N, when: when[r.At], strength: weight * r.Strength})
				g.whole[f.Fault] += weight * r.Strength
				g.total += weight * r.Strength
			}
		}
	}
	slices.SortStableFunc(g.nodes, func(a, b node) int { return cmp.Compare(a.when, b.when) })
	for i := range g.nodes {
		effect := &g.nodes[i]
		def, _ := e.Fault(effect.fault)
		for j, cause := range g.nodes {
			switch w, leads := def.From[cause.fault]; {
			case cause.fault == effect.fault && cause.n == effect.n-1:
				effect.causes = append(effect.causes, edge{j, again})
			case leads && g.before(cause, *effect):
				effect.causes = append(effect.causes, edge{j, w})
			}
		}
	}
	return g
}

// before tells whether one node may cause another: in one round by the order of
// their key positions, else from a round into the next; what happens once
// causes the first round in which the effect shows.
func (g chain) before(cause, effect node) bool {
	switch {
	case cause.n == 0 && effect.n == 0:
		return true
	case cause.n == 0:
		for _, n := range g.nodes {
			if n.fault == effect.fault && n.n < effect.n {
				return false
			}
		}
		return true
	case effect.n == 0:
		return true
	case cause.n == effect.n:
		return cause.when <= effect.when
	}
	return cause.n == effect.n-1 && cause.when-effect.when < 0
}

// root tells whether the first node of a fault has no cause that is strong
// enough to account for it.
func (g chain) root(first node) bool {
	return !slices.ContainsFunc(first.causes, func(c edge) bool {
		return c.weight*g.whole[g.nodes[c.from].fault] >= accounts*g.whole[first.fault]
	})
}

// cover is how much of each node a fault explains, 0 to 1.
func (g chain) cover(fault string) []float64 {
	out := make([]float64, len(g.nodes))
	known := make([]bool, len(g.nodes))
	var of func(i int) float64
	of = func(i int) float64 {
		if known[i] {
			return out[i]
		}
		known[i] = true // of two in one instant neither causes the other
		if g.nodes[i].fault == fault {
			out[i] = 1
			return 1
		}
		best := 0.0
		for _, c := range g.nodes[i].causes {
			best = max(best, c.weight*of(c.from))
		}
		out[i] = best
		return best
	}
	for i := range g.nodes {
		of(i)
	}
	return out
}

func (g chain) describe(root string, cover []float64) Root {
	def, _ := g.event.Fault(root)
	r := Root{Fault: root, Name: def.Name, Effects: []Effect{}, Behind: []string{}, Leads: []string{}}
	strength, explained := map[string]float64{}, map[string]float64{}
	var order []string
	for i, n := range g.nodes {
		if n.fault == root && r.At == "" {
			r.At = g.event.Keys[n.when].ID
		}
		r.Share += cover[i] * n.strength / g.total
		strength[n.fault] += n.strength
		explained[n.fault] += cover[i] * n.strength
		if cover[i] > 0 && !slices.Contains(order, n.fault) {
			order = append(order, n.fault)
		}
	}
	for _, f := range order {
		if f != root {
			r.Effects = append(r.Effects, Effect{f, g.names[f], g.via(f, cover), explained[f] / strength[f]})
		}
	}
	for _, n := range g.event.Nodes {
		if _, ok := def.From[n.ID]; n.Kind != "outcome" && (ok || slices.Contains(n.To, root)) {
			r.Behind = append(r.Behind, n.Name)
		}
		if n.Kind == "outcome" && slices.ContainsFunc(order, func(f string) bool { _, ok := n.From[f]; return ok }) {
			r.Leads = append(r.Leads, n.Name)
		}
	}
	return r
}

// via is the direct cause through which an effect is best explained.
func (g chain) via(effect string, cover []float64) string {
	best, most := "", 0.0
	for _, n := range g.nodes {
		if n.fault != effect {
			continue
		}
		for _, c := range n.causes {
			if w := c.weight * cover[c.from]; g.nodes[c.from].fault != effect && w > most {
				best, most = g.nodes[c.from].fault, w
			}
		}
	}
	return best
}

// sentence reads the explanation as a coach would say it.
func sentence(r Reading) string {
	repeat := map[string]string{}
	for _, f := range r.Findings {
		if f.Repeat != "" {
			repeat[f.Fault] = ", " + f.Repeat
		}
	}
	var says []string
	for _, root := range r.Roots {
		var effects []string
		for _, e := range root.Effects {
			effects = append(effects, strings.ToLower(e.Name))
		}
		s := fmt.Sprintf("%s%s stands on its own (%.0f %% of %s).", root.Name, repeat[root.Fault], 100*root.Share, ofWhat(r))
		if len(effects) > 0 {
			s = fmt.Sprintf("%s%s: from it follows %s (explains %.0f %%).", root.Name, repeat[root.Fault], strings.Join(effects, ", "), 100*root.Share)
		}
		says = append(says, s)
	}
	if len(says) > 0 {
		return strings.Join(says, " ")
	}
	open := 0
	for _, v := range r.Values {
		if v.Verdict == Missing {
			open++
		}
	}
	switch {
	case open == len(r.Values):
		return "Nothing is measured yet: stamp the key positions, then place the landmarks."
	case open == 1:
		return "No fault is certain so far; 1 measure still lacks something."
	case open > 1:
		return fmt.Sprintf("No fault is certain so far; %d measures still lack something.", open)
	}
	return "No fault is certain in this attempt."
}
