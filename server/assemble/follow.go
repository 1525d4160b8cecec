package assemble

import (
	"fmt"
	"hash/fnv"
	"image"
	"maps"
	"math"
	"slices"
	"strings"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/body"
	"neokinema/core/breakdown"
	"neokinema/core/measure"
	"neokinema/core/optics"
	"neokinema/core/pose"
	"neokinema/core/track"
	"neokinema/server/store"
)

// FollowPlan is what is to be followed on an attempt's clip: landmarks from the
// pictures on which they were placed to the others between the first and the
// last that count; where nothing was placed, nothing, on the whole film. Its pixels
// are those of the kept pictures.
type FollowPlan struct {
	First, Pictures int
	Names           []body.Landmark
	Seeds           []map[int]track.Start // picture, counted from First
	inputs          []string
	kept            []store.Path // found before, from the same marks
	scale           float64      // original pixels per kept one
	size            image.Point
}

// beside is for how many pictures points are followed beyond the outermost
// stamps and marks.
const beside = 12

// Follow plans it. Points whose marks have not changed since they were followed
// last are not followed again.
func Follow(b store.Bench) (FollowPlan, error) {
	c := b.Clip
	if c == nil || c.Status != "ready" || c.ShownWidth() == 0 {
		return FollowPlan{}, store.Invalid("the clip is not ready yet")
	}
	p := FollowPlan{scale: float64(c.Width) / float64(c.ShownWidth()), size: image.Pt(c.Width, c.Height)}
	from, to := math.MaxInt, 0
	count := func(frame int) { from, to = min(from, frame), max(to, frame) }
	marks := map[body.Landmark]map[int]r2.Vec{}
	for _, l := range b.Landmarks {
		if l.Source != "placed" || !c.Has(l.Frame) {
			continue
		}
		name := body.Landmark(l.Name)
		if marks[name] == nil {
			marks[name] = map[int]r2.Vec{}
		}
		marks[name][l.Frame] = r2.Scale(1/p.scale, r2.Vec{X: l.X, Y: l.Y})
		count(l.Frame)
	}
	for _, f := range b.Stamps {
		count(f)
	}
	if len(marks) == 0 { // found by the body model alone, on the whole film
		from, to = c.First, c.First+c.Frames-1
	}
	p.First = max(c.First, from-beside)
	p.Pictures = min(c.First+c.Frames, to+beside+1) - p.First
	if len(marks) == 0 {
		return p, nil
	}
	half, u := measure.Neighbourhood(trunk(marks)), MarkU(b)/p.scale
	for _, name := range slices.Sorted(maps.Keys(marks)) {
		starts := map[int]track.Start{}
		for f, px := range marks[name] {
			starts[f-p.First] = track.Start{Observation: track.Observation{At: px, U: u}, Kind: measure.FollowedAs(name), Half: half}
		}
		input := fmt.Sprintf("%s, %d pictures of %s from %d, %d px", mark(starts), p.Pictures, c.ID, p.First, half)
		if old, ok := b.Followed.Path(string(name)); ok && old.Input == input && old.Source == breakdown.Followed {
			p.kept = append(p.kept, old)
			continue
		}
		p.Names, p.Seeds, p.inputs = append(p.Names, name), append(p.Seeds, starts), append(p.inputs, input)
	}
	return p, nil
}

// Bytes is about how much memory the pictures take with their halves.
func (p FollowPlan) Bytes() int {
	return int(float64(p.Pictures) * float64(p.size.X) * float64(p.size.Y) / (p.scale * p.scale) * 4 / 3)
}

// mark tells one set of starts from another.
func mark(starts map[int]track.Start) string {
	h := fnv.New64a()
	frames := make([]int, 0, len(starts))
	for f := range starts {
		frames = append(frames, f)
	}
	slices.Sort(frames)
	for _, f := range frames {
		fmt.Fprintf(h, "%d %.3f %.3f %.3f;", f, starts[f].At.X, starts[f].At.Y, starts[f].U)
	}
	return fmt.Sprintf("%d marks %016x", len(starts), h.Sum64())
}

// trunk is the middle length of the placed trunks, px; without any, a third of
// the greatest extent of a picture's marks.
func trunk(marks map[body.Landmark]map[int]r2.Vec) float64 {
	var trunks []float64
	extent := 0.0
	for _, s := range []body.Side{body.Left, body.Right} {
		for f, hip := range marks[body.Landmark("hip."+string(s))] {
			if shoulder, ok := marks[body.Landmark("shoulder."+string(s))][f]; ok {
				trunks = append(trunks, r2.Norm(r2.Sub(hip, shoulder)))
			}
		}
	}
	if len(trunks) > 0 {
		slices.Sort(trunks)
		return trunks[len(trunks)/2]
	}
	for _, a := range marks {
		for f, at := range a {
			for _, b := range marks {
				if other, ok := b[f]; ok {
					extent = max(extent, r2.Norm(r2.Sub(at, other)))
				}
			}
		}
	}
	return extent / 3
}

