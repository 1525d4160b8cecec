package api

import (
	"bytes"
	"context"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"image"
	"net/http"
	"sort"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"neokinema/core/body"
	"neokinema/core/judge"
	"neokinema/core/result"
	"neokinema/server/assemble"
	"neokinema/server/report"
	"neokinema/server/store"
)

// everything is how many attempts an export holds at most.
const everything = 100000

// table answers with a CSV that a row function fills.
func table(c *echo.Context, name string, head []string, fill func(row func(...string)) error) error {
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	put := func(cells ...string) {
		for i, cell := range cells {
			cells[i] = csvSafe(cell)
		}
		_ = w.Write(cells) // a buffer takes everything
	}
	put(head...)
	if err := fill(put); err != nil {
		return err
	}
	w.Flush()
	c.Response().Header().Set("Content-Disposition", fmt.Sprintf(`attachment; filename="%s.csv"`, name))
	return c.Blob(http.StatusOK, "text/csv; charset=utf-8", out.Bytes())
}

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

// ExportAttempts sends all attempts as CSV.
func (s *Server) ExportAttempts(c *echo.Context) error {
	return table(c, "attempts", []string{"attempt", "day", "place", "athlete", "event", "school", "number", "clip", "capture rate, pictures/s", "stamps", "landmarks", "focus", "cue", "film again", "mark", "lost"},
		func(row func(...string)) error {
			lines, err := s.Store.Attempts(c.Request().Context(), me(c).ID, time.Time{}, everything)
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

// ExportMeasures sends all measures with a number as CSV.
func (s *Server) ExportMeasures(c *echo.Context) error {
	ctx := c.Request().Context()
	return table(c, "measures", []string{"attempt", "day", "athlete", "event", "measure", "name", "value", "standard uncertainty", "unit", "verdict", "aim"},
		func(row func(...string)) error {
			lines, err := s.Store.Attempts(ctx, me(c).ID, time.Time{}, everything)
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
				b, err := s.Store.Bench(ctx, me(c).ID, l.ID) // it changed since it was read last
				if errors.Is(err, store.ErrNotFound) {
					continue // erased meanwhile
				}
				if err != nil {
					return err
				}
				r, err := s.reading(c, b)
				if err != nil {
					return err
				}
				measureRows(row, l, r)
			}
			return nil
		})
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

// mostArcs is how many angles a cell can show and stay readable.
const mostArcs = 2

// GetStrip draws the key strip.
func (s *Server) GetStrip(c *echo.Context, id uuid.UUID) error {
	ctx := c.Request().Context()
	b, err := s.Store.Bench(ctx, me(c).ID, id)
	if err != nil {
		return err
	}
	if len(b.Stamps) == 0 {
		return store.Invalid("nothing is stamped yet: the strip shows the key positions")
	}
	r, err := s.reading(c, b)
	if err != nil {
		return err
	}
	e, err := s.playbookOf(c, b)
	if err != nil {
		return err
	}
	strip := report.Strip{
		Title: fmt.Sprintf("%s · %s %d · %s", b.Athlete.Name, e.Name, b.Attempt.Number, day(b.Attempt.Day)),
		Below: fmt.Sprintf("%s. Times from the %s; ± is two standard uncertainties. Filmed at %.0f pictures a second.", b.Attempt.Place, strings.ToLower(keyName(r, e.Zero)), b.Clip.CaptureRate),
	}
	beats := append([]assemble.KeyTime(nil), r.Beats...)
	sort.SliceStable(beats, func(i, j int) bool { return beats[i].T < beats[j].T })
	half := 0
	for _, beat := range beats {
		half = max(half, around(b, beat.Frame).Dy()/2)
	}
	for _, beat := range beats {
		cell, err := s.cell(ctx, me(c).ID, b, r, beat, half)
		if err != nil {
			return err
		}
		k, _ := e.Key(beat.KeyID)
		cell.Name, cell.Time = k.Name, fmt.Sprintf("%.3f s ± %.3f", beat.T, 2*beat.U)
		strip.Cells = append(strip.Cells, cell)
	}
	var png bytes.Buffer
	if err := strip.Write(&png); err != nil {
		return err
	}
	c.Response().Header().Set("Content-Disposition", `inline; filename="key-strip.png"`)
	return c.Blob(http.StatusOK, "image/png", png.Bytes())
}

// cell is the athlete on a stamped picture with the placed figure; half is half of
// the part's height that is shown, px.
func (s *Server) cell(ctx context.Context, viewer uuid.UUID, b store.Bench, r assemble.Reading, beat assemble.KeyTime, half int) (report.Cell, error) {
	box := around(b, beat.Frame)
	cell := report.Cell{Middle: box.Min.Add(box.Max).Div(2), Half: half}
	if !b.Clip.Filmless {
		var err error
		if cell.Picture, err = s.Store.Picture(ctx, viewer, b.Clip.ID, beat.Frame); err != nil {
			return cell, err
		}
	}
	figure(&cell, assemble.Working(s.Playbooks[b.Attempt.Event], b), b, r, beat)
	return cell, nil
}

// keyName is the key position at which the score begins, in words.
func keyName(r assemble.Reading, zero []string) string {
	if r.Zero != "" {
		return strings.ReplaceAll(r.Zero, "-", " ")
	}
	return strings.Join(zero, " or ")
}

// figure draws what is placed on a picture and the angles measured there.
func figure(cell *report.Cell, working body.Side, b store.Bench, r assemble.Reading, beat assemble.KeyTime) {
	shown := float64(b.Clip.ShownWidth()) / float64(b.Clip.Width)
	point := func(x, y float64) image.Point { return image.Pt(int(x*shown+0.5), int(y*shown+0.5)) }
	at := map[string]image.Point{}
	for _, l := range b.Landmarks {
		if l.Frame == beat.Frame {
			at[l.Name] = point(l.X, l.Y)
		}
	}
	for _, side := range []body.Side{working.Other(), working} {
		role := "rear"
		if side == working {
			role = "front"
		}
		for _, bone := range assemble.Limbs {
			from, okF := at[bone[0]+"."+string(side)]
			to, okT := at[bone[1]+"."+string(side)]
			if okF && okT {
				cell.Bones = append(cell.Bones, report.Bone{A: from, B: to, Role: role})
			}
		}
	}
	for _, v := range r.Values {
		if v.KeyID != beat.KeyID || !v.Known() || v.Unit != "deg" || len(cell.Arcs) >= mostArcs || v.Verdict == judge.NoBand {
			continue
		}
		for _, d := range v.Overlays {
			if d.Kind == "arc" && d.Frame == beat.Frame && d.Vertex != nil {
				cell.Arcs = append(cell.Arcs, report.Arc{Vertex: point(d.Vertex.X, d.Vertex.Y), From: point(d.From.X, d.From.Y), To: point(d.To.X, d.To.Y),
					Label: fmt.Sprintf("%.0f° ± %.0f", v.Value.Value, 2*v.U)})
				break
			}
		}
	}
}
