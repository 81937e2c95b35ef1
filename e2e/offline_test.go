package e2e

import (
	"context"
	"fmt"
	"testing"

	"readymargin/core/flow"
	"readymargin/core/submission"
	"readymargin/core/worksheet"
	"readymargin/demo"
	"readymargin/e2e/browser"
	"readymargin/school/assign"
	"readymargin/school/intake"
)

// copyOf gives a student a copy of a file of so many pages.
func copyOf(t *testing.T, name string, file []byte, pages int) (login string, id uint64) {
	t.Helper()
	ctx, sc := context.Background(), setSceneNamed(t, name)
	teacher, student := personOf(t, name+".teacher"), personOf(t, name+".student")
	w, err := home.School.Shelf.BringIn(ctx, teacher, intake.Upload{Name: "sheet.pdf", Data: file})
	if err != nil {
		t.Fatal(err)
	}
	var all worksheet.Plan
	for n := 1; n <= pages; n++ {
		all = append(all, worksheet.PageRef{Page: n, Use: worksheet.Sheet, Decided: true})
	}
	if err := home.School.Shelf.Arrange(ctx, teacher, w.ID, 1, all, worksheet.Kit{}); err != nil {
		t.Fatal(err)
	}
	a, err := home.School.Assignments.Assign(ctx, teacher, assign.NewAssignment{Course: sc.course.ID, Worksheet: w.ID, Terms: assign.Terms{Title: "Sheet"}})
	if err != nil {
		t.Fatal(err)
	}
	c, err := home.School.Saving.OpenOwn(ctx, student, a.ID)
	if err != nil {
		t.Fatal(err)
	}
	return name + ".student", c.ID
}

// keptHere waits until the device can open the copy without a connection.
func keptHere(p *browser.Tab, pages int) func() error {
	return func() error {
		return p.Until("the copy is kept on the device", fmt.Sprintf(`await (async()=>{ const all=await (await caches.open("kept")).keys(), own=await (await caches.open("pages")).match(location.pathname); return own && all.filter(r=>/\/(pages|print)\//.test(r.url)).length >= %d })()`, 2*pages))
	}
}

// stroke draws a short line, the n-th of a page, and goes to the page first.
func stroke(p *browser.Tab, page, n int) error {
	x, y := 60+float64(n%10)*45, 120+float64(n/10)*40
	if _, err := browser.Eval[int](p, fmt.Sprintf(`const s=document.querySelectorAll("section.sheet")[%d], r=s.getBoundingClientRect(), d=document.querySelector("[data-desk]"); d.scrollTop += r.top + r.height*%f - d.getBoundingClientRect().top - d.clientHeight/2; return 1`, page-1, y/841.89)); err != nil {
		return err
	}
	return p.Drag("mouse", 0.5, browser.Place{Page: page, X: x, Y: y}, browser.Place{Page: page, X: x + 12, Y: y + 9}, browser.Place{Page: page, X: x + 30, Y: y + 2})
}

