package measure

import (
	"slices"
	"strings"

	"neokinema/core/body"
	"neokinema/core/track"
)

// FollowedAs is how a landmark's neighbourhood changes from picture to picture.
func FollowedAs(l body.Landmark) track.Kind {
	part, _, _ := strings.Cut(string(l), ".")
	switch part {
	case "board", "bar":
		return track.Still
	case "implement", "pole":
		return track.Implement
	case "hip", "sternum":
		return track.Deep
	}
	return track.Joint
}

// Neighbourhood is how far the part of a picture reaches to each side by which a
// landmark is followed, px, on an athlete whose trunk is so long: about as far
// as a limb is thick.
func Neighbourhood(trunkPx float64) int { return min(24, max(6, int(0.11*trunkPx))) }

// stiff are the parts between landmarks that do not change their length.
var stiff = [][2]string{
	{"hip", "knee"}, {"knee", "ankle"}, {"ankle", "toe"}, {"ankle", "heel"}, {"shoulder", "hip"},
	{"shoulder", "elbow"}, {"elbow", "wrist"}, {"wrist", "knuckle"}, {"shoulder", "ear"},
}

// Links are the stiff parts between landmarks, by their places in names.
func Links(names []body.Landmark) []track.Link {
	var out []track.Link
	for _, part := range stiff {
		for _, side := range []body.Side{body.Left, body.Right} {
			a := slices.Index(names, body.Landmark(part[0]+"."+string(side)))
			b := slices.Index(names, body.Landmark(part[1]+"."+string(side)))
			if a >= 0 && b >= 0 {
				out = append(out, track.Link{A: a, B: b})
			}
		}
	}
	return out
}
