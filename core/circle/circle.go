// Package circle finds a throwing circle on a still picture by itself: its rim, and the
// lines painted about it, which tell where the throw goes. It knows a picture as shades
// alone.
package circle

import (
	"cmp"
	"errors"
	"image"
	"math"
	"slices"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/spatial/r2"
)

// Guess is what is known before one looks.
type Guess struct {
	Across  float64  // m, the circle's inner width
	Heading float64  // degrees: 0 behind the throw, growing as the camera looks more to its left
	Feet    []r2.Vec // px, some places where the athlete's feet were
	PxPerM  float64  // about, where the athlete stands
}

// Found is a circle on a picture.
type Found struct {
	camera camera
	cov    *mat.SymDense
	Rim    float64 // share of the rim in the picture that is seen
}

// What is not found says why.
var (
	ErrNone = errors.New("no throwing circle is seen about the athlete's feet: mark its points by hand")
	ErrTurn = errors.New("the circle is seen, but not two of the lines beside it, which tell where the throw goes: mark its points by hand")
)

const (
	faint     = 5.0  // shades by which a line stands out from both of its sides
	clear     = 25.0 // shades from which more says no more
	leastRim  = 0.65
	leastLine = 0.5
	lineWide  = 0.05 // m: World Athletics Technical Rules, from memory
	halfLine  = 0.75 // m that the line beside the circle is long, same
	sector    = 34.92 / 2 * math.Pi / 180
)

// Find looks for the circle on a picture from which the athlete is taken out, or stands
// small.
func Find(g *image.Gray, guess Guess) (Found, error) {
	if guess.Across <= 0 || guess.PxPerM <= 0 || len(guess.Feet) == 0 {
		return Found{}, ErrNone
	}
	s := shadesOf(g)
	best, most := Found{}, 0.0
	err := ErrNone
	half := max(1, int(guess.Across/2*guess.PxPerM/140))
	ridges, scale := s.smaller(half).ridges(), 1/float64(half)
	middle := r2.Vec{X: float64(s.w) / 2, Y: float64(s.h) / 2}
	for _, e := range s.ellipses(guess, ridges, scale) {
		for _, c := range e.starts(ridges, scale, middle, guess) {
			f, score, why := s.settle(c, guess)
			if errors.Is(why, ErrTurn) {
				err = ErrTurn
			}
			if why == nil && score > most {
				best, most = f, score
			}
		}
	}
	if most == 0 {
		return Found{}, err
	}
	return best, nil
}

// At is where a point of the ground is on the picture, and its standard uncertainty, px.
// x runs from the circle's middle toward the throw, y to the left.
func (f Found) At(ground r2.Vec) (px r2.Vec, u float64) {
	px, _ = f.camera.px(ground)
	slope := f.camera.slope(ground)
	var square float64
	for i := range numbers {
		for j := range numbers {
			square += f.cov.At(i, j) * r2.Dot(slope[i], slope[j])
		}
	}
	return px, math.Sqrt(math.Max(0, square) / 2)
}

// mark is a point of something painted: where it lies, which way it runs, how wide it
// is, and which line it belongs to; the rim is line 0.
type mark struct {
	at, along r2.Vec
	wide      float64
	line      int
}

const lines = 5

// markings are points of what is painted on a circle's ground.
func markings(across, paint float64) (out []mark) {
	r := across / 2
	const places = 96
	for i := range places {
		sin, cos := math.Sincos(2 * math.Pi * float64(i) / places)
		out = append(out, mark{r2.Vec{X: (r + paint) * cos, Y: (r + paint) * sin}, r2.Vec{X: -sin, Y: cos}, 2 * paint, 0})
	}
	for k, side := range []float64{1, -1} {
		for d := 0.15; d < halfLine; d += 0.03 {
			out = append(out, mark{r2.Vec{Y: side * (r + d)}, r2.Vec{Y: side}, lineWide, 1 + k})
		}
		sin, cos := math.Sincos(side * sector)
		for d := 1.3 * r; d < 25; d *= 1.06 {
			out = append(out, mark{r2.Vec{X: d * cos, Y: d * sin}, r2.Vec{X: cos, Y: sin}, lineWide, 3 + k})
		}
	}
	return out
}

// ellipse is a circle as a distant camera sees it: half as wide as wide, flat, and
// turned by a camera's roll, radians.
type ellipse struct {
	at               r2.Vec
	wide, flat, roll float64
	score            float64
}

