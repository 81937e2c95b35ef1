package pdf

import (
	"context"
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"readymargin/core/blank"
	"readymargin/core/document"
	"readymargin/core/mark"
	"readymargin/core/worksheet"
)

// aForm is a page with a field of every kind, turned by a quarter, as readers
// of forms expect them (ISO 32000-2, 12.7).
func aForm() []byte {
	const on = "<</N<</Aye 16 0 R/Off 17 0 R>>>>"
	return raw("", "<</Type/Catalog/Pages 2 0 R/AcroForm 4 0 R>>", "<</Type/Pages/Count 1/Kids[3 0 R]/MediaBox[0 0 300 400]>>",
		"<</Type/Page/Parent 2 0 R/Rotate 90/Contents 15 0 R/Annots[5 0 R 6 0 R 7 0 R 8 0 R 10 0 R 11 0 R 12 0 R 13 0 R]>>",
		"<</Fields[5 0 R 6 0 R 7 0 R 8 0 R 9 0 R 12 0 R 13 0 R]/NeedAppearances true/XFA(old)/DA(/Helv 0 Tf 0 g)/DR<</Font<</Helv 14 0 R>>>>>>",
		/* 5 */ "<</Type/Annot/Subtype/Widget/FT/Tx/T(station)/TU(Station name)/Rect[20 350 160 368]/MK<</BC[.8 .2 .2]/BG[.9 1 .9]>>/P 3 0 R>>",
		/* 6 */ "<</Type/Annot/Subtype/Widget/FT/Tx/T(why)/Ff 4096/Rect[20 280 280 340]/P 3 0 R>>",
		/* 7 */ "<</Type/Annot/Subtype/Widget/FT/Tx/T(code)/Ff 16777216/MaxLen 6/Rect[20 250 140 268]/P 3 0 R>>",
		/* 8 */ "<</Type/Annot/Subtype/Widget/FT/Btn/T(sure)/Rect[20 220 34 234]/AP"+on+"/AS/Off/P 3 0 R>>",
		/* 9 */ "<</FT/Btn/T(tide)/Ff 49152/V/Ebb/Kids[10 0 R 11 0 R]>>",
		/* 10 */ "<</Type/Annot/Subtype/Widget/Parent 9 0 R/Rect[20 190 34 204]/AP<</N<</Flood 16 0 R/Off 17 0 R>>>>/AS/Off/P 3 0 R>>",
		/* 11 */ "<</Type/Annot/Subtype/Widget/Parent 9 0 R/Rect[60 190 74 204]/AP<</N<</Ebb 16 0 R/Off 17 0 R>>>>/AS/Ebb/P 3 0 R>>",
		/* 12 */ "<</Type/Annot/Subtype/Widget/FT/Ch/T(port)/Ff 131072/Opt[[(sk)(Skerrymouth)][(ca)(Carrick)]]/Rect[20 160 160 178]/P 3 0 R>>",
		/* 13 */ "<</Type/Annot/Subtype/Widget/FT/Ch/T(marks)/Ff 2097152/Opt[(buoy)(beacon)(light)]/Rect[20 100 160 150]/P 3 0 R>>",
		"<</Type/Font/Subtype/Type1/BaseFont/Helvetica>>", stream("", ""),
		stream("/Type/XObject/Subtype/Form/BBox[0 0 14 14]", "0 0 14 14 re f"), stream("/Type/XObject/Subtype/Form/BBox[0 0 14 14]", ""))
}

// filledIn answers every place of a form.
func filledIn(places []worksheet.Blank) (out []mark.Mark) {
	say := map[string][]string{"station": {"Skerry Żółw"}, "why": {"Three twelfths of the range come in the third hour.\nThree more in the fourth."},
		"code": {"214T"}, "sure": {"Aye"}, "port": {"Carrick"}, "marks": {"buoy", "light"}, "tide": {"Flood"}}
	for _, p := range places {
		w := &mark.Widget{Field: p.Field, Values: say[p.Field], Rect: p.Rect}
		switch {
		case p.On == "Ebb":
			continue
		case p.Kind == blank.Tick:
			w.Sign = "check"
		default:
			text := &mark.FreeText{X: p.Rect[0] + 3, Y: p.Baseline, Width: 120}
			for _, l := range strings.Split(strings.Join(w.Values, ", "), "\n") {
				text.Lines = append(text.Lines, mark.TextLine{Runs: []mark.Run{{Text: l, Size: 9, Color: "#1e2a44"}}})
			}
			w.Text = text
		}
		out = append(out, mark.Mark{ID: "field-" + p.Field, Page: 1, Body: w})
	}
	return out
}

