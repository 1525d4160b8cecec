package e2e

import (
	"testing"

	"github.com/go-rod/rod/lib/input"
)

// A point of a known place is marked by a press, cleared and taken back; a second
// film is added from the Bench, which leads back to the first, and taken off.
func TestASecondFilmAndKnownPoints(t *testing.T) {
	t.Parallel()
	p := start(t, club(t), "demo")
	c := atBench(t, p, "Ilse Marrowby", "Measure")
	c.Press("In space")
	c.Type("Name of another known point", "cone")
	for _, field := range []string{"m toward the throw", "m to its left", "m up"} {
		c.Type(field, "1.5")
	}
	c.Press("Mark this point")
	c.See("Press on: cone")
	x, y, w, h := c.Seen()
	c.Point(x+w/2, y+h/2)
	c.See("✓ cone")
	c.See("needs 4 points")
	c.Saved()
	c.Press("Clear: cone")
	c.Wait(`() => !/cone/.test(document.querySelector('ul[aria-label="Known points"]').textContent)`)
	c.Saved()
	c.Page.MustElement("svg[role=application]").MustFocus()
	c.Key(input.KeyZ)
	c.See("✓ cone")
	c.Press("Add a film from another side")
	c.See("second film")
	c.Press("Back to the first film")
	c.Find("aside", "Measure")
	c.See("Go to the second film")
	c.Press("Take the second film off")
	c.Press("Keep it")
	c.Press("Take the second film off")
	c.Press("Take it off")
	c.See("Add a film from another side")
}
