package measure

import (
	"slices"
	"testing"
)

// What a new run says differently is listed, and how much that is beside its ±;
// a turn through north is a small one.
func TestWhatMoved(t *testing.T) {
	value := func(key string, v, u float64) Value { return Value{Key: key, Unit: "deg", Value: v, U: u} }
	lacks := Value{Key: "c@set", Missing: []Missing{{Kind: "stamp"}}}
	before := []Value{value("a@set", 100, 2), value("b@set", 350, 2), lacks, value("d@set", 5, 1), value("e@set", 1, 1)}
	after := []Value{value("a@set", 104, 2), value("b@set", 2, 2), value("c@set", 9, 1), {Key: "d@set", Missing: []Missing{{Kind: "view"}}}, value("e@set", 1, 1)}
	got := Compare(before, after)
	var keys []string
	for _, c := range got {
		keys = append(keys, c.Key)
	}
	if !slices.Equal(keys, []string{"a@set", "b@set", "c@set", "d@set"}) {
		t.Fatalf("moved: %v", keys)
	}
	if got[0].By != 1 || got[1].By != 3 || *got[0].Before != 100 || *got[0].After != 104 || got[0].U != 2 || got[0].WasU != 2 {
		t.Errorf("by how much: %+v, %+v", got[0], got[1])
	}
	if got[2].Before != nil || got[3].After != nil {
		t.Errorf("new and gone: %+v, %+v", got[2], got[3])
	}
	if gone := Compare(before[:1], nil); len(gone) != 1 || gone[0].After != nil {
		t.Errorf("measured no more: %+v", gone)
	}
}
