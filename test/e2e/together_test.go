package e2e

import (
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"

	"neokinema/test/drive"
)

func sit(t *testing.T, base string) *drive.Coach {
	t.Helper()
	c, err := drive.Sit(base, 1280, 800)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(c.Leave)
	c.Press("Come in as the demo coach")
	c.See("Today")
	return c
}

// Two windows on one attempt: the later change is not lost and overwrites
// nothing; the coach is asked. And a server that is away for a while gets what
// was done meanwhile, once.
func TestTwoWindowsAndAServerThatWasAway(t *testing.T) {
	t.Parallel()
	data := club(t)
	p := start(t, data, "demo")
	one, two := sit(t, p.Base), sit(t, p.Base)
	for _, c := range []*drive.Coach{one, two} {
		c.Press("Anselm Tarrant-Vey")
		c.Press("Split")
		c.See("0 of 14 stamped")
	}
	one.StepTo(5)
	one.Key(input.KeyF)
	one.Saved()
	two.StepTo(9)
	two.Key(input.KeyG, input.KeyM)
	two.See("Changed elsewhere meanwhile")
	two.Press("Take theirs, make mine again")
	two.Saved()
	two.See("2 of 14 stamped")

	p.Kill()
	two.StepTo(12)
	two.Key(input.KeyG, input.KeyL)
	two.See("No connection: will be sent again")
	two.See("3 of 14 stamped")
	startAt(t, strings.TrimPrefix(p.Base, "http://"), data, "demo")
	two.Saved()
	two.Page.MustReload().MustWaitLoad()
	two.See("3 of 14 stamped")

	two.Press("Undo")
	two.See("2 of 14 stamped")
	two.Press("Redo")
	two.See("3 of 14 stamped")
}

// A film that says nothing of its capture rate is not split before the coach
// has said it.
func TestUnknownCaptureRateIsAsked(t *testing.T) {
	t.Parallel()
	p := start(t, club(t), "demo")
	c := sit(t, p.Base)
	film := filepath.Join(t.TempDir(), "plain.mp4")
	if out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc2=size=640x360:rate=30:duration=1", "-pix_fmt", "yuv420p", film).CombinedOutput(); err != nil {
		t.Fatalf("%s %v", out, err)
	}
	c.Press("New attempt")
	c.Press("Log it")
	c.See("Drop the film of this attempt here")
	c.Page.MustElement("input[type=file]").MustSetFiles(film)
	c.Press("Take all of it")
	c.See("At how many pictures a second was this filmed?")
	c.Press("Split")
	c.See("At how many pictures a second was this filmed?")
	c.Press("60")
	c.See("0 of 14 stamped")
	c.Press("Watch")
	c.See("60 pictures/s chosen by you")
	c.See("this event asks for 120 or more")
	c.Press("Undo")
	c.See("At how many pictures a second was this filmed?")
}
