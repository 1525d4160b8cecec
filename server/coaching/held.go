package coaching

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"path"
	"strings"

	"github.com/google/uuid"

	"neokinema/server/store"
)

// heldWords stand at the head of what is held of a person.
const heldWords = `All that Neokinema holds of this person.

data/*.json   one file a kind of entry, as it is stored; times in UTC, lengths in metres,
              picture coordinates in pixels of the original picture, u a standard uncertainty
data/*.csv    attempts and measured values as tables
films/        the films as they were sent

Passwords are not among it; pictures are decoded from the films, and are not repeated.
`

// Held is all that is held of a person, ready to be written.
type Held struct {
	service Service
	parts   []store.HeldTable
}

// Held gathers the entries of an athlete; films are read as they are written.
func (s Service) Held(ctx context.Context, viewer, athlete uuid.UUID) (Held, error) {
	parts, err := s.Store.HeldOf(ctx, viewer, athlete)
	return Held{s, parts}, err
}

// Write writes an archive of JSON and CSV files and of the films as they were sent.
func (h Held) Write(ctx context.Context, to io.Writer) error {
	z := zip.NewWriter(to)
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
	for _, p := range h.parts {
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
		w, err := z.CreateHeader(&zip.FileHeader{Name: "films/" + one.ID.String() + path.Ext(one.Name), Method: zip.Store, Modified: h.service.Now()})
		if err != nil {
			return err
		}
		if err := h.service.Store.Original(ctx, one.ID, w); err != nil {
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
