package pdf

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"readymargin/core/annotation"
	"readymargin/core/document"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/tagged"
	"readymargin/e2e/browser"
)

// harbour is a sheet with a bit of everything, one below the other. What it says is in
// operators of all kinds; a part of it is in a form.
var harbour = raw("",
	"<</Type/Catalog/Pages 2 0 R/AcroForm<</Fields[8 0 R]/DA(/F1 0 Tf 0 g)>>>>",
	"<</Type/Pages/Count 1/Kids[3 0 R]/MediaBox[0 0 400 560]>>",
	"<</Type/Page/Parent 2 0 R/Contents[4 0 R 5 0 R]/Annots[8 0 R 9 0 R]/Resources<</Font<</F1 6 0 R>>/XObject<</X1 7 0 R/I1 10 0 R>>>>>>",
	stream("", `/Artifact BMC BT /F1 20 Tf 40 520 Td (Tide) Tj ( heights) Tj ET EMC
BT /F1 11 Tf 14 TL 40 490 Td [(Read the ex) 20 (tract and)] TJ T* (answer below.) Tj ET
q 1 0 0 1 40 440 cm BT /F1 11 Tf (1. How deep is it over the sill?) Tj 0 -18 Td (- Rocks dry at low water.) Tj
0 -14 TD (- The light is white.) Tj ET Q
q 0.5 w 40 330 200 60 re S 40 360 m 240 360 l S 140 330 m 140 390 l S Q
BT /F1 11 Tf 46 372 Td (Time) Tj 100 0 Td (Height) Tj -100 -30 Td (05:12) Tj ET
/X1 Do`),
	stream("", `q 80 0 0 60 40 220 cm /I1 Do Q
BT /F1 11 Tf 40 190 Td (3. The range is ________ m.) Tj ET
BT /F1 11 Tf 40 160 Td (Your name:) Tj ET
BI /W 1 /H 1 /BPC 8 /CS /G ID `+"\xff"+` EI
BT /F1 11 Tf 1 0 0 1 40 130 Tm (Ask the harbour office \(open all day\).) Tj ET`),
	"<</Type/Font/Subtype/Type1/BaseFont/Helvetica/Encoding/WinAnsiEncoding>>",
	stream("/Type/XObject/Subtype/Form/BBox[0 0 400 40]/Matrix[1 0 0 1 0 280]/Resources<</Font<</F1 6 0 R>>>>", "BT /F1 11 Tf 40 20 Td (2. Which mark is this?) Tj ET"),
	"<</Type/Annot/Subtype/Widget/FT/Tx/T(who)/Rect[110 155 240 172]/P 3 0 R>>",
	"<</Type/Annot/Subtype/Link/Rect[40 126 240 140]/A<</S/URI/URI(https://harbour.example/)>>>>",
	stream("/Type/XObject/Subtype/Image/Width 1/Height 1/BitsPerComponent 8/ColorSpace/DeviceGray", "\x40"),
)

// aloud lists a page as pdf.js gives it to a reader: an element a line, what stands within
// it behind its role and, in brackets, what it shows.
func aloud(t *testing.T, tab *browser.Tab) []string {
	t.Helper()
	lines, err := browser.Eval[[]string](tab, `
		const { texts, tree, notes } = window.read, out = [];
		const said = (n) => n.type === 'content' ? (texts[n.id] ?? '') : n.type ? '<' + (notes.find((a) => n.id.endsWith(a.id))?.subtype ?? '?') + '>' : '';
		const walk = (n, deep) => {
			const own = (n.children ?? []).map(said).filter(Boolean).join(' ').replace(/ +/g, ' ').trim(), alt = n.alt ? ' [' + n.alt + ']' : '';
			if (!['Root', 'Document', 'Span'].includes(n.role) || alt) out.push((n.role + alt + ': ' + own).replace(/: $/, ''));
			else if (own) out[out.length - 1] += (out[out.length - 1].includes(':') ? ' ' : ': ') + own;
			for (const k of n.children ?? []) if (k.role) walk(k);
		};
		walk(tree);
		if (texts.unmarked) out.push('UNMARKED ' + texts.unmarked);
		return out`)
	if err != nil {
		t.Fatal(err)
	}
	return lines
}

