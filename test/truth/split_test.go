package truth

import (
	"fmt"
	"maps"
	"math"
	"math/rand/v2"
	"os"
	"slices"
	"sort"
	"strings"
	"testing"
	"time"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/body"
	"neokinema/core/clock"
	"neokinema/core/measure"
	"neokinema/core/optics"
	core "neokinema/core/playbook"
	"neokinema/core/segment"
	"neokinema/core/sim"
	"neokinema/test/paths"
	"neokinema/weights"
)

// pathSheet lays a film's landmarks out as following finds them.
func pathSheet(t testing.TB, r *rand.Rand, e core.Event, f sim.Truth, miss float64) *measure.Recording {
	t.Helper()
	pts := make([]int64, len(f.Film))
	for i := range pts {
		pts[i] = int64(math.Round((f.Film[i].T - f.Film[0].T) * 1e6))
	}
	film, err := clock.NewTimeline(pts, clock.TimeBase{Num: 1, Den: 1e6}, clock.Rate{Capture: f.Capture, Playback: f.Capture}, nil)
	if err != nil {
		t.Fatal(err)
	}
	s := &measure.Recording{
		Event: e, Timeline: film, Stamps: map[string]int{}, Observations: map[int]map[body.Landmark]measure.Observation{}, View: f.View, Roles: e.RolesFor(f.Athlete.Side),
		Sex: f.Athlete.Sex, HeightM: f.Athlete.HeightM, Calibration: optics.Calibration{Rightward: f.Rightward(), MarkU: 2},
	}
	for i := range f.Film {
		s.Observations[i] = map[body.Landmark]measure.Observation{}
	}
	for _, l := range slices.Sorted(maps.Keys(f.Film[0].InView)) {
		for i, p := range paths.Way(r, f, l, miss) {
			if p.U > 0 {
				s.Observations[i][l] = measure.Observation{At: r2.Vec{X: p.At.X, Y: -p.At.Y}, U: p.U, Source: "followed"}
			}
		}
	}
	return s
}

// counts how many key positions of a kind there were, were proposed, and
// were right.
type counts struct{ there, found, right int }

// Attempts that the networks were not taught on, by anybody, clean or with a
// fault, from every usual view, at 120 and 240 pictures a second, points followed
// to about a pixel: contacts and releases are proposed on the right picture, the
// one beside it or within 8 ms in 95 of 100, turning points, passes and first
// moves within ± 2u.
func TestProposalsAgainstTheTruth(t *testing.T) {
	books := shipped(t)
	nets, err := weights.Load()
	if err != nil {
		t.Fatal(err)
	}
	attempts, report := uint64(attemptsOf), os.Getenv("NEOKINEMA_PROPOSALS")
	if report != "" {
		attempts = manyAttempts
	}
	byKind := map[string]counts{}
	count := func(kind string, found, right bool) {
		c := byKind[kind]
		c.there++
		if found {
			c.found++
		}
		if right {
			c.right++
		}
		byKind[kind] = c
	}
	for _, event := range sim.Events() {
		for n := range attempts {
			r := rand.New(rand.NewPCG(n, 99))
			f, _, err := paths.Random(r, event, 300+n)
			if err != nil || f.Capture < 100 {
				continue
			}
			e := books[event]
			if len(e.Variants) > 0 {
				if e, err = e.As(f.Variant); err != nil {
					t.Fatal(err)
				}
			}
			all, err := segment.Propose(pathSheet(t, r, e, f, 1), nets)
			if err != nil {
				t.Fatal(err)
			}
			at := map[string]segment.Proposal{}
			for _, p := range all {
				at[p.KeyID] = p
			}
			for _, k := range e.Keys {
				want, ok := f.Stamps[k.ID]
				if !ok || k.Lands+k.Lifts == "" && len(k.Found) == 0 {
					continue
				}
				p, found := at[k.ID]
				edge := k.Lands+k.Lifts != "" || slices.Contains([]string{"leaves", "lands", "touches"}, k.Found[0])
				if edge {
					off := math.Abs(float64(p.Frame - f.Frames[k.ID]))
					right := found && (off <= 1 || off/f.Capture <= 0.0085)
					count("contacts and releases", found, right)
					count(fmt.Sprintf("%s from %s", event, f.View), found, right)
					if found && !right {
						t.Logf("%s %s from %s, side %s: %s on picture %d, truly %d", event, f.Variant, f.View, f.Athlete.Side, k.ID, p.Frame, f.Frames[k.ID])
					}
					continue
				}
				if k.Found[0] == "rests" { // any picture before the movement shows it
					moves := f.Stamps[k.Found[1]] - f.Film[0].T
					count("turning points, passes and first moves", found, found && p.T < moves)
					if found && p.T >= moves {
						t.Logf("%s %s from %s, side %s: %s is found %.0f ms after the first movement", event, f.Variant, f.View, f.Athlete.Side, k.ID, 1000*(p.T-moves))
					}
					continue
				}
				off := p.T - (want - f.Film[0].T)
				count("turning points, passes and first moves", found, found && math.Abs(off) <= 2*p.U)
				if found && math.Abs(off) > 2*p.U {
					t.Logf("%s %s from %s, side %s: %s is %.0f ± %.0f ms off", event, f.Variant, f.View, f.Athlete.Side, k.ID, 1000*off, 2000*p.U)
				}
			}
		}
	}
	var names []string
	for name := range byKind {
		names = append(names, name)
	}
	sort.Strings(names)
	for _, name := range names {
		c := byKind[name]
		t.Logf("%s: %d, proposed %.1f %%, of those right %.1f %%", name, c.there, 100*float64(c.found)/float64(c.there), 100*float64(c.right)/float64(max(1, c.found)))
	}
	if report != "" {
		var b strings.Builder
		fmt.Fprintf(&b, "# How well key positions are found\n\nMade by `make proof` on %s. Simulated attempts that the networks were not taught on: %d of each event, by anybody, both hands, clean or with a fault, from every usual view up to 10° off square, at 120 and 240 pictures a second, their points missing by 1 px as following does and lost where they are hidden. Contacts and releases are right on the picture, the one beside it, or within 8 ms; turning points, passes and first moves within their ± 2u.\n\n| | there | proposed | of those right |\n|---|---|---|---|\n", time.Now().Format("2 January 2006"), attempts)
		for _, name := range names {
			c := byKind[name]
			fmt.Fprintf(&b, "| %s | %d | %.1f %% | %.1f %% |\n", name, c.there, 100*float64(c.found)/float64(c.there), 100*float64(c.right)/float64(max(1, c.found)))
		}
		if err := os.WriteFile(report, []byte(b.String()), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	for name, least := range map[string]float64{"contacts and releases": 0.9, "turning points, passes and first moves": 0.8} {
		c := byKind[name]
		if share := float64(c.found) / float64(c.there); share < least {
			t.Errorf("only %.1f %% of %d %s are proposed", 100*share, c.there, name)
		}
		if share := float64(c.right) / float64(c.found); share < 0.95 {
			t.Errorf("only %.1f %% of %d proposed %s are right", 100*share, c.found, name)
		}
	}
}

// attemptsOf is how many attempts of each event are tried.
const attemptsOf = 12

// manyAttempts are as many for the long evidence.
const manyAttempts = 60
