package measure

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"gonum.org/v1/gonum/spatial/r2"
	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
	"neokinema/core/clock"
	"neokinema/core/optics"
	"neokinema/core/playbook"
)

// SecondView is another film of the attempt, from another side. View is where its
// camera stood in the world: x toward the throw or along the run, y to the left,
// z up, m.
type SecondView struct {
	Timeline     clock.Timeline
	Stamps       map[string]int
	StampU       map[string]float64 // as in Recording
	Observations map[int]map[body.Landmark]Observation
	Camera       optics.CameraMotion
	View         optics.View
}

// SecondView is this film as the second one of another.
func (s *Recording) SecondView(view optics.View) *SecondView {
	return &SecondView{Timeline: s.Timeline, Stamps: s.Stamps, StampU: s.StampU, Observations: s.Observations, Camera: s.Camera, View: view}
}

// Views of a measure that are more than one picture's plane.
const (
	Pair  = "pair"  // two films from different sides, in which the same points are marked
	Known = "known" // one film in which points of known places are marked: for feet on the ground
)

// What is in space passes the gate with these model errors besides its pixels',
// all standard uncertainties.
const (
	JointU = 0.005 // of standing height, along each axis: a joint's centre is not a visible point
	WiltU  = 0.04  // of a length of the body that is taken from standing height

)

// standing is how high over the ground a part of a foot is that stands on it, m,
// and how well that is known: feet land on the ball and leave with the heel
// raised.
func standing(part string, lands, leaves bool) (height, u float64, ok bool) {
	switch {
	case part == "toe" && lands:
		return 0.03, 0.035, true
	case part == "toe":
		return 0.012, 0.015, true
	case part == "heel" && leaves:
		return 0.18, 0.05, true
	case part == "heel" && lands:
		return 0.08, 0.045, true
	case part == "heel":
		return 0.035, 0.035, true
	case part == "ankle":
		return 0.105, 0.025, true
	}
	return 0, 0, false
}

// speeds are how fast parts move while an athlete throws or leaves the ground,
// m/s: for what the moment of a picture leaves open.
var speeds = map[string]float64{
	"elbow": 3, "wrist": 4, "knuckle": 5, "knee": 3.5, "ankle": 3.5, "heel": 3.5, "toe": 3.5, "shoulder": 1.8, "neck": 1.2, "vertex": 1.2, "chin": 1.2, "ear": 1.2,
	"implement": 12, "grip": 4,
}

// usualSpeed is that of the trunk, thrownSpeed that of what is just let go.
const (
	usualSpeed  = 1.0
	thrownSpeed = 20.0
)

// speedOf is how fast a landmark moves: a standing foot hardly does.
func (p *evaluation) speedOf(l body.Landmark, k known) float64 {
	part, side, _ := strings.Cut(string(l), ".")
	if side == string(k.roles["stance"]) && (part == "toe" || part == "heel" || part == "ankle") {
		return 0.5
	}
	if isCourseMark(l) && k.ID == "release" {
		return thrownSpeed
	}
	if v, ok := speeds[part]; ok {
		return v
	}
	return usualSpeed
}

