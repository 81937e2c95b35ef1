package pdf

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"os"
	"strings"
	"testing"

	"readymargin/core/document"
)

// raw writes a PDF of the given objects, of which the first is the catalog,
// with more entries in its trailer.
func raw(trailer string, objects ...string) []byte {
	var b bytes.Buffer
	b.WriteString("%PDF-1.7\n")
	at := make([]int, len(objects))
	for i, o := range objects {
		at[i] = b.Len()
		fmt.Fprintf(&b, "%d 0 obj\n%s\nendobj\n", i+1, o)
	}
	start := b.Len()
	fmt.Fprintf(&b, "xref\n0 %d\n0000000000 65535 f \n", len(at)+1)
	for _, o := range at {
		fmt.Fprintf(&b, "%010d 00000 n \n", o)
	}
	fmt.Fprintf(&b, "trailer\n<</Size %d/Root 1 0 R%s>>\nstartxref\n%d\n%%%%EOF\n", len(at)+1, trailer, start)
	return b.Bytes()
}

func stream(entries, content string) string {
	return fmt.Sprintf("<<%s/Length %d>>\nstream\n%s\nendstream", entries, len(content), content)
}

// answersInside is a question page and an answer page that share one
// resources dictionary, one field and one structure tree, with the word
// "planted" at every place where an answer page leaves traces.
var answersInside = raw("/Info<</Title(planted info)>>",
	/* 1 */ "<</Type/Catalog/Pages 2 0 R/Outlines 20 0 R/Names<</EmbeddedFiles<</Names[(planted file)22 0 R]>>/Dests<</Names[(planted dest)[4 0 R/Fit]]>>>>"+
		"/Metadata 23 0 R/StructTreeRoot 24 0 R/AcroForm<</Fields[13 0 R 16 0 R]/DR<</Font<</F1 5 0 R>>>>/DA(/F1 10 Tf)>>/PageLabels<</Nums[0<</P(planted label)>>]>>"+
		"/OpenAction<</S/JavaScript/JS(planted script)>>/OCProperties<</OCGs[26 0 R 27 0 R]/D<</ON[26 0 R 27 0 R]/Order[26 0 R 27 0 R]>>>>/Threads[<</I<</Title(planted thread)>>>>]>>",
	/* 2 */ "<</Type/Pages/Count 2/Kids[3 0 R 4 0 R]/MediaBox[0 0 400 400]/Resources 6 0 R>>",
	/* 3 */ "<</Type/Page/Parent 2 0 R/Contents 7 0 R/Annots[12 0 R 14 0 R 17 0 R 18 0 R 19 0 R]/StructParents 0/PieceInfo<</X<</Private(planted private)>>>>/Thumb 11 0 R>>",
	/* 4 */ "<</Type/Page/Parent 2 0 R/Contents 8 0 R/Annots[15 0 R 28 0 R]>>",
	/* 5 */ "<</Type/Font/Subtype/Type1/BaseFont/Helvetica>>",
	/* 6 */ "<</Font<</F1 5 0 R>>/XObject<</Shared 9 0 R/Secret 10 0 R/Picture 11 0 R>>/Properties<</Layer 26 0 R/Hidden 27 0 R>>>>",
	/* 7 */ stream("", "BT /F1 14 Tf 50 300 Td (What is kept) Tj ET /Shared Do /OC /Layer BDC EMC"),
	/* 8 */ stream("", "BT /F1 14 Tf 50 300 Td (planted sentence) Tj ET /Secret Do /Picture Do /OC /Hidden BDC EMC"),
	/* 9: a form that points at everything, and uses little */ stream("/Type/XObject/Subtype/Form/BBox[0 0 400 400]/Resources 6 0 R", "0 0 1 rg 50 50 100 100 re f"),
	/* 10 */ stream("/Type/XObject/Subtype/Form/BBox[0 0 400 400]", "% planted form"),
	/* 11 */ stream("/Type/XObject/Subtype/Image/Width 15/Height 1/ColorSpace/DeviceGray/BitsPerComponent 8", "planted picture"),
	/* 12 */ "<</Type/Annot/Subtype/Widget/Rect[50 200 150 220]/Parent 13 0 R/P 3 0 R>>",
	/* 13 */ "<</FT/Tx/T(station)/V(kept value)/Kids[12 0 R 15 0 R]>>",
	/* 14 */ "<</Type/Annot/Subtype/Link/Rect[10 10 50 20]/Dest(planted dest)>>",
	/* 15 */ "<</Type/Annot/Subtype/Widget/Rect[50 200 150 220]/Parent 13 0 R/P 4 0 R/TU(planted tooltip)>>",
	/* 16 */ "<</FT/Tx/T(planted field)/V(planted value)/Subtype/Widget/Rect[10 100 90 120]/P 4 0 R>>",
	/* 17 */ "<</Type/Annot/Subtype/Link/Rect[60 10 90 20]/A<</S/GoTo/D[4 0 R/Fit]/Next<</S/JavaScript/JS(planted next)>>>>>>",
	/* 18 */ "<</Type/Annot/Subtype/Link/Rect[100 10 150 20]/A<</S/URI/URI(https://example.org/kept)>>>>",
	/* 19 */ "<</Type/Annot/Subtype/FileAttachment/Rect[200 10 220 20]/FS 22 0 R>>",
	/* 20 */ "<</First 21 0 R/Last 21 0 R/Count 1>>",
	/* 21 */ "<</Title(planted bookmark)/Parent 20 0 R/Dest[4 0 R/Fit]>>",
	/* 22 */ "<</Type/Filespec/F(planted.txt)/EF<</F 25 0 R>>>>",
	/* 23 */ stream("/Type/Metadata/Subtype/XML", "<x>planted metadata</x>"),
	/* 24 */ "<</Type/StructTreeRoot/K<</S/P/Pg 4 0 R/ActualText(planted structure)/K 0>>>>",
	/* 25 */ stream("/Type/EmbeddedFile", "planted attachment"),
	/* 26 */ "<</Type/OCG/Name(kept layer)>>",
	/* 27 */ "<</Type/OCG/Name(planted layer)>>",
	/* 28 */ "<</Type/Annot/Subtype/Text/Rect[10 300 30 320]/Contents(planted remark)>>",
)

