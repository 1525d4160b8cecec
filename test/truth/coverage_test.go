package truth

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"neokinema/core/measure"
)

// The long evidence: every event, both hands, 30 to 240 pictures a second, square
// and 20° off, one film and two, placed again and again by a hand that misses.
// NEOKINEMA_COVERAGE names the file that the shares are written to.
func TestCoverageAtLength(t *testing.T) {
	path := os.Getenv("NEOKINEMA_COVERAGE")
	if path == "" {
		t.Skip("make proof runs it")
	}
	const attempts, placings = 16, 2 // of each event, from each view; of each of them
	h := hand{r: rand.New(rand.NewPCG(21, 4)), px: 2, frames: true, centres: true}
	kinds, events, ways, worst := tally{}, tally{}, tally{}, map[string]tally{}
	add := func(way string, k take, values []measure.Value) {
		before := events[k.want.Event]
		count(k, values, kinds, events, worst)
		after := events[k.want.Event]
		n := ways[way]
		ways[way] = [2]int{n[0] + after[0] - before[0], n[1] + after[1] - before[1]}
	}
	for _, rate := range []float64{30, 60, 120, 240} {
		for _, k := range takes(t, attempts, rate, 0) {
			for range placings {
				add(fmt.Sprintf("one film, %.0f pictures a second", rate), k, measure.Evaluate(h.lay(t, k)))
			}
		}
	}
	for _, k := range takes(t, attempts, 120, 20) {
		for range placings {
			add("one film, 20° off square", k, measure.Evaluate(h.lay(t, k)))
		}
	}
	for _, rate := range []float64{60, 120, 240} {
		for _, k := range pairs(t, attempts, rate) {
			for range placings {
				add(fmt.Sprintf("two films, %.0f pictures a second", rate), k.first, measure.Evaluate(k.lay(t, h)))
			}
		}
	}
	var out strings.Builder
	fmt.Fprintf(&out, "# How often the truth lies inside ±2u\n\nMade by `make proof` on %s. Simulated attempts of every event but the sprint start (which has its own test), both hands and sexes, clean, filmed and placed by a hand that misses: 2 px, half a percent of height for joint centres, half a picture for contacts. The truth is the simulator's own, in three dimensions.\n", time.Now().Format("2 January 2006"))
	for _, part := range []struct {
		title string
		of    tally
	}{{"event", events}, {"film", ways}, {"kind of measure", kinds}} {
		fmt.Fprintf(&out, "\n| %s | values | inside ±2u |\n|---|---|---|\n", part.title)
		var all [2]int
		for _, name := range slices.Sorted(maps.Keys(part.of)) {
			n := part.of[name]
			all = [2]int{all[0] + n[0], all[1] + n[1]}
			fmt.Fprintf(&out, "| %s | %d | %.1f %% |\n", name, n[1], part.of.share(name))
		}
		fmt.Fprintf(&out, "| all | %d | %.1f %% |\n", all[1], 100*float64(all[0])/float64(all[1]))
	}
	if err := os.WriteFile(path, []byte(out.String()), 0o644); err != nil {
		t.Fatal(err)
	}
	hold(t, kinds, events, worst)
}
