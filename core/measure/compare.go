package measure

import "math"

// Change is a value that is not what it was in an earlier run. A number that was
// not known, or is not any more, is nil.
type Change struct {
	Key    string   `json:"key"`
	Name   string   `json:"name"`
	KeyID  string   `json:"keyId"`
	Unit   string   `json:"unit"`
	Before *float64 `json:"before,omitempty"`
	After  *float64 `json:"after,omitempty"`
	WasU   float64  `json:"wasU"` // standard uncertainty before
	U      float64  `json:"u"`    // and now
	By     float64  `json:"by"`   // of its own 2 u now: below 1 it is within the ±; 0 when one is not known
}

// Compare lists what two runs of an attempt say differently, in the later one's
// order, then what is measured no more.
func Compare(before, after []Value) []Change {
	out := []Change{}
	was := map[string]Value{}
	for _, v := range before {
		was[v.Key] = v
	}
	number := func(v Value) *float64 {
		if v.Key == "" || !v.Known() {
			return nil
		}
		return &v.Value
	}
	for _, v := range after {
		b := was[v.Key]
		delete(was, v.Key)
		from, to := number(b), number(v)
		c := Change{Key: v.Key, Name: v.Name, KeyID: v.KeyID, Unit: v.Unit, Before: from, After: to, WasU: b.U, U: v.U}
		switch {
		case from == nil && to == nil:
			continue
		case from != nil && to != nil:
			d := difference(*to, *from, v.Unit)
			if math.Abs(d) <= 1e-9*math.Max(1, math.Abs(*to)) {
				continue
			}
			if v.U > 0 {
				c.By = math.Abs(d) / (2 * v.U)
			}
		}
		out = append(out, c)
	}
	for _, v := range before {
		if gone, left := was[v.Key]; left && gone.Known() {
			out = append(out, Change{Key: v.Key, Name: v.Name, KeyID: v.KeyID, Unit: v.Unit, Before: number(gone), WasU: gone.U})
		}
	}
	return out
}
