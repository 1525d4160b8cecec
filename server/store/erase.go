package store

import (
	"context"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
)

// Holdings are what hangs on an athlete or an account.
type Holdings struct {
	Athletes    int   `db:"athletes" json:"athletes"`
	Attempts    int   `db:"attempts" json:"attempts"`
	Clips       int   `db:"clips" json:"clips"`
	Assignments int   `db:"assignments" json:"assignments"`
	Bytes       int64 `db:"bytes" json:"bytes"` // that are given back: films, their pictures and sound
}

// AthleteHoldings are what would be erased with an athlete.
func (s *Store) AthleteHoldings(ctx context.Context, viewer, athlete uuid.UUID) (Holdings, error) {
	var h Holdings
	if err := s.ownAthlete(ctx, viewer, athlete); err != nil {
		return h, err
	}
	return h, s.hold(ctx, &h, "id", athlete)
}

// AccountHoldings are what would be erased with an account of the owner's club.
func (s *Store) AccountHoldings(ctx context.Context, owner Account, account uuid.UUID) (Holdings, error) {
	var h Holdings
	if err := s.sameClub(ctx, owner, account); err != nil {
		return h, err
	}
	return h, s.hold(ctx, &h, "coach_id", account)
}

// hold counts by the athletes' id or coach_id.
func (s *Store) hold(ctx context.Context, h *Holdings, column string, id uuid.UUID) error {
	return s.DB.GetContext(ctx, h, `
		with who as (select id from athlete where `+column+` = $1),
			did as (select id from attempt where athlete_id in (select id from who)),
			film as (select id from clip where attempt_id in (select id from did))
		select (select count(*) from who) as athletes, (select count(*) from did) as attempts, (select count(*) from film) as clips,
			(select count(*) from assignment where attempt_id in (select id from did)) as assignments,
			(select coalesce(sum(`+sizeOf("original")+` + `+sizeOf("picture")+`), 0)::bigint from film f) as bytes`, id)
}

func (s *Store) ownAthlete(ctx context.Context, viewer, athlete uuid.UUID) error {
	var id uuid.UUID
	return notFound(s.DB.GetContext(ctx, &id, `select t.id from athlete t where t.id = $2 and `+visibleTo, viewer, athlete))
}

func (s *Store) sameClub(ctx context.Context, owner Account, account uuid.UUID) error {
	var id uuid.UUID
	return notFound(s.DB.GetContext(ctx, &id, `select id from account where id = $1 and club_id = $2`, account, owner.ClubID))
}

// EraseAttempt erases an attempt with all that hangs on it.
func (s *Store) EraseAttempt(ctx context.Context, viewer, id uuid.UUID) error {
	return s.erase(ctx, nil, `delete from attempt where id in (select p.id from attempt p join athlete t on t.id = p.athlete_id where p.id = $2 and `+visibleTo+`) returning id`, viewer, id)
}

// EraseAthlete erases an athlete with all that hangs on them. Scrub, if there is one,
// takes the bytes off the disk, in the background.
func (s *Store) EraseAthlete(ctx context.Context, viewer, id uuid.UUID, enqueue Enqueue) error {
	return s.erase(ctx, enqueue, `delete from athlete where id in (select t.id from athlete t where t.id = $2 and `+visibleTo+`) returning id`, viewer, id)
}

// EraseAccount erases an account of the owner's club with all that hangs on it.
// The owner's own stays.
func (s *Store) EraseAccount(ctx context.Context, owner Account, id uuid.UUID, enqueue Enqueue) error {
	if owner.ID == id {
		return invalid("an owner's account cannot erase itself: the club would be without one")
	}
	return s.erase(ctx, enqueue, `delete from account where club_id = $1 and id = $2 returning id`, owner.ClubID, id)
}

// erase runs one deletion. Nothing goes but what it names and what hangs on it.
func (s *Store) erase(ctx context.Context, enqueue Enqueue, sql string, args ...any) error {
	return s.freeing(ctx, func(tx *sqlx.Tx) error {
		var gone uuid.UUID
		if err := tx.GetContext(ctx, &gone, sql, args...); err != nil {
			return notFound(err)
		}
		// What is changed in a playbook for an athlete names them by their id alone.
		if _, err := tx.ExecContext(ctx, `delete from playbook_change c where scope = 'athlete' and not exists (select from athlete where id::text = c.value)`); err != nil {
			return err
		}
		if enqueue == nil {
			return nil
		}
		return addTask(ctx, tx, Task{Kind: TaskScrub}, enqueue)
	})
}

// MoveAttempt says whose attempt it was.
func (s *Store) MoveAttempt(ctx context.Context, viewer, id, athlete uuid.UUID) error {
	if err := s.ownAthlete(ctx, viewer, athlete); err != nil {
		return err
	}
	return s.within(ctx, func(tx *sqlx.Tx) error {
		// Attempts of one athlete are numbered one after the other.
		if _, err := tx.ExecContext(ctx, `select from athlete where id = $1 for update`, athlete); err != nil {
			return err
		}
		if err := ownAttempt(ctx, tx, viewer, id); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `with moved as (select id from attempt where $1 in (id, other_of)), gone as (delete from run where attempt_id in (select id from moved)) delete from value where attempt_id in (select id from moved)`, id); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `update attempt p set athlete_id = $2, version = version + 1,
			number = 1 + (select coalesce(max(o.number), 0) from attempt o where o.athlete_id = $2 and o.session_id = p.session_id and o.other_of is null and o.id <> $1) where $1 in (p.id, p.other_of)`, id, athlete)
		return err
	})
}

// sizeOf is how much room one of a clip's tables takes; f is the clip.
func sizeOf(kind string) string {
	return `coalesce(pg_total_relation_size(to_regclass('film.` + kind + `_' || replace(f.id::text, '-', ''))), 0)`
}

// DiskUse is what is kept, in bytes.
type DiskUse struct {
	Films       int64 `db:"films"`
	Pictures    int64 `db:"pictures"`
	Database    int64 `db:"database"`
	Reclaimable int64 `db:"reclaimable"` // erased films whose room is not given back yet, and databases that a restore kept
}

// DiskUse counts what is kept.
func (s *Store) DiskUse(ctx context.Context) (DiskUse, error) {
	var r DiskUse
	err := s.DB.GetContext(ctx, &r, `select (select coalesce(sum(`+sizeOf("original")+`), 0)::bigint from clip f) as films, (select coalesce(sum(`+sizeOf("picture")+`), 0)::bigint from clip f) as pictures,
		pg_database_size(current_database()) as database,
		((select coalesce(sum(pg_total_relation_size(c.oid)), 0) `+orphans+`) + (select coalesce(sum(pg_database_size(datname)), 0) from pg_database where datname like current_database() || '\_before\_%'))::bigint as reclaimable`)
	return r, err
}
