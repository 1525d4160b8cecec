package weights

import (
	_ "embed"

	"neokinema/core/pose"
)

//go:embed pose.json
var poseRules []byte

// Pose are the rules that make landmarks of a body model's points, learnt on the
// simulated athlete (go run ./test/landmarks -fit weights/pose.json).
var Pose = func() pose.Rules {
	rules, err := pose.ReadRules(poseRules)
	if err != nil {
		panic("weights: " + err.Error()) // it ships with the program
	}
	return rules
}()
