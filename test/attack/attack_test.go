// Package attack does to the program what somebody did who wished it ill, or had bad
// luck: on data folders of its own, on loopback, bounded in count and time.
package attack

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"io"
	"net"
	"net/http"
	"net/http/cookiejar"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"neokinema/demo"
	"neokinema/server/postgres"
	"neokinema/test/program"
)

func TestMain(m *testing.M) { program.Main(m) }

// caller speaks the contract.
type caller struct {
	t    *testing.T
	base string
	http *http.Client
}

// enter comes in as the demo's coach.
func enter(t *testing.T, base string) *caller {
	t.Helper()
	jar, err := cookiejar.New(nil)
	if err != nil {
		t.Fatal(err)
	}
	c := &caller{t, base, &http.Client{Jar: jar}}
	c.want(200, "POST", "/api/sign-in/demo", nil, nil)
	return c
}

// ask sends a request; body is JSON, or the bytes of a film.
func (c *caller) ask(method, path string, body, into any) (int, string) {
	c.t.Helper()
	kind, data := "application/json", []byte(nil)
	switch b := body.(type) {
	case nil:
	case []byte:
		kind, data = "application/octet-stream", b
	default:
		var err error
		if data, err = json.Marshal(b); err != nil {
			c.t.Fatal(err)
		}
	}
	r, err := http.NewRequest(method, c.base+path, bytes.NewReader(data))
	if err != nil {
		c.t.Fatal(err)
	}
	r.Header.Set("Content-Type", kind)
	answer, err := c.http.Do(r)
	if err != nil {
		return 0, err.Error()
	}
	defer answer.Body.Close()
	text, err := io.ReadAll(answer.Body)
	if err != nil {
		return 0, err.Error()
	}
	if into != nil && answer.StatusCode == 200 {
		if err := json.Unmarshal(text, into); err != nil {
			c.t.Fatalf("%s: %v", text, err)
		}
	}
	return answer.StatusCode, string(text)
}

func (c *caller) want(status int, method, path string, body, into any) {
	c.t.Helper()
	if got, says := c.ask(method, path, body, into); got != status {
		c.t.Fatalf("%s %s answers %d %.300s, want %d", method, path, got, says, status)
	}
}

func newID() string { return uuid.Must(uuid.NewV7()).String() }

type clip struct {
	Status, Message string
	Frames          int
	Received        int64
}

// athlete adds somebody, and attempt logs an attempt of theirs.
func (c *caller) athlete(notes string) string {
	c.t.Helper()
	id := newID()
	c.want(200, "POST", "/api/athletes", map[string]any{"id": id, "name": "Wilm " + notes, "sex": "man", "birthYear": 2012, "heightM": 1.6, "frontLeg": "L", "level": "youth", "notes": notes}, nil)
	return id
}

func (c *caller) attempt(athlete string) string {
	c.t.Helper()
	id := newID()
	c.want(200, "POST", "/api/attempts", map[string]any{"id": id, "athleteId": athlete, "event": "sprint-start", "day": "2026-11-24", "place": "Saltmere oval"}, nil)
	return id
}

// film sends a film to be taken apart whole.
func (c *caller) film(attempt string, data []byte) string {
	c.t.Helper()
	id := newID()
	c.want(200, "POST", "/api/attempts/"+attempt+"/clips", map[string]any{"id": id, "name": "a.mp4", "bytes": len(data)}, nil)
	c.want(200, "POST", "/api/clips/"+id+"/part", map[string]any{}, nil)
	c.want(200, "PUT", "/api/clips/"+id+"/bytes", data, nil)
	return id
}

// until waits for a clip to come to a rest.
func (c *caller) until(id string, statuses ...string) clip {
	c.t.Helper()
	var v clip
	for end := time.Now().Add(2 * time.Minute); time.Now().Before(end); time.Sleep(100 * time.Millisecond) {
		if status, _ := c.ask("GET", "/api/clips/"+id, nil, &v); status != 200 {
			continue
		}
		for _, s := range statuses {
			if v.Status == s {
				return v
			}
		}
	}
	c.t.Fatalf("the clip stays %s: %s", v.Status, v.Message)
	return v
}

func clean(t *testing.T) []byte {
	t.Helper()
	data, err := demo.Clip("start-clean")
	if err != nil {
		t.Fatal(err)
	}
	return data
}

