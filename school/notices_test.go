package school_test

import (
	"bytes"
	"fmt"
	"io"
	"net"
	netmail "net/mail"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/emersion/go-message/mail"

	"readymargin/core/mark"
	"readymargin/core/submission"
	letters "readymargin/mail"
	"readymargin/school"
	"readymargin/school/services"
	"readymargin/standin/mailserver"
)

// A post is a class with a mail server.
type post struct {
	*handedIn
	at     string
	server *mailserver.Server
	read   int // messages that were read
}

func openPost(t *testing.T, name string, students int) *post {
	t.Helper()
	h := &post{handedIn: handIn(t, name, students)}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	h.must(err)
	h.at = l.Addr().String()
	h.server = mailserver.Serve(l)
	t.Cleanup(func() { h.server.Close() })
	sender, err := letters.New("smtp://"+h.at, "margin@skerrymouth.example")
	h.must(err)
	h.school = services.New(h.store, nil, services.Programs{Mailer: sender})
	h.school.Now = func() time.Time { return h.now }
	h.school.Notices.Origin = "https://margin.example"
	return h
}

// away ends the mail server; back starts another in its place.
func (h *post) away() { h.Helper(); h.server.Close() }
func (h *post) back() {
	h.Helper()
	l, err := net.Listen("tcp", h.at)
	h.must(err)
	h.server, h.read = mailserver.Serve(l), 0
}

// mails does the letters that are due so much later, and returns what came.
func (h *post) mails(d time.Duration) (out []mailserver.Message) {
	h.Helper()
	h.now = h.now.Add(d)
	for range 100 {
		worked, err := h.school.Mails.One(h.ctx)
		h.must(err)
		if !worked {
			break
		}
	}
	all := h.server.Messages()
	out, h.read = all[h.read:], len(all)
	return out
}

// text reads a message with a general library, and checks what RFC 5322 asks of one.
func (h *post) text(m mailserver.Message) (*mail.Header, string) {
	h.Helper()
	plain, err := netmail.ReadMessage(bytes.NewReader(m.Raw))
	h.must(err)
	for _, name := range []string{"From", "To", "Subject", "Date", "Message-Id"} { // 3.6: From and Date must be there, Message-ID should
		if len(plain.Header[name]) != 1 {
			h.Errorf("a message has %d times %s", len(plain.Header[name]), name)
		}
	}
	if _, err := plain.Header.Date(); err != nil {
		h.Error(err)
	}
	for _, l := range bytes.Split(m.Raw, []byte("\r\n")) {
		if len(l) > 998 || bytes.ContainsAny(l, "\r\n") { // 2.1.1
			h.Errorf("a line of %d bytes", len(l))
		}
	}
	r, err := mail.CreateReader(bytes.NewReader(m.Raw))
	h.must(err)
	p, err := r.NextPart()
	h.must(err)
	b, err := io.ReadAll(p.Body)
	h.must(err)
	return &r.Header, strings.ReplaceAll(string(b), "\r\n", "\n")
}

// confirmed gives somebody an address and confirms it.
func (h *post) confirmed(who school.Person, address string) {
	h.Helper()
	h.must(h.school.Notices.Give(h.ctx, who, address))
	came := h.mails(0)
	if len(came) != 1 || came[0].To[0] != address {
		h.Fatalf("to confirm %s there came %d messages", address, len(came))
	}
	_, text := h.text(came[0])
	token := regexp.MustCompile(`/mail/confirm#(\S+)`).FindStringSubmatch(text)
	if token == nil {
		h.Fatalf("nothing to confirm it with: %s", text)
	}
	h.must(h.school.Notices.Confirm(h.ctx, token[1]))
	if err := h.school.Notices.Confirm(h.ctx, token[1]); !school.IsProblem(err, "confirm over") {
		h.Errorf("confirmed twice: %v", err)
	}
}

