package web

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"readymargin/core/flow"
	"readymargin/school/assign"
)

// manifest lets the site be installed as a program of the system's, which PDFs and
// pictures may be handed to (W3C Web Application Manifest; share_target is of the Web
// Share Target draft).
func (s *Site) manifest(c *echo.Context) error {
	type icon struct {
		Src   string `json:"src"`
		Sizes string `json:"sizes"`
		Type  string `json:"type"`
	}
	c.Response().Header().Set("Cache-Control", "no-cache")
	c.Response().Header().Set("Content-Type", "application/manifest+json")
	return c.JSON(http.StatusOK, map[string]any{
		"name": "Ready Margin", "short_name": "Ready Margin", "id": "/", "start_url": "/", "scope": "/", "display": "standalone", "lang": "en",
		"background_color": "#E8ECEF", "theme_color": "#1E2A44",
		"icons": []icon{{s.assets.url("static/icon.svg"), "any", "image/svg+xml"}},
		"share_target": map[string]any{"action": "/share", "method": "POST", "enctype": "multipart/form-data",
			"params": map[string]any{"files": []map[string]any{{"name": "file", "accept": []string{"application/pdf", "image/*"}}}}},
	})
}

// share asks what a file is for that another program handed over: a new worksheet, or
// one of the sheets that are to be done.
func (s *Site) share(c *echo.Context) error {
	p, err := signedIn(c)
	if err != nil {
		return err
	}
	all, err := s.school.Agenda.ToDo(c.Request().Context(), p)
	if err != nil {
		return err
	}
	var open []assign.Assigned
	for _, a := range all {
		if !a.Gone && a.Assignment.Mode != flow.ToRead && a.Copy.State != flow.Submitted && a.Copy.State != flow.Returned {
			open = append(open, a)
		}
	}
	return s.render(c, http.StatusOK, "share.html", "What is it for?", map[string]any{"Open": open, "Prepares": p.Staff || p.Admin})
}

// shared answers where no service worker has taken what was handed over: the page then
// says that it did not arrive.
func (s *Site) shared(c *echo.Context) error { return seeOther(c, "/share") }
