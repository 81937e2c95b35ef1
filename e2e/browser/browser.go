// Package browser drives a real headless Chromium for the tests, the
// benchmarks and the pictures of the documentation.
package browser

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"sync"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
)

// Install is the command that provides what Start needs.
const Install = "apt-get install chromium"

// A Browser is a running Chromium.
type Browser struct {
	ctx  context.Context
	stop func()
}

// Start starts Chromium. A WAV file in sound is what its microphone hears.
func Start(sound string) (*Browser, error) { return StartIn("", sound) }

// StartIn starts Chromium on a profile folder, which outlives it; "" is a
// folder of its own that does not.
func StartIn(profile, sound string) (*Browser, error) {
	path, err := exec.LookPath("chromium")
	if err != nil {
		return nil, fmt.Errorf("browser: chromium is missing: %s", Install)
	}
	opts := append(chromedp.DefaultExecAllocatorOptions[:],
		chromedp.ExecPath(path), chromedp.NoSandbox,
		chromedp.Flag("disable-background-networking", true), chromedp.Flag("disable-component-update", true), chromedp.Flag("disable-sync", true),
		chromedp.Flag("disable-quic", true), chromedp.Flag("disable-gpu", true), chromedp.Flag("force-color-profile", "srgb"), chromedp.Flag("lang", "en-GB"),
		chromedp.Flag("hide-scrollbars", true),
		chromedp.Flag("use-fake-device-for-media-stream", true), chromedp.Flag("use-fake-ui-for-media-stream", true),
		chromedp.Flag("autoplay-policy", "no-user-gesture-required"))
	if sound != "" {
		opts = append(opts, chromedp.Flag("use-file-for-fake-audio-capture", sound))
	}
	if profile != "" {
		opts = append(opts, chromedp.Flag("user-data-dir", profile))
	}
	alloc, stopAlloc := chromedp.NewExecAllocator(context.Background(), opts...)
	ctx, stop := chromedp.NewContext(alloc)
	b := &Browser{ctx, func() { stop(); stopAlloc() }}
	if err := chromedp.Do(ctx); err != nil {
		b.Stop()
		return nil, fmt.Errorf("browser: %w", err)
	}
	return b, nil
}

// Stop ends the browser.
func (b *Browser) Stop() { b.stop() }

// Process returns the browser's process, for killing it.
func (b *Browser) Process() *os.Process { return chromedp.FromContext(b.ctx).Browser.Process() }

// A Tab is a page in a browser profile of its own: another person's browser.
type Tab struct {
	Ctx  context.Context
	Base string
	stop func()

	mu     sync.Mutex
	errors []string
}

// Tab opens a page of the site at base, in a profile of its own.
func (b *Browser) Tab(base string, width, height int) (*Tab, error) {
	return b.open(base, width, height, chromedp.WithNewBrowserContext())
}

// Own opens a page in the browser's own profile.
func (b *Browser) Own(base string, width, height int) (*Tab, error) {
	return b.open(base, width, height)
}

func (b *Browser) open(base string, width, height int, how ...chromedp.ContextOption) (*Tab, error) {
	ctx, stop := chromedp.NewContext(b.ctx, how...)
	t := &Tab{Ctx: ctx, Base: base, stop: stop}
	if err := chromedp.Do(ctx, chromedp.EmulateViewport(int64(width), int64(height))); err != nil {
		stop()
		return nil, err
	}
	err := chromedp.Listen(ctx, func(ev any) {
		switch ev := ev.(type) {
		case *runtime.EventExceptionThrown:
			t.note(fmt.Sprint("exception: ", ev.ExceptionDetails.Text, " ", describe(ev.ExceptionDetails.Exception)))
		case *runtime.EventConsoleAPICalled:
			if ev.Type == runtime.ConsoleAPICalledTypeError {
				for _, a := range ev.Args {
					t.note("console: " + describe(a))
				}
			}
		}
	})
	return t, err
}

func describe(o *runtime.RemoteObject) string {
	if o == nil {
		return ""
	}
	return o.Description + string(o.Value)
}

func (t *Tab) note(s string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.errors = append(t.errors, s)
}

