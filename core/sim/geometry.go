package sim

import (
	"math"

	"gonum.org/v1/gonum/spatial/r3"
)

func sin(deg float64) float64 { return math.Sin(deg * math.Pi / 180) }
func cos(deg float64) float64 { return math.Cos(deg * math.Pi / 180) }
func sq(x float64) float64    { return x * x }

func atan2(y, x float64) float64 { return math.Atan2(y, x) * 180 / math.Pi }

func clamp(x, low, high float64) float64 { return max(low, min(high, x)) }

// between goes from a to b as s goes from 0 to 1.
func between(a, b, s float64) float64 { return a + (b-a)*s }

// smooth rises from 0 to 1 without a jump in speed.
func smooth(s float64) float64 {
	s = clamp(s, 0, 1)
	return s * s * (3 - 2*s)
}

// wrap is an angle within ±180 degrees.
func wrap(deg float64) float64 { return math.Remainder(deg, 360) }

func middle(a, b r3.Vec) r3.Vec { return r3.Scale(0.5, r3.Add(a, b)) }

func mix(a, b r3.Vec, s float64) r3.Vec { return r3.Add(r3.Scale(1-s, a), r3.Scale(s, b)) }

// frame is a right-handed basis: x forward, y left, z up.
type frame struct{ x, y, z r3.Vec }

// turned is the frame of a body turned by yaw about the vertical, then pitched
// forward, then rolled left side up, in degrees.
func turned(yaw, pitch, roll float64) frame {
	sy, cy, sp, cp, sr, cr := sin(yaw), cos(yaw), sin(pitch), cos(pitch), sin(roll), cos(roll)
	return frame{
		x: r3.Vec{X: cy * cp, Y: sy * cp, Z: -sp},
		y: r3.Vec{X: cy*sp*sr - sy*cr, Y: sy*sp*sr + cy*cr, Z: cp * sr},
		z: r3.Vec{X: cy*sp*cr + sy*sr, Y: sy*sp*cr - cy*sr, Z: cp * cr},
	}
}

// out takes a vector of the frame into the world, in takes it back.
func (f frame) out(v r3.Vec) r3.Vec {
	return r3.Vec{X: f.x.X*v.X + f.y.X*v.Y + f.z.X*v.Z, Y: f.x.Y*v.X + f.y.Y*v.Y + f.z.Y*v.Z, Z: f.x.Z*v.X + f.y.Z*v.Y + f.z.Z*v.Z}
}

func (f frame) in(v r3.Vec) r3.Vec {
	return r3.Vec{X: r3.Dot(f.x, v), Y: r3.Dot(f.y, v), Z: r3.Dot(f.z, v)}
}

// from is frame g as seen from f.
func (f frame) from(g frame) frame { return frame{f.in(g.x), f.in(g.y), f.in(g.z)} }

// then is frame g, given in f, in the world.
func (f frame) then(g frame) frame { return frame{f.out(g.x), f.out(g.y), f.out(g.z)} }

// rotation is the axis of a frame's turn out of the world's, its length the
// angle in degrees.
func (f frame) rotation() r3.Vec {
	axis := r3.Vec{X: f.y.Z - f.z.Y, Y: f.z.X - f.x.Z, Z: f.x.Y - f.y.X}
	s, c := r3.Norm(axis)/2, (f.x.X+f.y.Y+f.z.Z-1)/2
	if s < 1e-12 {
		return r3.Vec{}
	}
	return r3.Scale(atan2(s, c)/(2*s), axis)
}

// rotated is the frame turned about v by its length in degrees.
func rotated(v r3.Vec) frame {
	n := r3.Norm(v)
	if n < 1e-12 {
		return frame{r3.Vec{X: 1}, r3.Vec{Y: 1}, r3.Vec{Z: 1}}
	}
	u := r3.Scale(1/n, v)
	return frame{about(r3.Vec{X: 1}, u, n), about(r3.Vec{Y: 1}, u, n), about(r3.Vec{Z: 1}, u, n)}
}

// about turns v about the unit axis u by degrees.
func about(v, u r3.Vec, deg float64) r3.Vec {
	s, c := sin(deg), cos(deg)
	return r3.Add(r3.Add(r3.Scale(c, v), r3.Scale(s, r3.Cross(u, v))), r3.Scale((1-c)*r3.Dot(u, v), u))
}

// flat is the horizontal unit vector at a yaw.
func flat(yaw float64) r3.Vec { return r3.Vec{X: cos(yaw), Y: sin(yaw)} }

// toward is the horizontal unit vector of an azimuth: 0 to the back of the
// circle, 180 along the throw, growing as a right-hander turns.
func toward(azimuth float64) r3.Vec { return flat(azimuth + 180) }

// azimuthOf is the azimuth of a direction, 0 to 360.
func azimuthOf(v r3.Vec) float64 { return math.Mod(atan2(-v.Y, -v.X)+360, 360) }

// facing is the azimuth of the horizontal normal of a line from a body's right
// to its left.
func facing(right, left r3.Vec) float64 {
	d := r3.Sub(left, right)
	return azimuthOf(r3.Vec{X: d.Y, Y: -d.X})
}

// square takes from v what lies along the unit vector u, and makes the rest a
// unit vector.
func square(v, u r3.Vec) r3.Vec {
	w := r3.Sub(v, r3.Scale(r3.Dot(v, u), u))
	if n := r3.Norm(w); n > 1e-9 {
		return r3.Scale(1/n, w)
	}
	if math.Abs(u.X) < 0.9 {
		return square(r3.Vec{X: 1}, u)
	}
	return square(r3.Vec{Y: 1}, u)
}

// angle3 is the included angle at b in three dimensions, degrees.
func angle3(a, b, c r3.Vec) float64 { return angle2(r3.Sub(a, b), r3.Sub(c, b)) }

// angle2 is the angle between two directions, degrees.
func angle2(u, v r3.Vec) float64 { return atan2(r3.Norm(r3.Cross(u, v)), r3.Dot(u, v)) }

// bend places the joint between two segments of lengths l1 and l2 that span
// from a to b, bending toward the given direction.
func bend(a, b r3.Vec, l1, l2 float64, toward r3.Vec) r3.Vec {
	d := r3.Sub(b, a)
	n := clamp(r3.Norm(d), math.Abs(l1-l2)+1e-6, l1+l2)
	u := r3.Unit(d)
	along := (l1*l1 - l2*l2 + n*n) / (2 * n)
	height := math.Sqrt(math.Max(0, l1*l1-along*along))
	return r3.Add(a, r3.Add(r3.Scale(along, u), r3.Scale(height, square(toward, u))))
}

// reach pulls target back to where a limb of length n reaches from from.
func reach(from, target r3.Vec, n float64) r3.Vec {
	d := r3.Sub(target, from)
	if far := r3.Norm(d); far > straightest*n {
		return r3.Add(from, r3.Scale(straightest*n/far, d))
	}
	return target
}

// straightest is how far a limb stretches, as a share of its length.
const straightest = 0.9985

// fitted is the inclination of the line fitted through points of the x–z
// plane, least squares of the perpendicular distances, degrees.
func fitted(points ...r3.Vec) float64 {
	var mx, mz, xx, zz, xz float64
	for _, p := range points {
		mx, mz = mx+p.X/float64(len(points)), mz+p.Z/float64(len(points))
	}
	for _, p := range points {
		xx, zz, xz = xx+sq(p.X-mx), zz+sq(p.Z-mz), xz+(p.X-mx)*(p.Z-mz)
	}
	return math.Mod(atan2(2*xz, xx-zz)/2+180, 180)
}
