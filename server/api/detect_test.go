package api_test

import (
	"math"
	"strings"
	"testing"

	"neokinema/core/body"
	"neokinema/core/breakdown"
	"neokinema/core/judge"
	"neokinema/demo"
	"neokinema/server/api"
	"neokinema/server/report"
	"neokinema/server/store"
)

// Without a point placed by hand the body is found on the whole film; what is measured
// with it lies round the truth, counts as unconfirmed and goes into no report. A point
// that the coach places wins.
func TestTheBodyIsFoundWithoutAHand(t *testing.T) {
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
	stamps := map[string]int{}
	for _, s := range []string{"set", "rear-off", "block-exit", "td1", "to1", "td2"} {
		stamps[s] = truth.Frames[s]
	}
	do(map[string]any{"kind": "stamps", "stamps": stamps})
	id := store.NewID().String()
	h.want(200, "POST", "/api/attempts/"+attempt+"/followings", map[string]any{"id": id}, nil)
	if f := h.done(id); f.State != "done" || f.Done != f.Total {
		t.Fatalf("it ended as %+v", f)
	}
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
