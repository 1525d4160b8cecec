package body

import (
	"math"
	"strings"
	"testing"

	"gonum.org/v1/gonum/spatial/r2"
	"gonum.org/v1/gonum/spatial/r3"
)

func near(t *testing.T, what string, got, want, within float64) {
	t.Helper()
	if math.IsNaN(got) || math.Abs(got-want) > within {
		t.Errorf("%s is %.6f, want %.6f", what, got, want)
	}
}

// polar is the point at a distance and an inclination, degrees, from o; y up.
func polar(o r2.Vec, d, angle float64) r2.Vec {
	s, c := math.Sincos(angle * math.Pi / 180)
	return r2.Vec{X: o.X + d*c, Y: o.Y + d*s}
}

func TestIncludedAngleAtAnyPlaceAndTurn(t *testing.T) {
	for _, want := range []float64{1, 45, 90, 104.2, 135, 179, 180} {
		for turn := 0.0; turn < 360; turn += 37 {
			knee := r2.Vec{X: 310, Y: -220}
			hip, ankle := polar(knee, 190, turn), polar(knee, 203, turn+want)
			near(t, "the knee", Included(hip, knee, ankle), want, 1e-9)
			near(t, "the knee from the other side", Included(ankle, knee, hip), want, 1e-9)
		}
	}
}

func TestInclinationsAndTheirSigns(t *testing.T) {
	o := r2.Vec{X: 5, Y: 5}
	for _, want := range []float64{0, 30, 45, 90, 120} {
		near(t, "inclination", FittedInclination(o, polar(o, 3, want)), want, 1e-9)
		near(t, "fitted inclination", FittedInclination(o, polar(o, 1, want), polar(o, 2.5, want)), want, 1e-9)
	}
	near(t, "a line that leans to both sides of the points", FittedInclination(o, r2.Vec{X: 6.1, Y: 5.9}, r2.Vec{X: 6.9, Y: 7.1}), 47.2, 1.5)
	knee := r2.Vec{X: 0, Y: 1}
	near(t, "shin with the ankle 30° ahead", ShinAngle(knee, polar(knee, 0.4, -60)), 30, 1e-9)
	near(t, "shin with the ankle 40° behind", ShinAngle(knee, polar(knee, 0.4, -130)), -40, 1e-9)
	near(t, "shin upright", ShinAngle(knee, polar(knee, 0.4, -90)), 0, 1e-9)
	hip, shoulder := r2.Vec{}, r2.Vec{X: 1, Y: 0}
	near(t, "head lifted 20°", Turn(hip, shoulder, polar(shoulder, 0.3, 20)), 20, 1e-9)
	near(t, "head dropped 35°", Turn(hip, shoulder, polar(shoulder, 0.3, -35)), -35, 1e-9)
}

// The uncertainty of a direction: √2·u/d, checked by moving the points.
func TestAngleUncertainty(t *testing.T) {
	near(t, "2 px on 100 px", AngleU(2, 100), math.Atan(2*math.Sqrt2/100)*180/math.Pi, 0.001)
	near(t, "2 px on 200 px", AngleU(2, 200), AngleU(2, 100)/2, 1e-9)
}

// de Leva 1996, J. Biomech. 29(9):1223–1230, table 4, from memory.
func TestSegmentTable(t *testing.T) {
	want := map[string][4]float64{ // mass % woman, man; centre % woman, man
		"head": {6.68, 6.94, 48.41, 50.02}, "trunk": {42.57, 43.46, 37.82, 43.10}, "upper arm": {2.55, 2.71, 57.54, 57.72},
		"forearm": {1.38, 1.62, 45.59, 45.74}, "hand": {0.56, 0.61, 74.74, 79.00}, "thigh": {14.78, 14.16, 36.12, 40.95},
		"shank": {4.81, 4.33, 44.16, 44.59}, "foot": {1.29, 1.37, 40.14, 44.15},
	}
	for col, sex := range []Sex{Woman, Man} {
		sum := 0.0
		for _, g := range Segments(sex) {
			w, ok := want[g.Name]
			if !ok {
				t.Fatalf("a segment %q is not in the table", g.Name)
			}
			near(t, g.Name+" mass", 100*g.Mass, w[col], 1e-9)
			near(t, g.Name+" centre", 100*g.Centre, w[2+col], 1e-9)
			sum += g.Mass
			if g.Paired {
				sum += g.Mass
			}
		}
		near(t, "all masses of a "+string(sex), 100*sum, 100, 0.011)
	}
}

