package breakdown

import (
	"encoding/json"
	"fmt"
	"reflect"
	"slices"
)

// Command is one change of a breakdown.
type Command interface {
	// Kind names the command in the contract and in an attempt's history.
	Kind() string
	// Validate returns why the content is refused: a number outside of what its
	// physical thing can be, a name that the event's playbook does not have.
	Validate(b Breakdown, f Facts) error
	// Allowed returns why the command cannot be done now. Unlike Validate it is
	// asked when a command is undone or done again too.
	Allowed(b Breakdown, f Facts) error
	// Apply changes b.
	Apply(b *Breakdown, f Facts)
	// Inverse returns the command that sets b, as it is before Apply, back.
	Inverse(b Breakdown) Command
}

// Kinds of the commands that walk through an attempt's history. They have no
// type of their own: the store applies the inverse, or the command itself again.
const (
	Undo = "undo"
	Redo = "redo"
)

// kinds makes an empty command of each kind.
var kinds = map[string]func() Command{}

func register[C any, P interface {
	*C
	Command
}]() {
	kinds[P(new(C)).Kind()] = func() Command { return P(new(C)) }
}

// Kinds lists the kinds of all commands, sorted.
func Kinds() []string {
	var out []string
	for k := range kinds {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}

// Empty returns an empty command of a kind.
func Empty(kind string) (Command, error) {
	if make, ok := kinds[kind]; ok {
		return make(), nil
	}
	return nil, invalid("there is no command %q", kind)
}

// Decode reads the content of a command of a kind from JSON.
func Decode(kind string, body []byte) (Command, error) {
	c, err := Empty(kind)
	if err != nil {
		return nil, err
	}
	if err := json.Unmarshal(body, c); err != nil {
		return nil, fmt.Errorf("the command %q: %w", kind, err)
	}
	return c, nil
}

// Do validates a command and applies it. It returns the breakdown after it and
// the command that takes it back; b stays as it is.
func Do(b Breakdown, f Facts, c Command) (after Breakdown, inverse Command, err error) {
	if err := c.Validate(b, f); err != nil {
		return b, nil, err
	}
	return Repeat(b, f, c)
}

// Repeat applies a command that was valid once: it is only asked whether it is
// allowed now. What was stored once can always be taken back.
func Repeat(b Breakdown, f Facts, c Command) (after Breakdown, inverse Command, err error) {
	if err := c.Allowed(b, f); err != nil {
		return b, nil, err
	}
	inverse = c.Inverse(b)
	after = b.Clone()
	c.Apply(&after, f)
	return after, inverse, nil
}

// Same reports whether two commands ask for the same.
func Same(a, b Command) bool { return reflect.DeepEqual(a, b) }

// anytime is a command that is always allowed.
type anytime struct{}

func (anytime) Allowed(Breakdown, Facts) error { return nil }
