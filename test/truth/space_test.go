package truth

import (
	"fmt"
	"math"
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"

	"gonum.org/v1/gonum/spatial/r2"
	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/measure"
	"neokinema/core/optics"
	core "neokinema/core/playbook"
	"neokinema/core/sim"
)

// pair is one attempt filmed from two sides.
type pair struct{ first, second take }

// known are points of known places: marks on the ground and the tops of rods of
// 2 m that were held on them before the attempt.
func (p pair) known() []r3.Vec {
	f := p.first.truth
	middle := f.Film[len(f.Film)/2].World
	x := (middle["hip.L"][0] + middle["hip.R"][0]) / 2
	y := (middle["hip.L"][1] + middle["hip.R"][1]) / 2
	var out []r3.Vec
	wide := 1.25 // about a circle
	if _, circle := f.Marks["rim.back"]; !circle {
		wide = 2.5 // beside a run
	}
	for _, d := range []r2.Vec{{X: -wide}, {X: wide}, {Y: wide}, {Y: -wide}} {
		out = append(out, r3.Vec{X: x + d.X, Y: y + d.Y}, r3.Vec{X: x + d.X, Y: y + d.Y, Z: 2})
	}
	return out
}

// stand finds where a take's camera stood from the known points.
func (h hand) stand(t testing.TB, k take, known []r3.Vec) optics.View {
	t.Helper()
	var px []r2.Vec
	for _, q := range known {
		at := k.shot(0).Project(q)
		px = append(px, h.spot(at.X, at.Y))
	}
	v, err := optics.Resect(known, px, r2.Vec{X: float64(k.truth.Width) / 2, Y: float64(k.truth.Height) / 2}, 2)
	if err != nil {
		t.Fatal(err)
	}
	return v
}

// lay joins the two films as a coach would, with every landmark that is asked
// for on both.
func (p pair) lay(t testing.TB, h hand) *measure.Recording {
	t.Helper()
	s, err := p.join(t, h)
	if err != nil {
		t.Fatal(err)
	}
	return s
}

// join gives the first film alone where the stamps of both do not agree.
func (p pair) join(t testing.TB, h hand) (*measure.Recording, error) {
	t.Helper()
	var failed error
	a, b := h.lay(t, p.first), h.lay(t, p.second)
	known := p.known()
	va, vb := h.stand(t, p.first, known), h.stand(t, p.second, known)
	join := func(s *measure.Recording, v optics.View, other *measure.Recording, ov optics.View) {
		if _, err := s.JoinFilms(&v, other.SecondView(ov)); err != nil {
			failed = err
		}
	}
	for range 3 {
		join(a, va, b, vb)
		join(b, vb, a, va)
		h.place(p.first, a)
		h.place(p.second, b)
	}
	join(a, va, b, vb)
	return a, failed
}

// pairs are attempts of every event whose measures ask for two films.
func pairs(t testing.TB, seeds int, capture float64) []pair {
	t.Helper()
	books := shipped(t)
	var out []pair
	for _, event := range sim.Events() {
		e := books[event]
		if !asks(e) {
			continue
		}
		variants := e.Variants
		if len(variants) == 0 {
			variants = []core.Variant{{}}
		}
		for i := range seeds {
			a := sim.Athlete{HeightM: 1.72 + 0.05*float64(i%4), Sex: "man", Side: "R"}
			if i%2 == 1 && event != "running" {
				a.Side = "L"
			}
			if i%4 > 1 {
				a.Sex = "woman"
			}
			w := sim.Request{Event: event, Variant: variants[i%len(variants)].ID, Athlete: a, Seed: uint64(3000 + i)}
			out = append(out, pair{shoot(t, w, "back", capture, 0), shootFrom(t, w, "side-open", capture, 0, (0.3+0.4*float64(i%2))/capture)})
		}
	}
	return out
}

func asks(e core.Event) bool {
	for _, m := range e.Measures {
		for _, v := range m.Views {
			if v == measure.Pair {
				return true
			}
		}
	}
	return false
}

// With every point where it is on both films, what is measured in space lies
// within its ± of the truth.
func TestTwoFilmsExactly(t *testing.T) {
	all := misses{}
	for _, k := range pairs(t, 2, 240) {
		all.add(t, k.first, measure.Evaluate(k.lay(t, hand{})))
	}
	all.report(t)
}

