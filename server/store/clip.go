package store

import (
	"context"
	"crypto/sha256"
	"errors"
	"io"
	"neokinema/core/breakdown"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
)

// Clip is one camera's film of an attempt. It is uploading, looking (at its
// file), choosing (its part to keep), waiting, decoding, then ready or failed.
type Clip struct {
	ID           uuid.UUID `db:"id"`
	AttemptID    uuid.UUID `db:"attempt_id"`
	Name         string    `db:"name"`
	Bytes        int64     `db:"bytes"`    // of the whole file, as declared
	Received     int64     `db:"received"` // of them, those that are here
	Status       string    `db:"status"`
	Progress     float64   `db:"progress"`
	Message      string    `db:"message"`
	Codec        string    `db:"codec"`
	Pictures     int       `db:"pictures"` // in the whole film
	Seconds      float64   `db:"seconds"`  // of the whole film, by its own time
	Width        int       `db:"width"`    // of the original picture, as shown
	Height       int       `db:"height"`
	CutFrom      float64   `db:"cut_from"` // what is kept, in seconds of the file
	CutTo        float64   `db:"cut_to"`
	KeptWidth    int       `db:"kept_width"`
	First        int       `db:"first"` // number of the first kept picture
	Frames       int       `db:"frames"`
	BaseNum      int64     `db:"base_num"`
	BaseDen      int64     `db:"base_den"`
	PlaybackRate float64   `db:"playback_rate"`
	TagRate      float64   `db:"tag_rate"`
	CaptureRate  float64   `db:"capture_rate"`
	RateSource   string    `db:"rate_source"`
	RateU        float64   `db:"rate_u"`
	View         string    `db:"view"`
	Rightward    bool      `db:"rightward"`
	Brightness   float64   `db:"brightness"` // 0 to 1, mean of the kept pictures
	Blur         float64   `db:"blur"`       // 0 to 1
	Condition    []byte    `db:"condition"`  // what is wrong with the film all the same, JSON; nil: nothing is known
	HasSound     bool      `db:"has_sound"`
	Previews     int       `db:"previews"`
	Filmless     bool      `db:"filmless"` // simulated: stamps and points without pictures
}

// Has reports whether a picture was kept.
func (c *Clip) Has(frame int) bool { return frame >= c.First && frame < c.First+c.Frames }

// ShownWidth is how wide the kept pictures are.
func (c *Clip) ShownWidth() int { return min(c.Width, c.KeptWidth) }

const selectClip = `select id, attempt_id, name, bytes, received, status, message, codec, pictures, seconds, width, height, cut_from, cut_to,
	kept_width, first, frames, base_num, base_den, playback_rate, tag_rate, capture_rate, rate_source, rate_u, view, rightward, brightness, blur, filmless, condition,
	coalesce((select case when done > 0 then done::double precision / total end from task where subject = clip.id and kind = case clip.status when 'looking' then 'probe' else 'decode' end and state in ('waiting', 'running') and total > 0 order by made desc limit 1), case status when 'ready' then 1 else 0 end) as progress,
	exists (select from clip_sound where clip_id = clip.id) as has_sound, (select count(*) from clip_preview where clip_id = clip.id) as previews from clip`

const (
	partSize = 1 << 20
	// batch is how many parts are acknowledged at once.
	batch = 4
	// abandoned is how long an upload may rest before it is dropped.
	abandoned = 48 * time.Hour
)

