package orbit

import (
	"math"
	"math/rand/v2"
	"testing"

	"gonum.org/v1/gonum/spatial/r2"
	"gonum.org/v1/gonum/spatial/r3"
)

// turning is a path on an orbit of a slope whose low point is at an azimuth, n
// pictures over a share of a turn, each coordinate off by u.
func turning(radius, slope, low float64, n int, share, u float64, seed uint64) (path []r3.Vec) {
	r := rand.New(rand.NewPCG(seed, 9))
	for i := range n {
		// The angle in the plane from the low point on.
		s, c := math.Sincos(2 * math.Pi * share * float64(i) / float64(n))
		b := slope * math.Pi / 180
		along, across, down := radius*c*math.Cos(b), radius*s, radius*c*math.Sin(b)
		l := low * math.Pi / 180
		// Azimuth a points to (−cos a, −sin a).
		x := -(along*math.Cos(l) - across*math.Sin(l))
		y := -(along*math.Sin(l) + across*math.Cos(l))
		path = append(path, r3.Vec{X: 0.2 + x + u*r.NormFloat64(), Y: -0.1 + y + u*r.NormFloat64(), Z: 1.1 - down + u*r.NormFloat64()})
	}
	return path
}

func behind(path []r3.Vec) (seen []r2.Vec) {
	for _, p := range path {
		seen = append(seen, r2.Vec{X: -p.Y, Y: p.Z})
	}
	return seen
}

func TestOrbitsAreFound(t *testing.T) {
	for _, c := range [][3]float64{{1.7, 28, 350}, {1.6, 36, 15}, {1.8, 41, 30}, {1.3, 22, 335}} {
		path := turning(c[0], c[1], c[2], 60, 1, 0, 1)
		space, err := InSpace(path)
		if err != nil {
			t.Fatal(err)
		}
		seen, err := FromBehind(behind(path))
		if err != nil {
			t.Fatal(err)
		}
		for name, o := range map[string]Orbit{"in space": space, "from behind": seen} {
			near(t, name+": the radius", o.Radius, c[0], 1e-6)
			near(t, name+": the slope", o.Slope(), c[1], 1e-4)
			near(t, name+": the low point", Wrap(o.Low(true)-c[2]), 0, 1e-4)
			near(t, name+": the high point", Wrap(o.High(true)-c[2]-180), 0, 1e-4)
			near(t, name+": a left-hander's low point", Wrap(o.Low(false)+c[2]), 0, 1e-4)
		}
		for i, p := range behind(path) {
			at := seen.Behind(p)
			near(t, "a point's azimuth from behind", Wrap(seen.Azimuth(at, true)-space.Azimuth(path[i], true)), 0, 1e-4)
		}
	}
}

// With a hand's misses the truth lies inside ±2u as often as it should.
func TestOrbitCoverage(t *testing.T) {
	inside, n := 0, 0
	for seed := range uint64(150) {
		path := turning(1.7, 33, 10, 40, 0.9, 0.03, seed)
		o, err := InSpace(path)
		if err != nil {
			t.Fatal(err)
		}
		u, err := o.U(path, 0.03, InSpace)
		if err != nil {
			t.Fatal(err)
		}
		for _, z := range []float64{(o.Radius - 1.7) / u.Radius, (o.Slope() - 33) / u.Slope, Wrap(o.Low(true)-10) / u.Low} {
			if n++; math.Abs(z) <= 2 {
				inside++
			}
		}
	}
	if share := float64(inside) / float64(n); share < 0.92 {
		t.Errorf("%.1f %% of %d lie inside ±2u", 100*share, n)
	}
	path := turning(1.7, 33, 10, 40, 0.9, 0.03, 1)
	o, _ := InSpace(path)
	a, _ := o.U(path, 0.03, InSpace)
	if b, _ := o.U(path, 0.03, InSpace); a != b {
		t.Error("the same path gives another ±")
	}
}

func TestPathsThatAreNoOrbit(t *testing.T) {
	var line []r3.Vec
	for i := range 20 {
		line = append(line, r3.Vec{X: float64(i), Z: 1})
	}
	nowhere := turning(1.7, 30, 0, 20, 1, 0, 1)
	nowhere[3].Y = math.NaN()
	for name, path := range map[string][]r3.Vec{"a line": line, "few": turning(1.7, 30, 0, 5, 1, 0, 1), "NaN": nowhere, "one spot": make([]r3.Vec, 12)} {
		if o, err := InSpace(path); err == nil {
			t.Errorf("%s is an orbit in space: %+v", name, o)
		}
		if o, err := FromBehind(behind(path)); err == nil && name != "a line" {
			t.Errorf("%s is an orbit from behind: %+v", name, o)
		}
	}
}

func TestPassesOfAnAzimuth(t *testing.T) {
	var at, az []float64
	for i := range 200 {
		at = append(at, float64(i)*0.01)
		az = append(az, 100+7*float64(i)) // 700 degrees a second
	}
	passed := PassTimes(at, az, 0)
	if len(passed) != 4 {
		t.Fatalf("azimuth 0 is passed %d times: %v", len(passed), passed)
	}
	for k, when := range passed {
		near(t, "a pass", when, (260+360*float64(k))/700, 1e-9)
		got, err := AzimuthAt(at, az, when)
		if err != nil {
			t.Fatal(err)
		}
		near(t, "the azimuth then", got, 360*float64(k+1), 1e-6)
	}
	if _, err := AzimuthAt(at, az, 5); err == nil {
		t.Error("it was followed to 5 s")
	}
}

// The trade's figures of how hard a hammer pulls, lbf.
func TestPull(t *testing.T) {
	for _, c := range []struct{ mass, speed, radius, least, most float64 }{
		{7.26, 28, 1.7, 700, 800}, {15.88, 15, 1.4, 500, 600}, {4, 28, 1.65, 420, 440},
	} {
		_, pounds, err := Pull(c.mass, c.speed, c.radius)
		if err != nil || pounds < c.least || pounds > c.most {
			t.Errorf("%v kg at %v m/s on %v m pull %.0f lbf (%v), the trade says %v to %v", c.mass, c.speed, c.radius, pounds, err, c.least, c.most)
		}
	}
	if _, _, err := Pull(7.26, 28, 0); err == nil {
		t.Error("a radius of nothing pulls")
	}
}

func benchmarkInSpace(b *testing.B, n int) {
	path := turning(1.7, 33, 10, n, 1, 0.02, 1)
	for b.Loop() {
		if _, err := InSpace(path); err != nil {
			b.Fatal(err)
		}
	}
	b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/float64(n), "ns/picture")
}

func BenchmarkInSpace600(b *testing.B)   { benchmarkInSpace(b, 600) }
func BenchmarkInSpace6000(b *testing.B)  { benchmarkInSpace(b, 6000) }
func BenchmarkInSpace60000(b *testing.B) { benchmarkInSpace(b, 60000) }
