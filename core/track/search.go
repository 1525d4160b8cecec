package track

import (
	"math"

	"gonum.org/v1/gonum/spatial/r2"
)

// search looks for what is round at in one picture everywhere within reach
// pixels of a guess in the other: first on the halved pictures, then about the
// best place there on the whole ones. It returns the place, between pixels by
// the parabolic surface through the peak, how alike it is, and how alike the
// best place away from it is.
func (w *window) search(from, to *Picture, at, guess r2.Vec, reach int, apart []*layer) (best r2.Vec, alike, second float64) {
	small := newWindow(max(3, w.half/2))
	small.weigh(from, 1, at, apart)
	if !small.look(from.levels[1], r2.Scale(0.5, at)) {
		return guess, 0, 0
	}
	coarse := small.scan(to.levels[1], r2.Scale(0.5, guess), (reach+1)/2)
	w.weigh(from, 0, at, apart)
	if !w.look(from.levels[0], at) {
		return guess, 0, 0
	}
	fine := w.scan(to.levels[0], r2.Scale(2, coarse.place(coarse.top)), fineReach)
	return fine.peak(), fine.of[fine.top], coarse.away(small.half)
}

// fineReach is how far, px, the best place of the halved picture may be off.
const fineReach = 2

// likeness is how alike a window is to each place of a square.
type likeness struct {
	centre r2.Vec
	reach  int
	of     []float64
	top    int // the most alike
}

func (w *window) scan(p plane, c r2.Vec, reach int) likeness {
	side := 2*reach + 1
	l := likeness{r2.Vec{X: math.Round(c.X), Y: math.Round(c.Y)}, reach, make([]float64, side*side), 0}
	for k := range l.of {
		l.of[k] = w.alike(p, l.place(k))
		if l.of[k] > l.of[l.top] {
			l.top = k
		}
	}
	return l
}

func (l likeness) place(k int) r2.Vec {
	side := 2*l.reach + 1
	return r2.Add(l.centre, r2.Vec{X: float64(k%side - l.reach), Y: float64(k/side - l.reach)})
}

// away is how alike the best place is that lies more than half a window from
// the most alike one.
func (l likeness) away(half int) (best float64) {
	top := l.place(l.top)
	for k, v := range l.of {
		if d := r2.Sub(l.place(k), top); math.Max(math.Abs(d.X), math.Abs(d.Y)) > float64(half) {
			best = math.Max(best, v)
		}
	}
	return best
}

// peak is the most alike place, between pixels.
func (l likeness) peak() r2.Vec {
	side := 2*l.reach + 1
	i, j := l.top%side, l.top/side
	at := l.place(l.top)
	if i > 0 && j > 0 && i < side-1 && j < side-1 {
		x, y := peak(func(di, dj int) float64 { return l.of[(j+dj)*side+i+di] })
		at = r2.Add(at, r2.Vec{X: x, Y: y})
	}
	return at
}

// peak is the top of the parabolic surface through a highest value and its
// neighbours, at most half a step away.
func peak(f func(i, j int) float64) (x, y float64) {
	gx, gy := (f(1, 0)-f(-1, 0))/2, (f(0, 1)-f(0, -1))/2
	xx, yy := f(1, 0)-2*f(0, 0)+f(-1, 0), f(0, 1)-2*f(0, 0)+f(0, -1)
	xy := (f(1, 1) - f(1, -1) - f(-1, 1) + f(-1, -1)) / 4
	d := xx*yy - xy*xy
	if xx >= 0 || d <= 0 {
		return 0, 0
	}
	half := func(v float64) float64 { return max(-0.5, min(0.5, v)) }
	return half((xy*gy - yy*gx) / d), half((xy*gx - xx*gy) / d)
}
