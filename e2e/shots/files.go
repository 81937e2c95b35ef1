package main

import (
	"archive/zip"
	"bytes"
	"encoding/base64"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"

	"readymargin/e2e/browser"
	"readymargin/e2e/house"
)

// leaving takes away what pictures were taken of.
var leaving []func()

// fetched returns what the one who is signed in gets at a path.
func fetched(t *browser.Tab, path string) ([]byte, error) {
	s, err := browser.Eval[string](t, fmt.Sprintf(`const b = new Uint8Array(await (await fetch(%q)).arrayBuffer()); let s = ""; for (const c of b) s += String.fromCharCode(c); return btoa(s)`, path))
	if err != nil {
		return nil, err
	}
	return base64.StdEncoding.DecodeString(s)
}

// unpacked returns a folder with what a ZIP holds; drop takes it away.
func unpacked(data []byte) (dir string, drop func(), err error) {
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return "", nil, err
	}
	if dir, err = os.MkdirTemp("", "readymargin-shots-*"); err != nil {
		return "", nil, err
	}
	drop = func() { os.RemoveAll(dir) }
	for _, f := range z.File {
		r, err := f.Open()
		if err != nil {
			return dir, drop, err
		}
		b, err := io.ReadAll(r)
		if err != nil {
			return dir, drop, err
		}
		name := filepath.Join(dir, filepath.FromSlash(f.Name))
		if err := os.MkdirAll(filepath.Dir(name), 0o700); err != nil {
			return dir, drop, err
		}
		if err := os.WriteFile(name, b, 0o600); err != nil {
			return dir, drop, err
		}
	}
	return dir, drop, nil
}

// broughtBack brings the copies of a class back in which a program has marked some.
func broughtBack(t *browser.Tab) error {
	data, err := fetched(t, tides+"/copies?as=movable")
	if err != nil {
		return err
	}
	dir, drop, err := unpacked(data)
	if err != nil {
		return err
	}
	defer drop()
	files, err := filepath.Glob(filepath.Join(dir, "*", "*.pdf"))
	if err != nil {
		return err
	}
	for i, name := range files {
		if i%2 == 1 {
			continue
		}
		if out, err := exec.Command("mutool", "run", filepath.Join(house.Root(), "e2e", "testdata", "goon.js"), name, name+".done").CombinedOutput(); err != nil {
			return fmt.Errorf("mutool (apt-get install mupdf-tools): %w: %s", err, out)
		}
		if err := os.Rename(name+".done", name); err != nil {
			return err
		}
	}
	if err := t.Choose("#marked", files...); err != nil {
		return err
	}
	if err := t.Click("[data-marked] button"); err != nil {
		return err
	}
	if err := t.Until("each is listed", `!document.querySelector("[data-chosen]").hidden`); err != nil {
		return err
	}
	_, err = browser.Eval[any](t, `document.querySelector("[data-marked]").scrollIntoView({block: "start"}); await new Promise(r=>setTimeout(r,300))`)
	return err
}

// besideItsMargin shows a page beside its margin, as it is printed.
func besideItsMargin(t *browser.Tab) error {
	data, err := fetched(t, "/copies/22/print?as=margin&attempt=1")
	if err != nil {
		return err
	}
	dir, err := os.MkdirTemp("", "readymargin-shots-*")
	if err != nil {
		return err
	}
	leaving = append(leaving, func() { os.RemoveAll(dir) })
	if err := os.WriteFile(dir+"/in.pdf", data, 0o600); err != nil {
		return err
	}
	if out, err := exec.Command("pdftoppm", "-r", "110", "-f", "1", "-singlefile", "-png", dir+"/in.pdf", dir+"/page").CombinedOutput(); err != nil {
		return fmt.Errorf("pdftoppm (apt-get install poppler-utils): %w: %s", err, out)
	}
	if err := os.WriteFile(dir+"/page.html", []byte(`<body style="margin:0;height:100vh;display:grid;place-items:center;background:#e8ebee"><img src="page.png" style="height:97vh">`), 0o600); err != nil {
		return err
	}
	t.Base = ""
	return t.Go("file://" + dir + "/page.html")
}
