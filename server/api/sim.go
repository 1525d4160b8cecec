package api

import (
	"encoding/json"
	"hash/fnv"
	"math/rand/v2"
	"net/http"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"neokinema/core/body"
	"neokinema/core/playbook"
	"neokinema/core/sim"
	"neokinema/server/render"
	"neokinema/server/store"
)

// GetSim tells what the simulated athlete can do.
func (s *Server) GetSim(c *echo.Context) error {
	out := SimMenu{Levels: sim.Levels}
	for _, id := range sim.Events() {
		e, ok := s.Playbooks[id]
		if !ok {
			continue
		}
		one := SimEvent{Id: id, Name: e.Name, Variants: variants(e), Views: usualFirst(sim.Views(id), e.UsualView()), Faults: []SimFault{}}
		for _, f := range e.Faults {
			one.Faults = append(one.Faults, SimFault{f.ID, f.Name, f.Says})
		}
		out.Events = append(out.Events, one)
	}
	return c.JSON(http.StatusOK, out)
}

// variants are an event's, never nil.
func schools(e playbook.Event) []playbook.School {
	if e.Schools == nil {
		return []playbook.School{}
	}
	return e.Schools
}

func variants(e playbook.Event) []playbook.Variant {
	if e.Variants == nil {
		return []playbook.Variant{}
	}
	return e.Variants
}

// looking is how many pictures a second a movement has to be looked at.
const looking = 60

// sceneOf is what a wish asks for.
func sceneOf(w SimRequest, rate float64) (render.Scene, error) {
	who := sim.Athlete{HeightM: w.HeightM, Sex: body.Sex(w.Sex), Side: body.Side(w.Side), Youth: w.Youth}
	if !w.Side.Valid() || !w.Sex.Valid() {
		return render.Scene{}, store.Invalid("say the side and the sex from the lists")
	}
	camera := sim.Usual(w.Event, w.View)
	camera.Capture, camera.Pan, camera.OffSquare, camera.Seed = rate, w.Pan, w.OffSquare, uint64(w.Seed)
	if w.Rate > 0 {
		camera.Capture = w.Rate
	}
	if w.Distance > 0 {
		camera.Distance = w.Distance
	}
	return render.Scene{
		Movement: sim.Request{Event: w.Event, Variant: w.Variant, Level: w.Level, Athlete: who, Seed: uint64(w.Seed), Faults: w.Faults},
		Camera:   camera, Outfit: render.OutfitFor(w.Seed, w.Event, who.Sex),
	}, nil
}

// motion is a simulated movement to look at, without its faults.
func motion(o render.Scene) (Motion, error) {
	t, err := o.Simulate()
	if err != nil {
		return Motion{}, store.Invalid(err.Error())
	}
	for i := range t.Film {
		t.Film[i].InView = nil
	}
	return Motion{Event: t.Event, Variant: t.Variant, Width: t.Width, Height: t.Height, Athlete: t.Athlete, Stamps: t.Stamps, Scene: t.Marks, Frames: t.Film, Dress: o.Outfit}, nil
}

// MoveSim sends a movement to look at.
func (s *Server) MoveSim(c *echo.Context) error {
	var in SimRequest
	if err := read(c, &in); err != nil {
		return err
	}
	in.Rate = 0
	o, err := sceneOf(in, looking)
	if err != nil {
		return err
	}
	m, err := motion(o)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, m)
}

// FilmSim lets the simulated camera film an attempt.
func (s *Server) FilmSim(c *echo.Context) error {
	var in NewFilming
	if err := read(c, &in); err != nil {
		return err
	}
	o, err := sceneOf(in.Wish, 240)
	if err != nil {
		return err
	}
	if _, err := o.Simulate(); err != nil {
		return store.Invalid(err.Error())
	}
	wish, err := json.Marshal(o)
	if err != nil {
		return err
	}
	ctx, who := c.Request().Context(), me(c)
	if err := s.Store.AddFilming(ctx, who.ID, in.Id, in.Attempt, wish, s.Tasks.Enqueue); err != nil {
		return err
	}
	return s.GetTask(c, in.Id)
}

// GetScores tells how the coach's eye does.
func (s *Server) GetScores(c *echo.Context) error {
	out, err := s.Store.Scores(c.Request().Context(), me(c).ID)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, out)
}