// Without a connection 200 things are done on three pages, with the copy
// opened anew in between; the browser is killed. Started again with the same
// profile, all 200 reach the server, once.
func TestOfflineForTwoHundredChangesAndACrash(t *testing.T) {
	ctx := context.Background()
	file, err := demo.TideHeightsWithAnswers()
	if err != nil {
		t.Fatal(err)
	}
	login, id := copyOf(t, "offline", file, 3)
	profile, path := t.TempDir(), fmt.Sprintf("/copies/%d", id)
	b, p := withProfile(t, profile)
	draw := func(from, to int) func() error {
		return func() error {
			for i := from; i < to; i++ {
				if err := stroke(p, i%3+1, i/3); err != nil {
					return err
				}
			}
			return nil
		}
	}
	waits := func(n int) func() error {
		return func() error {
			return p.Until(fmt.Sprint(n, " changes wait"), fmt.Sprintf(`document.querySelector("[data-saved-words]").textContent === "On this device only, %d changes waiting"`, n))
		}
	}
	pen := func() error { return p.Click(`.place [aria-label="Pen"]`) }
	steps(t,
		func() error { return p.SignIn(login, scenePassword) },
		func() error { return p.Go(path) }, p.Ready, keptHere(p, 3), pen,
		draw(0, 10),
		func() error {
			return p.Until("it is saved", `document.querySelector("[data-saved]").dataset.state === "saved"`)
		},
		func() error { home.KillServer(); return nil },
		draw(10, 110), waits(100),
		func() error { return p.Go(fmt.Sprintf("/assignments/%d", 1<<40)) },
		func() error {
			return p.Until("it says what can be opened", `document.body.innerText.includes("There is no connection") && document.querySelector("a[href='`+path+`']")`)
		},
		func() error { return p.Go(path) }, p.Ready,
		func() error {
			return p.Until("all that was drawn is there", `document.querySelectorAll(".marks g[data-mark]").length === 110`)
		},
		waits(100), pen, draw(110, 210), waits(200),
	)
	b, p = killedAndBack(t, b, profile, login, path)
	defer b.Stop()
	steps(t,
		func() error {
			return p.Until("all is on the screen", `document.querySelectorAll(".marks g[data-mark]").length === 210`)
		},
	)
	heads, err := home.Store.Heads(ctx, id, submission.Work)
	if err != nil {
		t.Fatal(err)
	}
	seen, pages := map[string]int{}, map[int]int{}
	for _, h := range heads {
		seen[h.On]++
		pages[h.Mark.Page]++
	}
	ops, err := home.Store.OpsAfter(ctx, id, submission.Work, 0)
	if err != nil || len(seen) != 210 || len(heads) != 210 || len(ops) != 210 || pages[1] != 70 || pages[2] != 70 || pages[3] != 70 {
		t.Errorf("%d marks, %d heads, %d operations, by page %v, want 210 and 70 a page (%v)", len(seen), len(heads), len(ops), pages, err)
	}
}

// Two browsers of one student work on the same copy in turn; both show
// everything. What both changed without knowing of each other is kept twice.
func TestTwoBrowsersOfOneStudent(t *testing.T) {
	ctx := context.Background()
	sc := setSceneNamed(t, "Twice")
	id := sc.copies[flow.NotStarted].ID
	var two []*browser.Tab
	for range 2 {
		b, p := withProfile(t, t.TempDir())
		defer b.Stop()
		steps(t, func() error { return p.SignIn("twice.student", scenePassword) }, func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready)
		two = append(two, p)
	}
	shows := func(p *browser.Tab, n int) func() error {
		return func() error {
			return p.Until(fmt.Sprint(n, " marks are shown"), fmt.Sprintf(`new Set([...document.querySelectorAll(".marks g[data-mark]:not(.beside)")].map(g=>g.dataset.mark)).size === %d`, n))
		}
	}
	for _, p := range two {
		steps(t, func() error { return p.Click(`.place [aria-label="Pen"]`) })
	}
	for i := range 6 {
		steps(t, func() error { return stroke(two[i%2], 1, i) }, shows(two[0], i+1), shows(two[1], i+1))
	}
	// One text, changed by both while the server is away.
	first, second := two[0], two[1]
	write := func(p *browser.Tab, text string) {
		steps(t, func() error { return p.Click(`.place [aria-label="Type"]`) },
			func() error { return p.Press(browser.Place{Page: 1, X: 300, Y: 720}) }, func() error { return p.Type(text) },
			func() error { return p.Click(`.place [aria-label="Pick"]`) })
	}
	write(first, "tide")
	steps(t, shows(first, 7), shows(second, 7), func() error { home.KillServer(); return nil })
	write(first, " high")
	write(second, " low")
	if err := home.Serve(); err != nil {
		t.Fatal(err)
	}
	for _, p := range two {
		steps(t, func() error {
			return p.Until("it is saved", `document.querySelector("[data-saved]").dataset.state === "saved"`)
		}, func() error {
			return p.Until("both are shown", `["tide high","tide low"].every(t=>[...document.querySelectorAll(".marks text")].some(x=>x.textContent===t)) && document.querySelectorAll(".marks g.beside").length === 1`)
		})
	}
	heads, err := home.Store.Heads(ctx, id, submission.Work)
	if err != nil || len(heads) != 8 {
		t.Errorf("%d heads are kept, want six strokes and two texts (%v)", len(heads), err)
	}
}

