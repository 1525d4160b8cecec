// Package bodyfit fits a body in three dimensions to the paths of its landmarks on one
// film. Unknown are the places of all points on evenly spaced nodes of time, the
// lengths of the limbs, and by how much the camera is off. Each piece of knowledge is a
// residual in units of its standard uncertainty: where the film shows a point, limbs
// that keep their length, knees that bend forward, feet that stand still on the ground,
// movement that is smooth, free fall. The sum of their squares is made least by
// Levenberg and Marquardt's method; the normal equations are banded in time, bordered
// by what all nodes share. The world is that of the known points: m, x along the throw
// or run, y to its left, z up.
package bodyfit

import (
	"cmp"
	"context"
	"errors"
	"math"
	"math/rand/v2"
	"slices"

	"gonum.org/v1/gonum/spatial/r2"
	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
	"neokinema/core/optics"
)

// NodesPerSecond is how close nodes lie: jerks of athletes are smooth over four.
const NodesPerSecond = 60

// Seen is where a point is on a picture, px, with its standard uncertainty along an axis.
type Seen struct {
	Px r2.Vec
	U  float64
}

// Picture is what one picture shows, as its still camera would see it: a camera that
// moves is taken out before.
type Picture struct {
	T    float64 // s
	Seen map[body.Landmark]Seen
}

// Contact is what a foot does at a node.
type Contact int8

// A foot is in the air, on the ground, or nobody knows.
const (
	InAir Contact = iota
	OnGround
	Unknown
)

// Problem is what is known of one attempt on one film.
type Problem struct {
	Times     []float64 // of the nodes, s, evenly spaced; four and more
	Pictures  []Picture // within them
	View      optics.View
	Feet      map[body.Side][]Contact // by node
	Flies     []bool                  // the implement is out of the hand, by node; nil: never
	HeightM   float64                 // standing
	Sex       body.Sex
	Implement Implement
	Start     func(t float64) map[body.Landmark]r3.Vec // a movement like this one to start from; it does not pull
}

// Check tells what a problem lacks.
func (p Problem) Check() error {
	switch {
	case len(p.Times) < leastNodes:
		return errors.New("the film is too short to be fitted: four key positions of time are not between its ends")
	case p.HeightM <= 0:
		return errors.New("say how tall the athlete is: limbs are told by it")
	case len(p.Feet[body.Left]) != len(p.Times) || len(p.Feet[body.Right]) != len(p.Times) || p.Flies != nil && len(p.Flies) != len(p.Times):
		return errors.New("contacts are not told for every node")
	}
	seen := 0
	for _, picture := range p.Pictures {
		seen += len(picture.Seen)
	}
	if least := leastSeen * len(p.Times); seen < least {
		return errors.New("too few points are known on the film's pictures to fit a body: follow the points, or let the film be read")
	}
	return nil
}

// leastNodes is how many a movement between them needs.
const leastNodes = 4

// leastSeen is how many points a node must be told by, on average.
const leastSeen = 6

// Fit is a body that was fitted.
type Fit struct {
	*system
	x      []float64
	factor factored
	Cost   float64
	Shares map[string]*Share // of the cost, by kinds of residuals
	Rounds int
	Rested bool // it came to rest within its rounds
}

// How the search goes: on every third node first, whose movement the whole is started
// from. Lengths are soft at first, since stiff ones let places move by small steps only,
// and stiffen by halves.
const (
	stride     = 3
	softest    = 8.0
	mostRounds = 40 // of each of both
	mostTries  = 8
	resting    = 1e-3 // the share of the cost that a round no longer gains
	roughly    = 1e-2 // and on every third node
)

// ErrSingular tells that what is known leaves places open.
var ErrSingular = errors.New("what is known of the film leaves open where the body is")

// Find fits the body. Progress, where it is not nil, is told how much of the work is
// done at the latest.
func Find(ctx context.Context, p Problem, progress func(done, of int)) (*Fit, error) {
	if err := p.Check(); err != nil {
		return nil, err
	}
	if progress == nil {
		progress = func(int, int) {}
	}
	const whole = stride*mostRounds + mostRounds
	soft := softest
	if coarse := p.every(stride); len(coarse.Times) >= leastNodes {
		rough, err := coarse.search(ctx, soft, roughly, func(round int) { progress(round, whole) })
		if err != nil {
			return nil, err
		}
		start, end := rough.Times[0], rough.Times[len(rough.Times)-1]
		pose := p.Start
		p.Start = func(t float64) map[body.Landmark]r3.Vec {
			if t < start || t > end {
				return pose(t)
			}
			return rough.pose(t)
		}
		soft = 2
	}
	out, err := p.search(ctx, soft, resting, func(round int) { progress(mostRounds+stride*round, whole) })
	if err != nil {
		return nil, err
	}
	out.held = false // what the camera leaves open goes into the ±
	n := &normal{m: newBordered(len(out.Times), out.size, reach, out.doubts+len(stretches)), g: make([]float64, len(out.x)), kind: map[string]*Share{}}
	out.sum(out.x, n)
	out.Cost, out.Shares = n.cost, n.kind
	if !out.factor.cholesky(n.m, 0) {
		return nil, ErrSingular
	}
	return out, nil
}

