package coach

import (
	"fmt"
	"slices"
	"strings"
	"time"
)

// Intensity of a practice item; drills that only show the shape are low, whole
// attempts with full effort high.
type Intensity string

const (
	Low    Intensity = "low"
	Medium Intensity = "medium"
	High   Intensity = "high"
)

// Item is one thing to do on a day.
type Item struct {
	ID        string    `json:"id"`
	Athlete   string    `json:"athlete"`
	Day       time.Time `json:"-"`
	Kind      string    `json:"kind"` // drill, strength, session, meet, refilm
	Words     string    `json:"words"`
	Dose      string    `json:"dose"`
	Intensity Intensity `json:"intensity"`
	State     string    `json:"state"` // planned, done, skipped
	Fault     string    `json:"fault"` // the focus it serves; empty: none
}

// Work is a drill of an assignment.
type Work struct {
	Words, Dose string
	Strength    bool
}

const (
	// LowDays is how long a change of technique is practised at low intensity
	// first, and MediumDays after how many days whole attempts come (common
	// practice).
	LowDays    = 4
	MediumDays = 10
	// FreshDays before a meet nothing new is begun.
	FreshDays = 7
	// LongestPlan is how far ahead a plan is laid out.
	LongestPlan = 84 * 24 * time.Hour
)

// Usual is the intensity at which work on a change of technique is done so many
// days after it was assigned: low first.
func Usual(days int) Intensity {
	switch {
	case days < LowDays:
		return Low
	case days < MediumDays:
		return Medium
	}
	return High
}

// Spread lays an assignment's work out over the weekdays that are trained, from
// the day after it was given until it is filmed again. Strength work comes on
// every second of these days.
func Spread(fault string, work []Work, given, refilm time.Time, trained []time.Weekday) ([]Item, error) {
	switch {
	case !refilm.After(given):
		return nil, fmt.Errorf("the day to film again, %s, is not after the day of the attempt, %s", refilm.Format("2 January 2006"), given.Format("2 January 2006"))
	case refilm.Sub(given) > LongestPlan:
		return nil, fmt.Errorf("a plan reaches twelve weeks at most: film again sooner")
	case len(trained) == 0:
		return nil, fmt.Errorf("say on which days of the week is trained")
	}
	var out []Item
	n := 0
	for day := given.AddDate(0, 0, 1); day.Before(refilm); day = day.AddDate(0, 0, 1) {
		if !slices.Contains(trained, day.Weekday()) {
			continue
		}
		for _, w := range work {
			kind, intensity := "drill", Usual(int(day.Sub(given).Hours()/24))
			if w.Strength {
				if n%2 == 1 {
					continue
				}
				kind, intensity = "strength", Medium
			}
			out = append(out, Item{Day: day, Kind: kind, Words: w.Words, Dose: w.Dose, Intensity: intensity, State: "planned", Fault: fault})
		}
		n++
	}
	return append(out, Item{Day: refilm, Kind: "refilm", Words: "Film it again", State: "planned", Fault: fault}), nil
}

// SeasonPhase is a part of the season: preparation, special, competition, rest.
type SeasonPhase struct {
	Name, Kind string
	From, To   time.Time // both days belong to it
}

// Pain is a pain note that may hold work.
type Pain struct {
	Region, Side string
	Noted        time.Time
	Cleared      *time.Time
}

// Open tells whether a note holds on a day.
func (p Pain) Open(day time.Time) bool {
	return !day.Before(p.Noted) && (p.Cleared == nil || day.Before(*p.Cleared))
}

// Where names a region with its side, as in left groin.
func Where(region, side string) string {
	if side == "left" || side == "right" {
		return side + " " + region
	}
	return region
}

func (p Pain) says() string {
	return fmt.Sprintf("Held: pain in the %s, noted on %s, is not cleared. Rest it and leave it to a clinician", Where(p.Region, p.Side), p.Noted.Format("2 January"))
}

