package assemble

import (
	"cmp"
	"context"
	"math"
	"strings"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/body"
	"neokinema/core/implement"
	"neokinema/core/measure"
	"neokinema/core/optics"
	"neokinema/core/playbook"
	"neokinema/core/pose"
	"neokinema/core/track"
	"neokinema/server/store"
)

// Find makes paths of looks at an attempt's film: of the body's landmarks, of the feet
// followed between the looks, of what the coach placed, and of the implement. film
// has the pictures of the plan; progress hears of pictures done.
func (p FollowPlan) Find(ctx context.Context, e playbook.Event, b store.Bench, found FoundBody, film track.FrameSource, progress func(done, of int) error) (store.FollowedPaths, error) {
	if len(found.Frames) > 0 {
		p = p.WithFeet(found)
	}
	of := 2 * p.Pictures
	ball := e.Ball != nil && len(found.Frames) > 0
	shaft := e.Shaft != nil && len(found.Frames) > 0 && fromSide(b)
	if ball || shaft {
		of += p.Pictures
	}
	paths, moved, err := track.Follow(ctx, film, p.Pictures, p.Seeds, func(done, _ int) error { return progress(done, of) })
	if err != nil {
		return store.FollowedPaths{}, err
	}
	track.HoldSegmentLengths(paths, p.Seeds, measure.Links(p.Names))
	if ball {
		seen, err := implement.FindBall(ctx, p.implementFilm(e, b, found, film, moved), implement.Ball{Radius: e.Ball.Radius, Reach: e.Ball.Reach, Pull: e.Ball.Pull, Fastest: e.Ball.Fastest},
			func(done int) error { return progress(2*p.Pictures+done, of) })
		if err != nil {
			return store.FollowedPaths{}, err
		}
		found.Paths["implement"] = p.implementPath(e, b, found, seen)
	}
	if shaft {
		seen, err := implement.FindShaft(ctx, p.implementFilm(e, b, found, film, moved), p.shaft(e, b),
			func(done int) error { return progress(2*p.Pictures+done, of) })
		if err != nil {
			return store.FollowedPaths{}, err
		}
		p.shaftPaths(b, found, seen)
	}
	return p.WithDetected(p.Found(paths, moved), found), nil
}

// fromSide reports whether a film was taken from a side, where a shaft is seen whole.
func fromSide(b store.Bench) bool {
	return b.Clip != nil && strings.HasPrefix(b.Clip.View, "side")
}

// shaft is the javelin as it is looked for on a film.
func (p FollowPlan) shaft(e playbook.Event, b store.Bench) implement.Shaft {
	toward := r2.Vec{X: -1}
	if b.Clip.Rightward {
		toward.X = 1
	}
	return implement.Shaft{Ahead: e.Shaft.Ahead[b.Athlete.Sex], Behind: e.Shaft.Behind[b.Athlete.Sex], Fastest: e.Shaft.Fastest, Toward: toward}
}

// bendU is how far a shaft's ends are off its line as it bends and swings, m (common
// practice).
const bendU = 0.01

// shaftPaths sets down where a javelin's ends and its cord are on a plan's pictures. Of
// the ends, which tell directions alone, the ± is that across the shaft.
func (p FollowPlan) shaftPaths(b store.Bench, found FoundBody, seen []implement.SeenShaft) {
	across := func(s implement.SeenShaft) float64 { return math.Hypot(2*s.U, bendU*found.pxPerM(b)) }
	first, last := found.Frames[0], found.Frames[len(found.Frames)-1]
	for _, end := range []struct {
		name body.Landmark
		at   func(implement.SeenShaft) r2.Vec
		u    func(implement.SeenShaft) float64
	}{
		{"implement", func(s implement.SeenShaft) r2.Vec { return s.Grip }, func(s implement.SeenShaft) float64 { return math.Hypot(s.U, s.EndU) }},
		{"implement.front", func(s implement.SeenShaft) r2.Vec { return s.Tip }, across},
		{"implement.back", func(s implement.SeenShaft) r2.Vec { return s.Tail }, across},
	} {
		path := make([]pose.Mark, last-first+1)
		for i, s := range seen {
			if k := p.First + i - first; k >= 0 && k < len(path) && s.U > 0 {
				path[k] = pose.Mark{At: end.at(s), U: found.widened * end.u(s), Confidence: s.Confidence}
			}
		}
		found.Paths[end.name] = path
	}
}

// pxPerM is about how many pixels a metre has where the athlete is.
func (found FoundBody) pxPerM(b store.Bench) float64 {
	const usualHeight = 1.75 // m
	return found.Height / cmp.Or(b.Athlete.HeightM, usualHeight)
}

// mark is a found landmark on a picture of a plan.
func (p FollowPlan) mark(found FoundBody, l body.Landmark, i int) (pose.Mark, bool) {
	path, k := found.Paths[l], p.First+i-found.Frames[0]
	if k < 0 || k >= len(path) || path[k].U == 0 {
		return pose.Mark{}, false
	}
	return path[k], true
}

