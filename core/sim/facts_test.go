package sim

import (
	"math"
	"strings"
	"testing"

	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
	"neokinema/core/flight"
)

// What the trade and the literature say of these events, from memory unless
// named, holds for the simulated athlete too.
func TestPublishedFactsHold(t *testing.T) {
	man, woman := Athlete{HeightM: 1.85, Sex: body.Man, Side: body.Right}, Athlete{HeightM: 1.74, Sex: body.Woman, Side: body.Left}
	within := func(what string, got, low, high float64) {
		t.Helper()
		if math.IsNaN(got) || got < low || got > high {
			t.Errorf("%s is %.4g, not within %g to %g", what, got, low, high)
		}
	}
	// cord force: 7.26 kg at about 28 m/s on 1.7 m, 700 to 800 lbf; the weight at
	// 15 m/s, 500 to 600 lbf (trade values): m·v²/r from the truth's own path
	hammer := move(t, Request{Event: "hammer", Variant: "four-heel", Athlete: man})
	within("hammer speed, m/s", hammer.Measures["release-speed@release"], 24, 30)
	pull, v := hammer.Measures["pull@zero#4"], hammer.Measures["ball-speed@zero#4"]
	within("pull on the wire, N", pull, 0.55*7.26*v*v/1.9, 1.5*7.26*v*v/1.6)
	within("pull on the wire at the release, lbf", hammer.pull(hammer.Stamps["release"]-0.006, 7.26)/4.448, 550, 900)
	for k := 2; k <= 4; k++ {
		if a, b := hammer.Measures[at("turn-time@down", k-1)], hammer.Measures[at("turn-time@down", k)]; k > 2 && b >= a {
			t.Errorf("turn %d takes %.3f s, the one before %.3f s", k, b, a)
		}
	}
	weight := move(t, Request{Event: "weight", Athlete: man})
	within("weight speed, m/s", weight.Measures["release-speed@release"], 9, 17)
	discus := move(t, Request{Event: "discus", Variant: "full", Athlete: woman})
	within("disc speed, m/s", discus.Measures["release-speed@release"], 19, 29)
	within("shot speed, m/s", move(t, Request{Event: "shot-glide", Athlete: man}).Measures["release-speed@release"], 10, 15)
	within("javelin speed, m/s", move(t, Request{Event: "javelin", Athlete: man}).Measures["release-speed@release"], 20, 33)
	// running: duty factor under a half and falling with speed, a bounce of some
	// centimetres (common practice)
	easy, fast := move(t, Request{Event: "running", Variant: "easy", Athlete: woman}), move(t, Request{Event: "running", Variant: "fast", Athlete: woman})
	within("duty factor, easy, %", easy.Measures["duty-factor@to-left#1"], 28, 42)
	within("duty factor, fast, %", fast.Measures["duty-factor@to-left#1"], 18, 30)
	within("bounce, m", easy.Measures["bounce@td-left#1"], 0.04, 0.10)
	// long jump: Hay 1986, take-off at 18 to 24°, 85 to 90 % of the distance in flight
	jump := move(t, Request{Event: "long-jump", Athlete: man})
	l1, l2, l3 := jump.Measures["l1@board-to"], jump.Measures["l2@heels"], jump.Measures["l3@heels"]
	within("share of the flight, %", 100*l2/(l1+l2+l3), 83, 92)
	within("distance, m", l1+l2+l3, 5.5, 8)
	// the flight of the long jump against the formula of a projectile
	to, heels := jump.figure(jump.Stamps["board-to"]), jump.figure(jump.Stamps["heels"])
	drop := jump.body.of(&to).Z - jump.body.of(&heels).Z
	near(t, "length of the flight by the formula", flight.Range(jump.Measures["take-off-speed@board-to"], jump.Measures["take-off-angle@board-to"], drop), l2, 0.02)
	// high jump: the lean of the curve against circular motion
	for _, a := range []Athlete{man, woman} {
		m := move(t, Request{Event: "high-jump", Athlete: a})
		near(t, "lean in the curve", m.Measures["lean@c2"], m.Measures["needed-lean@c2"], 6)
		near(t, "rise by v²/2g", m.Measures["h2@peak"], sq(m.Measures["rise@take-off"])/2/flight.G, 0.01)
	}
	near(t, "the sheet's worked lean", neededLean(7, 10.027, 1.0), 27.6, 0.05)
}