// HeldBy says what holds work on a day, or nothing.
func HeldBy(pains []Pain, day time.Time) string {
	for _, p := range pains {
		if p.Open(day) {
			return p.says()
		}
	}
	return ""
}

// Caution is what speaks against an item where it stands.
type Caution struct {
	Item string `json:"item"`
	Hold bool   `json:"hold"` // it must not be done as it stands
	Says string `json:"says"`
}

// GivenFocus says when a focus of an athlete was assigned.
type GivenFocus struct {
	Athlete, Fault string
	Day            time.Time
}

// Cautions are what speaks against the items of a plan: open pain, a change of
// technique that is not begun at low intensity or is begun just before a meet,
// more hard days in a row than a body recovers from, days outside of the season.
func Cautions(items []Item, pains map[string][]Pain, phases []SeasonPhase, given []GivenFocus) []Caution {
	out := []Caution{}
	add := func(it Item, hold bool, format string, args ...any) {
		out = append(out, Caution{it.ID, hold, fmt.Sprintf(format, args...)})
	}
	for _, it := range items {
		if it.State != "planned" {
			continue
		}
		if says := HeldBy(pains[it.Athlete], it.Day); says != "" {
			add(it, true, "%s", says)
			continue
		}
		if it.Fault != "" && it.Kind == "drill" {
			for _, g := range given {
				days := int(it.Day.Sub(g.Day).Hours() / 24)
				if g.Athlete == it.Athlete && g.Fault == it.Fault && days >= 0 && days < LowDays && it.Intensity != Low {
					add(it, false, "A change of technique begins at low intensity: the first %d days after %s", LowDays, g.Day.Format("2 January"))
				}
			}
			if meet, ok := soon(items, it); ok {
				for _, g := range given {
					if g.Athlete == it.Athlete && g.Fault == it.Fault && int(meet.Day.Sub(g.Day).Hours()/24) <= FreshDays && !g.Day.After(meet.Day) {
						add(it, false, "Nothing new in the %d days before a meet: %s on %s", FreshDays, meet.Words, meet.Day.Format("2 January"))
					}
				}
			}
		}
		if it.Intensity == High && hard(items, it.Athlete, it.Day.AddDate(0, 0, -1)) && hard(items, it.Athlete, it.Day.AddDate(0, 0, -2)) {
			add(it, false, "The third hard day in a row")
		}
		if len(phases) > 0 && !slices.ContainsFunc(phases, func(p SeasonPhase) bool { return !it.Day.Before(p.From) && !it.Day.After(p.To) }) {
			add(it, false, "This day lies outside of the season's phases")
		}
		if p, ok := phaseOf(phases, it.Day); ok && p.Kind == "rest" && it.Intensity == High {
			add(it, false, "%s is for rest: nothing hard", p.Name)
		}
	}
	return out
}

func phaseOf(phases []SeasonPhase, day time.Time) (SeasonPhase, bool) {
	i := slices.IndexFunc(phases, func(p SeasonPhase) bool { return !day.Before(p.From) && !day.After(p.To) })
	if i < 0 {
		return SeasonPhase{}, false
	}
	return phases[i], true
}

func soon(items []Item, it Item) (Item, bool) {
	for _, m := range items {
		days := int(m.Day.Sub(it.Day).Hours() / 24)
		if m.Kind == "meet" && m.Athlete == it.Athlete && m.State != "skipped" && days >= 0 && days <= FreshDays {
			return m, true
		}
	}
	return Item{}, false
}

func hard(items []Item, athlete string, day time.Time) bool {
	return slices.ContainsFunc(items, func(it Item) bool {
		return it.Athlete == athlete && it.Day.Equal(day) && it.State != "skipped" && (it.Intensity == High || it.Kind == "meet")
	})
}

// Regions of the body that a pain note may name.
func Regions() []string {
	return strings.Split("head|neck|shoulder|elbow|forearm|wrist|hand|upper back|lower back|ribs|abdominals|groin|hip|buttock|front of the thigh|hamstring|knee|shin|calf|achilles tendon|ankle|foot", "|")
}
