package bodyfit

import (
	"math"
	"strings"

	"gonum.org/v1/gonum/spatial/r2"
	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
	"neokinema/core/flight"
)

// system is a problem with its unknowns numbered: three for each point of each node,
// then the camera's doubts, in standard uncertainties, then the stretches.
type system struct {
	Problem
	points []body.Landmark
	at     map[body.Landmark]int
	rods   []rod
	mass   []term
	dt     float64   // s, between nodes
	size   int       // numbers of a node
	shared int       // first shared number
	doubts int       // of the camera
	zoom   []float64 // by how much a metre looks larger, as a share, for each doubt
	soft   float64   // by how many times more than in the end lengths may vary
	held   bool      // the camera's doubts are held at none
}

// reach is over how many nodes a residual couples.
const reach = 3

func newSystem(p Problem) *system {
	s := &system{Problem: p, points: p.Implement.points(), at: map[body.Landmark]int{}, dt: p.Times[1] - p.Times[0], soft: 1, doubts: p.View.Doubts()}
	for i, l := range s.points {
		s.at[l] = i
	}
	s.rods, s.mass = rods(p, s.at), masses(p.Sex, s.at)
	s.size = 3 * len(s.points)
	s.shared = len(p.Times) * s.size
	middle := r3.Vec{}
	for t := range p.Times {
		pose := p.Start(p.Times[t])
		middle = r3.Add(middle, r3.Scale(0.5/float64(len(p.Times)), r3.Add(pose["hip.L"], pose["hip.R"])))
	}
	up := r3.Add(middle, r3.Vec{Z: 0.5})
	down := r3.Sub(middle, r3.Vec{Z: 0.5})
	high := r2.Norm(r2.Sub(p.View.Px(up), p.View.Px(down)))
	for k := range s.doubts {
		off := r2.Add(r2.Sub(p.View.Px(up), p.View.Px(down)), r2.Sub(p.View.Doubt(k, up), p.View.Doubt(k, down)))
		s.zoom = append(s.zoom, r2.Norm(off)/high-1)
	}
	return s
}

// open is how many of the camera's doubts a residual is told of: while it is held, none.
func (s *system) open() int {
	if s.held {
		return 0
	}
	return s.doubts
}

// numbers is how many are unknown.
func (s *system) numbers() int { return s.shared + s.doubts + len(stretches) }

// point is a point's place at a node, m.
func (s *system) point(x []float64, node, point int) r3.Vec {
	k := node*s.size + 3*point
	return r3.Vec{X: x[k], Y: x[k+1], Z: x[k+2]}
}

func put(x []float64, k int, v r3.Vec) { x[k], x[k+1], x[k+2] = v.X, v.Y, v.Z }

// normal gathers residuals into normal equations.
type normal struct {
	m    *bordered // nil: only the cost is wanted
	g    []float64 // Jᵀ·r
	cost float64
	cols []int
	vals []float64
	kind map[string]*Share // nil: not told apart
}

// Share is what residuals of a kind add to the cost.
type Share struct {
	Cost float64
	N    int
}

func (n *normal) set(col int, v float64) {
	if n.m != nil {
		n.cols, n.vals = append(n.cols, col), append(n.vals, v)
	}
}

// point sets the three columns of a point.
func (n *normal) point(col int, v r3.Vec) {
	n.set(col, v.X)
	n.set(col+1, v.Y)
	n.set(col+2, v.Z)
}

// outlier is beyond how many standard uncertainties a residual counts less and less
// (Cauchy's).
const outlier = 3

// row ends a residual in units of its standard uncertainty.
func (n *normal) row(kind string, miss float64, robust bool) {
	w, c := 1.0, miss*miss
	if robust {
		q := miss / outlier
		w, c = 1/(1+q*q), outlier*outlier*math.Log1p(q*q)
	}
	n.cost += c
	if n.kind != nil {
		if n.kind[kind] == nil {
			n.kind[kind] = &Share{}
		}
		n.kind[kind].Cost += c
		n.kind[kind].N++
	}
	for i, col := range n.cols {
		v := w * n.vals[i]
		n.g[col] += v * miss
		for j := 0; j <= i; j++ {
			if n.cols[j] == col && i != j {
				n.m.add(col, col, 2*v*n.vals[j])
				continue
			}
			n.m.add(col, n.cols[j], v*n.vals[j])
		}
	}
	n.cols, n.vals = n.cols[:0], n.vals[:0]
}

