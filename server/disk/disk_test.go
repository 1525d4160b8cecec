package disk_test

import (
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"neokinema/server/disk"
)

func TestTheReserveStaysFree(t *testing.T) {
	room := disk.Room{Reserve: 100, Free: func() (int64, error) { return 150, nil }}
	if err := room.Check(50); err != nil {
		t.Errorf("50 of 150 beside a reserve of 100: %v", err)
	}
	var low disk.Low
	if err := room.Check(51); !errors.As(err, &low) || low.Need != 151 || !strings.Contains(err.Error(), "erase clips") {
		t.Errorf("51 of 150 beside a reserve of 100: %v", err)
	}
	if err := (disk.Room{}).Check(1 << 60); err != nil {
		t.Errorf("nobody watches: %v", err)
	}
	free, err := disk.Of(0, t.TempDir(), filepath.Join(t.TempDir(), "gone")).Free()
	if err != nil || free <= 0 {
		t.Errorf("%d bytes are left, %v", free, err)
	}
}

func TestBallastIsTakenIn(t *testing.T) {
	b := disk.Ballast{Path: filepath.Join(t.TempDir(), "ballast"), Size: 1 << 20}
	for range 2 {
		if thrown, err := b.Trim(); thrown || err != nil {
			t.Fatalf("thrown %v, %v", thrown, err)
		}
		if info, err := os.Stat(b.Path); err != nil || info.Size() != b.Size {
			t.Fatalf("the ballast is %v, %v", info, err)
		}
	}
	b.Size = 1 << 62 // more than any disk has
	if thrown, err := b.Trim(); !thrown || err != nil {
		t.Errorf("with no room it is thrown off: %v, %v", thrown, err)
	}
	if _, err := os.Stat(b.Path); !os.IsNotExist(err) {
		t.Errorf("it is still there: %v", err)
	}
}
