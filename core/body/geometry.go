package body

import (
	"math"

	"gonum.org/v1/gonum/spatial/r2"
	"gonum.org/v1/gonum/spatial/r3"
)

// Degrees is a plane angle.
type Degrees = float64

const deg = 180 / math.Pi

// Included is the angle at b between b→a and b→c, 0 to 180, straight = 180.
func Included(a, b, c r2.Vec) Degrees {
	u, v := r2.Sub(a, b), r2.Sub(c, b)
	return math.Atan2(math.Abs(r2.Cross(u, v)), r2.Dot(u, v)) * deg
}

// IncludedSpace is Included of points in space.
func IncludedSpace(a, b, c r3.Vec) Degrees {
	u, v := r3.Sub(a, b), r3.Sub(c, b)
	return math.Atan2(r3.Norm(r3.Cross(u, v)), r3.Dot(u, v)) * deg
}

// FittedInclination is the inclination of the line fitted through the points
// by least squares of the perpendicular distances, pointing from first to last.
func FittedInclination(pts ...r2.Vec) Degrees {
	var mean r2.Vec
	for _, p := range pts {
		mean = r2.Add(mean, r2.Scale(1/float64(len(pts)), p))
	}
	var xx, yy, xy float64
	for _, p := range pts {
		d := r2.Sub(p, mean)
		xx, yy, xy = xx+d.X*d.X, yy+d.Y*d.Y, xy+d.X*d.Y
	}
	axis := 0.5 * math.Atan2(2*xy, xx-yy)
	dir := r2.Vec{X: math.Cos(axis), Y: math.Sin(axis)}
	if r2.Dot(dir, r2.Sub(pts[len(pts)-1], pts[0])) < 0 {
		dir = r2.Scale(-1, dir)
	}
	return math.Atan2(dir.Y, dir.X) * deg
}

// ShinAngle is the shin from the vertical at touchdown, positive when the
// ankle is ahead of the knee (reaching).
func ShinAngle(knee, ankle r2.Vec) Degrees {
	return math.Atan2(ankle.X-knee.X, knee.Y-ankle.Y) * deg
}

// Turn is the signed angle from direction a→b to direction b→c, −180 to 180,
// anticlockwise positive with x forward and y up.
func Turn(a, b, c r2.Vec) Degrees {
	u, v := r2.Sub(b, a), r2.Sub(c, b)
	return math.Atan2(r2.Cross(u, v), r2.Dot(u, v)) * deg
}
