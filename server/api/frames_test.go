package api_test

import (
	"bytes"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"testing"

	"github.com/google/uuid"

	"neokinema/server/api"
	"neokinema/server/disk"
	"neokinema/server/store"
)

// openPain are the pictures that lie at hand.
func openPain(t *testing.T, f *api.Frames) int {
	t.Helper()
	list, err := filepath.Glob(filepath.Join(f.Folder, "*", "*", "*.jpg"))
	if err != nil {
		t.Fatal(err)
	}
	return len(list)
}

// A picture comes from the database once and from a file after that, the same to the
// byte, with its length, for nobody else; what is erased is gone from the disk.
func TestPicturesAtHand(t *testing.T) {
	h := open(t, false)
	club := store.NewID()
	tove := h.enter("tove", "coach", club)
	attempt := h.attempt()
	clip, _ := h.film(attempt, brief(t, 90), "a.mp4")
	get := func(n int) (int, []byte) {
		answer, err := h.http.Get(fmt.Sprintf("%s/api/clips/%s/frames/%d", h.base, clip, n))
		if err != nil {
			t.Fatal(err)
		}
		defer answer.Body.Close()
		data, err := io.ReadAll(answer.Body)
		if err != nil {
			t.Fatal(err)
		}
		if answer.StatusCode == 200 && (answer.ContentLength != int64(len(data)) || answer.Header.Get("Cache-Control") != "private, max-age=31536000, immutable" || answer.Header.Get("Content-Type") != "image/jpeg") {
			t.Errorf("picture %d of %d bytes comes with %v, length %d", n, len(data), answer.Header, answer.ContentLength)
		}
		return answer.StatusCode, data
	}
	_, first := get(40)
	if n := openPain(t, h.server.Frames); n != 1 {
		t.Errorf("%d pictures are at hand", n)
	}
	_, again := get(40)
	kept, err := h.store.PictureOf(t.Context(), uuid.MustParse(clip), 40)
	if err != nil || !bytes.Equal(first, again) || !bytes.Equal(first, kept) {
		t.Errorf("%d, %d and %d bytes, %v", len(first), len(again), len(kept), err)
	}
	if status, _ := get(100000); status != 404 {
		t.Errorf("a picture that is not there answers %d", status)
	}
	mine := h.http
	h.http = h.browser()
	if status, _ := get(40); status != 401 {
		t.Errorf("a stranger is answered %d", status)
	}
	if err := h.store.AddAccount(t.Context(), store.Account{ID: store.NewID(), ClubID: club, Login: "nora", Name: "Nora", Role: "coach", PasswordHash: tove.PasswordHash}); err != nil {
		t.Fatal(err)
	}
	h.want(200, "POST", "/api/sign-in", map[string]string{"name": "nora", "password": password}, nil)
	if status, _ := get(40); status != 404 {
		t.Errorf("another coach is answered %d", status)
	}
	h.http = mine
	get(40)
	h.want(204, "POST", "/api/sign-out", nil, nil) // the right ends with the sign-in, not a second later
	if status, _ := get(40); status != 401 {
		t.Errorf("after signing out it answers %d", status)
	}
	h.want(200, "POST", "/api/sign-in", map[string]string{"name": "tove", "password": password}, nil)
	get(40)
	h.want(204, "DELETE", "/api/clips/"+clip, nil, nil)
	if status, _ := get(40); status != 404 || openPain(t, h.server.Frames) != 0 {
		t.Errorf("after the film was taken off it answers %d, and %d pictures are at hand", status, openPain(t, h.server.Frames))
	}
}

// No more is held than may be, and nothing below the disk's reserve.
func TestPicturesAtHandAreBounded(t *testing.T) {
	dir := t.TempDir()
	f, err := api.NewFrames(dir, 1000, disk.Room{Free: func() (int64, error) { return 1 << 40, nil }})
	if err != nil {
		t.Fatal(err)
	}
	there := map[uuid.UUID]bool{}
	for i := range 10 {
		id := store.NewID()
		there[id] = i > 0
		folder := filepath.Join(dir, id.String(), "1280")
		if err := os.MkdirAll(folder, 0o700); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(filepath.Join(folder, "0.jpg"), make([]byte, 200), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	if err := f.Drop(there); err != nil || openPain(t, f) != 9 {
		t.Errorf("%d are held, %v", openPain(t, f), err)
	}
	if err := f.Bound(); err != nil || openPain(t, f) != 2 {
		t.Errorf("bounded to half of 1000 bytes, %d of 200 are held, %v", openPain(t, f), err)
	}
	if again, err := api.NewFrames(dir, 1000, f.Room); err != nil || openPain(t, again) != 0 {
		t.Errorf("after a start %d are held, %v", openPain(t, again), err)
	}
}
