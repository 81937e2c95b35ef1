// Package held has sheets by which the finding of places to write is measured
// and on which its rules are never tuned. They are set by another program than
// those of the tests, Chromium, which knows where their places are.
package held

import (
	"bytes"
	"context"
	"embed"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"

	"codeberg.org/go-pdf/fpdf"
	cdp "github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"

	"readymargin/core/blank"
	"readymargin/core/blank/blanktest"
	"readymargin/core/document"
	"readymargin/core/page"
	"readymargin/core/scan"
	"readymargin/e2e/browser"
)

//go:embed sheets
var files embed.FS

// faces are what the sheets are set in, one after the other.
var faces = []string{"serif-400-normal-latin", "clear-400-normal-latin", "school-400-normal-latin"}

// A Sheet is a file with the places on each of its pages.
type Sheet struct {
	Name   string
	PDF    []byte
	Places [][]blanktest.Place
}

// Sheets sets all sheets in a tab; fonts is the folder of the faces.
func Sheets(t *browser.Tab, fonts string) (out []Sheet, err error) {
	css, err := files.ReadFile("sheets/base.css")
	if err != nil {
		return nil, err
	}
	all, err := files.ReadDir("sheets")
	if err != nil {
		return nil, err
	}
	for i, f := range all {
		name, isSheet := strings.CutSuffix(f.Name(), ".html")
		if !isSheet {
			continue
		}
		body, err := files.ReadFile("sheets/" + f.Name())
		if err != nil {
			return nil, err
		}
		font, err := os.ReadFile(filepath.Join(fonts, faces[i%len(faces)]+".woff2"))
		if err != nil {
			return nil, err
		}
		html := fmt.Sprintf("<style>@font-face{font-family:Text;src:url(data:font/woff2;base64,%s)}%s</style>%s", base64.StdEncoding.EncodeToString(font), css, body)
		s, err := set(t, html)
		if err != nil {
			return nil, fmt.Errorf("held: %s: %w", name, err)
		}
		s.Name = name
		out = append(out, s)
	}
	return out, nil
}

// set sets one sheet. What is measured is in CSS pixels, of which a point has
// 4/3 (CSS Values and Units 4, 6.2).
func set(t *browser.Tab, html string) (s Sheet, err error) {
	script, err := json.Marshal(html)
	if err != nil {
		return s, err
	}
	type placed struct {
		Page int
		Kind blank.Kind
		R    [4]float64
	}
	places, err := browser.Eval[[]placed](t, `document.open(); document.write("<!doctype html><meta charset=utf-8>" + `+string(script)+`); document.close();
		await document.fonts.ready; await new Promise((ok) => setTimeout(ok, 200));
		const pages = [...document.querySelectorAll(".page")];
		return [...document.querySelectorAll("[data-k]")].map((e) => {
			const p = e.closest(".page"), o = p.getBoundingClientRect(), r = e.getBoundingClientRect();
			return { Page: pages.indexOf(p), Kind: e.dataset.k, R: [r.left - o.left, r.top - o.top, r.right - o.left, r.bottom - o.top].map((v) => v * 0.75) };
		})`)
	if err != nil {
		return s, err
	}
	yes := true
	res, err := chromedp.Call(t.Ctx, cdp.PrintToPDF, cdp.PrintToPDFParams{PrintBackground: &yes, PreferCSSPageSize: &yes})
	if err != nil {
		return s, err
	}
	s.PDF = res.Data
	n := strings.Count(html, `class="page`)
	s.Places = make([][]blanktest.Place, n)
	for _, p := range places {
		s.Places[p.Page] = append(s.Places[p.Page], blanktest.Place{Kind: p.Kind, Rect: page.R(p.R[0], p.R[1], p.R[2], p.R[3])})
	}
	return s, nil
}

// An Inspector reads a file's pages.
type Inspector interface {
	Inspect(ctx context.Context, file []byte) ([]document.Page, error)
}

// A Result is what was found on sheets of one name.
type Result struct {
	Name  string
	Score blanktest.Score
	Kinds map[blank.Kind]blanktest.Score
}

// Measure judges what is found on the sheets, as they are or as a scanner sees
// them.
func Measure(ctx context.Context, engine Inspector, sheets []Sheet, scanned bool) (out []Result, err error) {
	for k, s := range sheets {
		r := Result{Name: s.Name, Kinds: map[blank.Kind]blanktest.Score{}}
		pages, err := engine.Inspect(ctx, s.PDF)
		if err != nil {
			return nil, err
		}
		if len(pages) != len(s.Places) {
			return nil, fmt.Errorf("held: %s has %d pages, not %d", s.Name, len(pages), len(s.Places))
		}
		for i, p := range pages {
			places := s.Places[i]
			if scanned {
				angle := []float64{0.006, -0.009, 0.003}[(k+i)%3] // up to half a degree
				if p, err = scanOf(ctx, engine, s.PDF, i+1, angle); err != nil {
					return nil, err
				}
				turn := scan.Turn(angle, page.Pt(p.Width/2, p.Height/2))
				places = slices.Clone(places)
				for n := range places {
					c := places[n].Rect.Center()
					places[n].Rect = places[n].Rect.Add(turn.Apply(c).Sub(c))
				}
			}
			one, kinds := blanktest.Judge(places, p.Blanks())
			r.Score.Add(one)
			for kind, v := range kinds {
				sum := r.Kinds[kind]
				sum.Add(v)
				r.Kinds[kind] = sum
			}
		}
		out = append(out, r)
	}
	return out, nil
}

// scanOf returns a page as a scanner gives it: a picture of 150 dots an inch,
// leaning, with grain.
func scanOf(ctx context.Context, engine Inspector, file []byte, n int, angle float64) (p document.Page, err error) {
	dir, err := os.MkdirTemp("", "readymargin-held-*")
	if err != nil {
		return p, err
	}
	defer os.RemoveAll(dir)
	name := filepath.Join(dir, "sheet")
	if err := os.WriteFile(name+".pdf", file, 0o644); err != nil {
		return p, err
	}
	for _, args := range [][]string{
		{"pdftoppm", "-r", "150", "-gray", "-png", "-singlefile", "-f", fmt.Sprint(n), "-l", fmt.Sprint(n), name + ".pdf", name},
		{"ffmpeg", "-loglevel", "error", "-i", name + ".png", "-vf", fmt.Sprintf("rotate=%v:fillcolor=white,noise=alls=14:allf=t", angle), "-q:v", "4", name + ".jpg"},
	} {
		if b, err := exec.CommandContext(ctx, args[0], args[1:]...).CombinedOutput(); err != nil {
			return p, fmt.Errorf("%s (apt-get install poppler-utils ffmpeg): %w: %s", args[0], err, b)
		}
	}
	f := fpdf.New("P", "pt", "A4", "")
	f.AddPage()
	f.ImageOptions(name+".jpg", 0, 0, 595.28, 841.89, false, fpdf.ImageOptions{ImageType: "JPG"}, 0, "")
	var b bytes.Buffer
	if err := f.Output(&b); err != nil {
		return p, err
	}
	pages, err := engine.Inspect(ctx, b.Bytes())
	if err != nil {
		return p, err
	}
	return pages[0], nil
}
