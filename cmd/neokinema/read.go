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
	athlete := f.String("athlete", "", "X,Y,SIZE: middle and side of a square round the athlete on the first picture, px; who moves when empty")
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
	var asked *detect.Region
	if *athlete != "" {
		asked = &detect.Region{}
		if _, err := fmt.Sscanf(*athlete, "%f,%f,%f", &asked.X, &asked.Y, &asked.Size); err != nil || asked.Size < 20 {
			return fmt.Errorf("-athlete %s: say X,Y,SIZE in px, as 640,400,300", *athlete)
		}
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
	looks, err := looksAt(ctx, path, b.Clip, asked, shades)
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

// looksAt looks at a film's pictures, and writes all of them in shades one after the
// other. asked is the square round the athlete on the first picture, if it was said.
func looksAt(ctx context.Context, path string, c *store.Clip, asked *detect.Region, shades io.Writer) ([]pose.Look, error) {
	finder, err := detect.Open(detect.Folder())
	if err != nil {
		return nil, err
	}
	defer finder.Close()
	colours, err := os.CreateTemp("", "neokinema-read-")
	if err != nil {
		return nil, err
	}
	defer colours.Close()
	if err := os.Remove(colours.Name()); err != nil {
		return nil, err
	}
	every := detect.Every(c.CaptureRate)
	grey := make([]byte, c.Width*c.Height)
	var numbers []int // of the pictures that are looked at
	err = media.Raw(ctx, path, c.Width, c.Height, func(i int, rgb []byte) error {
		for k := range grey { // as JFIF weighs red, green and blue
			grey[k] = byte((299*int(rgb[3*k]) + 587*int(rgb[3*k+1]) + 114*int(rgb[3*k+2]) + 500) / 1000)
		}
		if _, err := shades.Write(grey); err != nil {
			return err
		}
		if i%every != 0 && i != c.Frames-1 {
			return nil
		}
		numbers = append(numbers, i)
		_, err := colours.Write(rgb)
		return err
	})
	if err != nil {
		return nil, err
	}
	picture := func(k int) (*detect.Picture, error) {
		p := &detect.Picture{Width: c.Width, Height: c.Height, Pixels: make([]byte, 3*c.Width*c.Height)}
		_, err := colours.ReadAt(p.Pixels, int64(k)*int64(len(p.Pixels)))
		return p, err
	}
	looks, err := finder.Looks(len(numbers), picture, asked)
	const hint = "say who is meant with -athlete X,Y,SIZE, a square round them on the first picture, px"
	const fewest = 4
	switch {
	case errors.Is(err, detect.ErrSeveral):
		return nil, fmt.Errorf("%w: %s", err, hint)
	case err != nil:
		return nil, err
	case len(looks) < fewest:
		return nil, errors.New("nobody is found on this film: " + hint)
	}
	for i := range looks {
		looks[i].Frame = numbers[looks[i].Frame]
	}
	return looks, nil
}
