package tasks

import (
	"context"
	"errors"
	"image"
	"sync"

	"github.com/google/uuid"

	"neokinema/core/track"
	"neokinema/server/analysis"
	"neokinema/server/assemble"
	"neokinema/server/media"
	"neokinema/server/store"
)

// follower follows the points of an attempt from picture to picture, and finds those
// of the body by itself where the body models are there.
type follower struct {
	analysis.Service
	models string // their folder
}

// told is after how many pictures progress is written down.
const told = 8

func (w follower) follow(ctx context.Context, r *run) error {
	err := quietly(func() error { return w.followPoints(ctx, r) })
	var bad store.Invalid
	switch {
	case err == nil || ctx.Err() != nil || errors.Is(err, errNotOurs) || errors.Is(err, store.ErrNotFound):
		return err
	case errors.As(err, &bad):
		return failed(bad.Error())
	}
	return failed("the points could not be followed: " + err.Error())
}

func (w follower) followPoints(ctx context.Context, r *run) error {
	b, err := w.Store.Bench(ctx, *r.AccountID, *r.Subject)
	if err != nil {
		return err
	}
	plan, err := assemble.Follow(b)
	if err != nil {
		return err
	}
	film := w.film(*r.AccountID, b.Clip.ID, plan)
	looks, looked, err := w.look(ctx, r, b, plan)
	if err != nil {
		return err
	}
	e, _, err := w.Playbook(ctx, *r.AccountID, b)
	if err != nil {
		return err
	}
	body, err := w.FindBody(ctx, e, b, looks)
	if err != nil {
		return err
	}
	found, err := plan.Find(ctx, e, b, body, film, func(done, of int) error {
		if done%told != 0 && done != of {
			return nil
		}
		return r.progress(ctx, looked+done, looked+of)
	})
	if err != nil {
		return err
	}
	b.Followed = &found
	if found.Says, err = w.FirstReading(ctx, *r.AccountID, b); err != nil { // what was found counts all the same
		found.Says = ""
	}
	return w.Store.FinishFollowing(ctx, r.Task, r.worker, found)
}

// mostHeld is how many bytes of pictures are held so that each is decoded once,
// though it is looked at in both directions.
const mostHeld = 512 << 20

// film gives the kept pictures of a plan.
func (w follower) film(viewer, clip uuid.UUID, plan assemble.FollowPlan) track.FrameSource {
	get := func(ctx context.Context, i int) (*track.Picture, error) {
		jpeg, err := w.Store.Picture(ctx, viewer, clip, plan.First+i)
		if err != nil {
			return nil, err
		}
		width, height, grey, err := media.Grey(jpeg)
		if err != nil {
			return nil, err
		}
		return track.NewPicture(&image.Gray{Pix: grey, Stride: width, Rect: image.Rect(0, 0, width, height)}), nil
	}
	if plan.Bytes() > mostHeld {
		return get
	}
	type held struct {
		once    sync.Once
		picture *track.Picture
		err     error
	}
	all := make([]held, plan.Pictures)
	return func(ctx context.Context, i int) (*track.Picture, error) {
		h := &all[i]
		h.once.Do(func() { h.picture, h.err = get(ctx, i) })
		return h.picture, h.err
	}
}
