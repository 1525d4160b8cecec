// Package pose makes the product's landmarks, with their uncertainty, of what a
// body model says about pictures of a film: 33 points a look, each with how sure
// the model is of it. It knows neither pictures nor the model.
package pose

import (
	"encoding/json"
	"fmt"
	"math"
	"slices"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/body"
)

// Points is how many points a look has. They are numbered as in the BlazePose
// models: the nose, the eyes, ears and mouth, then shoulders, elbows, wrists,
// hands, hips, knees, ankles, heels and toes, left before right.
const Points = 33

// Point is one point of a look: px of the original picture; how likely it is in
// sight and how high the peak of its heat map is, 0 to 1; and how far apart, px,
// the look and its mirror image put it.
type Point struct{ X, Y, Visible, Peak, Apart float64 }

// Look is what a body model says about one picture.
type Look struct {
	Frame  int
	Score  float64 // 0 to 1 that a body is there
	Size   float64 // px: the side of the square that was looked at
	Points [Points]Point
}

// At is where a point lies.
func (p Point) At() r2.Vec { return r2.Vec{X: p.X, Y: p.Y} }

// pairs are the points of the left side beside those of the right.
var pairs = [][2]int{{1, 4}, {2, 5}, {3, 6}, {7, 8}, {9, 10}, {11, 12}, {13, 14}, {15, 16}, {17, 18}, {19, 20}, {21, 22}, {23, 24}, {25, 26}, {27, 28}, {29, 30}, {31, 32}}

var mirrored = func() (out [Points]int) {
	for i := range out {
		out[i] = i
	}
	for _, p := range pairs {
		out[p[0]], out[p[1]] = p[1], p[0]
	}
	return out
}()

// Mirrored is the number of a point's counterpart on the other side.
func Mirrored(k int) int {
	if k >= Points {
		return k
	}
	return mirrored[k]
}

// Mark is a landmark on a picture: px of the original picture, its standard
// uncertainty along each axis, px, and 0 to 1 that it is this landmark at all.
type Mark struct {
	At         r2.Vec
	U          float64
	Confidence float64
}

// Rule makes a landmark of a look's points: the mean of the base points, and a
// sum of the ways from there to others. So it turns, scales and mirrors with the
// picture. Points are those for a landmark of the left side or of the midline.
type Rule struct {
	Base  []int      `json:"base"`
	Use   []int      `json:"use"`
	Share []float64  `json:"share"`
	Near  [3]float64 `json:"near"` // uncertainty of the side toward the camera: see U
	Far   [3]float64 `json:"far"`
}

// Rules are by the landmark's name without its side.
type Rules map[string]Rule

// ReadRules reads rules as JSON.
func ReadRules(data []byte) (Rules, error) {
	var out Rules
	if err := json.Unmarshal(data, &out); err != nil {
		return nil, fmt.Errorf("the rules of the body's landmarks: %w", err)
	}
	for name, r := range out {
		if len(r.Base) == 0 || len(r.Use) != len(r.Share) || slices.ContainsFunc(slices.Concat(r.Base, r.Use), func(k int) bool { return k < 0 || k >= Points }) {
			return nil, fmt.Errorf("the rule of the %s names points that there are not", name)
		}
	}
	return out, nil
}

// Ways are a rule's base, and the ways from it to the points that it uses, of a
// look; other is for the right side.
func (r Rule) Ways(l Look, other bool) (base r2.Vec, ways []r2.Vec) {
	point := func(k int) r2.Vec {
		if other {
			k = Mirrored(k)
		}
		return l.Points[k].At()
	}
	for _, k := range r.Base {
		base = r2.Add(base, r2.Scale(1/float64(len(r.Base)), point(k)))
	}
	for _, k := range r.Use {
		ways = append(ways, r2.Sub(point(k), base))
	}
	return base, ways
}

// at is where the landmark is.
func (r Rule) at(l Look, other bool) r2.Vec {
	p, ways := r.Ways(l, other)
	for i, w := range ways {
		p = r2.Add(p, r2.Scale(r.Share[i], w))
	}
	return p
}

// U is a standard uncertainty, % of standing height, by what the model says:
// √(a² + (b(1 − visible))² + (c(1 − peak))²).
func U(of [3]float64, visible, peak float64) float64 {
	return math.Sqrt(of[0]*of[0] + sq(of[1]*(1-visible)) + sq(of[2]*(1-peak)))
}

func sq(x float64) float64 { return x * x }

// Said is what the model says of a rule's landmark: of the base, the worst.
func (r Rule) Said(l Look, other bool) (visible, peak float64) {
	visible, peak = 1, 1
	for _, k := range r.Base {
		if other {
			k = Mirrored(k)
		}
		visible, peak = math.Min(visible, l.Points[k].Visible), math.Min(peak, l.Points[k].Peak)
	}
	return visible, peak
}

// mark is a landmark of a look. A side that is not the near one counts as far;
// where no side is, the worse of both.
func (r Rule) mark(l Look, other bool, side body.Side, near body.Side, heightPx, caution float64) Mark {
	visible, peak := r.Said(l, other)
	u := U(r.Near, visible, peak)
	switch far := U(r.Far, visible, peak); {
	case near == "":
		u = math.Max(u, far)
	case side != "" && side != near:
		u = far
	}
	return Mark{At: r.at(l, other), U: caution * u / 100 * heightPx, Confidence: math.Sqrt(visible * peak)}
}

// Marks are a look's landmarks. near is the athlete's side toward the camera;
// empty where none is. heightPx is the standing height on the picture, px.
func (rules Rules) Marks(l Look, near body.Side, heightPx, caution float64) map[body.Landmark]Mark {
	out := map[body.Landmark]Mark{}
	for name, r := range rules {
		if !slices.Contains(body.Paired, name) {
			out[body.Landmark(name)] = r.mark(l, false, "", near, heightPx, caution)
			continue
		}
		out[body.Landmark(name+"."+string(body.Left))] = r.mark(l, false, body.Left, near, heightPx, caution)
		out[body.Landmark(name+"."+string(body.Right))] = r.mark(l, true, body.Right, near, heightPx, caution)
	}
	return out
}

// HeightPx is the standing height on the picture, px, that looks show: of the
// longest stretched-out bodies among them.
func HeightPx(looks []Look) float64 {
	var all []float64
	for _, l := range looks {
		way := func(ks ...int) (n float64) {
			for i := 1; i < len(ks); i++ {
				n += r2.Norm(r2.Sub(l.Points[ks[i]].At(), l.Points[ks[i-1]].At()))
			}
			return n
		}
		mid := func(a, b int) r2.Vec { return r2.Scale(0.5, r2.Add(l.Points[a].At(), l.Points[b].At())) }
		trunk := r2.Norm(r2.Sub(mid(11, 12), mid(23, 24)))
		leg := math.Max(way(23, 25, 27), way(24, 26, 28))
		lengths := body.Lengths
		// Thigh, shank and trunk as shares of standing height.
		share := (lengths.HipHeight - lengths.AnkleHeight) + (lengths.ShoulderHeight - lengths.HipHeight)
		all = append(all, (leg+trunk)/share)
	}
	if len(all) == 0 {
		return 0
	}
	slices.Sort(all)
	return all[len(all)*9/10]
}
