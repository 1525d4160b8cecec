package detect

import (
	"math"

	"neokinema/core/pose"
)

const (
	// somebody is how sure a model must be that a person or a body is there.
	somebody = 0.5
	// looksASecond is how many pictures of a real second are looked at.
	looksASecond = 30.0
)

// Every is on every how many pictures a film of so many a real second is looked at.
func Every(rate float64) int { return max(1, int(math.Round(rate/looksASecond))) }

// Tracker looks for one body on picture after picture: where it was last, and where
// it is lost, about there, then on the whole picture.
type Tracker struct {
	finder *Finder
	asked  *Region // the square that the coach dragged
	next   Region
	have   bool
	last   Region // where it was found last
	seen   bool
}

// NewTracker follows whoever is found first; in a square that was dragged, if one is.
func NewTracker(f *Finder, asked *Region) *Tracker { return &Tracker{finder: f, asked: asked} }

// Next is the square to look in on the next picture; false: none, nobody was found.
func (t *Tracker) Next() (Region, bool) { return t.next, t.have }

// Resume goes on as if the tracker had just found somebody, and were to look there.
func (t *Tracker) Resume(next Region) {
	t.next, t.have = next, true
	t.last, t.seen = next, true
}

// Look looks at the next picture; false: nobody is found on it.
func (t *Tracker) Look(p *Picture) (pose.Look, bool, error) {
	for range 2 { // where it was, then anew
		if !t.have {
			region, found, err := t.search(p)
			if err != nil || !found {
				return pose.Look{}, false, err
			}
			t.next, t.have = region, true
		}
		look, next, err := t.finder.Body(p, t.next)
		if err != nil {
			return look, false, err
		}
		if look.Score >= somebody && next.Size > 8 {
			t.last, t.seen = t.next, true
			t.next = next
			return look, true, nil
		}
		t.have = false
	}
	return pose.Look{}, false, nil
}

// search finds the person to look at.
func (t *Tracker) search(p *Picture) (Region, bool, error) {
	var where []Region
	switch {
	case t.seen:
		where = append(where, Region{X: t.last.X, Y: t.last.Y, Size: 1.1 * t.last.Size}, Region{X: t.last.X, Y: t.last.Y, Size: 2 * t.last.Size})
	case t.asked != nil:
		where = append(where, *t.asked)
	}
	if t.asked == nil {
		where = append(where, p.squares()...)
	}
	best, sure := Region{}, 0.0
	for _, r := range where {
		found, s, err := t.finder.Person(p, r)
		if err != nil {
			return best, false, err
		}
		if s > sure && found.Size > 16 {
			best, sure = found, s
		}
		if t.seen && sure >= somebody {
			break
		}
	}
	return best, sure >= somebody, nil
}

// squares are where a person may be: the whole picture, and overlapping squares of
// its height and of two thirds of it, in which a small one is large enough.
func (p *Picture) squares() []Region {
	w, h := float64(p.Width), float64(p.Height)
	out := []Region{{X: w / 2, Y: h / 2, Size: math.Max(w, h)}}
	for _, share := range []float64{1, 0.66} {
		size := share * math.Min(w, h)
		columns, rows := int(math.Ceil(1.6*w/size)), int(math.Ceil(1.3*h/size))
		for row := range rows {
			for column := range columns {
				out = append(out, Region{X: along(w, size, column, columns), Y: along(h, size, row, rows), Size: size})
			}
		}
	}
	return out
}

// along is the middle of square i of n that cover a side evenly.
func along(side, size float64, i, n int) float64 {
	if n < 2 || side <= size {
		return side / 2
	}
	return size/2 + (side-size)*float64(i)/float64(n-1)
}
