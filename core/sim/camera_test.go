package sim

import (
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
)

// The projection against the same camera written as a matrix K·[R|t], worked
// out by gonum, with the radial distortion of the usual lens model.
func TestProjectionIsThatOfACameraMatrix(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 9))
	for range 200 {
		s := Shot{At: r3.Vec{X: 20 * r.NormFloat64(), Y: -15 + 3*r.NormFloat64(), Z: 1 + r.Float64()}, LookAt: r3.Vec{X: r.NormFloat64(), Y: r.NormFloat64(), Z: 1},
			Roll: 8 * r.NormFloat64(), Focal: 2500 + 500*r.Float64(), K1: 0.2 * (r.Float64() - 0.5), Width: 1280, Height: 720}
		ahead := r3.Unit(r3.Sub(s.LookAt, s.At))
		// the camera's axes by Rodrigues' formula, x right, y down, z ahead
		x := r3.Unit(r3.Cross(ahead, r3.Vec{Z: 1}))
		y := r3.Cross(ahead, x)
		a := s.Roll * math.Pi / 180
		roll := mat.NewDense(3, 3, []float64{math.Cos(a), math.Sin(a), 0, -math.Sin(a), math.Cos(a), 0, 0, 0, 1})
		var rot, extr, proj mat.Dense
		rot.Mul(roll, mat.NewDense(3, 3, []float64{x.X, x.Y, x.Z, y.X, y.Y, y.Z, ahead.X, ahead.Y, ahead.Z}))
		var back mat.Dense
		back.Mul(&rot, mat.NewDense(3, 1, []float64{-s.At.X, -s.At.Y, -s.At.Z}))
		extr.Augment(&rot, &back)
		p := r3.Vec{X: 2 * r.NormFloat64(), Y: 2 * r.NormFloat64(), Z: r.Float64() * 3}
		proj.Mul(&extr, mat.NewDense(4, 1, []float64{p.X, p.Y, p.Z, 1}))
		u, v := proj.At(0, 0)/proj.At(2, 0), proj.At(1, 0)/proj.At(2, 0)
		k := 1 + s.K1*(u*u+v*v)
		got := s.Project(p)
		near(t, "x", got.X, 640+s.Focal*u*k, 1e-6)
		near(t, "y", got.Y, 360+s.Focal*v*k, 1e-6)
	}
}

func TestCamerasStandWhereTheViewSays(t *testing.T) {
	if testing.Short() {
		t.Skip("left out of the short tests")
	}
	for _, event := range Events() {
		for _, side := range []body.Side{body.Left, body.Right} {
			m := move(t, Request{Event: event, Athlete: Athlete{HeightM: 1.78, Sex: body.Woman, Side: side}})
			for _, view := range Views(event) {
				c := Usual(event, view)
				c.Capture = 30
				f, err := c.Film(m)
				if err != nil {
					t.Fatalf("%s %s: %v", event, view, err)
				}
				out, all := 0, 0
				for _, p := range f.Film {
					for l, px := range p.InView {
						if strings.HasPrefix(string(l), "implement") || strings.HasPrefix(string(l), "pole") || l == "grip" {
							continue
						}
						all++
						if px[0] < 0 || px[1] < 0 || px[0] > float64(f.Width) || px[1] > float64(f.Height) {
							out++
						}
					}
				}
				if out > all/50 {
					t.Errorf("%s, %s hand, from %s: %d of %d points of the body are outside the picture", event, side, view, out, all)
				}
			}
			open, err := Usual(event, "side-open").Film(m)
			if err != nil {
				t.Fatal(err)
			}
			mid := open.Film[len(open.Film)/2]
			work, other := Usual(event, "side-open").near(event, side), Usual(event, "side-open").near(event, side).Other()
			near := func(s body.Side) float64 {
				return r3.Norm(r3.Sub(vec(mid.Camera.At), vec(mid.World[body.Landmark("hip."+string(s))])))
			}
			if event == "running" && side == body.Right && near(work) > near(other) {
				t.Errorf("%s: the %s side is not the near one", event, side)
			}
		}
	}
}

func TestFilmShowsEachStampOnItsFirstPicture(t *testing.T) {
	m := move(t, Request{Event: "hammer", Athlete: bodies[0], Seed: 4})
	for _, c := range []Camera{{View: "back", Distance: 14, Height: 1.2, Capture: 60, Playback: 30}, {View: "back", Distance: 14, Height: 1.2, Capture: 240, Delay: 0.01}, {View: "oblique", Distance: 16, Height: 1.5, Capture: 120, Variable: true, Pan: true, Shake: 0.2}} {
		f, err := c.Film(m)
		if err != nil {
			t.Fatal(err)
		}
		for k, at := range f.Stamps {
			n := f.Frames[k]
			if Still(k) {
				if d := math.Abs(f.Film[n].T - at); d > 0.7/c.Capture {
					t.Errorf("%s at %.4f s is nearest to a picture %.4f s away", k, at, d)
				}
				continue
			}
			if f.Film[n].T < at-1e-5 || n > 0 && f.Film[n-1].T >= at+1e-5 {
				t.Errorf("%s at %.4f s is said to show first at %.4f s", k, at, f.Film[n].T)
			}
		}
	}
}

func TestTheBodyHidesWhatIsBehindIt(t *testing.T) {
	m := move(t, Request{Event: "running", Athlete: bodies[0]})
	f, err := Camera{View: "side-open", Distance: 15, Height: 1, Capture: 60}.Film(m)
	if err != nil {
		t.Fatal(err)
	}
	seen := map[body.Landmark]int{}
	for _, p := range f.Film {
		for l, px := range p.InView {
			seen[l] += int(px[2])
		}
	}
	if n := len(f.Film); seen["hip.R"] < n/2 || seen["hip.L"] > n/4 || seen["vertex"] != n || seen["knee.L"] == 0 {
		t.Errorf("of %d pictures the near hip shows in %d, the far one in %d, the far knee in %d", n, seen["hip.R"], seen["hip.L"], seen["knee.L"])
	}
}

func TestAHandShakesAndFollows(t *testing.T) {
	m := move(t, Request{Event: "javelin", Athlete: bodies[0]})
	c := Usual("javelin", "side-open")
	c.Capture, c.Pan, c.Shake = 60, true, 0.3
	f, err := c.Film(m)
	if err != nil {
		t.Fatal(err)
	}
	n := len(f.Film) - 1
	if d := f.Film[n].Camera.LookAt[0] - f.Film[0].Camera.LookAt[0]; d < 3 {
		t.Errorf("the camera follows by %.1f m", d)
	}
	for i := 1; i <= n; i++ {
		a, b := f.Shot(i-1), f.Shot(i)
		if d := r3.Norm(r3.Sub(a.LookAt, b.LookAt)); d > 0.35 {
			t.Fatalf("the aim jumps by %.2f m", d)
		}
	}
}

func TestCamerasThatCannotBeAreRefused(t *testing.T) {
	m := move(t, Request{Event: "discus", Athlete: bodies[0]})
	for says, c := range map[string]Camera{
		"is not filmed from":    {View: "bar-line", Distance: 10, Height: 1, Capture: 60},
		"a distance of 1":       {View: "back", Distance: 1, Height: 1, Capture: 60},
		"a rate of 5":           {View: "back", Distance: 10, Height: 1, Capture: 5},
		"a distortion of 2":     {View: "back", Distance: 10, Height: 1, Capture: 60, K1: 2},
		"angle off the view of": {View: "back", Distance: 10, Height: 1, Capture: 60, OffSquare: 80},
	} {
		if _, err := c.Film(m); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%+v: %v", c, err)
		}
	}
}
