package filmcheck

import (
	"fmt"
	"strings"
)

// State is how a film stands in one respect.
type State string

const (
	Good State = "good"
	Fair State = "fair"
	Poor State = "poor"
	Open State = "can't tell"
)

// Facts are what is known of a film. Zero means not known.
type Facts struct {
	Width, Height int     // px, as shown
	Rate          float64 // pictures a second
	Wanted        float64 // pictures a second that the event asks for
	SegmentPx     float64 // length of a thigh or shank on the picture, px of the shown picture
	ShownWidth    int     // px, of the kept pictures
	Brightness    float64 // 0 to 1
	Blur          float64 // 0 to 1
	Bits          float64 // of the file, for each pixel of each picture

	Faulty     []int  // numbers of pictures that were decoded with errors
	Errors     int    // how many of them there are
	Missing    int64  // bytes that the file lacks at its end
	HDR        string // the curve of its high dynamic range: HLG or PQ
	Interlaced bool   // each picture was filmed as two halves
	Holes      []Hole // where pictures are missing
}

// Hole is a place of the film where pictures are missing: after a picture, s.
type Hole struct {
	After int
	Lasts float64
}

// Check is one thing that makes or spoils the numbers, and what to do next
// time.
type Check struct {
	ID    string `json:"id"`
	Name  string `json:"name"`
	State State  `json:"state"`
	Says  string `json:"says"`
	Next  string `json:"next"` // empty when it is good
}

// Limits of what is good and what is fair; common practice, but for the
// segments: 2 px on 100 px are ±2.7° at a knee.
const (
	goodSegment, fairSegment = 200.0, 100.0
	goodWidth, fairWidth     = 1280, 900
	goodBlur, fairBlur       = 0.45, 0.60
	goodBits                 = 0.06
	darkest, dark            = 0.12, 0.22
	bright, brightest        = 0.75, 0.88
)

// grade is good at or above one limit and fair at or above another.
func grade(v, good, fair float64) State {
	switch {
	case v >= good:
		return Good
	case v >= fair:
		return Fair
	}
	return Poor
}

// Checks are what a film is good for, in the order in which it helps most.
func Checks(f Facts) []Check {
	out := []Check{rate(f), size(f), resolution(f), upright(f), sharpness(f), light(f), compression(f)}
	if f.Errors > 0 || f.Missing > 0 {
		out = append([]Check{damage(f)}, out...)
	}
	if len(f.Holes) > 0 {
		out = append([]Check{holes(f.Holes)}, out...)
	}
	if f.Interlaced {
		out = append(out, Check{ID: "interlaced", Name: "Two halves a picture", State: Fair, Says: "each picture was filmed as two halves, one after the other; they were brought together, and what moves fast is less sharp", Next: "Set the camera to progressive, as in 50p or 60p."})
	}
	if f.HDR != "" {
		out = append(out, Check{ID: "hdr", Name: "HDR", State: Good, Says: fmt.Sprintf("filmed in HDR (%s); its light was mapped to that of a screen", f.HDR)})
	}
	return out
}

// named is how many faulty pictures a sentence names.
const named = 12

// damage tells of a film that is not whole, or was changed on its way.
func holes(list []Hole) Check {
	var said []string
	for _, h := range list[:min(3, len(list))] {
		said = append(said, fmt.Sprintf("%.0f ms after picture %d", 1000*h.Lasts, h.After))
	}
	more := ""
	if n := len(list) - len(said); n > 0 {
		more = fmt.Sprintf(", and %d more", n)
	}
	return Check{ID: "holes", Name: "Missing pictures", State: Fair,
		Says: "the phone left pictures out: " + strings.Join(said, ", ") + more + ". Times are right, for each picture has its own; what happened in a hole cannot be stamped",
		Next: "Close other apps and let the phone cool before filming."}
}

