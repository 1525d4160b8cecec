// Package browser starts Debian's Chromium without a screen, for the clip
// renderer and for tests of the real interface.
package browser

import (
	"errors"
	"fmt"
	"os"
	"os/exec"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/launcher"
	"github.com/go-rod/rod/lib/launcher/flags"
)

// ErrNone is returned where no Chromium is installed.
var ErrNone = errors.New("no Chromium is installed: apt-get install chromium")

// Open starts a browser with a new, empty profile. Closing ends it and removes
// the profile.
func Open() (b *rod.Browser, closing func(), err error) {
	bin, err := exec.LookPath("chromium")
	if err != nil {
		return nil, nil, ErrNone
	}
	profile, err := os.MkdirTemp("", "neokinema-browser-")
	if err != nil {
		return nil, nil, err
	}
	l := launcher.New().Bin(bin).HeadlessNew(true).NoSandbox(os.Geteuid() == 0).Leakless(true).UserDataDir(profile)
	for _, f := range []string{"disable-quic", "disable-component-update", "disable-background-networking", "disable-sync", "no-first-run", "enable-unsafe-swiftshader"} {
		l.Set(flags.Flag(f))
	}
	l.Set("use-angle", "swiftshader").Set("window-size", "1280,800")
	url, err := l.Launch()
	if err != nil {
		os.RemoveAll(profile)
		return nil, nil, fmt.Errorf("start Chromium: %w", err)
	}
	b = rod.New().ControlURL(url).NoDefaultDevice()
	if err := b.Connect(); err != nil {
		l.Kill()
		os.RemoveAll(profile)
		return nil, nil, err
	}
	return b, func() {
		_ = b.Close()
		l.Kill()
		l.Cleanup()
	}, nil
}
