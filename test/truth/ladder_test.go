package truth

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"neokinema/core/body"
	"neokinema/core/clock"
	"neokinema/core/footfall"
	core "neokinema/core/playbook"
	"neokinema/core/sim"
	"neokinema/test/paths"
)

// stamped is a filmed attempt of an event with the truth's stamps, its pictures
// unevenly spaced.
func stamped(t *testing.T, e core.Event, variant string, side body.Side) (sim.Truth, clock.Timeline, map[string]int) {
	t.Helper()
	m, err := simulated(sim.Request{Event: e.ID, Variant: variant, Athlete: sim.Athlete{HeightM: 1.8, Sex: body.Man, Side: side}, Seed: 4})
	if err != nil {
		t.Fatal(err)
	}
	c := sim.Usual(e.ID, paths.Views(e.ID)[0])
	c.Variable = true
	f, err := c.Film(m)
	if err != nil {
		t.Fatal(err)
	}
	pts := make([]int64, len(f.Film))
	for i := range pts {
		pts[i] = int64(math.Round((f.Film[i].T - f.Film[0].T) * 1e6))
	}
	film, err := clock.NewTimeline(pts, clock.TimeBase{Num: 1, Den: 1e6}, clock.Rate{Capture: f.Capture, Playback: f.Capture}, nil)
	if err != nil {
		t.Fatal(err)
	}
	stamps := map[string]int{}
	for _, k := range e.Keys {
		if n, ok := f.Frames[k.ID]; ok {
			stamps[k.ID] = n
		}
	}
	return f, film, stamps
}

// wide is the longer of the intervals before and after a picture: what lies
// between may be half of it off.
func wide(film clock.Timeline, n int) float64 {
	return math.Max(film.Interval(n), film.Interval(min(n+1, film.Len()-1)))
}

// contacts are the notes of an attempt's stamps.
func contacts(e core.Event, film clock.Timeline, stamps map[string]int) []string {
	var beats []footfall.FootEvent
	for _, k := range e.Keys {
		n, ok := stamps[k.ID]
		if foot := k.Lands + k.Lifts; ok && foot != "" {
			at, err := film.Instant(n, clock.Nature(k.Nature))
			if err == nil {
				beats = append(beats, footfall.FootEvent{KeyID: k.ID, Foot: foot, Lands: k.Lands != "", At: at})
			}
		}
	}
	var out []string
	for _, n := range footfall.Contacts(beats) {
		out = append(out, fmt.Sprintf("%s %s %s", n.Foot, n.FromKey, n.ToKey))
	}
	return out
}

// On the ladder of every event, in every variant, for both hands, on pictures
// that come unevenly: true stamps stand as they are and give the true times;
// reversed and doubled ones are said to be so, by name; a missing one leaves all
// contacts but its own as they were.
func TestLaddersOfAllEvents(t *testing.T) {
	books := shipped(t)
	for _, event := range sim.Events() {
		variants, err := sim.Variants(event)
		if err != nil {
			t.Fatal(err)
		}
		for _, variant := range variants {
			for _, side := range []body.Side{body.Left, body.Right} {
				t.Run(fmt.Sprint(event, " ", variant, " ", side), func(t *testing.T) {
					e := books[event]
					if len(e.Variants) > 0 {
						if e, err = e.As(variant); err != nil {
							t.Fatal(err)
						}
					}
					f, film, stamps := stamped(t, e, variant, side)
					if bad := e.OutOfOrder(stamps); len(bad) > 0 {
						t.Errorf("true stamps are out of order: %v", bad)
					}
					for _, p := range e.Phases {
						a, okA := stamps[p.From]
						b, okB := stamps[p.To]
						if !okA || !okB {
							continue
						}
						from, _ := e.Key(p.From)
						to, _ := e.Key(p.To)
						x, errX := film.Instant(a, clock.Nature(from.Nature))
						y, errY := film.Instant(b, clock.Nature(to.Nature))
						if errX != nil || errY != nil {
							t.Fatal(errX, errY)
						}
						d, _ := film.Between(x, y)
						if off := math.Abs(d - (f.Stamps[p.To] - f.Stamps[p.From])); off > (wide(film, a)+wide(film, b))/2+1e-6 {
							t.Errorf("%s is %.1f ms off", p.ID, 1000*off)
						}
					}
					all := contacts(e, film, stamps)
					for _, k := range e.Keys {
						if _, ok := stamps[k.ID]; !ok {
							continue
						}
						for _, a := range k.After {
							before, ok := stamps[a]
							if !ok || before >= stamps[k.ID] {
								continue
							}
							first, _ := e.Key(a)
							with := func(x, y int) map[string]int {
								out := map[string]int{}
								for keyID, n := range stamps {
									out[keyID] = n
								}
								out[a], out[k.ID] = x, y
								return out
							}
							says := strings.Join(e.OutOfOrder(with(stamps[k.ID], before)), "\n")
							if !strings.Contains(says, first.Name) || !strings.Contains(says, k.Name) {
								t.Errorf("%s and %s reversed: %q", a, k.ID, says)
							}
							if foot := k.Lands + k.Lifts; foot != "" && foot == first.Lands+first.Lifts {
								if says := strings.Join(e.OutOfOrder(with(before, before)), "\n"); !strings.Contains(says, "on one picture") {
									t.Errorf("%s and %s on one picture: %q", a, k.ID, says)
								}
							}
						}
						if k.Lands+k.Lifts == "" {
							continue
						}
						less := map[string]int{}
						for keyID, n := range stamps {
							if keyID != k.ID {
								less[keyID] = n
							}
						}
						for _, n := range all {
							own := slices.Contains(strings.Fields(n), k.ID) || strings.HasPrefix(n, k.Lands+k.Lifts+" ")
							if !own && !slices.Contains(contacts(e, film, less), n) {
								t.Errorf("without %s the contact %q of the other foot is gone", k.ID, n)
							}
						}
					}
				})
			}
		}
	}
}
