package coach

import (
	"fmt"
	"math"
	"slices"
	"time"
)

// Done is an attempt as it counts for an athlete's load.
type Done struct {
	Day       time.Time
	Event     string
	Implement int // g; 0: none
	Effort    int // per cent; 0: not said
}

// Sort is what is counted apart: attempts of one event and implement.
type Sort struct {
	Event     string `json:"event"`
	Implement int    `json:"implement"` // g; 0: none
	Hard      int    `json:"hard"`      // of HardFrom per cent effort and more
	Count     int    `json:"count"`
}

// HardFrom is the effort, in per cent, from which an attempt counts as hard.
const HardFrom = 90

// Week is the load of a week that begins on a Monday.
type Week struct {
	From  string `json:"from"`
	Count int    `json:"count"`
	Hard  int    `json:"hard"`
	Sorts []Sort `json:"sorts"`
	Rise  string `json:"rise,omitempty"` // a caution, where the week rises sharply
}

const (
	// usualWeeks are looked at before a week to say what is usual.
	usualWeeks = 4
	// sharpRise over the usual week is a caution: half as much again. Common
	// practice; the evidence for any one number is weak.
	sharpRise = 1.5
	// fewPerWeek is what any week may hold.
	fewPerWeek = 12
)

// Load counts attempts by week: so many weeks, the earliest first, up to that of
// the last day. What is earlier tells what was usual.
func Load(list []Done, weeks int, last time.Time) []Week {
	monday := func(t time.Time) time.Time {
		t = time.Date(t.Year(), t.Month(), t.Day(), 0, 0, 0, 0, time.UTC)
		return t.AddDate(0, 0, -(int(t.Weekday())+6)%7)
	}
	from := monday(last).AddDate(0, 0, -7*(weeks+usualWeeks-1))
	out := make([]Week, weeks+usualWeeks)
	for i := range out {
		out[i] = Week{From: from.AddDate(0, 0, 7*i).Format(time.DateOnly), Sorts: []Sort{}}
	}
	for _, d := range list {
		at := int(math.Round(monday(d.Day).Sub(from).Hours() / 24 / 7))
		if at < 0 || at >= len(out) {
			continue
		}
		w := &out[at]
		i := slices.IndexFunc(w.Sorts, func(s Sort) bool { return s.Event == d.Event && s.Implement == d.Implement })
		if i < 0 {
			i, w.Sorts = len(w.Sorts), append(w.Sorts, Sort{Event: d.Event, Implement: d.Implement})
		}
		w.Count++
		w.Sorts[i].Count++
		if d.Effort >= HardFrom {
			w.Hard++
			w.Sorts[i].Hard++
		}
	}
	for i := usualWeeks; i < len(out); i++ {
		sum := 0
		for _, w := range out[i-usualWeeks : i] {
			sum += w.Count
		}
		usual := float64(sum) / usualWeeks
		if n := float64(out[i].Count); n > fewPerWeek && n > sharpRise*usual {
			out[i].Rise = fmt.Sprintf("%d attempts after %.0f a week in the %d weeks before: build up more slowly", out[i].Count, usual, usualWeeks)
		}
	}
	return out[usualWeeks:]
}
