package optics

import (
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"strings"
	"testing"

	"gonum.org/v1/gonum/spatial/r2"
	"gonum.org/v1/gonum/spatial/r3"
)

// golden is what OpenCV 4.6 computes: testdata/golden.py.
type golden struct {
	Homography struct {
		Metres, Px [][2]float64
		H          homography
	}
	Views struct {
		Control   [][3]float64
		ControlPx [2][][2]float64
		Px        [2][][2]float64
		Points    [][3]float64
	}
	Lens struct {
		Focal, K1, K2  float64
		Bent, Straight [][2]float64
	}
	Boards struct {
		Focal, Cx, Cy, K1 float64
		Photographs       int
		Corners           [][][2]float64
	}
}

func opencv(t *testing.T) (g golden) {
	t.Helper()
	raw, err := os.ReadFile("testdata/opencv.json")
	if err == nil {
		err = json.Unmarshal(raw, &g)
	}
	if err != nil {
		t.Fatal(err)
	}
	return g
}

func flat(v [][2]float64) (out []r2.Vec) {
	for _, p := range v {
		out = append(out, r2.Vec{X: p[0], Y: p[1]})
	}
	return out
}

func space(v [][3]float64) (out []r3.Vec) {
	for _, p := range v {
		out = append(out, r3.Vec{X: p[0], Y: p[1], Z: p[2]})
	}
	return out
}

func TestTheGroundAgreesWithOpenCV(t *testing.T) {
	g := opencv(t).Homography
	ground, err := NewGroundPlane(flat(g.Metres), flat(g.Px), 0.7)
	if err != nil {
		t.Fatal(err)
	}
	for i := range g.H {
		near(t, "an element", ground.toPx[i], g.H[i], 1e-4*math.Max(1, math.Abs(g.H[i])))
	}
	for _, m := range flat(g.Metres) {
		back, u, err := ground.World(ground.Px(m))
		if err != nil || r2.Norm(r2.Sub(back, m)) > 1e-9 || u.X <= 0 || u.Y <= 0 {
			t.Errorf("%v comes back as %v ± %v: %v", m, back, u, err)
		}
	}
}

// over is a camera behind a circle, on the side away from the sector.
func over() homography {
	return homography{-20, -230, 640, -40, 12, 560, 0.11, 0.004, 1}
}

// Over many hands that mark the ground's points and a foot, the truth lies
// inside ±2u as often as it should.
func TestGroundCoverage(t *testing.T) {
	h := over()
	corners := []r2.Vec{{X: -1.2, Y: -1.2}, {X: 1.3, Y: -1.1}, {X: 1.2, Y: 1.2}, {X: -1.1, Y: 1.2}, {X: 0, Y: 0}}
	rnd := rand.New(rand.NewPCG(8, 3))
	hand := func(p r2.Vec) r2.Vec {
		return r2.Add(p, r2.Vec{X: 1.5 * rnd.NormFloat64(), Y: 1.5 * rnd.NormFloat64()})
	}
	inside, n, turned, turns := 0, 0, 0, 0
	for range 600 {
		var px []r2.Vec
		for _, c := range corners {
			px = append(px, hand(h.apply(c)))
		}
		ground, err := NewGroundPlane(corners, px, 1.5)
		if err != nil {
			t.Fatal(err)
		}
		heel := r2.Vec{X: rnd.Float64() - 0.5, Y: rnd.Float64() - 0.5}
		way := 2 * math.Pi * rnd.Float64()
		toe := r2.Add(heel, r2.Vec{X: 0.27 * math.Cos(way), Y: 0.27 * math.Sin(way)})
		a, b := hand(h.apply(heel)), hand(h.apply(toe))
		at, u, err := ground.World(a)
		if err != nil {
			t.Fatal(err)
		}
		for _, d := range []float64{(at.X - heel.X) / u.X, (at.Y - heel.Y) / u.Y} {
			if n++; math.Abs(d) <= 2 {
				inside++
			}
		}
		deg, du, err := ground.Direction(a, b)
		if err != nil {
			t.Fatal(err)
		}
		if turns++; math.Abs(math.Remainder(deg-way*180/math.Pi, 360)) <= 2*du {
			turned++
		}
	}
	for what, share := range map[string]float64{"places": float64(inside) / float64(n), "directions": float64(turned) / float64(turns)} {
		if share < 0.93 || share > 0.98 {
			t.Errorf("%s: %.1f %% of the truth lies inside ±2u", what, 100*share)
		}
	}
}

