package jobs

import (
	"context"
	"errors"
	"image"
	"sync"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
	"github.com/riverqueue/river"

	"neokinema/core/measure"
	"neokinema/core/track"
	"neokinema/server/assemble"
	"neokinema/server/media"
	"neokinema/server/store"
)

type followArgs struct {
	Following uuid.UUID `json:"following"`
}

func (followArgs) Kind() string { return "follow" }

// Follow puts a following in line, as part of the caller's transaction.
func (q *Queue) Follow(ctx context.Context, tx *sqlx.Tx, following uuid.UUID) error {
	_, err := q.client.InsertTx(ctx, tx.Tx, followArgs{following}, nil)
	return err
}

// follower follows the points of an attempt from picture to picture.
type follower struct {
	river.WorkerDefaults[followArgs]
	store *store.Store
}

func (*follower) Timeout(*river.Job[followArgs]) time.Duration { return decodeLimit }

func (w *follower) Work(ctx context.Context, job *river.Job[followArgs]) error {
	f, err := w.store.FollowingForJob(ctx, job.Args.Following)
	if errors.Is(err, store.ErrNotFound) {
		return river.JobCancel(err)
	}
	if err != nil || f.State != "waiting" && f.State != "following" {
		return err
	}
	err = w.follow(ctx, f)
	if errors.Is(err, errUnwanted) || errors.Is(err, store.ErrNotFound) {
		return nil // cancelled, or the clip was taken off
	}
	if err == nil || ctx.Err() != nil {
		return err // again at the next start
	}
	var bad store.Invalid
	message := "the points could not be followed: " + err.Error()
	if errors.As(err, &bad) {
		message = bad.Error()
	}
	return w.store.FailFollowing(ctx, f.ID, "failed", message)
}

// told is after how many pictures progress is written down.
const told = 8

func (w *follower) follow(ctx context.Context, f store.Following) error {
	b, err := w.store.Bench(ctx, f.AccountID, f.AttemptID)
	if err != nil {
		return err
	}
	plan, err := assemble.Follow(b)
	if err != nil {
		return err
	}
	film := w.film(f.AccountID, b.Clip.ID, plan)
	paths, moved, err := track.Follow(ctx, film, plan.Pictures, plan.Seeds, func(done, of int) error {
		if done%told != 0 && done != of {
			return nil
		}
		wanted, err := w.store.FollowProgress(ctx, f.ID, done, of)
		if err == nil && !wanted {
			err = errUnwanted
		}
		return err
	})
	if err != nil {
		return err
	}
	track.HoldSegmentLengths(paths, plan.Seeds, measure.Links(plan.Names))
	return w.store.FinishFollowing(ctx, f, plan.Found(paths, moved))
}

// mostHeld is how many bytes of pictures are held so that each is decoded once,
// though it is looked at in both directions.
const mostHeld = 512 << 20

// film gives the kept pictures of a plan.
func (w *follower) film(viewer, clip uuid.UUID, plan assemble.FollowPlan) track.FrameSource {
	get := func(ctx context.Context, i int) (*track.Picture, error) {
		jpeg, err := w.store.Picture(ctx, viewer, clip, plan.First+i)
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
