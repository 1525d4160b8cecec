package measure

import (
	"fmt"
	"math"
	"strings"

	"gonum.org/v1/gonum/spatial/r2"
	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
	"neokinema/core/clock"
	"neokinema/core/optics"
	"neokinema/core/playbook"
)

// Model errors that no pixel shows, all standard uncertainties.
const (
	JointAngleU  = 2.0    // degrees, an included angle: joint centres are not visible points
	DirectionU   = 1.0    // degrees, a segment's or line's inclination
	RestAngleU   = 2.0    // degrees, the shape of the trunk at rest
	RestShareU   = 2.0    // percent, as much in shares of a length
	BendU        = 2.0    // percent, of a pole that is not quite straight yet
	JointApartU  = 0.0072 // of standing height, the distance between two joint centres
	ShoeTipU     = 0.005  // of standing height, the tip of the foot within its shoe
	MassU        = 0.01   // of standing height, the centre of mass
	MassNoArmsU  = 0.01   // of standing height more, with the arms not placed
	HiddenShare  = 0.05   // of the trunk's length, a far hip or shoulder read off the near one
	TurnedShare  = 0.25   // as much, where hips and shoulders turn against the line of travel
	minTrunkPx   = 20.0
	unknownMarkU = optics.MarkU
)

// source is one quantity that a value rests on. What names it in words, with
// {of} for the landmark and {at} for the moment; axis tells x from y, which the
// derivation lists as one.
type source struct {
	what string
	of   body.Landmark
	at   string
	axis byte
}

// title is how the derivation lists a source.
func (s source) title() string {
	return strings.ReplaceAll(strings.ReplaceAll(s.what, "{of}", LandmarkName(s.of)), "{at}", s.at)
}

// plain is a source that there is one of.
func plain(what string) source { return source{what: what} }

// evaluation gives a measure's formula its inputs. A first run notes which were
// asked for and what was missing; later runs shift one of them.
type evaluation struct {
	sheet       *Recording
	unconfirmed bool // a point was used that a body model found, or a key position that was found on such points
	foundStamp  bool // the latter
	plane       optics.Plane
	measure     playbook.Measure
	keyID       string
	keys        map[string]known // by place, kept from run to run
	shift       *source
	by          float64
	left        bool  // the athlete is a left-hander: left and right are exchanged in space
	draw        *draw // all inputs are off at once
	seen        map[source]float64
	order       []source
	missing     []Missing
	requested   []ExtraLandmark // landmarks wanted on pictures between the key positions
	toFollow    []Followed
	drawings    []Overlay
	found       *foundCourses // kept from run to run
	lifted      float64       // m, by which the height of a foot's part shifts where it seems to stand
}

// known is a key position with the roles that hold there.
type known struct {
	playbook.Key
	roles body.Roles
	marks map[string]body.Landmark // by the names of roles that were asked for
}

// key is a key position of the event.
func (p *evaluation) key(keyID string) known {
	k, ok := p.keys[keyID]
	if !ok {
		first, second, between := playbook.Between(keyID)
		k.Key, _ = p.sheet.Event.Key(first)
		if between {
			other, _ := p.sheet.Event.Key(second)
			k.Name = "half-way from " + k.Name + " to " + other.Name
		}
		k.roles, k.marks = withSupport(p.sheet.Roles, k.Key), map[string]body.Landmark{}
		p.keys[keyID] = k
	}
	return k
}

// input is the gate: a quantity with its standard uncertainty.
func (p *evaluation) input(s source, value, u float64) float64 {
	if p.draw != nil {
		return value + u*p.draw.of(s)
	}
	if p.shift != nil {
		if s == *p.shift {
			return value + p.by
		}
		return value
	}
	if _, ok := p.seen[s]; !ok && u > 0 {
		p.seen[s] = u
		p.order = append(p.order, s)
	}
	return value
}

