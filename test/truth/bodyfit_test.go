package truth

import (
	"context"
	"math"
	"testing"

	"gonum.org/v1/gonum/spatial/r2"
	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
	"neokinema/core/bodyfit"
	"neokinema/core/measure"
	"neokinema/core/optics"
	"neokinema/core/sim"
)

// onFilm are the points that a film is read for.
var onFilm = []body.Landmark{
	"vertex", "neck", "shoulder.L", "shoulder.R", "elbow.L", "elbow.R", "wrist.L", "wrist.R", "knuckle.L", "knuckle.R",
	"hip.L", "hip.R", "knee.L", "knee.R", "ankle.L", "ankle.R", "heel.L", "heel.R", "toe.L", "toe.R", "grip", "implement",
}

// biasLasts is for how long a joint's centre lies elsewhere in the same way, s.
const biasLasts = 0.15

// follow places what is seen on every picture; where joints seem to be wanders slowly.
func (h hand) follow(k take, s *measure.Recording) {
	scale := s.Calibration.Scale.Length() / s.Calibration.Scale.Metres
	keep := math.Exp(-1 / (biasLasts * k.truth.Capture))
	off := map[body.Landmark]r2.Vec{}
	centre := 0.0
	if h.centres {
		centre = 0.005 * k.want.Athlete.HeightM * scale
	}
	draw := func() r2.Vec { return r2.Scale(centre, r2.Vec{X: h.r.NormFloat64(), Y: h.r.NormFloat64()}) }
	for frame := range k.truth.Film {
		for _, l := range onFilm {
			p, ok := k.truth.Film[frame].InView[l]
			if !ok || p[2] == 0 {
				continue
			}
			if was, has := off[l]; has {
				off[l] = r2.Add(r2.Scale(keep, was), r2.Scale(math.Sqrt(1-keep*keep), draw()))
			} else {
				off[l] = draw()
			}
			at := h.spot(p[0], p[1])
			if l.OfBody() {
				at = r2.Add(at, off[l])
			}
			if s.Observations[frame] == nil {
				s.Observations[frame] = map[body.Landmark]measure.Observation{}
			}
			s.Observations[frame][l] = measure.Observation{At: at, U: h.toldU(), Source: measure.Detected}
		}
	}
}

// fit fits a body to a film on which the throwing circle is marked.
func (h hand) fit(t testing.TB, k take, s *measure.Recording, start sim.Request) (*bodyfit.Fit, error) {
	t.Helper()
	var known []r3.Vec
	var px []r2.Vec
	for _, name := range []string{"rim.back", "rim.front", "rim.left", "rim.right", ""} {
		at := k.truth.Marks[name]
		p := r3.Vec{X: at[0], Y: at[1], Z: at[2]}
		q := k.shot(0).Project(p)
		known, px = append(known, p), append(px, h.spot(q.X, q.Y))
	}
	believed := optics.Held
	d, u := s.Calibration.CameraDistance()
	believed.Distance, believed.DistanceU = d, u/d
	believed.Looks, believed.LooksU = r2.Vec{X: 1}, 0.3
	view, err := optics.ResectWith(believed, known, px, r2.Vec{X: float64(k.truth.Width) / 2, Y: float64(k.truth.Height) / 2}, 2)
	if err != nil {
		return nil, err
	}
	if _, err := s.JoinFilms(&view, nil); err != nil {
		return nil, err
	}
	h.follow(k, s)
	m, err := simulated(start)
	if err != nil {
		return nil, err
	}
	p, err := s.FitProblem(view)
	if err != nil {
		return nil, err
	}
	begin := bodyfit.Movement{Pose: func(t float64) map[body.Landmark]r3.Vec { return m.Pose(t) }, Stamps: m.Stamps, Begin: m.Begin(), End: m.End()}
	p.Start = begin.Warped(s.Instants())
	return bodyfit.Find(context.Background(), p, nil)
}
