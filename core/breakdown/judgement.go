package breakdown

import (
	"slices"
	"strings"
	"time"
)

func init() {
	register[SetLook]()
	register[SetNote]()
	register[SetFocus]()
	register[SetOverrule]()
	register[Assign]()
	register[CloseFocus]()
	register[SetFollowUp]()
}

// MostFocuses an attempt may carry.
const MostFocuses = 2

// SetLook judges a look-for by eye; without a verdict it is open again.
type SetLook struct {
	anytime
	Look    string  `json:"look"`
	Verdict *string `json:"verdict,omitempty"`
}

func (*SetLook) Kind() string { return "look" }

func (c *SetLook) Validate(_ Breakdown, f Facts) error {
	if _, ok := f.Event.Look(c.Look); !ok {
		return unknown(f.Event, c.Look)
	}
	if v := c.Verdict; v != nil && *v != "good" && *v != "off" && *v != "can't see" {
		return invalid("a look-for is good, off or can't see, not %q", *v)
	}
	return nil
}

func (c *SetLook) Apply(b *Breakdown, _ Facts) { set(b.Looks, c.Look, c.Verdict) }

func (c *SetLook) Inverse(b Breakdown) Command {
	return &SetLook{Look: c.Look, Verdict: entry(b.Looks, c.Look)}
}

// SetNote writes what the coach saw first, or what is good; without words it is
// taken off.
type SetNote struct {
	anytime
	Note  string  `json:"note"`
	Words *string `json:"words,omitempty"`
}

func (*SetNote) Kind() string { return "note" }

func (c *SetNote) Validate(Breakdown, Facts) error {
	if c.Note != "first" && c.Note != "good" {
		return invalid("there is no note %q", c.Note)
	}
	return nil
}

func (c *SetNote) Apply(b *Breakdown, _ Facts) {
	words := c.Words
	if words != nil && *words == "" {
		words = nil
	}
	set(b.Notes, c.Note, words)
}

func (c *SetNote) Inverse(b Breakdown) Command {
	return &SetNote{Note: c.Note, Words: entry(b.Notes, c.Note)}
}

// SetFocus chooses a fault to be worked on; without a reason it is taken off.
type SetFocus struct {
	Fault string  `json:"fault"`
	Why   *string `json:"why,omitempty"`
}

func (*SetFocus) Kind() string { return "focus" }

func (c *SetFocus) Validate(_ Breakdown, f Facts) error { return aFault(f, c.Fault) }

func (c *SetFocus) Allowed(b Breakdown, _ Facts) error {
	if c.Why != nil && c.index(b) < 0 && len(b.Focuses) >= MostFocuses {
		return invalid("an athlete can hold two things at most: take one focus off first")
	}
	return nil
}

func (c *SetFocus) index(b Breakdown) int {
	return slices.IndexFunc(b.Focuses, func(f Focus) bool { return f.Fault == c.Fault })
}

func (c *SetFocus) Apply(b *Breakdown, _ Facts) {
	i := c.index(*b)
	switch {
	case c.Why == nil && i >= 0:
		b.Focuses = slices.Delete(b.Focuses, i, i+1)
	case c.Why == nil:
	case i >= 0:
		b.Focuses[i].Why = *c.Why
	default:
		b.Focuses = append(b.Focuses, Focus{c.Fault, *c.Why})
	}
}

func (c *SetFocus) Inverse(b Breakdown) Command {
	back := SetFocus{Fault: c.Fault}
	if i := c.index(b); i >= 0 {
		why := b.Focuses[i].Why
		back.Why = &why
	}
	return &back
}

// SetOverrule puts the coach's word over what was found of a fault; without one
// the finding counts again.
type SetOverrule struct {
	anytime
	Fault    string    `json:"fault"`
	Overrule *Overrule `json:"overrule,omitempty"`
}

func (*SetOverrule) Kind() string { return "overrule" }

func (c *SetOverrule) Validate(_ Breakdown, f Facts) error {
	if o := c.Overrule; o != nil && (o.State != "present" && o.State != "absent" || strings.TrimSpace(o.Why) == "") {
		return invalid("say whether the fault is there, and why you say so")
	}
	return aFault(f, c.Fault)
}

func (c *SetOverrule) Apply(b *Breakdown, _ Facts) {
	o := c.Overrule
	if o != nil {
		o = &Overrule{o.State, strings.TrimSpace(o.Why)}
	}
	set(b.Overruled, c.Fault, o)
}

func (c *SetOverrule) Inverse(b Breakdown) Command {
	return &SetOverrule{Fault: c.Fault, Overrule: entry(b.Overruled, c.Fault)}
}

// Assign gives a cue and a drill for a fault; without them they are taken off.
type Assign struct {
	Fault      string             `json:"fault"`
	Assignment *AssignmentRequest `json:"assignment,omitempty"`
}

// AssignmentRequest is an assignment as it is sent.
type AssignmentRequest struct {
	Cue    string `json:"cue"`
	Words  string `json:"words"`
	Drill  string `json:"drill"`
	Dose   string `json:"dose"`
	Refilm string `json:"refilm"` // as in 2026-05-21
}

func (*Assign) Kind() string { return "assign" }

func (c *Assign) Validate(_ Breakdown, f Facts) error {
	if a := c.Assignment; a != nil {
		if _, err := time.Parse(time.DateOnly, a.Refilm); err != nil {
			return invalid("%q is not a day: write it as in 2026-05-21", a.Refilm)
		}
		if a.Words == "" {
			return invalid("say the cue in the athlete's words")
		}
	}
	return aFault(f, c.Fault)
}

