package breakdown

import (
	"math"
	"slices"
	"strings"

	"neokinema/core/playbook"
)

func init() {
	register[SetResult]()
	register[SetDetails]()
}

// SetResult says what the attempt was worth, as it is written, and how it was
// lost.
type SetResult struct {
	anytime
	Result *ResultEntry `json:"result"` // as it is written
}

// ResultEntry is a result as a person writes it: "61.25", "200' 11¼\"", "11.42".
type ResultEntry struct {
	Text string `json:"text,omitempty"`
	Foul string `json:"foul,omitempty"`
	Mark *int   `json:"mark,omitempty"` // in hundredths, in place of the text
}

// Read is the result that is written, for an event.
func (r ResultEntry) Read(e playbook.Event) (Result, error) {
	out := Result{r.Mark, r.Foul}
	if r.Foul != "" && !slices.Contains(e.Mark.Fouls, r.Foul) {
		return out, invalid("%q is not among the ways in which the %s is lost", r.Foul, strings.ToLower(e.Name))
	}
	if r.Text == "" {
		return out, nil
	}
	m, err := e.Mark.Of(r.Text)
	if err != nil {
		return out, Invalid(err.Error())
	}
	hundredths := int(m)
	out.Mark = &hundredths
	return out, nil
}

func (*SetResult) Kind() string { return "result" }

func (c *SetResult) Validate(_ Breakdown, f Facts) error {
	if c.Result == nil {
		return invalid("say the mark, or how it was lost")
	}
	r, err := c.Result.Read(f.Event)
	if most := int(100 * f.Event.Mark.Most); err == nil && r.Mark != nil && (*r.Mark <= 0 || *r.Mark > most) {
		err = invalid("a mark of this event lies between 1 and %d hundredths", most)
	}
	return err
}

func (c *SetResult) Apply(b *Breakdown, f Facts) {
	if r, err := c.Result.Read(f.Event); err == nil {
		b.Result = r
		return
	}
	b.Result = Result{c.Result.Mark, c.Result.Foul} // the playbook changed since
}

func (c *SetResult) Inverse(b Breakdown) Command {
	return &SetResult{Result: &ResultEntry{Mark: b.Result.Mark, Foul: b.Result.Foul}}
}

// SetDetails says what else is known of the attempt.
type SetDetails struct {
	anytime
	Details Details `json:"details"`
}

func (*SetDetails) Kind() string { return "details" }

func (c *SetDetails) Validate(Breakdown, Facts) error { return c.Details.Check() }
func (c *SetDetails) Apply(b *Breakdown, _ Facts)     { b.Details = c.Details }
func (c *SetDetails) Inverse(b Breakdown) Command     { return &SetDetails{Details: b.Details} }

// Check returns why details cannot be.
func (d Details) Check() error {
	within := func(v *float64, most float64) bool { return v == nil || math.Abs(*v) <= most }
	whole := func(v *int, from, to int) bool { return v == nil || *v >= from && *v <= to }
	switch {
	case !whole(d.ImplementG, 100, 60000):
		return invalid("an implement weighs between 0.1 and 60 kg")
	case !whole(d.Effort, 1, 100):
		return invalid("effort is a share of the full one, from 1 to 100 %%")
	case !whole(d.RPE, 1, 10):
		return invalid("how hard it felt is said from 1 to 10")
	case !within(d.LandedDeg, 60):
		return invalid("it landed within 60° of the sector's middle, or not at all")
	case !within(d.BoardCm, 300):
		return invalid("the foot stood within 3 m of the board, in cm, behind the line positive")
	}
	return CheckWind(d.Wind)
}

// mostWind is the strongest wind that is taken for one, m/s.
const mostWind = 25

// CheckWind returns why a wind, m/s from behind positive, cannot be; nil says
// nothing of it.
func CheckWind(w *float64) error {
	if w != nil && !(math.Abs(*w) <= mostWind) {
		return invalid("a wind of %.1f m/s is not believable: write it as in -1.3, from behind positive", *w)
	}
	return nil
}
