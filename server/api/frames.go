package api

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"sync"
	"sync/atomic"
	"time"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"neokinema/server/auth"
	"neokinema/server/disk"
	"neokinema/server/report"
	"neokinema/server/store"
)

// Frames are the pictures of films where the kernel can send them: a folder that is
// filled from the database as pictures are asked for, and can be thrown away at any
// time. Rights are asked of the database before a picture is sent, once a second
// for each who asks.
type Frames struct {
	Folder string
	Most   int64     // bytes that are held; 0: nothing is
	Room   disk.Room // below its reserve nothing is added

	held    atomic.Int64
	mu      sync.Mutex
	allowed map[allowedKey]allowed
}

type allowedKey struct {
	ticket string // a cookie or token
	clip   uuid.UUID
}

// allowed is what was found of a ticket and a clip.
type allowed struct {
	clip  store.Clip
	until time.Time
}

const (
	// trusted is how long an answer about rights is believed.
	trusted = time.Second
	// mostAllowed is how many answers are held.
	mostAllowed = 4096
)

// NewFrames opens a folder of pictures, empty: what an earlier run left there may
// have been erased since.
func NewFrames(folder string, most int64, room disk.Room) (*Frames, error) {
	if err := os.RemoveAll(folder); err != nil {
		return nil, err
	}
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return nil, err
	}
	return &Frames{Folder: folder, Most: most, Room: room, allowed: map[allowedKey]allowed{}}, nil
}

// clipAllowed finds the clip if the asker may see it.
func (s *Server) clipAllowed(c *echo.Context, id uuid.UUID) (store.Clip, error) {
	ticket := auth.Ticket(c.Request())
	key := allowedKey{ticket, id}
	f := s.Frames
	if f != nil && ticket != "" {
		f.mu.Lock()
		a, ok := f.allowed[key]
		f.mu.Unlock()
		if ok && time.Now().Before(a.until) {
			return a.clip, nil
		}
	}
	who, _, err := s.who(c.Request())
	if err != nil {
		return store.Clip{}, err
	}
	clip, err := s.Store.Clip(c.Request().Context(), who.ID, id)
	if err == nil && f != nil && ticket != "" {
		f.mu.Lock()
		if len(f.allowed) >= mostAllowed {
			clear(f.allowed)
		}
		f.allowed[key] = allowed{clip, time.Now().Add(trusted)}
		f.mu.Unlock()
	}
	return clip, err
}

// Forget makes every right be asked for anew.
func (f *Frames) Forget() {
	f.mu.Lock()
	clear(f.allowed)
	f.mu.Unlock()
}

// Drop takes the pictures of all clips off the disk but of those that are there.
func (f *Frames) Drop(there map[uuid.UUID]bool) error {
	entries, err := os.ReadDir(f.Folder)
	if err != nil {
		return err
	}
	for _, e := range entries {
		if id, err := uuid.Parse(e.Name()); err != nil || !there[id] {
			if err := os.RemoveAll(filepath.Join(f.Folder, e.Name())); err != nil {
				return err
			}
		}
	}
	return nil
}

// Bound drops the pictures of clips that nobody asked for the longest until half of
// what may be held is free, when it is full.
func (f *Frames) Bound() error {
	entries, err := os.ReadDir(f.Folder)
	if err != nil {
		return err
	}
	type one struct {
		path  string
		bytes int64
		used  time.Time
	}
	var all []one
	total := int64(0)
	for _, e := range entries {
		o := one{path: filepath.Join(f.Folder, e.Name())}
		err := filepath.WalkDir(o.path, func(_ string, d fs.DirEntry, err error) error {
			if err != nil {
				return err
			}
			info, err := d.Info()
			if err != nil {
				return err
			}
			if d.IsDir() {
				o.used = later(o.used, info.ModTime())
			} else {
				o.bytes += info.Size()
			}
			return nil
		})
		if errors.Is(err, fs.ErrNotExist) {
			continue // dropped meanwhile
		} else if err != nil {
			return err
		}
		all, total = append(all, o), total+o.bytes
	}
	slices.SortFunc(all, func(a, b one) int { return a.used.Compare(b.used) })
	full := total > f.Most*9/10
	for _, o := range all {
		if !full || total <= f.Most/2 {
			break
		}
		if err := os.RemoveAll(o.path); err != nil {
			return err
		}
		total -= o.bytes
	}
	f.held.Store(total)
	return nil
}

