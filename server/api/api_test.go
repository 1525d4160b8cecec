package api_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"
	"github.com/getkin/kin-openapi/routers/gorillamux"

	"neokinema/core/body"
	"neokinema/demo"
	"neokinema/playbook"
	"neokinema/server/api"
	"neokinema/server/auth"
	"neokinema/server/detect"
	"neokinema/server/disk"
	"neokinema/server/postgres/pgtest"
	"neokinema/server/store"
	"neokinema/server/store/storetest"
	"neokinema/server/tasks"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

// free is how much room the disk of the tests has left.
var free int64 = 1 << 40

// house is a running server with a coach's browser and its contract.
type house struct {
	t      testing.TB
	base   string
	server *api.Server
	store  *store.Store
	router routers.Router
	http   *http.Client
}

func open(t testing.TB, asDemo bool) *house {
	t.Helper()
	s := storetest.Open(t)
	log := slog.New(slog.NewTextHandler(t.Output(), &slog.HandlerOptions{Level: slog.LevelError}))
	books, err := playbook.Load()
	if err != nil {
		t.Fatal(err)
	}
	queue, err := tasks.Start(context.Background(), s, books, detect.Folder(), log)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { queue.Stop(context.Background()) })
	srv := &api.Server{Models: detect.Folder(), Store: s, Tasks: queue, Playbooks: books, Log: log, Now: func() time.Time { return time.Date(2026, 11, 24, 12, 0, 0, 0, time.UTC) },
		Room: disk.Room{Reserve: disk.UsualReserve, Free: func() (int64, error) { return free, nil }}}
	if srv.Frames, err = api.NewFrames(t.TempDir(), 1<<30, srv.Room); err != nil {
		t.Fatal(err)
	}
	if asDemo {
		srv.DemoLogin = demo.Login
	}
	doc, err := openapi3.NewLoader().LoadFromFile("../../api/openapi.yaml")
	if err != nil {
		t.Fatal(err)
	}
	if err := doc.Validate(t.Context()); err != nil {
		t.Fatal(err)
	}
	router, err := gorillamux.NewRouter(doc)
	if err != nil {
		t.Fatal(err)
	}
	h := &house{t: t, server: srv, store: s, router: router}
	h.http = h.browser()
	h.serve()
	return h
}

// serve opens the door, as the server is set now.
func (h *house) serve() {
	web := fstest.MapFS{"index.html": {Data: []byte("<title>Neokinema</title>")}, "assets/app.js": {Data: []byte("run()")}}
	ts := httptest.NewServer(h.server.Handler(web))
	h.t.Cleanup(ts.Close)
	h.base = ts.URL
}

func (h *house) browser() *http.Client {
	jar, err := cookiejar.New(nil)
	if err != nil {
		h.t.Fatal(err)
	}
	return &http.Client{Jar: jar}
}

// ask sends a request, holds the answer against the contract, and reads it.
func (h *house) ask(method, path string, body, into any) int {
	h.t.Helper()
	var in io.Reader
	kind := "application/json"
	switch b := body.(type) {
	case nil:
	case []byte:
		in, kind = bytes.NewReader(b), "application/octet-stream"
	case string:
		in = strings.NewReader(b)
	default:
		data, err := json.Marshal(b)
		if err != nil {
			h.t.Fatal(err)
		}
		in = bytes.NewReader(data)
	}
	r, err := http.NewRequestWithContext(h.t.Context(), method, h.base+path, in)
	if err != nil {
		h.t.Fatal(err)
	}
	r.Header.Set("Content-Type", kind)
	answer, err := h.http.Do(r)
	if err != nil {
		h.t.Fatal(err)
	}
	defer answer.Body.Close()
	data, err := io.ReadAll(answer.Body)
	if err != nil {
		h.t.Fatal(err)
	}
	h.fits(r, answer, data)
	if into != nil {
		if err := json.Unmarshal(data, into); err != nil {
			h.t.Fatalf("%s %s answers %d %s: %v", method, path, answer.StatusCode, data, err)
		}
	}
	return answer.StatusCode
}

