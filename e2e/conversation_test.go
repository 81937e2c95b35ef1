package e2e

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/chromedp/kb"

	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/submission"
	"readymargin/e2e/browser"
	"readymargin/e2e/house"
	"readymargin/school"
	"readymargin/school/assign"
	"readymargin/school/intake"
	"readymargin/sound"
)

// shows waits until words are on a page, and gone waits until they are not.
func shows(p *browser.Tab, words string) func() error {
	return func() error {
		return p.Until("“"+words+"” is there", fmt.Sprintf(`document.body.innerText.includes(%q)`, words))
	}
}

func gone(p *browser.Tab, words string) func() error {
	return func() error {
		return p.Until("“"+words+"” is gone", fmt.Sprintf(`!document.body.innerText.includes(%q)`, words))
	}
}

// named presses the button that is called so, the last of them.
func named(p *browser.Tab, words string) func() error {
	return func() error { return p.ClickWords(words) }
}

// A student asks something while working. The teacher has the question and what stands
// around it, and nothing else of the copy; the answer is announced and stands at the
// place. While it waits it can be taken back. A colleague is asked, and no student knows.
func TestAskingWhileWorking(t *testing.T) {
	t.Parallel()
	ctx, s := context.Background(), home.School
	sc := setSceneNamed(t, "Asker")
	c := sc.copies[flow.InProgress]
	student := account(t, "asker.student")
	far, near := house.Written("ask-far1", "Far away from it"), house.Written("ask-near", "Close to it")
	far.Mark.Body = far.Mark.Body.Moved(page.Pt(0, 600))
	if _, err := s.Saving.Save(ctx, student, c.ID, submission.Work, []submission.Op{far, near}); err != nil {
		t.Fatal(err)
	}
	pupil, teacher, colleague := tab(t, 1280, 800), tab(t, 1280, 800), tab(t, 1280, 800)
	path := fmt.Sprintf("/copies/%d", c.ID)
	steps(t, func() error { return pupil.SignIn("asker.student", scenePassword) }, func() error { return pupil.Go(path) }, pupil.Ready,
		func() error { return teacher.SignIn("asker.teacher", scenePassword) },
		func() error { return colleague.SignIn("asker.assistant", scenePassword) },
		func() error { return pupil.Click(`.place [aria-label="Note"]`) }, func() error { return pupil.Press(browser.Place{Page: 1, X: 420, Y: 60}) },
		func() error { return pupil.Presses("Is this the right depth?") }, func() error { return pupil.Click("[data-draft] .dark") },
		named(pupil, "Ask it now"), shows(pupil, "nothing else of your copy"))
	axeFinds(t, pupil, "asking before the copy is submitted")
	steps(t, named(pupil, "Send it"), shows(pupil, "asks now"), saved(pupil),
		// It can be taken back while it waits, and asked again.
		func() error { return teacher.Go("/") }, shows(teacher, "Is this the right depth?"), shows(teacher, "Asker Student asks while working"),
		named(pupil, "Take it back"), shows(pupil, "Ask it now"), saved(pupil),
		func() error { return teacher.Go("/") }, gone(teacher, "Is this the right depth?"))
	if code, _ := sc.page(t, "teacher", path+"/asked"); code != http.StatusForbidden {
		t.Errorf("what was taken back: %d", code)
	}
	steps(t, named(pupil, "Ask it now"), shows(pupil, "nothing else of your copy"))
	// What comes from another device draws the margin anew, and neither the question nor
	// its outline nor the focus goes.
	other := submission.Op{ID: "ask-other-op", On: "ask-other", Mark: &mark.Mark{ID: "ask-other", Page: 1, Body: &mark.Note{At: [2]float64{420, 700}, Text: "from the other device"}}}
	if _, err := s.Saving.Save(ctx, student, c.ID, submission.Work, []submission.Op{other}); err != nil {
		t.Fatal(err)
	}
	steps(t, shows(pupil, "from the other device"), func() error {
		return pupil.Until("the question stands as it did", `document.activeElement.innerText.trim() === "Send it" && document.querySelectorAll(".sheet .around").length === 1`)
	})
	steps(t, named(pupil, "Send it"), shows(pupil, "asks now"), saved(pupil),
		func() error { return pupil.Until("the outline is gone", `!document.querySelector(".sheet .around")`) },
		func() error { return teacher.Go("/") }, func() error { return teacher.Click(".waits .button") }, teacher.Ready,
		shows(teacher, "Is this the right depth?"), shows(teacher, "nothing else of the copy"))
	axeFinds(t, teacher, "what was asked")
	axeFinds(t, pupil, "a question that waits")
	for who, want := range map[string]int{"teacher": 200, "assistant": 200, "student": 403, "classmate": 404, "other teacher": 404, "outsider": 404, "waiting": 404, "admin": 404} {
		code, page := sc.page(t, who, path+"/asked")
		if code != want {
			t.Errorf("%s sees what was asked: %d, want %d", who, code, want)
		}
		if code == 200 && (strings.Contains(page, "Far away") || !strings.Contains(page, "Close to it")) {
			t.Errorf("%s sees another part of the copy than what stands around: %s", who, page)
		}
	}
	if code, _ := sc.page(t, "teacher", path+"/marking"); code == http.StatusOK {
		t.Error("the copy can be marked, though it was not submitted")
	}
	steps(t,
		// A colleague is asked, finds it on the pile, and answers them alone.
		named(teacher, "Ask a colleague"), named(teacher, "Asker Assistant"), shows(teacher, "among teachers"), saved(teacher),
		func() error { return colleague.Go("/") }, shows(colleague, "Asker Teacher asks you about Asker Student’s copy"),
		func() error { return colleague.Click(`.waits article:last-child .button`) }, colleague.Ready,
		func() error { return colleague.Fill("[data-note] .answer textarea", "Add the tide") },
		named(colleague, "Only to Asker Teacher"), shows(teacher, "Add the tide"), saved(colleague),
		func() error { return colleague.Go("/") }, gone(colleague, "asks you about"),
		// The student is answered, and told.
		func() error { return teacher.Fill("[data-note] .answer textarea", "Think of the tide") }, named(teacher, "Send"),
		shows(pupil, "Think of the tide"), shows(pupil, "Asker Teacher has answered."), gone(pupil, "Take it back"), gone(pupil, "Add the tide"), saved(teacher),
		func() error { return teacher.Go("/") }, gone(teacher, "Is this the right depth?"))
	// A student's key to another's words: none of what colleagues say comes with any page.
	for _, at := range []string{path, path + "/view", path + "/changes?after=0"} {
		if _, page := sc.page(t, "student", at); strings.Contains(page, "Add the tide") || strings.Contains(page, "among") {
			t.Errorf("%s tells what colleagues say", at)
		}
	}
	// Nobody changes what somebody else has said there.
	v, err := s.Screens.OpenAsked(ctx, account(t, "asker.teacher"), c.ID)
	if err != nil {
		t.Fatal(err)
	}
	for _, m := range v.Marks {
		if m.Layer != submission.Replies || m.By != "Asker Teacher" {
			continue
		}
		if _, err := s.Saving.Save(ctx, student, c.ID, submission.Replies, []submission.Op{{ID: "op-not-mine", On: m.Mark.ID, Base: m.Version}}); !school.IsProblem(err, "not yours") {
			t.Errorf("a student takes the teacher's words away: %v", err)
		}
	}
	// Not before one may know of it, not on work to be marked without names, not by note of another kind.
	ask := func(id string) submission.Op {
		m := mark.Mark{ID: id, Page: 1, Body: &mark.Note{At: [2]float64{50, 50}, Says: "ask", Text: "May I?"}}
		return submission.Op{ID: "op-" + id, On: id, Mark: &m}
	}
	fresh := sc.copies[flow.NotStarted]
	if _, err := s.Saving.Save(ctx, student, fresh.ID, submission.Replies, []submission.Op{ask("ask-first")}); err != nil {
		t.Errorf("the first thing on a copy is a question: %v", err)
	}
	if _, err := s.Saving.Save(ctx, student, sc.copies[flow.Submitted].ID, submission.Replies, []submission.Op{ask("ask-late")}); err == nil {
		t.Error("it is asked now though it is submitted")
	}
}

