package media

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"image/jpeg"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"neokinema/core/clock"
)

// film makes a test film with ffmpeg from its arguments after the input.
func film(t *testing.T, name, source string, args ...string) string {
	t.Helper()
	if testing.Short() {
		t.Skip("left out of the short tests")
	}
	path := filepath.Join(t.TempDir(), name)
	all := append([]string{"-nostdin", "-v", "error", "-f", "lavfi", "-i", source}, args...)
	if out, err := exec.Command("ffmpeg", append(all, "-y", path)...).CombinedOutput(); err != nil {
		t.Fatalf("%s: %s %v", name, out, err)
	}
	return path
}

const colours = "testsrc2=size=320x180:rate=30:duration=1"

// whole keeps all of a film at the usual width.
func whole(f Probe) Trim { return Trim{0, f.Seconds(), ShownWidth} }

// decode looks into a film, decodes a part of it, and returns the kept
// pictures' numbers, the size of the first, and the stamps.
func decode(t *testing.T, path string, part func(Probe) Trim) (numbers []int, w, h int, pts []int64, err error) {
	t.Helper()
	f, err := ProbeFile(t.Context(), path)
	if err != nil {
		return nil, 0, 0, nil, err
	}
	pts, _, err = Decode(t.Context(), path, f, part(f), func(p Frame) error {
		if len(numbers) == 0 {
			if w, h, err = size(p.JPEG); err != nil {
				return err
			}
		}
		numbers = append(numbers, p.Number)
		return nil
	})
	return numbers, w, h, pts, err
}

// ffprobed are what ffprobe itself reports of the decoded pictures.
func ffprobed(t *testing.T, path string) []string {
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
		{"hevc-8-bit.mp4", []string{"-c:v", "libx265", "-pix_fmt", "yuv420p", "-x265-params", "log-level=none", "-tag:v", "hvc1"}},
		{"hevc-10-bit.mov", []string{"-c:v", "libx265", "-pix_fmt", "yuv420p10le", "-x265-params", "log-level=none", "-tag:v", "hvc1"}},
		{"vp9.webm", []string{"-c:v", "libvpx-vp9", "-deadline", "realtime"}},
		{"mjpeg.avi", []string{"-c:v", "mjpeg", "-pix_fmt", "yuvj420p"}},
		{"h264.avi", []string{"-c:v", "libx264", "-bf", "0", "-pix_fmt", "yuv420p"}},
		{"prores.mov", []string{"-c:v", "prores_ks", "-pix_fmt", "yuv422p10le"}},
		{"h264.mkv", []string{"-c:v", "libx264", "-pix_fmt", "yuv420p"}},
		{"wrong-ending.txt", []string{"-c:v", "libx264", "-pix_fmt", "yuv420p", "-f", "mp4"}},
		{"odd-size.mp4", []string{"-vf", "scale=321:181", "-c:v", "libx264", "-pix_fmt", "yuv444p"}},
		{"with-sound.mp4", []string{"-f", "lavfi", "-i", "sine=duration=1", "-c:v", "libx264", "-pix_fmt", "yuv420p", "-c:a", "aac"}},
		{"starts-late.mkv", []string{"-c:v", "libx264", "-pix_fmt", "yuv420p", "-output_ts_offset", "7.25"}},
	} {
		t.Run(c.name, func(t *testing.T) {
			path := film(t, c.name, colours, c.args...)
			numbers, w, h, pts, err := decode(t, path, whole)
			if err != nil || len(numbers) != 30 || numbers[29] != 29 || w != 320 || h != 180 {
				t.Fatalf("%d pictures of %d × %d: %v", len(numbers), w, h, err)
			}
			same(t, path, pts)
		})
	}
}

// same holds stamps against those that ffprobe reports of decoded pictures.
func same(t *testing.T, path string, pts []int64) {
	t.Helper()
	want := ffprobed(t, path)
	if len(want) != len(pts) {
		t.Fatalf("%d stamps, ffprobe says %d", len(pts), len(want))
	}
	for i, s := range want {
		if s != fmt.Sprint(pts[i]) {
			t.Fatalf("picture %d has stamp %d, ffprobe says %s", i, pts[i], s)
		}
	}
}

