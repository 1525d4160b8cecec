// Command load measures how fast Neokinema is, on this machine, and writes the
// figures down:
//
//	go run ./test/load -program bin/neokinema docs/performance.md
package main

import (
	"bufio"
	"bytes"
	"cmp"
	"compress/gzip"
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"log"
	"math"
	"net"
	"net/http"
	"net/http/cookiejar"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"neokinema/core/breakdown"
	"neokinema/demo"
	"neokinema/playbook"
	"neokinema/server/assemble"
	"neokinema/server/postgres"
	"neokinema/server/store"
	"neokinema/test/drive"
)

func main() {
	program := flag.String("program", "bin/neokinema", "the program to measure")
	only := flag.String("only", "", "measure this part alone, as in redrawing, or measuring")
	bare := flag.String("bare", "", "serve this folder's files, to compare with")
	flag.Parse()
	if *bare != "" {
		log.Fatal(serveBare(*bare))
	}
	if flag.NArg() != 1 {
		log.Fatal("say the file to write: load docs/performance.md")
	}
	if *only != "measuring" {
		if err := run(*program, flag.Arg(0), *only); err != nil {
			log.Fatal(err)
		}
	}
	if *only == "" || *only == "measuring" {
		if err := putMeasuring(flag.Arg(0)); err != nil {
			log.Fatal(err)
		}
	}
}

// line is one figure, with what is asked of it.
type line struct {
	what, figure, wanted string
	good                 bool
}

type bench struct {
	base   string
	pid    int
	client *http.Client
	lines  []line
}

func (b *bench) note(good bool, what, wanted, format string, args ...any) {
	b.lines = append(b.lines, line{what, fmt.Sprintf(format, args...), wanted, good})
	fmt.Printf("%s: %s (wanted: %s)\n", what, b.lines[len(b.lines)-1].figure, wanted)
}

// settling is how long the database may tidy up after the demo was loaded.
const settling = 30 * time.Second

// rounds is how often a figure is taken; the middle one counts.
const rounds = 3

// middle measures a few times and returns the p95 and the median of the round
// with the middle p95, ms.
func middle(measure func() ([]time.Duration, error)) (float64, float64, error) {
	type pair struct{ p95, median float64 }
	var all []pair
	for range rounds {
		took, err := measure()
		if err != nil {
			return 0, 0, err
		}
		p, m := p95(took)
		all = append(all, pair{p, m})
	}
	slices.SortFunc(all, func(a, b pair) int { return cmp.Compare(a.p95, b.p95) })
	return all[rounds/2].p95, all[rounds/2].median, nil
}

func run(program, out, only string) error {
	dir, err := os.MkdirTemp("", "neokinema-load-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	if err := os.Chmod(dir, 0o755); err != nil {
		return err
	}
	b, stop, err := start(program, filepath.Join(dir, "data"))
	if err != nil {
		return err
	}
	defer stop()
	time.Sleep(settling)
	for _, part := range []struct {
		name    string
		measure func(string) error
	}{{"weight", b.weight}, {"frames", b.frames}, {"reading", b.reading}, {"stepping", b.stepping}, {"redrawing", b.redrawing}, {"anew", b.anew}, {"long", b.long}, {"finding", b.finding}, {"decoding", b.decoding}, {"upload", b.upload}} {
		if only != "" && only != part.name {
			continue
		}
		if err := part.measure(dir); err != nil {
			return err
		}
	}
	return b.write(out)
}

// start runs the demo and signs in.
func start(program, data string) (*bench, func(), error) {
	cmd := exec.Command(program, "demo", "-quick", "-addr", "127.0.0.1:0", "-data", data)
	cmd.Stderr = os.Stderr
	says, err := cmd.StdoutPipe()
	if err != nil {
		return nil, nil, err
	}
	if err := cmd.Start(); err != nil {
		return nil, nil, err
	}
	stop := func() { _ = cmd.Process.Signal(os.Interrupt); _ = cmd.Wait() }
	b := &bench{pid: cmd.Process.Pid}
	for lines := bufio.NewScanner(says); b.base == "" && lines.Scan(); {
		if _, addr, ok := strings.Cut(lines.Text(), "ready: "); ok {
			b.base = addr
		}
	}
	go io.Copy(io.Discard, says)
	jar, err := cookiejar.New(nil)
	if err != nil {
		stop()
		return nil, nil, err
	}
	b.client = &http.Client{Jar: jar, Transport: &http.Transport{MaxIdleConnsPerHost: 64}}
	if err := b.ask("POST", "/api/sign-in/demo", nil, nil); err != nil {
		stop()
		return nil, nil, err
	}
	return b, stop, nil
}

