// Package media looks into films and takes them apart, with Debian's ffmpeg,
// one open file at a time and within limits of time, memory, formats and rights.
package media

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"os/user"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"
)

// NotAFilm says, in a sentence, why a file cannot be used: ffmpeg's verdict on it.
type NotAFilm string

func (e NotAFilm) Error() string { return string(e) }

// Unfinished is returned when ffmpeg did not come to a verdict: it was not started,
// was ended by a signal, or had no memory. The file may be good: try it again.
type Unfinished struct{ Why error }

func (e Unfinished) Error() string { return "ffmpeg did not come to its end: " + e.Why.Error() }
func (e Unfinished) Unwrap() error { return e.Why }

// Limits of one run of ffmpeg or ffprobe.
const (
	mostMemory = 6 << 30 // bytes of address space
	mostCPU    = 40 * time.Minute
	mostSaid   = 1 << 16 // bytes of complaints that are kept
)

// formats are the containers that phones and cameras write. What ffmpeg could also
// open (playlists, manifests, lists of files, streams) leads to other files.
const formats = "mov,mp4,matroska,webm,avi,mpegts,mpeg"

// codecs are those of films and of their sound.
var codecs = map[string]bool{
	"h264": true, "hevc": true, "av1": true, "vp8": true, "vp9": true, "mpeg4": true, "mpeg2video": true, "mpeg1video": true, "h263": true,
	"mjpeg": true, "prores": true, "dnxhd": true, "dvvideo": true, "cfhd": true,
}

// given is the open film as ffmpeg sees it: by its descriptor, under no name.
const given = "file:/proc/self/fd/3"

// told is the descriptor by which ffmpeg tells the stamps of pictures.
const told = "4"

// local keeps ffmpeg to the file it is given, to films, and to a sane number of
// streams and pixels in it.
var local = []string{"-protocol_whitelist", "file", "-format_whitelist", formats, "-max_streams", "64", "-max_pixels", strconv.Itoa(MostAcross * MostAcross)}

// stranger is the user under whom ffmpeg runs when the program is root: it may
// enter neither the data folder nor anything else that is not everybody's.
var stranger = sync.OnceValue(func() *syscall.Credential {
	if os.Geteuid() != 0 {
		return nil
	}
	u, err := user.Lookup("nobody")
	if err != nil {
		return nil
	}
	uid, errU := strconv.ParseUint(u.Uid, 10, 32)
	gid, errG := strconv.ParseUint(u.Gid, 10, 32)
	if errU != nil || errG != nil {
		return nil
	}
	return &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid), Groups: []uint32{}}
})

// tool is a program that reads an open film. It ends with its context, and the
// kernel ends it when it takes too much. A second file, if any, is its to write.
func tool(ctx context.Context, film, second *os.File, name string, args ...string) *exec.Cmd {
	limits := []string{fmt.Sprintf("--as=%d", int64(mostMemory)), fmt.Sprintf("--cpu=%d", int(mostCPU.Seconds())), "--core=0", name}
	cmd := exec.CommandContext(ctx, "prlimit", append(limits, args...)...)
	cmd.Dir = "/"
	cmd.Env = []string{"PATH=/usr/local/bin:/usr/bin:/bin", "LC_ALL=C.UTF-8", "TMPDIR=" + os.TempDir()}
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Credential: stranger()}
	cmd.Cancel = func() error { return syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL) }
	cmd.WaitDelay = 5 * time.Second
	cmd.ExtraFiles = []*os.File{film}
	if second != nil {
		cmd.ExtraFiles = append(cmd.ExtraFiles, second)
	}
	return cmd
}

// open opens a film for one run.
func open(path string) (*os.File, error) {
	if _, err := exec.LookPath("ffmpeg"); errors.Is(err, exec.ErrNotFound) {
		return nil, Unfinished{errors.New("ffmpeg is not installed: apt-get install ffmpeg")}
	}
	f, err := os.Open(path)
	if err != nil {
		return nil, Unfinished{err}
	}
	return f, nil
}

// verdict is how a run ended: nil when well; an Unfinished when it says nothing of
// the file; else refused is true, and err ffmpeg's own word.
func verdict(ctx context.Context, err error, said *complaint) (refused bool, _ error) {
	if ctx.Err() != nil {
		return false, ctx.Err()
	}
	if err == nil {
		return false, nil
	}
	var ended *exec.ExitError
	if !errors.As(err, &ended) {
		return false, Unfinished{err}
	}
	const notStarted = 125 // from here on prlimit says that it could not start the program
	if status, ok := ended.Sys().(syscall.WaitStatus); ok && status.Signaled() || ended.ExitCode() >= notStarted && ended.ExitCode() < 128 || said.interrupted() {
		return false, Unfinished{fmt.Errorf("%w %s", err, said.word())}
	}
	return true, errors.New(said.word())
}

// complaint keeps the first bytes that are written to it, and counts its lines.
// The buffer is not embedded: its ReadFrom would pass Write by.
type complaint struct {
	kept  bytes.Buffer
	lines int
}

func (c *complaint) Write(p []byte) (int, error) {
	c.lines += bytes.Count(p, []byte("\n"))
	if room := mostSaid - c.kept.Len(); room > 0 {
		c.kept.Write(p[:min(room, len(p))])
	}
	return len(p), nil
}

// has reports whether one of some signs stands in what ffmpeg said.
func (c *complaint) has(signs ...string) bool {
	for _, sign := range signs {
		if bytes.Contains(c.kept.Bytes(), []byte(sign)) {
			return true
		}
	}
	return false
}

// brokenOff reports whether ffmpeg complained of a file that ends too early.
func (c *complaint) brokenOff() bool {
	return c.has("partial file", "ended prematurely", "truncat", "Truncat")
}

// interrupted reports whether ffmpeg was stopped, or had no memory.
func (c *complaint) interrupted() bool {
	return c.has("received signal", "Cannot allocate memory", "Resource temporarily unavailable", "Error splitting the argument list", "malloc")
}

var (
	component = regexp.MustCompile(`^\[[^\]]*\] `)
	ownName   = strings.NewReplacer(given+": ", "", given, "the file")
)

// word is ffmpeg's first complaint in its own words.
func (c *complaint) word() string {
	line, _, _ := strings.Cut(strings.TrimSpace(c.kept.String()), "\n")
	line = strings.TrimSpace(ownName.Replace(component.ReplaceAllString(line, "")))
	const most = 160
	return strings.ToValidUTF8(line[:min(len(line), most)], "")
}

// because adds ffmpeg's own word to a sentence.
func (c *complaint) because(sentence string) NotAFilm {
	if w := c.word(); w != "" {
		sentence += " (ffmpeg says: " + w + ")"
	}
	return NotAFilm(sentence)
}

// discard reads what is left, so that a program can end.
func discard(r io.Reader) { _, _ = io.Copy(io.Discard, r) }
