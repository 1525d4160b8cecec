package clock

import (
	"errors"
	"fmt"
	"math"
)

// TimeMap is how another film's time lies to this one's: other = Offset +
// Rate·this, with standard uncertainties. The rate of the two clocks is told by
// the stamps and is 1 when it may be.
type TimeMap struct{ Offset, OffsetU, Rate, RateU float64 }

// At is an instant of this film on the other's time.
func (j TimeMap) At(t Seconds) Seconds { return j.Offset + j.Rate*t }

// Inverse is an instant of the other film on this one's time.
func (j TimeMap) Inverse(t Seconds) Seconds { return (t - j.Offset) / j.Rate }

// Disagreement says that stamps cannot be of one attempt. Odd is the one that
// agrees least with the others.
type Disagreement struct {
	Odd  int
	says string
}

func (d Disagreement) Error() string { return d.says }

// slack is by how much the clocks of two cameras that say their rate rightly may
// differ, as a share.
const slack = 0.005

// Align joins two films of one attempt by the instants that both have stamped.
// Both run in real seconds, so one number joins them, the weighted mean of their
// differences. One stamp joins; two or more tell whether they agree, by the sum of
// squares in their own variances. When another rate would make more than two
// agree, a capture rate is said wrongly; otherwise a stamp is, or the films show
// different attempts.
func Align(this, other []Instant) (TimeMap, error) {
	n := len(this)
	if n != len(other) || n == 0 {
		return TimeMap{}, errors.New("stamp the same key position on both films: one joins them, two or more check their clocks")
	}
	sum, ma, mb := 0.0, 0.0, 0.0
	w := make([]float64, n)
	for i := range this {
		w[i] = 1 / (this[i].U*this[i].U + other[i].U*other[i].U)
		sum, ma, mb = sum+w[i], ma+w[i]*this[i].T, mb+w[i]*other[i].T
	}
	ma, mb = ma/sum, mb/sum
	out := TimeMap{Offset: mb - ma, OffsetU: 1 / math.Sqrt(sum), Rate: 1, RateU: slack}
	if n == 1 {
		return out, nil
	}
	saa, sab := 0.0, 0.0
	for i := range this {
		d := this[i].T - ma
		saa, sab = saa+w[i]*d*d, sab+w[i]*d*(other[i].T-mb)
	}
	if saa < 1e-9*sum {
		return TimeMap{}, errors.New("the shared stamps lie at one instant: take some that lie apart")
	}
	rate := sab / saa
	out.RateU = 1 / math.Sqrt(saa)
	equal, odd := left(this, other, w, ma, mb, 1)
	if drift := math.Sqrt(saa) * slack; equal <= agrees(n-1)+drift*drift {
		return out, nil
	}
	if free, worst := left(this, other, w, ma, mb, rate); n > 2 && free <= agrees(n-2) && rate > 0 {
		return TimeMap{Offset: mb - rate*ma, OffsetU: math.Hypot(out.OffsetU, ma*out.RateU), Rate: rate, RateU: out.RateU},
			fmt.Errorf("by their shared stamps the other film runs %.3f ± %.3f times as fast: one capture rate is said wrongly, or they show different attempts", rate, 2*out.RateU)
	} else if n > 2 {
		odd = worst
	}
	first, last := 0, n-1
	for i := range this {
		if this[i].T < this[first].T {
			first = i
		}
		if this[i].T > this[last].T {
			last = i
		}
	}
	return out, Disagreement{odd, fmt.Sprintf("these stamps cannot be of one attempt: from the first to the last pass %.3f s on this film and %.3f s on the other", this[last].T-this[first].T, other[last].T-other[first].T)}
}

// left is the weighted sum of squares that a rate leaves, and where it leaves
// most.
func left(this, other []Instant, w []float64, ma, mb, rate float64) (square float64, worst int) {
	most := -1.0
	for i := range this {
		d := w[i] * math.Pow(other[i].T-mb-rate*(this[i].T-ma), 2)
		square += d
		if d > most {
			most, worst = d, i
		}
	}
	return square, worst
}

// agrees is the sum of squares, in their own variances, that n degrees of
// freedom stay under: their mean and three standard deviations, and room for the
// first.
func agrees(n int) float64 { return float64(n) + 3*math.Sqrt(2*float64(n)) + 3 }
