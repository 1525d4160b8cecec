package main

import (
	"context"
	"encoding/csv"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/body"
	"neokinema/core/breakdown"
	"neokinema/core/pose"
	"neokinema/server/assemble"
	"neokinema/server/filmread"
)

// compare holds the points that are found on films against those that people placed
// there: what the points are good for on a club's own films.
func compare(ctx context.Context, args []string) error {
	f := flag.NewFlagSet("compare", flag.ContinueOnError)
	near := f.String("near", "", "the athlete's side toward the camera, L or R; empty: filmed from behind or before")
	rate := f.Float64("rate", 0, "pictures of a real second; as the files say when they do")
	out := f.String("o", "", "file for the table; standard output when empty")
	var folder string
	if len(args) > 0 && !strings.HasPrefix(args[0], "-") {
		folder, args = args[0], args[1:]
	}
	if err := f.Parse(args); err != nil {
		return err
	}
	if folder == "" {
		folder = f.Arg(0)
	}
	if folder == "" {
		return errors.New("say which folder: films, and beside each FILM.csv (picture,landmark,x,y) or FILM.json (an attempt, as /api/attempts/ID gives it)")
	}
	joints, angles := map[string]*pose.Comparison{}, map[string][]float64{}
	films, err := placedFilms(folder)
	if err != nil {
		return err
	}
	for _, film := range films {
		if err := film.compare(ctx, body.Side(*near), *rate, joints, angles); err != nil {
			return fmt.Errorf("%s: %w", filepath.Base(film.path), err)
		}
	}
	var table strings.Builder
	fmt.Fprintf(&table, "# Points found on %d films, beside points placed by hand\n\nOff by %% of standing height; the hand's own error is in it. ±2u with the caution (× %.1f) that holds until the club's coaches have confirmed points.\n", len(films), pose.Caution)
	table.WriteString(pose.Table("landmark", joints))
	if len(angles) > 0 {
		table.WriteString("\n| angle on the picture | pictures | median, ° | 90th percentile, ° |\n|---|---|---|---|\n")
		for _, name := range []string{"knee", "hip", "elbow"} {
			if v := angles[name]; len(v) > 0 {
				fmt.Fprintf(&table, "| %s | %d | %.1f | %.1f |\n", name, len(v), pose.Quantile(v, 0.5), pose.Quantile(v, 0.9))
			}
		}
	}
	if *out != "" {
		return os.WriteFile(*out, []byte(table.String()), 0o644)
	}
	_, err = fmt.Print(table.String())
	return err
}

// placedFilm is a film with points that somebody placed on it, px by picture.
type placedFilm struct {
	path   string
	points map[int]map[body.Landmark]r2.Vec
}

// placedFilms are the films of a folder beside which there is a file of points.
func placedFilms(folder string) ([]placedFilm, error) {
	files, err := os.ReadDir(folder)
	if err != nil {
		return nil, err
	}
	var out []placedFilm
	for _, file := range files {
		ext := strings.ToLower(filepath.Ext(file.Name()))
		if file.IsDir() || slices.Contains([]string{".csv", ".json", ".md"}, ext) {
			continue
		}
		path := filepath.Join(folder, file.Name())
		stem := strings.TrimSuffix(path, filepath.Ext(path))
		for ext, read := range map[string]func(io.Reader) (map[int]map[body.Landmark]r2.Vec, error){".csv": pointsOfCSV, ".json": pointsOfAttempt} {
			f, err := os.Open(stem + ext)
			if errors.Is(err, os.ErrNotExist) {
				continue
			}
			if err != nil {
				return nil, err
			}
			points, err := read(f)
			f.Close()
			if err != nil {
				return nil, fmt.Errorf("%s: %w", filepath.Base(stem)+ext, err)
			}
			out = append(out, placedFilm{path, points})
			break
		}
	}
	if len(out) == 0 {
		return nil, fmt.Errorf("%s has no film with a FILM.csv or FILM.json of placed points beside it", folder)
	}
	return out, nil
}

