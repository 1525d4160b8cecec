package bodyfit

import (
	"context"
	"maps"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/spatial/r2"
	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
	"neokinema/core/optics"
)

// The factor of a bordered matrix solves the same equations as gonum's of the whole.
func TestBorderedMatricesAreSolvedAsDenseOnes(t *testing.T) {
	const nodes, size, shared = 7, 3, 2
	r := rand.New(rand.NewPCG(1, 2))
	m := newBordered(nodes, size, reach, shared)
	n := nodes*size + shared
	dense := mat.NewSymDense(n, nil)
	for range 400 { // sums of squares of rows that couple near nodes and what is shared
		first := r.IntN(nodes - reach)
		var cols []int
		for range 4 {
			col := (first+r.IntN(reach+1))*size + r.IntN(size)
			if r.IntN(5) == 0 {
				col = nodes*size + r.IntN(shared)
			}
			if !contains(cols, col) {
				cols = append(cols, col)
			}
		}
		vals := make([]float64, len(cols))
		for i := range vals {
			vals[i] = r.NormFloat64()
		}
		for i, a := range cols {
			for j := 0; j <= i; j++ {
				m.add(a, cols[j], vals[i]*vals[j])
				dense.SetSym(a, cols[j], dense.At(a, cols[j])+vals[i]*vals[j])
			}
		}
	}
	f := factored{newBordered(nodes, size, reach, shared)}
	if !f.cholesky(m, 0) {
		t.Fatal("the matrix is not positive")
	}
	b := make([]float64, n)
	for i := range b {
		b[i] = r.NormFloat64()
	}
	x := append([]float64(nil), b...)
	f.forward(x)
	f.backward(x)
	var whole mat.Cholesky
	if !whole.Factorize(dense) {
		t.Fatal("the whole is not positive")
	}
	var want mat.VecDense
	if err := whole.SolveVecTo(&want, mat.NewVecDense(n, b)); err != nil {
		t.Fatal(err)
	}
	for i := range x {
		if math.Abs(x[i]-want.AtVec(i)) > 1e-6*(1+math.Abs(want.AtVec(i))) {
			t.Errorf("number %d is %g, want %g", i, x[i], want.AtVec(i))
		}
	}
}

func contains(list []int, v int) bool {
	for _, x := range list {
		if x == v {
			return true
		}
	}
	return false
}

// squatter bends and turns on the spot: a movement by hand, of a body with the shares
// that a fit believes, whose shoulders turn by as much, radians.
func squatter(t, tall, most float64) map[body.Landmark]r3.Vec {
	share := func(name string) float64 { return lengthShares[name] * tall }
	bend := 0.35 + 0.25*math.Sin(4*t)
	turn := most * math.Sin(3*t)
	sin, cos := math.Sincos(turn)
	out := map[body.Landmark]r3.Vec{}
	rotated := func(v r3.Vec) r3.Vec { return r3.Vec{X: cos*v.X - sin*v.Y, Y: sin*v.X + cos*v.Y, Z: v.Z} }
	hipHigh := 0.039*tall + (share("thigh")+share("shank"))*math.Cos(bend)
	for side, sign := range map[string]float64{".L": 1, ".R": -1} {
		y := sign * share("hips") / 2
		put := func(part string, v r3.Vec) { out[body.Landmark(part+side)] = v }
		ankle := r3.Vec{Y: y, Z: 0.039 * tall}
		put("ankle", ankle)
		put("heel", r3.Vec{X: -0.040 * tall, Y: y, Z: 0.001})
		put("toe", r3.Vec{X: 0.112 * tall, Y: y, Z: 0.001})
		put("knee", r3.Add(ankle, r3.Vec{X: share("shank") * math.Sin(bend), Z: share("shank") * math.Cos(bend)}))
		put("hip", r3.Vec{X: (share("shank") - share("thigh")) * math.Sin(bend), Y: y, Z: hipHigh})
		shoulder := r3.Add(rotated(r3.Vec{Y: sign * share("shoulders") / 2}), r3.Vec{Z: hipHigh + share("trunk")})
		put("shoulder", shoulder)
		elbow := r3.Add(shoulder, rotated(r3.Vec{X: 0.5 * share("upper"), Y: sign * 0.3 * share("upper"), Z: -share("upper") * math.Sqrt(1-0.25-0.09)}))
		put("elbow", elbow)
		put("wrist", r3.Add(elbow, rotated(r3.Vec{X: 0.9 * share("fore"), Z: share("fore") * math.Sqrt(1-0.81)})))
	}
	out["neck"] = r3.Vec{Z: hipHigh + share("trunk") + share("neck")}
	out["vertex"] = r3.Add(out["neck"], r3.Vec{Z: share("head")})
	return out
}

