package report

import (
	"bytes"
	"errors"
	"fmt"
	"image"
	"image/jpeg"
	"image/png"
	"io"
	"strings"

	"codeberg.org/go-pdf/fpdf"
	"github.com/google/uuid"

	"neokinema/core/judge"
)

// Sheet is a report: the same blocks are shown in the app and printed.
type Sheet struct {
	Title  string  `json:"title"`
	Under  string  `json:"under"`
	Blocks []Block `json:"blocks"`
	Foot   string  `json:"foot"`
}

// Block is one part of a sheet. Kind says which of the other fields count: head,
// text, soft, bullet, care, cue, pair (Under beside Text), gauge, rung, table,
// pictures, score, chart.
type Block struct {
	Kind     string       `json:"kind"`
	Text     string       `json:"text,omitempty"`
	Under    string       `json:"under,omitempty"`
	Tone     string       `json:"tone,omitempty"` // in, near, out or plain
	Depth    int          `json:"depth,omitempty"`
	Gauge    *Gauge       `json:"gauge,omitempty"`
	Rows     [][]string   `json:"rows,omitempty"` // the heads first
	Pictures []Picture    `json:"pictures,omitempty"`
	Contacts []ContactBar `json:"contacts,omitempty"`
	Points   []Point      `json:"points,omitempty"`
	Low      *float64     `json:"low,omitempty"` // of a chart's band, 0 to 1 from below
	High     *float64     `json:"high,omitempty"`
	Ends     []string     `json:"ends,omitempty"` // what stands at both ends
}

// Gauge is a value in words on its lane.
type Gauge struct {
	Name    string `json:"name"`
	Value   string `json:"value"`
	Within  string `json:"within"`
	Verdict string `json:"verdict"`
	Aim     string `json:"aim"`
	judge.Lane
}

// Picture is a PNG or JPEG by its address in the app: of an attempt at a key
// position. What is printed has its data.
type Picture struct {
	Src     string    `json:"src"`
	Caption string    `json:"caption"`
	Attempt uuid.UUID `json:"-"`
	KeyID   string    `json:"-"`
	Data    []byte    `json:"-"`
}

// ContactBar is a contact on the footfall score, from 0 to 1 of its length.
type ContactBar struct {
	Line int     `json:"line"`
	From float64 `json:"from"`
	To   float64 `json:"to"`
	Says string  `json:"says"`
}

// Point is one of a chart, from 0 to 1 rightward and up; U is how far its ± two
// standard uncertainties reach.
type Point struct {
	X    float64 `json:"x"`
	Y    float64 `json:"y"`
	U    float64 `json:"u"`
	Says string  `json:"says"`
}

// Paper is a size that sheets are printed on.
type Paper string

const (
	A4     Paper = "A4"
	Letter Paper = "Letter"
)

var tones = map[string]rgb{"in": grass, "near": {0x8A, 0x5E, 0x0C}, "out": {0x8A, 0x24, 0x52}, "plain": soft, "": ink}

var bandFill = rgb{0xCF, 0xDC, 0xCB}

// Print writes the sheet as PDF.
func (s Sheet) Print(w io.Writer, paper Paper) error {
	p := &printer{fpdf.New("P", "mm", string(paper), "")}
	p.SetMargins(sheetMargin, 14, sheetMargin)
	p.SetAutoPageBreak(true, 16)
	p.AddUTF8FontFromBytes("sheet", "", regular)
	p.AddUTF8FontFromBytes("sheet", "B", bold)
	p.SetTitle(s.Title, true)
	p.SetCreator("Neokinema", true)
	p.AliasNbPages("")
	p.SetFooterFunc(func() {
		p.SetY(-12)
		p.SetFont("sheet", "", 8)
		p.SetTextColor(soft[0], soft[1], soft[2])
		p.CellFormat(0, 4, s.Foot, "", 0, "L", false, 0, "")
		p.SetX(sheetMargin)
		p.CellFormat(0, 4, fmt.Sprintf("%d / {nb}", p.PageNo()), "", 0, "R", false, 0, "")
	})
	p.AddPage()
	p.text("B", 19, ink, s.Title)
	p.text("", 10.5, soft, s.Under)
	p.line()
	for _, b := range s.Blocks {
		if err := p.block(b); err != nil {
			return err
		}
	}
	return p.Output(w)
}

