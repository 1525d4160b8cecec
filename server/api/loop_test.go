package api_test

import (
	"fmt"
	"image"
	_ "image/jpeg"
	_ "image/png"
	"io"
	"math"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"github.com/google/uuid"

	"neokinema/server/api"
	"neokinema/server/assemble"
	"neokinema/server/store"
)

// athlete adds an athlete of the coach who is signed in.
func (h *house) athlete(name string) string {
	h.t.Helper()
	id := store.NewID().String()
	h.want(200, "POST", "/api/athletes", map[string]any{"id": id, "name": name, "sex": "man", "birthYear": 1998, "heightM": 1.86, "frontLeg": "L", "level": "trained", "massKg": 104.5, "para": "F46", "events": []string{"hammer"}, "notes": "Comes by the late bus."}, nil)
	return id
}

// throws logs hammer throws, as they are written, on a day.
func (h *house) throws(athlete, day string, marks ...string) []string {
	h.t.Helper()
	var ids []string
	for _, m := range marks {
		id := store.NewID().String()
		body := map[string]any{"id": id, "athleteId": athlete, "event": "hammer", "day": day, "place": "Saltmere oval", "mark": m, "details": map[string]any{"implementG": 7260, "effort": 90}}
		if lost, how := strings.CutPrefix(m, "x "); how {
			body["mark"], body["foul"] = "", lost
		}
		h.want(200, "POST", "/api/attempts", body, nil)
		ids = append(ids, id)
	}
	return ids
}

func TestADayIsLogged(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	who := h.athlete("Corvin Hask")
	h.throws(who, "2026-06-01", "60.10", "60.50", "59.80")
	ids := h.throws(who, "2026-06-14", "61.259", "x outside the sector", `203' 4"`, "62.40")
	var list []api.Session
	h.want(200, "GET", "/api/sessions", nil, &list)
	if len(list) != 2 || list[0].Day != "2026-06-14" || list[0].Attempts != 4 || list[0].Athletes != 1 {
		t.Fatalf("sessions %+v", list)
	}
	var page api.SessionPage
	h.want(200, "GET", "/api/sessions/"+list[0].ID.String(), nil, &page)
	s := page.Series[0]
	// 61.259 m rounds down; 203' 4" is 61.976 m.
	if s.Attempts[0].Mark.Text != "61.25 m" || s.Attempts[2].Mark.Text != "61.97 m" || s.Attempts[1].Mark.Foul != "outside the sector" || s.Sum.Says != "4 attempts, best 62.40 m, mean 61.87 m, spread 0.58 m, 1 of 4 lost" {
		t.Errorf("series %+v", s)
	}
	if s.Before == nil || *s.Before != "2026-06-01" || s.Against != "the mean is better: by +1.74 m ± 0.78" {
		t.Errorf("beside the last session: %+v %q", s.Before, s.Against)
	}
	// The same attempt twice is the same attempt; another one under its id is refused,
	// and the same number twice is not taken.
	again := map[string]any{"id": ids[0], "athleteId": who, "event": "hammer", "day": "2026-06-14", "place": "Saltmere oval", "mark": "61.259", "details": map[string]any{"implementG": 7260, "effort": 90}}
	h.want(200, "POST", "/api/attempts", again, nil)
	h.refused(409, "belongs to another attempt", "POST", "/api/attempts", with(again, map[string]any{"mark": "70.00"}))
	for _, c := range []struct {
		says string
		more map[string]any
	}{
		{"attempt 2 of that day is there already", map[string]any{"number": 2}},
		{"is not a distance: write it as in 61.25", map[string]any{"mark": "61.2.5"}},
		{"is no distance of this event", map[string]any{"mark": "161.25"}},
		{"is not among the ways", map[string]any{"mark": "", "foul": "wind"}},
		{"a wind of 40.0 m/s is not believable", map[string]any{"details": map[string]any{"wind": 40}}},
		{"an implement weighs between", map[string]any{"details": map[string]any{"implementG": 7}}},
		{"how hard it felt is said from 1 to 10", map[string]any{"details": map[string]any{"rpe": 11}}},
		{"effort is a share", map[string]any{"details": map[string]any{"effort": 120}}},
		{"it landed within 60°", map[string]any{"details": map[string]any{"landedDeg": 99}}},
		{"has not come yet", map[string]any{"day": "2027-06-14"}},
		{"lies before the athlete was born", map[string]any{"day": "1990-06-14"}},
		{"say where it was", map[string]any{"place": ""}},
	} {
		body := map[string]any{"id": store.NewID(), "athleteId": who, "event": "hammer", "day": "2026-06-14", "place": "Saltmere oval", "mark": "61.00"}
		for k, v := range c.more {
			body[k] = v
		}
		h.refused(422, c.says, "POST", "/api/attempts", body)
	}
	h.want(200, "GET", "/api/sessions/"+list[0].ID.String(), nil, &page)
	if n := len(page.Series[0].Attempts); n != 4 {
		t.Errorf("what was refused left %d attempts", n)
	}
	// What is known of an attempt is a command like any other: it can be taken back.
	if got := h.command(ids[0], 0, map[string]any{"kind": "details", "details": map[string]any{"rpe": 7, "wind": -1.3}}, nil); got != 200 {
		t.Fatalf("details answer %d", got)
	}
	if got := h.command(ids[0], 0, map[string]any{"kind": "details", "details": map[string]any{"rpe": 2}}, nil); got != 409 {
		t.Errorf("details on an older version answer %d", got)
	}
	var b api.Bench
	h.command(ids[0], 1, map[string]any{"kind": "undo"}, &b)
	if b.Details.RPE != nil || b.Details.ImplementG == nil || *b.Details.ImplementG != 7260 {
		t.Errorf("taken back: %+v", b.Details)
	}
}

