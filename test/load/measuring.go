package main

import (
	"errors"
	"fmt"
	"os"
	"os/exec"
	"regexp"
	"strings"
	"time"
)

// Where the table of measuring times stands on the page.
const (
	measuringBegins = "## Measuring an attempt\n"
	measuringEnds   = "\nThe core alone:"
)

// benched is one line of the benchmark: event, pictures a second, nanoseconds.
var benched = regexp.MustCompile(`BenchmarkMeasuring/([a-z-]+)/(\d+)-\d+\s+\d+\s+(\d+) ns/op`)

// measuring runs the benchmark of measuring for every event, and makes its table.
func measuring() (string, error) {
	out, err := exec.Command("go", "test", "-run", "^$", "-bench", "Measuring", "-benchtime", "20x", "./test/truth").CombinedOutput()
	if err != nil {
		return "", fmt.Errorf("%w: %s", err, out)
	}
	took, order := map[string]map[string]float64{}, []string{}
	for _, m := range benched.FindAllStringSubmatch(string(out), -1) {
		if took[m[1]] == nil {
			took[m[1]] = map[string]float64{}
			order = append(order, m[1])
		}
		var ns float64
		fmt.Sscan(m[3], &ns)
		took[m[1]][m[2]] = ns / 1e6
	}
	if len(order) == 0 {
		return "", errors.New("the benchmark says nothing")
	}
	var table strings.Builder
	fmt.Fprintf(&table, "%s\nAll measures of one usual film of every event, every path followed: `go test -run ^$ -bench Measuring ./test/truth`, %s. Wanted: 20 ms at 120 pictures a second, 40 at 240.\n\n| event | 120, ms | 240, ms | |\n|---|---|---|---|\n", measuringBegins, time.Now().Format("2 January 2006"))
	for _, event := range order {
		a, b := took[event]["120"], took[event]["240"]
		fmt.Fprintf(&table, "| %s | %.1f | %.1f | %s |\n", event, a, b, map[bool]string{true: "met", false: "**not met**"}[a <= 20 && b <= 40])
	}
	return table.String(), nil
}

// putMeasuring writes the table into the page, in the place of the one before.
func putMeasuring(path string) error {
	table, err := measuring()
	if err != nil {
		return err
	}
	page, err := os.ReadFile(path)
	if err != nil {
		return err
	}
	before, after, found := strings.Cut(string(page), measuringEnds)
	if !found {
		return fmt.Errorf("%s does not end as it did", path)
	}
	before, _, _ = strings.Cut(before, measuringBegins)
	return os.WriteFile(path, []byte(strings.TrimRight(before, "\n")+"\n\n"+table+measuringEnds+after), 0o644)
}
