// The program unseen films the simulated athlete as coaches film — other clothes, light,
// onlookers, places of the camera, shutters, messengers than the demo's clips have — and
// reads each film without a hand: go run ./test/unseen [-n 2] [-events hammer,discus]
// [docs/first-reading.md].
package main

import (
	"context"
	"flag"
	"fmt"
	"log"
	"maps"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/body"
	"neokinema/core/breakdown"
	core "neokinema/core/playbook"
	"neokinema/core/pose"
	"neokinema/core/segment"
	"neokinema/core/sim"
	"neokinema/playbook"
	"neokinema/server/assemble"
	"neokinema/server/filmread"
	"neokinema/server/render"
	"neokinema/server/store"
)

func main() {
	log.SetFlags(0)
	n := flag.Int("n", 2, "faulty attempts of each event; half as many clean ones")
	only := flag.String("events", strings.Join(sim.Events(), ","), "events, by commas")
	seed := flag.Uint64("seed", 20261130, "of athletes, faults and films")
	flag.Parse()
	began := time.Now()
	books, err := playbook.Load()
	if err != nil {
		log.Fatal(err)
	}
	camera, err := render.Open()
	if err != nil {
		log.Fatal(err)
	}
	defer camera.Close()
	var all []result
	for _, event := range strings.Split(*only, ",") {
		for i := range *n + (*n+1)/2 {
			r := rand.New(rand.NewPCG(*seed, uint64(i)+1000*uint64(slices.Index(sim.Events(), event))))
			f := anyFilm(r, books[event], i >= *n)
			got, err := f.tryOut(camera)
			if err != nil {
				log.Fatalf("%s: %v", event, err)
			}
			log.Print(got.line())
			all = append(all, got)
		}
	}
	text := report(all, time.Since(began))
	fmt.Print(text)
	if path := flag.Arg(0); path != "" {
		if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
			log.Fatal(err)
		}
	}
}

// film is an attempt of somebody, and how it is filmed.
type film struct {
	event core.Event
	scene render.Scene
	truth sim.Truth
	says  []string // conditions, as the report names them
}

// anyFilm is anybody's attempt, filmed anyhow.
func anyFilm(r *rand.Rand, book core.Event, clean bool) film {
	pick := func(of ...string) string { return of[r.IntN(len(of))] }
	faults, _ := sim.Faults(book.ID)
	for {
		who := sim.Athlete{Sex: body.Man, Side: body.Right, HeightM: 1.70 + 0.22*r.Float64()}
		if r.IntN(2) == 0 {
			who.Sex, who.HeightM = body.Woman, 1.60+0.20*r.Float64()
		}
		if r.IntN(3) == 0 {
			who.Side = body.Left
		}
		move := sim.Request{Event: book.ID, Athlete: who, Seed: r.Uint64N(1e6) + 1, Faults: map[string]float64{}}
		if len(book.Variants) > 0 {
			move.Variant = book.Variants[r.IntN(len(book.Variants))].ID
		}
		for many := 1 + r.IntN(2); !clean && len(move.Faults) < many; {
			move.Faults[faults[r.IntN(len(faults))]] = 0.5 + 0.5*r.Float64()
		}
		e, err := book.As(move.Variant)
		if err != nil {
			continue
		}
		view := e.UsualView()
		c := sim.Usual(book.ID, view)
		c.Capture, c.Playback, c.Width, c.Tall = 120, 30, 1024, 576
		c.Distance *= 0.8 + 0.4*r.Float64()
		c.Height = 0.9 + 0.8*r.Float64()
		c.OffSquare, c.Tilt, c.Seed = 3*r.NormFloat64(), r.NormFloat64(), r.Uint64N(1e6)
		f := film{event: e}
		outfit := render.OutfitFor(r.IntN(1000), book.ID, who.Sex)
		outfit.Clothes = pick(render.Clothes...)
		setting := render.Setting{Light: pick(render.Lights...), Crowd: r.IntN(4) == 0}
		f.says = append(f.says, outfit.Clothes, setting.Light)
		scene := render.Scene{Movement: move, Outfit: outfit}
		if setting.Crowd {
			f.says = append(f.says, "onlookers")
		}
		switch r.IntN(6) {
		case 0:
			setting.Shutter = 1.0 / 500
			f.says = append(f.says, "shutter 1/500 s")
		case 1:
			c.Shake = 0.08
			f.says = append(f.says, "shaking hand")
		case 2:
			c.Width, c.Tall, scene.Forwarded = 848, 478, true
			f.says = append(f.says, "forwarded")
		}
		scene.Camera, scene.Setting = c, setting
		m, err := sim.Simulate(move)
		if err != nil {
			continue // nobody moves so
		}
		from, to := math.Inf(1), math.Inf(-1)
		for _, k := range e.Keys {
			if t, ok := m.Stamps[k.ID]; ok {
				from, to = math.Min(from, t-0.35), math.Max(to, t+0.2)
			}
		}
		scene.Camera.From, scene.Camera.To = from, to
		f.scene = scene
		if f.truth, err = scene.Simulate(); err != nil {
			continue
		}
		return f
	}
}