func TestTwoCoachesNoteOneSession(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	note := func(weather string, version int) map[string]any {
		return map[string]any{"day": "2026-06-14", "place": "Saltmere oval", "kind": "meet", "weather": weather, "wind": -2.1, "version": version}
	}
	var s api.Session
	h.want(200, "PUT", "/api/sessions", note("rain", 0), &s)
	h.want(200, "PUT", "/api/sessions", note("rain", 0), nil) // sent twice
	h.want(200, "PUT", "/api/sessions", note("dry again", s.Version), nil)
	h.refused(422, "changed elsewhere", "PUT", "/api/sessions", note("hail", s.Version))
	h.want(200, "GET", "/api/sessions/"+s.ID.String(), nil, &struct{ Session *api.Session }{&s})
	if s.Weather != "dry again" || s.Kind != "meet" || *s.Wind != -2.1 {
		t.Errorf("%+v", s)
	}
	h.refused(422, "write it as in -1.3", "PUT", "/api/sessions", map[string]any{"day": "2026-06-14", "place": "Saltmere oval", "kind": "meet", "wind": 99})
}

// Entries that come at once, as when several browsers find the server again, are
// numbered one after the other.
func TestEntriesAtOnceAreAllKept(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	who := h.athlete("Corvin Hask")
	var all sync.WaitGroup
	for i := range 12 {
		all.Go(func() {
			h.ask("POST", "/api/attempts", map[string]any{"id": store.NewID(), "athleteId": who, "event": "hammer", "day": "2026-06-14", "place": "Saltmere oval", "mark": fmt.Sprintf("%d.00", 50+i)}, nil)
		})
	}
	all.Wait()
	var page api.LogPage
	h.want(200, "GET", "/api/athletes/"+who+"/attempts", nil, &page)
	seen := map[int]bool{}
	for _, a := range page.Items {
		seen[a.Number] = true
	}
	if len(page.Items) != 12 || len(seen) != 12 || !seen[1] || !seen[12] {
		t.Errorf("%d attempts with the numbers %v", len(page.Items), seen)
	}
}

