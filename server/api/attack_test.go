package api_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/google/uuid"

	"neokinema/server/api"
	"neokinema/server/store"
)

// A number that no film can have is refused with its range, and what is there can
// still be read and undone.
func TestNumbersAtTheEdge(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	attempt := h.attempt()
	h.film(attempt, brief(t, 90), "a.mp4")
	spot := func(x, y float64) map[string]any { return map[string]any{"x": x, "y": y} }
	do := func(says, kind string, more map[string]any) {
		t.Helper()
		body := map[string]any{"id": store.NewID(), "version": 0, "kind": kind}
		for k, v := range more {
			body[k] = v
		}
		h.refused(422, says, "POST", "/api/attempts/"+attempt+"/commands", body)
	}
	do("a known length lies between 0.01 and 1000 m", "scale", map[string]any{"scale": map[string]any{"a": spot(0, 10), "b": spot(400, 10), "metres": 1e-9, "what": "lane"}})
	do("a known length lies between 0.01 and 1000 m", "scale", map[string]any{"scale": map[string]any{"a": spot(0, 10), "b": spot(400, 10), "metres": 1e9, "what": "lane"}})
	do("a number lies between", "scale", map[string]any{"scale": map[string]any{"a": spot(0, 10), "b": spot(400, 10), "metres": 1e300, "what": "lane"}})
	do("far outside of the picture", "scale", map[string]any{"scale": map[string]any{"a": spot(0, 10), "b": spot(1e9, 10), "metres": 2, "what": "lane"}})
	do("0 px long", "level", map[string]any{"level": map[string]any{"a": spot(5, 5), "b": spot(5, 5), "vertical": false}})
	do("stands 90° off", "level", map[string]any{"level": map[string]any{"a": spot(5, 5), "b": spot(5, 305), "vertical": false}})
	do("far outside of the picture", "origin", map[string]any{"origin": map[string]any{"at": spot(1e11, 3), "frame": 1}})
	do("which this clip does not have", "origin", map[string]any{"origin": map[string]any{"at": spot(1, 3), "frame": 1 << 30}})
	do("a capture rate lies between 1 and 10000", "rate", map[string]any{"rate": 1e-320})
	do("a capture rate lies between 1 and 10000", "rate", map[string]any{"rate": 1e11})
	do("a number lies between", "repeats", map[string]any{"repeats": map[string]any{"frame": 1, "landmark": "hip.L", "points": []any{spot(1e308, 1), spot(1, 1), spot(1, 1), spot(1, 1), spot(1, 1)}}})
	do("between -200 and 200 m", "controlPoints", map[string]any{"controlPoints": []any{map[string]any{"name": "x", "at": []float64{1e10, 0, 0}, "px": spot(1, 1), "frame": 1}}})
	for _, address := range []string{"/rates?gravity=NaN", "/rates?gravity=1e9", "/pedal?target=NaN&pitch=0.02", "/pedal?target=100&pitch=Inf"} {
		h.refused(422, "lies between", "GET", "/api/attempts/"+attempt+address, nil)
	}
	wish := map[string]any{"event": "discus", "side": "R", "sex": "man", "heightM": 1.85, "view": "back"}
	for name, v := range map[string]any{"rate": 1e9, "heightM": 1e9, "distance": 1e9, "offSquare": 1e9, "faults": map[string]float64{"late-pivot-foot": 1e9}} {
		h.refused(422, "", "POST", "/api/sim/films", map[string]any{"id": store.NewID(), "attempt": attempt, "wish": with(wish, map[string]any{name: v})})
	}
	var today api.Today
	h.want(200, "GET", "/api/today", nil, &today)
	for _, target := range []string{"1e308", "NaN", "-Inf", "1e7"} {
		h.refused(422, "", "POST", "/api/goals", map[string]any{"id": store.NewID(), "athleteId": today.Athletes[0].Id, "event": "sprint-start", "measure": "front-knee@set", "target": target, "by": "2027-06-01"})
	}
	var b api.Bench
	h.want(200, "GET", "/api/attempts/"+attempt, nil, &b)
	if b.Version != 0 || b.Calibration.Scale != nil {
		t.Errorf("something was stored: %+v", b.Calibration)
	}
	h.want(200, "GET", "/api/attempts/"+attempt+"/reading", nil, nil)
}

