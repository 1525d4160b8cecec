package track

import (
	"context"
	"encoding/json"
	"errors"
	"image"
	"math"
	"math/rand/v2"
	"os"
	"reflect"
	"testing"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/optics"
)

// cloth is a made-up surface: waves of many lengths, known between pixels too.
func cloth(seed uint64) func(r2.Vec) float64 {
	rnd := rand.New(rand.NewPCG(seed, 1))
	type wave struct{ x, y, phase, high float64 }
	waves := make([]wave, 16)
	for i := range waves {
		k, turn := 2*math.Pi/(7+60*rnd.Float64()), 2*math.Pi*rnd.Float64()
		waves[i] = wave{k * math.Cos(turn), k * math.Sin(turn), 2 * math.Pi * rnd.Float64(), 8 + 10*rnd.Float64()}
	}
	return func(p r2.Vec) float64 {
		v := 128.0
		for _, w := range waves {
			v += w.high * math.Cos(w.x*p.X+w.y*p.Y+w.phase)
		}
		return v
	}
}

// shown draws what shade gives at each pixel.
func shown(w, h int, shade func(r2.Vec) float64) *Picture {
	g := image.NewGray(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			g.Pix[y*w+x] = uint8(math.Round(max(0, min(255, shade(r2.Vec{X: float64(x), Y: float64(y)})))))
		}
	}
	return NewPicture(g)
}

const wide, high = 320, 240

// scene is a still world, with a round patch of other cloth that flies over it.
type scene struct {
	world, thing func(r2.Vec) float64
	camera       func(i int) optics.Movement // of the world, from the first picture
	at           func(i int) r2.Vec          // of the patch's middle
	size         float64
	light        func(i int) (gain, offset float64)
	cover        func(i int, p r2.Vec) bool // plain grey over everything
}

func flying(speed r2.Vec) scene {
	return scene{
		world: cloth(1), thing: cloth(2), size: 14,
		camera: func(int) optics.Movement { return optics.Rest },
		at:     func(i int) r2.Vec { return r2.Add(r2.Vec{X: 60, Y: 120}, r2.Scale(float64(i), speed)) },
		light:  func(int) (float64, float64) { return 1, 0 },
		cover:  func(int, r2.Vec) bool { return false },
	}
}

func (s scene) picture(i int) *Picture {
	back := s.camera(i).Inverse()
	gain, offset := s.light(i)
	return shown(wide, high, func(p r2.Vec) float64 {
		v := s.world(back.Map(p))
		if d := r2.Sub(p, s.at(i)); r2.Norm(d) < s.size {
			v = s.thing(d)
		}
		if s.cover(i, p) {
			v = 90
		}
		return gain*(v-128) + 128 + offset
	})
}

func (s scene) film() FrameSource {
	return func(_ context.Context, i int) (*Picture, error) { return s.picture(i), nil }
}

func (s scene) follow(t *testing.T, n int, kind Kind, on ...int) Path {
	t.Helper()
	placed := map[int]Start{}
	for _, i := range on {
		placed[i] = Start{Observation{s.at(i), 0.3}, kind, 8}
	}
	paths, _, err := Follow(t.Context(), s.film(), n, []map[int]Start{placed}, func(int, int) error { return nil })
	if err != nil {
		t.Fatal(err)
	}
	return paths[0]
}

func TestAThingThatFliesIsFollowed(t *testing.T) {
	for name, speed := range map[string]r2.Vec{"slow": {X: 0.7, Y: 0.31}, "at walking pace": {X: 4.3, Y: -1.7}, "fast": {X: 11.7, Y: 3.9}} {
		s := flying(speed)
		n := min(16, int(180/math.Max(1, speed.X)))
		for i, step := range s.follow(t, n, Implement, 0) {
			if step.Lost != "" {
				t.Errorf("%s: lost on picture %d: %s", name, i, step.Lost)
				break
			}
			if miss := r2.Norm(r2.Sub(step.At, s.at(i))); miss > 0.25 || miss > 3*step.U {
				t.Errorf("%s: picture %d misses by %.2f px, it says ± %.2f", name, i, miss, 2*step.U)
			}
		}
	}
}

