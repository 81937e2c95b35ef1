package web

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"strconv"
	"time"

	"github.com/labstack/echo/v5"

	"readymargin/core/access"
	"readymargin/core/dictation"
	"readymargin/core/mark"
	"readymargin/core/submission"
	"readymargin/school"
	"readymargin/school/intake"
	"readymargin/school/live"
	"readymargin/school/screen"
	"readymargin/school/takeaway"
	"readymargin/school/work"
)

// openOwn leads a student to the own copy of an assignment.
func (s *Site) openOwn(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	mine, err := s.school.Saving.OpenOwn(c.Request().Context(), me(c), n)
	if err != nil {
		return err
	}
	return seeOther(c, "/copies/"+id(mine.ID))
}

// sheet shows the student's copy.
func (s *Site) sheet(c *echo.Context) error {
	v, err := s.own(c)
	if err != nil {
		return err
	}
	return s.showSheet(c, v, "")
}

// showSheet shows the screen of a student; back leads to where a trial was begun.
func (s *Site) showSheet(c *echo.Context, v screen.Screen, back string) error {
	return s.render(c, http.StatusOK, "sheet.html", v.Title, map[string]any{"View": v, "Head": s.headOf(v), "Back": back})
}

// practise shows the practice sheet on the student's screen.
func (s *Site) practise(c *echo.Context) error {
	v, err := s.school.Screens.Practise(c.Request().Context(), me(c))
	if err != nil {
		return err
	}
	return s.showSheet(c, v, "")
}

// own returns the student's screen of the copy and attempt that a request is about.
func (s *Site) own(c *echo.Context) (screen.Screen, error) {
	n, err := number(c, "id")
	if err != nil {
		return screen.Screen{}, err
	}
	attempt, _ := echo.QueryParam[int](c, "attempt")
	return s.school.Screens.OpenAttempt(c.Request().Context(), me(c), n, attempt)
}

// view is the same for script that asks what is new.
func (s *Site) view(c *echo.Context) error {
	v, err := s.own(c)
	if err != nil {
		return err
	}
	return s.withHead(c, v)
}

// save takes operations into a layer.
func (s *Site) save(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	var batch struct {
		Layer submission.Layer `json:"layer"`
		Ops   []submission.Op  `json:"ops"`
	}
	if err := readJSON(c, &batch); err != nil {
		return err
	}
	saved, err := s.school.Saving.Save(c.Request().Context(), me(c), n, batch.Layer, batch.Ops)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, saved)
}

// changes answers with what was changed on the copy after an operation.
func (s *Site) changes(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	after, err := echo.QueryParam[int64](c, "after")
	if err != nil {
		after = -1 // it knows nothing
	}
	changes, err := s.school.Saving.Changes(c.Request().Context(), me(c), n, after)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, changes)
}

// states answers with the states of a layer that were kept.
func (s *Site) states(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	all, err := s.school.States.All(c.Request().Context(), me(c), n, submission.Layer(c.QueryParam("layer")))
	if err != nil {
		return err
	}
	if all == nil {
		all = []school.State{}
	}
	return c.JSON(http.StatusOK, all)
}

// keepState keeps what stands in a layer under a name.
func (s *Site) keepState(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	state, err := s.school.States.Keep(c.Request().Context(), me(c), n, submission.Layer(c.FormValue("layer")), c.FormValue("name"))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, state)
}

// state answers with the marks of a state that was kept.
func (s *Site) state(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	k, err := number(c, "number")
	if err != nil {
		return err
	}
	marks, err := s.school.States.Marks(c.Request().Context(), me(c), n, submission.Layer(c.QueryParam("layer")), int(k))
	if err != nil {
		return err
	}
	if marks == nil {
		marks = []mark.Mark{}
	}
	return c.JSON(http.StatusOK, marks)
}

