package e2e

import (
	"bytes"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"syscall"
	"testing"
	"time"

	"github.com/google/uuid"

	"neokinema/demo"
	"neokinema/test/program"
)

// kills is how often the server is killed: a few times in every test run, as
// often as the environment says for the long evidence.
func kills() int {
	if n, err := strconv.Atoi(os.Getenv("NEOKINEMA_KILLS")); err == nil {
		return n
	}
	return 3
}

// coach edits and uploads until the server dies, and remembers what was
// acknowledged.
type coach struct {
	*caller
	attempt, film, clip string // edited; being filmed
	data                []byte
	note                int
	received            int64
}

// try sends a request and reports whether it was acknowledged.
func (c *coach) try(method, url string, body io.Reader) bool {
	r, err := http.NewRequest(method, url, body)
	if err != nil {
		c.t.Fatal(err)
	}
	r.Header.Set("Content-Type", map[string]string{"PUT": "application/octet-stream"}[method])
	if method != "PUT" {
		r.Header.Set("Content-Type", "application/json")
	}
	answer, err := c.http.Do(r)
	if err != nil {
		return false
	}
	defer answer.Body.Close()
	data, err := io.ReadAll(answer.Body)
	if err == nil && answer.StatusCode >= 400 && answer.StatusCode < 500 {
		c.t.Errorf("%s %s answers %d %s", method, url, answer.StatusCode, data)
	}
	return err == nil && answer.StatusCode == 200
}

// edit changes a note again and again.
func (c *coach) edit(base string, version int, done <-chan struct{}) {
	for {
		select {
		case <-done:
			return
		default:
		}
		body := fmt.Sprintf(`{"id": %q, "version": %d, "kind": "note", "note": "good", "words": "note %d"}`, uuid.Must(uuid.NewV7()), version, c.note+1)
		if !c.try("POST", base+"/api/attempts/"+c.attempt+"/commands", bytes.NewBufferString(body)) {
			return
		}
		c.note++
		version++
	}
}

// slow gives a film's bytes at the pace of a phone.
type slow struct {
	io.Reader
	pause time.Duration
}

func (s slow) Read(p []byte) (int, error) {
	time.Sleep(s.pause)
	return s.Reader.Read(p[:min(len(p), 128<<10)])
}