func TestLightMayChange(t *testing.T) {
	s := flying(r2.Vec{X: 2.3, Y: 0.4})
	s.light = func(i int) (float64, float64) { return 1 - 0.03*float64(i), 4 * float64(i) }
	for i, step := range s.follow(t, 10, Implement, 0) {
		if miss := r2.Norm(r2.Sub(step.At, s.at(i))); step.Lost != "" || miss > 0.3 {
			t.Errorf("picture %d misses by %.2f px: %s", i, miss, step.Lost)
		}
	}
}

func TestAPointThatIsLostSaysWhy(t *testing.T) {
	out := flying(r2.Vec{X: 20})
	hidden := flying(r2.Vec{X: 4})
	hidden.cover = func(i int, p r2.Vec) bool { return i >= 4 && p.X > 60 && p.X < 140 }
	plain := flying(r2.Vec{X: 1})
	plain.thing = func(r2.Vec) float64 { return 200 }
	plain.size = 40
	for _, c := range []struct {
		name string
		scene
		n    int
		want []string
	}{
		{"leaving", out, 16, []string{Left}},
		{"covered", hidden, 8, []string{Hidden, Jumped, Twins}},
		{"plain", plain, 3, []string{Bare}},
	} {
		path := c.follow(t, c.n, Implement, 0)
		last := path[c.n-1].Lost
		found := false
		for _, w := range c.want {
			found = found || last == w
		}
		if !found {
			t.Errorf("%s: the last picture says %q, want one of %q", c.name, last, c.want)
		}
		for i, step := range path {
			if step.Lost == "" && r2.Norm(r2.Sub(step.At, c.at(i))) > 1 {
				t.Errorf("%s: picture %d is off by %v", c.name, i, r2.Sub(step.At, c.at(i)))
			}
		}
	}
}

// A point on the edge of what moves does not stay behind on what stands.
func TestTheEdgeOfAThingGoesWithIt(t *testing.T) {
	s := flying(r2.Vec{X: 5.2, Y: 0.6})
	rim := func(i int) r2.Vec { return r2.Add(s.at(i), r2.Vec{Y: s.size - 2}) }
	paths, _, err := Follow(t.Context(), s.film(), 14, []map[int]Start{{1: {Observation{rim(1), 0.3}, Joint, 8}}}, func(int, int) error { return nil })
	if err != nil {
		t.Fatal(err)
	}
	found := 0
	for i, step := range paths[0] {
		if step.Lost != "" {
			continue
		}
		found++
		if miss := r2.Norm(r2.Sub(step.At, rim(i))); miss > 1.5 {
			t.Errorf("picture %d misses by %.1f px", i, miss)
		}
	}
	if found < 7 {
		t.Errorf("found on %d of 14 pictures", found)
	}
}

func TestTheCamerasMovementIsKnown(t *testing.T) {
	s := flying(r2.Vec{X: 6})
	turn := optics.Similarity(complex(1.002*math.Cos(0.004), 1.002*math.Sin(0.004)), complex(-3.3, 0.7))
	s.camera = func(i int) optics.Movement {
		m := optics.Rest
		for range i {
			m = m.Then(turn)
		}
		return m
	}
	_, moved, err := Follow(t.Context(), s.film(), 12, []map[int]Start{{0: {Observation{s.at(0), 0.3}, Implement, 8}}}, func(int, int) error { return nil })
	if err != nil {
		t.Fatal(err)
	}
	for i, m := range moved {
		for _, p := range []r2.Vec{{X: 10, Y: 10}, {X: 300, Y: 30}, {X: 160, Y: 220}} {
			if d := r2.Sub(m.Map(p), s.camera(i).Map(p)); r2.Norm(d) > 0.5 {
				t.Errorf("picture %d: %v moves to %v, not %v", i, p, m.Map(p), s.camera(i).Map(p))
			}
		}
	}
}

