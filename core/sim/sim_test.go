package sim

import (
	"fmt"
	"math"
	"testing"

	"gonum.org/v1/gonum/spatial/r3"

	"neokinema/core/body"
)

func near(t *testing.T, what string, got, want, within float64) {
	t.Helper()
	if math.IsNaN(got) || math.Abs(got-want) > within {
		t.Errorf("%s is %.5f, want %.5f ± %g", what, got, want, within)
	}
}

// everybody is a range of athletes and starts: both legs in front, both
// sexes, short and tall, clean and with each fault and both.
func everybody(t *testing.T, check func(t *testing.T, m *Motion)) {
	t.Helper()
	starts := map[string]Start{"clean": CleanStart(), "open knee": CleanStart().OpenKnee(), "late arm": CleanStart().LateArm(), "both": CleanStart().OpenKnee().LateArm()}
	for name, s := range starts {
		for _, a := range []Athlete{{1.67, body.Woman, body.Right}, {1.72, body.Woman, body.Left}, {1.80, body.Man, body.Right}, {1.92, body.Man, body.Left}} {
			t.Run(fmt.Sprintf("%s, %s %.2f, front %s", name, a.Sex, a.HeightM, a.Front), func(t *testing.T) {
				m, err := NewStart(a, s)
				if err != nil {
					t.Fatal(err)
				}
				check(t, m)
			})
		}
	}
}

const dt = 1.0 / 240

func times(m *Motion) []float64 {
	var out []float64
	for at := m.Begin(); at <= m.End(); at += dt {
		out = append(out, at)
	}
	return out
}

func TestBonesKeepTheirLength(t *testing.T) {
	everybody(t, func(t *testing.T, m *Motion) {
		first := m.Pose(m.Begin())
		for _, s := range []string{"L", "R"} {
			for _, bone := range [][2]string{{"hip", "knee"}, {"knee", "ankle"}, {"shoulder", "elbow"}, {"elbow", "wrist"}, {"ankle", "toe"}, {"ankle", "heel"}} {
				a, b := body.Landmark(bone[0]+"."+s), body.Landmark(bone[1]+"."+s)
				want := r3.Norm(r3.Sub(first[a], first[b]))
				for _, at := range times(m) {
					p := m.Pose(at)
					if got := r3.Norm(r3.Sub(p[a], p[b])); math.Abs(got-want) > 0.004 {
						t.Fatalf("%s to %s is %.4f m at %.3f s, %.4f m at the start", a, b, got, at, want)
					}
				}
			}
		}
	})
}

// A foot on the ground stays where it is, to 5 mm, and no point of the body
// ever goes under the track.
func TestFeetStayAndNothingSinks(t *testing.T) {
	everybody(t, func(t *testing.T, m *Motion) {
		for _, c := range m.Contacts {
			toe := body.Landmark("toe." + string(c.Foot))
			from, to := math.Max(c.From, m.Begin()), math.Min(c.To, m.End())
			for at := from; at < to-1e-9; at += dt {
				if d := r3.Norm(r3.Sub(m.Pose(at)[toe], c.Toe)); d > 0.005 {
					t.Fatalf("the %s slides by %.1f mm at %.3f s", toe, 1000*d, at)
				}
			}
		}
		for _, at := range times(m) {
			for l, v := range m.Pose(at) {
				if v.Z < -0.005 {
					t.Fatalf("the %s is %.1f mm under the track at %.3f s", l, -1000*v.Z, at)
				}
			}
		}
	})
}

// In the air the centre of mass is a projectile: its vertical acceleration is
// g within 2 %, its forward speed does not change.
func TestFlightIsFree(t *testing.T) {
	everybody(t, func(t *testing.T, m *Motion) {
		for _, f := range [][2]string{{"block-exit", "td1"}, {"to1", "td2"}, {"to2", "td3"}} {
			from, to := m.Stamps[f[0]], m.Stamps[f[1]]
			h := (to - from) / 4
			mid := (from + to) / 2
			a, b, c := m.Centre(mid-h), m.Centre(mid), m.Centre(mid+h)
			near(t, f[0]+" to "+f[1]+": vertical acceleration", (a.Z-2*b.Z+c.Z)/(h*h), -9.80665, 0.02*9.80665)
			near(t, f[0]+" to "+f[1]+": change of forward speed", (c.X-2*b.X+a.X)/h, 0, 0.03)
		}
	})
}

