package sim

import (
	"fmt"
	"math"
	"slices"

	"gonum.org/v1/gonum/spatial/r2"
	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
)

// Camera is a phone on a tripod or in a hand, and how it films.
type Camera struct {
	View      string  // side-open, side-closed, back, front, overhead, oblique or bar-line
	Distance  float64 // m from what it films
	Height    float64 // m above the ground
	OffSquare float64 // degrees that it stands off the view
	Tilt      float64 // degrees that its horizon leans
	Span      float64 // m across the picture at that distance; 0: the whole movement
	K1        float64 // radial distortion of the lens, barrel negative
	Shake     float64 // standard deviation of its aim, degrees
	Pan       bool    // it follows the athlete
	Capture   float64 // pictures per second
	Playback  float64 // what the file claims; equal to Capture: the stamps are real
	Variable  bool    // the pictures come unevenly, with their own stamps
	Delay     float64 // s after the movement's begin at which it starts
	From, To  float64 // instants between which it films, from the zero; both 0: all
	Portrait  bool
	Width     int // px of the upright picture; 0: 1280 × 720
	Tall      int
	Rods      int    // pictures at the begin on which rods of 2 m stand on a circle's rim, filmed before the throw
	Seed      uint64 // of shake and uneven stamps
}

// Views are the views from which an event can be filmed.
func Views(event string) []string {
	all := []string{"side-open", "side-closed", "back", "front", "overhead", "oblique"}
	if event == "high-jump" {
		all = append(all, "bar-line")
	}
	return all
}

// Usual is a camera for a view: far back and zoomed in, level, at hip height.
func Usual(event, view string) Camera {
	c := Camera{View: view, Distance: 16, Height: 1.1, Capture: 240, Playback: 30}
	switch view {
	case "overhead":
		c.Distance = 14
	case "back", "front":
		c.Distance, c.Height = 14, 1.3
	case "oblique":
		c.Height = 1.6
	}
	if event == "pole-vault" {
		c.Distance = 20
	}
	return c
}

// Shot is where the camera stands and looks for one picture.
type Shot struct {
	At, LookAt r3.Vec
	Roll       float64 // degrees, clockwise
	Focal      float64 // px
	K1         float64
	Width      int
	Height     int
}

// axes are the camera's right, up and ahead.
func (s Shot) axes() (right, up, ahead r3.Vec) {
	ahead = r3.Unit(r3.Sub(s.LookAt, s.At))
	world := r3.Vec{Z: 1}
	if math.Abs(ahead.Z) > 0.99 {
		world = r3.Vec{X: 1}
	}
	right = r3.Unit(r3.Cross(ahead, world))
	up = r3.Cross(right, ahead)
	if s.Roll != 0 {
		right, up = about(right, ahead, s.Roll), about(up, ahead, s.Roll)
	}
	return right, up, ahead
}

// Project gives the pixel of a point of the world: origin top left, y down; a
// pinhole with radial distortion x(1 + k1·r²).
func (s Shot) Project(p r3.Vec) r2.Vec {
	right, up, ahead := s.axes()
	d := r3.Sub(p, s.At)
	depth := r3.Dot(d, ahead)
	x, y := r3.Dot(d, right)/depth, r3.Dot(d, up)/depth
	k := 1 + s.K1*(x*x+y*y)
	return r2.Vec{X: float64(s.Width)/2 + s.Focal*x*k, Y: float64(s.Height)/2 - s.Focal*y*k}
}

// Field is the vertical field of view in degrees, as a renderer asks for it.
func (s Shot) Field() float64 { return 2 * atan2(float64(s.Height)/2, s.Focal) }

