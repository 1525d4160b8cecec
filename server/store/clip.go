package store

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/jmoiron/sqlx"
)

// Clip is one camera's film of an attempt.
type Clip struct {
	ID           uuid.UUID `db:"id"`
	AttemptID    uuid.UUID `db:"attempt_id"`
	Name         string    `db:"name"`
	Bytes        int64     `db:"bytes"`
	SHA256       []byte    `db:"sha256"`
	Status       string    `db:"status"`
	Progress     float64   `db:"progress"`
	Message      string    `db:"message"`
	Width        int       `db:"width"`
	Height       int       `db:"height"`
	Frames       int       `db:"frames"`
	BaseNum      int64     `db:"base_num"`
	BaseDen      int64     `db:"base_den"`
	PlaybackRate float64   `db:"playback_rate"`
	TagRate      float64   `db:"tag_rate"`
	CaptureRate  float64   `db:"capture_rate"`
	RateSource   string    `db:"rate_source"`
	View         string    `db:"view"`
	Rightward    bool      `db:"rightward"`
}

const selectClip = `select id, attempt_id, name, bytes, sha256, status, progress, message, width, height, frames, base_num, base_den,
	playback_rate, tag_rate, capture_rate, rate_source, view, rightward from clip`

const partSize = 1 << 20

// AddClip stores an original file as it streams in, whole or not at all. Check
// sees it before it counts; then, inside the same transaction, done may
// enqueue the decoding. The same id twice is an error.
func (s *Store) AddClip(ctx context.Context, viewer uuid.UUID, c Clip, file io.Reader, check func() error, done func(context.Context, *sqlx.Tx) error) error {
	return s.within(ctx, func(tx *sqlx.Tx) error {
		var mineToo bool
		err := tx.GetContext(ctx, &mineToo, `select exists (select from attempt p join athlete t on t.id = p.athlete_id where p.id = $2 and `+mine+`)`, viewer, c.AttemptID)
		if err != nil {
			return err
		}
		if !mineToo {
			return ErrNotFound
		}
		_, err = tx.ExecContext(ctx, `insert into clip (id, attempt_id, name, bytes, sha256, status) values ($1, $2, $3, 0, '', 'waiting')`, c.ID, c.AttemptID, c.Name)
		if taken(err) {
			return invalid("this attempt already has a clip: log another attempt for another film")
		}
		if err != nil {
			return err
		}
		hash := sha256.New()
		buf := make([]byte, partSize)
		var size int64
		for n := 0; ; n++ {
			k, err := io.ReadFull(file, buf)
			if k > 0 {
				hash.Write(buf[:k])
				size += int64(k)
				if _, err := tx.ExecContext(ctx, `insert into clip_part (clip_id, number, data) values ($1, $2, $3)`, c.ID, n, buf[:k]); err != nil {
					return err
				}
			}
			if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
				break
			}
			if err != nil {
				return fmt.Errorf("the upload broke off: %w", err)
			}
		}
		if err := check(); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `update clip set bytes = $2, sha256 = $3 where id = $1`, c.ID, size, hash.Sum(nil)); err != nil {
			return err
		}
		return done(ctx, tx)
	})
}

// Clip finds a clip that an account may see.
func (s *Store) Clip(ctx context.Context, viewer, id uuid.UUID) (Clip, error) {
	var c Clip
	err := s.DB.GetContext(ctx, &c, selectClip+` where id = $2 and attempt_id in
		(select p.id from attempt p join athlete t on t.id = p.athlete_id where `+mine+`)`, viewer, id)
	return c, missing(err)
}

// ClipForJob finds a clip for work that nobody is waiting at.
func (s *Store) ClipForJob(ctx context.Context, id uuid.UUID) (Clip, error) {
	var c Clip
	err := s.DB.GetContext(ctx, &c, selectClip+` where id = $1`, id)
	return c, missing(err)
}

// RemoveClip takes a clip off its attempt with all that was put on its frames.
func (s *Store) RemoveClip(ctx context.Context, viewer, id uuid.UUID) error {
	c, err := s.Clip(ctx, viewer, id)
	if err != nil {
		return err
	}
	return s.within(ctx, func(tx *sqlx.Tx) error {
		for _, sql := range []string{
			`delete from clip where attempt_id = $1`, `delete from stamp where attempt_id = $1`,
			`delete from landmark where attempt_id = $1`, `delete from calibration where attempt_id = $1`,
			`delete from command where attempt_id = $1`, `delete from run where attempt_id = $1`,
			`update attempt set version = version + 1 where id = $1`,
		} {
			if _, err := tx.ExecContext(ctx, sql, c.AttemptID); err != nil {
				return err
			}
		}
		return nil
	})
}

