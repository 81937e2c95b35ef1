package web

import (
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"net/url"
	"readymargin/core/aloud"
	"readymargin/core/lookup"
	reader "readymargin/school/aloud"
	"strings"

	"github.com/labstack/echo/v5"

	"readymargin/core/access"
	"readymargin/core/document"
	"readymargin/core/flow"
	"readymargin/core/recording"
	"readymargin/core/roster"
	"readymargin/core/speech"
	"readymargin/core/trail"
	"readymargin/queue"
	"readymargin/school"
	"readymargin/school/dictate"
)

// A sentence is what people read when something did not work: what happened,
// whether anything was lost, what to do.
type sentence struct {
	status int
	text   string
}

// wrongForm says that a form asks for nothing that there is.
var wrongForm = &school.Problem{Code: "wrong form"}

// problems has a sentence for each school.Problem; %s is its value.
var problems = map[string]string{
	"sign-in wrong":        "That name and password do not go together. Check both and try again.",
	"too many tries":       "That was tried too often. Wait %s seconds and try again. On a device on which you have signed in before you need not wait for others.",
	"old password":         "That is not the password you have now. Nothing was changed.",
	"password length":      "A password needs at least 8 characters.",
	"name":                 "Please type a name, with at most 100 letters.",
	"account closed":       "This account is closed. An administrator of your school can open it again; all work in it is kept.",
	"slip used":            "This slip was used already, or is too old. Ask for a new one.",
	"join code":            "No course has the code “%s”. Check it with your teacher.",
	"join closed":          "This course takes nobody new at the moment. Ask your teacher to open it.",
	"join refused":         "The teacher has not let you into this course. Ask them.",
	"brought too late":     "These pages were submitted already, so they stay. Add further ones with Add a page. Nothing was changed.",
	"written already":      "There is writing on these pages, which would lie on others. Clear it first, or add your pages behind these with Add a page. Nothing was changed.",
	"colour key":           "Every meaning needs a name, a sign and a look of its own. Nothing was changed.",
	"last admin":           "Then nobody would run the school. Make somebody else an administrator first.",
	"erase oneself":        "Another administrator can erase you. Nothing was changed.",
	"not the sign-in name": "That is not the sign-in name. Nothing was erased.",
	"worksheets in use":    "Worksheets of this person are assigned. Give them to another teacher first. Nothing was erased.",
	"folder":               "A folder’s name may have 60 letters. Nothing was changed.",
	"not the name":         "That is not the name of the course. Nothing was deleted.",
	"archived":             "“%s” is put away, so nothing is assigned there. Bring it back first.",
	"day":                  "“%s” is not a day. Nothing was made.",
	"course name":          "Please give the course a name, with at most 100 letters.",
	"time zone":            "“%s” is not a time zone we know. Choose one from the list.",
	"voice minutes":        "A voice note may last 1 to 20 minutes.",
	"title":                "A title may have at most 100 letters.",
	"instructions":         "Instructions may have at most 5,000 letters.",
	"score":                "For this question give a number in steps of a quarter, from 0 to %s.",
	"scored":               "Somebody else has given points for this question meanwhile: %s. Yours were not written over them; look, and give yours again if they are to stand.",
	"points":               "“%s” cannot be given as points here. Use a number in steps of a quarter, not above the total.",
	"judged":               "Every criterion takes one of its levels. Nothing was changed; look at the question again, its criteria may have been changed meanwhile.",
	"rubric":               "Every criterion needs at least one level, with its points. Nothing was kept.",
	"rubrics":              "200 of these are kept already. Take one away first.",
	"rubric title":         "Something is kept as “%s” already. Give it another name.",
	"reason":               "A reason may have at most 300 letters on one line.",
	"scaled":               "Points were given already for questions of this assignment, so how they add up, and to what, stays. Take those points away first, or give totals as a whole.",
	"due time":             "“%s” is not a date and time.",
	"left out":             "The clocks are put forward over %s, so there is no such time that night. Choose another.",
	"times":                "It must open before it is due, and be due before it closes.",
	"attempts":             "“%s” is not a number of attempts. Leave it empty for as many as you return.",
	"attempts used":        "This sheet may be submitted %s times, and you have done that. Your work is kept.",
	"look first":           "Something may have been forgotten on this copy. It was not returned.",
	"return time":          "That is no time to return at: it must be later than now, and within a year. Nothing was returned.",
	"not returned":         "This attempt is not with the student, so there is nothing to withdraw.",
	"opened":               "It cannot be withdrawn any more: the student has opened it, or has begun the next attempt.",
	"point step":           "Points are given in steps of %s in this course.",
	"weight":               "A weight is a number from 0 to 1,000. Nothing was changed.",
	"points file":          "This is no table of points: its first line must name a column for the students (“Name” or “Sign-in name”) and assignments by their titles, as the file that is taken away has it. Nothing was changed.",
	"short key":            "“%s” is no short key: at most 20 letters on one line.",
	"ready remark":         "A remark that is kept has from 1 to 2,000 letters.",
	"ready remarks":        "There are 500 remarks kept already. Take one away first.",
	"line":                 "The line to your teacher may have at most 2,000 letters.",
	"remark":               "The remark may have at most 5,000 letters.",
	"more work":            "Work from another device has just arrived on this copy. Nothing is lost. Look it over, then submit again.",
	"marked picture":       "A picture cannot be told from the page that it shows. Bring in the PDF that you marked, or its marks as XFDF. Nothing was taken over.",
	"another attempt":      "This file is of attempt %s. Nothing was taken over.",
	"no xfdf":              "This XFDF file cannot be read. Nothing was taken over.",
	"pages":                "Write pages as 1-3, 5. This copy has pages 1 to %s, and one of its sheet has to be among them. Nothing was taken away.",
	"form":                 "A copy is taken away as an empty sheet, to keep or print, to go on in another program, to read on paper, as pictures, as its marks alone, or as data.",
	"letters":              "These signs are in no font we have and would be missing in the file: %s",
	"operation":            "The server could not take this change: %s",
	"state name":           "Give it a name of at most 60 letters, so that you find it again. Nothing was kept, and nothing on the copy is lost.",
	"states":               "40 states of this copy are kept already, so this one was not. Nothing on the copy is lost.",
	"batch":                "The server could not take these changes.",
	"draft":                "What you are typing could not be kept.",
	"settings":             "Your settings could not be kept.",
	"no file":              "Choose a file first.",
	"too much":             "This file differs from the sheet in far more than can be taken over. Nothing was taken over.",
	"another copy":         "This file was taken away from another copy of the sheet. Nothing was taken over.",
	"which page":           "It cannot be told which page of the sheet the picture shows. Go to that page and bring the picture in again. Nothing was taken over.",
	"glossary word":        "A word may have at most 60 letters, on one line. Nothing was kept.",
	"glossary means":       "What a word means may have at most 400 letters. Nothing was kept; shorten it.",
	"glossary full":        "A course explains at most 1,000 words. Take one out first.",
	"word":                 "A word has letters or digits, and no space in it. What was there before is still there.",
	"no paper":             "“Scans and photographs” means PDF, JPEG, PNG, WebP or HEIC. This file is none of them, so nothing of it was taken.",
	"whose":                "Choose whose page it is. Nothing was laid anywhere.",
	"page":                 "This student’s sheet has pages 1 to %s. Nothing was laid there.",
	"nothing":              "There is nothing to print yet: nobody works on this, or nobody has submitted anything.",
	"no zip":               "This ZIP is damaged, or has far more in it than the copies of a class. Nothing was taken over.",
	"nothing marked":       "There is no PDF and no XFDF in this file. Nothing was taken over.",
	"no copy":              "It does not say whose copy it is, and its name is that of none. Open that copy, press Take away there, and bring it in as its PDF or XFDF.",
	"no attempt":           "It was taken away from an attempt that is none of these: of another assignment, or of another school.",
	"other pages":          "Of this file page %s is none of the sheet's. Nothing was taken over.",
	"other sheet":          "This file is not of this sheet: no page of the sheet looks like its page %s. Nothing was taken over.",
	"plan":                 "These pages could not be arranged like this. Nothing was changed.",
	"kit":                  "Every colour needs a name and a sign of its own. Nothing was changed.",
	"no course":            "Choose at least one course.",
	"no pages":             "No page is left for the students. Hand at least one out.",
	"undecided":            "Some pages look as if they held the answers (%s of them). Decide on the bench what becomes of them, or assign it all the same.",
	"audience":             "Somebody or some section named there is not in the course. Nothing was changed.",
	"nobody":               "Choose who gets this worksheet: a section, or some students.",
	"handouts":             "This assignment takes no further worksheet. Nothing was changed.",
	"way":                  "Students have begun, so how it is given stays. Assign the worksheet once more in the other way.",
	"extra time":           "More time must end after the due time, and there must be one. Nothing was changed.",
	"section":              "The name of a section may have at most 60 letters.",
	"no account":           "Nobody signs in as “%s”. Ask them for the name they sign in with.",
	"no teacher":           "“%s” has no teacher’s account, so they can be an assistant here, not a teacher.",
	"learns here":          "“%s” learns in this course. Refuse them first, if they are to teach in it.",
	"last teacher":         "A course keeps at least one teacher. Add another one first.",
	"lesson":               "“%s” is not a time of day, such as 18:30.",
	"full":                 "There is more on this copy than it can hold. What was there before is kept; take something away to go on.",
	"heard":                "This has been heard as often as it may be. Ask your teacher if the line broke off.",
	"no mail here":         "You cannot have mail sent from here. Your teacher can let the course.",
	"address":              "This is no mail address. It looks like name@school.example.",
	"address often":        "Several letters have gone out to confirm an address already. Wait twenty minutes; nothing else is lost.",
	"confirm over":         "This link is no longer good, or was used. Give your address again on your account page.",
	"class line":           "Write or speak something, in at most 1,000 characters.",
	"many lines":           "There are 200 lines to this class already. Take old ones away first; what you wrote is below.",
	"put away":             "This course is put away. Bring it back first.",
	"colleague":            "This person cannot be asked here. Load the page again and choose another.",
	"instrument":           "Your teacher has not offered this instrument for this sheet.",
	"not yours":            "Somebody else made this. You can change only what you made yourself.",
	"wrong form":           "Something in this form was not understood. Nothing was changed.",
}

