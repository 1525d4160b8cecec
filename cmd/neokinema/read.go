package main

import (
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"neokinema/core/judge"
	"neokinema/core/segment"
	"neokinema/playbook"
	"neokinema/server/detect"
	"neokinema/server/filmread"
	"neokinema/server/store"
)

// filmRead is what is found on a film without the app: nobody has confirmed it.
type filmRead struct {
	Film      string             `json:"film"`
	Event     string             `json:"event"`
	Variant   string             `json:"variant,omitempty"`
	View      string             `json:"view"`
	Width     int                `json:"width"` // px of the pictures as shown
	Height    int                `json:"height"`
	Rate      float64            `json:"captureRate"` // pictures of a real second
	Landmarks []store.Path       `json:"landmarks"`   // px, ± u, by picture from first
	First     int                `json:"first"`
	Stamps    []segment.Proposal `json:"stamps"`
	Lacks     string             `json:"lacks,omitempty"` // why there are no stamps
	Values    []judge.Judged     `json:"values"`
	Findings  []judge.Finding    `json:"findings"`
	Roots     []judge.Root       `json:"roots"`
}

// read reads a film: landmarks, key positions, measures and verdicts as JSON, without
// a database or a browser.
func read(ctx context.Context, args []string) error {
	f := flag.NewFlagSet("read", flag.ContinueOnError)
	event := f.String("event", "", "what is done")
	variant := f.String("variant", "", "how it is done; the event's first when empty")
	height := f.Float64("height", 0, "of the athlete, m")
	hand := f.String("hand", "R", "throwing or top hand, take-off or front-block leg: R or L")
	sex := f.String("sex", "man", "man or woman")
	level := f.String("level", "trained", "developing, youth, trained or elite")
	view := f.String("view", "", "side-open, side-closed or back; the event's usual one when empty")
	rate := f.Float64("rate", 0, "pictures of a real second; as the file says when it does")
	athlete := f.String("athlete", "", "X,Y,SIZE: middle and side of a square round the athlete on the first picture, px; who moves when empty")
	out := f.String("o", "", "file for the reading; standard output when empty")
	var path string
	if len(args) > 0 && !strings.HasPrefix(args[0], "-") { // the film may come first
		path, args = args[0], args[1:]
	}
	if err := f.Parse(args); err != nil {
		return err
	}
	if path == "" {
		path = f.Arg(0)
	}
	if path == "" {
		return errors.New("say which film: read FILM -event EVENT -height METRES -hand R|L")
	}
	books, err := playbook.Load()
	if err != nil {
		return err
	}
	e, ok := books[*event]
	switch {
	case !ok:
		return fmt.Errorf("there is no event %q", *event)
	case *height < 1.2 || *height > 2.3:
		return errors.New("say how tall the athlete is: -height 1.82")
	case *hand != "R" && *hand != "L":
		return fmt.Errorf("%q is not a side: -hand R or -hand L", *hand)
	}
	if e, err = e.As(*variant); err != nil {
		return err
	}
	var asked *detect.Region
	if *athlete != "" {
		asked = &detect.Region{}
		if _, err := fmt.Sscanf(*athlete, "%f,%f,%f", &asked.X, &asked.Y, &asked.Size); err != nil || asked.Size < 20 {
			return fmt.Errorf("-athlete %s: say X,Y,SIZE in px, as 640,400,300", *athlete)
		}
	}
	got, err := filmread.Read(ctx, path, filmread.Wish{
		Event: e, Variant: *variant, View: *view, Rate: *rate, Square: asked,
		Athlete: store.Athlete{HeightM: *height, Sex: *sex, Level: *level, Hand: *hand, JumpLeg: *hand, FrontLeg: *hand},
	})
	switch {
	case errors.Is(err, detect.ErrSeveral), errors.Is(err, filmread.ErrNobody):
		return fmt.Errorf("%w: say who is meant with -athlete X,Y,SIZE, a square round them on the first picture, px", err)
	case errors.Is(err, filmread.ErrRate):
		return fmt.Errorf("%w: say it, as in -rate 240", err)
	case err != nil:
		return err
	}
	c := got.Bench.Clip
	result := filmRead{
		Film: filepath.Base(path), Event: *event, Variant: *variant, View: c.View, Width: c.Width, Height: c.Height, Rate: c.CaptureRate,
		Landmarks: got.Paths.Paths, First: got.Paths.First, Stamps: got.Proposals.Proposals, Lacks: got.Proposals.Lacks,
		Values: got.Values, Findings: got.Findings, Roots: got.Roots,
	}
	to := io.Writer(os.Stdout)
	if *out != "" {
		file, err := os.Create(*out)
		if err != nil {
			return err
		}
		defer file.Close()
		to = file
	}
	enc := json.NewEncoder(to)
	enc.SetIndent("", " ")
	return enc.Encode(result)
}