// fits holds an answer against the contract.
func (h *house) fits(r *http.Request, answer *http.Response, data []byte) {
	h.t.Helper()
	relative := r.Clone(r.Context())
	relative.URL.Scheme, relative.URL.Host, relative.Host = "", "", ""
	route, params, err := h.router.FindRoute(relative)
	if err != nil {
		h.t.Errorf("%s %s is not in the contract: %v", r.Method, r.URL.Path, err)
		return
	}
	if !strings.Contains(answer.Header.Get("Content-Type"), "json") {
		return
	}
	err = openapi3filter.ValidateResponse(r.Context(), &openapi3filter.ResponseValidationInput{
		RequestValidationInput: &openapi3filter.RequestValidationInput{Request: relative, PathParams: params, Route: route},
		Status:                 answer.StatusCode, Header: answer.Header, Body: io.NopCloser(bytes.NewReader(data)),
		Options: &openapi3filter.Options{IncludeResponseStatus: true},
	})
	if err != nil {
		h.t.Errorf("the answer to %s %s breaks the contract: %v\n%s", r.Method, r.URL.Path, err, data)
	}
}

// want asks and fails unless the status is right.
func (h *house) want(status int, method, path string, body, into any) {
	h.t.Helper()
	if got := h.ask(method, path, body, into); got != status {
		h.t.Fatalf("%s %s answers %d, want %d (%v)", method, path, got, status, into)
	}
}

// refused asks and wants a sentence.
func (h *house) refused(status int, says, method, path string, body any) {
	h.t.Helper()
	var p api.Problem
	h.want(status, method, path, body, &p)
	if !strings.Contains(p.Message, says) {
		h.t.Errorf("%s %s says %q, want %q", method, path, p.Message, says)
	}
}

const password = "six loud hurdles"

// enter makes an account of a club and signs it in.
func (h *house) enter(login, role string, club [16]byte) store.Account {
	h.t.Helper()
	hash, err := auth.Hash(context.Background(), password)
	if err != nil {
		h.t.Fatal(err)
	}
	a := store.Account{ID: store.NewID(), ClubID: club, Club: login + "'s club", Login: login, Name: strings.ToUpper(login), Role: role, PasswordHash: hash}
	if err := h.store.AddClub(h.t.Context(), a); err != nil {
		h.t.Fatal(err)
	}
	h.want(200, "POST", "/api/sign-in", map[string]string{"name": login, "password": password}, nil)
	return a
}

// script asks with a token and nothing else.
func (h *house) script(token api.NewTokenAnswer, method, path, body string) (int, string) {
	h.t.Helper()
	r, err := http.NewRequestWithContext(h.t.Context(), method, h.base+path, strings.NewReader(body))
	if err != nil {
		h.t.Fatal(err)
	}
	r.Header.Set("Authorization", "Bearer "+token.Secret)
	r.Header.Set("Content-Type", "application/json")
	answer, err := http.DefaultClient.Do(r)
	if err != nil {
		h.t.Fatal(err)
	}
	defer answer.Body.Close()
	data, err := io.ReadAll(answer.Body)
	if err != nil {
		h.t.Fatal(err)
	}
	return answer.StatusCode, string(data)
}

// attempt logs an attempt of a new athlete.
func (h *house) attempt() string {
	h.t.Helper()
	athlete, attempt := store.NewID().String(), store.NewID().String()
	h.want(200, "POST", "/api/athletes", map[string]any{"id": athlete, "name": "Anselm Tarrant-Vey", "sex": "man", "birthYear": 2001, "heightM": 1.8, "frontLeg": "R", "level": "trained"}, nil)
	h.want(200, "POST", "/api/attempts", map[string]any{"id": attempt, "athleteId": athlete, "event": "sprint-start", "day": "2026-11-20", "place": "Saltmere oval"}, nil)
	return attempt
}

// upload declares a film, sends it, and follows it until it waits for the coach.
func (h *house) upload(attempt string, data []byte, name string) (string, api.Clip) {
	h.t.Helper()
	pgtest.Long(h.t)
	id := store.NewID().String()
	h.want(200, "POST", "/api/attempts/"+attempt+"/clips", map[string]any{"id": id, "name": name, "bytes": len(data)}, nil)
	h.want(200, "PUT", "/api/clips/"+id+"/bytes", data, nil)
	return id, h.follow(id)
}

