package web

import (
	"cmp"
	"encoding/json"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"readymargin/core/access"
	"readymargin/school"
	"readymargin/school/enrol"
)

// SessionCodec keeps a session as JSON: who is signed in, and a line to say
// once. Every stroke reads it, and gob would build its decoder anew each time.
type SessionCodec struct{}

// A session is what a cookie stands for.
type session struct {
	Until  time.Time `json:"until"`
	Person int64     `json:"person,omitempty"`
	Line   string    `json:"line,omitempty"`
}

// Encode writes a session as JSON, so that the store can read whose it is.
func (SessionCodec) Encode(until time.Time, values map[string]any) ([]byte, error) {
	s := session{Until: until}
	s.Person, _ = values["person"].(int64)
	s.Line, _ = values["line"].(string)
	return json.Marshal(s)
}

// Decode reads what Encode wrote.
func (SessionCodec) Decode(b []byte) (time.Time, map[string]any, error) {
	var s session
	if err := json.Unmarshal(b, &s); err != nil {
		return time.Time{}, nil, err
	}
	values := map[string]any{}
	if s.Person != 0 {
		values["person"] = s.Person
	}
	if s.Line != "" {
		values["line"] = s.Line
	}
	return s.Until, values, nil
}

// personHeader says to the service worker whose an answer is, so that it keeps
// nothing for anybody else.
const personHeader = "Readymargin-Person"

// sessionCookie is the name of the cookie that a session has.
const sessionCookie = "readymargin"

// savePath is the route that every stroke takes.
const savePath = "/copies/:id/ops"

// feedPath is the route of event streams.
const feedPath = "/copies/:id/feed"

// withSession is set where a request has its session.
const withSession = "session"

// who puts the signed-in person, if any, into the context.
func (s *Site) who(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		c.Set(withSession, true)
		id := s.sessions.GetInt64(c.Request().Context(), "person")
		if id != 0 && c.Path() == savePath {
			// Saving asks no more of a person than who it is.
			c.Set("person", school.Person{ID: uint64(id)})
		} else if id != 0 {
			p, err := s.school.Accounts.Person(c.Request().Context(), uint64(id))
			switch {
			case err == school.ErrNotFound, err == nil && p.ClosedAt != nil:
				s.sessions.Remove(c.Request().Context(), "person")
			case err != nil:
				return err
			default:
				c.Set("person", p)
				c.Response().Header().Set(personHeader, strconv.FormatUint(p.ID, 10))
			}
		}
		return next(c)
	}
}

// me returns the signed-in person, or the zero Person.
func me(c *echo.Context) school.Person {
	p, _ := c.Get("person").(school.Person)
	return p
}

// signedIn returns the person, or ErrSignIn.
func signedIn(c *echo.Context) (school.Person, error) {
	if p := me(c); p.ID != 0 {
		return p, nil
	}
	return school.Person{}, access.ErrSignIn
}

// begin starts a fresh session for a person.
func (s *Site) begin(c *echo.Context, p school.Person) error {
	ctx := c.Request().Context()
	if err := s.sessions.RenewToken(ctx); err != nil {
		return err
	}
	s.sessions.Put(ctx, "person", int64(p.ID))
	token, err := s.school.Accounts.NewDevice(ctx, p, device(c))
	if err != nil {
		return err
	}
	c.SetCookie(&http.Cookie{Name: deviceCookie, Value: token, Path: "/", MaxAge: 400 * 24 * 3600, HttpOnly: true, Secure: s.cfg.Secure, SameSite: http.SameSiteLaxMode})
	return nil
}

// deviceCookie is the name of the cookie by which a browser is known in which
// somebody has signed in before. It opens nothing.
const deviceCookie = "readymargin-device"

// device returns what a browser shows of itself.
func device(c *echo.Context) enrol.Device {
	d := enrol.Device{Address: c.RealIP(), Label: agent(c.Request().UserAgent())}
	if k, err := c.Cookie(deviceCookie); err == nil {
		d.Token = k.Value
	}
	return d
}

// agent says in words what a browser calls itself (RFC 9110, 10.1.5); which words it
// uses is common practice, no source.
func agent(header string) string {
	in := func(names ...[2]string) string {
		for _, n := range names {
			if strings.Contains(header, n[0]) {
				return n[1]
			}
		}
		return ""
	}
	browser := in([2]string{"Edg/", "Edge"}, [2]string{"Firefox/", "Firefox"}, [2]string{"Chrome/", "Chrome"}, [2]string{"Safari/", "Safari"})
	system := in([2]string{"iPhone", "iPhone"}, [2]string{"iPad", "iPad"}, [2]string{"Android", "Android"}, [2]string{"CrOS", "ChromeOS"}, [2]string{"Windows", "Windows"}, [2]string{"Macintosh", "Mac"}, [2]string{"Linux", "Linux"})
	switch {
	case browser == "" && system == "":
		return "a browser"
	case system == "":
		return browser
	}
	return cmp.Or(browser, "a browser") + ", " + system
}

// tell keeps a line that the next page shows once.
func (s *Site) tell(c *echo.Context, line string) {
	s.sessions.Put(c.Request().Context(), "line", line)
}

// seeOther leads to another page after a form was taken (RFC 9110, 15.4.4).
func seeOther(c *echo.Context, to string) error { return c.Redirect(http.StatusSeeOther, to) }

// localPath returns where to go after signing in: a path on this site only.
func localPath(next string) string {
	u, err := url.Parse(next)
	if err != nil || u.IsAbs() || u.Host != "" || !strings.HasPrefix(next, "/") || strings.HasPrefix(next, "//") || strings.Contains(next, `\`) {
		return "/"
	}
	return next
}

// number returns a path parameter as a number; what is not one does not exist.
func number(c *echo.Context, name string) (uint64, error) {
	n, err := echo.PathParam[int64](c, name)
	if err != nil || n < 0 {
		return 0, access.ErrHidden
	}
	return uint64(n), nil
}