func (b *bench) ask(method, path string, body io.Reader, into any) error {
	r, err := http.NewRequest(method, b.base+path, body)
	if err != nil {
		return err
	}
	r.Header.Set("Content-Type", map[bool]string{true: "application/octet-stream", false: "application/json"}[method == "PUT"])
	answer, err := b.client.Do(r)
	if err != nil {
		return err
	}
	defer answer.Body.Close()
	data, err := io.ReadAll(answer.Body)
	if err != nil {
		return err
	}
	if answer.StatusCode >= 300 {
		return fmt.Errorf("%s %s answers %d %s", method, path, answer.StatusCode, data)
	}
	if into == nil {
		return nil
	}
	return json.Unmarshal(data, into)
}

type clip struct {
	ID, Status, Message string
	First, Frames       int
}

type today struct {
	Day      string
	Attempts []struct{ ID, Athlete, Clip string }
	Athletes []struct{ ID string }
}

// film declares a clip of a new attempt.
func (b *bench) film(size int64) (attempt, id string, err error) {
	var t today
	if err := b.ask("GET", "/api/today", nil, &t); err != nil {
		return "", "", err
	}
	attempt = uuid.Must(uuid.NewV7()).String()
	id = uuid.Must(uuid.NewV7()).String()
	for path, body := range map[string]string{
		"/api/attempts": fmt.Sprintf(`{"id": %q, "athleteId": %q, "event": "sprint-start", "day": %q, "place": "bench"}`, attempt, t.Athletes[0].ID, t.Day),
	} {
		if err := b.ask("POST", path, strings.NewReader(body), nil); err != nil {
			return "", "", err
		}
	}
	return attempt, id, b.ask("POST", "/api/attempts/"+attempt+"/clips", strings.NewReader(fmt.Sprintf(`{"id": %q, "name": "bench.mp4", "bytes": %d}`, id, size)), nil)
}

// sent is a new attempt's film that has come in, and waits for its part to be chosen.
func (b *bench) sent(film []byte) (attempt, id string, err error) {
	if attempt, id, err = b.film(int64(len(film))); err != nil {
		return "", "", err
	}
	if err := b.ask("PUT", "/api/clips/"+id+"/bytes", bytes.NewReader(film), nil); err != nil {
		return "", "", err
	}
	_, err = b.until(id, "choosing")
	return attempt, id, err
}

// until waits for a clip.
func (b *bench) until(id string, states ...string) (c clip, err error) {
	for end := time.Now().Add(10 * time.Minute); ; time.Sleep(5 * time.Millisecond) {
		if err := b.ask("GET", "/api/clips/"+id, nil, &c); err != nil {
			return c, err
		}
		if slices.Contains(states, c.Status) {
			return c, nil
		}
		if c.Status == "failed" || time.Now().After(end) {
			return c, fmt.Errorf("the clip is %s: %s", c.Status, c.Message)
		}
	}
}

// decoding compares the way from a chosen part to stored pictures with what
// ffmpeg alone takes for the same JPEGs.
func (b *bench) decoding(dir string) error {
	path := filepath.Join(dir, "bench.mp4")
	const pictures = 1200
	make := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", fmt.Sprintf("testsrc2=size=1280x720:rate=240:duration=%d", pictures/240), "-vf", "noise=alls=3:allf=t", "-c:v", "libx264", "-preset", "fast", "-pix_fmt", "yuv420p", path)
	if out, err := make.CombinedOutput(); err != nil {
		return fmt.Errorf("%s %w", out, err)
	}
	alone := func() (time.Duration, error) {
		cmd := exec.Command("ffmpeg", "-nostdin", "-v", "error", "-i", path, "-vf", "scale=1280:-2:out_range=pc,format=yuvj420p", "-c:v", "mjpeg", "-q:v", "3", "-f", "image2pipe", "pipe:1")
		began := time.Now()
		err := cmd.Run()
		return time.Since(began), err
	}
	film, err := os.ReadFile(path)
	if err != nil {
		return err
	}
	var shares []float64
	var rate float64
	for range 3 {
		bare, err := alone()
		if err != nil {
			return err
		}
		_, id, err := b.sent(film)
		if err != nil {
			return err
		}
		began := time.Now()
		if err := b.ask("POST", "/api/clips/"+id+"/part", strings.NewReader("{}"), nil); err != nil {
			return err
		}
		if _, err := b.until(id, "ready"); err != nil {
			return err
		}
		took := time.Since(began)
		shares = append(shares, bare.Seconds()/took.Seconds())
		rate = math.Max(rate, pictures/took.Seconds())
	}
	slices.Sort(shares)
	b.note(shares[1] >= 0.8, "decoded to stored, against ffmpeg alone to JPEG, 1280 × 720, 1200 pictures, median of 3", "at least 0.8 of its speed", "%.2f, %.0f pictures a second", shares[1], rate)
	return nil
}