const sheetMargin = 16.0

// room starts a new page where less than tall millimetres are left.
func (p *printer) room(tall float64) {
	_, height := p.GetPageSize()
	if p.GetY()+tall > height-16 {
		p.AddPage()
	}
}

func (p *printer) wide() float64 {
	w, _ := p.GetPageSize()
	return w - 2*sheetMargin
}

func (p *printer) line() {
	p.SetDrawColor(hair[0], hair[1], hair[2])
	p.SetLineWidth(0.2)
	y := p.GetY() + 1.5
	p.Line(sheetMargin, y, sheetMargin+p.wide(), y)
	p.SetY(y + 0.5)
}

func (p *printer) block(b Block) error {
	switch b.Kind {
	case "head":
		p.room(22)
		p.head(b.Text)
	case "text":
		p.text("", 10.5, tones[b.Tone], b.Text)
		p.Ln(0.8)
	case "soft":
		p.text("", 9, soft, b.Text)
		p.Ln(0.8)
	case "bullet", "care":
		tone := tones[b.Tone]
		if b.Kind == "care" {
			tone = tones["near"]
		}
		p.room(6)
		p.bullet(tone, b.Text)
	case "cue":
		p.room(12)
		p.text("B", 15, brick, "“"+b.Text+"”")
		p.Ln(1)
	case "pair":
		p.room(6)
		p.SetFont("sheet", "", 10)
		p.SetTextColor(soft[0], soft[1], soft[2])
		p.CellFormat(32, 4.8, b.Under, "", 0, "L", false, 0, "")
		p.SetLeftMargin(p.GetX())
		p.SetTextColor(ink[0], ink[1], ink[2])
		p.MultiCell(0, 4.8, b.Text, "", "L", false)
		p.SetLeftMargin(sheetMargin)
		p.SetX(sheetMargin)
	case "gauge":
		p.gauge(*b.Gauge)
	case "rung":
		p.room(10)
		p.rung(b)
	case "table":
		p.table(b.Rows)
	case "pictures":
		return p.pictures(b.Pictures)
	case "score":
		p.score(b)
	case "chart":
		p.chart(b)
	default:
		return fmt.Errorf("a sheet has no block %q", b.Kind)
	}
	return nil
}

func (p *printer) ink(c rgb) { p.SetTextColor(c[0], c[1], c[2]) }

// paint sets the colours of lines and areas.
func (p *printer) paint(c rgb) {
	p.SetDrawColor(c[0], c[1], c[2])
	p.SetFillColor(c[0], c[1], c[2])
}

// cell writes one line of words, cut to its width.
func (p *printer) cell(x, y, w float64, size float64, style string, c rgb, align, s string) {
	p.SetFont("sheet", style, size)
	p.ink(c)
	if p.GetStringWidth(s) > w {
		runes := []rune(s)
		for len(runes) > 1 && p.GetStringWidth(string(runes)+"…") > w {
			runes = runes[:len(runes)-1]
		}
		s = string(runes) + "…"
	}
	p.SetXY(x, y)
	p.CellFormat(w, 5, s, "", 0, align, false, 0, "")
}

