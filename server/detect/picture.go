package detect

import (
	"image"
	"math"
)

// Picture is a picture in red, green and blue.
type Picture struct {
	Width, Height int
	Pixels        []byte // three bytes each, row by row
}

// NewPicture copies a picture's colours.
func NewPicture(m image.Image) *Picture {
	b := m.Bounds()
	p := &Picture{Width: b.Dx(), Height: b.Dy(), Pixels: make([]byte, 3*b.Dx()*b.Dy())}
	i := 0
	if y, ok := m.(*image.YCbCr); ok {
		for row := b.Min.Y; row < b.Max.Y; row++ {
			for column := b.Min.X; column < b.Max.X; column++ {
				c := y.COffset(column, row)
				p.Pixels[i], p.Pixels[i+1], p.Pixels[i+2] = colour(y.Y[y.YOffset(column, row)], y.Cb[c], y.Cr[c])
				i += 3
			}
		}
		return p
	}
	for row := b.Min.Y; row < b.Max.Y; row++ {
		for column := b.Min.X; column < b.Max.X; column++ {
			red, green, blue, _ := m.At(column, row).RGBA()
			p.Pixels[i], p.Pixels[i+1], p.Pixels[i+2] = byte(red>>8), byte(green>>8), byte(blue>>8)
			i += 3
		}
	}
	return p
}

// colour is JFIF's conversion, in whole numbers.
func colour(luma, blueness, redness byte) (red, green, blue byte) {
	y, cb, cr := int(luma)<<16+1<<15, int(blueness)-128, int(redness)-128
	bound := func(v int) byte { return byte(min(255, max(0, v>>16))) }
	return bound(y + 91881*cr), bound(y - 22554*cb - 46802*cr), bound(y + 116130*cb)
}

// Region is a square of a picture: its middle and side, px, turned by Turn,
// radians clockwise on the screen.
type Region struct{ X, Y, Size, Turn float64 }

// at is the point of the picture that lies u and v sides from the region's middle.
func (r Region) at(u, v float64) (x, y float64) {
	s, c := math.Sincos(r.Turn)
	return r.X + (u*c-v*s)*r.Size, r.Y + (u*s+v*c)*r.Size
}

// about is the square round a person whose hips are at one point, and whose head
// and reach end at another: a quarter larger than twice the way between them.
func about(x, y, endX, endY float64) Region {
	const room = 1.25
	dx, dy := endX-x, endY-y
	return Region{X: x, Y: y, Size: 2 * room * math.Hypot(dx, dy), Turn: math.Remainder(math.Atan2(dy, dx)+math.Pi/2, 2*math.Pi)}
}

// warp reads a region of a picture into a square of size × size pixels of three
// numbers from low to high: between pixels, and averaged where the region is
// larger. What lies beyond the picture is black. A mirrored region has its left
// and right exchanged.
func (p *Picture) warp(to []float32, size int, r Region, low, high float32, mirrored bool) {
	perPixel := r.Size / float64(size)
	each := 1 // samples along a side of a pixel
	switch {
	case perPixel > 2.8:
		each = 3
	case perPixel > 1.4:
		each = 2
	}
	scale := (high - low) / 255 / float32(each*each)
	s, c := math.Sincos(r.Turn)
	s, c = s*perPixel, c*perPixel
	i := 0
	for row := range size {
		for column := range size {
			var sum [3]float32
			for a := range each {
				for b := range each {
					u := float64(column) + (float64(b)+0.5)/float64(each) - float64(size)/2
					v := float64(row) + (float64(a)+0.5)/float64(each) - float64(size)/2
					if mirrored {
						u = -u
					}
					p.sample(&sum, r.X+u*c-v*s-0.5, r.Y+u*s+v*c-0.5)
				}
			}
			for k := range 3 {
				to[i+k] = sum[k]*scale + low
			}
			i += 3
		}
	}
}

// sample adds the colours at a point between pixels.
func (p *Picture) sample(sum *[3]float32, x, y float64) {
	left, top := math.Floor(x), math.Floor(y)
	column, row := int(left), int(top)
	across, down := float32(x-left), float32(y-top)
	if column >= 0 && row >= 0 && column+1 < p.Width && row+1 < p.Height {
		upper := p.Pixels[3*(row*p.Width+column):]
		lower := p.Pixels[3*((row+1)*p.Width+column):]
		for k := range 3 {
			a := float32(upper[k])*(1-across) + float32(upper[k+3])*across
			b := float32(lower[k])*(1-across) + float32(lower[k+3])*across
			sum[k] += a*(1-down) + b*down
		}
		return
	}
	for dy := range 2 {
		for dx := range 2 {
			c, r := column+dx, row+dy
			if c < 0 || r < 0 || c >= p.Width || r >= p.Height {
				continue
			}
			w := (float32(dx)*across + float32(1-dx)*(1-across)) * (float32(dy)*down + float32(1-dy)*(1-down))
			for k := range 3 {
				sum[k] += w * float32(p.Pixels[3*(r*p.Width+c)+k])
			}
		}
	}
}
