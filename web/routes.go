package web

import (
	"net/http"

	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"readymargin/sound"
)

// A route is one thing the site does. The table is also what the access test
// walks.
type route struct {
	method, path string
	do           func(*Site, *echo.Context) error
	body         int64 // most bytes taken; 0 means smallBody
}

const (
	smallBody = 2 << 20
	fileBody  = -1 // as much as the press takes of a file
)

// The routes of pictures, which are compressed already.
const (
	sourcePath  = "/worksheets/:id/sources/:source/pages/:n/:scale"
	picturePath = "/sheets/:id/pages/:n/:scale"
	heldPath    = "/sheets/:id/held/:n/:scale"
)

var routes = []route{
	{"GET", "/", (*Site).start, 0},
	{"GET", "/sign-in", (*Site).signInPage, 0},
	{"POST", "/sign-in", (*Site).signIn, 0},
	{"POST", "/sign-out", (*Site).signOut, 0},
	{"GET", "/join", (*Site).joinPage, 0},
	{"POST", "/join", (*Site).join, 0},
	{"GET", "/slip", (*Site).slipPage, 0},
	{"POST", "/slip", (*Site).useSlip, 0},
	{"POST", "/invitations", (*Site).invite, 0},
	{"GET", "/to-do", (*Site).toDo, 0},
	{"GET", "/practice", (*Site).practise, 0},
	{"GET", "/token", (*Site).token, 0},
	{"GET", "/service-worker.js", (*Site).serviceWorker, 0},
	{"GET", "/directory", (*Site).directory, 0},
	{"POST", "/directory", (*Site).checkDirectory, maxDirectory},
	{"POST", "/directory/add", (*Site).takeDirectory, 2 * maxDirectory},

	{"POST", "/calendar", (*Site).newCalendar, 0},
	{"GET", "/calendar/:token", (*Site).calendar, 0},
	{"GET", "/courses", (*Site).courses, 0},
	{"POST", "/courses", (*Site).makeCourse, 0},
	{"GET", "/courses/:id", (*Site).course, 0},
	{"POST", "/courses/:id/code", (*Site).changeCode, 0},
	{"POST", "/courses/:id/voice", (*Site).setVoice, 0},
	{"POST", "/courses/:id/vet", (*Site).setVet, 0},
	{"POST", "/courses/:id/lessons", (*Site).setLessons, 0},
	{"POST", "/courses/:id/staff", (*Site).addStaff, 0},
	{"POST", "/courses/:id/welcome", (*Site).welcomeAll, 0},
	{"POST", "/courses/:id/leave", (*Site).leave, 0},
	{"GET", "/courses/:id/list", (*Site).classList, 0},
	{"POST", "/courses/:id/list", (*Site).checkList, 0},
	{"POST", "/courses/:id/list/add", (*Site).takeList, 0},
	{"GET", "/courses/:id/people/:person", (*Site).person, 0},
	{"POST", "/courses/:id/people/:person", (*Site).admit, 0},
	{"POST", "/courses/:id/people/:person/slip", (*Site).newSlip, 0},

	{"GET", "/worksheets", (*Site).worksheets, 0},
	{"POST", "/worksheets", (*Site).bringIn, fileBody},
	{"GET", "/worksheets/:id", (*Site).worksheet, 0},
	{"POST", "/worksheets/:id/plan", (*Site).arrange, 0},
	{"POST", "/worksheets/:id/pages", (*Site).addPages, fileBody},
	{"POST", "/worksheets/:id/title", (*Site).rename, 0},
	{"POST", "/worksheets/:id/copy", (*Site).duplicate, 0},
	{"POST", "/worksheets/:id/reissue", (*Site).reissue, 0},
	{"GET", "/worksheets/:id/try", (*Site).tryOut, 0},
	{"GET", "/worksheets/:id/assign", (*Site).assignPage, 0},
	{"GET", "/worksheets/:id/found", (*Site).found, 0},
	{"GET", "/worksheets/:id/sources/:source/print/:n/:turn", (*Site).leafPrint, 0},
	{"POST", "/worksheets/:id/turned", (*Site).turned, 0},
	{"POST", "/worksheets/:id/spoken", (*Site).addSpoken, sound.MaxBytes + 1<<20},
	{"POST", "/worksheets/:id/shelf", (*Site).addPicture, fileBody},
	{"GET", "/worksheets/:id/extras/:hash", (*Site).extra, 0},
	{"GET", sourcePath, (*Site).sourcePicture, 0},
	{"GET", picturePath, (*Site).picture, 0},
	{"GET", heldPath, (*Site).heldPicture, 0},
	{"GET", "/sheets/:id/print/:n", (*Site).print, 0},
	{"GET", "/sheets/:id/guide", (*Site).guide, 0},
	{"GET", "/sheets/:id/extras/:hash", (*Site).sheetExtra, 0},
	{"POST", "/assignments", (*Site).assign, 0},
	{"GET", "/assignments/:id", (*Site).openOwn, 0},
	{"GET", "/assignments/:id/change", (*Site).changePage, 0},
	{"POST", "/assignments/:id/change", (*Site).change, 0},
	{"POST", "/assignments/:id/whom", (*Site).concern, 0},
	{"GET", "/assignments/:id/marking", (*Site).marking, 0},
	{"POST", "/assignments/:id/return", (*Site).returnAll, 0},
	{"GET", "/assignments/:id/roll", (*Site).rollFragment, 0},

	{"GET", "/copies/:id", (*Site).sheet, 0},
	{"GET", "/copies/:id/view", (*Site).view, 0},
	{"POST", savePath, (*Site).save, 8 << 20},
	{"GET", "/copies/:id/feed", (*Site).feed, 0},
	{"POST", "/copies/:id/submit", (*Site).submit, 0},
	{"POST", "/copies/:id/take-back", (*Site).takeBack, 0},
	{"POST", "/copies/:id/improve", (*Site).improve, 0},
	{"POST", "/copies/:id/sounds", (*Site).addSound, sound.MaxBytes + 1<<20},
	{"GET", "/copies/:id/sounds/:hash", (*Site).enclosed, 0},
	{"POST", "/copies/:id/elsewhere", (*Site).elsewhere, fileBody},
	{"POST", "/copies/:id/pictures", (*Site).enclose, maxPicture},
	{"GET", "/copies/:id/pictures/:hash", (*Site).enclosed, 0},
	{"GET", "/copies/:id/marking", (*Site).markingView, 0},
	{"POST", "/copies/:id/points", (*Site).givePoints, 0},
	{"POST", "/copies/:id/return", (*Site).giveBack, 0},
	{"GET", "/copies/:id/others", (*Site).others, 0},
	{"GET", "/copies/:id/print", (*Site).printCopy, 0},
	{"POST", "/settings", (*Site).saveSettings, 0},
}

