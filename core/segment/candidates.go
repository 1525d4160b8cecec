package segment

import (
	"math"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/body"
	"neokinema/core/footfall"
	"neokinema/core/optics"
	"neokinema/core/signal"
)

// candidate is something that was found in time: a foot down or off, the
// implement let go or past the back, the hips at their highest.
type candidate struct {
	what string
	t, u float64
}

const (
	// moves is how far, leg lengths, a point has moved that has set off; moveReach
	// over which time before it is seen at rest, moveU how soft a beginning is, s.
	moves, moveReach, moveU = 0.012, 0.12, 0.008
	// about is over which time on each side a turning point is fitted, s.
	about = 0.06
	// stands out: by how much, leg lengths, a turning point must.
	standsOut = 0.08
	// What a flat view adds to the instants of turning points and passes, s.
	turningU, passU = 0.004, 0.005
	// What a flat view adds to a point's speed up and down, leg lengths a second:
	// any point's, for it comes and goes; the hips', of which the side sees one; an
	// implement's from the side and from behind.
	pointV, hipV, asideV, behindV = 0.2, 0.45, 0.9, 0.7
	// squareU is how far, radians, a camera stands off the throwing line unnoticed.
	squareU = optics.OffSquare * math.Pi / 180
	// besideU is by how much, s, a camera at the side misses the instant at which
	// an implement passes the back, offHips how far, leg lengths, the middle of its
	// circle lies beside the hips, both measured on the simulated athlete.
	besideU, offHips = 0.05, 0.09
)

// contacts are the feet's comings and goings.
func (s *paths) contacts(net footfall.MLP) []candidate {
	var out []candidate
	for _, side := range []body.Side{body.Left, body.Right} {
		toe, heel := s.of("toe", side), s.of("heel", side)
		if toe == nil || heel == nil || s.leg == 0 {
			continue
		}
		for _, t := range net.Touches(footfall.PointPair{T: s.times, A: toe, B: heel, Leg: s.leg}) {
			if t.Down != nil {
				out = append(out, candidate{"down " + string(side), t.Down.T, t.Down.U})
			}
			if t.Off != nil {
				out = append(out, candidate{"off " + string(side), t.Off.T, t.Off.U})
			}
		}
	}
	return out
}

// leaves is the last instant at which an implement begins to fly.
func (s *paths) leaves(way []footfall.Point, net footfall.MLP) (candidate, bool) {
	hand := s.way("throwing.knuckle")
	if hand == nil || s.leg == 0 {
		return candidate{}, false
	}
	var out candidate
	found := false
	for _, e := range net.Edges(footfall.PointPair{T: s.times, A: way, B: hand, Leg: s.leg}) {
		if e.Begins {
			out, found = candidate{leaves, e.At.T, e.At.U}, true
		}
	}
	if !found {
		out, found = s.slipsOut(way, hand)
	}
	if ball := s.sheet.Event.Ball; !found && ball != nil && ball.Pushed {
		return s.pushed(hand)
	}
	return out, found
}

// pushed is the instant at which a shot that is not seen to fly leaves the hand: as the
// hand, which was at its fastest upward, slows down to seven tenths of that (the
// simulated athlete, both shots, all views, 60 to 240 pictures a second: 1 ± 8 ms).
func (s *paths) pushed(hand []footfall.Point) (candidate, bool) {
	const (
		over     = 0.015 // s before and after over which speed is taken
		slower   = 0.7
		least    = 4.0 // leg lengths a second: what is slower is no put
		releaseU = 0.01
	)
	up := make([]float64, len(hand))
	best, surely := -1, 0.0 // how fast it rises at least
	for i := range hand {
		a, b := s.sheet.Timeline.Nearest(s.times[i]-over), s.sheet.Timeline.Nearest(s.times[i]+over)
		if a == i || b == i {
			a, b = max(0, i-1), min(len(hand)-1, i+1)
		}
		if !known(hand, a) || !known(hand, b) || a == b {
			continue
		}
		up[i] = (hand[b].At.Y - hand[a].At.Y) / (s.times[b] - s.times[a])
		if sure := up[i] - 2*math.Hypot(hand[a].U, hand[b].U)/(s.times[b]-s.times[a]); sure > surely {
			best, surely = i, sure
		}
	}
	if best < 0 || up[best] < least*s.leg {
		return candidate{}, false
	}
	for best+1 < len(up) && up[best+1] > up[best] {
		best++
	}
	for i := best + 1; i < len(up); i++ {
		if limit := slower * up[best]; up[i] <= limit {
			share := (up[i-1] - limit) / (up[i-1] - up[i])
			return candidate{leaves, s.times[i-1] + share*(s.times[i]-s.times[i-1]), math.Hypot(releaseU, (s.times[i]-s.times[i-1])/2)}, true
		}
	}
	return candidate{}, false
}