// finding takes the Bench's times while the server finds bodies on films that came in.
func (b *bench) finding(string) error {
	film, err := demo.Clip("hammer-clean-back")
	if err != nil {
		return err
	}
	attempt, shown, err := b.demo()
	if err != nil {
		return err
	}
	var last string
	for range 3 { // more than can be looked at while the times are taken
		of, id, err := b.sent(film)
		if err != nil {
			return err
		}
		if err := b.ask("POST", "/api/clips/"+id+"/part", strings.NewReader("{}"), nil); err != nil {
			return err
		}
		if _, err := b.until(id, "ready"); err != nil {
			return err
		}
		last = of
	}
	var pictures, changes []time.Duration
	var bench struct{ Version int }
	if err := b.ask("GET", "/api/attempts/"+attempt, nil, &bench); err != nil {
		return err
	}
	for i := range 150 {
		began := time.Now()
		answer, err := b.client.Get(fmt.Sprintf("%s/api/clips/%s/frames/%d", b.base, shown, (7*i)%397))
		if err != nil {
			return err
		}
		_, err = io.Copy(io.Discard, answer.Body)
		if err := errors.Join(err, answer.Body.Close()); err != nil {
			return err
		}
		pictures = append(pictures, time.Since(began))
		if i%3 > 0 {
			continue
		}
		began = time.Now()
		wish := fmt.Sprintf(`{"id": %q, "version": %d, "kind": "note", "note": "good", "words": "quiet hands %d"}`, uuid.Must(uuid.NewV7()), bench.Version, i)
		if err := b.ask("POST", "/api/attempts/"+attempt+"/commands", strings.NewReader(wish), &bench); err != nil {
			return err
		}
		changes = append(changes, time.Since(began))
	}
	var found []struct{ State string }
	if err := b.ask("GET", "/api/attempts/"+last+"/followings", nil, &found); err != nil {
		return err
	}
	if len(found) == 0 || found[0].State == "done" {
		return fmt.Errorf("the server had nothing to look at any more, or no models (make models): %v", found)
	}
	p, m := p95(pictures)
	q, n := p95(changes)
	b.note(p < 10 && q < 50, "a picture over HTTP, and a change stored for good, while the server finds bodies on three films", "p95 under 10 and 50 ms", "p95 %.1f and %.1f ms, median %.1f and %.1f ms", p, q, m, n)
	return nil
}

// upload sends a large file and watches the server's memory.
func (b *bench) upload(dir string) error {
	const size = 1 << 30
	before := resident(b.pid)
	_, id, err := b.film(size)
	if err != nil {
		return err
	}
	most := before
	done := make(chan struct{})
	var wait sync.WaitGroup
	wait.Go(func() {
		for {
			select {
			case <-done:
				return
			case <-time.After(50 * time.Millisecond):
				most = max(most, resident(b.pid))
			}
		}
	})
	began := time.Now()
	err = b.ask("PUT", "/api/clips/"+id+"/bytes", io.LimitReader(zeros{}, size), nil)
	took := time.Since(began)
	close(done)
	wait.Wait()
	if err != nil {
		return err
	}
	b.note(most-before < 200<<20, "memory of the server while 1 GB streams in", "under 200 MB more than at rest", "%d MB at rest, %d MB at most; %.0f MB a second", before>>20, most>>20, size/1e6/took.Seconds())
	if _, err := b.until(id, "nothing"); err == nil || !strings.Contains(err.Error(), "not a film") {
		return fmt.Errorf("a gigabyte of zeros: %w", err)
	}
	return b.ask("DELETE", "/api/clips/"+id, nil, nil)
}

type zeros struct{}

func (zeros) Read(p []byte) (int, error) { clear(p); return len(p), nil }

// resident is a process's memory, bytes.
func resident(pid int) int64 {
	data, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
	if err != nil {
		return 0
	}
	for l := range strings.Lines(string(data)) {
		var kb int64
		if n, _ := fmt.Sscanf(l, "VmRSS: %d kB", &kb); n == 1 {
			return kb << 10
		}
	}
	return 0
}

// p95 is the time under which 95 of 100 lie, ms, and the median.
func p95(took []time.Duration) (p95, median float64) {
	slices.Sort(took)
	at := func(share float64) float64 {
		return float64(took[int(share*float64(len(took)-1))]) / float64(time.Millisecond)
	}
	return at(0.95), at(0.5)
}

// demo is the attempt that is worked through: the first athlete's of the demo
// that has a film and is judged.
func (b *bench) demo() (attempt, clip string, err error) {
	var t struct{ Athletes []struct{ ID, Name string } }
	if err := b.ask("GET", "/api/today", nil, &t); err != nil {
		return "", "", err
	}
	for _, a := range t.Athletes {
		if !strings.HasPrefix(a.Name, "Ilse") {
			continue
		}
		var page struct {
			Items []struct {
				ID   string
				Film bool
			}
		}
		if err := b.ask("GET", "/api/athletes/"+a.ID+"/attempts", nil, &page); err != nil {
			return "", "", err
		}
		for _, one := range page.Items {
			if one.Film {
				var found struct{ Clip struct{ ID string } }
				err := b.ask("GET", "/api/attempts/"+one.ID, nil, &found)
				return one.ID, found.Clip.ID, err
			}
		}
	}
	return "", "", errors.New("the demo lacks its attempt")
}

