package api_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/google/uuid"

	"neokinema/server/api"
	"neokinema/server/store"
)

// bodies are a sensible request for each operation that takes one.
func bodies(ids map[string]string) map[string]any {
	person := map[string]any{"id": ids["athlete"], "name": "N", "sex": "man", "birthYear": 2000, "heightM": 1.8, "frontLeg": "L", "level": "trained"}
	wish := map[string]any{"event": "discus", "side": "R", "sex": "man", "heightM": 1.85, "view": "back"}
	return map[string]any{
		"moveSim": wish, "follow": map[string]any{"id": store.NewID()}, "addOther": map[string]any{"id": store.NewID()}, "filmSim": map[string]any{"id": store.NewID(), "attempt": ids["attempt"], "wish": wish}, "practise": map[string]any{"id": store.NewID(), "event": "discus"}, "answerPractice": map[string]any{"fault": ""},
		"signIn": nil, "signInDemo": nil, "signInOwner": nil, "signOut": nil,
		"doCommand": map[string]any{"id": store.NewID(), "version": 0, "kind": "note", "note": "good", "words": "theirs"},
		"preview":   map[string]any{"frame": 1, "landmarks": []any{}},
		"addClip":   map[string]any{"id": store.NewID(), "name": "a.mp4", "bytes": 5}, "putBytes": []byte("theirs"),
		"chooseClip": map[string]any{}, "moveClip": map[string]any{"attempt": ids["attempt"]}, "moveAttempt": map[string]any{"athlete": ids["athlete"]},
		"changeAthlete": person, "addAthlete": person, "logAttempt": map[string]any{"id": store.NewID(), "athleteId": ids["athlete"], "event": "sprint-start", "day": "2026-11-24", "place": "oval"},
		"addAccount":     map[string]any{"id": store.NewID(), "name": "N", "login": "nils", "password": password},
		"resetPassword":  map[string]any{"password": password},
		"changePassword": map[string]any{"now": password, "password": password}, "addToken": map[string]any{"name": "script"}, "setRetention": map[string]any{"months": 24},
		"changePlaybook": map[string]any{"id": store.NewID(), "scope": "athlete", "value": ids["athlete"], "yaml": ""},
		"addGoal":        map[string]any{"id": store.NewID(), "athleteId": ids["athlete"], "event": "hammer", "target": "60", "by": "2027-06-01"}, "layOut": map[string]any{"days": []int{1}},
		"keepPain":   map[string]any{"id": store.NewID(), "athleteId": ids["athlete"], "region": "knee", "side": "left", "noted": "2026-11-24"},
		"addPlan":    []any{map[string]any{"id": store.NewID(), "athleteId": ids["athlete"], "day": "2026-11-30", "kind": "drill", "words": "theirs"}},
		"changePlan": map[string]any{"id": ids["plan"], "athleteId": ids["athlete"], "day": "2026-12-30", "kind": "drill", "words": "theirs"},
		"fit":        map[string]any{"id": store.NewID()},
		"setDial":    map[string]any{"dial": "clock-a"}, "pickAttempt": map[string]any{"why": "theirs"},
	}
}

// own are the operations on what is one's own, whoever one is.
var own = map[string]bool{
	"getState": true, "signIn": true, "signInDemo": true, "signInOwner": true, "signOut": true, "getToday": true, "getPointChecks": true, "getPlaybook": true, "listTokens": true, "addToken": true,
	"changePassword": true, "signOutEverywhere": true, "getDisk": true, "exportAttempts": true, "exportMeasures": true, "addAthlete": true, "revokeToken": true,
	"getPoses": true, "getPlaybookChanges": true, "getPlaybookFile": true, "getFilmingCard": true, "setDial": true, "search": true, "getPlan": true, "getPlanCalendar": true, "listSessions": true, "keepSession": true, "keepPhase": true, "getRetention": true, "getSim": true, "moveSim": true, "checkFilm": true, "getScores": true, "practise": true,
}

// owners are the operations that only a club's owner may ask for.
var owners = map[string]bool{"listAccounts": true, "addAccount": true, "eraseAccount": true, "getAccountHoldings": true, "resetPassword": true, "erasePhase": true, "setRetention": true}

