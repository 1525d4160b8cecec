package footfall

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"math"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/clock"
)

// Point is where a followed point lies on a picture, px with y up, and its
// standard uncertainty; 0 where it was not found.
type Point struct {
	At r2.Vec
	U  float64
}

// PointPair is the paths of two points over a film's pictures, as they lie in the
// still world: a foot's toe and heel, or an implement and the hand that held it.
// Leg is the leg's length in the same unit.
type PointPair struct {
	T    []clock.Seconds
	A, B []Point
	Leg  float64
}

// FeatureOffsets are the times about a picture at which a pair's places tell its state, s.
var FeatureOffsets = []float64{-0.13, -0.1, -0.075, -0.055, -0.04, -0.028, -0.018, -0.009, 0, 0.009, 0.018, 0.028, 0.04, 0.055, 0.075, 0.1, 0.13}

const (
	// mostGap is how long a point may be lost and is put on the straight way
	// across, s.
	mostGap = 0.06
	// lowSpan is the time about a picture over which the lowest place is
	// taken for the ground's, s.
	lowSpan = 0.5
)

// at is where a point was at an instant, between pictures by a straight line.
func (f PointPair) at(way []Point, when float64, from int) (r2.Vec, bool) {
	n := len(f.T)
	i := from
	for i > 0 && f.T[i] > when {
		i--
	}
	for i < n-1 && f.T[i+1] <= when {
		i++
	}
	a, b := i, i+1
	if f.T[i] > when || b >= n && f.T[i] < when-mostGap/2 {
		return r2.Vec{}, false
	}
	b = min(b, n-1)
	for a > 0 && way[a].U == 0 {
		a--
	}
	for b < n-1 && way[b].U == 0 {
		b++
	}
	switch {
	case way[a].U == 0 && way[b].U == 0:
		return r2.Vec{}, false
	case way[b].U == 0:
		return way[a].At, when-f.T[a] < mostGap/2
	case way[a].U == 0:
		return way[b].At, f.T[b]-when < mostGap/2
	case a == b:
		return way[a].At, true
	}
	share := (when - f.T[a]) / (f.T[b] - f.T[a])
	return r2.Add(r2.Scale(1-share, way[a].At), r2.Scale(share, way[b].At)), f.T[b]-f.T[a] < mostGap
}

// Features are what a picture's neighbourhood shows of a pair, in leg lengths:
// where both points lie at each of Looks from where the first is now, and how
// high they are over the lowest place about. False when they were not found
// there.
func (f PointPair) Features(i int) ([]float64, bool) {
	origin, ok := f.at(f.A, f.T[i], i)
	if !ok {
		return nil, false
	}
	out := make([]float64, 0, 4*len(FeatureOffsets)+2)
	lost := 0
	for _, d := range FeatureOffsets {
		when := math.Max(f.T[0], math.Min(f.T[len(f.T)-1], f.T[i]+d))
		for _, way := range [][]Point{f.A, f.B} {
			p, ok := f.at(way, when, i)
			if !ok {
				if lost++; lost > len(FeatureOffsets)/2 || math.Abs(d) < 0.03 {
					return nil, false
				}
				p = origin
				if n := len(out); n >= 4 {
					p = r2.Add(origin, r2.Scale(f.Leg, r2.Vec{X: out[n-4], Y: out[n-3]}))
				}
			}
			q := r2.Scale(1/f.Leg, r2.Sub(p, origin))
			out = append(out, q.X, q.Y)
		}
	}
	low := math.Inf(1)
	for j := range f.T {
		if math.Abs(f.T[j]-f.T[i]) > lowSpan {
			continue
		}
		for _, p := range []Point{f.A[j], f.B[j]} {
			if p.U > 0 {
				low = math.Min(low, p.At.Y)
			}
		}
	}
	heel, _ := f.at(f.B, f.T[i], i)
	return append(out, (origin.Y-low)/f.Leg, (heel.Y-low)/f.Leg), true
}

// Layer is one layer of a network: a row of weights for each output, the last
// of them its bias.
type Layer [][]float32

// MLP is a small network that says how likely a pair is in a state: tanh between
// its layers, the last one's output the log of the odds.
type MLP []Layer

// Layers are what features give at each layer, they themselves first.
func (n MLP) Layers(x []float64) [][]float64 {
	out := [][]float64{x}
	for k, layer := range n {
		y := make([]float64, len(layer))
		for j, w := range layer {
			sum := float64(w[len(x)])
			for i, v := range x {
				sum += float64(w[i]) * v
			}
			if k < len(n)-1 {
				sum = math.Tanh(sum)
			}
			y[j] = sum
		}
		out, x = append(out, y), y
	}
	return out
}

// Apply is the log of the odds that features give.
func (n MLP) Apply(x []float64) float64 { return n.Layers(x)[len(n)][0] }

// shape is how many outputs a network's layers have.
var shape = []int{40, 20, 1}

// FeatureCount is how many features there are.
func FeatureCount() int { return 4*len(FeatureOffsets) + 2 }

// Models are the networks that find things in time: whether a foot stands, by its
// toe and heel, and whether an implement flies, by its own path and the knuckle's
// of the throwing hand.
type Models struct{ Stands, Flies MLP }

// Decode reads a network of the usual shape from its weights, little-endian
// 32-bit floats, layer by layer and row by row.
func Decode(data []byte) (MLP, error) {
	r := bytes.NewReader(data)
	n := NewUntrained()
	for _, layer := range n {
		for _, row := range layer {
			if err := binary.Read(r, binary.LittleEndian, row); err != nil {
				return nil, err
			}
		}
	}
	if r.Len() > 0 {
		return nil, fmt.Errorf("%d bytes are left over", r.Len())
	}
	return n, nil
}

// NewUntrained is a network of the usual shape without weights.
func NewUntrained() MLP {
	var out MLP
	in := FeatureCount()
	for _, size := range shape {
		layer := make(Layer, size)
		for i := range layer {
			layer[i] = make([]float32, in+1)
		}
		out, in = append(out, layer), size
	}
	return out
}
