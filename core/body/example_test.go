package body_test

import (
	"fmt"

	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/body"
)

// The knee's angle, x ahead and y up: a straight leg has 180°.
func ExampleIncluded() {
	hip, knee, ankle := r2.Vec{X: 0, Y: 0.9}, r2.Vec{X: 0, Y: 0.5}, r2.Vec{X: 0.4, Y: 0.5}
	fmt.Printf("%.0f°\n", body.Included(hip, knee, ankle))
	// Output: 90°
}

// The roles of a start name the landmarks of an athlete with the left leg in front.
func ExampleRoles_Landmark() {
	knee, err := body.Start(body.Left).Landmark("rear.knee")
	fmt.Println(knee, err)
	// Output: knee.R <nil>
}
