// Package media looks into films and takes them apart, with Debian's ffmpeg,
// on local files only and within limits of time, memory and output.
package media

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"strconv"
	"syscall"
	"time"
)

// NotAFilm says, in a sentence, why a file cannot be used.
type NotAFilm string

func (e NotAFilm) Error() string { return string(e) }

// Limits of one run of ffmpeg or ffprobe.
const (
	mostMemory = 6 << 30 // bytes of address space
	mostCPU    = 40 * time.Minute
	mostSaid   = 1 << 16 // bytes of complaints that are kept
)

// local keeps ffmpeg to the file it is given, and to a sane number of streams
// and pixels in it.
var local = []string{"-protocol_whitelist", "file,pipe", "-max_streams", "64", "-max_pixels", strconv.Itoa(MostAcross * MostAcross)}

// limited is a command that ends with its context, and that the kernel ends
// when it takes too much.
func limited(ctx context.Context, name string, args ...string) *exec.Cmd {
	limits := []string{fmt.Sprintf("--as=%d", int64(mostMemory)), fmt.Sprintf("--cpu=%d", int(mostCPU.Seconds())), "--core=0", name}
	cmd := exec.CommandContext(ctx, "prlimit", append(limits, args...)...)
	cmd.Env = []string{"PATH=/usr/local/bin:/usr/bin:/bin", "LC_ALL=C.UTF-8", "TMPDIR=" + os.TempDir()}
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	cmd.Cancel = func() error { return syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL) }
	cmd.WaitDelay = 5 * time.Second
	return cmd
}

// installed tells in a sentence when ffmpeg is not there.
func installed() error {
	if _, err := exec.LookPath("ffmpeg"); errors.Is(err, exec.ErrNotFound) {
		return errors.New("ffmpeg is not installed: apt-get install ffmpeg")
	}
	return nil
}

// complaint keeps the first bytes that are written to it.
type complaint struct{ bytes.Buffer }

func (c *complaint) Write(p []byte) (int, error) {
	if room := mostSaid - c.Len(); room > 0 {
		c.Buffer.Write(p[:min(room, len(p))])
	}
	return len(p), nil
}

// brokenOff reports whether ffmpeg complained of a file that ends too early.
func (c *complaint) brokenOff() bool {
	for _, sign := range []string{"partial file", "ended prematurely", "truncat", "Truncat"} {
		if bytes.Contains(c.Bytes(), []byte(sign)) {
			return true
		}
	}
	return false
}
