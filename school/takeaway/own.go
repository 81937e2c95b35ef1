package takeaway

import (
	"archive/zip"
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"
	"time"

	"readymargin/core/access"
	"readymargin/school"
)

// An about is what is known of somebody, as it goes into their file.
type about struct {
	Name      string              `json:"name"`
	Given     string              `json:"given"`
	Family    string              `json:"family"`
	SignsIn   string              `json:"signsInAs"`
	Since     time.Time           `json:"since"`
	Settings  json.RawMessage     `json:"settings"`
	Mail      string              `json:"mailGoesTo,omitempty"`
	MailOf    []school.NoticeKind `json:"mailOf,omitempty"`
	Devices   []aboutDevice       `json:"devices"`
	Courses   []aboutCourse       `json:"courses"`
	Sheets    []aboutSheet        `json:"worksheets,omitempty"`
	Remarks   []string            `json:"readyRemarks,omitempty"`
	NotInHere []string            `json:"notInThisFile,omitempty"`
}

type aboutDevice struct {
	Name string    `json:"name"`
	Seen time.Time `json:"lastSignedIn"`
}

type aboutCourse struct {
	Name     string         `json:"name"`
	Role     access.Role    `json:"role"`
	Section  string         `json:"section,omitempty"`
	Attempts []aboutAttempt `json:"attempts,omitempty"`
}

type aboutAttempt struct {
	Title     string         `json:"title"`
	Number    int            `json:"attempt"`
	Submitted time.Time      `json:"submitted"`
	Line      string         `json:"lineToTheTeacher,omitempty"`
	Returned  *time.Time     `json:"returned,omitempty"`
	Points    string         `json:"points,omitempty"`
	Opened    *time.Time     `json:"feedbackOpened,omitempty"`
	Heard     map[string]int `json:"heardToMilliseconds,omitempty"` // by remark
	Remark    string         `json:"remark,omitempty"`
	File      string         `json:"file,omitempty"`
}

type aboutSheet struct {
	Title string   `json:"title"`
	Files []string `json:"files"`
}

// WriteOwn writes a ZIP with everything that is kept about somebody: who they are,
// their courses with every attempt and what came back for it, each as a PDF with its
// marks printed, and a teacher's worksheets as they were brought in. It is written as
// it is made.
func (s *Exports) WriteOwn(ctx context.Context, who school.Person, to io.Writer) error {
	if who.ID == 0 {
		return access.ErrSignIn
	}
	me := about{Name: who.Name, Given: who.Given, Family: who.Family, SignsIn: who.Login, Since: who.CreatedAt, Settings: json.RawMessage(who.Settings)}
	devices, err := s.store.DevicesOf(ctx, who.ID)
	if err != nil {
		return err
	}
	box, _, err := s.store.Mailbox(ctx, who.ID)
	if err != nil {
		return err
	}
	me.Mail, me.MailOf = cmp.Or(box.Address, box.Wanted), box.Choices
	for _, d := range devices {
		me.Devices = append(me.Devices, aboutDevice{d.Label, d.SeenAt})
	}
	courses, err := s.store.CoursesOf(ctx, who.ID)
	if err != nil {
		return err
	}
	z := zip.NewWriter(to)
	for _, c := range courses {
		in := aboutCourse{Name: c.Name, Role: c.Role, Section: c.Section}
		if c.Role.Learns() {
			if in.Attempts, err = s.ownAttempts(ctx, who, z, c, &me); err != nil {
				return err
			}
		}
		me.Courses = append(me.Courses, in)
	}
	if who.Staff || who.Admin {
		if err := s.ownSheets(ctx, who, z, &me); err != nil {
			return err
		}
	}
	data, err := json.MarshalIndent(me, "", "  ")
	if err != nil {
		return err
	}
	f, err := z.Create("about me.json")
	if err != nil {
		return err
	}
	if _, err := f.Write(data); err != nil {
		return err
	}
	return z.Close()
}

// ownAttempts puts a student's attempts of a course into their file.
func (s *Exports) ownAttempts(ctx context.Context, who school.Person, z *zip.Writer, c school.CourseRole, me *about) (out []aboutAttempt, err error) {
	_, sheets, err := s.books.Own(ctx, who, c.ID)
	if err != nil {
		return nil, err
	}
	for _, sheet := range sheets {
		for _, a := range sheet.Attempts {
			one := aboutAttempt{Title: sheet.Assignment.Title, Number: a.Number, Submitted: a.SubmittedAt, Line: a.Line, Remark: school.Plainly(a.Remark, a.RemarkRich)}
			if !a.Fresh {
				one.Returned, one.Opened, one.Heard = a.ReturnedAt, a.OpenedAt, a.Heard
			}
			if a.Points != nil {
				one.Points = fmt.Sprintf("%s of %s", a.Points, sheet.Assignment.Points)
			}
			if a.Fresh { // taking it away is not reading it, after which it cannot be withdrawn
				me.NotInHere = append(me.NotInHere, fmt.Sprintf("%s, attempt %d: its feedback was not opened yet", sheet.Assignment.Title, a.Number))
				out = append(out, one)
				continue
			}
			name := fmt.Sprintf("%s/%s, %d, attempt %d.pdf", school.FileName(c.Name), school.FileName(sheet.Assignment.Title), sheet.Copy.ID, a.Number)
			switch err := s.putPrinted(ctx, who, z, name, sheet.Copy.ID, a.Attempt); {
			case ctx.Err() != nil:
				return nil, err
			case errors.Is(err, access.ErrKept):
				me.NotInHere = append(me.NotInHere, name+": the teacher keeps this sheet from being taken away as a file")
			case err != nil:
				me.NotInHere = append(me.NotInHere, name+": it could not be made")
			default:
				one.File = name
			}
			out = append(out, one)
		}
	}
	return out, nil
}

// putPrinted prints an attempt into an archive.
func (s *Exports) putPrinted(ctx context.Context, who school.Person, z *zip.Writer, name string, id uint64, t school.Attempt) error {
	f, err := s.TakeCopy(ctx, who, id, Choice{Attempt: t.Number, Anyway: true})
	if err != nil {
		return err
	}
	defer f.Close()
	return stored(z, name, t.SubmittedAt, f)
}

// ownSheets puts a teacher's worksheets into their file, as they were brought in, and
// what they say often.
func (s *Exports) ownSheets(ctx context.Context, who school.Person, z *zip.Writer, me *about) error {
	all, err := s.store.WorksheetsOf(ctx, who.ID, nil)
	if err != nil {
		return err
	}
	for _, w := range all {
		if w.OwnerID != who.ID {
			continue
		}
		sources, err := s.store.Sources(ctx, w.ID)
		if err != nil {
			return err
		}
		sheet := aboutSheet{Title: w.Title}
		for _, src := range sources {
			name := fmt.Sprintf("worksheets/%s, %d/%d %s.pdf", school.FileName(w.Title), w.ID, src.Number+1, school.FileName(strings.TrimSuffix(src.Name, ".pdf")))
			file, err := s.store.Blob(ctx, src.FileHash)
			if err != nil {
				return err
			}
			if err := stored(z, name, w.CreatedAt, bytes.NewReader(file)); err != nil {
				return err
			}
			sheet.Files = append(sheet.Files, name)
		}
		me.Sheets = append(me.Sheets, sheet)
	}
	remarks, err := s.store.ReadyRemarks(ctx, who.ID, 0)
	for _, r := range remarks {
		me.Remarks = append(me.Remarks, school.Plainly(r.Text, r.Rich))
	}
	return err
}
