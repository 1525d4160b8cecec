package api_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"
	"testing/fstest"
	"time"

	"neokinema/demo"
	"neokinema/server/api"
	"neokinema/server/store"
)

// What a stranger sends is bounded before it is looked at: long bodies, names of
// megabytes, many at once.
func TestStrangersTakeLittle(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "owner", store.NewID())
	h.http = h.browser()
	long := strings.Repeat("x", 32<<20)
	for path, body := range map[string]any{"/api/sign-in": map[string]string{"name": long, "password": "x"}, "/api/sign-in/owner": map[string]string{"link": long, "club": "c", "login": "l", "name": "n", "password": password}} {
		data, err := json.Marshal(body)
		if err != nil {
			t.Fatal(err)
		}
		answer, err := http.Post(h.base+path, "application/json", bytes.NewReader(data))
		if err == nil { // or the connection is closed while it is sent
			answer.Body.Close()
			if answer.StatusCode != http.StatusRequestEntityTooLarge {
				t.Errorf("%d MB to %s answer %d", len(data)>>20, path, answer.StatusCode)
			}
		}
	}
	var longest int
	if err := h.store.DB.GetContext(t.Context(), &longest, `select coalesce(max(length(login)), 0) from sign_in_miss`); err != nil || longest > 100 {
		t.Errorf("a name of %d characters was stored, %v", longest, err)
	}
	// A link that was never offered costs no hashing.
	begin := time.Now()
	for range 30 {
		h.ask("POST", "/api/sign-in/owner", map[string]string{"link": "guess", "club": "c", "login": "l", "name": "n", "password": password}, nil)
	}
	if took := time.Since(begin); took > 1500*time.Millisecond {
		t.Errorf("thirty guesses of the owner's link take %v", took)
	}
	// Many at once: some are turned away, nobody waits long, and who is signed in goes on.
	statuses := map[int]int{}
	var mu sync.Mutex
	var wait sync.WaitGroup
	for i := range 120 {
		wait.Go(func() {
			answer, err := http.Post(h.base+"/api/sign-in", "application/json", strings.NewReader(fmt.Sprintf(`{"name": "somebody%d", "password": "guess guess guess"}`, i)))
			if err != nil {
				return
			}
			answer.Body.Close()
			mu.Lock()
			statuses[answer.StatusCode]++
			mu.Unlock()
		})
	}
	wait.Wait()
	if statuses[http.StatusTooManyRequests]+statuses[http.StatusServiceUnavailable] < 60 || statuses[http.StatusInternalServerError] > 0 {
		t.Errorf("120 at once are answered %v", statuses)
	}
}

// A body that is sent by halves is not waited for, and a long header is refused.
func TestHalfSentBodiesAreLetGo(t *testing.T) {
	if testing.Short() {
		t.Skip("it waits for the time that a body may take")
	}
	h := open(t, false)
	conn, err := net.Dial("tcp", strings.TrimPrefix(h.base, "http://"))
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close()
	fmt.Fprintf(conn, "POST /api/sign-in HTTP/1.1\r\nHost: x\r\nContent-Type: application/json\r\nContent-Length: 100\r\n\r\n{\"name\":")
	begin := time.Now()
	if err := conn.SetReadDeadline(begin.Add(40 * time.Second)); err != nil {
		t.Fatal(err)
	}
	if _, err := io.ReadAll(conn); err != nil {
		t.Errorf("after %v the half body is still waited for: %v", time.Since(begin), err)
	}
}

