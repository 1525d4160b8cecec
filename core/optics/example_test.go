package optics_test

import (
	"fmt"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/optics"
)

// A rod of 2 m covers 400 px: the plane has 200 px a metre, y up.
func ExampleCalibration_Plane() {
	c := optics.Calibration{Rightward: true, MarkU: 2, Scale: &optics.Scale{Line: optics.Line{A: r2.Vec{X: 100, Y: 600}, B: r2.Vec{X: 500, Y: 600}}, Metres: 2}}
	plane, err := c.Plane()
	if err != nil {
		fmt.Println(err)
		return
	}
	a, b := plane.Map(r2.Vec{X: 100, Y: 600}), plane.Map(r2.Vec{X: 200, Y: 500})
	fmt.Printf("%.0f px a metre; %.2f m ahead, %.2f m up\n", plane.PxPerM, (b.X-a.X)/plane.PxPerM, (b.Y-a.Y)/plane.PxPerM)
	// Output: 200 px a metre; 0.50 m ahead, 0.50 m up
}
