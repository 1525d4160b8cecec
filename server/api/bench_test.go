package api_test

import (
	"fmt"
	"io"
	"sync/atomic"
	"testing"

	"neokinema/server/store"
)

// BenchmarkPicture reads pictures over HTTP, many at once.
func BenchmarkPicture(b *testing.B) {
	h := open(b, false)
	h.enter("tove", "coach", store.NewID())
	id, clip := h.film(h.attempt(), clean(b), "a.mp4")
	var n atomic.Int64
	b.ReportAllocs()
	b.ResetTimer()
	b.RunParallel(func(pb *testing.PB) {
		for pb.Next() {
			answer, err := h.http.Get(fmt.Sprintf("%s/api/clips/%s/frames/%d", h.base, id, n.Add(1)%int64(clip.Frames)))
			if err != nil {
				b.Error(err)
				return
			}
			_, _ = io.Copy(io.Discard, answer.Body)
			answer.Body.Close()
		}
	})
}

// BenchmarkReading computes all measures and the judging of an attempt anew.
func BenchmarkReading(b *testing.B) {
	h := open(b, false)
	h.enter("tove", "coach", store.NewID())
	attempt := h.attempt()
	h.film(attempt, clean(b), "a.mp4")
	h.command(attempt, 0, map[string]any{"kind": "stamp", "keyId": "set", "frame": 139}, nil)
	for b.Loop() {
		b.StopTimer()
		if _, err := h.store.DB.Exec(`delete from run`); err != nil {
			b.Fatal(err)
		}
		b.StartTimer()
		h.want(200, "GET", "/api/attempts/"+attempt+"/reading", nil, nil)
	}
}
