package pose

import (
	"math"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/body"
)

// groups are the parts whose sides a model exchanges together.
var groups = [][]string{{"knee", "ankle", "heel", "toe"}, {"elbow", "wrist", "knuckle"}}

const (
	// believed is what it costs to take the model's word on left and right back on
	// one look.
	believed = 1.0
	// even is how far, of standing height, a part lies from where an even movement
	// would have brought it.
	even = 0.03
	// clear is by how much one way must be the better one to count as certain.
	clear = 2.0
	// most is the most that one part can cost.
	most = 9.0
)

// UndoSwaps exchanges left and right where a model has them the wrong way round
// for a while: of both ways on each look it takes those in which legs and arms
// move evenly, with the model's own word as prior (the least cost over all looks, by
// the ways on two in a row). Where neither way is clearly the better one, both sides
// are known to half the way between them. times are of the looks, s.
func UndoSwaps(marks []map[body.Landmark]Mark, times []float64, heightPx float64) {
	for _, parts := range groups {
		for i, gain := range exchanges(marks, times, heightPx, parts) {
			for _, part := range parts {
				l, r := body.Landmark(part+".L"), body.Landmark(part+".R")
				a, b := marks[i][l], marks[i][r]
				if math.Abs(gain) < clear { // it may be either
					apart := r2.Norm(r2.Sub(a.At, b.At)) / 2
					a.U, b.U = math.Hypot(a.U, apart), math.Hypot(b.U, apart)
				}
				if gain > 0 {
					// What was taken for the other side is less sure.
					const doubt = 1.5
					a.U, b.U = doubt*a.U, doubt*b.U
					a, b = b, a
				}
				marks[i][l], marks[i][r] = a, b
			}
		}
	}
}

// exchanges says on each look by how much less it costs, in all, that the sides of parts
// are the wrong way round.
func exchanges(marks []map[body.Landmark]Mark, times []float64, heightPx float64, parts []string) []float64 {
	n := len(marks)
	out := make([]float64, n)
	if n < 3 || heightPx <= 0 {
		return out
	}
	// places are all parts, left then right, in both ways
	places := make([][2][]r2.Vec, n)
	for i, m := range marks {
		for way := range 2 {
			for side := range 2 {
				name := [2]string{".L", ".R"}[side^way]
				for _, part := range parts {
					places[i][way] = append(places[i][way], r2.Scale(1/heightPx, m[body.Landmark(part+name)].At))
				}
			}
		}
	}
	step := func(i, before, last, now int) float64 {
		ratio := math.Min(3, math.Max(0.3, (times[i]-times[i-1])/math.Max(1e-9, times[i-1]-times[i-2])))
		return unevenness(places[i-2][before], places[i-1][last], places[i][now], ratio) + believed*float64(now)
	}
	// ahead[i] is the least cost up to look i by the ways on i−1 and i; behind[i] from
	// there to the end.
	ahead, behind := make([][2][2]float64, n), make([][2][2]float64, n)
	ahead[1] = [2][2]float64{{0, believed}, {believed, 2 * believed}}
	for i := 2; i < n; i++ {
		for last := range 2 {
			for now := range 2 {
				ahead[i][last][now] = math.Min(ahead[i-1][0][last]+step(i, 0, last, now), ahead[i-1][1][last]+step(i, 1, last, now))
			}
		}
	}
	for i := n - 2; i >= 1; i-- {
		for last := range 2 {
			for now := range 2 {
				behind[i][last][now] = math.Min(behind[i+1][now][0]+step(i+1, last, now, 0), behind[i+1][now][1]+step(i+1, last, now, 1))
			}
		}
	}
	for i := range out {
		k := max(1, i)
		best := [2]float64{math.Inf(1), math.Inf(1)}
		for last := range 2 {
			for now := range 2 {
				way := now
				if i == 0 {
					way = last
				}
				best[way] = math.Min(best[way], ahead[k][last][now]+behind[k][last][now])
			}
		}
		out[i] = best[0] - best[1]
	}
	return out
}

// unevenness is the mean cost of parts that do not go on as they went.
func unevenness(a, b, c []r2.Vec, ratio float64) float64 {
	sum := 0.0
	for k := range a {
		expected := r2.Add(b[k], r2.Scale(ratio, r2.Sub(b[k], a[k])))
		sum += math.Min(r2.Norm2(r2.Sub(c[k], expected))/sq(even), most)
	}
	return sum / float64(len(a))
}
