package runup

import (
	"fmt"
	"math"
	"slices"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/flight"
)

const rad = math.Pi / 180

// Curve is a high jumper's run: straight, then on a circle to the take-off. x
// runs along the bar from the near standard to the far one, y from the bar
// toward the run; metres and degrees.
type Curve struct {
	Toe      r2.Vec    // of the take-off foot
	Width    float64   // between the standards, 4.00–4.04
	Heading  float64   // to the bar at the take-off
	Entry    float64   // heading on the straight; 90 runs square to the bar
	Radius   float64   // one of Heading, Entry and Radius may be 0: it follows from the others
	Steps    []float64 // on the curve along its arc, the last step first
	Straight []float64 // before it, the last of them first
	Offset   float64   // how far the foot before the take-off lands outside the curve
}

// Contact is where one foot of a run goes.
type Contact struct {
	At        r2.Vec
	Near, Far float64 // distances to the two standards
	OnCurve   bool
	Chord     float64 // straight from this contact to the next, to lay with a tape
}

// Run is a laid-out curve.
type Run struct {
	Curve
	Centre   r2.Vec
	Contacts []Contact // from the last before the take-off back to the start
}

// LayOut works a run out by the geometry of the circle.
func LayOut(c Curve) (Run, error) {
	arc := 0.0
	for i, l := range slices.Concat(c.Steps, c.Straight) {
		if !(l > 0.3 && l < 4) {
			return Run{}, fmt.Errorf("step %d of %g m is no step", i+1, l)
		}
	}
	for _, l := range c.Steps {
		arc += l
	}
	switch {
	case arc == 0:
		return Run{}, fmt.Errorf("say the lengths of the steps on the curve")
	case c.Width <= 0:
		return Run{}, fmt.Errorf("measure how far the standards are apart")
	case c.Radius == 0:
		c.Radius = arc / ((c.Entry - c.Heading) * rad)
	case c.Heading == 0:
		c.Heading = c.Entry - arc/c.Radius/rad
	case c.Entry == 0:
		c.Entry = c.Heading + arc/c.Radius/rad
	default:
		if off := (c.Entry-c.Heading)*rad*c.Radius - arc; math.Abs(off) > 0.05 {
			return Run{}, fmt.Errorf("a curve of radius %.2f m from %.0f° to %.0f° is %.2f m long, these steps are %.2f m: leave one of the three open", c.Radius, c.Entry, c.Heading, arc+off, arc)
		}
	}
	if !(c.Radius > 2 && c.Radius < 40) || !(c.Heading > 5 && c.Heading < 85) || !(c.Entry > c.Heading && c.Entry < 140) {
		return Run{}, fmt.Errorf("that makes a radius of %.1f m, from %.0f° to %.0f° to the bar: no run goes so", c.Radius, c.Entry, c.Heading)
	}
	s, co := math.Sincos(c.Heading * rad)
	out := Run{Curve: c, Centre: r2.Add(c.Toe, r2.Scale(c.Radius, r2.Vec{X: s, Y: co}))}
	add := func(p r2.Vec, onCurve bool) {
		before := c.Toe
		if n := len(out.Contacts); n > 0 {
			before = out.Contacts[n-1].At
		}
		out.Contacts = append(out.Contacts, Contact{p, math.Hypot(p.X, p.Y), math.Hypot(p.X-c.Width, p.Y), onCurve, r2.Norm(r2.Sub(p, before))})
	}
	at, last := 0.0, r2.Vec{}
	for k, l := range c.Steps {
		at += l
		s, co := math.Sincos(c.Heading*rad + at/c.Radius)
		last = r2.Sub(out.Centre, r2.Scale(c.Radius, r2.Vec{X: s, Y: co}))
		p := last
		if k == 0 {
			p = r2.Sub(out.Centre, r2.Scale(c.Radius+c.Offset, r2.Vec{X: s, Y: co}))
		}
		add(p, true)
	}
	s, co = math.Sincos(c.Entry * rad)
	at = 0
	for _, l := range c.Straight {
		at += l
		add(r2.Add(last, r2.Scale(at, r2.Vec{X: -co, Y: s})), false)
	}
	return out, nil
}

// Leans that a curve usually asks for, degrees; beyond them it is warned.
const (
	LeastLean = 18.0
	MostLean  = 32.0
)

// BodyLean is the lean, degrees from the vertical, that a curve of radius r (m)
// at the feet asks for at the speed v (m/s) of the footprints when the centre of
// mass is h metres from the foot. It runs nearer to the centre and so more
// slowly, by (r − h·sinθ)/r: tanθ = v²(r − h·sinθ)/(g·r²).
func BodyLean(v, r, h float64) (float64, error) {
	if h < 0 || r <= h {
		return 0, fmt.Errorf("a curve of radius %g m is too tight for a body whose centre is %g m up", r, h)
	}
	lean := 0.0
	for range 60 {
		lean = math.Atan(v * v * (r - h*math.Sin(lean)) / (flight.G * r * r))
	}
	return lean / rad, nil
}

// RequiredSpeed is the speed of the footprints, m/s, that a lean asks for: BodyLean
// the other way.
func RequiredSpeed(lean, r, h float64) float64 {
	s, c := math.Sincos(lean * rad)
	return r * math.Sqrt(flight.G*s/c/(r-h*s))
}

// FreeTakeOff is the geometry of a pole whose tip is in the box: the angle to
// the runway (degrees) and the toe's distance (m) from the back of the box, for
// a pole length from tip to top hand and the top hand's height over the runway
// (m). The box is 0.20 m deep. It is information, no advice on a grip.
func FreeTakeOff(grip, hand float64) (angle, toe float64, err error) {
	const box = 0.20
	up := hand + box
	if !(grip > up && hand > 0) {
		return 0, 0, fmt.Errorf("a hand %g m up does not reach a pole of %g m that stands in the box", hand, grip)
	}
	return math.Asin(up/grip) / rad, math.Sqrt(grip*grip - up*up), nil
}
