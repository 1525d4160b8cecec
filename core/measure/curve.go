package measure

import (
	"math"

	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/runup"
)

// A curve's radius is not told by three footprints of a step or two: this is
// what jumpers run, m, common practice.
const (
	usualRadius  = 9.5
	usualRadiusU = 1.5
)

// bulge is how far an arc of the usual radius stands out over its chord, m.
func (p *evaluation) bulge(chord float64) float64 {
	r := p.input(plain("radius of the curve, by what is usual"), usualRadius, usualRadiusU)
	return chord * chord / (8 * r)
}

// neededLean is for the curve through four footprints.
func neededLean(p *evaluation) float64 {
	toe := func(by int) r3.Vec { return p.flat(p.stamp(by), p.measure.Points[0]) }
	a, b, c, d := toe(-1), toe(0), toe(1), toe(2)
	chord := r3.Norm(r3.Sub(d, a))
	way := r3.Norm(r3.Sub(b, a)) + r3.Norm(r3.Sub(c, b)) + r3.Norm(r3.Sub(d, c))
	if len(p.missing) > 0 || chord == 0 {
		return 0
	}
	// The footprints alternate beside the path: the middles of the steps lie on it.
	m1, m2, m3 := r3.Scale(0.5, r3.Add(a, b)), r3.Scale(0.5, r3.Add(b, c)), r3.Scale(0.5, r3.Add(c, d))
	u := r3.Unit(r3.Sub(m3, m1))
	out := r3.Norm(r3.Sub(r3.Sub(m2, m1), r3.Scale(r3.Dot(r3.Sub(m2, m1), u), u)))
	span := r3.Norm(r3.Sub(m3, m1))
	const bulgeU = 0.03 // m: feet beside the path
	out += p.input(plain("feet beside the path"), 0, bulgeU)
	seen := span * span / (8 * math.Max(out, 0.01))
	// What the footprints tell of the radius and what is usual, each by its weight.
	seenU := seen * bulgeU / math.Max(out, 0.01)
	w := 1 / (1 + sq(seenU/usualRadiusU))
	r := w*seen + (1-w)*p.input(plain("radius of the curve, by what is usual"), usualRadius, usualRadiusU)
	v := way / p.since(p.stamp(-1), p.stamp(2))
	lean, err := runup.BodyLean(v, r, 0.55*p.sheet.HeightM)
	if err != nil {
		p.require("path", p.keyID, "%v", err)
	}
	return lean
}

func outsideCurve(p *evaluation) float64 {
	foot := func(by int) r3.Vec { return p.foot(p.stamp(by), p.measure.Points) }
	a, b, c := foot(-1), foot(0), foot(1)
	chord := r3.Sub(c, a)
	n := r3.Norm(chord)
	if n == 0 {
		return 0
	}
	// Outside is on the left of the way as a jumper has it whose take-off foot is
	// the right.
	out := r3.Vec{X: -chord.Y / n, Y: chord.X / n}
	return r3.Dot(r3.Sub(b, a), out) - p.bulge(n)
}

func footToPath(p *evaluation) float64 {
	heel, toe := p.space(p.keyID, p.measure.Points[0]), p.space(p.keyID, p.measure.Points[1])
	now, then := p.space(p.keyID, p.measure.Points[2]), p.space(p.stamp(-1), p.measure.Points[2])
	path, foot := r3.Sub(now, then), r3.Sub(toe, heel)
	// At its end the path has turned on by half of what the step turns.
	step := r3.Norm(path)
	r := p.input(plain("radius of the curve, by what is usual"), usualRadius, usualRadiusU)
	heading := math.Atan2(path.Y, path.X) - step/(2*r)
	return wrap((heading - math.Atan2(foot.Y, foot.X)) * 180 / math.Pi)
}

func offBar(p *evaluation) float64 {
	a, b := p.space2()
	d := r3.Sub(b, a)
	return math.Atan2(-d.X, -d.Y) * 180 / math.Pi
}
