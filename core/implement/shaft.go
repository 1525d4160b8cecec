package implement

import (
	"context"
	"math"
	"slices"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/optics"
)

// Shaft is a javelin as it is looked for.
type Shaft struct {
	Ahead, Behind float64 // m from the hand to the tip and to the tail, as usual
	Fastest       float64 // m/s
	Toward        r2.Vec  // the way of the throw on the picture, px
}

// SeenShaft is where a shaft is on a picture, px; U is 0 where it is not seen.
type SeenShaft struct {
	Grip, Tip, Tail r2.Vec
	U               float64 // of an end, across the shaft
	EndU            float64 // of an end, along it
	Flies           bool    // it has left the hand
	Confidence      float64
}

const (
	turnStep = 1.0 // degrees between the directions that are tried
	turnMost = 80  // degrees off the way of the throw
	turning  = 500 // degrees a second, the usual spread from picture to picture
	// start is how far from the hand it is looked for, m: nearer there is hand.
	start = 0.12
	// gone is how long before and after, s, a picture is compared: one that flies along
	// itself has gone on by more than its length.
	gone = 0.14
	// shown is the least that a held shaft must stand out, of 1.
	shown = 0.24
	// gripU is how far from the hand's point the shaft may run, m.
	gripU = 0.09
)

// FindShaft finds a javelin on each picture: a thin line through the throwing hand that
// moves against the background, its directions joined over the film; then, once it has
// left the hand, a line that flies on along itself.
func FindShaft(ctx context.Context, f Film, s Shaft, tell func(done int) error) ([]SeenShaft, error) {
	search := shaftSearch{Film: f, Shaft: s, toward: math.Atan2(s.Toward.Y, s.Toward.X)}
	held := make([]heldShaft, f.Pictures)
	for i := range f.Pictures {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		hand, ok := f.Hand(i)
		if ok {
			m, err := search.stands(ctx, i, hand, search.reach())
			if err != nil {
				return nil, err
			}
			held[i] = search.turns(m, hand)
		}
		if err := tell(i + 1); err != nil {
			return nil, err
		}
	}
	out, profiles := make([]SeenShaft, f.Pictures), make([]profile, f.Pictures)
	for i, k := range search.join(held) {
		if k < 0 {
			continue
		}
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		// Looked at again: what stands out on all pictures would fill the memory.
		hand, _ := f.Hand(i)
		m, err := search.stands(ctx, i, hand, search.reach())
		if err != nil {
			return nil, err
		}
		out[i] = search.exact(m, hand, held[i], k)
		if out[i].U > 0 {
			profiles[i] = search.profile(m, out[i])
		}
	}
	search.keepLikely(out)
	ahead, behind := search.lengths(profiles, out)
	for i := range out {
		if out[i].U > 0 {
			out[i] = out[i].reaching(ahead*f.PxPerM, behind*f.PxPerM)
			out[i].EndU = endU * f.PxPerM
		}
	}
	return out, search.fly(ctx, out, ahead, behind)
}

// endU is how well an end is known along the shaft, m: a line that grows thin against
// the sky ends nobody knows where.
const endU = 0.06

func (s SeenShaft) direction() r2.Vec { return r2.Unit(r2.Sub(s.Tip, s.Tail)) }

// reaching gives a shaft its ends.
func (s SeenShaft) reaching(ahead, behind float64) SeenShaft {
	way := s.direction()
	s.Tip, s.Tail = r2.Add(s.Grip, r2.Scale(ahead, way)), r2.Sub(s.Grip, r2.Scale(behind, way))
	return s
}

type shaftSearch struct {
	Film
	Shaft
	toward float64 // radians
}

// reach is how far from the hand a picture is looked at, px.
func (s shaftSearch) reach() float64 { return unlike*math.Max(s.Ahead, s.Behind)*s.PxPerM + 4 }

// standing is a part of a picture: how far each pixel, or one beside it, stands out as
// a thin thing that was not there before and will not be after, 0 to 1; −1 on the body.
type standing struct {
	x0, y0, w, h int
	at           []float32
	sharp        []float32 // of the pixel itself
}

// look is what is at a point; false outside.
func (s standing) look(of []float32, p r2.Vec) (float64, bool) {
	x, y := int(math.Round(p.X))-s.x0, int(math.Round(p.Y))-s.y0
	if x < 0 || y < 0 || x >= s.w || y >= s.h {
		return 0, false
	}
	v := of[y*s.w+x]
	return float64(v), v >= 0
}

