package assemble

import (
	"fmt"

	"neokinema/core/judge"
	"neokinema/core/measure"
	"neokinema/server/store"
)

// Links are what goes with farther marks over an athlete's attempts, of the
// values that the event's coaches read.
func Links(attempts []store.ResultReading) []judge.Correlation {
	var out []judge.RatedAttempt
	for _, a := range attempts {
		m := judge.RatedAttempt{Name: fmt.Sprintf("%s, no. %d", a.Day.Format("2 January 2006"), a.Number), Mark: float64(a.Mark)}
		values := known(a.Reading)
		for _, v := range values {
			m.Values = append(m.Values, measure.Value{Key: v.Key, Name: v.Name, KeyID: v.KeyID, Value: v.Value, U: v.U})
		}
		out = append(out, m)
	}
	return judge.Correlations(out)
}
