package e2e

import (
	"bytes"
	"image/png"
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/proto"

	"neokinema/test/drive"
)

// Every room has the same header with all rooms, loads its fonts as files, and
// meets no refusal of the content policy and no error.
func TestEveryRoomHasTheHeader(t *testing.T) {
	t.Parallel()
	p := start(t, club(t), "demo")
	c, err := drive.Sit(p.Base, 1280, 800)
	if err != nil {
		t.Fatal(err)
	}
	defer c.Leave()
	c.Page.MustEvalOnNewDocument(`
		window.faults = []
		addEventListener('securitypolicyviolation', (e) => faults.push(e.violatedDirective + ' ' + e.blockedURI))
		addEventListener('error', (e) => faults.push(e.message))
		addEventListener('unhandledrejection', (e) => faults.push(String(e.reason)))`)
	c.Go("/")
	c.Press("Come in as the demo coach")
	c.See("Today")
	const rooms = "Today Athletes Log Calendar Playbook Eye practice Simulated camera Settings"
	for _, path := range []string{"/", "/athletes", "/log", "/calendar", "/playbook", "/playbook/hammer", "/eye", "/sim", "/settings"} {
		c.Go(path)
		c.Find("nav", "Rooms")
		named := c.Page.MustEval(`() => [...document.querySelectorAll('nav[aria-label=Rooms] a')].map((a) => a.innerText).join(' ')`).Str()
		if named != rooms {
			t.Errorf("%s leads to %q", path, named)
		}
		c.Wait(`() => document.fonts.status === 'loaded' && document.fonts.check('600 14px "Barlow Semi Condensed"')`)
		if faults := c.Page.MustEval(`() => faults.join('\n')`).Str(); faults != "" {
			t.Errorf("%s: %s", path, faults)
		}
	}
	if fonts := c.Page.MustEval(`() => performance.getEntriesByType('resource').filter((e) => e.name.endsWith('.woff2')).length`).Int(); fonts == 0 {
		t.Error("no font came as a file")
	}
	dotted(t, c)
}

// dotted looks at a small bold i: between its dot and its stem there is a light row.
func dotted(t *testing.T, c *drive.Coach) {
	t.Helper()
	c.Page.MustEval(`() => { const e = document.createElement('p'); e.id = 'letter'; e.textContent = 'i'; e.style = 'position:fixed;left:300px;top:300px;padding:6px;font-weight:600;font-size:14px;background:#fff;color:#000;z-index:99'; document.body.append(e) }`)
	shot, err := c.Page.MustElement("#letter").Screenshot(proto.PageCaptureScreenshotFormatPng, 100)
	if err != nil {
		t.Fatal(err)
	}
	img, err := png.Decode(bytes.NewReader(shot))
	if err != nil {
		t.Fatal(err)
	}
	box := img.Bounds()
	var rows []string // of the darkest ink in each
	for y := box.Min.Y; y < box.Max.Y; y++ {
		dark := uint32(0)
		for x := box.Min.X; x < box.Max.X; x++ {
			r, _, _, _ := img.At(x, y).RGBA()
			dark = max(dark, 0xffff-r)
		}
		rows = append(rows, map[bool]string{true: "#", false: "."}[dark > 0x7fff])
	}
	if parts := strings.Fields(strings.ReplaceAll(strings.Join(rows, ""), ".", " ")); len(parts) != 2 {
		t.Errorf("a small bold i is drawn as %s", strings.Join(rows, ""))
	}
}
