package postgres

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"time"
)

// Served says that another program has the data folder.
type Served struct{ Folder, By string }

func (e Served) Error() string {
	return fmt.Sprintf("process %s uses the data in %s already: end the program that uses this data first, or choose another folder with -data", e.By, e.Folder)
}

// Lock keeps other programs off a data folder. The kernel gives it back when the
// program ends, however it ends.
type Lock struct{ file *os.File }

// stopWait is how long a program waits for another one that is stopping.
const stopWait = time.Minute

// LockFolder takes the lock of a data folder. While the program that has it is
// stopping, it waits, and says so once; otherwise it returns a Served.
func LockFolder(ctx context.Context, folder string, waiting func(by string)) (*Lock, error) {
	f, err := os.OpenFile(filepath.Join(folder, "lock"), os.O_RDWR|os.O_CREATE, 0o600)
	if err != nil {
		return nil, err
	}
	told := false
	for end := time.Now().Add(stopWait); ; time.Sleep(100 * time.Millisecond) {
		err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB)
		if err == nil {
			l := &Lock{f}
			return l, l.note("serving")
		}
		if !errors.Is(err, syscall.EWOULDBLOCK) {
			return nil, errors.Join(err, f.Close())
		}
		text, err := os.ReadFile(f.Name())
		if err != nil {
			return nil, errors.Join(err, f.Close())
		}
		by, state, _ := strings.Cut(strings.TrimSpace(string(text)), " ")
		if state == "serving" || time.Now().After(end) || ctx.Err() != nil {
			return nil, errors.Join(Served{folder, by}, f.Close())
		}
		if !told && waiting != nil {
			told = true
			waiting(by)
		}
	}
}

func (l *Lock) note(state string) error {
	text := fmt.Sprintf("%d %s\n", os.Getpid(), state)
	if err := l.file.Truncate(0); err != nil {
		return err
	}
	_, err := l.file.WriteAt([]byte(text), 0)
	return err
}

// Stopping tells others that the lock will be given back soon.
func (l *Lock) Stopping() error { return l.note("stopping") }

// Release gives the lock back.
func (l *Lock) Release() error { return l.file.Close() }
