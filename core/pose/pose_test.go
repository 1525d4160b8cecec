package pose

import (
	"math"
	"math/rand/v2"
	"testing"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/body"
)

// rules are some, made up: each landmark at its own points.
var rules = Rules{
	"knee": {Base: []int{25}, Use: []int{23, 27}, Share: []float64{0.02, -0.01}, Near: [3]float64{0.4, 0.5, 6}, Far: [3]float64{0.5, 0.5, 7}},
	"neck": {Base: []int{11, 12}, Use: []int{0, 23, 24}, Share: []float64{0.2, 0.01, 0.01}, Near: [3]float64{0.5, 1, 4}, Far: [3]float64{0.5, 1, 4}},
}

// figure is a look at somebody who stands 400 px tall, the left side 40 px to the
// right of the right one.
func figure() Look {
	l := Look{Score: 1, Size: 520}
	put := func(k int, x, y float64) { l.Points[k] = Point{X: x, Y: y, Visible: 1, Peak: 1} }
	for k := range 11 {
		put(k, 320, 130)
	}
	for _, p := range []struct {
		k    int
		x, y float64
	}{{11, 340, 173}, {13, 345, 247}, {15, 350, 306}, {17, 352, 330}, {19, 352, 330}, {21, 352, 330}, {23, 330, 288}, {25, 332, 386}, {27, 333, 484}, {29, 328, 498}, {31, 352, 500}} {
		put(p.k, p.x, p.y)
		put(Mirrored(p.k), p.x-40, p.y)
	}
	return l
}

func TestEachPointHasItsCounterpart(t *testing.T) {
	for k := range Points {
		if Mirrored(Mirrored(k)) != k {
			t.Errorf("point %d has %d beside it, and that has %d", k, Mirrored(k), Mirrored(Mirrored(k)))
		}
	}
	if Mirrored(25) != 26 || Mirrored(0) != 0 || Mirrored(34) != 34 {
		t.Error("left and right knee, the nose, and what is no point of the body")
	}
}

// Rules turn, scale and mirror with the picture.
func TestRulesGoWithThePicture(t *testing.T) {
	still := figure()
	turned := still
	const angle, scale = 0.7, 1.6
	s, c := math.Sincos(angle)
	for k, p := range still.Points {
		turned.Points[k].X, turned.Points[k].Y = scale*(p.X*c-p.Y*s)+50, scale*(p.X*s+p.Y*c)-20
	}
	a, b := rules.Marks(still, body.Left, 400, 1), rules.Marks(turned, body.Left, 400, 1)
	if len(a) != 3 {
		t.Errorf("there are %d landmarks", len(a))
	}
	for l, m := range a {
		want := r2.Vec{X: scale*(m.At.X*c-m.At.Y*s) + 50, Y: scale*(m.At.X*s+m.At.Y*c) - 20}
		if d := r2.Norm(r2.Sub(b[l].At, want)); d > 1e-6 {
			t.Errorf("the %s is %.3f px off on the turned picture", l, d)
		}
		if d := r2.Norm(r2.Sub(m.At, nearest(still, m.At))); d > 0.15*400 {
			t.Errorf("the %s lies %.0f px from all points", l, d)
		}
	}
}

func nearest(l Look, at r2.Vec) (best r2.Vec) {
	least := math.Inf(1)
	for _, p := range l.Points {
		if d := r2.Norm(r2.Sub(p.At(), at)); d < least {
			best, least = p.At(), d
		}
	}
	return best
}

// What the model is less sure of, and the far side, has a wider ±.
func TestUncertaintyFollowsWhatTheModelSays(t *testing.T) {
	if got := U([3]float64{3, 4, 12}, 0, 0); got != 13 {
		t.Errorf("√(3² + 4² + 12²) is %g", got)
	}
	if got := U([3]float64{3, 4, 12}, 1, 1); got != 3 {
		t.Errorf("what is surely in sight has %g", got)
	}
	l := figure()
	sure := rules.Marks(l, body.Left, 400, 1)
	l.Points[25].Peak, l.Points[25].Visible = 0.3, 0.2
	doubtful := rules.Marks(l, body.Left, 400, 1)
	if doubtful["knee.L"].U < 1.5*sure["knee.L"].U || doubtful["knee.L"].Confidence > 0.3 {
		t.Errorf("a knee that is hardly seen has %+v, one in sight %+v", doubtful["knee.L"], sure["knee.L"])
	}
	if unknown := rules.Marks(l, "", 400, 1); unknown["knee.R"].U < sure["knee.R"].U {
		t.Error("where no side is near, the worse of both counts")
	}
}

func TestHeightIsThatOfThoseWhoStandStraight(t *testing.T) {
	bent := figure()
	for _, k := range []int{27, 28, 29, 30, 31, 32} { // the shank folded
		bent.Points[k].Y = 340
	}
	got := HeightPx([]Look{bent, figure(), bent, figure(), figure()})
	if math.Abs(got-400) > 30 {
		t.Errorf("somebody of 400 px has %.0f", got)
	}
	if HeightPx(nil) != 0 {
		t.Error("nobody has a height")
	}
}

