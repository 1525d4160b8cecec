package api_test

import (
	"math"
	"slices"
	"testing"

	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
	"neokinema/core/breakdown"
	"neokinema/core/judge"
	"neokinema/core/measure"
	"neokinema/demo"
	"neokinema/playbook"
	"neokinema/server/api"
	"neokinema/server/assemble"
	"neokinema/server/store"
)

// A throw filmed from two sides: each film is stamped and placed on its own
// bench, points of known places are marked on both, and what neither shows alone
// is measured. A change on one film makes a new run of the other.
func TestTwoFilmsOfOneAttempt(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	h.attempt()
	var today api.Today
	h.want(200, "GET", "/api/today", nil, &today)
	first, second := store.NewID().String(), store.NewID().String()
	h.want(200, "POST", "/api/attempts", map[string]any{"id": first, "athleteId": today.Athletes[0].Id, "event": "discus", "variant": "full", "day": "2026-11-24", "place": "oval"}, nil)
	h.want(200, "POST", "/api/attempts/"+first+"/other", map[string]any{"id": second}, nil)
	h.want(200, "POST", "/api/attempts/"+first+"/other", map[string]any{"id": second}, nil) // sent twice
	h.refused(422, "has its second film", "POST", "/api/attempts/"+first+"/other", map[string]any{"id": store.NewID()})
	h.refused(422, "has its second film", "POST", "/api/attempts/"+second+"/other", map[string]any{"id": store.NewID()})
	h.want(200, "GET", "/api/today", nil, &today)
	if slices.ContainsFunc(today.Attempts, func(a api.Line) bool { return a.Id.String() == second }) {
		t.Error("the second film is listed as an attempt of its own")
	}

	book, err := playbook.Load()
	if err != nil {
		t.Fatal(err)
	}
	e, err := book["discus"].As("full")
	if err != nil {
		t.Fatal(err)
	}
	mark := func(attempt, scenario string) func(more map[string]any) api.Bench {
		file, err := demo.Clip(scenario)
		if err != nil {
			t.Fatal(err)
		}
		h.film(attempt, file, scenario+".mp4")
		truth, err := demo.Truth(scenario)
		if err != nil {
			t.Fatal(err)
		}
		do := h.coach(attempt)
		do(map[string]any{"kind": "view", "view": truth.View, "rightward": truth.Rightward()})
		sheet := measure.Recording{Event: e, View: truth.View, Roles: e.RolesFor(body.Right).Near(body.Right), Paired: true}
		for _, keyID := range []string{"pivot-down", "push-down"} {
			frame := truth.Frames[keyID]
			do(map[string]any{"kind": "stamp", "keyId": keyID, "frame": frame})
			for _, l := range sheet.RequiredLandmarks(keyID) {
				at := truth.At(frame, l)
				do(map[string]any{"kind": "landmark", "frame": frame, "landmark": l, "at": map[string]any{"x": at.X, "y": at.Y}})
			}
		}
		return do
	}
	onFirst, onSecond := mark(first, "discus-clean-back"), mark(second, "discus-clean-side")
	read := func(attempt string) (r assemble.Reading) {
		h.want(200, "GET", "/api/attempts/"+attempt+"/reading", nil, &r)
		return r
	}
	value := func(r assemble.Reading, key string) judge.Judged {
		i := slices.IndexFunc(r.Values, func(v judge.Judged) bool { return v.Key == key })
		if i < 0 {
			t.Fatalf("%s is not among the values", key)
		}
		return r.Values[i]
	}
	if r := read(first); r.Space.Joined || r.Space.Why == "" || value(r, "separation@pivot-down").Known() {
		t.Errorf("without known points the films are joined: %+v", r.Space)
	}

	places := func(scenario string) map[string]any {
		truth, err := demo.Truth(scenario)
		if err != nil {
			t.Fatal(err)
		}
		var points []breakdown.ControlPoint
		for _, p := range e.ControlPoints {
			at := truth.Shot(0).Project(r3vec(p.At))
			points = append(points, breakdown.ControlPoint{Name: p.Name, At: p.At, Px: breakdown.Spot{X: at.X, Y: at.Y}})
		}
		return map[string]any{"kind": "controlPoints", "controlPoints": points}
	}
	onFirst(places("discus-clean-back"))
	if r := read(first); r.Space.Stand == nil || r.Space.Stand.Why != "" || r.Space.Joined {
		t.Errorf("one film's known points: %+v", r.Space)
	}
	onSecond(places("discus-clean-side"))
	truth, err := demo.Truth("discus-clean-back")
	if err != nil {
		t.Fatal(err)
	}
	r := read(first) // a new run, though nothing changed on this film
	if !r.Space.Joined || r.Space.Points < 10 || r.Space.Lost > 0 {
		t.Fatalf("the films are not joined: %+v", r.Space)
	}
	for _, key := range []string{"separation@pivot-down", "push-knee@pivot-down", "push-azimuth@pivot-down", "knee-gap@push-down"} {
		v := value(r, key)
		if d := v.Value.Value - truth.Measures[key]; !v.Known() || math.Abs(math.Remainder(d, 360)) > 2*v.U {
			t.Errorf("%s is %.1f ± %.1f, in truth %.1f: %v", key, v.Value.Value, 2*v.U, truth.Measures[key], v.Missing)
		}
	}
	var moved api.ReadingChange
	h.want(200, "GET", "/api/attempts/"+first+"/moved", nil, &moved)
	i := slices.IndexFunc(moved.Changes, func(c measure.Change) bool { return c.Key == "separation@pivot-down" })
	if i < 0 || moved.Since == nil || moved.Changes[i].Before != nil || moved.Changes[i].After == nil {
		t.Errorf("what moved since the films were joined: %+v", moved)
	}
	if r := read(second); !r.Space.Joined || !value(r, "separation@pivot-down").Known() {
		t.Errorf("seen from the second film: %+v", r.Space)
	}

	onSecond(map[string]any{"kind": "undo"})
	if r := read(first); r.Space.Joined {
		t.Error("the known points of the other film were taken back, and the films are still joined")
	}
	onSecond(map[string]any{"kind": "redo"})
	h.refused(422, "lies outside", "POST", "/api/attempts/"+first+"/commands", map[string]any{"id": store.NewID(), "version": r.Version, "kind": "controlPoints", "controlPoints": []any{map[string]any{"name": "x", "at": []float64{0, 0, 0}, "px": map[string]any{"x": -5, "y": 0}, "frame": 0}}})
	h.refused(422, "between -200 and 200 m", "POST", "/api/attempts/"+first+"/commands", map[string]any{"id": store.NewID(), "version": r.Version, "kind": "controlPoints", "controlPoints": []any{map[string]any{"name": "x", "at": []float64{0, 1e9, 0}, "px": map[string]any{"x": 5, "y": 0}, "frame": 0}}})

	// It moves and goes with the first one.
	other := store.NewID()
	h.want(200, "POST", "/api/athletes", map[string]any{"id": other, "name": "Ode Varlin", "sex": "woman", "birthYear": 2001, "heightM": 1.7, "frontLeg": "L", "level": "trained"}, nil)
	h.want(204, "PUT", "/api/attempts/"+first+"/athlete", map[string]any{"athlete": other}, nil)
	var b api.Bench
	if h.want(200, "GET", "/api/attempts/"+second, nil, &b); b.Athlete.Id != other {
		t.Errorf("the second film stayed with %s", b.Athlete.Name)
	}
	h.want(204, "DELETE", "/api/attempts/"+first, nil, nil)
	h.refused(404, "", "GET", "/api/attempts/"+second, nil)
}

func r3vec(p [3]float64) r3.Vec { return r3.Vec{X: p[0], Y: p[1], Z: p[2]} }
