package tasks

import (
	"bytes"
	"context"
	"image/jpeg"
	"math"
	"slices"

	"neokinema/core/pose"
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
	every := detect.Every(rateOf(b.Clip))
	var numbers []int
	for i := 0; i < plan.Pictures; i += every {
		numbers = append(numbers, plan.First+i)
	}
	if last := plan.First + plan.Pictures - 1; numbers[len(numbers)-1] != last {
		numbers = append(numbers, last)
	}
	begin, asked := subject(b, plan, numbers)
	// From where somebody is known to be: forward to the end, then backward.
	var looks []pose.Look
	done := 0
	pass := func(numbers []int) error {
		tracker := detect.NewTracker(finder, asked)
		for _, number := range numbers {
			jpeg, err := w.Store.Picture(ctx, *r.AccountID, b.Clip.ID, number)
			if err != nil {
				return err
			}
			picture, err := decode(jpeg)
			if err != nil {
				return err
			}
			look, found, err := tracker.Look(picture)
			if err != nil {
				return err
			}
			if found {
				look.Frame = number
				looks = append(looks, look)
			}
			if done++; done%told == 0 {
				if err := r.progress(ctx, done, 2*len(numbers)); err != nil {
					return err
				}
			}
		}
		return nil
	}
	if err := pass(numbers[begin:]); err != nil {
		return nil, done, err
	}
	if begin > 0 {
		before := slices.Clone(numbers[:begin])
		slices.Reverse(before)
		if err := pass(before); err != nil {
			return nil, done, err
		}
	}
	slices.SortFunc(looks, func(a, b pose.Look) int { return a.Frame - b.Frame })
	if len(looks) < fewestLooks && len(plan.Seeds) == 0 {
		return nil, done, store.Invalid("nobody is found on this film: drag a square round the athlete under \"Several people in the picture\", or place the points by hand")
	}
	return looks, done, nil
}

// fewestLooks is on how few pictures somebody must be found.
const fewestLooks = 4

// rateOf is how many pictures a real second has, or what is taken for it while
// nobody has said.
func rateOf(c *store.Clip) float64 {
	if c.CaptureRate > 0 {
		return c.CaptureRate
	}
	return c.PlaybackRate
}

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

func decode(data []byte) (*detect.Picture, error) {
	m, err := jpeg.Decode(bytes.NewReader(data))
	if err != nil {
		return nil, err
	}
	return detect.NewPicture(m), nil
}

// instants gives the times of a clip's pictures, s; while the rate is not known, as
// if the pictures came evenly.
func (w follower) instants(ctx context.Context, b store.Bench) func(frame int) float64 {
	pts, err := w.Store.PTS(ctx, b.Clip.ID)
	if err == nil {
		if timeline, err := assemble.Film(b, pts); err == nil {
			return timeline.At
		}
	}
	return func(frame int) float64 { return float64(frame) / math.Max(1, rateOf(b.Clip)) }
}
