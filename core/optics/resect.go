package optics

import (
	"errors"
	"fmt"
	"math"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/spatial/r2"
	"gonum.org/v1/gonum/spatial/r3"
)

// leastSeen are the fewest points of known places that tell where a phone stood.
const leastSeen = 4

// cameraPose is where a phone stood: its focal length (as a logarithm, px), its turn
// (axis times angle) and its shift. Its pixels are square and its axis goes
// through the middle of the picture.
type cameraPose [7]float64

// view is the projection; middle is the picture's.
func (s cameraPose) view(middle r2.Vec) projection {
	r := r3.NewRotation(math.Sqrt(s[1]*s[1]+s[2]*s[2]+s[3]*s[3]), axis(r3.Vec{X: s[1], Y: s[2], Z: s[3]}))
	f := math.Exp(s[0])
	cols := [3]r3.Vec{r.Rotate(r3.Vec{X: 1}), r.Rotate(r3.Vec{Y: 1}), r.Rotate(r3.Vec{Z: 1})}
	var out projection
	for i, c := range cols {
		out[i], out[4+i], out[8+i] = f*c.X+middle.X*c.Z, f*c.Y+middle.Y*c.Z, c.Z
	}
	out[3], out[7], out[11] = f*s[4]+middle.X*s[6], f*s[5]+middle.Y*s[6], s[6]
	return out
}

func axis(v r3.Vec) r3.Vec {
	if n := r3.Norm(v); n > 1e-12 {
		return r3.Scale(1/n, v)
	}
	return r3.Vec{X: 1}
}

// Belief is what is known of a camera before any point is marked, each number with its
// standard uncertainty; one of 0 says that nothing is.
type Belief struct {
	Height, HeightU     float64 // m over the ground
	Distance, DistanceU float64 // m along the ground to the middle of the world, and as a share of it
	RollU               float64 // radians: cameras are held about level
	Focal, FocalU       float64 // px, and as a share of it
	Looks               r2.Vec  // the way that it looks along the ground
	LooksU              float64 // radians
}

// Held is a phone in somebody's hands, or on a stand as high: common practice.
var Held = Belief{Height: 1.4, HeightU: 0.25, RollU: 0.03}

// misses are by how much a pose misses what is believed, in standard uncertainties.
func (b Belief) misses(s cameraPose) (out []float64) {
	r := r3.NewRotation(math.Sqrt(s[1]*s[1]+s[2]*s[2]+s[3]*s[3]), axis(r3.Vec{X: s[1], Y: s[2], Z: s[3]}))
	cols := [3]r3.Vec{r.Rotate(r3.Vec{X: 1}), r.Rotate(r3.Vec{Y: 1}), r.Rotate(r3.Vec{Z: 1})}
	shift := r3.Vec{X: s[4], Y: s[5], Z: s[6]}
	at := func(k int) float64 { return -r3.Dot(cols[k], shift) }
	if b.HeightU > 0 {
		out = append(out, (b.Height-at(2))/b.HeightU)
	}
	if b.DistanceU > 0 {
		out = append(out, math.Log(b.Distance/math.Hypot(at(0), at(1)))/b.DistanceU)
	}
	if b.RollU > 0 {
		out = append(out, -math.Asin(clamp(cols[2].X, -1, 1))/b.RollU)
	}
	if b.FocalU > 0 {
		out = append(out, (math.Log(b.Focal)-s[0])/b.FocalU)
	}
	if b.LooksU > 0 {
		ahead := r2.Vec{X: cols[0].Z, Y: cols[1].Z}
		out = append(out, -math.Atan2(r2.Cross(b.Looks, ahead), r2.Dot(b.Looks, ahead))/b.LooksU)
	}
	return out
}

// Resect finds where a phone stood, how it was turned and its focal length, from
// four or more points whose places are known (m) and their pixels, marked to
// markU: space resection by least squares on the picture. The points may lie on
// the ground, all of them; some at other heights tell the focal length better.
func Resect(space []r3.Vec, px []r2.Vec, middle r2.Vec, markU float64) (View, error) {
	return ResectWith(Belief{}, space, px, middle, markU)
}

