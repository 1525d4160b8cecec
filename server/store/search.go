package store

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"
)

// Hit is something that a search found.
type Hit struct {
	Kind  string `db:"kind" json:"kind"`
	Says  string `db:"says" json:"says"`
	Under string `db:"under" json:"under"`
	To    string `db:"to" json:"to"` // where it stands in the app
}

// mostHits of one kind a search shows.
const mostHits = 12

// Search finds what holds all of some words, in any case, among all that an
// account may see.
func (s *Store) Search(ctx context.Context, viewer uuid.UUID, text string) ([]Hit, error) {
	words := strings.Fields(text)
	if len(words) == 0 || len(text) > 200 {
		return []Hit{}, nil
	}
	args := []any{viewer}
	holds := func(column string) string {
		tests := make([]string, len(words))
		for i := range words {
			tests[i] = fmt.Sprintf("%s ilike $%d", column, i+2)
		}
		return strings.Join(tests, " and ")
	}
	for _, w := range words {
		args = append(args, "%"+strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`).Replace(w)+"%")
	}
	const of = ` from attempt p join athlete t on t.id = p.athlete_id join session e on e.id = p.session_id `
	const under = `t.name || ', ' || replace(p.event, '-', ' ') || ' ' || p.number || ', ' || to_char(e.day, 'FMDD FMMonth YYYY')`
	parts := []string{
		`select 'athlete' as kind, t.name as says, trim(both from concat_ws(', ', t.level, nullif(t.para, ''), nullif(left(t.notes, 120), ''))) as under, '/athletes/' || t.id as "to", 0 as rank, current_date as day from athlete t where ` + visibleTo + ` and ` + holds(`t.name || ' ' || t.notes || ' ' || t.para || ' ' || t.aids || ' ' || coalesce((select string_agg(event, ' ') from athlete_event where athlete_id = t.id and does), '')`),
		`select 'attempt', ` + under + `, e.place, '/attempts/' || p.id || '/watch', 1, e.day` + of + `where ` + visibleTo + ` and p.other_of is null and ` + holds(`t.name || ' ' || replace(p.event, '-', ' ') || ' ' || p.variant || ' ' || p.foul || ' ' || e.place || ' ' || to_char(e.day, 'YYYY-MM-DD FMDD FMMonth YYYY')`),
		`select 'note', n.words, ` + under + `, '/attempts/' || p.id || '/watch', 2, e.day` + of + `join note n on n.attempt_id = p.id where ` + visibleTo + ` and ` + holds(`n.words`),
		`select 'cue', '“' || g.words || '”', ` + under + `, '/attempts/' || p.id || '/assign', 3, e.day` + of + `join assignment g on g.attempt_id = p.id where ` + visibleTo + ` and ` + holds(`g.words || ' ' || replace(g.fault, '-', ' ') || ' ' || g.drill || ' ' || t.name`),
		`select 'pain', n.region || case when n.words = '' then '' else ': ' || n.words end, t.name || ', ' || to_char(n.noted, 'FMDD FMMonth YYYY'), '/athletes/' || t.id, 4, n.noted from pain_note n join athlete t on t.id = n.athlete_id where ` + visibleTo + ` and ` + holds(`n.region || ' ' || n.words || ' ' || t.name`),
		`select 'plan', i.words, t.name || ', ' || to_char(i.day, 'FMDD FMMonth YYYY'), '/calendar?day=' || i.day, 5, i.day from plan_item i join athlete t on t.id = i.athlete_id where ` + visibleTo + ` and ` + holds(`i.words || ' ' || i.dose || ' ' || t.name`),
		`select 'session', e.place, to_char(e.day, 'FMDD FMMonth YYYY') || ', ' || e.kind, '/log/' || e.id, 6, e.day from session e where ` + seen + ` and ` + holds(`e.place || ' ' || e.kind || ' ' || e.surface || ' ' || e.weather || ' ' || to_char(e.day, 'YYYY-MM-DD FMDD FMMonth YYYY')`),
	}
	for i, p := range parts {
		parts[i] = fmt.Sprintf(`(select * from (%s) part (kind, says, under, "to", rank, day) order by day desc limit %d)`, p, mostHits)
	}
	out := []Hit{}
	return out, s.DB.SelectContext(ctx, &out, `select kind, says, under, "to" from (`+strings.Join(parts, ` union all `)+`) found order by rank, day desc limit 60`, args...)
}

// mostWaiting is how many things of one kind are shown.
const mostWaiting = 30

// Due is an assignment whose day to film again has come, with nothing filmed
// since.
type Due struct {
	ID      uuid.UUID `db:"id"`
	Athlete string    `db:"athlete"`
	Event   string    `db:"event"`
	Words   string    `db:"words"`
	Refilm  time.Time `db:"refilm"`
}

// Due are those that an account may see, the longest due first.
func (s *Store) Due(ctx context.Context, viewer uuid.UUID, today time.Time) ([]Due, error) {
	out := []Due{}
	return out, s.DB.SelectContext(ctx, &out, `with open as materialized (select g.words, g.refilm, p.id, p.athlete_id, p.event, p.variant, p.number, e.day from assignment g join attempt p on p.id = g.attempt_id join session e on e.id = p.session_id
			where g.closed is null and g.refilm <= $2),
		filmed as materialized (select distinct on (q.athlete_id, q.event, q.variant) q.athlete_id, q.event, q.variant, d.day, q.number from clip c join attempt q on q.id = c.attempt_id join session d on d.id = q.session_id
			where q.other_of is null order by q.athlete_id, q.event, q.variant, d.day desc, q.number desc)
		select o.id, t.name as athlete, o.event, o.words, o.refilm from open o join athlete t on t.id = o.athlete_id left join filmed f on f.athlete_id = o.athlete_id and f.event = o.event and f.variant = o.variant
		where `+visibleTo+` and (f.day is null or (f.day, f.number) <= (o.day, o.number)) order by o.refilm, t.name limit $3`, viewer, today, mostWaiting)
}

// Best is an athlete's best mark of a discipline up to a day.
type Best struct {
	ID      uuid.UUID `db:"id"`
	Athlete uuid.UUID `db:"athlete_id"`
	Name    string    `db:"athlete"`
	Event   string    `db:"event"`
	Day     time.Time `db:"day"`
	Mark    int       `db:"mark"`
	Grams   *int      `db:"implement_g"`
}

// ValidMarks are all valid marks of athletes with one since a day, the earliest
// first.
func (s *Store) ValidMarks(ctx context.Context, viewer uuid.UUID, since time.Time) ([]Best, error) {
	out := []Best{}
	return out, s.DB.SelectContext(ctx, &out, `with marked as materialized (select p.id, p.athlete_id, t.name as athlete, p.event, e.day, p.number, p.mark, p.implement_g from attempt p join athlete t on t.id = p.athlete_id join session e on e.id = p.session_id
			where p.mark is not null and p.foul = '' and p.other_of is null and `+visibleTo+`),
		lately as materialized (select distinct athlete_id, event from marked where day >= $2)
		select m.id, m.athlete_id, m.athlete, m.event, m.day, m.mark, m.implement_g from marked m join lately using (athlete_id, event) order by m.day, m.number`, viewer, since)
}
