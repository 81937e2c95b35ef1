package web

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"readymargin/core/recording"
)

// A route is one thing the site does. The table is also what the access test
// walks.
type route struct {
	method, path string
	do           func(*Site, *echo.Context) error
	body         int64 // most bytes taken; 0 means smallBody
	pace         pace
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
	{"GET", "/", (*Site).start, 0, quick},
	{"GET", "/sign-in", (*Site).signInPage, 0, quick},
	{"POST", "/sign-in", (*Site).signIn, 0, quick},
	{"POST", "/sign-out", (*Site).signOut, 0, quick},
	{"GET", "/account", (*Site).account, 0, quick},
	{"POST", "/account/password", (*Site).changePassword, 0, quick},
	{"POST", "/account/devices", (*Site).signOutElsewhere, 0, quick},
	{"POST", "/account/name", (*Site).renameOwn, 0, quick},
	{"POST", "/account/mail", (*Site).setMail, 0, quick},
	{"GET", "/mail/confirm", (*Site).confirmPage, 0, quick},
	{"POST", "/mail/confirm", (*Site).confirmMail, 0, quick},
	{"GET", "/mail/leave/:token", (*Site).leavePage, 0, quick},
	{"POST", "/mail/leave/:token", (*Site).leaveMail, 0, quick},
	{"POST", "/account/hand", (*Site).setHand, 0, quick},
	{"GET", "/account/everything.zip", (*Site).ownFile, 0, streamed},
	{"GET", "/join", (*Site).joinPage, 0, quick},
	{"POST", "/join", (*Site).join, 0, quick},
	{"GET", "/slip", (*Site).slipPage, 0, quick},
	{"POST", "/slip", (*Site).useSlip, 0, quick},
	{"POST", "/invitations", (*Site).invite, 0, quick},
	{"POST", "/aloud", (*Site).readAloud, 0, long},
	{"GET", "/aloud/:key", (*Site).spoken, 0, quick},
	{"GET", "/to-do", (*Site).toDo, 0, quick},
	{"GET", "/pile/next", (*Site).nextPile, 0, quick},
	{"GET", "/practice", (*Site).practise, 0, long},
	{"GET", "/manifest.webmanifest", (*Site).manifest, 0, quick},
	{"GET", "/share", (*Site).share, 0, quick},
	{"POST", "/share", (*Site).shared, fileBody, quick},
	{"GET", "/service-worker.js", (*Site).serviceWorker, 0, quick},
	{"GET", "/directory", (*Site).directory, 0, quick},
	{"POST", "/directory", (*Site).checkDirectory, maxDirectory, long},
	{"POST", "/directory/add", (*Site).takeDirectory, 2 * maxDirectory, long},

	{"GET", "/school", (*Site).office, 0, quick},
	{"POST", "/school/courses/:id", (*Site).addTeacher, 0, quick},
	{"GET", "/school/people", (*Site).people, 0, quick},
	{"GET", "/school/people/:person", (*Site).profile, 0, quick},
	{"POST", "/school/people/:person", (*Site).changeProfile, 0, long},
	{"POST", "/calendar", (*Site).newCalendar, 0, quick},
	{"GET", "/calendar/:token", (*Site).calendar, 0, quick},
	{"GET", "/courses", (*Site).courses, 0, quick},
	{"POST", "/courses", (*Site).makeCourse, 0, quick},
	{"GET", "/courses/:id", (*Site).course, 0, quick},
	{"POST", "/courses/:id/name", (*Site).renameCourse, 0, quick},
	{"GET", "/courses/:id/end", (*Site).courseEnd, 0, quick},
	{"POST", "/courses/:id/end", (*Site).endCourse, 0, long},
	{"POST", "/courses/:id/again", (*Site).courseAgain, 0, long},
	{"GET", "/courses/:id/everything.zip", (*Site).courseFile, 0, streamed},
	{"GET", "/assignments/:id/copies", (*Site).classFile, 0, streamed},
	{"GET", "/assignments/:id/files", (*Site).filesPage, 0, quick},
	{"GET", "/assignments/:id/stack", (*Site).stack, 0, long},
	{"POST", "/assignments/:id/paper", (*Site).paper, fileBody, streamed},
	{"POST", "/assignments/:id/paper/page", (*Site).uncoded, fileBody, long},
	{"POST", "/assignments/:id/marked", (*Site).markedClass, fileBody, streamed},
	{"GET", "/courses/:id/own/copies", (*Site).ownCopies, 0, streamed},
	{"POST", "/courses/:id/code", (*Site).changeCode, 0, quick},
	{"POST", "/courses/:id/voice", (*Site).setVoice, 0, quick},
	{"GET", "/courses/:id/own", (*Site).ownPoints, 0, quick},
	{"GET", "/courses/:id/book", (*Site).book, 0, quick},
	{"GET", "/courses/:id/book/points.csv", (*Site).bookCSV, 0, long},
	{"GET", "/courses/:id/book/points.xlsx", (*Site).bookXLSX, 0, long},
	{"POST", "/courses/:id/book/weights", (*Site).setWeights, 0, quick},
	{"POST", "/courses/:id/book/excused", (*Site).excuse, 0, quick},
	{"POST", "/courses/:id/book/read", (*Site).readPoints, 0, long},
	{"POST", "/courses/:id/book/take", (*Site).takePoints, 0, long},
	{"GET", "/courses/:id/remarks", (*Site).ready, 0, quick},
	{"POST", "/courses/:id/remarks", (*Site).keepReady, 0, quick},
	{"POST", "/courses/:id/remarks/:remark", (*Site).changeReady, 0, quick},
	{"POST", "/courses/:id/marking", (*Site).setMarking, 0, quick},
	{"POST", "/courses/:id/vet", (*Site).setVet, 0, quick},
	{"POST", "/courses/:id/lessons", (*Site).setLessons, 0, quick},
	{"POST", "/courses/:id/staff", (*Site).addStaff, 0, quick},
	{"POST", "/courses/:id/welcome", (*Site).welcomeAll, 0, quick},
	{"POST", "/courses/:id/practice", (*Site).bePractice, 0, quick},
	{"POST", "/practice/end", (*Site).endPractice, 0, quick},
	{"POST", "/courses/:id/leave", (*Site).leave, 0, quick},
	{"POST", "/courses/:id/mail", (*Site).setCourseMail, 0, quick},
	{"POST", "/courses/:id/lines", (*Site).sayToClass, recording.MaxBytes + 1<<20, long},
	{"POST", "/lines/:id/seen", (*Site).seeLine, 0, quick},
	{"POST", "/lines/:id/drop", (*Site).dropLine, 0, quick},
	{"GET", "/lines/:id/sound", (*Site).lineSound, 0, quick},
	{"GET", "/courses/:id/list", (*Site).classList, 0, quick},
	{"POST", "/courses/:id/list", (*Site).checkList, 0, long},
	{"POST", "/courses/:id/list/add", (*Site).takeList, 0, long},
	{"GET", "/courses/:id/people/:person", (*Site).person, 0, quick},
	{"POST", "/courses/:id/people/:person", (*Site).admit, 0, quick},
	{"POST", "/courses/:id/people/:person/slip", (*Site).newSlip, 0, quick},

	{"GET", "/rubrics", (*Site).rubrics, 0, quick},
	{"POST", "/rubrics", (*Site).keepRubric, 0, quick},
	{"POST", "/rubrics/:id/drop", (*Site).dropRubric, 0, quick},
	{"GET", "/worksheets", (*Site).worksheets, 0, quick},
	{"POST", "/worksheets", (*Site).bringIn, fileBody, long},
	{"GET", "/worksheets/:id", (*Site).worksheet, 0, quick},
	{"POST", "/worksheets/:id/plan", (*Site).arrange, 0, quick},
	{"POST", "/worksheets/:id/pages", (*Site).addPages, fileBody, long},
	{"POST", "/worksheets/:id/title", (*Site).rename, 0, quick},
	{"POST", "/worksheets/:id/manage", (*Site).manage, 0, quick},
	{"GET", "/worksheets/:id/sharing", (*Site).sharing, 0, quick},
	{"POST", "/worksheets/:id/copy", (*Site).duplicate, 0, quick},
	{"POST", "/worksheets/:id/reissue", (*Site).reissue, 0, long},
	{"GET", "/worksheets/:id/try", (*Site).tryOut, 0, long},
	{"GET", "/worksheets/:id/weight", (*Site).weigh, 0, long},
	{"GET", "/worksheets/:id/write", (*Site).writeOn, 0, long},
	{"POST", "/worksheets/:id/written", (*Site).written, 8 << 20, quick},
	{"GET", "/worksheets/:id/assign", (*Site).assignPage, 0, quick},
	{"GET", "/worksheets/:id/found", (*Site).found, 0, long},
	{"GET", "/worksheets/:id/sources/:source/print/:n/:turn", (*Site).leafPrint, 0, long},
	{"GET", "/worksheets/:id/words/:n", (*Site).leafInWords, 0, long},
	{"POST", "/worksheets/:id/words", (*Site).putRight, 0, quick},
	{"POST", "/worksheets/:id/turned", (*Site).turned, 0, long},
	{"POST", "/worksheets/:id/spoken", (*Site).addSpoken, recording.MaxBytes + 1<<20, long},
	{"POST", "/worksheets/:id/shelf", (*Site).addPicture, fileBody, long},
	{"GET", "/worksheets/:id/extras/:hash", (*Site).extra, 0, quick},
	{"GET", sourcePath, (*Site).sourcePicture, 0, made},
	{"GET", picturePath, (*Site).picture, 0, made},
	{"GET", heldPath, (*Site).heldPicture, 0, made},
	{"GET", "/sheets/:id/print/:n", (*Site).print, 0, quick},
	{"GET", "/sheets/:id/guide", (*Site).guide, 0, quick},
	{"GET", "/sheets/:id/words", (*Site).inWords, 0, quick},
	{"GET", "/sheets/:id/extras/:hash", (*Site).sheetExtra, 0, quick},
	{"GET", "/assignments/own", (*Site).ownPagesPage, 0, quick},
	{"POST", "/assignments", (*Site).assign, 0, long},
	{"GET", "/assignments/:id", (*Site).openOwn, 0, quick},
	{"GET", "/assignments/:id/change", (*Site).changePage, 0, quick},
	{"POST", "/assignments/:id/change", (*Site).change, 0, quick},
	{"POST", "/assignments/:id/whom", (*Site).concern, 0, long},
	{"GET", "/assignments/:id/marking", (*Site).marking, 0, quick},
	{"POST", "/assignments/:id/return", (*Site).returnAll, 0, long},
	{"GET", "/assignments/:id/across", (*Site).across, 0, quick},
	{"POST", "/assignments/:id/across", (*Site).scoreSeveral, 0, long},
	{"POST", "/assignments/:id/across/ops", (*Site).opsOfSeveral, 0, long},
	{"GET", "/assignments/:id/returning", (*Site).returning, 0, quick},
	{"POST", "/assignments/:id/stop", (*Site).stopReturns, 0, quick},
	{"GET", "/assignments/:id/roll", (*Site).rollFragment, 0, quick},

	{"GET", "/copies/:id", (*Site).sheet, 0, quick},
	{"GET", "/copies/:id/view", (*Site).view, 0, quick},
	{"POST", savePath, (*Site).save, 8 << 20, stroke},
	{"GET", feedPath, (*Site).feed, 0, endless},
	{"GET", "/copies/:id/changes", (*Site).changes, 0, quick},
	{"GET", "/copies/:id/states", (*Site).states, 0, quick},
	{"POST", "/copies/:id/states", (*Site).keepState, 0, quick},
	{"GET", "/copies/:id/states/:number", (*Site).state, 0, quick},
	{"POST", "/copies/:id/bring", (*Site).bring, fileBody, long},
	{"POST", "/copies/:id/keep", (*Site).keep, 0, quick},
	{"POST", "/copies/:id/submit", (*Site).submit, 0, rush},
	{"POST", "/copies/:id/take-back", (*Site).takeBack, 0, quick},
	{"POST", "/copies/:id/improve", (*Site).improve, 0, quick},
	{"POST", "/copies/:id/sounds", (*Site).addSound, recording.MaxBytes + 1<<20, long},
	{"POST", "/copies/:id/dictation", (*Site).dictate, 8 << 20, long},
	{"POST", "/copies/:id/sounds/:hash/words", (*Site).soundWords, 0, long},
	{"GET", "/copies/:id/sounds/:hash", (*Site).enclosed, 0, quick},
	{"POST", "/copies/:id/elsewhere", (*Site).elsewhere, fileBody, long},
	{"POST", "/copies/:id/marked", (*Site).markedElsewhere, fileBody, long},
	{"POST", "/copies/:id/pictures", (*Site).enclose, maxPicture, long},
	{"GET", "/copies/:id/pictures/:hash", (*Site).enclosed, 0, quick},
	{"GET", "/copies/:id/marking", (*Site).markingView, 0, quick},
	{"POST", "/copies/:id/scores", (*Site).score, 0, quick},
	{"POST", "/copies/:id/points", (*Site).givePoints, 0, quick},
	{"POST", "/copies/:id/return", (*Site).giveBack, 0, quick},
	{"POST", "/copies/:id/withdraw", (*Site).withdraw, 0, quick},
	{"POST", "/copies/:id/reopen", (*Site).reopen, 0, quick},
	{"GET", "/copies/:id/others", (*Site).others, 0, quick},
	{"GET", "/copies/:id/watch", (*Site).watch, 0, quick},
	{"GET", "/copies/:id/watching", (*Site).watching, 0, quick},
	{"POST", "/copies/:id/hearings/:name", (*Site).beginHearing, 0, quick},
	{"POST", "/copies/:id/hearings/:name/words", (*Site).hearingWords, 0, quick},
	{"GET", "/copies/:id/hearings/:token", (*Site).hearing, 0, quick},
	{"GET", "/copies/:id/aloud", (*Site).aloud, 0, quick},
	{"POST", "/copies/:id/heard", (*Site).heard, 0, quick},
	{"GET", "/copies/:id/asked", (*Site).asked, 0, quick},
	{"GET", "/copies/:id/colleagues", (*Site).colleagues, 0, quick},
	{"GET", "/courses/:id/words", (*Site).glossary, 0, quick},
	{"POST", "/courses/:id/words", (*Site).setWord, 0, quick},
	{"POST", "/courses/:id/words/named", (*Site).nameWords, 0, quick},
	{"GET", "/copies/:id/look-up", (*Site).lookUp, 0, quick},
	{"GET", "/copies/:id/print", (*Site).printCopy, 0, long},
	{"GET", "/drafts/:thing/:id", (*Site).drafts, 0, quick},
	{"POST", "/drafts/:thing/:id", (*Site).keepDrafts, 0, quick},
	{"GET", "/progress/:name", (*Site).howFar, 0, quick},
	{"POST", "/settings", (*Site).saveSettings, 0, quick},
}

