package web

import (
	"context"
	"encoding/json"
	"errors"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"readymargin/core/access"
	"readymargin/core/inwords"
	"readymargin/core/mark"
	"readymargin/core/worksheet"
	"readymargin/school"
	"readymargin/school/intake"
	"readymargin/school/shelf"
)

// worksheets shows the shelf.
func (s *Site) worksheets(c *echo.Context) error { return s.worksheetsPage(c, nil) }

// worksheetsPage shows the shelf, with what was wrong with a file if something was.
func (s *Site) worksheetsPage(c *echo.Context, wrong error) error {
	p, err := signedIn(c)
	if err != nil {
		return err
	}
	if !p.Staff && !p.Admin {
		return access.ErrDenied
	}
	ctx := c.Request().Context()
	look := shelf.Look{Query: c.QueryParam("q"), Folder: c.QueryParam("folder"), Archived: c.QueryParam("away") != ""}
	all, err := s.school.Shelf.Worksheets(ctx, p, look)
	if err != nil {
		return err
	}
	data := map[string]any{"Shelf": all, "Limits": s.school.Intake.Limits(), "Look": look}
	if wanted, err := echo.QueryParam[uint64](c, "course"); err == nil {
		if course, err := s.school.Courses.Runs(ctx, p, wanted); err == nil {
			data["For"] = course
		}
	}
	if c.Request().Header.Get("HX-Request") == "true" {
		return s.render(c, http.StatusOK, "shelf", "Worksheets", data)
	}
	if wrong != nil {
		return s.again(c, wrong, "worksheets.html", "Worksheets", data)
	}
	return s.render(c, http.StatusOK, "worksheets.html", "Worksheets", data)
}

// bringIn takes uploaded files as a new worksheet.
func (s *Site) bringIn(c *echo.Context) error {
	p, err := signedIn(c)
	if err != nil {
		return err
	}
	w, err := s.uploaded(c, p)
	if err != nil {
		if wantsJSON(c) || s.say(err).status >= 500 {
			return err
		}
		return s.worksheetsPage(c, err)
	}
	if wantsJSON(c) {
		return c.JSON(http.StatusCreated, map[string]string{"at": "/worksheets/" + id(w.ID)})
	}
	return seeOther(c, "/worksheets/"+id(w.ID))
}

// uploaded reads one file of a form into memory, within the limits.
func (s *Site) uploaded(c *echo.Context, p school.Person) (school.Worksheet, error) {
	files, err := uploads(c)
	if err != nil {
		return school.Worksheet{}, err
	}
	return s.school.Shelf.BringIn(c.Request().Context(), p, files...)
}

// uploads reads the files of a form; there is at least one.
func uploads(c *echo.Context) (out []intake.Upload, err error) {
	form, err := c.MultipartForm()
	var large *http.MaxBytesError
	if errors.As(err, &large) {
		return nil, err
	}
	if err != nil || len(form.File["file"]) == 0 {
		return nil, &school.Problem{Code: "no file"}
	}
	for _, head := range form.File["file"] {
		f, err := head.Open()
		if err != nil {
			return nil, err
		}
		data, err := io.ReadAll(f)
		f.Close()
		if err != nil {
			return nil, err
		}
		out = append(out, intake.Upload{Name: head.Filename, Data: data})
	}
	return out, nil
}

// A bench is what the worksheet bench shows.
type bench struct {
	ID      uint64        `json:"id"`
	Person  uint64        `json:"person"` // who looks
	Title   string        `json:"title"`
	Version int           `json:"version"`
	Leaves  []benchLeaf   `json:"leaves"`
	Sources []string      `json:"sources"` // names of the files
	Remarks []string      `json:"remarks"` // on each of them, "" for none
	Uses    []school.Use  `json:"uses"`
	Changed bool          `json:"changed"` // since what was assigned
	Kit     worksheet.Kit `json:"kit"`
	Heading string        `json:"heading,omitempty"` // offered as the title
	Reading bool          `json:"reading"`           // words and answers are still looked for
}

// A benchLeaf is a page of the plan as the bench shows it.
type benchLeaf struct {
	worksheet.PageRef
	school.PageSize
}

