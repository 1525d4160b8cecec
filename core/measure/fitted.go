package measure

import (
	"cmp"
	"errors"
	"math"
	"math/rand/v2"
	"slices"

	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
	"neokinema/core/bodyfit"
	"neokinema/core/clock"
	"neokinema/core/optics"
	"neokinema/core/playbook"
)

// FittedMethod is what a value was read off that a fit in space to one film gave.
const FittedMethod = "one film, fitted in space"

// How a film is fitted: for so long before the first key position and after the last, s;
// and what follows a joint's centre at a distance stays there for about so long, s.
const (
	fitMargin   = 0.1
	biasLasts   = 0.05
	mostFitTime = 12.0
)

// FitProblem puts what is known of the film into a problem of core/bodyfit: landmarks as
// the still camera sees them, contacts from the stamps, the implement from the playbook.
// A movement to start from is for the caller to add.
func (s *Recording) FitProblem(view optics.View) (bodyfit.Problem, error) {
	out := bodyfit.Problem{HeightM: s.HeightM, Sex: s.Sex, View: view}
	instants := s.Instants()
	first, last := math.Inf(1), math.Inf(-1)
	for _, t := range instants {
		first, last = math.Min(first, t), math.Max(last, t)
	}
	if len(instants) < 2 {
		return out, errors.New("stamp the key positions first: a fit begins at the first and ends after the last")
	}
	begin := math.Max(first-fitMargin, s.Timeline.At(0))
	end := math.Min(last+fitMargin, s.Timeline.At(s.Timeline.Len()-1))
	if end-begin > mostFitTime {
		return out, errors.New("there are more than 12 s between the first key position and the last: a fit is for one attempt")
	}
	for n := 0; begin+float64(n)/bodyfit.NodesPerSecond <= end; n++ {
		out.Times = append(out.Times, begin+float64(n)/bodyfit.NodesPerSecond)
	}
	out.Feet = s.contacts(instants, out.Times)
	out.Implement = s.thrown()
	if release, ok := instants["release"]; ok {
		for _, t := range out.Times {
			out.Flies = append(out.Flies, t > release)
		}
	}
	bias := JointU * s.HeightM * view.PxPerM()
	for frame, marks := range s.Observations {
		t := s.Timeline.At(frame)
		if len(out.Times) < 2 || t < out.Times[0] || t > out.Times[len(out.Times)-1] {
			continue
		}
		moved, cu := s.Camera.At(frame)
		back := moved.Inverse()
		// Errors that last over pictures are counted once in their time.
		lasts := math.Sqrt(math.Max(1, biasLasts/s.Timeline.Interval(frame)))
		seen := map[body.Landmark]bodyfit.Seen{}
		for l, o := range marks {
			u := math.Hypot(s.markU(o), cu)
			if !isCourseMark(l) {
				u = math.Hypot(u, bias*lasts)
			}
			seen[l] = bodyfit.Seen{Px: back.Map(o.At), U: u}
		}
		out.Pictures = append(out.Pictures, bodyfit.Picture{T: t, Seen: seen})
	}
	return out, nil
}

// Instants are the real times of the key positions that are changes or contacts, s.
func (s *Recording) Instants() map[string]float64 {
	out := map[string]float64{}
	for _, k := range s.Event.Keys {
		frame, stamped := s.Stamps[k.ID]
		if !stamped || clock.Nature(k.Nature) == clock.Still {
			continue
		}
		if at, err := s.Instant(k, frame); err == nil {
			out[k.ID] = at.T
		}
	}
	return out
}

// leavesBefore is how long before the release a foot may leave whose take-off is not
// stamped, s.
const leavesBefore = 0.08

