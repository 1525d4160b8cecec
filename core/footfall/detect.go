package footfall

import (
	"math"

	"neokinema/core/clock"
)

// EdgeTime is an instant that paths tell, and its standard uncertainty.
type EdgeTime struct{ T, U clock.Seconds }

// ContactEdges is a contact found on a foot's paths: when it comes down and when it
// leaves; nil where that lies beyond the paths.
type ContactEdges struct{ Down, Off *EdgeTime }

const (
	// sure bounds the log of the odds that one picture can give.
	sure = 5.0
	// change is what a change of state costs, in the same measure, when
	// pictures count as one each usual interval.
	change, usual = 7.0, 1.0 / 120
)

// Edge is where a pair's state begins or ends.
type Edge struct {
	Begins bool
	At     EdgeTime
}

// Touches are the contacts on a foot's paths, by the network for standing feet.
func (n MLP) Touches(foot PointPair) []ContactEdges {
	var out []ContactEdges
	for _, e := range n.Edges(foot) {
		at := e.At
		if e.Begins {
			out = append(out, ContactEdges{Down: &at})
		} else if m := len(out); m > 0 && out[m-1].Off == nil {
			out[m-1].Off = &at
		} else {
			out = append(out, ContactEdges{Off: &at})
		}
	}
	return out
}

// Edges are where a pair's state changes. Each picture's neighbourhood tells how
// likely it is in it; the likeliest course over all pictures is found (Viterbi
// 1967), and it changes where the odds are even. A network on a foot's path in
// place of thresholds: Kidziński, Delp & Schwartz 2019, PLoS ONE 14(1):e0211466.
func (n MLP) Edges(p PointPair) []Edge {
	count := len(p.T)
	odds, known := make([]float64, count), make([]bool, count)
	for i := range p.T {
		if x, ok := p.Features(i); ok {
			odds[i], known[i] = n.Apply(x), true
		}
	}
	var out []Edge
	for from := 0; from < count; {
		if !known[from] {
			from++
			continue
		}
		to := from
		for to+1 < count && known[to+1] {
			to++
		}
		out = append(out, p.edges(odds, from, to)...)
		from = to + 1
	}
	return out
}

// edges are those on pictures whose odds are known.
func (f PointPair) edges(odds []float64, from, to int) []Edge {
	if to-from < 3 {
		return nil
	}
	n := to - from + 1
	best := [2]float64{}
	came := make([][2]int, n)
	for k := range n {
		i := from + k
		gain := math.Max(-sure, math.Min(sure, odds[i]))
		if i > 0 {
			gain *= math.Min(1, (f.T[i]-f.T[i-1])/usual)
		}
		var next [2]float64
		for s := range 2 {
			stay, other := best[s], best[1-s]-change
			came[k][s], next[s] = s, stay
			if k > 0 && other > stay {
				came[k][s], next[s] = 1-s, other
			}
		}
		next[1] += gain / 2
		next[0] -= gain / 2
		best = next
	}
	s := 0
	if best[1] > best[0] {
		s = 1
	}
	is := make([]bool, n)
	for k := n - 1; k >= 0; k-- {
		is[k] = s == 1
		s = came[k][s]
	}
	var out []Edge
	for k := 1; k < n; k++ {
		if is[k] != is[k-1] {
			out = append(out, Edge{is[k], f.even(odds, from+k)})
		}
	}
	return out
}

// even is where the odds are even between two pictures.
func (f PointPair) even(odds []float64, i int) EdgeTime {
	a, b := odds[i-1], odds[i]
	share := 0.5
	if (a < 0) != (b < 0) {
		share = a / (a - b)
	}
	dt := f.T[i] - f.T[i-1]
	return EdgeTime{f.T[i-1] + share*dt, dt}
}