// ellipses are the likeliest rims about the feet, best first: tried on a coarse grid.
// The best of them are moved on finer ridges.
func (s shades) ellipses(guess Guess, fine shades, fineScale float64) []ellipse {
	r := guess.Across / 2 * guess.PxPerM
	by := max(1, int(r/70))
	ridges, scale := s.smaller(by).ridges(), 1/float64(by)
	feet := slices.Clone(guess.Feet)
	middle := r2.Vec{X: median(feet, func(p r2.Vec) float64 { return p.X }), Y: median(feet, func(p r2.Vec) float64 { return p.Y })}
	var all []ellipse
	for _, roll := range []float64{-0.02, 0, 0.02} {
		for wide := 0.75; wide <= 1.3; wide += 0.03 {
			for flat := 0.04; flat <= 0.5; flat *= 1.13 {
				down := math.Min(0.3, 1/(r*scale*flat))
				for dx := -1.0; dx <= 1; dx += 0.03 {
					for dy := -1.2; dy <= 1.2; dy += down {
						e := ellipse{r2.Vec{X: middle.X + dx*r, Y: middle.Y + dy*flat*r}, wide * r, flat, roll, 0}
						if e.score = ridges.share(e, scale); e.score > 0.3 {
							all = append(all, e)
						}
					}
				}
			}
		}
	}
	slices.SortFunc(all, func(a, b ellipse) int { return cmp.Compare(b.score, a.score) })
	var out []ellipse
	for _, e := range all {
		if len(out) == 12 {
			break
		}
		if !slices.ContainsFunc(out, func(o ellipse) bool {
			return math.Abs(o.wide-e.wide) < 0.08*r && math.Abs(o.flat-e.flat) < 0.2*e.flat && r2.Norm(r2.Sub(o.at, e.at)) < 0.12*r
		}) {
			out = append(out, e)
		}
	}
	for i := range out {
		out[i] = fine.climb(out[i], fineScale)
	}
	slices.SortFunc(out, func(a, b ellipse) int { return cmp.Compare(b.score, a.score) })
	return out[:min(4, len(out))]
}

// climb moves an ellipse, a little at a time and less each time, as long as more of it
// runs along ridges.
func (s shades) climb(e ellipse, scale float64) ellipse {
	e.score = s.share(e, scale)
	for step := 1.0; step > 0.1; step /= 2 {
		for again := true; again; {
			again = false
			for k := range 10 {
				by := step * float64(k%2*2-1)
				t := e
				switch k / 2 {
				case 0:
					t.at.X += 0.02 * by * e.wide
				case 1:
					t.at.Y += 0.1 * by * e.wide * e.flat
				case 2:
					t.wide *= 1 + 0.02*by
				case 3:
					t.flat *= 1 + 0.08*by
				case 4:
					t.roll += 0.01 * by
				}
				if math.Abs(t.roll) > 0.05 || t.flat > 0.6 {
					continue
				}
				if t.score = s.share(t, scale); t.score > e.score {
					e, again = t, true
				}
			}
		}
	}
	return e
}

// round is where an ellipse is tried; the first quarter lies all round it, too.
var round = func() (out [64][2]float64) {
	for i := range out {
		at := 4*(i%16) + i/16
		out[i][1], out[i][0] = math.Sincos(2 * math.Pi * (float64(at) + 0.5) / float64(len(out)))
	}
	return out
}()

// share is how much of an ellipse runs along ridges, 0 to 1; scale is how many pixels
// of these one of the whole picture is.
func (s shades) share(e ellipse, scale float64) float64 {
	sum, in := 0.0, 0
	middle, a := taken(e.at, scale), e.wide*scale
	for i, at := range round {
		if i == 16 && sum < 0.2*16 {
			return 0
		}
		dx := a * at[0]
		p := r2.Vec{X: middle.X + dx, Y: middle.Y + a*e.flat*at[1] + dx*e.roll}
		if s.holds(p, 0) {
			in++
			sum += s.near(p)
		}
	}
	if 3*in < 2*len(round) {
		return 0
	}
	return sum / float64(in)
}

