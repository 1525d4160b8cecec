package clock

import (
	"errors"
	"math"
	"math/rand/v2"
	"strings"
	"testing"
)

func instants(u float64, at ...float64) []Instant {
	var out []Instant
	for _, t := range at {
		out = append(out, Instant{t, u})
	}
	return out
}

func TestFilmsAreJoinedByTheirStamps(t *testing.T) {
	first := instants(0.004, 0.5, 1.2, 2.9, 3.4)
	second := instants(0.004, 1.21, 1.91, 3.61, 4.11)
	j, err := Align(first, second)
	if err != nil {
		t.Fatal(err)
	}
	near(t, "the offset", j.Offset, 0.71, 1e-9)
	near(t, "an instant there", j.At(2), 2.71, 1e-9)
	near(t, "and back", j.Inverse(2.71), 2, 1e-9)
	r := rand.New(rand.NewPCG(6, 6))
	inside, refused, n := 0, 0, 2000
	for range n {
		a, b := append([]Instant(nil), first...), append([]Instant(nil), second...)
		for i := range a {
			a[i].T, b[i].T = a[i].T+0.004*r.NormFloat64(), b[i].T+0.004*r.NormFloat64()
		}
		j, err := Align(a, b)
		if err != nil {
			refused++
		} else if math.Abs(j.Offset-0.71) <= 2*j.OffsetU {
			inside++
		}
	}
	if inside < n*93/100 || refused > n/200 {
		t.Errorf("of %d, %d offsets lie inside ±2u, %d are refused", n, inside, refused)
	}
	if one, err := Align(instants(0.002, 1), instants(0.002, 3)); err != nil || one.Offset != 2 || one.OffsetU < 0.0028 {
		t.Errorf("one stamp joins as %+v: %v", one, err)
	}
}

func TestStampsThatCannotAgree(t *testing.T) {
	for _, c := range []struct {
		name          string
		this, other   []Instant
		says          string
		odd           int
		isDisagreeing bool
	}{
		{"none", nil, nil, "stamp the same key position", 0, false},
		{"at one instant", instants(0.002, 1, 1), instants(0.002, 2, 2), "lie at one instant", 0, false},
		{"different attempts", instants(0.002, 1, 2), instants(0.002, 3, 4.1), "cannot be of one attempt", 0, true},
		{"reversed", instants(0.002, 1, 2), instants(0.002, 5, 4), "cannot be of one attempt", 0, true},
		{"one stamp off", instants(0.002, 1, 2, 3, 4), instants(0.002, 2, 3.2, 4, 5), "cannot be of one attempt", 1, true},
		{"a rate said wrongly", instants(0.002, 1, 2, 3), instants(0.002, 1, 3, 5), "2.000 ± 0.004 times as fast", 0, false},
	} {
		t.Run(c.name, func(t *testing.T) {
			_, err := Align(c.this, c.other)
			if err == nil || !strings.Contains(err.Error(), c.says) {
				t.Fatalf("got %v, want something with %q", err, c.says)
			}
			var d Disagreement
			if errors.As(err, &d) != c.isDisagreeing || c.name == "one stamp off" && d.Odd != c.odd {
				t.Errorf("the odd one is %d", d.Odd)
			}
		})
	}
}
