package api_test

import (
	"bytes"
	"math"
	"net/http"
	"slices"
	"strings"
	"testing"

	"neokinema/core/body"
	"neokinema/core/segment"
	"neokinema/demo"
	"neokinema/server/api"
	"neokinema/server/assemble"
	"neokinema/server/coaching"
	"neokinema/server/store"
)

// log notes an attempt at an event.
func (h *house) log(event, variant string) string {
	h.t.Helper()
	h.attempt()
	var today api.Today
	h.want(200, "GET", "/api/today", nil, &today)
	id := store.NewID().String()
	h.want(200, "POST", "/api/attempts", map[string]any{"id": id, "athleteId": today.Athletes[0].Id, "event": event, "variant": variant, "day": "2026-11-24", "place": "oval"}, nil)
	return id
}

// Points that are followed on real pictures pencil the contacts in; all are taken
// by one command, which one undo takes back; dropped ones stay away.
func TestKeyPositionsArePencilledIn(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	attempt := h.log("long-jump", "hang")
	const scenario = "long-jump-early-drop"
	film, err := demo.Clip(scenario)
	if err != nil {
		t.Fatal(err)
	}
	h.film(attempt, film, "a.mp4")
	truth, err := demo.Truth(scenario)
	if err != nil {
		t.Fatal(err)
	}
	do := h.coach(attempt)
	do(map[string]any{"kind": "view", "view": truth.View, "rightward": truth.Rightward()})
	propose := func() (p assemble.Proposals) {
		h.want(200, "GET", "/api/attempts/"+attempt+"/proposals", nil, &p)
		return p
	}
	if p := propose(); len(p.Proposals) != 0 || !strings.Contains(p.Lacks, "Follow the toes and heels") {
		t.Errorf("before anything is followed: %+v", p)
	}
	for frame := 0; frame < len(truth.Film); frame += 6 {
		for _, l := range []body.Landmark{"toe.L", "toe.R", "heel.L", "heel.R"} {
			if p := truth.Film[frame].InView[l]; p[2] == 1 {
				do(map[string]any{"kind": "landmark", "frame": frame, "landmark": l, "at": map[string]any{"x": p[0], "y": p[1]}})
			}
		}
	}
	following := store.NewID().String()
	h.want(200, "POST", "/api/attempts/"+attempt+"/followings", map[string]any{"id": following}, nil)
	if f := h.done(following); f.State != "done" {
		t.Fatalf("following ends %s", f.State)
	}
	var bench api.Bench
	h.want(200, "GET", "/api/attempts/"+attempt, nil, &bench)
	do = h.coachFrom(attempt, bench.Version)
	found := propose().Proposals
	right := 0
	stamps := map[string]any{}
	for _, p := range found {
		stamps[p.KeyID] = p.Frame
		if want, ok := truth.Frames[p.KeyID]; ok && math.Abs(float64(p.Frame-want)) <= 2 {
			right++
		} else {
			t.Logf("%s is pencilled in on picture %d, truly %d", p.KeyID, p.Frame, want)
		}
	}
	if len(found) < 6 || right < len(found)-1 {
		t.Fatalf("%d pencilled in, %d on the right picture or beside it: %+v", len(found), right, found)
	}
	b := do(map[string]any{"kind": "stamps", "stamps": stamps})
	if len(b.Stamps) != len(found) {
		t.Errorf("%d stamps after taking %d", len(b.Stamps), len(found))
	}
	if b = do(map[string]any{"kind": "undo"}); len(b.Stamps) != 0 {
		t.Errorf("one undo leaves %v", b.Stamps)
	}
	b = do(map[string]any{"kind": "rejectedProposals", "keyIds": []string{found[0].KeyID}})
	if p := propose(); slices.ContainsFunc(p.Proposals, func(q segment.Proposal) bool { return q.KeyID == found[0].KeyID }) || len(p.Rejected) != 1 {
		t.Errorf("%s was dropped and is still there: %+v", found[0].KeyID, p)
	}
	do(map[string]any{"kind": "undo"})
	if p := propose(); len(p.Rejected) != 0 {
		t.Errorf("dropping is not undone: %v", p.Rejected)
	}
	h.want(422, "POST", "/api/attempts/"+attempt+"/commands", map[string]any{"id": store.NewID(), "version": b.Version + 1, "kind": "stamps", "stamps": map[string]any{"board-td": 100000}}, nil)
	h.want(422, "POST", "/api/attempts/"+attempt+"/commands", map[string]any{"id": store.NewID(), "version": b.Version + 1, "kind": "stamps", "stamps": map[string]any{"moonwalk": 10}}, nil)
	h.refused(422, "is pinned where it is", "GET", "/api/attempts/"+attempt+"/pin?landmark=wrist.R&frame=12&to=60", nil)
	h.refused(422, "no second film", "GET", "/api/attempts/"+attempt+"/clocks", nil)
}

