package circle

import (
	"errors"
	"image"
	"image/color"
	"math"
	"math/rand/v2"
	"testing"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/spatial/r2"
	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/sim"
)

// scene is a circle on grass or concrete as the simulator's camera, which shares
// nothing with this package, sees it.
type scene struct {
	shot                sim.Shot
	across, paint       float64
	rim, beside, beyond bool
	turf, floor, white  float64
	noise               float64
}

// ground is the plane's point under a pixel.
func (s scene) ground() func(x, y float64) (r2.Vec, bool) {
	at := func(x, y float64) r2.Vec {
		p := s.shot.Project(r3.Vec{X: x, Y: y})
		return r2.Vec{X: p.X, Y: p.Y}
	}
	from := []r2.Vec{{X: -1, Y: -1}, {X: 1, Y: -1}, {X: 1, Y: 1}, {X: -1, Y: 1}}
	a, b := mat.NewDense(8, 8, nil), mat.NewVecDense(8, nil)
	for i, g := range from {
		p := at(g.X, g.Y)
		a.SetRow(2*i, []float64{g.X, g.Y, 1, 0, 0, 0, -p.X * g.X, -p.X * g.Y})
		a.SetRow(2*i+1, []float64{0, 0, 0, g.X, g.Y, 1, -p.Y * g.X, -p.Y * g.Y})
		b.SetVec(2*i, p.X)
		b.SetVec(2*i+1, p.Y)
	}
	var h mat.VecDense
	if err := h.SolveVec(a, b); err != nil {
		panic(err)
	}
	var back mat.Dense
	if err := back.Inverse(mat.NewDense(3, 3, append(append([]float64{}, h.RawVector().Data...), 1))); err != nil {
		panic(err)
	}
	w0 := back.At(2, 0)*at(0, 0).X + back.At(2, 1)*at(0, 0).Y + back.At(2, 2)
	return func(x, y float64) (r2.Vec, bool) {
		w := (back.At(2, 0)*x + back.At(2, 1)*y + back.At(2, 2)) / w0
		return r2.Vec{X: (back.At(0, 0)*x + back.At(0, 1)*y + back.At(0, 2)) / w0 / w, Y: (back.At(1, 0)*x + back.At(1, 1)*y + back.At(1, 2)) / w0 / w}, w > 0.02
	}
}

func (s scene) shade(g r2.Vec) float64 {
	r, d := s.across/2, r2.Norm(g)
	from := math.Abs(math.Atan2(g.Y, g.X))
	switch {
	case s.rim && d >= r && d <= r+s.paint:
		return s.white
	case d < r:
		return s.floor
	case s.beside && math.Abs(g.X) < lineWide/2 && d < r+s.paint+halfLine:
		return s.white
	case s.beyond && from < math.Pi/3 && d < 40 && math.Abs(d*math.Sin(from-sector)) < lineWide/2:
		return s.white
	}
	return s.turf
}

func (s scene) draw(r *rand.Rand) *image.Gray {
	g := image.NewGray(image.Rect(0, 0, s.shot.Width, s.shot.Height))
	at := s.ground()
	for y := range s.shot.Height {
		for x := range s.shot.Width {
			sum := 0.0
			for k := range 4 {
				if p, ok := at(float64(x)+float64(k%2)/2-0.25, float64(y)+float64(k/2)/2-0.25); ok {
					sum += s.shade(p) / 4
				} else {
					sum += 150.0 / 4
				}
			}
			g.SetGray(x, y, color.Gray{Y: uint8(math.Max(0, math.Min(255, sum+s.noise*r.NormFloat64())))})
		}
	}
	return g
}

// clutter draws what is no circle: an athlete's legs and their shadow.
func clutter(g *image.Gray, at r2.Vec, pxPerM float64) {
	for y := range g.Rect.Dy() {
		for x := range g.Rect.Dx() {
			dx, dy := (float64(x)-at.X)/pxPerM, (float64(y)-at.Y)/pxPerM
			if dy < 0 && dy > -1.8 && math.Abs(math.Abs(dx)-0.2) < 0.08 {
				g.SetGray(x, y, color.Gray{Y: 60})
			}
			if math.Abs(dy-0.02) < 0.02 && dx > 0 && dx < 0.7 {
				g.SetGray(x, y, color.Gray{Y: 80})
			}
		}
	}
}

