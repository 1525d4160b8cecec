package e2e

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"neokinema/core/body"
	"neokinema/demo"
	"neokinema/test/program"
)

// A club holds the points that are found on its own films against those that it placed.
func TestAClubComparesItsOwnFilms(t *testing.T) {
	t.Parallel()
	const name = "glide-early-open"
	models, err := filepath.Abs("../../models")
	if err != nil {
		t.Fatal(err)
	}
	film, err := demo.Clip(name)
	if err != nil {
		t.Fatal(err)
	}
	truth, err := demo.Truth(name)
	if err != nil {
		t.Fatal(err)
	}
	compare := func(points string) (string, error) {
		folder := t.TempDir()
		for file, data := range map[string][]byte{"throw.mp4": film, "throw.csv": []byte(points)} {
			if err := os.WriteFile(filepath.Join(folder, file), data, 0o644); err != nil {
				t.Fatal(err)
			}
		}
		cmd := exec.Command(program.Binary, "compare", folder, "-near", string(truth.Athlete.Side))
		cmd.Env = append(os.Environ(), "NEOKINEMA_MODELS="+models)
		var said bytes.Buffer
		cmd.Stderr = &said
		out, err := cmd.Output()
		return string(out) + said.String(), err
	}
	points := "picture,landmark,x,y\n"
	for i := 0; i < len(truth.Film); i += 12 {
		for _, l := range []body.Landmark{"vertex", "hip.L", "hip.R", "knee.L", "knee.R", "ankle.L", "ankle.R"} {
			at := truth.At(i, l)
			points += fmt.Sprintf("%d,%s,%.1f,%.1f\n", i, l, at.X, at.Y)
		}
	}
	table, err := compare(points)
	if err != nil {
		t.Fatal(err, table)
	}
	row := regexp.MustCompile(`\| knee, near \| (\d+) \| ([\d.]+) \|`).FindStringSubmatch(table)
	if row == nil || !strings.Contains(table, "| knee |") {
		t.Fatalf("no knee in the table:\n%s", table)
	}
	if n, _ := strconv.Atoi(row[1]); n < 10 {
		t.Errorf("%d near knees are compared", n)
	}
	if median, _ := strconv.ParseFloat(row[2], 64); median > 2 || median == 0 {
		t.Errorf("the near knee is off by %g %% of height", median)
	}
	for _, wrong := range []string{"0,tail,1,2\n", "0,knee.L,one,2\n1,knee.L,one,2\n", "0,knee.L,1\n"} {
		if said, err := compare(wrong); err == nil {
			t.Errorf("%q is taken: %s", wrong, said)
		} else if !strings.Contains(said, "throw.csv") {
			t.Errorf("%q: %s", wrong, said)
		}
	}
}
