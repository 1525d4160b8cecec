package footfall

import (
	"fmt"
	"math"

	"neokinema/core/clock"
	"neokinema/core/flight"
)

// Timing is a number of seconds with its standard uncertainty.
type Timing struct{ Value, U float64 }

// Stride is one foot's contact and what follows it. A part whose end is not
// stamped is nil.
type Stride struct {
	Foot    string
	Contact *Timing // its own time on the ground
	Flight  *Timing // from its leaving to the other foot's landing; negative: both on the ground
	Step    *Timing // from its landing to the other foot's
	Stride  *Timing // from its landing to its next one
}

// Strides are the feet's contacts in order.
func Strides(notes []Contact, f clock.Timeline) []Stride {
	var out []Stride
	for i, n := range notes {
		s := Stride{Foot: n.Foot}
		between := func(a, b clock.Instant) *Timing {
			d, u := f.Between(a, b)
			return &Timing{d, u}
		}
		if n.FromKey != "" && n.ToKey != "" {
			s.Contact = between(n.Start, n.End)
		}
		var other, same *Contact
		for j := i + 1; j < len(notes); j++ {
			m := &notes[j]
			if m.FromKey == "" {
				continue
			}
			if m.Foot == n.Foot && same == nil {
				same = m
			} else if m.Foot != n.Foot && other == nil {
				other = m
			}
		}
		if other != nil && (same == nil || other.Start.T < same.Start.T) {
			if n.ToKey != "" {
				s.Flight = between(n.End, other.Start)
			}
			if n.FromKey != "" {
				s.Step = between(n.Start, other.Start)
			}
		}
		if same != nil && n.FromKey != "" {
			s.Stride = between(n.Start, same.Start)
		}
		out = append(out, s)
	}
	return out
}

// Mean is the mean of several of one thing, how far they spread, and the mean's
// standard uncertainty: from what each is known to, or from their spread where
// that is more.
type Mean struct {
	Value, Spread, U float64
	N                int
}

// MeanOf takes the parts that are there.
func MeanOf(of []*Timing) (m Mean) {
	known := 0.0
	for _, t := range of {
		if t != nil {
			m.N++
			m.Value += t.Value
			known += t.U * t.U
		}
	}
	if m.N == 0 {
		return m
	}
	n := float64(m.N)
	m.Value /= n
	for _, t := range of {
		if t != nil {
			m.Spread += (t.Value - m.Value) * (t.Value - m.Value)
		}
	}
	m.U = math.Sqrt(known) / n
	if m.N > 1 {
		m.Spread = math.Sqrt(m.Spread / (n - 1))
		m.U = math.Max(m.U, m.Spread/math.Sqrt(n))
	}
	return m
}

// Cadence is steps a minute, of a step's time.
func Cadence(step Mean) (perMinute, u float64) {
	return 60 / step.Value, 60 / step.Value / step.Value * step.U
}

// Duty is the share of a stride that a foot is on the ground.
func Duty(contact, stride Mean) (share, u float64) {
	share = contact.Value / stride.Value
	return share, share * math.Hypot(contact.U/contact.Value, stride.U/stride.Value)
}

// Symmetry is the difference of left and right over their mean, as a share with
// its standard uncertainty; Tells reports whether it is more than nothing.
func Symmetry(left, right Mean) (share, u float64, tells bool, err error) {
	if left.N == 0 || right.N == 0 {
		return 0, 0, false, fmt.Errorf("symmetry needs both feet: %d of the left, %d of the right", left.N, right.N)
	}
	mean := (left.Value + right.Value) / 2
	d := left.Value - right.Value
	u = math.Hypot(left.U, right.U) / mean
	share = math.Abs(d) / mean
	return share, u, share > 2*u, nil
}

// Spring is a runner's leg as a spring: the greatest force (N), how far the
// centre of mass sinks and the leg is pressed together (m), and the stiffness of
// both (N/m), each with the standard uncertainty of the two times.
type Spring struct{ Force, Sink, Vertical, Press, Leg Timing }

// SpringMass estimates it from contact and flight of a step, the body's mass
// (kg), the leg's length standing (m) and the speed (m/s): Morin, Dalleau,
// Kyröläinen, Jeannin & Belli 2005, J. Appl. Biomech. 21:167–180. It is an
// estimate of a sine, good to some per cent for running on the level.
func SpringMass(contact, flown Timing, mass, leg, speed float64) (Spring, error) {
	if !(flown.Value > 0) || !(contact.Value > 0) {
		return Spring{}, fmt.Errorf("a spring-mass estimate needs a flight: contact %g s, flight %g s", contact.Value, flown.Value)
	}
	if !(mass > 0) || !(leg > speed*contact.Value/2) {
		return Spring{}, fmt.Errorf("%g kg on a leg of %g m do not travel %g m over one contact", mass, leg, speed*contact.Value)
	}
	of := func(tc, tf float64) [5]float64 {
		f := mass * flight.G * math.Pi / 2 * (tf/tc + 1)
		sink := f*tc*tc/(mass*math.Pi*math.Pi) - flight.G*tc*tc/8
		half := speed * tc / 2
		press := leg - math.Sqrt(leg*leg-half*half) + sink
		return [5]float64{f, sink, f / sink, press, f / press}
	}
	at := of(contact.Value, flown.Value)
	c, t := of(contact.Value+contact.U, flown.Value), of(contact.Value, flown.Value+flown.U)
	var out [5]Timing
	for i := range out {
		out[i] = Timing{at[i], math.Hypot(c[i]-at[i], t[i]-at[i])}
	}
	return Spring{out[0], out[1], out[2], out[3], out[4]}, nil
}
