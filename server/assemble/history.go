package assemble

import (
	"encoding/json"
	"fmt"
	"math"
	"strings"
	"time"

	"github.com/google/uuid"

	"neokinema/core/coach"
	"neokinema/core/judge"
	"neokinema/core/measure"
	"neokinema/core/playbook"
	"neokinema/server/store"
)

// History is what is known of the athlete's other attempts at the event: the one
// before, and those of the best marks.
type History struct {
	Last   *store.EarlierReading
	Best   []store.EarlierReading
	Given  []store.EarlierAssignment // assignments that wait to be followed up
	Record []store.CueOutcome        // what cues did for the athlete
}

// Version names the attempts and their versions: a change on one makes a new run.
func (p History) Version() string {
	var s strings.Builder
	for _, b := range p.Best {
		fmt.Fprintf(&s, " best %s at %d", b.ID, b.Version)
	}
	for _, g := range p.Given {
		fmt.Fprintf(&s, " given %s %s of %s at %d", g.Fault, g.Cue, g.ID, g.Version)
	}
	for _, t := range p.Record {
		fmt.Fprintf(&s, " %s %s", t.Cue, t.Outcome)
	}
	if p.Last != nil {
		fmt.Fprintf(&s, " after %s at %d", p.Last.ID, p.Last.Version)
	}
	return s.String()
}

// savedValues is what a reading keeps of values.
type savedValues struct {
	Values []measure.Value `json:"values"`
}

// known are a kept reading's known values, by key; a reading of other rules may
// hold others.
func known(data []byte) map[string]measure.Value {
	var k savedValues
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
func (p History) own() map[string]judge.OwnRange {
	values := map[string][]measure.Value{}
	for _, b := range p.Best {
		for key, v := range known(b.Reading) {
			values[key] = append(values[key], v)
		}
	}
	out := map[string]judge.OwnRange{}
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
		out[key] = judge.OwnRange{Value: mean, U: math.Sqrt(math.Max(square, spread) / n), N: len(list)}
	}
	return out
}

// FollowUp is what an attempt shows of an earlier one's assignment.
type FollowUp struct {
	coach.FollowUp
	Of    uuid.UUID `json:"of"`
	Day   string    `json:"day"`
	Fault string    `json:"fault"`
	Name  string    `json:"name"`
	Cue   string    `json:"cue"`
	Words string    `json:"words"`
}

// followUps compare an attempt with what was asked for before it. Values on
// found points that nobody confirmed are left out.
func (p History) followUps(e playbook.Event, values []measure.Value) []FollowUp {
	after := map[string]measure.Value{}
	for _, v := range values {
		if !v.Unconfirmed {
			after[v.Key] = v
		}
	}
	out := []FollowUp{}
	for _, g := range p.Given {
		f, ok := e.Fault(g.Fault)
		if !ok { // left out of the playbook since
			continue
		}
		one := FollowUp{Of: g.ID, Day: g.Day.Format(time.DateOnly), Fault: g.Fault, Name: f.Name, Cue: g.Cue, Words: g.Words}
		cue := playbook.Cue{}
		for _, c := range e.CuesFor(g.Fault) {
			if c.ID == g.Cue {
				cue = c
			}
		}
		if aim, ok := AimOf(g.Reading, g.Fault); ok {
			one.FollowUp = coach.Follow(aim, cue, known(g.Reading), after)
		} else {
			one.FollowUp = coach.FollowUp{Outcome: coach.Unseen, Says: "This fault was seen by eye then: say what you see now"}
		}
		out = append(out, one)
	}
	return out
}

// AimOf is what a kept reading asked the next clip to show for a fault.
func AimOf(data []byte, fault string) (coach.Aim, bool) {
	var k struct{ Options []Option }
	if json.Unmarshal(data, &k) == nil {
		for _, o := range k.Options {
			if o.Fault == fault && o.Aim != nil {
				return *o.Aim, true
			}
		}
	}
	return coach.Aim{}, false
}

// record is the athlete's cue record as the order of cues reads it.
func (p History) record(e playbook.Event) []coach.CueOutcome {
	kinds := map[string]string{}
	for _, c := range e.Cues {
		kinds[c.ID] = c.Kind
	}
	var out []coach.CueOutcome
	for _, t := range p.Record {
		out = append(out, coach.CueOutcome{Cue: t.Cue, Kind: kinds[t.Cue], Fault: t.Fault, Outcome: t.Outcome})
	}
	return out
}

func (p History) last() map[string]measure.Value {
	if p.Last == nil {
		return nil
	}
	return known(p.Last.Reading)
}
