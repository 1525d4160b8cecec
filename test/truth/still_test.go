package truth

import (
	"context"
	"image"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"neokinema/core/optics"
	"neokinema/core/track"
	"neokinema/demo"
)

// A phone on a tripod behind a thrower who turns in front of half the picture is
// not said to move; nor is one at the side.
func TestAFixedCameraStands(t *testing.T) {
	for _, name := range []string{"hammer-clean-back", "hammer-late-catch", "weight-clean", "discus-clean-side"} {
		truth, err := demo.Truth(name)
		if err != nil {
			t.Fatal(err)
		}
		clip, err := demo.Clip(name)
		if err != nil {
			t.Fatal(err)
		}
		path := filepath.Join(t.TempDir(), "clip.mp4")
		if err := os.WriteFile(path, clip, 0o600); err != nil {
			t.Fatal(err)
		}
		raw, err := exec.Command("ffmpeg", "-v", "error", "-i", path, "-fps_mode", "passthrough", "-f", "rawvideo", "-pix_fmt", "gray", "-").Output()
		if err != nil {
			t.Fatal(err)
		}
		w, h := truth.Width, truth.Height
		n := len(raw) / (w * h)
		film := func(_ context.Context, i int) (*track.Picture, error) {
			return track.NewPicture(&image.Gray{Pix: raw[i*w*h : (i+1)*w*h], Stride: w, Rect: image.Rect(0, 0, w, h)}), nil
		}
		f := track.Start{Observation: track.Observation{At: truth.At(0, "neck"), U: 1}, Kind: track.Joint, Half: 12}
		_, moved, err := track.Follow(t.Context(), film, n, []map[int]track.Start{{0: f}}, func(int, int) error { return nil })
		if err != nil {
			t.Fatal(err)
		}
		if got := (optics.CameraMotion{Moved: moved}).Steady(float64(w), float64(h), 2); len(got.Moved) > 0 {
			last := moved[len(moved)-1]
			t.Errorf("%s: of %d pictures the camera is said to move, at the end by zoom %.5f and %.3f°", name, n, last.Zoom(), last.Degrees())
		}
	}
}