// stands looks at a square of a picture about a point.
func (s shaftSearch) stands(ctx context.Context, i int, about r2.Vec, reach float64) (standing, error) {
	here, err := s.Shades(ctx, i)
	if err != nil {
		return standing{}, err
	}
	side := max(2, int(math.Round(0.02*s.PxPerM)))
	m := standing{x0: max(side, int(about.X-reach)), y0: max(side, int(about.Y-reach))}
	m.w = max(0, min(here.W-side, int(about.X+reach)+1)-m.x0)
	m.h = max(0, min(here.H-side, int(about.Y+reach)+1)-m.y0)
	var others []Shades
	var maps [][9]float64
	var still []bool
	back := s.Moved(i).Inverse()
	for _, k := range s.beside(i, gone) {
		o, err := s.Shades(ctx, k)
		if err != nil {
			return standing{}, err
		}
		n := back.Then(s.Moved(k)).Matrix()
		others, maps, still = append(others, o), append(maps, n), append(still, n == optics.Rest.Matrix())
	}
	if len(others) < 2 {
		m.w, m.h = 0, 0
		return m, nil
	}
	body := s.Body(i)
	m.sharp = make([]float32, m.w*m.h)
	for y := range m.h {
		for x := range m.w {
			px, py := x+m.x0, y+m.y0
			at := py*here.W + px
			thin := thinness(here, at, side)
			if thin <= faintest {
				continue
			}
			differs := 255
			for k, o := range others {
				qx, qy := px, py
				near := 0
				if !still[k] {
					n := &maps[k]
					w := n[6]*float64(px) + n[7]*float64(py) + n[8]
					qx = int(math.Round((n[0]*float64(px) + n[1]*float64(py) + n[2]) / w))
					qy = int(math.Round((n[3]*float64(px) + n[4]*float64(py) + n[5]) / w))
					near = 1
				}
				if qx < near || qy < near || qx >= o.W-near || qy >= o.H-near {
					differs = 0
					break
				}
				q := qy*o.W + qx
				d := int(away(here.At[at], o.At[q]))
				if near > 0 {
					for _, step := range [4]int{1, -1, o.W, -o.W} {
						d = min(d, int(away(here.At[at], o.At[q+step])))
					}
				}
				differs = min(differs, d)
			}
			m.sharp[y*m.w+x] = min(1, max(0, float32(min(thin, differs)-faintest)/clearest))
		}
	}
	m.at = slices.Clone(m.sharp)
	for y := 1; y < m.h-1; y++ {
		for x := 1; x < m.w-1; x++ {
			k := y*m.w + x
			m.at[k] = max(m.sharp[k], m.sharp[k-1], m.sharp[k+1], m.sharp[k-m.w], m.sharp[k+m.w])
		}
	}
	for _, c := range body {
		m.cover(c)
	}
	return m, nil
}

const (
	faintest = 3  // shades, that say nothing
	clearest = 14 // shades more, from which more says no more
)

// thinness is by how many shades a pixel stands out from both of its sides, brighter or
// darker, along the row or the column: a line that slants does so along both.
func thinness(s Shades, at, side int) int {
	most, v := 0, int(s.At[at])
	for _, step := range [2]int{side, side * s.W} {
		a, b := v-int(s.At[at-step]), v-int(s.At[at+step])
		most = max(most, min(a, b), min(-a, -b))
	}
	return most
}

// cover takes out what a part of the body hides.
func (s standing) cover(c Capsule) {
	low := r2.Vec{X: math.Min(c.A.X, c.B.X) - c.R, Y: math.Min(c.A.Y, c.B.Y) - c.R}
	high := r2.Vec{X: math.Max(c.A.X, c.B.X) + c.R, Y: math.Max(c.A.Y, c.B.Y) + c.R}
	for y := max(0, int(low.Y)-s.y0); y < min(s.h, int(high.Y)-s.y0+1); y++ {
		for x := max(0, int(low.X)-s.x0); x < min(s.w, int(high.X)-s.x0+1); x++ {
			if c.holds(r2.Vec{X: float64(x + s.x0), Y: float64(y + s.y0)}) {
				s.at[y*s.w+x], s.sharp[y*s.w+x] = -1, -1
			}
		}
	}
}

// along is how much of a shaft through a point would stand out, of 1: both of its sides
// must, where both are in sight. in is at how many places it is.
func (s shaftSearch) along(m standing, grip, way r2.Vec, ahead, behind float64) (score float64, in int) {
	front, inFront := s.beyond(m, grip, way, start, ahead)
	back, inBack := s.beyond(m, grip, r2.Scale(-1, way), start, behind)
	switch {
	case inFront < fewPlaces && inBack < fewPlaces:
		return 0, 0
	case inFront < fewPlaces:
		return back, inBack
	case inBack < fewPlaces:
		return front, inFront
	}
	return 0.5*math.Min(front, back) + 0.25*(front+back), inFront + inBack
}