// Two films whose stamps agree are joined and told to each other; when they
// cannot be of one throw, the odd stamp is named.
func TestClocksOfTwoFilms(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	first := h.log("discus", "full")
	second := store.NewID().String()
	h.want(200, "POST", "/api/attempts/"+first+"/other", map[string]any{"id": second}, nil)
	on := func(attempt, scenario string) (func(map[string]any) api.Bench, map[string]int) {
		film, err := demo.Clip(scenario)
		if err != nil {
			t.Fatal(err)
		}
		h.film(attempt, film, scenario+".mp4")
		truth, err := demo.Truth(scenario)
		if err != nil {
			t.Fatal(err)
		}
		return h.coach(attempt), truth.Frames
	}
	onFirst, here := on(first, "discus-clean-back")
	onSecond, there := on(second, "discus-clean-side")
	clocks := func() (c assemble.Clocks) {
		h.want(200, "GET", "/api/attempts/"+first+"/clocks", nil, &c)
		return c
	}
	if c := clocks(); c.Joined || !strings.Contains(c.Why, "stamp the same key position") {
		t.Errorf("without stamps: %+v", c)
	}
	for _, keyID := range []string{"push-off", "push-down", "pivot-down"} {
		onFirst(map[string]any{"kind": "stamp", "keyId": keyID, "frame": here[keyID]})
		onSecond(map[string]any{"kind": "stamp", "keyId": keyID, "frame": there[keyID]})
	}
	onSecond(map[string]any{"kind": "stamp", "keyId": "release", "frame": there["release"]})
	c := clocks()
	if !c.Joined || len(c.Shared) != 3 || c.OffsetU <= 0 || len(c.Beside) == 0 {
		t.Fatalf("%+v", c)
	}
	if n := c.Beside[here["pivot-down"]]; math.Abs(float64(n-there["pivot-down"])) > 1 {
		t.Errorf("beside the power position stands picture %d, truly %d", n, there["pivot-down"])
	}
	var p assemble.Proposals
	h.want(200, "GET", "/api/attempts/"+first+"/proposals", nil, &p)
	if i := slices.IndexFunc(p.Proposals, func(q segment.Proposal) bool { return q.KeyID == "release" }); i < 0 || math.Abs(float64(p.Proposals[i].Frame-here["release"])) > 1 || p.Proposals[i].From != "the other film" {
		t.Errorf("the release that the other film tells: %+v", p.Proposals)
	}
	onSecond(map[string]any{"kind": "stamp", "keyId": "push-down", "frame": there["push-down"] + 20})
	if c := clocks(); c.Joined || c.Odd != "push-down" || !strings.Contains(c.Why, "cannot be of one attempt") {
		t.Errorf("with a stamp 20 pictures off: %+v", c)
	}
}

// Of an athlete's clips of a session one is picked, with a reason, and no other.
func TestOneClipIsPicked(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	a := h.log("javelin", "forward")
	var today api.Today
	h.want(200, "GET", "/api/today", nil, &today)
	b := store.NewID().String()
	h.want(200, "POST", "/api/attempts", map[string]any{"id": b, "athleteId": today.Athletes[0].Id, "event": "javelin", "variant": "forward", "day": "2026-11-24", "place": "oval"}, nil)
	h.refused(422, "say why", "POST", "/api/attempts/"+a+"/pick", map[string]any{"why": "  "})
	h.want(204, "POST", "/api/attempts/"+a+"/pick", map[string]any{"why": "the longest"}, nil)
	h.want(204, "POST", "/api/attempts/"+b+"/pick", map[string]any{"why": "the block holds"}, nil)
	var list []api.Candidate
	h.want(200, "GET", "/api/attempts/"+a+"/sheet", nil, &list)
	picked := map[string]string{}
	for _, c := range list {
		if c.Picked != nil {
			picked[c.Id.String()] = *c.Picked
		}
	}
	if len(list) != 2 || len(picked) != 1 || picked[b] != "the block holds" {
		t.Errorf("%d candidates, picked %v", len(list), picked)
	}
}

