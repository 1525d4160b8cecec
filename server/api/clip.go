package api

import (
	"encoding/json"
	"fmt"
	"math"
	"net/http"
	"net/url"
	"path"
	"strings"
	"time"
	"unicode"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"neokinema/core/body"
	"neokinema/core/bounds"
	"neokinema/core/breakdown"
	"neokinema/server/assemble"
	"neokinema/server/media"
	"neokinema/server/store"
)

func landmarkOf(name string) bool { return body.Landmark(name).Valid() }

func (s *Server) clip(c *echo.Context, v store.Clip, ramp *breakdown.Ramp) (Clip, error) {
	out := Clip{
		Id: v.ID, AttemptId: v.AttemptID, Name: v.Name, Bytes: v.Bytes, Received: v.Received, Status: ClipStatus(v.Status), Progress: v.Progress, Message: v.Message,
		Codec: v.Codec, Pictures: v.Pictures, Seconds: v.Seconds, Width: v.Width, Height: v.Height, KeptWidth: v.ShownWidth(), First: v.First, Frames: v.Frames,
		CutFrom: v.CutFrom, CutTo: v.CutTo, PlaybackRate: v.PlaybackRate, CaptureRate: v.CaptureRate, RateSource: ClipRateSource(v.RateSource), RateU: v.RateU,
		View: v.View, Rightward: v.Rightward, Sound: v.HasSound, Previews: v.Previews, Filmless: v.Filmless,
	}
	if v.Status != "ready" || v.CaptureRate == 0 {
		return out, nil
	}
	pts, err := s.Store.PTS(c.Request().Context(), v.ID)
	if err != nil {
		return out, err
	}
	film, err := assemble.Film(store.Bench{Clip: &v, Breakdown: breakdown.Breakdown{Calibration: breakdown.Calibration{Ramp: ramp}}}, pts)
	if err != nil { // what was said of its rate can still be undone
		out.Message = err.Error()
		return out, nil
	}
	times := make([]float64, v.Frames)
	for i := range times {
		times[i] = film.At(v.First + i)
	}
	out.Times = &times
	return out, nil
}

var tooLarge = store.Invalid("the file is larger than 2 GB: trim it on the phone to the movement itself")

// CheckFilm refuses a file that does not begin as a film does.
func (s *Server) CheckFilm(c *echo.Context) error {
	var in FilmHead
	if err := read(c, &in); err != nil {
		return err
	}
	if in.Bytes > media.MostBytes {
		return tooLarge
	}
	if err := media.Begins(in.Head); err != nil {
		return store.Invalid(fmt.Sprintf("%s: %v", fileName(in.Name), err))
	}
	return c.NoContent(http.StatusNoContent)
}

// AddClip declares a film that will be uploaded, from the event's usual side.
func (s *Server) AddClip(c *echo.Context, id uuid.UUID) error {
	var in NewClip
	if err := read(c, &in); err != nil {
		return err
	}
	if in.Bytes > media.MostBytes {
		return tooLarge
	}
	if err := s.Room.Check(taken * in.Bytes); err != nil {
		return err
	}
	event, err := s.Store.EventOf(c.Request().Context(), me(c).ID, id)
	if err != nil {
		return err
	}
	clip := store.Clip{ID: in.Id, AttemptID: id, Name: fileName(in.Name), Bytes: in.Bytes, View: s.Playbooks[event].UsualView()}
	if err := s.Store.AddClip(c.Request().Context(), me(c).ID, clip); err != nil {
		return err
	}
	return s.GetClip(c, in.Id)
}

// taken is how many times a film's size it needs while it is taken apart.
const taken = 4

// ResumeClip goes on with a clip that waited for room.
func (s *Server) ResumeClip(c *echo.Context, id uuid.UUID) error {
	if err := s.Store.ResumeClip(c.Request().Context(), me(c).ID, id, s.Tasks.Enqueue); err != nil {
		return err
	}
	return s.GetClip(c, id)
}

// PutBytes takes a film's bytes as they stream in.
func (s *Server) PutBytes(c *echo.Context, id uuid.UUID, params PutBytesParams) error {
	var from int64
	if params.From != nil {
		from = *params.From
	}
	if err := s.Store.Receive(c.Request().Context(), me(c).ID, id, from, c.Request().Body, s.Tasks.Enqueue); err != nil {
		return err
	}
	return s.GetClip(c, id)
}

