package assemble

import (
	"cmp"
	"math"
	"slices"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/body"
	"neokinema/core/breakdown"
	"neokinema/core/judge"
	"neokinema/core/measure"
	"neokinema/core/playbook"
	"neokinema/core/pose"
	"neokinema/core/track"
	"neokinema/server/store"
	"neokinema/weights"
)

// Near is the athlete's side toward the camera of a clip; empty where none is.
func Near(e playbook.Event, b store.Bench) body.Side {
	switch b.Clip.View {
	case "side-open":
		return Working(e, b)
	case "side-closed":
		return Working(e, b).Other()
	}
	return ""
}

// FoundBody is what a body model found on a film, px of the pictures looked at.
type FoundBody struct {
	Frames []int                         // that were looked at
	Marks  []map[body.Landmark]pose.Mark // on each of them
	Paths  map[body.Landmark][]pose.Mark // on every picture from the first of them to the last
	Height float64                       // of the athlete, standing

	widened float64
	at      func(frame int) float64 // s
}

// FindBody makes landmarks of a body model's looks. near is the athlete's side toward
// the camera; widened, by how much what the model is unsure of is to be widened.
func FindBody(looks []pose.Look, near body.Side, widened float64, at func(frame int) float64) FoundBody {
	out := FoundBody{Height: pose.HeightPx(looks), widened: widened, at: at}
	var times []float64
	for _, l := range looks {
		out.Marks = append(out.Marks, weights.Pose.Marks(l, near, out.Height, widened))
		out.Frames, times = append(out.Frames, l.Frame), append(times, at(l.Frame))
	}
	pose.UndoSwaps(out.Marks, times, out.Height)
	out.Paths = pose.Paths(out.Marks, out.Frames, at)
	return out
}

// byModel is what paths are found from that nobody placed.
const byModel = "body model"

// feet are followed from one look to the next: a contact is told to the picture, and
// looks are too far apart for it.
var feet = []body.Landmark{"heel.L", "heel.R", "toe.L", "toe.R"}

// unsure is the uncertainty, as a share of standing height, from which on a found point
// is none to follow from: it may be the other side's.
const unsure = 0.04

// WithFeet has the feet that a body model found followed between its looks, where the
// coach has not placed them.
func (p FollowPlan) WithFeet(found FoundBody) FollowPlan {
	half := measure.Neighbourhood(body.TrunkShare * found.Height)
	for _, name := range feet {
		if slices.Contains(p.Names, name) {
			continue
		}
		starts := map[int]track.Start{}
		for i, m := range found.Marks {
			if at := found.Frames[i] - p.First; at >= 0 && at < p.Pictures && m[name].U < unsure*found.Height {
				starts[at] = track.Start{Observation: track.Observation{At: m[name].At, U: m[name].U}, Kind: measure.FollowedAs(name), Half: half}
			}
		}
		if len(starts) > 0 {
			p.Names, p.Seeds, p.inputs = append(p.Names, name), append(p.Seeds, starts), append(p.inputs, byModel)
		}
	}
	return p
}

// WithDetected joins followed points with those that a body model found: a followed
// point wins while it is the surer one, and where it
// is lost the found one goes on. Points that nobody placed are the model's alone.
func (p FollowPlan) WithDetected(followed store.FollowedPaths, found FoundBody) store.FollowedPaths {
	if len(found.Frames) == 0 {
		return followed
	}
	followed.Widened = found.widened
	first := found.Frames[0]
	for name, marks := range found.Paths {
		i := slices.IndexFunc(followed.Paths, func(f store.Path) bool { return f.Name == string(name) })
		if i < 0 {
			followed.Paths = append(followed.Paths, p.detectedPath(name, first, marks))
			continue
		}
		p.fill(&followed.Paths[i], first, marks, unsure*found.Height)
	}
	slices.SortFunc(followed.Paths, func(a, b store.Path) int { return cmp.Compare(a.Name, b.Name) })
	return followed
}

