package report

import (
	"bytes"
	"image"
	"image/png"
	"io"
	"os/exec"
	"strings"
	"testing"

	"neokinema/core/judge"
)

// readSheet is what a sheet says on paper, as poppler reads it.
func readSheet(t *testing.T, s Sheet, paper Paper) (words, info string) {
	t.Helper()
	path, text := readPDF(t, func(w io.Writer) error { return s.Print(w, paper) })
	about, err := exec.Command("pdfinfo", path).Output()
	if err != nil {
		t.Fatal(err)
	}
	return strings.Join(strings.Fields(text), " "), string(about)
}

func shot(t *testing.T) []byte {
	t.Helper()
	var out bytes.Buffer
	if err := png.Encode(&out, image.NewRGBA(image.Rect(0, 0, 240, 300))); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

// every is a sheet with a block of every kind.
func every(t *testing.T) Sheet {
	low, high := 0.2, 0.6
	g := Gauge{Lane: judge.LaneOf(104, 2, nil)}
	g.Name, g.Value, g.Within, g.Verdict, g.Aim = "Front knee, set", "104°", "± 4°", "out", "88–98°"
	return Sheet{Title: "Łucja Øst-Žák", Under: "Sprint start 1", Foot: "Saltmere Track Club", Blocks: []Block{
		{Kind: "head", Text: "What is good"}, {Kind: "text", Text: "Quick off the line."}, {Kind: "soft", Text: "Four more can't be told."}, {Kind: "bullet", Text: "Head stays quiet.", Tone: "in"},
		{Kind: "care", Text: "Hamstring tightness ends the session."}, {Kind: "cue", Text: "Hand first, then feet."}, {Kind: "pair", Under: "Drill", Text: "Wall starts, 2 × 4"}, {Kind: "gauge", Gauge: &g},
		{Kind: "rung", Text: "Open front knee", Under: "explains 71 %"}, {Kind: "rung", Text: "Weak exit", Depth: 1}, {Kind: "table", Rows: [][]string{{"1", "2"}, {"61.25 m", "✕ outside the sector"}}},
		{Kind: "pictures", Pictures: []Picture{{Src: "a", Caption: "Before", Data: shot(t)}, {Src: "b", Caption: "After", Data: shot(t)}}},
		{Kind: "score", Contacts: []ContactBar{{0, 0, 0.4, "176 ± 4 ms"}, {1, 0.5, 1, "158 ± 4 ms"}}, Ends: []string{"0.200 s", "0.900 s"}},
		{Kind: "chart", Text: "Hammer, 7.26 kg", Low: &low, High: &high, Points: []Point{{0, 0.3, 0.1, "61 m"}, {1, 0.8, 0.1, "66 m"}}, Ends: []string{"1 May", "1 June", "60 m", "67 m"}},
	}}
}

func TestASheetPrintsAllThatIsOnIt(t *testing.T) {
	words, info := readSheet(t, every(t), A4)
	for _, want := range []string{"Łucja Øst-Žák", "What is good", "Quick off", "can't be told", "Head stays quiet", "Hamstring", "“Hand first, then feet.”", "Drill Wall starts", "Front knee, set", "104° ± 4°", "out, 88–98°", "Open front knee", "explains 71 %", "Weak exit", "61.25 m", "outside the sector", "Before", "After", "176 ± 4 ms", "0.200 s", "Hammer, 7.26 kg", "60 m", "1 June", "Saltmere Track Club", "Saltmere Track Club 1/1"} {
		if !strings.Contains(words, want) {
			t.Errorf("the sheet does not say %q:\n%s", want, words)
		}
	}
	if !strings.Contains(info, "(A4)") {
		t.Error(info)
	}
	if _, info := readSheet(t, every(t), Letter); !strings.Contains(info, "(letter)") {
		t.Error(info)
	}
}

func TestNamesOfAnyScriptStandOnASheet(t *testing.T) {
	for _, name := range []string{"Ελένη Καρρά", "Зоя Щербина", "Łucja Øst-Žák"} {
		s := every(t)
		s.Title = name
		if words, _ := readSheet(t, s, A4); !strings.Contains(words, name) {
			t.Errorf("%s is printed as %.80s", name, words)
		}
	}
}

func TestALongSheetGoesOnOnTheNextPage(t *testing.T) {
	s := every(t)
	for range 5 {
		s.Blocks = append(s.Blocks, every(t).Blocks...)
	}
	words, info := readSheet(t, s, Letter)
	if strings.Contains(info, "Pages:           1\n") || strings.Count(words, "Weak exit") != 6 || !strings.Contains(strings.ReplaceAll(words, " ", ""), "Club2/") {
		t.Errorf("%s\n%.300s", info, words)
	}
}

func TestASheetRefusesWhatItCannotPrint(t *testing.T) {
	for name, b := range map[string]Block{"a block of no kind": {Kind: "party"}, "a picture that is missing": {Kind: "pictures", Pictures: []Picture{{Src: "a"}}}, "a picture that is none": {Kind: "pictures", Pictures: []Picture{{Src: "a", Data: []byte("x")}}}} {
		var out bytes.Buffer
		if err := (Sheet{Blocks: []Block{b}}).Print(&out, A4); err == nil {
			t.Errorf("%s was printed", name)
		}
	}
}
