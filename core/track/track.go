// Package track follows a point from picture to picture by the look of its
// neighbourhood.
package track

import (
	"fmt"
	"math"
)

// Grey is a picture in shades, row by row.
type Grey struct {
	W, H  int
	Shade []float64
}

// NewGrey is a black picture.
func NewGrey(w, h int) Grey { return Grey{w, h, make([]float64, w*h)} }

// At is a pixel's shade.
func (g Grey) At(x, y int) float64 { return g.Shade[y*g.W+x] }

// Found is where a neighbourhood was found again, in pixels, and how alike it
// is: 1 the same, 0 nothing in common.
type Found struct{ X, Y, Alike float64 }

// Match looks in to for the neighbourhood of (x, y) in from, reaching half
// pixels to each side, within reach pixels of where it was. It compares by
// zero-mean normalised cross-correlation, which neither brightness nor
// contrast changes, and reads the peak between pixels off a parabolic surface, to about a fifth of a pixel.
func Match(from, to Grey, x, y, half, reach int) (Found, error) {
	if x-half < 0 || y-half < 0 || x+half >= from.W || y+half >= from.H {
		return Found{}, fmt.Errorf("the neighbourhood of %d, %d leaves the picture", x, y)
	}
	look := func(dx, dy int) float64 {
		cx, cy := x+dx, y+dy
		if cx-half < 0 || cy-half < 0 || cx+half >= to.W || cy+half >= to.H {
			return -1
		}
		return alike(from, to, x, y, cx, cy, half)
	}
	bx, by, best := 0, 0, math.Inf(-1)
	for dy := -reach; dy <= reach; dy++ {
		for dx := -reach; dx <= reach; dx++ {
			if a := look(dx, dy); a > best {
				bx, by, best = dx, dy, a
			}
		}
	}
	if math.IsNaN(best) || best <= 0 {
		return Found{}, fmt.Errorf("nothing like the neighbourhood of %d, %d is near", x, y)
	}
	px, py := peak(func(dx, dy int) float64 { return look(bx+dx, by+dy) })
	return Found{X: float64(x+bx) + px, Y: float64(y+by) + py, Alike: best}, nil
}

// peak is the top of the parabolic surface through a highest value and its
// neighbours, at most half a step away.
func peak(f func(dx, dy int) float64) (x, y float64) {
	gx, gy := (f(1, 0)-f(-1, 0))/2, (f(0, 1)-f(0, -1))/2
	xx, yy := f(1, 0)-2*f(0, 0)+f(-1, 0), f(0, 1)-2*f(0, 0)+f(0, -1)
	xy := (f(1, 1) - f(1, -1) - f(-1, 1) + f(-1, -1)) / 4
	d := xx*yy - xy*xy
	if xx >= 0 || d <= 0 {
		return 0, 0
	}
	half := func(v float64) float64 { return math.Max(-0.5, math.Min(0.5, v)) }
	return half((xy*gy - yy*gx) / d), half((xy*gx - xx*gy) / d)
}

// alike is the zero-mean normalised cross-correlation of two neighbourhoods,
// 0 where one of them has no contrast.
func alike(a, b Grey, ax, ay, bx, by, half int) float64 {
	n := float64((2*half + 1) * (2*half + 1))
	var sa, sb, aa, bb, ab float64
	for dy := -half; dy <= half; dy++ {
		for dx := -half; dx <= half; dx++ {
			p, q := a.At(ax+dx, ay+dy), b.At(bx+dx, by+dy)
			sa, sb, aa, bb, ab = sa+p, sb+q, aa+p*p, bb+q*q, ab+p*q
		}
	}
	va, vb := aa-sa*sa/n, bb-sb*sb/n
	if va < 1e-9 || vb < 1e-9 {
		return 0
	}
	return (ab - sa*sb/n) / math.Sqrt(va*vb)
}