// JoinFilms sets where this film's camera stood and, when there is another film,
// finds the points in space that both show. It gives by how much the second
// film's time runs after the first one's.
func (s *Recording) JoinFilms(stand *optics.View, other *SecondView) (clock.TimeMap, error) {
	s.view, s.reconstructed, s.lost, s.scatter = stand, nil, nil, nil
	if other == nil {
		return clock.TimeMap{}, nil
	}
	s.Paired = true
	if stand == nil {
		return clock.TimeMap{}, errors.New("mark points of known places on both films: this one has none yet")
	}
	both, _, err := s.AlignClocks(other)
	if err != nil {
		return both, err
	}
	own := &Recording{Timeline: other.Timeline, Observations: other.Observations, HeightM: s.HeightM}
	factor := [2]float64{s.Scatter().Factor, own.Scatter().Factor}
	var disagree []float64
	spots, lost := map[int]map[body.Landmark]optics.Point3D{}, map[int]map[body.Landmark]error{}
	for frame, marks := range s.Observations {
		t := both.At(s.Timeline.At(frame))
		for l, m := range marks {
			seen, ok := other.at(l, t, both.OffsetU, s.stampedIn(other, frame))
			if !ok {
				continue
			}
			seen.U *= factor[1]
			moved, cu := s.Camera.At(frame)
			fix, err := optics.Triangulate(optics.Ray{View: *stand, Px: moved.Inverse().Map(m.At), U: math.Hypot(s.markU(m), cu)}, seen)
			if err == nil && fix.RMS > worstMiss*math.Hypot(s.markU(m), seen.U) {
				err = fmt.Errorf("the two films show it at different places, %.0f px off: look at it, at the known points and at the shared stamps again", fix.RMS)
			}
			if spots[frame] == nil {
				spots[frame], lost[frame] = map[body.Landmark]optics.Point3D{}, map[body.Landmark]error{}
			}
			if err != nil {
				lost[frame][l] = err
				continue
			}
			spots[frame][l] = fix
			disagree = append(disagree, 2*fix.RMS/math.Hypot(fix.Expect, s.unseen(l, stand.PxPerM())))
		}
	}
	// Two films of a point leave one residual open.
	if r := ratio(disagree); r >= worthTelling {
		for frame := range spots {
			for l, fix := range spots[frame] {
				for i := range fix.Spread {
					fix.Spread[i] = r3.Scale(r, fix.Spread[i])
				}
				spots[frame][l] = fix
			}
		}
		if now := s.Scatter(); r > now.Factor {
			s.scatter = &Scatter{Factor: r, Seen: r * now.Told, Told: now.Told, From: "the two films show points at different places"}
		}
	}
	s.reconstructed, s.lost = spots, lost
	return both, nil
}

// ReconstructedPoints counts the marks that both films show in space, and those that they show
// at different places.
func (s *Recording) ReconstructedPoints() (points, lost int) {
	for frame, some := range s.reconstructed {
		points, lost = points+len(some), lost+len(s.lost[frame])
	}
	return points, lost
}

// worstMiss is by how many of its standard uncertainties two views may miss a
// point that is taken for one.
const worstMiss = 8

// toldU is a point's uncertainty as it was told, px.
func toldU(m Observation) float64 {
	if m.U == 0 {
		return unknownMarkU
	}
	return m.U
}

// markU is a point's uncertainty as the film's points show it, px.
func (s *Recording) markU(m Observation) float64 {
	if s.scatter == nil {
		return toldU(m)
	}
	return s.scatter.Factor * toldU(m)
}

// AlignClocks joins another film's time to this one's by the key positions that are
// stamped on both, and names them.
func (s *Recording) AlignClocks(other *SecondView) (j clock.TimeMap, shared []string, err error) {
	var here, there []clock.Instant
	for _, k := range s.Event.Keys {
		f, on := s.Stamps[k.ID]
		g, too := other.Stamps[k.ID]
		if !on || !too {
			continue
		}
		a, errA := s.Instant(k, f)
		b, errB := other.Timeline.Instant(g, clock.Nature(k.Nature))
		b.U = math.Hypot(b.U, other.StampU[k.ID])
		if errA == nil && errB == nil {
			here, there, shared = append(here, a), append(there, b), append(shared, k.ID)
		}
	}
	j, err = clock.Align(here, there)
	return j, shared, err
}

// stamped is a picture of a film that shows a key position, and by how much, s, it
// may be off beside its own ±.
type stamped struct {
	frame int
	u     float64
}

