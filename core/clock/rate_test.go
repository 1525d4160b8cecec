package clock

import (
	"math"
	"math/rand/v2"
	"strings"
	"testing"
)

// A stopwatch in the picture shows 2.00 s while 480 pictures of a file that
// plays at 30 go by: it was filmed at 240.
func TestRateFromAKnownInterval(t *testing.T) {
	m, err := RateFromInterval(480.0/30, 30, 2, 0)
	if err != nil || math.Abs(m.Rate-240) > 1e-9 {
		t.Fatalf("%+v %v", m, err)
	}
	if want := 240 / math.Sqrt(6) / 480; math.Abs(m.U-want) > 1e-9 {
		t.Errorf("u is %v, one picture at each end gives %v", m.U, want)
	}
	if hand, _ := RateFromInterval(480.0/30, 30, 2, 0.05); hand.U < 6 || hand.U > 6.1 {
		t.Errorf("a hand-held watch gives %v", hand)
	}
	for _, c := range []struct{ file, real, u float64 }{{0, 2, 0}, {16, 0, 0}, {16, -1, 0}, {16, 2, -1}} {
		if _, err := RateFromInterval(c.file, 30, c.real, c.u); err == nil {
			t.Errorf("%+v is taken", c)
		}
	}
}

// fall is a ball let go and filmed at a rate, in a file that plays at 30.
func fall(r *rand.Rand, rate, pxPerM, miss float64, pictures int) FreeFall {
	f := FreeFall{PxPerM: pxPerM, ScaleU: 0.01 * pxPerM, MarkU: 2, Gravity: Gravity}
	for i := range pictures {
		real := float64(i) / rate
		f.FileTime = append(f.FileTime, float64(i)/30)
		f.Up = append(f.Up, 900-Gravity/2*real*real*pxPerM+0.4*pxPerM*real+miss*r.NormFloat64())
	}
	return f
}

func TestRateFromFreeFall(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 2))
	for _, rate := range []float64{30, 60, 120, 240} {
		m, err := RateFromFall(fall(r, rate, 200, 0, int(rate/2)), 30)
		if err != nil || math.Abs(m.Rate-rate) > 1e-6*rate {
			t.Errorf("at %v it is %+v %v", rate, m, err)
		}
	}
	// A hand that misses by 2 px: the truth lies inside ± 2u.
	inside, n := 0, 0
	for _, rate := range []float64{60, 120, 240} {
		for range 700 {
			m, err := RateFromFall(fall(r, rate, 200*(1+0.01*r.NormFloat64()), 2, int(rate/2)), 30)
			if err != nil {
				t.Fatal(err)
			}
			n++
			if math.Abs(m.Rate-rate) <= 2*m.U {
				inside++
			}
		}
	}
	if share := float64(inside) / float64(n); share < 0.93 || share > 0.99 {
		t.Errorf("%.1f %% of %d lie inside ± 2u", 100*share, n)
	}
}

func TestWhatDoesNotFallIsRefused(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	few, rising, still := fall(r, 120, 200, 0, 4), fall(r, 120, 200, 0, 40), fall(r, 240, 200, 2, 8)
	for i := range rising.Up {
		rising.Up[i] = -rising.Up[i]
	}
	unscaled := fall(r, 120, 0, 0, 40)
	for says, f := range map[string]FreeFall{"5 pictures or more": few, "do not bend": rising, "for longer": still, "set the scale": unscaled} {
		if _, err := RateFromFall(f, 30); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%v, want %q", err, says)
		}
	}
}

func TestRatesThatDisagree(t *testing.T) {
	tag, measured := Measured{240, 1}, Measured{118, 3}
	if tag.Agree(measured) || !measured.Agree(Measured{120, 1}) {
		t.Error("240 and 118 ± 6 do not agree; 118 ± 6 and 120 do")
	}
}

// An exported clip plays at real speed, then eight times slower, then at real
// speed again.
func TestRampedFilms(t *testing.T) {
	pts := make([]int64, 61)
	for i := range pts {
		pts[i] = int64(i)
	}
	f, err := NewTimeline(pts, TimeBase{1, 30}, Rate{Capture: 240, Playback: 30, CaptureU: 2.4}, &Ramp{20, 40})
	if err != nil {
		t.Fatal(err)
	}
	for i, want := range map[int]float64{0: 0, 20: 20. / 30, 28: 20./30 + 8./240, 40: 20./30 + 20./240, 50: 30./30 + 20./240} {
		if math.Abs(f.At(i)-want) > 1e-12 {
			t.Errorf("picture %d is at %.4f s, want %.4f", i, f.At(i), want)
		}
	}
	if math.Abs(f.Interval(20)-1./30) > 1e-12 || math.Abs(f.Interval(21)-1./240) > 1e-12 || math.Abs(f.Interval(41)-1./30) > 1e-12 {
		t.Error("the intervals change at the wrong pictures")
	}
	if math.Abs(f.RelU()-0.01) > 1e-12 {
		t.Errorf("the rate is known to %.3f", f.RelU())
	}
	for _, bad := range []Ramp{{40, 20}, {-1, 5}} {
		if _, err := NewTimeline(pts, TimeBase{1, 30}, Rate{Capture: 240, Playback: 30}, &bad); err == nil {
			t.Errorf("%+v is taken", bad)
		}
	}
}

// A rate known to 2 % leaves 2 % of a duration open.
func TestTheRatesUncertaintyReachesDurations(t *testing.T) {
	f, err := NewTimeline([]int64{0, 1, 2, 3}, TimeBase{1, 1}, Rate{Capture: 1, Playback: 1, CaptureU: 0.02}, nil)
	if err != nil {
		t.Fatal(err)
	}
	if _, u := f.Between(Instant{0, 0}, Instant{3, 0}); math.Abs(u-0.06) > 1e-12 {
		t.Errorf("3 s at a rate known to 2 %% have u %v", u)
	}
}
