package pdf

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"os/exec"
	"regexp"
	"slices"
	"strings"
	"testing"

	"readymargin/core/annotation"
	"readymargin/core/document"
	"readymargin/core/mark"
	"readymargin/core/page"
)

// A dump is a file's objects, as qpdf reads them.
type dump map[string]any

// dumped has qpdf take a file apart.
func dumped(t *testing.T, file []byte) (dump, map[string]any) {
	t.Helper()
	out, err := exec.Command("qpdf", "--json=2", "--json-key=qpdf", written(t, file)).Output()
	if err != nil {
		t.Fatalf("qpdf (apt-get install qpdf): %v", err)
	}
	var all struct{ Qpdf []map[string]any }
	if err := json.Unmarshal(out, &all); err != nil || len(all.Qpdf) != 2 {
		t.Fatalf("what qpdf says: %v", err)
	}
	d := dump(all.Qpdf[1])
	return d, d["trailer"].(map[string]any)["value"].(map[string]any)
}

var reference = regexp.MustCompile(`^\d+ \d+ R$`)

// of follows references; of a stream it gives the dictionary.
func (d dump) of(v any) any {
	for {
		s, ok := v.(string)
		if !ok || !reference.MatchString(s) {
			return v
		}
		o := d["obj:"+s].(map[string]any)
		if stream, ok := o["stream"].(map[string]any); ok {
			return stream["dict"]
		}
		v = o["value"]
	}
}

func (d dump) dict(v any) map[string]any { m, _ := d.of(v).(map[string]any); return m }
func (d dump) list(v any) []any          { l, _ := d.of(v).([]any); return l }

func (d dump) numbers(v any) (out []float64) {
	for _, o := range d.list(v) {
		n, ok := d.of(o).(float64)
		if !ok {
			return nil
		}
		out = append(out, n)
	}
	return out
}

func (d dump) str(v any) string { s, _ := d.of(v).(string); return s }

// spoken is a sound at its place, as a file that goes along.
var spoken = document.Attached{Name: "note 1.m4a", Type: "audio/mp4", By: "Mr Okonjo-Bell", When: someDay, Says: "Spoken remark 1", Page: 1, At: page.Pt(300, 300), Data: []byte("a sound")}

