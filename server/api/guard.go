package api

import (
	"errors"
	"io"
	"net"
	"net/http"
	"net/netip"
	"strings"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"neokinema/server/auth"
)

// What a request may take, by who asks.
const (
	strangerBody = 16 << 10 // bytes of a body from somebody who is not signed in
	memberBody   = 2 << 20  // as much from somebody who is
	slowestBody  = 20 * time.Second
	// slowestPart is how long an upload may rest between two of its parts.
	slowestPart = 60 * time.Second
	// strangers may ask this often from one address, and so many of them at once.
	strangerRate, strangerBurst = 5, 40
	strangersAtOnce             = 32
)

// open are the routes that need no sign-in.
var open = map[string]bool{"/api/state": true, "/api/sign-in": true, "/api/sign-in/demo": true, "/api/sign-in/owner": true, "/api/sign-out": true, "/healthz": true}

// isScriptPath are routes where a person decides who may what: a script's token does not
// open them.
func isScriptPath(path string) bool {
	return strings.HasPrefix(path, "/api/me/") || strings.HasPrefix(path, "/api/accounts")
}

// Proxies are those whom the program believes from where a request comes, and
// whether it came encrypted: NEOKINEMA_PROXY.
type Proxies []netip.Prefix

// ParseProxies reads addresses and networks with commas between them.
func ParseProxies(text string) (Proxies, error) {
	var out Proxies
	for _, word := range strings.FieldsFunc(text, func(r rune) bool { return r == ',' || r == ' ' }) {
		p, err := netip.ParsePrefix(word)
		if err != nil {
			a, aerr := netip.ParseAddr(word)
			if aerr != nil {
				return nil, errors.New("NEOKINEMA_PROXY: " + word + " is neither an address nor a network, as in 10.0.0.2 or 10.0.0.0/24")
			}
			p = netip.PrefixFrom(a, a.BitLen())
		}
		out = append(out, p.Masked())
	}
	return out, nil
}

// trusts reports whether a request was handed on by one of them.
func (p Proxies) trusts(r *http.Request) bool {
	a, err := netip.ParseAddrPort(r.RemoteAddr)
	if err != nil {
		return false
	}
	for _, n := range p {
		if n.Contains(a.Addr().Unmap()) {
			return true
		}
	}
	return false
}

// from is the address of who asks: the last one before a proxy that is believed.
func (p Proxies) from() echo.IPExtractor {
	if len(p) == 0 {
		return echo.ExtractIPDirect()
	}
	options := []echo.TrustOption{echo.TrustLoopback(false), echo.TrustLinkLocal(false), echo.TrustPrivateNet(false)}
	for _, n := range p {
		_, network, err := net.ParseCIDR(n.String())
		if err == nil {
			options = append(options, echo.TrustIPRange(network))
		}
	}
	return echo.ExtractIPFromXFFHeader(options...)
}

// secure reports whether a request came encrypted all the way.
func (s *Server) secure(r *http.Request) bool {
	return r.TLS != nil || s.Proxies.trusts(r) && r.Header.Get("X-Forwarded-Proto") == "https"
}

// allowsDemo reports whether the demo's coach may come in without a password: at the
// machine itself, by one of its own names, and never while other devices are let in.
func (s *Server) allowsDemo(r *http.Request) bool {
	if s.DemoLogin == "" || s.Listens || r.TLS != nil {
		return false
	}
	host := r.Host
	if h, _, err := net.SplitHostPort(host); err == nil {
		host = h
	}
	a, err := netip.ParseAddrPort(r.RemoteAddr)
	ip, _ := netip.ParseAddr(strings.Trim(host, "[]"))
	return err == nil && a.Addr().Unmap().IsLoopback() && r.Header.Get("X-Forwarded-For") == "" && (strings.EqualFold(host, "localhost") || ip.IsLoopback())
}

// allowsFraming are the addresses of a film's pictures.
func allowsFraming(path string) bool {
	return strings.HasPrefix(path, "/api/clips/") && strings.Contains(path, "/frames/")
}

