package tasks

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"slices"
	"time"

	"neokinema/core/filmcheck"
	"neokinema/server/disk"
	"neokinema/server/media"
	"neokinema/server/store"
)

// clips finds out what a clip's file is, and takes it apart.
type clips struct {
	store   *store.Store
	metrics *metrics
	enqueue store.Enqueue
	reads   bool // the body is found on films as they come in
}

func (w clips) probe(ctx context.Context, r *run) error {
	return w.attend(ctx, r, []string{"looking"}, w.probeFile)
}

func (w clips) decode(ctx context.Context, r *run) error {
	return w.attend(ctx, r, []string{"waiting", "decoding"}, w.decodeFile)
}

// attend works on a clip's file, spooled into a temporary one, while nobody
// else does. A file that cannot be used fails for good, with a sentence;
// anything else is tried again.
func (w clips) attend(ctx context.Context, r *run, states []string, work func(context.Context, *run, store.Clip, string) error) error {
	s := w.store
	clip, err := s.ClipForJob(ctx, *r.Subject)
	if err != nil {
		return err
	}
	if !slices.Contains(states, clip.Status) {
		return nil
	}
	alone, err := s.WithClipLock(ctx, clip.ID, func() error {
		path, drop, err := spool(ctx, s, clip)
		if err != nil {
			return err
		}
		defer drop()
		return work(ctx, r, clip, path)
	})
	if err == nil && !alone {
		return errBusy
	}
	if _, gone := s.ClipForJob(ctx, clip.ID); errors.Is(gone, store.ErrNotFound) {
		return gone // taken off while it was worked on
	}
	if err == nil || ctx.Err() != nil || errors.Is(err, errNotOurs) {
		return err
	}
	var low disk.Low
	if errors.As(err, &low) || store.IsFull(err) { // a person makes room, and says to go on
		message := store.Plain(err)
		return errors.Join(s.HoldClip(ctx, clip.ID, message), failed(message))
	}
	var bad media.NotAFilm
	message := "the clip could not be decoded: " + err.Error()
	switch {
	case errors.As(err, &bad):
		message = bad.Error()
	case !r.last():
		return err
	case clip.Pictures == 0: // never looked at: what was sent stays, and is tried on
		return errors.Join(err, s.SetMessage(ctx, clip.ID, message))
	}
	// A file that was good once, or failed for no fault of its own, stays: the
	// coach chooses again.
	if clip.Frames > 0 || bad == "" {
		err = s.RevertTrim(ctx, clip.ID, message)
	} else {
		err = s.FailClip(ctx, clip.ID, message)
	}
	return errors.Join(err, failed(message))
}

// spool writes a clip's file to a temporary one that has no name: whatever ends
// the program, nothing of it stays. Its path leads children to the open file.
func spool(ctx context.Context, s *store.Store, clip store.Clip) (path string, drop func(), err error) {
	if s.Room != nil { // the file is spooled beside what is decoded of it
		if err := s.Room(clip.Bytes); err != nil {
			return "", nil, err
		}
	}
	f, err := os.CreateTemp("", "neokinema-clip-")
	if err != nil {
		return "", nil, err
	}
	if err := errors.Join(os.Remove(f.Name()), f.Chmod(0o444)); err != nil { // without a name, only who is given it reads it
		f.Close()
		return "", nil, err
	}
	write := s.Original
	if clip.Status == "looking" {
		write = s.Spool
	}
	if err := write(ctx, clip.ID, f); err != nil {
		f.Close()
		return "", nil, err
	}
	return fmt.Sprintf("/proc/%d/fd/%d", os.Getpid(), f.Fd()), func() { f.Close() }, nil
}