// AddClip declares a film that will be uploaded. The same request twice is the
// same clip; one that failed makes room.
func (s *Store) AddClip(ctx context.Context, viewer uuid.UUID, c Clip) error {
	if c.Bytes <= 0 {
		return invalid("this file is empty: choose the clip itself, as the phone saved it")
	}
	return s.within(ctx, func(tx *sqlx.Tx) error {
		if err := ownAttempt(ctx, tx, viewer, c.AttemptID); err != nil {
			return err
		}
		return once(ctx, tx, "clip", c.ID, viewer, declared{c.AttemptID, c.Name, c.Bytes}, func() error {
			if _, err := tx.ExecContext(ctx, `delete from clip where attempt_id = $1 and status = 'failed' and id <> $2`, c.AttemptID, c.ID); err != nil {
				return err
			}
			var has bool
			if err := tx.GetContext(ctx, &has, `select exists (select from clip where attempt_id = $1 and id <> $2)`, c.AttemptID, c.ID); err != nil {
				return err
			}
			if has {
				return invalid("this attempt already has a clip: log another attempt for another film")
			}
			_, err := tx.ExecContext(ctx, `insert into clip (id, attempt_id, name, bytes, status, view) values ($1, $2, $3, $4, 'uploading', coalesce(nullif($5, ''), 'side-open'))`, c.ID, c.AttemptID, c.Name, c.Bytes, c.View)
			if err != nil {
				return err
			}
			return makeTable(ctx, tx, originals, c.ID)
		})
	})
}

// EventOf is the event of an attempt that the viewer may see.
func (s *Store) EventOf(ctx context.Context, viewer, attempt uuid.UUID) (string, error) {
	var event string
	err := s.DB.GetContext(ctx, &event, `select p.event from attempt p join athlete t on t.id = p.athlete_id where p.id = $2 and `+visibleTo, viewer, attempt)
	return event, notFound(err)
}

// declared is what is said of a film before it is sent.
type declared struct {
	Attempt uuid.UUID
	Name    string
	Bytes   int64
}

// AddFilmless gives an attempt the times of pictures that nobody filmed: what is
// simulated can be stamped and placed without them. The same id twice is the same
// clip.
func (s *Store) AddFilmless(ctx context.Context, viewer uuid.UUID, c Clip, pts []int64) error {
	return s.within(ctx, func(tx *sqlx.Tx) error {
		if err := ownAttempt(ctx, tx, viewer, c.AttemptID); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `insert into clip (id, attempt_id, name, bytes, status, pictures, frames, width, height, kept_width, base_num, base_den, playback_rate, capture_rate, rate_source, view, rightward, pts, filmless)
			values ($1, $2, $3, 0, 'ready', $4, $4, $5, $6, $5, $7, $8, $9, $9, 'chosen', $10, $11, $12, true) on conflict (id) do nothing`,
			c.ID, c.AttemptID, c.Name, len(pts), c.Width, c.Height, c.BaseNum, c.BaseDen, c.CaptureRate, c.View, c.Rightward, pts)
		return err
	})
}

func ownAttempt(ctx context.Context, tx *sqlx.Tx, viewer, attempt uuid.UUID) error {
	var mineToo bool
	err := tx.GetContext(ctx, &mineToo, `select exists (select from attempt p join athlete t on t.id = p.athlete_id where p.id = $2 and `+visibleTo+`)`, viewer, attempt)
	if err == nil && !mineToo {
		return ErrNotFound
	}
	return err
}

// Receive takes a film's bytes from a place on, as they stream in. What it has
// acknowledged stays when the line drops; when the last byte is here, next goes
// on with the clip in the same transaction.
func (s *Store) Receive(ctx context.Context, viewer, id uuid.UUID, from int64, file io.Reader, enqueue Enqueue) error {
	c, err := s.Clip(ctx, viewer, id)
	if err != nil {
		return err
	}
	if c.Status != "uploading" {
		return invalid("this clip is here already")
	}
	buf := make([]byte, batch*partSize)
	for at := from; ; {
		n, rerr := io.ReadFull(file, buf)
		ended := errors.Is(rerr, io.EOF) || errors.Is(rerr, io.ErrUnexpectedEOF)
		if at+int64(n) > c.Bytes {
			return invalid("this file is larger than the %d bytes that were declared: choose it again", c.Bytes)
		}
		if at+int64(n) < c.Bytes {
			n -= n % partSize // a part that is not whole is sent again
		}
		if err := s.keepParts(ctx, c, at, buf[:n], enqueue); err != nil {
			return err
		}
		at += int64(n)
		if rerr != nil && !ended {
			return invalid("the upload broke off: %v", rerr)
		}
		if ended || at == c.Bytes {
			return nil
		}
	}
}

