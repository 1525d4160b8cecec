package sim

import (
	"math"

	"gonum.org/v1/gonum/spatial/r2"
	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
)

// Camera is a still phone on a tripod: a pinhole without distortion, level.
type Camera struct {
	At            r3.Vec // m
	LookAt        r3.Vec // m, at the picture's middle
	Focal         float64
	Width, Height int // px
}

// SideCamera stands square to the lane on the near side, far back and zoomed
// in so that width metres of the lane fill the picture.
func SideCamera(near body.Side, middleX, height, distance, width float64) Camera {
	y := distance
	if near == body.Right {
		y = -distance
	}
	const w, h = 1280, 720
	return Camera{
		At: r3.Vec{X: middleX, Y: y, Z: height}, LookAt: r3.Vec{X: middleX, Z: height},
		Focal: distance * w / width, Width: w, Height: h,
	}
}

// Project gives the pixel of a point of the world: origin top left, y down.
func (c Camera) Project(p r3.Vec) r2.Vec {
	ahead := r3.Unit(r3.Sub(c.LookAt, c.At))
	right := r3.Unit(r3.Cross(ahead, r3.Vec{Z: 1}))
	up := r3.Cross(right, ahead)
	d := r3.Sub(p, c.At)
	depth := r3.Dot(d, ahead)
	return r2.Vec{
		X: float64(c.Width)/2 + c.Focal*r3.Dot(d, right)/depth,
		Y: float64(c.Height)/2 - c.Focal*r3.Dot(d, up)/depth,
	}
}

// Rightward reports whether the direction of travel runs to the right on the picture.
func (c Camera) Rightward() bool { return c.At.Y < c.LookAt.Y }

// Near is the athlete's side that the camera sees.
func (c Camera) Near() body.Side {
	if c.Rightward() {
		return body.Right
	}
	return body.Left
}

// Field is the camera's vertical
// field of view in degrees, as a renderer asks for it.
func (c Camera) Field() float64 {
	return 2 * math.Atan(float64(c.Height)/2/c.Focal) * 180 / math.Pi
}
