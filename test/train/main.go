// The program train teaches the networks that tell a standing foot from a moving one and a
// flying implement from a held one, on the simulated athlete, and writes their
// weights into a folder: go run ./test/train FOLDER. The same seeds give the same
// weights.
package main

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"log"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"sync"

	"neokinema/core/body"
	"neokinema/core/footfall"
	"neokinema/core/sim"
	"neokinema/test/paths"
)

const (
	films     = 60 // of each event
	epochs    = 14
	batch     = 64
	rate      = 2e-3
	seedOf    = 5000 // first seed; those below are for tests
	nearBy    = 0.08 // s about an edge in which every picture is an example
	elsewhere = 0.2  // the share of the others
)

type example struct {
	x   []float64
	yes float64
}

// maker takes examples from a film, at so many pixels for a leg.
type maker func(r *rand.Rand, f sim.Truth, leg float64) []example

var nets = []struct {
	name string
	from maker
}{{"stand", feet}, {"fly", implements}}

func main() {
	if len(os.Args) != 2 {
		log.Fatal("say where the weights go: teach FOLDER")
	}
	for _, net := range nets {
		all := gather(net.from)
		fmt.Printf("%s: %d examples\n", net.name, len(all))
		var out bytes.Buffer
		for _, layer := range teach(all) {
			for _, row := range layer {
				if err := binary.Write(&out, binary.LittleEndian, row); err != nil {
					log.Fatal(err)
				}
			}
		}
		if err := os.WriteFile(filepath.Join(os.Args[1], net.name+".bin"), out.Bytes(), 0o644); err != nil {
			log.Fatal(err)
		}
	}
}

// gather films attempts of every event and takes their pictures for examples.
func gather(from maker) []example {
	type job struct {
		event string
		n     uint64
	}
	jobs := make(chan job)
	var wait sync.WaitGroup
	var mu sync.Mutex
	found := map[job][]example{}
	for range runtime.NumCPU() {
		wait.Add(1)
		go func() {
			defer wait.Done()
			for j := range jobs {
				e := one(j.event, j.n, from)
				mu.Lock()
				found[j] = e
				mu.Unlock()
			}
		}()
	}
	var order []job
	for _, event := range sim.Events() {
		for n := range uint64(films) {
			j := job{event, n}
			order = append(order, j)
			jobs <- j
		}
	}
	close(jobs)
	wait.Wait()
	var out []example
	for _, j := range order {
		out = append(out, found[j]...)
	}
	return out
}

func one(event string, n uint64, from maker) []example {
	r := rand.New(rand.NewPCG(n, seedOf))
	f, leg, err := paths.Random(r, event, seedOf+n)
	if err != nil {
		return nil // a seed and faults that do not go together
	}
	return from(r, f, leg)
}

// feet are the examples of a film's feet.
func feet(r *rand.Rand, f sim.Truth, leg float64) []example {
	miss := missed(r)
	var out []example
	for _, side := range []string{"L", "R"} {
		foot := footfall.PointPair{T: times(f), A: paths.Way(r, f, body.Landmark("toe."+side), miss), B: paths.Way(r, f, body.Landmark("heel."+side), miss), Leg: leg}
		out = append(out, some(r, foot, func(i int) bool { return strings.Contains(f.Film[i].Supports, side) })...)
	}
	return out
}

// implements are the examples of a film's implement.
func implements(r *rand.Rand, f sim.Truth, leg float64) []example {
	if _, thrown := f.Stamps["release"]; !thrown {
		return nil
	}
	miss := missed(r)
	p := footfall.PointPair{T: times(f), A: paths.Way(r, f, "implement", miss), B: paths.Way(r, f, body.Landmark("knuckle."+string(f.Athlete.Side)), miss), Leg: leg}
	return some(r, p, func(i int) bool { return f.Film[i].Flies })
}

// missed is how well points are followed on a film, px.
func missed(r *rand.Rand) float64 { return 0.2 + 2*r.Float64()*r.Float64() }

func times(f sim.Truth) []float64 {
	var out []float64
	for i := range f.Film {
		out = append(out, f.Film[i].T)
	}
	return out
}

// some are a pair's pictures: all about a change of its state, and a share of
// the others.
func some(r *rand.Rand, p footfall.PointPair, is func(int) bool) []example {
	var edges []float64
	for i := 1; i < len(p.T); i++ {
		if is(i) != is(i-1) {
			edges = append(edges, (p.T[i]+p.T[i-1])/2)
		}
	}
	var out []example
	for i := range p.T {
		share := elsewhere
		for _, e := range edges {
			if math.Abs(p.T[i]-e) < nearBy {
				share = 1
			}
		}
		if r.Float64() > share {
			continue
		}
		if x, ok := p.Features(i); ok {
			e := example{x: x}
			if is(i) {
				e.yes = 1
			}
			out = append(out, e)
		}
	}
	return out
}

// teach finds weights by Adam (Kingma & Ba 2015) on the cross-entropy.
func teach(all []example) footfall.MLP {
	r := rand.New(rand.NewPCG(1, 2))
	net := footfall.NewUntrained()
	m1, m2 := footfall.NewUntrained(), footfall.NewUntrained()
	for _, layer := range net {
		for _, row := range layer {
			for i := range row[:len(row)-1] {
				row[i] = float32(r.NormFloat64() / math.Sqrt(float64(len(row))))
			}
		}
	}
	step := 0
	grad := footfall.NewUntrained()
	for epoch := range epochs {
		r.Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
		loss := 0.0
		speed := rate * (1 + math.Cos(math.Pi*float64(epoch)/epochs)) / 2
		for at := 0; at+batch <= len(all); at += batch {
			for _, e := range all[at : at+batch] {
				loss += back(net, grad, e)
			}
			step++
			c1, c2 := 1-math.Pow(0.9, float64(step)), 1-math.Pow(0.999, float64(step))
			for k, layer := range net {
				for j, row := range layer {
					for i := range row {
						g := grad[k][j][i] / batch
						grad[k][j][i] = 0
						m1[k][j][i] = 0.9*m1[k][j][i] + 0.1*g
						m2[k][j][i] = 0.999*m2[k][j][i] + 0.001*g*g
						row[i] -= float32(speed * float64(m1[k][j][i]) / c1 / (math.Sqrt(float64(m2[k][j][i])/c2) + 1e-8))
					}
				}
			}
		}
		fmt.Printf("epoch %d: %.4f\n", epoch+1, loss/float64(len(all)))
	}
	return net
}

// back adds an example's gradient to grad and gives its loss.
func back(net, grad footfall.MLP, e example) float64 {
	values := net.Layers(e.x)
	z := values[len(net)][0]
	p := 1 / (1 + math.Exp(-z))
	d := []float64{p - e.yes}
	for k := len(net) - 1; k >= 0; k-- {
		x := values[k]
		down := make([]float64, len(x))
		for j, w := range net[k] {
			g := grad[k][j]
			for i, v := range x {
				g[i] += float32(d[j] * v)
				down[i] += d[j] * float64(w[i])
			}
			g[len(x)] += float32(d[j])
		}
		if k > 0 {
			for i, v := range x {
				down[i] *= 1 - v*v
			}
		}
		d = down
	}
	return -math.Log(math.Max(1e-12, e.yes*p+(1-e.yes)*(1-p)))
}
