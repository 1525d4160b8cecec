package playbook

import (
	"slices"

	"neokinema/core/body"
)

// Sides of an athlete on which an event's roles may turn.
const (
	SideHand       = "hand"
	SideTakeOff    = "take-off leg"
	SideFrontBlock = "front-block leg"
)

// Sides are an athlete's.
type Sides struct{ Hand, TakeOff, FrontBlock body.Side }

// Own is the side on which the event's roles turn; the right one where the event
// asks for none.
func (e Event) Own(s Sides) body.Side {
	switch e.Side {
	case SideHand:
		return s.Hand
	case SideTakeOff:
		return s.TakeOff
	case SideFrontBlock:
		return s.FrontBlock
	}
	return body.Right
}

// RolesFor are who is who for an athlete whose own side is given.
func (e Event) RolesFor(own body.Side) body.Roles {
	out := body.Roles{}
	for _, r := range e.Roles {
		switch r.Side {
		case "own":
			out[r.ID] = own
		case "other":
			out[r.ID] = own.Other()
		case "left":
			out[r.ID] = body.Left
		case "right":
			out[r.ID] = body.Right
		}
	}
	return out
}

// Working is the side of the foot that works.
func (e Event) Working(own body.Side) body.Side { return e.RolesFor(own)[e.Works] }

// FirstLine are the roles, sorted, whose foot the score writes on its first line.
func (e Event) FirstLine(own body.Side) []string {
	out := []string{}
	for role, side := range e.RolesFor(own) {
		if side == e.Working(own) {
			out = append(out, role)
		}
	}
	slices.Sort(out)
	return out
}

// UsualView is the view from which the event is usually filmed.
func (e Event) UsualView() string {
	if len(e.Views) == 0 {
		return ""
	}
	return e.Views[0]
}
