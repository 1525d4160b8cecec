// Package e2e uses Neokinema as a coach does: the shipped program, a real
// database, a real browser.
package e2e

import (
	"bytes"
	"fmt"
	"image/png"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"

	"neokinema/core/body"
	"neokinema/core/sim"
	"neokinema/demo"
	"neokinema/test/drive"
)

const scenario = "start-open-knee-late-arm"

// TestBlockStartFromFileToCue takes the untouched clip from the file to a
// printed cue, with the truth's stamps and landmarks for the coach's eye.
func TestBlockStartFromFileToCue(t *testing.T) {
	t.Parallel()
	p := start(t, club(t), "demo")
	truth, err := demo.Truth(scenario)
	if err != nil {
		t.Fatal(err)
	}
	c, err := drive.Sit(p.Base, 1280, 800)
	if err != nil {
		t.Fatal(err)
	}
	defer c.Leave()

	c.Press("Come in as the demo coach")
	c.Press("New attempt")
	c.Press("Log it")
	c.See("Drop the film of this attempt here")
	refuseAText(t, c)
	film, _ := filepath.Abs("../../demo/clips/" + scenario + ".mp4")
	c.Page.MustElement("input[type=file]").MustSetFiles(film)
	c.See("Which part of this film is the attempt?")
	c.See(fmt.Sprintf("pictures %d", len(truth.Film)))
	c.Press("Take all of it")
	c.Find("nav", "Key positions")
	c.Press(map[bool]string{true: "right", false: "left"}[truth.Film[0].Camera.At[1] < 0])
	c.Type("Already good", "Head stays quiet.")

	c.Press("Split")
	split(t, c, truth)
	c.Press("Measure")
	measure(t, c, truth)
	footSpeed(t, c, truth)
	fits(t, c)

	c.Press("Judge")
	c.See("Head stays quiet.")
	compare(t, c, truth)
	for _, fault := range []string{"Front knee too open", "Late lead arm"} {
		c.See(fault)
		c.Press("Make it the focus")
		c.Saved()
	}
	fits(t, c)
	c.Press("Judge")
	c.Press("front knee 1") // a cause's evidence opens its value on the picture
	shot(t, c, "causes")
	before := values(c)

	c.Press("Assign")
	c.See("toward the line") // the pedal's move, for the open knee
	for range 2 {
		c.Press("Assign this cue")
		c.Saved()
	}
	shot(t, c, "assigned")
	address := c.Page.MustInfo().URL
	strip(t, c)
	card := card(t, c)
	for _, want := range []string{"Anselm Tarrant-Vey", "Change the pedal, not the athlete", "Hand first, then feet.", "Head stays quiet.", "Film again", "Front knee at set"} {
		if !strings.Contains(card, want) {
			t.Errorf("the card does not say %q:\n%s", want, card)
		}
	}

	c.Page.MustNavigate(address).MustWaitLoad()
	c.See("Hand first, then feet.")
	c.Press("Judge")
	c.See("In focus")
	if after := values(c); !slices.Equal(before, after) {
		t.Errorf("a reload changed the values:\n%v\n%v", before, after)
	}
	c.Press("Split")
	c.See("All 14 key positions are stamped.")
}

// shot keeps a picture for the documents where the environment asks for it.
func shot(t *testing.T, c *drive.Coach, name string) {
	folder := os.Getenv("NEOKINEMA_SHOTS")
	if folder == "" {
		return
	}
	c.Page.MustWaitIdle()
	if err := c.Shot(filepath.Join(folder, name+".png")); err != nil {
		t.Fatal(err)
	}
}

// refuseAText gives the Bench a file that is no film.
func refuseAText(t *testing.T, c *drive.Coach) {
	text := filepath.Join(t.TempDir(), "start.mp4")
	if err := os.WriteFile(text, []byte("these are my notes of the start, and no film at all"), 0o644); err != nil {
		t.Fatal(err)
	}
	c.Page.MustElement("input[type=file]").MustSetFiles(text)
	c.See("not a film")
}

func split(t *testing.T, c *drive.Coach, truth sim.Truth) {
	for _, k := range book(t).Keys {
		c.StepTo(truth.Frames[k.ID])
		if k.Optional { // F goes to what the event needs; an optional one is chosen first
			c.Press(k.Name + ", not stamped")
		}
		c.Key(input.KeyF)
		c.Saved()
	}
	c.Key(input.KeyX)
	c.See("13 of 14 stamped")
	c.Saved()
	c.Key(input.KeyZ)
	c.See("All 14 key positions are stamped.")
}