func TestGroundsThatCannotBe(t *testing.T) {
	square := []r2.Vec{{}, {X: 4}, {X: 4, Y: 4}, {Y: 4}}
	for name, px := range map[string][]r2.Vec{
		"collinear":  {{X: 1}, {X: 2}, {X: 3}, {X: 4}},
		"coincident": {{X: 5, Y: 5}, {X: 5, Y: 5}, {X: 5, Y: 5}, {X: 5, Y: 5}},
		"NaN":        {{X: math.NaN()}, {X: 2, Y: 1}, {X: 3, Y: 9}, {X: 4, Y: 2}},
		"huge":       {{X: math.Inf(1)}, {X: 2, Y: 1}, {X: 3, Y: 9}, {X: 4, Y: 2}},
		"three":      {{X: 1}, {X: 2, Y: 1}, {X: 3, Y: 9}},
	} {
		if g, err := NewGroundPlane(square[:len(px)], px, 1); err == nil {
			t.Errorf("%s: %+v", name, g)
		}
	}
	g, err := NewGroundPlane([]r2.Vec{{X: -1, Y: -1}, {X: 1, Y: -1}, {X: 1, Y: 1}, {X: -1, Y: 1}}, []r2.Vec{over().apply(r2.Vec{X: -1, Y: -1}), over().apply(r2.Vec{X: 1, Y: -1}), over().apply(r2.Vec{X: 1, Y: 1}), over().apply(r2.Vec{X: -1, Y: 1})}, 1)
	if err != nil {
		t.Fatal(err)
	}
	if p, _, err := g.World(r2.Vec{X: 640, Y: -2000}); err == nil {
		t.Errorf("the sky lies on the ground at %v", p)
	}
}

func TestTwoViewsAgreeWithOpenCV(t *testing.T) {
	g := opencv(t).Views
	var views []View
	for _, px := range g.ControlPx {
		v, err := NewView(space(g.Control), flat(px), 1)
		if err != nil {
			t.Fatal(err)
		}
		near(t, "the miss of exact control points", v.RMS, 0, 1e-6)
		views = append(views, v)
	}
	for i, want := range space(g.Points) {
		p, err := Triangulate(Ray{views[0], flat(g.Px[0])[i], 1}, Ray{views[1], flat(g.Px[1])[i], 1})
		if err != nil {
			t.Fatal(err)
		}
		// OpenCV makes an algebraic miss smallest, we that on the pictures: they
		// agree well within what a pixel is worth.
		if d := r3.Norm(r3.Sub(p.At, want)); d > 0.5*r3.Norm(p.U()) || p.RMS > 4 {
			t.Errorf("point %d lies %.4f m from OpenCV's, a pixel is worth %.4f; it misses by %.1f px", i, d, r3.Norm(p.U()), p.RMS)
		}
	}
	if _, err := NewView(space(g.Control)[:4], flat(g.ControlPx[0])[:4], 1); err == nil {
		t.Error("four points tell a camera")
	}
	var sheet []r3.Vec
	for _, c := range space(g.Control) {
		sheet = append(sheet, r3.Vec{X: c.X, Y: c.Y + c.Z})
	}
	if _, err := NewView(sheet, flat(g.ControlPx[0]), 1); err == nil || !strings.Contains(err.Error(), "one plane") {
		t.Errorf("points of one plane tell a camera: %v", err)
	}
	once := Ray{views[0], r2.Vec{X: 600, Y: 300}, 1}
	if _, err := Triangulate(once, once); err == nil {
		t.Error("one camera twice sees depth")
	}
}

// corners are eight points about a throwing circle: on the ground and on rods.
var corners = []r3.Vec{{X: -1.25}, {X: 1.25}, {Y: 1.25}, {Y: -1.25}, {X: -1.25, Z: 2}, {X: 1.25, Z: 2}, {Y: 1.25, Z: 2}, {Y: -1.25, Z: 2}}

var middle = r2.Vec{X: 640, Y: 360}

// phones stand behind a circle and beside it.
var phones = []projection{
	cameraPose{math.Log(3200), 0, 0, 0, 0, 0, 0}.turned(r3.Vec{Y: -1}, r3.Vec{X: -14, Z: 1.3}),
	cameraPose{math.Log(3600), 0, 0, 0, 0, 0, 0}.turned(r3.Vec{X: 1}, r3.Vec{X: 1, Y: -16, Z: 1.1}),
}

