package measure

import (
	"fmt"
	"maps"
	"math"
	"slices"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/body"
	"neokinema/core/optics"
)

// Scatter is by how much the points of a film miss, seen from the points
// themselves, against the uncertainty that they were told to have.
type Scatter struct {
	Factor float64 // 1 and more: every point's uncertainty is multiplied by it
	Seen   float64 // px, what the points show
	Told   float64 // px, the middle of what they were told to have
	From   string  // what shows it, in words; empty when nothing does
}

const (
	// leastScatter is how many differences are enough to tell.
	leastScatter = 8
	// worthTelling is by how much more the points must miss than told.
	worthTelling = 1.3
	// worthTellingLimbs is the same of limbs' lengths, which change a little on the
	// picture as they turn; few of them must tell more.
	worthTellingLimbs = 1.5
	// median is that of the absolute value of a standard normal variable.
	median = 0.6745
)

// Scatter looks at the residuals of a film: how much followed points jump from
// picture to picture, and how much stiff parts of the body change their length
// there. What moves smoothly has small fourth differences; those of independent
// errors are √70 times as large as the errors.
func (s *Recording) Scatter() Scatter {
	if s.scatter == nil {
		found := s.findScatter()
		s.scatter = &found
	}
	return *s.scatter
}

func (s *Recording) findScatter() Scatter {
	frames := slices.Sorted(maps.Keys(s.Observations))
	told, jumps := s.jumps(frames)
	lengths := s.lengths(frames)
	out := Scatter{Factor: 1, Told: told}
	if r := ratio(jumps); r > out.Factor {
		out.Factor, out.From = r, "points jump from picture to picture"
	}
	if r := ratio(lengths); r > out.Factor {
		out.Factor, out.From = r, "limbs change their length from picture to picture"
	}
	limbs := s.limbs()
	if r := ratio(limbs); r > math.Max(out.Factor, worthTellingLimbs+2/math.Sqrt(float64(len(limbs)))) {
		out.Factor, out.From = r, "limbs have other lengths on other pictures"
	}
	if out.Factor < worthTelling {
		return Scatter{Factor: 1, Seen: told, Told: told}
	}
	out.Seen = told * out.Factor
	return out
}

// ratio is the spread of errors in units of what they were told to be, by their
// median: a few that were put elsewhere do not count.
func ratio(errors []float64) float64 {
	if len(errors) < leastScatter {
		return 0
	}
	slices.Sort(errors)
	return errors[len(errors)/2] / median
}

// Says is the scatter in a sentence; empty when the points miss as told.
func (c Scatter) Says() string {
	if c.From == "" {
		return ""
	}
	return fmt.Sprintf("%s: they miss by about %.1f px, where %.1f were told, so every ± is wider by %.1f times", c.From, c.Seen, c.Told, c.Factor)
}

// fourth is the fourth difference of five values, in units of one's error.
func fourth(v [5]float64) float64 {
	return math.Abs(v[0]-4*v[1]+6*v[2]-4*v[3]+v[4]) / math.Sqrt(70)
}

// smoothRate is the least rate, pictures a second, at which what a body does
// between pictures is small against its points' errors.
const smoothRate = 100

// runs are stretches of five pictures in a row on which landmarks are known.
func (s *Recording) runs(frames []int, names []body.Landmark, then func(five [5][]Observation)) {
	seen := make([][]Observation, len(frames))
	all := make([]Observation, 0, len(frames)*len(names))
	for i, f := range frames {
		from := len(all)
		for _, l := range names {
			m, ok := s.Observations[f][l]
			if !ok {
				break
			}
			all = append(all, m)
		}
		if len(all) == from+len(names) {
			seen[i] = all[from:]
		}
	}
	for i := 0; i+4 < len(frames); i++ {
		if frames[i+4]-frames[i] != 4 || s.Timeline.Interval(frames[i]) > 1.0/smoothRate {
			continue
		}
		five := [5][]Observation(seen[i : i+5])
		if !slices.ContainsFunc(five[:], func(on []Observation) bool { return on == nil }) {
			then(five)
		}
	}
}

