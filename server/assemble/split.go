package assemble

import (
	"errors"
	"math"
	"slices"
	"sync"

	"neokinema/core/body"
	"neokinema/core/breakdown"
	"neokinema/core/clock"
	"neokinema/core/measure"
	"neokinema/core/optics"
	"neokinema/core/playbook"
	"neokinema/core/segment"
	"neokinema/server/store"
	"neokinema/weights"
)

// Proposals are key positions that are not stamped, found on followed points or
// told by the other film.
type Proposals struct {
	Proposals []segment.Proposal `json:"proposals"`
	Rejected  []string           `json:"rejected"`        // those that the coach does not want
	Lacks     string             `json:"lacks,omitempty"` // why there are none
}

var nets = sync.OnceValues(weights.Load)

// What a body model finds is less sure than what a coach places: on the demo's clips
// four of five of its key positions are right or one picture off, contacts by about
// 12 ms.
const (
	foundU    = 0.012 // s
	foundSure = 0.8
)

// doubt widens proposals that were found on points of a body model.
func doubt(found []segment.Proposal, paths *store.FollowedPaths) {
	if paths == nil || !slices.ContainsFunc(paths.Paths, func(p store.Path) bool { return p.Source == breakdown.Detected }) {
		return
	}
	for i := range found {
		found[i].U = clock.Seconds(math.Hypot(float64(found[i].U), foundU))
		found[i].Confidence *= foundSure
		found[i].Unconfirmed = true
	}
}

// Propose finds them.
func Propose(e playbook.Event, b store.Bench, pts []int64, other *SecondFilm) (Proposals, error) {
	out := Proposals{Proposals: []segment.Proposal{}, Rejected: []string{}}
	sheet, err := Sheet(e, b, pts)
	if err != nil {
		return out, err
	}
	if view, _ := cameraPose(b); view != nil { // it tells where the back of the circle is seen
		_, _ = sheet.JoinFilms(view, nil)
	}
	n, err := nets()
	if err != nil {
		return out, err
	}
	found, err := segment.Propose(sheet, n)
	if err != nil {
		return out, err
	}
	doubt(found, b.Followed)
	told := proposalsFromSecondFilm(sheet, e, other)
	for _, k := range e.Keys {
		if slices.Contains(b.Calibration.RejectedProposals, k.ID) {
			out.Rejected = append(out.Rejected, k.ID)
			continue
		}
		if slices.Contains(b.Calibration.NotInFilm, k.ID) {
			continue
		}
		is := func(p segment.Proposal) bool { return p.KeyID == k.ID }
		i, j := slices.IndexFunc(found, is), slices.IndexFunc(told, is)
		switch {
		case i >= 0 && (j < 0 || found[i].U <= told[j].U):
			out.Proposals = append(out.Proposals, found[i])
		case j >= 0:
			out.Proposals = append(out.Proposals, told[j])
		}
	}
	out.Proposals = segment.InOrder(e, b.Stamps, out.Proposals)
	if len(out.Proposals) == 0 && b.Followed == nil {
		out.Lacks = "Follow the toes and heels, and the implement, in Measure: contacts, releases and turns are then found on their paths."
	}
	return out, nil
}

// proposalsFromSecondFilm are the stamps of the other film, put on this one's pictures by the
// clock that both share.
func proposalsFromSecondFilm(s *measure.Recording, e playbook.Event, other *SecondFilm) []segment.Proposal {
	there, both, ok := alignFilms(s, e, other)
	if !ok {
		return nil
	}
	var out []segment.Proposal
	for _, k := range e.Keys {
		frame, stamped := there.Stamps[k.ID]
		if _, here := s.Stamps[k.ID]; here || !stamped || frame >= there.Timeline.Len() {
			continue
		}
		t, err := there.Timeline.Instant(frame, clock.Nature(k.Nature))
		if err != nil {
			continue
		}
		at := both.Inverse(t.T)
		p := segment.Proposal{KeyID: k.ID, T: at, U: math.Hypot(t.U, both.OffsetU), From: "the other film"}
		if p.Frame = s.Timeline.FirstAfter(at); clock.Nature(k.Nature) == clock.Still {
			p.Frame = s.Timeline.Nearest(at)
		}
		if at < 0 || p.Frame >= s.Timeline.Len() {
			continue
		}
		p.Confidence = math.Erf(math.Max(1.5*s.Timeline.Interval(p.Frame), 0.008) / p.U / math.Sqrt2)
		out = append(out, p)
	}
	return out
}

// Clocks is what two films' shared stamps say of their clocks.
type Clocks struct {
	Shared  []string `json:"shared"` // key positions stamped on both
	Joined  bool     `json:"joined"`
	Offset  float64  `json:"offset"`  // s, by which the other film's time runs after this one's
	OffsetU float64  `json:"offsetU"` // standard uncertainty
	Rate    float64  `json:"rate"`    // seconds of the other film in one of this one
	RateU   float64  `json:"rateU"`
	Why     string   `json:"why,omitempty"` // they are not joined
	Odd     string   `json:"odd,omitempty"` // the stamp that agrees least, when they cannot agree
	Beside  []int    `json:"beside"`        // for each kept picture the other film's, -1 beyond it
}

// Together says how two films' clocks lie to each other, and which picture of the
// other one shows the moment of each of this one's.
func Together(e playbook.Event, b store.Bench, pts []int64, other *SecondFilm) (Clocks, error) {
	out := Clocks{Shared: []string{}, Beside: []int{}}
	if other == nil {
		return out, store.Invalid("this attempt has no second film")
	}
	sheet, err := Sheet(e, b, pts)
	if err != nil {
		return out, err
	}
	there, err := Sheet(e, other.Bench, other.PTS)
	if err != nil {
		out.Why = "the other film: " + err.Error()
		return out, nil
	}
	both, shared, err := sheet.AlignClocks(there.SecondView(optics.View{}))
	out.Shared = append(out.Shared, shared...)
	if err != nil {
		out.Why = err.Error()
		var d clock.Disagreement
		if errors.As(err, &d) {
			out.Odd = shared[d.Odd]
		}
		return out, nil
	}
	out.Joined, out.Offset, out.OffsetU, out.Rate, out.RateU = true, both.Offset, both.OffsetU, both.Rate, both.RateU
	for i := b.Clip.First; i < b.Clip.First+b.Clip.Frames; i++ {
		t := both.At(sheet.Timeline.At(i))
		n := there.Timeline.Nearest(t)
		if math.Abs(there.Timeline.At(n)-t) > there.Timeline.Interval(n) || !other.Bench.Clip.Has(n) {
			n = -1
		}
		out.Beside = append(out.Beside, n)
	}
	return out, nil
}

// alignFilms joins two films' clocks, when they can be.
func alignFilms(s *measure.Recording, e playbook.Event, other *SecondFilm) (there *measure.Recording, both clock.TimeMap, ok bool) {
	if other == nil || other.Bench.Clip == nil {
		return nil, both, false
	}
	there, err := Sheet(e, other.Bench, other.PTS)
	if err != nil {
		return nil, both, false
	}
	both, shared, err := s.AlignClocks(there.SecondView(optics.View{}))
	return there, both, err == nil && len(shared) > 1
}

// Pin tells how far a landmark leaves the spot where it is on a picture.
func Pin(e playbook.Event, b store.Bench, pts []int64, l body.Landmark, from, to int) (segment.Refined, error) {
	sheet, err := Sheet(e, b, pts)
	if err != nil {
		return segment.Refined{}, err
	}
	out, err := segment.Refine(sheet, l, from, to)
	if err != nil {
		return out, store.Invalid(err.Error())
	}
	return out, nil
}
