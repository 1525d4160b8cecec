// Command follow measures how well points are followed on the demo's clips,
// whose every picture's truth is known, and how OpenCV does on the same points
// and machine:
//
//	go run ./test/follow docs/following.md
//
// It asks the python3 of the path for OpenCV, or the one that NEOKINEMA_PYTHON
// names.
package main

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"image"
	"iter"
	"log"
	"maps"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/body"
	"neokinema/core/measure"
	"neokinema/core/sim"
	"neokinema/core/track"
	"neokinema/demo"
)

// sum is what is found of one kind of point.
type sum struct {
	points, asked, inside int
	miss                  []float64
}

func (s *sum) add(o sum) {
	s.points, s.asked, s.inside, s.miss = s.points+o.points, s.asked+o.asked, s.inside+o.inside, append(s.miss, o.miss...)
}

func quantile(v []float64, q float64) float64 {
	if len(v) == 0 {
		return math.NaN()
	}
	v = slices.Sorted(slices.Values(v))
	return v[int(q*float64(len(v)-1))]
}

func (s sum) row(name string) string {
	n := float64(len(s.miss))
	return fmt.Sprintf("| %s | %d | %d | %.0f %% | %.2f | %.2f | %.1f %% |\n", name, s.points, s.asked, 100*n/float64(s.asked), quantile(s.miss, 0.5), quantile(s.miss, 0.95), 100*float64(s.inside)/n/2)
}

// scene is a demo clip with its truth, and what is put on it: everything that
// is in sight on the key positions.
type scene struct {
	name        string
	truth       sim.Truth
	raw         []byte
	n           int
	first, last int // key positions
	names       []body.Landmark
	placed      []map[int]track.Start
	film        []*track.Picture
}

