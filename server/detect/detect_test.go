package detect_test

import (
	"bytes"
	"errors"
	"image"
	"image/color"
	"image/jpeg"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/body"
	"neokinema/core/pose"
	"neokinema/demo"
	"neokinema/server/detect"
	"neokinema/weights"
)

const models = "../../models"

func open(t *testing.T) *detect.Finder {
	t.Helper()
	f, err := detect.Open(models)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(f.Close)
	return f
}

// pictures are a shipped clip's, one of every so many.
func pictures(t *testing.T, name string, every int) []*detect.Picture {
	t.Helper()
	data, err := demo.Clip(name)
	if err != nil {
		t.Fatal(err)
	}
	dir := t.TempDir()
	film := filepath.Join(dir, "film.mp4")
	if err := os.WriteFile(film, data, 0o644); err != nil {
		t.Fatal(err)
	}
	if out, err := exec.Command("ffmpeg", "-v", "error", "-i", film, "-fps_mode", "passthrough", "-q:v", "2", filepath.Join(dir, "%05d.jpg")).CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	files, err := filepath.Glob(filepath.Join(dir, "*.jpg"))
	if err != nil {
		t.Fatal(err)
	}
	var out []*detect.Picture
	for i := 0; i < len(files); i += every {
		data, err := os.ReadFile(files[i])
		if err != nil {
			t.Fatal(err)
		}
		m, err := jpeg.Decode(bytes.NewReader(data))
		if err != nil {
			t.Fatal(err)
		}
		out = append(out, detect.NewPicture(m))
	}
	return out
}

// On a shipped clip the athlete is found on every picture looked at, by itself, and
// the landmarks lie where the truth has them.
func TestTheAthleteOfAFilmIsFound(t *testing.T) {
	const name, every = "glide-clean", 8
	truth, err := demo.Truth(name)
	if err != nil {
		t.Fatal(err)
	}
	film := pictures(t, name, every)
	looks, err := open(t).Looks(len(film), of(film), nil)
	if err != nil {
		t.Fatal(err)
	}
	if len(looks) < len(film) {
		t.Errorf("the athlete is found on %d of %d pictures", len(looks), len(film))
	}
	for i := range looks {
		looks[i].Frame *= every
	}
	height := pose.HeightPx(looks)
	inside, of := 0, 0
	var off []float64
	for _, l := range looks {
		for name, m := range weights.Pose.Marks(l, body.Right, height, pose.Caution) {
			p := truth.Film[l.Frame].InView[name]
			d := r2.Sub(m.At, r2.Vec{X: p[0], Y: p[1]})
			off = append(off, 100*r2.Norm(d)/height)
			for _, e := range []float64{d.X, d.Y} {
				of++
				if math.Abs(e) <= 2*m.U {
					inside++
				}
			}
		}
	}
	mean := 0.0
	for _, v := range off {
		mean += v / float64(len(off))
	}
	t.Logf("%d looks, mean %.2f %% of height off, %.1f %% inside ±2u", len(looks), mean, 100*float64(inside)/float64(of))
	if mean > 3 {
		t.Errorf("landmarks are %.1f %% of standing height off", mean)
	}
	if share := float64(inside) / float64(of); share < 0.93 {
		t.Errorf("%.1f %% lie inside of ±2u", 100*share)
	}
}

func TestNobodyIsFoundOnAnEmptyPicture(t *testing.T) {
	m := image.NewRGBA(image.Rect(0, 0, 640, 360))
	for y := range 360 {
		for x := range 640 {
			m.Set(x, y, color.RGBA{uint8(60 + y/4), 120, uint8(80 + x/16), 255})
		}
	}
	if _, found, err := detect.NewTracker(open(t), nil).Look(detect.NewPicture(m)); err != nil || found {
		t.Errorf("somebody is found: %v, %v", found, err)
	}
}

func TestWhatIsMissingIsNamed(t *testing.T) {
	empty := t.TempDir()
	if lacking := detect.Missing(empty); filepath.Dir(lacking) != empty {
		t.Errorf("%q is missing", lacking)
	}
	if _, err := detect.Open(empty); err == nil || !strings.Contains(err.Error(), "make models") {
		t.Errorf("%v", err)
	}
	if lacking := detect.Missing(models); lacking != "" {
		t.Errorf("%s is missing: make models", lacking)
	}
}

func BenchmarkLook(b *testing.B) {
	f, err := detect.Open(models)
	if err != nil {
		b.Fatal(err)
	}
	defer f.Close()
	p := &detect.Picture{Width: 1024, Height: 576, Pixels: make([]byte, 3*1024*576)}
	for b.Loop() {
		if _, _, err := f.Body(p, detect.Region{X: 500, Y: 300, Size: 500}); err != nil {
			b.Fatal(err)
		}
	}
}

// of are pictures that lie ready.
func of(film []*detect.Picture) func(i int) (*detect.Picture, error) {
	return func(i int) (*detect.Picture, error) { return film[i], nil }
}

// Who stands about is not taken for the athlete, however plainly; of two who move the
// coach has to say which is meant.
func TestTheOneWhoMovesIsTheAthlete(t *testing.T) {
	const name, every = "glide-early-open", 12
	truth, err := demo.Truth(name)
	if err != nil {
		t.Fatal(err)
	}
	film := pictures(t, name, every)
	hips := func(look int) float64 {
		at := truth.Film[look*every].InView
		return (at["hip.L"][0] + at["hip.R"][0]) / 2
	}
	// beside puts what is round the athlete on a picture onto another, px to the side.
	beside := func(from, to *detect.Picture, x float64, px int) {
		const half = 110
		put := int(x) + px
		for y := range to.Height {
			for k := -half; k < half; k++ {
				if put+k < 0 || put+k >= to.Width {
					continue
				}
				a, b := 3*(y*from.Width+min(from.Width-1, max(0, int(x)+k))), 3*(y*to.Width+put+k)
				copy(to.Pixels[b:b+3], from.Pixels[a:a+3])
			}
		}
	}
	clone := func() []*detect.Picture {
		var out []*detect.Picture
		for _, p := range film {
			out = append(out, &detect.Picture{Width: p.Width, Height: p.Height, Pixels: bytes.Clone(p.Pixels)})
		}
		return out
	}
	onlooker, twin := clone(), clone()
	aside, edge := -330, 110-int(hips(0))
	if hips(0) < float64(film[0].Width)/2 {
		aside, edge = 330, film[0].Width-110-int(hips(0))
	}
	for i := range film {
		beside(film[0], onlooker[i], hips(0), edge)
		beside(film[i], twin[i], hips(i), aside)
	}
	finder := open(t)
	looks, err := finder.Looks(len(onlooker), of(onlooker), nil)
	if err != nil {
		t.Fatal(err)
	}
	right := 0
	for _, l := range looks {
		if x := (l.Points[23].X + l.Points[24].X) / 2; math.Abs(x-hips(l.Frame)) < 30 {
			right++
		}
	}
	if right < len(film)-1 || right < len(looks) {
		t.Errorf("beside an onlooker the athlete is found on %d of %d pictures, somebody on %d", right, len(film), len(looks))
	}
	if _, err := finder.Looks(len(twin), of(twin), nil); !errors.Is(err, detect.ErrSeveral) {
		t.Errorf("two who move alike: %v", err)
	}
}
