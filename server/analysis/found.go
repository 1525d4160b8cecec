package analysis

import (
	"cmp"
	"context"

	core "neokinema/core/playbook"
	"neokinema/core/pose"
	"neokinema/server/assemble"
	"neokinema/server/store"
)

// FindBody makes landmarks of looks at an attempt's clip, px of the pictures that were
// looked at, as cautiously as the club's own films ask for.
func (d Service) FindBody(ctx context.Context, e core.Event, b store.Bench, looks []pose.Look) (assemble.FoundBody, error) {
	checked, err := d.Store.CheckedPoints(ctx, b)
	if err != nil {
		return assemble.FoundBody{}, err
	}
	return assemble.FindBody(looks, assemble.Near(e, b), pose.Widened(checked.Points, checked.Off), d.instants(ctx, b)), nil
}

// instants gives the times of a clip's pictures, s; while the rate is not known, as
// if the pictures came evenly.
func (d Service) instants(ctx context.Context, b store.Bench) func(frame int) float64 {
	if pts, err := d.Store.PTS(ctx, b.Clip.ID); err == nil {
		if timeline, err := assemble.Film(b, pts); err == nil {
			return timeline.At
		}
	}
	return func(frame int) float64 { return float64(frame) / max(1, RateOf(b.Clip)) }
}

// RateOf is how many pictures a real second of a clip has, or what is taken for it
// while nobody has said.
func RateOf(c *store.Clip) float64 { return cmp.Or(c.CaptureRate, c.TagRate, c.PlaybackRate) }

// FoundSoFar is what was found of the body while a film is still looked at; nil where
// the attempt is measured with something already, or nothing was seen yet.
func (d Service) FoundSoFar(ctx context.Context, e core.Event, b store.Bench) (*store.FollowedPaths, error) {
	if b.Followed != nil || b.Clip == nil || b.Clip.Status != "ready" {
		return nil, nil
	}
	kept, err := d.Store.Looks(ctx, b.Clip.ID)
	if err != nil {
		return nil, err
	}
	var looks []pose.Look
	for _, k := range kept {
		if look, found := k.Look(); found {
			looks = append(looks, look)
		}
	}
	if len(looks) == 0 {
		return nil, nil
	}
	plan, err := assemble.Follow(b)
	if err != nil {
		return nil, err
	}
	body, err := d.FindBody(ctx, e, b, looks)
	if err != nil {
		return nil, err
	}
	found := plan.WithDetected(plan.Found(nil, nil), body)
	return &found, nil
}

// Paths are an attempt's found and followed points as they lie with what the coach
// has placed since; while its film is looked at, what was found so far.
func (d Service) Paths(ctx context.Context, e core.Event, b store.Bench, pts []int64) (store.FollowedPaths, error) {
	none := store.FollowedPaths{Paths: []store.Path{}}
	if b.Followed == nil {
		found, err := d.FoundSoFar(ctx, e, b)
		if err != nil || found == nil {
			return none, err
		}
		return *found, nil
	}
	sheet, err := assemble.Placed(e, b, pts)
	if err != nil {
		return none, err
	}
	return assemble.Mended(sheet, b.Followed), nil
}
