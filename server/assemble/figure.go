package assemble

import (
	"maps"
	"slices"

	"neokinema/core/body"
	"neokinema/core/playbook"
	"neokinema/server/store"
)

// FigurePoint is a landmark in body heights from the middle of the hips, right
// and up positive as filmed.
type FigurePoint struct {
	Name string  `json:"name"`
	X    float64 `json:"x"`
	Y    float64 `json:"y"`
}

// Figure is the placed athlete on one picture, in a size that two films share.
type Figure struct {
	Points []FigurePoint `json:"points"`
	Front  string        `json:"front"` // the side that works: L or R
	Film   bool          `json:"film"`
}

// FigureAt is the figure at a key position. PxPerM is the picture's scale; 0:
// none is known, and the longest trunk or thigh that was placed gives it.
func FigureAt(e playbook.Event, b store.Bench, keyID string, pxPerM float64) (Figure, error) {
	out := Figure{Points: []FigurePoint{}}
	frame, ok := b.Stamps[keyID]
	if !ok || b.Clip == nil {
		return out, store.Invalid("this key position is not stamped")
	}
	out.Film = !b.Clip.Filmless
	at := map[body.Landmark][2]float64{}
	for _, l := range b.Landmarks {
		if l.Frame == frame {
			at[body.Landmark(l.Name)] = [2]float64{l.X, l.Y}
		}
	}
	middle, ok := between(at, "hip.L", "hip.R")
	if !ok {
		return out, store.Invalid("place a hip at this key position: figures are laid over one another by the hips")
	}
	height := pxPerM * b.Athlete.HeightM
	if pxPerM <= 0 {
		height = body.DrawnHeight(at)
	}
	if height <= 0 {
		return out, store.Invalid("a known length, or a placed thigh or trunk, is needed to give the figure its size")
	}
	inHeights := func(p [2]float64) [2]float64 {
		return [2]float64{(p[0] - middle[0]) / height, (middle[1] - p[1]) / height}
	}
	for _, name := range slices.Sorted(maps.Keys(at)) {
		p := inHeights(at[name])
		out.Points = append(out.Points, FigurePoint{string(name), p[0], p[1]})
	}
	out.Front = string(Working(e, b))
	return out, nil
}

// between is the middle of a left and a right landmark, or the one that is there.
func between(at map[body.Landmark][2]float64, left, right body.Landmark) ([2]float64, bool) {
	l, okL := at[left]
	r, okR := at[right]
	switch {
	case okL && okR:
		return [2]float64{(l[0] + r[0]) / 2, (l[1] + r[1]) / 2}, true
	case okL:
		return l, true
	}
	return r, okR
}

// PxHeight is how tall the athlete is in pixels of the original picture, by its
// scale; 0: none is known.
func PxHeight(b store.Bench, r Reading) float64 {
	if r.Scale == nil {
		return 0
	}
	return r.Scale.PxPerM * b.Athlete.HeightM
}
