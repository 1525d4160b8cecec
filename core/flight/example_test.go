package flight_test

import (
	"fmt"

	"neokinema/core/flight"
)

// A shot of 7.26 kg that leaves with 13 m/s at 37°, 2.1 m high, in still air.
func ExampleFly() {
	path, err := flight.Fly(flight.Shot(7.26), flight.Release{Speed: 13, Angle: 37, Height: 2.1}, flight.Air{Density: flight.Density})
	if err != nil {
		fmt.Println(err)
		return
	}
	fmt.Printf("%.1f m in %.1f s; without air %.1f m\n", path.Distance, path.Time, flight.Range(13, 37, 2.1))
	// Output: 18.9 m in 1.8 s; without air 19.0 m
}