// film is upload, and the whole of it decoded.
func (h *house) film(attempt string, data []byte, name string) (string, api.Clip) {
	h.t.Helper()
	id, c := h.upload(attempt, data, name)
	if c.Status != "choosing" {
		return id, c
	}
	h.want(200, "POST", "/api/clips/"+id+"/part", map[string]any{}, nil)
	return id, h.follow(id)
}

// follow listens to a clip's progress to its end.
func (h *house) follow(id string) (c api.Clip) {
	h.t.Helper()
	r, err := h.http.Get(h.base + "/api/clips/" + id + "/progress")
	if err != nil {
		h.t.Fatal(err)
	}
	defer r.Body.Close()
	events, err := io.ReadAll(r.Body)
	if err != nil {
		h.t.Fatal(err)
	}
	lines := strings.Split(strings.TrimSpace(string(events)), "\n\n")
	if err := json.Unmarshal([]byte(strings.TrimPrefix(lines[len(lines)-1], "data: ")), &c); err != nil {
		h.t.Fatalf("%v in %s", err, events)
	}
	h.want(200, "GET", "/api/clips/"+id, nil, &c)
	return c
}

func clean(t testing.TB) []byte {
	t.Helper()
	data, err := demo.Clip("start-clean")
	if err != nil {
		t.Fatal(err)
	}
	return data
}

// brief is the first pictures of clean, for tests that need any film of a start.
func brief(t testing.TB, pictures int) []byte { return beginning(t, clean(t), pictures) }

// beginning is the first pictures of a film.
func beginning(t testing.TB, film []byte, pictures int) []byte {
	t.Helper()
	whole, part := filepath.Join(t.TempDir(), "whole.mp4"), filepath.Join(t.TempDir(), "part.mp4")
	if err := os.WriteFile(whole, film, 0o600); err != nil {
		t.Fatal(err)
	}
	cut := exec.Command("ffmpeg", "-v", "error", "-i", whole, "-c", "copy", "-frames:v", strconv.Itoa(pictures), "-map_metadata", "0", "-movflags", "use_metadata_tags", part)
	if out, err := cut.CombinedOutput(); err != nil {
		t.Fatalf("%v %s", err, out)
	}
	data, err := os.ReadFile(part)
	if err != nil {
		t.Fatal(err)
	}
	return data
}

func (h *house) command(attempt string, version int, more map[string]any, into any) int {
	h.t.Helper()
	c := map[string]any{"id": store.NewID().String(), "version": version}
	for k, v := range more {
		c[k] = v
	}
	return h.ask("POST", "/api/attempts/"+attempt+"/commands", c, into)
}

func TestStrangersAreTurnedAwayEverywhere(t *testing.T) {
	h := open(t, false)
	doc, err := openapi3.NewLoader().LoadFromFile("../../api/openapi.yaml")
	if err != nil {
		t.Fatal(err)
	}
	free := map[string]bool{"/api/state": true, "/api/sign-in": true, "/api/sign-in/demo": true, "/api/sign-in/owner": true, "/api/sign-out": true}
	n := 0
	for path, item := range doc.Paths.Map() {
		for method := range item.Operations() {
			if free[path] {
				continue
			}
			n++
			id := store.NewID().String()
			real := strings.NewReplacer("{id}", id, "{n}", "0", "{event}", "sprint-start").Replace(path)
			if got := h.ask(method, real, nil, nil); got != http.StatusUnauthorized {
				t.Errorf("%s %s answers a stranger with %d", method, path, got)
			}
		}
	}
	if n < 15 {
		t.Errorf("only %d routes were tried", n)
	}
}

