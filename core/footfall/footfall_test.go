package footfall

import (
	"math"
	"testing"

	"neokinema/core/clock"
)

func event(keyID, foot string, lands bool, t float64) FootEvent {
	return FootEvent{keyID, foot, lands, clock.Instant{T: t, U: 0.001}}
}

// start is a block start: both feet are on their pedals before the first stamp.
func start() []FootEvent {
	return []FootEvent{
		event("rear-off", "rear", false, 0.33), event("block-exit", "front", false, 0.52),
		event("td1", "rear", true, 0.58), event("to1", "rear", false, 0.76),
		event("td2", "front", true, 0.81), event("to2", "front", false, 0.97), event("td3", "rear", true, 1.03),
	}
}

func TestContactsOfABlockStart(t *testing.T) {
	notes := Contacts(start())
	want := []struct{ foot, from, to string }{{"rear", "", "rear-off"}, {"front", "", "block-exit"}, {"rear", "td1", "to1"}, {"front", "td2", "to2"}, {"rear", "td3", ""}}
	if len(notes) != len(want) {
		t.Fatalf("%d contacts, want %d: %v", len(notes), len(want), notes)
	}
	for i, w := range want {
		if n := notes[i]; n.Foot != w.foot || n.FromKey != w.from || n.ToKey != w.to {
			t.Errorf("contact %d is %s %q to %q, want %v", i, n.Foot, n.FromKey, n.ToKey, w)
		}
	}
	d, u, ok := notes[2].Duration(clock.Timeline{})
	if !ok || math.Abs(d-0.18) > 1e-9 || math.Abs(u-0.001*math.Sqrt2) > 1e-9 {
		t.Errorf("the first contact lasts %v ± %v (%v)", d, u, ok)
	}
	if _, _, ok := notes[0].Duration(clock.Timeline{}); ok {
		t.Error("a contact that began before the film has a length")
	}
	if _, _, ok := notes[4].Duration(clock.Timeline{}); ok {
		t.Error("a contact that goes on after the film has a length")
	}
}