// feed sends news of the copy as server-sent events (WHATWG HTML, 9.2).
func (s *Site) feed(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	var seen live.Seen
	seen.Seq, _ = echo.QueryParam[int64](c, "seq")
	seen.Said, _ = echo.QueryParam[int64](c, "said")
	h := c.Response().Header()
	begin := func() {
		h.Set("Content-Type", "text/event-stream")
		h.Set("X-Accel-Buffering", "no")
	}
	flush := http.NewResponseController(c.Response())
	flush.SetWriteDeadline(time.Time{})
	err = s.school.Live.Follow(c.Request().Context(), me(c), n, submission.Layer(c.QueryParam("layer")), seen, func(news live.News) error {
		begin()
		b, err := json.Marshal(news)
		if err != nil {
			return err
		}
		if _, err := fmt.Fprintf(c.Response(), "event: news\ndata: %s\n\n", b); err != nil {
			return err
		}
		return flush.Flush()
	}, func() error {
		begin()
		if _, err := io.WriteString(c.Response(), ": still here\n\n"); err != nil {
			return err
		}
		return flush.Flush()
	})
	if c.Request().Context().Err() != nil {
		return nil
	}
	return err
}

// submit fixes the work as an attempt.
func (s *Site) submit(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	seq, err := echo.FormValue[int64](c, "seq")
	if err != nil {
		seq = -1 // older than anything: nothing will be submitted unseen
	}
	receipt, err := s.school.Submitting.Submit(c.Request().Context(), me(c), n, c.FormValue("line"), seq)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, receipt)
}

// takeBack gives the copy back to its student.
func (s *Site) takeBack(c *echo.Context) error { return s.move(c, s.school.Submitting.TakeBack) }

// improve lets the student go on after a return.
func (s *Site) improve(c *echo.Context) error { return s.move(c, s.school.Submitting.Improve) }

// recorded reads a recording, with what was shown meanwhile where it is a form, of which the address may say from which to which
// millisecond it is to be kept.
func recorded(c *echo.Context) (r intake.Recorded, err error) {
	for name, at := range map[string]*time.Duration{"from": &r.Cut.From, "to": &r.Cut.To} {
		if c.QueryParam(name) == "" {
			continue
		}
		ms, err := echo.QueryParam[int](c, name)
		if err != nil || ms < 0 || ms > 1e9 {
			return r, wrongForm
		}
		*at = time.Duration(ms) * time.Millisecond
	}
	if kind, _, _ := mime.ParseMediaType(c.Request().Header.Get("Content-Type")); kind != echo.MIMEMultipartForm {
		r.Data, err = io.ReadAll(c.Request().Body)
		return r, err
	}
	for name, to := range map[string]*[]byte{"sound": &r.Data, "trail": &r.Trail} {
		head, err := c.FormFile(name)
		if err != nil {
			return r, wrongForm
		}
		f, err := head.Open()
		if err != nil {
			return r, err
		}
		*to, err = io.ReadAll(f)
		if err := errors.Join(err, f.Close()); err != nil {
			return r, err
		}
	}
	return r, nil
}

// addSound takes a recording in for a note.
func (s *Site) addSound(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	r, err := recorded(c)
	if err != nil {
		return err
	}
	voice, err := s.school.Attachments.AddVoice(c.Request().Context(), me(c), n, submission.Layer(c.QueryParam("layer")), r)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, voice)
}

// dictate writes down what is said to the sheet.
func (s *Site) dictate(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	sound, err := io.ReadAll(c.Request().Body)
	if err != nil {
		return err
	}
	pieces, err := s.school.Dictation.Write(c.Request().Context(), me(c), n, submission.Layer(c.QueryParam("layer")), sound, c.Request().Header.Get("Content-Type"))
	if err != nil {
		return err
	}
	if pieces == nil {
		pieces = []dictation.Piece{} // nothing was said
	}
	return c.JSON(http.StatusOK, map[string]any{"pieces": pieces, "text": dictation.Text(pieces)})
}

// maxPicture bounds the pictures that students bring to their copies, in bytes.
const maxPicture = 25 << 20

// enclose takes a picture in, from a file or from another copy.
func (s *Site) enclose(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	layer := submission.Layer(c.QueryParam("layer"))
	if hash := c.QueryParam("hash"); hash != "" {
		from, err := echo.QueryParam[uint64](c, "from")
		if err != nil {
			return access.ErrHidden
		}
		if err := s.school.Attachments.AddPictureFrom(c.Request().Context(), me(c), n, layer, from, hash); err != nil {
			return err
		}
		return nothing(c)
	}
	files, err := uploads(c)
	if err != nil {
		return err
	}
	files[0].Sheet = c.FormValue("sheet") == "yes"
	pic, err := s.school.Attachments.AddPicture(c.Request().Context(), me(c), n, layer, files[0])
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, pic)
}

