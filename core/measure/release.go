package measure

import (
	"fmt"
	"math"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/flight"
)

// thrown are the kinds of an implement that has just been let go.
var thrown = map[string]kind{
	"release-speed":  {formula: "speed of the parabola through the first pictures of flight, at the release", compute: func(p *evaluation) float64 { return r2.Norm(p.release().v) }},
	"release-angle":  {formula: "direction of the parabola through the first pictures of flight, at the release", compute: func(p *evaluation) float64 { return p.release().angle() }},
	"release-height": {formula: "height of the parabola at the release above the lowest foot on the ground", compute: releaseHeight},
	"attack":         {formula: "inclination of the implement's axis − direction of its path, at the release", compute: attack},
}

// A release is read on so many pictures of free flight, or for so many seconds;
// fewer pictures are refused.
const (
	mostFlight  = 12
	leastFlight = 4
	longFlight  = 0.06
)

// offPlane is how far off the picture's plane a throw may fly unseen, degrees.
const offPlane = 12

// offPlaneU is the share of the speed along the picture that this leaves open:
// what its cosine takes, and, beside the picture's middle, what it gains or
// loses by coming nearer.
func (p *evaluation) offPlaneU(at r2.Vec) float64 {
	off := math.Abs(p.sheet.Calibration.Off) * math.Pi / 180
	s, c := math.Sin(offPlane*math.Pi/180), math.Cos(off+offPlane*math.Pi/180)/math.Cos(off)
	if p.sheet.Calibration.Centre == (r2.Vec{}) || p.plane.PxPerM == 0 {
		return 1 - c
	}
	d, _ := p.sheet.Calibration.CameraDistance()
	beside := math.Abs(at.X-p.plane.Map(p.sheet.Calibration.Centre).X) / p.plane.PxPerM
	return math.Hypot(1-c, beside/d*s/2)
}

// pitchU is how much smaller or larger a camera that looks a few degrees up or
// down shows a thing above head height than a length on the ground.
const pitchU = 0.015

// nearer is the share by which an implement on the athlete's open side looks
// too large, and how well that is known.
func (p *evaluation) nearer() (share, u float64) {
	d, du := p.sheet.Calibration.CameraDistance()
	side := 1.0
	if p.sheet.View == "side-closed" {
		side = -1
	}
	share = side * p.measure.Nearer / d
	return share, math.Hypot(share*du/d, math.Hypot(0.25/d, pitchU))
}

// cameraHeightU is how far a camera at hip height may be above or below the
// implement as it leaves, m.
const cameraHeightU = 0.6

// release2D is where and how fast an implement leaves, m and m/s, in the plane.
type release2D struct{ at, v r2.Vec }

func (f release2D) angle() float64 { return math.Atan2(f.v.Y, f.v.X) * 180 / math.Pi }