// turned is a level stand at a place, with its picture's x along right.
func (s cameraPose) turned(right, at r3.Vec) projection {
	down := r3.Vec{Z: -1}
	ahead := r3.Cross(right, down)
	return poseFrom(math.Exp(s[0]), right, down, [3]float64{-r3.Dot(right, at), -r3.Dot(down, at), -r3.Dot(ahead, at)}).view(middle)
}

// Cameras found from marked points, and points that they see, marked by the same
// hand: the truth lies inside ±2u as often as it should, by either way.
func TestTriangulationCoverage(t *testing.T) {
	for name, find := range map[string]func([]r3.Vec, []r2.Vec) (View, error){
		"direct linear transformation": func(s []r3.Vec, px []r2.Vec) (View, error) { return NewView(s, px, 2) },
		"resection":                    func(s []r3.Vec, px []r2.Vec) (View, error) { return Resect(s, px, middle, 2) },
		"resection from the ground and three rods": func(s []r3.Vec, px []r2.Vec) (View, error) {
			return Resect(s[1:], px[1:], middle, 2)
		},
	} {
		rnd := rand.New(rand.NewPCG(2, 2))
		hand := func(p r2.Vec) r2.Vec {
			return r2.Add(p, r2.Vec{X: 2 * rnd.NormFloat64(), Y: 2 * rnd.NormFloat64()})
		}
		inside, n, miss := 0, 0, 0.0
		for range 300 {
			var views []View
			for _, phone := range phones {
				var px []r2.Vec
				for _, c := range corners {
					px = append(px, hand(phone.px(c)))
				}
				v, err := find(corners, px)
				if err != nil {
					t.Fatal(err)
				}
				views = append(views, v)
			}
			for range 4 {
				truth := r3.Vec{X: 2*rnd.Float64() - 1, Y: 2*rnd.Float64() - 1, Z: 2 * rnd.Float64()}
				p, err := Triangulate(Ray{views[0], hand(phones[0].px(truth)), 2}, Ray{views[1], hand(phones[1].px(truth)), 2})
				if err != nil {
					t.Fatal(err)
				}
				d, u := r3.Sub(p.At, truth), p.U()
				miss = math.Max(miss, r3.Norm(d))
				for _, z := range []float64{d.X / u.X, d.Y / u.Y, d.Z / u.Z} {
					if n++; math.Abs(z) <= 2 {
						inside++
					}
				}
			}
		}
		share := float64(inside) / float64(n)
		t.Logf("%s: %.1f %% of %d inside ±2u, %.3f m at worst", name, 100*share, n, miss)
		if share < 0.93 || share > 0.98 || n < 2000 {
			t.Errorf("%s: %.1f %% of %d inside ±2u", name, 100*share, n)
		}
	}
}

// Exact points tell the phone exactly, wherever it stands; a point on the ground
// is found again by one view.
func TestResection(t *testing.T) {
	for i, phone := range phones {
		for name, n := range map[string]int{"ground and rods": 8, "ground": 4} {
			var px []r2.Vec
			for _, c := range corners[:n] {
				px = append(px, phone.px(c))
			}
			v, err := Resect(corners[:n], px, middle, 1)
			if err != nil {
				t.Fatalf("phone %d, %s: %v", i, name, err)
			}
			for _, p := range []r3.Vec{{X: 0.4, Y: 0.3, Z: 1.1}, {X: -2, Y: 1, Z: 0.4}} {
				near(t, name, r2.Norm(r2.Sub(v.Px(p), phone.px(p))), 0, 1e-3)
			}
			foot := r3.Vec{X: 0.5, Y: -0.6, Z: 0.03}
			got, err := Ray{v, phone.px(foot), 1}.OnPlane(0.03, 0.01)
			if err != nil {
				t.Fatal(err)
			}
			near(t, "the foot", r3.Norm(r3.Sub(got.At, foot)), 0, 1e-5)
		}
	}
	// From the ground alone a low camera's distance stays open: the ± says so.
	at := r3.Vec{Z: 1}
	var us [2]float64
	for i, n := range []int{4, 8} {
		var sights []Ray
		for _, phone := range phones {
			var px []r2.Vec
			for _, c := range corners[:n] {
				px = append(px, phone.px(c))
			}
			v, err := Resect(corners[:n], px, middle, 2)
			if err != nil {
				t.Fatal(err)
			}
			sights = append(sights, Ray{v, phone.px(at), 2})
		}
		p, err := Triangulate(sights...)
		if err != nil {
			t.Fatal(err)
		}
		us[i] = r3.Norm(p.U())
		if r3.Norm(r3.Sub(p.At, at)) > 2*us[i] {
			t.Errorf("from %d points it is at %v ± %v", n, p.At, p.U())
		}
	}
	if us[0] < 2*us[1] {
		t.Errorf("from the ground alone it is known to %.3f m, with rods to %.3f m", us[0], us[1])
	}
	for name, space := range map[string][]r3.Vec{"one line": {{X: 0}, {X: 1}, {X: 2}, {X: 3}}, "one spot": {{X: 1}, {X: 1}, {X: 1}, {X: 1}}, "NaN": {{X: math.NaN()}, {X: 1}, {Y: 1}, {Z: 1}}, "three": {{X: 1}, {Y: 1}, {Z: 1}}} {
		var px []r2.Vec
		for _, p := range space {
			px = append(px, phones[0].px(p))
		}
		if v, err := Resect(space, px, middle, 1); err == nil {
			t.Errorf("%s tells a camera: %+v", name, v)
		}
	}
}

