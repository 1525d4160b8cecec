package media

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"
)

// What a film may be at most.
const (
	MostBytes    = 2 << 30
	MostPictures = 3000  // that are kept; a longer film is trimmed
	MostAcross   = 8192  // px, either way
	mostPackets  = 2e6   // pictures in a file, kept or not
	plainlyReal  = 100.0 // pictures a second at which nobody plays: the file is not slowed
)

// Probe is what a file says of itself before it is decoded.
type Probe struct {
	BaseNum, BaseDen int64
	Playback         float64 // pictures a second that the file claims
	Tag              float64 // capture rate that a phone wrote into it, 0 without
	PTS              []int64 // of the pictures, in presentation order, as the container tells
	Width, Height    int     // of the pictures as shown: turned, with square pixels
	Codec            string
	Sound            bool
	Start            float64 // of the container, s, from which ffmpeg seeks
	HDR              string  // HLG or PQ, when it was filmed with a high dynamic range
	Interlaced       bool    // each picture is two halves
	Missing          int64   // bytes that the file lacks at its end
}

// Tick is the length of one pts tick in seconds of the file's own time.
func (f Probe) Tick() float64 { return float64(f.BaseNum) / float64(f.BaseDen) }

// Seconds is how long the film plays, by its own time.
func (f Probe) Seconds() float64 {
	n := len(f.PTS)
	return float64(f.PTS[n-1]-f.PTS[0])*f.Tick() + 1/f.Playback
}

// Between counts the pictures from one time to another, in seconds of the file
// from its first picture.
func (f Probe) Between(from, to float64) int {
	n := 0
	for _, p := range f.PTS {
		if t := float64(p-f.PTS[0]) * f.Tick(); t >= from-slack && t <= to+slack {
			n++
		}
	}
	return n
}

// slack is how near a time must be to a picture's to mean it, s.
const slack = 1e-4

// Capture is the rate at which the film was made, as far as the file tells,
// and how it is known: "tag" when a phone wrote it, "file" when the file
// itself plays faster than anyone looks at, "unknown" otherwise.
func (f Probe) Capture() (rate float64, source string) {
	switch {
	case f.Tag > 0:
		return f.Tag, "tag"
	case f.Playback >= plainlyReal:
		return f.Playback, "file"
	}
	return 0, "unknown"
}

type stream struct {
	CodecType    string            `json:"codec_type"`
	CodecName    string            `json:"codec_name"`
	Width        int               `json:"width"`
	Height       int               `json:"height"`
	Aspect       string            `json:"sample_aspect_ratio"`
	TimeBase     string            `json:"time_base"`
	AvgFrameRate string            `json:"avg_frame_rate"`
	Frames       string            `json:"nb_frames"`
	Transfer     string            `json:"color_transfer"`
	FieldOrder   string            `json:"field_order"`
	Tags         map[string]string `json:"tags"`
	Disposition  struct {
		Picture int `json:"attached_pic"`
	} `json:"disposition"`
	Side []struct {
		Rotation float64 `json:"rotation"`
	} `json:"side_data_list"`
}

type probed struct {
	Streams []stream `json:"streams"`
	Format  struct {
		Name  string            `json:"format_name"`
		Start string            `json:"start_time"`
		Tags  map[string]string `json:"tags"`
	} `json:"format"`
}

var rateTags = []string{"com.android.capture.fps", "com.apple.quicktime.camera.framerate", "com.apple.quicktime.full-frame-rate-playback-intent"}

// ProbeFile finds out what a film is and where its pictures stand in time, without
// decoding it.
func ProbeFile(ctx context.Context, path string) (Probe, error) {
	p, video, err := probe(ctx, path)
	if err != nil {
		return Probe{}, err
	}
	f := Probe{Codec: video.CodecName, Playback: ratio(video.AvgFrameRate), Tag: tag(p, video)}
	f.Start, _ = strconv.ParseFloat(p.Format.Start, 64)
	f.HDR, f.Interlaced = dynamic(video.Transfer), interlaced(video.FieldOrder)
	if f.Missing, err = missingAtoms(path); err != nil {
		return f, err
	}
	if _, err := fmt.Sscanf(video.TimeBase, "%d/%d", &f.BaseNum, &f.BaseDen); err != nil || f.BaseNum <= 0 || f.BaseDen <= 0 {
		return f, NotAFilm("this film has no usable time base")
	}
	for _, s := range p.Streams {
		f.Sound = f.Sound || s.CodecType == "audio"
	}
	f.Width, f.Height = shown(video)
	if max(f.Width, f.Height) > MostAcross {
		return f, NotAFilm(fmt.Sprintf("these pictures are %d × %d pixels, more than %d across: film at 4K or less", f.Width, f.Height, MostAcross))
	}
	held := 0
	if f.PTS, held, err = packets(ctx, path); err != nil {
		return f, err
	}
	if len(f.PTS) < 2 {
		return f, NotAFilm("this is one picture, not a film")
	}
	if named, err := strconv.Atoi(video.Frames); err == nil && float64(held) < 0.9*float64(named) {
		return f, NotAFilm(fmt.Sprintf("this film breaks off: it names %d pictures and holds %d; copy it from the phone again", named, held))
	}
	if f.Playback <= 0 {
		f.Playback = float64(len(f.PTS)-1) / (float64(f.PTS[len(f.PTS)-1]-f.PTS[0]) * f.Tick())
	}
	return f, nil
}