// An implement that has left the hand flies as a projectile from where, and as
// fast as, it was let go.
func TestImplementsFlyFree(t *testing.T) {
	for _, event := range []string{"hammer", "weight", "discus", "shot-glide", "shot-rotational", "javelin"} {
		for _, a := range bodies[:2] {
			m := move(t, Request{Event: event, Athlete: a, Seed: 2})
			rel := m.Stamps["release"]
			place, v := m.released(rel)
			for _, d := range []float64{0.005, 0.02, 0.1, 0.25} {
				want := r3.Add(place, r3.Scale(d, v))
				want.Z -= flight.G * d * d / 2
				near(t, event+" off its parabola", r3.Norm(r3.Sub(m.implement(rel+d, "implement"), want)), 0, 1e-6)
			}
			before := m.implement(rel-1e-3, "implement")
			near(t, event+" jumps at the release", r3.Norm(r3.Sub(place, before)), r3.Norm(v)*1e-3, 0.01)
		}
	}
}

// The hands hold the implement until they let it go.
func TestHandsHoldTheImplement(t *testing.T) {
	for event, name := range map[string]string{"hammer": "grip", "weight": "grip", "discus": "implement", "shot-glide": "implement", "shot-rotational": "implement", "javelin": "grip", "pole-vault": "grip"} {
		m := move(t, Request{Event: event, Athlete: bodies[0]})
		end := m.End()
		if r, ok := m.Stamps["release"]; ok {
			end = r
		}
		for at := m.Begin(); at < end; at += 0.02 {
			f := m.figure(at)
			var held r3.Vec
			for _, x := range f.things {
				if x.name == name {
					held = x.at
				}
			}
			if d := r3.Norm(r3.Sub(held, f.limb[right].knuckle)); d > 0.13 {
				t.Fatalf("%s: the hand is %.2f m from the %s at %.2f s", event, d, name, at)
			}
		}
	}
}

func TestTheOtherHandIsAMirror(t *testing.T) {
	for _, event := range Events() {
		if event == "running" { // it has no side: left and right are the feet's own names
			continue
		}
		w := Request{Event: event, Athlete: Athlete{HeightM: 1.75, Sex: body.Woman, Side: body.Right}, Seed: 3}
		a := move(t, w)
		w.Athlete.Side = body.Left
		b := move(t, w)
		for at := a.Begin(); at < a.End(); at += 0.1 {
			p, q := a.Pose(at), b.Pose(at)
			for l, v := range p {
				mirror := l
				if n := len(l); strings.HasSuffix(string(l), ".L") {
					mirror = l[:n-1] + "R"
				} else if strings.HasSuffix(string(l), ".R") {
					mirror = l[:n-1] + "L"
				}
				u := q[mirror]
				if math.Abs(v.X-u.X)+math.Abs(v.Y+u.Y)+math.Abs(v.Z-u.Z) > 1e-6 {
					t.Fatalf("%s: at %.2f s the %s is at %v, its mirror at %v", event, at, l, v, u)
				}
			}
		}
		for k, v := range a.Measures {
			if math.Abs(v-b.Measures[k]) > 1e-6 {
				t.Errorf("%s: %s is %g to the right, %g to the left", event, k, v, b.Measures[k])
			}
		}
	}
}