// Two programs on one folder: the second one ends with a sentence, and the first
// goes on. A copied folder is a club of its own.
func TestTwoProgramsAndACopiedFolder(t *testing.T) {
	data := program.Club(t)
	p := program.Start(t, data, "demo")
	if second, err := program.Try("127.0.0.1:0", data, "demo"); err == nil {
		second.Stop()
		t.Error("a second program serves the same folder")
	} else if !strings.Contains(err.Error(), "end the program that uses this data first") {
		t.Errorf("the second program says %v", err)
	}
	c := enter(t, p.Base)
	copied := program.Folder(t)
	if out, err := exec.Command("cp", "-a", data+"/.", copied).CombinedOutput(); err != nil {
		t.Fatalf("%v %s", err, out)
	}
	other := program.Start(t, copied, "demo")
	theirs := enter(t, other.Base)
	athlete := theirs.athlete("of the copy")
	if status, _ := c.ask("GET", "/api/athletes/"+athlete, nil, nil); status != 404 {
		t.Errorf("what is noted in the copy answers %d in the original", status)
	}
	if err := other.Stop(); err != nil {
		t.Errorf("the copy ends with %v", err)
	}
	c.want(200, "GET", "/api/today", nil, nil)
	// A restart while the first one is still stopping waits for it.
	go p.Stop()
	time.Sleep(50 * time.Millisecond)
	again, err := program.Try("127.0.0.1:0", data, "demo")
	if err != nil {
		t.Fatalf("a restart during the stop: %v", err)
	}
	defer again.Stop()
	enter(t, again.Base).want(200, "GET", "/api/today", nil, nil)
}

// PostgreSQL that is killed comes back: no answer is lost, and none is wrong for ever.
func TestAKilledDatabaseComesBack(t *testing.T) {
	data := program.Club(t)
	p := program.Start(t, data, "demo")
	c := enter(t, p.Base)
	athlete := c.athlete("before the kill")
	if err := syscall.Kill(program.Postmaster(t, data), syscall.SIGKILL); err != nil {
		t.Fatal(err)
	}
	for end := time.Now().Add(time.Minute); ; time.Sleep(100 * time.Millisecond) {
		status, says := c.ask("GET", "/api/athletes/"+athlete, nil, nil)
		if status == 200 {
			break
		}
		if status != 503 && status != 0 || time.Now().After(end) {
			t.Fatalf("after the kill it answers %d %s", status, says)
		}
	}
	time.Sleep(2 * time.Second) // connections to the one that was killed are found dead
	c.until(c.film(c.attempt(athlete), clean(t)), "ready")
}

// A film that fills the disk is held, and PostgreSQL lives on; on a full disk the
// program starts, so that one can erase; erasing gives the room back.
func TestAFullDisk(t *testing.T) {
	if os.Getenv("NEOKINEMA_LONG") == "" || os.Geteuid() != 0 {
		t.Skip("it takes a minute, and root to make a small disk: NEOKINEMA_LONG=1")
	}
	data := program.Folder(t)
	if out, err := exec.Command("mount", "-t", "tmpfs", "-o", "size=900m,mode=755", "none", data).CombinedOutput(); err != nil {
		t.Skipf("no small disk can be made here: %s", out)
	}
	t.Cleanup(func() { exec.Command("umount", "-l", data).Run() })
	p := program.Start(t, data, "demo", "-reserve", "0.25")
	c := enter(t, p.Base)
	// A megabyte or two that becomes a gigabyte: one picture of noise, a thousand times.
	dir := t.TempDir()
	path, still := filepath.Join(dir, "bomb.mp4"), filepath.Join(dir, "noise.png")
	for _, args := range [][]string{
		{"-f", "lavfi", "-i", "nullsrc=size=1280x720:rate=1,geq=random(1)*255:128:128", "-frames:v", "1", still},
		{"-loop", "1", "-framerate", "30", "-i", still, "-frames:v", "1200", "-c:v", "libx264", "-preset", "ultrafast", "-crf", "28", "-g", "2000", "-pix_fmt", "yuv420p", path},
	} {
		if out, err := exec.Command("ffmpeg", append([]string{"-v", "error"}, args...)...).CombinedOutput(); err != nil {
			t.Fatalf("%v %s", err, out)
		}
	}
	film, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	t.Logf("a film of %.1f MB", float64(len(film))/1e6)
	attempt, id := c.attempt(c.athlete("with a bomb")), newID()
	c.want(200, "POST", "/api/attempts/"+attempt+"/clips", map[string]any{"id": id, "name": "a.mp4", "bytes": len(film)}, nil)
	c.want(200, "POST", "/api/clips/"+id+"/part", map[string]any{"width": 1280}, nil)
	if status, says := c.ask("PUT", "/api/clips/"+id+"/bytes", film, nil); status != 200 && status != 507 {
		t.Fatalf("sending it answers %d %s", status, says)
	} else if status == 507 {
		t.Skip("the film itself is too large for this disk")
	}
	v := c.until(id, "held", "ready", "failed", "choosing")
	if v.Status != "held" || !strings.Contains(v.Message, "erase clips") {
		t.Fatalf("the film is %s: %s", v.Status, v.Message)
	}
	// Somebody else fills the rest.
	fill := filepath.Join(data, "fill")
	out, err := os.Create(fill)
	if err != nil {
		t.Fatal(err)
	}
	block := make([]byte, 1<<20)
	for err == nil {
		_, err = out.Write(block)
	}
	out.Close()
	c.ask("POST", "/api/athletes", map[string]any{"id": newID(), "name": "Too Late", "sex": "man", "birthYear": 2000, "heightM": 1.8, "frontLeg": "L", "level": "youth"}, nil)
	p.Kill()
	_ = syscall.Kill(program.Postmaster(t, data), syscall.SIGKILL)
	time.Sleep(time.Second)
	again := program.Start(t, data, "demo", "-reserve", "0.25")
	c.base = again.Base
	c = enter(t, again.Base)
	if v := c.until(id, "held", "looking", "waiting", "decoding", "ready"); v.Status != "held" {
		t.Errorf("after a start on a full disk the film is %s", v.Status)
	}
	c.want(204, "DELETE", "/api/attempts/"+attempt, nil, nil)
	if err := os.Remove(fill); err != nil {
		t.Fatal(err)
	}
	c.until(c.film(c.attempt(c.athlete("with room again")), clean(t)), "ready")
}

