package report

import (
	"bytes"
	"image"
	"image/color"
	"image/draw"
	"image/jpeg"
	"image/png"
	"io"
	"math"
	"strings"

	"git.sr.ht/~sbinet/gg"
	"golang.org/x/image/font"
	"golang.org/x/image/font/opentype"

	"neokinema/core/body"
)

// Strip is one row of key positions: the thing that a coach sends.
type Strip struct {
	Title, Below string
	Cells        []Cell
}

// Cell is one key position. Points are pixels of its picture.
type Cell struct {
	Picture    []byte // JPEG; nil: there is no film, the figure is drawn on paper
	Middle     image.Point
	Half       int // half of the part's height that is shown, px
	Name, Time string
	Figure     Figure
	Arcs       []Arc
}

// Figure is a drawn athlete: the landmarks in pixels of the picture, and the side
// that works. That side is drawn solid with round ends, the other dashed with
// square ones.
type Figure struct {
	At      map[body.Landmark][2]float64
	Working body.Side
}

// role is whether a landmark is of the side that works (front), of the other
// (rear), or of the middle.
func (f Figure) role(l body.Landmark) string {
	switch {
	case strings.HasSuffix(string(l), "."+string(f.Working)):
		return "front"
	case strings.HasSuffix(string(l), "."+string(f.Working.Other())):
		return "rear"
	}
	return "middle"
}

// Arc is an angle with its number.
type Arc struct {
	Vertex, From, To image.Point
	Label            string
}

// mostHalf bounds the part of a film's picture that a cell shows, px.
const mostHalf = 1 << 13

// Sizes of the strip, px.
const (
	cellWide, cellHigh = 240, 300
	capHigh            = 52
	headHigh, footHigh = 44, 30
	gutter             = 8
)

var fonts = map[bool]*opentype.Font{false: parsed(regular), true: parsed(bold)}

func parsed(data []byte) *opentype.Font {
	f, err := opentype.Parse(data)
	if err != nil {
		panic(err) // the font ships with the program
	}
	return f
}

// face is the font at a size in px.
func face(heavy bool, size float64) font.Face {
	f, err := opentype.NewFace(fonts[heavy], &opentype.FaceOptions{Size: size, DPI: 72})
	if err != nil {
		panic(err) // of a size that the program gives
	}
	return f
}

func (c rgb) colour() color.Color { return color.RGBA{uint8(c[0]), uint8(c[1]), uint8(c[2]), 255} }

// roles are the colours of a figure's roles.
type roles map[string]rgb

var (
	paper   = rgb{0xF4, 0xEF, 0xE4}
	raised  = rgb{0xFB, 0xF8, 0xF1}
	onDark  = roles{"front": {0xE3, 0x6A, 0x48}, "rear": {0x6F, 0xB4, 0xE4}, "middle": {0xE9, 0xE2, 0xD3}}
	onPaper = roles{"front": brick, "rear": {0x2A, 0x6C, 0x9C}, "middle": ink}
	amber   = rgb{0xF2, 0xC1, 0x4E}
	stage   = rgb{0x0D, 0x14, 0x1B}
	chalk   = onDark["middle"]
)

// Write draws the strip as PNG.
func (s Strip) Write(w io.Writer) error {
	c := gg.NewContext(len(s.Cells)*(cellWide+gutter)+gutter, headHigh+cellHigh+capHigh+footHigh)
	c.SetColor(paper.colour())
	c.Clear()
	write := func(heavy bool, size float64, ink rgb, text string, x, y float64) {
		c.SetFontFace(face(heavy, size))
		c.SetColor(ink.colour())
		c.DrawString(text, x, y)
	}
	write(true, 20, ink, s.Title, gutter, 29)
	write(false, 14, soft, s.Below, gutter, float64(c.Height()-10))
	for i, cell := range s.Cells {
		x := gutter + i*(cellWide+gutter)
		part, err := cell.draw()
		if err != nil {
			return err
		}
		c.DrawImage(part, x, headHigh)
		write(true, 16, ink, cell.Name, float64(x), headHigh+cellHigh+21)
		write(false, 14, soft, cell.Time, float64(x), headHigh+cellHigh+41)
	}
	return c.EncodePNG(w)
}

// Unfilmed is the picture of something that nobody filmed: an empty stage, as
// JPEG.
func Unfilmed(width, height int) ([]byte, error) {
	img := image.NewRGBA(image.Rect(0, 0, width, height))
	draw.Draw(img, img.Bounds(), image.NewUniform(stage.colour()), image.Point{}, draw.Src)
	var out bytes.Buffer
	err := jpeg.Encode(&out, img, &jpeg.Options{Quality: 70})
	return out.Bytes(), err
}

// WritePNG draws the cell alone.
func (cell Cell) WritePNG(w io.Writer) error {
	img, err := cell.draw()
	if err != nil {
		return err
	}
	return png.Encode(w, img)
}

