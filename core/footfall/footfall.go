// Package footfall writes contacts as a score: which foot was on the ground
// from when to when, and the flights between.
package footfall

import (
	"sort"

	"neokinema/core/clock"
)

// FootEvent is one foot coming down or leaving.
type FootEvent struct {
	KeyID string // key position
	Foot  string // role
	Lands bool
	At    clock.Instant
}

// Contact is one contact of one foot. A foot that leaves before it ever landed
// stood there from the start (From is empty); one that never leaves stays
// (To is empty).
type Contact struct {
	Foot           string
	FromKey, ToKey string // key positions
	Start, End     clock.Instant
}

// Contacts pairs the beats of each foot. A beat that repeats the foot's state
// (down twice, off twice) is passed over.
func Contacts(beats []FootEvent) []Contact {
	bs := append([]FootEvent(nil), beats...)
	sort.SliceStable(bs, func(i, j int) bool { return bs[i].At.T < bs[j].At.T })
	var out []Contact
	down := map[string]int{} // role → its open note in out
	seen := map[string]bool{}
	for _, b := range bs {
		i, isDown := down[b.Foot]
		switch {
		case b.Lands && !isDown:
			out = append(out, Contact{Foot: b.Foot, FromKey: b.KeyID, Start: b.At})
			down[b.Foot] = len(out) - 1
		case !b.Lands && isDown:
			out[i].ToKey, out[i].End = b.KeyID, b.At
			delete(down, b.Foot)
		case !b.Lands && !seen[b.Foot]:
			out = append(out, Contact{Foot: b.Foot, ToKey: b.KeyID, End: b.At})
		}
		seen[b.Foot] = true
	}
	return out
}

// Duration is the duration of a contact with both ends, and its uncertainty.
func (n Contact) Duration(f clock.Timeline) (d, u clock.Seconds, ok bool) {
	if n.FromKey == "" || n.ToKey == "" {
		return 0, 0, false
	}
	d, u = f.Between(n.Start, n.End)
	return d, u, true
}

// Flight is a time with no foot on the ground.
type Flight struct {
	Start, End clock.Instant
}

// Flights are the flights: after every leaving during which no foot is down, up
// to the next landing.
func Flights(notes []Contact) []Flight {
	var out []Flight
	for _, n := range notes {
		if n.ToKey == "" || standing(notes, n.End.T) {
			continue
		}
		next, found := Contact{}, false
		for _, m := range notes {
			if m.FromKey != "" && m.Start.T > n.End.T && (!found || m.Start.T < next.Start.T) {
				next, found = m, true
			}
		}
		if found {
			out = append(out, Flight{n.End, next.Start})
		}
	}
	return out
}

// DoubleSupport is a time with more than one foot on the ground. Its ends may be open:
// before the first beat, after the last.
type DoubleSupport struct {
	Start, End         clock.Instant
	OpenStart, OpenEnd bool
}

// DoubleSupports are the double supports: where contacts of two feet overlap.
func DoubleSupports(notes []Contact) []DoubleSupport {
	var out []DoubleSupport
	for i, a := range notes {
		for _, b := range notes[i+1:] {
			if a.Foot == b.Foot {
				continue
			}
			c := DoubleSupport{OpenStart: a.FromKey == "" && b.FromKey == "", OpenEnd: a.ToKey == "" && b.ToKey == ""}
			c.Start, c.End = a.Start, a.End
			if a.FromKey == "" || b.FromKey != "" && b.Start.T > a.Start.T {
				c.Start = b.Start
			}
			if a.ToKey == "" || b.ToKey != "" && b.End.T < a.End.T {
				c.End = b.End
			}
			if c.OpenStart || c.OpenEnd || c.End.T > c.Start.T {
				out = append(out, c)
			}
		}
	}
	return out
}

// standing reports whether another foot is down just after t.
func standing(notes []Contact, t clock.Seconds) bool {
	for _, n := range notes {
		begun := n.FromKey == "" || n.Start.T <= t
		goesOn := n.ToKey == "" || n.End.T > t
		if begun && goesOn {
			return true
		}
	}
	return false
}