// saved waits until everything has been taken by the server.
func saved(p *browser.Tab) func() error {
	return func() error {
		return p.Until("it is saved", `document.querySelector("[data-saved-words]").textContent.startsWith("Saved")`)
	}
}

// The copy as a whole is spoken about: the line to the teacher, the overall remark,
// spoken too, and the answers to both.
func TestTheWholeCopyIsSpokenAbout(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Overall")
	c := sc.copies[flow.Submitted]
	teacher, pupil := tab(t, 1280, 800), tab(t, 1280, 800)
	steps(t, func() error { return teacher.SignIn("overall.teacher", scenePassword) },
		func() error { return teacher.Go(fmt.Sprintf("/assignments/%d/marking?copy=%d", c.AssignmentID, c.ID)) }, teacher.Ready,
		named(teacher, "Speak the overall remark"),
		func() error { return teacher.Click(`[data-whole] [aria-label="Record"]`) },
		func() error {
			return teacher.Until("it records", `document.querySelector("[data-whole] .clip.live time")?.textContent >= "0:02"`)
		},
		func() error { return teacher.Click(`[data-whole] [aria-label="Stop"]`) }, func() error { return teacher.Click(`[data-whole] .trim summary`) },
		func() error { return teacher.Click(`[data-whole] .dark`) },
		func() error {
			return teacher.Until("it stands there", `document.querySelector("[data-whole] .clip:not(.live)")`)
		}, saved(teacher),
		func() error { return pupil.SignIn("overall.student", scenePassword) }, func() error { return pupil.Go(fmt.Sprintf("/copies/%d", c.ID)) }, pupil.Ready,
		func() error {
			return pupil.Until("nothing of it is there before Return", `!document.querySelector("[data-whole] .clip")`)
		})
	axeFinds(t, teacher, "the whole copy, spoken about")
	if err := home.School.Marking.Return(context.Background(), account(t, "overall.teacher"), c.ID, 1); err != nil {
		t.Fatal(err)
	}
	steps(t, shows(pupil, "Your teacher has returned this copy."), func() error {
		time.Sleep(500 * time.Millisecond) // nothing loads itself anew
		return pupil.Until("it is as it was", `!document.querySelector("[data-whole] .clip")`)
	})
	axeFinds(t, pupil, "feedback that is announced")
	steps(t, named(pupil, "See the feedback"),
		func() error {
			return pupil.Until("the overall remark is there", `document.querySelector("[data-screen]").dataset.ready && document.querySelector("[data-whole] .clip")`)
		},
		func() error { return pupil.Fill("[data-whole] textarea", "Thank you, I will draw it again") }, named(pupil, "Send"), saved(pupil),
		shows(teacher, "Thank you, I will draw it again"))
	axeFinds(t, pupil, "the whole copy, answered")
}