// ResectWith is Resect where something is known of the camera besides.
func ResectWith(believed Belief, space []r3.Vec, px []r2.Vec, middle r2.Vec, markU float64) (View, error) {
	if len(space) != len(px) || len(px) < leastSeen {
		return View{}, fmt.Errorf("where the camera stood needs %d points whose places are known, there are %d", leastSeen, min(len(px), len(space)))
	}
	if markU <= 0 {
		markU = MarkU
	}
	for i, p := range space {
		if !anyNonZero(p.X, p.Y, p.Z, px[i].X, px[i].Y, middle.X, middle.Y) {
			return View{}, fmt.Errorf("point %d lies nowhere", i+1)
		}
	}
	best, found := cameraPose{}, math.Inf(1)
	marks := seenPoints{space, px, middle, markU, believed}
	for _, start := range append(marks.believedPoses(), initialPoses(space, px, middle)...) {
		if s, sum, ok := marks.refine(start); ok && sum < found {
			best, found = s, sum
		}
	}
	lost := errors.New("no camera sees these points so: look at their places and pixels again, and spread them over the ground")
	if math.IsInf(found, 1) {
		return View{}, lost
	}
	out := View{at: best.view(middle), RMS: math.Sqrt(marks.onPicture(best) / float64(2*len(px)))}
	out.scale = out.at.scale(space)
	for _, p := range space {
		if out.at.row(2, p) <= 0 {
			return View{}, lost
		}
	}
	u := markU
	if free := 2*len(px) + len(believed.misses(best)) - len(best); free > 0 { // what the points themselves say, where that is worse
		u = math.Max(u, math.Sqrt(found/float64(free)))
	}
	j, _ := marks.misses(best)
	var svd mat.SVD
	if !svd.Factorize(j, mat.SVDThin) {
		return View{}, lost
	}
	var v mat.Dense
	svd.VTo(&v)
	for k, value := range svd.Values(nil) {
		if value < 1e-9 {
			return View{}, errors.New("these points leave open where the camera stood: take some that lie apart, not on one line")
		}
		off := best
		for i := range off {
			off[i] += u / value * v.At(i, k)
		}
		out.FocalU = math.Hypot(out.FocalU, u/value*v.At(0, k))
		out.off = append(out.off, off.view(middle))
	}
	return out, nil
}

// seenPoints are points of known places on a picture, and what is believed of its camera.
type seenPoints struct {
	space    []r3.Vec
	px       []r2.Vec
	middle   r2.Vec
	markU    float64
	believed Belief
}

// onPicture is the sum of the squares by which the points' pixels are missed, px²;
// infinite where one lies behind the camera.
func (m seenPoints) onPicture(s cameraPose) (sum float64) {
	at := s.view(m.middle)
	for i, p := range m.space {
		if at.row(2, p) <= 0 {
			return math.Inf(1)
		}
		sum += r2.Norm2(r2.Sub(m.px[i], at.px(p)))
	}
	return sum
}

// misses are by how much the points' pixels are missed, px, then by how much what is
// believed, as if a standard uncertainty were markU; and how they change with each of
// the seven numbers.
func (m seenPoints) misses(s cameraPose) (*mat.Dense, *mat.VecDense) {
	own := m.believed.misses(s)
	rows := 2*len(m.px) + len(own)
	j, r := mat.NewDense(rows, len(s), nil), mat.NewVecDense(rows, nil)
	at := s.view(m.middle)
	for i, p := range m.space {
		d := r2.Sub(m.px[i], at.px(p))
		r.SetVec(2*i, d.X)
		r.SetVec(2*i+1, d.Y)
	}
	for i, v := range own {
		r.SetVec(2*len(m.px)+i, v*m.markU)
	}
	for k := range s {
		const h = 1e-6
		on, back := s, s
		on[k] += h
		back[k] -= h
		a, b := on.view(m.middle), back.view(m.middle)
		for i, p := range m.space {
			d := r2.Scale(1/(2*h), r2.Sub(a.px(p), b.px(p)))
			j.Set(2*i, k, d.X)
			j.Set(2*i+1, k, d.Y)
		}
		more, less := m.believed.misses(on), m.believed.misses(back)
		for i := range own {
			j.Set(2*len(m.px)+i, k, (less[i]-more[i])*m.markU/(2*h))
		}
	}
	return j, r
}