// Errors returns what went wrong in the page's scripts so far.
func (t *Tab) Errors() []string {
	t.mu.Lock()
	defer t.mu.Unlock()
	return append([]string(nil), t.errors...)
}

// Close closes the page and its profile.
func (t *Tab) Close() { t.stop() }

// Go opens a path of the site and waits until it has loaded.
func (t *Tab) Go(path string) error {
	ctx, cancel := context.WithTimeout(t.Ctx, time.Minute) // a page that asks before it is left waits for ever
	defer cancel()
	return chromedp.Do(ctx, chromedp.Navigate(t.Base+path))
}

// Eval runs a script, waiting for its promise, and reads its value into a T.
func Eval[T any](t *Tab, script string) (v T, err error) {
	raw, err := chromedp.Run(t.Ctx, chromedp.Evaluate[string]("Promise.resolve((async()=>JSON.stringify((await (async()=>{"+script+"})())??null))())", chromedp.EvalAwaitPromise))
	if err != nil {
		return v, fmt.Errorf("%s: %w", script, err)
	}
	return v, json.Unmarshal([]byte(raw), &v)
}

// Until waits until a script gives true.
func (t *Tab) Until(what, script string) error {
	var last error
	for deadline := time.Now().Add(20 * time.Second); time.Now().Before(deadline); time.Sleep(40 * time.Millisecond) {
		ok, err := Eval[bool](t, "return !!("+script+")")
		if ok {
			return nil
		}
		last = err
	}
	text, _ := Eval[string](t, "return document.body.innerText.slice(0, 1500)")
	return fmt.Errorf("browser: waited in vain until %s (%v); the page says:\n%s\nscripts: %v", what, last, text, t.Errors())
}

// Ready waits until the sheet screen takes every gesture.
func (t *Tab) Ready() error {
	return t.Until("the sheet is ready", `document.querySelector("[data-screen]")?.dataset.ready`)
}

// Click presses the element that a selector finds.
func (t *Tab) Click(selector string) error {
	if err := t.Until(selector+" is there", fmt.Sprintf(`document.querySelector(%q)?.offsetParent || document.querySelector(%q)?.getClientRects().length`, selector, selector)); err != nil {
		return err
	}
	// What is pressed may move on a busy machine between looking and pressing;
	// a press that went beside it is made again.
	aim := fmt.Sprintf(`const e = document.querySelector(%q); window.aimed = e; window.pressed = false; e.addEventListener("pointerdown", () => { window.pressed = true; }, { once: true, capture: true }); return 1`, selector)
	var last error // of an element that was put anew just then
	for range 3 {
		if _, last = Eval[int](t, aim); last == nil {
			if last = chromedp.Do(t.Ctx, chromedp.Click(chromedp.CSS(selector))); last == nil {
				if missed, err := Eval[bool](t, `return !!window.aimed?.isConnected && !window.pressed`); err != nil || !missed {
					return nil // it was pressed, or is gone with its page
				}
			}
		}
		time.Sleep(100 * time.Millisecond)
	}
	return last
}

// ClickWords presses the button that says so, the last of them that is seen.
func (t *Tab) ClickWords(words string) error {
	const pressed = `window.aimed?.isConnected && !window.pressed`
	for range 5 {
		if err := t.Until(words+" is there", fmt.Sprintf(`(window.aimed = [...document.querySelectorAll("button, a.button")].filter((b) => b.innerText.trim() === %q && !b.disabled && b.checkVisibility()).at(-1))`, words)); err != nil {
			return err
		}
		at, err := Eval[[2]float64](t, `const e = window.aimed, next = () => new Promise((r) => requestAnimationFrame(r)), pos = () => { const r = e.getBoundingClientRect(); return [r.left + r.width / 2, r.top + r.height / 2]; };
			window.pressed = false; e.addEventListener("pointerdown", () => { window.pressed = true; }, { once: true, capture: true });
			e.scrollIntoView({ block: "nearest", inline: "nearest" });
			let was = pos(), still = 0;
			for (let i = 0; i < 120 && still < 3; i++) { await next(); const now = pos(); still = Math.abs(now[0] - was[0]) + Math.abs(now[1] - was[1]) < 0.5 ? still + 1 : 0; was = now; }
			return e.isConnected ? was : [-1, -1]`)
		if err != nil || at[0] < 0 {
			continue // put anew meanwhile
		}
		if err := t.Mouse(at[0], at[1]); err != nil {
			return err
		}
		if missed, err := Eval[bool](t, "return !!("+pressed+")"); err != nil || !missed {
			return nil // it was pressed, or is gone with its page
		}
		time.Sleep(100 * time.Millisecond)
	}
	return fmt.Errorf("browser: %q cannot be pressed", words)
}

