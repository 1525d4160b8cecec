package judge

import (
	"fmt"
	"math"
	"slices"
	"sort"
	"strings"

	"neokinema/core/measure"
)

// LeastMarks is how many attempts of known mark are needed before anything is
// said of what goes with farther marks.
const LeastMarks = 8

// RatedAttempt is an attempt of known mark, with its values.
type RatedAttempt struct {
	Name   string // as in "12 May, no. 3"
	Mark   float64
	Values []measure.Value
}

// Correlation is how a value goes with the marks, over attempts.
type Correlation struct {
	Key      string   `json:"key"`
	Name     string   `json:"name"`
	KeyID    string   `json:"keyId"`
	N        int      `json:"n"`
	Rho      float64  `json:"rho"` // Spearman's rank correlation
	Low      float64  `json:"low"` // its 95 % interval
	High     float64  `json:"high"`
	Sure     bool     `json:"sure"` // the interval leaves out no link at all
	Says     string   `json:"says"`
	Outliers []string `json:"outliers"` // attempts that go against it
}

// Correlations are the values that were measured on enough attempts, those that go
// surely with the marks first. Ties have the mean of their ranks; the interval
// is Fisher's with a variance of 1.06/(n−3) (Fieller, Hartley & Pearson 1957,
// Biometrika 44, from memory).
func Correlations(attempts []RatedAttempt) []Correlation {
	type pair struct {
		name        string
		value, mark float64
	}
	pairs := map[string][]pair{}
	about := map[string]measure.Value{}
	for _, a := range attempts {
		for _, v := range a.Values {
			if v.Known() {
				pairs[v.Key] = append(pairs[v.Key], pair{a.Name, v.Value, a.Mark})
				about[v.Key] = v
			}
		}
	}
	out := []Correlation{}
	for key, list := range pairs {
		n := len(list)
		if n < LeastMarks {
			continue
		}
		x, y := make([]float64, n), make([]float64, n)
		for i, p := range list {
			x[i], y[i] = p.value, p.mark
		}
		rx, ry := ranks(x), ranks(y)
		rho, ok := correlation(rx, ry)
		if !ok {
			continue
		}
		z := math.Atanh(math.Max(-0.999999, math.Min(0.999999, rho)))
		half := 1.96 * math.Sqrt(1.06/float64(n-3))
		l := Correlation{Key: key, Name: about[key].Name, KeyID: about[key].KeyID, N: n, Rho: rho, Low: math.Tanh(z - half), High: math.Tanh(z + half), Outliers: []string{}}
		l.Sure = l.Low > 0 || l.High < 0
		l.Says = says(l)
		if l.Sure {
			for i, p := range list {
				expected := rx[i]
				if rho < 0 {
					expected = float64(n) + 1 - rx[i]
				}
				if math.Abs(ry[i]-expected) > float64(n)/2 {
					l.Outliers = append(l.Outliers, p.name)
				}
			}
		}
		out = append(out, l)
	}
	sort.Slice(out, func(i, j int) bool {
		a, b := out[i], out[j]
		if a.Sure != b.Sure {
			return a.Sure
		}
		if d := math.Abs(a.Rho) - math.Abs(b.Rho); d != 0 {
			return d > 0
		}
		return a.Key < b.Key
	})
	return out
}

func says(l Correlation) string {
	name := strings.ToLower(l.Name)
	switch {
	case l.Low > 0:
		return fmt.Sprintf("the larger the %s, the farther the marks, in %d attempts", name, l.N)
	case l.High < 0:
		return fmt.Sprintf("the smaller the %s, the farther the marks, in %d attempts", name, l.N)
	}
	return fmt.Sprintf("can't tell from %d attempts", l.N)
}

// ranks are 1 for the smallest; ties share the mean of theirs.
func ranks(v []float64) []float64 {
	order := make([]int, len(v))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int {
		switch {
		case v[a] < v[b]:
			return -1
		case v[a] > v[b]:
			return 1
		}
		return 0
	})
	out := make([]float64, len(v))
	for i := 0; i < len(order); {
		j := i
		for j < len(order) && v[order[j]] == v[order[i]] {
			j++
		}
		for k := i; k < j; k++ {
			out[order[k]] = float64(i+j+1) / 2
		}
		i = j
	}
	return out
}

// correlation is Pearson's; it reports false where one of the two does not vary.
func correlation(x, y []float64) (float64, bool) {
	n := float64(len(x))
	var mx, my, xx, yy, xy float64
	for i := range x {
		mx, my = mx+x[i]/n, my+y[i]/n
	}
	for i := range x {
		dx, dy := x[i]-mx, y[i]-my
		xx, yy, xy = xx+dx*dx, yy+dy*dy, xy+dx*dy
	}
	if xx == 0 || yy == 0 {
		return 0, false
	}
	return xy / math.Sqrt(xx*yy), true
}