// On a shared laptop changes that wait are told of before signing out, and the
// next person finds nothing of them; they are there when their owner is back.
func TestASharedLaptop(t *testing.T) {
	t.Parallel()
	ctx, sc := context.Background(), setSceneNamed(t, "Shared")
	mine, theirs := sc.copies[flow.NotStarted], copyOfClassmate(t, "shared", sc.copies[flow.NotStarted].AssignmentID)
	b, p := withProfile(t, t.TempDir())
	defer b.Stop()
	do := func(script string) func() error {
		return func() error { _, err := browser.Eval[int](p, script+"; return 1"); return err }
	}
	steps(t,
		func() error { return p.SignIn("shared.student", scenePassword) },
		func() error { return p.Go(fmt.Sprintf("/copies/%d", mine.ID)) }, p.Ready, keptHere(p, 1),
		func() error { return p.Click(`.place [aria-label="Pen"]`) },
		do(`const send=window.fetch; window.fetch=(u,o)=>String(u).endsWith("/ops")?Promise.reject(new TypeError("no line")):send(u,o)`),
		func() error { return stroke(p, 1, 3) },
		func() error {
			return p.Until("it waits", `document.querySelector("[data-saved-words]").textContent.startsWith("On this device only")`)
		},
		func() error { return p.Go("/to-do") },
		func() error {
			return p.Until("the start page tells of it", `document.querySelector("[data-waiting]")?.innerText.includes("1 change on this device has not been sent yet")`)
		},
		do(`document.querySelector("form[action='/sign-out'] button").click()`),
		func() error { return p.Until("it asks", `document.querySelector("[data-leaving]").open`) },
		func() error { return p.Click(`[data-leaving] [value="no"]`) },
		func() error {
			return p.Until("one stays", `!document.querySelector("[data-leaving]").open && document.querySelector("form[action='/sign-out']")`)
		},
		do(`document.querySelector("form[action='/sign-out'] button").click()`),
		func() error { return p.Until("it asks again", `document.querySelector("[data-leaving]").open`) },
		func() error { return p.Click(`[data-leaving] [value="yes"]`) },
		func() error {
			return p.Until("one is signed out", `!document.querySelector("form[action='/sign-out']")`)
		},
		func() error {
			return p.Until("nothing of the copy can be read on this device", `await (async()=>{
				const base=await new Promise((ok,no)=>{const r=indexedDB.open("readymargin");r.onsuccess=()=>ok(r.result);r.onerror=no});
				const all=(n)=>new Promise((ok)=>{const r=base.transaction(n).objectStore(n).getAll();r.onsuccess=()=>ok(r.result)});
				const views=await all("views"), ops=await all("ops"); base.close();
				return views.length===0 && ops.every(o=>!o.sent) && !(await caches.has("pages")) && !(await caches.has("kept"))})()`)
		},
		func() error { return p.SignIn("shared.classmate", scenePassword) },
		func() error { return p.Go(fmt.Sprintf("/copies/%d", theirs)) }, p.Ready,
		func() error {
			return p.Until("nothing of it is there", `document.querySelectorAll(".marks g[data-mark]").length === 0 && document.querySelector("[data-saved]").dataset.state === "saved"`)
		},
		func() error {
			return p.Until("nor kept", fmt.Sprintf(`await (async()=>!(await (await caches.open("pages")).match("/copies/%d")))()`, mine.ID))
		},
	)
	for name, id := range map[string]uint64{"the student's": mine.ID, "the classmate's": theirs} {
		if heads, err := home.Store.Heads(ctx, id, submission.Work); err != nil || len(heads) != 0 {
			t.Errorf("%s copy has %d marks on the server (%v)", name, len(heads), err)
		}
	}
	steps(t,
		func() error { return p.Go("/to-do") },
		do(`document.querySelector("form[action='/sign-out'] button").click()`),
		func() error {
			return p.Until("one is signed out", `!document.querySelector("form[action='/sign-out']")`)
		},
		func() error { return p.SignIn("shared.student", scenePassword) },
		func() error { return p.Go(fmt.Sprintf("/copies/%d", mine.ID)) }, p.Ready)
	if got := kinds(kept(t, p, mine.ID)); got != "ink" {
		t.Errorf("back again, the server has %q", got)
	}
}

