// Package breakdown holds what a coach puts in on one attempt (stamps,
// landmarks, calibration, judgements, assignments) and the commands that change
// it. Each command is a type with Validate, Apply and Inverse; the store keeps
// what they make, the API sends them, the interface foresees them from Effects.
//
// All points are in pixels of the original picture, x to the right, y down.
// Frames are numbered from the film's first picture.
package breakdown

import (
	"fmt"
	"maps"
	"slices"
	"time"

	"neokinema/core/playbook"
)

// Breakdown is all that a coach has put in on one attempt.
type Breakdown struct {
	Film        *Film               `json:"film,omitempty"`   // nil: no film yet
	Stamps      map[string]int      `json:"stamps"`           // key id → frame
	StampU      map[string]float64  `json:"stampU,omitempty"` // key id → s that a found key position is off beside its picture's own; none where the coach stamped
	Landmarks   []Landmark          `json:"landmarks"`
	Calibration Calibration         `json:"calibration"`
	Looks       map[string]string   `json:"looks"`     // look id → good, off or can't see
	Overruled   map[string]Overrule `json:"overruled"` // fault id → the coach's word
	Notes       map[string]string   `json:"notes"`     // first or good → words
	Focuses     []Focus             `json:"focuses"`
	Assignments []Assignment        `json:"assignments"`
	FollowUps   []FollowUp          `json:"followUps"`
	Result      Result              `json:"result"`
	Details     Details             `json:"details"`
}

// Film is what a command needs to know of a film, and what the coach says of it.
type Film struct {
	Ready         bool `json:"ready"`
	Width, Height int  // of the original picture, px
	First, Frames int  // the kept pictures

	CaptureRate float64 `json:"captureRate"` // pictures a second of real time; 0 while it is not known
	RateSource  string  `json:"rateSource"`  // unknown, tag, file, chosen or how it was measured
	RateU       float64 `json:"rateU"`       // standard uncertainty of the rate
	View        string  `json:"view"`
	Rightward   bool    `json:"rightward"`
}

// Has reports whether a picture was kept.
func (f *Film) Has(frame int) bool { return frame >= f.First && frame < f.First+f.Frames }

// Sources of a landmark.
const (
	Placed   = "placed"   // by the coach's hand
	Followed = "followed" // from picture to picture, from placed ones
	Detected = "detected" // by a body model
	Fitted   = "fitted"   // by a body in three dimensions
	Filled   = "filled"   // between pictures on which it is known
)

// Landmark is an observation of one landmark on one picture.
type Landmark struct {
	Frame      int     `json:"frame"`
	Name       string  `json:"name"`
	X          float64 `json:"x"`
	Y          float64 `json:"y"`
	U          float64 `json:"u"`             // standard uncertainty along each axis, px; 0: the hand's usual one
	Source     string  `json:"source"`        // Placed, Followed, Detected, Fitted or Filled
	Confidence float64 `json:"confidence"`    // 0 to 1 that it is this landmark at all
	Run        *string `json:"run,omitempty"` // the run that proposed it; nil: the coach alone
}

// Spot is a point of the original picture.
type Spot struct {
	X float64 `json:"x"`
	Y float64 `json:"y"`
}

// Calibration holds what was said of the picture, each part nil until set.
type Calibration struct {
	Scale         *ScaleLine     `json:"scale,omitempty"`
	Level         *LevelLine     `json:"level,omitempty"`
	Origin        *Origin        `json:"origin,omitempty"`
	KnownInterval *KnownInterval `json:"knownInterval,omitempty"`
	Ramp          *Ramp          `json:"ramp,omitempty"`
	Subject       *Subject       `json:"subject,omitempty"`
	Repeats       *Repeats       `json:"repeats,omitempty"`
	ControlPoints []ControlPoint `json:"controlPoints,omitempty"`
	Distance      *float64       `json:"distance,omitempty"`  // m from the camera to the line of travel
	Following     *string        `json:"following,omitempty"` // the following that is measured with

	RejectedProposals []string `json:"rejectedProposals,omitempty"` // key ids whose proposals are not wanted
	NotInFilm         []string `json:"notInFilm,omitempty"`         // key ids that the film does not show
	Watched           []string `json:"watched,omitempty"`           // passes of the film that were watched through
}

// ScaleLine is a known length.
type ScaleLine struct {
	A      Spot    `json:"a"`
	B      Spot    `json:"b"`
	Metres float64 `json:"metres"`
	What   string  `json:"what"`
	Frame  *int    `json:"frame,omitempty"` // the picture that it was drawn on; nil: the first
	// U is how well the line has the length, m, standard uncertainty, beyond the
	// hand that drew it: a standing height is not seen as a rule's length is.
	U float64 `json:"u,omitempty"`
}

// LevelLine is a horizontal or vertical line.
type LevelLine struct {
	A        Spot `json:"a"`
	B        Spot `json:"b"`
	Vertical bool `json:"vertical"`
	Frame    *int `json:"frame,omitempty"`
}

