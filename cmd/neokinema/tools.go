package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"

	"golang.org/x/sync/errgroup"

	"neokinema/core/body"
	"neokinema/core/sim"
	"neokinema/demo"
	"neokinema/playbook"
	"neokinema/server/render"
)

// pairs reads repeated flags of the form name=number.
type pairs map[string]float64

func (p pairs) String() string { return "" }

func (p pairs) Set(s string) error {
	name, number, ok := strings.Cut(s, "=")
	v, err := strconv.ParseFloat(number, 64)
	if !ok || err != nil {
		return fmt.Errorf("%q is not of the form name=number", s)
	}
	p[name] = v
	return nil
}

// wished are the flags that say what to simulate and how to film it.
func wished(f *flag.FlagSet) func() (render.Scene, error) {
	event := f.String("event", "", "what is done: one of "+strings.Join(sim.Events(), ", "))
	variant := f.String("variant", "", "how it is done; the event's first when empty")
	level := f.String("level", "trained", "one of "+strings.Join(sim.Levels, ", "))
	hand := f.String("hand", "right", "throwing or top hand, take-off or front-block leg: right or left")
	sex := f.String("sex", "man", "man or woman")
	height := f.Float64("height", 1.80, "of the athlete, m")
	youth := f.Bool("youth", false, "a child's proportions")
	seed := f.Uint64("seed", 0, "natural variation; 0 is as planned")
	faults, set := pairs{}, pairs{}
	f.Var(faults, "fault", "a fault and its strength, as in late-catch=0.8; repeatable")
	f.Var(set, "set", "a steering number, as in front-knee@set=116; repeatable")
	view := f.String("view", "side-open", "side-open, side-closed, back, front, overhead, oblique or bar-line")
	rate := f.Float64("rate", 240, "pictures per second")
	playback := f.Float64("playback", 30, "pictures per second that the file claims; as -rate: its stamps are real")
	distance := f.Float64("distance", 0, "of the camera, m; 0 as usual")
	camera := f.Float64("camera-height", 0, "of the camera, m; 0 as usual")
	off := f.Float64("off-square", 0, "degrees off the view")
	tilt := f.Float64("tilt", 0, "degrees that the horizon leans")
	shake := f.Float64("shake", 0, "of the hand, degrees")
	pan := f.Bool("pan", false, "the camera follows the athlete")
	k1 := f.Float64("k1", 0, "radial distortion of the lens, barrel negative")
	portrait := f.Bool("portrait", false, "a picture higher than wide")
	variable := f.Bool("variable", false, "pictures that come unevenly, with real stamps")
	from, to := f.Float64("from", 0, "first instant, s from the zero"), f.Float64("to", 0, "last instant; both 0: all")
	grain := f.Int("noise", 0, "of the picture, 0 to 20")
	shutter := f.Float64("shutter", 0, "s that the shutter is open, as 0.002 for 1/500; 0: every picture is sharp")
	readout := f.Float64("readout", 0, "s from a picture's first row to its last (rolling shutter)")
	light := f.String("light", "", "one of "+strings.Join(render.Lights, ", "))
	crowd := f.Bool("crowd", false, "people and hurdles stand behind")
	clothes := f.String("clothes", "", "one of "+strings.Join(render.Clothes, ", "))
	forwarded := f.Bool("forwarded", false, "a messenger made the film 848 wide, and took the tag of its rate")
	quality := f.Int("quality", 26, "of the encoder, lower is better")
	return func() (render.Scene, error) {
		side, ok := map[string]body.Side{"right": body.Right, "left": body.Left}[*hand]
		if !ok {
			return render.Scene{}, fmt.Errorf("-hand %s: use right or left", *hand)
		}
		who := sim.Athlete{HeightM: *height, Sex: body.Sex(*sex), Side: side, Youth: *youth}
		if who.Sex != body.Man && who.Sex != body.Woman {
			return render.Scene{}, fmt.Errorf("-sex %s: use man or woman", *sex)
		}
		c := sim.Usual(*event, *view)
		if *distance > 0 {
			c.Distance = *distance
		}
		if *camera > 0 {
			c.Height = *camera
		}
		c.OffSquare, c.Tilt, c.Shake, c.Pan, c.K1, c.Portrait, c.Variable, c.From, c.To, c.Seed = *off, *tilt, *shake, *pan, *k1, *portrait, *variable, *from, *to, *seed
		c.Capture, c.Playback = *rate, *playback
		if *variable {
			c.Playback = *rate
		}
		if *forwarded {
			c.Width, c.Tall = 848, 478
		}
		outfit := render.OutfitFor(int(*seed), *event, who.Sex)
		outfit.Clothes = *clothes
		return render.Scene{
			Movement: sim.Request{Event: *event, Variant: *variant, Level: *level, Athlete: who, Seed: *seed, Faults: faults, Set: set},
			Camera:   c, Outfit: outfit, Grain: *grain, Quality: *quality,
			Setting: render.Setting{Light: *light, Crowd: *crowd, Shutter: *shutter, Readout: *readout}, Forwarded: *forwarded,
		}, nil
	}
}

