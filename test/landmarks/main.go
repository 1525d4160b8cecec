// The program landmarks holds the body models against the simulated athlete's
// truth on the demo's clips: go run ./test/landmarks [-fit weights/pose.json] [docs/landmarks.md].
// With -fit it learns the rules that make the product's landmarks of the models'
// points, and their uncertainty, first.
package main

import (
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"log"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/spatial/r2"
	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
	"neokinema/core/pose"
	"neokinema/core/sim"
	"neokinema/demo"
	"neokinema/server/detect"
	"neokinema/server/media"
)

// clip is what was found on a film of which everything is known.
type clip struct {
	name   string
	truth  sim.Truth
	rate   float64
	looks  []pose.Look
	took   time.Duration
	near   body.Side
	height []float64 // of the athlete on each picture, px
}

func main() {
	log.SetFlags(0)
	fit := flag.String("fit", "", "learn the rules and write them to this file")
	cache := flag.String("looks", "", "keep what the models say in this folder, and use it again")
	flag.Parse()
	clips, err := look(*cache)
	if err != nil {
		log.Fatal(err)
	}
	if *fit != "" {
		rules := learn(clips, func(int) bool { return true })
		out, err := json.MarshalIndent(rules, "", "\t")
		if err != nil {
			log.Fatal(err)
		}
		if err := os.WriteFile(*fit, append(out, '\n'), 0o644); err != nil {
			log.Fatal(err)
		}
	}
	report := judge(clips)
	fmt.Print(report)
	if path := flag.Arg(0); path != "" {
		if err := os.WriteFile(path, []byte(report), 0o644); err != nil {
			log.Fatal(err)
		}
	}
}

// look runs the models over the demo's clips.
func look(cache string) ([]clip, error) {
	var out []clip
	finder, err := detect.Open(detect.Folder())
	if err != nil {
		return nil, err
	}
	defer finder.Close()
	for _, s := range demo.Scenarios() {
		truth, err := demo.Truth(s.Name)
		if err != nil {
			return nil, err
		}
		c := clip{name: s.Name, truth: truth, rate: s.Camera.Capture, near: nearSide(truth)}
		for i := range truth.Film {
			c.height = append(c.height, heightPx(truth, i))
		}
		kept := filepath.Join(cache, s.Name+".json")
		if data, err := os.ReadFile(kept); cache != "" && err == nil {
			if err := json.Unmarshal(data, &c.looks); err != nil {
				return nil, err
			}
			out = append(out, c)
			continue
		}
		began := time.Now()
		if err := c.lookAt(finder); err != nil {
			return nil, fmt.Errorf("%s: %w", s.Name, err)
		}
		c.took = time.Since(began)
		log.Printf("%s: %d of %d pictures looked at, %d found, %.1f s", c.name, (len(truth.Film)+detect.Every(c.rate)-1)/detect.Every(c.rate), len(truth.Film), len(c.looks), c.took.Seconds())
		if cache != "" {
			data, err := json.Marshal(c.looks)
			if err != nil {
				return nil, err
			}
			if err := os.WriteFile(kept, data, 0o644); err != nil {
				return nil, err
			}
		}
		out = append(out, c)
	}
	return out, nil
}

// lookAt looks at a clip's pictures as the server does.
func (c *clip) lookAt(finder *detect.Finder) error {
	file, err := os.CreateTemp("", "neokinema-clip-*.mp4")
	if err != nil {
		return err
	}
	defer os.Remove(file.Name())
	data, err := demo.Clip(c.name)
	if err != nil {
		return err
	}
	if _, err := file.Write(data); err != nil {
		return err
	}
	if err := file.Chmod(0o644); err != nil { // ffmpeg reads it as nobody
		return err
	}
	if err := file.Close(); err != nil {
		return err
	}
	every := detect.Every(c.rate)
	var pictures []*detect.Picture
	var numbers []int
	err = media.Raw(context.Background(), file.Name(), c.truth.Width, c.truth.Height, func(i int, rgb []byte) error {
		if i%every == 0 || i == len(c.truth.Film)-1 {
			numbers = append(numbers, i)
			pictures = append(pictures, &detect.Picture{Width: c.truth.Width, Height: c.truth.Height, Pixels: slices.Clone(rgb)})
		}
		return nil
	})
	if err != nil {
		return err
	}
	c.looks, err = finder.Looks(len(pictures), func(i int) (*detect.Picture, error) { return pictures[i], nil }, nil)
	for i := range c.looks {
		c.looks[i].Frame = numbers[c.looks[i].Frame]
	}
	return err
}

