package store

import (
	"context"
	"encoding/json"
	"sync"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
)

// Following is the work of following an attempt's points from picture to
// picture.
type Following struct {
	ID        uuid.UUID `db:"id"`
	AttemptID uuid.UUID `db:"attempt_id"`
	AccountID uuid.UUID `db:"account_id"`
	State     string    `db:"state"` // waiting, following, done, failed or cancelled
	Done      int       `db:"done"`
	Pictures  int       `db:"pictures"`
	Message   string    `db:"message"`
}

// FollowedPaths is what a following found, in pixels of the original picture.
type FollowedPaths struct {
	First  int         `json:"first"`  // the first picture followed on
	Camera [][]float64 `json:"camera"` // how the still world moved from the first picture to each: turn (real, imaginary), shift (x, y), or a homography by its first eight elements; none: it stood
	Paths  []Path      `json:"paths"`
}

// Path is where one landmark is on each picture from the first.
type Path struct {
	Name  string      `json:"name"`
	Input string      `json:"input"` // tells what it was found from
	X     []float64   `json:"x"`
	Y     []float64   `json:"y"`
	U     []float64   `json:"u"` // px; 0 where it is lost
	Lost  []LostPoint `json:"lost"`
}

// Path is the path of a landmark, if it was followed.
func (f *FollowedPaths) Path(name string) (Path, bool) {
	if f != nil {
		for _, p := range f.Paths {
			if p.Name == name {
				return p, true
			}
		}
	}
	return Path{}, false
}

// LostPoint is a stretch of pictures on which a point is lost.
type LostPoint struct {
	From int    `json:"from"`
	To   int    `json:"to"`
	Why  string `json:"why"`
}

// AddFollowing puts a following in line; the same request twice is the same one.
func (s *Store) AddFollowing(ctx context.Context, viewer, id, attempt uuid.UUID, begin Enqueue) error {
	return s.within(ctx, func(tx *sqlx.Tx) error {
		return once(ctx, tx, "following", id, viewer, attempt, func() error { return addFollowing(ctx, tx, viewer, id, attempt, begin) })
	})
}

func addFollowing(ctx context.Context, tx *sqlx.Tx, viewer, id, attempt uuid.UUID, begin Enqueue) error {
	b, err := readBench(ctx, tx, viewer, attempt)
	if err != nil {
		return err
	}
	if b.Clip == nil || b.Clip.Status != "ready" {
		return invalid("the clip is not ready yet")
	}
	if len(b.Landmarks) == 0 {
		return invalid("place the points on one picture first: they are followed from there")
	}
	var busy bool
	if err := tx.GetContext(ctx, &busy, `select exists (select from following where attempt_id = $1 and id <> $2 and state in ('waiting', 'following'))`, attempt, id); err != nil {
		return err
	}
	if busy {
		return invalid("the points of this attempt are being followed already")
	}
	if _, err := tx.ExecContext(ctx, `insert into following (id, attempt_id, account_id) values ($1, $2, $3)`, id, attempt, viewer); err != nil {
		return err
	}
	return begin(ctx, tx, id)
}

const selectFollowing = `select id, attempt_id, account_id, state, done, pictures, message from following where id = `

// Following is one of an attempt that an account may see.
func (s *Store) Following(ctx context.Context, viewer, id uuid.UUID) (Following, error) {
	f, err := s.FollowingForJob(ctx, id)
	if err != nil {
		return f, err
	}
	return f, s.within(ctx, func(tx *sqlx.Tx) error { return ownAttempt(ctx, tx, viewer, f.AttemptID) })
}

// FollowingForJob is one, whoever has ordered it.
func (s *Store) FollowingForJob(ctx context.Context, id uuid.UUID) (Following, error) {
	var f Following
	return f, notFound(s.DB.GetContext(ctx, &f, selectFollowing+`$1`, id))
}