func TestLensAgreesWithOpenCV(t *testing.T) {
	g := opencv(t).Lens
	l := Lens{r2.Vec{X: 640, Y: 360}, g.Focal, g.K1, g.K2}
	for i, p := range flat(g.Bent) {
		got := l.Straighten(p)
		if d := r2.Norm(r2.Sub(got, flat(g.Straight)[i])); d > 1e-3 {
			t.Errorf("%v is straightened %.4f px from OpenCV's", p, d)
		}
		near(t, "bent again", r2.Norm(r2.Sub(l.Bend(got), p)), 0, 1e-6)
	}
}

// The rows and columns of four of OpenCV's chessboard photographs are straight:
// they give the bend that its calibration gives all thirteen.
func TestStraightLinesTellTheLens(t *testing.T) {
	g := opencv(t).Boards
	var lines [][]r2.Vec
	for _, board := range g.Corners {
		corners := flat(board)
		for row := range 6 {
			lines = append(lines, corners[9*row:9*row+9])
		}
		for column := range 9 {
			var line []r2.Vec
			for row := range 6 {
				line = append(line, corners[9*row+column])
			}
			lines = append(lines, line)
		}
	}
	lens, rms, err := StraightLines(lines, r2.Vec{X: g.Cx, Y: g.Cy}, g.Focal)
	if err != nil {
		t.Fatal(err)
	}
	near(t, "the lens's first term", lens.K1, g.K1, 0.025)
	if rms > 0.4 {
		t.Errorf("the lines miss by %.2f px", rms)
	}
	if _, _, err := StraightLines([][]r2.Vec{{{X: 1}, {X: 2}}}, r2.Vec{}, 500); err == nil {
		t.Error("two points are bent")
	}
}

// A shank of 0.43 m, turned out of the picture by an angle, is seen shorter.
func TestDepthOfForeshortening(t *testing.T) {
	for _, deg := range []float64{20, 45, 70} {
		s, c := math.Sincos(deg * math.Pi / 180)
		d, u, err := DepthFromLength(0.43*c*200, 2, 200, 0.43, 0.01)
		if err != nil {
			t.Fatal(err)
		}
		near(t, "the depth", d, 0.43*s, 1e-9)
		up, _, err := DepthFromLength(0.43*c*200-2, 2, 200, 0.43, 0.01)
		if err != nil || u < 0.9*(up-d) || u > 0.2 {
			t.Errorf("at %v° u is %.3f m, two pixels make %.3f (%v)", deg, u, up-d, err)
		}
	}
	if d, u, err := DepthFromLength(87, 2, 200, 0.43, 0.01); err != nil || d != 0 || u < 0.05 {
		t.Errorf("a part that looks a hair too long lies in the picture: %v ± %v, %v", d, u, err)
	}
	for _, bad := range [][5]float64{{120, 2, 200, 0.43, 0.01}, {80, 2, 0, 0.43, 0.01}, {math.NaN(), 2, 200, 0.43, 0.01}} {
		if _, _, err := DepthFromLength(bad[0], bad[1], bad[2], bad[3], bad[4]); err == nil {
			t.Errorf("%v has a depth", bad)
		}
	}
}

