package web

import (
	"errors"
	"io"
	"net/http"

	"github.com/labstack/echo/v5"

	"readymargin/core/access"
	"readymargin/school/enrol"
)

// account shows what people set about their own account.
func (s *Site) account(c *echo.Context) error { return s.accountPage(c, nil) }

func (s *Site) accountPage(c *echo.Context, wrong error) error {
	p, err := signedIn(c)
	if err != nil {
		return err
	}
	devices, err := s.school.Accounts.Devices(c.Request().Context(), p)
	if err != nil {
		return err
	}
	hand, err := enrol.HelpIn(p)
	if err != nil {
		return err
	}
	box, mayHaveMail, err := s.school.Notices.Mine(c.Request().Context(), p)
	if err != nil {
		return err
	}
	data := map[string]any{"Devices": devices, "Help": hand, "Mailbox": box, "MayMail": mayHaveMail || box.PersonID != 0 && s.school.Notices.Open()}
	if wrong != nil {
		return s.again(c, wrong, "account.html", "Your account", data)
	}
	return s.render(c, http.StatusOK, "account.html", "Your account", data)
}

// kept leads back to the account page, or says there what was wrong.
func (s *Site) kept(c *echo.Context, err error, told string) error {
	switch {
	case err != nil && s.say(err).status == http.StatusUnprocessableEntity:
		return s.accountPage(c, err)
	case err != nil:
		return err
	}
	s.tell(c, told)
	return seeOther(c, "/account")
}

// renameOwn puts right what the person is called.
func (s *Site) renameOwn(c *echo.Context) error {
	err := s.school.Accounts.RenameOwn(c.Request().Context(), me(c), c.FormValue("given"), c.FormValue("family"))
	return s.kept(c, err, "Your name is changed. You sign in as before.")
}

// helpIn reads how a form wants the screen to be kept.
func helpIn(c *echo.Context) enrol.Help {
	on := func(name string) bool { return c.FormValue(name) == "1" }
	h := enrol.Help{Left: on("left"), Plain: on("plain"), Ruler: on("ruler")}
	if on("words") {
		h.View = enrol.InWords
	}
	return h
}

// setHand sets how the person's screen is kept.
func (s *Site) setHand(c *echo.Context) error {
	err := s.school.Accounts.SetOwnHelp(c.Request().Context(), me(c), helpIn(c))
	return s.kept(c, err, "Kept. Sheets open so from now on.")
}

// changePassword gives the person another password; other devices are signed out.
func (s *Site) changePassword(c *echo.Context) error {
	p, err := signedIn(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	if err := s.school.Accounts.ChangePassword(ctx, p, c.FormValue("now"), c.FormValue("next"), s.sessions.Token(ctx), device(c)); err != nil {
		if s.say(err).status >= 500 || errors.Is(err, access.ErrSignIn) {
			return err
		}
		return s.accountPage(c, err)
	}
	if err := s.begin(c, p); err != nil {
		return err
	}
	s.tell(c, "Your password is changed, and your other devices are signed out.")
	return seeOther(c, "/account")
}

// signOutElsewhere ends the person's other sessions.
func (s *Site) signOutElsewhere(c *echo.Context) error {
	p, err := signedIn(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	if err := s.school.Accounts.SignOutElsewhere(ctx, p, s.sessions.Token(ctx)); err != nil {
		return err
	}
	if err := s.begin(c, p); err != nil { // this one is known again
		return err
	}
	s.tell(c, "Your other devices are signed out.")
	return seeOther(c, "/account")
}

// ownFile takes away everything that is kept about the person, as it is made.
func (s *Site) ownFile(c *echo.Context) error {
	p, err := signedIn(c)
	if err != nil {
		return err
	}
	return s.zipped(c, "Everything about "+p.Name+".zip", func(to io.Writer) error { return s.school.Exports.WriteOwn(c.Request().Context(), p, to) })
}