// Every route of the contract, asked for what belongs to a coach by the owner of
// another club, by another coach of the same club, and by nobody: each answers
// that there is nothing, and nothing changes.
func TestNobodyElseReachesACoachsWork(t *testing.T) {
	h := open(t, false)
	club := store.NewID()
	tove := h.enter("tove", "coach", club)
	attempt := h.attempt()
	clip, _ := h.film(attempt, brief(t, 90), "a.mp4")
	var today api.Today
	h.want(200, "GET", "/api/today", nil, &today)
	var token api.NewTokenAnswer
	h.want(200, "POST", "/api/me/tokens", map[string]string{"name": "script"}, &token)
	ids := map[string]string{"attempt": attempt, "clip": clip, "athlete": today.Athletes[0].Id.String(), "account": tove.ID.String(), "token": token.Id.String(), "filming": store.NewID().String(), "practice": store.NewID().String(), "following": store.NewID().String()}
	wish := map[string]any{"event": "discus", "side": "R", "sex": "man", "heightM": 1.85, "view": "back"}
	h.want(200, "POST", "/api/sim/films", map[string]any{"id": ids["filming"], "attempt": h.attempt(), "wish": wish}, nil)
	h.want(200, "DELETE", "/api/tasks/"+ids["filming"], nil, nil)
	h.want(200, "POST", "/api/attempts/"+attempt+"/commands", map[string]any{"id": store.NewID(), "version": 0, "kind": "landmark", "frame": 20, "landmark": "hip.L", "at": map[string]any{"x": 300, "y": 300}}, nil)
	h.want(200, "POST", "/api/attempts/"+attempt+"/followings", map[string]any{"id": ids["following"]}, nil)
	h.want(200, "DELETE", "/api/tasks/"+ids["following"], nil, nil)
	h.want(200, "POST", "/api/practice", map[string]any{"id": ids["practice"], "event": "discus"}, nil)
	for _, name := range []string{"goal", "pain-note", "plan", "phase", "session"} {
		ids[name] = store.NewID().String()
		body := map[string]any{"id": ids[name], "athleteId": ids["athlete"], "event": "hammer", "target": "60", "by": "2027-06-01", "region": "knee", "side": "left", "noted": "2026-11-24", "day": "2026-11-30", "kind": "drill", "words": "hers", "from": "2026-11-01", "to": "2026-12-01", "name": "Winter"}
		switch name {
		case "plan":
			h.want(204, "POST", "/api/plan", []any{body}, nil)
		case "phase":
			body["kind"] = "preparation"
			winter := store.SeasonPhase{ID: uuid.MustParse(ids[name]), Name: "Winter", Kind: "preparation", From: time.Date(2026, 11, 1, 0, 0, 0, 0, time.UTC), To: time.Date(2026, 12, 1, 0, 0, 0, 0, time.UTC)}
			if err := h.store.KeepPhase(t.Context(), club, winter); err != nil {
				t.Fatal(err)
			}
			h.refused(403, "only the club's owner", "PUT", "/api/phases", body)
		case "pain-note":
			h.want(204, "PUT", "/api/pain-notes", body, nil)
		case "goal":
			h.want(204, "POST", "/api/goals", body, nil)
		case "session":
			var list []api.Session
			h.want(200, "GET", "/api/sessions", nil, &list)
			ids[name] = list[0].ID.String()
		}
	}
	before := h.everything()

	same := h.store
	for _, who := range []struct {
		name  string
		enter func()
		role  string
	}{
		{"another club's owner", func() { h.enter("stig", "owner", store.NewID()) }, "owner"},
		{"another coach of the club", func() {
			a := store.Account{ID: store.NewID(), ClubID: club, Login: "nora", Name: "Nora", Role: "coach", PasswordHash: tove.PasswordHash}
			if err := same.AddAccount(t.Context(), a); err != nil {
				t.Fatal(err)
			}
			h.want(200, "POST", "/api/sign-in", map[string]string{"name": "nora", "password": password}, nil)
		}, "coach"},
	} {
		h.http = h.browser()
		who.enter()
		n := h.walk(ids, func(op *openapi3.Operation, method, path string, body any) {
			if own[op.OperationID] {
				return
			}
			want := http.StatusNotFound
			if owners[op.OperationID] {
				if who.role != "owner" {
					want = http.StatusForbidden
				} else if !strings.Contains(path, "/accounts/") && !strings.Contains(path, "/phases/") {
					return // their own club's
				}
			}
			if got := h.ask(method, path, body, nil); got != want {
				t.Errorf("%s: %s %s answers %d, want %d", who.name, method, path, got, want)
			}
		})
		if n < 45 {
			t.Errorf("only %d routes were tried", n)
		}
		if after := h.everything(); after != before {
			t.Errorf("%s changed something:\n%s\n%s", who.name, before, after)
		}
		h.refused(404, "", "DELETE", "/api/me/tokens/"+ids["token"], nil)
	}
}