// What was said aloud is heard from the start page, one remark after the other, the one
// on the whole copy first. To where it was heard the teacher sees, and the student
// knows that.
func TestFeedbackIsHeardFromTheStartPage(t *testing.T) {
	t.Parallel()
	ctx, s := context.Background(), home.School
	sc := setSceneNamed(t, "Listener")
	c := sc.copies[flow.Submitted]
	teacher := account(t, "listener.teacher")
	var ops []submission.Op
	for i, words := range []string{"Look at the table once more.", "And well done on the whole."} {
		wav, err := sound.Speak(ctx, words, "en-gb", 150)
		if err != nil {
			t.Fatal(err)
		}
		v, err := s.Attachments.AddVoice(ctx, teacher, c.ID, submission.Feedback(1), intake.Recorded{Data: wav})
		if err != nil {
			t.Fatal(err)
		}
		m := mark.Mark{ID: fmt.Sprintf("said-aloud-%d", i), Page: 1, Body: &mark.Note{At: [2]float64{300, 300}, Text: words, Voice: &v}}
		if i == 1 {
			m.Body = &mark.Reply{To: mark.Whole, Voice: &v}
		}
		ops = append(ops, submission.Op{ID: "op-" + m.ID, On: m.ID, Mark: &m})
	}
	if _, err := s.Saving.Save(ctx, teacher, c.ID, submission.Feedback(1), ops); err != nil {
		t.Fatal(err)
	}
	aloud, heard := fmt.Sprintf("/copies/%d/aloud", c.ID), fmt.Sprintf("/copies/%d/heard", c.ID)
	if code, _ := sc.page(t, "student", aloud); code != http.StatusNotFound {
		t.Errorf("heard before it is returned: %d", code)
	}
	if err := s.Marking.Return(ctx, teacher, c.ID, 1); err != nil {
		t.Fatal(err)
	}
	roll := fmt.Sprintf("/assignments/%d/roll", c.AssignmentID)
	if _, page := sc.page(t, "teacher", roll); !strings.Contains(page, "not seen yet") {
		t.Errorf("before anybody hears it the roll says %s", page)
	}
	for who, want := range map[string]int{"teacher": 403, "classmate": 404, "outsider": 404} {
		if res, err := sc.people[who].PostForm(home.Base+heard, url.Values{"remark": {"said-aloud-0"}, "ms": {"1000"}}); err != nil || res.StatusCode != want {
			t.Errorf("%s hears it: %v %v", who, res.StatusCode, err)
		}
	}
	if res, err := sc.people["student"].PostForm(home.Base+heard, url.Values{"remark": {"said-never-0"}, "ms": {"1000"}}); err != nil || res.StatusCode != http.StatusNotFound {
		t.Errorf("a remark that there is not: %v %v", res.StatusCode, err)
	}
	pupil := tab(t, 1280, 800)
	steps(t, func() error { return pupil.SignIn("listener.student", scenePassword) }, func() error { return pupil.Go("/to-do") },
		func() error { return pupil.Click(fmt.Sprintf(`[data-listen="%d"]`, c.ID)) }, shows(pupil, "1 of 2 · Listener Teacher · on the whole copy"))
	axeFinds(t, pupil, "listening on the start page")
	steps(t, shows(pupil, "2 of 2 · Listener Teacher · page 1"), shows(pupil, "Look at the table once more."),
		func() error {
			return pupil.Until("it is heard to its end", `document.querySelector(".listening .go").getAttribute("aria-label") === "Play"`)
		})
	var page string
	for range 40 {
		if _, page = sc.page(t, "teacher", roll); regexp.MustCompile(`seen [A-Z][a-z]+.* · heard (0:0[3-6]) of (0:0[3-6])`).MatchString(page) && !strings.Contains(page, "not seen yet") {
			break
		}
		time.Sleep(100 * time.Millisecond)
	}
	m := regexp.MustCompile(`heard (0:0\d) of (0:0\d)`).FindStringSubmatch(page)
	if m == nil || m[1] != m[2] {
		t.Errorf("after it was heard the roll says %s", page)
	}
	attachedSounds(t, sc, c.ID)
	steps(t, named(pupil, "On the page"), pupil.Ready, shows(pupil, "Your teacher sees that you have opened this, and to where you have listened."))
	if _, view := sc.page(t, "teacher", fmt.Sprintf("/copies/%d/marking", c.ID)); !strings.Contains(view, `"heard":{"said-aloud-0":`) {
		t.Error("the teacher does not see to where each remark was heard")
	}
}

