package track

import (
	"math"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/optics"
)

// Observation is where a point is on a picture, px, with its standard uncertainty.
type Observation struct {
	At r2.Vec
	U  float64
}

// Kind is what a point sits on: it says how its neighbourhood changes.
type Kind int

const (
	Still     Kind = iota // a spot of the world
	Joint                 // a joint's centre, below skin and cloth that turn over it
	Deep                  // one deep in the body: hip, breastbone
	Implement             // small and fast before a background that stays
)

// Start is a point that somebody placed.
type Start struct {
	Observation
	Kind Kind
	Half int // how far its neighbourhood reaches to each side, px
}

// Sample is where a point is on the next picture. A point that is lost has a
// reason, and no mark any more.
type Sample struct {
	Observation
	Lost string
}

// Why a point is lost.
const (
	Left     = "it leaves the picture"
	Hidden   = "it is hidden, or its look changes too much"
	Bare     = "there is nothing there to hold on to: the neighbourhood is plain"
	Twins    = "two places look alike"
	Jumped   = "it does not lead back to where it came from"
	Caught   = "it stays behind on the background"
	Unsure   = "its look has changed too much since it was placed"
	Parted   = "forward and backward lead to different places"
	Torn     = "it is further from the next point than the part between them is long"
	Unplaced = "it is not placed here yet"
)

const (
	// alikeStep is the least likeness from one picture to the next.
	alikeStep = 0.7
	// alikeSurely is the likeness at which a point went where it was expected.
	alikeSurely = 0.93
	// alikeStart is the likeness to the start under which its look is renewed.
	alikeStart = 0.88
	// leastStart is the likeness at which the start's look still corrects drift.
	leastStart = 0.8
	// back is how far, px, a step may miss its start when followed backward.
	back = 1.6
	// lead is how much better than any other place a found one must look.
	lead = 0.06
	// unsure is the uncertainty, in half widths of the neighbourhood, at which a
	// point is given up.
	unsure = 0.8
)

// drift is by how much a point's uncertainty grows, in half widths of its
// neighbourhood, when the look has wholly changed; it is measured on the
// simulated athlete (docs/proof.md).
var drift = [...]float64{Still: 0.05, Joint: 0.75, Deep: 1, Implement: 0.5}

// slip is by how much it grows, in half widths too, when the point has moved by
// some widths through the world: the surface turns round what lies deep.
var slip = [...]float64{Still: 0, Joint: 0.06, Deep: 0.8, Implement: 0}

const (
	slipsOver = 8 // half widths
	// alongEdge is the slip of a point on an edge that runs straight through its
	// neighbourhood, straight the share of hold under which it does.
	alongEdge, straight = 0.6, 0.06
	// shades is by how many shades a picture differs from the last for no reason.
	shades = 6
)

// point is one that is followed.
type point struct {
	kind     Kind
	now, was r2.Vec
	moves    bool // a speed is known
	speed    r2.Vec
	lost     string

	here, start *window // the look on the last picture, and at the start or its renewal
	anchor      float64 // variance of the start's place, px²
	u           float64
	changed     float64 // of the look since it was placed
	travelled   float64 // px, through the world, since it was placed
}

// Follower follows points from picture to picture.
type Follower struct {
	before, last *Picture
	still        background
	moved, next  optics.Movement // of the still world, to the last picture and from it
	points       []*point
}

// New follows n points from a picture on; each begins where it is put. The
// picture before it, if there is one, helps to tell what moves.
func New(first, before *Picture, n int) *Follower {
	f := &Follower{last: first, before: before, moved: optics.Rest, next: optics.Rest, points: make([]*point, n)}
	for i := range f.points {
		f.points[i] = &point{lost: Unplaced}
	}
	if before != nil {
		f.next = f.still.next(first, before, optics.Rest).Inverse()
	}
	return f
}

// Seed says where a point is on the last picture; it goes on from there.
func (f *Follower) Seed(i int, s Start) {
	was := f.points[i]
	var apart []*layer
	if f.before != nil {
		apart = append(apart, &layer{f.before, f.next.Inverse()})
	}
	now := begin(f.last, s, apart)
	if was.moves && was.lost == "" && r2.Norm(r2.Sub(was.now, s.At)) < float64(s.Half) {
		now.speed, now.moves = was.speed, true
	}
	f.points[i] = now
}

func begin(p *Picture, s Start, apart []*layer) *point {
	q := &point{kind: s.Kind, now: s.At, was: s.At, anchor: s.U * s.U, u: s.U, here: newWindow(s.Half), start: newWindow(s.Half)}
	q.renew(p, apart)
	return q
}

// renew takes a point's present look as the one to go back to.
func (q *point) renew(p *Picture, apart []*layer) {
	if q.kind != Still {
		q.start.weigh(p, 0, q.now, apart)
	}
	switch {
	case !q.start.look(p.levels[0], q.now):
		q.lost = Left
	case q.start.hold() < leastHold*q.start.all:
		q.lost = Bare
	}
}

// Next follows every point to the next picture.
func (f *Follower) Next(p *Picture) []Sample {
	out := make([]Sample, len(f.points))
	f.moved, f.next = f.next, f.still.next(f.last, p, f.next)
	for i, q := range f.points {
		if q.lost == "" {
			q.next(f, p)
		}
		out[i] = Sample{Observation{q.now, q.u}, q.lost}
		if q.lost != "" {
			out[i] = Sample{Lost: q.lost}
		}
	}
	f.before, f.last = f.last, p
	return out
}

