package coaching

import (
	"testing"

	"neokinema/core/breakdown"
	"neokinema/core/judge"
	"neokinema/core/measure"
	"neokinema/core/playbook"
	"neokinema/server/assemble"
	"neokinema/server/store"
)

// The picture of the focus comes first, the others follow in the order of the movement.
func TestTheFocusComesFirst(t *testing.T) {
	e := playbook.Event{Keys: []playbook.Key{{ID: "set", Name: "Set"}, {ID: "off", Name: "Off"}, {ID: "down", Name: "Down"}}}
	r := assemble.Reading{KeyTimes: []assemble.KeyTime{{KeyID: "down", Frame: 30}, {KeyID: "set", Frame: 10}, {KeyID: "off", Frame: 20}}}
	r.Findings = []judge.Finding{{Fault: "late", At: "down"}, {Fault: "low", At: "off"}}
	b := store.Bench{Breakdown: breakdown.Breakdown{Focuses: []breakdown.Focus{{Fault: "late"}}}}
	order := func() (out []string) {
		for _, p := range poses(e, b, r) {
			out = append(out, p.KeyID)
		}
		return out
	}
	if got := order(); len(got) != 3 || got[0] != "down" || got[1] != "set" || got[2] != "off" {
		t.Errorf("the pictures are %v", got)
	}
	b.Focuses = nil
	if got := order(); got[0] != "set" || got[2] != "down" {
		t.Errorf("without a focus they are %v", got)
	}
}

// What rests on points that nobody has confirmed stands in no report.
func TestWhatNobodyConfirmedIsNotReported(t *testing.T) {
	value := func(key string, unconfirmed bool) judge.Judged {
		return judge.Judged{Value: measure.Value{Key: key, Name: key, Unit: "deg", Value: 100, U: 2, Unconfirmed: unconfirmed}, Verdict: judge.In}
	}
	r := assemble.Reading{}
	r.Values = []judge.Judged{value("knee@set", false), value("hip@set", true)}
	var names []string
	said := false
	for _, block := range measures(playbook.Event{}, r) {
		if block.Gauge != nil {
			names = append(names, block.Gauge.Name)
		}
		said = said || block.Kind == "soft" && block.Text[0] == '1'
	}
	if len(names) != 1 || names[0] != "knee@set, " || !said {
		t.Errorf("the report shows %q, says how many are open: %v", names, said)
	}
}