// runner moves legs that pass one another; the model exchanges them for a while.
func runner(n int, exchanged func(i int) bool) (marks []map[body.Landmark]Mark, times []float64) {
	for i := range n {
		t := float64(i) / 30
		m := map[body.Landmark]Mark{}
		for side, phase := range map[string]float64{"L": 0, "R": math.Pi} {
			swing := 60 * math.Sin(2*math.Pi*1.5*t+phase)
			at := func(part string, x, y float64) {
				m[body.Landmark(part+"."+side)] = Mark{At: r2.Vec{X: 300 + 120*t + x, Y: y}, U: 2, Confidence: 1}
			}
			at("knee", swing/2, 390)
			at("ankle", swing, 480)
			at("heel", swing-8, 495)
			at("toe", swing+18, 498)
			at("elbow", -swing/3, 250)
			at("wrist", -swing/2, 300)
			at("knuckle", -swing/2, 310)
		}
		if exchanged(i) {
			for _, part := range groups[0] {
				l, r := body.Landmark(part+".L"), body.Landmark(part+".R")
				m[l], m[r] = m[r], m[l]
			}
		}
		marks, times = append(marks, m), append(times, t)
	}
	return marks, times
}

func TestLegsThatAreExchangedForAWhileArePutRight(t *testing.T) {
	wrong := func(i int) bool { return i >= 14 && i < 19 || i == 27 }
	marks, times := runner(40, wrong)
	right, _ := runner(40, func(int) bool { return false })
	UndoSwaps(marks, times, 400)
	for i := range marks {
		for _, l := range []body.Landmark{"ankle.L", "ankle.R", "wrist.L"} {
			if marks[i][l].At != right[i][l].At {
				t.Errorf("look %d: the %s is at %v, not %v", i, l, marks[i][l].At, right[i][l].At)
			}
		}
	}
	if u := marks[15]["ankle.L"].U; u <= 2 {
		t.Errorf("what was exchanged is as sure as before: %g px", u)
	}
	if u := marks[5]["ankle.L"].U; u != 2 {
		t.Errorf("what was not is doubted: %g px", u)
	}
}

// A path goes through the looks, doubts what stands alone, and tells how well it is
// known between.
func TestPathsJoinLooks(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 1))
	truth := func(time float64) r2.Vec {
		return r2.Vec{X: 300 + 200*time, Y: 400 - 60*math.Sin(2*math.Pi*2*time)}
	}
	const every, rate = 4, 120.0
	at := func(frame int) float64 { return float64(frame) / rate }
	var frames []int
	var marks []map[body.Landmark]Mark
	for f := 100; f <= 220; f += every {
		p := r2.Add(truth(at(f)), r2.Vec{X: 1.5 * r.NormFloat64(), Y: 1.5 * r.NormFloat64()})
		if f == 160 { // an arm taken for another
			p.Y += 90
		}
		frames, marks = append(frames, f), append(marks, map[body.Landmark]Mark{"knee.L": {At: p, U: 1.5, Confidence: 0.9}})
	}
	path := Paths(marks, frames, at)["knee.L"]
	if len(path) != 121 {
		t.Fatalf("the path has %d pictures", len(path))
	}
	inside := 0
	for k, m := range path {
		off := r2.Norm(r2.Sub(m.At, truth(at(100+k))))
		if off <= 2.45*m.U {
			inside++
		}
		if off > 25 {
			t.Errorf("picture %d is %.0f px off, ± %.0f", 100+k, off, 2*m.U)
		}
	}
	if share := float64(inside) / float64(len(path)); share < 0.9 {
		t.Errorf("%.0f %% lie inside of the ±", 100*share)
	}
	if alone, other := path[60].U, path[20].U; alone < 4*other {
		t.Errorf("what stands alone is known to ± %.1f px, the rest to %.1f", 2*alone, 2*other)
	}
	if got := Paths(marks[:3], frames[:3], at); len(got) != 0 {
		t.Error("three looks make a path")
	}
}

func FuzzPaths(f *testing.F) {
	f.Add(uint64(1), 6)
	f.Fuzz(func(t *testing.T, seed uint64, n int) {
		if n < 0 || n > 60 {
			t.Skip()
		}
		r := rand.New(rand.NewPCG(seed, 1))
		var frames []int
		var marks []map[body.Landmark]Mark
		frame := 0
		for range n {
			frame += 1 + r.IntN(9)
			frames = append(frames, frame)
			marks = append(marks, map[body.Landmark]Mark{"toe.R": {At: r2.Vec{X: 4000 * r.Float64(), Y: 4000 * r.Float64()}, U: 9 * r.Float64(), Confidence: r.Float64()}})
		}
		for _, path := range Paths(marks, frames, func(f int) float64 { return float64(f) / 97 }) {
			for _, m := range path {
				if math.IsNaN(m.At.X+m.At.Y+m.U) || m.U <= 0 || m.Confidence < 0 || m.Confidence > 1 {
					t.Fatalf("%+v", m)
				}
			}
		}
	})
}

func TestRulesOfPointsThatThereAreNotAreRefused(t *testing.T) {
	for _, text := range []string{"", `{"knee": {"base": []}}`, `{"knee": {"base": [33], "use": [], "share": []}}`, `{"knee": {"base": [25], "use": [23], "share": []}}`} {
		if _, err := ReadRules([]byte(text)); err == nil {
			t.Errorf("%s is taken", text)
		}
	}
}