// keepParts stores what arrived behind what is there.
func (s *Store) keepParts(ctx context.Context, c Clip, at int64, data []byte, enqueue Enqueue) error {
	if err := s.roomFor(len(data)); err != nil {
		return err
	}
	return s.within(context.WithoutCancel(ctx), func(tx *sqlx.Tx) error {
		var received int64
		if err := tx.GetContext(ctx, &received, `select received from clip where id = $1 and status = 'uploading' for update`, c.ID); err != nil {
			return notFound(err)
		}
		if received != at {
			return invalid("%d bytes of this clip are here: go on from there, not from %d", received, at)
		}
		for n := 0; n < len(data); n += partSize {
			part := data[n:min(n+partSize, len(data))]
			if _, err := tx.ExecContext(ctx, "insert into "+table(originals, c.ID)+" (number, data) values ($1, $2)", (at+int64(n))/partSize, part); err != nil {
				return err
			}
		}
		status := "uploading"
		if at+int64(len(data)) == c.Bytes {
			status = "looking"
			if err := addClipTask(ctx, tx, TaskProbe, c.ID, enqueue); err != nil {
				return err
			}
		}
		_, err := tx.ExecContext(ctx, `update clip set received = received + $2, status = $3, touched = now() where id = $1`, c.ID, len(data), status)
		return err
	})
}

// DropAbandoned forgets uploads that nobody went on with, and gives the room of all
// films back that are no more.
func (s *Store) DropAbandoned(ctx context.Context, now time.Time) error {
	if _, err := s.DB.ExecContext(ctx, `delete from clip where status = 'uploading' and touched < $1`, now.Add(-abandoned)); err != nil {
		return err
	}
	return s.DropOrphans(ctx)
}

// Clip finds a clip that an account may see.
func (s *Store) Clip(ctx context.Context, viewer, id uuid.UUID) (Clip, error) {
	var c Clip
	err := s.DB.GetContext(ctx, &c, selectClip+` where id = $2 and attempt_id in
		(select p.id from attempt p join athlete t on t.id = p.athlete_id where `+visibleTo+`)`, viewer, id)
	return c, notFound(err)
}

// ClipForJob finds a clip for work that nobody is waiting at.
func (s *Store) ClipForJob(ctx context.Context, id uuid.UUID) (Clip, error) {
	var c Clip
	err := s.DB.GetContext(ctx, &c, selectClip+` where id = $1`, id)
	return c, notFound(err)
}

// RemoveClip takes a clip off its attempt with all that was put on its frames.
func (s *Store) RemoveClip(ctx context.Context, viewer, id uuid.UUID) error {
	c, err := s.Clip(ctx, viewer, id)
	if err != nil {
		return err
	}
	return s.freeing(ctx, func(tx *sqlx.Tx) error {
		for _, sql := range []string{
			`delete from clip where attempt_id = $1`, `delete from stamp where attempt_id = $1`,
			`delete from landmark where attempt_id = $1`, `delete from calibration where attempt_id = $1`, `delete from control_point where attempt_id = $1`, `delete from rejected_proposal where attempt_id = $1`, `delete from not_in_film where attempt_id = $1`, `delete from landmark_run where attempt_id = $1`, `delete from point_check where attempt_id = $1`, `delete from body_fit where attempt_id = $1`,
			`delete from command where attempt_id = $1`, `delete from run where attempt_id = $1`, `delete from value where attempt_id = $1`,
			`update attempt set version = version + 1 where id = $1`,
			`update task set state = 'cancelled', worker = null, ended = now() where state in ('waiting', 'running') and subject = $1`,
		} {
			if _, err := tx.ExecContext(ctx, sql, c.AttemptID); err != nil {
				return err
			}
		}
		return nil
	})
}

