package flight

import (
	"encoding/json"
	"math"
	"os"
	"testing"
)

func near(t *testing.T, what string, got, want, within float64) {
	t.Helper()
	if math.IsNaN(got) || math.Abs(got-want) > within {
		t.Errorf("%s is %v, want %v", what, got, want)
	}
}

func TestRiseIsAParabola(t *testing.T) {
	near(t, "the top of a 3 m/s jump", Rise(1, 3, 3/G), 1+9/(2*G), 1e-12)
	near(t, "back at take-off height", Rise(1, 3, 6/G), 1, 1e-12)
	// h = g·t²/8 for a flight of t between equal heights (Bosco jump test).
	const flight = 0.5
	near(t, "height from flight time", Rise(0, G*flight/2, flight/2), G*flight*flight/8, 1e-12)
}

func TestTakeOffSpeedUndoesRise(t *testing.T) {
	for _, v := range []float64{-0.4, 0, 0.7, 3.2} {
		for _, d := range []float64{0.05, 0.3, 0.9} {
			got, err := TakeOffSpeed(0.95, Rise(0.95, v, d), d)
			if err != nil {
				t.Fatal(err)
			}
			near(t, "the speed", got, v, 1e-9)
		}
	}
	if _, err := TakeOffSpeed(1, 1, 0); err == nil {
		t.Error("a flight of no time has a take-off speed")
	}
}

// R = v²/g · cosθ (sinθ + √(sin²θ + 2gh/v²)): Linthorne 2001, J. Sports Sci. 19,
// from memory. On level ground it is v²/g · sin 2θ; and it is held against a
// step-by-step flight.
func TestRange(t *testing.T) {
	near(t, "45° on level ground", Range(10, 45, 0), 100/G, 1e-9)
	near(t, "30° on level ground", Range(10, 30, 0), 100/G*math.Sin(math.Pi/3), 1e-9)
	for _, c := range []struct{ v, a, h float64 }{{13.5, 37, 2.1}, {9, 41, 1.8}, {5, 10, 1}, {12, 0, 2}} {
		s, cos := math.Sincos(c.a * math.Pi / 180)
		x, y, vy := 0.0, c.h, c.v*s
		const dt = 1e-5
		for y > 0 {
			x += c.v * cos * dt
			y += vy*dt - G*dt*dt/2
			vy -= G * dt
		}
		near(t, "the range", Range(c.v, c.a, c.h), x, 2e-3)
	}
	// tanθ* = v/√(v² + 2gh): Lichtenberg & Wills 1978, Am. J. Phys. 46, from memory.
	best, at := 0.0, 0.0
	for a := 30.0; a < 50; a += 0.01 {
		if r := Range(13, a, 2.2); r > best {
			best, at = r, a
		}
	}
	near(t, "the best angle", at, math.Atan(13/math.Sqrt(169+2*G*2.2))*180/math.Pi, 0.02)
}

var things = map[string]Projectile{"shot": Shot(7.26), "discus": Discus(2), "javelin": Javelin(0.8)}

// SciPy's solve_ivp on the same forces, written down a second time:
// testdata/golden.py.
func TestFlightsAgreeWithSciPy(t *testing.T) {
	raw, err := os.ReadFile("testdata/flights.json")
	if err != nil {
		t.Fatal(err)
	}
	var golden struct {
		Cases []struct {
			Kind                                                                      string
			Speed, Angle, Height, Attitude0, Pitching, Wind, Distance, Time, Attitude float64
		}
	}
	if err := json.Unmarshal(raw, &golden); err != nil {
		t.Fatal(err)
	}
	for _, c := range golden.Cases {
		p, err := Fly(things[c.Kind], Release{c.Speed, c.Angle, c.Height, c.Attitude0, c.Pitching}, Air{Density, c.Wind})
		if err != nil {
			t.Fatal(err)
		}
		near(t, c.Kind+": the distance", p.Distance, c.Distance, 0.002)
		near(t, c.Kind+": the time", p.Time, c.Time, 0.0002)
		if c.Kind == "javelin" {
			near(t, "the attitude as it lands", p.Attitude, c.Attitude, 0.05)
		}
	}
}