// benchOf loads the worksheet that a request is about.
func (s *Site) benchOf(c *echo.Context) (bench, error) {
	n, err := number(c, "id")
	if err != nil {
		return bench{}, err
	}
	p, err := s.school.Shelf.Prepare(c.Request().Context(), me(c), n)
	if err != nil {
		return bench{}, err
	}
	out := bench{ID: n, Person: me(c).ID, Title: p.Worksheet.Title, Version: p.Worksheet.Version, Uses: p.Uses, Changed: p.Changed, Kit: p.Kit, Reading: p.Worksheet.Reading, Heading: p.Heading}
	for i, l := range p.Plan {
		out.Leaves = append(out.Leaves, benchLeaf{l, p.Pages[i]})
	}
	for _, f := range p.Sources {
		out.Sources, out.Remarks = append(out.Sources, f.Name), append(out.Remarks, f.Remark)
	}
	return out, nil
}

// worksheet shows the bench.
func (s *Site) worksheet(c *echo.Context) error {
	b, err := s.benchOf(c)
	if err != nil {
		return err
	}
	if wantsJSON(c) {
		return c.JSON(http.StatusOK, b)
	}
	return s.render(c, http.StatusOK, "bench.html", b.Title, map[string]any{"View": b, "Course": c.QueryParam("course")})
}

// arrange keeps what the teacher changed on the bench.
func (s *Site) arrange(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	var want struct {
		Version int            `json:"version"`
		Leaves  worksheet.Plan `json:"leaves"`
		Kit     worksheet.Kit  `json:"kit"`
	}
	if err := json.NewDecoder(c.Request().Body).Decode(&want); err != nil {
		return &school.Problem{Code: "plan"}
	}
	if err := s.school.Shelf.Arrange(c.Request().Context(), me(c), n, want.Version, want.Leaves, want.Kit); err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]int{"version": want.Version + 1})
}

// addPages adds the pages of another file.
func (s *Site) addPages(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	if _, err := s.benchOf(c); err != nil {
		return err // before a large file is read
	}
	files, err := uploads(c)
	if err != nil {
		return err
	}
	at, err := echo.FormValue[int](c, "at")
	if err != nil {
		at = 1 << 20 // behind the last
	}
	if err := s.school.Shelf.AddPages(c.Request().Context(), me(c), n, at, files[0]); err != nil {
		return err
	}
	return s.worksheet(c)
}

// rename gives a worksheet another title.
func (s *Site) rename(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	if err := s.school.Shelf.Rename(c.Request().Context(), me(c), n, c.FormValue("title")); err != nil {
		return err
	}
	return nothing(c)
}

// manage does what only its owner does with a worksheet as it lies on the shelf.
func (s *Site) manage(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	ctx, me, to := c.Request().Context(), me(c), "/worksheets"
	switch c.FormValue("do") {
	case "folder":
		if err = s.school.Shelf.PutInto(ctx, me, n, c.FormValue("folder")); err == nil && c.FormValue("folder") != "" {
			to += "?folder=" + url.QueryEscape(strings.Join(strings.Fields(c.FormValue("folder")), " "))
		}
	case "title":
		err = s.school.Shelf.Rename(ctx, me, n, c.FormValue("title"))
	case "away":
		if err = s.school.Shelf.PutAway(ctx, me, n, true); err == nil {
			s.tell(c, "It is put away. What is assigned of it stays.")
		}
	case "back":
		err = s.school.Shelf.PutAway(ctx, me, n, false)
	case "share":
		return s.shareWith(c, n)
	case "delete":
		if err = s.school.Shelf.Delete(ctx, me, n); err == nil {
			s.tell(c, "The worksheet is deleted. What is assigned of it stays as it is.")
		}
	default:
		if _, err = s.school.Shelf.Shares(ctx, me, n); err == nil { // whose it is not learns no more
			err = wrongForm
		}
	}
	if err != nil {
		return err
	}
	return seeOther(c, to)
}

// shareWith says with which colleagues a worksheet is shared.
func (s *Site) shareWith(c *echo.Context, n uint64) error {
	var shares []school.Share
	for _, v := range c.Request().PostForm["with"] {
		course, err := strconv.ParseUint(v, 10, 63)
		if err != nil {
			return access.ErrHidden
		}
		shares = append(shares, school.Share{CourseID: course, MayChange: c.FormValue("change") == "1"})
	}
	if err := s.school.Shelf.Share(c.Request().Context(), me(c), n, shares); err != nil {
		return err
	}
	s.tell(c, "Kept.")
	return seeOther(c, "/worksheets/"+id(n)+"/sharing")
}

