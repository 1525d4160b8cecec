package assemble

import (
	"math"
	"slices"

	"neokinema/core/body"
	"neokinema/core/breakdown"
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

// FigureBone joins two points, by their places in the list.
type FigureBone struct {
	From int    `json:"from"`
	To   int    `json:"to"`
	Role string `json:"role"` // front: the working side's; rear: the other's; middle
}

// Figure is the placed athlete on one picture, in a size that two films share.
type Figure struct {
	Points []FigurePoint `json:"points"`
	Bones  []FigureBone  `json:"bones"`
	Film   bool          `json:"film"`
}

// Limbs are the segments of a figure, one side of it.
var Limbs = [][2]string{{"shoulder", "hip"}, {"hip", "knee"}, {"knee", "ankle"}, {"ankle", "toe"}, {"heel", "toe"}, {"ankle", "heel"}, {"shoulder", "elbow"}, {"elbow", "wrist"}}

// FigureAt is the figure at a key position. PxPerM is the picture's scale; 0:
// none is known, and the longest trunk or thigh that was placed gives it.
func FigureAt(e playbook.Event, b store.Bench, keyID string, pxPerM float64) (Figure, error) {
	out := Figure{Points: []FigurePoint{}, Bones: []FigureBone{}}
	frame, ok := b.Stamps[keyID]
	if !ok || b.Clip == nil {
		return out, store.Invalid("this key position is not stamped")
	}
	out.Film = !b.Clip.Filmless
	at := map[string]breakdown.Spot{}
	for _, l := range b.Landmarks {
		if l.Frame == frame {
			at[l.Name] = breakdown.Spot{X: l.X, Y: l.Y}
		}
	}
	middle, ok := between(at, "hip.L", "hip.R")
	if !ok {
		return out, store.Invalid("place a hip at this key position: figures are laid over one another by the hips")
	}
	height := pxPerM * b.Athlete.HeightM
	if pxPerM <= 0 {
		height = placedHeight(at)
	}
	if height <= 0 {
		return out, store.Invalid("a known length, or a placed thigh or trunk, is needed to give the figure its size")
	}
	names := make([]string, 0, len(at))
	for name := range at {
		names = append(names, name)
	}
	slices.Sort(names)
	where := map[string]int{}
	for _, name := range names {
		where[name] = len(out.Points)
		out.Points = append(out.Points, FigurePoint{name, (at[name].X - middle.X) / height, (middle.Y - at[name].Y) / height})
	}
	join := func(from, to, role string) {
		f, okF := where[from]
		t, okT := where[to]
		if okF && okT {
			out.Bones = append(out.Bones, FigureBone{f, t, role})
		}
	}
	working := Working(e, b)
	for _, side := range []body.Side{working.Other(), working} {
		role := "rear"
		if side == working {
			role = "front"
		}
		for _, limb := range Limbs {
			join(limb[0]+"."+string(side), limb[1]+"."+string(side), role)
		}
	}
	join("shoulder.L", "shoulder.R", "middle")
	join("hip.L", "hip.R", "middle")
	join("neck", "vertex", "middle")
	return out, nil
}

func between(at map[string]breakdown.Spot, left, right string) (breakdown.Spot, bool) {
	l, okL := at[left]
	r, okR := at[right]
	switch {
	case okL && okR:
		return breakdown.Spot{X: (l.X + r.X) / 2, Y: (l.Y + r.Y) / 2}, true
	case okL:
		return l, true
	}
	return r, okR
}

// placedHeight is the body height in pixels that placed thighs and trunks speak
// for, by their usual shares of it; the longest counts, since what is turned
// away from the camera looks shorter.
func placedHeight(at map[string]breakdown.Spot) float64 {
	best := 0.0
	for _, side := range []string{"L", "R"} {
		for _, s := range []struct {
			from, to string
			share    float64 // of height: Winter, Biomechanics and Motor Control, fig. 4.1
		}{{"hip." + side, "knee." + side, 0.245}, {"shoulder." + side, "hip." + side, 0.288}} {
			a, okA := at[s.from]
			b, okB := at[s.to]
			if okA && okB {
				best = max(best, math.Hypot(a.X-b.X, a.Y-b.Y)/s.share)
			}
		}
	}
	return best
}

// PxHeight is how tall the athlete is in pixels of the original picture, by its
// scale; 0: none is known.
func PxHeight(b store.Bench, r Reading) float64 {
	if r.Scale == nil {
		return 0
	}
	return r.Scale.PxPerM * b.Athlete.HeightM
}