// firstScreen is how much scripts and styles of the first screen may weigh, kB gzip.
const firstScreen = 300

// weight opens the first screen and weighs the scripts and styles that it asks for.
func (b *bench) weight(string) error {
	c, err := drive.Sit(b.base, 1280, 800)
	if err != nil {
		return err
	}
	defer c.Leave()
	c.See("Come in as the demo coach")
	var packed bytes.Buffer
	for _, file := range c.Page.MustEval(`() => performance.getEntriesByType('resource').map((e) => new URL(e.name).pathname).filter((p) => /\.(js|css)$/.test(p))`).Arr() {
		answer, err := b.client.Get(b.base + file.Str())
		if err != nil {
			return err
		}
		z := gzip.NewWriter(&packed)
		_, err = io.Copy(z, answer.Body)
		if err := errors.Join(err, answer.Body.Close(), z.Close()); err != nil {
			return err
		}
	}
	kB := float64(packed.Len()) / 1000
	b.note(kB > 0 && kB <= firstScreen, "scripts and styles of the first screen, gzip", fmt.Sprintf("%d kB at most", firstScreen), "%.0f kB", kB)
	return nil
}

// frames reads single pictures as twenty coaches stepping through a film do:
// each asks for one, and a display frame later for the next.
func (b *bench) frames(string) error {
	_, id, err := b.demo()
	if err != nil {
		return err
	}
	const readers, each, pace = 20, 150, time.Second / 30
	p, m, err := middle(func() (took []time.Duration, failure error) {
		var mu sync.Mutex
		var wait sync.WaitGroup
		for r := range readers {
			wait.Go(func() {
				for i := range each {
					began := time.Now()
					answer, err := b.client.Get(fmt.Sprintf("%s/api/clips/%s/frames/%d", b.base, id, (r*37+i)%397))
					if err == nil {
						_, err = io.Copy(io.Discard, answer.Body)
						answer.Body.Close()
					}
					spent := time.Since(began)
					mu.Lock()
					took, failure = append(took, spent), errors.Join(failure, err)
					mu.Unlock()
					time.Sleep(max(0, pace-spent))
				}
			})
		}
		wait.Wait()
		return took, failure
	})
	b.note(p < 10, "a picture over HTTP, 20 readers, each playing 30 a second", "p95 under 10 ms", "p95 %.1f ms, median %.1f ms, of %d", p, m, readers*each)
	if err != nil {
		return err
	}
	return b.flatOut(id, readers)
}

// flatOut compares pictures as fast as they come with a bare file server of the same
// bytes, both in processes of their own, with the same readers.
func (b *bench) flatOut(clip string, readers int) error {
	dir, err := os.MkdirTemp("", "neokinema-bare-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	const pictures = 397
	for i := range pictures {
		answer, err := b.client.Get(fmt.Sprintf("%s/api/clips/%s/frames/%d", b.base, clip, i))
		if err != nil {
			return err
		}
		data, err := io.ReadAll(answer.Body)
		answer.Body.Close()
		if err == nil {
			err = os.WriteFile(filepath.Join(dir, strconv.Itoa(i)), data, 0o600)
		}
		if err != nil {
			return err
		}
	}
	self, err := os.Executable()
	if err != nil {
		return err
	}
	cmd := exec.Command(self, "-bare", dir)
	says, err := cmd.StdoutPipe()
	if err != nil {
		return err
	}
	if err := cmd.Start(); err != nil {
		return err
	}
	defer func() { _ = cmd.Process.Kill(); _ = cmd.Wait() }()
	line, err := bufio.NewReader(says).ReadString('\n')
	if err != nil {
		return err
	}
	rate := func(address string) (float64, error) {
		var best []float64
		for range rounds {
			const lasts = 5 * time.Second
			var n atomic.Int64
			var failure error
			var wait sync.WaitGroup
			var once sync.Once
			end := time.Now().Add(lasts)
			for r := range readers {
				wait.Go(func() {
					for i := r * 37; time.Now().Before(end); i++ {
						answer, err := b.client.Get(address + strconv.Itoa(i%pictures))
						if err == nil {
							_, err = io.Copy(io.Discard, answer.Body)
							answer.Body.Close()
						}
						if err != nil {
							once.Do(func() { failure = err })
							return
						}
						n.Add(1)
					}
				})
			}
			wait.Wait()
			if failure != nil {
				return 0, failure
			}
			best = append(best, float64(n.Load())/lasts.Seconds())
		}
		slices.Sort(best)
		return best[rounds/2], nil
	}
	bare, err := rate(strings.TrimSpace(line) + "/")
	if err != nil {
		return err
	}
	ours, err := rate(fmt.Sprintf("%s/api/clips/%s/frames/", b.base, clip))
	if err != nil {
		return err
	}
	b.note(ours > bare/3, "pictures a second, 20 readers flat out, beside a bare Go file server with the same bytes", "a third of its rate", "%.0f, the bare server %.0f: %.0f %%", ours, bare, 100*ours/bare)
	return nil
}

// serveBare is the bare file server, until it is killed.
func serveBare(dir string) error {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return err
	}
	fmt.Printf("http://%s\n", l.Addr())
	return http.Serve(l, http.FileServer(http.Dir(dir)))
}

