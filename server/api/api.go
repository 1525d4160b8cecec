// Package api answers HTTP requests by the contract in api/openapi.yaml. A
// handler checks who asks, decodes, calls a room of use cases and encodes; it
// holds no rule of the job.
package api

import (
	"context"
	"errors"
	"io/fs"
	"log/slog"
	"net/http"
	"regexp"
	"strings"
	"time"

	"github.com/jmoiron/sqlx"
	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"github.com/google/uuid"

	"neokinema/core/playbook"
	"neokinema/server/auth"
	"neokinema/server/disk"
	"neokinema/server/store"
)

// Tasks puts work in line for the background, as part of a transaction.
type Tasks interface {
	Enqueue(ctx context.Context, tx *sqlx.Tx, task uuid.UUID, epoch int) error
}

// Server answers requests.
type Server struct {
	Store     *store.Store
	Tasks     Tasks
	Playbooks map[string]playbook.Event
	DemoLogin string // the demo coach's sign-in name; empty outside demo
	Log       *slog.Logger
	Now       func() time.Time
	Room      disk.Room // on the disk
	Frames    *Frames   // pictures at hand; nil: all come from the database
	Proxies   Proxies   // who is believed about where a request comes from
	Listens   bool      // other devices are let in
	Models    string    // the folder of the body models
	Authority []byte    // the certificate that other devices must trust, DER; nil when none is needed
}

var _ ServerInterface = (*Server)(nil)

// Handler serves the contract under /api, and the interface elsewhere.
func (s *Server) Handler(web fs.FS) http.Handler {
	e := echo.New()
	e.Logger = s.Log
	e.HTTPErrorHandler = s.problem
	e.IPExtractor = s.Proxies.from()
	registry, latency := s.registry()
	e.Use(s.watch(latency), middleware.Recover(), middleware.Secure(), headers)
	e.Use(middleware.GzipWithConfig(middleware.GzipConfig{Skipper: func(c *echo.Context) bool {
		return !strings.HasPrefix(c.Request().URL.Path, "/assets/") && !strings.HasSuffix(c.Request().URL.Path, "/reading") && !strings.HasSuffix(c.Request().URL.Path, "/commands")
	}}))
	e.Use(addressed, s.idempotent)
	e.Use(s.middleware()...)
	e.Use(s.noStore)
	RegisterHandlers(e, s)
	s.operate(e, registry)
	e.GET("/certificate.crt", s.certificate)
	e.GET("/*", pages(web))
	return http.NewCrossOriginProtection().Handler(e)
}

// headers keep the page to what ships with it.
func headers(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		h := c.Response().Header()
		h.Set("Content-Security-Policy", "default-src 'self'; img-src 'self' blob: data:; style-src 'self' 'unsafe-inline'; frame-ancestors 'none'")
		h.Set("Referrer-Policy", "same-origin")
		return next(c)
	}
}

// certificate lets a device trust this program.
func (s *Server) certificate(c *echo.Context) error {
	if s.Authority == nil {
		return store.ErrNotFound
	}
	return c.Blob(http.StatusOK, "application/x-x509-ca-cert", s.Authority)
}

// pages serves the interface; addresses without a file are the app's own.
func pages(web fs.FS) echo.HandlerFunc {
	files := http.FileServerFS(web)
	return func(c *echo.Context) error {
		r := c.Request()
		path := strings.TrimPrefix(r.URL.Path, "/")
		if _, err := fs.Stat(web, path); err != nil || path == "" {
			if strings.HasPrefix(path, "assets/") || strings.HasPrefix(path, "api/") {
				return store.ErrNotFound
			}
			r.URL.Path = "/"
		}
		h := c.Response().Header()
		h.Set("Cache-Control", "no-cache")
		if strings.HasPrefix(path, "assets/") {
			h.Set("Cache-Control", "public, max-age=31536000, immutable")
		}
		files.ServeHTTP(c.Response(), r)
		return nil
	}
}

type accountKey struct{}

// idempotent asks again what only reads, when the database was away: it may have been
// started again, and connections to the one before are dead.
func (s *Server) idempotent(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		err := next(c)
		if c.Request().Method != http.MethodGet || !store.IsAway(err) || c.Request().Context().Err() != nil {
			return err
		}
		if r, _ := echo.UnwrapResponse(c.Response()); r == nil || r.Committed {
			return err
		}
		s.Store.Pool.Reset()
		return next(c)
	}
}

