package flight

import (
	"errors"
	"fmt"
	"math"
	"slices"

	"gonum.org/v1/gonum/spatial/r2"
)

// Density of air at sea level and 15 °C, kg/m³.
const Density = 1.225

const rad = math.Pi / 180

// Air is what a thing flies through. Wind blows along the throw, a tail wind
// positive, m/s.
type Air struct {
	Density float64
	Wind    float64
}

// Release is how a thing leaves: speed (m/s), angle of its path and height of
// its centre over the landing place (m). Attitude is the angle of a disc's
// plane or a javelin's axis from the horizontal, Pitching its rate (nose up
// positive); a ball has neither. Degrees and degrees per second.
type Release struct {
	Speed, Angle, Height, Attitude, Pitching float64
}

// Projectile is what flies. Forces gives lift and drag (N) at an air speed (m/s) and
// an angle of attack (degrees); Moment the nose-up torque (N·m), nil for what
// keeps its attitude by spin or has none.
type Projectile struct {
	Mass    float64 // kg
	Inertia float64 // kg·m², of pitching
	Forces  func(density, speed, attack float64) (lift, drag float64)
	Moment  func(density, speed, attack float64) float64
}

// Ball is a shot or a hammer's head: drag of a sphere (coefficient 0.47, below
// the speed at which it drops) and of what trails behind it, an area in m².
func Ball(mass, diameter, trailing float64) Projectile {
	area := math.Pi*diameter*diameter/4*0.47 + trailing
	return Projectile{Mass: mass, Forces: func(density, speed, _ float64) (lift, drag float64) {
		return 0, density / 2 * speed * speed * area
	}}
}

// Shot, Hammer, Discus and Javelin are the men's or women's implements by
// their mass, kg; what lies between is as large as its mass asks for.
func Shot(mass float64) Projectile { return Ball(mass, 0.12*math.Cbrt(mass/7.26), 0) }

// Hammer trails a wire of 3 mm and about a metre, and a handle.
func Hammer(mass float64) Projectile { return Ball(mass, 0.115*math.Cbrt(mass/7.26), 0.003+0.002) }

// disc is lift and drag of a discus by its angle of attack: the wind-tunnel
// figures that Frohlich 1981, Am. J. Phys. 49:1125 uses (from memory).
var disc = []struct{ attack, lift, drag float64 }{
	{0, 0, 0.06}, {5, 0.15, 0.07}, {10, 0.32, 0.12}, {15, 0.49, 0.19}, {20, 0.66, 0.28}, {25, 0.82, 0.39}, {28, 0.88, 0.47},
	{32, 0.70, 0.56}, {40, 0.62, 0.70}, {50, 0.55, 0.83}, {60, 0.45, 0.93}, {75, 0.25, 1.03}, {90, 0, 1.07},
}

func coefficients(attack float64) (lift, drag float64) {
	a := math.Abs(math.Remainder(attack, 360))
	backward := a > 90
	if backward {
		a = 180 - a
	}
	i := slices.IndexFunc(disc, func(d struct{ attack, lift, drag float64 }) bool { return d.attack >= a })
	if i <= 0 {
		i = 1
	}
	p, q := disc[i-1], disc[i]
	s := (a - p.attack) / (q.attack - p.attack)
	lift, drag = p.lift+s*(q.lift-p.lift), p.drag+s*(q.drag-p.drag)
	if (math.Remainder(attack, 360) < 0) != backward {
		lift = -lift
	}
	return lift, drag
}

// Discus keeps its attitude: it spins.
func Discus(mass float64) Projectile {
	diameter := 0.22
	if mass < 1.9 {
		diameter = 0.181 + (mass-1)*0.039
	}
	area := math.Pi * diameter * diameter / 4
	return Projectile{Mass: mass, Forces: func(density, speed, attack float64) (lift, drag float64) {
		l, d := coefficients(attack)
		q := density / 2 * speed * speed * area
		return q * l, q * d
	}}
}

const (
	crossDrag   = 1.1   // of a round shaft across the air
	skin        = 0.005 // friction along it, of its surface
	behindGrip  = 0.18  // m, by which the pressure's centre lies behind the mass's
	shaftAcross = 0.019 // m, mean diameter
)

