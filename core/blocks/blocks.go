// Package blocks says where a pedal of the starting blocks must stand for a
// knee to have its angle at set, with the hip where it is. After a change hip
// and heel shift: the answer is a first guess, film again.
package blocks

import (
	"errors"
	"fmt"
	"math"
)

// Leg is one leg at set, in metres. Behind is how far the ankle stands behind
// the hip along the rail (negative: ahead of it), Below how far the hip is from
// the line that the ankle moves on.
type Leg struct {
	Thigh, Shank  float64
	Behind, Below float64
}

// Move is a change of the pedal.
type Move struct {
	Metres float64 `json:"metres"` // toward the line
	U      float64 `json:"u"`      // standard uncertainty
	Knee   float64 `json:"knee"`   // degrees, now
	Holes  int     `json:"holes"`  // whole holes toward the line
	Leaves float64 `json:"leaves"` // degrees, the knee that whole holes leave
	KneeU  float64 `json:"kneeU"`  // degrees, standard uncertainty of both knees
}

// least is how far the ankle must stand from under the hip for the knee to
// answer to the pedal, m.
const least = 0.05

// ErrUnderHip is returned when moving the pedal hardly changes the knee.
var ErrUnderHip = errors.New("the foot stands almost under the hip: moving the pedal hardly changes this knee")

// OutOfReach says that no place of the pedal gives the knee its angle.
type OutOfReach struct{ Smallest float64 }

func (e OutOfReach) Error() string {
	return fmt.Sprintf("with the hips this high the knee cannot close below %.0f°: lower the hips", e.Smallest)
}

func (l Leg) knee(behind float64) float64 {
	c := (l.Thigh*l.Thigh + l.Shank*l.Shank - behind*behind - l.Below*l.Below) / (2 * l.Thigh * l.Shank)
	return math.Acos(math.Max(-1, math.Min(1, c))) * 180 / math.Pi
}

// Knee is the included angle now, degrees.
func (l Leg) Knee() float64 { return l.knee(l.Behind) }

// Set says how far to move the pedal for the knee to have target degrees, with
// kneeU the standard uncertainty of the knee now (degrees) and pitch the
// spacing of the rail's holes (m).
func (l Leg) Set(target, kneeU, pitch float64) (Move, error) {
	if l.Thigh <= 0 || l.Shank <= 0 || pitch <= 0 || target <= 0 || target >= 180 {
		return Move{}, fmt.Errorf("a leg of %.2f and %.2f m, a hole spacing of %.3f m and a knee of %.0f° cannot be solved", l.Thigh, l.Shank, pitch, target)
	}
	if math.Abs(l.Behind) < least {
		return Move{}, ErrUnderHip
	}
	square := l.Thigh*l.Thigh + l.Shank*l.Shank - 2*l.Thigh*l.Shank*math.Cos(target*math.Pi/180) - l.Below*l.Below
	if square < 0 {
		return Move{}, OutOfReach{l.knee(0)}
	}
	want := math.Copysign(math.Sqrt(square), l.Behind)
	now := l.Knee()
	perMetre := math.Abs(l.Behind) / (l.Thigh * l.Shank * math.Sin(now*math.Pi/180)) * 180 / math.Pi
	m := Move{Metres: l.Behind - want, U: kneeU / perMetre, Knee: now, KneeU: kneeU}
	m.Holes = int(math.Round(m.Metres / pitch))
	m.Leaves = l.knee(l.Behind - float64(m.Holes)*pitch)
	return m, nil
}
