// Package filmread reads a film without the app: from a file to landmarks, key
// positions, values and verdicts that nobody has confirmed, with no database.
package filmread

import (
	"context"
	"errors"
	"fmt"
	"image"
	"io"
	"os"

	"neokinema/core/playbook"
	"neokinema/core/pose"
	"neokinema/core/track"
	"neokinema/server/assemble"
	"neokinema/server/detect"
	"neokinema/server/media"
	"neokinema/server/store"
)

var (
	// ErrRate says that the file is silent about its rate.
	ErrRate = errors.New("the file does not tell how many pictures a second were filmed")
	// ErrNobody says that no body is found.
	ErrNobody = errors.New("nobody is found on this film")
)

// Wish is what a film is read for.
type Wish struct {
	Event   playbook.Event // as its variant says
	Variant string
	View    string // empty: the event's usual one
	Athlete store.Athlete
	Rate    float64        // pictures of a real second; 0: as the file says
	Square  *detect.Region // round the athlete on the first picture, px; nil: who moves
}

// Reading is what a film shows without a hand.
type Reading struct {
	Bench     store.Bench // the key positions that were proposed are its stamps
	PTS       []int64
	Paths     store.FollowedPaths
	Proposals assemble.Proposals
	assemble.Reading
}

// Read reads a film.
func Read(ctx context.Context, path string, w Wish) (Reading, error) {
	var out Reading
	b, pts, err := Bench(ctx, path, w.Rate)
	if err != nil {
		return out, err
	}
	if b.Clip.View = w.View; w.View == "" {
		b.Clip.View = w.Event.UsualView()
	}
	b.Attempt.Event, b.Attempt.Variant, b.Athlete = w.Event.ID, w.Variant, w.Athlete
	shades, err := os.CreateTemp("", "neokinema-read-")
	if err != nil {
		return out, err
	}
	defer shades.Close()
	if err := os.Remove(shades.Name()); err != nil { // whatever ends the program, nothing of it stays
		return out, err
	}
	looks, err := Looks(ctx, path, b.Clip, w.Square, shades)
	if err != nil {
		return out, err
	}
	b.Clip.Rightward = rightward(looks)
	film, err := assemble.Film(b, pts)
	if err != nil {
		return out, err
	}
	plan, err := assemble.Follow(b)
	if err != nil {
		return out, err
	}
	body := assemble.FindBody(looks, assemble.Near(w.Event, b), pose.Caution, film.At)
	if out.Paths, err = plan.Find(ctx, w.Event, b, body, picturesOf(shades, b.Clip), func(int, int) error { return nil }); err != nil {
		return out, err
	}
	b.Followed = &out.Paths
	if out.Proposals, err = assemble.Propose(w.Event, b, pts, nil); err != nil {
		return out, err
	}
	b.Stamps, b.StampU = map[string]int{}, map[string]float64{}
	for _, p := range out.Proposals.Proposals {
		b.Stamps[p.KeyID], b.StampU[p.KeyID] = p.Frame, float64(p.U)
	}
	out.PTS = pts
	out.Reading, err = assemble.Read(w.Event, b, pts, nil, assemble.History{})
	if offer := out.Reading.ScaleOffer; err == nil && offer != nil { // nobody is there to say more
		b.Calibration.Scale = offer
		out.Reading, err = assemble.Read(w.Event, b, pts, nil, assemble.History{})
	}
	out.Bench = b
	return out, err
}

// rightward reports whether the hips move to the right on the picture.
func rightward(looks []pose.Look) bool {
	const hips = 23 // the left one; the right one follows
	x := func(l pose.Look) float64 { return l.Points[hips].X + l.Points[hips+1].X }
	return x(looks[len(looks)-1]) > x(looks[0])
}

// Bench is an attempt of which nothing is known but its film, with the film's time
// stamps. rate is the pictures of a real second; 0: as the file says.
func Bench(ctx context.Context, path string, rate float64) (store.Bench, []int64, error) {
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
		return b, nil, ErrRate
	}
	b.Clip = &store.Clip{
		Status: "ready", Width: film.Width, Height: film.Height, KeptWidth: film.Width, Frames: len(film.PTS), Pictures: len(film.PTS),
		BaseNum: film.BaseNum, BaseDen: film.BaseDen, PlaybackRate: film.Playback, CaptureRate: known, RateSource: source,
	}
	return b, film.PTS, nil
}

// picturesOf are a film's pictures in shades, as Looks has written them.
func picturesOf(shades *os.File, c *store.Clip) track.FrameSource {
	return func(_ context.Context, i int) (*track.Picture, error) {
		p := image.NewGray(image.Rect(0, 0, c.Width, c.Height))
		if _, err := shades.ReadAt(p.Pix, int64(i)*int64(len(p.Pix))); err != nil {
			return nil, fmt.Errorf("picture %d: %w", i, err)
		}
		return track.NewPicture(p), nil
	}
}

// Looks looks at a film's pictures, and writes all of them in shades one after the
// other. asked is the square round the athlete on the first picture, px; nil: who moves
// is meant.
func Looks(ctx context.Context, path string, c *store.Clip, asked *detect.Region, shades io.Writer) ([]pose.Look, error) {
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
	const fewest = 4
	if err == nil && len(looks) < fewest {
		err = ErrNobody
	}
	if err != nil {
		return nil, err
	}
	for i := range looks {
		looks[i].Frame = numbers[looks[i].Frame]
	}
	return looks, nil
}