// stampedIn is the other film's picture of the key position that is stamped on one
// here; nil without one.
func (s *Recording) stampedIn(other *SecondView, frame int) *stamped {
	for _, k := range s.Event.Keys {
		if f, here := s.Stamps[k.ID]; here && f == frame {
			if j, there := other.Stamps[k.ID]; there {
				return &stamped{j, math.Hypot(s.StampU[k.ID], other.StampU[k.ID])}
			}
		}
	}
	return nil
}

// at is where a landmark is seen at a time: between the two pictures about it,
// where it is known on both, or on the one that is stamped for the same key
// position, as far as it may have moved. The better known one counts, so that
// following a point takes nothing from one that was placed.
func (a *SecondView) at(l body.Landmark, t, u float64, key *stamped) (best optics.Ray, ok bool) {
	back := func(i int) (r2.Vec, float64, bool) {
		m, ok := a.Observations[i][l]
		if !ok {
			return r2.Vec{}, 0, false
		}
		moved, cu := a.Camera.At(i)
		return moved.Inverse().Map(m.At), math.Hypot(toldU(m), cu), true
	}
	j := a.Timeline.FirstAfter(t)
	if j > 0 && j < a.Timeline.Len() {
		p, pu, okP := back(j - 1)
		q, qu, okQ := back(j)
		if okP && okQ {
			d := a.Timeline.At(j) - a.Timeline.At(j-1)
			w := (t - a.Timeline.At(j-1)) / d
			step := r2.Sub(q, p)
			best, ok = optics.Ray{View: a.View, Px: r2.Add(p, r2.Scale(w, step)), U: math.Hypot(math.Max(pu, qu), r2.Norm(step)/d*u)}, true
		}
	}
	if key == nil {
		return best, ok
	}
	p, pu, seen := back(key.frame)
	if !seen {
		return best, ok
	}
	part, _, _ := strings.Cut(string(l), ".")
	v, known := speeds[part]
	if !known {
		v = usualSpeed
	}
	late := math.Hypot(a.Timeline.Interval(key.frame)/math.Sqrt(6), key.u)
	if once := (optics.Ray{View: a.View, Px: p, U: math.Hypot(pu, v*late*a.View.PxPerM())}); !ok || once.U < best.U {
		return once, true
	}
	return best, true
}

// What a measure lacks that one plain film cannot show.
var (
	needsPair  = Missing{"view", "this needs a second film from another side, with the same points placed and points of known places marked on both", Pair}
	tooLow     = Missing{"view", "the camera stands too low to see which way a foot points: film from above, or from a second side as well", Known}
	needsKnown = Missing{"view", "this needs points of known places marked on the picture: the ground tells where a foot stands", Known}
)

// mirrored reports whether left and right are exchanged, so that every dial
// reads alike for both hands.
func mirrored(r body.Roles) bool {
	for _, role := range []string{"throwing", "top"} {
		if side, ok := r[role]; ok {
			return side == body.Left
		}
	}
	return r["takeoff"] == body.Left
}

// world is a place of the world as a right-hander has it.
func (p *evaluation) world(v r3.Vec) r3.Vec {
	if p.left {
		v.Y = -v.Y
	}
	return v
}

// isCourseMark reports whether a landmark is of a thing, not of the body.
func isCourseMark(l body.Landmark) bool {
	thing, _, _ := strings.Cut(string(l), ".")
	switch thing {
	case "implement", "grip", "pole", "bar", "board":
		return true
	}
	return false
}

// space is a point in space at a place; "mid" is the middle of both sides.
func (p *evaluation) space(keyID, name string) r3.Vec {
	f, ok := p.frame(keyID)
	if !ok {
		return r3.Vec{}
	}
	return p.spaceAt(keyID, f, name, true)
}

