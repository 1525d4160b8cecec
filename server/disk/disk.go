// Package disk watches the room that is left where the program keeps things.
package disk

import (
	"errors"
	"fmt"
	"io/fs"
	"math"
	"os"
	"path/filepath"
	"syscall"
)

// UsualReserve is what stays free unless a setting says otherwise, bytes: the
// database needs room to write down even that something is erased.
const UsualReserve = 1 << 30

// Room is the room on the disk.
type Room struct {
	Free    func() (int64, error) // bytes that are left
	Reserve int64                 // bytes that films leave free
}

// Of is the room where there is least of it among some folders. A folder that is
// not there counts for nothing.
func Of(reserve int64, folders ...string) Room {
	return Room{Reserve: reserve, Free: func() (int64, error) {
		least := int64(math.MaxInt64)
		for _, f := range folders {
			free, err := freeAt(f)
			if errors.Is(err, fs.ErrNotExist) {
				continue // a database elsewhere
			} else if err != nil {
				return 0, err
			}
			least = min(least, free)
		}
		return least, nil
	}}
}

func freeAt(folder string) (int64, error) {
	var s syscall.Statfs_t
	if err := syscall.Statfs(folder, &s); err != nil {
		return 0, &fs.PathError{Op: "statfs", Path: folder, Err: err}
	}
	return int64(s.Bavail) * s.Bsize, nil
}

// Low is returned when there is too little room.
type Low struct{ Free, Need int64 }

func (e Low) Error() string {
	return fmt.Sprintf("the disk has %.2f GB left, too little to go on: erase clips that are no longer needed, or make room; what was acknowledged is safe", float64(e.Free)/1e9)
}

// Check returns a Low unless so many bytes fit beside the reserve.
func (r Room) Check(need int64) error {
	if r.Free == nil {
		return nil
	}
	free, err := r.Free()
	if err != nil {
		return err
	}
	if free < need+r.Reserve {
		return Low{free, need + r.Reserve}
	}
	return nil
}

// Ballast is a file that holds room for a start on a full disk: it is thrown off
// when the database would have none to begin with.
type Ballast struct {
	Path string
	Size int64
}

// BallastIn is a data folder's.
func BallastIn(folder string) Ballast { return Ballast{filepath.Join(folder, "ballast"), 96 << 20} }

// Trim throws the ballast off when less room than its own size is left, and takes it
// in again when there is plenty. It reports whether it was thrown off.
func (b Ballast) Trim() (thrown bool, err error) {
	free, err := freeAt(filepath.Dir(b.Path))
	if err != nil {
		return false, err
	}
	info, err := os.Stat(b.Path)
	has := err == nil && info.Size() == b.Size
	switch {
	case free < b.Size && err == nil:
		return true, os.Remove(b.Path)
	case has || free < 4*b.Size:
		return false, nil
	}
	f, err := os.OpenFile(b.Path, os.O_CREATE|os.O_WRONLY, 0o600)
	if err != nil {
		return false, err
	}
	if err := errors.Join(syscall.Fallocate(int(f.Fd()), 0, 0, b.Size), f.Close()); err != nil {
		return false, errors.Join(err, os.Remove(b.Path))
	}
	return false, nil
}
