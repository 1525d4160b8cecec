package report

import (
	"bytes"
	"image"
	"image/color"
	"image/draw"
	"image/jpeg"
	"image/png"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"neokinema/core/body"
)

// printed is what a card says, as poppler reads it, and its number of pages.
func printed(t *testing.T, c Card) (words string, pages int) {
	t.Helper()
	_, text := readPDF(t, c.Write)
	return strings.Join(strings.Fields(text), " "), strings.Count(text, "\f")
}

// readPDF writes a PDF to a file and reads its words, as poppler does.
func readPDF(t *testing.T, write func(io.Writer) error) (path, text string) {
	t.Helper()
	var pdf bytes.Buffer
	if err := write(&pdf); err != nil {
		t.Fatal(err)
	}
	path = filepath.Join(t.TempDir(), "sheet.pdf")
	if err := os.WriteFile(path, pdf.Bytes(), 0o644); err != nil {
		t.Fatal(err)
	}
	out, err := exec.Command("pdftotext", "-layout", path, "-").Output()
	if err != nil {
		t.Fatal(err)
	}
	return path, string(out)
}

func card() Card {
	return Card{
		Athlete: "Anselm Tarrant-Vey", Event: "Sprint start 1", Day: "20 November 2026", Place: "Saltmere oval", Coach: "Tove Harrand", Club: "Saltmere Track Club",
		Praise: []string{"Rear push at rear foot off: 0.179 s ± 0.004 s, inside 0.14–0.24 s"},
		Items: []Item{{Focus: "Late lead arm", Words: "Hand first, then feet.", Drill: "Wall starts", Dose: "2 × 4", Growth: "lighter band", Show: "Lead arm lag at lead arm: from 0.070 s ± 0.003 s to 0.030 s or less",
			Refilm: "27 November 2026", Caption: "lead arm, picture 198"}},
		Care: []string{"Hamstring or groin tightness ends the session."},
	}
}

func TestACardSaysAllThatIsOnIt(t *testing.T) {
	words, pages := printed(t, card())
	for _, want := range []string{"Anselm Tarrant-Vey", "Sprint start 1", "20 November 2026", "Saltmere oval", "Tove Harrand", "Rear push", "Hand first, then feet.", "Wall starts", "2 × 4", "lighter band", "0.070 s ± 0.003 s", "27 November 2026", "Hamstring"} {
		if !strings.Contains(words, want) {
			t.Errorf("the card does not say %q:\n%s", want, words)
		}
	}
	if pages != 1 {
		t.Errorf("a card with one focus has %d pages", pages)
	}
}

func TestNamesInOtherScripts(t *testing.T) {
	c := card()
	for _, name := range []string{"Ελένη Καρρά", "Зоя Щербина", "Łucja Øst-Žák"} {
		c.Athlete = name
		if words, _ := printed(t, c); !strings.Contains(words, name) {
			t.Errorf("%q is printed as %q", name, words[:60])
		}
	}
}

func TestTwoFocusesWithPictures(t *testing.T) {
	var picture bytes.Buffer
	if err := jpeg.Encode(&picture, image.NewRGBA(image.Rect(0, 0, 1280, 720)), nil); err != nil {
		t.Fatal(err)
	}
	c := card()
	c.Items[0].Picture = picture.Bytes()
	c.Items = append(c.Items, c.Items[0])
	c.Items[1].Words = strings.Repeat("Throw the hand up the lane. ", 12)
	words, pages := printed(t, c)
	if pages < 1 || pages > 3 || !strings.Contains(words, "Hand first") || !strings.Contains(words, "up the lane") {
		t.Errorf("%d pages: %s", pages, words)
	}
}

// The strip is as wide as its cells, and each cell shows its own picture and
// figure.
func TestStripShowsEachKeyPosition(t *testing.T) {
	picture := func(c color.Color) []byte {
		img := image.NewRGBA(image.Rect(0, 0, 640, 360))
		draw.Draw(img, img.Bounds(), image.NewUniform(c), image.Point{}, draw.Src)
		var out bytes.Buffer
		if err := jpeg.Encode(&out, img, nil); err != nil {
			t.Fatal(err)
		}
		return out.Bytes()
	}
	green := Cell{Picture: picture(color.RGBA{0, 200, 0, 255}), Middle: image.Pt(320, 180), Half: 180, Name: "set", Time: "0.000 s ± 0.003",
		Figure: Figure{At: map[body.Landmark][2]float64{"hip.L": {300, 100}, "knee.L": {300, 260}}, Working: body.Left}, Arcs: []Arc{{image.Pt(300, 180), image.Pt(300, 100), image.Pt(380, 180), "90° ± 6"}, {image.Pt(304, 182), image.Pt(300, 100), image.Pt(380, 180), "95° ± 6"}}}
	edge := Cell{Picture: picture(color.RGBA{0, 0, 200, 255}), Middle: image.Pt(640, 360), Half: 180, Name: "εκκίνηση · старт", Time: "0.500 s ± 0.003"}
	drawn := Cell{Middle: image.Pt(320, 180), Half: 180, Figure: Figure{At: map[body.Landmark][2]float64{"hip.L": {300, 180}, "hip.R": {340, 180}}, Working: body.Left}}
	var out bytes.Buffer
	if err := (Strip{Title: "Ίλσε Марровби", Cells: []Cell{green, edge, drawn}}).Write(&out); err != nil {
		t.Fatal(err)
	}
	img, err := png.Decode(&out)
	if err != nil {
		t.Fatal(err)
	}
	if img.Bounds().Dx() != 3*(cellWide+gutter)+gutter {
		t.Errorf("three cells make %v", img.Bounds())
	}
	near := func(x, y int, want color.RGBA) {
		t.Helper()
		r, g, b, _ := img.At(x, y).RGBA()
		if d := max(gap8(r, want.R), gap8(g, want.G), gap8(b, want.B)); d > 12 {
			t.Errorf("at %d, %d is %v, want %v", x, y, img.At(x, y), want)
		}
	}
	near(gutter+20, headHigh+20, color.RGBA{0, 200, 0, 255})
	near(gutter+cellWide/2-17, headHigh+cellHigh/2-40, color.RGBA{0xE3, 0x6A, 0x48, 255}) // the bone
	near(2*gutter+cellWide+20, headHigh+20, color.RGBA{0, 0, 200, 255})
	near(3*gutter+2*cellWide+20, headHigh+20, color.RGBA{0xFB, 0xF8, 0xF1, 255})                 // without a film: on paper
	near(3*gutter+2*cellWide+cellWide/2, headHigh+cellHigh/2, color.RGBA{0x16, 0x22, 0x2E, 255}) // the line of the hips
	near(2*gutter+2*cellWide-5, headHigh+cellHigh-5, color.RGBA{0, 0, 200, 255})                 // a part past the corner is moved into its picture
}

func gap8(got uint32, want uint8) int { return max(int(got>>8)-int(want), int(want)-int(got>>8)) }
