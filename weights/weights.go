// Package weights holds the networks that come with the program, taught on the
// simulated athlete (make train).
package weights

import (
	_ "embed"
	"fmt"

	"neokinema/core/footfall"
)

//go:embed stand.bin
var stand []byte

//go:embed fly.bin
var fly []byte

// Load are they.
func Load() (footfall.Models, error) {
	s, err := footfall.Decode(stand)
	if err != nil {
		return footfall.Models{}, fmt.Errorf("the weights for standing feet: %w", err)
	}
	f, err := footfall.Decode(fly)
	if err != nil {
		return footfall.Models{}, fmt.Errorf("the weights for flying implements: %w", err)
	}
	return footfall.Models{Stands: s, Flies: f}, nil
}
