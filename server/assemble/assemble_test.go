package assemble_test

import (
	"encoding/binary"
	"encoding/json"
	"math"
	"strings"
	"testing"
	"time"

	"neokinema/core/body"
	"neokinema/core/breakdown"
	"neokinema/core/measure"
	core "neokinema/core/playbook"
	"neokinema/demo"
	"neokinema/playbook"
	"neokinema/server/assemble"
	"neokinema/server/store"
)

// work is the truth's stamps and landmarks as they lie in the store.
func work(t testing.TB) (core.Event, store.Bench, []int64) {
	t.Helper()
	books, err := playbook.Load()
	if err != nil {
		t.Fatal(err)
	}
	e := books["sprint-start"]
	truth, err := demo.Truth("start-open-knee-late-arm")
	if err != nil {
		t.Fatal(err)
	}
	pts := make([]int64, len(truth.Film))
	for i := range pts {
		pts[i] = int64(512 * i)
	}
	b := store.Bench{
		Attempt:   store.Attempt{Event: "sprint-start", Version: 7, School: "medium", Day: time.Date(2026, 11, 20, 0, 0, 0, 0, time.UTC)},
		Athlete:   store.Athlete{Sex: "man", HeightM: 1.80, FrontLeg: "R", Level: "trained"},
		Clip:      &store.Clip{Status: "ready", Width: 1280, Height: 720, Frames: len(pts), BaseNum: 1, BaseDen: 15360, PlaybackRate: 30, CaptureRate: 240, RateSource: "tag", View: truth.View, Rightward: true},
		Breakdown: breakdown.Breakdown{Stamps: map[string]int{}, Looks: map[string]string{}},
	}
	for _, k := range e.Keys {
		n := truth.Frames[k.ID]
		b.Stamps[k.ID] = n
		for _, l := range (&measure.Recording{Event: e, View: truth.View, Roles: body.Start(body.Right).Near(body.Right)}).RequiredLandmarks(k.ID) {
			p := truth.Film[n].InView[l]
			b.Landmarks = append(b.Landmarks, breakdown.Landmark{Frame: n, Name: string(l), X: p[0], Y: p[1], Source: "placed"})
		}
	}
	spot := func(name string) breakdown.Spot { p := truth.Spot(name); return breakdown.Spot{X: p[0], Y: p[1]} }
	b.Calibration = breakdown.Calibration{Scale: &breakdown.ScaleLine{A: spot("mark-1"), B: spot("mark-2"), Metres: 1}, Level: &breakdown.LevelLine{A: spot("mark-0"), B: spot("mark-3")}, Origin: &breakdown.Origin{At: spot("line")}}
	return e, b, pts
}

func TestAReadingIsWhole(t *testing.T) {
	e, b, pts := work(t)
	r, err := assemble.Read(e, b, pts, nil, assemble.History{})
	if err != nil {
		t.Fatal(err)
	}
	if r.Version != 7 || r.Zero != "gun" || len(r.KeyTimes) != 14 || len(r.Phases) != 9 || len(r.Flights) != 3 || len(r.Order) != 0 {
		t.Errorf("version %d, zero %s, %d beats, %d phases, %d rests, order %v", r.Version, r.Zero, len(r.KeyTimes), len(r.Phases), len(r.Flights), r.Order)
	}
	for _, beat := range r.KeyTimes { // a time from the zero carries the zero's uncertainty too
		gun, own := 1/240./math.Sqrt(12), 1/240./math.Sqrt(6) // of a change, of a contact
		onset := math.Sqrt(gun*gun + 4*gun*gun + 0.008*0.008)
		rate := 0.001 * beat.T // what a phone's rate leaves open
		if want := map[string]float64{"gun": 0, "td1": math.Hypot(gun, own), "first-move": math.Hypot(gun, onset)}[beat.KeyID]; (want > 0 || beat.KeyID == "gun") && math.Abs(beat.U-math.Hypot(want, rate)) > 1e-9 {
			t.Errorf("%s is known to %v s, want %v", beat.KeyID, beat.U, want)
		}
	}
	if r.Scale == nil || math.Abs(r.Scale.PxPerM-1280/5.7) > 3 || r.Scale.U <= 0 || len(r.TimesU) != len(pts) {
		t.Errorf("scale %+v, %d of %d pictures timed", r.Scale, len(r.TimesU), len(pts))
	}
	roots := []string{}
	for _, root := range r.Roots {
		roots = append(roots, root.Fault)
	}
	if got := strings.Join(roots, " "); got != "front-knee-open late-lead-arm" {
		t.Errorf("the causes are %s", got)
	}
	for _, o := range r.Options {
		if len(o.Cues) == 0 || len(o.Drills) == 0 {
			t.Errorf("%s has %d cues and %d drills", o.Fault, len(o.Cues), len(o.Drills))
		}
		if o.Fault == "front-knee-open" && (o.Aim == nil || !strings.Contains(o.Aim.Says, "105° or less")) {
			t.Errorf("the aim is %+v", o.Aim)
		}
	}
	if n := r.Contacts[0]; !n.OpenStart || n.Value != nil || n.Start >= 0 {
		t.Errorf("the first contact, from before the film: %+v", n)
	}
}