// Javelin pitches: the air across its shaft pushes behind its centre of mass.
// The force is that of the flow across a slender body (Allen & Perkins 1951)
// and friction along it; published figures of javelins scatter about it.
func Javelin(mass float64) Projectile {
	long := 2.65
	if mass < 0.7 {
		long = 2.25
	}
	side, surface := long*shaftAcross, math.Pi*long*shaftAcross
	normal := func(density, speed, attack float64) float64 {
		s := math.Sin(attack * rad)
		return density / 2 * speed * speed * side * crossDrag * s * math.Abs(s)
	}
	return Projectile{
		Mass: mass, Inertia: mass * long * long / 13.3,
		Forces: func(density, speed, attack float64) (lift, drag float64) {
			n := normal(density, speed, attack)
			s, c := math.Sincos(attack * rad)
			along := density / 2 * speed * speed * surface * skin * c * math.Abs(c)
			return n*c - along*s, n*s + along*c
		},
		Moment: func(density, speed, attack float64) float64 {
			// The spin of the shaft and the air that it turns through damp nothing here.
			return -behindGrip * normal(density, speed, attack)
		},
	}
}

// Path is a flight: where it lands, how long and how high it was, and the
// attitude in which it comes down.
type Path struct {
	Distance, Time, Top, Down float64  // m, s, m over the landing place, degrees of the path below the horizontal
	Attitude                  float64  // degrees, as it lands
	Points                    []r2.Vec // every 10 ms, m
}

// state is place, speed, attitude (rad) and its rate.
type state [6]float64

const (
	tick    = 2e-3 // s
	longest = 15.0 // s
)

// Fly follows a thing through the air by the Runge–Kutta method of fourth order,
// until it is down.
func Fly(t Projectile, r Release, a Air) (Path, error) {
	switch {
	case t.Mass <= 0 || t.Forces == nil:
		return Path{}, errors.New("say what flies")
	case !(r.Speed > 0 && r.Speed < 60) || !(r.Height >= 0 && r.Height < 10) || !(math.Abs(r.Angle) < 90) || math.IsNaN(r.Attitude) || math.IsNaN(r.Pitching):
		return Path{}, fmt.Errorf("nothing is thrown at %g m/s and %g° from %g m", r.Speed, r.Angle, r.Height)
	case !(a.Density >= 0 && a.Density < 2) || !(math.Abs(a.Wind) < 30):
		return Path{}, fmt.Errorf("air of %g kg/m³ with a wind of %g m/s is none to throw in", a.Density, a.Wind)
	}
	s, c := math.Sincos(r.Angle * rad)
	now := state{0, r.Height, r.Speed * c, r.Speed * s, r.Attitude * rad, r.Pitching * rad}
	out := Path{Top: r.Height, Points: []r2.Vec{{Y: r.Height}}}
	for i := 1; i <= int(longest/tick); i++ {
		next := step(t, a, now)
		if next[1] <= 0 {
			share := now[1] / (now[1] - next[1])
			out.Distance, out.Time = now[0]+share*(next[0]-now[0]), (float64(i-1)+share)*tick
			out.Down = math.Atan2(-next[3], next[2]) / rad
			out.Attitude = (now[4] + share*(next[4]-now[4])) / rad
			out.Points = append(out.Points, r2.Vec{X: out.Distance})
			return out, nil
		}
		now = next
		out.Top = math.Max(out.Top, now[1])
		if i%5 == 0 {
			out.Points = append(out.Points, r2.Vec{X: now[0], Y: now[1]})
		}
	}
	return out, fmt.Errorf("after %g s it is still in the air", longest)
}

func step(t Projectile, a Air, s state) state {
	along := func(d state, h float64) (out state) {
		for i := range out {
			out[i] = s[i] + h*d[i]
		}
		return out
	}
	k1 := change(t, a, s)
	k2 := change(t, a, along(k1, tick/2))
	k3 := change(t, a, along(k2, tick/2))
	k4 := change(t, a, along(k3, tick))
	var out state
	for i := range out {
		out[i] = s[i] + tick/6*(k1[i]+2*k2[i]+2*k3[i]+k4[i])
	}
	return out
}

func change(t Projectile, a Air, s state) state {
	wx, wy := s[2]-a.Wind, s[3]
	speed := math.Hypot(wx, wy)
	if speed == 0 || a.Density == 0 {
		return state{s[2], s[3], 0, -G, s[5], 0}
	}
	attack := (s[4] - math.Atan2(wy, wx)) / rad
	lift, drag := t.Forces(a.Density, speed, attack)
	ux, uy := wx/speed, wy/speed
	turning := 0.0
	if t.Moment != nil {
		turning = t.Moment(a.Density, speed, attack) / t.Inertia
	}
	return state{s[2], s[3], (-drag*ux - lift*uy) / t.Mass, (-drag*uy+lift*ux)/t.Mass - G, s[5], turning}
}