// answered are marks on harbour: an answer, a tick at it, a stroke beside the picture, and
// a line that only leads the eye.
func answered(t *testing.T) (sheet []tagged.Page, what document.Export) {
	t.Helper()
	pages, err := pool.Inspect(context.Background(), harbour)
	if err != nil {
		t.Fatal(err)
	}
	sheet, what.Boxes = tagged.Sheet(pages), []page.Box{pages[0].Box}
	what.Marks = []mark.Mark{
		{ID: "the-answer", Page: 1, Body: &mark.FreeText{X: 126, Y: 368, Width: 40, Lines: []mark.TextLine{{Runs: []mark.Run{{Text: "4.5", Size: 11, Color: "#1f4fa3"}}}}}},
		{ID: "the-tick", Page: 1, Body: &mark.Stamp{Name: "tick", Color: "#c22f20", Rect: [4]float64{130, 356, 144, 370}}},
		{ID: "the-stroke", Page: 1, Body: &mark.Highlight{Color: "#ffe27a", Meaning: "Leave to port", Text: "mark", QuadPoints: mark.QuadPoints([]page.Quad{page.QuadOf(page.R(84, 250, 112, 264))})}},
		{ID: "the-leader", Page: 1, Body: &mark.Line{Shape: mark.Shape{Color: "#c22f20", Width: 1, Opacity: 1}, L: [4]float64{300, 300, 390, 310}}},
	}
	for i, m := range what.Marks {
		l := tagged.Laid{Name: m.ID, At: m.Body.Bounds(), Mark: &m, Role: document.RoleFigure}
		if l.Says = tagged.Says(m, []string{"Ines Varga", "Mr Okonjo-Bell"}[min(i, 1)]); m.ID == "the-answer" {
			l.Role, l.Says = document.RoleParagraph, "4.5"
		}
		if m.ID == "the-leader" {
			l.Says = ""
		}
		sheet[0].Laid = append(sheet[0].Laid, l)
	}
	what.About = document.About{Title: "Tide heights", Author: "Ines Varga", Language: "en", At: someDay}
	return sheet, what
}

// What is printed and what was laid on it is read in the order of the sheet in words, as
// pdf.js gives it to readers; the order was written by hand.
func TestExportsAreReadAsTheSheetInWords(t *testing.T) {
	openJS := pdfJS(t)
	sheet, what := answered(t)
	ctx := context.Background()
	plain := must(pool.Print(ctx, harbour, what))
	what.Tagged = tagged.Of(sheet)
	printed := must(pool.Print(ctx, harbour, what))
	if !same(decoded(t, must(pool.Plain(ctx, plain, 1, 2))), decoded(t, must(pool.Plain(ctx, printed, 1, 2)))) {
		t.Error("the page looks otherwise with its tags")
	}
	moving := what
	var said []annotation.Said
	for i, m := range what.Marks {
		said = append(said, annotation.Said{Mark: m, Author: []string{"Ines Varga", "Mr Okonjo-Bell"}[min(i, 1)], At: someDay, Layer: annotation.Work})
	}
	moving.Annotations, moving.Marks = annotation.All(said, func(s string, _ bool) string { return s }), nil
	sheet[0].Laid = nil
	for _, a := range moving.Annotations {
		sheet[0].Laid = append(sheet[0].Laid, tagged.Laid{Name: a.Name, At: a.Rect, Mark: a.Mark, Role: document.RoleAnnot})
	}
	moving.Tagged = tagged.Of(sheet)
	// The same on a file that is tagged: what is laid on it stands among what it has.
	bare := what
	bare.Marks, bare.Tagged = nil, tagged.Of(tagged.Sheet(must(pool.Inspect(ctx, harbour))))
	has := must(pool.Print(ctx, harbour, bare))
	again, onTagged := answered(t)
	onTagged.Tagged = tagged.Of(again)
	const begins = `H1: Tide heights
P: Read the extract and answer below.
H2: 1. How deep is it over the sill?
L
LI
LBody: - Rocks dry at low water.
LI
LBody: - The light is white.
Table
TR
TH: Time
TH: Height
TR
TD: 05:12
`
	for name, c := range map[string]struct {
		file []byte
		want string
	}{
		"on a tagged file": {must(pool.Print(ctx, has, onTagged)), begins + `Figure [Leave to port, Highlight: mark, by Mr Okonjo-Bell]
TD
Figure [A picture without a description]
H2: 3. The range is ________ m.
Span [4.5]: 4.5
Figure [Tick, by Mr Okonjo-Bell]
P: Your name:
Form [3, blank 2 of 2: Your name:]: <Widget>
P: Ask the harbour office (open all day).
Link: <Link>`},
		"printed": {printed, begins + `TD
Figure [Leave to port, Highlight: mark, by Mr Okonjo-Bell]
Figure [A picture without a description]
H2: 3. The range is ________ m.
P
Span [4.5]: 4.5
Figure [Tick, by Mr Okonjo-Bell]
P: Your name:
Form [3, blank 2 of 2: Your name:]: <Widget>
P: Ask the harbour office (open all day).
Link: <Link>`},
		"movable": {must(pool.Print(ctx, harbour, moving)), begins + `TD
Annot: <Highlight>
Figure [A picture without a description]
Annot: <Line>
H2: 3. The range is ________ m.
P
Annot: <FreeText>
Annot: <Stamp>
P: Your name:
Form [3, blank 2 of 2: Your name:]: <Widget>
P: Ask the harbour office (open all day).
Link: <Link>`},
	} {
		file := written(t, c.file)
		tool(t, "qpdf", "--check", file)
		got := strings.Join(aloud(t, openJS(file, 1)), "\n")
		if got != strings.TrimSpace(c.want) {
			t.Errorf("%s is read as\n%s\nand should be as\n%s", name, got, c.want)
		}
		standard(t, name, c.file)
	}
	// pdf.js passes over what is within a form, which poppler reads as well.
	const words = "Tide heights Read the extract and answer below. 1. How deep is it over the sill? - Rocks dry at low water. - The light is white. Time Height 05:12 2. Which mark is this? 3. The range is ________ m. 4.5 Your name: Ask the harbour office (open all day)."
	if got := strings.Join(readAloud(t, written(t, printed)), " "); got != words {
		t.Errorf("poppler reads %s", got)
	}
}

