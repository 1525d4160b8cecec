package track

import (
	"math"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/optics"
)

// window is the neighbourhood of a point on one size of a picture, with how its
// shade changes across it and down it, how much each of its pixels counts, and
// room to work.
type window struct {
	half           int
	at, dx, dy     []float32
	weight         []float32
	all            float64 // sum of the weights
	xx, xy, yy     float64 // products of the changes, their means taken off
	wide, tall     float64 // mean changes
	framed, moving []float32
}

func newWindow(half int) *window {
	n := (2*half + 1) * (2*half + 1)
	framed := (2*half + 3) * (2*half + 3)
	w := &window{half: half, at: make([]float32, n), dx: make([]float32, n), dy: make([]float32, n), weight: make([]float32, n), framed: make([]float32, framed), moving: make([]float32, n)}
	w.evenly()
	return w
}

// evenly lets every pixel count the same.
func (w *window) evenly() {
	for i := range w.weight {
		w.weight[i] = 1
	}
	w.all = float64(len(w.weight))
}

// look takes the neighbourhood of c in; false when it leaves the picture. The
// weights stay.
func (w *window) look(p plane, c r2.Vec) bool {
	if !p.patch(c, w.half+1, w.framed) {
		return false
	}
	side, wider := 2*w.half+1, 2*w.half+3
	var sx, sy, xx, xy, yy float32
	weight := w.weight
	for j := range side {
		mid := w.framed[(j+1)*wider : (j+2)*wider]
		top, low := w.framed[j*wider:(j+1)*wider], w.framed[(j+2)*wider:(j+3)*wider]
		at, dx, dy := w.at[j*side:j*side+side], w.dx[j*side:j*side+side], w.dy[j*side:j*side+side]
		for i := range at {
			gx, gy, m := (mid[i+2]-mid[i])/2, (low[i+1]-top[i+1])/2, weight[j*side+i]
			at[i], dx[i], dy[i] = mid[i+1], m*gx, m*gy
			sx, sy = sx+m*gx, sy+m*gy
			xx, xy, yy = xx+m*gx*gx, xy+m*gx*gy, yy+m*gy*gy
		}
	}
	n := w.all
	w.wide, w.tall = float64(sx)/n, float64(sy)/n
	w.xx, w.xy, w.yy = float64(xx)-w.wide*float64(sx), float64(xy)-w.wide*float64(sy), float64(yy)-w.tall*float64(sy)
	return true
}

// hold is how well the neighbourhood fixes a place in its worse direction: the
// smaller eigenvalue of the products of changes, in squared shades a pixel.
func (w *window) hold() float64 {
	mean, half := (w.xx+w.yy)/2, (w.xx-w.yy)/2
	return mean - math.Hypot(half, w.xy)
}

// grasp is how well it fixes a place in its better direction.
func (w *window) grasp() float64 { return w.xx + w.yy - w.hold() }

const (
	// steps are the most that one size of a picture is refined by.
	steps = 12
	// found is the step, px, under which a place is found; nearly is enough on a
	// halved picture, from which the next size goes on.
	found  = 0.01
	nearly = 0.08
	// changed is by how many shades a pixel differs from what stands still for
	// it to count half.
	changed = 10
	// leastMoving is the share of a neighbourhood that must move with its point
	// for the rest to count little.
	leastMoving = 0.025
	// leastHold is the squared change from pixel to pixel under which a
	// neighbourhood fixes no place: noise alone has more.
	leastHold = 0.3
)

// refine moves c until the neighbourhood there looks as w does, by steps that
// become smaller than enough.
func (w *window) refine(p plane, c r2.Vec, enough float64) (r2.Vec, bool) {
	det := w.xx*w.yy - w.xy*w.xy
	if w.hold() < leastHold*w.all || det <= 0 {
		return c, false
	}
	reach := float64(w.half)
	for range steps {
		if !p.patch(c, w.half, w.moving) {
			return c, false
		}
		var bx, by, sum float32
		dx, dy, now, weight := w.dx[:len(w.at)], w.dy[:len(w.at)], w.moving[:len(w.at)], w.weight[:len(w.at)]
		for i, was := range w.at {
			d := was - now[i]
			bx, by, sum = bx+d*dx[i], by+d*dy[i], sum+d*weight[i]
		}
		x, y := float64(bx)-w.wide*float64(sum), float64(by)-w.tall*float64(sum)
		step := r2.Vec{X: (w.yy*x - w.xy*y) / det, Y: (w.xx*y - w.xy*x) / det}
		if n := r2.Norm(step); n > reach {
			step = r2.Scale(reach/n, step)
		}
		c = r2.Add(c, step)
		if r2.Norm(step) < enough {
			break
		}
	}
	return c, true
}

