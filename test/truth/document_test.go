package truth

import (
	"bytes"
	"fmt"
	"math"
	"os"
	"slices"
	"strings"
	"testing"
	"text/template"

	"neokinema/core/body"
	"neokinema/core/measure"
	core "neokinema/core/playbook"
	"neokinema/core/sim"
)

type documented struct {
	Name string
	Rows []row
}

type row struct{ ID, What, Where, Views, Unit, Needs, U, Target string }

// docs/measures.md says what the playbook and the registry say:
// NEOKINEMA_DOCUMENTS=1 writes it anew.
func TestTheMeasuresAreDocumented(t *testing.T) {
	books := shipped(t)
	sheets := map[string][]*measure.Recording{}
	for _, k := range takes(t, 2, 120, 0) {
		sheets[k.want.Event] = append(sheets[k.want.Event], hand{}.lay(t, k))
	}
	for _, k := range pairs(t, 2, 120) {
		sheets[k.first.want.Event] = append(sheets[k.first.want.Event], k.lay(t, hand{}))
	}
	a := sim.Athlete{HeightM: 1.80, Sex: body.Man, Side: body.Right}
	for _, near := range []body.Side{body.Right, body.Left} {
		f := film(t, sim.Request{Athlete: a}, near, 240)
		sheets["sprint-start"] = append(sheets["sprint-start"], hand{}.sheet(t, books["sprint-start"], f, a, near))
	}
	var events []documented
	for _, id := range sim.Events() {
		e := books[id]
		d := documented{Name: e.Name}
		for _, m := range e.Measures {
			d.Rows = append(d.Rows, document(e, m, sheets[id]))
		}
		events = append(events, d)
	}
	tmpl, err := template.ParseFiles("testdata/measures.tmpl")
	if err != nil {
		t.Fatal(err)
	}
	var out bytes.Buffer
	if err := tmpl.Execute(&out, events); err != nil {
		t.Fatal(err)
	}
	const path = "../../docs/measures.md"
	if os.Getenv("NEOKINEMA_DOCUMENTS") != "" {
		if err := os.WriteFile(path, out.Bytes(), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	if is, err := os.ReadFile(path); err != nil || !bytes.Equal(is, out.Bytes()) {
		t.Errorf("docs/measures.md is stale (%v): make documents", err)
	}
}

func document(e core.Event, m core.Measure, sheets []*measure.Recording) row {
	r := row{ID: m.ID, What: m.Name, Unit: m.Unit, Views: "any", Needs: "stamps", U: "not yet"}
	if m.Kind != "" {
		r.What += ": " + measure.Formula(m.Kind)
		if m.Base != "" {
			r.What += ", % of the " + m.Base
		}
	}
	if m.Note != "" {
		r.What += ". " + strings.TrimSuffix(m.Note, ".")
	}
	r.Where = list(m.At, 4)
	if len(m.Views) > 0 {
		r.Views = strings.Join(m.Views, ", ")
		r.Views = strings.Replace(r.Views, measure.Pair, "two films", 1)
		r.Views = strings.Replace(r.Views, measure.Known, "one with known points", 1)
	}
	if len(m.Points) > 0 {
		r.Needs = strings.Join(m.Points, ", ")
	}
	var targets []string
	for _, b := range m.Bands {
		targets = append(targets, target(b))
	}
	r.Target = list(targets, 3)
	if m.Kind == "" {
		r.Needs = "—"
		return r
	}
	if measure.NeedsPath(m.Kind) {
		r.Needs = strings.TrimPrefix(strings.Join(m.Points, ", ")+", followed over pictures", ", ")
	}
	r.U = "not in these views"
	var us []float64
	parts := map[string]float64{}
	for _, s := range sheets {
		own, ok := s.Event.Measure(m.ID)
		if !ok {
			continue
		}
		for _, keyID := range measure.KeysOf(own) {
			v := measure.EvaluateOne(s, own, keyID)
			if !v.Known() {
				if v.Missing[0].Kind == "rate" {
					r.U = "needs more pictures a second than 120"
				}
				continue
			}
			us = append(us, 2*v.U)
			for _, p := range v.Parts {
				name, _, _ := strings.Cut(p.Name, " at ")
				if strings.HasPrefix(name, "stamp of") {
					name = "stamps"
				}
				parts[name] += p.U * p.U
			}
		}
	}
	if len(us) == 0 {
		return r
	}
	slices.Sort(us)
	names := make([]string, 0, len(parts))
	for name := range parts {
		names = append(names, name)
	}
	slices.SortFunc(names, func(a, b string) int {
		if parts[a] != parts[b] {
			return map[bool]int{true: -1, false: 1}[parts[a] > parts[b]]
		}
		return strings.Compare(a, b)
	})
	r.U = fmt.Sprintf("%.2g: %s", us[len(us)/2], list(names, 3))
	return r
}

// list joins what there is, up to most of it.
func list(of []string, most int) string {
	if len(of) > most {
		return strings.Join(of[:most], ", ") + " …"
	}
	return strings.Join(of, ", ")
}

// target is a band in words.
func target(b core.Band) string {
	low, high := math.Inf(-1), math.Inf(1)
	if b.Low != nil {
		low = *b.Low
	}
	if b.High != nil {
		high = *b.High
	}
	if len(b.Aim) == 2 {
		low, high = b.Aim[0], b.Aim[1]
	}
	var out string
	switch {
	case math.IsInf(low, -1):
		out = fmt.Sprintf("≤ %g", high)
	case math.IsInf(high, 1):
		out = fmt.Sprintf("≥ %g", low)
	default:
		out = fmt.Sprintf("%g to %g", low, high)
	}
	for _, of := range []string{b.At, b.Level, b.Sex, b.School} {
		if of != "" {
			out += " " + of
		}
	}
	out += " [" + string(b.Class) + "]"
	if b.Source != "" {
		out += " " + b.Source
	}
	return out
}