// detectedPath is a path of the model alone.
func (p FollowPlan) detectedPath(name body.Landmark, first int, marks []pose.Mark) store.Path {
	out := store.Path{Name: string(name), Source: breakdown.Detected, Input: byModel, Lost: []store.LostPoint{}}
	for frame := p.First; frame < p.First+p.Pictures; frame++ {
		if k := frame - first; k >= 0 && k < len(marks) {
			out.X, out.Y = append(out.X, p.original(marks[k].At.X)), append(out.Y, p.original(marks[k].At.Y))
			out.U, out.Confidence = append(out.U, p.original(marks[k].U)), append(out.Confidence, marks[k].Confidence)
			if marks[k].U == 0 {
				out.Lost = lose(out.Lost, frame, "it is not seen apart from the body and the background")
			}
			continue
		}
		out.X, out.Y, out.U, out.Confidence = append(out.X, 0), append(out.Y, 0), append(out.U, 0), append(out.Confidence, 0)
		out.Lost = lose(out.Lost, frame, "nobody is found on this picture")
	}
	return out
}

// fill puts found points into a followed path where it is lost. It stays a followed
// one: the coach placed it. sure is below which uncertainty, px, the model's own error
// is taken to go along with a point that is followed from it.
func (p FollowPlan) fill(path *store.Path, first int, marks []pose.Mark, sure float64) {
	lost := []store.LostPoint{}
	for i := range path.U {
		frame := p.First + i
		k := frame - first
		here := k >= 0 && k < len(marks) && marks[k].U > 0
		if path.U[i] == 0 && !here {
			lost = lose(lost, frame, whyLost(path.Lost, frame))
			continue
		}
		if path.U[i] > 0 && here && path.Input == byModel && marks[k].U < sure {
			path.U[i] = math.Max(path.U[i], lasting*p.original(marks[k].U))
		}
		if path.U[i] > 0 && (!here || path.U[i] <= p.original(marks[k].U)) {
			continue
		}
		at := r2.Scale(p.scale, marks[k].At)
		u := p.original(marks[k].U)
		if path.U[i] > 0 { // both are there, and the found one is surer: what they disagree by is doubt
			u = math.Max(u, r2.Norm(r2.Sub(at, r2.Vec{X: path.X[i], Y: path.Y[i]}))/2)
		}
		path.X[i], path.Y[i], path.U[i], path.Confidence[i] = p.original(marks[k].At.X), p.original(marks[k].At.Y), u, marks[k].Confidence
	}
	path.Lost = lost
}

// lasting is the share of a found point's uncertainty that following cannot take off:
// the model's error goes along with the point.
const lasting = 0.8

func whyLost(lost []store.LostPoint, frame int) string {
	for _, l := range lost {
		if frame >= l.From && frame <= l.To {
			return l.Why
		}
	}
	return "it is lost"
}

// lose adds a picture to the stretches on which a point is lost.
func lose(lost []store.LostPoint, frame int, why string) []store.LostPoint {
	if n := len(lost); n > 0 && lost[n-1].Why == why && lost[n-1].To == frame-1 {
		lost[n-1].To++
		return lost
	}
	return append(lost, store.LostPoint{From: frame, To: frame, Why: why})
}

// original is a length of the kept pictures in the original, px, to a hundredth.
func (p FollowPlan) original(v float64) float64 { return math.Round(100*p.scale*v) / 100 }

// HasPlaced reports whether the coach has placed a point that can be followed.
func HasPlaced(b store.Bench) bool {
	return slices.ContainsFunc(b.Landmarks, func(l breakdown.Landmark) bool { return l.Source == breakdown.Placed && b.Clip.Has(l.Frame) })
}

// DecidingPoint is a found point on whose place verdicts hang, with its picture.
type DecidingPoint struct {
	judge.DecidingPoint
	Frame  int  `json:"frame"`
	Unsure bool `json:"unsure"` // the model is less sure of it than of most
}

