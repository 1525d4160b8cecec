package clock

import (
	"errors"
	"math"
	"math/rand/v2"
	"strings"
	"testing"
)

// even is a film of n pictures at a playback rate, in the time base of most phones.
func even(t *testing.T, n int, rate Rate) Timeline {
	t.Helper()
	const base = 90000
	pts := make([]int64, n)
	for i := range pts {
		pts[i] = 7 + int64(math.Round(float64(i)*base/rate.Playback))
	}
	f, err := NewTimeline(pts, TimeBase{1, base}, rate, nil)
	if err != nil {
		t.Fatal(err)
	}
	return f
}

func near(t *testing.T, what string, got, want, within float64) {
	t.Helper()
	if math.IsNaN(got) || math.Abs(got-want) > within {
		t.Errorf("%s is %v, want %v", what, got, want)
	}
}

func TestSlowedFileIsSpedUp(t *testing.T) {
	for _, c := range []struct {
		name string
		rate Rate
		step float64
	}{
		{"played as filmed", Rate{Capture: 240, Playback: 240}, 1.0 / 240},
		{"filmed at 240, played at 30", Rate{Capture: 240, Playback: 30}, 1.0 / 240},
		{"filmed at 120, played at 29.97", Rate{Capture: 120, Playback: 29.97}, 1.0 / 120},
		{"filmed at 960, played at 25", Rate{Capture: 960, Playback: 25}, 1.0 / 960},
	} {
		t.Run(c.name, func(t *testing.T) {
			f := even(t, 50, c.rate)
			near(t, "the first picture's time", f.At(0), 0, 0)
			near(t, "the 49th picture's time", f.At(49), 49*c.step, 1e-4*c.step*49)
			near(t, "the interval", f.Interval(20), c.step, 1e-3*c.step+1.0/90000)
		})
	}
}

func TestVariableRateKeepsTrueStamps(t *testing.T) {
	f, err := NewTimeline([]int64{0, 10, 30, 35, 60}, TimeBase{1, 1000}, Rate{Capture: 30, Playback: 30}, nil)
	if err != nil {
		t.Fatal(err)
	}
	for i, want := range []float64{0, 0.010, 0.030, 0.035, 0.060} {
		near(t, "time", f.At(i), want, 1e-12)
	}
	for i, want := range []float64{0.010, 0.010, 0.020, 0.005, 0.025} {
		near(t, "interval", f.Interval(i), want, 1e-12)
	}
}

func TestNearestAndFirstAfter(t *testing.T) {
	f := even(t, 100, Rate{Capture: 240, Playback: 240})
	for _, c := range []struct {
		t              float64
		nearest, after int
	}{{-1, 0, 0}, {0, 0, 0}, {10.4 / 240, 10, 11}, {10.6 / 240, 11, 11}, {5, 99, 100}} {
		if got := f.Nearest(c.t); got != c.nearest {
			t.Errorf("nearest to %v is %d, want %d", c.t, got, c.nearest)
		}
		if got := f.FirstAfter(c.t); got != c.after {
			t.Errorf("first after %v is %d, want %d", c.t, got, c.after)
		}
	}
}

func TestBadFilmsAreRefusedWithAReason(t *testing.T) {
	good := []int64{0, 1, 2}
	for _, c := range []struct {
		name string
		pts  []int64
		base TimeBase
		rate Rate
		says string
	}{
		{"no rate", good, TimeBase{1, 30}, Rate{Capture: 0, Playback: 30}, "capture rate is not known"},
		{"no playback rate", good, TimeBase{1, 30}, Rate{Capture: 30, Playback: 0}, "must be positive"},
		{"no time base", good, TimeBase{1, 0}, Rate{Capture: 30, Playback: 30}, "must be positive"},
		{"one picture", []int64{4}, TimeBase{1, 30}, Rate{Capture: 30, Playback: 30}, "two pictures or more"},
		{"time runs back", []int64{0, 5, 4}, TimeBase{1, 30}, Rate{Capture: 30, Playback: 30}, "picture 2 is not later than picture 1"},
		{"time stands", []int64{0, 5, 5}, TimeBase{1, 30}, Rate{Capture: 30, Playback: 30}, "picture 2 is not later"},
	} {
		t.Run(c.name, func(t *testing.T) {
			if _, err := NewTimeline(c.pts, c.base, c.rate, nil); err == nil || !strings.Contains(err.Error(), c.says) {
				t.Errorf("got %v, want something with %q", err, c.says)
			}
		})
	}
	if _, err := NewTimeline(good, TimeBase{1, 30}, Rate{Playback: 30}, nil); !errors.Is(err, ErrNoRate) {
		t.Errorf("an unknown rate is %v, not ErrNoRate", err)
	}
}

