package bodyfit

import (
	"slices"

	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
)

// Movement is a movement to start from: the whole body and the implement, m, at an
// instant of its own time, and the instants of its key positions, s.
type Movement struct {
	Pose       func(t float64) map[body.Landmark]r3.Vec
	Stamps     map[string]float64
	Begin, End float64
}

// least is how far apart two key positions must be to tell how time runs, s.
const least = 0.004

// Warped is the movement in a film's time: its key positions come when the film's do,
// and time runs evenly between them.
func (m Movement) Warped(stamps map[string]float64) func(t float64) map[body.Landmark]r3.Vec {
	type pair struct{ film, own float64 }
	var pairs, keys []pair
	for id, t := range stamps {
		if own, ok := m.Stamps[id]; ok {
			pairs = append(pairs, pair{t, own})
		}
	}
	slices.SortFunc(pairs, func(a, b pair) int {
		switch {
		case a.film < b.film || a.film == b.film && a.own < b.own:
			return -1
		case a == b:
			return 0
		}
		return 1
	})
	for _, p := range pairs {
		if n := len(keys); n == 0 || p.film > keys[n-1].film+least && p.own > keys[n-1].own+least {
			keys = append(keys, p)
		}
	}
	own := func(t float64) float64 {
		n := len(keys)
		switch {
		case n == 0:
			return t
		case t <= keys[0].film:
			return keys[0].own + t - keys[0].film
		case t >= keys[n-1].film:
			return keys[n-1].own + t - keys[n-1].film
		}
		i := slices.IndexFunc(keys, func(p pair) bool { return p.film >= t })
		a, b := keys[i-1], keys[i]
		return a.own + (t-a.film)/(b.film-a.film)*(b.own-a.own)
	}
	return func(t float64) map[body.Landmark]r3.Vec { return m.Pose(min(max(own(t), m.Begin), m.End)) }
}
