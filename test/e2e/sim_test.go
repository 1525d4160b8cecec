package e2e

import (
	"strings"
	"testing"
	"time"

	"neokinema/test/drive"
)

// A coach sets an attempt, sees it, films it, and finds the clip on the Bench;
// then practises the eye.
func TestTheSimulatedCameraFilms(t *testing.T) {
	t.Parallel()
	p := start(t, club(t), "demo")
	c, err := drive.Sit(p.Base, 1280, 800)
	if err != nil {
		t.Fatal(err)
	}
	defer c.Leave()
	c.Go("/")
	c.Press("Come in as the demo coach")
	c.See("Today")
	c.Press("Simulated camera")
	c.See("Film it")
	c.Wait(`() => { const s = [...document.querySelectorAll('select')].find((x) => [...x.options].some((o) => o.value === 'shot-glide')); s.value = 'shot-glide'; s.dispatchEvent(new Event('change', {bubbles: true})); return true }`)
	c.Wait(`() => { const s = [...document.querySelectorAll('select')].find((x) => [...x.options].some((o) => o.value === '30')); s.value = '30'; s.dispatchEvent(new Event('change', {bubbles: true})); return true }`)
	c.See("Hops up")
	c.Press("Film it")
	for limit := time.Now().Add(3 * time.Minute); ; time.Sleep(time.Second) {
		if strings.Contains(c.Text(), "The clip is in.") {
			break
		}
		if strings.Contains(c.Text(), "the simulated camera stopped") || time.Now().After(limit) {
			t.Fatalf("the film does not come: %s", c.Text())
		}
	}
	c.Press("Open the clip")
	c.See("Film checks")
	c.See("drive")

	c.Go("/eye")
	c.Press("Show me one")
	c.See("What did you see?")
	c.Press("Nothing: it was clean")
	c.Press("That is it")
	c.Wait(`() => /Seen|Not it/.test(document.body.innerText)`)
	c.See("Another one")
	c.Wait(`() => / of 1/.test(document.querySelector('[aria-label="How your eye does"]').innerText)`)
}
