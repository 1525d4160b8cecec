package assemble

import (
	"math"

	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
	"neokinema/core/measure"
	"neokinema/core/playbook"
	"neokinema/server/store"
)

// FittedMovement is a body that was fitted to a film, picture by picture, to be drawn: the
// world is that of the known points, x along the throw, y to its left, z up.
type FittedMovement struct {
	Landmarks []body.Landmark  `json:"landmarks"`
	Surface   playbook.Surface `json:"surface"`
	Camera    [3]float64       `json:"camera"` // where it stands, m
	Pictures  []FittedPicture  `json:"pictures"`
}

// FittedPicture is the body on a picture. Places are whole mm, three numbers a landmark.
type FittedPicture struct {
	Frame  int         `json:"frame"`
	Matrix [12]float64 `json:"matrix"` // projects the world, m, on this picture, px; the third row is m from the camera
	At     []int       `json:"at"`
	U      []int       `json:"u"`               // standard uncertainties, mm, across the line of sight and along it, two numbers a landmark
	Draws  [][]int     `json:"draws"`           // others that the film allows, as differences from at
	Clean  []int       `json:"clean,omitempty"` // the simulated athlete's clean movement in a body as tall, its key positions at the same time
}

// shownDraws is how many movements are drawn for what a fit leaves open.
const shownDraws = 8

// FittedBodyOf is what was fitted to an attempt's film, to be drawn.
func FittedBodyOf(e playbook.Event, b store.Bench, pts []int64) (*FittedMovement, error) {
	s, err := fittedSheet(e, b, pts)
	if err != nil {
		return nil, err
	}
	view, err := believedView(s, b)
	if err != nil {
		return nil, err
	}
	m := *b.Fit.Movements
	out := &FittedMovement{Surface: e.Ground, Camera: triple(view.Centre()), Pictures: []FittedPicture{}}
	for _, l := range m.Points {
		if l.OfBody() || l == "implement" {
			out.Landmarks = append(out.Landmarks, l)
		}
	}
	clean := func(float64) map[body.Landmark]r3.Vec { return nil }
	if begin, err := cleanMovement(s, e, b); err == nil {
		clean = begin.Warped(s.Instants())
	}
	for i := range s.Timeline.Len() {
		t := s.Timeline.At(i)
		best := m.Pose(m.Best, t)
		if best == nil {
			continue
		}
		moved, _ := s.Camera.At(i)
		p := FittedPicture{Frame: i, Matrix: view.Matrix(moved)}
		spreads := measure.FittedSpreads(m, t, view.Centre())
		for _, l := range out.Landmarks {
			p.At = append(p.At, mm(best[l])...)
			p.U = append(p.U, int(math.Round(1000*spreads[l].Across)), int(math.Round(1000*spreads[l].Along)))
		}
		for _, draw := range m.Draws[:min(shownDraws, len(m.Draws))] {
			pose := m.Pose(draw, t)
			var off []int
			for _, l := range out.Landmarks {
				off = append(off, mm(r3.Sub(measure.FittedDraw(best[l], pose[l]), best[l]))...)
			}
			p.Draws = append(p.Draws, off)
		}
		if pose := clean(t); pose != nil {
			for _, l := range out.Landmarks {
				p.Clean = append(p.Clean, mm(pose[l])...)
			}
		}
		out.Pictures = append(out.Pictures, p)
	}
	return out, nil
}

// FittedLimbOf tells how well a limb of the fitted body is known on a picture.
func FittedLimbOf(e playbook.Event, b store.Bench, pts []int64, frame int, ends [2]body.Landmark) (measure.FittedLimb, error) {
	s, err := fittedSheet(e, b, pts)
	if err != nil {
		return measure.FittedLimb{}, err
	}
	view, err := believedView(s, b)
	if err != nil {
		return measure.FittedLimb{}, err
	}
	if frame < 0 || frame >= s.Timeline.Len() {
		return measure.FittedLimb{}, store.Invalid("the film has no such picture")
	}
	limb, err := s.FittedLimb(*b.Fit.Movements, view.Centre(), frame, ends)
	if err != nil {
		return limb, store.Invalid(err.Error())
	}
	return limb, nil
}

// fittedSheet lays out an attempt whose fit is of what there is now.
func fittedSheet(e playbook.Event, b store.Bench, pts []int64) (*measure.Recording, error) {
	s, err := Sheet(e, b, pts)
	if err != nil {
		return nil, err
	}
	if b.Fit == nil {
		return nil, store.Invalid("no body is fitted to this film yet")
	}
	p, err := fitProblem(s, e, b)
	if err != nil {
		return nil, err
	}
	if b.Fit.Input != inputOf(p) {
		return nil, store.Invalid("points, key positions or the camera were changed since the body was fitted: fit again")
	}
	return s, nil
}

func mm(v r3.Vec) []int {
	return []int{int(math.Round(1000 * v.X)), int(math.Round(1000 * v.Y)), int(math.Round(1000 * v.Z))}
}

func triple(v r3.Vec) [3]float64 { return [3]float64{v.X, v.Y, v.Z} }
