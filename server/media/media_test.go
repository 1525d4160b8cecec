package media

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"image/jpeg"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
)

// film makes a test film with ffmpeg from its arguments after the input.
func film(t *testing.T, name, source string, args ...string) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	all := append([]string{"-nostdin", "-v", "error", "-f", "lavfi", "-i", source}, args...)
	if out, err := exec.Command("ffmpeg", append(all, "-y", path)...).CombinedOutput(); err != nil {
		t.Fatalf("%s: %s %v", name, out, err)
	}
	return path
}

const colours = "testsrc2=size=320x180:rate=30:duration=1"

// decode counts the pictures and returns the first one's size.
func decode(t *testing.T, path string, pictures int) (n, w, h int, err error) {
	t.Helper()
	err = Decode(t.Context(), path, pictures, func(i int, jpg []byte) error {
		c, err := jpeg.DecodeConfig(bytes.NewReader(jpg))
		if err != nil {
			return err
		}
		if i != n {
			return fmt.Errorf("picture %d comes after %d", i, n)
		}
		n, w, h = i+1, c.Width, c.Height
		return nil
	})
	return n, w, h, err
}

// stamps are what ffprobe itself reports of the decoded pictures.
func stamps(t *testing.T, path string) []string {
	t.Helper()
	out, err := exec.Command("ffprobe", "-v", "error", "-select_streams", "v:0", "-show_entries", "frame=best_effort_timestamp", "-of", "csv=p=0", path).Output()
	if err != nil {
		t.Fatal(err)
	}
	return strings.Fields(strings.ReplaceAll(string(out), ",", " "))
}

func TestContainersAndCodecs(t *testing.T) {
	for _, c := range []struct {
		name string
		args []string
	}{
		{"h264.mp4", []string{"-c:v", "libx264", "-pix_fmt", "yuv420p"}},
		{"b-frames.mov", []string{"-c:v", "libx264", "-bf", "3", "-pix_fmt", "yuv420p"}},
		{"vp9.webm", []string{"-c:v", "libvpx-vp9", "-deadline", "realtime"}},
		{"mjpeg.avi", []string{"-c:v", "mjpeg", "-pix_fmt", "yuvj420p"}},
		{"h264.mkv", []string{"-c:v", "libx264", "-pix_fmt", "yuv420p"}},
		{"with-sound.mp4", []string{"-f", "lavfi", "-i", "sine=duration=1", "-c:v", "libx264", "-pix_fmt", "yuv420p", "-c:a", "aac"}},
	} {
		t.Run(c.name, func(t *testing.T) {
			path := film(t, c.name, colours, c.args...)
			f, err := Read(t.Context(), path)
			if err != nil {
				t.Fatal(err)
			}
			n, w, h, err := decode(t, path, len(f.PTS))
			if err != nil || n != 30 || w != 320 || h != 180 {
				t.Errorf("%d pictures of %d × %d: %v", n, w, h, err)
			}
			if math.Abs(f.Playback-30) > 0.5 {
				t.Errorf("it plays at %v", f.Playback)
			}
			for i, s := range stamps(t, path) {
				if s != fmt.Sprint(f.PTS[i]) {
					t.Fatalf("picture %d has stamp %d, ffprobe says %s", i, f.PTS[i], s)
				}
			}
		})
	}
}

func TestVariableRateKeepsEveryStamp(t *testing.T) {
	path := film(t, "uneven.mp4", colours, "-vf", `select='not(eq(mod(n\,5)\,3))'`, "-fps_mode", "vfr", "-c:v", "libx264", "-pix_fmt", "yuv420p")
	f, err := Read(t.Context(), path)
	if err != nil {
		t.Fatal(err)
	}
	if n, _, _, err := decode(t, path, len(f.PTS)); err != nil || n != 24 {
		t.Errorf("%d pictures: %v", n, err)
	}
	gaps := map[int64]int{}
	for i := 1; i < len(f.PTS); i++ {
		gaps[f.PTS[i]-f.PTS[i-1]]++
	}
	if len(gaps) != 2 {
		t.Errorf("the gaps between pictures are %v, want two lengths", gaps)
	}
}

// A phone held upright writes a rotation tag: the picture is shown turned.
func TestRotatedAndLargeFilms(t *testing.T) {
	flat := film(t, "flat.mp4", "testsrc2=size=1920x1080:rate=30:duration=0.2", "-c:v", "libx264", "-pix_fmt", "yuv420p")
	turned := filepath.Join(t.TempDir(), "turned.mp4")
	if out, err := exec.Command("ffmpeg", "-v", "error", "-i", flat, "-c", "copy", "-metadata:s:v", "rotate=90", turned).CombinedOutput(); err != nil {
		t.Fatalf("%s %v", out, err)
	}
	for path, want := range map[string][4]int{flat: {1280, 720, 1920, 1080}, turned: {1080, 1920, 1080, 1920}} {
		f, err := Read(t.Context(), path)
		if err != nil {
			t.Fatal(err)
		}
		_, w, h, err := decode(t, path, len(f.PTS))
		if err != nil || w != want[0] || h != want[1] {
			t.Errorf("%s is kept as %d × %d: %v", filepath.Base(path), w, h, err)
		}
		ow, oh, err := OriginalSize(t.Context(), path, w, h)
		if err != nil || ow != want[2] || oh != want[3] {
			t.Errorf("%s was %d × %d: %v", filepath.Base(path), ow, oh, err)
		}
	}
}