// turns is by how much somebody turns who is filmed, radians.
const turns = 0.5

// watched is a film of somebody who moves, from a camera that looks along the throw.
func watched(t *testing.T, tall float64, r *rand.Rand) Problem {
	t.Helper()
	var known []r3.Vec
	var px []r2.Vec
	shot := func(p r3.Vec) r2.Vec { // from 12 m behind, 1.4 m high, level, 2000 px long
		away := p.X + 12
		return r2.Vec{X: 640 - 2000*p.Y/away, Y: 360 - 2000*(p.Z-1.4)/away}
	}
	for _, p := range []r3.Vec{{X: -1}, {X: 1}, {Y: 1}, {Y: -1}, {}, {X: -1, Z: 2}, {X: 1, Z: 2}} {
		known, px = append(known, p), append(px, shot(p))
	}
	view, err := optics.ResectWith(optics.Held, known, px, r2.Vec{X: 640, Y: 360}, 1)
	if err != nil {
		t.Fatal(err)
	}
	p := Problem{View: view, HeightM: tall, Sex: body.Man, Feet: map[body.Side][]Contact{}}
	for k := range 61 {
		when := float64(k) / NodesPerSecond
		p.Times = append(p.Times, when)
		p.Feet[body.Left], p.Feet[body.Right] = append(p.Feet[body.Left], OnGround), append(p.Feet[body.Right], OnGround)
		seen := map[body.Landmark]Seen{}
		pose := squatter(when, tall, turns)
		for _, l := range slices.Sorted(maps.Keys(pose)) {
			q := shot(pose[l])
			seen[l] = Seen{r2.Vec{X: q.X + r.NormFloat64(), Y: q.Y + r.NormFloat64()}, 1}
		}
		p.Pictures = append(p.Pictures, Picture{when, seen})
	}
	// Which shoulder is the nearer one, a picture does not show: the start says it.
	p.Start = func(t float64) map[body.Landmark]r3.Vec { return squatter(t/2, tall, turns/2) }
	return p
}

// One camera shows how deep somebody squats toward it and how far the shoulders turn:
// places within some centimetres, as far off as the draws say.
func TestABodyIsFittedToOneFilm(t *testing.T) {
	const tall = 1.8
	var off, spread, n float64
	for seed := range uint64(4) {
		p := watched(t, tall, rand.New(rand.NewPCG(seed, 4)))
		rounds := 0
		f, err := Find(context.Background(), p, func(done, of int) { rounds = max(rounds, done) })
		if err != nil {
			t.Fatal(err)
		}
		if err := f.Good(); err != nil || rounds == 0 {
			t.Errorf("after %d rounds: %v", rounds, err)
		}
		m := f.Movements(12, 1)
		for _, when := range p.Times {
			truth, best := squatter(when, tall, turns), m.Pose(m.Best, when)
			for _, l := range []body.Landmark{"knee.L", "knee.R", "hip.L", "hip.R", "shoulder.L", "shoulder.R"} {
				off += r3.Norm2(r3.Sub(best[l], truth[l]))
				for _, draw := range m.Draws {
					spread += r3.Norm2(r3.Sub(m.Pose(draw, when)[l], best[l])) / float64(len(m.Draws))
				}
				n++
			}
		}
		if m.Pose(m.Best, p.Times[len(p.Times)-1]+1) != nil {
			t.Error("there is a body after the film's end")
		}
	}
	off, spread = math.Sqrt(off/n), math.Sqrt(spread/n)
	if off > 0.1 || off > 1.4*spread || spread > 0.1 {
		t.Errorf("places are %.3f m off, where the draws spread by %.3f m", off, spread)
	}
}