func TestAPainNoteHoldsWork(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	attempt := h.log("long-jump", "hang")
	var b api.Bench
	h.want(200, "GET", "/api/attempts/"+attempt, nil, &b)
	who := b.Athlete.Id.String()
	wish := map[string]any{"kind": "assign", "fault": "lean-back", "assignment": map[string]any{"cue": "lean-tall", "words": "Run tall.", "drill": "Wall run", "dose": "3 × 5", "refilm": "2026-12-10"}}
	h.command(attempt, 0, wish, nil)
	var laid []api.PlanItem
	h.want(200, "POST", "/api/attempts/"+attempt+"/plan", map[string]any{"days": []int{1, 3, 5}}, &laid)
	if len(laid) < 3 || laid[0].Intensity != "low" || laid[len(laid)-1].Kind != "refilm" {
		t.Fatalf("laid out: %+v", laid)
	}
	var twice []api.PlanItem
	h.want(200, "POST", "/api/attempts/"+attempt+"/plan", map[string]any{"days": []int{1, 3, 5}}, &twice)
	note := map[string]any{"id": store.NewID(), "athleteId": who, "region": "hamstring", "side": "left", "noted": "2026-11-24", "words": "at top speed"}
	h.refused(422, "from the lists", "PUT", "/api/pain-notes", map[string]any{"id": store.NewID(), "athleteId": who, "region": "soul", "side": "left", "noted": "2026-11-24"})
	h.want(204, "PUT", "/api/pain-notes", note, nil)
	var plan api.Plan
	look := "/api/plan?from=2026-11-20&to=2026-12-20&athlete=" + who
	h.want(200, "GET", look, nil, &plan)
	if len(plan.Items) != len(laid) {
		t.Errorf("laid out twice there are %d lines, want %d", len(plan.Items), len(laid))
	}
	holds := 0
	for _, c := range plan.Cautions {
		if c.Hold && strings.Contains(c.Says, "left hamstring") {
			holds++
		}
	}
	if holds == 0 {
		t.Errorf("nothing is held: %+v", plan.Cautions)
	}
	if got := h.command(attempt, 1, wish, nil); got != 422 {
		t.Errorf("assigning beside an open pain note answers %d", got)
	}
	h.refused(422, "Held", "POST", "/api/attempts/"+attempt+"/plan", map[string]any{"days": []int{1}})
	last := plan.Items[len(plan.Items)-2]
	last.State = "done"
	h.refused(422, "Held", "PUT", "/api/plan/"+last.Id.String(), last)
	h.refused(422, "say who cleared it", "PUT", "/api/pain-notes", with(note, map[string]any{"cleared": "2026-11-25"}))
	h.refused(422, "before it was noted", "PUT", "/api/pain-notes", with(note, map[string]any{"cleared": "2026-11-20", "clearedBy": "Dr Anand"}))
	h.want(204, "PUT", "/api/pain-notes", with(note, map[string]any{"cleared": "2026-11-25", "clearedBy": "the physiotherapist"}), nil)
	h.refused(422, "changed elsewhere", "PUT", "/api/pain-notes", note)
	h.want(200, "PUT", "/api/plan/"+last.Id.String(), last, nil)
	if got := h.command(attempt, 1, wish, nil); got != 200 {
		t.Errorf("assigning after it is cleared answers %d", got)
	}
}

func with(m, more map[string]any) map[string]any {
	out := map[string]any{}
	for _, part := range []map[string]any{m, more} {
		for k, v := range part {
			out[k] = v
		}
	}
	return out
}

func TestAPlanIsMovedCopiedAndClashes(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "owner", store.NewID())
	who := h.athlete("Corvin Hask")
	id := store.NewID().String()
	line := map[string]any{"id": id, "athleteId": who, "day": "2026-12-01", "kind": "drill", "words": "Walk the catch, slowly; twice", "dose": "3 × 5"}
	h.want(204, "POST", "/api/plan", []any{line}, nil)
	h.want(204, "POST", "/api/plan", []any{line}, nil) // sent twice
	h.refused(422, "what is to be done", "POST", "/api/plan", []any{with(line, map[string]any{"id": store.NewID(), "words": " "})})
	h.refused(422, "from their lists", "POST", "/api/plan", []any{with(line, map[string]any{"id": store.NewID(), "kind": "party"})})
	var moved api.PlanItem
	h.want(200, "PUT", "/api/plan/"+id, with(line, map[string]any{"day": "2026-12-03"}), &moved)
	var clash api.PlanConflict
	h.want(409, "PUT", "/api/plan/"+id, with(line, map[string]any{"day": "2026-12-05"}), &clash)
	if !strings.Contains(clash.Message, "it now stands on 3 December") || clash.Theirs.Version != 1 || moved.Version != 1 {
		t.Errorf("%+v", clash)
	}
	h.want(204, "PUT", "/api/phases", map[string]any{"id": store.NewID(), "name": "Winter", "kind": "preparation", "from": "2026-10-01", "to": "2026-12-02"}, nil)
	h.refused(422, "belong to Winter already", "PUT", "/api/phases", map[string]any{"id": store.NewID(), "name": "Spring", "kind": "special", "from": "2026-12-02", "to": "2027-03-01"})
	h.refused(422, "ends after it begins", "PUT", "/api/phases", map[string]any{"id": store.NewID(), "name": "Spring", "kind": "special", "from": "2027-12-02", "to": "2027-03-01"})
	var plan api.Plan
	h.want(200, "GET", "/api/plan?from=2026-12-01&to=2026-12-31", nil, &plan)
	if len(plan.Items) != 1 || len(plan.Cautions) != 1 || !strings.Contains(plan.Cautions[0].Says, "outside of the season") {
		t.Errorf("%+v", plan)
	}
	ics := h.text("/api/plan.ics?athlete=" + who)
	for _, want := range []string{"BEGIN:VCALENDAR\r\n", "DTSTART;VALUE=DATE:20261203\r\n", "DTEND;VALUE=DATE:20261204\r\n", `SUMMARY:Walk the catch\, slowly\; twice`, "UID:" + id, "END:VCALENDAR\r\n"} {
		if !strings.Contains(ics, want) {
			t.Errorf("the calendar lacks %q:\n%s", want, ics)
		}
	}
	h.want(204, "DELETE", "/api/plan/"+id, nil, nil)
	h.refused(404, "", "DELETE", "/api/plan/"+id, nil)
}

