// Package drive works the real interface in a real browser as a coach does:
// by what is labelled on the screen, with mouse and keys.
package drive

import (
	"encoding/base64"
	"encoding/json"
	"fmt"
	"os"
	"strings"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"

	"neokinema/server/browser"
)

// patience is how long something may take to appear.
const patience = 90 * time.Second

// Coach sits before a page. Its methods panic when the screen lacks what they
// look for; use rod.Try, or let the test fail.
type Coach struct {
	Page   *rod.Page
	base   string
	browse *rod.Browser
	close  func()
}

// Sit opens a browser window of w × h on an address.
func Sit(base string, w, h int) (*Coach, error) {
	b, closing, err := browser.Open()
	if err != nil {
		return nil, err
	}
	c := &Coach{base: base, browse: b, close: closing}
	err = rod.Try(func() {
		c.Page = b.MustPage(base)
		c.Page.MustSetViewport(w, h, 1, false)
		c.Page = c.Page.Timeout(20 * time.Minute)
		// A question of the browser, as on leaving what is not saved, is answered with no.
		go c.Page.EachEvent(func(*proto.PageJavascriptDialogOpening) {
			_ = proto.PageHandleJavaScriptDialog{Accept: false}.Call(c.Page)
		})()
	})
	if err != nil {
		closing()
		return nil, err
	}
	return c, nil
}

// Leave closes the browser.
func (c *Coach) Leave() { c.close() }

// Go opens a path.
func (c *Coach) Go(path string) { c.Page.MustNavigate(c.base + path).MustWaitLoad() }

// Find waits for the first shown element that a selector finds and whose name (its
// aria-label, else its text) begins with name.
func (c *Coach) Find(selector, name string) *rod.Element {
	p := c.Page.Timeout(patience)
	e, err := p.ElementByJS(rod.Eval(`(selector, name) => [...document.querySelectorAll(selector)].find((e) =>
		(e.getAttribute('aria-label') ?? e.innerText ?? '').trim().startsWith(name) && e.getClientRects().length > 0) ?? null`, selector, name))
	if err != nil {
		panic(fmt.Sprintf("nothing on the screen is a %q named %q: %v\n%s", selector, name, err, c.Text()))
	}
	return e.CancelTimeout()
}

// Press clicks a button, link or choice by its name.
func (c *Coach) Press(name string) {
	c.Click("button, a, [role=button], [role=radio], label, summary", name)
}

// attempt is how long one element is tried, before it is looked for again.
const attempt = 15 * time.Second

// Click clicks the first shown element that a selector finds by its name. What is
// drawn anew between looking and pressing, or waits for the server and cannot be
// pressed yet, is looked for again.
func (c *Coach) Click(selector, name string) {
	for until := time.Now().Add(patience); ; time.Sleep(50 * time.Millisecond) {
		e := c.Find(selector, name).Timeout(attempt)
		err := e.ScrollIntoView()
		if err == nil {
			err = e.Click(proto.InputMouseButtonLeft, 1)
		}
		if err == nil {
			return
		}
		if time.Now().After(until) {
			panic(fmt.Sprintf("%q cannot be pressed: %v\n%s", name, err, c.Text()))
		}
	}
}

// Type writes into the field of a label or name.
func (c *Coach) Type(field, text string) {
	c.Find("input, textarea", field).MustSelectAllText().MustInput(text)
}

// Key presses keys, one after the other.
func (c *Coach) Key(keys ...input.Key) {
	for _, k := range keys {
		c.Page.Keyboard.MustType(k)
	}
}

// Wait waits until a JavaScript function says true.
func (c *Coach) Wait(js string, args ...any) { c.wait(patience, js, args...) }

// WaitLong waits for what the server works on in the background.
func (c *Coach) WaitLong(js string, args ...any) { c.wait(8*patience, js, args...) }

func (c *Coach) wait(patience time.Duration, js string, args ...any) {
	if err := c.Page.Timeout(patience).Wait(rod.Eval(js, args...)); err != nil {
		panic(fmt.Sprintf("still not so: %s %v: %v\n%s", js, args, err, c.Text()))
	}
}

// See waits until the text is on the screen.
func (c *Coach) See(text string) {
	c.Wait(`(text) => document.body.innerText.replaceAll('\u00a0', ' ').includes(text)`, text)
}

// Shows reports whether the text is on the screen now.
func (c *Coach) Shows(text string) bool { return strings.Contains(c.Text(), text) }

// Saved waits until the server has taken everything.
func (c *Coach) Saved() {
	c.Wait(`() => [...document.querySelectorAll('[role=status]')].some((e) => e.innerText === 'Saved')`)
}

// Text is all the words on the screen.
func (c *Coach) Text() string { return c.Page.MustElement("body").MustText() }

// Picture is the number of the picture shown.
func (c *Coach) Picture() int {
	text := c.Find("p", "Picture number").MustText()
	var n int
	fmt.Sscanf(text[strings.Index(text, "picture "):], "picture %d", &n)
	return n
}