func TestSigningInAndOut(t *testing.T) {
	h := open(t, false)
	var state api.State
	h.want(200, "GET", "/api/state", nil, &state)
	if state.SetUp || state.Demo || state.Name != nil {
		t.Errorf("before anybody: %+v", state)
	}
	h.refused(404, "", "POST", "/api/sign-in/demo", nil)
	h.refused(401, "name or password is wrong", "POST", "/api/sign-in", map[string]string{"name": "tove", "password": password})
	h.enter("tove", "coach", store.NewID())
	h.want(200, "GET", "/api/state", nil, &state)
	if !state.SetUp || *state.Name != "TOVE" {
		t.Errorf("signed in: %+v", state)
	}
	h.refused(401, "name or password is wrong", "POST", "/api/sign-in", map[string]string{"name": "tove", "password": "another password"})
	h.want(200, "GET", "/api/today", nil, nil)
	h.want(204, "POST", "/api/sign-out", nil, nil)
	h.refused(401, "sign in first", "GET", "/api/today", nil)
}

func TestTheCookieIsStrict(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	r, err := h.http.Post(h.base+"/api/sign-in", "application/json", strings.NewReader(fmt.Sprintf(`{"name": "tove", "password": %q}`, password)))
	if err != nil {
		t.Fatal(err)
	}
	r.Body.Close()
	if c := r.Cookies()[0]; c.SameSite != http.SameSiteStrictMode || !c.HttpOnly || len(c.Value) < 40 {
		t.Errorf("the cookie is %+v", c)
	}
	if got := r.Header.Get("Content-Security-Policy"); !strings.Contains(got, "default-src 'self'") {
		t.Errorf("the page may load from %q", got)
	}
}

// Another site's page cannot change anything with the coach's cookie.
func TestOtherSitesAreRefused(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	r, err := http.NewRequest("POST", h.base+"/api/sign-out", nil)
	if err != nil {
		t.Fatal(err)
	}
	r.Header.Set("Origin", "https://elsewhere.example")
	r.Header.Set("Sec-Fetch-Site", "cross-site")
	answer, err := h.http.Do(r)
	if err != nil {
		t.Fatal(err)
	}
	answer.Body.Close()
	if answer.StatusCode != http.StatusForbidden {
		t.Errorf("another site is answered with %d", answer.StatusCode)
	}
	h.want(200, "GET", "/api/today", nil, nil)
}

func TestTheOwnersLinkWorksOnce(t *testing.T) {
	h := open(t, false)
	secret, hash := auth.Token()
	if err := h.store.OfferOwner(t.Context(), hash); err != nil {
		t.Fatal(err)
	}
	owner := map[string]string{"link": "guess", "club": "Saltmere", "login": "Olga", "name": "Olga Owner", "password": password}
	h.refused(404, "", "POST", "/api/sign-in/owner", owner)
	owner["link"], owner["password"] = secret, "short"
	h.refused(422, "10 characters", "POST", "/api/sign-in/owner", owner)
	owner["password"], owner["club"] = password, " "
	h.refused(422, "give the club", "POST", "/api/sign-in/owner", owner)
	owner["club"] = "Saltmere"
	var state api.State
	h.want(200, "POST", "/api/sign-in/owner", owner, &state)
	if *state.Role != "owner" {
		t.Errorf("signed in as %v", *state.Role)
	}
	h.refused(404, "", "POST", "/api/sign-in/owner", owner)
	h.want(200, "POST", "/api/sign-in", map[string]string{"name": " olga ", "password": password}, nil)
}