// routes adds the table to the router.
func (s *Site) routes(e *echo.Echo) {
	e.GET("/healthz", func(c *echo.Context) error { return c.String(http.StatusOK, "ok\n") })
	e.GET("/readyz", func(c *echo.Context) error {
		if err := s.cfg.Ready(); err != nil {
			return echo.NewHTTPError(http.StatusServiceUnavailable, "not ready")
		}
		return c.String(http.StatusOK, "ok\n")
	})
	e.GET("/a/*", s.assets.serve)
	for _, r := range routes {
		most := r.body
		switch most {
		case fileBody:
			most = s.school.Intake.Limits().Bytes + 1<<20
		case 0:
			most = smallBody
		}
		e.Add(r.method, r.path, func(c *echo.Context) error {
			c.Request().Body = http.MaxBytesReader(c.Response(), c.Request().Body, most)
			return r.do(s, c)
		}, s.ours, s.turns.keep(r.pace), s.progress.watch, echo.WrapMiddleware(s.sessions.LoadAndSave), s.who)
	}
}

// ours refuses what another site has a browser send, by what the browser says
// of where it comes from (net/http's CrossOriginProtection).
func (s *Site) ours(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		if err := s.origins.Check(c.Request()); err != nil {
			return errForeign
		}
		return next(c)
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