func TestNothingSnaps(t *testing.T) {
	everybody(t, func(t *testing.T, m *Motion) {
		ts := times(m)
		for i := 2; i < len(ts); i++ {
			a, b, c := m.Pose(ts[i-2]), m.Pose(ts[i-1]), m.Pose(ts[i])
			for l := range c {
				v := r3.Scale(1/dt, r3.Sub(c[l], b[l]))
				if r3.Norm(v) > 22 { // a sprinter's foot comes forward at less than 20 m/s: common practice
					t.Fatalf("the %s moves at %.0f m/s at %.3f s", l, r3.Norm(v), ts[i])
				}
				turn := r3.Norm(r3.Sub(r3.Sub(c[l], b[l]), r3.Sub(b[l], a[l])))
				if turn > 0.026 {
					t.Fatalf("the %s jerks by %.0f mm from picture to picture at %.3f s", l, 1000*turn, ts[i])
				}
			}
		}
	})
}

func TestJointsStayInHumanRanges(t *testing.T) {
	everybody(t, func(t *testing.T, m *Motion) {
		for _, at := range times(m) {
			p := m.Pose(at)
			for _, s := range []string{"L", "R"} {
				on := func(part string) r3.Vec { return p[body.Landmark(part+"."+s)] }
				if k := angle3(on("hip"), on("knee"), on("ankle")); k < 25 || k > 180 {
					t.Fatalf("the %s knee is %.0f° at %.3f s", s, k, at)
				}
				forward := r3.Sub(on("knee"), r3.Scale(0.5, r3.Add(on("hip"), on("ankle"))))
				if k := angle3(on("hip"), on("knee"), on("ankle")); k < 165 && forward.X < -0.02 {
					t.Fatalf("the %s knee bends backward at %.3f s", s, at)
				}
				if e := angle3(on("shoulder"), on("elbow"), on("wrist")); e < 25 {
					t.Fatalf("the %s elbow is %.0f° at %.3f s", s, e, at)
				}
			}
		}
	})
}

// A start is steered by its measures: the truth shows what was asked for.
func TestTruthShowsWhatWasAskedFor(t *testing.T) {
	everybody(t, func(t *testing.T, m *Motion) {
		s := m.Start
		got := m.measures(m.instants())
		for key, c := range map[string][2]float64{
			"front-knee@set": {s.FrontKnee, 0.01}, "rear-knee@set": {s.RearKnee, 0.01}, "hip-over-shoulder@set": {100 * s.HipOverShoulder, 0.01}, "hand-load@set": {s.HandLoad, 1e-4},
			"reaction@first-move": {s.Reaction, 1e-6}, "rear-push@rear-off": {s.RearPush, 1e-6}, "block-time@block-exit": {s.BlockTime, 1e-6}, "lead-arm-lag@lead-arm": {s.LeadArmLag, 1e-6},
			"exit-line@block-exit": {s.ExitLine, 0.2}, "front-leg-extension@block-exit": {s.FrontLegExtension, 0.5}, "exit-velocity@td1": {s.ExitVelocity, 0.01},
			"flight@td1": {s.Steps[0].Flight, 1e-6}, "contact@to2": {s.Steps[1].Contact, 1e-6}, "toe-ahead@td1": {s.Steps[0].ToeAhead, 1e-3}, "toe-ahead@td3": {s.Steps[2].ToeAhead, 1e-3},
		} {
			near(t, key, got[key], c[0], c[1])
		}
		if span := m.Stamps["lead-arm"] - m.Stamps["first-move"]; math.Abs(span-s.LeadArmLag) > 1e-9 {
			t.Errorf("the lead arm lags %.3f s", span)
		}
	})
}

// What moves when the stamps say so: nothing before the first move, the hands
// on the ground until they lift, the lead hand forward after its stamp.
func TestStampsMeanWhatTheySay(t *testing.T) {
	everybody(t, func(t *testing.T, m *Motion) {
		still, first := m.Pose(m.Begin()), m.Stamps["first-move"]
		for l, v := range m.Pose(first - 1e-6) {
			if d := r3.Norm(r3.Sub(v, still[l])); d > 1e-3 {
				t.Errorf("the %s has moved %.1f mm before the first move", l, 1000*d)
			}
		}
		moved := 0.0
		for l, v := range m.Pose(first + 0.05) {
			moved = math.Max(moved, r3.Norm(r3.Sub(v, still[l])))
		}
		if moved < 0.004 {
			t.Errorf("nothing moves within 0.05 s of the first move: %.1f mm", 1000*moved)
		}
		for _, c := range m.Contacts {
			if math.IsInf(c.From, -1) {
				continue
			}
			toe := body.Landmark("toe." + string(c.Foot))
			if v := m.Pose(c.From - 0.02)[toe]; v.Z < c.Toe.Z+0.002 && r3.Norm(r3.Sub(v, c.Toe)) < 0.005 {
				t.Errorf("the %s is on the ground 0.02 s before it lands", toe)
			}
		}
	})
}