func bound(t *testing.T, files [][]byte, leaves ...document.PageRef) []byte {
	t.Helper()
	b, err := pool.Assemble(context.Background(), files, leaves)
	if err != nil {
		t.Fatal(err)
	}
	return b
}

// No trace of a page that was left out is in any byte, once every stream is
// unpacked by qpdf; what belongs to the kept page is all there.
func TestHeldBackMeansAbsent(t *testing.T) {
	file := written(t, bound(t, [][]byte{answersInside}, document.PageRef{Page: 1}))
	open := file + ".open"
	tool(t, "qpdf", "--qdf", "--object-streams=disable", "--decode-level=all", file, open)
	for _, name := range []string{file, open} {
		b, err := os.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		if at := bytes.Index(b, []byte("planted")); at >= 0 {
			t.Errorf("left behind: %q", b[max(at-80, 0):min(at+60, len(b))])
		}
	}
	tool(t, "qpdf", "--check", file)
	kept := string(must(os.ReadFile(open)))
	fields := tool(t, "qpdf", "--json=2", "--json-key=acroform", file)
	for _, want := range []string{"kept layer", "https://example.org/kept"} {
		if !strings.Contains(kept, want) {
			t.Errorf("%q was lost", want)
		}
	}
	if strings.Count(fields, `"alternativename"`) != 1 || !strings.Contains(fields, "kept value") {
		t.Errorf("fields: %s", fields)
	}
	if got := tool(t, "pdftotext", file, "-"); !strings.HasPrefix(got, "What is kept\n") {
		t.Errorf("text %q", got)
	}
}

func must[T any](v T, err error) T {
	if err != nil {
		panic(err)
	}
	return v
}

// A bound page looks as it did, turned as it was told; qpdf and mupdf find
// nothing wrong with the file.
func TestBoundPagesLookAsTheyDid(t *testing.T) {
	files := [][]byte{turned, answersInside}
	leaves := []document.PageRef{{File: 1, Page: 2, Turn: 0}, {File: 0, Page: 8, Turn: 0}, {File: 0, Page: 5, Turn: 90}, {File: 0, Page: 2, Turn: 270}, {File: 0, Page: 7, Turn: 0}, {File: 1, Page: 1, Turn: 180}, {File: 0, Page: 1, Turn: 0}, {File: 1, Page: 1, Turn: 0}}
	out := bound(t, files, leaves...)
	name := written(t, out)
	tool(t, "qpdf", "--check", name)
	tool(t, "mutool", "draw", "-o", name+"-%d.png", "-r", "20", name)
	ctx := context.Background()
	for i, l := range leaves {
		was := decoded(t, must(pool.Picture(ctx, files[l.File], l.Page, 1)))
		is := decoded(t, must(pool.Picture(ctx, out, i+1, 1)))
		w, h := was.Bounds().Dx(), was.Bounds().Dy()
		if l.Turn%180 != 0 {
			w, h = h, w
		}
		if is.Bounds().Dx() != w || is.Bounds().Dy() != h {
			t.Errorf("leaf %d: %v, was %v, turned by %d", i, is.Bounds(), was.Bounds(), l.Turn)
			continue
		}
		if commented := l.File == 1 && l.Page == 2; l.Turn == 0 && same(was, is) == commented { // a comment stays behind
			t.Errorf("leaf %d looks otherwise", i)
		}
	}
	if fields := tool(t, "qpdf", "--json=2", "--json-key=acroform", name); strings.Count(fields, `"fullname"`) != 3 {
		t.Errorf("a field of two widgets, one of them bound twice: %s", fields)
	}
	if _, err := pool.Assemble(ctx, files, []document.PageRef{{File: 1, Page: 3, Turn: 0}}); err != document.ErrNoPage {
		t.Errorf("a page that is not there: %v", err)
	}
}