// believedPoses is where the camera is believed to stand, aimed at the points, as long
// a lens as their pixels lie apart; none where too little is believed.
func (m seenPoints) believedPoses() []cameraPose {
	b := m.believed
	if b.HeightU == 0 || b.DistanceU == 0 || b.LooksU == 0 {
		return nil
	}
	var aim r3.Vec
	var at r2.Vec
	for i, p := range m.space {
		aim = r3.Add(aim, r3.Scale(1/float64(len(m.space)), p))
		at = r2.Add(at, r2.Scale(1/float64(len(m.px)), m.px[i]))
	}
	looks := r2.Unit(b.Looks)
	from := r3.Vec{X: -b.Distance * looks.X, Y: -b.Distance * looks.Y, Z: b.Height}
	ahead := r3.Unit(r3.Sub(aim, from))
	right := r3.Unit(r3.Cross(ahead, r3.Vec{Z: 1}))
	down := r3.Cross(ahead, right)
	wide, apart := 0.0, 0.0
	for i, p := range m.space {
		d := r3.Sub(p, from)
		wide += math.Hypot(r3.Dot(d, right), r3.Dot(d, down)) / r3.Dot(d, ahead)
		apart += r2.Norm(r2.Sub(m.px[i], at))
	}
	if wide == 0 || apart == 0 {
		return nil
	}
	// The axis goes through the picture's middle: the camera is turned until the points
	// lie where they are seen.
	f := apart / wide
	off := r2.Scale(1/f, r2.Sub(at, m.middle))
	ahead = r3.Unit(r3.Sub(ahead, r3.Add(r3.Scale(off.X, right), r3.Scale(off.Y, down))))
	right = r3.Unit(r3.Cross(ahead, r3.Vec{Z: 1}))
	down = r3.Cross(ahead, right)
	return []cameraPose{poseFrom(f, right, down, [3]float64{-r3.Dot(right, from), -r3.Dot(down, from), -r3.Dot(ahead, from)})}
}

// refine makes the misses smallest, by Levenberg and Marquardt.
func (m seenPoints) refine(s cameraPose) (cameraPose, float64, bool) {
	sum := func(s cameraPose) float64 {
		out := m.onPicture(s)
		for _, v := range m.believed.misses(s) {
			out += v * v * m.markU * m.markU
		}
		return out
	}
	now, damp := sum(s), 1e-3
	if math.IsInf(now, 0) || math.IsNaN(now) {
		return s, 0, false
	}
	for range 100 {
		j, r := m.misses(s)
		var a mat.Dense
		a.Mul(j.T(), j)
		var b mat.VecDense
		b.MulVec(j.T(), r)
		better := false
		for range 12 {
			damped := mat.DenseCopyOf(&a)
			for k := range s {
				damped.Set(k, k, a.At(k, k)*(1+damp)+1e-12)
			}
			var step mat.VecDense
			if step.SolveVec(damped, &b) != nil {
				damp *= 10
				continue
			}
			next := s
			for k := range s {
				next[k] += step.AtVec(k)
			}
			if got := sum(next); got < now {
				small := now-got < 1e-12*(1+now)
				s, now, damp, better = next, got, math.Max(damp/10, 1e-12), !small
				break
			}
			damp *= 10
		}
		if !better {
			break
		}
	}
	return s, now, !math.IsNaN(now)
}

// initialPoses are first guesses: from the direct linear transformation where the
// points allow it, else from their plane at several focal lengths.
func initialPoses(space []r3.Vec, px []r2.Vec, middle r2.Vec) []cameraPose {
	var out []cameraPose
	if v, err := NewView(space, px, 1); err == nil {
		// The rows are f·r1 + cx·r3, f·r2 + cy·r3 and r3.
		m := v.at
		r3v := r3.Vec{X: m[8], Y: m[9], Z: m[10]}
		a, b := r3.Sub(r3.Vec{X: m[0], Y: m[1], Z: m[2]}, r3.Scale(middle.X, r3v)), r3.Sub(r3.Vec{X: m[4], Y: m[5], Z: m[6]}, r3.Scale(middle.Y, r3v))
		f := (r3.Norm(a) + r3.Norm(b)) / 2
		if f > 1 {
			out = append(out, poseFrom(f, a, b, [3]float64{(m[3] - middle.X*m[11]) / f, (m[7] - middle.Y*m[11]) / f, m[11]}))
		}
	}
	wide := math.Max(2*math.Max(middle.X, middle.Y), 100)
	space, px = groundPoints(space, px)
	flat, to, ok := planarFrame(space)
	if !ok {
		return out
	}
	g, err := NewGroundPlane(flat, px, 1)
	if err != nil {
		return out
	}
	for _, times := range []float64{0.6, 1, 1.6, 2.5, 4, 6.5, 10} {
		f := times * wide
		h := g.toPx
		col := func(i int) r3.Vec {
			return r3.Vec{X: (h[i] - middle.X*h[6+i]) / f, Y: (h[3+i] - middle.Y*h[6+i]) / f, Z: h[6+i]}
		}
		c0, c1, t := col(0), col(1), col(2)
		scale := 2 / (r3.Norm(c0) + r3.Norm(c1))
		if g.side < 0 {
			scale = -scale
		}
		c0, c1, t = r3.Unit(r3.Scale(scale, c0)), r3.Scale(scale, c1), r3.Scale(scale, t)
		c1 = r3.Unit(r3.Sub(c1, r3.Scale(r3.Dot(c0, c1), c0)))
		c2 := r3.Cross(c0, c1)
		// The plane's axes u, v, w lie at the columns; turn them to x, y, z.
		row := func(pick func(r3.Vec) float64) r3.Vec {
			return r3.Add(r3.Scale(pick(c0), to[0]), r3.Add(r3.Scale(pick(c1), to[1]), r3.Scale(pick(c2), to[2])))
		}
		x, y, z := row(func(v r3.Vec) float64 { return v.X }), row(func(v r3.Vec) float64 { return v.Y }), row(func(v r3.Vec) float64 { return v.Z })
		o := to[3]
		out = append(out, poseFrom(f, x, y, [3]float64{t.X - r3.Dot(x, o), t.Y - r3.Dot(y, o), t.Z - r3.Dot(z, o)}))
	}
	return out
}

