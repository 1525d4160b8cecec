package coach

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"neokinema/core/judge"
	"neokinema/core/measure"
	"neokinema/core/playbook"
)

// Outcome is what became of a cue.
type Outcome string

const (
	Changed  Outcome = "changed"    // as meant, by more than the two ± together
	NoChange Outcome = "no change"  // inside them
	Misread  Outcome = "misread"    // the watched side-effect moved instead
	Worse    Outcome = "worse"      // the other way
	Unseen   Outcome = "can't tell" // one of the two clips does not show it
)

// Shift is how a value moved from one clip to another, with the standard
// uncertainty of the difference.
type Shift struct {
	Key     string  `json:"key"`
	Name    string  `json:"name"`
	Unit    string  `json:"unit"`
	Before  float64 `json:"before"`
	UBefore float64 `json:"uBefore"`
	After   float64 `json:"after"`
	UAfter  float64 `json:"uAfter"`
	By      float64 `json:"by"`
	U       float64 `json:"u"`
}

// real tells whether a shift to one side is more than its ±: 1 to that side, -1
// to the other, 0 neither.
func (s Shift) real(side string) int {
	by := s.By
	if side == "low" || side == "lower" {
		by = -by
	}
	switch {
	case by > 2*s.U:
		return 1
	case by < -2*s.U:
		return -1
	}
	return 0
}

// Between says how a value moved from the first to the last of several clips of
// one athlete, beside both ±.
func Between(s Shift) string {
	s.By = s.After - s.Before
	s.U = differs(s.UBefore, s.UAfter)
	word := "no real change"
	switch s.real("higher") {
	case 1:
		word = "higher"
	case -1:
		word = "lower"
	}
	return fmt.Sprintf("From the first to the last: %s, by %s ± %s", word, signed(s.By, s.Unit), Number(2*s.U, s.Unit))
}

// differs is the standard uncertainty of a difference between two clips of one
// athlete, which share part of the joint-centre error.
func differs(before, after float64) float64 {
	return math.Sqrt(after*after + before*before - 2*judge.SameFilm*after*before)
}

func (s Shift) says() string {
	return fmt.Sprintf("%s from %s ± %s to %s ± %s, by %s ± %s", s.Name, Number(s.Before, s.Unit), Number(2*s.UBefore, s.Unit), Number(s.After, s.Unit), Number(2*s.UAfter, s.Unit), signed(s.By, s.Unit), Number(2*s.U, s.Unit))
}

func signed(v float64, unit string) string {
	if v < 0 {
		return "−" + Number(-v, unit)
	}
	return "+" + Number(v, unit)
}

// FollowUp is what a later clip shows of a cue.
type FollowUp struct {
	Outcome Outcome `json:"outcome"`
	Says    string  `json:"says"`
	Aim     *Shift  `json:"aim,omitempty"`     // the assignment's own measure
	Watched *Shift  `json:"watched,omitempty"` // the side-effect of a misreading
	Holds   bool    `json:"holds"`             // the fault's limit is not passed, ± and all
}

// Follow compares a later clip with what an assignment asked for. Values are by
// key; of a joint-centre error the two clips of one athlete share
// judge.SameFilm.
func Follow(aim Aim, cue playbook.Cue, before, after map[string]measure.Value) FollowUp {
	a, ok := shift(aim.Key, before, after)
	if !ok {
		return FollowUp{Outcome: Unseen, Says: aim.Name + " is not measured on both clips: stamp and place what it needs"}
	}
	out := FollowUp{Aim: &a, Holds: holds(aim, after[aim.Key])}
	moved := a.real(aim.Direction)
	if m := cue.Misread; m != nil && m.Measure != "" {
		if w, ok := watched(*m, before, after); ok {
			out.Watched = &w
			if w.real(m.Side) > 0 && moved <= 0 {
				out.Outcome, out.Says = Misread, fmt.Sprintf("Misread: the %s (%s)", m.Text, w.says())
				return out
			}
		}
	}
	switch moved {
	case 1:
		out.Outcome, out.Says = Changed, "Changed as meant: "+a.says()
		if out.Watched != nil && out.Watched.real(cue.Misread.Side) > 0 {
			out.Says += "; but watch: the " + cue.Misread.Text
		}
	case -1:
		out.Outcome, out.Says = Worse, "Worse: "+a.says()
	default:
		out.Outcome, out.Says = NoChange, "No real change: "+a.says()
	}
	return out
}

// watched is how a misreading's side-effect moved: in a measure of several turns
// or strides, in the one in which it moved most.
func watched(m playbook.Misread, before, after map[string]measure.Value) (most Shift, ok bool) {
	for _, key := range slices.Sorted(maps.Keys(after)) {
		if key != m.Measure && !strings.HasPrefix(key, m.Measure+"#") {
			continue
		}
		w, known := shift(key, before, after)
		by := func(s Shift) float64 {
			if m.Side == "low" {
				return -s.By
			}
			return s.By
		}
		if known && (!ok || by(w) > by(most)) {
			most, ok = w, true
		}
	}
	return most, ok
}

func shift(key string, before, after map[string]measure.Value) (Shift, bool) {
	b, okB := before[key]
	a, okA := after[key]
	if !okB || !okA || !b.Known() || !a.Known() {
		return Shift{}, false
	}
	return Shift{Key: key, Name: a.Name, Unit: a.Unit, Before: b.Value, UBefore: b.U, After: a.Value, UAfter: a.U, By: a.Value - b.Value, U: differs(b.U, a.U)}, true
}

func holds(aim Aim, v measure.Value) bool {
	if aim.Direction == "lower" {
		return v.Value+2*v.U <= aim.Target
	}
	return v.Value-2*v.U >= aim.Target
}

const (
	// HoldsIn are so many attempts in a row in which a focus must hold, in so many
	// sessions, before it closes.
	HoldsIn       = 3
	HoldsSessions = 2
)

// FocusState is one attempt after an assignment: its session, and whether the limit
// was kept.
type FocusState struct {
	Session string
	Holds   bool
}

// Closes tells whether a focus has held long enough: in the last attempts, the
// latest last.
func Closes(list []FocusState) bool {
	if len(list) < HoldsIn {
		return false
	}
	sessions := map[string]bool{}
	for _, h := range list[len(list)-HoldsIn:] {
		if !h.Holds {
			return false
		}
		sessions[h.Session] = true
	}
	return len(sessions) >= HoldsSessions
}
