package clock_test

import (
	"fmt"

	"neokinema/core/clock"
)

// A clip that was filmed at 240 pictures a second and plays at 30: a contact from
// picture 60 to picture 84 lasts 24 pictures of real time.
func ExampleTimeline_Between() {
	pts := make([]int64, 100)
	for i := range pts {
		pts[i] = int64(i) // in 1/30 s of the file
	}
	film, err := clock.NewTimeline(pts, clock.TimeBase{Num: 1, Den: 30}, clock.Rate{Capture: 240, Playback: 30}, nil)
	if err != nil {
		fmt.Println(err)
		return
	}
	down, _ := film.Instant(60, clock.Contact)
	off, _ := film.Instant(84, clock.Contact)
	contact, u := film.Between(down, off)
	fmt.Printf("%.4f s ± %.4f\n", contact, 2*u)
	// Output: 0.1000 s ± 0.0048
}