// release fits a parabola of free fall to the implement's first pictures of
// flight. Air is not allowed for: over a tenth of a second it takes less than
// the fit's own uncertainty.
func (p *evaluation) release() release2D {
	f, ok := p.frame(p.keyID)
	if !ok {
		return release2D{v: r2.Vec{X: 1}}
	}
	at := p.instant(p.keyID)
	var times []float64
	var points []r2.Vec
	for i := f; i < p.sheet.Timeline.Len() && len(points) < mostFlight; i++ {
		if len(points) >= leastFlight && p.sheet.Timeline.At(i)-p.sheet.Timeline.At(f) > longFlight {
			break
		}
		if len(points) < leastFlight {
			p.request(p.keyID, i, "implement")
		}
		v, ok := p.landmarkOn(i, "implement", source{what: "placing the {of} in flight", of: "implement", at: fmt.Sprint(i)})
		if !ok {
			if len(points) > 0 {
				break
			}
			continue
		}
		times, points = append(times, p.real(p.sheet.Timeline.At(i)-at)), append(points, r2.Vec{X: p.metres(v.X), Y: p.metres(v.Y)})
	}
	if len(points) < leastFlight {
		p.require("landmark", fmt.Sprintf("implement@%d", f), "place the implement on %d pictures in a row from the release on", leastFlight)
		return release2D{v: r2.Vec{X: 1}}
	}
	a := mat.NewDense(len(points), 2, nil)
	bx, by := mat.NewVecDense(len(points), nil), mat.NewVecDense(len(points), nil)
	for i, t := range times {
		a.SetRow(i, []float64{1, t})
		bx.SetVec(i, points[i].X)
		by.SetVec(i, points[i].Y+flight.G*t*t/2)
	}
	var x, y mat.VecDense
	if x.SolveVec(a, bx) != nil || y.SolveVec(a, by) != nil {
		p.require("landmark", "implement", "the implement stands at one place on these pictures")
		return release2D{v: r2.Vec{X: 1}}
	}
	out := release2D{r2.Vec{X: x.AtVec(0), Y: y.AtVec(0)}, r2.Vec{X: x.AtVec(1), Y: y.AtVec(1)}}
	if p.shift == nil && p.plane.PxPerM > 0 {
		end := r2.Add(out.at, r2.Scale(0.05, out.v))
		p.segmentAt(f, r2.Scale(p.plane.PxPerM, out.at), r2.Scale(p.plane.PxPerM, end))
	}
	share, u := p.nearer()
	out.v = r2.Scale(1-p.input(plain("distance of the implement from the camera"), share, u), out.v)
	out.v.X *= p.input(plain("throw off the picture's plane, up to 12°"), 1, p.offPlaneU(r2.Scale(p.plane.PxPerM, out.at)))
	return out
}

func releaseHeight(p *evaluation) float64 {
	out := p.release()
	ground := math.Inf(1)
	for _, name := range p.measure.Points {
		ground = math.Min(ground, p.point(p.keyID, name).Y)
	}
	share, u := p.nearer()
	return out.at.Y - p.metres(ground) + p.input(plain("height of the camera against the implement's"), 0, cameraHeightU*(math.Abs(share)+u))
}

// A disc wobbles as it leaves: one picture's attitude may be far from its mean.
// It is read on several pictures over about one swing; what fewer of them leave
// open is the usual wobble (common practice).
const (
	attitudeReads = 4
	attitudeStep  = 0.035 // s
	wobbleU       = 6.0   // degrees, of one picture
)

// attitudeFrames are the pictures on which the implement's axis is read.
func (p *evaluation) attitudeFrames() []int {
	f, ok := p.frame(p.keyID)
	if !ok {
		return nil
	}
	out := []int{f}
	if p.sheet.Event.Ground.Kind != "circle" { // a javelin hardly wobbles
		return out
	}
	for k := 1; k < attitudeReads; k++ {
		if next := f + int(math.Round(float64(k)*attitudeStep/p.sheet.Timeline.Interval(f))); next < p.sheet.Timeline.Len() && next > out[len(out)-1] {
			out = append(out, next)
		}
	}
	return out
}

// wobbling is what the wobble leaves open of a mean attitude of so many pictures.
func (p *evaluation) wobbling(reads int) float64 {
	if p.sheet.Event.Ground.Kind != "circle" {
		return 0
	}
	return p.input(plain("wobble of the disc"), 0, wobbleU/float64(reads))
}

func attack(p *evaluation) float64 {
	path := p.release().angle()
	names := p.measure.Points
	sum, n := 0.0, 0
	for i, f := range p.attitudeFrames() {
		var ends [2]r2.Vec
		seen := true
		for k, name := range names {
			l, err := p.landmark(p.keyID, name)
			if err != nil {
				p.require("landmark", name, "%v", err)
				return 0
			}
			if i == 0 {
				ends[k] = p.point(p.keyID, name)
				continue
			}
			p.request(p.keyID, f, l)
			v, ok := p.landmarkOn(f, l, source{what: "placing the {of} in flight", of: l, at: fmt.Sprint(f)})
			ends[k], seen = v, seen && ok
		}
		if !seen {
			continue
		}
		if i == 0 {
			p.segment(p.keyID, ends[0], ends[1])
		}
		sum += math.Atan2(ends[1].Y-ends[0].Y, ends[1].X-ends[0].X) * 180 / math.Pi
		n++
	}
	if n == 0 {
		return 0
	}
	return sum/float64(n) - path + p.wobbling(n)
}
