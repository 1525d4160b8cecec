package api

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"path"
	"strings"
	"time"

	"net/http"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"neokinema/server/store"
)

// GetRetention sends for how long films are kept.
func (s *Server) GetRetention(c *echo.Context) error {
	months, err := s.Store.Retention(c.Request().Context(), me(c).ClubID)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, Retention{Months: months})
}

// SetRetention says for how long films are kept. Nothing is erased by itself: Today
// names whose films have outlived the rule, and a coach decides.
func (s *Server) SetRetention(c *echo.Context) error {
	who, err := owner(c)
	if err != nil {
		return err
	}
	var in Retention
	if err := read(c, &in); err != nil {
		return err
	}
	return done(c, s.Store.SetRetention(c.Request().Context(), who.ClubID, in.Months))
}

// retentionWaits are the people whose films somebody should think about.
func (s *Server) retentionWaits(ctx context.Context, who store.Account, today time.Time) ([]WaitingItem, error) {
	var out []WaitingItem
	open, err := s.Store.FilmsWithoutConsent(ctx, who.ID, today)
	if err != nil {
		return nil, err
	}
	for _, k := range open {
		out = append(out, WaitingItem{Kind: WaitingItemKindKeep, Says: fmt.Sprintf("%s is under age, and nobody's consent to be filmed is noted", k.Name), Under: filmsText(k), To: "/athletes/" + k.Athlete.String()})
	}
	months, err := s.Store.Retention(ctx, who.ClubID)
	if err != nil || months == 0 {
		return out, err
	}
	old, err := s.Store.FilmsPastRetention(ctx, who.ID, today.AddDate(0, -months, 0))
	if err != nil {
		return nil, err
	}
	for _, k := range old {
		out = append(out, WaitingItem{Kind: WaitingItemKindKeep, Says: fmt.Sprintf("%s: films older than the club's %d months", k.Name, months), Under: filmsText(k) + ": erase what is no longer needed", To: "/athletes/" + k.Athlete.String()})
	}
	return out, nil
}

func filmsText(k store.KeptFilms) string {
	if k.Films == 1 {
		return "one film, of " + day(k.Oldest)
	}
	return fmt.Sprintf("%d films, the oldest of %s", k.Films, day(k.Oldest))
}

// heldWords stand at the head of what is held of a person.
const heldWords = `All that Neokinema holds of this person.

data/*.json   one file a kind of entry, as it is stored; times in UTC, lengths in metres,
              picture coordinates in pixels of the original picture, u a standard uncertainty
data/*.csv    attempts and measured values as tables
films/        the films as they were sent

Passwords are not among it; pictures are decoded from the films, and are not repeated.
`

// ExportAthlete sends all that is held of a person.
func (s *Server) ExportAthlete(c *echo.Context, id uuid.UUID) error {
	ctx, who := c.Request().Context(), me(c)
	parts, err := s.Store.FilmsOfAthlete(ctx, who.ID, id)
	if err != nil {
		return err
	}
	h := c.Response().Header()
	h.Set("Content-Type", "application/zip")
	h.Set("Content-Disposition", `attachment; filename="held.zip"`)
	h.Set("Cache-Control", "no-store")
	z := zip.NewWriter(c.Response())
	put := func(name string, data []byte) error {
		w, err := z.Create(name)
		if err == nil {
			_, err = w.Write(data)
		}
		return err
	}
	if err := put("README.txt", []byte(heldWords)); err != nil {
		return err
	}
	var clips []struct {
		ID   uuid.UUID `json:"id"`
		Name string    `json:"name"`
	}
	for _, p := range parts {
		var pretty bytes.Buffer
		if err := json.Indent(&pretty, p.Rows, "", " "); err != nil {
			return err
		}
		if err := put("data/"+p.Name+".json", pretty.Bytes()); err != nil {
			return err
		}
		switch p.Name {
		case "clips":
			if err := json.Unmarshal(p.Rows, &clips); err != nil {
				return err
			}
		case "attempts", "values":
			text, err := asCSV(p.Rows)
			if err != nil {
				return err
			}
			if err := put("data/"+p.Name+".csv", text); err != nil {
				return err
			}
		}
	}
	for _, one := range clips {
		w, err := z.CreateHeader(&zip.FileHeader{Name: "films/" + one.ID.String() + path.Ext(one.Name), Method: zip.Store, Modified: s.Now()})
		if err != nil {
			return err
		}
		if err := s.Store.Original(ctx, one.ID, w); err != nil {
			return err
		}
	}
	return z.Close()
}

// asCSV writes a list of flat JSON objects as a table, its columns in the order of
// the first one's.
func asCSV(rows []byte) ([]byte, error) {
	var list []json.RawMessage
	if err := json.Unmarshal(rows, &list); err != nil {
		return nil, err
	}
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	for i, row := range list {
		names, cells, err := flat(row)
		if err != nil {
			return nil, err
		}
		if i == 0 {
			if err := w.Write(names); err != nil {
				return nil, err
			}
		}
		if err := w.Write(cells); err != nil {
			return nil, err
		}
	}
	w.Flush()
	return out.Bytes(), w.Error()
}

// flat is an object's names and values in their order.
func flat(object json.RawMessage) (names, cells []string, err error) {
	d := json.NewDecoder(bytes.NewReader(object))
	d.UseNumber()
	if _, err := d.Token(); err != nil {
		return nil, nil, err
	}
	for d.More() {
		name, err := d.Token()
		if err != nil {
			return nil, nil, err
		}
		var value any
		if err := d.Decode(&value); err != nil {
			return nil, nil, err
		}
		cell := ""
		if value != nil {
			cell = csvSafe(strings.TrimSpace(fmt.Sprint(value)))
		}
		names, cells = append(names, fmt.Sprint(name)), append(cells, cell)
	}
	return names, cells, nil
}
