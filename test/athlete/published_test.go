package athlete

import (
	"fmt"
	"math"
	"os"
	"strings"
	"testing"

	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
	"neokinema/core/flight"
	"neokinema/core/sim"
)

// fact is a number of an event beside what is published of it, for each level:
// the athletes of developing and youth level share a range.
type fact struct {
	event, variant, what, unit string
	of                         func(m *sim.Motion) float64
	developing, trained, elite [2]float64
	source                     string
	oneHeight                  bool // a length that grows with the athlete: ranges are for a standing height of 1.85 m
}

func measured(key string) func(m *sim.Motion) float64 {
	return func(m *sim.Motion) float64 {
		v, ok := m.Measures[key]
		if !ok {
			return math.NaN()
		}
		return v
	}
}

// speedAt is the implement's speed, m/s.
func speedAt(m *sim.Motion, t float64) float64 {
	const h = 2e-3
	return r3.Norm(r3.Sub(m.Pose(t + h)["implement"], m.Pose(t - h)["implement"])) / (2 * h)
}

// deepestFall is by how much, m/s, the ball slows between the entry and the
// release before it quickens again, at most.
func deepestFall(m *sim.Motion) float64 {
	high, fall := 0.0, 0.0
	for t := m.Stamps["entry-0"] + 0.05; t < m.Stamps["release"]-0.05; t += 0.01 {
		v := speedAt(m, t)
		high = math.Max(high, v)
		fall = math.Max(fall, high-v)
	}
	return fall
}

// curveTurn is the lean, degrees, that the path of the centre of mass asks for
// in the curve: v·ω/g over the steps from the third last contact to the last but
// one.
func curveTurn(m *sim.Motion) float64 {
	from, to := m.Stamps["c3"], m.Stamps["pen-td"]
	const h = 5e-3
	speed := func(t float64) r3.Vec { return r3.Scale(1/(2*h), r3.Sub(m.Centre(t+h), m.Centre(t-h))) }
	a, b := speed(from-2*h), speed(to-2*h)
	turn := math.Abs(math.Remainder(math.Atan2(b.Y, b.X)-math.Atan2(a.Y, a.X), 2*math.Pi))
	d := r3.Sub(m.Centre(to), m.Centre(from))
	v := math.Hypot(d.X, d.Y) / (to - from)
	return math.Atan(v*turn/(to-from)/flight.G) * 180 / math.Pi
}

// leanGap is how far the lean in the curve is from what the path asks for.
func leanGap(m *sim.Motion) float64 {
	lean := (m.Measures["lean@c3"] + m.Measures["lean@c2"] + m.Measures["lean@pen-td"]) / 3
	return lean - curveTurn(m)
}