// step is how far apart the places of a line are, px.
const step = 2.0

// fewPlaces are too few to tell anything of a side by.
const fewPlaces = 8

// beyond is how much stands out on a way from a point, from and to so many m of it, and
// at how many places that is in sight.
func (s shaftSearch) beyond(m standing, at, way r2.Vec, from, to float64) (mean float64, in int) {
	for t := from * s.PxPerM; t < to*s.PxPerM; t += step {
		if v, ok := m.look(m.at, r2.Add(at, r2.Scale(t, way))); ok {
			mean, in = mean+v, in+1
		}
	}
	return mean / math.Max(1, float64(in)), in
}

func directions() int { return int(2*turnMost/turnStep) + 1 }

// way is a direction of those that are tried.
func (s shaftSearch) way(k int) r2.Vec {
	sin, cos := math.Sincos(s.toward + (float64(k)*turnStep-turnMost)*math.Pi/180)
	return r2.Vec{X: cos, Y: sin}
}

// heldShaft is how well a line through the hand stands out in each direction, and by how many
// px it passes the hand's point.
type heldShaft struct {
	score []float32
	off   []float32
}

// short is the part of the usual shaft that is looked at before its lengths are known.
const short = 0.75

// turns tries all directions of a line through the hand.
func (s shaftSearch) turns(m standing, hand r2.Vec) heldShaft {
	var h heldShaft
	if m.w == 0 {
		return h
	}
	h.score, h.off = make([]float32, directions()), make([]float32, directions())
	enough := int(0.4 * (short*(s.Ahead+s.Behind) - 2*start) * s.PxPerM / step)
	for k := range h.score {
		way := s.way(k)
		across := r2.Vec{X: -way.Y, Y: way.X}
		for off := -gripU * s.PxPerM; off <= gripU*s.PxPerM; off += 3 {
			score, in := s.along(m, r2.Add(hand, r2.Scale(off, across)), way, short*s.Ahead, short*s.Behind)
			if in >= enough && float32(score) > h.score[k] {
				h.score[k], h.off[k] = float32(score), float32(off)
			}
		}
	}
	return h
}

// join finds the directions that all pictures together show best: a shaft turns from
// picture to picture by only so much (Viterbi); −1 where too little stands out.
func (s shaftSearch) join(held []heldShaft) []int {
	out := slices.Repeat([]int{-1}, len(held))
	n := directions()
	cost, from := make([]float64, n), make([][]int16, len(held))
	last := -1
	for i, h := range held {
		if h.score == nil {
			continue
		}
		next := make([]float64, n)
		from[i] = make([]int16, n)
		spread := 1.0
		if last >= 0 {
			spread = math.Max(1, turning*math.Abs(s.Time(i)-s.Time(last))/turnStep)
		}
		reach := int(3 * spread)
		for k := range n {
			best, at := math.Inf(1), k
			if last < 0 {
				best = 0
			} else {
				for j := max(0, k-reach); j <= min(n-1, k+reach); j++ {
					d := float64(j-k) / spread
					if c := cost[j] + 0.05*d*d; c < best {
						best, at = c, j
					}
				}
			}
			next[k], from[i][k] = best-float64(h.score[k]), int16(at)
		}
		cost, last = next, i
	}
	if last < 0 {
		return out
	}
	k := slices.Index(cost, slices.Min(cost))
	for i := last; i >= 0; i-- {
		if held[i].score == nil {
			continue
		}
		if float64(held[i].score[k]) >= shown {
			out[i] = k
		}
		k = int(from[i][k])
	}
	return out
}

// keepLikely drops what is seen here and there: of the stretches without a long gap the
// surest stays, and of those before it the ones that are about as sure.
func (s shaftSearch) keepLikely(seen []SeenShaft) {
	const gap = 0.05 // s
	type stretch struct {
		from, to int
		sum, n   float64
	}
	var all []stretch
	last := -1
	for i, q := range seen {
		if q.U == 0 {
			continue
		}
		if last < 0 || s.Time(i)-s.Time(last) > gap {
			all = append(all, stretch{from: i})
		}
		now := &all[len(all)-1]
		now.to, now.sum, now.n = i+1, now.sum+q.Confidence, now.n+1
		last = i
	}
	best := 0
	for k := range all {
		if all[k].sum > all[best].sum {
			best = k
		}
	}
	for k, a := range all {
		if k > best || k < best && a.sum/a.n < 0.7*all[best].sum/all[best].n {
			clear(seen[a.from:a.to])
		}
	}
}