// files has a sentence for everything that can be wrong with a file.
var files = map[error]sentence{
	document.ErrNotPDF:      {422, "This file is neither a PDF, a picture (PNG, JPEG, WebP or HEIC) nor an office document (DOCX, ODT, PPTX, ODP, XLSX, ODS or RTF). Save or print it as a PDF and bring that in. Nothing was kept."},
	document.ErrDamaged:     {422, "This PDF is damaged and cannot be opened. Try to save it again where it comes from. Nothing was kept."},
	document.ErrEncrypted:   {422, "This PDF asks for a password. Save it without one and bring that in. Nothing was kept."},
	document.ErrEmpty:       {422, "This file is empty. Nothing was kept."},
	document.ErrTooLarge:    {413, "This file is larger than %d MB. Make its pictures smaller or split it. Nothing was kept."},
	document.ErrPages:       {422, "This PDF has more than %d pages. Split it and bring in the part you need. Nothing was kept."},
	document.ErrSide:        {422, "A page of this PDF is larger than five metres, or smaller than a pinhead. Nothing was kept."},
	document.ErrTime:        {422, "This PDF takes too long to read, so we stopped. Try to save it in a simpler form. Nothing was kept."},
	document.ErrMemory:      {422, "This PDF takes too much memory to read, so we stopped. Try to save it in a simpler form. Nothing was kept."},
	document.ErrPixels:      {413, "This picture has more dots than can be taken here. Save it smaller, with at most 5,000 dots along each side. Nothing was kept."},
	document.ErrPicture:     {422, "This picture is damaged and cannot be shown. Save it again where it comes from. Nothing was kept."},
	document.ErrNoOffice:    {422, "This house cannot turn office documents into pages: LibreOffice is missing (whoever runs it installs it with: apt-get install libreoffice-writer-nogui libreoffice-impress-nogui). Save the document as a PDF and bring that in. Nothing was kept."},
	document.ErrNoRooms:     {422, "This machine cannot open office documents safely, so we do not. Save the document as a PDF and bring that in. Nothing was kept."},
	document.ErrOffice:      {422, "This document is damaged, or asks for a password, and cannot be turned into pages. Save it as a PDF and bring that in. Nothing was kept."},
	document.ErrOfficeSize:  {422, "This document is far larger inside than it looks, so we did not open it. Make its pictures smaller, or save it as a PDF. Nothing was kept."},
	document.ErrOfficeTime:  {422, "This document takes too long to be turned into pages, so we stopped. Save it as a PDF and bring that in. Nothing was kept."},
	document.ErrNoPhotos:    {422, "This house cannot open HEIC photographs (whoever runs it installs: apt-get install libheif-examples). Save the photograph as JPEG and bring that in. Nothing was kept."},
	document.ErrPhoto:       {422, "This photograph is damaged and cannot be shown. Save it as JPEG and bring that in. Nothing was kept."},
	trail.ErrTrail:          {422, "What was shown while you spoke cannot be read, so nothing was kept. The recording is still on your device: keep it again, or record it again."},
	recording.ErrUnreadable: {422, "This recording cannot be read. Record it again."},
	speech.ErrUnreadable:    {422, "This recording could not be read. You can type what it says."},
	aloud.ErrAway:           {503, "The voice that reads aloud cannot be reached. Nothing is lost; try again in a moment."},
	aloud.ErrLanguage:       {422, "There is no voice here for the language of this text."},
	lookup.ErrUnknown:       {422, "The dictionary does not have this word."},
	lookup.ErrLanguage:      {422, "There is no dictionary here for the language of this sheet."},
	reader.ErrSilent:        {422, "There is nothing here that can be read aloud."},
	reader.ErrPassage:       {422, "This is too long to be read aloud at once. Choose a part of it."},
	speech.ErrLanguage:      {422, "The program that writes down what is said here knows English, and this worksheet is in another language. Type it; your school can have a program of its own for this."},
	dictate.ErrLong:         {413, "That is more than two minutes. Nothing was written down; say it in parts."},
	speech.ErrAway:          {503, "The program that writes down what is said cannot be reached. Type it, or try again later; nothing is lost."},
	recording.ErrSilent:     {422, "Nothing was recorded. Check the microphone and record again."},
	recording.ErrTooLong:    {422, "This recording is longer than the course allows. Record a shorter one."},
	recording.ErrTooLarge:   {413, "This recording is too large. Record a shorter one."},
	flow.ErrClosed:          {409, "This assignment is closed and takes no more work."},
	flow.ErrFeedback:        {409, "Your teacher has begun to mark this copy, so it cannot be taken back."},
	flow.ErrState:           {409, "This copy has moved on in the meantime. Load the page again to see how it stands."},
	roster.ErrEmpty:         {422, "There are no names in this list. Nothing was changed."},
	roster.ErrText:          {422, "This is not a text file. Save the list as CSV and bring that in. Nothing was changed."},
	roster.ErrArchive:       {422, "This is not a ZIP with users.csv, classes.csv and enrollments.csv. Nothing was changed."},
	roster.ErrLarge:         {422, "The files in this ZIP are too large. Nothing was changed."},
	roster.ErrMany:          {422, "This list has more than 5,000 lines. Split it. Nothing was changed."},
	school.ErrStale:         {409, "Somebody has changed this in the meantime, perhaps you in another window. Your change was not taken; look at what it is now first. Nothing of the other change is lost."},
	errForeign:              {403, "This came from another site, so it was not done. Go to the page itself and try once more."},
	access.ErrSignIn:        {401, "Please sign in first. Nothing is lost."},
	access.ErrHidden:        {404, "There is nothing here for you. It may have been moved, or belong to somebody else."},
	access.ErrDenied:        {403, "This is not yours to do."},
	access.ErrKept:          {403, "Your teacher has chosen that this sheet is not taken away as a file. Your work is safe here."},
}

