package sim

import (
	"math"

	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
)

// TruthSchema is the version of the truth file's form.
const TruthSchema = 1

// Truth is all that is known of a rendered clip. Lengths are metres, angles
// degrees, times seconds from the gun, pixels of the picture with its origin
// top left.
type Truth struct {
	Schema   int                `json:"schema"`
	Units    map[string]string  `json:"units"`
	Event    string             `json:"event"`
	Athlete  TruthAthlete       `json:"athlete"`
	View     string             `json:"view"`
	Capture  float64            `json:"captureRate"`
	Playback float64            `json:"playbackRate"`
	Width    int                `json:"width"`
	Height   int                `json:"height"`
	Stamps   map[string]float64 `json:"stamps"`
	Frames   map[string]int     `json:"stampFrames"` // the frame on which each stamp is first seen
	Measures map[string]float64 `json:"measures"`
	Faults   map[string]float64 `json:"faults"`
	Marks    map[string]Point   `json:"scene"` // still things whose places are known
	Film     []TruthFrame       `json:"frames"`
}

// TruthAthlete says who moved.
type TruthAthlete struct {
	HeightM float64   `json:"height"`
	Sex     body.Sex  `json:"sex"`
	Front   body.Side `json:"front"`
}

// TruthFrame is one picture.
type TruthFrame struct {
	T      float64                 `json:"t"`
	Camera TruthCamera             `json:"camera"`
	World  map[body.Landmark]Point `json:"world"`
	InView map[body.Landmark]Pixel `json:"inView"`
}

// TruthCamera is where the camera stood for one picture.
type TruthCamera struct {
	At     Point   `json:"at"`
	LookAt Point   `json:"lookAt"`
	Focal  float64 `json:"focal"`
}

// Point is x, y, z.
type Point [3]float64

// Pixel is x, y and whether the landmark is in sight, 1 or 0.
type Pixel [3]float64

func point(v r3.Vec) Point { return Point{round(v.X, 4), round(v.Y, 4), round(v.Z, 4)} }

func round(v, places float64) float64 {
	s := math.Pow(10, places)
	return math.Round(v*s) / s
}

// Film films a motion at a capture rate and writes down the truth.
func Film(m *Motion, c Camera, capture, playback float64, faults map[string]float64) Truth {
	view := "side-closed"
	if c.Near() == m.Athlete.Front {
		view = "side-open"
	}
	t := Truth{
		Schema: TruthSchema, Event: "sprint-start", View: view,
		Units:   map[string]string{"length": "m", "angle": "deg", "time": "s from the gun", "picture": "px, origin top left"},
		Athlete: TruthAthlete{m.Athlete.HeightM, m.Athlete.Sex, m.Athlete.Front},
		Capture: capture, Playback: playback, Width: c.Width, Height: c.Height,
		Stamps: m.instants(), Frames: map[string]int{}, Faults: faults, Marks: map[string]Point{},
	}
	t.Measures = m.measures(t.Stamps)
	for name, at := range m.Scene() {
		t.Marks[name] = point(at)
	}
	for i := 0; ; i++ {
		at := m.Begin() + float64(i)/capture
		if at > m.End() {
			break
		}
		t.Film = append(t.Film, m.frame(c, at))
	}
	for k, at := range t.Stamps {
		f := (at - m.Begin()) * capture
		t.Frames[k] = int(math.Ceil(f - 1e-9))
		if k == "set" || k == "recover-1" || k == "recover-2" {
			t.Frames[k] = int(math.Round(f))
		}
	}
	feet := []body.Side{m.Athlete.Front.Other(), m.Athlete.Front, m.Athlete.Front.Other()}
	for i, foot := range feet {
		t.Measures["foot-speed@"+key("td", i)] = round(m.footSpeed(foot, m.Begin()+float64(t.Frames[key("td", i)]-1)/capture, 3/capture), 4)
	}
	return t
}

// footSpeed is the mean speed of a toe along the track in the time span before
// an instant, m/s.
func (m *Motion) footSpeed(foot body.Side, until, span float64) float64 {
	toe := body.Landmark("toe." + string(foot))
	return (m.Pose(until)[toe].X - m.Pose(until - span)[toe].X) / span
}

// Scene are still things on the track: the start line and lane marks.
func (m *Motion) Scene() map[string]r3.Vec {
	return map[string]r3.Vec{"line": {}, "mark-0": {X: 0.5}, "mark-1": {X: 1.5}, "mark-2": {X: 2.5}, "mark-3": {X: 3.5}}
}

func (m *Motion) frame(c Camera, at float64) TruthFrame {
	f := TruthFrame{
		T: round(at, 6), Camera: TruthCamera{point(c.At), point(c.LookAt), round(c.Focal, 3)},
		World: map[body.Landmark]Point{}, InView: map[body.Landmark]Pixel{},
	}
	hidden := map[body.Landmark]bool{}
	for _, part := range []string{"hip", "shoulder", "ear"} {
		hidden[body.Landmark(part+"."+string(c.Near().Other()))] = true
	}
	for l, p := range m.Pose(at) {
		f.World[l] = point(p)
		px := c.Project(p)
		seen := 1.0
		if hidden[l] || px.X < 0 || px.Y < 0 || px.X > float64(c.Width) || px.Y > float64(c.Height) {
			seen = 0
		}
		f.InView[l] = Pixel{round(px.X, 2), round(px.Y, 2), seen}
	}
	return f
}