func TestFromFileToFrames(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	attempt := h.attempt()
	h.refused(422, "add a clip first", "GET", "/api/attempts/"+attempt+"/reading", nil)
	film := clean(t)
	id, clip := h.film(attempt, film, "my start.mp4")
	if clip.Status != "ready" || clip.Name != "my start.mp4" || clip.Width != 1280 || clip.Height != 720 || clip.CaptureRate != 240 || clip.RateSource != "tag" || clip.PlaybackRate != 30 {
		t.Fatalf("the clip is %+v", clip)
	}
	truth, err := demo.Truth("start-clean")
	if err != nil {
		t.Fatal(err)
	}
	if clip.Frames != len(truth.Film) || len(*clip.Times) != clip.Frames {
		t.Errorf("%d pictures, %d times, filmed were %d", clip.Frames, len(*clip.Times), len(truth.Film))
	}
	for i, at := range *clip.Times {
		if want := float64(i) / 240; at < want-1e-4 || at > want+1e-4 {
			t.Fatalf("picture %d is at %v s, want %v", i, at, want)
		}
	}
	r, err := h.http.Get(h.base + "/api/clips/" + id + "/frames/7")
	if err != nil {
		t.Fatal(err)
	}
	defer r.Body.Close()
	jpeg, _ := io.ReadAll(r.Body)
	if r.Header.Get("Content-Type") != "image/jpeg" || !strings.Contains(r.Header.Get("Cache-Control"), "immutable") || !bytes.HasPrefix(jpeg, []byte{0xFF, 0xD8}) {
		t.Errorf("a picture comes as %v", r.Header)
	}
	h.refused(404, "", "GET", fmt.Sprintf("/api/clips/%s/frames/%d", id, clip.Frames), nil)
	r, err = h.http.Get(h.base + "/api/clips/" + id + "/original")
	if err != nil {
		t.Fatal(err)
	}
	defer r.Body.Close()
	if back, _ := io.ReadAll(r.Body); !bytes.Equal(back, film) {
		t.Errorf("%d bytes of the original came back, sent were %d", len(back), len(film))
	}
	h.refused(422, "already has a clip", "POST", "/api/attempts/"+attempt+"/clips", map[string]any{"id": store.NewID(), "name": "b.mp4", "bytes": 5})
	h.want(204, "DELETE", "/api/clips/"+id, nil, nil)
	h.refused(404, "", "GET", "/api/clips/"+id, nil)
}

func TestFilesThatAreNoFilmLeaveNothing(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	attempt := h.attempt()
	clips := "/api/attempts/" + attempt + "/clips"
	declare := func(bytes int64) map[string]any {
		return map[string]any{"id": store.NewID(), "name": "a.mp4", "bytes": bytes}
	}
	h.refused(422, "notes.mp4: this file is not a film", "POST", "/api/film-check", map[string]any{"name": "notes.mp4", "bytes": 20, "head": []byte("my notes of the day")})
	h.refused(422, "larger than 2 GB", "POST", "/api/film-check", map[string]any{"name": "a.mp4", "bytes": 3 << 30, "head": []byte("\x00\x00\x00\x18ftypmp42")})
	h.want(204, "POST", "/api/film-check", map[string]any{"name": "a.mp4", "bytes": 9000, "head": []byte("\x00\x00\x00\x18ftypmp42")}, nil)
	h.refused(422, "empty", "POST", clips, declare(0))
	h.refused(422, "larger than 2 GB", "POST", clips, declare(3<<30))
	free = 2 << 30
	h.refused(507, "the disk has 2.15 GB left", "POST", clips, declare(1<<30))
	free = 1 << 40
	for name, data := range map[string][]byte{"notes.mp4": []byte("my notes of the day"), "random.mov": bytes.Repeat([]byte{7, 0, 201, 33}, 9000)} {
		if _, c := h.upload(attempt, data, name); c.Status != "failed" || !strings.Contains(c.Message, "not a film") {
			t.Errorf("%s is %s: %s", name, c.Status, c.Message)
		}
	}
	var rows int
	if err := h.store.DB.Get(&rows, `select count(*) from clip_preview`); err != nil {
		t.Fatal(err)
	}
	rows += pgtest.FilmRows(t, h.store.DB, "picture") + pgtest.FilmRows(t, h.store.DB, "original")
	if rows != 0 {
		t.Errorf("%d rows stay behind", rows)
	}
	// The next film takes the failed one's place.
	if _, c := h.film(attempt, brief(t, 90), "a.mp4"); c.Status != "ready" {
		t.Errorf("a film after that is %s", c.Status)
	}
}