// What is not known is said, and a fit can be stopped.
func TestAFitSaysWhatIsMissing(t *testing.T) {
	whole := watched(t, 1.8, rand.New(rand.NewPCG(5, 6)))
	for says, change := range map[string]func(p *Problem){
		"how tall":       func(p *Problem) { p.HeightM = 0 },
		"too short":      func(p *Problem) { p.Times = p.Times[:3] },
		"every node":     func(p *Problem) { p.Feet = nil },
		"too few points": func(p *Problem) { p.Pictures = p.Pictures[:5] },
	} {
		p := whole
		change(&p)
		if _, err := Find(context.Background(), p, nil); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%v, want something about %q", err, says)
		}
	}
	stopped, stop := context.WithCancel(context.Background())
	stop()
	if _, err := Find(stopped, whole, nil); err != context.Canceled {
		t.Errorf("stopped: %v", err)
	}
}

// A film's key positions say how a movement's time runs.
func TestAMovementIsWarpedToAFilm(t *testing.T) {
	m := Movement{Pose: func(t float64) map[body.Landmark]r3.Vec { return map[body.Landmark]r3.Vec{"neck": {X: t}} }, Stamps: map[string]float64{"off": 0, "down": 0.4, "out": 1}, Begin: -0.5, End: 1.2}
	at := m.Warped(map[string]float64{"off": 2, "down": 2.2, "out": 3, "unknown": 9})
	for film, own := range map[float64]float64{2: 0, 2.1: 0.2, 2.2: 0.4, 2.6: 0.7, 3: 1, 1.9: -0.1, 9: 1.2, 0: -0.5} {
		if got := at(film)["neck"].X; math.Abs(got-own) > 1e-9 {
			t.Errorf("%.2f s of the film are %.3f s of the movement, want %.3f", film, got, own)
		}
	}
}

// Draws that differ along the line of sight alone leave nothing open across it, and what
// all points share is told from what one has for itself.
func TestSpreadsAreToldAlongTheLineOfSightAndAcrossIt(t *testing.T) {
	flat := func(kneeX, kneeY, neckX float64) []float32 {
		return narrow([]float64{kneeX, kneeY, 1, neckX, 0, 1, kneeX, kneeY, 1, neckX, 0, 1, kneeX, kneeY, 1, neckX, 0, 1, kneeX, kneeY, 1, neckX, 0, 1})
	}
	m := Movements{
		Times: []float64{0, 1, 2, 3}, Points: []body.Landmark{"knee.L", "neck"}, Best: flat(0, 0, 0),
		Draws: [][]float32{flat(0.3, 0.1, 0.1), flat(-0.3, -0.1, -0.1)},
	}
	got := m.Spreads(1.5, r3.Vec{X: -10, Z: 1})
	for l, want := range map[body.Landmark]Spread{"knee.L": {0.1 / math.Sqrt2, 0.3, 0.2}, "neck": {0, 0.1, 0.2}} {
		s := got[l]
		if math.Abs(s.Across-want.Across)+math.Abs(s.Along-want.Along)+math.Abs(s.Shared-want.Shared) > 1e-6 {
			t.Errorf("%s: %+v, want %+v", l, s, want)
		}
	}
	if m.Spreads(9, r3.Vec{}) != nil {
		t.Error("there are spreads after the film's end")
	}
}