// missingAtoms is how many bytes a film lacks at its end, as far as it tells.
func missingAtoms(path string) (int64, error) {
	film, err := open(path)
	if err != nil {
		return 0, err
	}
	defer film.Close()
	return missingBytes(film)
}

// shown is a stream's size with its pixels made square and its rotation tag
// applied.
func shown(s stream) (w, h int) {
	w, h = s.Width, s.Height
	if a := ratio(strings.ReplaceAll(s.Aspect, ":", "/")); a > 0 {
		w = int(math.Round(float64(w) * a))
	}
	for _, d := range s.Side {
		if int(math.Abs(d.Rotation))%180 == 90 {
			return h, w
		}
	}
	return w, h
}

func tag(p probed, video stream) float64 {
	for _, tags := range []map[string]string{p.Format.Tags, video.Tags} {
		for _, name := range rateTags {
			if v, err := strconv.ParseFloat(tags[name], 64); err == nil && v > 1 && v < 1e5 {
				return v
			}
		}
	}
	return 0
}

func ratio(s string) float64 {
	var num, den float64
	if _, err := fmt.Sscanf(s, "%g/%g", &num, &den); err != nil || den == 0 {
		return 0
	}
	return num / den
}

func probe(ctx context.Context, path string) (probed, stream, error) {
	var p probed
	film, err := open(path)
	if err != nil {
		return p, stream{}, err
	}
	defer film.Close()
	args := append([]string{"-v", "error", "-of", "json", "-show_streams", "-show_format"}, local...)
	cmd := tool(ctx, film, nil, "ffprobe", append(args, given)...)
	said := &complaint{}
	cmd.Stderr = said
	out, err := cmd.Output()
	refused, err := verdict(ctx, err, said)
	if err != nil && !refused {
		return p, stream{}, err
	}
	if refused || json.Unmarshal(out, &p) != nil {
		return p, stream{}, said.because("this file is not a film that can be opened: choose the clip itself, as the phone saved it")
	}
	i := slices.IndexFunc(p.Streams, func(s stream) bool { return s.CodecType == "video" && s.Disposition.Picture == 0 })
	if i < 0 {
		return p, stream{}, NotAFilm("this file has no picture track: it may be sound only")
	}
	video := p.Streams[i]
	if !codecs[video.CodecName] || video.Width <= 0 || video.Height <= 0 {
		return p, video, NotAFilm(fmt.Sprintf("this file is not a film that a phone or camera makes (%s in %s): choose the clip itself, as the phone saved it", video.CodecName, p.Format.Name))
	}
	return p, video, nil
}

// packets are the time stamps of the pictures that will be shown, sorted, and
// how many pictures the file holds with those that are not.
func packets(ctx context.Context, path string) (pts []int64, held int, err error) {
	args := append([]string{"-v", "error", "-select_streams", "V:0", "-show_entries", "packet=pts,dts,flags", "-of", "csv=p=0"}, local...)
	running, stop := context.WithCancel(ctx)
	defer stop()
	film, err := open(path)
	if err != nil {
		return nil, 0, err
	}
	defer film.Close()
	cmd := tool(running, film, nil, "ffprobe", append(args, given)...)
	said := &complaint{}
	cmd.Stderr = said
	out, err := cmd.StdoutPipe()
	if err != nil {
		return nil, 0, err
	}
	if err := cmd.Start(); err != nil {
		return nil, 0, Unfinished{err}
	}
	pts, held, err = stamps(out)
	if err != nil {
		stop()
		_ = cmd.Wait()
		return nil, 0, err
	}
	refused, err := verdict(ctx, cmd.Wait(), said)
	switch {
	case refused || err == nil && said.brokenOff():
		return nil, 0, said.because(fmt.Sprintf("this film breaks off after %d pictures: copy it from the phone again", held))
	case err != nil:
		return nil, 0, err
	}
	return pts, held, nil
}

func stamps(r io.Reader) (pts []int64, held int, err error) {
	for lines := bufio.NewScanner(r); lines.Scan(); held++ {
		cols := strings.Split(lines.Text(), ",")
		if len(cols) < 3 || strings.Contains(cols[2], "D") {
			continue
		}
		v, err := strconv.ParseInt(cols[0], 10, 64)
		if err != nil {
			if v, err = strconv.ParseInt(cols[1], 10, 64); err != nil {
				continue
			}
		}
		if pts = append(pts, v); len(pts) > mostPackets {
			return nil, 0, NotAFilm("this film goes on for hours: cut out the movement on the phone")
		}
	}
	slices.Sort(pts)
	return slices.Compact(pts), held, nil
}
