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

// Resect finds where a phone stood, how it was turned and its focal length, from
// four or more points whose places are known (m) and their pixels, marked to
// markU: space resection by least squares on the picture. The points may lie on
// the ground, all of them; some at other heights tell the focal length better.
func Resect(space []r3.Vec, px []r2.Vec, middle r2.Vec, markU float64) (View, error) {
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
	for _, start := range initialPoses(space, px, middle) {
		if s, sum, ok := refinePose(start, space, px, middle); ok && sum < found {
			best, found = s, sum
		}
	}
	lost := errors.New("no camera sees these points so: look at their places and pixels again, and spread them over the ground")
	n := 2 * len(px)
	if math.IsInf(found, 1) {
		return View{}, lost
	}
	out := View{at: best.view(middle), RMS: math.Sqrt(found / float64(n))}
	out.scale = out.at.scale(space)
	for _, p := range space {
		if out.at.row(2, p) <= 0 {
			return View{}, lost
		}
	}
	u := markU
	if free := n - len(best); free > 0 { // what the points themselves say, where that is worse
		u = math.Max(u, math.Sqrt(found/float64(free)))
	}
	j, _ := best.misses(space, px, middle)
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

// misses are by how much the points' pixels are missed, px, and how that changes
// with each of the seven numbers.
func (s cameraPose) misses(space []r3.Vec, px []r2.Vec, middle r2.Vec) (*mat.Dense, *mat.VecDense) {
	j, r := mat.NewDense(2*len(px), len(s), nil), mat.NewVecDense(2*len(px), nil)
	at := s.view(middle)
	for i, p := range space {
		d := r2.Sub(px[i], at.px(p))
		r.SetVec(2*i, d.X)
		r.SetVec(2*i+1, d.Y)
	}
	for k := range s {
		const h = 1e-6
		on, back := s, s
		on[k] += h
		back[k] -= h
		a, b := on.view(middle), back.view(middle)
		for i, p := range space {
			d := r2.Scale(1/(2*h), r2.Sub(a.px(p), b.px(p)))
			j.Set(2*i, k, d.X)
			j.Set(2*i+1, k, d.Y)
		}
	}
	return j, r
}

// refinePose makes the misses on the picture smallest, by Levenberg and Marquardt.
func refinePose(s cameraPose, space []r3.Vec, px []r2.Vec, middle r2.Vec) (cameraPose, float64, bool) {
	sum := func(s cameraPose) float64 {
		at, out := s.view(middle), 0.0
		for i, p := range space {
			if at.row(2, p) <= 0 {
				return math.Inf(1)
			}
			out += r2.Norm2(r2.Sub(px[i], at.px(p)))
		}
		return out
	}
	now, damp := sum(s), 1e-3
	if math.IsInf(now, 0) || math.IsNaN(now) {
		return s, 0, false
	}
	for range 100 {
		j, r := s.misses(space, px, middle)
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
