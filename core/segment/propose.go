package segment

import (
	"cmp"
	"maps"
	"math"
	"slices"
	"strings"

	"neokinema/core/body"
	"neokinema/core/clock"
	"neokinema/core/footfall"
	"neokinema/core/measure"
	"neokinema/core/playbook"
)

// Proposal is a key position that was found on paths.
type Proposal struct {
	KeyID string        `json:"keyId"`
	Frame int           `json:"frame"` // the picture that would be stamped
	T     clock.Seconds `json:"t"`     // the instant itself, from the film's first picture
	U     clock.Seconds `json:"u"`     // its standard uncertainty
	// Confidence is the chance, 0 to 1, that the picture is the right one or one
	// beside it.
	Confidence float64 `json:"confidence"`
	From       string  `json:"from"` // what it was read off, in words
	// Unconfirmed says that it was read off points that a body model found.
	Unconfirmed bool `json:"unconfirmed,omitempty"`
}

// InOrder keeps the proposals that stand in order with the stamps and with one
// another, the surest first: what cannot be is not proposed.
func InOrder(e playbook.Event, stamps map[string]int, proposals []Proposal) []Proposal {
	surest := slices.Clone(proposals)
	slices.SortStableFunc(surest, func(a, b Proposal) int {
		return cmp.Or(cmp.Compare(b.Confidence, a.Confidence), cmp.Compare(a.U, b.U))
	})
	at := map[string]int{}
	maps.Copy(at, stamps)
	wrong := len(e.OutOfOrder(at))
	kept := map[string]bool{}
	for _, p := range surest {
		if _, stamped := stamps[p.KeyID]; stamped {
			continue
		}
		at[p.KeyID] = p.Frame
		if len(e.OutOfOrder(at)) > wrong || twice(e, at, p.KeyID) {
			delete(at, p.KeyID)
			continue
		}
		kept[p.KeyID] = true
	}
	return slices.DeleteFunc(slices.Clone(proposals), func(p Proposal) bool {
		_, stamped := stamps[p.KeyID]
		return !stamped && !kept[p.KeyID]
	})
}

// twice reports whether what a key position is read off shows another one on the same
// picture: a ball is at one place.
func twice(e playbook.Event, at map[string]int, keyID string) bool {
	k, _ := e.Key(keyID)
	if len(k.Found) < 2 {
		return false
	}
	return slices.ContainsFunc(e.Keys, func(o playbook.Key) bool {
		f, ok := at[o.ID]
		return ok && o.ID != k.ID && f == at[k.ID] && len(o.Found) == 2 && len(k.Found) == 2 && o.Found[1] == k.Found[1]
	})
}

// ways in which a playbook says that a key position is found.
const (
	leaves   = "leaves"   // a point is let go and flies
	back     = "back"     // a point passes the back of the circle
	apex     = "apex"     // a point is at its highest of the whole film
	highest  = "highest"  // a point is at its highest between the neighbours
	lowest   = "lowest"   // at its lowest
	passes   = "passes"   // the first point passes the second along the travel
	halfway  = "halfway"  // half-way in time between two key positions
	shortest = "shortest" // two points are nearest to each other
	rises    = "rises"    // the first point rises over the second
	sets     = "sets-off" // the first of the points sets off from rest
	rests    = "rests"    // the body is still, until another key position
	lands    = "lands"    // a role's foot comes down, of whose contact the ladder keeps no more
	touches  = "touches"  // either foot comes down
)

// Ways are the ways in which key positions are found, and how many names follow
// each in a playbook.
var Ways = map[string]int{leaves: 1, back: 1, apex: 1, highest: 1, lowest: 1, passes: 2, halfway: 2, shortest: 2, rises: 2, lands: 1, touches: 0, sets: 1, rests: 1}