func decoded(t *testing.T, p document.Picture) image.Image {
	t.Helper()
	m, _, err := image.Decode(bytes.NewReader(p.Data))
	if err != nil {
		t.Fatal(err)
	}
	return m
}

func same(a, b image.Image) bool {
	for y := range a.Bounds().Dy() {
		for x := range a.Bounds().Dx() {
			if a.At(x, y) != b.At(x, y) {
				return false
			}
		}
	}
	return true
}

// withStructure has two pages with a structure, a table of what stands where, and
// links by name from the first to the second and back.
var withStructure = raw("",
	/* 1 */ "<</Type/Catalog/Pages 2 0 R/Lang(en-GB)/MarkInfo<</Marked true>>/StructTreeRoot 9 0 R/Names<</Dests<</Kids[<</Names[(ahead)[4 0 R/XYZ 0 400 0](back)<</D[3 0 R/Fit]>>]>>]>>>>>>",
	/* 2 */ "<</Type/Pages/Count 2/Kids[3 0 R 4 0 R]/MediaBox[0 0 400 400]/Resources<</Font<</F1 5 0 R>>>>>>",
	/* 3 */ "<</Type/Page/Parent 2 0 R/Contents 6 0 R/StructParents 0/Annots[8 0 R]>>",
	/* 4 */ "<</Type/Page/Parent 2 0 R/Contents 7 0 R/StructParents 1/Annots[16 0 R]>>",
	/* 5 */ "<</Type/Font/Subtype/Type1/BaseFont/Helvetica>>",
	/* 6 */ stream("", "/H1 <</MCID 0>> BDC BT /F1 14 Tf 50 300 Td (Tides) Tj ET EMC /P <</MCID 1>> BDC BT /F1 14 Tf 50 250 Td (The sea rises) Tj ET EMC"),
	/* 7 */ stream("", "/P <</MCID 0>> BDC BT /F1 14 Tf 50 300 Td (and falls) Tj ET EMC /Figure <</MCID 1>> BDC 10 10 50 50 re f EMC"),
	/* 8 */ "<</Type/Annot/Subtype/Link/Rect[10 10 50 20]/Dest(ahead)/StructParent 2>>",
	/* 9 */ "<</Type/StructTreeRoot/K 10 0 R/RoleMap<</Heading/H1>>/ParentTree<</Nums[0[11 0 R 12 0 R]1[12 0 R 13 0 R]2 14 0 R]>>>>",
	/* 10 */ "<</S/Document/P 9 0 R/K[11 0 R 12 0 R 13 0 R 14 0 R]>>",
	/* 11 */ "<</S/Heading/P 10 0 R/Pg 3 0 R/K 0/Alt(A heading)>>",
	/* 12: runs over both pages */ "<</S/P/P 10 0 R/K[<</Type/MCR/Pg 3 0 R/MCID 1>><</Type/MCR/Pg 4 0 R/MCID 0>>]/ActualText(The sea rises, planted answer)>>",
	/* 13 */ "<</S/Figure/P 10 0 R/Pg 4 0 R/K 1/Alt(A planted figure)>>",
	/* 14 */ "<</S/Link/P 10 0 R/Pg 3 0 R/K<</Type/OBJR/Obj 8 0 R>>>>",
	/* 15 */ "<</Type/Annot>>",
	/* 16 */ "<</Type/Annot/Subtype/Link/Rect[10 10 50 20]/A<</S/GoTo/D(back)>>>>",
)