// text is what an address answers.
func (h *house) text(path string) string {
	h.t.Helper()
	r, err := h.http.Get(h.base + path)
	if err != nil {
		h.t.Fatal(err)
	}
	defer r.Body.Close()
	data, err := io.ReadAll(r.Body)
	if err != nil || r.StatusCode != http.StatusOK {
		h.t.Fatalf("%s answers %d: %s %v", path, r.StatusCode, data, err)
	}
	return string(data)
}

// read is what a PDF says, and the size of its first page in points.
func (h *house) read(path string) (words, size string) {
	h.t.Helper()
	file := filepath.Join(h.t.TempDir(), "sheet.pdf")
	if err := os.WriteFile(file, []byte(h.text(path)), 0o600); err != nil {
		h.t.Fatal(err)
	}
	out, err := exec.Command("pdftotext", "-layout", file, "-").Output()
	if err != nil {
		h.t.Fatal(err)
	}
	info, err := exec.Command("pdfinfo", file).Output()
	if err != nil {
		h.t.Fatal(err)
	}
	for _, line := range strings.Split(string(info), "\n") {
		if rest, ok := strings.CutPrefix(line, "Page size:"); ok {
			size = strings.TrimSpace(rest)
		}
	}
	return strings.Join(strings.Fields(string(out)), " "), size
}

func TestASeasonAndASessionArePrinted(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	who := h.athlete("Зоя Щербина-Καρρά")
	h.throws(who, "2026-05-03", "60.10", "60.50", "x outside the sector")
	h.throws(who, "2026-06-14", "61.25", "62.40")
	h.want(204, "POST", "/api/goals", map[string]any{"id": store.NewID(), "athleteId": who, "event": "hammer", "target": "63.00", "by": "2027-06-20"}, nil)
	h.refused(422, "is not a distance", "POST", "/api/goals", map[string]any{"id": store.NewID(), "athleteId": who, "event": "hammer", "target": "far", "by": "2027-06-20"})
	h.refused(422, "a goal is for a day", "POST", "/api/goals", map[string]any{"id": store.NewID(), "athleteId": who, "event": "hammer", "target": "63.00", "by": "2020-06-20"})
	words, size := h.read("/api/athletes/" + who + "/season.pdf?from=2026-01-01&to=2026-11-24")
	for _, want := range []string{"Зоя Щербина-Καρρά", "Season from 1 January 2026 to 24 November 2026", "Hammer: 5 attempts, best 62.40 m", "1 of 5 lost", "Goals", "63.00 m", "Can't tell yet", "no medical advice"} {
		if !strings.Contains(words, want) {
			t.Errorf("the season does not say %q:\n%s", want, words)
		}
	}
	if !strings.Contains(size, "A4") {
		t.Errorf("without a word it is printed on %s", size)
	}
	var list []api.Session
	h.want(200, "GET", "/api/sessions", nil, &list)
	words, size = h.read("/api/sessions/" + list[0].ID.String() + "/report.pdf?paper=letter")
	for _, want := range []string{"Saltmere oval, 14 June 2026", "2 attempts of 1 athlete ", "61.25 m", "62.40 m", "Last session, 2026-05-03"} {
		if !strings.Contains(words, want) {
			t.Errorf("the session does not say %q:\n%s", want, words)
		}
	}
	if !strings.Contains(size, "letter") {
		t.Errorf("on letter it is printed on %s", size)
	}
}