// Propose finds key positions that are not stamped yet on a sheet's followed
// points. Feet, releases and passes are found over the whole film and matched
// with the ladder in order, the coach's own stamps held; what lies between them
// is then looked for there.
func Propose(s *measure.Recording, nets footfall.Models) ([]Proposal, error) {
	sc, err := newPaths(s)
	if err != nil {
		return nil, err
	}
	var found []candidate
	found = append(found, sc.contacts(nets.Stands)...)
	done := map[string]bool{}
	for _, k := range s.Event.Keys {
		if len(k.Found) < 2 || done[k.Found[0]] {
			continue
		}
		way := sc.way(k.Found[1])
		if way == nil {
			continue
		}
		switch k.Found[0] {
		case leaves:
			if h, ok := sc.leaves(way, nets.Flies); ok {
				found = append(found, h)
			}
		case back:
			found = append(found, sc.passesBack(way)...)
		case apex:
			if tops := sc.turning(apex, heights(way), standsOut*sc.leg, sc.drift(k.Found[1])); len(tops) > 0 {
				top := slices.MaxFunc(tops, func(a, b candidate) int {
					return cmp.Compare(way[s.Timeline.Nearest(a.t)].At.Y, way[s.Timeline.Nearest(b.t)].At.Y)
				})
				if all := heights(way); way[s.Timeline.Nearest(top.t)].At.Y > highestOf(all)-standsOut*sc.leg/2 {
					found = append(found, top)
				}
			}
		default:
			continue
		}
		done[k.Found[0]] = true
	}
	at := match(s, found)
	for _, k := range s.Event.Keys {
		if f, ok := s.Stamps[k.ID]; ok && f < s.Timeline.Len() {
			t, err := s.Instant(k, f)
			if err != nil {
				return nil, err
			}
			at[k.ID] = candidate{t: t.T, u: t.U}
		}
	}
	sure := anchor(s.Event, at)
	for _, still := range []bool{false, true} { // what rests until another is found after that one
		for _, k := range s.Event.Keys {
			if _, ok := at[k.ID]; ok || len(k.Found) < 2 || still != (k.Found[0] == rests) {
				continue
			}
			if h, ok := sc.between(k, at); ok {
				at[k.ID] = h
			}
		}
	}
	out := []Proposal{}
	for _, k := range s.Event.Keys {
		h, ok := at[k.ID]
		if _, stamped := s.Stamps[k.ID]; stamped || !ok {
			continue
		}
		frame := s.Timeline.FirstAfter(h.t)
		if clock.Nature(k.Nature) == clock.Still {
			frame = s.Timeline.Nearest(h.t)
		}
		if frame >= s.Timeline.Len() {
			continue
		}
		confidence := math.Erf(math.Max(1.5*s.Timeline.Interval(frame), 0.008) / h.u / math.Sqrt2)
		if !sure {
			confidence *= adrift
		}
		out = append(out, Proposal{KeyID: k.ID, Frame: frame, T: h.t, U: h.u, Confidence: confidence, From: says(s, k)})
	}
	return out, nil
}

// highestOf is the greatest of values, some of which are unknown.
func highestOf(v []float64) float64 {
	out := math.Inf(-1)
	for _, x := range v {
		if x > out {
			out = x
		}
	}
	return out
}

// adrift is what is left of the confidence in a ladder whose end nothing holds:
// its contacts may each be one step off.
const adrift = 0.5

// anchor reports whether the release or the jump's height, where the ladder has
// one, was found or stamped: it tells the last contacts from those before.
func anchor(e playbook.Event, at map[string]candidate) bool {
	for _, k := range e.Keys {
		if len(k.Found) > 0 && (k.Found[0] == leaves || k.Found[0] == apex) {
			_, ok := at[k.ID]
			return ok
		}
	}
	return true
}

// says is what a key position is read off.
func says(s *measure.Recording, k playbook.Key) string {
	role := k.Lands + k.Lifts
	if len(k.Found) == 2 && k.Found[0] == lands {
		role = k.Found[1]
	}
	if len(k.Found) == 1 {
		return "toes and heels"
	}
	if role != "" {
		return s.Roles[role].Word() + " toe and heel"
	}
	var words []string
	for _, point := range k.Found[1:] {
		if key, ok := s.Event.Key(point); ok {
			words = append(words, key.Name)
		} else if l, err := s.Roles.Landmark(point); err == nil {
			words = append(words, measure.LandmarkName(l))
		} else {
			words = append(words, measure.LandmarkName(body.Landmark(point)))
		}
	}
	return strings.Join(words, " and ")
}