func open(name string) (*scene, error) {
	truth, err := demo.Truth(name)
	if err != nil {
		return nil, err
	}
	file, err := demo.Clip(name)
	if err != nil {
		return nil, err
	}
	folder, err := os.MkdirTemp("", "follow-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(folder)
	path := filepath.Join(folder, "clip.mp4")
	if err := os.WriteFile(path, file, 0o600); err != nil {
		return nil, err
	}
	s := &scene{name: name, truth: truth}
	s.raw, err = exec.Command("ffmpeg", "-v", "error", "-i", path, "-fps_mode", "passthrough", "-f", "rawvideo", "-pix_fmt", "gray", "-").Output()
	if err != nil {
		return nil, err
	}
	s.n = min(len(s.raw)/(truth.Width*truth.Height), len(truth.Film))
	for i := range s.n {
		s.film = append(s.film, track.NewPicture(s.grey(i)))
	}
	s.put()
	return s, nil
}

func (s *scene) grey(i int) *image.Gray {
	w, h := s.truth.Width, s.truth.Height
	return &image.Gray{Pix: s.raw[i*w*h : (i+1)*w*h], Stride: w, Rect: image.Rect(0, 0, w, h)}
}

func (s *scene) put() {
	var frames []int
	for _, f := range s.truth.Frames {
		if f >= 0 && f < s.n {
			frames = append(frames, f)
		}
	}
	slices.Sort(frames)
	frames = slices.Compact(frames)
	s.first, s.last = frames[0], frames[len(frames)-1]
	for _, l := range slices.Sorted(maps.Keys(s.truth.Film[s.first].InView)) {
		at := map[int]track.Start{}
		for _, f := range frames {
			if p := s.truth.Film[f].InView[l]; l.Valid() && p[2] == 1 {
				at[f] = track.Start{Observation: track.Observation{At: s.truth.At(f, l), U: 0.5}, Kind: measure.FollowedAs(l), Half: s.half(f)}
			}
		}
		if len(at) > 0 {
			s.names, s.placed = append(s.names, l), append(s.placed, at)
		}
	}
}

func (s *scene) half(f int) int {
	return measure.Neighbourhood(r2.Norm(r2.Sub(s.truth.At(f, "hip.L"), s.truth.At(f, "neck"))))
}

// inSight are the cases to judge: points between the first and the last key
// position, where they are seen and were not put.
func (s *scene) inSight() iter.Seq2[int, int] {
	return func(yield func(k, i int) bool) {
		for k, l := range s.names {
			for i := s.first; i <= s.last; i++ {
				if _, put := s.placed[k][i]; !put && s.truth.Film[i].InView[l][2] == 1 && !yield(k, i) {
					return
				}
			}
		}
	}
}

// follow is all of it, there and back.
func (s *scene) follow(found map[string]*sum) (time.Duration, error) {
	began := time.Now()
	film := func(_ context.Context, i int) (*track.Picture, error) { return track.NewPicture(s.grey(i)), nil }
	paths, _, err := track.Follow(context.Background(), film, s.n, s.placed, func(int, int) error { return nil })
	took := time.Since(began)
	if err != nil {
		return 0, err
	}
	track.HoldSegmentLengths(paths, s.placed, measure.Links(s.names))
	for _, l := range s.names {
		group, _, _ := strings.Cut(string(l), ".")
		if found[group] == nil {
			found[group] = &sum{}
		}
		found[group].points++
	}
	for k, i := range s.inSight() {
		group, _, _ := strings.Cut(string(s.names[k]), ".")
		sum, step := found[group], paths[k][i]
		if sum.asked++; step.Lost != "" {
			continue
		}
		d := r2.Sub(step.At, s.truth.At(i, s.names[k]))
		sum.miss = append(sum.miss, r2.Norm(d))
		for _, v := range []float64{d.X, d.Y} {
			if math.Abs(v) <= 2*step.U {
				sum.inside++
			}
		}
	}
	return took, nil
}

// beside is one comparison on the same points, forward only and on one core.
type beside struct {
	ours, theirs              []float64 // px, where both found the point
	oursFound, theirsFound    int
	oursSeconds, theirSeconds float64
	cases, steps              int
	version                   string
}

func (b *beside) compare(s *scene) error {
	began := time.Now()
	f := track.New(track.NewPicture(s.grey(0)), nil, len(s.names))
	ours := make([][]track.Sample, s.n)
	for i := range s.n {
		ours[i] = make([]track.Sample, len(s.names))
		if i > 0 {
			ours[i] = f.Next(track.NewPicture(s.grey(i)))
		}
		for k, at := range s.placed {
			if start, ok := at[i]; ok {
				f.Seed(k, start)
			}
		}
	}
	b.oursSeconds += time.Since(began).Seconds()
	b.steps += s.n * len(s.names)

	put := map[int][][3]float64{}
	side := 0
	for k, at := range s.placed {
		for i, start := range at {
			put[i] = append(put[i], [3]float64{float64(k), start.At.X, start.At.Y})
			side = max(side, 2*start.Half+1)
		}
	}
	ask, err := json.Marshal(map[string]any{"W": s.truth.Width, "H": s.truth.Height, "Pictures": s.n, "Points": len(s.names), "Put": put, "Side": side})
	if err != nil {
		return err
	}
	cmd := exec.Command(cmp.Or(os.Getenv("NEOKINEMA_PYTHON"), "python3"), "test/follow/opencv.py")
	cmd.Stdin = bytes.NewReader(append(append(ask, '\n'), s.raw...))
	cmd.Stderr = os.Stderr
	out, err := cmd.Output()
	if err != nil {
		return fmt.Errorf("OpenCV (apt-get install python3-opencv): %w", err)
	}
	var said struct {
		At      [][]*[2]float64
		Seconds float64
		Version string
	}
	if err := json.Unmarshal(out, &said); err != nil {
		return err
	}
	b.theirSeconds += said.Seconds
	b.version = said.Version
	for k, i := range s.inSight() {
		b.cases++
		truth, step, theirs := s.truth.At(i, s.names[k]), ours[i][k], said.At[i][k]
		if step.Lost == "" {
			b.oursFound++
		}
		if theirs != nil {
			b.theirsFound++
		}
		if step.Lost == "" && theirs != nil {
			b.ours = append(b.ours, r2.Norm(r2.Sub(step.At, truth)))
			b.theirs = append(b.theirs, r2.Norm(r2.Sub(r2.Vec{X: theirs[0], Y: theirs[1]}, truth)))
		}
	}
	return nil
}

func (b beside) table() string {
	row := func(name string, found int, miss []float64, seconds float64) string {
		return fmt.Sprintf("| %s | %.0f %% | %.2f | %.2f | %.3f |\n", name, 100*float64(found)/float64(b.cases), quantile(miss, 0.5), quantile(miss, 0.95), 1000*seconds/float64(b.steps))
	}
	return "| | found | middle miss, px | 95 % within, px | ms a point and picture |\n|---|---|---|---|---|\n" +
		row("core/track", b.oursFound, b.ours, b.oursSeconds) + row("OpenCV "+b.version+", calcOpticalFlowPyrLK", b.theirsFound, b.theirs, b.theirSeconds)
}

func main() {
	if len(os.Args) < 2 {
		log.Fatal("say the file to write: follow docs/following.md")
	}
	found, beside := map[string]*sum{}, beside{}
	var pictures, steps int
	var took time.Duration
	for _, d := range demo.Scenarios() {
		if len(os.Args) > 2 && !strings.Contains(d.Name, os.Args[2]) {
			continue
		}
		s, err := open(d.Name)
		if err != nil {
			log.Fatalf("%s: %v", d.Name, err)
		}
		t, err := s.follow(found)
		if err == nil {
			err = beside.compare(s)
		}
		if err != nil {
			log.Fatalf("%s: %v", d.Name, err)
		}
		took, pictures, steps = took+t, pictures+s.n, steps+s.n*len(s.names)
		fmt.Printf("%s: %d points, %d pictures, %v\n", d.Name, len(s.names), s.n, t.Round(time.Millisecond))
	}
	var out bytes.Buffer
	fmt.Fprintf(&out, `# How well points are followed

Made by `+"`make proof`"+` on %s. On every clip of the demo each landmark that is in sight is put where it truly is (u 0.5 px) on each key position, and followed to all the pictures between, there and back. A point that passes behind the body may be lost, and says so; where it is found, the truth should lie inside ±2u on 95 %% of the pictures, in each direction.

| | points | pictures | found | middle miss, px | 95 %% within, px | inside ±2u |
|---|---|---|---|---|---|---|
`, time.Now().Format("2 January 2006"))
	var all sum
	for _, g := range slices.Sorted(maps.Keys(found)) {
		out.WriteString(found[g].row(g))
		all.add(*found[g])
	}
	out.WriteString(all.row("all"))
	fmt.Fprintf(&out, "\n%d pictures of 1024 × 576 and more, %d points and pictures, both directions: %.1f s on two cores.\n", pictures, steps, took.Seconds())
	fmt.Fprintf(&out, "\n## Beside OpenCV\n\nThe same points on the same pictures, forward only, on one core, both with halved pictures, a check backward and a neighbourhood of the same size; misses where both found the point.\n\n%s", beside.table())
	fmt.Print(out.String())
	if err := os.WriteFile(os.Args[1], out.Bytes(), 0o644); err != nil {
		log.Fatal(err)
	}
}
