package api

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"path"
	"strings"
	"time"
	"unicode"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
	"github.com/labstack/echo/v5"

	"neokinema/core/body"
	"neokinema/core/clock"
	"neokinema/server/media"
	"neokinema/server/reading"
	"neokinema/server/store"
)

func landmarkOf(name string) bool { return body.Landmark(name).Valid() }

func (s *Server) clip(c *echo.Context, v store.Clip) (Clip, error) {
	out := Clip{
		Id: v.ID, AttemptId: v.AttemptID, Name: v.Name, Bytes: v.Bytes, Status: ClipStatus(v.Status), Progress: v.Progress, Message: v.Message,
		Width: v.Width, Height: v.Height, Frames: v.Frames, PlaybackRate: v.PlaybackRate, CaptureRate: v.CaptureRate,
		RateSource: ClipRateSource(v.RateSource), View: v.View, Rightward: v.Rightward, MarkU: reading.MarkU(&v),
	}
	if v.Status != "ready" || v.CaptureRate == 0 {
		return out, nil
	}
	pts, err := s.Store.PTS(c.Request().Context(), v.ID)
	if err != nil {
		return out, err
	}
	film, err := clock.NewFilm(pts, clock.TimeBase{Num: v.BaseNum, Den: v.BaseDen}, clock.Rate{Capture: v.CaptureRate, Playback: v.PlaybackRate})
	if err != nil {
		return out, err
	}
	times := make([]float64, film.Len())
	for i := range times {
		times[i] = film.At(i)
	}
	out.Times = &times
	return out, nil
}

// mostBytes is the largest file taken.
const mostBytes = 2 << 30

// PutClip takes a film as it streams in. It is spooled beside the database so
// that a file that is not a film can be refused, and nothing of it stays.
func (s *Server) PutClip(c *echo.Context, id, clip uuid.UUID, params PutClipParams) error {
	ctx := c.Request().Context()
	spool, err := os.CreateTemp("", "neokinema-upload-")
	if err != nil {
		return err
	}
	defer os.Remove(spool.Name())
	defer spool.Close()
	v := store.Clip{ID: clip, AttemptID: id, Name: fileName(params.Name)}
	file := io.TeeReader(http.MaxBytesReader(c.Response(), c.Request().Body, mostBytes), spool)
	check := func() error {
		if err := media.Look(ctx, spool.Name()); err != nil {
			var bad media.NotAFilm
			if errors.As(err, &bad) {
				return store.Invalid(bad.Error())
			}
			return err
		}
		return nil
	}
	err = s.Store.AddClip(ctx, me(c).ID, v, file, check, func(ctx context.Context, tx *sqlx.Tx) error { return s.Jobs.Decode(ctx, tx, clip) })
	var long *http.MaxBytesError
	if errors.As(err, &long) {
		return store.Invalid("the file is larger than 2 GB: trim it on the phone to the movement itself")
	}
	if err != nil {
		return err
	}
	return s.GetClip(c, clip)
}

// fileName keeps the last part of a name, without anything unprintable.
func fileName(s string) string {
	s = path.Base(strings.ReplaceAll(s, `\`, "/"))
	s = strings.Map(func(r rune) rune {
		if unicode.IsPrint(r) {
			return r
		}
		return -1
	}, s)
	if r := []rune(s); len(r) > 120 {
		s = string(r[:120])
	}
	return s
}

// GetClip sends what is known of a clip.
func (s *Server) GetClip(c *echo.Context, id uuid.UUID) error {
	v, err := s.Store.Clip(c.Request().Context(), me(c).ID, id)
	if err != nil {
		return err
	}
	out, err := s.clip(c, v)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, out)
}

// RemoveClip takes a clip off its attempt.
func (s *Server) RemoveClip(c *echo.Context, id uuid.UUID) error {
	if err := s.Store.RemoveClip(c.Request().Context(), me(c).ID, id); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

const progressEvery = 150 * time.Millisecond

// GetProgress sends the clip each time it has come further.
func (s *Server) GetProgress(c *echo.Context, id uuid.UUID) error {
	ctx := c.Request().Context()
	last := store.Clip{Progress: -1}
	started := false
	tick := time.NewTicker(progressEvery)
	defer tick.Stop()
	for {
		v, err := s.Store.Clip(ctx, me(c).ID, id)
		if err != nil {
			if started {
				return nil
			}
			return err
		}
		if v.Status != last.Status || v.Progress != last.Progress {
			out, err := s.clip(c, v)
			if err != nil {
				return err
			}
			data, err := json.Marshal(out)
			if err != nil {
				return err
			}
			if !started {
				c.Response().Header().Set("Content-Type", "text/event-stream")
				c.Response().Header().Set("Cache-Control", "no-store")
				started = true
			}
			if _, err := fmt.Fprintf(c.Response(), "data: %s\n\n", data); err != nil {
				return nil
			}
			if err := http.NewResponseController(c.Response()).Flush(); err != nil {
				return nil
			}
			last = v
		}
		if v.Status == "ready" || v.Status == "failed" {
			return nil
		}
		select {
		case <-ctx.Done():
			return nil
		case <-tick.C:
		}
	}
}

// GetOriginal sends the file as it came.
func (s *Server) GetOriginal(c *echo.Context, id uuid.UUID) error {
	ctx := c.Request().Context()
	v, err := s.Store.Clip(ctx, me(c).ID, id)
	if err != nil {
		return err
	}
	h := c.Response().Header()
	h.Set("Content-Type", "application/octet-stream")
	h.Set("Content-Length", fmt.Sprint(v.Bytes))
	h.Set("Content-Disposition", "attachment; filename*=UTF-8''"+url.PathEscape(v.Name))
	return s.Store.Original(ctx, id, c.Response())
}

// GetFrame sends one picture, which never changes.
func (s *Server) GetFrame(c *echo.Context, id uuid.UUID, n int) error {
	jpeg, err := s.Store.Picture(c.Request().Context(), me(c).ID, id, n)
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "private, max-age=31536000, immutable")
	return c.Blob(http.StatusOK, "image/jpeg", jpeg)
}
