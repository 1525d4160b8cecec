// Package weights holds the networks that come with the program, taught on the
// simulated athlete (make teach).
package weights

import (
	_ "embed"
	"fmt"

	"neokinema/core/footfall"
)

//go:embed stand.net
var stand []byte

//go:embed fly.net
var fly []byte

// Shipped are they.
func Shipped() (footfall.Nets, error) {
	s, err := footfall.Decode(stand)
	if err != nil {
		return footfall.Nets{}, fmt.Errorf("the weights for standing feet: %w", err)
	}
	f, err := footfall.Decode(fly)
	if err != nil {
		return footfall.Nets{}, fmt.Errorf("the weights for flying implements: %w", err)
	}
	return footfall.Nets{Stands: s, Flies: f}, nil
}