// slipsOut is the instant at which an implement that is soon out of the picture leaves
// the hand: on its last pictures it is farther and farther away, and where that begins
// the distance points back to.
func (s *paths) slipsOut(way, hand []footfall.Point) (candidate, bool) {
	const away = 0.1 // leg lengths: what is nearer is in the hand
	var t, d []float64
	for i := len(way) - 1; i >= 0; i-- {
		if !known(way, i) || !known(hand, i) {
			continue
		}
		far := distance(way[i], hand[i]) / s.leg
		if n := len(d); n > 0 && far > d[n-1] {
			return candidate{}, false
		}
		if far < away {
			if len(d) < 2 {
				return candidate{}, false
			}
			n := len(d) - 1
			speed := (d[n-1] - d[n]) / (t[n-1] - t[n])
			at := t[n] - d[n]/speed
			// It lies between the last picture in the hand and the first one out of it.
			at = math.Max(s.times[i], math.Min(t[n], at))
			return candidate{leaves, at, math.Max((t[n]-s.times[i])/2, 0.004)}, true
		}
		t, d = append(t, s.times[i]), append(d, far)
	}
	return candidate{}, false
}

// setsOff is the instant at which a point that rested moves for good: where it
// has gone on the next pictures, the path tells when it went.
func (s *paths) setsOff(way []footfall.Point, from, to float64) (candidate, bool) {
	var at []int
	for i := range way {
		if way[i].U > 0 && s.times[i] >= from-moveReach && s.times[i] <= to {
			at = append(at, i)
		}
	}
	for k := 4; k+3 < len(at); k++ {
		first := k
		for first > 0 && (s.times[at[k]]-s.times[at[first]] < moveReach || k-first < 5) {
			first--
		}
		var rest r2.Vec
		for _, i := range at[first : k+1] {
			rest = r2.Add(rest, r2.Scale(1/float64(k+1-first), way[i].At))
		}
		gone := 0
		for _, i := range at[k+1 : k+4] {
			if r2.Norm(r2.Sub(way[i].At, rest)) > math.Max(3*way[i].U, moves*s.leg) {
				gone++
			}
		}
		if gone < 3 {
			continue
		}
		var t []float64
		var p []r2.Vec
		for j := first; j < len(at); j++ {
			t, p = append(t, s.times[at[j]]), append(p, way[at[j]].At)
			if j > k+3 && r2.Norm(r2.Sub(way[at[j]].At, rest)) > math.Max(8*s.u, 5*moves*s.leg) {
				break
			}
		}
		o, err := signal.Departs(t, p, s.u, 0)
		return candidate{sets, o.T, math.Hypot(o.U, moveU)}, err == nil
	}
	return candidate{}, false
}

// turning are the highest points of a value over time, each from the parabola
// about it; it must stand out by so much on both sides. drift is how well its
// rate is known, px/s; NaN is unknown.
func (s *paths) turning(what string, v []float64, most, drift float64) []candidate {
	var out []candidate
	n := len(v)
	for i := range v {
		if math.IsNaN(v[i]) {
			continue
		}
		highest, before, after := true, false, false
		for by := -1; by <= 1; by += 2 {
			low := v[i]
			for j := i + by; j >= 0 && j < n; j += by {
				if math.IsNaN(v[j]) {
					continue
				}
				if v[j] > v[i] || v[j] == v[i] && by < 0 {
					highest = false
					break
				}
				if low = math.Min(low, v[j]); v[i]-low > most {
					if by < 0 {
						before = true
					} else {
						after = true
					}
					break
				}
			}
		}
		if !highest || !before || !after {
			continue
		}
		if t, u, ok := s.vertex(v, i, drift); ok {
			out = append(out, candidate{what, t, math.Hypot(u, turningU)})
		}
	}
	return out
}

