package coach

import (
	"fmt"
	"math"
	"time"

	"gonum.org/v1/gonum/stat"
	"gonum.org/v1/gonum/stat/distuv"
)

// Point is a value on a day.
type Point struct {
	Day   time.Time
	Value float64
}

// Trend is how a line through values runs toward a goal.
type Trend struct {
	PerWeek float64 `json:"perWeek"`
	At      float64 `json:"at"`     // on the goal's day
	Within  float64 `json:"within"` // ± of a single value then, 95 %
	State   string  `json:"state"`  // reached, on course, within reach, not on course, can't tell
	Says    string  `json:"says"`
}

// trendFrom values on are needed for a line, over trendDays at least.
const (
	trendFrom = 6
	trendDays = 21
)

// Toward tells whether values run toward a target by a day. A line by least
// squares with the prediction interval of one more value (Student's t; Draper
// and Smith, Applied Regression Analysis). Say writes a value.
func Toward(list []Point, target float64, lower bool, by time.Time, say func(float64) string) Trend {
	var x, y []float64
	best := math.Inf(-1)
	for _, p := range list {
		x, y = append(x, p.Day.Sub(list[0].Day).Hours()/24), append(y, p.Value)
		v := p.Value
		if lower {
			v = -v
		}
		best = math.Max(best, v)
	}
	t := target
	if lower {
		t = -t
	}
	if best >= t {
		return Trend{State: "reached", Says: "Reached"}
	}
	days := 0.0
	if len(x) > 0 {
		days = x[len(x)-1]
	}
	if len(x) < trendFrom || days < trendDays {
		return Trend{State: "can't tell", Says: fmt.Sprintf("Can't tell yet: a trend needs %d values over %d days, there are %d over %.0f", trendFrom, trendDays, len(x), days)}
	}
	a, b := stat.LinearRegression(x, y, nil, false)
	n, mx := float64(len(x)), stat.Mean(x, nil)
	sxx, rest := 0.0, 0.0
	for i := range x {
		sxx += (x[i] - mx) * (x[i] - mx)
		rest += math.Pow(y[i]-a-b*x[i], 2)
	}
	at := by.Sub(list[0].Day).Hours() / 24
	k := distuv.StudentsT{Mu: 0, Sigma: 1, Nu: n - 2}.Quantile(0.975)
	within := k * math.Sqrt(rest/(n-2)*(1+1/n+(at-mx)*(at-mx)/sxx))
	out := Trend{PerWeek: 7 * b, At: a + b*at, Within: within}
	there, width := out.At, within
	if lower {
		there = -there
	}
	line := fmt.Sprintf("the line stands at %s on %s, a single value within ± %s", say(out.At), by.Format("2 January 2006"), say(within))
	switch {
	case there-width >= t:
		out.State, out.Says = "on course", "On course: "+line
	case there+width < t:
		out.State, out.Says = "not on course", "Not on course: "+line
	default:
		out.State, out.Says = "within reach", "Within reach, not certain: "+line
	}
	return out
}