func (s *Site) routes(e *echo.Echo) {
	e.GET("/healthz", func(c *echo.Context) error { return c.String(http.StatusOK, "ok\n") })
	e.GET("/readyz", func(c *echo.Context) error {
		if err := s.cfg.Ready(); err != nil {
			return echo.NewHTTPError(http.StatusServiceUnavailable, "not ready")
		}
		return c.String(http.StatusOK, "ok\n")
	})
	e.GET("/a/*", s.assets.serve)
	g := e.Group("", echo.WrapMiddleware(s.sessions.LoadAndSave), middleware.CSRFWithConfig(middleware.CSRFConfig{
		TokenLookup: "header:X-CSRF-Token,form:_csrf", CookieName: "readymargin-form", CookieHTTPOnly: true,
		CookieSecure: s.cfg.Secure, CookieSameSite: http.SameSiteLaxMode, CookiePath: "/",
	}), s.who)
	for _, r := range routes {
		most := r.body
		switch most {
		case fileBody:
			most = s.school.Press.Limits().Bytes + 1<<20
		case 0:
			most = smallBody
		}
		g.Add(r.method, r.path, func(c *echo.Context) error {
			c.Request().Body = http.MaxBytesReader(c.Response(), c.Request().Body, most)
			return r.do(s, c)
		})
	}
}

// Routes lists what the site does, as "METHOD path", for checking that
// nothing is left out.
func Routes() []string {
	out := make([]string, len(routes))
	for i, r := range routes {
		out[i] = r.method + " " + r.path
	}
	return out
}