// A long film is trimmed before it is taken apart, and its pictures keep their
// numbers; more than 3,000 are not kept.
func TestALongFilmIsTrimmed(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	path := filepath.Join(t.TempDir(), "long.mkv")
	if out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc2=size=64x36:rate=240:duration=14", "-c:v", "libx264", "-preset", "ultrafast", "-pix_fmt", "yuv420p", path).CombinedOutput(); err != nil {
		t.Fatalf("%s %v", out, err)
	}
	film, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	attempt := h.attempt()
	id, c := h.upload(attempt, film, "long.mkv")
	if c.Status != "choosing" || c.Pictures != 3360 || c.Seconds < 13.9 || c.Previews < 8 || c.Codec != "h264" {
		t.Fatalf("the look found %+v", c)
	}
	var times []float64
	h.want(200, "GET", "/api/clips/"+id+"/previews", nil, &times)
	if len(times) != c.Previews {
		t.Errorf("%d previews at %v", c.Previews, times)
	}
	part := "/api/clips/" + id + "/part"
	h.refused(422, "more than 3000", "POST", part, map[string]any{})
	h.refused(422, "must end after", "POST", part, map[string]any{"from": 5, "to": 4})
	h.refused(422, "px wide", "POST", part, map[string]any{"from": 5, "to": 6, "width": 9000})
	h.want(200, "POST", part, map[string]any{"from": 5, "to": 6}, nil)
	if c = h.follow(id); c.First != 1200 || c.Frames != 241 || (*c.Times)[0] < 4.99 || (*c.Times)[0] > 5.01 {
		t.Errorf("from 5 to 6 s are pictures %d and %d more, the first at %v s", c.First, c.Frames, (*c.Times)[0])
	}
	var p api.Problem
	if got := h.command(attempt, 0, map[string]any{"kind": "stamp", "keyId": "set", "frame": 7}, &p); got != 422 || !strings.Contains(p.Message, "this clip has 1200 to 1440") {
		t.Errorf("a stamp outside the part: %d %s", got, p.Message)
	}
	if got := h.command(attempt, 0, map[string]any{"kind": "stamp", "keyId": "set", "frame": 1300}, nil); got != 200 {
		t.Errorf("a stamp inside it: %d", got)
	}
}

func TestATruncatedFilmFailsWithASentence(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	film := clean(t)
	_, clip := h.film(h.attempt(), film[:len(film)*2/3], "../../etc/start.mp4")
	if clip.Status != "failed" || !strings.Contains(clip.Message, "copy it from the phone again") || clip.Name != "start.mp4" {
		t.Errorf("the clip is %+v", clip)
	}
	rows := pgtest.FilmRows(t, h.store.DB, "picture")
	if rows != 0 {
		t.Errorf("%d pictures of it stay behind", rows)
	}
}

func TestCommandsOverTheWire(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	attempt := h.attempt()
	h.film(attempt, brief(t, 90), "a.mp4")
	var b api.Bench
	if got := h.command(attempt, 0, map[string]any{"kind": "stamp", "keyId": "set", "frame": 39}, &b); got != 200 || b.Version != 1 || b.Stamps["set"] != 39 || b.Undo != "stamp" {
		t.Fatalf("answers %d, %+v", got, b)
	}
	var clash api.Conflict
	if got := h.command(attempt, 0, map[string]any{"kind": "stamp", "keyId": "set", "frame": 5}, &clash); got != 409 || clash.Theirs.Stamps["set"] != 39 {
		t.Errorf("an old version is answered with %d, %+v", got, clash)
	}
	for what, c := range map[string]map[string]any{
		"a rung": {"kind": "stamp", "keyId": "moon", "frame": 1}, "a landmark": {"kind": "landmark", "landmark": "wing.L", "frame": 39, "at": map[string]float64{"x": 1, "y": 1}},
		"a look": {"kind": "look", "look": "moon", "verdict": "good"}, "a fault": {"kind": "focus", "fault": "moon", "why": "x"}, "a view": {"kind": "view", "view": "from above", "rightward": true},
	} {
		var p api.Problem
		if got := h.command(attempt, 1, c, &p); got != 422 || !strings.Contains(p.Message, "not in the playbook") {
			t.Errorf("%s that is none is answered with %d, %s", what, got, p.Message)
		}
	}
	h.refused(422, "cannot be read", "POST", "/api/attempts/"+attempt+"/commands", `{"kind": 7`)
	b = api.Bench{}
	if got := h.command(attempt, 1, map[string]any{"kind": "undo"}, &b); got != 200 || len(b.Stamps) != 0 || b.Redo != "stamp" {
		t.Errorf("undo is answered with %d, %+v", got, b)
	}
	h.refused(422, "nothing is assigned yet", "GET", "/api/attempts/"+attempt+"/card.pdf", nil)
}

