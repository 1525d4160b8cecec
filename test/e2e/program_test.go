package e2e

import (
	"testing"

	"neokinema/test/program"
)

func TestMain(m *testing.M) { program.Main(m) }

// start runs the program on a data folder and waits until it says its address.
func start(t *testing.T, folder string, command string) *program.Program {
	t.Helper()
	return program.Start(t, folder, command)
}

func startAt(t *testing.T, addr, folder, command string) *program.Program {
	t.Helper()
	return program.StartAt(t, addr, folder, command)
}

func folder(t *testing.T) string { return program.Folder(t) }

func club(t *testing.T) string { return program.Club(t) }