// A teacher says something to the class, typed and spoken; it stands on the students'
// start pages until they have seen it, and who has is told.
func TestALineToTheClass(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Liner")
	course := fmt.Sprintf("/courses/%d", sc.course.ID)
	teacher, pupil := tab(t, 1280, 800), tab(t, 1280, 800)
	steps(t, func() error { return teacher.SignIn("liner.teacher", scenePassword) }, func() error { return teacher.Go(course) },
		named(teacher, "Say it"), shows(teacher, "Write or speak something"),
		func() error { return teacher.Fill("#class-line", "Bring your parallel rulers on Tuesday.") }, named(teacher, "Say it"), shows(teacher, "Seen by 0 of 2"),
		func() error { return teacher.Fill("#class-line", "The tide tables") }, named(teacher, "Speak it"),
		func() error { return teacher.Click(`[data-recorder] [aria-label="Record"]`) },
		func() error {
			return teacher.Until("it records", `document.querySelector("[data-recorder] .clip.live time")?.textContent >= "0:02"`)
		},
		func() error { return teacher.Click(`[data-recorder] [aria-label="Stop"]`) }, func() error { return teacher.Click(`[data-recorder] .trim summary`) }, func() error { return teacher.Click(`[data-recorder] .dark`) },
		shows(teacher, "The tide tables"),
		func() error { return teacher.Until("it can be heard", `document.querySelector(".class-line .clip")`) },
		func() error { return pupil.SignIn("liner.student", scenePassword) }, func() error { return pupil.Go("/to-do") },
		shows(pupil, "Bring your parallel rulers on Tuesday."),
		func() error { return pupil.Until("it can be heard", `document.querySelector(".heap.line .clip .go")`) })
	axeFinds(t, teacher, "lines to the class")
	axeFinds(t, pupil, "a line to the class on the start page")
	sound, err := browser.Eval[string](pupil, `return document.querySelector("[data-clip]").dataset.clip`)
	if err != nil {
		t.Fatal(err)
	}
	for who, want := range map[string]int{"teacher": 200, "assistant": 200, "student": 200, "classmate": 200, "other teacher": 404, "outsider": 404, "waiting": 404, "admin": 404} {
		if code, _ := sc.page(t, who, sound); code != want {
			t.Errorf("%s hears what was said to the class: %d, want %d", who, code, want)
		}
	}
	line := strings.TrimSuffix(sound, "/sound")
	for at, who := range map[string]map[string]int{
		line + "/seen":    {"teacher": 403, "outsider": 404},
		line + "/drop":    {"assistant": 403, "student": 403, "outsider": 404},
		course + "/lines": {"assistant": 403, "student": 403, "outsider": 404},
	} {
		for one, want := range who {
			if res, err := sc.people[one].PostForm(home.Base+at, url.Values{"text": {"Mine"}}); err != nil || res.StatusCode != want {
				t.Errorf("%s posts to %s: %v (%v)", one, at, res.StatusCode, err)
			}
		}
	}
	steps(t, func() error { return pupil.Click(`.heap.line:last-of-type .button, .heap.line .button`) }, shows(pupil, "Said to the class"),
		func() error { return teacher.Go(course) }, shows(teacher, "Seen by 1 of 2"),
		named(teacher, "Take it away"), gone(teacher, "Bring your parallel rulers"))
	// Three hundred at once see it, and each counts once.
	var all sync.WaitGroup
	for range 150 {
		for _, who := range []string{"student", "classmate"} {
			all.Go(func() {
				if res, err := sc.people[who].Post(home.Base+line+"/seen", "application/x-www-form-urlencoded", nil); err != nil || res.StatusCode != http.StatusSeeOther {
					t.Errorf("%s: %v", who, err)
				} else {
					res.Body.Close()
				}
			})
		}
	}
	all.Wait()
	if _, page := sc.page(t, "teacher", course); !strings.Contains(page, "Seen by 2 of 2") {
		t.Error("who has seen it is not counted once each")
	}
}

