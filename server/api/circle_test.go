package api_test

import (
	"math"
	"testing"
	"time"

	"neokinema/core/measure"
	"neokinema/demo"
	"neokinema/server/analysis"
	"neokinema/server/api"
	"neokinema/server/assemble"
	"neokinema/server/store"
)

// A throwing circle is found about the feet of who is found on the film: its points lie
// where they are, and the camera's place follows from them.
func TestTheCircleIsFound(t *testing.T) {
	t.Setenv("NEOKINEMA_MODELS", "../../models")
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	athlete, attempt := store.NewID().String(), store.NewID().String()
	h.want(200, "POST", "/api/athletes", map[string]any{"id": athlete, "name": "Runa Selwick", "sex": "woman", "birthYear": 2001, "heightM": 1.80, "frontLeg": "L", "level": "trained"}, nil)
	h.want(200, "POST", "/api/attempts", map[string]any{"id": attempt, "athleteId": athlete, "event": "discus", "variant": "full", "day": "2026-11-20", "place": "Saltmere oval"}, nil)
	h.refused(422, "not ready", "POST", "/api/attempts/"+attempt+"/fits", map[string]any{"id": store.NewID().String()})
	circle := "/api/attempts/" + attempt + "/circle"
	h.refused(422, "has no film yet", "GET", circle, nil)
	film, err := demo.Clip("discus-clean-back")
	if err != nil {
		t.Fatal(err)
	}
	truth, err := demo.Truth("discus-clean-back")
	if err != nil {
		t.Fatal(err)
	}
	h.film(attempt, beginning(t, film, 40), "a.mp4")
	h.found(attempt)
	do := h.coach(attempt)
	do(map[string]any{"kind": "view", "view": "overhead", "rightward": true})
	h.refused(422, "from where the film was taken", "GET", circle, nil)
	do(map[string]any{"kind": "view", "view": "back", "rightward": true})
	h.found(attempt)

	var found analysis.FoundCircle
	h.want(200, "GET", circle, nil, &found)
	at := map[string]string{"back of the circle": "rim.back", "front of the circle": "rim.front", "left of the circle": "rim.left", "right of the circle": "rim.right"}
	seen := 0
	for _, p := range found.Points {
		name, told := at[p.Name]
		if !told {
			continue
		}
		seen++
		want := truth.Spot(name)
		if off := math.Hypot(p.Px.X-want[0], p.Px.Y-want[1]); off > 3*found.U {
			t.Errorf("the %s is %.1f px off, u %.1f", p.Name, off, found.U)
		}
	}
	if seen != len(at) || found.Rim < 0.7 {
		t.Errorf("%d points, %.2f of the rim", seen, found.Rim)
	}
	across := math.Hypot(found.Scale.A.X-found.Scale.B.X, found.Scale.A.Y-found.Scale.B.Y) / found.Scale.Metres
	if want := math.Hypot(truth.Spot("rim.left")[0]-truth.Spot("rim.right")[0], truth.Spot("rim.left")[1]-truth.Spot("rim.right")[1]) / 2.5; math.Abs(across-want) > 0.02*want {
		t.Errorf("1 m is %.1f px, in truth %.1f", across, want)
	}
	b := do(map[string]any{"kind": "controlPoints", "controlPoints": found.Points})
	var r struct {
		Space struct {
			Stand struct {
				Points int
				Miss   float64
				Why    string
			}
		}
	}
	h.want(200, "GET", "/api/attempts/"+attempt+"/reading", nil, &r)
	if len(b.Calibration.ControlPoints) != len(found.Points) || r.Space.Stand.Why != "" || r.Space.Stand.Miss > 2 {
		t.Errorf("with them the camera stands %+v", r.Space.Stand)
	}
	h.fitted(attempt, do)
}

