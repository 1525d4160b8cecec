package body

import (
	"encoding/json"
	"math"
	"os"
	"testing"

	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/signal"
)

// The knees of two motion-captured squats (C3D, by way of Debian's dart-doc:
// testdata/squat.py) bend and stretch as squats do, twice, both sides alike,
// without a jump; markers that were hidden for a moment are filled.
func TestTheKneesOfASquat(t *testing.T) {
	raw, err := os.ReadFile("testdata/squat.json")
	if err != nil {
		t.Fatal(err)
	}
	var capture struct {
		Rate   float64
		Frames []map[string]*[3]float64
	}
	if err := json.Unmarshal(raw, &capture); err != nil {
		t.Fatal(err)
	}
	n, hidden := len(capture.Frames), 0
	marker := func(name string) []r3.Vec {
		axes := [3][]float64{}
		for _, f := range capture.Frames {
			p := f[name]
			if p == nil {
				p = &[3]float64{math.NaN(), math.NaN(), math.NaN()}
				hidden++
			}
			for k := range axes {
				axes[k] = append(axes[k], p[k])
			}
		}
		for k := range axes {
			axes[k], _ = signal.Fill(axes[k], int(0.5*capture.Rate))
		}
		out := make([]r3.Vec, n)
		for i := range out {
			out[i] = r3.Vec{X: axes[0][i], Y: axes[1][i], Z: axes[2][i]}
		}
		return out
	}
	middle := func(a, b []r3.Vec) []r3.Vec {
		out := make([]r3.Vec, n)
		for i := range out {
			out[i] = r3.Scale(0.5, r3.Add(a[i], b[i]))
		}
		return out
	}
	var knees [2][]float64
	for s, side := range []string{"L", "R"} {
		hip := middle(marker(side+"FWT"), marker(side+"BWT"))
		knee := middle(marker(side+"KNE"), marker(side+"KNI"))
		ankle := marker(side + "ANK")
		for i := range n {
			v := IncludedSpace(hip[i], knee[i], ankle[i])
			knees[s] = append(knees[s], v)
			if i > 0 && math.Abs(v-knees[s][i-1]) > 20 {
				t.Errorf("%s knee: %.0f° after %.0f° at picture %d", side, v, knees[s][i-1], i)
			}
		}
	}
	if hidden == 0 {
		t.Error("no marker was ever hidden: nothing was filled")
	}
	for s, knee := range knees {
		bottoms, down := 0, false
		for i, v := range knee {
			if d := math.Abs(v - knees[1-s][i]); d > 14 {
				t.Errorf("picture %d: one knee at %.0f°, the other at %.0f°", i, v, knees[1-s][i])
			}
			switch {
			case v < 105 && !down:
				bottoms, down = bottoms+1, true
			case v > 135:
				down = false
			}
			if v < 70 || v > 165 {
				t.Errorf("a knee at %.0f° in a squat", v)
			}
		}
		if bottoms != 2 {
			t.Errorf("%d squats, there are 2", bottoms)
		}
	}
}
