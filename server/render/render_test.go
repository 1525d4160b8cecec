package render

import (
	"bytes"
	"errors"
	"image"
	"image/jpeg"
	"math"
	"testing"

	"neokinema/core/body"
	"neokinema/core/sim"
	"neokinema/server/browser"
)

// The landmarks of the truth fall on the drawn body: where one is in sight, the
// picture differs from the same place without the athlete, and it changes by
// little from one picture to the next.
func TestTheDrawnBodyIsWhereTheTruthSays(t *testing.T) {
	s, err := Open()
	if errors.Is(err, browser.ErrNone) {
		t.Skip(err)
	}
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	c := sim.Usual("long-jump", "side-open")
	c.Capture, c.Width, c.Tall = 30, 640, 360
	o := Scene{Movement: sim.Request{Event: "long-jump", Athlete: sim.Athlete{HeightM: 1.8, Sex: body.Man, Side: body.Right}}, Camera: c, Outfit: OutfitFor(3, "long-jump", body.Man)}
	truth, err := o.Simulate()
	if err != nil {
		t.Fatal(err)
	}
	if err := s.Load(truth, o.Outfit, o.Setting); err != nil {
		t.Fatal(err)
	}
	picture := func(i int) image.Image {
		data, err := s.Picture(i, "image/jpeg")
		if err != nil {
			t.Fatal(err)
		}
		img, err := jpeg.Decode(bytes.NewReader(data))
		if err != nil {
			t.Fatal(err)
		}
		return img
	}
	n := len(truth.Film)
	first, last := picture(0), picture(n-1)
	differs := func(a, b image.Image, x, y float64) bool {
		r, g, bl, _ := a.At(int(x), int(y)).RGBA()
		r2, g2, b2, _ := b.At(int(x), int(y)).RGBA()
		return math.Abs(float64(r)-float64(r2))+math.Abs(float64(g)-float64(g2))+math.Abs(float64(bl)-float64(b2)) > 9000
	}
	on, all := 0, 0
	for _, of := range []struct {
		img, empty image.Image
		i          int
	}{{first, last, 0}, {last, first, n - 1}} {
		for _, l := range []body.Landmark{"knee.R", "ankle.R", "hip.R", "shoulder.R", "elbow.R", "wrist.R", "knee.L", "neck", "sternum"} {
			p := truth.Film[of.i].InView[l]
			if p[2] == 0 {
				continue
			}
			all++
			if differs(of.img, of.empty, p[0], p[1]) {
				on++
			}
		}
	}
	if all < 10 || on < all*9/10 {
		t.Errorf("%d of %d landmarks in sight lie on the drawn body", on, all)
	}
	a, b := picture(n/2), picture(n/2+1)
	changed := 0
	for y := 0; y < 360; y += 2 {
		for x := 0; x < 640; x += 2 {
			if differs(a, b, float64(x), float64(y)) {
				changed++
			}
		}
	}
	if share := float64(changed) / (320 * 180); share == 0 || share > 0.06 {
		t.Errorf("from one picture to the next %.1f %% of it change", 100*share)
	}
}

func TestASceneThatCannotBeFilmedIsRefused(t *testing.T) {
	fits := Scene{Camera: sim.Camera{Capture: 240}, Outfit: Outfit{Clothes: "loose"}, Setting: Setting{Light: "dusk", Shutter: 0.002, Readout: 0.004}}
	if err := fits.Check(); err != nil {
		t.Errorf("a usual scene is refused: %v", err)
	}
	for name, change := range map[string]func(*Scene){
		"clothes":  func(s *Scene) { s.Outfit.Clothes = "armour" },
		"light":    func(s *Scene) { s.Setting.Light = "moon" },
		"shutter":  func(s *Scene) { s.Setting.Shutter = 0.005 }, // longer than from picture to picture
		"read-out": func(s *Scene) { s.Setting.Readout = -0.001 },
	} {
		s := fits
		change(&s)
		if s.Check() == nil {
			t.Errorf("%s: not refused", name)
		}
	}
}
