package main

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"
	"time"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/body"
	"neokinema/core/pose"
)

// judge holds the joined paths against the truth, each clip with rules that were
// learnt on the other half of the clips.
func judge(clips []clip) string {
	joints, events := map[string]*pose.Comparison{}, map[string]*pose.Comparison{}
	at := func(m map[string]*pose.Comparison, key string) *pose.Comparison {
		if m[key] == nil {
			m[key] = &pose.Comparison{}
		}
		return m[key]
	}
	swapped, legs := 0, 0
	looked, pictures := 0, 0
	var took time.Duration
	angles := map[string][]float64{}
	for half := range 2 {
		rules := learn(clips, func(i int) bool { return i%2 != half })
		for i, c := range clips {
			if i%2 != half || len(c.looks) == 0 {
				continue
			}
			looked, pictures, took = looked+len(c.looks), pictures+len(c.truth.Film), took+c.took
			for l, path := range c.paths(rules) {
				name, side, _ := strings.Cut(string(l), ".")
				for k, m := range path {
					frame := c.looks[0].Frame + k
					t := c.truth.Film[frame].InView[l]
					off := r2.Sub(m.At, r2.Vec{X: t[0], Y: t[1]})
					where := name + ", near"
					if c.near != "" && side != "" && body.Side(side) != c.near {
						where = name + ", far"
					}
					at(joints, where).Add(off, m.U, c.height[frame])
					at(events, c.truth.Event).Add(off, m.U, c.height[frame])
				}
			}
			s, n := c.swaps(rules)
			swapped, legs = swapped+s, legs+n
			c.angles(rules, angles)
		}
	}
	var out strings.Builder
	fmt.Fprintf(&out, "# Landmarks found by the server, beside the truth\n\nMade by `go run ./test/landmarks docs/landmarks.md`. The demo's %d clips, rendered people only: %d pictures, %d looked at, the others joined. Each clip is judged by rules and uncertainties learnt on the other half of the clips, without the caution (× %.1f) that the product adds until a club's own film has calibrated it. Off by %% of standing height.\n", len(clips), pictures, looked, pose.Caution)
	out.WriteString(pose.Table("landmark", joints) + pose.Table("event", events))
	fmt.Fprintf(&out, "\n| angle on the picture, near side | median, ° | 90th percentile, ° |\n|---|---|---|\n")
	for _, key := range slices.Sorted(maps.Keys(angles)) {
		fmt.Fprintf(&out, "| %s | %.1f | %.1f |\n", key, pose.Quantile(angles[key], 0.5), pose.Quantile(angles[key], 0.9))
	}
	fmt.Fprintf(&out, "\nLegs with left and right exchanged: %d of %d looks on which they are apart.\n", swapped, legs)
	if took > 0 {
		fmt.Fprintf(&out, "\n%.1f s of one core for %d pictures: from the first look to the last.\n", took.Seconds(), pictures)
	}
	return out.String()
}

// marks are a clip's landmarks on its looks, with sides put right.
func (c clip) marks(rules pose.Rules) []map[body.Landmark]pose.Mark {
	height := pose.HeightPx(c.looks)
	var marks []map[body.Landmark]pose.Mark
	var times []float64
	for _, l := range c.looks {
		marks = append(marks, rules.Marks(l, c.near, height, 1))
		times = append(times, float64(l.Frame)/c.rate)
	}
	pose.UndoSwaps(marks, times, height)
	return marks
}

// paths are a clip's landmarks on all pictures.
func (c clip) paths(rules pose.Rules) map[body.Landmark][]pose.Mark {
	var frames []int
	for _, l := range c.looks {
		frames = append(frames, l.Frame)
	}
	return pose.Paths(c.marks(rules), frames, func(f int) float64 { return float64(f) / c.rate })
}

// swaps counts the looks on which the legs are taken for one another.
func (c clip) swaps(rules pose.Rules) (swapped, apart int) {
	for i, m := range c.marks(rules) {
		frame := c.looks[i].Frame
		truth := c.truth.Film[frame].InView
		spot := func(l body.Landmark) r2.Vec { return r2.Vec{X: truth[l][0], Y: truth[l][1]} }
		same, crossed, far := 0.0, 0.0, 0.0
		for _, part := range []string{"knee", "ankle"} {
			l, r := body.Landmark(part+".L"), body.Landmark(part+".R")
			same += r2.Norm(r2.Sub(m[l].At, spot(l))) + r2.Norm(r2.Sub(m[r].At, spot(r)))
			crossed += r2.Norm(r2.Sub(m[l].At, spot(r))) + r2.Norm(r2.Sub(m[r].At, spot(l)))
			far = math.Max(far, r2.Norm(r2.Sub(spot(l), spot(r))))
		}
		if far < 0.08*c.height[frame] {
			continue
		}
		apart++
		if crossed < 0.6*same {
			swapped++
		}
	}
	return swapped, apart
}

// angles gathers how far included angles of the near side are off, degrees.
func (c clip) angles(rules pose.Rules, to map[string][]float64) {
	paths := c.paths(rules)
	for _, side := range sidesOf("knee") {
		if c.near != "" && side != c.near {
			continue
		}
		for name, of := range map[string][3]string{"knee": {"hip", "knee", "ankle"}, "elbow": {"shoulder", "elbow", "wrist"}, "hip": {"shoulder", "hip", "knee"}} {
			a, b, d := paths[landmark(of[0], side)], paths[landmark(of[1], side)], paths[landmark(of[2], side)]
			for k := range b {
				truth := c.truth.Film[c.looks[0].Frame+k].InView
				spot := func(part string) r2.Vec { p := truth[landmark(part, side)]; return r2.Vec{X: p[0], Y: p[1]} }
				want := body.Included(spot(of[0]), spot(of[1]), spot(of[2]))
				got := body.Included(a[k].At, b[k].At, d[k].At)
				to[name] = append(to[name], math.Abs(float64(got-want)))
			}
		}
	}
}
