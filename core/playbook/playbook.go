// Package playbook holds what a coach knows about an event: its key positions,
// phases, measures with bands, look-fors, faults with causes, cues and drills.
// It never says left or right: it speaks of roles.
//
// Field names are single words, so that a file's keys are theirs in lower case.
package playbook

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"neokinema/core/result"
)

// Class says how well a target is founded.
type Class string

const (
	Published Class = "P" // published; the source is named
	Common    Class = "C" // common practice in the trade
)

// Event is one discipline's playbook.
type Event struct {
	ID         string             `json:"id"`
	Name       string             `json:"name"`
	Variants   []Variant          `json:"variants"`
	Schools    []School           `json:"schools"` // views of what is right; the first is the default
	Mark       ResultRule         `json:"mark"`    // what an attempt is worth, and how one is lost
	Zero       []string           `json:"zero"`    // the score's zero: the first of these that is stamped
	Rate       float64            `json:"rate"`    // pictures per second that the event asks for
	Pace       float64            `json:"pace"`    // m/s at which the athlete usually travels, for what a picture's own time leaves open
	Aligned    bool               `json:"aligned"` // from the side, the far hip and shoulder hide behind the near ones
	Side       string             `json:"side"`    // whose side the roles turn on: hand, take-off leg or front-block leg of the athlete; empty: nobody's
	Roles      []Role             `json:"roles"`
	Works      string             `json:"works"`                        // the role whose foot works: the score writes it on its first line
	Feet       []string           `json:"feet"`                         // names of the two feet, the working one first
	Log        []string           `json:"log"`                          // details that the log asks for: implement, wind, landed, board
	Views      []string           `json:"views"`                        // from where it is filmed; the first is the usual one
	SchoolName string             `yaml:"schoolName" json:"schoolName"` // what its schools are called; empty: school
	Line       string             `json:"line"`                         // what distances are measured from, as in start line; empty: nothing
	Lengths    []KnownLength      `json:"lengths"`
	Masses     map[string]float64 `json:"masses,omitempty"` // kg of the rules' implement, by sex

	Discipline string                        `json:"discipline,omitempty"` // what joins the marks of several events; empty: its own
	Implements map[string]map[string]float64 `json:"implements,omitempty"` // kg, by sex and age group

	Ball          *Ball              `json:"ball,omitempty"`                               // the round implement that is found on films; none: it is placed by hand
	ControlPoints []ControlPoint     `yaml:"controlPoints" json:"controlPoints,omitempty"` // points whose places are known, for where a camera stood
	Ground        Surface            `json:"ground"`                                       // what the feet move on
	Filming       []string           `json:"filming"`                                      // what a film of the event must show, for the filming card
	Shaft         *Shaft             `json:"shaft,omitempty"`                              // the javelin that is found on films; none: it is placed by hand
	Wires         map[string]float64 `json:"wires,omitempty"`                              // m from the hands to the middle of the implement, by sex
	Watch         []Pass             `json:"watch"`
	Keys          []Key              `json:"keys"`
	Phases        []Phase            `json:"phases"`
	Measures      []Measure          `json:"measures"`
	Looks         []Look             `json:"looks"`
	Faults        []Fault            `json:"faults"`
	Nodes         []Cause            `json:"nodes"`
	Cues          []Cue              `json:"cues"`
	Drills        []Drill            `json:"drills"`
	Care          []string           `json:"care"`
}

// Ball is a round implement as it is found on films.
type Ball struct {
	Radius  float64 `json:"radius"`  // m
	Reach   float64 `json:"reach"`   // m, of its middle from the throwing hand while it is held
	Pull    float64 `json:"pull"`    // m/s², more than it is ever accelerated
	Fastest float64 `json:"fastest"` // m/s, more than it ever is
	Held    bool    `json:"held"`    // it lies in the hand, and so before the release is where the hand is
	Pushed  bool    `json:"pushed"`  // it leaves the hand as that slows on its way up
}

// Shaft is a javelin as it is found on films: how far it reaches from the hand, by sex,
// m, and how fast it flies at most, m/s.
type Shaft struct {
	Ahead   map[string]float64 `json:"ahead"`
	Behind  map[string]float64 `json:"behind"`
	Fastest float64            `json:"fastest"`
}

// Joined is the discipline whose marks the event's count among.
func (e Event) Joined() string {
	if e.Discipline != "" {
		return e.Discipline
	}
	return e.ID
}

