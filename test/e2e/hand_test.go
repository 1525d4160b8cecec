package e2e

import (
	"fmt"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"

	"neokinema/demo"
	"neokinema/test/drive"
	"neokinema/test/program"
)

// atBench opens a demo athlete's attempt at a stage.
func atBench(t *testing.T, p *program.Program, athlete, stage string) *drive.Coach {
	t.Helper()
	c := sit(t, p.Base)
	c.OpenAttempt(athlete, stage)
	return c
}

// placed is where a landmark stands on the picture shown.
func placed(c *drive.Coach, name string) (x, y float64) {
	c.Wait(`(n) => !!document.querySelector('g[data-landmark="' + n + '"]')`, name)
	at := c.Page.MustEval(`(n) => { const e = document.querySelector('g[data-landmark="' + n + '"]').lastElementChild
		return e.tagName === 'circle' ? [e.cx.baseVal.value, e.cy.baseVal.value] : [e.x.baseVal.value + e.width.baseVal.value / 2, e.y.baseVal.value + e.height.baseVal.value / 2] }`, name).Arr()
	return at[0].Num(), at[1].Num()
}

// Without a mouse: stamp, go to the picture, point with the arrows, place,
// nudge, take off, undo; each is announced.
func TestKeyboardAlone(t *testing.T) {
	t.Parallel()
	p := start(t, club(t), "demo")
	c := atBench(t, p, "Anselm Tarrant-Vey", "Split")
	c.Key(input.KeyD, input.KeyD, input.KeyD, input.KeyG, input.KeyS)
	c.See("1 of 14 stamped")
	c.Find("a", "Measure").MustFocus()
	c.Key(input.Enter)
	c.See("Place the")
	c.Key(input.KeyP)
	c.Wait(`() => document.activeElement?.getAttribute('role') === 'application'`)
	left, top, width, height := c.Seen()
	c.Key(input.ArrowRight, input.ArrowRight, input.ArrowDown, input.Enter)
	c.See("1 of 8 placed")
	x, y := placed(c, "ear.R")
	step := x - (left + width/2)
	if step <= 0 || math.Abs(y-(top+height/2)-step/2) > 0.1 {
		t.Errorf("two steps right and one down lead to %.1f, %.1f from the middle", step, y-(top+height/2))
	}
	if said := c.Page.MustEval(`() => [...document.querySelectorAll('[role=status]')].map((e) => e.innerText).join(' ')`).Str(); !strings.Contains(said, "right ear placed") {
		t.Errorf("what a screen reader hears: %q", said)
	}
	c.Saved()
	c.Find("g[role=button]", "right ear, placed").MustFocus()
	c.Key(input.Enter, input.KeyP, input.ArrowLeft)
	c.Wait(`(x) => Math.abs(document.querySelector('g[data-landmark="ear.R"]').lastElementChild.cx.baseVal.value - x) > 0.2`, x)
	c.Saved()
	if now, _ := placed(c, "ear.R"); now >= x || x-now > 3 {
		t.Errorf("a nudge to the left moves it from %.2f to %.2f", x, now)
	}
	c.Key(input.Delete)
	c.See("0 of 8 placed")
	c.Saved()
	c.Key(input.KeyZ)
	c.See("1 of 8 placed")
	c.Key('?')
	c.See("place or mark at the crosshair")
	c.Key(input.Escape)
	if unnamed := c.Page.MustEval(`() => [...document.querySelectorAll('button, a, input, select, textarea, [role=button], [role=slider]')]
		.filter((e) => e.getClientRects().length && !(e.getAttribute('aria-label') || e.innerText?.trim() || e.labels?.length || e.title)).map((e) => e.outerHTML.slice(0, 90))`).Arr(); len(unnamed) > 0 {
		t.Errorf("a screen reader has no name for %v", unnamed)
	}
}

