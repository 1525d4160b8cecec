package api_test

import (
	"math"
	"strings"
	"testing"
	"time"

	"neokinema/core/body"
	"neokinema/core/breakdown"
	"neokinema/core/judge"
	"neokinema/demo"
	"neokinema/server/api"
	"neokinema/server/report"
	"neokinema/server/store"
)

// found waits until a film that came in is read, and returns the run.
func (h *house) found(attempt string) api.Task {
	h.t.Helper()
	var list []api.Task
	for begun := time.Now(); time.Since(begun) < 12*time.Minute; time.Sleep(50 * time.Millisecond) {
		h.want(200, "GET", "/api/attempts/"+attempt+"/followings", nil, &list)
		if len(list) == 1 && list[0].State != "waiting" && list[0].State != "running" {
			return list[0]
		}
	}
	h.t.Fatalf("the film is not read after twelve minutes: %+v", list)
	return api.Task{}
}

// A film is read as it comes in: without a point placed by hand, or a press, the body
// is found on the whole of it; what is measured with it lies round the truth, counts as
// unconfirmed and goes into no report. A point that the coach places wins.
func TestAFilmIsReadAsItComesIn(t *testing.T) {
	t.Setenv("NEOKINEMA_MODELS", "../../models")
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	athlete, attempt := store.NewID().String(), store.NewID().String()
	h.want(200, "POST", "/api/athletes", map[string]any{"id": athlete, "name": "Ilse Marrowby", "sex": "woman", "birthYear": 2001, "heightM": 1.72, "frontLeg": "L", "level": "trained"}, nil)
	h.want(200, "POST", "/api/attempts", map[string]any{"id": attempt, "athleteId": athlete, "event": "sprint-start", "day": "2026-11-20", "place": "Saltmere oval"}, nil)
	h.film(attempt, clean(t), "a.mp4")
	truth, err := demo.Truth("start-clean")
	if err != nil {
		t.Fatal(err)
	}
	do := h.coach(attempt)
	do(map[string]any{"kind": "view", "view": truth.View, "rightward": truth.Rightward()})
	if b := do(map[string]any{"kind": "note", "note": "good", "words": "quiet hands"}); b.Calibration.Following != nil && b.Undo == "following" {
		t.Error("what the background did is the coach's to take back")
	}
	stamps := map[string]int{}
	for _, s := range []string{"set", "rear-off", "block-exit", "td1", "to1", "td2"} {
		stamps[s] = truth.Frames[s]
	}
	do(map[string]any{"kind": "stamps", "stamps": stamps})
	f := h.found(attempt)
	if f.State != "done" || f.Done != f.Total {
		t.Fatalf("it ended as %+v", f)
	}
	taken := do(map[string]any{"kind": "stamps", "stamps": map[string]int{"to2": truth.Frames["to2"]}, "u": map[string]float64{"to2": 0.012}})
	if taken.StampU == nil || (*taken.StampU)["to2"] != 0.012 {
		t.Errorf("a key position that was found is taken as %v", taken.StampU)
	}
	if b := do(map[string]any{"kind": "stamp", "keyId": "to2", "frame": truth.Frames["to2"]}); len(*b.StampU) != 0 {
		t.Errorf("stamped by hand it keeps %v", *b.StampU)
	}
	do(map[string]any{"kind": "stamp", "keyId": "to2"})
	id := f.Id.String()
	near := body.Landmark("knee.L")
	path := h.path(id, string(near))
	if path.Source != breakdown.Detected {
		t.Errorf("the knee's path is %s", path.Source)
	}
	inside, of := 0, 0
	for i, u := range path.U {
		at := truth.At(i, near)
		for _, off := range []float64{path.X[i] - at.X, path.Y[i] - at.Y} {
			of++
			if u > 0 && math.Abs(off) <= 2*u {
				inside++
			}
		}
	}
	if of < 600 || float64(inside) < 0.9*float64(of) {
		t.Errorf("the knee lies inside of its ± on %d of %d", inside, of)
	}

	var r api.Reading
	h.want(200, "GET", "/api/attempts/"+attempt+"/reading", nil, &r)
	known, right := 0, 0
	for _, v := range r.Values {
		want, told := truth.Measures[v.Key]
		if !v.Known() || !told || !v.Unconfirmed {
			continue
		}
		known++
		if math.Abs(v.Value.Value-want) <= 2*v.U {
			right++
		} else {
			t.Logf("%s is %.2f ± %.2f, in truth %.2f", v.Key, v.Value.Value, 2*v.U, want)
		}
	}
	if known < 8 || float64(right) < 0.85*float64(known) {
		t.Errorf("%d of %d measures of found points hold", right, known)
	}
	var sheet report.Sheet
	h.want(200, "GET", "/api/attempts/"+attempt+"/report", nil, &sheet)
	said := false
	for _, block := range sheet.Blocks {
		if block.Gauge != nil && strings.Contains(block.Gauge.Name, "knee") {
			t.Errorf("the report shows %s", block.Gauge.Name)
		}
		said = said || strings.Contains(block.Text, "nobody has confirmed")
	}
	if !said {
		t.Error("the report does not say that something is unconfirmed")
	}

	// The knee's three points, placed by hand, count.
	var b api.Bench
	h.want(200, "GET", "/api/attempts/"+attempt, nil, &b)
	do = h.coachFrom(attempt, b.Version)
	at := stamps["td1"]
	for _, l := range []body.Landmark{"hip.L", "knee.L", "ankle.L", "hip.R", "knee.R", "ankle.R", "shoulder.L", "shoulder.R", "toe.L", "toe.R", "heel.L", "heel.R"} {
		p := truth.At(at, l)
		do(map[string]any{"kind": "landmark", "frame": at, "landmark": l, "at": map[string]any{"x": p.X, "y": p.Y}})
	}
	h.want(200, "GET", "/api/attempts/"+attempt+"/reading", nil, &r)
	for _, v := range r.Values {
		if v.KeyID == "td1" && strings.HasPrefix(v.Formula, "angle between") && v.Known() && v.Unconfirmed && v.Verdict != judge.Missing {
			t.Errorf("%s rests on placed points and is unconfirmed", v.Key)
		}
	}
}

