package footfall

import (
	"math"
	"testing"

	"neokinema/core/clock"
)

func beat(place, foot string, lands bool, t float64) Beat {
	return Beat{place, foot, lands, clock.Instant{T: t, U: 0.001}}
}

// start is a block start: both feet are on their pedals before the first stamp.
func start() []Beat {
	return []Beat{
		beat("rear-off", "rear", false, 0.33), beat("block-exit", "front", false, 0.52),
		beat("td1", "rear", true, 0.58), beat("to1", "rear", false, 0.76),
		beat("td2", "front", true, 0.81), beat("to2", "front", false, 0.97), beat("td3", "rear", true, 1.03),
	}
}

func TestContactsOfABlockStart(t *testing.T) {
	notes := Contacts(start())
	want := []struct{ foot, from, to string }{{"rear", "", "rear-off"}, {"front", "", "block-exit"}, {"rear", "td1", "to1"}, {"front", "td2", "to2"}, {"rear", "td3", ""}}
	if len(notes) != len(want) {
		t.Fatalf("%d contacts, want %d: %v", len(notes), len(want), notes)
	}
	for i, w := range want {
		if n := notes[i]; n.Foot != w.foot || n.From != w.from || n.To != w.to {
			t.Errorf("contact %d is %s %q to %q, want %v", i, n.Foot, n.From, n.To, w)
		}
	}
	d, u, ok := notes[2].Length(clock.Film{})
	if !ok || math.Abs(d-0.18) > 1e-9 || math.Abs(u-0.001*math.Sqrt2) > 1e-9 {
		t.Errorf("the first contact lasts %v ± %v (%v)", d, u, ok)
	}
	if _, _, ok := notes[0].Length(clock.Film{}); ok {
		t.Error("a contact that began before the film has a length")
	}
	if _, _, ok := notes[4].Length(clock.Film{}); ok {
		t.Error("a contact that goes on after the film has a length")
	}
}

func TestOrderOfTheBeatsDoesNotMatter(t *testing.T) {
	forward, backward := start(), start()
	for i, j := 0, len(backward)-1; i < j; i, j = i+1, j-1 {
		backward[i], backward[j] = backward[j], backward[i]
	}
	a, b := Contacts(forward), Contacts(backward)
	for i := range a {
		if a[i] != b[i] {
			t.Errorf("contact %d differs: %v, %v", i, a[i], b[i])
		}
	}
}

func TestRestsAreFlights(t *testing.T) {
	rests := Rests(Contacts(start()))
	want := [][2]float64{{0.52, 0.58}, {0.76, 0.81}, {0.97, 1.03}}
	if len(rests) != len(want) {
		t.Fatalf("%d rests, want %d: %v", len(rests), len(want), rests)
	}
	for i, w := range want {
		if rests[i].Start.T != w[0] || rests[i].End.T != w[1] {
			t.Errorf("rest %d is %v to %v, want %v", i, rests[i].Start.T, rests[i].End.T, w)
		}
	}
}

// With both feet down for a while, as in walking or a double support of a
// turn, there is no flight.
func TestDoubleSupportHasNoRest(t *testing.T) {
	notes := Contacts([]Beat{
		beat("a", "left", true, 0), beat("b", "right", true, 0.4), beat("c", "left", false, 0.5), beat("d", "left", true, 0.9), beat("e", "right", false, 1),
	})
	if rests := Rests(notes); len(rests) != 0 {
		t.Errorf("walking has flights: %v", rests)
	}
}

func TestABeatTwiceIsPassedOver(t *testing.T) {
	notes := Contacts([]Beat{beat("a", "left", true, 0), beat("b", "left", true, 0.1), beat("c", "left", false, 0.2), beat("d", "left", false, 0.3)})
	if len(notes) != 1 || notes[0].From != "a" || notes[0].To != "c" {
		t.Errorf("got %v", notes)
	}
	if got := Contacts(nil); len(got) != 0 {
		t.Errorf("nothing gives %v", got)
	}
}
