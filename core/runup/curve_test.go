package runup

import (
	"math"
	"strings"
	"testing"

	"gonum.org/v1/gonum/spatial/r2"
)

func near(t *testing.T, what string, got, want, within float64) {
	t.Helper()
	if math.IsNaN(got) || math.Abs(got-want) > within {
		t.Errorf("%s is %.4f, want %.4f", what, got, want)
	}
}

var worked = Curve{Toe: r2.Vec{X: 0.9, Y: 0.9}, Width: 4, Heading: 38, Entry: 90, Steps: []float64{1.70, 1.95, 1.85, 1.80, 1.80}, Straight: []float64{1.75, 1.75, 1.75, 1.75, 1.75}}

// A worked example, by geometry.
func TestTheMarksOfAWorkedCurve(t *testing.T) {
	run, err := LayOut(worked)
	if err != nil {
		t.Fatal(err)
	}
	near(t, "the radius", run.Radius, 10.027, 0.0005)
	near(t, "the centre's x", run.Centre.X, 7.073, 0.0005)
	near(t, "the centre's y", run.Centre.Y, 8.801, 0.0005)
	for i, want := range map[int]r2.Vec{0: {X: -0.345, Y: 2.055}, 1: {X: -1.509, Y: 3.616}, 4: {X: -2.954, Y: 8.801}, 9: {X: -2.954, Y: 17.551}} {
		at := run.Contacts[i].At
		near(t, "a contact's x", at.X, want.X, 0.0006)
		near(t, "a contact's y", at.Y, want.Y, 0.0006)
		near(t, "the tape from the near standard", run.Contacts[i].Near, r2.Norm(want), 0.001)
		near(t, "the tape from the far standard", run.Contacts[i].Far, math.Hypot(want.X-4, want.Y), 0.001)
	}
	for k, l := range worked.Steps {
		near(t, "the straight of a curve step", run.Contacts[k].Chord, 2*run.Radius*math.Sin(l/2/run.Radius), 1e-9)
	}
	outside := worked
	outside.Offset = 0.15
	run, err = LayOut(outside)
	if err != nil {
		t.Fatal(err)
	}
	near(t, "the outside foot's x", run.Contacts[0].At.X, -0.456, 0.0006)
	near(t, "the outside foot's y", run.Contacts[0].At.Y, 1.954, 0.0006)
	lean, err := BodyLean(7, 10.027, 1.0)
	if err != nil {
		t.Fatal(err)
	}
	near(t, "the lean", lean, 25.50, 0.05)
	plain, _ := CurveLean(7, 10.027)
	near(t, "the lean without the body's height", plain, 26.5, 0.05)
	near(t, "the speed of that lean", RequiredSpeed(lean, 10.027, 1.0), 7, 1e-6)
}

// Whichever of the three is left open, it is the same curve.
func TestOneOfThreeFollowsFromTheOthers(t *testing.T) {
	whole, err := LayOut(worked)
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []Curve{
		{Heading: 38, Radius: whole.Radius}, {Entry: 90, Radius: whole.Radius}, {Heading: 38, Entry: 90, Radius: whole.Radius},
	} {
		c.Toe, c.Width, c.Steps, c.Straight = worked.Toe, worked.Width, worked.Steps, worked.Straight
		run, err := LayOut(c)
		if err != nil {
			t.Fatal(err)
		}
		near(t, "the heading", run.Heading, 38, 1e-9)
		near(t, "the entry", run.Entry, 90, 1e-9)
		near(t, "where it begins", r2.Norm(r2.Sub(run.Contacts[9].At, whole.Contacts[9].At)), 0, 1e-9)
	}
}

func TestCurvesThatNobodyRuns(t *testing.T) {
	bad := func(says string, change func(*Curve)) {
		t.Helper()
		c := worked
		change(&c)
		if _, err := LayOut(c); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("want %q, got %v", says, err)
		}
	}
	bad("no step", func(c *Curve) { c.Steps = []float64{1.7, -1} })
	bad("no step", func(c *Curve) { c.Straight = []float64{math.NaN()} })
	bad("lengths of the steps", func(c *Curve) { c.Steps = nil })
	bad("standards", func(c *Curve) { c.Width = 0 })
	bad("leave one of the three open", func(c *Curve) { c.Radius = 6 })
	bad("no run goes so", func(c *Curve) { c.Entry = 30 })
	if _, err := BodyLean(7, 1, 1.2); err == nil {
		t.Error("a curve tighter than the body is taken")
	}
}

func TestTheFreeTakeOffOfAPole(t *testing.T) {
	angle, toe, err := FreeTakeOff(4.5, 2.25)
	if err != nil {
		t.Fatal(err)
	}
	near(t, "the pole's angle", angle, 33.0, 0.05)
	near(t, "the toe", toe, 3.77, 0.005)
	for _, bad := range [][2]float64{{2, 2.25}, {4, 0}, {math.NaN(), 2}} {
		if _, _, err := FreeTakeOff(bad[0], bad[1]); err == nil {
			t.Errorf("%v is taken", bad)
		}
	}
}
