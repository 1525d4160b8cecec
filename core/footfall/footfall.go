// Package footfall writes contacts as a score: which foot was on the ground
// from when to when, and the flights between.
package footfall

import (
	"sort"

	"neokinema/core/clock"
)

// Beat is one foot coming down or leaving.
type Beat struct {
	Place string // key position
	Foot  string // role
	Lands bool
	At    clock.Instant
}

// Note is one contact of one foot. A foot that leaves before it ever landed
// stood there from the start (From is empty); one that never leaves stays
// (To is empty).
type Note struct {
	Foot       string
	From, To   string // key positions
	Start, End clock.Instant
}

// Contacts pairs the beats of each foot. A beat that repeats the foot's state
// (down twice, off twice) is passed over.
func Contacts(beats []Beat) []Note {
	bs := append([]Beat(nil), beats...)
	sort.SliceStable(bs, func(i, j int) bool { return bs[i].At.T < bs[j].At.T })
	var out []Note
	down := map[string]int{} // role → its open note in out
	seen := map[string]bool{}
	for _, b := range bs {
		i, isDown := down[b.Foot]
		switch {
		case b.Lands && !isDown:
			out = append(out, Note{Foot: b.Foot, From: b.Place, Start: b.At})
			down[b.Foot] = len(out) - 1
		case !b.Lands && isDown:
			out[i].To, out[i].End = b.Place, b.At
			delete(down, b.Foot)
		case !b.Lands && !seen[b.Foot]:
			out = append(out, Note{Foot: b.Foot, To: b.Place, End: b.At})
		}
		seen[b.Foot] = true
	}
	return out
}

// Length is the duration of a contact with both ends, and its uncertainty.
func (n Note) Length(f clock.Film) (d, u clock.Seconds, ok bool) {
	if n.From == "" || n.To == "" {
		return 0, 0, false
	}
	d, u = f.Between(n.Start, n.End)
	return d, u, true
}

// Rest is a time with no foot on the ground.
type Rest struct {
	Start, End clock.Instant
}

// Rests are the flights: after every leaving during which no foot is down, up
// to the next landing.
func Rests(notes []Note) []Rest {
	var out []Rest
	for _, n := range notes {
		if n.To == "" || standing(notes, n.End.T) {
			continue
		}
		next, found := Note{}, false
		for _, m := range notes {
			if m.From != "" && m.Start.T > n.End.T && (!found || m.Start.T < next.Start.T) {
				next, found = m, true
			}
		}
		if found {
			out = append(out, Rest{n.End, next.Start})
		}
	}
	return out
}

// Chord is a time with more than one foot on the ground. Its ends may be open:
// before the first beat, after the last.
type Chord struct {
	Start, End         clock.Instant
	OpenStart, OpenEnd bool
}

// Chords are the double supports: where contacts of two feet overlap.
func Chords(notes []Note) []Chord {
	var out []Chord
	for i, a := range notes {
		for _, b := range notes[i+1:] {
			if a.Foot == b.Foot {
				continue
			}
			c := Chord{OpenStart: a.From == "" && b.From == "", OpenEnd: a.To == "" && b.To == ""}
			c.Start, c.End = a.Start, a.End
			if a.From == "" || b.From != "" && b.Start.T > a.Start.T {
				c.Start = b.Start
			}
			if a.To == "" || b.To != "" && b.End.T < a.End.T {
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
func standing(notes []Note, t clock.Seconds) bool {
	for _, n := range notes {
		begun := n.From == "" || n.Start.T <= t
		goesOn := n.To == "" || n.End.T > t
		if begun && goesOn {
			return true
		}
	}
	return false
}