// exact is a line of a direction laid through what stands out beside it, by least
// squares; not seen where that is too little.
func (s shaftSearch) exact(m standing, hand r2.Vec, h heldShaft, k int) SeenShaft {
	way := s.way(k)
	across := r2.Vec{X: -way.Y, Y: way.X}
	grip := r2.Add(hand, r2.Scale(float64(h.off[k]), across))
	return s.fitted(m, grip, way, s.Ahead, s.Behind, float64(h.score[k]))
}

// fitted lays a line through what stands out within a few px of one.
func (s shaftSearch) fitted(m standing, grip, way r2.Vec, ahead, behind, score float64) SeenShaft {
	var sigma float64
	for range 3 {
		across := r2.Vec{X: -way.Y, Y: way.X}
		var w, st, so, stt, sto, soo float64
		for t := -behind * s.PxPerM; t <= ahead*s.PxPerM; t++ {
			if math.Abs(t) < start*s.PxPerM {
				continue
			}
			for o := -3.0; o <= 3; o++ {
				v, ok := m.look(m.sharp, r2.Add(grip, r2.Add(r2.Scale(t, way), r2.Scale(o, across))))
				if !ok || v <= 0 {
					continue
				}
				w, st, so, stt, sto, soo = w+v, st+v*t, so+v*o, stt+v*t*t, sto+v*t*o, soo+v*o*o
			}
		}
		spread := stt*w - st*st
		if w < 8 || spread <= 0 {
			return SeenShaft{}
		}
		slope := (sto*w - st*so) / spread
		at := (so - slope*st) / w
		grip = r2.Add(grip, r2.Scale(at, across))
		way = r2.Unit(r2.Add(way, r2.Scale(slope, across)))
		residual := math.Max(0.5, (soo-2*at*so-2*slope*sto+at*at*w+2*at*slope*st+slope*slope*stt)/w)
		// Neighbouring px along the line err alike: one in four counts.
		far := math.Max(ahead, behind) * s.PxPerM
		sigma = math.Sqrt(4 * residual * (1/w + far*far*w/spread))
	}
	return SeenShaft{Grip: grip, Tip: r2.Add(grip, way), Tail: r2.Sub(grip, way), U: math.Max(0.7, sigma), Confidence: math.Min(1, score/0.6)}
}

// profile is how much of a shaft stands out, place by place from the hand on: toward its
// tip and toward its tail; −1 out of sight.
type profile struct{ ahead, behind []float32 }

// apartAlong is how far the places of a profile are from each other, m.
const apartAlong = 0.02

func (s shaftSearch) profile(m standing, q SeenShaft) profile {
	side := func(sign, usual float64) (out []float32) {
		for t := start; t < unlike*usual; t += apartAlong {
			v, ok := m.look(m.at, r2.Add(q.Grip, r2.Scale(sign*t*s.PxPerM, q.direction())))
			if !ok {
				v = -1
			}
			out = append(out, float32(v))
		}
		return out
	}
	return profile{side(1, s.Ahead), side(-1, s.Behind)}
}

// lengths are how far the shaft reaches ahead of the hand and behind it, m: as far as
// the pictures together show it stand out, where that is about as usual. An end that
// grows thin before the sky is taken for where it usually is.
func (s shaftSearch) lengths(profiles []profile, seen []SeenShaft) (ahead, behind float64) {
	reach := func(usual float64, of func(profile) []float32) float64 {
		var sum, n []float64
		for i, q := range seen {
			if q.U == 0 {
				continue
			}
			for k, v := range of(profiles[i]) {
				if k == len(sum) {
					sum, n = append(sum, 0), append(n, 0)
				}
				if v >= 0 {
					sum[k], n[k] = sum[k]+float64(v), n[k]+1
				}
			}
		}
		for k := range sum {
			sum[k] /= math.Max(1, n[k])
		}
		// The end parts what stands out from what does not best.
		best, end, more := math.Inf(-1), 0.0, 0.0
		level := mean(sum[:len(sum)/2]) / 2
		for k, v := range sum {
			if more += v - level; more > best {
				best, end = more, start+apartAlong*float64(k)
			}
		}
		if end < (2-unlike)*usual || end > (unlike-0.02)*usual {
			return usual
		}
		return end
	}
	return reach(s.Ahead, func(p profile) []float32 { return p.ahead }), reach(s.Behind, func(p profile) []float32 { return p.behind })
}

// unlike is by how much a shaft may be longer or shorter than usual.
const unlike = 1.15

func mean(v []float64) (mean float64) {
	for _, x := range v {
		mean += x / float64(len(v))
	}
	return mean
}