func (p *evaluation) require(kind, id, format string, args ...any) {
	for _, m := range p.missing {
		if m.Kind == kind && m.ID == id {
			return
		}
	}
	p.missing = append(p.missing, Missing{kind, fmt.Sprintf(format, args...), id})
}

// frame is the frame of a key position, or the one half-way between two.
func (p *evaluation) frame(keyID string) (int, bool) {
	if first, second, between := playbook.Between(keyID); between {
		a, okA := p.frame(first)
		b, okB := p.frame(second)
		return (a + b) / 2, okA && okB
	}
	f, ok := p.sheet.Stamps[keyID]
	if !ok {
		p.require("stamp", keyID, "stamp %s", p.key(keyID).Name)
	}
	return f, ok
}

// instant is the real time of a key position, in seconds.
func (p *evaluation) instant(keyID string) float64 {
	f, ok := p.frame(keyID)
	if !ok {
		return 0
	}
	k := p.key(keyID)
	at, err := p.sheet.Instant(k.Key, f)
	if p.sheet.StampU[keyID] > 0 {
		p.unconfirmed, p.foundStamp = true, true
	}
	if err != nil {
		p.require("stamp", keyID, "%s: %v", k.Name, err)
		return 0
	}
	return p.input(source{what: "stamp of {at}", at: k.Name}, at.T, at.U)
}

// real turns a duration of the film into real seconds, as well as the capture
// rate is known.
func (p *evaluation) real(t float64) float64 {
	return t * p.input(captureRate, 1, p.sheet.Timeline.RelU())
}

// point resolves a role name at a place: "front.knee", "mid.hip", "stance.toe".
func (p *evaluation) point(keyID, name string) r2.Vec {
	if part, ok := cutMid(name); ok {
		return p.middle(keyID, part)
	}
	l, err := p.landmark(keyID, name)
	if err != nil {
		p.require("landmark", name, "%v", err)
		return r2.Vec{}
	}
	if v, ok := p.landmarkAt(keyID, l); ok {
		return v
	}
	part := strings.Split(string(l), ".")[0]
	far := p.sheet.Roles["far"]
	if (part == "hip" || part == "shoulder") && l == body.Landmark(part+"."+string(far)) {
		return p.hidden(keyID, part)
	}
	return p.requireLandmark(keyID, l)
}

func (p *evaluation) landmark(keyID, name string) (body.Landmark, error) {
	k := p.key(keyID)
	l, known := k.marks[name]
	if known {
		return l, nil
	}
	l, err := k.roles.Landmark(name)
	if err == nil {
		k.marks[name] = l
	}
	return l, err
}

func withSupport(r body.Roles, k playbook.Key) body.Roles {
	out := body.Roles{}
	for role, side := range r {
		out[role] = side
	}
	if side, ok := r[k.Support()]; ok {
		out["stance"], out["swing"] = side, side.Other()
	}
	return out
}

func cutMid(name string) (part string, ok bool) { return strings.CutPrefix(name, "mid.") }

func (p *evaluation) requireLandmark(keyID string, l body.Landmark) r2.Vec {
	if _, ok := p.frame(keyID); ok {
		p.require("landmark", string(l)+"@"+keyID, "place the %s at %s", LandmarkName(l), p.key(keyID).Name)
	}
	return r2.Vec{}
}

// LandmarkName is a landmark in words: "left knee".
func LandmarkName(l body.Landmark) string {
	part, side, paired := strings.Cut(string(l), ".")
	if !paired || side != string(body.Left) && side != string(body.Right) {
		return strings.ReplaceAll(string(l), ".", " ")
	}
	return body.Side(side).Word() + " " + part
}

// placing is what a point's own error is called.
const placing = "placing the {of} at {at}"

