// Package render renders the simulated athlete's clips: three.js in a headless
// Chromium draws the pictures, ffmpeg makes the film that a phone would.
package render

import (
	"cmp"
	"context"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"

	"github.com/go-rod/rod"

	"neokinema/core/body"
	"neokinema/core/sim"
	"neokinema/server/browser"
	"neokinema/web"
)

// Outfit is how the simulated athlete looks.
type Outfit struct {
	Skin  string  `json:"skin"`
	Hair  string  `json:"hair"`
	Vest  string  `json:"vest"`
	Short string  `json:"shorts"`
	Shoes string  `json:"shoes"`
	Bun   bool    `json:"bun"`
	Build float64 `json:"build"` // 1 lean, 1.25 a thrower's

	Clothes string `json:"clothes,omitempty"` // vest, tights or loose; empty: vest and shorts
}

// Clothes are what the simulated athlete may wear, Lights what it may be filmed in.
var (
	Clothes = []string{"vest", "tights", "loose"}
	Lights  = []string{"noon", "overcast", "dusk"}
)

// Setting is where and in what light the athlete is filmed, and with what a shutter.
type Setting struct {
	Light   string  // noon where it is empty
	Crowd   bool    // people and hurdles stand behind
	Shutter float64 // s that it is open; 0: every picture is sharp
	Readout float64 // s from a picture's first row to its last; 0: all rows at once
}

// Scene is what is to be filmed, and how.
type Scene struct {
	Movement  sim.Request
	Camera    sim.Camera
	Outfit    Outfit
	Rotated   bool // the file lies on its side and says so in its tag
	Setting   Setting
	Grain     int  // noise of the picture, 0 to 20
	Quality   int  // the encoder's, lower is better; 0: usual
	Forwarded bool // a messenger made it small, and took the tag of its rate
}

// Check tells what of a scene cannot be filmed.
func (o Scene) Check() error {
	if c := o.Outfit.Clothes; c != "" && !slices.Contains(Clothes, c) {
		return fmt.Errorf("clothes %q: choose one of %s", c, strings.Join(Clothes, ", "))
	}
	if l := o.Setting.Light; l != "" && !slices.Contains(Lights, l) {
		return fmt.Errorf("light %q: choose one of %s", l, strings.Join(Lights, ", "))
	}
	for name, s := range map[string]float64{"shutter": o.Setting.Shutter, "read-out": o.Setting.Readout} {
		if s < 0 || s*o.Camera.Capture > 1 {
			return fmt.Errorf("%s of %g s: a picture has %.4f s", name, s, 1/o.Camera.Capture)
		}
	}
	return nil
}

// Simulate simulates what an order asks for.
func (o Scene) Simulate() (sim.Truth, error) {
	m, err := sim.Simulate(o.Movement)
	if err != nil {
		return sim.Truth{}, err
	}
	return o.Camera.Film(m)
}

// OutfitFor is a dress picked by a number, so that the same athlete always looks
// the same.
func OutfitFor(n int, event string, sex body.Sex) Outfit {
	skins := []string{"#8a5a3c", "#c58c68", "#e0b08e", "#5e3a26", "#a8724c", "#d39f7a"}
	hairs := []string{"#1d1513", "#5a3a22", "#2a1d18", "#8a6a3f", "#3a2a24"}
	vests := []string{"#d9a520", "#49a79d", "#a8326a", "#3a6ea5", "#e06a3b", "#6a4fa0", "#2f8f5b"}
	shorts := []string{"#1e2a44", "#20242b", "#33373d"}
	shoes := []string{"#c8452d", "#e5ddca", "#3fae6a", "#2f2f33", "#e6b422"}
	n = max(n, -n)
	build := 1.0
	if b, ok := builds[event]; ok {
		build = b
	}
	return Outfit{Skin: skins[n%len(skins)], Hair: hairs[n%len(hairs)], Vest: vests[n%len(vests)], Short: shorts[n%len(shorts)], Shoes: shoes[n%len(shoes)], Bun: sex == body.Woman, Build: build}
}

// builds are how sturdy the athletes of an event are, common practice.
var builds = map[string]float64{"hammer": 1.2, "weight": 1.22, "discus": 1.16, "shot-glide": 1.2, "shot-rotational": 1.2, "javelin": 1.08}

// Renderer is an open browser with the simulated camera's page.
type Renderer struct {
	page  *rod.Page
	close []func()
}

// Open starts the browser.
func Open() (*Renderer, error) {
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
	s := &Renderer{close: []func(){closing, func() { srv.Close() }}}
	err = rod.Try(func() { s.page = b.MustPage("http://" + l.Addr().String() + "/figure.html").MustWaitLoad() })
	if err != nil {
		s.Close()
		return nil, err
	}
	return s, nil
}

// Close ends the browser.
func (s *Renderer) Close() {
	for _, c := range s.close {
		c()
	}
}

// Load sets the scene for a film.
func (s *Renderer) Load(t sim.Truth, d Outfit, in Setting) error {
	setting := map[string]any{"light": cmp.Or(in.Light, Lights[0]), "crowd": in.Crowd, "shutter": in.Shutter * t.Capture, "readout": in.Readout * t.Capture}
	_, err := s.page.Eval(`async (truth, dress, setting) => { while (!window.load) await new Promise(r => setTimeout(r, 50)); return load(truth, dress, setting) }`, t, d, setting)
	return err
}

