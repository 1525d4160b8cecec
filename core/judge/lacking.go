package judge

import (
	"cmp"
	"slices"
	"strings"

	"neokinema/core/measure"
)

// Remedy is one thing to do, and the measures that wait for it.
type Remedy struct {
	Says   string   `json:"says"`
	Values int      `json:"values"` // that wait for it
	Alone  int      `json:"alone"`  // of them, those that wait for nothing else
	Names  []string `json:"names"`  // of the measures, each once
}

// effort is what a remedy takes, in points that are placed; common practice.
var effort = map[string]float64{"stamp": 1, "origin": 1, "landmark": 1, "scale": 2, "mass": 1, "path": 3, "rate": 100}

// Lacking is what measures without a number wait for: first what can be done on this
// film, the cheapest for what it gives first; then what this film never shows,
// with the film that would. Unseen are the key positions that are not in it.
func Lacking(values []Judged, unseen []string) (here, elsewhere []Remedy) {
	type found struct {
		Remedy
		effort float64
	}
	byText := map[bool]map[string]*found{false: {}, true: {}}
	for _, v := range values {
		if v.Known() {
			continue
		}
		cannot := func(m measure.Missing) bool {
			return m.Kind == "view" || m.Kind == "rate" || m.Kind == "stamp" && slices.Contains(unseen, m.ID)
		}
		never := slices.ContainsFunc(v.Missing, cannot)
		for _, m := range v.Missing {
			if never && !cannot(m) {
				continue
			}
			if m.Kind == "stamp" && never {
				m.What = strings.TrimPrefix(m.What, "stamp ") + " is not in this film"
			}
			f := byText[never][m.What]
			if f == nil {
				f = &found{Remedy: Remedy{Says: m.What, Names: []string{}}, effort: cmp.Or(effort[m.Kind], 1)}
				byText[never][m.What] = f
			}
			f.Values++
			if len(v.Missing) == 1 {
				f.Alone++
			}
			if !slices.Contains(f.Names, v.Name) {
				f.Names = append(f.Names, v.Name)
			}
		}
	}
	sorted := func(all map[string]*found) []Remedy {
		var list []*found
		for _, f := range all {
			list = append(list, f)
		}
		// What gives most for its effort; what gives nothing by itself counts by its part.
		worth := func(f *found) float64 { return (float64(f.Alone) + 0.2*float64(f.Values)) / f.effort }
		slices.SortFunc(list, func(a, b *found) int {
			return cmp.Or(cmp.Compare(worth(b), worth(a)), cmp.Compare(a.Says, b.Says))
		})
		out := []Remedy{}
		for _, f := range list {
			out = append(out, f.Remedy)
		}
		return out
	}
	return sorted(byText[false]), sorted(byText[true])
}