// Without air everything flies as a projectile, and best at tanθ = v/√(v² + 2gh)
// (Lichtenberg & Wills 1978, from memory).
func TestWithoutAirAllFlyAlike(t *testing.T) {
	for name, thing := range things {
		for _, c := range [][3]float64{{13.5, 38, 2.1}, {28, 34, 1.8}, {8, 60, 0.5}} {
			p, err := Fly(thing, Release{Speed: c[0], Angle: c[1], Height: c[2], Attitude: 40}, Air{})
			if err != nil {
				t.Fatal(err)
			}
			near(t, name+": the distance", p.Distance, Range(c[0], c[1], c[2]), 1e-4)
		}
		angle, _, _, err := Best(thing, Effort{Speed: 13.5}, 2.1, Air{})
		if err != nil {
			t.Fatal(err)
		}
		near(t, name+": the best angle", angle, BestAngle(13.5, 2.1), 0.1)
	}
	near(t, "the best angle from the ground", BestAngle(20, 0), 45, 1e-9)
	near(t, "a shot's best angle (from memory: about 42)", BestAngle(13.5, 2.1), 42, 0.7)
}

// A shot loses about a centimetre or two to the air, a hammer a few metres; a
// disc flies farther into a head wind and less far with a tail wind than in
// still air, when its attitude fits (Frohlich 1981, from memory); a javelin's
// point comes down first.
func TestWhatAirDoes(t *testing.T) {
	lost := func(thing Projectile, r Release) float64 {
		p, err := Fly(thing, r, Air{Density: Density})
		if err != nil {
			t.Fatal(err)
		}
		return Range(r.Speed, r.Angle, r.Height) - p.Distance
	}
	if l := lost(things["shot"], Release{Speed: 14, Angle: 37, Height: 2.1}); l < 0.02 || l > 0.25 {
		t.Errorf("a shot loses %.2f m to the air", l)
	}
	if l := lost(Hammer(7.26), Release{Speed: 28, Angle: 43, Height: 1.8}); l < 1.5 || l > 6 {
		t.Errorf("a hammer loses %.2f m to the air", l)
	}
	best := func(wind float64) float64 {
		_, _, m, err := Best(things["discus"], Effort{Speed: 25}, 1.8, Air{Density, wind})
		if err != nil {
			t.Fatal(err)
		}
		return m
	}
	if into, still, with := best(-7), best(0), best(7); !(into > still+1 && with < still) {
		t.Errorf("a disc flies %.1f m into the wind, %.1f m in still air, %.1f m with it", into, still, with)
	}
	p, err := Fly(things["javelin"], Release{Speed: 28, Angle: 34, Height: 1.9, Attitude: 35}, Air{Density: Density})
	if err != nil || p.Attitude > -5 || p.Distance < 70 || p.Distance > 90 {
		t.Errorf("a javelin of 28 m/s flies %.1f m and lands at %.0f° (%v)", p.Distance, p.Attitude, err)
	}
}

// Best angles lie where athletes' are: a javelin's at 32–36° (Hubbard & Alaways
// 1987; Best and others 1995), a shot's at 31–39° (Linthorne 2001), both from
// memory. At one speed for all angles they would be steeper by 4° and more.
func TestBestAnglesOfAthletes(t *testing.T) {
	for _, c := range []struct {
		thing     string
		e         Effort
		low, high float64
	}{
		{"javelin", Effort{30, 35, JavelinLoss}, 32, 36}, {"javelin", Effort{25, 35, JavelinLoss}, 32, 36}, {"shot", Effort{13.5, 37, ShotLoss}, 31, 39},
	} {
		angle, _, _, err := Best(things[c.thing], c.e, 2, Air{Density: Density})
		if err != nil || angle < c.low || angle > c.high {
			t.Errorf("a %s at %v m/s goes farthest at %.1f°, published is %v–%v (%v)", c.thing, c.e.Speed, angle, c.low, c.high, err)
		}
		e := c.e
		e.Loss = 0
		if steep, _, _, _ := Best(things[c.thing], e, 2, Air{Density: Density}); steep < angle+4 {
			t.Errorf("a %s at one speed goes farthest at %.1f°, with the loss at %.1f°", c.thing, steep, angle)
		}
	}
}