// sum gathers all residuals at x.
func (s *system) sum(x []float64, n *normal) {
	n.cost = 0
	if n.m != nil {
		n.m.clear()
		clear(n.g)
	}
	s.film(x, n)
	for k := range s.doubts {
		n.set(s.shared+k, 1)
		n.row("camera", x[s.shared+k], false)
	}
	for k := range stretches {
		n.set(s.shared+s.doubts+k, 1/stretchU)
		n.row("stretches", x[s.shared+s.doubts+k]/stretchU, false)
	}
	for t := range s.Times {
		s.lengths(x, n, t)
		s.joints(x, n, t)
		for _, side := range []body.Side{body.Left, body.Right} {
			s.ground(x, n, t, side)
		}
		s.smooth(x, n, t)
		s.fall(x, n, t)
	}
}

// between are the nodes about a time and their weights: a cubic through four.
func between(times []float64, t float64) (from, n int, w [4]float64) {
	at := (t - times[0]) / (times[1] - times[0])
	if i := math.Round(at); math.Abs(at-i) < 1e-6 && i >= 0 && int(i) < len(times) {
		return int(i), 1, [4]float64{1}
	}
	from = min(max(int(math.Floor(at))-1, 0), len(times)-4)
	for i := range 4 {
		w[i] = 1
		for j := range 4 {
			if i != j {
				w[i] *= (at - float64(from+j)) / float64(i-j)
			}
		}
	}
	return from, 4, w
}

// place is where a point is at a time.
func (s *system) place(x []float64, t float64, point int) (p r3.Vec) {
	from, n, w := between(s.Times, t)
	for k := range n {
		p = r3.Add(p, r3.Scale(w[k], s.point(x, from+k, point)))
	}
	return p
}

// film is what the pictures show.
func (s *system) film(x []float64, n *normal) {
	for _, picture := range s.Pictures {
		from, many, w := between(s.Times, picture.T)
		for l, seen := range picture.Seen {
			i, fitted := s.at[l]
			if !fitted {
				continue
			}
			var p r3.Vec
			for k := range many {
				p = r3.Add(p, r3.Scale(w[k], s.point(x, from+k, i)))
			}
			px, dx, dy := s.View.Slopes(p)
			var doubt [8]r2.Vec
			for k := range s.open() {
				doubt[k] = s.View.Doubt(k, p)
				px = r2.Add(px, r2.Scale(x[s.shared+k], doubt[k]))
			}
			for axis, slope := range []r3.Vec{dx, dy} {
				for k := range many {
					n.point((from+k)*s.size+3*i, r3.Scale(w[k]/seen.U, slope))
				}
				for k := range s.open() {
					n.set(s.shared+k, along(doubt[k], axis)/seen.U)
				}
				n.row("film", along(r2.Sub(px, seen.Px), axis)/seen.U, true)
			}
		}
	}
}

func along(v r2.Vec, axis int) float64 {
	if axis == 0 {
		return v.X
	}
	return v.Y
}

// lengths keeps rods as long as they are.
func (s *system) lengths(x []float64, n *normal, t int) {
	base := t * s.size
	total := func(terms []term) (v r3.Vec) {
		for _, k := range terms {
			v = r3.Add(v, r3.Scale(k.w, s.point(x, t, k.point)))
		}
		return v
	}
	for i := range s.rods {
		q := &s.rods[i]
		if q.held && s.Flies != nil && s.Flies[t] {
			continue
		}
		d := r3.Sub(total(q.to), total(q.from))
		long, u := math.Max(r3.Norm(d), 1e-6), q.u*s.soft
		dir := r3.Scale(1/long/u, d)
		for _, k := range q.from {
			n.point(base+3*k.point, r3.Scale(-k.w, dir))
		}
		for _, k := range q.to {
			n.point(base+3*k.point, r3.Scale(k.w, dir))
		}
		want := q.length
		if q.stretch >= 0 {
			col := s.shared + s.doubts + q.stretch
			want *= math.Exp(x[col])
			n.set(col, -want/u)
		}
		n.row("lengths", (long-want)/u, false)
	}
}

// How joints bend, all standard uncertainties or limits.
const (
	kneeBehind = 0.01 // m, by which a knee may lie behind the line from hip to ankle, seen along the foot
	kneeU      = 0.03 // m
	hipSkew    = 0.22 // cosine of the angle between the trunk and the line of the hips
	topSkew    = 0.15 // and the line of the shoulders
	leastTwist = 0.17 // cosine of the most by which shoulders turn against hips, 80°
	twistU     = 0.1
)