// The preview of a moved point is what the reading says once it is stored.
func TestPreviewIsTheReadingAhead(t *testing.T) {
	e, b, pts := work(t)
	frame := b.Stamps["set"]
	moved := breakdown.Landmark{Frame: frame, Name: "knee.R", X: 420, Y: 505, Source: "placed"}
	ahead, err := assemble.Preview(e, b, pts, nil, frame, []breakdown.Landmark{moved})
	if err != nil {
		t.Fatal(err)
	}
	for i, l := range b.Landmarks {
		if l.Frame == frame && l.Name == "knee.R" {
			b.Landmarks[i] = moved
		}
	}
	r, err := assemble.Read(e, b, pts, nil, assemble.History{})
	if err != nil {
		t.Fatal(err)
	}
	stored := map[string]float64{}
	for _, v := range r.Values {
		stored[v.Key] = v.Value.Value
	}
	if len(ahead) < 6 {
		t.Errorf("only %d values are previewed", len(ahead))
	}
	for _, v := range ahead {
		if stored[v.Key] != v.Value.Value {
			t.Errorf("%s is previewed as %v, stored as %v", v.Key, v.Value.Value, stored[v.Key])
		}
	}
}

func TestTheCameraSideDecidesWhatIsNear(t *testing.T) {
	e, b, pts := work(t)
	open, err := assemble.Sheet(e, b, pts)
	if err != nil {
		t.Fatal(err)
	}
	b.Clip.View = "side-closed"
	closed, err := assemble.Sheet(e, b, pts)
	if err != nil {
		t.Fatal(err)
	}
	if open.Roles["near"] != "R" || closed.Roles["near"] != "L" {
		t.Errorf("near is %s from the open side, %s from the closed one", open.Roles["near"], closed.Roles["near"])
	}
}

func TestPlacingErrorFollowsTheShownPicture(t *testing.T) {
	for width, want := range map[int]float64{1280: 2, 640: 2, 1920: 3, 3840: 6, 0: 2} {
		if got := assemble.MarkU(store.Bench{Clip: &store.Clip{Width: width, KeptWidth: 1280}}); got != want {
			t.Errorf("a film %d px wide has a placing error of %v px, want %v", width, got, want)
		}
	}
}

func TestNoReadingBeforeTheFilm(t *testing.T) {
	e, b, pts := work(t)
	b.Clip.CaptureRate = 0
	if _, err := assemble.Read(e, b, pts, nil, assemble.History{}); err == nil || !strings.Contains(err.Error(), "capture rate is not known") {
		t.Errorf("without a rate: %v", err)
	}
	b.Clip.Status = "decoding"
	if _, err := assemble.Read(e, b, pts, nil, assemble.History{}); err == nil || !strings.Contains(err.Error(), "not ready") {
		t.Errorf("while decoding: %v", err)
	}
	b.Clip = nil
	if _, err := assemble.Read(e, b, pts, nil, assemble.History{}); err == nil {
		t.Error("without a clip")
	}
}

func TestStampsOutOfOrderAreSaidSo(t *testing.T) {
	e, b, pts := work(t)
	b.Stamps["td1"] = b.Stamps["block-exit"] - 8
	r, err := assemble.Read(e, b, pts, nil, assemble.History{})
	if err != nil {
		t.Fatal(err)
	}
	if len(r.Order) != 1 || !strings.Contains(r.Order[0], "block exit") || !strings.Contains(r.Order[0], "1st contact") {
		t.Errorf("order: %q", r.Order)
	}
	for _, p := range r.Phases {
		if p.Value <= 0 {
			t.Errorf("%s lasts %v", p.Name, p.Value)
		}
	}
}

