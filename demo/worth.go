package demo

import (
	"math"

	"neokinema/core/body"
	"neokinema/core/flight"
	"neokinema/core/playbook"
	"neokinema/core/result"
	"neokinema/core/sim"
)

// reach is how far from the middle a throw's measuring begins, m: at the
// circle's rim or the javelin's arc. How far a disc flies hangs on its tilt and
// spin: no mark is made of it.
var reach = map[string]float64{"hammer": 2.135 / 2, "weight": 2.135 / 2, "shot-glide": 2.135 / 2, "shot-rotational": 2.135 / 2, "javelin": 0}

// resultText is the mark to which a truth leads, in still air, as it is written;
// empty where the truth does not say.
func resultText(book playbook.Event, truth sim.Truth) string {
	v := truth.Measures
	metres := 0.0
	switch book.ID {
	case "long-jump":
		metres = v["l1@board-to"] + v["l2@heels"] + v["l3@heels"] + v["board-gap@board-to"]
	case "high-jump":
		metres = v["h1@take-off"] + v["h2@peak"] - v["bar-margin@peak"]
	default:
		from, thrown := reach[book.ID]
		release, seen := truth.Frames["release"]
		if !thrown || !seen {
			return ""
		}
		p, err := flight.Fly(projectile(book, truth.Athlete.Sex), flight.Release{Speed: v["release-speed@release"], Angle: v["release-angle@release"], Height: v["release-height@release"],
			Attitude: v["release-angle@release"] + v["attack@release"]}, flight.Air{Density: flight.Density})
		if err != nil {
			return ""
		}
		out := truth.Film[release].World["implement"][0]
		metres = out + p.Distance - from
	}
	if !(metres > 0) {
		return ""
	}
	return result.Result(math.Floor(100 * metres)).Format(book.Mark.Kind)
}

// projectile is the rules' implement: World Athletics Technical Rules, from memory.
func projectile(book playbook.Event, sex body.Sex) flight.Projectile {
	woman := sex == body.Woman
	switch {
	case book.Masses != nil:
		return flight.Hammer(book.Masses[string(sex)])
	case book.ID == "javelin" && woman:
		return flight.Javelin(0.6)
	case book.ID == "javelin":
		return flight.Javelin(0.8)
	case woman:
		return flight.Shot(4)
	}
	return flight.Shot(7.26)
}