func TestWordsAreFound(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	who := h.athlete("Corvin Hask")
	ids := h.throws(who, "2026-06-14", "61.25")
	h.command(ids[0], 0, map[string]any{"kind": "note", "note": "first", "words": "Quick in the second turn, 100% awake_"}, nil)
	h.want(204, "PUT", "/api/pain-notes", map[string]any{"id": store.NewID(), "athleteId": who, "region": "groin", "side": "left", "noted": "2026-11-24"}, nil)
	for q, kind := range map[string]string{"corvin+late": "athlete", "SECOND+turn": "note", "100%25": "note", "groin": "pain", "14+june": "attempt", "F46": "athlete"} {
		var hits []store.Hit
		h.want(200, "GET", "/api/search?q="+q, nil, &hits)
		if len(hits) == 0 || hits[0].Kind != kind {
			t.Errorf("%s finds %+v", q, hits)
		}
	}
	for _, q := range []string{"corvin+nobody", "%25%25%25", "_______"} {
		var hits []store.Hit
		h.want(200, "GET", "/api/search?q="+q, nil, &hits)
		if len(hits) != 0 {
			t.Errorf("%s finds %+v", q, hits)
		}
	}
	h.enter("nils", "coach", store.NewID())
	var hits []store.Hit
	h.want(200, "GET", "/api/search?q=corvin", nil, &hits)
	if len(hits) != 0 {
		t.Errorf("another club's coach finds %+v", hits)
	}
}

func TestTwoCoachesChangeOneAthlete(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	who := h.athlete("Corvin Hask")
	var page api.AthletePage
	h.want(200, "GET", "/api/athletes/"+who, nil, &page)
	a := page.Athlete
	a.Schools = map[string]string{"hammer": "wide"}
	if a.Group != "senior" || *a.MassKg != 104.5 || a.Para != "F46" || len(a.Events) != 1 {
		t.Errorf("%+v", a)
	}
	a.Notes = "Has a car now."
	h.want(200, "PUT", "/api/athletes/"+who, a, nil)
	a.Notes = "Still by bus."
	h.refused(422, "changed elsewhere", "PUT", "/api/athletes/"+who, a)
	a.Version++
	*a.MassKg = 1045
	h.refused(422, "a mass of 1045.0 kg is not believable", "PUT", "/api/athletes/"+who, a)
	a.Schools["hammer"] = "none such"
	h.refused(422, "has no school", "PUT", "/api/athletes/"+who, a)
	var b api.Bench
	h.want(200, "GET", "/api/attempts/"+h.throws(who, "2026-06-14", "61.25")[0], nil, &b)
	if b.School != "wide" {
		t.Errorf("an attempt that says no school is logged as %q", b.School)
	}
	h.want(200, "GET", "/api/athletes/"+who, nil, &page)
	if page.Athlete.Notes != "Has a car now." {
		t.Errorf("%+v", page.Athlete)
	}
}