// A mark is read as it is written, rounded down, and seen wherever clips are
// chosen; nonsense changes nothing.
func TestAnAttemptHasItsMark(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	a := h.log("hammer", "three-heel")
	worth := func(version int, w map[string]any) (b api.Bench, code int) {
		code = h.command(a, version, map[string]any{"kind": "result", "result": w}, &b)
		return b, code
	}
	for _, bad := range []map[string]any{{"text": "61.2.5"}, {"text": "-61"}, {"text": "610"}, {"text": "0"}, {"text": "12.4 s"}, {"foul": "sneezed"}, nil} {
		if _, code := worth(0, bad); code != 422 {
			t.Errorf("%v is answered with %d", bad, code)
		}
	}
	b, code := worth(0, map[string]any{"text": "61,259", "mark": 99999})
	if code != 200 || b.Version != 1 || b.Mark == nil || b.Mark.Text != "61.25 m" || b.Mark.Imperial != `200' 11¼"` || b.Mark.Foul != "" {
		t.Fatalf("%d: %+v", code, b.Mark)
	}
	if b, _ = worth(1, map[string]any{"text": `200' 11¼"`, "foul": "outside the sector"}); b.Mark == nil || b.Mark.Text != "61.24 m" || b.Mark.Foul != "outside the sector" {
		t.Errorf("%+v", b.Mark)
	}
	var list []api.Candidate
	var today api.Today
	h.want(200, "GET", "/api/attempts/"+a+"/sheet", nil, &list)
	h.want(200, "GET", "/api/today", nil, &today)
	var days []coaching.Session
	h.want(200, "GET", "/api/sessions", nil, &days)
	var log coaching.SessionPage
	h.want(200, "GET", "/api/sessions/"+days[0].ID.String(), nil, &log)
	if list[0].Mark == nil || list[0].Mark.Foul != "outside the sector" || slices.ContainsFunc(today.Attempts, func(l api.Line) bool { return l.Id.String() == a }) || log.Series[0].Attempts[0].Mark.Text != "61.24 m" {
		t.Errorf("on the sheet %+v, today %+v, in the log %+v", list[0].Mark, today.Attempts, log.Series)
	}
	var links api.ResultCorrelations
	h.want(200, "GET", "/api/attempts/"+a+"/links", nil, &links)
	if links.Attempts != 0 || links.Wanted != 8 || len(links.Links) != 0 {
		t.Errorf("nothing is measured, and goes with marks: %+v", links)
	}
	do := h.coachFrom(a, 2)
	if b = do(map[string]any{"kind": "undo"}); b.Mark == nil || b.Mark.Text != "61.25 m" || b.Mark.Foul != "" {
		t.Errorf("taken back: %+v", b.Mark)
	}
	if b = do(map[string]any{"kind": "result", "result": map[string]any{}}); b.Mark != nil {
		t.Errorf("taken off: %+v", b.Mark)
	}
}

// A film is taken to be seen from the event's usual side until the coach says more.
func TestAFilmIsSeenFromTheUsualSide(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	start := h.attempt()
	var today api.Today
	h.want(200, "GET", "/api/today", nil, &today)
	throw := store.NewID().String()
	h.want(200, "POST", "/api/attempts", map[string]any{"id": throw, "athleteId": today.Athletes[0].Id, "event": "hammer", "day": "2026-11-20", "place": "Saltmere oval"}, nil)
	for attempt, want := range map[string]string{start: "side-open", throw: "back"} {
		var c api.Clip
		h.want(200, "POST", "/api/attempts/"+attempt+"/clips", map[string]any{"id": store.NewID(), "name": "a.mp4", "bytes": 5000}, &c)
		if c.View != want {
			t.Errorf("the film is seen from %q, not %q", c.View, want)
		}
	}
	h.refused(404, "", "POST", "/api/attempts/"+store.NewID().String()+"/clips", map[string]any{"id": store.NewID(), "name": "a.mp4", "bytes": 5000})
}

func TestDialFiguresAndFilmingCard(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	h.refused(422, "clock A or clock B", "POST", "/api/dial", map[string]any{"dial": "sundial"})
	h.want(204, "POST", "/api/dial", map[string]any{"dial": "clock-b"}, nil)
	var state api.State
	h.want(200, "GET", "/api/state", nil, &state)
	if state.Dial == nil || *state.Dial != "clock-b" {
		t.Errorf("the dial is %v", state.Dial)
	}
	var poses map[string]assemble.Pose
	h.want(200, "GET", "/api/playbook/hammer/poses?variant=three-heel&view=back", nil, &poses)
	for _, keyID := range []string{"entry-0", "off#1", "down#3", "release"} {
		p := poses[keyID]
		for _, l := range []string{"vertex", "toe.L", "toe.R"} {
			if at, ok := p[l]; !ok || at[0] < 0 || at[0] > 1 || at[1] < 0 || at[1] > 1 {
				t.Errorf("%s at %s is drawn at %v", l, keyID, at)
			}
		}
	}
	h.refused(422, "no variant", "GET", "/api/playbook/hammer/poses?variant=nine-heel", nil)
	r, err := h.http.Get(h.base + "/api/playbook/hammer/filming.pdf")
	if err != nil {
		t.Fatal(err)
	}
	defer r.Body.Close()
	var pdf bytes.Buffer
	if _, err := pdf.ReadFrom(r.Body); err != nil || r.StatusCode != http.StatusOK || !bytes.HasPrefix(pdf.Bytes(), []byte("%PDF")) {
		t.Errorf("the filming card answers %d, %d bytes (%v)", r.StatusCode, pdf.Len(), err)
	}
}
