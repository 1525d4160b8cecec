package pose

import (
	"math"

	"gonum.org/v1/gonum/interp"
	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/body"
)

// slowest is the frequency, Hz, below which a movement passes the smoothing: a
// foot's contact stays sharp.
const slowest = 12.0

// Paths are each landmark's place on every picture between the first and the last
// look: joined through the looks by a smooth path that doubts what stands alone.
// at are the pictures' times, s, from the first picture on; looks are in order.
func Paths(marks []map[body.Landmark]Mark, frames []int, at func(frame int) float64) map[body.Landmark][]Mark {
	out := map[body.Landmark][]Mark{}
	if len(frames) < 4 {
		return out
	}
	times := make([]float64, len(frames))
	for i, f := range frames {
		times[i] = at(f)
	}
	for l := range marks[0] {
		out[l] = path(l, marks, frames, times, at)
	}
	return out
}

func path(l body.Landmark, marks []map[body.Landmark]Mark, frames []int, times []float64, at func(frame int) float64) []Mark {
	n := len(frames)
	z, u, sure := make([]r2.Vec, n), make([]float64, n), make([]float64, n)
	for i, m := range marks {
		z[i], u[i], sure[i] = m[l].At, m[l].U, m[l].Confidence
	}
	smooth, doubt := settle(z, u, times)
	var x, y, width, trust interp.AkimaSpline
	xs, ys := make([]float64, n), make([]float64, n)
	for i := range z {
		xs[i], ys[i] = smooth[i].X, smooth[i].Y
		u[i] = math.Max(u[i], doubt[i])
	}
	fit := func(s *interp.AkimaSpline, v []float64) bool { return s.Fit(times, v) == nil }
	if !fit(&x, xs) || !fit(&y, ys) || !fit(&width, u) || !fit(&trust, sure) {
		return nil
	}
	first, last := frames[0], frames[n-1]
	out := make([]Mark, last-first+1)
	look := 0
	for f := first; f <= last; f++ {
		for look+1 < n-1 && frames[look+1] <= f {
			look++
		}
		t := at(f)
		p := r2.Vec{X: x.Predict(t), Y: y.Predict(t)}
		// Between two looks the path is a guess: by how far the middle of the way
		// lies from the straight line.
		share := (t - times[look]) / (times[look+1] - times[look])
		straight := r2.Add(smooth[look], r2.Scale(share, r2.Sub(smooth[look+1], smooth[look])))
		const guessed = 0.5
		out[f-first] = Mark{At: p, U: math.Hypot(math.Max(width.Predict(t), 0.3), guessed*r2.Norm(r2.Sub(p, straight))), Confidence: math.Min(1, math.Max(0, trust.Predict(t)))}
	}
	return out
}

// settle smooths places by their uncertainty: what is slower than slowest passes,
// and what stands alone counts less (Student's t with 3 degrees of freedom). It
// says besides how far each place was from the path.
func settle(z []r2.Vec, u, times []float64) (smooth []r2.Vec, off []float64) {
	n := len(z)
	smooth, off = append([]r2.Vec(nil), z...), make([]float64, n)
	if n < 5 {
		return smooth, off
	}
	step := (times[n-1] - times[0]) / float64(n-1)
	middle := 0.0
	for _, v := range u {
		middle += v / float64(n)
	}
	if middle <= 0 || 2*slowest*step >= 1.6 { // too few looks to tell what is slow
		return smooth, off
	}
	stiff := math.Pow(1/(2*math.Pi*slowest*step), 6) / (middle * middle)
	bend := mat.NewSymDense(n, nil)
	third := [4]float64{-1, 3, -3, 1}
	for i := 0; i+3 < n; i++ {
		for a := range third {
			for b := a; b < len(third); b++ {
				bend.SetSym(i+a, i+b, bend.At(i+a, i+b)+stiff*third[a]*third[b])
			}
		}
	}
	weight := make([]float64, n)
	for i := range weight {
		weight[i] = 1 / sq(math.Max(u[i], 0.1))
	}
	now := append([]float64(nil), weight...)
	var solved mat.Cholesky
	m := mat.NewSymDense(n, nil)
	right, answer := mat.NewDense(n, 2, nil), mat.NewDense(n, 2, nil)
	for range 5 {
		m.CopySym(bend)
		for i := range n {
			m.SetSym(i, i, m.At(i, i)+now[i])
			right.Set(i, 0, now[i]*z[i].X)
			right.Set(i, 1, now[i]*z[i].Y)
		}
		if !solved.Factorize(m) || solved.SolveTo(answer, right) != nil {
			return append([]r2.Vec(nil), z...), off
		}
		for i := range n {
			smooth[i] = r2.Vec{X: answer.At(i, 0), Y: answer.At(i, 1)}
			away := r2.Norm2(r2.Sub(z[i], smooth[i]))
			off[i] = math.Sqrt(away)
			now[i] = weight[i] * 4 / (3 + weight[i]*away/2)
		}
	}
	return smooth, off
}
