package store

import (
	"cmp"
	"context"
	"encoding/json"
	"sync"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/jmoiron/sqlx"

	"neokinema/core/breakdown"
	"neokinema/core/playbook"
	"neokinema/core/pose"
)

// FollowedPaths is what a following found, in pixels of the original picture.
type FollowedPaths struct {
	First  int         `json:"first"`  // the first picture followed on
	Camera [][]float64 `json:"camera"` // how the still world moved from the first picture to each: turn (real, imaginary), shift (x, y), or a homography by its first eight elements; none: it stood
	Paths  []Path      `json:"paths"`
	// Widened is by how much the uncertainty of the points that a body model found
	// was widened.
	Widened float64 `json:"-"`
	// Says is what the attempt shows by it, before anybody looked.
	Says string `json:"-"`
}

// Path is what a run proposes of one landmark: where it is on each picture from
// the first.
type Path struct {
	Name       string      `json:"name"`
	Source     string      `json:"source"` // breakdown.Followed and others
	Input      string      `json:"input"`  // tells what it was found from
	X          []float64   `json:"x"`
	Y          []float64   `json:"y"`
	U          []float64   `json:"u"`          // px; 0 where it is lost
	Confidence []float64   `json:"confidence"` // 0 to 1 that it is this landmark at all
	Lost       []LostPoint `json:"lost"`
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

// AddFollowing puts a following in line, in the place of one that nobody asked for; the
// same request twice is the same one.
// Whether there is something to follow from is for the caller to see.
func (s *Store) AddFollowing(ctx context.Context, viewer, id, attempt uuid.UUID, enqueue Enqueue) error {
	return s.within(ctx, func(tx *sqlx.Tx) error {
		return once(ctx, tx, "following", id, viewer, attempt, func() error {
			if err := cancelUnasked(ctx, tx, attempt); err != nil {
				return err
			}
			return addFollowing(ctx, tx, Task{ID: id, Kind: TaskFollow, Subject: &attempt, AccountID: &viewer}, enqueue)
		})
	})
}

// unasked is the input of a following that nobody asked for: its film had come in.
var unasked = []byte(`{"unasked": true}`)

// Unasked reports whether nobody asked for a task.
func (t Task) Unasked() bool {
	var in struct{ Unasked bool }
	return json.Unmarshal(t.Input, &in) == nil && in.Unasked
}

// ReadFilm puts the finding of the body on a clip that is ready in line, for its
// athlete's coach, unless a coach has placed points or asked for it already. One that
// nobody asked for and that is under way begins anew.
func (s *Store) ReadFilm(ctx context.Context, clip uuid.UUID, enqueue Enqueue) error {
	return s.within(ctx, func(tx *sqlx.Tx) error {
		var of struct {
			Attempt uuid.UUID `db:"attempt_id"`
			Coach   uuid.UUID `db:"coach_id"`
			Begun   bool
		}
		// What others did while this waits for the attempt is seen only by what is asked after.
		if _, err := tx.ExecContext(ctx, `select from attempt where id = (select attempt_id from clip where id = $1) for update`, clip); err != nil {
			return err
		}
		if err := tx.GetContext(ctx, &of, `select c.attempt_id, t.coach_id, exists (select from landmark l where l.attempt_id = p.id)
			or exists (select from task where kind = 'follow' and subject = p.id and state <> 'cancelled' and (input->>'unasked') is null) as begun
			from clip c join attempt p on p.id = c.attempt_id join athlete t on t.id = p.athlete_id where c.id = $1 and c.status = 'ready'`, clip); err != nil {
			return notFound(err)
		}
		if of.Begun {
			return nil
		}
		if err := cancelUnasked(ctx, tx, of.Attempt); err != nil {
			return err
		}
		return addFollowing(ctx, tx, Task{ID: NewID(), Kind: TaskFollow, Subject: &of.Attempt, AccountID: &of.Coach, Input: unasked}, enqueue)
	})
}

// cancelUnasked ends a following of an attempt that nobody asked for: another one takes
// its place.
func cancelUnasked(ctx context.Context, tx *sqlx.Tx, attempt uuid.UUID) error {
	_, err := tx.ExecContext(ctx, `update task set state = 'cancelled', worker = null, ended = now()
		where kind = 'follow' and subject = $1 and state in ('waiting', 'running') and (input->>'unasked') is not null`, attempt)
	return err
}

func addFollowing(ctx context.Context, tx *sqlx.Tx, t Task, enqueue Enqueue) error {
	b, err := readBench(ctx, tx, *t.AccountID, *t.Subject)
	if err != nil {
		return err
	}
	if b.Clip == nil || b.Clip.Status != "ready" {
		return invalid("the clip is not ready yet")
	}
	busy, err := underWay(ctx, tx, TaskFollow, *t.Subject)
	if err != nil {
		return err
	}
	if busy {
		return invalid("the points of this attempt are being followed already")
	}
	if _, err := tx.ExecContext(ctx, `insert into landmark_run (id, attempt_id, account_id, kind) values ($1, $2, $3, 'following')`, t.ID, t.Subject, t.AccountID); err != nil {
		return err
	}
	t.Total = b.Clip.Frames
	return addTask(ctx, tx, t, enqueue)
}

// FinishFollowing keeps what a worker found, and measures the attempt with it from
// then on. Where somebody asked for it, it can be undone.
func (s *Store) FinishFollowing(ctx context.Context, t Task, worker uuid.UUID, found FollowedPaths) error {
	camera, err := json.Marshal(found.Camera)
	if err != nil {
		return err
	}
	return s.within(ctx, func(tx *sqlx.Tx) error {
		var version int
		if err := tx.GetContext(ctx, &version, `select version from attempt where id = $1 for update`, t.Subject); err != nil {
			return notFound(err)
		}
		mine, err := changedOne(tx.ExecContext(ctx, `update task set state = 'done', worker = null, ended = now(), done = total where id = $1 and worker = $2 and state = 'running'`, t.ID, worker))
		if err != nil || !mine {
			return err // cancelled meanwhile
		}
		if _, err := tx.ExecContext(ctx, `update landmark_run set finished = true, first = $2, camera = $3, widened = $4, says = $5 where id = $1`, t.ID, found.First, camera, cmp.Or(found.Widened, pose.Caution), found.Says); err != nil {
			return err
		}
		for _, p := range found.Paths {
			lost, err := json.Marshal(p.Lost)
			if err != nil {
				return err
			}
			if _, err := tx.ExecContext(ctx, `insert into landmark_path (run_id, name, source, input, x, y, u, confidence, lost) values ($1, $2, $3, $4, $5, $6, $7, $8, $9)`,
				t.ID, p.Name, p.Source, p.Input, p.X, p.Y, p.U, p.Confidence, lost); err != nil {
				return err
			}
		}
		before, err := readBench(ctx, tx, *t.AccountID, *t.Subject)
		if err != nil {
			return err
		}
		run := t.ID.String()
		c := NewCommand(version, &breakdown.UseFollowing{Following: &run})
		c.background = t.Unasked()
		return s.apply(ctx, tx, *t.AccountID, before, playbook.Event{}, c)
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
	var run struct {
		First   int
		Camera  []byte
		Widened float64
	}
	if err := s.DB.GetContext(ctx, &run, `select first, coalesce(camera, '[]') as camera, widened from landmark_run where id = $1 and finished`, id); err != nil {
		return nil, notFound(err)
	}
	f := &FollowedPaths{First: run.First, Paths: []Path{}, Widened: run.Widened}
	if err := json.Unmarshal(run.Camera, &f.Camera); err != nil {
		return nil, err
	}
	rows, err := s.Pool.Query(ctx, `select name, source, input, x, y, u, confidence, lost from landmark_path where run_id = $1 order by name`, id)
	if err != nil {
		return nil, err
	}
	if f.Paths, err = pgx.CollectRows(rows, pgx.RowToStructByPos[Path]); err != nil {
		return nil, err
	}
	if s.finds.of == nil || len(s.finds.of) >= mostFinds {
		s.finds.of = map[uuid.UUID]*FollowedPaths{}
	}
	s.finds.of[id] = f
	return f, nil
}

// FollowedPoints is what a following of an attempt that an account may see has
// found.
func (s *Store) FollowedPoints(ctx context.Context, viewer, id uuid.UUID) (*FollowedPaths, error) {
	if _, err := s.Task(ctx, viewer, id); err != nil {
		return nil, err
	}
	return s.followedPoints(ctx, id)
}