// window is between which instants a key position lies: after those that must
// come before it, else after the one before it on the ladder; before the foot of
// the last one comes down or leaves again, before the release, or before the next
// on the ladder where no foot bounds it.
func (s *paths) window(k playbook.Key, at map[string]candidate) (from, to float64) {
	from, to = s.times[0], s.times[len(s.times)-1]
	keys := s.sheet.Event.Keys
	i := slices.IndexFunc(keys, func(x playbook.Key) bool { return x.ID == k.ID })
	last := -1
	for j, x := range keys[:i] {
		if h, ok := at[x.ID]; ok && slices.Contains(k.After, x.ID) && (last < 0 || h.t >= from) {
			from, last = h.t, j
		}
	}
	foot := ""
	if last >= 0 {
		foot = keys[last].Lands + keys[last].Lifts
	} else {
		for last = i - 1; last >= 0; last-- {
			if h, ok := at[keys[last].ID]; ok {
				from = h.t
				break
			}
		}
	}
	for _, next := range keys[last+1:] {
		h, ok := at[next.ID]
		ends := next.Lands+next.Lifts == foot && next.ID != k.ID || len(next.Found) > 0 && (next.Found[0] == leaves || next.Found[0] == touches)
		if ok && ends && h.t > from {
			return from, h.t
		}
	}
	return from, to
}

// between finds a key position between its neighbours.
func (s *paths) between(k playbook.Key, at map[string]candidate) (candidate, bool) {
	if k.Found[0] == halfway {
		a, okA := at[k.Found[1]]
		b, okB := at[k.Found[2]]
		return candidate{halfway, (a.t + b.t) / 2, math.Hypot(a.u, b.u) / 2}, okA && okB && b.t > a.t
	}
	if k.Found[0] == rests {
		until, ok := at[k.Found[1]]
		before := candidate{rests, until.t - stillBefore - 2*until.u, stillU}
		return before, ok && before.t >= s.times[0]
	}
	from, to := s.window(k, at)
	if k.Found[0] == sets {
		best, found := candidate{}, false
		for _, point := range k.Found[1:] {
			if way := s.way(point); way != nil {
				if h, ok := s.setsOff(way, from, to); ok && (!found || h.t < best.t) {
					best, found = h, true
				}
			}
		}
		return best, found
	}
	first := s.way(k.Found[1])
	if first == nil {
		return candidate{}, false
	}
	var second []footfall.Point
	if Ways[k.Found[0]] == 2 {
		if second = s.way(k.Found[2]); second == nil {
			return candidate{}, false
		}
	}
	within := func(v []float64) []float64 {
		out := slices.Clone(v)
		for i, t := range s.times {
			if t < from-about/2 || t > to+about/2 {
				out[i] = math.NaN()
			}
		}
		return out
	}
	pair := func(of func(a, b footfall.Point) float64) []float64 {
		out := make([]float64, len(first))
		for i := range out {
			if out[i] = math.NaN(); first[i].U > 0 && second[i].U > 0 {
				out[i] = of(first[i], second[i])
			}
		}
		return out
	}
	one := func(v []float64, most float64) (candidate, bool) {
		tops := s.turning(k.Found[0], within(v), most, s.drift(k.Found[1]))
		tops = slices.DeleteFunc(tops, func(h candidate) bool { return h.t < from || h.t > to })
		if len(tops) == 0 {
			return candidate{}, false
		}
		return slices.MaxFunc(tops, func(a, b candidate) int {
			return cmp.Compare(v[s.sheet.Timeline.Nearest(a.t)], v[s.sheet.Timeline.Nearest(b.t)])
		}), true
	}
	rising := func(v []float64) (candidate, bool) {
		v = within(v)
		t, u, ok := s.crosses(v, 0, len(v)-1, 0, nearHip*s.leg)
		return candidate{k.Found[0], t, math.Hypot(u, turningU)}, ok
	}
	small := 0.03 * s.leg
	switch k.Found[0] {
	case highest, apex:
		return one(heights(first), small)
	case lowest:
		return one(minus(heights(first)), small)
	case shortest:
		return one(pair(func(a, b footfall.Point) float64 { return -distance(a, b) }), small)
	case passes:
		return rising(pair(func(a, b footfall.Point) float64 { return a.At.X - b.At.X }))
	case rises:
		return rising(pair(func(a, b footfall.Point) float64 { return a.At.Y - b.At.Y }))
	}
	return candidate{}, false
}