// every is the problem on some of its nodes, and on as many of its pictures.
func (p Problem) every(stride int) Problem {
	out := p
	out.Times, out.Pictures, out.Flies, out.Feet = nil, nil, nil, map[body.Side][]Contact{}
	for t := 0; t < len(p.Times); t += stride {
		out.Times = append(out.Times, p.Times[t])
		if p.Flies != nil {
			out.Flies = append(out.Flies, p.Flies[t])
		}
		for side, foot := range p.Feet {
			out.Feet[side] = append(out.Feet[side], foot[t])
		}
	}
	pictures := slices.Clone(p.Pictures)
	slices.SortFunc(pictures, func(a, b Picture) int { return cmp.Compare(a.T, b.T) })
	end := out.Times[len(out.Times)-1]
	for i := 0; i < len(pictures) && pictures[i].T <= end; i += stride {
		out.Pictures = append(out.Pictures, pictures[i])
	}
	return out
}

// search makes the cost least from the movement to start from.
func (p Problem) search(ctx context.Context, soft, rests float64, told func(round int)) (*Fit, error) {
	s := newSystem(p)
	x := make([]float64, s.numbers())
	for t, when := range p.Times {
		pose := p.Start(when)
		for i, l := range s.points {
			put(x, t*s.size+3*i, pose[l])
		}
	}
	matrix := func() *bordered { return newBordered(len(p.Times), s.size, reach, s.doubts+len(stretches)) }
	out := &Fit{system: s, x: x, factor: factored{matrix()}}
	s.soft, s.held = soft, true
	n := &normal{m: matrix(), g: make([]float64, len(x))}
	s.sum(x, n)
	step, trial := make([]float64, len(x)), make([]float64, len(x))
	damp, still := 1e-3, 0
	for out.Rounds < mostRounds && !out.Rested {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		out.Rounds++
		told(out.Rounds)
		gain := 0.0
		for range mostTries {
			if !out.factor.cholesky(n.m, damp) {
				damp *= 10
				continue
			}
			for i := range step {
				step[i] = -n.g[i]
			}
			out.factor.forward(step)
			out.factor.backward(step)
			for i := range x {
				trial[i] = x[i] + step[i]
			}
			only := &normal{}
			if s.sum(trial, only); only.cost < n.cost {
				gain = (n.cost - only.cost) / n.cost
				copy(x, trial)
				damp = math.Max(damp/8, 1e-9)
				break
			}
			damp *= 6
		}
		switch {
		case s.soft > 1 && gain < 0.03:
			s.soft = math.Max(1, s.soft/2)
			damp, still = math.Max(damp, 1e-6), 0
		case gain < rests:
			still++
		default:
			still = 0
		}
		out.Rested = s.soft == 1 && still > 1
		s.sum(x, n)
	}
	return out, nil
}

// pose is the whole fitted body at a time.
func (f *Fit) pose(t float64) map[body.Landmark]r3.Vec {
	out := make(map[body.Landmark]r3.Vec, len(f.points))
	for i, l := range f.points {
		out[l] = f.place(f.x, t, i)
	}
	return out
}

// Good reports whether a fit can be trusted, or why not: a fit that may be wrong shows
// no numbers.
func (f *Fit) Good() error {
	per := func(kind string) float64 {
		if s := f.Shares[kind]; s != nil {
			return s.Cost / float64(s.N)
		}
		return 0
	}
	switch {
	case !f.Rested:
		return errors.New("the fit of the body does not come to rest: look at the key positions and at the points that are unsure")
	case per("stretches") > mostStretched:
		return errors.New("the limbs come out too long or too short: look at the athlete's height, at the circle, and at the points that are unsure")
	case per("knees") > mostBent || per("lengths") > mostOff || per("ground") > mostOff || per("film") > mostMissed:
		return errors.New("no body moves as the points say: look at the points that are unsure, at left and right, and at the key positions")
	}
	return nil
}

// What a good fit costs at most for each number, square standard uncertainties.
const (
	mostStretched = 1.5
	mostBent      = 0.5
	mostOff       = 0.3
	mostMissed    = 1.5
)

// Movements are those that a film allows: the best one, and others that stand for what
// it leaves open. Places are m by node and point, three numbers each.
type Movements struct {
	Times  []float64
	Points []body.Landmark
	Best   []float32
	Draws  [][]float32
}

// Movements are the best one and n draws.
func (f *Fit) Movements(n int, seed uint64) Movements {
	out := Movements{Times: f.Times, Points: f.points, Best: narrow(f.x[:f.shared])}
	r := rand.New(rand.NewPCG(seed, uint64(n)))
	x := make([]float64, len(f.x))
	for range n {
		for i := range x {
			x[i] = r.NormFloat64()
		}
		f.factor.backward(x)
		for i := range x {
			x[i] += f.x[i]
		}
		out.Draws = append(out.Draws, narrow(x[:f.shared]))
	}
	return out
}

func narrow(x []float64) []float32 {
	out := make([]float32, len(x))
	for i, v := range x {
		out[i] = float32(v)
	}
	return out
}

// Pose is the whole body at a time, by one of the movements' places; none before or
// after them.
func (m Movements) Pose(places []float32, t float64) map[body.Landmark]r3.Vec {
	n := len(m.Times)
	dt := m.Times[1] - m.Times[0]
	if t < m.Times[0]-dt/2 || t > m.Times[n-1]+dt/2 {
		return nil
	}
	from, many, w := between(m.Times, t)
	out := make(map[body.Landmark]r3.Vec, len(m.Points))
	for i, l := range m.Points {
		var p r3.Vec
		for k := range many {
			at := 3 * ((from+k)*len(m.Points) + i)
			p = r3.Add(p, r3.Scale(w[k], r3.Vec{X: float64(places[at]), Y: float64(places[at+1]), Z: float64(places[at+2])}))
		}
		out[l] = p
	}
	return out
}