// groundPoints keeps the points that lie as low as the lowest, if they are enough.
func groundPoints(space []r3.Vec, px []r2.Vec) ([]r3.Vec, []r2.Vec) {
	low := math.Inf(1)
	for _, p := range space {
		low = math.Min(low, p.Z)
	}
	var on []r3.Vec
	var seen []r2.Vec
	for i, p := range space {
		if p.Z < low+0.02 {
			on, seen = append(on, p), append(seen, px[i])
		}
	}
	if len(on) < leastSeen {
		return space, px
	}
	return on, seen
}

// planarFrame puts points on the plane through them: the plane's axes u, v and normal
// w, and its origin.
func planarFrame(space []r3.Vec) (flat []r2.Vec, to [4]r3.Vec, ok bool) {
	var c r3.Vec
	for _, p := range space {
		c = r3.Add(c, r3.Scale(1/float64(len(space)), p))
	}
	a := mat.NewDense(len(space), 3, nil)
	for i, p := range space {
		d := r3.Sub(p, c)
		a.SetRow(i, []float64{d.X, d.Y, d.Z})
	}
	var svd mat.SVD
	if !svd.Factorize(a, mat.SVDThin) {
		return nil, to, false
	}
	var v mat.Dense
	svd.VTo(&v)
	col := func(k int) r3.Vec { return r3.Vec{X: v.At(0, k), Y: v.At(1, k), Z: v.At(2, k)} }
	to = [4]r3.Vec{col(0), col(1), r3.Cross(col(0), col(1)), c}
	for _, p := range space {
		d := r3.Sub(p, c)
		flat = append(flat, r2.Vec{X: r3.Dot(d, to[0]), Y: r3.Dot(d, to[1])})
	}
	return flat, to, true
}

// poseFrom is a stand from its focal length, the directions of the picture's x
// and y, nearly square to each other, and its shift.
func poseFrom(f float64, x, y r3.Vec, t [3]float64) cameraPose {
	x = r3.Unit(x)
	y = r3.Unit(r3.Sub(y, r3.Scale(r3.Dot(x, y), x)))
	z := r3.Cross(x, y)
	// Axis and angle of the turn whose rows are x, y, z.
	cos := clamp((x.X+y.Y+z.Z-1)/2, -1, 1)
	angle := math.Acos(cos)
	turn := r3.Vec{X: z.Y - y.Z, Y: x.Z - z.X, Z: y.X - x.Y}
	if n := r3.Norm(turn); n > 1e-9 {
		turn = r3.Scale(angle/n, turn)
	} else if angle > 1 { // half a turn: the axis stays
		v := r3.Vec{X: math.Sqrt(math.Max(0, (x.X+1)/2)), Y: math.Sqrt(math.Max(0, (y.Y+1)/2)), Z: math.Sqrt(math.Max(0, (z.Z+1)/2))}
		if v.X > 0 {
			v.Y, v.Z = math.Copysign(v.Y, x.Y), math.Copysign(v.Z, x.Z)
		} else {
			v.Z = math.Copysign(v.Z, y.Z)
		}
		turn = r3.Scale(angle, axis(v))
	}
	return cameraPose{math.Log(f), turn.X, turn.Y, turn.Z, t[0], t[1], t[2]}
}

func clamp(v, low, high float64) float64 { return math.Min(math.Max(v, low), high) }