// The solver on the truth's landmarks: what it says closes the knee.
func TestThePedalFollowsFromTheSetPosition(t *testing.T) {
	e, b, pts := work(t)
	m, err := assemble.Pedal(e, b, pts, 95, 0.025)
	if err != nil {
		t.Fatal(err)
	}
	if m.Knee < 114 || m.Knee > 118 || m.Metres < 0.1 || m.Metres > 0.3 || m.Holes < 4 || m.U <= 0 || m.Leaves < 92 || m.Leaves > 98 {
		t.Errorf("from a knee of 116°: %+v", m)
	}
	for says, spoil := range map[string]func(*store.Bench){
		"set the scale first":      func(b *store.Bench) { b.Calibration.Scale = nil },
		"first stamp set":          func(b *store.Bench) { delete(b.Stamps, "set") },
		"from the front-block leg": func(b *store.Bench) { b.Clip.View = "side-closed"; b.Landmarks = turned(b.Landmarks) },
	} {
		e, b, pts := work(t)
		spoil(&b)
		if _, err := assemble.Pedal(e, b, pts, 95, 0.025); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%v, want %q", err, says)
		}
	}
	if _, err := assemble.Pedal(e, b, pts, 30, 0.025); err == nil || !strings.Contains(err.Error(), "lower the hips") {
		t.Errorf("a knee of 30°: %v", err)
	}
}

// turned has the hips and shoulders placed on the other side.
func turned(marks []breakdown.Landmark) []breakdown.Landmark {
	for i, m := range marks {
		if part, side, _ := strings.Cut(m.Name, "."); side == "R" && (part == "hip" || part == "shoulder") {
			marks[i].Name = part + ".L"
		}
	}
	return marks
}

// BenchmarkRead is all measures and the judging of a worked-through attempt,
// as JSON.
func BenchmarkRead(b *testing.B) {
	e, bench, pts := work(b)
	for b.Loop() {
		r, err := assemble.Read(e, bench, pts, nil, assemble.History{})
		if err != nil {
			b.Fatal(err)
		}
		if _, err := json.Marshal(r); err != nil {
			b.Fatal(err)
		}
	}
}

// A ball let go beside the lane and placed on the film tells at which rate it
// was filmed; a tag that says otherwise is warned of.
func TestFreeFallTellsTheRate(t *testing.T) {
	_, b, pts := work(t)
	b.Clip.RateSource, b.Clip.TagRate = "tag", 240
	perMetre := math.Hypot(b.Calibration.Scale.B.X-b.Calibration.Scale.A.X, b.Calibration.Scale.B.Y-b.Calibration.Scale.A.Y)
	drop := func(rate float64) {
		b.Landmarks = nil
		for n := 20; n <= 20+int(rate*0.45); n += 6 {
			fell := 9.80665 / 2 * math.Pow(float64(n-20)/rate, 2)
			b.Landmarks = append(b.Landmarks, breakdown.Landmark{Frame: n, Name: "implement", X: 300, Y: 50 + fell*perMetre})
		}
	}
	drop(240)
	r, err := assemble.RatesOf(b, pts, 9.80665)
	if err != nil {
		t.Fatal(err)
	}
	w, err := r.Way("fall")
	if err != nil || math.Abs(w.Rate-240) > 2*w.U || w.U > 5 || len(r.Warnings) != 0 || r.Falling != 19 {
		t.Errorf("filmed at 240, a fall says %+v, %v; %v", w, err, r.Warnings)
	}
	drop(120)
	if r, err = assemble.RatesOf(b, pts, 9.80665); err != nil || len(r.Warnings) != 1 || !strings.Contains(r.Warnings[0], "free fall says 120") {
		t.Errorf("filmed at 120 with a tag of 240: %v %v", r.Warnings, err)
	}
	if moon, _ := assemble.RatesOf(b, pts, 9.78); moon.Ways[1].Rate >= r.Ways[1].Rate+1 {
		t.Errorf("with less gravity the rate is %v, not %v", moon.Ways[1].Rate, r.Ways[1].Rate)
	}
	b.Calibration.Scale = nil
	if r, err = assemble.RatesOf(b, pts, 9.80665); err != nil || !strings.Contains(r.Ways[1].Lacks, "set the scale first") {
		t.Errorf("without a scale: %+v %v", r.Ways, err)
	}
}

// A bang in the sound track leads to the picture on which it happened, sooner
// than it was heard by the way that sound took.
func TestTheGunIsHeardWhereItWasFired(t *testing.T) {
	_, b, pts := work(t)
	const rate = 16000
	pcm := make([]byte, 2*rate*16)
	for i := rate * 5; i < rate*5+800; i++ { // 5 s into a file at 30, filmed at 240: picture 150
		binary.LittleEndian.PutUint16(pcm[2*i:], uint16(int16(12000*math.Sin(float64(i)))))
	}
	for metres, want := range map[float64]int{0: 150, 20: 137} {
		h, err := assemble.Hear(b, pts, rate, pcm, metres)
		if err != nil || h.Bang == nil || math.Abs(float64(h.Bang.Frame-want)) > 1 || len(h.Levels) != b.Clip.Frames || h.Bang.U <= 0 {
			t.Fatalf("from %v m away: %+v %v", metres, h.Bang, err)
		}
	}
	if h, err := assemble.Hear(b, pts, rate, make([]byte, 2*rate*16), 0); err != nil || h.Bang != nil {
		t.Errorf("silence has a bang: %+v %v", h.Bang, err)
	}
}