// truth writes what is known of a simulated attempt, without pictures; with
// -n it writes many, each with the next seed, as OUT-SEED.json.
func truth(ctx context.Context, args []string) error {
	f := flag.NewFlagSet("truth", flag.ContinueOnError)
	wish := wished(f)
	out := f.String("o", "truth.json", "file to write")
	n := f.Int("n", 1, "how many, each with the next seed")
	brief := f.Bool("brief", false, "stamps, measures and faults only, no landmarks")
	if err := f.Parse(args); err != nil {
		return err
	}
	sc, err := wish()
	if err != nil {
		return err
	}
	group, ctx := errgroup.WithContext(ctx)
	group.SetLimit(runtime.GOMAXPROCS(0))
	for i := range *n {
		group.Go(func() error {
			if err := ctx.Err(); err != nil {
				return err
			}
			one, name := sc, *out
			if *n > 1 {
				one.Movement.Seed += uint64(i)
				name = strings.TrimSuffix(*out, ".json") + fmt.Sprintf("-%d.json", one.Movement.Seed)
			}
			if *brief {
				one.Camera.Capture = 30
			}
			t, err := one.Simulate()
			if err != nil {
				return fmt.Errorf("seed %d: %w", one.Movement.Seed, err)
			}
			if *brief {
				t.Film = nil
			}
			return render.WriteTruth(t, name)
		})
	}
	return group.Wait()
}

// render films the shipped scenarios into a folder, those named or all; or,
// with -event, one attempt as it is asked for.
func renderClip(ctx context.Context, args []string) error {
	f := flag.NewFlagSet("render", flag.ContinueOnError)
	wish := wished(f)
	folder := f.String("folder", "demo/clips", "folder for the shipped clips")
	out := f.String("o", "clip.mp4", "with -event: the clip's file; its truth stands beside it")
	if err := f.Parse(args); err != nil {
		return err
	}
	one, err := wish()
	if err != nil {
		return err
	}
	list := demo.Scenarios()
	single := one.Movement.Event != ""
	if single {
		list = []demo.Scenario{{Name: one.Movement.Event, Scene: one}}
	}
	s, err := render.Open()
	if err != nil {
		return err
	}
	defer s.Close()
	for _, sc := range list {
		if !single && f.NArg() > 0 && !slices.Contains(f.Args(), sc.Name) {
			continue
		}
		t, err := sc.Simulate()
		if err != nil {
			return err
		}
		file := filepath.Join(*folder, sc.Name+".mp4")
		if single {
			file = *out
		}
		err = s.RenderFilm(ctx, sc.Scene, t, file, func(done, of int) {
			if done%40 == 0 || done == of {
				fmt.Printf("%s: picture %d of %d\n", sc.Name, done, of)
			}
		})
		if err != nil {
			return fmt.Errorf("%s: %w", sc.Name, err)
		}
		if single {
			err = render.WriteTruth(t, strings.TrimSuffix(file, filepath.Ext(file))+".truth.json")
		} else {
			err = os.WriteFile(strings.TrimSuffix(file, ".mp4")+".mark", []byte(demo.Mark(t)+"\n"), 0o644)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

func checkPlaybook(_ context.Context, args []string) error {
	if len(args) < 2 || args[0] != "check" {
		return errors.New("say which files, as in neokinema playbook check FILE")
	}
	bad := 0
	for _, name := range args[1:] {
		data, err := os.ReadFile(name)
		if err == nil {
			_, err = playbook.Decode(name, data)
		}
		if err != nil {
			bad++
			fmt.Fprintln(os.Stderr, err)
		}
	}
	if bad > 0 {
		return fmt.Errorf("%d of %d files need mending", bad, len(args)-1)
	}
	fmt.Println("All is well.")
	return nil
}