// landmarkAt is a landmark's place in the plane, in level pixels.
func (p *evaluation) landmarkAt(keyID string, l body.Landmark) (r2.Vec, bool) {
	kept := placeKey{keyID, l}
	if p.elsewhere(keyID, l) {
		if at, ok := p.found.places[kept]; ok {
			return at.Vec, at.seen
		}
	}
	at, seen := p.shiftedPlace(keyID, l)
	if p.shift == nil && p.draw == nil {
		p.found.places[kept] = place{at, seen}
	}
	return at, seen
}

// elsewhere reports whether the input that is shifted moves nothing of a landmark at
// a key position; without a landmark, of any there.
func (p *evaluation) elsewhere(keyID string, l body.Landmark) bool {
	if p.shift == nil || p.movesPaths() {
		return false
	}
	of := p.shift.of
	return p.shift.at != p.key(keyID).Name || l != "" && of != "" && of != l && of != "implement"
}

// shiftedPlace is a landmark's place, through the gate of every input that moves it.
func (p *evaluation) shiftedPlace(keyID string, l body.Landmark) (r2.Vec, bool) {
	f, ok := p.frame(keyID)
	if !ok {
		return r2.Vec{}, false
	}
	if first, _, between := playbook.Between(keyID); between {
		p.request(first, f, l)
	}
	v, ok := p.landmarkOn(f, l, source{what: placing, of: l, at: p.key(keyID).Name})
	k := p.key(keyID)
	if nature := clock.Nature(k.Nature); ok && nature != clock.Still && p.sheet.Event.Pace > 0 && p.plane.PxPerM > 0 && !p.across() {
		late := p.input(source{what: "moment of the picture at {at}", at: k.Name}, 0, lateU*p.sheet.Timeline.Interval(f))
		v.X += late * p.sheet.Event.Pace * landmarkSpeed(l, k) * p.plane.PxPerM
		if p.sheet.Event.Ground.Kind == "circle" {
			v = r2.Add(v, p.turning(l, k, f))
		}
	}
	return v, ok
}

// turning is how a part moves about the body, level pixels, while a picture is
// late: in a circle bodies turn, and each part goes its own way.
func (p *evaluation) turning(l body.Landmark, k known, frame int) r2.Vec {
	way := p.speedOf(l, k) * lateU * p.sheet.Timeline.Interval(frame) * p.plane.PxPerM
	if isCourseMark(l) { // all of an implement moves together
		l = "implement"
	}
	return p.uncertainPoint(source{what: "the {of} moves about the body at {at}", of: l, at: k.Name}, r2.Vec{}, way, way/2)
}

// lateU is how much later than the instant of a contact, release or other
// change the picture is that first shows it, in picture intervals: half of one
// on average, and as much again for what is hard to see (root mean square).
const lateU = 0.65

// landmarkSpeed is how fast a part moves at a change, as a share of the athlete's speed:
// the standing foot stays, what is above it turns over it, the free leg passes.
func landmarkSpeed(l body.Landmark, k known) float64 {
	part, side, _ := strings.Cut(string(l), ".")
	if side == string(k.roles["stance"]) {
		if s, ok := standingPace[part]; ok {
			if k.Lifts != "" {
				return s[1]
			}
			return s[0]
		}
	}
	if s, ok := freePace[part]; ok {
		return s
	}
	return 1
}

var (
	standingPace = map[string][2]float64{"toe": {0.12, 0.4}, "heel": {0.1, 0.7}, "ankle": {0.15, 0.6}, "knee": {1, 0.9}} // just landed, just lifted
	freePace     = map[string]float64{"knee": 1.3, "ankle": 1.6, "heel": 1.7, "toe": 1.7}
)

// request notes that a landmark is wanted on a picture that is no key position.
func (p *evaluation) request(keyID string, frame int, l body.Landmark) {
	if p.shift == nil {
		p.requested = append(p.requested, ExtraLandmark{keyID, frame, l, p.measure.Name})
	}
}