// The program, its ffmpeg or its PostgreSQL, killed at random instants of upload,
// decoding and edit, loses nothing that was acknowledged and leaves nothing behind.
func TestKilledAtRandomInstants(t *testing.T) {
	data := club(t)
	t.Setenv("TMPDIR", folder(t))
	r := rand.New(rand.NewPCG(8, uint64(kills())))
	film, err := demo.Clip("start-clean")
	if err != nil {
		t.Fatal(err)
	}
	// A film of some size: what follows an MP4's end is passed over by players.
	big := append(bytes.Clone(film), append([]byte{0, 0x80, 0, 0, 'f', 'r', 'e', 'e'}, make([]byte, 0x800000-8)...)...)
	p := start(t, data, "demo")
	c := &coach{caller: newCaller(t), data: big}
	c.ask("POST", p.Base+"/api/sign-in/demo", nil, nil)
	var d today
	c.ask("GET", p.Base+"/api/today", nil, &d)
	c.attempt = d.Attempts[0].ID
	finished, interrupted, killed := 0, 0, map[string]int{}
	for range kills() {
		victim := []string{"program", "program", "ffmpeg", "PostgreSQL"}[r.IntN(4)]
		if c.clip == "" {
			c.film, c.clip, c.received = uuid.Must(uuid.NewV7()).String(), uuid.Must(uuid.NewV7()).String(), 0
			c.ask("POST", p.Base+"/api/attempts", fmt.Appendf(nil, `{"id": %q, "athleteId": %q, "event": "sprint-start", "day": "2026-11-24", "place": "Saltmere oval"}`, c.film, d.Athletes[0].ID), nil)
			c.declare(p.Base, c.film, c.clip, len(c.data))
		}
		var b bench
		c.ask("GET", p.Base+"/api/attempts/"+c.attempt, nil, &b)
		dead := make(chan struct{})
		edited := make(chan struct{})
		go func() { defer close(edited); c.edit(p.Base, b.Version, dead) }()
		sent := make(chan struct{})
		go func() {
			defer close(sent)
			if c.received == int64(len(c.data)) {
				return // it is being taken apart
			}
			body := slow{bytes.NewReader(c.data[c.received:]), time.Duration(r.IntN(12)) * time.Millisecond}
			c.try("PUT", fmt.Sprintf("%s/api/clips/%s/bytes?from=%d", p.Base, c.clip, c.received), body)
		}()
		time.Sleep(time.Duration(100+r.IntN(2500)) * time.Millisecond)
		killed[victim]++
		switch victim {
		case "program":
			p.Kill()
		case "ffmpeg": // there may be none at this moment
			if exec.Command("pkill", "-KILL", "-P", strconv.Itoa(p.Cmd.Process.Pid), "-f", "proc/self/fd/3").Run() != nil {
				killed["ffmpeg, when none ran"]++
			}
		case "PostgreSQL":
			if err := syscall.Kill(program.Postmaster(t, data), syscall.SIGKILL); err != nil {
				t.Fatal(err)
			}
		}
		close(dead)
		<-edited
		<-sent
		if victim == "program" {
			again := start(t, data, "demo")
			c.moved(p.Base, again.Base)
			p = again
		} else {
			c.well(p.Base)
		}
		c.ask("GET", p.Base+"/api/attempts/"+c.attempt, nil, &b)
		var kept int
		fmt.Sscanf(b.Notes["good"], "note %d", &kept)
		if kept != c.note && kept != c.note+1 { // the last may have been kept without the answer getting through
			t.Fatalf("note %d was acknowledged, after the kill it is %q", c.note, b.Notes["good"])
		}
		c.note = kept
		var v clipState
		c.ask("GET", p.Base+"/api/clips/"+c.clip, nil, &v)
		if v.Received < c.received {
			t.Fatalf("%d bytes were acknowledged, after the kill %d are here", c.received, v.Received)
		}
		c.received = v.Received
		if v.Status == "uploading" {
			interrupted++
			continue
		}
		for end := time.Now().Add(2 * time.Minute); v.Status != "ready"; time.Sleep(50 * time.Millisecond) {
			c.ask("GET", p.Base+"/api/clips/"+c.clip, nil, &v)
			if v.Status == "failed" || time.Now().After(end) {
				t.Fatalf("the clip stays %s: %s", v.Status, v.Message)
			}
			if r.IntN(300) == 0 { // killed again while it is taken apart
				break
			}
		}
		if v.Status == "ready" {
			finished++
			c.whole(p.Base, v)
			c.clip = ""
		}
	}
	if left, _ := filepath.Glob(filepath.Join(os.TempDir(), "neokinema-*")); len(left) != 0 {
		t.Errorf("files stay behind: %v", left)
	}
	t.Logf("%d kills (%v): %d in the middle of an upload, %d films arrived whole", kills(), killed, interrupted, finished)
}

// well waits until the program says that it can do its work, and a moment more: its
// connections to a database that was killed are found dead one by one.
func (c *coach) well(base string) {
	c.t.Helper()
	for end := time.Now().Add(time.Minute); ; time.Sleep(50 * time.Millisecond) {
		answer, err := c.http.Get(base + "/healthz")
		if err == nil {
			answer.Body.Close()
			if answer.StatusCode == 200 {
				time.Sleep(1500 * time.Millisecond)
				return
			}
		}
		if time.Now().After(end) {
			c.t.Fatalf("a minute after the kill it is not well: %v", err)
		}
	}
}

// whole checks that a film came through as it was sent.
func (c *coach) whole(base string, v clipState) {
	c.t.Helper()
	answer, err := c.http.Get(base + "/api/clips/" + c.clip + "/original")
	if err != nil {
		c.t.Fatal(err)
	}
	defer answer.Body.Close()
	back, err := io.ReadAll(answer.Body)
	if err != nil || !bytes.Equal(back, c.data) || v.Frames != 397 {
		c.t.Errorf("%d of %d bytes came back, %d pictures: %v", len(back), len(c.data), v.Frames, err)
	}
}