// instants are the exact times of all key positions.
func (m *Motion) instants() map[string]float64 {
	out := map[string]float64{"set": -0.02}
	for k, t := range m.Stamps {
		out[k] = t
	}
	front, rear := m.Athlete.Front, m.Athlete.Front.Other()
	ankle := func(s body.Side) func(float64) float64 {
		return func(t float64) float64 { return m.Pose(t)[body.Landmark("ankle."+string(s))].Z }
	}
	out["recover-1"] = highest(out["rear-off"], out["td1"], ankle(rear))
	out["recover-2"] = highest(out["block-exit"], out["td2"], ankle(front))
	delete(out, "td4")
	delete(out, "to4")
	return out
}

// measures are the true values, in three dimensions, by the simulator's own
// arithmetic.
func (m *Motion) measures(at map[string]float64) map[string]float64 {
	front, rear := m.Athlete.Front, m.Athlete.Front.Other()
	out := map[string]float64{}
	set := m.Pose(at["set"])
	joint := func(p Pose, part string, s body.Side) r3.Vec { return p[body.Landmark(part+"."+string(s))] }
	mid := func(p Pose, part string) r3.Vec { return middle(joint(p, part, "L"), joint(p, part, "R")) }
	hipAngle := func(s body.Side) float64 {
		return angle3(mid(set, "shoulder"), joint(set, "hip", s), joint(set, "knee", s))
	}
	out["front-knee@set"], out["rear-knee@set"] = knee(set, front), knee(set, rear)
	out["front-hip@set"], out["rear-hip@set"] = hipAngle(front), hipAngle(rear)
	out["hand-load@set"] = mid(set, "shoulder").X - joint(set, "wrist", front).X
	out["hip-over-shoulder@set"] = 100 * (mid(set, "hip").Z - mid(set, "shoulder").Z) / m.pr.Trunk
	out["hip-over-front-foot@set"] = 100 * (joint(set, "hip", front).X - joint(set, "ankle", front).X) / (m.pr.Thigh + m.pr.Shank)
	trunk := r3.Sub(mid(set, "shoulder"), mid(set, "hip"))
	neck := r3.Sub(middle(set["ear.L"], set["ear.R"]), mid(set, "shoulder"))
	out["head-line@set"] = (math.Atan2(neck.Z, neck.X) - math.Atan2(trunk.Z, trunk.X)) * 180 / math.Pi
	for key, span := range map[string][2]string{
		"reaction@first-move": {"gun", "first-move"}, "rear-push@rear-off": {"first-move", "rear-off"},
		"single-push@block-exit": {"rear-off", "block-exit"}, "block-time@block-exit": {"first-move", "block-exit"},
		"lead-arm-lag@lead-arm": {"first-move", "lead-arm"}, "flight@td1": {"block-exit", "td1"},
		"contact@to1": {"td1", "to1"}, "flight@td2": {"to1", "td2"}, "contact@to2": {"td2", "to2"},
		"flight@td3": {"to2", "td3"}, "contact@to3": {"td3", "to3"},
	} {
		out[key] = at[span[1]] - at[span[0]]
	}
	exit := m.Pose(at["block-exit"])
	out["exit-line@block-exit"] = bodyLine(exit, front)
	out["front-leg-extension@block-exit"] = knee(exit, front)
	_, v := m.com.at((at["block-exit"] + at["td1"]) / 2)
	out["exit-velocity@td1"] = v.X
	lines := out["exit-line@block-exit"]
	feet := []body.Side{rear, front, rear}
	from := 0.0
	for i, foot := range feet {
		td, to := m.Pose(at[key("td", i)]), m.Pose(at[key("to", i)])
		toe, a, k := joint(td, "toe", foot), joint(td, "ankle", foot), joint(td, "knee", foot)
		out["toe-ahead@"+key("td", i)] = toe.X - m.mass(td).X
		out["shin@"+key("td", i)] = math.Atan2(a.X-k.X, k.Z-a.Z) * 180 / math.Pi
		out["step-length@"+key("td", i)] = toe.X - from
		from = toe.X
		line := bodyLine(to, foot)
		out["line@"+key("to", i)] = line
		out["line-rise@"+key("to", i)] = line - lines
		lines = line
	}
	for i, foot := range feet[:2] {
		p := m.Pose(at[key("recover-", i)])
		out["heel-recovery@"+key("recover-", i)] = 100 * (joint(p, "ankle", foot).Z - joint(p, "knee", foot.Other()).Z) / (m.pr.Thigh + m.pr.Shank)
	}
	for k, x := range out {
		out[k] = round(x, 5)
	}
	return out
}

// Spot is the pixel of a still thing of the scene on the first picture.
func (t Truth) Spot(name string) [2]float64 {
	at, c := t.Marks[name], t.Film[0].Camera
	cam := Camera{At: vec(c.At), LookAt: vec(c.LookAt), Focal: c.Focal, Width: t.Width, Height: t.Height}
	p := cam.Project(vec(at))
	return [2]float64{p.X, p.Y}
}

func vec(p Point) r3.Vec { return r3.Vec{X: p[0], Y: p[1], Z: p[2]} }