// noStore makes rights be asked for anew after every change, and takes the pictures
// of what was erased off the disk before the answer.
func (s *Server) noStore(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		method := c.Request().Method
		if s.Frames == nil || method == http.MethodGet || method == http.MethodHead {
			return next(c)
		}
		err := next(c)
		s.Frames.Forget()
		if method == http.MethodDelete && err == nil && clipOf.MatchString(c.Request().URL.Path) {
			s.dropFrames(context.WithoutCancel(c.Request().Context()))
		}
		return err
	}
}

// clipOf are the addresses of what films hang on.
var clipOf = regexp.MustCompile(`^/api/(clips|attempts|athletes|accounts)/`)

// dropFrames takes the pictures of films that are no more off the disk.
func (s *Server) dropFrames(ctx context.Context) {
	there, err := s.Store.ClipIDs(ctx)
	if err == nil {
		err = s.Frames.Drop(there)
	}
	if err != nil {
		s.Log.Error("drop pictures at hand", "error", err)
	}
}

// TidyFrames drops pictures of films that are no more, and bounds the others.
func (s *Server) TidyFrames(ctx context.Context) {
	s.dropFrames(ctx)
	if err := s.Frames.Bound(); err != nil {
		s.Log.Error("bound the pictures at hand", "error", err)
	}
}

// who finds who asks, or says that they are a stranger.
func (s *Server) who(r *http.Request) (store.Account, auth.Way, error) {
	a, how, err := auth.Who(r, s.Store)
	if errors.Is(err, store.ErrNotFound) {
		return a, how, errStranger
	}
	return a, how, err
}

func withAccount(ctx context.Context, a store.Account) context.Context {
	return context.WithValue(ctx, accountKey{}, a)
}

// me is who asks.
func me(c *echo.Context) store.Account {
	a, _ := c.Request().Context().Value(accountKey{}).(store.Account)
	return a
}

// gone is the status of a request whose asker left before the answer, as web
// servers log it (a convention of nginx; RFC 9110 has none).
const gone = 499

// problem turns errors into sentences.
func (s *Server) problem(c *echo.Context, err error) {
	status, message := http.StatusInternalServerError, "something went wrong here; what was acknowledged is kept, please try again"
	var bad store.Invalid
	var taken store.AlreadyExists
	var forbidden store.Forbidden
	var low disk.Low
	var he *echo.HTTPError
	var sc echo.HTTPStatusCoder
	switch {
	case errors.Is(err, context.Canceled) && c.Request().Context().Err() != nil:
		status, message = gone, "the one who asked went away"
	case errors.As(err, &bad):
		status, message = http.StatusUnprocessableEntity, bad.Error()
	case errors.As(err, &taken):
		status, message = http.StatusConflict, taken.Error()
	case errors.As(err, &forbidden):
		status, message = http.StatusForbidden, forbidden.Error()
	case errors.Is(err, store.ErrNotFound):
		status, message = http.StatusNotFound, err.Error()
	case errors.Is(err, auth.ErrWrong):
		status, message = http.StatusUnauthorized, err.Error()
	case errors.Is(err, auth.ErrTooMany):
		status, message = http.StatusTooManyRequests, err.Error()
	case errors.Is(err, auth.ErrBusy):
		status, message = http.StatusServiceUnavailable, err.Error()
	case errors.As(err, &low):
		status, message = http.StatusInsufficientStorage, low.Error()
	case store.IsFull(err):
		status, message = http.StatusInsufficientStorage, store.ErrFull.Error()
	case errors.As(err, &he):
		status, message = he.Code, he.Message
	case errors.As(err, &sc):
		status, message = sc.StatusCode(), err.Error()
	case store.IsAway(err):
		status, message = http.StatusServiceUnavailable, "the database is being started again; what was acknowledged is kept: try again in a few seconds"
	}
	if r, _ := echo.UnwrapResponse(c.Response()); r != nil && r.Committed {
		return
	}
	if err := c.JSON(status, Problem{Message: message, Request: new(requestID(c.Request().Context()))}); err != nil {
		s.Log.Error("answer failed", "error", err)
	}
}