func TestVariableRateKeepsEveryStamp(t *testing.T) {
	path := film(t, "uneven.mp4", colours, "-vf", `select='not(eq(mod(n\,5)\,3))'`, "-fps_mode", "vfr", "-c:v", "libx264", "-pix_fmt", "yuv420p")
	numbers, _, _, pts, err := decode(t, path, whole)
	if err != nil || len(numbers) != 24 {
		t.Fatalf("%d pictures: %v", len(numbers), err)
	}
	same(t, path, pts)
	gaps := map[int64]int{}
	for i := 1; i < len(pts); i++ {
		gaps[pts[i]-pts[i-1]]++
	}
	if len(gaps) != 2 {
		t.Errorf("the gaps between pictures are %v, want two lengths", gaps)
	}
}

// A cut without new encoding leaves an edit list: pictures before its start
// are in the file, but are not part of the film.
func TestEditListsHideWhatWasCutOff(t *testing.T) {
	uncut := film(t, "whole.mp4", "testsrc2=size=320x180:rate=30:duration=3", "-c:v", "libx264", "-g", "45", "-pix_fmt", "yuv420p")
	cut := filepath.Join(t.TempDir(), "cut.mp4")
	if out, err := exec.Command("ffmpeg", "-v", "error", "-ss", "1", "-i", uncut, "-c", "copy", cut).CombinedOutput(); err != nil {
		t.Fatalf("%s %v", out, err)
	}
	_, _, _, pts, err := decode(t, cut, whole)
	if err != nil {
		t.Fatal(err)
	}
	same(t, cut, pts)
}

// An export that plays at real speed, then slowed, then at real speed again:
// with the slow part named, every picture is where it was in truth.
func TestRampedExportsKeepTheirTime(t *testing.T) {
	// Filmed at 240: a second of every eighth picture, a second of all of them, a
	// second of every eighth, all played at 30.
	path := film(t, "ramped.mp4", "testsrc2=size=320x180:rate=240:duration=3", "-vf", `select='if(gte(n\,240)*lt(n\,480)\,1\,not(mod(n\,8)))',setpts=N/30/TB`,
		"-r", "30", "-c:v", "libx264", "-pix_fmt", "yuv420p")
	numbers, _, _, pts, err := decode(t, path, whole)
	if err != nil || len(numbers) != 300 {
		t.Fatalf("%d pictures: %v", len(numbers), err)
	}
	same(t, path, pts)
	f, err := ProbeFile(t.Context(), path)
	if err != nil {
		t.Fatal(err)
	}
	real, err := clock.NewTimeline(pts, clock.TimeBase{Num: f.BaseNum, Den: f.BaseDen}, clock.Rate{Capture: 240, Playback: f.Playback}, &clock.Ramp{From: 30, To: 270})
	if err != nil {
		t.Fatal(err)
	}
	for i := range real.Len() {
		want := float64(i) / 30
		switch {
		case i > 270:
			want = 2 + float64(i-270)/30
		case i > 30:
			want = 1 + float64(i-30)/240
		}
		if math.Abs(real.At(i)-want) > 1e-3 {
			t.Fatalf("picture %d is at %.4f s, in truth %.4f", i, real.At(i), want)
		}
	}
}

// A part of a film keeps the numbers that its pictures have in the whole.
func TestTrimmingNeverRenumbers(t *testing.T) {
	path := film(t, "long.mp4", "testsrc2=size=320x180:rate=30:duration=4", "-c:v", "libx264", "-bf", "2", "-pix_fmt", "yuv420p")
	all, _, _, pts, err := decode(t, path, whole)
	if err != nil || len(all) != 120 {
		t.Fatalf("%d pictures: %v", len(all), err)
	}
	numbers, _, _, some, err := decode(t, path, func(Probe) Trim { return Trim{1, 2, ShownWidth} })
	if err != nil || len(numbers) != 31 || numbers[0] != 30 || numbers[30] != 60 {
		t.Fatalf("from 1 to 2 s are pictures %v: %v", numbers, err)
	}
	if len(some) != 61 || some[0] != pts[0] || some[60] != pts[60] {
		t.Errorf("the stamps run to %d", len(some))
	}
}

