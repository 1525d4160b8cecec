package e2e

import (
	"strings"
	"testing"

	"neokinema/test/drive"
)

// A coach reads an event like a handbook, finds a fault, narrows a band for the
// club, sees an attempt judged by it, overrules a fault, and takes it all back.
func TestACoachReadsAndChangesThePlaybook(t *testing.T) {
	t.Parallel()
	p := start(t, club(t), "demo")
	c, err := drive.Sit(p.Base, 1280, 800)
	if err != nil {
		t.Fatal(err)
	}
	defer c.Leave()
	c.Go("/")
	c.Press("Come in as the demo coach")
	c.See("Today")
	c.Press("Playbook")
	c.Press("Sprint start")
	for _, says := range []string{"Schools", "Key positions", "Clean beside faulty", "What leads to what", "Faults, cues and drills", "Hand first, then feet.", "Set and hold with a strip of paper", "Hamstring or groin tightness ends the session"} {
		c.See(says)
	}
	c.Press("Hammer")
	c.See("Shoulders lead")
	c.See("the camera stands behind the net")
	c.Type("Search this playbook", "paint the widest")
	c.Wait(`() => !document.body.innerText.includes('Spinning out') && document.body.innerText.includes('Short winds')`)
	c.Press("Sprint start")
	c.Type("Search this playbook", "front knee")
	c.Press("88.0° to 105.0°")
	c.Type("Lower edge", "40")
	c.Type("Upper edge", "60.5")
	c.Type("Why", "shown in a test")
	c.Press("Keep")
	c.See("40.0° to 60.5°")

	c.OpenAttempt("Ilse Marrowby", "Judge")
	c.See("Front knee too open")
	c.Press("It is not there")
	c.Type("Why it is not there", "her long legs")
	c.Press("Say so")
	c.See("you say it is not there")
	c.Saved()
	c.Press("Take it back")
	c.Wait(`() => !document.body.innerText.includes('you say it is not there')`)
	c.Saved()

	c.Go("/playbook/sprint-start")
	c.See("For the whole club")
	if text := c.Text(); !strings.Contains(text, "shown in a test") {
		t.Errorf("the reason is not shown: %s", text)
	}
	c.Press("Write a change")
	c.Type("The change, as YAML", "bands: [{measure: ghost, band: {low: 1, class: C}}]")
	c.Press("Keep this change")
	c.See("is not a measure of Sprint start")
	c.Press("Not now")
	c.Press("Back to the shipped")
	c.See("88.0° to 105.0°")
	c.See("History, 2")
}
