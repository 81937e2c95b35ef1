// Package mailserver stands in for a school's mail server, on this machine: it takes
// every message by SMTP, sends none on, and shows them on a page.
package mailserver

import (
	"bytes"
	"html/template"
	"io"
	"net"
	"net/http"
	"slices"
	"sync"
	"time"

	"github.com/emersion/go-message/mail"
	"github.com/emersion/go-smtp"
)

// A Server keeps what it was sent, in memory, the newest last.
type Server struct {
	smtp *smtp.Server

	mu   sync.Mutex
	kept []Message
}

// A Message as it came.
type Message struct {
	To  []string
	At  time.Time
	Raw []byte
}

// most is how many messages are kept.
const most = 1000

// Serve takes messages from a listener until Close.
func Serve(l net.Listener) *Server {
	s := &Server{}
	s.smtp = smtp.NewServer(smtp.BackendFunc(func(*smtp.Conn) (smtp.Session, error) { return &session{server: s}, nil }))
	s.smtp.Domain, s.smtp.MaxMessageBytes, s.smtp.MaxRecipients = "localhost", 1<<20, 10
	s.smtp.ReadTimeout, s.smtp.WriteTimeout = 30*time.Second, 30*time.Second
	go s.smtp.Serve(l)
	return s
}

// Close takes nothing any more; what came stays readable.
func (s *Server) Close() { s.smtp.Close() }

// Messages returns what came, the newest last.
func (s *Server) Messages() []Message {
	s.mu.Lock()
	defer s.mu.Unlock()
	return slices.Clone(s.kept)
}

// A session is one message after the other.
type session struct {
	server *Server
	to     []string
}

func (s *session) Mail(string, *smtp.MailOptions) error { s.to = nil; return nil }
func (s *session) Rcpt(to string, _ *smtp.RcptOptions) error {
	s.to = append(s.to, to)
	return nil
}
func (s *session) Reset()        { s.to = nil }
func (s *session) Logout() error { return nil }

func (s *session) Data(r io.Reader) error {
	raw, err := io.ReadAll(r)
	if err != nil {
		return err
	}
	s.server.mu.Lock()
	defer s.server.mu.Unlock()
	s.server.kept = append(s.server.kept, Message{s.to, time.Now(), raw})
	if len(s.server.kept) > most {
		s.server.kept = s.server.kept[1:]
	}
	return nil
}

var page = template.Must(template.New("").Parse(`<!doctype html><html lang="en"><meta charset="utf-8"><title>Simulated mail</title>
<h1>Simulated mail</h1><p>Nothing of this was sent to anybody. The newest is first.</p>
{{range .}}<article><h2>{{.Subject}}</h2><p>To {{.To}}, {{.At.Format "15:04:05"}}</p><pre>{{.Text}}</pre></article><hr>{{else}}<p>No message has come yet.</p>{{end}}</html>`))

// ServeHTTP shows the messages.
func (s *Server) ServeHTTP(w http.ResponseWriter, _ *http.Request) {
	type shown struct {
		Subject, To, Text string
		At                time.Time
	}
	var all []shown
	for _, m := range s.Messages() {
		one := shown{At: m.At}
		if r, err := mail.CreateReader(bytes.NewReader(m.Raw)); err == nil {
			one.Subject, _ = r.Header.Subject()
			if to, err := r.Header.AddressList("To"); err == nil && len(to) > 0 {
				one.To = to[0].Address
			}
			if p, err := r.NextPart(); err == nil {
				text, _ := io.ReadAll(p.Body)
				one.Text = string(text)
			}
		}
		all = append(all, one)
	}
	slices.Reverse(all)
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	if err := page.Execute(w, all); err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
	}
}