// A phone held upright writes a rotation tag: the picture is shown turned.
func TestRotatedAndLargeFilms(t *testing.T) {
	flat := film(t, "flat.mp4", "testsrc2=size=1920x1080:rate=30:duration=0.2", "-c:v", "libx264", "-pix_fmt", "yuv420p")
	turned := filepath.Join(t.TempDir(), "turned.mp4")
	if out, err := exec.Command("ffmpeg", "-v", "error", "-i", flat, "-c", "copy", "-metadata:s:v", "rotate=90", turned).CombinedOutput(); err != nil {
		t.Fatalf("%s %v", out, err)
	}
	squeezed := film(t, "squeezed.mp4", "testsrc2=size=1440x1080:rate=30:duration=0.2", "-vf", "setsar=4/3", "-c:v", "libx264", "-pix_fmt", "yuv420p")
	for _, c := range []struct {
		path                 string
		width                int
		w, h, originW, origH int
	}{
		{flat, 1280, 1280, 720, 1920, 1080}, {flat, 1920, 1920, 1080, 1920, 1080}, {flat, 4000, 1920, 1080, 1920, 1080},
		{turned, 1280, 1080, 1920, 1080, 1920}, {squeezed, 1280, 1280, 720, 1920, 1080},
	} {
		f, err := ProbeFile(t.Context(), c.path)
		if err != nil || f.Width != c.originW || f.Height != c.origH {
			t.Errorf("%s is %d × %d: %v", filepath.Base(c.path), f.Width, f.Height, err)
		}
		_, w, h, _, err := decode(t, c.path, func(f Probe) Trim { return Trim{0, f.Seconds(), c.width} })
		if err != nil || w != c.w || h != c.h {
			t.Errorf("%s is kept as %d × %d: %v", filepath.Base(c.path), w, h, err)
		}
	}
}

func TestPreviewsRunAllAlong(t *testing.T) {
	for name, args := range map[string][]string{
		"keys often.mp4":   {"-g", "15"},
		"one key only.mp4": {"-g", "600"},
	} {
		path := film(t, name, "testsrc2=size=640x360:rate=30:duration=8", append(args, "-c:v", "libx264", "-pix_fmt", "yuv420p")...)
		f, err := ProbeFile(t.Context(), path)
		if err != nil {
			t.Fatal(err)
		}
		var at []float64
		if err := Preview(t.Context(), path, f, func(s float64, jpg []byte) error {
			at = append(at, s)
			if _, h, err := size(jpg); err != nil || h != previewHeight {
				return fmt.Errorf("it is %d high: %w", h, err)
			}
			return nil
		}); err != nil {
			t.Fatal(err)
		}
		if len(at) < 8 || len(at) > previews || at[0] != 0 || at[len(at)-1] < 7 {
			t.Errorf("%s: previews at %v", name, at)
		}
	}
}

