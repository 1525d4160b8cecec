package architecture

import (
	"fmt"
	"math"
)

// contrast is the ratio of two colours by the Web Content Accessibility
// Guidelines 2.1, from memory.
func contrast(a, b string) float64 {
	la, lb := luminance(a), luminance(b)
	return (math.Max(la, lb) + 0.05) / (math.Min(la, lb) + 0.05)
}

func luminance(hex string) float64 {
	var c [3]int
	fmt.Sscanf(hex, "#%02X%02X%02X", &c[0], &c[1], &c[2])
	var sum float64
	for i, weight := range []float64{0.2126, 0.7152, 0.0722} {
		v := float64(c[i]) / 255
		if v <= 0.04045 {
			v /= 12.92
		} else {
			v = math.Pow((v+0.055)/1.055, 2.4)
		}
		sum += weight * v
	}
	return sum
}
