package store

import (
	"context"
	"fmt"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"

	"neokinema/core/breakdown"
	"neokinema/core/pose"
)

// BodyLook is what a body model said of a picture of a clip. Without points nobody
// was found on it.
type BodyLook struct {
	Frame  int       `db:"frame"`
	Score  float64   `db:"score"`
	Size   float64   `db:"size"`
	Points []float64 `db:"points"`
	Next   []float64 `db:"next"` // the square to look in on the next picture: x, y, size, turn
}

const pointNumbers = 5 // of a point of a look

// NewBodyLook is a look as it is kept; a body that is not found has no points.
func NewBodyLook(frame int, look pose.Look, found bool, next []float64) BodyLook {
	out := BodyLook{Frame: frame, Points: []float64{}, Next: next}
	if found {
		out.Score, out.Size = look.Score, look.Size
		for _, p := range look.Points {
			out.Points = append(out.Points, p.X, p.Y, p.Visible, p.Peak, p.Apart)
		}
	}
	return out
}

// Look is it as the model gave it; false: nobody was found.
func (b BodyLook) Look() (look pose.Look, found bool) {
	if len(b.Points) != pointNumbers*pose.Points {
		return look, false
	}
	look.Frame, look.Score, look.Size = b.Frame, b.Score, b.Size
	for i := range look.Points {
		n := b.Points[pointNumbers*i:]
		look.Points[i] = pose.Point{X: n[0], Y: n[1], Visible: n[2], Peak: n[3], Apart: n[4]}
	}
	return look, true
}

// KeepLooks stores looks at a clip's pictures.
func (s *Store) KeepLooks(ctx context.Context, clip uuid.UUID, looks []BodyLook) error {
	return s.within(ctx, func(tx *sqlx.Tx) error {
		for _, l := range looks {
			if _, err := tx.ExecContext(ctx, `insert into body_look (clip_id, frame, score, size, points, next) values ($1, $2, $3, $4, $5, $6)
				on conflict (clip_id, frame) do nothing`, clip, l.Frame, l.Score, l.Size, l.Points, l.Next); err != nil {
				return err
			}
		}
		return nil
	})
}

// Looks are those at a clip's pictures, in order.
func (s *Store) Looks(ctx context.Context, clip uuid.UUID) ([]BodyLook, error) {
	rows, err := s.Pool.Query(ctx, `select frame, score, size, points, next from body_look where clip_id = $1 order by frame`, clip)
	if err != nil {
		return nil, err
	}
	var out []BodyLook
	var b BodyLook
	for rows.Next() {
		b = BodyLook{}
		if err := rows.Scan(&b.Frame, &b.Score, &b.Size, &b.Points, &b.Next); err != nil {
			return nil, fmt.Errorf("a look at a clip: %w", err)
		}
		out = append(out, b)
	}
	return out, rows.Err()
}

// forgetLooks drops the looks at an attempt's clip: they were at somebody else, or at
// other pictures.
func forgetLooks(ctx context.Context, tx *sqlx.Tx, attempt uuid.UUID) error {
	_, err := tx.ExecContext(ctx, `delete from body_look where clip_id in (select id from clip where attempt_id = $1)`, attempt)
	return err
}

// PointChecks is what a club's coaches said of found points: on how many they looked,
// how many of these lay within their ±, how many were moved, and by how much they
// were off together, as pose.Caution takes it.
type PointChecks struct {
	Points int     `db:"points"`
	Inside int     `db:"inside"`
	Moved  int     `db:"moved"`
	Off    float64 `db:"off"`
}

const sumChecks = `count(*) as points, count(*) filter (where inside) as inside, count(*) filter (where moved) as moved, coalesce(sum(off), 0) as off`

// CheckedPoints are those of an event and a view in an attempt's club.
func (s *Store) CheckedPoints(ctx context.Context, b Bench) (PointChecks, error) {
	var out PointChecks
	return out, s.DB.GetContext(ctx, &out, `select `+sumChecks+` from point_check k join attempt p on p.id = k.attempt_id
		join athlete t on t.id = p.athlete_id join clip c on c.attempt_id = p.id where t.club_id = $1 and p.event = $2 and c.view = $3`, b.Athlete.ClubID, b.Attempt.Event, b.Clip.View)
}

// PointChecksOf are a club's, of an event and a view.
type PointChecksOf struct {
	PointChecks
	Event string `db:"event"`
	View  string `db:"view"`
}

// AllCheckedPoints are those of a club, by event and view.
func (s *Store) AllCheckedPoints(ctx context.Context, club uuid.UUID) ([]PointChecksOf, error) {
	out := []PointChecksOf{}
	return out, s.DB.SelectContext(ctx, &out, `select p.event, c.view, `+sumChecks+` from point_check k join attempt p on p.id = k.attempt_id
		join athlete t on t.id = p.athlete_id join clip c on c.attempt_id = p.id where t.club_id = $1 group by p.event, c.view order by p.event, c.view`, club)
}

// notePoints keeps how far found points were off that a change placed, and forgets
// those that it took off.
func (s *Store) notePoints(ctx context.Context, tx *sqlx.Tx, before Bench, after breakdown.Breakdown) error {
	run := before.Calibration.Following
	if run == nil {
		return nil
	}
	id, err := uuid.Parse(*run)
	if err != nil {
		return err
	}
	found, err := s.followedPoints(ctx, id)
	if err != nil {
		return err
	}
	was := map[breakdown.Landmark]bool{}
	for _, l := range before.Landmarks {
		was[l] = true
	}
	is := map[breakdown.Landmark]bool{}
	for _, l := range after.Landmarks {
		is[l] = true
		if was[l] {
			continue
		}
		c, ok := found.check(l)
		if !ok {
			continue
		}
		if _, err := tx.ExecContext(ctx, `insert into point_check (attempt_id, frame, name, off, inside, moved) values ($1, $2, $3, $4, $5, $6)
			on conflict (attempt_id, frame, name) do update set off = excluded.off, inside = excluded.inside, moved = excluded.moved`,
			before.Attempt.ID, l.Frame, l.Name, c.Off, c.Inside, c.Moved); err != nil {
			return err
		}
	}
	for _, l := range before.Landmarks {
		if !is[l] {
			if _, err := tx.ExecContext(ctx, `delete from point_check where attempt_id = $1 and frame = $2 and name = $3
				and not exists (select from landmark where attempt_id = $1 and frame = $2 and name = $3)`, before.Attempt.ID, l.Frame, l.Name); err != nil {
				return err
			}
		}
	}
	return nil
}

// check compares a placed point with what the run had found there by itself.
func (f *FollowedPaths) check(l breakdown.Landmark) (pose.Check, bool) {
	path, ok := f.Path(l.Name)
	i := l.Frame - f.First
	if !ok || path.Source != breakdown.Detected || i < 0 || i >= len(path.U) || path.U[i] == 0 {
		return pose.Check{}, false
	}
	return pose.NewCheck(l.X-path.X[i], l.Y-path.Y[i], path.U[i], f.Widened), true
}
