package media

import (
	"context"
	"fmt"
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
func Preview(ctx context.Context, path string, f Probe, keep func(t float64, jpeg []byte) error) error {
	small := fmt.Sprintf("%s%s,scale=-2:%d:out_range=pc,format=yuvj420p", telling, f.treatment(), previewHeight)
	got, err := previewed(ctx, path, f, pictures([]string{"-skip_frame", "nokey"}, small, 20*previews, 5))
	if err == nil && len(got) < previews/6 {
		every := max(1, len(f.PTS)/previews)
		got, err = previewed(ctx, path, f, pictures(nil, fmt.Sprintf(`select='not(mod(n\,%d))',%s`, every, small), 2*previews, 5))
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
func previewed(ctx context.Context, path string, f Probe, args []string) ([]preview, error) {
	var got []preview
	_, refused, err := takeApart(ctx, path, args, func(jpeg []byte, stamps <-chan int64) error {
		pts, ok := <-stamps
		if ok {
			got = append(got, preview{float64(pts-f.PTS[0]) * f.Tick(), jpeg})
		}
		return nil
	})
	if refused {
		err = nil
	}
	return got, err
}
