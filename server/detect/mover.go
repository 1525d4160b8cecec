package detect

import (
	"cmp"
	"errors"
	"math"
	"slices"
)

// ErrSeveral says that it is not known which person is meant.
var ErrSeveral = errors.New("several people move on this film")

const (
	// samples is how many pictures from all of a film are compared to see who moves.
	samples = 8
	// clearly is by how many shades, on the mean, one who moves differs from what is
	// there on other pictures.
	clearly = 4.0
)

// Athlete finds who is filmed on n pictures: the one who moves, of the people on some
// of them, and on the picture that shows it best. at is nil where nobody is seen to
// move; several who move alike are an ErrSeveral.
func (f *Finder) Athlete(n int, picture func(i int) (*Picture, error)) (best int, at *Region, err error) {
	if n == 0 {
		return 0, nil, nil
	}
	pictures, thumbs := make([]*Picture, samples), make([]thumb, samples)
	number := func(k int) int { return (2*k + 1) * n / (2 * samples) }
	for k := range samples {
		if pictures[k], err = picture(number(k)); err != nil {
			return 0, nil, err
		}
		thumbs[k] = newThumb(pictures[k])
	}
	most, rival := 0.0, 0.0
	for k, p := range pictures {
		m, ok := movingOn(thumbs[k], slices.Concat(thumbs[:k], thumbs[k+1:]))
		if !ok {
			continue
		}
		people, err := f.movers(p, m)
		if err != nil {
			return 0, nil, err
		}
		mover, by, next := m.mover(people)
		if by >= clearly && by*mover.Sure > most {
			most, rival = by*mover.Sure, next/by
			best, at = number(k), &mover.Region
		}
	}
	const alike = 0.7
	if at != nil && rival > alike {
		return 0, nil, ErrSeveral
	}
	return best, at, nil
}

// movers are the people where most moves on a picture, and where most does besides.
func (f *Finder) movers(p *Picture, m moving) ([]Person, error) {
	var people []Person
	for range 2 {
		where, somewhere := m.most(people)
		if !somewhere {
			break
		}
		more, err := f.within(p, []Region{where, {X: where.X, Y: where.Y, Size: 1.7 * where.Size}, p.squares()[0]})
		if err != nil {
			return nil, err
		}
		people = each(append(people, more...))
	}
	return people, nil
}

// thumb is a picture in shades, small: enough to see who moves.
type thumb struct {
	w, h  int
	scale float64 // of its px to the picture's
	at    []float64
}

// thumbWidth is how wide a thumb is, px.
const thumbWidth = 160

func newThumb(p *Picture) thumb {
	t := thumb{w: thumbWidth, scale: float64(p.Width) / thumbWidth}
	t.h = int(float64(p.Height) / t.scale)
	t.at = make([]float64, t.w*t.h)
	step := max(1, int(t.scale))
	for y := range t.h {
		for x := range t.w {
			left, top := int(float64(x)*t.scale), int(float64(y)*t.scale)
			sum, n := 0, 0
			for j := top; j < min(p.Height, top+step); j += 2 {
				for i := left; i < min(p.Width, left+step); i += 2 {
					k := 3 * (j*p.Width + i)
					sum += int(p.Pixels[k]) + 2*int(p.Pixels[k+1]) + int(p.Pixels[k+2])
					n++
				}
			}
			t.at[y*t.w+x] = float64(sum) / float64(4*max(1, n))
		}
	}
	return t
}

// moving is by how much each spot of a picture differs from the same spot of the world
// on most other pictures of the film: who stands about does not, and is hidden on few.
type moving struct {
	thumb // its shades are differences
	noise float64
}

// movingOn compares a picture with others of its film. ok is false where too few show
// the same place.
func movingOn(here thumb, others []thumb) (m moving, ok bool) {
	diffs := make([][]float64, len(here.at))
	for _, o := range others {
		dx, dy, alike := here.shift(o)
		if !alike {
			continue
		}
		for y := range here.h {
			for x := range here.w {
				if px, py := x+dx, y+dy; px >= 1 && py >= 1 && px < o.w-1 && py < o.h-1 {
					d := math.Inf(1) // from the likest neighbour: what is registered is so to a pixel
					for _, k := range [5]int{0, 1, -1, o.w, -o.w} {
						d = math.Min(d, math.Abs(here.at[y*here.w+x]-o.at[py*o.w+px+k]))
					}
					diffs[y*here.w+x] = append(diffs[y*here.w+x], d)
				}
			}
		}
	}
	m.thumb = thumb{w: here.w, h: here.h, scale: here.scale, at: make([]float64, len(here.at))}
	var all []float64
	for i, d := range diffs {
		if len(d) < 2 {
			continue
		}
		slices.Sort(d)
		m.at[i] = d[len(d)/4]
		all = append(all, m.at[i])
	}
	if len(all) < len(diffs)/2 {
		return m, false
	}
	slices.Sort(all)
	m.noise = all[len(all)/2]
	return m, true
}

