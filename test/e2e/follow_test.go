package e2e

import (
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"
)

// Points are followed in the background, drawn on the pictures between, mended
// by placing one, and taken back.
func TestPointsAreFollowed(t *testing.T) {
	t.Parallel()
	p := start(t, club(t), "demo")
	c := atBench(t, p, "Ilse Marrowby", "Measure")
	c.Press("Follow 10 points")
	c.See("forward and backward")
	c.Press("Stop following")
	c.See("Follow 10 points")
	c.Press("Follow 10 points")
	c.See("Follow again")
	c.Press("1st contact")
	for range 6 {
		c.Key(input.KeyD)
	}
	followed := func() string {
		return c.Page.MustEval(`() => [...document.querySelectorAll('g[data-landmark] title')].map((e) => e.textContent).join('; ')`).Str()
	}
	c.Wait(`() => [...document.querySelectorAll('g[data-landmark] title')].some((e) => /followed/.test(e.textContent))`)
	if names := followed(); !strings.Contains(names, "left hip, followed") && !strings.Contains(names, "right hip, followed") {
		t.Errorf("followed on the picture: %s", names)
	}
	c.Press("all paths")
	c.Wait(`() => document.querySelectorAll('g[data-trail]').length > 3`)
	name := c.Page.MustEval(`() => document.querySelector('g[data-landmark]').dataset.landmark`).Str()
	x, y := placed(c, name)
	at := c.On(x, y)
	c.Page.Mouse.MustMoveTo(at.X, at.Y).MustDown(proto.InputMouseButtonLeft)
	c.Wait(`() => !!document.querySelector('g[data-landmark] circle[fill=none][r]')`) // it is held
	c.Page.Mouse.MustMoveTo(at.X+3, at.Y).MustMoveTo(at.X+6, at.Y)
	c.Page.Mouse.MustUp(proto.InputMouseButtonLeft)
	c.Wait(`(n, x) => document.querySelector('g[data-landmark="' + n + '"]').lastElementChild.getBBox().x > x - 4`, name, x)
	c.Saved()
	if names := followed(); strings.Count(names, "followed") == 0 {
		t.Errorf("after mending one: %s", names)
	}
	c.Press("Follow again")
	c.See("forward and backward")
	c.See("Follow again")
	if now, _ := placed(c, name); now <= x {
		t.Errorf("the mended point is at %.1f, it was at %.1f", now, x)
	}
	c.Press("measure without")
	c.See("Follow 10 points")
	c.Saved()
	c.Key(input.KeyZ)
	c.See("Follow again")
}