// LatestFollowing is the last one of an attempt; ErrNotFound without any.
func (s *Store) LatestFollowing(ctx context.Context, viewer, attempt uuid.UUID) (Following, error) {
	var id uuid.UUID
	err := s.DB.GetContext(ctx, &id, `select id from following where attempt_id = $1 order by made desc, id desc limit 1`, attempt)
	if err != nil {
		return Following{}, notFound(err)
	}
	return s.Following(ctx, viewer, id)
}

// FollowProgress notes how far a following has come, and reports whether it is
// still wanted.
func (s *Store) FollowProgress(ctx context.Context, id uuid.UUID, done, of int) (bool, error) {
	r, err := s.DB.ExecContext(ctx, `update following set state = 'following', done = $2, pictures = $3 where id = $1 and state in ('waiting', 'following')`, id, done, of)
	if err != nil {
		return false, err
	}
	n, err := r.RowsAffected()
	return n > 0, err
}

// FailFollowing ends one that is still under way: failed or cancelled.
func (s *Store) FailFollowing(ctx context.Context, id uuid.UUID, state, message string) error {
	_, err := s.DB.ExecContext(ctx, `update following set state = $2, message = $3 where id = $1 and state in ('waiting', 'following')`, id, state, message)
	return err
}

// CancelFollowing stops one.
func (s *Store) CancelFollowing(ctx context.Context, viewer, id uuid.UUID) error {
	if _, err := s.Following(ctx, viewer, id); err != nil {
		return err
	}
	return s.FailFollowing(ctx, id, "cancelled", "")
}

// FinishFollowing keeps what was found, and measures the attempt with it from then
// on, which can be undone.
func (s *Store) FinishFollowing(ctx context.Context, f Following, found FollowedPaths) error {
	data, err := json.Marshal(found)
	if err != nil {
		return err
	}
	return s.within(ctx, func(tx *sqlx.Tx) error {
		var version int
		if err := tx.GetContext(ctx, &version, `select version from attempt where id = $1 for update`, f.AttemptID); err != nil {
			return notFound(err)
		}
		r, err := tx.ExecContext(ctx, `update following set state = 'done', found = $2, done = pictures where id = $1 and state in ('waiting', 'following')`, f.ID, string(data))
		if err != nil {
			return err
		}
		if n, _ := r.RowsAffected(); n == 0 {
			return nil // cancelled meanwhile
		}
		before, err := readBench(ctx, tx, f.AccountID, f.AttemptID)
		if err != nil {
			return err
		}
		return s.apply(ctx, tx, f.AccountID, f.AttemptID, before, Command{ID: NewID(), Version: version, Kind: "followed", Followed: &f.ID})
	})
}

// finds remembers what followings found, which never changes.
type finds struct {
	mu sync.Mutex
	of map[uuid.UUID]*FollowedPaths
}

const mostFinds = 24

func (s *Store) followedPoints(ctx context.Context, id uuid.UUID) (*FollowedPaths, error) {
	s.finds.mu.Lock()
	defer s.finds.mu.Unlock()
	if f, ok := s.finds.of[id]; ok {
		return f, nil
	}
	var data []byte
	if err := s.DB.GetContext(ctx, &data, `select found from following where id = $1 and state = 'done'`, id); err != nil {
		return nil, notFound(err)
	}
	f := new(FollowedPaths)
	if err := json.Unmarshal(data, f); err != nil {
		return nil, err
	}
	if s.finds.of == nil || len(s.finds.of) >= mostFinds {
		s.finds.of = map[uuid.UUID]*FollowedPaths{}
	}
	s.finds.of[id] = f
	return f, nil
}

// FollowedPoints is what a following of an attempt that an account may see has found.
func (s *Store) FollowedPoints(ctx context.Context, viewer, id uuid.UUID) (*FollowedPaths, error) {
	if _, err := s.Following(ctx, viewer, id); err != nil {
		return nil, err
	}
	return s.followedPoints(ctx, id)
}
