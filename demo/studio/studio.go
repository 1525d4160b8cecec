// Package studio renders the simulated athlete's clips: three.js in a headless
// Chromium draws the pictures, ffmpeg makes the film that a phone would.
package studio

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"

	"github.com/go-rod/rod"

	"neokinema/core/sim"
	"neokinema/demo"
	"neokinema/server/browser"
	"neokinema/web"
)

// Studio is an open browser with the simulated camera's page.
type Studio struct {
	page  *rod.Page
	close []func()
}

// Open starts the browser.
func Open() (*Studio, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	srv := &http.Server{Handler: http.FileServerFS(web.Dist())}
	go srv.Serve(l)
	b, closing, err := browser.Open()
	if err != nil {
		srv.Close()
		return nil, err
	}
	s := &Studio{close: []func(){closing, func() { srv.Close() }}}
	err = rod.Try(func() { s.page = b.MustPage("http://" + l.Addr().String() + "/figure.html").MustWaitLoad() })
	if err != nil {
		s.Close()
		return nil, err
	}
	return s, nil
}

// Close ends the browser.
func (s *Studio) Close() {
	for _, c := range s.close {
		c()
	}
}

// Load sets the scene for a film.
func (s *Studio) Load(t sim.Truth, d demo.Dress) error {
	_, err := s.page.Eval(`async (truth, dress) => { while (!window.load) await new Promise(r => setTimeout(r, 50)); return load(truth, dress) }`, t, d)
	return err
}

// Picture draws frame i as "image/jpeg" or "image/png".
func (s *Studio) Picture(i int, kind string) ([]byte, error) {
	r, err := s.page.Eval(`(i, kind) => draw(i, kind)`, i, kind)
	if err != nil {
		return nil, err
	}
	_, data, ok := strings.Cut(r.Value.Str(), ",")
	if !ok {
		return nil, fmt.Errorf("picture %d came back empty", i)
	}
	return base64.StdEncoding.DecodeString(data)
}

// Render films a scenario into folder: NAME.mp4 as a phone's slow motion
// export with its capture rate in a tag, and NAME.truth.json.
func (s *Studio) Render(ctx context.Context, sc demo.Scenario, folder string, progress func(done, of int)) error {
	t, err := sc.Film()
	if err != nil {
		return err
	}
	if err := s.Load(t, sc.Dress); err != nil {
		return err
	}
	out := filepath.Join(folder, sc.Name+".mp4")
	part := out + ".part"
	cmd := exec.CommandContext(ctx, "ffmpeg", "-nostdin", "-v", "error", "-y",
		"-f", "image2pipe", "-c:v", "mjpeg", "-framerate", fmt.Sprint(demo.PlaybackRate), "-i", "pipe:0",
		"-c:v", "libx264", "-preset", "veryslow", "-crf", "29", "-pix_fmt", "yuv420p", "-g", "120", "-bf", "3",
		"-movflags", "+faststart+use_metadata_tags", "-metadata", fmt.Sprintf("com.android.capture.fps=%g", demo.CaptureRate),
		"-f", "mp4", part)
	cmd.Stderr = os.Stderr
	in, err := cmd.StdinPipe()
	if err != nil {
		return err
	}
	if err := cmd.Start(); err != nil {
		return err
	}
	for i := range t.Film {
		picture, err := s.Picture(i, "image/jpeg")
		if err == nil {
			_, err = in.Write(picture)
		}
		if err != nil {
			in.Close()
			_ = cmd.Wait()
			return fmt.Errorf("picture %d: %w", i, err)
		}
		progress(i+1, len(t.Film))
	}
	in.Close()
	if err := cmd.Wait(); err != nil {
		return fmt.Errorf("ffmpeg: %w", err)
	}
	data, err := json.Marshal(t)
	if err != nil {
		return err
	}
	if err := os.WriteFile(filepath.Join(folder, sc.Name+".truth.json"), append(data, '\n'), 0o644); err != nil {
		return err
	}
	return os.Rename(part, out)
}
