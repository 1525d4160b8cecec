package track

import (
	"context"
	"fmt"
	"maps"
	"math"
	"slices"
	"sync"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/optics"
)

// Path is where one point is on each picture of a film, lost ones among them.
type Path []Sample

// FrameSource gives a film's pictures by their number, 0 the first.
type FrameSource func(ctx context.Context, i int) (*Picture, error)

// Follow follows points that were placed on some of a film's n pictures to all
// the others, forward and backward, and joins what both say. placed holds for
// each point the pictures that somebody put it on. moved is how the still world
// moved from the first picture to each. progress hears how many of how many
// pictures were looked at.
func Follow(ctx context.Context, film FrameSource, n int, placed []map[int]Start, progress func(done, of int) error) (paths []Path, moved []optics.Movement, err error) {
	ctx, stop := context.WithCancelCause(ctx)
	defer stop(nil)
	var both sync.Mutex
	done := 0
	tick := func() error {
		both.Lock()
		defer both.Unlock()
		if ctx.Err() != nil {
			return context.Cause(ctx)
		}
		done++
		return progress(done, 2*n)
	}
	var ahead, behind []pass
	var wait sync.WaitGroup
	wait.Go(func() {
		defer failing(stop)
		ways, steps, err := followOneWay(ctx, film, n, placed, func(i int) int { return i }, tick)
		if ahead, moved = ways, steps; err != nil {
			stop(err)
		}
	})
	wait.Go(func() {
		defer failing(stop)
		ways, _, err := followOneWay(ctx, film, n, placed, func(i int) int { return n - 1 - i }, tick)
		if behind = ways; err != nil {
			stop(err)
		}
	})
	wait.Wait()
	if err := context.Cause(ctx); err != nil {
		return nil, nil, err
	}
	paths = make([]Path, len(placed))
	for k := range placed {
		paths[k] = join(ahead[k].tied(placed[k], 1), behind[k].tied(placed[k], -1))
		paths[k].giveUp(placed[k])
	}
	return paths, moved, nil
}

// failing ends a following whose computation fails: it ends nothing else.
func failing(stop context.CancelCauseFunc) {
	if failed := recover(); failed != nil {
		stop(fmt.Errorf("following failed: %v", failed))
	}
}

// giveUp loses the marks that could lie anywhere within their neighbourhood.
func (p Path) giveUp(placed map[int]Start) {
	half := 0
	for _, s := range placed {
		half = max(half, s.Half)
	}
	for i, step := range p {
		if step.Lost == "" && step.U > unsure*float64(half) {
			p[i] = Sample{Lost: Unsure}
		}
	}
}

// Link is two points that a stiff part joins: as in a picture of it they are
// never further apart than where it lies square to the camera.
type Link struct{ A, B int }

// stretch is by how much two linked points may be further apart than on any
// picture on which both were placed.
const stretch = 1.25

// HoldSegmentLengths loses the less sure one of two linked points that are too far apart.
func HoldSegmentLengths(paths []Path, placed []map[int]Start, links []Link) {
	for _, l := range links {
		most := 0.0
		for i, a := range placed[l.A] {
			if b, ok := placed[l.B][i]; ok {
				most = max(most, r2.Norm(r2.Sub(a.At, b.At)))
			}
		}
		if most == 0 {
			continue
		}
		for i := range paths[l.A] {
			a, b := &paths[l.A][i], &paths[l.B][i]
			if a.Lost != "" || b.Lost != "" || r2.Norm(r2.Sub(a.At, b.At)) <= stretch*most+2*math.Hypot(a.U, b.U) {
				continue
			}
			if a.U > b.U {
				b = a
			}
			*b = Sample{Lost: Torn}
		}
	}
}

// pass is a path as it was followed in one direction, and where it arrived on
// the pictures on which it was then put.
type pass struct {
	path     Path
	arrivals map[int]Sample
}

// followOneWay goes through a film in one direction.
func followOneWay(ctx context.Context, film FrameSource, n int, placed []map[int]Start, number func(int) int, tick func() error) ([]pass, []optics.Movement, error) {
	out := make([]pass, len(placed))
	for k := range out {
		out[k] = pass{make(Path, n), map[int]Sample{}}
	}
	moved := []optics.Movement{optics.Rest}
	var f *Follower
	var still *anchored
	for i := range n {
		if err := tick(); err != nil {
			return nil, nil, err
		}
		at := number(i)
		p, err := film(ctx, at)
		if err != nil {
			return nil, nil, err
		}
		steps := make([]Sample, len(placed))
		if f == nil {
			f, still = New(p, nil, len(placed)), newAnchored(p)
			for k := range steps {
				steps[k].Lost = Unplaced
			}
		} else {
			steps = f.Next(p)
			now := moved[len(moved)-1].Then(f.Moved())
			if i%anchorEach == 0 {
				now, _ = still.align(p, now)
			}
			moved = append(moved, now)
		}
		for k, marks := range placed {
			if s, ok := marks[at]; ok {
				out[k].arrivals[at] = steps[k]
				f.Seed(k, s)
				steps[k] = Sample{Observation: s.Observation}
			}
			out[k].path[at] = steps[k]
		}
	}
	return out, moved, nil
}

// believed is for how many drifts the expected one counts beside the one that
// was seen.
const believed = 2

// tied takes out, evenly, by how much a point was off when it came to the next
// picture on which it was put. What is left is uncertain as a path whose two
// ends are known: by the drift that was seen and the one that was expected.
func (w pass) tied(placed map[int]Start, way int) Path {
	at := slices.Sorted(maps.Keys(placed))
	if way < 0 {
		slices.Reverse(at)
	}
	for i := 1; i < len(at); i++ {
		from, to := at[i-1], at[i]
		end, put := w.arrivals[to], placed[to]
		if end.Lost != "" {
			continue
		}
		off := r2.Sub(put.At, end.At)
		drift := (r2.Norm2(off) + believed*max(0, end.U*end.U-put.U*put.U)) / (2 + believed)
		for f := from + way; f != to; f += way {
			s := float64(f-from) / float64(to-from)
			step := &w.path[f]
			step.At = r2.Add(step.At, r2.Scale(s, off))
			begun, ends := (1-s)*placed[from].U, s*put.U
			step.U = math.Sqrt(begun*begun + ends*ends + s*(1-s)*drift + grain*grain)
		}
	}
	return w.path
}

// grain is how well a point is found on any picture at best, px.
const grain = 0.1

// agree is by how many combined standard uncertainties two marks of one point
// may lie from each other: 99 % of two normal directions.
const agree = 3

// join weighs what was followed forward and backward by their certainty. Both
// begin from the same marks, so together they are no surer than the surer one.
func join(ahead, behind Path) Path {
	out := make(Path, len(ahead))
	for i, a := range ahead {
		b := behind[i]
		switch {
		case a == b:
			out[i] = a
		case a.Lost != "" && b.Lost != "":
			out[i] = a
			if a.Lost == Unplaced {
				out[i] = b
			}
		case a.Lost != "":
			out[i] = b
		case b.Lost != "":
			out[i] = a
		case r2.Norm(r2.Sub(a.At, b.At)) > agree*math.Hypot(a.U, b.U):
			out[i].Lost = Parted
		default:
			wa, wb := 1/(a.U*a.U), 1/(b.U*b.U)
			out[i].At = r2.Scale(1/(wa+wb), r2.Add(r2.Scale(wa, a.At), r2.Scale(wb, b.At)))
			out[i].U = min(a.U, b.U)
		}
	}
	return out
}