// A person who is erased is gone from the disk: their words, and the bytes of their
// films.
func TestTheErasedAreGone(t *testing.T) {
	data := program.Club(t)
	p := program.Start(t, data, "demo")
	c := enter(t, p.Base)
	const words, bytesOf = "marker-of-a-person-4711", "marker-of-a-film-4712"
	athlete := c.athlete(words)
	attempt := c.attempt(athlete)
	film := append(clean(t), append([]byte{0, 0, 0x20, 0, 'f', 'r', 'e', 'e'}, bytes.Repeat([]byte(bytesOf+" "), 0x2000/len(bytesOf))[:0x2000-8]...)...)
	id := c.film(attempt, film)
	c.until(id, "ready")
	c.want(200, "GET", "/api/clips/"+id+"/frames/40", nil, nil)
	c.want(200, "POST", "/api/attempts/"+attempt+"/commands", map[string]any{"id": newID(), "version": 0, "kind": "note", "note": "good", "words": words}, nil)
	c.want(200, "POST", "/api/playbook/sprint-start/changes", map[string]any{"id": newID(), "scope": "athlete", "value": athlete, "yaml": "care: [\"" + words + "\"]"}, nil)
	holds := func(marker string) []string {
		t.Helper()
		out, err := exec.Command("grep", "-rl", "--binary-files=text", marker, data).Output()
		var ended *exec.ExitError
		if err != nil && !(errors.As(err, &ended) && ended.ExitCode() <= 2) {
			t.Fatal(err)
		}
		return strings.Fields(string(out))
	}
	if len(holds(words)) == 0 || len(holds(bytesOf)) == 0 {
		t.Fatalf("before: %v, %v", holds(words), holds(bytesOf))
	}
	c.want(204, "DELETE", "/api/athletes/"+athlete, nil, nil)
	if left, err := os.ReadDir(filepath.Join(data, "pictures")); err != nil || len(left) != 0 {
		t.Errorf("pictures stay at hand: %v, %v", left, err)
	}
	for end := time.Now().Add(time.Minute); len(holds(words)) > 0 || len(holds(bytesOf)) > 0; time.Sleep(500 * time.Millisecond) {
		if time.Now().After(end) {
			t.Fatalf("after a minute they stand in %v and %v", holds(words), holds(bytesOf))
		}
	}
}

