package judge_test

import (
	"testing"

	"neokinema/core/judge"
	"neokinema/core/playbook"
)

// A lane shows the whole of the value's ± and both edges of its band, in order.
func TestALaneHoldsAllOfIt(t *testing.T) {
	edge := func(v float64) *float64 { return &v }
	for _, c := range []struct {
		value, u  float64
		low, high *float64
	}{{104, 2, edge(88), edge(98)}, {93, 2, edge(88), edge(98)}, {5, 1, nil, edge(3)}, {5, 1, edge(30), nil}, {5, 1, nil, nil}, {5, 0, nil, nil}} {
		g := judge.LaneOf(c.value, c.u, &playbook.Band{Low: c.low, High: c.high})
		list := []float64{0, g.From, g.At, g.To, 1}
		for i := 1; i < len(list); i++ {
			if list[i] < list[i-1] {
				t.Errorf("%v: %v is out of order", c, list)
			}
		}
		for _, e := range []*float64{g.Low, g.High} {
			if e != nil && (*e <= 0 || *e >= 1) {
				t.Errorf("%v: an edge of the band lies at %.2f", c, *e)
			}
		}
		if c.low != nil && (*g.Low <= g.At) != (*c.low <= c.value) || c.high != nil && (*g.High >= g.At) != (*c.high >= c.value) {
			t.Errorf("%v: the value stands on the wrong side of its band: %+v", c, g)
		}
	}
}