// sharing shows with whom a worksheet is shared.
func (s *Site) sharing(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	shares, err := s.school.Shelf.Shares(ctx, me(c), n)
	if err != nil {
		return err
	}
	b, err := s.school.Shelf.Prepare(ctx, me(c), n)
	if err != nil {
		return err
	}
	all, err := s.school.Courses.CoursesOf(ctx, me(c))
	if err != nil {
		return err
	}
	var works []school.CourseRole
	for _, k := range all {
		if (k.Role == access.Teacher || k.Role == access.Assistant) && k.ArchivedAt == nil {
			works = append(works, k)
		}
	}
	with, change := map[uint64]bool{}, false
	for _, sh := range shares {
		with[sh.CourseID], change = true, change || sh.MayChange
	}
	return s.render(c, http.StatusOK, "sharing.html", "Share “"+b.Worksheet.Title+"”", map[string]any{"Worksheet": b.Worksheet, "Courses": works, "With": with, "Change": change})
}

// duplicate opens a copy of a worksheet on the bench.
func (s *Site) duplicate(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	w, err := s.school.Shelf.Duplicate(c.Request().Context(), me(c), n)
	if err != nil {
		return err
	}
	return seeOther(c, "/worksheets/"+id(w.ID))
}

// reissue lets what is assigned go on with the worksheet as it is now.
func (s *Site) reissue(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	begun, err := s.school.Publishing.Reissue(c.Request().Context(), me(c), n, c.FormValue("anyway") == "1")
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]int{"begun": begun})
}

// tryOut shows the student's screen of a worksheet; nothing of it is kept.
func (s *Site) tryOut(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	v, err := s.school.Screens.Preview(c.Request().Context(), me(c), n)
	if err != nil {
		return err
	}
	return s.showSheet(c, v, "/worksheets/"+id(n))
}

// weigh says how large what students get is.
func (s *Site) weigh(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	w, err := s.school.Shelf.Weigh(c.Request().Context(), me(c), n)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, w)
}

// writeOn shows the screen on which a teacher writes on the sheet itself.
func (s *Site) writeOn(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	v, err := s.school.Screens.Writing(c.Request().Context(), me(c), n)
	if err != nil {
		return err
	}
	return s.showSheet(c, v, "/worksheets/"+id(n))
}

// written keeps what the teacher writes on the sheet itself.
func (s *Site) written(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	var want struct {
		Version int         `json:"version"`
		Marks   []mark.Mark `json:"marks"`
	}
	if err := json.NewDecoder(c.Request().Body).Decode(&want); err != nil {
		return &school.Problem{Code: "plan"}
	}
	version, err := s.school.Shelf.Write(c.Request().Context(), me(c), n, want.Version, want.Marks)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]int{"version": version})
}

// numbers returns path parameters that are small numbers.
func numbers(c *echo.Context, names ...string) ([]int, error) {
	out := make([]int, len(names))
	for i, name := range names {
		var err error
		if out[i], err = echo.PathParam[int](c, name); err != nil {
			return nil, access.ErrHidden
		}
	}
	return out, nil
}

// picture serves a page's picture. What is at its address never changes: a
// revision's pages and a source's stay as they are.
func (s *Site) picture(c *echo.Context) error { return s.pictureOf(c, s.school.Revisions.Picture) }

// heldPicture serves a page that students do not get, to those who mark.
func (s *Site) heldPicture(c *echo.Context) error {
	return s.pictureOf(c, s.school.Revisions.HeldPicture)
}

// sourcePicture serves a page as the teacher brought it in.
func (s *Site) sourcePicture(c *echo.Context) error {
	source, err := numbers(c, "source")
	if err != nil {
		return err
	}
	return s.pictureOf(c, func(ctx context.Context, who school.Person, n uint64, at shelf.PageAt) (school.Media, error) {
		return s.school.Shelf.SourcePicture(ctx, who, n, source[0], at)
	})
}

// pictureOf serves a page's picture from one of these places.
func (s *Site) pictureOf(c *echo.Context, of func(context.Context, school.Person, uint64, shelf.PageAt) (school.Media, error)) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	which, err := numbers(c, "n", "scale")
	if err != nil {
		return err
	}
	p, err := of(c.Request().Context(), me(c), n, shelf.PageAt{Number: which[0], Scale: which[1], Light: c.QueryParam("light") != ""})
	if err != nil {
		return err
	}
	return stream(c, p)
}

// stream sends a picture or a sound, which a browser that has it may keep for
// good: it is named by its content.
func stream(c *echo.Context, m school.Media) error {
	lasting(c)
	return send(c, m)
}

// send sends what is read from a file, or a range of it, and closes it.
func send(c *echo.Context, m school.Media) error {
	defer m.Close()
	h := c.Response().Header()
	h.Set("Content-Type", m.Type)
	h.Set("ETag", `"`+m.Hash+`"`)
	http.ServeContent(c.Response(), c.Request(), "", time.Time{}, m)
	return nil
}

