package measure

import (
	"math"
	"slices"
	"strings"

	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
	"neokinema/core/flight"
)

// orbitCentre is the middle of an orbit on the ground plan, and how well it is
// known, m.
type orbitCentre struct {
	at r3.Vec
	u  float64
	ok bool
}

// The box about some dozens of noisy points, and one moved on with hips that are
// known on a few pictures, m.
const (
	boxU   = 0.03
	movedU = 0.07
)

// turnCentre is the middle of the implement's orbit in the turn of a frame: of
// the box about its path between two passes of the back. The release's is the
// last turn's, moved on with the hips.
func (p *evaluation) turnCentre(frame int) (r3.Vec, bool) {
	c, known := p.found.centres[frame]
	if !known {
		c = p.findCentre(frame)
		p.found.centres[frame] = c
	}
	if !c.ok {
		return r3.Vec{}, false
	}
	return p.blurred(c.at, source{what: "centre of the orbit"}, c.u), true
}

func (p *evaluation) findCentre(frame int) orbitCentre {
	zeros := p.passes()
	if len(zeros) < 2 {
		p.require("stamp", "zero", "stamp two passes of the back: the turn's centre lies between them")
		return orbitCentre{}
	}
	i := 1
	for i < len(zeros)-1 && frame > zeros[i] {
		i++
	}
	way := p.course(zeros[i-1], zeros[i], p.implement())
	if len(way) == 0 {
		return orbitCentre{}
	}
	low, high := way[0].points[0], way[0].points[0]
	for _, m := range way {
		q := m.points[0]
		low, high = r3.Vec{X: math.Min(low.X, q.X), Y: math.Min(low.Y, q.Y)}, r3.Vec{X: math.Max(high.X, q.X), Y: math.Max(high.Y, q.Y)}
	}
	out := orbitCentre{at: r3.Scale(0.5, r3.Add(low, high)), u: boxU, ok: true}
	if frame > zeros[len(zeros)-1] {
		now, okN := p.sheet.hips(frame)
		var mean r3.Vec
		n := 0.0
		for f := zeros[i-1]; f <= zeros[i]; f++ {
			if v, ok := p.sheet.hips(f); ok {
				mean, n = r3.Add(mean, v), n+1
			}
		}
		if okN && n > 0 {
			out.at = r3.Add(out.at, p.world(r3.Sub(now, r3.Scale(1/n, mean))))
		}
		out.u = movedU
	}
	out.at.Z = 0
	return out
}

// passes are the frames at which the implement passes the back, from the entry
// on.
func (p *evaluation) passes() []int {
	var zeros []int
	for _, k := range p.sheet.Event.Keys {
		if base, _, _ := strings.Cut(k.ID, "#"); base == "entry-0" || base == "zero" {
			if f, ok := p.sheet.Stamps[k.ID]; ok {
				zeros = append(zeros, f)
			}
		}
	}
	slices.Sort(zeros)
	return zeros
}

// hips is the middle of the hips in space on a picture.
func (s *Recording) hips(frame int) (r3.Vec, bool) {
	a, okA := s.reconstructed[frame]["hip.L"]
	b, okB := s.reconstructed[frame]["hip.R"]
	return r3.Scale(0.5, r3.Add(a.At, b.At)), okA && okB
}

// implement is the measure's point that is no part of the body.
func (p *evaluation) implement() string {
	for _, name := range p.measure.Points {
		if strings.HasPrefix(name, "implement") {
			return name
		}
	}
	return "implement"
}

// ballAzimuth is the implement's azimuth about the turn's centre at a place.
func (p *evaluation) ballAzimuth(keyID string) float64 {
	f, ok := p.frame(keyID)
	if !ok {
		return 0
	}
	centre, ok := p.turnCentre(f)
	if !ok {
		return 0
	}
	return azimuth(r3.Sub(p.ballNow(keyID), centre))
}

// ballNow is the implement at the instant of a place: half a picture before the
// one that first shows a change.
func (p *evaluation) ballNow(keyID string) r3.Vec {
	f, ok := p.frame(keyID)
	if !ok {
		return r3.Vec{}
	}
	ball := p.implement()
	v := p.spaceAt(keyID, f, ball, false)
	was, ok := p.sheet.reconstructed[f-1][body.Landmark(ball)]
	if !ok || len(p.missing) > 0 {
		return v
	}
	back := p.instant(keyID) - p.sheet.Timeline.At(f)
	step := r3.Sub(v, p.world(was.At))
	return r3.Add(v, r3.Scale(back/p.sheet.Timeline.Interval(f), step))
}

func orbitAzimuthSpace(p *evaluation) float64 {
	return p.round(p.ballAzimuth(p.keyID))
}