// What is asked for by name is what the truth shows.
func TestTruthShowsWhatWasAskedFor(t *testing.T) {
	for event, set := range map[string]map[string]float64{
		"sprint-start": {"front-knee@set": 104, "exit-line@block-exit": 41, "toe-ahead@td2": 0.06},
		"hammer":       {"catch-azimuth@down#2": 248, "off-azimuth@off#1": 80, "release-azimuth@release": 84},
		"discus":       {"release-angle@release": 33, "attack@release": -8},
		"long-jump":    {"take-off-angle@board-to": 19, "speed-loss@board-to": 15},
		"high-jump":    {"rise@take-off": 3.9, "foot-direction@plant": 14},
		"javelin":      {"release-angle@release": 37},
		"pole-vault":   {"hand@pen-td": 0.7, "take-off-angle@take-off": 16},
	} {
		m := move(t, Request{Event: event, Athlete: bodies[0], Set: set})
		for key, want := range set {
			near(t, event+" "+key, m.Measures[key], want, 0.03*math.Abs(want)+0.03)
		}
	}
}

func TestTheSeedAloneDecides(t *testing.T) {
	w := Request{Event: "running", Athlete: bodies[0], Seed: 5}
	a := move(t, w)
	b, err := Simulate(w) // anew
	if err != nil {
		t.Fatal(err)
	}
	w.Seed = 6
	c := move(t, w)
	if a.Pose(0.3)["toe.L"] != b.Pose(0.3)["toe.L"] {
		t.Error("the same seed moves differently")
	}
	if a.Pose(0.3)["toe.L"] == c.Pose(0.3)["toe.L"] {
		t.Error("another seed moves the same")
	}
	if x, y := a.Measures["shin@td-left#1"], a.Measures["shin@td-left#2"]; x == y || math.Abs(x-y) > 4 {
		t.Errorf("strides vary from %.2f to %.2f", x, y)
	}
}

func TestWhatCannotBeSaysWhy(t *testing.T) {
	who := bodies[0]
	for says, w := range map[string]Request{
		"there is no event":                {Event: "marbles", Athlete: who},
		"has no variant":                   {Event: "hammer", Variant: "five-turns", Athlete: who},
		"there is no level":                {Event: "hammer", Level: "champion", Athlete: who},
		"has no fault":                     {Event: "discus", Athlete: who, Faults: map[string]float64{"late-catch": 1}},
		"is not between 0 and 1":           {Event: "discus", Athlete: who, Faults: map[string]float64{"dive": 1.5}},
		"is not steered by":                {Event: "discus", Athlete: who, Set: map[string]float64{"colour": 1}},
		"a body allows":                    {Event: "sprint-start", Athlete: who, Set: map[string]float64{"front-knee@set": 20}},
		"does not reach":                   {Event: "sprint-start", Athlete: who, Set: map[string]float64{"front-knee@set": 71, "hip-over-shoulder@set": 60}},
		"does not end before a block time": {Event: "sprint-start", Athlete: who, Set: map[string]float64{"rear-push": 0.3, "block-time": 0.25}},
		"leave no time in the air":         {Event: "long-jump", Athlete: who, Set: map[string]float64{"pen-ratio": 0.8, "last-ratio": 0.6}},
		"is outside 1.30 to 2.15 m":        {Event: "discus", Athlete: Athlete{HeightM: 0.9, Sex: body.Man, Side: body.Right}},
		"is not a side":                    {Event: "discus", Athlete: Athlete{HeightM: 1.8, Sex: body.Man, Side: "X"}},
	} {
		_, err := Simulate(w)
		if err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("want %q, got %v", says, err)
		}
	}
}

// Thousands of attempts in a minute, without pictures.
func BenchmarkMove(b *testing.B) {
	for _, event := range []string{"running", "discus", "hammer", "long-jump"} {
		b.Run(event, func(b *testing.B) {
			for i := range b.N {
				if _, err := Simulate(Request{Event: event, Athlete: bodies[0], Seed: uint64(i + 1)}); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}
