package web

import (
	"bytes"
	"embed"
	"fmt"
	"html/template"
	"math"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"readymargin/core/flow"
	"readymargin/core/points"
	"readymargin/school"
	"readymargin/school/feedback"
)

//go:embed templates/*.html
var templates embed.FS

// parsePages reads the templates, with the functions that they use.
func parsePages(a *assets) (*template.Template, error) {
	ahead := a.modules(scripts + "sheet.js")
	return template.New("").Funcs(template.FuncMap{
		"asset": a.url, "when": when, "dated": dated, "ago": ago, "span": span, "late": late, "capital": capital, "join": strings.Join, "icon": icon, "count": count, "list": list, "why": why, "fours": fours, "qr": qr, "glance": glance, "way": func(m flow.Mode) string { return ways[m] }, "bytes": bytesOf, "job": func(k school.JobKind) string { return jobs[k] }, "more": func(n, shown int) int { return n - shown }, "among": among, "chosen": chosen, "rich": rich, "said": said, "percent": percent, "minutes": minutes, "noticeKinds": func() []noticeKind { return noticeKinds }, "has": func(all []school.NoticeKind, k school.NoticeKind) bool { return slices.Contains(all, k) }, "spread": spread, "bar": bar, "ahead": func() []string { return ahead },
	}).ParseFS(templates, "templates/*.html")
}

// A page is what every template gets.
type page struct {
	Title string
	Me    school.Person
	Line  string // said once, of what was just done
	Now   time.Time
	Data  map[string]any
}

// render writes a whole page or a fragment, never half of one.
func (s *Site) render(c *echo.Context, status int, name, title string, data map[string]any) error {
	p := page{Title: title, Me: me(c), Now: s.school.Now(), Data: data}
	if c.Get(withSession) != nil {
		p.Line = s.sessions.PopString(c.Request().Context(), "line")
	}
	var b bytes.Buffer
	if err := s.pages.ExecuteTemplate(&b, name, p); err != nil {
		return fmt.Errorf("web: page %s: %w", name, err)
	}
	return c.HTMLBlob(status, b.Bytes())
}

// again shows a form once more with what was typed and what is wrong with it.
func (s *Site) again(c *echo.Context, err error, name, title string, data map[string]any) error {
	said := s.say(err)
	if said.status >= 500 {
		return err
	}
	if data == nil {
		data = map[string]any{}
	}
	data["Wrong"] = said.text
	data["Typed"] = typed(c)
	return s.render(c, said.status, name, title, data)
}

// typed returns the form's fields, for filling them in again.
func typed(c *echo.Context) map[string]string {
	out := map[string]string{}
	c.FormValue("") // parses the form
	for k, v := range c.Request().PostForm {
		if len(v) > 0 && !strings.Contains(k, "password") {
			out[k] = v[0]
		}
	}
	return out
}

// when says a time as people do, in the zone given: today, tomorrow, a day of
// this week, or a date.
func when(t *time.Time, zone string, now time.Time) string {
	if t == nil {
		return ""
	}
	loc, err := time.LoadLocation(zone)
	if err != nil {
		loc = time.UTC
	}
	at, today := t.In(loc), now.In(loc)
	day := func(t time.Time) time.Time { return time.Date(t.Year(), t.Month(), t.Day(), 12, 0, 0, 0, time.UTC) }
	clock := at.Format("15:04")
	switch days := int(day(at).Sub(day(today)).Hours() / 24); {
	case days == 0:
		return "today " + clock
	case days == 1:
		return "tomorrow " + clock
	case days == -1:
		return "yesterday " + clock
	case days > 1 && days < 7:
		return at.Format("Monday ") + clock
	case at.Year() == today.Year():
		return at.Format("Mon 2 January, ") + clock
	}
	return at.Format("2 January 2006, ") + clock
}

// ago says how long something has lain.
func ago(t, now time.Time) string {
	switch d := now.Sub(t); {
	case d < 2*time.Minute:
		return "a moment"
	case d < 2*time.Hour:
		return fmt.Sprintf("%d minutes", int(d.Minutes()))
	case d < 48*time.Hour:
		return fmt.Sprintf("%d hours", int(d.Hours()))
	default:
		return fmt.Sprintf("%d days", int(d.Hours()/24))
	}
}

// dated says a time by its date, where it may be read on another day than it
// was written.
func dated(t time.Time, zone string) string {
	loc, err := time.LoadLocation(zone)
	if err != nil {
		loc = time.UTC
	}
	return t.In(loc).Format("Mon 2 Jan, 15:04")
}

// span says how long something takes, before or after now, in the two largest
// units that matter.
func span(minutes int) string {
	minutes = max(minutes, -minutes)
	switch {
	case minutes < 60:
		return count(minutes, "minute", "minutes")
	case minutes < 48*60:
		h := count(minutes/60, "hour", "hours")
		if m := minutes % 60; m > 0 && minutes < 6*60 {
			h += fmt.Sprintf(" %d min", m)
		}
		return h
	}
	return count(minutes/(24*60), "day", "days")
}