// check fills in what is not said and refuses what cannot be.
func (c *Camera) check(event string) error {
	if !slices.Contains(Views(event), c.View) {
		return fmt.Errorf("%s is not filmed from %q: use one of %v", event, c.View, Views(event))
	}
	if c.Width == 0 {
		c.Width, c.Tall = 1280, 720
	}
	if c.Portrait && c.Width > c.Tall {
		c.Width, c.Tall = c.Tall, c.Width
	}
	if c.Playback == 0 {
		c.Playback = c.Capture
	}
	for _, v := range []struct {
		name           string
		v, least, most float64
	}{
		{"distance", c.Distance, 3, 60}, {"height", c.Height, 0.1, 12}, {"angle off the view", c.OffSquare, -45, 45}, {"tilt", c.Tilt, -20, 20},
		{"rate", c.Capture, 15, 1000}, {"playback rate", c.Playback, 15, 1000}, {"distortion", c.K1, -0.3, 0.3}, {"shake", c.Shake, 0, 3},
		{"width", float64(c.Width), 160, 4096}, {"height in px", float64(c.Tall), 160, 4096},
	} {
		if math.IsNaN(v.v) || v.v < v.least || v.v > v.most {
			return fmt.Errorf("a %s of %g is outside %g to %g", v.name, v.v, v.least, v.most)
		}
	}
	return nil
}

// near is the athlete's side that a side camera sees: the working side from
// the open side. In the vault the leg that takes off is opposite the top hand.
func (c Camera) near(event string, side body.Side) body.Side {
	if event == "pole-vault" {
		side = side.Other()
	}
	if c.View == "side-closed" {
		return side.Other()
	}
	return side
}

// direction is the way the camera looks, horizontally, before it stands off.
func (c Camera) direction(m *Motion) float64 {
	travel := 0.0
	if m.Event == "high-jump" {
		_, v := m.com.at(-0.02)
		travel = atan2(v.Y, v.X)
		if m.mirrored() {
			travel = -travel
		}
	}
	switch c.View {
	case "back", "overhead":
		return travel
	case "front":
		return travel + 180
	case "bar-line": // along the bar, from the side of the run-up
		if m.mirrored() {
			return 90
		}
		return -90
	}
	look := travel + 90 // from the right side to the left
	if c.near(m.Event, m.Athlete.Side) == body.Left {
		look = travel - 90
	}
	if c.View == "oblique" {
		return look - 45*math.Copysign(1, wrap(look-travel))
	}
	return look
}

// frames are the instants of all pictures.
func (c Camera) frames(m *Motion) []float64 {
	from, to := m.Begin(), m.End()
	if c.From != 0 || c.To != 0 {
		from, to = math.Max(from, c.From), math.Min(to, c.To)
	}
	from += c.Delay
	var out []float64
	r := noise{seed: c.Seed + 11}
	for i := 0; ; i++ {
		t := from + float64(i)/c.Capture
		if c.Variable {
			t += (r.at(float64(i)*0.37) + 0.6*r.at(float64(i)*2.3)) * 0.22 / c.Capture
		}
		if t > to {
			return out
		}
		out = append(out, t)
	}
}

// noise is a smooth wandering number of unit spread, the same for a seed.
type noise struct{ seed uint64 }

func (n noise) at(t float64) float64 {
	var v float64
	for i := range 5 {
		h := (n.seed+1)*0x9E3779B97F4A7C15 ^ uint64(i)*0xBF58476D1CE4E5B9
		h ^= h >> 29
		h *= 0x94D049BB133111EB
		phase := float64(h>>40) / float64(1<<24) * 2 * math.Pi
		v += math.Sin(2*math.Pi*t*[]float64{0.31, 0.73, 1.27, 2.1, 3.4}[i]+phase) * []float64{1, 0.8, 0.6, 0.4, 0.25}[i]
	}
	return v / 1.08
}

