// Package report prints sheets that a coach hands out.
package report

import (
	"bytes"
	_ "embed"
	"fmt"
	"image"
	"image/draw"
	"image/jpeg"
	"io"
	"strings"

	"codeberg.org/go-pdf/fpdf"
)

//go:embed fonts/RobotoCondensed-Regular.ttf
var regular []byte

//go:embed fonts/RobotoCondensed-Bold.ttf
var bold []byte

// Item is one focus on a card.
type Item struct {
	Focus   string
	Words   string // the cue, in the athlete's words
	Drill   string
	Dose    string
	Growth  string
	Show    string // what the next clip must show
	Refilm  string
	Picture []byte // JPEG, of the key position; may be nil
	Caption string
}

// Card is what an athlete takes home.
type Card struct {
	Athlete, Event, Day, Place string
	Coach, Club                string
	Praise                     []string
	Keep                       bool // no fault was found: there is nothing to change
	Items                      []Item
	Care                       []string
}

type rgb [3]int

var (
	ink   = rgb{0x16, 0x22, 0x2E}
	soft  = rgb{0x55, 0x63, 0x6E}
	hair  = rgb{0xDA, 0xCF, 0xBB}
	brick = rgb{0xAE, 0x45, 0x29}
	grass = rgb{0x3A, 0x77, 0x4D}
)

// Write prints the card on one A5 page or more.
func (c Card) Write(w io.Writer) error {
	p := &printer{fpdf.New("P", "mm", "A5", "")}
	p.SetMargins(12, 12, 12)
	p.SetAutoPageBreak(true, 12)
	p.AddUTF8FontFromBytes("sheet", "", regular)
	p.AddUTF8FontFromBytes("sheet", "B", bold)
	p.SetTitle("Card: "+c.Athlete, true)
	p.SetCreator("Neokinema", true)
	p.AddPage()

	p.text("B", 17, ink, c.Athlete)
	p.text("", 10, soft, fmt.Sprintf("%s · %s · %s", c.Event, c.Day, c.Place))
	p.rule()
	if len(c.Praise) > 0 {
		p.head("What is good")
		for _, s := range c.Praise {
			p.bullet(grass, s)
		}
	}
	if c.Keep {
		p.head("Keep it")
		p.text("", 10, ink, "No fault was found in this attempt, as far as it is measured. Do it the same way again.")
	}
	for _, it := range c.Items {
		p.item(it)
	}
	p.head("Take care")
	for _, s := range c.Care {
		p.bullet(soft, s)
	}
	p.Ln(2)
	p.text("", 9, soft, strings.Trim(c.Coach+" · "+c.Club, " ·"))
	return p.Output(w)
}

type printer struct{ *fpdf.Fpdf }

func (p *printer) text(style string, size float64, c rgb, s string) {
	p.SetFont("sheet", style, size)
	p.SetTextColor(c[0], c[1], c[2])
	p.MultiCell(0, size*0.46, s, "", "L", false)
}

func (p *printer) head(s string) {
	p.Ln(2.5)
	p.text("B", 11.5, ink, s)
	p.Ln(0.8)
}

func (p *printer) rule() {
	p.SetDrawColor(hair[0], hair[1], hair[2])
	y := p.GetY() + 1.5
	w, _ := p.GetPageSize()
	p.Line(12, y, w-12, y)
	p.SetY(y + 0.5)
}

func (p *printer) bullet(c rgb, s string) {
	p.SetFillColor(c[0], c[1], c[2])
	x, y := p.GetXY()
	p.Rect(x, y+0.5, 0.8, 3.6, "F")
	p.SetX(x + 3)
	p.text("", 10, ink, s)
	p.Ln(0.9)
}

// Widths of the page, mm.
const (
	margin  = 12.0
	picture = 46.0
	gap     = 4.0
)

// item prints a focus with its picture at the right.
func (p *printer) item(it Item) {
	_, tall := p.GetPageSize()
	if p.GetY() > tall-margin-picture {
		p.AddPage()
	}
	p.head("Work on: " + it.Focus)
	top := p.GetY()
	end := p.picture(it, top)
	p.text("B", 15, brick, "“"+it.Words+"”")
	p.Ln(1)
	for _, line := range [][2]string{{"Drill", strings.TrimSuffix(it.Drill+", "+it.Dose, ", ")}, {"Then", it.Growth}, {"Next clip shows", it.Show}, {"Film again on", it.Refilm}} {
		if line[1] == "" {
			continue
		}
		p.SetFont("sheet", "", 10)
		p.SetTextColor(soft[0], soft[1], soft[2])
		p.CellFormat(25, 4.8, line[0], "", 0, "L", false, 0, "")
		x := p.GetX()
		p.SetLeftMargin(x)
		p.SetTextColor(ink[0], ink[1], ink[2])
		p.MultiCell(0, 4.8, line[1], "", "L", false)
		p.SetLeftMargin(margin)
		p.SetX(margin)
	}
	p.SetRightMargin(margin)
	p.SetY(max(p.GetY(), end))
}

// picture prints a focus's picture, narrows the text beside it, and says where
// the picture ends.
func (p *printer) picture(it Item, top float64) (end float64) {
	if it.Picture == nil {
		return top
	}
	name := "picture of " + it.Focus
	info := p.RegisterImageOptionsReader(name, fpdf.ImageOptions{ImageType: "JPG"}, bytes.NewReader(it.Picture))
	if info == nil || p.Err() {
		return top
	}
	w, _ := p.GetPageSize()
	x, height := w-margin-picture, picture*info.Height()/info.Width()
	p.ImageOptions(name, x, top, picture, height, false, fpdf.ImageOptions{ImageType: "JPG"}, 0, "")
	p.SetXY(x, top+height+0.5)
	p.text("", 9, soft, it.Caption)
	end = p.GetY()
	p.SetXY(margin, top)
	p.SetRightMargin(margin + picture + gap)
	return end
}

// Crop cuts a JPEG to a rectangle, as far as the rectangle lies inside it.
func Crop(picture []byte, to image.Rectangle) ([]byte, error) {
	whole, err := jpeg.Decode(bytes.NewReader(picture))
	if err != nil {
		return nil, err
	}
	to = to.Intersect(whole.Bounds())
	if to.Empty() {
		return picture, nil
	}
	part := image.NewRGBA(image.Rect(0, 0, to.Dx(), to.Dy()))
	draw.Draw(part, part.Bounds(), whole, to.Min, draw.Src)
	var out bytes.Buffer
	err = jpeg.Encode(&out, part, &jpeg.Options{Quality: 90})
	return out.Bytes(), err
}
