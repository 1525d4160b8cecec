package e2e

import (
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"

	"neokinema/test/drive"
)

// mark writes an attempt into an athlete's series.
func mark(c *drive.Coach, athlete, text string) {
	c.Type("Mark, "+athlete, text)
	c.Key(input.Enter)
}

// At the track the server is away for a while: what is noted stays in the browser,
// through a reload too, and arrives in order, nothing twice. What the server does
// not take waits to be corrected.
func TestTheLogWaitsForTheServer(t *testing.T) {
	t.Parallel()
	data := club(t)
	p := start(t, data, "demo")
	c := sit(t, p.Base)
	c.Press("Log")
	c.Type("Place", "Brackwater track")
	c.Press("Open the day’s log")
	c.Find("select", "Event").MustSelect("Long jump")
	c.Find("select", "Add an athlete").MustSelect("Ilse Marrowby")
	c.Find("select", "Add an athlete").MustSelect("Anselm Tarrant-Vey")
	mark(c, "Ilse Marrowby", "5.92")
	c.See("5.92 m")
	c.Wait(`() => document.activeElement.ariaLabel === 'Mark, Anselm Tarrant-Vey'`)
	c.Wait(`() => navigator.serviceWorker.controller !== null`)
	c.Page.MustReload().MustWaitLoad()
	c.See("5.92 m")

	p.Kill()
	mark(c, "Anselm Tarrant-Vey", "6.40")
	mark(c, "Ilse Marrowby", "6.1.5")
	mark(c, "Ilse Marrowby", "x line")
	c.See("The server is not reached")
	c.See("3 kept in this browser")
	c.Page.MustReload().MustWaitLoad()
	c.See("3 kept in this browser")
	c.See("✕ over the line")

	again := startAt(t, strings.TrimPrefix(p.Base, "http://"), data, "demo")
	c.See("“6.1.5” was not taken")
	c.See("6.40 m")
	c.Type("Corrected mark", "6.15")
	c.Press("Send it")
	c.See("3 attempts, best 6.15 m, mean 6.03 m, spread 0.16 m, 1 of 3 lost")
	c.Wait(`() => !document.body.innerText.includes('kept in this browser')`)
	c.Press("Summary")
	c.See("Brackwater track")
	c.See("4 attempts of 2 athletes")

	page := newCaller(t)
	page.ask("POST", again.Base+"/api/sign-in/demo", nil, nil)
	var sessions []struct {
		ID       string
		Attempts int
	}
	page.ask("GET", again.Base+"/api/sessions", nil, &sessions)
	if sessions[0].Attempts != 4 {
		t.Errorf("%d attempts arrived, want 4", sessions[0].Attempts)
	}
}

// A plan is laid out from an assignment, moved by drag, copied, done and taken
// back; a pain note holds it.
func TestAPlanInTheCalendar(t *testing.T) {
	t.Parallel()
	p := start(t, club(t), "demo")
	c := atBench(t, p, "Ilse Marrowby", "Assign")
	c.Press("Lay it out")
	c.See("lines stand in the calendar")
	c.Press("the calendar")
	c.Find("h2, h1", "Calendar")
	c.See("Film it again")
	lines := func() int { return len(c.Page.MustElements("[data-day] [data-line]")) }
	before := lines()
	drag := func(copied bool) {
		day := c.Page.MustEval(`() => {
			const cells = [...document.querySelectorAll('[data-day]')]
			return cells[cells.findIndex((cell) => cell.querySelector('[data-line]')) + 1].dataset.day
		}`).Str()
		to := c.Middle(`[data-day="` + day + `"]`)
		from := c.Middle("[data-day] [data-line]")
		if copied {
			if err := c.Page.Keyboard.Press(input.ControlLeft); err != nil {
				t.Fatal(err)
			}
			defer c.Page.Keyboard.Release(input.ControlLeft)
		}
		m := c.Page.Mouse
		m.MustMoveTo(from.X, from.Y).MustDown(proto.InputMouseButtonLeft)
		if err := m.MoveLinear(to, 8); err != nil {
			t.Fatal(err)
		}
		m.MustUp(proto.InputMouseButtonLeft)
	}
	drag(false)
	c.See("Moved to")
	if n := lines(); n != before {
		t.Errorf("%d lines after a move, %d before", n, before)
	}
	// By the keyboard; a line that is still being put down opens instead of being taken up.
	moved := func() bool {
		c.Page.MustElement("[data-day] [data-line]").MustFocus()
		c.Key(input.Space, input.ArrowRight, input.Space)
		return c.Page.MustWaitStable().MustEval(`() => !document.querySelector('[role=dialog]')`).Bool()
	}
	for range 5 {
		if moved() {
			break
		}
		c.Key(input.Escape)
		c.Wait(`() => !document.querySelector('[role=dialog]') && getComputedStyle(document.body).pointerEvents !== 'none'`)
	}
	c.See("Moved to")
	c.Press("Undo")
	c.See("Taken back")
	drag(true)
	c.See("Copied to")
	c.Wait(`(n) => document.querySelectorAll('[data-day] [data-line]').length === n`, before+1)
	c.Press("Undo")
	c.See("Taken back")
	c.Wait(`(n) => document.querySelectorAll('[data-day] [data-line]').length === n`, before)
	c.Click("[data-day] button", "○ Wall")
	c.Press("Done")
	c.See("✓")

	c.Press("Athletes")
	c.Press("Ilse Marrowby")
	c.Press("Note pain")
	c.Find("select", "Region").MustSelect("hamstring")
	c.Press("Note it")
	c.See("open, work is held")
	c.Press("Today")
	c.See("Ilse Marrowby: left hamstring")
	c.OpenAttempt("Ilse Marrowby", "Assign")
	c.See("Nothing is assigned until the note")
}