// A script's token reads and writes as it may, and never decides who may what.
func TestTokensMayOnlySoMuch(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "owner", store.NewID())
	attempt := h.attempt()
	var writes, reads api.NewTokenAnswer
	h.want(200, "POST", "/api/me/tokens", map[string]any{"name": "writes"}, &writes)
	h.want(200, "POST", "/api/me/tokens", map[string]any{"name": "reads", "readsOnly": true, "days": 7}, &reads)
	h.refused(422, "between 1 and 366 days", "POST", "/api/me/tokens", map[string]any{"name": "for ever", "days": 4000})
	note := func() string {
		return fmt.Sprintf(`{"id": %q, "version": 0, "kind": "note", "note": "good", "words": "x"}`, store.NewID())
	}
	for _, c := range []struct {
		token              api.NewTokenAnswer
		method, path, body string
		want               int
	}{
		{reads, "GET", "/api/today", "", 200}, {reads, "GET", "/api/attempts/" + attempt, "", 200},
		{reads, "POST", "/api/attempts/" + attempt + "/commands", note(), 403}, {reads, "DELETE", "/api/attempts/" + attempt, "", 403},
		{writes, "POST", "/api/attempts/" + attempt + "/commands", note(), 200},
		{writes, "POST", "/api/me/tokens", `{"name": "another"}`, 403}, {writes, "PUT", "/api/me/password", `{"now": "x", "password": "y"}`, 403},
		{writes, "GET", "/api/accounts", "", 403}, {writes, "POST", "/api/accounts", `{}`, 403}, {reads, "GET", "/api/me/tokens", "", 403},
	} {
		if got, _ := h.script(c.token, c.method, c.path, c.body); got != c.want {
			t.Errorf("%s %s with the token that %s answers %d, want %d", c.method, c.path, c.token.Name, got, c.want)
		}
	}
	h.want(204, "DELETE", "/api/me/sign-ins", nil, nil)
	if got, _ := h.script(writes, "GET", "/api/today", ""); got != 401 {
		t.Errorf("after signing out everywhere the token answers %d", got)
	}
}

// The demo's coach comes in at the machine itself, by its own names, and only while
// no other device is let in.
func TestTheDemosDoor(t *testing.T) {
	h := open(t, true)
	enter := func(host string, header http.Header) int {
		r, err := http.NewRequest("POST", h.base+"/api/sign-in/demo", nil)
		if err != nil {
			t.Fatal(err)
		}
		r.Host = host
		for k, v := range header {
			r.Header[k] = v
		}
		answer, err := http.DefaultClient.Do(r)
		if err != nil {
			t.Fatal(err)
		}
		answer.Body.Close()
		return answer.StatusCode
	}
	port := h.base[strings.LastIndex(h.base, ":"):]
	account := store.Account{ID: store.NewID(), ClubID: store.NewID(), Club: "Saltmere", Login: demo.Login, Name: "Tove", Role: "owner", PasswordHash: "none"}
	if err := h.store.AddClub(t.Context(), account); err != nil {
		t.Fatal(err)
	}
	for _, host := range []string{"127.0.0.1", "localhost", "[::1]"} {
		if got := enter(host+port, nil); got != 200 {
			t.Errorf("by the name %s it answers %d", host, got)
		}
	}
	if got := enter("evil.example", nil); got != 404 {
		t.Errorf("by a foreign name it answers %d", got)
	}
	if got := enter("localhost"+port, http.Header{"X-Forwarded-For": {"203.0.113.7"}}); got != 404 {
		t.Errorf("through a proxy it answers %d", got)
	}
	h.server.Listens = true
	if got := enter("localhost"+port, nil); got != 404 {
		t.Errorf("with other devices let in it answers %d", got)
	}
}

