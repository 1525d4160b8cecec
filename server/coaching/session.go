package coaching

import (
	"context"
	"time"

	"github.com/google/uuid"

	"neokinema/core/breakdown"
	"neokinema/core/playbook"
	"neokinema/core/result"
	"neokinema/core/series"
	"neokinema/server/store"
)

// Logged is an attempt as it stands in a log.
func (s Service) Logged(l store.LogRow) LogRow {
	return LogRow{ID: l.ID, Version: l.Version, Session: l.SessionID, AthleteID: l.AthleteID, Athlete: l.Athlete, Event: l.Event, Variant: l.Variant, Number: l.Number, Day: l.Day.Format(time.DateOnly), Place: l.Place,
		Mark: ResultOf(s.Playbooks[l.Event], l.Attempt), Value: l.Mark, Details: l.Details, Film: l.HasClip}
}

// SessionOf is a kept session.
func SessionOf(e store.Session) Session {
	return Session{ID: e.ID, Day: e.Day.Format(time.DateOnly), Place: e.Place, Kind: e.Kind, Surface: e.Surface, Weather: e.Weather, Wind: e.Wind, Version: e.Version, Attempts: e.Attempts, Athletes: e.Athletes}
}

// SessionPage gathers a session's series.
func (s Service) SessionPage(ctx context.Context, viewer, id uuid.UUID) (SessionPage, error) {
	out := SessionPage{Series: []Series{}}
	e, err := s.Store.Session(ctx, viewer, id)
	if err != nil {
		return out, err
	}
	out.Session = SessionOf(e)
	list, err := s.Store.AttemptsOfSession(ctx, viewer, id)
	if err != nil {
		return out, err
	}
	earlier, err := s.Store.SessionsBefore(ctx, id)
	if err != nil {
		return out, err
	}
	for len(list) > 0 {
		n := 1
		for n < len(list) && list[n].AthleteID == list[0].AthleteID && list[n].Event == list[0].Event {
			n++
		}
		one := Series{AthleteID: list[0].AthleteID, Athlete: list[0].Athlete, Event: list[0].Event, Attempts: []LogRow{}}
		for _, l := range list[:n] {
			one.Attempts = append(one.Attempts, s.Logged(l))
		}
		kind := s.Playbooks[one.Event].Mark.Kind
		one.Sum = series.Summarize(kind, resultsOf(list[:n]))
		var before []store.LogRow
		for _, l := range earlier {
			if l.AthleteID == one.AthleteID && l.Event == one.Event {
				before = append(before, l)
			}
		}
		if len(before) > 0 {
			sum := series.Summarize(kind, resultsOf(before))
			one.Before, one.BeforeSum = new(before[0].Day.Format(time.DateOnly)), &sum
			one.Against = series.Against(kind, one.Sum, sum)
		}
		out.Series, list = append(out.Series, one), list[n:]
	}
	return out, nil
}

// resultsOf are the results of a series.
func resultsOf(list []store.LogRow) []series.Attempt {
	out := make([]series.Attempt, len(list))
	for i, l := range list {
		out[i].Foul = l.Foul
		if l.Mark != nil {
			out[i].Mark = new(result.Result(*l.Mark))
		}
	}
	return out
}

// ResultOf is what an attempt was worth, as it is written.
func ResultOf(e playbook.Event, a store.Attempt) *Result {
	if a.Mark == nil && a.Foul == "" {
		return nil
	}
	out := Result{Foul: a.Foul}
	if a.Mark != nil {
		m := result.Result(*a.Mark)
		out.Text = m.Format(e.Mark.Kind)
		if e.Mark.Kind != result.Time {
			out.Imperial = m.Imperial()
		}
	}
	return &out
}

// Result is what an attempt was worth, as it is written.
type Result struct {
	Text     string `json:"text"`     // as in 61.25 m; empty: none was measured
	Imperial string `json:"imperial"` // of a length, as in 200' 11¼"
	Foul     string `json:"foul"`     // how it was lost; empty: it was not
}

// LogRow is an attempt as it stands in a log.
type LogRow struct {
	ID        uuid.UUID         `json:"id"`
	Version   int               `json:"version"`
	Session   uuid.UUID         `json:"session"`
	AthleteID uuid.UUID         `json:"athleteId"`
	Athlete   string            `json:"athlete"`
	Event     string            `json:"event"`
	Variant   string            `json:"variant"`
	Number    int               `json:"number"`
	Day       string            `json:"day"`
	Place     string            `json:"place"`
	Mark      *Result           `json:"mark,omitempty"`
	Value     *int              `json:"value,omitempty"` // hundredths of a metre or second
	Details   breakdown.Details `json:"details"`
	Film      bool              `json:"film"`
}

// Session is a day at a place.
type Session struct {
	ID       uuid.UUID `json:"id"`
	Day      string    `json:"day"`
	Place    string    `json:"place"`
	Kind     string    `json:"kind"` // training or meet
	Surface  string    `json:"surface"`
	Weather  string    `json:"weather"`
	Wind     *float64  `json:"wind,omitempty"` // m/s
	Version  int       `json:"version"`
	Attempts int       `json:"attempts"`
	Athletes int       `json:"athletes"`
}

// Series are an athlete's attempts at an event in a session, beside those of the
// session before.
type Series struct {
	AthleteID uuid.UUID       `json:"athleteId"`
	Athlete   string          `json:"athlete"`
	Event     string          `json:"event"`
	Attempts  []LogRow        `json:"attempts"`
	Sum       series.Summary  `json:"sum"`
	Before    *string         `json:"before,omitempty"` // the day of the session before
	BeforeSum *series.Summary `json:"beforeSum,omitempty"`
	Against   string          `json:"against"` // the two means beside their spread, where that can be said
}

// SessionPage is a session, series by series.
type SessionPage struct {
	Session Session  `json:"session"`
	Series  []Series `json:"series"`
}
