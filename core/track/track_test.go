package track

import (
	"math"
	"testing"
)

// scene is a smooth, uneven picture shifted by (dx, dy), with a brightness and
// a contrast.
func scene(dx, dy, brightness, contrast float64) Grey {
	g := NewGrey(120, 90)
	for y := range g.H {
		for x := range g.W {
			u, v := float64(x)-dx, float64(y)-dy
			g.Shade[y*g.W+x] = brightness + contrast*(math.Sin(u/4)*math.Cos(v/5)+0.6*math.Sin((u+2*v)/7)+0.4*math.Cos((u*v)/90))
		}
	}
	return g
}

func TestAShiftIsFoundBetweenPixels(t *testing.T) {
	from := scene(0, 0, 0, 1)
	for _, c := range [][2]float64{{0, 0}, {3, -2}, {2.5, 1.25}, {-4.7, 3.4}, {0.3, -0.6}} {
		got, err := Match(from, scene(c[0], c[1], 40, 0.3), 60, 45, 9, 8)
		if err != nil {
			t.Fatal(err)
		}
		if math.Abs(got.X-60-c[0]) > 0.22 || math.Abs(got.Y-45-c[1]) > 0.22 || got.Alike < 0.95 {
			t.Errorf("a shift by %v is found as %.2f, %.2f (alike %.3f)", c, got.X-60, got.Y-45, got.Alike)
		}
	}
}

func TestWhatIsNotThereIsNotFound(t *testing.T) {
	from := scene(0, 0, 0, 1)
	if got, err := Match(from, NewGrey(120, 90), 60, 45, 9, 5); err == nil {
		t.Errorf("found in a blank picture at %v", got)
	}
	if got, err := Match(NewGrey(120, 90), from, 60, 45, 9, 5); err == nil {
		t.Errorf("a blank neighbourhood is found at %v", got)
	}
	if _, err := Match(from, from, 4, 45, 9, 5); err == nil {
		t.Error("a neighbourhood that leaves the picture is followed")
	}
}

func TestAPictureIsMostLikeItself(t *testing.T) {
	g := scene(0, 0, 10, 5)
	got, err := Match(g, g, 50, 40, 7, 6)
	if err != nil || math.Abs(got.Alike-1) > 1e-9 || math.Abs(got.X-50) > 0.08 || math.Abs(got.Y-40) > 0.08 {
		t.Errorf("found at %v, %v", got, err)
	}
}