const (
	// stillBefore is how long before a movement, s, the body is looked at still.
	stillBefore = 0.03
	// stillU is how well the instant of a still picture is known, s: its neighbours
	// show the same.
	stillU = 0.005
)

// drift is what the view adds to a point's speed up and down, px/s.
func (s *paths) drift(point string) float64 {
	switch {
	case point == "mid.hip":
		return hipV * s.leg
	case point == "implement" && s.behind:
		return behindV * s.leg
	case point == "implement":
		return asideV * s.leg
	}
	return pointV * s.leg
}

func distance(a, b footfall.Point) float64 { return math.Hypot(a.At.X-b.At.X, a.At.Y-b.At.Y) }

// nearHip is how far, leg lengths, the hip that a side view shows lies from the
// middle of both.
const nearHip = 0.06

const (
	// What it costs to pass over a happening between two that are matched, and to
	// leave a key position open between two, an optional one, and one before the
	// first or after the last.
	passedOver, open, openOptional, outside = 0.35, 1.0, 0.02, 0.1
	// trailing is what a happening after the last match costs where a release or a
	// jump's height anchors the end.
	trailing = 0.2
	// What it costs to pass over a release, and a jump's height, which is less sure.
	unreleased, unpeaked = 4.0, 0.8
	// early is what an earlier match is worth, per second: where nothing anchors
	// the end of a ladder it begins with what comes first.
	early = 1e-3
	// again is what a second match with the same pass is worth.
	again = 0.5
	// held is how near a happening must be to a stamp to be the same, s.
	held = 0.04
)

// weight is what it costs to pass over a happening wherever it stands.
func weight(h candidate) float64 {
	switch h.what {
	case leaves:
		return unreleased
	case apex:
		return unpeaked
	}
	return 0
}