// pointsOfCSV reads lines of picture, landmark, x and y; the first may name them.
func pointsOfCSV(r io.Reader) (map[int]map[body.Landmark]r2.Vec, error) {
	rows := csv.NewReader(r)
	rows.FieldsPerRecord = 4
	all, err := rows.ReadAll()
	if err != nil {
		return nil, err
	}
	out := map[int]map[body.Landmark]r2.Vec{}
	for i, row := range all {
		frame, errF := strconv.Atoi(row[0])
		x, errX := strconv.ParseFloat(row[2], 64)
		y, errY := strconv.ParseFloat(row[3], 64)
		if err := errors.Join(errF, errX, errY); err != nil {
			if i == 0 {
				continue
			}
			return nil, fmt.Errorf("line %d: %w", i+1, err)
		}
		if err := put(out, frame, row[1], x, y); err != nil {
			return nil, fmt.Errorf("line %d: %w", i+1, err)
		}
	}
	return out, nil
}

// pointsOfAttempt reads what a coach placed on an attempt.
func pointsOfAttempt(r io.Reader) (map[int]map[body.Landmark]r2.Vec, error) {
	var attempt struct{ Landmarks []breakdown.Landmark }
	if err := json.NewDecoder(r).Decode(&attempt); err != nil {
		return nil, err
	}
	out := map[int]map[body.Landmark]r2.Vec{}
	for _, l := range attempt.Landmarks {
		if l.Source != breakdown.Placed || !body.Landmark(l.Name).OfBody() {
			continue
		}
		if err := put(out, l.Frame, l.Name, l.X, l.Y); err != nil {
			return nil, err
		}
	}
	return out, nil
}

func put(to map[int]map[body.Landmark]r2.Vec, frame int, name string, x, y float64) error {
	l := body.Landmark(name)
	if !l.OfBody() {
		return fmt.Errorf("%q is no landmark of the body, as knee.L or vertex", name)
	}
	if to[frame] == nil {
		to[frame] = map[body.Landmark]r2.Vec{}
	}
	to[frame][l] = r2.Vec{X: x, Y: y}
	return nil
}

// jointsOf are the angles that are compared: at the middle landmark of three.
var jointsOf = map[string][3]string{"knee": {"hip", "knee", "ankle"}, "hip": {"shoulder", "hip", "knee"}, "elbow": {"shoulder", "elbow", "wrist"}}

// compare looks for the body on a film, and holds it against what was placed.
func (p placedFilm) compare(ctx context.Context, near body.Side, rate float64, joints map[string]*pose.Comparison, angles map[string][]float64) error {
	b, pts, err := filmread.Bench(ctx, p.path, rate)
	if err != nil {
		return err
	}
	looks, err := filmread.Looks(ctx, p.path, b.Clip, nil, io.Discard)
	if err != nil {
		return err
	}
	film, err := assemble.Film(b, pts)
	if err != nil {
		return err
	}
	found := assemble.FindBody(looks, near, pose.Caution, film.At)
	at := func(frame int, l body.Landmark) (pose.Mark, bool) {
		path, k := found.Paths[l], frame-found.Frames[0]
		if k < 0 || k >= len(path) {
			return pose.Mark{}, false
		}
		return path[k], true
	}
	for frame, points := range p.points {
		for l, placed := range points {
			m, ok := at(frame, l)
			if !ok {
				continue
			}
			name, side, paired := strings.Cut(string(l), ".")
			if paired && near != "" {
				name += map[bool]string{true: ", near", false: ", far"}[body.Side(side) == near]
			}
			if joints[name] == nil {
				joints[name] = &pose.Comparison{}
			}
			joints[name].Add(r2.Sub(m.At, placed), m.U, found.Height)
		}
		for name, three := range jointsOf {
			for _, side := range []string{".L", ".R"} {
				var hand, model [3]r2.Vec
				all := true
				for i, part := range three {
					l := body.Landmark(part + side)
					placed, ok := points[l]
					m, seen := at(frame, l)
					all = all && ok && seen
					hand[i], model[i] = placed, m.At
				}
				if all {
					angles[name] = append(angles[name], math.Abs(float64(body.Included(hand[0], hand[1], hand[2])-body.Included(model[0], model[1], model[2]))))
				}
			}
		}
	}
	return nil
}