// readAloud returns a file's words as poppler reads its structure.
func readAloud(t *testing.T, file string) (words []string) {
	for _, l := range strings.Split(tool(t, "pdfinfo", "-struct-text", file), "\n") {
		if l = strings.TrimSpace(l); strings.HasPrefix(l, `"`) {
			words = append(words, strings.Fields(strings.Trim(l, `"`))...)
		}
	}
	return words
}

// standard checks what ISO 14289-1:2014 asks of a tagged file, clause by clause; clauses are
// numbered from memory. That all fonts of the sheet are embedded (7.21.4.1) is not in the
// hands of who writes on it, so the file does not say that it conforms (5).
func standard(t *testing.T, name string, file []byte) {
	t.Helper()
	d, trailer := dumped(t, file)
	root := d.dict(trailer["/Root"])
	bad := func(clause, format string, args ...any) {
		t.Helper()
		t.Errorf("%s, clause %s: %s", name, clause, fmt.Sprintf(format, args...))
	}
	if d.dict(root["/MarkInfo"])["/Marked"] != true || d.dict(root["/MarkInfo"])["/Suspects"] == true {
		bad("6.2", "the file says of its marks %v", root["/MarkInfo"])
	}
	if d.dict(root["/ViewerPreferences"])["/DisplayDocTitle"] != true || d.str(d.dict(trailer["/Info"])["/Title"]) == "" || root["/Metadata"] == nil {
		bad("7.1", "the title is not shown")
	}
	if d.str(root["/Lang"]) == "" {
		bad("7.2", "it has no language")
	}
	tree := d.dict(root["/StructTreeRoot"])
	known := []string{"/Document", "/Sect", "/H1", "/H2", "/H3", "/P", "/L", "/LI", "/Lbl", "/LBody", "/Table", "/TR", "/TH", "/TD", "/Figure", "/Form", "/Annot", "/Link", "/Span"}
	inside := map[string][]string{"/LI": {"/L"}, "/Lbl": {"/LI"}, "/LBody": {"/LI"}, "/TR": {"/Table"}, "/TH": {"/TR"}, "/TD": {"/TR"}}
	level := byte('0')
	held := map[string]string{} // what elements hold, and their roles
	var walk func(k any, above string, parent any)
	walk = func(k any, above string, parent any) {
		e := d.dict(k)
		role := d.str(e["/S"])
		if !slices.Contains(known, role) {
			bad("7.1", "%q is no standard type that is used here", role)
		}
		if want := inside[role]; want != nil && !slices.Contains(want, above) {
			bad("7.5 and 7.6", "%s in %s", role, above)
		}
		if e["/P"] != parent {
			bad("7.1", "%s does not lead up to %v", role, parent)
		}
		if len(role) == 3 && role[1] == 'H' {
			if role[2] > level+1 {
				bad("7.4.2", "%s behind H%c", role, level)
			}
			level = role[2]
		}
		if (role == "/Figure" || role == "/Form") && d.str(e["/Alt"]) == "" {
			bad("7.3", "%s has no words", role)
		}
		if role == "/Figure" && len(d.numbers(d.dict(e["/A"])["/BBox"])) != 4 {
			bad("7.3", "a figure has no box")
		}
		if role == "/TH" && d.str(d.dict(e["/A"])["/Scope"]) == "" {
			bad("7.5", "a head of a table does not say of what")
		}
		kids := d.list(e["/K"])
		if kids == nil && e["/K"] != nil {
			kids = []any{e["/K"]}
		}
		for _, kid := range kids {
			switch o := d.dict(kid); {
			case o == nil:
				held[fmt.Sprint(e["/Pg"], " ", kid)] = role
			case d.str(o["/Type"]) == "/MCR":
				held[fmt.Sprint(o["/Stm"], " ", o["/MCID"])] = role
			case d.str(o["/Type"]) == "/OBJR":
				held[fmt.Sprint(o["/Obj"])] = role
			default:
				walk(kid, role, k)
			}
		}
	}
	top := d.list(tree["/K"])
	for _, k := range top {
		walk(k, "", root["/StructTreeRoot"])
	}
	ways := map[float64]any{}
	nums := d.list(d.dict(tree["/ParentTree"])["/Nums"])
	for i := 0; i+1 < len(nums); i += 2 {
		ways[nums[i].(float64)] = nums[i+1]
	}
	streams := map[string]map[string]any{} // what has marked content, by reference
	for key, v := range d {
		o, _ := v.(map[string]any)
		dict, _ := o["value"].(map[string]any)
		if s, ok := o["stream"].(map[string]any); ok {
			dict, _ = s["dict"].(map[string]any)
		}
		ref := strings.TrimPrefix(key, "obj:")
		if dict["/StructParents"] != nil {
			streams[ref] = dict
		}
		if sub := d.str(dict["/Subtype"]); d.str(dict["/Type"]) == "/Annot" && sub != "/Popup" {
			want := map[string]string{"/Widget": "/Form", "/Link": "/Link"}[sub]
			if want == "" {
				want = "/Annot"
			}
			if held[ref] != want {
				bad("7.18.1, 7.18.4 and 7.18.5", "an annotation of %s is in %q", sub, held[ref])
			}
			if to, _ := dict["/StructParent"].(float64); d.str(d.dict(ways[to])["/S"]) != want {
				bad("7.18.1", "from %s nothing leads to its element", sub)
			}
			if sub == "/Widget" && d.str(dict["/TU"]) == "" || sub != "/Widget" && d.str(dict["/Contents"]) == "" {
				bad("7.18.1", "%s has no words", sub)
			}
		}
		if d.str(dict["/Type"]) == "/Page" && dict["/Annots"] != nil && d.str(dict["/Tabs"]) != "/S" {
			bad("7.18.3", "the fields of a page are not in the order of its structure")
		}
	}
	pieces := 0
	for ref, dict := range streams {
		for mcid, to := range d.list(ways[dict["/StructParents"].(float64)]) {
			pieces++
			if to == nil {
				continue // a number that another stream of the page has
			}
			if role := held[fmt.Sprint(ref, " ", mcid)]; role == "" || d.str(d.dict(to)["/S"]) != role {
				bad("7.1", "piece %d of %s is held by %q, and leads to %v", mcid, ref, role, to)
			}
		}
	}
	if pieces == 0 {
		bad("7.1", "nothing is marked")
	}
}

