package measure

import (
	"math"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/spatial/r2"
	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
	"neokinema/core/orbit"
)

// orbits are the kinds that read the implement's orbit about a turn off its path
// as a level camera at the back of the circle sees it.
var orbits = map[string]kind{
	"orbit-azimuth": {formula: "azimuth of the implement on the ellipse through its path over the turn, 0° = back of the circle, growing as the athlete turns", compute: func(p *evaluation) float64 { return p.round(p.azimuthNow()) }},
	"orbit-low":     {formula: "azimuth of the lowest point of the orbit's plane", compute: orbitLow},
	"orbit-high":    {formula: "azimuth of the highest point of the orbit's plane", compute: func(p *evaluation) float64 { return p.round(orbitLow(p) + 180) }},
	"orbit-slope":   {formula: "inclination of the orbit's plane: its circle is seen as an ellipse, asin(short ÷ long axis) when the camera is level", compute: orbitSlope},
	"orbit-speed":   {formula: "speed of the implement along its path, put on the orbit's plane", compute: orbitSpeed},
	"orbit-pull":    {formula: "mass · speed² ÷ radius of the path's bend, without the implement's weight", compute: orbitPull},
}

const (
	// turnTime is for how long before and after a moment an implement is asked to
	// be followed, s: a slow turn, for what begins or ends there.
	turnTime = 0.85
	// wholeTurn is how far round, degrees, a path goes that is fitted, enoughTurn
	// where it begins or ends near the place, leastTurn the least.
	wholeTurn  = 380.0
	enoughTurn = 280.0
	leastTurn  = 250.0
	// stride is over how many seconds a direction of a path is read, clearOf over
	// how many times a point's uncertainty at least.
	stride  = 0.02
	clearOf = 6.0

	// What one flat view leaves open: the camera is not far away, its aim not
	// quite level, the plane turns within a turn. Measured on the simulated
	// athlete (test/truth).
	orbitAzimuthU = 7.5  // degrees, of a point's azimuth
	orbitEndU     = 10.0 // degrees, where the path ends there
	orbitLowU     = 11.0 // degrees
	orbitSlopeU   = 3.3  // degrees
	orbitSpeedU   = 0.05 // of the speed
	orbitBendU    = 0.20 // of the radius of curvature
	// bendReach is for how long on each side of a moment a path's bend is read, s.
	bendReach = 0.04
)

// flatView is what one flat view of an orbit leaves open. How much rests on the
// simulated athlete alone, and the derivation says so.
var flatView = plain("one flat view of the orbit, as on simulated throws")

// turn is the implement's orbit round a place.
type turn struct {
	orbit orbit.Orbit // level pixels
	times []float64   // s
	path  []r2.Vec    // level pixels, x to the picture's right, y up
	at    int         // the place's own point
	ok    bool

	oneSided bool // the path begins or ends near the place
}

// round brings an azimuth to its usual side: the one that the measure names, else
// about 0 for low points, between 0 and 360 for all others.
func (p *evaluation) round(az float64) float64 {
	if p.measure.Around != 0 {
		return p.about(az)
	}
	if p.measure.Kind == "orbit-low" {
		return math.Remainder(az, 360)
	}
	return math.Mod(math.Mod(az, 360)+360, 360)
}

func (p *evaluation) rightHanded() bool { return p.sheet.Roles["throwing"] == body.Right }

// turn finds it, once for all inputs: how well single points are known hardly
// matters to a fit through dozens of them, so they pass the gate together, by the
// kinds' own uncertainties. Who has looked at the implement here has seen its path.
func (p *evaluation) turn() turn {
	f, ok := p.frame(p.keyID)
	if !ok {
		return turn{}
	}
	p.unconfirmed = p.unconfirmed || p.sheet.Observations[f][body.Landmark(p.measure.Points[0])].Source == Detected
	out, known := p.found.turns[f]
	if !known {
		if out = p.findTurn(f); out.ok {
			p.found.turns[f] = out
		}
	}
	return out
}