// cleanShare is how many of the attempts of eye practice are clean.
const cleanShare = 0.2

// Practise picks an attempt with an unnamed fault, or a clean one. What it
// picks follows from the id, so that the same id shows the same.
func (s *Server) Practise(c *echo.Context) error {
	var in NewPractice
	if err := read(c, &in); err != nil {
		return err
	}
	h := fnv.New64a()
	h.Write(in.Id[:])
	r := rand.New(rand.NewPCG(h.Sum64(), 0xeee))
	events := sim.Events()
	event := events[r.IntN(len(events))]
	if in.Event != nil && *in.Event != "" {
		event = *in.Event
	}
	faults, err := sim.Faults(event)
	if err != nil {
		return store.Invalid(err.Error())
	}
	variants, err := sim.Variants(event)
	if err != nil {
		return store.Invalid(err.Error())
	}
	want := sim.Request{Event: event, Variant: variants[r.IntN(len(variants))], Seed: 1 + r.Uint64N(1<<31), Faults: map[string]float64{}}
	want.Athlete = sim.Athlete{HeightM: 1.62 + 0.3*r.Float64(), Sex: []body.Sex{body.Woman, body.Man}[r.IntN(2)], Side: []body.Side{body.Left, body.Right}[r.IntN(2)]}
	if r.Float64() > cleanShare {
		want.Faults[faults[r.IntN(len(faults))]] = 0.65 + 0.35*r.Float64()
	}
	m, err := motion(practiceScene(want, s.Playbooks[want.Event].UsualView()))
	if err != nil {
		return err
	}
	athlete, err := json.Marshal(want.Athlete)
	if err != nil {
		return err
	}
	p := store.Practice{ID: in.Id, Event: event, Variant: want.Variant, Faults: want.Faults, Athlete: athlete, Seed: int64(want.Seed)}
	if err := s.Store.AddPractice(c.Request().Context(), me(c).ID, p); err != nil {
		return err
	}
	return c.JSON(http.StatusOK, m)
}

// practiceScene is how an attempt of eye practice is shown: from the usual view.
func practiceScene(w sim.Request, view string) render.Scene {
	camera := sim.Usual(w.Event, view)
	camera.Capture = looking
	return render.Scene{Movement: w, Camera: camera, Outfit: render.OutfitFor(int(w.Seed%97), w.Event, w.Athlete.Sex)}
}

// AnswerPractice shows the truth beside what was said, and keeps the score.
func (s *Server) AnswerPractice(c *echo.Context, id uuid.UUID) error {
	var in Answer
	if err := read(c, &in); err != nil {
		return err
	}
	ctx, who := c.Request().Context(), me(c)
	p, err := s.Store.Practice(ctx, who.ID, id)
	if err != nil {
		return err
	}
	if p.Answered != nil { // the first answer stands
		in.Fault, in.At = *p.Said, p.SaidAt
	}
	want := sim.Request{Event: p.Event, Variant: p.Variant, Faults: p.Faults, Seed: uint64(p.Seed)}
	if err := json.Unmarshal(p.Athlete, &want.Athlete); err != nil {
		return err
	}
	out := PracticeAnswer{Said: in.Fault, At: in.At}
	for fault, strength := range p.Faults {
		out.Fault, out.Strength = fault, strength
	}
	out.Right = out.Said == out.Fault
	if f, ok := s.Playbooks[p.Event].Fault(out.Fault); ok {
		out.Name, out.Says = &f.Name, &f.Says
	}
	clean := want
	clean.Faults = nil
	if out.Fault != "" {
		begins, err := sim.FaultOnset(want)
		if err != nil {
			return err
		}
		out.Begins = &begins
	}
	if out.Clean, err = motion(practiceScene(clean, s.Playbooks[clean.Event].UsualView())); err != nil {
		return err
	}
	if err := s.Store.AnswerPractice(ctx, who.ID, id, in.Fault, in.At, out.Begins); err != nil {
		return err
	}
	return c.JSON(http.StatusOK, out)
}

// usualFirst puts the usual view before the others.
func usualFirst(views []string, usual string) []string {
	out := []string{usual}
	for _, v := range views {
		if v != usual {
			out = append(out, v)
		}
	}
	return out
}
