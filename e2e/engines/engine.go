// Command engines goes a shorter round through the student's desk in other
// browser engines than the tests' own, Debian's Firefox and WebKitGTK, over
// the W3C's WebDriver (classic for WebKitGTK, BiDi for Firefox, which needs no
// driver beside it), and leaves pictures to look at in var/engines.
package main

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"strings"
	"syscall"
	"time"

	"github.com/coder/websocket"

	"readymargin/store/mariadb"
)

// An engine is a browser that is driven.
type engine interface {
	Go(url string) error
	Eval(script string) (json.RawMessage, error) // the body of an async function
	Act(sources []source) error
	Shot() ([]byte, error) // PNG
	Stop()
}

// A source is a device and what it does (WebDriver, 15).
type source struct {
	Type       string            `json:"type"`
	ID         string            `json:"id"`
	Parameters map[string]string `json:"parameters,omitempty"`
	Actions    []action          `json:"actions"`
}

type action struct {
	Type     string `json:"type"`
	Button   *int   `json:"button,omitempty"`
	X        *int   `json:"x,omitempty"`
	Y        *int   `json:"y,omitempty"`
	Duration *int   `json:"duration,omitempty"`
	Value    string `json:"value,omitempty"`
}

// started starts a program that ends with this one.
func started(name string, args ...string) (*exec.Cmd, error) {
	cmd := exec.Command(name, args...)
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGKILL}
	return cmd, cmd.Start()
}

func ended(cmd *exec.Cmd) {
	syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL)
	cmd.Wait()
}

// wrapped makes an async function of a body; what it gives comes back as JSON,
// so that both protocols return the same.
func wrapped(script string) string {
	return "(async()=>{" + script + "})().then(v=>JSON.stringify(v===undefined?null:v))"
}

// firefox speaks WebDriver BiDi.
type firefox struct {
	cmd     *exec.Cmd
	profile string
	conn    *websocket.Conn
	context string
	last    int
}

func startFirefox(ctx context.Context) (engine, error) {
	port, err := mariadb.FreePort()
	if err != nil {
		return nil, err
	}
	profile, err := os.MkdirTemp("", "readymargin-firefox-*")
	if err != nil {
		return nil, err
	}
	f := &firefox{profile: profile}
	if f.cmd, err = started("firefox-esr", "--headless", "--no-remote", "--profile", profile, "--width", "1280", "--height", "880", "--remote-debugging-port", fmt.Sprint(port), "about:blank"); err != nil {
		return nil, fmt.Errorf("%w (make engines installs it)", err)
	}
	for range 150 {
		f.conn, _, err = websocket.Dial(ctx, fmt.Sprintf("ws://127.0.0.1:%d/session", port), nil)
		if err == nil {
			break
		}
		time.Sleep(200 * time.Millisecond)
	}
	if err != nil {
		f.Stop()
		return nil, err
	}
	f.conn.SetReadLimit(64 << 20)
	if _, err = f.call("session.new", map[string]any{"capabilities": map[string]any{}}); err != nil {
		f.Stop()
		return nil, err
	}
	var tree struct {
		Contexts []struct{ Context string } `json:"contexts"`
	}
	raw, err := f.call("browsingContext.getTree", map[string]any{})
	if err == nil {
		err = json.Unmarshal(raw, &tree)
	}
	if err != nil || len(tree.Contexts) == 0 {
		f.Stop()
		return nil, fmt.Errorf("engines: no window: %w", err)
	}
	f.context = tree.Contexts[0].Context
	_, err = f.call("browsingContext.setViewport", map[string]any{"context": f.context, "viewport": map[string]int{"width": 1280, "height": 800}})
	return f, err
}

func (f *firefox) call(method string, params map[string]any) (json.RawMessage, error) {
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	f.last++
	b, err := json.Marshal(map[string]any{"id": f.last, "method": method, "params": params})
	if err != nil {
		return nil, err
	}
	if err := f.conn.Write(ctx, websocket.MessageText, b); err != nil {
		return nil, err
	}
	for {
		_, b, err := f.conn.Read(ctx)
		if err != nil {
			return nil, err
		}
		var answer struct {
			ID      int             `json:"id"`
			Type    string          `json:"type"`
			Result  json.RawMessage `json:"result"`
			Error   string          `json:"error"`
			Message string          `json:"message"`
		}
		if err := json.Unmarshal(b, &answer); err != nil || answer.ID != f.last {
			continue // an event
		}
		if answer.Type == "error" {
			return nil, fmt.Errorf("engines: %s: %s: %s", method, answer.Error, answer.Message)
		}
		return answer.Result, nil
	}
}

func (f *firefox) Go(url string) error {
	_, err := f.call("browsingContext.navigate", map[string]any{"context": f.context, "url": url, "wait": "complete"})
	return err
}

