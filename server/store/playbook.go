package store

import (
	"context"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
)

// PlaybookChange is what a club changes in an event's playbook, for whom. The
// latest of a scope and value counts; the ones before are its history.
type PlaybookChange struct {
	ID      uuid.UUID `db:"id"`
	Event   string    `db:"event"`
	Scope   string    `db:"scope"` // club, school, level, group or athlete
	Value   string    `db:"value"` // which school, level, group or athlete
	Patch   string    `db:"patch"` // YAML
	By      string    `db:"by"`
	Made    time.Time `db:"made"`
	Athlete string    `db:"athlete"` // its name, where the scope is one
	Problem string    `db:"problem"` // why it is set aside; empty: it counts
}

const selectChange = `select p.id, p.event, p.scope, p.value, p.patch, coalesce(a.name, '') as by, p.made, p.problem,
	coalesce((select name from athlete where id::text = p.value and p.scope = 'athlete'), '') as athlete
	from playbook_change p left join account a on a.id = p.account_id
	where p.club_id = (select club_id from account where id = $1) and p.event = $2
	and (p.scope <> 'athlete' or exists (select from athlete t where t.id::text = p.value and ` + visibleTo + `))`

// PlaybookHistory are all changes of a club in an event's playbook, the latest first.
func (s *Store) PlaybookHistory(ctx context.Context, viewer uuid.UUID, event string) ([]PlaybookChange, error) {
	out := []PlaybookChange{}
	return out, s.DB.SelectContext(ctx, &out, selectChange+` order by p.made desc, p.id desc limit 200`, viewer, event)
}

// PlaybookChanges are the changes that count for an event now, the widest scope
// first.
func (s *Store) PlaybookChanges(ctx context.Context, viewer uuid.UUID, event string) ([]PlaybookChange, error) {
	out := []PlaybookChange{}
	return out, s.DB.SelectContext(ctx, &out, `select * from (select distinct on (scope, value) * from (`+selectChange+`) c order by scope, value, made desc, id desc) l
		order by array_position(array['club', 'school', 'level', 'group', 'athlete'], scope), value`, viewer, event)
}

// NoteProblem keeps why a change is set aside, or that it counts again.
func (s *Store) NoteProblem(ctx context.Context, c PlaybookChange, problem error) error {
	now := ""
	if problem != nil {
		now = problem.Error()
		now = strings.ToValidUTF8(now[:min(len(now), mostProblem)], "")
	}
	if now == c.Problem {
		return nil
	}
	_, err := s.DB.ExecContext(ctx, `update playbook_change set problem = $2 where id = $1`, c.ID, now)
	return err
}

// mostProblem is how much of a problem is kept, bytes.
const mostProblem = 600

// BrokenChanges are the changes of a club that stand and are set aside.
func (s *Store) BrokenChanges(ctx context.Context, club uuid.UUID) ([]PlaybookChange, error) {
	out := []PlaybookChange{}
	return out, s.DB.SelectContext(ctx, &out, `select id, event, scope, value, problem from (select distinct on (event, scope, value) id, event, scope, value, problem from playbook_change
		where club_id = $1 order by event, scope, value, made desc, id desc) l where problem <> '' order by event, scope, value`, club)
}

// ChangePlaybook notes a change and puts in line that attempts are judged anew.
// Sent twice it counts once; made on an older state than the present one it is
// refused.
func (s *Store) ChangePlaybook(ctx context.Context, viewer uuid.UUID, c PlaybookChange, on *uuid.UUID, enqueue Enqueue) error {
	return s.within(ctx, func(tx *sqlx.Tx) error {
		var club uuid.UUID
		if err := tx.GetContext(ctx, &club, `select club_id from account where id = $1 for update`, viewer); err != nil {
			return notFound(err)
		}
		if c.Scope == "athlete" {
			var ours bool
			if err := tx.GetContext(ctx, &ours, `select exists (select from athlete t where t.id::text = $2 and `+visibleTo+`)`, viewer, c.Value); err != nil {
				return err
			}
			if !ours {
				return ErrNotFound
			}
		}
		if _, err := tx.ExecContext(ctx, `select pg_advisory_xact_lock(hashtext($1))`, club.String()+c.Event); err != nil {
			return err
		}
		return once(ctx, tx, "change of a playbook", c.ID, viewer, c, func() error { return addChange(ctx, tx, viewer, club, c, on, enqueue) })
	})
}

func addChange(ctx context.Context, tx *sqlx.Tx, viewer, club uuid.UUID, c PlaybookChange, on *uuid.UUID, enqueue Enqueue) error {
	var now []uuid.UUID
	if err := tx.SelectContext(ctx, &now, `select id from playbook_change where club_id = $1 and event = $2 and scope = $3 and value = $4 order by made desc, id desc limit 1`, club, c.Event, c.Scope, c.Value); err != nil {
		return err
	}
	if (on == nil) != (len(now) == 0) || on != nil && now[0] != *on {
		return invalid("somebody changed this in the meantime: look at the newer state, then make your change again")
	}
	_, err := tx.ExecContext(ctx, `insert into playbook_change (id, club_id, event, scope, value, patch, account_id) values ($1, $2, $3, $4, $5, $6, $7)`,
		c.ID, club, c.Event, c.Scope, c.Value, c.Patch, viewer)
	if err != nil {
		return err
	}
	return addRejudging(ctx, tx, club, viewer, c, enqueue)
}
