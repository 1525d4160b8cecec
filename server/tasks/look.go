package tasks

import (
	"bytes"
	"context"
	"errors"
	"image/jpeg"
	"math"
	"slices"

	"github.com/google/uuid"

	"neokinema/core/pose"
	"neokinema/server/analysis"
	"neokinema/server/assemble"
	"neokinema/server/detect"
	"neokinema/server/store"
)

// look finds the body on a clip's pictures, on about thirty of a real second: those
// of the plan, in order. It says besides on how many it looked. Where the models are
// not there nothing is found, and what the coach placed is followed alone.
func (w follower) look(ctx context.Context, r *run, b store.Bench, plan assemble.FollowPlan) ([]pose.Look, int, error) {
	if detect.Missing(w.models) != "" {
		if len(plan.Seeds) == 0 {
			return nil, 0, store.Invalid("place the points on one picture first: they are followed from there")
		}
		return nil, 0, nil
	}
	finder, err := detect.Open(w.models)
	if err != nil {
		return nil, 0, err
	}
	defer finder.Close()
	numbers := lookedAt(b.Clip, plan)
	begin, asked := subject(b, plan, numbers)
	kept, err := w.Store.Looks(ctx, b.Clip.ID)
	if err != nil {
		return nil, 0, err
	}
	p := pass{follower: w, run: r, clip: b.Clip.ID, finder: finder, asked: asked, of: 2 * len(numbers), kept: map[int]store.BodyLook{}}
	for _, l := range kept {
		p.kept[l.Frame] = l
	}
	if asked == nil && slices.ContainsFunc(numbers, func(n int) bool { _, ok := p.kept[n]; return !ok }) {
		begin, p.mover, err = finder.Athlete(len(numbers), func(i int) (*detect.Picture, error) { return w.picture(ctx, r, b.Clip.ID, numbers[i]) })
		if errors.Is(err, detect.ErrSeveral) {
			return nil, 0, store.Invalid("several people move on this film: drag a square round the athlete under \"Several people in the picture\"")
		}
		if err != nil {
			return nil, 0, err
		}
	}
	// From where somebody is known to be: forward to the end, then backward.
	before := slices.Clone(numbers[:begin])
	slices.Reverse(before)
	for _, part := range [][]int{numbers[begin:], before} {
		if err := p.over(ctx, part); err != nil {
			return nil, p.done, err
		}
	}
	slices.SortFunc(p.looks, func(a, b pose.Look) int { return a.Frame - b.Frame })
	if len(p.looks) < fewestLooks && len(plan.Seeds) == 0 {
		return nil, p.done, store.Invalid("nobody is found on this film: drag a square round the athlete under \"Several people in the picture\", or place the points by hand")
	}
	return p.looks, p.done, nil
}

// lookedAt are the pictures to look at so that all of a plan's lie between two: the
// same ones of a clip whatever the plan, and its last where the plan goes on to it.
func lookedAt(c *store.Clip, plan assemble.FollowPlan) (numbers []int) {
	every, end := detect.Every(analysis.RateOf(c)), c.First+c.Frames-1
	for n := c.First; n < end; n += every {
		if n+every > plan.First && n-every < plan.First+plan.Pictures {
			numbers = append(numbers, n)
		}
	}
	if len(numbers) == 0 || plan.First+plan.Pictures > numbers[len(numbers)-1] {
		numbers = append(numbers, end)
	}
	return numbers
}

// pass looks at a clip's pictures one after the other, each once in the clip's life:
// what was seen is kept as soon as a few are done.
type pass struct {
	follower
	run    *run
	clip   uuid.UUID
	finder *detect.Finder
	asked  *detect.Region // the square that the coach dragged
	mover  *detect.Region // else who moves
	kept   map[int]store.BodyLook
	fresh  []store.BodyLook // not stored yet
	looks  []pose.Look
	done   int
	of     int
}

// over looks at pictures in an order.
func (p *pass) over(ctx context.Context, numbers []int) error {
	tracker := detect.NewTracker(p.finder, p.asked)
	if p.mover != nil {
		tracker.Resume(*p.mover)
	}
	for _, number := range numbers {
		if err := p.at(ctx, tracker, number); err != nil {
			return err
		}
		if p.done++; p.done%told == 0 {
			if err := p.tell(ctx); err != nil {
				return err
			}
		}
	}
	return p.tell(ctx)
}

func (p *pass) at(ctx context.Context, tracker *detect.Tracker, number int) error {
	if seen, ok := p.kept[number]; ok {
		if len(seen.Next) == 4 {
			tracker.Resume(detect.Region{X: seen.Next[0], Y: seen.Next[1], Size: seen.Next[2], Turn: seen.Next[3]})
		}
		if look, found := seen.Look(); found {
			p.looks = append(p.looks, look)
		}
		return nil
	}
	picture, err := p.picture(ctx, p.run, p.clip, number)
	if err != nil {
		return err
	}
	look, found, err := tracker.Look(picture)
	if err != nil {
		return err
	}
	look.Frame = number
	if found {
		p.looks = append(p.looks, look)
	}
	next := []float64{}
	if r, ok := tracker.Next(); ok {
		next = []float64{r.X, r.Y, r.Size, r.Turn}
	}
	p.fresh = append(p.fresh, store.NewBodyLook(number, look, found, next))
	return nil
}

// tell keeps what was seen since the last time, and how far the pass has come.
func (p *pass) tell(ctx context.Context) error {
	if err := p.Store.KeepLooks(ctx, p.clip, p.fresh); err != nil {
		return err
	}
	p.fresh = nil
	return p.run.progress(ctx, p.done, p.of)
}

// fewestLooks is on how few pictures somebody must be found.
const fewestLooks = 4

// subject is where looking begins: on the picture on which the coach dragged a square
// round the athlete, and in it, px of the kept pictures.
func subject(b store.Bench, plan assemble.FollowPlan, numbers []int) (begin int, asked *detect.Region) {
	s := b.Calibration.Subject
	if s == nil {
		return 0, nil
	}
	for i, n := range numbers {
		if n <= s.Frame {
			begin = i
		}
	}
	k := float64(b.Clip.ShownWidth()) / float64(b.Clip.Width)
	const room = 1.3
	size := room * k * math.Max(math.Abs(s.A.X-s.B.X), math.Abs(s.A.Y-s.B.Y))
	return begin, &detect.Region{X: k * (s.A.X + s.B.X) / 2, Y: k * (s.A.Y + s.B.Y) / 2, Size: size}
}

// picture is a clip's picture in colour.
func (w follower) picture(ctx context.Context, r *run, clip uuid.UUID, number int) (*detect.Picture, error) {
	data, err := w.Store.Picture(ctx, *r.AccountID, clip, number)
	if err != nil {
		return nil, err
	}
	m, err := jpeg.Decode(bytes.NewReader(data))
	if err != nil {
		return nil, err
	}
	return detect.NewPicture(m), nil
}
