package main

import (
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"image"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"

	"neokinema/core/judge"
	"neokinema/core/pose"
	"neokinema/core/segment"
	"neokinema/core/track"
	"neokinema/playbook"
	"neokinema/server/assemble"
	"neokinema/server/detect"
	"neokinema/server/media"
	"neokinema/server/store"
)

// filmRead is what is found on a film without the app: nobody has confirmed it.
type filmRead struct {
	Film      string             `json:"film"`
	Event     string             `json:"event"`
	Variant   string             `json:"variant,omitempty"`
	View      string             `json:"view"`
	Width     int                `json:"width"` // px of the pictures as shown
	Height    int                `json:"height"`
	Rate      float64            `json:"captureRate"` // pictures of a real second
	Landmarks []store.Path       `json:"landmarks"`   // px, ± u, by picture from first
	First     int                `json:"first"`
	Stamps    []segment.Proposal `json:"stamps"`
	Lacks     string             `json:"lacks,omitempty"` // why there are no stamps
	Values    []judge.Judged     `json:"values"`
	Findings  []judge.Finding    `json:"findings"`
	Roots     []judge.Root       `json:"roots"`
}

// read reads a film: landmarks, key positions, measures and verdicts as JSON, without
// a database or a browser.
func read(ctx context.Context, args []string) error {
	f := flag.NewFlagSet("read", flag.ContinueOnError)
	event := f.String("event", "", "what is done")
	variant := f.String("variant", "", "how it is done; the event's first when empty")
	height := f.Float64("height", 0, "of the athlete, m")
	hand := f.String("hand", "R", "throwing or top hand, take-off or front-block leg: R or L")
	sex := f.String("sex", "man", "man or woman")
	level := f.String("level", "trained", "developing, youth, trained or elite")
	view := f.String("view", "", "side-open, side-closed or back; the event's usual one when empty")
	rate := f.Float64("rate", 0, "pictures of a real second; as the file says when it does")
	out := f.String("o", "", "file for the reading; standard output when empty")
	var path string
	if len(args) > 0 && !strings.HasPrefix(args[0], "-") { // the film may come first
		path, args = args[0], args[1:]
	}
	if err := f.Parse(args); err != nil {
		return err
	}
	if path == "" {
		path = f.Arg(0)
	}
	if path == "" {
		return errors.New("say which film: read FILM -event EVENT -height METRES -hand R|L")
	}
	books, err := playbook.Load()
	if err != nil {
		return err
	}
	e, ok := books[*event]
	switch {
	case !ok:
		return fmt.Errorf("there is no event %q", *event)
	case *height < 1.2 || *height > 2.3:
		return errors.New("say how tall the athlete is: -height 1.82")
	case *hand != "R" && *hand != "L":
		return fmt.Errorf("%q is not a side: -hand R or -hand L", *hand)
	}
	if e, err = e.As(*variant); err != nil {
		return err
	}
	if *view == "" {
		*view = e.UsualView()
	}
	b, pts, err := benchOf(ctx, path, *rate)
	if err != nil {
		return err
	}
	b.Clip.View = *view
	b.Attempt.Event, b.Attempt.Variant = *event, *variant
	b.Athlete = store.Athlete{HeightM: *height, Sex: *sex, Level: *level, Hand: *hand, JumpLeg: *hand, FrontLeg: *hand}
	result := filmRead{Film: filepath.Base(path), Event: *event, Variant: *variant, View: *view, Width: b.Clip.Width, Height: b.Clip.Height, Rate: b.Clip.CaptureRate}
	shades, err := os.CreateTemp("", "neokinema-read-")
	if err != nil {
		return err
	}
	defer shades.Close()
	if err := os.Remove(shades.Name()); err != nil { // whatever ends the program, nothing of it stays
		return err
	}
	looks, err := looksAt(ctx, path, b.Clip, shades)
	if err != nil {
		return err
	}
	b.Clip.Rightward = rightward(looks)
	film, err := assemble.Film(b, pts)
	if err != nil {
		return err
	}
	plan, err := assemble.Follow(b)
	if err != nil {
		return err
	}
	body := assemble.FindBody(looks, assemble.Near(e, b), pose.Caution, film.At)
	found, err := plan.Find(ctx, e, b, body, picturesOf(shades, b.Clip), func(int, int) error { return nil })
	if err != nil {
		return err
	}
	b.Followed = &found
	result.Landmarks, result.First = found.Paths, found.First
	proposals, err := assemble.Propose(e, b, pts, nil)
	if err != nil {
		return err
	}
	result.Stamps, result.Lacks = proposals.Proposals, proposals.Lacks
	b.Stamps = map[string]int{}
	for _, p := range proposals.Proposals {
		b.Stamps[p.KeyID] = p.Frame
	}
	reading, err := assemble.Read(e, b, pts, nil, assemble.History{})
	if err != nil {
		return err
	}
	result.Values, result.Findings, result.Roots = reading.Values, reading.Findings, reading.Roots
	to := io.Writer(os.Stdout)
	if *out != "" {
		file, err := os.Create(*out)
		if err != nil {
			return err
		}
		defer file.Close()
		to = file
	}
	enc := json.NewEncoder(to)
	enc.SetIndent("", " ")
	return enc.Encode(result)
}

