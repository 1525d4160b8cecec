package e2e

import (
	"fmt"
	"math"
	"os"
	"path"
	"path/filepath"
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"
	"github.com/google/uuid"

	"neokinema/core/body"
	core "neokinema/core/measure"
	"neokinema/core/sim"
	"neokinema/demo"
	"neokinema/server/render"
	"neokinema/test/drive"
	"neokinema/test/program"
)

// unseen is a film that is not the demo's, and in how many presses its attempt is to be
// judged.
type unseen struct {
	event, how string // as the screen calls them
	scene      render.Scene
	figures    int    // that are confirmed
	shows      string // what Judge is to say then
	presses    int
}

func unseenFilms() []unseen {
	man := func(height float64) sim.Athlete {
		return sim.Athlete{HeightM: height, Sex: body.Man, Side: body.Right}
	}
	film := func(event, variant, view, clothes string, who sim.Athlete, seed uint64, fault string, c sim.Camera, in render.Setting) render.Scene {
		c.View, c.Playback, c.Width, c.Tall, c.Seed = view, 30, 1024, 576, seed
		dress := render.OutfitFor(int(seed), event, who.Sex)
		dress.Clothes = clothes
		return render.Scene{Movement: sim.Request{Event: event, Variant: variant, Seed: seed, Athlete: who, Faults: map[string]float64{fault: 0.7}}, Camera: c, Outfit: dress, Setting: in}
	}
	return []unseen{
		{"Sprint start", "", film("sprint-start", "", "side-open", "loose", man(1.80), 771, "front-knee-open",
			sim.Camera{Capture: 120, Distance: 13, Height: 1.4, From: -0.35, To: 1.25}, render.Setting{Light: "overcast", Crowd: true}), 4, "Front hip", 12},
		{"Hammer", "four turns, heel entry", film("hammer", "four-heel", "back", "tights", man(1.86), 772, "late-catch",
			sim.Camera{Capture: 60, Distance: 12, Height: 1.5, From: 0.2, To: 2.6}, render.Setting{Light: "dusk"}), 14, "Late catch", 25},
	}
}

// From a dropped film to a judged attempt: the server reads the film while the coach
// looks at it, the coach confirms the figures that decide; each press is counted.
func TestTheFirstReadingIsCounted(t *testing.T) {
	t.Parallel()
	models, err := filepath.Abs("../../models")
	if err != nil {
		t.Fatal(err)
	}
	p := program.StartWith(t, []string{"NEOKINEMA_MODELS=" + models}, club(t), "demo")
	for _, f := range unseenFilms() {
		t.Run(f.event, func(t *testing.T) {
			truth, err := f.scene.Simulate()
			if err != nil {
				t.Fatal(err)
			}
			film := rendered(t, f, truth)
			who, athlete := truth.Athlete, "Merrit Oskvale, "+f.event
			coach := newCaller(t)
			coach.ask("POST", p.Base+"/api/sign-in/demo", nil, nil)
			coach.ask("POST", p.Base+"/api/athletes", fmt.Appendf(nil, `{"id": %q, "name": %q, "sex": %q, "birthYear": 2000, "heightM": %g, "frontLeg": %q, "hand": %q, "jumpLeg": %q, "level": "trained"}`,
				uuid.Must(uuid.NewV7()), athlete, who.Sex, who.HeightM, who.Side, who.Side, who.Side), nil)
			c := sit(t, p.Base)
			c.Press("New attempt")
			c.Page.MustElement("select[name=athlete]").MustSelect(athlete)
			c.Page.MustElement("select[name=event]").MustSelect(f.event)
			if f.how != "" {
				c.Page.MustElement("select[name=variant]").MustSelect(f.how)
			}
			c.Press("Log it")
			c.See("Drop the film of this attempt here")
			c.Page.MustElement("input[type=file]").MustSetFiles(film)
			if n := judged(t, c, f, truth); n > f.presses {
				t.Errorf("%d presses to a judged attempt, of %d", n, f.presses)
			}
			if f.scene.Camera.View == "back" {
				findsTheCircle(t, c)
				fitsTheFilm(t, c, coach, p.Base, truth)
			}
		})
	}
}

// findsTheCircle presses for the throwing circle, which marks the points of known places.
func findsTheCircle(t *testing.T, c *drive.Coach) {
	t.Helper()
	c.Press("Measure")
	c.Press("In space")
	c.Press("Find the circle")
	c.See("points are marked, to ±")
	c.See("The camera's place is known from")
	c.Saved()
	if shot := os.Getenv("SHOT"); shot != "" {
		c.Shot(shot)
	}
	fits(t, c)
}

