package circle

import (
	"image"
	"math"

	"gonum.org/v1/gonum/spatial/r2"
)

// shades is a picture row by row.
type shades struct {
	w, h int
	at   []float32
}

func shadesOf(g *image.Gray) shades {
	s := shades{g.Rect.Dx(), g.Rect.Dy(), nil}
	s.at = make([]float32, 0, s.w*s.h)
	for y := range s.h {
		for _, v := range g.Pix[y*g.Stride : y*g.Stride+s.w] {
			s.at = append(s.at, float32(v))
		}
	}
	return s
}

// smaller takes n × n pixels together.
func (s shades) smaller(n int) shades {
	if n == 1 {
		return s
	}
	out := shades{s.w / n, s.h / n, nil}
	out.at = make([]float32, out.w*out.h)
	for y := range out.h * n {
		for x := range out.w * n {
			out.at[y/n*out.w+x/n] += s.at[y*s.w+x] / float32(n*n)
		}
	}
	return out
}

// taken is where a point is once pixels are taken together, 1/scale by 1/scale.
func taken(p r2.Vec, scale float64) r2.Vec {
	return r2.Vec{X: (p.X+0.5)*scale - 0.5, Y: (p.Y+0.5)*scale - 0.5}
}

// holds reports whether a point lies inside of the picture, so far from its edge.
func (s shades) holds(p r2.Vec, edge float64) bool {
	return p.X >= edge && p.Y >= edge && p.X < float64(s.w)-1-edge && p.Y < float64(s.h)-1-edge
}

// look is the shade between pixels; outside it is that of the edge.
func (s shades) look(p r2.Vec) float64 {
	x := math.Max(0, math.Min(float64(s.w)-1.001, p.X))
	y := math.Max(0, math.Min(float64(s.h)-1.001, p.Y))
	i, j := int(x), int(y)
	fx, fy := float32(x-float64(i)), float32(y-float64(j))
	a := s.at[j*s.w+i : j*s.w+i+2]
	b := s.at[(j+1)*s.w+i : (j+1)*s.w+i+2]
	return float64((a[0]*(1-fx)+a[1]*fx)*(1-fy) + (b[0]*(1-fx)+b[1]*fx)*fy)
}

// near is the shade of the pixel nearest to a point; outside it is 0.
func (s shades) near(p r2.Vec) float64 {
	if !s.holds(p, 0) {
		return 0
	}
	return float64(s.at[int(p.Y+0.5)*s.w+int(p.X+0.5)])
}

// ridge is by how many shades a point is brighter than the brighter of its two sides,
// so far off along the normal.
func (s shades) ridge(p, normal r2.Vec, off float64) float64 {
	by := r2.Scale(off, normal)
	return s.look(p) - math.Max(s.look(r2.Add(p, by)), s.look(r2.Sub(p, by)))
}

// ridges tells of each pixel how much a bright line through it or beside it stands out,
// 0 to 1.
func (s shades) ridges() shades {
	const off = 2
	lines := shades{s.w, s.h, make([]float32, s.w*s.h)}
	for y := off; y < s.h-off; y++ {
		for x := off; x < s.w-off; x++ {
			i := y*s.w + x
			most := max(s.at[i]-max(s.at[i-off], s.at[i+off]), s.at[i]-max(s.at[i-off*s.w], s.at[i+off*s.w]))
			lines.at[i] = max(0, min(1, (most-faint/2)/clear))
		}
	}
	out := shades{s.w, s.h, make([]float32, s.w*s.h)}
	for y := 1; y < s.h-1; y++ {
		for x := 1; x < s.w-1; x++ {
			i := y*s.w + x
			out.at[i] = max(lines.at[i], lines.at[i-1], lines.at[i+1], lines.at[i-s.w], lines.at[i+s.w])
		}
	}
	return out
}
