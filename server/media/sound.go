package media

import (
	"context"
	"encoding/binary"
	"fmt"
	"io"
)

// SoundRate is the samples a second with which sound is kept.
const SoundRate = 16000

// Sound is the sound track of a part of a film as 16-bit samples of one
// channel, from the time of the cut's first picture on.
func Sound(ctx context.Context, path string, f Probe, cut Trim) ([]byte, error) {
	first := float64(f.PTS[0])*f.Tick() - f.Start
	args := append([]string{"-nostdin", "-v", "error"}, local...)
	args = append(args, "-ss", fmt.Sprintf("%.6f", max(0, first+cut.From)), "-t", fmt.Sprintf("%.6f", cut.To-cut.From+1/f.Playback), "-i", given,
		"-map", "0:a:0", "-af", fmt.Sprintf("aresample=%d:async=1:first_pts=0", SoundRate), "-ac", "1", "-f", "s16le", "pipe:1")
	film, err := open(path)
	if err != nil {
		return nil, err
	}
	defer film.Close()
	said := &complaint{}
	cmd := tool(ctx, film, nil, "ffmpeg", args...)
	cmd.Stderr = said
	out, err := cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := cmd.Start(); err != nil {
		return nil, Unfinished{err}
	}
	const most = 2 * SoundRate * 600 // ten minutes
	data, err := io.ReadAll(io.LimitReader(out, most))
	discard(out)
	if _, werr := verdict(ctx, cmd.Wait(), said); err == nil {
		err = werr
	}
	return data, err
}

// WAV wraps samples in the form that every player knows.
func WAV(rate int, samples []byte) []byte {
	const header, channels, width = 44, 1, 2
	out := make([]byte, 0, header+len(samples))
	le := binary.LittleEndian
	out = append(out, "RIFF"...)
	out = le.AppendUint32(out, uint32(header-8+len(samples)))
	out = append(out, "WAVEfmt "...)
	out = le.AppendUint32(out, 16)
	out = le.AppendUint16(out, 1) // plain samples
	out = le.AppendUint16(out, channels)
	out = le.AppendUint32(out, uint32(rate))
	out = le.AppendUint32(out, uint32(rate*channels*width))
	out = le.AppendUint16(out, channels*width)
	out = le.AppendUint16(out, 8*width)
	out = append(out, "data"...)
	out = le.AppendUint32(out, uint32(len(samples)))
	return append(out, samples...)
}
