package api

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"net/http/pprof"
	"net/netip"
	"strings"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"neokinema/server/disk"
)

// slowRequest is from when on a request is worth a warning.
const slowRequest = 2 * time.Second

type requestKey struct{}

// requestID names a request in the log and in an answer that tells of an error.
func requestID(ctx context.Context) string {
	id, _ := ctx.Value(requestKey{}).(string)
	return id
}

// watch gives every request an id, logs it when it is over, and counts it.
func (s *Server) watch(latency *prometheus.HistogramVec) echo.MiddlewareFunc {
	return func(next echo.HandlerFunc) echo.HandlerFunc {
		return func(c *echo.Context) error {
			r := c.Request()
			id := rand.Text()[:10]
			c.SetRequest(r.WithContext(context.WithValue(r.Context(), requestKey{}, id)))
			c.Response().Header().Set("X-Request-Id", id)
			begin := time.Now()
			err := next(c)
			if err != nil { // the answer is written here, so that its status is known
				s.problem(c, err)
			}
			took, status := time.Since(begin), 0
			if w, uerr := echo.UnwrapResponse(c.Response()); uerr == nil {
				status = w.Status
			}
			route := c.Path()
			if route == "" || route == "/*" {
				route = "interface"
			}
			latency.WithLabelValues(r.Method, route, fmt.Sprint(status)).Observe(took.Seconds())
			level := slog.LevelInfo
			switch {
			case status >= 500:
				level = slog.LevelError
			case took > slowRequest && !strings.HasSuffix(route, "/progress") && !strings.HasSuffix(route, "/bytes"):
				level = slog.LevelWarn
			case allowsFraming(r.URL.Path):
				level = slog.LevelDebug
			}
			if s.Log.Enabled(r.Context(), level) {
				attrs := []slog.Attr{slog.String("id", id), slog.String("method", r.Method), slog.String("path", r.URL.Path), slog.Int("status", status), slog.Duration("took", took), slog.String("from", c.RealIP())}
				if who := me(c); who.Login != "" {
					attrs = append(attrs, slog.String("account", who.ID.String()))
				}
				if err != nil {
					attrs = append(attrs, slog.String("error", err.Error()))
				}
				s.Log.LogAttrs(r.Context(), level, "request", attrs...)
			}
			return nil
		}
	}
}

// registry gathers what the program measures of itself.
func (s *Server) registry() (*prometheus.Registry, *prometheus.HistogramVec) {
	r := prometheus.NewRegistry()
	latency := prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "neokinema_request_seconds", Help: "How long requests took, by route.", Buckets: []float64{.001, .0025, .005, .01, .025, .05, .1, .25, .5, 1, 2.5, 5, 10}}, []string{"method", "route", "status"})
	gauge := func(name, help string, value func() float64) prometheus.Collector {
		return prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: "neokinema_" + name, Help: help}, value)
	}
	r.MustRegister(latency,
		gauge("disk_free_bytes", "Bytes that the disk has left.", func() float64 {
			if s.Room.Free == nil {
				return 0
			}
			free, err := s.Room.Free()
			if err != nil {
				return -1
			}
			return float64(free)
		}),
		gauge("disk_reserve_bytes", "Bytes that films leave free.", func() float64 { return float64(s.Room.Reserve) }),
		gauge("database_connections", "Connections that are open.", func() float64 { return float64(s.Store.Pool.Stat().TotalConns()) }),
		gauge("database_connections_used", "Connections that are in use.", func() float64 { return float64(s.Store.Pool.Stat().AcquiredConns()) }),
		gauge("database_waits_total", "How often a request waited for a connection.", func() float64 { return float64(s.Store.Pool.Stat().EmptyAcquireCount()) }),
	)
	if m, ok := s.Tasks.(interface{ Metrics() []prometheus.Collector }); ok {
		r.MustRegister(m.Metrics()...)
	}
	return r, latency
}

// isLoopback reports whether a request comes from the machine itself, and by no proxy.
func isLoopback(r *http.Request) bool {
	a, err := netip.ParseAddrPort(r.RemoteAddr)
	return err == nil && a.Addr().Unmap().IsLoopback() && r.Header.Get("X-Forwarded-For") == ""
}

// owned lets the club's owner in.
func (s *Server) owned(next http.Handler) echo.HandlerFunc {
	return func(c *echo.Context) error {
		a, _, err := s.who(c.Request())
		if err != nil {
			return err
		}
		if a.Role != "owner" {
			return echo.NewHTTPError(http.StatusForbidden, "only the club's owner may do this")
		}
		next.ServeHTTP(c.Response(), c.Request())
		return nil
	}
}

// operate adds the routes for whoever keeps the program running.
func (s *Server) operate(e *echo.Echo, registry *prometheus.Registry) {
	e.GET("/healthz", s.health)
	metrics := promhttp.HandlerFor(registry, promhttp.HandlerOpts{})
	e.GET("/metrics", func(c *echo.Context) error {
		if isLoopback(c.Request()) {
			metrics.ServeHTTP(c.Response(), c.Request())
			return nil
		}
		return s.owned(metrics)(c)
	})
	for path, h := range map[string]http.HandlerFunc{"/debug/pprof/*": pprof.Index, "/debug/pprof/profile": pprof.Profile, "/debug/pprof/symbol": pprof.Symbol, "/debug/pprof/trace": pprof.Trace, "/debug/pprof/cmdline": pprof.Cmdline} {
		e.GET(path, func(c *echo.Context) error {
			if !isLoopback(c.Request()) {
				return echo.NewHTTPError(http.StatusNotFound, "profiles are taken at the machine itself")
			}
			return s.owned(h)(c)
		})
	}
}

// health says whether the program can do its work: 200, or 503 with what cannot.
func (s *Server) health(c *echo.Context) error {
	ctx, stop := context.WithTimeout(c.Request().Context(), 3*time.Second)
	defer stop()
	out := struct {
		Status   string `json:"status"`
		Database string `json:"database"`
		Room     string `json:"room"`
		Queue    string `json:"queue"`
	}{"ok", "ok", "ok", "ok"}
	status := http.StatusOK
	fail := func(part *string, says string) {
		*part, out.Status, status = says, "not well", http.StatusServiceUnavailable
	}
	if q, err := s.Store.Queue(ctx); err != nil {
		fail(&out.Database, "does not answer")
		out.Queue = "not known"
	} else if q.Oldest > queueStuck.Seconds() {
		fail(&out.Queue, fmt.Sprintf("%d wait, the oldest for %.0f s", q.Waiting, q.Oldest))
	}
	if err := s.Room.Check(0); errors.As(err, new(disk.Low)) { // a warning: all but films goes on
		out.Room = "low"
	} else if err != nil {
		fail(&out.Room, "cannot be told")
	}
	c.Response().Header().Set("Cache-Control", "no-store")
	return c.JSON(status, out)
}

// queueStuck is how long a job may be due and not begun.
const queueStuck = 30 * time.Minute