// draw cuts the cell's part out of its picture and draws the figure over it.
func (cell Cell) draw() (image.Image, error) {
	var whole image.Image
	if cell.Picture != nil {
		var err error
		if whole, err = jpeg.Decode(bytes.NewReader(cell.Picture)); err != nil {
			return nil, err
		}
	}
	half := min(max(1, cell.Half), mostHalf)
	if whole != nil { // no part is larger than its picture
		half = min(half, max(whole.Bounds().Dx(), whole.Bounds().Dy()))
	}
	k := float64(cellHigh) / float64(2*half)
	left, top := float64(cell.Middle.X)-cellWide/2/k, float64(cell.Middle.Y)-cellHigh/2/k
	if whole != nil { // no more of the stage is shown than must be
		left = inside(left, cellWide/k, float64(whole.Bounds().Dx()))
		top = inside(top, cellHigh/k, float64(whole.Bounds().Dy()))
	}
	c := gg.NewContext(cellWide, cellHigh)
	c.SetColor(raised.colour())
	inks := onPaper
	if whole != nil {
		c.SetColor(stage.colour())
		inks = onDark
	}
	c.Clear()
	if whole != nil {
		c.Push()
		c.Scale(k, k)
		c.Translate(-left, -top)
		c.DrawImage(rgba(whole), 0, 0)
		c.Pop()
	}
	at := func(p [2]float64) (x, y float64) { return (p[0] - left) * k, (p[1] - top) * k }
	cell.Figure.draw(c, at, k, inks)
	var taken []image.Rectangle
	for _, a := range cell.Arcs {
		taken = append(taken, a.draw(c, func(p image.Point) (x, y float64) { return at([2]float64{float64(p.X), float64(p.Y)}) }, taken))
	}
	return c.Image(), nil
}

// draw draws the figure's bones, head and landmarks; k is the scale of the cell.
func (f Figure) draw(c *gg.Context, at func([2]float64) (x, y float64), k float64, inks roles) {
	pen := func(role string) {
		c.SetColor(inks[role].colour())
		c.SetLineWidth(2.5)
		c.SetDash()
		if role == "rear" {
			c.SetDash(7, 4)
		}
	}
	for _, b := range body.Bones {
		from, okF := f.At[b[0]]
		to, okT := f.At[b[1]]
		if !okF || !okT {
			continue
		}
		role := f.role(b[0])
		if f.role(b[1]) != role {
			role = "middle"
		}
		pen(role)
		x1, y1 := at(from)
		x2, y2 := at(to)
		c.DrawLine(x1, y1, x2, y2)
		c.Stroke()
	}
	if middle, radius, ok := body.Head(f.At); ok {
		pen("middle")
		x, y := at(middle)
		c.DrawCircle(x, y, radius*k)
		c.Stroke()
	}
	c.SetDash()
	for l, p := range f.At {
		c.SetColor(inks[f.role(l)].colour())
		x, y := at(p)
		if f.role(l) == "rear" {
			c.DrawRectangle(x-3, y-3, 6, 6)
		} else {
			c.DrawCircle(x, y, 3.2)
		}
		c.Fill()
	}
}

// inside moves a part that is so wide into a whole, as far as it fits.
func inside(from, wide, whole float64) float64 {
	if wide > whole {
		return (whole - wide) / 2
	}
	return math.Min(math.Max(from, 0), whole-wide)
}

// draw draws the angle and its number, clear of those that are there already,
// and says where the number stands.
func (a Arc) draw(c *gg.Context, at func(image.Point) (x, y float64), taken []image.Rectangle) image.Rectangle {
	x, y := at(a.Vertex)
	fx, fy := at(a.From)
	tx, ty := at(a.To)
	from := math.Atan2(fy-y, fx-x)
	turn := math.Remainder(math.Atan2(ty-y, tx-x)-from, 2*math.Pi)
	const radius = 22
	c.SetColor(amber.colour())
	c.SetLineWidth(2)
	c.DrawArc(x, y, radius, from, from+turn)
	c.Stroke()
	c.SetFontFace(face(true, 14))
	w, h := c.MeasureString(a.Label)
	s, co := math.Sincos(from + turn/2)
	lx := math.Min(math.Max(x+(radius+10)*co+w/2*co, w/2+6), cellWide-w/2-6)
	ly := math.Min(math.Max(y+(radius+12)*s, h+4), cellHigh-h)
	box := image.Rect(int(lx-w/2-5), int(ly-h/2-5), int(lx+w/2+5), int(ly+h/2+5))
	for _, t := range taken {
		if box.Overlaps(t) {
			down := t.Max.Y + 2 - box.Min.Y
			box, ly = box.Add(image.Pt(0, down)), ly+float64(down)
		}
	}
	c.SetRGBA255(stage[0], stage[1], stage[2], 215)
	c.DrawRoundedRectangle(lx-w/2-5, ly-h/2-5, w+10, h+10, 5)
	c.Fill()
	c.SetColor(chalk.colour())
	c.DrawStringAnchored(a.Label, lx, ly, 0.5, 0.4)
	return box
}

func rgba(img image.Image) image.Image {
	b := img.Bounds()
	out := image.NewRGBA(image.Rect(0, 0, b.Dx(), b.Dy()))
	draw.Draw(out, out.Bounds(), img, b.Min, draw.Src)
	return out
}
