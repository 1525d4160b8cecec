package store

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"reflect"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"

	"neokinema/core/breakdown"
	"neokinema/core/playbook"
)

// Command is a change of an attempt's breakdown as it is sent: who names it, the
// version of the attempt that it was made on, and what it asks for.
type Command struct {
	ID      uuid.UUID
	Version int
	Kind    string            // a command's, or breakdown.Undo or breakdown.Redo
	Content breakdown.Command // nil to undo and to do again

	background bool // nobody asked for it: nobody takes it back
}

// NewCommand is a command on a version of an attempt.
func NewCommand(version int, content breakdown.Command) Command {
	return Command{ID: NewID(), Version: version, Kind: content.Kind(), Content: content}
}

// UnmarshalJSON reads a command with its content beside its id, version and kind.
// It refuses properties that the kind does not have.
func (c *Command) UnmarshalJSON(data []byte) error {
	properties := map[string]json.RawMessage{}
	if err := json.Unmarshal(data, &properties); err != nil {
		return err
	}
	for name, into := range map[string]any{"id": &c.ID, "version": &c.Version, "kind": &c.Kind} {
		if value, ok := properties[name]; ok {
			if err := json.Unmarshal(value, into); err != nil {
				return fmt.Errorf("%s: %w", name, err)
			}
			delete(properties, name)
		}
	}
	content, err := json.Marshal(properties)
	if err != nil {
		return err
	}
	if c.Kind == breakdown.Undo || c.Kind == breakdown.Redo {
		return nil
	}
	if c.Content, err = breakdown.Empty(c.Kind); err != nil {
		return err
	}
	d := json.NewDecoder(bytes.NewReader(content))
	d.DisallowUnknownFields()
	if err := d.Decode(c.Content); err != nil {
		return fmt.Errorf("the command %q: %w", c.Kind, err)
	}
	return nil
}

// Conflict says that an attempt was changed by somebody else meanwhile.
type Conflict struct{ Theirs Bench }

func (Conflict) Error() string {
	return "this attempt was changed elsewhere in the meantime: look at the newer state, then decide whether to make your change again"
}

// Execute applies a command and returns the Bench after it; e is the playbook
// that counts for the attempt. A command that was applied before changes
// nothing; one made on an older version is a Conflict; another one under the same
// id is AlreadyExists.
func (s *Store) Execute(ctx context.Context, viewer, attempt uuid.UUID, e playbook.Event, c Command) (Bench, error) {
	var out Bench
	err := s.within(ctx, func(tx *sqlx.Tx) error {
		var version int
		if err := tx.GetContext(ctx, &version, `select version from attempt where id = $1 for update`, attempt); err != nil {
			return notFound(err)
		}
		before, err := readBench(ctx, tx, viewer, attempt)
		if err != nil {
			return err
		}
		done, err := c.doneBefore(ctx, tx, attempt)
		if err != nil {
			return err
		}
		if done {
			out = before
			return nil
		}
		changed, err := c.changedSince(ctx, tx, attempt, version)
		if err != nil {
			return err
		}
		if changed {
			return Conflict{before}
		}
		if err := s.apply(ctx, tx, viewer, before, e, c); err != nil {
			return err
		}
		out, err = readBench(ctx, tx, viewer, attempt)
		return err
	})
	return out, err
}

// changedSince reports whether anything but the background's finds has changed an
// attempt since the version that a command was made on: what is found beside a coach
// contradicts nothing that the coach does.
func (c Command) changedSince(ctx context.Context, tx *sqlx.Tx, attempt uuid.UUID, version int) (changed bool, err error) {
	if c.Version == version {
		return false, nil
	}
	if c.Version > version {
		return true, nil
	}
	return changed, tx.GetContext(ctx, &changed, `select exists (select from command where attempt_id = $1 and version > $2 and not background)
		or (select count(*) from command where attempt_id = $1 and version > $2) < $3`, attempt, c.Version, version-c.Version)
}

