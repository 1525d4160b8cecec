package measure

import (
	"math"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
	"neokinema/core/flight"
)

// freeFlight is place and velocity of an implement as it is let go, m and m/s.
type freeFlight struct{ at, v r3.Vec }

func (l freeFlight) elevation() float64 {
	return math.Atan2(l.v.Z, math.Hypot(l.v.X, l.v.Y)) * 180 / math.Pi
}

// released fits free fall to the implement's first pictures of flight.
func (p *evaluation) released() freeFlight {
	f, ok := p.frame("release")
	at := p.instant("release")
	if !ok {
		return freeFlight{v: r3.Vec{X: 1}}
	}
	var way []bodyAt
	l := body.Landmark("implement")
	for i := f; i < p.sheet.Timeline.Len() && len(way) < mostFlight; i++ {
		if len(way) >= leastFlight && p.sheet.Timeline.At(i)-p.sheet.Timeline.At(f) > longFlight {
			break
		}
		if len(way) < leastFlight {
			p.request("release", i, l)
		}
		fix, ok := p.sheet.reconstructed[i][l]
		if !ok {
			break
		}
		v := p.world(fix.At)
		t := p.real(p.sheet.Timeline.At(i) - at)
		v.Z += flight.G * t * t / 2
		way = append(way, bodyAt{t: t, frame: i, points: []r3.Vec{v}})
	}
	if len(way) < leastFlight {
		p.require("landmark", "implement@release", "place the implement on %d pictures in a row from the release on, on both films", leastFlight)
		return freeFlight{v: r3.Vec{X: 1}}
	}
	line := straight(way)
	mean, spread := 0.0, 0.0
	for _, m := range way {
		mean += m.t / float64(len(way))
	}
	var u r3.Vec
	for _, m := range way {
		spread += sq(m.t - mean)
		u = r3.Add(u, r3.Scale(1/float64(len(way)), p.sheet.reconstructed[m.frame][l].U()))
	}
	n := math.Sqrt(float64(len(way)))
	gate := func(s string, v, u r3.Vec) r3.Vec { return r3.Add(v, p.shift3(source{what: s}, u)) }
	// The line's middle and its slope are known independently of each other.
	middle := gate("placing the implement in flight", r3.Add(line[0], r3.Scale(mean, line[1])), r3.Scale(1/n, u))
	v := gate("way of the implement in flight", line[1], r3.Scale(1/math.Sqrt(spread), u))
	// Where the cameras stood moves all of its places alike, and stretches the way.
	v = r3.Scale(1+p.input(plain("known points"), 0, worldU), v)
	return freeFlight{r3.Sub(middle, r3.Scale(mean, v)), v}
}

// worldU is how well the known points tell lengths, as a share.
const worldU = 0.01

func attackSpace(p *evaluation) float64 {
	names := p.measure.Points // back, front
	sum, n := 0.0, 0
	for i, f := range p.attitudeFrames() {
		if i > 0 {
			for _, name := range names {
				p.request(p.keyID, f, body.Landmark(name))
			}
			if !p.seenNear(f, body.Landmark(names[0])) || !p.seenNear(f, body.Landmark(names[1])) {
				continue
			}
		}
		back, front := p.spaceAt(p.keyID, f, names[0], i == 0), p.spaceAt(p.keyID, f, names[1], i == 0)
		sum += steep(front, back)
		n++
	}
	if n == 0 {
		return 0
	}
	return sum/float64(n) - p.released().elevation() + p.wobbling(n)
}

func yaw(p *evaluation) float64 {
	m := p.measure.Points
	shaft := r3.Sub(p.space(p.keyID, m[1]), p.space(p.keyID, m[0]))
	v := p.released().v
	return wrap(math.Atan2(shaft.Y, shaft.X)*180/math.Pi - math.Atan2(v.Y, v.X)*180/math.Pi)
}

// A wobble is read over so many seconds of flight; half a swing takes about the
// least.
const (
	longWobble  = 0.15
	leastWobble = 0.08
)

func wobble(p *evaluation) float64 {
	f, ok := p.frame(p.keyID)
	if !ok {
		return 0
	}
	names := p.measure.Points // back, front
	to, end := f, f
	for end < p.sheet.Timeline.Len()-1 && p.sheet.Timeline.At(end)-p.sheet.Timeline.At(f) < longWobble {
		end++
	}
	for to < end && p.seenNear(to+1, body.Landmark(names[0])) && p.seenNear(to+1, body.Landmark(names[1])) {
		to++
	}
	if p.sheet.Timeline.At(to)-p.sheet.Timeline.At(f) < leastWobble {
		for _, name := range names {
			p.toFollow = append(p.toFollow, Followed{body.Landmark(name), f, end, p.measure.Name})
		}
		p.require("path", p.keyID, "follow both edges for %.2f s or more of flight, on both films", leastWobble)
		return 0
	}
	way := p.course(f, to, names...)
	if len(way) == 0 {
		return 0
	}
	high, low := p.extreme(way, names, 1, tip), p.extreme(way, names, -1, tip)
	return (high - low) / 2
}

func tip(v []r3.Vec) float64 { return steep(v[1], v[0]) }

func landAzimuth(p *evaluation) float64 {
	out := p.released()
	t := (out.v.Z + math.Sqrt(math.Max(0, out.v.Z*out.v.Z+2*flight.G*out.at.Z))) / flight.G
	return p.about(azimuth(r3.Add(out.at, r3.Scale(t, out.v))))
}

// fitted is place, velocity and acceleration of the first point of a way at an
// instant: of the parabola through all its pictures.
func fitted(way []bodyAt, when float64) [3]r3.Vec {
	a, b := mat.NewDense(len(way), 3, nil), mat.NewDense(len(way), 3, nil)
	for i, m := range way {
		d := m.t - when
		q := m.points[0]
		a.SetRow(i, []float64{1, d, d * d / 2})
		b.SetRow(i, []float64{q.X, q.Y, q.Z})
	}
	return solved(a, b)
}

// straight is place at the instant 0 and velocity of the line through a way.
func straight(way []bodyAt) [3]r3.Vec {
	a, b := mat.NewDense(len(way), 2, nil), mat.NewDense(len(way), 3, nil)
	for i, m := range way {
		q := m.points[0]
		a.SetRow(i, []float64{1, m.t})
		b.SetRow(i, []float64{q.X, q.Y, q.Z})
	}
	return solved(a, b)
}

func solved(a, b *mat.Dense) (out [3]r3.Vec) {
	var c mat.Dense
	if c.Solve(a, b) != nil {
		return out
	}
	rows, _ := c.Dims()
	for i := range rows {
		out[i] = r3.Vec{X: c.At(i, 0), Y: c.At(i, 1), Z: c.At(i, 2)}
	}
	return out
}

func edge(p *evaluation) float64 {
	m := p.measure.Points
	at := func(i int) r3.Vec { return p.space(p.keyID, m[i]) }
	out, ahead := r3.Sub(at(1), at(0)), r3.Unit(r3.Sub(at(3), at(2)))
	side := r3.Unit(r3.Vec{X: ahead.Y, Y: -ahead.X})
	const spinU = 5.0 // degrees: the disc spins between the two films' pictures
	return math.Atan2(r3.Dot(out, r3.Cross(side, ahead)), r3.Dot(out, side))*180/math.Pi + p.input(plain("the disc spins between the two films' pictures"), 0, spinU)
}
