// Package demo is the club that ships for trying things out: invented people,
// and clips that the simulated athlete and camera made.
package demo

import (
	"embed"
	"encoding/json"

	"neokinema/core/body"
	"neokinema/core/sim"
)

//go:embed all:clips
var clips embed.FS

// Dress is how the simulated athlete looks.
type Dress struct {
	Skin  string `json:"skin"`
	Hair  string `json:"hair"`
	Vest  string `json:"vest"`
	Short string `json:"shorts"`
	Shoes string `json:"shoes"`
	Bun   bool   `json:"bun"`
}

// Scenario is one clip of the simulated athlete and camera.
type Scenario struct {
	Name    string
	Athlete sim.Athlete
	Start   sim.Start
	Faults  map[string]float64 // strength as injected
	Dress   Dress
}

// Scenarios are the clips that ship.
func Scenarios() []Scenario {
	return []Scenario{
		{
			Name:    "start-clean",
			Athlete: sim.Athlete{HeightM: 1.72, Sex: body.Woman, Front: body.Left},
			Start:   sim.CleanStart(),
			Faults:  map[string]float64{},
			Dress:   Dress{Skin: "#8a5a3c", Hair: "#1d1513", Vest: "#d9a520", Short: "#1e2a44", Shoes: "#c8452d", Bun: true},
		},
		{
			Name:    "start-open-knee-late-arm",
			Athlete: sim.Athlete{HeightM: 1.80, Sex: body.Man, Front: body.Right},
			Start:   sim.CleanStart().OpenKnee().LateArm(),
			Faults:  map[string]float64{"front-knee-open": 0.92, "late-lead-arm": 0.8},
			Dress:   Dress{Skin: "#c58c68", Hair: "#5a3a22", Vest: "#49a79d", Short: "#20242b", Shoes: "#e5ddca"},
		},
	}
}

// CaptureRate and PlaybackRate of the simulated phone's slow motion.
const (
	CaptureRate  = 240.0
	PlaybackRate = 30.0
)

// Film simulates a scenario and films it.
func (s Scenario) Film() (sim.Truth, error) {
	m, err := sim.NewStart(s.Athlete, s.Start)
	if err != nil {
		return sim.Truth{}, err
	}
	c := sim.SideCamera(s.Athlete.Front, 1.5, 1.0, 16, 5.7)
	return sim.Film(m, c, CaptureRate, PlaybackRate, s.Faults), nil
}

// Clip is a shipped clip's file.
func Clip(name string) ([]byte, error) { return clips.ReadFile("clips/" + name + ".mp4") }

// Truth is what is known of a shipped clip.
func Truth(name string) (sim.Truth, error) {
	var t sim.Truth
	data, err := clips.ReadFile("clips/" + name + ".truth.json")
	if err != nil {
		return t, err
	}
	return t, json.Unmarshal(data, &t)
}
