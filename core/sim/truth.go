package sim

import (
	"math"
	"strings"

	"gonum.org/v1/gonum/spatial/r2"
	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
)

// TruthSchema is the version of the truth file's form.
const TruthSchema = 2

// Truth is all that is known of a film. Lengths are metres, angles degrees,
// times seconds from the event's zero, pixels of the upright picture with its
// origin top left.
type Truth struct {
	Schema   int                `json:"schema"`
	Units    map[string]string  `json:"units"`
	Event    string             `json:"event"`
	Variant  string             `json:"variant"`
	Athlete  TruthAthlete       `json:"athlete"`
	View     string             `json:"view"`
	Capture  float64            `json:"captureRate"`
	Playback float64            `json:"playbackRate"`
	Width    int                `json:"width"`
	Height   int                `json:"height"`
	Stamps   map[string]float64 `json:"stamps"`
	Frames   map[string]int     `json:"stampFrames"` // the frame on which each stamp is first seen; still moments: the nearest
	Measures map[string]float64 `json:"measures"`
	Faults   map[string]float64 `json:"faults"`
	Marks    map[string]Point   `json:"scene"` // still things whose places are known
	Film     []TruthFrame       `json:"frames"`
}

// TruthAthlete says who moved.
type TruthAthlete struct {
	HeightM float64   `json:"height"`
	Sex     body.Sex  `json:"sex"`
	Side    body.Side `json:"side"` // throwing or top hand, take-off or front-block leg
	Youth   bool      `json:"youth,omitempty"`
}

// TruthFrame is one picture. World holds every landmark of the body, the balls
// of the feet, and the points of the implement.
type TruthFrame struct {
	T        float64                 `json:"t"`
	Camera   TruthCamera             `json:"camera"`
	Supports string                  `json:"supports"` // L, R, LR or nothing: the feet on the ground
	Flies    bool                    `json:"flies,omitempty"`
	Rods     bool                    `json:"rods,omitempty"` // rods of 2 m stand on the circle's rim
	World    map[body.Landmark]Point `json:"world"`
	InView   map[body.Landmark]Pixel `json:"inView"`
}

// TruthCamera is where the camera stood for one picture.
type TruthCamera struct {
	At     Point   `json:"at"`
	LookAt Point   `json:"lookAt"`
	Roll   float64 `json:"roll,omitempty"`
	Focal  float64 `json:"focal"`
	K1     float64 `json:"k1,omitempty"`
}

// Point is x, y, z.
type Point [3]float64

// Pixel is x, y and whether the landmark is in sight, 1 or 0.
type Pixel [3]float64

func point(v r3.Vec) Point { return Point{round(v.X, 4), round(v.Y, 4), round(v.Z, 4)} }

func vec(p Point) r3.Vec { return r3.Vec{X: p[0], Y: p[1], Z: p[2]} }

func round(v, places float64) float64 {
	s := math.Pow(10, places)
	return math.Round(v*s) / s
}

// stills are key positions that are no change from one picture to the next.
var stills = map[string]bool{
	"set": true, "finish": true, "recover-1": true, "recover-2": true, "mid-left": true, "mid-right": true, "swing-left": true, "swing-right": true,
	"high": true, "low": true, "wind-low": true, "sling": true, "recover": true, "wind": true, "start": true, "withdrawn": true,
	"free-leg-under": true, "legs-crossed": true, "peak": true, "deepest": true, "over-foot": true, "max-bend": true, "pole-straight": true,
}

// Still reports whether a stamp stands for a still moment.
func Still(stamp string) bool {
	base, _, _ := strings.Cut(stamp, "#")
	return stills[base]
}

// Film films a motion and writes down the truth.
func (c Camera) Film(m *Motion) (Truth, error) {
	if err := c.check(m.Event); err != nil {
		return Truth{}, err
	}
	t := Truth{
		Schema: TruthSchema, Event: m.Event, Variant: m.Variant, View: c.View,
		Units:   map[string]string{"length": "m", "angle": "deg", "time": "s from the event's zero", "picture": "px, origin top left"},
		Athlete: TruthAthlete{m.Athlete.HeightM, m.Athlete.Sex, m.Athlete.Side, m.Athlete.Youth},
		Capture: c.Capture, Playback: c.Playback, Width: c.Width, Height: c.Tall,
		Stamps: map[string]float64{}, Frames: map[string]int{}, Measures: map[string]float64{}, Faults: m.Faults, Marks: map[string]Point{},
	}
	for k, v := range m.Measures {
		t.Measures[k] = round(v, 5)
	}
	for name, at := range m.Scene() {
		t.Marks[name] = point(at)
	}
	times := c.frames(m)
	for i, s := range c.shots(m, times) {
		f := m.frame(s, times[i])
		f.Rods = i < c.Rods
		t.Film = append(t.Film, f)
	}
	for k, at := range m.Stamps {
		if n, ok := shows(times, at, Still(k)); ok {
			t.Stamps[k], t.Frames[k] = at, n
		}
	}
	if m.sampled != nil {
		for k, v := range m.sampled(m, func(stamp string) float64 { return times[max(0, t.Frames[stamp]-1)] }, 1/c.Capture) {
			t.Measures[k] = round(v, 5)
		}
	}
	return t, nil
}

// shows is the picture on which an instant first shows, or the nearest to a
// still moment; none when the film does not hold it.
func shows(times []float64, at float64, still bool) (int, bool) {
	n := len(times)
	if n < 2 || at > times[n-1]+1e-9 || at < times[0]-(times[1]-times[0]) {
		return 0, false
	}
	i := 0
	for i < n-1 && times[i] < at-1e-9 {
		i++
	}
	if still && i > 0 && at-times[i-1] < times[i]-at {
		i--
	}
	return i, true
}

