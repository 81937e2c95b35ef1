package e2e

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"os"
	"strings"
	"sync"
	"testing"

	"readymargin/core/mark"
	"readymargin/core/recording"
	"readymargin/core/submission"
	"readymargin/demo"
	"readymargin/e2e/house"
	"readymargin/school"
	"readymargin/school/feedback"
)

// ask puts a question into what is said at once.
func ask(id string) submission.Op {
	m := mark.Mark{ID: "asks-" + id, Page: 1, Body: &mark.Note{At: [2]float64{50, 50}, Says: "ask", Text: "May I?"}}
	return submission.Op{ID: "op-asks-" + id, On: m.ID, Mark: &m}
}

// What comes by the doors of what is spoken is a sound, and a list that belongs to it,
// or it is refused in words and nothing is kept. A class asks and speaks in the same
// second. Server and database go while a recording is sent: it is there whole or not at
// all, and goes when it is sent again.
func TestTheDoorsOfWhatIsSpoken(t *testing.T) {
	ctx, s := context.Background(), home.School
	sheet, err := demo.TideHeights()
	if err != nil {
		t.Fatal(err)
	}
	c, err := home.Crowd(ctx, "Chorus", 300, sheet)
	if err != nil {
		t.Fatal(err)
	}
	client := &http.Client{}
	defer client.CloseIdleConnections()
	wav, err := os.ReadFile(spokenIn(t, "Three metres.", "wav")[0])
	if err != nil {
		t.Fatal(err)
	}
	first := c.Seats[0]
	kept := func(seat house.Seat) int {
		t.Helper()
		all, err := home.Store.CopyAttachments(ctx, seat.Copy)
		if err != nil {
			t.Fatal(err)
		}
		return len(all)
	}
	deep := []byte(strings.Repeat("[", 100_000))
	for name, sent := range map[string][2][]byte{
		"no sound":                             {[]byte("words"), []byte(`{"steps":[]}`)},
		"nothing":                              {nil, []byte(`{"steps":[]}`)},
		"a film's beginning":                   {append([]byte("\x1a\x45\xdf\xa3"), make([]byte, 3000)...), []byte(`{"steps":[]}`)},
		"a list that is none":                  {wav, []byte("steps")},
		"a list of nested brackets":            {wav, deep},
		"a stroke that goes on before it is":   {wav, []byte(`{"steps":[{"t":5,"d":[1,2]}]}`)},
		"a list that runs backwards":           {wav, []byte(`{"steps":[{"t":9,"p":{"n":1,"x":1,"y":1}},{"t":5,"p":{"n":1,"x":1,"y":1}}]}`)},
		"a pointer outside any page":           {wav, []byte(`{"steps":[{"t":5,"p":{"n":1,"x":1e300,"y":1}}]}`)},
		"a list of more than can be":           {wav, bytes.Repeat([]byte(" "), 5<<20)},
		"a colour that is none":                {wav, []byte(`{"steps":[{"t":5,"b":{"n":1,"c":"url(x)","w":2}}]}`)},
		"more than a recording may have bytes": {append(wav, make([]byte, recording.MaxBytes)...), []byte(`{"steps":[]}`)},
	} {
		status, answer, err := first.Speak(client, sent[0], sent[1])
		if err != nil || status != http.StatusUnprocessableEntity && status != http.StatusRequestEntityTooLarge {
			t.Errorf("%s: %d %.200s (%v)", name, status, answer, err)
		}
	}
	if n := kept(first); n != 0 {
		t.Errorf("of what was refused %d are kept", n)
	}

	// Three hundred ask in the same second, a hundred of them by voice. Each waits once.
	var all sync.WaitGroup
	for i, seat := range c.Seats {
		all.Go(func() {
			for range 2 { // and once more, as when the line has broken
				if _, err := s.Saving.Save(ctx, seat.Person, seat.Copy, submission.Replies, []submission.Op{ask(fmt.Sprintf("%05d", i))}); err != nil {
					t.Error(err)
				}
			}
			if i >= 100 {
				return
			}
			status, answer, err := seat.Speak(client, wav, []byte(`{"steps":[]}`))
			var v mark.Voice
			if err != nil || status != http.StatusCreated || json.Unmarshal(answer, &v) != nil || v.Milliseconds < 500 {
				t.Errorf("one of a hundred who speak: %d %.200s (%v)", status, answer, err)
			}
		})
	}
	all.Wait()
	waits, err := s.Queue.Asks(ctx, c.Teacher, queuesOf(t, c)...)
	if err != nil || len(waits) != 300 {
		t.Errorf("%d questions wait (%v)", len(waits), err)
	}
	for i := range 100 {
		if n := kept(c.Seats[i]); n != 2 { // the sound and what was shown
			t.Errorf("student %d has %d sounds", i, n)
		}
	}

	for what, goes := range map[string]func() error{
		"the server":   func() error { home.KillServer(); return home.Serve() },
		"the database": func() error { home.DB.Kill(); return home.DB.Restart(ctx) },
	} {
		seats := c.Seats[200:204]
		if what == "the server" {
			seats = c.Seats[204:208]
		}
		for _, seat := range seats {
			all.Go(func() { seat.Speak(client, wav, []byte(`{"steps":[]}`)) })
		}
		if err := goes(); err != nil {
			t.Fatal(err)
		}
		all.Wait()
		for _, seat := range seats {
			if n := kept(seat); n > 2 {
				t.Errorf("%s went: %d are kept", what, n)
			}
			status, answer, err := seat.Speak(client, wav, []byte(`{"steps":[]}`))
			if err != nil || status != http.StatusCreated {
				t.Errorf("%s went; sent again: %d %.200s (%v)", what, status, answer, err)
			}
			var v mark.Voice
			if err := json.Unmarshal(answer, &v); err != nil {
				t.Fatal(err)
			}
			for _, hash := range []string{v.Sound, v.Trail} {
				m, err := s.Attachments.Attachment(ctx, seat.Person, seat.Copy, hash)
				if err != nil {
					t.Errorf("%s went; what was sent again is not whole: %v", what, err)
					continue
				}
				m.Close()
			}
		}
	}
}

// queuesOf returns a teacher's piles.
func queuesOf(t *testing.T, c house.Crowd) []feedback.MarkingQueue {
	t.Helper()
	piles, err := home.School.Queue.Pile(context.Background(), school.Person{ID: c.Teacher.ID, Staff: true})
	if err != nil {
		t.Fatal(err)
	}
	return piles
}