// root is the strongest injected fault that no other injected one brings about.
func (f film) root() string {
	best := ""
	for _, id := range slices.Sorted(maps.Keys(f.scene.Movement.Faults)) {
		def, _ := f.event.Fault(id)
		caused := false
		for c := range def.From {
			caused = caused || f.scene.Movement.Faults[c] > 0
		}
		if s := f.scene.Movement.Faults; !caused && (best == "" || s[id] > s[best]) {
			best = id
		}
	}
	return best
}

// result is what came of a film.
type result struct {
	film
	refused    string // why nothing was read
	points     pose.Comparison
	stamped    int // of the key positions that the film shows
	right      int // within their ± and a picture
	keys       int
	alone      []string // focuses from found points alone
	confirmed  []string // after the figures that decide were confirmed
	inside, of int      // values inside of ± 2u of the truth, from found points
}

func (r result) line() string {
	if r.refused != "" {
		return fmt.Sprintf("%s (%s): not read: %s", r.event.ID, strings.Join(r.says, ", "), r.refused)
	}
	return fmt.Sprintf("%s (%s): points %.2f %% off, 2u held on %.0f %%, %d of %d key positions, %d right; root %q: found %v, after confirming %v; %d of %d values inside", r.event.ID, strings.Join(r.says, ", "), r.points.Quantile(0.5), 100*r.points.Inside(), r.stamped, r.keys, r.right, r.root(), r.alone, r.confirmed, r.inside, r.of)
}

func (f film) tryOut(camera *render.Renderer) (result, error) {
	out := result{film: f}
	folder, err := os.MkdirTemp("", "neokinema-unseen-")
	if err != nil {
		return out, err
	}
	defer os.RemoveAll(folder)
	path := filepath.Join(folder, "film.mp4")
	if err := camera.RenderFilm(context.Background(), f.scene, f.truth, path, func(int, int) {}); err != nil {
		return out, err
	}
	who := f.scene.Movement.Athlete
	side := string(who.Side)
	got, err := filmread.Read(context.Background(), path, filmread.Wish{
		Event: f.event, Variant: f.scene.Movement.Variant, View: f.truth.View, Rate: f.scene.Camera.Capture,
		Athlete: store.Athlete{HeightM: who.HeightM, Sex: string(who.Sex), Level: "trained", Hand: side, JumpLeg: side, FrontLeg: side},
	})
	if err != nil {
		out.refused = err.Error()
		return out, nil
	}
	out.compare(got)
	out.alone = focuses(got.Reading)
	b := got.Bench
	reading := got.Reading
	if s := reading.ScaleOffer; s != nil {
		b.Calibration.Scale = s
		if reading, err = assemble.Read(f.event, b, got.PTS, nil, assemble.History{}); err != nil {
			return out, err
		}
	}
	for _, v := range reading.Values {
		if want, ok := f.truth.Measures[v.Key]; ok && v.Known() && v.U > 0 {
			off := v.Value.Value - want
			if v.Unit == "deg" {
				off = math.Remainder(off, 360)
			}
			out.of++
			if math.Abs(off) <= 2*v.U {
				out.inside++
			}
		}
	}
	if out.confirmed, err = f.confirm(b, got.PTS, reading); err != nil {
		return out, err
	}
	return out, nil
}

