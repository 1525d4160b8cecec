package demo

import (
	"io/fs"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"neokinema/core/sim"
	"neokinema/server/media"
)

// Every shipped clip is the one that the present code draws.
func TestClipsAreFresh(t *testing.T) {
	both := map[string]map[bool]bool{} // event → clean and faulty
	total := 0
	for _, s := range Scenarios() {
		file, err := Clip(s.Name)
		if err != nil {
			t.Errorf("%s is not rendered: make clips", s.Name)
			continue
		}
		total += len(file)
		mark, err := clips.ReadFile("clips/" + s.Name + ".mark")
		if err != nil {
			t.Errorf("%s has no mark: make clips", s.Name)
			continue
		}
		truth, err := Truth(s.Name)
		if err != nil {
			t.Fatal(err)
		}
		if got := Mark(truth); got != strings.TrimSpace(string(mark)) {
			t.Errorf("%s was drawn from another movement, %s, now it is %s: ./bin/neokinema render %s", s.Name, strings.TrimSpace(string(mark)), got, s.Name)
		}
		wholeAtStamps(t, s.Name, truth)
		upright(t, s.Name, file, truth)
		if both[s.Movement.Event] == nil {
			both[s.Movement.Event] = map[bool]bool{}
		}
		both[s.Movement.Event][len(s.Movement.Faults) > 0] = true
		if _, ok := roster[s.Name]; !ok {
			t.Errorf("%s belongs to nobody", s.Name)
		}
	}
	for _, e := range sim.Events() {
		if !both[e][true] || !both[e][false] {
			t.Errorf("%s has no clean and faulty clip", e)
		}
	}
	if total > 40<<20 {
		t.Errorf("the clips take %d bytes", total)
	}
	files, _ := fs.Glob(clips, "clips/*.mp4")
	if len(files) > len(Scenarios()) {
		t.Errorf("%d clips for %d scenarios", len(files), len(Scenarios()))
	}
}

// upright holds that a clip is shown as its truth counts pixels, whichever way
// its file lies, and has as many pictures, at the truth's times.
func upright(t *testing.T, name string, file []byte, truth sim.Truth) {
	path := filepath.Join(t.TempDir(), name)
	if err := os.WriteFile(path, file, 0o644); err != nil {
		t.Fatal(err)
	}
	film, err := media.ProbeFile(t.Context(), path)
	if err != nil || film.Width != truth.Width || film.Height != truth.Height || len(film.PTS) != len(truth.Film) {
		t.Errorf("%s is %d pictures of %d × %d, its truth %d of %d × %d: %v", name, len(film.PTS), film.Width, film.Height, len(truth.Film), truth.Width, truth.Height, err)
		return
	}
	for i, frame := range truth.Film {
		at := float64(film.PTS[i]-film.PTS[0]) * film.Tick() * truth.Playback / truth.Capture
		if want := frame.T - truth.Film[0].T; math.Abs(at-want) > 0.0005 {
			t.Errorf("%s: picture %d is at %.4f s, its truth at %.4f s", name, i, at, want)
			return
		}
	}
}

// wholeAtStamps holds that a clip shows the athlete from head to toe at every
// key position within it.
func wholeAtStamps(t *testing.T, name string, truth sim.Truth) {
	shown := 0
	for stamp, i := range truth.Frames {
		if i <= 0 || i >= len(truth.Film)-1 {
			continue // before or after the film
		}
		shown++
		released, thrown := truth.Stamps["release"]
		for l, p := range truth.Film[i].InView {
			if (strings.HasPrefix(string(l), "implement") || l == "grip") && thrown && truth.Stamps[stamp] >= released {
				continue
			}
			if l.Valid() && (p[0] < 0 || p[1] < 0 || p[0] > float64(truth.Width) || p[1] > float64(truth.Height)) {
				t.Errorf("%s: %s is out of the picture at %s, frame %d: %v", name, l, stamp, i, p)
				break
			}
		}
	}
	if shown < 4 {
		t.Errorf("%s shows %d of %d key positions", name, shown, len(truth.Frames))
	}
}

// What the demo's coach marks lies on the first picture or near it, as the store
// demands of every coach: within its width beside it and its height above and below.
func TestTheDemosCoachMarksNearThePicture(t *testing.T) {
	for name, m := range measured {
		truth, err := Truth(name)
		if err != nil {
			t.Fatal(err)
		}
		w, h := float64(truth.Width), float64(truth.Height)
		for _, mark := range []string{m.from, m.to, m.levelA, m.levelB, m.line} {
			if mark == "" {
				continue
			}
			if p := truth.Spot(mark); p[0] < -w || p[0] > 2*w || p[1] < -h || p[1] > 2*h {
				t.Errorf("%s: %s lies at %.0f, %.0f, the picture is %.0f × %.0f", name, mark, p[0], p[1], w, h)
			}
		}
	}
}
