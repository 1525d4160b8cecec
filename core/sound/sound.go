// Package sound finds the start signal in a film's sound track.
package sound

import "math"

// Delay is how long sound takes for a metre, s: at about 20 °C.
const Delay = 0.0029

// window is how finely loudness is told, s.
const window = 0.002

// Loudness is the root mean square of samples between two times, s from the
// first sample, on a scale where 1 is as loud as samples can be.
func Loudness(samples []int16, rate int, from, to float64) float64 {
	a, b := max(0, int(from*float64(rate))), min(len(samples), int(math.Ceil(to*float64(rate))))
	if a >= b {
		return 0
	}
	var square float64
	for _, s := range samples[a:b] {
		square += float64(s) * float64(s)
	}
	return math.Sqrt(square/float64(b-a)) / math.MaxInt16
}

// Bang is the instant of the sharpest rise in loudness, s from the first
// sample, with its standard uncertainty. There is none where nothing stands
// out from what was heard before it.
func Bang(samples []int16, rate int) (at, u float64, ok bool) {
	n := int(float64(len(samples)) / float64(rate) / window)
	if n < 3 {
		return 0, 0, false
	}
	const quiet, standsOut = 1e-3, 4.0
	level := make([]float64, n)
	for i := range level {
		level[i] = Loudness(samples, rate, float64(i)*window, float64(i+1)*window)
	}
	best, before := 0.0, level[0]
	for i := 1; i < n; i++ {
		if rise := level[i] / (before + quiet) * level[i]; rise > best && level[i] > standsOut*(before+quiet) {
			best, at, ok = rise, (float64(i)+0.5)*window, true
		}
		before += (level[i] - before) * 0.2
	}
	return at - window/2, window / math.Sqrt(12), ok
}
