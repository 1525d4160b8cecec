// Package body names the landmarks of an athlete, gives them roles, and
// computes joint angles, segment directions and the centre of mass from them.
package body

import (
	"fmt"
	"slices"
	"strings"
)

// Landmark is a point of the body or implement, as in "knee.L" or "neck".
type Landmark string

// Side is the athlete's own left or right.
type Side string

const (
	Left  Side = "L"
	Right Side = "R"
)

// Other is the opposite side.
func (s Side) Other() Side {
	if s == Left {
		return Right
	}
	return Left
}

// Word is the side as a word: "left" or "right".
func (s Side) Word() string {
	if s == Left {
		return "left"
	}
	return "right"
}

// Paired are the landmarks that exist on both sides.
var Paired = []string{"ear", "shoulder", "elbow", "wrist", "knuckle", "hip", "knee", "ankle", "heel", "toe"}

// Single are the landmarks on the midline, and of implement, pole and bar.
var Single = []string{"vertex", "chin", "neck", "sternum", "implement", "implement.front", "implement.back", "implement.edge", "grip", "pole.top", "pole.mid", "pole.bottom", "bar.near", "bar.far", "board"}

// OfBody reports whether l is of the body: not of the implement, a pole, a bar or
// the board.
func (l Landmark) OfBody() bool {
	return l.Valid() && !slices.Contains(things, string(l))
}

// things are the landmarks that are not of the body.
var things = Single[4:]

// Valid reports whether l is a landmark of the vocabulary.
func (l Landmark) Valid() bool {
	name, side, paired := strings.Cut(string(l), ".")
	if paired && (side == string(Left) || side == string(Right)) {
		return slices.Contains(Paired, name)
	}
	return slices.Contains(Single, string(l))
}

// Roles maps the roles of an event to sides, as in {"front": Left, "rear": Right}.
type Roles map[string]Side

// Start are the roles of a sprint start: front- and rear-block leg.
func Start(front Side) Roles { return Roles{"front": front, "rear": front.Other()} }

// Near adds the roles near and far: the side that the camera sees, and the other.
func (r Roles) Near(s Side) Roles {
	out := Roles{"near": s, "far": s.Other()}
	for k, v := range r {
		out[k] = v
	}
	return out
}

// Landmark resolves a role name such as "front.knee" to "knee.L". Midline
// landmarks resolve to themselves.
func (r Roles) Landmark(name string) (Landmark, error) {
	role, part, ok := strings.Cut(name, ".")
	if l := Landmark(name); !ok || slices.Contains(Single, name) {
		if !l.Valid() {
			return "", fmt.Errorf("%q is not a landmark", name)
		}
		return l, nil
	}
	side, ok := r[role]
	if !ok {
		return "", fmt.Errorf("role %q of %q is not one of this event", role, name)
	}
	l := Landmark(part + "." + string(side))
	if !l.Valid() {
		return "", fmt.Errorf("%q is not a landmark", name)
	}
	return l, nil
}