func (p *printer) gauge(g Gauge) {
	p.room(7)
	y, w := p.GetY(), p.wide()
	tone := tones[g.Verdict]
	if _, known := tones[g.Verdict]; !known {
		tone = soft
	}
	p.cell(sheetMargin, y, 0.40*w-2, 9.5, "", ink, "L", g.Name)
	left, wide := sheetMargin+0.40*w, 0.24*w
	at := func(v float64) float64 { return left + wide*min(1, max(0, v)) }
	p.paint(hair)
	p.Rect(left, y+2.2, wide, 0.4, "F")
	if g.Low != nil || g.High != nil {
		from, to := left, left+wide
		if g.Low != nil {
			from = at(*g.Low)
		}
		if g.High != nil {
			to = at(*g.High)
		}
		p.paint(bandFill)
		p.Rect(from, y+1, to-from, 2.8, "F")
	}
	p.paint(tone)
	p.Rect(at(g.From), y+2.1, at(g.To)-at(g.From), 0.6, "F")
	p.Rect(at(g.At)-0.45, y+0.4, 0.9, 4, "F")
	x := left + wide + 2
	p.cell(x, y, 0.19*w, 9.5, "B", ink, "L", g.Value+" "+g.Within)
	p.cell(x+0.19*w, y, sheetMargin+w-x-0.19*w, 9, "", tone, "L", g.Verdict+", "+g.Aim)
	p.SetXY(sheetMargin, y+5.6)
}

// rung hangs a fault of the cause ladder below the one that explains it.
func (p *printer) rung(b Block) {
	x := sheetMargin + 7*float64(b.Depth)
	y := p.GetY()
	p.paint(tones["out"])
	p.SetLineWidth(0.5)
	if b.Depth > 0 {
		p.Line(x-4, y-1, x-4, y+2.5)
		p.Line(x-4, y+2.5, x-0.8, y+2.5)
	}
	p.Rect(x, y+1.2, 2.4, 2.4, map[bool]string{true: "F", false: "D"}[b.Depth == 0])
	p.SetLineWidth(0.2)
	p.cell(x+4, y, sheetMargin+p.wide()-x-4, 10.5, map[bool]string{true: "B", false: ""}[b.Depth == 0], ink, "L", b.Text)
	p.SetXY(sheetMargin, y+5.2)
	if b.Under != "" {
		p.SetLeftMargin(x + 5)
		p.SetX(x + 5)
		p.text("", 9, soft, b.Under)
		p.SetLeftMargin(sheetMargin)
	}
	p.SetXY(sheetMargin, p.GetY()+1)
}

func (p *printer) table(rows [][]string) {
	if len(rows) == 0 {
		return
	}
	n := len(rows[0])
	want := make([]float64, n)
	p.SetFont("sheet", "", 9.5)
	sum := 0.0
	for _, r := range rows {
		for i, s := range r {
			want[i] = max(want[i], min(60, p.GetStringWidth(s)+4))
		}
	}
	for _, w := range want {
		sum += w
	}
	for i, r := range rows {
		p.room(6)
		x, y := sheetMargin, p.GetY()
		style, tone := "", ink
		if i == 0 {
			style, tone = "B", soft
		}
		for j, s := range r {
			w := want[j] * p.wide() / max(sum, p.wide()*0.6)
			p.cell(x, y, w-1.5, 9.5, style, tone, "L", s)
			x += w
		}
		p.SetXY(sheetMargin, y+5.2)
		p.paint(hair)
		p.SetLineWidth(0.1)
		p.Line(sheetMargin, y+5.1, sheetMargin+p.wide(), y+5.1)
	}
	p.Ln(1.5)
}

const mostInRow = 5

// pictures stand side by side at one height.
func (p *printer) pictures(list []Picture) error {
	for len(list) > 0 {
		row := list[:min(mostInRow, len(list))]
		list = list[len(row):]
		each := (p.wide() - 3*float64(mostInRow-1)) / mostInRow
		if len(row) < 3 {
			each = p.wide() / 3
		}
		type shown struct {
			name string
			tall float64
		}
		var cells []shown
		tall := 0.0
		for _, pic := range row {
			if len(pic.Data) == 0 {
				return errors.New("a picture of the sheet is missing")
			}
			data, size, err := flat(pic.Data)
			if err != nil {
				return err
			}
			name := pic.Src
			p.RegisterImageOptionsReader(name, fpdf.ImageOptions{ImageType: "JPG"}, bytes.NewReader(data))
			high := each * float64(size.Y) / float64(size.X)
			cells, tall = append(cells, shown{name, high}), max(tall, high)
		}
		p.room(tall + 13)
		x, y := sheetMargin, p.GetY()
		for i, c := range cells {
			p.ImageOptions(c.name, x, y, each, c.tall, false, fpdf.ImageOptions{ImageType: "JPG"}, 0, "")
			for n, line := range strings.SplitN(row[i].Caption, ", ", 2) {
				p.cell(x, y+c.tall+0.5+3.8*float64(n), each, 8.5, "", soft, "L", line)
			}
			x += each + 3
		}
		p.SetXY(sheetMargin, y+tall+10.5)
	}
	return nil
}

