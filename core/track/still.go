package track

import (
	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/optics"
)

// background are spots of the world by which the camera's movement is known.
type background struct {
	points []*point
	fresh  int // pictures since they were chosen
}

const (
	cellsAcross, cellsDown = 8, 5
	stillHalf              = 7
	chosenFor              = 12 // pictures, before others are chosen
	leastStill             = 8
	agreeing               = 0.6 // px
)

// choose finds a spot that holds well in each part of a picture.
func (s *background) choose(p *Picture) {
	s.points, s.fresh = s.points[:0], 0
	const step, half = 7, 3
	small := p.levels[1]
	w := newWindow(half)
	for j := range cellsDown {
		for i := range cellsAcross {
			var best r2.Vec
			most := 0.0
			for y := j * small.h / cellsDown; y < (j+1)*small.h/cellsDown; y += step {
				for x := i * small.w / cellsAcross; x < (i+1)*small.w/cellsAcross; x += step {
					c := r2.Vec{X: float64(x), Y: float64(y)}
					if w.look(small, c) && w.hold() > most {
						most, best = w.hold(), c
					}
				}
			}
			if most < 4*leastHold*w.all {
				continue
			}
			if q := begin(p, Start{Observation{r2.Scale(2, best), 0.05}, Still, stillHalf}, nil); q.lost == "" {
				s.points = append(s.points, q)
			}
		}
	}
}

// anchored are spots of a film's first picture, by which the camera's movement up to
// any other one is known without the small errors of all steps before.
type anchored struct {
	first *Picture
	spots background
}

// anchorEach is after how many pictures the camera is aligned with the first one.
const anchorEach = 6

func newAnchored(first *Picture) *anchored {
	a := &anchored{first: first}
	a.spots.choose(first)
	return a
}

// align is the movement from the first picture to another one, near to a guess; ok
// is false where too few spots are seen again.
func (a *anchored) align(to *Picture, guess optics.Movement) (m optics.Movement, ok bool) {
	var from, at []r2.Vec
	for _, q := range a.spots.points {
		seen, ok := q.here.flow(a.first, to, q.now, guess.Map(q.now), halvings, nil)
		if ok && q.here.alike(to.levels[0], seen) >= alikeStep {
			from, at = append(from, q.now), append(at, seen)
		}
	}
	m, agree, err := optics.FitMovement(from, at, agreeing)
	if err != nil {
		return guess, false
	}
	n := 0
	for _, yes := range agree {
		if yes {
			n++
		}
	}
	return m, n >= leastStill && 3*n >= len(a.spots.points)
}

// next is how the world moves to the next picture; a camera that nothing tells
// of is taken to stand.
func (s *background) next(from, to *Picture, last optics.Movement) optics.Movement {
	if len(s.points) < leastStill || s.fresh >= chosenFor {
		s.choose(from)
	}
	s.fresh++
	var a, b []r2.Vec
	for _, q := range s.points {
		at, ok := q.here.flow(from, to, q.now, last.Map(q.now), halvings, nil)
		if ok && q.here.alike(to.levels[0], at) >= alikeStep {
			a, b = append(a, q.now), append(b, at)
			q.now = at
		} else {
			q.lost = Hidden
		}
	}
	m, _, err := optics.FitMovement(a, b, agreeing)
	if err != nil {
		s.points = s.points[:0]
		return optics.Rest
	}
	kept := s.points[:0]
	for _, q := range s.points {
		if q.lost == "" {
			kept = append(kept, q)
		}
	}
	s.points = kept
	return m
}
