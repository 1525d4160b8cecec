package report

import (
	"time"

	ics "github.com/arran4/golang-ical"
)

// Day is one line of a plan on a day.
type Day struct {
	ID   string
	On   time.Time
	Says string
	More string
	Done bool
}

// Calendar writes a plan as iCalendar (RFC 5545), every line an all-day event.
func Calendar(name string, days []Day, now time.Time) string {
	c := ics.NewCalendarFor("Neokinema")
	c.SetName(name)
	c.SetMethod(ics.MethodPublish)
	for _, d := range days {
		e := c.AddEvent(d.ID + "@neokinema")
		e.SetDtStampTime(now)
		e.SetAllDayStartAt(d.On)
		e.SetAllDayEndAt(d.On.AddDate(0, 0, 1))
		e.SetTimeTransparency(ics.TransparencyTransparent)
		says := d.Says
		if d.Done {
			says = "✓ " + says
		}
		e.SetSummary(says)
		if d.More != "" {
			e.SetDescription(d.More)
		}
	}
	return c.Serialize(ics.WithNewLineWindows)
}
