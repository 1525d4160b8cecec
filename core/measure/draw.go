package measure

import (
	"encoding/binary"
	"hash/fnv"
	"io"
	"maps"
	"math"
	"math/rand/v2"
	"slices"

	"neokinema/core/optics"
	"neokinema/core/playbook"
)

// draw is one way in which all inputs may be off together.
type draw struct {
	seed uint64
	off  map[source]float64 // in standard uncertainties
}

// of is by how many of its standard uncertainties an input is off: the same for
// the same input, in whichever order they are asked for.
func (d *draw) of(s source) float64 {
	z, ok := d.off[s]
	if !ok {
		h := fnv.New64a()
		_, _ = io.WriteString(h, s.what+"|"+string(s.of)+"|"+s.at)
		_, _ = h.Write([]byte{s.axis})
		z = rand.New(rand.NewPCG(d.seed, h.Sum64())).NormFloat64()
		d.off[s] = z
	}
	return z
}

// Draws computes every measure of the event n times over, by key, each time with
// all of its inputs off at once by normal errors of their standard uncertainties:
// a Monte-Carlo evaluation (JCGM 101) of what One gives by each input alone. The
// seed is the hash of the inputs, so that the same sheet gives the same draws.
// Measures that lack something are left out.
func Draws(s *Recording, n int) map[string][]float64 {
	type job struct {
		measure playbook.Measure
		keyID   string
		compute func(*evaluation) float64
		plane   optics.Plane
		found   *foundCourses
	}
	s.Scatter()
	var jobs []job
	plane, err := s.calibration().Plane()
	for _, m := range s.Event.Measures {
		space, picture, _ := s.allowed(m)
		for _, keyID := range KeysOf(m) {
			for _, way := range []job{{m, keyID, kinds[m.Kind].space, optics.Plane{}, nil}, {m, keyID, kinds[m.Kind].compute, plane, nil}} {
				inPicture := way.plane == plane
				if way.compute == nil || inPicture && (!picture || err != nil) || !inPicture && !space {
					continue
				}
				p := s.newEvaluation(m, keyID, way.plane)
				if way.compute(p); len(p.missing) == 0 {
					way.found = p.found
					jobs = append(jobs, way)
					break
				}
			}
		}
	}
	out := map[string][]float64{}
	seed := s.hash()
	for i := range n {
		d := &draw{seed: seed + uint64(i), off: map[source]float64{}}
		for _, j := range jobs {
			p := s.newEvaluation(j.measure, j.keyID, j.plane)
			p.found, p.draw, p.shift = j.found, d, &source{} // no drawings
			key := Key(j.measure.ID, j.keyID)
			out[key] = append(out[key], j.compute(p))
		}
	}
	return out
}

func (s *Recording) newEvaluation(m playbook.Measure, keyID string, plane optics.Plane) *evaluation {
	return &evaluation{sheet: s, plane: plane, left: mirrored(s.Roles), measure: m, keyID: keyID, keys: map[string]known{}, seen: map[source]float64{}, found: &foundCourses{paths: map[pathKey]path{}, masses: map[string]massShares{}, places: map[placeKey]place{}, turns: map[int]turn{}, ways: map[courseKey][]bodyAt{}, centres: map[int]orbitCentre{}}}
}

// hash tells one sheet from another.
func (s *Recording) hash() uint64 {
	h := fnv.New64a()
	number := func(v float64) { _ = binary.Write(h, binary.LittleEndian, math.Float64bits(v)) }
	for _, keyID := range slices.Sorted(maps.Keys(s.Stamps)) {
		_, _ = io.WriteString(h, keyID)
		number(float64(s.Stamps[keyID]))
	}
	for _, frame := range slices.Sorted(maps.Keys(s.Observations)) {
		number(float64(frame))
		for _, l := range slices.Sorted(maps.Keys(s.Observations[frame])) {
			_, _ = io.WriteString(h, string(l))
			number(s.Observations[frame][l].At.X)
			number(s.Observations[frame][l].At.Y)
		}
	}
	return h.Sum64()
}