// spaceAt is a point in space on a picture. What moves while a picture is late
// adds to its error at a key position that is a change.
func (p *evaluation) spaceAt(keyID string, frame int, name string, moment bool) r3.Vec {
	if part, ok := cutMid(name); ok {
		a, b := p.spaceAt(keyID, frame, "near."+part, moment), p.spaceAt(keyID, frame, "far."+part, moment)
		return r3.Scale(0.5, r3.Add(a, b))
	}
	l, err := p.landmark(keyID, name)
	if err != nil {
		p.require("landmark", name, "%v", err)
		return r3.Vec{}
	}
	k := p.key(keyID)
	fix, ok := p.sheet.reconstructed[frame][l]
	if !ok {
		if err := p.sheet.lost[frame][l]; err != nil {
			p.require("landmark", string(l)+"@"+keyID, "%s at %s: %v", LandmarkName(l), k.Name, err)
		} else if _, here := p.sheet.Observations[frame][l]; here {
			p.require("landmark", string(l)+"@"+keyID, "place the %s at %s on the other film as well", LandmarkName(l), k.Name)
		} else {
			p.require("landmark", string(l)+"@"+keyID, "place the %s at %s", LandmarkName(l), k.Name)
		}
		return r3.Vec{}
	}
	return p.reconstructedPoint(fix, l, k, frame, moment)
}

func (p *evaluation) reconstructedPoint(fix optics.Point3D, l body.Landmark, k known, frame int, moment bool) r3.Vec {
	v := fix.At
	p.unconfirmed = p.unconfirmed || p.sheet.Observations[frame][l].Source == Detected
	if p.sheet.drawn != nil {
		return p.fittedAt(fix, l, k, frame, moment)
	}
	if p.shift != nil && p.draw == nil && p.shift.of != l && (p.shift.of != "implement" || !isCourseMark(l)) {
		return p.world(v) // none of its own inputs is the one that is shifted
	}
	when := k.Name
	if own, ok := p.frame(k.ID); ok && own != frame {
		when = fmt.Sprintf("picture %d", frame)
	}
	for i, along := range fix.Spread {
		from := source{what: placing, of: l, at: when}
		from.axis = byte('x' + i)
		v = r3.Add(v, r3.Scale(p.input(from, 0, 1), along))
	}
	if !isCourseMark(l) {
		v = p.blurred(v, source{what: "joint centres at {at}", of: l, at: when}, JointU*p.sheet.HeightM)
	}
	if moment && clock.Nature(k.Nature) != clock.Still {
		late := p.speedOf(l, k) * lateU * p.sheet.Timeline.Interval(frame)
		if isCourseMark(l) { // all of an implement moves together, and hardly upward
			from := source{what: "moment of the picture at {at}", of: "implement", at: when}
			v = r3.Add(v, p.shift3(from, r3.Vec{X: late, Y: late, Z: late / 2}))
		} else {
			v = p.blurred(v, source{what: "moment of the picture at {at}", of: l, at: when}, late)
		}
	}
	return p.world(v)
}

// blurred moves a point along each axis by an error.
func (p *evaluation) blurred(v r3.Vec, s source, u float64) r3.Vec {
	return r3.Add(v, p.shift3(s, r3.Vec{X: u, Y: u, Z: u}))
}

// shift3 is an error with its own uncertainty along each axis.
func (p *evaluation) shift3(s source, u r3.Vec) r3.Vec {
	x, y, z := s, s, s
	x.axis, y.axis, z.axis = 'x', 'y', 'z'
	return r3.Vec{X: p.input(x, 0, u.X), Y: p.input(y, 0, u.Y), Z: p.input(z, 0, u.Z)}
}

