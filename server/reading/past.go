package reading

import (
	"encoding/json"
	"fmt"
	"math"
	"strings"

	"neokinema/core/judge"
	"neokinema/core/measure"
	"neokinema/server/store"
)

// Past is what is known of the athlete's other attempts at the event: the one
// before, and those of the best marks.
type Past struct {
	Last *store.Past
	Best []store.Past
}

// Stamp names the attempts and their versions: a change on one makes a new run.
func (p Past) Stamp() string {
	var s strings.Builder
	for _, b := range p.Best {
		fmt.Fprintf(&s, " best %s at %d", b.ID, b.Version)
	}
	if p.Last != nil {
		fmt.Fprintf(&s, " after %s at %d", p.Last.ID, p.Last.Version)
	}
	return s.String()
}

// kept is what a reading keeps of values.
type kept struct {
	Values []measure.Value `json:"values"`
}

// known are a kept reading's known values, by key; a reading of other rules may
// hold others.
func known(data []byte) map[string]measure.Value {
	var k kept
	out := map[string]measure.Value{}
	if json.Unmarshal(data, &k) != nil {
		return out
	}
	for _, v := range k.Values {
		if v.Known() {
			out[v.Key] = v
		}
	}
	return out
}

// own is the mean of the best attempts' values, with the standard uncertainty
// that their own and their spread give it.
func (p Past) own() map[string]judge.Own {
	values := map[string][]measure.Value{}
	for _, b := range p.Best {
		for key, v := range known(b.Reading) {
			values[key] = append(values[key], v)
		}
	}
	out := map[string]judge.Own{}
	for key, list := range values {
		n := float64(len(list))
		mean, square, spread := 0.0, 0.0, 0.0
		for _, v := range list {
			mean += v.Value / n
			square += v.U * v.U / n
		}
		for _, v := range list {
			spread += (v.Value - mean) * (v.Value - mean) / math.Max(1, n-1)
		}
		out[key] = judge.Own{Value: mean, U: math.Sqrt(math.Max(square, spread) / n), N: len(list)}
	}
	return out
}

func (p Past) last() map[string]measure.Value {
	if p.Last == nil {
		return nil
	}
	return known(p.Last.Reading)
}
