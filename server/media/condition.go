package media

import (
	"bufio"
	"context"
	"encoding/binary"
	"errors"
	"io"
	"os"
	"slices"
	"strconv"
	"strings"
)

// Condition is what is wrong, or out of the ordinary, with a film that can be used
// all the same.
type Condition struct {
	Faulty     []int  `json:"faulty,omitempty"`     // numbers of pictures that were decoded with errors
	Errors     int    `json:"errors,omitempty"`     // how many of them there are in all
	Missing    int64  `json:"missing,omitempty"`    // bytes that the file lacks at its end
	Says       string `json:"says,omitempty"`       // ffmpeg's first complaint
	HDR        string `json:"hdr,omitempty"`        // HLG or PQ: its light is mapped to that of a screen
	Interlaced bool   `json:"interlaced,omitempty"` // its two halves were brought together
}

// Plain reports whether there is nothing to say.
func (c Condition) Plain() bool {
	return c.Errors == 0 && c.Missing == 0 && c.HDR == "" && !c.Interlaced
}

// mostFaulty is how many faulty pictures are named.
const mostFaulty = 200

// faults finds the pictures that a decoder complained of, in a run of their own:
// one thread, so that each complaint stands with its picture. Stamps are those of
// all pictures of the film.
func faults(ctx context.Context, path string, stamps []int64) (faulty []int, errs int, err error) {
	film, err := open(path)
	if err != nil {
		return nil, 0, err
	}
	defer film.Close()
	args := append([]string{"-v", "quiet", "-threads", "1", "-select_streams", "V:0", "-show_frames", "-show_log", "16", "-show_entries", "frame=best_effort_timestamp,pts:log=level", "-of", "compact=nk=0"}, local...)
	running, stop := context.WithCancel(ctx)
	defer stop()
	cmd := tool(running, film, nil, "ffprobe", append(args, given)...)
	out, err := cmd.StdoutPipe()
	if err != nil {
		return nil, 0, err
	}
	if err := cmd.Start(); err != nil {
		return nil, 0, Unfinished{err}
	}
	for lines := bufio.NewScanner(out); lines.Scan(); {
		line := lines.Text()
		n := strings.Count(line, "level=")
		if n == 0 {
			continue
		}
		if at, ok := slices.BinarySearch(stamps, stampOf(line)); ok {
			errs++
			if len(faulty) < mostFaulty {
				faulty = append(faulty, at)
			}
		}
	}
	discard(out)
	if _, err := verdict(ctx, cmd.Wait(), &complaint{}); errors.As(err, new(Unfinished)) || ctx.Err() != nil {
		return nil, 0, err
	}
	return faulty, errs, nil
}

// stampOf reads a picture's stamp from a line of ffprobe's.
func stampOf(line string) int64 {
	for _, name := range []string{"best_effort_timestamp=", "pts="} {
		if _, after, ok := strings.Cut(line, name); ok {
			word, _, _ := strings.Cut(after, "|")
			if v, err := strconv.ParseInt(word, 10, 64); err == nil {
				return v
			}
		}
	}
	return -1 << 62
}

// missingBytes is how many bytes a film of boxes (MP4, MOV) lacks at its end: its
// last box says that it is longer. 0 for other films.
func missingBytes(f *os.File) (int64, error) {
	info, err := f.Stat()
	if err != nil {
		return 0, err
	}
	size := info.Size()
	var head [16]byte
	for at, first := int64(0), true; at+8 <= size; first = false {
		if n, err := f.ReadAt(head[:], at); err != nil && !(errors.Is(err, io.EOF) && n >= 8) {
			return 0, err
		}
		if first && !slices.Contains([]string{"ftyp", "moov", "mdat", "wide", "free", "skip"}, string(head[4:8])) {
			return 0, nil
		}
		long := int64(binary.BigEndian.Uint32(head[:4]))
		switch {
		case long == 0: // to the end of the file
			return 0, nil
		case long == 1:
			long = int64(binary.BigEndian.Uint64(head[8:16]))
		}
		if long < 8 {
			return 0, nil
		}
		if at > size-long {
			return at + long - size, nil
		}
		at += long
	}
	return 0, nil
}

// treatment are the filters that make a film's pictures plain ones: halves that
// were filmed one after the other are brought together, one picture for each;
// light of a high dynamic range is mapped to that of a screen (Hable's curve).
func (f Probe) treatment() string {
	out := ""
	if f.Interlaced {
		out += ",bwdif=mode=send_frame"
	}
	if f.HDR != "" {
		out += ",zscale=t=linear:npl=100,format=gbrpf32le,zscale=p=bt709,tonemap=tonemap=hable:desat=0,zscale=t=bt709:m=bt709:r=pc"
	}
	return out
}

// dynamic names a transfer curve of a high dynamic range; empty: it has none.
func dynamic(transfer string) string {
	return map[string]string{"arib-std-b67": "HLG", "smpte2084": "PQ"}[transfer]
}

// interlaced reports whether a stream's field order is of two halves.
func interlaced(order string) bool { return slices.Contains([]string{"tt", "bb", "tb", "bt"}, order) }
