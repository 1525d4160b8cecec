package assemble

import (
	"encoding/json"
	"fmt"
	"math"
	"slices"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/breakdown"
	"neokinema/core/clock"
	"neokinema/core/filmcheck"
	"neokinema/core/optics"
	"neokinema/core/playbook"
	"neokinema/server/media"
	"neokinema/server/store"
)

// statedU is the relative standard uncertainty of a capture rate that was read
// or said, not measured: phones keep their nominal rate to about half a percent.
const statedU = 0.005

// falling is the landmark that free fall is measured with.
const falling = "implement"

// RateEstimate is one way of knowing the capture rate.
type RateEstimate struct {
	Source string  `json:"source"` // tag, file, chosen, interval or fall
	Rate   float64 `json:"rate"`
	U      float64 `json:"u"`
	Used   bool    `json:"used"`
	Lacks  string  `json:"lacks,omitempty"` // what a measurement still needs
}

// Rates are all that tells at which rate a clip was filmed, and where they
// disagree.
type Rates struct {
	Ways     []RateEstimate `json:"ways"`
	Warnings []string       `json:"warnings"`
	Falling  int            `json:"falling"` // pictures on which the falling thing is placed
}

var wayNames = map[string]string{"tag": "the file's tag", "file": "the file's own rate", "chosen": "your choice", "interval": "the known interval", "fall": "free fall"}

// RatesOf finds them. Gravity is the local acceleration of free fall, m/s².
func RatesOf(b store.Bench, pts []int64, gravity float64) (Rates, error) {
	out := Rates{Ways: []RateEstimate{}, Warnings: []string{}}
	c := b.Clip
	if c == nil || c.Status != "ready" {
		return out, store.Invalid("the clip is not ready yet")
	}
	stated := func(source string, rate float64) {
		if rate > 0 {
			out.Ways = append(out.Ways, RateEstimate{Source: source, Rate: rate, U: statedU * rate})
		}
	}
	stated("tag", c.TagRate)
	if c.RateSource == "file" || c.TagRate == 0 && c.PlaybackRate >= 100 {
		stated("file", c.PlaybackRate)
	}
	if c.RateSource == "chosen" {
		stated("chosen", c.CaptureRate)
	}
	measured := func(source string, m clock.Measured, err error) {
		w := RateEstimate{Source: source, Rate: m.Rate, U: m.U}
		if err != nil {
			w = RateEstimate{Source: source, Lacks: err.Error()}
		}
		out.Ways = append(out.Ways, w)
	}
	tick := float64(c.BaseNum) / float64(c.BaseDen)
	if k := b.Calibration.KnownInterval; k != nil {
		m, err := clock.RateFromInterval(float64(pts[k.To]-pts[k.From])*tick, c.PlaybackRate, k.Seconds, k.U)
		measured("interval", m, err)
	}
	f, n, err := freeFall(b, pts, tick, gravity)
	if out.Falling = n; n > 0 {
		var m clock.Measured
		if err == nil {
			m, err = clock.RateFromFall(f, c.PlaybackRate)
		}
		measured("fall", m, err)
	}
	for i, w := range out.Ways {
		out.Ways[i].Used = w.Source == c.RateSource
	}
	out.warn()
	return out, nil
}

func (r *Rates) warn() {
	known := slices.DeleteFunc(slices.Clone(r.Ways), func(w RateEstimate) bool { return w.Lacks != "" })
	for i, a := range known {
		for _, b := range known[i+1:] {
			if !(clock.Measured{Rate: a.Rate, U: a.U}).Agree(clock.Measured{Rate: b.Rate, U: b.U}) {
				r.Warnings = append(r.Warnings, fmt.Sprintf("%s says %.0f ± %.0f pictures a second, %s says %.0f ± %.0f: no time can be trusted until you know which is right",
					wayNames[a.Source], a.Rate, 2*a.U, wayNames[b.Source], b.Rate, 2*b.U))
			}
		}
	}
}

// Way is a way of knowing the rate, if it has a number.
func (r Rates) Way(source string) (RateEstimate, error) {
	for _, w := range r.Ways {
		if w.Source == source && w.Lacks != "" {
			return w, store.Invalid(w.Lacks)
		}
		if w.Source == source {
			return w, nil
		}
	}
	return RateEstimate{}, store.Invalid(fmt.Sprintf("nothing was measured by %s yet", wayNames[source]))
}

