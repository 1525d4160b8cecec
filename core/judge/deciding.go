package judge

import (
	"cmp"
	"math"
	"slices"

	"neokinema/core/body"
	"neokinema/core/playbook"
)

// DecidingPoint is a found point on whose place verdicts hang.
type DecidingPoint struct {
	KeyID    string        `json:"keyId"`
	Landmark body.Landmark `json:"landmark"`
	Worth    float64       `json:"worth"` // share of all doubt that hangs on found points
}

const (
	mostDeciding = 8
	// decided is the share of the doubt that the deciding points carry together.
	decided = 0.75
	// standing is what is at stake in a value that is in or out beyond doubt, or has
	// no band: it counts once its points are confirmed.
	standing = 0.1
)

// Deciding are the points that decide most of an attempt's verdicts among those that
// nobody has confirmed, the weightiest first. What a point is worth is the part of
// each value's variance that its place makes, times how open the value's verdict is,
// times how many faults it is evidence of. found reports whether a point is a found one.
func Deciding(e playbook.Event, values []Judged, found func(keyID string, l body.Landmark) bool) []DecidingPoint {
	feeds := map[string]float64{}
	for _, f := range e.Faults {
		for _, s := range f.Evidence {
			feeds[s.Measure]++
		}
	}
	type point struct {
		keyID    string
		landmark body.Landmark
	}
	worth := map[point]float64{}
	total := 0.0
	for _, v := range values {
		if !v.Unconfirmed || !v.Known() || v.U == 0 {
			continue
		}
		stake := (standing + openness(v)) * (0.25 + math.Min(feeds[v.Key], 3))
		hangs := false
		for _, p := range v.Parts {
			if p.Landmark == "" || !found(p.KeyID, p.Landmark) {
				continue
			}
			hangs = true
			by := stake * p.U * p.U / (v.U * v.U)
			worth[point{p.KeyID, p.Landmark}] += by
			total += by
		}
		if m, ok := e.Measure(v.Measure); ok && !hangs { // read off a whole path: its points are looked at here
			for _, l := range m.Points {
				if l := body.Landmark(l); found(v.KeyID, l) {
					worth[point{v.KeyID, l}] += stake
					total += stake
				}
			}
		}
	}
	out := []DecidingPoint{}
	for p, w := range worth {
		out = append(out, DecidingPoint{p.keyID, p.landmark, w / total})
	}
	slices.SortFunc(out, func(a, b DecidingPoint) int {
		return cmp.Or(cmp.Compare(b.Worth, a.Worth), cmp.Compare(a.KeyID, b.KeyID), cmp.Compare(a.Landmark, b.Landmark))
	})
	sum := 0.0
	for i, p := range out {
		if sum += p.Worth; sum >= decided || i+1 == mostDeciding {
			return out[:i+1]
		}
	}
	return out
}

// openness is how open a verdict is: 1 where a value is as likely within its band as
// outside, 0 where there is no doubt or no band.
func openness(v Judged) float64 {
	if v.Band == nil {
		return 0
	}
	below := func(edge *float64, without float64) float64 {
		if edge == nil {
			return without
		}
		return (1 + math.Erf((*edge-v.Value.Value)/v.U/math.Sqrt2)) / 2
	}
	in := below(v.Band.High, 1) - below(v.Band.Low, 0)
	return 4 * in * (1 - in)
}
