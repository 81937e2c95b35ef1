package house

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/json"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"time"

	"readymargin/core/access"
	"readymargin/core/mark"
	"readymargin/core/submission"
	"readymargin/school"
	"readymargin/school/assign"
	"readymargin/school/intake"
	"readymargin/school/screen"
	"readymargin/web"
)

// A Seat is a student of a Crowd with a copy in progress, signed in.
type Seat struct {
	Person  school.Person
	Copy    uint64
	Session string // its token
	base    string
}

// A Crowd is a course with many students.
type Crowd struct {
	Teacher    school.Person
	Course     school.Course
	Assignment school.Assignment
	Seats      []Seat
}

// Crowd makes a course with n students, each of whom has begun the worksheet.
func (h *House) Crowd(ctx context.Context, name string, n int, worksheet []byte) (c Crowd, err error) {
	s := h.School
	if c.Teacher, err = s.Accounts.AddPerson(ctx, name+" Teacher", rand.Text(), false, true); err != nil {
		return c, err
	}
	if c.Course, err = s.Courses.MakeCourse(ctx, c.Teacher, name, "UTC"); err != nil {
		return c, err
	}
	w, err := s.Shelf.BringIn(ctx, c.Teacher, intake.Upload{Name: name + ".pdf", Data: worksheet})
	if err != nil {
		return c, err
	}
	if c.Assignment, err = s.Assignments.Assign(ctx, c.Teacher, assign.NewAssignment{Course: c.Course.ID, Worksheet: w.ID, Terms: assign.Terms{Points: "10"}}); err != nil {
		return c, err
	}
	for i := range n {
		seat, err := h.seat(ctx, c, i)
		if err != nil {
			return c, err
		}
		c.Seats = append(c.Seats, seat)
	}
	return c, nil
}

func (h *House) seat(ctx context.Context, c Crowd, i int) (seat Seat, err error) {
	seat.Person = school.Person{Name: fmt.Sprintf("%s Student %d", c.Course.Name, i), Login: fmt.Sprintf("%s.student.%d", strings.ToLower(c.Course.Name), i), PasswordHash: c.Teacher.PasswordHash, Settings: "{}", CreatedAt: h.School.Now()}
	if err := h.Store.AddPerson(ctx, &seat.Person); err != nil {
		return seat, err
	}
	if err := h.Store.SetMembership(ctx, school.Membership{CourseID: c.Course.ID, PersonID: seat.Person.ID, Role: access.Student, Seen: true, JoinedAt: h.School.Now()}); err != nil {
		return seat, err
	}
	mine, err := h.Store.CopyFor(ctx, c.Assignment.ID, seat.Person.ID, c.Assignment.Handouts[0].RevisionID)
	if err != nil {
		return seat, err
	}
	if seat, err = h.Sit(ctx, seat.Person, mine.ID); err != nil {
		return seat, err
	}
	_, err = h.School.Saving.Save(ctx, seat.Person, mine.ID, submission.Work, []submission.Op{Written("first", fmt.Sprint(i))})
	return seat, err
}

// Sit signs somebody in and puts them before a copy.
func (h *House) Sit(ctx context.Context, p school.Person, copyID uint64) (Seat, error) {
	session, err := h.SignIn(ctx, p.ID)
	return Seat{Person: p, Copy: copyID, Session: session, base: h.Base}, err
}

// Cookie carries a session's token.
const Cookie = "readymargin"

// SignIn begins a session and returns its token.
func (h *House) SignIn(ctx context.Context, person uint64) (string, error) {
	db, err := h.Store.DB()
	if err != nil {
		return "", err
	}
	token := rand.Text() + rand.Text()[:17]
	until := time.Now().Add(time.Hour)
	data, err := web.SessionCodec{}.Encode(until, map[string]any{"person": int64(person)})
	if err != nil {
		return "", err
	}
	_, err = db.ExecContext(ctx, "INSERT INTO sessions (token, data, expiry, person_id) VALUES (?, ?, ?, ?)", token, data, until.UTC(), person)
	return token, err
}

// Written is an operation that writes a few words near the top of page 1.
func Written(name, words string) submission.Op {
	m := mark.Mark{ID: name + "-mark", Page: 1, Body: &mark.FreeText{X: 10, Y: 20, Width: 60, Lines: []mark.TextLine{{Runs: []mark.Run{{Text: words, Size: 14, Color: "#1e2a44"}}}}}}
	return submission.Op{ID: name + "-op", On: m.ID, Mark: &m}
}

// Save sends operations for the layer of work, as a browser does.
func (s Seat) Save(client *http.Client, ops ...submission.Op) error {
	body, err := json.Marshal(map[string]any{"layer": submission.Work, "ops": ops})
	if err != nil {
		return err
	}
	_, err = s.ask(client, "POST", fmt.Sprintf("/copies/%d/ops", s.Copy), "application/json", body)
	return err
}

// Submit submits the copy, having seen everything up to seq.
func (s Seat) Submit(client *http.Client, line string, seq int64) (r screen.Receipt, err error) {
	b, err := s.ask(client, "POST", fmt.Sprintf("/copies/%d/submit", s.Copy), "application/x-www-form-urlencoded",
		[]byte(url.Values{"line": {line}, "seq": {fmt.Sprint(seq)}}.Encode()))
	if err == nil {
		err = json.Unmarshal(b, &r)
	}
	return r, err
}