// joints keeps knees bending over their feet, the trunk about square to hips and
// shoulders, and shoulders from turning too far against the hips.
func (s *system) joints(x []float64, n *normal, t int) {
	for _, side := range []string{".L", ".R"} {
		s.numeric(x, n, t, "knees", func(p []r3.Vec) float64 {
			out := r3.Sub(p[1], r3.Scale(0.5, r3.Add(p[0], p[2])))
			return math.Min(0, r3.Dot(out, unit(r3.Sub(p[4], p[3])))+kneeBehind) / kneeU
		}, s.at[body.Landmark("hip"+side)], s.at[body.Landmark("knee"+side)], s.at[body.Landmark("ankle"+side)], s.at[body.Landmark("heel"+side)], s.at[body.Landmark("toe"+side)])
	}
	trunk := []int{s.at["hip.R"], s.at["hip.L"], s.at["shoulder.R"], s.at["shoulder.L"]}
	for k, skew := range []float64{hipSkew, topSkew} {
		s.numeric(x, n, t, "trunk", func(p []r3.Vec) float64 {
			up := unit(r3.Sub(r3.Add(p[2], p[3]), r3.Add(p[0], p[1])))
			return r3.Dot(up, unit(r3.Sub(p[2*k+1], p[2*k]))) / skew
		}, trunk...)
	}
	s.numeric(x, n, t, "twist", func(p []r3.Vec) float64 {
		return math.Min(0, r3.Dot(unit(r3.Sub(p[1], p[0])), unit(r3.Sub(p[3], p[2])))-leastTwist) / twistU
	}, trunk...)
}

// unit is a direction; no direction of what has no length.
func unit(v r3.Vec) r3.Vec { return r3.Scale(1/math.Max(math.Sqrt(r3.Norm2(v)), 1e-9), v) }

// numeric adds a residual of a few points of a node, with its slopes by differences.
func (s *system) numeric(x []float64, n *normal, t int, kind string, of func([]r3.Vec) float64, points ...int) {
	p := make([]r3.Vec, len(points))
	for k, i := range points {
		p[k] = s.point(x, t, i)
	}
	v := of(p)
	if v == 0 {
		return
	}
	if n.m != nil {
		const step = 1e-5
		for k, i := range points {
			was := p[k]
			var slope [3]float64
			for axis, by := range []r3.Vec{{X: step}, {Y: step}, {Z: step}} {
				p[k] = r3.Add(was, by)
				slope[axis] = (of(p) - v) / step
			}
			p[k] = was
			n.point(t*s.size+3*i, r3.Vec{X: slope[0], Y: slope[1], Z: slope[2]})
		}
	}
	n.row(kind, v, false)
}

// What a foot does on the ground.
const (
	ballShare = 0.28  // of the sole, where the ball lies from the tip
	soleHigh  = 0.003 // m, of the lower end of a standing foot's sole
	groundU   = 0.008 // m
	ballHigh  = 0.02  // m, of its ball
	ballU     = 0.035
	slidingU  = 0.12 // m/s, along itself
	driftingU = 0.2  // m/s, of its stillest point across
)

// ground keeps feet out of the ground, and on it while they stand. A standing foot
// turns about a point of its sole: it does not slide along itself, and across, one of
// heel, ball and tip hardly moves.
func (s *system) ground(x []float64, n *normal, t int, side body.Side) {
	toe, heel := s.at[body.Landmark("toe."+string(side))], s.at[body.Landmark("heel."+string(side))]
	at, behind := s.point(x, t, toe), s.point(x, t, heel)
	height := func(i int) int { return t*s.size + 3*i + 2 }
	if s.Feet[side][t] != OnGround {
		for _, end := range []struct {
			i int
			z float64
		}{{toe, at.Z}, {heel, behind.Z}} {
			if end.z < 0 {
				n.set(height(end.i), 1/groundU)
				n.row("ground", end.z/groundU, false)
			}
		}
		return
	}
	lower, z := toe, at.Z
	if behind.Z < at.Z {
		lower, z = heel, behind.Z
	}
	n.set(height(lower), 1/groundU)
	n.row("ground", (z-soleHigh)/groundU, false)
	n.set(height(toe), (1-ballShare)/ballU)
	n.set(height(heel), ballShare/ballU)
	n.row("ground", ((1-ballShare)*at.Z+ballShare*behind.Z-ballHigh)/ballU, false)
	if t == 0 || s.Feet[side][t-1] != OnGround {
		return
	}
	toeWas, heelWas := s.point(x, t-1, toe), s.point(x, t-1, heel)
	forward := r3.Add(r3.Sub(at, behind), r3.Sub(toeWas, heelWas))
	forward.Z = 0
	if r3.Norm2(forward) < 1e-6 {
		return
	}
	forward = unit(forward)
	across := r3.Vec{X: -forward.Y, Y: forward.X}
	way := func(dir r3.Vec, share float64) float64 { // of the sole's point, 0 the heel, 1 the tip
		return r3.Dot(dir, r3.Add(r3.Scale(1-share, r3.Sub(behind, heelWas)), r3.Scale(share, r3.Sub(at, toeWas))))
	}
	still := func(dir r3.Vec, share, u float64) {
		u *= s.random()
		n.point(t*s.size+3*heel, r3.Scale((1-share)/u, dir))
		n.point(t*s.size+3*toe, r3.Scale(share/u, dir))
		n.point((t-1)*s.size+3*heel, r3.Scale(-(1-share)/u, dir))
		n.point((t-1)*s.size+3*toe, r3.Scale(-share/u, dir))
		n.row("still", way(dir, share)/u, true)
	}
	still(forward, 1-ballShare, slidingU)
	stillest := 0.0
	for _, share := range []float64{1 - ballShare, 1} {
		if math.Abs(way(across, share)) < math.Abs(way(across, stillest)) {
			stillest = share
		}
	}
	still(across, stillest, driftingU)
}

