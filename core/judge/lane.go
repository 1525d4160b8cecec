package judge

import "neokinema/core/playbook"

// Lane is a value laid on a line from 0 to 1, with its ± two standard
// uncertainties and its band, for screen and paper alike.
type Lane struct {
	At   float64  `json:"at"`
	From float64  `json:"from"` // of ± two standard uncertainties
	To   float64  `json:"to"`
	Low  *float64 `json:"low,omitempty"` // the band's edges
	High *float64 `json:"high,omitempty"`
}

// laneRoom is how much of what a lane shows is left free at each end.
const laneRoom = 0.18

// LaneOf lays a value with its standard uncertainty and its band, nil for none, on
// a lane that shows them all, and whatever else stands on the same scale. All are in
// the value's unit.
func LaneOf(value, u float64, band *playbook.Band, beside ...float64) Lane {
	first, last := value-2*u, value+2*u
	for _, v := range beside {
		first, last = min(first, v), max(last, v)
	}
	var low, high *float64
	if band != nil {
		low, high = band.Low, band.High
	}
	for _, e := range []*float64{low, high} {
		if e != nil {
			first, last = min(first, *e), max(last, *e)
		}
	}
	room := laneRoom * (last - first)
	if room == 0 {
		room = 1
	}
	first, last = first-room, last+room
	on := func(v float64) float64 { return (v - first) / (last - first) }
	out := Lane{At: on(value), From: on(value - 2*u), To: on(value + 2*u)}
	if low != nil {
		out.Low = new(on(*low))
	}
	if high != nil {
		out.High = new(on(*high))
	}
	return out
}