// starts are cameras that see an ellipse so, best first: as high over the ground and
// turned as the lines beside the circle lie best along ridges, of which one pixel is
// scale of the whole picture's.
func (e ellipse) starts(ridges shades, scale float64, middle r2.Vec, guess Guess) (out []camera) {
	tilt := math.Asin(math.Min(0.9, e.flat))
	beside := slices.DeleteFunc(markings(guess.Across, usual[painted]), func(m mark) bool { return m.line == 0 })
	type try struct {
		camera
		score float64
	}
	var all []try
	for tall := 0.7; tall < 3; tall *= 1.15 {
		c := camera{middle: middle}
		c.n[height], c.n[distance], c.n[roll], c.n[painted] = tall, tall/math.Tan(tilt), e.roll, usual[painted]
		c.n[focal] = math.Log(e.wide / (guess.Across / 2) * math.Hypot(tall, c.n[distance]))
		best := try{score: -1}
		for off := -20.0; off <= 20; off++ {
			c.n[heading] = (guess.Heading + off) * math.Pi / 180
			c = c.aimed(e.at, guess.Across/2)
			var sum, in [lines]float64
			for _, m := range beside {
				if p, ok := c.px(m.at); ok && ridges.holds(taken(p, scale), 0) {
					in[m.line]++
					sum[m.line] += ridges.near(taken(p, scale))
				}
			}
			score := 0.0
			for k := range lines {
				score += sum[k] / math.Max(in[k], 8)
			}
			if score > best.score {
				best = try{c, score}
			}
		}
		all = append(all, best)
	}
	slices.SortFunc(all, func(a, b try) int { return cmp.Compare(b.score, a.score) })
	for _, t := range all[:3] {
		out = append(out, t.camera)
	}
	return out
}

// see is where a mark is on the picture, the normal of its line there, and half of its
// width across, px.
func (c camera) see(m mark) (p, normal r2.Vec, half float64, ok bool) {
	p, ok = c.px(m.at)
	const step = 0.01
	q, also := c.px(r2.Add(m.at, r2.Scale(step, m.along)))
	way := r2.Sub(q, p)
	if !ok || !also || r2.Norm2(way) < 1e-12 {
		return p, normal, 0, false
	}
	way = r2.Unit(way)
	normal = r2.Vec{X: -way.Y, Y: way.X}
	across, _ := c.px(r2.Add(m.at, r2.Vec{X: -m.along.Y * step, Y: m.along.X * step}))
	half = math.Abs(r2.Dot(r2.Sub(across, p), normal)) / step * m.wide / 2
	return p, normal, half, true
}

// What is usual, and how far it may be off: a phone in the hand or on a stand, square
// to the view, held level, and a rim painted or of bare iron (common practice).
var (
	usual = [numbers]float64{height: 1.4, roll: 0, painted: 0.03}
	off   = [numbers]float64{height: 0.5, heading: 0.2, roll: 0.03, painted: 0.015}
)