// alike is the zero-mean normalised cross-correlation of w with the
// neighbourhood of c: 1 the same look, 0 nothing in common.
func (w *window) alike(p plane, c r2.Vec) float64 {
	if !p.patch(c, w.half, w.moving) {
		return 0
	}
	return correlation(w.at, w.moving, w.weight, w.all)
}

func correlation(a, b, weight []float32, n float64) float64 {
	var sa, sb, aa, bb, ab float32
	a0, b0 := a[0], b[0] // near the mean: the sums of squares stay small
	b, weight = b[:len(a)], weight[:len(a)]
	for i, x := range a {
		x, y, m := x-a0, b[i]-b0, weight[i]
		mx, my := m*x, m*y
		sa, sb, aa, bb, ab = sa+mx, sb+my, aa+mx*x, bb+my*y, ab+mx*y
	}
	va, vb := float64(aa)-float64(sa)*float64(sa)/n, float64(bb)-float64(sb)*float64(sb)/n
	if va < n/4 || vb < n/4 { // less than half a shade of contrast
		return 0
	}
	return (float64(ab) - float64(sa)*float64(sb)/n) / math.Sqrt(va*vb)
}

// flow finds where the neighbourhood of at in one picture lies in another,
// beginning from a guess on the size halved top times and ending on the full
// one. What stands still in the world counts little, where a still says how
// the world moved.
func (w *window) flow(from, to *Picture, at, guess r2.Vec, top int, still []*layer) (r2.Vec, bool) {
	c, seen := guess, false
	for l := min(top, len(from.levels)-1); l >= 0; l-- {
		s := float64(int(1) << l)
		w.weigh(from, l, at, still)
		if !w.look(from.levels[l], r2.Scale(1/s, at)) {
			continue
		}
		enough := found
		if l > 0 {
			enough = nearly
		}
		got, ok := w.refine(to.levels[l], r2.Scale(1/s, c), enough)
		if ok {
			c = r2.Scale(s, got)
		}
		seen = ok
	}
	return c, seen
}

// layer is another picture, and how what stands still moves on the way to it.
type layer struct {
	picture *Picture
	move    optics.Movement
}

// weigh lets those pixels count that differ from where they would be in every
// one of the other pictures if they stood still in the world.
func (w *window) weigh(from *Picture, l int, at r2.Vec, others []*layer) {
	w.evenly()
	if len(others) == 0 {
		return
	}
	s := 1 / float64(int(1)<<l)
	here := w.at
	if !from.levels[l].patch(r2.Scale(s, at), w.half, here) {
		return
	}
	for _, o := range others {
		if !o.picture.levels[l].patch(r2.Scale(s, o.move.Map(at)), w.half, w.moving) {
			return
		}
		w.differ()
	}
	w.shrink()
	w.all = 0
	for i := range w.weight {
		w.weight[i] = max(w.weight[i], 0.01)
		w.all += float64(w.weight[i])
	}
	if w.all < leastMoving*float64(len(w.weight)) {
		w.evenly()
	}
}

// differ lets each pixel count by how far it and those beside it are, on
// average, from the other picture's, which lies in moving.
func (w *window) differ() {
	side := 2*w.half + 1
	sums := w.framed[:side*side]
	for j := range side {
		here, there, to := w.at[j*side:j*side+side], w.moving[j*side:j*side+side], sums[j*side:j*side+side]
		last := side - 1
		a, b := here[0]-there[0], here[0]-there[0]
		for i := range last {
			c := here[i+1] - there[i+1]
			to[i], a, b = a+b+c, b, c
		}
		to[last] = a + 2*b
	}
	for j := range side {
		above, here, below := sums[max(0, j-1)*side:][:side], sums[j*side:][:side], sums[min(side-1, j+1)*side:][:side]
		to := w.weight[j*side : j*side+side]
		for i := range to {
			d := above[i] + here[i] + below[i]
			d *= d
			to[i] = min(to[i], d/(d+9*9*changed*changed))
		}
	}
}

// shrink lets a pixel count no more than those beside it: where two surfaces
// meet, what is seen is neither's.
func (w *window) shrink() {
	side := 2*w.half + 1
	across, weight := w.moving, w.weight
	for j := range side {
		row, to := weight[j*side:j*side+side], across[j*side:j*side+side]
		for i := range row {
			to[i] = min(row[max(0, i-1)], row[i], row[min(side-1, i+1)])
		}
	}
	for j := range side {
		above, here, below := across[max(0, j-1)*side:][:side], across[j*side:][:side], across[min(side-1, j+1)*side:][:side]
		to := weight[j*side : j*side+side]
		for i := range to {
			to[i] = min(above[i], here[i], below[i])
		}
	}
}
