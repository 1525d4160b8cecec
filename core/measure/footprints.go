package measure

import (
	"math"
	"slices"

	"neokinema/core/body"
	"neokinema/core/optics"
	"neokinema/core/playbook"
)

// Number is a value with its standard uncertainty.
type Number struct {
	Value float64 `json:"value"`
	U     float64 `json:"u"`
}

// Footprint is where a foot stands at a key position, in the world of the event: x
// toward the throw or along the run, y to the left, m; the way from heel to toe
// as an azimuth. What the films do not show is nil.
type Footprint struct {
	KeyID     string  `json:"keyId"`
	Frame     int     `json:"frame"`
	Foot      string  `json:"foot"`  // role
	Lands     bool    `json:"lands"` // else it leaves
	X         *Number `json:"x,omitempty"`
	Y         *Number `json:"y,omitempty"`
	Direction *Number `json:"direction,omitempty"` // degrees
}

// GroundPoint is a point over the ground on a picture, m.
type GroundPoint struct {
	Frame int     `json:"frame"`
	X     float64 `json:"x"`
	Y     float64 `json:"y"`
}

// Margin is how far the foremost foot stays inside of the rim or line; negative
// is a foul.
type Margin struct {
	Number
	KeyID string `json:"keyId"`
	From  string `json:"from"`  // the rim, or the line
	State string `json:"state"` // inside, foul, or can't tell
}

// FootprintMap is what is known of the feet's places. A left-hander's is mirrored, so
// that both read the same.
type FootprintMap struct {
	Of       playbook.Surface `json:"of"`
	Prints   []Footprint      `json:"prints"`
	Hips     []GroundPoint    `json:"hips"` // with two films, or a body fitted to one
	Margin   *Margin          `json:"margin,omitempty"`
	Missing  []Missing        `json:"missing"` // what would show more
	Mirrored bool             `json:"mirrored"`
}

// FootprintMapOf finds where the feet of the stamped contacts stand; nil where the
// event has no ground to draw.
func FootprintMapOf(s *Recording) *FootprintMap {
	if s.Event.Ground.Kind == "" {
		return nil
	}
	out := &FootprintMap{Of: s.Event.Ground, Prints: []Footprint{}, Hips: []GroundPoint{}, Missing: []Missing{}, Mirrored: mirrored(s.Roles)}
	one := func(keyID, kind string, around float64, points ...string) *Number {
		v := EvaluateOne(s, playbook.Measure{ID: "ground", Kind: kind, Points: points, Around: around, At: []string{keyID}, Unit: "m", Views: append([]string{Pair, Known}, sideways...)}, keyID)
		if !v.Known() {
			for _, m := range v.Missing {
				if !slices.ContainsFunc(out.Missing, func(o Missing) bool { return o.What == m.What }) && m.Kind != "landmark" {
					out.Missing = append(out.Missing, m)
				}
			}
			return nil
		}
		return &Number{v.Value, v.U}
	}
	for _, k := range s.Event.Keys {
		frame, stamped := s.Stamps[k.ID]
		role := k.Lands + k.Lifts
		if !stamped || role == "" {
			continue
		}
		p := Footprint{KeyID: k.ID, Frame: frame, Foot: role, Lands: k.Lands != ""}
		if p.X = one(k.ID, "before-line", 0, role+".toe"); p.X != nil {
			p.X.Value = -p.X.Value
		}
		p.Y = one(k.ID, "aside", 0, role+".toe", role+".heel")
		p.Direction = one(k.ID, "direction", 180, role+".heel", role+".toe")
		if p.X != nil || p.Y != nil {
			out.Prints = append(out.Prints, p)
			out.margin(p)
		}
	}
	for frame, spots := range s.places() {
		l, okL := spots[body.Landmark("hip."+string(body.Left))]
		r, okR := spots[body.Landmark("hip."+string(body.Right))]
		if okL && okR {
			y := (l.At.Y + r.At.Y) / 2
			if out.Mirrored {
				y = -y
			}
			out.Hips = append(out.Hips, GroundPoint{frame, (l.At.X + r.At.X) / 2, y})
		}
	}
	slices.SortFunc(out.Hips, func(a, b GroundPoint) int { return a.Frame - b.Frame })
	return out
}

// places are those in space: of two films, or of the body fitted to one.
func (s *Recording) places() map[int]map[body.Landmark]optics.Point3D {
	if s.reconstructed == nil && s.fit != nil {
		return s.fit.best.places
	}
	return s.reconstructed
}

// sideways are the views from which places along the line of travel are seen.
var sideways = []string{"side-open", "side-closed"}

// margin keeps the least distance from the rim or line.
func (g *FootprintMap) margin(p Footprint) {
	var m Margin
	switch {
	case g.Of.Kind == "circle" && p.X != nil && p.Y != nil:
		r := math.Hypot(p.X.Value, p.Y.Value)
		u := p.X.U
		if r > 0 {
			u = math.Hypot(p.X.Value*p.X.U, p.Y.Value*p.Y.U) / r
		}
		m = Margin{Number: Number{g.Of.Across/2 - r, u}, KeyID: p.KeyID, From: "rim"}
	case g.Of.Kind == "runway" && p.X != nil:
		m = Margin{Number: Number{-p.X.Value, p.X.U}, KeyID: p.KeyID, From: "line"}
	default:
		return
	}
	switch {
	case m.Value > 2*m.U:
		m.State = "inside"
	case m.Value < -2*m.U:
		m.State = "foul"
	default:
		m.State = "can't tell"
	}
	if g.Margin == nil || m.Value < g.Margin.Value {
		g.Margin = &m
	}
}