func TestTheCamerasMovementIsThatOfMostPoints(t *testing.T) {
	rnd := rand.New(rand.NewPCG(1, 1))
	want := Similarity(complex(1.01*math.Cos(0.02), 1.01*math.Sin(0.02)), complex(7.5, -2.25))
	var a, b []r2.Vec
	for i := range 30 {
		p := r2.Vec{X: 1280 * rnd.Float64(), Y: 720 * rnd.Float64()}
		q := r2.Add(want.Map(p), r2.Vec{X: 0.05 * rnd.NormFloat64(), Y: 0.05 * rnd.NormFloat64()})
		if i%4 == 0 { // the athlete
			q = r2.Add(q, r2.Vec{X: 12 + 5*rnd.Float64(), Y: 3})
		}
		a, b = append(a, p), append(b, q)
	}
	m, agree, err := FitMovement(a, b, 0.6)
	if err != nil {
		t.Fatal(err)
	}
	for i := range a {
		if agree[i] == (i%4 == 0) {
			t.Errorf("point %d is taken for the wrong one", i)
		}
	}
	for _, p := range []r2.Vec{{}, {X: 1280, Y: 720}} {
		near(t, "a corner", r2.Norm(r2.Sub(m.Map(p), want.Map(p))), 0, 0.15)
	}
	near(t, "there and back", r2.Norm(m.Then(m.Inverse()).Map(r2.Vec{X: 100, Y: 50})), math.Hypot(100, 50), 1e-9)
	near(t, "the zoom", m.Zoom(), 1.01, 1e-3)
	near(t, "the turn", m.Degrees(), 0.02*180/math.Pi, 0.05)
	if _, _, err := FitMovement(a[:2], b[:2], 1); err == nil {
		t.Error("two points tell a movement")
	}
	if m, _, err := FitMovement([]r2.Vec{{}, {}, {}}, []r2.Vec{{}, {}, {}}, 1); err == nil {
		t.Errorf("one spot tells a movement: %v", m)
	}
	c := CameraMotion{First: 5, Moved: []Movement{Rest, want}}
	if got, u := c.At(9); got != want || u <= 0 {
		t.Errorf("beyond its last picture the camera is %v ± %v", got, u)
	}
	if len(c.Steady(1280, 720, 2).Moved) == 0 || len((CameraMotion{Moved: []Movement{Rest, Similarity(1, 0.5)}}).Steady(1280, 720, 2).Moved) != 0 {
		t.Error("a camera that moved stood, or one that stood moved")
	}
}

// The time for a film's points grows with its pictures and with nothing else.
func BenchmarkTriangulate(b *testing.B) {
	views := []View{{at: [12]float64{1400, 0, 0, 100, 0, 0, -1400, 900, 0, 1, 0, 12}}, {at: [12]float64{0, 1400, 0, 100, 0, 0, -1400, 900, -1, 0, 0, 12}}}
	for _, pictures := range []int{600, 6000, 60000} {
		b.Run(fmt.Sprint(pictures), func(b *testing.B) {
			for b.Loop() {
				for i := range pictures {
					p := r3.Vec{X: 0.3 + 1e-5*float64(i), Y: 0.2, Z: 1}
					if _, err := Triangulate(Ray{views[0], views[0].Px(p), 1}, Ray{views[1], views[1].Px(p), 1}); err != nil {
						b.Fatal(err)
					}
				}
			}
			b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N*pictures), "ns/picture")
		})
	}
}

// A camera's direction over the ground is told from what it sees of a circle, to a degree.
func TestACirclesPointsTellTheCamerasDirection(t *testing.T) {
	for _, want := range []float64{180, 160, -155} {
		sin, cos := math.Sincos(want * math.Pi / 180)
		at := r3.Vec{X: 12 * cos, Y: 12 * sin, Z: 1.5}
		ahead := r3.Unit(r3.Vec{X: -cos, Y: -sin})
		right := r3.Vec{X: ahead.Y, Y: -ahead.X}
		var space []r3.Vec
		var px []r2.Vec
		for _, p := range []r3.Vec{{X: -1}, {X: 1}, {Y: 1}, {Y: -1}, {}} {
			d := r3.Sub(p, at)
			away := r3.Dot(d, ahead)
			space, px = append(space, p), append(px, r2.Vec{X: 640 + 2000*r3.Dot(d, right)/away, Y: 360 - 2000*d.Z/away})
		}
		v, err := Resect(space, px, r2.Vec{X: 640, Y: 360}, 1)
		if err != nil {
			t.Fatal(err)
		}
		angle, u := v.Heading(r3.Vec{})
		if off := math.Remainder(angle*180/math.Pi-want, 360); math.Abs(off) > 1 || u <= 0 || u > 0.03 {
			t.Errorf("the camera lies at %.1f° ± %.2f, want %.0f", angle*180/math.Pi, 2*u*180/math.Pi, want)
		}
	}
}