// A strange is a content stream that is odd, or made to hurt.
var strange = map[string]string{
	"a string without an end":      "BT /F1 12 Tf 40 40 Td (open Tj ET",
	"more ends than beginnings":    "EMC EMC BT /F1 12 Tf 40 40 Td (text) Tj ET EMC",
	"text within text":             "BT BT /F1 12 Tf 40 40 Td (text) Tj ET ET",
	"too few numbers":              "1 0 0 cm BT /F1 12 Tf 40 40 Td (text) Tj ET",
	"states without an end":        strings.Repeat("q ", 5000) + "BT /F1 12 Tf 40 40 Td (text) Tj ET",
	"brackets without an end":      strings.Repeat("[", 200_000),
	"numbers of another structure": "/P <</MCID 7>> BDC BT /F1 12 Tf 40 40 Td (text) Tj ET EMC",
	"a picture that says its end":  "BI /W 4 /H 1 /BPC 8 /CS /G ID \x01EI\x02 EI BT /F1 12 Tf 40 40 Td (text) Tj ET",
	"nothing between operators":    "BT/F1 12 Tf 40 40 Td[(te)-20(xt)]TJ(more)'ET 1 0 0 RG 10 10 m 90 90 l S",
	"a form that paints itself":    "/Loop Do BT /F1 12 Tf 40 40 Td (text) Tj ET",
	"a form that is used twice":    "/Once Do q 1 0 0 1 0 60 cm /Once Do Q",
	"a path that only clips":       "10 10 80 80 re W n BT /F1 12 Tf 40 40 Td (text) Tj ET",
	"nothing at all":               "",
}