// lasting lets the browser of this person keep an answer for good.
func lasting(c *echo.Context) {
	c.Response().Header().Set("Cache-Control", "private, max-age=31536000, immutable")
}

// guide serves what a revision's pages have to be worked on. A teacher may
// change it, so the browser asks each time.
func (s *Site) guide(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	guides, err := s.school.Revisions.Guides(c.Request().Context(), me(c), n)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, guides)
}

// inWords serves the sheet in words, page by page.
func (s *Site) inWords(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	pages, err := s.school.Revisions.InWords(c.Request().Context(), me(c), n)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, pages)
}

// print serves what is printed on a page, for selecting and reading aloud.
func (s *Site) print(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	pageNumber, err := strconv.Atoi(strings.TrimSuffix(c.Param("n"), ".json"))
	if err != nil {
		return access.ErrHidden
	}
	print, err := s.school.Revisions.TextLayer(c.Request().Context(), me(c), n, pageNumber)
	if err != nil {
		return err
	}
	lasting(c)
	return c.JSONBlob(http.StatusOK, []byte(print))
}

// found serves what was found on the leaves of a worksheet.
func (s *Site) found(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	found, err := s.school.Shelf.Found(c.Request().Context(), me(c), n)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, found)
}

// leafPrint serves what is printed on a page that the teacher brought in.
func (s *Site) leafPrint(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	at, err := numbers(c, "source", "n", "turn")
	if err != nil {
		return err
	}
	print, err := s.school.Shelf.LeafPrint(c.Request().Context(), me(c), n, worksheet.PageRef{Source: at[0], Page: at[1], Turn: at[2]})
	if err != nil {
		return err
	}
	return c.JSONBlob(http.StatusOK, []byte(print))
}

// leafInWords serves a leaf of a worksheet in words, by its number from 0.
func (s *Site) leafInWords(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	at, err := numbers(c, "n")
	if err != nil {
		return err
	}
	pieces, err := s.school.Shelf.LeafInWords(c.Request().Context(), me(c), n, at[0])
	if err != nil {
		return err
	}
	if pieces == nil {
		pieces = []inwords.Piece{} // nothing is on it
	}
	return c.JSON(http.StatusOK, pieces)
}

// putRight puts a word right that was read in the picture of a page.
func (s *Site) putRight(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	var at [3]int
	for i, name := range []string{"source", "page", "at"} {
		if at[i], err = strconv.Atoi(c.FormValue(name)); err != nil {
			return access.ErrHidden
		}
	}
	if err := s.school.Shelf.PutRight(c.Request().Context(), me(c), n, worksheet.PageRef{Source: at[0], Page: at[1]}, at[2], c.FormValue("was"), c.FormValue("text")); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

// turned gives a leaf turned by a quarter, with all that stands on it.
func (s *Site) turned(c *echo.Context) error {
	if _, err := s.benchOf(c); err != nil {
		return err
	}
	var want struct {
		Leaf   worksheet.PageRef `json:"leaf"`
		Height float64           `json:"height"` // before
	}
	if err := json.NewDecoder(c.Request().Body).Decode(&want); err != nil {
		return &school.Problem{Code: "plan"}
	}
	return c.JSON(http.StatusOK, want.Leaf.Turned(want.Height))
}

// addSpoken takes a spoken direction in.
func (s *Site) addSpoken(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	r, err := recorded(c)
	if err != nil {
		return err
	}
	voice, err := s.school.Shelf.AddSpoken(c.Request().Context(), me(c), n, r)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, voice)
}

// addPicture takes a picture in for the shelf.
func (s *Site) addPicture(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	if _, err := s.benchOf(c); err != nil {
		return err // before a large file is read
	}
	files, err := uploads(c)
	if err != nil {
		return err
	}
	pic, err := s.school.Shelf.AddPicture(c.Request().Context(), me(c), n, files[0])
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, pic)
}

// extra serves a sound or a picture of a worksheet to its owner.
func (s *Site) extra(c *echo.Context) error { return s.extraOf(c, s.school.Shelf.Attachment) }

// sheetExtra serves it to those who have the sheet.
func (s *Site) sheetExtra(c *echo.Context) error {
	return s.extraOf(c, s.school.Revisions.AttachmentOf)
}

// extraOf serves a sound or a picture that lies with a worksheet.
func (s *Site) extraOf(c *echo.Context, of func(context.Context, school.Person, uint64, string) (school.Media, error)) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	e, err := of(c.Request().Context(), me(c), n, c.Param("hash"))
	if err != nil {
		return err
	}
	return stream(c, e)
}
