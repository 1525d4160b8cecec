package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"neokinema/demo"
)

// caller is a coach's program that speaks the contract.
type caller struct {
	t    *testing.T
	http *http.Client
}

func newCaller(t *testing.T) *caller {
	jar, err := cookiejar.New(nil)
	if err != nil {
		t.Fatal(err)
	}
	return &caller{t, &http.Client{Jar: jar}}
}

func (c *caller) ask(method, url string, body []byte, into any) {
	c.t.Helper()
	r, err := http.NewRequest(method, url, bytes.NewReader(body))
	if err != nil {
		c.t.Fatal(err)
	}
	r.Header.Set("Content-Type", "application/json")
	if method == "PUT" {
		r.Header.Set("Content-Type", "application/octet-stream")
	}
	answer, err := c.http.Do(r)
	if err != nil {
		c.t.Fatal(err)
	}
	defer answer.Body.Close()
	data, err := io.ReadAll(answer.Body)
	if err != nil || answer.StatusCode != 200 {
		c.t.Fatalf("%s %s answers %d %s (%v)", method, url, answer.StatusCode, data, err)
	}
	if into != nil {
		if err := json.Unmarshal(data, into); err != nil {
			c.t.Fatalf("%s: %v", data, err)
		}
	}
}

// clipState is what a clip says of itself.
type clipState struct {
	Status   string
	Received int64
	Frames   int
	Message  string
}

// declare announces a film, all of which is to be kept.
func (c *caller) declare(base, attempt, clip string, size int) {
	c.t.Helper()
	c.ask("POST", base+"/api/attempts/"+attempt+"/clips", fmt.Appendf(nil, `{"id": %q, "name": "a.mp4", "bytes": %d}`, clip, size), nil)
	c.ask("POST", base+"/api/clips/"+clip+"/part", []byte("{}"), nil)
}

// moved carries the sign-in over to the address of the next start.
func (c *caller) moved(from, to string) {
	old, _ := url.Parse(from)
	now, _ := url.Parse(to)
	c.http.Jar.SetCookies(now, c.http.Jar.Cookies(old))
}

type bench struct {
	Version int
	Stamps  map[string]int
	Notes   map[string]string
}

type today struct {
	Attempts []struct{ ID, Athlete, Clip string }
	Athletes []struct{ ID, Name string }
}

// A program that is killed in the middle of an upload's decoding starts again
// on the same data: everything that was acknowledged is there, the sign-in
// holds, the decoding goes on by itself. A stop leaves no database running.
func TestKilledServerLosesNothing(t *testing.T) {
	t.Parallel()
	data := club(t)
	p := start(t, data, "demo")
	c := newCaller(t)
	c.ask("POST", p.Base+"/api/sign-in/demo", nil, nil)
	var d today
	c.ask("GET", p.Base+"/api/today", nil, &d)
	if len(d.Attempts) != 1 || len(d.Athletes) != 2 { // the other one is judged
		t.Fatalf("the demo club has %d attempts of %d athletes", len(d.Attempts), len(d.Athletes))
	}

	attempt, clip := uuid.Must(uuid.NewV7()).String(), uuid.Must(uuid.NewV7()).String()
	c.ask("POST", p.Base+"/api/attempts", fmt.Appendf(nil, `{"id": %q, "athleteId": %q, "event": "sprint-start", "day": "2026-11-24", "place": "Saltmere oval"}`, attempt, d.Athletes[0].ID), nil)
	film, err := demo.Clip("start-clean")
	if err != nil {
		t.Fatal(err)
	}
	c.declare(p.Base, attempt, clip, len(film))
	c.ask("PUT", p.Base+"/api/clips/"+clip+"/bytes", film, nil)
	untouched := d.Attempts[0].ID
	for i := range 20 {
		var b bench
		c.ask("GET", p.Base+"/api/attempts/"+untouched, nil, &b)
		c.ask("POST", p.Base+"/api/attempts/"+untouched+"/commands",
			fmt.Appendf(nil, `{"id": %q, "version": %d, "kind": "note", "note": "good", "words": "quiet head %d"}`, uuid.Must(uuid.NewV7()), b.Version, i), nil)
	}
	p.Kill()

	again := start(t, data, "demo")
	c.moved(p.Base, again.Base)
	var b bench
	c.ask("GET", again.Base+"/api/attempts/"+untouched, nil, &b)
	if b.Notes["good"] != "quiet head 19" {
		t.Errorf("after the kill the note is %q", b.Notes["good"])
	}
	var v clipState
	for end := time.Now().Add(time.Minute); v.Status != "ready"; time.Sleep(100 * time.Millisecond) {
		c.ask("GET", again.Base+"/api/clips/"+clip, nil, &v)
		if v.Status == "failed" || time.Now().After(end) {
			t.Fatalf("the clip stays %s: %s", v.Status, v.Message)
		}
	}
	if v.Frames != 397 {
		t.Errorf("%d pictures after the kill", v.Frames)
	}
	again.Stop()
	port, err := os.ReadFile(filepath.Join(data, "port"))
	if err != nil {
		t.Fatal(err)
	}
	if c, err := net.DialTimeout("tcp", "127.0.0.1:"+strings.TrimSpace(string(port)), time.Second); err == nil {
		c.Close()
		t.Error("the database runs on after the program was stopped")
	}
}

// The first start outside the demo prints a link with which the owner's
// account is made.
func TestFirstStartOffersTheOwnersAccount(t *testing.T) {
	t.Parallel()
	p := start(t, folder(t), "serve")
	base, secret, found := strings.Cut(p.Base, "/welcome#")
	if !found {
		t.Fatalf("the first start says %s", p.Base)
	}
	c := newCaller(t)
	c.ask("POST", base+"/api/sign-in/owner", fmt.Appendf(nil, `{"link": %q, "club": "Saltmere", "login": "olga", "name": "Olga Owner", "password": "six loud hurdles"}`, secret), nil)
	var d today
	c.ask("GET", base+"/api/today", nil, &d)
	if len(d.Attempts) != 0 {
		t.Errorf("a new club has %d attempts", len(d.Attempts))
	}
}
