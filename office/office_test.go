package office

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"hash/crc32"
	"image"
	"image/png"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/xuri/excelize/v2"

	"readymargin/core/document"
)

// packed makes a ZIP of entries; the first is stored as it is, as OpenDocument
// asks for its mimetype (ISO/IEC 26300-1, Part 3, 3.3).
func packed(t *testing.T, entries ...string) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for i := 0; i < len(entries); i += 2 {
		method := zip.Deflate
		if i == 0 {
			method = zip.Store
		}
		w, err := z.CreateHeader(&zip.FileHeader{Name: entries[i], Method: method})
		if err == nil {
			_, err = w.Write([]byte(entries[i+1]))
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

const odfNames = `xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0" xmlns:style="urn:oasis:names:tc:opendocument:xmlns:style:1.0" xmlns:fo="urn:oasis:names:tc:opendocument:xmlns:xsl-fo-compatible:1.0" xmlns:svg="urn:oasis:names:tc:opendocument:xmlns:svg-compatible:1.0" xmlns:draw="urn:oasis:names:tc:opendocument:xmlns:drawing:1.0" xmlns:xlink="http://www.w3.org/1999/xlink" xmlns:script="urn:oasis:names:tc:opendocument:xmlns:script:1.0" xmlns:dom="http://www.w3.org/2001/xml-events" xmlns:presentation="urn:oasis:names:tc:opendocument:xmlns:presentation:1.0" xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0"`

// odf makes an OpenDocument file of a body, with more entries and a manifest.
func odf(t *testing.T, kind, scripts, body string, more ...string) []byte {
	t.Helper()
	manifest := `<?xml version="1.0"?><manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0" manifest:version="1.3"><manifest:file-entry manifest:full-path="/" manifest:media-type="` + kind + `"/><manifest:file-entry manifest:full-path="content.xml" manifest:media-type="text/xml"/>`
	for i := 0; i < len(more); i += 2 {
		manifest += `<manifest:file-entry manifest:full-path="` + more[i] + `" manifest:media-type=""/>`
	}
	content := `<?xml version="1.0" encoding="UTF-8"?><office:document-content ` + odfNames + ` office:version="1.3">` + scripts + `<office:body>` + body + `</office:body></office:document-content>`
	return packed(t, append([]string{"mimetype", kind, "content.xml", content, "META-INF/manifest.xml", manifest + `</manifest:manifest>`}, more...)...)
}

const odt, odp = "application/vnd.oasis.opendocument.text", "application/vnd.oasis.opendocument.presentation"

func text(paragraphs string) string { return "<office:text>" + paragraphs + "</office:text>" }

func docx(t *testing.T, run string) []byte {
	t.Helper()
	return packed(t,
		"[Content_Types].xml", `<?xml version="1.0"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Override PartName="/word/document.xml" ContentType="application/vnd.openxmlformats-officedocument.wordprocessingml.document.main+xml"/></Types>`,
		"_rels/.rels", `<?xml version="1.0"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" Target="word/document.xml"/></Relationships>`,
		"word/document.xml", `<?xml version="1.0"?><w:document xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main"><w:body>`+run+`</w:body></w:document>`)
}

// read runs a general reference program over a PDF.
func readPDF(t *testing.T, pdf []byte, program string, args ...string) string {
	t.Helper()
	name := filepath.Join(t.TempDir(), "out.pdf")
	if err := os.WriteFile(name, pdf, 0o644); err != nil {
		t.Fatal(err)
	}
	for i, a := range args {
		if a == "FILE" {
			args[i] = name
		}
	}
	out, err := exec.Command(program, args...).Output()
	if err != nil {
		t.Fatalf("%s (apt-get install poppler-utils qpdf): %v", program, err)
	}
	return string(out)
}

// The words of every kind of document stand in its PDF, as pdftotext of
// poppler reads them. The PPTX is LibreOffice's own, made of the ODP.
func TestEverykindOfDocument(t *testing.T) {
	slides := odf(t, odp, "", `<office:presentation><draw:page draw:name="1"><draw:frame svg:x="2cm" svg:y="2cm" svg:width="20cm" svg:height="4cm"><draw:text-box><text:p>The range of the tide</text:p></draw:text-box></draw:frame></draw:page></office:presentation>`)
	dir := t.TempDir()
	if err := os.WriteFile(filepath.Join(dir, "slides.odp"), slides, 0o644); err != nil {
		t.Fatal(err)
	}
	if out, err := exec.Command("soffice", "-env:UserInstallation=file://"+dir+"/profile", "--headless", "--convert-to", "pptx", "--outdir", dir, filepath.Join(dir, "slides.odp")).CombinedOutput(); err != nil {
		t.Fatalf("soffice (%s): %v %s", Install, err, out)
	}
	pptx, err := os.ReadFile(filepath.Join(dir, "slides.pptx"))
	if err != nil {
		t.Fatal(err)
	}
	book := excelize.NewFile()
	for cell, says := range map[string]any{"A1": "The range of the tide", "B1": 4.5, "B2": 0.9} {
		if err := book.SetCellValue("Sheet1", cell, says); err != nil {
			t.Fatal(err)
		}
	}
	if err := book.SetColWidth("Sheet1", "A", "A", 30); err != nil {
		t.Fatal(err)
	}
	if err := book.SetCellFormula("Sheet1", "B3", "=B1-B2"); err != nil {
		t.Fatal(err)
	}
	xlsx, err := book.WriteToBuffer()
	if err != nil {
		t.Fatal(err)
	}
	l := &LibreOffice{}
	for kind, file := range map[string][]byte{
		"rtf":  []byte(`{\rtf1\ansi{\fonttbl{\f0\fswiss Liberation Sans;}}\f0 The range of the tide\par}`),
		"docx": docx(t, `<w:p><w:r><w:t>The range of the tide</w:t></w:r></w:p>`),
		"odt":  odf(t, odt, "", text(`<text:p>The range of the tide</text:p>`)),
		"odp":  slides, "pptx": pptx, "xlsx": xlsx.Bytes(),
		"ods": odf(t, "application/vnd.oasis.opendocument.spreadsheet", "", `<office:spreadsheet><table:table table:name="1"><table:table-row><table:table-cell office:value-type="string"><text:p>The range of the tide</text:p></table:table-cell></table:table-row></table:table></office:spreadsheet>`),
	} {
		if got := kindOf(file); got != kind {
			t.Errorf("%s is taken for %q", kind, got)
		}
		d, err := l.PDF(context.Background(), file)
		if err != nil {
			t.Errorf("%s: %v", kind, err)
			continue
		}
		got := readPDF(t, d.PDF, "pdftotext", "FILE", "-")
		if !strings.Contains(got, "The range of the tide") || kind == "xlsx" && !strings.Contains(got, "3.6") {
			t.Errorf("%s says %q", kind, got)
		}
	}
}

func TestFontsThatAreReplacedAreNamed(t *testing.T) {
	font := func(name, words string) string {
		return `<w:p><w:r><w:rPr><w:rFonts w:ascii="` + name + `" w:hAnsi="` + name + `"/></w:rPr><w:t>` + words + `</w:t></w:r></w:p>`
	}
	l := &LibreOffice{}
	d, err := l.PDF(context.Background(), docx(t, font("Liberation Serif", "Here")+`<w:p><w:r><w:br w:type="page"/></w:r></w:p>`+font("Skerry Hand", "Gone")+font("Calibri", "Nearly")))
	if err != nil {
		t.Fatal(err)
	}
	// Which fonts each page has, as pdftohtml of poppler says.
	var pages [][]string
	family := map[string]string{}
	for i, page := range strings.Split(readPDF(t, d.PDF, "pdftohtml", "-xml", "-i", "-fontfullname", "-stdout", "FILE"), "<page ") {
		for _, m := range regexp.MustCompile(`<fontspec id="(\d+)".*family="([^"]*)"`).FindAllStringSubmatch(page, -1) {
			family[m[1]] = m[2]
		}
		var names []string
		for _, m := range regexp.MustCompile(`<text .*font="(\d+)"`).FindAllStringSubmatch(page, -1) {
			names = append(names, family[m[1]])
		}
		if i > 0 {
			pages = append(pages, names)
		}
	}
	got := map[string]string{}
	for _, r := range l.Replaced(context.Background(), d.Fonts, pages) {
		got[r.Font] = r.String()
	}
	if len(got) != 2 || got["Calibri"] != "Calibri is not here; Carlito stands in its place on page 2." || !strings.HasSuffix(got["Skerry Hand"], "stands in its place on page 2.") {
		t.Errorf("replaced: %v, of pages with %v", got, pages)
	}
}

// hugePNG says that it is 50,000 pixels square.
func hugePNG(t *testing.T) string {
	var b bytes.Buffer
	if err := png.Encode(&b, image.NewGray(image.Rect(0, 0, 1, 1))); err != nil {
		t.Fatal(err)
	}
	p := b.Bytes()
	binary.BigEndian.PutUint32(p[16:], 50_000)
	binary.BigEndian.PutUint32(p[20:], 50_000)
	binary.BigEndian.PutUint32(p[29:], crc32.ChecksumIEEE(p[12:29]))
	return string(p)
}

func TestMaliciousDocuments(t *testing.T) {
	var asked atomic.Int32
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	server := &http.Server{Handler: http.HandlerFunc(func(http.ResponseWriter, *http.Request) { asked.Add(1) })}
	go server.Serve(listener)
	defer server.Close()
	secret := filepath.Join(t.TempDir(), "secret.txt")
	if err := os.WriteFile(secret, []byte("Treasure lies under the light"), 0o644); err != nil {
		t.Fatal(err)
	}
	frame := func(href string) string {
		return `<text:p>Before</text:p><text:p><draw:frame svg:width="3cm" svg:height="3cm"><draw:image xlink:href="` + href + `" xlink:type="simple" xlink:show="embed" xlink:actuate="onLoad"/></draw:frame></text:p>`
	}
	runs := `<office:scripts><office:event-listeners><script:event-listener script:language="ooo:script" script:event-name="dom:load" xlink:href="vnd.sun.star.script:Standard.Module1.Main?language=Basic&amp;location=document" xlink:type="simple"/></office:event-listeners></office:scripts>`
	module := `<?xml version="1.0"?><!DOCTYPE script:module PUBLIC "-//OpenOffice.org//DTD OfficeDocument 1.0//EN" "module.dtd"><script:module xmlns:script="http://openoffice.org/2000/script" script:name="Module1" script:language="StarBasic">Sub Main
ThisComponent.Text.String = "The macro has run"
End Sub</script:module>`
	library := `<?xml version="1.0"?><!DOCTYPE library:library PUBLIC "-//OpenOffice.org//DTD OfficeDocument 1.0//EN" "library.dtd"><library:library xmlns:library="http://openoffice.org/2000/library" library:name="Standard" library:readonly="false" library:passwordprotected="false"><library:element library:name="Module1"/></library:library>`
	libraries := `<?xml version="1.0"?><!DOCTYPE library:libraries PUBLIC "-//OpenOffice.org//DTD OfficeDocument 1.0//EN" "libraries.dtd"><library:libraries xmlns:library="http://openoffice.org/2000/library" xmlns:xlink="http://www.w3.org/1999/xlink"><library:library library:name="Standard" library:link="false"/></library:libraries>`
	whole := odf(t, odt, "", text("<text:p>Before</text:p>"))
	for name, c := range map[string]struct {
		file []byte
		err  error
	}{
		"a macro":                {odf(t, odt, runs, text("<text:p>Before</text:p>"), "Basic/script-lc.xml", libraries, "Basic/Standard/script-lb.xml", library, "Basic/Standard/Module1.xml", module), nil},
		"a picture elsewhere":    {odf(t, odt, "", text(frame("http://"+listener.Addr().String()+"/spy.png"))), nil},
		"a file of this machine": {odf(t, odt, "", text(`<text:p>Before</text:p><text:section text:name="s"><text:section-source xlink:href="file://`+secret+`" xlink:type="simple"/></text:section>`)), nil},
		"a script in a drawing":  {odf(t, odt, "", text(frame("Pictures/a.svg")), "Pictures/a.svg", `<svg xmlns="http://www.w3.org/2000/svg" width="90" height="90" onload="app.alert(1)"><script>app.alert(1)</script><circle cx="45" cy="45" r="40"/></svg>`), nil},
		"a huge picture":         {odf(t, odt, "", text(frame("Pictures/a.png")), "Pictures/a.png", hugePNG(t)), document.ErrOfficeSize},
		"a bomb":                 {odf(t, odt, "", text("<text:p>Before</text:p>"), "styles.xml", strings.Repeat(" ", 64<<20)), document.ErrOfficeSize},
		"half a document":        {whole[:len(whole)/2], document.ErrOffice},
		"another archive":        {packed(t, "readme.txt", "Hello"), document.ErrOffice},
		"nothing":                {nil, document.ErrOffice},
	} {
		d, err := (&LibreOffice{}).PDF(context.Background(), c.file)
		if !errors.Is(err, c.err) || c.err == nil && err != nil {
			t.Errorf("%s: %v, want %v", name, err, c.err)
			continue
		}
		if c.err != nil {
			continue
		}
		words, inside := readPDF(t, d.PDF, "pdftotext", "FILE", "-"), readPDF(t, d.PDF, "qpdf", "--qdf", "--object-streams=disable", "FILE", "-")
		if !strings.Contains(words, "Before") || strings.Contains(words, "macro has run") || strings.Contains(words, "Treasure") {
			t.Errorf("%s: the PDF says %q", name, words)
		}
		for _, bad := range []string{"/JavaScript", "/JS", "/Launch", "app.alert"} {
			if strings.Contains(inside, bad) {
				t.Errorf("%s: the PDF has %s", name, bad)
			}
		}
	}
	if n := asked.Load(); n != 0 {
		t.Errorf("%d requests reached a server", n)
	}
}

func TestWithoutLibreOffice(t *testing.T) {
	file := odf(t, odt, "", text("<text:p>Before</text:p>"))
	t.Setenv("PATH", t.TempDir())
	if _, err := (&LibreOffice{}).PDF(context.Background(), file); !errors.Is(err, document.ErrNoOffice) {
		t.Errorf("%v, want %v", err, document.ErrNoOffice)
	}
}