// reading computes measures and judging anew, each time for a landmark that
// stands elsewhere.
func (b *bench) reading(string) error {
	attempt, _, err := b.demo()
	if err != nil {
		return err
	}
	var bench struct {
		Version   int
		Landmarks []struct {
			Frame int
			Name  string
			X, Y  float64
		}
	}
	path := "/api/attempts/" + attempt
	if err := b.ask("GET", path, nil, &bench); err != nil {
		return err
	}
	if err := b.computing(attempt); err != nil {
		return err
	}
	var took, stored []time.Duration
	for i := range 120 {
		l := bench.Landmarks[i%len(bench.Landmarks)]
		body := fmt.Sprintf(`{"id": %q, "version": %d, "kind": "landmark", "frame": %d, "landmark": %q, "at": {"x": %f, "y": %f}}`, uuid.Must(uuid.NewV7()), bench.Version+i, l.Frame, l.Name, l.X+0.01*float64(i%2), l.Y)
		began := time.Now()
		if err := b.ask("POST", path+"/commands", strings.NewReader(body), nil); err != nil {
			return err
		}
		stored = append(stored, time.Since(began))
		began = time.Now()
		if err := b.ask("GET", path+"/reading", nil, nil); err != nil {
			return err
		}
		took = append(took, time.Since(began))
	}
	p, m := p95(took)
	b.note(m < 20, "the same over HTTP, with the database before and after", "median under 20 ms", "p95 %.1f ms, median %.1f ms", p, m)
	p, m = p95(stored)
	b.note(p < 50, "a change on the Bench, stored for good", "under 50 ms", "p95 %.1f ms, median %.1f ms", p, m)
	return nil
}

// many attempts are judged anew.
const many = 10000

// copies are attempts like one, with its film's instants and all that was put in
// on its Bench, and no pictures.
const copies = `
	create temp table twin as select gen_random_uuid() attempt, gen_random_uuid() clip from generate_series(1, $2);
	insert into attempt select (jsonb_populate_record(o, jsonb_build_object('id', w.attempt))).* from attempt o, twin w where o.id = $1;
	insert into clip select (jsonb_populate_record(o, jsonb_build_object('id', w.clip, 'attempt_id', w.attempt))).* from clip o, twin w where o.attempt_id = $1;
	insert into stamp select (jsonb_populate_record(o, jsonb_build_object('attempt_id', w.attempt))).* from stamp o, twin w where o.attempt_id = $1;
	insert into landmark select (jsonb_populate_record(o, jsonb_build_object('attempt_id', w.attempt))).* from landmark o, twin w where o.attempt_id = $1;
	insert into calibration select (jsonb_populate_record(o, jsonb_build_object('attempt_id', w.attempt))).* from calibration o, twin w where o.attempt_id = $1`

// anew times the judging anew of many attempts after a change of their playbook,
// and how long a coach waits for a reading meanwhile.
func (b *bench) anew(dir string) error {
	attempt, _, err := b.demo()
	if err != nil {
		return err
	}
	ctx := context.Background()
	pg, err := postgres.Start(ctx, postgres.Options{Folder: filepath.Join(dir, "data")})
	if err != nil {
		return err
	}
	db, err := pgx.Connect(ctx, pg.URL("neokinema"))
	if err != nil {
		return err
	}
	defer db.Close(ctx)
	for _, sql := range strings.Split(copies, ";") {
		var given []any
		for i, v := range []any{uuid.MustParse(attempt), many} {
			if strings.Contains(sql, fmt.Sprintf("$%d", i+1)) {
				given = append(given, v)
			}
		}
		if _, err := db.Exec(ctx, strings.Replace(sql, "$2", "$1", 1), given...); err != nil {
			return err
		}
	}
	if _, err := db.Exec(ctx, "analyze"); err != nil {
		return err
	}
	path := "/api/playbook/sprint-start/changes"
	wish := `{"id": %q, "scope": "club", "value": "", "yaml": "bands: [{measure: front-knee, band: {at: set, low: 87, high: 104, class: C}}]"}`
	began := time.Now()
	if err := b.ask("POST", path, strings.NewReader(fmt.Sprintf(wish, uuid.Must(uuid.NewV7()))), nil); err != nil {
		return err
	}
	var took []time.Duration
	for {
		var now struct {
			Judging struct {
				State       string
				Done, Total int
			}
		}
		asked := time.Now()
		if err := b.ask("GET", "/api/attempts/"+attempt+"/reading", nil, nil); err != nil {
			return err
		}
		took = append(took, time.Since(asked))
		if err := b.ask("GET", path, nil, &now); err != nil {
			return err
		}
		if now.Judging.State == "done" {
			break
		}
		if time.Since(began) > time.Hour {
			return fmt.Errorf("%d of %d attempts judged anew in an hour", now.Judging.Done, now.Judging.Total)
		}
		time.Sleep(500 * time.Millisecond)
	}
	all := time.Since(began)
	p, m := p95(took)
	b.note(true, fmt.Sprintf("%d attempts judged anew after a change of their playbook, in the background", many), "shows how far it is", "%.0f s, %.0f ms an attempt; a reading meanwhile: p95 %.0f ms, median %.0f ms", all.Seconds(), all.Seconds()*1000/many, p, m)
	return nil
}

