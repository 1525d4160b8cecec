package e2e

import (
	"bufio"
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"
)

// binary is the program under test, built once, as it ships.
var binary string

func TestMain(m *testing.M) {
	os.Exit(func() int {
		dir, err := os.MkdirTemp("", "neokinema-e2e-")
		if err != nil {
			fmt.Fprintln(os.Stderr, err)
			return 1
		}
		defer os.RemoveAll(dir)
		defer func() { os.RemoveAll(template) }()
		if _, err := os.Stat("../../web/dist/index.html"); err != nil {
			fmt.Fprintln(os.Stderr, "the interface is not built: make build")
			return 1
		}
		binary = filepath.Join(dir, "neokinema")
		if out, err := exec.Command("go", "build", "-o", binary, "../../cmd/neokinema").CombinedOutput(); err != nil {
			fmt.Fprintf(os.Stderr, "%s\n%v\n", out, err)
			return 1
		}
		return m.Run()
	}())
}

// program is a running neokinema.
type program struct {
	base string
	cmd  *exec.Cmd
	said *bytes.Buffer
	done chan struct{}
}

// start runs the program on a data folder and waits until it says its address.
func start(t *testing.T, folder string, command string) *program {
	t.Helper()
	return startAt(t, "127.0.0.1:0", folder, command)
}

func startAt(t *testing.T, addr, folder, command string) *program {
	t.Helper()
	p := &program{cmd: exec.Command(binary, command, "-addr", addr, "-data", folder), said: &bytes.Buffer{}, done: make(chan struct{})}
	p.cmd.Env = append(os.Environ(), "NEOKINEMA_QUICK=1")
	out, err := p.cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	p.cmd.Stderr = p.said
	if err := p.cmd.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(p.stop)
	ready := make(chan string, 1)
	go func() {
		defer close(p.done)
		for lines := bufio.NewScanner(out); lines.Scan(); {
			if _, addr, ok := strings.Cut(lines.Text(), ": http://"); ok {
				ready <- "http://" + addr
			}
		}
	}()
	select {
	case p.base = <-ready:
	case <-p.done:
		t.Fatalf("the program ended: %s", p.said)
	case <-time.After(2 * time.Minute):
		t.Fatalf("the program is not ready after two minutes: %s", p.said)
	}
	return p
}

// stop ends the program as Ctrl-C does.
func (p *program) stop() {
	_ = p.cmd.Process.Signal(os.Interrupt)
	<-p.done
	_ = p.cmd.Wait()
}

// kill ends the program without a warning.
func (p *program) kill() {
	_ = p.cmd.Process.Signal(syscall.SIGKILL)
	<-p.done
	_ = p.cmd.Wait()
}

// folder is a place for a database that PostgreSQL's user may enter.
func folder(t *testing.T) string {
	t.Helper()
	dir, err := open("neokinema-e2e-data-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(dir) })
	return dir
}

// open makes a folder that everybody may enter.
func open(name string) (string, error) {
	dir, err := os.MkdirTemp("", name)
	if err != nil {
		return "", err
	}
	return dir, os.Chmod(dir, 0o755)
}

// club is a folder in which the demo club is loaded already: loaded once, then
// copied for each test.
func club(t *testing.T) string {
	t.Helper()
	loaded.Do(func() {
		var err error
		if template, err = open("neokinema-e2e-club-"); err != nil {
			t.Fatal(err)
		}
		start(t, template, "demo").stop()
	})
	dir := folder(t)
	if out, err := exec.Command("cp", "-a", template+"/.", dir).CombinedOutput(); err != nil {
		t.Fatalf("%v %s", err, out)
	}
	return dir
}

var (
	loaded   sync.Once
	template string
)