// attachedSounds looks, with programs from elsewhere, at what was said aloud in the file
// that a student takes away.
func attachedSounds(t *testing.T, sc *scene, id uint64) {
	t.Helper()
	dir := t.TempDir()
	file := filepath.Join(dir, "copy.pdf")
	res, err := sc.people["student"].Get(fmt.Sprintf("%s/copies/%d/print", home.Base, id))
	if err != nil {
		t.Fatal(err)
	}
	data, err := io.ReadAll(res.Body)
	res.Body.Close()
	if err != nil || os.WriteFile(file, data, 0o600) != nil {
		t.Fatal(err)
	}
	run := func(name string, args ...string) string {
		out, err := exec.Command(name, args...).CombinedOutput()
		if err != nil {
			t.Fatalf("%s: %v %s", name, err, out)
		}
		return string(out)
	}
	run("qpdf", "--check", file)
	if list := run("pdfdetach", "-list", file); !strings.Contains(list, "note 02") || !strings.Contains(list, "note 02, Listener Teacher.m4a") || !strings.Contains(list, "whole copy 1, Listener Teacher.m4a") {
		t.Errorf("poppler finds these files in it: %s", list)
	}
	run("pdfdetach", "-saveall", "-o", dir, file)
	if probe := run("ffprobe", "-v", "error", "-show_entries", "stream=codec_name,channels:format=duration,format_name", filepath.Join(dir, "note 02, Listener Teacher.m4a")); !strings.Contains(probe, "codec_name=aac") || !strings.Contains(probe, "m4a") {
		t.Errorf("what is attached is %s", probe)
	}
	if srt := run("ffmpeg", "-v", "error", "-i", filepath.Join(dir, "note 02, Listener Teacher.vtt"), "-f", "srt", "-"); !strings.Contains(srt, "-->") {
		t.Errorf("its captions are %s", srt)
	}
	if signs := strings.Count(run("qpdf", "--qdf", "--object-streams=disable", file, "-"), "/Subtype /FileAttachment"); signs != 1 {
		t.Errorf("%d signs of files stand on its pages", signs)
	}
}