// parts are the body's, from landmark to landmark, with their half widths, m (common
// practice).
var parts = []struct {
	from, to body.Landmark
	half     float64
}{
	{"neck", "vertex", 0.13}, {"neck", "sternum", 0.15}, {"hip.L", "hip.R", 0.15}, {"shoulder.L", "shoulder.R", 0.1},
	{"shoulder.L", "hip.L", 0.13}, {"shoulder.R", "hip.R", 0.13}, {"hip.L", "knee.L", 0.1}, {"hip.R", "knee.R", 0.1},
	{"knee.L", "ankle.L", 0.08}, {"knee.R", "ankle.R", 0.08}, {"heel.L", "toe.L", 0.07}, {"heel.R", "toe.R", 0.07},
	{"shoulder.L", "elbow.L", 0.07}, {"shoulder.R", "elbow.R", 0.07}, {"elbow.L", "wrist.L", 0.06}, {"elbow.R", "wrist.R", 0.06},
	{"wrist.L", "knuckle.L", 0.06}, {"wrist.R", "knuckle.R", 0.06},
}

// implementFilm is the film as the implement is looked for on it.
func (p FollowPlan) implementFilm(e playbook.Event, b store.Bench, found FoundBody, film track.FrameSource, moved []optics.Movement) implement.Film {
	perM := found.pxPerM(b)
	steady := p.steady(moved).Moved
	hand := p.throwing(e, b)
	return implement.Film{
		Pictures: p.Pictures, PxPerM: perM,
		Shades: func(ctx context.Context, i int) (implement.Shades, error) {
			picture, err := film(ctx, i)
			if err != nil {
				return implement.Shades{}, err
			}
			w, h, at := picture.Shades()
			return implement.Shades{W: w, H: h, At: at}, nil
		},
		Time: func(i int) float64 { return found.at(p.First + i) },
		Moved: func(i int) optics.Movement {
			if i < len(steady) {
				return steady[i]
			}
			return optics.Rest
		},
		Body: func(i int) (out []implement.Capsule) {
			for _, part := range parts {
				a, okA := p.mark(found, part.from, i)
				z, okZ := p.mark(found, part.to, i)
				if okA && okZ {
					out = append(out, implement.Capsule{A: a.At, B: z.At, R: part.half * perM})
				}
			}
			return out
		},
		Hand: func(i int) (r2.Vec, bool) {
			m, ok := p.mark(found, "knuckle."+hand, i)
			return m.At, ok
		},
	}
}

// throwing is the side of the hand that throws.
func (p FollowPlan) throwing(e playbook.Event, b store.Bench) body.Landmark {
	return body.Landmark(Roles(e, b)["throwing"])
}

const (
	// inHand is how far beyond the knuckles what lies in the hand is, of the way from the
	// wrist to them, and inHandU how well that is known, m (the simulated athlete's shot
	// and disc).
	inHand, inHandU = 0.3, 0.03
	// gone is how many pictures in a row show that it is thrown.
	gone = 3
)

// implementPath is where a ball is on a plan's pictures: as it was seen; one that lies
// in the hand is where the hand is until it has left it.
func (p FollowPlan) implementPath(e playbook.Event, b store.Bench, found FoundBody, seen []implement.Seen) []pose.Mark {
	first, last := found.Frames[0], found.Frames[len(found.Frames)-1]
	out := make([]pose.Mark, last-first+1)
	hand := p.throwing(e, b)
	perM := found.pxPerM(b)
	left := len(seen) // the picture from which it is away from the hand
	for i, far := len(seen)-1, 0; i >= 0; i-- {
		at, ok := p.mark(found, "knuckle."+hand, i)
		if seen[i].U == 0 || !ok {
			continue
		}
		if r2.Norm(r2.Sub(seen[i].At, at.At)) < 2*e.Ball.Reach*perM {
			break
		}
		if far++; far >= gone {
			left = i
		}
	}
	for i := range seen {
		k := p.First + i - first
		if k < 0 || k >= len(out) {
			continue
		}
		if seen[i].U > 0 && (!e.Ball.Held || i >= left) {
			out[k] = pose.Mark{At: seen[i].At, U: found.widened * seen[i].U, Confidence: seen[i].Confidence}
			continue
		}
		knuckle, okK := p.mark(found, "knuckle."+hand, i)
		wrist, okW := p.mark(found, "wrist."+hand, i)
		if e.Ball.Held && i < left && okK && okW {
			out[k] = pose.Mark{At: r2.Add(knuckle.At, r2.Scale(inHand, r2.Sub(knuckle.At, wrist.At))), U: math.Hypot((1+inHand)*knuckle.U, inHandU*perM), Confidence: knuckle.Confidence}
		}
	}
	return out
}