// nearSide is the athlete's side toward a camera that stands at the side; empty
// before and behind.
func nearSide(t sim.Truth) body.Side {
	if !strings.HasPrefix(t.View, "side") {
		return ""
	}
	count := 0
	for _, f := range t.Film {
		camera := r3.Vec{X: f.Camera.At[0], Y: f.Camera.At[1], Z: f.Camera.At[2]}
		away := func(l body.Landmark) float64 {
			p := f.World[l]
			return r3.Norm(r3.Sub(r3.Vec{X: p[0], Y: p[1], Z: p[2]}, camera))
		}
		if away("hip.L") < away("hip.R") {
			count++
		} else {
			count--
		}
	}
	if count > 0 {
		return body.Left
	}
	return body.Right
}

// heightPx is the standing height at the athlete's distance, px.
func heightPx(t sim.Truth, i int) float64 {
	f := t.Film[i]
	vec := func(v [3]float64) r3.Vec { return r3.Vec{X: v[0], Y: v[1], Z: v[2]} }
	hip := r3.Scale(0.5, r3.Add(vec(f.World["hip.L"]), vec(f.World["hip.R"])))
	ahead := r3.Unit(r3.Sub(vec(f.Camera.LookAt), vec(f.Camera.At)))
	return f.Camera.Focal / r3.Dot(r3.Sub(hip, vec(f.Camera.At)), ahead) * t.Athlete.HeightM
}

// from are the points that may speak for a landmark, of the left side, and those
// that it lies near.
var from = map[string]struct{ base, use []int }{
	"vertex": {[]int{7, 8}, []int{0, 2, 5, 7, 8, 9, 10, 11, 12}}, "chin": {[]int{9, 10}, []int{0, 2, 5, 7, 8, 9, 10, 11, 12}},
	"neck": {[]int{11, 12}, []int{0, 7, 8, 9, 10, 11, 12, 23, 24}}, "sternum": {[]int{11, 12, 23, 24}, []int{11, 12, 23, 24, 0, 7, 8}},
	"ear": {[]int{7}, []int{0, 2, 5, 8, 9, 10, 11, 12}}, "shoulder": {[]int{11}, []int{12, 13, 23, 24, 7, 8}},
	"elbow": {[]int{13}, []int{11, 15, 12}}, "wrist": {[]int{15}, []int{13, 17, 19, 21}}, "knuckle": {[]int{17, 19}, []int{13, 15, 17, 19, 21}},
	"hip": {[]int{23}, []int{24, 11, 12, 25, 26}}, "knee": {[]int{25}, []int{23, 27}}, "ankle": {[]int{27}, []int{25, 29, 31}},
	"heel": {[]int{29}, []int{25, 27, 31}}, "toe": {[]int{31}, []int{25, 27, 29}},
}

// seen is one landmark on one look.
type seen struct {
	ways          []r2.Vec // of standing height
	off           r2.Vec   // from the base to the truth, of standing height
	visible, peak float64
	near          bool
}

// gather collects a landmark from clips.
func gather(clips []clip, rule pose.Rule, name string, use func(int) bool) (out []seen) {
	for i, c := range clips {
		if !use(i) {
			continue
		}
		for _, l := range c.looks {
			for _, side := range sidesOf(name) {
				t := c.truth.Film[l.Frame].InView[landmark(name, side)]
				base, ways := rule.Ways(l, side == body.Right)
				k := 1 / c.height[l.Frame]
				s := seen{off: r2.Scale(k, r2.Sub(r2.Vec{X: t[0], Y: t[1]}, base)), near: c.near == "" || side == "" || side == c.near}
				for _, w := range ways {
					s.ways = append(s.ways, r2.Scale(k, w))
				}
				s.visible, s.peak = rule.Said(l, side == body.Right)
				out = append(out, s)
			}
		}
	}
	return out
}