// Mail tells that feedback has come back, two minutes after it at the earliest, and not
// what it says; it is not told where it was withdrawn or opened by then. What comes
// close together goes in one letter. A server that is away loses nothing.
func TestFeedbackIsToldByMail(t *testing.T) {
	h := openPost(t, "posted", 3)
	a, b := h.Students[0], h.Students[1]
	if err := h.school.Notices.Give(h.ctx, a, "a@skerrymouth.example"); !school.IsProblem(err, "no mail here") {
		t.Errorf("an address where the course does not let it: %v", err)
	}
	_, err := h.school.Courses.SetMail(h.ctx, h.Teacher, h.Course.ID, true)
	h.must(err)
	for _, wrong := range []string{"", "a", "a@b", "a@b.example\r\nBcc: c@d.example", "A Student <a@b.example>", strings.Repeat("a", 300) + "@b.example"} {
		if err := h.school.Notices.Give(h.ctx, a, wrong); !school.IsProblem(err, "address") {
			t.Errorf("address %q: %v", wrong, err)
		}
	}
	h.confirmed(a, "a@skerrymouth.example")
	h.confirmed(b, "b@skerrymouth.example")

	secret := mark.Mark{ID: "mail-secret-1", Page: 1, Body: &mark.Note{At: [2]float64{50, 50}, Text: "A secret remark"}}
	_, err = h.school.Saving.Save(h.ctx, h.Teacher, h.copies[0], submission.Feedback(1), []submission.Op{{ID: "op-mail-secret", On: secret.ID, Mark: &secret}})
	h.must(err)
	_, err = h.school.Marking.GivePoints(h.ctx, h.Teacher, h.copies[0], 1, "", "", "A secret closing word", false)
	h.must(err)
	for _, id := range h.copies {
		h.must(h.school.Marking.Return(h.ctx, h.Teacher, id, 1))
	}
	if came := h.mails(119 * time.Second); len(came) != 0 {
		t.Errorf("%d messages came within two minutes", len(came))
	}
	h.must(h.school.Marking.Withdraw(h.ctx, h.Teacher, h.copies[1], 1))
	came := h.mails(2 * time.Second)
	if len(came) != 1 || came[0].To[0] != "a@skerrymouth.example" {
		t.Fatalf("two minutes after it %d messages came, one was withdrawn, one has no address", len(came))
	}
	head, text := h.text(came[0])
	if strings.Contains(string(came[0].Raw), "secret") || strings.Contains(string(came[0].Raw), "So it is") || strings.Contains(text, h.Teacher.Name) {
		t.Errorf("it says what the work or the feedback is: %s", text)
	}
	if !strings.Contains(text, fmt.Sprintf("https://margin.example/copies/%d", h.copies[0])) || !strings.Contains(text, "posted0, posted: feedback has come back") {
		t.Errorf("it does not say what there is: %s", text)
	}
	// RFC 8058, 3.1: one HTTPS address, and this very value of the second field.
	leave := regexp.MustCompile(`^<https://margin\.example/mail/leave/([A-Z0-9]{26})>$`).FindStringSubmatch(head.Get("List-Unsubscribe"))
	if leave == nil || head.Get("List-Unsubscribe-Post") != "List-Unsubscribe=One-Click" {
		t.Fatalf("it cannot be left by one press: %q, %q", head.Get("List-Unsubscribe"), head.Get("List-Unsubscribe-Post"))
	}

	// The server is away for three hours; meanwhile two things more happen. They go in one letter.
	h.away()
	h.must(h.school.Marking.Return(h.ctx, h.Teacher, h.copies[1], 1))
	h.must(h.school.ClassLines.Say(h.ctx, h.Teacher, h.Course.ID, "Bring secret rulers", nil))
	for range 12 {
		if came := h.mails(15 * time.Minute); len(came) != 0 {
			t.Fatal("it came though the server is away")
		}
	}
	h.back()
	came = h.mails(10 * time.Minute)
	to := map[string]string{}
	for _, m := range came {
		_, text := h.text(m)
		to[m.To[0]] = text
	}
	if len(came) != 2 || strings.Count(to["b@skerrymouth.example"], "\n- ") != 2 || strings.Count(to["a@skerrymouth.example"], "\n- ") != 1 || strings.Contains(to["b@skerrymouth.example"], "secret") {
		t.Errorf("once the server is back: %d messages, %q", len(came), to)
	}
	if came := h.mails(2 * time.Hour); len(came) != 0 {
		t.Errorf("%d of them came twice", len(came))
	}

	// A flood is one letter an hour, or a day.
	for i := range 5 {
		h.must(h.school.ClassLines.Say(h.ctx, h.Teacher, h.Course.ID, fmt.Sprint("Line ", i), nil))
		h.mails(3 * time.Minute)
	}
	if n := len(h.server.Messages()) - 2; n != 2 {
		t.Errorf("five lines in a quarter of an hour are %d letters to two", n)
	}
	h.must(h.school.Notices.Choose(h.ctx, a, school.NoticeKinds, true))
	h.now = time.Date(h.now.Year(), h.now.Month(), h.now.Day()+1, 9, 0, 0, 0, time.UTC)
	h.mails(0)
	h.must(h.school.ClassLines.Say(h.ctx, h.Teacher, h.Course.ID, "In the morning", nil))
	if came := h.mails(3 * time.Hour); len(came) != 1 || came[0].To[0] != "b@skerrymouth.example" {
		t.Errorf("before five %d came", len(came))
	}
	if came := h.mails(5*time.Hour + time.Minute); len(came) != 1 || came[0].To[0] != "a@skerrymouth.example" {
		t.Errorf("at five %d came", len(came))
	}

	// Whoever leaves gets nothing more, without signing in.
	h.must(h.school.Notices.Leave(h.ctx, leave[1]))
	h.must(h.school.Notices.Leave(h.ctx, "NOSUCHKEY"))
	h.must(h.school.ClassLines.Say(h.ctx, h.Teacher, h.Course.ID, "One more", nil))
	if came := h.mails(30 * time.Hour); len(came) != 1 || came[0].To[0] != "b@skerrymouth.example" {
		t.Errorf("after one has left %d came", len(came))
	}
	// Who is let no more is told nothing more.
	_, err = h.school.Courses.SetMail(h.ctx, h.Teacher, h.Course.ID, false)
	h.must(err)
	h.must(h.school.ClassLines.Say(h.ctx, h.Teacher, h.Course.ID, "The last", nil))
	if came := h.mails(30 * time.Hour); len(came) != 0 {
		t.Errorf("after the course lets them no more %d came", len(came))
	}
}