// Somebody gives an address, confirms it by the letter that comes there, chooses what is
// sent, and leaves by one press of a mail program that is not signed in (RFC 8058, 3.2).
func TestMailIsWantedAndLeft(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Mailer")
	p, student := tab(t, 1280, 800), tab(t, 1280, 800)
	letter := func(to, subject string) (body string) {
		t.Helper()
		for range 100 {
			for _, m := range home.Mail.Messages() {
				if m.To[0] == to && strings.Contains(string(m.Raw), "Subject: "+subject) {
					return string(m.Raw)
				}
			}
			time.Sleep(100 * time.Millisecond)
		}
		t.Fatalf("no letter has come to %s", to)
		return ""
	}
	steps(t, func() error { return p.SignIn("mailer.teacher", scenePassword) }, func() error { return p.Go("/account") },
		func() error { return p.Fill("#address", "mailer@skerrymouth") }, named(p, "Send me a letter there"), shows(p, "This is no mail address."),
		func() error {
			return p.Until("what was typed is there", `document.querySelector("#address").value === "mailer@skerrymouth"`)
		},
		func() error { return p.Fill("#address", "mailer@skerrymouth.example") }, named(p, "Send me a letter there"), shows(p, "A letter was sent to mailer@skerrymouth.example"))
	link := regexp.MustCompile(`/mail/confirm#[A-Z0-9=]+`).FindString(letter("mailer@skerrymouth.example", "Is this your address?"))
	steps(t, func() error { return p.Go(strings.TrimSuffix(link, "=")) }, named(p, "It is mine"), shows(p, "Your address is confirmed"))
	axeFinds(t, p, "an address is confirmed")
	steps(t, named(p, "To your account"), shows(p, "Mail goes to mailer@skerrymouth.example."),
		func() error { return p.Click(`[name="kind"][value="line"]`) }, named(p, "Keep"), shows(p, "Kept."),
		func() error { return p.Go("/account") },
		func() error {
			return p.Until("what was chosen is kept", `(() => { const box = (k) => document.querySelector('[name="kind"][value="' + k + '"]').checked; return box("asked") && !box("line") })()`)
		})
	axeFinds(t, p, "the account with its mail")
	// A student only where the course lets them.
	steps(t, func() error { return student.SignIn("mailer.student", scenePassword) }, func() error { return student.Go("/account") }, gone(student, "Your address"),
		func() error { return p.Go(fmt.Sprintf("/courses/%d", sc.course.ID)) }, func() error { return p.Click("#mail [name=mail]") },
		func() error {
			return p.Until("it is set", `document.querySelector("#mail [name=mail]").checked && !document.querySelector(".htmx-request")`)
		},
		func() error { time.Sleep(300 * time.Millisecond); return student.Go("/account") }, shows(student, "Your address"))
	box, _, err := home.Store.Mailbox(context.Background(), account(t, "mailer.teacher").ID)
	if err != nil {
		t.Fatal(err)
	}
	leave := home.Base + "/mail/leave/" + box.LeaveKey
	res, err := http.Post(leave, "application/x-www-form-urlencoded", strings.NewReader("List-Unsubscribe=One-Click"))
	if err != nil || res.StatusCode != http.StatusOK {
		t.Fatalf("leaving by one press: %v, %v", res.StatusCode, err)
	}
	if box, _, err = home.Store.Mailbox(context.Background(), box.PersonID); err != nil || len(box.Choices) != 0 {
		t.Errorf("after it %v is still sent (%v)", box.Choices, err)
	}
	steps(t, func() error { return p.Go(strings.TrimPrefix(leave, home.Base)) }, named(p, "Send me nothing any more"), shows(p, "Nothing is sent to you from now on."))
}

// What is spoken goes by keyboard alone and by touch alone: recording, hearing it again,
// asking a colleague, all remarks one after the other, answering by voice, done.
func TestSpokenByKeyboardAndByTouch(t *testing.T) {
	for _, by := range []string{"keyboard", "touch"} {
		t.Run(by, func(t *testing.T) { spokenBy(t, by) })
	}
}

