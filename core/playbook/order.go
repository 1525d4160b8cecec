package playbook

import "fmt"

// OutOfOrder explains why stamps cannot stand as they are: each line names two
// key positions, their frames, and what to do.
func (e Event) OutOfOrder(stamps map[string]int) []string {
	var out []string
	for _, k := range e.Keys {
		at, ok := stamps[k.ID]
		if !ok {
			continue
		}
		for _, before := range e.earlier(k.ID, map[string]bool{}) {
			b, ok := stamps[before.ID]
			if ok && b > at {
				out = append(out, fmt.Sprintf("%s (picture %d) comes after %s (picture %d): move one of them",
					before.Name, b, k.Name, at))
			}
			if foot := k.Lands + k.Lifts; ok && b == at && foot != "" && foot == before.Lands+before.Lifts {
				out = append(out, fmt.Sprintf("%s and %s are on one picture (%d): a foot cannot come down and leave at once, move one of them",
					before.Name, k.Name, at))
			}
		}
	}
	return out
}

// earlier are all keys that must come before id, through however many others.
func (e Event) earlier(id string, seen map[string]bool) []Key {
	k, _ := e.Key(id)
	var out []Key
	for _, a := range k.After {
		if seen[a] {
			continue
		}
		seen[a] = true
		if before, ok := e.Key(a); ok {
			out = append(out, before)
			out = append(out, e.earlier(a, seen)...)
		}
	}
	return out
}