func damage(f Facts) Check {
	c := Check{ID: "damage", Name: "Damaged", State: Fair, Next: "Copy the film from the phone again; look twice at what is placed on these pictures."}
	if f.Errors > 0 {
		c.State = Poor
		list := make([]string, 0, named)
		for _, n := range f.Faulty[:min(named, len(f.Faulty))] {
			list = append(list, fmt.Sprint(n))
		}
		more := ""
		if f.Errors > len(list) {
			more = " and more"
		}
		c.Says = fmt.Sprintf("%d pictures were decoded with errors: %s%s", f.Errors, strings.Join(list, ", "), more)
		if f.Errors == 1 {
			c.Says = fmt.Sprintf("picture %s was decoded with errors", list[0])
		}
	}
	if f.Missing > 0 {
		if c.Says != "" {
			c.Says += "; "
		}
		c.Says += fmt.Sprintf("the file lacks %d bytes at its end", f.Missing)
	}
	return c
}

// done takes the advice off what is good.
func done(c Check) Check {
	if c.State == Good {
		c.Next = ""
	}
	return c
}

func rate(f Facts) Check {
	c := Check{ID: "rate", Name: "Pictures a second", Next: fmt.Sprintf("Use the phone's slow motion, %.0f pictures a second or more.", f.Wanted)}
	if f.Rate == 0 {
		c.State, c.Says, c.Next = Open, "the capture rate is not known yet", "Say it below, or measure it. Next time, send the phone's original file: it carries the rate."
		return c
	}
	c.State = grade(f.Rate, f.Wanted, f.Wanted/2)
	c.Says = fmt.Sprintf("%.0f, and this event asks for %.0f or more", f.Rate, f.Wanted)
	return done(c)
}

func size(f Facts) Check {
	c := Check{ID: "size", Name: "Size of the athlete", Next: "Stand so that the athlete fills the picture, from farther back and zoomed in rather than close."}
	if f.SegmentPx == 0 {
		c.State, c.Says, c.Next = Open, "it shows once hip, knee and ankle are placed", ""
		return c
	}
	c.State = grade(f.SegmentPx, goodSegment, fairSegment)
	c.Says = fmt.Sprintf("a thigh or shank is %.0f px long; 200 and more make small ±", f.SegmentPx)
	return done(c)
}

func resolution(f Facts) Check {
	return done(Check{ID: "resolution", Name: "Resolution", State: grade(float64(max(f.Width, f.Height)), goodWidth, fairWidth),
		Says: fmt.Sprintf("%d × %d, kept %d wide", f.Width, f.Height, f.ShownWidth), Next: "Film at 1280 × 720 or more, and send the original file."})
}

func upright(f Facts) Check {
	c := Check{ID: "landscape", Name: "Landscape", State: Good, Says: "the picture is wider than high", Next: "Turn the phone sideways: the movement goes across the picture."}
	if f.Height > f.Width {
		c.State, c.Says = Fair, "the picture is higher than wide: the movement leaves it sooner, and the athlete is small"
	}
	return done(c)
}

func sharpness(f Facts) Check {
	return done(Check{ID: "blur", Name: "Sharpness", State: grade(1-f.Blur, 1-goodBlur, 1-fairBlur),
		Says: fmt.Sprintf("blur %.2f on a scale from 0, sharp, to 1", f.Blur), Next: "Hold the phone still on a tripod, focus on the lane before the start, and film in more light: the shutter is faster then."})
}

func light(f Facts) Check {
	c := Check{ID: "brightness", Name: "Light", State: Good, Says: fmt.Sprintf("mean brightness %.0f %%", 100*f.Brightness), Next: "Film with the sun behind you, or set the exposure on the athlete."}
	switch b := f.Brightness; {
	case b < darkest || b > brightest:
		c.State = Poor
	case b < dark || b > bright:
		c.State = Fair
	}
	return done(c)
}

// compression is bad only when it shows: a still, plain scene needs few bits.
func compression(f Facts) Check {
	c := Check{ID: "compression", Name: "Compression", State: Good, Says: fmt.Sprintf("%.3f bits a pixel", f.Bits), Next: "Copy the original file from the phone: messengers make films smaller and smear the feet."}
	switch {
	case f.Bits >= goodBits:
	case f.Blur < goodBlur:
		c.State, c.Says = Fair, c.Says+", little, though the picture is still sharp"
	default:
		c.State, c.Says = Poor, c.Says+", and the picture is not sharp"
	}
	return done(c)
}