func (f *firefox) Eval(script string) (json.RawMessage, error) {
	raw, err := f.call("script.evaluate", map[string]any{"expression": wrapped(script), "target": map[string]string{"context": f.context}, "awaitPromise": true, "userActivation": true})
	if err != nil {
		return nil, err
	}
	var answer struct {
		Type             string                 `json:"type"`
		Result           struct{ Value string } `json:"result"`
		ExceptionDetails struct{ Text string }  `json:"exceptionDetails"`
	}
	if err := json.Unmarshal(raw, &answer); err != nil {
		return nil, err
	}
	if answer.Type != "success" {
		return nil, fmt.Errorf("engines: %s", answer.ExceptionDetails.Text)
	}
	return json.RawMessage(answer.Result.Value), nil
}

func (f *firefox) Act(sources []source) error {
	_, err := f.call("input.performActions", map[string]any{"context": f.context, "actions": sources})
	return err
}

func (f *firefox) Shot() ([]byte, error) {
	raw, err := f.call("browsingContext.captureScreenshot", map[string]any{"context": f.context})
	if err != nil {
		return nil, err
	}
	var answer struct{ Data []byte }
	err = json.Unmarshal(raw, &answer)
	return answer.Data, err
}

func (f *firefox) Stop() {
	if f.conn != nil {
		f.conn.CloseNow()
	}
	ended(f.cmd)
	os.RemoveAll(f.profile)
}

// webkit speaks classic WebDriver, on a screen that nobody sees.
type webkit struct {
	screen, driver *exec.Cmd
	base           string
}

func startWebKit(context.Context) (engine, error) {
	port, err := mariadb.FreePort()
	if err != nil {
		return nil, err
	}
	display := fmt.Sprintf(":%d", 90+os.Getpid()%900)
	w := &webkit{}
	if w.screen, err = started("Xvfb", display, "-screen", "0", "1300x900x24", "-nolisten", "tcp"); err != nil {
		return nil, fmt.Errorf("%w (make engines installs it)", err)
	}
	w.driver = exec.Command("WebKitWebDriver", fmt.Sprintf("--port=%d", port))
	w.driver.Env = append(os.Environ(), "DISPLAY="+display, "GDK_BACKEND=x11", "WEBKIT_DISABLE_SANDBOX_THIS_IS_DANGEROUS=1", "LIBGL_ALWAYS_SOFTWARE=1")
	w.driver.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGKILL}
	if err := w.driver.Start(); err != nil {
		ended(w.screen)
		return nil, fmt.Errorf("%w (make engines installs it)", err)
	}
	root := fmt.Sprintf("http://127.0.0.1:%d/session", port)
	var session struct{ SessionID string }
	for range 100 {
		if err = ask("POST", root, map[string]any{"capabilities": map[string]any{"alwaysMatch": map[string]any{}}}, &session); err == nil {
			break
		}
		time.Sleep(200 * time.Millisecond)
	}
	if err != nil {
		w.Stop()
		return nil, err
	}
	w.base = root + "/" + session.SessionID
	if err := ask("POST", w.base+"/timeouts", map[string]int{"script": 60000, "pageLoad": 60000}, nil); err != nil {
		w.Stop()
		return nil, err
	}
	return w, ask("POST", w.base+"/window/rect", map[string]int{"x": 0, "y": 0, "width": 1280, "height": 880}, nil)
}

// ask sends a command and reads its value.
func ask(method, url string, body, value any) error {
	b, err := json.Marshal(body)
	if err != nil {
		return err
	}
	req, err := http.NewRequest(method, url, bytes.NewReader(b))
	if err != nil {
		return err
	}
	req.Header.Set("Content-Type", "application/json")
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	raw, err := io.ReadAll(res.Body)
	if err != nil {
		return err
	}
	var answer struct{ Value json.RawMessage }
	if err := json.Unmarshal(raw, &answer); err != nil {
		return err
	}
	if res.StatusCode != http.StatusOK {
		return fmt.Errorf("engines: %s: %s", url[strings.LastIndex(url, "/")+1:], answer.Value)
	}
	if value == nil {
		return nil
	}
	return json.Unmarshal(answer.Value, value)
}

func (w *webkit) Go(url string) error {
	return ask("POST", w.base+"/url", map[string]string{"url": url}, nil)
}

func (w *webkit) Eval(script string) (json.RawMessage, error) {
	var out string
	err := ask("POST", w.base+"/execute/async", map[string]any{"script": "const done=arguments[arguments.length-1];" + wrapped(script) + ".then(done,e=>done('{\"failed\":'+JSON.stringify(String(e))+'}'))", "args": []any{}}, &out)
	return json.RawMessage(out), err
}

func (w *webkit) Act(sources []source) error {
	return ask("POST", w.base+"/actions", map[string]any{"actions": sources}, nil)
}

func (w *webkit) Shot() ([]byte, error) {
	var out string
	if err := ask("GET", w.base+"/screenshot", nil, &out); err != nil {
		return nil, err
	}
	return base64.StdEncoding.DecodeString(out)
}

func (w *webkit) Stop() {
	if w.base != "" {
		ask("DELETE", w.base, nil, nil)
	}
	ended(w.driver)
	ended(w.screen)
}