// Upload sends a file in a form and returns the status of the answer.
func (s Seat) Upload(client *http.Client, path, name string, file []byte) (status int, err error) {
	body, kind, err := FileForm(name, file)
	if err != nil {
		return 0, err
	}
	res, err := s.send(context.Background(), client, "POST", path, kind, body)
	if err != nil {
		return 0, err
	}
	return res.StatusCode, res.Body.Close()
}

// Get fetches a page.
func (s Seat) Get(client *http.Client, path string) ([]byte, error) {
	return s.ask(client, "GET", path, "", nil)
}

// JSON asks for what script asks for, with a body or without.
func (s Seat) JSON(client *http.Client, method, path string, body any) ([]byte, error) {
	var sent []byte
	if body != nil {
		var err error
		if sent, err = json.Marshal(body); err != nil {
			return nil, err
		}
	}
	return s.ask(client, method, path, "application/json", sent)
}

// Post sends a form.
func (s Seat) Post(client *http.Client, path string, form url.Values) error {
	_, err := s.ask(client, "POST", path, "application/x-www-form-urlencoded", []byte(form.Encode()))
	return err
}

// Speak sends a recording for the copy's work, with what was shown meanwhile, as the
// recorder does, and returns the answer.
func (s Seat) Speak(client *http.Client, sound, trail []byte) (status int, answer []byte, err error) {
	var body bytes.Buffer
	w := multipart.NewWriter(&body)
	for _, part := range []struct {
		name string
		data []byte
	}{{"sound", sound}, {"trail", trail}} {
		f, err := w.CreateFormFile(part.name, part.name)
		if err == nil {
			_, err = f.Write(part.data)
		}
		if err != nil {
			return 0, nil, err
		}
	}
	if err := w.Close(); err != nil {
		return 0, nil, err
	}
	res, err := s.send(context.Background(), client, "POST", fmt.Sprintf("/copies/%d/sounds?layer=work", s.Copy), w.FormDataContentType(), body.Bytes())
	if err != nil {
		return 0, nil, err
	}
	defer res.Body.Close()
	answer, err = io.ReadAll(res.Body)
	return res.StatusCode, answer, err
}

// Listen opens the event stream of the copy's work; whoever calls closes it.
func (s Seat) Listen(ctx context.Context, client *http.Client) (io.ReadCloser, error) {
	res, err := s.send(ctx, client, "GET", fmt.Sprintf("/copies/%d/feed?layer=work&seq=1000000", s.Copy), "", nil)
	if err != nil {
		return nil, err
	}
	return res.Body, nil
}

func (s Seat) send(ctx context.Context, client *http.Client, method, path, kind string, body []byte) (*http.Response, error) {
	req, err := http.NewRequestWithContext(ctx, method, s.base+path, bytes.NewReader(body))
	if err != nil {
		return nil, err
	}
	if kind != "" {
		req.Header.Set("Content-Type", kind)
	}
	if kind == "application/json" {
		req.Header.Set("Accept", kind)
	}
	req.Header.Set("Sec-Fetch-Site", "same-origin")
	req.AddCookie(&http.Cookie{Name: Cookie, Value: s.Session})
	return client.Do(req)
}

func (s Seat) ask(client *http.Client, method, path, kind string, body []byte) ([]byte, error) {
	res, err := s.send(context.Background(), client, method, path, kind, body)
	if err != nil {
		return nil, err
	}
	defer res.Body.Close()
	answer, err := io.ReadAll(res.Body)
	if err == nil && res.StatusCode != http.StatusOK {
		err = fmt.Errorf("%s %s: %d: %.300s", method, path, res.StatusCode, answer)
	}
	return answer, err
}

// A Rush is what came of many submitting in the same second.
type Rush struct {
	Submits []time.Duration // of those who submitted
	Others  []time.Duration // of the pages that others opened meanwhile
	Failed  []error
}

// SubmitAll lets all but the last few seats submit within a second, while
// those go on opening their start pages and saving.
func (c Crowd) SubmitAll(client *http.Client, others int) (r Rush) {
	var mu sync.Mutex
	note := func(to *[]time.Duration, began time.Time, err error) {
		mu.Lock()
		defer mu.Unlock()
		*to = append(*to, time.Since(began))
		if err != nil {
			r.Failed = append(r.Failed, err)
		}
	}
	var rush, rest sync.WaitGroup
	over := make(chan struct{})
	most := len(c.Seats) - others
	for i, s := range c.Seats[most:] {
		rest.Go(func() {
			for turn := 0; ; turn++ {
				select {
				case <-over:
					return
				case <-time.After(20 * time.Millisecond):
				}
				began := time.Now()
				_, err := s.Get(client, "/")
				note(&r.Others, began, err)
				began = time.Now()
				note(&r.Others, began, s.Save(client, Written(fmt.Sprintf("meanwhile-%d-%d", i, turn), "on it")))
			}
		})
	}
	for i, s := range c.Seats[:most] {
		rush.Go(func() {
			time.Sleep(time.Duration(i) * time.Second / time.Duration(most))
			began := time.Now()
			receipt, err := s.Submit(client, "", 1)
			if err == nil && receipt.Fingerprint == "" {
				err = fmt.Errorf("copy %d: an empty receipt", s.Copy)
			}
			note(&r.Submits, began, err)
		})
	}
	rush.Wait()
	close(over)
	rest.Wait()
	return r
}