// On a tablet: a swipe steps through pictures, two fingers come closer about
// the point between them, a tap places under the magnifier.
func TestFingers(t *testing.T) {
	t.Parallel()
	p := start(t, club(t), "demo")
	c := atBench(t, p, "Ilse Marrowby", "Watch")
	if err := (proto.EmulationSetTouchEmulationEnabled{Enabled: true}).Call(c.Page); err != nil {
		t.Fatal(err)
	}
	c.Page.MustReload().MustWaitLoad() // as a device with fingers loads it
	c.See("picture")
	from := c.Picture()
	a := c.On(900, 300)
	at := func(dx float64) []proto.Point { return []proto.Point{proto.NewPoint(a.X+dx, a.Y)} }
	c.Touch(at(0), at(-60), at(-120), at(-180))
	c.See(fmt.Sprintf("picture %d of", from+10))
	c.Touch(at(0), at(40), at(90))
	c.See(fmt.Sprintf("picture %d of", from+5))

	m := c.On(640, 400)
	spread := func(d float64) []proto.Point {
		return []proto.Point{proto.NewPoint(m.X-d, m.Y), proto.NewPoint(m.X+d, m.Y)}
	}
	_, _, whole, _ := c.Seen()
	c.Touch(spread(40), spread(80), spread(120))
	c.Wait(`(w) => Number(document.querySelector('svg[role=application]').getAttribute('viewBox').split(' ')[2]) < w / 2`, whole)
	if now := c.On(640, 400); math.Abs(now.X-m.X) > 8 || math.Abs(now.Y-m.Y) > 8 {
		t.Errorf("the point between the fingers goes from %v to %v", m, now)
	}
	c.Press("Whole picture")

	c.Press("Measure")
	c.Press("set")
	c.Click("g[role=button]", "left knee, placed")
	x, y := placed(c, "knee.L")
	k := c.On(x+40, y-30)
	c.Touch([]proto.Point{k})
	c.Saved()
	if nx, ny := placed(c, "knee.L"); math.Abs(nx-x-40) > 2 || math.Abs(ny-y+30) > 2 {
		t.Errorf("a tap moves the knee to %.0f, %.0f, meant was %.0f, %.0f", nx, ny, x+40, y-30)
	}
}

// The same joint placed five times, without seeing where it was: from then on
// every ± is this hand's.
func TestTheCoachsOwnHand(t *testing.T) {
	t.Parallel()
	p := start(t, club(t), "demo")
	c := atBench(t, p, "Ilse Marrowby", "Measure")
	c.Press("set")
	c.See("A point is placed to ± 4.0 px, the usual hand.")
	x, y := placed(c, "knee.L")
	before := knee(c)
	c.Press("Test on picture")
	c.Wait(`() => !document.querySelector('g[data-landmark="knee.L"]')`)
	for i, d := range []float64{-0.6, 0.4, 0, 0.5, -0.3} {
		c.See(fmt.Sprintf("%d of 5", i+1))
		c.Point(x+d, y-d)
	}
	c.See("from 5 times the left knee")
	c.Saved()
	c.Wait(`(b) => !document.body.innerText.replace(/\s+/g, ' ').includes(b)`, before)
	var was, is float64
	fmt.Sscanf(strings.Split(before, "± ")[1], "%f", &was)
	fmt.Sscanf(strings.Split(knee(c), "± ")[1], "%f", &is)
	if is >= was || is < 4 { // joint centres alone leave 4°
		t.Errorf("the knee's ± goes from %v to %v", was, is)
	}
	c.Press("Undo")
	c.See("the usual hand")
}

// knee is the front knee's number as the panel shows it.
func knee(c *drive.Coach) string {
	return strings.Join(strings.Fields(c.Find("aside [data-value]", "Front knee").MustText()), " ")
}