// WithClipLock runs work on a clip unless somebody else, in this program or in another
// copy of it, is at it: then it reports false.
func (s *Store) WithClipLock(ctx context.Context, clip uuid.UUID, work func() error) (bool, error) {
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

// Spool writes a clip's file as it came and keeps its hash.
func (s *Store) Spool(ctx context.Context, id uuid.UUID, w io.Writer) error {
	hash := sha256.New()
	if err := s.Original(ctx, id, io.MultiWriter(w, hash)); err != nil {
		return err
	}
	_, err := s.DB.ExecContext(ctx, `update clip set sha256 = $2 where id = $1`, id, hash.Sum(nil))
	return err
}

// SaveProbe notes what a look at the file found, and leaves the choice of the part
// to keep to the coach, unless it was made before the file was here.
func (s *Store) SaveProbe(ctx context.Context, c Clip, film []byte, previews []Preview, enqueue Enqueue) error {
	return s.within(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `delete from clip_preview where clip_id = $1`, c.ID); err != nil {
			return err
		}
		for i, p := range previews {
			if _, err := tx.ExecContext(ctx, `insert into clip_preview (clip_id, number, at, jpeg) values ($1, $2, $3, $4)`, c.ID, i, p.At, p.JPEG); err != nil {
				return err
			}
		}
		status := "choosing"
		if c.CutTo > 0 {
			status = "waiting"
			if err := addClipTask(ctx, tx, TaskDecode, c.ID, enqueue); err != nil {
				return err
			}
		}
		c.Status = status
		if _, err := tx.ExecContext(ctx, `update clip set film = $2 where id = $1`, c.ID, film); err != nil {
			return err
		}
		_, err := tx.NamedExecContext(ctx, `update clip set status = :status, codec = :codec, pictures = :pictures, seconds = :seconds, width = :width, height = :height,
			base_num = :base_num, base_den = :base_den, playback_rate = :playback_rate, tag_rate = :tag_rate, cut_to = :cut_to where id = :id`, c)
		return err
	})
}

// Film is what a look at a clip's file found, as it was given to Seen; nil for
// a clip from before such looks.
func (s *Store) Film(ctx context.Context, clip uuid.UUID) ([]byte, error) {
	var film []byte
	err := s.DB.GetContext(ctx, &film, `select film from clip where id = $1`, clip)
	return film, notFound(err)
}

// Preview is a small picture of a film that is not decoded yet.
type Preview struct {
	At   float64 `db:"at"` // seconds of the file
	JPEG []byte  `db:"jpeg"`
}

// PreviewTimes are when the previews of a clip were, in seconds of the file.
func (s *Store) PreviewTimes(ctx context.Context, clip uuid.UUID) ([]float64, error) {
	out := []float64{}
	err := s.DB.SelectContext(ctx, &out, `select at from clip_preview where clip_id = $1 order by number`, clip)
	return out, err
}

// PreviewOf is one small picture.
func (s *Store) PreviewOf(ctx context.Context, viewer, clip uuid.UUID, number int) ([]byte, error) {
	if _, err := s.Clip(ctx, viewer, clip); err != nil {
		return nil, err
	}
	var jpeg []byte
	err := s.DB.GetContext(ctx, &jpeg, `select jpeg from clip_preview where clip_id = $1 and number = $2`, clip, number)
	return jpeg, notFound(err)
}

// ChooseTrim says which part of a clip is kept, from and to in seconds of the file,
// and how wide. A clip that is ready is decoded again: its pictures keep their
// numbers, and what was put on pictures that go stays for when they come back.
func (s *Store) ChooseTrim(ctx context.Context, viewer, id uuid.UUID, from, to float64, width int, enqueue Enqueue) error {
	c, err := s.Clip(ctx, viewer, id)
	if err != nil {
		return err
	}
	return s.within(ctx, func(tx *sqlx.Tx) error {
		if err := tx.GetContext(ctx, &c.Status, `select status from clip where id = $1 for update`, id); err != nil {
			return notFound(err)
		}
		status := c.Status
		switch c.Status {
		case "uploading", "looking": // known before the file is here
		case "choosing", "ready":
			status = "waiting"
			if err := addClipTask(ctx, tx, TaskDecode, id, enqueue); err != nil {
				return err
			}
		default:
			return invalid("this clip is being decoded already: cancel that first")
		}
		_, err := tx.ExecContext(ctx, `update clip set status = $2, message = '', cut_from = $3, cut_to = $4, kept_width = $5 where id = $1`, id, status, from, to, width)
		if err != nil || c.Status != "ready" {
			return err
		}
		_, err = tx.ExecContext(ctx, `update attempt set version = version + 1 where id = $1`, c.AttemptID)
		return err
	})
}

