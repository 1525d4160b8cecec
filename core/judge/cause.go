package judge

import (
	"fmt"
	"sort"
	"strings"

	"neokinema/core/playbook"
)

// enough is the share of all strength at which an explanation is complete.
const enough = 0.9

// Root is an early fault that explains later ones.
type Root struct {
	Fault   string   `json:"fault"`
	Name    string   `json:"name"`
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

// Explain chooses the smallest set of root faults that accounts for most of
// the strength of all present faults: a greedy weighted cover over the
// playbook's graph. A root covers an effect by the product of the weights on
// the strongest way there. Ties go to the earliest key position.
func Explain(e playbook.Event, findings []Finding) []Root {
	g := graph(e, findings)
	var total float64
	for _, f := range g.present {
		total += f.Strength
	}
	covered := map[string]float64{}
	out := []Root{}
	for sum := 0.0; len(out) < len(g.present) && sum < enough*total; {
		best, gain := "", 0.0
		for _, f := range g.present {
			if !g.root(f.Fault) {
				continue
			}
			var got float64
			for _, h := range g.present {
				got += h.Strength * max(0, g.cover(f.Fault, h.Fault)-covered[h.Fault])
			}
			if got > gain+1e-12 {
				best, gain = f.Fault, got
			}
		}
		if best == "" {
			break
		}
		sum += gain
		for _, h := range g.present {
			covered[h.Fault] = max(covered[h.Fault], g.cover(best, h.Fault))
		}
		out = append(out, g.describe(best, total))
	}
	return out
}

type chain struct {
	event   playbook.Event
	present []Finding // in the order of their key positions
	from    map[string]map[string]float64
}

func graph(e playbook.Event, findings []Finding) chain {
	when := map[string]int{}
	for i, k := range e.Keys {
		when[k.ID] = i
	}
	g := chain{event: e, from: map[string]map[string]float64{}}
	is := map[string]bool{}
	for _, f := range findings {
		if f.State == Present {
			g.present = append(g.present, f)
			is[f.Fault] = true
		}
	}
	sort.SliceStable(g.present, func(i, j int) bool { return when[g.present[i].At] < when[g.present[j].At] })
	for _, f := range g.present {
		def, _ := e.Fault(f.Fault)
		g.from[f.Fault] = map[string]float64{}
		for cause, w := range def.From {
			if is[cause] {
				g.from[f.Fault][cause] = w
			}
		}
	}
	return g
}

func (g chain) root(fault string) bool { return len(g.from[fault]) == 0 }

// cover is how much of effect the root explains, 0 to 1.
func (g chain) cover(root, effect string) float64 {
	if root == effect {
		return 1
	}
	best := 0.0
	for cause, w := range g.from[effect] {
		best = max(best, w*g.cover(root, cause))
	}
	return best
}

func (g chain) describe(root string, total float64) Root {
	def, _ := g.event.Fault(root)
	r := Root{Fault: root, Name: def.Name, Effects: []Effect{}, Behind: []string{}, Leads: []string{}}
	explained := map[string]bool{}
	for _, f := range g.present {
		c := g.cover(root, f.Fault)
		r.Share += c * f.Strength / total
		if c == 0 {
			continue
		}
		explained[f.Fault] = true
		if f.Fault != root {
			r.Effects = append(r.Effects, Effect{f.Fault, f.Name, g.via(root, f.Fault), c})
		}
	}
	for _, n := range g.event.Nodes {
		if _, ok := def.From[n.ID]; ok && n.Kind != "outcome" {
			r.Behind = append(r.Behind, n.Name)
		}
		for f := range n.From {
			if explained[f] && n.Kind == "outcome" {
				r.Leads = append(r.Leads, n.Name)
				break
			}
		}
	}
	return r
}

// via is the direct cause through which the root reaches the effect best.
func (g chain) via(root, effect string) string {
	causes := make([]string, 0, len(g.from[effect]))
	for c := range g.from[effect] {
		causes = append(causes, c)
	}
	sort.Strings(causes)
	best, most := "", 0.0
	for _, c := range causes {
		if w := g.from[effect][c] * g.cover(root, c); w > most {
			best, most = c, w
		}
	}
	return best
}

// sentence reads the explanation as a coach would say it.
func sentence(r Reading) string {
	var says []string
	for _, root := range r.Roots {
		var effects []string
		for _, e := range root.Effects {
			effects = append(effects, strings.ToLower(e.Name))
		}
		s := fmt.Sprintf("%s stands on its own (%.0f %% of what is wrong).", root.Name, 100*root.Share)
		if len(effects) > 0 {
			s = fmt.Sprintf("%s: from it follows %s (explains %.0f %%).", root.Name, strings.Join(effects, ", "), 100*root.Share)
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
	if open == len(r.Values) {
		return "Nothing is measured yet: stamp the key positions, then place the landmarks."
	}
	if open > 0 {
		return fmt.Sprintf("No fault is certain so far; %d measures still lack something.", open)
	}
	return "No fault is certain in this attempt."
}