// Scene are the still things of a motion's place, mirrored for a left-hander.
func (m *Motion) Scene() map[string]r3.Vec {
	out := map[string]r3.Vec{}
	for name, at := range m.plan.marks {
		if m.mirrored() {
			at.Y = -at.Y
		}
		out[name] = at
	}
	return out
}

func (m *Motion) frame(s Shot, at float64) TruthFrame {
	f := m.figure(at)
	out := TruthFrame{T: round(at, 6), Camera: TruthCamera{point(s.At), point(s.LookAt), round(s.Roll, 4), round(s.Focal, 3), s.K1}, World: map[body.Landmark]Point{}, InView: map[body.Landmark]Pixel{}}
	if l, r := m.Supports(at); l || r {
		out.Supports = map[[2]bool]string{{true, true}: "LR", {true, false}: "L", {false, true}: "R"}[[2]bool{l, r}]
	}
	out.Flies = m.flies(at)
	pose := f.pose(m.mirrored())
	parts := solids(pose, m.plan.pr.Height)
	for name, p := range pose {
		out.World[name] = point(p)
		if !name.Valid() {
			continue
		}
		px := s.Project(p)
		seen := 1.0
		if px.X < 0 || px.Y < 0 || px.X > float64(s.Width) || px.Y > float64(s.Height) || hidden(name, p, s.At, parts) {
			seen = 0
		}
		out.InView[name] = Pixel{round(px.X, 2), round(px.Y, 2), seen}
	}
	return out
}

// flies reports whether the implement has left the hand.
func (m *Motion) flies(t float64) bool {
	r, ok := m.Stamps["release"]
	return ok && t > r
}

// solid is a part of the body that hides what is behind it: a rod with a
// radius, and the landmarks that belong to it.
type solid struct {
	a, b   r3.Vec
	radius float64
	own    []string
}

// solids are the parts of a body, with radii as shares of height: common
// practice.
func solids(p Pose, h float64) []solid {
	var out []solid
	for _, s := range []string{"L", "R"} {
		on := func(part string) r3.Vec { return p[body.Landmark(part+"."+s)] }
		for _, l := range []struct {
			from, to string
			r        float64
		}{{"hip", "knee", 0.042}, {"knee", "ankle", 0.028}, {"shoulder", "elbow", 0.026}, {"elbow", "wrist", 0.020}} {
			own := []string{l.from + "." + s, l.to + "." + s}
			switch l.to {
			case "ankle":
				own = append(own, "heel."+s, "toe."+s)
			case "wrist":
				own = append(own, "knuckle."+s)
			}
			out = append(out, solid{on(l.from), on(l.to), l.r * h, own})
		}
	}
	hips, shoulders := middle(p["hip.L"], p["hip.R"]), middle(p["shoulder.L"], p["shoulder.R"])
	out = append(out, solid{mix(hips, shoulders, 0.1), mix(hips, shoulders, 0.85), 0.065 * h, []string{"sternum"}})
	out = append(out, solid{p["neck"], mix(p["neck"], p["vertex"], 0.75), 0.048 * h, []string{"vertex", "chin", "neck"}})
	return out
}

// hidden reports whether a part of the body stands between a landmark and the
// camera.
func hidden(name body.Landmark, p, camera r3.Vec, parts []solid) bool {
	for _, s := range parts {
		own := false
		for _, o := range s.own {
			own = own || string(name) == o
		}
		if own {
			continue
		}
		d, along := between2(p, camera, s.a, s.b)
		if d < s.radius && along > s.radius {
			return true
		}
	}
	return false
}

// between2 is the least distance between the line of sight from p to the
// camera and the rod a–b, and how far from p along the line it is.
func between2(p, camera, a, b r3.Vec) (dist, along float64) {
	u := r3.Sub(camera, p)
	n := math.Sqrt(r3.Norm2(u))
	u = r3.Scale(1/n, u)
	best := math.Inf(1)
	for i := range 9 {
		q := r3.Sub(mix(a, b, float64(i)/8), p)
		t := clamp(r3.Dot(q, u), 0, n)
		if d := r3.Norm2(r3.Sub(q, r3.Scale(t, u))); d < best {
			best, along = d, t
		}
	}
	return math.Sqrt(best), along
}

// Spot is the pixel of a still thing of the scene on the first picture.
func (t Truth) Spot(name string) [2]float64 {
	p := t.Shot(0).Project(vec(t.Marks[name]))
	return [2]float64{p.X, p.Y}
}

// Shot is the camera of a picture.
func (t Truth) Shot(i int) Shot {
	c := t.Film[i].Camera
	return Shot{At: vec(c.At), LookAt: vec(c.LookAt), Roll: c.Roll, Focal: c.Focal, K1: c.K1, Width: t.Width, Height: t.Height}
}

// Rightward reports whether the direction of travel runs to the right on the
// first picture.
func (t Truth) Rightward() bool {
	s := t.Shot(0)
	return s.Project(r3.Add(s.LookAt, r3.Vec{X: 0.1})).X > s.Project(s.LookAt).X
}

// At is a landmark's pixel on a picture.
func (t Truth) At(i int, l body.Landmark) r2.Vec {
	p := t.Film[i].InView[l]
	return r2.Vec{X: p[0], Y: p[1]}
}