func focuses(r assemble.Reading) (out []string) {
	for _, f := range r.Focuses {
		out = append(out, f.Fault)
	}
	return out
}

// compare holds points and key positions against the truth.
func (r *result) compare(got filmread.Reading) {
	for _, path := range got.Paths.Paths {
		l := body.Landmark(path.Name)
		if !l.OfBody() {
			continue
		}
		for i, u := range path.U {
			if frame := got.Paths.First + i; u > 0 && frame < len(r.truth.Film) {
				off := r2.Sub(r2.Vec{X: path.X[i], Y: path.Y[i]}, r.truth.At(frame, l))
				r.points.Add(off, u, r.heightPx(frame))
			}
		}
	}
	for key, frame := range r.truth.Frames {
		if _, ok := r.event.Key(key); !ok {
			continue
		}
		r.keys++
		at, ok := got.Bench.Stamps[key]
		if !ok {
			continue
		}
		r.stamped++
		i := slices.IndexFunc(got.Proposals.Proposals, func(p segment.Proposal) bool { return p.KeyID == key })
		if math.Abs(float64(at-frame)) <= 1+2*got.Proposals.Proposals[i].U*r.scene.Camera.Capture {
			r.right++
		}
	}
}

// heightPx is the athlete's standing height on a picture.
func (r *result) heightPx(frame int) float64 {
	c := r.truth.Film[frame].Camera
	var d2 float64
	hip := r.truth.Film[frame].World["hip.L"]
	for k := range 3 {
		d2 += (hip[k] - c.At[k]) * (hip[k] - c.At[k])
	}
	return c.Focal / math.Sqrt(d2) * r.truth.Athlete.HeightM
}

// figures is how many figures the coach looks at.
const figures = 4

// confirm does as a coach who looks at the figures that decide: what is off by more
// than the eye sees is put where it belongs, to 2 px; the rest is confirmed.
func (f film) confirm(b store.Bench, pts []int64, reading assemble.Reading) ([]string, error) {
	r := rand.New(rand.NewPCG(f.scene.Movement.Seed, 5))
	const hand, seen = 2.0, 5.0 // px
	for range figures {
		if len(reading.Deciding) == 0 {
			break
		}
		frame, ok := b.Stamps[reading.Deciding[0].KeyID]
		if !ok {
			break
		}
		for _, path := range b.Followed.Paths {
			i := frame - b.Followed.First
			if path.Source != breakdown.Detected || i < 0 || i >= len(path.U) || path.U[i] == 0 {
				continue
			}
			l := breakdown.Landmark{Frame: frame, Name: path.Name, X: path.X[i], Y: path.Y[i], U: path.U[i], Source: breakdown.Placed, Confidence: 1}
			truth := f.truth.At(frame, body.Landmark(path.Name))
			if visible := f.truth.Film[frame].InView[body.Landmark(path.Name)][2] > 0; visible && math.Hypot(l.X-truth.X, l.Y-truth.Y) > seen {
				l.X, l.Y, l.U = truth.X+hand*r.NormFloat64(), truth.Y+hand*r.NormFloat64(), 0
			}
			b.Landmarks = append(b.Landmarks, l)
		}
		for key, at := range b.Stamps { // and whether it is the right picture
			if at != frame {
				continue
			}
			delete(b.StampU, key)
			if truth, ok := f.truth.Frames[key]; ok && math.Abs(float64(truth-at)) > 1 {
				b.Stamps[key] = truth
			}
		}
		var err error
		if reading, err = assemble.Read(f.event, b, pts, nil, assemble.History{}); err != nil {
			return nil, err
		}
	}
	return focuses(reading), nil
}