// Found puts what was followed, and what is kept from before, into pixels of
// the original.
func (p FollowPlan) Found(paths []track.Path, moved []optics.Movement) store.FollowedPaths {
	out := store.FollowedPaths{First: p.First, Paths: append([]store.Path{}, p.kept...), Camera: [][]float64{}}
	for _, m := range p.steady(moved).Moved {
		out.Camera = append(out.Camera, m.Scaled(p.scale).Elements())
	}
	round := func(v float64) float64 { return math.Round(100*p.scale*v) / 100 }
	for k, path := range paths {
		one := store.Path{Name: string(p.Names[k]), Source: breakdown.Followed, Input: p.inputs[k], Lost: []store.LostPoint{}}
		if one.Input == byModel {
			one.Source = breakdown.Detected
		}
		for i, step := range path {
			one.X, one.Y, one.U = append(one.X, round(step.At.X)), append(one.Y, round(step.At.Y)), append(one.U, round(step.U))
			if step.Lost == "" {
				one.Confidence = append(one.Confidence, 1)
				continue
			}
			one.Confidence = append(one.Confidence, 0)
			if n := len(one.Lost); n > 0 && one.Lost[n-1].Why == step.Lost && one.Lost[n-1].To == p.First+i-1 {
				one.Lost[n-1].To++
			} else {
				one.Lost = append(one.Lost, store.LostPoint{From: p.First + i, To: p.First + i, Why: step.Lost})
			}
		}
		out.Paths = append(out.Paths, one)
	}
	slices.SortFunc(out.Paths, func(a, b store.Path) int { return strings.Compare(a.Name, b.Name) })
	return out
}

// standing is how far, px of the original, a camera on a tripod may seem to move.
const standing = 2

func (p FollowPlan) steady(moved []optics.Movement) optics.CameraMotion {
	return optics.CameraMotion{Moved: moved}.Steady(float64(p.size.X)/p.scale, float64(p.size.Y)/p.scale, standing/p.scale)
}

// CarriedPaths are followed points with how the still world moved between the
// pictures: homographies of a picture's plane by rows, px of the original, from the
// first picture to each and back. Without them the camera stood.
type CarriedPaths struct {
	First     int          `json:"first"`
	FromFirst [][9]float64 `json:"fromFirst"`
	ToFirst   [][9]float64 `json:"toFirst"`
	Paths     []store.Path `json:"paths"`
}

// Carried works the homographies of followed points out.
func Carried(f store.FollowedPaths) CarriedPaths {
	out := CarriedPaths{First: f.First, FromFirst: [][9]float64{}, ToFirst: [][9]float64{}, Paths: f.Paths}
	for _, m := range camera(&f).Moved {
		out.FromFirst, out.ToFirst = append(out.FromFirst, m.Matrix()), append(out.ToFirst, m.Inverse().Matrix())
	}
	return out
}

// camera is how the camera moved.
func camera(f *store.FollowedPaths) optics.CameraMotion {
	if f == nil {
		return optics.CameraMotion{}
	}
	c := optics.CameraMotion{First: f.First}
	for _, m := range f.Camera {
		c.Moved = append(c.Moved, optics.MovementOf(m))
	}
	return c
}

// follow adds followed points to those that were placed.
func follow(s *measure.Recording, f *store.FollowedPaths) {
	if f == nil {
		return
	}
	for _, path := range Mended(s, f).Paths {
		name := body.Landmark(path.Name)
		placed := placedOn(s, name)
		for i, u := range path.U {
			frame := f.First + i
			if u == 0 {
				continue
			}
			if s.Observations[frame] == nil {
				s.Observations[frame] = map[body.Landmark]measure.Observation{}
			}
			if _, placed := s.Observations[frame][name]; placed {
				continue
			}
			source := path.Source
			if source == breakdown.Detected && slices.ContainsFunc(placed, func(p int) bool { return math.Abs(s.Timeline.At(p)-s.Timeline.At(frame)) <= pose.Lasts }) {
				source = breakdown.Followed // a coach has looked at it beside
			}
			s.Observations[frame][name] = measure.Observation{At: r2.Vec{X: path.X[i], Y: path.Y[i]}, U: u, Source: source, Confidence: path.Confidence[i]}
		}
	}
}

// placedOn are the pictures on which a coach put a landmark.
func placedOn(s *measure.Recording, l body.Landmark) (frames []int) {
	for frame, on := range s.Observations {
		if m, ok := on[l]; ok && m.Source == breakdown.Placed {
			frames = append(frames, frame)
		}
	}
	return frames
}

// Mended are found paths as they lie with the points that a coach has placed or
// confirmed since: their neighbours in time follow them. Paths that were followed
// from placed points stay.
func Mended(s *measure.Recording, f *store.FollowedPaths) store.FollowedPaths {
	out := *f
	out.Paths = slices.Clone(f.Paths)
	for k, path := range out.Paths {
		if path.Source == breakdown.Detected {
			if placed := placedOn(s, body.Landmark(path.Name)); len(placed) > 0 {
				out.Paths[k] = mend(s, f.First, path, placed)
			}
		}
	}
	return out
}

func mend(s *measure.Recording, first int, path store.Path, placed []int) store.Path {
	marks, fixed := make([]pose.Mark, len(path.U)), map[int]pose.Mark{}
	for i := range marks {
		marks[i] = pose.Mark{At: r2.Vec{X: path.X[i], Y: path.Y[i]}, U: path.U[i]}
	}
	for _, frame := range placed {
		m := s.Observations[frame][body.Landmark(path.Name)]
		fixed[frame-first] = pose.Mark{At: m.At, U: m.U}
	}
	marks = pose.Mend(marks, func(i int) float64 { return s.Timeline.At(first + i) }, fixed)
	path.X, path.Y, path.U = slices.Clone(path.X), slices.Clone(path.Y), slices.Clone(path.U)
	for i, m := range marks {
		path.X[i], path.Y[i], path.U[i] = m.At.X, m.At.Y, m.U
	}
	return path
}