func TestWhatCannotBeFollowedLooksAsItDid(t *testing.T) {
	for name, content := range strange {
		file := raw("", "<</Type/Catalog/Pages 2 0 R>>", "<</Type/Pages/Count 1/Kids[3 0 R]/MediaBox[0 0 200 200]>>",
			"<</Type/Page/Parent 2 0 R/Contents 4 0 R/Resources<</Font<</F1 5 0 R>>/XObject<</Loop 6 0 R/Once 7 0 R>>>>>>", stream("", content),
			"<</Type/Font/Subtype/Type1/BaseFont/Helvetica>>",
			stream("/Type/XObject/Subtype/Form/BBox[0 0 200 200]/Resources<</Font<</F1 5 0 R>>/XObject<</Loop 6 0 R>>>>", "BT /F1 9 Tf 20 20 Td (around) Tj ET /Loop Do"),
			stream("/Type/XObject/Subtype/Form/BBox[0 0 200 200]/Resources<</Font<</F1 5 0 R>>>>", "BT /F1 9 Tf 20 20 Td (once) Tj ET"))
		looksAndReads(t, name, file, 1)
	}
}

// looksAndReads prints a file with a tick on each page, with tags and without: it has to
// look the same, and nothing of what qpdf says of it may be new. It returns how many of the
// words of its first pages poppler reads from its structure.
func looksAndReads(t *testing.T, name string, file []byte, most int) (read, of int) {
	t.Helper()
	ctx := context.Background()
	pages, err := pool.Inspect(ctx, file)
	if err != nil {
		return 0, 0
	}
	var what document.Export
	sheet := tagged.Sheet(pages)
	for i, p := range pages {
		what.Boxes = append(what.Boxes, p.Box)
		m := mark.Mark{ID: fmt.Sprintf("tick-on-%d", i+1), Page: i + 1, Body: &mark.Stamp{Name: "tick", Rect: [4]float64{p.Width / 2, p.Height / 2, p.Width/2 + 16, p.Height/2 + 16}, Color: "#c22f20"}}
		what.Marks = append(what.Marks, m)
		sheet[i].Laid = []tagged.Laid{{Name: m.ID, At: m.Body.Bounds(), Mark: &m, Role: document.RoleFigure, Says: tagged.Says(m, "Mr Okonjo-Bell")}}
	}
	plain, err := pool.Print(ctx, file, what)
	if err != nil {
		return 0, 0 // as without tags
	}
	what.Tagged = tagged.Of(sheet)
	out, err := pool.Print(ctx, file, what)
	if err != nil {
		t.Errorf("%s: %v", name, err)
		return 0, 0
	}
	kept := written(t, out)
	if said, err := exec.Command("qpdf", "--check", kept).CombinedOutput(); err != nil {
		if _, before := exec.Command("qpdf", "--check", written(t, plain)).CombinedOutput(); before == nil {
			t.Errorf("%s: qpdf: %s", name, said)
		}
	}
	got := map[string]int{}
	if !strings.Contains(tool(t, "pdfinfo", "-struct", kept), "Figure") {
		t.Errorf("%s: the tick is not read", name)
	}
	for _, w := range readAloud(t, kept) {
		got[w]++
	}
	for n, p := range pages[:min(most, len(pages))] {
		was, err1 := pool.Plain(ctx, plain, n+1, 1)
		is, err2 := pool.Plain(ctx, out, n+1, 1)
		if err1 != nil || err2 != nil {
			if (err1 == nil) != (err2 == nil) {
				t.Errorf("%s: page %d: %v, with tags %v", name, n+1, err1, err2)
			}
			continue
		}
		if !same(decoded(t, was), decoded(t, is)) {
			t.Errorf("%s: page %d looks otherwise with tags", name, n+1)
		}
		for _, w := range p.Print.Words {
			of++
			if got[w.Text] > 0 {
				got[w.Text]--
				read++
			}
		}
	}
	return read, of
}