// SIGTERM in the middle of an upload ends the program well, and what arrived stays.
func TestATermDuringAnUpload(t *testing.T) {
	data := program.Club(t)
	p := program.Start(t, data, "demo")
	c := enter(t, p.Base)
	attempt, id := c.attempt(c.athlete("slow line")), newID()
	const size = 32 << 20
	c.want(200, "POST", "/api/attempts/"+attempt+"/clips", map[string]any{"id": id, "name": "a.mp4", "bytes": size}, nil)
	r, w := io.Pipe()
	go func() {
		_, _ = w.Write(make([]byte, 9<<20))
		time.Sleep(time.Minute) // and then the line rests
		w.Close()
	}()
	sent := make(chan struct{})
	go func() {
		defer close(sent)
		q, err := http.NewRequest("PUT", p.Base+"/api/clips/"+id+"/bytes", r)
		if err != nil {
			return
		}
		if answer, err := c.http.Do(q); err == nil {
			answer.Body.Close()
		}
	}()
	var v clip
	for end := time.Now().Add(20 * time.Second); v.Received < 8<<20 && time.Now().Before(end); time.Sleep(50 * time.Millisecond) {
		c.ask("GET", "/api/clips/"+id, nil, &v)
	}
	begin := time.Now()
	if err := p.Signal(syscall.SIGTERM); err != nil {
		t.Fatal(err)
	}
	if err := p.Ended(40 * time.Second); err != nil {
		t.Errorf("after SIGTERM: %v: %s", err, p.Said())
	}
	t.Logf("it ended after %v", time.Since(begin))
	r.Close()
	<-sent
	again := program.Start(t, data, "demo")
	c = enter(t, again.Base)
	c.want(200, "GET", "/api/clips/"+id, nil, &v)
	if v.Status != "uploading" || v.Received < 8<<20 {
		t.Errorf("after the stop %d bytes are here, %s", v.Received, v.Status)
	}
}

// A header that is too long, and more connections than anybody needs, cost nobody
// else anything.
func TestHeadersAreBounded(t *testing.T) {
	p := program.Start(t, program.Club(t), "demo")
	c := enter(t, p.Base)
	r, err := http.NewRequest("GET", p.Base+"/api/state", nil)
	if err != nil {
		t.Fatal(err)
	}
	r.Header.Set("X-Long", strings.Repeat("x", 200<<10))
	answer, err := http.DefaultClient.Do(r)
	if err != nil {
		t.Fatal(err)
	}
	answer.Body.Close()
	if answer.StatusCode != http.StatusRequestHeaderFieldsTooLarge {
		t.Errorf("a header of 200 KB answers %d", answer.StatusCode)
	}
	for range 200 { // connections that say nothing
		conn, err := net.Dial("tcp", strings.TrimPrefix(p.Base, "http://"))
		if err != nil {
			t.Fatal(err)
		}
		defer conn.Close()
	}
	c.want(200, "GET", "/api/today", nil, nil)
}

// A database of a newer program is refused at the start, and left as it is.
func TestANewerSchemaIsRefused(t *testing.T) {
	data := program.Club(t)
	pg, err := postgres.Start(t.Context(), postgres.Options{Folder: data})
	if err != nil {
		t.Fatal(err)
	}
	conn, err := pgx.Connect(t.Context(), pg.URL("neokinema"))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := conn.Exec(t.Context(), `insert into goose_db_version (version_id, is_applied) values (9000, true)`); err != nil {
		t.Fatal(err)
	}
	conn.Close(context.Background())
	if err := pg.Stop(); err != nil {
		t.Fatal(err)
	}
	if p, err := program.Try("127.0.0.1:0", data, "demo"); err == nil {
		p.Stop()
		t.Error("a newer database is opened")
	} else if !strings.Contains(err.Error(), "newer version of the program") {
		t.Errorf("it says %v", err)
	}
}

// What is held of a person comes out whole, and only for who may see them.
func TestAllThatIsHeldComesOut(t *testing.T) {
	p := program.Start(t, program.Club(t), "demo")
	c := enter(t, p.Base)
	athlete := c.athlete("asks what is held")
	c.until(c.film(c.attempt(athlete), clean(t)), "ready")
	status, text := c.ask("GET", "/api/athletes/"+athlete+"/held.zip", nil, nil)
	if status != 200 {
		t.Fatalf("it answers %d", status)
	}
	z, err := zip.NewReader(strings.NewReader(text), int64(len(text)))
	if err != nil {
		t.Fatal(err)
	}
	read := func(name string) []byte {
		t.Helper()
		f, err := z.Open(name)
		if err != nil {
			t.Fatal(err)
		}
		defer f.Close()
		data, err := io.ReadAll(f) // and its checksum
		if err != nil {
			t.Fatal(name, err)
		}
		return data
	}
	for name, want := range map[string]string{"data/athlete.json": "asks what is held", "data/attempts.json": "sprint-start", "data/attempts.csv": "sprint-start", "README.txt": "All that Neokinema holds"} {
		if got := read(name); !bytes.Contains(got, []byte(want)) {
			t.Errorf("%s holds no %q: %.200s", name, want, got)
		}
	}
	films := 0
	for _, f := range z.File {
		if strings.HasPrefix(f.Name, "films/") && bytes.Equal(read(f.Name), clean(t)) {
			films++
		}
	}
	if films != 1 {
		t.Errorf("%d films are as they were sent", films)
	}
	c.want(404, "GET", "/api/athletes/"+newID()+"/held.zip", nil, nil)
}