// A hand that misses pixels, joint centres and contacts on both films: the truth
// lies inside ± 2u.
func TestTwoFilmsAreCovered(t *testing.T) {
	h := hand{r: rand.New(rand.NewPCG(3, 9)), px: 2, frames: true, centres: true}
	kinds, events, worst := tally{}, tally{}, map[string]tally{}
	for _, rate := range []float64{120, 240} {
		for _, k := range pairs(t, 2, rate) {
			for range 2 {
				count(k.first, measure.Evaluate(k.lay(t, h)), kinds, events, worst)
			}
		}
	}
	hold(t, kinds, events, worst)
}

// Draws in which all inputs are off at once spread as the uncertainty says that
// is put together from each alone; the same sheet gives the same draws.
func TestTheUncertaintyAgreesWithDraws(t *testing.T) {
	near, all := 0, 0
	var far []string
	for _, k := range pairs(t, 1, 240) {
		s := k.lay(t, hand{})
		draws, values := measure.Draws(s, 200), measure.Evaluate(s)
		if !reflect.DeepEqual(values, measure.Evaluate(k.lay(t, hand{}))) {
			t.Errorf("%s: the same inputs give other values", k.first)
		}
		for _, v := range values {
			if !v.Known() || v.U == 0 {
				continue
			}
			sum := 0.0
			for _, d := range draws[v.Key] {
				off := d - v.Value
				if v.Unit == "deg" {
					off = math.Remainder(off, 360)
				}
				sum += off * off
			}
			all++
			if r := math.Sqrt(sum/float64(len(draws[v.Key]))) / v.U; r > 0.8 && r < 1.25 {
				near++
			} else {
				far = append(far, fmt.Sprintf("%s %s by %.2f", k.first.want.Event, v.Key, r))
			}
		}
		if again := measure.Draws(s, 3); again["separation@pivot-down"] != nil && again["separation@pivot-down"][2] != draws["separation@pivot-down"][2] {
			t.Error("the same sheet gives other draws")
		}
	}
	if share := 100 * float64(near) / float64(all); share < 90 || all < 300 {
		t.Errorf("only %.1f %% of %d values spread as their u says: %v", share, all, far)
	}
}

func BenchmarkAHammerThrowFromTwoSides(b *testing.B) {
	w := sim.Request{Event: "hammer", Variant: "four-heel", Athlete: sim.Athlete{HeightM: 1.84, Sex: "man", Side: "R"}, Seed: 3000}
	s := pair{shoot(b, w, "back", 120, 0), shoot(b, w, "side-open", 120, 0)}.lay(b, hand{})
	b.Run("all measures", func(b *testing.B) {
		for b.Loop() {
			measure.Evaluate(s)
		}
	})
	b.Run("200 draws", func(b *testing.B) {
		for b.Loop() {
			measure.Draws(s, 200)
		}
	})
}

// One film in which points of known places are marked tells where feet stand:
// from overhead well, from behind at hip height with the ± that this costs.
func TestOneFilmWithKnownPoints(t *testing.T) {
	books := shipped(t)
	h := hand{r: rand.New(rand.NewPCG(4, 4)), px: 2, frames: true, centres: true}
	kinds, events, worst := tally{}, tally{}, map[string]tally{}
	for _, event := range []string{"discus", "hammer", "shot-glide", "shot-rotational", "javelin", "high-jump"} {
		for i, view := range []string{"overhead", "back", "overhead", "oblique"} {
			a := sim.Athlete{HeightM: 1.84, Sex: "man", Side: "R"}
			if i > 1 {
				a.Side = "L"
			}
			w := sim.Request{Event: event, Athlete: a, Seed: uint64(4000 + i)}
			if v := books[event].Variants; len(v) > 0 {
				w.Variant = v[0].ID
			}
			k := shoot(t, w, view, 120, 0)
			p := pair{k, k}
			for range 6 {
				s := h.lay(t, k)
				stand := h.stand(t, k, p.known())
				if _, err := s.JoinFilms(&stand, nil); err != nil {
					t.Fatal(err)
				}
				h.place(k, s)
				var feet []measure.Value
				for _, v := range measure.Evaluate(s) {
					if m, _ := k.event.Measure(v.Measure); slices.Contains(m.Views, measure.Known) {
						feet = append(feet, v)
						if !v.Known() && (m.Kind != "direction" || view == "overhead") {
							t.Errorf("%s: %s lacks %s", k, v.Key, v.Missing[0].What)
						}
					}
				}
				count(k, feet, kinds, events, worst)
			}
		}
	}
	hold(t, kinds, events, worst)
}