// Origin is the line that distances along the travel are measured from.
type Origin struct {
	At    Spot `json:"at"`
	Frame *int `json:"frame,omitempty"`
}

// KnownInterval is an interval of the film whose real length is known: two
// pictures on which a change is first seen, and the seconds between them.
type KnownInterval struct {
	From    int     `json:"from"`
	To      int     `json:"to"`
	Seconds float64 `json:"seconds"`
	U       float64 `json:"u"` // standard uncertainty of the seconds
}

// Ramp says between which pictures a film is slowed, when it is not slowed all
// along.
type Ramp struct {
	From int `json:"from"`
	To   int `json:"to"`
}

// Subject is where the athlete is on a picture that shows several people.
type Subject struct {
	Frame int  `json:"frame"`
	A     Spot `json:"a"`
	B     Spot `json:"b"`
}

// Repeats are placings of one joint on one picture by the same hand.
type Repeats struct {
	Frame    int    `json:"frame"`
	Landmark string `json:"landmark"`
	Points   []Spot `json:"points"`
}

// ControlPoint is a point of the world whose place is known: metres along the
// throw or run, to its left, and up from the ground; and its pixel on a picture.
type ControlPoint struct {
	Name  string     `json:"name"`
	At    [3]float64 `json:"at"`
	Px    Spot       `json:"px"`
	Frame int        `json:"frame"`
}

// Focus is a fault chosen to be worked on.
type Focus struct {
	Fault string `json:"fault"`
	Why   string `json:"why"`
}

// Overrule is the coach's word on a fault: present or absent, and why.
type Overrule struct {
	State string `json:"state"`
	Why   string `json:"why"`
}

// Assignment is what an athlete takes home for one focus.
type Assignment struct {
	Fault  string     `json:"fault"`
	Cue    string     `json:"cue"`
	Words  string     `json:"words"`
	Drill  string     `json:"drill"`
	Dose   string     `json:"dose"`
	Refilm time.Time  `json:"refilm"`
	Closed *time.Time `json:"closed"` // the coach closed the focus
}

// FollowUp is what an attempt was kept to show of an earlier one's assignment.
type FollowUp struct {
	Of      string `json:"of"` // the attempt that had the assignment
	Fault   string `json:"fault"`
	Cue     string `json:"cue"`
	Outcome string `json:"outcome"` // changed, no change, misread or worse
}

// Result is what an attempt was worth, and how it was lost.
type Result struct {
	Mark *int   `json:"mark,omitempty"` // in hundredths of a metre or second
	Foul string `json:"foul"`           // empty: it was not lost
}

// Details are what else is known of an attempt.
type Details struct {
	ImplementG *int     `db:"implement_g" json:"implementG,omitempty"`
	Wind       *float64 `db:"wind" json:"wind,omitempty"`            // m/s, from behind positive
	Effort     *int     `db:"effort" json:"effort,omitempty"`        // per cent of the athlete's full effort
	RPE        *int     `db:"rpe" json:"rpe,omitempty"`              // 1 to 10, as the athlete felt it
	LandedDeg  *float64 `db:"landed_deg" json:"landedDeg,omitempty"` // from the sector's middle line, to its right positive
	BoardCm    *float64 `db:"board_cm" json:"boardCm,omitempty"`     // from the toe to the take-off line, behind it positive
}

// Facts are what a command is checked against besides the breakdown.
type Facts struct {
	Event      playbook.Event
	Day        time.Time // of the attempt
	Pain       string    // the open pain note that holds all work, in words; empty: none
	Followings []string  // runs of this attempt that are done
	Given      []Given   // assignments of the athlete's other attempts at the event
}

// Given is an assignment of another attempt.
type Given struct{ Of, Fault, Cue string }

// Clone copies a breakdown so deep that commands on the copy leave b alone.
func (b Breakdown) Clone() Breakdown {
	if b.Film != nil {
		film := *b.Film
		b.Film = &film
	}
	b.Stamps, b.StampU, b.Looks, b.Overruled, b.Notes = cloneMap(b.Stamps), cloneMap(b.StampU), cloneMap(b.Looks), cloneMap(b.Overruled), cloneMap(b.Notes)
	b.Landmarks, b.Focuses = slices.Clone(b.Landmarks), slices.Clone(b.Focuses)
	b.Assignments, b.FollowUps = slices.Clone(b.Assignments), slices.Clone(b.FollowUps)
	return b
}

func cloneMap[V any](m map[string]V) map[string]V {
	if m == nil {
		return map[string]V{}
	}
	return maps.Clone(m)
}

// Invalid is why a command cannot be done, in a sentence for the coach.
type Invalid string

func (e Invalid) Error() string { return string(e) }

func invalid(format string, args ...any) error { return Invalid(fmt.Sprintf(format, args...)) }