func TestHowTheCaptureRateIsKnown(t *testing.T) {
	for _, c := range []struct {
		name   string
		source string
		tag    string
		rate   float64
		how    string
	}{
		{"plain.mp4", colours, "", 0, "unknown"},
		{"tagged.mp4", colours, "com.android.capture.fps=240.000000", 240, "tag"},
		{"fast.mp4", "testsrc2=size=320x180:rate=240:duration=0.2", "", 240, "file"},
		{"senseless-tag.mp4", colours, "com.android.capture.fps=fast", 0, "unknown"},
	} {
		args := []string{"-c:v", "libx264", "-pix_fmt", "yuv420p"}
		if c.tag != "" {
			args = append(args, "-movflags", "use_metadata_tags", "-metadata", c.tag)
		}
		f, err := Read(t.Context(), film(t, c.name, c.source, args...))
		if err != nil {
			t.Fatal(err)
		}
		if rate, how := f.Capture(); math.Abs(rate-c.rate) > 0.5 || how != c.how {
			t.Errorf("%s: %v pictures a second, known by %s; want %v by %s", c.name, rate, how, c.rate, c.how)
		}
	}
}

func TestWhatIsNoFilmIsSaidSo(t *testing.T) {
	whole, err := os.ReadFile(film(t, "whole.mkv", "testsrc2=size=320x180:rate=30:duration=3", "-c:v", "libx264", "-pix_fmt", "yuv420p"))
	if err != nil {
		t.Fatal(err)
	}
	at := func(name string, data []byte) string {
		path := filepath.Join(t.TempDir(), name)
		if err := os.WriteFile(path, data, 0o600); err != nil {
			t.Fatal(err)
		}
		return path
	}
	secret := at("secret.txt", []byte("not for the film"))
	for _, c := range []struct{ name, path, says string }{
		{"empty", at("a.mp4", nil), "not a film"},
		{"text", at("b.mp4", []byte(strings.Repeat("a start of 10 m\n", 80))), "not a film"},
		{"noise", at("c.mp4", bytes.Repeat([]byte{3, 141, 59, 26, 5}, 5000)), "not a film"},
		{"a playlist that points elsewhere", at("d.m3u8", []byte("#EXTM3U\n#EXTINF:1,\nhttp://127.0.0.1:9/x.ts\n#EXT-X-ENDLIST\n")), "not a film"},
		{"a list of other files", at("e.txt", []byte("ffconcat version 1.0\nfile '"+secret+"'\n")), "not a film"},
		{"one picture", film(t, "one.png", colours, "-frames:v", "1"), "not a film"},
		{"sound only", film(t, "tone.mp4", "sine=duration=1", "-c:a", "aac"), "no picture track"},
		{"the first bytes of a film", at("f.mkv", whole[:200]), "not a film"},
	} {
		t.Run(c.name, func(t *testing.T) {
			err := Look(t.Context(), c.path)
			var bad NotAFilm
			if !errors.As(err, &bad) || !strings.Contains(err.Error(), c.says) {
				t.Errorf("it is %v, want %q", err, c.says)
			}
		})
	}
	one := film(t, "single.mp4", colours, "-frames:v", "1", "-c:v", "libx264", "-pix_fmt", "yuv420p")
	if _, err := Read(t.Context(), one); err == nil || !strings.Contains(err.Error(), "one picture, not a film") {
		t.Errorf("a film of one picture: %v", err)
	}
	long := film(t, "long.mp4", "color=size=32x32:rate=1000:duration=3.1", "-c:v", "libx264", "-preset", "ultrafast")
	if _, err := Read(t.Context(), long); err == nil || !strings.Contains(err.Error(), "trim it on the phone") {
		t.Errorf("a film of 3100 pictures: %v", err)
	}
}

func TestDecodingCanBeStopped(t *testing.T) {
	path := film(t, "long.mp4", "testsrc2=size=640x360:rate=30:duration=4", "-c:v", "libx264", "-pix_fmt", "yuv420p")
	enough := errors.New("enough")
	if err := Decode(t.Context(), path, 120, func(int, []byte) error { return enough }); !errors.Is(err, enough) {
		t.Errorf("keeping fails with %v", err)
	}
	ctx, stop := context.WithCancel(t.Context())
	if err := Decode(ctx, path, 120, func(n int, _ []byte) error {
		if n == 3 {
			stop()
		}
		return nil
	}); !errors.Is(err, context.Canceled) {
		t.Errorf("a cancelled decoding ends with %v", err)
	}
	if err := Decode(t.Context(), path, 121, func(int, []byte) error { return nil }); err == nil || !strings.Contains(err.Error(), "holds 120 pictures but names 121") {
		t.Errorf("a picture short: %v", err)
	}
}

func BenchmarkDecode(b *testing.B) {
	path := filepath.Join(b.TempDir(), "film.mp4")
	if out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc2=size=1280x720:rate=30:duration=4", "-pix_fmt", "yuv420p", path).CombinedOutput(); err != nil {
		b.Fatalf("%s %v", out, err)
	}
	for b.Loop() {
		if err := Decode(b.Context(), path, 120, func(int, []byte) error { return nil }); err != nil {
			b.Fatal(err)
		}
	}
	b.ReportMetric(120*float64(b.N)/b.Elapsed().Seconds(), "pictures/s")
}