// A clap in the film's sound is found where it was.
func TestSoundKeepsItsTime(t *testing.T) {
	path := film(t, "clap.mp4", "testsrc2=size=320x180:rate=30:duration=3", "-f", "lavfi", "-i", "aevalsrc='between(t,1.5,1.52)*sin(4000*t)':s=48000:d=3",
		"-c:v", "libx264", "-pix_fmt", "yuv420p", "-c:a", "aac")
	f, err := ProbeFile(t.Context(), path)
	if err != nil || !f.Sound {
		t.Fatalf("sound: %v %v", f.Sound, err)
	}
	for _, from := range []float64{0, 1} {
		pcm, err := Sound(t.Context(), path, f, Trim{From: from, To: 3})
		if err != nil {
			t.Fatal(err)
		}
		first := -1
		for i := 0; i+1 < len(pcm) && first < 0; i += 2 {
			if v := int16(uint16(pcm[i]) | uint16(pcm[i+1])<<8); v > 8000 || v < -8000 {
				first = i / 2
			}
		}
		if at := float64(first)/SoundRate + from; math.Abs(at-1.5) > 0.01 {
			t.Errorf("from %v s on, the clap is heard at %.3f s", from, at)
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
		f, err := ProbeFile(t.Context(), film(t, c.name, c.source, args...))
		if err != nil {
			t.Fatal(err)
		}
		if rate, how := f.Capture(); math.Abs(rate-c.rate) > 0.5 || how != c.how {
			t.Errorf("%s: %v pictures a second, known by %s; want %v by %s", c.name, rate, how, c.rate, c.how)
		}
	}
}

func TestWhatIsNoFilmIsSaidSo(t *testing.T) {
	intact, err := os.ReadFile(film(t, "whole.mkv", "testsrc2=size=320x180:rate=30:duration=3", "-c:v", "libx264", "-pix_fmt", "yuv420p"))
	if err != nil {
		t.Fatal(err)
	}
	at := func(name string, data []byte) string {
		path := filepath.Join(t.TempDir(), name)
		if err := os.WriteFile(path, data, 0o644); err != nil {
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
		{"the first bytes of a film", at("f.mkv", intact[:200]), "not a film"},
	} {
		t.Run(c.name, func(t *testing.T) {
			_, err := ProbeFile(t.Context(), c.path)
			var bad NotAFilm
			if !errors.As(err, &bad) || !strings.Contains(err.Error(), c.says) {
				t.Errorf("it is %v, want %q", err, c.says)
			}
		})
	}
	for _, c := range []struct{ name, path, says string }{
		{"a film of one picture", film(t, "single.mp4", colours, "-frames:v", "1", "-c:v", "libx264", "-pix_fmt", "yuv420p"), "one picture, not a film"},
		{"12,000 px wide", film(t, "wide.mkv", "color=size=12000x400:rate=5:duration=1", "-c:v", "mjpeg", "-pix_fmt", "yuvj420p"), "12000 × 400 pixels"},
	} {
		if _, err := ProbeFile(t.Context(), c.path); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v", c.name, err)
		}
	}
}

// A copy that was cut short says so, wherever it was cut.
func TestTruncatedFilmsAreRefused(t *testing.T) {
	for _, name := range []string{"a.mkv", "b.mp4", "c.avi", "d.mov"} {
		args := []string{"-c:v", "mjpeg", "-pix_fmt", "yuvj420p"}
		if name == "b.mp4" {
			args = []string{"-c:v", "libx264", "-pix_fmt", "yuv420p", "-movflags", "faststart"}
		}
		data, err := os.ReadFile(film(t, name, "testsrc2=size=320x180:rate=30:duration=3", args...))
		if err != nil {
			t.Fatal(err)
		}
		path := filepath.Join(t.TempDir(), name)
		if err := os.WriteFile(path, data[:len(data)*6/10], 0o644); err != nil {
			t.Fatal(err)
		}
		_, _, _, _, err = decode(t, path, whole)
		var bad NotAFilm
		if !errors.As(err, &bad) {
			t.Errorf("60 %% of %s: %v", name, err)
		}
	}
}

// A film with a great many tracks costs no more than a look.
func TestThousandsOfTracksAreRefused(t *testing.T) {
	args := []string{}
	for range 200 {
		args = append(args, "-map", "0:v")
	}
	path := film(t, "tracks.mkv", "color=size=32x32:rate=10:duration=0.3", append(args, "-c:v", "mjpeg", "-pix_fmt", "yuvj420p")...)
	if _, err := ProbeFile(t.Context(), path); err == nil {
		t.Error("a film of 200 tracks is taken")
	}
}

func TestDecodingCanBeStopped(t *testing.T) {
	path := film(t, "long.mp4", "testsrc2=size=640x360:rate=30:duration=4", "-c:v", "libx264", "-pix_fmt", "yuv420p")
	f, err := ProbeFile(t.Context(), path)
	if err != nil {
		t.Fatal(err)
	}
	enough := errors.New("enough")
	if _, _, err := Decode(t.Context(), path, f, whole(f), func(Frame) error { return enough }); !errors.Is(err, enough) {
		t.Errorf("keeping fails with %v", err)
	}
	ctx, stop := context.WithCancel(t.Context())
	if _, _, err := Decode(ctx, path, f, whole(f), func(p Frame) error {
		if p.Number == 3 {
			stop()
		}
		return nil
	}); !errors.Is(err, context.Canceled) {
		t.Errorf("a cancelled decoding ends with %v", err)
	}
}

// What ffmpeg may take is set by the kernel, not asked of ffmpeg.
func TestFfmpegRunsWithinLimits(t *testing.T) {
	film, err := os.Open(film(t, "a.mp4", colours, "-c:v", "libx264", "-pix_fmt", "yuv420p"))
	if err != nil {
		t.Fatal(err)
	}
	defer film.Close()
	out, err := tool(t.Context(), film, nil, "sh", "-c", "ulimit -v; ulimit -t; ulimit -c").Output()
	if err != nil {
		t.Fatal(err)
	}
	if got := strings.Fields(string(out)); len(got) != 3 || got[0] != fmt.Sprint(mostMemory/1024) || got[1] != fmt.Sprint(int(mostCPU.Seconds())) || got[2] != "0" {
		t.Errorf("memory, time and dumps are limited to %v", got)
	}
}

func BenchmarkDecode(b *testing.B) {
	path := filepath.Join(b.TempDir(), "film.mp4")
	if out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc2=size=1280x720:rate=30:duration=4", "-pix_fmt", "yuv420p", path).CombinedOutput(); err != nil {
		b.Fatalf("%s %v", out, err)
	}
	for b.Loop() {
		f, err := ProbeFile(b.Context(), path)
		if err != nil {
			b.Fatal(err)
		}
		if _, _, err := Decode(b.Context(), path, f, whole(f), func(Frame) error { return nil }); err != nil {
			b.Fatal(err)
		}
	}
	b.ReportMetric(120*float64(b.N)/b.Elapsed().Seconds(), "pictures/s")
}