func (p *evaluation) findTurn(f int) turn {
	film := p.sheet.Timeline
	n := int(math.Ceil(turnTime / film.Interval(f)))
	first, last := max(0, f-n), min(film.Len()-1, f+n)
	if r, thrown := p.sheet.Stamps["release"]; thrown && r >= f {
		last = min(last, r)
	}
	ball := body.Landmark(p.measure.Points[0])
	point := func(i int) (r2.Vec, bool) {
		m, ok := p.sheet.Observations[i][ball]
		if !ok {
			return r2.Vec{}, false
		}
		moved, _ := p.sheet.Camera.At(i)
		v := p.plane.Map(moved.Inverse().Map(m.At))
		if !p.plane.Rightward() {
			v.X = -v.X
		}
		return v, true
	}
	missing := func() turn {
		p.toFollow = append(p.toFollow, Followed{ball, first, last, p.measure.Name})
		p.require("path", p.keyID, "follow the %s over the turn round %s", LandmarkName(ball), p.key(p.keyID).Name)
		return turn{}
	}
	if _, ok := point(f); !ok {
		return missing()
	}
	out := turn{}
	step := max(1, int(math.Round(stride/film.Interval(f))))
	clear := clearOf * p.sheet.markU(p.sheet.Observations[f][ball])
	// Outward from the place until the path has gone round. Turns are added with
	// their sign, so that what single pictures miss by does not add up.
	outward := func(by, end int, most float64) (frames []int, turned float64) {
		heading, known := 0.0, false
		for i := f + by; (end-i)*by >= 0 && math.Abs(turned) < most; i += by {
			a, okA := point(i)
			if !okA {
				if _, next := point(i + by); !next {
					break
				}
				continue
			}
			frames = append(frames, i)
			back := i - by*step
			b, okB := point(back)
			for okB && (back-f)*by > 0 && r2.Norm(r2.Sub(a, b)) < clear {
				back -= by
				b, okB = point(back)
			}
			if !okB || (back-f)*by < 0 {
				continue
			}
			h := math.Atan2(a.Y-b.Y, a.X-b.X)
			if known {
				turned += math.Remainder(h-heading, 2*math.Pi) * 180 / math.Pi
			}
			heading, known = h, true
		}
		return frames, math.Abs(turned)
	}
	ahead, after := outward(1, last, wholeTurn/2)
	behind, before := outward(-1, first, max(wholeTurn/2, enoughTurn-after))
	if before+after < enoughTurn {
		ahead, _ = outward(1, last, enoughTurn-before)
	}
	out.oneSided = min(after, before) < wholeTurn/4
	var frames []int
	for i := len(behind) - 1; i >= 0; i-- {
		frames = append(frames, behind[i])
	}
	out.at = len(frames)
	frames = append(append(frames, f), ahead...)
	sweep, heading := 0.0, math.NaN()
	for k, i := range frames {
		v, _ := point(i)
		out.path, out.times = append(out.path, v), append(out.times, film.At(i))
		back := k - step
		for back > 0 && r2.Norm(r2.Sub(v, out.path[back])) < clear {
			back--
		}
		if back >= 0 {
			h := math.Atan2(v.Y-out.path[back].Y, v.X-out.path[back].X)
			if !math.IsNaN(heading) {
				sweep += math.Remainder(h-heading, 2*math.Pi) * 180 / math.Pi
			}
			heading = h
		}
	}
	if math.Abs(sweep) < leastTurn {
		if len(frames) < last-first { // some of it is not followed yet
			return missing()
		}
		p.require("path", p.keyID, "the %s goes round by only %.0f° here, this needs %.0f°: the film begins or ends too near", LandmarkName(ball), math.Abs(sweep), leastTurn)
		return turn{}
	}
	o, err := orbit.FromBehind(out.path)
	// What is nearer to the camera is seen larger about the picture's middle:
	// that is taken out, as far as the camera's distance is known.
	if middle := p.sheet.Calibration.Centre; err == nil && middle != (r2.Vec{}) && p.plane.PxPerM > 0 {
		d, _ := p.sheet.Calibration.CameraDistance()
		c := p.plane.Map(middle)
		if !p.plane.Rightward() {
			c.X = -c.X
		}
		seen := out.path
		for range 3 {
			flat := make([]r2.Vec, len(seen))
			for i, q := range seen {
				away := (o.Behind(out.path[i]).X - o.Centre.X) / p.plane.PxPerM
				flat[i] = r2.Add(c, r2.Scale(1+away/d, r2.Sub(q, c)))
			}
			out.path = flat
			if o, err = orbit.FromBehind(flat); err != nil {
				break
			}
		}
	}
	if err != nil {
		p.require("path", p.keyID, "%v", err)
		return turn{}
	}
	out.orbit, out.ok = o, true
	return out
}