// KeepSound stores a clip's sound track: 16-bit samples of one channel.
func (s *Store) KeepSound(ctx context.Context, clip uuid.UUID, rate int, samples []byte) error {
	_, err := s.DB.ExecContext(ctx, `insert into clip_sound (clip_id, rate, samples) values ($1, $2, $3)
		on conflict (clip_id) do update set rate = excluded.rate, samples = excluded.samples`, clip, rate, samples)
	return err
}

// Sound is a clip's sound track, if it has one.
func (s *Store) Sound(ctx context.Context, viewer, clip uuid.UUID) (rate int, samples []byte, err error) {
	if _, err := s.Clip(ctx, viewer, clip); err != nil {
		return 0, nil, err
	}
	var row struct {
		Rate    int
		Samples []byte
	}
	err = s.DB.GetContext(ctx, &row, `select rate, samples from clip_sound where clip_id = $1`, clip)
	return row.Rate, row.Samples, notFound(err)
}

// MoveClip hands a clip, with all that was put on its pictures, to another
// attempt of the same event that has none.
func (s *Store) MoveClip(ctx context.Context, viewer, id, to uuid.UUID) error {
	c, err := s.Clip(ctx, viewer, id)
	if err != nil {
		return err
	}
	return s.within(ctx, func(tx *sqlx.Tx) error {
		if err := ownAttempt(ctx, tx, viewer, to); err != nil {
			return err
		}
		var events []string
		if err := tx.SelectContext(ctx, &events, `select event from attempt where id in ($1, $2) order by id for update`, c.AttemptID, to); err != nil {
			return err
		}
		if len(events) != 2 || events[0] != events[1] {
			return invalid("a clip moves to another attempt of the same event")
		}
		if _, err := tx.ExecContext(ctx, `update clip set attempt_id = $2 where id = $1`, id, to); isUniqueViolation(err) {
			return invalid("that attempt has a clip of its own: take it off first, or log another attempt")
		} else if err != nil {
			return err
		}
		for _, table := range []string{"stamp", "landmark", "calibration", "control_point", "rejected_proposal", "not_in_film", "landmark_run", "point_check", "body_fit", "look", "note", "run", "focus", "assignment"} {
			if _, err := tx.ExecContext(ctx, `delete from `+table+` where attempt_id = $1`, to); err != nil {
				return err
			}
			if table == "run" {
				continue
			}
			if _, err := tx.ExecContext(ctx, `update `+table+` set attempt_id = $2 where attempt_id = $1`, c.AttemptID, to); err != nil {
				return err
			}
		}
		for _, sql := range []string{`delete from run where attempt_id in ($1, $2)`, `delete from value where attempt_id in ($1, $2)`, `update command set state = 'gone' where attempt_id in ($1, $2)`,
			`update attempt set version = version + 1 where id in ($1, $2)`} {
			if _, err := tx.ExecContext(ctx, sql, c.AttemptID, to); err != nil {
				return err
			}
		}
		return nil
	})
}

// BeginDecoding notes that a clip that waited is decoded now.
func (s *Store) BeginDecoding(ctx context.Context, id uuid.UUID) error {
	_, err := s.DB.ExecContext(ctx, `update clip set status = 'decoding' where id = $1 and status = 'waiting'`, id)
	return err
}

// FailClip notes, in a sentence, why a clip could not be used, and drops its file
// and what was decoded of it.
func (s *Store) FailClip(ctx context.Context, id uuid.UUID, message string) error {
	return s.within(ctx, func(tx *sqlx.Tx) error {
		if err := errors.Join(dropTable(ctx, tx, originals, id), dropTable(ctx, tx, pictures, id)); err != nil {
			return err
		}
		for _, table := range []string{"clip_preview", "clip_sound"} {
			if _, err := tx.ExecContext(ctx, `delete from `+table+` where clip_id = $1`, id); err != nil {
				return err
			}
		}
		_, err := tx.ExecContext(ctx, `update clip set status = 'failed', message = $2, received = 0, pts = '{}' where id = $1`, id, message)
		return err
	})
}

