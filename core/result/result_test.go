package result

import "testing"

// 61.25 m prints as 200' 11¼": the sport's own example. The others: 1 in is
// 0.0254 m, and rounding goes down.
func TestMarksAreReadAsTheyAreWritten(t *testing.T) {
	for _, c := range []struct {
		text string
		kind Kind
		want Result
	}{
		{"61.25", Distance, 6125}, {"61,25", Distance, 6125}, {" 61.25 m ", Distance, 6125}, {"61", Distance, 6100}, {"61.2", Distance, 6120}, {"61.259", Distance, 6125}, {"7.00", Distance, 700},
		{`200' 11¼"`, Distance, 6124}, {"200-11.25", Distance, 6124}, {"200′11 1/4″", Distance, 6124}, {"200 ft", Distance, 6096}, {"10'", Distance, 304},
		{"2.05", Height, 205}, {`6' 8 3/4"`, Height, 205},
		{"11.42", Time, 1142}, {"11.421", Time, 1143}, {"11.420 s", Time, 1142}, {"1:02.3", Time, 6230}, {"2:00", Time, 12000},
	} {
		if got, err := Parse(c.text, c.kind); err != nil || got != c.want {
			t.Errorf("%q is read as %d, %v; want %d", c.text, got, err, c.want)
		}
	}
}

func TestWhatIsNoMarkIsRefused(t *testing.T) {
	for _, c := range []struct {
		text string
		kind Kind
	}{
		{"", Distance}, {"61.2.5", Distance}, {"-3", Distance}, {"x", Distance}, {"61.25 s", Distance}, {"1:02", Distance}, {`200' 12"`, Distance}, {`6' 3/2"`, Height}, {"11.4 m", Time}, {`6' 8"`, Time}, {"1:72", Time}, {"1e3", Distance}, {"9999", Distance}, {`20' 1.5½"`, Distance},
	} {
		if got, err := Parse(c.text, c.kind); err == nil {
			t.Errorf("%q is read as a %s: %d", c.text, c.kind, got)
		}
	}
}

func TestMarksAreWrittenAsTheSportDoes(t *testing.T) {
	for _, c := range []struct{ got, want string }{
		{Result(6125).Format(Distance), "61.25 m"}, {Result(6125).Imperial(), `200' 11¼"`}, {Result(205).Format(Height), "2.05 m"}, {Result(205).Imperial(), `6' 8½"`}, {Result(8000).Imperial(), `262' 5½"`},
		{Result(1142).Format(Time), "11.42 s"}, {Result(6230).Format(Time), "1:02.30"}, {Result(5).Format(Distance), "0.05 m"},
	} {
		if c.got != c.want {
			t.Errorf("%s, want %s", c.got, c.want)
		}
	}
	for m := Result(1); m < 10000; m += 7 {
		back, err := Parse(m.Format(Distance), Distance)
		if err != nil || back != m {
			t.Fatalf("%s comes back as %d, %v", m.Format(Distance), back, err)
		}
		// A quarter inch is 6.35 mm: written in feet it may lose one centimetre.
		if f, err := Parse(m.Imperial(), Distance); err != nil || f > m || f < m-1 {
			t.Fatalf("%s comes back from %s as %d, %v", m.Format(Distance), m.Imperial(), f, err)
		}
	}
}

func FuzzRead(f *testing.F) {
	for _, s := range []string{"61.25", `200' 11¼"`, "1:02.3", "6-8.5"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		for _, k := range []Kind{Distance, Height, Time} {
			if m, err := Parse(s, k); err == nil && m < 0 {
				t.Errorf("%q is a %s of %d", s, k, m)
			}
		}
	})
}