// Implement is the mass in kg that the rules ask of a sex and age group; false
// where the file does not say.
func (e Event) Implement(sex, group string) (kg float64, ok bool) {
	kg, ok = e.Implements[sex][group]
	return kg, ok
}

// ResultRule says what an attempt's mark counts, the most that is believed, in m or
// s, and the ways in which an attempt is lost. Without a kind there is no mark.
type ResultRule struct {
	Kind  result.Kind `json:"kind"`
	Most  float64     `json:"most"`
	Fouls []string    `json:"fouls"`
}

// Of reads an attempt's mark.
func (w ResultRule) Of(text string) (result.Result, error) {
	if w.Kind == "" {
		return 0, errors.New("an attempt at this event has no mark")
	}
	m, err := result.Parse(text, w.Kind)
	switch {
	case err != nil:
		return 0, err
	case m <= 0 || float64(m) > 100*w.Most:
		return 0, fmt.Errorf("%s is no %s of this event: it lies above 0 and up to %s", m.Format(w.Kind), w.Kind, result.Result(100*w.Most).Format(w.Kind))
	}
	return m, nil
}

// Role is a side with a job, as in the front-block leg.
type Role struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	Side string `json:"side"` // own (the athlete's side), other, left or right
}

// Variant is a way of doing the event, as in a hammer throw of three turns.
type Variant struct {
	ID      string         `json:"id"`
	Name    string         `json:"name"`
	Repeats map[string]int `json:"repeats,omitempty"` // how often repeated key positions occur, as in turn: 3
}

// School is a view of what is right: bands may be its own.
type School struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	Says string `json:"says"` // what it holds, and of the default: why it is
}

// KnownLength is something in the picture whose length is usually known, in metres.
type KnownLength struct {
	Name   string  `json:"name"`
	Metres float64 `json:"metres"`
}

// Pass is one of the four ways through a clip, and what to look for on it.
type Pass struct {
	Name string   `json:"name"`
	Look []string `json:"look"`
}

// Key is a key position: one stamp.
type Key struct {
	ID       string   `json:"id"`
	Name     string   `json:"name"`
	Letter   string   `json:"letter"` // after G, stamps this key
	Sees     string   `json:"sees"`   // what the first frame of it shows
	Nature   string   `json:"nature"` // still, change or contact
	Optional bool     `json:"optional"`
	Variants []string `json:"variants,omitempty"` // only in these; empty: in all
	Repeats  string   `json:"repeats,omitempty"`  // what repeats it: turn, stride or wind
	After    []string `json:"after"`
	Prior    []string `json:"prior,omitempty"`  // keys of the turn or stride before that must come first
	Lands    string   `json:"lands,omitempty"`  // role of the foot that comes down
	Lifts    string   `json:"lifts,omitempty"`  // role of the foot that leaves
	Stance   string   `json:"stance,omitempty"` // role of the supporting leg, where no foot lands or lifts
	Found    []string `json:"found,omitempty"`  // how paths show it, where no foot lands or lifts: a way of core/segment, then points, or key positions for halfway
}

// Support is the role of the leg that bears the athlete at the key position.
func (k Key) Support() string {
	for _, r := range []string{k.Lands, k.Lifts, k.Stance} {
		if r != "" {
			return r
		}
	}
	return ""
}

// Phase runs between two key positions.
type Phase struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	From string `json:"from"`
	To   string `json:"to"`
}

// Measure is a number taken at key positions. Kind names the function of
// core/measure that computes it.
type Measure struct {
	ID       string   `json:"id"`
	Name     string   `json:"name"`
	Kind     string   `json:"kind"`
	Record   bool     `json:"record,omitempty"`                   // kept for the log and the planners: no fault hangs on it
	TwoFilms bool     `yaml:"twoFilms" json:"twoFilms,omitempty"` // a body that is fitted to one film does not show it
	At       []string `json:"at"`                                 // one value per place
	Seen     []string `json:"seen,omitempty"`                     // the places at which one camera shows it; empty: all
	Points   []string `json:"points,omitempty"`
	Stamps   []string `json:"stamps,omitempty"`   // the key positions that it reaches over, its own among them; "a~b" is half-way between
	Base     string   `json:"base,omitempty"`     // percentages: trunk, leg or height
	Nearer   float64  `json:"nearer,omitempty"`   // m that the point is nearer than the line of travel to a camera on the open side
	Around   float64  `json:"around,omitempty"`   // degrees: a direction is given as the one within half a turn of it
	Rest     float64  `json:"rest,omitempty"`     // what the same points give in an upright athlete at rest: taken off
	Variants []string `json:"variants,omitempty"` // only in these variants; empty: in all
	Unit     string   `json:"unit"`
	Views    []string `json:"views,omitempty"`
	Resolve  float64  `json:"resolve,omitempty"` // one-sided limits: the ± (2u) that the question needs
	Bands    []Band   `json:"bands,omitempty"`
	Young    *Young   `json:"young,omitempty"` // how bands widen for the young and the developing
	Note     string   `json:"note,omitempty"`
}

