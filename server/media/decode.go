package media

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"image"
	"image/draw"
	"image/jpeg"
	"io"
	"os"
	"strconv"
	"strings"
)

// ShownWidth is the most pixels across that pictures are kept with, unless
// the coach wants more.
const ShownWidth = 1280

// mostPicture is how large one JPEG may be.
const mostPicture = 64 << 20

// Trim says which part of a film is kept, in seconds of the file from its first
// picture, and how wide.
type Trim struct {
	From, To float64
	Width    int // at most; never more than the original's
}

// Frame is one kept frame: its number in the whole film, its time stamp, its
// JPEG.
type Frame struct {
	Number int
	PTS    int64
	JPEG   []byte
}

// Decode turns the pictures of a part of a film into JPEGs, in presentation
// order, and hands each to keep. It returns the time stamps of all pictures
// from the film's first to the last that was kept: a picture's number is its
// place among them; and what is wrong with the film all the same.
func Decode(ctx context.Context, path string, f Probe, cut Trim, keep func(Frame) error) ([]int64, Condition, error) {
	state := Condition{Missing: f.Missing, HDR: f.HDR, Interlaced: f.Interlaced}
	// The stamps of every decoded picture come by a pipe of their own, and those
	// outside the cut are dropped before anything is spent on them.
	first := float64(f.PTS[0])*f.Tick() - slack
	filter := telling + fmt.Sprintf(`,select='between(t,%.6f,%.6f)'`, first+cut.From, first+cut.To+2*slack) + f.treatment() +
		fmt.Sprintf(",scale='2*max(1,trunc(min(%[1]d,iw*sar)/2))':'2*max(1,trunc(ih*min(1,%[1]d/(iw*sar))/2))':out_range=pc,format=yuvj420p,setsar=1", cut.Width)
	args := pictures(nil, filter, f.Between(cut.From, cut.To), 3)
	t := &tally{film: f, from: cut.From, keep: keep}
	said, refused, err := takeApart(ctx, path, args, t.add)
	if err != nil && !refused {
		return nil, state, err
	}
	switch want := f.Between(cut.From, cut.To); {
	case refused || said.brokenOff() || float64(t.kept) < 0.97*float64(want)-2:
		return nil, state, said.because(fmt.Sprintf("this film breaks off after %d of %d pictures: copy it from the phone again", t.kept, want))
	case t.kept < 2:
		return nil, state, NotAFilm("this part of the film holds one picture: keep more of it")
	}
	stamps := t.pts[:t.last+1]
	if said.lines > 0 {
		state.Says = said.word()
		if state.Faulty, state.Errors, err = faults(ctx, path, stamps); err != nil {
			return nil, state, err
		}
	}
	return stamps, state, nil
}

// telling makes ffmpeg print the stamp of every picture that passes.
const telling = `metadata=mode=add:key=n:value=1,metadata=mode=print:file=pipe\\:` + told + `:direct=1`

// pictures are ffmpeg's arguments for at most a number of JPEGs.
func pictures(before []string, filter string, most, quality int) []string {
	args := append([]string{"-nostdin", "-v", "error", "-copyts"}, local...)
	args = append(args, before...)
	return append(args, "-i", given, "-map", "0:V:0", "-fps_mode", "passthrough", "-enc_time_base", "-1", "-vf", filter,
		"-frames:v", strconv.Itoa(most), "-c:v", "mjpeg", "-q:v", strconv.Itoa(quality), "-f", "image2pipe", "pipe:1")
}

