// Command shots takes the pictures of docs/screenshots from a running demo:
//
//	go run ./test/shots -addr http://127.0.0.1:8080 docs/screenshots [name ...]
package main

import (
	"flag"
	"fmt"
	"log"
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
		c.Press("Ilse Marrowby")
		c.Press(name)
		c.Find("aside", name)
		c.Key(keys...)
	}
}

var views = []view{
	{"today", func(c *drive.Coach) { c.Go("/"); c.See("Film again") }},
	{"new-attempt", func(c *drive.Coach) { c.Go("/"); c.Press("New attempt") }},
	{"watch", stage("Watch", 'd', 'd')},
	{"split", stage("Split", 'e', 'e', 'e', 'e', 'e')},
	{"measure", stage("Measure", 'w', 'w', 'w', 'w')},
	{"judge", stage("Judge")},
	{"assign", stage("Assign")},
	{"keys", stage("Measure", '?')},
	{"untouched", func(c *drive.Coach) { c.Go("/"); c.Press("Anselm Tarrant-Vey"); c.Press("Split") }},
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
		c.Find("button", "Come in")
		if err := c.Shot(filepath.Join(flag.Arg(0), "sign-in.png")); err != nil {
			panic(err)
		}
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
}