// errForeign is the error of a request that another site has a browser send.
var errForeign = errors.New("web: from another site")

// busy is said when the time for a request is over.
var busy = sentence{503, "So many are at work here just now that this took too long. What you have done is kept. Try again in a moment."}

// away is said while the database cannot be reached.
var away = sentence{503, "The school’s store does not answer at the moment. Nothing that was saved is lost, and what you do on a sheet stays on your device until it is back. This page tries again by itself."}

// say returns the sentence for an error.
func (s *Site) say(err error) sentence {
	var p *school.Problem
	if errors.As(err, &p) {
		if text, ok := problems[p.Code]; ok {
			status := http.StatusUnprocessableEntity
			if p.Code == "too many tries" {
				status = http.StatusTooManyRequests
			}
			if p.Code == "more work" {
				status = http.StatusConflict
			}
			if strings.Contains(text, "%s") {
				text = fmt.Sprintf(text, p.Value)
			}
			return sentence{status, text}
		}
	}
	if errors.Is(err, school.ErrAway) {
		return away
	}
	if errors.Is(err, errBusy) || errors.Is(err, queue.ErrFull) {
		return busy
	}
	for known, said := range files {
		if !errors.Is(err, known) {
			continue
		}
		limits := s.school.Intake.Limits()
		switch known {
		case document.ErrTooLarge:
			said.text = fmt.Sprintf(said.text, limits.Bytes>>20)
		case document.ErrPages:
			said.text = fmt.Sprintf(said.text, limits.Pages)
		}
		return said
	}
	var large *http.MaxBytesError
	if errors.As(err, &large) {
		return sentence{413, "That is more than can be taken at once. Nothing was changed."}
	}
	switch status := echo.StatusCode(err); {
	case status == http.StatusNotFound || status == http.StatusMethodNotAllowed:
		return files[access.ErrHidden]
	case status >= 400 && status < 500:
		return sentence{status, problems["wrong form"]}
	}
	return sentence{500, "Something went wrong on our side. What you have done is kept. Try again in a moment."}
}