// Where a request comes from is believed of a proxy that was named, and of nobody
// else; behind it, cookies are for encrypted connections.
func TestProxiesAreBelievedByName(t *testing.T) {
	for text, good := range map[string]bool{"": true, "10.0.0.2": true, "10.0.0.0/24, ::1": true, "proxy.local": false} {
		if _, err := api.ParseProxies(text); good != (err == nil) {
			t.Errorf("%q: %v", text, err)
		}
	}
	for name, proxies := range map[string]string{"named": "127.0.0.1", "not named": ""} {
		h := open(t, false)
		var err error
		if h.server.Proxies, err = api.ParseProxies(proxies); err != nil {
			t.Fatal(err)
		}
		h.serve()
		h.enter("tove", "owner", store.NewID())
		h.http = h.browser()
		post := func(password, from string) *http.Response {
			r, err := http.NewRequest("POST", h.base+"/api/sign-in", strings.NewReader(fmt.Sprintf(`{"name": "tove", "password": %q}`, password)))
			if err != nil {
				t.Fatal(err)
			}
			r.Header.Set("Content-Type", "application/json")
			r.Header.Set("X-Forwarded-For", from)
			r.Header.Set("X-Forwarded-Proto", "https")
			answer, err := http.DefaultClient.Do(r)
			if err != nil {
				t.Fatal(err)
			}
			answer.Body.Close()
			return answer
		}
		post("guess guess", "203.0.113.7")
		var address string
		if err := h.store.DB.GetContext(t.Context(), &address, `select address from sign_in_miss`); err != nil {
			t.Fatal(err)
		}
		in := post(password, "203.0.113.7")
		secure := len(in.Cookies()) == 1 && in.Cookies()[0].Secure
		if believed := name == "named"; believed != (address == "203.0.113.7") || believed != secure {
			t.Errorf("a proxy that is %s: the guess comes from %s, secure %v", name, address, secure)
		}
	}
}

// A coach who leaves a page before it is read has found no fault of the program.
func TestWhoeverLeavesIsNoFault(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "owner", store.NewID())
	left, leave := context.WithCancel(t.Context())
	leave()
	r := httptest.NewRequestWithContext(left, "GET", h.base+"/api/today", nil)
	for _, c := range h.http.Jar.Cookies(r.URL) {
		r.AddCookie(c)
	}
	answer := httptest.NewRecorder()
	h.server.Handler(fstest.MapFS{}).ServeHTTP(answer, r)
	if answer.Code != 499 {
		t.Errorf("whoever left is answered %d, %s", answer.Code, answer.Body)
	}
}

func TestWhoeverKeepsItRunningIsTold(t *testing.T) {
	h := open(t, false)
	get := func(path string) (int, string) {
		answer, err := h.http.Get(h.base + path)
		if err != nil {
			t.Fatal(err)
		}
		defer answer.Body.Close()
		data, err := io.ReadAll(answer.Body)
		if err != nil {
			t.Fatal(err)
		}
		return answer.StatusCode, string(data)
	}
	if status, says := get("/healthz"); status != 200 || !strings.Contains(says, `"status":"ok"`) {
		t.Errorf("healthz: %d %s", status, says)
	}
	if status, _ := get("/debug/pprof/"); status != 401 {
		t.Errorf("profiles for a stranger: %d", status)
	}
	h.enter("tove", "owner", store.NewID())
	get("/api/today")
	for _, want := range []string{"neokinema_request_seconds_bucket", `route="/api/today"`, "neokinema_disk_free_bytes", "neokinema_database_connections", "neokinema_decoded_pictures_total"} {
		if status, says := get("/metrics"); status != 200 || !strings.Contains(says, want) {
			t.Errorf("metrics: %d without %s", status, want)
		}
	}
	if status, says := get("/debug/pprof/goroutine?debug=1"); status != 200 || !strings.Contains(says, "goroutine profile") {
		t.Errorf("profiles for the owner: %d %.60s", status, says)
	}
	answer, err := h.http.Get(h.base + "/api/attempts/" + store.NewID().String())
	if err != nil {
		t.Fatal(err)
	}
	defer answer.Body.Close()
	var p api.Problem
	if err := json.NewDecoder(answer.Body).Decode(&p); err != nil || p.Request == nil || *p.Request == "" || *p.Request != answer.Header.Get("X-Request-Id") {
		t.Errorf("an error names no request: %+v, %v", p, err)
	}
	free = 1
	defer func() { free = 1 << 40 }()
	if status, says := get("/healthz"); status != 200 || !strings.Contains(says, `"room":"low"`) {
		t.Errorf("healthz on a full disk: %d %s", status, says)
	}
}