// shots plans where the camera looks on each picture.
func (c Camera) shots(m *Motion, times []float64) []Shot {
	low, high := r3.Vec{X: 1e9, Y: 1e9, Z: 0}, r3.Vec{X: -1e9, Y: -1e9, Z: -1e9}
	path := make([]r3.Vec, len(times))
	for i, t := range times {
		f := m.figure(t)
		at := f.midHip
		if m.mirrored() {
			at.Y = -at.Y
		}
		path[i] = at
		reach := 0.55 * m.plan.pr.Height
		low = r3.Vec{X: math.Min(low.X, at.X-reach), Y: math.Min(low.Y, at.Y-reach)}
		high = r3.Vec{X: math.Max(high.X, at.X+reach), Y: math.Max(high.Y, at.Y+reach), Z: math.Max(high.Z, at.Z+0.62*m.plan.pr.Height)}
	}
	look := c.direction(m) + c.OffSquare
	ahead := flat(look)
	across := r3.Vec{X: ahead.Y, Y: -ahead.X}
	middle := r3.Scale(0.5, r3.Add(low, high))
	aspect := float64(c.Width) / float64(c.Tall)
	wide := math.Abs(across.X)*(high.X-low.X) + math.Abs(across.Y)*(high.Y-low.Y)
	tall := high.Z + 0.25
	if c.View == "overhead" {
		wide, tall = high.Y-low.Y, high.X-low.X
	}
	span := math.Max(wide*1.06, tall*1.12*aspect)
	switch m.Event { // room for the implement
	case "hammer":
		span = math.Max(span, 4.6*math.Max(1, 0.72*aspect))
	case "javelin", "pole-vault":
		span *= 1.05
	}
	if c.Pan {
		span = math.Max(3.4*math.Max(1, aspect*0.8), span*0.45)
	}
	if c.Span > 0 {
		span = c.Span
	}
	aimZ := math.Max(0.5*tall-0.1, 0.5*span/aspect-0.3)
	if c.View == "overhead" {
		aimZ = 0.9
	}
	out := make([]Shot, len(times))
	rx, ry, rr := noise{c.Seed + 1}, noise{c.Seed + 2}, noise{c.Seed + 3}
	at := r3.Vec{X: middle.X - ahead.X*c.Distance, Y: middle.Y - ahead.Y*c.Distance, Z: c.Height}
	aim := r3.Vec{X: middle.X, Y: middle.Y, Z: aimZ}
	if c.View == "overhead" {
		at = r3.Vec{X: middle.X - 0.01*c.Distance, Y: middle.Y, Z: c.Distance}
	}
	for i, t := range times {
		to := aim
		if c.Pan { // a hand that follows with a little delay
			var sum r3.Vec
			n := 0.0
			for j := max(0, i-int(0.16*c.Capture)); j <= min(len(path)-1, i+int(0.06*c.Capture)); j++ {
				sum, n = r3.Add(sum, path[j]), n+1
			}
			p := r3.Scale(1/n, sum)
			to = r3.Vec{X: p.X, Y: p.Y, Z: math.Max(p.Z, 0.9) + 0.12}
		}
		if c.Shake > 0 {
			far := r3.Norm(r3.Sub(to, at)) * math.Pi / 180 * c.Shake
			to = r3.Add(to, r3.Add(r3.Scale(far*rx.at(t), across), r3.Vec{Z: far * ry.at(t)}))
		}
		far := r3.Norm(r3.Sub(aim, at))
		out[i] = Shot{At: at, LookAt: to, Roll: c.Tilt + 0.4*c.Shake*rr.at(t), Focal: far * float64(c.Width) / span, K1: c.K1, Width: c.Width, Height: c.Tall}
	}
	if along := c.View == "back" || c.View == "front" || c.View == "oblique" || c.View == "bar-line"; along && c.Span == 0 && !c.Pan && runs[m.Event] {
		c.widen(m, times, out)
	}
	return out
}

// runs are the events in which the athlete comes nearer to a camera that looks
// along the run.
var runs = map[string]bool{"sprint-start": true, "running": true, "javelin": true, "long-jump": true, "high-jump": true, "pole-vault": true}

// widen zooms out until the whole body is in every picture.
func (c Camera) widen(m *Motion, times []float64, shots []Shot) {
	most := 1.0
	for i := 0; i < len(times); i += 4 {
		s := shots[i]
		for l, p := range m.Pose(times[i]) {
			if !l.Valid() {
				continue
			}
			px := s.Project(p)
			most = math.Max(most, math.Abs(px.X/float64(s.Width)-0.5)/0.47)
			most = math.Max(most, math.Abs(px.Y/float64(s.Height)-0.5)/0.47)
		}
	}
	for i := range shots {
		shots[i].Focal /= most
	}
}