// floor is where a foot stands, m: from two films, else from one in which points
// of known places are marked.
func (p *evaluation) floor(keyID, name string) r2.Vec {
	f, ok := p.frame(keyID)
	if !ok {
		return r2.Vec{}
	}
	l, err := p.landmark(keyID, name)
	if err != nil {
		p.require("landmark", name, "%v", err)
		return r2.Vec{}
	}
	k := p.key(keyID)
	if fix, ok := p.sheet.reconstructed[f][l]; ok {
		v := p.reconstructedPoint(fix, l, k, f, true)
		return r2.Vec{X: v.X, Y: v.Y}
	}
	part, side, _ := strings.Cut(string(l), ".")
	height, u, ok := standing(part, k.Lands != "" && side == string(k.roles[k.Lands]), k.Lifts != "" && side == string(k.roles[k.Lifts]))
	if !ok {
		p.require(needsPair.Kind, needsPair.ID, "%s", needsPair.What)
		return r2.Vec{}
	}
	m, ok := p.sheet.Observations[f][l]
	if !ok {
		return p.requireLandmark(keyID, l)
	}
	if p.sheet.view == nil {
		p.require(needsKnown.Kind, needsKnown.ID, "%s", needsKnown.What)
		return r2.Vec{}
	}
	moved, cu := p.sheet.Camera.At(f)
	fix, err := optics.Ray{View: *p.sheet.view, Px: moved.Inverse().Map(m.At), U: math.Hypot(p.sheet.markU(m), cu)}.OnPlane(height, u)
	if err != nil {
		p.require("landmark", string(l)+"@"+keyID, "%v", err)
		return r2.Vec{}
	}
	p.lifted = math.Max(p.lifted, math.Hypot(fix.Spread[2].X, fix.Spread[2].Y))
	v := p.reconstructedPoint(fix, l, k, f, true)
	return r2.Vec{X: v.X, Y: v.Y}
}

// mostLifted is how far, m, a heel that may be a little higher or lower may seem
// to stand elsewhere, for the direction of its foot.
const mostLifted = 0.1

// standsLow reports whether a heel that is a little higher or lower seems to stand
// elsewhere by more than the direction of a foot allows.
func (s *Recording) standsLow() bool {
	height, u, _ := standing("heel", false, false)
	at := s.view.Px(r3.Vec{Z: height})
	fix, err := optics.Ray{View: *s.view, Px: at, U: 1}.OnPlane(height, u)
	return err != nil || math.Hypot(fix.Spread[2].X, fix.Spread[2].Y) > mostLifted
}

// direction is the azimuth from the first point to the second.
func direction(p *evaluation) float64 {
	a, b := p.floor2()
	if p.lifted > mostLifted {
		p.require(tooLow.Kind, tooLow.ID, "%s", tooLow.What)
	}
	return p.about(azimuth(r3.Sub(b, a)))
}

// bodyAt is points in space on one picture, and its time.
type bodyAt struct {
	t      float64
	frame  int
	points []r3.Vec
}

// foundCourses keeps what no error changes, for the runs in which one input is
// shifted.
type foundCourses struct {
	ways    map[courseKey][]bodyAt
	centres map[int]orbitCentre
	paths   map[pathKey]path
	masses  map[string]massShares
	places  map[placeKey]place
	turns   map[int]turn
}

// placeKey names a landmark, or the centre of mass, at a key position.
type placeKey struct {
	keyID    string
	landmark body.Landmark
}

// place is where that is in the plane, level px, while nothing is shifted.
type place struct {
	r2.Vec
	seen bool
}

type courseKey struct {
	from, to int
	names    string
}

// course is where points are in space on the pictures of a stretch. Where it must
// be known what one picture's errors do, exact reads that one again through the
// gate.
func (p *evaluation) course(from, to int, names ...string) []bodyAt {
	key := courseKey{from, to, strings.Join(names, " ")}
	way, ok := p.found.ways[key]
	if !ok {
		way = p.findCourse(from, to, names)
		p.found.ways[key] = way
	}
	return way
}

