package api

import (
	"context"
	"errors"
	"io/fs"
	"log/slog"
	"net/http"
	"strings"
	"time"

	"github.com/jmoiron/sqlx"
	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"github.com/google/uuid"

	"neokinema/core/playbook"
	"neokinema/server/auth"
	"neokinema/server/store"
)

// Jobs puts clips in line for the background, as part of a transaction.
type Jobs interface {
	Look(ctx context.Context, tx *sqlx.Tx, clip uuid.UUID) error
	Decode(ctx context.Context, tx *sqlx.Tx, clip uuid.UUID) error
	Film(ctx context.Context, tx *sqlx.Tx, filming uuid.UUID) error
	Follow(ctx context.Context, tx *sqlx.Tx, following uuid.UUID) error
	Rejudge(ctx context.Context, tx *sqlx.Tx, change uuid.UUID) error
}

// Server answers requests.
type Server struct {
	Store     *store.Store
	Jobs      Jobs
	Playbooks map[string]playbook.Event
	DemoLogin string // the demo coach's sign-in name; empty outside demo
	Log       *slog.Logger
	Now       func() time.Time
	Free      func() (int64, error) // bytes that the disk has left
	Authority []byte                // the certificate that other devices must trust, DER; nil when none is needed
}

var _ ServerInterface = (*Server)(nil)

// Handler serves the contract under /api, and the interface elsewhere.
func (s *Server) Handler(web fs.FS) http.Handler {
	e := echo.New()
	e.Logger = s.Log
	e.HTTPErrorHandler = s.problem
	e.Use(middleware.Recover(), middleware.Secure(), headers)
	e.Use(middleware.GzipWithConfig(middleware.GzipConfig{Skipper: func(c *echo.Context) bool {
		return !strings.HasPrefix(c.Request().URL.Path, "/assets/") && !strings.HasSuffix(c.Request().URL.Path, "/reading") && !strings.HasSuffix(c.Request().URL.Path, "/commands")
	}}))
	e.Use(addressed, s.identify)
	RegisterHandlers(e, s)
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

// open are the routes that need no sign-in.
var open = map[string]bool{"/api/state": true, "/api/sign-in": true, "/api/sign-in/demo": true, "/api/sign-in/owner": true, "/api/sign-out": true}

// identify finds who asks; every other route of the contract turns strangers away.
func (s *Server) identify(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		if !strings.HasPrefix(r.URL.Path, "/api/") {
			return next(c)
		}
		a, err := auth.Who(r, s.Store)
		switch {
		case err == nil:
			c.SetRequest(r.WithContext(context.WithValue(r.Context(), accountKey{}, a)))
		case !errors.Is(err, store.ErrNotFound):
			return err
		case !open[r.URL.Path]:
			return echo.NewHTTPError(http.StatusUnauthorized, "sign in first")
		}
		return next(c)
	}
}

// me is who asks.
func me(c *echo.Context) store.Account {
	a, _ := c.Request().Context().Value(accountKey{}).(store.Account)
	return a
}

// problem turns errors into sentences.
func (s *Server) problem(c *echo.Context, err error) {
	status, message := http.StatusInternalServerError, "something went wrong here; what was acknowledged is kept, please try again"
	var bad store.Invalid
	var taken store.Taken
	var forbidden store.Forbidden
	var he *echo.HTTPError
	var sc echo.HTTPStatusCoder
	switch {
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
	case store.IsFull(err):
		status, message = http.StatusInsufficientStorage, store.ErrFull.Error()
	case errors.As(err, &he):
		status, message = he.Code, he.Message
	case errors.As(err, &sc):
		status, message = sc.StatusCode(), err.Error()
	default:
		s.Log.Error("request failed", "path", c.Request().URL.Path, "error", err)
	}
	if r, _ := echo.UnwrapResponse(c.Response()); r != nil && r.Committed {
		return
	}
	if err := c.JSON(status, Problem{Message: message}); err != nil {
		s.Log.Error("answer failed", "error", err)
	}
}