// computing times the core with what the demo's coach put in.
func (b *bench) computing(attempt string) error {
	var raw struct {
		Day     string
		School  string
		Athlete struct {
			Sex, FrontLeg, Level string
			HeightM              float64
		}
		Clip struct {
			Width, Height, Frames     int
			PlaybackRate, CaptureRate float64
			View                      string
			Rightward                 bool
		}
		Stamps      map[string]int
		Landmarks   []breakdown.Landmark
		Calibration breakdown.Calibration
		Looks       map[string]string
	}
	if err := b.ask("GET", "/api/attempts/"+attempt, nil, &raw); err != nil {
		return err
	}
	books, err := playbook.Load()
	if err != nil {
		return err
	}
	c := raw.Clip
	in := store.Bench{
		Attempt: store.Attempt{School: raw.School}, Athlete: store.Athlete{Sex: raw.Athlete.Sex, FrontLeg: raw.Athlete.FrontLeg, Level: raw.Athlete.Level, HeightM: raw.Athlete.HeightM},
		Clip:      &store.Clip{Status: "ready", Width: c.Width, KeptWidth: c.Width, Height: c.Height, Frames: c.Frames, BaseNum: 1, BaseDen: 30, PlaybackRate: c.PlaybackRate, CaptureRate: c.CaptureRate, View: c.View, Rightward: c.Rightward},
		Breakdown: breakdown.Breakdown{Stamps: raw.Stamps, Landmarks: raw.Landmarks, Calibration: raw.Calibration, Looks: raw.Looks},
	}
	pts := make([]int64, c.Frames)
	for i := range pts {
		pts[i] = int64(i)
	}
	p, m, err := middle(func() (took []time.Duration, err error) {
		for range 100 {
			began := time.Now()
			if _, err := assemble.Read(books["sprint-start"], in, pts, nil, assemble.History{}); err != nil {
				return nil, err
			}
			took = append(took, time.Since(began))
		}
		return took, nil
	})
	if err != nil {
		return err
	}
	b.note(p < 20, "all measures and the judging of an attempt, computed", "under 20 ms", "p95 %.1f ms, median %.1f ms", p, m)
	return nil
}

// steps goes through pictures with the keyboard, at the pace of a held key, and
// times each from the key to the drawn picture.
const steps = `async (n) => {
	const draw = CanvasRenderingContext2D.prototype.drawImage
	let drawn
	CanvasRenderingContext2D.prototype.drawImage = function (...a) { draw.apply(this, a); drawn?.() }
	const wait = (ms) => new Promise((r) => setTimeout(r, ms))
	const took = []
	for (let i = 0; i < n; i++) {
		const began = performance.now()
		const done = new Promise((r) => { drawn = () => r(performance.now() - began) })
		document.body.dispatchEvent(new KeyboardEvent('keydown', { key: i < n / 2 ? 'd' : 's', bubbles: true }))
		took.push(await done)
		drawn = undefined
		await wait(Math.max(0, 33 - (performance.now() - began)))
	}
	CanvasRenderingContext2D.prototype.drawImage = draw
	return took
}`

func (b *bench) stepping(string) error {
	c, err := drive.Sit(b.base, 1280, 800)
	if err != nil {
		return err
	}
	defer c.Leave()
	c.Press("Come in as the demo coach")
	c.OpenAttempt("Ilse Marrowby", "Measure")
	c.See("Your hand on this film")
	c.Page.MustEval(steps, 40) // warm
	p, m, err := middle(func() (took []time.Duration, err error) {
		for _, ms := range c.Page.MustEval(steps, 240).Arr() {
			took = append(took, time.Duration(ms.Num()*float64(time.Millisecond)))
		}
		return took, nil
	})
	if err != nil {
		return err
	}
	b.note(p <= 16.7, "one picture on or back in Chromium, from the key to the drawn picture, warm", "p95 within a display frame, 16.7 ms", "p95 %.1f ms, median %.1f ms, of 240", p, m)
	heap := c.Page.MustEval(`() => performance.memory.usedJSHeapSize`).Num() / 1e6
	b.note(heap < 150, "memory of the page's scripts; decoded pictures are held to 256 MB more", "under 150 MB", "%.0f MB", heap)
	return nil
}