func spokenBy(t *testing.T, by string) {
	t.Parallel()
	sc := setSceneNamed(t, "Spoken by "+by)
	c := sc.copies[flow.Submitted]
	login := "spoken.by." + by
	open := func() *browser.Tab {
		if by == "keyboard" {
			return tab(t, 1280, 800)
		}
		p := tab(t, 820, 1180)
		steps(t, func() error { return p.Resize(820, 1180, true) })
		return p
	}
	// at presses what a selector finds: by Tab until it has the focus, and Enter; or by a finger.
	at := func(p *browser.Tab, selector string) func() error {
		return func() error {
			if err := p.Until(selector+" is there", fmt.Sprintf(`[...document.querySelectorAll(%q)].some((e) => e.checkVisibility())`, selector)); err != nil {
				return err
			}
			if by == "touch" {
				return p.TapOn(selector)
			}
			for range 150 {
				if on, err := browser.Eval[bool](p, fmt.Sprintf(`return !!document.activeElement?.matches(%q)`, selector)); err != nil {
					return err
				} else if on {
					return p.Enter()
				}
				if err := p.Key(kb.Tab); err != nil {
					return err
				}
			}
			return fmt.Errorf("Tab does not lead to %s", selector)
		}
	}
	record := func(p *browser.Tab, within string) func() error {
		return func() error {
			steps(t, at(p, within+` [aria-label="Record"]`),
				func() error {
					return p.Until("it records", fmt.Sprintf(`document.querySelector(%q)?.textContent >= "0:02"`, within+" .clip.live time"))
				},
				at(p, within+` [aria-label="Stop"]`),
				func() error {
					return p.Until("one can listen", fmt.Sprintf(`document.querySelector(%q)`, within+" .trim"))
				},
				at(p, within+` .dark`),
				func() error {
					return p.Until("it is kept", `document.querySelector("[data-note] .clip:not(.live)") && !document.querySelector(".clip.live, [data-draft]")`)
				}, saved(p))
			return nil
		}
	}
	teacher, pupil := open(), open()
	steps(t, func() error { return teacher.SignIn(login+".teacher", scenePassword) },
		func() error { return teacher.Go(fmt.Sprintf("/assignments/%d/marking?copy=%d", c.AssignmentID, c.ID)) }, teacher.Ready)
	if by == "keyboard" {
		steps(t, func() error { return teacher.Key("5") }, func() error {
			return teacher.Until("voice is in hand", `document.querySelector('[data-place="say"] .name').textContent === "Voice note" || (document.body.dispatchEvent(new KeyboardEvent("keydown",{key:"5",bubbles:true})), false)`)
		}, at(teacher, "[data-desk]"), teacher.Enter)
	} else {
		steps(t, at(teacher, `[data-place="say"] .take`), func() error { return teacher.TapWords(".popover button", "Voice note") },
			func() error { return teacher.TapAt(browser.Place{Page: 1, X: 300, Y: 200}) })
	}
	steps(t, record(teacher, "[data-draft]"))
	if by == "touch" {
		steps(t, at(teacher, `[data-do="margin"]`))
	}
	steps(t, at(teacher, "[data-note].teacher .clip .go"),
		func() error {
			return teacher.Until("it is heard", `document.querySelector("[data-note].teacher .clip .go").getAttribute("aria-label") === "Pause"`)
		})
	if err := home.School.Marking.Return(context.Background(), account(t, login+".teacher"), c.ID, 1); err != nil {
		t.Fatal(err)
	}
	steps(t, func() error { return pupil.SignIn(login+".student", scenePassword) }, func() error { return pupil.Go(fmt.Sprintf("/copies/%d", c.ID)) }, pupil.Ready)
	if by == "touch" {
		steps(t, at(pupil, `[data-do="margin"]`))
	}
	steps(t, at(pupil, `[data-do="walk"]`), shows(pupil, "Remark 1 of"),
		// What is typed is read as long as it takes; after what is spoken comes the next by itself.
		func() error {
			for range 6 {
				time.Sleep(800 * time.Millisecond)
				if more, err := browser.Eval[bool](pupil, `return !!document.querySelector(".walk")`); err != nil || !more {
					return err
				}
				if spoken, err := browser.Eval[bool](pupil, `return !!document.querySelector("[data-note].on .clip")`); err != nil || spoken {
					continue
				}
				if err := at(pupil, ".walk .button:nth-of-type(2)")(); err != nil {
					return err
				}
			}
			return pupil.Until("all of it was heard", `!document.querySelector(".walk")`)
		},
		at(pupil, `[data-note].teacher [aria-label^="Speak a reply"]`), record(pupil, "[data-note].teacher .answer"))
	// The teacher has it, asks a colleague about it, and settles it.
	steps(t, func() error { return teacher.Go(fmt.Sprintf("/assignments/%d/marking?copy=%d", c.AssignmentID, c.ID)) }, teacher.Ready)
	if by == "touch" {
		steps(t, at(teacher, `[data-do="margin"]`))
	}
	steps(t, at(teacher, `[data-note].teacher [aria-label^="Ask a colleague"]`), at(teacher, `.names .button`), shows(teacher, "among teachers"), saved(teacher),
		at(teacher, `[data-note].teacher [aria-label$="is done"]`),
		func() error {
			return teacher.Until("it is settled", `document.querySelector("[data-note].teacher.done")`)
		}, saved(teacher))
	axeFinds(t, teacher, "a settled conversation, by "+by)
}