// Fill types into a field, in place of what it holds.
func (t *Tab) Fill(selector, text string) error {
	if err := t.Until(selector+" is there", fmt.Sprintf("document.querySelector(%q)", selector)); err != nil {
		return err
	}
	if _, err := Eval[any](t, fmt.Sprintf("const f=document.querySelector(%q);f.focus();f.select&&f.select()", selector)); err != nil {
		return err
	}
	return t.Type(text)
}

// Type types as a keyboard does into what has the focus.
func (t *Tab) Type(text string) error {
	_, err := chromedp.Call(t.Ctx, input.InsertText, input.InsertTextParams{Text: text})
	return err
}

// Key presses a key.
func (t *Tab) Key(key string) error { return chromedp.Do(t.Ctx, chromedp.KeyEvent(key)) }

// Enter presses the Enter key as a keyboard does.
func (t *Tab) Enter() error { return t.stroke("Enter", "\r", 13) }

// Stroke presses the key of a sign as a keyboard does.
func (t *Tab) Stroke(sign string) error { return t.stroke(sign, sign, 0) }

// stroke types a key's sign only where the press itself was not taken, which Key
// leaves apart.
func (t *Tab) stroke(key, text string, code int64) error {
	down := input.DispatchKeyEventParams{Type: input.DispatchKeyEventTypeKeyDown, Key: key, Text: text, WindowsVirtualKeyCode: code}
	up := input.DispatchKeyEventParams{Type: input.DispatchKeyEventTypeKeyUp, Key: key, WindowsVirtualKeyCode: code}
	if code == 13 {
		down.Code, up.Code = key, key
	}
	if _, err := chromedp.Call(t.Ctx, input.DispatchKeyEvent, down); err != nil {
		return err
	}
	_, err := chromedp.Call(t.Ctx, input.DispatchKeyEvent, up)
	return err
}

// A Place is a point in page space on a page of the sheet.
type Place struct {
	Page int
	X, Y float64
}

// At returns where in the window a place is, scrolling it into view.
func (t *Tab) At(p Place) (x, y float64, err error) {
	at, err := Eval[[2]float64](t, fmt.Sprintf(`const b=document.querySelector('.sheet[data-page="%d"]'),d=document.querySelector('[data-desk]');
		const size=JSON.parse(document.querySelector('#view').textContent).pages[%d] ?? {w: 595.28, h: 841.89};
		const pos=()=>{const r=b.getBoundingClientRect();return [r.left+%g*r.width/size.w,r.top+%g*r.height/size.h]};
		let [x,y]=pos();const f=d.getBoundingClientRect();
		if(y<f.top+40||y>f.bottom-40){d.scrollTop+=y-f.top-f.height/2;await new Promise(r=>requestAnimationFrame(()=>requestAnimationFrame(r)))}
		if(x<f.left+10||x>f.right-10){d.scrollLeft+=x-f.left-f.width/2;await new Promise(r=>requestAnimationFrame(()=>requestAnimationFrame(r)))}
		return pos()`, p.Page, p.Page-1, p.X, p.Y))
	return at[0], at[1], err
}

// Pointer sends one event of a pointer of the given kind ("mouse" or "pen").
func (t *Tab) Pointer(kind input.DispatchMouseEventType, pointer string, x, y, force float64) error {
	p := input.DispatchMouseEventParams{Type: kind, X: x, Y: y, Button: input.MouseButtonLeft, PointerType: input.DispatchMouseEventPointerType(pointer), Force: force}
	if kind == input.DispatchMouseEventTypeMousePressed || kind == input.DispatchMouseEventTypeMouseReleased {
		p.ClickCount = 1
	}
	if kind != input.DispatchMouseEventTypeMouseReleased {
		p.Buttons = 1
	}
	_, err := chromedp.Call(t.Ctx, input.DispatchMouseEvent, p)
	return err
}