// elsewhere takes over what was done on the sheet with another program.
func (s *Site) elsewhere(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	files, err := uploads(c)
	if err != nil {
		return err
	}
	shows, _ := strconv.Atoi(c.FormValue("page")) // what is no number was not said
	brought, err := s.school.Elsewhere.BringElsewhere(c.Request().Context(), me(c), n, files[0], work.Answers{Anyway: c.FormValue("anyway") == "yes", Some: c.FormValue("some") == "yes", Page: shows})
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, brought)
}

// markedElsewhere takes over what a teacher did on a copy with another program.
func (s *Site) markedElsewhere(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	files, err := uploads(c)
	if err != nil {
		return err
	}
	attempt, _ := strconv.Atoi(c.FormValue("attempt")) // what is no number is the latest
	brought, err := s.school.Elsewhere.BringMarked(c.Request().Context(), me(c), n, attempt, files[0], work.Answers{Anyway: c.FormValue("anyway") == "yes"})
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, brought)
}

// soundWords answers with what is said in a recording; while it is still being written
// down, with 202 and nothing.
func (s *Site) soundWords(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	text, done, err := s.school.Dictation.Words(c.Request().Context(), me(c), n, c.Param("hash"))
	if err != nil {
		return err
	}
	if !done {
		return c.JSON(http.StatusAccepted, struct{}{})
	}
	return c.JSON(http.StatusOK, map[string]string{"text": text})
}

// beginHearing begins to hear a sound that may be heard so and so often.
func (s *Site) beginHearing(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	h, err := s.school.Hearings.Begin(c.Request().Context(), me(c), n, c.Param("name"))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, h)
}

// hearingWords answers with what such a sound says.
func (s *Site) hearingWords(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	words, err := s.school.Hearings.Words(c.Request().Context(), me(c), n, c.Param("name"))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]string{"words": words})
}

// hearing serves the sound of a hearing that has begun.
func (s *Site) hearing(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	m, err := s.school.Hearings.Sound(c.Request().Context(), me(c), n, c.Param("token"))
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "no-store")
	return send(c, m)
}

// aloud answers with what can be heard of the newest feedback.
func (s *Site) aloud(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	attempt, all, err := s.school.Listening.Aloud(c.Request().Context(), me(c), n)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"attempt": attempt, "all": all})
}

// heard notes to where a student has heard a remark.
func (s *Site) heard(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	attempt, _ := echo.FormValue[int](c, "attempt")
	ms, _ := echo.FormValue[int](c, "ms")
	if err := s.school.Listening.Heard(c.Request().Context(), me(c), n, attempt, c.FormValue("remark"), time.Duration(ms)*time.Millisecond); err != nil {
		return err
	}
	return nothing(c)
}

// enclosed serves a sound or a picture of a copy.
func (s *Site) enclosed(c *echo.Context) error { return s.extraOf(c, s.school.Attachments.Attachment) }

// printCopy makes a PDF of the copy as the person may see it.
func (s *Site) printCopy(c *echo.Context) error {
	n, err := number(c, "id")
	if err != nil {
		return err
	}
	q := c.Request().URL.Query()
	choice := takeaway.Choice{Form: takeaway.Form(q.Get("as")), Pages: q.Get("pages"), NoNotes: q.Get("notes") == "none", Anyway: q.Get("anyway") == "1"}
	choice.Attempt, _ = echo.QueryParam[int](c, "attempt")
	f, err := s.school.Exports.TakeCopy(c.Request().Context(), me(c), n, choice)
	if err != nil {
		if school.IsProblem(err, "letters") {
			q.Set("anyway", "1")
			return s.again(c, err, "letters.html", "Before you take it away", map[string]any{"Anyway": c.Request().URL.Path + "?" + q.Encode()})
		}
		return err
	}
	how := "attachment"
	if q.Get("open") == "1" { // to be printed by the browser
		how = "inline"
	}
	called(c, how, f.Name)
	return send(c, f.Media)
}

// saveSettings keeps how the person set the instruments and the screen.
func (s *Site) saveSettings(c *echo.Context) error {
	b, err := io.ReadAll(c.Request().Body)
	if err != nil {
		return err
	}
	if err := s.school.Accounts.SaveSettings(c.Request().Context(), me(c), string(b)); err != nil {
		return err
	}
	return nothing(c)
}
