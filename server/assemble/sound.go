package assemble

import (
	"encoding/binary"
	"math"

	"neokinema/core/clock"
	"neokinema/core/sound"
	"neokinema/server/store"
)

// Bang is the sharpest sound of a film.
type Bang struct {
	Frame int     // the first kept one at or after it left its source
	U     float64 // s of real time
}

// Heard is what a film's sound tells.
type Heard struct {
	Levels []float64 // of each kept picture, 0 to 1
	Bang   *Bang
}

// Hear reads a sound track of 16-bit samples that begins with the first kept
// picture and goes by the file's time. Metres is how far the sound had to come.
func Hear(b store.Bench, pts []int64, rate int, pcm []byte, metres float64) (Heard, error) {
	c := *b.Clip
	if c.Status != "ready" || len(pts) < c.First+c.Frames {
		return Heard{}, store.Invalid("the clip is not ready yet")
	}
	if c.CaptureRate == 0 {
		c.CaptureRate = c.PlaybackRate
		b.Clip = &c
	}
	film, err := Film(b, pts)
	if err != nil {
		return Heard{}, store.Invalid(err.Error())
	}
	samples := make([]int16, len(pcm)/2)
	for i := range samples {
		samples[i] = int16(binary.LittleEndian.Uint16(pcm[2*i:]))
	}
	tick := float64(c.BaseNum) / float64(c.BaseDen)
	file := func(frame int) float64 { return float64(pts[frame]-pts[c.First]) * tick }
	last := c.First + c.Frames - 1
	out := Heard{Levels: make([]float64, c.Frames)}
	loudest := 0.0
	for i := range out.Levels {
		from := file(c.First + i)
		to := from + 1/c.PlaybackRate
		if c.First+i < last {
			to = file(c.First + i + 1)
		}
		out.Levels[i] = sound.Loudness(samples, rate, from, to)
		loudest = max(loudest, out.Levels[i])
	}
	for i := range out.Levels {
		out.Levels[i] /= max(loudest, 1e-9)
	}
	at, u, ok := sound.Bang(samples, rate)
	if !ok {
		return out, nil
	}
	i := c.First
	for i < last-1 && file(i+1) <= at {
		i++
	}
	slow := (film.At(i+1) - film.At(i)) / (file(i+1) - file(i)) // real seconds in one of the file
	left := film.At(i) + (at-file(i))*slow - metres*sound.Delay
	frame := max(c.First, min(last, film.FirstAfter(left)))
	still, err := film.Instant(frame, clock.Still)
	if err != nil {
		return out, err
	}
	out.Bang = &Bang{Frame: frame, U: math.Hypot(u*slow, still.U)}
	return out, nil
}
