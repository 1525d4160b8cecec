package sim

import (
	"fmt"
	"math"

	"gonum.org/v1/gonum/spatial/r3"
)

// The true values of measures, in three dimensions, by the simulator's own
// arithmetic.

func (f *figure) knee(s side) float64 {
	l := &f.limb[s]
	return angle3(l.hip, l.knee, l.ankle)
}

func (f *figure) elbow(s side) float64 {
	l := &f.limb[s]
	return angle3(l.shoulder, l.elbow, l.wrist)
}

// hipAngle is shoulder–hip–knee, with the middle of the shoulders.
func (f *figure) hipAngle(s side) float64 {
	return angle3(f.midShoulder, f.limb[s].hip, f.limb[s].knee)
}

func (f *figure) ankleAngle(s side) float64 {
	l := &f.limb[s]
	return angle3(l.knee, l.ankle, l.toe)
}

func (f *figure) hipFacing() float64 { return facing(f.limb[right].hip, f.limb[left].hip) }
func (f *figure) shoulderFacing() float64 {
	return facing(f.limb[right].shoulder, f.limb[left].shoulder)
}

// separation is how far the hips are turned ahead of the shoulders.
func (f *figure) separation() float64 { return wrap(f.hipFacing() - f.shoulderFacing()) }

// footAzimuth is the direction of a foot from heel to toe.
func (f *figure) footAzimuth(s side) float64 {
	return azimuthOf(r3.Sub(f.limb[s].toe, f.limb[s].heel))
}

// lean is how far the line from a to b leans from the vertical along u, degrees.
func lean(a, b, u r3.Vec) float64 {
	d := r3.Sub(b, a)
	return atan2(r3.Dot(d, u), d.Z)
}

// trunkLean is the lean of mid-hip→mid-shoulder along u.
func (f *figure) trunkLean(u r3.Vec) float64 { return lean(f.midHip, f.shoulders(), u) }

// shoulders is the middle of the shoulders.
func (f *figure) shoulders() r3.Vec {
	return middle(f.limb[right].shoulder, f.limb[left].shoulder)
}

// tilt is how much higher the right end of a line is, degrees.
func tilt(r, l r3.Vec) float64 {
	d := r3.Sub(r, l)
	return atan2(d.Z, math.Hypot(d.X, d.Y))
}

// shin is knee→ankle from the vertical along u, the ankle ahead positive.
func (f *figure) shin(s side, u r3.Vec) float64 {
	d := r3.Sub(f.limb[s].ankle, f.limb[s].knee)
	return atan2(r3.Dot(d, u), -d.Z)
}

// thigh is the inclination of hip→knee along u, 0 = level.
func (f *figure) thigh(s side, u r3.Vec) float64 {
	d := r3.Sub(f.limb[s].knee, f.limb[s].hip)
	return atan2(d.Z, r3.Dot(d, u))
}

// sole is the angle of a foot to the ground, toes up positive.
func (f *figure) sole(s side) float64 {
	d := r3.Sub(f.limb[s].ball, f.limb[s].heel)
	return atan2(d.Z, math.Hypot(d.X, d.Y))
}

// ahead is how far b lies ahead of a along u, m.
func ahead(a, b, u r3.Vec) float64 { return r3.Dot(r3.Sub(b, a), u) }

// at is a place of a repeated key position.
func at(id string, n int) string { return fmt.Sprintf("%s#%d", id, n) }

// velocity is the velocity of what pick gives, by central difference.
func (m *Motion) velocity(t float64, pick func(f *figure) r3.Vec) r3.Vec {
	const h = 1e-3
	a, b := m.figure(t-h), m.figure(t+h)
	return r3.Scale(1/(2*h), r3.Sub(pick(&b), pick(&a)))
}

// meanSpeed is the mean speed of the middle of the hips along u.
func (m *Motion) meanSpeed(from, to float64, u r3.Vec) float64 {
	a, b := m.figure(from), m.figure(to)
	return ahead(a.midHip, b.midHip, u) / (to - from)
}

// toeSpeed is the mean speed of a toe along u in the time before an instant.
func (m *Motion) toeSpeed(s side, until, span float64, u r3.Vec) float64 {
	a, b := m.figure(until-span), m.figure(until)
	return ahead(a.limb[s].toe, b.limb[s].toe, u) / span
}

// greatest is the greatest value of f between two instants.
func greatest(from, to float64, f func(t float64) float64) float64 {
	return f(highest(from, to, f))
}

func least(from, to float64, f func(t float64) float64) float64 { return f(lowest(from, to, f)) }