// fitted fits a body to the film of an attempt, which is set aside once something is
// changed that it rests on.
func (h *house) fitted(attempt string, do func(map[string]any) api.Bench) {
	h.t.Helper()
	fits, id := "/api/attempts/"+attempt+"/fits", store.NewID().String()
	h.refused(422, "stamp the key positions first", "POST", fits, map[string]any{"id": id})
	h.refused(422, "no body is fitted", "GET", fits+"/body", nil)
	for keyID, frame := range map[string]int{"start-ds": 10, "push-off": 30} {
		do(map[string]any{"kind": "stamp", "keyId": keyID, "frame": frame})
	}
	var task api.Task
	h.want(200, "POST", fits, map[string]any{"id": id}, &task)
	h.want(200, "POST", fits, map[string]any{"id": id}, &task) // the same request twice
	var list []api.Task
	for begun := time.Now(); task.State == "waiting" || task.State == "running"; time.Sleep(50 * time.Millisecond) {
		if h.want(200, "GET", fits, nil, &list); time.Since(begun) > 5*time.Minute {
			h.t.Fatalf("no body is fitted after five minutes: %+v", list)
		}
		task = list[0]
	}
	if task.State != "done" || len(list) != 1 {
		h.t.Fatalf("the fit ends as %+v", list)
	}
	h.drawn(fits)
	type reading struct {
		Space struct {
			Fit struct {
				Made, Stale bool
				Why         string
			}
		}
		Values []struct{ Key, Seen string }
	}
	var r reading
	read := func() (seen int) {
		r = reading{}
		h.want(200, "GET", "/api/attempts/"+attempt+"/reading", nil, &r)
		for _, v := range r.Values {
			if v.Seen == measure.FittedMethod {
				seen++
			}
		}
		return seen
	}
	if n := read(); n == 0 || !r.Space.Fit.Made || r.Space.Fit.Stale || r.Space.Fit.Why != "" {
		h.t.Errorf("%d values are read off %+v", n, r.Space.Fit)
	}
	do(map[string]any{"kind": "stamp", "keyId": "push-off", "frame": 31})
	if n := read(); n != 0 || !r.Space.Fit.Stale {
		h.t.Errorf("after a change %d values are read off %+v", n, r.Space.Fit)
	}
	h.refused(422, "were changed since", "GET", fits+"/body", nil)
	do(map[string]any{"kind": "view", "view": "side-open", "rightward": true})
	h.refused(422, "turning throws from behind", "POST", fits, map[string]any{"id": store.NewID().String()})
}

// drawn asks for the fitted body: it lies where the picture shows it, and each limb says
// how well it is known and what would make it sharper.
func (h *house) drawn(fits string) {
	h.t.Helper()
	var m assemble.FittedMovement
	h.want(200, "GET", fits+"/body", nil, &m)
	if len(m.Pictures) < 20 || m.Camera[0] > -3 || m.Surface.Kind != "circle" {
		h.t.Fatalf("%d pictures from a camera at %v on %+v", len(m.Pictures), m.Camera, m.Surface)
	}
	for _, p := range m.Pictures {
		if n := 3 * len(m.Landmarks); len(p.At) != n || len(p.Clean) != n || len(p.Draws) == 0 || len(p.Draws[0]) != n {
			h.t.Fatalf("picture %d has %d numbers, %d clean ones", p.Frame, len(p.At), len(p.Clean))
		}
		for i := range m.Landmarks {
			var px [3]float64
			for row := range 3 {
				px[row] = p.Matrix[4*row+3]
				for k := range 3 {
					px[row] += p.Matrix[4*row+k] * float64(p.At[3*i+k]) / 1000
				}
			}
			if x, y := px[0]/px[2], px[1]/px[2]; px[2] < 3 || x < 0 || x > 1280 || y < 0 || y > 720 {
				h.t.Errorf("picture %d shows the %s at %.0f, %.0f, %.1f m away", p.Frame, m.Landmarks[i], x, y, px[2])
			}
			if across, along := p.U[2*i], p.U[2*i+1]; across <= 0 || along <= 0 {
				h.t.Errorf("picture %d: the %s is known to %d and %d mm", p.Frame, m.Landmarks[i], across, along)
			}
		}
	}
	var limb measure.FittedLimb
	h.want(200, "GET", fits+"/limb?frame=20&from=knee.L&to=ankle.L", nil, &limb)
	if limb.Across <= 0 || limb.Along < limb.Across || len(limb.Sharper) == 0 {
		h.t.Errorf("the left shin: %+v", limb)
	}
	h.refused(422, "no such limb", "GET", fits+"/limb?frame=20&from=knee.L&to=nose", nil)
	h.refused(422, "no such picture", "GET", fits+"/limb?frame=9000&from=knee.L&to=ankle.L", nil)
}