// ffmpeg that is killed, or cannot be started, has said nothing of the film.
func TestWhatEndsFfmpegIsNoVerdict(t *testing.T) {
	path := film(t, "long.mp4", "testsrc2=size=1280x720:rate=30:duration=20", "-c:v", "libx264", "-preset", "ultrafast", "-pix_fmt", "yuv420p")
	f, err := ProbeFile(t.Context(), path)
	if err != nil {
		t.Fatal(err)
	}
	killed := false
	_, _, err = Decode(t.Context(), path, f, whole(f), func(p Frame) error {
		if p.Number == 5 && !killed {
			killed = true
			if out, err := exec.Command("pkill", "-KILL", "-f", "frames:v 600").CombinedOutput(); err != nil {
				t.Errorf("kill: %v %s", err, out)
			}
		}
		return nil
	})
	var bad NotAFilm
	if !errors.As(err, new(Unfinished)) || errors.As(err, &bad) {
		t.Errorf("a killed ffmpeg ends with %v", err)
	}
	for signal, sent := range map[string]syscall.Signal{"killed": syscall.SIGKILL, "out of time": syscall.SIGXCPU, "out of memory": syscall.SIGSEGV} {
		in, err := os.Open(path)
		if err != nil {
			t.Fatal(err)
		}
		cmd := tool(t.Context(), in, nil, "sh", "-c", fmt.Sprintf("kill -%d $$", sent))
		refused, err := verdict(t.Context(), cmd.Run(), &complaint{})
		if in.Close(); refused || !errors.As(err, new(Unfinished)) {
			t.Errorf("%s: refused %v, %v", signal, refused, err)
		}
	}
	t.Setenv("PATH", t.TempDir())
	if _, err := ProbeFile(t.Context(), path); !errors.As(err, new(Unfinished)) {
		t.Errorf("without ffmpeg: %v", err)
	}
}

// A film that can be used in spite of what is wrong with it says what that is, and
// on which pictures.
func TestTheConditionOfAFilm(t *testing.T) {
	intact, err := os.ReadFile(film(t, "whole.mp4", "testsrc2=size=640x360:rate=30:duration=3", "-c:v", "libx264", "-pix_fmt", "yuv420p"))
	if err != nil {
		t.Fatal(err)
	}
	state := func(data []byte) (Condition, int, error) {
		path := filepath.Join(t.TempDir(), "a.mp4")
		if err := os.WriteFile(path, data, 0o644); err != nil {
			t.Fatal(err)
		}
		f, err := ProbeFile(t.Context(), path)
		if err != nil {
			return Condition{}, 0, err
		}
		pts, c, err := Decode(t.Context(), path, f, whole(f), func(Frame) error { return nil })
		return c, len(pts), err
	}
	if c, n, err := state(intact); err != nil || n != 90 || !c.Plain() {
		t.Errorf("an intact film: %+v of %d, %v", c, n, err)
	}
	if c, n, err := state(intact[:len(intact)-1]); err != nil || n != 90 || c.Missing != 1 {
		t.Errorf("a byte short: %+v of %d, %v", c, n, err)
	}
	flipped := bytes.Clone(intact)
	r := rand.New(rand.NewPCG(5, 1))
	from := bytes.Index(flipped, []byte("mdat")) + 4000
	for range 200 {
		flipped[from+r.IntN(len(flipped)-from-6000)] ^= byte(1 + r.IntN(255))
	}
	c, n, err := state(flipped)
	if err != nil || n < 85 || c.Errors < 20 || len(c.Faulty) != c.Errors || c.Says == "" || strings.Contains(c.Says, "/proc") {
		t.Errorf("200 flipped bytes: %+v of %d, %v", c, n, err)
	}
	for _, p := range c.Faulty {
		if p < 0 || p >= n {
			t.Errorf("picture %d of %d is faulty", p, n)
		}
	}
}

