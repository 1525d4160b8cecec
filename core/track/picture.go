// Package track follows points from picture to picture by the look of their
// neighbourhood: pyramidal Lucas–Kanade (Bouguet 2000, with the mean shade
// taken off so that light may change), checked forward and backward, held
// against the look it started with, and searched for by zero-mean normalised
// cross-correlation when it jumps. A point that is lost says why.
package track

import (
	"encoding/binary"
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

// Shades are a picture's, row by row. They must not be changed.
func (p *Picture) Shades() (w, h int, at []uint8) {
	full := p.levels[0]
	return full.w, full.h, full.at
}

// Size is a picture's width and height, px.
func (p *Picture) Size() (w, h int) { return p.levels[0].w, p.levels[0].h }

// halved weighs 1-2-1 in both directions and keeps every second pixel, so that
// pixel (x, y) of the half lies on (2x, 2y) of the whole. Eight columns are done
// at once, the even and the odd ones in four lanes of 16 bits each.
func (p plane) halved() plane {
	const evens, halves = 0x00ff00ff00ff00ff, 0x0008000800080008
	w, h := (p.w+1)/2, (p.h+1)/2
	out := plane{w, h, make([]uint8, w*h)}
	for y := range h {
		above, here, below := p.row(2*y-1), p.row(2*y), p.row(2*y+1)
		to := out.at[y*w : y*w+w]
		column := func(x int) int {
			x = min(max(x, 0), p.w-1)
			return int(above[x]) + 2*int(here[x]) + int(below[x])
		}
		before := uint64(column(0))
		x := 0
		for ; 2*x+8 <= p.w; x += 4 {
			a, m, b := binary.LittleEndian.Uint64(above[2*x:]), binary.LittleEndian.Uint64(here[2*x:]), binary.LittleEndian.Uint64(below[2*x:])
			even := a&evens + 2*(m&evens) + b&evens
			odd := a>>8&evens + 2*(m>>8&evens) + b>>8&evens
			sum := (odd<<16 | before) + 2*even + odd + halves
			before = odd >> 48
			sum = sum >> 4 & evens
			to[x], to[x+1], to[x+2], to[x+3] = uint8(sum), uint8(sum>>16), uint8(sum>>32), uint8(sum>>48)
		}
		for ; x < w; x++ {
			to[x] = uint8((column(2*x-1) + 2*column(2*x) + column(2*x+1) + 8) / 16)
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
	side := 2*half + 1
	for j := range side {
		at := (y-half+j)*p.w + x - half
		t, l := float32(p.at[at]), float32(p.at[at+p.w])
		top := p.at[at+1 : at+1+side]
		low := p.at[at+1+p.w : at+1+p.w+side]
		to := out[j*side : j*side+side]
		left := t + fy*(l-t)
		for i := range to {
			t, l := float32(top[i]), float32(low[i])
			right := t + fy*(l-t)
			to[i] = left + fx*(right-left)
			left = right
		}
	}
	return true
}
