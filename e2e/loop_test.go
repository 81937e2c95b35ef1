// Package e2e drives the real interface: the real server, a real MariaDB, a
// real Chromium with a microphone that plays a known sound.
package e2e

import (
	"context"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"readymargin/demo"
	"readymargin/e2e/browser"
	"readymargin/e2e/house"
)

// tone is the frequency of what the fake microphone hears, in hertz.
const tone = 523.25

var (
	home   *house.House
	chrome *browser.Browser
)

func TestMain(m *testing.M) { os.Exit(run(m)) }

func run(m *testing.M) int {
	dir, err := os.MkdirTemp("", "readymargin-e2e-*")
	if err != nil {
		return failed(err)
	}
	defer os.RemoveAll(dir)
	wav := filepath.Join(dir, "tone.wav")
	if b, err := exec.Command("ffmpeg", "-loglevel", "error", "-f", "lavfi", "-i", fmt.Sprintf("sine=frequency=%v:duration=20:sample_rate=48000", tone), wav).CombinedOutput(); err != nil {
		return failed(fmt.Errorf("ffmpeg (apt-get install ffmpeg): %w: %s", err, b))
	}
	if home, err = house.Open(context.Background()); err != nil {
		return failed(err)
	}
	defer home.Close()
	if chrome, err = browser.Start(wav); err != nil {
		return failed(err)
	}
	defer func() { chrome.Stop() }()
	return m.Run()
}

func failed(err error) int {
	fmt.Fprintln(os.Stderr, err)
	return 1
}

// steps runs one thing after the other and stops the test at the first that fails.
func steps(t *testing.T, all ...func() error) {
	t.Helper()
	for i, do := range all {
		if err := do(); err != nil {
			t.Fatalf("step %d: %v", i+1, err)
		}
	}
}

func tab(t *testing.T, width, height int) *browser.Tab {
	t.Helper()
	p, err := chrome.Tab(home.Base, width, height)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		for _, e := range p.Errors() {
			t.Error("in the page:", e)
		}
		p.Close()
	})
	return p
}

// tideHeights writes the demo's first worksheet into a file for uploading.
func tideHeights(t *testing.T) string {
	t.Helper()
	b, err := demo.TideHeights()
	if err != nil {
		t.Fatal(err)
	}
	file := filepath.Join(t.TempDir(), "Tide heights 2.pdf")
	if err := os.WriteFile(file, b, 0o644); err != nil {
		t.Fatal(err)
	}
	return file
}