// late says by how much.
func late(minutes int) string {
	if minutes <= 0 {
		return ""
	}
	return "late by " + span(minutes)
}

// capital begins a sentence.
func capital(words string) string {
	if words == "" {
		return ""
	}
	return strings.ToUpper(words[:1]) + words[1:]
}

// count says how many there are of something.
func count(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

// fours parts a code into groups that are easier to read off and type.
func fours(code string) string {
	return string(bytes.Join(slices.Collect(slices.Chunk([]byte(code), 4)), []byte(" ")))
}

// among reports whether a form's values have a number.
func among(n uint64, chosen any) bool {
	values, _ := chosen.([]string)
	return slices.Contains(values, id(n))
}

// chosen reports whether a form's values have one made of a course and a name.
func chosen(course uint64, name, values any) bool {
	all, _ := values.([]string)
	return slices.Contains(all, fmt.Sprint(course, "/", name))
}

// list makes a list of its arguments, in templates.
func list(v ...any) []any { return v }

// percent writes a share of 0 to 1; what there is none of is nothing.
func percent(share float64) string {
	if math.IsNaN(share) {
		return ""
	}
	return fmt.Sprintf("%.0f %%", 100*share)
}

// spread draws points as dots over a line from none to all, with a stroke at
// their median.
func spread(marked []points.Points, of points.Points, median float64) template.HTML {
	const left, wide, high, step = 4, 132, 34, 6
	at := func(p float64) float64 { return left + wide*p/float64(of) }
	var b strings.Builder
	fmt.Fprintf(&b, `<svg class="spread" viewBox="0 0 %d %d" aria-hidden="true"><path d="M%d %dh%d"/>`, wide+2*left, high, left, high-4, wide)
	stacked := map[int]int{}
	for _, p := range marked {
		column := int(at(float64(p))) / step
		y := max(high-8-5*stacked[column], 3)
		stacked[column]++
		fmt.Fprintf(&b, `<circle cx="%d" cy="%d" r="2"/>`, column*step+step/2, y)
	}
	x := at(median * float64(points.One))
	fmt.Fprintf(&b, `<path class="median" d="M%.1f 4V%d"/></svg>`, x, high)
	return template.HTML(b.String())
}

// bar draws a share of 0 to 1.
func bar(share float64) template.HTML {
	return template.HTML(fmt.Sprintf(`<svg class="bar" viewBox="0 0 100 6" preserveAspectRatio="none" aria-hidden="true"><rect width="%.1f" height="6"/></svg>`, 100*share))
}

// icon draws one of Ready Margin's own signs.
func icon(name string) template.HTML {
	return template.HTML(`<svg class="icon" viewBox="0 0 24 24" aria-hidden="true">` + icons[name] + `</svg>`)
}

// nothing answers a request that changed something and shows nothing.
func nothing(c *echo.Context) error { return c.NoContent(http.StatusNoContent) }

// bytesOf writes a size in the largest unit that fits.
func bytesOf(n int64) string {
	for _, u := range []struct {
		of   int64
		name string
	}{{1e9, "GB"}, {1e6, "MB"}, {1e3, "kB"}} {
		if n >= u.of {
			return fmt.Sprintf("%.1f %s", float64(n)/float64(u.of), u.name)
		}
	}
	return fmt.Sprintf("%d bytes", n)
}

// jobs are the kinds of work behind the requests, in words.
var jobs = map[school.JobKind]string{
	school.JobRead: "reading a worksheet", school.JobAssemble: "making a file anew", school.JobScans: "reading scans", school.JobTranscribe: "writing down what is said", school.JobAnswers: "laying down answers of a copy",
	school.JobSweep: "clearing away", school.JobReturn: "giving back", school.JobMail: "a letter", school.JobConfirm: "a letter that confirms an address",
}

// glance draws how a class stands with a sheet: a stroke for each student, filled as
// far as they are.
func glance(h feedback.MarkingQueue) template.HTML {
	var b strings.Builder
	fmt.Fprintf(&b, `<svg class="glance" viewBox="0 0 %d 10" width="%d" aria-hidden="true">`, 6*h.Students, 6*h.Students)
	at := 0
	for _, part := range []struct {
		of    string
		count int
	}{{"back", h.Back}, {"in", h.In - h.Back}, {"begun", h.Begun}, {"none", h.Students - h.In - h.Begun}} {
		for range max(part.count, 0) {
			fmt.Fprintf(&b, `<rect class="%s" x="%d" y="0" width="4" height="10"/>`, part.of, 6*at)
			at++
		}
	}
	b.WriteString(`</svg>`)
	return template.HTML(b.String())
}

// minutes tells milliseconds of sound as minutes and seconds.
func minutes(ms int) string { return fmt.Sprintf("%d:%02d", ms/60000, ms/1000%60) }
