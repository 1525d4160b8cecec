// Package filmcheck says whether a film is good enough to measure from, and what
// to do better next time.
package filmcheck

import "math"

// ImageStats gathers how bright and how sharp a film is from some of its pictures.
type ImageStats struct {
	every int
	n     int
	light float64
	blur  float64
}

// NewImageStats looks at every so many pictures.
func NewImageStats(every int) *ImageStats { return &ImageStats{every: max(1, every)} }

// Samples reports whether the n-th picture should be added.
func (l *ImageStats) Samples(n int) bool { return n%l.every == l.every/2 }

// Add takes in a picture's brightness, row by row, 0 to 255.
func (l *ImageStats) Add(w, h int, grey []uint8) {
	l.n++
	l.light += Brightness(grey)
	l.blur += Blur(w, h, grey)
}

// Brightness is the mean of the pictures, 0 black to 1 white.
func (l *ImageStats) Brightness() float64 { return l.light / float64(max(1, l.n)) }

// Blur is the mean of the pictures, 0 sharp to 1 blurred.
func (l *ImageStats) Blur() float64 { return l.blur / float64(max(1, l.n)) }

// Brightness is a picture's mean brightness, 0 black to 1 white.
func Brightness(grey []uint8) float64 {
	if len(grey) == 0 {
		return 0
	}
	sum := 0
	for _, v := range grey {
		sum += int(v)
	}
	return float64(sum) / 255 / float64(len(grey))
}

// Blur is the perceptual blur of a picture w × h, 0 sharp to 1 blurred: how
// little its edges lose when it is blurred once more. Crété-Roffet, Dolmiere,
// Ladret & Nicolas 2007, Proc. SPIE 6492 (from memory).
func Blur(w, h int, grey []uint8) float64 {
	if w < 2*taps || h < 2*taps || len(grey) < w*h {
		return 0
	}
	across := lost(h, w, func(line, i int) float64 { return float64(grey[line*w+i]) })
	down := lost(w, h, func(line, i int) float64 { return float64(grey[i*w+line]) })
	return math.Max(across, down)
}

const (
	taps = 9   // the length of the blurring filter
	some = 120 // lines that tell as much as all of them
)

// lost compares the differences of neighbours before and after blurring along
// some of the lines of n values.
func lost(lines, n int, at func(line, i int) float64) float64 {
	var before, kept float64
	soft := make([]float64, n)
	for line := 0; line < lines; line += max(1, lines/some) {
		sum := 0.0
		for i := range taps {
			sum += at(line, i)
		}
		for i := taps / 2; i < n-taps/2; i++ {
			soft[i] = sum / taps
			if next := i + taps/2 + 1; next < n {
				sum += at(line, next) - at(line, next-taps)
			}
		}
		for i := taps/2 + 1; i < n-taps/2; i++ {
			d := math.Abs(at(line, i) - at(line, i-1))
			before += d
			kept += math.Max(0, d-math.Abs(soft[i]-soft[i-1]))
		}
	}
	if before == 0 {
		return 1
	}
	return (before - kept) / before
}
