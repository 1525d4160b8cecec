package breakdown

import (
	"maps"
	"slices"
	"strings"

	"neokinema/core/playbook"
)

func init() {
	register[Stamp]()
	register[Stamps]()
	register[RejectedProposals]()
	register[NotInFilm]()
}

// Stamp puts a key position on a picture; without a picture it is taken off.
type Stamp struct {
	KeyID string `json:"keyId"`
	Frame *int   `json:"frame,omitempty"`
}

func (*Stamp) Kind() string { return "stamp" }

func (c *Stamp) Validate(_ Breakdown, f Facts) error { return inPlaybook(f.Event, c.KeyID) }

func (c *Stamp) Allowed(b Breakdown, _ Facts) error {
	if c.Frame == nil {
		return nil
	}
	return stampable(b, *c.Frame)
}

// Apply stamps by the coach's eye: what a proposal was off by counts no more.
func (c *Stamp) Apply(b *Breakdown, _ Facts) {
	set(b.Stamps, c.KeyID, c.Frame)
	delete(b.StampU, c.KeyID)
}

func (c *Stamp) Inverse(b Breakdown) Command {
	if u, found := b.StampU[c.KeyID]; found {
		return &Stamps{map[string]*int{c.KeyID: entry(b.Stamps, c.KeyID)}, map[string]float64{c.KeyID: u}}
	}
	return &Stamp{c.KeyID, entry(b.Stamps, c.KeyID)}
}

// Stamps sets several key positions at once; null takes one off. U are the standard
// uncertainties, s, of those that were found on points that nobody confirmed.
type Stamps struct {
	Stamps map[string]*int    `json:"stamps"`
	U      map[string]float64 `json:"u,omitempty"`
}

func (*Stamps) Kind() string { return "stamps" }

// Validate refuses several stamps at once that bring the key positions out of
// order: nobody looked at each of them.
func (c *Stamps) Validate(b Breakdown, f Facts) error {
	after := map[string]int{}
	maps.Copy(after, b.Stamps)
	for keyID, frame := range c.Stamps {
		if err := inPlaybook(f.Event, keyID); err != nil {
			return err
		}
		set(after, keyID, frame)
	}
	for keyID, u := range c.U {
		if frame, stamped := c.Stamps[keyID]; !stamped || frame == nil || !(u >= 0 && u <= mostStampU) {
			return invalid("the ± of %s must go with a stamp and be 0 to %g s", keyID, mostStampU)
		}
	}
	was := f.Event.OutOfOrder(b.Stamps)
	for _, wrong := range f.Event.OutOfOrder(after) {
		if !slices.Contains(was, wrong) {
			return invalid("these stamps cannot stand together: %s", wrong)
		}
	}
	return nil
}

func (c *Stamps) Allowed(b Breakdown, _ Facts) error {
	for _, frame := range c.Stamps {
		if frame == nil {
			continue
		}
		if err := stampable(b, *frame); err != nil {
			return err
		}
	}
	return nil
}

func (c *Stamps) Apply(b *Breakdown, _ Facts) {
	for keyID, frame := range c.Stamps {
		set(b.Stamps, keyID, frame)
		delete(b.StampU, keyID)
		if u := c.U[keyID]; u > 0 {
			if b.StampU == nil {
				b.StampU = map[string]float64{}
			}
			b.StampU[keyID] = u
		}
	}
}

// mostStampU is by how much, s, a found key position may be off at most.
const mostStampU = 1.0

func (c *Stamps) Inverse(b Breakdown) Command {
	back := Stamps{Stamps: map[string]*int{}}
	for keyID := range c.Stamps {
		back.Stamps[keyID] = entry(b.Stamps, keyID)
		if u, found := b.StampU[keyID]; found {
			if back.U == nil {
				back.U = map[string]float64{}
			}
			back.U[keyID] = u
		}
	}
	return &back
}

// RejectedProposals are the key positions whose proposals are not wanted.
type RejectedProposals struct {
	anytime
	KeyIDs []string `json:"keyIds"`
}

func (*RejectedProposals) Kind() string { return "rejectedProposals" }

func (c *RejectedProposals) Validate(_ Breakdown, f Facts) error {
	return allInPlaybook(f.Event, c.KeyIDs)
}

func (c *RejectedProposals) Apply(b *Breakdown, _ Facts) {
	b.Calibration.RejectedProposals = c.KeyIDs
}

func (c *RejectedProposals) Inverse(b Breakdown) Command {
	return &RejectedProposals{KeyIDs: b.Calibration.RejectedProposals}
}

// NotInFilm are the key positions that the film does not show: it begins after
// them, or ends before them. One that is stamped after all counts as stamped.
type NotInFilm struct {
	anytime
	KeyIDs []string `json:"keyIds"`
}

func (*NotInFilm) Kind() string { return "notInFilm" }

func (c *NotInFilm) Validate(b Breakdown, f Facts) error {
	for _, keyID := range c.KeyIDs {
		if _, stamped := b.Stamps[keyID]; stamped {
			k, _ := f.Event.Key(keyID)
			return invalid("%s is stamped, so it is in this film", k.Name)
		}
	}
	return allInPlaybook(f.Event, c.KeyIDs)
}

func (c *NotInFilm) Apply(b *Breakdown, _ Facts) { b.Calibration.NotInFilm = c.KeyIDs }

func (c *NotInFilm) Inverse(b Breakdown) Command { return &NotInFilm{KeyIDs: b.Calibration.NotInFilm} }

// inPlaybook refuses a key position that the event does not have.
func inPlaybook(e playbook.Event, keyID string) error {
	if _, ok := e.Key(keyID); !ok {
		return unknown(e, keyID)
	}
	return nil
}

func allInPlaybook(e playbook.Event, keyIDs []string) error {
	for _, keyID := range keyIDs {
		if err := inPlaybook(e, keyID); err != nil {
			return err
		}
	}
	return nil
}

func unknown(e playbook.Event, name string) error {
	return invalid("%q is not in the playbook of the %s", name, strings.ToLower(e.Name))
}

// shown refuses a picture that was not kept.
func shown(b Breakdown, frame int) error {
	switch {
	case b.Film == nil || !b.Film.Ready:
		return invalid("the clip is not ready yet")
	case !b.Film.Has(frame):
		return invalid("there is no picture %d: this clip has %d to %d", frame, b.Film.First, b.Film.First+b.Film.Frames-1)
	}
	return nil
}

// stampable refuses a picture that cannot be stamped.
func stampable(b Breakdown, frame int) error {
	if err := shown(b, frame); err != nil {
		return err
	}
	if b.Film.RateSource == "unknown" {
		return invalid("say at which rate the clip was filmed before stamping it")
	}
	return nil
}

// inOrder refuses two pictures that were not kept or do not follow one another.
func inOrder(b Breakdown, from, to int) error {
	if err := shown(b, from); err != nil {
		return err
	}
	if err := shown(b, to); err != nil {
		return err
	}
	if from >= to {
		return invalid("the second picture must come after the first")
	}
	return nil
}

// set puts a value under a key; nil takes the key off.
func set[V any](m map[string]V, key string, value *V) {
	if value == nil {
		delete(m, key)
		return
	}
	m[key] = *value
}

// entry is a key's value, or nil.
func entry[V any](m map[string]V, key string) *V {
	if v, ok := m[key]; ok {
		return &v
	}
	return nil
}
