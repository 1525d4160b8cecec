package assemble

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"slices"

	"gonum.org/v1/gonum/spatial/r2"
	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
	"neokinema/core/bodyfit"
	"neokinema/core/measure"
	"neokinema/core/optics"
	"neokinema/core/playbook"
	"neokinema/core/sim"
	"neokinema/server/store"
)

// FittedBody tells of the body that was fitted to a film in space.
type FittedBody struct {
	Made  bool   `json:"made"`
	Stale bool   `json:"stale"`         // points, key positions or the camera were changed since: nothing is read off it
	Why   string `json:"why,omitempty"` // this film cannot be fitted yet
}

// useFit lets a reading use the body that was fitted, where it is of what there is now.
func useFit(s *measure.Recording, e playbook.Event, b store.Bench) *FittedBody {
	out := &FittedBody{Made: b.Fit != nil, Stale: b.Fit != nil}
	p, err := fitProblem(s, e, b)
	if err != nil {
		out.Why = err.Error()
		return out
	}
	if out.Made && b.Fit.Input == inputOf(p) {
		out.Stale = false
		s.UseFit(*b.Fit.Movements)
	}
	return out
}

// fitProblem is what is known of a film, without a movement to begin from.
func fitProblem(s *measure.Recording, e playbook.Event, b store.Bench) (bodyfit.Problem, error) {
	if e.Ground.Kind != "circle" || e.Views[0] != "back" || b.Clip == nil || b.Clip.View != "back" || !slices.Contains(sim.Events(), e.ID) {
		return bodyfit.Problem{}, store.Invalid("so far a body is fitted to films of turning throws from behind")
	}
	view, err := believedView(s, b)
	if err != nil {
		return bodyfit.Problem{}, err
	}
	p, err := s.FitProblem(view)
	if err == nil {
		err = p.Check()
	}
	if err != nil {
		return p, store.Invalid(err.Error())
	}
	return p, nil
}

// lookU is how well a view from behind says that a camera looks along the throw, radians:
// common practice.
const lookU = 0.3

// believedView is where a film's camera stood by the points of known places and by what
// is usual of a camera in somebody's hands.
func believedView(s *measure.Recording, b store.Bench) (optics.View, error) {
	space, px := controlPoints(b)
	if len(space) == 0 {
		return optics.View{}, store.Invalid("where the camera stood is not known: find the circle, or mark points of known places")
	}
	believed := optics.Held
	believed.Looks, believed.LooksU = r2.Vec{X: 1}, lookU
	d, u := s.Calibration.CameraDistance()
	believed.Distance, believed.DistanceU = d, u/d
	view, err := optics.ResectWith(believed, space, px, middle(b), MarkU(b))
	if err != nil {
		return view, store.Invalid(err.Error())
	}
	return view, nil
}

// inputOf tells one problem from another.
func inputOf(p bodyfit.Problem) string {
	slices.SortFunc(p.Pictures, func(a, b bodyfit.Picture) int { return cmp.Compare(a.T, b.T) })
	var seen []r2.Vec // stands for the camera
	for _, at := range []r3.Vec{{}, {X: 1}, {Y: 1}, {Z: 1}, {X: -1, Y: -1, Z: 1}, {X: 1, Y: -1, Z: 2}} {
		seen = append(seen, p.View.Px(at))
	}
	text, _ := json.Marshal(struct {
		Times     []float64
		Pictures  []bodyfit.Picture
		Seen      []r2.Vec
		Feet      map[body.Side][]bodyfit.Contact
		Flies     []bool
		HeightM   float64
		Sex       body.Sex
		Implement bodyfit.Implement
	}{p.Times, p.Pictures, seen, p.Feet, p.Flies, p.HeightM, p.Sex, p.Implement})
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:])
}

// CanFit tells why a body cannot be fitted to an attempt's film; nil where it can.
func CanFit(e playbook.Event, b store.Bench, pts []int64) error {
	s, err := Sheet(e, b, pts)
	if err == nil {
		_, err = fitProblem(s, e, b)
	}
	return err
}

// Fit fits a body to an attempt's film, begun from the simulated athlete's clean movement
// in a body as tall. It gives the movements that the film allows, and what tells what
// they were made from.
func Fit(ctx context.Context, e playbook.Event, b store.Bench, pts []int64, progress func(done, of int)) (m bodyfit.Movements, input string, err error) {
	s, err := Sheet(e, b, pts)
	if err != nil {
		return m, "", err
	}
	p, err := fitProblem(s, e, b)
	if err != nil {
		return m, "", err
	}
	begin, err := cleanMovement(s, e, b)
	if err != nil {
		return m, "", err
	}
	p.Start = begin.Warped(s.Instants())
	f, err := bodyfit.Find(ctx, p, progress)
	if err != nil {
		return m, "", err
	}
	if err := f.Good(); err != nil {
		return m, "", store.Invalid(err.Error())
	}
	return f.Movements(measure.FitDraws, uint64(len(p.Times))), inputOf(p), nil
}

// cleanMovement is the simulated athlete's, clean, in a body as tall as the athlete's.
func cleanMovement(s *measure.Recording, e playbook.Event, b store.Bench) (bodyfit.Movement, error) {
	clean, err := sim.Simulate(sim.Request{Event: e.ID, Variant: b.Attempt.Variant, Athlete: sim.Athlete{HeightM: b.Athlete.HeightM, Sex: s.Sex, Side: own(e, b)}})
	if err != nil {
		return bodyfit.Movement{}, store.Invalid(err.Error())
	}
	return bodyfit.Movement{Pose: func(t float64) map[body.Landmark]r3.Vec { return clean.Pose(t) }, Stamps: clean.Stamps, Begin: clean.Begin(), End: clean.End()}, nil
}
