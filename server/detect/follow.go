package detect

import (
	"math"
	"slices"

	"neokinema/core/pose"
)

const (
	// somebody is how sure a model must be that a person or a body is there.
	somebody = 0.5
	// maybe is from where on a person is thought of at all.
	maybe = 0.3
	// looksASecond is how many pictures of a real second are looked at.
	looksASecond = 30.0
)

// Every is on every how many pictures a film of so many a real second is looked at.
func Every(rate float64) int { return max(1, int(math.Round(rate/looksASecond))) }

// Tracker looks for one body on picture after picture: where it was last, and where it
// is lost, about there, farther with each picture.
type Tracker struct {
	finder *Finder
	asked  *Region // where the body is on the first picture
	next   Region
	have   bool
	last   Region // where it was found last
	seen   bool
	lost   int // pictures since
}

// NewTracker follows whoever is in a square; without one the surest on the picture.
func NewTracker(f *Finder, asked *Region) *Tracker { return &Tracker{finder: f, asked: asked} }

// Next is the square to look in on the next picture; false: none, nobody was found.
func (t *Tracker) Next() (Region, bool) { return t.next, t.have }

// Resume goes on as if the tracker had just found somebody, and were to look there.
func (t *Tracker) Resume(next Region) {
	t.next, t.have = next, true
	t.last, t.seen, t.lost = next, true, 0
}

// Look looks at the next picture; false: nobody is found on it.
func (t *Tracker) Look(p *Picture) (pose.Look, bool, error) {
	for range 2 { // where it was, then anew
		if !t.have {
			region, found, err := t.search(p)
			if err != nil || !found {
				t.lost++
				return pose.Look{}, false, err
			}
			t.next, t.have = region, true
		}
		look, next, err := t.finder.Body(p, t.next)
		if err != nil {
			return look, false, err
		}
		if look.Score >= somebody && next.Size > 8 {
			t.last, t.seen, t.lost = t.next, true, 0
			t.next = next
			return look, true, nil
		}
		t.have = false
	}
	t.lost++
	return pose.Look{}, false, nil
}

// search finds the person to look at: near the last place, or in the square; where
// neither is known, the surest on the picture.
func (t *Tracker) search(p *Picture) (Region, bool, error) {
	var where []Region
	switch {
	case t.seen:
		for _, wider := range []float64{1.1, 2 + 0.3*float64(t.lost)} {
			where = append(where, Region{X: t.last.X, Y: t.last.Y, Size: wider * t.last.Size})
		}
	case t.asked != nil:
		where = []Region{*t.asked}
	default:
		people, err := t.finder.within(p, p.squares())
		if err != nil || len(people) == 0 {
			return Region{}, false, err
		}
		return people[0].Region, people[0].Sure >= somebody, nil
	}
	for _, r := range where {
		people, err := t.finder.People(p, r)
		if err != nil {
			return Region{}, false, err
		}
		if len(people) > 0 && people[0].Sure >= somebody {
			return people[0].Region, true, nil
		}
	}
	return Region{}, false, nil
}

// within are the persons in any of several squares.
func (f *Finder) within(p *Picture, where []Region) ([]Person, error) {
	var people []Person
	for _, r := range where {
		more, err := f.People(p, r)
		if err != nil {
			return nil, err
		}
		people = append(people, more...)
	}
	return each(people), nil
}

// Looks looks at n pictures, in order of time: for who is in a square on the first, or,
// without one, for who moves. Each look has the number of its picture.
func (f *Finder) Looks(n int, picture func(i int) (*Picture, error), asked *Region) (looks []pose.Look, err error) {
	begin, tracker := 0, NewTracker(f, asked)
	var mover *Region
	if asked == nil {
		if begin, mover, err = f.Athlete(n, picture); err != nil {
			return nil, err
		}
	}
	look := func(i int) error {
		p, err := picture(i)
		if err != nil {
			return err
		}
		l, found, err := tracker.Look(p)
		if found {
			l.Frame = i
			looks = append(looks, l)
		}
		return err
	}
	again := func() {
		if tracker = NewTracker(f, asked); mover != nil {
			tracker.Resume(*mover)
		}
	}
	again()
	for i := begin; i < n; i++ {
		if err := look(i); err != nil {
			return nil, err
		}
	}
	again()
	for i := begin - 1; i >= 0; i-- {
		if err := look(i); err != nil {
			return nil, err
		}
	}
	slices.SortFunc(looks, func(a, b pose.Look) int { return a.Frame - b.Frame })
	return looks, nil
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