// one is a scene by lot: a phone 8 to 20 m away, 0.9 to 2.2 m high, behind the throw or
// at its side, up to 8° off square.
func one(r *rand.Rand, view float64) (scene, Guess) {
	across := []float64{2.135, 2.5}[r.IntN(2)]
	off := (view + 16*r.Float64() - 8) * math.Pi / 180
	d, tall := 8+12*r.Float64(), 0.9+1.3*r.Float64()
	s := scene{across: across, paint: 0.006 + 0.054*r.Float64(), rim: true, beside: true, beyond: true, turf: 90 + 80*r.Float64(), floor: 130 + 60*r.Float64(), white: 225, noise: 3}
	s.shot = sim.Shot{At: r3.Vec{X: -d * math.Cos(off), Y: -d * math.Sin(off), Z: tall}, LookAt: r3.Vec{X: 0.4 * (r.Float64() - 0.5), Y: 0.6 * (r.Float64() - 0.5), Z: 1.1}, Roll: 3*r.Float64() - 1.5, Focal: 1280 / 5.0 * d, Width: 1280, Height: 720}
	at := func(x, y float64) r2.Vec {
		p := s.shot.Project(r3.Vec{X: x, Y: y})
		return r2.Vec{X: p.X, Y: p.Y}
	}
	return s, Guess{Across: across, Heading: view, Feet: []r2.Vec{at(-0.6, 0.2), at(0.1, -0.2), at(0.5, 0.1)}, PxPerM: 256 * (0.9 + 0.2*r.Float64())}
}

func TestACircleIsFound(t *testing.T) {
	r := rand.New(rand.NewPCG(20, 26))
	cases := 8
	if testing.Short() {
		cases = 4
	}
	known, inside, of := 0, 0, 0
	for i := range cases {
		s, guess := one(r, []float64{0, 90, -90}[i%3])
		g := s.draw(r)
		clutter(g, guess.Feet[1], 256)
		f, err := Find(g, guess)
		if err != nil {
			t.Logf("%d (paint %.3f, turf %.0f, floor %.0f): %v", i, s.paint, s.turf, s.floor, err)
			continue
		}
		known++
		for _, p := range []r2.Vec{{}, {X: -s.across / 2}, {X: s.across / 2}, {Y: s.across / 2}, {Y: -s.across / 2}} {
			want := s.shot.Project(r3.Vec{X: p.X, Y: p.Y})
			px, u := f.At(p)
			miss := math.Hypot(px.X-want.X, px.Y-want.Y)
			of++
			if miss <= 2*u*math.Sqrt2 {
				inside++
			}
			if miss > 4+3*u || u > 12 {
				t.Errorf("%d: a point at %.2f, %.2f is told %.1f px off, u %.1f", i, p.X, p.Y, miss, u)
			}
		}
	}
	if known*10 < cases*8 {
		t.Errorf("%d of %d circles are found", known, cases)
	}
	if float64(inside) < 0.9*float64(of) {
		t.Errorf("%d of %d points lie inside of their ±", inside, of)
	}
	t.Logf("%d of %d found, %d of %d points inside", known, cases, inside, of)
}

// Where no circle is, or nothing tells where the throw goes, none is told.
func TestWhatIsNoCircleIsNotTold(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for i := range 2 {
		s, guess := one(r, 0)
		s.rim = false
		if _, err := Find(s.draw(r), guess); err == nil {
			t.Errorf("%d: a circle without a rim is found", i)
		}
		s.rim, s.beside, s.beyond, s.paint = true, false, false, 0.05
		if _, err := Find(s.draw(r), guess); !errors.Is(err, ErrTurn) {
			t.Errorf("%d: without the lines beside it: %v", i, err)
		}
	}
	if _, err := Find(image.NewGray(image.Rect(0, 0, 640, 360)), Guess{Across: 2.135, Feet: []r2.Vec{{X: 300, Y: 300}}, PxPerM: 150}); !errors.Is(err, ErrNone) {
		t.Errorf("a black picture: %v", err)
	}
	if _, err := Find(image.NewGray(image.Rect(0, 0, 4, 4)), Guess{Across: 2.135}); !errors.Is(err, ErrNone) {
		t.Errorf("nothing known: %v", err)
	}
}

func BenchmarkFind(b *testing.B) {
	s, guess := one(rand.New(rand.NewPCG(1, 2)), 0)
	g := s.draw(rand.New(rand.NewPCG(1, 2)))
	for b.Loop() {
		if _, err := Find(g, guess); err != nil {
			b.Fatal(err)
		}
	}
}
