// Package implement finds a round implement — the ball of a hammer or weight, a shot,
// a disc in flight — on the pictures of a film by itself: what moves against its
// background, has its size and goes its way. It knows pictures as shades alone.
package implement

import (
	"cmp"
	"context"
	"math"
	"slices"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/optics"
)

// Shades is a picture row by row, one byte a pixel.
type Shades struct {
	W, H int
	At   []uint8
}

// Capsule is a part of a body on a picture: what lies within R px of the line from A
// to B.
type Capsule struct {
	A, B r2.Vec
	R    float64
}

func (c Capsule) holds(p r2.Vec) bool {
	way := r2.Sub(c.B, c.A)
	t := 0.0
	if n := r2.Norm2(way); n > 0 {
		t = math.Max(0, math.Min(1, r2.Dot(r2.Sub(p, c.A), way)/n))
	}
	return r2.Norm2(r2.Sub(p, r2.Add(c.A, r2.Scale(t, way)))) <= c.R*c.R
}

// Film is what is looked at. Lengths are px of its pictures.
type Film struct {
	Pictures int
	Shades   func(ctx context.Context, i int) (Shades, error)
	Time     func(i int) float64         // s
	Moved    func(i int) optics.Movement // of the still world, from the first picture
	Body     func(i int) []Capsule       // the athlete; empty: not found there
	Hand     func(i int) (at r2.Vec, ok bool)
	PxPerM   float64 // about where the athlete is
}

// Ball is what is looked for.
type Ball struct {
	Radius  float64 // m
	Reach   float64 // m, the farthest from the hand while it is held
	Pull    float64 // m/s², the hardest that it is accelerated
	Fastest float64 // m/s
}

// Seen is where it is on a picture, px; U is 0 where it is not seen.
type Seen struct {
	At         r2.Vec
	U          float64
	Confidence float64
}

const (
	// apart is how long before and after, s, a picture is compared: the implement has
	// gone on by more than its size.
	apart = 0.06
	// least is by how many shades the implement must stand out.
	least = 9.0
	// most is how many spots of a picture are gone after.
	most = 10
	// gap is over how many pictures without a spot a way is joined.
	gap = 6
	// unseen is what a picture without a spot costs a way.
	unseen = 1.2
	// worthwhile is the fewest pictures of a way.
	worthwhile = 5
)

// FindBall finds a ball on each picture. tell hears of each picture that is done.
func FindBall(ctx context.Context, f Film, b Ball, tell func(done int) error) ([]Seen, error) {
	spots := make([][]spot, f.Pictures)
	for i := range f.Pictures {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		var err error
		if spots[i], err = f.spots(ctx, b, i); err != nil {
			return nil, err
		}
		if err := tell(i + 1); err != nil {
			return nil, err
		}
	}
	return f.way(b, spots), nil
}

// spot is something that may be the ball.
type spot struct {
	at    r2.Vec
	cost  float64 // the less, the more it looks like the ball
	sharp float64 // how far it stands out, shades
}

// beside are the pictures that one is compared with: before and after it, so far off in
// time, s; near an end both on one side.
func (f Film) beside(i int, apart float64) (out []int) {
	find := func(by float64) int {
		step := 1
		if by < 0 {
			step = -1
		}
		for k := i; k >= 0 && k < f.Pictures; k += step {
			if math.Abs(f.Time(k)-f.Time(i)) >= math.Abs(by) {
				return k
			}
		}
		return -1
	}
	for _, by := range []float64{-apart, apart, -2 * apart, 2 * apart} {
		if k := find(by); k >= 0 && len(out) < 3 {
			out = append(out, k)
		}
	}
	return out
}

// spots are the places of a picture where something round of the ball's size stands
// out from how the same place of the world looks before and after.
func (f Film) spots(ctx context.Context, b Ball, i int) ([]spot, error) {
	here, err := f.Shades(ctx, i)
	if err != nil {
		return nil, err
	}
	var others []Shades
	var maps []optics.Movement
	back := f.Moved(i).Inverse()
	for _, k := range f.beside(i, apart) {
		s, err := f.Shades(ctx, k)
		if err != nil {
			return nil, err
		}
		others, maps = append(others, s), append(maps, back.Then(f.Moved(k)))
	}
	if len(others) < 2 {
		return nil, nil
	}
	diff := moving(here, others, maps)
	r := math.Max(2, b.Radius*f.PxPerM)
	body := f.Body(i)
	hand, held := f.Hand(i)
	var found []spot
	for _, s := range discs(here.W, here.H, diff, r) {
		if slices.ContainsFunc(body, func(c Capsule) bool { return c.holds(s.at) }) {
			s.cost += 2.5
		}
		if held {
			if over := r2.Norm(r2.Sub(s.at, hand))/f.PxPerM - b.Reach; over > 0 {
				s.cost += math.Min(1.5, 3*over)
			}
		}
		found = append(found, s)
	}
	slices.SortFunc(found, func(a, b spot) int { return cmp.Compare(a.cost, b.cost) })
	return found[:min(most, len(found))], nil
}

