// Package media looks into films and takes them apart, with Debian's ffmpeg,
// on local files only and within limits.
package media

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"image/jpeg"
	"io"
	"os/exec"
	"strconv"
	"strings"
)

// ShownWidth is the most pixels across that pictures are kept with.
const ShownWidth = 1280

// MostPictures is how many pictures a clip may have.
const MostPictures = 3000

// NotAFilm says, in a sentence, why a file cannot be used.
type NotAFilm string

func (e NotAFilm) Error() string { return string(e) }

// Film is what a file says of itself.
type Film struct {
	BaseNum, BaseDen int64
	Playback         float64 // pictures a second that the file claims
	Tag              float64 // capture rate that a phone wrote into it, 0 without
	PTS              []int64 // of every decoded picture, in presentation order
}

// Capture is the rate at which the film was made, as far as the file tells,
// and how it is known: "tag" when a phone wrote it, "file" when the file
// itself plays faster than anyone looks at, "unknown" otherwise.
func (f Film) Capture() (rate float64, source string) {
	const plainlyReal = 100
	switch {
	case f.Tag > 0:
		return f.Tag, "tag"
	case f.Playback >= plainlyReal:
		return f.Playback, "file"
	}
	return 0, "unknown"
}

type probed struct {
	Streams []struct {
		CodecType    string            `json:"codec_type"`
		CodecName    string            `json:"codec_name"`
		Width        int               `json:"width"`
		TimeBase     string            `json:"time_base"`
		AvgFrameRate string            `json:"avg_frame_rate"`
		Tags         map[string]string `json:"tags"`
		Disposition  struct {
			Picture int `json:"attached_pic"`
		} `json:"disposition"`
	} `json:"streams"`
	Format struct {
		Name string            `json:"format_name"`
		Tags map[string]string `json:"tags"`
	} `json:"format"`
	Frames []struct {
		Best *int64 `json:"best_effort_timestamp"`
	} `json:"frames"`
}

var rateTags = []string{"com.android.capture.fps", "com.apple.quicktime.camera.framerate", "com.apple.quicktime.full-frame-rate-playback-intent"}

// local keeps ffmpeg to the file it is given.
var local = []string{"-protocol_whitelist", "file,pipe"}

// Look checks that a file is a film without decoding it.
func Look(ctx context.Context, path string) error {
	_, err := probe(ctx, path, "-show_streams", "-show_format")
	return err
}

// Read probes every picture of a film.
func Read(ctx context.Context, path string) (Film, error) {
	p, err := probe(ctx, path, "-show_streams", "-show_format", "-show_frames", "-show_entries", "frame=best_effort_timestamp")
	if err != nil {
		return Film{}, err
	}
	s := p.Streams[0]
	f := Film{}
	if _, err := fmt.Sscanf(s.TimeBase, "%d/%d", &f.BaseNum, &f.BaseDen); err != nil {
		return f, NotAFilm("this film has no usable time base")
	}
	for _, frame := range p.Frames {
		if frame.Best == nil {
			return f, NotAFilm("some pictures of this film carry no time stamp: export it again from the phone")
		}
		f.PTS = append(f.PTS, *frame.Best)
	}
	switch n := len(f.PTS); {
	case n < 2:
		return f, NotAFilm("this is one picture, not a film")
	case n > MostPictures:
		return f, NotAFilm(fmt.Sprintf("this clip has %d pictures, more than %d: trim it on the phone to the movement itself", n, MostPictures))
	}
	f.Playback = ratio(s.AvgFrameRate)
	if f.Playback <= 0 {
		span := float64(f.PTS[len(f.PTS)-1]-f.PTS[0]) * float64(f.BaseNum) / float64(f.BaseDen)
		f.Playback = float64(len(f.PTS)-1) / span
	}
	for _, tags := range []map[string]string{p.Format.Tags, s.Tags} {
		for _, name := range rateTags {
			if v, err := strconv.ParseFloat(tags[name], 64); err == nil && v > 1 {
				f.Tag = v
				return f, nil
			}
		}
	}
	return f, nil
}

func ratio(s string) float64 {
	var num, den float64
	if _, err := fmt.Sscanf(s, "%g/%g", &num, &den); err != nil || den == 0 {
		return 0
	}
	return num / den
}

