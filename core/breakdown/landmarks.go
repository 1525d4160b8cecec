package breakdown

import (
	"math"
	"slices"

	"neokinema/core/body"
)

func init() {
	register[PlaceLandmark]()
	register[PlaceLandmarks]()
}

// PlaceLandmark puts a landmark on a picture by the coach's hand; without a
// point it is taken off. What a run proposed stays beside it.
type PlaceLandmark struct {
	Frame    int    `json:"frame"`
	Landmark string `json:"landmark"`
	At       *Spot  `json:"at,omitempty"`
}

func (*PlaceLandmark) Kind() string { return "landmark" }

func (c *PlaceLandmark) Validate(b Breakdown, f Facts) error { return c.point().validate(b, f) }
func (c *PlaceLandmark) Allowed(b Breakdown, _ Facts) error  { return shown(b, c.Frame) }
func (c *PlaceLandmark) Apply(b *Breakdown, _ Facts)         { c.point().apply(b) }

func (c *PlaceLandmark) Inverse(b Breakdown) Command {
	was := c.point().before(b)
	if was.U > 0 { // it was confirmed, not placed
		return &PlaceLandmarks{[]Point{was}}
	}
	return &PlaceLandmark{c.Frame, c.Landmark, was.At}
}

func (c *PlaceLandmark) point() Point { return Point{Frame: c.Frame, Name: c.Landmark, At: c.At} }

// PlaceLandmarks puts several landmarks at once.
type PlaceLandmarks struct {
	Points []Point `json:"points"`
}

// Point is a landmark among several; without a point of the picture it is taken
// off.
type Point struct {
	Frame int    `json:"frame"`
	Name  string `json:"name"`
	At    *Spot  `json:"at,omitempty"`
	// U is its standard uncertainty along each axis, px, where a point that was
	// found is confirmed as it stands; 0: the hand's usual one.
	U float64 `json:"u,omitempty"`
}

func (*PlaceLandmarks) Kind() string { return "landmarks" }

func (c *PlaceLandmarks) Validate(b Breakdown, f Facts) error {
	for _, p := range c.Points {
		if err := p.validate(b, f); err != nil {
			return err
		}
	}
	return nil
}

func (c *PlaceLandmarks) Allowed(b Breakdown, _ Facts) error {
	for _, p := range c.Points {
		if err := shown(b, p.Frame); err != nil {
			return err
		}
	}
	return nil
}

func (c *PlaceLandmarks) Apply(b *Breakdown, _ Facts) {
	for _, p := range c.Points {
		p.apply(b)
	}
}

func (c *PlaceLandmarks) Inverse(b Breakdown) Command {
	back := PlaceLandmarks{}
	for _, p := range c.Points {
		back.Points = append(back.Points, p.before(b))
	}
	return &back
}

// validate refuses a name that is no landmark and a point beside the picture.
func (p Point) validate(b Breakdown, f Facts) error {
	if !body.Landmark(p.Name).Valid() {
		return unknown(f.Event, p.Name)
	}
	if p.At == nil {
		return nil
	}
	if err := shown(b, p.Frame); err != nil {
		return err
	}
	if p.U < 0 || p.U > float64(max(b.Film.Width, b.Film.Height)) || math.IsNaN(p.U) {
		return invalid("an uncertainty of %g px is none on this picture", p.U)
	}
	if !inside(b.Film, *p.At) {
		return invalid("the point %.0f, %.0f lies outside the picture", p.At.X, p.At.Y)
	}
	return nil
}

func (p Point) is(l Landmark) bool { return l.Frame == p.Frame && l.Name == p.Name }

func (p Point) apply(b *Breakdown) {
	b.Landmarks = slices.DeleteFunc(b.Landmarks, p.is)
	if p.At != nil {
		b.Landmarks = append(b.Landmarks, Landmark{Frame: p.Frame, Name: p.Name, X: p.At.X, Y: p.At.Y, U: p.U, Source: Placed, Confidence: 1})
	}
}

// before is the same landmark as it stands now.
func (p Point) before(b Breakdown) Point {
	out := Point{Frame: p.Frame, Name: p.Name}
	if i := slices.IndexFunc(b.Landmarks, p.is); i >= 0 {
		out.At, out.U = &Spot{b.Landmarks[i].X, b.Landmarks[i].Y}, b.Landmarks[i].U
	}
	return out
}

// inside reports whether a point lies on the picture.
func inside(f *Film, p Spot) bool {
	return p.X >= 0 && p.Y >= 0 && p.X <= float64(f.Width) && p.Y <= float64(f.Height)
}