// What an older program let in can be read, undone and printed: a scale of a
// nanometre makes no picture of gigabytes.
func TestWhatWasLetInOnceCanBeUndone(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	attempt := h.attempt()
	h.film(attempt, brief(t, 90), "a.mp4")
	coach := h.coach(attempt)
	coach(map[string]any{"kind": "scale", "scale": map[string]any{"a": map[string]any{"x": 0, "y": 700}, "b": map[string]any{"x": 1200, "y": 700}, "metres": 8, "what": "lane"}})
	coach(map[string]any{"kind": "stamp", "keyId": "set", "frame": 40})
	coach(map[string]any{"kind": "landmark", "landmark": "hip.L", "frame": 40, "at": map[string]any{"x": 400, "y": 400}})
	if _, err := h.store.DB.ExecContext(t.Context(), `update calibration set scale_m = 1e-9`); err != nil {
		t.Fatal(err)
	}
	if _, err := h.store.DB.ExecContext(t.Context(), `update attempt set version = version + 1`); err != nil {
		t.Fatal(err)
	}
	for _, path := range []string{"", "/reading", "/pose.png?keyId=set", "/strip.png", "/report"} {
		h.want(200, "GET", "/api/attempts/"+attempt+path, nil, nil)
	}
	for _, rate := range []string{"1e-320", "1e-9", "1e300"} {
		if _, err := h.store.DB.ExecContext(t.Context(), `update clip set capture_rate = $1::float8`, rate); err != nil {
			t.Fatal(err)
		}
		h.want(200, "GET", "/api/attempts/"+attempt, nil, nil)
		if got := h.ask("GET", "/api/attempts/"+attempt+"/reading", nil, nil); got >= 500 {
			t.Errorf("at a rate of %s the reading answers %d", rate, got)
		}
	}
	if _, err := h.store.DB.ExecContext(t.Context(), `update clip set capture_rate = 240`); err != nil {
		t.Fatal(err)
	}
	var b api.Bench
	h.want(200, "GET", "/api/attempts/"+attempt, nil, &b)
	for range 3 {
		version := b.Version
		b = api.Bench{}
		h.want(200, "POST", "/api/attempts/"+attempt+"/commands", map[string]any{"id": store.NewID(), "version": version, "kind": "undo"}, &b)
	}
	if b.Calibration.Scale != nil {
		t.Errorf("the scale cannot be undone: %+v", b.Calibration.Scale)
	}
}

// A body without an id, an id that belongs to something else, and the same request
// twice.
func TestIdsAreTheirOwners(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	attempt := h.attempt()
	person := map[string]any{"name": "Łucja", "sex": "woman", "birthYear": 2000, "heightM": 1.7, "frontLeg": "L", "level": "trained"}
	h.refused(422, "id is missing", "POST", "/api/athletes", person)
	person["id"] = store.NewID()
	h.want(200, "POST", "/api/athletes", person, nil)
	h.want(200, "POST", "/api/athletes", person, nil)
	person["name"] = "Somebody else"
	h.refused(409, "belongs to another athlete", "POST", "/api/athletes", person)

	goal := map[string]any{"id": store.NewID(), "athleteId": person["id"], "event": "hammer", "target": "60", "by": "2027-06-01"}
	h.want(204, "POST", "/api/goals", goal, nil)
	h.want(204, "POST", "/api/goals", goal, nil)
	goal["target"] = "70"
	h.refused(409, "belongs to another goal", "POST", "/api/goals", goal)
	h.refused(422, "id is missing", "POST", "/api/goals", map[string]any{"athleteId": person["id"], "event": "hammer", "target": "60", "by": "2027-06-01"})

	line := map[string]any{"id": store.NewID(), "athleteId": person["id"], "day": "2026-12-01", "kind": "drill", "words": "Walk"}
	h.want(204, "POST", "/api/plan", []any{line}, nil)
	h.want(204, "POST", "/api/plan", []any{line}, nil)
	line["words"] = "Run"
	h.refused(409, "belongs to another line of the plan", "POST", "/api/plan", []any{line})
	delete(line, "id")
	h.refused(422, "id is missing", "POST", "/api/plan", []any{line})

	note := map[string]any{"id": store.NewID(), "version": 0, "kind": "note", "note": "good", "words": "Quick off"}
	h.want(200, "POST", "/api/attempts/"+attempt+"/commands", note, nil)
	h.want(200, "POST", "/api/attempts/"+attempt+"/commands", note, nil)
	h.refused(409, "belongs to another change", "POST", "/api/attempts/"+h.attempt()+"/commands", note)
	note["words"] = "Slow off"
	h.refused(409, "belongs to another change", "POST", "/api/attempts/"+attempt+"/commands", note)
	h.refused(422, "id is missing", "POST", "/api/attempts/"+attempt+"/commands", map[string]any{"version": 1, "kind": "note", "note": "good", "words": "x"})
}