// Mouse presses a place of the window.
func (t *Tab) Mouse(x, y float64) error {
	for _, kind := range []input.DispatchMouseEventType{input.DispatchMouseEventTypeMouseMoved, input.DispatchMouseEventTypeMousePressed, input.DispatchMouseEventTypeMouseReleased} {
		p := input.DispatchMouseEventParams{Type: kind, X: x, Y: y, Button: input.MouseButtonLeft, ClickCount: 1}
		if kind == input.DispatchMouseEventTypeMouseMoved {
			p.Button, p.ClickCount = input.MouseButtonNone, 0
		}
		if _, err := chromedp.Call(t.Ctx, input.DispatchMouseEvent, p); err != nil {
			return err
		}
	}
	return nil
}

// Press presses a place on the sheet.
func (t *Tab) Press(p Place) error { return t.Drag("mouse", 0.5, p) }

// Drag moves a pointer over the sheet through the given places of one page.
func (t *Tab) Drag(pointer string, force float64, through ...Place) error {
	x, y, err := t.At(through[0])
	if err != nil {
		return err
	}
	if err := t.Pointer(input.DispatchMouseEventTypeMousePressed, pointer, x, y, force); err != nil {
		return err
	}
	for _, p := range through[1:] {
		if x, y, err = t.At(p); err != nil {
			return err
		}
		if err := t.Pointer(input.DispatchMouseEventTypeMouseMoved, pointer, x, y, force); err != nil {
			return err
		}
	}
	return t.Pointer(input.DispatchMouseEventTypeMouseReleased, pointer, x, y, 0)
}

// SignIn signs a person in.
func (t *Tab) SignIn(login, password string) error {
	for _, do := range []func() error{
		func() error { return t.Go("/sign-in") },
		func() error { return t.Fill("#login", login) },
		func() error { return t.Fill("#password", password) },
		func() error { return t.Click("main form button") },
		func() error { return t.Until("signed in", `location.pathname!="/sign-in"`) },
	} {
		if err := do(); err != nil {
			return err
		}
	}
	return nil
}

// Cookie sets a cookie for the site.
func (t *Tab) Cookie(name, value string) error {
	yes := true
	_, err := chromedp.Call(t.Ctx, network.SetCookie, network.SetCookieParams{Name: name, Value: value, URL: t.Base, HTTPOnly: &yes, SameSite: network.CookieSameSiteLax})
	return err
}

// Before runs a script before those of every page that is opened next.
func (t *Tab) Before(script string) error {
	_, err := chromedp.Call(t.Ctx, page.AddScriptToEvaluateOnNewDocument, page.AddScriptToEvaluateOnNewDocumentParams{Source: script})
	return err
}

// Shot writes a picture of the window.
func (t *Tab) Shot(file string) error {
	time.Sleep(250 * time.Millisecond)
	b, err := chromedp.Run(t.Ctx, chromedp.CaptureScreenshot())
	if err != nil {
		return err
	}
	return os.WriteFile(file, b, 0o644)
}

// Resize changes the window's size.
func (t *Tab) Resize(width, height int, touch bool) error {
	opts := []chromedp.EmulateViewportOption{}
	if touch {
		opts = append(opts, chromedp.EmulateTouch)
	}
	return chromedp.Do(t.Ctx, chromedp.EmulateViewport(int64(width), int64(height), opts...))
}

// Choose gives files to a file field.
func (t *Tab) Choose(selector string, files ...string) error {
	if err := t.Until("the form is ready", `window.Alpine || document.querySelector("[data-ready]")`); err != nil {
		return err
	}
	if err := t.Until("there is "+selector, fmt.Sprintf("document.querySelector(%q)", selector)); err != nil {
		return err
	}
	time.Sleep(200 * time.Millisecond)
	return chromedp.Do(t.Ctx, chromedp.SetUploadFiles(chromedp.CSS(selector), files))
}

// Clear forgets the browser's cookies; its other stores stay.
func (t *Tab) Clear() error {
	_, err := chromedp.Call(t.Ctx, network.ClearBrowserCookies, cdp.Empty{})
	return err
}