// Picture draws frame i as "image/jpeg" or "image/png".
func (s *Renderer) Picture(i int, kind string) ([]byte, error) {
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

// RenderFilm draws an order's pictures and writes them to a file out, as a phone
// would: with the rate it claims and the capture rate in a tag, or with stamps
// that are real.
func (s *Renderer) RenderFilm(ctx context.Context, sc Scene, t sim.Truth, out string, progress func(done, of int)) error {
	if err := sc.Check(); err != nil {
		return err
	}
	if err := s.Load(t, sc.Outfit, sc.Setting); err != nil {
		return err
	}
	folder, err := os.MkdirTemp("", "nk-studio")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	part := out + ".part"
	cmd := exec.CommandContext(ctx, "ffmpeg", encoder(sc, t, folder, part)...)
	cmd.Stderr = os.Stderr
	draw := func(to func(i int, picture []byte) error) error {
		for i := range t.Film {
			picture, err := s.Picture(i, "image/jpeg")
			if err == nil {
				err = ctx.Err()
			}
			if err == nil {
				err = to(i, picture)
			}
			if err != nil {
				return fmt.Errorf("picture %d: %w", i, err)
			}
			progress(i+1, len(t.Film))
		}
		return nil
	}
	if sc.Camera.Variable { // each picture with its own time
		list, err := os.Create(filepath.Join(folder, "list.txt"))
		if err != nil {
			return err
		}
		fmt.Fprintln(list, "ffconcat version 1.0")
		err = draw(func(i int, picture []byte) error {
			name := fmt.Sprintf("%05d.jpg", i)
			next := t.Film[i].T + 1/t.Capture
			if i+1 < len(t.Film) {
				next = t.Film[i+1].T
			}
			fmt.Fprintf(list, "file %s\noption framerate 90000\nduration %.6f\n", name, next-t.Film[i].T)
			return os.WriteFile(filepath.Join(folder, name), picture, 0o600)
		})
		if cerr := list.Close(); err == nil {
			err = cerr
		}
		if err == nil {
			err = cmd.Run()
		}
		if err != nil {
			return fmt.Errorf("film: %w", err)
		}
		return sc.finish(ctx, part, out)
	}
	in, err := cmd.StdinPipe()
	if err != nil {
		return err
	}
	if err := cmd.Start(); err != nil {
		return err
	}
	err = draw(func(_ int, picture []byte) error {
		_, err := io.Copy(in, strings.NewReader(string(picture)))
		return err
	})
	in.Close()
	if werr := cmd.Wait(); err == nil && werr != nil {
		err = fmt.Errorf("ffmpeg: %w", werr)
	}
	if err != nil {
		return err
	}
	return sc.finish(ctx, part, out)
}

// finish gives a film its name; one that lies on its side gets the tag that
// says so, which ffmpeg only writes when it copies; one that is forwarded is encoded
// once more, as messengers do (common practice).
func (sc Scene) finish(ctx context.Context, part, out string) error {
	if sc.Forwarded {
		defer os.Remove(part)
		cmd := exec.CommandContext(ctx, "ffmpeg", "-nostdin", "-v", "error", "-y", "-i", part, "-map_metadata", "-1", "-c:v", "libx264", "-preset", "fast", "-crf", "33", "-pix_fmt", "yuv420p", "-movflags", "+faststart", "-f", "mp4", out)
		if said, err := cmd.CombinedOutput(); err != nil {
			return fmt.Errorf("encode the film once more: %w: %s", err, said)
		}
		return nil
	}
	if !sc.Rotated {
		return os.Rename(part, out)
	}
	defer os.Remove(part)
	cmd := exec.CommandContext(ctx, "ffmpeg", "-nostdin", "-v", "error", "-y", "-i", part, "-c", "copy", "-map_metadata", "0",
		"-movflags", "+faststart+use_metadata_tags", "-metadata:s:v:0", "rotate=270", "-f", "mp4", out)
	if said, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("turn the film: %w: %s", err, said)
	}
	return nil
}

// encoder are ffmpeg's arguments for an order.
func encoder(sc Scene, t sim.Truth, folder, out string) []string {
	args := []string{"-nostdin", "-v", "error", "-y"}
	if sc.Camera.Variable {
		args = append(args, "-f", "concat", "-safe", "0", "-i", filepath.Join(folder, "list.txt"), "-fps_mode", "passthrough", "-enc_time_base", "1:90000", "-video_track_timescale", "90000")
	} else {
		args = append(args, "-f", "image2pipe", "-c:v", "mjpeg", "-framerate", fmt.Sprint(t.Playback), "-i", "pipe:0")
	}
	var filters []string
	if sc.Grain > 0 {
		filters = append(filters, fmt.Sprintf("noise=alls=%d:allf=t", min(sc.Grain, 20)))
	}
	if sc.Rotated {
		filters = append(filters, "transpose=2")
	}
	if len(filters) > 0 {
		args = append(args, "-vf", strings.Join(filters, ","))
	}
	quality := sc.Quality
	if quality == 0 {
		quality = 26
	}
	args = append(args, "-c:v", "libx264", "-preset", "slow", "-crf", fmt.Sprint(quality), "-pix_fmt", "yuv420p", "-g", "60", "-bf", "3", "-movflags", "+faststart+use_metadata_tags")
	if t.Playback != t.Capture {
		args = append(args, "-metadata", fmt.Sprintf("com.android.capture.fps=%g", t.Capture))
	}
	return append(args, "-f", "mp4", out)
}

// WriteTruth writes a truth file.
func WriteTruth(t sim.Truth, out string) error {
	data, err := json.Marshal(t)
	if err != nil {
		return err
	}
	return os.WriteFile(out, append(data, '\n'), 0o644)
}
