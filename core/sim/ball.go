package sim

import (
	"math"

	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/flight"
)

// orbit is the course of a hammer's ball as it is planned: its direction from
// the middle of the shoulders. All but the azimuth are given over the azimuth,
// degrees that go on from turn to turn.
type orbit struct {
	azimuth                  track // over time
	slope, low, floor, reach track
	cord                     float64
}

// elevation of the ball over the shoulders at an azimuth, degrees.
func (o *orbit) elevation(azimuth float64) float64 {
	slope := o.slope.at(azimuth)
	return slope - o.floor.at(azimuth) - slope*cos(azimuth-o.low.at(azimuth))
}

func (o *orbit) direction(t float64) r3.Vec {
	az := o.azimuth.at(t)
	d, up := toward(az), o.elevation(az)
	return r3.Vec{X: d.X * cos(up), Y: d.Y * cos(up), Z: sin(up)}
}

// freely is the share of the double support's pull along the path that a
// thrower on one foot can give.
const freely = 0.08

// passages are the instants at which the ball passes azimuths from the entry to the
// last: its energy over the mass, v²/2 + g·z, grows evenly over the azimuth
// while both feet stand, hardly on one foot; so it is a little slower where it
// is high. How far it goes for a degree, and how high it is, come from the
// movement laid out before.
func (p *plan) passages(o *orbit, last float64, single [][2]float64) []knot {
	const step = 3.0
	n := int(math.Ceil(last / step))
	way, high := p.travelled(o, last)
	push := make([]float64, n+1) // share of the work done by each azimuth
	for i := 1; i <= n; i++ {
		mid, gain := (float64(i)-0.5)*last/float64(n), 1.0
		for _, s := range single {
			if mid > s[0] && mid < s[1] {
				gain = freely
			}
		}
		push[i] = push[i-1] + gain
	}
	e0 := sq(p.get("entry-speed"))/2 + flight.G*high.at(0)
	e1 := sq(p.get("speed"))/2 + flight.G*high.at(last)
	knots := make([]knot, 0, n+2)
	t := 0.0
	for i := range n {
		mid := (float64(i) + 0.5) * last / float64(n)
		v := math.Sqrt(2 * (e0 + (e1-e0)*(push[i]+push[i+1])/2/push[n] - flight.G*high.at(mid)))
		t += way.at(mid) * last / float64(n) / v
		knots = append(knots, knot{t, float64(i+1) * last / float64(n)})
	}
	end, before := knots[n-1], knots[n-2]
	on := (end.v - before.v) / (end.t - before.t)
	return append(knots, knot{end.t + 0.1, end.v + 0.1*on})
}

// travelled is how far the ball goes for a degree of azimuth, m, and how high
// it is, m, over the azimuth.
func (p *plan) travelled(o *orbit, last float64) (way, high track) {
	if p.before == nil {
		r := p.pr.armLength() + p.pr.Hand + o.cord - 0.25
		return steady(r * math.Pi / 180), newTrack(knot{0, 0}, knot{last, 0})
	}
	m, was := p.before, p.before.plan.swung
	release := m.Stamps["release"]
	n := int(release / 0.02)
	var ways, highs []knot
	at := m.implement(0, "implement")
	highs = append(highs, knot{0, at.Z})
	for i := range n {
		from, to := release*float64(i)/float64(n), release*float64(i+1)/float64(n)
		next := m.implement(to, "implement")
		a, b := was.azimuth.at(from), was.azimuth.at(to)
		ways = append(ways, knot{(a + b) / 2, r3.Norm(r3.Sub(next, at)) / (b - a)})
		highs = append(highs, knot{b, next.Z})
		at = next
	}
	return newTrack(ways...), newTrack(highs...)
}

// grip is where the hands hold, and the direction from there to the ball.
func (o *orbit) grip(p *plan, f *figure, t float64) (r3.Vec, r3.Vec) {
	pr := &p.pr
	d := o.direction(t)
	arm := 0.997 * pr.armLength()
	s := math.Sqrt(sq(r3.Dot(d, f.chest.y)) + 0.0003)
	if t < 0 {
		s *= 0.5 // in the winds the shoulder blade gives
	}
	r := -pr.ShoulderHalf*s + math.Sqrt(sq(arm)-sq(pr.ShoulderHalf)*(1-s*s))
	r = r*o.reach.at(t) + pr.Hand
	if p.event == "hammer" {
		r *= between(p.get("hand-reach")/100, 1, smooth((t+0.02)/0.3))
	}
	at := r3.Add(f.shoulders(), r3.Scale(r, d))
	if p.event == "weight" || t >= 0 {
		return at, d
	}
	// in the winds the hands pass over the head while the ball is behind
	az := o.azimuth.at(t)
	front := smooth((cos(az-20) + 0.55) / 1.1)
	ahead := at
	dir := toward(az)
	over := r3.Add(f.neck, r3.Add(r3.Scale(0.30*pr.armLength(), dir), r3.Vec{Z: 0.34 * pr.Height / 1.8}))
	at = mix(over, ahead, front)
	el := math.Asin(clamp(d.Z, -1, 1)) * 180 / math.Pi
	el = between(el*0.35, el, front)
	return at, r3.Vec{X: dir.X * cos(el), Y: dir.Y * cos(el), Z: sin(el)}
}