// landmarkOn is a landmark's place on a frame, in level pixels.
func (p *evaluation) landmarkOn(frame int, l body.Landmark, from source) (r2.Vec, bool) {
	px, u, ok := p.pixel(frame, l)
	if !ok {
		return r2.Vec{}, false
	}
	return p.inPlane(p.uncertainPoint(from, px, u.X, u.Y)), true
}

// pixel is where a landmark is seen on a frame, in pixels of the first picture,
// and its standard uncertainty along each axis.
func (p *evaluation) pixel(frame int, l body.Landmark) (px, u r2.Vec, ok bool) {
	m, ok := p.sheet.Observations[frame][l]
	if !ok {
		return r2.Vec{}, r2.Vec{}, false
	}
	p.unconfirmed = p.unconfirmed || m.Source == Detected
	depth := optics.BodyDepthU
	switch part, _, _ := strings.Cut(string(l), "."); part {
	case "elbow", "wrist", "knuckle":
		depth = optics.ArmDepthU
	}
	ux, uy := p.sheet.Calibration.Parallax(m.At, depth, p.plane.PxPerM)
	moved, cu := p.sheet.Camera.At(frame)
	own := math.Hypot(p.sheet.markU(m), cu)
	return moved.Inverse().Map(m.At), r2.Vec{X: math.Hypot(own, ux), Y: math.Hypot(own, uy)}, true
}

// inPlane takes a pixel of the first picture to the plane of movement, level
// pixels.
func (p *evaluation) inPlane(px r2.Vec) r2.Vec {
	plane := p.plane
	plane.Tilt = p.input(tilted, plane.Tilt, plane.TiltU)
	v := plane.Map(px)
	factor, su, err := p.sheet.Calibration.OffSquareFactor()
	if err != nil {
		p.require("view", "off-square", "%v", err)
		return v
	}
	v.X *= p.input(offSquare, factor, su)
	return p.nearing(v)
}

// movesPaths reports whether the input that is shifted moves every point of a
// path, or its times.
func (p *evaluation) movesPaths() bool {
	if p.draw != nil {
		return true
	}
	switch *p.shift {
	case tilted, offSquare, comingNearer, captureRate:
		return true
	}
	return false
}

// openSide is the share by which what depends on the side to which a camera
// stands off the square view is open: it is one way or the other.
const openSide = 0.6

// nearing moves a point as one does that comes nearer to the camera along the
// line of travel, or goes away from it: known to happen where the camera stands
// off the square view, not on which side.
func (p *evaluation) nearing(v r2.Vec) r2.Vec {
	c := p.sheet.Calibration
	if c.Off == 0 || c.Centre == (r2.Vec{}) || p.plane.PxPerM == 0 || p.across() {
		return v
	}
	d, _ := c.CameraDistance()
	from := r2.Sub(v, p.plane.Map(c.Centre))
	share := p.side() * from.X / (d * p.plane.PxPerM)
	return r2.Add(v, r2.Scale(share, from))
}

// side is by how many metres what lies a metre on along the line of travel is
// nearer, or farther away.
func (p *evaluation) side() float64 {
	return p.input(comingNearer, 0, openSide) * math.Tan(math.Abs(p.sheet.Calibration.Off)*math.Pi/180)
}

// scaleNearing is what nearing does to a scale that was marked beside the
// picture's middle.
func (p *evaluation) scaleNearing() float64 {
	c := p.sheet.Calibration
	if c.Off == 0 || c.Scale == nil || c.Centre == (r2.Vec{}) || p.plane.PxPerM == 0 || p.across() {
		return 1
	}
	d, _ := c.CameraDistance()
	middle := r2.Scale(0.5, r2.Add(c.Scale.A, c.Scale.B))
	return 1 + 2*p.side()*(p.plane.Map(middle).X-p.plane.Map(c.Centre).X)/(d*p.plane.PxPerM)
}