// walk visits every operation of the contract with ids filled in.
func (h *house) walk(ids map[string]string, visit func(op *openapi3.Operation, method, path string, body any)) int {
	h.t.Helper()
	doc, err := openapi3.NewLoader().LoadFromFile("../../api/openapi.yaml")
	if err != nil {
		h.t.Fatal(err)
	}
	n := 0
	for path, item := range doc.Paths.Map() {
		kind := strings.TrimSuffix(strings.Split(strings.TrimPrefix(path, "/api/"), "/")[0], "s")
		id := ids[map[string]string{"attempt": "attempt", "clip": "clip", "athlete": "athlete", "account": "account", "me": "token", "sim": "filming", "practice": "practice", "following": "following", "task": "following", "goal": "goal", "pain-note": "pain-note", "plan": "plan", "phase": "phase", "session": "session"}[kind]]
		filled := strings.NewReplacer("{id}", id, "{n}", "0", "{event}", "sprint-start").Replace(path)
		for method, op := range item.Operations() {
			at := filled
			switch op.OperationID {
			case "getPedal":
				at += "?target=90&pitch=0.025"
			case "getPose", "getFigure":
				at += "?keyId=td1"
			case "getAthleteMeasure":
				at += "?event=hammer&key=release-speed@release"
			case "getPin":
				at += "?landmark=hip.L&frame=0&to=9"
			case "getFittedLimb":
				at += "?frame=20&from=hip.L&to=knee.L"
			}
			visit(op, method, at, bodies(ids)[op.OperationID])
			n++
		}
	}
	return n
}

// everything is a fingerprint of a coach's work.
func (h *house) everything() string {
	h.t.Helper()
	var sums []string
	for _, table := range []string{"athlete", "attempt", "clip", "stamp", "note", "command", "session", "token", "task", "landmark_run", "landmark", "practice", "playbook_change", "goal", "pain_note", "plan_item", "season_phase"} {
		var sum string
		if err := h.store.DB.GetContext(h.t.Context(), &sum, fmt.Sprintf(`select count(*) || coalesce(md5(string_agg(r::text, '' order by r::text)), '') from %s r`, table)); err != nil {
			h.t.Fatal(err)
		}
		sums = append(sums, table+" "+sum)
	}
	return strings.Join(sums, "\n")
}

// coach changes an attempt, command after command.
func (h *house) coach(attempt string) func(more map[string]any) api.Bench {
	return h.coachFrom(attempt, 0)
}

// coachFrom goes on from a version.
func (h *house) coachFrom(attempt string, version int) func(more map[string]any) api.Bench {
	return func(more map[string]any) (b api.Bench) {
		h.t.Helper()
		if got := h.command(attempt, version, more, &b); got != 200 {
			h.t.Fatalf("%v is answered with %d", more, got)
		}
		version = b.Version
		return b
	}
}

func TestScriptsComeInByToken(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	h.refused(422, "name the token", "POST", "/api/me/tokens", map[string]string{"name": " "})
	var token api.NewTokenAnswer
	h.want(200, "POST", "/api/me/tokens", map[string]string{"name": "timing"}, &token)
	athlete := store.NewID()
	if got, says := h.script(token, "POST", "/api/athletes", fmt.Sprintf(`{"id": %q, "name": "=HYPERLINK(1)", "sex": "woman", "birthYear": 2003, "heightM": 1.7, "frontLeg": "L", "level": "trained"}`, athlete)); got != 200 {
		t.Fatalf("a script adds an athlete: %d %s", got, says)
	}
	if got, _ := h.script(token, "POST", "/api/attempts", fmt.Sprintf(`{"id": %q, "athleteId": %q, "event": "sprint-start", "day": "2026-11-24", "place": "oval"}`, store.NewID(), athlete)); got != 200 {
		t.Errorf("a script logs an attempt: %d", got)
	}
	if got, csv := h.script(token, "GET", "/api/attempts.csv", ""); got != 200 || !strings.Contains(csv, ",'=HYPERLINK(1),sprint-start,") || !strings.HasPrefix(csv, "attempt,day,place,athlete") {
		t.Errorf("the attempts as CSV: %d\n%s", got, csv)
	}
	h.want(204, "DELETE", "/api/me/tokens/"+token.Id.String(), nil, nil)
	if got, says := h.script(token, "GET", "/api/today", ""); got != 401 {
		t.Errorf("a revoked token: %d %s", got, says)
	}
}