// The whole job once, as its users do it, on a PDF brought in by hand.
func TestOneWorksheetFromHandToHand(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	if _, err := home.School.Accounts.AddPerson(ctx, "Ms Ferreira", "a-good-password", false, true); err != nil {
		t.Fatal(err)
	}
	teacher, student := tab(t, 1280, 800), tab(t, 1280, 800)

	// The teacher makes a course, brings a PDF in and assigns it.
	steps(t,
		func() error { return teacher.SignIn("ms.ferreira", "a-good-password") },
		func() error { return teacher.Go("/courses") },
		func() error { return teacher.Fill("#name", "Navigation by night") },
		func() error { return teacher.Click(`form[action="/courses"] button`) },
		func() error {
			return teacher.Until("the course is there", `document.querySelector("[data-join-code]")`)
		},
	)
	code, err := browser.Eval[string](teacher, `return document.querySelector("[data-join-code]").textContent`)
	if err != nil {
		t.Fatal(err)
	}
	steps(t,
		func() error { return teacher.Go("/worksheets") },
		func() error { return teacher.Choose("#file", tideHeights(t)) },
		func() error {
			return teacher.Until("the worksheet opens", `location.pathname.match(/^\/worksheets\/\d+$/)`)
		},
		teacher.Ready,
		func() error { return teacher.Click(`a[href$="/assign"]`) },
		func() error { return teacher.Fill("#points", "14") },
		func() error { return teacher.Click(`form[action="/assignments"] button.next`) },
		func() error {
			return teacher.Until("it is assigned", `document.body.innerText.includes("Every student has a copy now")`)
		},
	)

	// A student joins with the code, opens the copy, and works on it.
	steps(t,
		func() error { return student.Go("/join#" + code) },
		func() error {
			return student.Until("the scanned code has opened the course, and is not in the address", `document.querySelector("#name") && !location.href.includes("#")`)
		},
		func() error { return student.Fill("#name", "Ines Varga") },
		func() error { return student.Fill("#password", "a-fine-password") },
		func() error { return student.Click("main form button") },
		func() error { return student.Click(".heap .button") },
		student.Ready,
		func() error { return student.Press(browser.Place{Page: 1, X: 216, Y: 342}) },
		func() error { return student.Until("a box is open", `document.activeElement.matches(".typing")`) },
		func() error { return student.Type("4.5") },
		func() error { return student.Press(browser.Place{Page: 1, X: 396, Y: 342}) },
		func() error {
			return student.Until("a second box is open", `document.querySelector(".typing")?.textContent === ""`)
		},
		func() error { return student.Type("spring Ж √2") },
		func() error { return student.Click(`[aria-label="Highlighter"]`) },
		func() error {
			return student.Drag("mouse", 0.5, browser.Place{Page: 1, X: 206, Y: 175}, browser.Place{Page: 1, X: 230, Y: 175}, browser.Place{Page: 1, X: 250, Y: 176})
		},
		func() error { return student.Click(`[aria-label="Pen"]`) },
		func() error { return student.Drag("mouse", 0.5, round(1, 110, 446, 32)...) },
		func() error {
			return student.Until("everything is saved", `document.querySelector("[data-saved]").dataset.state === "saved"`)
		},
	)
	marks, err := browser.Eval[[]string](student, `const v=await (await fetch(location.pathname+"/view",{headers:{Accept:"application/json"}})).json(); return v.marks.map(m=>m.mark.kind+" "+(m.mark.body.text??m.mark.body.lines?.map(l=>l.runs.map(r=>r.text).join("")).join("|")??""))`)
	if err != nil {
		t.Fatal(err)
	}
	if got := strings.Join(marks, "; "); got != "freetext 4.5; freetext spring Ж √2; highlight Carrick rocks,; ink " {
		t.Fatalf("the server has %q", got)
	}

	// A fresh browser finds it all, still editable; then it is submitted.
	again := tab(t, 1366, 620)
	steps(t,
		func() error { return again.SignIn("ines.varga", "a-fine-password") },
		func() error { return again.Click(".heap .button") },
		again.Ready,
		func() error {
			return again.Until("the marks are shown", `document.querySelectorAll(".marks g").length === 3`)
		},
		func() error { return again.Click(`[aria-label="Type"]`) },
		func() error { return again.Press(browser.Place{Page: 1, X: 218, Y: 342}) },
		func() error {
			return again.Until("the text is open again", `document.querySelector(".typing")?.textContent === "4.5"`)
		},
		func() error { return again.Type(" m") },
		func() error { return again.Click(`[data-do="main"]`) },
		func() error {
			return again.Until("the copy is shown", `document.querySelector("[data-look] .marks text")`)
		},
		func() error { return again.Fill("#line", "I was not sure about question 3.") },
		func() error { return again.Click(`[data-dialog="submit"] [data-yes]`) },
		func() error {
			return again.Until("the receipt is there", `document.querySelector('[data-dialog="receipt"]').open`)
		},
	)
	fingerprint, err := browser.Eval[string](again, `return document.querySelector("[data-fingerprint]").textContent`)
	if err != nil || len(fingerprint) != 64 {
		t.Fatalf("fingerprint %q, %v", fingerprint, err)
	}
	steps(t, shows(student, "This copy was submitted elsewhere."), named(student, "Show it"), func() error {
		return student.Until("the other window knows it, too", `document.querySelector("[data-top]").innerText.includes("Submitted")`)
	})

	// The teacher marks it by note, voice and pen, and gives points.
	steps(t,
		func() error { return teacher.Go("/") },
		func() error { return teacher.Click(".heap .button") },
		teacher.Ready,
		func() error { return teacher.Drag("pen", 0.7, round(1, 250, 340, 24)...) },
		func() error { return teacher.Click(`[aria-label="Note"]`) },
		func() error { return teacher.Press(browser.Place{Page: 1, X: 300, Y: 330}) },
		func() error { return teacher.Type("Give the unit as well.") },
		func() error { return teacher.Click(`[data-draft] .dark`) },
		func() error {
			return teacher.Until("the note stands in the margin", `document.querySelector("[data-note] p")?.textContent === "Give the unit as well."`)
		},
		func() error { return teacher.Key("5") },
		func() error {
			return teacher.Until("voice is in hand", `document.querySelector('[data-place="say"] .name').textContent === "Voice note"`)
		},
		func() error { return teacher.Press(browser.Place{Page: 1, X: 480, Y: 440}) },
		func() error { return teacher.Click(`[data-draft] [aria-label="Record"]`) },
		func() error {
			return teacher.Until("it records", `document.querySelector(".clip.live time")?.textContent >= "0:02"`)
		},
		func() error { return teacher.Click(`[data-draft] [aria-label="Stop"]`) },
		func() error { return teacher.Click(`[data-draft] .dark`) },
		func() error {
			return teacher.Until("the voice note stands in the margin", `document.querySelectorAll("[data-note] .clip").length === 1`)
		},
		func() error { return teacher.Fill("#points", "11.5") },
		func() error { return teacher.Fill("#remark", "Well read.") },
		func() error {
			return teacher.Until("it is in the roll", `document.querySelector("[data-roll] .got")?.textContent === "11.5"`)
		},
	)
	before, err := browser.Eval[string](student, `return await (await fetch(location.pathname+"/view",{headers:{Accept:"application/json"}})).text()`)
	if err != nil {
		t.Fatal(err)
	}
	for _, secret := range []string{"Give the unit", "11.5", "Well read", "feedback"} {
		if strings.Contains(before, secret) {
			t.Errorf("before Return the student is sent %q", secret)
		}
	}
	steps(t,
		func() error { return teacher.Click(`[data-do="main"]`) },
		func() error {
			return teacher.Until("it is returned", `document.querySelector("[data-do=main]").textContent === "Return again"`)
		},
	)

	// The student sees and hears it, answers, improves.
	steps(t, shows(student, "Your teacher has returned this copy."), named(student, "See the feedback"),
		func() error {
			return student.Until("the feedback arrives", `document.querySelector("[data-top]").innerText.includes("11.5 of 14")`)
		},
		student.Ready,
		func() error {
			return student.Until("both notes are there", `document.querySelectorAll("[data-note]").length === 2`)
		},
		func() error {
			return student.Until("the remark is there", `document.querySelector("[data-top]").innerText.includes("Well read.")`)
		},
	)
	hz, err := browser.Eval[float64](student, listen)
	if err != nil {
		t.Fatal(err)
	}
	if math.Abs(hz-tone) > 3 {
		t.Errorf("the student hears %.1f Hz, the microphone heard %.1f", hz, tone)
	}
	steps(t,
		func() error { return student.Fill(`[data-note] .answer textarea`, "In metres?") },
		func() error { return student.Click(`[data-note] .answer .button`) },
		func() error {
			return student.Until("the answer stands below", `[...document.querySelectorAll("[data-note] .answer p")].some(p=>p.textContent==="In metres?")`)
		},
		func() error {
			return student.Until("it is saved", `document.querySelector("[data-saved]").dataset.state === "saved"`)
		},
		func() error { return student.Click(`[data-do="main"]`) },
		func() error {
			return student.Until("attempt 2 has begun", `document.querySelector("[data-top]").innerText.includes("Attempt 2")`)
		},
	)
	takenAway(t, student, "11.5 of 14", "Give the unit as well.", "In metres?", "spring Ж √2", "4.5 m")
}