func behindBall(p *evaluation) float64 {
	m := p.measure.Points
	return wrap(facing(p.space(p.keyID, m[0]), p.space(p.keyID, m[1])) - p.ballAzimuth(p.keyID))
}

func leadBall(p *evaluation) float64 {
	a, b, ok := p.stretch(p.stamp(-1), p.keyID)
	if !ok {
		return 0
	}
	centre, ok := p.turnCentre(b)
	names := p.measure.Points // shoulders, implement
	way := p.course(max(0, a-int(0.1/p.sheet.Timeline.Interval(a))), b, names...)
	if !ok || len(way) == 0 {
		return 0
	}
	ball := func(v []r3.Vec) float64 { return 270 + wrap(azimuth(r3.Sub(v[2], centre))-270) }
	at := -1
	for i := 1; i < len(way); i++ {
		if ball(way[i-1].points) < 270 && ball(way[i].points) >= 270 {
			at = i
			if 270-ball(way[i-1].points) < ball(way[i].points)-270 {
				at = i - 1
			}
			break
		}
	}
	if at < 0 {
		p.require("path", p.keyID, "the implement does not pass 270° before %s", p.key(p.keyID).Name)
		return 0
	}
	then, now := p.exact(way[at].frame, names...), p.exact(b, names...)
	turned := wrap(facing(now[0], now[1]) - facing(then[0], then[1]))
	round := wrap(azimuth(r3.Sub(now[2], centre)) - azimuth(r3.Sub(then[2], centre)))
	return turned - round
}

// aboveSector is how high, m, the first point is above the second as it passes
// the middle of the sector, 180°, round the middle of the hips.
func aboveSector(p *evaluation) float64 {
	a, b, ok := p.stretch(p.stamp(-1), p.keyID)
	if !ok {
		return 0
	}
	names := []string{p.measure.Points[0], p.measure.Points[1], "mid.hip"}
	way := p.course(a, b, names...)
	past := func(v []r3.Vec) float64 { return wrap(azimuth(r3.Sub(v[0], v[2])) - 180) }
	for i := 1; i < len(way); i++ {
		if past(way[i-1].points) >= 0 || past(way[i].points) < 0 {
			continue
		}
		before, after := p.exact(way[i-1].frame, names...), p.exact(way[i].frame, names...)
		from, to := past(before), past(after)
		share := min(1, max(0, -from/(to-from)))
		return p.lengthSpace((before[0].Z-before[1].Z)*(1-share) + (after[0].Z-after[1].Z)*share)
	}
	if len(way) > 0 {
		p.require("path", p.keyID, "the implement does not pass 180° before %s", p.key(p.keyID).Name)
	}
	return 0
}

func counter(p *evaluation) float64 {
	m := p.measure.Points // feet, neck, implement
	feet := r3.Scale(0.5, r3.Add(p.space(p.keyID, m[0]), p.space(p.keyID, m[1])))
	return leanAlong(feet, p.space(p.keyID, m[2]), r3.Scale(-1, toward(p.ballAzimuth(p.keyID))))
}

func bendToBall(p *evaluation) float64 {
	m := p.measure.Points // feet, hips, neck, implement
	feet := r3.Scale(0.5, r3.Add(p.space(p.keyID, m[0]), p.space(p.keyID, m[1])))
	hip, neck := p.space(p.keyID, m[2]), p.space(p.keyID, m[3])
	ball := toward(p.ballAzimuth(p.keyID))
	return leanAlong(hip, neck, ball) - leanAlong(feet, hip, ball)
}

// swaySpace compares the mean side of a point, from foot off to here, with that
// of the turn before.
func swaySpace(p *evaluation) float64 {
	mean := func(from, to string) float64 {
		a, b, ok := p.stretch(from, to)
		if !ok {
			return 0
		}
		way := p.course(a, b, p.measure.Points[0])
		sum := 0.0
		for _, m := range way {
			sum += m.points[0].Y / float64(len(way))
		}
		return sum + p.input(source{what: "mean place at {at}", at: to}, 0, 0.01)
	}
	from, to, before, ok := p.turnsBack()
	if !ok {
		return 0
	}
	return p.lengthSpace(math.Abs(mean(from, to) - mean(before[0], before[1])))
}

// turnsBack are the stretch from the stamp before to here, and the same one a
// turn earlier.
func (p *evaluation) turnsBack() (from, to string, before [2]string, ok bool) {
	if p.index() < 3 {
		p.require("stamp", p.keyID, "the first turn has none before it")
		return "", "", before, false
	}
	return p.stamp(-1), p.keyID, [2]string{p.stamp(-3), p.stamp(-2)}, true
}