// contacts are what feet do at times, by the stamped landings and take-offs. Before its
// first one a foot does what that one ends. Where a landing is not stamped nobody knows
// what it does; where a take-off is not, from shortly before the release on.
func (s *Recording) contacts(instants map[string]float64, times []float64) map[body.Side][]bodyfit.Contact {
	type change struct {
		at float64
		to bodyfit.Contact
	}
	out := map[body.Side][]bodyfit.Contact{}
	release, thrown := instants["release"]
	for _, side := range []body.Side{body.Left, body.Right} {
		var changes []change
		open := false // a take-off follows the last change that is not stamped
		for _, k := range s.Event.Keys {
			at, stamped := instants[k.ID]
			switch {
			case k.Lands != "" && s.Roles[k.Lands] == side && stamped:
				changes, open = append(changes, change{at, bodyfit.OnGround}), false
			case k.Lifts != "" && s.Roles[k.Lifts] == side && stamped:
				changes, open = append(changes, change{at, bodyfit.InAir}), false
			case k.Lifts != "" && s.Roles[k.Lifts] == side:
				open = true
			}
		}
		slices.SortStableFunc(changes, func(a, b change) int { return cmp.Compare(a.at, b.at) })
		for _, t := range times {
			now := bodyfit.OnGround
			next := slices.IndexFunc(changes, func(c change) bool { return c.at > t })
			switch {
			case len(changes) == 0:
			case next == 0 && changes[0].to == bodyfit.OnGround:
				now = bodyfit.InAir
			case next != 0:
				last := changes[len(changes)-1]
				again := next < 0 && open
				if next > 0 {
					last = changes[next-1]
					again = changes[next].to == last.to
				}
				now = last.to
				if again && (now == bodyfit.InAir || thrown && t > release-leavesBefore) {
					now = bodyfit.Unknown
				}
			}
			out[side] = append(out[side], now)
		}
	}
	return out
}

// How far the middle of what lies in the hand is from its knuckle, m: a disc along the
// hand, a shot in its palm; common practice.
const (
	discGap = 0.07
	shotGap = 0.04
)

// thrown is the implement that a fit moves with the body.
func (s *Recording) thrown() bodyfit.Implement {
	e := s.Event
	if wire := e.Wires[string(s.Sex)]; wire > 0 {
		return bodyfit.Implement{Wire: wire}
	}
	side, throws := s.Roles["throwing"]
	switch {
	case !throws || e.Ball == nil:
		return bodyfit.Implement{}
	case e.Ball.Pushed:
		return bodyfit.Implement{Gap: shotGap, Hand: side}
	}
	return bodyfit.Implement{Gap: discGap, Hand: side}
}

// drawn is one movement that a fit allows: places by picture, and by how much later, s,
// each key position came.
type drawn struct {
	places map[int]map[body.Landmark]optics.Point3D
	late   map[string]float64
}

// FittedBody is what a fit to one film allows: its best movement, and others.
type FittedBody struct {
	best  drawn
	draws []drawn
}

// FitDraws is how many movements stand for what a fit leaves open: standard deviations of
// so many are known to a seventh.
const FitDraws = 24

// UseFit lets what one picture does not show be read off a body that was fitted to the
// film.
func (s *Recording) UseFit(m bodyfit.Movements) {
	r := rand.New(rand.NewPCG(s.hash(), uint64(len(m.Draws))))
	out := &FittedBody{best: drawn{places: s.placesOf(m, m.Best)}}
	for _, places := range m.Draws {
		d := drawn{places: s.placesOf(m, places), late: map[string]float64{}}
		for _, k := range s.Event.Keys {
			if frame, stamped := s.Stamps[k.ID]; stamped {
				if at, err := s.Instant(k, frame); err == nil {
					d.late[k.ID] = at.U * r.NormFloat64()
				}
			}
		}
		out.draws = append(out.draws, d)
	}
	s.fit = out
}

