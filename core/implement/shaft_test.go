package implement_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/implement"
)

var javelin = implement.Shaft{Ahead: 0.9, Behind: 1.4, Fastest: 34, Toward: r2.Vec{X: 1}}

// leaves is the first picture on which the javelin is out of the hand.
const leaves = 44

// thrown is a javelin that is carried at 2 m/s, drawn up by 8°, and let go at 18 m/s.
// The hand is told to a pixel or two.
func thrown(i int) (implement.Capsule, r2.Vec) {
	hand := r2.Vec{X: 95 + 2*float64(min(i, leaves)), Y: 130}
	at := -(25 + 8*math.Min(1, float64(i)/leaves)) * math.Pi / 180
	way := r2.Vec{X: math.Cos(at), Y: math.Sin(at)}
	grip := r2.Add(hand, r2.Scale(math.Max(0, float64(i-leaves+1))*18*perM/rate, way))
	random := rand.New(rand.NewPCG(uint64(i), 5))
	hand = r2.Add(hand, r2.Vec{X: random.NormFloat64(), Y: random.NormFloat64()})
	return implement.Capsule{A: r2.Sub(grip, r2.Scale(javelin.Behind*perM, way)), B: r2.Add(grip, r2.Scale(javelin.Ahead*perM, way)), R: 1.2}, hand
}

func seek(t *testing.T, s scene) []implement.SeenShaft {
	t.Helper()
	seen, err := implement.FindShaft(t.Context(), s.film(), javelin, func(int) error { return nil })
	if err != nil {
		t.Fatal(err)
	}
	return seen
}

func TestAJavelinIsFoundInTheHandAndInFlight(t *testing.T) {
	thrower := func(i int) implement.Capsule {
		x := 75 + 2*float64(min(i, leaves))
		return implement.Capsule{A: r2.Vec{X: x, Y: 110}, B: r2.Vec{X: x, Y: 210}, R: 14}
	}
	for name, s := range map[string]scene{
		"before a still camera":   {pictures: 56, shaft: thrown},
		"before a panning camera": {pictures: 56, shaft: thrown, pan: func(i int) float64 { return float64(i) }},
		"past the athlete":        {pictures: 56, shaft: thrown, body: thrower},
	} {
		there, right, wrong, flying := 0, 0, 0, 0
		for i, at := range seek(t, s) {
			want, _ := s.shaft(i)
			off := r2.Vec{}
			if s.pan != nil {
				off.X = s.pan(i)
			}
			tail, tip := r2.Sub(want.A, off), r2.Sub(want.B, off)
			visible := tail.X > 4 && tip.X < width-4 && tip.Y > 4
			if visible {
				there++
			}
			if at.U == 0 {
				continue
			}
			turned := math.Atan2(at.Tip.Y-at.Tail.Y, at.Tip.X-at.Tail.X) - math.Atan2(tip.Y-tail.Y, tip.X-tail.X)
			if math.Abs(turned) > 2*math.Pi/180 || r2.Norm(r2.Sub(at.Tip, tip)) > 0.3*perM {
				wrong++
			} else if visible {
				right++
			}
			if at.Flies {
				flying++
			}
			if at.Flies != (i >= leaves) && math.Abs(float64(i-leaves)) > 1 {
				t.Errorf("%s: picture %d: flies %t", name, i, at.Flies)
			}
		}
		if right < there*9/10 || wrong > there/50 || flying < 2 {
			t.Errorf("%s: found on %d of %d pictures, in flight on %d, wrong on %d", name, right, there, flying, wrong)
		}
	}
}

// A hand that holds nothing is no javelin, nor is a rail behind it.
func TestNoJavelinIsFoundInAnEmptyHand(t *testing.T) {
	empty := func(i int) (implement.Capsule, r2.Vec) {
		_, hand := thrown(min(i, leaves-1))
		return implement.Capsule{A: r2.Vec{X: -50, Y: 128}, B: r2.Vec{X: 500, Y: 128}, R: 1.2}, hand
	}
	found := 0
	for _, at := range seek(t, scene{pictures: 40, shaft: empty}) {
		if at.U > 0 {
			found++
		}
	}
	if found > 1 {
		t.Errorf("a javelin on %d pictures", found)
	}
}