func copyOfClassmate(t *testing.T, name string, assignment uint64) uint64 {
	t.Helper()
	c, err := home.School.Saving.OpenOwn(context.Background(), personOf(t, name+".classmate"), assignment)
	if err != nil {
		t.Fatal(err)
	}
	return c.ID
}

// A browser that keeps nothing, or has no room left, is told of; with a
// connection the work is saved all the same.
func TestAStoreThatIsForbiddenOrFull(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Full")
	id := sc.copies[flow.NotStarted].ID
	for name, c := range map[string]struct{ script, says string }{
		"forbidden": {`indexedDB.open=()=>{ throw new DOMException("", "SecurityError") }`, "This browser keeps nothing on this device"},
		"full":      {`IDBObjectStore.prototype.add=()=>{ throw new DOMException("", "QuotaExceededError") }`, "this device has no room left"},
	} {
		p := tab(t, 1280, 800)
		steps(t,
			func() error { return p.SignIn("full.student", scenePassword) },
			func() error { return p.Before(c.script) },
			func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready)
		before := len(kept(t, p, id))
		steps(t,
			func() error { return p.Click(`.place [aria-label="Pen"]`) },
			func() error {
				_, err := browser.Eval[int](p, `const send=window.fetch; window.fetch=(u,o)=>String(u).endsWith("/ops")&&!window.connected?Promise.reject(new TypeError("no line")):send(u,o); return 1`)
				return err
			},
			func() error { return stroke(p, 1, before+5) },
			func() error {
				return p.Until("it is said", fmt.Sprintf(`(document.querySelector(".toast")?.textContent ?? "").includes(%q) || document.querySelector("[data-saved-words]").textContent.includes(%q)`, c.says, c.says))
			},
			func() error {
				return p.Until("it is said to be nowhere", `document.querySelector("[data-saved]").dataset.state === "failed"`)
			},
			func() error {
				_, err := browser.Eval[int](p, `window.connected=true; window.dispatchEvent(new Event("online")); return 1`)
				return err
			})
		if n := len(kept(t, p, id)); n != before+1 {
			t.Errorf("%s: %d marks are saved, want %d", name, n, before+1)
		}
	}
}

// When the sign-in runs out in the middle, the screen asks for it on top of the
// page; nothing that was done is lost.
func TestSigningInAgainOnTopOfThePage(t *testing.T) {
	t.Parallel()
	p, id := desk(t, "Again", 1280, 800)
	steps(t,
		func() error { return p.Click(`.place [aria-label="Pen"]`) },
		func() error { return stroke(p, 1, 0) },
		func() error {
			return p.Until("it is saved", `document.querySelector("[data-saved]").dataset.state === "saved"`)
		},
		p.Clear,
		func() error { return stroke(p, 1, 1) },
		func() error {
			return p.Until("it asks", `document.querySelector('[data-dialog="sign-in"]').open && document.querySelectorAll(".marks g[data-mark]").length === 2`)
		},
		func() error { return p.Fill("#again-login", "again.student") },
		func() error { return p.Fill("#again-password", "wrong password") },
		func() error { return p.Click(`[data-dialog="sign-in"] [data-yes]`) },
		func() error {
			return p.Until("a wrong password is said to be wrong", `!document.querySelector('[data-dialog="sign-in"] [data-wrong]').hidden`)
		},
		func() error { return p.Fill("#again-password", scenePassword) },
		func() error { return p.Click(`[data-dialog="sign-in"] [data-yes]`) },
		func() error { return p.Until("it goes on", `!document.querySelector('[data-dialog="sign-in"]').open`) },
		func() error { return stroke(p, 1, 2) })
	if got := kinds(kept(t, p, id)); got != "ink ink ink" {
		t.Errorf("kept %q, want three strokes", got)
	}
}
