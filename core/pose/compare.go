package pose

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"gonum.org/v1/gonum/spatial/r2"
)

// Comparison gathers how far found landmarks lie from where they are known to be.
type Comparison struct {
	off    []float64 // % of standing height
	inside int
	of     int
}

// Add adds a landmark that is off by px, along each axis known to u; height is the
// athlete's standing one, px.
func (c *Comparison) Add(off r2.Vec, u, height float64) {
	c.off = append(c.off, 100*r2.Norm(off)/height)
	for _, e := range []float64{off.X, off.Y} {
		c.of++
		if math.Abs(e) <= 2*u {
			c.inside++
		}
	}
}

// Join adds what another comparison has gathered.
func (c *Comparison) Join(o Comparison) {
	c.off, c.inside, c.of = append(c.off, o.off...), c.inside+o.inside, c.of+o.of
}

// Quantile is how far the share q of all landmarks is off at most, % of standing height;
// NaN where there are none.
func (c Comparison) Quantile(q float64) float64 { return Quantile(c.off, q) }

// Inside is on what share of both axes 2u held; NaN where there are none.
func (c Comparison) Inside() float64 { return float64(c.inside) / float64(c.of) }

// Quantile is the value that the share q of all do not exceed; NaN of none.
func Quantile(v []float64, q float64) float64 {
	if len(v) == 0 {
		return math.NaN()
	}
	s := slices.Sorted(slices.Values(v))
	return s[int(q*float64(len(s)-1))]
}

// Table writes comparisons by name, and all of them together, as Markdown.
func Table(title string, by map[string]*Comparison) string {
	var out strings.Builder
	fmt.Fprintf(&out, "\n| %s | points | median, %% | 90th percentile, %% | inside ±2u |\n|---|---|---|---|---|\n", title)
	row := func(name string, c Comparison) {
		fmt.Fprintf(&out, "| %s | %d | %.2f | %.1f | %.1f %% |\n", name, len(c.off), c.Quantile(0.5), c.Quantile(0.9), 100*c.Inside())
	}
	var all Comparison
	for _, name := range slices.Sorted(maps.Keys(by)) {
		c := by[name]
		row(name, *c)
		all.Join(*c)
	}
	if len(by) > 0 {
		row("all", all)
	}
	return out.String()
}