// listen plays the voice note and finds the loudest frequency in it.
const listen = `const url=document.querySelector("[data-clip]").dataset.clip;
	const ctx=new OfflineAudioContext(1,48000,48000), b=await ctx.decodeAudioData(await (await fetch(url)).arrayBuffer());
	const d=b.getChannelData(0).slice(12000,12000+32768); let best=0,at=0;
	for(let hz=300;hz<900;hz+=0.5){let re=0,im=0;for(let i=0;i<d.length;i++){const a=2*Math.PI*hz*i/b.sampleRate;re+=d[i]*Math.cos(a);im+=d[i]*Math.sin(a)}const p=re*re+im*im;if(p>best){best=p;at=hz}}
	return at`

// round is a circle drawn by hand.
func round(page int, x, y, r float64) (out []browser.Place) {
	for i := range 30 {
		a := 2 * math.Pi * float64(i) / 28
		out = append(out, browser.Place{Page: page, X: x + r*math.Cos(a), Y: y + r*math.Sin(a)})
	}
	return out
}

// takenAway fetches the printed PDF and looks for texts with pdftotext.
func takenAway(t *testing.T, p *browser.Tab, texts ...string) {
	t.Helper()
	raw, err := browser.Eval[string](p, `const r=await fetch(location.pathname+"/print?attempt=1"); if(!r.ok) throw new Error(r.status); const b=new Uint8Array(await r.arrayBuffer()); let s=""; for(const c of b) s+=String.fromCharCode(c); return r.headers.get("Content-Disposition")+"\n"+btoa(s)`)
	if err != nil {
		t.Fatal(err)
	}
	name, data, _ := strings.Cut(raw, "\n")
	if !strings.Contains(name, "Tide%20heights%202%2C%20Ines%20Varga%2C%20attempt%201%2C%20marks%20printed.pdf") {
		t.Errorf("the file is called %s", name)
	}
	file := filepath.Join(t.TempDir(), "away.pdf")
	decode := exec.Command("base64", "-d")
	decode.Stdin = strings.NewReader(data)
	b, err := decode.Output()
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(file, b, 0o644); err != nil {
		t.Fatal(err)
	}
	if out, err := exec.Command("qpdf", "--check", file).CombinedOutput(); err != nil {
		t.Errorf("qpdf --check: %v\n%s", err, out)
	}
	text, err := exec.Command("pdftotext", "-layout", file, "-").Output()
	if err != nil {
		t.Fatal(err)
	}
	for _, want := range texts {
		if !strings.Contains(string(text), want) {
			t.Errorf("pdftotext does not find %q", want)
		}
	}
}
