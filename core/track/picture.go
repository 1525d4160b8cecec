// Package track follows points from picture to picture by the look of their
// neighbourhood: pyramidal Lucas–Kanade (Bouguet 2000, with the mean shade
// taken off so that light may change), checked forward and backward, held
// against the look it started with, and searched for by zero-mean normalised
// cross-correlation when it jumps. A point that is lost says why.
package track

import (
	"image"

	"gonum.org/v1/gonum/spatial/r2"
)

// Picture is a picture in shades, kept at full size and halved again and again.
type Picture struct{ levels []plane }

// plane is one size of a picture, row by row.
type plane struct {
	w, h int
	at   []uint8
}

// halvings is how often a picture is halved: a neighbourhood is found again
// within half its width times 2^halvings of where it was expected.
const halvings = 3

// NewPicture takes a picture's shades over; they must not change afterwards.
func NewPicture(g *image.Gray) *Picture {
	w, h := g.Rect.Dx(), g.Rect.Dy()
	full := plane{w, h, g.Pix}
	if g.Stride != w {
		full.at = make([]uint8, 0, w*h)
		for y := range h {
			full.at = append(full.at, g.Pix[y*g.Stride:y*g.Stride+w]...)
		}
	}
	p := &Picture{levels: []plane{full}}
	for range halvings {
		p.levels = append(p.levels, p.levels[len(p.levels)-1].halved())
	}
	return p
}

// Size is a picture's width and height, px.
func (p *Picture) Size() (w, h int) { return p.levels[0].w, p.levels[0].h }

// halved weighs 1-2-1 in both directions and keeps every second pixel, so that
// pixel (x, y) of the half lies on (2x, 2y) of the whole.
func (p plane) halved() plane {
	w, h := (p.w+1)/2, (p.h+1)/2
	out := plane{w, h, make([]uint8, w*h)}
	for y := range h {
		above, here, below := p.row(2*y-1), p.row(2*y), p.row(2*y+1)
		column := func(x int) int { return int(above[x]) + 2*int(here[x]) + int(below[x]) }
		to := out.at[y*w : y*w+w]
		left := column(0)
		for x := range to[:p.w/2] {
			right := column(2*x + 1)
			to[x] = uint8((left + 2*column(2*x) + right + 8) / 16)
			left = right
		}
		if w > p.w/2 {
			to[w-1] = uint8((left + 3*column(p.w-1) + 8) / 16)
		}
	}
	return out
}

// row is a row of pixels, the nearest one beyond the edges.
func (p plane) row(y int) []uint8 {
	y = min(max(y, 0), p.h-1)
	return p.at[y*p.w : y*p.w+p.w]
}

// patch reads the square of pixels that reaches half to each side of c into
// out, between pixels by their four neighbours. It reports false when the
// square leaves the picture.
func (p plane) patch(c r2.Vec, half int, out []float32) bool {
	if !(c.X >= float64(half) && c.Y >= float64(half) && c.X < float64(p.w-1-half) && c.Y < float64(p.h-1-half)) {
		return false
	}
	x, y := int(c.X), int(c.Y)
	fx, fy := float32(c.X-float64(x)), float32(c.Y-float64(y))
	a, b, cc, d := (1-fx)*(1-fy), fx*(1-fy), (1-fx)*fy, fx*fy
	side := 2*half + 1
	for j := range side {
		at := (y-half+j)*p.w + x - half
		top := p.at[at : at+side+1]
		low := p.at[at+p.w : at+p.w+side+1]
		to := out[j*side : j*side+side]
		t0, l0 := float32(top[0]), float32(low[0])
		for i := range to {
			t1, l1 := float32(top[i+1]), float32(low[i+1])
			to[i] = a*t0 + b*t1 + cc*l0 + d*l1
			t0, l0 = t1, l1
		}
	}
	return true
}