// Files that others made look as they did, and are read: all their words, as poppler finds
// them, in nearly all of the files. Those that set their letters one by one, or write
// without spaces, have no words that two programs would agree on.
func TestFilesThatOthersMadeAreRead(t *testing.T) {
	files, some, whole := others(t), 0, 0
	for i, f := range files {
		file := must(os.ReadFile(f))
		if i%12 != 0 || len(file) > 150<<10 {
			continue // a cross-section, and no books: poppler takes half a minute over one
		}
		read, of := looksAndReads(t, filepath.Base(f), file, 1)
		if of == 0 {
			continue
		}
		some++
		if read >= of*9/10 {
			whole++
		} else {
			t.Logf("%s: %d of %d words", filepath.Base(f), read, of)
		}
	}
	t.Logf("%d of %d files are read", whole, some)
	if some < 10 || whole < some*8/10 {
		t.Errorf("%d of %d files are read", whole, some)
	}
}

// A file that has a structure keeps it, and what is laid on its pages is read where it
// stands; what was printed on may be printed on again, and nothing of that is left in what was
// brought back.
func TestWhatIsLaidOnComesAndGoesWithItsWords(t *testing.T) {
	ctx := context.Background()
	looksAndReads(t, "a file with a structure", withStructure, 2)
	read := func(file []byte) string { return tool(t, "pdfinfo", "-struct-text", written(t, file)) }
	say := func(file []byte, id, words string) []byte {
		pages := must(pool.Inspect(ctx, file))
		m := mark.Mark{ID: id, Page: 1, Body: &mark.FreeText{X: 100, Y: 100, Width: 90, Lines: []mark.TextLine{{Runs: []mark.Run{{Text: words, Size: 11, Color: "#1f4fa3"}}}}}}
		sheet := tagged.Sheet(pages)
		sheet[0].Laid = []tagged.Laid{{Name: id, At: m.Body.Bounds(), Mark: &m, Role: document.RoleParagraph, Says: words}}
		what := document.Export{Marks: []mark.Mark{m}, Tagged: tagged.Of(sheet), Copy: 22}
		for _, p := range pages {
			what.Boxes = append(what.Boxes, p.Box)
		}
		return must(pool.Print(ctx, file, what))
	}
	once := say(withStructure, "first-words", "planktonfirst")
	twice := say(once, "second-words", "planktonsecond")
	inOrder := []string{`"Tides"`, "planktonfirst", "planktonsecond", `"The sea rises"`, `"and falls"`}
	got := read(twice)
	for rest, i := got, 0; i < len(inOrder); i++ {
		at := strings.Index(rest, inOrder[i])
		if at < 0 {
			t.Fatalf("%s is missing, or not in its place: %s", inOrder[i], got)
		}
		rest = rest[at:]
	}
	shown := tool(t, "pdftotext", written(t, twice), "-")
	if !strings.Contains(shown, "planktonfirst") || !strings.Contains(shown, "planktonsecond") {
		t.Errorf("the page says %s", shown)
	}
	for name, file := range map[string][]byte{"a file with a structure": once, "a plain file": say(harbour, "the-words", "planktonfirst")} {
		bare, copied, err := pool.Bare(ctx, file)
		if err != nil || copied != 22 {
			t.Fatalf("%s: copy %d, %v", name, copied, err)
		}
		bound := must(pool.Assemble(ctx, [][]byte{bare}, []document.PageRef{{Page: 1}}))
		open := written(t, bound) + ".open"
		tool(t, "qpdf", "--qdf", "--object-streams=disable", written(t, bound), open)
		if b := must(os.ReadFile(open)); strings.Contains(string(b), "plankton") || strings.Contains(read(bound), "plankton") {
			t.Errorf("%s: what was laid on it is still in its structure", name)
		}
	}
}
