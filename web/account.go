package web

import (
	"net/http"

	"github.com/labstack/echo/v5"
)

// account shows what people set about their own account.
func (s *Site) account(c *echo.Context) error {
	if _, err := signedIn(c); err != nil {
		return err
	}
	return s.render(c, http.StatusOK, "account.html", "Your account", nil)
}

// changePassword gives the person another password; other devices are signed out.
func (s *Site) changePassword(c *echo.Context) error {
	p, err := signedIn(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	if err := s.school.Accounts.ChangePassword(ctx, p, c.FormValue("now"), c.FormValue("next"), s.sessions.Token(ctx), device(c)); err != nil {
		return s.again(c, err, "account.html", "Your account", nil)
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
	s.tell(c, "Your other devices are signed out.")
	return seeOther(c, "/account")
}