func measure(t *testing.T, c *drive.Coach, truth sim.Truth) {
	names := map[string]body.Landmark{}
	for l := range truth.Film[0].InView {
		part, side, _ := strings.Cut(string(l), ".")
		names[strings.TrimSpace(map[string]string{"L": "left ", "R": "right "}[side]+part)] = l
	}
	spot := func(name string) { p := truth.Spot(name); c.Point(p[0], p[1]) }
	c.Press("lane marks 1 m apart")
	spot("mark-1")
	spot("mark-2")
	c.See("lane marks 1 m apart:")
	c.Press("two level points")
	spot("mark-0")
	spot("mark-3")
	c.See("a level line is marked")
	c.Press("mark it")
	spot("line")
	c.See("line marked")
	for _, k := range book(t).Keys {
		c.Press(k.Name)
		c.Wait(`(name) => [...document.querySelectorAll('aside section')].some((e) => e.getAttribute('aria-label').split(', ').includes(name))`, k.Name)
		for !strings.Contains(c.Find("aside", "Measure").MustText(), "No landmarks are needed") {
			c.Wait(`() => !!document.querySelector('[aria-label="To place"]') || document.body.innerText.includes('This position is done')`)
			if !c.Page.MustHas(`[aria-label="To place"]`) {
				break
			}
			lit := c.Page.MustElement(`[aria-label="To place"] b`).MustText()
			at := truth.Film[truth.Frames[k.ID]].InView[names[lit]]
			c.Point(at[0], at[1])
			c.Wait(`(lit) => document.querySelector('[aria-label="To place"] b')?.innerText !== lit`, lit)
		}
	}
	c.Saved()
}

// footSpeed places the toe on the pictures before each contact.
func footSpeed(t *testing.T, c *drive.Coach, truth sim.Truth) {
	front := truth.Athlete.Side
	for i, foot := range []body.Side{front.Other(), front, front.Other()} {
		place := fmt.Sprint("td", i+1)
		k, _ := book(t).Key(place)
		for _, before := range []int{4, 1} {
			c.Press(k.Name)
			n := truth.Frames[place] - before
			c.Press(fmt.Sprintf("picture %d", n))
			c.See(fmt.Sprintf("picture %d of", n))
			c.Wait(`(n) => document.querySelector('aside [aria-current=true]')?.innerText.includes('picture ' + n)`, n)
			at := truth.Film[n].InView[body.Landmark("toe."+string(foot))]
			c.Point(at[0], at[1])
			c.See(fmt.Sprintf("✓ picture %d", n))
			c.Saved()
		}
	}
}

// compare holds every number on the screen against the truth.
func compare(t *testing.T, c *drive.Coach, truth sim.Truth) {
	c.Wait(`(n) => document.querySelectorAll('aside [data-value]').length >= n`, len(truth.Measures)-2)
	seen := 0
	for _, v := range values(c) {
		key, text, _ := strings.Cut(v, " ")
		want, ok := truth.Measures[key]
		if !ok {
			t.Errorf("the truth knows nothing of %s", key)
			continue
		}
		var got, pm float64
		text = strings.NewReplacer("−", "-", "±", "").Replace(text)
		if _, err := fmt.Sscan(text, &got, &pm); err != nil {
			t.Errorf("%s: %q is no number with its ±: %v", key, text, err)
			continue
		}
		seen++
		if math.Abs(got-want) > pm {
			t.Errorf("%s: the screen says %v ± %v, the truth is %v", key, got, pm, want)
		}
	}
	if seen < len(truth.Measures)-2 {
		t.Errorf("only %d of %d measures are on the screen", seen, len(truth.Measures))
	}
}

// values are the numbers of the panel, those folded away too, each as "key value
// ±".
func values(c *drive.Coach) []string {
	var out []string
	c.Page.MustEval(`() => document.querySelectorAll('aside details').forEach((d) => { d.open = true })`)
	for _, v := range c.Page.MustEval(`() => [...document.querySelectorAll('aside [data-value]')].map((e) =>
		e.dataset.value + ' ' + e.innerText.replace(/\s+/g, ' ').match(/([−\d.]+)\D*? ± ([\d.]+)/).slice(1).join(' ± '))`).Arr() {
		out = append(out, v.Str())
	}
	slices.Sort(out)
	return out
}

// fits checks that the Bench needs no page scroll.
func fits(t *testing.T, c *drive.Coach) {
	t.Helper()
	e := c.Page.MustEval(`() => [document.scrollingElement.scrollHeight, document.scrollingElement.scrollWidth]`).Arr()
	if e[0].Int() > 800 || e[1].Int() > 1280 {
		t.Errorf("the page is %v × %v, larger than the window", e[1], e[0])
	}
}

// strip checks that the key strip is a picture of all key positions.
func strip(t *testing.T, c *drive.Coach) {
	data, err := c.Fetch(*c.Find("a", "Key strip").MustAttribute("href"))
	if err != nil {
		t.Fatal(err)
	}
	img, err := png.DecodeConfig(bytes.NewReader(data))
	if err != nil || img.Width < 14*200 {
		t.Errorf("the strip is %d × %d: %v", img.Width, img.Height, err)
	}
}

// card is what the athlete's card says, in words.
func card(t *testing.T, c *drive.Coach) string {
	pdf, err := c.Fetch(*c.Find("a", "Athlete's card").MustAttribute("href"))
	if err != nil {
		t.Fatal(err)
	}
	path := filepath.Join(t.TempDir(), "card.pdf")
	if err := os.WriteFile(path, pdf, 0o644); err != nil {
		t.Fatal(err)
	}
	text, err := exec.Command("pdftotext", "-layout", path, "-").Output()
	if err != nil {
		t.Fatal(err)
	}
	return strings.Join(strings.Fields(string(text)), " ")
}