func (c *Assign) Allowed(_ Breakdown, f Facts) error {
	if c.Assignment != nil && f.Pain != "" {
		return invalid("%s: no work is assigned until it is cleared", f.Pain)
	}
	return nil
}

func (c *Assign) Apply(b *Breakdown, _ Facts) {
	i := assigned(*b, c.Fault)
	if c.Assignment == nil {
		if i >= 0 {
			b.Assignments = slices.Delete(b.Assignments, i, i+1)
		}
		return
	}
	a := c.Assignment
	day, _ := time.Parse(time.DateOnly, a.Refilm) // Validate has seen it
	made := Assignment{c.Fault, a.Cue, a.Words, a.Drill, a.Dose, day, nil}
	if i >= 0 {
		made.Closed = b.Assignments[i].Closed
		b.Assignments[i] = made
		return
	}
	b.Assignments = append(b.Assignments, made)
	slices.SortFunc(b.Assignments, func(a, b Assignment) int { return strings.Compare(a.Fault, b.Fault) })
}

func (c *Assign) Inverse(b Breakdown) Command {
	back := Assign{Fault: c.Fault}
	if i := assigned(b, c.Fault); i >= 0 {
		a := b.Assignments[i]
		back.Assignment = &AssignmentRequest{a.Cue, a.Words, a.Drill, a.Dose, a.Refilm.Format(time.DateOnly)}
	}
	return &back
}

// CloseFocus closes the focus of an assignment on a day; without one it is
// opened again.
type CloseFocus struct {
	Fault  string  `json:"fault"`
	Closed *string `json:"closed,omitempty"` // as in 2026-05-21
}

func (*CloseFocus) Kind() string { return "closeFocus" }

func (c *CloseFocus) Validate(_ Breakdown, f Facts) error {
	if c.Closed != nil {
		if day, err := time.Parse(time.DateOnly, *c.Closed); err != nil || day.Before(f.Day) {
			return invalid("a focus is closed on a day after it was assigned, as in 2026-05-21")
		}
	}
	return aFault(f, c.Fault)
}

func (c *CloseFocus) Allowed(b Breakdown, _ Facts) error {
	if assigned(b, c.Fault) < 0 {
		return invalid("this attempt has no assignment for that fault")
	}
	return nil
}

func (c *CloseFocus) Apply(b *Breakdown, _ Facts) {
	i := assigned(*b, c.Fault)
	b.Assignments[i].Closed = nil
	if c.Closed != nil {
		if day, err := time.Parse(time.DateOnly, *c.Closed); err == nil {
			b.Assignments[i].Closed = &day
		}
	}
}

func (c *CloseFocus) Inverse(b Breakdown) Command {
	back := CloseFocus{Fault: c.Fault}
	if was := b.Assignments[assigned(b, c.Fault)].Closed; was != nil {
		day := was.Format(time.DateOnly)
		back.Closed = &day
	}
	return &back
}

// SetFollowUp keeps what this attempt shows of an earlier one's assignment, with
// the cue that was given then; without an outcome it is taken off.
type SetFollowUp struct {
	Of      string  `json:"of"` // the attempt that had the assignment
	Fault   string  `json:"fault"`
	Outcome *string `json:"outcome,omitempty"`
}

func (*SetFollowUp) Kind() string { return "followUp" }

func (c *SetFollowUp) Validate(_ Breakdown, f Facts) error {
	if c.Of == "" {
		return invalid("say which attempt had the assignment")
	}
	if o := c.Outcome; o != nil && !slices.Contains([]string{"changed", "no change", "misread", "worse"}, *o) {
		return invalid("a cue changed it, changed nothing, was misread or made it worse, not %q", *o)
	}
	return aFault(f, c.Fault)
}

func (c *SetFollowUp) Allowed(_ Breakdown, f Facts) error {
	if _, ok := c.given(f); c.Outcome != nil && !ok {
		return invalid("this athlete has no cue for that fault from that attempt")
	}
	return nil
}

func (c *SetFollowUp) given(f Facts) (cue string, ok bool) {
	i := slices.IndexFunc(f.Given, func(g Given) bool { return g.Of == c.Of && g.Fault == c.Fault })
	if i < 0 {
		return "", false
	}
	return f.Given[i].Cue, true
}

func (c *SetFollowUp) index(b Breakdown) int {
	return slices.IndexFunc(b.FollowUps, func(f FollowUp) bool { return f.Of == c.Of && f.Fault == c.Fault })
}

func (c *SetFollowUp) Apply(b *Breakdown, f Facts) {
	i := c.index(*b)
	cue, _ := c.given(f)
	switch {
	case c.Outcome == nil && i >= 0:
		b.FollowUps = slices.Delete(b.FollowUps, i, i+1)
	case c.Outcome == nil:
	case i >= 0:
		b.FollowUps[i].Outcome, b.FollowUps[i].Cue = *c.Outcome, cue
	default:
		b.FollowUps = append(b.FollowUps, FollowUp{c.Of, c.Fault, cue, *c.Outcome})
	}
}

func (c *SetFollowUp) Inverse(b Breakdown) Command {
	back := SetFollowUp{Of: c.Of, Fault: c.Fault}
	if i := c.index(b); i >= 0 {
		outcome := b.FollowUps[i].Outcome
		back.Outcome = &outcome
	}
	return &back
}

func assigned(b Breakdown, fault string) int {
	return slices.IndexFunc(b.Assignments, func(a Assignment) bool { return a.Fault == fault })
}

func aFault(f Facts, fault string) error {
	if _, ok := f.Event.Fault(fault); !ok {
		return unknown(f.Event, fault)
	}
	return nil
}
