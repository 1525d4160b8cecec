package pose

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/spatial/r2"
)

// Lasts is how long, s, a body model's error at a landmark goes on about the same: it
// follows from the posture, not from the picture (from the shipped clips, see
// docs/landmarks.md).
const Lasts = 0.12

// lastingShare is the part of its variance that does.
const lastingShare = 0.8

// Mend moves a found path to where a coach placed its landmark on some pictures. The
// errors of neighbours in time are alike, so they follow, and those far away stay:
// the mean and variance of a Gaussian process whose covariance is lastingShare·u·u'
// e^(−(t−t')²/2 Lasts²). placed is by the path's pictures, px; at are the pictures'
// times, s. It changes nothing that it is given.
func Mend(path []Mark, at func(i int) float64, placed map[int]Mark) []Mark {
	out := slices.Clone(path)
	var pictures []int
	for i := range placed {
		if i >= 0 && i < len(path) && path[i].U > 0 {
			pictures = append(pictures, i)
		}
	}
	if len(pictures) == 0 {
		return out
	}
	slices.Sort(pictures)
	alike := func(i, j int) float64 {
		return lastingShare * path[i].U * path[j].U * math.Exp(-sq((at(i)-at(j))/Lasts)/2)
	}
	n := len(pictures)
	k, off := mat.NewSymDense(n, nil), mat.NewDense(n, 2, nil)
	for a, i := range pictures {
		for b := a; b < n; b++ {
			k.SetSym(a, b, alike(i, pictures[b]))
		}
		k.SetSym(a, a, sq(path[i].U)+sq(placed[i].U))
		d := r2.Sub(placed[i].At, path[i].At)
		off.SetRow(a, []float64{d.X, d.Y})
	}
	var solved mat.Cholesky
	if !solved.Factorize(k) {
		return out
	}
	here, gain := mat.NewVecDense(n, nil), mat.NewVecDense(n, nil)
	for i := range out {
		if path[i].U == 0 {
			continue
		}
		for a, j := range pictures {
			here.SetVec(a, alike(i, j))
		}
		if solved.SolveVecTo(gain, here) != nil {
			continue
		}
		out[i].At = r2.Add(path[i].At, r2.Vec{X: mat.Dot(gain, off.ColView(0)), Y: mat.Dot(gain, off.ColView(1))})
		out[i].U = math.Sqrt(math.Max(sq(path[i].U)-mat.Dot(gain, here), sq(0.3*path[i].U)))
	}
	for _, i := range pictures {
		out[i] = placed[i]
	}
	return out
}
