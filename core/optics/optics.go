// Package optics turns pixels of the picture into the plane of movement:
// level, scale, direction of travel, and what they cost in uncertainty.
//
// Pixels are those of the picture as shown, origin top left, y down. The plane
// has x along the direction of travel and y up.
package optics

import (
	"errors"
	"fmt"
	"math"

	"gonum.org/v1/gonum/spatial/r2"
)

// Defaults that a coach can change, all standard uncertainties.
const (
	AssumedLevelU = 1.0  // degrees, when only the phone's level is known
	OffSquare     = 5.0  // degrees off the square view that is not noticed
	MostOff       = 30.0 // degrees off the square view beyond which it is refused
	DepthU        = 0.01 // share of a length, for points nearer or farther than the scale's
	BodyDepthU    = 0.12 // m that a body's point is nearer or farther than the line of travel
	ArmDepthU     = 0.25 // as much for elbows and hands
	UsualDistance = 15.0 // m from the camera to the line of travel, when nobody says
	DistanceU     = 4.0  // m, of that
	MarkU         = 2.0  // px of the shown picture, for a point placed by hand
)

// Line is two points on the picture.
type Line struct{ A, B r2.Vec }

// Length is the line's length in pixels.
func (l Line) Length() float64 { return r2.Norm(r2.Sub(l.B, l.A)) }

// Scale is a known length in the plane of movement.
type Scale struct {
	Line
	Metres float64
	U      float64 // m, standard uncertainty of Metres
}

// Level is a line known to be horizontal or vertical.
type Level struct {
	Line
	Vertical bool
}

// Calibration is what the coach has said about the picture. Nil parts are not
// known: without a scale there are no metres, without a level the phone's is
// assumed.
type Calibration struct {
	Scale     *Scale
	Level     *Level
	Origin    *r2.Vec // the line, on the ground in the plane of movement
	Rightward bool    // direction of travel on the picture
	MarkU     float64 // px of the original picture, of one placed point
	Centre    r2.Vec  // the picture's middle, px; zero: perspective is not allowed for
	Distance  float64 // m from the camera to the line of travel; 0: the usual
	Off       float64 // degrees that the camera is known to stand off the square view
}

// OffSquareFactor is the factor that makes lengths along the direction of travel whole
// again, for a camera that stands off the square view, and its standard
// uncertainty.
func (c Calibration) OffSquareFactor() (factor, u float64, err error) {
	if math.Abs(c.Off) > MostOff {
		return 1, 0, fmt.Errorf("the camera stands %.0f° off the square view: beyond %.0f° nothing along the direction of travel can be trusted", c.Off, MostOff)
	}
	factor = 1 / math.Cos(c.Off*math.Pi/180)
	lean := math.Abs(math.Tan(c.Off*math.Pi/180)) * OffSquare / 2 * math.Pi / 180
	return factor, factor * math.Hypot(OffSquareU(OffSquare), lean), nil
}

// CameraDistance is the camera's distance from the line of travel, m, and how well it is
// known.
func (c Calibration) CameraDistance() (d, u float64) {
	if c.Distance > 0 {
		return c.Distance, 0.05 * c.Distance
	}
	return UsualDistance, DistanceU
}

// Parallax is how far, in pixels on each axis, a point may seem displaced
// because it is depth metres nearer or farther than the line of travel: from a
// square view nothing in the middle of the picture, more toward its edges.
func (c Calibration) Parallax(at r2.Vec, depth, pxPerM float64) (ux, uy float64) {
	ux = depth * math.Abs(math.Sin(c.Off*math.Pi/180)) * pxPerM
	if c.Centre == (r2.Vec{}) {
		return ux, 0
	}
	d, _ := c.CameraDistance()
	off := r2.Scale(depth/d, r2.Sub(at, c.Centre))
	return math.Hypot(ux, off.X), math.Abs(off.Y)
}

// Plane maps pixels into the plane of movement.
type Plane struct {
	Tilt    float64 // degrees that the picture must be turned to be level
	TiltU   float64
	PxPerM  float64 // 0 when there is no scale
	ScaleU  float64 // px per metre
	forward float64
}