// Young widens a band that no file gives for developing and youth athletes: Low
// and High are added to its edges, Share is per cent on top of its upper edge.
type Young struct {
	Low   float64 `json:"low,omitempty"`
	High  float64 `json:"high,omitempty"`
	Share float64 `json:"share,omitempty"`
}

// ControlPoint is a point of the world whose place is known: metres along the throw or
// run, to its left, and up from the ground.
type ControlPoint struct {
	Name string     `json:"name"`
	At   [3]float64 `json:"at"`
}

// Surface is what an event's feet move on: a circle, a runway up to a line, an
// apron before a bar, or a lane. Across is its width, m.
type Surface struct {
	Kind   string  `json:"kind"`
	Across float64 `json:"across"`
}

// Band is a target. At, Level, Sex, School and Variant narrow it; the most
// particular one wins.
type Band struct {
	At      string    `json:"at,omitempty"`
	Level   string    `json:"level,omitempty"`
	Sex     string    `json:"sex,omitempty"`
	School  string    `json:"school,omitempty"`
	Variant string    `json:"variant,omitempty"`
	Aim     []float64 `json:"aim,omitempty"`
	Low     *float64  `json:"low,omitempty"`
	High    *float64  `json:"high,omitempty"`
	Class   Class     `json:"class"`
	Source  string    `json:"source,omitempty"`
}

// Look is judged by eye at a key position: good, off or can't see.
type Look struct {
	ID   string `json:"id"`
	At   string `json:"at"`
	Text string `json:"text"` // what is seen when it is good
	Off  string `json:"off"`  // what is seen when it is off
}

// Evidence is one sign of a fault: a measure on one side of a limit, or a
// look-for that is off.
type Evidence struct {
	Measure string  `json:"measure,omitempty"` // key, as in "front-knee@set"
	Side    string  `json:"side,omitempty"`    // high or low
	Limit   float64 `json:"limit"`             // where the fault begins
	Full    float64 `json:"full"`              // where it counts as 1
	Look    string  `json:"look,omitempty"`
}

// Fault is something to correct. From holds the earlier faults that usually
// cause it, with the weight of each edge, 0 to 1.
type Fault struct {
	ID       string             `json:"id"`
	Name     string             `json:"name"`
	Says     string             `json:"says"` // the fault in a coach's sentence
	At       string             `json:"at"`   // the key position by which it has happened
	Evidence []Evidence         `json:"evidence"`
	From     map[string]float64 `json:"from,omitempty"`
	Weight   float64            `json:"weight,omitempty"` // how much it counts beside others of its strength; empty: 1
	Care     string             `json:"care,omitempty"`   // the caution that goes with it
	Solver   string             `json:"solver,omitempty"` // a planner that gives the setting: pedal
}

// Cause is a habit, setting or outcome: part of a chain, not a fault.
type Cause struct {
	ID   string             `json:"id"`
	Kind string             `json:"kind"`
	Name string             `json:"name"`
	From map[string]float64 `json:"from,omitempty"`
	To   []string           `json:"to,omitempty"`
}

// Cue is one short thought for a fault.
type Cue struct {
	ID      string   `json:"id"`
	Fault   string   `json:"fault"`
	Kind    string   `json:"kind"` // external, internal, picture or rhythm
	Text    string   `json:"text"`
	Misread *Misread `json:"misread,omitempty"`
}

// Misread is how athletes get a cue wrong, and the measure that gives it away.
type Misread struct {
	Text    string `json:"text"`
	Measure string `json:"measure"`
	Side    string `json:"side"`
}

// Drill is practice for faults: a drill, or work on strength or coordination.
type Drill struct {
	ID     string   `json:"id"`
	Kind   string   `json:"kind,omitempty"` // strength or coordination; empty: a drill
	Faults []string `json:"faults"`
	Text   string   `json:"text"`
	Dose   string   `json:"dose"`
	Growth string   `json:"growth"`
}