func TestReadingAndPreviewAgree(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	attempt := h.attempt()
	h.film(attempt, clean(t), "a.mp4")
	truth, err := demo.Truth("start-clean")
	if err != nil {
		t.Fatal(err)
	}
	frame := truth.Frames["set"]
	h.command(attempt, 0, map[string]any{"kind": "stamp", "keyId": "set", "frame": frame}, nil)
	var r struct {
		Values []struct {
			Key      string
			Value, U float64
			Missing  []any
		}
		Needs map[string][]string
	}
	h.want(200, "GET", "/api/attempts/"+attempt+"/reading", nil, &r)
	if len(r.Needs["set"]) < 6 {
		t.Fatalf("set needs %v", r.Needs["set"])
	}
	var marks []map[string]any
	for _, part := range []string{"hip.R", "knee.R", "ankle.R"} { // the athlete's front leg is the right one
		p := truth.Film[frame].InView[body.Landmark(part)]
		marks = append(marks, map[string]any{"frame": frame, "name": part, "x": p[0], "y": p[1], "source": "placed"})
	}
	var seen []struct {
		Key      string
		Value, U float64
	}
	h.want(200, "POST", "/api/attempts/"+attempt+"/preview", map[string]any{"frame": frame, "landmarks": marks}, &seen)
	for v, m := range marks {
		h.command(attempt, 1+v, map[string]any{"kind": "landmark", "landmark": m["name"], "frame": frame, "at": map[string]any{"x": m["x"], "y": m["y"]}}, nil)
	}
	h.want(200, "GET", "/api/attempts/"+attempt+"/reading", nil, &r)
	pedal := "/api/attempts/" + attempt + "/pedal?target=90&pitch=0.025"
	h.refused(422, "set the scale first", "GET", pedal, nil)
	h.command(attempt, 4, map[string]any{"kind": "scale", "scale": map[string]any{"a": map[string]any{"x": 200, "y": 600}, "b": map[string]any{"x": 425, "y": 600}, "metres": 1, "what": "lane marks"}}, nil)
	var move struct{ Metres, U, Knee float64 }
	h.want(200, "GET", pedal, nil, &move)
	if move.U <= 0 || move.Metres == 0 || move.Knee < 60 || move.Knee > 180 {
		t.Errorf("the pedal moves by %+v", move)
	}
	for _, v := range r.Values {
		if v.Key != "front-knee@set" {
			continue
		}
		for _, p := range seen {
			if p.Key == v.Key && (p.Value != v.Value || p.U != v.U || v.U == 0) {
				t.Errorf("while dragging %v ± %v, afterwards %v ± %v", p.Value, p.U, v.Value, v.U)
			}
		}
		return
	}
	t.Error("no front knee in the reading")
}

func TestPagesAndMissingFiles(t *testing.T) {
	h := open(t, false)
	for path, want := range map[string]int{"/": 200, "/attempts/x/watch": 200, "/assets/app.js": 200, "/assets/gone.js": 404} {
		r, err := h.http.Get(h.base + path)
		if err != nil {
			t.Fatal(err)
		}
		r.Body.Close()
		if r.StatusCode != want {
			t.Errorf("%s answers %d, want %d", path, r.StatusCode, want)
		}
	}
}

func TestDemoButtonOnlyInTheDemo(t *testing.T) {
	h := open(t, true)
	hash, err := auth.Hash(context.Background(), password)
	if err != nil {
		t.Fatal(err)
	}
	a := store.Account{ID: store.NewID(), ClubID: store.NewID(), Club: "Saltmere", Login: demo.Login, Name: "Tove Harrand", Role: "coach", PasswordHash: hash}
	if err := h.store.AddClub(t.Context(), a); err != nil {
		t.Fatal(err)
	}
	var state api.State
	h.want(200, "POST", "/api/sign-in/demo", nil, &state)
	if !state.Demo || *state.Name != "Tove Harrand" {
		t.Errorf("signed in: %+v", state)
	}
}