var errStranger = echo.NewHTTPError(http.StatusUnauthorized, "sign in first")

// middleware lets in who is signed in, and strangers only where anybody may ask: little at
// a time, and not too often.
func (s *Server) middleware() []echo.MiddlewareFunc {
	often := middleware.RateLimiterWithConfig(middleware.RateLimiterConfig{
		Skipper:             func(c *echo.Context) bool { return c.Request().Method == http.MethodGet },
		Store:               middleware.NewRateLimiterMemoryStoreWithConfig(middleware.RateLimiterMemoryStoreConfig{Rate: strangerRate, Burst: strangerBurst, ExpiresIn: 10 * time.Minute}),
		IdentifierExtractor: func(c *echo.Context) (string, error) { return c.RealIP(), nil },
		DenyHandler: func(*echo.Context, string, error) error {
			return echo.NewHTTPError(http.StatusTooManyRequests, "too many requests come from your address: wait a few seconds")
		},
	})
	small := middleware.BodyLimit(strangerBody)
	atOnce := make(chan struct{}, strangersAtOnce)
	stranger := func(next echo.HandlerFunc) echo.HandlerFunc {
		return often(small(func(c *echo.Context) error {
			select {
			case atOnce <- struct{}{}:
				defer func() { <-atOnce }()
				return next(c)
			default:
				return echo.NewHTTPError(http.StatusServiceUnavailable, "too many people are at the door: try again in a few seconds")
			}
		}))
	}
	large := middleware.BodyLimit(memberBody)
	return []echo.MiddlewareFunc{withDeadlines, func(next echo.HandlerFunc) echo.HandlerFunc {
		asStranger, asMember := stranger(next), large(next)
		return func(c *echo.Context) error {
			r := c.Request()
			path := r.URL.Path
			if path == "/healthz" || !strings.HasPrefix(path, "/api/") || allowsFraming(path) && r.Method == http.MethodGet {
				return next(c) // pictures find who asks with their rights
			}
			a, how, err := s.who(r)
			switch {
			case errors.Is(err, errStranger) && open[path]:
				return asStranger(c)
			case err != nil:
				return err
			case how != auth.ByCookie && isScriptPath(path):
				return echo.NewHTTPError(http.StatusForbidden, "a script's token does not open this: sign in")
			case how == auth.ByReadingToken && r.Method != http.MethodGet && r.Method != http.MethodHead:
				return echo.NewHTTPError(http.StatusForbidden, "this token reads only")
			}
			c.SetRequest(r.WithContext(withAccount(r.Context(), a)))
			if strings.HasSuffix(path, "/bytes") {
				return next(c) // a film; it is bounded by what was declared
			}
			return asMember(c)
		}
	}}
}

// withDeadlines ends connections whose body comes too slowly: a whole one within a moment,
// a film's part by part. After the body's end there is no limit.
func withDeadlines(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		if r.Body == nil || r.Body == http.NoBody {
			return next(c)
		}
		b := &slowBody{ReadCloser: r.Body, control: http.NewResponseController(c.Response())}
		if strings.HasSuffix(r.URL.Path, "/bytes") {
			b.part = slowestPart
		}
		b.until(time.Now().Add(slowestBody))
		r.Body = b
		return next(c)
	}
}

// slowBody is a body that must go on arriving.
type slowBody struct {
	io.ReadCloser
	control *http.ResponseController
	part    time.Duration // within which the next part must come; 0: all in one time
}

func (t *slowBody) Read(p []byte) (int, error) {
	if t.part > 0 {
		t.until(time.Now().Add(t.part))
	}
	n, err := t.ReadCloser.Read(p)
	if errors.Is(err, io.EOF) {
		t.until(time.Time{})
	}
	return n, err
}

// until sets when the connection is given up. One that knows no deadline has none.
func (t *slowBody) until(when time.Time) { _ = t.control.SetReadDeadline(when) }