// shift is how far another picture's view has gone, px of thumbs, where two thirds of
// the picture are alike.
func (t thumb) shift(o thumb) (dx, dy int, ok bool) {
	const (
		across, down = 40, 12
		alike        = 6.0 // shades
	)
	miss := func(dx, dy, step int) float64 {
		var off []float64
		for y := 2; y < t.h-2; y += step {
			for x := 2; x < t.w-2; x += step {
				if px, py := x+dx, y+dy; px >= 0 && py >= 0 && px < o.w && py < o.h {
					off = append(off, math.Abs(t.at[y*t.w+x]-o.at[py*o.w+px]))
				}
			}
		}
		slices.Sort(off)
		return off[len(off)*2/3]
	}
	best := math.Inf(1)
	try := func(x, y, step int) {
		if m := miss(x, y, step); m < best {
			best, dx, dy = m, x, y
		}
	}
	try(0, 0, 3)
	if best > alike/2 {
		for y := -down; y <= down; y += 2 {
			for x := -across; x <= across; x += 2 {
				try(x, y, 5)
			}
		}
		best = math.Inf(1)
		for y, cy := -2, dy; y <= 2; y++ {
			for x, cx := -2, dx; x <= 2; x++ {
				try(cx+x, cy+y, 3)
			}
		}
	}
	return dx, dy, best <= alike
}

// within is the mean movement in a region's inner half, above the noise, shades.
func (m moving) within(r Region) float64 {
	size := r.Size / m.scale
	cx, cy := r.X/m.scale, r.Y/m.scale
	sum, n := 0.0, 0
	for y := max(0, int(cy-size/4)); y <= min(m.h-1, int(cy+size/4)); y++ {
		for x := max(0, int(cx-size/4)); x <= min(m.w-1, int(cx+size/4)); x++ {
			sum += math.Max(0, m.at[y*m.w+x]-m.noise)
			n++
		}
	}
	return sum / float64(max(1, n))
}

// most is a square round where most moves, beside the people that are known.
func (m moving) most(known []Person) (Region, bool) {
	type spot struct{ x, y float64 }
	var spots []spot
	for i, d := range m.at {
		at := spot{float64(i % m.w), float64(i / m.w)}
		if d > m.noise+2*clearly && !slices.ContainsFunc(known, func(p Person) bool {
			return math.Max(math.Abs(at.x*m.scale-p.X), math.Abs(at.y*m.scale-p.Y)) < p.Size/2
		}) {
			spots = append(spots, at)
		}
	}
	const fewest = 8
	if len(spots) < fewest {
		return Region{}, false
	}
	middle := func(by func(spot) float64) (at, half float64) {
		list := slices.SortedFunc(slices.Values(spots), func(a, b spot) int { return cmp.Compare(by(a), by(b)) })
		n := len(list)
		return by(list[n/2]), math.Max(by(list[n/2])-by(list[n/10]), by(list[n*9/10])-by(list[n/2]))
	}
	x, halfX := middle(func(s spot) float64 { return s.x })
	y, halfY := middle(func(s spot) float64 { return s.y })
	return Region{X: (x + 0.5) * m.scale, Y: (y + 0.5) * m.scale, Size: 3 * m.scale * math.Max(8, math.Max(halfX, halfY))}, true
}

// mover is who of some people moves most, by how much, and how much the next one does.
func (m moving) mover(people []Person) (mover Person, by, next float64) {
	for _, p := range people {
		switch v := m.within(p.Region); {
		case v > by:
			if !mover.same(p.Region) {
				next = by
			}
			mover, by = p, v
		case v > next && !mover.same(p.Region):
			next = v
		}
	}
	return mover, by, next
}
