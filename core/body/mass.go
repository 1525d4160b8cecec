package body

import (
	"fmt"
	"math"

	"gonum.org/v1/gonum/spatial/r3"
)

// Sex selects a segment table.
type Sex string

const (
	Woman Sex = "woman"
	Man   Sex = "man"
)

// Segment is a rigid part of the body between two points, with its share of
// the body's mass and the place of its centre from the first point.
type Segment struct {
	Name     string
	From, To string // "shoulder" alone is the middle of both shoulders
	Paired   bool
	Mass     float64 // share of body mass
	Centre   float64 // share of the length from From to To
}

// Segments are de Leva's (1996, J. Biomech. 29(9):1223–1230, table 4, values
// from memory): mass shares and centres of mass from the proximal end.
func Segments(s Sex) []Segment {
	type row struct {
		name, from, to string
		paired         bool
		mass, centre   [2]float64 // woman, man
	}
	rows := []row{
		{"head", "vertex", "neck", false, [2]float64{6.68, 6.94}, [2]float64{48.41, 50.02}},
		{"trunk", "shoulder", "hip", false, [2]float64{42.57, 43.46}, [2]float64{37.82, 43.10}},
		{"upper arm", "shoulder", "elbow", true, [2]float64{2.55, 2.71}, [2]float64{57.54, 57.72}},
		{"forearm", "elbow", "wrist", true, [2]float64{1.38, 1.62}, [2]float64{45.59, 45.74}},
		{"hand", "wrist", "knuckle", true, [2]float64{0.56, 0.61}, [2]float64{74.74, 79.00}},
		{"thigh", "hip", "knee", true, [2]float64{14.78, 14.16}, [2]float64{36.12, 40.95}},
		{"shank", "knee", "ankle", true, [2]float64{4.81, 4.33}, [2]float64{44.16, 44.59}},
		{"foot", "heel", "toe", true, [2]float64{1.29, 1.37}, [2]float64{40.14, 44.15}},
	}
	col := 1
	if s == Woman {
		col = 0
	}
	out := make([]Segment, len(rows))
	for i, r := range rows {
		out[i] = Segment{r.name, r.from, r.to, r.paired, r.mass[col] / 100, r.centre[col] / 100}
	}
	return out
}

// link is a segment of one side with its landmarks' names made up.
type link struct {
	from, to     end
	mass, centre float64
}

// end is a landmark, or the middle of a pair of them.
type end struct{ one, left, right Landmark }

func (e end) in(at map[Landmark]r3.Vec) (r3.Vec, error) {
	if p, ok := at[e.one]; ok {
		return p, nil
	}
	l, okL := at[e.left]
	r, okR := at[e.right]
	if !okL || !okR {
		return l, fmt.Errorf("centre of mass: %s is missing", e.one)
	}
	return r3.Scale(0.5, r3.Add(l, r)), nil
}

var links = map[Sex][]link{Woman: linked(Woman), Man: linked(Man)}

func linked(s Sex) []link {
	var out []link
	for _, g := range Segments(s) {
		middle := func(name string) end {
			return end{Landmark(name), Landmark(name + ".L"), Landmark(name + ".R")}
		}
		if !g.Paired {
			out = append(out, link{middle(g.From), middle(g.To), g.Mass, g.Centre})
			continue
		}
		for _, side := range []Side{Left, Right} {
			on := func(name string) end { return end{one: Landmark(name + "." + string(side))} }
			out = append(out, link{on(g.From), on(g.To), g.Mass, g.Centre})
		}
	}
	return out
}

// CentreOfMass is the mass-weighted mean of the segments' centres, from a
// whole set of landmarks. It names the first landmark that is missing. A sex
// that is not known is taken for a man's.
func CentreOfMass(s Sex, at map[Landmark]r3.Vec) (r3.Vec, error) {
	list, ok := links[s]
	if !ok {
		list = links[Man]
	}
	var sum r3.Vec
	var mass float64
	for _, g := range list {
		from, err := g.from.in(at)
		if err != nil {
			return sum, err
		}
		to, err := g.to.in(at)
		if err != nil {
			return sum, err
		}
		c := r3.Add(from, r3.Scale(g.centre, r3.Sub(to, from)))
		sum = r3.Add(sum, r3.Scale(g.mass, c))
		mass += g.mass
	}
	return r3.Scale(1/mass, sum), nil
}

// Lengths are segment lengths as shares of standing height: Winter,
// Biomechanics and Motor Control of Human Movement (after Drillis & Contini),
// values from memory.
var Lengths = struct {
	AnkleHeight, KneeHeight, HipHeight, ShoulderHeight, UpperArm, Forearm, Hand, Foot float64
}{0.039, 0.285, 0.530, 0.818, 0.186, 0.146, 0.108, 0.152}

// Bases of percentages, as shares of standing height.
const (
	TrunkShare = 0.818 - 0.530 // mid-shoulder to mid-hip
	LegShare   = 0.530 - 0.039 // hip to ankle through the knee
)

// AngleU is the uncertainty that two points with uncertainty u (px), d apart,
// give to the direction of the line between them, in degrees.
func AngleU(u, d float64) Degrees { return math.Sqrt2 * u / d * deg }