func TestOrderOfTheEventsDoesNotMatter(t *testing.T) {
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

func TestBetweenContactsAreFlights(t *testing.T) {
	rests := Flights(Contacts(start()))
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
func TestDoubleSupportHasNoFlight(t *testing.T) {
	notes := Contacts([]FootEvent{
		event("a", "left", true, 0), event("b", "right", true, 0.4), event("c", "left", false, 0.5), event("d", "left", true, 0.9), event("e", "right", false, 1),
	})
	if rests := Flights(notes); len(rests) != 0 {
		t.Errorf("walking has flights: %v", rests)
	}
}

func TestFeetTogetherAreDoubleSupports(t *testing.T) {
	walk := Contacts([]FootEvent{
		event("a", "left", true, 0), event("b", "right", true, 0.4), event("c", "left", false, 0.5), event("d", "left", true, 0.9), event("e", "right", false, 1),
	})
	chords := DoubleSupports(walk)
	if len(chords) != 2 || chords[0].Start.T != 0.4 || chords[0].End.T != 0.5 || chords[1].Start.T != 0.9 || chords[1].End.T != 1 || chords[0].OpenStart || chords[1].OpenEnd {
		t.Errorf("walking has the chords %+v", chords)
	}
	blocks := DoubleSupports(Contacts(start())) // both feet on their pedals, then never again
	if len(blocks) != 1 || !blocks[0].OpenStart || blocks[0].End.T != 0.33 {
		t.Errorf("a block start has the chords %+v", blocks)
	}
}

func TestAnEventTwiceIsPassedOver(t *testing.T) {
	notes := Contacts([]FootEvent{event("a", "left", true, 0), event("b", "left", true, 0.1), event("c", "left", false, 0.2), event("d", "left", false, 0.3)})
	if len(notes) != 1 || notes[0].FromKey != "a" || notes[0].ToKey != "c" {
		t.Errorf("got %v", notes)
	}
	if got := Contacts(nil); len(got) != 0 {
		t.Errorf("nothing gives %v", got)
	}
}

func near(t *testing.T, what string, got, want, within float64) {
	t.Helper()
	if math.IsNaN(got) || math.Abs(got-want) > within {
		t.Errorf("%s is %v, want %v", what, got, want)
	}
}

// run is three strides of a runner: contacts of 0.20 s left and 0.21 s right,
// flights of 0.12 s.
func run() []Contact {
	var beats []FootEvent
	at := 0.0
	for i := range 6 {
		foot, contact := "left", 0.20
		if i%2 == 1 {
			foot, contact = "right", 0.21
		}
		beats = append(beats, event("td", foot, true, at), event("to", foot, false, at+contact))
		at += contact + 0.12
	}
	return Contacts(beats)
}

func TestStridesOfARun(t *testing.T) {
	strides := Strides(run(), clock.Timeline{})
	var contact, step, stride, flown, left, right []*Timing
	for _, s := range strides {
		contact, step, stride, flown = append(contact, s.Contact), append(step, s.Step), append(stride, s.Stride), append(flown, s.Flight)
		if s.Foot == "left" {
			left = append(left, s.Contact)
		} else {
			right = append(right, s.Contact)
		}
	}
	near(t, "the flight", MeanOf(flown).Value, 0.12, 1e-9)
	near(t, "the stride", MeanOf(stride).Value, 0.65, 1e-9)
	if n := MeanOf(stride).N; n != 4 {
		t.Errorf("of six contacts, %d strides are whole", n)
	}
	cadence, u := Cadence(MeanOf(step))
	near(t, "the cadence", cadence, 60/MeanOf(step).Value, 1e-9)
	if u <= 0 {
		t.Error("a cadence is known exactly")
	}
	duty, _ := Duty(MeanOf(contact), MeanOf(stride))
	near(t, "the duty factor", duty, 0.205/0.65, 1e-9)
	share, u, tells, err := Symmetry(MeanOf(left), MeanOf(right))
	if err != nil {
		t.Fatal(err)
	}
	near(t, "the symmetry", share, 0.01/0.205, 1e-9)
	if !tells || u > share/2 {
		t.Errorf("5 %% ± %.1f %% is told apart: %v", 200*u, tells)
	}
	if _, _, _, err := Symmetry(MeanOf(left), Mean{}); err == nil {
		t.Error("one foot is symmetrical")
	}
}

// Morin et al. 2005: the force is a sine whose impulse carries the body's weight
// over contact and flight, and the sinking is that force integrated twice.
func TestSpringMassIsASine(t *testing.T) {
	const mass, leg, speed, tc, tf, g = 68.0, 0.92, 4.2, 0.21, 0.13, 9.80665
	s, err := SpringMass(Timing{tc, 0.004}, Timing{tf, 0.004}, mass, leg, speed)
	if err != nil {
		t.Fatal(err)
	}
	impulse, v, y, lowest := 0.0, -g*tf/2, 0.0, 0.0
	const n = 20000
	for i := range n {
		f := s.Force.Value * math.Sin(math.Pi*(float64(i)+0.5)/n)
		dt := tc / n
		impulse += f * dt
		v += (f/mass - g) * dt
		y += v * dt
		lowest = math.Min(lowest, y)
	}
	near(t, "the impulse", impulse, mass*g*(tc+tf), 0.01)
	near(t, "the speed it leaves with", v, g*tf/2, 1e-4)
	near(t, "the sinking", s.Sink.Value, -lowest, 1e-4)
	near(t, "the vertical stiffness", s.Vertical.Value, s.Force.Value/s.Sink.Value, 1e-9)
	near(t, "the leg's stiffness", s.Leg.Value, s.Force.Value/(leg-math.Sqrt(leg*leg-math.Pow(speed*tc/2, 2))+s.Sink.Value), 1e-6)
	if s.Force.U <= 0 || s.Leg.U <= 0 || s.Force.Value/(mass*g) < 2 || s.Force.Value/(mass*g) > 3 {
		t.Errorf("the force is %.2f ± %.2f body weights", s.Force.Value/mass/g, s.Force.U/mass/g)
	}
	for _, bad := range [][2]float64{{0.2, 0}, {0, 0.1}, {0.6, 0.1}} {
		if _, err := SpringMass(Timing{bad[0], 0}, Timing{bad[1], 0}, mass, leg, speed); err == nil {
			t.Errorf("contact %v, flight %v makes a spring", bad[0], bad[1])
		}
	}
}
