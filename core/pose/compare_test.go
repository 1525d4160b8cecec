package pose_test

import (
	"math"
	"strings"
	"testing"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/pose"
)

func TestComparedPointsAreCounted(t *testing.T) {
	var knee pose.Comparison
	knee.Add(r2.Vec{X: 3, Y: 4}, 2, 500) // 5 px are 1 %; 2u holds along both axes
	knee.Add(r2.Vec{X: 9, Y: 0}, 2, 300) // 3 %; along one
	knee.Add(r2.Vec{X: 0, Y: 20}, 5, 1000)
	if m := knee.Quantile(0.5); math.Abs(m-2) > 1e-9 {
		t.Errorf("the median is %g %%", m)
	}
	if in := knee.Inside(); math.Abs(in-4.0/6) > 1e-9 {
		t.Errorf("2u held on %g of all", in)
	}
	if !math.IsNaN(pose.Comparison{}.Quantile(0.5)) {
		t.Error("nothing has a median")
	}
	table := pose.Table("landmark", map[string]*pose.Comparison{"knee": &knee})
	for _, want := range []string{"| knee | 3 | 2.00 |", "| all | 3 |", "66.7 %"} {
		if !strings.Contains(table, want) {
			t.Errorf("the table lacks %q:\n%s", want, table)
		}
	}
}
