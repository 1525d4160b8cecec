package api_test

import (
	"math"
	"testing"
	"time"

	"neokinema/core/body"
	"neokinema/demo"
	"neokinema/server/api"
	"neokinema/server/assemble"
	"neokinema/server/store"
)

// done waits for a following to end.
func (h *house) done(id string) (f api.Task) {
	h.t.Helper()
	for begun := time.Now(); time.Since(begun) < time.Minute; time.Sleep(50 * time.Millisecond) {
		h.want(200, "GET", "/api/tasks/"+id, nil, &f)
		if f.State != "waiting" && f.State != "running" {
			return f
		}
	}
	h.t.Fatalf("the following is %v after a minute", f)
	return f
}

func (h *house) path(following, name string) store.Path {
	h.t.Helper()
	var found store.FollowedPaths
	h.want(200, "GET", "/api/followings/"+following+"/paths", nil, &found)
	p, ok := found.Path(name)
	if !ok {
		h.t.Fatalf("the %s was not followed", name)
	}
	return p
}

// Points placed on two key positions are followed to all pictures between, the
// attempt is measured with them, and that can be taken back.
func TestPointsAreFollowed(t *testing.T) {
	h := open(t, false)
	h.enter("tove", "coach", store.NewID())
	attempt := h.attempt()
	h.refused(422, "not ready", "POST", "/api/attempts/"+attempt+"/followings", map[string]any{"id": store.NewID()})
	h.film(attempt, clean(t), "a.mp4")
	h.refused(422, "place the points", "POST", "/api/attempts/"+attempt+"/followings", map[string]any{"id": store.NewID()})
	truth, err := demo.Truth("start-clean")
	if err != nil {
		t.Fatal(err)
	}
	do := h.coach(attempt)
	from, mid, to := truth.Frames["td1"], truth.Frames["to1"], truth.Frames["td2"]
	stand := body.Landmark("knee.L")
	put := func(l body.Landmark, frame int) {
		at := truth.At(frame, l)
		do(map[string]any{"kind": "landmark", "frame": frame, "landmark": l, "at": map[string]any{"x": at.X, "y": at.Y}})
	}
	for _, l := range []body.Landmark{"hip.L", stand, "ankle.L", "shoulder.L", "toe.L"} {
		put(l, from)
		put(l, to)
	}
	put("hip.L", mid) // an arm passes before it
	b := do(map[string]any{"kind": "view", "view": "side-closed", "rightward": truth.Rightward()})
	for _, s := range []string{"td1", "to1", "td2"} {
		b = do(map[string]any{"kind": "stamp", "keyId": s, "frame": truth.Frames[s]})
	}
	var none []api.Task
	if h.want(200, "GET", "/api/attempts/"+attempt+"/followings", nil, &none); len(none) != 0 {
		t.Errorf("never followed, but %v", none)
	}
	id := store.NewID().String()
	h.want(200, "POST", "/api/attempts/"+attempt+"/followings", map[string]any{"id": id}, nil)
	h.want(200, "POST", "/api/attempts/"+attempt+"/followings", map[string]any{"id": id}, nil) // the same one
	if f := h.done(id); f.State != "done" || f.Done != f.Total {
		t.Fatalf("it ended as %+v", f)
	}
	path := h.path(id, string(stand))
	var after api.Bench
	h.want(200, "GET", "/api/attempts/"+attempt, nil, &after)
	if after.Calibration.Following == nil || *after.Calibration.Following != id || after.Version != b.Version+1 {
		t.Fatalf("the attempt is measured with %v, version %d", after.Calibration.Following, after.Version)
	}
	var found store.FollowedPaths
	h.want(200, "GET", "/api/followings/"+id+"/paths", nil, &found)
	if found.First > from || found.First+len(path.X) <= to {
		t.Fatalf("followed from %d over %d pictures", found.First, len(path.X))
	}
	seen := 0
	for f := from; f <= to; f++ {
		if i := f - found.First; path.U[i] > 0 {
			seen++
			at := truth.At(f, stand)
			if miss := math.Hypot(path.X[i]-at.X, path.Y[i]-at.Y); miss > 5*path.U[i]+1 {
				t.Errorf("picture %d: the knee is %.1f px off, it says ± %.1f", f, miss, 2*path.U[i])
			}
		}
	}
	if seen < (to-from)/2 {
		t.Errorf("the knee was found on %d of %d pictures", seen, to-from)
	}
	angles := func() (known int) { // at the toe-off, on which only the hip was placed
		var r assemble.Reading
		h.want(200, "GET", "/api/attempts/"+attempt+"/reading", nil, &r)
		for _, v := range r.Values {
			if v.KeyID == "to1" && v.Unit == "deg" && v.Known() {
				known++
			}
		}
		return known
	}
	if angles() == 0 {
		t.Error("followed points measure nothing at the toe-off")
	}
	do = h.coachFrom(attempt, after.Version)
	if b := do(map[string]any{"kind": "undo"}); b.Calibration.Following != nil || angles() != 0 {
		t.Error("undo does not take the following back")
	}
	if b := do(map[string]any{"kind": "redo"}); b.Calibration.Following == nil {
		t.Error("redo does not measure with it again")
	}
	h.refused(422, "not followed on this attempt", "POST", "/api/attempts/"+attempt+"/commands", map[string]any{"id": store.NewID(), "version": after.Version + 2, "kind": "following", "following": store.NewID()})

	// A point that is mended is followed again, the others stay as they were.
	mended := truth.At(mid, stand)
	do(map[string]any{"kind": "landmark", "frame": mid, "landmark": stand, "at": map[string]any{"x": mended.X, "y": mended.Y}})
	again := store.NewID().String()
	h.want(200, "POST", "/api/attempts/"+attempt+"/followings", map[string]any{"id": again}, nil)
	if f := h.done(again); f.State != "done" {
		t.Fatalf("it ended as %+v", f)
	}
	if old, now := h.path(id, "hip.L"), h.path(again, "hip.L"); old.Input != now.Input || old.X[20] != now.X[20] {
		t.Error("the hip was followed anew though its marks are the same")
	}
	now := h.path(again, string(stand))
	if i := mid - found.First; now.Input == path.Input || math.Abs(now.X[i]-mended.X) > 0.02 {
		t.Errorf("the knee goes by %v, it was put on %v", now.X[i], mended.X)
	}
}
