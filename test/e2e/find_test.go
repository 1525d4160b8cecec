package e2e

import (
	"path/filepath"
	"testing"

	"github.com/go-rod/rod/lib/input"
)

// From a film on which nothing was placed to values in five presses: the body is
// found, key positions are pencilled in and taken; what rests on found points says so,
// and all of it can be taken back.
func TestTheBodyIsFoundInAPress(t *testing.T) {
	models, err := filepath.Abs("../../models")
	if err != nil {
		t.Fatal(err)
	}
	t.Setenv("NEOKINEMA_MODELS", models)
	p := start(t, club(t), "demo")
	c := atBench(t, p, "Anselm Tarrant-Vey", "Measure")
	c.See("marks the points of the body on every picture")
	c.Press("Find the points")
	c.See("24 points found by the server, unconfirmed")
	fits(t, c)
	c.Press("Split")
	c.See("pencilled in")
	c.Press("Take all")
	c.Saved()
	c.Press("Measure")
	c.Press("1st contact")
	c.See("unconfirmed")
	c.Press("Confirm")
	c.Saved()
	c.Wait(`() => ![...document.querySelectorAll('button')].some((b) => b.innerText.startsWith('Confirm'))`)
	c.Press("Judge")
	c.See("unconfirmed")
	fits(t, c)
	c.Press("Measure")
	c.Key(input.KeyZ, input.KeyZ, input.KeyZ)
	c.See("Find the points")
}