func (p *evaluation) findCourse(from, to int, names []string) []bodyAt {
	roles := p.key(p.keyID).roles
	var marks [][]body.Landmark
	for _, name := range names {
		if part, mid := cutMid(name); mid {
			marks = append(marks, []body.Landmark{body.Landmark(part + ".L"), body.Landmark(part + ".R")})
			continue
		}
		l, err := roles.Landmark(name)
		if err != nil {
			p.require("landmark", name, "%v", err)
			return nil
		}
		marks = append(marks, []body.Landmark{l})
	}
	var out []bodyAt
	gap := 0
	for f := from; f <= to; f++ {
		m := bodyAt{t: p.sheet.Timeline.At(f), frame: f}
		for _, group := range marks {
			at, n := r3.Vec{}, 0.0
			for _, l := range group {
				if fix, ok := p.sheet.reconstructed[f][l]; ok {
					p.unconfirmed = p.unconfirmed || p.sheet.Observations[f][l].Source == Detected
					at, n = r3.Add(at, fix.At), n+1
				}
			}
			if int(n) == len(group) {
				m.points = append(m.points, p.world(r3.Scale(1/n, at)))
			}
		}
		if len(m.points) == len(names) {
			out, gap = append(out, m), 0
		} else if gap++; gap > mostGap {
			for _, l := range slices.Concat(marks...) {
				p.toFollow = append(p.toFollow, Followed{l, from, to, p.measure.Name})
			}
			p.require("path", p.keyID, "follow the %s on both films up to %s", spokenAll(marks), p.key(p.keyID).Name)
			return nil
		}
	}
	if len(out) < leastPath {
		p.require("rate", p.keyID, "up to %s there are %d pictures, this needs %d: film at a higher rate", p.key(p.keyID).Name, len(out), leastPath)
		return nil
	}
	return out
}

// exact are the points of one picture of a way, through the gate.
func (p *evaluation) exact(frame int, names ...string) []r3.Vec {
	out := make([]r3.Vec, len(names))
	for i, name := range names {
		out[i] = p.spaceAt(p.keyID, frame, name, false)
	}
	return out
}

// window are the frames from so many seconds before a place to it.
func (p *evaluation) window(keyID string, seconds float64) (from, to int) {
	to, _ = p.frame(keyID)
	from = to
	for from > 0 && p.sheet.Timeline.At(to)-p.sheet.Timeline.At(from) < seconds {
		from--
	}
	return from, to
}

// stretch are the frames from one place to another.
func (p *evaluation) stretch(from, to string) (a, b int, ok bool) {
	a, okA := p.frame(from)
	b, okB := p.frame(to)
	return a, b, okA && okB
}

// viewWords are where a camera stands, in words.
var viewWords = map[string]string{"side-open": "the open side", "side-closed": "the other side", "back": "behind", "front": "the front", "overhead": "above", "oblique": "aslant", "bar-line": "along the bar"}

func spokenViews(views []string) []string {
	out := make([]string, len(views))
	for i, v := range views {
		if out[i] = v; viewWords[v] != "" {
			out[i] = viewWords[v]
		}
	}
	return out
}

// allowed reports how a measure can be had of this sheet: in space, in the picture,
// and what is missing when neither.
func (s *Recording) allowed(m playbook.Measure) (space, picture bool, missing Missing) {
	k := kinds[m.Kind]
	if k.space != nil {
		pair, known := s.Paired && slices.Contains(m.Views, Pair), s.view != nil && slices.Contains(m.Views, Known)
		if known && !pair && m.Kind == "direction" && s.standsLow() {
			return false, false, tooLow // no point is asked for that would be refused
		}
		space = pair || known
	}
	picture = k.compute != nil && (len(m.Views) == 0 || slices.Contains(m.Views, s.View))
	if space || picture {
		return space, picture, Missing{}
	}
	var views []string
	for _, v := range m.Views {
		if v != Pair && v != Known {
			views = append(views, v)
		}
	}
	switch {
	case len(views) > 0 && k.compute != nil:
		return false, false, Missing{"view", fmt.Sprintf("this is seen from %s; this film is from %s", strings.Join(spokenViews(views), " or "), spokenViews([]string{s.View})[0]), s.View}
	case slices.Contains(m.Views, Known):
		return false, false, needsKnown
	}
	return false, false, needsPair
}
