package analysis

import (
	"context"
	"fmt"
	"maps"
	"strings"

	"github.com/google/uuid"

	"neokinema/core/judge"
	"neokinema/server/assemble"
	"neokinema/server/store"
)

// FirstReading says in a few words what an attempt shows by what was found on its
// film, before anybody looked at it: with the key positions that are pencilled in
// taken as if they were stamped.
func (d Service) FirstReading(ctx context.Context, viewer uuid.UUID, b store.Bench) (string, error) {
	if b.Clip == nil || b.Followed == nil {
		return "", nil
	}
	g, err := d.Inputs(ctx, viewer, b)
	if err != nil {
		return "", err
	}
	pts, err := d.Store.PTS(ctx, b.Clip.ID)
	if err != nil {
		return "", err
	}
	proposed, err := assemble.Propose(g.Event, b, pts, g.SecondFilm)
	if err != nil {
		return "", err
	}
	b.Stamps, b.StampU = maps.Clone(b.Stamps), map[string]float64{}
	for _, p := range proposed.Proposals {
		b.Stamps[p.KeyID], b.StampU[p.KeyID] = p.Frame, float64(p.U)
	}
	if len(b.Stamps) == 0 {
		return "the athlete is found; no key position is", nil
	}
	r, err := assemble.Read(g.Event, b, pts, g.SecondFilm, g.History)
	if err != nil {
		return "", err
	}
	if r.ScaleOffer != nil { // as the coach would take it
		b.Calibration.Scale = r.ScaleOffer
		if r, err = assemble.Read(g.Event, b, pts, g.SecondFilm, g.History); err != nil {
			return "", err
		}
	}
	words := []string{fmt.Sprintf("%d of %d key positions found", len(b.Stamps), len(g.Event.Keys))}
	if len(r.Focuses) > 0 {
		words = []string{strings.ToLower(r.Focuses[0].Name[:1]) + r.Focuses[0].Name[1:] + howSure(r, r.Focuses[0].Fault)}
	}
	if n := len(r.Deciding); n == 1 {
		words = append(words, "1 point to look at")
	} else if n > 1 {
		words = append(words, fmt.Sprintf("%d points to look at", n))
	}
	return strings.Join(words, "; "), nil
}

// howSure is how sure a fault is, as it is said.
func howSure(r assemble.Reading, fault string) string {
	const sure = 0.9
	for _, f := range r.Findings {
		if f.Fault == fault && f.Certainty >= sure && f.State == judge.Present {
			return ""
		}
	}
	return ", perhaps"
}