// doneBefore tells a command that was applied before from another one under its
// id.
func (c Command) doneBefore(ctx context.Context, tx *sqlx.Tx, attempt uuid.UUID) (bool, error) {
	var was []struct {
		Attempt uuid.UUID `db:"attempt_id"`
		Kind    string
		Body    []byte
	}
	if err := tx.SelectContext(ctx, &was, `select attempt_id, kind, body from command where id = $1`, c.ID); err != nil || len(was) == 0 {
		return false, err
	}
	if was[0].Attempt != attempt || was[0].Kind != c.Kind {
		return false, AlreadyExists{"change"}
	}
	if c.Content == nil {
		return true, nil
	}
	content, err := breakdown.Decode(was[0].Kind, was[0].Body)
	if err != nil {
		return false, err
	}
	if !breakdown.Same(content, c.Content) {
		return false, AlreadyExists{"change"}
	}
	return true, nil
}

// apply changes an attempt and notes the command in its history.
func (s *Store) apply(ctx context.Context, tx *sqlx.Tx, viewer uuid.UUID, before Bench, e playbook.Event, c Command) error {
	attempt := before.Attempt.ID
	f, err := facts(ctx, tx, before, breakdown.Facts{Event: e})
	if err != nil {
		return err
	}
	var after breakdown.Breakdown
	var inverse breakdown.Command
	switch c.Kind {
	case breakdown.Undo:
		after, err = stepHistory(ctx, tx, before, f, undo)
	case breakdown.Redo:
		after, err = stepHistory(ctx, tx, before, f, redo)
	default:
		if after, inverse, err = breakdown.Do(before.Breakdown, f, c.Content); err == nil && !c.background {
			_, err = tx.ExecContext(ctx, `update command set state = 'gone' where attempt_id = $1 and state = 'undone'`, attempt)
		}
	}
	if err != nil {
		return err
	}
	if err := saveBreakdown(ctx, tx, attempt, before.Breakdown, after); err != nil {
		return err
	}
	if err := s.notePoints(ctx, tx, before, after); err != nil {
		return err
	}
	if !reflect.DeepEqual(before.Calibration.Subject, after.Calibration.Subject) {
		if err := forgetLooks(ctx, tx, attempt); err != nil {
			return err
		}
	}
	body, err := content(c.Content)
	if err != nil {
		return err
	}
	back, err := content(inverse)
	if err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, `update attempt set version = version + 1 where id = $1`, attempt); err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, `insert into command (id, attempt_id, version, account_id, kind, body, inverse, background) values ($1, $2, $3, $4, $5, $6, $7, $8)`,
		c.ID, attempt, before.Attempt.Version+1, viewer, c.Kind, body, back, c.background)
	return err
}

// content is a command's content as it is stored.
func content(c breakdown.Command) ([]byte, error) {
	if c == nil {
		return []byte("{}"), nil
	}
	return json.Marshal(c)
}

// direction is a way through an attempt's history.
type direction struct {
	from, to string // states of a command
	column   string // what is applied
	order    string
	nothing  string // what is said when there is none
}

var (
	undo = direction{"done", "undone", "inverse", "version desc", "there is nothing to undo"}
	redo = direction{"undone", "done", "body", "version", "there is nothing to do again"}
)

// stepHistory applies the next command in a direction.
func stepHistory(ctx context.Context, tx *sqlx.Tx, before Bench, f breakdown.Facts, d direction) (breakdown.Breakdown, error) {
	var row struct {
		ID      uuid.UUID
		Kind    string
		Content []byte
	}
	err := tx.GetContext(ctx, &row, fmt.Sprintf(`select id, kind, %s as content from command where attempt_id = $1 and state = $2
		and kind not in ('undo', 'redo') and not background order by %s limit 1`, d.column, d.order), before.Attempt.ID, d.from)
	if errors.Is(notFound(err), ErrNotFound) {
		return before.Breakdown, Invalid(d.nothing)
	}
	if err != nil {
		return before.Breakdown, err
	}
	c, err := breakdown.Decode(row.Kind, row.Content)
	if err != nil {
		return before.Breakdown, err
	}
	after, _, err := breakdown.Repeat(before.Breakdown, f, c)
	if err != nil {
		return before.Breakdown, err
	}
	_, err = tx.ExecContext(ctx, `update command set state = $2 where id = $1`, row.ID, d.to)
	return after, err
}