// usual is the distance between nodes, s, for which what varies at random from node to
// node is told; with other distances its sum over a second stays the same.
const usual = 1.0 / 120

// random is by how much a rate's standard deviation moves a point from node to node, s.
func (s *system) random() float64 { return math.Sqrt(s.dt * usual) }

// jerks are standard deviations along an axis, m/s³, as movements in athletics show
// them at 60 nodes a second: of the simulated athlete, and common practice.
var jerks = map[string]float64{
	"vertex": 2400, "neck": 2100, "shoulder": 2250, "elbow": 4500, "wrist": 6000, "knuckle": 6750, "hip": 1950, "knee": 4500, "ankle": 6000, "heel": 6750, "toe": 7500,
	"grip": 3750, "implement": 6750,
}

// rougher is by how much rougher it is about a landing or a take-off.
const rougher = 2.5

// smooth keeps third differences small. They are counted in metres of the size that is
// seen, so that a smaller body farther away is no smoother.
func (s *system) smooth(x []float64, n *normal, t int) {
	if t+3 >= len(s.Times) {
		return
	}
	contact := 1.0
	for k := t + 1; k <= t+3; k++ {
		for _, foot := range s.Feet {
			if foot[k] != foot[k-1] {
				contact = rougher
			}
		}
	}
	for i, l := range s.points {
		part, _, _ := strings.Cut(string(l), ".")
		if (part == "implement" || part == "grip") && s.Flies != nil && s.Flies[t+3] {
			continue // it leaves the hand, and gravity speaks of its flight
		}
		u := jerks[part] * s.dt * s.dt * s.dt * math.Sqrt(1.0/60/s.dt) * contact
		for axis := range 3 {
			v := 0.0
			for k, c := range [4]float64{-1, 3, -3, 1} {
				col := (t+k)*s.size + 3*i + axis
				n.set(col, c/u)
				v += c * x[col]
			}
			v /= u
			for k := range s.open() {
				n.set(s.shared+k, v*s.zoom[k])
			}
			n.row("smooth", v, true)
		}
	}
}

// fallU is by how much what falls freely may be off, m/s².
const fallU = 3

// fall lets the body fall freely while no foot stands, and the implement once it is
// let go.
func (s *system) fall(x []float64, n *normal, t int) {
	if t+2 >= len(s.Times) {
		return
	}
	u := fallU * s.dt * s.dt * math.Sqrt(usual/s.dt)
	free := func(of []term) {
		for axis := range 3 {
			v := 0.0
			for _, q := range of {
				for k, c := range [3]float64{1, -2, 1} {
					col := (t+k)*s.size + 3*q.point + axis
					n.set(col, c*q.w/u)
					v += c * q.w * x[col]
				}
			}
			if axis == 2 {
				v += flight.G * s.dt * s.dt
			}
			n.row("fall", v/u, false)
		}
	}
	if i, thrown := s.at["implement"]; thrown && s.Flies != nil && s.Flies[t] {
		free([]term{{i, 1}})
	}
	for k := t; k <= t+2; k++ {
		if s.Feet[body.Left][k] != InAir || s.Feet[body.Right][k] != InAir {
			return
		}
	}
	free(s.mass)
}