// Moved is how the still world moved on the picture in the last step.
func (f *Follower) Moved() optics.Movement { return f.next }

// apart are the pictures beside the last one that tell what stands still.
func (f *Follower) apart(next *Picture) []*layer {
	out := []*layer{{next, f.next}}
	if f.before != nil {
		out = append(out, &layer{f.before, f.moved.Inverse()})
	}
	return out
}

// trial is a place where a point may have gone.
type trial struct {
	at    r2.Vec
	alike float64 // to the last picture
	miss  float64 // px, by which following it back misses the start
}

func (q *point) next(f *Follower, to *Picture) {
	guess := r2.Add(q.now, q.speed)
	stands := f.next.Map(q.now)
	var apart []*layer
	if q.kind != Still && (!q.moves || r2.Norm(r2.Sub(guess, stands)) > 0.7) {
		apart = f.apart(to)
	}
	if !q.moves {
		guess = stands
	}
	var best trial
	if q.moves {
		best = q.try(f.last, to, guess, 1, apart)
	}
	if !best.good() || best.alike < alikeSurely {
		best = best.better(q.try(f.last, to, guess, halvings, apart))
	}
	if !best.good() {
		reach := q.here.half + int(r2.Norm(q.speed)/2)
		if !q.moves {
			reach = 3 * q.here.half
		}
		at, alike, second := q.here.search(f.last, to, q.now, guess, min(reach, 40), apart)
		switch {
		case alike-second >= lead:
			best = best.better(q.try(f.last, to, at, 0, apart))
		case alike > alikeStep:
			q.lost = Twins
			return
		}
	}
	switch w, h := to.Size(); {
	case best.alike == 0 && !inside(guess, w, h, q.here.half+2):
		q.lost = Left
	case best.alike < alikeStep:
		q.lost = Hidden
	case best.miss > back:
		q.lost = Jumped
	case q.kind != Still && q.moves && r2.Norm(r2.Sub(best.at, stands)) < 0.5 && r2.Norm(r2.Sub(guess, stands)) > 2.5:
		q.lost = Caught
	}
	if q.lost != "" {
		return
	}
	if q.kind != Still && r2.Norm(r2.Sub(best.at, stands)) < 0.4 && q.start.alike(to.levels[0], best.at) < alikeStart {
		// Its look changes though it stands: it may be about to leave.
		left := q.try(f.last, to, stands, halvings, []*layer{{to, f.next}})
		if !left.good() || r2.Norm(r2.Sub(left.at, stands)) < 0.8 {
			q.lost = Caught
			return
		}
		best = left
	}
	q.settle(f, to, best, stands)
}

func inside(p r2.Vec, w, h, margin int) bool {
	m := float64(margin)
	return p.X >= m && p.Y >= m && p.X < float64(w)-m && p.Y < float64(h)-m
}

func (t trial) good() bool { return t.alike >= alikeStep && t.miss <= back }

// better is the more believable of two trials.
func (t trial) better(o trial) trial {
	if t.good() != o.good() {
		if o.good() {
			return o
		}
		return t
	}
	if o.alike > t.alike {
		return o
	}
	return t
}

// try follows a point forward from a guess and back again.
func (q *point) try(from, to *Picture, guess r2.Vec, top int, apart []*layer) trial {
	at, ok := q.here.flow(from, to, q.now, guess, top, apart)
	if !ok {
		return trial{at: at, miss: math.Inf(1)}
	}
	alike := q.here.alike(to.levels[0], at)
	if alike < alikeStep {
		return trial{at: at, alike: alike, miss: math.Inf(1)}
	}
	var behind []*layer
	for _, w := range apart {
		if w.picture == to {
			behind = append(behind, &layer{from, w.move.Inverse()})
		}
	}
	again, ok := q.here.flow(to, from, at, r2.Add(at, r2.Sub(q.now, guess)), min(top, 1), behind)
	if !ok {
		return trial{at: at, alike: alike, miss: math.Inf(1)}
	}
	return trial{at, alike, r2.Norm(r2.Sub(again, q.now))}
}

// settle takes a step, corrects its drift by the look at the start, and says
// how sure it is.
func (q *point) settle(f *Follower, to *Picture, t trial, stands r2.Vec) {
	at, step := t.at, 0.03+t.miss/2
	if home, ok := q.start.refine(to.levels[0], at, found); ok && r2.Norm(r2.Sub(home, at)) < 1.5+q.u {
		if a := q.start.alike(to.levels[0], home); a >= leastStart {
			at = home
			step = 0.03
		}
	}
	q.was, q.speed, q.moves = q.now, r2.Sub(at, q.now), true
	q.now = at
	like := q.start.alike(to.levels[0], at)
	q.travelled += r2.Norm(r2.Sub(at, stands))
	q.u = math.Sqrt(q.anchor + step*step + shades*shades/q.start.hold() + q.strayed(q.changed+1-like))
	if like < alikeStart {
		q.changed += 1 - like
		q.anchor = q.anchor + step*step
		q.renew(to, []*layer{{f.last, f.next.Inverse()}})
	}
}

// strayed is the variance, px², that a change of look and the way cost.
func (q *point) strayed(changed float64) float64 {
	half := float64(q.start.half)
	d, s := drift[q.kind]*half, slip[q.kind]*half
	if q.start.hold() < straight*q.start.grasp() {
		s = max(s, alongEdge*half)
	}
	return d*d*changed + s*s*min(1, q.travelled/(slipsOver*half))
}
