// Package judge goes from values to verdicts, faults, causes and a focus. It
// is deterministic, says its reasons, and leaves the decision to the coach.
package judge

import (
	"fmt"
	"math"
	"strings"

	"neokinema/core/playbook"
)

// Verdict is what a value says about a band.
type Verdict string

const (
	In       Verdict = "in"
	Near     Verdict = "near"
	Out      Verdict = "out"
	CantTell Verdict = "can't tell"
	NoBand   Verdict = "no band"
	Missing  Verdict = "missing"
)

// Of tests value ± 2u against a band: out when all of it lies outside, in when
// all of it lies inside, can't tell when the ± is too wide for the question,
// near when it straddles an edge. Step is what one frame alone changes, and
// resolve the ± that a one-sided limit needs; 0 where they do not apply.
func Of(value, u float64, b playbook.Band, resolve, step float64) Verdict {
	low, high := math.Inf(-1), math.Inf(1)
	if b.Low != nil {
		low = *b.Low
	}
	if b.High != nil {
		high = *b.High
	}
	from, to := value-2*u, value+2*u
	switch {
	case to < low || from > high:
		return Out
	case from >= low && to <= high:
		return In
	case b.Low != nil && b.High != nil && 4*u > high-low:
		return CantTell
	case (b.Low == nil || b.High == nil) && resolve > 0 && 2*u > resolve:
		return CantTell
	case step > 0 && (math.Abs(value-low) < step || math.Abs(value-high) < step):
		return CantTell
	}
	return Near
}

// Settles says what would settle a verdict that can't be told, in a sentence.
func Settles(u, step float64, unit string, b playbook.Band, resolve float64) string {
	want := resolve / 2
	if b.Low != nil && b.High != nil {
		want = (*b.High - *b.Low) / 4
	}
	if unit == "s" && step > 0 && u > 0 {
		if want > 0 && want < u {
			return fmt.Sprintf("a capture rate of %.0f pictures a second or more would settle it", math.Ceil(u/want/step))
		}
		return fmt.Sprintf("it lies within one picture of the edge: a capture rate above %.0f would settle it", math.Ceil(2/step))
	}
	if want > 0 {
		return fmt.Sprintf("± %s or less would settle it: fill the picture with the athlete, and place the landmarks again", format(2*want, unit))
	}
	return "a sharper picture would settle it"
}

func format(v float64, unit string) string {
	text := fmt.Sprintf("%.2f %s", v, unit)
	switch unit {
	case "deg":
		text = fmt.Sprintf("%.1f°", v)
	case "s":
		text = fmt.Sprintf("%.3f s", v)
	case "%":
		text = fmt.Sprintf("%.0f %%", v)
	}
	return strings.Replace(text, "-", "−", 1)
}

// Text is a band in words: "88–105°", "160° or more".
func Text(b playbook.Band, unit string) string {
	num := func(v float64) string {
		text := fmt.Sprintf("%.2f", v)
		if unit == "deg" || unit == "%" {
			text = fmt.Sprintf("%.0f", v)
		}
		return strings.Replace(text, "-", "−", 1)
	}
	sign := map[string]string{"deg": "°", "%": " %", "s": " s", "m": " m", "m/s": " m/s"}[unit]
	switch {
	case b.Low != nil && b.High != nil && *b.Low < 0:
		return num(*b.Low) + " to " + num(*b.High) + sign
	case b.Low != nil && b.High != nil:
		return num(*b.Low) + "–" + num(*b.High) + sign
	case b.Low != nil:
		return num(*b.Low) + sign + " or more"
	case b.High != nil:
		return num(*b.High) + sign + " or less"
	}
	return ""
}
