package body

import (
	"encoding/json"
	"math"
	"os"
	"testing"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/spatial/r3"
)

// The centre of mass of motion-captured jumps falls at g, whatever arms and legs
// do meanwhile (CMU motion capture, 01_01, by way of Debian's assimp-testmodels:
// testdata/jumps.py). Marker placement and the scale of 0.45 in leave about 5 %.
func TestJumpsFallAtG(t *testing.T) {
	raw, err := os.ReadFile("testdata/jumps.json")
	if err != nil {
		t.Fatal(err)
	}
	var capture struct {
		Rate  float64
		Jumps []struct {
			From   int
			Frames []map[Landmark][3]float64
		}
	}
	if err := json.Unmarshal(raw, &capture); err != nil {
		t.Fatal(err)
	}
	if len(capture.Jumps) < 3 {
		t.Fatalf("%d jumps", len(capture.Jumps))
	}
	for _, j := range capture.Jumps {
		edge := len(j.Frames) / 8 // take-off and landing themselves
		frames := j.Frames[edge : len(j.Frames)-edge]
		a, heights, forward := mat.NewDense(len(frames), 3, nil), mat.NewVecDense(len(frames), nil), mat.NewVecDense(len(frames), nil)
		for i, f := range frames {
			at := map[Landmark]r3.Vec{}
			for l, p := range f {
				at[l] = r3.Vec{X: p[0], Y: p[1], Z: p[2]}
			}
			c, err := CentreOfMass(Man, at)
			if err != nil {
				t.Fatal(err)
			}
			when := float64(i) / capture.Rate
			a.SetRow(i, []float64{1, when, when * when / 2})
			heights.SetVec(i, c.Z)
			forward.SetVec(i, c.X)
		}
		var up, along mat.VecDense
		if err := up.SolveVec(a, heights); err != nil {
			t.Fatal(err)
		}
		if err := along.SolveVec(a, forward); err != nil {
			t.Fatal(err)
		}
		if g := -up.AtVec(2); math.Abs(g-9.80665) > 0.05*9.80665 {
			t.Errorf("the jump at picture %d falls at %.2f m/s²", j.From, g)
		}
		if math.Abs(along.AtVec(2)) > 1.2 {
			t.Errorf("the jump at picture %d speeds up by %.2f m/s² in the air", j.From, along.AtVec(2))
		}
	}
}