// seenNear reports whether a landmark is known in space on a picture.
func (p *evaluation) seenNear(frame int, l body.Landmark) bool {
	_, ok := p.sheet.reconstructed[frame][l]
	return ok
}

// orbitEnd is the azimuth of the implement's lowest or highest point round a
// place: of the parabola through its heights there.
func (p *evaluation) orbitEnd(sign float64) float64 {
	f, ok := p.frame(p.keyID)
	if !ok {
		return 0
	}
	centre, ok := p.endCentre(f)
	if !ok {
		return 0
	}
	at := azimuth(r3.Sub(p.spaceAt(p.keyID, f, p.implement(), false), centre))
	// At its end the implement's height hardly changes: a picture or two earlier
	// or later look alike.
	const flatU = 5.0
	return p.round(at + p.input(plain("height hardly changes there"), 0, flatU))
}

// endCentre is the centre of the orbit at a low or high point: that of the turn
// it belongs to, or, in the winds, the middle of the hips.
func (p *evaluation) endCentre(f int) (r3.Vec, bool) {
	if entry, ok := p.sheet.Stamps["entry-0"]; ok && f < entry {
		return p.space(p.keyID, "mid.hip"), true
	}
	// The lowest point begins a turn, though it may come before the back.
	zeros := p.passes()
	if len(zeros) == 0 {
		return p.turnCentre(f)
	}
	on := f + int(0.15/p.sheet.Timeline.Interval(f))
	return p.turnCentre(max(f, min(on, zeros[len(zeros)-1])))
}

func orbitSlopeSpace(p *evaluation) float64 {
	f, ok := p.frame(p.keyID)
	if !ok {
		return 0
	}
	ball := p.implement()
	way := p.course(max(0, f-int(turnTime/p.sheet.Timeline.Interval(f))), f, ball)
	if len(way) == 0 {
		return 0
	}
	high := way[len(way)-1]
	for i := len(way) - 1; i >= 0; i-- { // back to the top of this turn
		if z := way[i].points[0].Z; z > high.points[0].Z {
			high = way[i]
		} else if z < high.points[0].Z-0.3 && high.frame < f {
			break
		}
	}
	if high.frame == way[0].frame {
		p.require("path", p.keyID, "the film does not show the top of the path before %s", p.key(p.keyID).Name)
		return 0
	}
	a, b := p.exact(f, ball)[0], p.exact(high.frame, ball)[0]
	const noiseU = 0.8 // degrees: the highest of noisy pictures is too high
	return steep(b, a) + p.input(plain("top of the path"), 0, noiseU)
}

// along are velocity and acceleration of the implement at a place, m/s and m/s²:
// of the parabola through the pictures within a time about it.
func (p *evaluation) along(within float64) (v, a r3.Vec) {
	f, ok := p.frame(p.keyID)
	when := p.instant(p.keyID)
	if !ok {
		return v, a
	}
	n := max(2, int(math.Round(within/p.sheet.Timeline.Interval(f))))
	way := p.course(max(0, f-n), min(p.sheet.Timeline.Len()-1, f+n-1), p.implement())
	if len(way) == 0 {
		return v, a
	}
	fit := fitted(way, when)
	// Each picture's error moves the slope as its distance from the middle.
	sum := 0.0
	for _, m := range way {
		sum += sq(m.t - when)
	}
	l := body.Landmark(p.implement())
	u := r3.Norm(p.sheet.reconstructed[f][l].U()) / math.Sqrt(3)
	scale := p.real(1)
	v = r3.Scale(1/scale, p.blurred(fit[1], source{what: "placing the {of}", of: l}, u/math.Sqrt(sum)))
	return v, r3.Scale(1/(scale*scale), fit[2])
}

func orbitPullSpace(p *evaluation) float64 {
	mass := p.sheet.Event.Masses[string(p.sheet.Sex)]
	if mass == 0 {
		p.require("mass", "mass", "say how heavy the implement is")
		return 0
	}
	_, a := p.along(bendReach)
	const bendU = 0.12 // of the acceleration
	pull := mass * r3.Norm(r3.Add(a, r3.Vec{Z: flight.G}))
	return pull * (1 + p.input(plain("bend of the path"), 0, bendU))
}

// azimuths are the kinds that give a direction on the dial.
var azimuths = map[string]bool{"orbit-azimuth": true, "orbit-low": true, "orbit-high": true, "direction": true, "facing": true, "land-azimuth": true}

// IsAzimuth reports whether a kind gives a direction on the dial, which can be
// read off a clock face.
func IsAzimuth(kind string) bool { return azimuths[kind] }
