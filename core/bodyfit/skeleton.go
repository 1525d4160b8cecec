package bodyfit

import (
	"math"
	"slices"

	"neokinema/core/body"
)

// ofBody are the points of the body that are fitted.
var ofBody = []body.Landmark{
	"vertex", "neck",
	"shoulder.L", "shoulder.R", "elbow.L", "elbow.R", "wrist.L", "wrist.R",
	"hip.L", "hip.R", "knee.L", "knee.R", "ankle.L", "ankle.R", "heel.L", "heel.R", "toe.L", "toe.R",
}

// Implement is what is thrown and how it hangs on the body.
type Implement struct {
	Wire float64   // m, from the hands' grip to its middle; 0: it lies in one hand
	Gap  float64   // m, from that hand's knuckle to its middle
	Hand body.Side // that hand
}

// points are those that are fitted, in the order of a node's numbers.
func (i Implement) points() []body.Landmark {
	switch {
	case i.Wire > 0:
		return append(slices.Clone(ofBody), "grip", "implement")
	case i.Gap > 0:
		return append(slices.Clone(ofBody), body.Landmark("knuckle."+string(i.Hand)), "implement")
	}
	return ofBody
}

// Lengths that are believed before the film is seen, as shares of standing height:
// Winter, Biomechanics and Motor Control of Human Movement (after Drillis & Contini),
// from memory; widths of the joint centres, neck and head are common practice.
var lengthShares = map[string]float64{
	"thigh": 0.245, "shank": 0.246, "upper": 0.186, "fore": 0.146, "hips": 0.104, "shoulders": 0.210, "trunk": 0.288, "neck": 0.045, "head": 0.137,
	"hand": 0.0648, "ankle-heel": 0.0559, "ankle-toe": 0.1186, "heel-toe": 0.152,
}

// womanShares are those that differ.
var womanShares = map[string]float64{"shoulders": 0.198, "hips": 0.108}

// stretches are the lengths whose logarithms are unknown, each shared by all rods of
// its name.
var stretches = []string{"thigh", "shank", "upper", "fore", "hips", "shoulders", "trunk", "neck", "head", "hand", "foot"}

// stretchU is how well a length's share is believed, as a share of it.
const stretchU = 0.04

// term is a point's weight in a sum.
type term struct {
	point int
	w     float64
}

// rod keeps a distance between two sums of points.
type rod struct {
	from, to []term
	length   float64 // m, as believed
	stretch  int     // which shared logarithm stretches it; −1: none
	u        float64 // m, by which it may vary from node to node
	held     bool    // it holds no more once the implement flies
}

// By how much a rod may vary, m: bones, soles that bend, trunks, necks and grips.
const (
	boneU  = 0.004
	soleU  = 0.008
	trunkU = 0.012
	neckU  = 0.015
	sideU  = 0.06
	gripU  = 0.012
	gapU   = 0.03
)

// rods are the body's and the implement's, by the places of points in a node.
func rods(p Problem, at map[body.Landmark]int) (out []rod) {
	length := func(name string) float64 {
		if v, ok := womanShares[name]; ok && p.Sex == body.Woman {
			return v * p.HeightM
		}
		return lengthShares[name] * p.HeightM
	}
	one := func(l body.Landmark) []term { return []term{{at[l], 1}} }
	middle := func(part string) []term {
		return []term{{at[body.Landmark(part+".L")], 0.5}, {at[body.Landmark(part+".R")], 0.5}}
	}
	put := func(from, to []term, m float64, stretch string, u float64, held bool) {
		out = append(out, rod{from, to, m, slices.Index(stretches, stretch), u, held})
	}
	for _, side := range []string{".L", ".R"} {
		on := func(part string) []term { return one(body.Landmark(part + side)) }
		put(on("hip"), on("knee"), length("thigh"), "thigh", boneU, false)
		put(on("knee"), on("ankle"), length("shank"), "shank", boneU, false)
		put(on("shoulder"), on("elbow"), length("upper"), "upper", boneU, false)
		put(on("elbow"), on("wrist"), length("fore"), "fore", boneU, false)
		put(on("ankle"), on("heel"), length("ankle-heel"), "foot", boneU, false)
		put(on("ankle"), on("toe"), length("ankle-toe"), "foot", soleU, false)
		put(on("heel"), on("toe"), length("heel-toe"), "foot", soleU, false)
		put(on("shoulder"), one("neck"), math.Hypot(length("shoulders")/2, length("neck")), "shoulders", neckU, false)
		put(on("shoulder"), on("hip"), math.Hypot(length("trunk"), (length("shoulders")-length("hips"))/2), "trunk", sideU, false)
	}
	put(one("hip.L"), one("hip.R"), length("hips"), "hips", boneU, false)
	put(one("shoulder.L"), one("shoulder.R"), length("shoulders"), "shoulders", boneU, false)
	put(middle("hip"), middle("shoulder"), length("trunk"), "trunk", trunkU, false)
	put(middle("shoulder"), one("neck"), length("neck"), "neck", soleU, false)
	put(one("neck"), one("vertex"), length("head"), "head", boneU, false)
	switch i := p.Implement; {
	case i.Wire > 0:
		put(one("wrist.L"), one("grip"), length("hand"), "hand", gripU, true)
		put(one("wrist.R"), one("grip"), length("hand"), "hand", gripU, true)
		put(one("grip"), one("implement"), i.Wire, "", gripU, false)
	case i.Gap > 0:
		hand := one(body.Landmark("knuckle." + string(i.Hand)))
		put(one(body.Landmark("wrist."+string(i.Hand))), hand, length("hand"), "hand", boneU, false)
		put(hand, one("implement"), i.Gap, "", gapU, true)
	}
	return out
}

// masses are the weights of the points in the body's centre of mass; a hand that is
// not fitted is at its wrist.
func masses(sex body.Sex, at map[body.Landmark]int) (out []term) {
	w, all := map[int]float64{}, 0.0
	add := func(name string, share float64) {
		names := []body.Landmark{body.Landmark(name)}
		if _, single := at[names[0]]; !single {
			names = []body.Landmark{body.Landmark(name + ".L"), body.Landmark(name + ".R")}
		}
		for _, l := range names {
			i, fitted := at[l]
			if !fitted {
				i = at["wrist."+l[len(l)-1:]]
			}
			w[i] += share / float64(len(names))
			all += share / float64(len(names))
		}
	}
	for _, g := range body.Segments(sex) {
		n := 1.0
		if g.Paired {
			n = 2
		}
		add(g.From, n*g.Mass*(1-g.Centre))
		add(g.To, n*g.Mass*g.Centre)
	}
	for i, share := range w {
		out = append(out, term{i, share / all})
	}
	slices.SortFunc(out, func(a, b term) int { return a.point - b.point })
	return out
}