// The standard uncertainties of conventions: Δ/√12 of a change, Δ/√6 of a
// duration between two changes, half a frame more for a contact.
func TestInstantsAndDurationsInClosedForm(t *testing.T) {
	f := even(t, 300, Rate{Capture: 240, Playback: 240})
	d := 1.0 / 240
	for _, c := range []struct {
		nature Nature
		t, u   float64
	}{
		{Still, 100 * d, d / math.Sqrt(12)},
		{Change, 99.5 * d, d / math.Sqrt(12)},
		{Contact, 99.5 * d, math.Sqrt(d*d/12 + math.Pow(d/2, 2)/3)},
	} {
		got, err := f.Instant(100, c.nature)
		if err != nil {
			t.Fatal(err)
		}
		near(t, string(c.nature)+" instant", got.T, c.t, 1e-5)
		near(t, string(c.nature)+" u", got.U, c.u, 1e-5)
	}
	a, _ := f.Instant(100, Change)
	b, _ := f.Instant(143, Change)
	length, u := f.Between(a, b)
	near(t, "a duration of 43 pictures", length, 43*d, 1e-5)
	near(t, "its u", u, d/math.Sqrt(6), 1e-5)
	if _, err := f.Instant(300, Change); err == nil {
		t.Error("a picture past the end has an instant")
	}
	if _, err := f.Instant(3, "guess"); err == nil {
		t.Error("an unknown nature has an instant")
	}
}

// A change at a random moment, stamped on the first picture that shows it,
// lies in estimate ± 2u as often as theory says: for a uniform error of width
// Δ, always within √3 u, so in all cases; its spread is u itself.
func TestStampUncertaintyIsTrue(t *testing.T) {
	f := even(t, 2000, Rate{Capture: 240, Playback: 240})
	r := rand.New(rand.NewPCG(1, 2))
	var squares, inside float64
	const n = 4000
	for range n {
		at := 0.1 + 8*r.Float64()
		got, err := f.Instant(f.FirstAfter(at), Change)
		if err != nil {
			t.Fatal(err)
		}
		squares += math.Pow((got.T-at)/got.U, 2)
		if math.Abs(got.T-at) <= 2*got.U {
			inside++
		}
	}
	near(t, "mean square of error ÷ u", squares/n, 1, 0.05)
	near(t, "share inside ± 2u", inside/n, 1, 0.001)
}

func TestRateForNamesTheRateThatWouldDo(t *testing.T) {
	u := 0.002
	rate := RateFor(u)
	d := 1 / rate
	contact := math.Sqrt(d*d/12 + math.Pow(d/2, 2)/3)
	near(t, "u at the rate it names", math.Hypot(contact, contact), u, 1e-9)
}

// A phone that dropped pictures keeps its times: the hole is named, and neither
// the mean rate of its file nor a chosen round one makes durations short.
func TestAHoleMakesNoTimeShort(t *testing.T) {
	var pts []int64
	for i := range 60 {
		at := int64(i) * 3003
		if i > 29 {
			at += 5 * 3003 // five pictures are missing
		}
		pts = append(pts, at)
	}
	seconds := float64(pts[59]) / 90000
	mean := 59 / seconds // 27.6, what the file claims on average
	for _, playback := range []float64{mean, 29.97, 30} {
		f, err := NewTimeline(pts, TimeBase{1, 90000}, Rate{Capture: 30, Playback: playback}, nil)
		if err != nil {
			t.Fatal(err)
		}
		near(t, "the whole film", f.At(59), seconds, 1e-9)
		if f.RelU() <= 0 {
			t.Error("a rate that somebody says has no uncertainty")
		}
		holes := f.Holes()
		if len(holes) != 1 || holes[0].After != 29 {
			t.Fatalf("holes: %+v", holes)
		}
		near(t, "the hole", holes[0].Lasts, 6*3003.0/90000, 1e-9)
	}
	// The same of a file that is slowed eight times.
	f, err := NewTimeline(pts, TimeBase{1, 90000}, Rate{Capture: 240, Playback: mean}, nil)
	if err != nil {
		t.Fatal(err)
	}
	near(t, "a slowed interval", f.Interval(10), 1.0/240, 5e-6)
}