// alongThrow is what a way toward the throw of so many metres, with its standard
// uncertainty, does along the plane's x, in level pixels, to a camera behind the athlete
// that stands off the line.
func (p *evaluation) alongThrow(metres, u float64) float64 {
	if off, offU, known := p.sheet.CameraOffLine(); known {
		right := p.input(plain("way toward the throw"), metres, u) * math.Sin(p.input(plain("direction of the camera, by known points"), off, offU)*math.Pi/180)
		if !p.plane.Rightward() {
			right = -right
		}
		return right * p.plane.PxPerM
	}
	return p.input(plain("camera off the throwing line"), 0, openSide) * (metres + u) * math.Sin(math.Abs(p.sheet.Calibration.Off)*math.Pi/180) * p.plane.PxPerM
}

// offBy is by how many degrees a camera is off the square view, or off the throwing line.
func (s *Recording) offBy() float64 {
	if off, _, known := s.CameraOffLine(); known {
		return math.Abs(off)
	}
	return math.Abs(s.Calibration.Off)
}

// behindAtMost is how far from the throwing line a camera is still behind, degrees.
const behindAtMost = 60

// CameraOffLine is the azimuth, degrees, at which points of known places tell that a
// camera stands that films a throw from a circle from behind: 0 straight behind. It is the
// world's, not turned round for left-handers. Nothing is known without such points, from
// another view, or where the athlete does not move along the world's x, as a jumper who
// runs a curve.
func (s *Recording) CameraOffLine() (off, u float64, known bool) {
	if s.view == nil || s.View != "back" || s.Event.Ground.Kind != "circle" {
		return 0, 0, false
	}
	angle, u := s.view.Heading(r3.Vec{})
	sin, cos := math.Sincos(angle)
	off = azimuth(r3.Vec{X: cos, Y: sin})
	return off, u * 180 / math.Pi, math.Abs(off) < behindAtMost
}

// What moves every point of the plane: how level the picture is, and how much the
// camera may stand off the square view. The capture rate moves every time.
var (
	tilted       = plain("level")
	offSquare    = plain(fmt.Sprintf("camera off square, %.0f° more or less", optics.OffSquare))
	comingNearer = plain("coming nearer, off the square view")
	captureRate  = plain("capture rate")
)

// uncertainPoint is a point whose axes are uncertain each by itself.
func (p *evaluation) uncertainPoint(s source, at r2.Vec, ux, uy float64) r2.Vec {
	x, y := s, s
	x.axis, y.axis = 'x', 'y'
	return r2.Vec{X: p.input(x, at.X, ux), Y: p.input(y, at.Y, uy)}
}

// hidden reads a far hip or shoulder off the near one.
func (p *evaluation) hidden(keyID, part string) r2.Vec {
	near := body.Landmark(part + "." + string(p.sheet.Roles["near"]))
	v, ok := p.landmarkAt(keyID, near)
	if !ok {
		return p.requireLandmark(keyID, near)
	}
	u := HiddenShare * p.trunkPx(keyID)
	if !p.sheet.Event.Aligned {
		u = TurnedShare * p.trunkPx(keyID)
	}
	return r2.Add(v, p.uncertainPoint(source{what: "far {of} read off the near one at {at}", of: body.Landmark(part), at: p.key(keyID).Name}, r2.Vec{}, u, u/2))
}

// middle is the mean of a pair, or the near one when the far one is hidden.
func (p *evaluation) middle(keyID, part string) r2.Vec {
	if part == "bar" {
		return p.bar(keyID)
	}
	near, okN := p.landmarkAt(keyID, body.Landmark(part+"."+string(p.sheet.Roles["near"])))
	far, okF := p.landmarkAt(keyID, body.Landmark(part+"."+string(p.sheet.Roles["far"])))
	switch {
	case okN && okF:
		return r2.Scale(0.5, r2.Add(near, far))
	case okF:
		return far
	}
	return p.hidden(keyID, part)
}