// What nobody filmed is measured, shown and printed all the same; the figures of
// two attempts stand on one another by their hips.
func TestWithoutAFilm(t *testing.T) {
	h := open(t, false)
	tove := h.enter("tove", "coach", store.NewID())
	attempt := h.log("sprint-start", "")
	pts := make([]int64, 300)
	for i := range pts {
		pts[i] = int64(i)
	}
	clip := store.Clip{ID: store.NewID(), AttemptID: uuid.MustParse(attempt), Name: "simulated, no film", Width: 1280, Height: 720, BaseNum: 1, BaseDen: 240, CaptureRate: 240, View: "side-open", Rightward: true}
	for range 2 { // twice is once
		if err := h.store.AddFilmless(t.Context(), tove.ID, clip, pts); err != nil {
			t.Fatal(err)
		}
	}
	do := h.coach(attempt)
	do(map[string]any{"kind": "scale", "scale": map[string]any{"a": map[string]any{"x": 100, "y": 600}, "b": map[string]any{"x": 900, "y": 600}, "metres": 4, "what": "cones"}})
	do(map[string]any{"kind": "stamps", "stamps": map[string]int{"td1": 120, "to1": 160}})
	points := []any{}
	for name, at := range map[string][2]float64{"hip.L": {500, 400}, "hip.R": {500, 400}, "knee.L": {560, 480}, "ankle.L": {500, 570}, "shoulder.L": {540, 280}} {
		points = append(points, map[string]any{"frame": 120, "name": name, "at": map[string]any{"x": at[0], "y": at[1]}})
	}
	b := do(map[string]any{"kind": "landmarks", "points": points})
	if len(b.Landmarks) != 5 || !b.Clip.Filmless {
		t.Fatalf("%d landmarks on %+v", len(b.Landmarks), b.Clip)
	}
	if got := h.command(attempt, b.Version, map[string]any{"kind": "landmarks", "points": []any{map[string]any{"frame": 120, "name": "tail", "at": map[string]any{"x": 1, "y": 1}}}}, nil); got != 422 {
		t.Errorf("a point that no body has answers %d", got)
	}
	if b = do(map[string]any{"kind": "undo"}); len(b.Landmarks) != 0 {
		t.Errorf("one undo leaves %d landmarks", len(b.Landmarks))
	}
	b = do(map[string]any{"kind": "redo"})
	var f assemble.Figure
	h.want(200, "GET", "/api/attempts/"+attempt+"/figure?keyId=td1", nil, &f)
	// 200 px are a metre: the knee lies 60 px right and 80 px below the hip.
	for _, p := range f.Points {
		if p.Name == "knee.L" && (math.Abs(p.X-0.3/b.Athlete.HeightM) > 1e-9 || math.Abs(p.Y+0.4/b.Athlete.HeightM) > 1e-9) {
			t.Errorf("the knee stands at %+v", p)
		}
	}
	if f.Film || len(f.Points) != 5 || f.Front == "" {
		t.Errorf("%+v", f)
	}
	h.refused(422, "not stamped", "GET", "/api/attempts/"+attempt+"/figure?keyId=td2", nil)
	for path, size := range map[string]image.Point{"/api/attempts/" + attempt + "/pose.png?keyId=td1": {240, 300}, "/api/clips/" + clip.ID.String() + "/frames/120": {1280, 720}} {
		img, _, err := image.DecodeConfig(strings.NewReader(h.text(path)))
		if err != nil || img.Width != size.X || img.Height != size.Y {
			t.Errorf("%s is %+v: %v", path, img, err)
		}
	}
	// Without a key position the fullest one is shown: the figure on paper, no words.
	drawn, _, err := image.Decode(strings.NewReader(h.text("/api/attempts/" + attempt + "/pose.png")))
	if err != nil {
		t.Fatal(err)
	}
	if r, g, b, _ := drawn.At(2, 2).RGBA(); r>>8 != 0xFB || g>>8 != 0xF8 || b>>8 != 0xF1 {
		t.Errorf("the figure stands on %v, not on paper", drawn.At(2, 2))
	}
	h.refused(404, "", "GET", "/api/clips/"+clip.ID.String()+"/frames/300", nil)
	words, _ := h.read("/api/attempts/" + attempt + "/report.pdf")
	for _, want := range []string{"simulated, no film", "Key positions", "Footfall", "167 ± 5 ms", "Take care"} {
		if !strings.Contains(words, want) {
			t.Errorf("the report does not say %q:\n%s", want, words)
		}
	}
}

func TestAFocusIsClosedAndOpenedAgain(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	attempt := h.log("long-jump", "hang")
	if got := h.command(attempt, 0, map[string]any{"kind": "closeFocus", "fault": "lean-back", "closed": "2026-12-01"}, nil); got != 422 {
		t.Errorf("closing what was not assigned answers %d", got)
	}
	do := h.coach(attempt)
	do(map[string]any{"kind": "assign", "fault": "lean-back", "assignment": map[string]any{"cue": "lean-tall", "words": "Run tall.", "drill": "", "dose": "", "refilm": "2026-12-10"}})
	b := do(map[string]any{"kind": "closeFocus", "fault": "lean-back", "closed": "2026-12-01"})
	page := func() assemble.OpenFocus {
		var p api.AthletePage
		h.want(200, "GET", "/api/athletes/"+b.Athlete.Id.String(), nil, &p)
		return p.Focuses[0]
	}
	if f := page(); f.ClosedOn != "2026-12-01" || f.Due || f.Version != b.Version {
		t.Errorf("%+v", f)
	}
	if got := h.command(attempt, b.Version, map[string]any{"kind": "closeFocus", "fault": "lean-back", "closed": "2026-01-01"}, nil); got != 422 {
		t.Errorf("closing it before it was assigned answers %d", got)
	}
	do(map[string]any{"kind": "undo"})
	if f := page(); f.ClosedOn != "" {
		t.Errorf("after an undo %+v", f)
	}
}