func TestHandednessIsAMirror(t *testing.T) {
	left, err := NewStart(Athlete{1.75, body.Woman, body.Left}, CleanStart())
	if err != nil {
		t.Fatal(err)
	}
	right, err := NewStart(Athlete{1.75, body.Woman, body.Right}, CleanStart())
	if err != nil {
		t.Fatal(err)
	}
	for _, at := range times(left) {
		a, b := left.Pose(at), right.Pose(at)
		for l, v := range a {
			mirror := l
			switch n := len(l); {
			case l[n-2:] == ".L":
				mirror = l[:n-1] + "R"
			case l[n-2:] == ".R":
				mirror = l[:n-1] + "L"
			}
			w := b[mirror]
			if math.Abs(v.X-w.X)+math.Abs(v.Y+w.Y)+math.Abs(v.Z-w.Z) > 1e-4 {
				t.Fatalf("at %.3f s the %s is at %v, its mirror at %v", at, l, v, w)
			}
		}
	}
}

func TestCameraIsAPinhole(t *testing.T) {
	for _, near_ := range []body.Side{body.Left, body.Right} {
		c := SideCamera(near_, 1.5, 1, 16, 5.7)
		if c.Near() != near_ || c.Rightward() != (near_ == body.Right) {
			t.Errorf("a camera on the %s sees %s, runs right: %v", near_, c.Near(), c.Rightward())
		}
		at := c.Project(r3.Vec{X: 1.5, Z: 1})
		near(t, "the middle's x", at.X, 640, 1e-9)
		near(t, "the middle's y", at.Y, 360, 1e-9)
		metre := c.Project(r3.Vec{X: 2.5, Z: 1}).X - at.X
		near(t, "a metre of the lane", math.Abs(metre), 1280/5.7, 1e-6)
		if (metre > 0) != c.Rightward() {
			t.Error("ahead is behind")
		}
		if up := c.Project(r3.Vec{X: 1.5, Z: 2}).Y; up >= at.Y {
			t.Error("up is down")
		}
		near(t, "the field of view", c.Field(), 2*math.Atan(5.7*720/1280/2/16)*180/math.Pi, 1e-9)
	}
}

func TestFilmShowsEachStampOnItsFirstPicture(t *testing.T) {
	m, err := NewStart(Athlete{1.80, body.Man, body.Right}, CleanStart())
	if err != nil {
		t.Fatal(err)
	}
	for _, capture := range []float64{60, 120, 240} {
		f := Film(m, SideCamera(body.Right, 1.5, 1, 16, 5.7), capture, 30, nil)
		if f.Schema != TruthSchema || f.View != "side-open" || math.Abs(float64(len(f.Film))-(m.End()-m.Begin())*capture) > 2 {
			t.Errorf("%v pictures a second: schema %d, view %s, %d pictures", capture, f.Schema, f.View, len(f.Film))
		}
		for _, k := range []string{"gun", "first-move", "block-exit", "td1", "to3"} {
			n := f.Frames[k]
			if f.Film[n].T < f.Stamps[k]-1e-6 || f.Film[n-1].T >= f.Stamps[k] {
				t.Errorf("%s at %.4f s is said to show first at %.4f s", k, f.Stamps[k], f.Film[n].T)
			}
		}
		for l, p := range f.Film[f.Frames["set"]].InView {
			if p[0] < 0 || p[0] > 1280 || p[1] < 0 || p[1] > 720 {
				t.Errorf("the %s is out of the picture at set: %v", l, p)
			}
		}
	}
	closed := Film(m, SideCamera(body.Left, 1.5, 1, 16, 5.7), 60, 30, nil)
	if closed.View != "side-closed" {
		t.Errorf("from the rear leg's side the view is %s", closed.View)
	}
}

func TestImpossibleStartsAreRefused(t *testing.T) {
	a := Athlete{1.75, body.Man, body.Left}
	s := CleanStart()
	s.FrontKnee = 20
	if _, err := NewStart(a, s); err == nil {
		t.Error("a front knee of 20° is planned")
	}
	s = CleanStart()
	s.Steps = s.Steps[:2]
	if _, err := NewStart(a, s); err == nil {
		t.Error("a start of two steps is planned")
	}
}