func probe(ctx context.Context, path string, what ...string) (probed, error) {
	args := append([]string{"-v", "error", "-of", "json", "-select_streams", "v:0"}, local...)
	args = append(append(args, what...), "file:"+path)
	var p probed
	out, err := exec.CommandContext(ctx, "ffprobe", args...).Output()
	if errors.Is(err, exec.ErrNotFound) {
		return p, errors.New("ffmpeg is not installed: apt-get install ffmpeg")
	}
	if ctx.Err() != nil {
		return p, ctx.Err()
	}
	if err != nil || json.Unmarshal(out, &p) != nil {
		return p, NotAFilm("this file is not a film that can be opened: choose the clip itself, as the phone saved it")
	}
	if len(p.Streams) == 0 {
		return p, NotAFilm("this file has no picture track: it may be sound only")
	}
	still := strings.HasSuffix(p.Format.Name, "_pipe") || p.Format.Name == "image2" || p.Format.Name == "tty" || p.Streams[0].CodecName == "ansi"
	if still || p.Streams[0].Disposition.Picture == 1 || p.Streams[0].Width == 0 {
		return p, NotAFilm("this file is not a film: choose the clip itself, as the phone saved it")
	}
	return p, nil
}

// Decode turns every picture of a film into a JPEG, in presentation order, at
// most ShownWidth across, and hands each to keep.
func Decode(ctx context.Context, path string, pictures int, keep func(n int, jpeg []byte) error) error {
	args := append([]string{"-nostdin", "-v", "error", "-copyts"}, local...)
	args = append(args, "-i", "file:"+path, "-map", "0:v:0", "-fps_mode", "passthrough", "-enc_time_base", "-1",
		"-vf", fmt.Sprintf("scale='min(%d,iw)':-2:out_range=pc,format=yuvj420p", ShownWidth),
		"-c:v", "mjpeg", "-q:v", "3", "-f", "image2pipe", "pipe:1")
	running, stop := context.WithCancel(ctx)
	defer stop()
	cmd := exec.CommandContext(running, "ffmpeg", args...)
	var complaint bytes.Buffer
	cmd.Stderr = &complaint
	out, err := cmd.StdoutPipe()
	if err != nil {
		return err
	}
	if err := cmd.Start(); err != nil {
		return err
	}
	n, err := split(out, keep)
	if err != nil {
		stop()
		_ = cmd.Wait()
		return err
	}
	err = cmd.Wait()
	if ctx.Err() != nil {
		return ctx.Err()
	}
	if err != nil || bytes.Contains(complaint.Bytes(), []byte("partial file")) {
		return NotAFilm(fmt.Sprintf("this film breaks off after %d pictures: copy it from the phone again", n))
	}
	if n != pictures {
		return NotAFilm(fmt.Sprintf("this film holds %d pictures but names %d: copy it from the phone again", n, pictures))
	}
	return nil
}

// split cuts a stream of JPEGs at their ends.
func split(r io.Reader, keep func(n int, jpeg []byte) error) (int, error) {
	in := bufio.NewReaderSize(r, 1<<20)
	var picture []byte
	n := 0
	for {
		chunk, err := in.ReadSlice(0xD9)
		picture = append(picture, chunk...)
		if errors.Is(err, io.EOF) {
			return n, nil
		}
		if err != nil && !errors.Is(err, bufio.ErrBufferFull) {
			return n, err
		}
		if !bytes.HasSuffix(picture, []byte{0xFF, 0xD9}) {
			continue
		}
		if err := keep(n, picture); err != nil {
			return n, err
		}
		n++
		picture = nil
	}
}

// Size is a JPEG's width and height.
func Size(picture []byte) (w, h int, err error) {
	c, err := jpeg.DecodeConfig(bytes.NewReader(picture))
	return c.Width, c.Height, err
}

// OriginalSize is the size of the film's pictures as shown, before they were
// made smaller, from the size of a kept one.
func OriginalSize(ctx context.Context, path string, w, h int) (int, int, error) {
	if w < ShownWidth {
		return w, h, nil
	}
	p, err := probe(ctx, path, "-show_streams", "-show_format")
	if err != nil {
		return 0, 0, err
	}
	raw := p.Streams[0]
	long := raw.Width
	if w < h { // turned by a rotation tag: the probe's width is the shown height
		return int(float64(long)*float64(w)/float64(h) + 0.5), long, nil
	}
	return long, int(float64(long)*float64(h)/float64(w) + 0.5), nil
}