// What a body model said of a picture is kept: the film is looked at once. Points that
// the coach confirms or moves tell how far it was off, and move their neighbours.
func TestTheServerLearnsFromTheCoach(t *testing.T) {
	t.Setenv("NEOKINEMA_MODELS", "../../models")
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	athlete, attempt := store.NewID().String(), store.NewID().String()
	h.want(200, "POST", "/api/athletes", map[string]any{"id": athlete, "name": "Ilse Marrowby", "sex": "woman", "birthYear": 2001, "heightM": 1.72, "frontLeg": "L", "level": "trained"}, nil)
	h.want(200, "POST", "/api/attempts", map[string]any{"id": attempt, "athleteId": athlete, "event": "sprint-start", "day": "2026-11-20", "place": "Saltmere oval"}, nil)
	clip, _ := h.film(attempt, brief(t, 240), "a.mp4")
	run := h.found(attempt).Id.String()
	path := h.path(run, "knee.L")
	var b api.Bench
	h.want(200, "GET", "/api/attempts/"+attempt, nil, &b)
	do := h.coachFrom(attempt, b.Version)
	checks := func() (out []api.PointChecks) {
		h.want(200, "GET", "/api/point-checks", nil, &out)
		return out
	}
	if got := checks(); len(got) != 0 {
		t.Errorf("before anybody looked: %+v", got)
	}
	// One is confirmed where it is, one moved by three of its ±.
	at := func(i int, by float64) map[string]any {
		return map[string]any{"x": path.X[i] + by, "y": path.Y[i]}
	}
	do(map[string]any{"kind": "landmarks", "points": []any{map[string]any{"frame": 40, "name": "knee.L", "at": at(40, 0), "u": path.U[40]}}})
	off := 6 * path.U[200]
	do(map[string]any{"kind": "landmark", "frame": 200, "landmark": "knee.L", "at": at(200, off)})
	got := checks()
	if len(got) != 1 || got[0].Points != 2 || got[0].Inside != 1 || got[0].Moved != 1 || got[0].Event != "sprint-start" || got[0].Widened == 1.5 {
		t.Errorf("after one was confirmed and one moved: %+v", got)
	}
	var mended store.FollowedPaths
	h.want(200, "GET", "/api/attempts/"+attempt+"/paths", nil, &mended)
	now, _ := mended.Path("knee.L")
	if by := now.X[202] - path.X[202]; by < off/2 {
		t.Errorf("two pictures on the knee moves by %.1f px of %.1f", by, off)
	}
	if by := now.X[100] - path.X[100]; math.Abs(by) > 0.1 {
		t.Errorf("far away it moves by %.1f px", by)
	}
	do(map[string]any{"kind": "undo"})
	if got := checks(); len(got) != 1 || got[0].Points != 1 || got[0].Moved != 0 {
		t.Errorf("after the move is taken back: %+v", got)
	}

	// A second finding looks at no picture again.
	if _, err := h.store.DB.Exec(`update body_look set score = 7 where clip_id = $1`, clip); err != nil {
		t.Fatal(err)
	}
	h.want(200, "POST", "/api/attempts/"+attempt+"/followings", map[string]any{"id": store.NewID().String()}, nil)
	second := h.found(attempt)
	var kept, fresh int
	if err := h.store.DB.QueryRow(`select count(*) filter (where score = 7), count(*) filter (where score <> 7) from body_look where clip_id = $1`, clip).Scan(&kept, &fresh); err != nil {
		t.Fatal(err)
	}
	if second.State != "done" || second.Id.String() == run || kept < 25 || fresh != 0 {
		t.Errorf("it ends as %s with %d pictures kept and %d looked at again", second.State, kept, fresh)
	}
}