func TestAPathGoesThroughWhatWasPlaced(t *testing.T) {
	s := flying(r2.Vec{X: 3})
	put := map[int]Start{}
	for _, i := range []int{2, 9} {
		put[i] = Start{Observation{s.at(i), 0.3}, Implement, 8}
	}
	aside := r2.Add(s.at(9), r2.Vec{X: 2, Y: -1}) // the coach means another spot of it
	put[9] = Start{Observation{aside, 0.3}, Implement, 8}
	paths, _, err := Follow(t.Context(), s.film(), 14, []map[int]Start{put}, func(int, int) error { return nil })
	if err != nil {
		t.Fatal(err)
	}
	path := paths[0]
	if path[2].At != s.at(2) || path[9].At != aside || path[2].U != 0.3 {
		t.Errorf("placed at %v and %v, the path has %v and %v", s.at(2), aside, path[2], path[9])
	}
	for i := 3; i < 9; i++ { // between, the difference is shared out
		share := float64(i-2) / 7
		want := r2.Add(s.at(i), r2.Scale(share, r2.Vec{X: 2, Y: -1}))
		if miss := r2.Norm(r2.Sub(path[i].At, want)); miss > 0.4 {
			t.Errorf("picture %d is %.2f px from a shared-out drift", i, miss)
		}
		if path[i].U < 0.35 {
			t.Errorf("picture %d says ± %.2f though it drifted by 2.2 px", i, 2*path[i].U)
		}
	}
	if d := r2.Sub(path[12].At, r2.Add(s.at(12), r2.Vec{X: 2, Y: -1})); r2.Norm(d) > 0.4 {
		t.Errorf("after the last mark it goes on from elsewhere: %v off", d)
	}
}

func TestFollowingTwiceIsTheSame(t *testing.T) {
	s := flying(r2.Vec{X: 3.3, Y: 1})
	if a, b := s.follow(t, 8, Joint, 0, 5), s.follow(t, 8, Joint, 0, 5); !reflect.DeepEqual(a, b) {
		t.Error("the same film was followed to two paths")
	}
}

func TestFollowingCanBeStopped(t *testing.T) {
	s := flying(r2.Vec{X: 1})
	placed := []map[int]Start{{0: {Observation{s.at(0), 0.3}, Joint, 8}}}
	enough := errors.New("enough")
	calls := 0
	_, _, err := Follow(t.Context(), s.film(), 50, placed, func(done, of int) error {
		if calls++; of != 100 || done != calls {
			t.Errorf("call %d says %d of %d", calls, done, of)
		}
		if done == 6 {
			return enough
		}
		return nil
	})
	if !errors.Is(err, enough) || calls > 8 {
		t.Errorf("stopped after %d calls with %v", calls, err)
	}
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	if _, _, err := Follow(ctx, s.film(), 50, placed, func(int, int) error { return nil }); !errors.Is(err, context.Canceled) {
		t.Errorf("cancelled: %v", err)
	}
	torn := errors.New("a torn picture")
	if _, _, err := Follow(t.Context(), func(context.Context, int) (*Picture, error) { return nil, torn }, 5, placed, func(int, int) error { return nil }); !errors.Is(err, torn) {
		t.Errorf("torn: %v", err)
	}
}

func TestLinkedPointsAreNotTornApart(t *testing.T) {
	at := func(x, u float64) Sample { return Sample{Observation: Observation{r2.Vec{X: x}, u}} }
	paths := []Path{{at(0, 0.3), at(0, 0.3)}, {at(40, 0.3), at(90, 2)}}
	placed := []map[int]Start{{0: {Observation: Observation{At: r2.Vec{}}}}, {0: {Observation: Observation{At: r2.Vec{X: 40}}}}}
	HoldSegmentLengths(paths, placed, []Link{{0, 1}})
	if paths[1][0].Lost != "" || paths[1][1].Lost != Torn || paths[0][1].Lost != "" {
		t.Errorf("got %v", paths)
	}
}

