// Command proof gathers the evidence that takes too long for every test run,
// and writes it down:
//
//	go run ./test/proof docs/proof.md
package main

import (
	"fmt"
	"log"
	"os"
	"os/exec"
	"regexp"
	"strings"
	"time"
)

// evidence is one run of tests, and which of its lines tell what was found.
type evidence struct {
	what string
	env  string
	args []string
	says *regexp.Regexp
}

var all = []evidence{
	{"The program, its ffmpeg or its PostgreSQL killed at random instants of upload, decoding and edit: nothing acknowledged is lost, nothing stays behind", "NEOKINEMA_KILLS=100",
		[]string{"-timeout", "90m", "-v", "-run", "KilledAtRandomInstants", "./test/e2e"}, regexp.MustCompile(`\d+ kills .*`)},
	{"Attacks from outside: a full disk, two programs on one folder, a copied folder, a killed database, a stop during an upload, erased people searched for on the disk", "NEOKINEMA_LONG=1",
		[]string{"-timeout", "30m", "-v", "./test/attack"}, regexp.MustCompile(`--- PASS: (\S+)`)},
	{"Attacks by what is sent: numbers, texts, ids, playbook changes, strangers at the door, tokens", "", []string{"-v", "-run", "Edge|LetIn|IdsAre|Texts|NoLonger|SessionsBelong|LongCue|Strangers|HalfSent|TokensMay|DemosDoor|Proxies", "./server/api"}, regexp.MustCompile(`--- PASS: (\S+)`)},
	{"Films that lead elsewhere, are damaged, or whose ffmpeg is ended", "", []string{"-v", "-run", "Lead|Condition|Verdict|Plain|NoFilm", "./server/media"}, regexp.MustCompile(`--- PASS: (\S+)`)},
	{"Damaged, foreign and hostile backups", "", []string{"-v", "./server/backup"}, regexp.MustCompile(`--- PASS: (\S+)`)},
	{"Every container and codec, variable rate, edit lists, rotation, trims: the stamps are those that ffprobe reports", "",
		[]string{"-v", "-run", "Containers|Variable|EditLists|Trimming|Rotated|Sound|Truncated|Tracks", "./server/media"}, regexp.MustCompile(`--- PASS: (\S+)`)},
	{"The truth lies inside ± 2u", "", []string{"-v", "-run", "Coverage|Repeatability|FreeFall", "./test/truth", "./core/optics", "./core/clock"}, regexp.MustCompile(`\S+: [\d.]+ % of \d+ inside.*|--- PASS: (\S+)`)},
	{"What ffprobe prints, however odd", "", []string{"-run", "xxx", "-fuzz", "FuzzStamps", "-fuzztime", "60s", "./server/media"}, regexp.MustCompile(`elapsed: 1m.*execs: \d+`)},
	{"Streams of pictures, however cut", "", []string{"-run", "xxx", "-fuzz", "FuzzSplit", "-fuzztime", "60s", "./server/media"}, regexp.MustCompile(`elapsed: 1m.*execs: \d+`)},
	{"Grounds, however marked", "", []string{"-run", "xxx", "-fuzz", "FuzzGround", "-fuzztime", "30s", "./core/optics"}, regexp.MustCompile(`elapsed: 30s.*execs: \d+`)},
	{"Points of two views, however seen", "", []string{"-run", "xxx", "-fuzz", "FuzzTriangulate", "-fuzztime", "30s", "./core/optics"}, regexp.MustCompile(`elapsed: 30s.*execs: \d+`)},
	{"Orbits, however followed", "", []string{"-run", "xxx", "-fuzz", "FuzzOrbit", "-fuzztime", "30s", "./core/orbit"}, regexp.MustCompile(`elapsed: 30s.*execs: \d+`)},
	{"Curves, however sampled", "", []string{"-run", "xxx", "-fuzz", "FuzzSmooth", "-fuzztime", "30s", "./core/signal"}, regexp.MustCompile(`elapsed: 30s.*execs: \d+`)},
	{"A backup put back is identical", "", []string{"-v", "-run", "RestoredBackup", "./test/e2e"}, regexp.MustCompile(`--- PASS: (\S+)`)},
	{"The core and the server alone", "", []string{"-run", "xxx", "-bench", ".", "./core/...", "./server/..."}, regexp.MustCompile(`Benchmark\S+\s+\d+\s+\d.*`)},
}

func main() {
	if len(os.Args) != 2 {
		log.Fatal("say the file to write: proof docs/proof.md")
	}
	commit, err := exec.Command("git", "rev-parse", "--short", "HEAD").Output()
	if err != nil {
		log.Fatal(err)
	}
	var out strings.Builder
	fmt.Fprintf(&out, "# The long evidence\n\nMade by `make proof` on %s, at commit %s. Speed is in [performance.md](performance.md).\n", time.Now().Format("2 January 2006"), strings.TrimSpace(string(commit)))
	failed := 0
	for _, e := range all {
		fmt.Println(e.what)
		cmd := exec.Command("go", append([]string{"test", "-count=1"}, e.args...)...)
		cmd.Env = os.Environ()
		if e.env != "" {
			cmd.Env = append(cmd.Env, e.env)
		}
		text, err := cmd.CombinedOutput()
		state := "passed"
		if err != nil {
			failed++
			state = "**failed**"
			fmt.Printf("%s\n", text)
		}
		fmt.Fprintf(&out, "\n## %s\n\n`%s`: %s\n\n```\n", e.what, strings.TrimSpace(e.env+" go test "+strings.Join(e.args, " ")), state)
		for _, line := range strings.Split(string(text), "\n") {
			if m := e.says.FindString(line); m != "" {
				out.WriteString(strings.TrimSpace(m) + "\n")
			}
		}
		out.WriteString("```\n")
	}
	if err := os.WriteFile(os.Args[1], []byte(out.String()), 0o644); err != nil {
		log.Fatal(err)
	}
	if failed > 0 {
		log.Fatalf("%d of %d failed", failed, len(all))
	}
}