func freeFall(b store.Bench, pts []int64, tick, gravity float64) (clock.FreeFall, int, error) {
	f := clock.FreeFall{MarkU: MarkU(b), Gravity: gravity}
	cal := calibration(b)
	plane, err := cal.Plane()
	for _, l := range b.Landmarks { // in the order of their frames
		if l.Name == falling {
			f.FileTime = append(f.FileTime, float64(pts[l.Frame]-pts[0])*tick)
			f.Up = append(f.Up, plane.Map(r2.Vec{X: l.X, Y: l.Y}).Y)
		}
	}
	f.PxPerM, f.ScaleU = plane.PxPerM, plane.ScaleU
	return f, len(f.Up), err
}

// middle is the middle of a clip's picture.
func middle(b store.Bench) r2.Vec {
	return r2.Vec{X: float64(b.Clip.Width) / 2, Y: float64(b.Clip.Height) / 2}
}

// onFirstPicture finds where a spot of a picture is on the camera's first one.
func onFirstPicture(b store.Bench) func(frame *int, p breakdown.Spot) r2.Vec {
	moved := camera(b.Followed)
	return func(frame *int, p breakdown.Spot) r2.Vec {
		at := r2.Vec{X: p.X, Y: p.Y}
		if frame == nil {
			return at
		}
		m, _ := moved.At(*frame)
		return m.Inverse().Map(at)
	}
}

// calibration is what was said of the picture, for the core.
func calibration(b store.Bench) optics.Calibration {
	out := optics.Calibration{Rightward: b.Clip.Rightward, MarkU: MarkU(b), Centre: middle(b)}
	first := onFirstPicture(b)
	if l := b.Calibration.Scale; l != nil {
		out.Scale = &optics.Scale{Line: optics.Line{A: first(l.Frame, l.A), B: first(l.Frame, l.B)}, Metres: l.Metres, U: l.U}
	}
	if l := b.Calibration.Level; l != nil {
		out.Level = &optics.Level{Line: optics.Line{A: first(l.Frame, l.A), B: first(l.Frame, l.B)}, Vertical: l.Vertical}
	}
	if o := b.Calibration.Origin; o != nil {
		at := first(o.Frame, o.At)
		out.Origin = &at
	}
	if d := b.Calibration.Distance; d != nil {
		out.Distance = *d
	}
	return out
}

// Checks say what a clip is good for. Pts are its pictures' times.
func Checks(e playbook.Event, b store.Bench, pts []int64) ([]filmcheck.Check, error) {
	c := b.Clip
	if c == nil || c.Status != "ready" {
		return nil, store.Invalid("the clip is not ready yet")
	}
	if c.Filmless { // there is no film to check
		return []filmcheck.Check{}, nil
	}
	bits := 8 * float64(c.Bytes) / (float64(c.Width) * float64(c.Height) * float64(max(1, c.Pictures)))
	var state media.Condition
	if c.Condition != nil {
		if err := json.Unmarshal(c.Condition, &state); err != nil {
			return nil, err
		}
	}
	var holes []filmcheck.Hole
	if film, err := Film(b, pts); err == nil {
		for _, h := range film.Holes() {
			holes = append(holes, filmcheck.Hole{After: h.After, Lasts: h.Lasts})
		}
	}
	return filmcheck.Checks(filmcheck.Facts{
		Holes:  holes,
		Faulty: state.Faulty, Errors: state.Errors, Missing: state.Missing, HDR: state.HDR, Interlaced: state.Interlaced,
		Width: c.Width, Height: c.Height, ShownWidth: c.ShownWidth(), Rate: c.CaptureRate, Wanted: e.Rate,
		SegmentPx: segmentLengthU(b) * float64(c.ShownWidth()) / float64(c.Width), Brightness: c.Brightness, Blur: c.Blur, Bits: bits,
	}), nil
}

// segmentLengthU is the median length of the placed thighs and shanks, px of the
// original; 0 where there are none.
func segmentLengthU(b store.Bench) float64 {
	at := map[string]breakdown.Landmark{}
	for _, l := range b.Landmarks {
		at[fmt.Sprint(l.Name, "@", l.Frame)] = l
	}
	var lengths []float64
	for _, l := range b.Landmarks {
		for _, pair := range [][2]string{{"hip.L", "knee.L"}, {"hip.R", "knee.R"}, {"knee.L", "ankle.L"}, {"knee.R", "ankle.R"}} {
			if o, ok := at[fmt.Sprint(pair[1], "@", l.Frame)]; ok && l.Name == pair[0] {
				lengths = append(lengths, math.Hypot(l.X-o.X, l.Y-o.Y))
			}
		}
	}
	if len(lengths) == 0 {
		return 0
	}
	slices.Sort(lengths)
	return lengths[len(lengths)/2]
}
