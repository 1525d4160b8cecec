package judge

import (
	"strings"
	"testing"

	"neokinema/core/measure"
)

// What gives most for its effort comes first; what no work on this film helps is
// told apart, with the film that would show it.
func TestTheCheapestRemedyComesFirst(t *testing.T) {
	lacks := func(name string, missing ...measure.Missing) Judged {
		return Judged{Value: measure.Value{Name: name, Missing: missing}}
	}
	stamp := measure.Missing{Kind: "stamp", What: "stamp catch", ID: "catch"}
	knee := measure.Missing{Kind: "landmark", What: "place the left knee at catch", ID: "knee"}
	follow := measure.Missing{Kind: "path", What: "follow the ball", ID: "ball"}
	view := measure.Missing{Kind: "view", What: "this is seen from behind", ID: "side"}
	gone := measure.Missing{Kind: "stamp", What: "stamp entry", ID: "entry"}
	here, elsewhere := Lacking([]Judged{
		lacks("A", stamp), lacks("B", stamp), lacks("C", stamp, knee), lacks("D", follow), lacks("E", view, knee), lacks("F", gone, knee), {Value: measure.Value{Name: "G"}},
	}, []string{"entry"})
	says := func(list []Remedy) string {
		var out []string
		for _, r := range list {
			out = append(out, r.Says)
		}
		return strings.Join(out, "; ")
	}
	if got := says(here); got != "stamp catch; follow the ball; place the left knee at catch" {
		t.Errorf("on this film: %s", got)
	}
	if got := says(elsewhere); got != "entry is not in this film; this is seen from behind" {
		t.Errorf("never from it: %s", got)
	}
	if here[0].Values != 3 || here[0].Alone != 2 {
		t.Errorf("the stamp: %+v", here[0])
	}
}
