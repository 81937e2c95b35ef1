package office

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
	"image"
	_ "image/gif" // whose sizes are read
	_ "image/jpeg"
	_ "image/png"
	"io"
	"path"
	"regexp"
	"slices"
	"strings"

	"readymargin/core/document"
)

// Kinds are the documents that are turned, by the ending of their files.
var Kinds = []string{"docx", "odt", "pptx", "odp", "xlsx", "ods", "rtf"}

// Limits inside a document.
const (
	maxEntries  = 5000
	maxInside   = 400 << 20 // bytes of all entries, unpacked
	maxMarkup   = 40 << 20  // bytes of one entry of XML that is read here
	maxRatio    = 500       // of an entry over a megabyte, unpacked to packed
	maxPixels   = 60_000_000
	maxPictures = 2000
)

// kindOf returns which of the Kinds a file is, by its content, or "".
func kindOf(file []byte) string {
	if bytes.HasPrefix(file, []byte(`{\rtf`)) {
		return "rtf"
	}
	if !bytes.HasPrefix(file, []byte("PK\x03\x04")) {
		return ""
	}
	z, err := zip.NewReader(bytes.NewReader(file), int64(len(file)))
	if err != nil {
		return ""
	}
	for _, f := range z.File {
		switch f.Name {
		case "word/document.xml":
			return "docx"
		case "ppt/presentation.xml":
			return "pptx"
		case "xl/workbook.xml":
			return "xlsx"
		case "mimetype":
			b, _ := read(f, 200)
			switch string(bytes.TrimSpace(b)) {
			case "application/vnd.oasis.opendocument.text":
				return "odt"
			case "application/vnd.oasis.opendocument.presentation":
				return "odp"
			case "application/vnd.oasis.opendocument.spreadsheet":
				return "ods"
			}
			return ""
		}
	}
	return ""
}

// scan looks into a document before anything else does: whether it is one,
// whether it is larger inside than it looks, and which fonts it asks for.
func scan(file []byte) (kind string, fonts []string, err error) {
	kind = kindOf(file)
	switch kind {
	case "":
		return "", nil, document.ErrOffice
	case "rtf":
		return kind, fontsOfRTF(file), nil
	}
	z, err := zip.NewReader(bytes.NewReader(file), int64(len(file)))
	if err != nil {
		return "", nil, document.ErrOffice
	}
	var inside uint64
	pictures := 0
	for _, f := range z.File {
		inside += f.UncompressedSize64
		if len(z.File) > maxEntries || inside > maxInside || f.UncompressedSize64 > 1<<20 && f.UncompressedSize64 > maxRatio*max(f.CompressedSize64, 1) {
			return "", nil, document.ErrOfficeSize
		}
		switch ext := strings.ToLower(path.Ext(f.Name)); {
		case ext == ".xml" && asksForFonts(f.Name):
			b, err := read(f, maxMarkup)
			if err != nil {
				return "", nil, err
			}
			fonts = append(fonts, fontsOfXML(b)...)
		case slices.Contains([]string{".png", ".jpg", ".jpeg", ".gif"}, ext):
			if pictures++; pictures > maxPictures || pixels(f) > maxPixels {
				return "", nil, document.ErrOfficeSize
			}
		}
	}
	return kind, once(fonts), nil
}

// read reads an entry of at most so many bytes.
func read(f *zip.File, most int64) ([]byte, error) {
	r, err := f.Open()
	if err != nil {
		return nil, document.ErrOffice
	}
	defer r.Close()
	b, err := io.ReadAll(io.LimitReader(r, most+1))
	switch {
	case err != nil:
		return nil, document.ErrOffice
	case int64(len(b)) > most:
		return nil, document.ErrOfficeSize
	}
	return b, nil
}

// pixels returns how large a picture says that it is, 0 when it does not.
func pixels(f *zip.File) int {
	r, err := f.Open()
	if err != nil {
		return 0
	}
	defer r.Close()
	c, _, err := image.DecodeConfig(io.LimitReader(r, 1<<20))
	if err != nil {
		return 0
	}
	return c.Width * c.Height
}

// asksForFonts reports whether an entry may name fonts that are used: the
// text and its styles, of OOXML (ISO/IEC 29500) and OpenDocument (ISO/IEC 26300).
func asksForFonts(name string) bool {
	switch name {
	case "word/document.xml", "word/styles.xml", "word/numbering.xml", "xl/styles.xml", "content.xml", "styles.xml":
		return true
	}
	dir := path.Dir(name)
	return dir == "ppt/slides" || dir == "ppt/slideMasters" || dir == "ppt/theme" || dir == "word/theme"
}

// fontsOfXML returns the fonts that markup names. What is not well-formed
// names none from there on; LibreOffice will say what is wrong with it.
func fontsOfXML(b []byte) (out []string) {
	d := xml.NewDecoder(bytes.NewReader(b))
	d.Strict = false
	for {
		t, err := d.Token()
		if err != nil {
			return out
		}
		e, ok := t.(xml.StartElement)
		if !ok {
			continue
		}
		for _, a := range e.Attr {
			switch e.Name.Local + " " + a.Name.Local {
			case "rFonts ascii", "rFonts hAnsi", "latin typeface", "font-face font-family":
				out = append(out, strings.Trim(a.Value, `'" `))
			}
		}
	}
}

// rtfFont matches an entry of the font table (RTF 1.9.1, Font Table).
var rtfFont = regexp.MustCompile(`\{\\f\d+[^{};]*? ([^;{}\\]{2,60});`)

func fontsOfRTF(file []byte) (out []string) {
	for _, m := range rtfFont.FindAllSubmatch(file[:min(len(file), 1<<20)], 1000) {
		out = append(out, strings.TrimSpace(string(m[1])))
	}
	return once(out)
}

// once leaves every name once, without those that point to a theme.
func once(names []string) []string {
	names = slices.DeleteFunc(names, func(n string) bool { return n == "" || strings.HasPrefix(n, "+") || len(n) > 100 })
	slices.Sort(names)
	return slices.Compact(names)
}
