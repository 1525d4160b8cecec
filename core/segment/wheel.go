package segment

import (
	"math"
	"slices"

	"neokinema/core/body"
	"neokinema/core/measure"
	"neokinema/core/orbit"
	"neokinema/core/playbook"
)

// Spoke is a key position on the turn wheel: the implement's azimuth there,
// unwrapped, so that it grows from the first to the last.
type Spoke struct {
	KeyID   string        `json:"keyId"`
	Name    string        `json:"name"`
	Frame   int           `json:"frame"`
	What    string        `json:"what"` // off, down, high, low or release
	Foot    string        `json:"foot"` // role of the foot that comes or leaves
	Azimuth orbit.Degrees `json:"azimuth"`
	U       orbit.Degrees `json:"u"`
	Degrees orbit.Degrees `json:"degrees"` // within one turn
	ClockA  string        `json:"clockA"`
	ClockB  string        `json:"clockB"`
	Within  string        `json:"within"` // ± 2u on a clock face, h:mm
	Verdict string        `json:"verdict,omitempty"`
}

// Arc is a stretch of a turn on so many feet.
type Arc struct {
	From orbit.Degrees `json:"from"`
	To   orbit.Degrees `json:"to"`
	Feet int           `json:"feet"`
}

// Ring is one turn: from a foot's leaving to its next, to the implement's second
// time round, or to the release.
type Ring struct {
	Turn   int     `json:"turn"`
	Arcs   []Arc   `json:"arcs"`
	Spokes []Spoke `json:"spokes"`
}

// Wheel is the circle seen from above, in the athlete's direction of turning.
type Wheel struct {
	Rings       []Ring `json:"rings"`
	RightHanded bool   `json:"rightHanded"`
}

// WheelOf lays a turning throw's known azimuths on a wheel; nil where the event
// has none. verdict gives a value's verdict by its key.
func WheelOf(s *measure.Recording, values []measure.Value, verdict func(key string) string) *Wheel {
	if !slices.ContainsFunc(s.Event.Measures, func(m playbook.Measure) bool { _, ok := turning(m); return ok }) {
		return nil
	}
	out := &Wheel{Rings: []Ring{}, RightHanded: s.Roles["throwing"] == body.Right}
	var spokes []Spoke
	for _, v := range values {
		m, _ := s.Event.Measure(v.Measure)
		what, ok := turning(m)
		k, stamped := s.Event.Key(v.KeyID)
		frame, on := s.Stamps[v.KeyID]
		if !ok || !v.Known() || !stamped || !on {
			continue
		}
		foot := k.Lands + k.Lifts
		switch {
		case what != "":
		case k.Lands != "":
			what = "down"
		case k.Lifts != "":
			what = "off"
		case len(k.Found) > 0 && k.Found[0] == leaves:
			what = "release"
		default:
			continue
		}
		spokes = append(spokes, Spoke{KeyID: v.KeyID, Name: k.Name, Frame: frame, What: what, Foot: foot, Azimuth: v.Value, U: v.U, Verdict: verdict(v.Key),
			Degrees: math.Mod(math.Mod(v.Value, 360)+360, 360), Within: orbit.Span(2 * v.U),
			ClockA: orbit.Face(v.Value, orbit.ClockA, out.RightHanded), ClockB: orbit.Face(v.Value, orbit.ClockB, out.RightHanded)})
	}
	slices.SortStableFunc(spokes, func(a, b Spoke) int { return a.Frame - b.Frame })
	for i := 1; i < len(spokes); i++ {
		grown := math.Mod(spokes[i].Azimuth-spokes[i-1].Azimuth, 360)
		if grown < -backward {
			grown += 360
		}
		spokes[i].Azimuth = spokes[i-1].Azimuth + grown
	}
	feet := standing(s.Event)
	first := ""
	if i := slices.IndexFunc(spokes, func(p Spoke) bool { return p.What == "off" }); i >= 0 {
		first = spokes[i].Foot
		turns := 360 * math.Floor(spokes[i].Azimuth/360)
		for j := range spokes {
			spokes[j].Azimuth -= turns
		}
	}
	var last *Spoke
	for i := range spokes {
		p := &spokes[i]
		if n := len(out.Rings); n > 0 && last != nil {
			ring := &out.Rings[n-1]
			if p.What == "off" || p.What == "down" || p.What == "release" {
				from := last.Azimuth
				if round := ring.Spokes[0].Azimuth + 360; p.Azimuth > round+backward {
					ring.Arcs = append(ring.Arcs, Arc{from, round, len(feet)})
					from = round
					out.Rings = append(out.Rings, Ring{Turn: n + 1, Arcs: []Arc{}, Spokes: []Spoke{}})
					ring = &out.Rings[n]
				}
				ring.Arcs = append(ring.Arcs, Arc{from, p.Azimuth, len(feet)})
			}
		}
		if p.What == "off" && p.Foot == first {
			out.Rings = append(out.Rings, Ring{Turn: len(out.Rings) + 1, Arcs: []Arc{}, Spokes: []Spoke{}})
		}
		switch p.What {
		case "off":
			delete(feet, p.Foot)
			last = p
		case "down":
			feet[p.Foot] = true
			last = p
		}
		if n := len(out.Rings); n > 0 {
			out.Rings[n-1].Spokes = append(out.Rings[n-1].Spokes, *p)
		}
		if p.What == "release" {
			return out
		}
	}
	return out
}

// turning says what a measure of an implement's azimuth puts on the wheel, and
// whether it is one: about its orbit's middle or about the hips.
func turning(m playbook.Measure) (what string, ok bool) {
	switch m.Kind {
	case "orbit-azimuth":
		return "", true
	case "orbit-low":
		return "low", true
	case "orbit-high":
		return "high", true
	case "direction":
		return "", slices.Equal(m.Points, []string{"mid.hip", "implement"})
	}
	return "", false
}

// backward is how far an azimuth may seem to fall back, degrees: low points and
// passes change places within their ±.
const backward = 60

// standing are the roles of the feet that stand before a turning throw: those
// that the ladder knows.
func standing(e playbook.Event) map[string]bool {
	out := map[string]bool{}
	for _, k := range e.Keys {
		if foot := k.Support(); foot != "" {
			out[foot] = true
		}
	}
	return out
}