func (w clips) probeFile(ctx context.Context, r *run, clip store.Clip, path string) error {
	film, err := media.ProbeFile(ctx, path)
	if err != nil {
		return err
	}
	var previews []store.Preview
	err = media.Preview(ctx, path, film, func(t float64, jpeg []byte) error {
		previews = append(previews, store.Preview{At: t, JPEG: jpeg})
		return r.progress(ctx, int(1000*t/film.Seconds()), 1000)
	})
	if err != nil {
		return err
	}
	if clip, err = w.store.ClipForJob(ctx, clip.ID); err != nil { // the part to keep may be said meanwhile
		return err
	}
	clip.Codec, clip.Pictures, clip.Seconds, clip.Width, clip.Height = film.Codec, len(film.PTS), film.Seconds(), film.Width, film.Height
	clip.BaseNum, clip.BaseDen, clip.PlaybackRate, clip.TagRate = film.BaseNum, film.BaseDen, film.Playback, film.Tag
	if clip.CutTo > film.Seconds() {
		clip.CutTo = film.Seconds()
	}
	if film.Between(clip.CutFrom, clip.CutTo) > media.MostPictures {
		clip.CutTo = 0 // the coach is asked for less
	}
	seen, err := json.Marshal(film)
	if err != nil {
		return err
	}
	return w.store.SaveProbe(ctx, clip, seen, previews, w.enqueue)
}

const (
	// inBatch is how many pictures are stored at once.
	inBatch = 60
	// samples is how many pictures tell how bright and sharp a film is.
	samples = 6
)

// probed is what the look at a clip found, or finds now.
func (w clips) probed(ctx context.Context, clip store.Clip, path string) (f media.Probe, err error) {
	seen, err := w.store.Film(ctx, clip.ID)
	if err != nil {
		return f, err
	}
	if seen == nil {
		return media.ProbeFile(ctx, path)
	}
	return f, json.Unmarshal(seen, &f)
}

func (w clips) decodeFile(ctx context.Context, r *run, clip store.Clip, path string) error {
	f, err := w.probed(ctx, clip, path)
	if err != nil {
		return err
	}
	if err := errors.Join(w.store.BeginDecoding(ctx, clip.ID), w.store.ClearFrames(ctx, clip.ID)); err != nil {
		return err
	}
	begin := time.Now()
	cut := media.Trim{From: clip.CutFrom, To: clip.CutTo, Width: clip.KeptWidth}
	expected := f.Between(cut.From, cut.To)
	stats := filmcheck.NewImageStats(expected / samples)
	clip.Frames = 0
	// One batch is stored while the next is decoded.
	storing, stop := context.WithCancelCause(ctx)
	defer stop(nil)
	batches, stored := make(chan []store.Frame, 1), make(chan struct{})
	go func() {
		defer close(stored)
		n := 0
		for batch := range batches {
			if err := w.store.AddFrames(storing, clip.ID, batch); err != nil {
				stop(err)
				return
			}
			n += len(batch)
			if err := r.progress(storing, min(n, expected), expected); err != nil {
				stop(err)
				return
			}
		}
	}()
	var held []store.Frame
	flush := func() error {
		select {
		case batches <- held:
			held = nil
			return nil
		case <-storing.Done():
			return context.Cause(storing)
		}
	}
	pts, state, err := media.Decode(ctx, path, f, cut, func(p media.Frame) error {
		if clip.Frames == 0 {
			clip.First = p.Number
		}
		if stats.Samples(clip.Frames) {
			width, height, grey, err := media.Grey(p.JPEG)
			if err != nil {
				return err
			}
			stats.Add(width, height, grey)
		}
		clip.Frames++
		held = append(held, store.Frame{Number: p.Number, PTS: p.PTS, JPEG: p.JPEG})
		if len(held) == inBatch {
			return flush()
		}
		return nil
	})
	if err == nil {
		err = flush()
	}
	close(batches)
	<-stored
	if err == nil {
		err = context.Cause(storing)
	}
	if err != nil {
		return err
	}
	if f.Sound {
		sound, err := media.Sound(ctx, path, f, cut)
		if errors.As(err, new(media.Unfinished)) {
			return err
		}
		if err == nil && len(sound) > 0 { // a film without its sound is a film still
			if err := w.store.KeepSound(ctx, clip.ID, media.SoundRate, sound); err != nil {
				return err
			}
		}
	}
	w.metrics.pictures.Add(float64(clip.Frames))
	w.metrics.decoding.Add(time.Since(begin).Seconds())
	clip.CaptureRate, clip.RateSource = f.Capture()
	clip.Brightness, clip.Blur = stats.Brightness(), stats.Blur()
	if clip.Condition, err = json.Marshal(state); err != nil {
		return err
	}
	if err := w.store.FinishDecoding(ctx, clip, pts); err != nil {
		return fmt.Errorf("open the clip: %w", err)
	}
	if w.reads {
		return w.store.ReadFilm(ctx, clip.ID, w.enqueue)
	}
	return nil
}
