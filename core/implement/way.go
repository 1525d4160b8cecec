package implement

import (
	"math"

	"gonum.org/v1/gonum/spatial/r2"
)

// node is a spot of a way with the one before it: the pair has a speed.
type node struct {
	picture, spot int
	before        *node // nil: the way begins here
	cost          float64
	length        int
}

// way is the likeliest way through the spots: each picture's cost, and how much harder
// than Pull the ball would be accelerated from three of them to the next (Viterbi 1967,
// on pairs of spots, over gaps). Pictures that it passes over are not seen.
func (f Film) way(b Ball, spots [][]spot) []Seen {
	at := make([][]*node, len(spots))
	var best *node
	for i, here := range spots {
		for k, s := range here {
			single := &node{picture: i, spot: k, cost: s.cost - reward, length: 1}
			at[i] = append(at[i], single)
			for back := 1; back <= gap && back <= i; back++ {
				var chosen *node
				for _, from := range at[i-back] {
					cost, ok := f.step(b, spots, from, i, s)
					if !ok {
						continue
					}
					cost += from.cost + s.cost - reward + unseen*float64(back-1)
					if chosen == nil || cost < chosen.cost {
						chosen = &node{i, k, from, cost, from.length + 1}
					}
				}
				if chosen != nil {
					at[i] = append(at[i], chosen)
				}
			}
		}
		for _, n := range at[i] {
			if best == nil || n.cost < best.cost {
				best = n
			}
		}
	}
	out := make([]Seen, len(spots))
	if best == nil || best.length < worthwhile {
		return out
	}
	r := math.Max(2, b.Radius*f.PxPerM)
	for n := best; n != nil; n = n.before {
		s := spots[n.picture][n.spot]
		out[n.picture] = Seen{At: s.at, U: math.Max(0.4, 0.12*r), Confidence: math.Min(1, 0.5+s.sharp/80)}
	}
	return out
}

// reward is what a picture with a spot is worth.
const reward = 3.2

// step is what it costs to go on from a node to a spot of a later picture; ok is false
// where nothing goes so fast.
func (f Film) step(b Ball, spots [][]spot, from *node, picture int, to spot) (cost float64, ok bool) {
	here := spots[from.picture][from.spot].at
	dt := f.Time(picture) - f.Time(from.picture)
	// Where the still world has gone meanwhile is no movement.
	carry := func(p r2.Vec, a, b int) r2.Vec { return f.Moved(b).Map(f.Moved(a).Inverse().Map(p)) }
	way := r2.Sub(to.at, carry(here, from.picture, picture))
	const slack = 2.0 // px
	if r2.Norm(way) > b.Fastest*f.PxPerM*dt+slack {
		return 0, false
	}
	if from.before == nil {
		return 0.5, true
	}
	before := spots[from.before.picture][from.before.spot].at
	earlier := f.Time(from.picture) - f.Time(from.before.picture)
	was := r2.Sub(here, carry(before, from.before.picture, from.picture))
	// The change of speed, as a way on the picture.
	off := r2.Norm(r2.Sub(way, r2.Scale(dt/earlier, was)))
	may := b.Pull*f.PxPerM*dt*(dt+earlier)/2 + slack
	return math.Min(6, (off/may)*(off/may)), off < 3*may
}