func (s *Recording) jumps(frames []int) (told float64, errors []float64) {
	var us []float64
	scale := s.pxPerM()
	seen := map[body.Landmark]bool{}
	for _, marks := range s.Observations {
		for l := range marks {
			seen[l] = true
		}
	}
	for l := range seen {
		unseen := s.unseen(l, scale)
		s.runs(frames, []body.Landmark{l}, func(five [5][]Observation) {
			var x, y [5]float64
			for k, m := range five {
				x[k], y[k] = m[0].At.X, m[0].At.Y
			}
			u := math.Hypot(toldU(five[2][0]), unseen)
			us = append(us, toldU(five[2][0]))
			errors = append(errors, fourth(x)/u, fourth(y)/u)
		})
	}
	if len(us) == 0 {
		return unknownMarkU, nil
	}
	slices.Sort(us)
	return us[len(us)/2], errors
}

func (s *Recording) lengths(frames []int) (errors []float64) {
	scale := s.pxPerM()
	for _, part := range stiff {
		for _, side := range []body.Side{body.Left, body.Right} {
			ends := []body.Landmark{body.Landmark(part[0] + "." + string(side)), body.Landmark(part[1] + "." + string(side))}
			s.runs(frames, ends, func(five [5][]Observation) {
				var long [5]float64
				for k, m := range five {
					long[k] = r2.Norm(r2.Sub(m[0].At, m[1].At))
				}
				unseen := s.unseen(ends[0], scale)
				errors = append(errors, fourth(long)/math.Hypot(math.Hypot(toldU(five[2][0]), toldU(five[2][1])), math.Sqrt2*unseen))
			})
		}
	}
	return errors
}

// limbs are by how much thighs, shanks and the trunk are longer on single pictures
// than on most, where an athlete who moves along the picture is seen from the
// side: what turns out of the picture is shorter, so only what is too long tells.
func (s *Recording) limbs() (errors []float64) {
	if s.Event.Ground.Kind == "circle" || s.View != "side-open" && s.View != "side-closed" {
		return nil
	}
	scale := s.pxPerM()
	for _, part := range [][2]string{{"hip", "knee"}, {"knee", "ankle"}, {"shoulder", "hip"}} {
		for _, side := range []body.Side{body.Left, body.Right} {
			a, b := body.Landmark(part[0]+"."+string(side)), body.Landmark(part[1]+"."+string(side))
			var long, us []float64
			for _, marks := range s.Observations {
				m, okA := marks[a]
				n, okB := marks[b]
				if okA && okB {
					long = append(long, r2.Norm(r2.Sub(m.At, n.At)))
					us = append(us, math.Hypot(math.Hypot(toldU(m), toldU(n)), math.Sqrt2*s.unseen(a, scale)))
				}
			}
			if len(long) < 4 {
				continue
			}
			usual := slices.Sorted(slices.Values(long))[len(long)/2]
			for i, l := range long {
				if l > usual {
					errors = append(errors, (l-usual)/us[i])
				}
			}
		}
	}
	return errors
}

// pxPerM is the scale, 0 where none is set.
func (s *Recording) pxPerM() float64 {
	plane, err := s.Calibration.Plane()
	if err != nil {
		return 0
	}
	return plane.PxPerM
}

// unseen is by how many pixels a joint's centre may lie elsewhere than it seems:
// that is told apart from a point's own error.
func (s *Recording) unseen(l body.Landmark, scale float64) float64 {
	if isCourseMark(l) {
		return 0
	}
	return JointU * s.HeightM * scale
}

// calibration is the film's, its marks as uncertain as its points show.
func (s *Recording) calibration() optics.Calibration {
	c := s.Calibration
	if s.scatter != nil {
		c.MarkU *= s.scatter.Factor
	}
	return c
}
