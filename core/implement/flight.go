package implement

import (
	"context"
	"math"

	"gonum.org/v1/gonum/spatial/r2"
)

const (
	// loose is how far along itself a shaft must have slipped out of the hand, m, before
	// it is said to fly.
	loose = 0.1
	// unsure is what a line that stands out without ends is worth: it may lie anywhere
	// along itself.
	unsure = 0.9
	// slowest a thrown javelin flies, m/s.
	slowest = 5.0
)

// fly follows the shaft once it has left the hand: on each picture it lies about where
// its speed takes it, turned by little. Where it has left is the first picture from
// which it slips along itself farther and farther.
func (s shaftSearch) fly(ctx context.Context, seen []SeenShaft, ahead, behind float64) error {
	last := -1
	for i := range seen {
		if seen[i].U > 0 {
			last = i
		}
	}
	if last < 0 {
		return nil
	}
	// From each of the last held pictures: does it fly from there on?
	var best []SeenShaft
	from, most := 0, 0.0
	for i := last; i >= 0 && s.Time(last)-s.Time(i) < 0.1; i-- {
		if seen[i].U == 0 {
			continue
		}
		way, stands, err := s.flight(ctx, seen[i], i, ahead, behind)
		if err != nil {
			return err
		}
		begins := len(way) // the first picture of it on which the hand is behind
		for k := len(way) - 1; k >= 0 && s.slip(i+1+k, way[k]) > loose*s.PxPerM; k-- {
			begins = k
		}
		score := 0.0
		for _, v := range stands[begins:] {
			score += v - unsure
		}
		if len(way)-begins >= 2 && score > most {
			best, from, most = way[begins:], i+1+begins, score
		}
	}
	if best == nil {
		return nil
	}
	copy(seen[from:], best)
	clear(seen[from+len(best):])
	return nil
}

// slip is how far along itself a shaft is out of the hand, px.
func (s shaftSearch) slip(i int, q SeenShaft) float64 {
	hand, ok := s.Hand(i)
	if !ok {
		return math.Inf(1)
	}
	return r2.Dot(r2.Sub(q.Grip, hand), q.direction())
}

// flight follows a shaft from a picture on as if it were let go there. It tells for each
// picture how well it and its ends stand out.
func (s shaftSearch) flight(ctx context.Context, was SeenShaft, i int, ahead, behind float64) (way []SeenShaft, stands []float64, err error) {
	speed := 0.0 // px/s along itself; not known yet
	for k := i + 1; k < s.Pictures && len(way) < 40; k++ {
		dt := s.Time(k) - s.Time(k-1)
		low, high := slowest*s.PxPerM*dt, s.Fastest*s.PxPerM*dt
		if speed > 0 {
			low, high = 0.85*speed*dt-2, 1.15*speed*dt+2
		}
		direction := was.direction()
		about := r2.Add(was.Grip, r2.Scale((low+high)/2, direction))
		m, err := s.stands(ctx, k, about, math.Max(ahead, behind)*s.PxPerM+(high-low)/2+6)
		if err != nil {
			return nil, nil, err
		}
		next, clear := s.slipped(m, was, low, high, ahead, behind)
		if clear == 0 {
			break
		}
		moved := r2.Dot(r2.Sub(next.Grip, was.Grip), direction) / dt
		if speed > 0 {
			moved = 0.6*speed + 0.4*moved
		}
		speed = moved
		way, stands, was = append(way, next), append(stands, clear), next
	}
	return way, stands, nil
}

// slipped finds a shaft that went along itself by low to high px, turned by a degree or
// two at most and a little aside. It tells how well it and its ends stand out; 0: it is
// not seen.
func (s shaftSearch) slipped(m standing, was SeenShaft, low, high, ahead, behind float64) (SeenShaft, float64) {
	best, most, middle, shows := was, 0.0, was.Grip, 0.0
	at := math.Atan2(was.direction().Y, was.direction().X)
	for turn := -2.0; turn <= 2; turn += 0.5 {
		sin, cos := math.Sincos(at + turn*math.Pi/180)
		way := r2.Vec{X: cos, Y: sin}
		across := r2.Vec{X: -sin, Y: cos}
		for aside := -6.0; aside <= 6; aside += 2 {
			for by := low; by <= high; by += 3 {
				grip := r2.Add(was.Grip, r2.Add(r2.Scale(by, way), r2.Scale(aside, across)))
				stands, in := s.along(m, grip, way, ahead, behind)
				if in < 20 || stands < shown {
					continue
				}
				score := stands + s.ends(m, grip, way, ahead) + s.ends(m, grip, r2.Scale(-1, way), behind)
				if score > most {
					most, middle, shows = score, grip, stands
					best = SeenShaft{Grip: grip, Tip: r2.Add(grip, way), Tail: r2.Sub(grip, way)}
				}
			}
		}
	}
	if most == 0 {
		return SeenShaft{}, 0
	}
	next := s.fitted(m, middle, best.direction(), ahead, behind, shows)
	if next.U == 0 {
		return SeenShaft{}, 0
	}
	next = next.reaching(ahead*s.PxPerM, behind*s.PxPerM)
	next.EndU, next.Flies = endU*s.PxPerM, true
	return next, most
}

// ends is by how much a shaft stands out more on its last part than beyond it; 0 where
// either is out of sight. A line alone looks alike wherever it has slipped to.
func (s shaftSearch) ends(m standing, grip, way r2.Vec, reach float64) float64 {
	const part = 0.35 // m
	inside, in := s.beyond(m, grip, way, reach-part, reach)
	outside, out := s.beyond(m, grip, way, reach, reach+part)
	if in < fewPlaces || out < fewPlaces {
		return 0
	}
	return inside - outside
}
