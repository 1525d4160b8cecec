package sound

import (
	"math"
	"math/rand/v2"
	"testing"
)

const rate = 16000

// track is noise with bangs of a loudness at times, dying away.
func track(r *rand.Rand, noise float64, bangs map[float64]float64) []int16 {
	out := make([]int16, 4*rate)
	for i := range out {
		v := noise * r.NormFloat64()
		for at, loud := range bangs {
			if t := float64(i)/rate - at; t >= 0 {
				v += loud * math.Exp(-t/0.03) * math.Sin(9000*t)
			}
		}
		out[i] = int16(math.MaxInt16 * math.Max(-1, math.Min(1, v)))
	}
	return out
}

func TestTheSharpestSoundIsFound(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 2))
	for _, at := range []float64{0.4, 1.2345, 3.1} {
		got, u, ok := Bang(track(r, 0.02, map[float64]float64{at: 0.8, 3.6: 0.1}), rate)
		if !ok || math.Abs(got-at) > 0.003 || u <= 0 || u > 0.001 {
			t.Errorf("a bang at %v s is heard at %.4f ± %.4f (%v)", at, got, u, ok)
		}
	}
	if _, _, ok := Bang(track(r, 0.1, nil), rate); ok {
		t.Error("even noise has a bang")
	}
	if _, _, ok := Bang(nil, rate); ok {
		t.Error("nothing has a bang")
	}
}

func TestLoudnessOfATone(t *testing.T) {
	tone := make([]int16, rate)
	for i := range tone {
		tone[i] = int16(math.MaxInt16 * math.Sin(2*math.Pi*440*float64(i)/rate))
	}
	if l := Loudness(tone, rate, 0.1, 0.9); math.Abs(l-math.Sqrt2/2) > 1e-3 { // a full sine's root mean square
		t.Errorf("a full tone is %.4f loud", l)
	}
	if Loudness(tone, rate, 2, 3) != 0 {
		t.Error("past its end there is sound")
	}
}