// vertex is the turning point of the parabola through a value about picture i.
func (s *paths) vertex(v []float64, i int, drift float64) (t, u float64, ok bool) {
	var x, y []float64
	for reach := about; len(x) < 5 && reach < 4*about; reach *= 1.5 {
		x, y = x[:0], y[:0]
		for j := range v {
			if d := s.times[j] - s.times[i]; math.Abs(d) <= reach && !math.IsNaN(v[j]) {
				x, y = append(x, d), append(y, v[j])
			}
		}
	}
	n := len(x)
	if n < 5 {
		return 0, 0, false
	}
	m := mat.NewDense(n, 3, nil)
	for k, d := range x {
		m.SetRow(k, []float64{1, d, d * d})
	}
	var c, fit, gram, inv mat.Dense
	b := mat.NewDense(n, 1, y)
	if c.Solve(m, b) != nil || c.At(2, 0) >= 0 {
		return 0, 0, false
	}
	fit.Mul(m, &c)
	fit.Sub(b, &fit)
	gram.Mul(m.T(), m)
	if inv.Inverse(&gram) != nil {
		return 0, 0, false
	}
	norm := mat.Norm(&fit, 2)
	variance := norm * norm / float64(n-3)
	d := -c.At(1, 0) / 2 / c.At(2, 0)
	if d < x[0] || d > x[n-1] {
		return 0, 0, false
	}
	// d = −b/2a: du = √(var(b) + 4d²·var(a) + 4d·cov) / 2|a|
	spread := variance * (inv.At(1, 1) + 4*d*d*inv.At(2, 2) + 4*d*inv.At(1, 2))
	return s.times[i] + d, math.Hypot(math.Sqrt(math.Max(0, spread)), drift) / 2 / math.Abs(c.At(2, 0)), true
}

// heights are a course's heights.
func heights(way []footfall.Point) []float64 {
	return values(way, func(p r2.Vec) float64 { return p.Y })
}

func values(way []footfall.Point, of func(r2.Vec) float64) []float64 {
	out := make([]float64, len(way))
	for i, p := range way {
		if out[i] = math.NaN(); p.U > 0 {
			out[i] = of(p.At)
		}
	}
	return out
}

func minus(v []float64) []float64 {
	out := make([]float64, len(v))
	for i := range v {
		out[i] = -v[i]
	}
	return out
}

// passesBack are the instants at which an implement passes the back of the
// circle: from behind, where it passes the hips, or the neck where they hide, in the direction that the athlete
// turns in; from the side, where it is farthest behind them, which tells it
// roughly.
func (s *paths) passesBack(way []footfall.Point) []candidate {
	left, right, neck := s.of("hip", body.Left), s.of("hip", body.Right), s.way("neck")
	x := make([]float64, len(way))
	for i := range x {
		x[i] = math.NaN()
		switch {
		case way[i].U == 0:
		case known(left, i) && known(right, i):
			x[i] = way[i].At.X - (left[i].At.X+right[i].At.X)/2
		case known(neck, i):
			x[i] = way[i].At.X - neck[i].At.X
		case known(left, i):
			x[i] = way[i].At.X - left[i].At.X
		case known(right, i):
			x[i] = way[i].At.X - right[i].At.X
		}
	}
	if !s.behind {
		out := s.turning("back", minus(x), s.leg/2, 0)
		for i := range out {
			out[i].u = math.Hypot(out[i].u, besideU)
		}
		return out
	}
	off, offU := 0.0, squareU
	if degrees, u, known := s.sheet.CameraOffLine(); known {
		off, offU = degrees*math.Pi/180, u*math.Pi/180
	}
	if s.sheet.Roles["throwing"] == body.Left {
		x, off = minus(x), -off
	}
	var out []candidate
	far := s.turning("far", x, s.leg/2, 0)
	for _, near := range s.turning("near", minus(x), s.leg/2, 0) {
		for _, f := range far {
			if f.t <= near.t {
				continue
			}
			a, b := s.sheet.Timeline.Nearest(near.t), s.sheet.Timeline.Nearest(f.t)
			radius := (x[b] - x[a]) / 2
			if t, u, ok := s.crosses(x, a, b, -radius*math.Sin(off), math.Hypot(offHips*s.leg, offU*radius)); ok {
				out = append(out, candidate{"back", t, math.Hypot(u, passU)})
			}
			break
		}
	}
	return out
}

// crosses is where a rising value passes a level between two pictures; off is
// how well the level is known.
func (s *paths) crosses(v []float64, from, to int, level, off float64) (t, u float64, ok bool) {
	last := -1
	for i := from; i <= to; i++ {
		if math.IsNaN(v[i]) {
			continue
		}
		if last >= 0 && v[last] < level && v[i] >= level {
			dt := s.times[i] - s.times[last]
			speed := (v[i] - v[last]) / dt
			return s.times[last] + dt*(level-v[last])/(v[i]-v[last]), math.Hypot(off, s.u) / speed, true
		}
		last = i
	}
	return 0, 0, false
}