// report is the page.
func report(all []result, took time.Duration) string {
	var out strings.Builder
	clean := 0
	for _, r := range all {
		if len(r.scene.Movement.Faults) == 0 {
			clean++
		}
	}
	fmt.Fprintf(&out, "# Films that nobody has seen before, read without a hand\n\nMade by `go run ./test/unseen docs/first-reading.md` on %s. %d attempts of the simulated athlete, %d of them clean: anybody, both hands, all variants; one film each from the usual side, 120 pictures a second, 1024 wide (848 where forwarded), by the conditions below, drawn by lot; rendered people only, not real film. Each is read as the server does, by rules learnt on the demo's clips. *Found*: the strongest injected root is among the two focuses that are proposed; *false*: a clean attempt gets a focus. *Confirmed*: the scale is taken from the standing height, and the figures of the %d key positions that decide most are looked at: what is more than 5 px off and in sight is put right to 2 px, a stamp that is more than a picture off is moved, the rest confirmed. Few attempts: a share of them is known to ± 20 of 100 and more.\n", time.Now().Format("2 January 2006"), len(all), clean, figures)
	by := map[string][]result{}
	for _, r := range all {
		by[r.event.ID] = append(by[r.event.ID], r)
	}
	fmt.Fprintf(&out, "\n| event | films | not read | key positions proposed | of them right | root found | confirmed | false | confirmed | values inside ±2u |\n|---|---|---|---|---|---|---|---|---|---|\n")
	row := func(name string, list []result) {
		var refused, keys, stamped, right, faulty, found, foundC, clean, wrong, wrongC, inside, of int
		for _, r := range list {
			if r.refused != "" {
				refused++
			}
			keys, stamped, right, inside, of = keys+r.keys, stamped+r.stamped, right+r.right, inside+r.inside, of+r.of
			if len(r.scene.Movement.Faults) > 0 {
				faulty++
				found, foundC = found+count(slices.Contains(r.alone, r.root())), foundC+count(slices.Contains(r.confirmed, r.root()))
			} else {
				clean++
				wrong, wrongC = wrong+count(len(r.alone) > 0), wrongC+count(len(r.confirmed) > 0)
			}
		}
		fmt.Fprintf(&out, "| %s | %d | %d | %d of %d | %s | %d of %d | %d | %d of %d | %d | %s |\n", name, len(list), refused, stamped, keys, share(right, stamped), found, faulty, foundC, wrong, clean, wrongC, share(inside, of))
	}
	for _, event := range slices.Sorted(maps.Keys(by)) {
		row(event, by[event])
	}
	row("**all**", all)
	points := map[string]*pose.Comparison{}
	for _, r := range all {
		if r.refused != "" {
			continue
		}
		for _, s := range r.says {
			if points[s] == nil {
				points[s] = &pose.Comparison{}
			}
			points[s].Join(r.points)
		}
	}
	out.WriteString("\nPoints of the body, off by % of standing height, by what their films have in common (a film counts in several rows):\n")
	out.WriteString(pose.Table("condition", points))
	out.WriteString("\n| event | conditions | injected | found | confirmed | not read |\n|---|---|---|---|---|---|\n")
	for _, r := range all {
		fmt.Fprintf(&out, "| %s | %s | %s | %s | %s | %s |\n", r.event.ID, strings.Join(r.says, ", "), strings.Join(slices.Sorted(maps.Keys(r.scene.Movement.Faults)), ", "), strings.Join(r.alone, ", "), strings.Join(r.confirmed, ", "), r.refused)
	}
	fmt.Fprintf(&out, "\n%.0f minutes.\n", took.Minutes())
	return out.String()
}

func count(b bool) int {
	if b {
		return 1
	}
	return 0
}

func share(n, of int) string {
	if of == 0 {
		return "–"
	}
	return fmt.Sprintf("%.0f %%", 100*float64(n)/float64(of))
}
