package breakdown

import (
	"slices"

	"neokinema/core/bounds"
	"neokinema/core/playbook"
)

func init() {
	register[SetRate]()
	register[SetView]()
	register[Watched]()
}

// SetRate says at how many pictures a second the clip was filmed. A measured
// rate carries its standard uncertainty, which the server fills in.
type SetRate struct {
	Rate       *float64 `json:"rate,omitempty"`
	RateSource string   `json:"rateSource,omitempty"`
	RateU      float64  `json:"rateU,omitempty"`
}

func (*SetRate) Kind() string { return "rate" }

func (c *SetRate) Validate(Breakdown, Facts) error {
	if c.Rate == nil {
		return invalid("say at how many pictures a second the clip was filmed")
	}
	if err := bounds.CaptureRate.Check(*c.Rate); err != nil {
		return Invalid(err.Error())
	}
	return nil
}

func (*SetRate) Allowed(b Breakdown, _ Facts) error { return hasFilm(b) }

func (c *SetRate) Apply(b *Breakdown, _ Facts) {
	b.Film.CaptureRate, b.Film.RateSource, b.Film.RateU = *c.Rate, c.RateSource, c.RateU
	if c.RateSource == "" {
		b.Film.RateSource = "chosen"
	}
}

func (c *SetRate) Inverse(b Breakdown) Command {
	rate := b.Film.CaptureRate
	return &SetRate{&rate, b.Film.RateSource, b.Film.RateU}
}

// SetView says from which side the clip was filmed, and whether the athlete
// moves to the right in it.
type SetView struct {
	View      string `json:"view"`
	Rightward *bool  `json:"rightward"`
}

func (*SetView) Kind() string { return "view" }

func (c *SetView) Validate(_ Breakdown, f Facts) error {
	if c.View == "" || c.Rightward == nil {
		return invalid("say the view and the direction of travel")
	}
	if !slices.Contains(f.Event.Views, c.View) {
		return unknown(f.Event, c.View)
	}
	return nil
}

func (*SetView) Allowed(b Breakdown, _ Facts) error { return hasFilm(b) }

func (c *SetView) Apply(b *Breakdown, _ Facts) { b.Film.View, b.Film.Rightward = c.View, *c.Rightward }

func (c *SetView) Inverse(b Breakdown) Command {
	right := b.Film.Rightward
	return &SetView{b.Film.View, &right}
}

func hasFilm(b Breakdown) error {
	if b.Film == nil {
		return invalid("add a clip first")
	}
	return nil
}

// Watched are the passes of the film that the coach has watched through, from
// the first picture to the last; it takes the place of the list before.
type Watched struct {
	Passes []string `json:"passes"`
}

func (*Watched) Kind() string { return "watched" }

func (c *Watched) Validate(_ Breakdown, f Facts) error {
	for _, pass := range c.Passes {
		if !slices.ContainsFunc(f.Event.Watch, func(w playbook.Pass) bool { return w.Name == pass }) {
			return invalid("%q is no way through the film", pass)
		}
	}
	return nil
}

func (*Watched) Allowed(b Breakdown, _ Facts) error { return hasFilm(b) }

func (c *Watched) Apply(b *Breakdown, _ Facts) { b.Calibration.Watched = c.Passes }

func (c *Watched) Inverse(b Breakdown) Command { return &Watched{Passes: b.Calibration.Watched} }