// RevertTrim leaves it to the coach to choose again which part of a clip is kept,
// with a sentence on what went wrong. The file stays.
func (s *Store) RevertTrim(ctx context.Context, id uuid.UUID, message string) error {
	return s.within(ctx, func(tx *sqlx.Tx) error {
		if err := dropTable(ctx, tx, pictures, id); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `update clip set status = 'choosing', message = $2 where id = $1`, id, message)
		return err
	})
}

// HoldClip stops the work on a clip that met a full disk until somebody says to go on:
// what was decoded of it goes, the file stays.
func (s *Store) HoldClip(ctx context.Context, id uuid.UUID, message string) error {
	err := s.within(ctx, func(tx *sqlx.Tx) error {
		if err := dropTable(ctx, tx, pictures, id); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `update clip set status = 'held', message = $2 where id = $1`, id, message)
		return err
	})
	if err != nil {
		return err
	}
	// A database that crashes on the full disk need not write the pictures again to
	// come back.
	return s.checkpoint(ctx)
}

// ResumeClip goes on with a clip that was held: it is looked at, or decoded, again.
func (s *Store) ResumeClip(ctx context.Context, viewer, id uuid.UUID, enqueue Enqueue) error {
	c, err := s.Clip(ctx, viewer, id)
	if err != nil {
		return err
	}
	if err := s.roomFor(int(c.Bytes)); err != nil {
		return err
	}
	return s.within(ctx, func(tx *sqlx.Tx) error {
		if err := tx.GetContext(ctx, &c.Status, `select status from clip where id = $1 for update`, id); err != nil {
			return notFound(err)
		}
		if c.Status != "held" {
			return invalid("this clip is not waiting for room")
		}
		status, kind := "looking", TaskProbe
		if c.Pictures > 0 {
			status, kind = "waiting", TaskDecode
		}
		if _, err := tx.ExecContext(ctx, `update clip set status = $2, message = '' where id = $1`, id, status); err != nil {
			return err
		}
		return addClipTask(ctx, tx, kind, id, enqueue)
	})
}

// SetMessage notes a sentence on a clip whose work goes on.
func (s *Store) SetMessage(ctx context.Context, id uuid.UUID, message string) error {
	_, err := s.DB.ExecContext(ctx, `update clip set message = $2 where id = $1`, id, message)
	return err
}

// FinishDecoding notes what decoding found out and opens the clip. A capture rate that
// the coach has said already stays.
func (s *Store) FinishDecoding(ctx context.Context, c Clip, pts []int64) error {
	_, err := s.DB.ExecContext(ctx, `update clip set status = 'ready', message = '', first = $2, frames = $3, pts = $4, brightness = $5, blur = $6, condition = $9,
		capture_rate = case when rate_source = 'unknown' then $7 else capture_rate end,
		rate_source = case when rate_source = 'unknown' then $8 else rate_source end where id = $1`,
		c.ID, c.First, c.Frames, pts, c.Brightness, c.Blur, c.CaptureRate, c.RateSource, c.Condition)
	return err
}

// RampOf is what was said of a film that is slowed in part only.
func (s *Store) RampOf(ctx context.Context, attempt uuid.UUID) (*breakdown.Ramp, error) {
	var r []breakdown.Ramp
	err := s.DB.SelectContext(ctx, &r, `select ramp_from as from, ramp_to as to from calibration where attempt_id = $1 and ramp_from is not null`, attempt)
	if err != nil || len(r) == 0 {
		return nil, err
	}
	return &r[0], nil
}

// PTS are the time stamps of a film's pictures, from its first to the last
// that was kept.
func (s *Store) PTS(ctx context.Context, clip uuid.UUID) ([]int64, error) {
	var pts []int64
	err := s.Pool.QueryRow(ctx, `select pts from clip where id = $1`, clip).Scan(&pts)
	return pts, notFound(err)
}