// HDR is mapped to a screen's light, halves are brought together; both are said, and
// neither changes how many pictures there are or when they stand.
func TestPicturesAreMadePlain(t *testing.T) {
	hdr := film(t, "hlg.mov", colours, "-vf", "format=yuv420p10le", "-c:v", "libx265", "-x265-params", "log-level=none:colorprim=bt2020:transfer=arib-std-b67:colormatrix=bt2020nc", "-color_primaries", "bt2020", "-color_trc", "arib-std-b67", "-colorspace", "bt2020nc")
	halves := film(t, "halves.mp4", "testsrc2=size=320x180:rate=60:duration=1", "-vf", "interlace", "-flags", "+ilme+ildct", "-c:v", "libx264", "-x264-params", "interlaced=1", "-pix_fmt", "yuv420p")
	for path, want := range map[string]Condition{hdr: {HDR: "HLG"}, halves: {Interlaced: true}} {
		f, err := ProbeFile(t.Context(), path)
		if err != nil {
			t.Fatal(err)
		}
		kept := 0
		pts, c, err := Decode(t.Context(), path, f, whole(f), func(Frame) error { kept++; return nil })
		if err != nil || kept != 30 || c.HDR != want.HDR || c.Interlaced != want.Interlaced || c.Errors != 0 {
			t.Errorf("%s: %d pictures, %+v, %v", filepath.Base(path), kept, c, err)
		}
		same(t, path, pts)
	}
}

