// Package footfall writes contacts as a score: which foot was on the ground
// from when to when, and the flights between.
package footfall

import (
	"sort"

	"neokinema/core/clock"
)

// Note is one contact of one foot. Open ends were not stamped: the contact
// began before, or ended after, what the coach has cut.
type Note struct {
	Foot       string        `json:"foot"` // role, as in "front"
	From       string        `json:"from,omitempty"`
	To         string        `json:"to,omitempty"`
	Start, End clock.Instant `json:"-"`
	OpenStart  bool          `json:"openStart"`
	OpenEnd    bool          `json:"openEnd"`
}

// Rest is a time with no foot on the ground.
type Rest struct {
	Start, End clock.Instant
}

// Rests are the flights between notes: times covered by none of them. An open
// end covers everything beyond it.
func Rests(notes []Note) []Rest {
	ns := append([]Note(nil), notes...)
	sort.SliceStable(ns, func(i, j int) bool { return begins(ns[i]) < begins(ns[j]) })
	var out []Rest
	for i, n := range ns {
		if i == 0 || n.OpenStart {
			continue
		}
		last := ns[0]
		for _, m := range ns[:i] {
			if m.OpenEnd || m.End.T > last.End.T && !last.OpenEnd {
				last = m
			}
		}
		if !last.OpenEnd && last.End.T < n.Start.T {
			out = append(out, Rest{last.End, n.Start})
		}
	}
	return out
}

func begins(n Note) float64 {
	if n.OpenStart {
		return -1e300
	}
	return n.Start.T
}