// match writes happenings on the ladder: the key positions that are feet,
// releases and passes, in the ladder's order, each with one happening of its
// kind, by the alignment that costs least (Needleman & Wunsch 1970).
func match(s *measure.Recording, found []candidate) map[string]candidate {
	type rung struct {
		key  playbook.Key
		what string
	}
	var ladder []rung
	kinds := map[string]bool{}
	anchored := false
	for _, k := range s.Event.Keys {
		what := ""
		switch {
		case k.Lands != "":
			what = "down " + string(s.Roles[k.Lands])
		case k.Lifts != "":
			what = "off " + string(s.Roles[k.Lifts])
		case len(k.Found) > 0 && k.Found[0] == lands:
			what = "down " + string(s.Roles[k.Found[1]])
		case len(k.Found) > 0 && k.Found[0] == touches:
			what = touches
			kinds["down L"], kinds["down R"] = true, true
		case len(k.Found) > 0 && (k.Found[0] == leaves || k.Found[0] == back || k.Found[0] == apex):
			what = k.Found[0]
			anchored = anchored || what != back
		default:
			continue
		}
		ladder, kinds[what] = append(ladder, rung{k, what}), true
	}
	found = slices.DeleteFunc(slices.Clone(found), func(h candidate) bool { return !kinds[h.what] })
	slices.SortFunc(found, func(a, b candidate) int { return cmp.Compare(a.t, b.t) })
	sooner := early
	if anchored {
		sooner = -early
	}
	n, m := len(ladder), len(found)
	// Between the stamps of the rungs on either side.
	low, high := make([]float64, n), make([]float64, n)
	at := func(i int) (float64, bool) {
		f, ok := s.Stamps[ladder[i].key.ID]
		if !ok || f < 0 || f >= s.Timeline.Len() {
			return 0, false
		}
		return s.Timeline.At(f) - s.Timeline.Interval(f)/2, true
	}
	bound := math.Inf(-1)
	for i := range ladder {
		low[i] = bound
		if t, ok := at(i); ok {
			bound = math.Max(bound, t)
		}
	}
	bound = math.Inf(1)
	for i := n - 1; i >= 0; i-- {
		high[i] = bound
		if t, ok := at(i); ok {
			bound = math.Min(bound, t)
		}
	}
	if n == 0 || m == 0 {
		return map[string]candidate{}
	}
	// best[i][j] is the best of the first i rungs and j happenings.
	type cell struct {
		score float64
		from  byte // d: matched, a: matched once more, r: the rung left out, h: the happening left out
	}
	best := make([][]cell, n+1)
	for i := range best {
		best[i] = make([]cell, m+1)
	}
	begun := make([][]bool, n+1) // whether something was matched before
	for i := range begun {
		begun[i] = make([]bool, m+1)
	}
	left := func(k playbook.Key, between bool) float64 {
		switch {
		case k.Optional:
			return openOptional
		case between:
			return open
		}
		return outside
	}
	for i := 0; i <= n; i++ {
		for j := 0; j <= m; j++ {
			if i == 0 {
				if j > 0 {
					best[0][j].score = best[0][j-1].score
					best[0][j].score -= weight(found[j-1])
				}
				continue
			}
			c := cell{best[i-1][j].score - left(ladder[i-1].key, begun[i-1][j]), 'r'}
			was := begun[i-1][j]
			if j > 0 {
				skip := 0.0
				if begun[i][j-1] {
					skip = passedOver
				}
				skip = math.Max(skip, weight(found[j-1]))
				if v := best[i][j-1].score - skip; v > c.score {
					c, was = cell{v, 'h'}, begun[i][j-1]
				}
				k, h := ladder[i-1], found[j-1]
				fits := k.what == h.what || k.what == touches && strings.HasPrefix(h.what, "down ")
				if t, ok := at(i - 1); ok {
					fits = fits && math.Abs(t-h.t) < held
				} else {
					fits = fits && h.t > low[i-1] && h.t < high[i-1]
				}
				if v := best[i-1][j-1].score + 1 - sooner*(h.t-found[0].t); fits && v > c.score {
					c, was = cell{v, 'd'}, true
				}
				// the last wind's pass is the entry
				if v := best[i-1][j].score + again; fits && k.what == back && k.key.Repeats == "" && i > 1 && ladder[i-2].what == back && best[i-1][j].from == 'd' && v > c.score {
					c, was = cell{v, 'a'}, true
				}
			}
			best[i][j], begun[i][j] = c, was
		}
	}
	// The last match is where the rest, open and trailing, costs least.
	lastI, lastJ, most := 0, 0, 0.0
	after := 0.0 // the open rungs after it
	for i := n; i > 0; i-- {
		for j := 1; j <= m; j++ {
			if f := best[i][j].from; f != 'd' && f != 'a' {
				continue
			}
			v := best[i][j].score - after
			if anchored {
				v -= trailing * float64(m-j)
			}
			for _, h := range found[j:] {
				v -= weight(h)
			}
			if v > most {
				lastI, lastJ, most = i, j, v
			}
		}
		after += left(ladder[i-1].key, false)
	}
	out := map[string]candidate{}
	for i, j := lastI, lastJ; i > 0; {
		switch best[i][j].from {
		case 'd':
			out[ladder[i-1].key.ID] = found[j-1]
			i, j = i-1, j-1
		case 'a':
			out[ladder[i-1].key.ID] = found[j-1]
			i--
		case 'h':
			j--
		default:
			i--
		}
	}
	return out
}