// settle moves the camera until what is painted lies on what is seen: the rim's and
// the lines' nearest ridges across them, farther away at first, by damped least
// squares. The height is held until they lie nearly there. It tells how well all of it
// is seen.
func (s shades) settle(c camera, guess Guess) (Found, float64, error) {
	var normal *mat.SymDense
	var chi, of float64
	begun := c.n[height]
	for round := range 24 {
		reach, held := math.Max(2.5, 9-float64(round)/2), round < 10
		normal = mat.NewSymDense(numbers, nil)
		right := mat.NewVecDense(numbers, nil)
		chi, of = 0, 0
		for _, m := range markings(guess.Across, c.n[painted]) {
			p, n, half, ok := c.see(m)
			if !ok || !s.holds(p, reach+half+4) {
				continue
			}
			miss, contrast := s.nearest(p, n, half, reach)
			if contrast < faint {
				continue
			}
			const blur = 0.7 // px that one place of a line is told to
			w := 1 / (blur * blur) / (1 + miss*miss/4)
			slope := c.slope(m.at)
			if m.line == 0 {
				const by = 1e-4
				q, _ := c.px(r2.Add(m.at, r2.Scale(by/r2.Norm(m.at), m.at)))
				slope[painted] = r2.Scale(1/by, r2.Sub(q, p))
			}
			var row [numbers]float64
			for k := range numbers {
				row[k] = r2.Dot(slope[k], n)
			}
			for i := range numbers {
				right.SetVec(i, right.AtVec(i)+w*row[i]*miss)
				for j := i; j < numbers; j++ {
					normal.SetSym(i, j, normal.At(i, j)+w*row[i]*row[j])
				}
			}
			chi += w * miss * miss
			of++
		}
		for k, u := range off {
			want := usual[k]
			switch {
			case k == height && held:
				want, u = begun, 0.05
			case k == heading:
				want = guess.Heading * math.Pi / 180
			}
			if u > 0 {
				normal.SetSym(k, k, normal.At(k, k)+1/(u*u))
				right.SetVec(k, right.AtVec(k)+(want-c.n[k])/(u*u))
			}
		}
		for k := range numbers { // where nothing is told it stays
			normal.SetSym(k, k, normal.At(k, k)*(1+1e-6)+1e-9)
		}
		var chol mat.Cholesky
		if of < 20 || !chol.Factorize(normal) {
			return Found{}, 0, ErrNone
		}
		var step mat.VecDense
		if chol.SolveVecTo(&step, right) != nil {
			return Found{}, 0, ErrNone
		}
		short := 1.0 // of a step that goes farther than lines can be followed
		for k, most := range [numbers]float64{height: 0.2, distance: 0.15 * c.n[distance], focal: 0.15, heading: 0.06, yaw: 0.02, pitch: 0.02, roll: 0.02, painted: 0.02} {
			if by := math.Abs(step.AtVec(k)); by > most {
				short = math.Min(short, most/by)
			}
		}
		for k := range numbers {
			c.n[k] += short * step.AtVec(k)
		}
		if c.n[distance] < 2 || c.n[distance] > 200 || c.n[height] < 0.2 || c.n[height] > 12 {
			return Found{}, 0, ErrNone
		}
		c.n[painted] = math.Max(0.003, math.Min(0.06, c.n[painted]))
	}
	seen := s.seen(c, guess.Across)
	f := Found{camera: c, Rim: seen[0]}
	if seen[0] < leastRim {
		return f, 0, ErrNone
	}
	told, score := 0, 3*seen[0]
	for _, share := range seen[1:] {
		if share >= leastLine {
			told++
			score += share
		}
	}
	if told < 2 {
		return f, 0, ErrTurn
	}
	// Neighbouring places of one line err alike: each fourth counts.
	var chol mat.Cholesky
	var inverse mat.SymDense
	chol.Factorize(normal)
	if chol.InverseTo(&inverse) != nil {
		return f, 0, ErrNone
	}
	f.cov = mat.NewSymDense(numbers, nil)
	f.cov.ScaleSym(4*math.Max(1, chi/of), &inverse)
	return f, score, nil
}

// seen is the share of the rim and of each line that stands out where it should.
func (s shades) seen(c camera, across float64) (out [lines]float64) {
	var in [lines]float64
	for _, m := range markings(across, c.n[painted]) {
		p, n, half, ok := c.see(m)
		if !ok || !s.holds(p, half+6) {
			continue
		}
		in[m.line]++
		if miss, contrast := s.nearest(p, n, half, 2); contrast >= faint && math.Abs(miss) < 1.6 {
			out[m.line]++
		}
	}
	for k := range lines {
		if in[k] < 6 {
			out[k] = 0
		} else {
			out[k] /= in[k]
		}
	}
	return out
}

// nearest is how far along the normal the clearest ridge within reach lies, and by how
// many shades it stands out.
func (s shades) nearest(p, normal r2.Vec, half, reach float64) (miss, contrast float64) {
	const step = 0.5
	at := func(d float64) float64 { return s.ridge(r2.Add(p, r2.Scale(d, normal)), normal, half+1.5) }
	for d := -reach; d <= reach; d += step {
		if r := at(d) / (1 + math.Abs(d)/(2*reach)); r > contrast {
			miss, contrast = d, r
		}
	}
	if contrast > 0 { // between the steps, by the parabola through three
		a, b, c := at(miss-step), at(miss), at(miss+step)
		if bend := a - 2*b + c; bend < 0 {
			miss += math.Max(-step, math.Min(step, step*(a-c)/(2*bend)))
		}
	}
	return miss, contrast
}

func median(of []r2.Vec, by func(r2.Vec) float64) float64 {
	v := make([]float64, len(of))
	for i, p := range of {
		v[i] = by(p)
	}
	slices.Sort(v)
	return v[len(v)/2]
}