// On a sheet that is one for all notes are answered, and anybody of the course is asked
// by name, who finds it on the start page.
func TestAskingOnASheetForAll(t *testing.T) {
	t.Parallel()
	ctx, s := context.Background(), home.School
	sc := setSceneNamed(t, "Forall")
	teacher, student, classmate := account(t, "forall.teacher"), account(t, "forall.student"), account(t, "forall.classmate")
	a, err := s.Assignments.Assign(ctx, teacher, assign.NewAssignment{Course: sc.course.ID, Worksheet: sc.sheet.ID, Terms: assign.Terms{Title: "The chart", Mode: flow.OneForAll}})
	if err != nil {
		t.Fatal(err)
	}
	c, err := s.Saving.OpenOwn(ctx, student, a.ID)
	if err != nil {
		t.Fatal(err)
	}
	m := mark.Mark{ID: "forall-note", Page: 1, Body: &mark.Note{At: [2]float64{300, 100}, Text: "Which light is this?"}}
	if _, err := s.Saving.Save(ctx, student, c.ID, submission.Work, []submission.Op{{ID: "op-forall-note", On: m.ID, Mark: &m}}); err != nil {
		t.Fatal(err)
	}
	p, other := tab(t, 1280, 800), tab(t, 1280, 800)
	path := fmt.Sprintf("/copies/%d", c.ID)
	steps(t, func() error { return p.SignIn("forall.student", scenePassword) }, func() error { return p.Go(path) }, p.Ready,
		func() error { return p.Fill("[data-note] .answer textarea", "You sail there") }, named(p, "Ask somebody"), named(p, "Forall Classmate"),
		shows(p, "Asks Forall Classmate"), saved(p),
		func() error { return other.SignIn("forall.classmate", scenePassword) }, func() error { return other.Go("/to-do") },
		shows(other, "You sail there"), shows(other, "Forall Student asks you on the sheet for all"))
	axeFinds(t, other, "a question on the start page")
	steps(t, func() error { return other.Click(".waits .button") }, other.Ready, shows(other, "Asks you"),
		func() error { return other.Fill("[data-note] .answer textarea", "The bar buoy") }, named(other, "Send"), saved(other),
		shows(p, "The bar buoy"), func() error { return other.Go("/to-do") }, gone(other, "You sail there"))
	axeFinds(t, p, "a conversation on a sheet for all")
	ask := func(id string, whom uint64) submission.Op {
		m := mark.Mark{ID: id, Page: 1, Body: &mark.Reply{To: m.ID, Asks: whom}}
		return submission.Op{ID: "op-" + id, On: id, Mark: &m}
	}
	if _, err := s.Saving.Save(ctx, student, c.ID, submission.Work, []submission.Op{ask("forall-stranger", account(t, "forall.outsider").ID)}); !school.IsProblem(err, "colleague") {
		t.Errorf("somebody of no course is asked: %v", err)
	}
	for who, err := range map[string]error{
		"a student":         errOf(s.Saving.Save(ctx, student, c.ID, submission.Among, []submission.Op{ask("forall-among", teacher.ID)})),
		"a classmate":       errOf(s.Saving.Save(ctx, classmate, sc.copies[flow.Submitted].ID, submission.Among, []submission.Op{ask("forall-other", teacher.ID)})),
		"a student, asked,": errOf(s.Saving.Save(ctx, teacher, sc.copies[flow.Submitted].ID, submission.Among, []submission.Op{ask("forall-student", student.ID)})),
	} {
		if err == nil {
			t.Errorf("among those who mark %s is heard", who)
		}
	}
}