// fitsTheFilm fits a body to this one film, by points that the server found: what one
// picture does not show is read off it, says so, and holds the truth inside its ±.
func fitsTheFilm(t *testing.T, c *drive.Coach, coach *caller, base string, truth sim.Truth) {
	t.Helper()
	c.Press("Fit this film")
	c.WaitLong(`() => document.body.innerText.includes('A body is fitted to this film')`)
	c.See("named “one film, fitted in space”")
	if shot := os.Getenv("SHOT_FIT"); shot != "" {
		c.Shot(shot)
	}
	fits(t, c)
	id := path.Base(path.Dir(c.Page.MustInfo().URL))
	var reading struct {
		Values []struct {
			Key, Unit, Seen string
			Value, U        float64
		}
	}
	coach.ask("GET", base+"/api/attempts/"+id+"/reading", nil, &reading)
	inside, all := 0, 0
	for _, v := range reading.Values {
		want, known := truth.Measures[v.Key]
		if v.Seen != core.FittedMethod || !known {
			continue
		}
		off := v.Value - want
		if v.Unit == "deg" {
			off = math.Remainder(off, 360)
		}
		if all++; math.Abs(off) <= 2*v.U {
			inside++
		} else {
			t.Logf("%s is %.3g ± %.2g, in truth %.3g", v.Key, v.Value, 2*v.U, want)
		}
	}
	if all < 25 || inside*10 < 8*all {
		t.Errorf("of %d values off the fitted body %d hold the truth", all, inside)
	}
	turnsTheBody(t, c)
}

// turnsTheBody looks at the fitted body over its picture, from above and by a drag, beside
// the clean one, and asks how well a limb is known and what would make it sharper.
func turnsTheBody(t *testing.T, c *drive.Coach) {
	t.Helper()
	seen := func() string {
		return c.Page.MustEval(`() => document.querySelector('[aria-label=Seen] [aria-checked=true]')?.innerText ?? ''`).Str()
	}
	c.Press("Show the body")
	c.See("as filmed")
	c.See("There is no body on this picture")
	c.Press("catch 2")
	c.Wait(`() => !document.body.innerText.includes('There is no body on this picture')`)
	c.Press("from above")
	c.Press("clean beside it")
	c.See("the simulated athlete, clean")
	if shot := os.Getenv("SHOT_BODY"); shot != "" {
		c.Shot(shot)
	}
	c.Press("clean beside it")
	c.Press("as filmed")
	if got := seen(); got != "as filmed" {
		t.Errorf("the body is seen %q, want as filmed", got)
	}
	body := c.Middle(`[aria-label^="Fitted body"]`)
	c.Page.Mouse.MustMoveTo(body.X, body.Y).MustDown(proto.InputMouseButtonLeft).MustMoveTo(body.X+40, body.Y).MustMoveTo(body.X+80, body.Y).MustUp(proto.InputMouseButtonLeft)
	c.Wait(`() => !document.querySelector('[aria-label=Seen] [aria-checked=true]')`)
	c.Page.MustElement(`select[aria-label="How well a limb is known"]`).MustSelect("left thigh")
	c.See("toward the camera or away from it")
	fits(t, c)
	c.See("a second film from the side: one camera shows little of what lies along its line of sight")
	c.Page.MustElement(`[aria-label^="Fitted body"]`).MustFocus()
	c.Key(input.KeyB)
	c.Find(`[role=application]`, "Picture")
	c.Key(input.KeyB)
	c.See("as filmed")
	c.Press("Back to the picture")
}

// rendered is a film's file under testdata, beside the mark of the truth that it was
// drawn from. With NEOKINEMA_RENDER it is drawn anew.
func rendered(t *testing.T, f unseen, truth sim.Truth) string {
	t.Helper()
	file, err := filepath.Abs(filepath.Join("testdata", f.scene.Movement.Event))
	if err != nil {
		t.Fatal(err)
	}
	if os.Getenv("NEOKINEMA_RENDER") != "" {
		camera, err := render.Open()
		if err != nil {
			t.Fatal(err)
		}
		defer camera.Close()
		if err := camera.RenderFilm(t.Context(), f.scene, truth, file+".mp4", func(int, int) {}); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(file+".mark", []byte(demo.Mark(truth)+"\n"), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	mark, err := os.ReadFile(file + ".mark")
	if err != nil || strings.TrimSpace(string(mark)) != demo.Mark(truth) {
		t.Fatalf("the film of %s is not of this truth: NEOKINEMA_RENDER=1 go test -run %s ./test/e2e (%v)", f.event, t.Name(), err)
	}
	return file + ".mp4"
}

// judged goes from the dropped film to the verdicts, and returns how often it pressed.
func judged(t *testing.T, c *drive.Coach, f unseen, truth sim.Truth) int {
	presses := 0
	press := func(name string) { c.Press(name); presses++ }
	c.See("Which part of this film is the attempt?")
	press("Take all of it")
	c.Find("nav", "Key positions")
	if c.Shows("Runs to the") {
		press(map[bool]string{true: "right", false: "left"}[truth.Rightward()])
	}
	press("Split")
	c.WaitLong(`() => document.body.innerText.includes('pencilled in') && ![...document.querySelectorAll('[role=status]')].some((e) => e.innerText.includes('Finding'))`)
	fits(t, c)
	press("Take all")
	c.Saved()
	press("Measure")
	press("take the standing height")
	c.Saved()
	c.See("decide")
	fits(t, c)
	for range f.figures { // each press confirms a figure and goes to the next; the first goes to the first
		c.Key(input.Enter)
		presses++
		c.Saved()
	}
	press("Judge")
	c.See("Verdicts")
	c.See(f.shows)
	fits(t, c)
	t.Logf("%s: %d presses", f.event, presses)
	return presses
}