// ffmpeg opens the film that it is given and nothing else, whatever a file with the
// name of a film points to; it has no rights to what is not everybody's.
func TestFilmsLeadNowhere(t *testing.T) {
	dir := t.TempDir()
	inside := film(t, "inside.mp4", colours, "-c:v", "libx264", "-pix_fmt", "yuv420p")
	still := film(t, "inside.png", colours, "-frames:v", "1")
	write := func(name, text string) string {
		path := filepath.Join(dir, name)
		if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
		return path
	}
	dash := `<?xml version="1.0"?><MPD xmlns="urn:mpeg:dash:schema:mpd:2011" type="static" mediaPresentationDuration="PT1S" profiles="urn:mpeg:dash:profile:isoff-on-demand:2011"><Period><AdaptationSet mimeType="video/mp4"><Representation id="1" bandwidth="100"><BaseURL>` + inside + `</BaseURL></Representation></AdaptationSet></Period></MPD>`
	for name, text := range map[string]string{
		"dash.mp4": dash, "hls.mp4": "#EXTM3U\n#EXT-X-TARGETDURATION:1\n#EXTINF:1,\n" + inside + "\n#EXT-X-ENDLIST\n", "concat.mp4": "ffconcat version 1.0\nfile '" + inside + "'\n",
		"sdp.mp4":  "v=0\no=- 0 0 IN IP4 127.0.0.1\ns=x\nc=IN IP4 127.0.0.1\nt=0 0\nm=video 9999 RTP/AVP 96\na=rtpmap:96 H264/90000\n",
		"smil.mp4": `<smil><body><video src="` + inside + `"/></body></smil>`, "subtitle.mp4": "1\n00:00:00,000 --> 00:00:01,000\nwords\n", "ass.mp4": "[Script Info]\n[Events]\nDialogue: 0,0:00:00.00,0:00:01.00,,,0,0,0,,words\n",
		"imf.mp4": `<?xml version="1.0"?><CompositionPlaylist xmlns="http://www.smpte-ra.org/schemas/2067-3/2016"/>`, "xbin.mp4": "XBIN" + strings.Repeat("x", 4000), "lavfi.mp4": "testsrc2=size=320x180",
		"webvtt.mp4": "WEBVTT\n\n00:00.000 --> 00:01.000\nwords\n", "svg.mp4": `<svg xmlns="http://www.w3.org/2000/svg"><image href="` + still + `"/></svg>`,
	} {
		_, err := ProbeFile(t.Context(), write(name, text))
		var bad NotAFilm
		if !errors.As(err, &bad) {
			t.Errorf("%s: %v", name, err)
		}
	}
	// A QuickTime film whose pictures lie in another file.
	data, err := os.ReadFile(film(t, "ref.mov", colours, "-c:v", "mjpeg", "-pix_fmt", "yuvj420p"))
	if err != nil {
		t.Fatal(err)
	}
	url := []byte("\x00\x00\x00\x0curl \x00\x00\x00\x01")
	if !bytes.Contains(data, url) {
		t.Fatal("the film has no reference to itself to spoil")
	}
	data = bytes.Replace(data, url, []byte("\x00\x00\x00\x0calis\x00\x00\x00\x00"), 1)
	var bad NotAFilm
	if numbers, _, _, _, err := decode(t, write("ref.mov", string(data)), whole); err == nil && len(numbers) != 30 || err != nil && !errors.As(err, &bad) {
		t.Errorf("a film that says it lies elsewhere: %d pictures, %v", len(numbers), err)
	}
	// A film with an attachment and subtitles is its pictures alone.
	attached := filepath.Join(dir, "attached.mkv")
	if out, err := exec.Command("ffmpeg", "-v", "error", "-i", inside, "-i", write("words.srt", "1\n00:00:00,000 --> 00:00:01,000\nwords\n"), "-c:v", "copy", "-c:s", "srt", "-attach", still, "-metadata:s:t", "mimetype=image/png", attached).CombinedOutput(); err != nil {
		t.Fatalf("%v %s", err, out)
	}
	if numbers, _, _, _, err := decode(t, attached, whole); err != nil || len(numbers) != 30 {
		t.Errorf("with an attachment: %d pictures, %v", len(numbers), err)
	}
	if os.Geteuid() != 0 {
		t.Skip("only root can run ffmpeg as somebody else")
	}
	private := filepath.Join(dir, "private")
	if err := os.WriteFile(private, []byte("secret"), 0o600); err != nil {
		t.Fatal(err)
	}
	in, err := os.Open(inside)
	if err != nil {
		t.Fatal(err)
	}
	defer in.Close()
	if out, err := tool(t.Context(), in, nil, "cat", private).CombinedOutput(); err == nil || bytes.Contains(out, []byte("secret")) {
		t.Errorf("the program that takes films apart reads %s", out)
	}
}

// size is a JPEG's width and height.
func size(picture []byte) (w, h int, err error) {
	c, err := jpeg.DecodeConfig(bytes.NewReader(picture))
	return c.Width, c.Height, err
}

// A file is refused by its first bytes where they are no film's.
func TestFilmsAreToldByTheirFirstBytes(t *testing.T) {
	for _, name := range []string{"a.mp4", "b.mov", "c.mkv", "d.webm", "e.avi", "f.ts", "g.mpg"} {
		args := []string{}
		if name == "d.webm" {
			args = []string{"-c:v", "libvpx", "-b:v", "200k"}
		}
		data, err := os.ReadFile(film(t, name, "testsrc2=size=160x90:rate=25:duration=1", args...))
		if err != nil {
			t.Fatal(err)
		}
		if err := Begins(data[:min(len(data), HeadBytes)]); err != nil {
			t.Errorf("%s: %v", name, err)
		}
	}
	for name, head := range map[string][]byte{"nothing": nil, "text": []byte("my notes of the start, and no film at all"), "a picture": []byte("\x89PNG\r\n\x1a\n"), "sound": []byte("RIFF\x00\x00\x00\x00WAVEfmt ")} {
		if Begins(head) == nil {
			t.Errorf("%s is taken for a film", name)
		}
	}
}
