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
	// most is the most that one part can cost.
	most = 9.0
)

// UndoSwaps exchanges left and right where a model has them the wrong way round
// for a while: of both ways on each look it takes those in which legs and arms
// move evenly, with the model's own word as prior (Viterbi over two looks). times
// are of the looks, s.
func UndoSwaps(marks []map[body.Landmark]Mark, times []float64, heightPx float64) {
	for _, parts := range groups {
		for i, exchanged := range exchanges(marks, times, heightPx, parts) {
			if !exchanged {
				continue
			}
			for _, part := range parts {
				l, r := body.Landmark(part+".L"), body.Landmark(part+".R")
				a, b := marks[i][l], marks[i][r]
				// What was taken for the other side is less sure.
				const doubt = 1.5
				a.U, b.U = doubt*a.U, doubt*b.U
				marks[i][l], marks[i][r] = b, a
			}
		}
	}
}

// exchanges says on which looks the sides of parts are the wrong way round.
func exchanges(marks []map[body.Landmark]Mark, times []float64, heightPx float64, parts []string) []bool {
	n := len(marks)
	out := make([]bool, n)
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
	cost := [2][2]float64{{0, believed}, {believed, 2 * believed}} // of the ways on the two last looks
	from := make([][2][2]int, n)
	for i := 2; i < n; i++ {
		ratio := math.Min(3, math.Max(0.3, (times[i]-times[i-1])/math.Max(1e-9, times[i-1]-times[i-2])))
		var next [2][2]float64
		for last := range 2 {
			for now := range 2 {
				best := math.Inf(1)
				for before := range 2 {
					c := cost[before][last] + unevenness(places[i-2][before], places[i-1][last], places[i][now], ratio)
					if now == 1 {
						c += believed
					}
					if c < best {
						best, from[i][last][now] = c, before
					}
				}
				next[last][now] = best
			}
		}
		cost = next
	}
	last, now := 0, 0
	for a := range 2 {
		for b := range 2 {
			if cost[a][b] < cost[last][now] {
				last, now = a, b
			}
		}
	}
	for i := n - 1; i >= 2; i-- {
		out[i] = now == 1
		last, now = from[i][last][now], last
	}
	out[1], out[0] = now == 1, last == 1
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