// deciding are the found points that decide most of an attempt's verdicts.
func deciding(e playbook.Event, s *measure.Recording, values []judge.Judged) []DecidingPoint {
	at := func(keyID string, l body.Landmark) (measure.Observation, bool) {
		frame, stamped := s.Stamps[keyID]
		m, seen := s.Observations[frame][l]
		return m, stamped && seen && m.Source == breakdown.Detected
	}
	var us []float64
	for _, frame := range s.Stamps {
		for _, m := range s.Observations[frame] {
			if m.Source == breakdown.Detected {
				us = append(us, m.U)
			}
		}
	}
	slices.Sort(us)
	out := []DecidingPoint{}
	for _, p := range judge.Deciding(e, values, func(keyID string, l body.Landmark) bool {
		_, found := at(keyID, l)
		return found
	}) {
		const doubtful, wide = 0.5, 1.4
		m, _ := at(p.KeyID, p.Landmark)
		out = append(out, DecidingPoint{p, s.Stamps[p.KeyID], m.Confidence < doubtful || m.U > wide*us[len(us)/2]})
	}
	return out
}

// heightShareU is how well a body's links tell its standing height, as a share: limb
// proportions differ, and links are seen shortened (root mean square on the shipped
// clips with as much for people unlike them).
const heightShareU = 0.03

// scaleByHeight offers the athlete's standing height as the picture's scale where none
// is set: a vertical line through the picture on which the found body is at its
// longest.
func scaleByHeight(s *measure.Recording) *breakdown.ScaleLine {
	if s.Calibration.Scale != nil || s.HeightM == 0 {
		return nil
	}
	type seen struct {
		frame  int
		height float64
	}
	var all []seen
	for frame, on := range s.Observations {
		if h, ok := heightOn(on); ok {
			all = append(all, seen{frame, h})
		}
	}
	if len(all) < fewestHeights {
		return nil
	}
	slices.SortFunc(all, func(a, b seen) int { return cmp.Or(cmp.Compare(a.height, b.height), a.frame-b.frame) })
	tall := all[len(all)*9/10]
	on := s.Observations[tall.frame]
	foot := r2.Scale(0.5, r2.Add(on["ankle.L"].At, on["ankle.R"].At))
	foot.Y = math.Max(on["ankle.L"].At.Y, on["ankle.R"].At.Y) + body.Lengths.AnkleHeight*tall.height
	top := math.Max(0, foot.Y-tall.height)
	return &breakdown.ScaleLine{
		A: breakdown.Spot{X: foot.X, Y: top + tall.height}, B: breakdown.Spot{X: foot.X, Y: top},
		Metres: s.HeightM, What: "standing height", Frame: &tall.frame, U: heightShareU * s.HeightM,
	}
}

// fewestHeights is on how many pictures a body must be found to tell its height.
const fewestHeights = 20

// heightOn is the standing height that a picture's links of trunk and leg tell, px.
func heightOn(on map[body.Landmark]measure.Observation) (float64, bool) {
	at := func(part string, side body.Side) (r2.Vec, bool) {
		m, ok := on[body.Landmark(part+"."+string(side))]
		return m.At, ok
	}
	leg := 0.0
	var hips, shoulders r2.Vec
	for _, side := range []body.Side{body.Left, body.Right} {
		hip, okH := at("hip", side)
		knee, okK := at("knee", side)
		ankle, okA := at("ankle", side)
		shoulder, okS := at("shoulder", side)
		if !okH || !okK || !okA || !okS {
			return 0, false
		}
		leg = math.Max(leg, r2.Norm(r2.Sub(hip, knee))+r2.Norm(r2.Sub(knee, ankle)))
		hips, shoulders = r2.Add(hips, r2.Scale(0.5, hip)), r2.Add(shoulders, r2.Scale(0.5, shoulder))
	}
	return (leg + r2.Norm(r2.Sub(shoulders, hips))) / (body.Lengths.ShoulderHeight - body.Lengths.AnkleHeight), true
}
