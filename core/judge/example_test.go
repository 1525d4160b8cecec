package judge_test

import (
	"fmt"

	"neokinema/core/judge"
	"neokinema/core/playbook"
)

// A value is judged with its ±: what straddles an edge is near, and what is wider
// than the question can't be told.
func ExampleOf() {
	low, high := 88.0, 105.0
	band := playbook.Band{Low: &low, High: &high}
	for _, v := range []struct{ value, u float64 }{{96, 3}, {118, 3}, {104, 3}, {96, 12}} {
		fmt.Printf("%.0f° ± %.0f against %s: %s\n", v.value, 2*v.u, judge.Text(band, "deg"), judge.Of(v.value, v.u, band, 0, 0))
	}
	// Output:
	// 96° ± 6 against 88–105°: in
	// 118° ± 6 against 88–105°: out
	// 104° ± 6 against 88–105°: near
	// 96° ± 24 against 88–105°: can't tell
}
