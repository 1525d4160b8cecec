// Package segment proposes key positions: it finds contacts, flights, releases,
// passes and turning points on the paths of followed points and writes them on
// the playbook's ladder. It proposes; the coach stamps.
package segment

import (
	"cmp"
	"math"
	"slices"
	"strings"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/body"
	"neokinema/core/footfall"
	"neokinema/core/measure"
)

// paths is a sheet's points laid out by paths, as they lie in the still world:
// level, x along the direction of travel (from behind: to the picture's right),
// y up, px.
type paths struct {
	sheet  *measure.Recording
	times  []float64
	ways   map[body.Landmark][]footfall.Point
	leg    float64
	behind bool
	u      float64 // px, of a point that is well followed
}

// footShare is a foot's length as a share of the height (Winter, after Drillis &
// Contini).
const footShare = 0.152

func newPaths(s *measure.Recording) (*paths, error) {
	plane, err := s.Calibration.Plane()
	if err != nil {
		return nil, err
	}
	out := &paths{sheet: s, ways: map[body.Landmark][]footfall.Point{}, behind: s.View == "back"}
	for i := range s.Timeline.Len() {
		out.times = append(out.times, s.Timeline.At(i))
	}
	turn := 1.0
	if out.behind && !plane.Rightward() {
		turn = -1
	}
	var us []float64
	for frame, marks := range s.Observations {
		if frame < 0 || frame >= len(out.times) {
			continue
		}
		moved, _ := s.Camera.At(frame)
		for name, m := range marks {
			if out.ways[name] == nil {
				out.ways[name] = make([]footfall.Point, len(out.times))
			}
			v := plane.Map(moved.Inverse().Map(m.At))
			out.ways[name][frame] = footfall.Point{At: r2.Vec{X: turn * v.X, Y: v.Y}, U: m.U}
			us = append(us, m.U)
		}
	}
	if len(us) > 0 {
		slices.Sort(us)
		out.u = us[len(us)/2]
	}
	out.leg = out.legLength(plane.PxPerM * s.HeightM * body.LegShare)
	return out, nil
}

// legLength is hip to ankle through the knee where a leg is seen at its longest;
// where none is, usual, or what the longest foot says.
func (s *paths) legLength(usual float64) float64 {
	var seen, feet []float64
	for _, side := range []body.Side{body.Left, body.Right} {
		hip, knee, ankle := s.of("hip", side), s.of("knee", side), s.of("ankle", side)
		toe, heel := s.of("toe", side), s.of("heel", side)
		for i := range s.times {
			if known(toe, i) && known(heel, i) {
				feet = append(feet, r2.Norm(r2.Sub(toe[i].At, heel[i].At)))
			}
			if known(hip, i) && known(knee, i) && known(ankle, i) {
				seen = append(seen, r2.Norm(r2.Sub(hip[i].At, knee[i].At))+r2.Norm(r2.Sub(knee[i].At, ankle[i].At)))
			}
		}
	}
	slices.Sort(seen)
	slices.Sort(feet)
	switch {
	case len(seen) >= 5:
		return seen[len(seen)*9/10]
	case usual > 0 || len(feet) < 5:
		return usual
	}
	return feet[len(feet)*9/10] / footShare * body.LegShare
}

func known(way []footfall.Point, i int) bool { return way != nil && way[i].U > 0 }

func (s *paths) of(part string, side body.Side) []footfall.Point {
	return s.ways[body.Landmark(part+"."+string(side))]
}

// way is the path of a point by its name in a playbook, as in takeoff.knee,
// mid.hip or implement; nil when it was not followed.
func (s *paths) way(name string) []footfall.Point {
	if part, ok := strings.CutPrefix(name, "mid."); ok {
		return s.middle(part)
	}
	l, err := s.sheet.Roles.Landmark(name)
	if err != nil {
		return nil
	}
	return s.ways[l]
}

// middle is the way of the middle of a left and a right point; where the body
// hides one of them for long, of the other alone.
func (s *paths) middle(part string) []footfall.Point {
	l, r := s.of(part, body.Left), s.of(part, body.Right)
	count := func(way []footfall.Point) (n int) {
		for i := range way {
			if way[i].U > 0 {
				n++
			}
		}
		return n
	}
	if !s.behind || count(l) == 0 || count(r) == 0 {
		return slices.MaxFunc([][]footfall.Point{l, r}, func(a, b []footfall.Point) int { return cmp.Compare(count(a), count(b)) })
	}
	out := make([]footfall.Point, len(s.times))
	for i := range out {
		if known(l, i) && known(r, i) {
			out[i] = footfall.Point{At: r2.Scale(0.5, r2.Add(l[i].At, r[i].At)), U: math.Hypot(l[i].U, r[i].U) / 2}
		}
	}
	return out
}