// NUL and endless texts are refused wherever a text is taken; no answer is a 500.
func TestTextsAreBounded(t *testing.T) {
	h := open(t, false)
	tove := h.enter("tove", "owner", store.NewID())
	attempt := h.attempt()
	var today api.Today
	h.want(200, "GET", "/api/today", nil, &today)
	ids := map[string]string{"attempt": attempt, "clip": store.NewID().String(), "athlete": today.Athletes[0].Id.String(), "account": tove.ID.String(), "plan": store.NewID().String(), "practice": store.NewID().String()}
	tried := 0
	h.walk(ids, func(op *openapi3.Operation, method, path string, body any) {
		for _, bad := range []string{"a\x00b", strings.Repeat("x", 600<<10)} {
			for _, spoilt := range spoil(body, bad) {
				tried++
				if got := h.ask(method, path, spoilt, nil); got >= 500 || got < 400 {
					t.Errorf("%s with a text of %d bytes answers %d: %.120v", op.OperationID, len(bad), got, spoilt)
				}
			}
		}
	})
	if tried < 40 {
		t.Errorf("only %d texts were tried", tried)
	}
	for _, address := range []string{"/api/search?q=a%00b", "/api/playbook/a%00b", "/api/attempts/" + attempt + "/pose.png?keyId=%00", "/api/search?q=%ff"} {
		h.refused(422, "the address", "GET", address, nil)
	}
}

// spoil is a body once for each of its texts, with that one spoilt.
func spoil(body any, bad string) []any {
	var out []any
	switch b := body.(type) {
	case map[string]any:
		for k, v := range b {
			inner := []any{}
			if s, is := v.(string); is {
				if _, err := uuid.Parse(s); err == nil {
					continue
				}
				if _, err := time.Parse(time.DateOnly, s); err == nil {
					continue
				}
				inner = append(inner, bad)
			} else {
				inner = spoil(v, bad)
			}
			for _, v := range inner {
				copied := map[string]any{}
				for k, v := range b {
					copied[k] = v
				}
				copied[k] = v
				out = append(out, copied)
			}
		}
	case []any:
		for _, v := range b {
			for _, v := range spoil(v, bad) {
				out = append(out, []any{v})
			}
		}
	}
	return out
}

