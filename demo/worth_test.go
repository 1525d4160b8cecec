package demo

import (
	"testing"

	"neokinema/playbook"
)

// The clips lead to marks that club athletes reach.
func TestTheClipsAreWorthSomething(t *testing.T) {
	books, err := playbook.Load()
	if err != nil {
		t.Fatal(err)
	}
	usual := map[string][2]int{"hammer": {3500, 8000}, "weight": {1000, 2400}, "shot-glide": {900, 2100}, "shot-rotational": {1000, 2100}, "javelin": {3000, 8500}, "long-jump": {450, 820}, "high-jump": {140, 225}}
	marked := map[string]bool{}
	for _, s := range Scenarios() {
		truth, err := s.Simulate()
		if err != nil {
			t.Fatal(err)
		}
		book := books[s.Movement.Event]
		says := resultText(book, truth)
		if says == "" {
			continue
		}
		m, err := book.Mark.Of(says)
		marked[book.ID] = true
		if between := usual[book.ID]; err != nil || int(m) < between[0] || int(m) > between[1] {
			t.Errorf("%s is worth %q: %v", s.Name, says, err)
		}
	}
	if len(marked) != len(usual) {
		t.Errorf("marks of %v", marked)
	}
}