// now is the implement's place on the orbit's plane, its velocity and its
// acceleration there, px and s, at an instant: from the parabola through the
// pictures within a time about it.
func (t turn) now(when, within float64) (at, v, a r3.Vec) {
	var rows []int
	for i := range t.path {
		if math.Abs(t.times[i]-t.times[t.at]) <= within {
			rows = append(rows, i)
		}
	}
	if len(rows) < 4 { // a low rate
		rows = rows[:0]
		for i := max(0, t.at-2); i < min(len(t.path), t.at+3); i++ {
			rows = append(rows, i)
		}
	}
	m, b := mat.NewDense(len(rows), 3, nil), mat.NewDense(len(rows), 3, nil)
	for r, i := range rows {
		d := t.times[i] - when
		m.SetRow(r, []float64{1, d, d * d / 2})
		q := t.orbit.Behind(t.path[i])
		b.SetRow(r, []float64{q.X, q.Y, q.Z})
	}
	var c mat.Dense
	if c.Solve(m, b) != nil {
		return t.orbit.Behind(t.path[t.at]), v, a
	}
	row := func(i int) r3.Vec { return r3.Vec{X: c.At(i, 0), Y: c.At(i, 1), Z: c.At(i, 2)} }
	return row(0), row(1), row(2)
}

func (p *evaluation) azimuthNow() float64 {
	t := p.turn()
	when := p.instant(p.keyID)
	if !t.ok {
		return 0
	}
	at, _, _ := t.now(when, reach)
	u := orbitAzimuthU
	if t.oneSided {
		u = orbitEndU
	}
	return t.orbit.Azimuth(at, p.rightHanded()) + p.input(flatView, 0, u) + p.offLine()
}

func orbitLow(p *evaluation) float64 {
	t := p.turn()
	if !t.ok {
		return 0
	}
	return p.round(t.orbit.Low(p.rightHanded()) + p.input(flatView, 0, orbitLowU) + p.offLine())
}

// offLine is by how many degrees azimuths turn for a camera that stands off the throwing
// line: by as much as points of known places tell, else by as much as it is said to, not
// on which side.
func (p *evaluation) offLine() float64 {
	if off, u, known := p.sheet.CameraOffLine(); known {
		if !p.rightHanded() {
			off = -off
		}
		return p.input(plain("direction of the camera, by known points"), off, u)
	}
	return p.input(plain("camera off the throwing line"), 0, openSide) * p.sheet.Calibration.Off
}

func orbitSlope(p *evaluation) float64 {
	t := p.turn()
	if !t.ok {
		return 0
	}
	return t.orbit.Slope() + p.input(flatView, 0, orbitSlopeU)
}

func orbitSpeed(p *evaluation) float64 {
	t := p.turn()
	when := p.instant(p.keyID)
	if !t.ok {
		return 0
	}
	_, v, _ := t.now(when, reach)
	return p.metres(r3.Norm(v)*(1+p.input(flatView, 0, orbitSpeedU))) / p.real(1)
}

func orbitPull(p *evaluation) float64 {
	t := p.turn()
	when := p.instant(p.keyID)
	mass := p.sheet.Event.Masses[string(p.sheet.Sex)]
	if mass == 0 {
		p.require("mass", "mass", "say how heavy the implement is")
	}
	if !t.ok || mass == 0 {
		return 0
	}
	_, v, a := t.now(when, bendReach)
	across := r3.Norm(r3.Cross(v, a))
	if across == 0 {
		p.require("path", p.keyID, "the path runs straight round %s", p.key(p.keyID).Name)
		return 0
	}
	speed := p.metres(r3.Norm(v)*(1+p.input(flatView, 0, orbitSpeedU))) / p.real(1)
	radius := p.metres(math.Pow(r3.Norm(v), 3)/across) * (1 + p.input(plain("bend of the path"), 0, orbitBendU))
	f, _, err := orbit.Pull(mass, speed, radius)
	if err != nil {
		p.require("path", p.keyID, "the %s hardly moves round %s on these pictures: look at its path again", LandmarkName(body.Landmark(p.measure.Points[0])), p.key(p.keyID).Name)
	}
	return f
}