func TestTheHandsOwnErrorReplacesTheUsualOne(t *testing.T) {
	_, b, _ := work(t)
	usual := assemble.MarkU(b)
	b.Calibration.Repeats = &breakdown.Repeats{Landmark: "knee.R"}
	for _, d := range []float64{-1, 0, 1, 0.5, -0.5} {
		b.Calibration.Repeats.Points = append(b.Calibration.Repeats.Points, breakdown.Spot{X: 400 + d, Y: 300 - d})
	}
	// Sum of squares 5 over 8 degrees of freedom, widened by √(8/6).
	if got, want := assemble.MarkU(b), math.Sqrt(5./8*8/6); math.Abs(got-want) > 1e-12 || got == usual {
		t.Errorf("the hand's own error is %v, want %v", got, want)
	}
	b.Calibration.Repeats.Points = b.Calibration.Repeats.Points[:3]
	if got := assemble.MarkU(b); got != usual {
		t.Errorf("three repeats give %v", got)
	}
}

// Every event's reading is whole: what the interface walks through is never
// null, stamped and placed as a coach would.
func TestEveryEventHasAReading(t *testing.T) {
	books, err := playbook.Load()
	if err != nil {
		t.Fatal(err)
	}
	seen := map[string]bool{}
	for _, s := range demo.Scenarios() {
		if seen[s.Movement.Event] {
			continue
		}
		seen[s.Movement.Event] = true
		truth, err := s.Simulate()
		if err != nil {
			t.Fatal(err)
		}
		e, err := books[s.Movement.Event].As(s.Movement.Variant)
		if err != nil {
			t.Fatal(err)
		}
		b := store.Bench{
			Attempt:   store.Attempt{Event: e.ID, Day: time.Date(2026, 11, 20, 0, 0, 0, 0, time.UTC)},
			Athlete:   store.Athlete{Sex: string(s.Movement.Athlete.Sex), HeightM: 1.8, FrontLeg: "R", Hand: string(s.Movement.Athlete.Side), JumpLeg: string(s.Movement.Athlete.Side), Level: "trained"},
			Clip:      &store.Clip{Status: "ready", Width: truth.Width, Height: truth.Height, KeptWidth: truth.Width, Frames: len(truth.Film), BaseNum: 1, BaseDen: 100, PlaybackRate: 100, CaptureRate: truth.Capture, View: truth.View, Rightward: true},
			Breakdown: breakdown.Breakdown{Stamps: map[string]int{}, Looks: map[string]string{}},
		}
		pts := make([]int64, len(truth.Film))
		for i := range pts {
			pts[i] = int64(i)
		}
		for _, k := range e.Keys {
			if n, ok := truth.Frames[k.ID]; ok && n > 0 && n < len(pts)-1 {
				b.Stamps[k.ID] = n
				for _, l := range (&measure.Recording{Event: e, View: truth.View, Roles: assemble.Roles(e, b).Near(assemble.Working(e, b))}).RequiredLandmarks(k.ID) {
					at := truth.At(n, l)
					b.Landmarks = append(b.Landmarks, breakdown.Landmark{Frame: n, Name: string(l), X: at.X, Y: at.Y, Source: "placed"})
				}
			}
		}
		r, err := assemble.Read(e, b, pts, nil, assemble.History{})
		if err != nil {
			t.Fatalf("%s: %v", e.ID, err)
		}
		data, err := json.Marshal(r)
		if err != nil {
			t.Fatalf("%s: %v", e.ID, err) // a NaN or an infinity
		}
		if i := strings.Index(string(data), ":null"); i >= 0 {
			t.Errorf("%s: %s is null", e.ID, data[max(0, i-20):i])
		}
		if len(r.Order) > 0 {
			t.Errorf("%s: a clean attempt is out of order: %v", e.ID, r.Order)
		}
		known := 0
		for _, v := range r.Values {
			if v.Known() {
				known++
			}
		}
		if known < 4 {
			t.Errorf("%s: only %d numbers", e.ID, known)
		}
	}
}
