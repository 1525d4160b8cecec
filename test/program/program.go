// Package program runs the program as it ships, for tests that deal with it from
// outside: on a data folder of its own, on loopback, killed or stopped.
package program

import (
	"bufio"
	"bytes"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"
)

// Binary is the program under test, built once by Main.
var Binary string

var (
	loaded   sync.Once
	template string
)

// Main builds the program and runs a package's tests. Call it from TestMain.
func Main(m *testing.M) {
	os.Exit(func() int {
		dir, err := os.MkdirTemp("", "neokinema-program-")
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
		Binary = filepath.Join(dir, "neokinema")
		if out, err := exec.Command("go", "build", "-o", Binary, "../../cmd/neokinema").CombinedOutput(); err != nil {
			fmt.Fprintf(os.Stderr, "%s\n%v\n", out, err)
			return 1
		}
		if flag.Parse(); !given("parallel") { // a browser and its program mostly wait for one another
			if err := flag.Set("test.parallel", "3"); err != nil {
				fmt.Fprintln(os.Stderr, err)
				return 1
			}
		}
		return m.Run()
	}())
}

// given reports whether the command line sets a flag of the tests.
func given(name string) (yes bool) {
	flag.Visit(func(f *flag.Flag) { yes = yes || f.Name == "test."+name })
	return yes
}

// Program is a running neokinema.
type Program struct {
	Base string // its address, as in http://127.0.0.1:4242
	Cmd  *exec.Cmd
	said *bytes.Buffer
	done chan struct{}
	once sync.Once
	err  error
}

// Start runs the program on a data folder and waits until it says its address.
func Start(t *testing.T, folder string, command string, args ...string) *Program {
	t.Helper()
	return StartAt(t, "127.0.0.1:0", folder, command, args...)
}

// StartWith runs it with more in its environment, as NAME=VALUE.
func StartWith(t *testing.T, env []string, folder string, command string) *Program {
	t.Helper()
	p, err := try(env, "127.0.0.1:0", folder, command)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { p.Stop() })
	return p
}

// StartAt runs it on an address.
func StartAt(t *testing.T, addr, folder, command string, args ...string) *Program {
	t.Helper()
	p, err := Try(addr, folder, command, args...)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { p.Stop() })
	return p
}

// Try runs it, or returns what it says instead of its address.
func Try(addr, folder, command string, args ...string) (*Program, error) {
	return try(nil, addr, folder, command, args...)
}

func try(env []string, addr, folder, command string, args ...string) (*Program, error) {
	p := &Program{Cmd: exec.Command(Binary, append([]string{command, "-addr", addr, "-data", folder}, args...)...), said: &bytes.Buffer{}, done: make(chan struct{})}
	p.Cmd.Env = append(append(os.Environ(), "NEOKINEMA_QUICK=1"), env...)
	out, err := p.Cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	p.Cmd.Stderr = p.said
	if err := p.Cmd.Start(); err != nil {
		return nil, err
	}
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
	case p.Base = <-ready:
		return p, nil
	case <-p.done:
		return nil, fmt.Errorf("the program ended: %w: %s", p.wait(), p.said)
	case <-time.After(2 * time.Minute):
		p.Kill()
		return nil, fmt.Errorf("the program is not ready after two minutes: %s", p.said)
	}
}

// wait waits for the program's end, once.
func (p *Program) wait() error {
	p.once.Do(func() {
		<-p.done
		p.err = p.Cmd.Wait()
	})
	return p.err
}

// Stop ends the program as Ctrl-C does, and tells how it ended.
func (p *Program) Stop() error {
	_ = p.Cmd.Process.Signal(os.Interrupt)
	return p.wait()
}

// Signal sends it something else.
func (p *Program) Signal(s os.Signal) error { return p.Cmd.Process.Signal(s) }

// Ended waits for its end by itself.
func (p *Program) Ended(within time.Duration) error {
	select {
	case <-p.done:
		return p.wait()
	case <-time.After(within):
		return fmt.Errorf("it still runs after %s", within)
	}
}

// Said is what it wrote to standard error. Ask after its end.
func (p *Program) Said() string { return p.said.String() }

// Kill ends the program without a warning.
func (p *Program) Kill() {
	_ = p.Cmd.Process.Signal(syscall.SIGKILL)
	_ = p.wait()
}

// Folder is a place for a database that PostgreSQL's user may enter.
func Folder(t *testing.T) string {
	t.Helper()
	dir, err := open("neokinema-data-")
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

// Club is a folder in which the demo club is loaded already: loaded once, then
// copied for each test.
func Club(t *testing.T) string {
	t.Helper()
	loaded.Do(func() {
		var err error
		if template, err = open("neokinema-club-"); err != nil {
			t.Fatal(err)
		}
		if err := Start(t, template, "demo").Stop(); err != nil {
			t.Fatal(err)
		}
	})
	dir := Folder(t)
	if out, err := exec.Command("cp", "-a", template+"/.", dir).CombinedOutput(); err != nil {
		t.Fatalf("%v %s", err, out)
	}
	return dir
}

// Postmaster is the process of a data folder's PostgreSQL.
func Postmaster(t *testing.T, data string) int {
	t.Helper()
	text, err := os.ReadFile(filepath.Join(data, "pg", "postmaster.pid"))
	if err != nil {
		t.Fatal(err)
	}
	line, _, _ := strings.Cut(string(text), "\n")
	pid, err := strconv.Atoi(line)
	if err != nil {
		t.Fatal(err)
	}
	return pid
}
