package report

import (
	"fmt"
	"io"

	"codeberg.org/go-pdf/fpdf"
)

// CameraAdvice is where a camera stands, in a sentence, and the caution for it.
type CameraAdvice struct{ Says, Care string }

// Filming is how an event is filmed: where to stand, how high, at what rate,
// what must be in the picture.
type Filming struct {
	Event, Club string
	Rate        float64 // pictures a second
	Stands      []CameraAdvice
	Shows       []string
	Lengths     []string
}

// always holds for every film.
var always = []string{
	"Far back and zoomed in, not close: the whole body and implement with room above.",
	"Phone level, landscape, on a tripod or held still; fast shutter, in good light.",
	"The original file, not a messenger's smaller copy: it carries the capture rate.",
	"Start a second before the movement and hold until it is over.",
}

// Write prints the card on one A5 page or more.
func (f Filming) Write(w io.Writer) error {
	p := &printer{fpdf.New("P", "mm", "A5", "")}
	p.SetMargins(12, 12, 12)
	p.SetAutoPageBreak(true, 12)
	p.AddUTF8FontFromBytes("sheet", "", regular)
	p.AddUTF8FontFromBytes("sheet", "B", bold)
	p.SetTitle("Filming: "+f.Event, true)
	p.SetCreator("Neokinema", true)
	p.AddPage()
	p.text("B", 17, ink, "Filming: "+f.Event)
	p.text("", 10, soft, fmt.Sprintf("%.0f pictures a second or more · %s", f.Rate, f.Club))
	p.rule()
	p.head("Where to stand")
	for i, s := range f.Stands {
		p.bullet(brick, fmt.Sprintf("%d. %s", i+1, s.Says))
		if s.Care != "" {
			p.bullet(soft, s.Care)
		}
	}
	p.head("In the picture")
	for _, s := range f.Shows {
		p.bullet(grass, s)
	}
	if len(f.Lengths) > 0 {
		p.head("One known length, or more")
		for _, s := range f.Lengths {
			p.bullet(ink, s)
		}
	}
	p.head("Always")
	for _, s := range always {
		p.bullet(ink, s)
	}
	p.head("Take care")
	p.bullet(soft, "The venue's and the federation's rules come first. Nobody stands forward of a thrower.")
	p.bullet(soft, "Films of minors are personal data: on the club's own machine, shared only by the coach's decision.")
	return p.Output(w)
}
