package truth

import (
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"strconv"
	"strings"
	"testing"
	"time"

	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/measure"
	"neokinema/core/sim"
)

func TestZZFit(t *testing.T) {
	n, _ := strconv.Atoi(os.Getenv("ZN"))
	for _, event := range strings.Split(os.Getenv("ZE"), ",") {
		type acc struct{ n, in int; sq, b, u float64 }
		kinds := map[string]*acc{}
		for i, p := range patients(t, event, n, false) {
			h := hand{r: rand.New(rand.NewPCG(99, uint64(i))), px: 2, centres: true, sees: true, skips: 0.05, halves: true}
			k := p.usualFilm(t, p.book.Views[0], 120)
			s := h.lay(t, k)
			began := time.Now()
			start := sim.Request{Event: p.want.Event, Variant: p.want.Variant, Athlete: p.want.Athlete}
			f, err := h.fit(t, k, s, start)
			if err != nil {
				t.Log(k, err)
				continue
			}
			took := time.Since(began)
			c0 := k.truth.Film[0].Camera
			fmt.Println("camera", c0.At, c0.Focal)
			fmt.Println("view", f.View.Centre(), f.View.FocalU)
			if os.Getenv("ZD") != "" {
				for fr := 0; fr < len(k.truth.Film); fr += 12 {
					tt := s.Timeline.At(fr)
					st := f.Start(tt)
					bb := f.Best()
					var a, c, cn float64
					for _, l := range f.Landmarks() {
						w := k.truth.Film[fr].World[l]
						wv := r3.Vec{X: w[0], Y: w[1], Z: w[2]}
						v, ok := bb.At(tt, l)
						if !ok {
							continue
						}
						a += r3.Norm2(r3.Sub(st[l], wv))
						c += r3.Norm2(r3.Sub(v, wv))
						cn++
					}
					fmt.Printf("%.2f start %.0f fit %.0f cm\n", tt, 100*math.Sqrt(a/cn), 100*math.Sqrt(c/cn))
				}
				fmt.Println(s.Stamps, k.truth.Frames, p.want)
			}
			sum, cnt := 0.0, 0.0
			var shift r3.Vec
			b := f.Best()
			for fr := range k.truth.Film {
				for _, l := range f.Landmarks() {
					w, ok := k.truth.Film[fr].World[l]
					v, ok2 := b.At(s.Timeline.At(fr), l)
					if ok && ok2 && l != "implement" {
						d := r3.Sub(v, r3.Vec{X: w[0], Y: w[1], Z: w[2]})
						sum += r3.Norm2(d)
						shift = r3.Add(shift, d)
						cnt++
					}
				}
			}
			s.UseFit(f)
			t0 := time.Now()
			vals := measure.Evaluate(s)
			te := time.Since(t0)
			for _, v := range vals {
				if v.Method != measure.FittedMethod || !v.Known() {
					continue
				}
				m, _ := s.Event.Measure(v.Measure)
				truth, ok := k.truth.Measures[v.Key]
				if !ok {
					continue
				}
				d := v.Value - truth
				if v.Unit == "deg" {
					d = math.Remainder(d, 360)
				}
				a := kinds[m.Kind+" "+v.Measure]
				if a == nil {
					a = &acc{}
					kinds[m.Kind+" "+v.Measure] = a
				}
				a.n++
				a.sq += d * d
				a.b += d
				a.u += v.U * v.U
				if math.Abs(d) < 2*v.U {
					a.in++
				}
			}
			fmt.Printf("%s cam U %.3f: %.1f s eval %.2f rounds %d rested %v rms %.1f cm (shift %.1f) cost/n:", k, 0.0, took.Seconds(), te.Seconds(), f.Rounds, f.Rested, 100*math.Sqrt(sum/cnt), 100*r3.Norm(shift)/cnt)
			for kind, sh := range f.Shares {
				fmt.Printf(" %s %.2f", kind, sh.Cost/float64(sh.N))
			}
			fmt.Println()
		}
		for k, a := range kinds {
			fmt.Printf("%-40s n %3d rms %.3g bias %.3g u %.3g in %d%%\n", k, a.n, math.Sqrt(a.sq/float64(a.n)), a.b/float64(a.n), math.Sqrt(a.u/float64(a.n)), 100*a.in/a.n)
		}
	}
}
