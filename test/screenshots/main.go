// The program screenshots takes the pictures of docs/screenshots from a running demo:
//
//	go run ./test/screenshots -addr http://127.0.0.1:8080 docs/screenshots [name ...]
package main

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"flag"
	"fmt"
	"image"
	"image/draw"
	"image/png"
	"log"
	"os"
	"path/filepath"
	"slices"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"

	"neokinema/test/drive"
)

type view struct {
	name string
	open func(c *drive.Coach)
}

func stage(name string, keys ...input.Key) func(c *drive.Coach) {
	return func(c *drive.Coach) {
		c.Go("/")
		c.OpenAttempt("Ilse Marrowby", name)
		c.Key(keys...)
	}
}

// attempt is the id of the latest attempt of an event that is placed, stamped or
// not.
func attempt(c *drive.Coach, event string, stamped bool) string {
	data, err := c.Fetch("/api/attempts.csv")
	if err != nil {
		panic(err)
	}
	rows, err := csv.NewReader(bytes.NewReader(data)).ReadAll()
	if err != nil {
		panic(err)
	}
	column := func(name string) int { return slices.Index(rows[0], name) }
	for _, r := range rows[1:] {
		if r[column("event")] == event && r[column("landmarks")] != "0" && (r[column("stamps")] != "0") == stamped && filmed(c, r[column("attempt")]) {
			return r[column("attempt")]
		}
	}
	panic("the demo's " + event + " is not placed yet")
}

// filmed reports whether an attempt has pictures.
func filmed(c *drive.Coach, attempt string) bool {
	data, err := c.Fetch("/api/attempts/" + attempt)
	if err != nil {
		panic(err)
	}
	var bench struct{ Clip struct{ Filmless bool } }
	if err := json.Unmarshal(data, &bench); err != nil {
		panic(err)
	}
	return !bench.Clip.Filmless
}

// thrower is who threw the hammer that is placed and followed.
func thrower(c *drive.Coach) string {
	data, err := c.Fetch("/api/attempts/" + attempt(c, "hammer", true))
	if err != nil {
		panic(err)
	}
	var bench struct{ Athlete struct{ Name string } }
	if err := json.Unmarshal(data, &bench); err != nil {
		panic(err)
	}
	return bench.Athlete.Name
}

var views = []view{
	{"today", func(c *drive.Coach) { c.Go("/"); c.See("Film again") }},
	{"athlete", func(c *drive.Coach) {
		who := thrower(c)
		c.Go("/athletes")
		c.Press(who)
		c.See("Worked on")
	}},
	{"log", func(c *drive.Coach) {
		c.Go("/log")
		c.Press("21 November 2026")
		c.See("Last session")
	}},
	{"calendar", func(c *drive.Coach) { c.Go("/calendar?day=2026-11-23"); c.See("Film it again") }},
	{"report", func(c *drive.Coach) {
		c.Go("/report/attempt/" + attempt(c, "sprint-start", true))
		c.See("Take care")
		time.Sleep(3 * time.Second)
	}},
	{"playbook", func(c *drive.Coach) {
		c.Go("/playbook/discus")
		c.See("Clean beside faulty")
		c.Find("canvas", "")
		c.Page.MustEval(`() => document.querySelector('[aria-label="Clean beside faulty"]').scrollIntoView()`)
		time.Sleep(4 * time.Second)
	}},
	{"watch", stage("Watch", 'd', 'd')},
	{"split", stage("Split", 'e', 'e', 'e', 'e', 'e')},
	{"measure", stage("Measure", 'w', 'w', 'w', 'w')},
	{"follow", func(c *drive.Coach) {
		c.Go("/attempts/" + attempt(c, "hammer", true) + "/measure")
		c.Press("catch 2")
		c.Key('d', 'd', 'd', 'd')
		c.Press("all paths")
	}},
	{"pencilled", func(c *drive.Coach) {
		c.Go("/attempts/" + attempt(c, "hammer", false) + "/split")
		c.See("pencilled in")
		c.StepTo(60)
	}},
	{"wheel", func(c *drive.Coach) {
		c.Go("/attempts/" + attempt(c, "hammer", true) + "/split")
		c.Press("wheel")
		c.Press("catch 3")
	}},
	{"film", func(c *drive.Coach) {
		stage("Watch", 'd', 'd')(c)
		c.Press("change or measure")
		c.Page.MustEval(`() => { document.querySelector('aside').scrollTop = 340 }`)
	}},
	{"space", func(c *drive.Coach) {
		c.Go("/attempts/" + attempt(c, "discus", true) + "/measure")
		c.Press("power position")
		c.See("two films joined")
		c.Page.MustEval(`() => [...document.querySelectorAll('summary')].find((e) => /In space/.test(e.textContent)).scrollIntoView()`)
	}},
	{"sim", func(c *drive.Coach) { c.Go("/sim"); c.See("Film it"); time.Sleep(4 * time.Second) }},
	{"eye", func(c *drive.Coach) {
		c.Go("/eye")
		c.Press("Show me one")
		c.See("What did you see?")
		time.Sleep(4 * time.Second)
	}},
}

func main() {
	addr := flag.String("addr", "http://127.0.0.1:8080", "address of the demo")
	flag.Parse()
	if flag.NArg() == 0 {
		log.Fatal("say the folder for the pictures")
	}
	c, err := drive.Sit(*addr, 1280, 800)
	if err != nil {
		log.Fatal(err)
	}
	defer c.Leave()
	take := func(v view) error {
		return rod.Try(func() {
			v.open(c)
			time.Sleep(1500 * time.Millisecond) // pictures arrive
			if err := c.Shot(filepath.Join(flag.Arg(0), v.name+".png")); err != nil {
				panic(err)
			}
		})
	}
	if err := rod.Try(func() {
		c.Press("Come in")
		c.See("Today")
	}); err != nil {
		log.Fatal(err)
	}
	for _, v := range views {
		if want := flag.Args()[1:]; len(want) > 0 && !slices.Contains(want, v.name) {
			continue
		}
		if err := take(v); err != nil {
			log.Fatalf("%s: %v", v.name, err)
		}
		fmt.Println(v.name)
	}
	if err := strip(c, filepath.Join(flag.Arg(0), "strip.png")); err != nil {
		log.Fatalf("strip: %v", err)
	}
}

// strip keeps the first key positions of the key strip.
func strip(c *drive.Coach, path string) error {
	var data []byte
	err := rod.Try(func() {
		stage("Assign")(c)
		var err error
		if data, err = c.Fetch(*c.Find("a", "Key strip").MustAttribute("href")); err != nil {
			panic(err)
		}
	})
	if err != nil {
		return err
	}
	whole, err := png.Decode(bytes.NewReader(data))
	if err != nil {
		return err
	}
	part := image.NewRGBA(image.Rect(0, 0, min(1740, whole.Bounds().Dx()), whole.Bounds().Dy()))
	draw.Draw(part, part.Bounds(), whole, image.Point{}, draw.Src)
	var out bytes.Buffer
	if err := png.Encode(&out, part); err != nil {
		return err
	}
	return os.WriteFile(path, out.Bytes(), 0o644)
}
