package playbook

import (
	"fmt"
	"slices"
	"strings"
)

// In reports whether a key position belongs to a variant.
func (k Key) In(variant string) bool { return in(k.Variants, variant) }

func in(variants []string, variant string) bool {
	return len(variants) == 0 || slices.Contains(variants, variant)
}

// Between splits a place that lies half-way between two key positions,
// "td~off".
func Between(keyID string) (a, b string, ok bool) { return strings.Cut(keyID, "~") }

// Variant finds a variant; without a name it is the first, and an event that
// has none has one without a name.
func (e Event) Variant(id string) (Variant, bool) {
	if id == "" {
		if len(e.Variants) == 0 {
			return Variant{}, true
		}
		return e.Variants[0], true
	}
	return find(e.Variants, func(v Variant) bool { return v.ID == id })
}

// expandedIDs are the names under which a key position is stamped: its id, and
// where it repeats also id#1, id#2 and so on, as often as any variant has it.
func (e Event) expandedIDs(id string) []string {
	out := []string{id}
	k, _ := e.Key(id)
	most := 0
	for _, v := range e.Variants {
		most = max(most, v.Repeats[k.Repeats])
	}
	for i := 1; i <= most; i++ {
		out = append(out, Nth(id, i))
	}
	return out
}

// Nth is the place of a repeated key position in turn or stride n, from 1.
func Nth(id string, n int) string { return fmt.Sprintf("%s#%d", id, n) }

// As writes an event out in one variant: only its key positions, the repeated
// ones as often as they occur, each under its own place, turn by turn; phases
// and measures follow them.
func (e Event) As(variant string) (Event, error) {
	v, ok := e.Variant(variant)
	if !ok {
		return e, fmt.Errorf("%s has no variant %q", e.ID, variant)
	}
	times := map[string]int{} // how often each key position occurs
	for _, k := range e.Keys {
		switch {
		case !k.In(v.ID):
		case k.Repeats == "":
			times[k.ID] = 1
		default:
			times[k.ID] = v.Repeats[k.Repeats]
		}
	}
	repeats := map[string]string{}
	for _, k := range e.Keys {
		repeats[k.ID] = k.Repeats
	}
	// place is where key id stands as seen from turn n of a kind of repeat:
	// its own turn there, else the last one.
	place := func(id, kind string, n int) string {
		switch {
		case repeats[id] == "":
			return id
		case repeats[id] == kind:
			return Nth(id, n)
		}
		return Nth(id, times[id])
	}
	out := e
	out.Keys = nil
	for i := 0; i < len(e.Keys); {
		j := i + 1
		for j < len(e.Keys) && e.Keys[j].Repeats == e.Keys[i].Repeats {
			j++
		}
		group := e.Keys[i:j]
		rounds := 1
		if group[0].Repeats != "" {
			rounds = v.Repeats[group[0].Repeats]
		}
		for n := 1; n <= rounds; n++ {
			for _, k := range group {
				if times[k.ID] == 0 {
					continue
				}
				was := k
				k.After = nil
				for _, a := range was.After {
					if times[a] > 0 {
						k.After = append(k.After, place(a, was.Repeats, n))
					}
				}
				for _, p := range was.Prior {
					if n > 1 && times[p] > 0 {
						k.After = append(k.After, Nth(p, n-1))
					}
				}
				k.Prior, k.Found = nil, nil
				for _, f := range was.Found {
					if times[f] > 0 {
						f = place(f, was.Repeats, n)
					}
					k.Found = append(k.Found, f)
				}
				if was.Repeats != "" {
					k.ID, k.Name = Nth(was.ID, n), fmt.Sprintf("%s %d", was.Name, n)
				}
				out.Keys = append(out.Keys, k)
			}
		}
		i = j
	}
	order := map[string]int{} // of the places, as they come in time
	for i, k := range out.Keys {
		order[k.ID] = i
	}
	spread := func(ids []string) []string {
		var all []string
		for _, id := range ids {
			first, second, between := Between(id)
			for n := 1; n <= times[first]; n++ {
				at := place(first, repeats[first], n)
				if between && times[second] > 0 {
					order[at+"~"+place(second, repeats[first], n)] = order[at]
					at += "~" + place(second, repeats[first], n)
				}
				all = append(all, at)
			}
		}
		slices.SortStableFunc(all, func(a, b string) int { return order[a] - order[b] })
		return all
	}
	out.Phases = nil
	for _, p := range e.Phases {
		rounds := max(times[p.From], times[p.To])
		if times[p.From] == 0 || times[p.To] == 0 {
			continue
		}
		if repeats[p.From] == "" || repeats[p.To] == "" {
			rounds = 1
		}
		for n := 1; n <= rounds; n++ {
			one := p
			one.From, one.To = place(p.From, repeats[p.To], n), place(p.To, repeats[p.From], n)
			if repeats[p.From] != "" && repeats[p.From] == repeats[p.To] {
				one.ID, one.Name = Nth(p.ID, n), fmt.Sprintf("%s %d", p.Name, n)
			}
			out.Phases = append(out.Phases, one)
		}
	}
	out.Measures = nil
	for _, m := range e.Measures {
		whole := in(m.Variants, v.ID)
		for _, id := range m.Stamps {
			first, _, _ := Between(id)
			whole = whole && times[first] > 0
		}
		m.At, m.Seen, m.Stamps = spread(m.At), spread(m.Seen), spread(m.Stamps)
		if whole && len(m.At) > 0 {
			out.Measures = append(out.Measures, m)
		}
	}
	out.Zero = nil
	for _, z := range e.Zero {
		if times[z] > 0 {
			out.Zero = append(out.Zero, place(z, repeats[z], 1))
		}
	}
	return out, nil
}

// RoundsOf is how often a measure's key occurs in an event that is written out
// in a variant: 0 when it stands for one moment, n when "m@place" stands for
// "m@place#1" to "m@place#n".
func (e Event) RoundsOf(key string) int {
	_, keyID, _ := strings.Cut(key, "@")
	if _, once := e.Key(keyID); once {
		return 0
	}
	n := 0
	for {
		if _, more := e.Key(Nth(keyID, n+1)); !more {
			return n
		}
		n++
	}
}