// Two films at once while the coach is elsewhere, the server away in the
// middle: both arrive whole, without a hand.
func TestFilmsArriveByThemselves(t *testing.T) {
	t.Parallel()
	data := club(t)
	p := start(t, data, "demo")
	c := sit(t, p.Base)
	film, err := demo.Clip("start-clean")
	if err != nil {
		t.Fatal(err)
	}
	padded := append(append([]byte{}, film...), append([]byte{0x04, 0, 0, 0, 'f', 'r', 'e', 'e'}, make([]byte, 0x4000000-8)...)...)
	var paths []string
	for _, name := range []string{"one.mp4", "two.mp4"} {
		path := filepath.Join(t.TempDir(), name)
		if err := os.WriteFile(path, padded, 0o644); err != nil {
			t.Fatal(err)
		}
		paths = append(paths, path)
	}
	c.Press("New attempt")
	c.Find("input", "Films").MustSetFiles(paths...)
	c.Press("Log it")
	c.See("sending its film")
	p.Kill()
	time.Sleep(time.Second)
	startAt(t, strings.TrimPrefix(p.Base, "http://"), data, "demo")
	c.Wait(`() => document.body.innerText.split('say which part to keep').length === 3`)
}

// Everything in settings does what it says.
func TestSettings(t *testing.T) {
	t.Parallel()
	p := start(t, club(t), "demo")
	c := sit(t, p.Base)
	c.Press("Settings")
	c.Press("dark")
	c.Wait(`() => document.documentElement.classList.contains('dark')`)
	c.Press("light")
	c.Type("Name of the script", "timing")
	c.Press("Make a token")
	c.See("Copy it now")
	c.Wait(`() => document.querySelector('input[aria-label="The token"]').value.length > 40`)
	c.Press("Revoke")
	c.See("The token no longer works.")
	c.Type("Coach's name", "Nils Nilsen")
	c.Type("Sign-in name", "nils")
	c.Type("First password", "eleven blue cones")
	c.Press("Add a coach")
	c.See("Nils Nilsen can sign in as nils.")
	c.Press("Manage")
	c.Press("Erase this account…")
	c.See("With Nils Nilsen's account go 0 attempts, 0 clips")
	c.Press("Erase all of it")
	c.See("Nils Nilsen's account is erased.")
	c.See("The disk has")
	c.Press("Athletes")
	c.Press("Anselm Tarrant-Vey")
	c.See("Worked on")
	c.Press("Change")
	c.Press("Erase…")
	c.See("With Anselm Tarrant-Vey go 1 attempt, 1 clip of")
	c.Press("Erase all of it")
	c.Wait(`() => !document.body.innerText.includes('Anselm')`)
}

// The capture rate is measured on the Bench: by two pictures whose distance in
// seconds is known, and by something that falls.
func TestTheRateIsMeasuredOnTheBench(t *testing.T) {
	t.Parallel()
	p := start(t, club(t), "demo")
	c := atBench(t, p, "Ilse Marrowby", "Watch")
	c.Press("change or measure")
	c.StepTo(10)
	c.Press("From picture 10")
	c.StepTo(70)
	c.Type("Seconds between", "0.5")
	c.Press("Keep")
	c.See("measured by an interval")
	c.See("The file's tag says 240 ± 2 pictures a second, the known interval says 120")
	c.Press("Use the rate measured by an interval")
	c.Wait(`() => /Filmed at 120 ± [\d.]+ pictures\/s measured by an interval/.test(document.body.innerText)`)
	c.Saved()
	c.Press("Undo")
	c.See("240 pictures/s from its tag")

	c.StepTo(10)
	c.Press("change or measure")
	c.Press("Place it")
	const perMetre = 226
	for i := range 9 {
		n := 10 + 6*i
		c.See(fmt.Sprintf("picture %d of", n))
		fell := 9.80665 / 2 * math.Pow(float64(n-10)/240, 2)
		c.Point(300, 100+perMetre*fell)
		c.See(fmt.Sprintf("%d placed", i+1))
		c.Saved()
	}
	c.Press("Done placing")
	c.Wait(`() => { const m = document.body.innerText.match(/([\d.]+) ± ([\d.]+) measured by free fall/); return m && Math.abs(m[1] - 240) < m[2] }`)
}
