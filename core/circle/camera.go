package circle

import (
	"math"

	"gonum.org/v1/gonum/spatial/r2"
)

// The camera's numbers: height over the ground and distance from the circle's middle
// along it (m), the logarithm of the focal length (px), where it stands (radians: it
// looks along the throw at 0, and to the throw's left as it grows), how far its axis is
// turned from the middle to the right and below, roll, and half of the rim's painted
// width (m).
const (
	height = iota
	distance
	focal
	heading
	yaw
	pitch
	roll
	painted
	numbers
)

// camera is a pinhole over a level ground. Its picture is about middle.
type camera struct {
	n      [numbers]float64
	middle r2.Vec
}

// px is where a point of the ground is on the picture; false behind the camera.
func (c camera) px(ground r2.Vec) (r2.Vec, bool) {
	sinH, cosH := math.Sincos(c.n[heading])
	right := ground.X*sinH - ground.Y*cosH
	away := c.n[distance] + ground.X*cosH + ground.Y*sinH
	down := c.n[height]
	// Down to the middle first, then off it.
	right, away = turn(right, away, c.n[yaw])
	down, away = turn(down, away, math.Atan2(c.n[height], c.n[distance])+c.n[pitch])
	right, down = turn(right, down, c.n[roll])
	if away < 0.1 {
		return r2.Vec{}, false
	}
	f := math.Exp(c.n[focal]) / away
	return r2.Vec{X: c.middle.X + f*right, Y: c.middle.Y + f*down}, true
}

// turn takes the axis b toward a by an angle.
func turn(a, b, by float64) (float64, float64) {
	sin, cos := math.Sincos(by)
	return a*cos - b*sin, a*sin + b*cos
}

// aimed turns the camera so that the ellipse of a circle's rim has its middle at a
// pixel: half-way between the rim's nearest and farthest points.
func (c camera) aimed(at r2.Vec, radius float64) camera {
	for range 8 {
		sin, cos := math.Sincos(c.n[heading])
		near, ok := c.px(r2.Vec{X: -radius * cos, Y: -radius * sin})
		far, also := c.px(r2.Vec{X: radius * cos, Y: radius * sin})
		if !ok || !also {
			return c
		}
		f := math.Exp(c.n[focal])
		c.n[yaw] += ((near.X+far.X)/2 - at.X) / f
		c.n[pitch] += ((near.Y+far.Y)/2 - at.Y) / f
	}
	return c
}

// slope is how a pixel moves with each number.
func (c camera) slope(ground r2.Vec) (out [numbers]r2.Vec) {
	const by = 1e-5
	for k := range numbers {
		more, less := c, c
		more.n[k] += by
		less.n[k] -= by
		p, _ := more.px(ground)
		q, _ := less.px(ground)
		out[k] = r2.Scale(1/(2*by), r2.Sub(p, q))
	}
	return out
}
