// Package playbook carries the shipped playbook files and reads them.
package playbook

import (
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"regexp"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"

	"neokinema/core/measure"
	"neokinema/core/playbook"
)

//go:embed *.yaml
var shipped embed.FS

// Load reads every playbook file that comes with the program, by event id.
func Load() (map[string]playbook.Event, error) {
	names, err := fs.Glob(shipped, "*.yaml")
	if err != nil {
		return nil, err
	}
	out := map[string]playbook.Event{}
	for _, name := range names {
		data, err := shipped.ReadFile(name)
		if err != nil {
			return nil, err
		}
		e, err := Decode(name, data)
		if err != nil {
			return nil, err
		}
		if e.ID+".yaml" != name {
			return nil, fmt.Errorf("%s: its id is %q: name the file after the id", name, e.ID)
		}
		out[e.ID] = e
	}
	return out, nil
}

// Decode reads one playbook file. Every problem names the file and the line.
func Decode(name string, data []byte) (playbook.Event, error) {
	var e playbook.Event
	root, err := decode(data, &e)
	if err != nil {
		return e, fmt.Errorf("%s: %w", name, err)
	}
	problems := e.Validate(measure.Signatures())
	if len(problems) == 0 {
		return e, nil
	}
	lines := make([]string, len(problems))
	for i, p := range problems {
		lines[i] = fmt.Sprintf("%s:%d: %v", name, line(root, p.Path), p)
	}
	return e, fmt.Errorf("%s", strings.Join(lines, "\n"))
}

var step = regexp.MustCompile(`[a-z]+|\[\d+\]`)

// line finds the line of a path such as "faults[2].evidence[0].measure", or of
// the nearest thing above it that the file holds.
func line(root *yaml.Node, path string) int {
	n := root.Content[0]
	for _, s := range step.FindAllString(path, -1) {
		next := child(n, s)
		if next == nil {
			break
		}
		n = next
	}
	return n.Line
}

func child(n *yaml.Node, s string) *yaml.Node {
	if i, err := strconv.Atoi(strings.Trim(s, "[]")); err == nil {
		if n.Kind == yaml.SequenceNode && i < len(n.Content) {
			return n.Content[i]
		}
		return nil
	}
	for i := 0; n.Kind == yaml.MappingNode && i+1 < len(n.Content); i += 2 {
		if n.Content[i].Value == s {
			return n.Content[i+1]
		}
	}
	return nil
}

// ReadPatch reads what a club changes in some event's playbook.
func ReadPatch(data []byte) (playbook.Patch, error) {
	var p playbook.Patch
	if _, err := decode(data, &p); err != nil && !errors.Is(err, ErrEmpty) {
		return p, fmt.Errorf("the change cannot be read: %w", err)
	}
	return p, nil
}

// DecodePatch reads what a club changes in an event's playbook. Every problem of
// the playbook that it leads to is said.
func DecodePatch(e playbook.Event, data []byte) (playbook.Patch, error) {
	p, err := ReadPatch(data)
	if err != nil {
		return p, err
	}
	changed, err := e.With(p)
	if err != nil {
		return p, err
	}
	var lines []string
	for _, problem := range changed.Validate(measure.Signatures()) {
		lines = append(lines, problem.Error())
	}
	if len(lines) > 0 {
		return p, errors.New(strings.Join(lines, "; "))
	}
	return p, nil
}

// Encode writes an event's playbook, or a change of one, as YAML.
func Encode(v any) ([]byte, error) {
	data, err := json.Marshal(v)
	if err != nil {
		return nil, err
	}
	var plain map[string]any
	if err := json.Unmarshal(data, &plain); err != nil {
		return nil, err
	}
	return yaml.Marshal(plain)
}