// published is what is known of these events. Sources are from memory;
// "projectile" is the speed that the distances of a level ask for.
var published = []fact{
	{"hammer", "four-heel", "speed at release", "m/s", measured("release-speed@release"), [2]float64{17, 22}, [2]float64{22, 26.5}, [2]float64{26, 29.5}, "Dapena 1984, J. Biomech. 17; others: projectile, 35–52 m and 55–75 m", false},
	{"hammer", "four-heel", "angle at release", "°", measured("release-angle@release"), [2]float64{36, 43}, [2]float64{37, 42}, [2]float64{37, 42}, "Bartonietz 2000, Biomechanics in Sport", false},
	{"hammer", "four-heel", "height at release", "m", measured("release-height@release"), [2]float64{1.4, 2.0}, [2]float64{1.5, 1.95}, [2]float64{1.5, 1.95}, "Bartonietz 2000", true},
	{"hammer", "four-heel", "speed lost within a turn", "m/s", deepestFall, [2]float64{0, 2.2}, [2]float64{0, 2.2}, [2]float64{0, 2.2}, "Dapena 1984: 1 to 2 m/s, most of it gravity", false},
	{"weight", "", "speed at release", "m/s", measured("release-speed@release"), [2]float64{9, 12}, [2]float64{11.5, 14}, [2]float64{13.5, 15.5}, "projectile, 10–15, 14–20 and 20–26 m", false},
	{"weight", "", "angle at release", "°", measured("release-angle@release"), [2]float64{34, 43}, [2]float64{34, 43}, [2]float64{34, 43}, "common practice", false},
	{"discus", "full", "speed at release", "m/s", measured("release-speed@release"), [2]float64{16, 22.5}, [2]float64{20.5, 25}, [2]float64{23, 26.5}, "Bartlett 1992, J. Sports Sci. 10; others: projectile, 28–45 and 42–58 m", false},
	{"discus", "full", "angle at release", "°", measured("release-angle@release"), [2]float64{30, 40}, [2]float64{32, 39}, [2]float64{32, 39}, "Bartlett 1992", false},
	{"discus", "full", "height at release", "m", measured("release-height@release"), [2]float64{1.3, 1.95}, [2]float64{1.4, 1.95}, [2]float64{1.4, 1.95}, "Bartlett 1992", true},
	{"shot-glide", "", "speed at release", "m/s", measured("release-speed@release"), [2]float64{8, 11.5}, [2]float64{11, 13.2}, [2]float64{12.5, 14.4}, "Linthorne 2001, J. Sports Sci. 19; others: projectile, 9–14 and 13.5–18.5 m", false},
	{"shot-glide", "", "angle at release", "°", measured("release-angle@release"), [2]float64{31, 38}, [2]float64{31, 38}, [2]float64{31, 38}, "Linthorne 2001", false},
	{"shot-glide", "", "height at release", "m", measured("release-height@release"), [2]float64{1.95, 2.3}, [2]float64{1.95, 2.3}, [2]float64{1.95, 2.3}, "Linthorne 2001", true},
	{"shot-rotational", "", "speed at release", "m/s", measured("release-speed@release"), [2]float64{8.5, 11.5}, [2]float64{11, 13.4}, [2]float64{12.5, 14.4}, "Linthorne 2001; others: projectile", false},
	{"shot-rotational", "", "angle at release", "°", measured("release-angle@release"), [2]float64{31, 38}, [2]float64{31, 38}, [2]float64{31, 38}, "Linthorne 2001", false},
	{"javelin", "", "speed at release", "m/s", measured("release-speed@release"), [2]float64{18, 24}, [2]float64{22, 28}, [2]float64{26.5, 31}, "Best and others 1993, J. Sports Sci. 11; others: projectile with the javelin's air, 35–55 and 50–72 m", false},
	{"javelin", "", "angle at release", "°", measured("release-angle@release"), [2]float64{30, 38}, [2]float64{30, 38}, [2]float64{30, 38}, "Best and others 1993", false},
	{"javelin", "", "speed into the block", "m/s", measured("approach-speed@push-down"), [2]float64{3.5, 5.2}, [2]float64{4.8, 6.2}, [2]float64{5.5, 7.0}, "Mero and others 1994, J. Appl. Biomech. 10; others: common practice", false},
	{"long-jump", "", "speed before the board", "m/s", measured("approach-speed@board-td"), [2]float64{6, 8.2}, [2]float64{7.6, 9.4}, [2]float64{8.8, 10.8}, "Hay 1986, Exerc. Sport Sci. Rev. 14; Hay and others 1986", false},
	{"long-jump", "", "angle at take-off", "°", measured("take-off-angle@board-to"), [2]float64{17, 25}, [2]float64{18, 24}, [2]float64{18, 24}, "Hay 1986", false},
	{"long-jump", "", "contact on the board", "s", measured("contact@board-to"), [2]float64{0.11, 0.16}, [2]float64{0.11, 0.14}, [2]float64{0.10, 0.13}, "Hay 1986", false},
	{"high-jump", "speed", "speed before the plant", "m/s", measured("approach-speed@plant"), [2]float64{4.8, 6.8}, [2]float64{5.9, 7.6}, [2]float64{6.5, 8.2}, "Dapena and others 1990, Int. J. Sport Biomech. 6", false},
	{"high-jump", "speed", "speed upward at take-off", "m/s", measured("rise@take-off"), [2]float64{2.6, 3.8}, [2]float64{3.5, 4.3}, [2]float64{3.8, 4.8}, "Dapena and others 1990", false},
	{"high-jump", "speed", "contact of take-off", "s", measured("contact@take-off"), [2]float64{0.13, 0.20}, [2]float64{0.13, 0.20}, [2]float64{0.13, 0.20}, "Dapena and others 1990", false},
	{"high-jump", "speed", "lean less what the path of the centre of mass asks for", "°", leanGap, [2]float64{-4, 4}, [2]float64{-4, 4}, [2]float64{-4, 4}, "circular motion", false},
	{"pole-vault", "", "speed before the take-off", "m/s", measured("approach-speed@to-td"), [2]float64{5.5, 7.5}, [2]float64{7.0, 8.7}, [2]float64{7.9, 9.8}, "Adamczewski and Perlt 1997, New Stud. Athl. 12", false},
	{"pole-vault", "", "angle at take-off", "°", measured("take-off-angle@take-off"), [2]float64{14, 22}, [2]float64{14, 21}, [2]float64{15, 20}, "Adamczewski and Perlt 1997", false},
	{"sprint-start", "", "time on the blocks", "s", measured("block-time@block-exit"), [2]float64{0.35, 0.46}, [2]float64{0.32, 0.42}, [2]float64{0.30, 0.38}, "Harland and Steele 1997, Sports Med. 23", false},
	{"sprint-start", "", "first contact", "s", measured("contact@to1"), [2]float64{0.16, 0.22}, [2]float64{0.15, 0.21}, [2]float64{0.15, 0.20}, "Harland and Steele 1997", false},
	{"running", "easy", "speed", "m/s", measured("speed@td-left#1"), [2]float64{2.6, 4}, [2]float64{2.6, 4}, [2]float64{2.6, 4}, "common practice", false},
	{"running", "easy", "contact", "s", measured("contact@to-left#1"), [2]float64{0.20, 0.29}, [2]float64{0.20, 0.29}, [2]float64{0.20, 0.29}, "Cavanagh and LaFortune 1980, J. Biomech. 13", false},
	{"running", "fast", "speed", "m/s", measured("speed@td-left#1"), [2]float64{6, 8.5}, [2]float64{6, 8.5}, [2]float64{6, 8.5}, "common practice", false},
	{"running", "fast", "contact", "s", measured("contact@to-left#1"), [2]float64{0.11, 0.15}, [2]float64{0.11, 0.15}, [2]float64{0.11, 0.15}, "Weyand and others 2000, J. Appl. Physiol. 89", false},
}