// flat makes a JPEG of a PNG or JPEG, which prints small.
func flat(data []byte) ([]byte, image.Point, error) {
	img, err := jpeg.Decode(bytes.NewReader(data))
	if err == nil {
		return data, img.Bounds().Size(), nil
	}
	if img, err = png.Decode(bytes.NewReader(data)); err != nil {
		return nil, image.Point{}, err
	}
	var out bytes.Buffer
	err = jpeg.Encode(&out, img, &jpeg.Options{Quality: 90})
	return out.Bytes(), img.Bounds().Size(), err
}

// score prints the footfall score: two lines, a contact a held note.
func (p *printer) score(b Block) {
	p.room(24)
	x, y, w := sheetMargin, p.GetY()+1, p.wide()
	p.paint(hair)
	for i := range 2 {
		p.Rect(x, y+3.8+9*float64(i), w, 0.3, "F")
	}
	for _, n := range b.Contacts {
		tone := brick
		if n.Line == 1 {
			tone = rgb{0x2A, 0x6C, 0x9C}
		}
		at, to := x+w*n.From, x+w*n.To
		p.paint(tone)
		p.RoundedRect(at, y+2.4+9*float64(n.Line), max(0.8, to-at), 3, []float64{1.5, 0.2}[n.Line], "1234", "F")
		p.cell(at, y+5.4+9*float64(n.Line), max(16, to-at), 7.5, "", soft, "L", n.Says)
	}
	if len(b.Ends) == 2 {
		p.cell(x, y+18.5, w/2, 8, "", soft, "L", b.Ends[0])
		p.cell(x+w/2, y+18.5, w/2, 8, "", soft, "R", b.Ends[1])
	}
	p.SetXY(sheetMargin, y+24)
}

// chartEdge is kept free for what the ends of the scale are, mm.
const chartEdge = 22

// chart prints values over time with their ± and their band.
func (p *printer) chart(b Block) {
	const tall = 34.0
	p.room(tall + 12)
	x, y, w := sheetMargin, p.GetY()+1, p.wide()
	if b.Text != "" {
		p.cell(x, y, w, 9.5, "B", ink, "L", b.Text)
		y += 5.5
	}
	up := func(v float64) float64 { return y + tall*(1-min(1, max(0, v))) }
	if b.Low != nil || b.High != nil {
		low, high := 0.0, 1.0
		if b.Low != nil {
			low = *b.Low
		}
		if b.High != nil {
			high = *b.High
		}
		p.paint(bandFill)
		p.Rect(x, up(high), w-chartEdge, up(low)-up(high), "F")
	}
	p.paint(hair)
	p.Rect(x, y+tall, w-chartEdge, 0.3, "F")
	for _, pt := range b.Points {
		px := x + 2 + (w-chartEdge-4)*pt.X
		p.paint(ink)
		p.SetLineWidth(0.25)
		p.Line(px, up(pt.Y-pt.U), px, up(pt.Y+pt.U))
		p.Circle(px, up(pt.Y), 0.9, "F")
	}
	if len(b.Ends) == 4 {
		p.cell(x, y+tall+0.5, w/2, 8, "", soft, "L", b.Ends[0])
		p.cell(x+w/2, y+tall+0.5, w/2-chartEdge, 8, "", soft, "R", b.Ends[1])
		p.cell(x+w-30, y-0.5, 30, 8, "", soft, "R", b.Ends[3])
		p.cell(x+w-30, y+tall-5, 30, 8, "", soft, "R", b.Ends[2])
	}
	p.SetXY(sheetMargin, y+tall+7)
}