func later(a, b time.Time) time.Time {
	if a.After(b) {
		return a
	}
	return b
}

// keep adds a picture, unless there is no room: then the next one comes from the
// database too.
func (f *Frames) keep(path string, jpeg []byte) {
	if f == nil || f.held.Load()+int64(len(jpeg)) > f.Most || f.Room.Check(int64(len(jpeg))) != nil {
		return
	}
	if os.MkdirAll(filepath.Dir(path), 0o700) != nil {
		return
	}
	part, err := os.CreateTemp(filepath.Dir(path), "part-")
	if err != nil {
		return
	}
	_, err = part.Write(jpeg)
	if errors.Join(err, part.Close()) != nil || os.Rename(part.Name(), path) != nil {
		os.Remove(part.Name())
		return
	}
	f.held.Add(int64(len(jpeg)))
}

// path is where a picture is held. Pictures of another width are other pictures.
func (f *Frames) path(clip store.Clip, number int) string {
	return filepath.Join(f.Folder, clip.ID.String(), strconv.Itoa(clip.KeptWidth), strconv.Itoa(number)+".jpg")
}

// GetFrame sends one picture, which never changes under its address.
func (s *Server) GetFrame(c *echo.Context, id uuid.UUID, n int, _ GetFrameParams) error {
	clip, err := s.clipAllowed(c, id)
	if err != nil {
		return err
	}
	if !clip.Has(n) {
		return store.ErrNotFound
	}
	if clip.Filmless {
		jpeg, err := report.Unfilmed(clip.Width, clip.Height)
		if err != nil {
			return err
		}
		return picture(c, jpeg)
	}
	if s.Frames != nil {
		if file, err := os.Open(s.Frames.path(clip, n)); err == nil {
			defer file.Close()
			return sendFile(c, file)
		}
	}
	jpeg, err := s.Store.PictureOf(c.Request().Context(), id, n)
	if err != nil {
		return err
	}
	if s.Frames != nil {
		s.Frames.keep(s.Frames.path(clip, n), jpeg)
	}
	return picture(c, jpeg)
}

// lasting is how long a picture may be kept by the browser of who asked for it.
const lasting = "private, max-age=31536000, immutable"

// picture sends a JPEG that never changes under its address.
func picture(c *echo.Context, jpeg []byte) error {
	h := c.Response().Header()
	h.Set("Cache-Control", lasting)
	h.Set("Content-Length", strconv.Itoa(len(jpeg)))
	return c.Blob(http.StatusOK, "image/jpeg", jpeg)
}

// sendFile lets the kernel send a file: the answer goes past what the server wraps
// around it.
func sendFile(c *echo.Context, file *os.File) error {
	info, err := file.Stat()
	if err != nil {
		return err
	}
	h := c.Response().Header()
	h.Set("Cache-Control", lasting)
	h.Set("Content-Type", "image/jpeg")
	h.Set("Content-Length", fmt.Sprint(info.Size()))
	w := c.Response()
	r, err := echo.UnwrapResponse(w)
	if err != nil {
		return err
	}
	inner := r.ResponseWriter
	for {
		u, ok := inner.(interface{ Unwrap() http.ResponseWriter })
		if !ok {
			break
		}
		inner = u.Unwrap()
	}
	r.Status, r.Committed, r.Size = http.StatusOK, true, info.Size()
	inner.WriteHeader(http.StatusOK)
	_, _ = io.Copy(inner, file) // by sendfile where the connection can; an error means that who asked is gone
	return nil
}
