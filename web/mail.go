package web

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"readymargin/school"
)

// setMail takes an address, what is sent there, or the wish to have none.
func (s *Site) setMail(c *echo.Context) error {
	p, err := signedIn(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	switch c.FormValue("do") {
	case "forget":
		return s.kept(c, s.school.Notices.Forget(ctx, p), "Your address is forgotten. No mail goes there any more.")
	case "choose":
		var choices []school.NoticeKind
		for _, k := range c.Request().PostForm["kind"] {
			choices = append(choices, school.NoticeKind(k))
		}
		return s.kept(c, s.school.Notices.Choose(ctx, p, choices, c.FormValue("daily") == "1"), "Kept.")
	}
	return s.kept(c, s.school.Notices.Give(ctx, p, c.FormValue("address")), "A letter is on its way to that address. Open the page that it names, and press the button there.")
}

// confirmPage asks whoever has got the letter to confirm the address. The token stands
// behind the # of the link, and only a press sends it: programs that look at links
// confirm nothing.
func (s *Site) confirmPage(c *echo.Context) error {
	return s.render(c, http.StatusOK, "mail.html", "Is this your address?", map[string]any{})
}

// confirmMail confirms an address.
func (s *Site) confirmMail(c *echo.Context) error {
	if err := s.school.Notices.Confirm(c.Request().Context(), c.FormValue("code")); err != nil {
		return s.again(c, err, "mail.html", "Is this your address?", nil)
	}
	return s.render(c, http.StatusOK, "mail.html", "Your address is confirmed", map[string]any{"Done": "confirmed"})
}

// leavePage asks whether all mail is to end.
func (s *Site) leavePage(c *echo.Context) error {
	return s.render(c, http.StatusOK, "mail.html", "No mail any more?", map[string]any{"Leave": c.Param("token")})
}

// leaveMail ends all mail, by the page or by the one press of a mail program (RFC 8058).
func (s *Site) leaveMail(c *echo.Context) error {
	if err := s.school.Notices.Leave(c.Request().Context(), c.Param("token")); err != nil {
		return err
	}
	return s.render(c, http.StatusOK, "mail.html", "No mail any more", map[string]any{"Done": "left"})
}

// setCourseMail says whether the students of a course may have mail.
func (s *Site) setCourseMail(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	if _, err := s.school.Courses.SetMail(c.Request().Context(), me(c), n, c.FormValue("mail") == "1"); err != nil {
		return err
	}
	if c.Request().Header.Get("HX-Request") != "" {
		return s.coursePage(c, "course-mail", nil)
	}
	return seeOther(c, "/courses/"+id(n)+"#mail")
}

// noticeKinds are what people may be told by mail, in words.
var noticeKinds = []noticeKind{
	{school.NoticeReturned, "that feedback has come back"},
	{school.NoticeAnswered, "that what I asked has an answer"},
	{school.NoticeLine, "of lines to my class"},
	{school.NoticeAsked, "that a question waits for me"},
}

type noticeKind struct {
	Kind  school.NoticeKind
	Words string
}
