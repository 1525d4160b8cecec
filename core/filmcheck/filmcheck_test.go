package filmcheck

import (
	"math"
	"math/rand/v2"
	"strings"
	"testing"
)

// noise is a picture w × h of random grey.
func noise(w, h int) []uint8 {
	r := rand.New(rand.NewPCG(3, 1))
	grey := make([]uint8, w*h)
	for i := range grey {
		grey[i] = uint8(r.IntN(256))
	}
	return grey
}

// smear is a mean over 2k+1 neighbours along each row, as a moving picture is.
func smear(w, h, k int, grey []uint8) []uint8 {
	out := make([]uint8, len(grey))
	for y := range h {
		for x := range w {
			sum, n := 0, 0
			for i := max(0, x-k); i <= min(w-1, x+k); i++ {
				sum, n = sum+int(grey[y*w+i]), n+1
			}
			out[y*w+x] = uint8(sum / n)
		}
	}
	return out
}

func TestBlurGrowsWithSmearing(t *testing.T) {
	const w, h = 120, 80
	before := -1.0
	for _, k := range []int{0, 1, 3, 8} {
		b := Blur(w, h, smear(w, h, k, noise(w, h)))
		if b <= before || b < 0 || b > 1 {
			t.Errorf("smeared over %d px the blur is %.3f, after %.3f", 2*k+1, b, before)
		}
		before = b
	}
	if sharp := Blur(w, h, noise(w, h)); sharp > 0.25 {
		t.Errorf("pure noise has blur %.2f", sharp)
	}
	if flat := Blur(w, h, make([]uint8, w*h)); flat != 1 {
		t.Errorf("a flat picture has blur %.2f", flat)
	}
}

func TestLookTakesAFewPicturesAllAlong(t *testing.T) {
	l := NewImageStats(10)
	var taken []int
	for n := range 40 {
		if l.Samples(n) {
			taken = append(taken, n)
			l.Add(40, 40, smear(40, 40, n/10, noise(40, 40)))
		}
	}
	if len(taken) != 4 || taken[0] != 5 {
		t.Errorf("pictures %v are looked at", taken)
	}
	if b := l.Brightness(); math.Abs(b-0.5) > 0.05 {
		t.Errorf("noise is %.2f bright", b)
	}
	if l.Blur() <= Blur(40, 40, noise(40, 40)) {
		t.Error("the smeared pictures do not count")
	}
}

// Everything that is not good says what to do next time; what is good is
// silent.
func TestEachCheckSaysWhatToDo(t *testing.T) {
	good := Facts{Width: 1920, Height: 1080, ShownWidth: 1280, Rate: 240, Wanted: 120, SegmentPx: 210, Brightness: 0.5, Blur: 0.3, Bits: 0.1}
	for _, c := range Checks(good) {
		if c.State != Good || c.Next != "" || c.Says == "" {
			t.Errorf("a good film: %+v", c)
		}
	}
	for id, spoil := range map[string]func(*Facts){
		"rate":        func(f *Facts) { f.Rate = 30 },
		"size":        func(f *Facts) { f.SegmentPx = 60 },
		"resolution":  func(f *Facts) { f.Width, f.Height = 640, 360 },
		"landscape":   func(f *Facts) { f.Width, f.Height = f.Height, f.Width },
		"blur":        func(f *Facts) { f.Blur = 0.7 },
		"brightness":  func(f *Facts) { f.Brightness = 0.05 },
		"compression": func(f *Facts) { f.Bits = 0.004 },
	} {
		f := good
		spoil(&f)
		for _, c := range Checks(f) {
			if bad := c.State == Poor || c.State == Fair; bad != (c.ID == id) || bad && !strings.HasSuffix(c.Next, ".") {
				t.Errorf("spoilt in %s: %+v", id, c)
			}
		}
	}
	for _, c := range Checks(Facts{Width: 1280, Height: 720, Wanted: 120, Brightness: 0.5, Blur: 0.3, Bits: 0.1}) {
		if (c.ID == "rate" || c.ID == "size") != (c.State == Open) {
			t.Errorf("nothing known: %+v", c)
		}
	}
}

func TestDamageIsSaid(t *testing.T) {
	for _, c := range []struct {
		facts Facts
		state State
		says  string
	}{
		{Facts{Errors: 1, Faulty: []int{7}}, Poor, "picture 7 was decoded with errors"},
		{Facts{Errors: 14, Faulty: []int{0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13}}, Poor, "14 pictures were decoded with errors: 0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11 and more"},
		{Facts{Missing: 3}, Fair, "the file lacks 3 bytes at its end"},
		{Facts{Errors: 1, Faulty: []int{7}, Missing: 3}, Poor, "picture 7 was decoded with errors; the file lacks 3 bytes at its end"},
	} {
		first := Checks(c.facts)[0]
		if first.ID != "damage" || first.State != c.state || first.Says != c.says {
			t.Errorf("%+v gives %+v", c.facts, first)
		}
	}
	ids := map[string]bool{}
	for _, c := range Checks(Facts{HDR: "HLG", Interlaced: true}) {
		ids[c.ID] = true
	}
	if !ids["hdr"] || !ids["interlaced"] || ids["damage"] {
		t.Errorf("the checks are %v", ids)
	}
}