// StepTo steps to a picture with the keys, and waits until it is shown.
func (c *Coach) StepTo(frame int) {
	key, n := input.KeyD, frame-c.Picture()
	if n < 0 {
		key, n = input.KeyS, -n
	}
	for range n {
		c.Key(key)
	}
	c.See(fmt.Sprintf("picture %d of", frame))
}

// Point presses the mouse at a point of the original picture.
func (c *Coach) Point(x, y float64) {
	at := c.On(x, y)
	c.Page.Mouse.MustMoveTo(at.X, at.Y).MustDown(proto.InputMouseButtonLeft).MustUp(proto.InputMouseButtonLeft)
}

// On is where a point of the original picture is on the screen.
func (c *Coach) On(x, y float64) proto.Point {
	svg := c.Find("svg[role=application]", "Picture")
	box := svg.MustShape().Box()
	left, top, width, height := c.Seen()
	return proto.NewPoint(box.X+(x-left)/width*box.Width, box.Y+(y-top)/height*box.Height)
}

// Seen is the part of the original picture that the stage shows.
func (c *Coach) Seen() (left, top, width, height float64) {
	fmt.Sscan(*c.Find("svg[role=application]", "Picture").MustAttribute("viewBox"), &left, &top, &width, &height)
	return left, top, width, height
}

// Middle scrolls what a selector finds first into view, waits until it stands still,
// and says where its middle is. What is drawn anew meanwhile is looked for again.
func (c *Coach) Middle(selector string) proto.Point {
	at := c.Page.Timeout(patience).MustEval(`async (selector) => {
		const next = () => new Promise((then) => requestAnimationFrame(then))
		for (let before = '', still = 0; ; await next()) {
			const found = document.querySelector(selector)
			found?.scrollIntoView({ block: 'nearest', inline: 'nearest' })
			const box = found?.getBoundingClientRect()
			const now = JSON.stringify(box ?? null)
			still = box && now === before ? still + 1 : 0
			before = now
			if (still === 3) return { x: box.x + box.width / 2, y: box.y + box.height / 2 }
		}
	}`, selector)
	return proto.NewPoint(at.Get("x").Num(), at.Get("y").Num())
}

// Touch puts fingers on the screen, moves them along, step by step, and lifts
// them. Each step names where every finger is.
func (c *Coach) Touch(steps ...[]proto.Point) {
	send := func(kind proto.InputDispatchTouchEventType, at []proto.Point) {
		fingers := []*proto.InputTouchPoint{}
		for i, p := range at {
			id := float64(i)
			fingers = append(fingers, &proto.InputTouchPoint{X: p.X, Y: p.Y, ID: &id})
		}
		if err := (proto.InputDispatchTouchEvent{Type: kind, TouchPoints: fingers}).Call(c.Page); err != nil {
			panic(err)
		}
	}
	for i, s := range steps {
		if i == 0 {
			send(proto.InputDispatchTouchEventTypeTouchStart, s)
		} else {
			send(proto.InputDispatchTouchEventTypeTouchMove, s)
		}
	}
	send(proto.InputDispatchTouchEventTypeTouchEnd, nil)
}

// Fetch loads an address of the site as the signed-in coach.
func (c *Coach) Fetch(path string) ([]byte, error) {
	url := c.Page.MustEval(`async (path) => {
		const file = await (await fetch(path)).blob()
		return new Promise((done) => { const r = new FileReader(); r.onload = () => done(r.result); r.readAsDataURL(file) })
	}`, path).Str()
	_, data, _ := strings.Cut(url, ",")
	return base64.StdEncoding.DecodeString(data)
}

// Shot writes what the screen shows as PNG.
func (c *Coach) Shot(path string) error {
	png, err := c.Page.Screenshot(false, &proto.PageCaptureScreenshot{Format: proto.PageCaptureScreenshotFormatPng})
	if err != nil {
		return err
	}
	return os.WriteFile(path, png, 0o644)
}

// OpenAttempt opens the latest filmed attempt of an athlete at a stage of the
// Bench, by the stage's name, as in "Split".
func (c *Coach) OpenAttempt(athlete, stage string) {
	c.Find("header", "") // signed in
	var today struct{ Athletes []struct{ ID, Name string } }
	c.decode("/api/today", &today)
	for _, a := range today.Athletes {
		if a.Name != athlete {
			continue
		}
		var page struct {
			Items []struct {
				ID   string
				Film bool
			}
		}
		c.decode("/api/athletes/"+a.ID+"/attempts", &page)
		for _, one := range page.Items {
			if one.Film {
				c.Go("/attempts/" + one.ID + "/" + strings.ToLower(stage))
				c.Find("aside", stage)
				return
			}
		}
	}
	panic(athlete + " has no filmed attempt")
}

// decode fetches an address and reads its JSON.
func (c *Coach) decode(path string, into any) {
	data, err := c.Fetch(path)
	if err == nil {
		err = json.Unmarshal(data, into)
	}
	if err != nil {
		panic(fmt.Sprintf("%s: %v", path, err))
	}
}