// Key finds a key position.
func (e Event) Key(id string) (Key, bool) {
	return find(e.Keys, func(k Key) bool { return k.ID == id })
}

// Measure finds a measure.
func (e Event) Measure(id string) (Measure, bool) {
	return find(e.Measures, func(m Measure) bool { return m.ID == id })
}

// Fault finds a fault.
func (e Event) Fault(id string) (Fault, bool) {
	return find(e.Faults, func(f Fault) bool { return f.ID == id })
}

// Look finds a look-for.
func (e Event) Look(id string) (Look, bool) {
	return find(e.Looks, func(l Look) bool { return l.ID == id })
}

// CuesFor are the cues of a fault, in the file's order.
func (e Event) CuesFor(fault string) []Cue {
	var out []Cue
	for _, c := range e.Cues {
		if c.Fault == fault {
			out = append(out, c)
		}
	}
	return out
}

// DrillsFor are the drills of a fault, in the file's order.
func (e Event) DrillsFor(fault string) []Drill {
	var out []Drill
	for _, d := range e.Drills {
		for _, f := range d.Faults {
			if f == fault {
				out = append(out, d)
			}
		}
	}
	return out
}

// Who is what a band may depend on besides the place.
type Who struct{ Level, Sex, School, Variant string }

// young are the levels whose bands widen.
var young = []string{"developing", "youth"}

// BandAt is the most particular band of m at a place for an athlete, and
// whether there is one. What is said of a repeated place, "down", holds for each
// of its rounds, "down#2", that has no band of its own.
func (m Measure) BandAt(keyID string, who Who) (Band, bool) {
	base, _, round := strings.Cut(keyID, "#")
	best, score := Band{}, -1
	for _, b := range m.Bands {
		s := 0
		fits := true
		for _, c := range [][2]string{{b.Level, who.Level}, {b.Sex, who.Sex}, {b.School, who.School}, {b.Variant, who.Variant}} {
			switch c[0] {
			case "":
			case c[1]:
				s += 3
			default:
				fits = false
			}
		}
		switch {
		case b.At == "":
		case b.At == keyID:
			s += 3
			if round {
				s++
			}
		case b.At == base:
			s += 3
		default:
			fits = false
		}
		if fits && s > score {
			best, score = b, s
		}
	}
	if score >= 0 && m.Young != nil && best.Level == "" && slices.Contains(young, who.Level) {
		best = m.Young.widen(best)
	}
	return best, score >= 0
}

func (y Young) widen(b Band) Band {
	if b.Low != nil {
		low := *b.Low + y.Low
		b.Low = &low
	}
	if b.High != nil {
		high := *b.High*(1+y.Share/100) + y.High
		b.High = &high
	}
	b.Aim = nil
	return b
}

// Limits are where a piece of evidence begins to count for an athlete and where
// it counts as 1: what the file says, moved as far as the band's edge on that
// side is moved for this athlete.
func (e Event) Limits(ev Evidence, who Who) (limit, full float64) {
	id, keyID, _ := strings.Cut(ev.Measure, "@")
	m, _ := e.Measure(id)
	usual, _ := m.BandAt(keyID, Who{})
	own, _ := m.BandAt(keyID, who)
	by := ev.shift(usual, own)
	return ev.Limit + by, ev.Full + by
}

// InRound is a piece of evidence in one turn or stride: its limit lies elsewhere by
// as much as the band does there.
func (e Event) InRound(ev Evidence, n int) Evidence {
	id, keyID, _ := strings.Cut(ev.Measure, "@")
	m, _ := e.Measure(id)
	usual, _ := m.BandAt(keyID, Who{})
	there, _ := m.BandAt(Nth(keyID, n), Who{})
	by := ev.shift(usual, there)
	ev.Measure, ev.Limit, ev.Full = Nth(ev.Measure, n), ev.Limit+by, ev.Full+by
	return ev
}

// shift is by how much a band's edge on the side of a piece of evidence lies
// elsewhere in another band; 0 where one of them has none.
func (ev Evidence) shift(from, to Band) float64 {
	a, b := from.High, to.High
	if ev.Side == "low" {
		a, b = from.Low, to.Low
	}
	if a == nil || b == nil {
		return 0
	}
	return *b - *a
}

func find[T any](list []T, is func(T) bool) (T, bool) {
	for _, v := range list {
		if is(v) {
			return v, true
		}
	}
	var none T
	return none, false
}
