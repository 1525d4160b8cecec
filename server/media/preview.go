package media

import (
	"context"
	"errors"
	"fmt"
	"os/exec"
)

// previews is about how many small pictures tell a film before it is decoded,
// and previewHeight their height in pixels.
const (
	previews      = 48
	previewHeight = 240
)

// Preview hands on small pictures from all along a film, with their times in
// seconds of the file from its first picture. It takes those that stand by
// themselves in the file; where these are few, it decodes the film.
func Preview(ctx context.Context, path string, f Film, keep func(t float64, jpeg []byte) error) error {
	small := fmt.Sprintf("%s,scale=-2:%d:out_range=pc,format=yuvj420p", telling, previewHeight)
	got, err := previewed(ctx, f, pictures(path, []string{"-skip_frame", "nokey"}, small, 20*previews, 5))
	if err == nil && len(got) < previews/6 {
		every := max(1, len(f.PTS)/previews)
		got, err = previewed(ctx, f, pictures(path, nil, fmt.Sprintf(`select='not(mod(n\,%d))',%s`, every, small), 2*previews, 5))
	}
	if err != nil {
		return err
	}
	for i := 0; i < len(got); i += (len(got) + previews - 1) / previews {
		if err := keep(got[i].t, got[i].jpeg); err != nil {
			return err
		}
	}
	return nil
}

type preview struct {
	t    float64
	jpeg []byte
}

// previewed runs ffmpeg. A film that breaks off gives what it has: it is told
// of when it is decoded.
func previewed(ctx context.Context, f Film, args []string) ([]preview, error) {
	var got []preview
	_, err := takeApart(ctx, args, func(jpeg []byte, told <-chan int64) error {
		pts, ok := <-told
		if ok {
			got = append(got, preview{float64(pts-f.PTS[0]) * f.Tick(), jpeg})
		}
		return nil
	})
	var ended *exec.ExitError
	if errors.As(err, &ended) {
		err = nil
	}
	return got, err
}