// What readers aloud and links go by comes along with the pages, as poppler
// reads it, and nothing of it that speaks of a page that stays behind.
func TestStructureAndLinksComeAlong(t *testing.T) {
	for name, c := range map[string]struct {
		pages  []document.PageRef
		struc  []string // lines of pdfinfo -struct-text, in order
		links  int
		absent bool // what was planted
	}{
		"both":       {[]document.PageRef{{Page: 1}, {Page: 2}}, []string{"Document", "H1", `"Tides"`, "P (block)", `"The sea rises"`, `"and falls"`, "Figure", "Link"}, 2, false},
		"the first":  {[]document.PageRef{{Page: 1}}, []string{"Document", "H1", `"Tides"`, "P (block)", `"The sea rises"`}, 0, true},
		"the second": {[]document.PageRef{{Page: 2}}, []string{"Document", "P (block)", `"and falls"`, "Figure"}, 0, false},
	} {
		file := written(t, bound(t, [][]byte{withStructure}, c.pages...))
		tool(t, "qpdf", "--check", file)
		if info := tool(t, "pdfinfo", file); !strings.Contains(info, "Tagged:          yes") {
			t.Errorf("%s: %s", name, info)
		}
		got := tool(t, "pdfinfo", "-struct-text", file)
		rest := got
		for _, want := range c.struc {
			i := strings.Index(rest, want)
			if i < 0 {
				t.Errorf("%s: %q is missing, or not in its place: %s", name, want, got)
				break
			}
			rest = rest[i+len(want):]
		}
		open := file + ".open"
		tool(t, "qpdf", "--qdf", "--object-streams=disable", file, open)
		b := must(os.ReadFile(open))
		if n := bytes.Count(b, []byte("/Dest [")); n != c.links {
			t.Errorf("%s: %d links lead to a page, want %d", name, n, c.links)
		}
		if bytes.Contains(b, []byte("planted")) == c.absent {
			t.Errorf("%s: what was planted is there: %v", name, c.absent)
		}
		if !bytes.Contains(b, []byte("/Lang ")) {
			t.Errorf("%s: its language is lost", name)
		}
	}
}

// What a file carries is named, and is in no byte of what is handed out, also
// where all of its pages are.
func TestWhatAFileCarriesIsNamedAndStays(t *testing.T) {
	file := bound(t, [][]byte{answersInside}, document.PageRef{Page: 1}, document.PageRef{Page: 2})
	open := written(t, file) + ".open"
	tool(t, "qpdf", "--qdf", "--object-streams=disable", written(t, file), open)
	b := must(os.ReadFile(open))
	for _, gone := range []string{"planted script", "planted attachment", "planted metadata", "planted remark", "planted bookmark", "planted private", "planted thread", "planted label"} {
		if bytes.Contains(b, []byte(gone)) {
			t.Errorf("%s is handed out", gone)
		}
	}
	// An earlier revision, as an editor leaves it (ISO 32000-2, 7.5.6).
	more := append(append([]byte{}, answersInside...), "\n5 0 obj\n<</Type/Font/Subtype/Type1/BaseFont/Courier>>\nendobj\nxref\n5 1\n"+fmt.Sprintf("%010d", len(answersInside)+1)+" 00000 n \ntrailer\n<</Size 29/Root 1 0 R/Prev "+startOf(t, answersInside)+">>\nstartxref\n"+fmt.Sprint(len(answersInside)+1+len("5 0 obj\n<</Type/Font/Subtype/Type1/BaseFont/Courier>>\nendobj\n"))+"\n%%EOF\n"...)
	c, err := pool.Carries(context.Background(), more)
	if err != nil {
		t.Fatal(err)
	}
	if want := "Students do not get what this file carries beside its pages: 2 attachments, a script, a comment, an earlier version of it and who made it."; c.String() != want {
		t.Errorf("%q, want %q", c, want)
	}
	if c, err := pool.Carries(context.Background(), file); err != nil || c.String() != "" {
		t.Errorf("of what is handed out: %q (%v)", c, err)
	}
}

// startOf returns where a file's cross-reference table begins.
func startOf(t *testing.T, file []byte) string {
	t.Helper()
	_, rest, ok := strings.Cut(string(file), "startxref\n")
	if !ok {
		t.Fatal("no startxref")
	}
	return strings.Fields(rest)[0]
}

// alike is same, but for what a JPEG makes of a picture.
func alike(a, b image.Image) bool {
	if a.Bounds() != b.Bounds() {
		return false
	}
	off := 0
	for y := range a.Bounds().Dy() {
		for x := range a.Bounds().Dx() {
			r0, g0, b0, _ := a.At(x, y).RGBA()
			r1, g1, b1, _ := b.At(x, y).RGBA()
			if max(r0, r1)-min(r0, r1) > 0x3000 || max(g0, g1)-min(g0, g1) > 0x3000 || max(b0, b1)-min(b0, b1) > 0x3000 {
				off++
			}
		}
	}
	return off*100 < a.Bounds().Dx()*a.Bounds().Dy()
}