// A question waits for those who teach, and its answer for who asked.
func TestQuestionsAndAnswersAreToldByMail(t *testing.T) {
	h := openPost(t, "asking", 1)
	_, err := h.school.Courses.SetMail(h.ctx, h.Teacher, h.Course.ID, true)
	h.must(err)
	h.confirmed(h.Teacher, "teacher@skerrymouth.example")
	h.confirmed(h.Students[0], "student@skerrymouth.example")
	h.must(h.school.Marking.Return(h.ctx, h.Teacher, h.copies[0], 1))
	_, err = h.school.Screens.Open(h.ctx, h.Students[0], h.copies[0]) // opened before the letter goes
	h.must(err)
	h.must(h.school.Submitting.Improve(h.ctx, h.Students[0], h.copies[0]))
	ask := mark.Mark{ID: "mail-asks-1", Page: 1, Body: &mark.Note{At: [2]float64{50, 50}, Says: "ask", Text: "My secret question"}}
	_, err = h.school.Saving.Save(h.ctx, h.Students[0], h.copies[0], submission.Replies, []submission.Op{{ID: "op-mail-asks", On: ask.ID, Mark: &ask}})
	h.must(err)
	came := h.mails(3 * time.Minute)
	if len(came) != 1 || came[0].To[0] != "teacher@skerrymouth.example" {
		t.Fatalf("of a question %d messages came", len(came))
	}
	if _, text := h.text(came[0]); strings.Contains(text, "secret") || !strings.Contains(text, "a question waits for you") {
		t.Errorf("it says %s", text)
	}
	reply := mark.Mark{ID: "mail-reply-1", Page: 1, Body: &mark.Reply{To: ask.ID, Text: "My secret answer"}}
	_, err = h.school.Saving.Save(h.ctx, h.Teacher, h.copies[0], submission.Replies, []submission.Op{{ID: "op-mail-reply", On: reply.ID, Mark: &reply}})
	h.must(err)
	came = h.mails(3 * time.Minute)
	if len(came) != 1 || came[0].To[0] != "student@skerrymouth.example" {
		t.Fatalf("of its answer %d messages came", len(came))
	}
	if _, text := h.text(came[0]); strings.Contains(text, "secret") || !strings.Contains(text, "your question has an answer") {
		t.Errorf("it says %s", text)
	}
}