// Plane derives the mapping, with standard uncertainties of tilt and scale.
func (c Calibration) Plane() (Plane, error) {
	p := Plane{TiltU: AssumedLevelU, forward: -1}
	if c.Rightward {
		p.forward = 1
	}
	if c.Level != nil {
		n := c.Level.Length()
		if math.IsNaN(n) || math.IsInf(n, 0) {
			return p, errors.New("the level line lies nowhere: draw it again")
		}
		if n < 20 {
			return p, fmt.Errorf("the level line is %.0f px long: lay it along something longer", n)
		}
		d := r2.Sub(c.Level.B, c.Level.A)
		angle := math.Atan2(-d.Y, d.X) * 180 / math.Pi
		if c.Level.Vertical {
			angle -= 90
		}
		p.Tilt = math.Remainder(-angle, 180)
		if math.Abs(p.Tilt) > 30 {
			return p, fmt.Errorf("the level line stands %.0f° off: say whether it is horizontal or vertical", p.Tilt)
		}
		p.TiltU = math.Sqrt2 * c.MarkU / n * 180 / math.Pi
	}
	if c.Scale != nil {
		n := c.Scale.Length()
		if math.IsNaN(n) || math.IsInf(n, 0) {
			return p, errors.New("the scale line lies nowhere: draw it again")
		}
		if n < 20 {
			return p, fmt.Errorf("the scale line is %.0f px long: use a longer known length", n)
		}
		if !(c.Scale.Metres > 0) || math.IsInf(c.Scale.Metres, 0) {
			return p, fmt.Errorf("the known length must be more than 0 m")
		}
		factor, _, err := c.OffSquareFactor()
		if err != nil {
			return p, err
		}
		d := p.Map(r2.Sub(c.Scale.B, c.Scale.A))
		n = math.Hypot(d.X*factor, d.Y)
		p.PxPerM = n / c.Scale.Metres
		p.ScaleU = p.PxPerM * math.Hypot(math.Hypot(math.Sqrt2*c.MarkU/n, DepthU), c.Scale.U/c.Scale.Metres)
	}
	return p, nil
}

// Rightward reports whether x grows to the right of the picture.
func (p Plane) Rightward() bool { return p.forward > 0 }

// Map turns a pixel of the picture into the plane, still in pixels: turned
// level, x along the direction of travel, y up.
func (p Plane) Map(px r2.Vec) r2.Vec {
	s, c := math.Sincos(p.Tilt * math.Pi / 180)
	x, y := px.X, -px.Y
	return r2.Vec{X: p.forward * (x*c - y*s), Y: x*s + y*c}
}

// Unmap is the inverse of Map.
func (p Plane) Unmap(v r2.Vec) r2.Vec {
	s, c := math.Sincos(p.Tilt * math.Pi / 180)
	x, y := p.forward*v.X, v.Y
	return r2.Vec{X: x*c + y*s, Y: x*s - y*c}
}

// OffSquareU is the relative uncertainty of lengths along the direction of
// travel for a camera that stands up to phi degrees off the square view.
func OffSquareU(phi float64) float64 { return 1 - math.Cos(phi*math.Pi/180) }

// leastRepeats is how often a joint is placed to tell a hand's repeatability.
const leastRepeats = 5

// Repeatability is the standard uncertainty of one placed point, px on each
// axis, from the same point placed again and again: the pooled standard
// deviation of x and y with ν = 2(n−1) degrees of freedom, widened by
// √(ν/(ν−2)) since few repeats prove little (GUM Supplement 1, 6.4.9, from
// memory).
func Repeatability(points []r2.Vec) (float64, error) {
	n := len(points)
	if n < leastRepeats {
		return 0, fmt.Errorf("place the same joint %d times: %d so far", leastRepeats, n)
	}
	var mean r2.Vec
	for _, p := range points {
		mean = r2.Add(mean, r2.Scale(1/float64(n), p))
	}
	var square float64
	for _, p := range points {
		square += r2.Norm2(r2.Sub(p, mean))
	}
	freedom := float64(2 * (n - 1))
	return math.Sqrt(square / freedom * freedom / (freedom - 2)), nil
}