// Each pixel of a half is the 1-2-1 mean round every second pixel of the whole.
func TestHalving(t *testing.T) {
	rnd := rand.New(rand.NewPCG(5, 5))
	for _, size := range [][2]int{{16, 9}, {37, 12}, {8, 8}, {5, 3}, {1, 1}} {
		p := plane{size[0], size[1], make([]uint8, size[0]*size[1])}
		for i := range p.at {
			p.at[i] = uint8(rnd.Uint32())
		}
		half := p.halved()
		for y := range half.h {
			for x := range half.w {
				sum := 8
				for dy := -1; dy <= 1; dy++ {
					for dx := -1; dx <= 1; dx++ { // 2 − d² is 1, 2, 1
						sum += (2 - dx*dx) * (2 - dy*dy) * int(p.row(2*y + dy)[min(max(2*x+dx, 0), p.w-1)])
					}
				}
				if got := half.at[y*half.w+x]; int(got) != sum/16 {
					t.Fatalf("%v: half pixel %d, %d is %d, not %d", size, x, y, got, sum/16)
				}
			}
		}
	}
}

// What OpenCV 4.6's calcOpticalFlowPyrLK (window 17 × 17, three halvings) finds
// on the same two pictures of a cloth that moves, turns and grows:
// testdata/golden.py.
func TestFlowAgreesWithOpenCV(t *testing.T) {
	raw, err := os.ReadFile("testdata/flow.json")
	if err != nil {
		t.Fatal(err)
	}
	var golden struct {
		W, H          int
		First, Second []uint8
		Points        []struct{ X, Y, ToX, ToY, TrueX, TrueY float64 }
	}
	if err := json.Unmarshal(raw, &golden); err != nil {
		t.Fatal(err)
	}
	picture := func(pix []uint8) *Picture {
		return NewPicture(&image.Gray{Pix: pix, Stride: golden.W, Rect: image.Rect(0, 0, golden.W, golden.H)})
	}
	from, to := picture(golden.First), picture(golden.Second)
	w := newWindow(8)
	var ours, theirs float64
	for _, p := range golden.Points {
		at, opencv, truth := r2.Vec{X: p.X, Y: p.Y}, r2.Vec{X: p.ToX, Y: p.ToY}, r2.Vec{X: p.TrueX, Y: p.TrueY}
		got, ok := w.flow(from, to, at, at, halvings, nil)
		if d := r2.Norm(r2.Sub(got, opencv)); !ok || d > 0.1 {
			t.Errorf("%v goes to %v, OpenCV says %v", at, got, opencv)
		}
		ours += r2.Norm2(r2.Sub(got, truth))
		theirs += r2.Norm2(r2.Sub(opencv, truth))
	}
	if n := float64(len(golden.Points)); math.Sqrt(ours/n) > 1.1*math.Sqrt(theirs/n) {
		t.Errorf("we miss by %.3f px, OpenCV by %.3f px", math.Sqrt(ours/n), math.Sqrt(theirs/n))
	}
}

func BenchmarkPicture(b *testing.B) {
	g := image.NewGray(image.Rect(0, 0, 1280, 720))
	for b.Loop() {
		NewPicture(g)
	}
}

// One step of all points of an attempt.
func BenchmarkNext(b *testing.B) {
	s := flying(r2.Vec{X: 3})
	pictures := []*Picture{s.picture(0), s.picture(1)}
	rnd := rand.New(rand.NewPCG(3, 3))
	f := New(pictures[0], nil, 26)
	var starts []Start
	for range 26 {
		starts = append(starts, Start{Observation{r2.Vec{X: 40 + 240*rnd.Float64(), Y: 40 + 160*rnd.Float64()}, 0.5}, Joint, 8})
	}
	for i := 0; b.Loop(); i++ {
		for k, s := range starts {
			f.Seed(k, s)
		}
		f.Next(pictures[(i+1)%2])
	}
}