// Three readers that nobody here wrote find the values in the fields: qpdf in
// the file's structure, pdf.js as a form, poppler and mupdf as they are seen.
func TestFilledFieldsAreReadByOthers(t *testing.T) {
	ctx, form := context.Background(), aForm()
	pages, err := pool.Inspect(ctx, form)
	if err != nil {
		t.Fatal(err)
	}
	guide := pages[0].Guide()
	if n := len(guide.Blanks); n != 8 {
		t.Fatalf("%d places, want 8: %+v", n, guide.Blanks)
	}
	if i := slices.IndexFunc(guide.Blanks, func(p worksheet.Blank) bool { return p.Field == "station" }); guide.Blanks[i].Label != "Station name" {
		t.Errorf("the field is called %q", guide.Blanks[i].Label)
	}
	what := document.Export{Marks: filledIn(guide.Blanks)}
	for _, p := range pages {
		what.Boxes = append(what.Boxes, p.Box)
	}
	out, err := pool.Print(ctx, form, what)
	if err != nil {
		t.Fatal(err)
	}
	file := written(t, out)
	tool(t, "qpdf", "--check", file)

	var q struct {
		Acroform struct {
			Fields []struct {
				Name   string `json:"fullname"`
				Value  any    `json:"value"`
				Choice any    `json:"choices"`
			} `json:"fields"`
			NeedAppearances bool `json:"needappearances"`
		} `json:"acroform"`
	}
	if err := json.Unmarshal([]byte(tool(t, "qpdf", "--json=2", "--json-key=acroform", file)), &q); err != nil {
		t.Fatal(err)
	}
	want := map[string]any{"station": "u:Skerry Żółw", "why": "u:Three twelfths of the range come in the third hour.\nThree more in the fourth.", "code": "u:214T", "sure": "/Aye", "tide": "/Flood", "port": "u:ca"}
	for _, f := range q.Acroform.Fields {
		if w := want[f.Name]; w != nil && f.Value != w {
			t.Errorf("qpdf reads %s as %v, want %v", f.Name, f.Value, w)
		}
	}
	if q.Acroform.NeedAppearances {
		t.Error("readers are asked to make appearances")
	}

	// Node before 22 has no Promise.withResolvers.
	script := `import fs from "node:fs"; Promise.withResolvers ??= () => { const o = {}; o.promise = new Promise((y, n) => { o.resolve = y; o.reject = n; }); return o; };
		const {getDocument} = await import("` + nodeModule(t, "pdfjs-dist/legacy/build/pdf.mjs") + `");
		const d = await getDocument({data: new Uint8Array(fs.readFileSync(process.argv[1])), verbosity: 0}).promise, p = await d.getPage(1);
		console.log(JSON.stringify(Object.fromEntries((await p.getAnnotations()).filter(a => a.fieldType === "Btn" ? a.fieldValue !== "Off" && [a.exportValue, a.buttonValue].includes(a.fieldValue) : true).map(a => [a.fieldName, a.fieldValue]))))`
	var js map[string]any
	if err := json.Unmarshal([]byte(tool(t, "node", "--input-type=module", "-e", script, file)), &js); err != nil {
		t.Fatal(err)
	}
	for name, value := range map[string]string{"station": `"Skerry Żółw"`, "code": `"214T"`, "sure": `"Aye"`, "tide": `"Flood"`, "port": `["ca"]`, "marks": `["buoy","light"]`} {
		if b, _ := json.Marshal(js[name]); string(b) != value {
			t.Errorf("pdf.js reads %s as %s, want %s", name, b, value)
		}
	}

	// What is seen: the words by pdftotext, ink inside every filled field by
	// both renderers, none in the button that is off.
	text := tool(t, "pdftotext", file, "-")
	for _, words := range []string{"Skerry Żółw", "Three more in the fourth.", "214T", "Carrick", "buoy, light"} {
		if !strings.Contains(text, words) {
			t.Errorf("%q is not seen: %q", words, text)
		}
	}
	base := filepath.Join(t.TempDir(), "poppler")
	tool(t, "pdftoppm", "-r", "144", "-singlefile", "-png", file, base)
	mu := filepath.Join(t.TempDir(), "mupdf.png")
	tool(t, "mutool", "draw", "-q", "-r", "144", "-o", mu, file, "1")
	for name, shot := range map[string]string{"poppler": base + ".png", "mupdf": mu} {
		m := picture(shot)
		for _, p := range guide.Blanks {
			black, all := 0.0, 0.0
			for y := p.Rect[1] + 1; y < p.Rect[3]-1; y += 0.5 {
				for x := p.Rect[0] + 1; x < p.Rect[2]-1; x += 0.5 {
					all++
					if dark(m, int(2*x), int(2*y)) > 0.5 {
						black++
					}
				}
			}
			if off := p.On == "Ebb"; (black > 20) == off {
				t.Errorf("%s shows %.0f dark places in %s %s", name, black, p.Field, p.On)
			}
			// The form's own sign is a square full of ink; on the screen it is a tick.
			if p.Kind == blank.Tick && black > 0.5*all {
				t.Errorf("%s shows the form's own sign in %s %s, not the one that was put there", name, p.Field, p.On)
			}
		}
	}
}

// A field that the file does not have is painted on the page.
func TestFieldsWithoutAFormArePainted(t *testing.T) {
	w := &mark.Widget{Field: "gone", Values: []string{"kept"}, Rect: [4]float64{40, 40, 140, 60}, Text: &mark.FreeText{X: 42, Y: 54, Width: 30, Lines: []mark.TextLine{{Runs: []mark.Run{{Text: "kept", Size: 12, Color: "#000000"}}}}}}
	_, file := printed(t, mark.Mark{ID: "field-gone", Page: 1, Body: w})
	if text := tool(t, "pdftotext", file, "-"); !strings.Contains(text, "kept") {
		t.Errorf("the page says %q", text)
	}
}

// nodeModule returns where a development package of npm is.
func nodeModule(t *testing.T, name string) string {
	t.Helper()
	path, err := filepath.Abs(filepath.Join("..", "node_modules", name))
	if err == nil {
		_, err = os.Stat(path)
	}
	if err != nil {
		t.Fatalf("%v (install it by: npm ci)", err)
	}
	if _, err := exec.LookPath("node"); err != nil {
		t.Fatal(err)
	}
	return path
}
