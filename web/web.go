// Package web is the school's face: routes, pages and fragments, errors as
// sentences, sessions and limits. It decides nothing about who may do what or
// what a mark is; it asks school and shows the answer.
package web

import (
	"crypto/rand"
	"fmt"
	"html/template"
	"log/slog"
	"net/http"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"readymargin/school/services"
)

// Config says how the site is served.
type Config struct {
	Sessions scs.CtxStore // keeps the sessions
	Origin   string       // where people find the site, as "https://margin.example"
	Secure   bool         // served over TLS, or behind a proxy that does
	Ready    func() error
	// Seen is told of every answer but event streams; nil for nobody.
	Seen func(method, route string, status int, took time.Duration)
}

// Site serves a school.
type Site struct {
	school   *services.All
	sessions *scs.SessionManager
	pages    *template.Template
	assets   *assets
	turns    *turns
	progress progress
	origins  *http.CrossOriginProtection
	cfg      Config
}

// New returns the handler of the whole site.
func New(s *services.All, cfg Config) (http.Handler, error) {
	a, err := loadAssets()
	if err != nil {
		return nil, err
	}
	site := &Site{school: s, assets: a, turns: newTurns(), cfg: cfg, sessions: scs.New(), origins: http.NewCrossOriginProtection()}
	if cfg.Origin != "" { // a proxy may give another name to the host
		if err := site.origins.AddTrustedOrigin(cfg.Origin); err != nil {
			return nil, fmt.Errorf("web: %w", err)
		}
	}
	if site.pages, err = parsePages(a); err != nil {
		return nil, fmt.Errorf("web: %w", err)
	}
	site.sessions.Store = cfg.Sessions
	site.sessions.Codec = SessionCodec{}
	site.sessions.Lifetime = 14 * 24 * time.Hour
	site.sessions.Cookie.Name = sessionCookie
	site.sessions.Cookie.Secure = cfg.Secure
	site.sessions.Cookie.SameSite = http.SameSiteLaxMode
	e := echo.New()
	e.HTTPErrorHandler = site.fail
	site.sessions.ErrorFunc = func(w http.ResponseWriter, r *http.Request, err error) { site.fail(e.NewContext(r, w), err) }
	e.Logger = slog.Default()
	e.IPExtractor = echo.ExtractIPDirect()
	if cfg.Secure {
		e.IPExtractor = echo.ExtractIPFromXFFHeader() // trusts loopback and private addresses only
	}
	e.Use(site.headers, site.seen, middleware.Recover(), gzipped)
	site.routes(e)
	return e, nil
}

// requestID is the header by which an answer and its lines in the log find
// each other.
const requestID = "X-Request-Id"

// seen tells of answers.
func (s *Site) seen(next echo.HandlerFunc) echo.HandlerFunc {
	if s.cfg.Seen == nil {
		return next
	}
	return func(c *echo.Context) error {
		began := time.Now()
		err := next(c)
		if c.Path() == feedPath {
			return err
		}
		status := http.StatusOK
		if r, unwrapErr := echo.UnwrapResponse(c.Response()); err != nil {
			status = s.say(err).status
		} else if unwrapErr == nil {
			status = r.Status
		}
		s.cfg.Seen(c.Request().Method, c.Path(), status, time.Since(began))
		return err
	}
}

// policy is the Content-Security-Policy of every page: nothing from anywhere
// else, no inline script or style. WebAssembly runs the core.
const policy = "default-src 'none'; script-src 'self' 'wasm-unsafe-eval'; style-src 'self'; img-src 'self' data: blob:; " +
	"font-src 'self'; connect-src 'self'; media-src 'self' blob:; manifest-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"

// headers sets what every answer has, and an id for the log.
func (s *Site) headers(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		h := c.Response().Header()
		h.Set(requestID, rand.Text())
		h.Set("Content-Security-Policy", policy)
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
		h.Set("Permissions-Policy", "microphone=(self), camera=(), geolocation=()")
		h.Set("Cross-Origin-Opener-Policy", "same-origin")
		if s.cfg.Secure {
			h.Set("Strict-Transport-Security", "max-age=31536000") // RFC 6797
		}
		h.Set("Cache-Control", "no-store") // routes with lasting content set their own
		return next(c)
	}
}

// gzipped compresses what is text; event streams and pictures go as they are.
var gzipped = middleware.GzipWithConfig(middleware.GzipConfig{
	Level: 4, MinLength: 1000,
	Skipper: func(c *echo.Context) bool {
		switch c.Path() {
		case savePath, feedPath, picturePath, sourcePath, heldPath, "/copies/:id/sounds/:hash", "/copies/:id/print", "/a/*", "/courses/:id/everything.zip", "/account/everything.zip":
			return true
		}
		return false
	},
})