func TestAnOwnerRunsTheClubsAccounts(t *testing.T) {
	h := open(t, false)
	h.enter("olga", "owner", store.NewID())
	coach := store.NewID()
	h.refused(422, "10 characters", "POST", "/api/accounts", map[string]any{"id": coach, "name": "Nils Nilsen", "login": "nils", "password": "short"})
	h.want(200, "POST", "/api/accounts", map[string]any{"id": coach, "name": "Nils Nilsen", "login": " Nils", "password": password}, nil)
	h.refused(422, "is taken", "POST", "/api/accounts", map[string]any{"id": store.NewID(), "name": "Other", "login": "nils", "password": password})
	owner := h.http

	h.http = h.browser()
	nils := h.http
	h.want(200, "POST", "/api/sign-in", map[string]string{"name": "nils", "password": password}, nil)
	h.attempt()
	h.refused(422, "is another one", "PUT", "/api/me/password", map[string]string{"now": "guess", "password": "nine salty herons"})
	h.want(204, "PUT", "/api/me/password", map[string]string{"now": password, "password": "nine salty herons"}, nil)
	h.want(200, "GET", "/api/today", nil, nil) // this browser stays in

	h.http = owner
	var list []api.Account
	h.want(200, "GET", "/api/accounts", nil, &list)
	if len(list) != 2 || list[0].Login != "nils" || list[0].Athletes != 1 || list[0].Role != "coach" {
		t.Errorf("the accounts are %+v", list)
	}
	var today api.Today
	h.want(200, "GET", "/api/today", nil, &today)
	if len(today.Attempts) != 1 {
		t.Errorf("the owner sees %d attempts of the club", len(today.Attempts))
	}
	path := "/api/accounts/" + coach.String()
	h.want(204, "PUT", path+"/password", map[string]string{"password": "reset by the owner"}, nil)
	h.http = nils
	h.refused(401, "sign in first", "GET", "/api/today", nil)
	h.want(200, "POST", "/api/sign-in", map[string]string{"name": "nils", "password": "reset by the owner"}, nil)
	h.want(204, "DELETE", "/api/me/sign-ins", nil, nil)
	h.refused(401, "sign in first", "GET", "/api/today", nil)
	for range 7 { // the guess at changing it was the first
		h.refused(401, "wrong", "POST", "/api/sign-in", map[string]string{"name": "nils", "password": "guess"})
	}
	h.refused(429, "wait a quarter of an hour", "POST", "/api/sign-in", map[string]string{"name": "nils", "password": "reset by the owner"})

	h.http = owner
	var held store.Holdings
	h.want(200, "GET", path+"/holdings", nil, &held)
	if held.Athletes != 1 || held.Attempts != 1 {
		t.Errorf("on the account hang %+v", held)
	}
	h.want(204, "DELETE", path, nil, nil)
	h.want(200, "GET", "/api/today", nil, &today)
	if len(today.Attempts)+len(today.Athletes) != 0 {
		t.Errorf("after erasing, %d attempts stay", len(today.Attempts))
	}
	var disk api.Disk
	h.want(200, "GET", "/api/disk", nil, &disk)
	if disk.Films != 0 || disk.Database == 0 || disk.Free == 0 || disk.Low {
		t.Errorf("the disk: %+v", disk)
	}
}

