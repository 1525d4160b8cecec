package body

import "math"

// limbs are the segments of one side of a drawn figure.
var limbs = [][2]string{{"shoulder", "hip"}, {"hip", "knee"}, {"knee", "ankle"}, {"ankle", "toe"}, {"heel", "toe"}, {"ankle", "heel"}, {"shoulder", "elbow"}, {"elbow", "wrist"}, {"wrist", "knuckle"}}

// Bones are the segments that a drawn figure has, each with the landmarks at its
// ends: the limbs and the trunk's edges of both sides, the line of the shoulders
// and that of the hips.
var Bones = func() [][2]Landmark {
	var out [][2]Landmark
	for _, s := range []Side{Left, Right} {
		for _, l := range limbs {
			out = append(out, [2]Landmark{Landmark(l[0] + "." + string(s)), Landmark(l[1] + "." + string(s))})
		}
	}
	return append(out, [2]Landmark{"shoulder.L", "shoulder.R"}, [2]Landmark{"hip.L", "hip.R"})
}()

// Shares of the head for a drawn figure, of the body's height: from chin to
// vertex 0.130, trunk 0.288, thigh 0.245 (Winter, Biomechanics and Motor Control
// of Human Movement, fig. 4.1).
const headShare, trunkShare, thighShare = 0.130, 0.288, 0.245

// Head is the circle of a drawn figure's head, in the unit of the points: between
// vertex and chin or neck, else round an ear, as large as the
// longest thigh or trunk says. It is not there without any of them.
func Head(at map[Landmark][2]float64) (middle [2]float64, radius float64, ok bool) {
	radius = headShare / 2 * DrawnHeight(at)
	top, hasTop := at["vertex"]
	for _, low := range []Landmark{"chin", "neck"} {
		if p, has := at[low]; has && hasTop {
			return [2]float64{(p[0] + top[0]) / 2, (p[1] + top[1]) / 2}, 0.45 * math.Hypot(top[0]-p[0], top[1]-p[1]), true
		}
	}
	for _, l := range []Landmark{"ear.L", "ear.R"} {
		if p, has := at[l]; has && radius > 0 {
			return p, radius, true
		}
	}
	return middle, 0, false
}

// DrawnHeight is the body's height that the placed thighs and trunks speak for, in
// the unit of the points, by their usual shares of it. The longest counts, since
// what is turned away from the camera looks shorter. 0: neither is placed.
func DrawnHeight(at map[Landmark][2]float64) float64 {
	best := 0.0
	for _, s := range []Side{Left, Right} {
		for _, part := range []struct {
			from, to string
			share    float64
		}{{"hip", "knee", thighShare}, {"shoulder", "hip", trunkShare}} {
			a, okA := at[Landmark(part.from+"."+string(s))]
			b, okB := at[Landmark(part.to+"."+string(s))]
			if okA && okB {
				best = max(best, math.Hypot(a[0]-b[0], a[1]-b[1])/part.share)
			}
		}
	}
	return best
}