// moving is by how much each pixel differs from all other pictures, at the place where
// they show the same spot of the world: from the likest of them.
func moving(here Shades, others []Shades, maps []optics.Movement) []uint8 {
	diff := make([]uint8, len(here.At))
	for k := range diff {
		diff[k] = 255
	}
	for o, other := range others {
		m := maps[o].Matrix()
		still := m == optics.Rest.Matrix()
		for y := range here.H {
			row := diff[y*here.W : (y+1)*here.W]
			now := here.At[y*here.W : (y+1)*here.W]
			if still {
				was := other.At[y*other.W : (y+1)*other.W]
				for x := range row {
					row[x] = min(row[x], away(now[x], was[x]))
				}
				continue
			}
			for x := range row {
				fx, fy := float64(x), float64(y)
				w := m[6]*fx + m[7]*fy + m[8]
				px, py := int(math.Round((m[0]*fx+m[1]*fy+m[2])/w)), int(math.Round((m[3]*fx+m[4]*fy+m[5])/w))
				if px < 1 || py < 1 || px >= other.W-1 || py >= other.H-1 {
					row[x] = 0 // nothing is known of it
					continue
				}
				// The nearest of the neighbours: what is registered is so to a pixel.
				d := uint8(255)
				for _, at := range [5]int{0, 1, -1, other.W, -other.W} {
					d = min(d, away(now[x], other.At[py*other.W+px+at]))
				}
				row[x] = min(row[x], d)
			}
		}
	}
	return diff
}

func away(a, b uint8) uint8 {
	if a > b {
		return a - b
	}
	return b - a
}

// discs are the places where the mean within a radius stands out most from that of a
// ring about it, no two within two radii.
func discs(w, h int, diff []uint8, r float64) []spot {
	sums := make([]int32, (w+1)*h) // along each row, up to a pixel
	for y := range h {
		var sum int32
		for x := range w {
			sum += int32(diff[y*w+x])
			sums[y*(w+1)+x+1] = sum
		}
	}
	inner, gapEnd, outer := chords(r), chords(1.6*r), chords(2.4*r)
	reach := len(outer) / 2
	mean := func(x, y int, chord []int) (sum, n float64) {
		half := len(chord) / 2
		for k, c := range chord {
			row := (y + k - half) * (w + 1)
			sum += float64(sums[row+x+c+1] - sums[row+x-c])
			n += float64(2*c + 1)
		}
		return sum, n
	}
	var all []spot
	for y := reach; y < h-reach; y++ {
		for x := reach; x < w-reach; x++ {
			if diff[y*w+x] < least {
				continue
			}
			in, n := mean(x, y, inner)
			in /= n
			if in < least {
				continue
			}
			a, na := mean(x, y, gapEnd)
			b, nb := mean(x, y, outer)
			ring := (b - a) / (nb - na)
			if stands := in - ring; stands >= least {
				all = append(all, spot{at: r2.Vec{X: float64(x), Y: float64(y)}, sharp: stands, cost: 2 - 2*math.Min(1, (stands-least)/60) + 1.5*math.Min(1, ring/in)})
			}
		}
	}
	slices.SortFunc(all, func(a, b spot) int { return cmp.Compare(b.sharp, a.sharp) })
	var kept []spot
	for _, s := range all {
		if len(kept) >= 3*most {
			break
		}
		if !slices.ContainsFunc(kept, func(k spot) bool { return r2.Norm2(r2.Sub(k.at, s.at)) < 4*r*r }) {
			kept = append(kept, centred(w, h, diff, s, r))
		}
	}
	return kept
}

// chords are the half widths of a disc's rows.
func chords(r float64) []int {
	half := int(math.Floor(r))
	out := make([]int, 2*half+1)
	for k := range out {
		d := float64(k - half)
		out[k] = int(math.Sqrt(math.Max(0, r*r-d*d)))
	}
	return out
}

// centred moves a spot to the middle of what stands out about it.
func centred(w, h int, diff []uint8, s spot, r float64) spot {
	for range 3 {
		reach := int(math.Ceil(1.4 * r))
		cx, cy := int(math.Round(s.at.X)), int(math.Round(s.at.Y))
		var sum, x, y float64
		for j := max(0, cy-reach); j <= min(h-1, cy+reach); j++ {
			for i := max(0, cx-reach); i <= min(w-1, cx+reach); i++ {
				if math.Hypot(float64(i)-s.at.X, float64(j)-s.at.Y) > 1.4*r {
					continue
				}
				v := math.Max(0, float64(diff[j*w+i])-least)
				sum, x, y = sum+v, x+v*float64(i), y+v*float64(j)
			}
		}
		if sum > 0 {
			s.at = r2.Vec{X: x / sum, Y: y / sum}
		}
	}
	return s
}