// A change that no longer loads is set aside with a message to the owner; it stops
// no event.
func TestAChangeThatNoLongerLoadsIsSetAside(t *testing.T) {
	h := open(t, false)
	tove := h.enter("tove", "owner", store.NewID())
	attempt := h.attempt()
	h.film(attempt, brief(t, 90), "a.mp4")
	bomb := "care: [&a0 \"" + strings.Repeat("x", 1000) + "\""
	for i := 1; i < 10; i++ {
		bomb += fmt.Sprintf(", &a%d [%s]", i, strings.TrimSuffix(strings.Repeat(fmt.Sprintf("*a%d, ", i-1), 10), ", "))
	}
	bomb += "]"
	wish := map[string]any{"id": store.NewID(), "scope": "club", "value": "", "yaml": bomb}
	h.refused(422, "beyond all measure", "POST", "/api/playbook/sprint-start/changes", wish)
	for _, text := range []string{"bands: [{measure: front-knee, band: {low: .nan, high: 100, class: C}}]", "bands: [{measure: front-knee, band: {low: 80, high: .inf, class: C}}]"} {
		wish["yaml"] = text
		h.refused(422, "lies between", "POST", "/api/playbook/sprint-start/changes", wish)
	}
	// As an older program stored them.
	for i, patch := range []string{bomb, "bands: [{measure: front-knee, band: {low: .nan, high: 100, class: C}}]", "without: ["} {
		if _, err := h.store.DB.ExecContext(t.Context(), `insert into playbook_change (id, club_id, event, scope, value, patch, account_id) values ($1, $2, 'sprint-start', $3, $4, $5, $6)`,
			store.NewID(), tove.ClubID, []string{"club", "level", "school"}[i], []string{"", "trained", "medium"}[i], patch, tove.ID); err != nil {
			t.Fatal(err)
		}
	}
	for _, path := range []string{"/api/attempts/" + attempt + "/reading", "/api/playbook/sprint-start", "/api/playbook/sprint-start?attempt=" + attempt, "/api/playbook/sprint-start/file.yaml", "/api/measures.csv", "/api/attempts/" + attempt + "/report"} {
		h.want(200, "GET", path, nil, nil)
	}
	var today api.Today
	h.want(200, "GET", "/api/today", nil, &today)
	told := 0
	for _, w := range today.Waits {
		if w.Kind == "playbook" && strings.Contains(w.Says, "set aside") && w.Under != "" {
			told++
		}
	}
	if told != 3 {
		t.Errorf("the owner is told of %d changes: %+v", told, today.Waits)
	}
	var changes api.PlaybookChanges
	h.want(200, "GET", "/api/playbook/sprint-start/changes", nil, &changes)
	for _, c := range changes.Now {
		if c.Problem == nil {
			t.Errorf("the change for %s tells no problem", c.Scope)
		}
	}
}

// Another coach's session is neither changed nor erased; erasing an attempt takes
// nothing else along.
func TestSessionsBelongToTheirCoaches(t *testing.T) {
	h := open(t, false)
	club := store.NewID()
	tove := h.enter("tove", "coach", club)
	body := map[string]any{"day": "2026-11-20", "place": "Saltmere hall", "kind": "training", "weather": "rain"}
	var noted api.Session
	h.want(200, "PUT", "/api/sessions", body, &noted)
	attempt := h.attempt()

	nora := store.Account{ID: store.NewID(), ClubID: club, Login: "nora", Name: "Nora", Role: "coach", PasswordHash: tove.PasswordHash}
	if err := h.store.AddAccount(t.Context(), nora); err != nil {
		t.Fatal(err)
	}
	mine := h.http
	h.http = h.browser()
	h.want(200, "POST", "/api/sign-in", map[string]string{"name": "nora", "password": password}, nil)
	body["weather"] = "hers"
	h.refused(403, "another coach's", "PUT", "/api/sessions", body)
	h.refused(403, "only the club's owner", "PUT", "/api/phases", map[string]any{"id": store.NewID(), "name": "Winter", "kind": "preparation", "from": "2026-10-01", "to": "2026-12-02"})
	other := h.attempt()
	h.want(204, "DELETE", "/api/attempts/"+other, nil, nil)

	h.http = mine
	h.want(204, "DELETE", "/api/attempts/"+attempt, nil, nil)
	var page api.SessionPage
	h.want(200, "GET", "/api/sessions/"+noted.ID.String(), nil, &page)
	if page.Session.Weather != "rain" {
		t.Errorf("the session is %+v", page.Session)
	}
	var list []api.Session
	h.want(200, "GET", "/api/sessions", nil, &list)
	if len(list) != 1 {
		t.Errorf("empty sessions are listed: %+v", list)
	}
}

// A cue record of hundreds of lines makes no reading fail.
func TestALongCueRecordIsRead(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	attempt := h.attempt()
	h.film(attempt, brief(t, 90), "a.mp4")
	if _, err := h.store.DB.ExecContext(t.Context(), `insert into follow_up (attempt_id, of_attempt, fault, cue, outcome) select $1, $2, 'fault-' || n, 'a-cue-with-a-name-of-some-length-' || n, 'changed' from generate_series(1, 2000) n`, attempt, attempt); err != nil {
		t.Fatal(err)
	}
	h.want(200, "GET", "/api/attempts/"+attempt+"/reading", nil, nil)
}