func (s *Recording) placesOf(m bodyfit.Movements, places []float32) map[int]map[body.Landmark]optics.Point3D {
	out := map[int]map[body.Landmark]optics.Point3D{}
	for frame := range s.Timeline.Len() {
		pose := m.Pose(places, s.Timeline.At(frame))
		if pose == nil {
			continue
		}
		out[frame] = make(map[body.Landmark]optics.Point3D, len(pose))
		for l, v := range pose {
			out[frame][l] = optics.Point3D{At: v}
		}
	}
	return out
}

// as is the recording with the places of one movement.
func (s *Recording) as(d *drawn) *Recording {
	out := *s
	out.Paired, out.reconstructed, out.lost, out.drawn = true, d.places, nil, d
	return &out
}

// evaluateFit computes a value off the fitted body. What the fit leaves open is the
// spread of the value over movements that the film allows as well.
func (s *Recording) evaluateFit(v *Value, m playbook.Measure, keyID string) {
	k := kinds[m.Kind]
	s.as(&s.fit.best).evaluate(v, m, keyID, k.space, optics.Plane{})
	if !v.Known() {
		return
	}
	v.Method = FittedMethod
	var off []float64
	for i := range s.fit.draws {
		p := s.as(&s.fit.draws[i]).newEvaluation(m, keyID, optics.Plane{})
		if x := k.space(p); len(p.missing) == 0 {
			off = append(off, difference(x, v.Value, m.Unit))
		}
	}
	if 2*len(off) < len(s.fit.draws) {
		v.Missing = append(v.Missing, Missing{"landmark", "the fit to this film leaves it open: a second film shows it", Pair})
		return
	}
	spread, middle := 0.0, 0.0
	for _, d := range off {
		spread += sq(d) / float64(len(off))
		middle += d / float64(len(off))
	}
	u := math.Sqrt(spread) * FitFactor(m.Kind)
	v.Value -= middle
	v.Parts = append([]Part{{Name: "fit of the body to one film", U: u}}, v.Parts...)
	v.U = math.Hypot(v.U, u)
}

// FitFactor is by how much wider a kind's values spread about the truth than the draws
// of a fit say.
func FitFactor(kind string) float64 {
	if f, told := fitFactors[kind]; told {
		return f
	}
	return usualFitFactor
}

// usualFitFactor is of a kind that is not told.
const usualFitFactor = 1.5

// fitFactors are of kinds, by which 95 in 100 values of simulated circle throws with
// faults lay within two standard uncertainties of the truth.
var fitFactors = map[string]float64{
	"above": 1.05, "above-sector": 1, "apart": 1.45, "apart-level": 1.8, "arm-trunk": 1.15, "aside-of": 1.6, "behind-ball": 1.05,
	"behind-middle": 1.4, "behind-since": 1.3, "bend-forward": 1.4, "bend-to-ball": 1.3, "counter": 1.2, "direction": 1.45, "direction-gap": 1.9,
	"facing": 1.6, "included": 1.3, "included-strike": 1.2, "lead-ball": 1.1, "lean": 1.3, "orbit-azimuth": 1.2, "orbit-high": 1.25, "separation": 1.15,
	"steep": 1.4, "sweep": 1.4, "tilt": 1.2, "tilt-gap": 1.1, "turned": 1.15,
}

// fittedAt is a fitted point at a key position: a change is a little before the picture
// that first shows it.
func (p *evaluation) fittedAt(at optics.Point3D, l body.Landmark, k known, frame int, moment bool) r3.Vec {
	v := at.At
	own, stamped := p.sheet.Stamps[k.ID]
	if before, ok := p.sheet.reconstructed[frame-1][l]; ok && moment && stamped && own == frame {
		if when, err := p.sheet.Timeline.Instant(frame, clock.Nature(k.Nature)); err == nil {
			share := (when.T + p.sheet.drawn.late[k.ID] - p.sheet.Timeline.At(frame)) / p.sheet.Timeline.Interval(frame)
			v = r3.Add(v, r3.Scale(share, r3.Sub(v, before.At)))
		}
	}
	return p.world(v)
}