// bar is where the bar is seen where the athlete crosses it: about half-way
// between its ends, of which the nearer looks larger.
func (p *evaluation) bar(keyID string) r2.Vec {
	near, okN := p.landmarkAt(keyID, "bar.near")
	far, okF := p.landmarkAt(keyID, "bar.far")
	if !okN {
		return p.requireLandmark(keyID, "bar.near")
	}
	if !okF {
		return p.requireLandmark(keyID, "bar.far")
	}
	const half, crossingU = 2.0, 0.15 // m; as a share of the bar
	d, _ := p.sheet.Calibration.CameraDistance()
	along := 0.5 + p.input(plain("where the bar is crossed"), 0, crossingU)
	a, b := (d-half)*(1-along), (d+half)*along
	return r2.Scale(1/(a+b), r2.Add(r2.Scale(a, near), r2.Scale(b, far)))
}

// trunkPx is the length of the trunk as placed, without its uncertainty.
func (p *evaluation) trunkPx(keyID string) float64 {
	f, _ := p.frame(keyID)
	near := p.sheet.Roles["near"]
	s, okS := p.sheet.Observations[f][body.Landmark("shoulder."+string(near))]
	h, okH := p.sheet.Observations[f][body.Landmark("hip."+string(near))]
	if !okS || !okH {
		return minTrunkPx
	}
	return max(minTrunkPx, r2.Norm(r2.Sub(s.At, h.At)))
}

// metres turns a length of the plane into metres.
func (p *evaluation) metres(px float64) float64 {
	if p.plane.PxPerM == 0 {
		p.require("scale", "scale", "set the scale: a known length in the lane")
		return 0
	}
	return px / p.input(plain("scale"), p.plane.PxPerM, p.plane.ScaleU) * p.scaleNearing()
}

// origin is the line's place along the direction of travel, in pixels.
func (p *evaluation) origin() float64 {
	o := p.sheet.Calibration.Origin
	if o == nil {
		p.require("origin", "origin", "mark the %s", p.sheet.Event.Line)
		return 0
	}
	u := p.sheet.calibration().MarkU
	px := r2.Vec{X: p.input(plain("marking the line"), o.X, u), Y: o.Y}
	factor, su, err := p.sheet.Calibration.OffSquareFactor()
	if err != nil {
		p.require("view", "off-square", "%v", err)
		return 0
	}
	v := p.plane.Map(px)
	v.X *= p.input(offSquare, factor, su)
	return p.nearing(v).X
}

// sided are the landmarks of the left and of the right by their part.
var sided = [2]map[string]body.Landmark{sideOf(body.Left), sideOf(body.Right)}

func sideOf(s body.Side) map[string]body.Landmark {
	out := map[string]body.Landmark{}
	for _, part := range body.Paired {
		out[part] = body.Landmark(part + "." + string(s))
	}
	return out
}

func (p *evaluation) arc(keyID string, vertex, from, to r2.Vec) {
	if p.shift != nil {
		return
	}
	f, _ := p.frame(keyID)
	p.arcAt(f, vertex, from, to)
}

func (p *evaluation) segment(keyID string, from, to r2.Vec) {
	if p.shift != nil {
		return
	}
	f, _ := p.frame(keyID)
	p.segmentAt(f, from, to)
}

func (p *evaluation) arcAt(frame int, vertex, from, to r2.Vec) {
	v := p.shown(frame, vertex)
	p.drawings = append(p.drawings, Overlay{Kind: "arc", Frame: frame, Vertex: &v, From: p.shown(frame, from), To: p.shown(frame, to)})
}

func (p *evaluation) segmentAt(frame int, from, to r2.Vec) {
	p.drawings = append(p.drawings, Overlay{Kind: "segment", Frame: frame, From: p.shown(frame, from), To: p.shown(frame, to)})
}

// shown is a point of the plane on a picture, px of the original.
func (p *evaluation) shown(frame int, at r2.Vec) r2.Vec {
	moved, _ := p.sheet.Camera.At(frame)
	return moved.Map(p.plane.Unmap(at))
}