// Gain is what a little more of one release value does to the distance.
type Gain struct {
	What   string
	By     float64 // in the value's unit
	Metres float64
}

// asks are the steps by which gains are told.
var asks = []struct {
	what string
	by   float64
	add  func(*Release, *Air, float64)
}{
	{"release speed, m/s", 1, func(r *Release, _ *Air, d float64) { r.Speed += d }},
	{"release angle, deg", 1, func(r *Release, _ *Air, d float64) { r.Angle += d }},
	{"release height, m", 0.1, func(r *Release, _ *Air, d float64) { r.Height += d }},
	{"attitude, deg", 1, func(r *Release, _ *Air, d float64) { r.Attitude += d }},
	{"tail wind, m/s", 1, func(_ *Release, a *Air, d float64) { a.Wind += d }},
}

// Gains are the distance's sensitivities at a release: half the difference of a
// step up and a step down.
func Gains(t Projectile, r Release, a Air) ([]Gain, error) {
	var out []Gain
	for _, ask := range asks {
		at := func(d float64) (float64, error) {
			r, a := r, a
			ask.add(&r, &a, d)
			p, err := Fly(t, r, a)
			return p.Distance, err
		}
		up, err := at(ask.by)
		if err != nil {
			return nil, err
		}
		down, err := at(-ask.by)
		if err != nil {
			return nil, err
		}
		out = append(out, Gain{ask.what, ask.by, (up - down) / 2})
	}
	return out, nil
}

// Distance is the distance that a release leads to, with the standard uncertainty
// that those of speed, angle, height and attitude give it.
func Distance(t Projectile, r, u Release, a Air) (metres, metresU float64, err error) {
	p, err := Fly(t, r, a)
	if err != nil {
		return 0, 0, err
	}
	gains, err := Gains(t, r, a)
	if err != nil {
		return 0, 0, err
	}
	square := 0.0
	for i, u := range []float64{u.Speed, u.Angle, u.Height, u.Attitude} {
		square += math.Pow(gains[i].Metres/gains[i].By*u, 2)
	}
	return p.Distance, math.Sqrt(square), nil
}

// Effort is how fast an athlete throws: a speed, m/s, at an angle, degrees, and
// the speed that is lost with each degree that it is steeper, m/s.
type Effort struct {
	Speed, At, Loss float64
}

// At the same effort a thing leaves more slowly the steeper it is thrown: the
// body is stronger forward than upward, and more of the work lifts. Loss by
// implement, m/s a degree: the javelin's after Red & Zogaib 1977, the shot's so
// that best angles are those of Linthorne 2001; the discus's between them,
// common practice. All from memory. A hammer's speed is taken as the same.
const (
	JavelinLoss = 0.127
	ShotLoss    = 0.05
	DiscusLoss  = 0.08
)

// Best is the release angle, and the attack at release, degrees, with which a
// thing goes farthest at an effort from a height, m. Without loss the speed is
// the same at every angle, which no athlete's is: that optimum is too steep.
func Best(t Projectile, e Effort, height float64, a Air) (angle, attack, metres float64, err error) {
	far := func(angle, attack float64) float64 {
		p, failed := Fly(t, Release{Speed: e.Speed - e.Loss*(angle-e.At), Angle: angle, Height: height, Attitude: angle + attack}, a)
		if failed != nil {
			err = failed
		}
		return p.Distance
	}
	angle = 36
	lo, hi := -25.0, 25.0
	if lift, _ := t.Forces(Density, 25, 10); lift == 0 {
		lo, hi = 0, 0
	}
	for range 4 { // each in turn settles quickly
		angle = highest(5, 60, func(x float64) float64 { return far(x, attack) })
		attack = highest(lo, hi, func(x float64) float64 { return far(angle, x) })
	}
	return angle, attack, far(angle, attack), err
}

// highest is where f is highest between a and b, by golden sections.
func highest(a, b float64, f func(float64) float64) float64 {
	g := (math.Sqrt(5) - 1) / 2
	x, y := b-g*(b-a), a+g*(b-a)
	fx, fy := f(x), f(y)
	for b-a > 0.02 {
		if fx > fy {
			b, y, fy = y, x, fx
			x = b - g*(b-a)
			fx = f(x)
		} else {
			a, x, fx = x, y, fy
			y = a + g*(b-a)
			fy = f(y)
		}
	}
	return (a + b) / 2
}

// BestAngle is the angle (degrees) at which a projectile without air goes
// farthest: tanθ = v/√(v² + 2gh).
func BestAngle(v, h float64) float64 { return math.Atan(v/math.Sqrt(v*v+2*G*h)) / rad }
