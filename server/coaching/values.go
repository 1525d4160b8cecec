package coaching

import (
	"context"
	"encoding/json"
	"strings"
	"time"

	"github.com/google/uuid"

	"neokinema/core/coach"
	"neokinema/core/judge"
	"neokinema/core/playbook"
	"neokinema/server/store"
)

// measureOf says what a value's key means in an event written out in its variant.
func measureOf(e playbook.Event, key string) (name, keyID, unit string, ok bool) {
	id, at, _ := strings.Cut(key, "@")
	m, ok := e.Measure(id)
	if !ok {
		return "", "", "", false
	}
	k, ok := e.Key(at)
	return m.Name, k.Name, m.Unit, ok
}

// measuresOver are measures over an athlete's attempts, gathered in two queries.
type measuresOver struct {
	playbooks map[string]playbook.Event
	points    map[store.EventKey][]store.ValuePoint
	latest    map[uuid.UUID]store.EarlierReading // of the last attempt of each
}

// measuresOver gathers them.
func (s Service) measuresOver(ctx context.Context, viewer, athlete uuid.UUID, of []store.EventKey) (measuresOver, error) {
	out := measuresOver{playbooks: s.Playbooks}
	if len(of) == 0 {
		return out, nil
	}
	var err error
	if out.points, err = s.Store.ValuesOverTime(ctx, viewer, athlete, of); err != nil {
		return out, err
	}
	var last []uuid.UUID
	for _, points := range out.points {
		last = append(last, points[len(points)-1].Attempt)
	}
	out.latest, err = s.Store.LatestReadings(ctx, last)
	return out, err
}

// of is one measure over the athlete's attempts at an event.
func (m measuresOver) of(event, key string) (ValuesOverTime, error) {
	out := ValuesOverTime{Event: event, Key: key, Points: []ValuePoint{}}
	e, ok := m.playbooks[event]
	if !ok {
		return out, store.ErrNotFound
	}
	points := m.points[store.EventKey{Event: event, Key: key}]
	if len(points) == 0 {
		return out, nil
	}
	e, err := e.As(points[len(points)-1].Variant)
	if err != nil {
		return out, err
	}
	out.Name, out.KeyID, out.Unit, ok = measureOf(e, key)
	if !ok {
		return out, nil
	}
	for _, p := range points {
		out.Points = append(out.Points, ValuePoint{Attempt: p.Attempt, Day: p.Day.Format(time.DateOnly), Number: p.Number, Value: p.Value, U: p.U})
	}
	first, last := points[0], points[len(points)-1]
	if v, err := judgedAs(m.latest[last.Attempt].Reading, key); err != nil {
		return out, err
	} else if v != nil && v.Band != nil {
		out.Low, out.High, out.Aim = v.Band.Low, v.Band.High, &v.Aim
	}
	if len(points) > 1 {
		out.Says = coach.Between(coach.Shift{Key: key, Name: out.Name, Unit: out.Unit, Before: first.Value, UBefore: first.U, After: last.Value, UAfter: last.U})
	}
	return out, nil
}

// judgedAs is a value as a kept reading judged it; nil where it has none.
func judgedAs(reading []byte, key string) (*judge.Judged, error) {
	if len(reading) == 0 {
		return nil, nil
	}
	var kept struct{ Values []judge.Judged }
	if err := json.Unmarshal(reading, &kept); err != nil {
		return nil, err
	}
	for _, v := range kept.Values {
		if v.Key == key {
			return &v, nil
		}
	}
	return nil, nil
}

// ValuePoint is a measure's value on one attempt, u its standard uncertainty.
type ValuePoint struct {
	Attempt uuid.UUID `json:"attempt"`
	Day     string    `json:"day"`
	Number  int       `json:"number"`
	Value   float64   `json:"value"`
	U       float64   `json:"u"`
}

// ValuesOverTime is a measure over an athlete's attempts, with the band against
// which the latest was held.
type ValuesOverTime struct {
	Event  string       `json:"event"`
	Key    string       `json:"key"`
	Name   string       `json:"name"`
	KeyID  string       `json:"keyId"` // where it is measured, in words
	Unit   string       `json:"unit"`
	Low    *float64     `json:"low,omitempty"`
	High   *float64     `json:"high,omitempty"`
	Aim    *string      `json:"aim,omitempty"`
	Points []ValuePoint `json:"points"`
	Says   string       `json:"says"`
}

// ValuesOverTime gathers one measure of an athlete.
func (s Service) ValuesOverTime(ctx context.Context, viewer, athlete uuid.UUID, event, key string) (ValuesOverTime, error) {
	if _, err := s.Store.AthleteOf(ctx, viewer, athlete); err != nil {
		return ValuesOverTime{}, err
	}
	over, err := s.measuresOver(ctx, viewer, athlete, []store.EventKey{{Event: event, Key: key}})
	if err != nil {
		return ValuesOverTime{}, err
	}
	return over.of(event, key)
}
