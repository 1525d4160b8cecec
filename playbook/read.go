package playbook

import (
	"bytes"
	"errors"
	"fmt"
	"io"

	"go.yaml.in/yaml/v3"

	"neokinema/core/bounds"
)

// What a playbook file or a change of one may be at most.
const (
	MostBytes   = 512 << 10 // of text; the longest shipped file has a fifth of it
	mostNodes   = 200_000   // mappings, lists and values after every alias is written out
	mostScalars = 4 << 20   // bytes of all values, written out
	mostDepth   = 40        // one in another
	mostText    = 4000      // bytes of one text
)

// ErrEmpty is returned for a text that holds no YAML document.
var ErrEmpty = errors.New("there is nothing in it")

// decode reads one YAML document into a value and refuses what the value does not
// know. The document is bounded before it is decoded: a short text whose aliases
// expand to gigabytes is refused. Every number must be finite and every text of a
// usual length.
func decode(data []byte, into any) (*yaml.Node, error) {
	if len(data) > MostBytes {
		return nil, fmt.Errorf("it has %d bytes, more than %d", len(data), MostBytes)
	}
	var root yaml.Node
	switch err := yaml.NewDecoder(bytes.NewReader(data)).Decode(&root); {
	case errors.Is(err, io.EOF) || err == nil && len(root.Content) == 0:
		return nil, ErrEmpty
	case err != nil:
		return nil, err
	}
	if err := new(size).add(&root, 0); err != nil {
		return nil, err
	}
	dec := yaml.NewDecoder(bytes.NewReader(data))
	dec.KnownFields(true)
	if err := dec.Decode(into); err != nil {
		return nil, err
	}
	if err := dec.Decode(new(any)); !errors.Is(err, io.EOF) {
		return nil, errors.New("it holds more than one document: leave out what follows the line of three hyphens")
	}
	return &root, sane(into)
}

// sane checks every number and text of a playbook or a change.
func sane(v any) error {
	return bounds.Visitor{
		Number: func(path string, x float64) error {
			if err := bounds.AnyNumber.Check(x); err != nil {
				return fmt.Errorf("%s: %w", path, err)
			}
			return nil
		},
		Text: func(path, s string) error {
			if err := bounds.Text(s, mostText); err != nil {
				return fmt.Errorf("%s: the text %w", path, err)
			}
			return nil
		},
	}.Visit(v)
}

// size is how large a document is with every alias written out.
type size struct{ nodes, scalars int }

func (s *size) add(n *yaml.Node, depth int) error {
	s.nodes++
	s.scalars += len(n.Value)
	if s.nodes > mostNodes || s.scalars > mostScalars {
		return errors.New("its aliases expand it beyond all measure: write out what they stand for")
	}
	if depth > mostDepth {
		return fmt.Errorf("it is nested more than %d deep", mostDepth)
	}
	if n.Kind == yaml.AliasNode {
		return s.add(n.Alias, depth+1)
	}
	for _, c := range n.Content {
		if err := s.add(c, depth+1); err != nil {
			return err
		}
	}
	return nil
}