func sidesOf(name string) []body.Side {
	if slices.Contains(body.Paired, name) {
		return []body.Side{body.Left, body.Right}
	}
	return []body.Side{""}
}

func landmark(name string, side body.Side) body.Landmark {
	if side == "" {
		return body.Landmark(name)
	}
	return body.Landmark(name + "." + string(side))
}

// learn fits a rule for each landmark, robustly, and how its uncertainty follows
// from what the model says.
func learn(clips []clip, use func(int) bool) pose.Rules {
	out := pose.Rules{}
	for name, f := range from {
		rule := pose.Rule{Base: f.base, Use: f.use}
		all := gather(clips, rule, name, use)
		rule.Share = shares(all, len(f.use))
		var near, far []seen
		for i := range all {
			s := all[i]
			for k, w := range s.ways {
				s.off = r2.Sub(s.off, r2.Scale(rule.Share[k], w))
			}
			if s.near {
				near = append(near, s)
			} else {
				far = append(far, s)
			}
		}
		rule.Near = uncertainty(near)
		rule.Far = rule.Near
		if len(far) > 0 {
			rule.Far = uncertainty(far)
		}
		out[name] = rule
	}
	return out
}

// shares solves for the weights of the ways by least squares that count what is far
// off less.
func shares(all []seen, n int) []float64 {
	out := make([]float64, n)
	for range 8 {
		normal, right := mat.NewSymDense(n, nil), mat.NewVecDense(n, nil)
		for i := range n {
			normal.SetSym(i, i, 2e-5*float64(len(all)))
		}
		for _, s := range all {
			rest := s.off
			for k, w := range s.ways {
				rest = r2.Sub(rest, r2.Scale(out[k], w))
			}
			weight := 0.01 / math.Max(r2.Norm(rest), 0.01)
			for i, a := range s.ways {
				right.SetVec(i, right.AtVec(i)+weight*r2.Dot(a, s.off))
				for j := i; j < n; j++ {
					normal.SetSym(i, j, normal.At(i, j)+weight*r2.Dot(a, s.ways[j]))
				}
			}
		}
		var solved mat.Cholesky
		if !solved.Factorize(normal) {
			return out
		}
		answer := mat.NewVecDense(n, nil)
		if err := solved.SolveVecTo(answer, right); err != nil {
			return out
		}
		copy(out, answer.RawVector().Data)
	}
	return out
}

// mostU bounds what one term of an uncertainty can add, % of height.
const mostU = 20.0

// uncertainty fits a, b and c of pose.U: the likeliest for Student's t with 4
// degrees of freedom, then scaled so that 95 % lie inside of 2u.
func uncertainty(all []seen) [3]float64 {
	r := rand.New(rand.NewPCG(7, 7))
	cost := func(p [3]float64) float64 {
		sum := 0.0
		for _, s := range all {
			u := pose.U(p, s.visible, s.peak)
			for _, e := range []float64{100 * s.off.X, 100 * s.off.Y} {
				sum += math.Log(u) + 2.5*math.Log1p(e*e/(4*u*u))
			}
		}
		return sum / float64(2*len(all))
	}
	best := [3]float64{1, 3, 4}
	least := cost(best)
	step := 0.6
	for i := range 260 {
		try := best
		for k := range try {
			try[k] = math.Min(mostU, math.Max(0.1, try[k]*math.Exp(step*r.NormFloat64())))
		}
		if c := cost(try); c < least {
			best, least = try, c
		} else if i%12 == 11 {
			step = math.Max(0.05, 0.85*step)
		}
	}
	var ratios []float64
	for _, s := range all {
		u := pose.U(best, s.visible, s.peak)
		ratios = append(ratios, math.Abs(100*s.off.X)/u, math.Abs(100*s.off.Y)/u)
	}
	slices.Sort(ratios)
	k := ratios[len(ratios)*95/100] / 2
	for i := range best {
		best[i] = math.Round(1000*math.Min(mostU, k*best[i])) / 1000
	}
	return best
}
