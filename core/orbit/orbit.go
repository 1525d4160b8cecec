// Package orbit describes the way of an implement round the thrower, looking
// down on the circle: azimuth 0 at the back of the circle, 180 in the middle
// of the sector, growing in the athlete's direction of turning.
package orbit

import (
	"fmt"
	"math"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/spatial/r2"
)

// Degrees of azimuth or angle.
type Degrees = float64

// Clock is a habit of reading directions off a clock face.
type Clock int

const (
	ClockA Clock = iota // 12 at the back of the circle, 6 in the sector
	ClockB              // 12 in the sector
)

// Azimuth of a point about a centre on the ground: x toward the sector, y to
// the left. A right-handed thrower turns to the left.
func Azimuth(p, centre r2.Vec, rightHanded bool) Degrees {
	d := r2.Sub(p, centre)
	a := math.Atan2(-d.Y, -d.X) * 180 / math.Pi
	if !rightHanded {
		a = -a
	}
	return math.Mod(a+360, 360)
}

// Wrap brings a difference of azimuths into −180 to 180.
func Wrap(d Degrees) Degrees { return math.Remainder(d, 360) }

// Hour is an azimuth on a clock face, 12 shown as 12.
func Hour(az Degrees, c Clock, rightHanded bool) float64 {
	h := az / 30
	if rightHanded {
		h = -h
	}
	if c == ClockB {
		h += 6
	}
	if h = math.Mod(math.Mod(h, 12)+12, 12); h == 0 {
		return 12
	}
	return h
}

// Face is an azimuth on a clock face as it is said, "7:30", to five minutes.
func Face(az Degrees, c Clock, rightHanded bool) string {
	minutes := int(math.Round(Hour(az, c, rightHanded)*12)) * 5
	if minutes < 60 {
		minutes += 720
	}
	return fmt.Sprintf("%d:%02d", minutes/60, minutes%60)
}

// Span is an angle as hours and minutes of a clock face, "0:25".
func Span(d Degrees) string {
	minutes := int(math.Round(math.Abs(d) * 2))
	return fmt.Sprintf("%d:%02d", minutes/60, minutes%60)
}

// Circle through points by least squares (Kåsa's linear fit).
func Circle(pts []r2.Vec) (centre r2.Vec, radius float64, err error) {
	if len(pts) < 3 {
		return centre, 0, fmt.Errorf("a circle needs three points, got %d", len(pts))
	}
	a, b := mat.NewDense(len(pts), 3, nil), mat.NewVecDense(len(pts), nil)
	for i, p := range pts {
		a.SetRow(i, []float64{2 * p.X, 2 * p.Y, 1})
		b.SetVec(i, p.X*p.X+p.Y*p.Y)
	}
	var x mat.VecDense
	if err := x.SolveVec(a, b); err != nil {
		return centre, 0, fmt.Errorf("these points lie on no circle: %w", err)
	}
	centre = r2.Vec{X: x.AtVec(0), Y: x.AtVec(1)}
	return centre, math.Sqrt(x.AtVec(2) + centre.X*centre.X + centre.Y*centre.Y), nil
}