func (f fact) allowed(level string) [2]float64 {
	switch level {
	case "elite":
		return f.elite
	case "trained":
		return f.trained
	}
	return f.developing
}

// The simulated athlete moves as it is published that athletes do, at every
// level: NEOKINEMA_DOCUMENTS=1 writes the table into docs/simulation.md.
func TestTheAthleteMovesAsPublished(t *testing.T) {
	people := []sim.Athlete{{HeightM: 1.85, Sex: body.Man, Side: body.Right}, {HeightM: 1.72, Sex: body.Woman, Side: body.Right}}
	var table strings.Builder
	table.WriteString("| event | what | " + strings.Join(sim.Levels, " | ") + " | published: developing and youth · trained · elite | source |\n|---|---|---|---|---|---|---|---|\n")
	moved := map[string]*sim.Motion{}
	for _, f := range published {
		cells := []string{strings.TrimSpace(f.event + " " + f.variant), f.what + ", " + f.unit}
		for _, level := range sim.Levels {
			var shown []string
			for _, a := range people {
				if level == "youth" {
					a.HeightM, a.Youth = a.HeightM-0.17, true
				}
				key := fmt.Sprint(f.event, f.variant, level, a)
				if moved[key] == nil {
					moved[key] = move(t, sim.Request{Event: f.event, Variant: f.variant, Level: level, Athlete: a})
				}
				v := f.of(moved[key])
				held := v
				if f.oneHeight {
					held *= 1.85 / a.HeightM
				}
				if in := f.allowed(level); math.IsNaN(v) || held < in[0] || held > in[1] {
					t.Errorf("%s %s, %s, %v: the %s is %.4g %s, published %g to %g", f.event, f.variant, level, a.Sex, f.what, v, f.unit, in[0], in[1])
				}
				shown = append(shown, fmt.Sprintf("%.3g", v))
			}
			cells = append(cells, strings.Join(shown, " · "))
		}
		span := func(r [2]float64) string { return fmt.Sprintf("%g–%g", r[0], r[1]) }
		cells = append(cells, span(f.developing)+" · "+span(f.trained)+" · "+span(f.elite), f.source)
		table.WriteString("| " + strings.Join(cells, " | ") + " |\n")
	}
	const path, begin, end = "../../docs/simulation.md", "<!-- published -->\n", "<!-- end of published -->\n"
	doc, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	before, rest, found := strings.Cut(string(doc), begin)
	_, after, closed := strings.Cut(rest, end)
	if !found || !closed {
		t.Fatalf("%s has no place for the table: %q and %q", path, begin, end)
	}
	want := before + begin + table.String() + end + after
	if os.Getenv("NEOKINEMA_DOCUMENTS") != "" {
		if err := os.WriteFile(path, []byte(want), 0o644); err != nil {
			t.Fatal(err)
		}
		return
	}
	if want != string(doc) {
		t.Errorf("%s does not say how the athlete moves: make documents", path)
	}
}
