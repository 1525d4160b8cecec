package e2e

import (
	"testing"

	core "neokinema/core/playbook"
	"neokinema/playbook"
)

func book(t *testing.T) core.Event {
	t.Helper()
	books, err := playbook.Load()
	if err != nil {
		t.Fatal(err)
	}
	return books["sprint-start"]
}
