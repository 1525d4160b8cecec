package segment

import (
	"math"
	"slices"
	"strconv"
	"strings"

	"neokinema/core/clock"
	"neokinema/core/measure"
	"neokinema/core/playbook"
)

// Cell is a number of one turn or stride, with what it changed from the one
// before.
type Cell struct {
	Round   int      `json:"round"` // from 1
	KeyID   string   `json:"keyId"`
	Frame   int      `json:"frame"`
	Value   float64  `json:"value"`
	U       float64  `json:"u"`
	Change  *float64 `json:"change,omitempty"` // from the round before
	ChangeU *float64 `json:"changeU,omitempty"`
	Tells   bool     `json:"tells"` // the change is more than its 2u
}

// Row is a measure or a duration over turns or strides.
type Row struct {
	ID    string `json:"id"`
	Name  string `json:"name"`
	Unit  string `json:"unit"`
	Cells []Cell `json:"cells"`
	Trend string `json:"trend"` // grows, falls, turns, or empty: nothing beyond the ±
}

// Rounds are the phases and known values that occur in more than one turn or
// stride, in the playbook's order. Two of them differ when their difference is
// more than twice its standard uncertainty; durations that share a stamp are
// taken for independent, which is on the safe side.
func Rounds(s *measure.Recording, values []measure.Value) []Row {
	var rows []Row
	at := map[string]int{}
	add := func(id, name, unit, keyID, stamp string, value, u float64) {
		base, round, ok := nth(keyID)
		if frame, stamped := s.Stamps[stamp]; ok && stamped {
			key := id + "@" + base
			i, known := at[key]
			if !known {
				i = len(rows)
				at[key], rows = i, append(rows, Row{ID: key, Name: name, Unit: unit})
			}
			rows[i].Cells = append(rows[i].Cells, Cell{Round: round, KeyID: stamp, Frame: frame, Value: value, U: u})
		}
	}
	for _, p := range s.Event.Phases {
		if d, u, ok := length(s, p.From, p.To); ok {
			name, _, _ := strings.Cut(p.Name, " "+strings.TrimPrefix(p.ID[strings.IndexByte(p.ID+"#", '#'):], "#"))
			add(p.ID[:strings.IndexByte(p.ID+"#", '#')], name, "s", p.ID, p.To, d, u)
		}
	}
	places := map[string]int{} // how many base places a measure has
	for _, m := range s.Event.Measures {
		bases := map[string]bool{}
		for _, keyID := range measure.KeysOf(m) {
			if base, _, ok := nth(keyID); ok {
				bases[base] = true
			}
		}
		places[m.ID] = len(bases)
	}
	for _, v := range values {
		if v.Known() {
			name := v.Name
			if base, _, ok := nth(v.KeyID); ok && places[v.Measure] > 1 {
				name += ", " + keyName(s.Event, v.KeyID, base)
			}
			add(v.Measure, name, v.Unit, v.KeyID, v.KeyID, v.Value, v.U)
		}
	}
	rows = slices.DeleteFunc(rows, func(r Row) bool { return len(r.Cells) < 2 })
	for i := range rows {
		rows[i].compare()
	}
	if rows == nil {
		return []Row{}
	}
	return rows
}

// compare fills in what changed from round to round.
func (r *Row) compare() {
	slices.SortFunc(r.Cells, func(a, b Cell) int { return a.Round - b.Round })
	up, down := false, false
	for i := 1; i < len(r.Cells); i++ {
		a, b := r.Cells[i-1], &r.Cells[i]
		d, u := b.Value-a.Value, math.Hypot(a.U, b.U)
		b.Change, b.ChangeU, b.Tells = &d, &u, math.Abs(d) > 2*u
		up, down = up || b.Tells && d > 0, down || b.Tells && d < 0
	}
	first, last := r.Cells[0], r.Cells[len(r.Cells)-1]
	whole := last.Value - first.Value
	tells := math.Abs(whole) > 2*math.Hypot(first.U, last.U)
	switch {
	case up && down:
		r.Trend = "turns"
	case tells && whole > 0:
		r.Trend = "grows"
	case tells:
		r.Trend = "falls"
	}
}

// nth splits a repeated place, down#2.
func nth(keyID string) (base string, n int, ok bool) {
	keyID, _, _ = strings.Cut(keyID, "~")
	base, number, ok := strings.Cut(keyID, "#")
	n, err := strconv.Atoi(number)
	return base, n, ok && err == nil
}

func keyName(e playbook.Event, keyID, base string) string {
	keyID, _, _ = strings.Cut(keyID, "~")
	if k, ok := e.Key(keyID); ok {
		return strings.TrimRight(k.Name, " 0123456789")
	}
	return base
}

// length is the time from one stamp to another.
func length(s *measure.Recording, from, to string) (d, u clock.Seconds, ok bool) {
	var ends [2]clock.Instant
	for i, keyID := range []string{from, to} {
		frame, stamped := s.Stamps[keyID]
		k, _ := s.Event.Key(keyID)
		if !stamped {
			return 0, 0, false
		}
		t, err := s.Instant(k, frame)
		if err != nil {
			return 0, 0, false
		}
		ends[i] = t
	}
	d, u = s.Timeline.Between(ends[0], ends[1])
	return d, u, d > 0
}