// ChooseClip says which part of a film is kept.
func (s *Server) ChooseClip(c *echo.Context, id uuid.UUID) error {
	var in ClipPart
	if err := read(c, &in); err != nil {
		return err
	}
	ctx := c.Request().Context()
	v, err := s.Store.Clip(ctx, me(c).ID, id)
	if err != nil {
		return err
	}
	from, to, width := 0.0, v.Seconds, media.ShownWidth
	if v.Seconds == 0 {
		to = math.MaxInt32 // before the file is here: to its end
	}
	if in.From != nil {
		from = *in.From
	}
	if in.To != nil {
		to = *in.To
	}
	if in.Width != nil {
		width = *in.Width
	}
	n, err := s.between(c, id, from, to)
	if err != nil {
		return err
	}
	switch {
	case bounds.FileSeconds.Check(from) != nil || bounds.FileSeconds.Check(to) != nil || to <= from:
		return store.Invalid("the part to keep must end after it begins")
	case width < 160 || width > media.MostAcross:
		return store.Invalid(fmt.Sprintf("pictures are kept 160 to %d px wide", media.MostAcross))
	case n > media.MostPictures:
		return store.Invalid(fmt.Sprintf("this part has %d pictures, more than %d: cut it down to the movement itself", n, media.MostPictures))
	}
	if err := s.Store.ChooseTrim(ctx, me(c).ID, id, from, to, width, s.Tasks.Enqueue); err != nil {
		return err
	}
	return s.GetClip(c, id)
}

// between counts the pictures of a part of a film; none before it was looked at.
func (s *Server) between(c *echo.Context, id uuid.UUID, from, to float64) (int, error) {
	seen, err := s.Store.Film(c.Request().Context(), id)
	if err != nil || seen == nil {
		return 0, err
	}
	var f media.Probe
	if err := json.Unmarshal(seen, &f); err != nil {
		return 0, err
	}
	return f.Between(from, to), nil
}

// GetPreviews sends when the small pictures were.
func (s *Server) GetPreviews(c *echo.Context, id uuid.UUID) error {
	ctx := c.Request().Context()
	if _, err := s.Store.Clip(ctx, me(c).ID, id); err != nil {
		return err
	}
	times, err := s.Store.PreviewTimes(ctx, id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, times)
}

// GetPreview sends a small picture.
func (s *Server) GetPreview(c *echo.Context, id uuid.UUID, n int) error {
	jpeg, err := s.Store.PreviewOf(c.Request().Context(), me(c).ID, id, n)
	if err != nil {
		return err
	}
	return picture(c, jpeg)
}

// MoveClip hands a clip to another attempt.
func (s *Server) MoveClip(c *echo.Context, id uuid.UUID) error {
	var in MoveRequest
	if err := read(c, &in); err != nil {
		return err
	}
	if err := s.Store.MoveClip(c.Request().Context(), me(c).ID, id, in.Attempt); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

// GetSound sends the sound track.
func (s *Server) GetSound(c *echo.Context, id uuid.UUID) error {
	rate, samples, err := s.Store.Sound(c.Request().Context(), me(c).ID, id)
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "private, no-cache")
	return c.Blob(http.StatusOK, "audio/wav", media.WAV(rate, samples))
}

// GetLoudness sends how loud it was at each picture.
func (s *Server) GetLoudness(c *echo.Context, id uuid.UUID, params GetLoudnessParams) error {
	ctx := c.Request().Context()
	rate, samples, err := s.Store.Sound(ctx, me(c).ID, id)
	if err != nil {
		return err
	}
	v, err := s.Store.Clip(ctx, me(c).ID, id)
	if err != nil {
		return err
	}
	b, err := s.Store.Bench(ctx, me(c).ID, v.AttemptID)
	if err != nil {
		return err
	}
	pts, err := s.Store.PTS(ctx, id)
	if err != nil {
		return err
	}
	metres := 0.0
	if params.Metres != nil {
		metres = *params.Metres
	}
	if err := bounds.SoundPath.Check(metres); err != nil {
		return store.Invalid(err.Error())
	}
	heard, err := assemble.Hear(b, pts, rate, samples, metres)
	if err != nil {
		return err
	}
	out := Loudness{Levels: heard.Levels}
	if heard.Bang != nil {
		out.Bang = &struct {
			Frame int     `json:"frame"`
			U     float64 `json:"u"`
		}{heard.Bang.Frame, heard.Bang.U}
	}
	return c.JSON(http.StatusOK, out)
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
	ramp, err := s.Store.RampOf(c.Request().Context(), v.AttemptID)
	if err != nil {
		return err
	}
	out, err := s.clip(c, v, ramp)
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
		if v.Status != last.Status || v.Progress != last.Progress || v.Received != last.Received || v.Message != last.Message {
			out, err := s.clip(c, v, nil)
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
		if v.Status == "choosing" || v.Status == "held" || v.Status == "ready" || v.Status == "failed" {
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