// The rate of a film without a tag: chosen, measured by an interval, warned of
// when they disagree, and taken back like everything on the Bench.
func TestRatesAreMeasuredAndCompared(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	attempt := h.attempt()
	h.film(attempt, clean(t), "a.mp4")
	do := h.coach(attempt)
	path := "/api/attempts/" + attempt
	var p api.Problem
	if got := h.command(attempt, 0, map[string]any{"kind": "rate", "rateSource": "interval"}, &p); got != 422 || !strings.Contains(p.Message, "nothing was measured") {
		t.Errorf("an interval that was not measured: %d %s", got, p.Message)
	}
	do(map[string]any{"kind": "knownInterval", "knownInterval": map[string]any{"from": 100, "to": 340, "seconds": 2.0, "u": 0.01}})
	var rates struct {
		Ways []struct {
			Source  string
			Rate, U float64
			Used    bool
		}
		Warnings []string
	}
	h.want(200, "GET", path+"/rates", nil, &rates)
	if len(rates.Ways) != 2 || !rates.Ways[0].Used || rates.Ways[1].Rate < 119.9 || rates.Ways[1].Rate > 120.1 || len(rates.Warnings) != 1 || !strings.Contains(rates.Warnings[0], "240 ± 2") {
		t.Errorf("the rates are %+v", rates)
	}
	b := do(map[string]any{"kind": "rate", "rateSource": "interval"})
	if c := b.Clip; c.RateSource != "interval" || c.RateU <= 0 || c.CaptureRate != rates.Ways[1].Rate {
		t.Errorf("measured: %v ± %v by %s", c.CaptureRate, c.RateU, c.RateSource)
	}
	if b = do(map[string]any{"kind": "undo"}); b.Clip.CaptureRate != 240 || b.Clip.RateSource != "tag" || b.Clip.RateU != 0 {
		t.Errorf("taken back: %v by %s", b.Clip.CaptureRate, b.Clip.RateSource)
	}
	whole := (*b.Clip.Times)[395]
	b = do(map[string]any{"kind": "ramp", "ramp": map[string]any{"from": 100, "to": 300}})
	if got, want := (*b.Clip.Times)[395], 200./240+195./30; got < want-1e-6 || got > want+1e-6 {
		t.Errorf("slowed in part, the film lasts %v s, want %v", got, want)
	}
	if b = do(map[string]any{"kind": "undo"}); (*b.Clip.Times)[395] != whole {
		t.Error("the ramp stays")
	}
	var checks []api.Check
	h.want(200, "GET", path+"/checks", nil, &checks)
	if len(checks) != 7 || checks[0].State != "good" {
		t.Errorf("the checks are %+v", checks)
	}
}

// Everything new on the Bench is taken back and done again.
func TestCalibrationsAreUndone(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	attempt := h.attempt()
	h.film(attempt, brief(t, 90), "a.mp4")
	spot := func(x, y float64) map[string]float64 { return map[string]float64{"x": x, "y": y} }
	points := []any{}
	for i := range 5 {
		points = append(points, spot(500+float64(i), 300))
	}
	do, version := h.coach(attempt), 0
	for kind, value := range map[string]any{
		"knownInterval": map[string]any{"from": 1, "to": 9, "seconds": 1, "u": 0}, "ramp": map[string]any{"from": 1, "to": 9},
		"subject": map[string]any{"frame": 3, "a": spot(1, 1), "b": spot(90, 90)}, "repeats": map[string]any{"frame": 3, "landmark": "knee.L", "points": points},
	} {
		state := func(more map[string]any) string {
			b := do(more)
			version = b.Version
			data, _ := json.Marshal(b.Calibration)
			return string(data)
		}
		set := state(map[string]any{"kind": kind, kind: value})
		if !strings.Contains(set, kind) {
			t.Errorf("%s is not kept: %s", kind, set)
		}
		if undone := state(map[string]any{"kind": "undo"}); strings.Contains(undone, kind) {
			t.Errorf("%s stays: %s", kind, undone)
		}
		if again := state(map[string]any{"kind": "redo"}); again != set {
			t.Errorf("%s again: %s", kind, again)
		}
		state(map[string]any{"kind": kind}) // cleared
	}
	for says, more := range map[string]map[string]any{
		"must come after":               {"kind": "ramp", "ramp": map[string]any{"from": 9, "to": 9}},
		"there is no picture":           {"kind": "knownInterval", "knownInterval": map[string]any{"from": 9, "to": 9999, "seconds": 1, "u": 0}},
		"the time between two pictures": {"kind": "knownInterval", "knownInterval": map[string]any{"from": 1, "to": 9, "seconds": 0, "u": 0}},
		"the whole athlete":             {"kind": "subject", "subject": map[string]any{"frame": 3, "a": spot(1, 1), "b": spot(2, 2)}},
		"5 times":                       {"kind": "repeats", "repeats": map[string]any{"frame": 3, "landmark": "knee.L", "points": points[:2]}},
		"not in the playbook":           {"kind": "repeats", "repeats": map[string]any{"frame": 3, "landmark": "wing.L", "points": points}},
	} {
		var p api.Problem
		if got := h.command(attempt, version, more, &p); got != 422 || !strings.Contains(p.Message, says) {
			t.Errorf("%v is answered with %d %s, want %q", more, got, p.Message, says)
		}
	}
}