// A body whose points all lie on one vertical line has its centre at the mean
// of the segments' centres, computed here by hand for a man.
func TestCentreOfMassByHand(t *testing.T) {
	z := map[string]float64{"vertex": 1.80, "neck": 1.55, "shoulder": 1.47, "elbow": 1.14, "wrist": 0.88, "knuckle": 0.79, "hip": 0.95, "knee": 0.51, "ankle": 0.07, "heel": 0.02, "toe": 0.02}
	at := map[Landmark]r3.Vec{"vertex": {Z: z["vertex"]}, "neck": {Z: z["neck"]}}
	for _, part := range []string{"shoulder", "elbow", "wrist", "knuckle", "hip", "knee", "ankle", "heel", "toe"} {
		for _, s := range []Side{Left, Right} {
			at[Landmark(part+"."+string(s))] = r3.Vec{X: 0.3, Z: z[part]}
		}
	}
	mid := func(a, b string, share float64) float64 { return z[a] + share*(z[b]-z[a]) }
	want := 0.0694*mid("vertex", "neck", 0.5002) + 0.4346*mid("shoulder", "hip", 0.4310) +
		2*(0.0271*mid("shoulder", "elbow", 0.5772)+0.0162*mid("elbow", "wrist", 0.4574)+0.0061*mid("wrist", "knuckle", 0.79)+
			0.1416*mid("hip", "knee", 0.4095)+0.0433*mid("knee", "ankle", 0.4459)+0.0137*mid("heel", "toe", 0.4415))
	got, err := CentreOfMass(Man, at)
	if err != nil {
		t.Fatal(err)
	}
	near(t, "its height", got.Z, want, 1e-3)
	if share := got.Z / 1.80; share < 0.54 || share > 0.59 { // a standing man's centre lies at 55–58 % of his height: common practice
		t.Errorf("a standing man's centre lies at %.3f of his height", share)
	}

	delete(at, "knee.R")
	if _, err := CentreOfMass(Man, at); err == nil || !strings.Contains(err.Error(), "knee.R") {
		t.Errorf("a body without its right knee: %v", err)
	}
	delete(at, "neck")
	if _, err := CentreOfMass(Man, at); err == nil || !strings.Contains(err.Error(), "neck") {
		t.Errorf("a body without its neck: %v", err)
	}
}

// Winter, Biomechanics and Motor Control of Human Movement, from memory.
func TestSegmentLengthsAddUp(t *testing.T) {
	near(t, "leg", LegShare, 0.491, 1e-9)
	near(t, "trunk", TrunkShare, 0.288, 1e-9)
	near(t, "hip to knee", Lengths.HipHeight-Lengths.KneeHeight, 0.245, 1e-9)
	near(t, "knee to ankle", Lengths.KneeHeight-Lengths.AnkleHeight, 0.246, 1e-9)
}

func TestRolesTurnWithTheFrontLeg(t *testing.T) {
	for _, c := range []struct {
		front, near Side
		role        string
		want        Landmark
	}{
		{Left, Left, "front.knee", "knee.L"}, {Left, Left, "rear.knee", "knee.R"}, {Left, Left, "near.hip", "hip.L"}, {Left, Right, "near.hip", "hip.R"},
		{Right, Right, "front.ankle", "ankle.R"}, {Right, Right, "rear.toe", "toe.L"}, {Right, Left, "far.shoulder", "shoulder.R"},
	} {
		got, err := Start(c.front).Near(c.near).Landmark(c.role)
		if err != nil || got != c.want {
			t.Errorf("front %s, near %s: %s is %s (%v), want %s", c.front, c.near, c.role, got, err, c.want)
		}
	}
	for _, bad := range []string{"stance.knee", "front.wing", "front"} {
		if l, err := Start(Left).Landmark(bad); err == nil {
			t.Errorf("%q is a landmark: %s", bad, l)
		}
	}
	if Left.Other() != Right || Right.Other() != Left || Left.Word() != "left" || Right.Word() != "right" {
		t.Error("the sides are mixed up")
	}
}

func TestLandmarkNames(t *testing.T) {
	for name, want := range map[Landmark]bool{"knee.L": true, "toe.R": true, "neck": true, "vertex": true, "knee": false, "knee.X": false, "": false, "elbow.l": false, "neck.L": false} {
		if got := name.Valid(); got != want {
			t.Errorf("%q valid: %v", name, got)
		}
	}
}
