// Package result reads and writes what an attempt was worth, as the sport does:
// a distance, a height or a time.
package result

import (
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"
)

// Kind is what a mark counts.
type Kind string

const (
	Distance Kind = "distance" // in m, rounded down to the centimetre
	Height   Kind = "height"   // in m, in whole centimetres
	Time     Kind = "time"     // in s, rounded up to the hundredth
)

// Result is in hundredths of a metre or of a second.
type Result int

// inch is a length, m.
const inch = 0.0254

var (
	decimal = regexp.MustCompile(`^(\d{1,3})(?:[.,](\d{1,3}))?\s*(m|s)?$`)
	minutes = regexp.MustCompile(`^(\d{1,2}):([0-5]?\d)(?:[.,](\d{1,3}))?$`)
	feet    = regexp.MustCompile(`^(\d{1,3})(?:'|′|\s*ft|-)\s*(?:(\d{1,2})(?:[.,](\d{1,2}))?\s*([¼½¾]|[13]/[24])?\s*(?:"|″|in)?)?$`)
)

var fractions = map[string]float64{"": 0, "¼": 0.25, "½": 0.5, "¾": 0.75, "1/4": 0.25, "1/2": 0.5, "3/4": 0.75, "3/2": 1.5}

// Parse reads a mark as a coach writes it: 61.25, 61,25 m, 200' 11¼", 200-11.25,
// 11.42, 1:02.3. A length finer than a centimetre is rounded down, a time finer
// than a hundredth up, as the rules have it (World Athletics Technical Rules,
// from memory).
func Parse(text string, kind Kind) (Result, error) {
	s := strings.TrimSpace(text)
	bad := func() (Result, error) {
		like := "61.25 or 200' 11¼\""
		switch kind {
		case Height:
			like = "2.05 or 6' 8¾\""
		case Time:
			like = "11.42 or 1:02.30"
		}
		return 0, fmt.Errorf("%q is not a %s: write it as in %s", text, kind, like)
	}
	if m := decimal.FindStringSubmatch(s); m != nil {
		if m[3] == "m" && kind == Time || m[3] == "s" && kind != Time {
			return bad()
		}
		return hundredths(m[1], m[2], kind == Time), nil
	}
	if m := minutes.FindStringSubmatch(s); m != nil && kind == Time {
		whole, _ := strconv.Atoi(m[1])
		return Result(6000*whole) + hundredths(m[2], m[3], true), nil
	}
	if m := feet.FindStringSubmatch(s); m != nil && kind != Time {
		whole, _ := strconv.ParseFloat(m[1], 64)
		in, _ := strconv.ParseFloat("0"+m[2]+"."+m[3]+"0", 64)
		in += fractions[m[4]]
		if in >= 12 || m[3] != "" && m[4] != "" || m[4] == "3/2" {
			return bad()
		}
		return Result(math.Floor(100*inch*(12*whole+in) + 1e-9)), nil
	}
	return bad()
}

// hundredths of digits before and after the point; what is finer is cut off, or
// counts as one more.
func hundredths(whole, part string, up bool) Result {
	n, _ := strconv.Atoi(whole)
	finer := ""
	if len(part) > 2 {
		part, finer = part[:2], part[2:]
	}
	p, _ := strconv.Atoi((part + "00")[:2])
	m := Result(100*n + p)
	if up && strings.Trim(finer, "0") != "" {
		m++
	}
	return m
}

// Format writes a mark: 61.25 m, 11.42 s, 1:02.30.
func (m Result) Format(kind Kind) string {
	switch {
	case kind != Time:
		return fmt.Sprintf("%d.%02d m", m/100, m%100)
	case m >= 6000:
		return fmt.Sprintf("%d:%02d.%02d", m/6000, m/100%60, m%100)
	}
	return fmt.Sprintf("%d.%02d s", m/100, m%100)
}

// Imperial writes a length in feet and inches, rounded down to the quarter inch:
// 200' 11¼".
func (m Result) Imperial() string {
	quarters := int(math.Floor(float64(m)/100/inch*4 + 1e-6))
	return fmt.Sprintf("%d' %d%s\"", quarters/48, quarters%48/4, []string{"", "¼", "½", "¾"}[quarters%4])
}