// Alone runs work on a clip unless somebody else, in this program or in another
// copy of it, is at it: then it reports false.
func (s *Store) Alone(ctx context.Context, clip uuid.UUID, work func() error) (bool, error) {
	conn, err := s.DB.Connx(ctx)
	if err != nil {
		return false, err
	}
	defer conn.Close()
	var got bool
	if err := conn.GetContext(ctx, &got, `select pg_try_advisory_lock(hashtextextended($1, 0))`, clip.String()); err != nil || !got {
		return false, err
	}
	defer conn.ExecContext(context.WithoutCancel(ctx), `select pg_advisory_unlock(hashtextextended($1, 0))`, clip.String())
	return true, work()
}

// Original writes a clip's file as it came.
func (s *Store) Original(ctx context.Context, id uuid.UUID, w io.Writer) error {
	for n := 0; ; n++ {
		var data []byte
		err := s.DB.GetContext(ctx, &data, `select data from clip_part where clip_id = $1 and number = $2`, id, n)
		if errors.Is(missing(err), ErrNotFound) {
			return nil
		}
		if err != nil {
			return err
		}
		if _, err := w.Write(data); err != nil {
			return err
		}
	}
}

// Progress notes how far the decoding of a clip has come, 0 to 1.
func (s *Store) Progress(ctx context.Context, id uuid.UUID, share float64) error {
	_, err := s.DB.ExecContext(ctx, `update clip set status = 'decoding', progress = $2 where id = $1`, id, share)
	return err
}

// Fail notes, in a sentence, why a clip could not be decoded, and drops what
// was decoded of it.
func (s *Store) Fail(ctx context.Context, id uuid.UUID, message string) error {
	return s.within(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `delete from frame where clip_id = $1`, id); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `update clip set status = 'failed', message = $2, progress = 0 where id = $1`, id, message)
		return err
	})
}

// Frame is one decoded picture.
type Frame struct {
	PTS  int64
	JPEG []byte
}

// ClearFrames makes room before a clip is decoded (again).
func (s *Store) ClearFrames(ctx context.Context, id uuid.UUID) error {
	_, err := s.DB.ExecContext(ctx, `delete from frame where clip_id = $1`, id)
	return err
}

// AddFrames appends pictures, the first of which is number from.
func (s *Store) AddFrames(ctx context.Context, id uuid.UUID, from int, frames []Frame) error {
	_, err := s.Pool.CopyFrom(ctx, pgx.Identifier{"frame"}, []string{"clip_id", "number", "pts", "jpeg"},
		pgx.CopyFromSlice(len(frames), func(i int) ([]any, error) {
			return []any{id, from + i, frames[i].PTS, frames[i].JPEG}, nil
		}))
	return err
}

// Ready notes what decoding found out and opens the clip.
func (s *Store) Ready(ctx context.Context, c Clip) error {
	_, err := s.DB.NamedExecContext(ctx, `update clip set status = 'ready', progress = 1, message = '', width = :width, height = :height, frames = :frames,
		base_num = :base_num, base_den = :base_den, playback_rate = :playback_rate, tag_rate = :tag_rate,
		capture_rate = :capture_rate, rate_source = :rate_source where id = :id`, c)
	return err
}

// Picture is one frame's JPEG.
func (s *Store) Picture(ctx context.Context, viewer, clip uuid.UUID, number int) ([]byte, error) {
	var jpeg []byte
	err := s.DB.GetContext(ctx, &jpeg, `select f.jpeg from frame f join clip c on c.id = f.clip_id join attempt p on p.id = c.attempt_id
		join athlete t on t.id = p.athlete_id where f.clip_id = $2 and f.number = $3 and `+mine, viewer, clip, number)
	return jpeg, missing(err)
}

// PTS are the time stamps of a clip's frames.
func (s *Store) PTS(ctx context.Context, clip uuid.UUID) ([]int64, error) {
	var out []int64
	err := s.DB.SelectContext(ctx, &out, `select pts from frame where clip_id = $1 order by number`, clip)
	return out, err
}
