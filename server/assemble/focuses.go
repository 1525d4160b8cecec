package assemble

import (
	"time"

	"neokinema/core/coach"
	"neokinema/core/playbook"
	"neokinema/server/store"
)

// OpenFocus is an assignment that stands, with how far its focus holds.
type OpenFocus struct {
	Attempt      string          `json:"attempt"`
	Version      int             `json:"version"` // of the attempt
	Event        string          `json:"event"`
	Day          string          `json:"day"`
	Fault        string          `json:"fault"`
	Name         string          `json:"name"`
	Words        string          `json:"words"`
	Key          string          `json:"key,omitempty"` // of the measure that is to move
	Refilm       string          `json:"refilm"`
	Due          bool            `json:"due"`
	Closed       bool            `json:"closed"`         // it held often enough
	ClosedOn     string          `json:"shut,omitempty"` // the day on which the coach closed it
	HeldCount    int             `json:"held"`           // of the attempts since then
	AttemptCount int             `json:"seen"`
	Latest       *coach.FollowUp `json:"latest,omitempty"` // what the latest attempt shows
}

// OpenOf is how an assignment stands on a day, by what was measured since.
func OpenOf(e playbook.Event, a store.StandingAssignment, since []store.LaterAttempt, today time.Time) OpenFocus {
	f, _ := e.Fault(a.Fault)
	out := OpenFocus{Attempt: a.ID.String(), Version: a.Version, Event: a.Event, Day: a.Day.Format(time.DateOnly), Fault: a.Fault, Name: f.Name, Words: a.Words, Refilm: a.Refilm.Format(time.DateOnly)}
	cue := playbook.Cue{}
	for _, c := range e.CuesFor(a.Fault) {
		if c.ID == a.Cue {
			cue = c
		}
	}
	aim, ok := AimOf(a.Reading, a.Fault)
	if ok {
		out.Key = aim.Key
		before := known(a.Reading)
		var held []coach.FocusState
		for _, s := range since {
			got := coach.Follow(aim, cue, before, known(s.Reading))
			if got.Outcome == coach.Unseen {
				continue
			}
			out.AttemptCount++
			if got.Holds {
				out.HeldCount++
			}
			held = append(held, coach.FocusState{Session: s.Session.String(), Holds: got.Holds})
			out.Latest = &got
		}
		out.Closed = coach.Closes(held)
	}
	if a.Closed != nil {
		out.ClosedOn = a.Closed.Format(time.DateOnly)
	}
	out.Due = a.Closed == nil && !out.Closed && out.AttemptCount == 0 && !a.Refilm.After(today)
	return out
}