// takeApart runs ffmpeg and hands on each JPEG that it writes, with the stamps
// of decoded pictures that it tells meanwhile. Refused is true when ffmpeg itself
// ended with an error on the film.
func takeApart(ctx context.Context, path string, args []string, take func(jpeg []byte, stamps <-chan int64) error) (said *complaint, refused bool, err error) {
	running, stop := context.WithCancel(ctx)
	defer stop()
	said = &complaint{}
	film, err := open(path)
	if err != nil {
		return said, false, err
	}
	defer film.Close()
	r, w, err := os.Pipe()
	if err != nil {
		return said, false, err
	}
	defer r.Close()
	cmd := tool(running, film, w, "ffmpeg", args...)
	cmd.Stderr = said
	out, err := cmd.StdoutPipe()
	if err != nil {
		w.Close()
		return said, false, err
	}
	err = cmd.Start()
	w.Close()
	if err != nil {
		return said, false, Unfinished{err}
	}
	stamps := make(chan int64, mostAhead)
	go tell(running, r, stamps)
	err = split(out, func(jpeg []byte) error { return take(jpeg, stamps) })
	if err != nil { // keeping failed, or the pictures do not fit together
		stop()
		unended := cmd.Wait()
		if _, early := verdict(ctx, unended, said); errors.Is(err, errNoStamp) && errors.As(early, new(Unfinished)) {
			return said, false, early
		}
		if ctx.Err() != nil {
			return said, false, ctx.Err()
		}
		return said, false, err
	}
	refused, err = verdict(ctx, cmd.Wait(), said)
	return said, refused, err
}

// errNoStamp is returned for a picture that comes without its time stamp.
var errNoStamp = NotAFilm("some pictures of this film carry no time stamp: export it again from the phone")

// mostAhead is how many stamps may be told ahead of their pictures.
const mostAhead = 1 << 16

// tell reads the stamps that ffmpeg prints for each decoded picture.
func tell(ctx context.Context, r io.Reader, stamps chan<- int64) {
	defer close(stamps)
	for lines := bufio.NewScanner(r); lines.Scan(); {
		_, after, ok := strings.Cut(lines.Text(), " pts:")
		if !ok {
			continue
		}
		word, _, _ := strings.Cut(strings.TrimSpace(after), " ")
		pts, err := strconv.ParseInt(word, 10, 64)
		if err != nil {
			continue
		}
		select {
		case stamps <- pts:
		case <-ctx.Done():
			return
		}
	}
}

// tally joins pictures and stamps.
type tally struct {
	film Probe
	from float64
	keep func(Frame) error
	pts  []int64
	kept int
	last int
}

func (t *tally) add(jpeg []byte, stamps <-chan int64) error {
	for {
		pts, ok := <-stamps
		if !ok {
			return errNoStamp
		}
		if n := len(t.pts); n > 0 && pts <= t.pts[n-1] {
			return NotAFilm("the pictures of this film do not follow each other in time: export it again from the phone")
		}
		t.pts = append(t.pts, pts)
		if float64(pts-t.film.PTS[0])*t.film.Tick() >= t.from-slack {
			t.last = len(t.pts) - 1
			t.kept++
			return t.keep(Frame{Number: t.last, PTS: pts, JPEG: jpeg})
		}
	}
}

// split cuts a stream of JPEGs at their ends.
func split(r io.Reader, keep func(jpeg []byte) error) error {
	in := bufio.NewReaderSize(r, 1<<20)
	var picture []byte
	for {
		chunk, err := in.ReadSlice(0xD9)
		picture = append(picture, chunk...)
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil && !errors.Is(err, bufio.ErrBufferFull) {
			return err
		}
		if len(picture) > mostPicture {
			return NotAFilm("a picture of this film is too large to keep")
		}
		if !bytes.HasSuffix(picture, []byte{0xFF, 0xD9}) {
			continue
		}
		if err := keep(picture); err != nil {
			return err
		}
		picture = make([]byte, 0, len(picture)+len(picture)/8)
	}
}

// Grey decodes a JPEG into its brightness, row by row, 0 to 255.
func Grey(picture []byte) (w, h int, grey []uint8, err error) {
	img, err := jpeg.Decode(bytes.NewReader(picture))
	if err != nil {
		return 0, 0, nil, err
	}
	b := img.Bounds()
	if y, ok := img.(*image.YCbCr); ok && b.Min == (image.Point{}) {
		grey := make([]uint8, 0, b.Dx()*b.Dy())
		for row := range b.Dy() {
			grey = append(grey, y.Y[row*y.YStride:row*y.YStride+b.Dx()]...)
		}
		return b.Dx(), b.Dy(), grey, nil
	}
	g := image.NewGray(image.Rect(0, 0, b.Dx(), b.Dy()))
	draw.Draw(g, g.Bounds(), img, b.Min, draw.Src)
	return b.Dx(), b.Dy(), g.Pix, nil
}