// crowd makes what the page is told of a film as much as it may ever be: 1,500
// pictures and 200 stamps.
const crowd = `
	const ask = window.fetch
	window.fetch = async (...a) => {
		const r = await ask(...a), url = a[0].url ?? a[0]
		const again = (d) => new Response(JSON.stringify(d), { status: r.status, headers: r.headers })
		if (/\/attempts\/[^/]+\/reading$/.test(url)) {
			const d = await r.clone().json()
			const many = (list, n, move) => Array.from({ length: n }, (_, i) => move({ ...list[i % list.length] }, 0.025 * i))
			d.keyTimes = many(d.keyTimes, 200, (x, t) => ({ ...x, t, keyId: x.keyId + '~' + t }))
			d.contacts = many(d.contacts, 100, (x, t) => ({ ...x, from: x.from && x.from + '~' + t, to: x.to && x.to + '~' + t, start: 2 * t, end: 2 * t + 0.03, openStart: false, openEnd: false }))
			const spoke = (t, place, what, foot, azimuth) => ({ keyId: place + t, name: place, frame: 20 * t, what, foot, azimuth, u: 4, degrees: azimuth % 360, clockA: '4:10', clockB: '10:10', within: '0:16' })
			d.wheel = { rightHanded: true, rings: [1, 2, 3, 4].map((t) => { const z = 360 * (t - 1); return { turn: t, arcs: [{ from: z + 70, to: z + 235, feet: 1 }, { from: z + 235, to: z + 430, feet: 2 }],
				spokes: [spoke(t, 'off', 'off', 'push', z + 70), spoke(t, 'high', 'high', '', z + 185), spoke(t, 'down', 'down', 'push', z + 235), spoke(t, 'low', 'low', '', z + 362)] } }) }
			d.phases = many(d.phases, 100, (x, t) => ({ ...x, id: 'p' + t, from: 2 * t, to: 2 * t + 0.05 }))
			return again(d)
		}
		if (/\/attempts\/[^/]+$/.test(url) && r.headers.get('content-type')?.includes('json')) {
			const d = await r.clone().json()
			if (d.clip?.times) {
				const n = d.clip.times.length, step = d.clip.times[1] - d.clip.times[0]
				d.clip.times = Array.from({ length: 1500 }, (_, i) => d.clip.times[0] + i * step)
				d.clip.frames = 1500
			}
			return again(d)
		}
		return r
	}`

// redraws zooms the score and times each from the wheel to the changed drawing.
const redraws = `async (n) => {
	const score = document.querySelector('svg[role=slider]')
	const took = []
	for (let i = 0; i < n; i++) {
		const done = new Promise((r) => { const o = new MutationObserver(() => { o.disconnect(); r(performance.now()) }); o.observe(score, { subtree: true, attributes: true, childList: true }) })
		const began = performance.now()
		score.dispatchEvent(new WheelEvent('wheel', { deltaY: i % 20 < 10 ? -40 : 40, clientX: 700, bubbles: true, cancelable: true }))
		took.push(await done - began)
		await new Promise((r) => setTimeout(r, 33))
	}
	return took
}`

// dials changes how the turn wheel is read and times each from the press to the
// changed drawing.
const dials = `async (n) => {
	const wheel = document.querySelector('svg[aria-label^="Turn wheel"]')
	const pills = [...document.querySelectorAll('[aria-label="How directions are read"] button')]
	const took = []
	for (let i = 0; i < n; i++) {
		const done = new Promise((r) => { const o = new MutationObserver(() => { o.disconnect(); r(performance.now()) }); o.observe(wheel, { subtree: true, attributes: true, childList: true, characterData: true }) })
		const began = performance.now()
		pills[(i + 1) % pills.length].click()
		took.push(await done - began)
		await new Promise((r) => setTimeout(r, 150))
	}
	return took
}`

func (b *bench) redrawing(string) error {
	c, err := drive.Sit(b.base, 1280, 800)
	if err != nil {
		return err
	}
	defer c.Leave()
	c.Press("Come in as the demo coach")
	c.See("Today")
	c.Page.MustEvalOnNewDocument(crowd)
	c.Page.MustReload().MustWaitLoad()
	c.OpenAttempt("Ilse Marrowby", "Split")
	c.Wait(`() => document.querySelectorAll('svg[role=slider] rect[data-edge]').length > 150`)
	c.Page.MustEval(redraws, 20) // warm
	p, m, err := middle(func() (took []time.Duration, err error) {
		for _, ms := range c.Page.MustEval(redraws, 120).Arr() {
			took = append(took, time.Duration(ms.Num()*float64(time.Millisecond)))
		}
		return took, nil
	})
	if err != nil {
		return err
	}
	b.note(p <= 16.7, "the score drawn anew at another zoom, 200 stamps, 1,500 pictures", "p95 within a display frame, 16.7 ms", "p95 %.1f ms, median %.1f ms, of 120", p, m)
	c.Press("wheel")
	c.Page.MustEval(dials, 6) // warm
	p, m, err = middle(func() (took []time.Duration, err error) {
		for _, ms := range c.Page.MustEval(dials, 30).Arr() {
			took = append(took, time.Duration(ms.Num()*float64(time.Millisecond)))
		}
		return took, nil
	})
	if err != nil {
		return err
	}
	b.note(p <= 16.7, "the turn wheel of four turns drawn anew in another dial", "p95 within a display frame, 16.7 ms", "p95 %.1f ms, median %.1f ms, of 30", p, m)
	return nil
}