// A step of a release value is worth what the formula says: of speed 2R/v or so,
// of angle next to nothing at the best one.
func TestGains(t *testing.T) {
	angle := BestAngle(13.5, 2.1)
	gains, err := Gains(things["shot"], Release{Speed: 13.5, Angle: angle, Height: 2.1}, Air{})
	if err != nil {
		t.Fatal(err)
	}
	near(t, "+1 m/s", gains[0].Metres, (Range(14.5, angle, 2.1)-Range(12.5, angle, 2.1))/2, 1e-3)
	near(t, "+1° at the best angle", gains[1].Metres, 0, 0.01)
	near(t, "+0.1 m", gains[2].Metres, (Range(13.5, angle, 2.2)-Range(13.5, angle, 2.0))/2, 1e-3)
	m, u, err := Distance(things["shot"], Release{Speed: 13.5, Angle: angle, Height: 2.1}, Release{Speed: 0.1, Height: 0.05}, Air{})
	if err != nil {
		t.Fatal(err)
	}
	near(t, "the mark", m, Range(13.5, angle, 2.1), 1e-3)
	near(t, "its u", u, math.Hypot(0.1*gains[0].Metres, 0.5*gains[2].Metres), 1e-9)
}

func TestWhatCannotFly(t *testing.T) {
	good := Release{Speed: 14, Angle: 38, Height: 2}
	for _, r := range []Release{{}, {Speed: -3, Angle: 30, Height: 1}, {Speed: 14, Angle: 95, Height: 1}, {Speed: math.NaN(), Angle: 30}, {Speed: 14, Angle: 30, Height: math.Inf(1)}, {Speed: 14, Angle: 30, Attitude: math.NaN()}} {
		if _, err := Fly(things["discus"], r, Air{Density: Density}); err == nil {
			t.Errorf("%+v flies", r)
		}
	}
	if _, err := Fly(Projectile{}, good, Air{}); err == nil {
		t.Error("nothing flies")
	}
	if _, err := Fly(things["shot"], good, Air{Density: Density, Wind: 80}); err == nil {
		t.Error("it is thrown in a hurricane")
	}
}

// The parts of a jump add up to its mark, and its flight is the parabola's.
func TestALongJumpsParts(t *testing.T) {
	off, v, a, drop := 0.35, 9.2, 20.5, 0.6
	flown, err := Reach(v, a, drop)
	if err != nil {
		t.Fatal(err)
	}
	j := Jump{Toe: -0.06, MassOff: off, MassIn: off + flown, Mark: off + flown + 0.5}
	p := j.Parts()
	near(t, "the sum of the parts", p.TakeOff+p.Flight+p.Landing+p.Gap, p.Official, 1e-12)
	near(t, "the take-off part", p.TakeOff, 0.41, 1e-12)
	near(t, "the flight", p.Flight, Range(v, a, drop), 1e-9)
	loss, err := j.LandingLoss(v, a, drop)
	if err != nil {
		t.Fatal(err)
	}
	near(t, "heels that reach 0.5 m beyond the centre of mass's parabola", loss, -0.5, 1e-9)
	up, err := Reach(8, 25, -0.3) // on to something higher
	if err != nil {
		t.Fatal(err)
	}
	s, c := math.Sincos(25 * math.Pi / 180)
	time := up / (8 * c)
	near(t, "its height there", Rise(0, 8*s, time), 0.3, 1e-9)
	if _, err := Reach(3, 10, -2); err == nil {
		t.Error("a hop of 3 m/s comes down 2 m up")
	}
	h, u := Height(0.5, 0.004)
	near(t, "a flight of 0.5 s", h, G*0.25/8, 1e-12)
	near(t, "its u", u, (G*math.Pow(0.501, 2)/8-G*math.Pow(0.499, 2)/8)/0.002*0.004, 1e-9)
	rate, ru, err := Spin(-24, 0.8, 3)
	near(t, "the rotation", rate, -30, 1e-12)
	near(t, "its u", ru, math.Sqrt2*3/0.8, 1e-12)
	if _, _, err2 := Spin(10, 0, 1); err != nil || err2 == nil {
		t.Error("a rotation in no time has a rate")
	}
}

func BenchmarkFly(b *testing.B) {
	for b.Loop() {
		if _, err := Fly(things["discus"], Release{Speed: 25, Angle: 36, Height: 1.8, Attitude: 30}, Air{Density: Density}); err != nil {
			b.Fatal(err)
		}
	}
}