// What ISO 32000-2 asks of what is written is tested clause by clause, on a file with
// every kind of mark; clauses and tables are numbered from memory. qpdf reads the file.
func TestAnnotationsAreAsTheStandardAsks(t *testing.T) {
	r := rand.New(rand.NewPCG(14, 15))
	var pages []document.Page
	sheet := turned
	first, what, pages := movable(t, sheet, func(n int, p document.Page) (said []annotation.Said) {
		for i, m := range anyMarks(r, n, p.Width, p.Height) {
			said = append(said, annotation.Said{Mark: m, Author: "Ines Varga", At: someDay, Layer: []annotation.Layer{annotation.Work, annotation.Feedback}[i%2], Number: 3})
		}
		note := fmt.Sprintf("note-%d-of", n)
		return append(said, annotation.Said{Mark: mark.Mark{ID: note, Page: n, Body: &mark.Note{At: [2]float64{50, 50}, Text: "Why this?"}}, Author: "Ines Varga", At: someDay, Layer: annotation.Work, Number: 1},
			annotation.Said{Mark: mark.Mark{ID: fmt.Sprintf("reply-%d-to", n), Page: n, Body: &mark.Reply{To: note, Text: "Because."}}, Author: "Mr Okonjo-Bell", At: someDay, Layer: annotation.Feedback})
	})
	what.Files = []document.Attached{spoken}
	file, err := pool.Print(context.Background(), sheet, what)
	if err != nil {
		t.Fatal(err)
	}
	if len(first) == 0 || len(pages) == 0 || !strings.HasPrefix(string(file), string(sheet)) {
		t.Error("7.5.6: an update stands behind what was there, which stays byte for byte")
	}
	if out, err := exec.Command("qpdf", "--check", written(t, file)).CombinedOutput(); err != nil {
		t.Errorf("qpdf --check: %v: %s", err, out)
	}
	d, trailer := dumped(t, file)
	root := d.dict(trailer["/Root"])
	if ids := d.list(trailer["/ID"]); len(ids) != 2 {
		t.Errorf("14.4: the file identifiers are %v", ids)
	}
	if info := d.dict(trailer["/Info"]); d.str(info["/Title"]) != "u:Tide heights" {
		t.Errorf("14.3.3: the title is %v", info["/Title"])
	}
	if d.str(root["/Lang"]) != "u:en" {
		t.Errorf("14.9.2: the language is %v", root["/Lang"])
	}

	// 8.11: optional content groups are all listed, and named in the order.
	groups := d.dict(root["/OCProperties"])
	var listed []string
	for _, g := range d.list(groups["/OCGs"]) {
		listed = append(listed, g.(string))
		if o := d.dict(g); d.str(o["/Type"]) != "/OCG" || d.str(o["/Name"]) == "" {
			t.Errorf("8.11.2, table 96: a group is %v", o)
		}
	}
	if len(listed) < 3 || d.dict(groups["/D"]) == nil {
		t.Errorf("8.11.4.2, table 98: the groups are %v", groups)
	}
	for _, g := range d.list(d.dict(groups["/D"])["/Order"]) {
		if s, ok := g.(string); ok && !slices.Contains(listed, s) {
			t.Errorf("8.11.4.3, table 99: %v is in the order and in no list", g)
		}
	}

	kinds := map[string]int{}
	for key, o := range d {
		p, ok := o.(map[string]any)["value"].(map[string]any)
		if !ok || key == "trailer" || d.str(p["/Type"]) != "/Page" {
			continue
		}
		names := map[string]bool{}
		for _, ref := range d.list(p["/Annots"]) {
			a := d.dict(ref)
			kind := strings.TrimPrefix(d.str(a["/Subtype"]), "/")
			kinds[kind]++
			wrong := func(clause string, is any) { t.Errorf("%s of %s %v: %v", clause, kind, a["/NM"], is) }

			// 12.5.2, table 166: what all have.
			rect := d.numbers(a["/Rect"])
			if len(rect) != 4 || rect[0] > rect[2] || rect[1] > rect[3] {
				wrong("7.9.5 and table 166, Rect", a["/Rect"])
			}
			if kind == "Popup" {
				if parent := d.dict(a["/Parent"]); parent == nil || parent["/Popup"] == nil {
					wrong("12.5.6.14, table 186, Parent", a["/Parent"])
				}
				continue
			}
			if kind == "Widget" {
				continue
			}
			if nm := d.str(a["/NM"]); nm == "" || names[nm] {
				wrong("table 166, NM, a name that no other on its page has", nm)
			} else {
				names[nm] = true
			}
			if !regexp.MustCompile(`^u:D:\d{14}(Z|[+-]\d{2}'\d{2}'?)`).MatchString(d.str(a["/M"])) {
				wrong("7.9.4, M", a["/M"])
			}
			if d.str(a["/Contents"]) == "" {
				wrong("table 166, Contents, what is read out", a["/Contents"])
			}
			if flags, _ := a["/F"].(float64); int(flags)&annotation.FlagPrint == 0 || int(flags)&(annotation.FlagHidden|annotation.FlagNoView) != 0 && a["/IRT"] == nil {
				wrong("12.5.3, table 167, F", a["/F"])
			}
			if c := d.numbers(a["/C"]); a["/C"] != nil && !slices.Contains([]int{0, 1, 3, 4}, len(c)) || slices.ContainsFunc(c, func(v float64) bool { return v < 0 || v > 1 }) {
				wrong("table 166, C", a["/C"])
			}
			if oc, ok := a["/OC"].(string); a["/OC"] != nil && (!ok || !slices.Contains(listed, oc)) {
				wrong("8.11.3.3, OC", a["/OC"])
			}
			if a["/IRT"] == nil || kind != "Text" { // an answer shows itself in its conversation
				look := d.dict(d.dict(a["/AP"])["/N"])
				box := d.numbers(look["/BBox"])
				if d.str(look["/Subtype"]) != "/Form" || len(box) != 4 || box[2]-box[0] < 0 || box[3]-box[1] < 0 {
					wrong("12.5.5 and table 93, AP, N", look)
				}
				if m := d.numbers(look["/Matrix"]); look["/Matrix"] != nil && (len(m) != 6 || math.Abs(m[0]*m[3]-m[1]*m[2]) < 1e-9) {
					wrong("8.10.2, Matrix", m)
				}
			}
			// 12.5.6.2, table 172: what markup has.
			if d.str(a["/T"]) == "" || d.str(a["/CreationDate"]) == "" {
				wrong("table 172, T and CreationDate", []any{a["/T"], a["/CreationDate"]})
			}
			if ca, ok := a["/CA"].(float64); a["/CA"] != nil && (!ok || ca <= 0 || ca > 1) {
				wrong("table 172, CA", a["/CA"])
			}
			if a["/IRT"] != nil && (d.dict(a["/IRT"]) == nil || !slices.Contains([]string{"", "/R", "/Group"}, d.str(a["/RT"]))) {
				wrong("table 172, IRT and RT", []any{a["/IRT"], a["/RT"]})
			}
			if bs := d.dict(a["/BS"]); bs != nil {
				if w, ok := d.of(bs["/W"]).(float64); !ok || w < 0 {
					wrong("12.5.4, table 168, W", bs)
				}
			}
			switch kind {
			case "Highlight", "Underline", "StrikeOut":
				q := d.numbers(a["/QuadPoints"])
				if len(q) == 0 || len(q)%8 != 0 {
					wrong("12.5.6.10, table 182, QuadPoints", a["/QuadPoints"])
				}
				for i := 0; i+1 < len(q); i += 2 {
					if q[i] < rect[0]-0.01 || q[i] > rect[2]+0.01 || q[i+1] < rect[1]-0.01 || q[i+1] > rect[3]+0.01 {
						wrong("table 182, QuadPoints lie within Rect, or are passed over", q[i:i+2])
						break
					}
				}
			case "Ink":
				if lists := d.list(a["/InkList"]); len(lists) == 0 || slices.ContainsFunc(lists, func(l any) bool { n := d.numbers(l); return len(n) < 2 || len(n)%2 != 0 }) {
					wrong("12.5.6.13, table 185, InkList", a["/InkList"])
				}
			case "FreeText":
				if da := d.str(a["/DA"]); !regexp.MustCompile(`/\S+ [\d.]+ Tf`).MatchString(da) || !regexp.MustCompile(`(g|rg|k)\b`).MatchString(da) {
					wrong("12.5.6.6, table 177, and 12.7.4.3, DA", da)
				}
				if q, ok := a["/Q"].(float64); a["/Q"] != nil && (!ok || q != 0 && q != 1 && q != 2) {
					wrong("table 177, Q", a["/Q"])
				}
				if rc := d.str(a["/RC"]); !strings.HasPrefix(strings.TrimPrefix(strings.TrimPrefix(rc, "u:"), "<?xml version=\"1.0\"?>"), "<body") || !strings.Contains(rc, "http://www.w3.org/1999/xhtml") {
					wrong("12.7.4.4, table 255, RC", rc)
				}
			case "Line":
				if len(d.numbers(a["/L"])) != 4 {
					wrong("12.5.6.7, table 178, L", a["/L"])
				}
			case "PolyLine", "Polygon":
				if v := d.numbers(a["/Vertices"]); len(v) < 4 || len(v)%2 != 0 {
					wrong("12.5.6.9, table 181, Vertices", a["/Vertices"])
				}
			case "Square", "Circle":
				if rd := d.numbers(a["/RD"]); a["/RD"] != nil && (len(rd) != 4 || slices.Min(rd) < 0 || rd[0]+rd[2] >= rect[2]-rect[0]+0.01 || rd[1]+rd[3] >= rect[3]-rect[1]+0.01) {
					wrong("12.5.6.8, table 180, RD", a["/RD"])
				}
			case "Stamp":
				if !strings.HasPrefix(d.str(a["/Name"]), "/") {
					wrong("12.5.6.12, table 184, Name", a["/Name"])
				}
			case "Text":
				if n := d.str(a["/Name"]); n != "" && !slices.Contains([]string{"/Comment", "/Key", "/Note", "/Help", "/NewParagraph", "/Paragraph", "/Insert"}, n) {
					wrong("12.5.6.4, table 175, Name", n)
				}
			case "FileAttachment":
				fs := d.dict(a["/FS"])
				stream := d.dict(d.dict(fs["/EF"])["/F"])
				if d.str(fs["/Type"]) != "/Filespec" || d.str(fs["/UF"]) == "" || d.str(stream["/Type"]) != "/EmbeddedFile" || d.str(stream["/Subtype"]) != "/audio#2Fmp4" {
					wrong("7.11.3, table 43, and 7.11.4, table 44", []any{fs, stream})
				}
				if size, _ := d.dict(stream["/Params"])["/Size"].(float64); int(size) != len(spoken.Data) {
					wrong("7.11.4.2, table 45, Size", stream)
				}
			default:
				wrong("no kind that is written", kind)
			}
			for _, end := range d.list(a["/LE"]) {
				if !slices.Contains([]string{"/Square", "/Circle", "/Diamond", "/OpenArrow", "/ClosedArrow", "/None", "/Butt", "/ROpenArrow", "/RClosedArrow", "/Slash"}, end.(string)) {
					wrong("12.5.6.7, table 179, LE", a["/LE"])
				}
			}
		}
	}
	for _, kind := range []string{"Highlight", "Underline", "StrikeOut", "Ink", "FreeText", "Line", "PolyLine", "Square", "Circle", "Stamp", "Text", "Popup", "FileAttachment"} {
		if kinds[kind] == 0 {
			t.Errorf("there is no %s in the file", kind)
		}
	}
}