// strides goes through a film as a coach does, ten pictures at a time.
const strides = `async (n) => {
	const key = (key) => document.body.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }))
	for (let i = 0; i < n; i++) {
		key(i % 4 === 3 ? 's' : 'd')
		await new Promise((r) => setTimeout(r, 20))
	}
}`

// long opens a film of 3,000 pictures and goes through a good part of it.
func (b *bench) long(dir string) error {
	path := filepath.Join(dir, "long.mp4")
	make := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc2=size=1280x720:rate=240:duration=12.5", "-c:v", "libx264", "-preset", "ultrafast", "-pix_fmt", "yuv420p", path)
	if out, err := make.CombinedOutput(); err != nil {
		return fmt.Errorf("%s %w", out, err)
	}
	film, err := os.ReadFile(path)
	if err != nil {
		return err
	}
	_, id, err := b.film(int64(len(film)))
	if err != nil {
		return err
	}
	if err := b.ask("POST", "/api/clips/"+id+"/part", strings.NewReader("{}"), nil); err != nil {
		return err
	}
	if err := b.ask("PUT", "/api/clips/"+id+"/bytes", bytes.NewReader(film), nil); err != nil {
		return err
	}
	if _, err := b.until(id, "ready"); err != nil {
		return err
	}
	var t today
	if err := b.ask("GET", "/api/today", nil, &t); err != nil {
		return err
	}
	i := slices.IndexFunc(t.Attempts, func(a struct{ ID, Athlete, Clip string }) bool { return a.Clip == id })
	c, err := drive.Sit(b.base, 1280, 800)
	if err != nil {
		return err
	}
	defer c.Leave()
	c.Press("Come in as the demo coach")
	c.See("Today")
	c.Go("/attempts/" + t.Attempts[i].ID + "/watch")
	c.Wait(`() => !!document.querySelector('canvas')`)
	c.Page.MustEval(strides, 1500)
	most := pageMemory()
	b.note(most < 600<<20, "memory of the page's process with a film of 3,000 pictures, 1280 × 720, after 1,500 steps", "under 600 MB", "%d MB", most>>20)
	return nil
}

// pageMemory is that of the largest of our browser's pages, bytes.
func pageMemory() (most int64) {
	all, err := filepath.Glob("/proc/[0-9]*")
	if err != nil {
		return 0
	}
	for _, dir := range all {
		command, err := os.ReadFile(filepath.Join(dir, "cmdline"))
		pid, bad := strconv.Atoi(filepath.Base(dir))
		if err == nil && bad == nil && bytes.Contains(command, []byte("--type=renderer")) && ours(pid) {
			most = max(most, resident(pid))
		}
	}
	return most
}

// ours tells whether this process started another, itself or through others.
func ours(pid int) bool {
	for pid > 1 && pid != os.Getpid() {
		stat, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
		if err != nil {
			return false
		}
		_, rest, _ := strings.Cut(string(stat), ") ")
		fields := strings.Fields(rest)
		if len(fields) < 2 {
			return false
		}
		if pid, err = strconv.Atoi(fields[1]); err != nil {
			return false
		}
	}
	return pid > 1
}

func (b *bench) write(path string) error {
	ctx, stop := context.WithTimeout(context.Background(), 10*time.Second)
	defer stop()
	commit, err := exec.CommandContext(ctx, "git", "rev-parse", "--short", "HEAD").Output()
	if err != nil {
		return err
	}
	var out strings.Builder
	fmt.Fprintf(&out, "# Performance\n\nMade by `make proof` on %s, at commit %s, on %d cores, with everything (server, database, browser, readers) on the same machine. Each figure is the middle one of three rounds.\n\n| what | wanted | measured | |\n|---|---|---|---|\n",
		time.Now().Format("2 January 2006"), strings.TrimSpace(string(commit)), runtime.NumCPU())
	for _, l := range b.lines {
		fmt.Fprintf(&out, "| %s | %s | %s | %s |\n", l.what, l.wanted, l.figure, map[bool]string{true: "met", false: "**not met**"}[l.good])
	}
	out.WriteString("\nThe core alone: `go test -bench . ./core/... ./server/...`.\n")
	return os.WriteFile(path, []byte(out.String()), 0o644)
}