// fail answers a request that ended with an error.
func (s *Site) fail(c *echo.Context, err error) {
	if c.Request().Context().Err() != nil {
		return // nobody is there to be answered
	}
	said := s.say(err)
	if said.status == http.StatusServiceUnavailable {
		c.Response().Header().Set("Retry-After", "5")
	}
	if said.status >= 500 {
		slog.Error("request failed", "request", c.Response().Header().Get(requestID), "method", c.Request().Method, "path", c.Path(), "error", err)
	}
	if r, unwrapErr := echo.UnwrapResponse(c.Response()); unwrapErr == nil && r.Committed {
		return
	}
	if wantsJSON(c) {
		c.JSON(said.status, map[string]string{"error": said.text, "code": codeOf(err)})
		return
	}
	if said.status == http.StatusUnauthorized && c.Request().Method == http.MethodGet && c.Request().Header.Get("HX-Request") == "" { // a fragment is not swapped for a page
		c.Redirect(http.StatusSeeOther, "/sign-in?next="+url.QueryEscape(c.Request().URL.RequestURI()))
		return
	}
	title := "Not here"
	if said.status >= 500 {
		title = "Not now"
	}
	if said.status == http.StatusServiceUnavailable && c.Request().Method == http.MethodGet {
		c.Response().Header().Set("Refresh", "5") // browsers load the page again by themselves
	}
	if err := s.render(c, said.status, "error.html", title, map[string]any{"Sentence": said.text}); err != nil {
		slog.Error("saying that a request failed", "error", err)
	}
}

// codeOf returns the code of a Problem for script, "" for other errors.
func codeOf(err error) string {
	var p *school.Problem
	if errors.As(err, &p) {
		return p.Code
	}
	return ""
}

// wantsJSON reports whether script asks, which shows errors itself.
func wantsJSON(c *echo.Context) bool {
	h := c.Request().Header
	return strings.Contains(h.Get("Accept"), "application/json") || strings.HasPrefix(h.Get("Content-Type"), "application/json")
}
