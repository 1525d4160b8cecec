// Package coaching holds what a coach asks of more than one record: what waits
// today, an athlete's page, bests and goals, a day's series, what speaks against a
// plan, and the sheets, cards, strips and tables that are handed out. It reads from
// the store and from the analysis, and changes nothing but the plan and the goals.
package coaching

import (
	"context"
	"time"

	"github.com/google/uuid"

	"neokinema/core/playbook"
	"neokinema/server/analysis"
	"neokinema/server/store"
)

// Service answers. Playbooks are as shipped; Now is the clock.
type Service struct {
	Store     *store.Store
	Analysis  analysis.Service
	Playbooks map[string]playbook.Event
	Now       func() time.Time
}

// clubPlaybooks reads the club's playbooks, each once.
func (s Service) clubPlaybooks(ctx context.Context, viewer uuid.UUID) func(event string) (playbook.Event, error) {
	read := map[string]playbook.Event{}
	return func(event string) (playbook.Event, error) {
		if e, ok := read[event]; ok {
			return e, nil
		}
		e, err := s.Analysis.ClubPlaybook(ctx, viewer, event)
		if err == nil {
			read[event] = e
		}
		return e, err
	}
}

// Day is a day as it is written on screens and sheets.
func Day(t time.Time) string { return t.Format("2 January 2006") }
