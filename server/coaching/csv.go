package coaching

import (
	"context"
	"encoding/csv"
	"encoding/json"
	"errors"
	"io"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"

	"neokinema/core/result"
	"neokinema/server/assemble"
	"neokinema/server/store"
)

// csvTable writes a table whose rows a function fills.
func csvTable(to io.Writer, head []string, fill func(row func(...string)) error) error {
	w := csv.NewWriter(to)
	put := func(cells ...string) {
		for i, cell := range cells {
			cells[i] = csvSafe(cell)
		}
		_ = w.Write(cells) // Flush keeps its error
	}
	put(head...)
	if err := fill(put); err != nil {
		return err
	}
	w.Flush()
	return w.Error()
}

// WriteAttempts writes all attempts that an account may see as CSV.
func (s Service) WriteAttempts(ctx context.Context, viewer uuid.UUID, to io.Writer) error {
	return csvTable(to, []string{"attempt", "day", "place", "athlete", "event", "school", "number", "clip", "capture rate, pictures/s", "stamps", "landmarks", "focus", "cue", "film again", "mark", "lost"},
		func(row func(...string)) error {
			lines, err := s.Store.Attempts(ctx, viewer, everything)
			for _, l := range lines {
				clip, rate, refilm, worth := "", "", "", ""
				if l.Mark != nil {
					worth = result.Result(*l.Mark).Format(s.Playbooks[l.Event].Mark.Kind)
				}
				if l.Clip != nil {
					clip = l.Clip.String()
				}
				if l.Rate != nil && *l.Rate > 0 {
					rate = number(*l.Rate)
				}
				if l.Refilm != nil {
					refilm = l.Refilm.Format(time.DateOnly)
				}
				row(l.ID.String(), l.Day.Format(time.DateOnly), l.Place, l.Athlete, l.Event, l.School, strconv.Itoa(l.Number), clip, rate,
					strconv.Itoa(l.Stamps), strconv.Itoa(l.Marks), orEmpty(l.Focus), orEmpty(l.CueWords), refilm, worth, l.Foul)
			}
			return err
		})
}

// WriteMeasures writes all measures with a number as CSV. What changed since it was
// read last is read anew.
func (s Service) WriteMeasures(ctx context.Context, viewer uuid.UUID, to io.Writer) error {
	return csvTable(to, []string{"attempt", "day", "athlete", "event", "measure", "name", "value", "standard uncertainty", "unit", "verdict", "aim"},
		func(row func(...string)) error {
			lines, err := s.Store.Attempts(ctx, viewer, everything)
			if err != nil {
				return err
			}
			var ids []uuid.UUID
			for _, l := range lines {
				ids = append(ids, l.ID)
			}
			kept, err := s.Store.LatestReadings(ctx, ids)
			if err != nil {
				return err
			}
			for _, l := range lines {
				if l.Status == nil || *l.Status != "ready" || l.Rate == nil || *l.Rate == 0 {
					continue
				}
				if r, ok := kept[l.ID]; ok && r.Version == l.Version {
					var reading assemble.Reading
					if err := json.Unmarshal(r.Reading, &reading); err != nil {
						return err
					}
					measureRows(row, l, reading)
					continue
				}
				b, err := s.Store.Bench(ctx, viewer, l.ID)
				if errors.Is(err, store.ErrNotFound) {
					continue // erased meanwhile
				}
				if err != nil {
					return err
				}
				r, err := s.Analysis.Reading(ctx, viewer, b)
				if err != nil {
					return err
				}
				measureRows(row, l, r)
			}
			return nil
		})
}

// everything is how many attempts an export holds at most.
const everything = 100000

// csvSafe keeps a spreadsheet from taking words for a formula. Numbers stay.
func csvSafe(s string) string {
	if s == "" || !strings.ContainsAny(s[:1], "=+-@\t\r") {
		return s
	}
	if _, err := strconv.ParseFloat(s, 64); err == nil {
		return s
	}
	return "'" + s
}

// measureRows writes what a reading measured.
func measureRows(row func(...string), l store.Line, r assemble.Reading) {
	for _, v := range r.Values {
		if v.Known() {
			row(l.ID.String(), l.Day.Format(time.DateOnly), l.Athlete, l.Event, v.Key, v.Name, number(v.Value.Value), number(v.U), v.Unit, string(v.Verdict), v.Aim)
		}
	}
}

func number(v float64) string { return strconv.FormatFloat(v, 'g', 6, 64) }

func orEmpty(s *string) string {
	if s == nil {
		return ""
	}
	return *s
}