// rightward reports whether the hips move to the right on the picture.
func rightward(looks []pose.Look) bool {
	const hips = 23 // the left one; the right one follows
	x := func(l pose.Look) float64 { return l.Points[hips].X + l.Points[hips+1].X }
	return x(looks[len(looks)-1]) > x(looks[0])
}

// benchOf is a film that nobody has said anything of.
func benchOf(ctx context.Context, path string, rate float64) (store.Bench, []int64, error) {
	var b store.Bench
	film, err := media.ProbeFile(ctx, path)
	if err != nil {
		return b, nil, err
	}
	known, source := film.Capture()
	if rate > 0 {
		known, source = rate, "chosen"
	}
	if known == 0 {
		return b, nil, errors.New("the file does not tell how many pictures a second were filmed: -rate 240")
	}
	b.Clip = &store.Clip{
		Status: "ready", Width: film.Width, Height: film.Height, KeptWidth: film.Width, Frames: len(film.PTS), Pictures: len(film.PTS),
		BaseNum: film.BaseNum, BaseDen: film.BaseDen, PlaybackRate: film.Playback, CaptureRate: known, RateSource: source,
	}
	return b, film.PTS, nil
}

// picturesOf are a film's pictures in shades, as looksAt has written them.
func picturesOf(shades *os.File, c *store.Clip) track.FrameSource {
	return func(_ context.Context, i int) (*track.Picture, error) {
		p := image.NewGray(image.Rect(0, 0, c.Width, c.Height))
		if _, err := shades.ReadAt(p.Pix, int64(i)*int64(len(p.Pix))); err != nil {
			return nil, fmt.Errorf("picture %d: %w", i, err)
		}
		return track.NewPicture(p), nil
	}
}

// looksAt looks at a film's pictures as ffmpeg decodes them, and writes all of them in
// shades one after the other.
func looksAt(ctx context.Context, path string, c *store.Clip, shades io.Writer) ([]pose.Look, error) {
	finder, err := detect.Open(detect.Folder())
	if err != nil {
		return nil, err
	}
	defer finder.Close()
	var said strings.Builder
	cmd := exec.CommandContext(ctx, "ffmpeg", "-v", "error", "-i", path, "-fps_mode", "passthrough", "-vf", fmt.Sprintf("scale=%d:%d", c.Width, c.Height), "-f", "rawvideo", "-pix_fmt", "rgb24", "-")
	cmd.Stderr = &said
	pipe, err := cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := cmd.Start(); err != nil {
		return nil, err
	}
	tracker := detect.NewTracker(finder, nil)
	every := detect.Every(c.CaptureRate)
	var looks []pose.Look
	picture := &detect.Picture{Width: c.Width, Height: c.Height, Pixels: make([]byte, 3*c.Width*c.Height)}
	grey := make([]byte, c.Width*c.Height)
	for i := 0; ; i++ {
		if _, err := io.ReadFull(pipe, picture.Pixels); err != nil {
			break
		}
		for k := range grey { // as JFIF weighs red, green and blue
			grey[k] = byte((299*int(picture.Pixels[3*k]) + 587*int(picture.Pixels[3*k+1]) + 114*int(picture.Pixels[3*k+2]) + 500) / 1000)
		}
		if _, err := shades.Write(grey); err != nil {
			return nil, errors.Join(err, cmd.Process.Kill(), cmd.Wait())
		}
		if i%every != 0 && i != c.Frames-1 {
			continue
		}
		look, found, err := tracker.Look(picture)
		if err != nil {
			return nil, errors.Join(err, cmd.Process.Kill(), cmd.Wait())
		}
		if found {
			look.Frame = i
			looks = append(looks, look)
		}
	}
	if err := cmd.Wait(); err != nil {
		return nil, fmt.Errorf("the film cannot be taken apart: %w: %s", err, strings.TrimSpace(said.String()))
	}
	const fewest = 4
	if len(looks) < fewest {
		return nil, errors.New("nobody is found on this film")
	}
	return looks, nil
}
